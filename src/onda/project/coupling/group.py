"""Groups: lanes side by side, each one way or the other, over pieces of their way."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, StringConstraints, model_validator

from onda.project.base import Frozen, Identifier, Name, Text, check_unique, default_of
from onda.project.build.hole import Hole
from onda.project.paths.ends import ModelUse
from onda.project.quantities import DataRate, Frequency, Length, Loss, Resistance, Time, Voltage

__all__ = ["MOST_LANES", "AllowedNoise", "GroupPiece", "Guard", "Lane", "LaneGroup", "LaneVias"]

MOST_LANES = 16
"""Lanes of a group; of pairs half as many conductors more."""
PinName = Annotated[str, StringConstraints(min_length=1, max_length=40)]


Pins = Annotated[tuple[PinName, ...], Field(max_length=MOST_LANES)]


class Lane(Frozen):
    """A line or pair of a group, from the top; it drives towards the right or towards the left."""

    id: Identifier
    name: Name
    towards: Literal["right", "left"] = "right"


class Guard(Frozen):
    """Copper at 0 V in the middle between any two lanes.

    `pitch` is the distance of the vias that tie it to the planes; None ties it at its ends only.
    """

    width: Length
    pitch: Length | None = None


class LaneVias(Hole):
    """Vias through which all lanes come to a piece, in a row.

    `from_layer` is where they come from, None for the layer of the piece before. `pitch` is from
    the via of a lane to that of the next, `between` from one via of a pair to the other; the return
    vias stand around the middle of each lane.
    """

    from_layer: Identifier | None = None
    pitch: Length = default_of("2 mm", "length")
    between: Length = default_of("0.8 mm", "length")


class GroupPiece(Frozen):
    """A piece of the way on one layer; `vias` are at its left end.

    `spacings`, one fewer than lanes: from the edge of a lane to that of the next. A piece that is
    not `coupled` is a fan-in or a fan-out, where lanes are far from each other. `open_planes` are
    planes that are missing along it: cut, or never there.
    """

    id: Identifier
    layer: Identifier
    length: Length
    spacings: Annotated[tuple[Length, ...], Field(max_length=MOST_LANES - 1)] = ()
    coupled: bool = True
    guard: Guard | None = None
    open_planes: Annotated[tuple[Identifier, ...], Field(max_length=8)] = ()
    vias: LaneVias | None = None


class AllowedNoise(Frozen):
    """A point of the curve of noise that is allowed against a lane's own loss."""

    loss: Loss
    noise: Voltage


class LaneGroup(Frozen):
    """Lanes of one line class side by side.

    Attributes
    ----------
    rate : symbols a second; rise : 20 to 80 percent time of every transmitter
    near, far : amplitude of a near-end and of a far-end transmitter as noise counts it: half of
        the swing that comes to rest at its own receiver
    receiver : bandwidth of the receivers, None for three quarters of the rate
    source, load : ohm, of each conductor to 0 V at transmitters and receivers; None is matched
    driver, listener : models at all transmitters and at all receivers, for waves in time; of single
        lines only; None is linear
    corner : of these models
    driver_pins, listener_pins : pins of the lanes in order, whose package then counts with what
        they have in common; none for the package of the model's own pin
    allowed : of noise against loss at half the rate, rising in loss; empty for no limit
    """

    id: Identifier
    name: Name
    note: Text = ""
    line_class: Identifier
    lanes: Annotated[tuple[Lane, ...], Field(min_length=2, max_length=MOST_LANES)]
    pieces: Annotated[tuple[GroupPiece, ...], Field(min_length=1, max_length=40)]
    rate: DataRate
    rise: Time
    near: Voltage = default_of("400 mV", "voltage")
    far: Voltage = default_of("400 mV", "voltage")
    receiver: Frequency | None = None
    source: Resistance | None = None
    load: Resistance | None = None
    driver: ModelUse | None = None
    listener: ModelUse | None = None
    corner: Literal["typ", "slow", "fast"] = "typ"
    driver_pins: Pins = ()
    listener_pins: Pins = ()
    allowed: Annotated[tuple[AllowedNoise, ...], Field(max_length=60)] = ()

    @model_validator(mode="after")
    def _consistent(self) -> LaneGroup:
        check_unique("lane", (x.id for x in self.lanes))
        check_unique("piece", (x.id for x in self.pieces))
        for piece in self.pieces:
            if piece.coupled and len(piece.spacings) != len(self.lanes) - 1:
                raise ValueError(
                    f"group {self.name}, piece {piece.id}: {len(piece.spacings)} spacings between "
                    f"{len(self.lanes)} lanes, {len(self.lanes) - 1} are needed"
                )
            for k, spacing in enumerate(piece.spacings):
                if piece.guard is not None and spacing.si <= piece.guard.width.si:
                    raise ValueError(
                        f"group {self.name}, piece {piece.id}: a guard {piece.guard.width.text} "
                        f"wide overlaps lanes {spacing.text} apart, after lane {self.lanes[k].name}"
                    )
        for k, piece in enumerate(self.pieces):
            if piece.vias is None:
                continue
            if k == 0 and piece.vias.from_layer is None:
                raise ValueError(
                    f"group {self.name}: vias at its beginning, piece {piece.id}, come from no "
                    "layer; name the one they start on"
                )
            if k > 0 and piece.vias.from_layer not in (None, self.pieces[k - 1].layer):
                raise ValueError(
                    f"group {self.name}, piece {piece.id}: its vias come from "
                    f"{piece.vias.from_layer}, but the piece before runs on "
                    f"{self.pieces[k - 1].layer}"
                )
            if self.vias_from(k) == piece.layer:
                raise ValueError(
                    f"group {self.name}, piece {piece.id}: its vias go from {piece.layer} to the "
                    "same layer"
                )
        for name in ("near", "far"):
            if not getattr(self, name).si > 0.0:
                raise ValueError(
                    f"group {self.name}: amplitude at the {name} end must be above 0 V"
                )
        for name, pins, use in (
            ("driver", self.driver_pins, self.driver),
            ("receiver", self.listener_pins, self.listener),
        ):
            if pins and (len(pins) != len(self.lanes) or len(set(pins)) != len(pins)):
                raise ValueError(
                    f"group {self.name}: {len(pins)} {name} pins for {len(self.lanes)} lanes, "
                    "each needs one of its own"
                )
            if pins and use is None:
                raise ValueError(f"group {self.name}: {name} pins need a {name} model")
        if len(self.allowed) == 1:
            raise ValueError(f"group {self.name}: allowed noise needs two points or none")
        for one, other in pairwise(self.allowed):
            if not other.loss.si > one.loss.si:
                raise ValueError(
                    f"group {self.name}: losses of the allowed noise must rise, {other.loss.text} "
                    f"follows {one.loss.text}"
                )
        for point in self.allowed:
            if not point.noise.si > 0.0:
                raise ValueError(f"group {self.name}: allowed noise must be above 0 V")
        return self

    def vias_from(self, piece: int) -> str:
        """The layer where the vias of a piece, by its number, come from; raise `KeyError` where it
        has none."""
        vias = self.pieces[piece].vias
        if vias is None:
            raise KeyError(piece)
        return vias.from_layer or self.pieces[piece - 1].layer

    @property
    def length(self) -> float:
        """Metres, of all pieces."""
        return sum(piece.length.si for piece in self.pieces)
