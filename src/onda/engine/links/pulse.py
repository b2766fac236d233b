"""The response of a channel to one bit."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = ["PulseResponse", "pulse_from_step", "sampling_phase"]

FloatArray = NDArray[np.float64]
_BACK = 0.02
"""Share of the swing by which a step back may miss where the step began."""


@dataclass(frozen=True, slots=True)
class PulseResponse:
    """Response to one bit that goes from level -1 to +1 and back.

    Attributes
    ----------
    volts : (k, m) by bit k after the pulse starts and phase m within the unit interval; it is half
        the difference between the responses to ...010... and ...000...
    unit_interval : s
    base : V, the level around which bits swing
    uneven : (k, m) V that every edge of the whole swing adds, whichever way it goes, where rise and
        fall are unlike; None where they are alike
    """

    volts: FloatArray
    unit_interval: float
    base: float
    uneven: FloatArray | None = None

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
    fall: FloatArray | None = None,
) -> PulseResponse:
    """Pulse response from the response to a step between the two levels.

    The mean of what the two edges do makes the pulse, each taken for the other one turned over;
    half of what they do together is left, and comes with every edge. A sum over edges is exact
    where the two levels are reached before the next edge, or where all that is unlike has settled.

    Parameters
    ----------
    time, step : (n,) s and V; at rest first, settled at the end
    fall : (n,) V of the step back, where it is not `step` turned over
    samples_per_ui : phases per bit
    keep : the tail is cut where it stays below this share of the peak

    Raises
    ------
    NotPhysical : the step does not move, is not settled when it ends, or the step back leads
        elsewhere
    """
    if not (math.isfinite(unit_interval) and unit_interval > 0):
        raise NotPhysical("unit interval", unit_interval, "above 0 s")
    low, high = float(step[0]), float(step[-1])
    swing = high - low
    if not abs(swing) > 0:
        raise NotPhysical("step response", "no change", "a step that reaches the receiver")
    base = 0.5 * (low + high)
    apart: FloatArray | None = None
    if fall is not None:
        away = max(abs(float(fall[0]) - high), abs(float(fall[-1]) - low)) / abs(swing)
        if away > _BACK:
            raise NotPhysical(
                "step back", f"{away:.1%} of the swing from where the step began", "back there"
            )
        # Where both begin is known best.
        base = 0.5 * (low + float(fall[0]))
        apart = 0.5 * (step + fall) - base
        step = 0.5 * (step - fall) + base
        low, high = float(step[0]), float(step[-1])
    bits = math.ceil(time[-1] / unit_interval)
    grid = np.arange(bits * samples_per_ui) * (unit_interval / samples_per_ui)
    rise = np.interp(grid, time, step)
    pulse = rise.copy()
    pulse[samples_per_ui:] -= rise[:-samples_per_ui]
    pulse[:samples_per_ui] -= low
    pulse *= 0.5
    by_bit = pulse.reshape(bits, samples_per_ui)
    size = np.abs(by_bit).max(axis=1)
    peak = float(size.max())
    uneven: FloatArray | None = None
    if apart is not None:
        uneven = np.interp(grid, time, apart).reshape(bits, samples_per_ui)
        size = np.maximum(size, np.abs(uneven).max(axis=1))
    strong = np.flatnonzero(size > keep * peak)
    if strong[-1] == bits - 1 and bits > 1:
        unsettled = float(size[-1] / peak)
        if unsettled > 50 * keep:
            raise NotPhysical(
                "step response", f"still {unsettled:.2%} from settled at its end", "settled"
            )
    some = slice(int(strong[0]), int(strong[-1]) + 1)
    return PulseResponse(
        np.ascontiguousarray(by_bit[some]),
        unit_interval,
        base,
        None if uneven is None else np.ascontiguousarray(uneven[some]),
    )


def sampling_phase(pulse: PulseResponse) -> int:
    """Phase (sample of the unit interval) half a bit from where the pulse's two edges cross.

    The two edges of a lone bit pass the same level one unit interval apart; a clock that follows
    the crossings samples midway between. Where the pulse never shows both, its peak is taken.
    """
    flat, n = pulse.flat, pulse.samples_per_ui
    padded = np.concatenate([np.zeros(n), flat, np.zeros(n)])
    difference = padded[n:] - padded[:-n]
    peak = int(np.argmax(flat)) + n
    low = max(peak - n, 0)
    # Where p(t) = p(t + UI) around the peak, t is the crossing before it.
    window = difference[low : peak + 1]
    change = np.flatnonzero((window[:-1] > 0) & (window[1:] <= 0))
    if len(change) == 0:
        return (peak - n) % n
    i = int(change[-1])
    share = window[i] / (window[i] - window[i + 1])
    return round(low + i + float(share) + n / 2 - n) % n
