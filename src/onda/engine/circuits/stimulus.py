"""What drives a net: a waveform of straight pieces, with its exact transform."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = ["PiecewiseLinear", "clock", "edge", "pulse"]


@dataclass(frozen=True, slots=True)
class PiecewiseLinear:
    """Straight pieces between (time, volts) points; constant before and after.

    `time` must rise strictly.
    """

    time: tuple[float, ...]
    volts: tuple[float, ...]

    def __post_init__(self) -> None:
        if len(self.time) < 1 or len(self.time) != len(self.volts):
            raise NotPhysical("stimulus", f"{len(self.time)} times", "as many times as voltages")
        if any(b <= a for a, b in zip(self.time, self.time[1:], strict=False)):
            raise NotPhysical("stimulus times", "not rising", "strictly rising")

    @property
    def initial(self) -> float:
        """Voltage before the first point."""
        return self.volts[0]

    @property
    def final(self) -> float:
        """Voltage after the last point."""
        return self.volts[-1]

    def change_transform(self, s: NDArray[np.complex128]) -> NDArray[np.complex128]:
        """Laplace transform of the waveform less its initial value."""
        t, v = np.asarray(self.time), np.asarray(self.volts)
        if len(t) < 2:
            return np.zeros(np.shape(s), dtype=complex)
        slope = np.concatenate([[0.0], np.diff(v) / np.diff(t), [0.0]])
        bend = np.diff(slope)
        total = np.zeros(np.shape(s), dtype=complex)
        for tk, bk in zip(t, bend, strict=True):
            if bk != 0.0:
                total += bk * np.exp(-s * tk)
        return total / s**2

    def sample(self, time: NDArray[np.float64]) -> NDArray[np.float64]:
        """Voltage at times in seconds."""
        return np.interp(time, self.time, self.volts)


def _edge_time(value: float) -> float:
    if not (math.isfinite(value) and value > 0):
        raise NotPhysical("edge time", value, "above 0 s")
    return value


def edge(low: float, high: float, rise_0_100: float, *, start: float = 0.0) -> PiecewiseLinear:
    """One linear edge; `rise_0_100` seconds from 0 to 100 %."""
    return PiecewiseLinear((start, start + _edge_time(rise_0_100)), (low, high))


def pulse(
    low: float, high: float, rise_0_100: float, width: float, *, start: float = 0.0
) -> PiecewiseLinear:
    """One pulse with linear edges; `width` between the 50 % points, above the edge time."""
    return clock(low, high, rise_0_100, period=2 * width, cycles=1, start=start)


def clock(
    low: float,
    high: float,
    rise_0_100: float,
    *,
    period: float,
    cycles: int,
    duty: float = 0.5,
    start: float = 0.0,
) -> PiecewiseLinear:
    """A clock that starts from rest; `duty` is the share of the period above 50 %."""
    _edge_time(rise_0_100)
    if not (math.isfinite(period) and 0 < duty < 1 and cycles >= 1):
        raise NotPhysical("clock", f"period {period}, duty {duty}", "a period with duty in 0..1")
    if rise_0_100 >= min(duty, 1 - duty) * period:
        raise NotPhysical(
            "edge time", rise_0_100, f"shorter than the level, {min(duty, 1 - duty) * period:.4g} s"
        )
    times: list[float] = []
    volts: list[float] = []
    for k in range(cycles):
        rise = start + k * period
        fall = rise + duty * period
        times += [rise, rise + rise_0_100, fall, fall + rise_0_100]
        volts += [low, high, high, low]
    return PiecewiseLinear(tuple(times), tuple(volts))
