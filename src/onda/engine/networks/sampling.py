"""Networks on other frequencies: a point at DC, an even grid, between and beyond the data.

Stated rules. Between points the delay of each entry is taken out first, then a cubic runs through
its real and imaginary part, so that fast phase is not cut short. At DC the entry is real: the even
part (real) and the odd part (imaginary) of a low-order polynomial through the lowest points.
Beyond the last point the magnitude goes on by the loss law a1 sqrt(f) + a2 f of the upper half of
the band where it falls, else stays, and the phase goes on with its delay.

References
----------
IEEE Std 370-2020, annex on interpolation and extrapolation to DC.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = ["Resampled", "dc_point", "even_grid", "extrapolated", "interpolated", "phase_delay"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_MOST_POINTS = 2**17


@dataclass(frozen=True, slots=True, eq=False)
class Resampled:
    """A network on k * step from 0; `notes` say what was added to the data."""

    frequency: FloatArray
    s: ComplexArray
    notes: tuple[str, ...]

    @property
    def step(self) -> float:
        """Hz between points."""
        return float(self.frequency[1])


def phase_delay(frequency: FloatArray, entry: ComplexArray) -> float:
    """Delay (s) of one entry (f,) by its phase slope, points counted by their magnitude.

    Examples
    --------
    >>> f = np.linspace(1e8, 1e10, 100)
    >>> round(phase_delay(f, np.exp(-2j * np.pi * f * 1e-9)) * 1e12)
    1000
    """
    if len(frequency) < 2:
        return 0.0
    turn = entry[1:] * entry[:-1].conj()
    step = np.diff(frequency)
    weight = np.abs(turn)
    if not weight.sum() > 0:
        return 0.0
    return float(np.sum(-np.angle(turn) / (2.0 * np.pi * step) * weight) / weight.sum())


def _delays(frequency: FloatArray, s: ComplexArray) -> FloatArray:
    n = s.shape[-1]
    found = [phase_delay(frequency, s[:, i, j]) for i in range(n) for j in range(n)]
    # A reflection of several echoes has no delay of its own; a negative one is none.
    return np.maximum(np.array(found).reshape(n, n), 0.0)


def interpolated(frequency: FloatArray, s: ComplexArray, wanted: FloatArray) -> ComplexArray:
    """S (w, n, n) at frequencies inside the data.

    Raises
    ------
    NotPhysical : outside the data, or fewer than two points
    """
    wanted = np.asarray(wanted, dtype=float)
    if len(frequency) < 2:
        raise NotPhysical("network", f"{len(frequency)} point", "two points or more")
    slack = 1e-9 * frequency[-1]
    if (wanted < frequency[0] - slack).any() or (wanted > frequency[-1] + slack).any():
        raise NotPhysical(
            "frequency",
            f"{wanted.min():.4g} to {wanted.max():.4g} Hz",
            f"inside the data, {frequency[0]:.4g} to {frequency[-1]:.4g} Hz",
        )
    delay = _delays(frequency, s)
    still = s * np.exp(2j * np.pi * frequency[:, None, None] * delay)
    if len(frequency) < 4:
        found = np.empty((len(wanted), *s.shape[1:]), dtype=complex)
        for i, j in np.ndindex(*s.shape[1:]):
            found[:, i, j] = np.interp(wanted, frequency, still[:, i, j])
    else:
        # Imported where it is needed: it takes as long to load as the whole window.
        from scipy.interpolate import CubicSpline

        found = CubicSpline(frequency, still, axis=0)(wanted)
    return np.asarray(found * np.exp(-2j * np.pi * wanted[:, None, None] * delay))


def dc_point(frequency: FloatArray, s: ComplexArray) -> ComplexArray:
    """Real S (n, n) at 0 Hz from the lowest points, no entry above 1 in magnitude."""
    if frequency[0] == 0.0:
        return np.asarray(s[0].real + 0j)
    count = min(len(frequency), 6)
    f, low = frequency[:count] / frequency[count - 1], s[:count]
    delay = _delays(frequency[: max(count, min(len(frequency), 12))], s[: max(count, 12)])
    still = low * np.exp(2j * np.pi * frequency[:count, None, None] * delay)
    # Loss starts with the root of f, dielectrics and inductance with f: both parts see them.
    terms = [np.ones(count), np.sqrt(f), f][: max(1, min(3, count - 1))]
    basis = np.stack(terms, axis=1)
    real = np.linalg.lstsq(basis, still.real.reshape(count, -1), rcond=None)[0][0]
    return np.asarray(np.clip(real.reshape(s.shape[1:]), -1.0, 1.0) + 0j)


def extrapolated(frequency: FloatArray, s: ComplexArray, wanted: FloatArray) -> ComplexArray:
    """S (w, n, n) above the last point by the stated rule."""
    top = frequency[-1]
    upper = frequency >= 0.5 * top
    f = frequency[upper] / top
    out = np.empty((len(wanted), *s.shape[1:]), dtype=complex)
    delay = _delays(frequency[upper], s[upper]) if upper.sum() > 1 else np.zeros(s.shape[1:])
    for i, j in np.ndindex(*s.shape[1:]):
        entry = s[upper, i, j]
        last = entry[-1]
        size = np.maximum(np.abs(entry), 1e-12)
        basis = np.stack([np.sqrt(f), f], axis=1)
        found = np.linalg.lstsq(basis * size[:, None], -np.log(size) * size, rcond=None)[0]
        law = np.sqrt(wanted / top) * found[0] + wanted / top * found[1]
        fall = np.minimum(np.exp(-(law - found.sum())), 1.0)
        out[:, i, j] = last * fall * np.exp(-2j * np.pi * (wanted - top) * delay[i, j])
    return out


def even_grid(
    frequency: FloatArray, s: ComplexArray, *, step: float | None = None, top: float | None = None
) -> Resampled:
    """The network on an even grid from DC.

    Parameters
    ----------
    step : Hz; the smallest step of the data where None
    top : Hz, the last point wanted; the end of the data where None

    Raises
    ------
    NotPhysical : fewer than two points, or a grid of more than 131072 points
    """
    if len(frequency) < 2:
        raise NotPhysical("network", f"{len(frequency)} point", "two points or more")
    wanted_step = float(np.diff(frequency).min()) if step is None else step
    wanted_top = float(frequency[-1]) if top is None else top
    count = round(wanted_top / wanted_step)
    if count < 2 or count > _MOST_POINTS:
        raise NotPhysical("grid", f"{count} points", f"2 to {_MOST_POINTS} points")
    grid = np.arange(count + 1) * (wanted_top / count)
    notes: list[str] = []
    inside = (grid >= frequency[0] * (1.0 - 1e-9)) & (grid <= frequency[-1] * (1.0 + 1e-9))
    out = np.empty((len(grid), *s.shape[1:]), dtype=complex)
    known_f, known_s = frequency, s
    below = grid < frequency[0] * (1.0 - 1e-9)
    if below.any():
        known_f = np.concatenate([[0.0], frequency])
        known_s = np.concatenate([dc_point(frequency, s)[None], s])
        notes.append(f"below {frequency[0] / 1e6:.4g} MHz by extrapolation to DC")
    out[inside | below] = interpolated(
        known_f, known_s, np.clip(grid[inside | below], known_f[0], known_f[-1])
    )
    above = grid > frequency[-1] * (1.0 + 1e-9)
    if above.any():
        out[above] = extrapolated(frequency, s, grid[above])
        notes.append(f"above {frequency[-1] / 1e9:.4g} GHz by the loss law of the upper half")
    out[0] = out[0].real
    return Resampled(np.asarray(grid, dtype=np.float64), out, tuple(notes))
