"""A series resistor in a net."""

from __future__ import annotations

from dataclasses import dataclass, replace

from onda.project.paths.elements import SeriesResistor
from onda.project.quantities import plain
from onda.studies.paths.items import Item
from onda.studies.paths.layout import Layout, Place
from onda.studies.paths.slice import Slice

__all__ = ["ResistorItem", "slice_of"]


@dataclass(frozen=True, slots=True)
class ResistorItem(Item):
    """A series resistor, ohm; `tolerance` as a share."""

    value: float
    tolerance: float = 0.0

    def lay(self, layout: Layout, place: Place) -> Place:
        if self.value > 0:
            place = place.at(layout.in_series(place.node, self.id, r=self.value))
        layout.mark(place, self.id, "resistor", self.id)
        return place

    def with_value(self, value: float) -> Item:
        return replace(self, value=value)

    def at_tolerance(self, sign: int) -> Item:
        return replace(self, value=self.value * (1.0 + sign * self.tolerance))

    @property
    def ahead(self) -> float | None:
        return self.value

    @property
    def removal(self) -> str:
        return f"the {plain(self.value)} Ω of {self.id}" if self.value > 0 else ""


def slice_of(element: SeriesResistor, _: Slice) -> Item:
    """A resistor's slice."""
    return ResistorItem(element.id, element.value.si, element.tolerance.si)
