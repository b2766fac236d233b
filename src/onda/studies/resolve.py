"""Frozen slices of a design: what each study depends on, and nothing else."""

from __future__ import annotations

from dataclasses import dataclass

from onda.engine.constants import COPPER_RESISTIVITY_OHM_M
from onda.engine.section.structures import Coating, Slab, TraceShape
from onda.errors import InputError, NotPhysical
from onda.project.model import (
    CoatingLayer,
    CopperLayer,
    Design,
    DielectricLayer,
    LineClass,
    Link,
    Path,
    SeriesResistor,
    StackLayer,
    TracePiece,
)

__all__ = [
    "EyeInputs",
    "LineInputs",
    "MaskInputs",
    "MaterialInputs",
    "PathInputs",
    "ResistorItem",
    "TraceItem",
    "ViaItem",
    "eye_inputs",
    "line_inputs",
    "path_inputs",
]


@dataclass(frozen=True, slots=True)
class MaterialInputs:
    """Dk and Df at a frequency."""

    id: str
    dk: float
    df: float
    at: float


@dataclass(frozen=True, slots=True)
class LineInputs:
    """One class on one layer. The outer side is up; `turned` tells that the build was turned over.

    Slabs carry the Dk as given; the study moves it to `frequency`.
    """

    kind: str
    trace: TraceShape
    below: tuple[Slab, ...]
    above: tuple[Slab, ...]
    beside: Slab | None
    plane_below: bool
    plane_above: bool
    coating: Coating | None
    materials: tuple[MaterialInputs, ...]
    frequency: float
    resistivity: float
    turned: bool = False


@dataclass(frozen=True, slots=True)
class _Side:
    slabs: tuple[Slab, ...]
    plane: bool
    coating: CoatingLayer | None


def line_inputs(design: Design, line_class: LineClass, layer: str) -> LineInputs:
    """Slice for a class on a layer.

    Raises
    ------
    InputError : the class is not routed there
    NotPhysical : the layer has no plane on either side
    """
    trace = line_class.trace_on(layer)
    if trace is None:
        raise InputError(f"class {line_class.name} is not routed on {layer}")
    layers = design.stackup.layers
    index = next(i for i, item in enumerate(layers) if item.id == layer)
    copper = layers[index]
    if not isinstance(copper, CopperLayer):
        raise InputError(f"{layer} is no copper layer")
    upper = _side(design, layers[:index][::-1])
    lower = _side(design, layers[index + 1 :])
    if not (upper.plane or lower.plane):
        raise NotPhysical(
            f"layer {layer}",
            "no plane above or below it",
            "next to a plane; turn a neighbouring copper layer into a plane",
        )
    turned = not lower.plane or (not lower.slabs and bool(upper.slabs))
    if turned:
        upper, lower = lower, upper
    base_up = (copper.base == "above") != turned
    # Copper is pressed into the dielectric opposite to the one it was etched on.
    pressed_into = lower.slabs if base_up else upper.slabs
    coating = upper.coating if not upper.slabs else None
    shape = TraceShape(
        trace.width.si,
        copper.thickness.si,
        copper.undercut.si,
        trace.gap.si if trace.gap else None,
        base_up,
    )
    return LineInputs(
        kind=line_class.kind,
        trace=shape,
        below=lower.slabs,
        above=upper.slabs,
        beside=pressed_into[0] if pressed_into and upper.slabs else None,
        plane_below=lower.plane,
        plane_above=upper.plane,
        coating=_coating(design, coating),
        materials=tuple(MaterialInputs(m.id, m.dk, m.df, m.at.si) for m in design.materials),
        frequency=line_class.loss_at.si,
        resistivity=COPPER_RESISTIVITY_OHM_M,
        turned=turned,
    )


def _side(design: Design, outwards: tuple[StackLayer, ...]) -> _Side:
    """Slabs from a layer outwards to the next plane, or to the outside."""
    slabs: list[Slab] = []
    for layer in outwards:
        if isinstance(layer, CopperLayer):
            if layer.role == "plane":
                return _Side(tuple(slabs), True, None)
            if slabs:
                # Where this trace runs, resin of the neighbour fills the other layer's copper.
                slabs.append(Slab(layer.thickness.si, slabs[-1].er, slabs[-1].material))
        elif isinstance(layer, DielectricLayer):
            material = design.material(layer.material)
            slabs.append(Slab(layer.thickness.si, material.dk, material.id))
        else:
            if not slabs:
                return _Side((), False, layer)
            material = design.material(layer.material)
            slabs.append(Slab(layer.over_laminate.si, material.dk, material.id))
    return _Side(tuple(slabs), False, None)


def _coating(design: Design, layer: CoatingLayer | None) -> Coating | None:
    if layer is None:
        return None
    material = design.material(layer.material)
    return Coating(
        layer.over_laminate.si, layer.over_copper.si, layer.beside.si, material.dk, material.id
    )


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
