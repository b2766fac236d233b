"""Pseudo-random bit sequences.

Generator polynomials as in ITU-T O.150 (1996) and, for 7 and 13 bits, ITU-T O.153 style practice:
x^n + x^k + 1 (x^13 + x^12 + x^2 + x + 1 for 13).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = ["PRBS_ORDERS", "prbs"]

_TAPS: dict[int, tuple[int, ...]] = {
    7: (7, 6),
    9: (9, 5),
    11: (11, 9),
    13: (13, 12, 2, 1),
    15: (15, 14),
    17: (17, 14),
    20: (20, 3),
    23: (23, 18),
    29: (29, 27),
    31: (31, 28),
}
PRBS_ORDERS = tuple(_TAPS)


def prbs(order: int, count: int) -> NDArray[np.int8]:
    """First `count` bits (0 or 1) of the sequence of length 2^order - 1, from all ones.

    Examples
    --------
    >>> prbs(7, 8).tolist()
    [1, 1, 1, 1, 1, 1, 1, 0]
    """
    from onda.engine.links.pattern_kernels import shift_register

    if order not in _TAPS:
        raise NotPhysical("PRBS order", order, f"one of {', '.join(map(str, PRBS_ORDERS))}")
    if count < 1:
        raise NotPhysical("bits", count, "at least 1")
    bits: NDArray[np.int8] = shift_register(order, np.array(_TAPS[order]), count)
    return bits
