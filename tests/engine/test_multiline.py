"""Modes of n lines, the network that matches them, crosstalk."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.section import solve_section
from onda.engine.section.modes import pair_modes
from onda.engine.section.multiline import coupling_between, line_modes, matched_network
from onda.engine.section.structures import Slab, TraceShape, trace_section
from onda.errors import NotPhysical
from tests.shapes import UM, microstrip_pair


@pytest.fixture(scope="module")
def pair():
    return solve_section(microstrip_pair())


@pytest.fixture(scope="module")
def unequal():
    """Three lines of which none is like another."""
    rng = np.random.default_rng(4)
    a = rng.uniform(0.0, 0.3, (3, 3))
    c = np.diag([1.2e-10, 1.5e-10, 1.0e-10]) - 1e-11 * (a + a.T)
    b = rng.uniform(0.0, 0.3, (3, 3))
    inductance = np.diag([3.0e-7, 2.6e-7, 3.4e-7]) + 5e-8 * (b + b.T)
    return c, inductance


def test_pair_has_its_odd_and_even_mode(pair) -> None:
    modes, both = line_modes(pair.c, pair.l_ext), pair_modes(pair)
    assert modes.z_mode == pytest.approx([both.even.z0, both.odd.z0], rel=1e-6)
    assert modes.delay == pytest.approx([both.even.delay, both.odd.delay], rel=1e-6)
    assert np.abs(modes.voltage) == pytest.approx(np.ones((2, 2)), rel=1e-6)


def test_modes_are_eigenvectors_of_lc(unequal) -> None:
    c, inductance = unequal
    modes = line_modes(c, inductance)
    assert inductance @ c @ modes.voltage == pytest.approx(modes.voltage * modes.delay**2, rel=1e-9)
    assert np.all(np.diff(modes.delay) <= 0)


def test_characteristic_matrices_belong_together(unequal) -> None:
    c, inductance = unequal
    modes = line_modes(c, inductance)
    z = modes.z_characteristic
    assert z @ modes.y_characteristic == pytest.approx(np.eye(3), abs=1e-9)
    # Zc C Zc = L: what defines the characteristic impedance of lossless lines.
    assert z @ c @ z == pytest.approx(inductance, rel=1e-9)


def test_matched_network_has_the_characteristic_admittance(unequal) -> None:
    modes = line_modes(*unequal)
    network = matched_network(modes)
    y = np.zeros((3, 3))
    for i in range(3):
        y[i, i] += 1.0 / network[i, i]
        for j in range(3):
            if i != j:
                y[i, i] += 1.0 / network[i, j]
                y[i, j] -= 1.0 / network[i, j]
    assert y == pytest.approx(modes.y_characteristic, rel=1e-9)


def test_lines_that_do_not_couple_need_no_resistor_between() -> None:
    network = matched_network(line_modes(np.diag([1e-10, 2e-10]), np.diag([3e-7, 2e-7])))
    assert math.isinf(network[0, 1])
    assert network[0, 0] == pytest.approx(math.sqrt(3e-7 / 1e-10))


def test_equal_lines_still_have_real_modes() -> None:
    """Homogeneous dielectric: all delays agree, the modes must not."""
    core, trace = Slab(100 * UM, 3.7, "x"), TraceShape(100 * UM, 17 * UM, 0.0, 120 * UM, count=4)
    section = trace_section(trace, below=(core,), above=(core,), beside=core, plane_above=True)
    result = solve_section(section)
    modes = line_modes(result.c, result.l_ext)
    assert np.ptp(modes.delay) / modes.delay[0] < 1e-3
    assert np.linalg.matrix_rank(modes.voltage, tol=1e-6) == 4


def test_crosstalk_of_a_pair_against_its_modes(pair) -> None:
    """Weak coupling: near end (Ze - Zo)/(Ze + Zo)/2, far end half the difference of delays."""
    both = pair_modes(pair)
    found = coupling_between(pair.c, pair.l_ext, 0, 1, length=0.05, rise_time=200e-12)
    assert found.k_near == pytest.approx(0.5 * both.coupling, rel=0.05)
    spread = 0.5 * (both.odd.delay - both.even.delay)
    assert found.k_far == pytest.approx(spread, rel=0.1)
    assert found.near == found.k_near
    assert found.saturation_length < 0.05
    short = coupling_between(pair.c, pair.l_ext, 0, 1, length=1e-3, rise_time=200e-12)
    assert short.near == pytest.approx(found.k_near * 1e-3 / found.saturation_length)


def test_far_end_noise_is_at_most_half_the_swing(pair) -> None:
    found = coupling_between(pair.c, pair.l_ext, 0, 1, length=50.0, rise_time=1e-12)
    assert found.far == -0.5


def test_bad_matrices_and_lines_are_refused(pair) -> None:
    with pytest.raises(NotPhysical, match="positive definite"):
        line_modes(-pair.c, pair.l_ext)
    with pytest.raises(NotPhysical, match="two different"):
        coupling_between(pair.c, pair.l_ext, 1, 1, length=1.0, rise_time=1e-10)
    with pytest.raises(NotPhysical, match="above 0"):
        coupling_between(pair.c, pair.l_ext, 0, 1, length=0.0, rise_time=1e-10)
