"""Fields and modes of a section: against images, symmetry and hand-made matrices."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.coupled_lines import ladder_free_modes
from onda.engine.section import Conductor, CrossSection, solve_section
from onda.engine.section.field import potential_grid, surface_densities
from onda.engine.section.fit import fit_two
from onda.engine.section.modes import driven_mode, modes_of_pair
from onda.errors import OutOfReach
from tests.shapes import UM, round_wire

C = np.array([[120e-12, -20e-12], [-20e-12, 120e-12]])
L = np.array([[300e-9, 60e-9], [60e-9, 300e-9]])


def test_modes_of_a_symmetric_pair_are_its_sums_and_differences() -> None:
    pair = modes_of_pair(C, L)
    assert pair.odd.z0 == pytest.approx(math.sqrt(240e-9 / 140e-12))
    assert pair.even.z0 == pytest.approx(math.sqrt(360e-9 / 100e-12))
    assert pair.odd.delay == pytest.approx(math.sqrt(240e-9 * 140e-12))
    assert pair.even.delay == pytest.approx(math.sqrt(360e-9 * 100e-12))
    assert pair.conversion == pytest.approx(0.0, abs=1e-12)


def test_one_driven_line_sees_the_mean_of_both_modes() -> None:
    """Currents (1, 0) are half odd and half even: the impedances' mean; energy tells the delay."""
    found = driven_mode(C, L, np.array([1.0, 0.0]))
    z_odd, z_even = math.sqrt(240e-9 / 140e-12), math.sqrt(360e-9 / 100e-12)
    mean = 0.5 * (z_odd + z_even)
    assert found.mode.z0 == pytest.approx(mean)
    assert found.mode.delay == pytest.approx(300e-9 / mean)
    assert found.volts == pytest.approx([1.0, (z_even - z_odd) / (z_even + z_odd)])


def test_lines_in_their_modes_have_no_rest() -> None:
    transform = np.array([[1.0, 1.0], [1.0, -1.0]]) / math.sqrt(2.0)
    found = ladder_free_modes(transform, L, C)
    even, odd = found.modes
    assert (even.l_ext, odd.l_ext) == pytest.approx((360e-9, 240e-9))
    assert [m.capacitance[0].c_ref for m in (even, odd)] == pytest.approx([100e-12, 140e-12])
    assert found.left_out == pytest.approx(0.0, abs=1e-12)
    # Modes that are not those of the lines leave out what they have between them.
    alone = ladder_free_modes(np.eye(2), L, C)
    assert alone.left_out == pytest.approx(60 / 300)


def test_two_targets_are_met_by_two_dimensions() -> None:
    def values(a: float, b: float) -> tuple[float, float]:
        return a * b, a / b

    found = fit_two(
        values, (6.0, 1.5), low=(0.1, 0.1), high=(10.0, 10.0), start=(1.0, 1.0), names=("a", "b")
    )
    assert found == pytest.approx((3.0, 2.0), rel=1e-3)
    with pytest.raises(OutOfReach):
        fit_two(
            values, (600.0, 1.5), low=(0.1, 0.1), high=(10.0, 10.0), start=(1.0, 1.0),
            names=("a", "b"),
        )  # fmt: skip


@pytest.mark.parametrize("shift", [0.0, 300 * UM])
def test_the_field_of_a_wire_over_a_plane_is_that_of_its_image(shift: float) -> None:
    """Two lines of charge at +-sqrt(h^2 - r^2) make every circle a surface of one potential."""
    r, h = 50 * UM, 150 * UM
    wire = Conductor("S", round_wire(shift, h, r))
    result = solve_section(CrossSection((), (wire,), (0.0,)), per_piece=3)
    a = math.sqrt(h * h - r * r)
    x = shift + np.array([-200 * UM, 0.0, 80 * UM])
    y = np.array([0.0, 20 * UM, 60 * UM, 300 * UM])
    found = potential_grid(result, np.array([2.0]), x, y)
    xs, ys = np.meshgrid(x - shift, y)
    exact = 0.5 * np.log((xs**2 + (ys + a) ** 2) / (xs**2 + (ys - a) ** 2)) / math.acosh(h / r)
    assert found.shape == (4, 3)
    assert found == pytest.approx(2.0 * exact, rel=5e-3, abs=1e-9)


def test_charge_of_a_wire_crowds_towards_the_plane() -> None:
    """Its density goes as 1 / (h + r cos(angle from the top)): the field of both lines on it."""
    r, h = 50 * UM, 150 * UM
    wire = Conductor("S", round_wire(0.0, h, r))
    result = solve_section(CrossSection((), (wire,), (0.0,)), per_piece=3)
    start, end, charge, current = surface_densities(result, np.array([1.0]))
    middle = 0.5 * (start + end)
    exact = 1.0 / (h + (middle[:, 1] - h))
    # Where a side of the polygon has its corner the density peaks; its middle panels are asked.
    some = np.abs(np.hypot(middle[:, 0], middle[:, 1] - h) - r) < 0.002 * r
    share = charge[some] / exact[some]
    assert share == pytest.approx(share.mean(), rel=0.12)
    # Without a dielectric the current flows where the charge sits.
    assert current == pytest.approx(charge, abs=1e-6)
