"""One road to a margin: what one receiver has not got is worse than any value, in a check, in a
sweep, in the corners and in the window alike."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from onda.demo import fulmar_project
from onda.engine.circuits.receiver_measures import ReceiverMeasures
from onda.project.base import set_value
from onda.project.measure import Measure
from onda.project.measures import measure, measures_of
from onda.project.model import Project
from onda.project.requirement_edits import require
from onda.studies.core.cache import ResultCache
from onda.studies.core.check import check_project
from onda.studies.core.executors import here
from onda.studies.core.margin import State
from onda.studies.core.runner import StudyRunner
from onda.studies.paths import path as receivers
from onda.studies.paths import sweep
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.run import PathRun
from onda.studies.paths.sweep import PATH_SWEEP, SweepInputs, SweepResult, Variant

NET = "trig"


@pytest.fixture
def silent() -> Iterator[None]:
    """The first of several receivers never switches, whatever drives it."""
    real = receivers.measure_receivers

    def measured(run: PathRun) -> list[ReceiverMeasures]:
        first, *others = real(run)
        assert others
        return [replace(first, delay=math.nan), *others]

    with pytest.MonkeyPatch.context() as patch:
        for module in (receivers, sweep):
            patch.setattr(module, "measure_receivers", measured)
        yield


@pytest.fixture(scope="module")
def board() -> Project:
    """What is required of one net with three receivers."""
    return require(set_value(fulmar_project(), requirements=()), NET, "delay", "50 ns")


@pytest.fixture
def runner(tmp_path: Path) -> StudyRunner:
    """Nothing is known from runs that were measured as they are."""
    return StudyRunner(here(), ResultCache(tmp_path / "results"))


def swept(board: Project, runner: StudyRunner) -> SweepResult:
    path = board.design.path(NET)
    inputs = path_inputs(board.design, path, fine=False)
    what = SweepInputs((Variant("now", inputs),), "Rs", (10.0, 30.0))
    return runner.result(PATH_SWEEP, what)


def test_all_receivers_switch_at_first(board: Project, runner: StudyRunner) -> None:
    (margin,) = check_project(board, runner)
    assert margin.state is State.HOLDS
    assert np.isfinite(swept(board, runner).of("delay")).all()


@pytest.mark.usefixtures("silent")
def test_one_that_never_switches_fails_the_check(board: Project, runner: StudyRunner) -> None:
    (margin,) = check_project(board, runner)
    assert math.isnan(margin.value)
    assert margin.state is State.FAILS


@pytest.mark.usefixtures("silent")
def test_one_that_never_switches_fails_every_point_of_a_sweep(
    board: Project, runner: StudyRunner
) -> None:
    result = swept(board, runner)
    assert np.isnan(result.of("delay")).all()
    # What the others have is still there.
    assert np.isfinite(result.of("overshoot")).all()


@pytest.mark.parametrize("key", ["delay", "slew", "overshoot"])
def test_nothing_measured_is_worse_than_anything_measured(key: str) -> None:
    what = measure(key)
    for values in ([math.nan, 1e9, -1e9], [1e9, math.nan, -1e9], [1e9, -1e9, math.nan]):
        assert math.isnan(values[what.worst_of(values)])


@pytest.mark.parametrize("what", measures_of("path"), ids=lambda m: m.key)
def test_the_worst_is_the_one_that_fails_first(what: Measure) -> None:
    """Against the limit of a requirement, tried out: the worst value is the first to pass it."""
    values = [3.0, -1.0, 7.0, 2.0]
    worst = values[what.worst_of(values)]
    assert worst == (min(values) if what.worse == "smaller" else max(values))
