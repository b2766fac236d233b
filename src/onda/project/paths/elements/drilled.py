"""A via by its geometry."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar, Literal

from onda.project.base import Identifier
from onda.project.build.hole import Hole
from onda.project.build.stackup import CopperLayer
from onda.project.kind import Mention, Objects
from onda.project.paths.elements.element import Element, Net, Offer, register

__all__ = ["OFFERS", "DrilledVia"]


@register
class DrilledVia(Hole, Element):
    """A via by its geometry; the stackup gives heights and materials.

    In a pair `return_distance` is how far its two barrels are apart.
    """

    kind: Literal["drilled"] = "drilled"
    is_line: ClassVar[bool] = True
    from_layer: Identifier
    to_layer: Identifier

    def refers(self) -> Iterable[Mention]:
        """Both layers."""
        yield Mention("layer", self.from_layer)
        yield Mention("layer", self.to_layer)

    def problem(self, objects: Objects, lane: str) -> str:
        """Both layers must be of copper."""
        for layer in (self.from_layer, self.to_layer):
            if not isinstance(objects.get("layer", layer), CopperLayer):
                return f"there is no copper layer {layer!r}"
        return ""


def _offered(name: str, _: Net, objects: Objects) -> Element:
    copper = [c.id for c in objects.stackup.copper if c.role == "signal"]
    return DrilledVia(id=name, from_layer=copper[0], to_layer=copper[-1])


OFFERS = (Offer("drilled", "drilled via", "V", _offered, like="drilled"),)
