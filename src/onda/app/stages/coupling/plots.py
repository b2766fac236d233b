"""What plots show of the receiver that is looked at: spectra, pulses, noise, arrival."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from onda.app.kit.kept import Kept
from onda.app.plots.curves import Axis, Bars, Curve
from onda.app.theme import Tokens
from onda.project.coupling.group import LaneGroup
from onda.project.quantities import format_si
from onda.studies.coupling.group import GroupResult
from onda.studies.networks.network import level_db

__all__ = [
    "Seen",
    "Shown",
    "arrival",
    "arrival_words",
    "heard_words",
    "noise",
    "pulses",
    "spectra",
]

_LOUD = 4
"""Disturbers that have a curve of their own; the rest are in the sum."""
_QUIET_DB = 60.0


@dataclass(frozen=True)
class Seen:
    """What a plot is drawn of: a group's result, the receiver that is looked at (from 0), kept
    results, what else is known by view, why it is not, whether common modes are shown, colours."""

    group: LaneGroup
    result: GroupResult
    victim: int
    kept: Sequence[Kept[GroupResult]]
    more: Mapping[str, Any]
    why_not: str
    common: bool
    t: Tokens

    @property
    def lane(self) -> str:
        """Id of the lane that is looked at."""
        return self.result.ids[self.victim]

    def kept_lanes(self) -> Iterator[tuple[Kept[GroupResult], int]]:
        """Kept results that have the same lane, with its number there."""
        for one in self.kept:
            if self.lane in one.result.ids:
                yield one, one.result.lane(self.lane)


@dataclass
class Shown:
    """Curves, marks and bars of a plot, the range that it looks at, and its lower axis where that
    is another one than usual."""

    curves: list[Curve] = field(default_factory=list)
    marks: list[tuple[float, float, str]] = field(default_factory=list)
    bars: list[Bars] = field(default_factory=list)
    view: tuple[float, float, float, float] | None = None
    empty: str = ""
    x: Axis | None = None


def _loudest(result: GroupResult, victim: int) -> list[int]:
    """Disturbers of a receiver from the loudest on, those that are heard at all."""
    heard = result.noise[victim].by_lane
    order = [a for a in np.argsort(heard)[::-1].tolist() if a != victim and heard[a] > 0.0]
    floor = max(heard) * 10.0 ** (-_QUIET_DB / 20.0)
    return [a for a in order if heard[a] >= floor][:_LOUD]


def _end(result: GroupResult, victim: int, aggressor: int) -> str:
    return "near" if result.near[victim, aggressor] else "far"


def spectra(seen: Seen) -> Shown:
    """Levels in dB over GHz: what comes through, the loudest disturbers, and their power sum."""
    out, result, victim, t = Shown(), seen.result, seen.victim, seen.t
    some = result.frequency > 0.0
    ghz = result.frequency[some] * 1e-9
    through = level_db(result.heard[some, victim, victim])
    out.curves.append(Curve("through", ghz, through, t.secondary, 1.4, note=True))
    for k, a in enumerate(_loudest(result, victim)):
        name = f"{result.lanes[a]}, {_end(result, victim, a)}"
        level = level_db(result.heard[some, victim, a])
        out.curves.append(Curve(name, ghz, level, t.series[1 + k % 7], 1.2))
    total = level_db(result.power_sum(victim)[some].astype(complex))
    out.curves.append(Curve("power sum", ghz, total, t.sea, 2.2, note=True))
    if seen.common and result.common is not None:
        own = level_db(result.common[some, victim, victim])
        out.curves.append(Curve("common mode, own", ghz, own, t.series[6], 1.4))
        for a in _loudest(result, victim)[:1]:
            level = level_db(result.common[some, victim, a])
            name = f"common mode, {result.lanes[a]}"
            out.curves.append(Curve(name, ghz, level, t.series[7], 1.4))
    for one, k in seen.kept_lanes():
        there = one.result.frequency > 0.0
        level = level_db(one.result.power_sum(k)[there].astype(complex))
        x = one.result.frequency[there] * 1e-9
        out.curves.append(Curve(one.called(), x, level, t.kept, 1.6, one.number))
    shown = [c.y for c in out.curves if not c.kept]
    low = max(min(float(np.median(y)) for y in shown) - 15.0, -120.0)
    out.view = (0.0, float(ghz[-1]), 10.0 * np.floor(0.1 * low), 5.0)
    return out


def pulses(seen: Seen) -> Shown:
    """Voltage at the receiver in mV over ns, for an edge of each of the loudest disturbers."""
    out, result, victim, t, group = Shown(), seen.result, seen.victim, seen.t, seen.group
    ns = result.time * 1e9
    mv = 1e3 * _swings(result, group)

    def total(one: GroupResult, lane: int) -> np.ndarray:
        scale = 1e3 * _swings(one, group)
        others = [a for a in range(len(one.ids)) if a != lane]
        return np.asarray(sum(one.volts[:, lane, a] * scale[lane, a] for a in others))

    for k, a in enumerate(_loudest(result, victim)):
        name = f"{result.lanes[a]}, {_end(result, victim, a)}"
        out.curves.append(
            Curve(name, ns, result.volts[:, victim, a] * mv[victim, a], t.series[1 + k % 7], 1.4)
        )
    out.curves.append(Curve("all together", ns, total(result, victim), t.sea, 2.0))
    for one, k in seen.kept_lanes():
        x = one.result.time * 1e9
        out.curves.append(Curve(one.called(), x, total(one.result, k), t.kept, 1.6, one.number))
    last = 2.6 * result.delay * 1e9 + 10.0 * float(group.rise.si) * 1e9
    size = max((float(np.abs(c.y).max()) for c in out.curves), default=1.0) or 1.0
    out.view = (-3.0 * float(group.rise.si) * 1e9, last, -1.15 * size, 1.15 * size)
    return out


def _swings(result: GroupResult, group: LaneGroup) -> np.ndarray:
    return np.asarray(2.0 * np.where(result.near, group.near.si, group.far.si))


def noise(seen: Seen) -> Shown:
    """Noise in mV over loss in dB: each receiver, and what is allowed."""
    out, result, t, group = Shown(), seen.result, seen.t, seen.group
    highest = 0.0
    for one in seen.kept:
        for found in one.result.noise:
            out.marks.append((found.loss_db, 1e3 * found.total, t.kept))
            highest = max(highest, 1e3 * found.total)
    for k, found in enumerate(result.noise):
        outside = found.total > result.allowed[k]
        color = t.fails if outside else t.sea
        out.marks.append((found.loss_db, 1e3 * found.total, color))
        highest = max(highest, 1e3 * found.total)
        if k == seen.victim:
            x = np.array([found.loss_db, found.loss_db])
            out.curves.append(
                Curve(
                    result.lanes[k],
                    x,
                    np.array([0.0, 1e3 * found.total]),
                    color,
                    1.4,
                    note=True,
                )
            )
    losses = [x.loss_db for x in result.noise]
    right = 1.5 * max(losses) + 1.0
    if group.allowed:
        x = np.array([p.loss.si for p in group.allowed])
        y = np.array([1e3 * p.noise.si for p in group.allowed])
        out.curves.append(Curve("allowed", x, y, t.fails, 1.6, note=True, limit=True))
        highest = max(highest, float(y.max()))
        right = max(right, min(float(x[-1]), 12.0))
    out.view = (0.0, right, 0.0, 1.15 * highest or 1.0)
    return out


def arrival(seen: Seen) -> Shown:
    """By how many ps neighbours move each lane's edge: a bar from the earliest to the latest."""
    out, result, t = Shown(), seen.result, seen.t
    if not any(one.spread > 0.0 for one in result.arrivals):
        out.empty = "No lane has a neighbour that drives the same way."
        return out
    for k, one in enumerate(result.arrivals, 1):
        low, high = (1e12 * (x - one.quiet) for x in (one.earliest, one.latest))
        out.bars.append(Bars(np.array([float(k)]), np.array([high]), low, 0.5, t.sea_tint))
    x = np.arange(1.0, len(result.arrivals) + 1.0)
    for name, color, which in (
        ("all along", t.series[1], "along"),
        ("all against", t.series[2], "against"),
    ):
        y = np.array([1e12 * (getattr(one, which) - one.quiet) for one in result.arrivals])
        out.curves.append(Curve(name, x, y, color, 1.6, note=True))
        out.marks += [(float(a), float(b), color) for a, b in zip(x, y, strict=True)]
    reach = max(1e12 * max(a.latest - a.quiet, a.quiet - a.earliest) for a in result.arrivals)
    out.view = (0.4, len(result.arrivals) + 0.6, -1.2 * reach, 1.2 * reach)
    return out


