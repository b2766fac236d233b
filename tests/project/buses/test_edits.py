"""Signals, operations and devices of a bus changed, added and taken away."""

from __future__ import annotations

import pytest

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.buses.bus import Bus, OwnLength, SignalPin, TimingSheet
from onda.project.buses.edits import (
    add_device,
    add_operation,
    add_signal,
    free_ends,
    remove_device,
    remove_operation,
    remove_signal,
    with_device,
    with_operation,
    with_sender,
    with_sheet,
    with_signal,
)
from onda.project.quantities import parse_quantity as q


@pytest.fixture
def bus(project) -> Bus:
    return project.design.bus("byte0")


def operation(bus: Bus, identifier: str):
    return bus.operation(identifier)


def test_a_signal_more_is_counted_on(bus) -> None:
    own = with_signal(
        bus, "DQ7", lengths=(OwnLength(id="T1", length=q("30 mm", "length")),),
        pins=(SignalPin(id="A", pin="A7"),),
    )  # fmt: skip
    more, identifier = add_signal(own, "DQ7")
    new = more.signal(identifier)
    assert (new.id, new.name, new.path, new.strobe) == ("DQ8", "DQ8", "mem-dq", "DQS0")
    assert (new.lengths, new.pins, new.lane) == ((), (), "")
    assert more.signals[:-1] == own.signals
    # DQ1 is there up to DQ8.
    assert add_signal(more, "DQ1")[1] == "DQ9"
    assert add_signal(set_value(bus, signals=(*bus.signals,)), "DM0")[1] == "DM1"
    # What is no number to count on is a word.
    long = with_signal(bus, "DQ1", name="N1234567890")
    assert add_signal(long, "DQ1")[0].signals[-1].name == "N1234567890 2"
    short = with_signal(bus, "DQ1", name="N123456789")
    assert add_signal(short, "DQ1")[0].signals[-1].name == "N123456790"
    named = with_signal(bus, "DQ1", name="Data")
    assert add_signal(named, "DQ1")[0].signals[-1].name == "Data 2"


def test_a_signal_over_another_path_has_nothing_of_the_former_one(bus) -> None:
    own = with_signal(bus, "DQ1", lengths=(OwnLength(id="T1", length=q("30 mm", "length")),))
    assert with_signal(own, "DQ1", name="D").signal("DQ1").lengths == own.signal("DQ1").lengths
    moved = with_signal(own, "DQ1", path="mem-ca").signal("DQ1")
    assert (moved.path, moved.lengths) == ("mem-ca", ())


def test_a_strobe_that_is_taken_takes_nothing(bus) -> None:
    clock = next(s for s in bus.signals if s.takes == "rising")
    a_clock, _ = add_signal(bus, clock.id)
    new = a_clock.signals[-1]
    assert new.takes == "rising"
    taken = with_signal(a_clock, new.id, strobe="DQS0").signal(new.id)
    assert (taken.strobe, taken.takes) == ("DQS0", "both")
    with pytest.raises(InputError, match="there is no strobe 'DQS9'"):
        with_signal(bus, "DQ1", strobe="DQS9")


def test_a_strobe_goes_after_what_it_takes(bus) -> None:
    with pytest.raises(InputError, match="DQS0 takes DQ0 and 8 more") as problem:
        remove_signal(bus, "DQS0")
    assert "Remove these first" in str(problem.value.remedy)
    rest = remove_signal(bus, "DQ3")
    assert "DQ3" not in {s.id for s in rest.signals}
    assert len(rest.signals) == len(bus.signals) - 1
    spare, identifier = add_signal(bus, "DQS0")
    only, _ = add_signal(spare, "DQ0")
    lane = with_signal(only, only.signals[-1].id, strobe=identifier)
    named = with_operation(lane, "write-a", lanes=("DQS0", identifier))
    with pytest.raises(InputError, match="takes DQ8\\."):
        remove_signal(named, identifier)
    empty = remove_signal(named, lane.signals[-1].id)
    assert operation(remove_signal(empty, identifier), "write-a").lanes == ("DQS0",)


def test_what_a_sender_takes_stands_in_its_sheets(bus) -> None:
    late = with_sender(bus, "A", skew=q("12 ps", "time"))
    late = with_sender(late, "A", jitter=q("5 ps", "time"))
    device = late.device("A")
    assert device.sheet.takes == device.address_sheet.takes == pytest.approx(17e-12)
    assert device.takes_from("data") == device.takes_from("address") == device.sheet.takes
    # Without a sheet for address that of data counts; without any nothing is taken.
    controller = with_sender(bus, "U1", skew=q("9 ps", "time")).device("U1")
    assert controller.address_sheet is None
    assert controller.takes_from("address") == pytest.approx(9e-12)
    assert set_value(controller, sheet=None).takes_from("data") == 0.0
    with pytest.raises(InputError, match="skew: must be above 0"):
        with_sender(bus, "A", skew=q("-1 ps", "time"))
    assert bus.device("A").takes_from("data") == 0.0


