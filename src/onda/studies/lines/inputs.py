"""Slice of a design for one class on one layer: everything that its line depends on."""

from __future__ import annotations

from dataclasses import dataclass, replace

from onda.engine.roughness import copper_resistivity
from onda.engine.section.structures import Coating, Coplanar, Facing, Opening, Slab, TraceShape
from onda.errors import InputError, NotPhysical
from onda.project.build.stackup import (
    CoatingLayer,
    CopperLayer,
    DielectricLayer,
    Material,
    StackLayer,
)
from onda.project.lines.objects import LineClass, TraceOnLayer
from onda.project.lines.structures import structure
from onda.project.model import Design
from onda.project.quantities import Quantity

__all__ = ["LineInputs", "MaterialInputs", "Rough", "line_inputs", "material_inputs"]

_ROOM_TEMPERATURE = 20.0


@dataclass(frozen=True, slots=True)
class MaterialInputs:
    """Dk and Df at one or more frequencies (Hz, Dk, Df), at the board's temperature."""

    id: str
    name: str
    points: tuple[tuple[float, float, float], ...]

    def scaled_dk(self, k: float) -> MaterialInputs:
        """The same material with `k` times its Dk at every frequency."""
        return replace(self, points=tuple((f, dk * k, df) for f, dk, df in self.points))


@dataclass(frozen=True, slots=True)
class Rough:
    """Ten-point roughness (m) of the faces that carry current, and the model that reads it."""

    model: str
    bottom: float = 0.0
    top: float = 0.0
    sides: float = 0.0
    plane_below: float = 0.0
    plane_above: float = 0.0


