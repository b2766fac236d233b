"""The response of a channel to one bit."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = ["PulseResponse", "pulse_from_step"]

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class PulseResponse:
    """Response to one bit that goes from level -1 to +1 and back.

    Attributes
    ----------
    volts : (k, m) by bit k after the pulse starts and phase m within the unit interval; it is half
        the difference between the responses to ...010... and ...000...
    unit_interval : s
    base : V, the level around which bits swing
    """

    volts: FloatArray
    unit_interval: float
    base: float

    @property
    def samples_per_ui(self) -> int:
        """Phases in one unit interval."""
        return self.volts.shape[1]

    def unseen(self, phase: int, order: int) -> float:
        """What a pattern that holds all sequences of `order` bits may not show of a channel, V.

        Twice the sum of the cursors at `phase` that lie outside the `order` bits which hold most.
        """
        size = np.abs(self.volts[:, phase])
        if len(size) <= order:
            return 0.0
        held = np.convolve(size, np.ones(order), mode="valid").max()
        return 2.0 * float(size.sum() - held)

    @property
    def flat(self) -> FloatArray:
        """The response as one waveform (k*m,)."""
        return self.volts.reshape(-1)


def pulse_from_step(
    time: FloatArray,
    step: FloatArray,
    unit_interval: float,
    *,
    samples_per_ui: int = 128,
    keep: float = 1e-4,
) -> PulseResponse:
    """Pulse response from the response to a step between the two levels.

    Parameters
    ----------
    time, step : (n,) s and V; at rest first, settled at the end
    samples_per_ui : phases per bit
    keep : the tail is cut where it stays below this share of the peak

    Raises
    ------
    NotPhysical : the step does not move, or is not settled when it ends
    """
    if not (math.isfinite(unit_interval) and unit_interval > 0):
        raise NotPhysical("unit interval", unit_interval, "above 0 s")
    low, high = float(step[0]), float(step[-1])
    swing = high - low
    if not abs(swing) > 0:
        raise NotPhysical("step response", "no change", "a step that reaches the receiver")
    bits = math.ceil(time[-1] / unit_interval)
    grid = np.arange(bits * samples_per_ui) * (unit_interval / samples_per_ui)
    rise = np.interp(grid, time, step)
    pulse = rise.copy()
    pulse[samples_per_ui:] -= rise[:-samples_per_ui]
    pulse[:samples_per_ui] -= low
    pulse *= 0.5
    by_bit = pulse.reshape(bits, samples_per_ui)
    strong = np.flatnonzero(np.abs(by_bit).max(axis=1) > keep * np.abs(pulse).max())
    if strong[-1] == bits - 1 and bits > 1:
        unsettled = float(np.abs(by_bit[-1]).max() / np.abs(pulse).max())
        if unsettled > 50 * keep:
            raise NotPhysical(
                "step response", f"still {unsettled:.2%} from settled at its end", "settled"
            )
    first, last = int(strong[0]), int(strong[-1])
    return PulseResponse(
        np.ascontiguousarray(by_bit[first : last + 1]), unit_interval, 0.5 * (low + high)
    )
