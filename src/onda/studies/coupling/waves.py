"""A group in time with its devices: when an edge arrives, by what its neighbours do meanwhile.

All lanes and devices are solved together, so that what is not linear is not added up.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits import solve_transient
from onda.engine.circuits.budget import check_transient_size
from onda.engine.circuits.measure import first_crossing
from onda.errors import InputError
from onda.project.coupling.group import LaneGroup
from onda.project.model import Design
from onda.studies.core.study import Control, Study
from onda.studies.coupling.circuit import Commands, GroupCircuit
from onda.studies.coupling.inputs import GroupInputs, group_inputs, lane_number
from onda.studies.devices.use import CORNER_COLUMNS, DeviceUse, device_use, used

__all__ = [
    "CASES",
    "GROUP_WAVES",
    "GroupWaves",
    "Wave",
    "WavesInputs",
    "arrival_level",
    "waves_inputs",
]

FloatArray = NDArray[np.float64]
CASES = ("quiet", "along", "against", "listens")
"""The lane's edge with its neighbours at rest, switching its way, switching against it; and the
lane at rest while all others switch."""
_RINGS = 4.0
"""Times the whole delay that is looked at, besides edges."""


@dataclass(frozen=True, slots=True)
class WavesInputs:
    """A group of single lanes, the lane that is looked at (from 0), and models of both ends; None
    is linear. Pins of the lanes in order, none where the package is that of the model's pin."""

    group: GroupInputs
    victim: int
    driver: DeviceUse | None
    listener: DeviceUse | None
    driver_pins: tuple[str, ...] = ()
    listener_pins: tuple[str, ...] = ()


def waves_inputs(design: Design, group: LaneGroup, lane: str, *, fine: bool = True) -> WavesInputs:
    """Slice for the waves of a lane.

    Raises
    ------
    InputError : there is no such lane, or a device file cannot be had
    """
    inputs = group_inputs(design, group, fine=fine)
    corner = CORNER_COLUMNS[group.corner]
    return WavesInputs(
        inputs,
        lane_number(inputs, lane),
        device_use(design, group.driver, corner),
        device_use(design, group.listener, corner),
        group.driver_pins,
        group.listener_pins,
    )


@dataclass(frozen=True, slots=True, eq=False)
class Wave:
    """What the lane's receiver sees in one of `CASES`: volts (t,) at its die; `arrives` in s after
    the command, NaN where no edge is sent; `peak`, V, how far it leaves its level where none is."""

    case: str
    volts: FloatArray
    arrives: float
    peak: float


@dataclass(frozen=True, slots=True, eq=False)
class GroupWaves:
    """All cases of a lane.

    Attributes
    ----------
    time : (t,) s; level : V at which an edge has arrived
    low, high : V at rest at the receiver
    """

    lane: str
    time: FloatArray
    level: float
    low: float
    high: float
    waves: tuple[Wave, ...]

    def wave(self, case: str) -> Wave:
        """The wave of a case."""
        return next(w for w in self.waves if w.case == case)

    @property
    def spread(self) -> float:
        """From the earliest to the latest arrival, s."""
        times = [w.arrives for w in self.waves if w.case != "listens"]
        return max(times) - min(times)


def _same_way(group: GroupInputs, victim: int) -> list[bool]:
    way = group.lanes[victim].rightward
    return [k != victim and lane.rightward == way for k, lane in enumerate(group.lanes)]


def _commands(group: GroupInputs, victim: int, case: str) -> tuple[list[Commands], list[bool]]:
    """Edges of all lanes, and where they start."""
    same = _same_way(group, victim)
    moves: list[Commands] = [[] for _ in group.lanes]
    starts = [False] * len(group.lanes)
    for k in range(len(group.lanes)):
        if k == victim:
            moves[k] = [] if case == "listens" else [(0.0, True)]
        elif case == "listens" or (same[k] and case == "along"):
            moves[k] = [(0.0, True)]
        elif same[k] and case == "against":
            moves[k], starts[k] = [(0.0, False)], True
    return moves, starts


def _run(inputs: WavesInputs, control: Control) -> GroupWaves:
    group = inputs.group
    circuit = GroupCircuit(
        group, inputs.driver, inputs.listener, inputs.driver_pins, inputs.listener_pins
    )
    step = circuit.step
    end = _RINGS * circuit.delay + 4.0 * circuit.edge + 2.0 * circuit.lead
    die = circuit.hears[inputs.victim]
    check_transient_size(circuit.net(*_commands(group, inputs.victim, "along"), end)[0], end, step)
    found: list[tuple[str, FloatArray]] = []
    time = np.empty(0)
    for k, case in enumerate(CASES):
        net, stimuli = circuit.net(*_commands(group, inputs.victim, case), end)
        solution = solve_transient(net, stimuli, end=end, step=step)
        time = solution.time
        found.append((case, solution.node(die)))
        control.progress((k + 1) / (len(CASES) + 0.1))
    quiet = found[0][1]
    low, high = float(quiet[0]), float(quiet[-1])
    level = arrival_level(inputs.listener, low, high)
    waves = []
    for case, volts in found:
        sends = case != "listens"
        arrives = first_crossing(time, volts, level) - circuit.lead if sends else math.nan
        peak = 0.0 if sends else float(volts[np.argmax(np.abs(volts - volts[0]))] - volts[0])
        waves.append(Wave(case, volts, arrives, peak))
    if not all(math.isfinite(w.arrives) for w in waves if w.case != "listens"):
        raise InputError(
            f"the edge of {group.lanes[inputs.victim].name} does not reach {level:.3g} V",
            remedy="Choose another driver or another load.",
        )
    return GroupWaves(group.lanes[inputs.victim].name, time, level, low, high, tuple(waves))


def arrival_level(listener: DeviceUse | None, low: float, high: float) -> float:
    """What the receiver's model states, else half of the swing."""
    stated = used(listener)[0].thresholds.v_meas if listener is not None else None
    return stated if stated is not None and low < stated < high else 0.5 * (low + high)


GROUP_WAVES: Study[WavesInputs, GroupWaves] = Study(
    "group_waves", _run, GroupWaves, title="Waves of all lanes"
)
