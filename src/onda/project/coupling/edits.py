"""Edits of groups: each takes a group and returns a new one, checked."""

from __future__ import annotations

from onda.errors import InputError
from onda.project.base import fresh_id, set_value
from onda.project.coupling.group import MOST_LANES, GroupPiece, Guard, Lane, LaneGroup, LaneVias
from onda.project.model import Design
from onda.project.quantities import Quantity, parse_quantity

__all__ = [
    "add_lane",
    "add_piece",
    "piece_of",
    "remove_lane",
    "remove_piece",
    "set_guard",
    "set_length",
    "set_spacing",
    "set_vias",
    "turn_lane",
    "usual_vias",
]


def piece_of(group: LaneGroup, piece: str) -> GroupPiece:
    """The piece of that id; raise `InputError` where there is none."""
    found = next((p for p in group.pieces if p.id == piece), None)
    if found is None:
        raise InputError(f"{group.name} has no piece {piece!r}")
    return found


def _with_piece(group: LaneGroup, new: GroupPiece) -> LaneGroup:
    pieces = tuple(new if p.id == new.id else p for p in group.pieces)
    return set_value(group, pieces=pieces)


def set_spacing(
    group: LaneGroup, piece: str, spacing: Quantity, after: int | None = None
) -> LaneGroup:
    """Another distance behind lane `after`, from 0; between all lanes where None."""
    found = piece_of(group, piece)
    if after is None:
        spacings = (spacing,) * len(found.spacings)
    else:
        if not 0 <= after < len(found.spacings):
            raise InputError(f"there is no lane behind lane {after + 1}")
        spacings = (*found.spacings[:after], spacing, *found.spacings[after + 1 :])
    return _with_piece(group, set_value(found, spacings=spacings))


def set_length(group: LaneGroup, piece: str, length: Quantity) -> LaneGroup:
    """Another length of a piece."""
    return _with_piece(group, set_value(piece_of(group, piece), length=length))


def set_guard(group: LaneGroup, piece: str, guard: Guard | None) -> LaneGroup:
    """Guards between the lanes of a piece, or none."""
    return _with_piece(group, set_value(piece_of(group, piece), guard=guard))


def set_vias(group: LaneGroup, piece: str, vias: LaneVias | None) -> LaneGroup:
    """Vias at the beginning of a piece, or none."""
    return _with_piece(group, set_value(piece_of(group, piece), vias=vias))


def usual_vias(design: Design, group: LaneGroup, piece: str) -> LaneVias:
    """Vias to begin with: from the layer of the piece before, at the beginning of the group from
    the outer layer that is further away.

    Raises
    ------
    InputError : the piece before runs on the same layer
    """
    number = group.pieces.index(piece_of(group, piece))
    here = group.pieces[number].layer
    pair = design.line_class(group.line_class).structure.differential
    pitch = parse_quantity("2 mm" if pair else "1 mm", "length")
    if number > 0:
        if group.pieces[number - 1].layer == here:
            raise InputError(
                f"{piece} and the piece before it both run on {here}",
                remedy="Choose another layer for one of them first.",
            )
        return LaneVias(pitch=pitch)
    order = [layer.id for layer in design.stackup.copper]
    top, bottom = order[0], order[-1]
    from_top = order.index(here) >= len(order) / 2
    return LaneVias(from_layer=top if from_top else bottom, pitch=pitch)


def turn_lane(group: LaneGroup, lane: str) -> LaneGroup:
    """A lane drives the other way."""
    if lane not in {x.id for x in group.lanes}:
        raise InputError(f"{group.name} has no lane {lane!r}")
    other = {"right": "left", "left": "right"}
    lanes = tuple(
        set_value(x, towards=other[x.towards]) if x.id == lane else x for x in group.lanes
    )
    return set_value(group, lanes=lanes)


def add_lane(group: LaneGroup) -> LaneGroup:
    """One lane more at the bottom, at the last distance, the way of the last one."""
    if len(group.lanes) >= MOST_LANES:
        raise InputError(f"a group has at most {MOST_LANES} lanes")
    last = group.lanes[-1]
    identifier = fresh_id(f"lane-{len(group.lanes) + 1}", {x.id for x in group.lanes}, "lane")
    names = {x.name for x in group.lanes}
    name = next(n for k in range(len(names) + 1, 999) if (n := f"Lane {k}") not in names)
    lanes = (*group.lanes, Lane(id=identifier, name=name, towards=last.towards))
    pieces = tuple(
        set_value(p, spacings=(*p.spacings, p.spacings[-1])) if p.spacings else p
        for p in group.pieces
    )
    # The new lane has no pin yet.
    return set_value(group, lanes=lanes, pieces=pieces, driver_pins=(), listener_pins=())


def remove_lane(group: LaneGroup, lane: str) -> LaneGroup:
    """One lane less; the two beside it keep the larger of both distances."""
    at = next((k for k, x in enumerate(group.lanes) if x.id == lane), None)
    if at is None:
        raise InputError(f"{group.name} has no lane {lane!r}")
    if len(group.lanes) <= 2:
        raise InputError("a group has two lanes or more")

    def closed(piece: GroupPiece) -> GroupPiece:
        s = list(piece.spacings)
        if not s:
            return piece
        if at in (0, len(group.lanes) - 1):
            del s[min(at, len(s) - 1)]
        else:
            s[at - 1 : at + 1] = [max(s[at - 1], s[at], key=lambda q: q.si)]
        return set_value(piece, spacings=tuple(s))

    return set_value(
        group,
        lanes=tuple(x for x in group.lanes if x.id != lane),
        pieces=tuple(closed(p) for p in group.pieces),
        **{
            name: tuple(pin for k, pin in enumerate(getattr(group, name)) if k != at)
            for name in ("driver_pins", "listener_pins")
        },
    )


def add_piece(group: LaneGroup, *, coupled: bool = True) -> tuple[LaneGroup, str]:
    """A piece more at the right, like the last coupled one, and its id."""
    taken = {p.id for p in group.pieces}
    identifier = fresh_id(f"C{len(taken) + 1}" if coupled else f"F{len(taken) + 1}", taken, "piece")
    like = next((p for p in reversed(group.pieces) if p.coupled), group.pieces[-1])
    new = set_value(like, id=identifier, coupled=coupled)
    if coupled and not new.spacings:
        raise InputError("there is no coupled piece to take the distances from")
    return set_value(group, pieces=(*group.pieces, new)), identifier


def remove_piece(group: LaneGroup, piece: str) -> LaneGroup:
    """One piece less."""
    piece_of(group, piece)
    if len(group.pieces) == 1:
        raise InputError("a group has one piece or more")
    return set_value(group, pieces=tuple(p for p in group.pieces if p.id != piece))
