"""Solve for a dimension from a target."""

from __future__ import annotations

import math
from collections.abc import Callable

from onda.errors import NotPhysical, OutOfReach

__all__ = ["fit_dimension"]


_TYPICAL_SLOPE = -0.45
"""d ln Z / d ln w of usual traces: a first step good enough to close in from."""


def fit_dimension(
    value_at: Callable[[float], float],
    target: float,
    *,
    low: float,
    high: float,
    start: float | None = None,
    name: str = "width",
    rtol: float = 2e-4,
) -> float:
    """Find x in [low, high], metres, with value_at(x) = target; value_at must be monotone.

    Works on logarithms, in which impedance is nearly straight in a dimension: a few secant steps
    from `start` mostly do; where they do not, the whole range is bracketed.

    Raises
    ------
    OutOfReach : the target lies outside what low..high gives; carries the nearest value
    """
    if not 0 < low < high:
        raise NotPhysical(name, f"{low}..{high}", "a range above 0")
    if not (math.isfinite(target) and target > 0):
        raise NotPhysical("target", target, "above 0")

    def miss(log_x: float) -> float:
        return math.log(value_at(math.exp(log_x)) / target)

    a, b = math.log(low), math.log(high)
    if start is not None and low <= start <= high:
        found = _secant(miss, math.log(start), a, b, 0.3 * rtol)
        if found is not None:
            return math.exp(found)
    from scipy.optimize import brentq

    miss_a, miss_b = miss(a), miss(b)
    if miss_a * miss_b > 0:
        at, off = (low, miss_a) if abs(miss_a) < abs(miss_b) else (high, miss_b)
        nearest = target * math.exp(off)
        limit = "smallest" if at == low else "largest"
        raise OutOfReach(
            f"Target {target:.4g} Ω cannot be met: the nearest is {nearest:.4g} Ω, at the {limit} "
            f"{name} allowed, {at * 1e6:.4g} µm",
            nearest=nearest,
            at=at,
            limit=f"{limit} {name}",
        )
    return math.exp(float(brentq(miss, a, b, xtol=rtol, rtol=1e-12, maxiter=60)))


def _secant(
    miss: Callable[[float], float], start: float, low: float, high: float, tolerance: float
) -> float | None:
    """Root by secant steps inside low..high; None where they leave it or do not settle."""
    x0, y0 = start, miss(start)
    slope = _TYPICAL_SLOPE
    for _ in range(6):
        if abs(y0) < tolerance:
            return x0
        x1 = x0 - y0 / slope
        if not low <= x1 <= high:
            return None
        y1 = miss(x1)
        if x1 == x0 or y1 == y0:
            return None
        slope = (y1 - y0) / (x1 - x0)
        x0, y0 = x1, y1
    return x0 if abs(y0) < tolerance else None
