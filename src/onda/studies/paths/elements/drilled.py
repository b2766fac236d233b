"""A drilled via in a net, from its geometry."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from onda.engine.lines import lossless_line
from onda.engine.vias import ViaGeometry, ViaModel, via_model
from onda.errors import InputError
from onda.project.build.stackup import CopperLayer, DielectricLayer
from onda.project.model import Design
from onda.project.paths.elements import DrilledVia
from onda.studies.paths.items import Item
from onda.studies.paths.layout import Layout, Place
from onda.studies.paths.slice import Slice

__all__ = ["DrilledItem", "geometry_of", "slice_of"]


@dataclass(frozen=True, slots=True)
class DrilledItem(Item):
    """A via by its geometry."""

    is_line: ClassVar[bool] = True
    geometry: ViaGeometry

    def lay(self, layout: Layout, place: Place) -> Place:
        model = via_model(self.geometry)
        end = layout.piece(
            place,
            self.id,
            "via",
            "via",
            line=lossless_line(model.z0),
            length=model.delay,
            z=model.z0,
            took=model.delay,
            pad=model.pad,
            note=_stub_note(model),
        )
        if model.stub_delay > 0.0:
            layout.stub(end, self.id, lossless_line(model.stub_z0), model.stub_delay, model.stub_z0)
        return end

    def doubts(self) -> tuple[str, ...]:
        if self.geometry.has_return:
            return ()
        return (f"via {self.id} has no return via: its loop is taken to close 5 mm away",)

    @property
    def removal(self) -> str:
        return f"via {self.id}"


def _stub_note(model: ViaModel) -> str:
    if not math.isfinite(model.stub_resonance):
        return ""
    return f"stub {model.stub_delay * 1e12:.1f} ps, shorts at {model.stub_resonance / 1e9:.1f} GHz"


def geometry_of(design: Design, via: DrilledVia, *, pair: bool) -> ViaGeometry:
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
    solid = [x for x in layers if isinstance(x, CopperLayer | DielectricLayer)]
    tops = np.concatenate([[0.0], np.cumsum([x.thickness.si for x in solid])])
    place = {x.id: (float(a), float(b)) for x, a, b in zip(solid, tops, tops[1:], strict=False)}
    low, high = place[layers[first].id][0], place[layers[last].id][1]
    top, bottom = place[layers[copper[0]].id][0], place[layers[copper[-1]].id][1]
    if via.back_drilled:
        # From the side of the longer stub.
        if low - top > bottom - high:
            top = max(top, low - via.rest.si)
        else:
            bottom = min(bottom, high + via.rest.si)
    planes = [x for x in solid if isinstance(x, CopperLayer) and x.role == "plane"]
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
        planes=tuple(place[x.id] for x in planes),
        barrel=(top, bottom),
        span=(low, high),
        pads=(place[layers[first].id], place[layers[last].id]),
    )


def slice_of(element: DrilledVia, where: Slice) -> Item:
    """A drilled via's slice."""
    return DrilledItem(element.id, geometry_of(where.design, element, pair=where.pair))
