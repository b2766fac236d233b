"""Dielectrics against frequency: causal, in the variable s = j 2 pi f (rad/s)."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = [
    "ConstantDielectric",
    "ConstantLoss",
    "Dielectric",
    "DielectricFit",
    "WidebandDebye",
    "fit_dielectric",
]

_RISE = 0.02
"""Scatter of a measured Dk that is let pass, as a share."""


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


@dataclass(frozen=True, slots=True)
class ConstantLoss:
    """The same loss tangent, tan(df), at every frequency: eps(s) = er (s / w0)^(-2 df / pi).

    `er` is its modulus at `frequency` (Hz).

    References
    ----------
    Kjartansson, "Constant Q wave propagation and attenuation", J. Geophys. Res. 84 (1979) 4737.
    """

    er: float
    df: float
    frequency: float

    def permittivity(self, s: NDArray[np.complex128]) -> NDArray[np.complex128]:
        """Relative permittivity at complex frequencies s (any shape, rad/s), Re s >= 0."""
        over = np.asarray(s, dtype=complex) / (2.0 * math.pi * self.frequency)
        return np.asarray(self.er * over ** (-2.0 * self.df / math.pi))


Dielectric = ConstantDielectric | ConstantLoss | WidebandDebye


@dataclass(frozen=True, slots=True)
class DielectricFit:
    """A causal model of a table, and how well it follows it.

    `dk_error`: largest relative difference in Dk; `df_error`: largest difference in Df, absolute.
    """

    model: Dielectric
    dk_error: float
    df_error: float


def fit_dielectric(points: tuple[tuple[float, float, float], ...]) -> DielectricFit:
    """Causal model through a table of (frequency in Hz, Dk, Df), rising in frequency.

    One point is met exactly. For more, the two strengths of the wideband model are those of least
    squares, in which the model is linear; Dk counts ten times as much as the same share of Df.

    Raises
    ------
    NotPhysical : a value is out of its range, or frequencies do not rise

    Examples
    --------
    >>> fit = fit_dielectric(((1e9, 3.70, 0.0052), (1e10, 3.66, 0.0055)))
    >>> fit.dk_error < 0.005
    True
    """
    if not points:
        raise NotPhysical("table of Dk and Df", "empty", "at least one point")
    for at, value, loss in points:
        if not (math.isfinite(at) and at > 0):
            raise NotPhysical("frequency of Dk and Df", at, "above 0 Hz")
        if not (math.isfinite(value) and value >= 1.0):
            raise NotPhysical("Dk", value, "1 or above")
        if not (math.isfinite(loss) and 0.0 <= loss < 1.0):
            raise NotPhysical("Df", loss, "between 0 and 1")
    table = np.array(points)
    frequency, dk, df = table[:, 0], table[:, 1], table[:, 2]
    if np.any(np.diff(frequency) <= 0):
        raise NotPhysical("frequencies of the table", "not rising", "each above the one before")
    if np.any(np.diff(dk) > _RISE * dk[:-1]):
        raise NotPhysical("table of Dk", "rising with frequency", "causal: level or falling")
    model: Dielectric
    if not df.any():
        model = ConstantDielectric(float(dk.mean()))
    elif len(points) == 1:
        model = WidebandDebye.through(float(dk[0]), float(df[0]), float(frequency[0]))
    else:
        shape = _shape(2j * np.pi * frequency, 4.0, 12.0)
        lossy = dk * df
        weight = 0.1 / np.maximum(lossy, 0.1 * float(lossy.max()))
        rows = np.concatenate(
            [
                np.column_stack([np.ones_like(dk), shape.real]) / dk[:, None],
                np.column_stack([np.zeros_like(dk), -shape.imag]) * weight[:, None],
            ]
        )
        wanted = np.concatenate([np.ones_like(dk), lossy * weight])
        (eps_inf, delta), *_ = np.linalg.lstsq(rows, wanted, rcond=None)
        if delta < 0.0 or eps_inf < 1.0:
            raise NotPhysical("table of Dk and Df", "Dk rising with frequency", "causal")
        model = WidebandDebye(float(eps_inf), float(delta))
    e = model.permittivity(2j * np.pi * frequency)
    return DielectricFit(
        model,
        float(np.max(np.abs(e.real / dk - 1.0))),
        float(np.max(np.abs(-e.imag / e.real - df))),
    )
