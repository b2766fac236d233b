"""Buses as a kind of object."""

from __future__ import annotations

from collections.abc import Iterable

from onda.project.buses.bus import Bus
from onda.project.coupling.group import Lane
from onda.project.kind import Kind, Mention, Objects
from onda.project.paths.elements.lane import LanePiece

__all__ = ["BUS_KINDS"]


def _refers(bus: Bus) -> Iterable[Mention]:
    for signal in bus.signals:
        yield Mention("path", signal.path, f"signal {signal.id}")


def _lanes(objects: Objects, group: str) -> Iterable[Lane]:
    found = objects.get("group", group)
    return found.lanes if found is not None else ()


def _check(bus: Bus, objects: Objects) -> None:
    for signal in bus.signals:
        path = objects.get("path", signal.path)
        if path is None:
            continue
        ends = {"driver", *path.receivers}
        for device in bus.devices:
            if device.end not in ends:
                raise ValueError(
                    f"bus {bus.name}, signal {signal.name}: path {path.id} has no end "
                    f"{device.end!r} for {device.name}: one of {', '.join(sorted(ends))}"
                )
        if signal.lane:
            groups = [e.group for e in path.all_elements if isinstance(e, LanePiece)]
            lanes = {x.id for g in groups for x in _lanes(objects, g)}
            if signal.lane not in lanes:
                known = f"one of {', '.join(sorted(lanes))}" if lanes else "it runs over no group"
                raise ValueError(
                    f"bus {bus.name}, signal {signal.name}: path {path.id} has no lane "
                    f"{signal.lane!r}: {known}"
                )
        for own in signal.lengths:
            element = path.element(own.id)
            if element is None or not hasattr(element, "length"):
                raise ValueError(
                    f"bus {bus.name}, signal {signal.name}: path {path.id} has no piece of line "
                    f"{own.id!r}"
                )


BUS_KINDS = (
    Kind("bus", "bus", "buses", Bus, refers=_refers, needs=("path",), check=_check, space="buses"),
)
