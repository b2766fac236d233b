"""Edits of networks: each takes a project or a network and returns a new one, checked."""

from __future__ import annotations

from typing import Any

from onda.errors import InputError
from onda.project.base import fresh_id, set_value
from onda.project.edits import replace_object, with_design
from onda.project.file_reference import DeviceFile
from onda.project.files import keep
from onda.project.kind import Ref
from onda.project.kinds import kind_of
from onda.project.model import Project
from onda.project.networks.network import (
    ChainPiece,
    ChainSource,
    FileSource,
    HalfSource,
    Network,
    PortEnd,
    Remedy,
    Source,
)
from onda.project.paths.elements import NetworkPiece
from onda.project.paths.path import Path
from onda.project.quantities import parse_quantity

__all__ = [
    "add_file",
    "add_file_network",
    "add_network",
    "add_path_piece",
    "add_piece",
    "chain_of",
    "change_piece",
    "ends_text",
    "move_piece",
    "network_into_path",
    "read_ends",
    "remove_piece",
    "swap_ports",
    "swap_wires",
    "toggle_remedy",
    "without_fixtures",
]


def add_file(project: Project, name: str, sha256: str) -> tuple[Project, str]:
    """Add a file to the project; its id. A content that is there is not added twice."""
    known = project.design.device_files
    for file in known:
        if file.sha256 == sha256:
            return project, file.id
    stem, _, ending = name.rpartition(".")
    identifier = fresh_id(stem or ending, {f.id for f in known}, "network")
    # Names of files may be anything; the id is a name that any file system takes.
    path = f"networks/{identifier}.{ending if ending.isascii() and ending.isalnum() else 'txt'}"
    file = DeviceFile(id=identifier, path=path, sha256=sha256)
    return with_design(project, device_files=(*known, file)), identifier


def add_network(project: Project, name: str, source: Source, **more: Any) -> tuple[Project, Ref]:
    """Add a network; return the project and the new one."""
    networks = project.design.networks
    identifier = fresh_id(name.lower().replace(" ", "-"), {n.id for n in networks}, "network")
    new = set_value(
        Network(id=identifier, name=name.strip()[:120] or identifier, source=source), **more
    )
    return with_design(project, networks=(*networks, new)), Ref(kind_of(new).key, identifier)


def add_file_network(project: Project, name: str, sha256: str, ports: int) -> tuple[Project, Ref]:
    """Add a network of a file that has been read."""
    project, file = add_file(project, name, sha256)
    lane = "pair" if ports and ports % 4 == 0 else "single"
    title = name.rpartition(".")[0] or name
    return add_network(project, title, FileSource(file=file), lane=lane)


def without_fixtures(project: Project, measured: str, through: str) -> tuple[Project, Ref]:
    """Add a measurement without its fixtures, which are the halves of a 2x through with the
    impedances of the measurement's own.

    Raises
    ------
    KeyError : there is no such network
    """
    network, two = project.design.network(measured), project.design.network(through)
    halves = []
    for side in ("left", "right"):
        source = HalfSource.model_validate(
            {"of": two.id, "side": side, "like": network.id}, strict=False
        )
        name = f"{two.name}, {side} half as in {network.name}"
        project, ref = add_network(project, name, source, lane=network.lane)
        halves.append(ref.id)
    pieces = (
        ChainPiece(id="left", network=halves[0], removed=True),
        ChainPiece(id="measured", network=network.id),
        ChainPiece(id="right", network=halves[1], removed=True),
    )
    more = {"lane": network.lane, "rate": network.rate}
    name = f"{network.name}, fixtures off"
    return add_network(project, name, ChainSource(pieces=pieces), **more)


def swap_ports(network: Network, count: int, a: int, b: int) -> Network:
    """Change the places of two ports; places are counted from 0, left ones first."""
    order = list(network.order or range(1, count + 1))
    if not (0 <= a < count and 0 <= b < count) or len(order) != count:
        raise InputError("there is no such port")
    order[a], order[b] = order[b], order[a]
    return set_value(network, order=tuple(order))


