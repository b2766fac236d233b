"""What a data line does between its edges: overshoot, ring-back, pulses; and a strobe's duty."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from onda.engine.timing.strobed import Waveform

__all__ = ["WaveQuality", "duty_of", "wave_quality"]

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class WaveQuality:
    """A waveform between its edges.

    Attributes
    ----------
    overshoot, undershoot : V beyond the rails, 0 where it stays within
    overshoot_area, undershoot_area : V s, of the largest excursion beyond a rail
    ring_back : V, least distance outside the dc levels between the first and the last time that a
        pulse is at its ac level; negative where it comes inside, NaN where none gets there
    narrowest : s, between two crossings of the reference; NaN where there are fewer
    short : how many pulses never reach their ac level
    """

    overshoot: float
    undershoot: float
    overshoot_area: float
    undershoot_area: float
    ring_back: float
    narrowest: float
    short: int


def wave_quality(
    wave: Waveform,
    window: tuple[float, float],
    *,
    level: float,
    ac: float,
    dc: float,
    rails: tuple[float, float],
) -> WaveQuality:
    """Quality of a waveform inside a window (s).

    Parameters
    ----------
    level : V around which it is decided; ac, dc : V from there
    rails : V, lower and upper, beyond which it overshoots
    """
    inside = _cut(wave, *window)
    low, high = rails
    over, under = inside.volts - high, low - inside.volts
    both = np.sort(np.concatenate([inside.crossings(level, 1), inside.crossings(level, -1)]))
    backs, short = [], 0
    for first, last in pairwise(both.tolist()):
        pulse = _cut(inside, first, last)
        way = 1.0 if pulse.at(0.5 * (first + last)) > level else -1.0
        from_level = way * (pulse.volts - level)
        there = np.flatnonzero(from_level >= ac)
        if not len(there):
            short += 1
            continue
        backs.append(float(from_level[there[0] : there[-1] + 1].min()) - dc)
    return WaveQuality(
        max(float(over.max()), 0.0),
        max(float(under.max()), 0.0),
        _largest_area(inside.time, over),
        _largest_area(inside.time, under),
        min(backs, default=math.nan),
        float(np.diff(both).min()) if len(both) > 1 else math.nan,
        short,
    )


def duty_of(strobe: Waveform, window: tuple[float, float]) -> tuple[float, float]:
    """Least and largest share of a period that a differential strobe is above 0 V; NaN where it
    has no whole period in the window (s)."""
    inside = _cut(strobe, *window)
    up, down = inside.crossings(0.0, 1), inside.crossings(0.0, -1)
    shares = []
    for first, last in pairwise(up.tolist()):
        between = down[(down > first) & (down < last)]
        if len(between) == 1:
            shares.append((float(between[0]) - first) / (last - first))
    return min(shares, default=math.nan), max(shares, default=math.nan)


def _cut(wave: Waveform, first: float, last: float) -> Waveform:
    """The part between two times, with points at both."""
    keep = (wave.time > first) & (wave.time < last)
    time = np.concatenate([[first], wave.time[keep], [last]])
    volts = np.concatenate([[wave.at(first)], wave.volts[keep], [wave.at(last)]])
    return Waveform(time, volts)


def _largest_area(time: FloatArray, beyond: FloatArray) -> float:
    """Area of the largest stretch above 0, straight between points."""
    crossing = np.flatnonzero(beyond[:-1] * beyond[1:] < 0.0)
    share = beyond[crossing] / (beyond[crossing] - beyond[crossing + 1])
    zeros = time[crossing] + share * (time[crossing + 1] - time[crossing])
    t = np.insert(time, crossing + 1, zeros)
    v = np.maximum(np.insert(beyond, crossing + 1, 0.0), 0.0)
    steps = 0.5 * (v[1:] + v[:-1]) * np.diff(t)
    # Stretches are told apart by where nothing is beyond.
    starts = np.flatnonzero(np.concatenate([[True], (v[1:-1] == 0.0), [False]]))
    return float(np.add.reduceat(steps, starts[starts < len(steps)]).max()) if len(steps) else 0.0
