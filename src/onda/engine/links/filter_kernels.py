"""Compiled loops of filters."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

__all__ = ["one_pole"]


@njit(cache=True, nogil=True)
def one_pole(
    u: NDArray[np.float64], decay: complex, now: complex, before: complex
) -> NDArray[np.complex128]:
    """y[n] = decay y[n-1] + now u[n] + before u[n-1], from nothing at the first sample."""
    y = np.zeros(len(u), dtype=np.complex128)
    for n in range(1, len(u)):
        y[n] = decay * y[n - 1] + now * u[n] + before * u[n - 1]
    return y
