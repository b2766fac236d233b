"""How requirements of links are judged: by their eye."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

from onda.project.kind import Objects
from onda.project.measures import measure as measure_of
from onda.project.model import Design
from onda.project.requirements import Requirement
from onda.studies.core.judge import Answer, Judge
from onda.studies.core.margin import Measured, missing
from onda.studies.links.eye import EYE, EyeResult
from onda.studies.links.inputs import EyeInputs, LinkInputs, eye_inputs, link_inputs
from onda.studies.links.link import LINK, LinkEye
from onda.studies.paths.judge import line_parts

__all__ = ["JUDGE", "measure_eye", "measure_link"]

_READERS: dict[str, tuple[Callable[[EyeResult], float], str]] = {
    "eye_width": (lambda r: r.eye.width, "at the decision level"),
    "eye_height": (lambda r: r.eye.height, "at the sampling phase"),
    "jitter_pp": (lambda r: r.eye.jitter_pp, "at the decision level"),
    "mask_growth": (lambda r: r.mask_growth, "around the mask"),
    "worst_height": (lambda r: r.peak.height, "at the sampling phase"),
}


def measure_eye(result: EyeResult, measure: str) -> Measured:
    """Read a measure off an eye result."""
    value, where = _READERS[measure]
    how = measure_of(measure).how or f"over {result.eye.bits} bits"
    return Measured(value(result), where, how, doubts=result.doubts)


def _at_rate(result: LinkEye) -> str:
    rate = f"1e{math.log10(result.error_rate):.0f}"
    if abs(math.log10(result.error_rate) % 1.0) > 1e-9:
        rate = f"{result.error_rate:.2g}"
    return f"at an error rate of {rate.replace('-', '−')}"


_RATE_READERS: dict[str, Callable[[LinkEye], float]] = {
    "eye_width_at_rate": lambda r: r.eye.width / r.unit_interval,
    "eye_height_at_rate": lambda r: r.eye.height,
    "link_merit": lambda r: r.merit.db,
    "mask_growth_at_rate": lambda r: r.mask_growth,
    "jitter_at_rate": lambda r: r.jitter.total / r.unit_interval,
}


def measure_link(result: LinkEye, measure: str) -> Measured:
    """Read a measure off a link's eye at its error rate."""
    value = _RATE_READERS[measure](result)
    worst = min(result.eye.eyes, key=lambda e: e.height if "height" in measure else e.width)
    where = "at the sampling time" if len(result.levels) == 2 else f"of the {worst.name} eye"
    how = measure_of(measure).how or _at_rate(result)
    if not math.isfinite(value):
        return missing("there is no mask" if "mask" in measure else "the eye is closed")
    return Measured(value, where, how, doubts=result.doubts)


def _link_inputs(design: Design, requirement: Requirement) -> LinkInputs:
    return link_inputs(design, design.link(requirement.subject))


def _read_link(_: Design, requirement: Requirement, result: LinkEye) -> Measured:
    return measure_link(result, requirement.measure)


def _inputs(design: Design, requirement: Requirement) -> EyeInputs:
    return eye_inputs(design, design.link(requirement.subject))


def _follows(objects: Objects, requirement: Requirement) -> Iterable[object]:
    link = objects.get(requirement.kind, requirement.subject)
    yield from line_parts(objects)
    yield link
    files = [link.pulse, link.listener.response]
    for model in (link.sender.model, link.listener.model):
        files += [model.parameters, model.library] if model is not None else []
    for file in files:
        if file is not None:
            yield objects.get("file", file)
    if link.path is not None:
        yield objects.get("path", link.path)
        # Lanes of groups may be pieces of it.
        yield objects.all("group")
    elif link.group is not None:
        yield objects.get("group", link.group)
    elif link.network is not None:
        # A network may be made of any of these.
        yield objects.all("path")
        yield objects.all("group")
        yield objects.all("network")


def _read(_: Design, requirement: Requirement, result: EyeResult) -> Measured:
    return measure_eye(result, requirement.measure)


JUDGE = Judge(
    {
        "eye": Answer(EYE, _inputs, _follows, _read),
        "link_eye": Answer(LINK, _link_inputs, _follows, _read_link),
    }
)
