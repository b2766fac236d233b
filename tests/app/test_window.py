"""The frame: stages, kept states, saving, recovery, closing in mid-run, the look."""

from __future__ import annotations

import errno
import os
import time
from dataclasses import replace
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QPushButton

from onda.app.jobs import Running
from onda.app.shell.margin_strip import bar_scale
from onda.app.shell.opening import _kept_words
from onda.app.shell.window import MainWindow
from onda.app.stages import STAGES
from onda.app.theme import DAY, NIGHT, Tokens
from onda.app.tour import set_resistor
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.model import Project
from onda.project.recovery import Kept, kept_of, kept_work, read_kept
from onda.project.store import load_project, save_project
from tests.app.conftest import MakeWindow


def test_stages_by_key_and_click(window: MainWindow) -> None:
    for i, stage in enumerate(STAGES[:9]):
        QTest.keyClick(window, Qt.Key(Qt.Key.Key_1 + i), Qt.KeyboardModifier.ControlModifier)
        assert window.selection.stage == stage.id
    last = window.course.centre(11).toPoint()
    QTest.mouseClick(window.course, Qt.MouseButton.LeftButton, pos=last)
    assert window.selection.stage == "release"
    window.course.setFocus()
    QTest.keyClick(window.course, Qt.Key.Key_Left)
    QTest.keyClick(window.course, Qt.Key.Key_Return)
    assert window.selection.stage == "captures"
    QTest.keyClick(window, Qt.Key.Key_PageUp, Qt.KeyboardModifier.ControlModifier)
    assert window.selection.stage == "fields"


def test_stages_to_come_say_what_they_will_do(window: MainWindow) -> None:
    for stage in STAGES:
        if stage.ready:
            continue
        window.selection.go(stage.id)
        assert window.surfaces.currentWidget() is window.coming
        assert stage.promise in window.coming._promise.text()
        assert not window.inspectors.isVisible()
    (button,) = window.coming.findChildren(QPushButton)
    button.click()
    assert window.selection.stage == "paths"
    assert window.surfaces.currentWidget() is window.stages["paths"].surface


def test_keys_page_opens_and_closes(window: MainWindow) -> None:
    QTest.keyClick(window, Qt.Key.Key_F1)
    assert window.surfaces.currentWidget() is window.keys_page
    window.selection.go("lines")
    assert window.surfaces.currentWidget() is window.stages["lines"].surface


def test_kept_states_in_the_list(window: MainWindow) -> None:
    for _ in range(4):
        window.keep()
    listing = window.listing
    assert [r.faded for r in listing.kept.rows] == [True, False, False, False]
    listing.kept.chosen.emit("k2")
    assert [k.shown for k in window.document.project.kept] == [False, False, True, True]
    listing.kept.removed.emit("k1")
    assert [k.id for k in window.document.project.kept] == ["k2", "k3", "k4"]
    listing._rename_kept("k2", "Before the trim")
    assert window.document.project.kept[0].name == "Before the trim"
    set_resistor(window, "clk-adc", 40.0)
    listing._restore("k2")
    assert window.document.project.design.path("clk-adc").elements[0].value.si == 15.0
    for _ in range(9):
        window.undo()
    assert window.document.project.kept == ()
    assert window.settle()


def test_k_typed_into_a_field_is_a_letter(window: MainWindow) -> None:
    edit = window.stages["paths"].form.form.fields[0].edit
    edit.setFocus()
    QTest.keyClick(edit, Qt.Key.Key_K)
    assert window.document.project.kept == ()
    QTest.keyClick(edit, Qt.Key.Key_Escape)


def test_copy_rename_and_remove_an_object(window: MainWindow) -> None:
    window.listing.copy_wanted.emit("clk-adc")
    assert window.settle()
    assert window.selection.subject == "paths-1"
    assert window.stages["paths"].surface.title.text() == "ADC sample clock copy"
    window.listing.rename_wanted.emit("paths-1", "Try")
    assert window.stages["paths"].surface.title.text() == "Try"
    window.listing.remove_wanted.emit("paths-1")
    assert window.settle()
    assert window.selection.subject == "clk-adc"
    window.listing.remove_wanted.emit("jl0")
    assert "uses it" in window.messages.text.text()


