"""What the Lines stage works on: classes of traces, shielded sections, lines from a data sheet."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from onda.project.base import MANY, Frozen, Identifier, Name, Text, check_unique, default_of
from onda.project.lines.structures import STRUCTURES, Structure
from onda.project.quantities import (
    CapacitancePerLength,
    ConductancePerLength,
    DataRate,
    DelayPerLength,
    Frequency,
    InductancePerLength,
    Length,
    LengthOrZero,
    LossPerLength,
    Resistance,
    ResistancePerLength,
    SignedLength,
)

__all__ = [
    "Body",
    "LineClass",
    "SheetLine",
    "ShieldedSection",
    "TraceOnLayer",
]


class TraceOnLayer(Frozen):
    """What a class is routed with on one layer.

    `ground_gap`, `ground_width`: copper at 0 V on both sides, on the same layer. `facing`: the
    layer of the other trace of a broadside pair, `shift` its offset sideways. `opening`: width of
    an opening in the nearest plane below, `opening_shift` how far its centre lies off.
    """

    layer: Identifier
    width: Length
    gap: Length | None = None
    ground_gap: Length | None = None
    ground_width: Length | None = None
    facing: Identifier | None = None
    shift: SignedLength | None = None
    opening: Length | None = None
    opening_shift: SignedLength | None = None

    @model_validator(mode="after")
    def _complete(self) -> TraceOnLayer:
        if (self.ground_gap is None) != (self.ground_width is None):
            raise ValueError(f"coplanar grounds on {self.layer} need a gap and a width")
        if self.facing is not None and self.gap is not None:
            raise ValueError(f"a broadside pair on {self.layer} must not have a gap")
        return self


class LineClass(Frozen):
    """Lines of one impedance; `loss_at` is the frequency at which its loss matters.

    Of a group of `count` equal lines the target is the impedance of the middle one, all others
    held at 0 V.
    """

    id: Identifier
    name: Name
    kind: Identifier
    target: Resistance
    loss_at: Frequency
    on: Annotated[tuple[TraceOnLayer, ...], Field(min_length=1, max_length=MANY)]
    count: Annotated[int, Field(ge=2, le=16)] = 2

    def trace_on(self, layer: str) -> TraceOnLayer | None:
        """The trace on a layer, None where the class is not routed there."""
        return next((t for t in self.on if t.layer == layer), None)

    @property
    def structure(self) -> Structure:
        """What kind of structure it is."""
        return STRUCTURES[self.kind]

    @model_validator(mode="after")
    def _fitting(self) -> LineClass:
        made = STRUCTURES.get(self.kind)
        if made is None:
            known = ", ".join(sorted(STRUCTURES))
            raise ValueError(f"{self.kind!r} is no structure; there are {known}")
        for trace in self.on:
            needs_gap = made.several and trace.facing is None
            if needs_gap != (trace.gap is not None):
                need = "needs a gap" if needs_gap else "must not have a gap"
                raise ValueError(f"a {self.kind} on {trace.layer} {need}")
            if trace.facing is not None and not made.may_face:
                raise ValueError(f"a {self.kind} cannot face itself, on {trace.layer}")
        if made.several and not made.fewest <= self.count <= made.most:
            raise ValueError(f"a {self.kind} of {self.count} lines is none")
        check_unique("layer", (t.layer for t in self.on))
        return self


class Body(Frozen):
    """An outline in a drawn section: corners in metres; `material` of a dielectric."""

    name: Name
    role: Literal["signal", "ground", "shield", "dielectric"]
    material: Identifier | None = None
    corners: Annotated[
        tuple[
            tuple[
                Annotated[float, Field(ge=-1.0, le=1.0)], Annotated[float, Field(ge=-1.0, le=1.0)]
            ],
            ...,
        ],
        Field(min_length=3, max_length=400),
    ]

    @model_validator(mode="after")
    def _dielectrics_have_materials(self) -> Body:
        if (self.role == "dielectric") != (self.material is not None):
            raise ValueError(f"{self.name}: a dielectric, and only a dielectric, has a material")
        return self


class ShieldedSection(Frozen):
    """A section closed by a wall: a launch, a connector, a cavity.

    round: wall of diameter `width`, conductor of diameter `conductor`, filled with `material`.
    box: wall `width` x `height`; a trace `conductor` wide and `conductor_height` thick lies on
    `material`, `floor` thick. drawn: `bodies`. `up_to`: the highest frequency of interest.
    """

    id: Identifier
    name: Name
    shape: Literal["round", "box", "drawn"]
    material: Identifier
    width: Length
    height: Length
    conductor: Length
    conductor_height: Length
    floor: LengthOrZero
    up_to: Frequency
    target: Resistance
    bodies: Annotated[tuple[Body, ...], Field(max_length=100)] = ()

    @model_validator(mode="after")
    def _drawn_has_bodies(self) -> ShieldedSection:
        if self.shape == "drawn" and not any(b.role == "shield" for b in self.bodies):
            raise ValueError(f"section {self.name}: a drawn section needs a shield")
        return self


class SheetLine(Frozen):
    """A line of which only a data sheet is known.

    values: R, L, G and C per length. figures: impedance, delay and loss at `at`, the loss split
    between copper (growing with the root of frequency) and dielectric by `copper_share`. `rate`:
    at which eyes are laid over the losses.
    """

    id: Identifier
    name: Name
    entry: Literal["values", "figures"]
    length: Length
    r: ResistancePerLength
    l: InductancePerLength  # noqa: E741 - the field's own name for inductance
    g: ConductancePerLength
    c: CapacitancePerLength
    z0: Resistance
    delay: DelayPerLength
    loss: LossPerLength
    at: Frequency
    copper_share: Annotated[float, Field(ge=0.0, le=1.0)] = 0.5
    rate: DataRate = default_of("5 Gb/s", "data rate")
    source: Text = ""
