"""Single figures of networks, read off hand-made results with three unlike lanes."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.project.requirements import Requirement
from onda.studies.core.study import Control
from onda.studies.networks.inputs import network_inputs
from onda.studies.networks.limits import (
    limit_lines,
    measure_network_figure,
    profile_of,
    worst_of_curve,
)
from onda.studies.networks.network import NETWORK, NetworkResult, PieceSpan


@pytest.fixture(scope="module")
def whole(project) -> NetworkResult:
    network = project.design.network("mezzanine")
    return NETWORK.run(network_inputs(project.design, network), Control())


def with_time(result: NetworkResult, **changes: object) -> NetworkResult:
    assert result.time is not None
    return replace(result, time=replace(result.time, **changes))


def test_skew_between_lanes_is_from_the_first_to_the_last_to_arrive(whole) -> None:
    through = next(t for t in whole.time.through if t.mode == "diff")
    delays = (2.0e-9, 2.5e-9, 1.9e-9)
    lanes = [replace(through, lane=k, delay=d) for k, d in enumerate(delays)]
    # What a common mode takes is no arrival of a lane.
    common = replace(through, lane=0, mode="common", delay=9e-9)
    made = with_time(whole, through=(*lanes, common))
    value, where, _ = measure_network_figure(made, "lane_skew")
    assert value == pytest.approx(0.6e-9)
    assert where == "lane 2 after lane 3"
    lost = with_time(whole, through=(*lanes[:2], replace(lanes[2], delay=math.nan)))
    value, _, why = measure_network_figure(lost, "lane_skew")
    assert math.isnan(value)
    assert why == "needs two lanes"


def test_skew_in_a_pair_is_the_largest_of_either_sign(whole) -> None:
    (skew, *_) = whole.time.skews
    some = tuple(replace(skew, lane=k, figure=f) for k, f in enumerate((1e-12, -4e-12, 2e-12)))
    value, where, _ = measure_network_figure(with_time(whole, skews=some), "pair_skew")
    assert (value, where) == (4e-12, "lane 2")


def test_noise_and_deviation_are_those_of_the_worst_lane(project) -> None:
    network = project.design.network("board-uplinks")
    result = NETWORK.run(network_inputs(project.design, network), Control())
    (lane, *_) = result.lanes
    some = tuple(
        replace(lane, lane=k, icn=icn, ild=ild)
        for k, (icn, ild) in enumerate(((1e-3, 0.2), (3e-3, 0.1), (2e-3, 0.4)))
    )
    made = replace(result, lanes=some)
    assert measure_network_figure(made, "icn")[:2] == (3e-3, "lane 2")
    assert measure_network_figure(made, "ild")[:2] == (0.4, "lane 3")
    lost = replace(result, lanes=(*some[:2], replace(some[2], icn=math.nan)))
    assert math.isnan(measure_network_figure(lost, "icn")[0])


def test_the_profile_is_read_within_the_way_through_only(whole) -> None:
    main = profile_of(whole, 0, "diff", "left")
    assert main is not None
    assert (main.lane, main.mode, main.side) == (0, "diff", "left")
    assert profile_of(whole, 7, "diff", "left") is None
    through = next(t for t in whole.time.through if t.mode == "diff")
    place = np.array([-1e-10, 1e-10, 2e-10, 3e-10, 9e-10])
    z = np.array([10.0, 95.0, 81.0, 108.0, 400.0])
    lanes = (
        replace(main, place=place, true=z),
        replace(main, lane=1, place=place, true=z + 5.0),
        # Of the far side, which is not asked.
        replace(main, side="right", place=place, true=z - 50.0),
    )
    ways = tuple(replace(through, lane=k, delay=5e-10) for k in (0, 1))
    made = with_time(whole, reflections=lanes, through=ways)
    value, where, _ = measure_network_figure(made, "profile_low")
    assert value == 81.0
    assert where.startswith("lane 1, 200 ps in")
    value, where, _ = measure_network_figure(made, "profile_high")
    assert value == 113.0
    assert where.startswith("lane 2, 300 ps in")


@pytest.mark.parametrize(
    ("kind", "name", "value"), [("at_least", "-1 dB", -2.0), ("at_most", "-3 dB", -0.5)]
)
def test_a_curve_comes_nearest_to_its_limit_where_its_room_is_least(
    whole, kind, name, value
) -> None:
    curves = whole.curve_set("insertion")
    f = whole.frequency
    db = np.full((2, len(f)), -1.5)
    db[0, 40], db[1, 60] = -0.7, -1.8
    db[1, 41], db[0, 50] = -2.0, -0.5
    made = replace(
        whole,
        curves=(replace(curves, names=("one", "two"), values=10 ** (db / 20) + 0j),),
    )
    requirement = Requirement.model_validate(
        {"id": "x", "kind": "network", "subject": "mezzanine", "measure": "insertion", kind: name}
    )
    found = worst_of_curve(requirement, made)
    assert found is not None
    assert found.value == pytest.approx(value)
    assert found.margin == pytest.approx(-1.0 if kind == "at_least" else -2.5)
    assert found.curve == ("two" if kind == "at_least" else "one")
    assert found.frequency == pytest.approx(f[41 if kind == "at_least" else 50])


# -- limits over ranges ----------------------------------------------------------------


def ranged(measure: str = "insertion", **limits: object) -> Requirement:
    return Requirement.model_validate(
        {"id": "x", "kind": "network", "subject": "mezzanine", "measure": measure} | limits
    )


SLOPES = {
    "ranges": [
        {"start": "1 GHz", "stop": "5 GHz", "at_least": "-1 - 0.5*f"},
        {"start": "4 GHz", "stop": "8 GHz", "at_most": "-0.1*f", "at_least": " "},
    ],
    "at_most": "0 dB",
}
"""Of a range a lower limit, of another one an upper one, and over all another upper one."""


def test_lines_of_a_limit_are_drawn_where_they_hold_and_data_are() -> None:
    lower, upper, all_over = limit_lines(ranged(**SLOPES), 2e9, 6e9)
    assert [x.at_least for x in (lower, upper, all_over)] == [True, False, False]
    assert (lower.frequency[0], lower.frequency[-1]) == (2e9, 5e9)
    assert lower.level == pytest.approx(-1.0 - 0.5 * lower.frequency / 1e9)
    assert (upper.frequency[0], upper.frequency[-1]) == (4e9, 6e9)
    assert upper.level == pytest.approx(-0.1 * upper.frequency / 1e9)
    assert (all_over.frequency[0], all_over.frequency[-1]) == (2e9, 6e9)
    assert set(all_over.level) == {0.0}
    # Where no data are there is no line, nor at a single frequency.
    assert [x.at_least for x in limit_lines(ranged(**SLOPES), 5e9, 20e9)] == [False, False]
    assert len(limit_lines(ranged(**SLOPES), 9e9, 20e9)) == 1


def sampled(whole: NetworkResult, db: dict[float, float]) -> NetworkResult:
    """One curve with so many dB at each frequency in GHz."""
    curves = replace(
        whole.curve_set("insertion"),
        names=("1",),
        values=10 ** (np.array([list(db.values())]) / 20) + 0j,
    )
    return replace(whole, frequency=1e9 * np.array(list(db)), curves=(curves,))


def test_a_limit_counts_from_its_first_frequency_to_its_last(whole) -> None:
    asked = ranged(ranges=[{"start": "2 GHz", "stop": "4 GHz", "at_least": "-3"}])
    for db, at in (
        ({1.0: -9.0, 2.0: -2.5, 3.0: -1.0, 4.0: -2.0, 5.0: -9.0}, 2e9),
        ({1.0: -9.0, 2.0: -2.0, 3.0: -1.0, 4.0: -2.5, 5.0: -9.0}, 4e9),
    ):
        found = worst_of_curve(asked, sampled(whole, db))
        assert found is not None
        assert (found.frequency, found.limit, found.at_least) == (at, -3.0, True)
        assert found.value == pytest.approx(-2.5)
        assert found.margin == pytest.approx(0.5)
    assert worst_of_curve(asked, sampled(whole, {0.5: -1.0, 9.0: -9.0})) is None
    # Direct current is not looked at: no measurement has it.
    below = ranged(at_least="-3 dB")
    found = worst_of_curve(below, sampled(whole, {0.0: -50.0, 1.0: -1.0}))
    assert found is not None
    assert found.margin == pytest.approx(2.0)
    assert worst_of_curve(ranged("return", at_most="-1 dB"), sampled(whole, {1.0: 0.0})) is None


def test_of_several_limits_the_nearest_is_told(whole) -> None:
    data = {1.0: -0.5, 3.0: -0.6, 6.0: -2.0}
    found = worst_of_curve(ranged(**SLOPES), sampled(whole, data))
    assert found is not None
    # Over all 0.5 dB at 1 GHz; above 1.5 - 0.5 dB at 1 GHz, below -0.6 + 2.0 dB at 6 GHz.
    assert (found.frequency, found.limit, found.at_least) == (1e9, 0.0, False)
    assert found.margin == pytest.approx(0.5)
    closer = worst_of_curve(ranged(**SLOPES), sampled(whole, data | {6.0: -0.7}))
    assert closer is not None
    assert (closer.frequency, closer.at_least) == (6e9, False)
    assert closer.limit == pytest.approx(-0.6)
    assert closer.margin == pytest.approx(0.1)


def test_quality_is_told_with_where_it_is_worst(whole) -> None:
    f = np.array([1e9, 2e9, 5e9])
    made = replace(
        whole,
        quality=replace(whole.quality, passivity=11.0, reciprocity=12.0, causality=13.0),
        mended=replace(
            whole.quality, frequency=f, passivity=99.5, reciprocity=98.0, causality=90.0,
            gain=np.array([1.0, 1.2, 1.1]), unlike=np.array([0.0, 0.1, 0.3]),
            against=np.array([0.9, 0.1, 0.2]),
        ),
    )  # fmt: skip
    found = {k: measure_network_figure(made, k) for k in ("passivity", "reciprocity", "causality")}
    assert {k: v[:2] for k, v in found.items()} == {
        "passivity": (0.995, "worst at 2 GHz"),
        "reciprocity": (0.98, "worst at 5 GHz"),
        "causality": (0.9, "worst at 1 GHz"),
    }


def test_figures_that_cannot_be_had_say_why(whole) -> None:
    bare = replace(whole, lanes=(), time=None, time_problem="too few points")
    assert measure_network_figure(bare, "icn")[2] == "needs a data rate and a way through"
    for measure in ("pair_skew", "lane_skew", "profile_low"):
        value, where, why = measure_network_figure(bare, measure)
        assert math.isnan(value)
        assert (where, why) == ("", "too few points")
    assert profile_of(bare, 0, "diff", "left") is None
    assert measure_network_figure(with_time(whole, skews=()), "pair_skew")[2] == (
        "needs a pair that comes through"
    )
    through = next(t for t in whole.time.through if t.mode == "diff")
    alone = with_time(whole, through=(through,))
    assert measure_network_figure(alone, "lane_skew")[2] == "needs two lanes"
    none = with_time(whole, reflections=())
    assert measure_network_figure(none, "profile_low")[2] == "the network has no way through"


def test_a_place_in_a_chain_is_told_with_its_piece(whole) -> None:
    main = profile_of(whole, 0, "diff", "left")
    through = next(t for t in whole.time.through if t.mode == "diff")
    place, z = np.array([0.0, 1e-10, 2e-10, 5e-10]), np.array([90.0, 95.0, 81.0, 70.0])
    pieces = (
        PieceSpan("a", "launch", 0.0, 1.5e-10, False, (1, 2)),
        PieceSpan("b", "hub", 1.5e-10, 4e-10, False, (1, 2)),
    )
    made = replace(
        with_time(
            whole,
            reflections=(replace(main, place=place, true=z),),
            through=(replace(through, lane=0, delay=3e-10),),
        ),
        spans=pieces,
    )
    value, where, how = measure_network_figure(made, "profile_low")
    assert (value, where) == (81.0, "lane 1, 200 ps in, in hub")
    assert how == f"peeled, edge of {made.time.rise * 1e12:.3g} ps"
    value, where, _ = measure_network_figure(made, "profile_high")
    assert (value, where) == (95.0, "lane 1, 100 ps in, in launch")
    # The end of the way through belongs to it, and what lies ahead of it does not.
    edge = with_time(made, through=(replace(through, lane=0, delay=5e-10),))
    assert measure_network_figure(edge, "profile_low")[0] == 70.0
    single = replace(edge, pair=False)
    assert measure_network_figure(single, "profile_low")[2] == "the network has no way through"
