"""A piece of trace in a net."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar

from onda.project.paths.elements import TracePiece
from onda.studies.lines.inputs import LineInputs, line_inputs
from onda.studies.lines.solved_line import solve_line
from onda.studies.paths.items import Item
from onda.studies.paths.layout import Layout, Place
from onda.studies.paths.slice import Slice

__all__ = ["TraceItem", "slice_of"]


@dataclass(frozen=True, slots=True)
class TraceItem(Item):
    """A piece of line."""

    is_line: ClassVar[bool] = True
    label: str
    line: LineInputs
    length: float

    def lay(self, layout: Layout, place: Place) -> Place:
        solved = solve_line(self.line, layout.fine, layout.even)
        return layout.line_piece(
            place, self.id, "trace", self.label, line=solved.line, length=self.length, z=solved.z
        )

    def with_value(self, value: float) -> Item:
        return replace(self, length=max(value, 1e-6))


def slice_of(element: TracePiece, where: Slice) -> Item:
    """A trace's slice."""
    line_class = where.design.line_class(element.line_class)
    line = line_inputs(where.design, line_class, element.layer)
    return TraceItem(element.id, element.layer, line, element.length.si)
