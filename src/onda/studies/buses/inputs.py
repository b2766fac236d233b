"""Slices of a design for a bus: every case with its path, its strobe and what is asked of it."""

from __future__ import annotations

from dataclasses import dataclass, replace

from onda.engine.links.patterns import prbs
from onda.engine.timing.strobed import Derating
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.buses.bus import Bus, BusSignal, Operation, SlewTable, TimingSheet
from onda.project.model import Design
from onda.project.paths.elements import Branch
from onda.project.paths.ends import RECEIVER
from onda.project.paths.path import Path
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import PathInputs, StimulusInputs

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
    """A net with what is sent over it, and the end that listens."""

    path: PathInputs
    listens: str


@dataclass(frozen=True, slots=True)
class CaseInputs:
    """A signal in one operation at one corner.

    `bits` are sent, the first `lead` not judged; `strobe_at` s of the strobe's edges behind those
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
    unit_interval: float
    bits: str
    lead: int
    strobe_at: float
    centred: bool = True


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


def _with_model(path: Path, end: str, model: str) -> Path:
    """A path whose end is another model of the same device file.

    Raises
    ------
    InputError : there is no device file there
    """
    owner = path.driver if end == "driver" else path.receivers[end]
    if owner.model is None:
        raise InputError(
            f"{owner.name} of path {path.name} has no device file",
            remedy=f"Give it one in Paths, then {model} can be chosen for it.",
        )
    new = set_value(owner, model=set_value(owner.model, model=model))
    if end == "driver":
        return set_value(path, driver=new)
    if end == RECEIVER:
        return set_value(path, receiver=new)

    def changed(elements: tuple[object, ...]) -> tuple[object, ...]:
        out: list[object] = []
        for element in elements:
            if isinstance(element, Branch):
                if element.id == end:
                    element = set_value(element, receiver=new)
                element = set_value(element, elements=changed(element.elements))
            out.append(element)
        return tuple(out)

    return set_value(path, elements=changed(path.elements))


def case_path(design: Design, bus: Bus, signal: BusSignal, operation: Operation) -> Path:
    """A signal's path as it is during an operation.

    Raises
    ------
    InputError : a device cannot be what the operation makes of it
    """
    path = design.path(signal.path)
    own = {x.id: x.length for x in signal.lengths}
    if own:

        def stretched(elements: tuple[object, ...]) -> tuple[object, ...]:
            out: list[object] = []
            for element in elements:
                if isinstance(element, Branch):
                    element = set_value(element, elements=stretched(element.elements))
                elif element.id in own:  # type: ignore[attr-defined]
                    element = set_value(element, length=own[element.id])  # type: ignore[attr-defined,type-var]
                out.append(element)
            return tuple(out)

        path = set_value(path, elements=stretched(path.elements))
    for device in bus.devices:
        model = operation.model_of(device.id)
        if model:
            path = _with_model(path, device.end, model)
    drives = bus.device(operation.drives).end
    return set_value(path, driving="" if drives == "driver" else drives)


def _wave(
    design: Design, path: Path, bits: str, unit: float, corner: str, listens: str
) -> WaveInputs:
    inputs = path_inputs(design, path, fine=False, corner=corner)
    sent = StimulusInputs("bits", rate=1.0 / unit, bits=bits)
    ready = replace(inputs, stimulus=sent, window=(len(bits) + 2) * unit)
    return WaveInputs(ready, listens)


def bus_inputs(design: Design, bus: Bus, only: str = "") -> BusInputs:
    """Slice for all cases of a bus, or of those whose signal, lane or operation is called `only`.

    Raises
    ------
    InputError : nothing is called so, or a file that a device needs is nowhere
    """
    unit = 1.0 / bus.rate.si
    bits = "".join(str(int(b)) for b in prbs(bus.prbs, bus.bits + _LEAD))
    clock = ("01" * len(bits))[: len(bits)]
    cases = []
    for operation in bus.operations:
        listener = bus.device(operation.listens)
        assert listener.sheet is not None
        sheet = _sheet(listener.sheet)
        for signal in bus.data:
            strobe = bus.signal(signal.strobe)
            names = {signal.id, signal.name, strobe.id, strobe.name, operation.id, operation.name}
            if only and only not in names:
                continue
            paths = [case_path(design, bus, x, operation) for x in (signal, strobe)]
            for corner in bus.corners:
                waves = [
                    _wave(design, path, sent, unit, corner, listener.end)
                    for path, sent in zip(paths, (bits, clock), strict=True)
                ]
                cases.append(
                    CaseInputs(
                        signal.id, signal.name, strobe.id, operation.id, operation.name, corner,
                        waves[0], waves[1], paths[1].lane == "single", sheet, unit, bits, _LEAD,
                        operation.strobe_at.si * unit, operation.centred,
                    )
                )  # fmt: skip
    if not cases:
        raise InputError(f"nothing of {bus.name} is called {only!r}")
    return BusInputs(tuple(cases), tuple(o.id for o in bus.operations if o.centred))
