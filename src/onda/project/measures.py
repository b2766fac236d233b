"""Every measure there is, by key: one entry each, kept by its subject."""

from __future__ import annotations

from onda.errors import InputError
from onda.project.buses.measures import BUS_MEASURES
from onda.project.coupling.measures import GROUP_MEASURES
from onda.project.lines.measures import LINE_MEASURES
from onda.project.links.measures import LINK_MEASURES
from onda.project.measure import Measure
from onda.project.networks.measures import NETWORK_MEASURES
from onda.project.paths.measures import PATH_MEASURES

__all__ = ["MEASURES", "measure", "measures_of"]

MEASURES: dict[str, Measure] = {
    m.key: m
    for m in (
        *LINE_MEASURES,
        *PATH_MEASURES,
        *NETWORK_MEASURES,
        *LINK_MEASURES,
        *GROUP_MEASURES,
        *BUS_MEASURES,
    )
}


def measure(key: str) -> Measure:
    """The measure of that key; raise `InputError` where there is none."""
    found = MEASURES.get(key)
    if found is None:
        raise InputError(f"there is no measure {key!r}", remedy=f"One of {', '.join(MEASURES)}.")
    return found


def measures_of(kind: str) -> tuple[Measure, ...]:
    """Measures that objects of a kind have, in the order of the table."""
    return tuple(m for m in MEASURES.values() if m.kind == kind)
