"""Terminations of an end: their resistor swept, and at the ends of its tolerance."""

from __future__ import annotations

import pytest

from onda.errors import InputError
from onda.studies.paths.ends import TermInputs


def test_a_swept_resistor_keeps_the_ratio_of_a_divider() -> None:
    one = TermInputs("parallel", r=50.0, rail=0.9)
    assert one.with_value(70.0) == TermInputs("parallel", r=70.0, rail=0.9)
    two = TermInputs("split", r=100.0, r_low=150.0, c=1e-12)
    assert two.with_value(80.0) == TermInputs("split", r=80.0, r_low=120.0, c=1e-12)
    # None is a short that still can be solved.
    assert one.with_value(0.0).r == 1e-3
    assert one.with_value(2e-3).r == 2e-3
    with pytest.raises(InputError, match="no resistor ends the line"):
        TermInputs("none").with_value(50.0)


def test_tolerance_goes_both_ways_for_both_resistors() -> None:
    two = TermInputs("split", r=100.0, r_low=150.0, tolerance=0.05)
    high, low = two.at_tolerance(1), two.at_tolerance(-1)
    assert (high.r, high.r_low) == pytest.approx((105.0, 157.5))
    assert (low.r, low.r_low) == pytest.approx((95.0, 142.5))
    assert high.tolerance == 0.05
    alone = TermInputs("parallel", r=50.0, tolerance=0.1).at_tolerance(1)
    assert (alone.r, alone.r_low) == (pytest.approx(55.0), None)
    assert TermInputs("ac", c=1e-12, tolerance=0.1).at_tolerance(-1).r is None
