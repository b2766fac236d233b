"""The part of a link's eye that jitter and noise do not touch: its pulses, and all sums of them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.chain import Chain, decision_taps, sampling_time, scaled
from onda.engine.links.eye_grid import EyeGrid, eye_grid
from onda.engine.links.pulse import pulse_from_step
from onda.engine.links.sampler import Sampler
from onda.engine.links.statistical import Levels, SampledPulse, disturbance
from onda.errors import InputError
from onda.studies.core.held import held
from onda.studies.links.channel import channel_step
from onda.studies.links.inputs import ChannelInputs

__all__ = ["PER_UI", "REACH", "ChannelPulses", "StillEye", "channel_pulses", "still_eye"]

FloatArray = NDArray[np.float64]
PER_UI = 32
"""Samples of a pulse in a unit interval."""
_LEAST_LEFT = 1e-3
"""Share of the channel's own pulse."""
REACH = 1.25
"""Unit intervals to either side of the sampling time that jitter may lead to."""


@dataclass(frozen=True, slots=True, eq=False)
class ChannelPulses:
    """What a symbol of half a swing becomes, here and from each other lane; `base` V in the middle
    of the swing; `uneven` what every edge of a whole swing adds, None where edges are alike."""

    own: SampledPulse
    others: tuple[SampledPulse, ...]
    base: float
    delay: float
    doubts: tuple[str, ...]
    uneven: SampledPulse | None = None


@held(2**26)
def channel_pulses(inputs: ChannelInputs) -> ChannelPulses:
    """Pulses of a channel.

    Raises
    ------
    NotPhysical : the channel lets nothing through, or does not settle
    """
    step, unit = channel_step(inputs), inputs.unit_interval
    own = pulse_from_step(step.time, step.volts, unit, samples_per_ui=PER_UI, fall=step.fall)
    apart = unit / PER_UI
    grid = np.arange(float(step.time[0]), float(step.time[-1]), apart)
    others = []
    for volts in step.others:
        rise = np.interp(grid, step.time, volts)
        late = np.interp(grid - unit, step.time, volts, left=float(volts[0]))
        others.append(SampledPulse(0.5 * (rise - late), apart))
    uneven = None if own.uneven is None else SampledPulse(own.uneven.reshape(-1), apart)
    return ChannelPulses(
        SampledPulse(own.flat, apart), tuple(others), own.base, step.delay, step.doubts, uneven
    )


@dataclass(frozen=True, slots=True, eq=False)
class StillEye:
    """An eye without noise or jitter, what it was sampled from, and the worst that other lanes can
    do at once, V."""

    grid: EyeGrid
    sampler: Sampler
    peak_crosstalk: float


@held(2**27)
def still_eye(
    channel: ChannelInputs, chain: Chain, levels: tuple[float, ...], sampling: str, per_ui: int
) -> StillEye:
    """The eye behind a chain; it stays known while jitter and noise are changed.

    Raises
    ------
    InputError : nothing of a symbol is left at the sampler
    """
    pulses, unit = channel_pulses(channel), channel.unit_interval
    made, gain = chain.received(pulses.own, unit, sampling)
    at = sampling_time(made, unit, sampling)
    cursors = made.cursors(at, unit)
    high, low = float(made.samples.max()), float(made.samples.min())
    least = gain * _LEAST_LEFT * float(np.abs(pulses.own.samples).max())
    if -low > high or not cursors[0] > least:
        raise InputError(
            "nothing of a symbol is left at the sampler",
            remedy="Look at the settings of the equalisers.",
        )
    taps = decision_taps(cursors, chain)
    extra: Levels | None = None
    peak = 0.0
    for other in pulses.others:
        behind = scaled(chain.behind_all(other, unit), gain)
        heard = disturbance(behind, unit, levels)
        peak += float(np.abs(heard.values).max())
        extra = heard if extra is None else extra.plus(heard)
    pair = (levels[-2], levels[-1])
    uneven = None
    if pulses.uneven is not None:
        uneven = scaled(chain.for_edges.behind_all(pulses.uneven, unit), gain)
    sampler = Sampler(made, at, unit, 0.0, taps, levels, pair, 0.0, extra, uneven)
    count = round(REACH * per_ui)
    moments = np.asarray(np.arange(-count, count + 1) / per_ui * unit, dtype=np.float64)
    return StillEye(eye_grid(sampler, moments), sampler, peak)
