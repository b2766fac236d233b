"""A two-port from a file in the Paths stage."""

from __future__ import annotations

from onda.app.shell.choices import ChoiceSpec
from onda.app.stages.paths.look import ElementLook, Hand

__all__ = ["LOOK"]


def _choices(hand: Hand) -> list[ChoiceSpec]:
    ways = (("no", "1 towards driver"), ("yes", "2 towards driver"))
    now = "yes" if hand.element.turned else "no"
    return [ChoiceSpec("Ports", ways, now, lambda k: hand.change(turned=k == "yes"))]


LOOK = ElementLook("Network", "a two-port from a file", choices=_choices, chip=lambda _: "2-port")
