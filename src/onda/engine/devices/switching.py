"""From a buffer's waveforms to the factors of its pull-up and pull-down against time.

At every time the current that a fixture takes is that of both halves, each by its own factor; two
fixtures give two equations for the two factors. With one waveform the factors are taken to add up
to one; with a ramp alone they go straight.

References
----------
IBIS Open Forum, "I/O Buffer Information Specification", version 7.2, keywords [Rising Waveform] and
[Falling Waveform]: what the tables mean; the two equations follow from Kirchhoff's current law.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.devices import Weight
from onda.engine.circuits.measure import edge_time
from onda.engine.devices.buffer import Buffer, FixtureWave, RampTimes, sum_terms
from onda.errors import NotPhysical

__all__ = ["Curve", "Switching", "switching_of", "weights"]

FloatArray = NDArray[np.float64]
_PER_EDGE, _REST = 200, 100
"""Samples of an edge from end to end, and of a whole waveform besides."""
_MOST = 6000
"""Samples of a waveform that moves all along."""
_STILL = 2e-3
"""A factor is at rest within this of its end."""


@dataclass(frozen=True, slots=True)
class Curve:
    """Factors (n,) of both halves against time (n,) s from the edge's command."""

    time: tuple[float, ...]
    up: tuple[float, ...]
    down: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class Switching:
    """The two edges of a buffer, and how they were found."""

    rise: Curve
    fall: Curve
    source: str

    @property
    def edge(self) -> float:
        """Time (s) from 0 to 100 % of the factor that moves fastest."""
        curves = [(c.time, half) for c in (self.rise, self.fall) for half in (c.up, c.down)]
        return min(edge_time(np.asarray(t), np.asarray(v)) for t, v in curves if v[0] != v[-1])


@lru_cache(maxsize=128)
def switching_of(buffer: Buffer) -> Switching:
    """Factors of a buffer's edges.

    Raises
    ------
    NotPhysical : it has no edges, or its waveforms do not move its tables
    """
    rising = [w for w in buffer.waves if w.rising]
    falling = [w for w in buffer.waves if not w.rising]
    if rising and falling:
        rise, fall = _from_waves(buffer, rising), _from_waves(buffer, falling)
        pairs = min(len(rising), len(falling))
        source = "two waveforms an edge" if pairs > 1 else "one waveform an edge"
        return Switching(*_started_together(rise, fall), source)
    if buffer.ramp_rise is None or buffer.ramp_fall is None:
        raise NotPhysical(f"model {buffer.name}", "no edges", "with waveforms or a ramp")
    return Switching(
        _from_ramp(buffer, buffer.ramp_rise, True),
        _from_ramp(buffer, buffer.ramp_fall, False),
        "ramp",
    )


def _from_ramp(buffer: Buffer, ramp: RampTimes, rising: bool) -> Curve:
    # dV over dt is the slope between 20 and 80 %: the whole swing takes dt / 0.6.
    time = (0.0, ramp.dt / 0.6)
    up, down = ((0.0, 1.0), (1.0, 0.0)) if rising else ((1.0, 0.0), (0.0, 1.0))
    return Curve(time, up if buffer.pullup else (0.0, 0.0), down if buffer.pulldown else (0.0, 0.0))


