"""Bounces, vias and receiver measures against answers that can be worked out by hand."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.engine.circuits import LinePiece, Net, ShuntBranch, solve_transient
from onda.engine.circuits.bounces import BounceNet, Stretch, trace_bounces
from onda.engine.circuits.receiver_measures import EdgeSpan, Levels, measure_receiver
from onda.engine.circuits.stimulus import edge
from onda.engine.lines import lossless_line
from onda.engine.via_field import Disc, ViaStack, via_charge
from onda.engine.vias import ViaGeometry, via_model
from onda.errors import NotPhysical

PS, NS = 1e-12, 1e-9


def simple(load: float = 0.0, c: float = 0.0) -> BounceNet:
    """25 ohm, a 50 ohm line of 1 ns, a load of `load` siemens."""
    return BounceNet(
        ("driver", "load"), (Stretch(0, 1, 50.0, NS),), (1 / 25.0, load), (), (0.0, c), 0, 1 / 25.0
    )


def test_bounces_of_an_open_line_are_those_of_the_lattice() -> None:
    found = trace_bounces(simple(), 1, edge=100 * PS, until=8 * NS, least=0.001)
    assert [b.time for b in found] == pytest.approx([NS, 3 * NS, 5 * NS, 7 * NS])
    first = 2 * 50 / 75
    assert [b.volts for b in found] == pytest.approx(
        [first, -first / 3, first / 9, -first / 27], rel=1e-6
    )
    assert found[0].cause == "the edge itself"
    assert "+100 % sent back at load (open" in found[1].cause
    assert "−33 % sent back at driver (50 Ω into 25 Ω)" in found[1].cause
    assert found[1].route == ("load", "driver")


def test_bounces_add_up_to_the_waveform() -> None:
    """Two sections, a shunt in the middle and a branch: the sum of arrivals is the exact answer."""
    net = BounceNet(
        ("d", "m", "l", "b"),
        (
            Stretch(0, 1, 50.0, 0.3 * NS),
            Stretch(1, 2, 75.0, 0.4 * NS),
            Stretch(1, 3, 60.0, 0.1 * NS),
        ),
        (1 / 30.0, 1 / 200.0, 1 / 90.0, 0.0),
        (),
        (0.0,) * 4,
        0,
        1 / 30.0,
    )
    found = trace_bounces(net, 2, edge=10 * PS, until=4 * NS, least=1e-4)
    lines = tuple(LinePiece(s.node_a, s.node_b, lossless_line(s.z), s.delay) for s in net.stretches)
    shunts = (
        ShuntBranch(0, r=30.0, source=True),
        ShuntBranch(1, r=200.0),
        ShuntBranch(2, r=90.0),
    )
    exact = solve_transient(Net(4, shunts, lines), edge(0, 1, 2 * PS), end=4 * NS, step=1 * PS)
    for t in (0.75 * NS, 1.05 * NS, 1.65 * NS, 2.55 * NS, 3.55 * NS):
        total = sum(b.volts for b in found if b.time < t - 5 * PS)
        assert total == pytest.approx(np.interp(t, exact.time, exact.node(2)), abs=5e-3)


def test_a_capacitance_makes_a_dip_that_passes() -> None:
    found = trace_bounces(simple(1 / 50.0, 3e-12), 1, edge=300 * PS, until=4 * NS, least=0.005)
    dips = [b for b in found if b.shape == "dip"]
    assert dips
    tau = 3e-12 * 25.0
    share = tau / 300e-12 * (1 - math.exp(-300e-12 / tau))
    # Sent back at the load, it comes again from the driver with a third of its size, turned over.
    assert dips[0].volts == pytest.approx(share * (2 / 3) / 3, rel=1e-3)
    assert "3 pF at load" in dips[0].cause


def test_series_resistor_is_one_junction() -> None:
    net = BounceNet(
        ("d", "r", "l"),
        (Stretch(1, 2, 50.0, NS),),
        (1 / 20.0, 0.0, 0.0),
        ((0, 1, 30.0),),
        (0.0,) * 3,
        0,
        1 / 20.0,
    )
    found = trace_bounces(net, 2, edge=PS, until=10 * NS)
    assert [b.volts for b in found] == pytest.approx([1.0])


# -- vias ------------------------------------------------------------


def geometry(**changes) -> ViaGeometry:
    base = {
        "drill": 0.2e-3,
        "pad": 0.45e-3,
        "antipad": 0.7e-3,
        "through": 1.0e-3,
        "stub": 0.5e-3,
        "er": 4.0,
        "returns": 1,
        "return_distance": 1e-3,
        "pad_gaps": (0.1e-3, 0.1e-3),
    }
    return ViaGeometry(**(base | changes))


def test_via_from_its_closed_forms() -> None:
    m = via_model(geometry())
    c = 2 * math.pi * 8.8541878128e-12 * 4.0 / math.log(3.5)
    inductance = 2e-7 * 2 * math.log(10.0)
    assert m.z0 == pytest.approx(math.sqrt(inductance / c), rel=1e-6)
    assert m.delay == pytest.approx(1e-3 * math.sqrt(inductance * c), rel=1e-6)
    assert m.stub_resonance == pytest.approx(0.25 / m.stub_delay)
    assert m.pad == pytest.approx(
        2 * 8.8541878128e-12 * 4 * math.pi / 4 * (0.45e-3**2 - 0.2e-3**2) / 0.1e-3, rel=1e-6
    )


def test_both_barrels_of_a_pair_are_in_a_row_for_its_difference() -> None:
    """Half of the capacitance of each, and the inductance of two wires."""
    one, two = via_model(geometry()), via_model(geometry(pair=True))
    c, c_stub = one.delay / one.z0, one.stub_delay / one.stub_z0
    assert two.delay / two.z0 == pytest.approx(0.5 * c)
    assert two.stub_delay / two.stub_z0 == pytest.approx(0.5 * c_stub)
    assert two.pad == pytest.approx(0.5 * one.pad)
    assert two.delay * two.z0 == pytest.approx(4e-7 * math.log(10.0) * 1e-3, rel=1e-6)


def test_a_via_through_planes_takes_its_capacitance_from_the_field() -> None:
    planes = tuple((k * 0.25e-3, k * 0.25e-3 + 18e-6) for k in range(1, 6))
    layers = {"span": (0.0, 1.0e-3), "barrel": (0.0, 1.5e-3), "pads": ((0.0, 18e-6),)}
    g = geometry(planes=planes, **layers)
    m = via_model(g)
    discs = tuple(Disc(low, high, 0.35e-3) for low, high in planes)
    found = via_charge(ViaStack(0.1e-3, 0.0, 1.5e-3, discs, (Disc(0.0, 18e-6, 0.225e-3),)), 4.0)
    # The whole of its capacitance is in the two lines and the pad.
    own = m.delay / m.z0 + m.stub_delay / m.stub_z0 + m.pad
    assert own == pytest.approx(found.total, rel=1e-6)
    assert m.delay / m.z0 == pytest.approx(found.between(0.0, 1.0e-3, pads=False), rel=1e-6)
    # Few planes hold less charge than a tube would.
    assert m.z0 > via_model(geometry()).z0
    assert via_model(replace(g, returns=0)).z0 > m.z0
    assert g.has_return
    assert not replace(g, returns=0).has_return


def test_more_and_nearer_returns_lower_the_impedance() -> None:
    none, one, four = (via_model(geometry(returns=n)).z0 for n in (0, 1, 4))
    assert none > one > four
    assert via_model(geometry(return_distance=0.5e-3)).z0 < one


def test_back_drilling_moves_the_resonance_up() -> None:
    whole, rest, gone = (via_model(geometry(stub=s)) for s in (1e-3, 0.2e-3, 0.0))
    assert rest.stub_resonance == pytest.approx(5 * whole.stub_resonance)
    assert math.isinf(gone.stub_resonance)


def test_a_differential_via_is_two_barrels() -> None:
    pair = via_model(geometry(pair=True, return_distance=1e-3))
    single = via_model(geometry())
    assert pair.z0 == pytest.approx(single.z0 * math.sqrt(2), rel=1e-6)


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"drill": 0.5e-3}, "drill < pad"),
        ({"antipad": 0.46e-3, "pad": 0.455e-3, "drill": 0.45e-3}, "anti-pad"),
        ({"return_distance": 0.3e-3}, "return vias"),
        ({"er": 0.5}, "er"),
        ({"through": 0.0}, "length"),
    ],
)
def test_vias_out_of_range_are_refused(changes: dict, words: str) -> None:
    with pytest.raises(NotPhysical, match=words):
        via_model(geometry(**changes))


# -- measures --------------------------------------------------------


def measured(points: list[tuple[float, float]], levels: Levels | None = None, **more):
    t = np.linspace(0.0, points[-1][0], 4001)
    v = np.interp(t, *zip(*points, strict=True))
    spans = [EdgeSpan(True, 0.0, 0.0, points[-1][0])]
    return measure_receiver(t * NS, v, levels or Levels(0.0, 1.0), _scaled(spans), **more)


def _scaled(spans: list[EdgeSpan]) -> list[EdgeSpan]:
    return [EdgeSpan(s.rising, s.source_half * NS, s.start * NS, s.stop * NS) for s in spans]


def test_an_edge_with_overshoot_ring_back_and_a_step_back() -> None:
    wave = [(0, 0), (1, 0), (1.4, 0.6), (1.5, 0.5), (2, 1.3), (2.5, 0.8), (3, 1.0), (6, 1.0)]
    m = measured(wave)
    assert m.overshoot == pytest.approx(0.3, abs=1e-3)
    assert m.undershoot == pytest.approx(0.2, abs=1e-3)
    assert m.ring_back == pytest.approx(0.1, abs=1e-3)
    assert m.reversal == pytest.approx(0.1, abs=1e-3)
    assert m.first_delay == pytest.approx((1 + 0.4 * 0.5 / 0.6) * NS, rel=1e-3)
    assert m.last_delay >= m.first_delay
    # Above the settled level: a triangle 0.3 high between 1.8125 and 2.3 ns.
    assert m.over_area == pytest.approx(0.5 * 0.3 * 0.4875 * NS, rel=0.01)
    assert m.settling == pytest.approx(2.875 * NS - m.first_delay, rel=0.02)


def test_thresholds_of_a_model_count() -> None:
    wave = [(0, 0), (1, 0), (2, 1.2), (3, 0.75), (4, 1.0), (6, 1.0)]
    strict = measured(wave, Levels(0.0, 1.0, v_ih=0.8))
    loose = measured(wave, Levels(0.0, 1.0, v_ih=0.6))
    assert strict.ring_back == pytest.approx(-0.05, abs=2e-3)
    assert loose.ring_back == pytest.approx(0.15, abs=2e-3)
    limit = measured(wave, Levels(0.0, 1.0, over_high=1.1))
    assert limit.over_area < strict.over_area


def test_an_echo_that_falls_before_the_edge_is_no_slope_of_it() -> None:
    # What an edge before left is still high when this one is looked at.
    m = measured([(0, 0.95), (0.5, 0.95), (1, 0.1), (2, 0.1), (3, 1.0), (6, 1.0)])
    assert math.isnan(m.slew)
    clean = measured([(0, 0.1), (2, 0.1), (3, 1.0), (6, 1.0)])
    assert clean.slew == pytest.approx(0.9 / NS, rel=1e-2)


def test_flight_time_is_against_the_test_load() -> None:
    wave = [(0, 0), (1, 0), (2, 1.0), (6, 1.0)]
    m = measured(wave, test_delay=0.4 * NS)
    assert m.flight_time == pytest.approx(m.last_delay - 0.4 * NS)


def test_an_edge_that_never_arrives_spoils_its_figures() -> None:
    m = measured([(0, 0), (6, 0.2)])
    assert math.isnan(m.delay)
    assert math.isnan(m.edge_time)
    assert math.isnan(m.ring_back)


def test_duty_and_width_of_a_clock() -> None:
    t = np.linspace(0, 20, 8001)
    v = np.interp(t % 10, [0, 1, 4, 5, 10], [0, 1, 1, 0, 0])
    spans = [EdgeSpan(True, 0.5, 0, 4), EdgeSpan(False, 4.5, 4, 10), EdgeSpan(True, 10.5, 10, 14)]
    m = measure_receiver(t * NS, v, Levels(0, 1), _scaled(spans), period=10 * NS)
    assert m.duty == pytest.approx(0.4, abs=1e-3)
    assert m.pulse_width == pytest.approx(4.0 * NS, rel=1e-3)
    assert m.edges == 3
    assert m.slew == pytest.approx(1.0 / NS, rel=1e-2)


def test_figures_have_the_edge_at_their_other_end() -> None:
    """Rises of 1 ns and falls of 3 ns, late by a tenth of each: too slow, and too fast."""
    t = np.linspace(0, 40, 16001)
    v = np.interp(t % 20, [0, 1, 2, 10, 13, 20], [0, 0, 1, 1, 0, 0])
    spans = [
        EdgeSpan(True, 1.0, 0, 9.5), EdgeSpan(False, 10.0, 9.5, 19.5),
        EdgeSpan(True, 21.0, 20, 29.5), EdgeSpan(False, 30.0, 29.5, 39.5),
    ]  # fmt: skip
    m = measure_receiver(t * NS, v, Levels(0, 1), _scaled(spans), test_delay=0.2 * NS)
    near = {"rel": 5e-3}
    assert m.both_ends("edge_time") == pytest.approx((2.4 * NS, 0.8 * NS), **near)
    assert m.both_ends("slew") == pytest.approx((1.0 / 3.0 / NS, 1.0 / NS), **near)
    assert m.both_ends("delay") == pytest.approx((1.5 * NS, 0.5 * NS), **near)
    assert m.both_ends("first_delay") == pytest.approx((0.5 * NS, 1.5 * NS), **near)
    assert m.both_ends("last_delay") == pytest.approx((1.5 * NS, 0.5 * NS), **near)
    assert m.both_ends("flight_time") == pytest.approx((1.3 * NS, 0.3 * NS), **near)
    # High from 1.5 to 11.5 ns, low until 21.5.
    assert m.both_ends("pulse_width") == pytest.approx((10.0 * NS, 10.0 * NS), **near)
    assert m.both_ends("overshoot") == (m.overshoot,)
    assert m.both_ends("duty") == pytest.approx((math.nan,), nan_ok=True)
    # Of an edge that never arrives there is no other end either.
    lost = measured([(0, 0), (6, 0.2)])
    assert all(math.isnan(x) for x in (lost.least_edge_time, lost.least_flight_time))


def test_a_capacitance_dips_once_and_is_named_in_picofarads() -> None:
    """What a dip sends back is no edge, which would dip again: it would never end."""
    net = BounceNet(
        ("driver", "via", "load"),
        (Stretch(0, 1, 50.0, 0.5 * NS), Stretch(1, 2, 50.0, 0.5 * NS)),
        (1 / 25.0, 0.0, 0.0), (), (0.0, 1.5e-12, 0.0), 0, 1 / 25.0,
    )  # fmt: skip
    found = trace_bounces(net, 2, edge=100 * PS, until=6 * NS, least=1e-3)
    dips = [b for b in found if b.shape == "dip"]
    assert dips
    for bounce in dips:
        assert "1.5 pF at via" in bounce.cause
        assert bounce.cause.count("pF at via") == 1


def test_a_wave_that_is_turned_back_too_often_is_left() -> None:
    """Between two mirrors a wave would run for ever; it is followed for a dozen turns."""
    net = BounceNet(
        ("a", "b"), (Stretch(0, 1, 50.0, 0.01 * NS),), (1 / 1e9, 0.0), (), (0.0, 0.0), 0, 1 / 1e9
    )
    found = trace_bounces(net, 1, edge=10 * PS, until=9 * NS, least=1e-12)
    assert max(len(b.route) for b in found) <= 12
