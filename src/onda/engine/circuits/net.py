"""What is connected to what: nodes, branches to a rail, parts between nodes, line pieces."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.devices import Device
from onda.engine.coupled_lines import CoupledLine
from onda.engine.group_lines import GroupLine
from onda.engine.lines import Line
from onda.engine.networks.arrivals import ArrivalModel
from onda.errors import NotPhysical

__all__ = [
    "CapacitorMatrix",
    "CoupledInductors",
    "CoupledPiece",
    "LinePiece",
    "Net",
    "PortBlock",
    "SeriesPart",
    "ShuntBranch",
]


@dataclass(frozen=True, slots=True)
class ShuntBranch:
    """R, L and C in series from a node to a rail of `e` volts, or to source number `drive`.

    `c` None means no capacitor (a short in its place).
    """

    node: int
    r: float = 0.0
    l: float = 0.0  # noqa: E741 - the field's own name for inductance
    c: float | None = None
    e: float = 0.0
    source: bool = False
    drive: int = 0

    def impedance(self, s: NDArray[np.complex128]) -> NDArray[np.complex128]:
        """Impedance at s, ohm."""
        return _series_rlc(self.r, self.l, self.c, s)


@dataclass(frozen=True, slots=True)
class SeriesPart:
    """R, L and C in series between two nodes."""

    node_a: int
    node_b: int
    r: float = 0.0
    l: float = 0.0  # noqa: E741
    c: float | None = None

    def impedance(self, s: NDArray[np.complex128]) -> NDArray[np.complex128]:
        """Impedance at s, ohm."""
        return _series_rlc(self.r, self.l, self.c, s)


def _series_rlc(
    r: float, inductance: float, c: float | None, s: NDArray[np.complex128]
) -> NDArray[np.complex128]:
    z = r + s * inductance
    return z if c is None else z + 1.0 / (s * c)


@dataclass(frozen=True, slots=True)
class LinePiece:
    """A line of `length` metres between two nodes."""

    node_a: int
    node_b: int
    line: Line
    length: float


@dataclass(frozen=True, slots=True)
class CoupledPiece:
    """n coupled lines of `length` metres from `nodes_a` to `nodes_b`.

    `short` ones, of a `GroupLine`, take so little of an edge that one section stands for them in
    time.
    """

    nodes_a: tuple[int, ...]
    nodes_b: tuple[int, ...]
    line: CoupledLine | GroupLine
    length: float
    short: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class CoupledInductors:
    """Inductors between node pairs, with `inductance` (n, n) H and `resistance` (n,) ohm."""

    pairs: tuple[tuple[int, int], ...]
    inductance: NDArray[np.float64]
    resistance: NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class CapacitorMatrix:
    """Maxwell capacitance (n, n) F of nodes among each other and to 0 V."""

    nodes: tuple[int, ...]
    capacitance: NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class PortBlock:
    """An n-port by its scattering model in time, each port from a node to 0 V."""

    nodes: tuple[int, ...]
    model: ArrivalModel
    z_ref: float


@dataclass(frozen=True, slots=True)
class Net:
    """A net of `nodes` nodes, numbered from 0."""

    nodes: int
    shunts: tuple[ShuntBranch, ...]
    lines: tuple[LinePiece, ...] = ()
    series: tuple[SeriesPart, ...] = ()
    coupled: tuple[CoupledPiece, ...] = ()
    inductors: tuple[CoupledInductors, ...] = ()
    capacitors: tuple[CapacitorMatrix, ...] = ()
    blocks: tuple[PortBlock, ...] = ()
    devices: tuple[Device, ...] = ()

    def check(self) -> None:
        """Raise `NotPhysical` where the net cannot be solved."""
        if self.nodes < 1:
            raise NotPhysical("nodes", self.nodes, "at least 1")
        if not any(b.source for b in self.shunts) and not self.devices:
            raise NotPhysical("net", "no source", "driven by at least one source branch")
        for i, branch in enumerate(self.shunts):
            self._check_node(f"shunts[{i}]", branch.node)
            _check_rlc(f"shunts[{i}]", branch.r, branch.l, branch.c)
        for i, part in enumerate(self.series):
            self._check_node(f"series[{i}]", part.node_a)
            self._check_node(f"series[{i}]", part.node_b)
            _check_rlc(f"series[{i}]", part.r, part.l, part.c)
        for i, piece in enumerate(self.lines):
            self._check_node(f"lines[{i}]", piece.node_a)
            self._check_node(f"lines[{i}]", piece.node_b)
            _check_length(f"lines[{i}]", piece.length)
        for i, many in enumerate(self.coupled):
            n = many.line.size
            if (len(many.nodes_a), len(many.nodes_b)) != (n, n):
                raise NotPhysical(f"coupled[{i}]", "other numbers of nodes", f"{n} at each end")
            for node in (*many.nodes_a, *many.nodes_b):
                self._check_node(f"coupled[{i}]", node)
            _check_length(f"coupled[{i}]", many.length)
        self._check_matrices()
        for device in self.devices:
            for port in device.ports:
                self._check_node(device.name, port.node)

    def _check_matrices(self) -> None:
        for i, group in enumerate(self.inductors):
            for a, b in group.pairs:
                self._check_node(f"inductors[{i}]", a)
                self._check_node(f"inductors[{i}]", b)
            _check_matrix(f"inductors[{i}]", group.inductance, len(group.pairs))
        for i, caps in enumerate(self.capacitors):
            for node in caps.nodes:
                self._check_node(f"capacitors[{i}]", node)
            _check_matrix(f"capacitors[{i}]", caps.capacitance, len(caps.nodes))
        for i, block in enumerate(self.blocks):
            for node in block.nodes:
                self._check_node(f"blocks[{i}]", node)
            if block.model.ports != len(block.nodes):
                raise NotPhysical(
                    f"blocks[{i}]", f"{len(block.nodes)} nodes", "as many as the model has ports"
                )

    def _check_node(self, where: str, node: int) -> None:
        if not 0 <= node < self.nodes:
            raise NotPhysical(f"{where}.node", node, f"0 to {self.nodes - 1}")


def _check_length(where: str, length: float) -> None:
    if not (math.isfinite(length) and length > 0):
        raise NotPhysical(f"{where}.length", length, "above 0 m")


def _check_matrix(where: str, matrix: NDArray[np.float64], n: int) -> None:
    if matrix.shape != (n, n) or not np.allclose(matrix, matrix.T, rtol=1e-6, atol=0.0):
        raise NotPhysical(where, f"a matrix of shape {matrix.shape}", f"symmetric, ({n}, {n})")
    lowest = float(np.linalg.eigvalsh(matrix)[0])
    if lowest < -1e-9 * float(np.abs(matrix).max()):
        raise NotPhysical(where, "a matrix with a negative eigenvalue", "passive")


def _check_rlc(where: str, r: float, inductance: float, c: float | None) -> None:
    for name, value in (("r", r), ("l", inductance)):
        if not (math.isfinite(value) and value >= 0):
            raise NotPhysical(f"{where}.{name}", value, "0 or above")
    if c is not None and not (math.isfinite(c) and c > 0):
        raise NotPhysical(f"{where}.c", c, "above 0 F")
    if r == 0 and inductance == 0 and c is None:
        raise NotPhysical(where, "a short", "some resistance, inductance or capacitance")
