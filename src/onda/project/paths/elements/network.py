"""A two-port from a file as a piece of a path."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

from onda.errors import InputError
from onda.project.base import Identifier
from onda.project.kind import Mention, Objects
from onda.project.paths.elements.element import Element, Net, Offer, register

__all__ = ["OFFERS", "NetworkPiece"]


@register
class NetworkPiece(Element):
    """A two-port from a file, in a pair its differential one; `turned` swaps its ports."""

    kind: Literal["network"] = "network"
    file: Identifier
    turned: bool = False

    def refers(self) -> Iterable[Mention]:
        """The file."""
        yield Mention("file", self.file)


def _offered(name: str, _: Net, objects: Objects) -> Element:
    file = next((f for f in objects.all("file") if f.path.lower().endswith(".s2p")), None)
    if file is None:
        raise InputError(
            "there is no two-port file in the project yet",
            remedy="Open one at the driver or a receiver first: Open device file.",
        )
    return NetworkPiece(id=name, file=file.id)


OFFERS = (Offer("network", "network file", "N", _offered, like="network"),)
