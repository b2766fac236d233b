"""Networks in time: the response to an edge with a stated shape, and gates.

The edge is the integral of a Gaussian, which is also the window of the transform: nothing else is
applied to the data. Its spectrum is exp(-2 (pi sigma f)^2), sigma = t_20_80 / 1.6832.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = [
    "Edge",
    "crossing",
    "fastest_edge",
    "gated",
    "impulse_response",
    "pulse_response",
    "step_response",
]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_SIGMA = 1.0 / 1.6832424671
"""Standard deviation of the Gaussian as a share of its integral's rise from 20 to 80 percent."""
_AT_TOP = 0.813
"""Rise 20 to 80 percent times the frequency at which the spectrum is down by 40 dB."""


@dataclass(frozen=True, slots=True)
class Edge:
    """An edge from 0 to 1 V; `rise` is its 20 to 80 percent time, s."""

    rise: float

    def __post_init__(self) -> None:
        if not (math.isfinite(self.rise) and self.rise > 0):
            raise NotPhysical("edge", self.rise, "above 0 s")

    def spectrum(self, frequency: FloatArray) -> FloatArray:
        """Share (f,) of the frequency in the edge's slope."""
        sigma = _SIGMA * self.rise
        return np.asarray(np.exp(-2.0 * (np.pi * sigma * frequency) ** 2))

    @property
    def needs(self) -> float:
        """Hz up to which the edge holds something to speak of: down by 40 dB."""
        return _AT_TOP / self.rise

    @property
    def lead(self) -> float:
        """Time before 0 at which the edge has begun, s."""
        return 3.0 * self.rise


def fastest_edge(top: float) -> Edge:
    """The fastest edge that data up to `top` Hz carry without ringing of their own."""
    return Edge(_AT_TOP / top)


def impulse_response(
    frequency: FloatArray, h: ComplexArray, edge: Edge, *, per_rise: float = 8.0
) -> tuple[FloatArray, FloatArray]:
    """Response to the slope of an edge: time (t,) s from before 0, and share per sample (t,).

    The sum of all samples is the response at DC. Time 0 is the middle of the edge.

    Parameters
    ----------
    frequency : (f,) k * step from 0; h : (f,) one entry on it
    per_rise : samples in a rise time at least
    """
    count = len(frequency)
    if count < 3 or frequency[0] != 0.0:
        raise NotPhysical("frequency", f"{count} points", "three or more in even steps from 0")
    step = float(frequency[1])
    # Denser in time by zeros above the band.
    half = max(count - 1, math.ceil(per_rise / (2.0 * step * edge.rise)))
    samples = 2 * half
    dt = 1.0 / (samples * step)
    lead = min(math.ceil(edge.lead / dt), samples // 4)
    shaped = h * edge.spectrum(frequency) * np.exp(-2j * np.pi * frequency * lead * dt)
    # A band that ends at the Nyquist point of its own grid holds that point once, not twice.
    response = np.fft.irfft(shaped, n=samples)
    time = np.asarray((np.arange(samples) - lead) * dt, dtype=np.float64)
    return time, np.asarray(response)


def step_response(
    frequency: FloatArray, h: ComplexArray, edge: Edge, *, per_rise: float = 8.0
) -> tuple[FloatArray, FloatArray]:
    """Response to the edge: time (t,) s from before 0, and volts (t,)."""
    time, response = impulse_response(frequency, h, edge, per_rise=per_rise)
    total = np.cumsum(response)
    # The half sample that the sum runs ahead of the middle of its last cell.
    return time, np.asarray(total - 0.5 * response)


def pulse_response(
    frequency: FloatArray, h: ComplexArray, edge: Edge, width: float
) -> tuple[FloatArray, FloatArray]:
    """Response to a pulse of 1 V and `width` s between the middles of its edges."""
    time, step = step_response(frequency, h, edge)
    late = np.interp(time - width, time, step, left=0.0)
    return time, np.asarray(step - late)


def crossing(time: FloatArray, volts: FloatArray, share: float) -> float:
    """First time (s) at which an edge passes a share of its last value; NaN where it never does."""
    last = float(np.mean(volts[-max(len(volts) // 50, 1) :]))
    if last == 0.0:
        return math.nan
    level = volts / last - share
    up = np.flatnonzero((level[:-1] < 0.0) & (level[1:] >= 0.0))
    if not len(up):
        return math.nan
    k = int(up[0])
    return float(time[k] - level[k] * (time[k + 1] - time[k]) / (level[k + 1] - level[k]))


def gated(
    frequency: FloatArray, s: ComplexArray, start: float, stop: float, *, edge: float
) -> ComplexArray:
    """The part of each entry whose response lies between two times.

    Its complement, what remains without the gated part, is s minus this.

    Parameters
    ----------
    frequency : (f,) k * step from 0; s : (f, ...) on it
    start, stop : s; edge : s, over which the gate opens and closes (raised cosine)

    Raises
    ------
    NotPhysical : the gate is empty, or longer than the response can be (1 / step)
    """
    period = 1.0 / float(frequency[1])
    if not (stop > start and edge >= 0 and stop - start + edge < period):
        raise NotPhysical(
            "gate", f"{start:.4g} to {stop:.4g} s", f"rising and shorter than {period:.4g} s"
        )
    flat = s.reshape(len(frequency), -1)
    # The band's sharp end would smear the gate; its mirror image continues the data smoothly.
    samples = 4 * (len(frequency) - 1)
    mirrored = np.concatenate([flat, flat[-2::-1]])
    taper = np.ones(len(mirrored))
    over = len(frequency)
    taper[over:] = 0.5 * (1.0 + np.cos(np.pi * np.arange(1, len(mirrored) - over + 1) / over))
    response = np.fft.irfft(mirrored * taper[:, None], n=samples, axis=0)
    dt = period / samples
    time = np.arange(samples) * dt
    # Times count around the period, so that a gate may open before 0.
    middle = 0.5 * (start + stop)
    away = np.abs((time - middle + 0.5 * period) % period - 0.5 * period)
    reach = 0.5 * (stop - start)
    window = np.clip((reach + 0.5 * edge - away) / max(edge, dt), 0.0, 1.0)
    window = 0.5 - 0.5 * np.cos(np.pi * window)
    back = np.fft.rfft(response * window[:, None], axis=0)[: len(frequency)]
    return np.asarray(back.reshape(s.shape))
