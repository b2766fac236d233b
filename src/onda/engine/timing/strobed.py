"""Set-up and hold of a data line against the edges of its strobe, on straight-piece waveforms.

Set-up runs from the last crossing of the ac level towards the bit to the edge, hold from the edge
to the first crossing of the dc level away from it; both are held against a base value and a table
of slews (as data sheets of source-synchronous memories define them).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, fields, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = [
    "DecidedData",
    "Derating",
    "EdgeTiming",
    "LaneTiming",
    "Sheet",
    "StrobeEdges",
    "Waveform",
    "lane_timing",
    "least",
    "strobe_edges",
]

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Waveform:
    """Volts (n,) at strictly rising times (n,) s, straight between, constant outside."""

    time: FloatArray
    volts: FloatArray

    def __post_init__(self) -> None:
        if len(self.time) != len(self.volts) or len(self.time) < 2:
            raise NotPhysical("waveform", f"{len(self.time)} times", "two or more, as many volts")
        if not (np.diff(self.time) > 0.0).all():
            raise NotPhysical("waveform", "times that do not rise", "strictly rising times")
        if not (np.isfinite(self.time).all() and np.isfinite(self.volts).all()):
            raise NotPhysical("waveform", "not finite", "finite numbers")

    def at(self, time: float) -> float:
        """Volts at a time."""
        return float(np.interp(time, self.time, self.volts))

    def crossings(self, level: float, direction: int) -> FloatArray:
        """Times (k,) at which it passes a level upwards (1) or downwards (-1)."""
        v, level = direction * self.volts, direction * level
        up = np.flatnonzero((v[:-1] < level) & (v[1:] >= level))
        share = (level - v[up]) / (v[up + 1] - v[up])
        return np.asarray(self.time[up] + share * (self.time[up + 1] - self.time[up]))


@dataclass(frozen=True, slots=True)
class Derating:
    """What is added to a base value (s), over slews of data (rows) and strobe (columns), V/s;
    between places linear, beyond the ends constant."""

    data_slew: tuple[float, ...]
    strobe_slew: tuple[float, ...]
    delta: tuple[tuple[float, ...], ...]

    def __post_init__(self) -> None:
        for name in ("data_slew", "strobe_slew"):
            slews = getattr(self, name)
            if any(b <= a for a, b in pairwise(slews)):
                raise NotPhysical(name, "slews that do not rise", "strictly rising slews")
        if len(self.delta) != len(self.data_slew) or any(
            len(row) != len(self.strobe_slew) for row in self.delta
        ):
            raise NotPhysical("derating", "a table of another shape", "a row a data slew")

    def at(self, data: FloatArray | float, strobe: FloatArray | float) -> FloatArray:
        """Seconds to add, as many as there are slews."""
        data, strobe = np.asarray(data, float), np.asarray(strobe, float)
        table = np.stack([np.interp(strobe, self.strobe_slew, row) for row in self.delta])
        if len(table) == 1:
            return np.asarray(table[0])
        slews = np.array(self.data_slew)
        row = np.clip(np.searchsorted(slews, data, side="right") - 1, 0, len(slews) - 2)
        share = np.clip((data - slews[row]) / (slews[row + 1] - slews[row]), 0.0, 1.0)
        low, high = (np.take_along_axis(table, k[None], axis=0)[0] for k in (row, row + 1))
        return np.asarray(low + share * (high - low))


@dataclass(frozen=True, slots=True)
class Sheet:
    """What a receiver asks for: levels around `vref` (V), base values (s), their tables."""

    vref: float
    ac_offset: float
    dc_offset: float
    strobe_level: float
    setup_base: float
    hold_base: float
    setup_derating: Derating | None = None
    hold_derating: Derating | None = None

    def __post_init__(self) -> None:
        for name in ("ac_offset", "dc_offset", "strobe_level"):
            if not getattr(self, name) > 0.0:
                raise NotPhysical(name, getattr(self, name), "above 0 V")


@dataclass(frozen=True, slots=True)
class EdgeTiming:
    """At one strobe edge, s and V/s; NaN where there is no such crossing."""

    edge: float
    bit: int
    setup: float
    hold: float
    setup_slew: float
    hold_slew: float
    strobe_slew: float
    setup_margin: float
    hold_margin: float


@dataclass(frozen=True, slots=True, eq=False)
class StrobeEdges:
    """Edges of a strobe: times `at` s and their slews V/s, each (n,)."""

    at: FloatArray
    slew: FloatArray

    def later(self, offset: float) -> StrobeEdges:
        """The same edges, `offset` s later."""
        return replace(self, at=self.at + offset)

    def at_all(self, offsets: FloatArray) -> StrobeEdges:
        """The same edges (p * n,) at each of `offsets` (p,) s, one place behind the other."""
        return StrobeEdges(np.add.outer(offsets, self.at).ravel(), np.tile(self.slew, len(offsets)))


@dataclass(frozen=True, slots=True, eq=False)
class LaneTiming:
    """All edges of a lane.

    Attributes
    ----------
    edge, setup, hold, setup_slew, hold_slew, strobe_slew, setup_margin, hold_margin : (n,) s and
        V/s at each edge; NaN where there is no such crossing
    bit : (n,) that is sampled
    lowest_one, highest_zero : V at the edges; NaN where there are none of that kind
    """

    edge: FloatArray
    bit: NDArray[np.int64]
    setup: FloatArray
    hold: FloatArray
    setup_slew: FloatArray
    hold_slew: FloatArray
    strobe_slew: FloatArray
    setup_margin: FloatArray
    hold_margin: FloatArray
    lowest_one: float
    highest_zero: float

    @property
    def edges(self) -> tuple[EdgeTiming, ...]:
        """Edge by edge."""
        columns = [getattr(self, f.name).tolist() for f in fields(EdgeTiming)]
        return tuple(EdgeTiming(*row) for row in zip(*columns, strict=True))

    @property
    def worst_setup(self) -> float:
        """Least margin of set-up, s; NaN where no edge has one."""
        return least(self.setup_margin)

    @property
    def worst_hold(self) -> float:
        """Least margin of hold, s; NaN where no edge has one."""
        return least(self.hold_margin)

    @property
    def strobe_shift(self) -> float:
        """Seconds to add to every edge so that both worst margins become equal."""
        return 0.5 * (self.worst_hold - self.worst_setup)

    @property
    def centre_level(self) -> float:
        """In the middle of the eye at the edges, V."""
        return 0.5 * (self.lowest_one + self.highest_zero)

    @property
    def height(self) -> float:
        """Of the eye at the edges, V."""
        return self.lowest_one - self.highest_zero


def strobe_edges(
    strobe: Waveform, level: float, window: tuple[float, float], *, edges: str = "both"
) -> StrobeEdges:
    """Crossings of 0 V of a differential strobe inside a window (s), with its slews between
    `-level` and `level` (V) about each.

    Raises
    ------
    NotPhysical : `edges` is neither "both" nor "rising", or there are none
    """
    if edges not in ("both", "rising"):
        raise NotPhysical("edges", edges, "both or rising")
    at, slew = [], []
    for way in (1, -1) if edges == "both" else (1,):
        times = strobe.crossings(0.0, way)
        times = times[(times >= window[0]) & (times <= window[1])]
        at.append(times)
        slew.append(_strobe_slews(strobe, level, times, way))
    order = np.argsort(np.concatenate(at))
    if not len(order):
        raise NotPhysical("strobe", "no edge in the window", "one or more")
    return StrobeEdges(*(np.concatenate(x)[order] for x in (at, slew)))


def lane_timing(
    data: Waveform,
    strobe: Waveform,
    sheet: Sheet,
    window: tuple[float, float],
    *,
    edges: str = "both",
) -> LaneTiming:
    """Timing of data at the crossings of 0 V of a differential strobe inside a window (s).

    Raises
    ------
    NotPhysical : `edges` is neither "both" nor "rising", or there are none
    """
    found = strobe_edges(strobe, sheet.strobe_level, window, edges=edges)
    return DecidedData(data, sheet).timing(found)


class DecidedData:
    """Data around the levels of a sheet, to be held against edges of a strobe wherever it is."""

    def __init__(self, data: Waveform, sheet: Sheet) -> None:
        self._data, self._sheet = data, sheet
        self._passes = {bit: _passes(data, sheet, 1 if bit else -1) for bit in (0, 1)}

    def timing(self, edges: StrobeEdges) -> LaneTiming:
        """Timing at edges whose slews are those between the sheet's levels."""
        at, sheet = edges.at, self._sheet
        volts = np.interp(at, self._data.time, self._data.volts)
        bit = (volts > sheet.vref).astype(np.int64)
        found = np.empty((4, len(at)))
        for one, passes in self._passes.items():
            found[:, bit == one] = _data_times(passes, sheet, at[bit == one])
        setup, hold, setup_slew, hold_slew = found
        return LaneTiming(
            at,
            bit,
            setup,
            hold,
            setup_slew,
            hold_slew,
            edges.slew,
            setup - _required(sheet.setup_base, sheet.setup_derating, setup_slew, edges.slew),
            hold - _required(sheet.hold_base, sheet.hold_derating, hold_slew, edges.slew),
            float(volts[bit == 1].min()) if bit.any() else math.nan,
            float(volts[bit == 0].max()) if not bit.all() else math.nan,
        )

    def lacking(self, timing: LaneTiming) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
        """At which edges (n,) a bit has not come to its ac level since it last passed the
        reference, and at which it lies within its dc level: data have no set-up, or no hold, there
        at all.

        The times of `timing` are then those of bits before or after.
        """
        volts = np.interp(timing.edge, self._data.time, self._data.volts)
        no_setup, no_hold = np.zeros((2, len(volts)), dtype=np.bool_)
        for one, passes in self._passes.items():
            some = timing.bit == one
            at, towards = timing.edge[some], 1 if one else -1
            reached, began = _last_before(passes.to_ac, at), _last_before(passes.to_vref, at)
            # A bit that began before the waveform is as it was found.
            no_setup[some] = ~np.isnan(began) & ~(reached >= began)
            dc = self._sheet.vref + towards * self._sheet.dc_offset
            no_hold[some] = towards * (volts[some] - dc) < 0.0
        return no_setup, no_hold

    def short(self, timing: LaneTiming) -> tuple[int, int]:
        """At how many edges data have no set-up, and no hold."""
        no_setup, no_hold = self.lacking(timing)
        return int(no_setup.sum()), int(no_hold.sum())


