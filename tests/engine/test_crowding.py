"""The filament solver: closed forms at both ends of the frequency range and laws in between."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.constants import COPPER_RESISTIVITY_OHM_M, MU0_H_PER_M
from onda.engine.section import Conductor, CrossSection, solve_section
from onda.engine.section.crowding import _rows, loop_impedance
from onda.engine.section.filament_kernels import log_means
from onda.engine.section.resistance import resistance
from onda.errors import NotPhysical
from tests.shapes import UM, box

RHO = COPPER_RESISTIVITY_OHM_M


def strip_over_plane(width: float = 100 * UM, plane: float = 1e-3) -> tuple[Conductor, ...]:
    return (
        Conductor("S", box(-width / 2, 60 * UM, width, 18 * UM)),
        Conductor("G", box(-plane / 2, -18 * UM, plane, 18 * UM), "ground"),
    )


def test_mean_of_the_logarithm_in_a_square() -> None:
    """Geometric mean distance of a square: 0.44705 of its side (Grover, 1946)."""
    assert math.exp(_mean(0.0, 0.0, 2.0, 2.0, 2.0, 2.0)) == pytest.approx(2 * 0.44705, rel=1e-5)


def _mean(dx: float, dy: float, wi: float, hi: float, wj: float, hj: float) -> float:
    cells = np.array([[0.0, 0.0, wi, hi], [-dx, -dy, wj, hj]])
    return float(log_means(cells, np.array([0, 1, 2]), False)[0, 1])


def test_filaments_side_by_side_share_their_row() -> None:
    """The means do not depend on how rectangles are put into rows."""
    cells = np.array([[0.1, 0.0, 0.2, 0.3], [0.35, 0.0, 0.3, 0.3], [0.2, 0.7, 0.4, 0.1]])
    together, apart = np.array([0, 2, 3]), np.array([0, 1, 2, 3])
    assert _rows(cells).tolist() == together.tolist()
    for mirror in (False, True):
        assert log_means(cells, together, mirror) == pytest.approx(
            log_means(cells, apart, mirror), rel=1e-9
        )


@pytest.mark.parametrize(
    ("dx", "dy", "wi", "hi", "wj", "hj"),
    [
        (0.7, 0.2, 1.3, 0.5, 0.4, 2.0),
        (1.0, 0.0, 1.0, 1.0, 1.0, 1.0),
        (0.0, 3.0, 0.1, 1.0, 2.0, 0.3),
        (14.0, 9.0, 2.0, 1.0, 0.5, 1.5),
        (0.0, 0.0, 5.0, 0.05, 5.0, 0.05),
    ],
)
def test_mean_of_the_logarithm_against_quadrature(dx, dy, wi, hi, wj, hj) -> None:
    """The difference of two uniform places has a known density, so two integrals are enough."""

    def difference(a: float, b: float) -> tuple[np.ndarray, np.ndarray]:
        edges = np.linspace(-(a + b) / 2, (a + b) / 2, 2401)
        t = 0.5 * (edges[1:] + edges[:-1])
        weight = np.clip((a + b) / 2 - np.abs(t), 0, min(a, b))
        return t, weight / weight.sum()

    (tx, px), (ty, py) = difference(wi, wj), difference(hi, hj)
    logs = 0.5 * np.log((dx + tx[:, None]) ** 2 + (dy + ty[None, :]) ** 2 + 1e-300)
    assert _mean(dx, dy, wi, hi, wj, hj) == pytest.approx(float(px @ logs @ py), abs=2e-3)


def test_means_are_symmetric_and_mirrored() -> None:
    cells = np.array([[1.0, 0.0, 0.5, 0.2], [3.0, 1.0, 0.1, 0.4]])
    rows = _rows(cells)
    plain, mirrored = log_means(cells, rows, False), log_means(cells, rows, True)
    assert plain == pytest.approx(plain.T)
    assert mirrored[0, 1] == pytest.approx(math.log(math.hypot(4.0, 1.0)), abs=1e-3)


def test_direct_current_is_by_area() -> None:
    z = loop_impedance(strip_over_plane(), RHO, np.array([10.0]))
    exact = RHO / (100 * UM * 18 * UM) + RHO / (1e-3 * 18 * UM)
    assert z.r_dc[0, 0] == pytest.approx(exact)
    assert z.r[0, 0, 0] == pytest.approx(exact, rel=1e-4)


def test_high_frequency_tends_to_the_surface_solution() -> None:
    """At 20 GHz, L near that of perfect conductors, R near the surface current's, edges apart."""
    f = np.array([20e9])
    z = loop_impedance(strip_over_plane(plane=3e-3), RHO, f)
    section = CrossSection((), strip_over_plane()[:1], (0.0,))
    perfect = solve_section(section)
    k = resistance(section, perfect, RHO).k_skin[0, 0]
    assert z.r[0, 0, 0] == pytest.approx(k * math.sqrt(20e9), rel=0.04)
    internal = z.r[0, 0, 0] / (2 * math.pi * 20e9)
    assert z.l[0, 0, 0] - internal == pytest.approx(perfect.l_ext[0, 0], rel=5e-3)


