"""Cases of a bus: against waveforms looked at by hand, and what a lane's strobe does to them."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import openpyxl
import pytest

from onda.engine.links.patterns import prbs
from onda.engine.timing.strobed import Sheet, Waveform, lane_timing
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.buses.bus import Bus, EndSetting
from onda.project.buses.edits import with_sender
from onda.project.edits import requirements_of
from onda.project.kind import Ref
from onda.project.quantities import parse_quantity as q
from onda.studies.buses.book import BUS_BOOK, book_inputs, sheets_of
from onda.studies.buses.bus import BUS, BusResult
from onda.studies.buses.case import BUS_CASE, CaseResult, case_waves
from onda.studies.buses.inputs import bus_inputs
from onda.studies.buses.judge import measure_bus
from onda.studies.buses.looked import CaseEyes, Looked, common_level, common_place
from onda.studies.buses.plan import case_path
from onda.studies.buses.seen import BUS_SEEN, SeenInputs
from onda.studies.core.keys import key_of
from onda.studies.core.margin import State, margin_of
from onda.studies.core.study import Control
from onda.studies.paths.inputs import path_inputs


@pytest.fixture(scope="module")
def small(project) -> Bus:
    """Two signals and their strobe, two operations, two corners, few bits."""
    bus = project.design.bus("byte0")
    keep = [s for s in bus.signals if s.id in ("DQS0", "DQ1", "DQ6")]
    operations = (bus.operations[1], bus.operations[2])
    return set_value(
        bus, signals=tuple(keep), operations=operations, corners=("typ", "slow"), bits=48
    )


@pytest.fixture(scope="module")
def found(project, small) -> BusResult:
    return BUS.run(bus_inputs(project.design, small), Control())


def test_every_case_is_there_once(small, found) -> None:
    keys = {(c.signal, c.operation, c.corner) for c in found.cases}
    assert len(found.cases) == len(keys) == 2 * 2 * 2
    assert {c.unit_interval for c in found.cases} == {1.0 / 2.4e9}
    assert all(c.state == "holds" for c in found.cases)


def test_a_case_is_its_waveforms_held_against_the_sheet(project, small, found) -> None:
    """Waveforms as Paths has them, at the level that the study found, by the public definitions."""
    inputs = bus_inputs(project.design, small)
    for one, case in zip(inputs.cases, found.cases, strict=True):
        waves = case_waves(one)
        sheet = small.device(
            next(o for o in small.operations if o.id == one.operation).listens
        ).sheet
        asked = Sheet(
            case.found.level, sheet.ac.si, sheet.dc.si, sheet.strobe.si, sheet.setup.si,
            sheet.hold.si, one.sheet.setup_table, one.sheet.hold_table,
        )  # fmt: skip
        unit = one.unit_interval
        # The place of the strobe that its lane has chosen.
        looked = case.found.looked
        number = looked.number(case.found.level)
        (place,) = (
            float(offset)
            for offset, setup, hold in zip(
                looked.offsets, looked.setup[:, number], looked.hold[:, number], strict=True
            )
            if (setup, hold) == (case.found.setup, case.found.hold)
        )
        window = ((one.lead + 0.5) * unit + place, (one.data.count - 0.5) * unit + place)
        timing = lane_timing(
            Waveform(waves.time, waves.data),
            Waveform(waves.strobe_time + place, waves.strobe),
            asked,
            window,
        )
        assert case.found.setup == pytest.approx(timing.worst_setup, abs=1e-13)
        assert case.found.hold == pytest.approx(timing.worst_hold, abs=1e-13)
        assert case.found.height == pytest.approx(timing.height)
        assert case.found.centre == pytest.approx(timing.centre_level)
        # The level lies on the sheet's steps.
        step = sheet.level_step.si
        assert case.found.level / step == pytest.approx(round(case.found.level / step))
        assert case.setup == pytest.approx(case.found.setup + case.shift - place)
        assert case.hold == pytest.approx(case.found.hold - case.shift + place)


def test_a_lane_has_one_strobe_moved_to_where_its_margins_are_alike(small, found) -> None:
    lanes: dict[tuple[str, str], list] = {}
    for case in found.cases:
        lanes.setdefault((case.operation, case.corner), []).append(case)
    for cases in lanes.values():
        assert len({c.shift for c in cases}) == 1
        assert min(c.setup for c in cases) == pytest.approx(min(c.hold for c in cases), abs=1e-15)
    # Signals of other lengths differ by what their lengths take.
    dq1, dq6 = (
        next(c for c in found.cases if (c.signal, c.operation, c.corner) == (s, "write-b", "typ"))
        for s in ("DQ1", "DQ6")
    )
    longer = 34.9e-3 - 33.2e-3
    assert dq1.setup - dq6.setup == pytest.approx(longer * 7.0e-9, rel=0.25)


def looked_at(
    heights: dict[float, float], levels: tuple[float, ...] = (0.6,), centre: float = 0.6
) -> Looked:
    """A signal with its strobe at places, s, and the heights there; no margin but 0."""
    places, tall = np.array(list(heights)), np.array(list(heights.values()))
    nothing, shape = np.zeros(len(places)), (len(places), len(levels))
    return Looked(
        places, np.array(levels), nothing + centre, np.zeros(shape), np.zeros(shape),
        np.zeros(shape, int), np.zeros(shape, int), centre + tall / 2, centre - tall / 2,
    )  # fmt: skip


def eyes(**heights: float) -> Looked:
    """A signal looked at with its strobe at places in ps (`m` for minus) and the heights there."""
    return looked_at({float(k[1:].replace("m", "-")) * 1e-12: h for k, h in heights.items()})


@pytest.mark.parametrize(
    ("signals", "place"),
    [
        # Each alone would go elsewhere: the least tall eye decides.
        ([eyes(p0=0.4, p50=0.5, pm50=0.3), eyes(p0=0.4, p50=0.2, pm50=0.5)], 0.0),
        # Nearly as good, and nearer.
        ([eyes(p0=0.46, p50=0.5)], 0.0),
        ([eyes(p0=0.44, p50=0.5)], 50.0),
        # Of no place that all have, one that most have, however small.
        ([eyes(p50=0.5), eyes(p50=0.2, p0=0.5), eyes(pm50=0.9)], 50.0),
        ([eyes(p0=math.nan, p50=0.1)], 50.0),
        ([eyes(p0=-0.30, p50=-0.10)], 50.0),
    ],
)
def test_a_lane_chooses_the_place_of_its_strobe(signals, place) -> None:
    assert common_place(signals) == pytest.approx(place * 1e-12)


@pytest.mark.parametrize(
    ("signals", "level"),
    [
        # Between the lowest one and the highest zero of all: 0.5 and 0.72 V of the first, 0.56 and
        # 0.8 V of the second one.
        (
            [
                looked_at({0.0: 0.22}, (0.6, 0.61, 0.64), 0.61),
                looked_at({0.0: 0.24}, (0.61, 0.64, 0.68), 0.68),
            ],
            0.64,
        ),
        # Only levels that both have; of two that are as near the lower one.
        ([looked_at({0.0: 0.2}, (0.55, 0.65)), looked_at({0.0: 0.2}, (0.55, 0.6, 0.65))], 0.55),
        # A strobe that stands where only one of them is open.
        ([looked_at({0.0: 0.2}, (0.6,)), looked_at({5e-11: 0.2}, (0.7,), 0.7)], 0.6),
    ],
)
def test_a_lane_chooses_its_level(signals, level) -> None:
    assert common_level(signals, 0.0) == level


def test_signals_of_a_lane_are_decided_around_one_level(project, small, found) -> None:
    """The lane's margins, from its waveforms around the level in the middle of all its eyes."""
    inputs = bus_inputs(project.design, small)
    for lane in {(c.operation, c.corner) for c in found.cases}:
        both = [
            (one, c)
            for one, c in zip(inputs.cases, found.cases, strict=True)
            if (c.operation, c.corner) == lane
        ]
        assert len({c.found.level for _, c in both}) == 1
        level = both[0][1].found.level
        eyes_of = [CaseEyes(one, case_waves(one)) for one, _ in both]
        place = next(
            float(x)
            for x in both[0][1].found.looked.offsets
            if abs(x - both[0][1].shift) <= 0.0625 * both[0][0].unit_interval + 1e-15
            or len(both[0][1].found.looked.offsets) == 1
        )
        timings = [eye.timing(place, level) for eye in eyes_of]
        middle = 0.5 * (min(t.lowest_one for t in timings) + max(t.highest_zero for t in timings))
        assert abs(level - middle) <= 0.5 * both[0][0].sheet.level_step + 1e-12


