"""Document and job desk, without a window."""

from __future__ import annotations

import threading
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pytestqt.qtbot import QtBot

from onda.app.document import Document
from onda.app.jobs import JobDesk
from onda.demo import fulmar_project
from onda.errors import NotPhysical
from onda.project.base import set_value
from onda.project.edits import add_copy, keep_state, rename_object
from onda.project.kind import Ref
from onda.project.model import Project
from onda.project.recovery import kept_work
from onda.studies.core.cache import ResultCache
from onda.studies.core.executors import threads
from onda.studies.core.runner import StudyRunner
from onda.studies.core.study import Control, Study


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    steps=st.lists(
        st.tuples(st.sampled_from("abcug"), st.text("xyz", min_size=1, max_size=3)), max_size=12
    )
)
def test_do_undo_redo_come_out_equal(qtbot: QtBot, steps: list[tuple[str, str]]) -> None:
    """Whatever is done, undoing all gives the first tree and redoing all the last."""
    start = fulmar_project()
    document = Document(start)
    for kind, word in steps:
        p = document.project
        if kind == "a":
            document.edit("keep", keep_state(p, word)) if len(p.kept) < 20 else None
        elif kind == "b":
            document.edit("rename", rename_object(p, Ref("path", "clk-adc"), word))
        elif kind == "c":
            document.edit("copy", add_copy(p, Ref("path", "clk-adc"))[0])
        elif kind == "u":
            document.undo()
        else:
            with document.gesture():
                for k in range(3):
                    document.edit(
                        "drag",
                        rename_object(document.project, Ref("path", "clk-ref"), f"{word}{k}"),
                    )
    last = document.project
    count = document.stack.index()
    for _ in range(count):
        document.undo()
    assert document.project == start
    for _ in range(count):
        document.redo()
    assert document.project == last
    document.close()


def test_one_gesture_is_one_step_and_settles_once(qtbot: QtBot, project: Project) -> None:
    document = Document(project)
    settled: list[int] = []
    changed: list[int] = []
    document.settled.connect(lambda: settled.append(1))
    document.changed.connect(lambda: changed.append(1))
    with document.gesture():
        for name in "abc":
            document.edit("rename", rename_object(document.project, Ref("path", "clk-adc"), name))
    assert (len(changed), len(settled), document.stack.count()) == (3, 1, 1)
    document.edit("same", document.project)
    assert document.stack.count() == 1
    with document.gesture():
        document.edit("rename", rename_object(document.project, Ref("path", "clk-adc"), "d"))
    assert document.stack.count() == 2
    document.close()


def test_undo_in_a_gesture_ends_it(qtbot: QtBot, project: Project) -> None:
    document = Document(project)
    settled: list[int] = []
    document.settled.connect(lambda: settled.append(1))
    for act in (document.undo, document.redo):
        document.begin_gesture()
        named = rename_object(document.project, Ref("path", "clk-adc"), act.__name__)
        document.edit("rename", named)
        count = len(settled)
        act()
        assert not document.in_gesture
        assert len(settled) >= count + 1
        # What comes after it is a step of its own.
        document.edit("rename", rename_object(document.project, Ref("path", "clk-adc"), "after"))
        assert document.project.design.path("clk-adc").name == "after"
        document.undo()
        assert document.project.design.path("clk-adc").name != "after"
    document.close()


def test_saved_means_the_file_holds_this_tree(
    qtbot: QtBot, project: Project, tmp_path: Path
) -> None:
    document = Document(project, tmp_path / "a.onda")
    assert document.is_saved
    document.edit("rename", set_value(project, name="B"))
    assert not document.is_saved
    document.save()
    assert document.is_saved
    document.undo()
    assert not document.is_saved
    document.redo()
    assert document.is_saved
    document.close()
    assert not Document(project).is_saved


def test_work_that_is_taken_up_again_is_work_that_no_file_holds(
    qtbot: QtBot, tmp_path: Path, project: Project
) -> None:
    first = Document(project)
    first.edit("rename", rename_object(project, Ref("path", "trig"), "T"))
    assert first.autosave_now(closed=True) is not None
    first.close()
    (kept,) = kept_work()
    second = Document(fulmar_project())
    assert not second.is_touched
    second.resume(kept)
    # Nothing was done to it here, and yet nobody else has it.
    assert second.project.design.path("trig").name == "T"
    assert not second.stack.canUndo()
    assert second.is_touched
    second.save(tmp_path / "board.onda")
    assert not second.is_touched
    second.close()


class Desk:
    """A desk with one worker and a study whose runs wait until they are let go."""

    def __init__(self, folder: Path) -> None:
        self.desk = JobDesk(StudyRunner(threads(1), ResultCache(folder)))
        self.gate = threading.Event()
        self.runs: list[float] = []
        self.results: list[float] = []
        self.errors: list[str] = []

        def run(inputs: float, control: Control) -> float:
            self.runs.append(inputs)
            while not self.gate.wait(0.01):
                control.progress(0.3)
            control.progress(0.9)
            if inputs < 0:
                raise NotPhysical("value", inputs, "above 0")
            if inputs == 0:
                raise ZeroDivisionError
            return 2 * inputs

        self.study: Study[float, float] = Study("doubling", run, float, keep_on_disk=False)

    def ask(self, value: float, *, urgent: bool = False) -> None:
        self.desk.request(
            "slot", self.study, value, self.results.append, self.errors.append, urgent=urgent
        )


@pytest.fixture
def desk(qtbot: QtBot, tmp_path: Path):
    made = Desk(tmp_path)
    yield made
    made.gate.set()
    made.desk.close()


