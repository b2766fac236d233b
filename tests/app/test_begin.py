"""A newcomer's own board in the real window: from nothing to margins, and nothing lost."""

from __future__ import annotations

import sys
import threading
from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QLineEdit

from onda.app.faults import Faults
from onda.app.kit.explain import measure_words
from onda.app.recents import recent_files, remember_file
from onda.app.shell.window import MainWindow
from onda.project.begin import empty_project, from_template
from onda.project.build.files import write_build
from onda.project.measures import measure, measures_of
from onda.project.model import Project
from onda.project.quantities import DIMENSIONS
from onda.project.recovery import kept_work
from onda.project.store import load_project, save_project
from onda.report.html import write_report
from onda.studies.core.margin import State
from tests.app.conftest import MakeWindow, type_into


@pytest.fixture
def begun(make_window: MakeWindow) -> MainWindow:
    """A window on the page to begin on."""
    window = make_window(empty_project("New board"))
    window.show_start()
    return window


def make(window: MainWindow, stage: str, **typed: str) -> None:
    """Make an object in a stage as a user does, and wait for it."""
    window.selection.go(stage)
    shown = window.stages[stage]
    if shown.surface.shows_content:
        window.listing.add.click()
    maker = shown.maker
    for key, answer in typed.items():
        if isinstance(maker.entries[key], QLineEdit):
            maker.type(key, answer)
        else:
            maker.decide(key, answer)
    QTest.mouseClick(maker.make, Qt.MouseButton.LeftButton)
    assert window.settle()


def test_a_six_layer_board_from_new_to_a_report(begun: MainWindow, tmp_path: Path) -> None:
    """Every step with what the window offers; nothing is there to copy from."""
    window = begun
    page = window.start_page
    assert not window.listing.isVisible()
    type_into(page.name, "Rümpfchen")
    # Enter in the name begins the board of six layers.
    assert window.settle()
    assert window.document.project.name == "Rümpfchen"
    assert window.selection.stage == "stackup"
    assert len(window.document.project.design.stackup.copper) == 6
    assert "6 copper layers" in window.stages["stackup"].surface.remark.text()
    make(window, "lines", name="Memory data", target="50 ohm", tolerance="8 %", loss_at="1.2 GHz")
    lines = window.stages["lines"]
    assert lines.surface.title.text() == "Memory data on L1"
    found = {m.layer: m for m in lines.margins()[1]}
    assert set(found) == {"L1", "L3", "L4", "L6"}
    for margin in found.values():
        assert margin.value == pytest.approx(50.0, abs=0.4)
        assert (margin.low, margin.high) == pytest.approx((46.0, 54.0))
        assert margin.state is State.HOLDS
    make(window, "paths", name="DQ0", length="45 mm", edge="300 ps", resistance="34 ohm")
    paths = window.stages["paths"]
    assert paths.result is not None
    assert paths.result.receiver("receiver").measures.overshoot > 0.1
    make(window, "networks", name="DQ0 trace")
    assert window.stages["networks"].result is not None
    make(window, "eyes", name="DQ0 at speed", rate="1.6 Gb/s", over="path:dq0", height="0.3 V")
    eyes = window.stages["eyes"]
    assert eyes.result is not None
    margins = window.standing.margins
    assert all(m.state is not State.UNKNOWN for m in margins)
    assert {m.kind for m in margins} == {"line", "path", "link"}
    # One undo a step, back to nothing, and forward again.
    count = window.document.stack.count()
    assert count == 4
    made = window.document.project
    for _ in range(count):
        window.undo()
    assert window.document.project == from_template("Rümpfchen", 6)
    for _ in range(count):
        window.redo()
    assert window.document.project == made
    file = tmp_path / "rumpf.onda"
    window.document.save(file)
    assert load_project(file) == made
    page_file = write_report(made, margins, window.desk.runner, tmp_path / "report")
    text = page_file.read_text(encoding="utf-8")
    assert "Rümpfchen" in text
    assert "DQ0" in text


def test_every_empty_stage_says_what_to_do_and_leads_there(make_window: MakeWindow) -> None:
    window = make_window(empty_project("Empty"), stage="eyes")
    eyes = window.stages["eyes"]
    assert "neither yet" in eyes.maker.sentence.text()
    eyes.maker.make.click()
    assert window.selection.stage == "paths"
    assert "none yet" in window.stages["paths"].maker.sentence.text()
    window.stages["paths"].maker.make.click()
    assert window.selection.stage == "lines"
    window.stages["lines"].maker.make.click()
    assert window.selection.stage == "stackup"
    maker = window.stages["stackup"].maker
    maker.decide("layers", "4")
    maker.decide("tail", "yes")
    maker.make.click()
    assert window.settle()
    assert [z.kind for z in window.document.project.design.stackup.zones] == ["rigid", "flex"]
    for stage in ("lines", "paths", "networks", "eyes"):
        window.selection.go(stage)
        assert not window.stages[stage].surface.shows_content
        assert window.stages[stage].maker.sentence.text()


