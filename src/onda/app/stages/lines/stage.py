"""Joins the views of the Lines stage to the document and the studies."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from PyQt6.QtWidgets import QGridLayout, QWidget

from onda.app.plots.curves import Curve, CurvePlot, Limit
from onda.app.shell.fields import label
from onda.app.shell.form import FieldSpec
from onda.app.shell.rows import Row
from onda.app.stages.base import Context, Stage, scrolled
from onda.app.stages.lines.drawing import (
    layer_of_slab,
    make_drawing,
    section_of,
    structure_in_words,
)
from onda.app.stages.lines.inspector import LinesInspector
from onda.app.stages.lines.map_view import MapView
from onda.app.stages.lines.section_view import SectionView
from onda.engine.section.geometry import CrossSection
from onda.errors import OndaError
from onda.project.edits import replace_class, set_value, with_design
from onda.project.model import LineClass, TraceOnLayer
from onda.project.quantities import Quantity, format_si, parse_quantity, quantity
from onda.studies.fit import FitInputs
from onda.studies.impedance import IMPEDANCE, ImpedanceInputs, ImpedanceResult
from onda.studies.line_inputs import line_inputs
from onda.studies.margins import Margin, Measured, margin_of, measure_line
from onda.studies.sensitivity import SENSITIVITY
from onda.studies.variations import spread_inputs
from onda.studies.width_gap_map import WIDTH_GAP_MAP, MapInputs, MapResult, map_axes
from onda.studies.width_sweep import WIDTH_SWEEP, WidthSweepInputs, WidthSweepResult, width_range

__all__ = ["LinesStage"]


_MAP_POINTS = 8
"""Widths and gaps that are solved for the map once it is filled."""


class LinesStage(Stage):
    """Lines."""

    id = "lines"
    add_title = "Add a line class like this one"

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        look = context.look
        self.results: dict[str, ImpedanceResult] = {}
        self.problems: dict[str, str] = {}
        self.kept: dict[str, dict[str, ImpedanceResult]] = {}
        self.sweep: WidthSweepResult | None = None
        self._results_of = ""
        self.surface.add_button(
            "Keep state", self.keep_wanted.emit, primary=True, tip="Keep this state to compare (K)"
        )
        self.view = SectionView(look)
        self.view.drag_began.connect(context.document.begin_gesture)
        self.view.drag_ended.connect(context.document.end_gesture)
        self.view.edge_dragged.connect(self._dragged)
        self.view.typed.connect(self._typed)
        self.surface.body.addWidget(self.view, 6)
        self.surface.body.addWidget(self._plots(), 5)
        self.panel = LinesInspector(context)
        self.panel.fit_button.clicked.connect(lambda: self.fit_to_target())
        self.form = self.panel.form
        self.inspector = scrolled(self.panel)

    # -- building ---------------------------------------------------------------------------------

    def _plots(self) -> QWidget:
        look = self.context.look
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 4, 0, 0)
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(3)
        self.by_width = CurvePlot(look, x_unit="µm", y_unit="Ω", axis_width=36)
        self.by_frequency = CurvePlot(look, x_unit="GHz", y_unit="Ω", axis_width=36, log_x=True)
        self.loss = CurvePlot(look, x_unit="GHz", y_unit="dB", axis_width=36)
        self.map = MapView(look)
        self.map.drag_began.connect(self.context.document.begin_gesture)
        self.map.drag_ended.connect(self.context.document.end_gesture)
        self.map.point_dragged.connect(self._dragged_on_map)
        grid.addWidget(self.map, 1, 0)
        titles = ("Every width, this gap", "Impedance against frequency", "Loss, dB per 100 mm")
        for i, (plot, title) in enumerate(
            zip((self.by_width, self.by_frequency, self.loss), titles, strict=True)
        ):
            heading = label(title, "heading")
            grid.addWidget(heading, 0, i)
            grid.addWidget(plot, 1, i)
            grid.setColumnStretch(i, 1)
            grid.setRowStretch(1, 1)
            if i == 0:
                self.width_title = heading
        return holder

    # -- what is in view --------------------------------------------------------------------------

    @property
    def line_class(self) -> LineClass | None:
        """The class in view."""
        subject = self.context.selection.subject_of(self.id)
        return next((c for c in self.design.line_classes if c.id == subject), None)

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
            kind = " diff" if c.kind == "pair" else ""
            goal = format_si(c.target.si, "resistance")
            state = standing.state_of(self.id, c.id)
            out.append(Row(c.id, c.name, f"{goal}{kind} · {on}", state))
        return out

    def refresh(self) -> None:
        line_class, trace = self.line_class, self.trace
        if line_class is None or trace is None:
            self.surface.title.setText("Lines")
            self.surface.remark.setText("There is no line class yet.")
            return
        if self._results_of != line_class.id:
            self.results.clear()
            self.problems.clear()
            self.kept.clear()
            self.sweep = None
            self._results_of = line_class.id
        self.surface.title.setText(f"{line_class.name} on {trace.layer}")
        self._show_fields(line_class, trace)
        try:
            inputs = line_inputs(self.design, line_class, trace.layer)
            drawing = make_drawing(self.design, inputs, trace)
        except OndaError as error:
            self._fail(str(error))
            return
        self.surface.remark.setText(structure_in_words(inputs, drawing.plane_names))
        self.view.show_drawing(drawing, self._kept_sections(line_class, trace))
        self._ask(line_class, trace)

    def _ask(self, line_class: LineClass, trace: TraceOnLayer) -> None:
        in_gesture = self.context.document.in_gesture
        if in_gesture:
            self.view.show_field(())

        def inputs(layer: str, fine: bool) -> ImpedanceInputs:
            return ImpedanceInputs(line_inputs(self.design, line_class, layer), fine)

        def show(layer: str, result: ImpedanceResult) -> None:
            self.results[layer] = result
            self.problems.pop(layer, None)
            self._draw()
            if not in_gesture:
                self.context.standing.note()

        self.ask(
            "now",
            IMPEDANCE,
            lambda: inputs(trace.layer, not in_gesture),
            lambda r: show(trace.layer, r),
            self._fail,
        )
        if in_gesture:
            return
        for other in line_class.on:
            if other.layer != trace.layer:
                self.ask(
                    f"layer-{other.layer}",
                    IMPEDANCE,
                    lambda layer=other.layer: inputs(layer, True),  # type: ignore[misc]
                    lambda r, layer=other.layer: show(layer, r),  # type: ignore[misc]
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
        if line_class.kind == "pair":
            self._ask_map(line_class, trace, 4)
        else:
            self._ask_sweep(line_class, trace)

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
            fixed = replace(line, trace=replace(line.trace, width=widths[0]))
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
            fixed = replace(line, trace=replace(line.trace, width=widths[0], gap=gaps[0]))
            return MapInputs(fixed, widths, gaps)

        def show(result: MapResult) -> None:
            self.map.show_map(result, line_class.target.si, self._band(line_class, trace.layer))
            if points < _MAP_POINTS:
                self._ask_map(line_class, trace, _MAP_POINTS)

        self.ask("map", WIDTH_GAP_MAP, inputs, show, lambda _: None)

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
        for plot in (self.by_frequency, self.loss):
            plot.show_curves([])
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
            if not self.context.document.in_gesture:
                self.view.show_field(result.lines)
            kept = next((k[trace.layer] for k in self.kept.values() if trace.layer in k), None)
            self.panel.show_result(line_class, result, kept)
            self._draw_curves(line_class, trace, result)
        self._draw_sweep()
        self.margins_changed.emit()

    def _draw_curves(
        self, line_class: LineClass, trace: TraceOnLayer, result: ImpedanceResult
    ) -> None:
        t = self.context.look.t
        ghz = result.frequency / 1e9
        kept = [k[trace.layer] for k in self.kept.values() if trace.layer in k]
        curves = [Curve("now", ghz, result.z_of_f, t.sea, 1.8)]
        curves += [Curve("kept", k.frequency / 1e9, k.z_of_f, t.kept, 1.4, kept=True) for k in kept]
        self.by_frequency.show_curves(curves)
        fast = ghz > 0.05
        loss = [
            Curve(
                "total", ghz[fast], 0.1 * result.loss_db_per_m[fast], t.series[0], 1.8, note=True
            ),
            Curve(
                "dielectric",
                ghz[fast],
                0.1 * result.dielectric_db_per_m[fast],
                t.series[3],
                note=True,
            ),
            Curve(
                "copper", ghz[fast], 0.1 * result.conductor_db_per_m[fast], t.series[1], note=True
            ),
        ]
        loss += [
            Curve("kept", k.frequency / 1e9, 0.1 * k.loss_db_per_m, t.kept, kept=True) for k in kept
        ]
        self.loss.show_curves(loss)

    def _draw_sweep(self) -> None:
        line_class, trace, sweep = self.line_class, self.trace, self.sweep
        if line_class is None or trace is None:
            return
        pair = line_class.kind == "pair"
        self.map.setVisible(pair)
        self.by_width.setVisible(not pair)
        self.width_title.setText("Every width and gap, µm" if pair else "Impedance against width")
        if pair:
            self._draw_map_points(line_class, trace)
            return
        if sweep is None or not len(sweep.widths):
            self.by_width.show_curves([])
            return
        t = self.context.look.t
        curve = Curve("impedance", sweep.widths * 1e6, sweep.z, t.sea, 1.8)
        limits = [
            Limit(v, f"{w} {v:.4g} Ω") for v, w in self._impedance_limits(line_class, trace.layer)
        ]
        result = self.results.get(trace.layer)
        marks = [(trace.width.si * 1e6, result.z, t.ink)] if result else []
        for state in self.kept.values():
            then = state.get(trace.layer)
            kept_class = next(
                (
                    c
                    for k in self.shown_kept
                    for c in k.design.line_classes
                    if c.id == line_class.id
                ),
                None,
            )
            kept_trace = kept_class.trace_on(trace.layer) if kept_class else None
            if then is not None and kept_trace is not None:
                marks.append((kept_trace.width.si * 1e6, then.z, t.kept))
        self.by_width.show_curves([curve], limits, marks=marks)

    def _draw_map_points(self, line_class: LineClass, trace: TraceOnLayer) -> None:
        def point(where: TraceOnLayer | None) -> tuple[float, float] | None:
            return (where.width.si, where.gap.si) if where and where.gap else None

        kept = [
            point(c.trace_on(trace.layer))
            for k in self.shown_kept
            for c in k.design.line_classes
            if c.id == line_class.id
        ]
        now = point(trace)
        if now is not None:
            self.map.show_points(now, [p for p in kept if p is not None])

    def _dragged_on_map(self, width: float, gap: float) -> None:
        try:
            self._set_trace(
                width=quantity(width, "length", "um", 6), gap=quantity(gap, "length", "um", 6)
            )
        except OndaError as error:
            self.surface.tell(str(error))

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
            return "", [], {}
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

    # -- editing ----------------------------------------------------------------------------------

    def _show_fields(self, line_class: LineClass, trace: TraceOnLayer) -> None:
        def kept(attribute: str) -> list[float]:
            found = (
                c.trace_on(trace.layer)
                for k in self.shown_kept
                for c in k.design.line_classes
                if c.id == line_class.id
            )
            values = (getattr(o, attribute) for o in found if o is not None)
            return [v.si for v in values if v is not None]

        def value(attribute: str) -> Quantity | None:
            present = self.trace
            return getattr(present, attribute) if present is not None else None

        specs = [
            FieldSpec(
                "Width",
                "length",
                lambda: value("width"),
                lambda q: self._set_trace(width=q),
                (60e-6, 320e-6, 1e-6),
                kept=lambda: kept("width"),
            )
        ]
        if line_class.kind == "pair":
            specs.append(
                FieldSpec(
                    "Gap",
                    "length",
                    lambda: value("gap"),
                    lambda q: self._set_trace(gap=q),
                    (60e-6, 500e-6, 1e-6),
                    kept=lambda: kept("gap"),
                )
            )
        specs.append(
            FieldSpec(
                "Target",
                "resistance",
                lambda: self.line_class.target if self.line_class else None,
                lambda q: self._set_class("Change target", target=q),
            )
        )
        specs.append(
            FieldSpec(
                "Loss at",
                "frequency",
                lambda: self.line_class.loss_at if self.line_class else None,
                lambda q: self._set_class("Change frequency", loss_at=q),
            )
        )
        self.form.set_specs(specs)

    def _set_class(self, name: str, **changes: object) -> None:
        line_class = self.line_class
        assert line_class is not None
        new = set_value(line_class, **changes)
        self.context.document.edit(name, replace_class(self.context.document.project, new))

    def _set_trace(self, **changes: Quantity) -> None:
        line_class, trace = self.line_class, self.trace
        assert line_class is not None
        assert trace is not None
        new = set_value(trace, **changes)
        on = tuple(new if o.layer == trace.layer else o for o in line_class.on)
        changed = set_value(line_class, on=on)
        # A trace that cannot be drawn is refused here, with the reason, and nothing is lost.
        section_of(line_inputs(self.design, changed, trace.layer))
        what = ", ".join(changes)
        self._set_class(f"Change {what} on {trace.layer}", on=on)

    def _dragged(self, what: str, metres: float) -> None:
        try:
            self._set_trace(**{what: quantity(metres, "length", "um", 6)})
        except OndaError as error:
            self.surface.tell(str(error))

    def _typed(self, key: str, content: str) -> None:
        line_class, trace = self.line_class, self.trace
        if line_class is None or trace is None:
            return
        try:
            typed = parse_quantity(content, "length", "um")
            if key in ("width", "gap"):
                self._set_trace(**{key: typed})
            elif key == "thickness":
                self._set_layer(trace.layer, typed)
            else:
                inputs = line_inputs(self.design, line_class, trace.layer)
                self._set_layer(layer_of_slab(self.design, inputs, trace.layer, key), typed)
            self.surface.tell("")
        except OndaError as error:
            self.surface.tell(str(error))

    def _set_layer(self, layer: str, thickness: Quantity) -> None:
        project = self.context.document.project
        layers = tuple(
            set_value(item, thickness=thickness) if item.id == layer else item
            for item in project.design.stackup.layers
        )
        stackup = set_value(project.design.stackup, layers=layers)
        self.context.document.edit(
            f"Change thickness of {layer}", with_design(project, stackup=stackup)
        )

    def fit_to_target(self) -> None:
        """Find the width that gives the class's target, and set it."""
        line_class, trace = self.line_class, self.trace
        if line_class is None or trace is None:
            return
        self.panel.tell_fit("")

        def done(result: FitResult) -> None:
            try:
                width = round(result.values[0] * 1e7) * 1e-7
                self._set_trace(width=quantity(width, "length", "um", 6))
            except OndaError as error:
                self.panel.tell_fit(str(error))

        self.ask(
            "fit",
            FIT,
            lambda: FitInputs(
                line_inputs(self.design, line_class, trace.layer),
                (Bounds("width", 50e-6, 2e-3),),
                (("z", line_class.target.si),),
            ),
            done,
            self.panel.tell_fit,
        )
