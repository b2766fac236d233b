"""What a bus's study is told: every value of a bus, each another one, in its own place."""

from __future__ import annotations

import math

import pytest

from onda.engine.timing.strobed import Derating
from onda.project.base import set_value
from onda.project.buses.bus import (
    Bus,
    BusSignal,
    EndSetting,
    OwnLength,
    SignalPin,
    SlewTable,
    TimingSheet,
)
from onda.project.edits import replace_object
from onda.project.model import Project
from onda.project.quantities import Quantity, quantity
from onda.studies.buses.inputs import all_cases, bus_inputs
from onda.studies.buses.plan import alone, bus_plan, case_path


def volts(value: float) -> Quantity:
    return quantity(value, "voltage")


def ps(value: float) -> Quantity:
    return quantity(value * 1e-12, "time", "ps")


TABLE = SlewTable(data_slew=(1e9, 2e9), strobe_slew=(3e9,), delta=((1e-12,), (2e-12,)))
OTHER = SlewTable(data_slew=(1e9,), strobe_slew=(3e9, 4e9), delta=((3e-12, 4e-12),))
SHEET = TimingSheet(
    level=volts(0.61), level_step=volts(4e-3), ac=volts(0.11), dc=volts(0.07),
    strobe=volts(0.12), setup=ps(31), hold=ps(47), setup_table=TABLE, hold_table=OTHER,
    to_clock=ps(210), skew=ps(5), jitter=ps(8),
)  # fmt: skip


@pytest.fixture
def bus(project: Project) -> Bus:
    """Two lanes whose signals are listed in turn, and an address lane; sheets of their own."""
    base = project.design.bus("byte0")

    def signal(name: str, strobe: str, path: str = "mem-dq", takes: str = "both") -> BusSignal:
        return BusSignal(id=name, name=f"the {name}", path=path, strobe=strobe, takes=takes)

    signals = (
        signal("SB", ""), signal("SA", ""), signal("A1", "SA"), signal("B1", "SB"),
        signal("A2", "SA"), signal("B2", "SB"), signal("CK", "", "mem-ca", "rising"),
        signal("X1", "CK", "mem-ca"),
    )  # fmt: skip
    at = {d.id: d for d in base.devices}
    devices = (
        set_value(at["U1"], sheet=set_value(SHEET, skew=ps(2), jitter=ps(3), to_clock=None)),
        set_value(at["A"], sheet=SHEET, address_sheet=set_value(SHEET, setup=ps(90), skew=None)),
        set_value(at["B"], sheet=set_value(SHEET, level=None, to_clock=None)),
    )
    return set_value(base, signals=signals, devices=devices)


def test_signals_come_lane_by_lane_in_the_order_of_their_strobes(
    project: Project, bus: Bus
) -> None:
    plan = bus_plan(project.design, bus)
    write, address = plan.operations[0], plan.operations[4]
    assert [s.id for s in plan.strobes_in(write)] == ["SB", "SA"]
    assert [s.id for s in plan.taken_in(write)] == ["B1", "B2", "A1", "A2"]
    assert [s.id for s in plan.strobes_in(address)] == ["CK"]
    assert [s.id for s in plan.taken_in(address)] == ["X1"]
    few = set_value(bus.operations[0], lanes=("SA",))
    one = bus_plan(project.design, set_value(bus, operations=(few, *bus.operations[1:])))
    assert [s.id for s in one.taken_in(one.operations[0])] == ["A1", "A2"]
    cases = all_cases(plan).cases
    assert [c.signal for c in cases[:12:3]] == ["B1", "B2", "A1", "A2"]
    assert [c.corner for c in cases[:3]] == ["typ", "slow", "fast"]


def test_a_sheet_is_the_listeners_with_what_its_sender_takes(project: Project, bus: Bus) -> None:
    plan = bus_plan(project.design, bus)
    at = {o.id: o for o in plan.operations}
    sheet = at["write-a"].sheet
    assert (sheet.level, sheet.level_step) == (pytest.approx(0.61), pytest.approx(4e-3))
    assert (sheet.ac, sheet.dc, sheet.strobe) == pytest.approx((0.11, 0.07, 0.12))
    # The controller takes 2 ps and 3 ps.
    assert (sheet.setup, sheet.hold) == pytest.approx((36e-12, 52e-12))
    assert sheet.setup_table == Derating(TABLE.data_slew, TABLE.strobe_slew, TABLE.delta)
    assert sheet.hold_table == Derating(OTHER.data_slew, OTHER.strobe_slew, OTHER.delta)
    # A module takes 13 ps of what the controller asks for.
    assert at["read-a"].sheet.setup == pytest.approx(44e-12)
    assert at["write-b"].sheet.level is None
    assert at["address-a"].sheet.setup == pytest.approx(95e-12)
    assert (at["write-a"].room, at["write-b"].room) == (pytest.approx(210e-12), math.inf)
    assert (at["write-a"].clocked, at["write-b"].clocked) == ("address-a", "address-b")
    assert (at["read-a"].clocked, at["address-a"].clocked) == ("", "")
    assert (at["read-a"].drives, at["read-a"].listens) == ("A", "driver")
    strobe_at = {o.id: o.strobe_at.si for o in bus.operations}
    assert {o.id: o.strobe_at for o in plan.operations} == strobe_at


