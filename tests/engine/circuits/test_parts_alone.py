"""Parts of the transient that stand alone: against hand-made sums, tables and known poles."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.circuits import Net, ShuntBranch, solve_transient
from onda.engine.circuits.dc import device_currents
from onda.engine.circuits.devices import Device, Port, Table, Term, Weight
from onda.engine.circuits.group_model import _BEYOND, GroupModel, _gain
from onda.engine.circuits.line_model import Band, fit_poles, spread_poles, travel_time
from onda.engine.circuits.stimulus import PiecewiseLinear
from onda.engine.circuits.transient_kernels import table_at
from onda.engine.lines import CapacitancePart, Line, waves_along
from onda.engine.materials import ConstantLoss


@pytest.mark.parametrize("x", [-2.0, -1.0, -0.3, 0.0, 0.7, 1.0, 2.5, 3.0, 4.0])
def test_a_table_is_read_in_straight_pieces_and_goes_on_at_its_ends(x: float) -> None:
    # The table stands between others.
    v = np.array([9.0, -1.0, 0.0, 1.0, 3.0, 9.0])
    i = np.array([9.0, -2.0, 0.0, 5.0, 6.0, 9.0])
    slopes = {-1.0: 2.0, 0.0: 5.0, 1.0: 0.5}
    start = max((k for k in slopes if k <= x), default=-1.0)
    current, slope = table_at(v, i, 1, 5, x)
    assert slope == pytest.approx(slopes[start])
    at = {-1.0: -2.0, 0.0: 0.0, 1.0: 5.0}[start]
    assert current == pytest.approx(at + slopes[start] * (x - start))


def test_currents_of_a_device_are_the_sum_of_its_terms() -> None:
    # 3 mS up to 1 V, 1 mS above; once as it is, once upside down from 2 V at half weight.
    table = Table((0.0, 1.0, 2.0), (0.0, 3e-3, 4e-3))
    rising = Weight((0.0, 1e-9), (0.0, 1.0))
    port = Port(
        1, (Term(table), Term(table, scale=-2.0, sign=-1.0, offset=2.0, weight=rising)), node_b=2
    )
    volts = np.array([9.0, 1.7, 0.2])
    ((current, slope),) = device_currents(Device("d", (port,)), volts, 0.5e-9)
    # 1.5 V across: 3.5 mA; 0.5 V seen from 2 V: 1.5 mA, times -2, times a half.
    assert current == pytest.approx(3.5e-3 - 1.5e-3)
    assert slope == pytest.approx(1e-3 + 3e-3)
    to_ground = Port(1, (Term(table),))
    ((current, slope),) = device_currents(Device("d", (to_ground,)), volts, 0.0)
    assert (current, slope) == pytest.approx((3.7e-3, 1e-3))


def test_poles_that_are_known_are_found_with_their_residues() -> None:
    poles = np.array([1e8, 3e9, 7e10])
    residues = np.array([[2e8, 1e8], [-1e9, 0.0], [5e10, -2e10]])
    constant = np.array([0.5, -3.0])
    s = 2j * math.pi * np.geomspace(1e6, 1e11, 60)
    values = constant + (residues[None] / (s[:, None, None] + poles[:, None])).sum(axis=1)
    found, gains, error = fit_poles(s, values, poles)
    assert found == pytest.approx(constant, abs=1e-6)
    assert gains == pytest.approx(residues, rel=1e-5, abs=1.0)
    assert error < 1e-6


def test_poles_lie_evenly_over_a_band_and_beyond() -> None:
    band = Band(1e6, 1e10)
    poles = spread_poles(band, 3.0)
    assert poles[0] == pytest.approx(2 * math.pi * 1e6 / 3)
    assert poles[-1] == pytest.approx(2 * math.pi * 2e10)
    ratio = poles[1:] / poles[:-1]
    assert ratio == pytest.approx(ratio[0])
    assert len(poles) == round(3 * math.log10(6e4))
    assert len(spread_poles(band, 0.1)) == 6


LINE = Line(250e-9, (CapacitancePart(100e-12),))
LOSSY = Line(250e-9, (CapacitancePart(100e-12),), r_dc=4.0, k_skin=1e-3)


def test_a_wave_takes_the_root_of_l_and_c() -> None:
    assert travel_time(LINE, 0.2, 1e9) == pytest.approx(0.2 * math.sqrt(250e-9 * 100e-12))
    # Loss slows what is slow.
    assert travel_time(LOSSY, 0.2, 1e6) > travel_time(LOSSY, 0.2, 1e9) > travel_time(LINE, 0.2, 1e9)


def test_waves_along_a_line_are_those_of_its_chain_matrix() -> None:
    s = 2j * math.pi * np.array([1e8, 7e8, 3e9])
    length, load = 0.13, 35.0
    places = np.array([0.0, 0.05, 0.1, length])
    whole = LOSSY.abcd(s, length)
    end = np.array([0.3, 0.2j, 1.0 + 0.1j])
    start = whole[:, 0, 0] * end + whole[:, 0, 1] * end / load
    known: dict = {}
    volts, amps = waves_along(LOSSY, length, s, (start, end), places, known)
    for k, place in enumerate(places):
        rest = LOSSY.abcd(s, length - place)
        assert volts[k] == pytest.approx(rest[:, 0, 0] * end + rest[:, 0, 1] * end / load)
        assert amps[k] == pytest.approx(rest[:, 1, 0] * end + rest[:, 1, 1] * end / load)
    # What is known of a line is taken from there.
    again = waves_along(LOSSY, length, s, (start, end), places, known)
    assert (again[0] == volts).all()
    assert list(known) == [LOSSY]


def test_half_a_wave_stands_on_a_line_that_is_open_at_its_end() -> None:
    f = 1.0 / (2.0 * math.sqrt(250e-9 * 100e-12) * 0.1)
    s = np.array([2j * math.pi * f * (1 + 1e-9)])
    # Open: no current at the end; voltages of half a wave turn their sign.
    volts, amps = waves_along(
        LINE, 0.1, s, (np.array([-1.0 + 0j]), np.array([1.0 + 0j])), np.array([0.05, 0.1])
    )
    assert abs(volts[0, 0]) < 1e-6
    assert abs(amps[1, 0]) < 1e-6


def test_a_source_behind_a_coil_rises_by_its_time_constant() -> None:
    """1 V in 100 ps behind 50 ohm and 5 nH into 50 ohm: L / R is 50 ps."""
    net = Net(1, (ShuntBranch(0, r=50.0, l=5e-9, source=True), ShuntBranch(0, r=50.0)))
    rise, tau = 100e-12, 50e-12
    edge = PiecewiseLinear((0.0, rise), (0.0, 1.0))
    found = solve_transient(net, edge, end=600e-12, step=0.5e-12)

    def ramp(t: np.ndarray) -> np.ndarray:
        t = np.maximum(t, 0.0)
        return t + tau * np.expm1(-t / tau)

    wanted = 0.5 / rise * (ramp(found.time) - ramp(found.time - rise))
    assert found.node(0) == pytest.approx(wanted, abs=1e-5)


def test_a_line_has_the_root_of_its_series_over_its_shunt() -> None:
    line = Line(3e-7, (CapacitancePart(1.2e-10, 4.0, ConstantLoss(4.0, 0.02, 1e9)),), 5.0, 1e-3)
    f = np.array([1e7, 1e9, 2e10])
    s = 2j * np.pi * f
    gamma, z = line.propagation(s)
    assert line.impedance(f) == pytest.approx(z, rel=1e-12)
    # gamma Z is what lies in series, gamma / Z what lies across.
    assert (gamma / z).imag == pytest.approx(
        2 * np.pi * f * 1.2e-10 * ConstantLoss(4.0, 0.02, 1e9).permittivity(s).real / 4.0, rel=1e-6
    )
    assert ((gamma * z).imag > 2 * np.pi * f * 3e-7).all()


def test_what_is_sent_on_is_looked_at_beyond_the_band() -> None:
    """A model that passes most well above its band, less at its end, and nothing at last."""
    top, peak = 10e9, 2.0 * math.pi * _BEYOND * 10e9
    low, high, k = peak / 1.2, peak * 1.2, 3.0 * peak
    poles = np.array([low, high])
    # k s / ((s + low) (s + high)) in parts.
    residues = k / (high - low) * np.array([-low, high])
    nothing = np.zeros((1, 1))
    model = GroupModel(
        poles, nothing, np.zeros((2, 1, 1)), np.array([1e-10]), np.zeros((1, 1, 1)),
        residues.reshape(1, 2, 1, 1), 0.0,
    )  # fmt: skip

    def passes(w: float) -> float:
        return abs(k * 1j * w / ((1j * w + low) * (1j * w + high)))

    assert passes(peak) > 1.05 * passes(2.0 * math.pi * top)
    assert _gain(model, top) == pytest.approx(passes(peak), rel=1e-9)
    # Farther up the end of the band has most.
    assert _gain(model, _BEYOND * top) == pytest.approx(passes(peak), rel=1e-9)
    assert _gain(model, 3.0 * _BEYOND * top) == pytest.approx(passes(3.0 * peak), rel=1e-9)
