"""Compiled inner loop of the bit-by-bit eye."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

__all__ = ["lay_over"]

FloatArray = NDArray[np.float64]
_FEW = 64


@njit(cache=True, nogil=True)
def _trace(
    bits: NDArray[np.int8], first: int, tables: NDArray[np.float32], out: NDArray[np.float32]
) -> None:
    """The trace that the bits from `first` on make."""
    out[:] = 0.0
    for t in range(len(tables)):
        word = 0
        for k in range(8):
            word = 2 * word + bits[first + 8 * t + k]
        for p in range(len(out)):
            out[p] += tables[t, word, p]


@njit(cache=True, nogil=True, error_model="numpy")
def lay_over(
    bits: NDArray[np.int8],
    first_bit: int,
    last_bit: int,
    main: int,
    tables: NDArray[np.float32],
    threshold: float,
    part: FloatArray,
    change: FloatArray,
    edges: NDArray[np.float32],
    sums: FloatArray,
    found: NDArray[np.float32],
    count: int,
) -> int:
    """Add the traces of some bits to an eye; return how many crossings there are now.

    Voltages are in rows of the density. Between two samples the trace is a straight line; its unit
    of weight is shared among the levels that it passes, in proportion to the time it spends in
    each. What is alike from one level to another further up is written as a change at both ends,
    so that steep traces cost no more.

    Parameters
    ----------
    bits : (n,) 0 or 1, all that are sent; trace k is made by those from k on
    main : which of them it carries
    tables : (t, 256, phases + 1), what eight bits at a time make of a trace, oldest bit highest
    part, change : (phases, levels + 1), weight of single levels, and its change from level to level
    edges : (2, phases), highest of the zeros and lowest of the ones
    sums : (2,), of all zeros and all ones in the middle
    found : phases (0 to phases) at which traces cross the threshold, from index `count` on
    """
    phases = tables.shape[2] - 1
    levels = part.shape[1] - 1
    level = np.float32(threshold)
    # A few traces at a time, then phase by phase, so that one row of the density is at hand.
    traces = np.empty((_FEW, phases + 1), dtype=np.float32)
    for first_trace in range(first_bit, last_bit, _FEW):
        here = min(_FEW, last_bit - first_trace)
        for i in range(here):
            _trace(bits, first_trace + i, tables, traces[i])
            one = bits[first_trace + i + main]
            sums[one] += traces[i, phases // 2]
            if one == 1:
                for p in range(phases):
                    edges[1, p] = min(edges[1, p], traces[i, p])
            else:
                for p in range(phases):
                    edges[0, p] = max(edges[0, p], traces[i, p])
        for p in range(phases):
            single, step = part[p], change[p]
            for i in range(here):
                a, b = traces[i, p], traces[i, p + 1]
                if (a < level) != (b < level):
                    if count < len(found):
                        found[count] = p + (a - level) / (a - b)
                    count += 1
                low, high = min(a, b), max(a, b)
                first, last = np.int32(low), np.int32(high)
                if low < 0.0 or last >= levels:
                    continue
                if first == last:
                    single[first] += 1.0
                    continue
                per_level = np.float32(1.0) / (high - low)
                single[first] += (first + 1 - low) * per_level
                single[last] += (high - last) * per_level
                step[first + 1] += per_level
                step[last] -= per_level
    return count
