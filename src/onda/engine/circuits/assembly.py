"""A net as matrices for time stepping: C x' + G x = sources + lines + devices.

x holds the change of each node's voltage from rest, then the currents and voltages that inductors,
capacitors in a branch and n-port blocks remember (modified nodal analysis; Ho, Ruehli and Brennan,
IEEE Trans. Circuits Syst. 22 (1975) 504).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.line_model import Band, LineModel, line_model, travel_time
from onda.engine.circuits.net import (
    CoupledInductors,
    Net,
    SeriesPart,
    ShuntBranch,
)
from onda.engine.circuits.short_piece import difference_share, series_model, shunt_model
from onda.engine.lines import Line

__all__ = ["Assembled", "LineEnd", "assemble"]

FloatArray = NDArray[np.float64]
_End = tuple[tuple[int, ...], tuple[float, ...]]
"""Nodes, and their shares in the voltage of a mode."""
_SHORTEST = 2.0
"""Steps that a wave must take to be followed as one; between samples it is read by a cubic."""


@dataclass(frozen=True, slots=True)
class LineEnd:
    """One end of one mode, by its model: `nodes` and their `shares` in the mode's voltage.

    `other` is the end that its wave goes to; an admittance alone is its own.
    """

    model: LineModel
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


def assemble(net: Net, sources: int, step: float, band: Band) -> Assembled:
    """Matrices of a net. A piece that takes less than two steps (s) is one section."""
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
    ends: list[LineEnd] = []
    for a, b, line, length in _modes(net):
        took = travel_time(line, length, 0.2 * band.high)
        if took >= _SHORTEST * step:
            _through(ends, a, b, line_model(line, length, band))
            continue
        nodes = (*a[0], *b[0])
        _admittance(ends, nodes, (*a[1], *(-x for x in b[1])), series_model(line, length, band))
        for sign, share in ((1.0, 1.0), (-1.0, difference_share(took / step))):
            if share == 0.0:
                continue
            c, model = shunt_model(line, share * length, band)
            shares = tuple(0.5 * x for x in (*a[1], *(sign * x for x in b[1])))
            builder.dynamic[np.ix_(nodes, nodes)] += c * np.outer(shares, shares)
            if len(model.poles) or model.y:
                _admittance(ends, nodes, shares, model)
    return Assembled(builder.dynamic, builder.static, builder.drive, tuple(ends))


def _modes(net: Net) -> Iterator[tuple[_End, _End, Line, float]]:
    """Every mode of every piece: its two ends, its line and its length."""
    for piece in net.lines:
        one = (1.0,)
        yield ((piece.node_a,), one), ((piece.node_b,), one), piece.line, piece.length
    for many in net.coupled:
        for mode, back in zip(many.line.modes, many.line.inverse, strict=True):
            shares = tuple(float(x) for x in back)
            yield (many.nodes_a, shares), (many.nodes_b, shares), mode, many.length


def _through(ends: list[LineEnd], a: _End, b: _End, model: LineModel) -> None:
    k = len(ends)
    ends.append(LineEnd(model, *a, k + 1))
    ends.append(LineEnd(model, *b, k))


def _admittance(
    ends: list[LineEnd], nodes: tuple[int, ...], shares: tuple[float, ...], model: LineModel
) -> None:
    ends.append(LineEnd(model, nodes, shares, len(ends)))
