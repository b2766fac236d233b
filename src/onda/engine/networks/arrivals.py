"""A scattering matrix as what arrives after each delay: smooth parts by real poles, and the rest.

A wave through a line is late, and smooth in frequency once its delay is taken out; so is each echo.
Every entry is written as a sum of such arrivals, each with its own delay and a sum of real poles
that all entries share, found by linear least squares: the order does not grow with the delay and
every pole is stable. A short network that rings is met by complex poles without delay instead.
What these leave (ripple, noise) is kept as it is and enters a circuit as a finite impulse response,
so that the model meets its data at every point.

References
----------
Delays taken out of a rational fit: Chinea, Triverio and Grivet-Talocia, "Delay-based macromodeling
of long interconnects from frequency-domain terminal responses", IEEE Trans. Advanced Packaging 33
(2010) 246. The greedy choice of arrivals: Mallat and Zhang, "Matching pursuits with time-frequency
dictionaries", IEEE Trans. Signal Processing 41 (1993) 3397.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.rational import RationalModel

__all__ = ["Arrival", "ArrivalModel"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_DENSITY = 3.0
"""Taps of the rest in a period of the highest frequency."""
_KEPT = 0.75
"""Of the period of the data, what is taken as time after 0; the rest of it is time before."""
_EARLY = 0.125
"""Of the period, over which what the soft end of the band smears to before 0 is folded back."""


@dataclass(frozen=True, slots=True, eq=False)
class Arrival:
    """One part of one entry: exp(-s delay) (constant + sum residues_k / (s + p_k)).

    Attributes
    ----------
    row, column : of the entry
    delay : s
    constant : 1
    residues : (k,) rad/s
    """

    row: int
    column: int
    delay: float
    constant: float
    residues: FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class ArrivalModel:
    """An n-port by its arrivals.

    Attributes
    ----------
    poles : (k,) rad/s, above 0
    arrivals : of all entries
    resonances : of all entries, without delay; None where arrivals say it all
    step : Hz between the points of `rest`
    rest : (f, n, n) on k * step from 0, what the arrivals leave of the data; it fades out above
    top : Hz, end of the data
    dc : (n, n), exact at 0 Hz
    error : largest deviation from the data at its own frequencies
    gain : largest singular value inside the band, between the points of the data too
    gain_above : largest singular value above the band
    """

    poles: FloatArray
    arrivals: tuple[Arrival, ...]
    step: float
    rest: ComplexArray
    top: float
    dc: FloatArray
    resonances: RationalModel | None = None
    error: float = 0.0
    gain: float = 0.0
    gain_above: float = 0.0

    @property
    def ports(self) -> int:
        """Number of ports."""
        return len(self.dc)

    @property
    def size(self) -> str:
        """How much it holds, in words."""
        if self.resonances is not None:
            return f"{self.resonances.order} poles"
        return f"{len(self.arrivals)} arrivals of {len(self.poles)} poles"

    @property
    def spacing(self) -> float:
        """Time between taps that is short enough for all that the rest holds, s."""
        return 1.0 / (_DENSITY * self.top)

    def smooth_at(self, s: ComplexArray) -> ComplexArray:
        """What arrives and rings, without the rest: (f, n, n) at complex frequencies (f,)."""
        basis = 1.0 / (s[:, None] + self.poles)
        out = np.zeros((len(s), self.ports, self.ports), dtype=complex)
        for one in self.arrivals:
            value = one.constant + basis @ one.residues
            out[:, one.row, one.column] += value * np.exp(-s * one.delay)
        return out if self.resonances is None else out + self.resonances.at(s)

    def taps(self, spacing: float) -> FloatArray:
        """The rest as a response (m, n, n): shares of the wave m * `spacing` s earlier.

        Together with the arrivals they are exact at rest.
        """
        period = 1.0 / self.step
        count, before = (math.ceil(share * period / spacing) for share in (_KEPT, _EARLY))
        f = self.step * np.arange(len(self.rest))
        past = np.clip((f - self.top) / (f[-1] - self.top), 0.0, 1.0)
        weight = 0.5 + 0.5 * np.cos(math.pi * past)
        weight[0] = 0.5
        flat = (self.rest * weight[:, None, None]).reshape(len(f), -1)
        # Imported where it is needed: it takes as long to load as the whole window.
        from scipy.signal import czt

        # Every `spacing` from `before` on, which need not fit the period: a chirp transform.
        turn = 2j * math.pi * self.step * spacing
        start = np.exp(-turn * before * np.arange(len(f)))[:, None]
        sums = czt(flat * start, m=before + count, w=np.exp(turn), axis=0)
        out = np.asarray(2.0 * self.step * spacing * sums.real)
        early, late = out[:before][::-1], out[before:]
        late[1 : before + 1] += early[: len(late) - 1]
        # The response to a wave that is held is the sum of all taps.
        rest = self.dc - self.smooth_at(np.zeros(1, complex))[0].real
        late[0] += rest.ravel() - late.sum(axis=0)
        return late.reshape(-1, self.ports, self.ports)

    def at(self, s: ComplexArray) -> ComplexArray:
        """Matrix (f, n, n) at complex frequencies (f,), Re s >= 0."""
        s = np.atleast_1d(np.asarray(s, dtype=complex))
        late = np.exp(-s * self.spacing)[:, None, None]
        total = np.zeros((len(s), self.ports, self.ports), dtype=complex)
        for tap in self.taps(self.spacing)[::-1]:
            total = total * late + tap
        return self.smooth_at(s) + total
