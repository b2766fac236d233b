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
    "Relaxations",
    "WidebandDebye",
    "fit_dielectric",
]

_CORNERS = 4.0, 14.0
"""Lowest and highest relaxation, powers of ten of rad/s: 1.6 kHz and 16 THz."""
_EDGES = (4.0, 8.0, 9.0, 9.5, 10.0, 10.5, 11.0, 11.5, 12.0, 14.0)
"""Where the strength of relaxations may change in a table of many points."""
_EVEN = 3e-3
"""How much a change from one stretch to the next counts against the table."""
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

    The upper corner, 10^m2 rad/s, lies at 16 THz unless stated, far above any band of use: the loss
    tangent falls by less than 1 % up to 110 GHz.

    References
    ----------
    Djordjevic, Biljic, Likar-Smiljanic, Sarkar, "Wideband frequency-domain characterization of
    FR-4 and time-domain causality", IEEE Trans. EMC-43 (2001) 662, eq. (6).
    """

    eps_inf: float
    delta_eps: float
    m1: float = _CORNERS[0]
    m2: float = _CORNERS[1]

    @classmethod
    def through(
        cls,
        er: float,
        df: float,
        frequency: float,
        *,
        m1: float = _CORNERS[0],
        m2: float = _CORNERS[1],
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


@dataclass(frozen=True, slots=True)
class Relaxations:
    """Loss that may rise or fall with frequency: relaxations spread over stretches of frequency.

    eps(s) = eps_inf + sum_k d_k log10((10^m_(k+1) + s) / (10^m_k + s)); every strength d_k is 0 or
    above, so that the sum is causal and passive. One stretch is the wideband model.

    Attributes
    ----------
    strengths : d_k, in each decade of stretch k
    edges : m_k, powers of ten of rad/s, one more than strengths
    """

    eps_inf: float
    strengths: tuple[float, ...]
    edges: tuple[float, ...] = _EDGES

    def permittivity(self, s: NDArray[np.complex128]) -> NDArray[np.complex128]:
        """Relative permittivity at complex frequencies s (any shape, rad/s), Re s >= 0."""
        logs = _stretches(np.asarray(s, dtype=complex), self.edges)
        return np.asarray(self.eps_inf + logs @ np.array(self.strengths))


def _stretches(s: NDArray[np.complex128], edges: tuple[float, ...]) -> NDArray[np.complex128]:
    """What unit strength in each stretch adds, (..., k)."""
    logs = np.log10(10.0 ** np.array(edges) + s[..., None])
    return np.asarray(np.diff(logs, axis=-1))


Dielectric = ConstantDielectric | ConstantLoss | Relaxations | WidebandDebye


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

    One point is met exactly, by the wideband model. For more, the strengths of relaxations are
    those of least squares without negative ones; Dk counts ten times as much as the same share of
    Df, and strengths change from stretch to stretch no more than the table asks for.

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
        model = _relaxations(frequency, dk, df)
    e = model.permittivity(2j * np.pi * frequency)
    return DielectricFit(
        model,
        float(np.max(np.abs(e.real / dk - 1.0))),
        float(np.max(np.abs(-e.imag / e.real - df))),
    )


def _relaxations(
    frequency: NDArray[np.float64], dk: NDArray[np.float64], df: NDArray[np.float64]
) -> Relaxations:
    """Least squares of a table; raise `NotPhysical` where no causal model comes near it."""
    logs = _stretches(np.asarray(2j * np.pi * frequency), _EDGES)
    lossy = dk * df
    weight = 0.1 / np.maximum(lossy, 0.1 * float(lossy.max()))
    count = logs.shape[1]
    # Strengths in units of the one that the mean loss asks for, so that all unknowns are alike.
    unit = float(lossy.mean()) / (math.pi / 2.0 / math.log(10.0))
    even = np.zeros((count - 1, count + 1))
    even[np.arange(count - 1), np.arange(1, count)] = _EVEN
    even[np.arange(count - 1), np.arange(2, count + 1)] = -_EVEN
    rows = np.concatenate(
        [
            np.column_stack([np.ones_like(dk), unit * logs.real]) / dk[:, None],
            np.column_stack([np.zeros_like(dk), -unit * logs.imag]) * weight[:, None],
            even,
        ]
    )
    wanted = np.concatenate([np.ones_like(dk), lossy * weight, np.zeros(count - 1)])
    found = _not_negative(rows, wanted)
    if found[0] < 1.0 or not found[1:].any():
        raise NotPhysical("table of Dk and Df", "Dk rising with frequency", "causal")
    return Relaxations(float(found[0]), tuple((unit * found[1:]).tolist()))


def _not_negative(rows: NDArray[np.float64], wanted: NDArray[np.float64]) -> NDArray[np.float64]:
    """Least squares without negative unknowns, by an active set (Lawson and Hanson, Solving Least
    Squares Problems (1974), chapter 23)."""
    n = rows.shape[1]
    found, used = np.zeros(n), np.zeros(n, dtype=bool)
    for _ in range(6 * n):
        gain = rows.T @ (wanted - rows @ found)
        gain[used] = -np.inf
        if used.all() or gain.max() <= 1e-14 * float(np.abs(rows.T @ wanted).max()):
            break
        used[int(np.argmax(gain))] = True
        while True:
            tried = np.zeros(n)
            tried[used] = np.linalg.lstsq(rows[:, used], wanted, rcond=None)[0]
            if (tried[used] > 0.0).all():
                break
            # As far towards it as nothing turns negative; what is then 0 stands aside.
            down = used & (tried <= 0.0)
            share = float((found[down] / (found[down] - tried[down])).min())
            found = found + share * (tried - found)
            used &= found > 1e-15
        found = tried
    return found
