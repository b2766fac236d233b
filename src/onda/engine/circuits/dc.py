"""The operating point of a net at rest: capacitors open, inductors and pieces as resistors."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.devices import Device
from onda.engine.circuits.net import Net
from onda.errors import NotConverged, NotPhysical

__all__ = ["dc_voltages", "device_currents"]

FloatArray = NDArray[np.float64]
_VOLTS = 1e-9
"""The operating point is found once no node moves by more."""
_STRIDE = 1.0
"""At most this many volts per step of the search: tables may bend sharply."""


@dataclass(slots=True)
class _System:
    """Node equations with nodes that are shorted at DC joined into rows."""

    row_of: list[int]
    matrix: FloatArray
    drive: FloatArray
    held: dict[int, float]


def dc_voltages(net: Net, source: float | Sequence[float], *, time: float = 0.0) -> FloatArray:
    """Node voltages (nodes,) at rest with the source (or each source) at `source` volts.

    Parts and pieces without resistance join their nodes; a branch that is only an inductor holds
    its node at the rail; the weights of devices are those of `time`.

    Raises
    ------
    NotPhysical : a node has no path for direct current, or two rails are shorted together
    NotConverged : no operating point was found; names the device that kept moving
    """
    sources = (source,) if isinstance(source, (int, float)) else tuple(source)
    system = _system(net, sources)
    links = _device_links(net, system.row_of)
    floating = np.flatnonzero(~_reached(system.matrix, links))
    if len(floating):
        node = system.row_of.index(int(floating[0]))
        raise NotPhysical(f"node {node}", "no path for direct current", "connected to a rail")
    if not net.devices:
        volts = np.linalg.solve(system.matrix, system.drive)
        return np.asarray(volts[system.row_of], dtype=float)
    return _newton(net, system, time)[system.row_of]


def _system(net: Net, sources: tuple[float, ...]) -> _System:
    joined = _joined_nodes(net)
    roots = sorted(set(joined))
    place = {root: i for i, root in enumerate(roots)}
    row = [place[j] for j in joined]
    matrix, drive = np.zeros((len(roots), len(roots))), np.zeros(len(roots))
    held: dict[int, float] = {}
    for branch in net.shunts:
        if branch.c is not None:
            continue
        i = row[branch.node]
        rail = sources[branch.drive] if branch.source else branch.e
        if branch.r == 0.0:
            if held.setdefault(i, rail) != rail:
                raise NotPhysical(
                    f"node {branch.node}", "shorted to two rails at DC", "some resistance between"
                )
            continue
        matrix[i, i] += 1.0 / branch.r
        drive[i] += rail / branch.r
    for nodes, conductance in _dc_blocks(net):
        rows = [row[n] for n in nodes]
        for a, i in enumerate(rows):
            for b, j in enumerate(rows):
                matrix[i, j] += conductance[a, b]
    for i, rail in held.items():
        matrix[i], drive[i] = 0.0, rail
        matrix[i, i] = 1.0
    return _System(row, matrix, drive, held)


def _dc_links(net: Net) -> list[tuple[int, int, float]]:
    """Node pairs with the resistance between them; 0 joins them."""
    links = [(p.node_a, p.node_b, p.line.r_dc * p.length) for p in net.lines]
    links += [(p.node_a, p.node_b, p.r) for p in net.series if p.c is None]
    for group in net.inductors:
        links += [(a, b, float(r)) for (a, b), r in zip(group.pairs, group.resistance, strict=True)]
    for piece in net.coupled:
        if not piece.line.r_dc.any():
            links += [(a, b, 0.0) for a, b in zip(piece.nodes_a, piece.nodes_b, strict=True)]
    return links


def _dc_blocks(net: Net) -> list[tuple[tuple[int, ...], FloatArray]]:
    """Conductance matrices among nodes."""
    out: list[tuple[tuple[int, ...], FloatArray]] = []
    for a, b, r in _dc_links(net):
        if r > 0.0:
            out.append(((a, b), np.array([[1.0, -1.0], [-1.0, 1.0]]) / r))
    for piece in net.coupled:
        if piece.line.r_dc.any():
            g = _conductance(piece.line.r_dc * piece.length)
            out.append(((*piece.nodes_a, *piece.nodes_b), np.block([[g, -g], [-g, g]])))
    for block in net.blocks:
        # A hair of loss lets a plain connection through a block be written as a conductance.
        s0 = (1.0 - 1e-9) * block.model.at(np.zeros(1, dtype=complex))[0].real
        eye = np.eye(len(s0))
        out.append((block.nodes, np.linalg.solve(eye + s0, eye - s0) / block.z_ref))
    return out


def _conductance(r: FloatArray) -> FloatArray:
    """Inverse of a resistance matrix; what meets none of it meets a hair, so that it conducts."""
    size = float(np.abs(r).max())
    return np.asarray(np.linalg.inv(r + 1e-9 * size * np.eye(len(r))))


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


def _device_links(net: Net, row: list[int]) -> list[tuple[int, int | None]]:
    return [
        (row[port.node], None if port.node_b is None else row[port.node_b])
        for device in net.devices
        for port in device.ports
    ]


def _reached(matrix: FloatArray, links: list[tuple[int, int | None]]) -> NDArray[np.bool_]:
    """Which rows are tied to a rail, directly or through others."""
    tied = matrix.sum(axis=1) > 1e-15 * np.abs(np.diag(matrix))
    tied &= np.diag(matrix) > 0
    near = matrix != 0
    for a, b in links:
        if b is None:
            tied[a] = True
        else:
            near[a, b] = near[b, a] = True
    for _ in range(len(matrix)):
        grown = tied | (near & tied[None, :]).any(axis=1)
        if (grown == tied).all():
            break
        tied = grown
    return np.asarray(tied)


def device_currents(device: Device, volts: FloatArray, time: float) -> list[tuple[float, float]]:
    """Current into each port's node (A) and its slope (S), at node voltages."""
    out = []
    for port in device.ports:
        v = volts[port.node] - (0.0 if port.node_b is None else volts[port.node_b])
        current = slope = 0.0
        for term in port.terms:
            w = term.scale if term.weight is None else term.scale * term.weight.at(time)
            amps, siemens = term.table.point(float(term.sign * v + term.offset))
            current += w * amps
            slope += w * term.sign * siemens
        out.append((current, slope))
    return out


