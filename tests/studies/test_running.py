"""Cache, runner, margins and the check of a whole board."""

from __future__ import annotations

import math
import threading
from concurrent.futures import CancelledError, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from onda.errors import Cancelled, InputError, NotPhysical
from onda.project.base import set_value
from onda.project.edits import replace_object
from onda.project.model import Project
from onda.project.quantities import parse_quantity
from onda.studies.core.cache import ResultCache, decode, encode
from onda.studies.core.check import check_project
from onda.studies.core.executors import ImmediateExecutor
from onda.studies.core.judge import NeedBook, margins_from
from onda.studies.core.margin import MEASURE_TITLES, Measured, State, limits_text, margin_of, worst
from onda.studies.core.runner import StudyRunner
from onda.studies.core.study import Control, Study
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.path import PATH


@dataclass(frozen=True, slots=True)
class Inner:
    name: str
    values: NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Outer:
    inner: tuple[Inner, ...]
    number: float
    nothing: None
    flag: bool


SAMPLE = Outer((Inner("a", np.arange(3.0)), Inner("b", np.zeros((2, 0)))), 1.5, None, True)


def same(a: Outer, b: Outer) -> bool:
    return (
        (a.number, a.nothing, a.flag) == (b.number, b.nothing, b.flag)
        and len(a.inner) == len(b.inner)
        and all(
            x.name == y.name and x.values.shape == y.values.shape and (x.values == y.values).all()
            for x, y in zip(a.inner, b.inner, strict=True)
        )
    )


def test_results_survive_the_disk() -> None:
    assert same(decode(encode(SAMPLE), (Outer, Inner)), SAMPLE)


def test_only_known_classes_are_made() -> None:
    with pytest.raises(InputError, match="cannot be read"):
        decode(encode(SAMPLE), (Outer,))
    with pytest.raises(TypeError, match="cannot be part of a result"):
        encode(object())


@given(st.binary(max_size=400))
def test_any_bytes_are_read_or_refused(data: bytes) -> None:
    with pytest.raises(InputError):
        decode(data, (Outer, Inner))


@given(at=st.integers(0, 700), byte=st.integers(0, 255))
def test_a_flipped_byte_never_passes_unseen_as_another_class(at: int, byte: int) -> None:
    data = bytearray(encode(SAMPLE))
    data[at % len(data)] = byte
    try:
        assert isinstance(decode(bytes(data), (Outer, Inner)), Outer)
    except InputError:
        return


def test_cache_finds_again_in_memory_and_on_disk(tmp_path: Path) -> None:
    cache = ResultCache(tmp_path)
    assert cache.get("k", (Outer, Inner)) is None
    cache.put("k", SAMPLE)
    assert cache.get("k", (Outer, Inner)) is SAMPLE
    again = ResultCache(tmp_path).get("k", (Outer, Inner))
    assert isinstance(again, Outer)
    assert same(again, SAMPLE)


def test_broken_cache_file_is_as_good_as_none(tmp_path: Path) -> None:
    (tmp_path / "k.npz").write_bytes(b"rubbish")
    assert ResultCache(tmp_path).get("k", (Outer, Inner)) is None


def test_memory_is_bounded_and_the_folder_is_trimmed(tmp_path: Path) -> None:
    cache = ResultCache(tmp_path, in_memory=2, on_disk_bytes=1)
    for k in "abc":
        cache.put(k, SAMPLE)
    assert cache.get_from_memory("a") is None
    assert cache.get_from_memory("c") is SAMPLE
    cache.trim()
    assert list(tmp_path.glob("*.npz")) == []


def test_cache_that_cannot_write_still_works(tmp_path: Path) -> None:
    blocked = tmp_path / "file"
    blocked.write_text("in the way")
    cache = ResultCache(blocked / "sub")
    cache.put("k", SAMPLE)
    assert cache.get("k", (Outer, Inner)) is SAMPLE
    cache.trim()


def counting() -> tuple[Study[float, Outer], list[float]]:
    runs: list[float] = []

    def run(inputs: float, control: Control) -> Outer:
        runs.append(inputs)
        control.progress(0.5)
        return Outer((), inputs, None, False)

    return Study("counting", run, (Outer, Inner)), runs


