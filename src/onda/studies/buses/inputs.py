"""Slices of a design for a bus: every case with its path, its strobe and what is asked of it."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Literal

from onda.engine.links.patterns import prbs
from onda.engine.timing.strobed import Derating
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.buses.bus import Bus, BusSignal, Operation, SlewTable, TimingSheet
from onda.project.model import Design
from onda.project.paths.edits import set_model
from onda.project.paths.path import Path
from onda.studies.coupling.inputs import lane_number
from onda.studies.paths.elements.lane import LaneBits, LaneItem
from onda.studies.paths.ends import EndInputs
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import Item, PathInputs, with_ends, with_items
from onda.studies.paths.sweep import with_value

__all__ = [
    "BusInputs",
    "CaseInputs",
    "LevellingInputs",
    "SheetInputs",
    "StrobeInputs",
    "WaveInputs",
    "alone",
    "bus_inputs",
    "case_path",
]

_LEAD = 8
"""Bits before those that are judged, while the net comes to its swing."""


@dataclass(frozen=True, slots=True)
class SheetInputs:
    """What a listener asks for, SI; `level` None looks for the best one, in steps of
    `level_step`."""

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
class WaveInputs:
    """A net with the end that listens, and what is sent over it: `count` bits, `unit_interval` s
    each, pseudo-random of an order, or one and zero in turn for order 0."""

    path: PathInputs
    listens: str
    order: int
    count: int
    unit_interval: float

    @property
    def bits(self) -> str:
        """What is sent, the first one first."""
        if self.order == 0:
            return ("01" * self.count)[: self.count]
        return "".join(str(int(b)) for b in prbs(self.order, self.count))


@dataclass(frozen=True, slots=True)
class StrobeInputs:
    """A strobe or a clock; `single` where one line stands for both of its legs."""

    wave: WaveInputs
    single: bool


@dataclass(frozen=True, slots=True)
class CaseInputs:
    """A signal in one operation at one corner.

    The first `lead` of its bits are not judged; the strobe is one and zero in turn, of bits that
    may be shorter, and is taken `strobe_at` s behind where it would come; `edges` are "both" or
    "rising"; `centred` looks at other places of the strobe too.
    """

    signal: str
    signal_name: str
    lane: str
    operation: str
    operation_name: str
    corner: str
    data: WaveInputs
    strobe: StrobeInputs
    sheet: SheetInputs
    lead: int
    strobe_at: float
    centred: bool = True
    edges: Literal["both", "rising"] = "both"

    @property
    def unit_interval(self) -> float:
        """Seconds."""
        return self.data.unit_interval


@dataclass(frozen=True, slots=True)
class LevellingInputs:
    """A strobe beside the clock at the device that listens; moved by steps of `step` s, 0 for not
    at all; `room` s that may be left, infinite where nothing is asked."""

    lane: str
    lane_name: str
    operation: str
    operation_name: str
    corner: str
    strobe: StrobeInputs
    clock: StrobeInputs
    step: float
    room: float


@dataclass(frozen=True, slots=True)
class BusInputs:
    """All cases; `centred` are operations whose strobe is moved for each lane; `levelled` are
    strobes that are held against a clock."""

    cases: tuple[CaseInputs, ...]
    centred: tuple[str, ...]
    levelled: tuple[LevellingInputs, ...] = ()


def _table(table: SlewTable | None) -> Derating | None:
    return None if table is None else Derating(table.data_slew, table.strobe_slew, table.delta)


def _sheet(sheet: TimingSheet) -> SheetInputs:
    return SheetInputs(
        sheet.level.si if sheet.level is not None else None,
        sheet.level_step.si,
        sheet.ac.si,
        sheet.dc.si,
        sheet.strobe.si,
        sheet.setup.si,
        sheet.hold.si,
        _table(sheet.setup_table),
        _table(sheet.hold_table),
    )


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


class _Routes:
    """Paths of the project during an operation; what signals have alike is worked out once."""

    def __init__(self, design: Design, bus: Bus, operation: Operation) -> None:
        self.operation = operation
        self._design, self._bus = design, bus
        self._lanes: dict[str, str] = {}
        self._made: dict[tuple[str, str], PathInputs] = {}

    def _over(self, signal: BusSignal, corner: str) -> PathInputs:
        """The path of a signal, its own lengths put in."""
        name = signal.path
        if name not in self._lanes:
            path = case_path(self._design, self._bus, name, self.operation)
            self._lanes[name] = path.lane
            for c in self._bus.corners:
                self._made[name, c] = path_inputs(self._design, path, fine=False, corner=c)
        made = self._made[name, corner]
        for own in signal.lengths:
            made = with_value(made, own.id, own.length.si)
        return made

    def _on_pins(self, path: PathInputs, signal: BusSignal) -> PathInputs:
        """A path whose devices are at the pins of a signal."""
        pins = {self._bus.device(x.id).end: x.pin for x in signal.pins}

        def change(end: EndInputs) -> EndInputs:
            if end.id not in pins or end.device is None:
                return end
            return replace(end, device=replace(end.device, pin=pins[end.id]))

        return replace(with_ends(path, change), driver=change(path.driver)) if pins else path

    def _beside(self, path: PathInputs, signal: BusSignal, sends: LaneBits) -> PathInputs:
        """A path whose lanes of groups run between signals of the bus: all are driven from the end
        where this one is, by what it is driven by, and send bits of their own."""
        bus, operation = self._bus, self.operation
        ends = {"driver": path.driver, path.end.id: path.end}
        ends |= {item.end.id: item.end for item in path.every_item if item.end is not None}
        drives, listens = (ends[bus.device(d).end] for d in (operation.drives, operation.listens))

        def change(item: Item) -> Item:
            if not isinstance(item, LaneItem):
                return item
            lane = lane_number(item.group, signal.lane) if signal.lane else item.lane
            return replace(
                item, lane=lane, driver=drives.device, listener=listens.device, sends=sends,
                turned=bus.device(operation.drives).end != "driver",
            )  # fmt: skip

        return with_items(path, change)

    def wave(
        self, signal: BusSignal, corner: str, order: int, count: int, unit: float
    ) -> WaveInputs:
        """A signal with what is sent over it."""
        listens = self._bus.device(self.operation.listens).end
        # Beside a strobe run signals of the same bus, too.
        sends = LaneBits(self._bus.prbs, count, unit)
        path = self._beside(self._on_pins(self._over(signal, corner), signal), signal, sends)
        return WaveInputs(path, listens, order, count, unit)

    def strobe(self, strobe: BusSignal, corner: str) -> StrobeInputs:
        """A strobe: as long as the data that it takes."""
        longer = 2 if strobe.takes == "rising" else 1
        count = longer * (self._bus.bits + _LEAD)
        wave = self.wave(strobe, corner, 0, count, 1.0 / self._bus.rate.si)
        return StrobeInputs(wave, self._lanes[strobe.path] == "single")


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


def bus_inputs(design: Design, bus: Bus, only: str = "") -> BusInputs:
    """Slice for all cases of a bus, or of those whose signal, lane or operation is called `only`.

    Raises
    ------
    InputError : nothing is called so, or a file that a device needs is nowhere
    """
    cases: list[CaseInputs] = []
    levelled: list[LevellingInputs] = []
    for operation in bus.operations:
        routes = _Routes(design, bus, operation)
        for signal in bus.taken_in(operation):
            strobe = bus.signal(signal.strobe)
            names = {signal.id, signal.name, strobe.id, strobe.name, operation.id, operation.name}
            if not only or only in names:
                cases += [_case(bus, routes, signal, strobe, corner) for corner in bus.corners]
        if not only:
            levelled += _levelled(design, bus, routes)
    if not cases:
        raise InputError(f"nothing of {bus.name} is called {only!r}")
    return BusInputs(
        tuple(cases), tuple(o.id for o in bus.operations if o.centred), tuple(levelled)
    )


def _case(
    bus: Bus, routes: _Routes, signal: BusSignal, strobe: BusSignal, corner: str
) -> CaseInputs:
    operation, unit = routes.operation, 1.0 / bus.rate.si
    sheet = bus.device(operation.listens).sheet_for(operation.over)
    assert sheet is not None
    # What a clock takes at its rising edges alone lasts for a whole period of it.
    bit = (2.0 if strobe.takes == "rising" else 1.0) * unit
    return CaseInputs(
        signal.id,
        signal.name,
        strobe.id,
        operation.id,
        operation.name,
        corner,
        routes.wave(signal, corner, bus.prbs, bus.bits + _LEAD, bit),
        routes.strobe(strobe, corner),
        _sheet(sheet),
        _LEAD,
        operation.strobe_at.si * bit,
        operation.centred,
        strobe.takes,
    )


def _levelled(design: Design, bus: Bus, routes: _Routes) -> Iterator[LevellingInputs]:
    """Strobes of an operation over data beside the clock of that over address from and to the same
    devices."""
    operation = routes.operation
    clocked = next(
        (
            o
            for o in bus.operations
            if o.over == "address"
            and (o.drives, o.listens) == (operation.drives, operation.listens)
        ),
        None,
    )
    sheet = bus.device(operation.listens).sheet
    if operation.over != "data" or clocked is None or sheet is None:
        return
    (clock, *_), beside = bus.strobes_in(clocked), _Routes(design, bus, clocked)
    step = bus.levelling_step.si if bus.levelling_step is not None else 0.0
    room = sheet.to_clock.si if sheet.to_clock is not None else math.inf
    for strobe in bus.strobes_in(operation):
        for corner in bus.corners:
            yield LevellingInputs(
                strobe.id,
                strobe.name,
                operation.id,
                operation.name,
                corner,
                routes.strobe(strobe, corner),
                beside.strobe(clock, corner),
                step,
                room,
            )
