"""Structures, fit, resistance and field lines."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.engine.constants import COPPER_RESISTIVITY_OHM_M, MU0_H_PER_M
from onda.engine.section import Conductor, CrossSection, solve_section
from onda.engine.section.field import field_lines
from onda.engine.section.fit import fit_dimension
from onda.engine.section.geometry import Region, inside_polygon, polygon_area
from onda.engine.section.modes import pair_modes, single_mode
from onda.engine.section.resistance import resistance
from onda.engine.section.structures import Coating, Slab, TraceShape, trace_section
from onda.errors import NotPhysical, OutOfReach
from tests.shapes import UM, box, microstrip, microstrip_pair, round_wire

BOARD = Slab(102 * UM, 3.64, "prepreg")
MASK = Coating(25 * UM, 14 * UM, 12 * UM, 3.5, "mask")
TRACE = TraceShape(124 * UM, 43 * UM, 12 * UM)


def z_of(section: CrossSection) -> float:
    return single_mode(solve_section(section)).z0


def test_coating_lowers_the_impedance_by_some_ohms() -> None:
    bare = z_of(trace_section(TRACE, below=(BOARD,)))
    coated = z_of(trace_section(TRACE, below=(BOARD,), coating=MASK))
    assert 1.0 < bare - coated < 5.0


def test_each_dimension_moves_impedance_the_right_way() -> None:
    base = z_of(trace_section(TRACE, below=(BOARD,)))
    assert z_of(trace_section(replace(TRACE, width=150 * UM), below=(BOARD,))) < base
    assert z_of(trace_section(TRACE, below=(replace(BOARD, thickness=130 * UM),))) > base
    assert z_of(trace_section(TRACE, below=(replace(BOARD, er=4.2),))) < base
    assert z_of(trace_section(replace(TRACE, undercut=20 * UM), below=(BOARD,))) > base


def test_trapezoid_either_way_up() -> None:
    """Turning the trapezoid over puts its wide face away from the plane: less capacitance."""
    slabs = {"below": (BOARD,), "above": (BOARD,), "beside": BOARD, "plane_above": True}
    down = trace_section(TRACE, **slabs)
    up = trace_section(replace(TRACE, base_up=True), **slabs)
    assert polygon_area(down.conductors[0].polygon) == pytest.approx(
        polygon_area(up.conductors[0].polygon)
    )
    # Between equal planes the two are each other's mirror image.
    assert z_of(up) == pytest.approx(z_of(down), rel=1e-4)
    lopsided = slabs | {"above": (replace(BOARD, thickness=400 * UM),)}
    assert z_of(trace_section(replace(TRACE, base_up=True), **lopsided)) > z_of(
        trace_section(TRACE, **lopsided)
    )


def test_pair_is_drawn_with_its_gap_between_the_bases() -> None:
    section = trace_section(replace(TRACE, gap=150 * UM), below=(BOARD,), coating=MASK)
    left, right = section.conductors
    assert max(x for x, _ in left.polygon) == pytest.approx(-75 * UM)
    assert min(x for x, _ in right.polygon) == pytest.approx(75 * UM)
    assert section.signals == ("P", "N")
    assert len(section.regions) == 2


def test_overlapping_coatings_of_a_tight_pair_are_no_problem() -> None:
    section = trace_section(replace(TRACE, gap=15 * UM), below=(BOARD,), coating=MASK)
    assert pair_modes(solve_section(section, wanted_error=5e-3)).odd.z0 > 10


def test_of_regions_that_overlap_the_later_one_counts() -> None:
    """Drawn whole and then overlaid, or cut out by hand: the same section."""
    bare = microstrip(60 * UM, 4.0, 100 * UM)
    low, high = 100 * UM, 240 * UM
    across = ((-400 * UM, low), (400 * UM, low), (400 * UM, high), (-400 * UM, high))
    middle = ((-120 * UM, low), (120 * UM, low), (120 * UM, high), (-120 * UM, high))
    left = ((-400 * UM, low), (-120 * UM, low), (-120 * UM, high), (-400 * UM, high))
    right = tuple((-x, y) for x, y in reversed(left))

    def over(*regions: Region) -> float:
        return z_of(replace(bare, regions=regions))

    apart = over(Region(left, 3.0, "a"), Region(right, 3.0, "a"), Region(middle, 9.0, "b"))
    assert over(Region(across, 3.0, "a"), Region(middle, 9.0, "b")) == pytest.approx(
        apart, rel=2e-3
    )
    assert over(Region(middle, 9.0, "b"), Region(across, 3.0, "a")) > 1.02 * apart


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"width": 0.0}, "width"),
        ({"width": -1e-4}, "width"),
        ({"width": math.nan}, "width"),
        ({"width": 1.0}, "100 mm"),
        ({"thickness": 0.0}, "thickness"),
        ({"gap": 0.0}, "gap"),
        ({"gap": -5e-5}, "gap"),
        ({"undercut": 62 * UM}, "twice the undercut"),
        ({"undercut": -1e-6}, "undercut"),
    ],
)
def test_impossible_traces_are_refused(change: dict, words: str) -> None:
    with pytest.raises(NotPhysical, match=words):
        trace_section(replace(TRACE, **change), below=(BOARD,))


def test_trace_without_any_plane_is_refused() -> None:
    with pytest.raises(NotPhysical, match="a plane or coplanar grounds"):
        trace_section(TRACE, below=(BOARD,), plane_below=False)


def test_coating_belongs_on_the_outside() -> None:
    with pytest.raises(NotPhysical, match="outer layer"):
        trace_section(TRACE, below=(BOARD,), above=(BOARD,), coating=MASK)
    with pytest.raises(NotPhysical, match="beside"):
        trace_section(TRACE, below=(BOARD,), coating=replace(MASK, beside=0.0))


def test_fit_finds_the_width() -> None:
    def value_at(width: float) -> float:
        return z_of(trace_section(replace(TRACE, width=width), below=(BOARD,)))

    width = fit_dimension(value_at, 50.0, low=40 * UM, high=1e-3, start=124 * UM)
    assert value_at(width) == pytest.approx(50.0, rel=2e-4)


def test_fit_from_a_useless_start_brackets() -> None:
    found = fit_dimension(lambda x: 100.0 / (1 + x / UM) ** 0.2, 55.0, low=UM, high=1.0, start=1e-6)
    assert 100.0 / (1 + found / UM) ** 0.2 == pytest.approx(55.0, rel=1e-4)


def test_fit_out_of_reach_names_the_nearest() -> None:
    with pytest.raises(
        OutOfReach, match=r"nearest is 70 Ω.*smallest width allowed, 100 µm"
    ) as info:
        fit_dimension(lambda w: 70.0 * (100 * UM / w) ** 0.4, 90.0, low=100 * UM, high=1e-3)
    assert info.value.nearest == pytest.approx(70.0)
    assert info.value.limit == "smallest width"


@pytest.mark.parametrize("target", [0.0, -50.0, math.nan, math.inf])
def test_fit_refuses_targets_that_are_none(target: float) -> None:
    with pytest.raises(NotPhysical, match="target"):
        fit_dimension(lambda w: 1.0 / w, target, low=1e-5, high=1e-3)


def test_skin_resistance_of_a_wire_over_a_plane() -> None:
    """Closed form, a^2 = h^2 - r^2: the wire crowds by h/a, the plane adds Rs/(2 pi a)."""
    r, h = 50 * UM, 150 * UM
    section = CrossSection((), (Conductor("S", round_wire(0.0, h, r, 64)),), (0.0,))
    got = resistance(section, solve_section(section, per_piece=3), COPPER_RESISTIVITY_OHM_M)
    a = math.sqrt(h * h - r * r)
    surface = math.sqrt(math.pi * MU0_H_PER_M * COPPER_RESISTIVITY_OHM_M)
    exact = surface * ((h / a) / (2 * math.pi * r) + 1 / (2 * math.pi * a))
    assert got.k_skin[0, 0] == pytest.approx(exact, rel=0.04)


def test_dc_resistance_is_by_area() -> None:
    section = microstrip(200 * UM)
    got = resistance(section, solve_section(section), COPPER_RESISTIVITY_OHM_M)
    assert got.r_dc[0] == pytest.approx(COPPER_RESISTIVITY_OHM_M / (200 * UM * 35 * UM))


def test_pair_resistance_is_symmetric_and_positive() -> None:
    section = microstrip_pair()
    got = resistance(section, solve_section(section), COPPER_RESISTIVITY_OHM_M)
    assert got.k_skin == pytest.approx(got.k_skin.T)
    assert got.k_skin[0, 0] == pytest.approx(got.k_skin[1, 1], rel=1e-6)
    assert (np.linalg.eigvalsh(got.k_skin) > 0).all()
    with pytest.raises(NotPhysical, match="resistivity"):
        resistance(section, solve_section(section), 0.0)


def test_field_lines_run_from_copper_to_plane_outside_copper() -> None:
    section = microstrip()
    lines = field_lines(solve_section(section), np.array([1.0]), count=12)
    assert len(lines) >= 10
    ends_on_plane = sum(abs(float(line[-1, 1])) < 1e-9 for line in lines)
    assert ends_on_plane >= 8
    for line in lines:
        inside = [
            inside_polygon(float(x), float(y), section.conductors[0].polygon) for x, y in line
        ]
        assert not any(inside)
        assert (line[:, 1] >= -1e-12).all()


def test_field_lines_of_the_odd_mode_cross_the_middle() -> None:
    lines = field_lines(solve_section(microstrip_pair(60 * UM)), np.array([0.5, -0.5]), count=12)
    assert any(float(line[0, 0]) < 0 < float(line[-1, 0]) for line in lines)


def test_polygon_helpers() -> None:
    square = box(0.0, 0.0, 2.0, 3.0)
    assert polygon_area(square) == pytest.approx(6.0)
    assert polygon_area(square[::-1]) == pytest.approx(-6.0)
    assert inside_polygon(1.0, 1.0, square)
    assert not inside_polygon(3.0, 1.0, square)


def test_modes_ask_for_the_right_number_of_lines() -> None:
    with pytest.raises(NotPhysical, match="two for a pair"):
        pair_modes(solve_section(microstrip()))
    with pytest.raises(NotPhysical, match="one for a single"):
        single_mode(solve_section(microstrip_pair()))


def corner(x: float, y: float, size: float) -> tuple[tuple[float, float], ...]:
    """A square with its lower left corner there, in µm."""
    return tuple(
        ((x + a) * UM, (y + b) * UM) for a, b in ((0, 0), (size, 0), (size, size), (0, size))
    )


WIDE = tuple((x * UM, y * UM) for x, y in ((-90, 20), (90, 20), (90, 40), (-90, 40)))
TALL = tuple((x * UM, y * UM) for x, y in ((-10, 5), (10, 5), (10, 90), (-10, 90)))
BENT = tuple(
    (x * UM, y * UM) for x, y in ((20, 5), (100, 5), (100, 100), (20, 100), (20, 95), (90, 50))
)
"""A body with a notch: a square may lie in its box and yet beside it."""


@pytest.mark.parametrize(
    ("first", "second", "meet"),
    [
        (WIDE, TALL, True),  # A cross: no corner lies in the other.
        (WIDE, corner(-5, 25, 8), True),  # The second inside the first.
        (corner(-5, 25, 8), WIDE, True),
        (WIDE, corner(80, 30, 30), True),  # One corner of each in the other.
        (corner(0, 20, 30), corner(30, 20, 30), True),  # A side in common.
        (corner(0, 20, 30), corner(0, 20, 30), True),
        (corner(0, 20, 30), corner(31, 20, 30), False),
        (BENT, corner(22, 30, 20), False),
        (BENT, corner(70, 30, 25), True),
    ],
)
def test_conductors_that_meet_in_any_way_are_told(first, second, meet: bool) -> None:
    one, two = Conductor("one", first), Conductor("two", second)
    section = CrossSection((), (one, two), (0.0,))
    if meet:
        with pytest.raises(NotPhysical, match=r"one and two.*apart.*overlapping"):
            section.check()
    else:
        section.check()
    # A signal and a ground may no more touch than two signals; grounds are one piece of metal.
    one, two = replace(one, role="ground"), replace(two, role="ground")
    lone = Conductor("lone", corner(300, 20, 10))
    CrossSection((), (one, two, lone), (0.0,)).check()
    if meet:
        with pytest.raises(NotPhysical, match="one and two"):
            CrossSection((), (one, replace(two, role="signal"), lone), (0.0,)).check()
