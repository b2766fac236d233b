"""A measured value held against its requirement: by how much it holds, and how we know."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from enum import Enum

from onda.project.kind import Ref
from onda.project.measures import MEASURES, measure
from onda.project.quantities import format_si, split_si
from onda.project.requirements import Requirement

__all__ = [
    "Margin",
    "Measured",
    "State",
    "limits_text",
    "margin_of",
    "missing",
    "state_of",
    "worst",
]

_TIGHT = 0.1
"""A margin below this share of its limit is called tight."""


class State(Enum):
    """How a requirement stands."""

    HOLDS = "holds"
    TIGHT = "tight"
    FAILS = "fails"
    UNKNOWN = "unknown"


_SEVERITY = {State.FAILS: 3, State.TIGHT: 2, State.UNKNOWN: 1, State.HOLDS: 0}


def state_of(normalised: float) -> State:
    """What a share of the limit that is left means; NaN is not known."""
    if math.isnan(normalised):
        return State.UNKNOWN
    if normalised < 0:
        return State.FAILS
    return State.TIGHT if normalised < _TIGHT else State.HOLDS


@dataclass(frozen=True, slots=True)
class Measured:
    """A measured value, SI, where it was found, and how.

    `low` and `high` are the limits there, where limits change from place to place; `doubts` say
    what is wrong with the data that it rests on. `room` is what a margin is a share of where its
    limit is 0, which tells of no size.
    """

    value: float
    where: str
    how: str
    low: float | None = None
    high: float | None = None
    doubts: tuple[str, ...] = ()
    room: float = 1.0


def missing(reason: str) -> Measured:
    """A value that was looked for and is not there."""
    return Measured(math.nan, "", reason)


@dataclass(frozen=True, slots=True)
class Margin:
    """A requirement held against a result.

    `margin` is positive when it holds, in the unit of the value; `normalised` is relative to the
    limit (to half the room between two). NaN where there is no result.
    """

    requirement: str
    kind: str
    subject: str
    measure: str
    layer: str | None
    receiver: str | None
    title: str
    dimension: str
    value: float
    low: float | None
    high: float | None
    margin: float
    normalised: float
    where: str
    how: str
    evidence: str
    source: str
    doubts: tuple[str, ...] = ()

    @property
    def ref(self) -> Ref:
        """The object that it is about."""
        return Ref(self.kind, self.subject)

    @property
    def measure_title(self) -> str:
        """What is measured, without where."""
        return MEASURES[self.measure].title

    @property
    def state(self) -> State:
        """Whether it holds."""
        return state_of(self.normalised)

    @property
    def value_text(self) -> str:
        """The value as shown."""
        if self.dimension == "resistance" and 1.0 <= self.value < 1000.0:
            return f"{self.value:.1f} Ω"
        return format_si(self.value, self.dimension)

    @property
    def sentence(self) -> str:
        """The result as one sentence."""
        text = f"{self.title} {self.value_text}, {limits_text(self)}: {self.state.value}"
        return f"{text}, but {'; '.join(self.doubts)}" if self.doubts else text

    @property
    def basis(self) -> str:
        """Where it was found, how, and what that rests on, as shown."""
        parts = [self.where, self.how, *(f"but {doubt}" for doubt in self.doubts)]
        return "; ".join(part for part in parts if part)


def limits_text(margin: Margin) -> str:
    """The limits as shown: ``≤ 0.300 V``, ``58.0 – 70.0 Ω``."""
    low, high, dimension = margin.low, margin.high, margin.dimension
    if low is not None and high is not None:
        number, _ = split_si(low, dimension, like=high)
        return f"{number} – {format_si(high, dimension)}"
    if high is not None:
        return f"≤ {format_si(high, dimension)}"
    if low is None:
        return "over ranges"
    return f"≥ {format_si(low or 0.0, dimension)}"


def margin_of(requirement: Requirement, measured: Measured | None, evidence: str = "") -> Margin:
    """Hold one measured value against one requirement; None where nothing was computed yet.

    A value that was looked for and is not there (NaN) fails: an edge that never arrives does not
    hold.
    """
    what = measure(requirement.measure)
    low = requirement.at_least.si if requirement.at_least else None
    high = requirement.at_most.si if requirement.at_most else None
    if requirement.ranges and measured is not None:
        low, high = measured.low, measured.high
    value = measured.value if measured else math.nan
    room = measured.room if measured is not None else 1.0
    margin, normalised = _distance(value, low, high, full_scale=what.full_scale, room=room)
    if measured is not None and math.isnan(measured.value):
        margin, normalised = -math.inf, -math.inf
    return Margin(
        requirement=requirement.id,
        kind=requirement.kind,
        subject=requirement.subject,
        measure=requirement.measure,
        layer=requirement.layer,
        receiver=requirement.receiver,
        title=f"{what.title} {requirement.layer}" if requirement.layer else what.title,
        dimension=what.dimension,
        value=value,
        low=low,
        high=high,
        margin=margin,
        normalised=normalised,
        where=measured.where if measured else "",
        how=measured.how if measured else "not computed yet",
        evidence=evidence,
        source=requirement.source,
        doubts=measured.doubts if measured else (),
    )


def _distance(
    value: float, low: float | None, high: float | None, *, full_scale: float | None, room: float
) -> tuple[float, float]:
    if low is None and high is None:
        return math.nan, math.nan
    if full_scale is not None and low is not None:
        # What cannot be above full scale has the room up to there.
        return value - low, (value - low) / ((full_scale - low) or 1.0)
    if low is not None and high is not None:
        margin = min(value - low, high - value)
        return margin, margin / (0.5 * (high - low))
    if high is not None:
        return high - value, (high - value) / (abs(high) or room)
    assert low is not None
    return value - low, (value - low) / (abs(low) or room)


def worst(margins: Iterable[Margin]) -> State:
    """The worst state among margins; unknown where there are none."""
    states = [m.state for m in margins]
    return max(states, key=_SEVERITY.__getitem__) if states else State.UNKNOWN
