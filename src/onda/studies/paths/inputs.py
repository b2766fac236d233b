"""Slice of a design for a path: everything its waveforms depend on, SI, and nothing else."""

from __future__ import annotations

from dataclasses import dataclass, replace

from onda.engine.devices import Buffer
from onda.engine.vias import ViaGeometry
from onda.errors import InputError
from onda.formats.ibis.buffers import buffer_of, pin_package
from onda.project.build.stackup import CopperLayer, DielectricLayer
from onda.project.files import content_of, device_models
from onda.project.model import Design
from onda.project.paths.path import (
    RECEIVER,
    Branch,
    Cable,
    DrilledVia,
    LumpedPart,
    ModelUse,
    NetworkPiece,
    Path,
    PathElement,
    Receiver,
    SeriesResistor,
    ShuntPart,
    Stimulus,
    Termination,
    TracePiece,
    Via,
)
from onda.studies.lines.inputs import LineInputs, line_inputs
from onda.studies.lines.sheet_line import SheetInputs, sheet_inputs

__all__ = [
    "CORNER_COLUMNS",
    "BranchItem",
    "CableItem",
    "DrilledItem",
    "EndInputs",
    "LumpedItem",
    "NetworkItem",
    "PathInputs",
    "PathItem",
    "ResistorItem",
    "ShuntItem",
    "StimulusInputs",
    "TermInputs",
    "TraceItem",
    "ViaItem",
    "every_item",
    "path_inputs",
    "with_items",
    "without_devices",
]

CORNER_COLUMNS = {"typ": "typ", "slow": "min", "fast": "max"}
"""Column of a device file for each corner of a path."""


@dataclass(frozen=True, slots=True)
class ResistorItem:
    """A series resistor, ohm; `tolerance` as a share."""

    id: str
    value: float
    tolerance: float = 0.0


@dataclass(frozen=True, slots=True)
class LumpedItem:
    """Series parts: r and l, or l beside `r_parallel`, or `c_series`; `c` half at each end."""

    id: str
    role: str
    r: float
    inductance: float
    c: float
    r_parallel: float | None
    c_series: float | None


@dataclass(frozen=True, slots=True)
class TraceItem:
    """A piece of line."""

    id: str
    label: str
    line: LineInputs
    length: float


@dataclass(frozen=True, slots=True)
class CableItem:
    """A piece of a line known from a data sheet."""

    id: str
    label: str
    line: SheetInputs
    length: float


@dataclass(frozen=True, slots=True)
class ViaItem:
    """A short line with pads."""

    id: str
    z0: float
    delay: float
    pad: float


@dataclass(frozen=True, slots=True)
class DrilledItem:
    """A via by its geometry."""

    id: str
    geometry: ViaGeometry


@dataclass(frozen=True, slots=True)
class NetworkItem:
    """A two-port from a file, by the hash of its content."""

    id: str
    sha256: str
    name: str
    turned: bool


@dataclass(frozen=True, slots=True)
class TermInputs:
    """A termination; None where a value does not belong to its kind."""

    kind: str
    r: float | None = None
    r_low: float | None = None
    c: float | None = None
    rail: float = 0.0
    tolerance: float = 0.0


@dataclass(frozen=True, slots=True)
class ShuntItem:
    """A termination along the line."""

    id: str
    termination: TermInputs


@dataclass(frozen=True, slots=True)
class EndInputs:
    """A device at an end: its buffer with the package (ohm, H, F) of its pin, or linear values."""

    id: str
    name: str
    capacitance: float
    resistance: float | None
    buffer: Buffer | None
    package: tuple[float, float, float] | None
    stands_in: str
    termination: TermInputs = TermInputs("none")


@dataclass(frozen=True, slots=True)
class BranchItem:
    """A tributary."""

    id: str
    items: tuple[PathItem, ...]
    end: EndInputs


PathItem = (
    ResistorItem
    | LumpedItem
    | TraceItem
    | CableItem
    | ViaItem
    | DrilledItem
    | NetworkItem
    | ShuntItem
    | BranchItem
)


@dataclass(frozen=True, slots=True)
class StimulusInputs:
    """What is sent, SI."""

    kind: str
    frequency: float | None = None
    duty: float = 0.5
    rate: float | None = None
    bits: str = ""
    width: float | None = None
    jitter: float = 0.0
    falling: bool = False


