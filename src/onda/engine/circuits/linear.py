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
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.net import LinePiece, Net
from onda.engine.circuits.stimulus import PiecewiseLinear
from onda.errors import NotPhysical

__all__ = ["LinearSolution", "dc_voltages", "node_response", "solve_linear"]

_ALIASING = 1e-5
"""How much of the response may fold back from beyond the window."""

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
        change = _along(line, self.s, self.change, np.asarray(places, dtype=float))
        a, b = self.node_dc[line.node_a], self.node_dc[line.node_b]
        dc = a + (b - a) * np.asarray(places, dtype=float) / line.length
        return dc[:, None] + self._invert(change)

    def _invert(self, transform: ComplexArray) -> FloatArray:
        return _invert(self.s, transform, len(self.time))


def solve_linear(net: Net, stimulus: PiecewiseLinear, *, end: float, step: float) -> LinearSolution:
    """Transient of a net at rest until the stimulus starts.

    Parameters
    ----------
    end : s, the last time wanted
    step : s, at most this between samples; a fiftieth of the shortest edge is fine enough

    Raises
    ------
    NotPhysical : the net cannot be solved
    """
    net.check()
    if not (math.isfinite(end) and math.isfinite(step) and 0 < step < end):
        raise NotPhysical("time step", step, f"above 0 and below the end, {end:.4g} s")
    samples = math.ceil(end / step) + 1
    s = _contour(end, samples)
    change = node_response(net, s) * stimulus.change_transform(s)[:, None]
    return LinearSolution(
        net=net,
        time=np.linspace(0.0, end, samples),
        node_dc=dc_voltages(net, stimulus.initial),
        s=s,
        change=change,
    )


def _contour(end: float, samples: int) -> ComplexArray:
    # The window is twice the time wanted, so that what folds back has decayed.
    n = 2 * samples
    window = n * end / (samples - 1)
    damping = -math.log(_ALIASING) / window
    return np.asarray(damping + 1j * (2.0 * np.arange(samples) + 1.0) * math.pi / window)


def _invert(s: ComplexArray, transform: ComplexArray, samples: int) -> FloatArray:
    """Inverse transform of (..., m) on the contour, first `samples` times."""
    n = 2 * len(s)
    window = 2.0 * math.pi / (s[1] - s[0]).imag
    # A soft end of the spectrum instead of a cut: less ringing at bends of the waveform.
    taper = np.cos(0.5 * math.pi * (np.arange(len(s)) + 0.5) / len(s)) ** 0.25
    full = np.zeros((*transform.shape[:-1], n), dtype=complex)
    full[..., : len(s)] = transform * taper
    t = np.arange(samples) * (window / n)
    turn = np.exp(1j * math.pi * np.arange(samples) / n + s[0].real * t)
    out = np.fft.ifft(full, axis=-1)[..., :samples]
    return 2.0 * n / window * np.real(out * turn)


def node_response(net: Net, s: ComplexArray) -> ComplexArray:
    """Node voltages (m, nodes) at complex frequencies s for a source of 1 V, rails at 0."""
    matrix = np.zeros((len(s), net.nodes, net.nodes), dtype=complex)
    drive = np.zeros((len(s), net.nodes), dtype=complex)
    for branch in net.shunts:
        y = 1.0 / branch.impedance(s)
        matrix[:, branch.node, branch.node] += y
        if branch.source:
            drive[:, branch.node] += y
    for part in net.series:
        _stamp(matrix, part.node_a, part.node_b, (y := 1.0 / part.impedance(s)), y)
    for piece in net.lines:
        gamma, zc = piece.line.propagation(s)
        decay = np.exp(-gamma * piece.length)
        d = zc * (1.0 - decay**2)
        _stamp(matrix, piece.node_a, piece.node_b, (1.0 + decay**2) / d, 2.0 * decay / d)
    try:
        solved = np.linalg.solve(matrix, drive[..., None])[..., 0]
    except np.linalg.LinAlgError as error:
        raise NotPhysical("net", "a node that nothing drives", "connected throughout") from error
    return np.asarray(solved, dtype=complex)


