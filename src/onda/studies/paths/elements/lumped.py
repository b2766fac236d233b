"""Lumped series parts in a net."""

from __future__ import annotations

from dataclasses import dataclass

from onda.project.paths.elements import LumpedPart
from onda.studies.paths.items import Item
from onda.studies.paths.layout import Layout, Place
from onda.studies.paths.slice import Slice, si

__all__ = ["LumpedItem", "slice_of"]


@dataclass(frozen=True, slots=True)
class LumpedItem(Item):
    """Series parts: r and l, or l beside `r_parallel`, or `c_series`; `c` half at each end."""

    role: str
    r: float
    inductance: float
    c: float
    r_parallel: float | None
    c_series: float | None

    def lay(self, layout: Layout, place: Place) -> Place:
        node = begin = place.node
        if self.role == "capacitor":
            node = layout.in_series(node, self.id, r=self.r, c=self.c_series)
        elif self.role == "ferrite":
            node = layout.in_series(begin, self.id, r=self.r_parallel or 0.0)
            layout.beside(begin, node, self.r, self.inductance)
        elif self.r > 0.0 or self.inductance > 0.0:
            node = layout.in_series(node, self.id, r=self.r, inductance=self.inductance)
        layout.to_ground((begin, node), self.c)
        layout.mark(place, self.id, "lumped", self.role)
        return place.at(node)

    @property
    def ahead(self) -> float | None:
        return 0.0

    @property
    def removal(self) -> str:
        return f"{self.role} {self.id}"


def slice_of(element: LumpedPart, _: Slice) -> Item:
    """A lumped part's slice."""
    return LumpedItem(
        element.id,
        element.role,
        element.r.si,
        element.inductance.si,
        element.c.si,
        si(element.r_parallel),
        si(element.c_series),
    )
