"""Joins the pages of the Lines stage to the document and the studies."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtWidgets import QStackedWidget, QWidget

from onda.app.kit.context import Context
from onda.app.kit.stage import Stage
from onda.app.kit.surface import scrolled
from onda.app.plots.curves import CurvePlot, Limit
from onda.app.shell.rows import Row
from onda.app.shell.shapes import shape_of
from onda.app.stages import StageInfo
from onda.app.stages.lines.class_edits import ClassEdits
from onda.app.stages.lines.class_page import ClassPage
from onda.app.stages.lines.class_studies import ClassStudies
from onda.app.stages.lines.drawing import make_drawing, structure_in_words
from onda.app.stages.lines.fields import trace_fields
from onda.app.stages.lines.fitting import Fitting
from onda.app.stages.lines.in_view import LineInView
from onda.app.stages.lines.inspector import LinesInspector
from onda.app.stages.lines.layers_view import LayerRow
from onda.app.stages.lines.map_view import MapView
from onda.app.stages.lines.section_view import SectionView
from onda.app.stages.lines.sheet_page import SheetInspector, SheetPage
from onda.app.stages.lines.shield_page import ShieldInspector, ShieldPage
from onda.errors import OndaError
from onda.project.kind import Ref
from onda.project.lines.objects import LineClass, SheetLine, ShieldedSection, TraceOnLayer
from onda.project.lines.structure_edits import offers, structure_of
from onda.project.model import Project
from onda.project.quantities import format_si
from onda.project.recipe import Answers, cook
from onda.project.recipes import RECIPES
from onda.studies.core.margin import Margin, State
from onda.studies.core.study import Study
from onda.studies.lines.fit_all import FIT_ALL, FitAllResult, fit_all_inputs, with_fitted
from onda.studies.lines.inputs import line_inputs
from onda.studies.lines.shield import mode_sentence
from onda.studies.lines.solved_line import CrossSection, section_of

__all__ = ["LinesStage"]


_MAIN_SLOTS = ("modes", "sheet")
"""Slots whose results the pages of sections and sheets stand and fall with."""


class LinesStage(Stage):
    """Lines."""

    add_title = "Make a line"
    makes = ("line", "shielded", "sheet_line")
    subject_type = LineInView
    subject: LineInView

    def __init__(self, context: Context, info: StageInfo) -> None:
        super().__init__(context, info)
        self.edits = ClassEdits(self.editor, self.subject, self.surface.note)
        self.add_keep_button()
        self.page = ClassPage(context.look)
        self.view: SectionView = self.page.section
        self.view.drag_began.connect(self.editor.begin_gesture)
        self.view.drag_ended.connect(self.editor.end_gesture)
        self.view.edge_dragged.connect(self.edits.dragged)
        self.view.typed.connect(self.edits.typed)
        self.map.drag_began.connect(self.editor.begin_gesture)
        self.map.drag_ended.connect(self.editor.end_gesture)
        self.map.point_dragged.connect(self.edits.dragged_on_map)
        self.panel = LinesInspector(context, lambda: self.fitting.fit_to_target(), self._structure)
        self.form = self.panel.form
        self.fitting = Fitting(self.subject, self.edits, self.panel.fit)
        self.studies = ClassStudies(
            self.subject, self.page, self.panel, self.draw, self.show_problem
        )
        self.page.views.turned.connect(lambda _: self._refresh_if_active())
        self.page.fields.chosen.connect(lambda _: self.studies.ask_picture())
        self.page.layer_chosen.connect(self.subject.choose_element)
        self._shield: tuple[ShieldPage, ShieldInspector] | None = None
        self._sheet: tuple[SheetPage, SheetInspector] | None = None
        self._pages, self._panels = QStackedWidget(), QStackedWidget()
        self._panel_of: dict[QWidget, QWidget] = {}
        self._add_page(self.page, self.panel)
        self.surface.body.addWidget(self._pages, 1)
        self.inspector = self._panels

    def _structure(self, structure: str) -> None:
        if not self.edits.set_structure(structure):
            # The list goes back to what the class is.
            self._show_structures(*self.subject.present)

    def _show_structures(self, line_class: LineClass, trace: TraceOnLayer) -> None:
        choices = offers(self.design.stackup, trace.layer)
        self.panel.show_structures(choices, structure_of(line_class, trace))

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

    def rows(self) -> Sequence[Row]:
        standing, of_class = self.context.standing, self.info.kinds[0]
        out = []
        for c in self.design.line_classes:
            on = " ".join(t.layer for t in c.on)
            kind = c.structure.mark.format(n=c.count)
            goal = format_si(c.target.si, "resistance")
            state = standing.state_of_object(Ref(of_class, c.id))
            out.append(Row(c.id, c.name, f"{goal}{kind} · {on}", state))
        for s in self.design.shielded:
            out.append(Row(s.id, s.name, f"modes up to {format_si(s.up_to.si, 'frequency')}"))
        for line in self.design.sheet_lines:
            out.append(Row(line.id, line.name, "from a data sheet"))
        return out

    def refresh(self) -> None:
        item = self.subject.item
        if isinstance(item, ShieldedSection):
            self._show_shield(item)
        elif isinstance(item, SheetLine):
            self._show_sheet(item)
        elif isinstance(item, LineClass):
            self._show_class(item)

    # ---- making

    def finish_making(self, label: str, project: Project, ref: Ref, answers: Answers) -> None:
        """A class gets its widths first: it is added when these are found."""
        if ref.kind != self.info.kinds[0]:
            super().finish_making(label, project, ref, answers)
            return
        self.maker.wait("Finding the width on every layer…")

        def found(result: FitAllResult) -> None:
            # The project may have gone on meanwhile.
            now, made = cook(RECIPES[ref.kind], self.project, answers)
            now, problems = with_fitted(now, result.fitted)
            super(LinesStage, self).finish_making(label, now, made, answers)
            self.surface.note("  ".join(problems))

        def failed(words: str) -> None:
            self.maker.refuse(words)

        self.subject.ask(
            "make", FIT_ALL, lambda: fit_all_inputs(project.design, ref.id), found, failed
        )

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
            page = ShieldPage(self.context, self._ask_beside, tell)
            self._shield = (page, ShieldInspector(self.context, self.subject, tell))
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
            page = SheetPage(self.context, self._ask_beside, tell)
            self._sheet = (page, SheetInspector(self.context, tell))
            self._add_page(*self._sheet)
        return self._sheet

    def _turn_to(self, page: QWidget, title: str, remark: str) -> None:
        self._pages.setCurrentWidget(page)
        self._panels.setCurrentWidget(self._panel_of[page])
        self.surface.title.setText(title)
        self.surface.remark.setText(remark)

    def _show_shield(self, shielded: ShieldedSection) -> None:
        self.surface.veil_over((self.shield,))
        self.turned_to(shielded.id, shielded.name)
        self._turn_to(self.shield, shielded.name, "mode check of a closed section")
        self.shield.show_section(shielded)
        self.shield_panel.show_section(shielded, self.shield.result)
        self.margins_changed.emit()

    def _show_sheet(self, line: SheetLine) -> None:
        self.surface.veil_over((self.sheet,))
        self.turned_to(line.id, line.name)
        self._turn_to(self.sheet, line.name, line.source or "known from a data sheet")
        self.sheet.show_line(line)
        self.sheet_panel.show_line(line, self.sheet.result)
        self.margins_changed.emit()

    def _ask_beside(
        self,
        slot: str,
        study: Study[Any, Any],
        inputs: Callable[[], Any],
        show: Callable[[Any], None],
        fail: Callable[[str], None],
    ) -> None:
        """As every stage asks; panels beside a page show its result too."""

        def shown(result: object) -> None:
            show(result)
            if slot in _MAIN_SLOTS:
                self.surface.veil.lift()
            item = self.subject.item
            if isinstance(item, ShieldedSection):
                self.shield_panel.show_section(item, self.shield.result)
            elif isinstance(item, SheetLine):
                self.sheet_panel.show_line(item, self.sheet.result)

        def failed(words: str) -> None:
            if slot in _MAIN_SLOTS:
                self.surface.veil.drop(words, failed=True)
            fail(words)

        self.subject.ask(slot, study, inputs, shown, failed)

    def _show_class(self, line_class: LineClass) -> None:
        _, trace = self.subject.present
        self.subject.turn_to(line_class)
        self.surface.veil_over((self.page.views.stack,))
        self.turned_to(f"{line_class.id}/{trace.layer}", f"{line_class.name} on {trace.layer}")
        self._turn_to(self.page, f"{line_class.name} on {trace.layer}", "")
        self.page.show_several(line_class.structure.several)
        self.page.impedance.show_kind(trace.gap is not None)
        self.form.set_specs(trace_fields(self.subject, self.edits, trace))
        self._show_structures(line_class, trace)
        self.panel.fit.show_kind(pair=line_class.structure.differential, gap=trace.gap is not None)
        try:
            inputs = line_inputs(self.design, line_class, trace.layer)
            drawing = make_drawing(self.design, inputs, trace)
        except OndaError as error:
            self.show_problem(str(error))
            return
        self.surface.remark.setText(structure_in_words(inputs, drawing.plane_names))
        self.view.show_drawing(drawing, self._kept_sections(trace))
        self.studies.ask(line_class, trace)

    # -- asking -----------------------------------------------------------------------------------

    def forget_results(self) -> None:
        self.panel.show_nothing()
        self.page.clear()
        self.view.show_field(())

    def show_problem(self, message: str) -> None:
        self.surface.tell(message)
        self.surface.veil.drop(message, failed=True)
        trace = self.subject.trace
        if trace is not None:
            # Numbers of another design must not stand beside the message.
            self.subject.results.pop(trace.layer, None)
            self.subject.problems[trace.layer] = message
        self.forget_results()
        self.margins_changed.emit()

    # -- drawing ----------------------------------------------------------------------------------

    def _kept_sections(self, trace: TraceOnLayer) -> list[CrossSection]:
        out = []
        for state in self.subject.kept_states:
            then = self.subject.item_in(state.design)
            if not isinstance(then, LineClass) or then.trace_on(trace.layer) is None:
                continue
            try:
                out.append(section_of(line_inputs(state.design, then, trace.layer)))
            except OndaError:
                continue
        return out

    def draw(self) -> None:
        line_class, trace = self.subject.line_class, self.subject.trace
        if line_class is None or trace is None:
            return
        result = self.subject.results.get(trace.layer)
        if result is not None:
            self.surface.tell("")
            self.surface.veil.lift()
            then = {s: k[trace.layer] for s, k in self.subject.kept.items() if trace.layer in k}
            kept = self.subject.named(then)
            self.panel.show_result(line_class, result, kept[-1] if kept else None)
            self.page.show_result(result, kept)
        self.draw_sweep()
        self._draw_layers(line_class, trace)
        self.margins_changed.emit()

    def _draw_layers(self, line_class: LineClass, trace: TraceOnLayer) -> None:
        states = self._states(line_class)
        rows = []
        for o in line_class.on:
            low, high = self.subject.band(line_class, o.layer)
            result = self.subject.results.get(o.layer)
            state = states.get(o.layer)
            if state is None and result is not None:
                state = State.HOLDS if low <= result.z <= high else State.FAILS
            rows.append(LayerRow(o.layer, shape_of(o.width, o.gap), low, high, state, result))
        self.page.show_layers(rows, trace.layer)

    def _states(self, line_class: LineClass) -> dict[str, State]:
        """How the impedance stands on each layer."""
        first = line_class.on[0].layer
        margins = (m for m in self.margins()[1] if m.measure == "impedance")
        return {m.layer or first: m.state for m in margins}

    def draw_sweep(self) -> None:
        line_class, trace = self.subject.line_class, self.subject.trace
        if line_class is None or trace is None:
            return
        if trace.gap is not None:
            self._draw_map_points(trace)
            return
        limits = [Limit(v, f"{w} {v:.4g} Ω") for v, w in self.subject.limits(trace.layer)]
        t = self.context.look.t
        result = self.subject.results.get(trace.layer)
        marks = [(trace.width.si, result.z, t.ink)] if result else []
        for identifier, state in self.subject.kept.items():
            then = state.get(trace.layer)
            kept = self.subject.kept_trace(identifier, trace.layer)
            if then is not None and kept is not None:
                marks.append((kept.width.si, then.z, t.kept))
        self.page.impedance.show_sweep(self.subject.sweep, limits, marks)

    def _draw_map_points(self, trace: TraceOnLayer) -> None:
        def point(where: TraceOnLayer | None) -> tuple[float, float] | None:
            return (where.width.si, where.gap.si) if where and where.gap else None

        kept = [point(self.subject.kept_trace(k.id, trace.layer)) for k in self.subject.kept_states]
        now = point(trace)
        if now is not None:
            self.map.show_points(now, [p for p in kept if p is not None])

    def parts(self) -> tuple[str, Sequence[Row], str]:
        line_class, trace = self.subject.line_class, self.subject.trace
        if line_class is None or trace is None:
            return "", (), ""
        states = self._states(line_class)
        layers = [
            Row(
                o.layer,
                f"{o.layer}  {format_si(o.width.si, 'length')}",
                "",
                states.get(o.layer),
                f"{self.subject.results[o.layer].z:.1f} Ω"
                if o.layer in self.subject.results
                else "…",
            )
            for o in line_class.on
        ]
        return "On layer", layers, trace.layer

    def margins(self) -> tuple[str, Sequence[Margin], dict[str, list[float]]]:
        subject = self.subject
        line_class = subject.line_class
        if line_class is None:
            return self._words_below(), [], {}
        designs = {k.id: k.design for k in subject.kept_states}
        shown, kept = [], {}
        for r in subject.requirements:
            layer = r.layer or line_class.on[0].layer
            failure = subject.problems.get(layer, "")
            shown.append(subject.margin(r, subject.results.get(layer), failure))
            kept[r.id] = [
                subject.kept_value(r, designs[state], results[layer])
                for state, results in subject.kept.items()
                if layer in results and state in designs
            ]
        return "this class", shown, kept

    def _words_below(self) -> str:
        item = self.subject.item
        if isinstance(item, ShieldedSection) and self.shield.result is not None:
            return mode_sentence(self.shield.result, item.up_to.si)
        return "this line"