@dataclass(frozen=True, slots=True, eq=False)
class _Passes:
    """Times s at which data pass the levels of a bit, towards it and away from it."""

    to_ac: FloatArray
    to_vref: FloatArray
    from_dc: FloatArray
    from_vref: FloatArray


def _passes(data: Waveform, sheet: Sheet, towards: int) -> _Passes:
    ac, dc = sheet.vref + towards * sheet.ac_offset, sheet.vref + towards * sheet.dc_offset
    return _Passes(
        data.crossings(ac, towards),
        data.crossings(sheet.vref, towards),
        data.crossings(dc, -towards),
        data.crossings(sheet.vref, -towards),
    )


def least(values: FloatArray) -> float:
    """The smallest of some values, those that are NaN aside; NaN where there is no other."""
    there = values[~np.isnan(values)]
    return float(there.min()) if len(there) else math.nan


def _last_before(times: FloatArray, at: FloatArray) -> FloatArray:
    """Of rising times the last one before each of `at`; NaN where there is none."""
    found = np.concatenate([[np.nan], times])[np.searchsorted(times, at, side="left")]
    return np.where(np.isnan(at), np.nan, found)


def _first_after(times: FloatArray, at: FloatArray) -> FloatArray:
    """Of rising times the first one after each of `at`; NaN where there is none."""
    # A time that is not there sorts behind all others.
    return np.concatenate([times, [np.nan]])[np.searchsorted(times, at, side="right")]


