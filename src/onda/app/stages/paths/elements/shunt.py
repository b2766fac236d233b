"""A termination along the line in the Paths stage."""

from __future__ import annotations

from onda.app.stages.paths.look import ElementLook, Sweepable
from onda.app.stages.paths.termination import termination_choice, termination_fields
from onda.project.paths.elements import Branch, ShuntPart

__all__ = ["LOOK", "sweep_of_end"]


def sweep_of_end(element: Branch | ShuntPart, _: float) -> Sweepable | None:
    """The resistor of a termination, from a third to three times as much."""
    if element.termination.r is None:
        return None
    r = element.termination.r.si
    return Sweepable(element.id, f"end of {element.id}", "resistance", 0.3 * r, 3.0 * r, r)


LOOK = ElementLook(
    "Termination",
    "at this place of the line",
    fields=lambda hand: termination_fields(hand.path, hand.element.id, hand.put),
    choices=lambda hand: [
        termination_choice(hand.path(), hand.element.id, hand.put, hand.z, may_be_none=False)
    ],
    chip=lambda e: str(e.termination.kind),
    sweep=sweep_of_end,
)
