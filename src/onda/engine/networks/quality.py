"""How far a network can be trusted: passive, reciprocal, causal; enough points, band, DC.

References
----------
IEEE Std 370-2020, clause 7 and annex: initial quality in percent for passivity, reciprocity and
causality, with their levels; checked on the data as they are, at the reference impedance given.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.algebra import passivity
from onda.engine.networks.sampling import phase_delay

__all__ = ["Quality", "causality_percent", "level_of", "quality_of"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_LEVELS = {
    "passivity": (99.9, 99.0, 80.0),
    "reciprocity": (99.9, 99.0, 80.0),
    "causality": (80.0, 50.0, 20.0),
}
_WORDS = ("good", "acceptable", "inconclusive", "poor")


def level_of(measure: str, percent: float) -> str:
    """ "good", "acceptable", "inconclusive" or "poor" for one of the three measures."""
    for word, low in zip(_WORDS, _LEVELS[measure], strict=False):
        if percent > low or percent == 100.0:
            return word
    return _WORDS[-1]


def _percent(excess: FloatArray) -> float:
    n = len(excess)
    return float(max(0.0, 100.0 / n * (n - excess.sum())))


def causality_percent(s: ComplexArray) -> tuple[float, FloatArray]:
    """Share of turning that is clockwise, least over entries, and what turns back (f,) of it all.

    A causal response turns clockwise in the complex plane as the frequency rises. Entries so small
    that nothing but noise turns in them are left out.
    """
    points, n = len(s), s.shape[-1]
    against = np.zeros(points)
    if points < 3:
        return 100.0, against
    steps = np.diff(s, axis=0)
    turn = steps[1:].real * steps[:-1].imag - steps[1:].imag * steps[:-1].real
    size = np.abs(s).max(axis=0)
    heard = size > 1e-4 * max(float(size.max()), 1e-300)
    worst = 100.0
    for i, j in np.ndindex(n, n):
        total = float(np.abs(turn[:, i, j]).sum())
        if not heard[i, j] or total == 0.0:
            continue
        clockwise = float(turn[:, i, j][turn[:, i, j] > 0].sum())
        worst = min(worst, 100.0 * clockwise / total)
        share = np.maximum(-turn[:, i, j], 0.0) / total
        against[1:-1] = np.maximum(against[1:-1], share)
    return worst, against


def _true_delay(delay: float, step: float) -> float:
    """A wave cannot come before it was sent: a clearly negative delay is one turn short."""
    period = 1.0 / step if step > 0 else float("inf")
    return delay + period if delay < -0.02 * period else delay


@dataclass(frozen=True, slots=True, eq=False)
class Quality:
    """What was found.

    Attributes
    ----------
    frequency : (f,) Hz of the curves
    passivity, reciprocity, causality : percent
    gain : (f,) largest singular value; unlike : (f,) largest |S_ij - S_ji|;
        against : (f,) largest share of turning the wrong way
    points_per_turn : points in the quickest full turn of any phase; fewer than 4 is too few
    delay : s, longest of any entry; step : Hz, the largest one
    """

    frequency: FloatArray
    passivity: float
    reciprocity: float
    causality: float
    gain: FloatArray
    unlike: FloatArray
    against: FloatArray
    points_per_turn: float
    delay: float
    step: float

    @property
    def first(self) -> float:
        """Lowest frequency, Hz."""
        return float(self.frequency[0])

    @property
    def last(self) -> float:
        """Highest frequency, Hz."""
        return float(self.frequency[-1])

    @property
    def worst_gain(self) -> float:
        """Largest singular value anywhere."""
        return float(self.gain.max())


def quality_of(frequency: FloatArray, s: ComplexArray) -> Quality:
    """Quality of a network (f, n, n) at rising frequencies (f,) Hz."""
    n = s.shape[-1]
    gain = passivity(s)
    passive = np.where(gain > 1.00001, (gain - 1.00001) / 0.1, 0.0)
    difference = np.abs(s - s.transpose(0, 2, 1))
    mean = difference.sum(axis=(1, 2)) / max(n * (n - 1), 1)
    unequal = np.where(mean > 1e-6, (mean - 1e-6) / 0.1, 0.0)
    causal, against = causality_percent(s)
    step = float(np.diff(frequency).max()) if len(frequency) > 1 else 0.0
    largest = np.abs(s).max(axis=0)
    delays = [
        _true_delay(phase_delay(frequency, s[:, i, j]), step)
        for i, j in np.ndindex(n, n)
        if largest[i, j] > 0.3 and i != j
    ]
    delay = max(delays, default=0.0)
    # Echoes go forth and back: the data must follow twice the way through.
    turn = 1.0 / (2.0 * delay * step) if delay > 0 and step > 0 else float("inf")
    return Quality(
        np.asarray(frequency, dtype=float),
        _percent(passive),
        _percent(unequal),
        causal,
        gain,
        np.asarray(difference.max(axis=(1, 2))),
        against,
        turn,
        delay,
        step,
    )
