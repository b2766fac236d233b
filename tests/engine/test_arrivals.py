"""Networks in time by their arrivals, against the networks that the samples were taken of."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from onda.engine.circuits import Net, ShuntBranch, solve_linear, solve_transient
from onda.engine.circuits.dc import dc_voltages
from onda.engine.circuits.net import PortBlock
from onda.engine.circuits.stimulus import PiecewiseLinear
from onda.engine.networks.arrival_fit import _Basis, fit_arrivals
from onda.errors import NotConverged, NotPhysical
from tests.engine.inverted import line_admittance, node_volts, raised_cosine

GHZ, NS = 1e9, 1e-9
Admittance = Callable[[np.ndarray], np.ndarray]


def lossy(length: float, *, z: float = 51.6, df: float = 0.018) -> Admittance:
    """One line of `z` ohm, 6.2 ns/m, with skin effect and a constant loss tangent."""
    c = 6.2e-9 / z

    def of(s: np.ndarray) -> np.ndarray:
        series = 6.8 + 6.8e-4 * np.sqrt(s / np.pi) + s * 6.2e-9 * z
        shunt = s * c * (s / (2e9 * np.pi)) ** (-2.0 * df / np.pi)
        return line_admittance(series[:, None, None], shunt[:, None, None], length)

    return of


def pair(length: float) -> Admittance:
    inductance = np.array([[3.1e-7, 6e-8], [6e-8, 2.8e-7]])
    c = np.array([[1.2e-10, -2.0e-11], [-2.0e-11, 1.35e-10]])
    r = np.array([[6.8, 0.8], [0.8, 4.8]])

    def of(s: np.ndarray) -> np.ndarray:
        series = r + 1e-4 * r * np.sqrt(s / np.pi)[:, None, None] + s[:, None, None] * inductance
        shunt = (s * (s / (2e9 * np.pi)) ** (-0.0076))[:, None, None] * c
        return line_admittance(series, shunt, length)

    return of


def resonant(s: np.ndarray) -> np.ndarray:
    """A connector: 40 mm of line, a series inductance, and a notch at 18 GHz to the return."""
    y = lossy(0.04)(s)
    branch = 1.0 / (1.5 + s * 0.6e-9 + 1.0 / (s * 0.13e-12))
    far = 1.0 / (s * 0.25e-9 + 0.05)
    whole = np.zeros((len(s), 3, 3), dtype=complex)
    whole[:, :2, :2] = y
    whole[:, 1, 1] += branch + far
    whole[:, 1, 2] = whole[:, 2, 1] = -far
    whole[:, 2, 2] = far
    keep, gone = [0, 2], [1]
    inner = whole[:, gone][:, :, gone]
    return whole[:, keep][:, :, keep] - whole[:, keep][:, :, gone] @ np.linalg.solve(
        inner, whole[:, gone][:, :, keep]
    )


def sampled(of: Admittance, frequency: np.ndarray) -> np.ndarray:
    """S at 50 ohm, rounded as a file is; at 0 Hz it is real."""
    y = 50.0 * of(2j * np.pi * np.maximum(frequency, 1.0))
    s = np.linalg.solve(np.eye(y.shape[-1]) + y, np.eye(y.shape[-1]) - y)
    s[frequency == 0.0] = s[frequency == 0.0].real
    return np.round(s, 8)


def largest_difference(
    of: Admittance, s: np.ndarray, frequency: np.ndarray, *, end: float, loads: list[float]
) -> float:
    """Of any port's waveform, as a share of the swing; 0.3 pF on the last port."""
    rise = 2.4 / frequency[-1]
    n = s.shape[-1]
    shunts = [ShuntBranch(k, r=r, source=k == 0) for k, r in enumerate(loads)]
    shunts.append(ShuntBranch(n - 1, c=0.3e-12))
    x = np.linspace(0.0, 1.0, 201)
    edge = PiecewiseLinear(tuple(rise * x), tuple(0.5 - 0.5 * np.cos(np.pi * x)))
    block = PortBlock(tuple(range(n)), fit_arrivals(frequency, s), 50.0)
    found = solve_transient(
        Net(n, tuple(shunts), blocks=(block,)), edge, end=end, step=min(rise / 50, end / 2000)
    )
    at = np.linspace(0.01, 0.98, 301) * end

    def ends(s: np.ndarray) -> np.ndarray:
        out = np.zeros((len(s), n), dtype=complex)
        out += 1.0 / np.array(loads)
        out[:, -1] += s * 0.3e-12
        return out

    def injected(s: np.ndarray) -> np.ndarray:
        out = np.zeros((len(s), n), dtype=complex)
        out[:, 0] = raised_cosine(s, rise) / loads[0]
        return out

    other = node_volts(of, ends, injected, at, window=end)
    ours = np.stack([np.interp(at, found.time, found.node(k)) for k in range(n)], axis=-1)
    return float(np.abs(ours - other).max() / np.ptp(other, axis=0).max())


