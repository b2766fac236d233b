"""Prepreg between copper, and tables of Dk and Df against the causal model."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.causality import from_losses
from onda.engine.materials import (
    ConstantDielectric,
    Relaxations,
    WidebandDebye,
    fit_dielectric,
)
from onda.engine.pressing import Ply, pressed_thickness, resin_to_spare
from onda.errors import NotPhysical


def test_a_ply_is_glass_and_resin() -> None:
    ply = Ply(46.8, 0.63)
    assert ply.thickness == pytest.approx(46.8 / 2.54e6 + 46.8 * 0.63 / 0.37 / 1.30e6)
    assert ply.resin_thickness < ply.thickness
    # More resin on the same glass is thicker.
    assert Ply(46.8, 0.68).thickness > ply.thickness


def test_copper_takes_resin_where_it_was_etched_away() -> None:
    fills = ((17e-6, 0.3), (35e-6, 0.85))
    assert pressed_thickness(150e-6, fills) == pytest.approx(150e-6 - 17e-6 * 0.7 - 35e-6 * 0.15)
    assert pressed_thickness(150e-6, ()) == 150e-6
    plies = (Ply(46.8, 0.63), Ply(46.8, 0.63))
    spare = resin_to_spare(plies, fills)
    assert spare == pytest.approx(2 * plies[0].resin_thickness - 17e-6 * 0.7 - 35e-6 * 0.15)


def test_copper_thicker_than_the_resin_that_must_fill_it() -> None:
    with pytest.raises(NotPhysical, match="more plies, more resin or thinner copper"):
        pressed_thickness(60e-6, ((70e-6, 0.3),))
    with pytest.raises(NotPhysical, match="copper cover"):
        pressed_thickness(60e-6, ((70e-6, 1.3),))
    with pytest.raises(NotPhysical, match="resin content"):
        _ = Ply(46.8, 1.0).resin_thickness


def test_a_table_made_by_the_model_is_met() -> None:
    model = WidebandDebye.through(3.7, 0.012, 1e9)
    f = np.geomspace(1e8, 4e10, 8)
    e = model.permittivity(2j * np.pi * f)
    table = tuple(zip(f.tolist(), e.real.tolist(), (-e.imag / e.real).tolist(), strict=True))
    fit = fit_dielectric(table)
    assert fit.dk_error < 1e-9
    assert fit.df_error < 1e-9


@pytest.mark.parametrize(
    "table",
    [
        ((1e9, 4.20, 0.0160), (1e10, 4.11, 0.0200), (4e10, 4.05, 0.0240)),
        ((1e9, 3.40, 0.0020), (1e10, 3.39, 0.0026), (5e10, 3.385, 0.0034)),
        ((1e9, 3.00, 0.0012), (1e10, 2.998, 0.0013), (4e10, 2.996, 0.0016), (1e11, 2.994, 0.0021)),
    ],
)
def test_loss_that_rises_is_met_by_relaxations_that_are_causal(table) -> None:
    fit = fit_dielectric(table)
    assert fit.dk_error < 0.005
    assert fit.df_error < 0.02 * table[-1][2]
    assert isinstance(fit.model, Relaxations)
    assert min(fit.model.strengths) >= 0.0
    # Kramers and Kronig, by an integral over the model's own loss.
    grid = 2.0 * np.pi * np.logspace(-1, 18, 19 * 160)
    loss = -fit.model.permittivity(1j * grid).imag
    at = 2.0 * np.pi * np.array([1e8, 1e9, 1e10, 5e10])
    real = fit.model.permittivity(1j * at).real
    assert real - fit.model.eps_inf == pytest.approx(from_losses(loss, grid, at), rel=2e-3)


def test_the_corner_of_the_wideband_model_is_out_of_the_band() -> None:
    """Given at 10 GHz, the loss tangent stays what it is up to 110 GHz."""
    model = WidebandDebye.through(3.5, 0.004, 10e9)
    e = model.permittivity(2j * np.pi * np.array([1e9, 56e9, 110e9]))
    assert -e.imag / e.real == pytest.approx(0.004, rel=0.02)


def test_a_measured_table_is_followed_within_its_scatter() -> None:
    table = ((1e9, 3.72, 0.0050), (5e9, 3.69, 0.0054), (10e9, 3.68, 0.0052), (20e9, 3.67, 0.0055))
    fit = fit_dielectric(table)
    assert fit.dk_error < 0.004
    assert fit.df_error < 6e-4


def test_one_point_is_met_exactly_and_none_lossless() -> None:
    fit = fit_dielectric(((2e9, 4.1, 0.02),))
    assert fit.dk_error < 1e-12
    assert fit.df_error < 1e-12
    assert fit_dielectric(((1e9, 2.1, 0.0),)).model == ConstantDielectric(2.1)


@pytest.mark.parametrize(
    ("table", "words"),
    [
        ((), "at least one"),
        (((1e9, 0.9, 0.01),), "Dk"),
        (((1e9, 3.9, -0.01),), "Df"),
        (((0.0, 3.9, 0.01),), "frequency"),
        (((2e9, 3.9, 0.01), (1e9, 3.9, 0.01)), "not rising"),
        (((1e9, 3.9, 0.01), (1e9, 3.9, 0.01)), "not rising"),
        (((1e8, 3.0, 1e-4), (1e10, 4.5, 1e-4)), "causal"),
        (((1e9, math.nan, 0.01),), "Dk"),
    ],
)
def test_tables_that_cannot_be(table, words) -> None:
    with pytest.raises(NotPhysical, match=words):
        fit_dielectric(table)


def test_the_dispersion_of_one_relaxation_is_known_between_points_and_on_them() -> None:
    """x'' = u / (1 + u^2) of u = w tau belongs to x' - x'(inf) = 1 / (1 + u^2) (Debye)."""
    grid = np.geomspace(1e-6, 1e6, 2400)
    at = np.array([0.03, 1.0, 1.7, 40.0, float(grid[1200]), float(grid[1500])])
    found = from_losses(grid / (1.0 + grid**2), grid, at)
    assert found == pytest.approx(1.0 / (1.0 + at**2), abs=2e-3)
