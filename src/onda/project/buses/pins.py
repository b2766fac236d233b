"""Pins of a bus's signals: what is set, and what their names propose."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from onda.project.base import set_value
from onda.project.buses.bus import Bus, BusSignal, SignalPin
from onda.project.model import Design

__all__ = ["PinRow", "device_files", "pin_rows", "proposed_pins", "with_pins"]

Pins = Sequence[tuple[str, str]]
"""(pin, its signal in the device file)."""
_WORDS = re.compile(r"[^A-Z0-9#+\-]+")


def _words(name: str) -> tuple[str, ...]:
    return tuple(w for w in _WORDS.split(name.upper()) if w)


def proposed_pins(names: Mapping[str, str], pins: Pins) -> dict[str, str]:
    """The pin of each signal, by id, whose name in the file is its own, or else ends with the same
    words as its own (``MEM_DQ3`` with ``DQ3``); nothing where none or more than one fits.

    A pin is proposed once.
    """
    named = [(pin, _words(signal)) for pin, signal in pins]
    found: dict[str, str] = {}
    for identifier, name in names.items():
        own = _words(name)
        alike = [pin for pin, words in named if words == own]
        if not alike and own:
            alike = [
                pin
                for pin, words in named
                if words and (words[-len(own) :] == own or own[-len(words) :] == words)
            ]
        if len(alike) == 1:
            found[identifier] = alike[0]
    taken = list(found.values())
    return {signal: pin for signal, pin in found.items() if taken.count(pin) == 1}


@dataclass(frozen=True, slots=True)
class PinRow:
    """A signal at a device: the pin that is set and the one that is proposed, empty for none."""

    signal: str
    device: str
    set: str
    proposed: str

    @property
    def fits(self) -> bool:
        """Whether it has a pin, or one is proposed."""
        return bool(self.set or self.proposed)


def device_files(design: Design, bus: Bus) -> dict[tuple[str, str], str]:
    """Which device file each device has on each path of a bus, by (path, device); those without one
    are not there."""
    found = {}
    for name in dict.fromkeys(s.path for s in bus.signals):
        path = design.path(name)
        for device in bus.devices:
            use = path.end(device.end).model
            if use is not None:
                found[name, device.id] = use.file
    return found


def pin_rows(
    bus: Bus, files: Mapping[tuple[str, str], str], pins: Mapping[str, Pins]
) -> list[PinRow]:
    """A row for every signal and device whose file has pins; `files` as `device_files` has them,
    `pins` by file.

    Of signals that share a file at a device each pin is proposed once.
    """
    rows = []
    for device in bus.devices:
        there = {s.id: files.get((s.path, device.id), "") for s in bus.signals}
        proposed: dict[str, str] = {}
        for file in dict.fromkeys(there.values()):
            names = {s.id: s.name for s in bus.signals if there[s.id] == file}
            proposed |= proposed_pins(names, pins.get(file, ()))
        rows += [
            PinRow(s.id, device.id, s.pin_at(device.id), proposed.get(s.id, ""))
            for s in bus.signals
            if pins.get(there[s.id])
        ]
    return rows


def with_pins(bus: Bus, pins: Mapping[tuple[str, str], str]) -> tuple[BusSignal, ...]:
    """Signals of a bus with other pins, by (signal, device); an empty one is that of the path."""

    def changed(signal: BusSignal) -> BusSignal:
        new = {x.id: x.pin for x in signal.pins}
        new |= {device: pin for (s, device), pin in pins.items() if s == signal.id}
        kept = tuple(SignalPin(id=d, pin=pin) for d, pin in new.items() if pin)
        return signal if kept == signal.pins else set_value(signal, pins=kept)

    return tuple(changed(s) for s in bus.signals)
