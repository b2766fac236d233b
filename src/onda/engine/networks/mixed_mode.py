"""Single-ended waves as differential and common ones.

References
----------
Bockelman and Eisenstadt, "Combined differential and common-mode scattering parameters", IEEE Trans.
Microwave Theory Tech. 43 (1995) 1530: a_d = (a_p - a_n)/sqrt 2, a_c = (a_p + a_n)/sqrt 2; for ports
of R ohm the references are 2 R and R/2.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = ["mixed_mode", "single_ended"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]


def mixed_mode(s: ComplexArray, pairs: Sequence[tuple[int, int]]) -> ComplexArray:
    """Scattering matrix (f, n, n) in mixed modes: all differential ports, then all common ones.

    Parameters
    ----------
    pairs : (positive, negative) port numbers from 0; ports in no pair follow, single-ended

    Raises
    ------
    NotPhysical : a port is named twice or does not exist
    """
    turn = _turn(s.shape[-1], pairs)
    return np.asarray(turn @ s @ turn.T)


def _turn(n: int, pairs: Sequence[tuple[int, int]]) -> FloatArray:
    """Rows: differential ports, common ones, single ones; an orthogonal matrix."""
    named = [p for pair in pairs for p in pair]
    if len(set(named)) != len(named) or not all(0 <= p < n for p in named):
        counted = tuple((p + 1, q + 1) for p, q in pairs)
        raise NotPhysical("pairs", counted, f"each of the ports 1 to {n} at most once")
    turn = np.zeros((n, n))
    k = len(pairs)
    for row, (p, q) in enumerate(pairs):
        turn[row, p], turn[row, q] = 1.0, -1.0
        turn[k + row, p] = turn[k + row, q] = 1.0
    turn[: 2 * k] /= np.sqrt(2.0)
    for row, single in enumerate(sorted(set(range(n)) - set(named))):
        turn[2 * k + row, single] = 1.0
    return turn


def single_ended(s: ComplexArray, pairs: Sequence[tuple[int, int]]) -> ComplexArray:
    """What `mixed_mode` was made from: the inverse of the same turn."""
    turn = _turn(s.shape[-1], pairs)
    return np.asarray(turn.T @ s @ turn)
