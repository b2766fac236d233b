"""Joins the views of the Paths stage to the document and the studies."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QHBoxLayout, QWidget

from onda.app.plots.curves import Curve, CurvePlot, Limit
from onda.app.shell.fields import label
from onda.app.shell.rows import Row
from onda.app.stages.base import Context, OneResultStage, scrolled
from onda.app.stages.paths.inspector import PathInspector
from onda.app.stages.paths.profile import Profile
from onda.app.stages.paths.ribbon import DRIVER, RECEIVER, Ribbon
from onda.app.stages.paths.scale import LEFT, RIGHT, Probes, waveform_at
from onda.app.stages.paths.wave_map import WaveMap
from onda.errors import OndaError
from onda.project.edits import insert_element, remove_element, replace_path
from onda.project.model import Design, Path, SeriesResistor, TracePiece
from onda.project.quantities import format_si, quantity
from onda.studies.margins import Measured, measure_path
from onda.studies.path import PATH, PathResult
from onda.studies.path_inputs import PathInputs, path_inputs
from onda.studies.path_sweep import (
    PATH_SWEEP,
    SweepInputs,
    SweepResult,
    Variant,
    resistor_range,
    with_value,
)

__all__ = ["PathsStage"]


class PathsStage(OneResultStage[PathResult]):
    """Paths."""

    id = "paths"
    margins_title = "this path"
    add_title = "Add a path like this one"

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        look, selection = context.look, context.selection
        self.probes = Probes()
        self.sweep: SweepResult | None = None
        self.surface.add_button(
            "Keep state", self.keep_wanted.emit, primary=True, tip="Keep this state to compare (K)"
        )
        self.ribbon = Ribbon(look, selection, self.probes)
        self.profile = Profile(look, selection, self.probes)
        self.wave_map = WaveMap(look, self.probes)
        self.waves = CurvePlot(look, x_unit="ns", y_unit="V", axis_width=int(LEFT) - 80)
        body = self.surface.body
        body.addWidget(self.ribbon)
        body.addWidget(self.profile)
        body.addWidget(self.wave_map, 5)
        body.addWidget(self._waves_row(), 6)
        self.form = PathInspector(context)
        self.inspector = scrolled(self.form)
        self.probes.changed.connect(self._show_waves)
        self.ribbon.drag_began.connect(self._begin_drag)
        self.ribbon.drag_ended.connect(context.document.end_gesture)
        self.ribbon.length_dragged.connect(self._drag_length)
        self.ribbon.insert_wanted.connect(self.insert)
        self.ribbon.remove_wanted.connect(self.take_out)
        self._dragged_from: float | None = None

    def _waves_row(self) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, int(RIGHT), 0)
        line.setSpacing(0)
        self.legend = label("", "", wrap=True)
        self.legend.setFixedWidth(80)
        self.legend.setAlignment(self.legend.alignment().__class__.AlignTop)
        line.addWidget(self.legend)
        line.addWidget(self.waves, 1)
        return row

    @property
    def path(self) -> Path | None:
        """The path in view, None where there is none."""
        subject = self.context.selection.subject_of(self.id)
        return next((p for p in self.design.paths if p.id == subject), None)

    def rows(self) -> Sequence[Row]:
        standing = self.context.standing
        out = []
        for p in self.design.paths:
            margins = standing.of(self.id, p.id)
            bad = [m for m in margins if m.state.value in ("fails", "tight")]
            worst = min(bad, key=lambda m: m.normalised) if bad else None
            state = standing.state_of(self.id, p.id)
            detail = f"{p.net} · {'no limits' if state is None else state.value}"
            if worst is not None:
                detail = f"{worst.title.lower()} {worst.value_text}"
            out.append(Row(p.id, p.name, detail, state))
        return out

    def refresh(self) -> None:
        path = self.path
        if path is None:
            self.surface.title.setText("Paths")
            self.surface.remark.setText("There is no path yet.")
            return
        selection = self.context.selection
        if not selection.element or not self._is_element(path, selection.element):
            first = next((e.id for e in path.elements if isinstance(e, SeriesResistor)), DRIVER)
            selection.choose_element(first)
        self.surface.title.setText(path.name)
        self.surface.remark.setText(self._remark(path))
        if self._result_of != path.id:
            self.sweep = None
        self.turn_to(path.id)
        self.form.show_element(selection.element, self._kept_paths(path))
        in_gesture = self.context.document.in_gesture
        self.ask_quick_first(
            "now",
            PATH,
            lambda fine: path_inputs(self.design, path, fine=fine),
            self.show_result,
            self.show_failure,
        )
        if not in_gesture:
            self._ask_kept(path)
            self._ask_sweep(path)

    def _is_element(self, path: Path, element: str) -> bool:
        return element in (DRIVER, RECEIVER) or any(e.id == element for e in path.elements)

    def _remark(self, path: Path) -> str:
        driver, stimulus = path.driver, path.stimulus
        what = (
            format_si(stimulus.frequency.si, "frequency", digits=5)
            if stimulus.frequency
            else "one edge"
        )
        swing = format_si(driver.high.si - driver.low.si, "voltage", digits=2)
        edge = format_si(driver.edge.si, "time", digits=3)
        return f"{what} · {swing} · {edge} edges"

    def _kept_paths(self, path: Path) -> list[Path]:
        return [p for k in self.shown_kept for p in k.design.paths if p.id == path.id]

    def _ask_kept(self, path: Path) -> None:
        def inputs(design: Design) -> PathInputs | None:
            then = next((p for p in design.paths if p.id == path.id), None)
            return path_inputs(design, then) if then is not None else None

        self.ask_kept(PATH, self.kept, inputs, self.draw)

    def _swept(self, path: Path) -> SeriesResistor | None:
        chosen = self.context.selection.element
        resistors = [e for e in path.elements if isinstance(e, SeriesResistor)]
        return next((e for e in resistors if e.id == chosen), None)

    def _ask_sweep(self, path: Path) -> None:
        resistor = self._swept(path)
        if resistor is None:
            self.sweep = None
            self.form.show_sweep(None, (0, 0), None, "")
            return

        def inputs() -> SweepInputs:
            slice_ = path_inputs(self.design, path, fine=False)
            at_zero = with_value(slice_, resistor.id, 0.0)
            # The sweep does not depend on the present value; so it is found in the cache again.
            return SweepInputs((Variant("", at_zero),), resistor.id, resistor_range(67.0))

        def show(result: SweepResult) -> None:
            self.sweep = result
            self._draw_sweep()

        self.ask("sweep", PATH_SWEEP, inputs, show, lambda _: None)

    def read(self, result: PathResult, measure: str) -> Measured:
        return measure_path(result, measure)

    def draw(self) -> None:
        path, result = self.path, self.result
        if path is None or result is None:
            return
        copper = self.design.stackup.copper
        outer = {layer.id: layer.id in (copper[0].id, copper[-1].id) for layer in copper}
        self.ribbon.show_path(path, result.spans, outer)
        kept = list(self.kept.values())
        self.profile.show_spans(result.spans, [k.spans for k in kept], self._band(path))
        self.wave_map.show_result(result)
        self._show_waves()
        self.form.show_result(result, kept, list(self.margins()[1]))
        self._draw_sweep()
        self.margins_changed.emit()

    def _draw_sweep(self) -> None:
        path, result = self.path, self.result
        if path is None or result is None or self.sweep is None:
            return
        resistor = self._swept(path)
        if resistor is not None:
            now = (resistor.value.si, result.measures.overshoot)
            self.form.show_sweep(self.sweep, now, self._overshoot_limit(path), resistor.id)

    def _band(self, path: Path) -> tuple[float, float] | None:
        """Impedance that the class of the first piece must have."""
        piece = next((e for e in path.elements if isinstance(e, TracePiece)), None)
        for r in self.context.document.project.requirements:
            if (
                piece is not None
                and (r.measure, r.subject) == ("impedance", piece.line_class)
                and r.at_least
                and r.at_most
            ):
                return r.at_least.si, r.at_most.si
        return None

    def _overshoot_limit(self, path: Path) -> float | None:
        for r in self.context.document.project.requirements:
            if (r.stage, r.subject, r.measure) == (self.id, path.id, "overshoot") and r.at_most:
                return r.at_most.si
        return None

    def _show_waves(self) -> None:
        path, result = self.path, self.result
        if path is None or result is None:
            return
        t = self.context.look.t
        ns = result.time * 1e9
        curves = []
        for probe in self.probes.items:
            volts = waveform_at(result, probe.share * result.delay)
            strong = probe.name == "load"
            curves.append(
                Curve(probe.name, ns, volts, t.series[probe.series], 2.2 if strong else 1.4)
            )
        names = {k.id: k.name for k in self.shown_kept}
        for identifier, then in self.kept.items():
            curves.append(
                Curve(
                    f"kept: {names.get(identifier, '')}",
                    then.time * 1e9,
                    then.load,
                    t.kept,
                    1.6,
                    kept=True,
                )
            )
        limits = []
        limit = self._overshoot_limit(path)
        if limit is not None:
            level = max(result.high, result.low) + limit
            limits = [Limit(level, f"input limit {level:.2f} V")]
        self.waves.show_curves(curves, limits)
        self.legend.setText(self._legend(curves))

    def _legend(self, curves: list[Curve]) -> str:
        lines = ["<b>Waveforms</b>"]
        for curve in curves:
            line = "┅┅" if curve.kept else "━━"
            ink = self.context.look.t.kept_ink if curve.kept else curve.color
            lines.append(f'<span style="color:{ink}">{line}</span> {curve.name}')
        return "<br>".join(lines)

    def insert(self, kind: str) -> None:
        """Insert a trace, a via or a resistor behind the chosen element, and choose it."""
        path, document = self.path, self.context.document
        if path is None:
            return
        chosen = self.context.selection.element
        if chosen == RECEIVER:
            chosen = path.elements[-1].id
        try:
            new, name = insert_element(path, chosen, kind)
            document.edit(f"Insert {name}", replace_path(document.project, new))
        except OndaError as error:
            self.surface.tell(str(error))
            return
        self.context.selection.choose_element(name)

    def take_out(self) -> None:
        """Remove the chosen element."""
        path, document = self.path, self.context.document
        chosen = self.context.selection.element
        if path is None or chosen in (DRIVER, RECEIVER):
            return
        try:
            new = remove_element(path, chosen)
            document.edit(f"Remove {chosen}", replace_path(document.project, new))
        except OndaError as error:
            self.surface.tell(str(error))

    def _begin_drag(self) -> None:
        self._dragged_from = None
        self.context.document.begin_gesture()

    def _drag_length(self, element: str, share: float) -> None:
        path = self.path
        if path is None:
            return
        piece = next(e for e in path.elements if e.id == element)
        if not isinstance(piece, TracePiece):
            return
        if self._dragged_from is None:
            self._dragged_from = piece.length.si
        try:
            length = quantity(self._dragged_from * share, "length", "mm", 4)
            self.form.change_element(piece, length=length)
        except OndaError as error:
            self.surface.tell(str(error))
