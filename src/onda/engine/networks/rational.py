"""A matrix of functions of frequency as a sum of poles: D + sum_k R_k / (s - p_k)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["RationalModel"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class RationalModel:
    """Poles shared by all entries of an (n, n) matrix.

    Attributes
    ----------
    poles : (k,) rad/s, complex ones in conjugate pairs that stand next to each other, the one with
        positive imaginary part first; all in the left half plane
    residues : (k, n, n)
    constant : (n, n)
    error : largest deviation from what it was fitted to
    """

    poles: ComplexArray
    residues: ComplexArray
    constant: FloatArray
    error: float = 0.0

    @property
    def order(self) -> int:
        """Number of poles."""
        return len(self.poles)

    def at(self, s: ComplexArray) -> ComplexArray:
        """Matrix (f, n, n) at complex frequencies (f,)."""
        s = np.atleast_1d(np.asarray(s, dtype=complex))
        basis = 1.0 / (s[:, None] - self.poles[None, :])
        return np.asarray(self.constant + np.einsum("fk,kij->fij", basis, self.residues))