def _newton(net: Net, system: _System, time: float) -> FloatArray:
    """Newton with a bounded stride; each device's slopes are stamped where it sits."""
    row = system.row_of
    volts = _start(net, system)
    step = np.zeros_like(volts)
    # A whisper to ground keeps nodes in the equations that only a device that is off holds.
    whisper = 1e-12
    for round_ in range(300):
        matrix, drive = system.matrix.copy(), system.drive.copy()
        at_node = volts[row]
        for device in net.devices:
            for port, (current, slope) in zip(
                device.ports, device_currents(device, at_node, time), strict=True
            ):
                i = row[port.node]
                j = None if port.node_b is None else row[port.node_b]
                v = volts[i] - (0.0 if j is None else volts[j])
                rest = current - slope * v
                for k, sign in ((i, 1.0), (j, -1.0)):
                    if k is None or k in system.held:
                        continue
                    drive[k] += sign * rest
                    matrix[k, i] -= sign * slope
                    if j is not None:
                        matrix[k, j] += sign * slope
        for k in range(len(volts)):
            if k not in system.held:
                matrix[k, k] += whisper
        try:
            wanted = np.linalg.solve(matrix, drive)
        except np.linalg.LinAlgError:
            break
        step = wanted - volts
        largest = float(np.abs(step).max())
        if largest < _VOLTS:
            return np.asarray(wanted, dtype=float)
        # The longer it takes the shorter the stride: tables with kinks can be jumped over for ever.
        stride = _STRIDE / (1 + round_ // 40)
        volts = volts + step * min(1.0, stride / largest)
    raise NotConverged(
        f"no operating point: {_restless(net, row, step)} has none at which its currents balance",
        reached=float(np.abs(step).max()),
        wanted=_VOLTS,
    )


def _start(net: Net, system: _System) -> FloatArray:
    """Where the linear part alone would rest, its loose nodes pulled to 0 V."""
    matrix = system.matrix + 1e-6 * np.eye(len(system.matrix))
    return np.asarray(np.linalg.solve(matrix, system.drive))


def _restless(net: Net, row: list[int], step: FloatArray) -> str:
    moves = {
        device.name: max(abs(float(step[row[p.node]])) for p in device.ports)
        for device in net.devices
        if device.ports
    }
    return max(moves, key=lambda name: moves[name])
