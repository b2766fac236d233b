"""Numbers read off a waveform of one or more edges, each computed, none read by eye."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["EdgeMeasures", "crossings", "edge_time", "first_crossing", "measure_edge"]

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class EdgeMeasures:
    """What one edge does at a receiver, volts and seconds.

    Attributes
    ----------
    overshoot : how far beyond the new level it goes, 0 at least
    undershoot : how far it comes back on the near side of the new level after first reaching it
    overshoot_time : when it is farthest beyond
    settling : from the 50 % crossing until it stays within the band; NaN if it never does
    edge_time : 10 % to 90 % of the step, first crossings; NaN if it never gets there
    delay : from the source's 50 % to the first 50 % crossing here; NaN if it never gets there
    """

    overshoot: float
    undershoot: float
    overshoot_time: float
    settling: float
    edge_time: float
    delay: float


def crossings(time: FloatArray, volts: FloatArray, level: float) -> FloatArray:
    """Times at which the waveform crosses a level, by straight lines between samples."""
    above = volts >= level
    i = np.flatnonzero(above[1:] != above[:-1])
    share = (level - volts[i]) / (volts[i + 1] - volts[i])
    return np.asarray(time[i] + share * (time[i + 1] - time[i]))


def first_crossing(time: FloatArray, volts: FloatArray, level: float) -> float:
    """First time at which the waveform crosses a level; NaN if it never does."""
    found = crossings(time, volts, level)
    return float(found[0]) if len(found) else math.nan


def edge_time(time: FloatArray, values: FloatArray) -> float:
    """Time from 0 to 100 % of an edge as its middle goes, 20 to 80 % over 0.6; inf without one."""
    step = values[-1] - values[0]
    if step == 0.0:
        return math.inf
    y = (values - values[0]) / step
    # The last passing of 20 % before the first of 80 %: what it does before is not the edge.
    late = first_crossing(time, y, 0.8)
    early = crossings(time, y, 0.2)
    early = early[early < late]
    return (late - float(early[-1])) / 0.6 if len(early) else math.inf


def measure_edge(
    time: FloatArray,
    volts: FloatArray,
    *,
    from_level: float,
    to_level: float,
    source_half_time: float,
    band: float = 0.05,
) -> EdgeMeasures:
    """Measure one edge.

    Parameters
    ----------
    time, volts : (n,) from the source's edge until the next one
    from_level, to_level : settled volts before and after
    source_half_time : s, when the source passes its middle
    band : settled means within this share of the step
    """
    step = to_level - from_level
    # Rising from 0 to 1, whichever way the edge goes.
    y = (volts - from_level) / step
    peak = int(np.argmax(y))
    overshoot = max(float(y[peak]) - 1.0, 0.0)
    t50 = first_crossing(time, y, 0.5)
    reached = np.flatnonzero(y >= 1.0)
    undershoot = 0.0
    if len(reached):
        undershoot = max(1.0 - float(y[reached[0] :].min()), 0.0)
    outside = np.flatnonzero(np.abs(y - 1.0) > band)
    settling = math.nan
    if len(outside) == 0 or outside[-1] < len(y) - 1:
        last = int(outside[-1]) if len(outside) else 0
        settling = float(time[min(last + 1, len(y) - 1)]) - t50
    t10, t90 = first_crossing(time, y, 0.1), first_crossing(time, y, 0.9)
    size = abs(step)
    return EdgeMeasures(
        overshoot=overshoot * size,
        undershoot=undershoot * size,
        overshoot_time=float(time[peak]),
        settling=settling,
        edge_time=t90 - t10,
        delay=t50 - source_half_time,
    )
