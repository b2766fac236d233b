"""Compiled tracing of field lines."""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from onda.engine.section.section_kernels import _influence

__all__ = ["trace_line"]


@njit(cache=True, nogil=True)
def _direction(px, py, start, end, sigma, images, b):  # type: ignore[no-untyped-def]
    ex = 0.0
    ey = 0.0
    for j in range(start.shape[0]):
        dx = end[j, 0] - start[j, 0]
        dy = end[j, 1] - start[j, 1]
        length = math.sqrt(dx * dx + dy * dy)
        _, gx, gy = _influence(
            px, py, start[j, 0], start[j, 1], dx / length, dy / length, length, images, b
        )
        ex += gx * sigma[j]
        ey += gy * sigma[j]
    size = math.sqrt(ex * ex + ey * ey)
    if size == 0.0:
        return 0.0, 0.0
    return ex / size, ey / size


@njit(cache=True, nogil=True)
def trace_line(
    origin: NDArray[np.float64],
    sign: float,
    start: NDArray[np.float64],
    end: NDArray[np.float64],
    sigma: NDArray[np.float64],
    images: int,
    b: float,
    step: float,
    window: NDArray[np.float64],
) -> NDArray[np.float64]:
    """Follow the field from a point until a plane, a conductor or the window's edge.

    window : x low, x high, y high in metres; the lower bound is the plane at y = 0.
    Midpoint rule; a step that turns by more than 60 degrees is taken as the arrival.
    """
    out = np.empty((400, 2))
    out[0] = origin
    x, y = origin[0], origin[1]
    lx, ly = 0.0, 0.0
    n = 1
    while n < 400:
        ux, uy = _direction(x, y, start, end, sigma, images, b)
        mx, my = x + 0.5 * step * sign * ux, y + 0.5 * step * sign * uy
        vx, vy = _direction(mx, my, start, end, sigma, images, b)
        if n > 2 and vx * lx + vy * ly < 0.5:
            break
        x, y = x + step * sign * vx, y + step * sign * vy
        lx, ly = vx, vy
        if images >= 1 and y <= 0.0:
            out[n, 0], out[n, 1] = x, 0.0
            n += 1
            break
        if images == 2 and y >= b:
            out[n, 0], out[n, 1] = x, b
            n += 1
            break
        if x < window[0] or x > window[1] or y > window[2]:
            break
        out[n, 0], out[n, 1] = x, y
        n += 1
    return out[:n]
