"""From a design to what the section view draws."""

from __future__ import annotations

import math
from collections.abc import Iterator

from onda.app.stages.lines.section_view import Dimension, Drawing
from onda.errors import InputError
from onda.project.build.stackup import CopperLayer, DielectricLayer, StackLayer
from onda.project.lines.objects import TraceOnLayer
from onda.project.lines.structures import structure
from onda.project.model import Design
from onda.project.quantities import Quantity, as_shown, format_si
from onda.studies.lines.inputs import LineInputs
from onda.studies.lines.solved_line import section_of

__all__ = ["layer_of_slab", "make_drawing", "structure_in_words"]


def make_drawing(design: Design, inputs: LineInputs, trace: TraceOnLayer) -> Drawing:
    """The section with its dimensions and names."""
    below, above = _neighbour_planes(design, trace.layer)
    copper = design.stackup.place(trace.layer).copper
    if inputs.turned:
        below, above = above, below
    planes = ((below, inputs.plane_below), (above, inputs.plane_above))
    dimensions = [Dimension("width", _length(trace.width), "Width of the trace", True)]
    if trace.gap is not None:
        dimensions.append(Dimension("gap", _length(trace.gap), "Gap of the pair", True))
    dimensions.append(Dimension("thickness", _length(copper.thickness), "Copper thickness"))
    dimensions += [
        Dimension(_slab_key(y), _length(layer.thickness), f"Thickness of {layer.name}")
        for y, layer in _slabs(design, inputs, trace.layer)
    ]
    return Drawing(
        section=section_of(inputs),
        trace=inputs.trace,
        slab_names={m.id: m.name for m in design.materials},
        dimensions=tuple(dimensions),
        plane_names=tuple(name for name, there in planes if there),
        turned=inputs.turned,
    )


def _length(value: Quantity) -> str:
    return as_shown(value, "length")


def _slab_key(y: float) -> str:
    return f"slab:{y:.9f}"


def layer_of_slab(design: Design, inputs: LineInputs, trace_layer: str, key: str) -> str:
    """The stackup layer behind the key of a slab's dimension."""
    for y, layer in _slabs(design, inputs, trace_layer):
        if _slab_key(y) == key:
            return layer.id
    raise InputError("that thickness belongs to no layer")


def _slabs(
    design: Design, inputs: LineInputs, trace_layer: str
) -> Iterator[tuple[float, DielectricLayer]]:
    """Lower edge in the section and stackup layer of each dielectric around a trace."""
    y = math.fsum(s.thickness for s in inputs.below)
    top = y + inputs.trace.thickness
    lower = _slab_layers(design, trace_layer, not inputs.turned)
    for slab, layer in zip(inputs.below, lower, strict=False):
        y -= slab.thickness
        if layer is not None:
            yield y, layer
    upper = _slab_layers(design, trace_layer, inputs.turned)
    for slab, layer in zip(inputs.above, upper, strict=False):
        if layer is not None:
            yield top, layer
        top += slab.thickness


def _slab_layers(design: Design, trace_layer: str, down: bool) -> list[DielectricLayer | None]:
    """The dielectrics outwards to the next plane; None for copper filled with resin."""
    place = design.stackup.place(trace_layer)
    layers, index = place.layers, place.index
    out: list[DielectricLayer | None] = []
    for item in layers[index + 1 :] if down else layers[:index][::-1]:
        if isinstance(item, CopperLayer) and item.role == "plane":
            break
        if isinstance(item, DielectricLayer):
            out.append(item)
        elif out:
            out.append(None)
    return out


def _neighbour_planes(design: Design, layer: str) -> tuple[str, str]:
    """Names of the next plane below and above; empty where there is none."""
    place = design.stackup.place(layer)

    def first(layers: tuple[StackLayer, ...]) -> str:
        found = (x for x in layers if isinstance(x, CopperLayer) and x.role == "plane")
        return next((x.id for x in found), "")

    return first(place.layers[place.index + 1 :]), first(place.layers[: place.index][::-1])


def structure_in_words(inputs: LineInputs, planes: tuple[str, ...]) -> str:
    """What kind of structure it is."""
    trace = inputs.trace
    kind = structure(inputs.kind).words.format(n=trace.count)
    if trace.facing is not None:
        kind = "broadside pair"
    if trace.coplanar is not None:
        kind += " with coplanar grounds"
    if inputs.plane_below and inputs.plane_above:
        where = f"between planes {' and '.join(planes)}"
    else:
        where = f"over plane {planes[0]}" if planes else "no plane"
    if inputs.opening is not None:
        where += f" with an opening of {format_si(inputs.opening.width, 'length')}"
    coated = "coated" if inputs.coating else ("bare" if not inputs.above else "")
    return ", ".join(p for p in (kind, coated, where) if p)
