"""Modes of shielded sections against exact cut-offs and propagation constants."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
from scipy.optimize import brentq
from scipy.special import jvp, yvp

from onda.engine.constants import C0_M_PER_S
from onda.engine.section import Conductor, CrossSection, Layer, guided, solve_section, triangles
from onda.engine.section.guided import cut_offs, mode_fields, propagation
from onda.engine.section.modes import single_mode
from onda.engine.section.outlines import circle, rectangle
from onda.engine.section.triangles import fill_section
from onda.errors import NotPhysical

MM = 1e-3
GUIDE = CrossSection((), (Conductor("wall", rectangle(0.0, 0.0, 3 * MM, 1.3 * MM), "shield"),))


def coax(a: float, b: float, er: float) -> CrossSection:
    return CrossSection(
        (Layer(-2 * b, 2 * b, er, "fill"),),
        (Conductor("S", circle(0, 0, a)), Conductor("wall", circle(0, 0, b), "shield")),
    )


def te11(a: float, b: float, er: float) -> float:
    k = brentq(
        lambda k: jvp(1, k * a) * yvp(1, k * b) - jvp(1, k * b) * yvp(1, k * a),
        0.5 * 2 / (a + b),
        1.5 * 2 / (a + b),
    )
    return k * C0_M_PER_S / math.sqrt(er) / (2 * math.pi)


@pytest.mark.parametrize(("a", "b", "er"), [(0.2 * MM, 0.65 * MM, 2.1), (0.65 * MM, 1.5 * MM, 1.0)])
def test_coaxial_te11(a, b, er) -> None:
    exact = te11(a, b, er)
    _, modes = cut_offs(coax(a, b, er), 1.4 * exact)
    assert modes[0].kind == "TEM"
    assert [m.kind for m in modes[1:3]] == ["H", "H"]
    for m in modes[1:3]:
        assert m.frequency == pytest.approx(exact, rel=2e-3)


def test_rectangular_guide_has_all_its_modes() -> None:
    w, h = 3 * MM, 1.3 * MM
    exact = []
    top = 180e9
    for kind, first in (("H", 0), ("E", 1)):
        for m in range(first, 8):
            for n in range(first, 8):
                f = 0.5 * C0_M_PER_S * math.hypot(m / w, n / h)
                if 0 < f < top:
                    exact.append((f, kind))
    _, modes = cut_offs(GUIDE, top)
    assert len(modes) == len(exact)
    for found, (f, _) in zip(modes, sorted(exact), strict=True):
        assert found.frequency == pytest.approx(f, rel=2e-3)
    assert sorted(m.kind for m in modes) == sorted(k for _, k in exact)


def test_propagation_of_an_empty_guide() -> None:
    _, modes = cut_offs(GUIDE, 120e9)
    f = np.array([60e9, 110e9])
    beta = propagation(GUIDE, f, tuple(m.frequency for m in modes))
    for k, m in enumerate(modes):
        for i in range(2):
            if m.frequency < f[i]:
                exact = 2 * math.pi / C0_M_PER_S * math.sqrt(f[i] ** 2 - m.frequency**2)
                assert beta[i, k] == pytest.approx(exact, rel=5e-3)
            else:
                assert math.isnan(beta[i, k])


def test_coaxial_wave_travels_at_the_speed_of_its_dielectric() -> None:
    section = coax(0.2 * MM, 0.65 * MM, 2.1)
    beta = propagation(section, np.array([1e9, 30e9]), (0.0,))[:, 0]
    speed = 2 * math.pi * np.array([1e9, 30e9]) * math.sqrt(2.1) / C0_M_PER_S
    assert beta == pytest.approx(speed, rel=1e-4)


def test_low_down_a_boxed_trace_is_quasi_static() -> None:
    section = CrossSection(
        (Layer(0.0, 0.25 * MM, 3.5, "board"),),
        (
            Conductor("S", rectangle(-0.3 * MM, 0.25 * MM, 0.6 * MM, 0.035 * MM)),
            Conductor("wall", rectangle(-2 * MM, 0.0, 4 * MM, 2 * MM), "shield"),
        ),
    )
    beta = propagation(section, np.array([1e9, 20e9]), (0.0,))[:, 0]
    eeff = (beta * C0_M_PER_S / (2 * math.pi * np.array([1e9, 20e9]))) ** 2
    assert eeff[0] == pytest.approx(single_mode(solve_section(section)).eeff, rel=3e-3)
    # Dispersion pulls the field into the dielectric.
    assert eeff[1] > eeff[0]


WIDE, HIGH, FILLED_ER = 3 * MM, 1.4 * MM, 4.0
HALF_FILLED = CrossSection(
    (Layer(0.0, HIGH / 2, FILLED_ER, "fill"),),
    (Conductor("wall", rectangle(0, 0, WIDE, HIGH), "shield"),),
)


def half_filled_cut_offs(top: float) -> list[tuple[float, str]]:
    """Exact cut-offs of a guide filled in its lower half: at cut-off nothing varies along it, and
    across the width all goes by sine or cosine; over the height two pieces of wave meet in the
    middle, H and its slope over er, or E and its slope (Collin, Field Theory of Guided Waves
    (1991), section 6.1)."""
    half = 0.5 * HIGH

    def cotangent(k: complex) -> complex:
        return 1.0 / half if k == 0.0 else k / np.tan(k * half)

    def mismatch(kind: str, m: int, f: float) -> float:
        k2, across = (2 * math.pi * f / C0_M_PER_S) ** 2, (m * math.pi / WIDE) ** 2
        low, high = (np.sqrt(complex(er * k2 - across)) for er in (FILLED_ER, 1.0))
        if kind == "E":
            return float((cotangent(low) + cotangent(high)).real)
        return float((low * np.tan(low * half) / FILLED_ER + high * np.tan(high * half)).real)

    found = []
    grid = np.linspace(1e9, top, 4000)
    for kind, first in (("H", 0), ("E", 1)):
        for m in range(first, 9):
            values = [mismatch(kind, m, f) for f in grid]
            for a, b, u, v in zip(grid, grid[1:], values, values[1:], strict=False):
                # A pole turns the sign too; there the mismatch is large.
                if u * v < 0.0:
                    f = brentq(lambda x, kind=kind, m=m: mismatch(kind, m, x), a, b, xtol=1e3)
                    if abs(mismatch(kind, m, f)) < 1.0:
                        found.append((f, kind))
    return sorted(found)


def test_half_filled_guide_against_its_transcendental_equation() -> None:
    top = 130e9
    exact = half_filled_cut_offs(top)
    _, modes = cut_offs(HALF_FILLED, top)
    for kind in ("H", "E"):
        wanted = [f for f, which in exact if which == kind]
        assert len(wanted) >= 4
        assert [m.frequency for m in modes if m.kind == kind] == pytest.approx(wanted, rel=2e-3)


def test_across_a_boundary_the_electric_field_jumps_as_it_must() -> None:
    """What runs along the boundary of a filling is the same on both sides of it; what crosses it is
    smaller in the filling by its permittivity."""
    mesh, modes = cut_offs(HALF_FILLED, 60e9)
    (lowest, *_) = [m for m in modes if m.kind == "H"]
    picture = mode_fields(mesh, lowest, across=60)
    assert picture.along_is == "H"
    up = np.unique(picture.points[:, 1])
    below, above = up[up < 0.5 * HIGH][-1], up[up > 0.5 * HIGH][0]
    inside, outside = (np.abs(picture.electric[picture.points[:, 1] == y]) for y in (below, above))
    strong = inside[:, 1] > 0.5 * inside[:, 1].max()
    assert strong.sum() > 10
    assert outside[strong, 1] / inside[strong, 1] == pytest.approx(FILLED_ER, rel=0.1)


def test_waves_that_are_short_against_the_section_have_small_triangles() -> None:
    top = 450e9
    _, modes = cut_offs(GUIDE, top, most=60)
    exact = sorted(
        0.5 * C0_M_PER_S * math.hypot(m / (3 * MM), n / (1.3 * MM))
        for m in range(1, 10)
        for n in range(1, 5)
    )
    found = [m.frequency for m in modes if m.kind == "E"]
    wanted = [f for f in exact if f < top]
    assert len(wanted) > 15
    assert found == pytest.approx(wanted, rel=5e-4)


def test_triangles_fill_exactly_what_is_inside() -> None:
    section = coax(0.2 * MM, 0.65 * MM, 2.1)
    mesh = fill_section(section, 0.1 * MM)
    a, b, c = (mesh.points[:, mesh.corners[k]] for k in range(3))
    area = 0.5 * np.abs((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])).sum()
    outer, inner = (shapely.Polygon(x.polygon).area for x in reversed(section.conductors))
    assert area == pytest.approx(outer - inner, rel=1e-9)
    assert set(mesh.er) == {2.1}


@pytest.mark.parametrize("index", [0, 1, 3])
def test_fields_lie_inside_and_are_normed(index) -> None:
    section = coax(0.2 * MM, 0.65 * MM, 2.1)
    mesh, modes = cut_offs(section, 260e9)
    picture = mode_fields(mesh, modes[index])
    radius = np.hypot(*picture.points.T)
    assert np.all((radius > 0.19 * MM) & (radius < 0.66 * MM))
    strongest = np.hypot(*picture.electric.T).max()
    assert strongest == pytest.approx(1.0) or modes[index].kind == "E"
    if modes[index].kind == "TEM":
        # The field is radial and strongest at the inner conductor.
        radial = np.abs((picture.electric * picture.points).sum(axis=1)) / radius
        assert radial == pytest.approx(np.hypot(*picture.electric.T), abs=0.12)


def test_open_sections_and_bad_frequencies_are_refused() -> None:
    open_ = CrossSection((), (Conductor("S", circle(0, MM, 1e-4)),), (0.0,))
    with pytest.raises(NotPhysical, match="closed by a shield"):
        cut_offs(open_, 1e9)
    with pytest.raises(NotPhysical, match="closed by a shield"):
        fill_section(open_, 1e-4)
    with pytest.raises(NotPhysical, match="highest frequency"):
        cut_offs(GUIDE, 0.0)
    with pytest.raises(NotPhysical, match="frequency"):
        propagation(GUIDE, np.array([-1.0]), (0.0,))


L_SHAPE = CrossSection(
    (),
    (
        Conductor(
            "wall", ((-MM, -MM), (MM, -MM), (MM, 0.0), (0.0, 0.0), (0.0, MM), (-MM, MM)), "shield"
        ),
    ),
)
# Eigenvalues of the Laplace operator on this L, its short sides 1: fixed walls from Fox, Henrici
# and Moler, SIAM J. Numer. Anal. 4 (1967) 89; free walls from Dauge's public benchmark.
L_FIXED = (9.6397238440, 15.1972519264, 2.0 * math.pi**2, 29.5214811141)
L_FREE = (1.47562182408, 3.53403136678, math.pi**2, math.pi**2, 11.3894793979)


def test_a_wall_with_an_edge_that_juts_in() -> None:
    unit = C0_M_PER_S / (2.0 * math.pi * MM)
    _, modes = cut_offs(L_SHAPE, unit * math.sqrt(31.0))
    for kind, exact in (("E", L_FIXED), ("H", L_FREE)):
        found = [(m.frequency / unit) ** 2 for m in modes if m.kind == kind]
        assert found[: len(exact)] == pytest.approx(exact, rel=8e-4)
        # The lowest has the strongest field at the edge: 0.29 % off without small triangles there.
        assert found[0] == pytest.approx(exact[0], rel=3e-4)


def test_waves_beside_such_an_edge() -> None:
    _, modes = cut_offs(L_SHAPE, 240e9)
    f = 250e9
    (beta,) = propagation(L_SHAPE, np.array([f]), tuple(m.frequency for m in modes))
    exact = [math.sqrt(f**2 - m.frequency**2) * 2 * math.pi / C0_M_PER_S for m in modes]
    assert beta == pytest.approx(exact, rel=2e-3)


def ridge(gap: float) -> CrossSection:
    w, h, s = 10 * MM, 10 * MM, 2.5 * MM
    wall = ((-w, 0), (w, 0), (w, h), (s, h), (s, gap), (-s, gap), (-s, h), (-w, h))
    return CrossSection((), (Conductor("wall", wall, "shield"),))


@pytest.mark.parametrize("gap", [0.3 * MM, 2 * MM])
def test_a_ridge_against_a_mesh_of_a_third_of_the_size(gap, monkeypatch) -> None:
    _, modes = cut_offs(ridge(gap), 20e9)
    monkeypatch.setattr(triangles, "_EDGE", 1e-4)
    monkeypatch.setattr(triangles, "_EDGE_GROWTH", 0.25)
    monkeypatch.setattr(guided, "_PER_WAVELENGTH", 3 * 7.0)
    _, finer = cut_offs(ridge(gap), 20e9)
    assert [m.kind for m in modes] == [m.kind for m in finer]
    found = [m.frequency for m in modes]
    assert found == pytest.approx([m.frequency for m in finer], rel=1e-3)
    # 1.1 % at the narrow gap before edges had triangles of their own.
    assert found[0] == pytest.approx(finer[0].frequency, rel=2e-4)
