"""Edits of a bus: its signals, operations and devices, each a new bus."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from typing import Any, Literal, TypeVar

from onda.errors import InputError
from onda.project.base import fresh_id, set_value
from onda.project.buses.bus import Bus, BusDevice, BusSignal, Operation, Over, TimingSheet
from onda.project.paths.path import Path

__all__ = [
    "add_device",
    "add_operation",
    "add_signal",
    "free_ends",
    "remove_device",
    "remove_operation",
    "remove_signal",
    "with_device",
    "with_operation",
    "with_sender",
    "with_sheet",
    "with_signal",
]

Part = TypeVar("Part", BusSignal, Operation, BusDevice)
_NUMBER = re.compile(r"^(.*?)(\d+)$", re.ASCII)
_LONGEST = 9
"""Digits of a number that is counted on."""


def _next_name(name: str, taken: Iterable[str]) -> str:
    """The name counted on: DQ7 after DQ6; DQS 2 after DQS."""
    known = set(taken)
    found = _NUMBER.match(name)
    if found is None or len(found[2]) > _LONGEST:
        stem, number = f"{name} ", 1
    else:
        stem, number = found[1], int(found[2])
    while True:
        number += 1
        if f"{stem}{number}" not in known:
            return f"{stem}{number}"


def _changed(parts: Sequence[Part], identifier: str, **changes: Any) -> tuple[Part, ...]:
    return tuple(set_value(p, **changes) if p.id == identifier else p for p in parts)


def with_signal(bus: Bus, identifier: str, **changes: Any) -> Bus:
    """A bus with other fields of a signal.

    What is taken by a strobe takes nothing itself, and a signal over another path has no lengths
    of the former one's pieces.
    """
    signal = bus.signal(identifier)
    if changes.get("strobe"):
        changes["takes"] = "both"
    if changes.get("path", signal.path) != signal.path:
        changes |= {"lengths": (), "lane": ""}
    return set_value(bus, signals=_changed(bus.signals, identifier, **changes))


def add_signal(bus: Bus, like: str) -> tuple[Bus, str]:
    """A bus with one signal more, as another one but for its lane, lengths and pins; and its id."""
    old = bus.signal(like)
    name = _next_name(old.name, (s.name for s in bus.signals))
    identifier = fresh_id(name.replace(" ", "-"), {s.id for s in bus.signals}, "signal")
    new = set_value(old, id=identifier, name=name, lane="", lengths=(), pins=())
    return set_value(bus, signals=(*bus.signals, new)), identifier


def remove_signal(bus: Bus, identifier: str) -> Bus:
    """A bus without a signal.

    Raises
    ------
    InputError : it takes others, or nothing would be left
    """
    signal = bus.signal(identifier)
    taken = [s.name for s in bus.signals if s.strobe == identifier]
    if taken:
        more = f" and {len(taken) - 1} more" if len(taken) > 1 else ""
        raise InputError(
            f"{signal.name} takes {taken[0]}{more}",
            remedy="Remove these first, or have them taken by another strobe.",
        )
    operations = tuple(
        set_value(o, lanes=tuple(x for x in o.lanes if x != identifier)) for o in bus.operations
    )
    rest = tuple(s for s in bus.signals if s.id != identifier)
    return set_value(bus, signals=rest, operations=operations)


def with_operation(bus: Bus, identifier: str, **changes: Any) -> Bus:
    """A bus with other fields of an operation.

    Who sends to itself changes places with who sent; over other lanes than before it goes over all
    of them; who listens without a timing sheet gets one to be filled in.
    """
    operation = bus.operation(identifier)
    ends = {"drives": operation.drives, "listens": operation.listens}
    new = {k: changes.get(k, v) for k, v in ends.items()}
    if new["drives"] == new["listens"]:
        new = {"drives": ends["listens"], "listens": ends["drives"]}
    changes |= new
    over: Over = changes.get("over", operation.over)
    if over != operation.over:
        changes.setdefault("lanes", ())
    return set_value(
        bus,
        operations=_changed(bus.operations, identifier, **changes),
        devices=_asking(bus.devices, changes["listens"], over),
    )


def _asking(devices: Sequence[BusDevice], listens: str, over: Over) -> tuple[BusDevice, ...]:
    """Devices of which one has a sheet for what it listens to."""
    device = next(d for d in devices if d.id == listens)
    if device.sheet_for(over) is not None:
        return tuple(devices)
    return _changed(devices, listens, **{_field(over): TimingSheet()})


def _field(over: Over) -> Literal["sheet", "address_sheet"]:
    return "address_sheet" if over == "address" else "sheet"


def with_sheet(bus: Bus, device: str, over: Over, sheet: TimingSheet | None) -> Bus:
    """A bus with another timing sheet of a device, or without it."""
    return set_value(bus, devices=_changed(bus.devices, device, **{_field(over): sheet}))


def with_sender(bus: Bus, device: str, **changes: Any) -> Bus:
    """A bus with other fields of a device's sheets, for data and for address alike."""
    one = bus.device(device)
    sheets = {
        name: set_value(sheet, **changes)
        for name in ("sheet", "address_sheet")
        if (sheet := getattr(one, name)) is not None
    }
    return set_value(bus, devices=_changed(bus.devices, device, **sheets))


