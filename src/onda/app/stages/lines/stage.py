"""Joins the pages of the Lines stage to the document and the studies."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from PyQt6.QtWidgets import QStackedWidget

from onda.app.plots.curves import CurvePlot, Limit
from onda.app.shell.rows import Row
from onda.app.stages.base import Context, Stage, scrolled
from onda.app.stages.lines.class_page import ClassPage
from onda.app.stages.lines.drawing import (
    layer_of_slab,
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
from onda.project.build import EtchLimit, PriceStep
from onda.project.build_edits import replace_layer
from onda.project.edits import replace_class, set_value
from onda.project.line_objects import LineClass, SheetLine, ShieldedSection, TraceOnLayer
from onda.project.quantities import Quantity, format_si, parse_quantity, quantity
from onda.project.structure_edits import facing_layers, structure_of, with_structure
from onda.studies.field_picture import (
    FIELD_LINES,
    FIELD_PICTURE,
    FieldLines,
    FieldPicture,
    FieldPictureInputs,
)
from onda.studies.fit import FIT, Bounds, FitInputs, FitResult, with_dimension
from onda.studies.impedance import IMPEDANCE, ImpedanceInputs, ImpedanceResult
from onda.studies.line_inputs import line_inputs
from onda.studies.margins import Margin, Measured, State, margin_of, measure_line
from onda.studies.sensitivity import SENSITIVITY
from onda.studies.shield import mode_sentence
from onda.studies.study import key_of
from onda.studies.tolerance import TOLERANCE, ToleranceInputs, ToleranceResult
from onda.studies.variations import spread_inputs
from onda.studies.width_gap_map import WIDTH_GAP_MAP, MapInputs, MapResult, map_axes
from onda.studies.width_sweep import WIDTH_SWEEP, WidthSweepInputs, WidthSweepResult, width_range

__all__ = ["LinesStage"]


_MAP_POINTS = 8
"""Widths and gaps that are solved for the map once it is filled."""
_FIT_RANGES = {
    "width": (50e-6, 2e-3),
    "gap": (50e-6, 2e-3),
    "height": (20e-6, 2e-3),
    "Dk": (1.5, 12.0),
}


class LinesStage(Stage):
    """Lines."""

    id = "lines"
    add_title = "Add a line like this one"

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        look = context.look
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
        self.view.edge_dragged.connect(self._dragged)
        self.view.typed.connect(self._typed)
        self.map.drag_began.connect(context.document.begin_gesture)
        self.map.drag_ended.connect(context.document.end_gesture)
        self.map.point_dragged.connect(self._dragged_on_map)
        self.page.views.chosen.connect(lambda _: self._refresh_if_active())
        self.page.fields.chosen.connect(lambda _: self._ask_picture())
        self.page.layers.chosen.connect(context.selection.choose_element)
        self.panel = LinesInspector(context, self.fit_to_target, self._set_structure)
        self.form = self.panel.form
        self.shield = ShieldPage(context, self.ask, self.surface.tell)
        self.shield_panel = ShieldInspector(context, self.surface.tell)
        self.sheet = SheetPage(context, self.ask, self.surface.tell)
        self.sheet_panel = SheetInspector(context, self.surface.tell)
        self._pages, self._panels = QStackedWidget(), QStackedWidget()
        for page, panel in (
            (self.page, self.panel),
            (self.shield, self.shield_panel),
            (self.sheet, self.sheet_panel),
        ):
            self._pages.addWidget(page)
            self._panels.addWidget(scrolled(panel))
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

    def _turn_to(self, index: int, title: str, remark: str) -> None:
        self._pages.setCurrentIndex(index)
        self._panels.setCurrentIndex(index)
        self.surface.title.setText(title)
        self.surface.remark.setText(remark)

    def _show_shield(self, shielded: ShieldedSection) -> None:
        self._turn_to(1, shielded.name, "mode check of a closed section")
        self.shield.show_section(shielded)
        self.shield_panel.show_section(shielded, self.shield.result)
        self.margins_changed.emit()

    def _show_sheet(self, line: SheetLine) -> None:
        self._turn_to(2, line.name, line.source or "known from a data sheet")
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
        self._turn_to(0, f"{line_class.name} on {trace.layer}", "")
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
            self._fail(str(error))
            return
        self.surface.remark.setText(structure_in_words(inputs, drawing.plane_names))
        self.view.show_drawing(drawing, self._kept_sections(line_class, trace))
        self._ask(line_class, trace)

    # -- asking -----------------------------------------------------------------------------------

    def _ask(self, line_class: LineClass, trace: TraceOnLayer) -> None:
        in_gesture = self.context.document.in_gesture
        if in_gesture:
            self.view.show_field(())
            self.view.show_picture(None, "lines")

        def inputs(layer: str, fine: bool) -> ImpedanceInputs:
            return ImpedanceInputs(line_inputs(self.design, line_class, layer), fine)

        def show(layer: str, result: ImpedanceResult) -> None:
            self.results[layer] = result
            self.problems.pop(layer, None)
            self._draw()
            if not in_gesture:
                self.context.standing.note()

        def fine(layer: str) -> None:
            self.ask(
                "now",
                IMPEDANCE,
                lambda: inputs(layer, True),
                lambda r: show(layer, r),
                self._fail,
            )

        def rough(layer: str, result: ImpedanceResult) -> None:
            # The quick answer stands until the one with real copper is there.
            if self.trace is not None and self.trace.layer == layer:
                show(layer, result)

        if in_gesture or not self._is_known(lambda: inputs(trace.layer, True)):
            self.ask(
                "quick",
                IMPEDANCE,
                lambda: inputs(trace.layer, False),
                lambda r: rough(trace.layer, r),
                self._fail,
            )
        if in_gesture:
            return
        fine(trace.layer)
        for other in line_class.on:
            if other.layer != trace.layer:
                self.ask(
                    f"layer-{other.layer}",
                    IMPEDANCE,
                    lambda layer=other.layer: inputs(layer, True),
                    lambda r, layer=other.layer: show(layer, r),
                    lambda _: None,
                )
        self._ask_kept(line_class)
        self.ask(
            "spread",
            SENSITIVITY,
            lambda: spread_inputs(
                line_inputs(self.design, line_class, trace.layer), self.design.stackup.spread
            ),
            self.panel.show_spread,
            lambda _: self.panel.show_spread(None),
        )
        if trace.gap is not None:
            self._ask_map(line_class, trace, 4)
        else:
            self._ask_sweep(line_class, trace)
        if self.page.views.current == "spread":
            self._ask_tolerance(line_class, trace)
        self._ask_picture()

    def _is_known(self, inputs: Callable[[], ImpedanceInputs]) -> bool:
        """Whether the fine answer is at hand, so that no quick one is needed."""
        try:
            key = key_of(IMPEDANCE.name, inputs())
        except OndaError:
            return True
        return self.context.desk.runner.cache.get(key, IMPEDANCE.result_types) is not None

    def _ask_tolerance(self, line_class: LineClass, trace: TraceOnLayer) -> None:
        low, high = self._band(line_class, trace.layer)

        def inputs() -> ToleranceInputs:
            line = line_inputs(self.design, line_class, trace.layer)
            return ToleranceInputs(
                spread_inputs(line, self.design.stackup.spread), low=low, high=high
            )

        def show(result: ToleranceResult) -> None:
            self.tolerance = result
            self.page.spread.show_result(result, low, high)

        self.page.spread.show_running()
        self.ask("tolerance", TOLERANCE, inputs, show, self.page.spread.show_problem)

    def _ask_picture(self) -> None:
        """Ask for potential or densities where they are to be shown."""
        line_class, trace, kind = self.line_class, self.trace, self.page.fields.current
        if line_class is None or trace is None or kind == "lines":
            self.view.show_picture(None, "lines")
            if line_class is not None and trace is not None:
                self.ask(
                    "field",
                    FIELD_LINES,
                    lambda: line_inputs(self.design, line_class, trace.layer),
                    self._show_lines,
                    lambda _: None,
                )
            return
        box = self.view.view_box()

        def inputs() -> FieldPictureInputs:
            line = line_inputs(self.design, line_class, trace.layer)
            # Rounded, so that a window of nearly the same size finds the same picture.
            return FieldPictureInputs(line, *(round(v, 5) for v in box))

        def show(picture: FieldPicture) -> None:
            self.view.show_picture(picture, self.page.fields.current)

        self.ask("picture", FIELD_PICTURE, inputs, show, lambda _: None)

    def _show_lines(self, result: FieldLines) -> None:
        if not self.context.document.in_gesture:
            self.view.show_field(result.lines)

    def _ask_kept(self, line_class: LineClass) -> None:
        shown = {k.id: k for k in self.shown_kept}
        for gone in set(self.kept) - set(shown):
            del self.kept[gone]
        for identifier, state in shown.items():
            then = next((c for c in state.design.line_classes if c.id == line_class.id), None)
            for trace in then.on if then else ():

                def show(r: ImpedanceResult, i: str = identifier, layer: str = trace.layer) -> None:
                    self.kept.setdefault(i, {})[layer] = r
                    self._draw()

                def inputs(
                    d: object = state.design, c: object = then, layer: str = trace.layer
                ) -> ImpedanceInputs:
                    return ImpedanceInputs(line_inputs(d, c, layer))  # type: ignore[arg-type]

                self.ask(
                    f"kept-{identifier}-{trace.layer}", IMPEDANCE, inputs, show, lambda _: None
                )

    def _ask_sweep(self, line_class: LineClass, trace: TraceOnLayer) -> None:
        def inputs() -> WidthSweepInputs:
            line = line_inputs(self.design, line_class, trace.layer)
            widths = width_range(line.trace.undercut)
            # The present width does not matter, so the sweep is found in the cache again.
            fixed = with_dimension(line, "width", widths[0])
            return WidthSweepInputs(fixed, widths)

        def show(result: WidthSweepResult) -> None:
            self.sweep = result
            self._draw_sweep()

        self.ask("sweep", WIDTH_SWEEP, inputs, show, lambda _: None)

    def _ask_map(self, line_class: LineClass, trace: TraceOnLayer, points: int) -> None:
        """Ask for the map, first coarse, then fine."""

        def inputs() -> MapInputs:
            line = line_inputs(self.design, line_class, trace.layer)
            widths, gaps = map_axes(line.trace.undercut, points)
            # The present width and gap do not matter, so the map is found in the cache again.
            narrow = with_dimension(line, "width", widths[0])
            fixed = with_dimension(narrow, "gap", gaps[0])
            return MapInputs(fixed, widths, gaps)

        def show(result: MapResult) -> None:
            self.map.show_map(result, line_class.target.si, self._band(line_class, trace.layer))
            if points < _MAP_POINTS:
                self._ask_map(line_class, trace, _MAP_POINTS)

        self.map.show_limits(*self._made(trace.layer))
        self.ask("map", WIDTH_GAP_MAP, inputs, show, lambda _: None)

    def _made(self, layer: str) -> tuple[EtchLimit | None, tuple[PriceStep, ...]]:
        """What the fabricator can etch on a layer, and the price steps."""
        made = self.design.stackup.fabrication
        copper = self.design.stackup.place(layer).copper
        return made.limit_for(copper.thickness.si), made.steps

    def _band(self, line_class: LineClass, layer: str) -> tuple[float, float]:
        """What the class may be on a layer: its requirement, else a tenth around its target."""
        limits = [v for v, _ in self._impedance_limits(line_class, layer)]
        target = line_class.target.si
        return (limits[0], limits[1]) if len(limits) == 2 else (0.9 * target, 1.1 * target)

    def _fail(self, message: str) -> None:
        self.surface.tell(message)
        self.view.show_field(())
        trace = self.trace
        if trace is not None:
            # Numbers of another design must not stand beside the message.
            self.results.pop(trace.layer, None)
            self.problems[trace.layer] = message
        self.panel.show_nothing()
        self.page.impedance.clear()
        self.page.lengths.show_result(None, ())
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

    def _draw(self) -> None:
        line_class, trace = self.line_class, self.trace
        if line_class is None or trace is None:
            return
        result = self.results.get(trace.layer)
        if result is not None:
            self.surface.tell("")
            kept = [k[trace.layer] for k in self.kept.values() if trace.layer in k]
            self.panel.show_result(line_class, result, kept[0] if kept else None)
            self.page.impedance.show_result(result, kept)
            self.page.lengths.show_result(result, kept)
            self.page.coupling.show_lines(result.together)
            self.page.together.show_lines(result.together)
        self._draw_sweep()
        self._draw_layers(line_class, trace)
        self.margins_changed.emit()

    def _draw_layers(self, line_class: LineClass, trace: TraceOnLayer) -> None:
        states = {m.where: m.state for m in self.margins()[1] if m.title.startswith("Impedance")}
        rows = []
        for o in line_class.on:
            low, high = self._band(line_class, o.layer)
            result = self.results.get(o.layer)
            state = states.get(o.layer)
            if state is None and result is not None:
                state = State.HOLDS if low <= result.z <= high else State.FAILS
            shape = f"{o.width.si * 1e6:.0f}" + (f"/{o.gap.si * 1e6:.0f}" if o.gap else "")
            rows.append(LayerRow(o.layer, f"{shape} µm", low, high, state, result))
        self.page.layers.show_rows(rows, trace.layer)

    def _draw_sweep(self) -> None:
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
        subject, result = self.subject, self.shield.result
        if isinstance(subject, ShieldedSection) and result is not None:
            return mode_sentence(result, subject.up_to.si)
        return "this line"

    # -- editing ----------------------------------------------------------------------------------

    def set_class(self, name: str, **changes: object) -> None:
        """Change fields of the class in view."""
        line_class = self.line_class
        assert line_class is not None
        new = set_value(line_class, **changes)
        self.context.document.edit(name, replace_class(self.context.document.project, new))

    def _set_structure(self, structure: str) -> None:
        line_class, trace = self.line_class, self.trace
        assert line_class is not None
        assert trace is not None
        try:
            changed = with_structure(line_class, trace.layer, structure)
            section_of(line_inputs(self.design, changed, trace.layer))
            project = replace_class(self.context.document.project, changed)
            self.context.document.edit(f"Make {line_class.name} a {structure}", project)
            self.surface.tell("")
        except OndaError as error:
            self.surface.tell(str(error))
            self.panel.show_structures(
                facing_layers(self.design.stackup, trace.layer), structure_of(line_class, trace)
            )

    def set_trace(self, **changes: Quantity | None) -> None:
        """Change fields of the trace in view; refused with the reason where it cannot be drawn."""
        line_class, trace = self.line_class, self.trace
        assert line_class is not None
        assert trace is not None
        new = set_value(trace, **changes)
        on = tuple(new if o.layer == trace.layer else o for o in line_class.on)
        changed = set_value(line_class, on=on)
        # A trace that cannot be drawn is refused here, with the reason, and nothing is lost.
        section_of(line_inputs(self.design, changed, trace.layer))
        what = ", ".join(changes)
        self.set_class(f"Change {what} on {trace.layer}", on=on)

    def _dragged(self, what: str, metres: float) -> None:
        try:
            self.set_trace(**{what: quantity(metres, "length", "um", 6)})
        except OndaError as error:
            self.surface.tell(str(error))

    def _dragged_on_map(self, width: float, gap: float) -> None:
        try:
            self.set_trace(
                width=quantity(width, "length", "um", 6), gap=quantity(gap, "length", "um", 6)
            )
        except OndaError as error:
            self.surface.tell(str(error))

    def _typed(self, key: str, content: str) -> None:
        line_class, trace = self.line_class, self.trace
        if line_class is None or trace is None:
            return
        try:
            typed = parse_quantity(content, "length", "um")
            if key in ("width", "gap"):
                self.set_trace(**{key: typed})
            elif key == "thickness":
                self._set_layer(self.design.stackup.place(trace.layer).copper.id, typed)
            else:
                inputs = line_inputs(self.design, line_class, trace.layer)
                self._set_layer(layer_of_slab(self.design, inputs, trace.layer, key), typed)
            self.surface.tell("")
        except OndaError as error:
            self.surface.tell(str(error))

    def _set_layer(self, layer: str, thickness: Quantity) -> None:
        project = self.context.document.project
        new = set_value(project.design.stackup.layer(layer), thickness=thickness)
        self.context.document.edit(f"Change thickness of {layer}", replace_layer(project, new))

    def fit_to_target(self) -> None:
        """Find what gives the class's target, or both of two, and set it."""
        line_class, trace = self.line_class, self.trace
        if line_class is None or trace is None:
            return
        self.panel.fit.tell("")
        names = self.panel.fit.unknowns
        targets: list[tuple[str, float]] = [("z", line_class.target.si)]
        if len(names) == 2:
            result = self.results.get(trace.layer)
            common = self.panel.fit.common
            if common is None and result is not None:
                common = quantity(result.z_common, "resistance")
            if common is None:
                return
            targets.append(("common", common.si))

        def inputs() -> FitInputs:
            limit, _ = self._made(trace.layer)
            bounds = []
            for name in names:
                low, high = _FIT_RANGES[name]
                if limit is not None and name in ("width", "gap"):
                    low = limit.width.si if name == "width" else limit.gap.si
                if name == "width":
                    copper = self.design.stackup.place(trace.layer).copper
                    low = max(low, 2.05 * copper.undercut.si)
                bounds.append(Bounds(name, low, high))
            line = line_inputs(self.design, line_class, trace.layer)
            return FitInputs(line, tuple(bounds), tuple(targets))

        self.ask("fit", FIT, inputs, self._take_fit, self.panel.fit.tell)

    def _take_fit(self, result: FitResult) -> None:
        trace, line_class = self.trace, self.line_class
        assert trace is not None
        assert line_class is not None
        try:
            changes = {
                name: quantity(round(value * 1e7) * 1e-7, "length", "um", 6)
                for name, value in zip(result.names, result.values, strict=True)
                if name in ("width", "gap")
            }
            if changes:
                self.set_trace(**changes)
            inputs = line_inputs(self.design, line_class, trace.layer)
            if "height" in result.names:
                whole = sum(s.thickness for s in inputs.below)
                key = f"slab:{whole - inputs.below[0].thickness:.9f}"
                layer = layer_of_slab(self.design, inputs, trace.layer, key)
                wanted = inputs.below[0].thickness + result.values[0] - whole
                self._set_layer(layer, quantity(wanted, "length", "um", 6))
            if "Dk" in result.names:
                self.panel.fit.tell(
                    f"Dk {result.values[0]:.3f} at the class's frequency would reach "
                    f"{result.reached[0]:.2f} Ω: choose a material near it in Stackup"
                )
        except OndaError as error:
            self.panel.fit.tell(str(error))