def _stamp(matrix: ComplexArray, a: int, b: int, own: ComplexArray, mutual: ComplexArray) -> None:
    matrix[:, a, a] += own
    matrix[:, b, b] += own
    matrix[:, a, b] -= mutual
    matrix[:, b, a] -= mutual


def _along(
    piece: LinePiece, s: ComplexArray, nodes: ComplexArray, places: FloatArray
) -> ComplexArray:
    """Voltage transforms (places, m) along a piece from those of its ends, without overflow."""
    gamma, _ = piece.line.propagation(s)
    decay = np.exp(-gamma * piece.length)
    a, b = nodes[:, piece.node_a], nodes[:, piece.node_b]
    # One wave from each end; together they make up the end voltages.
    from_a = (a - b * decay) / (1.0 - decay**2)
    from_b = (b - a * decay) / (1.0 - decay**2)
    x = places[:, None]
    return from_a * np.exp(-gamma * x) + from_b * np.exp(-gamma * (piece.length - x))


def dc_voltages(net: Net, source: float) -> FloatArray:
    """Node voltages (nodes,) at rest with the source at `source` volts.

    Capacitors are open; parts and pieces without resistance join their nodes; a branch that is
    only an inductor holds its node at the rail.

    Raises
    ------
    NotPhysical : a node has no path for direct current, or two rails are shorted together
    """
    joined = _joined_nodes(net)
    roots = sorted(set(joined))
    row = {root: i for i, root in enumerate(roots)}
    matrix = np.zeros((len(roots), len(roots)))
    drive = np.zeros(len(roots))
    held: dict[int, float] = {}
    for branch in net.shunts:
        if branch.c is not None:
            continue
        i = row[joined[branch.node]]
        if branch.r == 0.0:
            rail = source if branch.source else branch.e
            if held.setdefault(i, rail) != rail:
                raise NotPhysical(
                    f"node {branch.node}", "shorted to two rails at DC", "some resistance between"
                )
            continue
        matrix[i, i] += 1.0 / branch.r
        drive[i] += (source if branch.source else branch.e) / branch.r
    for a, b, r in _dc_links(net):
        i, j = row[joined[a]], row[joined[b]]
        if r > 0.0 and i != j:
            matrix[i, i] += 1.0 / r
            matrix[j, j] += 1.0 / r
            matrix[i, j] -= 1.0 / r
            matrix[j, i] -= 1.0 / r
    for i, rail in held.items():
        matrix[i], drive[i] = 0.0, rail
        matrix[i, i] = 1.0
    floating = np.flatnonzero(~_reached(matrix))
    if len(floating):
        node = joined.index(roots[int(floating[0])])
        raise NotPhysical(f"node {node}", "no path for direct current", "connected to a rail")
    volts = np.linalg.solve(matrix, drive)
    return np.array([volts[row[root]] for root in joined])


def _dc_links(net: Net) -> list[tuple[int, int, float]]:
    links = [(p.node_a, p.node_b, p.line.r_dc * p.length) for p in net.lines]
    return links + [(p.node_a, p.node_b, p.r) for p in net.series if p.c is None]


def _joined_nodes(net: Net) -> list[int]:
    """For each node the lowest node that it is shorted to at DC."""
    root = list(range(net.nodes))

    def find(i: int) -> int:
        while root[i] != i:
            i = root[i]
        return i

    for a, b, r in _dc_links(net):
        if r == 0.0:
            low, high = sorted((find(a), find(b)))
            root[high] = low
    return [find(i) for i in range(net.nodes)]


def _reached(matrix: FloatArray) -> NDArray[np.bool_]:
    """Which rows are tied to a rail, directly or through others."""
    tied = matrix.sum(axis=1) > 1e-15 * np.abs(np.diag(matrix))
    tied &= np.diag(matrix) > 0
    for _ in range(len(matrix)):
        grown = tied | ((matrix != 0) & tied[None, :]).any(axis=1)
        if (grown == tied).all():
            break
        tied = grown
    return tied
