"""Fulmar's groups as studies: against other ways to the same numbers, and held against limits."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.engine.coupled_lines import pair_line
from onda.engine.networks.mixed_mode import mixed_mode
from onda.engine.networks.time_domain import Edge
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.coupling import edits
from onda.project.coupling.group import Guard, LaneGroup
from onda.project.edits import with_design
from onda.project.quantities import parse_quantity
from onda.studies.core.judge import judge_of
from onda.studies.core.keys import key_of
from onda.studies.core.margin import State
from onda.studies.core.study import Control
from onda.studies.coupling.group import GROUP, GroupResult, network_of_group
from onda.studies.coupling.inputs import GroupInputs, group_inputs
from onda.studies.coupling.judge import measure_group, value_of
from onda.studies.coupling.search import (
    GROUP_SEARCH,
    LimitInputs,
    SearchInputs,
    search_range,
    with_length,
    with_spacing,
)
from onda.studies.coupling.solved_group import group_line
from onda.studies.lines.inputs import line_inputs
from onda.studies.lines.solved_line import solve_line
from onda.studies.networks.build import build_network
from onda.studies.networks.inputs import GroupItem, NetworkInputs

GRID = (1e8, 2e10, 200)


def sliced(project, identifier: str, **changes) -> GroupInputs:
    """Quick sections: as good for all that is asked here."""
    group = project.design.group(identifier)
    return replace(group_inputs(project.design, group, fine=False), **changes)


@pytest.fixture(scope="module")
def lanes() -> GroupResult:
    from onda.demo import fulmar_project

    project = fulmar_project()
    return GROUP.run(sliced(project, "converter-lanes"), Control())


@pytest.fixture(scope="module")
def byte() -> GroupResult:
    from onda.demo import fulmar_project

    return GROUP.run(sliced(fulmar_project(), "memory-byte"), Control())


@pytest.mark.parametrize(("line_class", "layer"), [("converter-pairs", "L3"), ("memory", "L1")])
def test_one_lane_is_its_line(project, line_class, layer) -> None:
    """As matrices a lane has the impedance, delay and loss of its class."""
    inputs = line_inputs(project.design, project.design.line_class(line_class), layer)
    line = group_line(inputs, inputs, True)
    f = np.array([1e8, 1e9, 5e9, 2e10])
    s = 2j * np.pi * f
    z, y = line.series_impedance(s), line.shunt_admittance(s)
    turn = np.array([1.0, -1.0]) if inputs.differential else np.array([1.0])
    scale = 2.0 if inputs.differential else 1.0
    z_lane = np.einsum("i,fij,j->f", turn, z, turn)
    y_lane = np.einsum("i,fij,j->f", turn / scale, y, turn / scale)
    gamma, zc = solve_line(inputs).line.propagation(s)
    assert np.sqrt(z_lane * y_lane).real == pytest.approx(gamma.real, rel=8e-3)
    assert np.sqrt(z_lane * y_lane).imag == pytest.approx(gamma.imag, rel=1e-3)
    assert np.abs(np.sqrt(z_lane / y_lane)) == pytest.approx(np.abs(zc), rel=2e-3)


def test_two_lines_are_the_pair_that_lines_solves(project) -> None:
    """A group of two single lines, spaced as a pair, against the pair's odd and even line."""
    design = project.design
    pair = design.line_class("converter-pairs")
    trace = pair.trace_on("L3")
    general = design.line_class("general")
    alone = set_value(general, id="alone", on=(set_value(trace, gap=None),))
    project = with_design(project, line_classes=(*design.line_classes, alone))
    made = LaneGroup.model_validate(
        {
            "id": "two", "name": "two", "line_class": "alone",
            "lanes": ({"id": "a", "name": "A"}, {"id": "b", "name": "B"}),
            "pieces": ({"id": "C1", "layer": "L3", "length": "40 mm", "spacings": (trace.gap,)},),
            "rate": "10 GBd", "rise": "20 ps",
        }
    )  # fmt: skip
    s, z = network_of_group(group_inputs(project.design, made), GRID)
    inputs = line_inputs(design, pair, "L3")
    odd, even = (solve_line(inputs, True, mode).line.scaled(0.5) for mode in (False, True))
    f = np.linspace(*GRID)
    exact = pair_line(odd, even).s_parameters(f, 0.04, z)
    assert np.abs(s - exact).max() < 6e-3


