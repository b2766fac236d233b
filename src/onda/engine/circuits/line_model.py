"""A line for time stepping: its delay taken out, what is left as a sum of real poles.

Each end sees i = Yc v - J with J = H (Yc v + i) of the other end, one delay earlier (the method of
characteristics; Branin, Proc. IEEE 55 (1967) 2012, with frequency dependence as in Morched,
Gustavsen and Tartibi, "A universal model for accurate calculation of electromagnetic transients on
overhead lines and underground cables", IEEE Trans. Power Delivery 14 (1999) 1032). Skin effect and
relaxation are smooth in frequency, so that fixed poles, evenly spread over the decades, fit both
functions by linear least squares and are stable by construction.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from onda.engine.lines import Line

__all__ = ["Band", "LineModel", "fit_poles", "line_model", "spread_poles", "travel_time"]

FloatArray = NDArray[np.float64]
ComplexArray = NDArray[np.complex128]
_POLES_PER_DECADE = (3.0, 5.0, 7.0)
"""Tried in turn until the fit is good."""
_DELAY_SHARES = (1.0, 0.9985, 0.9965, 1.002, 0.992, 0.988)
"""Of the phase delay at the top of the band: which leaves least to the poles differs by line."""
_SOUND = (0.0, 1.25)
"""What passes at once lies here; else poles above the band, which no step follows, hold a delay."""
_GOOD = 1e-4


@dataclass(frozen=True, slots=True)
class Band:
    """Frequencies (Hz) over which a model must hold."""

    low: float
    high: float


@dataclass(frozen=True, slots=True, eq=False)
class LineModel:
    """Yc(s) = y + sum y_k / (s + p_k), H(s) = exp(-s delay) (h + sum h_k / (s + p_k)).

    Attributes
    ----------
    delay : s
    poles : (k,) rad/s, above 0; empty for a line without loss
    y, y_residues : S, (k,) S rad/s
    h, h_residues : 1, (k,) rad/s
    error : largest error of either fit over the band, relative to its value at the top for Yc
    """

    delay: float
    poles: FloatArray
    y: float
    y_residues: FloatArray
    h: float
    h_residues: FloatArray
    error: float


def travel_time(line: Line, length: float, frequency: float) -> float:
    """Time that a wave of a frequency (Hz) takes, s."""
    return line.delay_per_m(frequency) * length


@lru_cache(maxsize=512)
def line_model(line: Line, length: float, band: Band) -> LineModel:
    """Fit a piece of line over a band."""
    f = np.geomspace(band.low, band.high, 161)
    s = np.asarray(2j * np.pi * f)
    gamma, zc = line.propagation(s)
    delay = float(gamma[-1].imag) * length / (2.0 * math.pi * band.high)
    if _is_plain(zc, gamma):
        none = np.empty(0)
        return LineModel(delay, none, float(1.0 / zc[-1].real), none, 1.0, none, 0.0)
    y_top = float((1.0 / zc[-1]).real)
    models = []
    for per_decade in _POLES_PER_DECADE:
        poles = spread_poles(band, per_decade)
        y, y_residues, y_error = _fit(s, 1.0 / (zc * y_top), poles)
        for share in _DELAY_SHARES:
            tau = delay * share
            h, h_residues, h_error = _fit(s, np.exp(-gamma * length + s * tau), poles)
            error = max(y_error, h_error)
            model = LineModel(tau, poles, y * y_top, y_residues * y_top, h, h_residues, error)
            if _rank(model) < (False, _GOOD):
                return model
            models.append(model)
    return min(models, key=_rank)


def _rank(model: LineModel) -> tuple[bool, float]:
    """Sound before not sound, then by its error."""
    return not _SOUND[0] <= model.h <= _SOUND[1], model.error


def _is_plain(zc: ComplexArray, gamma: ComplexArray) -> bool:
    """Whether impedance and delay are the same at all frequencies, without loss."""
    return bool(
        np.abs(zc / zc[-1] - 1.0).max() < 1e-9
        and np.abs(gamma.real).max() < 1e-9 * np.abs(gamma[-1])
    )


def spread_poles(band: Band, per_decade: float) -> FloatArray:
    """Poles (rad/s) evenly over the decades of a band and a little beyond."""
    low, high = 2.0 * math.pi * band.low / 3.0, 2.0 * math.pi * band.high * 2.0
    count = max(6, round(per_decade * math.log10(high / low)))
    return np.geomspace(low, high, count)


def _fit(
    s: ComplexArray, values: ComplexArray, poles: FloatArray
) -> tuple[float, FloatArray, float]:
    constant, residues, error = fit_poles(s, values[:, None], poles)
    return float(constant[0]), residues[:, 0], error


def fit_poles(
    s: ComplexArray, values: ComplexArray, poles: FloatArray
) -> tuple[FloatArray, FloatArray, float]:
    """Constants (m,), residues (k, m) and largest error of the best sums of the given real poles
    for functions (f, m) of s (f,)."""
    basis = np.concatenate([np.ones((len(s), 1)), poles / (s[:, None] + poles)], axis=1)
    # A trace of damping keeps neighbouring poles from large answers of opposite sign.
    ridge = 1e-9 * np.eye(basis.shape[1]) * math.sqrt(len(s))
    matrix = np.concatenate([basis.real, basis.imag, ridge])
    wanted = np.concatenate([values.real, values.imag, np.zeros((len(ridge), values.shape[1]))])
    found = np.linalg.lstsq(matrix, wanted, rcond=None)[0]
    error = float(np.abs(basis @ found - values).max())
    return found[0], np.asarray(found[1:] * poles[:, None]), error
