"""Joins the build to the document: layers, zones, vias, what the classes reach, files."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

from PyQt6.QtWidgets import QPushButton, QStackedWidget

from onda.app.shell.form import FieldSpec
from onda.app.shell.rows import Row
from onda.app.stages.base import Context, Stage, scrolled
from onda.app.stages.stackup.build_view import BuildView
from onda.app.stages.stackup.cells import Cell
from onda.app.stages.stackup.files import BuildFiles
from onda.app.stages.stackup.inspector import SPREAD_FIELDS, StackupInspector
from onda.app.stages.stackup.materials_page import MaterialsPage
from onda.app.stages.stackup.remarks import RemarkLines
from onda.errors import InputError, OndaError
from onda.project.build import (
    CoatingLayer,
    CopperLayer,
    StackLayer,
    Stackup,
    ViaSpan,
    Zone,
)
from onda.project.build_edits import (
    add_layer,
    add_material,
    add_via_span,
    add_zone,
    copy_layer,
    mirror_build,
    remove_layer,
    remove_via_span,
    remove_zone,
    replace_layer,
    scaled_material,
    set_copper_part,
    set_in_zone,
    split_layer,
    with_stackup,
)
from onda.project.edits import replace_class, set_value
from onda.project.exchange import Taken
from onda.project.library import foils
from onda.project.limits_text import limit_text, step_text, with_limit, with_step
from onda.project.model import Project
from onda.project.quantities import Quantity, format_si, parse_quantity, quantity, split_si
from onda.studies.build_check import (
    build_remarks,
    pressed,
    via_aspect,
    via_state,
    zone_figures,
)
from onda.studies.fit_all import FIT_ALL, FitAllResult, fit_all_inputs
from onda.studies.impedance import IMPEDANCE, ImpedanceInputs, ImpedanceResult
from onda.studies.line_inputs import line_inputs
from onda.studies.margins import Margin, State, margin_of, measure_line
from onda.studies.study import key_of

__all__ = ["StackupStage"]

_VIA_KINDS = ("through", "blind", "buried", "micro")


class StackupStage(Stage):
    """Stackup: the build and what every class makes of it."""

    id = "stackup"
    add_title = "Add a zone beside the others"

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self.results: dict[tuple[str, str], ImpedanceResult] = {}
        self.problems: dict[tuple[str, str], str] = {}
        self._keys: dict[tuple[str, str], str] = {}
        look, document = context.look, context.document
        self.files = BuildFiles(
            self.surface,
            lambda: document.project,
            lambda: {k: r.z for k, r in self.results.items()},
            self._take,
            self.surface.tell,
        )
        add = self.surface.add_button
        add("Fit all", self.fit_all, tip="Width of every class on every layer, within the limits")
        add("Mirror", lambda: self._edit("Mirror build", mirror_build), tip="Lower half as upper")
        add("Add via", self._add_via, tip="Add a via span")
        add("Materials", self.show_materials, tip="The library, your own materials, this project's")
        self._menu_button("Read", lambda b: self.files.show_read(b))
        self._menu_button("Write", lambda b: self.files.show_write(b))
        add("Keep state", self.keep_wanted.emit, primary=True, tip="Keep this state (K)")
        self.view = BuildView(look)
        self.view.chosen.connect(context.selection.choose_element)
        self.view.zone_chosen.connect(lambda z: context.selection.choose(z, "stackup"))
        self.view.cell_chosen.connect(self._go_to_line)
        self.view.cell_wanted.connect(self._route)
        self.view.drag_began.connect(document.begin_gesture)
        self.view.drag_ended.connect(document.end_gesture)
        self.view.thickness_dragged.connect(self._dragged)
        self.remarks = RemarkLines(look)
        self.remarks.chosen.connect(self._go_to_remark)
        self.view.hovered.connect(self.remarks.show_readout)
        self.materials = MaterialsPage(context)
        self.materials.wanted.connect(self._use_material)
        self.materials.left.connect(lambda: self.pages.setCurrentWidget(self.view))
        self.pages = QStackedWidget()
        self.pages.addWidget(self.view)
        self.pages.addWidget(self.materials)
        self.surface.body.addWidget(self.pages, 1)
        self.surface.body.addWidget(self.remarks)
        self.panel = StackupInspector(context, self._acts())
        self.form = self.panel.form
        self.inspector = scrolled(self.panel)

    def _menu_button(self, title: str, show: Callable[[Any], None]) -> None:
        button: QPushButton = self.surface.add_button(title, lambda: None)
        button.clicked.connect(lambda: show(button.mapToGlobal(button.rect().bottomLeft())))

    def _acts(self) -> dict[str, Callable[..., Any]]:
        """What the inspector's buttons, lists and fields do."""
        return {
            "first": self._first_chosen,
            "dk": lambda typed: self._put_number("dk", typed),
            "df": lambda typed: self._put_number("df", typed),
            "at": lambda q: self._change_material("frequency", at=q),
            "second": self._second_chosen,
            "copper": lambda: self._add("copper"),
            "dielectric": lambda: self._add("dielectric"),
            "coating": lambda: self._add("coating"),
            "copy": lambda: self._new_layer("Copy layer", copy_layer),
            "split": lambda: self._new_layer("Split layer", split_layer),
            "remove": self._remove_chosen,
            "in_zone": lambda on: self._in_zone(bool(on)),
            "carries": lambda on: self._carries(bool(on)),
            "zone_kind": lambda kind: self._change_zone(kind=kind),
            "bend": lambda q: self._change_zone(bend_radius=q),
            "bends": lambda how: self._change_zone(bends=how),
            "total": lambda q: self._change_stackup("target thickness", total=q),
            "temperature": lambda q: self._change_stackup("temperature", temperature=q),
            "roughness": lambda how: self._change_stackup("roughness", roughness=how),
            "spread": self._put_spread,
            "limit": lambda k: lambda typed: self._put_made(with_limit, k, typed),
            "step": lambda k: lambda typed: self._put_made(with_step, k, typed),
        }

    # -- what is in view --------------------------------------------------------------------------

    @property
    def stackup(self) -> Stackup:
        """The present stackup."""
        return self.design.stackup

    @property
    def zone(self) -> Zone | None:
        """The chosen zone, else the first."""
        zones = self.stackup.all_zones
        chosen = self.context.selection.subject_of(self.id)
        return next((z for z in zones if z.id == chosen), zones[0] if zones else None)

    @property
    def layer(self) -> StackLayer | None:
        """The chosen layer."""
        chosen = self.context.selection.element
        return next((x for x in self.stackup.layers if x.id == chosen), None)

    @property
    def via(self) -> ViaSpan | None:
        """The chosen via span."""
        chosen = self.context.selection.element.removeprefix("via:")
        return next((v for v in self.stackup.vias if v.id == chosen), None)

    def rows(self) -> Sequence[Row]:
        state = self.context.standing.state_of("lines")
        out = []
        for k, zone in enumerate(self.stackup.all_zones):
            layers = self.stackup.zone_layers(zone)
            copper = sum(isinstance(x, CopperLayer) for x in layers)
            thick = format_si(zone_figures(self.stackup, zone).thickness, "length")
            words = f"{zone.kind}, {copper} copper, {thick}"
            out.append(Row(zone.id, zone.name, words, state if k == 0 else None))
        return out

    def parts(self) -> tuple[str, Sequence[Row], str]:
        rows = []
        for v in self.stackup.vias:
            state = via_state(self.stackup, v)
            rows.append(Row(f"via:{v.id}", v.name, "", state, f"{v.top}–{v.bottom}"))
        return "Via spans", rows, self.context.selection.element

    def refresh(self) -> None:
        layers = self.stackup.layers
        if not layers:
            self.surface.title.setText("Stackup")
            self.surface.remark.setText("There is no layer yet: read a build from a file.")
            self.view.update()
            return
        if self.layer is None and self.via is None:
            self.context.selection.choose_element(layers[0].id)
            return
        zone = self.zone
        assert zone is not None
        self.surface.title.setText("Build")
        total = zone_figures(self.stackup, zone).thickness
        copper = sum(isinstance(x, CopperLayer) for x in self.stackup.zone_layers(zone))
        self.surface.remark.setText(f"{copper} copper layers, {format_si(total, 'length')}")
        self._ask_cells()
        self._draw()
        self._show_chosen()
        self._show_whole(zone)
        self.remarks.show_remarks(build_remarks(self.design))
        self.margins_changed.emit()

    # -- the table --------------------------------------------------------------------------------

    def _ask_cells(self) -> None:
        in_gesture = self.context.document.in_gesture
        for c in self.design.line_classes:
            for t in c.on:
                self._ask_cell(c.id, t.layer, fine=not in_gesture)

    def _ask_cell(self, line_class: str, place: str, *, fine: bool) -> None:
        where = (line_class, place)

        def inputs() -> ImpedanceInputs:
            found = self.design.line_class(line_class)
            made = ImpedanceInputs(line_inputs(self.design, found, place), fine)
            key = key_of("cell", made.line)
            if self._keys.get(where) != key:
                # Numbers of another design must not stay while the new ones are computed.
                self._keys[where] = key
                self.results.pop(where, None)
            return made

        def show(result: ImpedanceResult) -> None:
            self.results[where] = result
            self.problems.pop(where, None)
            self._draw()
            self.margins_changed.emit()

        def fail(words: str) -> None:
            self.results.pop(where, None)
            self.problems[where] = words
            self._draw()

        self.ask(f"cell-{line_class}-{place}", IMPEDANCE, inputs, show, fail)

    def _cell(self, line_class: str, place: str, shape: str) -> Cell:
        c = self.design.line_class(line_class)
        result = self.results.get((line_class, place))
        requirement = next(
            (
                r
                for r in self.context.document.project.requirements
                if (r.stage, r.subject, r.measure, r.layer)
                == ("lines", line_class, "impedance", place)
            ),
            None,
        )
        low, high = 0.9 * c.target.si, 1.1 * c.target.si
        state = None
        if requirement is not None and requirement.at_least and requirement.at_most:
            low, high = requirement.at_least.si, requirement.at_most.si
        if result is not None:
            state = State.HOLDS if low <= result.z <= high else State.FAILS
            if requirement is not None:
                state = margin_of(requirement, measure_line(result, place, "impedance")).state
        problem = self.problems.get((line_class, place), "")
        return Cell(
            place,
            line_class,
            shape,
            result.z if result else math.nan,
            low,
            high,
            0.1 * result.loss_at if result else math.nan,
            State.FAILS if problem else state,
            problem,
        )

    def _draw(self) -> None:
        cells = []
        for c in self.design.line_classes:
            for t in c.on:
                shape = f"{t.width.si * 1e6:.0f}"
                gap = t.gap or t.ground_gap
                if gap is not None:
                    shape += f"/{gap.si * 1e6:.0f}"
                cells.append(self._cell(c.id, t.layer, shape))
        zone = self.zone
        self.view.show_build(
            self.design, cells, self.context.selection.element, zone.id if zone else ""
        )

    def fit_all(self) -> None:
        """Fit the width of every class on every layer, within what can be made."""
        self.surface.tell("")

        def done(result: FitAllResult) -> None:
            project = self.context.document.project
            problems = []
            for f in result.fitted:
                c = project.design.line_class(f.line_class)
                if f.problem:
                    problems.append(f"{c.name} on {f.layer}: {f.problem}")
                    continue
                trace = c.trace_on(f.layer)
                if trace is None:
                    continue
                changes: dict[str, Any] = {"width": quantity(f.width, "length", "um", 6)}
                if f.gap is not None and trace.gap is not None:
                    changes["gap"] = quantity(f.gap, "length", "um", 6)
                new = set_value(trace, **changes)
                on = tuple(new if t.layer == f.layer else t for t in c.on)
                project = replace_class(project, set_value(c, on=on))
            self.context.document.edit("Fit all classes", project)
            self.surface.tell("  ".join(problems))

        self.ask("fit", FIT_ALL, lambda: fit_all_inputs(self.design), done, self.surface.tell)

    def _go_to_line(self, line_class: str, place: str) -> None:
        selection = self.context.selection
        selection.choose(line_class, "lines")
        selection.go("lines")
        selection.choose_element(place)

    def _route(self, line_class: str, place: str) -> None:
        """Route a class on one more layer, as on the layer where it is first."""
        c = self.design.line_class(line_class)
        new = set_value(c.on[0], layer=place)

        def change(project: Project) -> Project:
            changed = set_value(c, on=(*c.on, new))
            line_inputs(project.design, changed, place)
            return replace_class(project, changed)

        self._edit(f"Route {c.name} on {place}", change)

    def _go_to_remark(self, where: str) -> None:
        vias = {v.id for v in self.stackup.vias}
        self.context.selection.choose_element(f"via:{where}" if where in vias else where)

    # -- the inspector ----------------------------------------------------------------------------

    def _show_chosen(self) -> None:
        layer, via, panel = self.layer, self.via, self.panel
        for part in (panel.add_heading, panel.adding):
            part.setVisible(layer is not None)
        panel.buttons["copy"].setVisible(layer is not None)
        panel.buttons["split"].setVisible(layer is not None and layer.kind == "dielectric")
        if via is not None:
            self._show_via(via)
        elif layer is not None:
            self._show_layer(layer)
        zone = self.zone
        several = len(self.stackup.zones) > 1 and zone is not None
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
            first = zone.id == self.stackup.all_zones[0].id
            panel.carries.setVisible(there and isinstance(layer, CopperLayer) and not first)
            panel.carries.setChecked(there and layer is not None and layer.id in zone.signal)
            kinds = [("rigid", "rigid"), ("flex", "flex")]
            panel.zone_kind.show_items(kinds, zone.kind)
            panel.bend.show_quantity(zone.bend_radius)
            panel.bends.show_items([("once", "once, to fit"), ("often", "often")], zone.bends)

    def _show_layer(self, layer: StackLayer) -> None:
        panel = self.panel
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
            items = [(m.id, m.name) for m in self.design.materials]
            panel.first.title.setText("Material")
            panel.first.show_items(items, layer.material)
            material = self.design.material(layer.material)
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
        for field in (self.panel.dk, self.panel.df):
            field.setVisible(shown)
        if not shown:
            self.panel.at.setVisible(False)

    def _pressed_note(self, layer: Any) -> str:
        try:
            to_be = pressed(self.stackup, layer)
        except OndaError as error:
            return f" {error}"
        return "" if to_be is None else f" Laid plies press to {format_si(to_be, 'length')}."

    def _set_specs(self, part: StackLayer | ViaSpan, keys: Sequence[tuple[str, str, Any]]) -> None:
        def get(key: str) -> Quantity | None:
            now = self.via if isinstance(part, ViaSpan) else self.layer
            return getattr(now, key, None)

        self.form.set_specs(
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
        panel = self.panel
        panel.title.setText(via.name)
        aspect, limit = via_aspect(self.stackup, via)
        panel.what.setText(f"{via.kind} via, {via.top} to {via.bottom}")
        panel.first.title.setText("From – to")
        copper = [c.id for c in self.stackup.copper]
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

    def _show_whole(self, zone: Zone) -> None:
        panel, stackup = self.panel, self.stackup
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

    # -- editing ----------------------------------------------------------------------------------

    def _edit(self, name: str, change: Callable[[Project], Project]) -> None:
        document = self.context.document
        try:
            document.edit(name, change(document.project))
            self.surface.tell("")
        except OndaError as error:
            self.surface.tell(str(error))
            self.refresh()

    def _add(self, kind: Any) -> None:
        self._new_layer(f"Add {kind}", lambda p, below: add_layer(p, below, kind))

    def _new_layer(self, name: str, change: Callable[[Project, str], tuple[Project, str]]) -> None:
        layer = self.layer
        if layer is None:
            return
        try:
            project, new = change(self.context.document.project, layer.id)
        except OndaError as error:
            self.surface.tell(str(error))
            return
        self.surface.tell("")
        self.context.document.edit(name, project)
        self.context.selection.choose_element(new)

    def _remove_chosen(self) -> None:
        layer, via = self.layer, self.via
        if via is not None:
            self._edit(f"Remove {via.name}", lambda p: remove_via_span(p, via.id))
        elif layer is not None:
            self._edit(f"Remove {layer.id}", lambda p: remove_layer(p, layer.id))

    def _put(self, key: str, q: Quantity) -> None:
        """Change a value of the chosen layer or via; refused with the reason beside the field."""
        project, layer, via = self.context.document.project, self.layer, self.via
        if via is not None:
            vias = tuple(
                set_value(v, **{key: q}) if v.id == via.id else v for v in self.stackup.vias
            )
            self.context.document.edit(
                f"Change {key} of {via.name}", with_stackup(project, vias=vias)
            )
            return
        assert layer is not None
        if isinstance(layer, CopperLayer) and key in ("foil", "plating"):
            new: StackLayer = set_copper_part(layer, key, q)  # type: ignore[arg-type]
        else:
            new = set_value(layer, **{key: q})
        words = f"Change {key.replace('_', ' ')} of {layer.id}"
        self.context.document.edit(words, replace_layer(project, new))

    def _dragged(self, layer: str, metres: float) -> None:
        old = self.stackup.layer(layer)
        if isinstance(old, CoatingLayer):
            return
        q = quantity(metres, "length", "um", 6)
        self._edit(
            f"Change thickness of {layer}",
            lambda p: replace_layer(p, set_value(old, thickness=q)),
        )

    def _first_chosen(self, value: str) -> None:
        layer, via = self.layer, self.via
        if via is not None:
            top, bottom = value.split(" ")
            self._change_via(via, top=top, bottom=bottom, backdrilled_to=None)
        elif isinstance(layer, CopperLayer):
            self._change_layer(layer, role=value)
        elif layer is not None:
            self._change_layer(layer, material=value)

    def _second_chosen(self, value: str) -> None:
        layer, via = self.layer, self.via
        if via is not None:
            kind, _, back = value.partition(">")
            self._change_via(via, kind=kind, backdrilled_to=back or None)
        elif isinstance(layer, CopperLayer):
            foil = next((f for f in foils() if f.id == value), None)
            if foil is not None:
                self._change_layer(
                    layer,
                    rz_base=quantity(foil.rz_base_um * 1e-6, "length", "um"),
                    rz_face=quantity(foil.rz_face_um * 1e-6, "length", "um"),
                )
        elif layer is not None:
            self._change_layer(layer, build=value)

    def _change_layer(self, layer: StackLayer, **changes: Any) -> None:
        what = ", ".join(changes).replace("_", " ")
        self._edit(
            f"Change {what} of {layer.id}",
            lambda p: replace_layer(p, set_value(layer, **changes)),
        )

    def _put_number(self, key: str, typed: str) -> None:
        """Change Dk or Df of the chosen layer's material; refused with the reason."""
        try:
            value = float(typed.replace(",", "."))
        except ValueError as error:
            raise InputError(
                f"{typed[:20]!r} is not a number", remedy="Write it like 3.64."
            ) from error
        self._change_material(key, **{key: value})

    def _change_material(self, what: str, **changes: Any) -> None:
        layer = self.layer
        if layer is None or isinstance(layer, CopperLayer):
            return
        project = self.context.document.project
        old = project.design.material(layer.material)
        new = set_value(old, **changes) if "at" in changes else scaled_material(old, **changes)
        self.context.document.edit(f"Change {what} of {old.name}", add_material(project, new))

    def _change_via(self, via: ViaSpan, **changes: Any) -> None:
        vias = tuple(set_value(v, **changes) if v.id == via.id else v for v in self.stackup.vias)
        self._edit(f"Change {via.name}", lambda p: with_stackup(p, vias=vias))

    def _change_stackup(self, words: str, **changes: Any) -> None:
        project = self.context.document.project
        self.context.document.edit(f"Change {words}", with_stackup(project, **changes))

    def _put_spread(self, key: str) -> Callable[[Quantity], None]:
        def put(q: Quantity) -> None:
            spread = set_value(self.stackup.spread, **{key: q})
            self._change_stackup(f"spread of {key}", spread=spread)

        return put

    def _put_made(self, change: Callable[..., Any], index: int, typed: str) -> None:
        made = change(self.stackup.fabrication, index, typed)
        self._change_stackup("what can be made", fabrication=made)

    def _change_zone(self, **changes: Any) -> None:
        zone = self.zone
        if zone is None or not self.stackup.zones:
            return
        zones = tuple(set_value(z, **changes) if z.id == zone.id else z for z in self.stackup.zones)
        self._edit(f"Change {zone.name}", lambda p: with_stackup(p, zones=zones))

    def _in_zone(self, there: bool) -> None:
        zone, layer = self.zone, self.layer
        if zone is not None and layer is not None:
            self._edit(
                f"{'Put' if there else 'Take'} {layer.id} {'into' if there else 'out of'} "
                f"{zone.name}",
                lambda p: set_in_zone(p, zone.id, layer.id, there),
            )

    def _carries(self, there: bool) -> None:
        zone, layer = self.zone, self.layer
        if zone is None or layer is None:
            return
        kept = tuple(x for x in zone.signal if x != layer.id)
        self._change_zone(signal=(*kept, layer.id) if there else kept)

    def _add_via(self) -> None:
        try:
            project, new = add_via_span(self.context.document.project)
        except OndaError as error:
            self.surface.tell(str(error))
            return
        self.context.document.edit("Add via span", project)
        self.context.selection.choose_element(f"via:{new}")

    def add_copy(self) -> None:
        project, new = add_zone(self.context.document.project)
        self.context.document.edit("Add zone", project)
        self.context.selection.choose(new, self.id)

    def remove(self, identifier: str) -> None:
        project = remove_zone(self.context.document.project, identifier)
        self.context.document.edit("Remove zone", project)

    def rename(self, identifier: str, name: str) -> None:
        if not self.stackup.zones:
            raise InputError("the board has no name of its own", remedy="Add a zone first.")
        zones = tuple(
            set_value(z, name=name) if z.id == identifier else z for z in self.stackup.zones
        )
        project = with_stackup(self.context.document.project, zones=zones)
        self.context.document.edit("Rename zone", project)

    # -- materials and files ----------------------------------------------------------------------

    def show_materials(self) -> None:
        """Turn to the materials, or back to the build."""
        if self.pages.currentWidget() is self.materials:
            self.pages.setCurrentWidget(self.view)
            return
        layer = self.layer
        named = layer is not None and not isinstance(layer, CopperLayer)
        self.materials.show_for(layer.id if named and layer else "")
        self.pages.setCurrentWidget(self.materials)

    def _use_material(self, entry: Any) -> None:
        taken = {m.id for m in self.design.materials}
        new_id = next(f"mat{n}" for n in range(1, 10_000) if f"mat{n}" not in taken)
        layer = self.layer

        def change(project: Project) -> Project:
            material = entry.make(new_id)
            if entry.own is None:
                project = add_material(project, material)
            if layer is None or isinstance(layer, CopperLayer):
                return project
            return replace_layer(project, set_value(layer, material=material.id))

        self._edit(f"Use {entry.name}", change)
        self.pages.setCurrentWidget(self.view)

    def _take(self, name: str, taken: Taken) -> None:
        self.context.document.edit(f"Read {name}", taken.project)
        self.surface.tell("  ".join(taken.remarks))

    def _kept_values(self, key: str) -> list[float]:
        chosen = self.context.selection.element
        found = (x for k in self.shown_kept for x in k.design.stackup.layers if x.id == chosen)
        values = (getattr(x, key, None) for x in found)
        return [v.si for v in values if v is not None]

    def margins(self) -> tuple[str, Sequence[Margin], dict[str, list[float]]]:
        names = {c.id: c.name for c in self.design.line_classes}
        # Several classes are on screen, so each bar has to say whose it is.
        shown = [
            replace(m, title=f"{names[m.subject]} {m.title.removeprefix('Impedance ')}")
            for m in self.context.standing.margins
            if m.stage == "lines"
        ]
        return "all classes", sorted(shown, key=lambda m: m.normalised), {}