@dataclass(frozen=True, slots=True)
class LineInputs:
    """One class on one layer. The outer side is up; `turned` tells that the build was turned over.

    Slabs carry the Dk as given; the study moves it to `frequency`. `plane_copper`: thickness (m) of
    the planes below and above.
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
    opening: Opening | None = None
    plane_copper: tuple[float, float] = (35e-6, 35e-6)
    rough: Rough = Rough("smooth")
    turned: bool = False

    @property
    def differential(self) -> bool:
        """Whether the impedance is that between two lines."""
        return structure(self.kind).differential


@dataclass(frozen=True, slots=True)
class _Side:
    """What lies between a trace and the next plane, or the outside."""

    slabs: tuple[Slab, ...]
    plane: CopperLayer | None
    coating: CoatingLayer | None
    beyond: tuple[StackLayer, ...]


def line_inputs(
    design: Design, line_class: LineClass, layer: str, without: tuple[str, ...] = ()
) -> LineInputs:
    """Slice for a class on a layer; planes `without` copper are laminate there.

    Raises
    ------
    InputError : the class is not routed there
    NotPhysical : the layer has no plane on either side, nor coplanar grounds
    """
    trace = line_class.trace_on(layer)
    if trace is None:
        raise InputError(f"class {line_class.name} is not routed on {layer}")
    try:
        place = design.stackup.place(layer)
    except KeyError as error:
        raise InputError(f"{layer} is no copper layer") from error
    layers, index, copper = place.layers, place.index, place.copper
    upper = _side(design, layers[:index][::-1], without)
    lower = _side(design, layers[index + 1 :], without)
    gone = " and ".join(without)
    if not (upper.plane or lower.plane or trace.ground_gap):
        raise NotPhysical(
            f"layer {layer}",
            f"no plane above or below it{f' but {gone}, open there' if gone else ''}",
            "next to a plane; turn a neighbouring copper layer into a plane",
        )
    if trace.facing is not None:
        turned = _position(layers, trace.facing, layer) > index
    else:
        turned = (lower.plane is None and upper.plane is not None) or (
            not lower.slabs and bool(upper.slabs)
        )
    if turned:
        upper, lower = lower, upper
    base_up = (copper.base == "above") != turned
    # Copper is pressed into the dielectric opposite to the one it was etched on.
    pressed_into = lower.slabs if base_up else upper.slabs
    coating = upper.coating if not upper.slabs else None
    above = upper.slabs
    return LineInputs(
        kind=line_class.kind,
        trace=_shape(design, line_class, trace, layers, index, base_up, turned),
        below=lower.slabs,
        above=above,
        beside=pressed_into[0] if pressed_into and above else None,
        plane_below=lower.plane is not None,
        plane_above=upper.plane is not None,
        coating=_coating(design, coating),
        materials=tuple(
            material_inputs(m, design.stackup.temperature.si) for m in design.materials
        ),
        frequency=line_class.loss_at.si,
        resistivity=copper_resistivity(design.stackup.temperature.si),
        opening=_opening(design, trace, lower),
        plane_copper=(
            lower.plane.thickness.si if lower.plane else 35e-6,
            upper.plane.thickness.si if upper.plane else 35e-6,
        ),
        rough=_rough(design, copper, lower.plane, upper.plane, turned),
        turned=turned,
    )


def _position(layers: tuple[StackLayer, ...], name: str, beside: str) -> int:
    plain = name.rsplit(".", 1)[-1] if "." in beside else name
    for k, item in enumerate(layers):
        if item.id == plain and isinstance(item, CopperLayer):
            return k
    raise InputError(f"{name} does not lie in the same zone as {beside}")


def _si(value: Quantity | None) -> float:
    return value.si if value is not None else 0.0


def _shape(
    design: Design,
    line_class: LineClass,
    trace: TraceOnLayer,
    layers: tuple[StackLayer, ...],
    index: int,
    base_up: bool,
    turned: bool,
) -> TraceShape:
    copper = layers[index]
    assert isinstance(copper, CopperLayer)
    coplanar = None
    if trace.ground_gap is not None and trace.ground_width is not None:
        coplanar = Coplanar(trace.ground_gap.si, trace.ground_width.si)
    facing = None
    if trace.facing is not None:
        at = _position(layers, trace.facing, trace.layer)
        other = layers[at]
        assert isinstance(other, CopperLayer)
        between = layers[min(at, index) + 1 : max(at, index)]
        if any(isinstance(x, CopperLayer) and x.role == "plane" for x in between):
            raise NotPhysical(
                f"broadside pair on {trace.layer}", f"a plane before {trace.facing}", "none between"
            )
        facing = Facing(
            distance=sum(_thickness(x) for x in between),
            thickness=other.thickness.si,
            undercut=other.undercut.si,
            base_up=(other.base == "above") != turned,
            offset=_si(trace.shift),
        )
    return TraceShape(
        width=trace.width.si,
        thickness=copper.thickness.si,
        undercut=copper.undercut.si,
        gap=trace.gap.si if trace.gap else None,
        base_up=base_up,
        count=line_class.count,
        coplanar=coplanar,
        facing=facing,
    )


def _thickness(layer: StackLayer) -> float:
    return layer.over_laminate.si if isinstance(layer, CoatingLayer) else layer.thickness.si


def _side(design: Design, outwards: tuple[StackLayer, ...], without: tuple[str, ...] = ()) -> _Side:
    """Slabs from a layer outwards to the next plane, or to the outside."""
    slabs: list[Slab] = []
    for k, layer in enumerate(outwards):
        if isinstance(layer, CopperLayer):
            if layer.role == "plane" and layer.id not in without:
                return _Side(tuple(slabs), layer, None, outwards[k + 1 :])
            if slabs:
                # Where this trace runs, resin of the neighbour fills the other layer's copper.
                slabs.append(Slab(layer.thickness.si, slabs[-1].er, slabs[-1].material))
        elif isinstance(layer, DielectricLayer):
            material = design.material(layer.material)
            slabs.append(Slab(layer.thickness.si, material.dk, material.id))
        else:
            if not slabs:
                return _Side((), None, layer, ())
            material = design.material(layer.material)
            slabs.append(Slab(layer.over_laminate.si, material.dk, material.id))
    return _Side(tuple(slabs), None, None, ())


def _opening(design: Design, trace: TraceOnLayer, lower: _Side) -> Opening | None:
    if trace.opening is None:
        return None
    if lower.plane is None:
        raise NotPhysical("opening", "no plane to lie in", "in a plane next to the trace")
    beyond = _side(design, lower.beyond)
    return Opening(
        width=trace.opening.si,
        offset=_si(trace.opening_shift),
        thickness=lower.plane.thickness.si,
        beyond=beyond.slabs,
        plane_beyond=beyond.plane is not None,
    )


def _coating(design: Design, layer: CoatingLayer | None) -> Coating | None:
    if layer is None:
        return None
    material = design.material(layer.material)
    return Coating(
        layer.over_laminate.si, layer.over_copper.si, layer.beside.si, material.dk, material.id
    )


def _rough(
    design: Design,
    copper: CopperLayer,
    below: CopperLayer | None,
    above: CopperLayer | None,
    turned: bool,
) -> Rough:
    def face(layer: CopperLayer | None, down: bool) -> float:
        """Roughness of the face that looks down (or up) in the section."""
        if layer is None:
            return 0.0
        base_is_down = (layer.base == "below") != turned
        return layer.rz_base.si if base_is_down == down else layer.rz_face.si

    return Rough(
        model=design.stackup.roughness,
        bottom=face(copper, True),
        top=face(copper, False),
        sides=copper.rz_face.si,
        plane_below=face(below, False),
        plane_above=face(above, True),
    )


def material_inputs(material: Material, temperature: float) -> MaterialInputs:
    """A material's table at a temperature in degrees Celsius."""
    warmer = temperature - _ROOM_TEMPERATURE
    dk = 1.0 + material.dk_per_kelvin * warmer
    df = max(1.0 + material.df_per_kelvin * warmer, 0.0)
    points = tuple((f, k * dk, d * df) for f, k, d in material.known)
    return MaterialInputs(material.id, material.name, points)