def test_levels_that_are_looked_at_are_dense_nearby_and_reach_far(small, found) -> None:
    step = small.device("A").sheet.level_step.si
    for case in found.cases:
        looked = case.found.looked
        best = looked.place(common_place([looked]))
        numbers = np.rint(looked.levels / step).astype(int)
        assert looked.levels == pytest.approx(step * numbers)
        own = round(float(looked.own[best]) / step)
        # Every step up to four away, and not every one beyond, to a quarter of the eye.
        assert set(range(own - 4, own + 5)) <= set(numbers.tolist())
        reach = int(0.25 * looked.heights[best] / step)
        beyond = [n - own for n in numbers.tolist() if abs(n - own) > 4]
        assert reach - 8 < max(beyond) <= reach
        assert -reach <= min(beyond) < 8 - reach
        assert len(numbers) <= 9 + 9
        # What is missing beyond lies between those of any lane: whole numbers of a power of two.
        apart = int(np.gcd.reduce(np.array([n for n in numbers if abs(n - own) > 4])))
        assert apart in (1, 2, 4, 8, 16) or apart % 8 == 0
        # Margins are those around each level, and nothing is missing where the eye is open.
        assert np.isfinite(looked.setup[best]).all()
        assert (looked.no_setup[best] >= 0).all()
        tall = looked.heights >= 0.5 * looked.heights.max()
        assert tall.all()


