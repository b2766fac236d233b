"""How the elements of a path look, a kind a module; `look` says what a look is."""

from __future__ import annotations

from onda.app.stages.paths.elements import (
    branch,
    cable,
    drilled,
    lane,
    lumped,
    network,
    resistor,
    shunt,
    trace,
    via,
)
from onda.app.stages.paths.look import ElementLook
from onda.project.paths import elements as kinds

__all__ = ["LOOKS", "look_of"]

LOOKS: dict[type[kinds.Element], ElementLook] = {
    kinds.Branch: branch.LOOK,
    kinds.Cable: cable.LOOK,
    kinds.DrilledVia: drilled.LOOK,
    kinds.LanePiece: lane.LOOK,
    kinds.LumpedPart: lumped.LOOK,
    kinds.NetworkPiece: network.LOOK,
    kinds.SeriesResistor: resistor.LOOK,
    kinds.ShuntPart: shunt.LOOK,
    kinds.TracePiece: trace.LOOK,
    kinds.Via: via.LOOK,
}
"""By kind of element."""
_PLAIN = ElementLook("Receiver", "")


def look_of(element: kinds.Element | None) -> ElementLook:
    """How an element looks; one that is not there looks plain."""
    return LOOKS[type(element)] if element is not None else _PLAIN
