"""Study `bus`: all cases of a bus, the strobe of every lane centred."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from onda.studies.buses.case import BUS_CASE, CaseResult
from onda.studies.buses.inputs import BusInputs, CaseInputs
from onda.studies.core.study import Case, Control, Study, compute

__all__ = ["BUS", "BusCase", "BusResult"]


@dataclass(frozen=True, slots=True)
class BusCase:
    """A case with its strobe where it is: margins s, `shift` s that its lane's strobe was moved by;
    the rest as `CaseResult` has it.

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
    """All cases in the order of operations, signals and corners."""

    cases: tuple[BusCase, ...]
    unit_interval: float

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


def _split(inputs: BusInputs) -> Sequence[Case]:
    return [Case(BUS_CASE, one) for one in inputs.cases]


def _lane(one: CaseInputs) -> tuple[str, str, str]:
    return one.lane, one.operation, one.corner


def _gather(inputs: BusInputs, found: Sequence[CaseResult | None]) -> BusResult:
    there = [
        (one, r or CaseResult(failure="not there yet"))
        for one, r in zip(inputs.cases, found, strict=True)
    ]
    least: dict[tuple[str, str, str], tuple[float, float]] = {}
    for one, result in there:
        if math.isnan(result.setup) or math.isnan(result.hold):
            continue
        setup, hold = least.get(_lane(one), (math.inf, math.inf))
        least[_lane(one)] = min(setup, result.setup), min(hold, result.hold)
    cases = []
    for one, result in there:
        shift = 0.0
        if one.operation in inputs.centred and _lane(one) in least:
            setup, hold = least[_lane(one)]
            shift = 0.5 * (hold - setup)
        cases.append(
            BusCase(
                one.signal, one.signal_name, one.lane, one.operation, one.operation_name,
                one.corner, result.setup + shift, result.hold - shift, shift, result,
            )
        )  # fmt: skip
    return BusResult(tuple(cases), inputs.cases[0].unit_interval)


def _run(inputs: BusInputs, control: Control) -> BusResult:
    return compute(BUS, inputs, control)


BUS: Study[BusInputs, BusResult] = Study(
    "bus", _run, BusResult, split=_split, gather=_gather, title="Bus"
)
