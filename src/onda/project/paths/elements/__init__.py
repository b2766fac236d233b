"""Elements of a path, a kind a module: its fields, what it refers to, how it is offered.

`ELEMENTS` is the table of kinds by their word in the file, `OFFERS` what can be inserted.
"""

from __future__ import annotations

from onda.project.paths.elements import (
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
from onda.project.paths.elements.branch import Branch
from onda.project.paths.elements.cable import Cable
from onda.project.paths.elements.drilled import DrilledVia
from onda.project.paths.elements.element import (
    ELEMENTS,
    Element,
    Net,
    Offer,
    PathElement,
    termination_of,
)
from onda.project.paths.elements.lane import LanePiece
from onda.project.paths.elements.lumped import LumpedPart
from onda.project.paths.elements.network import NetworkPiece
from onda.project.paths.elements.resistor import SeriesResistor
from onda.project.paths.elements.shunt import ShuntPart
from onda.project.paths.elements.trace import TracePiece
from onda.project.paths.elements.via import Via

__all__ = [
    "ELEMENTS",
    "OFFERS",
    "Branch",
    "Cable",
    "DrilledVia",
    "Element",
    "LanePiece",
    "LumpedPart",
    "Net",
    "NetworkPiece",
    "Offer",
    "PathElement",
    "SeriesResistor",
    "ShuntPart",
    "TracePiece",
    "Via",
    "termination_of",
]

OFFERS: dict[str, Offer] = {
    offer.key: offer
    for kind in (trace, lane, via, drilled, resistor, lumped, cable, network, shunt, branch)
    for offer in kind.OFFERS
}
"""What can be inserted, in the order of menus."""
