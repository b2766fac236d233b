"""How requirements of paths are judged: at one receiver, or at the worst of all."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import fields

from onda.engine.circuits.receiver_measures import ReceiverMeasures
from onda.project.kind import Objects
from onda.project.measures import measure as measure_of
from onda.project.model import Design
from onda.project.requirements import Requirement
from onda.studies.core.judge import Answer, Judge
from onda.studies.core.margin import Measured, margin_of, missing
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import PathInputs
from onda.studies.paths.path import PATH, PathResult

__all__ = ["JUDGE", "line_parts", "measure_path", "worst_of_path"]

_READ = frozenset(f.name for f in fields(ReceiverMeasures))


def measure_path(result: PathResult, measure: str, receiver: str | None = None) -> Measured:
    """Read a measure off a path result: of one receiver, or the worst of all."""
    chosen = [r for r in result.receivers if receiver in (None, r.id)]
    if not chosen:
        return missing(f"there is no receiver {receiver}")
    what = measure_of(measure)
    values = [float(getattr(r.measures, measure)) for r in chosen]
    at = what.worst_of(values)
    found = chosen[at]
    where = f"at {found.name}"
    if measure == "overshoot":
        where += f", {found.measures.overshoot_time * 1e9:.2f} ns"
    return Measured(
        values[at],
        where,
        f"{what.how}, worst of {found.measures.edges} edges",
        doubts=result.doubts,
    )


def worst_of_path(
    result: PathResult, requirements: Iterable[Requirement]
) -> tuple[str, str] | None:
    """Receiver and measure that fail most, or hold least; None where nothing of a receiver is
    required."""
    found: list[tuple[float, str, str]] = []
    for one in requirements:
        if one.measure not in _READ:
            continue
        held = margin_of(one, measure_path(result, one.measure, one.receiver))
        chosen = [r for r in result.receivers if one.receiver in (None, r.id)]
        if chosen:
            values = [float(getattr(r.measures, one.measure)) for r in chosen]
            at = chosen[measure_of(one.measure).worst_of(values)].id
            found.append((held.normalised, at, one.measure))
    worst = min((entry for entry in found if not math.isnan(entry[0])), default=None)
    return None if worst is None else (worst[1], worst[2])


def line_parts(objects: Objects) -> Iterable[object]:
    """Parts of a design that the lines and devices of any path are made from."""
    yield objects.stackup
    for kind in ("material", "line", "sheet_line", "file"):
        yield objects.all(kind)


def _inputs(design: Design, requirement: Requirement) -> PathInputs:
    return path_inputs(design, design.path(requirement.subject))


def _follows(objects: Objects, requirement: Requirement) -> Iterable[object]:
    yield from line_parts(objects)
    path = objects.get(requirement.kind, requirement.subject)
    yield path
    for element in path.all_elements:
        for mention in element.refers():
            yield objects.get(mention.kind, mention.id)


def _read(_: Design, requirement: Requirement, result: PathResult) -> Measured:
    return measure_path(result, requirement.measure, requirement.receiver)


JUDGE = Judge({"path": Answer(PATH, _inputs, _follows, _read)})
