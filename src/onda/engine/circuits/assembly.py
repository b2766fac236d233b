"""A net as matrices for time stepping: C x' + G x = sources + lines + devices.

x holds the change of each node's voltage from rest, then the currents and voltages that inductors,
capacitors in a branch and n-port blocks remember (modified nodal analysis; Ho, Ruehli and Brennan,
IEEE Trans. Circuits Syst. 22 (1975) 504).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.line_model import travel_time
from onda.engine.circuits.net import (
    CapacitorMatrix,
    CoupledInductors,
    CoupledPiece,
    Net,
    SeriesPart,
    ShuntBranch,
)
from onda.engine.coupled_lines import CoupledLine
from onda.engine.lines import Line

__all__ = ["Assembled", "LineEnd", "assemble", "with_lumped_shorts"]

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class LineEnd:
    """One end of one mode: `nodes` and their `shares` in the mode's voltage."""

    line: Line
    length: float
    nodes: tuple[int, ...]
    shares: tuple[float, ...]
    other: int


@dataclass(frozen=True, slots=True)
class Assembled:
    """Matrices of a net, and its line ends.

    Attributes
    ----------
    dynamic, static : (n, n), C and G
    drive : (n, sources)
    ends : line ends, two for each mode of each piece
    """

    dynamic: FloatArray
    static: FloatArray
    drive: FloatArray
    ends: tuple[LineEnd, ...]


def with_lumped_shorts(net: Net, shortest: float, frequency: float) -> Net:
    """The net with pieces whose travel time is below `shortest` as one section of R, L and C.

    `frequency` (Hz) is where their values are taken.
    """
    lines, coupled = [], []
    inductors, capacitors = list(net.inductors), list(net.capacitors)
    for piece in net.lines:
        if travel_time(piece.line, piece.length, frequency) >= shortest:
            lines.append(piece)
            continue
        alone = CoupledLine(np.eye(1), (piece.line,))
        as_many = CoupledPiece((piece.node_a,), (piece.node_b,), alone, piece.length)
        _lump(as_many, frequency, inductors, capacitors)
    for many in net.coupled:
        times = [travel_time(mode, many.length, frequency) for mode in many.line.modes]
        if min(times) >= shortest:
            coupled.append(many)
        else:
            _lump(many, frequency, inductors, capacitors)
    return replace(
        net,
        lines=tuple(lines),
        coupled=tuple(coupled),
        inductors=tuple(inductors),
        capacitors=tuple(capacitors),
    )


def _lump(
    piece: CoupledPiece,
    frequency: float,
    inductors: list[CoupledInductors],
    capacitors: list[CapacitorMatrix],
) -> None:
    omega = 2.0 * math.pi * frequency
    s = np.array([1j * omega])
    z = np.array([mode.series_impedance(s)[0] for mode in piece.line.modes]) * piece.length
    y = np.array([mode.shunt_admittance(s)[0] for mode in piece.line.modes]) * piece.length
    t, back = piece.line.transform, piece.line.inverse
    pairs = tuple(zip(piece.nodes_a, piece.nodes_b, strict=True))
    inductance = (t * (z.imag / omega)) @ t.T
    resistance = np.diag((t * np.maximum(z.real, 0.0)) @ t.T)
    inductors.append(CoupledInductors(pairs, 0.5 * (inductance + inductance.T), resistance))
    half = 0.5 * (back.T * (y.imag / omega)) @ back
    half = 0.5 * (half + half.T)
    capacitors.append(CapacitorMatrix(piece.nodes_a, half))
    capacitors.append(CapacitorMatrix(piece.nodes_b, half))


