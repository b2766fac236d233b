"""A termination along the line in a net."""

from __future__ import annotations

from dataclasses import dataclass, replace

from onda.project.paths.elements import ShuntPart
from onda.studies.paths.ends import TermInputs
from onda.studies.paths.items import Item
from onda.studies.paths.layout import Layout, Place
from onda.studies.paths.slice import Slice, term_of

__all__ = ["ShuntItem", "slice_of"]


@dataclass(frozen=True, slots=True)
class ShuntItem(Item):
    """A termination along the line."""

    termination: TermInputs

    def lay(self, layout: Layout, place: Place) -> Place:
        layout.terminate(self.termination, place.node, self.id)
        layout.mark(place, self.id, "shunt", self.termination.kind)
        return place

    def with_value(self, value: float) -> Item:
        return replace(self, termination=self.termination.with_value(value))

    def at_tolerance(self, sign: int) -> Item:
        return replace(self, termination=self.termination.at_tolerance(sign))

    @property
    def ahead(self) -> float | None:
        return 0.0


def slice_of(element: ShuntPart, _: Slice) -> Item:
    """A termination's slice."""
    return ShuntItem(element.id, term_of(element.termination))
