"""Study `bus`: all cases of a bus, every lane with one strobe and one reference level."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from onda.engine.timing.strobed import least
from onda.studies.buses.case import BUS_CASE, CaseResult
from onda.studies.buses.inputs import BusInputs, CaseInputs, LevellingInputs, all_cases
from onda.studies.buses.levelling import BUS_LEVELLING, Levelled
from onda.studies.buses.looked import Looked, common_level, common_place
from onda.studies.buses.plan import BusPlan
from onda.studies.core.study import Case, Control, Study, compute

__all__ = ["BUS", "BusCase", "BusResult"]


@dataclass(frozen=True, slots=True)
class BusCase:
    """A case with its strobe where it is: margins s, `shift` s that its lane's strobe was moved by,
    `unit_interval` s of its bits; the rest as `CaseResult` has it.

    `state` is "holds", "fails" or "unknown"
    """

    signal: str
    signal_name: str
    lane: str
    operation: str
    operation_name: str
    corner: str
    setup: float
    hold: float
    shift: float
    unit_interval: float
    found: CaseResult

    @property
    def worst(self) -> float:
        """The smaller of both margins, s; NaN where there is none."""
        return min(self.setup, self.hold) if not math.isnan(self.setup + self.hold) else math.nan

    @property
    def state(self) -> str:
        """Whether both margins hold."""
        if self.found.failure or math.isnan(self.worst):
            return "unknown"
        return "holds" if self.worst >= 0.0 and self.found.height > 0.0 else "fails"


@dataclass(frozen=True, slots=True)
class BusResult:
    """All cases in the order of operations, signals and corners, and strobes beside the clock."""

    cases: tuple[BusCase, ...]
    levelled: tuple[Levelled, ...] = ()

    @property
    def worst(self) -> BusCase | None:
        """The case with the smallest margin, one without an answer before all others."""
        return min(
            self.cases,
            key=lambda c: -math.inf if math.isnan(c.worst) else c.worst,
            default=None,
        )

    def least(self, name: str) -> float:
        """Smallest of "setup", "hold" or "height" over all cases, NaN where one has none."""
        values = [c.found.height if name == "height" else getattr(c, name) for c in self.cases]
        return math.nan if any(map(math.isnan, values)) else min(values)


def _parts(inputs: BusPlan | BusInputs) -> BusInputs:
    return all_cases(inputs) if isinstance(inputs, BusPlan) else inputs


def _split(inputs: BusPlan | BusInputs) -> Sequence[Case]:
    parts = _parts(inputs)
    cases = [Case(BUS_CASE, one) for one in parts.cases]
    return [*cases, *(Case(BUS_LEVELLING, one) for one in parts.levelled)]


Lane = tuple[str, ...]
"""What is set together: a strobe and its signals in an operation, at a corner or at all."""


@dataclass(frozen=True, slots=True)
class _Set:
    """Where the strobe of a lane stands, s from where it comes, and its reference level, V; `fine`
    s that it is moved beyond, to where its worst margins are alike."""

    offset: float
    level: float
    fine: float


def _lane(inputs: BusInputs, one: CaseInputs | LevellingInputs) -> Lane:
    return (one.lane, one.operation, *(() if inputs.alike else (one.corner,)))


def _settings(
    inputs: BusInputs, there: Sequence[tuple[CaseInputs, CaseResult]]
) -> dict[Lane, _Set]:
    """What every lane goes by: one strobe and one level for all of its signals."""
    lanes: dict[Lane, list[Looked]] = {}
    centred = {}
    for one, result in there:
        if result.looked is not None:
            lanes.setdefault(_lane(inputs, one), []).append(result.looked)
            centred[_lane(inputs, one)] = one.operation in inputs.centred
    found = {}
    for lane, some in lanes.items():
        offset = common_place(some)
        level = common_level(some, offset)
        here = [
            (x.setup[k, n], x.hold[k, n])
            for x in some
            if (k := x.place(offset)) is not None and (n := x.number(level)) is not None
        ]
        setup, hold = (least(column) for column in np.array(here).reshape(-1, 2).T)
        room = hold - setup
        fine = 0.5 * room if centred[lane] and math.isfinite(room) else 0.0
        found[lane] = _Set(offset, level, fine)
    return found


def _with_none(margin: float, asked: float) -> float:
    """A worst margin where some bits have none of the time that is asked; NaN where all have."""
    return -asked if math.isnan(margin) else min(margin, -asked)


def _set_as(one: CaseInputs, result: CaseResult, lane: _Set | None) -> BusCase:
    """A case as its lane is set."""
    shift = 0.0
    setup, hold = result.setup, result.hold
    looked = result.looked
    if looked is not None and lane is not None:
        k, n = looked.place(lane.offset), looked.number(lane.level)
        if k is None:
            result = replace(result, failure="its eye is closed where its lane's strobe stands")
        elif n is None:
            result = replace(result, failure="its eye lies elsewhere than the level of its lane")
        else:
            setup, hold = float(looked.setup[k, n]), float(looked.hold[k, n])
            one_low, zero_high = float(looked.lowest_one[k]), float(looked.highest_zero[k])
            result = replace(
                result, setup=setup, hold=hold, shift=0.5 * (hold - setup), level=lane.level,
                centre=0.5 * (one_low + zero_high), height=one_low - zero_high,
            )  # fmt: skip
            shift = lane.offset + lane.fine
            setup, hold = setup + lane.fine, hold - lane.fine
            # Bits that are not there by the strobe have none of what is asked, wherever others
            # stand.
            if looked.no_setup[k, n]:
                setup = _with_none(setup, one.sheet.setup)
            if looked.no_hold[k, n]:
                hold = _with_none(hold, one.sheet.hold)
    return BusCase(
        one.signal, one.signal_name, one.lane, one.operation, one.operation_name, one.corner,
        setup, hold, shift, one.unit_interval, result,
    )  # fmt: skip


def _gather(whole: BusPlan | BusInputs, found: Sequence[CaseResult | Levelled | None]) -> BusResult:
    inputs = _parts(whole)
    count = len(inputs.cases)
    there = [
        (one, r if isinstance(r, CaseResult) else CaseResult(failure="not there yet"))
        for one, r in zip(inputs.cases, found[:count], strict=True)
    ]
    lanes = _settings(inputs, there)
    cases = [_set_as(one, r, lanes.get(_lane(inputs, one))) for one, r in there]
    return BusResult(tuple(cases), _moved_alike(inputs, found[count:]))


def _moved_alike(
    inputs: BusInputs, found: Sequence[CaseResult | Levelled | None]
) -> tuple[Levelled, ...]:
    """Strobes beside their clock, moved by the same where corners are set alike."""
    some = [r for r in found if isinstance(r, Levelled)]
    if not inputs.alike:
        return tuple(some)
    steps = {_lane(inputs, one): one.step for one in inputs.levelled}
    moved: dict[Lane, float] = {}
    for lane, step in steps.items():
        late = [r.late for r in some if (r.lane, r.operation) == lane and not math.isnan(r.late)]
        if late and step > 0.0:
            moved[lane] = step * round(0.5 * (min(late) + max(late)) / step)
    return tuple(r.moved_by(moved.get((r.lane, r.operation), r.moved)) for r in some)


def _run(inputs: BusPlan | BusInputs, control: Control) -> BusResult:
    return compute(BUS, inputs, control)


BUS: Study[BusPlan | BusInputs, BusResult] = Study(
    "bus", _run, BusResult, split=_split, gather=_gather, title="Bus"
)