def test_disturbers_are_near_and_far_by_direction(lanes) -> None:
    assert lanes.rightward == (True,) * 4 + (False,) * 2
    assert lanes.near[3].tolist() == [False] * 4 + [True] * 2
    assert lanes.near[4].tolist() == [True] * 4 + [False] * 2
    # The two that are close hear each other most; what is far away hardly anything.
    assert int(np.argmax(lanes.noise[3].by_lane)) == 4
    assert int(np.argmax(lanes.noise[4].by_lane)) == 3
    assert lanes.noise[3].near == pytest.approx(5.3e-3, rel=0.05)
    assert lanes.noise[0].near < 1e-6
    assert lanes.noise[3].total == pytest.approx(
        math.hypot(lanes.noise[3].near, lanes.noise[3].far), rel=1e-12
    )


def test_the_power_sum_is_the_sum_of_powers(lanes) -> None:
    for v in (0, 3, 5):
        every = [np.abs(lanes.heard[:, v, a]) ** 2 for a in range(6) if a != v]
        assert lanes.power_sum(v) ** 2 == pytest.approx(np.sum(every, axis=0), rel=1e-12)
        parts = lanes.power_sum(v, near=True) ** 2 + lanes.power_sum(v, near=False) ** 2
        assert parts == pytest.approx(lanes.power_sum(v) ** 2, rel=1e-12)
        for is_near in (True, False):
            some = [
                np.abs(lanes.heard[:, v, a]) ** 2
                for a in range(6)
                if a != v and bool(lanes.near[v, a]) == is_near
            ]
            wanted = np.sum(some, axis=0) if some else 0.0 * lanes.frequency
            assert lanes.power_sum(v, near=is_near) ** 2 == pytest.approx(wanted, rel=1e-12)
    sizes = np.abs(lanes.peaks[4])
    assert lanes.peak_sum(4) == pytest.approx(sizes.sum())
    assert lanes.peak_sum(4, near=True) == pytest.approx(sizes[:4].sum())
    assert lanes.peak_sum(4, near=False) == pytest.approx(sizes[5])


def test_peaks_count_the_whole_swing_of_their_transmitter(lanes) -> None:
    volts = np.abs(lanes.volts).max(axis=0)
    # 400 mV at the near end and 300 mV at the far end are half swings.
    assert abs(lanes.peaks[3, 4]) == pytest.approx(0.8 * volts[3, 4])
    assert abs(lanes.peaks[3, 2]) == pytest.approx(0.6 * volts[3, 2])


def test_what_comes_through_is_the_lane_alone(project, lanes) -> None:
    """Weakly coupled lanes lose what they lose alone."""
    inputs = sliced(project, "converter-lanes")
    f = lanes.frequency[1:]
    alone = np.ones(len(f), complex)
    for piece in inputs.pieces:
        gamma, _ = solve_line(piece.lane).line.propagation(2j * np.pi * f)
        alone = alone * np.exp(-gamma * piece.length)
    some = f < 20e9
    assert np.abs(lanes.heard[1:, 0, 0])[some] == pytest.approx(np.abs(alone)[some], rel=0.02)
    at_half = -20 * math.log10(abs(np.interp(8.125e9, f, np.abs(alone))))
    found = lanes.noise[0]
    assert found.deviation_db < 0.1
    assert found.loss_db == pytest.approx(at_half, abs=found.deviation_db)


