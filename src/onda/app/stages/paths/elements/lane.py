"""A lane of a group in the Paths stage."""

from __future__ import annotations

from onda.app.shell.choices import ChoiceSpec
from onda.app.stages.paths.look import ElementLook, Hand

__all__ = ["LOOK"]

_NEIGHBOURS = (("rest", "rest"), ("along", "switch along"), ("against", "switch against"))


def _choices(hand: Hand) -> list[ChoiceSpec]:
    element, design = hand.element, hand.design
    kind = hand.path().lane
    groups = tuple(
        (g.id, g.name) for g in design.groups if design.line_class(g.line_class).kind == kind
    )
    lanes = tuple((x.id, x.name) for x in design.group(element.group).lanes)

    def choose_group(key: str) -> None:
        now = {x.id for x in design.group(key).lanes}
        first = design.group(key).lanes[0].id
        hand.change(group=key, lane=element.lane if element.lane in now else first)

    return [
        ChoiceSpec("Group", groups, element.group, choose_group),
        ChoiceSpec("Lane", lanes, element.lane, lambda k: hand.change(lane=k)),
        ChoiceSpec(
            "Neighbours", _NEIGHBOURS, element.neighbours, lambda k: hand.change(neighbours=k)
        ),
    ]


LOOK = ElementLook("Lane", "one of a group, its neighbours beside it", choices=_choices)
