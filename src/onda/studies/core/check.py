"""Check a whole board: every requirement of every stage."""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import Any

from onda.errors import OndaError
from onda.project.model import Design, Project, Requirement
from onda.studies.core.margin import (
    Margin,
    Measured,
    margin_of,
    measure_eye,
    measure_line,
    measure_network,
    measure_path,
)
from onda.studies.core.needs import Need, NeedBook
from onda.studies.core.runner import StudyRunner
from onda.studies.core.study import Study
from onda.studies.lines.impedance import IMPEDANCE
from onda.studies.links.eye import EYE
from onda.studies.networks.network import NETWORK
from onda.studies.paths.path import PATH

__all__ = ["STUDIES", "check_project", "margins_from"]

_log = logging.getLogger(__name__)

STUDIES: dict[str, Study[Any, Any]] = {
    "impedance": IMPEDANCE,
    "path": PATH,
    "network": NETWORK,
    "eye": EYE,
}


def run_need(runner: StudyRunner, need: Need) -> object:
    """Result of a need, from the cache or computed now."""
    name, inputs = need
    return runner.result(STUDIES[name], inputs)


def measured_from(requirement: Requirement, design: Design, result: object) -> Measured:
    """Read a requirement's measure off its study's result."""
    if requirement.stage == "lines":
        layer = requirement.layer or design.line_class(requirement.subject).on[0].layer
        return measure_line(result, layer, requirement.measure)  # type: ignore[arg-type]
    if requirement.stage == "paths":
        return measure_path(result, requirement.measure, requirement.receiver)  # type: ignore[arg-type]
    if requirement.stage == "networks":
        return measure_network(result, requirement)  # type: ignore[arg-type]
    return measure_eye(result, requirement.measure)  # type: ignore[arg-type]


def margins_from(
    design: Design,
    requirements: tuple[Requirement, ...],
    result_of: Callable[[str], object | None],
    book: NeedBook | None = None,
) -> list[Margin]:
    """Margins of requirements; those whose result `result_of` does not know by key are unknown.

    `book` remembers what each requirement is judged by, from one call to the next.
    """
    book = book or NeedBook()
    out = []
    for requirement in requirements:
        found = book.look(design, requirement)
        measured = None
        if found.problem:
            measured = Measured(float("nan"), "", found.problem)
        else:
            result = result_of(found.key)
            if result is not None:
                measured = measured_from(requirement, design, result)
        out.append(margin_of(requirement, measured, found.key))
    return out


def check_project(
    project: Project,
    runner: StudyRunner,
    *,
    only: str | None = None,
    progress: Callable[[int, int, str], None] | None = None,
) -> list[Margin]:
    """Run whatever is not known yet and hold everything against its requirement.

    Parameters
    ----------
    only : a stage name, to leave the others out
    progress : told (done, of, what)
    """
    wanted = tuple(r for r in project.requirements if only in (None, r.stage))
    book = NeedBook()
    todo = book.all_of(project.design, wanted)
    results: dict[str, object] = {}
    for i, (key, need) in enumerate(todo.items()):
        if progress is not None:
            progress(i, len(todo), need[0])
        try:
            results[key] = run_need(runner, need)
        except OndaError as error:
            _log.warning("%s failed: %s", need[0], error)
    if progress is not None:
        progress(len(todo), len(todo), "")
    return margins_from(project.design, wanted, results.get, book)
