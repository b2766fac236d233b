"""Every reflection by itself: where a wave was sent back, when it arrives, how large it is.

Waves are followed through the net like balls through a lattice, junctions taken as resistive; what
a capacitance sends back is told as the dip that it makes for the given edge. It explains a waveform
that the transient solver has computed exactly; it does not replace it.

References
----------
Bewley, Traveling Waves on Transmission Systems (1951), chapter 4: the lattice diagram.
"""

from __future__ import annotations

import heapq
import itertools
import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = ["Bounce", "BounceNet", "Stretch", "trace_bounces"]

FloatArray = NDArray[np.float64]
_MOST_WAVES = 2000


@dataclass(frozen=True, slots=True)
class Stretch:
    """A line between two nodes: ohm, s."""

    node_a: int
    node_b: int
    z: float
    delay: float


@dataclass(frozen=True, slots=True)
class BounceNet:
    """A net of stretches with resistors at its nodes.

    Attributes
    ----------
    names : of the nodes, for people
    shunt : (nodes,) S; series : (a, b, ohm); capacitance : (nodes,) F
    source_node, source_conductance : where the driver sits, S
    """

    names: tuple[str, ...]
    stretches: tuple[Stretch, ...]
    shunt: tuple[float, ...]
    series: tuple[tuple[int, int, float], ...]
    capacitance: tuple[float, ...]
    source_node: int
    source_conductance: float


@dataclass(frozen=True, slots=True)
class Bounce:
    """One arrival at the receiver.

    Attributes
    ----------
    time : s after the edge leaves the driver; volts : for an edge of 1 V at the source
    cause : why it is there; route : names of the nodes where it was turned back
    shape : "edge" stays, "dip" passes
    """

    time: float
    volts: float
    cause: str
    route: tuple[str, ...]
    shape: str


def trace_bounces(
    net: BounceNet, receiver: int, *, edge: float, until: float, least: float = 0.01
) -> tuple[Bounce, ...]:
    """Arrivals at a receiver, in order of time.

    Parameters
    ----------
    receiver : node; edge : s; until : s; least : arrivals below this share of 1 V are left out
    """
    junctions = _Junctions(net)
    start = junctions.launch()
    queue: list[tuple[float, int, int, int, float, tuple[str, ...], str, str]] = []
    order = itertools.count()

    def send(
        time: float,
        node: int,
        volts: float,
        but: int,
        route: tuple[str, ...],
        cause: str,
        shape: str,
    ) -> None:
        for k, stretch in enumerate(net.stretches):
            if k == but or abs(volts) < least:
                continue
            if stretch.node_a == node or stretch.node_b == node:
                to = stretch.node_b if stretch.node_a == node else stretch.node_a
                heapq.heappush(
                    queue,
                    (time + stretch.delay, next(order), k, to, volts, route, cause, shape),
                )

    out: list[Bounce] = []
    for node, volts in start.items():
        if node == receiver:
            out.append(Bounce(0.0, volts, "the edge itself", (), "edge"))
        send(0.0, node, volts, -1, (), "the edge itself", "edge")
    for _ in range(_MOST_WAVES):
        if not queue or queue[0][0] > until:
            break
        time, _, k, node, volts, route, cause, shape = heapq.heappop(queue)
        spread = junctions.arrive(k, node)
        here = spread[node] * volts
        if receiver in spread and abs(spread[receiver] * volts) >= least:
            out.append(Bounce(time, spread[receiver] * volts, cause, route, shape))
        name = net.names[node]
        for other, share in spread.items():
            if other == node:
                continue
            send(time, other, share * volts, -1, route, cause, shape)
        send(time, node, here, k, route, cause, shape)
        back = here - volts
        sent = f"{_percent(back / volts)} sent back at {name}{junctions.reason(k, node)}"
        story = sent if cause == "the edge itself" else f"{cause}, then {sent}"
        _send_on(queue, order, net, k, node, time, back, (*route, name), story, shape, least)
        dip = junctions.dip(node, edge)
        if dip > 0.0 and shape == "edge":
            story = f"{net.capacitance[node] * 1e12:.2g} pF at {name}"
            story = story if cause == "the edge itself" else f"{cause}, then {story}"
            _send_on(
                queue, order, net, k, node, time, -dip * here, (*route, name), story, "dip", least
            )
    return tuple(sorted(out, key=lambda b: b.time))


def _send_on(
    queue: list[tuple[float, int, int, int, float, tuple[str, ...], str, str]],
    order: itertools.count[int],
    net: BounceNet,
    k: int,
    node: int,
    time: float,
    volts: float,
    route: tuple[str, ...],
    cause: str,
    shape: str,
    least: float,
) -> None:
    """A wave back along the stretch that it came by."""
    if abs(volts) < least or len(route) > 12:
        return
    stretch = net.stretches[k]
    to = stretch.node_b if stretch.node_a == node else stretch.node_a
    entry = (time + stretch.delay, next(order), k, to, volts, route, cause, shape)
    heapq.heappush(queue, entry)


def _percent(share: float) -> str:
    return f"{100.0 * share:+.0f} %".replace("-", "−")


class _Junctions:
    """Resistive junctions: nodes that series resistors join are solved together."""

    def __init__(self, net: BounceNet) -> None:
        self._net = net
        n = len(net.names)
        g = np.diag(np.asarray(net.shunt, dtype=float))
        for s in net.stretches:
            if not (s.z > 0.0 and s.delay >= 0.0):
                raise NotPhysical("stretch", f"{s.z} ohm, {s.delay} s", "above 0 ohm, 0 s or more")
            g[s.node_a, s.node_a] += 1.0 / s.z
            g[s.node_b, s.node_b] += 1.0 / s.z
        near: dict[int, set[int]] = {i: {i} for i in range(n)}
        for a, b, r in net.series:
            y = 1.0 / max(r, 1e-3)
            g[a, a] += y
            g[b, b] += y
            g[a, b] -= y
            g[b, a] -= y
            joined = near[a] | near[b]
            for i in joined:
                near[i] = joined
        self._near = near
        # A node that nothing but a capacitance holds is open: a whisper keeps it in the equations.
        self._r = np.linalg.inv(g + 1e-9 * np.eye(n))

    def launch(self) -> dict[int, float]:
        """Voltages that an edge of 1 V makes at the driver's nodes."""
        at, y = self._net.source_node, self._net.source_conductance
        return {i: float(self._r[i, at] * y) for i in self._near[at]}

    def arrive(self, k: int, node: int) -> dict[int, float]:
        """Voltages at a junction for a wave of 1 V that arrives along stretch k."""
        y = 2.0 / self._net.stretches[k].z
        return {i: float(self._r[i, node] * y) for i in self._near[node]}

    def reason(self, k: int, node: int) -> str:
        """The two impedances that meet."""
        z = self._net.stretches[k].z
        seen = 1.0 / float(self._r[node, node])
        rest = seen - 1.0 / z
        if rest < 1e-6:
            return f" (open, {z:.0f} Ω line)"
        return f" ({z:.0f} Ω into {1.0 / rest:.0f} Ω)"

    def dip(self, node: int, edge: float) -> float:
        """Share that a capacitance takes out of an edge while it passes."""
        c = self._net.capacitance[node]
        if c <= 0.0 or edge <= 0.0:
            return 0.0
        tau = c * float(self._r[node, node])
        return tau / edge * (1.0 - math.exp(-edge / tau))
