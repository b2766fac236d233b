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

__all__ = ["Quality", "causality_percent", "doubts", "level_of", "quality_of"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_LEVELS = {
    "passivity": (99.9, 99.0, 80.0),
    "reciprocity": (99.9, 99.0, 80.0),
    "causality": (80.0, 50.0, 20.0),
}
_GAIN = 1.001
"""Largest singular value that is let pass without a word: rounding and a trace of noise."""
_COARSE = 4.0
"""Points in an echo's turn below which data are too coarse."""
_FAR_DOWN = 2.0
"""Steps that lie between 0 Hz and the first point before what lies there counts as made up."""
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


def causality_percent(s: ComplexArray) -> tuple[float, FloatArray, tuple[tuple[int, int], ...]]:
    """Share of turning that is clockwise, least over entries, what turns back (f,) of it all, and
    which entries were left out.

    A causal response turns clockwise in the complex plane as the frequency rises. Entries so small
    that nothing but noise turns in them are left out.
    """
    points, n = len(s), s.shape[-1]
    against = np.zeros(points)
    if points < 3:
        return 100.0, against, ()
    steps = np.diff(s, axis=0)
    turn = steps[1:].real * steps[:-1].imag - steps[1:].imag * steps[:-1].real
    size = np.abs(s).max(axis=0)
    heard = size > 1e-4 * max(float(size.max()), 1e-300)
    worst = 100.0
    left_out = []
    for i, j in np.ndindex(n, n):
        total = float(np.abs(turn[:, i, j]).sum())
        if not heard[i, j]:
            left_out.append((i, j))
            continue
        if total == 0.0:
            continue
        clockwise = float(turn[:, i, j][turn[:, i, j] > 0].sum())
        worst = min(worst, 100.0 * clockwise / total)
        share = np.maximum(-turn[:, i, j], 0.0) / total
        against[1:-1] = np.maximum(against[1:-1], share)
    return worst, against, tuple(left_out)


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
    unheard : entries (row, column) so small that causality was not asked of them
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
    unheard: tuple[tuple[int, int], ...] = ()

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
    causal, against, unheard = causality_percent(s)
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
        unheard,
    )


def doubts(quality: Quality, needed: float = 0.0) -> tuple[str, ...]:
    """What a figure that rests on such data must say; empty where nothing is wrong.

    Parameters
    ----------
    needed : Hz up to which the data are used; 0 where that is not known
    """
    out = []
    if quality.worst_gain > _GAIN:
        at = quality.frequency[int(np.argmax(quality.gain))] / 1e9
        out.append(
            f"the data give more than they take, by {quality.worst_gain:.4f} at {at:.3g} GHz"
        )
    if level_of("causality", quality.causality) in _WORDS[2:]:
        out.append(f"the data are causal to {quality.causality:.0f} % only")
    if quality.points_per_turn < _COARSE:
        out.append(f"too coarse: {quality.points_per_turn:.1f} points in an echo's turn")
    if quality.first > _FAR_DOWN * quality.step:
        out.append(f"below {quality.first / 1e6:.4g} MHz extrapolated")
    if needed > 1.001 * quality.last:
        out.append(
            f"above {quality.last / 1e9:.4g} GHz extrapolated, used up to {needed / 1e9:.4g}"
        )
    return tuple(out)