@dataclass(frozen=True, slots=True)
class PathInputs:
    """Everything a path's waveforms depend on, SI. `fine` False asks for a quick first look.

    `line_factor` multiplies the impedance of all lines (for corners); `driving` is the receiver
    that drives, empty for the driver. The values of the driver are in its linear fields. `even`
    takes the even mode of pairs in the place of the differential one, on the same scale.
    """

    items: tuple[PathItem, ...]
    driver: EndInputs
    driver_resistance: float
    low: float
    high: float
    edge: float
    end: EndInputs
    stimulus: StimulusInputs
    window: float
    pair: bool
    driving: str = ""
    line_factor: float = 1.0
    fine: bool = True
    even: bool = False

    @property
    def frequency(self) -> float | None:
        """Of the clock, None where there is none."""
        return self.stimulus.frequency if self.stimulus.kind == "clock" else None


def path_inputs(
    design: Design, path: Path, *, fine: bool = True, corner: str | None = None
) -> PathInputs:
    """Slice for a path, at its own corner or another one.

    Raises
    ------
    InputError : a device model cannot be had
    """
    at = CORNER_COLUMNS[corner or path.corner]
    driver = path.driver
    buffer, package = (
        _model(design, driver.model, at)
        if driver.stands_in == "device"
        else (
            None,
            None,
        )
    )
    ideal = driver.stands_in == "ideal"
    return PathInputs(
        items=_items(design, path.elements, at, pair=path.lane == "pair"),
        driver=EndInputs(
            "driver",
            driver.name,
            0.0 if ideal else driver.capacitance.si,
            None,
            buffer,
            package,
            driver.stands_in,
        ),
        # A milliohm is as good as none, and keeps the pad apart from the source.
        driver_resistance=1e-3 if ideal else driver.resistance.si,
        low=driver.low.si,
        high=driver.high.si,
        edge=driver.edge.si,
        end=_end(design, RECEIVER, path.receiver, path.termination, at),
        stimulus=_stimulus(path.stimulus),
        window=path.stimulus.window.si,
        pair=path.lane == "pair",
        driving=path.driving,
        fine=fine,
    )


def _si(value: object) -> float | None:
    return None if value is None else float(value.si)  # type: ignore[attr-defined]


def _stimulus(s: Stimulus) -> StimulusInputs:
    return StimulusInputs(
        s.kind,
        _si(s.frequency),
        s.duty.si,
        _si(s.rate),
        s.bits,
        _si(s.width),
        _si(s.jitter) or 0.0,
        s.falling,
    )


def _term(t: Termination) -> TermInputs:
    return TermInputs(t.kind, _si(t.r), _si(t.r_low), _si(t.c), _si(t.rail) or 0.0, t.tolerance.si)


def _model(
    design: Design, use: ModelUse | None, corner: str
) -> tuple[Buffer | None, tuple[float, float, float] | None]:
    """Buffer and package that a use of a model means."""
    if use is None:
        return None, None
    file = device_models(design.device_file(use.file))
    package = pin_package(file, use.component, use.pin, corner) if use.pin else None
    return buffer_of(file, use.model, corner), package


def _end(design: Design, name: str, receiver: Receiver, term: Termination, at: str) -> EndInputs:
    whole = receiver.stands_in == "device"
    buffer, package = _model(design, receiver.model, at) if whole else (None, None)
    capacitance = 0.0 if receiver.stands_in == "probe" else receiver.capacitance.si
    resistance = _si(receiver.resistance) if whole else None
    return EndInputs(
        name,
        receiver.name,
        capacitance,
        resistance,
        buffer,
        package,
        receiver.stands_in,
        _term(term),
    )


def _items(
    design: Design, elements: tuple[PathElement, ...], at: str, *, pair: bool
) -> tuple[PathItem, ...]:
    return tuple(_item(design, e, at, pair=pair) for e in elements)