def test_what_has_not_changed_is_not_run_again(tmp_path: Path) -> None:
    study, runs = counting()
    runner = StudyRunner(ImmediateExecutor(), ResultCache(tmp_path))
    assert runner.cached(study, 1.0) is None
    for _ in range(3):
        assert runner.result(study, 1.0).number == 1.0
    assert runner.submit(study, 1.0).future.result().number == 1.0
    assert runs == [1.0]
    fresh = StudyRunner(ImmediateExecutor(), ResultCache(tmp_path))
    assert fresh.result(study, 1.0).number == 1.0
    assert runs == [1.0]
    assert runner.result(study, 2.0).number == 2.0
    assert runs == [1.0, 2.0]


def test_progress_is_told() -> None:
    study, _ = counting()
    told: list[float] = []
    StudyRunner(ImmediateExecutor(), ResultCache()).submit(study, 7.0, progress=told.append)
    assert told == [0.0, 0.5]


def test_cancel_stops_at_the_next_progress(tmp_path: Path) -> None:
    started, go_on = threading.Event(), threading.Event()

    def run(inputs: float, control: Control) -> Outer:
        started.set()
        go_on.wait(5)
        control.progress(0.5)
        raise AssertionError("went on after cancel")

    study = Study("slow", run, (Outer,))
    with ThreadPoolExecutor(1, thread_name_prefix="onda-test") as pool:
        job = StudyRunner(pool, ResultCache(tmp_path)).submit(study, 1.0)
        assert started.wait(5)
        job.cancel()
        go_on.set()
        with pytest.raises((Cancelled, CancelledError)):
            job.future.result(5)


def test_errors_reach_the_future(tmp_path: Path) -> None:
    def run(inputs: float, control: Control) -> Outer:
        raise NotPhysical("x", inputs, "other")

    runner = StudyRunner(ImmediateExecutor(), ResultCache(tmp_path))
    with pytest.raises(NotPhysical, match="must be other"):
        runner.submit(Study("bad", run, (Outer,)), 1.0).future.result()


# -- margins -----------------------------------------------------


def requirement(project: Project, measure: str):
    return next(r for r in project.requirements if r.measure == measure)


@pytest.mark.parametrize(
    ("measure", "value", "state", "margin"),
    [
        ("overshoot", 0.1, State.HOLDS, 0.2),
        ("overshoot", 0.28, State.TIGHT, 0.02),
        ("overshoot", 0.55, State.FAILS, -0.25),
        ("overshoot", 0.3, State.TIGHT, 0.0),
        ("impedance", 100.0, State.HOLDS, 7.0),
        ("impedance", 106.8, State.TIGHT, 0.2),
        ("impedance", 92.0, State.FAILS, -1.0),
        ("impedance", 110.0, State.FAILS, -3.0),
        ("eye_width", 0.9, State.HOLDS, 0.3),
        ("eye_width", 0.5, State.FAILS, -0.1),
    ],
)
def test_states(project, measure, value, state, margin) -> None:
    m = margin_of(requirement(project, measure), Measured(value, "here", "so"))
    assert m.state is state
    assert m.margin == pytest.approx(margin, abs=1e-12)
    assert (m.normalised >= 0) == (state is not State.FAILS)


def test_no_result_is_unknown_and_no_number_fails(project: Project) -> None:
    r = requirement(project, "settling")
    assert margin_of(r, None).state is State.UNKNOWN
    never = margin_of(r, Measured(math.nan, "load", "never settles"))
    assert never.state is State.FAILS
    assert never.how == "never settles"


def test_limits_and_sentences(project: Project) -> None:
    m = margin_of(requirement(project, "overshoot"), Measured(0.55, "", ""))
    assert limits_text(m) == "≤ 0.300 V"
    assert m.sentence == "Overshoot 0.550 V, ≤ 0.300 V: fails"
    z = margin_of(requirement(project, "impedance"), Measured(99.6, "", ""))
    assert limits_text(z) == "93.0 – 107 Ω"
    assert z.value_text == "99.6 Ω"
    assert z.title == "Impedance L1"
    w = margin_of(requirement(project, "eye_width"), Measured(0.9, "", ""))
    assert limits_text(w) == "≥ 0.600 UI"


