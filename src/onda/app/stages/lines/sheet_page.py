"""A line known from a data sheet: its curves, and insertion loss with its losses stepped."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from onda.app.kit.context import Context
from onda.app.plots.colors import density_scale, image_of
from onda.app.plots.curves import Axis, Curve, CurvePlot
from onda.app.shell.fields import ChoiceBox, NumberRows, TextField, label
from onda.app.shell.form import FieldSpec, Form
from onda.app.shell.painting import pen, text
from onda.app.theme import Look
from onda.errors import InputError, OndaError
from onda.project.base import set_value
from onda.project.edits import replace_object
from onda.project.lines.objects import SheetLine
from onda.project.quantities import Quantity, as_shown, format_si
from onda.project.shown_units import units_in_use
from onda.studies.lines.sheet_line import SHEET_LINE, SheetResult, sheet_inputs

__all__ = ["SheetInspector", "SheetPage"]


class SheetPage(QWidget):
    """Impedance, delay and loss on top; S21 with losses by decades below."""

    def __init__(
        self, context: Context, ask: Callable[..., None], tell: Callable[[str], None]
    ) -> None:
        super().__init__()
        self._context, self._ask, self._tell = context, ask, tell
        self.result: SheetResult | None = None
        self._of = ""
        look = context.look
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(14)
        self.z = CurvePlot(look, Axis("Frequency", "GHz", log=True), Axis("Impedance", "Ω"))
        self.delay = CurvePlot(look, Axis("Frequency", "GHz", log=True), Axis("Delay", "ps/mm"))
        self.loss = CurvePlot(look, Axis("Frequency", "GHz", log=True), Axis("Loss", "dB/100 mm"))
        self.insertion = CurvePlot(look, Axis("Frequency", "GHz", log=True), Axis("S21", "dB"))
        for k, (title, plot) in enumerate(
            (
                ("Impedance", self.z),
                ("Delay", self.delay),
                ("Loss", self.loss),
            )
        ):
            grid.addWidget(label(title, "heading"), 0, k)
            grid.addWidget(plot, 1, k)
            grid.setColumnStretch(k, 1)
        self.insertion_title = label("", "heading")
        grid.addWidget(self.insertion_title, 2, 0, 1, 3)
        grid.addWidget(self.insertion, 3, 0, 1, 3)
        self.eyes = _Eyes(look)
        grid.addWidget(self.eyes, 4, 0, 1, 3)
        grid.setRowStretch(4, 4)
        grid.setRowStretch(1, 4)
        grid.setRowStretch(3, 5)
        context.look.changed.connect(self._draw)

    def show_line(self, line: SheetLine) -> None:
        """Turn to a line and ask for its curves."""
        if line.id != self._of:
            self._of, self.result = line.id, None
        rate = format_si(line.rate.si, "data rate")
        long = as_shown(line.length, "length")
        self.insertion_title.setText(
            f"All losses by decades: S21 over {long}, eyes at {rate} for 1 V"
        )

        def show(result: SheetResult) -> None:
            self.result = result
            self._tell("")
            self._draw()

        def fail(words: str) -> None:
            self.result = None
            self._tell(words)
            self._draw()

        self._ask("sheet", SHEET_LINE, lambda: sheet_inputs(line), show, fail)

    def _draw(self) -> None:
        result, t = self.result, self._context.look.t
        if result is None:
            for plot in (self.z, self.delay, self.loss, self.insertion):
                plot.show_curves([])
            self.eyes.show_result(None)
            return
        ghz = result.frequency / 1e9
        units = units_in_use()
        self.loss.show_y(Axis("Loss", units.loss_unit))
        self.z.show_curves([Curve("impedance", ghz, result.z_of_f, t.sea, 1.8)])
        size, unit = units.delay_length
        self.delay.show_y(Axis("Delay", unit))
        self.delay.show_curves([Curve("delay", ghz, result.delay_of_f / size, t.sea, 1.8)])
        self.loss.show_curves([Curve("loss", ghz, units.loss_length * result.loss, t.sea, 1.8)])
        curves = []
        count = len(result.factors)
        for k, (factor, row) in enumerate(zip(result.factors, result.insertion, strict=True)):
            # One hue from faint to strong; the line as it is stands out.
            color = QColor(t.sea)
            share = 0.35 + 0.65 * (k + 1) / count
            back = QColor(t.sheet)
            mixed = QColor(
                *(
                    round(share * a + (1 - share) * b)
                    for a, b in zip(color.getRgb()[:3], back.getRgb()[:3], strict=True)
                )
            )
            curves.append(
                Curve(
                    f"× {factor:g}",
                    ghz,
                    row,
                    t.ink if factor == 1.0 else mixed.name(),
                    2.2 if factor == 1.0 else 1.4,
                    note=True,
                )
            )
        lowest = max(min(float(c.y.min()) for c in curves), _LOWEST_DB)
        view = (float(ghz[0]), float(ghz[-1]), 1.05 * lowest, 4.0)
        self.insertion.show_curves(curves, view=view)
        self.eyes.show_result(result)


_EYE_LEFT = 36.0
_LOWEST_DB = -200.0
"""What is below is nothing that can be measured."""


class _Eyes(QWidget):
    """Small eyes side by side, one for each factor of loss."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._result: SheetResult | None = None
        self.setMinimumHeight(90)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Eyes by loss")
        look.changed.connect(self.update)

    def show_result(self, result: SheetResult | None) -> None:
        """Show a result's eyes."""
        self._result = result
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t, result = self._look, self._look.t, self._result
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        count = len(result.factors) if result is not None else 0
        wide = min((self.width() - 8.0) / max(count, 1), 2.4 * self.height())
        for k in range(count):
            assert result is not None
            box = QRectF(k * wide + _EYE_LEFT, 18, wide - 10 - _EYE_LEFT, self.height() - 38)
            self._draw_axes(painter, box)
            counts = result.eyes[k]
            strength = np.log1p(counts) / max(float(np.log1p(counts).max()), 1e-9)
            painter.drawImage(box, image_of(strength.T[::-1], density_scale(t)))
            painter.setPen(pen(t.hairline))
            painter.drawRect(box)
            painter.setFont(look.font(11))
            height = result.eye_height[k]
            words = f"× {result.factors[k]:g}: "
            if height > 0:
                words += f"{height * 1e3:.0f} mV, {result.eye_width[k]:.2f} UI"
            else:
                words += "closed"
            text(painter, QRectF(box.left(), 0, box.width(), 17), words, t.ink)
        painter.end()

    def _draw_axes(self, painter: QPainter, box: QRectF) -> None:
        """Volts at the left, unit intervals below."""
        look, t = self._look, self._look.t
        painter.setFont(look.font(11))
        for volts in (-0.5, 0.0, 0.5):
            y = box.center().y() - volts / 0.75 * 0.5 * box.height()
            words = f"{volts:g}".replace("-", "−")
            right = Qt.AlignmentFlag.AlignRight
            text(painter, QRectF(box.left() - 34, y - 8, 30, 16), words, t.secondary, right)
        middle = Qt.AlignmentFlag.AlignHCenter
        for share, words in ((0.0, "0"), (0.5, "0.5"), (1.0, "1")):
            x = box.left() + share * box.width()
            text(painter, QRectF(x - 20, box.bottom() + 3, 40, 16), words, t.secondary, middle)
        name = QRectF(box.left() + 0.52 * box.width(), box.bottom() + 3, 0.4 * box.width(), 16)
        text(painter, name, "Time, UI", t.secondary, middle)
        text(painter, QRectF(box.left() - 34, 0, 32, 17), "V", t.secondary, right)


