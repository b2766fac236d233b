"""The eye of a lane at an error rate, with what its neighbours put into it and without."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.coupling.pulses import random_phase
from onda.engine.links.opening import open_span
from onda.engine.links.statistical import (
    Levels,
    SampledPulse,
    contour,
    disturbance,
    exceeded,
    interference,
    size_at,
)
from onda.errors import InputError
from onda.project.coupling.group import LaneGroup
from onda.project.model import Design
from onda.studies.core.study import Control, Study
from onda.studies.coupling.group import GROUP, GroupResult
from onda.studies.coupling.inputs import GroupInputs, group_inputs, lane_number

__all__ = ["GROUP_EYE", "EyeInputs", "EyeSide", "GroupEye", "HeardChance", "eye_inputs"]

FloatArray = NDArray[np.float64]
_PER_UI = 32
_PHASES, _SPAN = 41, 0.6
"""Moments that are looked at, and how far to either side, UI."""
_KEPT = 2048
"""Bins of what all neighbours add."""
_QUIET = 1e-5
"""Share of the signal below which a disturber is not heard."""


@dataclass(frozen=True, slots=True)
class EyeInputs:
    """A group, the lane that is looked at (from 0), and the error rate."""

    group: GroupInputs
    lane: int
    error_rate: float = 1e-12


def eye_inputs(design: Design, group: LaneGroup, lane: str, error_rate: float = 1e-12) -> EyeInputs:
    """Slice for the eye of a lane; raise `InputError` where there is none of that id."""
    inputs = group_inputs(design, group)
    return EyeInputs(inputs, lane_number(inputs, lane), error_rate)


@dataclass(frozen=True, slots=True, eq=False)
class EyeSide:
    """A contour: `upper` and `lower` (m,) V over the moments, tallest `height` V, `width` s at 0 V;
    both 0 or below where it is closed."""

    upper: FloatArray
    lower: FloatArray
    height: float
    width: float


@dataclass(frozen=True, slots=True, eq=False)
class HeardChance:
    """How likely a receiver hears how much while its disturbers send at random, each with a phase
    of its own.

    `size` (s,) V, of either sign; `log10` (s,) of the chance that it is reached; `effective` V rms;
    `rare` V, reached with the error rate; `most` V, the largest that any bits and phases add up to
    """

    size: FloatArray
    log10: FloatArray
    effective: float
    rare: float
    most: float


@dataclass(frozen=True, slots=True, eq=False)
class GroupEye:
    """Moments (m,) s around the middle of the bit; the eye with crosstalk and alone; what all
    disturbers do to the receiver, and near ones and far ones by themselves."""

    lane: str
    error_rate: float
    unit_interval: float
    moments: FloatArray
    crowded: EyeSide
    alone: EyeSide
    heard: HeardChance
    heard_near: HeardChance
    heard_far: HeardChance


def _pulse(result: GroupResult, to: int, of: int, amplitude: float, unit: float) -> SampledPulse:
    """What a bit of one lane does at a receiver."""
    step = unit / _PER_UI
    start = float(result.time[0])
    time = np.arange(start, 0.95 * float(result.time[-1]), step)
    rise = np.interp(time, result.time, result.volts[:, to, of])
    late = np.interp(time - unit, result.time, result.volts[:, to, of], left=0.0)
    return SampledPulse(amplitude * (rise - late), step)


def _run(inputs: EyeInputs, control: Control) -> GroupEye:
    if not 0.0 < inputs.error_rate <= 0.5:
        raise InputError(
            f"an error rate of {inputs.error_rate:g}", remedy="Above 0 and at most 0.5, as 1e-12."
        )
    group, v = inputs.group, inputs.lane
    result = GROUP.run(group, Control())
    control.progress(0.5)
    unit = 1.0 / group.rate
    own = _pulse(result, v, v, group.far, unit)
    pulses: dict[bool, list[SampledPulse]] = {True: [], False: []}
    for a in range(len(group.lanes)):
        if a == v:
            continue
        near = bool(result.near[v, a])
        pulse = _pulse(result, v, a, group.near if near else group.far, unit)
        if np.abs(pulse.samples).max() > _QUIET * np.abs(own.samples).max():
            pulses[near].append(pulse)
    sides = {near: _together([disturbance(p, unit) for p in some]) for near, some in pulses.items()}
    heard = _together(list(sides.values()))
    control.progress(0.7)
    # The middle of the bit is where a bit by itself has its largest area of a unit interval.
    total = np.convolve(own.samples, np.ones(_PER_UI), mode="valid")
    middle = (float(np.argmax(total)) + 0.5 * _PER_UI) * own.step
    moments = np.linspace(-_SPAN, _SPAN, _PHASES) * unit
    crowded, alone = (
        _side(own, middle, moments, unit, inputs.error_rate, extra)
        for extra in (heard, Levels.at_rest())
    )
    name = group.lanes[v].name
    chances = [
        _chance(levels, some, unit, inputs.error_rate)
        for levels, some in (
            (heard, [*pulses[True], *pulses[False]]),
            (sides[True], pulses[True]),
            (sides[False], pulses[False]),
        )
    ]
    return GroupEye(name, inputs.error_rate, unit, moments, crowded, alone, *chances)


def _together(parts: list[Levels]) -> Levels:
    out = Levels.at_rest()
    for part in parts:
        out = out.plus(part).gathered(_KEPT)
    return out


def _chance(
    levels: Levels, pulses: list[SampledPulse], unit: float, error_rate: float
) -> HeardChance:
    power, most = 0.0, 0.0
    for pulse in pulses:
        time = np.asarray(np.arange(len(pulse.samples)) * pulse.step)
        power += float(random_phase(time, pulse.samples, unit)) ** 2
        # Every phase has its own worst bits; the sampler may meet any of them.
        per = np.zeros(-(-len(pulse.samples) // _PER_UI) * _PER_UI)
        per[: len(pulse.samples)] = np.abs(pulse.samples)
        most += float(per.reshape(-1, _PER_UI).sum(axis=0).max())
    size, log10 = exceeded(levels, most)
    return HeardChance(size, log10, float(np.sqrt(power)), size_at(levels, error_rate), most)


def _side(
    pulse: SampledPulse,
    middle: float,
    moments: FloatArray,
    unit: float,
    error_rate: float,
    extra: Levels,
) -> EyeSide:
    upper, lower = np.empty(len(moments)), np.empty(len(moments))
    for i, moment in enumerate(moments):
        cursors = pulse.cursors(middle + float(moment), unit)
        main = cursors.pop(0)
        isi = interference(cursors.values()).plus(extra)
        found = contour(isi, main, 0.0, error_rate, (-1.0, 1.0))
        upper[i], lower[i] = found.upper, found.lower
    span = open_span(moments, np.minimum(upper, -lower))
    width = span[1] - span[0] if span is not None else 0.0
    return EyeSide(upper, lower, float((upper - lower).max()), width)


GROUP_EYE: Study[EyeInputs, GroupEye] = Study("group_eye", _run, GroupEye, title="Eye of a lane")
