"""Voltages of a linear net: at DC, against frequency, in time, and anywhere along a line.

The node equations are solved exactly at complex frequencies; the transient is their inverse Laplace
transform by a fast Fourier transform along Re s = c. Lines with any frequency dependence are thus
exact, and what is left is the error of the inversion.

References
----------
Numerical inversion with damping: Wilcox, "Numerical Laplace transformation and inversion", Int. J.
Elect. Eng. Educ. 15 (1978) 247, with frequencies at odd multiples as in Wedepohl and Mohamed,
"Multiconductor transmission lines", Proc. IEE 116 (1969) 1553.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.dc import dc_voltages
from onda.engine.circuits.inversion import contour, invert
from onda.engine.circuits.net import CoupledPiece, Net
from onda.engine.circuits.stimulus import PiecewiseLinear
from onda.engine.lines import waves_along
from onda.errors import NotPhysical

__all__ = ["LinearSolution", "node_response", "solve_linear"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class LinearSolution:
    """A solved transient; ask it for voltages anywhere.

    Attributes
    ----------
    net : the net
    time : (n,) s, from 0 in even steps
    node_dc : (nodes,) V, before the stimulus starts
    s : (m,) rad/s, the contour
    change : (m, nodes) transform of each node's voltage change
    """

    net: Net
    time: FloatArray
    node_dc: FloatArray
    s: ComplexArray
    change: ComplexArray

    def node(self, index: int) -> FloatArray:
        """Voltage (n,) of a node against time."""
        return self.node_dc[index] + self._invert(self.change[:, index])

    def along(self, piece: int, places: FloatArray) -> FloatArray:
        """Voltage (places, n) along a line piece, places in metres from its first node."""
        line = self.net.lines[piece]
        places = np.asarray(places, dtype=float)
        ends = self.change[:, line.node_a], self.change[:, line.node_b]
        change, _ = waves_along(line.line, line.length, self.s, ends, places)
        a, b = self.node_dc[line.node_a], self.node_dc[line.node_b]
        dc = a + (b - a) * places / line.length
        return dc[:, None] + self._invert(change)

    def _invert(self, transform: ComplexArray) -> FloatArray:
        return invert(self.s, transform, len(self.time))


def solve_linear(
    net: Net, stimulus: PiecewiseLinear | Sequence[PiecewiseLinear], *, end: float, step: float
) -> LinearSolution:
    """Transient of a net at rest until the stimulus (one, or one for each source) starts.

    Parameters
    ----------
    end : s, the last time wanted
    step : s, at most this between samples; a fiftieth of the shortest edge is fine enough

    Raises
    ------
    NotPhysical : the net cannot be solved, or is not linear
    """
    net.check()
    if not (math.isfinite(end) and math.isfinite(step) and 0 < step < end):
        raise NotPhysical("time step", step, f"above 0 and below the end, {end:.4g} s")
    stimuli = (stimulus,) if isinstance(stimulus, PiecewiseLinear) else tuple(stimulus)
    samples = math.ceil(end / step) + 1
    s = contour(end, samples)
    response = node_responses(net, s, len(stimuli))
    drive = np.stack([one.change_transform(s) for one in stimuli], axis=-1)
    return LinearSolution(
        net=net,
        time=np.linspace(0.0, end, samples),
        node_dc=dc_voltages(net, [one.initial for one in stimuli]),
        s=s,
        change=np.einsum("fnd,fd->fn", response, drive),
    )


def node_response(net: Net, s: ComplexArray, drive: int = 0) -> ComplexArray:
    """Node voltages (m, nodes) at complex frequencies s for source `drive` at 1 V, rails at 0."""
    return np.asarray(node_responses(net, s, drive + 1)[..., drive])


def node_responses(net: Net, s: ComplexArray, drives: int) -> ComplexArray:
    """Node voltages (m, nodes, drives) at complex frequencies s, each source alone at 1 V.

    Raises
    ------
    NotPhysical : a node that nothing drives, or a device that is not linear
    """
    if net.devices:
        raise NotPhysical("net", f"device {net.devices[0].name}", "linear for a frequency response")
    matrix = np.zeros((len(s), net.nodes, net.nodes), dtype=complex)
    drive = np.zeros((len(s), net.nodes, drives), dtype=complex)
    for branch in net.shunts:
        y = 1.0 / branch.impedance(s)
        matrix[:, branch.node, branch.node] += y
        if branch.source:
            drive[:, branch.node, branch.drive] += y
    for part in net.series:
        _stamp(matrix, part.node_a, part.node_b, (y := 1.0 / part.impedance(s)), y)
    for piece in net.lines:
        gamma, zc = piece.line.propagation(s)
        decay = np.exp(-gamma * piece.length)
        d = zc * (1.0 - decay**2)
        _stamp(matrix, piece.node_a, piece.node_b, (1.0 + decay**2) / d, 2.0 * decay / d)
    for many in net.coupled:
        _stamp_coupled(matrix, many, s)
    for group in net.inductors:
        z = group.inductance * s[:, None, None] + np.diag(group.resistance)
        ends = np.zeros((len(group.pairs), net.nodes))
        for k, (a, b) in enumerate(group.pairs):
            ends[k, a], ends[k, b] = 1.0, -1.0
        matrix += ends.T @ np.linalg.inv(z) @ ends
    for caps in net.capacitors:
        at = np.ix_(range(len(s)), caps.nodes, caps.nodes)
        matrix[at] += s[:, None, None] * caps.capacitance
    for block in net.blocks:
        sp, eye = block.model.at(s), np.eye(len(block.nodes))
        at = np.ix_(range(len(s)), block.nodes, block.nodes)
        matrix[at] += np.linalg.solve(eye + sp, eye - sp) / block.z_ref
    try:
        solved = np.linalg.solve(matrix, drive)
    except np.linalg.LinAlgError as error:
        raise NotPhysical("net", "a node that nothing drives", "connected throughout") from error
    return np.asarray(solved, dtype=complex)


def _stamp_coupled(matrix: ComplexArray, piece: CoupledPiece, s: ComplexArray) -> None:
    own, mutual = piece.line.admittance(s, piece.length)
    every = range(len(s))
    for nodes, others in ((piece.nodes_a, piece.nodes_b), (piece.nodes_b, piece.nodes_a)):
        matrix[np.ix_(every, nodes, nodes)] += own
        matrix[np.ix_(every, nodes, others)] -= mutual


def _stamp(matrix: ComplexArray, a: int, b: int, own: ComplexArray, mutual: ComplexArray) -> None:
    matrix[:, a, a] += own
    matrix[:, b, b] += own
    matrix[:, a, b] -= mutual
    matrix[:, b, a] -= mutual
