"""A drilled via in the Paths stage."""

from __future__ import annotations

from onda.app.shell.choices import ChoiceSpec
from onda.app.stages.paths.look import ElementLook, FieldRow, Hand

__all__ = ["LOOK"]


def _choices(hand: Hand) -> list[ChoiceSpec]:
    element, change = hand.element, hand.change
    copper = tuple((c.id, c.id) for c in hand.design.stackup.copper)
    returns = tuple((str(n), str(n)) for n in range(5))
    stub = (("no", "left as it is"), ("yes", "back-drilled"))
    drilled = "yes" if element.back_drilled else "no"
    return [
        ChoiceSpec("From", copper, element.from_layer, lambda k: change(from_layer=k)),
        ChoiceSpec("To", copper, element.to_layer, lambda k: change(to_layer=k)),
        ChoiceSpec("Return vias", returns, str(element.returns), lambda k: change(returns=int(k))),
        ChoiceSpec("Stub", stub, drilled, lambda k: change(back_drilled=k == "yes")),
    ]


LOOK = ElementLook(
    "Drilled via",
    "barrel, pads and stub from its geometry",
    (
        FieldRow("Drill", "length", "drill", (1e-4, 5e-4, 1e-5)),
        FieldRow("Pad", "length", "pad", (2e-4, 1e-3, 1e-5)),
        FieldRow("Anti-pad", "length", "antipad", (3e-4, 1.6e-3, 1e-5)),
        FieldRow("Return vias at", "length", "return_distance", (4e-4, 5e-3, 5e-5)),
        FieldRow("Rest of stub", "length", "rest", (0.0, 6e-4, 1e-5)),
    ),
    hides=lambda e, key: key == "rest" and not e.back_drilled,
    choices=_choices,
    color="via",
    below="via",
)
