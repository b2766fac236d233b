"""Single figures of networks, read off hand-made results with three unlike lanes."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.project.requirements import Requirement
from onda.studies.core.study import Control
from onda.studies.networks.inputs import network_inputs
from onda.studies.networks.limits import measure_network_figure, profile_of, worst_of_curve
from onda.studies.networks.network import NETWORK, NetworkResult


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
