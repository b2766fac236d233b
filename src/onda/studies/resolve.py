"""Frozen slices of a design: what each study depends on, and nothing else."""

from __future__ import annotations

from dataclasses import dataclass

from onda.project.model import Design, Link, Path, SeriesResistor, TracePiece
from onda.studies.line_inputs import LineInputs, line_inputs

__all__ = [
    "EyeInputs",
    "MaskInputs",
    "PathInputs",
    "ResistorItem",
    "TraceItem",
    "ViaItem",
    "eye_inputs",
    "path_inputs",
]


@dataclass(frozen=True, slots=True)
class ResistorItem:
    """A series resistor, ohm."""

    id: str
    value: float


@dataclass(frozen=True, slots=True)
class TraceItem:
    """A piece of line."""

    id: str
    label: str
    line: LineInputs
    length: float


@dataclass(frozen=True, slots=True)
class ViaItem:
    """A short line with pads."""

    id: str
    z0: float
    delay: float
    pad: float


PathItem = ResistorItem | TraceItem | ViaItem


@dataclass(frozen=True, slots=True)
class PathInputs:
    """Everything a path's waveforms depend on, SI. `fine` False asks for a quick first look."""

    items: tuple[PathItem, ...]
    driver_resistance: float
    driver_capacitance: float
    low: float
    high: float
    edge: float
    load_capacitance: float
    load_resistance: float | None
    termination: str
    term_r: float | None
    term_r_low: float | None
    term_c: float | None
    rail: float
    frequency: float | None
    window: float
    pair: bool
    fine: bool = True


def _si(value: object) -> float | None:
    return None if value is None else float(value.si)  # type: ignore[attr-defined]


def path_inputs(design: Design, path: Path, *, fine: bool = True) -> PathInputs:
    """Slice for a path."""
    stimulus, term = path.stimulus, path.termination
    return PathInputs(
        items=tuple(_item(design, element) for element in path.elements),
        driver_resistance=path.driver.resistance.si,
        driver_capacitance=path.driver.capacitance.si,
        low=path.driver.low.si,
        high=path.driver.high.si,
        edge=path.driver.edge.si,
        load_capacitance=path.receiver.capacitance.si,
        load_resistance=_si(path.receiver.resistance),
        termination=term.kind,
        term_r=_si(term.r),
        term_r_low=_si(term.r_low),
        term_c=_si(term.c),
        rail=_si(term.rail) or 0.0,
        frequency=_si(stimulus.frequency) if stimulus.kind == "clock" else None,
        window=stimulus.window.si,
        pair=path.lane == "pair",
        fine=fine,
    )


def _item(design: Design, element: object) -> PathItem:
    if isinstance(element, SeriesResistor):
        return ResistorItem(element.id, element.value.si)
    if isinstance(element, TracePiece):
        line_class = design.line_class(element.line_class)
        return TraceItem(
            element.id,
            element.layer,
            line_inputs(design, line_class, element.layer),
            element.length.si,
        )
    return ViaItem(element.id, element.z0.si, element.delay.si, element.pad.si)  # type: ignore[attr-defined]


@dataclass(frozen=True, slots=True)
class MaskInputs:
    """Whole widths in unit intervals and whole height in volts."""

    width: float
    flat: float
    height: float


@dataclass(frozen=True, slots=True)
class EyeInputs:
    """Everything an eye depends on."""

    path: PathInputs
    unit_interval: float
    prbs: int
    bits: int
    mask: MaskInputs | None


def eye_inputs(design: Design, link: Link) -> EyeInputs:
    """Slice for a link."""
    mask = link.mask
    return EyeInputs(
        path=path_inputs(design, design.path(link.path)),
        unit_interval=1.0 / link.rate.si,
        prbs=link.prbs,
        bits=link.bits,
        mask=None if mask is None else MaskInputs(mask.width.si, mask.flat.si, mask.height.si),
    )
