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

    The data go on above their band (rule of `sampling`) and fade out over as much again, so that
    the end of the band does not ring; the response before 0 is then cut off.
    """
    even = even_grid(frequency, s)
    count = len(even.frequency)
    longer = even_grid(even.frequency, even.s, step=even.step, top=2.0 * float(even.frequency[-1]))
    fade = np.ones(len(longer.frequency))
    beyond = np.arange(count, len(fade)) - (count - 1)
    fade[count:] = 0.5 * (1.0 + np.cos(np.pi * beyond / max(len(fade) - count, 1)))
    response = np.fft.irfft(longer.s * fade[:, None, None], axis=0)
    samples = len(response)
    # The second half of the period is the time before 0; a sample at 0 belongs to both halves.
    response[samples // 2 + 1 :] = 0.0
    made = np.asarray(np.fft.rfft(response, axis=0)[:count])
    inside = (frequency >= even.frequency[0]) & (frequency <= even.frequency[-1])
    back = interpolated(even.frequency, made, frequency[inside])
    return Mended(even.frequency, made, float(np.abs(back - s[inside]).max()), even.notes)
