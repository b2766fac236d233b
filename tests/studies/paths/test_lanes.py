"""Lanes of groups on paths, against the group in frequency, its waves, and lines by themselves."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from onda.engine.circuits import solve_linear
from onda.engine.circuits.measure import first_crossing
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.coupling import edits
from onda.project.coupling.group import Guard, LaneGroup, LaneVias
from onda.project.edits import replace_object
from onda.project.model import Design
from onda.project.paths.elements import LanePiece
from onda.project.paths.path import Path, Stimulus
from onda.project.quantities import parse_quantity
from onda.studies.core.study import Control
from onda.studies.coupling.group import GROUP
from onda.studies.coupling.inputs import group_inputs
from onda.studies.coupling.waves import GROUP_WAVES, waves_inputs
from onda.studies.paths.build import build_path, stimuli
from onda.studies.paths.elements.lane import LaneItem
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import without_devices
from onda.studies.paths.layout import Layout, Place
from onda.studies.paths.path import PATH, PathResult
from onda.studies.paths.stimulus import edge_commands


def over(design: Design, group: LaneGroup, lane: str, does: str = "rest") -> Path:
    """A path that is nothing but a lane, with the group's models at its ends."""
    pair = design.line_class(group.line_class).kind == "pair"
    like = next(p for p in design.paths if (p.lane == "pair") == pair)
    edge = Stimulus(kind="edge", window=parse_quantity("3 ns", "time"))
    return set_value(
        like,
        elements=(LanePiece(id="G1", group=group.id, lane=lane, neighbours=does),),
        driver=set_value(like.driver, model=group.driver),
        receiver=set_value(like.receiver, model=group.listener),
        stimulus=edge,
    )


def run(design: Design, path: Path, *, fine: bool = False) -> PathResult:
    return PATH.run(path_inputs(design, path, fine=fine), Control())


@pytest.fixture
def byte(project) -> LaneGroup:
    return project.design.group("memory-byte")


@pytest.mark.parametrize("does", ["rest", "along", "against"])
def test_an_edge_arrives_when_the_waves_of_the_group_say(project, byte, does) -> None:
    case = {"rest": "quiet"}.get(does, does)
    waves = GROUP_WAVES.run(waves_inputs(project.design, byte, "dq3", fine=False), Control())
    found = run(project.design, over(project.design, byte, "dq3", does))
    arrives = first_crossing(found.time, found.load, waves.level)
    assert arrives == pytest.approx(waves.wave(case).arrives, abs=2e-12)
    # The moves are tens of ps: neither case could pass for another.
    others = [w.arrives for w in waves.waves if w.case not in (case, "listens")]
    assert min(abs(arrives - x) for x in others) > 12e-12


def test_a_neighbour_hears_what_the_matrix_says(project, byte) -> None:
    group = set_value(byte, driver=None, listener=None)
    design = replace_object(project, group).design
    path = over(design, group, "dq3")
    inputs = path_inputs(design, path, fine=False)
    z = inputs.items[0].group  # type: ignore[attr-defined]
    heard = GROUP.run(replace(z, fine=False), Control())
    low, high = 0.0, 1.0
    edge = group.rise.si / 0.6
    inputs = replace(inputs, low=low, high=high, edge=edge)
    found = PATH.run(inputs, Control())
    near = {o.name: o for o in found.overheard}
    assert [o.apart for o in found.overheard[:2]] == [-1, 1]
    # The driver of the path is not matched as the group's are: compare shares of what arrives.
    arrived = float(np.ptp(found.load))
    for name in ("DQ2", "DQ4"):
        victim = heard.lanes.index(name)
        share = float(np.ptp(heard.volts[:, victim, 3]))
        assert np.ptp(near[name].volts) / arrived == pytest.approx(share, rel=0.25)
    assert np.ptp(near["DQ2"].volts) > 4.0 * np.ptp(near["DQ7"].volts)


def test_linear_lanes_in_time_are_those_of_the_transform(project, byte) -> None:
    design = replace_object(project, set_value(byte, driver=None, listener=None)).design
    group = design.group("memory-byte")
    inputs = without_devices(path_inputs(design, over(design, group, "dq1"), fine=False))
    found = PATH.run(inputs, Control())
    built = build_path(inputs)
    exact = solve_linear(
        built.net, stimuli(built, inputs, edge_commands(inputs))[0], end=3e-9, step=2e-12
    )
    ours = np.interp(exact.time, found.time, found.load)
    assert ours == pytest.approx(exact.node(built.load), abs=4e-3 * (inputs.high - inputs.low))


