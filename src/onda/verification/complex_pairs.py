"""Complex arrays as the pairs of numbers that case files hold."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

__all__ = ["from_pairs", "to_pairs"]

ComplexArray = NDArray[np.complex128]


def to_pairs(values: ComplexArray) -> list[Any]:
    """Nested lists with [re, im] in the place of each value."""
    return list(np.stack([values.real, values.imag], axis=-1).tolist())


def from_pairs(values: Any) -> ComplexArray:
    """An array from nested lists of [re, im]."""
    pairs = np.asarray(values, dtype=float)
    return np.asarray(pairs[..., 0] + 1j * pairs[..., 1])
