"""Compiled shift register of the pseudo-random patterns."""

from __future__ import annotations

import numpy as np
from numba import njit

__all__ = ["shift_register"]


@njit(cache=True, nogil=True)
def shift_register(order, taps, count):  # type: ignore[no-untyped-def]
    """Bits (count,) of the register of `order` bits fed back from `taps`, from all ones."""
    state = (1 << order) - 1
    out = np.empty(count, dtype=np.int8)
    for i in range(count):
        out[i] = (state >> (order - 1)) & 1
        feed = 0
        for tap in taps:
            feed ^= (state >> (tap - 1)) & 1
        state = ((state << 1) | feed) & ((1 << order) - 1)
    return out
