"""A tributary with a receiver of its own."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from onda.project.base import MANY, set_value
from onda.project.kind import Objects
from onda.project.paths.elements.element import Element, Net, Offer, PathElement, register
from onda.project.paths.elements.trace import some_trace
from onda.project.paths.ends import Receiver, Termination
from onda.project.quantities import Quantity

__all__ = ["OFFERS", "Branch"]


@register
class Branch(Element):
    """A tributary: it leaves the line at this place and ends in a receiver of its own.

    Without elements the receiver hangs on the line itself.
    """

    kind: Literal["branch"] = "branch"
    elements: Annotated[tuple[PathElement, ...], Field(max_length=MANY)] = ()
    termination: Termination = Termination()
    receiver: Receiver

    @property
    def parts(self) -> tuple[Element, ...]:
        """Elements on it."""
        return self.elements

    @property
    def main_quantity(self) -> Quantity | None:
        """The resistor that ends it."""
        return self.termination.r

    def with_main(self, value: Quantity) -> Element:
        """A copy with another resistor."""
        return set_value(self, termination=set_value(self.termination, r=value))


def _receiver(name: str, net: Net) -> Receiver:
    return set_value(net.receiver, name=f"{net.receiver.name} {name}")


def _branch(name: str, net: Net, objects: Objects) -> Element:
    stub = some_trace(net, objects, f"{name}.T1", "10 mm")
    return Branch(id=name, elements=(stub,), receiver=_receiver(name, net))


def _load(name: str, net: Net, _: Objects) -> Element:
    return Branch(id=name, receiver=_receiver(name, net))


OFFERS = (Offer("load", "load here", "B", _load), Offer("branch", "branch", "B", _branch))