def test_allowed_noise_is_read_off_at_the_lanes_own_loss(project, lanes) -> None:
    for k in range(6):
        loss = lanes.noise[k].loss_db
        assert lanes.allowed[k] == pytest.approx(np.interp(loss, [0, 4], [3.4e-3, 2.6e-3]))
        share = value_of(lanes, "noise_share", k)
        assert share == pytest.approx(lanes.noise[k].total / lanes.allowed[k])
    group = project.design.group("converter-lanes")
    beyond = set_value(group, allowed=group.allowed[2:])
    found = GROUP.run(group_inputs(project.design, beyond, fine=False), Control())
    assert np.isnan(found.allowed).all()
    assert any("from 10 to 20 dB, the loss of JL0" in doubt for doubt in found.doubts)
    assert "no noise is allowed" in measure_group(found, "noise_share").how


def test_neighbours_in_step_move_the_middle_of_the_byte_most(byte) -> None:
    spreads = [a.spread for a in byte.arrivals]
    assert spreads.index(max(spreads)) in (3, 4)
    # On the surface the even mode is the slower one: along is late, against early.
    for one in byte.arrivals:
        assert one.earliest <= one.against < one.quiet < one.along <= one.latest
    assert value_of(byte, "arrival_spread", 3) == spreads[3]


def test_lanes_that_run_the_other_way_are_not_in_step(lanes) -> None:
    # UP1 has one neighbour of its way, UP0; JL0 three.
    assert lanes.arrivals[5].spread < 0.1e-12


def test_requirements_name_their_receiver(project, lanes) -> None:
    found = measure_group(lanes, "noise_share")
    assert found.where == "at UP0, left"
    assert measure_group(lanes, "noise_share", "jl3").where == "at JL3, right"
    assert measure_group(lanes, "noise_share", "jl3").value < found.value
    assert "no receiver x" in measure_group(lanes, "noise_share", "x").how
    judge = judge_of("group")
    states = {
        r.measure: judge.margin(project.design, r, lanes).state
        for r in project.requirements
        if r.subject == "converter-lanes"
    }
    assert states == {"noise_share": State.FAILS, "crosstalk_peak": State.HOLDS}


@pytest.mark.parametrize(
    "measure",
    ["lane_noise", "crosstalk_peak", "near_end_peak", "far_end_peak", "power_sum_level"],
)
def test_every_measure_reads_its_own_figure(lanes, measure) -> None:
    half = float(np.interp(8.125e9, lanes.frequency, lanes.power_sum(4)))
    expected = {
        "lane_noise": lanes.noise[4].total,
        "crosstalk_peak": float(np.abs(lanes.peaks[4]).sum()),
        "near_end_peak": float(np.abs(lanes.peaks[4, :4]).sum()),
        "far_end_peak": float(np.abs(lanes.peaks[4, 5])),
        "power_sum_level": 20 * math.log10(half),
    }
    assert measure_group(lanes, measure, "up0").value == pytest.approx(expected[measure])


def test_a_guard_with_ties_quietens_and_a_loose_one_rings(project) -> None:
    group = project.design.group("converter-lanes")
    wide = edits.set_spacing(group, "C1", parse_quantity("300 um", "length"))
    wide = edits.set_spacing(wide, "C2", parse_quantity("300 um", "length"))

    def noise(pitch: str | None, guard: bool = True) -> float:
        made = wide
        if guard:
            width = parse_quantity("100 um", "length")
            tie = parse_quantity(pitch, "length") if pitch else None
            for piece in ("C1", "C2"):
                made = edits.set_guard(made, piece, Guard(width=width, pitch=tie))
        found = GROUP.run(group_inputs(project.design, made, fine=False), Control())
        assert bool(found.doubts[1:]) == (guard and pitch is None)
        return found.noise[4].total

    none, tied, loose = noise(None, guard=False), noise("1 mm"), noise(None)
    assert tied < 0.6 * none
    assert loose > tied


