"""A drilled via in a net, from its geometry."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

from onda.engine.lines import lossless_line
from onda.engine.vias import ViaGeometry, ViaModel, via_model
from onda.project.paths.elements import DrilledVia
from onda.studies.build.hole import geometry_of
from onda.studies.paths.items import Item
from onda.studies.paths.layout import Layout, Place
from onda.studies.paths.slice import Slice

__all__ = ["DrilledItem", "slice_of"]


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


def slice_of(element: DrilledVia, where: Slice) -> Item:
    """A drilled via's slice."""
    layers = (element.from_layer, element.to_layer)
    found = geometry_of(where.design, element, layers, f"via {element.id}", pair=where.pair)
    return DrilledItem(element.id, found)
