"""The pieces of a chain on the distance axis of the plots above and below."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.shell.painting import pen, text
from onda.app.theme import Look
from onda.studies.networks.build import PieceSpan

__all__ = ["PieceStrip"]


class PieceStrip(QWidget):
    """Names under the stretches that they take."""

    def __init__(self, look: Look, left: int) -> None:
        super().__init__()
        self._look, self._left = look, left
        self._spans: tuple[PieceSpan, ...] = ()
        self._range = (0.0, 1.0)
        self._lit = ""
        self.setFixedHeight(20)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(300, 20)

    def show_spans(
        self, spans: Sequence[PieceSpan], low: float, high: float, lit: str = ""
    ) -> None:
        """Show pieces over an axis from `low` to `high` s; `lit` is the one marked."""
        self._spans = tuple(s for s in spans if not s.removed)
        self._range, self._lit = (low, high), lit
        self.setAccessibleDescription(", ".join(s.name for s in self._spans))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t = self._look, self._look.t
        painter = QPainter(self)
        low, high = self._range
        width = self.width() - self._left - 3
        scale = width / ((high - low) or 1.0)
        painter.setFont(look.font(11))
        for span in self._spans:
            a = self._left + max((span.start - low) * scale, 0.0)
            b = self._left + min((span.end - low) * scale, width)
            if b - a < 1.0:
                continue
            rect = QRectF(a, 1, b - a - 1, 17)
            painter.setPen(pen(t.hairline))
            painter.setBrush(QColor(t.sea_tint if span.id == self._lit else t.sheet))
            painter.drawRect(rect)
            text(
                painter, rect.adjusted(4, 0, -2, 0), span.name, t.ink, Qt.AlignmentFlag.AlignHCenter
            )
        painter.end()
