"""Real copper in a line: ladders through filaments, roughness, temperature, causality."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.causality import kramers_kronig_error
from onda.engine.constants import COPPER_RESISTIVITY_OHM_M
from onda.engine.lines import CapacitancePart, Ladder, Line
from onda.engine.materials import WidebandDebye
from onda.engine.roughness import Hammerstad, Huray, copper_resistivity, skin_depth
from onda.engine.section import Conductor, CrossSection, solve_section
from onda.engine.section.copper import copper_impedance, fit_ladder, rough_ladder
from onda.engine.section.crowding import loop_impedance
from onda.engine.section.outlines import circle, rectangle
from onda.engine.section.resistance import SURFACES, resistance
from onda.engine.section.structures import Slab, TraceShape, trace_section
from onda.errors import NotPhysical
from tests.shapes import microstrip

RHO = COPPER_RESISTIVITY_OHM_M
F = np.geomspace(1e6, 1e11, 31)
S = 2j * np.pi * F


@pytest.fixture(scope="module")
def copper():
    section = microstrip()
    solved = solve_section(section)
    losses = resistance(section, solved, RHO)
    frequency, z, r_dc = copper_impedance(section, RHO, plane_below=35e-6, plane_above=0.0)
    k = float(losses.k_skin[0, 0])
    fit = fit_ladder(frequency, z[:, 0, 0], float(r_dc[0, 0]), k)
    return section, solved, losses, frequency, z[:, 0, 0], fit


def test_ladder_goes_through_its_samples(copper) -> None:
    *_, frequency, z, fit = copper
    assert fit.error < 3e-3
    r = fit.r_dc + fit.ladder.impedance(2j * np.pi * frequency).real
    assert r == pytest.approx(z.real, rel=3e-3)


def test_ladder_and_external_inductance_give_the_filaments_inductance(copper) -> None:
    _, solved, _, frequency, z, fit = copper
    w = 2 * np.pi * frequency
    found = solved.l_ext[0, 0] + fit.ladder.impedance(1j * w).imag / w
    assert found == pytest.approx(z.imag / w, rel=1e-2)


def test_high_up_resistance_tends_to_the_surface_current(copper) -> None:
    *_, losses, _, _, fit = copper
    f = np.array([40e9])
    r = fit.r_dc + fit.ladder.impedance(2j * np.pi * f).real
    assert r == pytest.approx(losses.k_skin[0, 0] * np.sqrt(f), rel=0.03)


def test_surfaces_share_the_skin_loss(copper) -> None:
    *_, losses, _, _, _ = copper
    assert set(losses.k_by_surface) <= set(SURFACES)
    total = sum(float(v[0, 0]) for v in losses.k_by_surface.values())
    assert total == pytest.approx(float(losses.k_skin[0, 0]), rel=1e-9)
    # A microstrip's current sits on the face towards its plane.
    assert losses.k_by_surface["bottom"][0, 0] > losses.k_by_surface["top"][0, 0]


def test_ladder_is_passive_and_causal(copper) -> None:
    *_, fit = copper
    assert min(fit.ladder.resistances) > 0
    assert min(fit.ladder.poles) > 0
    assert np.all(fit.ladder.impedance(S).real > 0)
    dielectric = WidebandDebye.through(4.0, 0.02, 1e9)
    line = Line(3e-7, (CapacitancePart(1.2e-10, 4.0, dielectric),), 3.0, ladders=(fit.ladder,))
    assert kramers_kronig_error(line, np.geomspace(1e6, 4e10, 12)) < 1e-5


def test_kramers_kronig_finds_a_line_that_is_not_causal() -> None:
    """Constant loss tangent with constant permittivity is the textbook case."""

    class Constant:
        r_dc = 0.0

        def series_impedance(self, s):
            return s * 3e-7

        def shunt_admittance(self, s):
            return s * 1.2e-10 * (1 - 0.02j * np.sign(s.imag))

    assert kramers_kronig_error(Constant(), np.geomspace(1e6, 1e10, 9)) > 0.05  # type: ignore[arg-type]


@pytest.mark.parametrize("rz", [1e-6, 3e-6, 9e-6])
def test_rough_ladder_against_the_causal_snowballs(rz) -> None:
    """Fitted to the resistance alone, its inductance is that of the analytic form."""
    model, k = Huray.from_rz(rz), 1e-3
    exact = k * np.sqrt(F) * (1 + 1j) * (model.causal_factor(S, RHO) - 1.0)
    smooth = k * np.sqrt(F)
    found = rough_ladder(k, model, RHO).impedance(S)
    assert np.max(np.abs(found - exact) / (smooth + np.abs(exact))) < 5e-3


def test_real_part_of_the_causal_factor_is_the_published_one() -> None:
    model = Huray.from_rz(4e-6)
    extra = ((1 + 1j) * model.causal_factor(S, RHO)).real
    assert extra == pytest.approx(model.factor(skin_depth(F, RHO)), rel=1e-9)


def test_hammerstad_saturates_at_two_and_starts_at_one() -> None:
    model = Hammerstad.from_rz(10e-6)
    assert model.factor(np.array([1e-9])) == pytest.approx([2.0], abs=1e-3)
    assert model.factor(np.array([1e-3])) == pytest.approx([1.0], abs=1e-3)
    assert model.rq == pytest.approx(10e-6 / (2 * math.sqrt(3)))


def test_smooth_copper_adds_nothing() -> None:
    for model in (Hammerstad.from_rz(0.0), Huray.from_rz(0.0)):
        assert rough_ladder(1e-3, model, RHO) == Ladder((), ())
    assert Huray.from_rz(0.0).causal_factor(S, RHO) == pytest.approx(1.0)


def test_roughness_slows_the_line() -> None:
    parts = (CapacitancePart(1.2e-10),)
    smooth = Line(3e-7, parts, 3.0, 1e-3)
    rough = Line(3e-7, parts, 3.0, 1e-3, ladders=(rough_ladder(1e-3, Huray.from_rz(5e-6), RHO),))
    assert rough.delay_per_m(5e9) > 1.002 * smooth.delay_per_m(5e9)


def test_copper_against_temperature() -> None:
    assert copper_resistivity(120.0) == pytest.approx(1.393 * RHO)
    with pytest.raises(NotPhysical, match="temperature"):
        copper_resistivity(-273.0)


@pytest.mark.parametrize("bad", [-1e-6, math.nan, 1.0])
def test_roughness_out_of_range(bad) -> None:
    with pytest.raises(NotPhysical, match="Rz"):
        Huray.from_rz(bad)


def test_closed_shields_have_no_filaments() -> None:
    section = CrossSection(
        (), (Conductor("S", circle(0, 0, 1e-4)), Conductor("w", circle(0, 0, 4e-4), "shield"))
    )
    with pytest.raises(NotPhysical, match="closed shield"):
        copper_impedance(section, RHO, plane_below=1e-5, plane_above=1e-5)


def test_at_rest_a_plane_carries_the_return_for_next_to_nothing() -> None:
    """A wide trace close over its plane: the trace's own resistance and a percent or two."""
    shape = TraceShape(300e-6, 35e-6, 5e-6)
    section = trace_section(shape, below=(Slab(60e-6, 4.0, "core"),))
    rho = 1.72e-8
    area = 35e-6 * (300e-6 - 5e-6)
    frequency, z, r_dc = copper_impedance(section, rho, plane_below=35e-6, plane_above=35e-6)
    assert r_dc[0, 0] == pytest.approx(rho / area, rel=0.02)
    assert r_dc[0, 0] > rho / area
    # From some ten kilohertz on the current lies near the trace, and a plane of 36 mm is as good.
    near = loop_impedance(
        (
            *section.conductors,
            Conductor("plane", rectangle(-18e-3, -35e-6, 36e-3, 35e-6), "ground"),
        ),
        rho,
        frequency[2:6],
        fineness=2.0,
    )
    assert z[2:6, 0, 0].real == pytest.approx(near.r[:, 0, 0], rel=0.01)
