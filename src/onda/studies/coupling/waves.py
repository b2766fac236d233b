"""A group in time with its devices: when an edge arrives, by what its neighbours do meanwhile.

All lanes and devices are solved together, so that what is not linear is not added up.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits import CoupledPiece, Net, PiecewiseLinear, ShuntBranch, solve_transient
from onda.engine.circuits.budget import check_transient_size
from onda.engine.circuits.devices import Device
from onda.engine.circuits.measure import first_crossing
from onda.engine.circuits.net import LinePiece, SeriesPart
from onda.engine.devices import Switching, driver, receiver, switching_of
from onda.errors import InputError
from onda.project.coupling.group import LaneGroup
from onda.project.model import Design
from onda.studies.core.study import Control, Study
from onda.studies.coupling.inputs import GroupInputs, group_inputs, lane_number
from onda.studies.coupling.solved_group import coupled_lanes, lane_target
from onda.studies.devices.use import CORNER_COLUMNS, DeviceUse, device_use, used
from onda.studies.lines.solved_line import solve_line

__all__ = ["CASES", "GROUP_WAVES", "GroupWaves", "Wave", "WavesInputs", "waves_inputs"]

FloatArray = NDArray[np.float64]
CASES = ("quiet", "along", "against", "listens")
"""The lane's edge with its neighbours at rest, switching its way, switching against it; and the
lane at rest while all others switch."""
_PER_EDGE = 24
_PER_PIECE = 3
_RINGS = 4.0
"""Times the whole delay that is looked at, besides edges."""
_SAMPLES = 161
_SIGMA = 1.0 / 1.6832424671
"""Standard deviation of the Gaussian that a linear edge is the integral of, by its 20 to 80 %."""


@dataclass(frozen=True, slots=True)
class WavesInputs:
    """A group of single lanes, the lane that is looked at (from 0), and models of both ends; None
    is linear."""

    group: GroupInputs
    victim: int
    driver: DeviceUse | None
    listener: DeviceUse | None


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


class _Circuit:
    """The net of a group but for its drivers."""

    def __init__(self, inputs: WavesInputs) -> None:
        group = inputs.group
        self.inputs, self.n = group, len(group.lanes)
        self.buffer = used(inputs.driver)[0] if inputs.driver is not None else None
        self.switching: Switching | None = None
        if self.buffer is not None:
            if not self.buffer.drives:
                raise InputError(
                    f"{self.buffer.name} does not drive", remedy="Choose another model."
                )
            self.switching = switching_of(self.buffer)
        self.nodes = (len(group.pieces) + 1) * self.n
        self.shunts: list[ShuntBranch] = []
        self.series: list[SeriesPart] = []
        self.lines: list[LinePiece] = []
        self.coupled: list[CoupledPiece] = []
        self.devices: list[Device] = []
        for at, piece in enumerate(group.pieces):
            a = tuple(range(at * self.n, (at + 1) * self.n))
            b = tuple(range((at + 1) * self.n, (at + 2) * self.n))
            if piece.section is not None:
                line = coupled_lanes(piece, group.fine)
                self.coupled.append(CoupledPiece(a, b, line, piece.length))
            else:
                one = solve_line(piece.lane).line
                self.lines += [
                    LinePiece(x, y, one, piece.length) for x, y in zip(a, b, strict=True)
                ]
        z = lane_target(group.pieces[0])
        self.source, self.load = group.source or z, group.load or z
        last = len(group.pieces) * self.n
        self.sends, self.hears = [], []
        for k, lane in enumerate(group.lanes):
            left, right = k, last + k
            out, into = (left, right) if lane.rightward else (right, left)
            self.sends.append(self._package(inputs.driver, out))
            self.hears.append(self._listen(inputs.listener, lane.name, into))

    def _package(self, use: DeviceUse | None, pin: int) -> int:
        """Die behind a pin."""
        package = used(use)[1] if use is not None else None
        if package is None:
            return pin
        r, inductance, c = package
        if c > 0.0:
            self.shunts.append(ShuntBranch(pin, c=c))
        if r == 0.0 and inductance == 0.0:
            return pin
        self.nodes += 1
        self.series.append(SeriesPart(pin, self.nodes - 1, r=r, l=inductance))
        return self.nodes - 1

    def _listen(self, use: DeviceUse | None, name: str, pin: int) -> int:
        if use is None:
            self.shunts.append(ShuntBranch(pin, r=self.load))
            return pin
        die = self._package(use, pin)
        made, shunts = receiver(f"{name} receiver", used(use)[0], die)
        self.shunts += shunts
        if made is not None:
            self.devices.append(made)
        elif not shunts:
            self.shunts.append(ShuntBranch(die, r=1e9))
        return die

    @property
    def edge(self) -> float:
        """0 to 100 percent, s."""
        return self.switching.edge if self.switching is not None else self.inputs.rise / 0.6

    def net(
        self, moves: list[bool | None], starts: list[bool]
    ) -> tuple[Net, list[PiecewiseLinear]]:
        """The net with its drivers, and what linear ones send; `moves` are the levels that lanes
        go to, None for lanes at rest."""
        shunts, devices = list(self.shunts), list(self.devices)
        stimuli: list[PiecewiseLinear] = []
        for k, (move, start) in enumerate(zip(moves, starts, strict=True)):
            if self.buffer is not None and self.switching is not None:
                edges = [] if move is None else [(0.0, move)]
                made, more = driver(
                    self.inputs.lanes[k].name, self.buffer, self.switching, self.sends[k], edges,
                    start_high=start,
                )  # fmt: skip
                devices.append(made)
                shunts += more
            else:
                drive = len(stimuli)
                shunts.append(ShuntBranch(self.sends[k], r=self.source, source=True, drive=drive))
                stimuli.append(self._sent(start, start if move is None else move))
        net = Net(
            self.nodes, tuple(shunts), tuple(self.lines), tuple(self.series),
            coupled=tuple(self.coupled), devices=tuple(devices),
        )  # fmt: skip
        return net, stimuli

    def _sent(self, start: bool, stop: bool) -> PiecewiseLinear:
        """Open-circuit voltage of a linear driver: 0 V to twice the amplitude at its receiver."""
        high = 2.0 * self.inputs.far * (self.source + self.load) / self.load
        sigma = _SIGMA * self.inputs.rise
        at = np.linspace(-5.0, 5.0, _SAMPLES)
        share = np.array([0.5 * (1.0 + math.erf(x / math.sqrt(2.0))) for x in at])
        volts = high * (float(start) + (float(stop) - float(start)) * share)
        return PiecewiseLinear(tuple(sigma * (at + 5.0)), tuple(volts))

    @property
    def lead(self) -> float:
        """From the command to the middle of a linear driver's edge, s."""
        return 0.0 if self.switching is not None else 5.0 * _SIGMA * self.inputs.rise


