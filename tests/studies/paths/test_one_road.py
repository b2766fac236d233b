"""One road to a margin: what one receiver has not got is worse than any value, in a check, in a
sweep, in the corners and in the window alike."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.demo import fulmar_project
from onda.project.base import set_value
from onda.project.edits import replace_object
from onda.project.measures import measure, measures_of
from onda.project.model import Project
from onda.project.paths.ends import Termination
from onda.project.paths.path import Path
from onda.project.quantities import parse_quantity
from onda.project.requirement_edits import require
from onda.studies.core.cache import ResultCache
from onda.studies.core.check import check_project
from onda.studies.core.executors import here
from onda.studies.core.margin import State
from onda.studies.core.runner import StudyRunner
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.judge import measure_path
from onda.studies.paths.path import PATH
from onda.studies.paths.sweep import PATH_SWEEP, SweepInputs, Variant

CLOCK = "clk-adc"


@pytest.fixture(scope="module")
def silent() -> Project:
    """Fulmar with a clock whose load is all but shorted: its receiver never sees half the swing."""
    fulmar = fulmar_project()
    path = fulmar.design.path(CLOCK)
    short = Termination(
        kind="parallel", r=parse_quantity("0.5 ohm", "resistance"), rail=path.driver.low
    )
    project = replace_object(fulmar, set_value(path, termination=short))
    return require(set_value(project, requirements=()), CLOCK, "delay", "5 ns")


@pytest.fixture(scope="module")
def runner(shared_cache: ResultCache) -> StudyRunner:
    return StudyRunner(here(), shared_cache)


def resistor_of(path: Path) -> str:
    return next(e.id for e in path.elements if e.kind == "resistor")


def test_a_receiver_that_never_switches_fails_the_check(
    silent: Project, runner: StudyRunner
) -> None:
    (margin,) = check_project(silent, runner)
    assert math.isnan(margin.value)
    assert margin.state is State.FAILS


def test_it_has_no_value_in_a_sweep_either(silent: Project, runner: StudyRunner) -> None:
    path = silent.design.path(CLOCK)
    inputs = path_inputs(silent.design, path)
    swept = runner.result(
        PATH_SWEEP, SweepInputs((Variant("now", inputs),), resistor_of(path), (10.0, 30.0))
    )
    assert np.isnan(swept.of("delay")).all()
    alone = runner.result(PATH, inputs)
    assert math.isnan(measure_path(alone, "delay").value)


@pytest.mark.parametrize("key", ["delay", "slew", "overshoot"])
def test_nothing_measured_is_worse_than_anything_measured(key: str) -> None:
    what = measure(key)
    for values in ([math.nan, 1e9, -1e9], [1e9, math.nan, -1e9], [1e9, -1e9, math.nan]):
        assert math.isnan(values[what.worst_of(values)])


@pytest.mark.parametrize("what", measures_of("path"), ids=lambda m: m.key)
def test_the_worst_is_the_one_that_fails_first(what: object) -> None:
    """Against the limit of a requirement, tried out: the worst value is the first to pass it."""
    values = [3.0, -1.0, 7.0, 2.0]
    worst = values[what.worst_of(values)]  # type: ignore[attr-defined]
    assert worst == (min(values) if what.worse == "smaller" else max(values))  # type: ignore[attr-defined]
