"""Data made sound: passive, causal on an even grid. Each tells how much it moved."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.sampling import even_grid, interpolated

__all__ = ["Mended", "causal", "passive", "reciprocal"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_GAIN = 1.0 - 1e-9
_TURNS = 12
_LEAD = 6


@dataclass(frozen=True, slots=True, eq=False)
class Mended:
    """Changed data and the largest change of any entry at any frequency."""

    frequency: FloatArray
    s: ComplexArray
    change: float
    notes: tuple[str, ...] = ()


def passive(frequency: FloatArray, s: ComplexArray) -> Mended:
    """Singular values above 1 brought to 1: the nearest passive data in the 2-norm."""
    u, d, v = np.linalg.svd(s)
    made = np.asarray((u * np.minimum(d, _GAIN)[:, None, :]) @ v)
    made = np.where((d.max(axis=1) > 1.0)[:, None, None], made, s)
    return Mended(frequency, made, float(np.abs(made - s).max()))


def reciprocal(frequency: FloatArray, s: ComplexArray) -> Mended:
    """The mean of S and its transpose."""
    made = np.asarray(0.5 * (s + s.transpose(0, 2, 1)))
    return Mended(frequency, made, float(np.abs(made - s).max()))


def causal(frequency: FloatArray, s: ComplexArray) -> Mended:
    """The network on an even grid from DC without any response before time 0.

    What lies above the band is unknown and wanted only to keep its end from ringing: it is found by
    turns, the response before 0 cut off, the data put back in their band, what is above kept as it
    came out and faded. A few turns, so that no wild content above the band hides an early response.

    References
    ----------
    Papoulis, "A new algorithm in spectral analysis and band-limited extrapolation", IEEE Trans.
    Circuits Syst. 22 (1975) 735.
    """
    even = even_grid(frequency, s)
    count = len(even.frequency)
    longer = even_grid(even.frequency, even.s, step=even.step, top=2.0 * float(even.frequency[-1]))
    fade = np.ones(len(longer.frequency))
    beyond = np.arange(count, len(fade)) - (count - 1)
    fade[count:] = 0.5 * (1.0 + np.cos(np.pi * beyond / max(len(fade) - count, 1)))
    whole = longer.s * fade[:, None, None]
    for _ in range(_TURNS):
        response = np.fft.irfft(whole, axis=0)
        samples = len(response)
        # The second half of the period is the time before 0. The end of the band smears what
        # comes at 0 over a few samples before it, which stay.
        response[samples // 2 + 1 : samples - _LEAD] = 0.0
        found = np.fft.rfft(response, axis=0)
        whole = found * fade[:, None, None]
        whole[:count] = even.s
    made = np.asarray(found[:count])
    inside = (frequency >= even.frequency[0]) & (frequency <= even.frequency[-1])
    back = interpolated(even.frequency, made, frequency[inside])
    return Mended(even.frequency, made, float(np.abs(back - s[inside]).max()), even.notes)
