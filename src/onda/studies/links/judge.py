"""How requirements of links are judged: by their eye."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from onda.project.kind import Objects
from onda.project.measures import measure as measure_of
from onda.project.model import Design
from onda.project.requirements import Requirement
from onda.studies.core.judge import Answer, Judge
from onda.studies.core.margin import Measured
from onda.studies.links.eye import EYE, EyeResult
from onda.studies.links.inputs import EyeInputs, eye_inputs
from onda.studies.paths.judge import line_parts

__all__ = ["JUDGE", "measure_eye"]

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


def _inputs(design: Design, requirement: Requirement) -> EyeInputs:
    return eye_inputs(design, design.link(requirement.subject))


def _follows(objects: Objects, requirement: Requirement) -> Iterable[object]:
    link = objects.get(requirement.kind, requirement.subject)
    yield from line_parts(objects)
    yield link
    if link.path is not None:
        yield objects.get("path", link.path)
    else:
        # A network may be made of any of these.
        yield objects.all("path")
        yield objects.all("group")
        yield objects.all("network")


def _read(_: Design, requirement: Requirement, result: EyeResult) -> Measured:
    return measure_eye(result, requirement.measure)


JUDGE = Judge({"eye": Answer(EYE, _inputs, _follows, _read)})