def test_worst_of_many(project: Project) -> None:
    r = requirement(project, "overshoot")
    held = [margin_of(r, Measured(v, "", "")) for v in (0.1, 0.29)]
    assert worst(held) is State.TIGHT
    assert worst([*held, margin_of(r, Measured(1.0, "", ""))]) is State.FAILS
    assert worst([]) is State.UNKNOWN


def test_every_measure_has_a_title(project: Project) -> None:
    for r in project.requirements:
        assert MEASURE_TITLES[r.measure]


def test_check_finds_the_seeded_faults_and_nothing_else(
    project: Project, runner: StudyRunner
) -> None:
    told: list[tuple[int, int]] = []
    margins = check_project(project, runner, progress=lambda done, of, _: told.append((done, of)))
    assert len(margins) == len(project.requirements)
    failing = [m for m in margins if m.state is State.FAILS]
    assert {(m.subject, m.title) for m in failing} == {
        ("clk-adc", "Overshoot"),
        ("clk-two", "Overshoot"),
        ("clk-two", "Settling"),
        ("trig", "Ring-back"),
        ("trig", "Step back"),
        ("trig", "Last crossing"),
        ("spi-clk", "Overshoot"),
        ("board-uplinks", "Highest impedance"),
        ("hub-card", "Passivity"),
        ("sensor-cable", "Through"),
    }
    assert all(m.state is not State.UNKNOWN for m in margins)
    assert all(m.evidence for m in margins)
    assert (
        told[-1][0] == told[-1][1] == len(NeedBook().all_of(project.design, project.requirements))
    )


def test_check_of_one_stage(project: Project, runner: StudyRunner) -> None:
    margins = check_project(project, runner, only="lines")
    assert {m.stage for m in margins} == {"lines"}


def test_what_cannot_be_computed_fails_with_the_reason(
    project: Project, runner: StudyRunner
) -> None:
    layers = tuple(
        set_value(x, role="signal") if x.id in ("L2", "L4", "L5", "L7") else x
        for x in project.design.stackup.layers
    )
    design = set_value(project.design, stackup=set_value(project.design.stackup, layers=layers))
    bare = set_value(project, design=design)
    margins = check_project(bare, runner, only="lines")
    assert all(m.state is State.FAILS for m in margins)
    assert "no plane above or below" in margins[0].how


def test_margins_without_results_are_unknown(project: Project) -> None:
    margins = margins_from(project.design, project.requirements, lambda key: None)
    assert {m.state for m in margins} == {State.UNKNOWN}


def test_a_path_result_survives_the_disk(project: Project, tmp_path: Path) -> None:
    inputs = path_inputs(project.design, project.design.path("clk-adc"), fine=False)
    first = StudyRunner(ImmediateExecutor(), ResultCache(tmp_path)).result(PATH, inputs)
    second = StudyRunner(ImmediateExecutor(), ResultCache(tmp_path)).cached(PATH, inputs)
    assert second is not None
    assert second is not first
    assert (second.volts == first.volts).all()
    assert second.spans == first.spans
    assert second.measures == first.measures


def test_needs_are_remembered_until_what_they_follow_from_changes(project: Project) -> None:
    book = NeedBook()
    first = book.all_of(project.design, project.requirements)
    requirement = next(r for r in project.requirements if r.subject == "clk-ref")
    other = next(r for r in project.requirements if r.subject == "clk-adc")
    before = book.look(project.design, requirement)
    clock = project.design.path("clk-adc")
    driver = set_value(clock.driver, resistance=parse_quantity("25 ohm", "resistance"))
    changed = replace_object(project, set_value(clock, driver=driver))
    # The edit shares everything else, so that the very same need comes back.
    assert book.look(changed.design, requirement) is before
    assert book.look(changed.design, other).key not in first
    assert book.look(project.design, other).key in first
    gone = set_value(requirement, subject="clk-adc", id="x")
    assert book.look(project.design, gone).problem == ""