def test_values_of_the_whole_bus(project: Project, bus: Bus) -> None:
    changed = set_value(
        bus, rate=quantity(1.6e9, "data rate", "Mb/s"), prbs=11, bits=300, typed="0110",
        levelling_step=ps(7), alike=not bus.alike, corners=("slow", "typ"),
    )  # fmt: skip
    plan = bus_plan(project.design, changed)
    assert plan.unit_interval == pytest.approx(625e-12)
    assert (plan.order, plan.bits, plan.typed) == (11, 300, "0110")
    assert (plan.step, plan.worst, plan.alike) == (pytest.approx(7e-12), False, not bus.alike)
    assert plan.corners == ("slow", "typ")
    assert bus_plan(project.design, set_value(changed, levelling_step=None)).step == 0.0
    case = all_cases(plan).cases[0]
    assert (case.data.count, case.lead, case.data.bits[:8]) == (308, 8, "01100110")
    assert case.strobe.wave.bits[:6] == "010101"
    assert (case.strobe.wave.count, case.data.unit_interval) == (308, plan.unit_interval)
    # The worst histories come behind all others.
    worst = bus_plan(project.design, set_value(changed, typed="", worst=True))
    assert worst.worst
    case = all_cases(worst).cases[0]
    assert (case.data.count, case.strobe.wave.count, case.worst) == (470, 470, True)


def test_what_a_clock_takes_lasts_for_a_whole_period_of_it(project: Project, bus: Bus) -> None:
    plan = bus_plan(project.design, bus)
    case = next(c for c in all_cases(plan).cases if c.signal == "X1")
    assert case.edges == "rising"
    assert case.data.unit_interval == pytest.approx(2.0 * plan.unit_interval)
    assert case.strobe.wave.unit_interval == plan.unit_interval
    assert case.strobe.wave.count == 2 * case.data.count
    found = next(o for o in plan.operations if o.id == case.operation)
    assert case.strobe_at == pytest.approx(found.strobe_at * 2.0 * plan.unit_interval)
    data = next(c for c in all_cases(plan).cases if c.signal == "A1")
    first = next(o for o in plan.operations if o.id == data.operation)
    assert data.strobe_at == pytest.approx(first.strobe_at * plan.unit_interval)


def test_lengths_and_pins_are_those_of_each_signal(project: Project, bus: Bus) -> None:
    piece = next(e for e in project.design.path("mem-dq").elements if e.kind == "trace")
    own = set_value(
        bus.signals[2],
        lengths=(OwnLength(id=piece.id, length=quantity(31.5e-3, "length", "mm")),),
        pins=(SignalPin(id="U1", pin="J7"), SignalPin(id="B", pin="E3")),
    )
    changed = set_value(bus, signals=(*bus.signals[:2], own, *bus.signals[3:]))
    plan = bus_plan(project.design, changed)
    assert plan.signals[2].lengths == ((piece.id, pytest.approx(31.5e-3)),)
    assert plan.signals[2].pins == (("driver", "J7"), ("receiver", "E3"))
    cases = {c.signal: c for c in bus_inputs(project.design, changed, "write-a").cases}
    mine, plain = cases["A1"].data.path, cases["A2"].data.path
    length = {i.id: i.length for i in mine.items if hasattr(i, "length")}
    before = {i.id: i.length for i in plain.items if hasattr(i, "length")}
    assert length.pop(piece.id) == pytest.approx(31.5e-3)
    before.pop(piece.id)
    assert length == before
    assert mine.driver.device is not None
    assert mine.end.device is not None
    assert (mine.driver.device.pin, mine.end.device.pin) == ("J7", "E3")
    assert plain.driver.device is not None
    assert plain.driver.device.pin != "J7"


def test_who_drives_is_said_by_the_operation_and_not_by_the_path(
    project: Project, bus: Bus
) -> None:
    """A path that is looked at from its far end is written over from its driver all the same."""
    path = set_value(project.design.path("mem-dq"), driving="receiver")
    design = replace_object(project, path).design
    at = {o.id: o for o in bus.operations}
    assert case_path(design, bus, "mem-dq", at["write-a"]).driving == ""
    assert case_path(design, bus, "mem-dq", at["read-a"]).driving == "A"
    assert case_path(design, bus, "mem-dq", at["read-b"]).driving == "receiver"


def test_models_of_an_operation_are_those_that_it_sets(project: Project, bus: Bus) -> None:
    write = set_value(
        bus.operations[0],
        settings=(EndSetting(id="A", model="dq_odt_60"), EndSetting(id="B", model="dq_odt_120")),
    )
    path = case_path(project.design, bus, "mem-dq", write)
    models = {name: end.model.model for name, end in path.receivers.items() if end.model}
    assert models == {"A": "dq_odt_60", "receiver": "dq_odt_120"}
    before = project.design.path("mem-dq").driver.model
    assert before is not None
    assert path.driver.model == before


def test_a_bus_alone_is_a_signal_its_strobe_and_an_operation(bus: Bus) -> None:
    few = alone(bus, "read-b", "A2")
    assert [s.id for s in few.signals] == ["SA", "A2"]
    assert [o.id for o in few.operations] == ["read-b"]
