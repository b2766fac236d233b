"""Address by a clock, strobes beside the clock, their legs, and all measures of a bus."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.engine.timing.strobed import Sheet, Waveform, lane_timing
from onda.project.base import set_value
from onda.project.buses.bus import Bus
from onda.project.buses.measures import BUS_MEASURES
from onda.project.quantities import parse_quantity as q
from onda.studies.buses.book import sheets_of
from onda.studies.buses.bus import BUS, BusResult
from onda.studies.buses.case import case_waves, strobe_waves
from onda.studies.buses.inputs import bus_inputs
from onda.studies.buses.judge import measure_bus
from onda.studies.buses.levelling import BUS_LEVELLING, Levelled
from onda.studies.core.study import Control
from onda.studies.paths.items import StimulusInputs
from onda.studies.paths.run import run_path

UNIT = 1.0 / 2.4e9


@pytest.fixture(scope="module")
def clocked(project) -> Bus:
    """A bit of data and two of address, to both modules, in two corners."""
    bus = project.design.bus("byte0")
    keep = ("DQS0", "DQ1", "CK", "A1", "A2")
    operations = tuple(o for o in bus.operations if o.id in ("write-b", "address-a", "address-b"))
    signals = tuple(s for s in bus.signals if s.id in keep)
    return set_value(bus, signals=signals, operations=operations, corners=("typ", "slow"), bits=48)


@pytest.fixture(scope="module")
def found(project, clocked) -> BusResult:
    return BUS.run(bus_inputs(project.design, clocked), Control())


def test_operations_take_the_signals_of_their_own_lanes(clocked, found) -> None:
    told = {(c.signal, c.operation) for c in found.cases}
    assert told == {
        ("DQ1", "write-b"), ("A1", "address-a"), ("A2", "address-a"), ("A1", "address-b"),
        ("A2", "address-b"),
    }  # fmt: skip
    assert len(found.cases) == clocked.cases == 10
    assert {c.signal: c.unit_interval for c in found.cases} == pytest.approx(
        {"DQ1": UNIT, "A1": 2 * UNIT, "A2": 2 * UNIT}
    )
    assert {c.lane for c in found.cases if c.signal != "DQ1"} == {"CK"}


def test_address_is_taken_by_rising_edges_in_the_middle_of_its_bits(project, clocked) -> None:
    inputs = bus_inputs(project.design, clocked, "A1")
    one = inputs.cases[0]
    sheet = clocked.device("A").address_sheet
    assert (one.operation, one.edges) == ("address-a", "rising")
    assert (one.sheet.setup, one.sheet.ac) == (sheet.setup.si, sheet.ac.si) == (80e-12, 0.12)
    waves = case_waves(one)
    # A clock of 2.4 Gb/s rises every two unit intervals, and falls as often.
    clock = Waveform(waves.strobe_time, waves.strobe)
    inside = (20 * UNIT, 90 * UNIT)
    rises = clock.crossings(0.0, 1)
    rises = rises[(rises > inside[0]) & (rises < inside[1])]
    assert np.diff(rises) == pytest.approx(np.full(len(rises) - 1, 2 * UNIT), rel=1e-3)
    data = Waveform(waves.time, waves.data)
    timing = lane_timing(data, clock, Sheet(0.6, 0.12, 0.09, 0.1, 0.0, 0.0), inside, edges="rising")
    assert len(timing.edges) == len(rises)
    # Both margins have nearly half of two unit intervals.
    for margin in (timing.worst_setup, timing.worst_hold):
        assert 0.7 * UNIT < margin < 1.1 * UNIT
    # What falls in between does not take anything: there data change.
    late = replace(one, strobe_at=one.strobe_at + UNIT)
    moved = case_waves(late)
    falls = lane_timing(
        data, Waveform(moved.strobe_time, moved.strobe), Sheet(0.6, 0.12, 0.09, 0.1, 0.0, 0.0),
        inside, edges="rising",
    )  # fmt: skip
    assert falls.height < 0.2 < 0.5 < timing.height


def test_a_clock_that_comes_later_in_its_bit_moves_set_up_for_hold(project, clocked) -> None:
    def at(place: str) -> BusResult:
        operations = tuple(
            set_value(o, centred=False, strobe_at=q(place, "unit interval"))
            for o in clocked.operations
            if o.over == "address"
        )
        keep = tuple(s for s in clocked.signals if s.id in ("CK", "A1"))
        bus = set_value(clocked, signals=keep, operations=operations)
        return BUS.run(bus_inputs(project.design, bus), Control())

    for half, later in zip(at("0.5 UI").cases, at("0.6 UI").cases, strict=True):
        # Of a bit that lasts two unit intervals.
        assert later.setup - half.setup == pytest.approx(0.2 * UNIT, abs=3e-12)
        assert later.hold - half.hold == pytest.approx(-0.2 * UNIT, abs=3e-12)


# -- strobes beside the clock


def test_only_sending_to_the_device_of_an_address_is_levelled(clocked, found, project) -> None:
    assert [(x.lane, x.operation, x.corner) for x in found.levelled] == [
        ("DQS0", "write-b", "typ"), ("DQS0", "write-b", "slow"),
    ]  # fmt: skip
    bare = set_value(clocked, operations=clocked.operations[:2])
    assert bus_inputs(project.design, bare).levelled == ()
    assert bus_inputs(project.design, clocked, "DQ1").levelled == ()


def test_a_clock_is_as_late_as_the_phase_of_its_wave(project, clocked) -> None:
    """By the turn of their fundamental, over whole periods of the swing."""
    inputs = bus_inputs(project.design, clocked)
    for one in inputs.levelled:
        turns = []
        for strobe in (one.clock, one.strobe):
            time, both, _ = strobe_waves(strobe)
            even = 20 * UNIT + np.arange(4096) * (20 * UNIT / 4096)
            turn = np.exp(2j * math.pi * even / (2 * UNIT))
            turns.append(np.mean(np.interp(even, time, both) * np.conj(turn)))
        late = -np.angle(turns[0] / turns[1]) / (2 * math.pi) * 2 * UNIT
        told = BUS_LEVELLING.run(one, Control())
        assert told.late == pytest.approx(late, abs=8e-12)
        assert told.late > 30e-12


def test_a_longer_clock_comes_later_by_what_its_line_takes(project, clocked, found) -> None:
    (clock,) = (s for s in clocked.signals if s.id == "CK")
    (own,) = clock.lengths
    longer = set_value(clock, lengths=(set_value(own, length=q("61 mm", "length")),))
    signals = tuple(longer if s.id == "CK" else s for s in clocked.signals)
    inputs = bus_inputs(project.design, set_value(clocked, signals=signals))
    for was, one in zip(found.levelled, inputs.levelled, strict=True):
        now = BUS_LEVELLING.run(one, Control())
        # 20 mm of stripline between dielectrics of 3.64 and 3.72, what comes back upon it.
        assert now.late - was.late == pytest.approx(20e-3 * math.sqrt(3.68) / 2.998e8, rel=0.15)


def test_a_strobe_is_moved_by_whole_steps_and_what_is_left_counts(project, clocked) -> None:
    (one, _) = bus_inputs(project.design, clocked).levelled
    assert (one.step, one.room) == pytest.approx((13e-12, 40e-12))
    told = BUS_LEVELLING.run(one, Control())
    assert told.moved / 13e-12 == pytest.approx(round(told.moved / 13e-12))
    assert abs(told.left) <= 6.5e-12
    assert told.room == pytest.approx(40e-12 - abs(told.late - told.moved))
    assert told.state == "holds"
    still = BUS_LEVELLING.run(replace(one, step=0.0), Control())
    assert (still.moved, still.left) == (0.0, still.late)
    assert still.room == pytest.approx(40e-12 - still.late)
    assert still.state == "fails"
    # The other way about it is as early.
    turned = BUS_LEVELLING.run(replace(one, strobe=one.clock, clock=one.strobe), Control())
    assert turned.late == pytest.approx(-told.late)
    assert turned.moved == pytest.approx(-told.moved)
    lost = replace(one, strobe=replace(one.strobe, wave=replace(one.strobe.wave, listens="x")))
    broken = BUS_LEVELLING.run(lost, Control())
    assert broken.state == "unknown"
    assert "an end of the net" in broken.failure


def test_without_steps_or_limits_nothing_is_moved_and_all_is_well(project, clocked) -> None:
    devices = tuple(set_value(d, sheet=set_value(d.sheet, to_clock=None)) for d in clocked.devices)
    free = set_value(clocked, devices=devices, levelling_step=None)
    (one, _) = bus_inputs(project.design, free).levelled
    assert (one.step, one.room) == (0.0, math.inf)
    assert BUS_LEVELLING.run(one, Control()).state == "holds"


# -- legs of a strobe


def test_the_other_leg_is_the_net_that_sends_the_opposite(project, clocked) -> None:
    one = bus_inputs(project.design, clocked).cases[0]
    time, both, leg = strobe_waves(one.strobe)
    wave = one.strobe.wave
    sent = StimulusInputs("bits", rate=1.0 / UNIT, bits=("10" * wave.count)[: wave.count])
    other = run_path(replace(wave.path, stimulus=sent, window=(wave.count + 2) * UNIT))
    (node,) = (e.die for e in other.built.ends if e.id == wave.listens)
    volts = np.interp(time, other.solution.time, other.solution.node(node))
    swings = (time > 16 * UNIT) & (time < (wave.count - 1) * UNIT)
    assert both[swings] == pytest.approx((leg - volts)[swings], abs=3e-3)


def test_legs_of_unlike_edges_cross_off_their_middle(project, clocked, found) -> None:
    inputs = bus_inputs(project.design, clocked)
    for one, case in zip(inputs.cases, found.cases, strict=True):
        time, both, leg = strobe_waves(one.strobe)
        length = one.strobe.wave.count * UNIT
        swings = (time > 16 * UNIT) & (time < length - 2 * UNIT)
        edges = np.flatnonzero(np.diff(np.sign(both[swings])) != 0)
        middle = 0.5 * (leg[swings].max() + leg[swings].min())
        crossing = np.abs(leg[swings][edges] - middle).max()
        # To a step of the run.
        assert case.found.crossing == pytest.approx(crossing, abs=0.03)
        assert 0.0 <= case.found.crossing < 0.05


# -- measures


def by_hand(measure: str, found: BusResult) -> float:
    cases = found.cases
    quality = [c.found.quality for c in cases]
    return {
        "bus_setup": lambda: min(c.setup for c in cases),
        "bus_hold": lambda: min(c.hold for c in cases),
        "bus_height": lambda: min(c.found.height for c in cases),
        "bus_overshoot": lambda: max(x.overshoot for x in quality),
        "bus_undershoot": lambda: max(x.undershoot for x in quality),
        "bus_overshoot_area": lambda: max(x.overshoot_area for x in quality),
        "bus_undershoot_area": lambda: max(x.undershoot_area for x in quality),
        "bus_ring_back": lambda: min(x.ring_back for x in quality),
        "bus_pulse": lambda: min(x.narrowest for x in quality),
        "bus_slew": lambda: min(c.found.slew for c in cases),
        "bus_duty": lambda: max(abs(d - 0.5) for c in cases for d in c.found.duty),
        "bus_crossing": lambda: max(c.found.crossing for c in cases),
        "bus_to_clock": lambda: min(x.room for x in found.levelled),
    }[measure]()


@pytest.mark.parametrize("measure", [m.key for m in BUS_MEASURES])
def test_a_measure_is_that_of_the_worst_case(found, measure) -> None:
    told = measure_bus(found, measure)
    assert told.value == by_hand(measure, found)
    assert told.where.split(", ")[0] in {"DQ1", "A1", "A2", "DQS0"}


def test_a_measure_names_the_case_that_it_is_of(found) -> None:
    cases = list(found.cases)
    for measure, field in (("bus_overshoot", "overshoot"), ("bus_ring_back", "ring_back")):
        value = {"overshoot": 9.0, "ring_back": -9.0}[field]
        odd = replace(cases[3].found, quality=replace(cases[3].found.quality, **{field: value}))
        worse = replace(found, cases=(*cases[:3], replace(cases[3], found=odd), *cases[4:]))
        told = measure_bus(worse, measure)
        one = cases[3]
        assert told.value == value
        assert told.where == f"{one.signal_name}, {one.operation_name}, {one.corner}"


@pytest.mark.parametrize(
    ("measure", "change", "words"),
    [
        ("bus_crossing", {"crossing": math.nan}, "a pair is known by its difference alone"),
        ("bus_duty", {"duty": (math.nan, math.nan)}, "the strobe has no whole period"),
        ("bus_overshoot", {"quality": None}, "there is none"),
        ("bus_slew", {"slew": math.nan}, "there is none"),
        ("bus_pulse", {"failure": "lost"}, "lost"),
    ],
)
def test_a_case_without_a_value_is_told(found, measure, change, words) -> None:
    first, *rest = found.cases
    odd = replace(first, found=replace(first.found, **change))
    told = measure_bus(replace(found, cases=(odd, *rest)), measure)
    assert math.isnan(told.value)
    assert told.how == f"{first.signal_name}, {first.operation_name}, {first.corner}: {words}"


def test_room_to_the_clock_needs_a_clock_and_a_limit(found) -> None:
    assert (
        "no operation over address" in measure_bus(replace(found, levelled=()), "bus_to_clock").how
    )
    free = tuple(replace(x, room=math.inf) for x in found.levelled)
    assert (
        "how far a strobe may come"
        in measure_bus(replace(found, levelled=free), "bus_to_clock").how
    )
    lost = Levelled("DQS0", "DQS0", "write-b", "Write B", "typ", failure="no edge")
    told = measure_bus(replace(found, levelled=(*found.levelled, lost)), "bus_to_clock")
    assert told.how == "DQS0, Write B, typ: no edge"
    assert measure_bus(found, "bus_to_clock").room == pytest.approx(0.5 * UNIT)
    # Beside a limit of 0 the bits of the worst case count.
    assert measure_bus(found, "bus_setup").room == pytest.approx(0.5 * UNIT)


def test_the_spreadsheet_has_strobes_beside_the_clock(clocked, found) -> None:
    heads, *rows = sheets_of(clocked, found)["Clock"]
    for row, one in zip(rows, found.levelled, strict=True):
        told = dict(zip(heads, row, strict=True))
        assert (told["lane"], told["operation"], told["corner"]) == ("DQS0", "Write B", one.corner)
        assert told["clock later than the strobe, s"] == one.late
        assert told["strobe moved by, s"] == one.moved
        assert told["room left, s"] == one.room
    heads, *rows = sheets_of(clocked, found)["Waves"]
    for row, case in zip(rows, found.cases, strict=True):
        told = dict(zip(heads, row, strict=True))
        assert told["crossing of its legs from their middle, V"] == case.found.crossing


def test_bits_that_are_not_there_cost_all_that_is_asked(project, clocked, found) -> None:
    inputs = bus_inputs(project.design, clocked)
    results = [c.found for c in found.cases]
    cases = [c for c in found.cases if c.operation == "address-a" and c.corner == "typ"]
    number = found.cases.index(cases[0])

    def with_short(**fields: int) -> BusResult:
        looked = results[number].looked
        short = {name: np.full(looked.setup.shape, n) for name, n in fields.items()}
        looked = replace(looked, **short)
        again = [*results]
        again[number] = replace(results[number], looked=looked)
        return BUS.gather(inputs, [*again, *found.levelled])

    asked = inputs.cases[number].sheet
    no_setup = with_short(no_setup=3)
    assert no_setup.cases[number].setup == -asked.setup == -80e-12
    assert no_setup.cases[number].hold == pytest.approx(cases[0].hold)
    no_hold = with_short(no_hold=1)
    assert no_hold.cases[number].hold == -asked.hold == -90e-12
    assert no_hold.cases[number].setup == pytest.approx(cases[0].setup)
    for worse in (no_setup, no_hold):
        assert worse.cases[number].state == "fails"
        others = [c for k, c in enumerate(worse.cases) if k != number]
        assert [c.state for c in others] == ["holds"] * 9


def test_set_alike_strobes_are_moved_by_the_same_in_all_corners(project, clocked, found) -> None:
    """A step of 13 ps, 40 ps allowed: the middle of 100 and 140 ps is nearest to nine steps."""
    results = [c.found for c in found.cases]
    late = {"typ": 100e-12, "slow": 140e-12}
    own = [
        Levelled(
            one.lane, one.lane_name, one.operation, one.operation_name, one.corner,
            late[one.corner], moved, 40e-12 - abs(late[one.corner] - moved),
        )
        for one, moved in zip(found.levelled, (104e-12, 143e-12), strict=True)
    ]  # fmt: skip
    each = BUS.gather(bus_inputs(project.design, clocked), [*results, *own])
    assert [x.moved for x in each.levelled] == pytest.approx([104e-12, 143e-12])
    inputs = bus_inputs(project.design, set_value(clocked, alike=True))
    alike = BUS.gather(inputs, [*results, *own])
    assert [x.moved for x in alike.levelled] == pytest.approx([117e-12, 117e-12])
    assert [x.room for x in alike.levelled] == pytest.approx([23e-12, 17e-12])
    # A strobe whose arrival is not known moves no other one.
    lost = [replace(own[0], late=math.nan, room=math.nan, failure="no edge"), own[1]]
    (first, second) = BUS.gather(inputs, [*results, *lost]).levelled
    assert (first.state, second.moved) == ("unknown", pytest.approx(143e-12))
    # Without a step nothing is moved.
    still = bus_inputs(project.design, set_value(clocked, alike=True, levelling_step=None))
    assert [x.moved for x in BUS.gather(still, [*results, *own]).levelled] == [
        x.moved for x in own
    ]  # fmt: skip
