"""Buses as objects of the project: what they must be, and how one is made."""

from __future__ import annotations

import pytest

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.buses.bus import Bus, BusSignal, EndSetting, OwnLength, SlewTable, TimingSheet
from onda.project.edits import remove_object, replace_object
from onda.project.kind import Ref
from onda.project.model import Project
from onda.project.quantities import parse_quantity as q
from onda.project.recipe import cook
from onda.project.recipes import RECIPES
from onda.project.store import dumps, loads


@pytest.fixture
def byte0(project) -> Bus:
    found: Bus = project.design.bus("byte0")
    return found


def test_the_byte_is_kept_as_it_is(project: Project, byte0: Bus) -> None:
    assert loads(dumps(project)).design.bus("byte0") == byte0
    byte = [*(f"DQ{k}" for k in range(8)), "DM0"]
    assert [s.id for s in byte0.data] == [*byte, "A0", "A1", "A2"]
    write, address = byte0.operations[0], byte0.operations[4]
    assert [s.id for s in byte0.taken_in(write)] == byte
    assert [s.id for s in byte0.taken_in(address)] == ["A0", "A1", "A2"]
    assert [s.id for s in byte0.strobes_in(write)] == ["DQS0"]
    assert [s.id for s in byte0.strobes_in(address)] == ["CK"]
    # Nine in four operations and three in two, in three corners.
    assert byte0.cases == 3 * (9 * 4 + 3 * 2)
    assert byte0.operations[0].model_of("U1") == "dq_34"
    assert byte0.operations[0].model_of("nobody") == ""
    # Its path cannot go while it is there.
    with pytest.raises(InputError, match="byte"):
        remove_object(project, Ref("path", "mem-dq"))


def test_signals_of_a_lane_stand_together_in_the_order_of_their_strobes(byte0: Bus) -> None:
    signals = {s.id: s for s in byte0.signals}
    mixed = ("DQS0", "CK", "A1", "DQ3", "A0", "DQ1", "A2")
    bus = set_value(byte0, signals=tuple(signals[n] for n in mixed))
    assert [s.id for s in bus.data] == ["DQ3", "DQ1", "A1", "A0", "A2"]


def test_a_sender_takes_its_skew_and_its_jitter(byte0: Bus) -> None:
    sheet = TimingSheet(skew=q("20 ps", "time"), jitter=q("7 ps", "time"))
    address = TimingSheet(skew=q("31 ps", "time"))
    device = set_value(byte0.devices[0], sheet=sheet, address_sheet=address)
    assert device.takes_from("data") == pytest.approx(27e-12)
    assert device.takes_from("address") == pytest.approx(31e-12)
    # Without a sheet for address it is as over data.
    assert set_value(device, address_sheet=None).takes_from("address") == pytest.approx(27e-12)
    assert set_value(device, sheet=None, address_sheet=None).takes_from("data") == 0.0


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda b: {"signals": b.signals[1:]}, "there is no strobe 'DQS0'"),
        (
            lambda b: {"signals": (b.signals[0], set_value(b.signals[0], id="x"))},
            "taken by a strobe",
        ),
        (lambda b: {"signals": (*b.signals, b.signals[1])}, "there twice"),
        (lambda b: {"devices": b.devices[:2]}, "there is no device 'B'"),
        (
            lambda b: {"devices": (*b.devices[:2], set_value(b.devices[2], end="A"))},
            "there twice",
        ),
        (
            lambda b: {
                "devices": (b.devices[0], set_value(b.devices[1], sheet=None), b.devices[2])
            },
            "listens without a timing sheet",
        ),
        (lambda b: {"bits": 4}, "bits"),
        (
            lambda b: {"devices": tuple(set_value(d, address_sheet=None) for d in b.devices)},
            "Address A: Module A listens without a timing sheet for address",
        ),
        (
            lambda b: {"signals": tuple(s for s in b.signals if s.strobe != "CK")},
            "Address A: no signal is taken at rising edges of a clock",
        ),
        (
            lambda b: {"signals": tuple(s for s in b.signals if s.strobe != "DQS0")},
            "Write A: no signal is taken at both edges",
        ),
    ],
)
def test_buses_that_cannot_be(byte0: Bus, change, words: str) -> None:
    with pytest.raises(InputError, match=words):
        set_value(byte0, **change(byte0))


