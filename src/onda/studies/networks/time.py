"""A network in time: what a step sees, what comes through, where crosstalk enters."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.crosstalk_place import CrosstalkPeak, rank_peaks
from onda.engine.networks.mixed_mode import mixed_mode
from onda.engine.networks.peeling import Lump, find_lumps, peeled, plain_impedance
from onda.engine.networks.sampling import Resampled, even_grid, phase_delay
from onda.engine.networks.skew import PairSkew, pair_delay, pair_skew
from onda.engine.networks.time_domain import (
    Edge,
    fastest_edge,
    impulse_response,
    pulse_response,
    step_response,
)
from onda.engine.networks.unlossed import loss_per_delay, unlossed_response
from onda.errors import NotPhysical
from onda.project.quantities import plain
from onda.studies.networks.build import BuiltNetwork

__all__ = [
    "TIME_TYPES",
    "CrosstalkTrace",
    "NetworkTime",
    "Reflection",
    "Through",
    "in_time",
    "mode_matrix",
]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_MOST_LANES = 8
_MOST_LAYERS = 6000


@dataclass(frozen=True, slots=True, eq=False)
class Reflection:
    """What a step from one side sees.

    Attributes
    ----------
    lane : from 0; mode : as in `mode_matrix`; side : "left" or "right"
    time, volts : (t,) s and V at the port for a step of 1 V behind its reference
    plain : (t,) ohm, read plainly
    place, true : (n,) one-way s and ohm, peeled; `ends` as in `Profile`
    lumps : parts found in the peeled profile
    """

    lane: int
    mode: str
    side: str
    reference: float
    time: FloatArray
    volts: FloatArray
    plain: FloatArray
    place: FloatArray
    true: FloatArray
    ends: str
    lumps: tuple[Lump, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Through:
    """What comes through from left to right.

    Attributes
    ----------
    time : (t,) s; volts : (t,) V for a step of 1 V; impulse : (t,) 1/s, its slope
    delay : s, between the middle of the edge and half of what comes at last
    """

    lane: int
    mode: str
    time: FloatArray
    volts: FloatArray
    impulse: FloatArray
    delay: float


@dataclass(frozen=True, slots=True, eq=False)
class CrosstalkTrace:
    """Crosstalk on a lane: place (n,) one-way s, volts (n,) for a pulse of 1 V."""

    victim: int
    aggressor: int
    end: str
    place: FloatArray
    volts: FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class NetworkTime:
    """Everything in time.

    `rise` is the 20 to 80 percent time of the edge; `period` the time that the data cover.
    """

    rise: float
    period: float
    reflections: tuple[Reflection, ...]
    through: tuple[Through, ...]
    skews: tuple[PairSkew, ...]
    crosstalk: tuple[CrosstalkTrace, ...]
    peaks: tuple[tuple[CrosstalkPeak, ...], ...]
    notes: tuple[str, ...]


TIME_TYPES = (NetworkTime, Reflection, Through, CrosstalkTrace, CrosstalkPeak, PairSkew, Lump)


def mode_matrix(s: ComplexArray, pair: bool) -> dict[str, ComplexArray]:
    """S by mode (f, 2k, 2k) of k lanes, left first.

    "single"; of pairs "diff", "common", "p leg" and "n leg" (the other leg in its reference),
    "conversion" from common in to differential out and "conversion_back" the other way.
    """
    if not pair:
        return {"single": s}
    n = s.shape[-1]
    mixed = mixed_mode(s, [(p, p + 1) for p in range(0, n, 2)])
    k = n // 2
    return {
        "diff": mixed[:, :k, :k],
        "common": mixed[:, k:, k:],
        "conversion": mixed[:, :k, k:],
        "conversion_back": mixed[:, k:, :k],
        "p leg": s[:, ::2, ::2],
        "n leg": s[:, 1::2, 1::2],
    }


def in_time(network: BuiltNetwork, pair: bool, rise: float, rate: float) -> NetworkTime:
    """Work out all views in time; raise `NotPhysical` where the data do not carry them."""
    notes: list[str] = []
    f = network.frequency
    top = float(f[-1])
    edge = Edge(rise) if rise > 0 else fastest_edge(top)
    wanted = top
    if edge.needs > 1.001 * top:
        wanted = min(edge.needs, 2.0 * top)
        if edge.needs > wanted:
            edge = fastest_edge(wanted)
            notes.append(
                f"edge slowed to {plain(edge.rise * 1e12)} ps: the data end at {top / 1e9:.4g} GHz"
            )
    step = max(float(np.diff(f).min()), wanted / 40000.0) if len(f) > 1 else top
    even = even_grid(f, network.s, step=step, top=wanted)
    notes += even.notes
    modes = mode_matrix(even.s, pair)
    matrices = {m: modes[m] for m in modes if not m.startswith("conversion")}
    lanes = next(iter(matrices.values())).shape[-1] // 2
    ports = next(iter(matrices.values())).shape[-1]
    if lanes > _MOST_LANES:
        notes.append(f"in time the first {_MOST_LANES} lanes only")
    shown = min(max(lanes, 1), _MOST_LANES)
    reflections: list[Reflection] = []
    through: list[Through] = []
    for mode, matrix in matrices.items():
        z = network.reference * {"diff": 2.0, "common": 0.5}.get(mode, 1.0)
        way = _way(even, matrix, lanes)
        for lane in range(shown):
            sides = [("left", lane), ("right", lanes + lane)] if ports > 1 else [("left", 0)]
            bare = _without_loss(even, matrix, mode, lane, lanes, edge)
            for k, (side, port) in enumerate(sides):
                own = None if bare is None else (bare[0], bare[1][:, k])
                h = matrix[:, port, port]
                reflections.append(_reflection(even, h, own, lane, mode, side, z, way, edge))
            if lanes and ports % 2 == 0:
                h = matrix[:, lanes + lane, lane]
                through.append(_through(even, h, lane, mode, way, edge))
    main = matrices["diff"] if pair else matrices["single"]
    skews = tuple(_skews(even, edge, range(shown if pair else 0), rate, notes))
    crosstalk = _crosstalk(even, main, shown, lanes, edge) if lanes > 1 else ()
    peaks = tuple(_ranked(crosstalk, v, edge) for v in range(shown)) if lanes > 1 else ()
    return NetworkTime(
        edge.rise,
        1.0 / even.step,
        tuple(reflections),
        tuple(through),
        skews,
        crosstalk,
        peaks,
        tuple(dict.fromkeys(notes)),
    )


def _way(even: Resampled, matrix: ComplexArray, lanes: int) -> float:
    """Longest delay through, s."""
    f, some = even.frequency, even.frequency > 0
    found = [
        phase_delay(f[some], matrix[some, lanes + k, k])
        for k in range(min(lanes, _MOST_LANES))
        if matrix.shape[-1] > 1
    ]
    return max([0.0, *found])


def _skews(
    even: Resampled, edge: Edge, lanes: Iterable[int], rate: float, notes: list[str]
) -> Iterable[PairSkew]:
    for lane in lanes:
        try:
            yield pair_skew(
                even.frequency, even.s, edge, lane=lane, upto=0.5 * rate if rate > 0 else None
            )
        except NotPhysical as error:
            notes.append(f"no skew of lane {lane + 1}: {error}")


def _through(
    even: Resampled, h: ComplexArray, lane: int, mode: str, way: float, edge: Edge
) -> Through:
    time, volts = step_response(even.frequency, h, edge)
    _, slope = impulse_response(even.frequency, h, edge)
    # A lane that ends nowhere has no delay.
    delay = pair_delay(even.frequency, h, edge) if np.abs(h[0]) > 1e-3 else float("nan")
    # The part that shows something: three times the way through.
    dt = float(time[1] - time[0])
    some = time <= min(max(3.0 * way, 60.0 * dt), float(time[-1]))
    return Through(lane, mode, time[some], volts[some], slope[some] / dt, delay)


def _without_loss(
    even: Resampled, matrix: ComplexArray, mode: str, lane: int, lanes: int, edge: Edge
) -> tuple[FloatArray, FloatArray] | None:
    """Time and reflections (t, 2) from left and right with the lane's own loss taken out.

    A leg of a pair gives to the other what is no loss, so that it stays as it is.
    """
    if matrix.shape[-1] != 2 * lanes or lanes == 0 or mode.endswith("leg"):
        return None
    ports = [lane, lanes + lane]
    both = matrix[:, ports][:, :, ports]
    loss = loss_per_delay(even.frequency, both)
    return None if loss is None else unlossed_response(even.frequency, both, loss, edge)


def _reflection(
    even: Resampled,
    h: ComplexArray,
    bare: tuple[FloatArray, FloatArray] | None,
    lane: int,
    mode: str,
    side: str,
    z: float,
    way: float,
    edge: Edge,
) -> Reflection:
    time, response = impulse_response(even.frequency, h, edge)
    _, rho = step_response(even.frequency, h, edge)
    # Beyond the end of the network there is nothing to be found.
    end = 2.0 * way + 10.0 * edge.rise if way > 0 else 0.45 / even.step
    count = min(int(np.searchsorted(time, end)) + 1, _MOST_LAYERS, len(time) // 2)
    early, sent_back = (time[:count], response[:count]) if bare is None else bare
    profile = peeled(early[:_MOST_LAYERS], sent_back[:_MOST_LAYERS], z)
    shown = min(2 * count, len(time))
    lumps = find_lumps(profile, edge.rise) if len(profile.delay) > 8 else []
    _, sent = step_response(even.frequency, np.ones_like(h), edge)
    return Reflection(
        lane,
        mode,
        side,
        z,
        time[:shown],
        0.5 * (sent + rho)[:shown],
        np.asarray(np.clip(plain_impedance(rho[:shown], z), 0.0, 100.0 * z)),
        profile.delay,
        profile.z,
        profile.ends,
        tuple(lumps),
    )


def _crosstalk(
    even: Resampled, matrix: ComplexArray, shown: int, lanes: int, edge: Edge
) -> tuple[CrosstalkTrace, ...]:
    out = []
    way = _way(even, matrix, lanes)
    for victim in range(shown):
        for aggressor in range(shown):
            if aggressor == victim:
                continue
            for end, port in (("near", victim), ("far", lanes + victim)):
                h = matrix[:, port, aggressor]
                # Short enough to tell two places apart, long enough to be heard.
                time, volts = pulse_response(even.frequency, h, edge, 2.0 * edge.rise)
                place = 0.5 * (time - edge.rise)
                some = (place >= 0.0) & (place <= 1.15 * way + 2.0 * edge.rise)
                out.append(CrosstalkTrace(victim, aggressor, end, place[some], volts[some]))
    return tuple(out)


def _ranked(
    traces: tuple[CrosstalkTrace, ...], victim: int, edge: Edge
) -> tuple[CrosstalkPeak, ...]:
    near = [t for t in traces if t.victim == victim and t.end == "near"]
    if not near or len(near[0].place) < 3:
        return ()
    responses = {(str(t.aggressor), t.end): t.volts for t in near}
    try:
        return tuple(rank_peaks(near[0].place, responses, apart=1.5 * edge.rise))
    except NotPhysical:
        return ()