def read_ends(typed: str) -> tuple[PortEnd, ...]:
    """Ends of ports from text: ``2 open, 4 short, 5 50 ohm``.

    Raises
    ------
    InputError : the text says something else
    """
    out = []
    for part in filter(None, (p.strip() for p in typed.split(","))):
        number, _, what = part.partition(" ")
        what = what.strip().lower()
        if not (number.isascii() and number.isdecimal() and len(number) < 4 and what):
            raise InputError(f"{part[:30]!r} is no end of a port", remedy="As in 2 open, 4 50 ohm.")
        if what in ("open", "short"):
            out.append(PortEnd.model_validate({"port": int(number), "kind": what}))
        else:
            r = parse_quantity(what, "resistance", "ohm")
            if r.si <= 0:
                raise InputError(f"{what[:20]!r} must be above 0", remedy="Write short for 0 ohm.")
            out.append(PortEnd(port=int(number), kind="resistor", r=r))
    return tuple(out)


def ends_text(ends: tuple[PortEnd, ...]) -> str:
    """Ends as `read_ends` reads them."""
    return ", ".join(f"{e.port} {e.r.text if e.r else e.kind}" for e in ends)


def toggle_remedy(network: Network, remedy: Remedy) -> Network:
    """Apply a remedy to what was read, or no more."""
    rest = tuple(r for r in network.remedies if r != remedy)
    # Passivity last: the others may lift it over 1 again.
    found = rest if remedy in network.remedies else (*rest, remedy)
    return set_value(
        network, remedies=tuple(sorted(found, key=("reciprocal", "causal", "passive").index))
    )


def chain_of(network: Network) -> ChainSource:
    """Its chain; raise `InputError` where it is none."""
    if not isinstance(network.source, ChainSource):
        raise InputError(f"{network.name} is no chain", remedy="Make a chain of it first.")
    return network.source


def _with_pieces(network: Network, pieces: tuple[ChainPiece, ...]) -> Network:
    if not pieces:
        raise InputError("a chain needs a piece", remedy="Remove the whole chain instead.")
    return set_value(network, source=set_value(chain_of(network), pieces=pieces))


def add_piece(network: Network, part: str, at: int | None = None) -> Network:
    """Put a network into the chain, at the end or before a piece."""
    pieces = chain_of(network).pieces
    name = fresh_id(part, {p.id for p in pieces})
    place = len(pieces) if at is None else at
    return _with_pieces(
        network, (*pieces[:place], ChainPiece(id=name, network=part), *pieces[place:])
    )


def remove_piece(network: Network, piece: str) -> Network:
    """Take a piece out of the chain."""
    return _with_pieces(network, tuple(p for p in chain_of(network).pieces if p.id != piece))


def move_piece(network: Network, piece: str, step: int) -> Network:
    """Move a piece along the chain by some places."""
    pieces = list(chain_of(network).pieces)
    at = next((k for k, p in enumerate(pieces) if p.id == piece), None)
    if at is None:
        raise InputError(f"there is no piece {piece!r}")
    moved = pieces.pop(at)
    pieces.insert(min(max(at + step, 0), len(pieces)), moved)
    return _with_pieces(network, tuple(pieces))


def change_piece(network: Network, piece: str, **changes: Any) -> Network:
    """Change fields of a piece."""
    return _with_pieces(
        network,
        tuple(set_value(p, **changes) if p.id == piece else p for p in chain_of(network).pieces),
    )


def swap_wires(network: Network, piece: str, count: int, right: int, left: int) -> Network:
    """Lead a wire from a right port to a left port of the next piece; the other gives way."""
    found = next((p for p in chain_of(network).pieces if p.id == piece), None)
    if found is None or not (0 <= right < count and 0 <= left < count):
        raise InputError("there is no such port")
    wires = list(found.wires or range(count))
    other = wires.index(left)
    wires[right], wires[other] = left, wires[right]
    straight = wires == list(range(count))
    return change_piece(network, piece, wires=() if straight else tuple(wires))


def network_into_path(project: Project, network: Network, path: str, data: bytes) -> Project:
    """Put a network into a path, before its end, as a two-port file of content `data`."""
    project, file = add_file(project, f"{network.id}.s2p", keep(data))
    return add_path_piece(project, project.design.path(path), file)


def add_path_piece(project: Project, path: Path, file: str) -> Project:
    """Put a two-port file into a path, before its end."""
    name = fresh_id("N", {e.id for e in path.all_elements})
    piece = NetworkPiece(id=name, file=file)
    new = set_value(path, elements=(*path.elements, piece))
    return replace_object(project, new)
