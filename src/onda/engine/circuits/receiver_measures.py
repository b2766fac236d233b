"""What a receiver sees, edge by edge, and the worst of each figure."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.measure import crossings, measure_edge

__all__ = ["OTHER_END", "EdgeSpan", "Levels", "ReceiverMeasures", "ends_of", "measure_receiver"]

OTHER_END = {
    "edge_time": "least_edge_time",
    "slew": "most_slew",
    "delay": "first_delay",
    "first_delay": "delay",
    "last_delay": "least_last_delay",
    "flight_time": "least_flight_time",
    "pulse_width": "most_pulse_width",
}
"""Of figures that may be too small as well as too large: the one of the edge at the other end."""


def ends_of(figure: str) -> tuple[str, ...]:
    """A figure at its worst edge, and the one at the other end where that may count."""
    return (figure, OTHER_END[figure]) if figure in OTHER_END else (figure,)


FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class EdgeSpan:
    """One edge: its direction, when the source passes its middle, and from when to when to look."""

    rising: bool
    source_half: float
    start: float
    stop: float


@dataclass(frozen=True, slots=True)
class Levels:
    """Levels at a receiver, V.

    Attributes
    ----------
    low, high : settled
    v_il, v_ih, v_meas : thresholds; None takes 30, 70 and 50 % of the step
    over_high, over_low : from where overshoot counts as area; None takes the settled levels
    """

    low: float
    high: float
    v_il: float | None = None
    v_ih: float | None = None
    v_meas: float | None = None
    over_high: float | None = None
    over_low: float | None = None

    def at(self, share: float, stated: float | None) -> float:
        """A stated level, or one at a share of the step."""
        return self.low + share * (self.high - self.low) if stated is None else stated


@dataclass(frozen=True, slots=True)
class ReceiverMeasures:
    """The worst over all edges; NaN where there is nothing to measure.

    Attributes
    ----------
    overshoot, undershoot : V, beyond the new level, and back from it after it was first reached
    overshoot_time : s; settling : s, from the middle until it stays within 5 % of the step
    edge_time : s, 10 to 90 %; delay : s, from the source's middle to the first crossing of v_meas
    over_area, under_area : V s above over_high and below over_low
    ring_back : V, least distance that is kept from the threshold once it was passed; negative where
        the threshold is passed again
    reversal : V, largest step back between the thresholds on the way; 0 is monotonic
    first_delay, last_delay : s, first and last crossing of v_meas after an edge
    flight_time : s, last crossing against that of the driver in its test load
    slew : V/s between 20 and 80 %, the slowest
    pulse_width : s, the narrowest at v_meas; duty : share of the time above v_meas
    least_edge_time, most_slew, least_last_delay, least_flight_time, most_pulse_width : of the edge
        at the other end
    """

    overshoot: float
    undershoot: float
    overshoot_time: float
    settling: float
    edge_time: float
    delay: float
    over_area: float
    under_area: float
    ring_back: float
    reversal: float
    first_delay: float
    last_delay: float
    flight_time: float
    slew: float
    pulse_width: float
    duty: float
    edges: int
    least_edge_time: float = math.nan
    most_slew: float = math.nan
    least_last_delay: float = math.nan
    least_flight_time: float = math.nan
    most_pulse_width: float = math.nan

    def both_ends(self, figure: str) -> tuple[float, ...]:
        """The values of `ends_of` a figure."""
        return tuple(float(getattr(self, end)) for end in ends_of(figure))


def measure_receiver(
    time: FloatArray,
    volts: FloatArray,
    levels: Levels,
    edges: Iterable[EdgeSpan],
    *,
    test_delay: float = 0.0,
    period: float | None = None,
) -> ReceiverMeasures:
    """Measure every edge and keep the worst.

    Parameters
    ----------
    time, volts : (n,)
    edges : as they arrive; the looked-at time of each ends before the next one arrives
    test_delay : s, of the driver in its test load, from the source's middle
    period : s, of a clock, for its duty
    """
    found = [_edge(time, volts, levels, e) for e in edges]
    found = [f for f in found if f]
    middle = levels.at(0.5, levels.v_meas)
    over_high = levels.high if levels.over_high is None else levels.over_high
    over_low = levels.low if levels.over_low is None else levels.over_low
    high, low = max(over_high, over_low), min(over_high, over_low)
    widths = np.diff(crossings(time, volts, middle))
    last, least_last = (_worst(found, "last_delay", choose) for choose in (max, min))
    top = max(found, key=lambda f: f["overshoot"], default=None)
    return ReceiverMeasures(
        overshoot=_worst(found, "overshoot", max),
        undershoot=_worst(found, "undershoot", max),
        overshoot_time=top["overshoot_time"] if top else math.nan,
        settling=_worst(found, "settling", max),
        edge_time=_worst(found, "edge_time", max),
        delay=_worst(found, "delay", max),
        over_area=float(np.trapezoid(np.maximum(volts - high, 0.0), time)),
        under_area=float(np.trapezoid(np.maximum(low - volts, 0.0), time)),
        ring_back=_worst(found, "ring_back", min),
        reversal=_worst(found, "reversal", max),
        first_delay=_worst(found, "first_delay", min),
        last_delay=last,
        flight_time=last - test_delay,
        slew=_worst(found, "slew", min),
        pulse_width=float(widths.min()) if len(widths) else math.nan,
        duty=_duty(time, volts, middle, period),
        edges=len(found),
        least_edge_time=_worst(found, "edge_time", min),
        most_slew=_worst(found, "slew", max),
        least_last_delay=least_last,
        least_flight_time=least_last - test_delay,
        most_pulse_width=float(widths.max()) if len(widths) else math.nan,
    )


def _worst(found: list[dict[str, float]], key: str, choose: object) -> float:
    """Worst of a figure; an edge that never gets there spoils it."""
    values = [f[key] for f in found if key in f]
    if not values or any(math.isnan(v) for v in values):
        return math.nan
    return float(choose(values))  # type: ignore[operator]


def _edge(time: FloatArray, volts: FloatArray, levels: Levels, e: EdgeSpan) -> dict[str, float]:
    i, j = np.searchsorted(time, [e.start, e.stop])
    t, v = time[i:j], volts[i:j]
    if len(t) < 4:
        return {}
    begin, end = (levels.low, levels.high) if e.rising else (levels.high, levels.low)
    if begin == end:
        return {}
    m = measure_edge(t, v, from_level=begin, to_level=end, source_half_time=e.source_half)
    out = {
        "overshoot": m.overshoot,
        "undershoot": m.undershoot,
        "overshoot_time": m.overshoot_time,
        "edge_time": m.edge_time,
    }
    # A window that closes early says nothing about settling.
    if not math.isnan(m.settling) or e.stop < time[-1]:
        out["settling"] = m.settling
    y = (v - begin) / (end - begin)
    meas = (levels.at(0.5, levels.v_meas) - begin) / (end - begin)
    crossed = crossings(t, y, meas)
    nan = math.nan
    out["delay"] = out["first_delay"] = float(crossed[0]) - e.source_half if len(crossed) else nan
    out["last_delay"] = float(crossed[-1]) - e.source_half if len(crossed) else nan
    t20, t80 = crossings(t, y, 0.2), crossings(t, y, 0.8)
    if len(t20) and len(t80) and t80[0] > t20[0]:
        out["slew"] = 0.6 * abs(end - begin) / float(t80[0] - t20[0])
    near, far = (0.3, levels.v_il), (0.7, levels.v_ih)
    if not e.rising:
        near, far = far, near
    threshold = (levels.at(*far) - begin) / (end - begin)
    other = (levels.at(*near) - begin) / (end - begin)
    beyond = np.flatnonzero(y >= threshold)
    size = abs(end - begin)
    if len(beyond):
        out["ring_back"] = float(_after_first_peak(y[beyond[0] :]).min() - threshold) * size
        first = np.flatnonzero(y >= other)
        between = y[first[0] : beyond[0] + 1]
        fell = np.maximum.accumulate(between) - between
        out["reversal"] = float(fell.max()) * size if len(fell) else 0.0
    else:
        out["ring_back"] = out["reversal"] = nan
    return out


def _after_first_peak(y: FloatArray) -> FloatArray:
    """What follows the first turn back; all that is left where it never turns."""
    falls = np.flatnonzero(np.diff(y) < 0.0)
    return y[int(falls[0]) :] if len(falls) else y[-1:]


def _duty(time: FloatArray, volts: FloatArray, level: float, period: float | None) -> float:
    if period is None:
        return math.nan
    above = volts >= level
    ups = crossings(time, np.where(above, 1.0, -1.0), 0.0)
    if len(ups) < 2:
        return math.nan
    exact = crossings(time, volts, level)
    rising_first = bool(volts[np.searchsorted(time, exact[0])] >= level)
    highs = exact[1::2] - exact[::2][: len(exact[1::2])]
    if not rising_first:
        highs = exact[2::2] - exact[1::2][: len(exact[2::2])]
    return float(np.mean(highs) / period) if len(highs) else math.nan
