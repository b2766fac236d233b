"""Pseudo-random bits on all lanes of a group at once, through their devices: what is left open."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits import solve_transient
from onda.engine.circuits.budget import check_transient_size
from onda.engine.links.opening import open_span
from onda.engine.links.patterns import prbs
from onda.errors import InputError
from onda.studies.core.study import Control, Study
from onda.studies.coupling.circuit import Commands, GroupCircuit
from onda.studies.coupling.waves import WavesInputs, arrival_level

__all__ = ["GROUP_BITS", "GroupBits"]

FloatArray = NDArray[np.float64]
_BITS = 127
_STRIDE = 17
"""Bits by which the pattern of each lane is ahead of the one before: coprime to 127, so that no two
of fewer lanes than that send the same."""
_PER_UI = 128
_COARSER = 4.0 / 3.0
"""Times the step at which an edge by itself is timed: an opening is looked at, no delay."""
_SETTLE = 8
"""Bits at the beginning that are left out, while what was at rest still rings."""


@dataclass(frozen=True, slots=True, eq=False)
class GroupBits:
    """A lane's receiver, folded bit by bit.

    Attributes
    ----------
    phases : (p,) s, from the crossing before the middle of a bit to the one behind it
    traces : (b, p) V, one row a bit; ones : (b,) what each was
    level : V that tells ones from zeros
    upper, lower : (p,) V, the lowest one and the highest zero
    height, width : V at the best moment, s while ones and zeros stay apart at the level; 0 where
        they do not
    """

    lane: str
    unit_interval: float
    phases: FloatArray
    traces: FloatArray
    ones: NDArray[np.bool_]
    level: float
    upper: FloatArray
    lower: FloatArray
    height: float
    width: float


def _commands(bits: NDArray[np.int64], unit: float) -> Commands:
    changes = np.flatnonzero(np.diff(bits))
    return [(float(k) * unit, bool(bits[k + 1])) for k in changes]


def _run(inputs: WavesInputs, control: Control) -> GroupBits:
    group = inputs.group
    circuit = GroupCircuit(
        group, inputs.driver, inputs.listener, inputs.driver_pins, inputs.listener_pins
    )
    unit = 1.0 / group.rate
    if circuit.edge > 4.0 * unit:
        raise InputError(
            f"edges of {circuit.edge * 1e12:.3g} ps are longer than four bits",
            remedy="Choose a lower rate or faster drivers.",
        )
    period = prbs(7, _BITS).astype(np.int64)
    count = _BITS + _SETTLE + 1
    sent = [
        np.take(period, (np.arange(count) + _STRIDE * k) % _BITS) for k in range(len(group.lanes))
    ]
    commands = [_commands(bits, unit) for bits in sent]
    late = circuit.delay + circuit.lead
    end = (count - 1) * unit + late + circuit.edge
    net, stimuli = circuit.net(commands, [bool(bits[0]) for bits in sent], end)
    step = _COARSER * circuit.step
    check_transient_size(net, end, step)
    solution = solve_transient(
        net, stimuli, end=end, step=step, wanted=lambda share: control.progress(share)
    )
    die = circuit.hears[inputs.victim]
    volts = solution.node(die)
    level = arrival_level(inputs.listener, float(volts.min()), float(volts.max()))
    return _folded(inputs, solution.time, volts, sent[inputs.victim], level, late)


def _folded(
    inputs: WavesInputs,
    time: FloatArray,
    volts: FloatArray,
    bits: NDArray[np.int64],
    level: float,
    late: float,
) -> GroupBits:
    unit = 1.0 / inputs.group.rate
    above = volts > level
    at = np.flatnonzero(above[1:] != above[:-1])
    crossed = time[at] + (level - volts[at]) / (volts[at + 1] - volts[at]) * np.diff(time)[0]
    if len(crossed) < 2:
        raise InputError(
            f"the bits do not cross {level:.3g} V at the receiver",
            remedy="Choose a lower rate, another driver or another load.",
        )
    # Crossings lie around one moment of the bit, found as a direction so that it may be any.
    turn = np.exp(2j * np.pi * crossed / unit).mean()
    offset = float(np.angle(turn)) / (2.0 * np.pi) * unit
    first = offset + np.ceil((late - offset) / unit - 0.5) * unit
    share = (np.arange(_PER_UI + 1)) / _PER_UI
    kept = np.arange(_SETTLE, _SETTLE + _BITS - 2)
    starts = first + kept * unit
    traces = np.interp(starts[:, None] + share * unit, time, volts)
    # A bit that was sent as number k + 1 begins at its command, k bits after time 0.
    ones = bits[kept + 1].astype(bool)
    middle = traces[:, _PER_UI // 2] > level
    if np.count_nonzero(middle != ones) > len(ones) // 2:
        raise InputError(
            "the receiver does not see the bits that are sent",
            remedy="Choose a lower rate, another driver or another load.",
        )
    upper, lower = traces[ones].min(axis=0), traces[~ones].max(axis=0)
    height = float((upper - lower).max())
    span = open_span(share * unit, np.minimum(upper - level, level - lower))
    return GroupBits(
        inputs.group.lanes[inputs.victim].name,
        unit,
        share * unit,
        traces,
        ones,
        level,
        upper,
        lower,
        max(height, 0.0),
        span[1] - span[0] if span is not None else 0.0,
    )


GROUP_BITS: Study[WavesInputs, GroupBits] = Study(
    "group_bits", _run, GroupBits, title="Bits of all lanes"
)
