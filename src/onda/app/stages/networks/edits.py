"""What the Networks stage does to the document."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path as FilePath
from typing import Any

from onda.app.kit.editor import Editor
from onda.app.stages.networks.in_view import NetworkInView
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.kind import Ref
from onda.project.kinds import kind_of
from onda.project.model import Project
from onda.project.networks.edits import (
    add_file_network,
    add_network,
    add_piece,
    change_piece,
    move_piece,
    network_into_path,
    read_ends,
    remove_piece,
    swap_ports,
    swap_wires,
    toggle_remedy,
    without_fixtures,
)
from onda.project.networks.network import (
    ChainPiece,
    ChainSource,
    GroupSource,
    HalfSource,
    LineSource,
    Network,
    PathSource,
)
from onda.project.quantities import Quantity, parse_quantity
from onda.project.writing import write_atomically
from onda.studies.core.reading import read_inputs
from onda.studies.networks.file import NETWORK_READ, FileSummary
from onda.studies.networks.network import NetworkResult
from onda.studies.networks.piece import piece_content
from onda.studies.networks.write import network_bytes

__all__ = ["NetworkEdits"]


class NetworkEdits:
    """Edits of the network in view; what is refused is said on the work surface."""

    def __init__(self, editor: Editor, subject: NetworkInView) -> None:
        self._editor, self._subject = editor, subject

    @property
    def _network(self) -> Network:
        return self._subject.present

    def _edit(self, what: str, change: Callable[[Network], Network]) -> None:
        """Change the network in view; what is refused is said on the surface."""
        self._editor.attempt_put(what, lambda: change(self._network))

    def _set(self, what: str, **changes: Any) -> None:
        """Change values; an entry says itself what is refused."""
        self._editor.put(what, set_value(self._network, **changes))

    # ---- fields; these raise, their entry says why

    def rename(self, name: str) -> None:
        """Give it another name."""
        self._set("Rename network", name=name)

    def set_reference(self, q: Quantity) -> None:
        """Renormalise."""
        self._set("Change reference", reference=q)

    def rise_typed(self, typed: str) -> None:
        """Another edge; nothing or "fastest" takes the fastest that the data carry."""
        text = typed.strip().lower()
        rise = None if text in ("", "fastest") else parse_quantity(typed, "time", "ps")
        self._set("Change edge", rise=rise)

    def rate_typed(self, typed: str) -> None:
        """Another data rate; nothing or "none" for none."""
        text = typed.strip().lower()
        rate = None if text in ("", "none") else parse_quantity(typed, "data rate", "GBd")
        self._set("Change rate", rate=rate)

    def order_typed(self, typed: str) -> None:
        """Ports in another order."""
        words = typed.replace(",", " ").split()
        if not all(w.isascii() and w.isdecimal() and len(w) < 4 for w in words):
            raise InputError(f"{typed[:30]!r} is no order", remedy="As in 1 3 2 4.")
        order = tuple(int(w) for w in words)
        self._set("Change port order", order=order)

    def ends_typed(self, typed: str) -> None:
        """What other ports end in."""
        self._set("Change ends", ends=read_ends(typed))

    def planes_typed(self, typed: str) -> None:
        """Reference planes moved inwards, left and right; nothing for none."""
        if not typed.strip() or typed.strip() == "0":
            self._set("Move planes", plane_left=None, plane_right=None)
            return
        parts = [p.strip() for p in typed.split("/")]
        if len(parts) > 2:
            raise InputError(f"{typed[:30]!r} is no shift", remedy="As in 12 ps / 8 ps.")
        last = parse_quantity(parts[-1], "time", "ps")
        first = parse_quantity(parts[0], "time", last.unit)
        self._set("Move planes", plane_left=first, plane_right=last)

    # ---- buttons; these say on the surface why not

    def set_lane(self, lane: str) -> None:
        """Read it as pairs or as single lines."""
        self._editor.run(lambda: self._set("Change reading", lane=lane))

    def set_order(self, order: tuple[int, ...]) -> None:
        """Ports in another order."""
        self._editor.run(lambda: self._set("Change port order", order=order))

    def swap(self, a: int, b: int) -> None:
        """Two ports change places."""
        self._edit("Swap ports", lambda n: swap_ports(n, self._subject.ports, a, b))

    def toggle_remedy(self, name: Any) -> None:
        """Apply a remedy, or no more."""
        self._edit("Change remedy", lambda n: toggle_remedy(n, name))

    # ---- the chain

    def _chosen(self, piece: str) -> str:
        found = self._subject.piece
        return piece or (found.id if found else "")

    def toggle_piece(self, field: str) -> None:
        """Turn the chosen piece, or take it away."""
        piece = self._subject.piece
        if piece is not None:
            new = {field: not getattr(piece, field)}
            self._edit("Change piece", lambda n: change_piece(n, piece.id, **new))

    def move_piece(self, step: int, piece: str = "") -> None:
        """Move a piece along the chain."""
        self._edit("Move piece", lambda n: move_piece(n, self._chosen(piece), step))

    def remove_piece(self, piece: str = "") -> None:
        """Take a piece out."""
        self._edit("Remove piece", lambda n: remove_piece(n, self._chosen(piece)))

    def straighten(self) -> None:
        """All wires behind the chosen piece straight through."""
        piece = self._subject.piece
        if piece is not None:
            self._edit("Straighten wires", lambda n: change_piece(n, piece.id, wires=()))

    def wire(self, piece: str, right: int, left: int) -> None:
        """Lead a wire to another port."""
        half = self._subject.ports // 2
        self._edit("Lead wire", lambda n: swap_wires(n, piece, half, right, left))

    def add_piece(self, part: str) -> None:
        """Put a network at the end of the chain."""
        self._edit("Add piece", lambda n: add_piece(n, part))

    # ---- new networks

    def _add(self, what: str, make: Callable[[Project], tuple[Project, Ref]]) -> None:
        """Add a network and choose it; what is refused is said on the surface."""

        def act() -> None:
            project, ref = make(self._editor.project)
            self._editor.make(what, project)
            self._subject.context.selection.show(ref)

        self._editor.run(act)

    def read_file(self, path: FilePath) -> None:
        """Read a file in the background and put it on the shelf."""

        def arrived(f: FileSummary) -> None:
            self._add("Add network file", lambda p: add_file_network(p, f.name, f.sha256, f.ports))

        self._subject.ask(
            "read", NETWORK_READ, lambda: read_inputs(path), arrived, self._editor.tell
        )

    def from_line(self, line_class: str) -> None:
        """A network of a line class."""
        found = self._editor.design.line_class(line_class)
        layer = found.on[0].layer
        length = parse_quantity("100 mm", "length")
        source = LineSource(line_class=found.id, layer=layer, length=length)
        lane = "pair" if found.kind == "pair" else "single"
        self._add_like("Add line", f"{found.name}, 100 mm on {layer}", source, lane)

    def from_path(self, path: str) -> None:
        """A network of a path."""
        found = self._editor.design.path(path)
        self._add_like("Add path", found.name, PathSource(path=found.id), found.lane)

    def from_group(self, group: str) -> None:
        """A network of a group of lanes."""
        found = self._editor.design.group(group)
        pair = self._editor.design.line_class(found.line_class).structure.differential
        lane = "pair" if pair else "single"
        self._add_like("Add group", found.name, GroupSource(group=found.id), lane)

    def chain_of_this(self) -> None:
        """A chain that begins with the network in view."""
        network = self._network
        source = ChainSource(pieces=(ChainPiece(id=network.id, network=network.id),))
        self._add_like("Add chain", f"Chain of {network.name}", source, network.lane)

    def halves_of_this(self) -> None:
        """Both halves of the network in view, a double fixture."""
        network = self._network

        def make(project: Project) -> tuple[Project, Ref]:
            for side in ("left", "right"):
                source = HalfSource(of=network.id, side=side)
                name = f"{network.name}, {side} half"
                project, last = add_network(project, name, source, lane=network.lane)
            return project, last

        self._add("Split double fixture", make)

    def without_fixtures(self, through: str) -> None:
        """The network in view without its fixtures, known by a 2x through."""
        measured = self._network.id
        self._add("Take fixtures away", lambda p: without_fixtures(p, measured, through))

    def follow(self, like: str) -> None:
        """The half in view takes the impedances of another measurement's fixtures; "" for none."""
        self._edit(
            "Change fixtures",
            lambda n: set_value(n, source=set_value(n.source, like=like or None)),
        )

    def _add_like(self, what: str, name: str, source: Any, lane: str) -> None:
        """Add a network at the rate of the one in view."""
        like = self._subject.network
        rate = like.rate if like is not None else None
        self._add(what, lambda p: add_network(p, name, source, lane=lane, rate=rate))

    # ---- what can be made of it

    def into_path(self, path: str) -> None:
        """Put the network into a path as a piece."""
        result = self._subject.result

        def act() -> None:
            if result is None:
                raise InputError("it is not computed yet")
            data = piece_content(result.frequency, result.s, result.reference, result.pair)
            project = network_into_path(self._editor.project, self._network, path, data)
            self._editor.make("Network into path", project)
            found = project.design.path(path)
            self._subject.context.selection.show(Ref(kind_of(found).key, found.id))

        self._editor.run(act)

    def write(self, path: FilePath, result: NetworkResult) -> None:
        """Write the network as it is now, in the format that the name asks for."""

        def act() -> None:
            write_atomically(path, network_bytes(result, path.suffix))
            self._editor.tell("")

        self._editor.run(act)
