"""What moves the impedance most: a bar for each cause of the fabricator's spread."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.shell.painting import pen, text
from onda.app.theme import Look
from onda.studies.lines.sensitivity import SensitivityResult

__all__ = ["SpreadBars"]

_ROW = 22


class SpreadBars(QWidget):
    """Bars from the change at one end of a spread to that at the other, strongest first."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._result: SensitivityResult | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(_ROW)
        self.setAccessibleName("What moves the impedance most")
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(220, self.height())

    def show_result(self, result: SensitivityResult | None) -> None:
        """Show a result, or that there is none."""
        self._result = result
        rows = len(result.influences) if result else 1
        self.setFixedHeight(max(1, rows) * _ROW)
        if result is not None:
            self.setAccessibleDescription(
                "; ".join(f"{i.name} {i.spread}: {i.size:.1f} ohm" for i in result.influences)
            )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t = self._look, self._look.t
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(look.font(11))
        if self._result is None:
            text(painter, QRectF(0, 0, self.width(), _ROW), "computing…", t.secondary)
            painter.end()
            return
        reach = max((max(abs(i.low), abs(i.high)) for i in self._result.influences), default=1.0)
        middle, half = self.width() / 2, self.width() / 2 - 2
        for k, item in enumerate(self._result.influences):
            top = k * _ROW
            painter.setFont(look.font(11))
            text(painter, QRectF(0, top, self.width(), 15), f"{item.name} ±{item.spread}", t.ink)
            painter.setFont(look.mono(11))
            text(
                painter,
                QRectF(0, top, self.width(), 16),
                f"±{item.size:.1f} Ω",
                t.ink,
                Qt.AlignmentFlag.AlignRight,
            )
            track = QRectF(0, top + 15, self.width(), 4)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.track))
            painter.drawRoundedRect(track, 2.5, 2.5)
            low, high = sorted((item.low, item.high))
            bar = QRectF(
                middle + low / reach * half, track.top(), max((high - low) / reach * half, 3.0), 4
            )
            painter.setBrush(QColor(t.series[1] if k == 0 else t.sea))
            painter.drawRoundedRect(bar, 2.5, 2.5)
            painter.setPen(pen(t.ink, 1.0))
            painter.drawLine(QPointF(middle, track.top() - 1), QPointF(middle, track.bottom() + 1))
        painter.end()
