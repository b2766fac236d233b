"""Links as objects: their levels, their symbols, and the shape of their mask."""

from __future__ import annotations

import numpy as np
import pytest

from onda.project.base import set_value
from onda.project.links.link import Corner, EyeMask, Link
from onda.project.model import Project
from onda.project.quantities import parse_quantity as q


@pytest.fixture
def link(project: Project) -> Link:
    return project.design.link("jl0")


@pytest.mark.parametrize("mismatch", [0.5, 0.92, 1.0])
def test_the_smallest_step_of_four_levels_is_that_share_of_an_even_one(
    link: Link, mismatch: float
) -> None:
    four = set_value(link, modulation="pam4", mismatch=q(f"{100 * mismatch:g} %", "ratio"), prbs=13)
    steps = np.diff(four.levels)
    assert (four.levels[0], four.levels[-1]) == (-1.0, 1.0)
    assert steps.min() / (2.0 / 3.0) == pytest.approx(mismatch)
    # The outer steps are the small ones and alike, the middle one takes what they leave.
    assert steps[0] == pytest.approx(steps[2])
    assert steps[1] >= steps[0] * (1.0 - 1e-9)
    assert steps.sum() == pytest.approx(2.0)


def test_four_levels_carry_two_bits_a_symbol(link: Link) -> None:
    assert link.levels == (-1.0, 1.0)
    assert link.symbols_per_second == link.rate.si
    assert set_value(link, modulation="pam4").symbols_per_second == 0.5 * link.rate.si


def test_a_mask_is_half_as_far_on_each_side() -> None:
    mask = EyeMask(
        width=q("0.6 UI", "unit interval"), flat=q("0.2 UI", "unit interval"),
        height=q("80 mV", "voltage"),
    )  # fmt: skip
    shape = mask.shape()
    assert shape is not None
    corners = {(round(x, 9), round(v, 9)) for x, v in shape.corners}
    assert corners == {
        (-0.3, 0.0), (-0.1, 0.04), (0.1, 0.04), (0.3, 0.0), (0.1, -0.04), (-0.1, -0.04),
    }  # fmt: skip
    assert set_value(mask, height=q("0 V", "voltage")).shape() is None
    own = ((-0.2, 0.0), (0.0, 0.03), (0.25, 0.0), (0.0, -0.02))
    drawn = set_value(
        mask, corners=tuple(Corner(at=x, volts=q(f"{v} V", "voltage")) for x, v in own)
    )
    found = drawn.shape()
    assert found is not None
    assert np.array(found.corners) == pytest.approx(np.array(own))
