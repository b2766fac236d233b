"""The way of a lane of a group, with its neighbours beside it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar, Literal

from onda.errors import InputError
from onda.project.base import Identifier
from onda.project.kind import Mention, Objects
from onda.project.paths.elements.element import Element, Net, Offer, register

__all__ = ["OFFERS", "LanePiece"]


@register
class LanePiece(Element):
    """All pieces of a lane of a group, from its transmitter's end to its receiver's.

    `neighbours` rest, or switch along with the path's driver or against it, each as its wave gets
    here.
    """

    kind: Literal["lane"] = "lane"
    is_line: ClassVar[bool] = True
    group: Identifier
    lane: Identifier
    neighbours: Literal["rest", "along", "against"] = "rest"

    @property
    def brief(self) -> tuple[str, str]:
        """Its group and lane."""
        return self.group, self.lane

    def refers(self) -> Iterable[Mention]:
        """The group."""
        yield Mention("group", self.group)

    def problem(self, objects: Objects, lane: str) -> str:
        """The lane must be there, and of the path's kind."""
        group = objects.get("group", self.group)
        if all(x.id != self.lane for x in group.lanes):
            ids = ", ".join(x.id for x in group.lanes)
            return f"group {group.id} has no lane {self.lane!r}: one of {ids}"
        kind = objects.get("line", group.line_class).kind
        if kind != lane:
            return f"a {lane} path needs a {lane} class, the lanes of {group.id} are {kind}s"
        return ""


def _offered(name: str, net: Net, objects: Objects) -> Element:
    for group in objects.all("group"):
        if objects.get("line", group.line_class).kind == net.lane:
            return LanePiece(id=name, group=group.id, lane=group.lanes[0].id)
    raise InputError(
        f"there is no group of {net.lane} lanes in the project yet",
        remedy="Make one in Coupling first.",
    )


OFFERS = (Offer("lane", "lane of a group", "G", _offered, like="lane"),)
