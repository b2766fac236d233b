"""A case with its strobe at several places, decided around several levels; what a lane chooses."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import chain

import numpy as np
from numpy.typing import NDArray

from onda.engine.timing.strobed import (
    DecidedData,
    LaneTiming,
    Sheet,
    StrobeEdges,
    Waveform,
    least,
    strobe_edges,
)
from onda.studies.buses.inputs import CaseInputs
from onda.studies.buses.plan import SheetInputs

__all__ = [
    "CaseEyes",
    "CaseWaves",
    "Looked",
    "common_level",
    "common_place",
    "edges_that_count",
    "middle_of_swing",
]

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
_STEP = 0.125
_PLACES = tuple(_STEP * k for k in (0, -1, 1, -2, 2, -3, 3, -4, 4))
"""Places of the strobe that are looked at, unit intervals from where it comes."""
_ALIKE = 0.1
"""Share of the tallest eye by which another one counts as tall."""
_OPEN = 0.5
"""Share of the tallest eye by which a place is looked at."""
_LOOKS = 4
"""How often the reference level is taken anew from the eye that it makes."""
_NEAR, _WIDE = 4, 0.25
"""Levels that are looked at around a case's own: every step up to so many away, fewer ones up to
this share of the eye's height."""


@dataclass(frozen=True, slots=True, eq=False)
class CaseWaves:
    """Volts of data (n,) and of the strobe, from its crossing (m,), at the listener; times s."""

    time: FloatArray
    data: FloatArray
    strobe_time: FloatArray
    strobe: FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class Looked:
    """A case with its strobe at places, decided around levels.

    Attributes
    ----------
    offsets : (p,) s that the strobe is moved by; levels : (l,) V
    own : (p,) V, the level in the middle of the eye there, a whole number of steps
    setup, hold : (p, l) s, worst margins; NaN where there is none
    no_setup, no_hold : (p, l), at how many edges a bit has none at all
    lowest_one, highest_zero : (p,) V at the edges; NaN where there is none of that kind
    """

    offsets: FloatArray
    levels: FloatArray
    own: FloatArray
    setup: FloatArray
    hold: FloatArray
    no_setup: IntArray
    no_hold: IntArray
    lowest_one: FloatArray
    highest_zero: FloatArray

    @property
    def heights(self) -> FloatArray:
        """Of the eye at every place (p,), V."""
        return self.lowest_one - self.highest_zero

    def place(self, offset: float) -> int | None:
        """Number of a place, None where it was not looked at."""
        return next((k for k, x in enumerate(self.offsets) if x == offset), None)

    def number(self, level: float) -> int | None:
        """Number of a level, None where it was not looked at."""
        return next((k for k, x in enumerate(self.levels) if x == level), None)


class CaseEyes:
    """A case's data around its strobe, wherever that is moved to."""

    def __init__(self, inputs: CaseInputs, waves: CaseWaves) -> None:
        self._inputs = inputs
        self.data = Waveform(waves.time, waves.data)
        self._edges = edges_that_count(inputs, Waveform(waves.strobe_time, waves.strobe))
        self.middle = middle_of_swing(inputs, waves.time, waves.data)

    def edges(self, offset: float = 0.0) -> StrobeEdges:
        """Edges of the strobe, moved by `offset` s."""
        return self._edges.later(offset)

    def decided(self, level: float) -> DecidedData:
        """The data around a reference level (V)."""
        return DecidedData(self.data, _sheet_at(self._inputs.sheet, level))

    def timing(self, offset: float, level: float) -> LaneTiming:
        """Timing around a reference level (V), the strobe moved by `offset` s."""
        return self.decided(level).timing(self.edges(offset))

    def own_level(self, offset: float) -> float:
        """V, the sheet's reference level, or the one in the middle of the eye, in its steps."""
        asked = self._inputs.sheet
        if asked.level is not None:
            return asked.level
        level = self.middle
        for _ in range(_LOOKS):
            centre = 0.5 * sum(self._eye(offset, level))
            if not math.isfinite(centre):
                break
            new = asked.level_step * round(centre / asked.level_step)
            if new == level:
                break
            level = new
        return level

    def _eye(self, offset: float, level: float) -> tuple[float, float]:
        """Lowest one and highest zero at the edges, V; NaN where there is none of that kind."""
        seen = np.interp(self.edges(offset).at, self.data.time, self.data.volts)
        return least(seen[seen > level]), -least(-seen[seen <= level])

    def look(self) -> Looked:
        """The case at every place where its eye is open, and around every level near its own."""
        inputs = self._inputs
        offsets = np.array(self._open_places() if inputs.centred else [0.0])
        own = np.array([self.own_level(x) for x in offsets.tolist()])
        eyes = [self._eye(*x) for x in zip(offsets.tolist(), own.tolist(), strict=True)]
        lowest, highest = np.array(eyes).T
        best = int(np.flatnonzero(offsets == _nearest_best(offsets, lowest - highest))[0])
        levels = _levels(inputs.sheet, float(own[best]), float(lowest[best] - highest[best]))
        shape = (len(offsets), len(levels))
        setup, hold = np.empty(shape), np.empty(shape)
        no_setup, no_hold = np.empty(shape, np.int64), np.empty(shape, np.int64)
        edges = self._edges.at_all(offsets)
        for n, level in enumerate(levels.tolist()):
            decided = self.decided(level)
            timing = decided.timing(edges)
            lacking = decided.lacking(timing)
            # A row of edges a place; of those that have no time the others are the worst.
            for out, margins in ((setup, timing.setup_margin), (hold, timing.hold_margin)):
                out[:, n] = np.fmin.reduce(margins.reshape(len(offsets), -1), axis=1)
            for count, edge in zip((no_setup, no_hold), lacking, strict=True):
                count[:, n] = edge.reshape(len(offsets), -1).sum(axis=1)
        return Looked(offsets, levels, own, setup, hold, no_setup, no_hold, lowest, highest)

    def _open_places(self) -> list[float]:
        """Where the eye at the strobe is at least half as tall as anywhere, s from where it
        comes."""
        unit = self._inputs.unit_interval

        def height(place: float) -> float:
            one, zero = self._eye(place * unit, self.middle)
            return one - zero if math.isfinite(one - zero) else -math.inf

        heights = {place: height(place) for place in _PLACES}
        most = max(heights.values())
        return [unit * p for p in _PLACES if heights[p] >= most - _OPEN * abs(most)]


