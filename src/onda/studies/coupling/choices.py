"""What else could be done about a group's crosstalk, and what each of it would bring."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.errors import InputError, OndaError
from onda.project.base import set_value
from onda.project.build.stackup import CopperLayer
from onda.project.coupling.edits import set_guard, turn_lane
from onda.project.coupling.group import Guard, LaneGroup
from onda.project.model import Design
from onda.project.quantities import parse_quantity
from onda.studies.core.study import Control, Study
from onda.studies.coupling.group import GROUP
from onda.studies.coupling.inputs import GroupInputs, group_inputs

__all__ = [
    "GROUP_CHOICES",
    "Choice",
    "ChoicesInputs",
    "GroupChoices",
    "choices_inputs",
    "ways_out",
]

FloatArray = NDArray[np.float64]
_PITCH = "2 mm"
_LEAST = 1e-9
"""Share of what comes through below which a level is as good as none."""


@dataclass(frozen=True, slots=True)
class ChoicesInputs:
    """A group as it is, and by words what else it could be; quick sections."""

    now: GroupInputs
    others: tuple[tuple[str, GroupInputs], ...]


@dataclass(frozen=True, slots=True, eq=False)
class Choice:
    """What a choice does.

    Attributes
    ----------
    noise : (n,) V rms at each receiver; change_db : (n,) of that against now, below 0 for quieter
    rise_db, rise_at : (n,) most by which a receiver's power sum rises anywhere, dB, and where, Hz
    """

    words: str
    noise: FloatArray
    change_db: FloatArray
    rise_db: FloatArray
    rise_at: FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class GroupChoices:
    """All of them, the quietest at the worst receiver first; `now` (n,) V rms."""

    lanes: tuple[str, ...]
    now: FloatArray
    choices: tuple[Choice, ...]


def ways_out(design: Design, group: LaneGroup) -> Iterator[tuple[str, LaneGroup]]:
    """The group with guards or without, turned lanes, on other layers, over other planes; only what
    can be made at all."""
    yield from _guards(design, group)
    yield from _directions(group)
    yield from _layers(design, group)
    yield from _planes(design, group)


def _with_guard(group: LaneGroup, guard: Guard | None) -> LaneGroup | None:
    try:
        for piece in group.pieces:
            if piece.coupled:
                group = set_guard(group, piece.id, guard)
    except InputError:
        # Wider than the distance that it would lie in.
        return None
    return group


def _guards(design: Design, group: LaneGroup) -> Iterator[tuple[str, LaneGroup]]:
    coupled = [p for p in group.pieces if p.coupled]
    if any(p.guard is not None for p in coupled):
        plain = _with_guard(group, None)
        if plain is not None:
            yield "no guards", plain
    for piece in coupled[:1]:
        trace = design.line_class(group.line_class).trace_on(piece.layer)
        assert trace is not None
        width = piece.guard.width if piece.guard is not None else trace.width
        for words, pitch in (
            (f"guards tied every {_PITCH}", parse_quantity(_PITCH, "length")),
            ("guards tied at the ends", None),
        ):
            made = _with_guard(group, Guard(width=width, pitch=pitch))
            if made is not None and made != group:
                yield words, made


def _directions(group: LaneGroup) -> Iterator[tuple[str, LaneGroup]]:
    for words, ways in (
        ("all lanes one way", ("right", "right")),
        ("every other lane turned", ("right", "left")),
    ):
        made = group
        for k, lane in enumerate(group.lanes):
            if lane.towards != ways[k % 2]:
                made = turn_lane(made, lane.id)
        if made != group:
            yield words, made


def _layers(design: Design, group: LaneGroup) -> Iterator[tuple[str, LaneGroup]]:
    for on in design.line_class(group.line_class).on:
        pieces = tuple(set_value(p, layer=on.layer, open_planes=()) for p in group.pieces)
        if any(p.layer != on.layer for p in group.pieces):
            yield f"all on {on.layer}", set_value(group, pieces=pieces)


def _planes(design: Design, group: LaneGroup) -> Iterator[tuple[str, LaneGroup]]:
    if any(p.open_planes for p in group.pieces):
        pieces = tuple(set_value(p, open_planes=()) for p in group.pieces)
        yield "planes whole", set_value(group, pieces=pieces)
    beside = {
        plane: None
        for p in group.pieces
        if p.coupled
        for plane in _planes_beside(design, p.layer)
        if plane not in p.open_planes
    }
    for plane in beside:
        pieces = tuple(
            set_value(p, open_planes=(*p.open_planes, plane))
            if p.coupled and plane in _planes_beside(design, p.layer)
            else p
            for p in group.pieces
        )
        yield f"{plane} open", set_value(group, pieces=pieces)


def _planes_beside(design: Design, layer: str) -> list[str]:
    """Planes that a layer looks at, above and below."""
    place = design.stackup.place(layer)
    out = []
    for side in (place.layers[: place.index][::-1], place.layers[place.index + 1 :]):
        planes = (x.id for x in side if isinstance(x, CopperLayer) and x.role == "plane")
        out += list(planes)[:1]
    return out


def choices_inputs(design: Design, group: LaneGroup) -> ChoicesInputs:
    """Slice for the choices of a group; raise `InputError` where it cannot be had itself."""
    others = []
    for words, changed in ways_out(design, group):
        try:
            others.append((words, group_inputs(design, changed, fine=False)))
        except OndaError:
            # A lane over no plane at all, or too many guards, is no choice.
            continue
    return ChoicesInputs(group_inputs(design, group, fine=False), tuple(others))


def _run(inputs: ChoicesInputs, control: Control) -> GroupChoices:
    def look(group: GroupInputs) -> tuple[FloatArray, FloatArray, FloatArray]:
        found = GROUP.run(group, Control())
        sums = np.stack([found.power_sum(k) for k in range(len(found.ids))])
        return np.array([x.total for x in found.noise]), found.frequency, sums

    now, frequency, before = look(inputs.now)
    control.progress(1.0 / (len(inputs.others) + 1))
    out = []
    band = (frequency > 0.0) & (frequency <= 0.75 * inputs.now.rate)
    for k, (words, group) in enumerate(inputs.others, 2):
        noise, at, sums = look(group)
        after = np.stack([np.interp(frequency, at, one) for one in sums])
        ratio = np.maximum(after, _LEAST) / np.maximum(before, _LEAST)
        rise = 20.0 * np.log10(ratio[:, band])
        highest = rise.argmax(axis=1)
        floor = _LEAST * inputs.now.far
        out.append(
            Choice(
                words,
                noise,
                20.0 * np.log10(np.maximum(noise, floor) / np.maximum(now, floor)),
                rise.max(axis=1),
                frequency[band][highest],
            )
        )
        control.progress(k / (len(inputs.others) + 1))
    out.sort(key=lambda c: float(c.noise.max()))
    return GroupChoices(tuple(x.name for x in inputs.now.lanes), now, tuple(out))


GROUP_CHOICES: Study[ChoicesInputs, GroupChoices] = Study(
    "group_choices", _run, GroupChoices, title="What else could be done"
)