def test_wrong_answers_stay_on_the_page_and_say_why(make_window: MakeWindow) -> None:
    window = make_window(from_template("Board", 4), stage="lines")
    maker = window.stages["lines"].maker
    maker.type("target", "fast")
    before = window.document.project
    maker.make.click()
    assert "Impedance: 'fast'" in maker.problem.text()
    assert window.document.project is before
    maker.type("target", "50 ohm")
    maker.kinds.choose("sheet_line")
    assert maker.problem.text() == ""
    maker.make.click()
    assert window.settle()
    assert [x.name for x in window.document.project.design.sheet_lines] == ["Cable 1"]
    assert window.stages["lines"].surface.shows_content


def test_a_class_that_cannot_be_met_is_made_and_says_why(make_window: MakeWindow) -> None:
    window = make_window(from_template("Board", 4), stage="lines")
    maker = window.stages["lines"].maker
    maker.type("target", "140 ohm")
    maker.make.click()
    assert window.settle()
    assert len(window.document.project.design.line_classes) == 1
    assert "cannot be met" in window.messages.text.text()


def test_making_is_left_with_escape_and_the_last_object_can_go(make_window: MakeWindow) -> None:
    project = from_template("Board", 4)
    window = make_window(project, stage="lines")
    window.stages["lines"].maker.kinds.choose("sheet_line")
    window.stages["lines"].maker.make.click()
    assert window.settle()
    window.listing.add.click()
    lines = window.stages["lines"]
    assert not lines.surface.shows_content
    QTest.keyClick(lines.maker, Qt.Key.Key_Escape)
    assert lines.surface.shows_content
    window.listing.remove_wanted.emit("Cable-1".lower())
    assert window.settle()
    assert window.document.project == project
    assert not lines.surface.shows_content


def test_a_link_turns_to_another_channel_and_gets_a_mask(window: MainWindow) -> None:
    window.selection.go("eyes")
    assert window.settle()
    eyes = window.stages["eyes"]
    over_path = eyes.result.eye.height
    eyes.chain.channel.choices.choose("Over", "network:up0-channel")
    assert window.settle()
    link = window.document.project.design.links[0]
    assert (link.path, link.network) == (None, "up0-channel")
    assert eyes.result.eye.height != pytest.approx(over_path, rel=0.01)
    assert not eyes.chain.channel.lane.isHidden()
    type_into(eyes.chain.transmitter.edge.edit, "30 ps")
    assert window.document.project.design.links[0].launch.edge.si == pytest.approx(30e-12)
    type_into(eyes.chain.channel.lane.edit, "9")
    assert window.settle()
    assert "no lane 9" in eyes.surface.problem.text()
    assert eyes.surface.veil.failed
    window.undo()
    assert window.settle()
    eyes.panel.choices.choose("Mask", "none")
    assert window.document.project.design.links[0].mask is None
    eyes.panel.choices.choose("Mask", "hexagon")
    assert window.document.project.design.links[0].mask.width.si == 0.5


# ---- limits


def test_a_limit_is_put_on_anything_in_view_and_taken_away(window: MainWindow) -> None:
    window.selection.choose("jl0")
    assert window.settle()
    assert "+" in window.strip.add.text()
    window.strip.add.click()
    card = window.limits
    assert card.isVisible()
    assert "Converter lane 0" in card.title.text()
    offered = [card.measure.itemData(k) for k in range(card.measure.count())]
    assert offered == [m.key for m in measures_of("path")]
    for key in ("overshoot", "ring_back", "delay"):
        card.measure.setCurrentIndex(card.measure.findData(key))
        card.measure.activated.emit(card.measure.currentIndex())
        chosen = measure(key)
        example = card.limit.placeholderText()
        assert example.endswith(f"0.3 {DIMENSIONS[chosen.dimension].shown}")
        assert example.startswith(">= ") == (chosen.worse == "smaller")
        assert measure_words(key) in card.hint.text()
    card.put.click()
    assert "Type a limit" in card.problem.text()
    card.limit.setText("3 dB")
    card.put.click()
    assert "unknown unit" in card.problem.text()
    card.limit.setText("1.2 ns")
    card.source.setText("lane sheet")
    card.put.click()
    assert not card.isVisible()
    assert window.settle()
    (margin,) = window.strip.margins
    assert (margin.measure, margin.high, margin.source) == ("delay", 1.2e-9, "lane sheet")
    assert margin.value == pytest.approx(window.stages["paths"].result.measures.delay)
    window.strip.setFocus()
    QTest.keyClick(window.strip, Qt.Key.Key_Delete)
    assert window.strip.margins == ()
    window.undo()
    assert len(window.strip.margins) == 1
    # Asked again, each measure is offered once.
    window.strip.add.click()
    assert card.measure.count() == len(offered)
    card.hide()


