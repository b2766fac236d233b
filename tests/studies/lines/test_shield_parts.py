"""Shielded sections without their fields: what is drawn, how walls move, what is said."""

from __future__ import annotations

import math
from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from onda.errors import NotPhysical
from onda.project.model import Project
from onda.studies.core.study import Control
from onda.studies.lines import shield
from onda.studies.lines.shield import (
    MODE_CHECK,
    SIZE_SWEEP,
    BodyInputs,
    ModeCheckResult,
    ShieldInputs,
    SizeSweepInputs,
    mode_sentence,
    shield_inputs,
    shield_section,
)

MM = 1e-3


@pytest.fixture
def box(project: Project) -> ShieldInputs:
    base = shield_inputs(project.design, project.design.shielded[1])
    return replace(
        base, shape="box", width=4 * MM, height=2 * MM, conductor=0.8 * MM,
        conductor_height=0.1 * MM, floor=0.5 * MM,
    )  # fmt: skip


@pytest.fixture
def bead(project: Project) -> ShieldInputs:
    base = shield_inputs(project.design, project.design.shielded[0])
    return replace(base, shape="round", width=3 * MM, conductor=1 * MM)


def drawn(bead: ShieldInputs) -> ShieldInputs:
    """A wall from (1, 2) to (5, 4) mm around a strip, and a slab in it."""
    bodies = (
        BodyInputs("fill", "dielectric", bead.material, ((1, 2), (5, 2), (5, 3), (1, 3))),
        BodyInputs("wall", "shield", "", ((1, 2), (5, 2), (5, 4), (1, 4))),
        BodyInputs("strip", "signal", "", ((2, 3), (4, 3), (4, 3.1), (2, 3.1))),
    )
    scaled = tuple(
        replace(b, corners=tuple((x * MM, y * MM) for x, y in b.corners)) for b in bodies
    )
    return replace(bead, shape="drawn", bodies=scaled)


def span(points: Any) -> tuple[float, float, float, float]:
    xs, ys = [p[0] for p in points], [p[1] for p in points]
    return min(xs), max(xs), min(ys), max(ys)


def test_a_trace_lies_on_its_floor_in_the_middle_of_its_box(box: ShieldInputs) -> None:
    section = shield_section(box)
    trace, wall = section.conductors
    assert span(trace.polygon) == pytest.approx((-0.4 * MM, 0.4 * MM, 0.5 * MM, 0.6 * MM))
    assert span(wall.polygon) == pytest.approx((-2 * MM, 2 * MM, 0.0, 2 * MM))
    assert (trace.name, wall.role) == ("S", "shield")
    (floor,) = section.layers
    assert (floor.y0, floor.y1) == (0.0, 0.5 * MM)
    # Without one it hangs half way up, in air.
    hung = shield_section(replace(box, floor=0.0))
    assert span(hung.conductors[0].polygon)[2:] == pytest.approx((0.95 * MM, 1.05 * MM))
    assert hung.layers == ()


def test_both_circles_are_diameters(bead: ShieldInputs) -> None:
    section = shield_section(bead)
    inner, wall = section.conductors
    assert span(inner.polygon) == pytest.approx(
        (-0.5 * MM, 0.5 * MM, -0.5 * MM, 0.5 * MM), rel=0.02
    )
    assert span(wall.polygon) == pytest.approx((-1.5 * MM, 1.5 * MM, -1.5 * MM, 1.5 * MM), rel=0.02)
    (filling,) = section.layers
    assert filling.y0 <= -1.5 * MM
    assert filling.y1 >= 1.5 * MM
    assert filling.er > 1.5


def test_a_drawn_section_is_what_is_drawn(bead: ShieldInputs, box: ShieldInputs) -> None:
    section = shield_section(drawn(bead))
    assert [c.name for c in section.conductors] == ["wall", "strip"]
    (region,) = section.regions
    assert span(region.polygon) == pytest.approx((1 * MM, 5 * MM, 2 * MM, 3 * MM))
    assert region.er == pytest.approx(shield_section(bead).layers[0].er)
    # Each slab is of its own material.
    other = next(m for m in box.materials if m.id != bead.material)
    assert other.points[0] != bead.materials[0].points[0]
    both = replace(drawn(bead), materials=(*bead.materials, other))
    slab = both.bodies[0]
    second = replace(slab, material=other.id, corners=tuple((x, y + MM) for x, y in slab.corners))
    section = shield_section(replace(both, bodies=(slab, *both.bodies[1:2], second)))
    alone = shield_section(replace(bead, material=other.id, materials=(other,))).layers[0].er
    assert [r.er for r in section.regions] == pytest.approx([region.er, alone])
    assert alone != pytest.approx(region.er, rel=0.01)


