"""Joins the build to the document: layers, zones, vias, what the classes reach, files."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QPushButton, QStackedWidget

from onda.app.kit.context import Context
from onda.app.kit.maker import Aside
from onda.app.kit.stage import Stage
from onda.app.kit.surface import scrolled
from onda.app.shell.rows import Row
from onda.app.shell.shapes import shape_of
from onda.app.stages import StageInfo
from onda.app.stages.stackup.build_view import BuildView
from onda.app.stages.stackup.cells import Cell
from onda.app.stages.stackup.chosen import Chosen
from onda.app.stages.stackup.edits import BuildEdits
from onda.app.stages.stackup.files import BuildFiles
from onda.app.stages.stackup.in_view import BuildInView, via_element
from onda.app.stages.stackup.inspector import StackupInspector
from onda.app.stages.stackup.materials_page import MaterialsPage
from onda.app.stages.stackup.remarks import RemarkLines
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.build.edits import (
    add_material,
    add_zone,
    copy_layer,
    mirror_build,
    remove_zone,
    replace_layer,
    split_layer,
    with_stackup,
)
from onda.project.build.exchange import Taken
from onda.project.build.limits_text import with_limit, with_step
from onda.project.build.stackup import CopperLayer, Stackup
from onda.project.edits import replace_object, requirements_of
from onda.project.kind import Ref
from onda.project.kinds import kind_of
from onda.project.model import Project
from onda.project.quantities import format_si
from onda.project.recipe import Answers
from onda.studies.build.remarks import build_remarks, via_state, zone_figures
from onda.studies.core.keys import key_of
from onda.studies.core.margin import Margin, State
from onda.studies.lines.fit_all import FIT_ALL, FitAllResult, fit_all_inputs, with_fitted
from onda.studies.lines.impedance import IMPEDANCE, ImpedanceInputs, ImpedanceResult
from onda.studies.lines.inputs import line_inputs

__all__ = ["StackupStage"]


class StackupStage(Stage):
    """Stackup: the build and what every class makes of it."""

    add_title = "Add a zone beside the others"
    makes = ("layer",)
    live_margins = False
    subject_type = BuildInView
    subject: BuildInView

    def __init__(self, context: Context, info: StageInfo) -> None:
        super().__init__(context, info)
        self._keys: dict[tuple[str, str], str] = {}
        self.edits = BuildEdits(self.editor, self.subject, self.refresh)
        look, document = context.look, context.document
        self.files = BuildFiles(
            self.surface,
            lambda: document.project,
            lambda: self.subject.reached,
            self._take,
            self.surface.tell,
            self.surface.note,
        )
        add = self.surface.add_button
        add("Fit all", self.fit_all, tip="Width of every class on every layer, within the limits")
        add(
            "Mirror",
            lambda: self.edits.edit("Mirror build", mirror_build),
            tip="Lower half as upper",
        )
        add("Add via", self.edits.add_via, tip="Add a via span")
        add("Materials", self.show_materials, tip="The library, your own materials, this project's")
        self._menu_button("Read", lambda b: self.files.show_read(b))
        self._menu_button("Write", lambda b: self.files.show_write(b))
        self.add_keep_button()
        self.view = BuildView(look)
        self.view.chosen.connect(context.selection.choose_element)
        self.view.zone_chosen.connect(context.selection.choose)
        self.view.cell_chosen.connect(self._go_to_line)
        self.view.cell_wanted.connect(self._route)
        self.view.drag_began.connect(document.begin_gesture)
        self.view.drag_ended.connect(document.end_gesture)
        self.view.thickness_dragged.connect(self.edits.dragged)
        self.remarks = RemarkLines(look)
        self.remarks.chosen.connect(self._go_to_remark)
        self.view.hovered.connect(self.remarks.show_readout)
        self._materials: MaterialsPage | None = None
        self.pages = QStackedWidget()
        self.pages.addWidget(self.view)
        self.surface.body.addWidget(self.pages, 1)
        self.surface.body.addWidget(self.remarks)
        self.panel = StackupInspector(context, self._acts())
        self.shown = Chosen(self.subject, self.panel, self.edits.put)
        self.form = self.panel.form
        self.inspector = scrolled(self.panel)

    def _menu_button(self, title: str, show: Callable[[Any], None]) -> None:
        button: QPushButton = self.surface.add_button(title, lambda: None)
        button.clicked.connect(lambda: show(button.mapToGlobal(button.rect().bottomLeft())))

    def _acts(self) -> dict[str, Callable[..., Any]]:
        """What the inspector's buttons, lists and fields do."""
        return {
            "first": self.edits.first_chosen,
            "dk": lambda typed: self.edits.put_number("dk", typed),
            "df": lambda typed: self.edits.put_number("df", typed),
            "at": lambda q: self.edits.change_material("frequency", at=q),
            "second": self.edits.second_chosen,
            "copper": lambda: self.edits.add("copper"),
            "dielectric": lambda: self.edits.add("dielectric"),
            "coating": lambda: self.edits.add("coating"),
            "copy": lambda: self.edits.new_layer("Copy layer", copy_layer),
            "split": lambda: self.edits.new_layer("Split layer", split_layer),
            "remove": self.edits.remove_chosen,
            "in_zone": lambda on: self.edits.in_zone(bool(on)),
            "carries": lambda on: self.edits.carries(bool(on)),
            "zone_kind": lambda kind: self.edits.change_zone(kind=kind),
            "bend": lambda q: self.edits.change_zone(bend_radius=q),
            "bends": lambda how: self.edits.change_zone(bends=how),
            "total": lambda q: self.edits.change_stackup("target thickness", total=q),
            "temperature": lambda q: self.edits.change_stackup("temperature", temperature=q),
            "roughness": lambda how: self.edits.change_stackup("roughness", roughness=how),
            "spread": self.edits.put_spread,
            "limit": lambda k: lambda typed: self.edits.put_made(with_limit, k, typed),
            "step": lambda k: lambda typed: self.edits.put_made(with_step, k, typed),
        }

    @property
    def materials(self) -> MaterialsPage:
        """The page of materials, made when it is first looked at."""
        if self._materials is None:
            self._materials = MaterialsPage(self.context)
            self._materials.wanted.connect(self._use_material)
            self._materials.said.connect(self.surface.note)
            self._materials.left.connect(lambda: self.pages.setCurrentWidget(self.view))
            self.pages.addWidget(self._materials)
        return self._materials

    # -- what is in view --------------------------------------------------------------------------

    @property
    def stackup(self) -> Stackup:
        """The present stackup."""
        return self.subject.stackup

    def rows(self) -> Sequence[Row]:
        state = self.context.standing.state_of_kinds(self.info.judged)
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
            rows.append(Row(via_element(v.id), v.name, "", state, f"{v.top}–{v.bottom}"))
        return "Via spans", rows, self.subject.element

    def refresh(self) -> None:
        layers = self.stackup.layers
        if not layers:
            return
        if self.subject.layer is None and self.subject.via is None:
            self.subject.choose_element(layers[0].id)
            return
        zone = self.subject.zone
        assert zone is not None
        total = zone_figures(self.stackup, zone).thickness
        copper = sum(isinstance(x, CopperLayer) for x in self.stackup.zone_layers(zone))
        self.surface.show_head("Build", f"{copper} copper layers, {format_si(total, 'length')}")
        self._ask_cells()
        self._draw()
        self.shown.show_chosen()
        self.shown.show_whole(zone)
        self.remarks.show_remarks(build_remarks(self.design))
        self.margins_changed.emit()

    # -- the table --------------------------------------------------------------------------------

    def _ask_cells(self) -> None:
        in_gesture = self.editor.in_gesture
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
                self.subject.results.pop(where, None)
            return made

        def show(result: ImpedanceResult) -> None:
            self.subject.results[where] = result
            self.subject.problems.pop(where, None)
            self._draw()
            self.margins_changed.emit()

        def fail(words: str) -> None:
            self.subject.results.pop(where, None)
            self.subject.problems[where] = words
            self._draw()

        self.subject.ask(f"cell-{line_class}-{place}", IMPEDANCE, inputs, show, fail)

    def _cell(self, line_class: str, place: str, shape: str) -> Cell:
        c = self.design.line_class(line_class)
        result = self.subject.results.get((line_class, place))
        requirement = next(
            (
                r
                for r in requirements_of(self.project, Ref(kind_of(c).key, c.id))
                if (r.measure, r.layer) == ("impedance", place)
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
                state = self.subject.margin(requirement, result).state
        problem = self.subject.problems.get((line_class, place), "")
        return Cell(
            place,
            line_class,
            shape,
            result.z if result else math.nan,
            low,
            high,
            result.loss_at if result else math.nan,
            State.FAILS if problem else state,
            problem,
        )

    def _draw(self) -> None:
        cells = []
        for c in self.design.line_classes:
            for t in c.on:
                shape = shape_of(t.width, t.gap or t.ground_gap)
                cells.append(self._cell(c.id, t.layer, shape))
        zone = self.subject.zone
        self.view.show_build(self.design, cells, self.subject.element, zone.id if zone else "")

    def fit_all(self) -> None:
        """Fit the width of every class on every layer, within what can be made."""
        self.surface.tell("")

        def done(result: FitAllResult) -> None:
            project, problems = with_fitted(self.project, result.fitted)
            self.editor.make("Fit all classes", project)
            self.surface.tell("  ".join(problems))

        self.subject.ask(
            "fit", FIT_ALL, lambda: fit_all_inputs(self.design), done, self.surface.tell
        )

    def _go_to_line(self, line_class: str, place: str) -> None:
        found = self.design.line_class(line_class)
        self.context.selection.show(Ref(kind_of(found).key, found.id), place)

    def _route(self, line_class: str, place: str) -> None:
        """Route a class on one more layer, as on the layer where it is first."""
        c = self.design.line_class(line_class)
        new = set_value(c.on[0], layer=place)

        def change(project: Project) -> Project:
            changed = set_value(c, on=(*c.on, new))
            line_inputs(project.design, changed, place)
            return replace_object(project, changed)

        self.edits.edit(f"Route {c.name} on {place}", change)

    def _go_to_remark(self, where: str) -> None:
        vias = {v.id for v in self.stackup.vias}
        self.subject.choose_element(via_element(where) if where in vias else where)

    # -- editing ----------------------------------------------------------------------------------

    @property
    def is_empty(self) -> bool:
        return not self.stackup.layers

    def asides(self) -> Sequence[Aside]:
        return (Aside("Read a build…", self.files.choose),)

    def take_file(self, path: Path) -> None:
        self.files.read(path)

    def finish_making(self, label: str, project: Project, ref: Ref, answers: Answers) -> None:
        zones = project.design.stackup.all_zones
        first = Ref(ref.kind, zones[0].id)
        super().finish_making(label, project, first, answers)

    def add(self) -> None:
        if not self.is_empty:
            self.add_copy()

    def add_copy(self, identifier: str = "") -> None:
        project, new = add_zone(self.project)
        self.editor.make("Add zone", project)
        self.context.selection.choose(new)

    def remove(self, identifier: str) -> None:
        project = remove_zone(self.project, identifier)
        self.editor.make("Remove zone", project)

    def rename(self, identifier: str, name: str) -> None:
        if not self.stackup.zones:
            raise InputError("the board has no name of its own", remedy="Add a zone first.")
        zones = tuple(
            set_value(z, name=name) if z.id == identifier else z for z in self.stackup.zones
        )
        project = with_stackup(self.project, zones=zones)
        self.editor.make("Rename zone", project)

    # -- materials and files ----------------------------------------------------------------------

    def show_materials(self) -> None:
        """Turn to the materials, or back to the build."""
        if self.pages.currentWidget() is self.materials:
            self.pages.setCurrentWidget(self.view)
            return
        layer = self.subject.layer
        named = layer is not None and not isinstance(layer, CopperLayer)
        self.materials.show_for(layer.id if named and layer else "")
        self.pages.setCurrentWidget(self.materials)

    def _use_material(self, entry: Any) -> None:
        taken = {m.id for m in self.design.materials}
        new_id = next(f"mat{n}" for n in range(1, 10_000) if f"mat{n}" not in taken)
        layer = self.subject.layer

        def change(project: Project) -> Project:
            material = entry.make(new_id)
            if entry.own is None:
                project = add_material(project, material)
            if layer is None or isinstance(layer, CopperLayer):
                return project
            return replace_layer(project, set_value(layer, material=material.id))

        self.edits.edit(f"Use {entry.name}", change)
        self.pages.setCurrentWidget(self.view)

    def _take(self, name: str, taken: Taken) -> None:
        self.editor.make(f"Read {name}", taken.project)
        words = "  ".join(taken.remarks)
        self.surface.note(f"Read {name}. {words}".strip())

    def margins(self) -> tuple[str, Sequence[Margin], dict[str, list[float]]]:
        names = {c.id: c.name for c in self.design.line_classes}
        # Several classes are on screen, so each bar has to say whose it is.
        shown = [
            replace(m, title=self._title_of(m, names[m.subject]))
            for m in self.context.standing.margins
            if m.kind in self.info.judged and m.subject in names
        ]
        return "all classes", sorted(shown, key=lambda m: m.normalised), {}

    @staticmethod
    def _title_of(margin: Margin, name: str) -> str:
        """Whose margin it is; of an impedance its layer is enough."""
        if margin.measure == "impedance":
            return f"{name} {margin.layer or margin.measure_title}"
        return f"{name} {margin.title}"