def _from_waves(buffer: Buffer, waves: list[FixtureWave]) -> Curve:
    first = max(min(w.time) for w in waves)
    last = min(max(w.time) for w in waves)
    if not last > first:
        raise NotPhysical(
            f"model {buffer.name}", "waveforms that never overlap", "of one time span"
        )
    time = _samples(waves, first, last)
    matrix, wanted = [], []
    for wave in waves:
        volts = np.interp(time, wave.time, wave.volts)
        slope = np.gradient(volts, time)
        load = (volts - wave.v) / wave.r + (wave.c + buffer.c_comp) * slope
        halves = _halves(buffer, volts)
        matrix.append(halves)
        wanted.append(load - sum_terms(buffer.clamp_terms, volts))
    a = np.stack(matrix, axis=1)
    b = np.stack(wanted, axis=1)
    rising = waves[0].rising
    if buffer.pullup is None or buffer.pulldown is None:
        which = 1 if buffer.pullup is None else 0
        one = (a[:, :, which] * b).sum(1) / np.maximum((a[:, :, which] ** 2).sum(1), 1e-30)
        factors = np.zeros((len(time), 2))
        factors[:, which] = one
    elif len(waves) == 1:
        factors = _complementary(a[:, 0], b[:, 0])
    else:
        factors = _least_squares(a, b, rising)
    up = _normalised(buffer, factors[:, 0], 1.0 if rising else 0.0, buffer.pullup is not None)
    down = _normalised(buffer, factors[:, 1], 0.0 if rising else 1.0, buffer.pulldown is not None)
    return Curve(tuple((time - time[0]).tolist()), tuple(up.tolist()), tuple(down.tolist()))


def _samples(waves: list[FixtureWave], first: float, last: float) -> FloatArray:
    """Times by the edge: dense wherever a waveform moves, a hundred for all else."""
    parts = [np.linspace(first, last, _REST)]
    tables = [(np.asarray(w.time), np.asarray(w.volts)) for w in waves]
    edges = [edge_time(t, v) for t, v in tables]
    spacing = min(edges) / _PER_EDGE
    for (t, v), edge in zip(tables, edges, strict=True):
        if math.isinf(edge):
            continue
        moving = np.abs(np.diff(v)) > _STILL * np.ptp(v) / _PER_EDGE
        at = np.flatnonzero(moving)
        begin = max(first, float(t[max(at[0] - 1, 0)]))
        end = min(last, float(t[min(at[-1] + 2, len(t) - 1)]))
        if end > begin:
            parts.append(
                np.linspace(begin, end, min(math.ceil((end - begin) / spacing), _MOST) + 1)
            )
    time = np.unique(np.concatenate(parts))
    if len(parts) == 1:
        return time
    # Samples of two grids that all but meet would give a slope of rounding.
    return time[np.concatenate([[True], np.diff(time) > 0.2 * spacing])]


def _halves(buffer: Buffer, volts: FloatArray) -> FloatArray:
    """Currents (n, 2) out of the fully-on pull-up and pull-down."""
    out = np.zeros((len(volts), 2))
    for column, term in enumerate((buffer.up_term(), buffer.down_term())):
        if term is not None:
            out[:, column] = sum_terms((term,), volts)
    return out


def _complementary(a: FloatArray, b: FloatArray) -> FloatArray:
    """Factors that add up to one: a_up k + a_down (1 - k) = b."""
    difference = a[:, 0] - a[:, 1]
    safe = np.where(np.abs(difference) < 1e-9, 1e-9, difference)
    k = np.clip((b - a[:, 1]) / safe, -0.5, 1.5)
    return np.stack([k, 1.0 - k], axis=1)


def _least_squares(a: FloatArray, b: FloatArray, rising: bool) -> FloatArray:
    """Two factors at each time; where the fixtures say little, they stay where they were."""
    out = np.empty((len(a), 2))
    before = np.array([0.0, 1.0] if rising else [1.0, 0.0])
    hold = 1e-4 * float((a**2).sum(axis=(1, 2)).max())
    for k in range(len(a)):
        normal = a[k].T @ a[k] + hold * np.eye(2)
        before = np.clip(np.linalg.solve(normal, a[k].T @ b[k] + hold * before), -0.5, 1.5)
        out[k] = before
    return out


def _normalised(buffer: Buffer, factor: FloatArray, last: float, exists: bool) -> FloatArray:
    """Stretched so that it goes from exactly off to exactly on, or back."""
    if not exists:
        return np.zeros_like(factor)
    first = 1.0 - last
    travel = factor[-1] - factor[0]
    if abs(travel) < 0.3 or (travel > 0) != (last > first):
        raise NotPhysical(
            f"model {buffer.name}", "waveforms that do not switch its I-V tables", "consistent"
        )
    return np.asarray(first + (last - first) * (factor - factor[0]) / travel)


