"""The eye at an error rate as it is drawn: contours, openings, mask, axes and density."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from onda.app.stages.eyes.rate_eye import RateEye, reach_of
from onda.app.theme import Look
from onda.engine.links.chain import Chain
from onda.engine.links.masks import Mask
from onda.studies.links.link_eye import EyeAtRate, Setting
from tests.painted import Drawn, drawn, put

UNIT = 100e-12
MOMENTS = np.linspace(-0.75, 0.75, 61) * UNIT
VOLTS = np.linspace(-0.5, 0.5, 201)
REACH = 0.4
LEFT, TOP, BOTTOM = 46.0, 36.0, 22.0


def eye(threshold: float, upper: float, lower: float, half: float, name: str = "eye") -> EyeAtRate:
    """A rhombus about a threshold, open for `half` a unit interval to either side."""
    share = np.clip(1.0 - np.abs(MOMENTS) / (half * UNIT), -0.2, 1.0)
    return EyeAtRate(
        name, threshold + upper * share, threshold - lower * share,
        upper + lower, -0.8 * half * UNIT, 0.6 * half * UNIT, 0.0, 0.0, np.zeros(61), threshold,
    )  # fmt: skip


def setting(*eyes: EyeAtRate, dark: float = 0.25) -> Setting:
    """All of the density lies at one voltage."""
    density = np.zeros((61, len(VOLTS)), dtype=np.float32)
    density[:, int(np.argmin(np.abs(VOLTS - dark)))] = 1.0
    return Setting("all", Chain(), eyes, VOLTS, density)


LINK: Any = SimpleNamespace(unit_interval=UNIT, moments=MOMENTS)


@pytest.fixture
def view(qtbot: QtBot, look: Look) -> RateEye:
    made = RateEye(look)
    put(qtbot, made, 346, 258)
    return made


# The box is 296 px wide and 200 px high; 0 V and the sampling time are in its middle.
def at(moment: float, volts: float) -> tuple[float, float]:
    return LEFT + 148.0 + 148.0 * moment / (0.75 * UNIT), TOP + 100.0 - 100.0 * volts / REACH


def lines(found: Drawn, color: str) -> list[list[float]]:
    """Ends of straight lines of a colour, from left to right or from the top down."""
    some = [s.points for s in found.shapes if s.stroke == color.lower() and len(s.points) == 2]
    return [sorted(p.tolist()) for p in some]


def test_an_eye_is_drawn_where_its_contours_are(view: RateEye, look: Look) -> None:
    one = eye(0.1, 0.2, 0.1, 0.5)
    view.show_setting("As it is", LINK, setting(one), None, REACH)
    found = drawn(view)
    (shape,) = [s for s in found.shapes if s.kind == "polygon" and s.stroke == look.t.ink.lower()]
    opened = one.upper > one.lower
    assert len(shape.points) == 2 * opened.sum()
    wanted = [at(m, v) for m, v in zip(MOMENTS[opened], one.upper[opened], strict=True)]
    wanted += [at(m, v) for m, v in zip(MOMENTS[opened], one.lower[opened], strict=True)][::-1]
    assert shape.points == pytest.approx(np.array(wanted), abs=0.02)
    # Up is up: the contour above the threshold lies higher on the screen.
    assert shape.box[1] == pytest.approx(at(0.0, 0.3)[1], abs=0.02)
    assert shape.box[3] == pytest.approx(at(0.0, 0.0)[1], abs=0.02)


def test_its_width_and_height_are_the_lines_in_it(view: RateEye, look: Look) -> None:
    one = eye(0.1, 0.2, 0.1, 0.5)
    view.show_setting("As it is", LINK, setting(one), None, REACH)
    across, upright = sorted(lines(drawn(view), look.t.tight), key=lambda p: p[0][0])
    assert across == [
        pytest.approx(at(-0.4 * UNIT, 0.1), abs=0.02), pytest.approx(at(0.3 * UNIT, 0.1), abs=0.02),
    ]  # fmt: skip
    assert upright == [
        pytest.approx(at(0.0, 0.3), abs=0.02), pytest.approx(at(0.0, 0.0), abs=0.02),
    ]  # fmt: skip
    assert view.words == "0.300 V by 0.700 UI"
    assert "0.300 V by 0.700 UI" in drawn(view).texts
    assert view.accessibleName() == "Eye, As it is"
    assert view.accessibleDescription() == view.words


def test_what_opens_again_beside_the_eye_is_no_part_of_it(view: RateEye, look: Look) -> None:
    one = eye(0.0, 0.2, 0.2, 0.3)
    beside = np.abs(MOMENTS) > 0.6 * UNIT
    upper = np.where(beside, 0.1, one.upper)
    lower = np.where(beside, -0.1, one.lower)
    again = EyeAtRate("eye", upper, lower, 0.4, one.left, one.right, 0.0, 0.0, one.bathtub, 0.0)
    view.show_setting("x", LINK, setting(again), None, REACH)
    (shape,) = [
        s for s in drawn(view).shapes if s.kind == "polygon" and s.stroke == look.t.ink.lower()
    ]
    assert shape.box[0] > at(-0.31 * UNIT, 0.0)[0]
    assert shape.box[2] < at(0.31 * UNIT, 0.0)[0]


def test_an_eye_that_is_open_all_the_way_is_drawn_to_both_ends(view: RateEye, look: Look) -> None:
    open_ = np.full(61, 0.1)
    one = EyeAtRate("eye", open_, -open_, 0.2, np.nan, np.nan, 0.0, 0.0, open_, 0.0)
    view.show_setting("x", LINK, setting(one), None, REACH)
    (shape,) = [
        s for s in drawn(view).shapes if s.kind == "polygon" and s.stroke == look.t.ink.lower()
    ]
    assert len(shape.points) == 2 * 61
    assert (shape.box[0], shape.box[2]) == pytest.approx((LEFT, LEFT + 296.0), abs=0.02)


def test_a_closed_eye_is_told_and_has_no_lines(view: RateEye, look: Look) -> None:
    low, high = np.full(61, -0.1), np.full(61, 0.1)
    closed = EyeAtRate("eye", low, high, -0.2, np.nan, np.nan, 0.0, 0.0, low, 0.0)
    view.show_setting("x", LINK, setting(closed), None, REACH)
    found = drawn(view)
    assert view.words == "closed"
    assert found.word("closed").color == look.t.fails.lower()
    assert [s for s in found.shapes if s.kind == "polygon"] == []
    assert [p for p in lines(found, look.t.tight) if p[0][0] == p[1][0]] == []
    nothing = RateEye(look)
    assert nothing.words == ""


def test_each_eye_has_the_mask_around_its_threshold(view: RateEye, look: Look) -> None:
    corners = ((-0.3, 0.0), (0.0, 0.05), (0.3, 0.0), (0.1, -0.08))
    eyes = (eye(-0.2, 0.1, 0.1, 0.5, "lower"), eye(0.15, 0.1, 0.1, 0.4, "upper"))
    view.show_setting("x", LINK, setting(*eyes), Mask(corners), REACH)
    masks = [
        s for s in drawn(view).shapes if s.kind == "polygon" and s.stroke == look.t.fails.lower()
    ]
    assert len(masks) == 2
    assert all(m.dash for m in masks)
    for shape, one in zip(masks, eyes, strict=True):
        wanted = [at(x * UNIT, one.threshold + y) for x, y in corners]
        assert shape.points == pytest.approx(np.array(wanted), abs=0.02)
    view.show_setting("x", LINK, setting(*eyes), None, REACH)
    assert [s for s in drawn(view).shapes if s.stroke == look.t.fails.lower()] == []


def test_axes_tell_volts_up_and_unit_intervals_across(view: RateEye) -> None:
    view.show_setting("As it is", LINK, setting(eye(0.0, 0.2, 0.2, 0.5)), None, REACH)
    found = drawn(view)
    # Two steps of 0.2 V either way; the highest one has the unit.
    volts = {w.text: w.y for w in found.words if w.x < LEFT and TOP < w.y < TOP + 205.0}
    numbers = [t for t in volts if t.replace("−", "-").split()[0].lstrip("-")[0].isdigit()]
    heights = {float(t.split()[0].replace("−", "-")): volts[t] for t in numbers}
    scale = 1e-3 if any("mV" in t for t in numbers) else 1.0
    assert len(heights) >= 3
    zero = heights[0.0]
    for number, y in heights.items():
        assert y - zero == pytest.approx(-100.0 * number * scale / REACH, abs=0.6)
    assert sum("V" in t for t in numbers) == 1
    moments = {w.text: w.x for w in found.words if w.text in ("−0.5", "0 UI", "+0.5")}
    assert len(moments) == 3
    assert found.word("0 UI").y > TOP + 200
    middles = [moments["−0.5"], moments["0 UI"], moments["+0.5"]]
    apart = 148.0 * 0.5 / 0.75
    assert np.diff(middles) == pytest.approx([apart, apart], abs=8.0)


def test_what_is_likely_is_dark_where_its_voltage_is(view: RateEye) -> None:
    """Density up is up: a row of it 0.25 V above the middle."""
    view.show_setting("x", LINK, setting(eye(0.0, 0.01, 0.01, 0.1), dark=0.25), None, REACH)
    picture = view.grab().toImage()
    column = [picture.pixelColor(int(LEFT + 40), y).lightness() for y in range(258)]
    inside = column[int(TOP) + 3 : int(TOP) + 197]
    darkest = int(np.argmin(inside)) + int(TOP) + 3
    assert darkest == pytest.approx(at(0.0, 0.25)[1], abs=1.6)
    assert min(inside) < 0.5 * max(inside)


def test_a_kept_state_has_its_own_ink(view: RateEye, look: Look) -> None:
    one = setting(eye(0.0, 0.2, 0.2, 0.5))
    view.show_setting("State 1", LINK, one, None, REACH, kept=True)
    found = drawn(view)
    assert found.word("State").color == look.t.kept_ink.lower()
    frames = [s for s in found.shapes if s.stroke == look.t.kept.lower()]
    assert frames
    (frame,) = [s for s in frames if s.kind in ("rect", "path", "polygon")][:1]
    assert frame.box == pytest.approx((LEFT, TOP, 342.0, TOP + 200.0), abs=0.1)
    view.show_setting("Now", LINK, one, None, REACH)
    assert drawn(view).word("Now").color == look.t.ink.lower()


def test_the_reach_holds_all_but_the_rarest() -> None:
    some = setting(eye(0.0, 0.2, 0.2, 0.5), dark=-0.3)
    assert reach_of(some) == pytest.approx(1.08 * 0.3)
    faint = some.density.copy()
    faint[3, 190] = 1e-13
    rare = Setting("n", Chain(), some.eyes, VOLTS, faint)
    assert reach_of(rare) == pytest.approx(1.08 * 0.3)
    faint[3, 190] = 1e-11
    assert reach_of(Setting("n", Chain(), some.eyes, VOLTS, faint)) == pytest.approx(
        1.08 * float(VOLTS[190])
    )
    none = Setting("n", Chain(), some.eyes, VOLTS, np.zeros_like(some.density))
    assert reach_of(none) == pytest.approx(1.08)