def test_limits_follow_a_target_when_asked(make_window: MakeWindow, of_lines: Project) -> None:
    window = make_window(of_lines, stage="lines")
    window.selection.choose("memory")
    assert window.settle()
    lines = window.stages["lines"]
    (target,) = (f for f in lines.form.fields if f.title.text() == "Target")
    type_into(target.edit, "45 ohm")
    assert "still lie around 50" in window.messages.text.text()
    assert not window.messages.is_error
    window.messages.press("Move them to 45 Ω")
    limits = {
        (r.at_least.si, r.at_most.si)
        for r in window.document.project.requirements
        if (r.subject, r.measure) == ("memory", "impedance")
    }
    assert limits == {(40.5, 49.5)}
    assert window.settle()


# ---- one undo


def test_undo_is_the_documents_once_a_field_is_committed(window: MainWindow) -> None:
    field = window.stages["paths"].form.form.fields[0]
    field.edit.setFocus()
    field.edit.selectAll()
    QTest.keyClicks(field.edit, "33 ohm")
    QTest.keyClick(field.edit, Qt.Key.Key_Return)
    value = lambda: window.document.project.design.path("clk-adc").elements[0].value.si  # noqa: E731
    assert value() == 33.0
    # The key reaches the window, not the field, which has nothing of its own to undo.
    QTest.keySequence(field.edit, QKeySequence(QKeySequence.StandardKey.Undo))
    QApplication.processEvents()
    assert value() == 15.0
    assert field.edit.text() == "15 Ω"
    QTest.keyClick(field.edit, Qt.Key.Key_Return)
    assert value() == 15.0
    assert window.document.stack.canRedo()
    assert window.settle()


def test_a_field_in_editing_undoes_its_typing(window: MainWindow) -> None:
    field = window.stages["paths"].form.form.fields[0]
    field.edit.setFocus()
    field.edit.selectAll()
    QTest.keyClicks(field.edit, "33")
    before = window.document.project
    QTest.keySequence(field.edit, QKeySequence(QKeySequence.StandardKey.Undo))
    assert field.edit.text() != "33"
    assert window.document.project is before
    QTest.keyClick(field.edit, Qt.Key.Key_Escape)


# ---- files


def test_recent_files_and_boards_never_saved_are_offered(
    make_window: MakeWindow, project: Project, tmp_path: Path
) -> None:
    file = tmp_path / "fülmar.onda"
    save_project(project, file)
    remember_file(file)
    window = make_window(from_template("First try", 4), stage="stackup")
    window.keep()
    window.opening.begin_board("Second try", 2, False)
    assert window.settle()
    assert "First try is kept" in window.messages.text.text()
    window.show_start()
    titles = [b.text().splitlines()[0] for b in window.start_page.entries]
    assert titles == ["First try", "fülmar"]
    window.start_page.entries[0].click()
    assert window.settle()
    assert window.document.project.name == "First try"
    assert len(window.document.project.kept) == 1
    assert not window.document.is_saved
    window.document.save(tmp_path / "first.onda")
    assert kept_work() == []
    window.opening.open_again(str(file))
    assert window.settle()
    assert window.document.path == file
    assert "fülmar.onda in" in window.windowTitle()
    assert recent_files()[0] == file


@pytest.mark.parametrize(
    ("name", "stage"),
    [("build.xml", "stackup"), ("fulmar_mezzanine.s4p", "networks"), ("fulmar_clock.ibs", "paths")],
)
def test_a_project_begins_with_a_file(
    begun: MainWindow, name: str, stage: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from importlib import resources

    if name == "build.xml":
        file = tmp_path / name
        write_build(from_template("x", 8), "ipc2581-c", file)
    else:
        folder = "devices" if name.endswith(".ibs") else "networks"
        file = Path(str(resources.files("onda.data") / folder / name))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(file), ""))
    begun.opening.choose_file()
    assert begun.settle()
    design = begun.document.project.design
    assert begun.selection.stage == stage
    assert begun.document.project.name == file.stem
    found = {
        "stackup": len(design.stackup.copper) == 8,
        "networks": len(design.networks) == 1,
        "paths": len(design.device_files) == 1,
    }
    assert found[stage]


