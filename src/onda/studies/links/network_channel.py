"""A lane of a network as a channel between matched ends: its response to a step."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.quality import doubts, quality_of
from onda.engine.networks.sampling import even_grid, phase_delay
from onda.engine.networks.time_domain import Edge, fastest_edge
from onda.engine.networks.time_domain import step_response as step_of
from onda.errors import InputError, NotPhysical
from onda.studies.networks.build import build_network
from onda.studies.networks.inputs import NetworkInputs
from onda.studies.networks.time import mode_matrix

__all__ = ["LaneInputs", "lane_doubts", "lane_fall", "lane_others", "lane_step"]

_MOST_POINTS = 40_000
_TAIL_UI = 60.0


@dataclass(frozen=True, slots=True)
class LaneInputs:
    """A lane (from 0) of a network; its levels (V), and its edge (s, 20 to 80 %, 0 the fastest);
    `fall` is what falling edges take of that; `near` are lanes (from 0) that send from the right.
    `across` are F at the left and the right end of every lane, between its matched ends and it.
    """

    network: NetworkInputs
    lane: int
    low: float
    high: float
    edge: float
    fall: float = 1.0
    near: tuple[int, ...] = ()
    across: tuple[float, float] = (0.0, 0.0)


def lane_step(
    inputs: LaneInputs, unit_interval: float
) -> tuple[NDArray[np.float64], NDArray[np.float64], float]:
    """Time, voltage at the right end for a step between the two levels, and the lane's delay.

    Raises
    ------
    InputError : the network has no such lane
    NotPhysical : the edge is too slow for the rate
    """
    main, frequency, edge = _looked_up(inputs, unit_interval)
    lanes = main.shape[-1] // 2
    time, volts, h, some = _step(main[:, lanes + inputs.lane, inputs.lane], frequency, edge)
    delay = phase_delay(some[some > 0], h[some > 0])
    # A lead of one unit interval, so that what comes before the edge is part of the pulse.
    lead = unit_interval - float(time[0])
    end = min(0.95 * float(time[-1]), 5.0 * delay + _TAIL_UI * unit_interval)
    kept = time <= end
    level = inputs.low * float(h[0].real) + (inputs.high - inputs.low) * volts[kept]
    return time[kept] + lead, level, delay


def lane_fall(
    inputs: LaneInputs, unit_interval: float, time: NDArray[np.float64]
) -> NDArray[np.float64]:
    """The step back (t,) V at the times of `lane_step`, the middles of both edges together."""
    main, frequency, edge = _looked_up(inputs, unit_interval)
    lanes = main.shape[-1] // 2
    entry = main[:, lanes + inputs.lane, inputs.lane]
    ahead, _, _, _ = _step(entry, frequency, edge)
    at, volts, h, _ = _step(entry, frequency, Edge(edge.rise * inputs.fall))
    lead = unit_interval - float(ahead[0])
    fallen = np.interp(time, at + lead, volts)
    return np.asarray(
        inputs.high * float(h[0].real) - (inputs.high - inputs.low) * fallen, dtype=np.float64
    )


def lane_others(
    inputs: LaneInputs, unit_interval: float, time: NDArray[np.float64]
) -> NDArray[np.float64]:
    """What steps of all other lanes at the same levels, those of `near` from the right, put into
    this lane's right end: (k, t) V at the times of `lane_step`."""
    main, frequency, edge = _looked_up(inputs, unit_interval)
    lanes = main.shape[-1] // 2
    out = []
    for other in range(lanes):
        if other == inputs.lane:
            continue
        port = lanes + other if other in inputs.near else other
        at, volts, _, _ = _step(main[:, lanes + inputs.lane, port], frequency, edge)
        lead = unit_interval - float(at[0])
        out.append((inputs.high - inputs.low) * np.interp(time, at + lead, volts))
    return np.array(out) if out else np.zeros((0, len(time)))


def _looked_up(
    inputs: LaneInputs, unit_interval: float
) -> tuple[NDArray[np.complex128], NDArray[np.float64], Edge]:
    """S of the lanes (f, 2k, 2k), frequencies, and the edge that is sent."""
    network = build_network(inputs.network)
    matrix = mode_matrix(network.s, inputs.network.pair)
    main = matrix["diff" if inputs.network.pair else "single"]
    lanes = main.shape[-1] // 2
    if inputs.lane >= lanes:
        raise InputError(
            f"{inputs.network.name} has no lane {inputs.lane + 1}", remedy=f"It has {lanes}."
        )
    if any(k >= lanes for k in inputs.near):
        raise InputError(
            f"{inputs.network.name} has no lane {max(inputs.near) + 1}", remedy=f"It has {lanes}."
        )
    top = float(network.frequency[-1])
    edge = Edge(inputs.edge) if inputs.edge > 0.0 else fastest_edge(top)
    if edge.rise > 2.0 * unit_interval:
        raise NotPhysical("edge", f"{edge.rise:.3g} s", "below two unit intervals")
    reference = network.reference * (2.0 if inputs.network.pair else 1.0)
    main = _between(main, network.frequency, reference, inputs.across)
    return main, network.frequency, edge


def _between(
    s: NDArray[np.complex128],
    frequency: NDArray[np.float64],
    reference: float,
    across: tuple[float, float],
) -> NDArray[np.complex128]:
    """S of lanes with capacitances across their left and right ports.

    A shunt of normalised admittance y reflects r = -y / (2 + y) and passes 1 + r.
    """
    if not any(across):
        return s
    lanes = s.shape[-1] // 2
    c = np.repeat(np.asarray(across), lanes)
    y = 2j * np.pi * frequency[:, None] * c * reference
    r = -y / (2.0 + y)
    inside = np.linalg.inv(np.eye(2 * lanes) - r[:, :, None] * s)
    through = (1.0 + r)[:, :, None] * (s @ inside) * (1.0 + r)[:, None, :]
    return np.asarray(through + r[:, :, None] * np.eye(2 * lanes))


def _step(
    entry: NDArray[np.complex128], f: NDArray[np.float64], edge: Edge
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.complex128], NDArray[np.float64]]:
    """Time, response to an edge of 1 V, and the entry on an even grid with its frequencies."""
    top = float(f[-1])
    wanted = _used_to(edge, top)
    step = max(float(np.diff(f).min()), wanted / _MOST_POINTS) if len(f) > 1 else top
    even = even_grid(f, entry[:, None, None], step=step, top=wanted)
    h = even.s[:, 0, 0]
    time, volts = step_of(even.frequency, h, edge)
    return time, volts, h, even.frequency


def lane_doubts(inputs: LaneInputs) -> tuple[str, ...]:
    """What is wrong with the data of a lane, for the edge that is sent through it."""
    network = build_network(inputs.network)
    top = float(network.frequency[-1])
    used = _used_to(Edge(inputs.edge), top) if inputs.edge > 0.0 else top
    return (*doubts(quality_of(network.frequency, network.s), used), *network.doubts)


def _used_to(edge: Edge, top: float) -> float:
    """Hz up to which the response is taken: what the edge holds, within reason."""
    return min(max(edge.needs, top), 2.0 * top)
