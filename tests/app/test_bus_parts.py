"""What a bus is made of, and its tables of slews, changed in the real window."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from onda.app.shell.window import MainWindow
from onda.app.stages.buses.lengths_form import pieces_of
from onda.app.stages.buses.parts_view import PartsView
from onda.app.stages.buses.pins_view import PinsView
from onda.app.stages.buses.slews_view import SlewGrid, SlewsView
from onda.app.theme import Look
from onda.demo import fulmar_project
from onda.project.base import set_value
from onda.project.buses.bus import Bus
from onda.project.buses.pins import with_pins
from onda.project.buses.slew_text import rows_of
from onda.project.edits import replace_object
from onda.project.model import Project
from tests.app.conftest import MakeWindow, only, type_into
from tests.app.test_buses import shown


@pytest.fixture
def window(make_window: MakeWindow) -> MainWindow:
    board = fulmar_project()
    bus = board.design.bus("byte0")
    keep = tuple(s for s in bus.signals if s.id in ("DQS0", "DQ1"))
    small = set_value(bus, signals=keep, operations=bus.operations[:1], corners=("typ",), bits=16)
    return make_window(only(replace_object(board, small), "bus"), stage="buses")


def bus_of(window: MainWindow) -> Bus:
    return window.document.project.design.bus("byte0")


def parts(window: MainWindow, kind: str) -> PartsView:
    stage = shown(window)
    stage.views.choose("parts")
    view = stage.views.get("parts", PartsView)
    view.chips.choose(kind)
    return view


def cells(view: PartsView) -> list[tuple[str, ...]]:
    return [row.cells for row in view.list.rows]


def test_signals_are_added_changed_and_removed(window: MainWindow) -> None:
    view = parts(window, "signals")
    assert cells(view) == [
        ("DQS0", "a strobe", "mem-dq", "as in Paths"), ("DQ1", "DQS0", "mem-dq", "as in Paths"),
    ]  # fmt: skip
    view.list.chosen.emit("DQ1")
    view.add.click()
    assert [s.name for s in bus_of(window).signals] == ["DQS0", "DQ1", "DQ2"]
    # The new one is the chosen one, and its fields are in view.
    assert view.current == "DQ2"
    assert view.texts["Name"].edit.text() == "DQ2"
    type_into(view.texts["Name"].edit, "DM0")
    assert bus_of(window).signal("DQ2").name == "DM0"
    assert cells(view)[2][0] == "DM0"
    view.choices.choose("Path", "mem-ca")
    assert bus_of(window).signal("DQ2").path == "mem-ca"
    # A strobe takes; what is taken does not.
    view.choices.choose("Taken by", "")
    view.choices.choose("Takes at", "rising")
    assert (bus_of(window).signal("DQ2").strobe, bus_of(window).signal("DQ2").takes) == (
        "",
        "rising",
    )
    assert cells(view)[2] == ("DM0", "a clock", "mem-ca", "as in Paths")
    takers = next(s for s in view.choices._specs if s.title == "Taken by")
    # A strobe is not taken by itself.
    assert [key for key, _ in takers.items] == ["", "DQS0"]
    view.choices.choose("Taken by", "DQS0")
    assert bus_of(window).signal("DQ2").takes == "both"
    assert "Takes at" not in [s.title for s in view.choices._specs]
    assert window.settle(120_000)
    # What takes others stays, and says why.
    view.list.chosen.emit("DQS0")
    view.remove.click()
    assert "DQS0" in {s.id for s in bus_of(window).signals}
    assert "DQS0 takes DQ1 and 1 more" in shown(window).surface.problem.text()
    view.list.chosen.emit("DQ2")
    view.remove.click()
    assert [s.id for s in bus_of(window).signals] == ["DQS0", "DQ1"]
    assert view.current == "DQS0"
    window.undo()
    assert bus_of(window).signal("DQ2").name == "DM0"
    assert cells(view)[2][0] == "DM0"
    assert window.settle(120_000)
    assert set(window.stages["buses"].map.cells) == {
        ("DQ1", "write-a", "typ"), ("DQ2", "write-a", "typ"),
    }  # fmt: skip


def test_lengths_of_a_signal_that_is_gone_are_gone_at_once(window: MainWindow) -> None:
    view = parts(window, "signals")
    stage = shown(window)
    assert stage.map.case.signal == "DQ1"
    field = stage.fields.lengths.fields["DQ1", "T1"]
    assert field.isVisibleTo(stage.fields)
    view.list.chosen.emit("DQ1")
    view.add.click()
    view.list.chosen.emit("DQ1")
    view.remove.click()
    assert stage.fields.lengths.fields == {}
    # One that was half typed in meanwhile is refused in its place.
    type_into(field.edit, "20 mm")
    assert "has no signal 'DQ1'" in field.problem.text()
    assert window.settle(120_000)
    assert {key[0] for key in stage.map.cells} == {"DQ2"}


def test_operations_are_added_changed_and_removed(window: MainWindow) -> None:
    view = parts(window, "operations")
    assert cells(view) == [
        ("Write A", "Controller", "Module A", "data", "all", "0.5 UI", "alike"),
    ]  # fmt: skip
    view.remove.click()
    assert len(bus_of(window).operations) == 1
    view.add.click()
    new = view.current
    type_into(view.texts["Name"].edit, "Write B")
    view.choices.choose("Listens", "B")
    view.choices.choose("Strobe stands", "no")
    type_into(view.texts["Strobe behind data"].edit, "0.45")
    type_into(view.texts["Lanes of"].edit, "DQS0")
    first, second = bus_of(window).operations
    assert first.id == "write-a"
    assert (second.id, second.name, second.drives, second.listens) == (new, "Write B", "U1", "B")
    assert (second.centred, second.strobe_at.si, second.lanes) == (False, 0.45, ("DQS0",))
    assert cells(view)[1] == (
        "Write B", "Controller", "Module B", "data", "DQS0", "0.45 UI", "as it comes",
    )  # fmt: skip
    # Nonsense is refused where it was typed.
    type_into(view.texts["Lanes of"].edit, "DQS9")
    assert "no signal 'DQS9'" in view.texts["Lanes of"].problem.text()
    assert bus_of(window).operations[1].lanes == ("DQS0",)
    type_into(view.texts["Strobe behind data"].edit, "banana")
    assert view.texts["Strobe behind data"].problem.text()
    # A half typed field of one operation is not that of another one.
    view.texts["Name"].edit.setFocus()
    QTest.keyClicks(view.texts["Name"].edit, "zzz")
    view.list.chosen.emit("write-a")
    assert window.settle(120_000)
    assert [o.name for o in bus_of(window).operations] == ["Write A", "Write B"]
    assert view.texts["Lanes of"].edit.text() == ""
    assert view.texts["Lanes of"].edit.placeholderText() == "all strobes"
    view.list.chosen.emit(new)
    view.choices.choose("Sends", "B")
    assert (bus_of(window).operations[1].drives, bus_of(window).operations[1].listens) == (
        "B",
        "U1",
    )
    # Nothing of it is taken by a clock: refused, and the list shows what is.
    view.choices.choose("Over", "address")
    assert bus_of(window).operations[1].over == "data"
    assert view.choices.boxes[2].currentData() == "data"
    assert window.settle(120_000)
    view.remove.click()
    assert [o.id for o in bus_of(window).operations] == ["write-a"]
    assert window.settle(120_000)


def test_devices_are_renamed_removed_and_added(window: MainWindow) -> None:
    view = parts(window, "devices")
    assert [row[:2] for row in cells(view)] == [
        ("Controller", "driver"), ("Module A", "A"), ("Module B", "receiver"),
    ]  # fmt: skip
    view.list.chosen.emit("A")
    type_into(view.texts["Skew as sender"].edit, "12")
    type_into(view.texts["Jitter as sender"].edit, "5 ps")
    assert bus_of(window).device("A").takes_from("data") == pytest.approx(17e-12)
    assert view.texts["Skew as sender"].edit.text() == "12 ps"
    view.remove.click()
    assert "Module A listens in Write A" in shown(window).surface.problem.text()
    view.choices.choose("Sheet for data", "no")
    assert bus_of(window).device("A").sheet is not None
    view.choices.choose("Sheet for address", "no")
    assert bus_of(window).device("A").address_sheet is None
    assert cells(view)[1][3] == "none"
    view.list.chosen.emit("B")
    type_into(view.texts["Name"].edit, "Far module")
    assert bus_of(window).device("B").name == "Far module"
    view.remove.click()
    assert [d.id for d in bus_of(window).devices] == ["U1", "A"]
    view.add.click()
    assert [d.end for d in bus_of(window).devices] == ["driver", "A", "receiver"]
    assert view.current == bus_of(window).devices[2].id
    view.add.click()
    assert len(bus_of(window).devices) == 3
    assert window.settle(120_000)


def test_a_bus_that_cannot_be_worked_out_can_be_set_up(window: MainWindow) -> None:
    """Without a device file an operation has no answer: the set-up is there to mend it."""
    project = window.document.project
    path = project.design.path("mem-dq")
    bare = set_value(path, driver=set_value(path.driver, model=None))
    window.document.edit("Without", replace_object(project, bare))
    view = parts(window, "operations")
    stage = shown(window)
    assert stage.map.case is None
    assert cells(view)[0][0] == "Write A"
    type_into(view.texts["Name"].edit, "W")
    assert bus_of(window).operations[0].name == "W"
    assert cells(view)[0][0] == "W"


def grid_of(window: MainWindow, key: str) -> SlewGrid:
    stage = shown(window)
    stage.views.choose("slews")
    return stage.views.get("slews", SlewsView).grids[key]


def type_cell(grid: SlewGrid, row: int, column: int, typed: str) -> None:
    item = grid.grid.item(row, column)
    assert item is not None
    item.setText(typed)


def test_slews_are_typed_pasted_and_taken_away(window: MainWindow) -> None:
    grid = grid_of(window, "setup_table")
    before = bus_of(window).device("A").sheet.setup_table
    assert grid.texts == rows_of(before)
    type_cell(grid, 1, 2, "33")
    assert grid.problem.text() == ""
    table = bus_of(window).device("A").sheet.setup_table
    assert table.delta[0][1] == pytest.approx(33e-12)
    assert table.data_slew == before.data_slew
    type_cell(grid, 0, 2, "9")
    assert bus_of(window).device("A").sheet.setup_table.strobe_slew[1] == pytest.approx(9e9)
    # Nonsense is taken back, and told below.
    type_cell(grid, 1, 2, "much")
    assert "row 2, column 3: 'much' is no number" in grid.problem.text()
    assert grid.texts[1][2] == "33"
    type_cell(grid, 0, 2, "1")
    assert "slews of the strobe must rise" in grid.problem.text()
    grid.buttons["row"].click()
    grid.buttons["column"].click()
    table = bus_of(window).device("A").sheet.setup_table
    assert len(table.delta) == len(before.delta) + 1
    assert len(table.strobe_slew) == len(before.strobe_slew) + 1
    assert grid.texts == rows_of(table)
    grid.grid.setCurrentCell(0, len(table.strobe_slew))
    grid.buttons["less"].click()
    grid.grid.setCurrentCell(len(table.data_slew), 0)
    grid.buttons["less"].click()
    table = bus_of(window).device("A").sheet.setup_table
    assert (len(table.data_slew), len(table.strobe_slew)) == (
        len(before.data_slew), len(before.strobe_slew),
    )  # fmt: skip
    QApplication.clipboard().setText("\t1\t3\n2\t5\t6\n")
    QTest.keyClick(grid.grid, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert rows_of(bus_of(window).device("A").sheet.setup_table) == [
        ["V/ns", "1", "3"], ["2", "5", "6"],
    ]  # fmt: skip
    assert grid.texts == [["V/ns", "1", "3"], ["2", "5", "6"]]
    grid.buttons["none"].click()
    assert bus_of(window).device("A").sheet.setup_table is None
    assert grid.texts == []
    window.undo()
    assert grid.texts == [["V/ns", "1", "3"], ["2", "5", "6"]]
    other = grid_of(window, "hold_table")
    if bus_of(window).device("A").sheet.hold_table is not None:
        other.buttons["none"].click()
    other.buttons["make"].click()
    assert bus_of(window).device("A").sheet.hold_table.delta == ((0.0, 0.0), (0.0, 0.0))
    assert window.settle(120_000)


def test_worst_bits_and_settings_alike_are_chosen(window: MainWindow) -> None:
    stage = shown(window)
    stage.fields.ways.choose("Worst bits", "yes")
    assert bus_of(window).worst
    assert window.settle(120_000)
    stage.fields.ways.choose("Levels, strobes", "yes")
    assert bus_of(window).alike
    assert window.settle(120_000)
    assert [c.case.state for c in stage.map.cells.values()] == ["holds"]
    # Bits are typed, or the worst ones looked for.
    type_into(stage.fields.typed.edit, "0011")
    assert "bits are typed, or the worst ones looked for" in stage.fields.typed.problem.text()
    stage.fields.ways.choose("Worst bits", "no")
    type_into(stage.fields.typed.edit, "0011")
    assert (bus_of(window).worst, bus_of(window).typed) == (False, "0011")
    assert window.settle(120_000)


def test_address_is_asked_for_once_it_is_named(window: MainWindow) -> None:
    stage = shown(window)
    before = len(window.document.project.design.buses)
    stage.begin_making()
    maker = stage.maker
    assert "address_path" not in maker.entries
    maker.entries["address"].setFocus()
    QTest.keyClicks(maker.entries["address"], "A0 A1")
    # With Enter nothing is made before what follows was asked.
    QTest.keyClick(maker.entries["address"], Qt.Key.Key_Return)
    assert {"address_path", "clock"} <= set(maker.entries)
    assert len(window.document.project.design.buses) == before
    QTest.keyClicks(maker.entries["address"], " A2")
    maker.entries["rate"].setFocus()
    assert maker.entries["rate"].hasFocus()
    for key, path in (
        ("data", "mem-dq"),
        ("strobe", "mem-dq"),
        ("address_path", "mem-ca"),
        ("clock", "mem-ca"),
    ):
        box = maker.entries[key]
        box.setCurrentIndex(box.findData(path))
        box.activated.emit(box.currentIndex())
    maker.make.click()
    made = window.document.project.design.buses[-1]
    assert [(s.name, s.path, s.strobe) for s in made.signals][-2:] == [
        ("A1", "mem-ca", "CK"), ("A2", "mem-ca", "CK"),
    ]  # fmt: skip
    assert [o.over for o in made.operations] == ["data"] * 4 + ["address"] * 2
    window.undo()
    assert window.settle(120_000)


def test_lengths_of_their_own_are_those_of_the_pieces_that_have_some(project: Project) -> None:
    bus, path = project.design.bus("byte0"), project.design.path("mem-dq")
    traces = {e.id: e.length for e in path.all_elements if e.kind == "trace"}
    own = {x.id for s in bus.signals if s.path == path.id for x in s.lengths}
    assert own < set(traces)
    assert pieces_of(bus, path) == {k: v for k, v in traces.items() if k in own}
    # Where no signal has a length of its own, any piece may get one.
    bare = set_value(bus, signals=tuple(set_value(s, lengths=()) for s in bus.signals))
    assert pieces_of(bare, path) == traces
    # Lengths along another path do not count.
    away = set_value(bus, signals=tuple(set_value(s, path="elsewhere") for s in bus.signals))
    assert pieces_of(away, path) == traces


def test_pins_are_those_of_the_files_of_a_signals_own_path(
    qtbot: QtBot, look: Look, project: Project
) -> None:
    bus = project.design.bus("byte0")
    here, there = bus.signals[0], bus.signals[1]
    moved = set_value(there, path="another")
    bus = set_value(bus, signals=(here, moved, *bus.signals[2:]))
    device = bus.devices[0]
    put: list[tuple[str, str, str]] = []
    view = PinsView(look, lambda *a: put.append(a), lambda: None)
    qtbot.addWidget(view)
    files = {(here.path, device.id): "one", ("another", device.id): "two"}
    pins = {"one": (("A1", "X"), ("A2", "Y")), "two": (("B1", "X"), ("B2", "Y"))}
    view.show_bus(bus, files, pins)

    def offered(signal: str) -> list[str]:
        view._choose(signal)
        assert view.chosen.text() == bus.signal(signal).name
        box = view.boxes[device.id]
        # Behind what its path has, and what is set though its file has no such pin.
        names = [box.itemText(k) for k in range(1, box.count())]
        return [n for n in names if not n.endswith("not in its file")]

    assert offered(here.id) == ["A1 · X", "A2 · Y"]
    assert offered(moved.id) == ["B1 · X", "B2 · Y"]
    box = view.boxes[device.id]
    box.setCurrentIndex(box.findData("B2"))
    box.activated.emit(box.currentIndex())
    assert put == [(moved.id, device.id, "B2")]
    # What is set stands in the list of its own signal.
    signals = with_pins(bus, {(here.id, device.id): "A2", (moved.id, device.id): "B1"})
    view.show_bus(set_value(bus, signals=signals), files, pins)
    for signal, pin in ((here.id, "A2"), (moved.id, "B1")):
        view._choose(signal)
        assert view.boxes[device.id].currentData() == pin