@pytest.mark.parametrize(
    ("of", "top", "points", "end", "loads"),
    [
        (lossy(0.05), 67, 1341, 3, [50.0, 50.0]),
        (lossy(0.2, z=60.0, df=0.004), 20, 1001, 5, [20.0, 2000.0]),
        (lossy(0.4), 40, 801, 8, [50.0, 50.0]),
        (lossy(0.5), 30, 1501, 9, [30.0, 500.0]),
        (lossy(1.0, df=0.004), 20, 2001, 14, [50.0, 50.0]),
        (pair(0.06), 20, 301, 3, [45.0, 50.0, 55.0, 50.0]),
        (pair(0.3), 30, 1501, 6, [45.0, 50.0, 55.0, 300.0]),
        (resonant, 40, 801, 3, [50.0, 50.0]),
    ],
)  # fmt: skip
def test_waveforms_are_those_of_the_network_itself(
    of: Admittance, top: float, points: int, end: float, loads: list[float]
) -> None:
    frequency = np.linspace(0.0, top * GHZ, points)
    s = sampled(of, frequency)
    found = largest_difference(of, s, frequency, end=end * NS, loads=loads)
    assert found < 2e-3


def test_noise_and_a_missing_point_at_rest_do_not_matter_much() -> None:
    frequency = np.linspace(0.0, 30 * GHZ, 1501)
    random = np.random.default_rng(4)
    s = sampled(lossy(0.3), frequency)
    noisy = s + 1e-3 * (random.normal(size=s.shape) + 1j * random.normal(size=s.shape)) / 2**0.5
    for data, f in ((noisy, frequency), (s[1:], frequency[1:])):
        assert largest_difference(
            lossy(0.3), data, f, end=6 * NS, loads=[50.0, 50.0]
        ) == pytest.approx(0.0, abs=2e-3)


def test_the_level_at_rest_is_exact() -> None:
    frequency = np.linspace(0.0, 20 * GHZ, 401)
    s = sampled(lossy(0.4), frequency)
    model = fit_arrivals(frequency, s)
    assert model.at(np.zeros(1, complex))[0] == pytest.approx(s[0].real, abs=1e-12)
    shunts = (ShuntBranch(0, r=50.0, source=True), ShuntBranch(1, r=75.0))
    net = Net(2, shunts, blocks=(PortBlock((0, 1), model, 50.0),))
    edge = PiecewiseLinear((0.0, 0.2 * NS), (0.0, 1.0))
    # Resistors alone: 50 + 6.8 * 0.4 + 75.
    rest = 75.0 / (125.0 + 2.72)
    assert dc_voltages(net, 1.0)[1] == pytest.approx(rest, abs=3e-6)
    found = solve_transient(net, edge, end=120 * NS, step=10e-12)
    # The skin effect dies away with the root of time only.
    assert found.node(1)[-1] == pytest.approx(rest, abs=1e-3)
    # Time stepping and the inversion of the same model agree.
    exact = solve_linear(net, edge, end=10 * NS, step=5e-12)
    near = np.interp(exact.time, found.time, found.node(1))
    assert near == pytest.approx(exact.node(1), abs=1e-3)


