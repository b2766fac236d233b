"""Joins the pages of the Lines stage to the document and the studies."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PyQt6.QtWidgets import QStackedWidget, QWidget

from onda.app.plots.curves import CurvePlot, Limit
from onda.app.shell.rows import Row
from onda.app.stages.base import Context, Stage, scrolled
from onda.app.stages.lines.class_edits import ClassEdits
from onda.app.stages.lines.class_page import ClassPage
from onda.app.stages.lines.class_studies import ClassStudies
from onda.app.stages.lines.drawing import (
    make_drawing,
    section_of,
    structure_in_words,
)
from onda.app.stages.lines.fields import trace_fields
from onda.app.stages.lines.inspector import LinesInspector
from onda.app.stages.lines.layers_view import LayerRow
from onda.app.stages.lines.map_view import MapView
from onda.app.stages.lines.section_view import SectionView
from onda.app.stages.lines.sheet_page import SheetInspector, SheetPage
from onda.app.stages.lines.shield_page import ShieldInspector, ShieldPage
from onda.engine.section.geometry import CrossSection
from onda.errors import OndaError
from onda.project.lines.objects import LineClass, SheetLine, ShieldedSection, TraceOnLayer
from onda.project.lines.structure_edits import facing_layers, structure_of
from onda.project.quantities import format_si
from onda.studies.core.margin import Margin, Measured, State, margin_of, measure_line
from onda.studies.lines.impedance import ImpedanceResult
from onda.studies.lines.inputs import line_inputs
from onda.studies.lines.shield import mode_sentence
from onda.studies.lines.tolerance import ToleranceResult
from onda.studies.lines.width_sweep import WidthSweepResult

__all__ = ["LinesStage"]


class LinesStage(Stage):
    """Lines."""

    id = "lines"
    add_title = "Add a line like this one"

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        look = context.look
        self.studies, self.edits = ClassStudies(self), ClassEdits(self)
        self.results: dict[str, ImpedanceResult] = {}
        self.problems: dict[str, str] = {}
        self.kept: dict[str, dict[str, ImpedanceResult]] = {}
        self.sweep: WidthSweepResult | None = None
        self.tolerance: ToleranceResult | None = None
        self._results_of = ""
        self.surface.add_button(
            "Keep state", self.keep_wanted.emit, primary=True, tip="Keep this state to compare (K)"
        )
        self.page = ClassPage(look)
        self.view: SectionView = self.page.section
        self.view.drag_began.connect(context.document.begin_gesture)
        self.view.drag_ended.connect(context.document.end_gesture)
        self.view.edge_dragged.connect(self.edits.dragged)
        self.view.typed.connect(self.edits.typed)
        self.map.drag_began.connect(context.document.begin_gesture)
        self.map.drag_ended.connect(context.document.end_gesture)
        self.map.point_dragged.connect(self.edits.dragged_on_map)
        self.page.views.chosen.connect(lambda _: self._refresh_if_active())
        self.page.fields.chosen.connect(lambda _: self.studies.ask_picture())
        self.page.layer_chosen.connect(context.selection.choose_element)
        self.panel = LinesInspector(context, self.edits.fit_to_target, self.edits.set_structure)
        self.form = self.panel.form
        self._shield: tuple[ShieldPage, ShieldInspector] | None = None
        self._sheet: tuple[SheetPage, SheetInspector] | None = None
        self._pages, self._panels = QStackedWidget(), QStackedWidget()
        self._panel_of: dict[QWidget, QWidget] = {}
        self._add_page(self.page, self.panel)
        self.surface.body.addWidget(self._pages, 1)
        self.inspector = self._panels

    # -- what is in view --------------------------------------------------------------------------

    @property
    def map(self) -> MapView:
        """The map of widths and gaps."""
        return self.page.impedance.map

    @property
    def by_width(self) -> CurvePlot:
        """Impedance against width."""
        return self.page.impedance.by_width

    @property
    def by_frequency(self) -> CurvePlot:
        """Impedance against frequency."""
        return self.page.impedance.by_frequency

    @property
    def loss(self) -> CurvePlot:
        """Loss against frequency."""
        return self.page.impedance.loss

    @property
    def subject(self) -> LineClass | ShieldedSection | SheetLine | None:
        """The object in view."""
        chosen = self.context.selection.subject_of(self.id)
        design = self.design
        found: list[LineClass | ShieldedSection | SheetLine] = [
            *(c for c in design.line_classes if c.id == chosen),
            *(s for s in design.shielded if s.id == chosen),
            *(s for s in design.sheet_lines if s.id == chosen),
        ]
        return found[0] if found else None

    @property
    def line_class(self) -> LineClass | None:
        """The class in view."""
        subject = self.subject
        return subject if isinstance(subject, LineClass) else None

    @property
    def trace(self) -> TraceOnLayer | None:
        """The trace in view: the class on the chosen layer, or on its first."""
        line_class = self.line_class
        if line_class is None:
            return None
        chosen = self.context.selection.element
        return line_class.trace_on(chosen) or line_class.on[0]

    def rows(self) -> Sequence[Row]:
        standing = self.context.standing
        out = []
        for c in self.design.line_classes:
            on = " ".join(t.layer for t in c.on)
            kind = {"pair": " diff", "group": f" ×{c.count}"}.get(c.kind, "")
            goal = format_si(c.target.si, "resistance")
            state = standing.state_of(self.id, c.id)
            out.append(Row(c.id, c.name, f"{goal}{kind} · {on}", state))
        for s in self.design.shielded:
            out.append(Row(s.id, s.name, f"modes up to {format_si(s.up_to.si, 'frequency')}"))
        for line in self.design.sheet_lines:
            out.append(Row(line.id, line.name, "from a data sheet"))
        return out

    def refresh(self) -> None:
        subject = self.subject
        if isinstance(subject, ShieldedSection):
            self._show_shield(subject)
        elif isinstance(subject, SheetLine):
            self._show_sheet(subject)
        elif isinstance(subject, LineClass):
            self._show_class(subject)
        else:
            self.surface.title.setText("Lines")
            self.surface.remark.setText("There is no line class yet.")

    def _add_page(self, page: QWidget, panel: QWidget) -> None:
        area = scrolled(panel)
        self._pages.addWidget(page)
        self._panels.addWidget(area)
        self._panel_of[page] = area

    @property
    def shield(self) -> ShieldPage:
        """The page of shielded sections, made when the first one is looked at."""
        return self._shield_parts()[0]

    @property
    def shield_panel(self) -> ShieldInspector:
        """Its inspector."""
        return self._shield_parts()[1]

    def _shield_parts(self) -> tuple[ShieldPage, ShieldInspector]:
        if self._shield is None:
            tell = self.surface.tell
            page = ShieldPage(self.context, self.ask, tell)
            self._shield = (page, ShieldInspector(self.context, tell))
            self._add_page(*self._shield)
        return self._shield

    @property
    def sheet(self) -> SheetPage:
        """The page of data-sheet lines, made when the first one is looked at."""
        return self._sheet_parts()[0]

    @property
    def sheet_panel(self) -> SheetInspector:
        """Its inspector."""
        return self._sheet_parts()[1]

    def _sheet_parts(self) -> tuple[SheetPage, SheetInspector]:
        if self._sheet is None:
            tell = self.surface.tell
            page = SheetPage(self.context, self.ask, tell)
            self._sheet = (page, SheetInspector(self.context, tell))
            self._add_page(*self._sheet)
        return self._sheet

    def _turn_to(self, page: QWidget, title: str, remark: str) -> None:
        self._pages.setCurrentWidget(page)
        self._panels.setCurrentWidget(self._panel_of[page])
        self.surface.title.setText(title)
        self.surface.remark.setText(remark)

    def _show_shield(self, shielded: ShieldedSection) -> None:
        self._turn_to(self.shield, shielded.name, "mode check of a closed section")
        self.shield.show_section(shielded)
        self.shield_panel.show_section(shielded, self.shield.result)
        self.margins_changed.emit()

    def _show_sheet(self, line: SheetLine) -> None:
        self._turn_to(self.sheet, line.name, line.source or "known from a data sheet")
        self.sheet.show_line(line)
        self.sheet_panel.show_line(line, self.sheet.result)
        self.margins_changed.emit()

    def ask(self, slot, study, inputs, show, fail) -> None:  # type: ignore[no-untyped-def]
        """As every stage asks; panels beside a page show its result too."""

        def shown(result: object) -> None:
            show(result)
            subject = self.subject
            if slot == "modes" and isinstance(subject, ShieldedSection):
                self.shield_panel.show_section(subject, self.shield.result)
            elif slot == "sheet" and isinstance(subject, SheetLine):
                self.sheet_panel.show_line(subject, self.sheet.result)

        super().ask(slot, study, inputs, shown, fail)

    def _show_class(self, line_class: LineClass) -> None:
        trace = self.trace
        assert trace is not None
        if self._results_of != line_class.id:
            self.results.clear()
            self.problems.clear()
            self.kept.clear()
            self.sweep = self.tolerance = None
            self._results_of = line_class.id
        self._turn_to(self.page, f"{line_class.name} on {trace.layer}", "")
        self.page.show_several(line_class.kind != "single")
        self.page.impedance.show_kind(trace.gap is not None)
        self.form.set_specs(trace_fields(self, line_class, trace))
        self.panel.show_structures(
            facing_layers(self.design.stackup, trace.layer), structure_of(line_class, trace)
        )
        self.panel.fit.show_kind(pair=line_class.kind == "pair", gap=trace.gap is not None)
        try:
            inputs = line_inputs(self.design, line_class, trace.layer)
            drawing = make_drawing(self.design, inputs, trace)
        except OndaError as error:
            self.show_problem(str(error))
            return
        self.surface.remark.setText(structure_in_words(inputs, drawing.plane_names))
        self.view.show_drawing(drawing, self._kept_sections(line_class, trace))
        self.studies.ask(line_class, trace)

    # -- asking -----------------------------------------------------------------------------------

    def band(self, line_class: LineClass, layer: str) -> tuple[float, float]:
        """What the class may be on a layer: its requirement, else a tenth around its target."""
        limits = [v for v, _ in self._impedance_limits(line_class, layer)]
        target = line_class.target.si
        return (limits[0], limits[1]) if len(limits) == 2 else (0.9 * target, 1.1 * target)

    def show_problem(self, message: str) -> None:
        self.surface.tell(message)
        self.view.show_field(())
        trace = self.trace
        if trace is not None:
            # Numbers of another design must not stand beside the message.
            self.results.pop(trace.layer, None)
            self.problems[trace.layer] = message
        self.panel.show_nothing()
        self.page.clear()
        self.margins_changed.emit()

    # -- drawing ----------------------------------------------------------------------------------

    def _kept_sections(self, line_class: LineClass, trace: TraceOnLayer) -> list[CrossSection]:
        out = []
        for state in self.shown_kept:
            then = next((c for c in state.design.line_classes if c.id == line_class.id), None)
            if then is None or then.trace_on(trace.layer) is None:
                continue
            try:
                out.append(section_of(line_inputs(state.design, then, trace.layer)))
            except OndaError:
                continue
        return out

    def draw(self) -> None:
        line_class, trace = self.line_class, self.trace
        if line_class is None or trace is None:
            return
        result = self.results.get(trace.layer)
        if result is not None:
            self.surface.tell("")
            kept = [k[trace.layer] for k in self.kept.values() if trace.layer in k]
            self.panel.show_result(line_class, result, kept[0] if kept else None)
            self.page.show_result(result, kept)
        self.draw_sweep()
        self._draw_layers(line_class, trace)
        self.margins_changed.emit()

    def _draw_layers(self, line_class: LineClass, trace: TraceOnLayer) -> None:
        states = {m.where: m.state for m in self.margins()[1] if m.title.startswith("Impedance")}
        rows = []
        for o in line_class.on:
            low, high = self.band(line_class, o.layer)
            result = self.results.get(o.layer)
            state = states.get(o.layer)
            if state is None and result is not None:
                state = State.HOLDS if low <= result.z <= high else State.FAILS
            shape = f"{o.width.si * 1e6:.0f}" + (f"/{o.gap.si * 1e6:.0f}" if o.gap else "")
            rows.append(LayerRow(o.layer, f"{shape} µm", low, high, state, result))
        self.page.show_layers(rows, trace.layer)

    def draw_sweep(self) -> None:
        line_class, trace = self.line_class, self.trace
        if line_class is None or trace is None:
            return
        if trace.gap is not None:
            self._draw_map_points(line_class, trace)
            return
        limits = [
            Limit(v, f"{w} {v:.4g} Ω") for v, w in self._impedance_limits(line_class, trace.layer)
        ]
        t = self.context.look.t
        result = self.results.get(trace.layer)
        marks = [(trace.width.si * 1e6, result.z, t.ink)] if result else []
        for identifier, state in self.kept.items():
            then = state.get(trace.layer)
            kept = self._kept_trace(identifier, line_class, trace)
            if then is not None and kept is not None:
                marks.append((kept.width.si * 1e6, then.z, t.kept))
        self.page.impedance.show_sweep(self.sweep, limits, marks)

    def _kept_trace(
        self, state: str, line_class: LineClass, trace: TraceOnLayer
    ) -> TraceOnLayer | None:
        """The trace as it was in a kept state."""
        for k in self.shown_kept:
            for c in k.design.line_classes if k.id == state else ():
                if c.id == line_class.id:
                    return c.trace_on(trace.layer)
        return None

    def _draw_map_points(self, line_class: LineClass, trace: TraceOnLayer) -> None:
        def point(where: TraceOnLayer | None) -> tuple[float, float] | None:
            return (where.width.si, where.gap.si) if where and where.gap else None

        kept = [point(self._kept_trace(k.id, line_class, trace)) for k in self.shown_kept]
        now = point(trace)
        if now is not None:
            self.map.show_points(now, [p for p in kept if p is not None])

    def _impedance_limits(self, line_class: LineClass, layer: str) -> list[tuple[float, str]]:
        for r in self.context.document.project.requirements:
            if (r.stage, r.subject, r.measure) == (
                self.id,
                line_class.id,
                "impedance",
            ) and r.layer == layer:
                low = [(r.at_least.si, "at least")] if r.at_least else []
                return low + ([(r.at_most.si, "at most")] if r.at_most else [])
        return []

    def parts(self) -> tuple[str, Sequence[Row], str]:
        line_class, trace = self.line_class, self.trace
        if line_class is None or trace is None:
            return "", (), ""
        states = {
            m.title.rsplit(" ", 1)[-1]: m.state for m in self.margins()[1] if "Impedance" in m.title
        }
        layers = [
            Row(
                o.layer,
                f"{o.layer}  {format_si(o.width.si, 'length')}",
                "",
                states.get(o.layer),
                f"{self.results[o.layer].z:.1f} Ω" if o.layer in self.results else "…",
            )
            for o in line_class.on
        ]
        return "On layer", layers, trace.layer

    def margins(self) -> tuple[str, Sequence[Margin], dict[str, list[float]]]:
        line_class = self.line_class
        if line_class is None:
            return self._words_below(), [], {}
        shown, kept = [], {}
        for r in self.context.document.project.requirements:
            if (r.stage, r.subject) != (self.id, line_class.id):
                continue
            layer = r.layer or line_class.on[0].layer
            result = self.results.get(layer)
            measured = measure_line(result, layer, r.measure) if result else None
            if layer in self.problems:
                measured = Measured(math.nan, layer, self.problems[layer])
            shown.append(margin_of(r, measured))
            then = [k[layer] for k in self.kept.values() if layer in k]
            kept[r.id] = [measure_line(k, layer, r.measure).value for k in then]
        return "this class", shown, kept

    def _words_below(self) -> str:
        subject = self.subject
        if isinstance(subject, ShieldedSection) and self.shield.result is not None:
            return mode_sentence(self.shield.result, subject.up_to.si)
        return "this line"

    # -- editing ----------------------------------------------------------------------------------
