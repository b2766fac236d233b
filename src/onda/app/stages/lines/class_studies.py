"""What the page of a line class asks for: impedance on every layer, map, spread, field."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from onda.app.stages.lines.class_page import ClassPage
from onda.app.stages.lines.in_view import LineInView
from onda.app.stages.lines.inspector import LinesInspector
from onda.project.lines.objects import LineClass, TraceOnLayer
from onda.project.model import Design
from onda.studies.lines.field_picture import (
    FIELD_LINES,
    FIELD_PICTURE,
    FieldLines,
    FieldPicture,
    FieldPictureInputs,
)
from onda.studies.lines.fit import with_dimension
from onda.studies.lines.impedance import IMPEDANCE, ImpedanceInputs, ImpedanceResult
from onda.studies.lines.inputs import line_inputs
from onda.studies.lines.sensitivity import SENSITIVITY
from onda.studies.lines.tolerance import TOLERANCE, ToleranceInputs, ToleranceResult
from onda.studies.lines.variations import spread_inputs
from onda.studies.lines.width_gap_map import WIDTH_GAP_MAP, MapInputs, MapResult, map_axes
from onda.studies.lines.width_sweep import (
    WIDTH_SWEEP,
    WidthSweepInputs,
    WidthSweepResult,
    width_range,
)

__all__ = ["ClassStudies"]

_MAP_POINTS = 8
"""Widths and gaps that are solved for the map once it is filled."""


class ClassStudies:
    """Wishes of the class in view, and what is done with their results."""

    def __init__(
        self,
        subject: LineInView,
        page: ClassPage,
        panel: LinesInspector,
        draw: Callable[[], None],
        fail: Callable[[str], None],
    ) -> None:
        self._subject, self._page, self._panel = subject, page, panel
        self._draw, self._fail = draw, fail

    @property
    def _in_gesture(self) -> bool:
        return self._subject.context.document.in_gesture

    @property
    def _design(self) -> Design:
        return self._subject.design

    def ask(self, line_class: LineClass, trace: TraceOnLayer) -> None:
        """Ask for what is looked at."""
        section = self._page.section
        in_gesture = self._in_gesture
        if in_gesture:
            section.show_field(())
            section.show_picture(None, "lines")

        def inputs(layer: str, fine: bool) -> ImpedanceInputs:
            return ImpedanceInputs(line_inputs(self._design, line_class, layer), fine)

        def show(layer: str, result: ImpedanceResult) -> None:
            self._subject.results[layer] = result
            self._subject.problems.pop(layer, None)
            self._draw()
            if not in_gesture:
                self._subject.context.standing.note()

        self._subject.ask_quick_first(
            "now",
            IMPEDANCE,
            lambda fine: inputs(trace.layer, fine),
            lambda r: show(trace.layer, r),
            self._fail,
        )
        if in_gesture:
            return
        for other in line_class.on:
            if other.layer != trace.layer:
                self._subject.ask(
                    f"layer-{other.layer}",
                    IMPEDANCE,
                    partial(inputs, other.layer, True),
                    partial(show, other.layer),
                    lambda _: None,
                )
        self._ask_kept()
        self._subject.ask(
            "spread",
            SENSITIVITY,
            lambda: spread_inputs(
                line_inputs(self._design, line_class, trace.layer),
                self._design.stackup.spread,
            ),
            self._panel.show_spread,
            lambda _: self._panel.show_spread(None),
        )
        looked_at = self._page.views.current
        if looked_at == "impedance" and trace.gap is not None:
            self._ask_map(line_class, trace, 4)
        elif looked_at == "impedance":
            self._ask_sweep(line_class, trace)
        elif looked_at == "spread":
            self._ask_tolerance(line_class, trace)
        self.ask_picture()

    def _ask_tolerance(self, line_class: LineClass, trace: TraceOnLayer) -> None:
        low, high = self._subject.band(line_class, trace.layer)

        def inputs() -> ToleranceInputs:
            line = line_inputs(self._design, line_class, trace.layer)
            return ToleranceInputs(
                spread_inputs(line, self._design.stackup.spread), low=low, high=high
            )

        def show(result: ToleranceResult) -> None:
            self._subject.tolerance = result
            self._page.spread.show_result(result, low, high)

        self._page.spread.show_running()
        self._subject.ask("tolerance", TOLERANCE, inputs, show, self._page.spread.show_problem)

    def ask_picture(self) -> None:
        """Ask for potential or densities where they are to be shown."""
        line_class, trace = self._subject.line_class, self._subject.trace
        section, kind = self._page.section, self._page.fields.current
        if line_class is None or trace is None:
            section.show_picture(None, "lines")
            return
        if kind == "lines":
            section.show_picture(None, "lines")
            self._subject.ask(
                "field",
                FIELD_LINES,
                lambda: line_inputs(self._design, line_class, trace.layer),
                self._show_lines,
                lambda _: None,
            )
            return
        box = section.view_box()

        def inputs() -> FieldPictureInputs:
            line = line_inputs(self._design, line_class, trace.layer)
            # Rounded, so that a window of nearly the same size finds the same picture.
            return FieldPictureInputs(line, *(round(v, 5) for v in box))

        def show(picture: FieldPicture) -> None:
            section.show_picture(picture, self._page.fields.current)

        self._subject.ask("picture", FIELD_PICTURE, inputs, show, lambda _: None)

    def _show_lines(self, result: FieldLines) -> None:
        if not self._in_gesture:
            self._page.section.show_field(result.lines)

    def _ask_kept(self) -> None:
        subject = self._subject
        shown = {k.id: k for k in subject.kept_states}
        for gone in set(subject.kept) - set(shown):
            del subject.kept[gone]
        for identifier, state in shown.items():
            then = subject.item_in(state.design)
            for trace in then.on if isinstance(then, LineClass) else ():
                self._ask_kept_layer(identifier, state.design, then, trace.layer)

    def _ask_kept_layer(self, state: str, design: Design, then: LineClass, layer: str) -> None:
        def show(result: ImpedanceResult) -> None:
            self._subject.kept.setdefault(state, {})[layer] = result
            self._draw()

        def inputs() -> ImpedanceInputs:
            return ImpedanceInputs(line_inputs(design, then, layer))

        self._subject.ask(f"kept-{state}-{layer}", IMPEDANCE, inputs, show, lambda _: None)

    def _ask_sweep(self, line_class: LineClass, trace: TraceOnLayer) -> None:
        def inputs() -> WidthSweepInputs:
            line = line_inputs(self._design, line_class, trace.layer)
            widths = width_range(line.trace.undercut)
            # The present width does not matter, so the sweep is found in the cache again.
            fixed = with_dimension(line, "width", widths[0])
            return WidthSweepInputs(fixed, widths)

        def show(result: WidthSweepResult) -> None:
            self._subject.sweep = result
            self._draw()

        self._subject.ask("sweep", WIDTH_SWEEP, inputs, show, lambda _: None)

    def _ask_map(self, line_class: LineClass, trace: TraceOnLayer, points: int) -> None:
        """Ask for the map, first coarse, then fine."""

        def inputs() -> MapInputs:
            line = line_inputs(self._design, line_class, trace.layer)
            widths, gaps = map_axes(line.trace.undercut, points)
            # The present width and gap do not matter, so the map is found in the cache again.
            narrow = with_dimension(line, "width", widths[0])
            fixed = with_dimension(narrow, "gap", gaps[0])
            return MapInputs(fixed, widths, gaps)

        def show(result: MapResult) -> None:
            self._page.impedance.map.show_map(
                result, line_class.target.si, self._subject.band(line_class, trace.layer)
            )
            if points < _MAP_POINTS:
                self._ask_map(line_class, trace, _MAP_POINTS)

        self._page.impedance.map.show_limits(*self._subject.made(trace.layer))
        self._subject.ask("map", WIDTH_GAP_MAP, inputs, show, lambda _: None)