def _data_times(passes: _Passes, sheet: Sheet, at: FloatArray) -> FloatArray:
    """Set-up and hold s, their slews V/s (4, n) at edges that sample a bit."""
    reached = _last_before(passes.to_ac, at)
    left = _first_after(passes.from_dc, at)
    # The transition itself: up to the first crossing of the ac level, from the last of the dc one.
    began = _last_before(passes.to_vref, reached)
    setup_slew = sheet.ac_offset / (_first_after(passes.to_ac, began) - began)
    ended = _first_after(passes.from_vref, left)
    hold_slew = sheet.dc_offset / (ended - _last_before(passes.from_dc, ended))
    return np.stack([at - reached, left - at, setup_slew, hold_slew])


def _strobe_slews(strobe: Waveform, level: float, at: FloatArray, way: int) -> FloatArray:
    """V/s (n,) of the strobe between its levels (V) about each edge."""
    left = _first_after(strobe.crossings(way * level, way), at)
    began = _last_before(strobe.crossings(-way * level, way), at)
    return 2.0 * level / (left - began)


def _required(
    base: float, table: Derating | None, data: FloatArray, strobe: FloatArray
) -> FloatArray:
    """Seconds (n,) that are asked; NaN where a table needs a slew that is not there."""
    if table is None:
        return np.full(len(data), base)
    return base + table.at(data, strobe)
