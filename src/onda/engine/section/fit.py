"""Solve for a dimension from a target."""

from __future__ import annotations

import math
from collections.abc import Callable

from scipy.optimize import brentq

from onda.errors import NotPhysical, OutOfReach

__all__ = ["fit_dimension"]


def fit_dimension(
    value_at: Callable[[float], float],
    target: float,
    *,
    low: float,
    high: float,
    name: str = "width",
    rtol: float = 2e-4,
) -> float:
    """Find x in [low, high], metres, with value_at(x) = target; value_at must be monotone.

    Works on logarithms, in which impedance is nearly straight in a dimension.

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
    miss_a, miss_b = miss(a), miss(b)
    if miss_a * miss_b > 0:
        at, off = (low, miss_a) if abs(miss_a) < abs(miss_b) else (high, miss_b)
        nearest = target * math.exp(off)
        limit = "smallest" if at == low else "largest"
        raise OutOfReach(
            f"target {target:.4g} ohm cannot be met: nearest is {nearest:.4g} ohm at the {limit} "
            f"{name} allowed, {at * 1e6:.4g} um",
            nearest=nearest,
            at=at,
            limit=f"{limit} {name}",
        )
    return math.exp(float(brentq(miss, a, b, xtol=rtol, rtol=1e-12, maxiter=60)))
