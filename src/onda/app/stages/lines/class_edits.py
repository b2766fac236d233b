"""What the page of a line class does to the document: trace, structure, layers, fit."""

from __future__ import annotations

from typing import TYPE_CHECKING

from onda.app.document import Document
from onda.app.stages.lines.drawing import (
    layer_of_slab,
    section_of,
)
from onda.errors import OndaError
from onda.project.build.edits import replace_layer
from onda.project.edits import replace_class, set_value
from onda.project.lines.structure_edits import facing_layers, structure_of, with_structure
from onda.project.model import Design
from onda.project.quantities import Quantity, parse_quantity, quantity
from onda.studies.lines.fit import FIT, Bounds, FitInputs, FitResult
from onda.studies.lines.inputs import line_inputs

if TYPE_CHECKING:
    from onda.app.stages.lines.stage import LinesStage

__all__ = ["ClassEdits"]

_FIT_RANGES = {
    "width": (50e-6, 2e-3),
    "gap": (50e-6, 2e-3),
    "height": (20e-6, 2e-3),
    "Dk": (1.5, 12.0),
}


class ClassEdits:
    """Edits of the class in view; what is refused is said on the surface."""

    def __init__(self, stage: LinesStage) -> None:
        self._stage = stage

    @property
    def _document(self) -> Document:
        return self._stage.context.document

    @property
    def _design(self) -> Design:
        return self._stage.design

    def set_class(self, name: str, **changes: object) -> None:
        """Change fields of the class in view."""
        line_class = self._stage.line_class
        assert line_class is not None
        new = set_value(line_class, **changes)
        self._document.edit(name, replace_class(self._document.project, new))

    def set_structure(self, structure: str) -> None:
        line_class, trace = self._stage.line_class, self._stage.trace
        assert line_class is not None
        assert trace is not None
        try:
            changed = with_structure(line_class, trace.layer, structure)
            section_of(line_inputs(self._design, changed, trace.layer))
            project = replace_class(self._document.project, changed)
            self._document.edit(f"Make {line_class.name} a {structure}", project)
            self._stage.surface.tell("")
        except OndaError as error:
            self._stage.surface.tell(str(error))
            self._stage.panel.show_structures(
                facing_layers(self._design.stackup, trace.layer),
                structure_of(line_class, trace),
            )

    def set_trace(self, **changes: Quantity | None) -> None:
        """Change fields of the trace in view; refused with the reason where it cannot be drawn."""
        line_class, trace = self._stage.line_class, self._stage.trace
        assert line_class is not None
        assert trace is not None
        new = set_value(trace, **changes)
        on = tuple(new if o.layer == trace.layer else o for o in line_class.on)
        changed = set_value(line_class, on=on)
        # A trace that cannot be drawn is refused here, with the reason, and nothing is lost.
        section_of(line_inputs(self._design, changed, trace.layer))
        what = ", ".join(changes)
        self.set_class(f"Change {what} on {trace.layer}", on=on)

    def dragged(self, what: str, metres: float) -> None:
        try:
            self.set_trace(**{what: quantity(metres, "length", "um", 6)})
        except OndaError as error:
            self._stage.surface.tell(str(error))

    def dragged_on_map(self, width: float, gap: float) -> None:
        try:
            self.set_trace(
                width=quantity(width, "length", "um", 6), gap=quantity(gap, "length", "um", 6)
            )
        except OndaError as error:
            self._stage.surface.tell(str(error))

    def typed(self, key: str, content: str) -> None:
        line_class, trace = self._stage.line_class, self._stage.trace
        if line_class is None or trace is None:
            return
        try:
            typed = parse_quantity(content, "length", "um")
            if key in ("width", "gap"):
                self.set_trace(**{key: typed})
            elif key == "thickness":
                self._set_layer(self._design.stackup.place(trace.layer).copper.id, typed)
            else:
                inputs = line_inputs(self._design, line_class, trace.layer)
                self._set_layer(layer_of_slab(self._design, inputs, trace.layer, key), typed)
            self._stage.surface.tell("")
        except OndaError as error:
            self._stage.surface.tell(str(error))

    def _set_layer(self, layer: str, thickness: Quantity) -> None:
        project = self._document.project
        new = set_value(project.design.stackup.layer(layer), thickness=thickness)
        self._document.edit(f"Change thickness of {layer}", replace_layer(project, new))

    def fit_to_target(self) -> None:
        """Find what gives the class's target, or both of two, and set it."""
        line_class, trace = self._stage.line_class, self._stage.trace
        if line_class is None or trace is None:
            return
        self._stage.panel.fit.tell("")
        names = self._stage.panel.fit.unknowns
        targets: list[tuple[str, float]] = [("z", line_class.target.si)]
        if len(names) == 2:
            result = self._stage.results.get(trace.layer)
            common = self._stage.panel.fit.common
            if common is None and result is not None:
                common = quantity(result.z_common, "resistance")
            if common is None:
                return
            targets.append(("common", common.si))

        def inputs() -> FitInputs:
            limit, _ = self._stage.studies.made(trace.layer)
            bounds = []
            for name in names:
                low, high = _FIT_RANGES[name]
                if limit is not None and name in ("width", "gap"):
                    low = limit.width.si if name == "width" else limit.gap.si
                if name == "width":
                    copper = self._design.stackup.place(trace.layer).copper
                    low = max(low, 2.05 * copper.undercut.si)
                bounds.append(Bounds(name, low, high))
            line = line_inputs(self._design, line_class, trace.layer)
            return FitInputs(line, tuple(bounds), tuple(targets))

        self._stage.ask("fit", FIT, inputs, self._take_fit, self._stage.panel.fit.tell)

    def _take_fit(self, result: FitResult) -> None:
        trace, line_class = self._stage.trace, self._stage.line_class
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
            inputs = line_inputs(self._design, line_class, trace.layer)
            if "height" in result.names:
                whole = sum(s.thickness for s in inputs.below)
                key = f"slab:{whole - inputs.below[0].thickness:.9f}"
                layer = layer_of_slab(self._design, inputs, trace.layer, key)
                wanted = inputs.below[0].thickness + result.values[0] - whole
                self._set_layer(layer, quantity(wanted, "length", "um", 6))
            if "Dk" in result.names:
                self._stage.panel.fit.tell(
                    f"Dk {result.values[0]:.3f} at the class's frequency would reach "
                    f"{result.reached[0]:.2f} Ω: choose a material near it in Stackup"
                )
        except OndaError as error:
            self._stage.panel.fit.tell(str(error))
