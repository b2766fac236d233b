"""Outlines of usual bodies: boxes, trapezoids, circles."""

from __future__ import annotations

import math

from onda.engine.section.geometry import Point
from onda.errors import NotPhysical

__all__ = ["circle", "rectangle", "trapezoid"]


def rectangle(left: float, bottom: float, width: float, height: float) -> tuple[Point, ...]:
    """Corners of a rectangle, anticlockwise, metres."""
    right, top = left + width, bottom + height
    return ((left, bottom), (right, bottom), (right, top), (left, top))


def trapezoid(
    left: float, bottom: float, width: float, height: float, undercut: float, *, base_up: bool
) -> tuple[Point, ...]:
    """Corners of an etched trace: `width` at its base, each side drawn in at the far face."""
    right, top = left + width, bottom + height
    low_cut, high_cut = (undercut, 0.0) if base_up else (0.0, undercut)
    return (
        (left + low_cut, bottom),
        (right - low_cut, bottom),
        (right - high_cut, top),
        (left + high_cut, top),
    )


def circle(x: float, y: float, radius: float, corners: int = 48) -> tuple[Point, ...]:
    """A regular polygon that has the capacity of the circle, so that it stands for it exactly.

    The logarithmic capacity of a regular n-gon of side a is
    a Gamma(1/n) / (2^(1 + 2/n) sqrt(pi) Gamma(1/2 + 1/n)) (Pólya and Szegő, Isoperimetric
    Inequalities in Mathematical Physics (1951), p. 273); that of a circle is its radius.

    Examples
    --------
    >>> shape = circle(0.0, 0.0, 1.0, 64)
    >>> 1.0 < shape[0][0] < 1.002
    True
    """
    if not (math.isfinite(radius) and radius > 0):
        raise NotPhysical("radius", radius, "above 0")
    n = corners
    per_side = math.gamma(1 / n) / (2 ** (1 + 2 / n) * math.sqrt(math.pi) * math.gamma(0.5 + 1 / n))
    r = radius / (per_side * 2.0 * math.sin(math.pi / n))
    step = 2.0 * math.pi / n
    # A corner half a step off the axis makes the shape its own mirror image both ways.
    return tuple(
        (x + r * math.cos((k + 0.5) * step), y + r * math.sin((k + 0.5) * step)) for k in range(n)
    )
