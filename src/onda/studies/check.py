"""Check a whole board: every requirement of every stage."""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import Any

from onda.errors import OndaError
from onda.project.model import Design, Project, Requirement
from onda.studies.eye import EYE
from onda.studies.eye_inputs import EyeInputs, eye_inputs
from onda.studies.impedance import IMPEDANCE, ImpedanceInputs
from onda.studies.line_inputs import line_inputs
from onda.studies.margins import (
    Margin,
    Measured,
    margin_of,
    measure_eye,
    measure_line,
    measure_network,
    measure_path,
)
from onda.studies.network import NETWORK
from onda.studies.network_inputs import NetworkInputs, network_inputs
from onda.studies.path import PATH
from onda.studies.path_inputs import PathInputs, path_inputs
from onda.studies.runner import StudyRunner
from onda.studies.study import Study, key_of

__all__ = ["STUDIES", "Need", "check_project", "margins_from", "need_of", "needs"]

_log = logging.getLogger(__name__)

Inputs = ImpedanceInputs | PathInputs | NetworkInputs | EyeInputs
Need = tuple[str, Inputs]
"""A study, by name, and its inputs."""

STUDIES: dict[str, Study[Any, Any]] = {
    "impedance": IMPEDANCE,
    "path": PATH,
    "network": NETWORK,
    "eye": EYE,
}


def need_of(design: Design, requirement: Requirement) -> Need:
    """The study and inputs that a requirement is judged by."""
    if requirement.stage == "lines":
        line_class = design.line_class(requirement.subject)
        layer = requirement.layer or line_class.on[0].layer
        return "impedance", ImpedanceInputs(line_inputs(design, line_class, layer))
    if requirement.stage == "paths":
        return "path", path_inputs(design, design.path(requirement.subject))
    if requirement.stage == "networks":
        return "network", network_inputs(design, design.network(requirement.subject))
    return "eye", eye_inputs(design, design.link(requirement.subject))


def needs(design: Design, requirements: tuple[Requirement, ...]) -> list[Need]:
    """All that has to be run for some requirements, each once; what cannot be is left out."""
    out: dict[str, Need] = {}
    for requirement in requirements:
        try:
            need = need_of(design, requirement)
        except OndaError:
            continue
        out.setdefault(key_of(*need), need)
    return list(out.values())


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
    result_of: Callable[[Need], object | None],
) -> list[Margin]:
    """Margins of requirements, with results from `result_of`; those without are unknown."""
    out = []
    known: dict[tuple[str, str, str | None], tuple[object | None, str, str]] = {}
    for requirement in requirements:
        about = (requirement.stage, requirement.subject, requirement.layer)
        if about not in known:
            known[about] = _look_up(design, requirement, result_of)
        result, key, problem = known[about]
        measured = None
        if problem:
            measured = Measured(float("nan"), "", problem)
        elif result is not None:
            measured = measured_from(requirement, design, result)
        out.append(margin_of(requirement, measured, key))
    return out


def _look_up(
    design: Design, requirement: Requirement, result_of: Callable[[Need], object | None]
) -> tuple[object | None, str, str]:
    """Result, its key, and what stands in its way."""
    try:
        need = need_of(design, requirement)
        return result_of(need), key_of(*need), ""
    except OndaError as error:
        return None, "", str(error)


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
    todo = needs(project.design, wanted)
    results: dict[str, object] = {}
    for i, need in enumerate(todo):
        if progress is not None:
            progress(i, len(todo), need[0])
        try:
            results[key_of(*need)] = run_need(runner, need)
        except OndaError as error:
            _log.warning("%s failed: %s", need[0], error)
    if progress is not None:
        progress(len(todo), len(todo), "")
    return margins_from(project.design, wanted, lambda n: results.get(key_of(*n)))
