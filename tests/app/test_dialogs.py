"""What is asked for by dialogs and menus goes where it was asked; leaving changes nothing."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QMenu, QPushButton, QToolTip, QWidget

from onda.app.stages.networks.limits_view import LimitsView
from onda.project.base import set_value
from onda.studies.links.in_device_file import DeviceExecutable, DeviceExecutables
from tests.app.conftest import OnObject

Answer = Callable[[str], list[tuple[str, ...]]]


@pytest.fixture
def answer(monkeypatch: pytest.MonkeyPatch) -> Answer:
    """Answers every dialog with a name; gives the list of what is asked: title, name, kinds."""

    def given(*names: str) -> list[tuple[str, ...]]:
        asked: list[tuple[str, ...]] = []

        def dialog(_: QWidget, title: str, at: str, kinds: str = "") -> tuple[str, str]:
            asked.append((title, Path(at).name, kinds))
            return names[min(len(asked), len(names)) - 1], ""

        for kind in ("getOpenFileName", "getSaveFileName"):
            monkeypatch.setattr(QFileDialog, kind, dialog)
        return asked

    return given


def button(where: QWidget, words: str) -> QPushButton:
    (found,) = [b for b in where.findChildren(QPushButton) if b.text() == words]
    return found


def open_menu() -> QMenu:
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    return menu


def test_a_network_is_opened_and_written(known: OnObject, answer: Answer, tmp_path: Path) -> None:
    window = known("networks", "mezzanine")
    stage = window.stages["networks"]
    read: list[Path] = []
    written: list[tuple[Path, object]] = []
    stage.edits.read_file = read.append
    stage.edits.write = lambda path, result: written.append((path, result))
    asked = answer(str(tmp_path / "a.s4p"))
    (aside,) = stage.asides()
    aside.act()
    assert read == [tmp_path / "a.s4p"]
    assert asked[0][0] == "Open network"
    assert "*.s*p" in asked[0][2]
    # What can be made is offered where the pointer is, by the list's plus.
    stage.add()
    menu = open_menu()
    assert menu.actions()[0].text() == "A file of S-parameters…"
    menu.actions()[0].trigger()
    menu.close()
    assert len(read) == 2
    # Written is what is shown, under a name of its own with as many ports as it has.
    stage._write()
    result = stage.result
    assert result is not None
    assert written == [(tmp_path / "a.s4p", result)]
    assert asked[-1][:2] == ("Write network", "Mezzanine connector.s4p")
    answer("")
    aside.act()
    stage._write()
    assert (len(read), len(written)) == (2, 1)
    stage.subject.result = None
    stage._write()
    assert "nothing to write yet" in stage.surface.problem.text()


def test_a_set_of_limits_is_saved_and_opened(
    known: OnObject, answer: Answer, tmp_path: Path
) -> None:
    window = known("networks", "up0-channel")
    stage = window.stages["networks"]
    stage.views.choose("limits")
    QApplication.processEvents()
    view = stage.views.get("limits", LimitsView)
    file = tmp_path / "board limits.json"
    asked = answer(str(file))
    button(view, "Save as set…").click()
    assert file.is_file()
    assert asked == [("Save set", "limits.json", "Requirement sets (*.json)")]
    before = [view.sets.itemText(k) for k in range(view.sets.count())]
    button(view, "Open set…").click()
    assert asked[-1][0] == "Open set"
    assert view.sets.count() == len(before) + 1
    assert view.sets.currentText() == "board limits"
    # What is no set is said, and offers nothing.
    file.write_text("[]", encoding="utf-8")
    button(view, "Open set…").click()
    assert "board limits.json" in stage.surface.problem.text()
    assert view.sets.count() == len(before) + 1
    answer("")
    button(view, "Open set…").click()
    assert stage.surface.problem.text() == ""
    assert view.sets.count() == len(before) + 1


def test_a_device_file_is_asked_for_at_the_chosen_end(
    known: OnObject, answer: Answer, tmp_path: Path
) -> None:
    window = known("paths", "clk-adc")
    edits = window.stages["paths"].actions
    used: list[Path] = []
    edits.use_file = used.append
    asked = answer(str(tmp_path / "buffer.ibs"))
    edits.choose_file(window)
    assert used == [tmp_path / "buffer.ibs"]
    title, _, kinds = asked[0]
    assert title == "Open device file"
    assert "*.ibs" in kinds
    assert "*.s2p" in kinds
    answer("")
    edits.choose_file(window)
    assert len(used) == 1


def test_outlines_are_asked_for(known: OnObject, answer: Answer, tmp_path: Path) -> None:
    window = known("lines", "bead")
    panel = window.stages["lines"].shield_panel
    read: list[Path] = []
    panel.read_outlines = read.append
    asked = answer(str(tmp_path / "guide.csv"))
    panel.read.click()
    answer("")
    panel.read.click()
    assert read == [tmp_path / "guide.csv"]
    assert asked[0][::2] == ("Read outlines", "CSV (*.csv)")


def test_what_a_closed_section_is_made_of_is_picked(
    known: OnObject,
) -> None:
    window = known("lines", "bead")
    stage, document = window.stages["lines"], window.document
    panel = stage.shield_panel

    def pick(box: Any, key: str) -> None:
        box.setCurrentIndex(box.findData(key))
        box.activated.emit(box.currentIndex())

    before = document.project.design.shielded[0]
    other = next(m.id for m in document.project.design.materials if m.id != before.material)
    pick(panel.material, other)
    (now, *_) = document.project.design.shielded
    assert now == set_value(before, material=other)
    window.undo()
    pick(panel.shape, "box")
    assert document.project.design.shielded[0].shape == "box"
    window.undo()
    assert document.project.design.shielded[0] == before
    # What cannot be is said, and the field goes back to what is.
    pick(panel.shape, "drawn")
    assert document.project.design.shielded[0] == before
    assert "a drawn section needs a shield" in stage.surface.problem.text()
    assert panel.shape.currentData() == before.shape
    pick(panel.material, other)
    assert stage.surface.problem.text() == ""


def test_a_model_without_its_library_beside_it_is_asked_for_it(
    known: OnObject, answer: Answer, tmp_path: Path
) -> None:
    window = known("eyes", "jl0")
    fields = window.stages["eyes"].chain.transmitter.model
    taken: list[tuple[Path, ...]] = []
    fields.take = lambda *files: taken.append(files)
    fields.take_from = lambda file: taken.append((file,))
    parameters, library = tmp_path / "tx.ami", tmp_path / "elsewhere.so"
    asked = answer(str(parameters), str(library))
    fields.ask()
    assert taken == [(parameters, library)]
    assert [a[0] for a in asked] == ["Executable model", "Library of tx.ami"]
    # Beside it, it is taken from there; a device file names its own.
    (tmp_path / "tx.so").write_bytes(b"")
    asked = answer(str(parameters))
    fields.ask()
    assert taken[-1] == (parameters, tmp_path / "tx.so")
    assert len(asked) == 1
    answer(str(tmp_path / "part.ibs"))
    fields.ask()
    assert taken[-1] == (tmp_path / "part.ibs",)
    # Leaving either dialog takes nothing.
    (tmp_path / "tx.so").unlink()
    answer(str(parameters), "")
    fields.ask()
    answer("")
    fields.ask()
    assert len(taken) == 3


def test_a_project_is_opened_from_a_dialog(known: OnObject, answer: Answer, tmp_path: Path) -> None:
    window = known("paths", "clk-adc")
    loaded: list[Path] = []
    window.opening.load = loaded.append
    answer(str(tmp_path / "b.onda"))
    window.opening.open_file()
    answer("")
    window.opening.open_file()
    assert loaded == [tmp_path / "b.onda"]


def test_menus_open_by_keys(known: OnObject) -> None:
    window = known("paths", "clk-adc")
    ribbon = window.stages["paths"].ribbon
    places: list[QPoint] = []
    ribbon.show_menu = places.append
    for key in (Qt.Key.Key_Menu, Qt.Key.Key_Insert):
        QTest.keyClick(ribbon, key)
    assert places == [ribbon.mapToGlobal(ribbon.rect().center())] * 2


def test_a_device_file_with_several_models_asks_which(known: OnObject, tmp_path: Path) -> None:
    window = known("eyes", "jl0")
    fields = window.stages["eyes"].chain.transmitter.model
    taken: list[tuple[Path, ...]] = []
    fields.take = lambda *files: taken.append(files)
    asked: dict[str, Any] = {}
    fields._subject.ask = lambda slot, study, inputs, found, tell: asked.update(found=found)

    def one(name: str) -> DeviceExecutable:
        return DeviceExecutable(
            name, "tx", str(tmp_path / f"{name}.so"), str(tmp_path / f"{name}.ami")
        )

    fields.take_from(tmp_path / "part.ibs")
    asked["found"](DeviceExecutables((one("fast"), one("slow")), ()))
    assert taken == []
    menu = open_menu()
    assert [a.text() for a in menu.actions()] == ["fast", "slow"]
    menu.actions()[1].trigger()
    menu.close()
    assert taken == [(tmp_path / "slow.ami", tmp_path / "slow.so")]
    asked["found"](DeviceExecutables((one("fast"),), ()))
    assert taken[-1] == (tmp_path / "fast.ami", tmp_path / "fast.so")
    asked["found"](DeviceExecutables((), ("windows",)))
    assert len(taken) == 2
    assert "It has them for windows." in window.stages["eyes"].surface.problem.text()


def test_boxes_of_a_chain_tell_their_ports(known: OnObject) -> None:
    window = known("networks", "up0-channel")
    chain = window.stages["networks"].chain
    box = chain.boxes[0]
    middle = chain._rect(0).center().toPoint()
    for at, words in (
        (middle, f"{box.name}: ports left {', '.join(map(str, box.left))}; right "
                 f"{', '.join(map(str, box.right))}"),
    ):  # fmt: skip
        QToolTip.hideText()
        event = QHelpEvent(QEvent.Type.ToolTip, at, chain.mapToGlobal(at))
        QApplication.sendEvent(chain, event)
        assert QToolTip.text() == words
