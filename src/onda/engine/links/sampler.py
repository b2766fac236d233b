"""A sampler under jitter: its error rate from moment to moment, and where it passes a limit.

Jitter moves the moment of sampling, the same for all cursors.

References
----------
Sanders, Resso, D'Ambrosia, "Channel compliance testing utilizing novel statistical eye
methodology", DesignCon 2004.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.statistical import (
    Contour,
    Levels,
    SampledPulse,
    contour,
    interference,
    log_share_below,
)
from onda.engine.links.uneven import seen_by_level

__all__ = ["Crossings", "Jitter", "Sampler", "bathtub", "crossings", "shaken"]

FloatArray = NDArray[np.float64]
_LEAST_LOG10 = -290.0
_ARCS = 64
"""Phases of a sine of jitter."""


@dataclass(frozen=True, slots=True)
class Jitter:
    """Of the moment of sampling, s: Gaussian rms, two equally likely places `dual_dirac` apart, a
    sine of that amplitude with any phase, and two more places, `duty` apart, of every other
    symbol."""

    random: float = 0.0
    dual_dirac: float = 0.0
    sine: float = 0.0
    duty: float = 0.0

    def places(self) -> tuple[FloatArray, FloatArray]:
        """Places of all but the Gaussian part and their weights."""
        places, weights = np.zeros(1), np.ones(1)
        for apart in (self.dual_dirac, self.duty):
            if apart > 0.0:
                places = (places[:, None] + np.array([-0.5, 0.5]) * apart).ravel()
                weights = np.repeat(0.5 * weights, 2)
        if self.sine > 0.0:
            arcs = self.sine * np.cos(math.pi * (np.arange(_ARCS) + 0.5) / _ARCS)
            places = (places[:, None] + arcs).ravel()
            weights = (weights[:, None] * np.full(_ARCS, 1.0 / _ARCS)).ravel()
        return places, weights

    @property
    def effective(self) -> float:
        """All kinds together, s rms."""
        places, weights = self.places()
        return math.sqrt(self.random**2 + float((weights * places**2).sum()))


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


@dataclass(frozen=True, slots=True, eq=False)
class Sampler:
    """What is sampled, and between which levels it is told apart.

    Attributes
    ----------
    pulse : at the sampler; sampling : s, of its main cursor; unit_interval : s
    sigma : V rms of noise; taps : V, taken off the first, second... cursor behind the main one
    levels : all that are sent; pair : the two that are told apart; threshold : V between them
    extra : what crosstalk adds
    uneven : V that each edge of a whole swing adds, where rise and fall are unlike
    """

    pulse: SampledPulse
    sampling: float
    unit_interval: float
    sigma: float = 0.0
    taps: Sequence[float] = ()
    levels: Sequence[float] = (-1.0, 1.0)
    pair: tuple[float, float] = (-1.0, 1.0)
    threshold: float = 0.0
    extra: Levels | None = None
    uneven: SampledPulse | None = None

    def cursors(self, moment: float) -> dict[int, float]:
        """V by number at a moment (s) from the sampling time, the feedback taken off."""
        found = self.pulse.cursors(self.sampling + moment, self.unit_interval)
        for j, tap in enumerate(self.taps, 1):
            found[j] = found.get(j, 0.0) - tap
        return found

    def edges(self, moment: float) -> dict[int, float]:
        """V that a whole swing adds by its edge, by number; none where edges are alike."""
        if self.uneven is None:
            return {}
        return self.uneven.cursors(self.sampling + moment, self.unit_interval)

    def seen_by_level(self, moment: float) -> tuple[float, tuple[Levels, ...]]:
        """Main cursor, V, and what all else adds to each level."""
        if self.uneven is None:
            main, isi = self.seen(moment)
            return main, (isi,) * len(self.levels)
        cursors = self.cursors(moment)
        main = cursors.pop(0)
        found = seen_by_level(cursors, self.edges(moment), self.levels)
        extra = self.extra
        return main, found if extra is None else tuple(x.plus(extra) for x in found)

    def seen(self, moment: float) -> tuple[float, Levels]:
        """Main cursor, V, and what all else adds, at a moment (s) from the sampling time; edges
        taken as alike."""
        cursors = self.cursors(moment)
        main = cursors.pop(0)
        isi = interference(cursors.values(), self.levels)
        return main, isi if self.extra is None else isi.plus(self.extra)

    def contour(self, moment: float, error_rate: float) -> Contour:
        """Between the two levels at a moment."""
        main, isi = self.seen(moment)
        return contour(isi, main, self.sigma, error_rate, self.pair)

    def log10_errors(self, moment: float) -> float:
        """log10 of the share of the two levels that is taken for the other one, without jitter."""
        main, isi = self.seen(moment)
        lower, higher = self.pair
        early = log_share_below(isi, self.threshold - higher * main, self.sigma)
        if lower == -higher and self.threshold == 0.0:
            # By symmetry, as all levels come in pairs.
            return max(early / math.log(10.0), _LEAST_LOG10 - 300.0)
        mirrored = Levels(-isi.values[::-1], isi.weights[::-1])
        late = log_share_below(mirrored, lower * main - self.threshold, self.sigma)
        both = float(np.logaddexp(early, late)) - math.log(2.0)
        return max(both / math.log(10.0), _LEAST_LOG10 - 300.0)


def bathtub(
    sampler: Sampler, jitter: Jitter, *, span: float = 0.75, density: float = 256.0
) -> tuple[FloatArray, FloatArray]:
    """Moments (m,) s from the sampling time, and log10 of the error rate (m,) between two levels.

    Parameters
    ----------
    span : unit intervals to either side; density : moments in a unit interval
    """
    places, _ = jitter.places()
    unit = sampler.unit_interval
    step = unit / density
    if jitter.random > 0.0:
        step = min(step, jitter.random / 5.0)
    reach = span * unit + float(np.abs(places).max()) + 38.0 * jitter.random
    reach = min(reach, span * unit + float(np.abs(places).max()) + unit)
    half = math.ceil(reach / step)
    fine = np.asarray(np.arange(-half, half + 1) * step, dtype=np.float64)
    still = np.array([sampler.log10_errors(float(moment)) for moment in fine])
    moments = fine[np.abs(fine) <= span * unit + 0.5 * step]
    return moments, shaken(moments, fine, still, jitter)


def shaken(moments: FloatArray, fine: FloatArray, still: FloatArray, jitter: Jitter) -> FloatArray:
    """log10 of the error rate (m,) with jitter, from that without, `still`, at `fine` moments."""
    places, weights = jitter.places()
    step = float(fine[1] - fine[0])
    if jitter.random > 0.0:
        far = math.floor(38.0 * jitter.random / step)
        away = np.asarray(np.arange(-far, far + 1) * step, dtype=np.float64)
        kernel = -0.5 * (away / jitter.random) ** 2 / math.log(10.0)
        kernel = kernel - _log10_sum(kernel)
    else:
        away, kernel = np.zeros(1), np.zeros(1)
    share = (kernel[:, None] + np.log10(weights)).ravel()
    out = np.empty(len(moments))
    for i, moment in enumerate(moments):
        at = (moment + away[:, None] + places).ravel()
        out[i] = _log10_sum(np.interp(at, fine, still) + share)
    return np.maximum(out, _LEAST_LOG10)


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