class _Builder:
    """Grows the matrices; rows are added as branches need their own unknowns."""

    def __init__(self, net: Net, sources: int) -> None:
        extra = sum(_unknowns(b) for b in net.shunts) + sum(_unknowns(p) for p in net.series)
        extra += sum(len(g.pairs) for g in net.inductors)
        extra += sum(len(b.nodes) * (1 + b.model.order) for b in net.blocks)
        n = net.nodes + extra
        self.dynamic, self.static = np.zeros((n, n)), np.zeros((n, n))
        self.drive = np.zeros((n, sources))
        self._next = net.nodes

    def rows(self, count: int) -> slice:
        """Fresh rows."""
        out = slice(self._next, self._next + count)
        self._next += count
        return out

    def branch(
        self, part: ShuntBranch | SeriesPart, a: int, b: int | None, source: int | None
    ) -> None:
        """R, L and C in series between two nodes, or from a node to a rail."""
        signed = [(a, 1.0)] + ([(b, -1.0)] if b is not None else [])
        if _unknowns(part) == 0:
            matrix, value = (
                (self.static, 1.0 / part.r) if part.c is None else (self.dynamic, part.c)
            )
            for i, p in signed:
                for j, q in signed:
                    matrix[i, j] += p * q * value
            if source is not None:
                self.drive[a, source] += 1.0 / part.r
            return
        i = self.rows(1).start
        for node, sign in signed:
            self.static[node, i] += sign
            self.static[i, node] += sign
        self.static[i, i] -= part.r
        self.dynamic[i, i] -= part.l
        if source is not None:
            self.drive[i, source] = 1.0
        if part.c is not None:
            u = self.rows(1).start
            self.static[i, u] = -1.0
            self.dynamic[u, u] = part.c
            self.static[u, i] = -1.0

    def inductors(self, group: CoupledInductors) -> None:
        """Currents of coupled inductors."""
        at = self.rows(len(group.pairs))
        self.dynamic[at, at] -= group.inductance
        self.static[at, at] -= np.diag(group.resistance)
        for k, (a, b) in enumerate(group.pairs):
            i = at.start + k
            for node, sign in ((a, 1.0), (b, -1.0)):
                self.static[node, i] += sign
                self.static[i, node] += sign

    def block(self, net: Net, index: int) -> None:
        """Port currents and states of an n-port: v - Z i = D (v + Z i) + 2 C x."""
        block = net.blocks[index]
        n = len(block.nodes)
        a, b, c = block.model.state_space()
        currents, states = self.rows(n), self.rows(n * block.model.order)
        d, z, eye = block.model.constant, block.z_ref, np.eye(n)
        for k, node in enumerate(block.nodes):
            self.static[node, currents.start + k] += 1.0
        nodes = list(block.nodes)
        self.static[currents, nodes] += eye - d
        self.static[currents, currents] -= z * (eye + d)
        self.static[currents, states] -= 2.0 * c
        self.dynamic[states, states] = np.eye(len(a))
        self.static[states, states] = -a
        self.static[states, nodes] -= 0.5 * b
        self.static[states, currents] -= 0.5 * z * b


def _unknowns(part: ShuntBranch | SeriesPart) -> int:
    """Rows that a branch needs besides those of its nodes."""
    source = isinstance(part, ShuntBranch) and part.source
    if part.l == 0.0 and part.c is None:
        return 0
    if part.l == 0.0 and part.r == 0.0 and not source:
        return 0
    return 1 if part.c is None else 2


def assemble(net: Net, sources: int) -> Assembled:
    """Matrices of a net whose pieces all have a delay."""
    builder = _Builder(net, sources)
    for shunt in net.shunts:
        builder.branch(shunt, shunt.node, None, shunt.drive if shunt.source else None)
    for part in net.series:
        builder.branch(part, part.node_a, part.node_b, None)
    for group in net.inductors:
        builder.inductors(group)
    for caps in net.capacitors:
        builder.dynamic[np.ix_(caps.nodes, caps.nodes)] += caps.capacitance
    for index in range(len(net.blocks)):
        builder.block(net, index)
    return Assembled(builder.dynamic, builder.static, builder.drive, _ends(net))


def _ends(net: Net) -> tuple[LineEnd, ...]:
    out: list[LineEnd] = []
    for piece in net.lines:
        k = len(out)
        out.append(LineEnd(piece.line, piece.length, (piece.node_a,), (1.0,), k + 1))
        out.append(LineEnd(piece.line, piece.length, (piece.node_b,), (1.0,), k))
    for many in net.coupled:
        back = many.line.inverse
        for m, mode in enumerate(many.line.modes):
            k = len(out)
            shares = tuple(float(x) for x in back[m])
            out.append(LineEnd(mode, many.length, many.nodes_a, shares, k + 1))
            out.append(LineEnd(mode, many.length, many.nodes_b, shares, k))
    return tuple(out)
