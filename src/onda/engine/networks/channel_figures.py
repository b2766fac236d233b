"""Figures of a channel by the formulas of IEEE Std 802.3: crosstalk noise, loss fit, deviation.

References
----------
IEEE Std 802.3-2018, clauses 85.10.7 (fitted insertion loss and deviation) and 85.10.8 (integrated
crosstalk noise).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = [
    "LossFit",
    "crosstalk_sigma",
    "deviation_figure",
    "fit_insertion_loss",
    "multi_disturber_loss_db",
    "noise_weight",
]

FloatArray = NDArray[np.float64]


def multi_disturber_loss_db(losses_db: Sequence[FloatArray]) -> FloatArray:
    """Power sum of crosstalk losses, each (f,) dB and positive: the loss of all together."""
    return np.asarray(-10.0 * np.log10(sum(10.0 ** (-x / 10.0) for x in losses_db)))


def noise_weight(
    frequency: FloatArray, *, amplitude: float, baud: float, rise_20_80: float, receiver: float
) -> FloatArray:
    """Power spectrum (f,) V^2/Hz of random symbols behind their driver and receiver filter.

    Parameters
    ----------
    amplitude : V; baud : Hz; rise_20_80 : s of the driver; receiver : Hz, its 3 dB bandwidth
    """
    filtered = _filters(frequency, rise_20_80, receiver)
    return np.asarray(amplitude**2 / baud * np.sinc(frequency / baud) ** 2 * filtered)


def _filters(frequency: FloatArray, rise_20_80: float, receiver: float) -> FloatArray:
    driver = 1.0 / (1.0 + (frequency * rise_20_80 / 0.2365) ** 4)
    return np.asarray(driver / (1.0 + (frequency / receiver) ** 8))


def crosstalk_sigma(frequency: FloatArray, loss_db: FloatArray, weight: FloatArray) -> float:
    """Effective noise, V, over evenly spaced frequencies."""
    step = float(frequency[1] - frequency[0])
    return float(np.sqrt(2.0 * step * np.sum(weight * 10.0 ** (-loss_db / 10.0))))


@dataclass(frozen=True, slots=True)
class LossFit:
    """a0 + a1 sqrt(f) + a2 f + a4 f^2, dB with f in Hz, and its values (f,)."""

    a0: float
    a1: float
    a2: float
    a4: float
    fit_db: FloatArray


def fit_insertion_loss(
    frequency: FloatArray, loss_db: FloatArray, *, constant: bool = True
) -> LossFit:
    """Least squares with the amplitude of the signal as weight; `constant` False leaves a0 out."""
    top = float(frequency[-1])
    # Scaled so that all columns are of a size; f^2 alone would be 1e20.
    x = frequency / top
    columns = [np.ones_like(x)] if constant else []
    columns += [np.sqrt(x), x, x**2]
    basis = np.stack(columns, axis=1)
    weight = 10.0 ** (-loss_db / 20.0)
    found = np.linalg.lstsq(basis * weight[:, None], loss_db * weight, rcond=None)[0]
    a = found if constant else np.concatenate([[0.0], found])
    return LossFit(
        float(a[0]),
        float(a[1] / np.sqrt(top)),
        float(a[2] / top),
        float(a[3] / top**2),
        np.asarray(basis @ found),
    )


def deviation_figure(
    frequency: FloatArray,
    deviation_db: FloatArray,
    *,
    baud: float,
    rise_20_80: float,
    receiver: float,
) -> float:
    """Weighted effective deviation of the loss from its fit, dB."""
    weight = np.sinc(frequency / baud) ** 2 * _filters(frequency, rise_20_80, receiver)
    return float(np.sqrt(np.mean(weight * deviation_db**2)))