def test_save_close_reopen(make_window: MakeWindow, tmp_path: Path) -> None:
    file = tmp_path / "fulmar.onda"
    window = make_window(path=file)
    window.keep()
    set_resistor(window, "clk-adc", 46.0)
    assert not window.document.is_saved
    QTest.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert window.document.is_saved
    assert "•" not in window.windowTitle()
    saved = window.document.project
    window.close()
    again = make_window(load_project(file), file)
    assert again.document.project == saved
    assert again.document.is_saved
    assert again.document.recoverable() is None
    assert [k.name for k in again.document.project.kept] == ["State 1"]


def test_save_as_asks_for_a_name_and_adds_the_suffix(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    chosen = str(tmp_path / "board")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (chosen, ""))
    window.opening.save()
    assert (tmp_path / "board.onda").exists()
    assert window.document.path == tmp_path / "board.onda"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: ("", ""))
    window.opening.save_as()
    assert window.document.path == tmp_path / "board.onda"


def test_full_disk_is_told_and_nothing_is_lost(
    make_window: MakeWindow, project: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(project, file)
    before = file.read_bytes()
    window = make_window(path=file)
    set_resistor(window, "clk-adc", 46.0)

    def full(descriptor: int) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    with monkeypatch.context() as patch:
        patch.setattr(os, "fsync", full)
        window.opening.save()
    assert "No space left" in window.messages.text.text()
    assert window.messages.isVisible()
    assert file.read_bytes() == before
    assert not window.document.is_saved
    window.messages.press("Close")
    window.opening.save()
    assert load_project(file) == window.document.project


def _change_outside(file: Path, project: Project) -> Project:
    other = set_value(project, revision="from elsewhere")
    save_project(other, file)
    return other


def test_a_file_changed_outside_is_not_saved_over_without_a_word(
    make_window: MakeWindow, project: Project, tmp_path: Path
) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(project, file)
    window = make_window(path=file)
    assert not window.opening.look_outside()
    other = _change_outside(file, project)
    set_resistor(window, "clk-adc", 46.0)
    mine = window.document.project
    window.opening.save()
    assert "changed by another program" in window.messages.text.text()
    assert load_project(file) == other
    assert not window.document.is_saved
    window.messages.press("What differs")
    told = window.messages.text.text()
    assert "revision rev B" in told
    assert "path" in told
    window.messages.press("Save beside it")
    assert load_project(file) == other
    assert load_project(tmp_path / "fulmar-2.onda") == mine
    assert window.document.path == tmp_path / "fulmar-2.onda"


def test_a_file_changed_outside_is_saved_over_or_reloaded_when_asked(
    make_window: MakeWindow, project: Project, tmp_path: Path
) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(project, file)
    window = make_window(path=file)
    _change_outside(file, project)
    set_resistor(window, "clk-adc", 46.0)
    mine = window.document.project
    window.opening.save()
    window.messages.press("Save over it")
    assert load_project(file) == mine
    assert window.document.is_saved
    other = _change_outside(file, mine)
    set_resistor(window, "clk-adc", 47.0)
    unsaved = window.document.project
    assert window.opening.look_outside()
    window.messages.press("Reload it")
    assert window.document.project == other
    assert window.document.is_saved
    # What was not saved is not gone: it is offered.
    window.messages.press("Recover it")
    assert window.document.project == unsaved


def test_saving_beside_another_file_of_the_same_name_is_refused(
    make_window: MakeWindow, project: Project, tmp_path: Path
) -> None:
    window = make_window(path=tmp_path / "fulmar.onda")
    save_project(project, tmp_path / "fulmar.onda")
    reference = project.design.device_files[0]
    theirs = tmp_path / "other" / reference.path
    theirs.parent.mkdir(parents=True)
    theirs.write_bytes(b"another one")
    with pytest.raises(InputError, match=r"another file than the project's own"):
        window.document.save(tmp_path / "other" / "fulmar.onda")
    assert theirs.read_bytes() == b"another one"
    assert not (tmp_path / "other" / "fulmar.onda").exists()
    theirs.unlink()
    window.document.save(tmp_path / "other" / "fulmar.onda")
    assert theirs.read_bytes() == (tmp_path / reference.path).read_bytes()


def test_file_that_vanished_is_written_anew(
    make_window: MakeWindow, project: Project, tmp_path: Path
) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(project, file)
    window = make_window(path=file)
    file.unlink()
    set_resistor(window, "clk-adc", 46.0)
    window.opening.save()
    assert "written anew" in window.messages.text.text()
    assert load_project(file) == window.document.project


def test_opening_a_broken_file_keeps_what_is_open(window: MainWindow, tmp_path: Path) -> None:
    broken = tmp_path / "broken.onda"
    broken.write_text('{"schema_version": 1,\n "name": }')
    before = window.document.project
    window.load(broken)
    assert "broken.onda, line 2" in window.messages.text.text()
    assert window.document.project is before


def test_opening_another_project(window: MainWindow, project: Project, tmp_path: Path) -> None:
    other = project.model_copy(update={"name": "Second board"})
    save_project(other, tmp_path / "b.onda")
    set_resistor(window, "clk-adc", 46.0)
    window.load(tmp_path / "b.onda")
    assert window.settle()
    assert window.document.project.name == "Second board"
    assert not window.document.stack.canUndo()
    assert window.windowTitle().startswith("Second board")


def end_badly(window: MainWindow) -> None:
    """As the system does when a process is gone: nothing is held any more."""
    document = window.document
    document._timer.stop()
    for hold in (document._autosave._hold, document._lock):
        if hold is not None and hold.is_mine:
            os.close(hold._handle)
            hold._handle = -1


def test_unsaved_work_survives_a_crash(
    make_window: MakeWindow, project: Project, tmp_path: Path
) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(project, file)
    crashed = make_window(path=file)
    set_resistor(crashed, "clk-adc", 46.0)
    lost = crashed.document.project
    crashed.document.autosave_now()
    end_badly(crashed)
    assert load_project(file) == project
    window = make_window(path=file)
    window.offer_recovery()
    assert window.messages.actions_shown == ["Recover it", "Forget it", "Close"]
    window.messages.press("Recover it")
    assert window.document.project == lost
    window.undo()
    assert window.document.project == project
    window.redo()
    # It is kept until the work is saved.
    assert len(kept_of(file)) == 1
    window.opening.save()
    assert kept_of(file) == []


def test_closing_keeps_unsaved_work_aside(
    make_window: MakeWindow, project: Project, tmp_path: Path
) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(project, file)
    window = make_window(path=file)
    set_resistor(window, "clk-adc", 46.0)
    window.close()
    (kept,) = kept_of(file)
    found = read_kept(kept)
    assert found is not None
    assert found.project == window.document.project
    assert found.closed
    assert "path ADC sample clock: elements" in kept.changed


def test_work_never_saved_anywhere_is_kept_aside_too(make_window: MakeWindow) -> None:
    window = make_window()
    window.close()
    assert kept_work() == []
    window = make_window()
    set_resistor(window, "clk-adc", 46.0)
    left = window.document.project
    window.close()
    again = make_window()
    again.offer_recovery()
    again.messages.press("Recover it")
    assert again.document.project == left
    assert len(kept_work()) == 1


def test_forgetting_unsaved_work_is_final(make_window: MakeWindow) -> None:
    window = make_window()
    set_resistor(window, "clk-adc", 46.0)
    window.close()
    again = make_window()
    again.offer_recovery()
    again.messages.press("Forget it")
    assert again.document.recoverable() is None
    assert again.document.project.design.path("clk-adc").elements[0].value.si == 15.0


def test_closing_in_mid_run_ends_all_threads(make_window: MakeWindow) -> None:
    """The leak guard of the suite looks for threads afterwards."""
    window = make_window()
    for ohm in (20.0, 21.0, 22.0):
        set_resistor(window, "clk-adc", ohm)
    assert not window.desk.is_idle
    window.close()
    assert window.desk.is_idle


def test_cancel_stops_and_work_goes_on(window: MainWindow) -> None:
    set_resistor(window, "clk-adc", 23.4)
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert window.desk.under_way == []
    assert window.settle()
    set_resistor(window, "clk-adc", 24.0)
    assert window.settle()
    assert window.stages["paths"].result.z_source == pytest.approx(42.0)


def test_night_and_small_and_large_windows_draw(window: MainWindow) -> None:
    for size in ((1000, 640), (1280, 800), (2560, 1440)):
        for night in (True, False):
            window.resize(*size)
            window.look.set_night(night)
            for stage in window.stages:
                window.selection.go(stage)
                assert window.settle()
                image = window.grab().toImage()
                assert image.width() >= size[0]
                corner = image.pixelColor(QPoint(4, image.height() - 4)).name().upper()
                assert corner == (NIGHT if night else DAY).sheet


def luminance(color: str) -> float:
    parts = [int(color[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


@pytest.mark.parametrize("tokens", [DAY, NIGHT], ids=["day", "night"])
@pytest.mark.parametrize(
    "role", ["ink", "secondary", "sea", "kept_ink", "tight_ink", "fails", "holds"]
)
@pytest.mark.parametrize("ground", ["paper", "sheet"])
def test_text_colours_have_contrast(tokens: Tokens, role: str, ground: str) -> None:
    light, dark = sorted((luminance(getattr(tokens, n)) for n in (role, ground)), reverse=True)
    least = 4.2 if role == "holds" else 4.5
    assert (light + 0.05) / (dark + 0.05) >= least


def test_bars_show_limits_and_kept_marks(window: MainWindow) -> None:
    for margin in window.strip.margins:
        low, high = bar_scale(margin, [5.0])
        for limit in (margin.low, margin.high):
            assert limit is None or low <= limit <= high
        assert low <= margin.value <= high
        assert high >= 5.0


def test_everything_can_be_reached_with_tab(window: MainWindow) -> None:
    seen = set()
    window.listing.objects.setFocus()
    for _ in range(40):
        widget = QApplication.focusWidget()
        assert widget is not None
        seen.add(widget.accessibleName())
        QTest.keyClick(widget, Qt.Key.Key_Tab)
    assert "Path ribbon" in seen
    assert "Value" in seen
    assert "Trim: Value" in seen
    assert any(name.startswith("Course") for name in seen)


def test_two_windows_on_one_file_do_not_take_each_others_work(
    make_window: MakeWindow, project: Project, tmp_path: Path
) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(project, file)
    one = make_window(path=file)
    assert one.document.opened_by is None
    other = make_window()
    other.load(file)
    by = other.document.opened_by
    assert by is not None
    assert by.process == os.getpid()
    assert "fulmar.onda is open elsewhere too" in other.messages.text.text()
    assert f"process {os.getpid()}" in other.messages.text.text()
    for window, ohm in ((one, 46.0), (other, 47.0)):
        set_resistor(window, "clk-adc", ohm)
        window.document.autosave_now()
    # What living windows keep is offered to nobody.
    assert kept_of(file) == []
    assert other.document.recoverable() is None
    # The second one does not go over the first one's file without being told to.
    other.opening.save()
    assert load_project(file) == project
    assert other.messages.actions_shown == ["Save all the same", "Save beside it", "Close"]
    one.opening.save()
    assert load_project(file) == one.document.project
    end_badly(other)
    (kept,) = kept_of(file)
    found = read_kept(kept)
    assert found is not None
    assert found.project == other.document.project
    # The file was saved after it was kept: it is in the list, but not offered as newer work.
    os.utime(file, (kept.saved_at + 5, kept.saved_at + 5))
    assert one.document.recoverable() is None


def test_once_the_other_window_is_closed_the_file_is_this_ones(
    make_window: MakeWindow, project: Project, tmp_path: Path
) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(project, file)
    one, other = make_window(path=file), make_window()
    other.load(file)
    assert other.document.is_open_elsewhere()
    one.close()
    set_resistor(other, "clk-adc", 47.0)
    other.opening.save()
    assert load_project(file) == other.document.project
    assert not other.document.is_open_elsewhere()
    # After a crash the file that says so is left, but nobody holds it.
    end_badly(other)
    assert (tmp_path / ".fulmar.onda.open").exists()
    third = make_window()
    third.load(file)
    assert third.document.opened_by is None
    third.close()
    assert not (tmp_path / ".fulmar.onda.open").exists()


def test_work_that_is_offered_outlives_what_comes_after_it(
    make_window: MakeWindow, project: Project, tmp_path: Path
) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(project, file)
    crashed = make_window(path=file)
    set_resistor(crashed, "clk-adc", 46.0)
    lost = crashed.document.project
    crashed.document.autosave_now()
    end_badly(crashed)
    window = make_window(path=file)
    window.offer_recovery()
    assert "path ADC sample clock: elements" in window.messages.text.text()
    # Not looked at: the user goes on, and this session has an autosave of its own.
    set_resistor(window, "clk-adc", 12.0)
    window.document.autosave_now()
    window.opening.save()
    (kept,) = kept_of(file)
    assert read_kept(kept).project == lost  # type: ignore[union-attr]


def test_undone_work_is_not_offered(
    make_window: MakeWindow, project: Project, tmp_path: Path
) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(project, file)
    window = make_window(path=file)
    set_resistor(window, "clk-adc", 46.0)
    window.document.autosave_now()
    window.undo()
    assert window.document.is_saved
    end_badly(window)
    assert kept_of(file) == []


def test_the_list_of_kept_work_takes_up_and_forgets(
    make_window: MakeWindow, project: Project, tmp_path: Path
) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(project, file)
    left = []
    for ohm in (46.0, 47.0):
        window = make_window(path=file)
        set_resistor(window, "clk-adc", ohm)
        left.append(window.document.project)
        window.close()
    window = make_window()
    window.show_start()
    page = window.start_page
    words = [b.text() for b in page.entries]
    assert len(words) == 2
    assert all("kept" in w and "of fulmar.onda: path ADC sample clock" in w for w in words)
    page.entries[1].click()
    assert window.settle()
    assert window.document.path == file
    assert window.document.project == left[0]
    assert not window.document.is_saved
    # Both are there until one is saved or forgotten.
    assert len(kept_of(file)) == 2
    window.show_start()
    forget = [
        b for b in page.findChildren(QPushButton) if b.text() == "Forget" and b.isVisibleTo(page)
    ]
    forget[0].click()
    (kept,) = kept_of(file)
    assert read_kept(kept).project == left[0]  # type: ignore[union-attr]
    window.opening.save()
    assert kept_of(file) == []
    assert load_project(file) == left[0]


def test_a_file_of_the_same_name_in_the_new_folder_keeps_its_place(
    make_window: MakeWindow, project: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = make_window(path=tmp_path / "fulmar.onda")
    save_project(project, tmp_path / "fulmar.onda")
    reference = project.design.device_files[0]
    theirs = tmp_path / "other" / reference.path
    theirs.parent.mkdir(parents=True)
    theirs.write_bytes(b"another one")
    chosen = str(tmp_path / "other" / "fulmar.onda")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (chosen, ""))
    window.opening.save_as()
    assert "Nothing was saved yet" in window.messages.text.text()
    assert window.messages.actions_shown[0] == "Keep both"
    window.messages.press("Keep both")
    assert theirs.read_bytes() == b"another one"
    saved = load_project(tmp_path / "other" / "fulmar.onda")
    new = saved.design.device_files[0]
    assert new.path == reference.path.replace(".", "-2.")
    assert new.sha256 == reference.sha256
    mine = (tmp_path / "other" / new.path).read_bytes()
    assert mine == (tmp_path / reference.path).read_bytes()
    window.undo()
    assert window.document.project.design.device_files[0].path == reference.path


def test_a_file_that_is_nowhere_is_told_when_saving(
    make_window: MakeWindow, project: Project, tmp_path: Path
) -> None:
    lost = set_value(project.design.device_files[0], id="lost", path="lost.ibs", sha256="0" * 64)
    files = (*project.design.device_files, lost)
    design = set_value(project.design, device_files=files)
    window = make_window(set_value(project, design=design), tmp_path / "fulmar.onda")
    window.document.save()
    assert "lost.ibs is nowhere to be found" in window.messages.text.text()


def test_kept_work_says_when_of_what_and_what_changed(tmp_path: Path) -> None:
    file = tmp_path / "fulmar.onda"
    file.write_text("x")
    now = file.stat().st_mtime
    kept = Kept(tmp_path / "kept", "Fulmar", file, now + 60.0, closed=True, changed=("a", "b"))
    moment = time.strftime("%d %b %H:%M", time.localtime(now + 60.0)).lstrip("0")
    assert _kept_words(kept) == f"not saved, kept {moment} of fulmar.onda: a; b"
    older = replace(kept, saved_at=now - 3600.0, changed=())
    assert _kept_words(older).endswith(" of fulmar.onda, older than the file")
    never = replace(kept, file=None, changed=("x" * 500,))
    words = _kept_words(never)
    assert " of " not in words
    assert words.endswith("x…")
    assert len(words) < 300


def test_what_is_not_kept_yet_is_kept_before_long_runs(
    make_window: MakeWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = make_window(path=tmp_path / "fulmar.onda")
    window.document.edit("Rename", set_value(window.document.project, name="Long"))
    # Nothing runs that long: nothing is written.
    window._keep_before_long()
    assert not window.document._autosave.path.exists()
    slow = Running("x", "a long one")
    slow.started -= 2.0
    monkeypatch.setattr(type(window.desk), "under_way", [slow])
    window._keep_before_long()
    assert window.document._autosave.path.exists()
    assert not window.document._timer.isActive()
    window.document.edit("Rename", set_value(window.document.project, name="Report"))
    window.document._autosave.path.unlink()
    monkeypatch.setattr(window.reporter, "write", lambda *_: None)
    window.write_report(tmp_path / "page")
    assert window.document._autosave.path.exists()


def test_what_is_wrong_stays_said_on_its_stage_and_notes_go(window: MainWindow) -> None:
    surface = window.stages["paths"].surface
    for words, tell, stays in (
        ("it is broken", surface.tell, True), ("it is written", surface.note, False),
    ):  # fmt: skip
        tell(words)
        assert (window.messages.says, window.messages.is_error) == (words, stays)
        window.selection.go("lines")
        assert window.messages.says != words
        assert surface.problem.text() == (words if stays else "")
        surface.hush()
        window.selection.go("paths")


def test_a_report_that_fails_is_an_error_and_one_that_is_written_is_none(
    window: MainWindow,
) -> None:
    window.reporter.failed.emit("no room left")
    assert (window.messages.says, window.messages.is_error) == ("no room left", True)
    window.reporter.written.emit("page.html")
    assert (window.messages.says, window.messages.is_error) == ("Report: page.html", False)


def test_what_has_to_be_made_first_is_begun_where_it_is_made(window: MainWindow) -> None:
    paths = window.stages["paths"]
    paths.make_wanted.emit("line")
    assert window.selection.stage == "lines"
    lines = window.stages["lines"]
    assert lines.surface.shows_content is False
    # What is made nowhere by itself is only gone to.
    begun: list[str] = []
    lines.begin_making = lambda *a: begun.append("begun")  # type: ignore[method-assign]
    paths.make_wanted.emit("line")
    assert begun == ["begun"]
    lines.makes = ()  # type: ignore[misc]
    paths.make_wanted.emit("line")
    assert begun == ["begun"]


def test_nothing_is_required_while_something_else_is_made(
    window: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    can: list[bool] = []
    monkeypatch.setattr(window.strip, "can_require", can.append)
    stage = window.stages["paths"]
    window._show_margins()
    assert can == [True]
    stage.begin_making()
    window._show_margins()
    assert can[-1] is False


def test_bars_have_the_marks_of_what_was_kept(window: MainWindow) -> None:
    window.keep()
    set_resistor(window, "clk-adc", 40.0)
    assert window.settle()
    stage = window.stages["paths"]
    _, margins, kept = stage.margins()
    assert any(kept.values())
    assert window.strip._kept == kept
    assert [m.requirement for m in window.strip._margins] == [m.requirement for m in margins]


def test_what_is_in_view_is_what_the_desk_runs_first(window: MainWindow) -> None:
    for stage in ("lines", "stackup", "paths"):
        window.selection.go(stage)
        assert window.desk._is_in_view(f"{stage}-anything")
        assert not window.desk._is_in_view("networks-anything")
