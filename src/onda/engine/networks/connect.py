"""Networks put together and cut up by their ports.

References
----------
Joining by ports: Filipsson, "A new general computer algorithm for S-matrix calculation of
interconnected multiports", 11th European Microwave Conference (1981) 700.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray

from onda.engine.networks.parameters import renormalise
from onda.errors import NotPhysical

__all__ = ["extend_ports", "join", "sub_network", "terminate"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]


def join(
    networks: Sequence[ComplexArray], wires: Sequence[tuple[tuple[int, int], tuple[int, int]]]
) -> ComplexArray:
    """Networks on one real reference with some of their ports wired to each other.

    Parameters
    ----------
    networks : each (f, n_k, n_k)
    wires : ((network, port), (network, port)), from 0; a port carries one wire at most

    Returns
    -------
    (f, m, m) over the ports that carry no wire, in the order of the networks and their ports

    Raises
    ------
    NotPhysical : a port that is not there or is wired twice, or a closed loop without loss
    """
    if not networks:
        raise NotPhysical("networks", "none", "one or more")
    sizes = [s.shape[-1] for s in networks]
    first = np.concatenate([[0], np.cumsum(sizes)])
    points = len(networks[0])
    if any(len(s) != points for s in networks):
        raise NotPhysical("networks", "other frequencies", "on the same frequencies")
    whole = np.zeros((points, first[-1], first[-1]), dtype=complex)
    for s, at in zip(networks, first, strict=False):
        whole[:, at : at + s.shape[-1], at : at + s.shape[-1]] = s
    inner: list[int] = []
    for ends in wires:
        for network, port in ends:
            if not (0 <= network < len(networks) and 0 <= port < sizes[network]):
                place = f"port {port + 1} of network {network + 1}"
                raise NotPhysical("wire", place, "between ports that exist")
            inner.append(int(first[network]) + port)
    if len(set(inner)) != len(inner):
        raise NotPhysical("wires", f"two to one of {len(inner)} ports", "at most one to each port")
    outer = [p for p in range(int(first[-1])) if p not in set(inner)]
    if not inner:
        return whole
    swap = np.zeros((len(inner), len(inner)))
    for k in range(0, len(inner), 2):
        swap[k, k + 1] = swap[k + 1, k] = 1.0
    # What leaves an inner port enters the one at the other end of its wire.
    loop = swap - whole[:, inner][:, :, inner]
    try:
        back = np.linalg.solve(loop, whole[:, inner][:, :, outer])
    except np.linalg.LinAlgError as error:
        raise NotPhysical("wires", "a closed loop without loss", "open somewhere") from error
    return np.asarray(whole[:, outer][:, :, outer] + whole[:, outer][:, :, inner] @ back)


def sub_network(s: ComplexArray, ports: Sequence[int]) -> ComplexArray:
    """Some ports in a given order; the others end in their references."""
    n = s.shape[-1]
    if len(set(ports)) != len(ports) or not all(0 <= p < n for p in ports):
        counted = tuple(p + 1 for p in ports)
        raise NotPhysical("ports", counted, f"each of 1 to {n} at most once")
    return np.ascontiguousarray(s[:, ports][:, :, ports])


def terminate(
    s: ComplexArray, reference: float, loads: Mapping[int, complex | ComplexArray]
) -> ComplexArray:
    """The network with impedances (one, or (f,) ohm) at some of its ports, which then are gone.

    An open end is numpy.inf.
    """
    kept = [p for p in range(s.shape[-1]) if p not in loads]
    gone = list(loads)
    sub_network(s, gone)
    rho = np.zeros((len(s), len(gone)), dtype=complex)
    for k, port in enumerate(gone):
        z = np.asarray(loads[port], dtype=complex)
        ratio = reference / np.where(z == 0, 1.0, z)
        ratio = np.where(np.isinf(z), 0.0, ratio)
        rho[:, k] = np.where(z == 0, -1.0, (1.0 - ratio) / (1.0 + ratio))
    loop = np.eye(len(gone)) - s[:, gone][:, :, gone] * rho[:, None, :]
    try:
        back = np.linalg.solve(loop, s[:, gone][:, :, kept])
    except np.linalg.LinAlgError as error:
        raise NotPhysical("loads", "a resonance without loss", "with some loss") from error
    return np.asarray(s[:, kept][:, :, kept] + (s[:, kept][:, :, gone] * rho[:, None, :]) @ back)


def extend_ports(
    frequency: FloatArray,
    s: ComplexArray,
    delays: FloatArray,
    *,
    reference: ArrayLike = 50.0,
    line: ArrayLike | None = None,
) -> ComplexArray:
    """Reference planes moved into the network by lossless lines of `delays` (n,) s.

    A negative delay moves the plane outwards. `line` is the impedance of these lines, the reference
    where None.
    """
    z = reference if line is None else line
    on_line = renormalise(s, reference, z)
    turn = np.exp(2j * np.pi * frequency[:, None] * np.asarray(delays, dtype=float))
    moved = on_line * turn[:, :, None] * turn[:, None, :]
    return renormalise(moved, z, reference)
