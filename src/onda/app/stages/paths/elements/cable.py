"""A cable in the Paths stage."""

from __future__ import annotations

from onda.app.shell.choices import ChoiceSpec
from onda.app.stages.paths.elements.trace import sweep_of_length
from onda.app.stages.paths.look import ElementLook, FieldRow, Hand

__all__ = ["LOOK"]


def _choices(hand: Hand) -> list[ChoiceSpec]:
    lines = tuple((line.id, line.name) for line in hand.design.sheet_lines)
    return [ChoiceSpec("Line", lines, hand.element.line, lambda k: hand.change(line=k))]


LOOK = ElementLook(
    "Cable",
    "a length of a line from a data sheet",
    (FieldRow("Length", "length", "length", (0.01, 3.0, 0.005)),),
    choices=_choices,
    sweep=sweep_of_length,
)
