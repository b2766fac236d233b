"""The same class over its layers: what each reaches, loses and takes, side by side."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.shell.painting import draw_state, pen, text
from onda.app.theme import Look
from onda.project.quantities import split_si
from onda.project.shown_units import units_in_use
from onda.studies.core.margin import State
from onda.studies.lines.impedance import ImpedanceResult

__all__ = ["LayerRow", "LayersView"]

_ROW = 30.0
_COLUMNS = (("Impedance", 0.30), ("Loss", 0.40), ("Delay", 0.16))


@dataclass(frozen=True)
class LayerRow:
    """A class on a layer."""

    layer: str
    shape: str
    low: float
    high: float
    state: State | None
    result: ImpedanceResult | None


class LayersView(QWidget):
    """Rows of bars; a click goes to the layer.

    Signals
    -------
    chosen(layer)
    """

    chosen = pyqtSignal(str)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._rows: list[LayerRow] = []
        self._current = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("This class over its layers")
        look.changed.connect(self.update)

    def show_rows(self, rows: list[LayerRow], current: str) -> None:
        """Show rows; `current` is the layer in view."""
        self._rows, self._current = rows, current
        self.setAccessibleDescription(
            "; ".join(f"{r.layer} {r.result.z:.1f} ohm" for r in rows if r.result)
        )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t = self._look, self._look.t
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(look.font(11, bold=True))
        left, wide = 150.0, self.width() - 150.0
        x = left
        places = []
        delay = split_si(1e-9, "delay per length")[1]
        units = {"Loss": units_in_use().loss_unit, "Delay": delay}
        for title, share in _COLUMNS:
            places.append((x, share * wide))
            unit = units.get(title, "")
            words = f"{title}, {unit}" if unit else title
            text(painter, QRectF(x, 0, share * wide, 18), words, t.ink)
            x += share * wide + 14
        losses = [units_in_use().loss_length * r.result.loss_at for r in self._rows if r.result]
        most = max(losses, default=1.0)
        for k, row in enumerate(self._rows):
            self._draw_row(painter, row, 22 + k * _ROW, places, most)
        painter.end()

    def _draw_row(
        self,
        painter: QPainter,
        row: LayerRow,
        top: float,
        places: list[tuple[float, float]],
        most: float,
    ) -> None:
        look, t = self._look, self._look.t
        rect = QRectF(0, top, self.width(), _ROW - 4)
        if row.layer == self._current:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.sea_tint))
            painter.drawRoundedRect(rect, 5, 5)
        middle = rect.center().y()
        draw_state(painter, look, QPointF(12, middle), 4.5, row.state)
        painter.setFont(look.font(12, bold=row.layer == self._current))
        text(painter, QRectF(24, top, 62, _ROW - 4), row.layer, t.ink)
        painter.setFont(look.mono(11))
        text(painter, QRectF(78, top, 70, _ROW - 4), row.shape, t.secondary)
        if row.result is None:
            text(painter, QRectF(places[0][0], top, 100, _ROW - 4), "…", t.secondary)
            return
        x, wide = places[0]
        self._draw_tolerance(painter, QRectF(x + 60, middle - 4, wide - 66, 8), row)
        painter.setFont(look.mono(11))
        ink = look.state_ink(row.state or State.UNKNOWN)
        text(painter, QRectF(x, top, 58, _ROW - 4), f"{row.result.z:.1f} Ω", ink)
        x, wide = places[1]
        parts = zip(row.result.loss_parts, (1, 4, 3), strict=True)
        at, over = x + 44, units_in_use().loss_length
        for value, series in parts:
            length = over * value / most * (wide - 52)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.series[series]))
            painter.drawRect(QRectF(at, middle - 4, max(length, 0.0), 8))
            at += max(length, 0.0)
        text(
            painter,
            QRectF(x, top, 42, _ROW - 4),
            f"{over * row.result.loss_at:.2f}",
            t.ink,
        )
        x, wide = places[2]
        text(
            painter,
            QRectF(x, top, wide, _ROW - 4),
            split_si(row.result.delay, "delay per length", digits=4)[0],
            t.ink,
        )

    def _draw_tolerance(self, painter: QPainter, bar: QRectF, row: LayerRow) -> None:
        t = self._look.t
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.track))
        painter.drawRoundedRect(bar, 3, 3)
        painter.setBrush(QColor(t.sea_tint if row.layer != self._current else t.sheet))
        painter.drawRect(bar.adjusted(0.25 * bar.width(), 0, -0.25 * bar.width(), 0))
        assert row.result is not None
        share = 0.25 + 0.5 * (row.result.z - row.low) / (row.high - row.low)
        x = bar.left() + min(max(share, 0.0), 1.0) * bar.width()
        painter.setPen(pen(self._look.state_color(row.state or State.UNKNOWN), 3.0))
        painter.drawLine(QPointF(x, bar.top() - 4), QPointF(x, bar.bottom() + 4))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        index = int((event.position().y() - 22) // _ROW)
        if 0 <= index < len(self._rows):
            self.chosen.emit(self._rows[index].layer)
