"""What the Networks stage does to the document."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path as FilePath
from typing import TYPE_CHECKING, Any

from onda.errors import InputError, OndaError
from onda.project.edits import replace_network, set_value
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
)
from onda.project.networks.network import (
    ChainPiece,
    ChainSource,
    HalfSource,
    LineSource,
    Network,
    PathSource,
)
from onda.project.quantities import Quantity, parse_quantity
from onda.project.store import write_atomically
from onda.studies.networks.file import NETWORK_READ, FileSummary, read_inputs
from onda.studies.networks.network import NetworkResult
from onda.studies.networks.piece import piece_content
from onda.studies.networks.write import network_bytes

if TYPE_CHECKING:
    from onda.app.stages.networks.stage import NetworksStage

__all__ = ["NetworkEdits"]


class NetworkEdits:
    """Edits of the network in view; what is refused is said on the work surface."""

    def __init__(self, stage: NetworksStage) -> None:
        self._stage = stage

    @property
    def _network(self) -> Network:
        found = self._stage.network
        if found is None:
            raise InputError("there is no network in view")
        return found

    @property
    def ports(self) -> int:
        """Number of ports of the network in view, 4 until it is known."""
        result = self._stage.result
        return len(result.ports) if result is not None else len(self._network.order) or 4

    @property
    def present_order(self) -> tuple[int, ...]:
        """Order of its ports, written out."""
        return self._network.order or tuple(range(1, self.ports + 1))

    def _try(self, act: Callable[[], None]) -> None:
        try:
            act()
        except OndaError as error:
            self._stage.surface.tell(str(error))

    def _edit(self, what: str, new: Network) -> None:
        document = self._stage.context.document
        document.edit(what, replace_network(document.project, new))

    def _set(self, what: str, **changes: Any) -> None:
        self._edit(what, set_value(self._network, **changes))

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
        if not all(w.isascii() and w.isdigit() and len(w) < 4 for w in words):
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
        unit = last.text.split(" ", 1)[-1]
        first = parse_quantity(parts[0], "time", unit)
        self._set("Move planes", plane_left=first, plane_right=last)

    # ---- buttons; these say on the surface why not

    def set_lane(self, lane: str) -> None:
        """Read it as pairs or as single lines."""
        self._try(lambda: self._set("Change reading", lane=lane))

    def set_order(self, order: tuple[int, ...]) -> None:
        """Ports in another order."""
        self._try(lambda: self._set("Change port order", order=order))

    def swap(self, a: int, b: int) -> None:
        """Two ports change places."""
        self._try(lambda: self._edit("Swap ports", swap_ports(self._network, self.ports, a, b)))

    def toggle_remedy(self, name: Any) -> None:
        """Apply a remedy, or no more."""
        self._try(lambda: self._edit("Change remedy", toggle_remedy(self._network, name)))

    # ---- the chain

    @property
    def piece(self) -> ChainPiece | None:
        """The chosen piece."""
        source = self._network.source
        if not isinstance(source, ChainSource):
            return None
        chosen = self._stage.context.selection.element
        return next((p for p in source.pieces if p.id == chosen), source.pieces[0])

    def toggle_piece(self, field: str) -> None:
        """Turn the chosen piece, or take it away."""
        piece = self.piece
        if piece is not None:
            new = {field: not getattr(piece, field)}
            self._try(
                lambda: self._edit("Change piece", change_piece(self._network, piece.id, **new))
            )

    def move_piece(self, step: int, piece: str = "") -> None:
        """Move a piece along the chain."""
        chosen = piece or (self.piece.id if self.piece else "")
        self._try(lambda: self._edit("Move piece", move_piece(self._network, chosen, step)))

    def remove_piece(self, piece: str = "") -> None:
        """Take a piece out."""
        chosen = piece or (self.piece.id if self.piece else "")
        self._try(lambda: self._edit("Remove piece", remove_piece(self._network, chosen)))

    def straighten(self) -> None:
        """All wires behind the chosen piece straight through."""
        piece = self.piece
        if piece is not None:
            self._try(
                lambda: self._edit(
                    "Straighten wires", change_piece(self._network, piece.id, wires=())
                )
            )

    def wire(self, piece: str, right: int, left: int) -> None:
        """Lead a wire to another port."""
        half = self.ports // 2
        self._try(
            lambda: self._edit("Lead wire", swap_wires(self._network, piece, half, right, left))
        )

    def add_piece(self, part: str) -> None:
        """Put a network at the end of the chain."""
        self._try(lambda: self._edit("Add piece", add_piece(self._network, part)))

    # ---- new networks

    def _added(self, what: str, made: tuple[Project, str]) -> None:
        document, selection = self._stage.context.document, self._stage.context.selection
        document.edit(what, made[0])
        selection.choose(made[1], "networks")

    def read_file(self, path: FilePath) -> None:
        """Read a file in the background and put it on the shelf."""
        tell = self._stage.surface.tell

        def arrived(found: FileSummary) -> None:
            self._try(
                lambda: self._added(
                    "Add network file",
                    add_file_network(
                        self._stage.context.document.project, found.name, found.sha256, found.ports
                    ),
                )
            )

        self._stage.ask("read", NETWORK_READ, lambda: read_inputs(path), arrived, tell)

    def from_line(self, line_class: str) -> None:
        """A network of a line class."""
        design = self._stage.design
        found = design.line_class(line_class)
        source = LineSource(
            line_class=found.id, layer=found.on[0].layer, length=parse_quantity("100 mm", "length")
        )
        lane = "pair" if found.kind == "pair" else "single"
        name = f"{found.name}, 100 mm on {found.on[0].layer}"
        self._try(lambda: self._added("Add line", self._made(name, source, lane)))

    def from_path(self, path: str) -> None:
        """A network of a path."""
        found = self._stage.design.path(path)
        self._try(
            lambda: self._added(
                "Add path", self._made(found.name, PathSource(path=found.id), found.lane)
            )
        )

    def chain_of_this(self) -> None:
        """A chain that begins with the network in view."""
        network = self._network
        source = ChainSource(pieces=(ChainPiece(id=network.id, network=network.id),))
        name = f"Chain of {network.name}"
        self._try(lambda: self._added("Add chain", self._made(name, source, network.lane)))

    def halves_of_this(self) -> None:
        """Both halves of the network in view, a double fixture."""
        network = self._network
        document = self._stage.context.document

        def act() -> None:
            project, last = document.project, ""
            for side in ("left", "right"):
                source = HalfSource(of=network.id, side=side)
                name = f"{network.name}, {side} half"
                project, last = add_network(project, name, source, lane=network.lane)
            self._added("Split double fixture", (project, last))

        self._try(act)

    def _made(self, name: str, source: Any, lane: str) -> tuple[Project, str]:
        project = self._stage.context.document.project
        rate = self._network.rate if self._stage.network is not None else None
        return add_network(project, name, source, lane=lane, rate=rate)

    # ---- what can be made of it

    def into_path(self, path: str) -> None:
        """Put the network into a path as a piece."""
        result, document = self._stage.result, self._stage.context.document

        def act() -> None:
            if result is None:
                raise InputError("it is not computed yet")
            data = piece_content(result.frequency, result.s, result.reference, result.pair)
            project = network_into_path(document.project, self._network, path, data)
            document.edit("Network into path", project)
            self._stage.context.selection.choose(path, "paths")
            self._stage.context.selection.go("paths")

        self._try(act)

    def write(self, path: FilePath, result: NetworkResult) -> None:
        """Write the network as it is now: Touchstone 1 (.sNp), 2 (.ts) or HDF5 (.h5)."""

        def act() -> None:
            write_atomically(path, network_bytes(result, path.suffix))
            self._stage.surface.tell("")

        self._try(act)
