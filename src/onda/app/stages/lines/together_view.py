"""All lines of a pair or group at once: modes, characteristic impedances, the matching network."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from onda.app.plots.colors import deviation_scale
from onda.app.shell.fields import label
from onda.app.shell.painting import pen, text
from onda.app.theme import Look
from onda.project.quantities import split_si
from onda.studies.lines.impedance import LinesTogether

__all__ = ["TogetherView"]


def _delay(delay: float) -> str:
    return " ".join(split_si(delay, "delay per length", digits=4))


class _ModeBars(QWidget):
    """A row for each mode: the voltage of every line as a bar, impedance and delay beside."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._lines: LinesTogether | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Modes")
        look.changed.connect(self.update)

    def show_lines(self, lines: LinesTogether | None) -> None:
        """Show the modes."""
        self._lines = lines
        if lines is not None:
            pairs = zip(lines.mode_z, lines.mode_delay, strict=True)
            self.setAccessibleDescription("; ".join(f"{z:.1f} ohm {_delay(d)}" for z, d in pairs))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t, lines = self._look, self._look.t, self._lines
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if lines is None:
            painter.setFont(look.font(11))
            text(painter, QRectF(self.rect()), "computing…", t.secondary)
            painter.end()
            return
        count = len(lines.names)
        row = min(44.0, self.height() / count)
        bars = min(26.0 * count, self.width() - 190.0)
        step = bars / count
        for m in range(count):
            middle = (m + 0.5) * row
            painter.setPen(pen(t.hairline))
            painter.drawLine(QPointF(0, middle), QPointF(bars, middle))
            for k in range(count):
                share = float(lines.mode_voltage[k, m])
                tall = 0.42 * row * share
                rect = QRectF((k + 0.2) * step, middle, 0.6 * step, -tall)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(t.sea if share >= 0 else t.below_zero))
                painter.drawRect(rect.normalized())
            painter.setFont(look.mono(11))
            words = f"{lines.mode_z[m]:6.1f} Ω  {_delay(lines.mode_delay[m])}"
            text(painter, QRectF(bars + 12, middle - 9, 180, 18), words, t.ink)
        painter.end()


class _Matrix(QWidget):
    """A matrix of numbers, each cell tinted by its size."""

    def __init__(self, look: Look, name: str) -> None:
        super().__init__()
        self._look = look
        self._names: tuple[str, ...] = ()
        self._values: list[list[float]] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(name)
        look.changed.connect(self.update)

    def show_values(self, names: tuple[str, ...], values: list[list[float]]) -> None:
        """Show values in ohm; infinite ones as a dash."""
        self._names, self._values = names, values
        self.setAccessibleDescription(
            "; ".join(", ".join(_number(v) for v in row) for row in values)
        )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t = self._look, self._look.t
        painter = QPainter(self)
        count = len(self._names)
        if not count:
            painter.end()
            return
        wide = min((self.width() - 20.0) / count, 62.0)
        tall = min((self.height() - 18.0) / count, 24.0)
        finite = [v for row in self._values for v in row if math.isfinite(v)]
        most = max(finite, default=1.0)
        scale = deviation_scale(t)
        painter.setFont(look.font(11))
        for k, name in enumerate(self._names):
            text(painter, QRectF(20 + k * wide, 0, wide - 4, 16), name, t.secondary,
                 Qt.AlignmentFlag.AlignRight)  # fmt: skip
            text(painter, QRectF(0, 18 + k * tall, 18, tall), name, t.secondary)
        painter.setFont(look.mono(11))
        for i, row in enumerate(self._values):
            for j, value in enumerate(row):
                rect = QRectF(20 + j * wide, 18 + i * tall, wide - 2, tall - 2)
                share = math.log1p(value) / math.log1p(most) if math.isfinite(value) else 0.0
                index = int(128 - 60 * share) if i != j else 128
                painter.fillRect(rect, QColor(*scale[index].tolist()))
                text(painter, rect.adjusted(0, 0, -3, 0), _number(value), t.ink,
                     Qt.AlignmentFlag.AlignRight)  # fmt: skip
        painter.end()


def _number(value: float) -> str:
    if not math.isfinite(value):
        return "–"
    if value < 1000:
        return f"{value:.1f}"
    return f"{value / 1e3:.3g}k" if value < 1e6 else f"{value / 1e6:.3g}M"


class TogetherView(QWidget):
    """Modes, characteristic impedance matrix and matching network."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 2, 0, 0)
        line.setSpacing(18)
        self.modes = _ModeBars(look)
        self.zc = _Matrix(look, "Characteristic impedance matrix")
        self.network = _Matrix(look, "Matching network")
        for title, widget, share in (
            ("Modes, slowest first", self.modes, 4),
            ("Characteristic impedance, Ω", self.zc, 3),
            ("Matching resistors, Ω: to 0 V on the diagonal", self.network, 3),
        ):
            column = QVBoxLayout()
            column.addWidget(label(title, "heading"))
            column.addWidget(widget, 1)
            line.addLayout(column, share)

    def show_lines(self, lines: LinesTogether | None) -> None:
        """Show all lines of a pair or group."""
        self.modes.show_lines(lines)
        if lines is None:
            self.zc.show_values((), [])
            self.network.show_values((), [])
            return
        self.zc.show_values(lines.names, lines.z_characteristic.tolist())
        self.network.show_values(lines.names, lines.network.tolist())