def test_who_sends_to_itself_changes_places(bus) -> None:
    turned = operation(with_operation(bus, "write-a", drives="A"), "write-a")
    assert (turned.drives, turned.listens) == ("A", "U1")
    other = operation(with_operation(bus, "write-a", listens="B"), "write-a")
    assert (other.drives, other.listens) == ("U1", "B")


def test_who_listens_gets_a_sheet_to_be_filled_in(bus) -> None:
    bare = with_sheet(with_sheet(bus, "U1", "address", None), "A", "data", bus.device("A").sheet)
    read = with_operation(bare, "read-a", over="address")
    assert read.device("U1").address_sheet == TimingSheet()
    assert operation(read, "read-a").over == "address"
    # One that is there stays.
    same = with_operation(bus, "write-a", name="W")
    assert same.devices == bus.devices
    with pytest.raises(InputError, match="listens without a timing sheet"):
        with_sheet(bus, "A", "data", None)


def test_over_others_an_operation_goes_over_all_of_them(bus) -> None:
    one = with_operation(bus, "write-a", lanes=("DQS0",))
    assert operation(one, "write-a").lanes == ("DQS0",)
    assert operation(with_operation(one, "write-a", name="W"), "write-a").lanes == ("DQS0",)
    assert operation(with_operation(one, "write-a", over="address"), "write-a").lanes == ()
    with pytest.raises(InputError, match="'DQ1' is no signal that takes at both edges"):
        with_operation(bus, "write-a", lanes=("DQ1",))


def test_lanes_of_an_operation_are_those_it_takes(bus) -> None:
    more, clock = add_signal(bus, next(s for s in bus.signals if s.takes == "rising").id)
    address = next(
        s for s in more.signals if more.signal(s.strobe or s.id).takes == "rising" and s.strobe
    )
    more = with_signal(more, address.id, strobe=clock)
    one = with_operation(more, "address-a", lanes=(clock,))
    assert [s.id for s in one.taken_in(operation(one, "address-a"))] == [address.id]
    assert address.id in {s.id for s in one.taken_in(operation(one, "address-b"))}
    assert one.cases == more.cases - 3 * (len(more.taken_in(operation(more, "address-a"))) - 1)


def test_operations_come_and_go(bus) -> None:
    more, identifier = add_operation(bus, "write-a")
    assert [o.id for o in more.operations][:2] == ["write-a", identifier]
    new = operation(more, identifier)
    assert (new.name, new.settings) == ("Write A 2", operation(bus, "write-a").settings)
    assert remove_operation(more, identifier) == bus
    only = set_value(bus, operations=bus.operations[:1])
    with pytest.raises(InputError, match="has no other operation"):
        remove_operation(only, "write-a")


def test_devices_come_and_go(bus, project) -> None:
    path = project.design.path("mem-dq")
    assert free_ends(bus, path) == ()
    with pytest.raises(InputError, match="every end of Memory data net has its device"):
        add_device(bus, path)
    with pytest.raises(InputError, match="Module B listens in Write B"):
        remove_device(bus, "B")
    with pytest.raises(InputError, match="sends in Read B"):
        remove_device(with_operation(bus, "write-b", listens="A"), "B")
    without_b = set_value(
        bus, operations=tuple(o for o in bus.operations if "B" not in (o.drives, o.listens))
    )
    without_b = with_signal(
        without_b, "DQ0", pins=(SignalPin(id="B", pin="1"), SignalPin(id="A", pin="2"))
    )
    fewer = remove_device(without_b, "B")
    assert [d.id for d in fewer.devices] == ["U1", "A"]
    assert {s.id for o in fewer.operations for s in o.settings} == {"U1", "A"}
    assert [p.id for p in fewer.signal("DQ0").pins] == ["A"]
    again, identifier = add_device(fewer, path)
    assert again.device(identifier).end == "receiver"
    assert again.device(identifier).name == path.receiver.name
    renamed = with_device(bus, "A", name="DIMM 0")
    assert renamed.device("A").name == "DIMM 0"
    assert renamed.device("B") == bus.device("B")