def test_a_sheets_own_level_is_the_only_one(project, small) -> None:
    sheet = set_value(small.device("B").sheet, level=q("0.61 V", "voltage"))
    devices = tuple(set_value(d, sheet=sheet) if d.id == "B" else d for d in small.devices)
    fixed_at = set_value(small, devices=devices, operations=small.operations[:1])
    result = BUS.run(bus_inputs(project.design, fixed_at), Control())
    assert {c.found.level for c in result.cases} == {0.61}
    assert {tuple(c.found.looked.levels.tolist()) for c in result.cases} == {(0.61,)}


def test_set_alike_all_corners_share_strobe_and_level(project, small, found) -> None:
    alike = bus_inputs(project.design, set_value(small, alike=True))
    shared = BUS.gather(alike, [c.found for c in found.cases])
    for operation in ("write-b", "read-a"):
        ours = [c for c in shared.cases if c.operation == operation]
        theirs = [c for c in found.cases if c.operation == operation]
        assert len({(c.shift, c.found.level) for c in ours}) == 1
        assert len({(c.shift, c.found.level) for c in theirs}) == 2
        # Margins are alike over all of them, and no better than where each is set by itself.
        assert min(c.setup for c in ours) == pytest.approx(min(c.hold for c in ours), abs=1e-15)
        assert min(c.worst for c in ours) <= min(c.worst for c in theirs) + 1e-13
        # They are those of the waveforms with the strobe there, around that level.
        for one, case in zip(
            [c for c in alike.cases if c.operation == operation], ours, strict=True
        ):
            timing = CaseEyes(one, case_waves(one)).timing(case.shift, case.found.level)
            assert case.setup == pytest.approx(timing.worst_setup, abs=2e-12)
            assert case.hold == pytest.approx(timing.worst_hold, abs=2e-12)


