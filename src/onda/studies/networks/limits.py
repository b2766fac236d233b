"""Limits of networks: over ranges of frequencies, and on single figures."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.project.formula import evaluate
from onda.project.measures import measure as measure_of
from onda.project.quantities import plain
from onda.project.requirements import Requirement
from onda.studies.networks.network import NetworkResult, level_db
from onda.studies.networks.time import Reflection

__all__ = [
    "CurveFinding",
    "LimitLine",
    "limit_lines",
    "measure_network_figure",
    "profile_of",
    "worst_of_curve",
]

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class CurveFinding:
    """Where a curve comes nearest to its limit: value and limit in dB there, which curve, Hz.

    `margin` is positive where it holds.
    """

    value: float
    limit: float
    at_least: bool
    margin: float
    curve: str
    frequency: float


@dataclass(frozen=True, slots=True, eq=False)
class LimitLine:
    """A limit as drawn: Hz (k,) and dB (k,), only where it holds."""

    frequency: FloatArray
    level: FloatArray
    at_least: bool


def _pieces(requirement: Requirement) -> list[tuple[float, float, str, bool]]:
    out = []
    for piece in requirement.ranges:
        for text, at_least in ((piece.at_least, True), (piece.at_most, False)):
            if text.strip():
                out.append((piece.start.si, piece.stop.si, text, at_least))
    for q, at_least in ((requirement.at_least, True), (requirement.at_most, False)):
        if q is not None:
            out.append((0.0, math.inf, f"{q.si:.10g}", at_least))
    return out


def limit_lines(requirement: Requirement, low: float, high: float) -> list[LimitLine]:
    """Lines between two frequencies, Hz; raise `InputError` where a formula has no value."""
    out = []
    for start, stop, text, at_least in _pieces(requirement):
        a, b = max(start, low), min(stop, high)
        if b > a:
            f = np.linspace(a, b, 121)
            out.append(LimitLine(f, evaluate(text, f), at_least))
    return out


def worst_of_curve(requirement: Requirement, result: NetworkResult) -> CurveFinding | None:
    """Nearest approach to a limit; None where no data lie in its ranges.

    Raises
    ------
    InputError : a formula has no value somewhere
    """
    curves = result.curve_set(requirement.measure)
    if curves is None:
        return None
    f = result.frequency
    worst: CurveFinding | None = None
    for start, stop, text, at_least in _pieces(requirement):
        inside = (f >= start) & (f <= stop) & (f > 0)
        if not inside.any():
            continue
        limit = evaluate(text, f[inside])
        for name, values in zip(curves.names, curves.values, strict=True):
            level = level_db(values[inside])
            room = level - limit if at_least else limit - level
            k = int(room.argmin())
            if worst is None or room[k] < worst.margin:
                worst = CurveFinding(
                    float(level[k]), float(limit[k]), at_least, float(room[k]), name,
                    float(f[inside][k]),
                )  # fmt: skip
    return worst


def measure_network_figure(result: NetworkResult, measure: str) -> tuple[float, str, str]:
    """Value (SI), where, how of a single figure; NaN with the reason where there is none."""
    if measure_of(measure).full_scale is not None:
        return _quality(result, measure)
    if measure in ("icn", "ild"):
        if not result.lanes:
            return math.nan, "", "needs a data rate and a way through"
        values = [getattr(lane, measure) for lane in result.lanes]
        if not all(math.isfinite(v) for v in values):
            return math.nan, "", "needs a second lane"
        k = int(np.argmax(values))
        return float(values[k]), f"lane {k + 1}", measure_of(measure).how
    time = result.time
    if time is None:
        return math.nan, "", result.time_problem
    if measure == "pair_skew":
        if not time.skews:
            return math.nan, "", "needs a pair that comes through"
        values = [abs(s.figure) for s in time.skews]
        k = int(np.argmax(values))
        return values[k], f"lane {time.skews[k].lane + 1}", measure_of(measure).how
    if measure == "lane_skew":
        delays = [t.delay for t in time.through if t.mode in ("diff", "single")]
        if len(delays) < 2 or not all(math.isfinite(d) for d in delays):
            return math.nan, "", "needs two lanes"
        late, early = int(np.argmax(delays)), int(np.argmin(delays))
        where = f"lane {late + 1} after lane {early + 1}"
        return max(delays) - min(delays), where, measure_of(measure).how
    return _profile(result, measure)


def _quality(result: NetworkResult, measure: str) -> tuple[float, str, str]:
    quality = result.mended
    curve = {
        "passivity": quality.gain,
        "reciprocity": quality.unlike,
        "causality": quality.against,
    }[measure]
    at = float(quality.frequency[int(np.argmax(curve))])
    return (
        getattr(quality, measure) / 100.0,
        f"worst at {at / 1e9:.3g} GHz",
        measure_of(measure).how,
    )


def _profile(result: NetworkResult, measure: str) -> tuple[float, str, str]:
    assert result.time is not None
    mode = "diff" if result.pair else "single"
    best = math.nan, "", "the network has no way through"
    for r in result.time.reflections:
        if (r.mode, r.side) != (mode, "left"):
            continue
        through = [t.delay for t in result.time.through if (t.lane, t.mode) == (r.lane, mode)]
        if not through or not math.isfinite(through[0]):
            continue
        inside = (r.place >= 0.0) & (r.place <= through[0])
        if not inside.any():
            continue
        z, place = r.true[inside], r.place[inside]
        k = int(z.argmin() if measure == "profile_low" else z.argmax())
        value = float(z[k])
        lower = value < best[0] if measure == "profile_low" else value > best[0]
        if math.isnan(best[0]) or lower:
            where = f"lane {r.lane + 1}, {place[k] * 1e12:.0f} ps in{_piece_at(result, place[k])}"
            best = value, where, f"peeled, edge of {plain(result.time.rise * 1e12)} ps"
    return best


def _piece_at(result: NetworkResult, place: float) -> str:
    span = next((s for s in result.spans if s.start <= place <= s.end), None)
    return f", in {span.name}" if span else ""


def profile_of(result: NetworkResult, lane: int, mode: str, side: str) -> Reflection | None:
    """The reflection of a lane, mode and side."""
    if result.time is None:
        return None
    return next(
        (r for r in result.time.reflections if (r.lane, r.mode, r.side) == (lane, mode, side)), None
    )
