"""How a given width is best split into lines, gaps and distances between lanes."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from onda.engine.section.structures import TraceShape
from onda.errors import InputError, NotPhysical
from onda.studies.core.study import Control, Study
from onda.studies.coupling.group import GROUP
from onda.studies.coupling.inputs import (
    GroupInputs,
    PieceInputs,
    side_by_side,
    spacings_of,
)
from onda.studies.coupling.search import LimitInputs, worst_room
from onda.studies.lines.inputs import LineInputs
from onda.studies.lines.solved_line import solve_line

__all__ = ["GROUP_SPLIT", "GroupSplit", "Split", "SplitInputs"]

_WIDTHS = np.array([0.6, 0.7, 0.8, 0.9, 1.0, 1.1, 1.25, 1.4, 1.6])
"""Times the present width."""
_NEAR = 0.1
"""Share of the impedance by which a single line may leave it: no gap makes up for its width."""
_GAPS = (0.3, 12.0)
"""Gaps that are looked through, in widths."""
_HALVINGS = 14
_ROUND = 1e-6


@dataclass(frozen=True, slots=True)
class SplitInputs:
    """A group, its limits, and the coupled piece whose total width is split."""

    group: GroupInputs
    limits: tuple[LimitInputs, ...]
    piece: str


@dataclass(frozen=True, slots=True)
class Split:
    """A way to split: m; `gap` inside pairs, 0 of single lines; `z` ohm of a lane; the worst
    normalised margin with it, and the measure that has it."""

    width: float
    gap: float
    spacing: float
    z: float
    margin: float
    limiting: str


@dataclass(frozen=True, slots=True, eq=False)
class GroupSplit:
    """Splits of `total` m, rising in width; `best` is the one with the most margin, `now` the
    present widths at even distances; `words` say it."""

    total: float
    splits: tuple[Split, ...]
    best: Split
    now: Split
    words: str


def _lane(lane: LineInputs, width: float, gap: float | None) -> LineInputs:
    return replace(lane, trace=replace(lane.trace, width=width, gap=gap))


def _extent(shape: TraceShape) -> float:
    return shape.lines * shape.width + sum(shape.between)


def _matched(lane: LineInputs, width: float, z: float) -> LineInputs | None:
    """The lane with another width at the same impedance; None where no gap, or no line, has it."""
    if not lane.differential:
        made = _lane(lane, width, lane.trace.gap)
        return made if abs(solve_line(made, False).z / z - 1.0) <= _NEAR else None
    low, high = (share * width for share in _GAPS)
    # A wide gap leaves the pair uncoupled, with the highest impedance of that width.
    if not (
        solve_line(_lane(lane, width, low), False).z
        < z
        < solve_line(_lane(lane, width, high), False).z
    ):
        return None
    for _ in range(_HALVINGS):
        middle = float(np.sqrt(low * high))
        if solve_line(_lane(lane, width, middle), False).z < z:
            low = middle
        else:
            high = middle
    return _lane(lane, width, round(float(np.sqrt(low * high)) / _ROUND) * _ROUND)


def _followed(piece: PieceInputs, old: LineInputs, new: LineInputs) -> PieceInputs:
    """Another piece on the same layer: its lines are those of the class, its distances its own."""
    if piece.lane != old:
        return piece
    moved = replace(piece, lane=new)
    if piece.section is None or piece.guards:
        return moved
    return side_by_side(moved, spacings_of(piece))


def _run(inputs: SplitInputs, control: Control) -> GroupSplit:
    piece = next((p for p in inputs.group.pieces if p.id == inputs.piece), None)
    if piece is None or piece.section is None:
        raise InputError(f"{inputs.group.name} has no coupled piece {inputs.piece!r}")
    if piece.guards:
        raise InputError(
            f"piece {piece.id} has guards", remedy="Take them away to split its width anew."
        )
    if not inputs.limits:
        raise InputError(f"nothing is required of {inputs.group.name}", remedy="Set a limit first.")
    count = len(inputs.group.lanes)
    shape = piece.section.trace
    total = sum(shape.across) + sum(shape.gaps)
    z = solve_line(piece.lane, False).z

    def look(lane: LineInputs, fine: bool = False) -> Split | None:
        spacing = (total - count * _extent(lane.trace)) / (count - 1)
        if spacing < 0.5 * lane.trace.width:
            return None
        made = side_by_side(replace(piece, lane=lane), (spacing,) * (count - 1))
        pieces = tuple(
            made if p.id == piece.id else _followed(p, piece.lane, lane)
            for p in inputs.group.pieces
        )
        result = GROUP.run(replace(inputs.group, pieces=pieces, fine=fine), Control())
        room, limiting = worst_room(result, inputs.limits)
        gap = sum(lane.trace.between)
        return Split(lane.trace.width, gap, spacing, solve_line(lane, fine).z, room, limiting)

    found: list[tuple[Split, LineInputs]] = []
    for k, share in enumerate(_WIDTHS):
        width = round(float(share) * piece.lane.trace.width / _ROUND) * _ROUND
        lane = _matched(piece.lane, width, z)
        made = look(lane) if lane is not None else None
        if lane is not None and made is not None:
            found.append((made, lane))
        control.progress(0.8 * (k + 1) / len(_WIDTHS))
    now = look(piece.lane, inputs.group.fine)
    if not found or now is None:
        raise NotPhysical("total width", f"{total * 1e3:.4g} mm", "wide enough for its lanes")
    _, lane = max(found, key=lambda one: one[0].margin)
    best = look(lane, inputs.group.fine)
    assert best is not None
    splits = tuple(split for split, _ in found)
    return GroupSplit(total, splits, best, now, _words(total, best, now))


def _words(total: float, best: Split, now: Split) -> str:
    def told(split: Split) -> str:
        inside = f", {split.gap * 1e6:.4g} µm inside pairs" if split.gap else ""
        apart = f"lanes {split.spacing * 1e6:.4g} µm apart"
        return f"lines of {split.width * 1e6:.4g} µm{inside}, {apart}"

    def share(split: Split) -> str:
        return f"{100 * split.margin:+.0f} %".replace("-", "−")

    room = f"Of {total * 1e3:.4g} mm"
    if abs(best.width - now.width) < _ROUND:
        return (
            f"{room} the present widths, evenly apart, are the best: {told(best)} ({share(best)})."
        )
    state = "hold every limit" if best.margin >= 0.0 else "come nearest"
    return f"{room} {told(best)} {state} ({share(best)}); the present widths leave {share(now)}."


GROUP_SPLIT: Study[SplitInputs, GroupSplit] = Study(
    "group_split", _run, GroupSplit, title="Widths that hold"
)
