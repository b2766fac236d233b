"""What the mouse, keys and menus of the window's own parts do: lists, the course, reports."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPoint, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QWidget
from pytestqt.qtbot import QtBot

from onda.app.reporting import Reporter
from onda.app.shell.asking import ask_save
from onda.app.shell.fields import Trim
from onda.app.shell.rows import Row, RowList
from onda.app.theme import Look
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.model import Project
from onda.studies.core.cache import ResultCache
from onda.studies.core.margin import State
from tests.app.conftest import MakeWindow
from tests.painted import drawn, put

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
NO = Qt.KeyboardModifier.NoModifier


# -- a list --------------------------------------------------------------------------


@pytest.fixture
def rows(qtbot: QtBot) -> RowList:
    made = RowList(Look(), "Things", height=46)
    qtbot.addWidget(made)
    made.set_rows(
        [
            Row("a", "First", "holds well", State.HOLDS, "50 Ω"),
            Row("b", "Second", "fails by 3", State.FAILS, "61 Ω"),
            Row("c", "State 2", dash=2),
            Row("d", "State 3", dash=3, faded=True),
        ],
        "b",
    )
    made.resize(220, made.sizeHint().height())
    made.show()
    QApplication.processEvents()
    return made


def test_rows_are_drawn_with_their_state_and_value(rows: RowList) -> None:
    found, t = drawn(rows), rows._look.t
    assert found.word("fails by 3").color == rows._look.state_ink(State.FAILS).name()
    assert found.word("holds well").color == t.secondary.lower()
    assert found.said.count("Ω") == 2
    # Rows are 50 px apart; the chosen one is lit.
    assert found.word("Second").y - found.word("First").y == pytest.approx(50.0, abs=0.5)
    (lit,) = [s for s in found.shapes if s.fill == t.sea_tint.lower()]
    assert (lit.box[1], lit.box[3]) == pytest.approx((50.0, 96.0))
    # Everything about a row stands on it, its mark beside its title.
    for k, name in enumerate(("First", "Second", "State 2", "State 3")):
        row = rows.row_rect(k)
        inside = [w.text for w in found.words if row.top() < w.y < row.bottom()]
        assert name in inside
        assert len(inside) == (3 if k < 2 else 1)
    for disc, name in zip(found.of("circle"), ("First", "Second"), strict=True):
        assert disc.points[:, 1] == pytest.approx([found.word(name).y - 4.0], abs=3.0)
    # With a second line of words the first is in the upper half, above it; alone in the middle.
    for k, (name, below) in enumerate((("First", "holds well"), ("Second", "fails by 3"))):
        row = rows.row_rect(k)
        assert row.top() + 8.0 < found.of("circle")[k].points[0, 1] < row.center().y()
        assert found.word(name).y < row.center().y() < found.word(below).y
    assert found.word("State 2").y - 4.0 == pytest.approx(rows.row_rect(2).center().y(), abs=3.0)
    discs = [s.fill for s in found.of("circle")]
    assert discs == [rows._look.state_color(x).name() for x in (State.HOLDS, State.FAILS)]
    # Kept states show the line that they are drawn by, those that are not shown in grey.
    lines = [s for s in found.of("polyline") if s.dash]
    assert [s.stroke for s in lines] == [t.kept.lower(), t.unknown.lower()]
    assert lines[0].dash != lines[1].dash
    assert found.word("State 3").color == t.secondary.lower()


def test_the_figure_of_a_row_is_never_cut(rows: RowList) -> None:
    long = Row("a", "First", "share of the allowed noise, all of it", State.FAILS, figure="183 %")
    short = Row("b", "Second", "overshoot", State.FAILS, figure="0.600 V")
    rows.set_rows([long, short], "a")
    QApplication.processEvents()
    found = drawn(rows)
    ink = rows._look.state_ink(State.FAILS).name()
    assert "share of the allowed noise, all of it" not in found.said
    cut = next(w for w in found.words if w.text.startswith("share of the"))
    assert cut.text.endswith("…")
    figure = next(w for w in found.words if "183 %" in w.text)
    assert figure.color == cut.color == ink
    assert figure.y == cut.y
    # It follows what it ends: at once where there is room.
    whole = found.word("overshoot")
    after = next(w for w in found.words if "0.600 V" in w.text)
    assert whole.x < after.x < whole.x + 80.0 < figure.x
    assert "overshoot 0.600 V, fails" in rows.accessibleDescription()


def test_rows_are_chosen_renamed_and_asked_by_mouse_and_keys(rows: RowList) -> None:
    told: list[tuple[object, ...]] = []
    for name in ("chosen", "renamed", "removed"):
        getattr(rows, name).connect(lambda x, n=name: told.append((n, x)))
    rows.menu_wanted.connect(lambda x, at: told.append(("menu", x, at)))
    QTest.mouseClick(rows, LEFT, NO, QPoint(40, 3 * 50 + 8))
    QTest.mouseClick(rows, RIGHT, NO, QPoint(40, 8))
    assert told == [("chosen", "d"), ("menu", "a", rows.mapToGlobal(QPoint(40, 8)))]
    told.clear()
    QTest.mouseDClick(rows, LEFT, NO, QPoint(40, 2 * 50 + 8))
    assert told[-1] == ("renamed", "c")
    told.clear()
    K = Qt.Key
    for key in (K.Key_Up, K.Key_Down, K.Key_Delete, K.Key_F2, K.Key_Menu):
        QTest.keyClick(rows, key)
    centre = rows.mapToGlobal(rows.row_rect(1).center().toPoint())
    assert told == [
        ("chosen", "a"), ("chosen", "c"), ("removed", "b"), ("renamed", "b"), ("menu", "b", centre),
    ]  # fmt: skip
    # At both ends it goes no further.
    told.clear()
    rows.set_rows(list(rows.rows), "d")
    QTest.keyClick(rows, K.Key_Down)
    rows.set_rows(list(rows.rows), "a")
    QTest.keyClick(rows, K.Key_Up)
    assert told == [("chosen", "d"), ("chosen", "a")]


# -- a report ---------------------------------------------------------------------------


@pytest.fixture
def one_line(project: Project) -> Project:
    """A board of one class, quickly told of."""
    design = set_value(
        project.design, paths=(), buses=(), links=(), networks=(), groups=(),
        line_classes=project.design.line_classes[:1],
    )  # fmt: skip
    subject = design.line_classes[0].id
    asked = tuple(r for r in project.requirements if r.subject == subject)
    return set_value(project, design=design, requirements=asked)


def test_a_report_is_written_beside_the_work(
    qtbot: QtBot, one_line: Project, result_store: ResultCache, tmp_path: Path
) -> None:
    reporter = Reporter(result_store)
    went, failed = [], []
    reporter.went_on.connect(went.append)
    reporter.failed.connect(failed.append)
    assert not reporter.is_busy
    with qtbot.waitSignal(reporter.written, timeout=60_000) as done:
        reporter.write(one_line, tmp_path / "page")
        assert reporter.is_busy
        # One at a time.
        reporter.write(one_line, tmp_path / "other")
    assert failed == ["A report is being written already."]
    (page,) = done.args
    assert Path(page).parent == tmp_path / "page"
    assert one_line.design.line_classes[0].name in Path(page).read_text(encoding="utf-8")
    assert not (tmp_path / "other").exists()
    assert went[-1].startswith("Report: ")
    reporter.stop()
    assert not reporter.is_busy


def test_a_report_that_fails_says_why_and_one_that_is_stopped_nothing(
    qtbot: QtBot, one_line: Project, result_store: ResultCache, tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    reporter = Reporter(result_store)
    (tmp_path / "taken").write_text("a file")
    with qtbot.waitSignal(reporter.failed, timeout=60_000) as done:
        reporter.write(one_line, tmp_path / "taken")
    assert "taken" in done.args[0]
    reporter.stop()
    written, failed = [], []
    reporter.written.connect(written.append)
    reporter.failed.connect(failed.append)

    def check(*a: object, progress, **k: object) -> None:
        reporter._stopped.set()
        progress(1, 2, "")
        raise InputError("went on")

    monkeypatch.setattr("onda.studies.core.check.check_project", check)
    reporter.write(one_line, tmp_path / "page")
    reporter.stop()
    QApplication.processEvents()
    assert (written, failed) == ([], [])
    assert not (tmp_path / "page").exists()
    # The next one is written all the same.
    monkeypatch.undo()
    with qtbot.waitSignal(reporter.written, timeout=60_000):
        reporter.write(one_line, tmp_path / "again")
    reporter.stop()
    assert (tmp_path / "again" / "index.html").exists()


def test_what_is_saved_gets_the_first_ending_of_its_kind(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    parent = QWidget()
    qtbot.addWidget(parent)

    def asked(name: str, kind: str) -> Path | None:
        chosen = str(tmp_path / name) if name else ""
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (chosen, kind))
        return ask_save(parent, "Save", "x")

    kind = "Pictures (*.png *.jpg *.svg)"
    assert asked("plot", kind) == tmp_path / "plot.png"
    assert asked("plot.svg", kind) == tmp_path / "plot.svg"
    assert asked("plot", "All files (*)") == tmp_path / "plot"
    assert asked("plot", "") == tmp_path / "plot"
    assert asked("", kind) is None


# -- the window ---------------------------------------------------------------------------


def test_the_course_is_walked_by_keys_and_its_ends_clicked(make_window: MakeWindow) -> None:
    window = make_window(stage="stackup")
    course = window.course
    menus, helps = [], []
    course.project_menu_wanted.disconnect()
    course.help_wanted.disconnect()
    course.project_menu_wanted.connect(menus.append)
    course.help_wanted.connect(lambda: helps.append(True))
    K = Qt.Key
    course.setFocus()
    for key in (K.Key_Left, K.Key_Right, K.Key_Right, K.Key_Left, K.Key_Return):
        QTest.keyClick(course, key)
    assert window.selection.stage == "lines"
    QTest.keyClick(course, K.Key_Down)
    QTest.mouseClick(course, LEFT, NO, QPoint(60, 30))
    corner = course.mapToGlobal(course.rect().bottomLeft())
    assert menus == [corner, corner]
    QTest.mouseClick(course, LEFT, NO, QPoint(course.width() - 24, 45))
    assert helps == [True]
    at = course.centre(2).toPoint()
    QTest.mouseClick(course, LEFT, NO, at)
    assert window.selection.stage == "paths"
    # Between two stages there is none.
    between = 0.5 * (course.centre(3) + course.centre(4))
    if abs(between.x() - course.centre(3).x()) > 40:
        QTest.mouseClick(course, LEFT, NO, between.toPoint())
        assert window.selection.stage == "paths"
    assert window.settle()


def test_a_view_and_a_report_are_saved_where_it_is_said(
    make_window: MakeWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = make_window(stage="lines")
    file = tmp_path / "view.png"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(file), ""))
    window.save_view()
    assert window.messages.text.text() == f"Written: {file}"
    surface = window.stages["lines"].surface
    # Twice as fine as on the screen, under its title.
    assert QImage(str(file)).width() == 2 * surface.width()
    asked = []
    monkeypatch.setattr(window.reporter, "write", lambda *a: asked.append(a))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(tmp_path / "r"))
    window.report()
    assert asked == [(window.document.project, tmp_path / "r")]
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: "")
    window.report()
    assert len(asked) == 1
    # What is no file is not taken.
    for urls, taken in (([QUrl.fromLocalFile(str(file))], True), ([], False)):
        data = QMimeData()
        if urls:
            data.setUrls(urls)
        event = QDragEnterEvent(QPoint(9, 9), Qt.DropAction.CopyAction, data, LEFT, NO)
        event.setAccepted(False)
        window.dragEnterEvent(event)
        assert event.isAccepted() == taken


def test_l_asks_for_a_limit_unless_it_is_typed(make_window: MakeWindow) -> None:
    window = make_window(stage="paths")
    asked = []
    window.strip.limit_wanted.connect(asked.append)
    QTest.keyClick(window, Qt.Key.Key_L)
    assert len(asked) == 1
    assert asked[0] == window.strip.mapToGlobal(QPoint(140, 0))


# -- the trim ------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("value", "share"), [(20.0, 0.0), (35.0, 0.25), (80.0, 1.0), (5.0, 0.0), (200.0, 1.0)]
)
def test_the_handle_stands_where_the_value_is_within_the_range(
    qtbot: QtBot, value: float, share: float
) -> None:
    look = Look()
    trim = Trim(look, "value")
    put(qtbot, trim, 216, 30)
    trim.set_range(20.0, 80.0, 1.0)
    trim.set_value(value, [50.0, 500.0])
    found = drawn(trim)
    (handle,) = found.of("circle", stroke=look.t.sea)
    assert handle.points[0] == pytest.approx([8.0 + 200.0 * share, 15.0], abs=0.1)
    # What is reached is in colour up to the handle; kept values are marked, the far one at the end.
    (reached,) = [s for s in found.of("polyline", stroke=look.t.sea) if s.width == 4.0]
    assert (reached.box[0], reached.box[2]) == pytest.approx((4.0, 8.0 + 200.0 * share), abs=0.1)
    marks = sorted(s.box[0] for s in found.of("polyline", stroke=look.t.kept))
    assert marks == pytest.approx([108.0, 208.0], abs=0.1)
