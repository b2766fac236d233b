"""Which port is joined to which: read from the response near DC, where lines just connect."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["PortFinding", "find_through", "halves_order", "odd_even_order", "suggest_order"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_CLEAR = 2.0
"""A partner must hear a port this much louder than any other does, or nothing is claimed."""


@dataclass(frozen=True, slots=True)
class PortFinding:
    """Who is joined to whom.

    Attributes
    ----------
    partner : for each port its partner on the other side, None where nothing is clear
    clearness : least ratio of the partner's response to the next loudest one
    """

    partner: tuple[int | None, ...]
    clearness: float


def halves_order(n: int) -> tuple[int, ...]:
    """Ports 0.. n/2-1 left, the others right."""
    return tuple(range(n))


def odd_even_order(n: int) -> tuple[int, ...]:
    """Ports 0, 2, 4.. left, 1, 3, 5.. right."""
    return (*range(0, n, 2), *range(1, n, 2))


def find_through(frequency: FloatArray, s: ComplexArray) -> PortFinding:
    """Partners by the mean response of the lowest tenth of the band (three points at least)."""
    n = s.shape[-1]
    count = max(3, min(len(frequency), len(frequency) // 10))
    level = np.abs(s[:count]).mean(axis=0)
    level = np.maximum(level, level.T)
    np.fill_diagonal(level, 0.0)
    if n < 2:
        return PortFinding((None,) * n, 0.0)
    best = level.argmax(axis=1)
    ordered = np.sort(level, axis=1)
    second = ordered[:, -2] if n > 2 else np.full(n, 1e-9)
    ratio = ordered[:, -1] / np.maximum(second, 1e-9)
    partner: list[int | None] = []
    for p in range(n):
        q = int(best[p])
        mutual = int(best[q]) == p
        partner.append(q if mutual and ratio[p] > _CLEAR else None)
    return PortFinding(tuple(partner), float(ratio.min()))


def suggest_order(
    frequency: FloatArray, s: ComplexArray, order: tuple[int, ...]
) -> tuple[int, ...] | None:
    """A better order (left ports, then right ones lane by lane), None where the order is right.

    The left ports stay as they are where each has its partner elsewhere; only where two partners
    stand on one side, sides are dealt out anew, the lower port of each to the left.
    """
    n = s.shape[-1]
    if n < 2 or n % 2:
        return None
    found = find_through(frequency, s)
    if any(p is None for p in found.partner):
        return None
    half = n // 2
    left = list(order[:half])
    partner = [int(p) for p in found.partner if p is not None]
    if any(partner[p] in left for p in left):
        left = sorted(min(p, partner[p]) for p in range(n))[::2]
    wanted = (*left, *(partner[p] for p in left))
    return None if wanted == tuple(order) else wanted