def _item(design: Design, e: PathElement, at: str, *, pair: bool) -> PathItem:
    match e:
        case SeriesResistor():
            return ResistorItem(e.id, e.value.si, e.tolerance.si)
        case LumpedPart():
            return LumpedItem(
                e.id, e.role, e.r.si, e.inductance.si, e.c.si, _si(e.r_parallel), _si(e.c_series)
            )
        case TracePiece():
            line_class = design.line_class(e.line_class)
            return TraceItem(e.id, e.layer, line_inputs(design, line_class, e.layer), e.length.si)
        case Cable():
            sheet = next(line for line in design.sheet_lines if line.id == e.line)
            return CableItem(e.id, sheet.name, sheet_inputs(sheet), e.length.si)
        case Via():
            return ViaItem(e.id, e.z0.si, e.delay.si, e.pad.si)
        case DrilledVia():
            return DrilledItem(e.id, _geometry(design, e, pair=pair))
        case NetworkPiece():
            file = design.device_file(e.file)
            content_of(file)
            return NetworkItem(e.id, file.sha256, file.path, e.turned)
        case ShuntPart():
            return ShuntItem(e.id, _term(e.termination))
        case Branch():
            end = _end(design, e.id, e.receiver, e.termination, at)
            return BranchItem(e.id, _items(design, e.elements, at, pair=pair), end)


def _geometry(design: Design, via: DrilledVia, *, pair: bool) -> ViaGeometry:
    """Heights and dielectric of a via from the stackup: it goes through the whole board."""
    layers = design.stackup.layers
    order = {layer.id: k for k, layer in enumerate(layers)}
    first, last = sorted((order[via.from_layer], order[via.to_layer]))
    if first == last:
        raise InputError(
            "goes from a layer to the same one", where=f"via {via.id}", remedy="Choose two layers."
        )
    copper = [k for k, layer in enumerate(layers) if isinstance(layer, CopperLayer)]

    def height(a: int, b: int) -> float:
        solid = (CopperLayer, DielectricLayer)
        return float(sum(x.thickness.si for x in layers[a : b + 1] if isinstance(x, solid)))

    between = [x for x in layers[first : last + 1] if isinstance(x, DielectricLayer)]
    weights = [x.thickness.si for x in between]
    dk = [design.material(x.material).dk for x in between]
    er = sum(w * d for w, d in zip(weights, dk, strict=True)) / sum(weights)
    beyond = max(
        height(copper[0], first) if first > copper[0] else 0.0,
        height(last, copper[-1]) if last < copper[-1] else 0.0,
    )
    stub = min(beyond, via.rest.si) if via.back_drilled else beyond
    gaps = []
    for k in (first, last):
        near = [abs(height(min(k, p) + 1, max(k, p) - 1)) for p in copper if p != k]
        gaps.append(min(near))
    return ViaGeometry(
        drill=via.drill.si,
        pad=via.pad.si,
        antipad=via.antipad.si,
        through=height(first, last),
        stub=stub,
        er=er,
        returns=via.returns,
        return_distance=via.return_distance.si,
        pad_gaps=tuple(gaps),
        pair=pair,
    )


def without_devices(inputs: PathInputs) -> PathInputs:
    """The path with linear values in the place of its buffers, for what only linear nets can do.

    Raises
    ------
    InputError : diodes end the line somewhere
    """

    def end(old: EndInputs) -> EndInputs:
        if old.termination.kind == "diode":
            raise InputError(
                "diodes are not linear", where=old.name, remedy="Choose another termination there."
            )
        if old.buffer is None:
            return old
        return replace(old, buffer=None, capacitance=old.buffer.c_comp)

    def change(item: PathItem) -> PathItem:
        return replace(item, end=end(item.end)) if isinstance(item, BranchItem) else item

    plain = with_items(inputs, change)
    return replace(plain, driver=end(plain.driver), end=end(plain.end))


def every_item(items: tuple[PathItem, ...]) -> list[PathItem]:
    """Items with those of branches behind the branch they are in."""
    out: list[PathItem] = []
    for item in items:
        out.append(item)
        if isinstance(item, BranchItem):
            out += every_item(item.items)
    return out


def with_items(inputs: PathInputs, change: object) -> PathInputs:
    """The same path with `change(item)` in the place of every item (None takes it out)."""

    def changed(items: tuple[PathItem, ...]) -> tuple[PathItem, ...]:
        out = []
        for item in items:
            new = change(item)  # type: ignore[operator]
            if isinstance(new, BranchItem):
                new = replace(new, items=changed(new.items))
            if new is not None:
                out.append(new)
        return tuple(out)

    return replace(inputs, items=changed(inputs.items))
