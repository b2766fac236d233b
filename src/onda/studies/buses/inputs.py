"""Slices of a design for a bus: every case with its path, its strobe and what is asked of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from onda.engine.links.patterns import prbs
from onda.engine.timing.strobed import Derating
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.buses.bus import Bus, BusSignal, Operation, SlewTable, TimingSheet
from onda.project.model import Design
from onda.project.paths.edits import set_model
from onda.project.paths.path import Path
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import PathInputs
from onda.studies.paths.sweep import with_value

__all__ = ["BusInputs", "CaseInputs", "SheetInputs", "WaveInputs", "bus_inputs", "case_path"]

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
class CaseInputs:
    """A signal in one operation at one corner.

    The first `lead` of its bits are not judged; `strobe_at` s of the strobe's edges behind those
    of the data; `centred` looks at other places of the strobe too.
    """

    signal: str
    signal_name: str
    lane: str
    operation: str
    operation_name: str
    corner: str
    data: WaveInputs
    strobe: WaveInputs
    single_strobe: bool
    sheet: SheetInputs
    lead: int
    strobe_at: float
    centred: bool = True

    @property
    def unit_interval(self) -> float:
        """Seconds."""
        return self.data.unit_interval


@dataclass(frozen=True, slots=True)
class BusInputs:
    """All cases; `centred` are operations whose strobe is moved for each lane."""

    cases: tuple[CaseInputs, ...]
    centred: tuple[str, ...]


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


@dataclass(frozen=True, slots=True)
class _Route:
    """A path of the project during an operation, at each corner."""

    lane: str
    by_corner: Mapping[str, PathInputs]

    def over(self, signal: BusSignal, corner: str) -> PathInputs:
        """The path of a signal, its own lengths put in."""
        path = self.by_corner[corner]
        for own in signal.lengths:
            path = with_value(path, own.id, own.length.si)
        return path


def _route(design: Design, bus: Bus, name: str, operation: Operation) -> _Route:
    path = case_path(design, bus, name, operation)
    by_corner: dict[str, PathInputs] = {
        c: path_inputs(design, path, fine=False, corner=c) for c in bus.corners
    }
    return _Route(path.lane, by_corner)


def bus_inputs(design: Design, bus: Bus, only: str = "") -> BusInputs:
    """Slice for all cases of a bus, or of those whose signal, lane or operation is called `only`.

    Raises
    ------
    InputError : nothing is called so, or a file that a device needs is nowhere
    """
    unit = 1.0 / bus.rate.si
    count = bus.bits + _LEAD
    cases = []
    for operation in bus.operations:
        listener = bus.device(operation.listens)
        assert listener.sheet is not None
        sheet = _sheet(listener.sheet)
        over: dict[str, _Route] = {}
        for signal in bus.data:
            strobe = bus.signal(signal.strobe)
            names = {signal.id, signal.name, strobe.id, strobe.name, operation.id, operation.name}
            if only and only not in names:
                continue
            for name in (signal.path, strobe.path):
                if name not in over:
                    # What signals have alike is worked out once.
                    over[name] = _route(design, bus, name, operation)
            data, taken = over[signal.path], over[strobe.path]
            for corner in bus.corners:
                cases.append(
                    CaseInputs(
                        signal.id, signal.name, strobe.id, operation.id, operation.name, corner,
                        WaveInputs(data.over(signal, corner), listener.end, bus.prbs, count, unit),
                        WaveInputs(taken.over(strobe, corner), listener.end, 0, count, unit),
                        taken.lane == "single", sheet, _LEAD, operation.strobe_at.si * unit,
                        operation.centred,
                    )
                )  # fmt: skip
    if not cases:
        raise InputError(f"nothing of {bus.name} is called {only!r}")
    return BusInputs(tuple(cases), tuple(o.id for o in bus.operations if o.centred))
