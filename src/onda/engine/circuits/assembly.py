"""A net as matrices for time stepping: C x' + G x = sources + lines + devices.

x holds the change of each node's voltage from rest, then the currents and voltages that inductors,
capacitors in a branch and n-port blocks remember (modified nodal analysis; Ho, Ruehli and Brennan,
IEEE Trans. Circuits Syst. 22 (1975) 504).
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.group_model import group_model
from onda.engine.circuits.line_model import Band, LineModel, line_model, travel_time
from onda.engine.circuits.net import (
    CoupledInductors,
    CoupledPiece,
    Net,
    PortBlock,
    SeriesPart,
    ShuntBranch,
)
from onda.engine.circuits.sections import with_sections
from onda.engine.circuits.short_piece import difference_share, series_model, shunt_model
from onda.engine.circuits.waves import Echo, Hold, Reach, Ring, Waves
from onda.engine.group_lines import GroupLine
from onda.engine.lines import Line
from onda.engine.networks.rational import RationalModel

__all__ = ["Assembled", "assemble"]

FloatArray = NDArray[np.float64]
_End = tuple[tuple[int, ...], tuple[float, ...]]
"""Nodes, and their shares in the voltage of a mode."""
_SHORTEST = 2.0
"""Steps that a wave must take to be followed as one; between samples it is read by a cubic."""


@dataclass(frozen=True, slots=True)
class Assembled:
    """Matrices of a net, and the waves on its lines and n-ports.

    Attributes
    ----------
    dynamic, static : (n, n), C and G
    drive : (n, sources)
    waves : ends of lines and n-ports, and what passes between them
    """

    dynamic: FloatArray
    static: FloatArray
    drive: FloatArray
    waves: Waves


class _Builder:
    """Grows the matrices; rows are added as branches need their own unknowns."""

    def __init__(self, net: Net, sources: int) -> None:
        extra = sum(_unknowns(b) for b in net.shunts) + sum(_unknowns(p) for p in net.series)
        extra += sum(len(g.pairs) for g in net.inductors)
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
    net = with_sections(net, step, 0.2 * band.high)
    builder = _Builder(net, sources)
    for shunt in net.shunts:
        builder.branch(shunt, shunt.node, None, shunt.drive if shunt.source else None)
    for part in net.series:
        builder.branch(part, part.node_a, part.node_b, None)
    for group in net.inductors:
        builder.inductors(group)
    for caps in net.capacitors:
        builder.dynamic[np.ix_(caps.nodes, caps.nodes)] += caps.capacitance
    waves = Waves()
    for block in net.blocks:
        _block(waves, block, step)
    for many in net.coupled:
        if isinstance(many.line, GroupLine):
            _group(waves, many, many.line, step, band)
    for a, b, line, length in _modes(net):
        took = travel_time(line, length, 0.2 * band.high)
        if took >= _SHORTEST * step:
            _through(waves, a, b, line_model(line, length, band), step)
            continue
        nodes = (*a[0], *b[0])
        along = waves.end(nodes, (*a[1], *(-x for x in b[1])))
        _admittance(waves, along, series_model(line, length, band))
        for sign, share in ((1.0, 1.0), (-1.0, difference_share(took / step))):
            if share == 0.0:
                continue
            c, model = shunt_model(line, share * length, band)
            shares = tuple(0.5 * x for x in (*a[1], *(sign * x for x in b[1])))
            builder.dynamic[np.ix_(nodes, nodes)] += c * np.outer(shares, shares)
            if len(model.poles) or model.y:
                _admittance(waves, waves.end(nodes, shares), model)
    return Assembled(builder.dynamic, builder.static, builder.drive, waves)


def _modes(net: Net) -> Iterator[tuple[_End, _End, Line, float]]:
    """Every mode of every piece: its two ends, its line and its length."""
    for piece in net.lines:
        one = (1.0,)
        yield ((piece.node_a,), one), ((piece.node_b,), one), piece.line, piece.length
    for many in net.coupled:
        if isinstance(many.line, GroupLine):
            continue
        for mode, back in zip(many.line.modes, many.line.inverse, strict=True):
            shares = tuple(float(x) for x in back)
            yield (many.nodes_a, shares), (many.nodes_b, shares), mode, many.length


def _through(waves: Waves, a: _End, b: _End, model: LineModel, step: float) -> None:
    """Both ends of one mode, each in the reach of the other."""
    near, far = waves.end(*a), waves.end(*b)
    # A delay of just under two steps, by rounding, is two.
    delay = max(model.delay, _SHORTEST * step)
    for to, source in ((near, far), (far, near)):
        _admittance(waves, to, model)
        waves.reaches.append(Reach(to, source, delay, model.h, model.poles, model.h_residues))


def _admittance(waves: Waves, end: int, model: LineModel) -> None:
    waves.holds.append(Hold(end, end, model.y, model.poles, model.y_residues))
    waves.error = max(waves.error, model.error)


def _group(waves: Waves, piece: CoupledPiece, line: GroupLine, step: float, band: Band) -> None:
    """Both ends of a group, every line in the reach of every line of the other end."""
    model = group_model(line, piece.length, band)
    near, far = (
        [waves.end((node,), (1.0,)) for node in nodes] for nodes in (piece.nodes_a, piece.nodes_b)
    )
    for to, source in ((near, far), (far, near)):
        for i, j in np.ndindex(line.size, line.size):
            waves.holds.append(
                Hold(to[i], to[j], float(model.y[i, j]), model.poles, model.y_residues[:, i, j])
            )
            for g, delay in enumerate(model.delays):
                waves.reaches.append(
                    Reach(
                        to[i],
                        source[j],
                        max(float(delay), _SHORTEST * step),
                        float(model.h[g, i, j]),
                        model.poles,
                        model.h_residues[g, :, i, j],
                    )
                )
    waves.error = max(waves.error, model.error)


def _block(waves: Waves, block: PortBlock, step: float) -> None:
    """An n-port: behind its reference each port is matched, and S is what reaches it."""
    model = block.model
    ends = [waves.end((node,), (1.0,)) for node in block.nodes]
    for end in ends:
        waves.holds.append(Hold(end, end, 1.0 / block.z_ref))
    # i = v / z - J with J = S w, as w = v / z + i is twice the wave that goes in, over z.
    for one in model.arrivals:
        waves.reaches.append(
            Reach(
                ends[one.row], ends[one.column], one.delay, one.constant, model.poles, one.residues
            )
        )
    if model.resonances is not None:
        _resonances(waves, ends, model.resonances)
    stride = max(1, math.floor(model.spacing / step))
    taps = model.taps(stride * step)
    for row, column in np.ndindex(*taps.shape[1:]):
        one_pair = _trimmed(taps[:, row, column])
        if len(one_pair):
            waves.echoes.append(Echo(ends[row], ends[column], stride, one_pair))
    waves.error = max(waves.error, model.error)


def _resonances(waves: Waves, ends: list[int], model: RationalModel) -> None:
    """Complex poles one of each pair, real ones by half of their residue."""
    upper = model.poles.imag >= 0.0
    poles = model.poles[upper]
    half = np.where(poles.imag > 0.0, 1.0, 0.5)
    for row, column in np.ndindex(*model.constant.shape):
        residues = model.residues[upper, row, column] * half
        constant = float(model.constant[row, column])
        waves.rings.append(Ring(ends[row], ends[column], constant, poles, residues))


def _trimmed(taps: FloatArray) -> FloatArray:
    """Without the zeros at the end."""
    there = np.flatnonzero(taps)
    return taps[: there[-1] + 1] if len(there) else taps[:0]
