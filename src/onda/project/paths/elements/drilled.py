"""A via by its geometry."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from onda.project.base import Identifier, default_of
from onda.project.build.stackup import CopperLayer
from onda.project.kind import Mention, Objects
from onda.project.paths.elements.element import Element, Net, Offer, register
from onda.project.quantities import Length, LengthOrZero

__all__ = ["OFFERS", "DrilledVia"]


@register
class DrilledVia(Element):
    """A via by its geometry; the stackup gives heights and materials.

    `back_drilled`: the stub is removed down to a rest of `rest`. `returns` nearby return vias stand
    `return_distance` away; in a pair that is how far its two barrels are apart.
    """

    kind: Literal["drilled"] = "drilled"
    is_line: ClassVar[bool] = True
    from_layer: Identifier
    to_layer: Identifier
    drill: Length = default_of("0.2 mm", "length")
    pad: Length = default_of("0.45 mm", "length")
    antipad: Length = default_of("0.7 mm", "length")
    returns: Annotated[int, Field(ge=0, le=8)] = 1
    return_distance: Length = default_of("1 mm", "length")
    back_drilled: bool = False
    rest: LengthOrZero = default_of("0.2 mm", "length")

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