def test_an_eye_elsewhere_than_its_lanes_level_says_so(project, small) -> None:
    inputs = bus_inputs(project.design, small, "write-b")
    one = [c for c in inputs.cases if c.corner == "typ"]
    there = [
        CaseResult(setup=0.0, hold=0.0, looked=looked_at({0.0: 0.3}, (0.6, 0.61), 0.6)),
        CaseResult(setup=0.0, hold=0.0, looked=looked_at({0.0: 0.3}, (0.7,), 0.7)),
        CaseResult(setup=0.0, hold=0.0, looked=looked_at({0.0: 0.3}, (0.6, 0.61), 0.6)),
    ]
    cases = (*one, replace(one[0], signal="other"))
    result = BUS.gather(replace(inputs, cases=cases), there)
    assert [c.state for c in result.cases] == ["holds", "unknown", "holds"]
    assert "level of its lane" in result.cases[1].found.failure


def test_a_signal_that_is_closed_where_its_lane_is_open_says_so(project, small) -> None:
    inputs = bus_inputs(project.design, small, "write-b")
    one = [c for c in inputs.cases if c.corner == "typ"]
    there = [
        CaseResult(setup=0.0, hold=0.0, looked=eyes(p0=0.4)),
        CaseResult(setup=0.0, hold=0.0, looked=eyes(p0=0.3)),
        CaseResult(setup=0.0, hold=0.0, looked=eyes(p50=0.5)),
    ]
    again = replace(inputs, cases=(one[0], one[1], replace(one[1], signal="DQ9")))
    *open_ones, closed = BUS.gather(again, there).cases
    assert "closed where its lane's strobe stands" in closed.found.failure
    assert (closed.state, closed.shift) == ("unknown", 0.0)
    assert [c.state for c in open_ones] == ["holds", "holds"]


def test_a_case_tells_what_its_data_do_between_edges(project, small, found) -> None:
    inputs = bus_inputs(project.design, small)
    for one, case in zip(inputs.cases, found.cases, strict=True):
        waves, unit, quality = case_waves(one), one.unit_interval, case.found.quality
        counts = (waves.time > one.lead * unit) & (waves.time < (one.data.count - 1) * unit)
        volts = waves.data[counts]
        assert quality.overshoot == pytest.approx(max(volts.max() - 1.2, 0.0), abs=1e-9)
        assert quality.undershoot == pytest.approx(max(-volts.min(), 0.0), abs=1e-9)
        # Pulses of single bits are about as long as one; a clock is up for half of its period.
        assert quality.narrowest == pytest.approx(unit, rel=0.2)
        assert quality.short == 0
        # Nothing rings back: the ac level itself is what comes nearest to the dc one.
        assert quality.ring_back == pytest.approx(one.sheet.ac - one.sheet.dc, abs=2e-3)
        least, most = case.found.duty
        assert 0.47 < least <= most < 0.53


def test_a_strobe_that_is_not_centred_stays(project, small) -> None:
    fixed = tuple(set_value(o, centred=False) for o in small.operations)
    inputs = bus_inputs(project.design, set_value(small, operations=fixed))
    result = BUS.run(inputs, Control())
    assert {c.shift for c in result.cases} == {0.0}
    later = tuple(set_value(o, strobe_at=q("0.6 UI", "unit interval")) for o in fixed)
    moved = BUS.run(bus_inputs(project.design, set_value(small, operations=later)), Control())
    for one, other in zip(result.cases, moved.cases, strict=True):
        assert other.setup - one.setup == pytest.approx(0.1 / 2.4e9, abs=3e-12)
        assert other.hold - one.hold == pytest.approx(-0.1 / 2.4e9, abs=3e-12)


