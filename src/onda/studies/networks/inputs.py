"""Slice of a design for a network: what it is made of, down to files, lines and paths."""

from __future__ import annotations

from dataclasses import dataclass, replace

from onda.project.files import Content, content_of
from onda.project.model import Design
from onda.project.networks.network import (
    ChainSource,
    FileSource,
    GroupSource,
    HalfSource,
    LineSource,
    Network,
    PathSource,
    PortEnd,
)
from onda.studies.coupling.inputs import GroupInputs, group_inputs
from onda.studies.lines.inputs import LineInputs, line_inputs
from onda.studies.paths.ends import TermInputs
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import PathInputs, without_devices

__all__ = [
    "ChainItem",
    "FileItem",
    "GroupItem",
    "HalfItem",
    "LineItem",
    "NetworkInputs",
    "PathItem",
    "PieceItem",
    "network_inputs",
]


@dataclass(frozen=True, slots=True)
class FileItem:
    """A file of S-parameters."""

    content: Content


@dataclass(frozen=True, slots=True)
class LineItem:
    """A piece of line, m."""

    line: LineInputs
    length: float


@dataclass(frozen=True, slots=True)
class PathItem:
    """A path between its pads, without the devices at its ends."""

    path: PathInputs


@dataclass(frozen=True, slots=True)
class GroupItem:
    """A group between all of its conductors."""

    group: GroupInputs


@dataclass(frozen=True, slots=True)
class HalfItem:
    """Half of a double fixture, its impedances those of the fixtures in `like`."""

    whole: NetworkInputs
    side: str
    like: NetworkInputs | None = None


@dataclass(frozen=True, slots=True)
class PieceItem:
    """A network in a chain."""

    id: str
    name: str
    network: NetworkInputs
    turned: bool
    removed: bool
    wires: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class ChainItem:
    """Networks laid end to end."""

    pieces: tuple[PieceItem, ...]


NetworkItem = FileItem | LineItem | PathItem | GroupItem | HalfItem | ChainItem


@dataclass(frozen=True, slots=True)
class NetworkInputs:
    """Everything a network depends on; ports from 0; `rise` and `rate` 0 where not stated.

    `ends` are (port, ohm), a negative value for an open end; `planes` s into it from either side.
    """

    name: str
    source: NetworkItem
    pair: bool
    order: tuple[int, ...]
    ends: tuple[tuple[int, float], ...]
    planes: tuple[float, float]
    remedies: tuple[str, ...]
    reference: float
    rise: float
    rate: float


def network_inputs(design: Design, network: Network) -> NetworkInputs:
    """Slice for a network.

    Raises
    ------
    InputError : something it is made of cannot be had
    """
    return NetworkInputs(
        name=network.name,
        source=_item(design, network),
        pair=network.lane == "pair",
        order=tuple(p - 1 for p in network.order),
        ends=tuple((e.port - 1, _ohm(e)) for e in network.ends),
        planes=(
            network.plane_left.si if network.plane_left else 0.0,
            network.plane_right.si if network.plane_right else 0.0,
        ),
        remedies=network.remedies,
        reference=network.reference.si,
        rise=network.rise.si if network.rise else 0.0,
        rate=network.rate.si if network.rate else 0.0,
    )


def _ohm(end: PortEnd) -> float:
    if end.r is not None:
        return end.r.si
    return -1.0 if end.kind == "open" else 0.0


def _item(design: Design, network: Network) -> NetworkItem:
    match network.source:
        case FileSource() as source:
            return FileItem(content_of(design.device_file(source.file)))
        case LineSource() as source:
            line_class = design.line_class(source.line_class)
            return LineItem(line_inputs(design, line_class, source.layer), source.length.si)
        case PathSource() as source:
            return PathItem(_bare(path_inputs(design, design.path(source.path))))
        case GroupSource() as source:
            return GroupItem(group_inputs(design, design.group(source.group)))
        case HalfSource() as source:
            like = _part(design, source.like) if source.like else None
            return HalfItem(_part(design, source.of), source.side, like)
        case ChainSource() as source:
            return ChainItem(
                tuple(
                    PieceItem(
                        p.id,
                        design.network(p.network).name,
                        _part(design, p.network),
                        p.turned,
                        p.removed,
                        p.wires,
                    )
                    for p in source.pieces
                )
            )


def _part(design: Design, identifier: str) -> NetworkInputs:
    """A network as a part of another: how it is looked at by itself does not matter there."""
    inputs = network_inputs(design, design.network(identifier))
    return replace(inputs, rise=0.0, rate=0.0)


def _bare(path: PathInputs) -> PathInputs:
    """The path without the devices, packages and termination at its two ends."""
    plain = without_devices(path)
    nothing = {"capacitance": 0.0, "resistance": None, "device": None, "stands_in": "probe"}
    return replace(
        plain,
        driver=replace(plain.driver, **nothing),  # type: ignore[arg-type]
        end=replace(plain.end, **nothing, termination=TermInputs("none")),  # type: ignore[arg-type]
        driving="",
    )
