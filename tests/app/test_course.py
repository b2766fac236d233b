"""The course of the work as it is drawn: every stage with its state, by mouse, keys and tips."""

from __future__ import annotations

import itertools
from typing import Any

import pytest
from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QToolTip
from pytestqt.qtbot import QtBot

from onda.app.document import Document
from onda.app.shell.course import Course
from onda.app.stages import STAGES
from onda.app.theme import Look
from onda.project.base import set_value
from onda.project.model import Project
from onda.studies.core.margin import State
from tests.painted import Drawn, drawn

Key = Qt.Key


class Standing(QObject):
    """How kinds of objects stand, as it is put."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.states: dict[tuple[str, ...], State | None] = {}

    def state_of_kinds(self, kinds: tuple[str, ...]) -> State | None:
        return self.states.get(tuple(kinds))


class Selected(QObject):
    """What is chosen."""

    stage_changed = pyqtSignal(str)
    subject_changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.stage = "paths"

    def go(self, stage: str) -> None:
        self.stage = stage
        self.stage_changed.emit(stage)


@pytest.fixture
def standing() -> Standing:
    made = Standing()
    order = (State.HOLDS, State.FAILS, State.TIGHT, State.UNKNOWN, None, State.HOLDS, State.TIGHT)
    # The build is as good as the lines that it gives: both are about the same kind.
    kinds = [("line",), ("line", "shielded", "sheet_line")]
    for stage, state in zip(STAGES, order, strict=False):
        made.states[stage.judged] = state
    assert all(k in made.states for k in kinds)
    return made


@pytest.fixture
def course(qtbot: QtBot, look: Look, project: Project, standing: Standing) -> Course:
    selection: Any = Selected()
    held: Any = standing
    made = Course(look, Document(project), selection, held, STAGES)
    qtbot.addWidget(made)
    made.resize(1280, 64)
    made.show()
    return made


def discs_at(found: Drawn, course: Course, index: int) -> list[str]:
    """Fills of the discs around a stage's place, 6 px in radius."""
    centre = course.centre(index)
    return [
        s.fill
        for s in found.of("circle")
        if abs(s.points[0][0] - centre.x()) < 1.0
        and abs(s.points[0][1] - centre.y()) < 1.0
        and s.radius == pytest.approx(6.0, abs=0.5)
    ]


def test_every_stage_has_the_colour_of_what_it_is_judged_by(
    course: Course, standing: Standing, look: Look
) -> None:
    found = drawn(course)
    for index, stage in enumerate(STAGES):
        state = standing.states.get(stage.judged) if stage.ready else None
        if state in (State.HOLDS, State.TIGHT, State.FAILS):
            assert discs_at(found, course, index) == [look.state_color(state).name()], stage.id
        else:
            assert look.t.holds.lower() not in discs_at(found, course, index), stage.id
        word = found.word(stage.title)
        known = stage.ready or stage.id == "paths"
        assert word.color == (look.t.ink if known else look.t.secondary).lower()
    standing.states[STAGES[0].judged] = State.FAILS
    standing.changed.emit()
    assert discs_at(drawn(course), course, 0) == [look.t.fails.lower()]


def test_the_chosen_stage_has_a_ring_and_the_line_reaches_to_it(course: Course, look: Look) -> None:
    index = [s.id for s in STAGES].index("paths")
    found = drawn(course)
    rings = [s for s in found.of("circle", stroke=look.t.sea) if s.radius == pytest.approx(10.0)]
    (ring,) = rings
    centre = course.centre(index)
    assert tuple(ring.points[0]) == pytest.approx((centre.x(), centre.y()), abs=0.1)
    gone, ahead = (
        next(s for s in found.shapes if s.stroke == color.lower() and s.box[2] - s.box[0] > 100)
        for color in (look.t.sea, look.t.hairline)
    )
    assert gone.box[0] == pytest.approx(course.centre(0).x(), abs=0.1)
    assert gone.box[2] == pytest.approx(centre.x(), abs=0.1)
    assert ahead.box[0] == pytest.approx(centre.x(), abs=0.1)
    assert ahead.box[2] == pytest.approx(course.centre(11).x(), abs=0.1)


def test_stages_stand_evenly_between_the_name_and_the_question_mark(course: Course) -> None:
    places = [course.centre(k).x() for k in range(len(STAGES))]
    apart = [b - a for a, b in itertools.pairwise(places)]
    assert apart == pytest.approx([apart[0]] * len(apart))
    assert places[0] == 200.0
    assert places[-1] == pytest.approx(1280 - 100.0)
    found = drawn(course)
    for k, stage in enumerate(STAGES):
        word = found.word(stage.title)
        assert word.x < places[k] < word.x + 88