def test_walls_move_by_a_factor(box: ShieldInputs, bead: ShieldInputs) -> None:
    """Of a box all that is above its floor; a round one with its conductor; a drawn one about the
    middle of its floor."""
    wide = shield._resized(box, 1.5)
    assert (wide.width, wide.height, wide.floor) == pytest.approx((6 * MM, 2.75 * MM, 0.5 * MM))
    assert wide.conductor == box.conductor
    grown = shield._resized(bead, 0.5)
    assert (grown.width, grown.conductor) == (1.5 * MM, 0.5 * MM)
    moved = shield._resized(drawn(bead), 0.5)
    fill, wall, strip = moved.bodies
    assert span(wall.corners) == pytest.approx((2 * MM, 4 * MM, 2 * MM, 3 * MM))
    assert (fill, strip) == (drawn(bead).bodies[0], drawn(bead).bodies[2])
    assert shield._wall_width(moved) == pytest.approx(2 * MM)
    assert shield._wall_width(box) == 4 * MM
    # Half a wave of 37.47 GHz in air.
    assert shield._half_wave(box) == pytest.approx(299792458.0 / (8 * MM))


# -- modes ------------------------------------------------------------------------------


def mode(ghz: float, kind: str = "TE") -> Any:
    return SimpleNamespace(frequency=1e9 * ghz, kind=kind)


@pytest.fixture
def found(monkeypatch: pytest.MonkeyPatch) -> dict[str, Any]:
    """No field is solved: modes are those that `modes` lists for a section."""
    seen: dict[str, Any] = {"modes": [mode(0.0, "TEM"), mode(20.0), mode(35.0)], "tops": []}

    def cut_offs(section: Any, top: float, most: int = 99) -> Any:
        seen["tops"].append(top)
        modes = seen["modes"]
        return "mesh", (modes(section) if callable(modes) else modes)

    def propagation(_: Any, frequency: np.ndarray, limits: tuple[float, ...]) -> np.ndarray:
        f = frequency[:, None]
        with np.errstate(invalid="ignore"):
            return np.where(f > np.array(limits), np.sqrt(f**2 - np.array(limits) ** 2), np.nan)

    def fields(mesh: str, one: Any) -> Any:
        return SimpleNamespace(
            points=np.array([one.frequency]), electric=np.ones(1), magnetic=2 * np.ones(1),
            along=3 * np.ones(1), along_is=mesh,
        )  # fmt: skip

    monkeypatch.setattr(shield, "cut_offs", cut_offs)
    monkeypatch.setattr(shield, "propagation", propagation)
    monkeypatch.setattr(shield, "mode_fields", fields)
    monkeypatch.setattr(shield, "_impedance", lambda s: (50.0, 2.0, 0.01))
    return seen


def test_modes_are_told_with_what_travels_beside_the_intended_one(
    box: ShieldInputs, found: dict[str, Any]
) -> None:
    result = MODE_CHECK.run(replace(box, up_to=26e9), Control())
    assert (result.z0, result.eeff, result.error) == (50.0, 2.0, 0.01)
    # Twice as far as is wanted, or five half waves across the wall.
    assert found["tops"] == [52e9]
    assert result.looked_up_to == 52e9
    assert [m.cut_off for m in result.modes] == [0.0, 20e9, 35e9]
    assert [m.kind for m in result.modes] == ["TEM", "TE", "TE"]
    assert result.single_up_to == 20e9
    assert result.frequency == pytest.approx(52e9 * np.arange(1, 10) / 9)
    for one in result.modes:
        assert one.points[0] == one.cut_off
        assert (one.electric[0], one.magnetic[0], one.along[0]) == (1.0, 2.0, 3.0)
        below = result.frequency <= one.cut_off
        assert np.isnan(one.beta[below]).all()
        f = result.frequency[~below]
        assert one.beta[~below] == pytest.approx(np.sqrt(f**2 - one.cut_off**2))
    far = MODE_CHECK.run(replace(box, up_to=1e12), Control())
    assert far.looked_up_to == pytest.approx(5.0 * 299792458.0 / (8 * MM))
    # Without a conductor the first mode is the intended one.
    found["modes"] = [mode(12.0), mode(31.0)]
    hollow = replace(drawn(box), bodies=drawn(box).bodies[:2])
    assert MODE_CHECK.run(hollow, Control()).single_up_to == 31e9
    # Of two conductors two modes are meant.
    strip = drawn(box).bodies[2]
    beside = replace(
        strip, name="other", corners=tuple((x, y + 0.5 * MM) for x, y in strip.corners)
    )
    found["modes"] = [mode(0.0, "TEM"), mode(0.0, "TEM"), mode(24.0)]
    pair = replace(drawn(box), bodies=(*drawn(box).bodies, beside))
    assert MODE_CHECK.run(pair, Control()).single_up_to == 24e9
    found["modes"] = [mode(float(k)) for k in range(12)]
    assert len(MODE_CHECK.run(box, Control()).modes) == 8


