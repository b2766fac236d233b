"""A resistor in the line."""

from __future__ import annotations

from typing import ClassVar, Literal

from onda.project.base import default_of
from onda.project.paths.elements.element import Element, Offer, register
from onda.project.quantities import Ratio, ResistanceOrZero, format_si, parse_quantity

__all__ = ["OFFERS", "SeriesResistor"]


@register
class SeriesResistor(Element):
    """A resistor in the line."""

    kind: Literal["resistor"] = "resistor"
    main: ClassVar[str] = "value"
    value: ResistanceOrZero
    tolerance: Ratio = default_of("1 %", "ratio")

    @property
    def brief(self) -> tuple[str, str]:
        """Its value."""
        return self.id, format_si(self.value.si, "resistance")


OFFERS = (
    Offer(
        "resistor",
        "resistor",
        "R",
        lambda name, _, __: SeriesResistor(id=name, value=parse_quantity("22 ohm", "resistance")),
        like="resistor",
    ),
)
