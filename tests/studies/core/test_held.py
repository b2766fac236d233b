"""Results of functions held within a budget of bytes: what was used longest ago goes first."""

from __future__ import annotations

import numpy as np
import pytest

from onda.studies.core.cache import size_of
from onda.studies.core.held import held

ONE = size_of(np.zeros(1000))


def made(most: int):
    calls: list[tuple[int, int]] = []

    @held(most)
    def zeros(count: int, of: int = 0) -> np.ndarray:
        """So many."""
        calls.append((count, of))
        if count < 0:
            raise ValueError("negative")
        return np.full(count, of)

    return zeros, calls


def test_what_is_held_is_not_made_again() -> None:
    zeros, calls = made(10 * ONE)
    first = zeros(1000, 1)
    assert zeros(1000, 1) is first
    assert calls == [(1000, 1)]
    assert zeros(1000, 2)[0] == 2
    assert calls == [(1000, 1), (1000, 2)]
    assert zeros.held_bytes == 2 * ONE
    assert zeros.__doc__ == "So many."
    assert zeros.__name__ == "zeros"


def test_what_was_used_longest_ago_goes_first() -> None:
    zeros, calls = made(3 * ONE)
    for k in (1, 2, 3):
        zeros(1000, k)
    zeros(1000, 1)
    assert zeros.held_bytes == 3 * ONE
    # The second one is the oldest now.
    zeros(1000, 4)
    assert zeros.held_bytes == 3 * ONE
    calls.clear()
    for k in (1, 3, 4):
        zeros(1000, k)
    assert calls == []
    zeros(1000, 2)
    assert calls == [(1000, 2)]


def test_what_is_larger_than_all_room_is_held_alone() -> None:
    zeros, calls = made(2 * ONE)
    zeros(1000, 1)
    large = zeros(5000, 2)
    assert zeros(5000, 2) is large
    assert zeros.held_bytes == size_of(large)
    zeros(1000, 3)
    assert zeros.held_bytes == ONE
    assert len(calls) == 3


def test_an_error_is_not_held_and_all_can_be_forgotten() -> None:
    zeros, calls = made(3 * ONE)
    for _ in range(2):
        with pytest.raises(ValueError, match="negative"):
            zeros(-1)
    assert len(calls) == 2
    zeros(1000)
    zeros.clear()
    assert zeros.held_bytes == 0
    zeros(1000)
    assert len(calls) == 4
    assert zeros.held_bytes == ONE


def test_made_twice_at_once_it_counts_once() -> None:
    """A function that asks for itself while it is being made."""

    @held(10 * ONE)
    def outer(again: bool) -> np.ndarray:
        if again and not seen:
            seen.append(1)
            outer(True)
        return np.zeros(1000)

    seen: list[int] = []
    outer(True)
    assert outer.held_bytes == ONE
