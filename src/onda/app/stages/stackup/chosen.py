"""What the inspector of the Stackup stage shows of the chosen layer, via span and zone."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from onda.app.shell.form import FieldSpec
from onda.app.stages.stackup.in_view import BuildInView
from onda.app.stages.stackup.inspector import SPREAD_FIELDS, StackupInspector
from onda.errors import OndaError
from onda.project.build.library import foils
from onda.project.build.limits_text import limit_text, step_text
from onda.project.build.stackup import (
    CoatingLayer,
    CopperLayer,
    StackLayer,
    ViaSpan,
    Zone,
)
from onda.project.model import Design
from onda.project.quantities import Quantity, format_si, parse_quantity, split_si
from onda.studies.build.remarks import (
    pressed,
    via_aspect,
    zone_figures,
)

__all__ = ["Chosen"]

_VIA_KINDS = ("through", "blind", "buried", "micro")


class Chosen:
    """Fills the inspector."""

    def __init__(
        self, subject: BuildInView, panel: StackupInspector, put: Callable[[str, Quantity], None]
    ) -> None:
        self._subject, self._panel, self._put = subject, panel, put

    @property
    def _design(self) -> Design:
        return self._subject.design

    def show_chosen(self) -> None:
        """Show the chosen layer or via span, and the chosen zone."""
        layer, via, panel = self._subject.layer, self._subject.via, self._panel
        for part in (panel.add_heading, panel.adding):
            part.setVisible(layer is not None)
        panel.buttons["copy"].setVisible(layer is not None)
        panel.buttons["split"].setVisible(layer is not None and layer.kind == "dielectric")
        if via is not None:
            self._show_via(via)
        elif layer is not None:
            self._show_layer(layer)
        zone = self._subject.zone
        several = len(self._subject.stackup.zones) > 1 and zone is not None
        for part in (panel.zone_heading, panel.in_zone, panel.carries, panel.zone_kind):
            part.setVisible(several)
        flex = several and zone is not None and zone.kind == "flex"
        panel.bend.setVisible(flex)
        panel.bends.setVisible(flex)
        if several and zone is not None:
            panel.zone_heading.remark.setText(zone.name)
            there = layer is not None and layer.id in zone.layers
            panel.in_zone.setChecked(there)
            panel.in_zone.setVisible(layer is not None)
            first = zone.id == self._subject.stackup.all_zones[0].id
            panel.carries.setVisible(there and isinstance(layer, CopperLayer) and not first)
            panel.carries.setChecked(there and layer is not None and layer.id in zone.signal)
            kinds = [("rigid", "rigid"), ("flex", "flex")]
            panel.zone_kind.show_items(kinds, zone.kind)
            panel.bend.show_quantity(zone.bend_radius)
            panel.bends.show_items([("once", "once, to fit"), ("often", "often")], zone.bends)

    def _show_layer(self, layer: StackLayer) -> None:
        panel = self._panel
        panel.title.setText(layer.id)
        panel.second.setVisible(isinstance(layer, CopperLayer) or layer.kind == "dielectric")
        note = ""
        if isinstance(layer, CopperLayer):
            panel.what.setText("copper: foil and plating give the finished thickness")
            panel.first.title.setText("Role")
            roles = [("signal", "signal"), ("plane", "plane")]
            panel.first.show_items(roles, layer.role)
            panel.second.title.setText("Foil profile")
            items = [(f.id, f.name) for f in foils()]
            now = next(
                (f.id for f in foils() if abs(f.rz_base_um * 1e-6 - layer.rz_base.si) < 1e-9), ""
            )
            panel.second.show_items([("", "as typed"), *items], now)
            keys = [
                ("Foil", "foil", (5e-6, 105e-6, 1e-6)),
                ("Plating", "plating", (0.0, 40e-6, 1e-6)),
                ("Finished", "thickness", (5e-6, 105e-6, 1e-6)),
                ("Etch undercut", "undercut", (0.0, 30e-6, 5e-7)),
                ("Copper cover", "cover", None),
                ("Rz to laminate", "rz_base", (0.0, 12e-6, 1e-7)),
                ("Rz away from it", "rz_face", (0.0, 12e-6, 1e-7)),
            ]
            ounces = layer.thickness.si / parse_quantity("1 oz", "length").si
            note = f"Finished {ounces:.2f} oz. Foil is laid from {layer.base}."
        else:
            items = [(m.id, m.name) for m in self._design.materials]
            panel.first.title.setText("Material")
            panel.first.show_items(items, layer.material)
            material = self._design.material(layer.material)
            known = "a table" if material.points else f"{material.at.text} only"
            note = f"Known at {known}; every layer of {material.name} changes with it."
            panel.dk.show_text(f"{material.dk:g}")
            panel.df.show_text(f"{material.df:g}")
            panel.at.show_quantity(material.at)
            panel.at.setVisible(not material.points)
            if isinstance(layer, CoatingLayer):
                panel.what.setText("coating, conformal")
                keys = [
                    ("Over laminate", "over_laminate", (5e-6, 80e-6, 1e-6)),
                    ("Over copper", "over_copper", (5e-6, 80e-6, 1e-6)),
                    ("Beside copper", "beside", (5e-6, 80e-6, 1e-6)),
                ]
            else:
                panel.what.setText(f"{layer.name}; thickness as pressed between copper")
                panel.second.title.setText("Kind")
                kinds = ("core", "prepreg", "adhesive", "flex")
                panel.second.show_items([(k, k) for k in kinds], layer.build)
                thick = layer.thickness.si
                keys = [("Thickness", "thickness", (25e-6, max(2 * thick, 250e-6), 1e-6))]
                if layer.build == "prepreg":
                    keys.append(("Laid, unpressed", "laid", (25e-6, 2 * thick, 1e-6)))
                    note += self._pressed_note(layer)
        panel.note.setText(note)
        panel.first.setVisible(True)
        self._show_material_fields(not isinstance(layer, CopperLayer))
        self._set_specs(layer, keys)

    def _show_material_fields(self, shown: bool) -> None:
        for field in (self._panel.dk, self._panel.df):
            field.setVisible(shown)
        if not shown:
            self._panel.at.setVisible(False)

    def _pressed_note(self, layer: Any) -> str:
        try:
            to_be = pressed(self._subject.stackup, layer)
        except OndaError as error:
            return f" {error}"
        return "" if to_be is None else f" Laid plies press to {format_si(to_be, 'length')}."

    def _set_specs(self, part: StackLayer | ViaSpan, keys: Sequence[tuple[str, str, Any]]) -> None:
        def get(key: str) -> Quantity | None:
            now = self._subject.via if isinstance(part, ViaSpan) else self._subject.layer
            return getattr(now, key, None)

        self._panel.form.set_specs(
            [
                FieldSpec(
                    title,
                    "ratio" if key == "cover" else "length",
                    lambda key=key: get(key),  # type: ignore[misc]
                    lambda q, key=key: self._put(key, q),  # type: ignore[misc]
                    trim,
                    kept=lambda key=key: self._kept_values(key),  # type: ignore[misc]
                )
                for title, key, trim in keys
            ]
        )

    def _show_via(self, via: ViaSpan) -> None:
        panel = self._panel
        panel.title.setText(via.name)
        aspect, limit = via_aspect(self._subject.stackup, via)
        panel.what.setText(f"{via.kind} via, {via.top} to {via.bottom}")
        panel.first.title.setText("From – to")
        copper = [c.id for c in self._subject.stackup.copper]
        spans = [(f"{a} {b}", f"{a} – {b}") for k, a in enumerate(copper) for b in copper[k + 1 :]]
        panel.first.show_items(spans, f"{via.top} {via.bottom}")
        panel.first.setVisible(True)
        panel.second.title.setText("Kind")
        kinds = [(k, k) for k in _VIA_KINDS]
        inner = copper[copper.index(via.top) : copper.index(via.bottom)]
        kinds += [(f"through>{c}", f"back-drilled to {c}") for c in inner[1:]]
        now = f"through>{via.backdrilled_to}" if via.backdrilled_to else via.kind
        panel.second.show_items(kinds, now)
        panel.second.setVisible(True)
        panel.note.setText(f"Depth {aspect:.2g} drills, at most {limit:g}.")
        self._show_material_fields(False)
        self._set_specs(
            via, [("Drill", "drill", (75e-6, 600e-6, 5e-6)), ("Plating", "plating", None)]
        )

    def show_whole(self, zone: Zone) -> None:
        """Show what is true of a whole zone, and of how the build is made."""
        panel, stackup = self._panel, self._subject.stackup
        f = zone_figures(stackup, zone)
        panel.numbers.set_rows(
            [
                ("Thickness", *split_si(f.thickness, "length"), ""),
                ("Symmetric", "yes" if f.mirrored else "no", "", ""),
                ("Copper above", *split_si(f.copper_above, "length"), ""),
                ("Copper below", *split_si(f.copper_below, "length"), ""),
            ]
        )
        panel.total.show_quantity(stackup.total)
        panel.temperature.show_quantity(stackup.temperature)
        models = [(m, m) for m in ("smooth", "Hammerstad", "Huray")]
        panel.roughness.show_items(models, stackup.roughness)
        for made, (_, _, key) in zip(panel.spread, SPREAD_FIELDS, strict=True):
            made.show_quantity(getattr(stackup.spread, key))
        etch, steps = stackup.fabrication.etch, stackup.fabrication.steps
        for k, field in enumerate(panel.limits):
            field.show_text(limit_text(etch[k]) if k < len(etch) else "")
        for k, field in enumerate(panel.steps):
            field.show_text(step_text(steps[k]) if k < len(steps) else "")

    def _kept_values(self, key: str) -> list[float]:
        chosen = self._subject.element
        found = (
            x for k in self._subject.kept_states for x in k.design.stackup.layers if x.id == chosen
        )
        values = (getattr(x, key, None) for x in found)
        return [v.si for v in values if v is not None]
