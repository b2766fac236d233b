"""Pins that names propose, and how they are put into a bus."""

from __future__ import annotations

import pytest

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.buses.bus import Bus, SignalPin
from onda.project.buses.pins import PinRow, device_files, pin_rows, proposed_pins, with_pins

PINS = (
    ("A1", "MEM_DQ0"), ("A2", "MEM_DQ1"), ("A3", "DQ10"), ("B1", "DQS0"), ("B2", "DQS0#"),
    ("C1", "VDD"), ("C2", "VDD"), ("D1", "CK_A"),
)  # fmt: skip


@pytest.mark.parametrize(
    ("name", "pin"),
    [
        ("MEM_DQ0", "A1"),  # as it is
        ("DQ0", "A1"),  # its last words
        ("dq1", "A2"),  # whatever the case
        ("BOARD.MEM_DQ1", "A2"),  # a longer one that ends so
        ("DQ10", "A3"),
        ("Q10", None),  # words, not letters
        ("DQS0", "B1"),  # not its other leg
        ("DQS0#", "B2"),
        ("VDD", None),  # more than one
        ("CK", None),  # it ends otherwise
        ("...", None),
        ("DQ2", None),
    ],
)
def test_a_name_proposes_the_one_pin_that_fits(name: str, pin: str | None) -> None:
    assert proposed_pins({"x": name}, PINS).get("x") == pin


def test_a_pin_is_proposed_to_one_signal_only() -> None:
    assert proposed_pins({"x": "DQ0", "y": "MEM_DQ0", "z": "DQ1"}, PINS) == {"z": "A2"}


@pytest.fixture
def bus(project) -> Bus:
    found = project.design.bus("byte1")
    first, second, *rest = found.signals
    placed = set_value(second, pins=(SignalPin(id="A", pin="E7"),))
    return set_value(found, signals=(first, placed, *rest))


def test_rows_tell_what_is_set_and_what_is_proposed(bus: Bus) -> None:
    files = {("mem-dq", "A"): "near", ("mem-dq", "B"): "far", ("mem-dq", "U1"): "chip"}
    pins = {"near": (("H0", "DQ8"), ("H1", "DQ9")), "far": (("H9", "DQ8"),), "chip": ()}
    rows = pin_rows(bus, files, pins)
    assert [r.device for r in rows] == ["A"] * 4 + ["B"] * 4
    by_place = {(r.signal, r.device): r for r in rows}
    assert by_place["DQ8", "A"] == PinRow("DQ8", "A", "E7", "H0")
    assert by_place["DQ8", "B"] == PinRow("DQ8", "B", "", "H9")
    assert by_place["DQ9", "A"].fits
    assert not by_place["DQ9", "B"].fits


def test_a_device_may_have_another_file_on_another_path(bus: Bus) -> None:
    *rest, last = bus.signals
    other = set_value(bus, signals=(*rest, set_value(last, path="mem-ca")))
    files = {("mem-dq", "A"): "dq", ("mem-ca", "A"): "ca", ("mem-dq", "B"): "dq"}
    pins = {"dq": (("H0", "DQ8"), ("H9", last.name)), "ca": (("C0", last.name),)}
    rows = {(r.signal, r.device): r.proposed for r in pin_rows(other, files, pins)}
    assert rows["DQ8", "A"] == rows["DQ8", "B"] == "H0"
    assert rows[last.id, "A"] == "C0"
    assert (last.id, "B") not in rows


def test_files_of_devices_are_those_of_their_paths(project) -> None:
    bus = project.design.bus("byte0")
    files = device_files(project.design, bus)
    assert {path for path, _ in files} == {"mem-dq", "mem-ca"}
    for (path, device), file in files.items():
        end = project.design.path(path).end(bus.device(device).end)
        assert end.model.file == file
    bare = project.design.path("mem-ca")
    bare = set_value(bare, receiver=set_value(bare.receiver, model=None))
    design = set_value(
        project.design,
        paths=tuple(bare if p.id == bare.id else p for p in project.design.paths),
    )
    missing = set(files) - set(device_files(design, bus))
    assert missing == {("mem-ca", next(d.id for d in bus.devices if d.end == "receiver"))}


def test_pins_are_put_in_and_taken_out(bus: Bus) -> None:
    signals = {s.id: s for s in with_pins(bus, {("DQ8", "A"): "", ("DQ9", "B"): "H1"})}
    assert signals["DQ8"].pins == ()
    assert signals["DQ9"].pin_at("B") == "H1"
    assert signals["DQ9"].pin_at("A") == ""
    assert signals["DQ14"] == bus.signal("DQ14")
    both = {s.id: s for s in with_pins(bus, {("DQ8", "B"): "H0"})}
    assert (both["DQ8"].pin_at("A"), both["DQ8"].pin_at("B")) == ("E7", "H0")


def test_pins_are_of_devices_that_are_there_and_each_once(bus: Bus) -> None:
    first, *rest = bus.signals
    with pytest.raises(InputError, match="there is no device 'Z'"):
        set_value(bus, signals=(set_value(first, pins=(SignalPin(id="Z", pin="1"),)), *rest))
    with pytest.raises(InputError, match="there twice"):
        set_value(first, pins=(SignalPin(id="A", pin="1"), SignalPin(id="A", pin="2")))