def _started_together(rise: Curve, fall: Curve) -> tuple[Curve, Curve]:
    """Both edges without the wait that they share, and without the rest after they are done."""
    spans = [_moving(c) for c in (rise, fall)]
    wait = min(first for first, _ in spans)
    return tuple(
        _cut(curve, wait, last) for curve, (_, last) in zip((rise, fall), spans, strict=True)
    )  # type: ignore[return-value]


def _moving(curve: Curve) -> tuple[float, float]:
    """When a curve begins to move and when it is at rest."""
    time = np.asarray(curve.time)
    both = np.stack([curve.up, curve.down])
    begun = np.flatnonzero((np.abs(both - both[:, :1]) > _STILL).any(axis=0))
    unfinished = np.flatnonzero((np.abs(both - both[:, -1:]) > _STILL).any(axis=0))
    first = int(begun[0]) - 1 if len(begun) else 0
    last = int(unfinished[-1]) + 1 if len(unfinished) else len(time) - 1
    return float(time[max(first, 0)]), float(time[min(last, len(time) - 1)])


def _cut(curve: Curve, first: float, last: float) -> Curve:
    time = np.asarray(curve.time)
    inside = (time >= first) & (time <= last)
    t = time[inside] - first
    up, down = np.asarray(curve.up)[inside].copy(), np.asarray(curve.down)[inside].copy()
    for values, whole in ((up, curve.up), (down, curve.down)):
        values[0], values[-1] = whole[0], whole[-1]
    return Curve(tuple(t.tolist()), tuple(up.tolist()), tuple(down.tolist()))


def _shape(curve: Curve) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Times (n,), both factors (n, 2), and what is left (n,) of the edge before, which fades as
    this one goes on."""
    both = np.stack([curve.up, curve.down], axis=1)
    travel = np.abs(both - both[0]).max(axis=1)
    left = 1.0 - np.minimum(np.maximum.accumulate(travel) / max(float(travel.max()), 1e-12), 1.0)
    return np.asarray(curve.time), both, left


def weights(
    switching: Switching, edges: list[tuple[float, bool]], *, start_high: bool
) -> tuple[Weight, Weight]:
    """Factors of pull-up and pull-down over a row of (time, rising) commands.

    A command that comes before the last edge is done takes over smoothly from where that is.
    """
    begin = switching.fall if start_high else switching.rise
    state = np.array([begin.up[0], begin.down[0]])
    shapes = {
        rising: _shape(curve) for rising, curve in ((True, switching.rise), (False, switching.fall))
    }
    # Blocks of samples, one for each edge.
    times, values = [np.zeros(1)], [state[None, :].copy()]
    for k, (at, rising) in enumerate(edges):
        t, both, left = shapes[rising]
        until = edges[k + 1][0] if k + 1 < len(edges) else np.inf
        path = both + (state - both[0]) * left[:, None]
        if at + t[-1] > until:
            stop = until - at
            state = np.array([np.interp(stop, t, path[:, c]) for c in (0, 1)])
            keep = t < stop
            t, path = np.append(t[keep], stop), np.vstack([path[keep], state])
        else:
            state = path[-1]
        # What falls on the last sample, or before it, takes its place.
        when = at + t
        late = int(np.searchsorted(when, times[-1][-1], side="right"))
        if late:
            values[-1][-1] = path[late - 1]
        if late < len(when):
            times.append(when[late:])
            values.append(path[late:].copy())
    table = np.concatenate(values)
    stamp = tuple(np.concatenate(times).tolist())
    return Weight(stamp, tuple(table[:, 0].tolist())), Weight(stamp, tuple(table[:, 1].tolist()))
