"""A piece of trace in the Paths stage."""

from __future__ import annotations

from onda.app.shell.choices import ChoiceSpec
from onda.app.stages.paths.look import ElementLook, FieldRow, Hand, Sweepable, Trim
from onda.project.paths.elements import TracePiece

__all__ = ["LOOK", "sweep_of_length"]


def _trim(element: TracePiece, _: FieldRow) -> Trim | None:
    at = element.length.si
    return max(at * 0.1, 5e-4), max(at * 2.0, 0.02), 1e-4


def _choices(hand: Hand) -> list[ChoiceSpec]:
    element, design = hand.element, hand.design
    lane = hand.path().lane
    classes = tuple((c.id, c.name) for c in design.line_classes if c.kind == lane)
    layers = tuple((o.layer, o.layer) for o in design.line_class(element.line_class).on)

    def choose_class(key: str) -> None:
        line_class = design.line_class(key)
        there = line_class.trace_on(element.layer) is not None
        hand.change(line_class=key, layer=element.layer if there else line_class.on[0].layer)

    return [
        ChoiceSpec("Class", classes, element.line_class, choose_class),
        ChoiceSpec("Layer", layers, element.layer, lambda k: hand.change(layer=k)),
    ]


def sweep_of_length(element: TracePiece, _: float) -> Sweepable:
    """The length of a piece, from a tenth to twice as much."""
    at = element.length.si
    return Sweepable(element.id, f"length of {element.id}", "length", 0.1 * at, 2.0 * at, at)


LOOK = ElementLook(
    "Trace",
    "a length of a line class on a layer",
    (FieldRow("Length", "length", "length"),),
    trim=_trim,
    choices=_choices,
    sweep=sweep_of_length,
)
