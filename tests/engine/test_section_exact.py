"""The section solver against closed forms and against laws that every section obeys."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.engine.constants import C0_M_PER_S, EPS0_F_PER_M
from onda.engine.section import Conductor, CrossSection, Layer, Region, solve_section
from onda.engine.section.modes import pair_modes, single_mode
from onda.engine.section.section_kernels import evaluate
from onda.errors import NotPhysical
from tests.shapes import UM, box, microstrip, microstrip_pair, round_wire, stripline


def moved(section: CrossSection, dx: float = 0.0, dy: float = 0.0, k: float = 1.0) -> CrossSection:
    def at(polygon):
        return tuple((k * x + dx, k * y + dy) for x, y in polygon)

    return CrossSection(
        tuple(Layer(k * v.y0 + dy, k * v.y1 + dy, v.er, v.material) for v in section.layers),
        tuple(Conductor(c.name, at(c.polygon), c.role) for c in section.conductors),
        tuple(k * p + dy for p in section.planes),
        tuple(Region(at(r.polygon), r.er, r.material) for r in section.regions),
    )


@pytest.mark.parametrize("height_over_radius", [1.5, 3.0, 10.0])
def test_round_wire_over_plane_meets_closed_form(height_over_radius: float) -> None:
    """C = 2 pi eps0 / acosh(h/r); the 48-sided polygon costs under 0.2 %."""
    r = 50 * UM
    h = height_over_radius * r
    wire = Conductor("S", round_wire(0.0, h, r))
    result = solve_section(CrossSection((), (wire,), (0.0,)), per_piece=3)
    exact = 2 * math.pi * EPS0_F_PER_M / math.acosh(h / r)
    assert result.c[0, 0] == pytest.approx(exact, rel=2e-3)


def test_two_wires_without_a_plane_meet_closed_form() -> None:
    """C = pi eps0 / acosh(d/2r), with the return in the second wire and no plane at all."""
    r, d = 50 * UM, 260 * UM
    go = Conductor("S", round_wire(-d / 2, 0.0, r))
    back = Conductor("G", round_wire(d / 2, 0.0, r), "ground")
    result = solve_section(CrossSection((), (go, back)), per_piece=3)
    exact = math.pi * EPS0_F_PER_M / math.acosh(d / (2 * r))
    assert result.c[0, 0] == pytest.approx(exact, rel=2e-3)


def test_wide_strip_between_planes_tends_to_the_plate_capacitor() -> None:
    """From one width to the next only plate area is added: dC/dw = 2 eps / s."""
    s, t, er = 100 * UM, 18 * UM, 3.5
    b = 2 * s + t

    def c(width: float) -> float:
        trace = Conductor("S", box(-width / 2, s, width, t))
        return float(solve_section(CrossSection((Layer(0.0, b, er),), (trace,), (0.0, b))).c[0, 0])

    slope = (c(2.2e-3) - c(2.0e-3)) / 0.2e-3
    assert slope == pytest.approx(2 * er * EPS0_F_PER_M / s, rel=3e-3)


def test_uniform_dielectric_scales_capacitance_exactly() -> None:
    result = solve_section(stripline(3.7))
    assert result.c == pytest.approx(3.7 * result.c0, rel=1e-10)
    mode = single_mode(result)
    assert mode.eeff == pytest.approx(3.7, rel=1e-10)
    assert mode.delay == pytest.approx(math.sqrt(3.7) / C0_M_PER_S, rel=1e-10)


@pytest.mark.parametrize("make", [microstrip, microstrip_pair, stripline])
def test_size_and_place_do_not_matter(make) -> None:
    """Capacitance per length depends on shape only; a shift or a scale changes nothing."""
    section = make()
    here = solve_section(section)
    for other in (
        moved(section, dx=3e-3, dy=1e-3),
        moved(section, k=25.0),
    ):
        there = solve_section(other)
        assert there.c == pytest.approx(here.c, rel=1e-6)
        assert there.l_ext == pytest.approx(here.l_ext, rel=1e-6)


@pytest.mark.parametrize("make", [microstrip, microstrip_pair])
def test_upside_down_is_the_same(make) -> None:
    """A plane above instead of below, everything mirrored, gives the same answer."""
    section = make()
    flipped = CrossSection(
        tuple(Layer(-v.y1, -v.y0, v.er, v.material) for v in section.layers),
        tuple(
            Conductor(c.name, tuple((x, -y) for x, y in c.polygon[::-1]))
            for c in section.conductors
        ),
        tuple(-p for p in section.planes),
    )
    assert solve_section(flipped).c == pytest.approx(solve_section(section).c, rel=1e-6)


@pytest.mark.parametrize("make", [microstrip, microstrip_pair, stripline])
def test_half_by_symmetry_agrees_with_the_whole(make) -> None:
    """A change of a millionth breaks the mirror symmetry and takes the other way through."""
    section = make()
    first = section.conductors[0]
    (x, y), *rest = first.polygon
    broken = replace(
        section,
        conductors=(replace(first, polygon=((x * (1 + 1e-6), y), *rest)), *section.conductors[1:]),
    )
    half, whole = solve_section(section, per_piece=7), solve_section(broken, per_piece=7)
    allowed = 2.0 * (half.error + whole.error)
    assert allowed < 4e-3
    for a, b in ((half.c, whole.c), (half.c0, whole.c0), (half.c_share, whole.c_share)):
        assert np.abs(a - b).max() < allowed * np.abs(b).max()


def test_interface_that_touches_no_conductor_counts() -> None:
    """A slab above the trace, away from it, raises the capacitance; a slab of air does not."""
    bare = microstrip()
    covered = replace(bare, layers=(*bare.layers, Layer(160 * UM, 400 * UM, 4.2, "cover")))
    airy = replace(bare, layers=(*bare.layers, Layer(160 * UM, 400 * UM, 1.0, "air")))
    c_bare, c_covered, c_airy = (float(solve_section(s).c[0, 0]) for s in (bare, covered, airy))
    assert c_airy == pytest.approx(c_bare, rel=1e-6)
    assert 1.02 * c_bare < c_covered < 1.4 * c_bare


@pytest.mark.parametrize("make", [microstrip, microstrip_pair])
def test_share_of_a_material_is_the_derivative(make) -> None:
    """er dC/d(er) by the adjoint agrees with solving again at a slightly other er."""
    section = make()
    result = solve_section(section, per_piece=8)
    k = 1.005
    up = solve_section(
        replace(section, layers=(replace(section.layers[0], er=section.layers[0].er * k),)),
        per_piece=8,
    )
    by_difference = (up.c - result.c) / (k - 1.0)
    assert result.materials == ("board",)
    scale = np.abs(by_difference).max()
    assert np.abs(result.c_share[0] - by_difference).max() < 8e-3 * scale


def test_matrices_are_those_of_a_passive_line() -> None:
    result = solve_section(microstrip_pair())
    for matrix in (result.c, result.c0):
        assert matrix == pytest.approx(matrix.T)
        assert (np.linalg.eigvalsh(matrix) > 0).all()
        assert matrix[0, 1] < 0
        assert (matrix.sum(axis=1) > 0).all()
    assert (result.l_ext > 0).all()
    assert result.l_ext @ result.c0 == pytest.approx(np.eye(2) / C0_M_PER_S**2, abs=1e-24)


def test_tight_pair_couples_more_than_a_wide_one() -> None:
    couplings = [
        pair_modes(solve_section(microstrip_pair(g * UM))).coupling for g in (80, 160, 400)
    ]
    assert couplings == sorted(couplings, reverse=True)
    assert couplings[-1] < 0.06


def test_far_pair_is_two_single_lines() -> None:
    pair = pair_modes(solve_section(microstrip_pair(8e-3)))
    assert pair.odd.z0 == pytest.approx(pair.even.z0, rel=2e-3)


@pytest.mark.parametrize("make", [microstrip, microstrip_pair, stripline])
def test_potential_on_conductors_is_what_was_asked(make) -> None:
    """The charges found make 1 V on the driven conductor and 0 V on the plane and the others."""
    section = make()
    charges = solve_section(section, per_piece=8).charges
    middle = 0.5 * (charges.start + charges.end)
    n = len(section.signals)
    volts = evaluate(
        np.ascontiguousarray(middle[charges.conductor >= 0]),
        charges.start,
        charges.end,
        charges.sigma,
        charges.images,
        charges.spacing,
    )[..., 0]
    on = charges.conductor[charges.conductor >= 0]
    for k in range(n):
        assert volts[on == k, k] == pytest.approx(1.0, abs=1e-9)
        assert volts[on != k, k] == pytest.approx(0.0, abs=1e-9)
    plane = evaluate(
        np.array([[0.0, 0.0], [1e-3, 0.0]]),
        charges.start,
        charges.end,
        charges.sigma,
        charges.images,
        charges.spacing,
    )[..., 0]
    # Between two planes the far images are integrated by points, hence not to rounding.
    assert plane == pytest.approx(0.0, abs=1e-12 if charges.images == 1 else 1e-5)


def test_quick_answer_is_close_to_the_careful_one() -> None:
    for make in (microstrip, microstrip_pair, stripline):
        section = make()
        quick, careful = solve_section(section, quick=True), solve_section(section)
        assert quick.c == pytest.approx(careful.c, rel=4e-3)


def test_estimated_error_is_honest() -> None:
    """The true error, against a much finer solution, is not far above the estimate."""
    for make in (microstrip, microstrip_pair, stripline):
        coarse, fine = solve_section(make()), solve_section(make(), per_piece=16)
        true = np.abs(coarse.c - fine.c).max() / np.abs(fine.c).max()
        assert true < 2.0 * coarse.error
        assert coarse.error < 2e-3


@pytest.mark.parametrize(
    ("section", "words"),
    [
        (CrossSection((), ()), "at least one signal"),
        (CrossSection((), (Conductor("S", box(0, 1e-4, 1e-4, 2e-5)),)), "no plane"),
        (microstrip(er=0.5), "between 1 and"),
        (microstrip(er=math.nan), "between 1 and"),
        (microstrip(width=0.0), "no area"),
        (replace(microstrip(), planes=(120 * UM,)), "touches the plane"),
        (replace(microstrip(), layers=(Layer(1e-4, 0.0, 4.0),)), "y1 above y0"),
        (
            CrossSection(
                (),
                (
                    Conductor("A", box(0, 1e-4, 1e-4, 2e-5)),
                    Conductor("B", box(5e-5, 1e-4, 1e-4, 2e-5)),
                ),
                (0.0,),
            ),
            "overlapping",
        ),
        (
            CrossSection(
                (), (Conductor("S", ((0, 1e-4), (1e-4, 2e-4), (1e-4, 1e-4), (0, 2e-4))),), (0.0,)
            ),
            "no area|crosses itself",
        ),
        (
            CrossSection(
                (), (Conductor("S", ((0.0, 1e-4), (1e-4, math.inf), (1e-4, 1e-4))),), (0.0,)
            ),
            "finite",
        ),
    ],
)
def test_impossible_sections_are_refused(section: CrossSection, words: str) -> None:
    with pytest.raises(NotPhysical, match=words):
        solve_section(section)
