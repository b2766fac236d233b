"""Study `bus`: all cases of a bus, the strobe of every lane centred."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from onda.studies.buses.case import BUS_CASE, CaseResult, best_of
from onda.studies.buses.inputs import BusInputs, CaseInputs, all_cases
from onda.studies.buses.levelling import BUS_LEVELLING, Levelled
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


def _lane(one: CaseInputs) -> tuple[str, str, str]:
    return one.lane, one.operation, one.corner


def _with_none(margin: float, asked: float) -> float:
    """A worst margin where some bits have none of the time that is asked; NaN where all have."""
    return -asked if math.isnan(margin) else min(margin, -asked)


def _gather(whole: BusPlan | BusInputs, found: Sequence[CaseResult | Levelled | None]) -> BusResult:
    inputs = _parts(whole)
    count = len(inputs.cases)
    there = [
        (one, r if isinstance(r, CaseResult) else CaseResult(failure="not there yet"))
        for one, r in zip(inputs.cases, found[:count], strict=True)
    ]
    lanes: dict[tuple[str, str, str], list[CaseResult]] = {}
    for one, result in there:
        if result.looked and not result.failure:
            lanes.setdefault(_lane(one), []).append(result)
    places = {lane: best_of([r.looked for r in some]) for lane, some in lanes.items()}
    cases = []
    for one, result in there:
        shift = fine = 0.0
        place = places.get(_lane(one))
        here = next((x for x in result.looked if x.offset == place), None)
        if result.looked and here is None:
            result = replace(result, failure="its eye is closed where its lane's strobe stands")
        elif here is not None:
            # The whole lane goes by one strobe.
            result = replace(
                result, setup=here.setup, hold=here.hold, shift=0.5 * (here.hold - here.setup),
                level=here.level, centre=here.centre, height=here.height,
            )  # fmt: skip
            if one.operation in inputs.centred:
                some = [x for r in lanes[_lane(one)] for x in r.looked if x.offset == place]
                room = min(x.hold for x in some) - min(x.setup for x in some)
                fine = 0.5 * room if math.isfinite(room) else 0.0
                shift = here.offset + fine
        setup, hold = result.setup + fine, result.hold - fine
        # Bits that are not there by the strobe have none of what is asked, wherever others stand.
        if here is not None and here.no_setup:
            setup = _with_none(setup, one.sheet.setup)
        if here is not None and here.no_hold:
            hold = _with_none(hold, one.sheet.hold)
        cases.append(
            BusCase(
                one.signal, one.signal_name, one.lane, one.operation, one.operation_name,
                one.corner, setup, hold, shift, one.unit_interval, result,
            )
        )  # fmt: skip
    levelled = (r for r in found[count:] if isinstance(r, Levelled))
    return BusResult(tuple(cases), tuple(levelled))


def _run(inputs: BusPlan | BusInputs, control: Control) -> BusResult:
    return compute(BUS, inputs, control)


BUS: Study[BusPlan | BusInputs, BusResult] = Study(
    "bus", _run, BusResult, split=_split, gather=_gather, title="Bus"
)
