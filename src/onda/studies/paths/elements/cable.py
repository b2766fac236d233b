"""A piece of a line from a data sheet in a net."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from onda.project.paths.elements import Cable
from onda.studies.lines.sheet_line import SheetInputs, line_of_sheet, sheet_inputs
from onda.studies.paths.items import Item
from onda.studies.paths.layout import Layout, Place
from onda.studies.paths.slice import Slice

__all__ = ["CableItem", "slice_of"]


@dataclass(frozen=True, slots=True)
class CableItem(Item):
    """A piece of a line known from a data sheet."""

    is_line: ClassVar[bool] = True
    label: str
    line: SheetInputs
    length: float

    def lay(self, layout: Layout, place: Place) -> Place:
        line = line_of_sheet(self.line)
        z = float(abs(line.impedance(np.array([layout.knee]))[0]))
        return layout.line_piece(
            place, self.id, "cable", self.label, line=line, length=self.length, z=z
        )

    def with_value(self, value: float) -> Item:
        return replace(self, length=max(value, 1e-6))


def slice_of(element: Cable, where: Slice) -> Item:
    """A cable's slice."""
    sheet = next(line for line in where.design.sheet_lines if line.id == element.line)
    return CableItem(element.id, sheet.name, sheet_inputs(sheet), element.length.si)
