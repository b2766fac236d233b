"""What the page of a line class asks for: impedance on every layer, map, spread, field."""

from __future__ import annotations

from typing import TYPE_CHECKING

from onda.app.document import Document
from onda.project.build.stackup import EtchLimit, PriceStep
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

if TYPE_CHECKING:
    from onda.app.stages.lines.stage import LinesStage

__all__ = ["ClassStudies"]

_MAP_POINTS = 8
"""Widths and gaps that are solved for the map once it is filled."""


class ClassStudies:
    """Wishes of the class in view, and what is done with their results."""

    def __init__(self, stage: LinesStage) -> None:
        self._stage = stage

    @property
    def _document(self) -> Document:
        return self._stage.context.document

    @property
    def _design(self) -> Design:
        return self._stage.design

    def ask(self, line_class: LineClass, trace: TraceOnLayer) -> None:
        in_gesture = self._document.in_gesture
        if in_gesture:
            self._stage.view.show_field(())
            self._stage.view.show_picture(None, "lines")

        def inputs(layer: str, fine: bool) -> ImpedanceInputs:
            return ImpedanceInputs(line_inputs(self._design, line_class, layer), fine)

        def show(layer: str, result: ImpedanceResult) -> None:
            self._stage.results[layer] = result
            self._stage.problems.pop(layer, None)
            self._stage.draw()
            if not in_gesture:
                self._stage.context.standing.note()

        self._stage.ask_quick_first(
            "now",
            IMPEDANCE,
            lambda fine: inputs(trace.layer, fine),
            lambda r: show(trace.layer, r),
            self._stage.show_problem,
        )
        if in_gesture:
            return
        for other in line_class.on:
            if other.layer != trace.layer:
                self._stage.ask(
                    f"layer-{other.layer}",
                    IMPEDANCE,
                    lambda layer=other.layer: inputs(layer, True),
                    lambda r, layer=other.layer: show(layer, r),
                    lambda _: None,
                )
        self._ask_kept(line_class)
        self._stage.ask(
            "spread",
            SENSITIVITY,
            lambda: spread_inputs(
                line_inputs(self._design, line_class, trace.layer),
                self._design.stackup.spread,
            ),
            self._stage.panel.show_spread,
            lambda _: self._stage.panel.show_spread(None),
        )
        if trace.gap is not None:
            self._ask_map(line_class, trace, 4)
        else:
            self._ask_sweep(line_class, trace)
        if self._stage.page.views.current == "spread":
            self._ask_tolerance(line_class, trace)
        self.ask_picture()

    def _ask_tolerance(self, line_class: LineClass, trace: TraceOnLayer) -> None:
        low, high = self._stage.band(line_class, trace.layer)

        def inputs() -> ToleranceInputs:
            line = line_inputs(self._design, line_class, trace.layer)
            return ToleranceInputs(
                spread_inputs(line, self._design.stackup.spread), low=low, high=high
            )

        def show(result: ToleranceResult) -> None:
            self._stage.tolerance = result
            self._stage.page.spread.show_result(result, low, high)

        self._stage.page.spread.show_running()
        self._stage.ask("tolerance", TOLERANCE, inputs, show, self._stage.page.spread.show_problem)

    def ask_picture(self) -> None:
        """Ask for potential or densities where they are to be shown."""
        line_class, trace, kind = (
            self._stage.line_class,
            self._stage.trace,
            self._stage.page.fields.current,
        )
        if line_class is None or trace is None:
            self._stage.view.show_picture(None, "lines")
            return
        if kind == "lines":
            self._stage.view.show_picture(None, "lines")
            self._stage.ask(
                "field",
                FIELD_LINES,
                lambda: line_inputs(self._design, line_class, trace.layer),
                self._show_lines,
                lambda _: None,
            )
            return
        box = self._stage.view.view_box()

        def inputs() -> FieldPictureInputs:
            line = line_inputs(self._design, line_class, trace.layer)
            # Rounded, so that a window of nearly the same size finds the same picture.
            return FieldPictureInputs(line, *(round(v, 5) for v in box))

        def show(picture: FieldPicture) -> None:
            self._stage.view.show_picture(picture, self._stage.page.fields.current)

        self._stage.ask("picture", FIELD_PICTURE, inputs, show, lambda _: None)

    def _show_lines(self, result: FieldLines) -> None:
        if not self._document.in_gesture:
            self._stage.view.show_field(result.lines)

    def _ask_kept(self, line_class: LineClass) -> None:
        shown = {k.id: k for k in self._stage.shown_kept}
        for gone in set(self._stage.kept) - set(shown):
            del self._stage.kept[gone]
        for identifier, state in shown.items():
            then = next((c for c in state.design.line_classes if c.id == line_class.id), None)
            for trace in then.on if then else ():

                def show(r: ImpedanceResult, i: str = identifier, layer: str = trace.layer) -> None:
                    self._stage.kept.setdefault(i, {})[layer] = r
                    self._stage.draw()

                def inputs(
                    d: object = state.design, c: object = then, layer: str = trace.layer
                ) -> ImpedanceInputs:
                    return ImpedanceInputs(line_inputs(d, c, layer))  # type: ignore[arg-type]

                self._stage.ask(
                    f"kept-{identifier}-{trace.layer}", IMPEDANCE, inputs, show, lambda _: None
                )

    def _ask_sweep(self, line_class: LineClass, trace: TraceOnLayer) -> None:
        def inputs() -> WidthSweepInputs:
            line = line_inputs(self._design, line_class, trace.layer)
            widths = width_range(line.trace.undercut)
            # The present width does not matter, so the sweep is found in the cache again.
            fixed = with_dimension(line, "width", widths[0])
            return WidthSweepInputs(fixed, widths)

        def show(result: WidthSweepResult) -> None:
            self._stage.sweep = result
            self._stage.draw_sweep()

        self._stage.ask("sweep", WIDTH_SWEEP, inputs, show, lambda _: None)

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
            self._stage.map.show_map(
                result, line_class.target.si, self._stage.band(line_class, trace.layer)
            )
            if points < _MAP_POINTS:
                self._ask_map(line_class, trace, _MAP_POINTS)

        self._stage.map.show_limits(*self.made(trace.layer))
        self._stage.ask("map", WIDTH_GAP_MAP, inputs, show, lambda _: None)

    def made(self, layer: str) -> tuple[EtchLimit | None, tuple[PriceStep, ...]]:
        """What the fabricator can etch on a layer, and the price steps."""
        made = self._design.stackup.fabrication
        copper = self._design.stackup.place(layer).copper
        return made.limit_for(copper.thickness.si), made.steps
