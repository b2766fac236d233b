"""Materials and lines: anchors, causality, limits, and two ways to the same S-parameters."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from scipy.optimize import nnls

from onda.engine.lines import CapacitancePart, Ladder, Line, lossless_line
from onda.engine.materials import (
    ConstantDielectric,
    WidebandDebye,
    _not_negative,
    fit_dielectric,
)
from onda.errors import NotPhysical

GHZ = 1e9


def lossy() -> Line:
    debye = WidebandDebye.through(4.2, 0.02, GHZ)
    return Line(3.4e-7, (CapacitancePart(1.37e-10, 4.2, debye),), 6.0, 1.2e-3)


@given(
    er=st.floats(2.0, 12.0),
    df=st.floats(1e-4, 0.05),
    f=st.floats(1e7, 3e10),
)
def test_debye_meets_its_anchor(er: float, df: float, f: float) -> None:
    e = WidebandDebye.through(er, df, f).permittivity(np.array([2j * math.pi * f]))[0]
    assert e.real == pytest.approx(er, rel=1e-9)
    assert -e.imag / e.real == pytest.approx(df, rel=1e-9)


def test_debye_loss_is_flat_over_decades_and_permittivity_falls() -> None:
    model = WidebandDebye.through(4.0, 0.015, GHZ)
    f = np.geomspace(1e7, 1e10, 40)
    e = model.permittivity(2j * np.pi * f)
    tangent = -e.imag / e.real
    assert tangent.min() > 0.013
    assert tangent.max() < 0.017
    assert (np.diff(e.real) < 0).all()


def test_debye_is_causal() -> None:
    """Kramers and Kronig, local form: where the loss is flat it sets the slope of the real part."""
    model = WidebandDebye.through(4.0, 0.02, GHZ)
    f = np.geomspace(1e6, 3e8, 9)
    h = 1e-4
    up, down = (model.permittivity(2j * np.pi * f * k).real for k in (1 + h, 1 - h))
    slope = (up - down) / (2 * h)
    loss = -model.permittivity(2j * np.pi * f).imag
    assert slope == pytest.approx(-2 / math.pi * loss, rel=5e-3)


@pytest.mark.parametrize(
    ("er", "df", "f", "words"),
    [
        (0.5, 0.01, GHZ, "Dk"),
        (math.nan, 0.01, GHZ, "Dk"),
        (4.0, -0.01, GHZ, "Df"),
        (4.0, 1.5, GHZ, "Df"),
        (4.0, 0.01, 0.0, "frequency"),
        (1.05, 0.4, GHZ, "stay above 1"),
    ],
)
def test_impossible_dielectrics_are_refused(er: float, df: float, f: float, words: str) -> None:
    with pytest.raises(NotPhysical, match=words):
        WidebandDebye.through(er, df, f)


def test_a_table_may_rise_by_its_scatter_and_no_more() -> None:
    def table(last: float) -> tuple[tuple[float, float, float], ...]:
        return ((1e9, 4.0, 0.02), (5e9, 3.9, 0.02), (10e9, last, 0.02))

    assert fit_dielectric(table(3.9 * 1.018)).dk_error < 0.03
    with pytest.raises(NotPhysical, match="causal: level or falling"):
        fit_dielectric(table(3.9 * 1.025))


def test_a_table_without_loss_is_met_by_its_mean() -> None:
    fit = fit_dielectric(((1e9, 4.0, 0.0), (5e9, 3.9, 0.0), (10e9, 3.8, 0.0)))
    assert fit.model == ConstantDielectric(pytest.approx(3.9))
    assert fit.dk_error == pytest.approx(3.9 / 3.8 - 1.0)
    assert fit.df_error == 0.0


def test_constant_dielectric_is_constant() -> None:
    assert ConstantDielectric(3.3).permittivity(np.array([1j, 1e9j])) == pytest.approx(3.3)


def test_lossless_line_delays_and_nothing_else() -> None:
    line = lossless_line(50.0)
    f = np.array([0.1, 1.0, 7.7]) * GHZ
    s = line.s_parameters(f, 1e-9, 50.0)
    assert np.abs(s[:, 0, 0]) == pytest.approx(0.0, abs=1e-12)
    assert s[:, 1, 0] == pytest.approx(np.exp(-2j * np.pi * f * 1e-9))


@pytest.mark.parametrize("z_ref", [50.0, 75.0, 10.0])
def test_s_agrees_with_abcd(z_ref: float) -> None:
    line, length = lossy(), 0.12
    f = np.geomspace(1e6, 2e10, 25)
    s = line.s_parameters(f, length, z_ref)
    a, b, c, d = (line.abcd(2j * np.pi * f, length)[:, i, j] for i in (0, 1) for j in (0, 1))
    total = a + b / z_ref + c * z_ref + d
    assert s[:, 0, 0] == pytest.approx((a + b / z_ref - c * z_ref - d) / total, rel=1e-9)
    assert s[:, 1, 0] == pytest.approx(2.0 / total, rel=1e-9)
    assert s[:, 0, 1] == pytest.approx(s[:, 1, 0])


def test_line_is_passive_even_when_very_long() -> None:
    s = lossy().s_parameters(np.geomspace(1e6, 1e11, 60), 30.0, 50.0)
    assert np.isfinite(s).all()
    assert (np.linalg.svd(s, compute_uv=False) <= 1 + 1e-12).all()


def test_skin_laws_meet_at_both_ends() -> None:
    root = lossy()
    added = Line(root.l_ext, root.capacitance, root.r_dc, root.k_skin, "sum")
    low, high = np.array([2j * np.pi * 10.0]), np.array([2j * np.pi * 1e12])
    assert root.series_impedance(low).real == pytest.approx(6.0, rel=1e-3)
    assert root.series_impedance(high).real == pytest.approx(1.2e-3 * 1e6, rel=1e-2)
    assert added.series_impedance(high).real == pytest.approx(6.0 + 1.2e-3 * 1e6, rel=1e-9)


def test_scaled_line_keeps_its_wave() -> None:
    line, twice = lossy(), lossy().scaled(2.0)
    f = np.array([1e8, 5e9])
    g1, z1 = line.propagation(2j * np.pi * f)
    g2, z2 = twice.propagation(2j * np.pi * f)
    assert g2 == pytest.approx(g1)
    assert z2 == pytest.approx(2 * z1)


def test_scaled_line_keeps_what_leaks() -> None:
    """A conductance that no frequency changes is most of what a slow wave loses."""
    line = replace(lossy(), g_dc=2e-3)
    s = 2j * np.pi * np.array([1e4, 1e6])
    g1, z1 = line.propagation(s)
    g2, z2 = line.scaled(2.0).propagation(s)
    assert g2 == pytest.approx(g1)
    assert z2 == pytest.approx(2 * z1)


@pytest.mark.parametrize("above", [30.0, 1e3, 3e4, 1e6])
def test_poles_far_above_are_still_what_they_are(above: float) -> None:
    """To a hundred-thousandth of each term, whatever stands beside it."""
    s = 2j * np.pi * np.array([1e7, 1e9])
    pole = above * abs(s[-1])
    exact = 3.0 * s / (s + pole)
    assert Ladder((pole,), (3.0,)).impedance(s) == pytest.approx(exact, rel=2e-5)


def test_delay_and_attenuation_have_their_units() -> None:
    line = lossless_line(50.0, 6e-9)
    assert line.delay_per_m(GHZ) == pytest.approx(6e-9)
    assert line.attenuation_db_per_m(np.array([GHZ])) == pytest.approx(0.0, abs=1e-9)
    assert line.s_parameters(np.array([GHZ]), 0.1)[0, 0, 0] == pytest.approx(0.0, abs=1e-12)
    decay = lossy().attenuation_db_per_m(np.array([GHZ, 10 * GHZ]))
    assert 2 < decay[0] < decay[1] < 60


@pytest.mark.parametrize(("z0", "delay"), [(0.0, 1.0), (-50.0, 1.0), (math.inf, 1.0), (50.0, 0.0)])
def test_impossible_lossless_lines_are_refused(z0: float, delay: float) -> None:
    with pytest.raises(NotPhysical):
        lossless_line(z0, delay)


@given(
    rows=arrays(float, (9, 5), elements=st.floats(-1.0, 1.0, width=16)),
    wanted=arrays(float, 9, elements=st.floats(-1.0, 1.0, width=16)),
)
@settings(max_examples=60)
def test_least_squares_without_negatives_is_as_near_as_any(rows, wanted) -> None:
    found = _not_negative(rows, wanted)
    assert found.min() >= 0.0
    _, least = nnls(rows, wanted)
    assert np.linalg.norm(rows @ found - wanted) == pytest.approx(least, rel=1e-6, abs=1e-7)


@pytest.mark.parametrize("seed", range(12))
def test_least_squares_without_negative_unknowns(seed: int) -> None:
    """Against another way to the same, on problems whose free answer has negative ones."""
    # Bells that overlap: what is taken up first is often given back.
    x, rng = np.linspace(0.0, 1.0, 30), np.random.default_rng(seed)
    rows = np.exp(-(((x[:, None] - np.linspace(0.0, 1.0, 8)) / 0.35) ** 2))
    wanted = rng.normal(size=30) + (x > 0.5)
    free = np.linalg.lstsq(rows, wanted, rcond=None)[0]
    found = _not_negative(rows, wanted)
    expected, rest = nnls(rows, wanted)
    assert free.min() < 0.0
    assert found.min() >= 0.0
    assert found == pytest.approx(expected, abs=1e-7)
    assert np.linalg.norm(rows @ found - wanted) == pytest.approx(rest, rel=1e-9)
