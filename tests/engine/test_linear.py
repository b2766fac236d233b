"""The linear solver against closed forms, its own frequency response, and bounce sums."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from onda.engine.circuits import (
    LinePiece,
    Net,
    PiecewiseLinear,
    SeriesPart,
    ShuntBranch,
    solve_linear,
)
from onda.engine.circuits.dc import dc_voltages
from onda.engine.circuits.linear import node_response
from onda.engine.circuits.stimulus import clock, edge, pulse
from onda.engine.lines import CapacitancePart, Line, lossless_line
from onda.engine.materials import WidebandDebye
from onda.errors import NotPhysical

PS, NS = 1e-12, 1e-9


def driven(r: float = 50.0) -> ShuntBranch:
    return ShuntBranch(0, r=r, source=True)


def ramp_through_rc(t: np.ndarray, rise: float, tau: float) -> np.ndarray:
    """Response of an RC to a unit ramp of length `rise`."""

    def f(x: np.ndarray) -> np.ndarray:
        x = np.maximum(x, 0.0)
        return x - tau * (1 - np.exp(-x / tau))

    return (f(t) - f(t - rise)) / rise


def test_rc_meets_its_closed_form() -> None:
    net = Net(1, (driven(50.0), ShuntBranch(0, c=4e-12)))
    s = solve_linear(net, edge(0.0, 1.0, 200 * PS), end=3 * NS, step=2 * PS)
    assert s.node(0) == pytest.approx(ramp_through_rc(s.time, 200 * PS, 200 * PS), abs=2e-4)


def test_series_rl_meets_its_closed_form() -> None:
    net = Net(2, (driven(50.0), ShuntBranch(1, r=50.0)), series=(SeriesPart(0, 1, l=10e-9),))
    s = solve_linear(net, edge(0.0, 1.0, 200 * PS), end=3 * NS, step=2 * PS)
    assert s.node(1) == pytest.approx(0.5 * ramp_through_rc(s.time, 200 * PS, 100 * PS), abs=2e-4)


def bounce(t: float, r_source: float, z: float, r_load: float, delay: float, rise: float) -> float:
    """Load voltage of a line by the sum of its bounces."""
    g_s, g_l = (r_source - z) / (r_source + z), (r_load - z) / (r_load + z)
    launch, total = z / (r_source + z), 0.0
    for k in range(80):
        x = np.clip((t - (2 * k + 1) * delay) / rise, 0.0, 1.0)
        total += launch * (1 + g_l) * (g_s * g_l) ** k * x
    return total


@settings(max_examples=25)
@given(
    r_source=st.floats(5.0, 150.0),
    r_load=st.floats(10.0, 1e4),
    z=st.floats(25.0, 120.0),
)
def test_any_resistive_line_meets_its_bounce_sum(r_source: float, r_load: float, z: float) -> None:
    """Within 0.2 % of the swing away from the bends, however badly it rings."""
    delay, rise = 0.4 * NS, 100 * PS
    net = Net(
        2, (driven(r_source), ShuntBranch(1, r=r_load)), (LinePiece(0, 1, lossless_line(z), delay),)
    )
    s = solve_linear(net, edge(0.0, 1.0, rise), end=6 * NS, step=1 * PS)
    times = np.array([0.3, 0.45, 0.7, 1.25, 1.7, 3.2, 5.8]) * NS
    exact = [bounce(t, r_source, z, r_load, delay, rise) for t in times]
    assert np.interp(times, s.time, s.node(1)) == pytest.approx(exact, abs=2e-3)


def test_line_in_two_halves_is_the_whole_line() -> None:
    loads = (driven(20.0), ShuntBranch(1, c=3e-12))
    whole = Net(2, loads, (LinePiece(0, 1, lossless_line(60.0), 0.5 * NS),))
    halves = Net(
        3,
        loads,
        (
            LinePiece(0, 2, lossless_line(60.0), 0.25 * NS),
            LinePiece(2, 1, lossless_line(60.0), 0.25 * NS),
        ),
    )
    stimulus = edge(0.0, 1.8, 150 * PS)
    a = solve_linear(whole, stimulus, end=4 * NS, step=3 * PS)
    b = solve_linear(halves, stimulus, end=4 * NS, step=3 * PS)
    assert b.node(1) == pytest.approx(a.node(1), abs=1e-6)
    middle = a.along(0, np.array([0.25 * NS]))[0]
    assert b.node(2) == pytest.approx(middle, abs=1e-6)


def test_along_meets_the_nodes_at_both_ends() -> None:
    debye = WidebandDebye.through(4.0, 0.02, 1e9)
    line = Line(3.4e-7, (CapacitancePart(1.3e-10, 4.0, debye),), 8.0, 1.5e-3)
    net = Net(2, (driven(30.0), ShuntBranch(1, r=200.0)), (LinePiece(0, 1, line, 0.15),))
    s = solve_linear(net, edge(-1.0, 1.0, 100 * PS), end=6 * NS, step=4 * PS)
    ends = s.along(0, np.array([0.0, 0.15]))
    assert ends[0] == pytest.approx(s.node(0), abs=1e-9)
    assert ends[1] == pytest.approx(s.node(1), abs=1e-9)


def test_transient_and_frequency_response_agree() -> None:
    """A sine through the net settles to what the response at its frequency says, within 0.2 %."""
    debye = WidebandDebye.through(4.0, 0.02, 1e9)
    line = Line(3.4e-7, (CapacitancePart(1.3e-10, 4.0, debye),), 8.0, 1.5e-3)
    net = Net(
        2,
        (driven(40.0), ShuntBranch(1, r=60.0), ShuntBranch(1, c=1e-12)),
        (LinePiece(0, 1, line, 0.1),),
    )
    f = 0.5e9
    t = np.linspace(0.0, 20 * NS, 1201)
    wave = PiecewiseLinear(tuple(t), tuple(np.sin(2 * np.pi * f * t)))
    s = solve_linear(net, wave, end=20 * NS, step=8 * PS)
    steady = s.time > 12 * NS
    expected = node_response(net, np.array([2j * np.pi * f]))[0, 1]
    basis = np.exp(2j * np.pi * f * s.time[steady])
    fit, *_ = np.linalg.lstsq(
        np.column_stack([basis.real, basis.imag]), s.node(1)[steady], rcond=None
    )
    assert complex(fit[1], fit[0]) == pytest.approx(expected, abs=2e-3)


def test_causal_nothing_arrives_before_the_delay() -> None:
    net = Net(2, (driven(), ShuntBranch(1, r=1e3)), (LinePiece(0, 1, lossless_line(50.0), NS),))
    s = solve_linear(net, edge(0.0, 1.0, 100 * PS), end=4 * NS, step=2 * PS)
    assert np.abs(s.node(1)[s.time < 0.97 * NS]).max() < 1e-4


def test_dc_of_a_split_termination() -> None:
    net = Net(
        2,
        (driven(20.0), ShuntBranch(1, r=100.0, e=3.3), ShuntBranch(1, r=100.0)),
        (LinePiece(0, 1, lossless_line(50.0), NS),),
    )
    # 20 ohm to the source against 50 ohm to 1.65 V.
    assert dc_voltages(net, 0.0) == pytest.approx([1.65 * 20 / 70] * 2)
    assert dc_voltages(net, 3.3) == pytest.approx([1.65 + 1.65 * 50 / 70] * 2)
    s = solve_linear(net, edge(0.0, 3.3, 200 * PS), end=30 * NS, step=20 * PS)
    assert s.node(1)[0] == pytest.approx(1.65 * 20 / 70, abs=3e-4)
    assert s.node(1)[-1] == pytest.approx(1.65 + 1.65 * 50 / 70, abs=3e-3)


def test_dc_falls_along_a_resistive_line() -> None:
    line = Line(3e-7, (CapacitancePart(1.2e-10),), 10.0)
    net = Net(2, (driven(50.0), ShuntBranch(1, r=50.0)), (LinePiece(0, 1, line, 1.0),))
    assert dc_voltages(net, 1.1) == pytest.approx([1.1 * 60 / 110, 1.1 * 50 / 110])


def test_inductive_load_is_a_short_at_last() -> None:
    """R against L to ground: the voltage decays with L/R, and the far end of a line follows."""
    net = Net(1, (driven(50.0), ShuntBranch(0, l=10e-9)))
    assert dc_voltages(net, 1.0) == pytest.approx([0.0])
    s = solve_linear(net, edge(0.0, 1.0, 200 * PS), end=3 * NS, step=2 * PS)
    exact = 1.0 * np.clip(s.time / (200 * PS), 0, 1) - ramp_through_rc(s.time, 200 * PS, 200 * PS)
    # Bends of the waveform, where the ramp starts and ends, are rounded over a few samples.
    smooth = (s.time > 10 * PS) & (np.abs(s.time - 200 * PS) > 10 * PS)
    assert s.node(0)[smooth] == pytest.approx(exact[smooth], abs=2e-4)
    assert s.node(0) == pytest.approx(exact, abs=2e-3)
    lined = Net(
        2,
        (driven(50.0), ShuntBranch(1, l=10e-9, e=0.5)),
        (LinePiece(0, 1, lossless_line(50.0), 0.5 * NS),),
    )
    assert dc_voltages(lined, 1.0) == pytest.approx([0.5, 0.5])


def test_ac_termination_carries_no_direct_current() -> None:
    net = Net(
        2,
        (driven(), ShuntBranch(1, r=50.0, c=100e-12)),
        (LinePiece(0, 1, lossless_line(50.0), NS),),
    )
    assert dc_voltages(net, 1.8) == pytest.approx([1.8, 1.8])


def test_branches_share_the_wave() -> None:
    """At a tee of equal lines a third is sent back: each arm gets 2/3 of what arrives."""
    lines = tuple(LinePiece(0 if i == 0 else 1, i + 1, lossless_line(50.0), NS) for i in range(3))
    loads = tuple(ShuntBranch(n, r=50.0) for n in (2, 3))
    net = Net(4, (driven(50.0), *loads), lines)
    s = solve_linear(net, edge(0.0, 1.0, 100 * PS), end=5 * NS, step=2 * PS)
    at = np.searchsorted(s.time, 2.5 * NS)
    assert s.node(2)[at] == pytest.approx(0.5 * 2 / 3, abs=1e-3)
    assert s.node(3) == pytest.approx(s.node(2), abs=1e-9)


@pytest.mark.parametrize(
    ("net", "words"),
    [
        (Net(1, (ShuntBranch(0, r=50.0),)), "no source"),
        (Net(0, ()), "at least 1"),
        (Net(1, (ShuntBranch(0, source=True),)), "a short"),
        (Net(1, (driven(), ShuntBranch(3, r=1.0))), "0 to 0"),
        (Net(1, (driven(), ShuntBranch(0, r=-1.0))), "0 or above"),
        (Net(1, (driven(), ShuntBranch(0, c=0.0))), "above 0 F"),
        (Net(2, (driven(),), (LinePiece(0, 1, lossless_line(50.0), 0.0),)), "length"),
        (Net(2, (driven(), ShuntBranch(1, c=1e-12))), "node 1.*direct current"),
        (
            Net(1, (driven(), ShuntBranch(0, l=1e-9), ShuntBranch(0, l=1e-9, e=3.3))),
            "shorted to two rails",
        ),
    ],
)
def test_nets_that_cannot_be_solved_say_where(net: Net, words: str) -> None:
    with pytest.raises(NotPhysical, match=words):
        solve_linear(net, edge(0.0, 1.0, PS), end=NS, step=PS)


@pytest.mark.parametrize(("end", "step"), [(0.0, 1.0), (1.0, 0.0), (1.0, 2.0), (math.nan, 1.0)])
def test_time_steps_must_make_sense(end: float, step: float) -> None:
    with pytest.raises(NotPhysical, match="time step"):
        solve_linear(Net(1, (driven(),)), edge(0.0, 1.0, 1.0), end=end, step=step)


def test_stimuli_are_what_they_say() -> None:
    c = clock(0.0, 1.8, 0.2, period=2.0, cycles=2, duty=0.4)
    assert c.sample(np.array([-1.0, 0.1, 0.5, 0.9, 1.5, 2.1])) == pytest.approx(
        [0.0, 0.9, 1.8, 0.9, 0.0, 0.9]
    )
    p = pulse(0.0, 1.0, 0.1, 1.0)
    assert p.initial == p.final == 0.0
    assert p.sample(np.array([0.05, 0.5, 1.05, 2.0])) == pytest.approx([0.5, 1.0, 0.5, 0.0])


def test_transform_of_a_ramp_is_exact() -> None:
    s = np.array([1.0 + 2.0j, 0.3 + 10j])
    got = edge(0.0, 2.0, 0.5).change_transform(s)
    assert got == pytest.approx(2.0 / 0.5 * (1 - np.exp(-0.5 * s)) / s**2)
    assert PiecewiseLinear((0.0,), (1.0,)).change_transform(s) == pytest.approx(0.0)


@pytest.mark.parametrize(
    "make",
    [
        lambda: edge(0.0, 1.0, 0.0),
        lambda: edge(0.0, 1.0, math.nan),
        lambda: clock(0.0, 1.0, 0.6, period=1.0, cycles=1),
        lambda: clock(0.0, 1.0, 0.1, period=1.0, cycles=0),
        lambda: clock(0.0, 1.0, 0.1, period=1.0, cycles=1, duty=1.0),
        lambda: PiecewiseLinear((0.0, 0.0), (1.0, 2.0)),
        lambda: PiecewiseLinear((0.0, 1.0), (1.0,)),
    ],
)
def test_impossible_stimuli_are_refused(make) -> None:
    with pytest.raises(NotPhysical):
        make()
