"""Round conductors and closed shields against exact solutions."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.section import Conductor, CrossSection, Layer, solve_section
from onda.engine.section.modes import single_mode
from onda.engine.section.outlines import circle, rectangle, trapezoid
from onda.errors import NotPhysical

ETA_OVER_2PI = 59.9584916
MM = 1e-3


def impedance(section: CrossSection) -> float:
    result = solve_section(section)
    assert result.error < 2e-3
    return single_mode(result).z0


def coax(inner: float, outer: float, er: float = 1.0, shift: float = 0.0) -> CrossSection:
    return CrossSection(
        (Layer(-2 * outer, 2 * outer, er, "fill"),),
        (
            Conductor("S", circle(shift, 0.0, inner)),
            Conductor("wall", circle(0.0, 0.0, outer), "shield"),
        ),
    )


@pytest.mark.parametrize("er", [1.0, 2.1])
@pytest.mark.parametrize(("inner", "outer"), [(0.2 * MM, 0.65 * MM), (0.4 * MM, 0.5 * MM)])
def test_coaxial_line(inner, outer, er) -> None:
    exact = ETA_OVER_2PI * math.log(outer / inner) / math.sqrt(er)
    assert impedance(coax(inner, outer, er)) == pytest.approx(exact, rel=5e-4)


def test_eccentric_coaxial_line() -> None:
    a, b, d = 0.2 * MM, 0.65 * MM, 0.2 * MM
    exact = ETA_OVER_2PI * math.acosh((a * a + b * b - d * d) / (2 * a * b))
    assert impedance(coax(a, b, shift=d)) == pytest.approx(exact, rel=5e-4)


def test_square_in_square() -> None:
    """C/eps = 10.2341 for sides 1 : 2 (conformal mapping)."""
    section = CrossSection(
        (),
        (
            Conductor("S", rectangle(-0.25 * MM, -0.25 * MM, 0.5 * MM, 0.5 * MM)),
            Conductor("wall", rectangle(-0.5 * MM, -0.5 * MM, MM, MM), "shield"),
        ),
    )
    assert impedance(section) == pytest.approx(376.730313 / 10.23409, rel=5e-4)


def test_wire_over_plane() -> None:
    section = CrossSection((), (Conductor("S", circle(0.0, MM, 0.2 * MM)),), (0.0,))
    assert impedance(section) == pytest.approx(ETA_OVER_2PI * math.acosh(5.0), rel=2e-4)


def test_shield_far_away_is_like_none() -> None:
    layer = Layer(0.0, 0.1 * MM, 4.0, "board")
    trace = Conductor("S", rectangle(-0.1 * MM, 0.1 * MM, 0.2 * MM, 0.035 * MM))
    wall = Conductor("wall", rectangle(-4 * MM, 0.0, 8 * MM, 5 * MM), "shield")
    open_ = impedance(CrossSection((layer,), (trace,), (0.0,)))
    assert impedance(CrossSection((layer,), (trace, wall))) == pytest.approx(open_, rel=2e-3)


def test_circle_stands_for_its_capacity() -> None:
    for corners in (12, 48, 200):
        p = np.array(circle(1.0, 2.0, 3.0, corners))
        radius = np.hypot(p[:, 0] - 1.0, p[:, 1] - 2.0)
        assert np.ptp(radius) < 1e-12
        assert 3.0 < radius[0] < 3.0 / math.cos(math.pi / corners)


def test_trapezoid_either_way_up() -> None:
    down = trapezoid(0.0, 0.0, 4.0, 1.0, 0.5, base_up=False)
    up = trapezoid(0.0, 0.0, 4.0, 1.0, 0.5, base_up=True)
    assert [x for x, _ in down] == [0.0, 4.0, 3.5, 0.5]
    assert [x for x, _ in up] == [0.5, 3.5, 4.0, 0.0]


WALL = Conductor("wall", rectangle(-1 * MM, 0.0, 2 * MM, 2 * MM), "shield")


@pytest.mark.parametrize(
    ("section", "words"),
    [
        (
            CrossSection((), (Conductor("S", rectangle(2 * MM, 0, MM, MM)), WALL)),
            "touches shield wall",
        ),
        (
            CrossSection((), (Conductor("S", rectangle(0.5 * MM, MM, MM, 0.2 * MM)), WALL)),
            "touches shield wall",
        ),
        (
            CrossSection((), (Conductor("S", circle(0, MM, 0.1 * MM)), WALL), (-1.0,)),
            "one, alone",
        ),
        (CrossSection((), (WALL,)), "at least one signal"),
    ],
)
def test_what_cannot_be_closed_in(section, words) -> None:
    with pytest.raises(NotPhysical, match=words):
        solve_section(section)


def test_radius_must_be_above_zero() -> None:
    with pytest.raises(NotPhysical, match="radius"):
        circle(0.0, 0.0, 0.0)
