"""Which spacing, or which length side by side, holds every limit of a group."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.section.structures import TraceShape
from onda.errors import InputError, NotConverged, NotPhysical
from onda.project.measures import measure
from onda.project.requirements import Requirement
from onda.studies.core.study import Control, Study
from onda.studies.coupling.group import GROUP, GroupResult
from onda.studies.coupling.inputs import GroupInputs, PieceInputs
from onda.studies.coupling.judge import measure_group
from onda.studies.lines.inputs import LineInputs

__all__ = [
    "GROUP_SEARCH",
    "GroupSearch",
    "LimitInputs",
    "SearchInputs",
    "search_range",
    "with_length",
    "with_spacing",
    "worst_room",
]

_TRIES = 12
_STEPS = 4
_NEAR_ENOUGH = 0.005
"""Share of the answer within which it is found."""


@dataclass(frozen=True, slots=True)
class LimitInputs:
    """What a requirement asks of a measure, SI; of every receiver where none is named."""

    measure: str
    receiver: str | None
    low: float | None
    high: float | None

    @classmethod
    def of(cls, requirement: Requirement) -> LimitInputs:
        """The limit that a requirement sets."""
        low, high = requirement.at_least, requirement.at_most
        return cls(
            requirement.measure,
            requirement.receiver,
            low.si if low else None,
            high.si if high else None,
        )

    def room(self, value: float) -> float:
        """How far inside a value lies, as a share of the limit; what is not there is outside."""
        if np.isnan(value):
            return -np.inf
        rooms = []
        if self.high is not None:
            rooms.append((self.high - value) / (abs(self.high) or 1.0))
        if self.low is not None:
            rooms.append((value - self.low) / (abs(self.low) or 1.0))
        return min(rooms, default=np.inf)


@dataclass(frozen=True, slots=True)
class SearchInputs:
    """A group and its limits; `what` is "spacing" (the smallest that holds) or "length" (the
    longest), searched between `low` and `high` metres. Of pieces it is the one named, all coupled
    ones where empty."""

    group: GroupInputs
    limits: tuple[LimitInputs, ...]
    what: str
    low: float
    high: float
    piece: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class GroupSearch:
    """What was tried: `tried` (k,) m and the worst normalised margin there, rising in `tried`.

    `found` is the smallest spacing or the longest length that holds, NaN where none does;
    `limiting` is the measure that stands in its way; `words` says it.
    """

    what: str
    tried: NDArray[np.float64]
    margins: NDArray[np.float64]
    found: float
    limiting: str
    words: str


def with_spacing(inputs: GroupInputs, spacing: float, piece: str = "") -> GroupInputs:
    """The group with another distance between all lanes of a piece, or of all coupled ones."""

    def spaced(one: PieceInputs) -> PieceInputs:
        if one.section is None or piece not in ("", one.id):
            return one
        return replace(one, section=_spaced(one, one.section, spacing))

    return replace(inputs, pieces=tuple(spaced(p) for p in inputs.pieces))


def _spaced(piece: PieceInputs, section: LineInputs, spacing: float) -> LineInputs:
    shape = section.trace
    gaps = list(shape.gaps)
    across = shape.across
    inside = set(_inside(piece, shape))
    for k in range(len(gaps)):
        if k in inside:
            continue
        beside = {k, k + 1} & set(piece.guards)
        if beside:
            free = 0.5 * (spacing - across[min(beside)])
            if not free > 0.0:
                raise NotPhysical("spacing", _apart(spacing), "wider than its guard")
            gaps[k] = free
        else:
            gaps[k] = spacing
    return replace(section, trace=replace(shape, gap=gaps[0], gaps=tuple(gaps)))


def _inside(piece: PieceInputs, shape: TraceShape) -> list[int]:
    """Gaps that lie inside pairs."""
    if not piece.lane.differential:
        return []
    signals = [k for k in range(shape.count) if k not in piece.guards]
    return signals[::2]


def with_length(inputs: GroupInputs, length: float, piece: str = "") -> GroupInputs:
    """The group with another length of a piece, or of its longest coupled one."""
    coupled = [p for p in inputs.pieces if p.section is not None]
    if not coupled:
        raise InputError(f"{inputs.name} has no coupled piece")
    chosen = piece or max(coupled, key=lambda p: p.length).id
    pieces = tuple(replace(p, length=length) if p.id == chosen else p for p in inputs.pieces)
    return replace(inputs, pieces=pieces)


def search_range(inputs: GroupInputs, what: str) -> tuple[float, float]:
    """Where a search looks, m: from half a width to forty, or from 0.5 mm to 1 m."""
    if what == "length":
        return 5e-4, 1.0
    width = inputs.pieces[0].lane.trace.width
    return 0.5 * width, 40.0 * width


def worst_room(result: GroupResult, limits: Sequence[LimitInputs]) -> tuple[float, str]:
    """The least room, and the measure that has it."""
    return min(
        (x.room(measure_group(result, x.measure, x.receiver).value), x.measure) for x in limits
    )


def _run(inputs: SearchInputs, control: Control) -> GroupSearch:
    if not inputs.limits:
        raise InputError(f"nothing is required of {inputs.group.name}", remedy="Set a limit first.")
    if inputs.what not in ("spacing", "length"):
        raise InputError(f"{inputs.what!r} cannot be searched", remedy="spacing or length.")
    if not 0.0 < inputs.low < inputs.high:
        raise InputError("the range of the search must rise from above 0")
    tried: dict[float, tuple[float, str]] = {}

    change = with_spacing if inputs.what == "spacing" else with_length
    quick = replace(inputs.group, fine=False)

    def look(at: float) -> float:
        if at not in tried:
            found = GROUP.run(change(quick, at, inputs.piece), Control())
            tried[at] = worst_room(found, inputs.limits)
            control.progress(min(len(tried) / (_TRIES + 4), 0.99))
        return tried[at][0]

    more = inputs.what == "spacing"
    easy, hard = (inputs.high, inputs.low) if more else (inputs.low, inputs.high)
    found = float("nan")
    if look(hard) >= 0.0:
        found = hard
    elif look(easy) >= 0.0:
        found = easy
        while len(tried) < _TRIES and abs(easy - hard) > _NEAR_ENOUGH * easy:
            middle = float(np.sqrt(easy * hard))
            if look(middle) >= 0.0:
                easy = found = middle
            else:
                hard = middle
    if not np.isnan(found):
        # Quick sections led here; what is told holds with fine ones.
        easier = 1.0 + (_NEAR_ENOUGH if more else -_NEAR_ENOUGH)
        for step in range(_STEPS):
            if step > 0:
                found *= easier
            result = GROUP.run(change(inputs.group, found, inputs.piece), Control())
            tried[found] = worst_room(result, inputs.limits)
            if tried[found][0] >= 0.0 or found in (inputs.high, inputs.low):
                break
        if tried[found][0] < 0.0:
            raise NotConverged("search", reached=tried[found][0], wanted=0.0)
    at = np.array(sorted(tried))
    limiting = tried[hard][1]
    return GroupSearch(
        inputs.what, at, np.array([tried[x][0] for x in at]), found, limiting,
        _words(inputs, found, limiting),
    )  # fmt: skip


def _apart(metres: float) -> str:
    return f"{metres * 1e6:.4g} µm" if metres < 1e-3 else f"{metres * 1e3:.4g} mm"


def _words(inputs: SearchInputs, found: float, limiting: str) -> str:
    title = measure(limiting).title.lower()
    if inputs.what == "spacing":
        if np.isnan(found):
            return f"No spacing up to {_apart(inputs.high)} holds: {title} fails."
        if found == inputs.low:
            return f"Every spacing from {_apart(found)} on holds."
        return f"From {_apart(found)} apart every limit holds; below, {title} fails."
    if np.isnan(found):
        return f"Not even {inputs.low * 1e3:.4g} mm hold: {title} fails."
    if found == inputs.high:
        return f"Up to {found * 1e3:.4g} mm side by side every limit holds."
    return f"Up to {found * 1e3:.4g} mm side by side every limit holds; beyond, {title} fails."


GROUP_SEARCH: Study[SearchInputs, GroupSearch] = Study(
    "group_search", _run, GroupSearch, title="Spacing that holds"
)