def test_operations_make_devices_what_they_say(project, small) -> None:
    write, read = small.operations
    path = case_path(project.design, small, "mem-dq", write)
    models = (path.driver.model.model, path.receivers["A"].model.model, path.receiver.model.model)
    assert models == ("dq_34", "dq_odt60", "dq_odt120")
    assert path.driving == ""
    one = bus_inputs(project.design, small, "DQ1").cases[0]
    first = next(item for item in one.data.path.items if item.id == "T1")
    assert first.length == pytest.approx(33.2e-3)
    back = case_path(project.design, small, "mem-dq", read)
    assert back.driving == "A"
    assert back.driver.model.model == "dq_odt60"


def test_a_sender_takes_its_skew_and_jitter_from_both_margins(project, small, found) -> None:
    late = with_sender(small, "A", skew=q("12 ps", "time"), jitter=q("5 ps", "time"))
    taken = BUS.run(bus_inputs(project.design, late), Control())
    for before, after in zip(found.cases, taken.cases, strict=True):
        cost = 17e-12 if before.operation == "read-a" else 0.0
        assert before.setup - after.setup == pytest.approx(cost, abs=1e-16)
        assert before.hold - after.hold == pytest.approx(cost, abs=1e-16)
        assert after.found.height == before.found.height


def test_a_change_of_one_operation_changes_its_cases_only(project, small) -> None:
    other = set_value(small.operations[0], settings=(EndSetting(id="A", model="dq_odt40"),))
    changed = set_value(small, operations=(other, small.operations[1]))
    before = bus_inputs(project.design, small).cases
    after = bus_inputs(project.design, changed).cases
    same = [
        key_of("bus_case", a) == key_of("bus_case", b) for a, b in zip(before, after, strict=True)
    ]
    assert same == [a.operation != other.id for a in after]


def test_no_termination_fails_and_says_why(project) -> None:
    bus = project.design.bus("byte0")
    some = tuple(s for s in bus.signals if s.id in ("DQS0", "DQ6"))
    alone = tuple(EndSetting(id=device, model="dq_34") for device in ("U1", "A", "B"))
    write = set_value(bus.operations[0], settings=alone)
    few = set_value(bus, signals=some, operations=(write,), corners=("slow",), bits=96)
    open_ends = BUS.run(bus_inputs(project.design, few), Control()).cases[0]
    ended = set_value(
        few.operations[0],
        settings=(
            EndSetting(id="U1", model="dq_34"), EndSetting(id="A", model="dq_odt120"),
            EndSetting(id="B", model="dq_odt60"),
        ),
    )  # fmt: skip
    healed = BUS.run(bus_inputs(project.design, set_value(few, operations=(ended,))), Control())
    assert open_ends.worst < 20e-12
    assert healed.cases[0].worst > open_ends.worst + 50e-12
    assert "moves the level" in open_ends.found.why


def test_what_cannot_be_worked_out_is_told_and_the_rest_goes_on(project, small) -> None:
    wrong = set_value(small.operations[0], settings=(EndSetting(id="A", model="dq_none"),))
    result = BUS.run(
        bus_inputs(project.design, set_value(small, operations=(wrong, small.operations[1]))),
        Control(),
    )
    states = {c.operation: c.state for c in result.cases}
    assert states == {"write-b": "unknown", "read-a": "holds"}
    assert "dq_none" in result.cases[0].found.failure
    assert result.worst is not None
    assert result.worst.state == "unknown"
    assert math.isnan(result.least("setup"))
    (wanted, *_) = requirements_of(project, Ref("bus", "byte0"))
    margin = margin_of(wanted, measure_bus(result, "bus_setup"))
    assert margin.state is not State.HOLDS
    assert "dq_none" in f"{margin.where} {margin.how}"


def test_a_failed_case_does_not_move_the_strobe_of_others(project, small, found) -> None:
    inputs = bus_inputs(project.design, small)
    results = [c.found for c in found.cases]
    # One signal of a lane is lost: the other one is centred by itself.
    lost = [CaseResult(failure="lost"), *results[1:]]
    assert BUS.gather is not None
    again = BUS.gather(inputs, lost)
    first = inputs.cases[0]
    partner = next(
        c
        for c in again.cases
        if (c.operation, c.corner) == (first.operation, first.corner) and c.signal != first.signal
    )
    assert partner.setup == pytest.approx(partner.hold, abs=1e-15)
    assert again.cases[0].state == "unknown"


