"""Statistical eyes: the distribution of what a sampler sees, without sending bits.

Every symbol but the one sampled adds its cursor times one of a few levels, all equally likely and
independent: levels are added cursor by cursor, and gathered in narrow bins by their mean once there
are very many. Crosstalk adds the same way, its phase free; noise is Gaussian.

References
----------
Sanders, Resso, D'Ambrosia, "Channel compliance testing utilizing novel statistical eye
methodology", DesignCon 2004. Casper, Haycock, Mooney, IEEE Symp. VLSI Circuits (2002) 54.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = [
    "Contour",
    "Levels",
    "SampledPulse",
    "contour",
    "disturbance",
    "exceeded",
    "interference",
    "log_share_below",
    "size_at",
]

FloatArray = NDArray[np.float64]
_MOST = 4096
"""Levels that are kept apart; with more they lie on a grid."""
_BINS = 16384
"""Places of the grid."""
_PLACES = 256
"""Levels that a distribution on the grid is moved to."""
_LEAST_STEP = 1e-15
_LEFT_OUT = 1e-4
"""Share of all cursors that may be left out."""
_LEAST_LOG10 = -290.0
_NEAR = 1e-10
"""Share of a level within which it is found."""


@dataclass(frozen=True, slots=True, eq=False)
class Levels:
    """A distribution: values (n,) V, rising, and their weights (n,), which add up to 1."""

    values: FloatArray
    weights: FloatArray

    @classmethod
    def at_rest(cls) -> Levels:
        """Nothing at all."""
        return cls(np.zeros(1), np.ones(1))

    def plus(self, other: Levels) -> Levels:
        """With what is independent of it added: every sum where they are few, else on a grid."""
        if len(self.values) * len(other.values) <= _MOST:
            both = (self.values[:, None] + other.values).ravel()
            return _rising(both, (self.weights[:, None] * other.weights).ravel())
        # The wider one on the grid, the other one as places that it is moved to.
        wide, narrow = (
            (self, other) if np.ptp(self.values) > np.ptp(other.values) else (other, self)
        )
        narrow = narrow.gathered(_PLACES)
        step = max(float(np.ptp(wide.values) + np.ptp(narrow.values)) / _BINS, _LEAST_STEP)
        grid, low = wide.on_grid(step)
        lowest = float(narrow.values.min())
        places = (narrow.values - lowest) / step
        out = np.zeros(len(grid) + int(places.max()) + 2)
        # By sums, not by transforms: rounding must not hide what is rare.
        from onda.engine.links.level_kernels import moved

        moved(grid, places, narrow.weights, out)
        return _from_grid(out, low + lowest, step)

    def on_grid(self, step: float) -> tuple[FloatArray, float]:
        """Weights on places `step` apart, and the first of these; means are kept."""
        low = float(self.values.min())
        at = (self.values - low) / step
        left = np.floor(at).astype(np.int64)
        share = at - left
        count = int(left.max()) + 2
        out = np.bincount(left, self.weights * (1.0 - share), count)
        out += np.bincount(left + 1, self.weights * share, count)
        return np.asarray(out, dtype=np.float64), low

    def gathered(self, bins: int) -> Levels:
        """The same in at most so many bins, each at the mean of what is in it."""
        low, high = float(self.values.min()), float(self.values.max())
        if len(self.values) <= bins or not high > low:
            return self
        at = np.minimum(((self.values - low) / (high - low) * bins).astype(np.int64), bins - 1)
        weights = np.asarray(np.bincount(at, self.weights, bins), dtype=np.float64)
        sums = np.bincount(at, self.weights * self.values, bins)
        some = weights > 0.0
        return Levels(sums[some] / weights[some], weights[some])


@dataclass(frozen=True, slots=True, eq=False)
class SampledPulse:
    """A pulse by samples `step` s apart, straight between them, zero outside."""

    samples: FloatArray
    step: float

    def at(self, time: FloatArray) -> FloatArray:
        """Volts at times (s)."""
        known = np.arange(len(self.samples)) * self.step
        return np.asarray(np.interp(time, known, self.samples, left=0.0, right=0.0))

    def cursors(self, moment: float, unit_interval: float) -> dict[int, float]:
        """Volts one unit interval apart, by number; 0 is that at `moment`, zero ones left out."""
        before = math.floor(moment / unit_interval)
        last = (len(self.samples) - 1) * self.step
        after = max(math.floor((last - moment) / unit_interval), 0)
        numbers = np.arange(min(-before, 0), after + 1)
        volts = self.at(np.asarray(moment + numbers * unit_interval, dtype=np.float64))
        return {int(k): float(v) for k, v in zip(numbers, volts, strict=True) if k == 0 or v != 0.0}


def _rising(values: FloatArray, weights: FloatArray) -> Levels:
    order = np.argsort(values, kind="stable")
    return Levels(values[order], weights[order])


def _from_grid(grid: FloatArray, low: float, step: float) -> Levels:
    some = np.flatnonzero(grid)
    return Levels(np.asarray(low + some * step), grid[some])


def interference(cursors: Iterable[float], levels: Sequence[float] = (-1.0, 1.0)) -> Levels:
    """What symbols of equally likely `levels` add by their cursors (V), rising.

    The smallest cursors are left out as long as all of them together stay below a ten
    thousandth of the sum. A few sums are each kept; of more, those of the largest cursors are moved
    onto a grid that holds all others.
    """
    sizes = sorted(cursors, key=abs, reverse=True)
    kept = len(sizes)
    left = _LEFT_OUT * math.fsum(abs(c) for c in sizes)
    while kept and (left := left - abs(sizes[kept - 1])) >= 0.0:
        kept -= 1
    symbols = np.asarray(levels, dtype=float)
    count = len(symbols)
    exact = int(math.log(_MOST) / math.log(count) + 1e-9)
    if kept > exact:
        exact = int(math.log(_PLACES) / math.log(count) + 1e-9)
    values = np.zeros(1)
    for c in sizes[: min(exact, kept)]:
        values = (values[:, None] + c * symbols).ravel()
    few = np.full(len(values), 1.0 / len(values))
    if kept <= exact:
        return _rising(values, few)
    rest = sizes[exact:kept]
    total = np.ptp(symbols) * math.fsum(abs(c) for c in sizes[:kept])
    step = max(float(total) / _BINS, _LEAST_STEP)
    from onda.engine.links.level_kernels import added, moved

    moves = np.multiply.outer(np.asarray(rest), symbols) / step
    lowest = moves.min(axis=1)
    moves -= lowest[:, None]
    grid = added(moves, 1.0 / count, int(moves.max(axis=1).sum()) + 2 * len(rest) + 4)
    first = float(values.min())
    places = (values - first) / step
    out = np.zeros(len(grid) + int(places.max()) + 2)
    moved(grid, places, few, out)
    return _from_grid(out, step * math.fsum(lowest) + first, step)


def disturbance(
    pulse: SampledPulse,
    unit_interval: float,
    levels: Sequence[float] = (-1.0, 1.0),
    *,
    phases: int = 16,
) -> Levels:
    """What an aggressor of the same rate adds, its phase to the sampler free."""
    values, weights = [], []
    for k in range(phases):
        cursors = pulse.cursors(k / phases * unit_interval, unit_interval)
        one = interference(cursors.values(), levels)
        values.append(one.values)
        weights.append(one.weights / phases)
    return _rising(np.concatenate(values), np.concatenate(weights)).gathered(_BINS // 4)


def exceeded(levels: Levels, largest: float, count: int = 400) -> tuple[FloatArray, FloatArray]:
    """Sizes (count,) V from 0 to `largest`, and log10 of the chance that what is added is of that
    size or more, with either sign."""
    sizes, beyond = _by_size(levels)
    at = np.linspace(0.0, largest, count)
    first = np.searchsorted(sizes, at * (1.0 - _NEAR))
    chance = np.append(beyond, 0.0)[first]
    return at, np.log10(np.clip(chance, 10.0**_LEAST_LOG10, 1.0))


def size_at(levels: Levels, chance: float) -> float:
    """The largest size, V, that is reached with at least that chance, of either sign."""
    sizes, beyond = _by_size(levels)
    often = np.flatnonzero(beyond >= chance)
    return float(sizes[often[-1]]) if len(often) else 0.0


def _by_size(levels: Levels) -> tuple[FloatArray, FloatArray]:
    """Sizes, rising, and the weight of all from each on."""
    sizes = np.abs(levels.values)
    order = np.argsort(sizes, kind="stable")
    # From the largest on, so that what is rare is not lost in what is likely.
    return sizes[order], np.cumsum(levels.weights[order][::-1])[::-1]


def log_share_below(levels: Levels, at: float, sigma: float) -> float:
    """Natural logarithm of the probability that rising levels are below `at`."""
    if sigma > 0.0:
        from onda.engine.links.level_kernels import log_below

        return float(log_below(levels.values, levels.weights, at, sigma))
    below = float(levels.weights[: np.searchsorted(levels.values, at)].sum())
    return math.log(below) if below > 0.0 else -math.inf


def _where_below(levels: Levels, sigma: float, log_share: float) -> float:
    """V that is gone below with a probability."""
    if sigma == 0.0:
        at = int(np.searchsorted(np.cumsum(levels.weights), math.exp(log_share)))
        return float(levels.values[min(at, len(levels.values) - 1)])
    from onda.engine.links.level_kernels import where_below

    size = max(abs(float(levels.values[0])), abs(float(levels.values[-1])), sigma)
    return float(where_below(levels.values, levels.weights, sigma, log_share, _NEAR * size))


@dataclass(frozen=True, slots=True)
class Contour:
    """Between two neighbouring levels at an error rate, V: gone below `upper` with that probability
    while the higher one is sent, above `lower` while the lower one is. Negative heights are
    closed."""

    upper: float
    lower: float

    @property
    def height(self) -> float:
        """Whole height, V."""
        return self.upper - self.lower


def contour(
    isi: Levels, main: float, sigma: float, error_rate: float, levels: tuple[float, float]
) -> Contour:
    """Contour between two sent levels.

    Parameters
    ----------
    isi : of everything but the sampled symbol; main : V, its cursor; sigma : V rms of noise
    levels : the lower and the higher symbol

    Raises
    ------
    NotPhysical : an error rate outside 0 to 1/2, or levels that do not rise
    """
    if not 0.0 < error_rate <= 0.5:
        raise NotPhysical("error rate", error_rate, "above 0, at most 0.5")
    lower, higher = levels
    if not lower < higher or not sigma >= 0.0:
        raise NotPhysical("levels and noise", (levels, sigma), "rising levels, noise of 0 or above")
    wanted = math.log(error_rate)
    upper = higher * main + _where_below(isi, sigma, wanted)
    mirrored = Levels(-isi.values[::-1], isi.weights[::-1])
    return Contour(upper, lower * main - _where_below(mirrored, sigma, wanted))