def _same_way(group: GroupInputs, victim: int) -> list[bool]:
    way = group.lanes[victim].rightward
    return [k != victim and lane.rightward == way for k, lane in enumerate(group.lanes)]


def _commands(group: GroupInputs, victim: int, case: str) -> tuple[list[bool | None], list[bool]]:
    """Where lanes go, and where they start."""
    same = _same_way(group, victim)
    moves: list[bool | None] = [None] * len(group.lanes)
    starts = [False] * len(group.lanes)
    for k in range(len(group.lanes)):
        if k == victim:
            moves[k] = None if case == "listens" else True
        elif case == "listens" or (same[k] and case == "along"):
            moves[k] = True
        elif same[k] and case == "against":
            moves[k], starts[k] = False, True
    return moves, starts


def _run(inputs: WavesInputs, control: Control) -> GroupWaves:
    group = inputs.group
    if group.pair:
        raise InputError(
            f"{group.name} is made of pairs", remedy="Waves are for lanes of single lines."
        )
    circuit = _Circuit(inputs)
    delay = sum(solve_line(p.lane).signal_mode.delay * p.length for p in group.pieces)
    shortest = min(solve_line(p.lane).signal_mode.delay * p.length for p in group.pieces)
    step = min(circuit.edge / _PER_EDGE, shortest / _PER_PIECE)
    end = _RINGS * delay + 4.0 * circuit.edge + 2.0 * circuit.lead
    die = circuit.hears[inputs.victim]
    check_transient_size(circuit.net(*_commands(group, inputs.victim, "along"))[0], end, step)
    found: list[tuple[str, FloatArray]] = []
    time = np.empty(0)
    for k, case in enumerate(CASES):
        net, stimuli = circuit.net(*_commands(group, inputs.victim, case))
        solution = solve_transient(net, stimuli, end=end, step=step)
        time = solution.time
        found.append((case, solution.node(die)))
        control.progress((k + 1) / (len(CASES) + 0.1))
    quiet = found[0][1]
    low, high = float(quiet[0]), float(quiet[-1])
    level = _level(inputs.listener, low, high)
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


def _level(listener: DeviceUse | None, low: float, high: float) -> float:
    """What the receiver's model states, else half of the swing."""
    stated = used(listener)[0].thresholds.v_meas if listener is not None else None
    return stated if stated is not None and low < stated < high else 0.5 * (low + high)


GROUP_WAVES: Study[WavesInputs, GroupWaves] = Study(
    "group_waves", _run, GroupWaves, title="Waves of all lanes"
)