def test_measures_are_the_least_of_all_cases(found) -> None:
    assert measure_bus(found, "bus_setup").value == min(c.setup for c in found.cases)
    assert measure_bus(found, "bus_hold").value == min(c.hold for c in found.cases)
    height = measure_bus(found, "bus_height")
    least = min(found.cases, key=lambda c: c.found.height)
    assert height.value == least.found.height
    assert least.signal_name in height.where


def test_traces_around_the_strobe_are_the_waveform(project, small) -> None:
    one = bus_inputs(project.design, small).cases[0]
    case = BUS_CASE.run(one, Control())
    waves = case_waves(one)
    for shift in (0.0, 60e-12):
        seen = BUS_SEEN.run(SeenInputs(one, shift, 0.61), Control())
        assert seen.level == 0.61
        looked = case.looked
        middle = seen.traces[:, len(seen.time) // 2]
        ones, zeros = middle[middle > seen.level], middle[middle <= seen.level]
        timing = CaseEyes(one, waves).timing(shift, 0.61)
        assert float(ones.min()) == pytest.approx(timing.lowest_one)
        assert float(zeros.max()) == pytest.approx(timing.highest_zero)
        if shift in looked.offsets:
            assert timing.height == pytest.approx(looked.heights[looked.place(shift)])
        assert (seen.whole_time[0], seen.whole_time[-1]) == (0.0, waves.time[-1])
        strobe = np.interp(seen.whole_time - shift, waves.strobe_time, waves.strobe)
        assert seen.whole_strobe == pytest.approx(strobe)
    assert seen.time[[0, -1]] == pytest.approx([-one.unit_interval, one.unit_interval])
    assert (seen.setup, seen.hold, seen.ac) == (one.sheet.setup, one.sheet.hold, one.sheet.ac)
    assert np.interp(5e-9, seen.whole_time, seen.whole_data) == pytest.approx(
        float(np.interp(5e-9, waves.time, waves.data)), abs=0.02
    )


def test_only_some_of_it(project, small) -> None:
    design = project.design
    assert {c.signal for c in bus_inputs(design, small, "DQ6").cases} == {"DQ6"}
    assert {c.operation for c in bus_inputs(design, small, "Read A").cases} == {"read-a"}
    assert len(bus_inputs(design, small, "DQS0").cases) == 8
    with pytest.raises(InputError, match="nothing of Memory byte 0 is called 'DQ99'"):
        bus_inputs(design, small, "DQ99")


def test_a_device_without_a_file_cannot_be_another_model(project, small) -> None:
    path = project.design.path("mem-dq")
    bare = set_value(path, receiver=set_value(path.receiver, model=None))
    design = set_value(
        project.design, paths=tuple(bare if p.id == path.id else p for p in project.design.paths)
    )
    with pytest.raises(InputError, match="Module B of path Memory data net has no device file"):
        bus_inputs(design, small)


def test_the_spreadsheet_has_every_case(small, found, tmp_path) -> None:
    file = tmp_path / "bus.xlsx"

    def write(bus: Bus) -> None:
        file.write_bytes(BUS_BOOK.run(book_inputs(bus, found), Control()).content)

    write(small)
    book = openpyxl.load_workbook(file)
    assert book.sheetnames == ["Cases", "Waves", "Strobes", "Clock", "Levels", "Settings"]
    rows = list(book["Cases"].values)
    assert rows[0][:4] == ("signal", "lane", "operation", "corner")
    for row, case in zip(rows[1:], found.cases, strict=True):
        assert row[:4] == (case.signal_name, case.lane, case.operation_name, case.corner)
        assert row[4:6] == pytest.approx((case.setup, case.hold))
        assert row[6] == case.state
        assert row[7:9] == pytest.approx((case.found.height, case.found.level))
    settings = list(book["Settings"].values)
    assert settings[1] == ("Write B", "Controller", "Module B", "dq_34", "dq_odt60", "dq_odt120")
    heads, *waves = book["Waves"].values
    assert len(waves) == len(found.cases)
    for row, case in zip(waves, found.cases, strict=True):
        told, quality = dict(zip(heads, row, strict=True)), case.found.quality
        assert told["signal"] == case.signal_name
        assert (told["operation"], told["corner"]) == (case.operation_name, case.corner)
        for head, name in (
            ("overshoot, V", "overshoot"), ("undershoot, V", "undershoot"),
            ("overshoot area, V s", "overshoot_area"),
            ("undershoot area, V s", "undershoot_area"), ("ring-back, V", "ring_back"),
            ("narrowest pulse, s", "narrowest"), ("pulses short of the ac level", "short"),
        ):  # fmt: skip
            assert told[head] == pytest.approx(getattr(quality, name)), head
        duty = (told["least duty of the strobe"], told["largest duty"])
        assert duty == pytest.approx(case.found.duty)
    strobes = list(book["Strobes"].values)
    assert len(strobes) == 1 + 4
    assert all(isinstance(row[3], float) for row in strobes[1:])
    bad = set_value(
        small, operations=(set_value(small.operations[0], name="=1+1"), small.operations[1])
    )
    assert sheets_of(bad, found)["Settings"][1][0] == "=1+1"
    write(bad)
    assert openpyxl.load_workbook(file)["Settings"]["A2"].value == "'=1+1"


def test_keys_change_with_what_counts(project, small) -> None:
    one = bus_inputs(project.design, small).cases[0]
    was = key_of("bus_case", one)
    for change in (
        {"strobe_at": 1e-10},
        {"data": replace(one.data, order=7)},
        {"sheet": replace(one.sheet, setup=1e-12)},
        {"corner": "fast"},
    ):
        assert key_of("bus_case", replace(one, **change)) != was
    assert path_inputs(project.design, project.design.path("mem-dq")) != one.data.path


# -- the byte whose strobe is routed longer than its data


@pytest.fixture(scope="module")
def late(project) -> BusResult:
    bus = project.design.bus("byte1")
    keep = tuple(s for s in bus.signals if s.id in ("DQS1", "DQ8", "DQ9"))
    write = set_value(bus, signals=keep, operations=bus.operations[:1], corners=("slow", "fast"))
    return BUS.run(bus_inputs(project.design, write), Control())


def test_a_long_strobe_takes_hold_in_the_fast_corner_alone(project, late) -> None:
    states = {(c.signal, c.corner): c.state for c in late.cases}
    assert states == {
        ("DQ8", "slow"): "holds", ("DQ9", "slow"): "holds",
        ("DQ8", "fast"): "fails", ("DQ9", "fast"): "fails",
    }  # fmt: skip
    for case in late.cases:
        # It stays where it comes: 14 mm too late for DQ8, 0.8 mm more for DQ9.
        assert case.shift == 0.0
        assert case.hold < case.setup
        longer = "14.0" if case.signal == "DQ8" else "14.8"
        words = f"the strobe, whose line is {longer} mm longer, comes"
        late_by = 0.5e12 * (case.setup - case.hold)
        assert f"{words} {late_by:.0f} ps late for this signal" in case.found.why
    first = late.cases[0]
    assert (first.signal, first.corner) == ("DQ8", "slow")
    fails = [c for c in late.cases if c.state == "fails"]
    for case in fails:
        # What would mend it is told first.
        either = 0.5e12 * (case.setup + case.hold)
        assert case.found.why.startswith("the strobe, whose line is")
        assert f"in its place either margin is {either:.0f} ps" in case.found.why


def test_a_strobe_as_long_as_its_data_mends_it(project, late) -> None:
    bus = project.design.bus("byte1")
    strobe, *data = (s for s in bus.signals if s.id in ("DQS1", "DQ8", "DQ9"))
    even = set_value(
        bus,
        signals=(set_value(strobe, lengths=data[0].lengths), *data),
        operations=bus.operations[:1],
        corners=("slow", "fast"),
    )
    mended = BUS.run(bus_inputs(project.design, even), Control())
    for was, now in zip(late.cases, mended.cases, strict=True):
        assert now.state == "holds"
        assert "whose line is" not in now.found.why
        # 14 mm of line, 7 ps each.
        assert now.hold - was.hold == pytest.approx(14e-3 * 7.0e-9, rel=0.2)


def test_a_margin_without_a_number_is_missing_with_its_reason(small, found) -> None:
    """A case may have failed, or have no edge at which data and strobe meet."""
    silent = replace(found.cases[3], setup=math.nan)
    told = measure_bus(
        replace(found, cases=(*found.cases[:3], silent, *found.cases[4:])), "bus_hold"
    )
    assert math.isnan(told.value)
    where = f"{silent.signal_name}, {silent.operation_name}, {silent.corner}"
    assert told.how == f"{where}: data and strobe do not meet"
    failed = replace(silent, found=replace(silent.found, failure="no edge"))
    told = measure_bus(replace(found, cases=(failed, *found.cases[1:])), "bus_height")
    assert told.how == f"{where}: no edge"


def test_margins_of_time_are_a_share_of_half_a_unit_interval(found) -> None:
    for measure in ("bus_setup", "bus_hold"):
        assert measure_bus(found, measure).room == pytest.approx(0.5 / 2.4e9)
    assert measure_bus(found, "bus_height").room == 1.0


def test_a_far_end_that_terminates_too_strongly_makes_levels_sag(project) -> None:
    bus = project.design.bus("byte0")
    some = tuple(s for s in bus.signals if s.id in ("DQS0", "DQ6"))
    few = set_value(bus, signals=some, operations=bus.operations[:1], bits=96)
    cases = {c.corner: c for c in BUS.run(bus_inputs(project.design, few), Control()).cases}
    assert {corner: c.state for corner, c in cases.items()} == {
        "typ": "holds", "slow": "fails", "fast": "holds",
    }  # fmt: skip
    slow = cases["slow"]
    # Bits come to their ac level, and fall back within the dc one by the strobe.
    (short, levels, *_) = slow.found.why.split("; ")
    assert short.endswith("bits lie within their dc level at the strobe")
    assert levels.startswith("both levels sag")
    assert "a termination that is too strong" in levels
    assert slow.hold == -45e-12
    weaker = set_value(
        few.operations[0],
        settings=tuple(
            set_value(s, model="dq_odt120") if s.id == "B" else s
            for s in few.operations[0].settings
        ),
    )
    healed = BUS.run(bus_inputs(project.design, set_value(few, operations=(weaker,))), Control())
    assert [c.state for c in healed.cases] == ["holds"] * 3
    swing = next(c.found.swing for c in healed.cases if c.corner == "slow")
    assert swing > 1.25 * slow.found.swing


def test_bits_are_pseudo_random_or_typed(project, small) -> None:
    plain = bus_inputs(project.design, small).cases[0]
    assert plain.data.bits == "".join(str(int(b)) for b in prbs(9, 56))
    assert plain.strobe.wave.bits == "01" * 28
    typed = set_value(small, typed="00101")
    one = bus_inputs(project.design, typed).cases[0]
    assert one.data.bits == ("00101" * 12)[:56]
    # The strobe goes on as it was.
    assert one.strobe == plain.strobe
    assert key_of("bus_case", one) != key_of("bus_case", plain)
    # One and zero in turn is the easiest of all: every bit has settled as far as the one before.
    even = bus_inputs(project.design, set_value(small, typed="01")).cases[0]
    assert BUS_CASE.run(even, Control()).height > BUS_CASE.run(plain, Control()).height
    for bits, words in (("0121", "pattern"), ("000", "bits that are all alike have no edge")):
        with pytest.raises(InputError, match=words):
            set_value(small, typed=bits)