def test_lanes_that_do_not_see_each_other_are_plain_traces(project, byte) -> None:
    pieces = tuple(set_value(p, coupled=False) for p in byte.pieces)
    design = replace_object(project, set_value(byte, pieces=pieces)).design
    group = design.group("memory-byte")
    path = over(design, group, "dq3", "against")
    alone = run(design, path)
    trace = next(
        e for p in design.paths if p.lane == "single" for e in p.elements if e.kind == "trace"
    )
    plain = set_value(
        path,
        elements=tuple(
            set_value(
                trace, id=f"T{k}", line_class=group.line_class, layer=p.layer, length=p.length
            )
            for k, p in enumerate(pieces)
        ),
    )
    other = run(design, plain)
    assert alone.load == pytest.approx(other.load, abs=1e-6)
    assert alone.z_line == pytest.approx(other.z_line)
    assert alone.volts.shape == other.volts.shape


def test_the_line_that_a_driver_sees_is_the_first_one_trace_or_lane(project, byte) -> None:
    path = over(project.design, byte, "dq3")
    trace = next(
        e
        for p in project.design.paths
        if p.lane == "single"
        for e in p.elements
        if e.kind == "trace"
    )
    (lane,) = path.elements
    ahead = run(project.design, set_value(path, elements=(lane, trace)))
    behind = run(project.design, set_value(path, elements=(trace, lane)))
    lanes = [s.z for s in ahead.spans if s.kind == "lane"]
    traces = [s.z for s in ahead.spans if s.kind == "trace"]
    assert lanes[0] != pytest.approx(traces[0], rel=1e-3)
    assert ahead.z_line == lanes[0]
    assert behind.z_line == pytest.approx(traces[0])


def test_the_map_meets_the_ends(project, byte) -> None:
    found = run(project.design, over(project.design, byte, "dq3"))
    assert [s.kind for s in found.spans] == ["lane"] * len(byte.pieces)
    assert {x.name for x in found.spans[0].beside} == {f"DQ{k}" for k in range(8) if k != 3}
    assert found.volts[0] == pytest.approx(found.pad, abs=6e-3)
    assert found.volts[-1] == pytest.approx(found.last.pin, abs=6e-3)
    # Where two pieces meet, both say the same voltage and the same current.
    join = int(np.flatnonzero(np.diff(found.piece))[0])
    assert found.volts[join] == pytest.approx(found.volts[join + 1], abs=6e-3)
    assert found.amps[join] == pytest.approx(found.amps[join + 1], abs=3e-4)


def test_pairs_go_by_their_differential_modes(project) -> None:
    group = project.design.group("converter-lanes")
    path = over(project.design, group, "jl1")
    inputs = without_devices(path_inputs(project.design, path, fine=False))
    built = build_path(inputs)
    z = built.z_load if np.isfinite(built.z_load) else 100.0
    assert [s.z for s in built.spans] == pytest.approx([z] * 4, rel=0.1)
    result = GROUP.run(group_inputs(project.design, group, fine=False), Control())
    found = PATH.run(inputs, Control())
    late = first_crossing(found.time, found.load, 0.5 * (found.low + found.high))
    # The same delay from the differential modes in time and from the transform.
    own = result.arrivals[1].quiet
    assert late - 0.5 * inputs.edge == pytest.approx(own, rel=0.05)
    # UP0 drives the other way: what it sends starts where JL3 ends.
    ways = {x.name: x.same_way for x in found.spans[1].beside}
    assert ways == {"JL0": True, "JL2": True, "JL3": True, "UP0": False, "UP1": False}


def test_what_cannot_be(project, byte) -> None:
    design = project.design
    with pytest.raises(InputError, match="has no lane 'dq9'"):
        replace_object(project, over(design, byte, "dq9"))
    single = next(p for p in design.paths if p.lane == "single")
    crossed = LanePiece(id="G1", group="converter-lanes", lane="jl0")
    with pytest.raises(InputError, match="a single path needs a single class"):
        replace_object(project, set_value(single, elements=(crossed,)))
    wide = tuple(parse_quantity("1 mm", "length") for _ in byte.pieces[0].spacings)
    guarded = set_value(
        byte,
        pieces=tuple(
            set_value(p, spacings=wide, guard=Guard(width=parse_quantity("0.2 mm", "length")))
            if p.coupled
            else p
            for p in byte.pieces
        ),
    )
    with pytest.raises(InputError, match="has guards") as told:
        run(replace_object(project, guarded).design, over(design, guarded, "dq3"))
    assert "Take its guards away" in str(told.value)


