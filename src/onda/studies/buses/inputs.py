"""Cases of a bus: every signal, operation and corner with its net and its strobe's."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal

from onda.engine.links.patterns import prbs
from onda.errors import InputError
from onda.project.buses.bus import Bus
from onda.project.model import Design
from onda.studies.buses.plan import (
    BusPlan,
    PlannedOperation,
    PlannedSignal,
    Route,
    SheetInputs,
    bus_plan,
)
from onda.studies.coupling.inputs import lane_number
from onda.studies.paths.elements.lane import LaneBits, LaneItem
from onda.studies.paths.ends import EndInputs
from onda.studies.paths.items import Item, PathInputs, with_ends, with_items
from onda.studies.paths.sweep import with_value

__all__ = [
    "WORST_BITS",
    "BusInputs",
    "CaseInputs",
    "LevellingInputs",
    "StrobeInputs",
    "WaveInputs",
    "all_cases",
    "bus_inputs",
]

_LEAD = 8
"""Bits before those that are judged, while the net comes to its swing."""
WORST_BITS = 6 * 27
"""Bits that the worst histories of a case take behind its others."""


@dataclass(frozen=True, slots=True)
class WaveInputs:
    """A net with the end that listens, and what is sent over it: `count` bits, `unit_interval` s
    each, pseudo-random of an order, one and zero in turn for order 0, or typed ones."""

    path: PathInputs
    listens: str
    order: int
    count: int
    unit_interval: float
    typed: str = ""

    @property
    def bits(self) -> str:
        """What is sent, the first one first."""
        again = self.typed or ("01" if self.order == 0 else "")
        if again:
            return (again * (self.count // len(again) + 1))[: self.count]
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
    "rising"; `centred` looks at other places of the strobe too; with `worst` the last `WORST_BITS`
    are those that close the eye furthest.
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
    worst: bool = False

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
    """Cases of a bus; `centred` are operations whose strobe is moved for each lane; `levelled` are
    strobes that are held against a clock; `alike` has all of it set once for all corners."""

    cases: tuple[CaseInputs, ...]
    centred: tuple[str, ...]
    levelled: tuple[LevellingInputs, ...] = ()
    alike: bool = False


@lru_cache(maxsize=4)
def all_cases(plan: BusPlan) -> BusInputs:
    """Every case of a bus, and every strobe that is held against a clock."""
    levelled = tuple(x for o in plan.operations for x in _levelled(plan, o))
    return BusInputs(tuple(_cases(plan)), _centred(plan), levelled, plan.alike)


def bus_inputs(design: Design, bus: Bus, only: str = "") -> BusInputs:
    """Cases of a bus, or those whose signal, lane or operation is called `only`.

    Raises
    ------
    InputError : nothing is called so, or a file that a device needs is nowhere
    """
    plan = bus_plan(design, bus)
    if not only:
        return all_cases(plan)
    cases = tuple(_cases(plan, only))
    if not cases:
        raise InputError(f"nothing of {bus.name} is called {only!r}")
    return BusInputs(cases, _centred(plan), alike=plan.alike)


def _count(plan: BusPlan) -> int:
    """Bits of a case."""
    return _LEAD + plan.bits + (WORST_BITS if plan.worst else 0)


def _centred(plan: BusPlan) -> tuple[str, ...]:
    return tuple(o.id for o in plan.operations if o.centred)


def _cases(plan: BusPlan, only: str = "") -> Iterator[CaseInputs]:
    for operation in plan.operations:
        nets = _Nets(plan, operation)
        for signal in plan.taken_in(operation):
            strobe = plan.signal(signal.strobe)
            names = {signal.id, signal.name, strobe.id, strobe.name, operation.id, operation.name}
            if not only or only in names:
                for corner in plan.corners:
                    yield _case(nets, signal, strobe, corner)


class _Nets:
    """Nets of a bus during an operation; strobes, which signals share, are worked out once."""

    def __init__(self, plan: BusPlan, operation: PlannedOperation) -> None:
        self.plan, self.operation = plan, operation
        self._routes: dict[tuple[str, str], Route] = {
            (r.path, r.corner): r for r in plan.routes if r.operation == operation.id
        }
        self._strobes: dict[tuple[str, str], StrobeInputs] = {}

    def _path(self, signal: PlannedSignal, corner: str, sends: LaneBits) -> PathInputs:
        """The path of a signal: its own lengths, its own pins, between its own neighbours."""
        path = self._routes[signal.path, corner].inputs
        for piece, length in signal.lengths:
            path = with_value(path, piece, length)
        if signal.pins:
            path = _on_pins(path, dict(signal.pins))
        if any(isinstance(item, LaneItem) for item in path.every_item):
            path = _beside(path, self.operation, signal.lane, sends)
        return path

    def wave(
        self, signal: PlannedSignal, corner: str, order: int, count: int, unit: float
    ) -> WaveInputs:
        """A signal with what is sent over it."""
        # Beside a strobe run signals of the same bus, too.
        sends = LaneBits(self.plan.order, count, unit)
        path = self._path(signal, corner, sends)
        typed = self.plan.typed if order else ""
        return WaveInputs(path, self.operation.listens, order, count, unit, typed)

    def strobe(self, strobe: PlannedSignal, corner: str) -> StrobeInputs:
        """A strobe: as long as the data that it takes."""
        key = strobe.id, corner
        if key not in self._strobes:
            longer = 2 if strobe.takes == "rising" else 1
            count = longer * _count(self.plan)
            wave = self.wave(strobe, corner, 0, count, self.plan.unit_interval)
            self._strobes[key] = StrobeInputs(wave, self._routes[strobe.path, corner].single)
        return self._strobes[key]


def _on_pins(path: PathInputs, pins: dict[str, str]) -> PathInputs:
    """A path whose devices are at other pins, by end."""

    def change(end: EndInputs) -> EndInputs:
        if end.id not in pins or end.device is None:
            return end
        return replace(end, device=replace(end.device, pin=pins[end.id]))

    return replace(with_ends(path, change), driver=change(path.driver))


def _beside(
    path: PathInputs, operation: PlannedOperation, lane: str, sends: LaneBits
) -> PathInputs:
    """A path whose lanes of groups run between signals of the bus: all are driven from the end
    where this one is, by what it is driven by, and send bits of their own."""
    ends = {"driver": path.driver, path.end.id: path.end}
    ends |= {item.end.id: item.end for item in path.every_item if item.end is not None}
    drives, listens = ends[operation.drives], ends[operation.listens]

    def change(item: Item) -> Item:
        if not isinstance(item, LaneItem):
            return item
        return replace(
            item,
            lane=lane_number(item.group, lane) if lane else item.lane,
            driver=drives.device,
            listener=listens.device,
            sends=sends,
            turned=operation.drives != "driver",
        )

    return with_items(path, change)


def _case(nets: _Nets, signal: PlannedSignal, strobe: PlannedSignal, corner: str) -> CaseInputs:
    operation, plan = nets.operation, nets.plan
    # What a clock takes at its rising edges alone lasts for a whole period of it.
    bit = (2.0 if strobe.takes == "rising" else 1.0) * plan.unit_interval
    return CaseInputs(
        signal.id,
        signal.name,
        strobe.id,
        operation.id,
        operation.name,
        corner,
        nets.wave(signal, corner, plan.order, _count(plan), bit),
        nets.strobe(strobe, corner),
        operation.sheet,
        _LEAD,
        operation.strobe_at * bit,
        operation.centred,
        strobe.takes,
        plan.worst,
    )


def _levelled(plan: BusPlan, operation: PlannedOperation) -> Iterator[LevellingInputs]:
    """Strobes of an operation over data beside the clock of that over address from and to the same
    devices."""
    clocked = next((o for o in plan.operations if o.id == operation.clocked), None)
    if clocked is None:
        return
    (clock, *_) = plan.strobes_in(clocked)
    nets, beside = _Nets(plan, operation), _Nets(plan, clocked)
    for strobe in plan.strobes_in(operation):
        for corner in plan.corners:
            yield LevellingInputs(
                strobe.id,
                strobe.name,
                operation.id,
                operation.name,
                corner,
                nets.strobe(strobe, corner),
                beside.strobe(clock, corner),
                plan.step,
                operation.room,
            )