class SheetInspector(QWidget):
    """Fields of a data-sheet line."""

    def __init__(self, context: Context, tell: Callable[[str], None]) -> None:
        super().__init__()
        self._context, self._tell = context, tell
        self._line: SheetLine | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 16, 8)
        layout.setSpacing(3)
        self.numbers = NumberRows(context.look)
        layout.addWidget(self.numbers)
        row = QHBoxLayout()
        row.addWidget(label("Known by"), 1)
        self.entry = ChoiceBox(context.look)
        self.entry.setAccessibleName("Known by")
        self.entry.addItem("Z, delay, loss", "figures")
        self.entry.addItem("R, L, G, C", "values")
        self.entry.activated.connect(lambda _: self._pick())
        row.addWidget(self.entry)
        layout.addLayout(row)
        self.form = Form(context.look, context.document)
        layout.addWidget(self.form)
        self.share = TextField("Copper's share of loss", self._put_share, width=80)
        layout.addWidget(self.share)
        self.source = TextField("Source", lambda words: self._change("Change source", source=words))
        layout.addWidget(self.source)
        layout.addStretch(1)

    def show_line(self, line: SheetLine, result: SheetResult | None) -> None:
        """Show the fields of a line."""
        self._line = line
        if result is None:
            self.numbers.set_rows([])
        else:
            self.numbers.set_rows(
                [
                    ("Impedance", f"{result.z0:.2f}", "Ω", ""),
                    NumberRows.si_row("Delay", result.delay, "delay per length"),
                    NumberRows.si_row("Loss where stated", result.loss_at, "loss per length"),
                ]
            )
        self.entry.setCurrentIndex(self.entry.findData(line.entry))
        figures = line.entry == "figures"
        self.share.setVisible(figures)
        self.share.show_text(f"{100 * line.copper_share:g} %")
        self.source.show_text(line.source)
        fields = [("Length", "length", "length"), ("Data rate", "rate", "data rate")]
        if figures:
            fields += [
                ("Impedance", "z0", "resistance"),
                ("Delay", "delay", "delay per length"),
                ("Loss", "loss", "loss per length"),
                ("Stated at", "at", "frequency"),
            ]
        else:
            fields += [
                ("R", "r", "resistance per length"),
                ("L", "l", "inductance per length"),
                ("G", "g", "conductance per length"),
                ("C", "c", "capacitance per length"),
            ]
        self.form.set_specs(
            [
                FieldSpec(
                    title,
                    dimension,
                    lambda key=key: getattr(self._line, key),  # type: ignore[misc]
                    lambda q, key=key: self._put(key, q),  # type: ignore[misc]
                )
                for title, key, dimension in fields
            ]
        )

    def _change(self, words: str, **changes: Any) -> None:
        assert self._line is not None
        document = self._context.document
        new = set_value(self._line, **changes)
        document.edit(words, replace_object(document.project, new))

    def _put(self, key: str, q: Quantity) -> None:
        self._change(f"Change {key}", **{key: q})

    def _put_share(self, typed: str) -> None:
        try:
            share = float(typed.replace("%", "").replace(",", ".")) / 100.0
        except ValueError as error:
            raise InputError(f"{typed[:20]!r} is not a share", remedy="Write it as 80 %.") from (
                error
            )
        self._change("Change copper's share", copper_share=share)

    def _pick(self) -> None:
        try:
            self._change("Change entry", entry=str(self.entry.currentData()))
        except OndaError as error:
            self._tell(str(error))
