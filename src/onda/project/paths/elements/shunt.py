"""A termination at a place along the line."""

from __future__ import annotations

from typing import Literal

from onda.project.base import set_value
from onda.project.paths.elements.element import Element, Offer, register
from onda.project.paths.ends import Termination, offered_termination
from onda.project.quantities import Quantity

__all__ = ["OFFERS", "ShuntPart"]


@register
class ShuntPart(Element):
    """A termination at a place along the line."""

    kind: Literal["shunt"] = "shunt"
    termination: Termination

    @property
    def main_quantity(self) -> Quantity | None:
        """The resistor that ends the line."""
        return self.termination.r

    def with_main(self, value: Quantity) -> Element:
        """A copy with another resistor."""
        return set_value(self, termination=set_value(self.termination, r=value))


OFFERS = (
    Offer(
        "shunt",
        "termination here",
        "Z",
        lambda name, net, _: ShuntPart(
            id=name, termination=offered_termination("parallel", 50.0, net.rail)
        ),
        like="shunt",
    ),
)
