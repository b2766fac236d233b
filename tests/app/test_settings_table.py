"""Strengths and terminations of a bus's devices: each cell is of its device and its operation."""

from __future__ import annotations

import pytest
from pytestqt.qtbot import QtBot

from onda.app.stages.buses.settings_table import SettingsTable
from onda.app.theme import Look
from onda.project.base import set_value
from onda.project.buses.bus import Bus
from onda.project.model import Project
from onda.studies.buses.search import with_models


@pytest.fixture
def bus(project: Project) -> Bus:
    return project.design.bus("byte0")


@pytest.fixture
def put() -> list[tuple[str, str, str]]:
    return []


@pytest.fixture
def table(qtbot: QtBot, look: Look, put: list[tuple[str, str, str]]) -> SettingsTable:
    made = SettingsTable(look, lambda *what: put.append(what))
    qtbot.addWidget(made)
    made.resize(800, 200)
    made.show()
    return made


def other(bus: Bus, operation: str, device: str, model: str) -> Bus:
    changed = tuple(
        with_models(o, [device], [model]) if o.id == operation else o for o in bus.operations
    )
    return set_value(bus, operations=changed)


def test_each_cell_is_what_its_device_is_in_its_operation(table: SettingsTable, bus: Bus) -> None:
    ids = [d.id for d in bus.devices]
    table.show_bus(bus, dict.fromkeys(ids, ("one", "two")), [])
    assert set(table.boxes) == {(o.id, d) for o in bus.operations for d in ids}
    for (operation, device), box in table.boxes.items():
        now = bus.operation(operation).model_of(device)
        assert box.currentData() == now
        names = [box.itemData(k) for k in range(box.count())]
        # What it is stays to be chosen though its file does not have it.
        assert names == ["", "one", "two", *([now] if now else [])]
        assert box.itemText(0) == "as in Paths"
        assert box.accessibleName().endswith(bus.operation(operation).name)
        assert box.styleSheet() == ""


def test_a_choice_goes_to_its_operation_and_device(
    table: SettingsTable, bus: Bus, put: list[tuple[str, str, str]]
) -> None:
    first, second = bus.operations[0], bus.operations[1]
    device, last = bus.devices[1].id, bus.devices[-1].id
    table.show_bus(bus, {device: ("x", "y"), last: ("z",)}, [])
    box = table.boxes[second.id, device]
    box.setCurrentIndex(2)
    box.activated.emit(2)
    table.boxes[first.id, last].setCurrentIndex(1)
    table.boxes[first.id, last].activated.emit(1)
    table.boxes[first.id, last].setCurrentIndex(0)
    table.boxes[first.id, last].activated.emit(0)
    assert put == [(second.id, device, "y"), (first.id, last, "z"), (first.id, last, "")]


def test_cells_that_differ_from_a_kept_state_are_outlined(
    table: SettingsTable, bus: Bus, look: Look
) -> None:
    operation, device = bus.operations[0].id, bus.devices[1].id
    kept = other(other(bus, operation, device, ""), bus.operations[1].id, device, "odt99")
    table.show_bus(bus, {}, [kept, bus])
    marked = {where for where, box in table.boxes.items() if box.styleSheet()}
    assert marked == {(operation, device), (bus.operations[1].id, device)}
    now = bus.operation(operation).model_of(device)
    assert look.t.kept in table.boxes[operation, device].styleSheet()
    assert table.boxes[operation, device].toolTip() == f"Kept: as in Paths, {now}"
    assert table.boxes[bus.operations[1].id, device].toolTip().startswith("Kept: odt99, ")
    # Let go, no cell is marked any more.
    table.show_bus(bus, {}, [])
    assert {box.styleSheet() for box in table.boxes.values()} == {""}
    assert {box.toolTip() for box in table.boxes.values()} == {""}


def test_another_bus_has_its_own_cells(table: SettingsTable, bus: Bus) -> None:
    table.show_bus(bus, {}, [])
    before = dict(table.boxes)
    renamed = set_value(bus.operations[0], name="Write one")
    fewer = set_value(bus, operations=(renamed,))
    table.show_bus(fewer, {}, [])
    assert set(table.boxes) == {(renamed.id, d.id) for d in bus.devices}
    assert all(box is not before[where] for where, box in table.boxes.items())
    same = dict(table.boxes)
    table.show_bus(fewer, {}, [])
    assert all(box is same[where] for where, box in table.boxes.items())
