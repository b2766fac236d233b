"""Networks: S-parameters from a file or from another stage, how their ports stand, and chains."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from onda.project.base import Frozen, Identifier, Name, Text, check_unique, default_of
from onda.project.quantities import DataRate, Length, Resistance, Time

__all__ = [
    "ChainPiece",
    "ChainSource",
    "FileSource",
    "GroupSource",
    "HalfSource",
    "LineSource",
    "Network",
    "PathSource",
    "PortEnd",
    "Remedy",
    "Source",
    "needs_of",
]

Remedy = Literal["passive", "reciprocal", "causal"]


class FileSource(Frozen):
    """A file on the shelf."""

    kind: Literal["file"] = "file"
    file: Identifier


class LineSource(Frozen):
    """A piece of a line class; a pair has four ports."""

    kind: Literal["line"] = "line"
    line_class: Identifier
    layer: Identifier
    length: Length


class PathSource(Frozen):
    """A path from the pad of its driver to the die of its last receiver; a pair differentially."""

    kind: Literal["path"] = "path"
    path: Identifier


class GroupSource(Frozen):
    """A group of lanes, all conductors from left to right; of pairs P and N of each lane."""

    kind: Literal["group"] = "group"
    group: Identifier


class HalfSource(Frozen):
    """Half of a measurement of two fixtures end to end.

    `like` is a measurement of the same fixtures with a device between them, whose impedances the
    half then takes; None leaves it as it was split.
    """

    kind: Literal["half"] = "half"
    of: Identifier
    side: Literal["left", "right"] = "left"
    like: Identifier | None = None


class ChainPiece(Frozen):
    """A network in a chain.

    `turned` swaps left and right; `removed` takes it away (de-embeds) instead of adding it; `wires`
    says to which left port of the next piece each right port goes, counted from the top, from 0;
    empty is straight through.
    """

    id: Identifier
    network: Identifier
    turned: bool = False
    removed: bool = False
    wires: Annotated[tuple[Annotated[int, Field(ge=0, le=999)], ...], Field(max_length=200)] = ()

    @field_validator("wires")
    @classmethod
    def _one_to_one(cls, value: tuple[int, ...]) -> tuple[int, ...]:
        if sorted(value) != list(range(len(value))):
            raise ValueError("each port takes one wire")
        return value


class ChainSource(Frozen):
    """Networks laid end to end."""

    kind: Literal["chain"] = "chain"
    pieces: Annotated[tuple[ChainPiece, ...], Field(min_length=1, max_length=40)]

    @model_validator(mode="after")
    def _unique(self) -> ChainSource:
        check_unique("piece", (p.id for p in self.pieces))
        return self


Source = Annotated[
    FileSource | LineSource | PathSource | GroupSource | HalfSource | ChainSource,
    Field(discriminator="kind"),
]


class PortEnd(Frozen):
    """What a port of the file ends in, so that it is no port any more."""

    port: Annotated[int, Field(ge=1, le=999)]
    kind: Literal["open", "short", "resistor"]
    r: Resistance | None = None

    @model_validator(mode="after")
    def _complete(self) -> PortEnd:
        if (self.kind == "resistor") != (self.r is not None):
            raise ValueError(f"port {self.port}: only a resistor has a value")
        return self


class Network(Frozen):
    """A network as it is to be read.

    `lane` "pair": ports go by twos, P and N. `order` are the ports of the file, from 1: the left
    ones lane by lane (P, N), then the right ones alike; empty takes them as they come, and ports
    that are not named end in their references. `ends` are what other ports end in. `plane_left`
    and `plane_right` move the reference planes inwards by a delay. `remedies` are applied to what
    was read, in their order; the source stays as it is. `reference` is what all
    ports are renormalised to. `rise` is the 20 to 80 percent time of the edge for views in time,
    None the fastest that the data carry.
    """

    id: Identifier
    name: Name
    note: Text = ""
    source: Source
    lane: Literal["single", "pair"] = "pair"
    order: Annotated[tuple[Annotated[int, Field(ge=1, le=999)], ...], Field(max_length=400)] = ()
    ends: Annotated[tuple[PortEnd, ...], Field(max_length=400)] = ()
    plane_left: Time | None = None
    plane_right: Time | None = None
    remedies: Annotated[tuple[Remedy, ...], Field(max_length=3)] = ()
    reference: Resistance = default_of("50 ohm", "resistance")
    rise: Time | None = None
    rate: DataRate | None = None

    @model_validator(mode="after")
    def _consistent(self) -> Network:
        named = [*self.order, *(e.port for e in self.ends)]
        if len(set(named)) != len(named):
            raise ValueError(f"network {self.id}: a port is named twice")
        if len(set(self.remedies)) != len(self.remedies):
            raise ValueError(f"network {self.id}: a remedy is there twice")
        return self


def needs_of(network: Network) -> tuple[str, ...]:
    """Other networks that a network is made of."""
    source = network.source
    if isinstance(source, HalfSource):
        return (source.of, source.like) if source.like else (source.of,)
    if isinstance(source, ChainSource):
        return tuple(p.network for p in source.pieces)
    return ()
