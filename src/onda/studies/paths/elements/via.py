"""A via known by its impedance in a net."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from onda.engine.lines import lossless_line
from onda.project.paths.elements import Via
from onda.studies.paths.items import Item
from onda.studies.paths.layout import Layout, Place
from onda.studies.paths.slice import Slice

__all__ = ["ViaItem", "slice_of"]


@dataclass(frozen=True, slots=True)
class ViaItem(Item):
    """A short line with pads."""

    is_line: ClassVar[bool] = True
    z0: float
    delay: float
    pad: float

    def lay(self, layout: Layout, place: Place) -> Place:
        return layout.piece(
            place,
            self.id,
            "via",
            "via",
            line=lossless_line(self.z0),
            length=self.delay,
            z=self.z0,
            took=self.delay,
            pad=self.pad,
        )

    @property
    def removal(self) -> str:
        return f"via {self.id}"


def slice_of(element: Via, _: Slice) -> Item:
    """A via's slice."""
    return ViaItem(element.id, element.z0.si, element.delay.si, element.pad.si)
