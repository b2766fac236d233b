"""Dielectrics against frequency: causal, in the variable s = j 2 pi f (rad/s)."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = ["ConstantDielectric", "Dielectric", "WidebandDebye"]


@dataclass(frozen=True, slots=True)
class ConstantDielectric:
    """Permittivity that does not depend on frequency; lossless, hence causal."""

    er: float

    def permittivity(self, s: NDArray[np.complex128]) -> NDArray[np.complex128]:
        """Relative permittivity at complex frequencies s (any shape, rad/s)."""
        return np.full(np.shape(s), self.er, dtype=complex)


@dataclass(frozen=True, slots=True)
class WidebandDebye:
    """Loss nearly constant over many decades.

    eps(s) = eps_inf + delta_eps/(m2 - m1) * log10((10^m2 + s)/(10^m1 + s))

    References
    ----------
    Djordjevic, Biljic, Likar-Smiljanic, Sarkar, "Wideband frequency-domain characterization of
    FR-4 and time-domain causality", IEEE Trans. EMC-43 (2001) 662, eq. (6).
    """

    eps_inf: float
    delta_eps: float
    m1: float = 4.0
    m2: float = 12.0

    @classmethod
    def through(
        cls, er: float, df: float, frequency: float, *, m1: float = 4.0, m2: float = 12.0
    ) -> WidebandDebye:
        """Model with permittivity `er` and loss tangent `df` exactly at `frequency` (Hz).

        Examples
        --------
        >>> model = WidebandDebye.through(4.0, 0.02, 1e9)
        >>> e = model.permittivity(2j * np.pi * np.array([1e9]))[0]
        >>> round(e.real, 12), round(-e.imag / e.real, 12)
        (4.0, 0.02)
        """
        if not (math.isfinite(er) and er >= 1.0):
            raise NotPhysical("Dk", er, "1 or above")
        if not (math.isfinite(df) and 0.0 <= df < 1.0):
            raise NotPhysical("Df", df, "between 0 and 1")
        if not (math.isfinite(frequency) and frequency > 0):
            raise NotPhysical("frequency of Dk and Df", frequency, "above 0 Hz")
        shape = _shape(np.array([2j * math.pi * frequency]), m1, m2)[0]
        delta = -er * df / shape.imag
        eps_inf = er - delta * shape.real
        if eps_inf < 1.0:
            raise NotPhysical(
                "Df", df, f"small enough for Dk {er} to stay above 1 at all frequencies"
            )
        return cls(eps_inf, delta, m1, m2)

    def permittivity(self, s: NDArray[np.complex128]) -> NDArray[np.complex128]:
        """Relative permittivity at complex frequencies s (any shape, rad/s), Re s >= 0."""
        return self.eps_inf + self.delta_eps * _shape(
            np.asarray(s, dtype=complex), self.m1, self.m2
        )


def _shape(s: NDArray[np.complex128], m1: float, m2: float) -> NDArray[np.complex128]:
    # The difference of logarithms keeps the branch; the logarithm of a quotient may not.
    return (np.log10(10.0**m2 + s) - np.log10(10.0**m1 + s)) / (m2 - m1)


Dielectric = ConstantDielectric | WidebandDebye
