"""A tributary in a net."""

from __future__ import annotations

from dataclasses import dataclass, replace

from onda.project.paths.elements import Branch
from onda.studies.paths.ends import EndInputs
from onda.studies.paths.items import Item
from onda.studies.paths.layout import Layout, Place
from onda.studies.paths.slice import Slice

__all__ = ["BranchItem", "slice_of"]


@dataclass(frozen=True, slots=True)
class BranchItem(Item):
    """A tributary."""

    items: tuple[Item, ...]
    receiver: EndInputs

    def lay(self, layout: Layout, place: Place) -> Place:
        layout.tributary(place, self.id, self.items, self.receiver)
        return place

    @property
    def parts(self) -> tuple[Item, ...]:
        return self.items

    def with_parts(self, parts: tuple[Item, ...]) -> Item:
        return replace(self, items=parts)

    @property
    def end(self) -> EndInputs | None:
        return self.receiver

    def with_end(self, end: EndInputs) -> Item:
        return replace(self, receiver=end)

    def with_value(self, value: float) -> Item:
        termination = self.receiver.termination.with_value(value)
        return replace(self, receiver=replace(self.receiver, termination=termination))

    def at_tolerance(self, sign: int) -> Item:
        termination = self.receiver.termination.at_tolerance(sign)
        return replace(self, receiver=replace(self.receiver, termination=termination))

    @property
    def removal(self) -> str:
        return f"branch {self.id} to {self.receiver.name}" if self.items else ""


def slice_of(element: Branch, where: Slice) -> Item:
    """A branch's slice."""
    end = where.end(element.id, element.receiver, element.termination)
    return BranchItem(element.id, where.items(element.elements), end)
