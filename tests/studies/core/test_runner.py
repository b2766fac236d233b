"""The runner: nothing runs twice, cases run by themselves, lost workers cost their case only."""

from __future__ import annotations

import threading
import time
from concurrent.futures import CancelledError
from contextlib import closing
from pathlib import Path

import pytest

from onda.errors import Cancelled, InputError, NotPhysical
from onda.studies.core.cache import ResultCache
from onda.studies.core.executors import Place, here, processes, threads
from onda.studies.core.judge import Need
from onda.studies.core.keys import fingerprint, key_of
from onda.studies.core.runner import StudyRunner
from onda.studies.core.study import Case, Control, Study, compute
from tests.studies.core.cases import SQUARE, SUM, SUM_DYING, Batch, Marked, Number, marks


def counting() -> tuple[Study[float, Number], list[float]]:
    runs: list[float] = []

    def run(inputs: float, control: Control) -> Number:
        runs.append(inputs)
        control.progress(0.5)
        return Number(inputs)

    return Study("counting", run, Number), runs


def test_what_has_not_changed_is_not_run_again(tmp_path: Path) -> None:
    study, runs = counting()
    runner = StudyRunner(here(), ResultCache(tmp_path))
    assert runner.cached(study, 1.0) is None
    for _ in range(3):
        assert runner.result(study, 1.0).value == 1.0
    assert runner.submit(study, 1.0).future.result().value == 1.0
    assert runs == [1.0]
    fresh = StudyRunner(here(), ResultCache(tmp_path))
    assert fresh.result(study, 1.0).value == 1.0
    assert runs == [1.0]
    assert runner.result(study, 2.0).value == 2.0
    assert runs == [1.0, 2.0]


def test_progress_is_told() -> None:
    study, _ = counting()
    told: list[float] = []
    StudyRunner(here(), ResultCache()).submit(study, 7.0, progress=told.append)
    assert told == [0.0, 0.5]


def test_cancel_stops_at_the_next_progress(tmp_path: Path) -> None:
    started, go_on = threading.Event(), threading.Event()

    def run(inputs: float, control: Control) -> Number:
        started.set()
        go_on.wait(5)
        control.progress(0.5)
        raise AssertionError("went on after cancel")

    study = Study("slow", run, Number)
    with closing(StudyRunner(threads(1), ResultCache(tmp_path))) as runner:
        job = runner.submit(study, 1.0)
        assert started.wait(5)
        job.cancel()
        go_on.set()
        with pytest.raises((Cancelled, CancelledError)):
            job.future.result(5)
    assert list(tmp_path.iterdir()) == []


def test_errors_reach_the_future(tmp_path: Path) -> None:
    def run(inputs: float, control: Control) -> Number:
        raise NotPhysical("x", inputs, "other")

    runner = StudyRunner(here(), ResultCache(tmp_path))
    with pytest.raises(NotPhysical, match="must be other"):
        runner.submit(Study("bad", run, Number), 1.0).future.result()


# -- cases


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    made = tmp_path / "marks"
    made.mkdir()
    return made


@pytest.mark.parametrize("place", [here(), threads(3)], ids=["here", "threads"])
def test_cases_are_run_gathered_and_kept(place: Place, folder: Path, tmp_path: Path) -> None:
    with closing(StudyRunner(place, ResultCache(tmp_path / "cache"))) as runner:
        first = runner.submit(SUM, Batch((1.0, 2.0, 3.0), str(folder))).future.result(20)
        assert (first.value, first.parts) == (14.0, (1.0, 4.0, 9.0))
        more = runner.submit(SUM, Batch((1.0, 2.0, 4.0), str(folder))).future.result(20)
        assert more.parts == (1.0, 4.0, 16.0)
    # Only the case that was not known ran.
    assert marks(folder) == {1.0: 1, 2.0: 1, 3.0: 1, 4.0: 1}


def test_a_study_of_no_cases_is_gathered_from_nothing(folder: Path, tmp_path: Path) -> None:
    runner = StudyRunner(here(), ResultCache(tmp_path / "cache"))
    assert runner.result(SUM, Batch((), str(folder))).parts == ()