def test_the_order_does_not_grow_with_delay_and_nothing_makes_energy() -> None:
    frequency = np.linspace(0.0, 30 * GHZ, 1501)
    models = [fit_arrivals(frequency, sampled(lossy(x), frequency)) for x in (0.05, 0.2, 0.8)]
    assert len({len(model.poles) for model in models}) == 1
    for model in models:
        assert len(model.arrivals) <= 4 * 6
        assert (model.poles > 0.0).all()
        assert model.gain_above <= 1.02
        assert model.gain <= 1.005
        assert model.error < 1e-3
    # The first thing to come through comes when the line's delay says.
    through = next(a for a in models[1].arrivals if (a.row, a.column) == (1, 0))
    assert through.delay == pytest.approx(0.2 * 6.2e-9, rel=0.03)


@pytest.mark.parametrize("first", [0, 1])
def test_what_arrivals_cannot_follow_is_kept_as_it_is(first: int) -> None:
    """Noise, which is no wave: the model meets it at every point, and its level at rest."""
    frequency = 50e6 * np.arange(first, 601)
    random = np.random.default_rng(8)
    s = sampled(lossy(0.1), frequency)
    noise = random.normal(size=s.shape) + 1j * random.normal(size=s.shape)
    s = s + 1e-3 * noise * (frequency > 0.0)[:, None, None]
    model = fit_arrivals(frequency, s)
    missed = s - model.smooth_at(2j * np.pi * frequency)
    assert np.abs(missed).max() > 2e-3
    assert model.step == pytest.approx(50e6)
    assert model.rest[first:601] == pytest.approx(missed, abs=1e-12)
    rest = model.dc - model.smooth_at(np.zeros(1, complex))[0].real
    assert model.rest[0] == pytest.approx(rest, abs=1e-12)


def test_without_a_point_at_rest_nothing_flows_to_a_return_that_is_not_there() -> None:
    """Of a line alone, equal voltages at both ends drive no current: 0.68 ohm between them."""
    frequency = 50e6 * np.arange(1, 601)
    model = fit_arrivals(frequency, sampled(lossy(0.1), frequency))
    assert model.dc.sum(axis=1) == pytest.approx([1.0, 1.0], abs=1e-12)
    assert model.dc[0, 0] == pytest.approx(0.68 / 100.68, abs=0.01)


def test_what_is_no_network_is_refused() -> None:
    for f in ([1e9, 2e9], [1e9, 3e9, 2e9, 4e9]):
        with pytest.raises(NotPhysical, match="points"):
            fit_arrivals(np.array(f), np.zeros((len(f), 1, 1), complex))
    # A response that runs backwards in time has no model.
    f = np.linspace(0.0, 10 * GHZ, 201)
    early = np.exp(2j * np.pi * f * 2e-9)[:, None, None] * np.ones((1, 1, 1))
    with pytest.raises(NotConverged, match="in time"):
        fit_arrivals(f, early)


def test_what_an_arrival_leaves_is_the_energy_of_the_rest() -> None:
    """Two ways to the same: at once for many delays, and by what is left of one."""
    f = np.linspace(1e7, 1e10, 300)
    basis = _Basis(f, 1e-3)
    s = 2j * np.pi * f
    values = np.exp(-s * 0.8e-9) / (1.0 + s * 20e-12) + 0.2 * np.exp(-s * 1.7e-9)
    delays = np.array([0.1e-9, 0.8e-9, 1.7e-9])
    left = [float((np.abs(basis.without(values, d)) ** 2).sum()) for d in delays]
    assert basis.each(values, delays) == pytest.approx(left, rel=1e-9)
    # The larger one leaves least, of alone what the smaller one is: a fifth, squared, a point.
    assert int(np.argmin(left)) == 1
    assert left[1] == pytest.approx(0.2**2 * len(f), rel=0.1)
