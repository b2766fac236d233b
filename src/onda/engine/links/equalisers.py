"""Equalisers on a pulse: taps at the transmitter, poles and zeros at the receiver."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = ["continuous", "forward_taps"]

FloatArray = NDArray[np.float64]
_STILL = 1e-9
"""V below which a tail is over."""


def forward_taps(pulse: FloatArray, taps: Sequence[float], samples_per_ui: int) -> FloatArray:
    """A pulse (n,) behind transmit taps one unit interval apart, the first undelayed."""
    out = np.zeros(len(pulse) + (len(taps) - 1) * samples_per_ui)
    for k, tap in enumerate(taps):
        out[k * samples_per_ui : k * samples_per_ui + len(pulse)] += tap * pulse
    return out


def continuous(
    pulse: FloatArray,
    step: float,
    gain: float,
    zeros: Sequence[complex],
    poles: Sequence[complex],
    *,
    after: int = 0,
) -> FloatArray:
    """A pulse behind gain prod(1 - s/z) / prod(1 - s/p), exact for straight pieces between samples.

    Parameters
    ----------
    pulse : (n,) V, `step` s apart; zeros, poles : rad/s; `after` samples more are followed

    Raises
    ------
    NotPhysical : a pole that grows, two equal ones, or as many zeros as poles or more
    """
    p = np.asarray(poles, dtype=complex)
    z = np.asarray(zeros, dtype=complex)
    if len(p) <= len(z) or np.any(p.real >= 0.0) or np.any(z == 0.0):
        raise NotPhysical(
            "equaliser", f"{len(z)} zeros, {len(p)} poles", "more poles than zeros, all decaying"
        )
    if len(np.unique(np.round(p / np.abs(p).max(), 12))) < len(p):
        raise NotPhysical("equaliser", "two poles alike", "poles that differ")
    u = np.concatenate([pulse, np.zeros(after)])
    out = np.zeros(len(u), dtype=complex)
    for k, pole in enumerate(p):
        others = np.delete(p, k)
        residue = -gain * pole * np.prod(1.0 - pole / z) / np.prod(1.0 - pole / others)
        out += residue * _first_order(u, pole, step)
    found = np.asarray(out.real)
    loud = np.flatnonzero(np.abs(found) >= _STILL)
    found[loud[-1] + 1 if len(loud) else 0 :] = 0.0
    return found


def _first_order(u: FloatArray, pole: complex, step: float) -> NDArray[np.complex128]:
    """Response of 1 / (s - pole) to samples joined by straight lines."""
    x = pole * step
    decay = np.exp(x)
    # The integrals of exp(p (T - t)) against a constant and against a rising line.
    whole = np.expm1(x) / pole
    rising = (np.expm1(x) - x) / (pole * x)
    # Compiled, and loaded with what compiles, where it is needed first.
    from onda.engine.links.filter_kernels import one_pole

    return one_pole(u, decay, rising, whole - rising)