def test_the_project_is_named_with_its_file_and_whether_it_is_saved(
    qtbot: QtBot, look: Look, project: Project, standing: Standing, tmp_path
) -> None:
    document = Document(set_value(project, name="A board", revision="rev C"))
    selection: Any = Selected()
    held: Any = standing
    course = Course(look, document, selection, held, STAGES)
    qtbot.addWidget(course)
    course.resize(1280, 64)
    texts = drawn(course).texts
    assert "A board" in texts
    assert "no file yet" in texts
    assert any(t.startswith("rev C · ") and "saved" in t for t in texts)
    (tmp_path / "boards").mkdir()
    document.save(tmp_path / "boards" / "fulmar.onda")
    texts = drawn(course).texts
    assert "fulmar.onda in boards" in texts
    assert any(t.startswith("rev C · saved") for t in texts)
    document.edit("Rename", set_value(document.project, name="Another"))
    texts = drawn(course).texts
    assert "Another" in texts
    assert any(t.startswith("rev C · not saved") for t in texts)


def tip(course: Course, x: float) -> str:
    QToolTip.hideText()
    place = QPoint(int(x), 30)
    event = QHelpEvent(QEvent.Type.ToolTip, place, course.mapToGlobal(place))
    QApplication.sendEvent(course, event)
    return QToolTip.text()


def test_tips_say_what_the_buoys_show(course: Course, standing: Standing) -> None:
    words = {
        None: "no requirement", State.HOLDS: "all hold", State.TIGHT: "something is tight",
        State.FAILS: "something fails", State.UNKNOWN: "not all computed yet",
    }  # fmt: skip
    for index, stage in enumerate(STAGES):
        said = tip(course, course.centre(index).x())
        if stage.ready:
            expected = words[standing.states.get(stage.judged)]
            assert said == f"{stage.title} (Ctrl+{index + 1}): {expected}"
        else:
            assert said == f"{stage.title}: {stage.promise} Not built yet."
    assert tip(course, 40) == "Not saved in a file yet"


def test_stages_are_reached_by_mouse_and_keys(course: Course) -> None:
    selection = course._selection
    told: list[str] = []
    course.project_menu_wanted.connect(lambda _: told.append("menu"))
    course.help_wanted.connect(lambda: told.append("help"))
    left = Qt.MouseButton.LeftButton
    for index in (0, 5, 11):
        place = course.centre(index).toPoint()
        QTest.mouseClick(course, left, pos=place + QPoint(30, 0))
        assert selection.stage == STAGES[index].id
    QTest.mouseClick(course, left, pos=QPoint(60, 20))
    QTest.mouseClick(course, left, pos=QPoint(1280 - 24, 44))
    assert told == ["menu", "help"]
    selection.go("paths")
    QTest.keyClick(course, Key.Key_Right)
    QTest.keyClick(course, Key.Key_Return)
    assert selection.stage == STAGES[3].id
    for _ in range(20):
        QTest.keyClick(course, Key.Key_Left)
    QTest.keyClick(course, Key.Key_Space)
    assert selection.stage == STAGES[0].id
    for _ in range(20):
        QTest.keyClick(course, Key.Key_Right)
    QTest.keyClick(course, Key.Key_Enter)
    assert selection.stage == STAGES[-1].id
    QTest.keyClick(course, Key.Key_Down)
    assert told == ["menu", "help", "menu"]


def test_keys_go_along_the_course_and_a_dotted_frame_goes_with_them(
    course: Course, look: Look
) -> None:
    course.setFocus()

    def framed() -> list[int]:
        found = [s for s in drawn(course).shapes if s.stroke == look.t.sea.lower() and s.dash]
        return [
            k
            for k in range(len(STAGES))
            if any(
                abs(s.box[0] - (course.centre(k).x() - 38)) < 1
                and abs(s.box[2] - (course.centre(k).x() + 38)) < 1
                for s in found
                if s.dash != "none"
            )
        ]

    (at,) = framed()
    for _ in range(3):
        QTest.keyClick(course, Key.Key_Right)
    assert framed() == [at + 3]
    QTest.keyClick(course, Key.Key_Left)
    assert framed() == [at + 2]
    course.clearFocus()
    assert framed() == []
