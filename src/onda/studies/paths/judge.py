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
from onda.studies.core.margin import Margin, Measured, margin_of, missing
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import PathInputs
from onda.studies.paths.path import PATH, PathResult, ReceiverResult

__all__ = ["JUDGE", "line_parts", "margins_at", "measure_at", "measure_path", "worst_of_path"]

_READ = frozenset(f.name for f in fields(ReceiverMeasures))


def measure_path(result: PathResult, requirement: Requirement) -> Measured:
    """Read a requirement's measure off a path: of its receiver, or of the one that is nearest to a
    limit, at the edge that is."""
    chosen = [r for r in result.receivers if requirement.receiver in (None, r.id)]
    if not chosen:
        return missing(f"there is no receiver {requirement.receiver}")
    values = (m for r in chosen for m in measure_at(result, requirement.measure, r))
    return min(values, key=lambda measured: margin_of(requirement, measured).normalised)


def measure_at(result: PathResult, measure: str, receiver: ReceiverResult) -> tuple[Measured, ...]:
    """Read a measure off one receiver: at its worst edge, and at the one at the other end."""
    found = receiver.measures
    where = f"at {receiver.name}"
    if measure == "overshoot":
        where += f", {found.overshoot_time * 1e9:.2f} ns"
    how = f"{measure_of(measure).how}, worst of {found.edges} edges"
    return tuple(
        Measured(value, where, how, doubts=result.doubts) for value in found.both_ends(measure)
    )


def margins_at(result: PathResult, requirements: Iterable[Requirement]) -> list[tuple[str, Margin]]:
    """Receiver and margin: of each requirement at each receiver that it is about, at both ends."""
    return [
        (r.id, margin_of(one, measured))
        for one in requirements
        if one.measure in _READ
        for r in result.receivers
        if one.receiver in (None, r.id)
        for measured in measure_at(result, one.measure, r)
    ]


def worst_of_path(
    result: PathResult, requirements: Iterable[Requirement]
) -> tuple[str, str] | None:
    """Receiver and measure that fail most, or hold least; None where nothing of a receiver is
    required."""
    found = [(m.normalised, at, m.measure) for at, m in margins_at(result, requirements)]
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
    return measure_path(result, requirement)


JUDGE = Judge({"path": Answer(PATH, _inputs, _follows, _read)})