def test_frequencies_reach_as_far_as_rate_receiver_and_edge_need(project) -> None:
    plain = sliced(project, "memory-byte")
    slow = replace(plain, rise=1e-9, receiver=1e8)
    edge = Edge(1e-9).needs
    assert edge < 0.8 * plain.rate
    assert GROUP.run(slow, Control()).frequency[-1] == pytest.approx(0.8 * plain.rate)
    wide = replace(slow, receiver=3.0 * plain.rate)
    assert GROUP.run(wide, Control()).frequency[-1] == pytest.approx(3.0 * plain.rate)
    fast = replace(slow, rise=20e-12)
    assert GROUP.run(fast, Control()).frequency[-1] == pytest.approx(Edge(20e-12).needs)


def test_unmatched_ends_send_crosstalk_back(project, byte) -> None:
    inputs = sliced(project, "memory-byte", load=1e6)
    open_ended = GROUP.run(inputs, Control())
    low = GROUP.run(sliced(project, "memory-byte", source=10.0, load=1e6), Control())
    for one in (byte, open_ended, low):
        # The swing is what comes to rest at a receiver, whatever the ends are.
        assert one.volts[-1, 0, 0] == pytest.approx(1.0, rel=0.02)
        assert one.volts[-1, 0, 1] == pytest.approx(0.0, abs=2e-3)
    # A source of a fifth of the line's impedance sends back four sixths of what an open end sends.
    first, second = (float(np.max(np.abs(x.volts[:, 0, 0]))) for x in (open_ended, low))
    assert first < 1.05
    assert second == pytest.approx(2 * 50 / 60, rel=0.08)
    assert low.noise[3].total > 1.3 * open_ended.noise[3].total


def test_spacing_that_holds_is_found_and_holds(project) -> None:
    inputs = replace(sliced(project, "memory-byte"), lanes=sliced(project, "memory-byte").lanes)
    limits = tuple(LimitInputs.of(r) for r in project.requirements if r.subject == "memory-byte")
    low, high = search_range(inputs, "spacing")
    assert (low, high) == pytest.approx((0.5 * 172e-6, 40 * 172e-6))
    found = GROUP_SEARCH.run(SearchInputs(inputs, limits, "spacing", 150e-6, 900e-6), Control())
    assert found.words == (
        f"From {found.found * 1e6:.4g} µm apart every limit holds; below, arrival moved by "
        "neighbours fails."
    )
    holds = GROUP.run(with_spacing(inputs, found.found), Control())
    fails = GROUP.run(with_spacing(inputs, 0.97 * found.found), Control())
    assert max(a.spread for a in holds.arrivals) <= 20e-12
    assert max(a.spread for a in fails.arrivals) > 20e-12
    assert (np.diff(found.tried) > 0).all()
    assert (np.diff(found.margins) > -1e-6).all()


def test_length_that_holds(project) -> None:
    inputs = sliced(project, "memory-byte")
    limit = (LimitInputs("arrival_spread", None, None, 20e-12),)
    found = GROUP_SEARCH.run(SearchInputs(inputs, limit, "length", 1e-3, 0.1), Control())
    spread = max(a.spread for a in GROUP.run(with_length(inputs, found.found), Control()).arrivals)
    assert spread == pytest.approx(20e-12, rel=0.03)
    assert spread <= 20e-12


