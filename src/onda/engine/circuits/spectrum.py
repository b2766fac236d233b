"""The spectrum of one passage of a waveform, whether or not it comes back to where it began."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = ["amplitude_density", "energy_above"]

FloatArray = NDArray[np.float64]


def amplitude_density(time: FloatArray, values: FloatArray) -> tuple[FloatArray, FloatArray]:
    """One-sided amplitude density 2 |X(f)| of a waveform that rests before and after.

    The transform is taken of its slope and divided by j 2 pi f, so that a step, which never comes
    back, has its spectrum too: 2 A / (2 pi f) of a step of A, rolled off by its edge.

    Parameters
    ----------
    time : (n,) s in even steps; values : (n,)

    Returns
    -------
    frequency : (m,) Hz from 1 / duration up to a quarter of the sampling rate
    density : (m,) of the values' unit per Hz

    Raises
    ------
    NotPhysical : fewer than 16 points

    References
    ----------
    C. R. Paul, Introduction to Electromagnetic Compatibility, 2nd ed., ch. 3 (spectra of
    trapezoidal waveforms).
    """
    if len(time) < 16:
        raise NotPhysical("waveform", f"{len(time)} points", "16 points or more")
    even = np.linspace(time[0], time[-1], len(time))
    step = float(even[1] - even[0])
    slope = np.diff(np.interp(even, time, values))
    spectrum = np.fft.rfft(slope)
    frequency = np.asarray(np.fft.rfftfreq(len(slope), step), dtype=np.float64)
    some = slice(1, max(2, len(frequency) // 2))
    f = frequency[some]
    # A difference over one step is the slope seen through a window of that width.
    window = np.sinc(f * step)
    return f, np.asarray(2.0 * np.abs(spectrum[some]) / (2.0 * np.pi * f * window))


def energy_above(time: FloatArray, values: FloatArray, frequency: float) -> float:
    """Share of the energy of a waveform's slope that lies above a frequency (Hz).

    Parameters
    ----------
    time : (n,) s in even steps; values : (n,)
    """
    power = np.abs(np.fft.rfft(np.diff(values))) ** 2
    places = np.fft.rfftfreq(len(values) - 1, float(time[1] - time[0]))
    whole = float(power.sum())
    return float(power[places > frequency].sum()) / whole if whole > 0.0 else 0.0
