"""Crosstalk at a glance: near and far end over the coupled length, for a given edge."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from onda.app.plots.curves import Axis, Curve, CurvePlot
from onda.app.shell.fields import NumberRows, QuantityField, label
from onda.app.theme import Look
from onda.errors import InputError
from onda.project.quantities import Quantity, fixed, quantity, split_si
from onda.project.shown_units import units_in_use
from onda.studies.lines.impedance import LinesTogether, coupling_between

__all__ = ["CouplingView"]


class CouplingView(QWidget):
    """One line drives, its neighbour listens; both matched."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._together: LinesTogether | None = None
        self.length = quantity(0.05, "length", "mm")
        self.rise = quantity(100e-12, "time", "ps")
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 2, 0, 0)
        line.setSpacing(16)
        left = QVBoxLayout()
        self.sentence = label("", "heading", wrap=True)
        # A long sentence must not take the room of what stands beside.
        self.sentence.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        left.addWidget(self.sentence)
        self.plot = CurvePlot(look, Axis("Coupled length", "mm"), Axis("Crosstalk", "%"))
        left.addWidget(self.plot, 1)
        line.addLayout(left, 3)
        right = QVBoxLayout()
        right.addWidget(label("Coupled piece", "heading"))
        self.length_field = QuantityField("Coupled length", "length", self._put_length)
        self.rise_field = QuantityField("Rise time", "time", self._put_rise)
        for field in (self.length_field, self.rise_field):
            field.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
            right.addWidget(field)
        self.numbers = NumberRows(look)
        right.addWidget(self.numbers)
        right.addStretch(1)
        line.addLayout(right, 2)
        self._show_fields()

    def _show_fields(self) -> None:
        self.length_field.show_quantity(self.length)
        self.rise_field.show_quantity(self.rise)

    def _put_length(self, q: Quantity) -> None:
        if q.si <= 0:
            raise InputError("the coupled length must be above 0")
        self.length = q
        self._draw()

    def _put_rise(self, q: Quantity) -> None:
        if q.si <= 0:
            raise InputError("the rise time must be above 0")
        self.rise = q
        self._draw()

    def show_lines(self, together: LinesTogether | None) -> None:
        """Show the coupling of the first two lines of a pair, or around the middle of a group."""
        self._together = together
        self._draw()

    def _draw(self) -> None:
        t = self._look.t
        self._show_fields()
        together = self._together
        if together is None:
            self.sentence.setText("computing…")
            self.plot.show_curves([])
            self.numbers.set_rows([])
            return
        aggressor = (len(together.names) - 1) // 2
        lengths = np.linspace(0.0, 2.0 * self.length.si, 81)[1:]
        rise = self.rise.si

        def at(length: float):  # type: ignore[no-untyped-def]
            return coupling_between(
                together.c, together.inductance, aggressor, aggressor + 1,
                length=length, rise_time=rise,
            )  # fmt: skip

        found = [at(float(v)) for v in lengths]
        near = np.array([100 * f.near for f in found])
        far = np.array([100 * f.far for f in found])
        now = at(self.length.si)
        size, unit = units_in_use().long_length
        self.plot.show_x(Axis("Coupled length", unit))
        self.plot.show_curves(
            [
                Curve("near end", lengths / size, near, t.series[0], 1.8, note=True),
                Curve("far end", lengths / size, far, t.series[1], 1.8, note=True),
            ],
            marks=[
                (self.length.si / size, 100 * now.near, t.series[0]),
                (self.length.si / size, 100 * now.far, t.series[1]),
            ],
        )
        saturated = self.length.si >= now.saturation_length
        words = "is saturated" if saturated else "still grows with length"
        self.sentence.setText(
            f"Near end {100 * now.near:.1f} % and {words}, far end {100 * now.far:+.1f} %".replace(
                "-", "−"
            )
        )
        names = f"{together.names[aggressor]} to {together.names[aggressor + 1]}"
        self.numbers.set_rows(
            [
                ("Lines", names, "", ""),
                ("Near-end coefficient", f"{100 * now.k_near:.2f}", "%", ""),
                ("Saturates at", *split_si(now.saturation_length, "length"), ""),
                ("Far-end coefficient", *split_si(now.k_far, "delay per length"), ""),
                ("Near end, this piece", f"{100 * now.near:.2f}", "%", ""),
                ("Far end, this piece", fixed(100 * now.far, 2), "%", ""),
            ]
        )
