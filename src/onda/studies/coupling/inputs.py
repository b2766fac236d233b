"""Slice of a design for a group: its lanes, and each piece as a section of all conductors."""

from __future__ import annotations

from dataclasses import dataclass, replace

from onda.engine.coupling.vias import ViaRow
from onda.errors import InputError
from onda.project.coupling.group import LaneGroup
from onda.project.model import Design
from onda.studies.build.hole import geometry_of
from onda.studies.lines.inputs import LineInputs, line_inputs

__all__ = [
    "AllowedInputs",
    "GroupInputs",
    "LaneInputs",
    "PieceInputs",
    "group_inputs",
    "lane_number",
    "side_by_side",
    "spacings_of",
]

MOST_CONDUCTORS = 40
"""Conductors of one section; its cost grows with the third power."""


@dataclass(frozen=True, slots=True)
class LaneInputs:
    """A lane of a group; `rightward` drives from the left."""

    id: str
    name: str
    rightward: bool


@dataclass(frozen=True, slots=True)
class PieceInputs:
    """A piece of the way.

    Attributes
    ----------
    lane : one lane by itself
    section : all conductors, guards among them; None where lanes do not see each other
    guards : conductors that are guards, from 0; pitch : m between their ties, 0 for ends only
    open_planes : planes that are missing along it
    vias : through which lanes come to its left end, None where they go on in their layer
    jumps : layers from and to between which it changes without vias, empty for none
    """

    id: str
    length: float
    lane: LineInputs
    section: LineInputs | None
    guards: tuple[int, ...] = ()
    pitch: float = 0.0
    open_planes: tuple[str, ...] = ()
    vias: ViaRow | None = None
    jumps: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class AllowedInputs:
    """Noise (V) that is allowed at a loss (dB)."""

    loss: float
    noise: float


@dataclass(frozen=True, slots=True)
class GroupInputs:
    """Everything that a group's crosstalk depends on; SI units; 0 ohm means matched.

    `fine` takes the sections with all panels; without it they are quick, for a drag.
    """

    name: str
    pair: bool
    lanes: tuple[LaneInputs, ...]
    pieces: tuple[PieceInputs, ...]
    rate: float
    rise: float
    near: float
    far: float
    receiver: float
    source: float
    load: float
    allowed: tuple[AllowedInputs, ...]
    fine: bool = True


def group_inputs(design: Design, group: LaneGroup, *, fine: bool = True) -> GroupInputs:
    """Slice for a group.

    Raises
    ------
    InputError : too many conductors, or a class that is not routed where a piece runs
    NotPhysical : a layer without a plane
    """
    line_class = design.line_class(group.line_class)
    pair = line_class.structure.differential
    return GroupInputs(
        name=group.name,
        pair=pair,
        lanes=tuple(LaneInputs(x.id, x.name, x.towards == "right") for x in group.lanes),
        pieces=tuple(_piece(design, group, k) for k in range(len(group.pieces))),
        rate=group.rate.si,
        rise=group.rise.si,
        near=group.near.si,
        far=group.far.si,
        receiver=group.receiver.si if group.receiver else 0.75 * group.rate.si,
        source=group.source.si if group.source else 0.0,
        load=group.load.si if group.load else 0.0,
        allowed=tuple(AllowedInputs(p.loss.si, p.noise.si) for p in group.allowed),
        fine=fine,
    )


def lane_number(inputs: GroupInputs, lane: str) -> int:
    """Number of a lane from 0; raise `InputError` where there is none of that id."""
    ids = [x.id for x in inputs.lanes]
    if lane not in ids:
        raise InputError(f"{inputs.name} has no lane {lane!r}", remedy=f"One of {', '.join(ids)}.")
    return ids.index(lane)


def _vias(design: Design, group: LaneGroup, number: int, lane: LineInputs) -> ViaRow | None:
    piece = group.pieces[number]
    if piece.vias is None:
        return None
    joins = (group.vias_from(number), piece.layer)
    found = geometry_of(design, piece.vias, joins, f"{group.name}, vias of piece {piece.id}")
    order = [layer.id for layer in design.stackup.layers]
    above, below = found.span[0] - found.barrel[0], found.barrel[1] - found.span[1]
    from_above = order.index(joins[0]) < order.index(joins[1])
    return ViaRow(
        found,
        len(group.lanes),
        lane.trace.lines,
        piece.vias.pitch.si,
        piece.vias.between.si,
        lane.resistivity,
        stub_first=(above > below) == from_above,
    )


def _jumps(group: LaneGroup, number: int) -> tuple[str, ...]:
    here = group.pieces[number]
    before = group.pieces[number - 1].layer if number else here.layer
    return (before, here.layer) if before != here.layer and here.vias is None else ()


def _piece(design: Design, group: LaneGroup, number: int) -> PieceInputs:
    piece = group.pieces[number]
    line_class = design.line_class(group.line_class)
    lane = line_inputs(design, line_class, piece.layer, piece.open_planes)
    plain = PieceInputs(
        piece.id,
        piece.length.si,
        lane,
        None,
        open_planes=piece.open_planes,
        vias=_vias(design, group, number, lane),
        jumps=_jumps(group, number),
    )
    if not piece.coupled:
        return plain
    guard = piece.guard
    made = side_by_side(
        plain, tuple(q.si for q in piece.spacings), guard.width.si if guard is not None else 0.0
    )
    at = made.section.trace.count if made.section is not None else 0
    if at > MOST_CONDUCTORS:
        raise InputError(
            f"{group.name} has {at} conductors in one section, at most {MOST_CONDUCTORS}; "
            f"they would take about {2.0 * (at / 16) ** 2.5:.0f} s a look",
            remedy="Look at fewer lanes: those further away hardly disturb.",
        )
    pitch = guard.pitch.si if guard is not None and guard.pitch is not None else 0.0
    return replace(made, pitch=pitch)


def spacings_of(piece: PieceInputs) -> tuple[float, ...]:
    """Distances between the lanes of a coupled piece without guards, m."""
    assert piece.section is not None
    lines = piece.lane.trace.lines
    return tuple(gap for k, gap in enumerate(piece.section.trace.gaps, 1) if k % lines == 0)


def side_by_side(
    piece: PieceInputs, spacings: tuple[float, ...], guard: float = 0.0
) -> PieceInputs:
    """The piece with its lanes `spacings` m apart, a guard of a width between any two where it is
    above 0."""
    own = piece.lane.trace
    widths = [own.width] * own.lines
    gaps: list[float] = [*own.between]
    guards: list[int] = []
    for spacing in spacings:
        if guard > 0.0:
            gaps += [0.5 * (spacing - guard)] * 2
            guards.append(len(widths))
            widths.append(guard)
        else:
            gaps.append(spacing)
        widths += [own.width] * own.lines
        gaps += own.between
    shape = replace(own, gap=gaps[0], gaps=tuple(gaps), widths=tuple(widths), count=len(widths))
    section = replace(piece.lane, kind="group", trace=shape)
    return replace(piece, section=section, guards=tuple(guards))
