"""Set-up and hold of a data line against the edges of its strobe, on straight-piece waveforms.

Set-up runs from the last crossing of the ac level towards the bit to the edge, hold from the edge
to the first crossing of the dc level away from it; both are held against a base value and a table
of slews (as data sheets of source-synchronous memories define them).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = [
    "Derating",
    "EdgeTiming",
    "LaneTiming",
    "Sheet",
    "Waveform",
    "edges_short",
    "lane_timing",
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

    def at(self, data: float, strobe: float) -> float:
        """Seconds to add."""
        rows = [float(np.interp(strobe, self.strobe_slew, row)) for row in self.delta]
        return float(np.interp(data, self.data_slew, rows))


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


@dataclass(frozen=True, slots=True)
class LaneTiming:
    """All edges of a lane.

    Attributes
    ----------
    worst_setup, worst_hold : s, least margins; NaN where no edge has one
    strobe_shift : s to add to every edge so that both become equal
    lowest_one, highest_zero : V at the edges; NaN where there are none of that kind
    """

    edges: tuple[EdgeTiming, ...]
    worst_setup: float
    worst_hold: float
    strobe_shift: float
    lowest_one: float
    highest_zero: float

    @property
    def centre_level(self) -> float:
        """In the middle of the eye at the edges, V."""
        return 0.5 * (self.lowest_one + self.highest_zero)

    @property
    def height(self) -> float:
        """Of the eye at the edges, V."""
        return self.lowest_one - self.highest_zero


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
    if edges not in ("both", "rising"):
        raise NotPhysical("edges", edges, "both or rising")
    ways = (1, -1) if edges == "both" else (1,)
    found = [(t, way) for way in ways for t in strobe.crossings(0.0, way).tolist()]
    inside = sorted(x for x in found if window[0] <= x[0] <= window[1])
    if not inside:
        raise NotPhysical("strobe", "no edge in the window", "one or more")
    at, way = np.array([t for t, _ in inside]), np.array([way for _, way in inside])
    volts = np.interp(at, data.time, data.volts)
    bit = (volts > sheet.vref).astype(int)
    looked = np.empty((len(at), len(_LOOKED)))
    for one in (0, 1):
        looked[bit == one, :4] = _data_times(data, sheet, at[bit == one], 1 if one else -1)
    for direction in ways:
        looked[way == direction, 4] = _strobe_slews(strobe, sheet, at[way == direction], direction)
    timings = tuple(
        _edge(sheet, edge, kind, *row)
        for edge, kind, row in zip(at.tolist(), bit.tolist(), looked.tolist(), strict=True)
    )
    setup, hold = (
        _least([getattr(e, name) for e in timings]) for name in ("setup_margin", "hold_margin")
    )
    return LaneTiming(
        timings,
        setup,
        hold,
        0.5 * (hold - setup),
        float(volts[bit == 1].min()) if bit.any() else math.nan,
        float(volts[bit == 0].max()) if not bit.all() else math.nan,
    )


def edges_short(data: Waveform, sheet: Sheet, timing: LaneTiming) -> tuple[int, int]:
    """At how many edges a bit has not come to its ac level since it last passed the reference, and
    at how many it lies within its dc level: data have no set-up, or no hold, there at all.

    The times of `lane_timing` are then those of bits before or after.
    """
    no_setup = no_hold = 0
    for one, towards in ((1, 1), (0, -1)):
        at = np.array([e.edge for e in timing.edges if e.bit == one])
        if not len(at):
            continue
        ac, dc = sheet.vref + towards * sheet.ac_offset, sheet.vref + towards * sheet.dc_offset
        to_ac, to_vref = data.crossings(ac, towards), data.crossings(sheet.vref, towards)
        reached, began = _last_before(to_ac, at), _last_before(to_vref, at)
        # A bit that began before the waveform is as it was found.
        no_setup += int(np.sum(~np.isnan(began) & ~(reached >= began)))
        no_hold += int(np.sum(towards * (np.interp(at, data.time, data.volts) - dc) < 0.0))
    return no_setup, no_hold


def _least(values: Sequence[float]) -> float:
    return min((v for v in values if not math.isnan(v)), default=math.nan)


def _last_before(times: FloatArray, at: FloatArray) -> FloatArray:
    """Of rising times the last one before each of `at`; NaN where there is none."""
    found = np.concatenate([[np.nan], times])[np.searchsorted(times, at, side="left")]
    return np.where(np.isnan(at), np.nan, found)


def _first_after(times: FloatArray, at: FloatArray) -> FloatArray:
    """Of rising times the first one after each of `at`; NaN where there is none."""
    # A time that is not there sorts behind all others.
    return np.concatenate([times, [np.nan]])[np.searchsorted(times, at, side="right")]


def _data_times(data: Waveform, sheet: Sheet, at: FloatArray, towards: int) -> FloatArray:
    """Set-up and hold s, their slews V/s (n, 4) at edges that sample a one (1) or a zero (-1)."""
    ac, dc = sheet.vref + towards * sheet.ac_offset, sheet.vref + towards * sheet.dc_offset
    to_ac, to_vref = data.crossings(ac, towards), data.crossings(sheet.vref, towards)
    from_dc, from_vref = data.crossings(dc, -towards), data.crossings(sheet.vref, -towards)
    reached = _last_before(to_ac, at)
    left = _first_after(from_dc, at)
    # The transition itself: up to the first crossing of the ac level, from the last of the dc one.
    began = _last_before(to_vref, reached)
    setup_slew = sheet.ac_offset / (_first_after(to_ac, began) - began)
    ended = _first_after(from_vref, left)
    hold_slew = sheet.dc_offset / (ended - _last_before(from_dc, ended))
    return np.stack([at - reached, left - at, setup_slew, hold_slew], axis=1)


def _strobe_slews(strobe: Waveform, sheet: Sheet, at: FloatArray, way: int) -> FloatArray:
    """V/s (n,) of the strobe through its levels about each edge."""
    level = way * sheet.strobe_level
    left = _first_after(strobe.crossings(level, way), at)
    began = _last_before(strobe.crossings(-level, way), at)
    return 2.0 * sheet.strobe_level / (left - began)


_LOOKED = ("setup", "hold", "setup_slew", "hold_slew", "strobe_slew")


def _edge(
    sheet: Sheet,
    at: float,
    bit: int,
    setup: float,
    hold: float,
    setup_slew: float,
    hold_slew: float,
    strobe_slew: float,
) -> EdgeTiming:
    return EdgeTiming(
        at,
        bit,
        setup,
        hold,
        setup_slew,
        hold_slew,
        strobe_slew,
        setup - _required(sheet.setup_base, sheet.setup_derating, setup_slew, strobe_slew),
        hold - _required(sheet.hold_base, sheet.hold_derating, hold_slew, strobe_slew),
    )


def _required(base: float, table: Derating | None, data: float, strobe: float) -> float:
    if table is None:
        return base
    if math.isnan(data) or math.isnan(strobe):
        return math.nan
    return base + table.at(data, strobe)
