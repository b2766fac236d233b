"""The circuit of a group in time: coupled pieces, packages, drivers and receivers."""

from __future__ import annotations

import math

import numpy as np

from onda.engine.circuits import CoupledPiece, Net, PiecewiseLinear, ShuntBranch
from onda.engine.circuits.devices import Device
from onda.engine.circuits.net import CapacitorMatrix, CoupledInductors, LinePiece, SeriesPart
from onda.engine.coupling.vias import ViaRow
from onda.engine.devices import Switching, driver, receiver, switching_of
from onda.errors import InputError
from onda.studies.coupling.inputs import GroupInputs, PieceInputs
from onda.studies.coupling.solved_group import coupled_lanes, delay_of, lane_target
from onda.studies.devices.use import DeviceUse, packaged, used
from onda.studies.lines.solved_line import solve_line

__all__ = ["Commands", "GroupCircuit"]

_SAMPLES = 161
_SIGMA = 1.0 / 1.6832424671
"""Standard deviation of the Gaussian that a linear edge is the integral of, by its 20 to 80 %."""
Commands = list[tuple[float, bool]]
_PER_EDGE = 24
_PER_PIECE = 3
_PER_SIGMA = 16
_MOST_SAMPLES = 200_000
_SECTION = 0.1
"""Of an edge that a section of a via may take."""
_NEXT_TO_NO_INDUCTANCE = 1e-15