def add_operation(bus: Bus, like: str) -> tuple[Bus, str]:
    """A bus with one operation more, as another one is; and its id."""
    old = bus.operation(like)
    name = _next_name(old.name, (o.name for o in bus.operations))
    wanted = name.lower().replace(" ", "-")
    identifier = fresh_id(wanted, {o.id for o in bus.operations}, "operation")
    new = set_value(old, id=identifier, name=name)
    place = bus.operations.index(old) + 1
    operations = (*bus.operations[:place], new, *bus.operations[place:])
    return set_value(bus, operations=operations), identifier


def remove_operation(bus: Bus, identifier: str) -> Bus:
    """A bus without an operation.

    Raises
    ------
    InputError : it is the only one
    """
    rest = tuple(o for o in bus.operations if o.id != identifier)
    if not rest:
        raise InputError(f"{bus.name} has no other operation", remedy="Add one first.")
    return set_value(bus, operations=rest)


def free_ends(bus: Bus, path: Path) -> tuple[str, ...]:
    """Ends of a path where no device of the bus is."""
    taken = {d.end for d in bus.devices}
    return tuple(e for e in ("driver", *path.receivers) if e not in taken)


def with_device(bus: Bus, identifier: str, **changes: Any) -> Bus:
    """A bus with other fields of a device."""
    return set_value(bus, devices=_changed(bus.devices, identifier, **changes))


def add_device(bus: Bus, path: Path) -> tuple[Bus, str]:
    """A bus with a device at the next end of a path where none is; and its id.

    Raises
    ------
    InputError : there is one at every end
    """
    free = free_ends(bus, path)
    if not free:
        raise InputError(
            f"every end of {path.name} has its device",
            remedy="Add a branch or a receiver to the path first.",
        )
    identifier = fresh_id(free[0], {d.id for d in bus.devices}, "device")
    new = BusDevice(id=identifier, name=path.end(free[0]).name, end=free[0])
    return set_value(bus, devices=(*bus.devices, new)), identifier


def remove_device(bus: Bus, identifier: str) -> Bus:
    """A bus without a device; what it is in each operation, and its pins, go with it.

    Raises
    ------
    InputError : it sends or listens in an operation
    """
    device = bus.device(identifier)
    for operation in bus.operations:
        if identifier in (operation.drives, operation.listens):
            does = "sends" if identifier == operation.drives else "listens"
            raise InputError(
                f"{device.name} {does} in {operation.name}",
                remedy="Remove the operation first, or let another device take its place.",
            )

    operations = (
        set_value(o, settings=tuple(x for x in o.settings if x.id != identifier))
        for o in bus.operations
    )
    signals = (
        set_value(s, pins=tuple(x for x in s.pins if x.id != identifier)) for s in bus.signals
    )
    return set_value(
        bus,
        devices=tuple(d for d in bus.devices if d.id != identifier),
        operations=tuple(operations),
        signals=tuple(signals),
    )
