"""The chosen element of a path: its values, its trim, and what the wave meets there."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from onda.app.document import Document
from onda.app.plots.curves import Bars, Curve, CurvePlot, Limit
from onda.app.shell.fields import ChoiceBox, Heading, NumberRows, TextField, label
from onda.app.shell.form import FieldSpec, Form
from onda.app.stages.base import Context
from onda.app.stages.paths.ribbon import RECEIVER
from onda.app.theme import Look
from onda.errors import InputError, OndaError
from onda.project.edits import replace_path, set_value
from onda.project.model import (
    LineClass,
    Path,
    SeriesResistor,
    Termination,
    TracePiece,
    Via,
)
from onda.project.quantities import Quantity, quantity, split_si
from onda.studies.margins import MEASURE_TITLES, Margin
from onda.studies.path import PathResult
from onda.studies.path_sweep import SweepResult

__all__ = ["PathInspector"]

_TERMINATIONS = {
    "none": "none",
    "parallel": "parallel to rail",
    "split": "split, two resistors",
    "ac": "R and C to 0 V",
}


class PathInspector(QWidget):
    """Inspector of the Paths stage."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._context = context
        self._document: Document = context.document
        self._filling = False
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 16, 8)
        layout.setSpacing(3)
        self.title = label("", "title")
        self.where = label("", "secondary", wrap=True)
        layout.addWidget(self.title)
        layout.addWidget(self.where)
        self.name = TextField("Name", self._rename)
        layout.addWidget(self.name)
        self.choices = QWidget()
        choice_box = QVBoxLayout(self.choices)
        choice_box.setContentsMargins(0, 0, 0, 0)
        choice_box.setSpacing(3)
        self.first = _Choice(context.look, "Class")
        self.second = _Choice(context.look, "Layer")
        choice_box.addWidget(self.first)
        choice_box.addWidget(self.second)
        self.first.combo.activated.connect(lambda _: self._choice_made(0))
        self.second.combo.activated.connect(lambda _: self._choice_made(1))
        layout.addWidget(self.choices)
        self.form = Form(context.look, context.document)
        layout.addWidget(self.form)
        self.sweep_heading = Heading("Overshoot at load", "against Rs")
        self.sweep = CurvePlot(
            context.look, x_unit="Ω", y_unit="V", axis_width=34, interactive=False
        )
        self.sweep.setFixedHeight(116)
        layout.addWidget(self.sweep_heading)
        layout.addWidget(self.sweep)
        layout.addWidget(Heading("What the wave meets here"))
        self.rows = NumberRows(context.look)
        layout.addWidget(self.rows)
        self.sentence = label("", "secondary", wrap=True)
        layout.addWidget(self.sentence)
        self.harmonics_heading = Heading("Harmonics at load", "now, kept")
        layout.addWidget(self.harmonics_heading)
        self.harmonics = CurvePlot(
            context.look, x_unit="MHz", y_unit="dB", axis_width=34, interactive=False
        )
        self.harmonics.setFixedHeight(104)
        layout.addWidget(self.harmonics)
        layout.addStretch(1)

    @property
    def path(self) -> Path:
        """The path in view."""
        return self._document.project.design.path(self._context.selection.subject_of("paths"))

    def _edit(self, label_: str, path: Path) -> None:
        self._document.edit(label_, replace_path(self._document.project, path))

    def _rename(self, name: str) -> None:
        self._edit("Rename path", set_value(self.path, name=name))

    def change_element(self, element: Any, **values: Any) -> None:
        """Change values of an element of the path."""
        new = set_value(element, **values)
        elements = tuple(new if e.id == element.id else e for e in self.path.elements)
        self._edit(f"Change {element.id}", set_value(self.path, elements=elements))

    def _element_put(self, name: str, key: str) -> Callable[[Quantity], None]:
        def put(q: Quantity) -> None:
            element = next(e for e in self.path.elements if e.id == name)
            self.change_element(element, **{key: q})

        return put

    def _part_put(self, part: str, key: str) -> Callable[[Quantity], None]:
        def put(q: Quantity) -> None:
            new = set_value(getattr(self.path, part), **{key: q})
            self._edit(f"Change {part} {key}", set_value(self.path, **{part: new}))

        return put

    def show_element(self, chosen: str, kept: list[Path]) -> None:
        """Show the chosen element's values; `kept` are the same path in kept states."""
        path = self.path
        self._filling = True
        element = next((e for e in path.elements if e.id == chosen), None)
        self.name.setVisible(False)
        self.choices.setVisible(False)
        if isinstance(element, SeriesResistor):
            self._show_resistor(element, kept)
        elif isinstance(element, TracePiece):
            self._show_trace(element)
        elif isinstance(element, Via):
            self._show_via(element)
        elif chosen == RECEIVER:
            self._show_receiver(path)
        else:
            self._show_driver(path)
        self._filling = False

    def _show_resistor(self, element: SeriesResistor, kept: list[Path]) -> None:
        self.title.setText(f"Series resistor {element.id}")
        self.where.setText(f"in the line of {self.path.net}")

        def kept_values() -> list[float]:
            found = (e for p in kept for e in p.elements if e.id == element.id)
            return [e.value.si for e in found if isinstance(e, SeriesResistor)]

        top = max(100.0, 1.5 * element.value.si)
        spec = FieldSpec(
            "Value",
            "resistance",
            lambda: self._value_of(element.id, "value"),
            self._element_put(element.id, "value"),
            (0.0, top, 0.5),
            kept=kept_values,
        )
        self.form.set_specs([spec])

    def _value_of(self, name: str, key: str) -> Quantity | None:
        element = next((e for e in self.path.elements if e.id == name), None)
        return getattr(element, key, None)

    def _show_trace(self, element: TracePiece) -> None:
        self.title.setText(f"Trace {element.id}")
        self.where.setText("a length of a line class on a layer")
        design = self._document.project.design
        classes = [c for c in design.line_classes if c.kind == self.path.lane]
        current = design.line_class(element.line_class)
        self.choices.setVisible(True)
        self.second.setVisible(True)
        self.first.fill("Class", [(c.id, c.name) for c in classes], element.line_class)
        self.second.fill("Layer", [(o.layer, o.layer) for o in current.on], element.layer)
        at = element.length.si
        self.form.set_specs(
            [
                FieldSpec(
                    "Length",
                    "length",
                    lambda: self._value_of(element.id, "length"),
                    self._element_put(element.id, "length"),
                    (max(at * 0.1, 5e-4), max(at * 2.0, 0.02), 1e-4),
                )
            ]
        )

    def _show_via(self, element: Via) -> None:
        self.title.setText(f"Via {element.id}")
        self.where.setText("a short line with a pad at each end")
        keys = (
            ("Impedance", "resistance", "z0", (20.0, 150.0, 1.0)),
            ("Delay", "time", "delay", (1e-12, 60e-12, 5e-13)),
            ("Pads", "capacitance", "pad", (0.0, 1e-12, 1e-14)),
        )
        self.form.set_specs(
            [
                FieldSpec(
                    title,
                    dimension,
                    lambda key=key: self._value_of(element.id, key),  # type: ignore[misc]
                    self._element_put(element.id, key),
                    trim,
                )
                for title, dimension, key, trim in keys
            ]
        )

    def _show_driver(self, path: Path) -> None:
        self.title.setText(f"Driver {path.driver.name}")
        self.where.setText("linear: a source, its resistance, a straight edge")
        self.name.setVisible(True)
        self.name.show_text(path.name)
        keys: tuple[tuple[str, str, str, tuple[float, float, float] | None], ...] = (
            ("Resistance", "resistance", "resistance", (1.0, 150.0, 0.5)),
            ("Edge, 0–100 %", "time", "edge", (10e-12, 3e-9, 10e-12)),
            ("High", "voltage", "high", None),
            ("Low", "voltage", "low", None),
            ("Capacitance", "capacitance", "capacitance", (0.0, 10e-12, 1e-13)),
        )
        specs = [
            FieldSpec(
                title,
                dimension,
                lambda key=key: getattr(self.path.driver, key),  # type: ignore[misc]
                self._part_put("driver", key),
                trim,
            )
            for title, dimension, key, trim in keys
        ]
        specs.append(
            FieldSpec(
                "Look at",
                "time",
                lambda: self.path.stimulus.window,
                self._part_put("stimulus", "window"),
            )
        )
        if path.stimulus.kind == "clock":
            specs.append(
                FieldSpec(
                    "Frequency",
                    "frequency",
                    lambda: self.path.stimulus.frequency,
                    self._part_put("stimulus", "frequency"),
                )
            )
        self.form.set_specs(specs)

    def _show_receiver(self, path: Path) -> None:
        self.title.setText(f"Receiver {path.receiver.name}")
        self.where.setText("input capacitance and what ends the line")
        self.choices.setVisible(True)
        self.second.setVisible(False)
        self.first.fill("Ends in", list(_TERMINATIONS.items()), path.termination.kind)
        specs = [
            FieldSpec(
                "Capacitance",
                "capacitance",
                lambda: self.path.receiver.capacitance,
                self._part_put("receiver", "capacitance"),
                (0.0, 15e-12, 1e-13),
            )
        ]
        names = {
            "none": (),
            "parallel": (("Resistor", "resistance", "r"), ("Rail", "voltage", "rail")),
            "split": (
                ("To rail", "resistance", "r"),
                ("To 0 V", "resistance", "r_low"),
                ("Rail", "voltage", "rail"),
            ),
            "ac": (("Resistor", "resistance", "r"), ("Capacitor", "capacitance", "c")),
        }[path.termination.kind]
        for title, dimension, key in names:
            trim = (5.0, 400.0, 1.0) if dimension == "resistance" else None
            specs.append(
                FieldSpec(
                    title,
                    dimension,
                    lambda key=key: getattr(self.path.termination, key),  # type: ignore[misc]
                    self._part_put("termination", key),
                    trim,
                )
            )
        # What ends the line is what one came to try.
        self.form.set_specs(specs[1:] + specs[:1] if len(specs) > 1 else specs)

    def _choice_made(self, which: int) -> None:
        if self._filling:
            return
        chosen = self._context.selection.element
        element = next((e for e in self.path.elements if e.id == chosen), None)
        try:
            if isinstance(element, TracePiece):
                self._change_trace(element, which)
            elif chosen == RECEIVER:
                self._change_termination(self.first.current)
        except OndaError as error:
            self.form.problem.setText(str(error))

    def _change_trace(self, element: TracePiece, which: int) -> None:
        line_class: LineClass = self._document.project.design.line_class(self.first.current)
        layer = self.second.current if which == 1 else element.layer
        if line_class.trace_on(layer) is None:
            layer = line_class.on[0].layer
        self.change_element(element, line_class=line_class.id, layer=layer)

    def _change_termination(self, kind: str) -> None:
        """Another termination, with the values that the line asks for."""
        if kind not in _TERMINATIONS:
            raise InputError(f"there is no termination {kind!r}")
        path, old = self.path, self.path.termination
        z = round(self._line_impedance())
        rail = old.rail or (quantity(0.0, "voltage") if path.lane == "pair" else path.driver.high)
        values: dict[str, dict[str, Any]] = {
            "none": {},
            "parallel": {"r": quantity(z, "resistance"), "rail": rail},
            "split": {
                "r": quantity(2 * z, "resistance"),
                "r_low": quantity(2 * z, "resistance"),
                "rail": rail,
            },
            "ac": {"r": quantity(z, "resistance"), "c": quantity(100e-12, "capacitance")},
        }
        new = Termination(kind=kind, **values[kind])  # type: ignore[arg-type]
        self._edit(f"Termination: {_TERMINATIONS[kind]}", set_value(path, termination=new))

    def _line_impedance(self) -> float:
        return self._result.z_line if self._result is not None else 50.0

    _result: PathResult | None = None

    def show_result(
        self, result: PathResult, kept: list[PathResult], margins: list[Margin]
    ) -> None:
        """Show what the wave meets, and the harmonics."""
        self._result = result
        first = kept[0] if kept else None

        def percent(share: float) -> str:
            return f"{100 * share:+.0f}".replace("-", "−")

        rows = [
            ("Source looks like", *split_si(result.z_source, "resistance"), ""),
            ("Line looks like", *split_si(result.z_line, "resistance"), ""),
            ("Sent back at launch", percent(result.reflection_at_launch), "%", ""),
            ("Sent back at load", percent(result.reflection_at_load), "%", ""),
            NumberRows.si_row(
                "Settling",
                result.measures.settling,
                "time",
                first.measures.settling if first else None,
            ),
        ]
        self.rows.set_rows(rows)
        self.sentence.setText(self._advice(result, margins))
        self._show_harmonics(result, kept)

    def _advice(self, result: PathResult, margins: list[Margin]) -> str:
        over = next((m for m in margins if m.title == MEASURE_TITLES["overshoot"]), None)
        if over is None or not over.normalised < 0:
            return ""
        resistor = next((e for e in self.path.elements if isinstance(e, SeriesResistor)), None)
        words = f"Overshoot {over.value_text}, limit {over.high:.2f} V"
        wanted = result.z_line - (result.z_source - (resistor.value.si if resistor else 0.0))
        if resistor is not None and wanted > resistor.value.si:
            return f"{words}: raise {resistor.id} towards {wanted:.0f} Ω."
        return f"{words}: end the line in about {result.z_line:.0f} Ω."

    def _show_harmonics(self, result: PathResult, kept: list[PathResult]) -> None:
        t = self._context.look.t
        shown = len(result.harmonics) > 0
        self.harmonics.setVisible(shown)
        self.harmonics_heading.setVisible(shown)
        if not shown:
            return
        sets = [(result, t.sea)] + [(k, t.kept) for k in kept[:1] if len(k.harmonics)]
        reference = max(float(r.load_harmonics.max()) for r, _ in sets)
        base = result.harmonics[0] / 1e6
        bars = [
            Bars(
                r.harmonics / 1e6 + (i - 0.5 * (len(sets) - 1)) * 0.36 * base,
                20 * np.log10(np.maximum(r.load_harmonics, 1e-9) / reference),
                -60.0,
                0.34 * base,
                color,
            )
            for i, (r, color) in enumerate(sets)
        ]
        self.harmonics.show_curves([], view=(0.2 * base, 9.8 * base, -60, 4), bars=bars)

    def show_sweep(
        self, sweep: SweepResult | None, now: tuple[float, float], limit: float | None, name: str
    ) -> None:
        """Show overshoot against a resistor, with the present point."""
        t = self._context.look.t
        self.sweep.setVisible(sweep is not None)
        self.sweep_heading.setVisible(sweep is not None)
        if sweep is None:
            return
        self.sweep_heading.remark.setText(f"V against {name}, Ω")
        curve = Curve("overshoot", sweep.values, sweep.overshoot, t.sea, 1.8)
        limits = [Limit(limit, f"limit {limit:.2f} V")] if limit is not None else []
        top = max(float(sweep.overshoot.max()) * 1.1, 1.6 * (limit or 0.0))
        view = (float(sweep.values[0]), float(sweep.values[-1]), 0.0, top)
        inside = view[0] <= now[0] <= view[1]
        marks = [(now[0], now[1], t.tight)] if inside else []
        self.sweep.show_curves([curve], limits, view=view, marks=marks)


class _Choice(QWidget):
    """A name and a list to choose from."""

    def __init__(self, look: Look, title: str) -> None:
        super().__init__()
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 2, 0, 2)
        self.title = label(title)
        self.combo = ChoiceBox(look)
        line.addWidget(self.title, 1)
        line.addWidget(self.combo)

    def fill(self, title: str, items: list[tuple[str, str]], current: str) -> None:
        self.title.setText(title)
        self.combo.setAccessibleName(title)
        self.combo.blockSignals(True)
        self.combo.clear()
        for key, shown in items:
            self.combo.addItem(shown, key)
        self.combo.setCurrentIndex(max(0, [k for k, _ in items].index(current)))
        self.combo.blockSignals(False)

    @property
    def current(self) -> str:
        return str(self.combo.currentData())