def test_resistance_rises_and_inductance_falls_with_frequency() -> None:
    """As for any passive metal: R(f) never falls, L(f) never rises."""
    z = loop_impedance(strip_over_plane(), RHO, np.geomspace(1e4, 5e9, 9))
    assert (np.diff(z.r[:, 0, 0]) > 0).all()
    assert (np.diff(z.l[:, 0, 0]) < 0).all()


def test_slope_of_resistance_at_high_frequency_is_that_of_skin() -> None:
    z = loop_impedance(strip_over_plane(), RHO, np.array([4e9, 16e9]))
    assert z.r[1, 0, 0] / z.r[0, 0, 0] == pytest.approx(2.0, rel=0.03)


def test_pair_is_symmetric_and_passive() -> None:
    conductors = (
        Conductor("P", box(-160 * UM, 80 * UM, 100 * UM, 18 * UM)),
        Conductor("N", box(60 * UM, 80 * UM, 100 * UM, 18 * UM)),
        Conductor("G", box(-8e-4, -18 * UM, 16e-4, 18 * UM), "ground"),
    )
    z = loop_impedance(conductors, RHO, np.array([1e6, 1e9]))
    for matrix in (*z.r, *z.l):
        assert matrix == pytest.approx(matrix.T, rel=1e-6)
        assert matrix[0, 0] == pytest.approx(matrix[1, 1], rel=1e-6)
        assert (np.linalg.eigvalsh(matrix) > 0).all()


def test_trapezoid_lies_between_its_rectangles() -> None:
    def z(base: float, top: float) -> float:
        half, t = base / 2, top / 2
        trace = Conductor("S", ((-half, 60 * UM), (half, 60 * UM), (t, 78 * UM), (-t, 78 * UM)))
        return float(
            loop_impedance((trace, strip_over_plane()[1]), RHO, np.array([1e8])).r[0, 0, 0]
        )

    assert z(100 * UM, 100 * UM) < z(100 * UM, 80 * UM) < z(80 * UM, 80 * UM)


def test_wires_far_apart_have_the_textbook_inductance() -> None:
    """Two square bars, low frequency: L = mu0/pi ln(d/GMD) with the square's own mean distance."""
    side, d = 20 * UM, 2e-3
    go = Conductor("S", box(-d / 2 - side / 2, 0.0, side, side))
    back = Conductor("G", box(d / 2 - side / 2, 0.0, side, side), "ground")
    z = loop_impedance((go, back), RHO, np.array([1e3]))
    exact = MU0_H_PER_M / math.pi * math.log(d / (0.44705 * side))
    assert z.l[0, 0, 0] == pytest.approx(exact, rel=1e-3)


@pytest.mark.parametrize(
    ("conductors", "rho", "f", "words"),
    [
        (strip_over_plane()[:1], RHO, 1e6, "return"),
        (strip_over_plane()[1:], RHO, 1e6, "signal"),
        (strip_over_plane(), RHO, 0.0, "above 0 Hz"),
        (strip_over_plane(), RHO, math.nan, "above 0 Hz"),
        (strip_over_plane(), 0.0, 1e6, "resistivity"),
        (
            (
                Conductor("S", ((0, 1e-4), (1e-4, 1e-4), (1e-4, 2e-4), (5e-5, 1.1e-4), (0, 2e-4))),
                strip_over_plane()[1],
            ),
            RHO,
            1e6,
            "convex",
        ),
    ],
)
def test_what_cannot_be_solved_is_refused(conductors, rho, f, words) -> None:
    with pytest.raises(NotPhysical, match=words):
        loop_impedance(conductors, rho, np.array([f]))
