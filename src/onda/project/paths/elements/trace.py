"""A length of a line class on a layer."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar, Literal

from onda.errors import InputError
from onda.project.base import Identifier, set_value
from onda.project.kind import Mention, Objects
from onda.project.paths.elements.element import Element, Net, Offer, register
from onda.project.quantities import Length, format_si, parse_quantity

__all__ = ["OFFERS", "TracePiece", "some_trace"]


@register
class TracePiece(Element):
    """A length of a line class on a layer."""

    kind: Literal["trace"] = "trace"
    is_line: ClassVar[bool] = True
    main: ClassVar[str] = "length"
    line_class: Identifier
    layer: Identifier
    length: Length

    @property
    def brief(self) -> tuple[str, str]:
        """Its layer and length."""
        return self.layer, format_si(self.length.si, "length")

    def refers(self) -> Iterable[Mention]:
        """The class."""
        yield Mention("line", self.line_class)

    def problem(self, objects: Objects, lane: str) -> str:
        """The class must be of the path's lane, and routed on the layer."""
        line_class = objects.get("line", self.line_class)
        if line_class.trace_on(self.layer) is None:
            return f"class {self.line_class!r} is not routed on {self.layer!r}"
        if line_class.kind != lane:
            return f"a {lane} path needs a {lane} class, {line_class.id} is a {line_class.kind}"
        return ""


def some_trace(net: Net, objects: Objects, name: str, length: str) -> TracePiece:
    """A piece like the first one of the path, or of the first class that fits its lane.

    Raises
    ------
    InputError : there is no such class
    """
    size = parse_quantity(length, "length")
    like = next((e for e in net.all_elements if isinstance(e, TracePiece)), None)
    if like is not None:
        return set_value(like, id=name, length=size)
    line_class = next((c for c in objects.all("line") if c.kind == net.lane), None)
    if line_class is None:
        raise InputError(
            f"there is no line class for a {net.lane} path", remedy="Make one in Lines first."
        )
    return TracePiece(id=name, line_class=line_class.id, layer=line_class.on[0].layer, length=size)


OFFERS = (
    Offer(
        "trace",
        "trace",
        "T",
        lambda name, net, objects: some_trace(net, objects, name, "10 mm"),
        like="trace",
    ),
)
