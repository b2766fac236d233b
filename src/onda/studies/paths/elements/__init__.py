"""Elements of a path in a net, a kind a module: its slice, how it is laid, what changes it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from onda.project.paths import elements as kinds
from onda.studies.paths.elements import (
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
from onda.studies.paths.items import Item
from onda.studies.paths.slice import Slice

__all__ = ["SLICES"]

SLICES: dict[type[kinds.Element], Callable[[Any, Slice], Item]] = {
    kinds.Branch: branch.slice_of,
    kinds.Cable: cable.slice_of,
    kinds.DrilledVia: drilled.slice_of,
    kinds.LanePiece: lane.slice_of,
    kinds.LumpedPart: lumped.slice_of,
    kinds.NetworkPiece: network.slice_of,
    kinds.SeriesResistor: resistor.slice_of,
    kinds.ShuntPart: shunt.slice_of,
    kinds.TracePiece: trace.slice_of,
    kinds.Via: via.slice_of,
}
"""How each kind is cut out of a design."""
