"""Fits the line in view to its target."""

from __future__ import annotations

from onda.app.stages.lines.class_edits import ClassEdits
from onda.app.stages.lines.drawing import layer_of_slab
from onda.app.stages.lines.fit_panel import FitPanel
from onda.app.stages.lines.in_view import LineInView
from onda.errors import OndaError
from onda.project.lines.objects import LineClass, TraceOnLayer
from onda.project.quantities import quantity
from onda.studies.lines.fit import FIT, Bounds, FitInputs, FitResult
from onda.studies.lines.inputs import line_inputs

__all__ = ["Fitting"]

_FIT_RANGES = {
    "width": (50e-6, 2e-3),
    "gap": (50e-6, 2e-3),
    "height": (20e-6, 2e-3),
    "Dk": (1.5, 12.0),
}


class Fitting:
    """Asks for a fit of what the panel names, and takes it over."""

    def __init__(self, subject: LineInView, edits: ClassEdits, panel: FitPanel) -> None:
        self._subject, self._edits, self._panel = subject, edits, panel

    def fit_to_target(self) -> None:
        """Find what gives the class's target, or both of two, and set it."""
        line_class, trace = self._subject.line_class, self._subject.trace
        if line_class is None or trace is None:
            return
        self._panel.tell("")
        names = self._panel.unknowns
        targets: list[tuple[str, float]] = [("z", line_class.target.si)]
        if len(names) == 2:
            result = self._subject.results.get(trace.layer)
            common = self._panel.common
            if common is None and result is not None:
                common = quantity(result.z_common, "resistance")
            if common is None:
                return
            targets.append(("common", common.si))

        def inputs() -> FitInputs:
            limit, _ = self._subject.made(trace.layer)
            bounds = []
            for name in names:
                low, high = _FIT_RANGES[name]
                if limit is not None and name in ("width", "gap"):
                    low = limit.width.si if name == "width" else limit.gap.si
                if name == "width":
                    copper = self._subject.design.stackup.place(trace.layer).copper
                    low = max(low, 2.05 * copper.undercut.si)
                bounds.append(Bounds(name, low, high))
            line = line_inputs(self._subject.design, line_class, trace.layer)
            return FitInputs(line, tuple(bounds), tuple(targets))

        asked = (self._subject.id, trace.layer)

        def take(result: FitResult) -> None:
            # Another class may have come into view while it was looked for.
            one, trace = self._subject.line_class, self._subject.trace
            if one is None or trace is None or (self._subject.id, trace.layer) != asked:
                return
            self._take_fit(result, one, trace)

        self._subject.ask("fit", FIT, inputs, take, self._panel.tell)

    def _take_fit(self, result: FitResult, line_class: LineClass, trace: TraceOnLayer) -> None:
        try:
            changes = {
                name: quantity(round(value * 1e7) * 1e-7, "length", "um", 6)
                for name, value in zip(result.names, result.values, strict=True)
                if name in ("width", "gap")
            }
            if changes:
                self._edits.set_trace(**changes)
            inputs = line_inputs(self._subject.design, line_class, trace.layer)
            if "height" in result.names:
                whole = sum(s.thickness for s in inputs.below)
                key = f"slab:{whole - inputs.below[0].thickness:.9f}"
                layer = layer_of_slab(self._subject.design, inputs, trace.layer, key)
                wanted = inputs.below[0].thickness + result.values[0] - whole
                self._edits.set_layer(layer, quantity(wanted, "length", "um", 6))
            if "Dk" in result.names:
                self._panel.tell(
                    f"Dk {result.values[0]:.3f} at the class's frequency would reach "
                    f"{result.reached[0]:.2f} Ω: choose a material near it in Stackup"
                )
        except OndaError as error:
            self._panel.tell(str(error))