def test_progress_of_cases_is_the_share_that_is_done(folder: Path, tmp_path: Path) -> None:
    told: list[float] = []
    runner = StudyRunner(here(), ResultCache(tmp_path / "cache"))
    runner.submit(SUM, Batch((1.0, 2.0), str(folder)), progress=told.append).future.result(5)
    assert told == [0.5, 1.0]


def test_one_case_that_fails_fails_the_whole_and_keeps_the_others(
    folder: Path, tmp_path: Path
) -> None:
    runner = StudyRunner(here(), ResultCache(tmp_path / "cache"))
    job = runner.submit(SUM, Batch((2.0, 13.0, 5.0), str(folder)))
    with pytest.raises(NotPhysical, match="must be lucky"):
        job.future.result(5)
    key = key_of(SUM.name, Batch((2.0, 13.0, 5.0), str(folder)))
    assert not (tmp_path / "cache" / f"{key}.npz").exists()
    assert runner.cached(SQUARE, Marked(2.0, str(folder))) == Number(4.0)


def test_a_cancelled_batch_leaves_no_half_result(folder: Path, tmp_path: Path) -> None:
    gate = threading.Event()
    with closing(StudyRunner(threads(1), ResultCache(tmp_path / "cache"))) as runner:
        blocked = runner.executor.submit(gate.wait, 5)
        job = runner.submit(SUM, Batch((1.0, 2.0), str(folder)))
        job.cancel()
        gate.set()
        blocked.result(5)
        with pytest.raises((Cancelled, CancelledError)):
            job.future.result(5)
        assert runner.cached(SUM, Batch((1.0, 2.0), str(folder))) is None


def test_here_and_now_gives_the_same_without_keeping(folder: Path) -> None:
    assert compute(SUM, Batch((3.0, 4.0), str(folder)), Control()).value == 25.0


# -- a quick answer first


def test_a_quick_answer_stands_until_the_wanted_one_is_there(tmp_path: Path) -> None:
    study, runs = counting()
    seen: list[object] = []
    runner = StudyRunner(here(), ResultCache(tmp_path))
    job = runner.submit(study, 2.0, first=1.0, partial=seen.append)
    assert seen == [Number(1.0)]
    assert job.future.result() == Number(2.0)
    assert runs == [1.0, 2.0]
    # What is known needs no quick answer.
    runner.submit(study, 2.0, first=1.0, partial=seen.append)
    assert len(seen) == 1


def test_partial_results_are_handed_on_and_never_kept(tmp_path: Path) -> None:
    def grow(inputs: float, control: Control) -> Number:
        for share in (0.25, 0.5):
            control.partial(Number(share))
        return Number(inputs)

    study = Study("grow", grow, Number)
    seen: list[object] = []
    runner = StudyRunner(here(), ResultCache(tmp_path))
    assert runner.submit(study, 9.0, partial=seen.append).future.result() == Number(9.0)
    assert seen == [Number(0.25), Number(0.5)]
    assert runner.cached(study, 9.0) == Number(9.0)


# -- many, and elsewhere


def needs(values: tuple[float, ...], folder: Path) -> list[Need]:
    every = [Marked(v, str(folder)) for v in values]
    return [Need(SQUARE, m, key_of(SQUARE.name, m)) for m in every]


def test_all_of_many_come_with_their_errors(folder: Path, tmp_path: Path) -> None:
    with closing(StudyRunner(threads(2), ResultCache(tmp_path / "cache"))) as runner:
        wanted = needs((2.0, 13.0, 3.0), folder)
        found = dict(runner.all_of(wanted))
    assert found[wanted[0].key] == Number(4.0)
    assert found[wanted[2].key] == Number(9.0)
    assert isinstance(found[wanted[1].key], NotPhysical)


