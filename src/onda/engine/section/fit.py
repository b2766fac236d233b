"""Solve for a dimension from a target."""

from __future__ import annotations

import math
from collections.abc import Callable

from onda.errors import NotPhysical, OutOfReach

__all__ = ["fit_dimension", "fit_two"]


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


def fit_two(
    values_at: Callable[[float, float], tuple[float, float]],
    targets: tuple[float, float],
    *,
    low: tuple[float, float],
    high: tuple[float, float],
    start: tuple[float, float],
    names: tuple[str, str],
    rtol: float = 3e-4,
) -> tuple[float, float]:
    """Find two dimensions that meet two targets at once, by bounded least squares in logarithms.

    Raises
    ------
    OutOfReach : no pair inside the bounds meets both; carries the nearest and names the bound
    """
    import numpy as np
    from scipy.optimize import least_squares

    for name, a, b in zip(names, low, high, strict=True):
        if not 0 < a < b:
            raise NotPhysical(name, f"{a}..{b}", "a range above 0")
    if not all(math.isfinite(t) and t > 0 for t in targets):
        raise NotPhysical("targets", targets, "above 0")
    lower, upper = np.log(low), np.log(high)
    room = 1e-6 * (upper - lower)
    first = np.clip(np.log(start), lower + room, upper - room)

    def miss(logs: np.ndarray) -> np.ndarray:
        found = values_at(*np.exp(logs).tolist())
        return np.log(np.array(found) / np.array(targets))

    # A step of a thousandth stands clear of the rounding of a section solved anew on its own mesh.
    solved = least_squares(
        miss,
        first,
        bounds=(lower, upper),
        diff_step=[2e-3, 2e-3],
        xtol=1e-5,
        ftol=1e-9,
        max_nfev=25,
    )
    x = np.exp(solved.x)
    if float(np.max(np.abs(solved.fun))) > rtol:
        reached = np.array(targets) * np.exp(solved.fun)
        stops = [
            f"{'smallest' if value - a < 0.02 * (b - a) else 'largest'} {name}"
            for name, value, a, b in zip(names, solved.x, lower, upper, strict=True)
            if min(value - a, b - value) < 0.02 * (b - a)
        ]
        limit = " and ".join(stops) or "what the two can do together"
        raise OutOfReach(
            f"Targets {targets[0]:.4g} and {targets[1]:.4g} Ω cannot both be met: the nearest are "
            f"{reached[0]:.4g} and {reached[1]:.4g} Ω; the limit is the {limit}",
            nearest=float(reached[0]),
            at=float(x[0]),
            limit=limit,
        )
    return float(x[0]), float(x[1])
