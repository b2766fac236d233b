"""Compiled shift register of the pseudo-random patterns."""

from __future__ import annotations

import numpy as np
from numba import njit

__all__ = ["scrambled", "shift_register"]


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


@njit(cache=True, nogil=True)
def scrambled(bits):  # type: ignore[no-untyped-def]
    """Bits (n,) behind the self-synchronising scrambler x^58 + x^39 + 1, its register all ones."""
    out = np.empty(len(bits), dtype=np.int8)
    for i in range(len(bits)):
        early = out[i - 39] if i >= 39 else 1
        late = out[i - 58] if i >= 58 else 1
        out[i] = bits[i] ^ early ^ late
    return out