class GroupCircuit:
    """The net of a group of single lines but for its drivers; models of both ends, None for linear.

    Raises
    ------
    InputError : lanes are pairs, a piece has guards, or the model of the drivers does not drive
    """

    def __init__(
        self,
        group: GroupInputs,
        drivers: DeviceUse | None,
        listeners: DeviceUse | None,
        driver_pins: tuple[str, ...] = (),
        listener_pins: tuple[str, ...] = (),
    ) -> None:
        if group.pair:
            raise InputError(
                f"{group.name} is made of pairs", remedy="Waves are for lanes of single lines."
            )
        self.inputs, self.n = group, len(group.lanes)
        self.buffer = used(drivers)[0] if drivers is not None else None
        self.switching: Switching | None = None
        if self.buffer is not None:
            if not self.buffer.drives:
                raise InputError(
                    f"{self.buffer.name} does not drive", remedy="Choose another model."
                )
            self.switching = switching_of(self.buffer)
        self.nodes = self.n
        self.shunts: list[ShuntBranch] = []
        self.series: list[SeriesPart] = []
        self.lines: list[LinePiece] = []
        self.coupled: list[CoupledPiece] = []
        self.devices: list[Device] = []
        self.inductors: list[CoupledInductors] = []
        self.capacitors: list[CapacitorMatrix] = []
        first = last = list(range(self.n))
        for piece in group.pieces:
            if piece.vias is not None:
                last = self._vias(piece.vias, last)
            last = self._piece(piece, last)
        z = lane_target(group.pieces[0])
        self.source, self.load = group.source or z, group.load or z
        ends = [
            (left, right) if lane.rightward else (right, left)
            for lane, left, right in zip(group.lanes, first, last, strict=True)
        ]
        self.sends = self._packages(drivers, [out for out, _ in ends], driver_pins)
        self.hears = self._packages(listeners, [into for _, into in ends], listener_pins)
        for lane, die in zip(group.lanes, self.hears, strict=True):
            self._listen(listeners, lane.name, die)

    def _more(self) -> list[int]:
        """A node more of every lane."""
        made = list(range(self.nodes, self.nodes + self.n))
        self.nodes += self.n
        return made

    def _piece(self, piece: PieceInputs, nodes: list[int]) -> list[int]:
        """Lay a piece; return where it ends."""
        to = self._more()
        if piece.section is not None:
            line = coupled_lanes(piece, self.inputs.fine)
            self.coupled.append(CoupledPiece(tuple(nodes), tuple(to), line, piece.length))
        else:
            one = solve_line(piece.lane).line
            self.lines += [
                LinePiece(x, y, one, piece.length) for x, y in zip(nodes, to, strict=True)
            ]
        return to

    def _vias(self, row: ViaRow, nodes: list[int]) -> list[int]:
        """Lay vias in sections that are short against an edge; return where they end."""
        line = row.line()
        count = max(math.ceil(row.delay / (_SECTION * self.edge)), 1)
        share = row.one.through / count
        first = nodes
        for _ in range(count):
            to = self._more()
            self.coupled.append(CoupledPiece(tuple(nodes), tuple(to), line, share, short=True))
            nodes = to
        for some, c in zip((first, nodes), row.ends, strict=True):
            self.shunts += [ShuntBranch(node, c=c) for node in some]
        return nodes

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

    def _packages(
        self, use: DeviceUse | None, nodes: list[int], pins: tuple[str, ...]
    ) -> list[int]:
        """Dies behind the pins of all lanes; with names their packages count together."""
        if use is None or not pins:
            return [self._package(use, node) for node in nodes]
        r, inductance, c = packaged(use, pins)
        # A trace of it, so that a package without any is a short still.
        inductance = inductance + _NEXT_TO_NO_INDUCTANCE * np.eye(len(nodes))
        dies = list(range(self.nodes, self.nodes + len(nodes)))
        self.nodes += len(nodes)
        pairs = tuple(zip(nodes, dies, strict=True))
        self.inductors.append(CoupledInductors(pairs, inductance, r))
        self.capacitors.append(CapacitorMatrix(tuple(nodes), c))
        return dies

    def _listen(self, use: DeviceUse | None, name: str, die: int) -> None:
        if use is None:
            self.shunts.append(ShuntBranch(die, r=self.load))
            return
        made, shunts = receiver(f"{name} receiver", used(use)[0], die)
        self.shunts += shunts
        if made is not None:
            self.devices.append(made)
        elif not shunts:
            self.shunts.append(ShuntBranch(die, r=1e9))

    @property
    def edge(self) -> float:
        """0 to 100 percent, s."""
        return self.switching.edge if self.switching is not None else self.inputs.rise / 0.6

    @property
    def step(self) -> float:
        """A step in time that follows edges and the shortest piece, s."""
        shortest = min(solve_line(p.lane).signal_mode.delay * p.length for p in self.inputs.pieces)
        return min(self.edge / _PER_EDGE, shortest / _PER_PIECE)

    @property
    def delay(self) -> float:
        """Of all pieces, s."""
        return sum(delay_of(piece) for piece in self.inputs.pieces)

    def net(
        self, commands: list[Commands], starts: list[bool], end: float
    ) -> tuple[Net, list[PiecewiseLinear]]:
        """The net with its drivers, and what linear ones send until `end` s.

        Parameters
        ----------
        commands : of each lane (time, rising); none for a lane at rest
        starts : of each lane, whether it is high before
        """
        shunts, devices = list(self.shunts), list(self.devices)
        stimuli: list[PiecewiseLinear] = []
        for k, (edges, start) in enumerate(zip(commands, starts, strict=True)):
            if self.buffer is not None and self.switching is not None:
                made, more = driver(
                    self.inputs.lanes[k].name, self.buffer, self.switching, self.sends[k], edges,
                    start_high=start,
                )  # fmt: skip
                devices.append(made)
                shunts += more
            else:
                drive = len(stimuli)
                shunts.append(ShuntBranch(self.sends[k], r=self.source, source=True, drive=drive))
                stimuli.append(self._sent(edges, start, end))
        net = Net(
            self.nodes, tuple(shunts), tuple(self.lines), tuple(self.series),
            coupled=tuple(self.coupled), devices=tuple(devices),
            inductors=tuple(self.inductors), capacitors=tuple(self.capacitors),
        )  # fmt: skip
        return net, stimuli

    def _sent(self, edges: Commands, start: bool, end: float) -> PiecewiseLinear:
        """Open-circuit voltage of a linear driver: 0 V to twice the amplitude at its receiver."""
        high = 2.0 * self.inputs.far * (self.source + self.load) / self.load
        sigma = _SIGMA * self.inputs.rise
        if not edges:
            return PiecewiseLinear((0.0,), (high * float(start),))
        count = min(int(np.ceil((end + self.lead) / sigma * _PER_SIGMA)), _MOST_SAMPLES) + 1
        time = np.linspace(0.0, end + self.lead, count)
        share = np.full(count, float(start))
        # Of a Gaussian's integral nothing is left beyond five standard deviations.
        table = np.linspace(-5.0, 5.0, _SAMPLES)
        step = np.array([0.5 * (1.0 + math.erf(x / math.sqrt(2.0))) for x in table])
        for at, up in edges:
            moved = np.interp((time - at - self.lead) / sigma, table, step, left=0.0, right=1.0)
            share += moved if up else -moved
        return PiecewiseLinear(tuple(time.tolist()), tuple((high * share).tolist()))

    @property
    def lead(self) -> float:
        """From the command to the middle of a linear driver's edge, s."""
        return 0.0 if self.switching is not None else 5.0 * _SIGMA * self.inputs.rise
