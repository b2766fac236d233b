"""The chosen element of a path: its values, its trim, and what the wave meets there."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from onda.app.kit.device_shelf import DeviceShelf
from onda.app.kit.editor import Editor
from onda.app.kit.kept import Kept, column_words
from onda.app.plots.curves import Axis, Bars, Curve, CurvePlot, Limit
from onda.app.shell.choices import Choices, ChoiceSpec
from onda.app.shell.fields import Heading, NumberRows, TextField, label
from onda.app.shell.form import Form
from onda.app.stages.paths.elements import look_of
from onda.app.stages.paths.end_fields import (
    EndHand,
    driver_choices,
    driver_fields,
    receiver_choices,
    receiver_fields,
)
from onda.app.stages.paths.in_view import PathInView
from onda.app.stages.paths.look import Hand
from onda.app.stages.paths.ribbon import DRIVER
from onda.app.theme import Look
from onda.errors import OndaError
from onda.project.base import set_value
from onda.project.paths.edits import change_element
from onda.project.paths.elements import Branch, SeriesResistor
from onda.project.paths.ends import RECEIVER
from onda.project.paths.path import Path
from onda.project.quantities import split_si
from onda.studies.core.margin import Margin
from onda.studies.paths.path import PathResult
from onda.studies.paths.sweep import SweepResult

__all__ = ["PathInspector"]


class PathInspector(QWidget):
    """Inspector of the Paths stage.

    Signals
    -------
    file_wanted : open a device file; use_wanted(file, end) : use one of the project
    arrived : it is known now what is in a device file
    """

    file_wanted = pyqtSignal()
    use_wanted = pyqtSignal(str, str)
    arrived = pyqtSignal()

    def __init__(self, look: Look, editor: Editor, subject: PathInView, form: Form) -> None:
        super().__init__()
        self._look, self._editor, self._subject = look, editor, subject
        self.shelf = DeviceShelf(subject, self.arrived.emit)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 16, 8)
        layout.setSpacing(3)
        self.title = label("", "title")
        self.where = label("", "secondary", wrap=True)
        layout.addWidget(self.title)
        layout.addWidget(self.where)
        self.remark = label("", "error", wrap=True)
        layout.addWidget(self.remark)
        self.name = TextField("Name", self._rename)
        self.bits = TextField("Bits", self._set_bits)
        self.limit = TextField("Current limit", self._set_limit)
        layout.addWidget(self.name)
        self.choices = Choices(look)
        layout.addWidget(self.choices)
        layout.addWidget(self.bits)
        self.form = form
        layout.addWidget(self.form)
        self.open_file = QPushButton("Open device file…")
        self.open_file.setToolTip("Add an .ibs file to the project and use it here")
        self.open_file.clicked.connect(lambda: self.file_wanted.emit())
        layout.addWidget(self.open_file)
        self.sweep_heading = Heading("Overshoot at load", "against Rs")
        self.sweep = CurvePlot(look, Axis("Value", "Ω"), Axis("Overshoot", "V"), axis_width=34)
        self.sweep.setFixedHeight(128)
        layout.addWidget(self.sweep_heading)
        layout.addWidget(self.sweep)
        self.met = Heading("What the wave meets here")
        layout.addWidget(self.met)
        self.rows = NumberRows(look)
        layout.addWidget(self.rows)
        self.sentence = label("", "secondary", wrap=True)
        layout.addWidget(self.sentence)
        self.harmonics_heading = Heading("Harmonics at load pin")
        layout.addWidget(self.harmonics_heading)
        across = Axis("Frequency", "MHz")
        self.harmonics = CurvePlot(look, across, Axis("Level", "dB of the first"), axis_width=34)
        self.harmonics.setFixedHeight(116)
        layout.addWidget(self.harmonics)
        self.limit.setToolTip(
            "Limit of the driver's current against frequency: MHz and dBµA, as in 100 70; 1000 50"
        )
        layout.addWidget(self.limit)
        layout.addStretch(1)

    @property
    def path(self) -> Path:
        """The path in view."""
        found = self._subject.path
        assert found is not None
        return found

    def put(self, title: str, path: Path) -> None:
        """Make a changed path the present one; say what is wrong where it cannot be."""
        try:
            self._editor.put(title, path)
            self.form.problem.hide()
        except OndaError as error:
            self.form.problem.setText(str(error))
            self.form.problem.show()

    def _typed(self, title: str, path: Path) -> None:
        """As `put`; a field shows the error itself."""
        self._editor.put(title, path)

    def _rename(self, name: str) -> None:
        self._typed("Rename path", set_value(self.path, name=name))

    def _set_bits(self, bits: str) -> None:
        stimulus = set_value(self.path.stimulus, bits=bits.replace(" ", ""))
        self._typed("Type bits", set_value(self.path, stimulus=stimulus))

    def _set_limit(self, typed: str) -> None:
        self._typed("Current limit", set_value(self.path, current_limit=typed.strip()))

    def change_element(self, element: Any, **values: Any) -> None:
        """Change values of an element of the path."""
        path = change_element(self.path, set_value(element, **values))
        self._typed(f"Change {element.id}", path)

    def show_element(self, chosen: str, kept: list[Path], remark: str = "") -> None:
        """Show the chosen element's values; `kept` are the same path in kept states."""
        path = self.path
        element = path.element(chosen)
        self.remark.setText(remark)
        self.remark.setVisible(bool(remark))
        at_end = element is None or isinstance(element, Branch)
        self.name.setVisible(chosen == DRIVER)
        self.limit.setVisible(chosen == DRIVER and path.stimulus.kind == "clock")
        self.bits.setVisible(chosen == DRIVER and path.stimulus.kind == "bits")
        self.open_file.setVisible(at_end)
        z = self._subject.z_line or 50.0
        ends = EndHand(self._editor.design, self.shelf, self.put, self.use_wanted.emit, z)
        specs: list[ChoiceSpec]
        if element is not None and not isinstance(element, Branch):
            look = look_of(element)
            self._head(*look.words(path, element))
            hand = Hand(
                lambda: self.path, element, self._editor.design, self._typed, z, tuple(kept)
            )
            specs, fields = look.choices(replace(hand, put=self.put)), look.specs(hand)
        elif chosen == RECEIVER or isinstance(element, Branch):
            name = path.receivers[chosen].name
            self._head(_titled("Receiver", name), "what listens, and what ends the line")
            specs = receiver_choices(path, chosen, ends)
            fields = receiver_fields(lambda: self.path, chosen, self._typed)
        else:
            self._head(_titled("Driver", path.driver.name), self._driver_words(path))
            self.name.show_text(path.name)
            self.bits.show_text(path.stimulus.bits)
            self.limit.show_text(path.current_limit)
            specs = driver_choices(path, ends)
            fields = driver_fields(lambda: self.path, self._typed)
        self.choices.set_specs(specs)
        self.form.set_specs(fields)

    def _driver_words(self, path: Path) -> str:
        if path.driver.stands_in == "ideal":
            return "an ideal source: a straight edge without resistance"
        if path.driver.model is not None and path.driver.stands_in == "device":
            return "a device model: tables of current, switched in time"
        return "linear: a source, its resistance, a straight edge"

    def _head(self, title: str, where: str) -> None:
        self.title.setText(title)
        self.where.setText(where)

    def show_nothing(self) -> None:
        """There is no result of the path in view."""
        self.rows.set_rows([])
        self.sentence.setText("")
        self.harmonics.hide()
        self.harmonics_heading.hide()
        self.sweep.show_curves([])

    def show_result(
        self, result: PathResult, kept: list[Kept[PathResult]], margins: list[Margin]
    ) -> None:
        """Show what the wave meets, and the harmonics."""
        first = kept[-1].result if kept else None
        self.met.remark.setText(column_words(kept[-1] if kept else None))

        def percent(share: float) -> str:
            whole = round(100 * share)
            return f"{whole:+d}".replace("-", "−") if whole else "0"

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
        chosen = self._subject.element
        span = next((s for s in result.spans if s.id == chosen and s.z > 0), None)
        if span is not None:
            rows.insert(0, ("This piece", *split_si(span.z, "resistance"), ""))
            rows.insert(1, ("Takes", *split_si(span.end - span.start, "time"), ""))
        self.rows.set_rows(rows)
        self.sentence.setText(span.note if span and span.note else self._advice(result, margins))
        self._show_harmonics(result, kept)

    def _advice(self, result: PathResult, margins: list[Margin]) -> str:
        over = next((m for m in margins if m.measure == "overshoot"), None)
        if over is None or not over.normalised < 0 or over.high is None:
            return ""
        resistor = next((e for e in self.path.elements if isinstance(e, SeriesResistor)), None)
        words = f"Overshoot {over.value_text}, limit {over.high:.2f} V"
        wanted = result.z_line - (result.z_source - (resistor.value.si if resistor else 0.0))
        if resistor is not None and wanted > resistor.value.si:
            return f"{words}: raise {resistor.id} towards {wanted:.0f} Ω."
        if resistor is None and wanted > 5.0:
            return f"{words}: put about {wanted:.0f} Ω in series at the driver."
        return f"{words}: end the line in about {result.z_line:.0f} Ω."

    def _show_harmonics(self, result: PathResult, kept: list[Kept[PathResult]]) -> None:
        t = self._look.t
        shown = len(result.harmonics) > 0
        self.harmonics.setVisible(shown)
        self.harmonics_heading.setVisible(shown)
        if not shown:
            return
        sets = [(result, t.sea)]
        sets += [(k.result, t.kept) for k in kept[-1:] if len(k.result.harmonics)]
        self.harmonics_heading.remark.setText(column_words(kept[-1] if kept else None))
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
        t = self._look.t
        self.sweep.setVisible(sweep is not None)
        self.sweep_heading.setVisible(sweep is not None)
        if sweep is None:
            return
        self.sweep_heading.remark.setText(f"V against {name}, Ω")
        curve = Curve("overshoot", sweep.values, sweep.overshoot, t.sea, 1.8)
        limits = [Limit(limit, f"limit {limit:.2f} V")] if limit is not None else []
        top = max(float(sweep.overshoot.max()) * 1.1, 1.6 * (limit or 0.0), 0.05)
        view = (float(sweep.values[0]), float(sweep.values[-1]), 0.0, top)
        inside = view[0] <= now[0] <= view[1]
        marks = [(now[0], now[1], t.tight)] if inside else []
        self.sweep.show_curves([curve], limits, view=view, marks=marks)


def _titled(what: str, name: str) -> str:
    """A title with a name, once where both are the same."""
    return what if name == what else f"{what} {name}"