def test_a_bus_fits_its_paths(project: Project, byte0: Bus) -> None:
    far = set_value(byte0.devices[1], end="C")
    with pytest.raises(InputError, match="has no end 'C'"):
        replace_object(project, set_value(byte0, devices=(byte0.devices[0], far, byte0.devices[2])))
    odd = BusSignal(
        id="DQ9", name="DQ9", path="mem-dq", strobe="DQS0",
        lengths=(OwnLength(id="A", length=q("1 mm", "length")),),
    )  # fmt: skip
    with pytest.raises(InputError, match="no piece of line 'A'"):
        replace_object(project, set_value(byte0, signals=(*byte0.signals, odd)))


def test_operations_name_others_and_each_device_once(byte0: Bus) -> None:
    one = byte0.operations[0]
    with pytest.raises(InputError, match="cannot send to itself"):
        set_value(one, listens=one.drives)
    with pytest.raises(InputError, match="there twice"):
        set_value(one, settings=(EndSetting(id="A"), EndSetting(id="A")))


def test_tables_have_a_row_for_each_slew() -> None:
    with pytest.raises(InputError, match="must rise"):
        set_value(
            SlewTable(data_slew=(1.0,), strobe_slew=(1.0,), delta=((0.0,),)), data_slew=(2.0, 1.0)
        )
    with pytest.raises(InputError, match="a row for each"):
        set_value(
            SlewTable(data_slew=(1.0,), strobe_slew=(1.0,), delta=((0.0,),)), data_slew=(1.0, 2.0)
        )
    with pytest.raises(InputError, match="more than 0 V"):
        set_value(TimingSheet(), ac=q("0 V", "voltage"))
    with pytest.raises(InputError, match="above 0 V"):
        set_value(TimingSheet(), level_step=q("0 V", "voltage"))


def test_a_bus_is_made_from_a_few_decisions(project: Project) -> None:
    answers = {
        "name": "Byte 1",
        "data": "mem-dq",
        "strobe": "mem-dq",
        "names": "D0 D1 D2",
        "rate": "2 Gb/s",
    }
    made, ref = cook(RECIPES["bus"], project, answers)
    bus = made.design.bus(ref.id)
    assert [s.name for s in bus.data] == ["D0", "D1", "D2"]
    assert [d.end for d in bus.devices] == ["driver", "A", "receiver"]
    # The far ends have device files, so that they can drive too.
    assert [(o.name, o.drives, o.listens) for o in bus.operations] == [
        ("Write Module A", "controller", "device-1"),
        ("Write Module B", "controller", "device-2"),
        ("Read Module A", "device-1", "controller"),
        ("Read Module B", "device-2", "controller"),
    ]
    writes = cook(RECIPES["bus"], project, answers | {"ways": "writes"})[0].design.bus(ref.id)
    assert [o.id for o in writes.operations] == ["write-1", "write-2"]
    assert {r.measure for r in made.requirements if r.subject == ref.id} == {
        "bus_setup",
        "bus_hold",
    }
    with pytest.raises(InputError, match="each another one"):
        cook(RECIPES["bus"], project, answers | {"names": "D0 D0"})


def test_a_bus_is_made_with_address(project) -> None:
    answers = {
        "name": "New bus", "data": "mem-dq", "strobe": "mem-dq", "names": "D0", "rate": "2 Gb/s",
        "address": "A0, A1", "address_path": "mem-ca", "clock": "mem-ca", "ways": "writes",
    }  # fmt: skip
    made, ref = cook(RECIPES["bus"], project, answers)
    bus = made.design.bus(ref.id)
    assert [(s.name, s.path, s.strobe, s.takes) for s in bus.signals] == [
        ("Strobe", "mem-dq", "", "both"), ("Clock", "mem-ca", "", "rising"),
        ("D0", "mem-dq", "DQS", "both"), ("A0", "mem-ca", "CK", "both"),
        ("A1", "mem-ca", "CK", "both"),
    ]  # fmt: skip
    assert [(o.name, o.over, o.listens) for o in bus.operations] == [
        ("Write Module A", "data", "device-1"), ("Write Module B", "data", "device-2"),
        ("Address Module A", "address", "device-1"), ("Address Module B", "address", "device-2"),
    ]  # fmt: skip
    assert all(d.address_sheet is not None for d in bus.devices[1:])
    assert [s.name for s in bus.taken_in(bus.operations[-1])] == ["A0", "A1"]
    with pytest.raises(InputError, match="each another one"):
        cook(RECIPES["bus"], project, answers | {"address": "D0"})


def test_only_a_strobe_takes(byte0: Bus) -> None:
    with pytest.raises(InputError, match="DQ0 is taken by DQS0, it takes nothing"):
        set_value(byte0.signal("DQ0"), takes="rising")