@pytest.mark.parametrize(("name", "lane"), [("memory-byte", "dq2"), ("converter-lanes", "up0")])
def test_vias_of_a_group_are_on_the_way_in_both_directions(project, name, lane) -> None:
    group = set_value(project.design.group(name), driver=None, listener=None)
    one = edits.set_vias(group, group.pieces[0].id, LaneVias(from_layer="L8"))
    design = replace_object(project, one).design
    inputs = without_devices(path_inputs(design, over(design, one, lane), fine=False))
    found = PATH.run(inputs, Control())
    kinds = [s.kind for s in found.spans]
    # A lane that drives to the left meets them last.
    at = 0 if name == "memory-byte" else len(kinds) - 1
    assert kinds[at] == "via"
    assert kinds.count("via") == 1
    assert 1e-12 < found.spans[at].end - found.spans[at].start < 20e-12
    assert len(found.spans[at].beside) == len(group.lanes) - 1
    # They delay the edge by as much as in the group itself.
    before = replace_object(project, group).design
    plain = PATH.run(
        without_devices(path_inputs(before, over(before, group, lane), fine=False)), Control()
    )
    level = 0.5 * (plain.low + plain.high)
    later = first_crossing(found.time, found.load, level) - first_crossing(
        plain.time, plain.load, level
    )
    with_vias, without = (
        GROUP.run(group_inputs(d, g, fine=False), Control()).arrivals
        for d, g in ((design, one), (before, group))
    )
    k = [x.id for x in group.lanes].index(lane)
    assert later == pytest.approx(with_vias[k].quiet - without[k].quiet, abs=2e-12)
    assert later > 3e-12
    built = build_path(inputs)
    exact = solve_linear(
        built.net, stimuli(built, inputs, edge_commands(inputs))[0], end=3e-9, step=2e-12
    )
    ours = np.interp(exact.time, found.time, found.load)
    assert ours == pytest.approx(exact.node(built.load), abs=6e-3 * (inputs.high - inputs.low))


def laid(item: LaneItem, began: float = 0.0) -> Layout:
    """A lane by itself in a net, from so many seconds behind the driver on."""
    made = Layout(150e-12, False, False, 1.0, "")
    item.lay(made, Place(0, began))
    return made


@pytest.fixture
def drilled(project) -> tuple[Design, LaneGroup]:
    """Linear lanes in two directions, with vias at their left whose stub hangs at one end."""
    base = project.design.group("converter-lanes")
    group = set_value(base, driver=None, listener=None)
    one = edits.set_vias(group, group.pieces[0].id, LaneVias(from_layer="L8"))
    return replace_object(project, one).design, one


def test_what_runs_the_same_way_is_seen_from_the_lane_itself(drilled) -> None:
    design, group = drilled
    way = {x.name: x.towards for x in group.lanes}
    assert len(set(way.values())) == 2
    for k, lane in enumerate(group.lanes):
        item = path_inputs(design, over(design, group, lane.id), fine=False).items[0]
        coupled = [span for span in laid(item).spans if span.beside]
        assert len(coupled) >= 2
        for span in coupled:
            assert {b.name: b.same_way for b in span.beside} == {
                name: to == lane.towards for name, to in way.items() if name != lane.name
            }
            assert {b.name: b.apart for b in span.beside} == {
                x.name: n - k for n, x in enumerate(group.lanes) if n != k
            }


def test_a_lane_that_comes_from_the_right_meets_the_ends_of_vias_the_other_way_round(
    drilled,
) -> None:
    """The stub's capacitance is at one end of a via: first for one lane, last for another."""
    design, group = drilled
    right = next(x.id for x in group.lanes if x.towards == "right")
    left = next(x.id for x in group.lanes if x.towards == "left")

    def grounded(lane: str) -> list[float]:
        item = path_inputs(design, over(design, group, lane), fine=False).items[0]
        made = laid(item)
        at = next(k for k, s in enumerate(made.spans) if s.kind == "via")
        piece = made.coupled[[span for span, _ in made.coupled_span].index(at)]
        own = item.lane
        return [
            sum(s.c for s in made.shunts if s.node == nodes[own] and s.c)
            for nodes in (piece.nodes_a, piece.nodes_b)
        ]

    forth, back = grounded(right), grounded(left)
    assert forth[0] != pytest.approx(forth[1], rel=0.05)
    assert back == pytest.approx(forth[::-1])


def test_a_linear_neighbour_comes_to_rest_at_twice_what_noise_counts(drilled) -> None:
    """Amplitudes of a group are those of a step that is shared between source and line."""
    design, group = drilled
    inputs = path_inputs(design, over(design, group, group.lanes[1].id, "along"), fine=False)
    found = PATH.run(replace(inputs, window=12e-9), Control())
    same = [o for o in found.overheard if o.apart in (-1, 1)]
    assert same
    for one in same:
        assert one.volts[-1] == pytest.approx(2.0 * group.far.si, rel=0.03)


@pytest.mark.parametrize("turned", [False, True])
def test_neighbours_of_a_lane_begin_when_its_own_wave_comes_to_it(drilled, turned: bool) -> None:
    """Driven from the other end, the lane is where the wave begins."""
    design, group = drilled
    item = path_inputs(design, over(design, group, group.lanes[0].id, "along"), fine=False).items[0]
    made = laid(replace(item, turned=turned), 85e-12)
    assert made.neighbours
    for one in made.neighbours:
        assert one.delay == (0.0 if turned else 85e-12)
        assert one.edge == pytest.approx(group.rise.si / 0.6)


def test_a_lane_has_models_of_both_ends_each_from_its_own_end(project, byte) -> None:
    item = path_inputs(project.design, over(project.design, byte, "dq3"), fine=False).items[0]
    assert item.driver.model == byte.driver.model
    assert item.listener.model == byte.listener.model
    assert item.driver.model != item.listener.model
