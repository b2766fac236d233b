"""Compiled averages of ln r between rectangles, the heart of the filament method."""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

__all__ = ["log_means"]

_FAR = 6.0
"""Beyond this many sizes two rectangles are points with a correction of second order."""


@njit(cache=True)
def _fourth(x, y):  # type: ignore[no-untyped-def]
    """F with d^4 F / dx^2 dy^2 = ln r; it vanishes on the axes' crossing."""
    x2 = x * x
    y2 = y * y
    r2 = x2 + y2
    if r2 == 0.0:
        return 0.0
    out = (0.25 * x2 * y2 - (x2 * x2 + y2 * y2) / 24.0) * 0.5 * math.log(r2)
    if x != 0.0 and y != 0.0:
        # atan(x/y) is what atan(y/x) leaves of a right angle.
        angle = math.atan(y / x)
        rest = math.copysign(0.5 * math.pi, x * y) - angle
        out += x * y * (x2 * angle + y2 * rest) / 6.0
    return out - 25.0 / 48.0 * x2 * y2


@njit(cache=True)
def _across(x, y_low, y_middle_low, y_middle_high, y_high):  # type: ignore[no-untyped-def]
    """Second difference of F in y between two rows, at one distance in x."""
    return (
        _fourth(x, y_low)
        - _fourth(x, y_middle_low)
        - _fourth(x, y_middle_high)
        + _fourth(x, y_high)
    )


@njit(cache=True, nogil=True)
def log_means(
    cells: NDArray[np.float64], rows: NDArray[np.int64], mirror: bool
) -> NDArray[np.float64]:
    """Mean of ln r (n, n) between n rectangles given as rows (x, y, width, height).

    Rectangles of one row, from `rows[k]` to `rows[k + 1]`, stand side by side at one height: what
    two rows have in common is computed once. With `mirror`, between each rectangle and the mirror
    images in x = 0 of the others.
    """
    n = cells.shape[0]
    out = np.empty((n, n))
    count = rows.shape[0] - 1
    sign = -1.0 if mirror else 1.0
    for p in range(count):
        for q in range(p + 1):
            i0, i1, j0, j1 = rows[p], rows[p + 1], rows[q], rows[q + 1]
            yi, hi = cells[i0, 1], cells[i0, 3]
            yj, hj = cells[j0, 1], cells[j0, 3]
            dy = yi - yj
            y1 = dy - 0.5 * (hi + hj)
            y2 = dy - 0.5 * (hi - hj)
            y3 = dy + 0.5 * (hi - hj)
            y4 = dy + 0.5 * (hi + hj)
            table = np.full((i1 - i0 + 1, j1 - j0 + 1), np.nan)
            for i in range(i0, i1):
                wi = cells[i, 2]
                for j in range(j0, j1):
                    wj = cells[j, 2]
                    dx = cells[i, 0] - sign * cells[j, 0]
                    r2 = dx * dx + dy * dy
                    size = max(max(wi, hi), max(wj, hj))
                    if r2 > _FAR * _FAR * size * size:
                        spread = (wi * wi + wj * wj - hi * hi - hj * hj) / 24.0
                        value = 0.5 * math.log(r2) + spread * (dy * dy - dx * dx) / (r2 * r2)
                    else:
                        total = 0.0
                        for a in range(2):
                            for b in range(2):
                                # Which edge of the second it is turns over with its mirror image.
                                edge = 1 - b if mirror else b
                                known = table[i - i0 + a, j - j0 + edge]
                                if math.isnan(known):
                                    x = dx + (a - 0.5) * wi - (b - 0.5) * wj
                                    known = _across(x, y1, y2, y3, y4)
                                    table[i - i0 + a, j - j0 + edge] = known
                                total += known if a != b else -known
                        value = total / (wi * hi * wj * hj)
                    out[i, j] = value
                    out[j, i] = value
    return out
