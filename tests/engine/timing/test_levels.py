"""What levels at the strobe depend on, from levels that were made of bits."""

from __future__ import annotations

import numpy as np
import pytest

from onda.engine.timing.levels import memory_of

BITS = np.random.default_rng(3).integers(0, 2, 400).astype(np.int8)
NUMBERS = np.arange(20, 380)


def levels(earlier: dict[int, float], noise: float = 0.0) -> np.ndarray:
    sent = 2.0 * BITS - 1.0
    out = 0.6 + 0.25 * sent[NUMBERS]
    for k, volts in earlier.items():
        out = out + volts * sent[NUMBERS - k]
    return out + np.random.default_rng(4).normal(0.0, noise, len(NUMBERS))


def test_what_was_put_in_is_found() -> None:
    found = memory_of(levels({1: 0.02, 3: -0.08}), BITS, NUMBERS)
    assert (found.middle, found.own) == pytest.approx((0.6, 0.25))
    assert found.earlier[:4] == pytest.approx([0.02, 0.0, -0.08, 0.0], abs=1e-12)
    assert found.strongest == 3
    assert found.tail == pytest.approx(0.1 / 0.25)
    assert found.left == pytest.approx(0.0, abs=1e-12)
    assert not found.is_slope


def test_a_slow_edge_pulls_one_way_and_dies_out() -> None:
    assert memory_of(levels({1: 0.05, 2: 0.02, 3: 0.01}), BITS, NUMBERS).is_slope
    assert not memory_of(levels({1: -0.05, 2: -0.02, 3: -0.01}), BITS, NUMBERS).is_slope
    assert not memory_of(levels({1: 0.01, 2: 0.05, 3: 0.02}), BITS, NUMBERS).is_slope


def test_what_no_bit_explains_is_left() -> None:
    found = memory_of(levels({2: 0.05}, noise=0.01), BITS, NUMBERS)
    assert found.left == pytest.approx(0.01, rel=0.15)
    assert found.earlier[1] == pytest.approx(0.05, abs=0.003)


def test_few_levels_ask_for_few_bits() -> None:
    """As many unknown numbers as a third of the levels can tell, and one at least."""
    some = levels({1: 0.02})
    for count, asked in ((6, 1), (9, 1), (12, 2), (30, 8), (60, 12)):
        assert len(memory_of(some[:count], BITS, NUMBERS[:count]).earlier) == asked
    # None from before the first bit.
    early = memory_of(some[:60], BITS, NUMBERS[:60] - 17)
    assert len(early.earlier) == 3
