"""What a path's driver is told to send, as edges and as a waveform of straight pieces."""

from __future__ import annotations

import itertools
import math

import numpy as np

from onda.engine.circuits import PiecewiseLinear
from onda.engine.links.patterns import prbs
from onda.errors import NotPhysical, TooLarge
from onda.studies.paths.items import PathInputs

__all__ = ["edge_commands", "first_level_is_high", "periodic_commands", "source_waveform"]

Edges = list[tuple[float, bool]]
_JITTER_SEED = 11
_MOST_EDGES = 200_000
_BYTES_PER_EDGE = 5000.0
"""Of what an edge costs in its waveform and in the record of a run, nearly."""


def first_level_is_high(inputs: PathInputs) -> bool:
    """Whether the driver rests high before its first edge."""
    s = inputs.stimulus
    if s.kind == "bits":
        return s.bits.startswith("1")
    return s.falling


def edge_commands(inputs: PathInputs, until: float | None = None) -> Edges:
    """(time, rising) of every edge before the end of the window."""
    s, window = inputs.stimulus, inputs.window if until is None else until
    up = not first_level_is_high(inputs)
    if s.kind == "edge":
        return [(0.0, up)]
    if s.kind == "pulse":
        return [(0.0, up), (s.width or window, not up)]
    if s.kind == "clock":
        period = 1.0 / (s.frequency or 1.0)
        cycles = _counted(window / period, period, "cycle")
        edges = periodic_commands(period, s.duty, cycles, first_up=up)
    else:
        edges = _data_edges(inputs, window)
    return [e for e in _jittered(edges, s.jitter) if e[0] < window] or edges[:1]


def periodic_commands(period: float, duty: float, cycles: int, *, first_up: bool) -> Edges:
    """Edges of a clock from rest."""
    high = duty if first_up else 1.0 - duty
    out: Edges = []
    for k in range(max(1, cycles)):
        out += [(k * period, first_up), ((k + high) * period, not first_up)]
    return out


def _data_edges(inputs: PathInputs, window: float) -> Edges:
    s = inputs.stimulus
    ui = 1.0 / (s.rate or 1.0)
    count = _counted(window / ui, ui, "bit") + 1
    bits = np.array([int(c) for c in s.bits]) if s.kind == "bits" else prbs(7, count).astype(int)
    if s.kind == "pattern":
        bits = np.concatenate([[int(s.falling)], bits])
    changes = np.flatnonzero(np.diff(bits))
    # The first bit is the level at rest; the second one starts at time 0.
    return [(float(k) * ui, bool(bits[k + 1])) for k in changes] or [(0.0, not bits[0])]


def _counted(share: float, each: float, what: str) -> int:
    """How many of what repeats lie in a window, if it is not too many."""
    if share > _MOST_EDGES:
        raise TooLarge(
            f"{share:,.0f} {what}s",
            needed=share * _BYTES_PER_EDGE,
            allowed=_MOST_EDGES * _BYTES_PER_EDGE,
            remedy=f"Look at {1e6 * _MOST_EDGES * each:.3g} us or less",
        )
    return math.ceil(share)


def _jittered(edges: Edges, jitter: float) -> Edges:
    if jitter == 0.0:
        return edges
    moves = np.random.default_rng(_JITTER_SEED).uniform(-jitter, jitter, len(edges))
    moved = [(max(t + float(m), 0.0), up) for (t, up), m in zip(edges, moves, strict=True)]
    if any(b[0] <= a[0] for a, b in itertools.pairwise(moved)):
        raise NotPhysical("jitter", f"{jitter:.3g} s", "below half the shortest time between edges")
    return moved


def source_waveform(
    inputs: PathInputs, edges: Edges, starts_high: bool | None = None
) -> PiecewiseLinear:
    """Open-circuit voltage of a linear driver that sends these edges.

    It starts where `starts_high` says, by itself below its first edge or where the path rests.

    Raises
    ------
    NotPhysical : an edge starts before the one before it is done
    """
    high = starts_high
    if high is None:
        high = not edges[0][1] if edges else first_level_is_high(inputs)
    levels = {True: inputs.high, False: inputs.low}
    times: list[float] = []
    volts: list[float] = []
    for at, up in edges:
        if times and at <= times[-1]:
            raise NotPhysical(
                "edge time",
                f"{inputs.edge:.4g} s",
                f"shorter than the level, {at - times[-2]:.4g} s",
            )
        times += [at, at + inputs.edge]
        volts += [levels[high], levels[up]]
        high = up
    if not times:
        return PiecewiseLinear((0.0,), (levels[high],))
    return PiecewiseLinear(tuple(times), tuple(volts))