def edges_that_count(inputs: CaseInputs, strobe: Waveform) -> StrobeEdges:
    """Edges of a strobe, where it is taken, behind the first bits and up to the last one."""
    unit = inputs.unit_interval
    window = (
        inputs.lead * unit + inputs.strobe_at,
        (inputs.data.count - 1) * unit + inputs.strobe_at,
    )
    return strobe_edges(strobe, inputs.sheet.strobe, window, edges=inputs.edges)


def middle_of_swing(inputs: CaseInputs, time: FloatArray, volts: FloatArray) -> float:
    """V in the middle between the highest and the lowest level, the net in its swing."""
    unit = inputs.unit_interval
    # Neither the first bits from rest nor what comes after the last one.
    swings = (time > 2 * inputs.lead * unit) & (time < (inputs.data.count - 1) * unit)
    return 0.5 * (float(volts[swings].max()) + float(volts[swings].min()))


def _sheet_at(asked: SheetInputs, level: float) -> Sheet:
    """What is asked around a level (V)."""
    return Sheet(
        level, asked.ac, asked.dc, asked.strobe, asked.setup, asked.hold, asked.setup_table,
        asked.hold_table,
    )  # fmt: skip


def _levels(asked: SheetInputs, own: float, height: float) -> FloatArray:
    """Levels that a lane may choose from, V; whole numbers of steps, so that those of its signals
    are the same ones."""
    if asked.level is not None:
        return np.array([asked.level])
    step = asked.level_step
    middle = round(own / step)
    numbers = set(range(middle - _NEAR, middle + _NEAR + 1))
    reach = int(_WIDE * height / step) if height > 0.0 else 0
    # Powers of two: those of a taller eye are among those of a less tall one.
    wide = 2 ** max(math.ceil(math.log2(max(reach, 1) / _NEAR)), 0)
    numbers |= {n for n in range(middle - reach, middle + reach + 1) if n % wide == 0}
    return step * np.array(sorted(numbers), dtype=float)


def _nearest_best(offsets: Sequence[float] | FloatArray, heights: FloatArray) -> float:
    """Of places whose eyes are nearly as tall as the tallest one the nearest."""
    heights = np.where(np.isfinite(heights), heights, -math.inf)
    most = float(heights.max())
    if not math.isfinite(most):
        return float(min(offsets, key=abs))
    good = [x for x, h in zip(offsets, heights, strict=True) if h >= most - _ALIKE * abs(most)]
    return float(min(good, key=abs))


def common_place(signals: Sequence[Looked]) -> float:
    """The place of a strobe, s, where the least tall eye of its signals is tallest, the nearest of
    those that are nearly as good.

    Only places are taken that the most signals have: a signal without it is closed there.
    """
    heights: dict[float, list[float]] = {}
    for looked in signals:
        for offset, height in zip(looked.offsets.tolist(), looked.heights.tolist(), strict=True):
            heights.setdefault(offset, []).append(height if math.isfinite(height) else -math.inf)
    shared = max(map(len, heights.values()))
    least = {offset: min(some) for offset, some in heights.items() if len(some) == shared}
    return _nearest_best(tuple(least), np.array(list(least.values())))


def common_level(signals: Sequence[Looked], offset: float) -> float:
    """The level, V, that all signals of a lane are decided around, their strobe at `offset` s: next
    to the middle between their lowest one and their highest zero.

    Only levels are taken that the most signals have: the eye of one without it lies elsewhere.
    """
    there = [(x, k) for x in signals if (k := x.place(offset)) is not None]
    counts: dict[float, int] = {}
    for level in chain.from_iterable(x.levels.tolist() for x, _ in there):
        counts[level] = counts.get(level, 0) + 1
    shared = max(counts.values())
    lowest = min((x.lowest_one[k] for x, k in there if np.isfinite(x.lowest_one[k])), default=None)
    highest = max(
        (x.highest_zero[k] for x, k in there if np.isfinite(x.highest_zero[k])), default=None
    )
    if lowest is None or highest is None:
        middle = float(np.mean([x.own[k] for x, k in there]))
    else:
        middle = 0.5 * float(lowest + highest)
    # Of two that are as near the lower one, so that no order of signals matters.
    return min(
        (level for level, n in counts.items() if n == shared),
        key=lambda level: (abs(level - middle), level),
    )
