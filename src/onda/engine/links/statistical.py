"""Statistical eyes: the distribution of what a sampler sees, without sending bits.

Every symbol but the one sampled adds its cursor times one of a few levels, all equally likely and
independent: levels are added cursor by cursor, and gathered in narrow bins by their mean once there
are very many. Crosstalk adds the same way, its phase free; noise is Gaussian. Jitter moves the
moment of sampling, the same for all cursors.

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
    "Crossings",
    "Jitter",
    "Levels",
    "SampledPulse",
    "bathtub",
    "contour",
    "crossings",
    "disturbance",
    "interference",
]

FloatArray = NDArray[np.float64]
_MOST = 4096
"""Levels that are kept apart; with more they lie on a grid."""
_BINS = 8192
"""Places of the grid."""
_LEAST_STEP = 1e-15
_LEFT_OUT = 1e-4
"""Share of all cursors that may be left out."""
_LEAST_LOG10 = -290.0
_ARCS = 64
"""Phases of a sine of jitter."""
_CHEAP = 4.0e6
"""Levels times moments that are looked at in one go."""


@dataclass(frozen=True, slots=True, eq=False)
class Levels:
    """A distribution: values (n,) V and their weights (n,), which add up to 1."""

    values: FloatArray
    weights: FloatArray

    @classmethod
    def at_rest(cls) -> Levels:
        """Nothing at all."""
        return cls(np.zeros(1), np.ones(1))

    def plus(self, other: Levels, step: float = 0.0) -> Levels:
        """With what is independent of it added: every sum where they are few, else on a grid of
        `step` V, or of a share of all that there is."""
        if len(self.values) * len(other.values) <= _MOST:
            both = (self.values[:, None] + other.values).ravel()
            return Levels(both, (self.weights[:, None] * other.weights).ravel())
        finest = (np.ptp(self.values) + np.ptp(other.values)) / _BINS
        step = max(float(finest), step, _LEAST_STEP)
        (a, first), (b, second) = (x.on_grid(step) for x in (self, other))
        # By sums, not by transforms: rounding must not hide what is rare.
        found = np.convolve(a, b)
        some = found > 0.0
        places = first + second + np.arange(len(found)) * step
        return Levels(np.asarray(places[some]), np.asarray(found[some]))

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


def interference(cursors: Iterable[float], levels: Sequence[float] = (-1.0, 1.0)) -> Levels:
    """What symbols of equally likely `levels` add by their cursors (V).

    The smallest cursors are left out as long as all of them together stay below a ten
    thousandth of the sum.
    """
    sizes = sorted(cursors, key=abs, reverse=True)
    kept = len(sizes)
    left = _LEFT_OUT * math.fsum(abs(c) for c in sizes)
    while kept and (left := left - abs(sizes[kept - 1])) >= 0.0:
        kept -= 1
    symbols = np.asarray(levels, dtype=float)
    # Small cursors need no finer places than the sum of all has.
    step = float(np.ptp(symbols)) * math.fsum(abs(c) for c in sizes) / _BINS
    share = np.full(len(symbols), 1.0 / len(symbols))
    out = Levels.at_rest()
    tail = Levels.at_rest()
    for c in sizes[:kept]:
        one = Levels(c * symbols, share)
        if len(out.values) * len(symbols) <= _MOST:
            out = out.plus(one)
        else:
            tail = tail.plus(one, step)
    return out.plus(tail, step) if len(tail.values) > 1 else out


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
    return Levels(np.concatenate(values), np.concatenate(weights)).gathered(_BINS // 4)


def _log_below(levels: Levels, at: FloatArray, sigma: float) -> FloatArray:
    """Natural logarithm of the probability of being below `at` (m,)."""
    from scipy.special import log_ndtr, logsumexp

    if sigma > 0.0:
        out = np.empty(len(at))
        rows = max(int(_CHEAP / len(levels.values)), 1)
        for k in range(0, len(at), rows):
            some = at[k : k + rows, None]
            tail = log_ndtr((some - levels.values) / sigma)
            out[k : k + rows] = logsumexp(tail, b=levels.weights, axis=1)
        return out
    with np.errstate(divide="ignore"):
        return np.asarray(np.log((levels.weights * (levels.values < at[:, None])).sum(axis=1)))


def _where_below(levels: Levels, sigma: float, log_share: float) -> float:
    """V that is gone below with a probability."""
    if sigma == 0.0:
        order = np.argsort(levels.values)
        below = np.cumsum(levels.weights[order])
        at = int(np.searchsorted(below, math.exp(log_share)))
        return float(levels.values[order[min(at, len(order) - 1)]])
    reach = 40.0 * sigma + 1e-12
    low, high = float(levels.values.min()) - reach, float(levels.values.max()) + reach
    for _ in range(200):
        middle = 0.5 * (low + high)
        if _log_below(levels, np.array([middle]), sigma)[0] < log_share:
            low = middle
        else:
            high = middle
        if high - low < 1e-12 * max(abs(high), abs(low), 1e-6):
            break
    return 0.5 * (low + high)


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
    mirrored = Levels(-isi.values, isi.weights)
    return Contour(upper, lower * main - _where_below(mirrored, sigma, wanted))


@dataclass(frozen=True, slots=True)
class Jitter:
    """Of the moment of sampling, s: Gaussian rms, two equally likely places `dual_dirac` apart, and
    a sine of that amplitude with any phase."""

    random: float = 0.0
    dual_dirac: float = 0.0
    sine: float = 0.0

    def places(self) -> tuple[FloatArray, FloatArray]:
        """Places of all but the Gaussian part and their weights."""
        places, weights = np.zeros(1), np.ones(1)
        if self.dual_dirac > 0.0:
            places = np.array([-0.5, 0.5]) * self.dual_dirac
            weights = np.array([0.5, 0.5])
        if self.sine > 0.0:
            arcs = self.sine * np.cos(math.pi * (np.arange(_ARCS) + 0.5) / _ARCS)
            places = (places[:, None] + arcs).ravel()
            weights = (weights[:, None] * np.full(_ARCS, 1.0 / _ARCS)).ravel()
        return places, weights


@dataclass(frozen=True, slots=True)
class Crossings:
    """Where an error rate is passed left and right of the best moment, s from the sampling time;
    NaN where it is nowhere reached."""

    left: float
    right: float

    @property
    def width(self) -> float:
        """Between both, s; 0 where the eye is closed."""
        return self.right - self.left if self.right == self.right else 0.0


def _without_jitter(
    pulse: SampledPulse,
    sampling: float,
    unit_interval: float,
    sigma: float,
    taps: Sequence[float],
    moments: FloatArray,
    extra: Levels | None,
) -> FloatArray:
    """log10 of the error rate of two-level symbols against a threshold of 0 V."""
    out = np.empty(len(moments))
    for i, moment in enumerate(moments):
        cursors = pulse.cursors(sampling + moment, unit_interval)
        main = cursors.pop(0)
        for j, tap in enumerate(taps, 1):
            cursors[j] = cursors.get(j, 0.0) - tap
        isi = interference(cursors.values())
        if extra is not None:
            isi = isi.plus(extra)
        out[i] = _log_below(isi, np.array([-main]), sigma)[0] / math.log(10.0)
    return np.maximum(out, _LEAST_LOG10 - 300.0)


def bathtub(
    pulse: SampledPulse,
    sampling: float,
    unit_interval: float,
    sigma: float,
    jitter: Jitter,
    *,
    taps: Sequence[float] = (),
    extra: Levels | None = None,
    span: float = 0.75,
    density: float = 256.0,
) -> tuple[FloatArray, FloatArray]:
    """Moments (m,) s from the sampling time, and log10 of the error rate (m,) of two levels there.

    Parameters
    ----------
    taps : V, taken off the first, second... cursor behind the sampled one, at every moment
    extra : what crosstalk adds
    span : unit intervals to either side; density : moments in a unit interval
    """
    places, weights = jitter.places()
    step = unit_interval / density
    if jitter.random > 0.0:
        step = min(step, jitter.random / 5.0)
    reach = span * unit_interval + float(np.abs(places).max()) + 38.0 * jitter.random
    reach = min(reach, span * unit_interval + float(np.abs(places).max()) + unit_interval)
    half = math.ceil(reach / step)
    fine = np.asarray(np.arange(-half, half + 1) * step, dtype=np.float64)
    still = _without_jitter(pulse, sampling, unit_interval, sigma, taps, fine, extra)
    moments = fine[np.abs(fine) <= span * unit_interval + 0.5 * step]
    if jitter.random > 0.0:
        far = math.floor(38.0 * jitter.random / step)
        away = np.asarray(np.arange(-far, far + 1) * step, dtype=np.float64)
        kernel = -0.5 * (away / jitter.random) ** 2 / math.log(10.0)
        kernel = kernel - _log10_sum(kernel)
    else:
        away, kernel = np.zeros(1), np.zeros(1)
    out = np.empty(len(moments))
    for i, moment in enumerate(moments):
        at = (moment + away[:, None] + places).ravel()
        found = np.interp(at, fine, still)
        share = (kernel[:, None] + np.log10(weights)).ravel()
        out[i] = _log10_sum(found + share)
    return moments, np.maximum(out, _LEAST_LOG10)


def _log10_sum(terms: FloatArray) -> float:
    top = float(terms.max())
    return top + math.log10(float(np.sum(10.0 ** (terms - top))))


def crossings(moments: FloatArray, log10: FloatArray, error_rate: float) -> Crossings:
    """Where a bathtub passes an error rate, going out from its lowest moments."""
    wanted = math.log10(error_rate)
    inside = log10 < wanted
    if not inside.any():
        return Crossings(math.nan, math.nan)
    lowest = np.flatnonzero(log10 <= log10.min() + 1e-9)
    centre = int(lowest[len(lowest) // 2])
    left = centre
    while left > 0 and inside[left - 1]:
        left -= 1
    right = centre
    while right + 1 < len(log10) and inside[right + 1]:
        right += 1

    def between(inner: int, outer: int) -> float:
        if not 0 <= outer < len(log10):
            return float(moments[inner])
        share = (wanted - log10[inner]) / (log10[outer] - log10[inner])
        return float(moments[inner] + share * (moments[outer] - moments[inner]))

    return Crossings(between(left, left - 1), between(right, right + 1))
