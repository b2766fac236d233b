"""Devices whose current follows the voltage by tables, weighted in time by switching curves."""

from __future__ import annotations

import math
from bisect import bisect_right
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = ["Device", "Port", "Table", "Term", "Weight", "diode_table"]

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Table:
    """Current (A) against voltage (V) in straight pieces; beyond its ends the last slope holds."""

    volts: tuple[float, ...]
    amps: tuple[float, ...]

    def __post_init__(self) -> None:
        if len(self.volts) < 2 or len(self.volts) != len(self.amps):
            raise NotPhysical("table", f"{len(self.volts)} points", "two points or more")
        if not all(math.isfinite(x) for x in (*self.volts, *self.amps)):
            raise NotPhysical("table", "a value that is no number", "finite")
        if any(b <= a for a, b in zip(self.volts, self.volts[1:], strict=False)):
            raise NotPhysical("table voltages", "not rising", "strictly rising")

    def at(self, volts: FloatArray) -> FloatArray:
        """Current at voltages, A."""
        v, i = np.asarray(self.volts), np.asarray(self.amps)
        inside = np.interp(volts, v, i)
        low = i[0] + (volts - v[0]) * (i[1] - i[0]) / (v[1] - v[0])
        high = i[-1] + (volts - v[-1]) * (i[-1] - i[-2]) / (v[-1] - v[-2])
        return np.asarray(np.where(volts < v[0], low, np.where(volts > v[-1], high, inside)))

    def point(self, volts: float) -> tuple[float, float]:
        """Current (A) at one voltage and the slope there (S), of the piece above at a kink."""
        v, i = self.volts, self.amps
        k = min(max(bisect_right(v, volts) - 1, 0), len(v) - 2)
        slope = (i[k + 1] - i[k]) / (v[k + 1] - v[k])
        return i[k] + (volts - v[k]) * slope, slope


@dataclass(frozen=True, slots=True)
class Weight:
    """A factor against time in straight pieces, constant before and after."""

    time: tuple[float, ...]
    value: tuple[float, ...]

    def sample(self, time: FloatArray) -> FloatArray:
        """Factor at times in seconds."""
        return np.interp(time, self.time, self.value)

    def at(self, time: float) -> float:
        """Factor at one time in seconds."""
        t, w = self.time, self.value
        k = bisect_right(t, time)
        if k in (0, len(t)):
            return w[0] if k == 0 else w[-1]
        return w[k - 1] + (time - t[k - 1]) * (w[k] - w[k - 1]) / (t[k] - t[k - 1])


@dataclass(frozen=True, slots=True)
class Term:
    """`scale` * weight(t) * table(`sign` * v + `offset`), flowing into the port's node."""

    table: Table
    scale: float = 1.0
    sign: float = 1.0
    offset: float = 0.0
    weight: Weight | None = None


@dataclass(frozen=True, slots=True)
class Port:
    """Where a device touches the net: from `node` to 0 V, or to `node_b`, and what flows there."""

    node: int
    terms: tuple[Term, ...]
    node_b: int | None = None


@dataclass(frozen=True, slots=True)
class Device:
    """A device by name, so that what goes wrong in it can be told."""

    name: str
    ports: tuple[Port, ...]


def diode_table(
    saturation: float = 1e-14, thermal: float = 0.0259, ideality: float = 1.0, top: float = 0.5
) -> Table:
    """An exponential diode as a table, straight beyond `top` amperes.

    The steps follow the curve so that the current is within a hundredth between two points.

    References
    ----------
    Shockley, "The theory of p-n junctions in semiconductors", Bell Syst. Tech. J. 28 (1949) 435.
    """
    vt = thermal * ideality
    # Below a nanoampere the curve is flat for any net that a table is meant for.
    first = vt * math.log(1e-9 / saturation + 1.0)
    last = vt * math.log(top / saturation + 1.0)
    count = max(8, math.ceil((last - first) / (0.25 * vt)))
    v = np.linspace(first, last, count)
    i = saturation * np.expm1(v / vt)
    volts = (-10.0, 0.0, *(float(x) for x in v))
    amps = (-10.0 * 1e-12, 0.0, *(float(x) for x in i))
    return Table(volts, amps)
