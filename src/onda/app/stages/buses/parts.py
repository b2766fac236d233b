"""Signals, operations and devices of a bus as rows and fields: what is shown, what is changed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from onda.app.shell.ledger import Column, LedgerRow
from onda.errors import InputError
from onda.project.buses.bus import Bus, BusSignal, Operation, Over, TimingSheet
from onda.project.buses.edits import (
    add_device,
    add_operation,
    add_signal,
    free_ends,
    remove_device,
    remove_operation,
    remove_signal,
    with_device,
    with_operation,
    with_sender,
    with_sheet,
    with_signal,
)
from onda.project.model import Design
from onda.project.paths.elements.lane import LanePiece
from onda.project.quantities import Quantity, parse_quantity

__all__ = ["PARTS", "PartField", "Parts"]

Option = tuple[str, str]
Change = Callable[[str], Bus]
"""A bus with what was typed or chosen."""
_TAKES = (("both", "both edges"), ("rising", "rising edges, as a clock"))
_OVER = (("data", "data"), ("address", "address"))
_CENTRED = (("yes", "where margins are alike"), ("no", "where it comes"))
_SHEET = (("yes", "has a sheet"), ("no", "none"))
_YES = {True: "yes", False: "no"}
_NOBODY = "it is a strobe"


@dataclass(frozen=True, slots=True)
class PartField:
    """A field of a part: typed where there are no options, else chosen from (key, words)."""

    title: str
    value: str
    change: Change
    options: tuple[Option, ...] = ()
    empty: str = ""


@dataclass(frozen=True, slots=True)
class Parts:
    """A kind of part: a row for each, fields of one, and how they come and go.

    Attributes
    ----------
    key, title, one : of the kind, of many and of one
    add : a bus with one more, as another one is or as the design allows, and its id
    """

    key: str
    title: str
    one: str
    columns: tuple[Column, ...]
    rows: Callable[[Bus], list[LedgerRow]]
    fields: Callable[[Design, Bus, str], list[PartField]]
    add: Callable[[Design, Bus, str], tuple[Bus, str]]
    remove: Callable[[Bus, str], Bus]


# ---- signals


def _taker(bus: Bus, signal: BusSignal) -> str:
    if signal.strobe:
        return bus.signal(signal.strobe).name
    return "a clock" if signal.takes == "rising" else "a strobe"


def _signal_rows(bus: Bus) -> list[LedgerRow]:
    return [
        LedgerRow(s.id, (s.name, _taker(bus, s), s.path, s.lane or "as in Paths"))
        for s in bus.signals
    ]


def _lanes(design: Design, path: str) -> tuple[Option, ...]:
    """Lanes of the groups that a path runs along."""
    groups = dict.fromkeys(
        e.group for e in design.path(path).all_elements if isinstance(e, LanePiece)
    )
    return tuple((x.id, x.name) for g in groups for x in design.group(g).lanes)


def _signal_fields(design: Design, bus: Bus, identifier: str) -> list[PartField]:
    signal = bus.signal(identifier)

    def put(field: str) -> Change:
        return lambda typed: with_signal(bus, identifier, **{field: typed})

    strobes = tuple((s.id, s.name) for s in bus.signals if not s.strobe and s.id != identifier)
    fields = [
        PartField("Name", signal.name, put("name")),
        PartField("Path", signal.path, put("path"), tuple((p.id, p.name) for p in design.paths)),
        PartField("Taken by", signal.strobe, put("strobe"), (("", _NOBODY), *strobes)),
    ]
    if not signal.strobe:
        fields.append(PartField("Takes at", signal.takes, put("takes"), _TAKES))
    lanes = _lanes(design, signal.path)
    if lanes:
        fields.append(
            PartField("Lane of its group", signal.lane, put("lane"), (("", "as in Paths"), *lanes))
        )
    return fields


# ---- operations


def _lane_words(bus: Bus, operation: Operation) -> str:
    return ", ".join(bus.signal(x).name for x in operation.lanes)


def _operation_rows(bus: Bus) -> list[LedgerRow]:
    return [
        LedgerRow(
            o.id,
            (
                o.name, bus.device(o.drives).name, bus.device(o.listens).name, o.over,
                _lane_words(bus, o) or "all", o.strobe_at.text,
                "alike" if o.centred else "as it comes",
            ),
        )
        for o in bus.operations
    ]  # fmt: skip


def _lanes_typed(bus: Bus, typed: str) -> tuple[str, ...]:
    """Ids of strobes that are named, with commas between them."""
    ids = {s.name: s.id for s in bus.signals} | {s.id: s.id for s in bus.signals}
    names = [n.strip() for n in typed.split(",") if n.strip()]
    for name in names:
        if name not in ids:
            strobes = ", ".join(s.name for s in bus.signals if not s.strobe)
            raise InputError(f"{bus.name} has no signal {name!r}", remedy=f"Strobes: {strobes}.")
    return tuple(ids[n] for n in names)


def _operation_fields(design: Design, bus: Bus, identifier: str) -> list[PartField]:
    operation = bus.operation(identifier)
    devices = tuple((d.id, d.name) for d in bus.devices)

    def put(field: str, read: Callable[[str], object] = str) -> Change:
        return lambda typed: with_operation(bus, identifier, **{field: read(typed)})

    return [
        PartField("Name", operation.name, put("name")),
        PartField("Sends", operation.drives, put("drives"), devices),
        PartField("Listens", operation.listens, put("listens"), devices),
        PartField("Over", operation.over, put("over"), _OVER),
        PartField(
            "Lanes of", _lane_words(bus, operation), put("lanes", lambda t: _lanes_typed(bus, t)),
            empty="all strobes",
        ),
        PartField(
            "Strobe behind data", operation.strobe_at.text,
            put("strobe_at", lambda t: parse_quantity(t, "unit interval", "UI")),
        ),
        PartField(
            "Strobe stands", _YES[operation.centred], put("centred", lambda t: t == "yes"), _CENTRED
        ),
    ]  # fmt: skip


# ---- devices


def _text(quantity: Quantity | None) -> str:
    return quantity.text if quantity is not None else ""


def _device_rows(bus: Bus) -> list[LedgerRow]:
    def has(sheet: TimingSheet | None) -> str:
        return "none" if sheet is None else sheet.source or "has one"

    return [
        LedgerRow(d.id, (d.name, d.end, has(d.sheet), has(d.address_sheet))) for d in bus.devices
    ]


def _device_fields(design: Design, bus: Bus, identifier: str) -> list[PartField]:
    device = bus.device(identifier)
    path = design.path(bus.signals[0].path)
    ends = (device.end, *free_ends(bus, path))

    def sheet(over: Over) -> Change:
        def change(chosen: str) -> Bus:
            new = TimingSheet() if chosen == "yes" else None
            return with_sheet(bus, identifier, over, new)

        return change

    def sender(field: str) -> Change:
        def change(typed: str) -> Bus:
            value = parse_quantity(typed, "time", "ps") if typed else None
            return with_sender(bus, identifier, **{field: value})

        return change

    asks = device.sheet or device.address_sheet
    fields = [
        PartField("Name", device.name, lambda t: with_device(bus, identifier, name=t)),
        PartField(
            "End of every path", device.end, lambda t: with_device(bus, identifier, end=t),
            tuple((e, f"{e}, {path.end(e).name}") for e in ends),
        ),
        PartField("Sheet for data", _YES[device.sheet is not None], sheet("data"), _SHEET),
        PartField(
            "Sheet for address", _YES[device.address_sheet is not None], sheet("address"), _SHEET
        ),
    ]  # fmt: skip
    if asks is not None:
        fields += [
            PartField("Skew as sender", _text(asks.skew), sender("skew"), empty="none"),
            PartField("Jitter as sender", _text(asks.jitter), sender("jitter"), empty="none"),
        ]
    return fields


def _columns(*shares: tuple[str, float]) -> tuple[Column, ...]:
    return tuple(Column(title, share) for title, share in shares)


PARTS: dict[str, Parts] = {
    p.key: p
    for p in (
        Parts(
            "signals", "Signals", "signal",
            _columns(("signal", 0.2), ("taken by", 0.2), ("path", 0.3), ("lane", 0.3)),
            _signal_rows, _signal_fields, lambda _, bus, like: add_signal(bus, like),
            remove_signal,
        ),
        Parts(
            "operations", "Operations", "operation",
            _columns(
                ("operation", 0.2), ("sends", 0.16), ("listens", 0.16), ("over", 0.12),
                ("lanes", 0.12), ("strobe", 0.1), ("stands", 0.14),
            ),
            _operation_rows, _operation_fields, lambda _, bus, like: add_operation(bus, like),
            remove_operation,
        ),
        Parts(
            "devices", "Devices", "device",
            _columns(
                ("device", 0.2), ("end", 0.16), ("asks for data", 0.32), ("for address", 0.32),
            ),
            _device_rows, _device_fields,
            lambda design, bus, _: add_device(bus, design.path(bus.signals[0].path)),
            remove_device,
        ),
    )
}  # fmt: skip
"""Kinds of parts, by key."""