def heard_words(seen: Seen) -> str:
    """What the receiver hears, and of whom most."""
    result, victim = seen.result, seen.victim
    name, found = result.lanes[victim], result.noise[victim]
    loudest = max(range(len(result.ids)), key=lambda a: found.by_lane[a])
    if found.by_lane[loudest] <= 0.0:
        return f"{name} hears nobody."
    share = 100.0 * (found.by_lane[loudest] / found.total) ** 2
    words = (
        f"{name} hears {format_si(found.total, 'voltage')} of noise, {share:.0f} % of its power "
        f"from {result.lanes[loudest]} at the {_end(result, victim, loudest)} end"
    )
    allowed = float(result.allowed[victim])
    if allowed == allowed:
        words += f"; {format_si(allowed, 'voltage')} are allowed at its loss"
    return words + "."


def arrival_words(seen: Seen) -> str:
    """How neighbours move the lane's edge."""
    one, name = seen.result.arrivals[seen.victim], seen.result.lanes[seen.victim]
    if one.spread == 0.0:
        return f"{name} has no neighbour that drives its way; nothing moves its edge."

    def moved(to: float) -> str:
        late = to - one.quiet
        return f"{format_si(abs(late), 'time')} {'late' if late > 0.0 else 'early'}"

    return (
        f"{name} arrives {moved(one.along)} when its neighbours switch along, "
        f"{moved(one.against)} when they switch against it."
    )