def dropped(window: MainWindow, *files: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(f)) for f in files])
    event = QDropEvent(
        QPointF(10, 10), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )  # fmt: skip
    window.dropEvent(event)


def test_a_dropped_file_is_opened_or_added(window: MainWindow, tmp_path: Path) -> None:
    from importlib import resources

    folder = Path(str(resources.files("onda.data") / "networks"))
    before = len(window.document.project.design.networks)
    dropped(window, folder / "fulmar_mezzanine.s4p")
    assert window.settle()
    assert len(window.document.project.design.networks) == before + 1
    assert window.selection.stage == "networks"
    dropped(window, tmp_path / "notes.docx")
    assert "no stage takes such a file" in window.messages.text.text()
    other = tmp_path / "other.onda"
    save_project(from_template("Other", 2), other)
    dropped(window, other)
    assert window.settle()
    assert window.document.project.name == "Other"


def test_name_and_revision_are_typed_on_the_card(window: MainWindow) -> None:
    window.card.show_at(QPoint(10, 70))
    before = window.document.project
    assert window.card.name.edit.text() == before.name
    assert window.card.revision.edit.text() == before.revision
    assert "no file yet" in window.card.place.text()
    type_into(window.card.name.edit, "Fulmar süd")
    type_into(window.card.revision.edit, "rev C")
    project = window.document.project
    assert (project.name, project.revision) == ("Fulmar süd", "rev C")
    window.undo()
    window.undo()
    assert window.document.project.name == "Fulmar recorder"
    window.card.hide()


def test_after_a_normal_close_nothing_speaks_of_a_bad_end(
    make_window: MakeWindow, project: Project, tmp_path: Path
) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(project, file)
    window = make_window(path=file)
    window.keep()
    window.close()
    assert window.kept_at is not None
    assert window.kept_at.exists()
    again = make_window(path=file)
    again.offer_recovery()
    assert "closed with work that was not saved" in again.messages.text.text()
    assert "did not end well" not in again.messages.text.text()
    again.messages.press("Forget it")
    assert not window.kept_at.exists()


def test_what_nobody_caught_reaches_the_user(window: MainWindow, caplog) -> None:
    faults = Faults(window)
    said: list[str] = []
    faults.happened.connect(said.append)
    before = (sys.excepthook, threading.excepthook)
    faults.install()
    try:
        lacking = KeyError("class-9")
        sys.excepthook(KeyError, lacking, None)
        # A break from the keyboard is for whoever had it before.
        broken: list[object] = []
        error = KeyboardInterrupt("now")
        faults._before = (lambda *a: broken.append(a), before[1])
        sys.excepthook(KeyboardInterrupt, error, None)
        threading.excepthook(threading.ExceptHookArgs((ValueError, ValueError("far"), None, None)))
        faults._before = before
    finally:
        faults.uninstall()
    assert broken == [(KeyboardInterrupt, error, None)]
    assert len(said) == 2
    assert "ValueError: far" in said[1]
    record = next(r for r in caplog.records if "unexpected" in r.message)
    assert record.exc_info is not None
    assert record.exc_info[1] is lacking
    assert (sys.excepthook, threading.excepthook) == before
    assert "KeyError: 'class-9'" in said[0]
    assert "unexpected" in caplog.text


# ---- the layout stays


def test_nothing_moves_when_something_is_said_or_runs(window: MainWindow) -> None:
    paths = window.stages["paths"]
    size = paths.surface.size()
    chips = paths.chips.mapTo(window, QPoint(0, 0))
    window.messages.say("Something long " * 30, error=True)
    QApplication.processEvents()
    assert paths.surface.size() == size
    assert window.messages.whole.isVisible()
    window.messages.press("Close")
    assert not window.messages.whole.isVisible()
    for view in ("measures", "why", "spectrum", "sweep"):
        paths.views.choose(view)
        QApplication.processEvents()
        assert paths.chips.mapTo(window, QPoint(0, 0)) == chips, view
    assert window.settle()


def test_notes_are_not_errors_and_go_with_their_stage(window: MainWindow) -> None:
    window.selection.go("stackup")
    assert window.settle()
    surface = window.stages["stackup"].surface
    surface.note("Read build.csv.")
    assert window.messages.text.text() == "Read build.csv."
    assert not window.messages.is_error
    surface.tell("")
    assert window.messages.text.text() == "Read build.csv."
    window.selection.go("paths")
    assert window.messages.text.text() == ""
    window.selection.go("stackup")
    assert surface.problem.text() == ""
    surface.note("Written: out.")
    window.messages.press("Close")
    assert surface.problem.text() == ""