def test_processes_give_the_same_and_their_errors_come_back_whole(
    folder: Path, tmp_path: Path
) -> None:
    with closing(StudyRunner(processes(2), ResultCache(tmp_path / "cache"))) as runner:
        wanted = needs((2.0, 13.0), folder)
        found = dict(runner.all_of(wanted))
        error = found[wanted[1].key]
        assert isinstance(error, NotPhysical)
        assert (error.quantity, error.value, error.allowed) == ("value", 13.0, "lucky")
        assert found[wanted[0].key] == Number(4.0)
        batch = Batch((1.0, 2.0), str(folder))
        assert runner.submit(SUM, batch).future.result(60).parts == (1.0, 4.0)
    # 2 was known from before.
    assert marks(folder) == {1.0: 1, 2.0: 1, 13.0: 1}
    assert StudyRunner(here(), ResultCache(tmp_path / "cache")).cached(SUM, batch) is not None


def test_a_lost_process_costs_its_case_only(folder: Path, tmp_path: Path) -> None:
    with closing(StudyRunner(processes(1), ResultCache(tmp_path / "cache"))) as runner:
        batch = Batch((1.0, 2.0, 3.0, 4.0), str(folder))
        assert runner.submit(SUM_DYING, batch).future.result(120).value == 30.0
    ran = marks(folder)
    assert ran[3.0] == 2
    assert ran[1.0] == ran[2.0] == 1


@pytest.mark.parametrize("count", [0, -1, 1000])
def test_a_count_of_processes_that_cannot_be(count: int) -> None:
    with pytest.raises(InputError, match="1 to 256"):
        processes(count)


def test_evidence_says_what_a_result_rests_on(tmp_path: Path) -> None:
    study, _ = counting()
    runner = StudyRunner(here(), ResultCache(tmp_path))
    runner.result(study, 3.0)
    key = key_of(study.name, 3.0)
    found = runner.evidence_of(key)
    assert found is not None
    assert (found.key, found.study, found.sources) == (key, "counting", fingerprint())


def test_a_runner_that_is_closed_opens_no_workers_any_more(tmp_path: Path) -> None:
    """A study that is being split while its window closes goes on submitting cases."""
    splitting, closed = threading.Event(), threading.Event()
    runs: list[float] = []

    def one(x: float, _: Control) -> Number:
        runs.append(x)
        return Number(x)

    part = Study("part_of_closed", one, Number)

    def split(count: int) -> list[Case]:
        splitting.set()
        assert closed.wait(20.0)
        return [Case(part, float(k)) for k in range(count)]

    whole = Study(
        "closed", lambda *_: Number(0.0), Number, split=split,
        gather=lambda _, found: Number(sum(r.value for r in found)),
    )  # fmt: skip
    runner = StudyRunner(threads(2), ResultCache(tmp_path))
    job = runner.submit(whole, 50)
    assert splitting.wait(20.0)
    ending = threading.Thread(target=runner.close)
    ending.start()
    while not runner._closed:
        time.sleep(0.001)
    closed.set()
    ending.join(20.0)
    assert not ending.is_alive()
    with pytest.raises(Cancelled):
        job.future.result(20.0)
    assert runs == []
    assert [t for t in threading.enumerate() if t.name.startswith("onda")] == []
    with pytest.raises(Cancelled):
        runner.submit(part, 1.0)


def test_a_study_that_is_cancelled_while_it_is_split_submits_nothing_more(tmp_path: Path) -> None:
    part = Study("part_of_cancelled", lambda x, _: Number(x), Number)
    seen: list[float] = []

    def split(count: int) -> list[Case]:
        return [Case(part, float(k)) for k in range(count)]

    whole = Study(
        "cancelled", lambda *_: Number(0.0), Number, split=split,
        gather=lambda _, found: Number(float(len(found))),
    )  # fmt: skip
    runner = StudyRunner(threads(1), ResultCache(tmp_path))
    real = runner._run

    def watched(study, inputs, key, control, first=None):
        seen.append(inputs)
        return real(study, inputs, key, control, first)

    runner._run = watched  # type: ignore[method-assign]
    job = runner.submit(whole, 20_000)
    job.cancel()
    with pytest.raises((Cancelled, CancelledError)):
        job.future.result(20.0)
    runner.close()
    assert len(seen) < 20_000
