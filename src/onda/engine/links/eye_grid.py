"""A statistical eye as a picture: how likely each voltage is at each moment, for each symbol.

`statistical` works out one moment exactly; here many moments lie on one grid of volts, so that
jitter and noise are put on them afterwards, as often as somebody moves a slider.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.sampler import Jitter, Sampler

__all__ = ["EyeGrid", "contours", "eye_grid", "log10_errors", "with_jitter", "with_noise"]

FloatArray = NDArray[np.float64]
_TAIL = 9.5
"""Standard deviations of a Gaussian that are followed; beyond lies less than 1e-20."""
_ROOM = 1.15
_CORES = 2


@dataclass(frozen=True, slots=True, eq=False)
class EyeGrid:
    """Without noise or jitter.

    Attributes
    ----------
    moments : (m,) s from the sampling time, evenly spaced; volts : (n,) V, evenly spaced
    levels : of the symbols, rising
    mass : (levels, m, n) probability of each voltage while that symbol is sampled
    """

    moments: FloatArray
    volts: FloatArray
    levels: tuple[float, ...]
    mass: FloatArray

    @property
    def step(self) -> float:
        """V from place to place."""
        return float(self.volts[1] - self.volts[0])


def eye_grid(sampler: Sampler, moments: FloatArray, *, places: int = 2048) -> EyeGrid:
    """The eye of all levels of a sampler at moments (m,) s, on a grid of `places` volts."""
    from onda.engine.links.level_kernels import moved

    with ThreadPoolExecutor(_CORES) as pool:
        seen = list(pool.map(lambda moment: sampler.seen_by_level(float(moment)), moments))
    levels = tuple(sampler.levels)
    most = max(abs(x) for x in levels)
    reach = max(
        most * abs(main) + max(float(np.abs(isi.values[[0, -1]]).max()) for isi in by_level)
        for main, by_level in seen
    )
    reach = _ROOM * (reach + _TAIL * sampler.sigma) or 1.0
    volts = np.linspace(-reach, reach, places)
    step = float(volts[1] - volts[0])
    mass = np.zeros((len(levels), len(moments), places + 2))
    one = np.ones(1)

    def lay(i: int) -> None:
        main, by_level = seen[i]
        for k, level in enumerate(levels):
            isi = by_level[k]
            at = (isi.values + level * main + reach) / step
            moved(one, at, isi.weights, mass[k, i])

    with ThreadPoolExecutor(_CORES) as pool:
        list(pool.map(lay, range(len(moments))))
    return EyeGrid(moments, volts, levels, np.ascontiguousarray(mass[..., :places]))


def with_noise(mass: FloatArray, step: float, sigma: float) -> FloatArray:
    """Masses (..., n) with Gaussian noise of `sigma` V rms, on places `step` V apart."""
    from onda.engine.links.level_kernels import spread

    if sigma <= 0.0:
        return mass
    half = max(math.ceil(_TAIL * sigma / step), 1)
    x = np.arange(-half, half + 1) * step / sigma
    kernel = np.exp(-0.5 * x**2)
    flat = mass.reshape(-1, mass.shape[-1])
    out = np.zeros_like(flat)
    spread(flat, kernel / kernel.sum(), out)
    return out.reshape(mass.shape)


def with_jitter(mass: FloatArray, apart: float, jitter: Jitter) -> FloatArray:
    """Masses (..., m, n) at moments `apart` s, as a mixture over those that jitter leads to.

    Moments beyond the first and the last one are taken as these.
    """
    places, weights = jitter.places()
    if jitter.random > 0.0:
        fine = np.arange(-_TAIL, _TAIL + 0.1, 0.2)
        bell = np.exp(-0.5 * fine**2)
        places = (places[:, None] + fine * jitter.random).ravel()
        weights = (weights[:, None] * bell / bell.sum()).ravel()
    if len(places) == 1:
        return mass
    at = places / apart
    half = math.ceil(float(np.abs(at).max())) + 1
    left = np.floor(at).astype(int)
    kernel = np.bincount(left + half, weights * (1.0 - (at - left)), 2 * half + 1)
    kernel += np.bincount(left + half + 1, weights * (at - left), 2 * half + 1)
    m = mass.shape[-2]
    rows = np.arange(m)
    mixing = np.zeros((m, m))
    for offset, weight in zip(range(-half, half + 1), kernel, strict=True):
        mixing[rows, np.clip(rows + offset, 0, m - 1)] += weight
    return np.asarray(mixing @ mass)


def contours(
    mass: FloatArray, volts: FloatArray, pair: int, error_rate: float
) -> tuple[FloatArray, FloatArray]:
    """Upper and lower edge (m,) V of the eye between levels number `pair` and `pair` + 1.

    `mass` (levels, m, n); between two places the logarithm of the share is taken as straight.
    """
    wanted = math.log(error_rate)
    upper = _gone(mass[pair + 1], volts, wanted)
    lower = -_gone(mass[pair][:, ::-1], -volts[::-1], wanted)
    return upper, lower


def _gone(mass: FloatArray, volts: FloatArray, wanted: float) -> FloatArray:
    """V below which a share exp(`wanted`) lies, of rows (m, n)."""
    with np.errstate(divide="ignore"):
        below = np.log(np.cumsum(mass, axis=1))
    at = np.argmax(below >= wanted, axis=1)
    rows = np.arange(len(mass))
    high = below[rows, at]
    low = below[rows, np.maximum(at - 1, 0)]
    some = np.isfinite(low) & (high > low) & (at > 0)
    share = np.ones(len(mass))
    share[some] = (wanted - low[some]) / (high[some] - low[some])
    step = float(volts[1] - volts[0])
    # What is at a place lies half a step to either side of it.
    return np.asarray(volts[at] + (share - 0.5) * step)


def log10_errors(
    mass: FloatArray,
    volts: FloatArray,
    pair: int,
    threshold: Sequence[float] | FloatArray,
    *,
    needed: float = 0.0,
) -> FloatArray:
    """log10 of the share (m,) of two neighbouring levels that is taken for the other one.

    `threshold` (m,) V; within half of `needed` V of it either level may be taken for the other.
    """
    step = float(volts[1] - volts[0])
    out = np.zeros(mass.shape[1])
    for level, back, away in ((pair + 1, False, 0.5 * needed), (pair, True, -0.5 * needed)):
        at = (np.asarray(threshold, dtype=float) + away - volts[0]) / step + 0.5
        one = mass[level][:, ::-1] if back else mass[level]
        place = len(volts) - at if back else at
        below = np.concatenate([np.zeros((len(one), 1)), np.cumsum(one, axis=1)], axis=1)
        k = np.clip(np.floor(place).astype(int), 0, len(volts) - 1)
        rows = np.arange(len(one))
        share = place - k
        low, high = below[rows, k], below[rows, k + 1]
        some = (low > 0.0) & (high > 0.0)
        found = low + share * (high - low)
        found[some] = np.exp(
            (1.0 - share[some]) * np.log(low[some]) + share[some] * np.log(high[some])
        )
        out += 0.5 * found
    return np.asarray(np.log10(np.maximum(out, 1e-300)))
