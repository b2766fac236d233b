"""Masks: what an eye must keep clear of, as a closed line around the sampling point."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = ["Mask", "hexagon", "largest"]

FloatArray = NDArray[np.float64]
Point = tuple[float, float]
_MOST = 10.0
_NEAR = 1e-6


@dataclass(frozen=True, slots=True)
class Mask:
    """Corners (unit intervals from the sampling point, V from the threshold), in their order.

    Raises
    ------
    NotPhysical : fewer than three corners, a line that crosses itself, or the sampling point
        outside
    """

    corners: tuple[tuple[float, float], ...]

    def __post_init__(self) -> None:
        if len(self.corners) < 3:
            raise NotPhysical("mask", f"{len(self.corners)} corners", "three or more")
        if _crosses_itself(self.corners):
            raise NotPhysical("mask", "crosses itself", "a line that does not")
        if not self.inside(np.zeros(1), np.zeros(1))[0, 0]:
            raise NotPhysical("mask", "beside the sampling point", "around it")

    def grown(self, scale: float) -> Mask:
        """The same, `scale` times as large around the sampling point."""
        return Mask(tuple((x * scale, y * scale) for x, y in self.corners))

    def _crossed(self, offset: FloatArray) -> FloatArray:
        """(sides, x) V where sides pass an offset, infinite where they do not."""
        ends = np.asarray(self.corners, dtype=float)
        a, b = ends[:, None, :], np.roll(ends, -1, axis=0)[:, None, :]
        x = np.asarray(offset, dtype=float)[None, :]
        passed = (a[..., 0] <= x) != (b[..., 0] <= x)
        with np.errstate(divide="ignore", invalid="ignore"):
            share = (x - a[..., 0]) / (b[..., 0] - a[..., 0])
            return np.where(passed, a[..., 1] + share * (b[..., 1] - a[..., 1]), np.inf)

    def reach(self, offset: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Lowest and highest V (x,) at offsets (x,) from the sampling point; NaN beside it."""
        at = self._crossed(offset)
        missed = np.isinf(at).all(axis=0)
        low = np.where(missed, np.nan, at.min(axis=0))
        high = np.where(missed, np.nan, np.where(np.isinf(at), -np.inf, at).max(axis=0))
        return np.asarray(low), np.asarray(high)

    def inside(self, offset: FloatArray, volts: FloatArray) -> NDArray[np.bool_]:
        """Which of the points (x, y) at offsets (x,) and V (y,) lie inside."""
        at = self._crossed(offset)
        count = (at[:, :, None] < np.asarray(volts)[None, None, :]).sum(axis=0)
        return np.asarray(count % 2 == 1)

    def clear_between(self, offset: FloatArray, lower: FloatArray, upper: FloatArray) -> bool:
        """Whether it lies between two lines (x,), V from the threshold."""
        low, high = self.reach(offset)
        some = ~np.isnan(low)
        return bool(np.all((high[some] <= upper[some]) & (low[some] >= lower[some])))


def _side(a: Point, b: Point, c: Point) -> float:
    """Above 0 where c lies left of the way from a to b, 0 on it."""
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])


def _within(a: Point, b: Point, c: Point) -> bool:
    """Whether c, on the line through a and b, lies between them."""
    return min(a[0], b[0]) <= c[0] <= max(a[0], b[0]) and min(a[1], b[1]) <= c[1] <= max(a[1], b[1])


def _crosses_itself(corners: tuple[Point, ...]) -> bool:
    """Whether two sides that are no neighbours have a point in common, or a side has no length."""
    n = len(corners)
    sides = [(corners[k], corners[(k + 1) % n]) for k in range(n)]
    if any(a == b for a, b in sides):
        return True
    for i in range(n):
        for j in range(i + 1, n):
            (a, b), (c, d) = sides[i], sides[j]
            if j == i + 1 or (i == 0 and j == n - 1):
                # Neighbours meet in their corner; one must not run back over the other.
                joint, one, other = (b, a, d) if j == i + 1 else (a, b, c)
                back = (one[0] - joint[0]) * (other[0] - joint[0]) + (one[1] - joint[1]) * (
                    other[1] - joint[1]
                )
                if _side(joint, one, other) == 0.0 and back > 0.0:
                    return True
                continue
            first, second = _side(a, b, c), _side(a, b, d)
            third, fourth = _side(c, d, a), _side(c, d, b)
            if first * second < 0.0 and third * fourth < 0.0:
                return True
            touching = ((first, a, b, c), (second, a, b, d), (third, c, d, a), (fourth, c, d, b))
            if any(side == 0.0 and _within(p, q, r) for side, p, q, r in touching):
                return True
    return False


def hexagon(half_width: float, half_flat: float, half_height: float) -> Mask:
    """The usual one: `half_width` at the threshold and `half_flat` at its top and bottom, in unit
    intervals; `half_height` V."""
    w, f, h = half_width, half_flat, half_height
    corners: Sequence[tuple[float, float]] = (
        ((-w, 0.0), (-f, h), (f, h), (w, 0.0), (f, -h), (-f, -h))
        if f > 0.0
        else ((-w, 0.0), (0.0, h), (w, 0.0), (0.0, -h))
    )
    if f >= w:
        corners = ((-w, h), (w, h), (w, -h), (-w, -h))
    return Mask(tuple(corners))


def largest(mask: Mask, is_clear: Callable[[Mask], bool], most: float = _MOST) -> float:
    """By how much a mask can grow before it is touched, as a share; below 0 where it is hit."""
    low, high = 0.0, most
    while high - low > _NEAR:
        middle = 0.5 * (low + high)
        low, high = (middle, high) if is_clear(mask.grown(middle)) else (low, middle)
    return low - 1.0
