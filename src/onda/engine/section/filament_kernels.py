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
        out += x * y * (x2 * math.atan(y / x) + y2 * math.atan(x / y)) / 6.0
    return out - 25.0 / 48.0 * x2 * y2


@njit(cache=True)
def _mean(dx, dy, wi, hi, wj, hj):  # type: ignore[no-untyped-def]
    """Mean of ln r between two rectangles whose centres are (dx, dy) apart."""
    r2 = dx * dx + dy * dy
    size = max(max(wi, hi), max(wj, hj))
    if r2 > _FAR * _FAR * size * size:
        spread = (wi * wi + wj * wj - hi * hi - hj * hj) / 24.0
        return 0.5 * math.log(r2) + spread * (dy * dy - dx * dx) / (r2 * r2)
    total = 0.0
    for a in range(4):
        x = dx + (0.5 if a & 1 else -0.5) * wi + (0.5 if a & 2 else -0.5) * wj
        sign_x = 1.0 if (a & 1 > 0) == (a & 2 > 0) else -1.0
        for b in range(4):
            y = dy + (0.5 if b & 1 else -0.5) * hi + (0.5 if b & 2 else -0.5) * hj
            sign_y = 1.0 if (b & 1 > 0) == (b & 2 > 0) else -1.0
            total += sign_x * sign_y * _fourth(x, y)
    return total / (wi * hi * wj * hj)


@njit(cache=True, nogil=True)
def log_means(cells: NDArray[np.float64], mirror: bool) -> NDArray[np.float64]:
    """Mean of ln r (n, n) between n rectangles given as rows (x, y, width, height).

    With `mirror`, between each rectangle and the mirror images in x = 0 of the others.
    """
    n = cells.shape[0]
    out = np.empty((n, n))
    sign = -1.0 if mirror else 1.0
    for i in range(n):
        for j in range(i + 1):
            value = _mean(
                cells[i, 0] - sign * cells[j, 0],
                cells[i, 1] - cells[j, 1],
                cells[i, 2],
                cells[i, 3],
                cells[j, 2],
                cells[j, 3],
            )
            out[i, j] = value
            out[j, i] = value
    return out
