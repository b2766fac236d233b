"""Compiled inner loops of the bit-by-bit eye."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

__all__ = ["accumulate", "find_crossings"]


@njit(cache=True, nogil=True)
def accumulate(
    traces: NDArray[np.float32],
    density: NDArray[np.float64],
    v_low: float,
    v_step: float,
) -> None:
    """Add traces (bits, phases + 1) to a density (phases, levels), weight 1 per bit and phase.

    Between two samples the trace is a straight line; its unit of weight is shared among the levels
    that it passes, in proportion to the time it spends in each.
    """
    levels = density.shape[1]
    for i in range(traces.shape[0]):
        for p in range(density.shape[0]):
            a = (traces[i, p] - v_low) / v_step
            b = (traces[i, p + 1] - v_low) / v_step
            if a > b:
                a, b = b, a
            first = int(a)
            last = int(b)
            if first == last:
                if 0 <= first < levels:
                    density[p, first] += 1.0
                continue
            per_level = 1.0 / (b - a)
            if 0 <= first < levels:
                density[p, first] += (first + 1 - a) * per_level
            if 0 <= last < levels:
                density[p, last] += (b - last) * per_level
            for k in range(max(first + 1, 0), min(last, levels)):
                density[p, k] += per_level


@njit(cache=True, nogil=True)
def find_crossings(
    traces: NDArray[np.float32], threshold: float, out: NDArray[np.float64], count: int
) -> int:
    """Write the phase (0..phases) of each crossing of the threshold to `out`; return the count."""
    phases = traces.shape[1] - 1
    for i in range(traces.shape[0]):
        for p in range(phases):
            a = traces[i, p] - threshold
            b = traces[i, p + 1] - threshold
            if (a < 0.0) != (b < 0.0):
                if count < out.shape[0]:
                    out[count] = p + a / (a - b)
                count += 1
    return count