@pytest.mark.parametrize(
    ("limit", "what", "words"),
    [
        (1.0, "spacing", "Every spacing from 150 µm on holds."),
        (1e-15, "spacing", "No spacing up to 900 µm holds: arrival moved by neighbours fails."),
        (1.0, "length", "Up to 0.9 mm side by side every limit holds."),
        (1e-18, "length", "Not even 0.15 mm hold: arrival moved by neighbours fails."),
    ],
)
def test_a_search_that_ends_at_its_range_says_so(project, limit, what, words) -> None:
    inputs = sliced(project, "memory-byte")
    limits = (LimitInputs("arrival_spread", None, None, limit),)
    found = GROUP_SEARCH.run(SearchInputs(inputs, limits, what, 150e-6, 900e-6), Control())
    assert found.words == words


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"limits": ()}, "nothing is required"),
        ({"what": "width"}, "cannot be searched"),
        ({"low": 2.0, "high": 1.0}, "must rise"),
    ],
)
def test_searches_that_make_no_sense(project, changes, words) -> None:
    limits = (LimitInputs("arrival_spread", None, None, 1e-12),)
    asked = SearchInputs(sliced(project, "memory-byte"), limits, "spacing", 1e-4, 1e-3)
    with pytest.raises(InputError, match=words):
        GROUP_SEARCH.run(replace(asked, **changes), Control())


def test_spacing_leaves_gaps_inside_pairs_alone(project) -> None:
    inputs = with_spacing(sliced(project, "converter-lanes"), 300e-6, "C1")
    gaps = inputs.pieces[1].section.trace.gaps
    assert gaps[::2] == pytest.approx([150e-6] * 6)
    assert gaps[1::2] == pytest.approx([300e-6] * 5)
    assert inputs.pieces[2].section.trace.gaps[1::2] == pytest.approx([420e-6] * 5)


def test_a_group_as_a_network_is_the_same_group(project, lanes) -> None:
    item = GroupItem(sliced(project, "converter-lanes"))
    network = build_network(NetworkInputs("g", item, True, (), (), (0.0, 0.0), (), 49.0, 0.0, 0.0))
    assert network.s.shape == (2000, 24, 24)
    pairs = tuple((2 * k, 2 * k + 1) for k in range(12))
    mixed = mixed_mode(network.s, pairs)
    at = 400
    assert network.frequency[at] == pytest.approx(8.02e9)
    # JL3 hears UP0 near its receiver, at the right: differential ports 9 from 10.
    entry = abs(mixed[at, 9, 10])
    there = np.interp(network.frequency[at], lanes.frequency, np.abs(lanes.heard[:, 3, 4]))
    assert entry == pytest.approx(there, rel=0.05)


def test_every_field_of_a_group_changes_its_key(project) -> None:
    group = project.design.group("converter-lanes")

    def key(one: LaneGroup) -> str:
        return key_of("group", group_inputs(project.design, one))

    piece = group.pieces[1]
    changed = {
        "lane": edits.turn_lane(group, "jl0"),
        "spacing": edits.set_spacing(group, "C1", piece.spacings[3], 0),
        "length": edits.set_length(group, "F2", parse_quantity("8 mm", "length")),
        "guard": edits.set_guard(group, "C2", Guard(width=parse_quantity("90 um", "length"))),
        "uncoupled": set_value(
            group,
            pieces=tuple(set_value(p, coupled=p.id != "C2" and p.coupled) for p in group.pieces),
        ),
        **{
            name: set_value(group, **{name: value})
            for name, value in (
                ("rate", "16 GBd"), ("rise", "17 ps"), ("near", "390 mV"), ("far", "310 mV"),
                ("receiver", "9 GHz"), ("source", "48 ohm"), ("load", "48 ohm"), ("allowed", ()),
            )
        },
    }  # fmt: skip
    keys = {name: key(one) for name, one in changed.items()}
    assert len({*keys.values(), key(group)}) == len(keys) + 1
    # Its note is nobody's business.
    assert key(set_value(group, note="seen")) == key(group)


def test_too_many_conductors_are_refused_with_what_they_cost(project) -> None:
    group = project.design.group("converter-lanes")
    while len(group.lanes) < 14:
        group = edits.add_lane(group)
    width = parse_quantity("60 um", "length")
    group = edits.set_guard(group, "C1", Guard(width=width))
    with pytest.raises(InputError, match=r"41 conductors .* about \d+ s a look"):
        group_inputs(project.design, group)