def test_a_part_of_a_run_that_was_replaced_is_not_shown(desk: Desk, qtbot: QtBot) -> None:
    desk.ask(1.0)
    _, _, first = desk.desk._running["slot"]
    desk.ask(2.0)
    desk.gate.set()
    qtbot.waitUntil(lambda: desk.desk.is_idle, timeout=20_000)
    desk.gate.clear()
    desk.ask(3.0)
    _, _, present = desk.desk._running["slot"]
    desk.results.clear()
    desk.desk._deliver_part(("slot", first, 99.0))
    desk.desk._deliver_part(("slot", present, 5.0))
    assert desk.results == [5.0]


def test_the_same_wish_again_is_answered_where_it_was_wished_last(desk: Desk, qtbot: QtBot) -> None:
    told: list[float] = []
    desk.ask(4.0)
    desk.desk.request("slot", desk.study, 4.0, told.append, desk.errors.append)
    desk.gate.set()
    qtbot.waitUntil(lambda: desk.desk.is_idle, timeout=20_000)
    assert (desk.results, told, desk.runs) == ([], [8.0], [4.0])


def test_a_quick_answer_is_shown_first_and_then_the_wanted_one(desk: Desk, qtbot: QtBot) -> None:
    desk.gate.set()
    desk.desk.request("slot", desk.study, 4.0, desk.results.append, desk.errors.append, first=3.0)
    qtbot.waitUntil(lambda: desk.desk.is_idle, timeout=20_000)
    assert desk.results == [6.0, 8.0]
    # Known now: at once, and without the quick one.
    desk.desk.request("slot", desk.study, 4.0, desk.results.append, desk.errors.append, first=1.0)
    assert desk.results == [6.0, 8.0, 8.0]
    assert desk.runs == [3.0, 4.0]


def test_only_the_newest_wish_is_served(desk: Desk, qtbot: QtBot) -> None:
    for value in (1.0, 2.0, 3.0, 4.0):
        desk.ask(value)
    desk.gate.set()
    qtbot.waitUntil(lambda: desk.desk.is_idle, timeout=20_000)
    assert desk.results == [8.0]
    assert 2.0 not in desk.runs
    assert 3.0 not in desk.runs


def test_while_dragging_the_run_under_way_is_shown(desk: Desk, qtbot: QtBot) -> None:
    desk.ask(1.0, urgent=True)
    desk.ask(2.0, urgent=True)
    desk.ask(3.0, urgent=True)
    desk.gate.set()
    qtbot.waitUntil(lambda: desk.desk.is_idle, timeout=20_000)
    assert desk.results == [2.0, 6.0]


def test_known_results_come_at_once(desk: Desk, qtbot: QtBot) -> None:
    desk.gate.set()
    desk.ask(5.0)
    qtbot.waitUntil(lambda: desk.desk.is_idle, timeout=20_000)
    desk.ask(5.0)
    assert desk.results == [10.0, 10.0]
    assert desk.runs == [5.0]


def test_errors_are_told_as_sentences(desk: Desk, qtbot: QtBot) -> None:
    desk.gate.set()
    desk.ask(-1.0)
    qtbot.waitUntil(lambda: len(desk.errors) == 1, timeout=20_000)
    assert desk.errors == ["value: must be above 0, got -1.0"]
    desk.ask(0.0)
    qtbot.waitUntil(lambda: len(desk.errors) == 2, timeout=20_000)
    assert "failed unexpectedly" in desk.errors[1]


def test_progress_and_cancel(desk: Desk, qtbot: QtBot) -> None:
    desk.ask(1.0)
    qtbot.waitUntil(lambda: [r.share for r in desk.desk.under_way] == [0.3], timeout=20_000)
    left = desk.desk.under_way[0].seconds_left
    assert left is not None
    assert left > 0
    desk.desk.cancel_all()
    assert desk.desk.is_idle
    desk.gate.set()
    desk.ask(7.0)
    qtbot.waitUntil(lambda: desk.results == [14.0], timeout=20_000)


def test_a_closed_desk_takes_nothing(desk: Desk) -> None:
    desk.gate.set()
    desk.desk.close()
    desk.ask(1.0)
    assert desk.desk.is_idle


def test_what_is_in_view_goes_first_and_the_rest_gives_way(desk: Desk, qtbot: QtBot) -> None:
    """Two runs are under way at most; a view that is turned to puts its own in front."""
    order: list[str] = []

    def ask(slot: str, value: float) -> None:
        desk.desk.request(
            slot, desk.study, value, lambda _: order.append(slot), desk.errors.append, words=slot
        )

    desk.desk.look_at("lines")
    for k, slot in enumerate(("standing", "lines-a", "lines-b", "lines-c"), 1):
        ask(slot, float(k))
    # The board's own run gave way; what waits is told.
    assert {r.slot for r in desk.desk.under_way} == {"lines-a", "lines-b"}
    assert desk.desk.waiting == 2
    desk.desk.look_at("paths")
    ask("paths-now", 9.0)
    assert "paths-now" in {r.slot for r in desk.desk.under_way}
    assert [r.words for r in desk.desk.under_way if r.in_view] == ["paths-now"]
    desk.gate.set()
    qtbot.waitUntil(lambda: desk.desk.is_idle, timeout=20_000)
    # Nothing that gave way is lost.
    assert set(order) == {"paths-now", "lines-a", "lines-b", "lines-c", "standing"}
    assert order.index("paths-now") <= 1
