"""Slice of a design for a bus: what is done over which nets, each net once for all its signals."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from onda.engine.timing.strobed import Derating
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.buses.bus import Bus, BusSignal, Operation, Over, SlewTable, TimingSheet
from onda.project.model import Design
from onda.project.paths.edits import set_model
from onda.project.paths.path import Path
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import PathInputs

__all__ = [
    "BusPlan",
    "PlannedOperation",
    "PlannedSignal",
    "Route",
    "SheetInputs",
    "alone",
    "bus_plan",
    "case_path",
]


@dataclass(frozen=True, slots=True)
class SheetInputs:
    """What a listener asks for with what its sender takes, SI; `level` None looks for the best one,
    in steps of `level_step`."""

    level: float | None
    level_step: float
    ac: float
    dc: float
    strobe: float
    setup: float
    hold: float
    setup_table: Derating | None
    hold_table: Derating | None


@dataclass(frozen=True, slots=True)
class PlannedSignal:
    """A signal: lengths (piece, m) and pins (end, pin) of its own, and the lane of a group that it
    is, empty for that of its path."""

    id: str
    name: str
    path: str
    strobe: str
    takes: Literal["both", "rising"]
    lane: str
    lengths: tuple[tuple[str, float], ...]
    pins: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class PlannedOperation:
    """An operation between two ends.

    Attributes
    ----------
    strobe_at : bits of its lane from the edges of data to where they are taken
    room : s that a strobe of data may come from its clock, infinite where nothing is asked
    clocked : id of the operation over address between the same devices, empty for none
    lanes : strobes whose lanes it goes over, empty for all
    """

    id: str
    name: str
    drives: str
    listens: str
    over: Over
    strobe_at: float
    centred: bool
    sheet: SheetInputs
    room: float
    clocked: str
    lanes: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Route:
    """A path of the project during an operation at a corner; `single` where it is no pair."""

    operation: str
    path: str
    corner: str
    single: bool
    inputs: PathInputs


@dataclass(frozen=True, slots=True)
class BusPlan:
    """A bus.

    Attributes
    ----------
    unit_interval : s, of data
    order, bits : of the pseudo-random bits of each case; typed : bits that are sent instead
    step : s, by which strobes are moved towards their clock, 0 for not at all
    worst : whether each case also sends the bits that close its eye furthest
    alike : whether strobes, levels and steps are set once for all corners
    """

    signals: tuple[PlannedSignal, ...]
    operations: tuple[PlannedOperation, ...]
    routes: tuple[Route, ...]
    corners: tuple[str, ...]
    unit_interval: float
    order: int
    bits: int
    typed: str
    step: float
    worst: bool
    alike: bool

    def signal(self, identifier: str) -> PlannedSignal:
        """The signal of that id."""
        return next(s for s in self.signals if s.id == identifier)

    def strobes_in(self, operation: PlannedOperation) -> tuple[PlannedSignal, ...]:
        """Strobes, or clocks, of the lanes that an operation goes over."""
        edges = "rising" if operation.over == "address" else "both"
        some = (s for s in self.signals if not s.strobe and s.takes == edges)
        return tuple(s for s in some if not operation.lanes or s.id in operation.lanes)

    def taken_in(self, operation: PlannedOperation) -> tuple[PlannedSignal, ...]:
        """Signals that are taken in an operation, lane by lane."""
        lanes = [s.id for s in self.strobes_in(operation)]
        some = [s for s in self.signals if s.strobe in lanes]
        return tuple(sorted(some, key=lambda s: lanes.index(s.strobe)))


def alone(bus: Bus, operation: str, signal: str) -> Bus:
    """A bus of one operation, one signal and its strobe.

    Raises
    ------
    InputError : there is no such operation, or it does not take that signal
    """
    found = next((o for o in bus.operations if o.id == operation), None)
    if found is None:
        raise InputError(f"there is no operation {operation!r}")
    taken = next((s for s in bus.taken_in(found) if s.id == signal), None)
    if taken is None:
        raise InputError(f"{found.name} does not take {signal!r}")
    keep = (signal, taken.strobe)
    return set_value(
        bus, operations=(found,), signals=tuple(s for s in bus.signals if s.id in keep)
    )


def bus_plan(design: Design, bus: Bus) -> BusPlan:
    """Slice for a bus.

    Raises
    ------
    InputError : a device cannot be what an operation makes of it, or its file is nowhere
    """
    return BusPlan(
        tuple(_signal(bus, s) for s in bus.signals),
        tuple(_operation(bus, o) for o in bus.operations),
        tuple(route for o in bus.operations for route in _routes(design, bus, o)),
        bus.corners,
        1.0 / bus.rate.si,
        bus.prbs,
        bus.bits,
        bus.typed,
        bus.levelling_step.si if bus.levelling_step is not None else 0.0,
        bus.worst,
        bus.alike,
    )


def _signal(bus: Bus, signal: BusSignal) -> PlannedSignal:
    return PlannedSignal(
        signal.id,
        signal.name,
        signal.path,
        signal.strobe,
        signal.takes,
        signal.lane,
        tuple((x.id, x.length.si) for x in signal.lengths),
        tuple((bus.device(x.id).end, x.pin) for x in signal.pins),
    )


def _operation(bus: Bus, operation: Operation) -> PlannedOperation:
    listener = bus.device(operation.listens)
    sheet = listener.sheet_for(operation.over)
    assert sheet is not None
    ends = (operation.drives, operation.listens)
    clocked = (
        o.id for o in bus.operations if o.over == "address" and (o.drives, o.listens) == ends
    )
    return PlannedOperation(
        operation.id,
        operation.name,
        bus.device(operation.drives).end,
        listener.end,
        operation.over,
        operation.strobe_at.si,
        operation.centred,
        _sheet(sheet, bus.device(operation.drives).takes_from(operation.over)),
        sheet.to_clock.si if sheet.to_clock is not None else math.inf,
        next(clocked, "") if operation.over == "data" else "",
        operation.lanes,
    )


def _routes(design: Design, bus: Bus, operation: Operation) -> list[Route]:
    strobes = bus.strobes_in(operation)
    names = dict.fromkeys(s.path for s in (*strobes, *bus.taken_in(operation)))
    routes = []
    for name in names:
        path = case_path(design, bus, name, operation)
        for corner in bus.corners:
            inputs = path_inputs(design, path, fine=False, corner=corner)
            routes.append(Route(operation.id, name, corner, path.lane == "single", inputs))
    return routes


def case_path(design: Design, bus: Bus, name: str, operation: Operation) -> Path:
    """A path of the project as it is during an operation.

    Raises
    ------
    InputError : a device cannot be what the operation makes of it
    """
    path = design.path(name)
    for device in bus.devices:
        model = operation.model_of(device.id)
        if not model:
            continue
        owner = path.end(device.end)
        if owner.model is None:
            raise InputError(
                f"{owner.name} of path {path.name} has no device file",
                remedy=f"Give it one in Paths, then {model} can be chosen for it.",
            )
        path = set_model(path, device.end, set_value(owner.model, model=model))
    drives = bus.device(operation.drives).end
    return set_value(path, driving="" if drives == "driver" else drives)


def _table(table: SlewTable | None) -> Derating | None:
    return None if table is None else Derating(table.data_slew, table.strobe_slew, table.delta)


def _sheet(sheet: TimingSheet, taken: float) -> SheetInputs:
    """What is asked where a sender takes some of it."""
    return SheetInputs(
        sheet.level.si if sheet.level is not None else None,
        sheet.level_step.si,
        sheet.ac.si,
        sheet.dc.si,
        sheet.strobe.si,
        sheet.setup.si + taken,
        sheet.hold.si + taken,
        _table(sheet.setup_table),
        _table(sheet.hold_table),
    )
