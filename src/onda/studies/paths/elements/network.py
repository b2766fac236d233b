"""A two-port from a file in a net."""

from __future__ import annotations

from dataclasses import dataclass

from onda.project.files import Content, content_of
from onda.project.paths.elements import NetworkPiece
from onda.studies.networks.piece import doubts_of_file, piece_of_file
from onda.studies.paths.items import Item
from onda.studies.paths.layout import Layout, Place
from onda.studies.paths.slice import Slice

__all__ = ["NetworkItem", "slice_of"]


@dataclass(frozen=True, slots=True)
class NetworkItem(Item):
    """A two-port from a file."""

    content: Content
    turned: bool

    def doubts(self) -> tuple[str, ...]:
        return doubts_of_file(self.content)

    def lay(self, layout: Layout, place: Place) -> Place:
        model, z, took = piece_of_file(self.content, self.turned)
        note = f"{model.size}, within {model.error:.1e}"
        return layout.block(place, self.id, "network", model=model, z=z, took=took, note=note)


def slice_of(element: NetworkPiece, where: Slice) -> Item:
    """A network's slice."""
    content = content_of(where.design.device_file(element.file))
    return NetworkItem(element.id, content, element.turned)