def said(cut_offs: list[float], single: float, up_to: float) -> str:
    modes: Any = tuple(SimpleNamespace(cut_off=1e9 * f) for f in cut_offs)
    nothing = np.empty(0)
    result = ModeCheckResult(50.0, 2.0, 0.0, nothing, modes, 1e9 * single, 52e9)
    return mode_sentence(result, 1e9 * up_to)


@pytest.mark.parametrize(
    ("cut_offs", "single", "up_to", "words"),
    [
        ([], math.inf, 26, "Nothing travels below 52.0 GHz."),
        ([30.0], math.inf, 26, "Nothing travels below 30.0 GHz."),
        ([0.0], math.inf, 26, "Only the intended mode travels below 52.0 GHz."),
        ([0.0, 20.0], 20.0, 26,
         "Only the intended mode travels below 20.0 GHz; up to 26.0 GHz is wanted: make the shield "
         "smaller."),
        ([0.0, 26.0], 26.0, 26, "Only the intended mode travels below 26.0 GHz."),
        ([26.0, 40.0], 40.0, 26, "Only the intended mode travels below 40.0 GHz."),
    ],
)  # fmt: skip
def test_what_a_check_found_in_a_sentence(
    cut_offs: list[float], single: float, up_to: float, words: str
) -> None:
    assert said(cut_offs, single, up_to) == words


# -- sizes ------------------------------------------------------------------------------


def test_the_window_of_sizes_is_where_both_curves_cross(
    box: ShieldInputs, found: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Impedance nears 60 ohm as 1 over the square of the width, cut-off falls as 1 over it."""

    def width(section: Any) -> float:
        wall = next(c for c in section.conductors if c.role == "shield")
        low, high, _, _ = span(wall.polygon)
        return high - low

    def impedance(section: Any) -> tuple[float, float, float]:
        at = width(section)
        # What is so far away that it does not matter.
        far = 12.0 * (0.8 + 0.5) * MM
        off = 0.0 if at > 0.99 * far else 0.32 * MM**2 / at**2
        return 60.0 * (1.0 - off), 2.0, 0.0

    monkeypatch.setattr(shield, "_impedance", impedance)
    found["modes"] = lambda section: [mode(0.0), mode(90.0 * MM / width(section)), mode(999.0)]
    factors = (0.1, 0.5, 0.75, 1.0, 1.5, 2.0)
    result = SIZE_SWEEP.run(SizeSweepInputs(replace(box, up_to=26e9), factors), Control())
    assert result.size == pytest.approx(4 * MM * np.array(factors))
    # The smallest has no room for its trace.
    assert math.isnan(result.z0[0])
    assert math.isnan(result.cut_off[0])
    assert result.z0[1:] == pytest.approx(60.0 * (1.0 - 0.32 * MM**2 / result.size[1:] ** 2))
    assert result.cut_off[1:] == pytest.approx(90e9 * MM / result.size[1:])
    assert result.z_open == pytest.approx(60.0)
    # Two percent at 4 mm, 26 GHz at 90 / 26 mm: no window, for the one begins above the other.
    assert result.smallest == pytest.approx(4 * MM)
    assert result.largest == pytest.approx(90.0 / 26.0 * MM)
    looser = SizeSweepInputs(replace(box, up_to=26e9), factors, allowed=0.03)
    assert SIZE_SWEEP.run(looser, Control()).smallest == pytest.approx(math.sqrt(0.32 / 0.03) * MM)
    lower = SizeSweepInputs(replace(box, up_to=5e9), factors)
    assert math.isnan(SIZE_SWEEP.run(lower, Control()).largest)
    # Where the narrower of two has no other mode at all, the window ends between them.
    found["modes"] = lambda section: [mode(0.0), *([mode(20.0)] if width(section) > 5 * MM else [])]
    few = SIZE_SWEEP.run(SizeSweepInputs(replace(box, up_to=26e9), factors), Control())
    assert 4 * MM < few.largest < 6 * MM


def test_a_round_wall_is_the_line_itself(bead: ShieldInputs, found: dict[str, Any]) -> None:
    found["modes"] = [mode(0.0)]
    result = SIZE_SWEEP.run(SizeSweepInputs(bead, (0.5, 1.0, 2.0)), Control())
    assert math.isnan(result.z_open)
    assert result.size == pytest.approx([1.5 * MM, 3 * MM, 6 * MM])
    assert result.smallest == 1.5 * MM
    assert np.isinf(result.cut_off).all()
    assert math.isnan(result.largest)


def test_sections_that_do_not_fit_are_refused(box: ShieldInputs) -> None:
    with pytest.raises(NotPhysical):
        shield_section(replace(box, conductor=5 * MM))
