"""How requirements of paths are judged: at one receiver, or at the worst of all."""

from __future__ import annotations

from collections.abc import Iterable

from onda.project.kind import Objects
from onda.project.measures import measure as measure_of
from onda.project.model import Design
from onda.project.requirements import Requirement
from onda.studies.core.judge import Answer, Judge
from onda.studies.core.margin import Measured, missing
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import PathInputs
from onda.studies.paths.path import PATH, PathResult

__all__ = ["JUDGE", "line_parts", "measure_path"]


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


def line_parts(objects: Objects) -> Iterable[object]:
    """Parts of a design that the lines and devices of any path are made from."""
    yield objects.stackup
    for kind in ("material", "line", "sheet_line", "file"):
        yield objects.all(kind)


def _inputs(design: Design, requirement: Requirement) -> PathInputs:
    return path_inputs(design, design.path(requirement.subject))


def _follows(objects: Objects, requirement: Requirement) -> Iterable[object]:
    yield from line_parts(objects)
    yield objects.get(requirement.kind, requirement.subject)


def _read(_: Design, requirement: Requirement, result: PathResult) -> Measured:
    return measure_path(result, requirement.measure, requirement.receiver)


JUDGE = Judge({"path": Answer(PATH, _inputs, _follows, _read)})
