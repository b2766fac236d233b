"""Who disturbs whom: a receiver in each row, a transmitter in each column, shaded by level."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.plots.sharing import offer_share
from onda.app.shell.painting import blend, pen, text
from onda.app.theme import Look
from onda.project.quantities import split_si
from onda.studies.coupling.group import GroupResult

__all__ = ["MatrixView"]

_LEFT, _TOP, _FOOT = 52.0, 22.0, 18.0
_RANGE_DB = 60.0
_WITH_NUMBERS = 44.0
"""Pixels of a cell from which on its number is written in it."""
_CENTER = Qt.AlignmentFlag.AlignHCenter


class MatrixView(QWidget):
    """Noise of each transmitter at each receiver.

    The upper left half of a cell stands for the near end, the lower right one for the far end; the
    half that applies is shaded, 60 dB from paper to sea below the loudest.

    Signals
    -------
    lane_chosen(lane) : the receiver of a row, by id
    """

    lane_chosen = pyqtSignal(str)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        offer_share(self, look, "Who disturbs whom")
        self._result: GroupResult | None = None
        self._lane = ""
        self.setMinimumSize(236, 120)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Who disturbs whom")
        look.changed.connect(self.update)

    def show_result(self, result: GroupResult | None, lane: str) -> None:
        """Show a result; `lane` is the receiver that is looked at."""
        self._result, self._lane = result, lane
        self.setAccessibleDescription("; ".join(self.told()))
        self.update()

    def told(self) -> list[str]:
        """What every cell says."""
        result = self._result
        if result is None:
            return []
        n = len(result.ids)
        return [self._words(v, a) for v in range(n) for a in range(n) if a != v]

    def _words(self, victim: int, aggressor: int) -> str:
        result = self._result
        assert result is not None
        number, unit = split_si(result.noise[victim].by_lane[aggressor], "voltage")
        end = "near end" if result.near[victim, aggressor] else "far end"
        return f"{result.lanes[victim]} hears {number} {unit} of {result.lanes[aggressor]}, {end}"

    def _cell(self) -> float:
        assert self._result is not None
        n = len(self._result.ids)
        return max(min((self.width() - _LEFT - 4) / n, (self.height() - _TOP - _FOOT) / n), 6.0)

    def _at(self, point: QPointF) -> tuple[int, int]:
        """Row and column under a point, -1 outside."""
        if self._result is None:
            return -1, -1
        n, cell = len(self._result.ids), self._cell()
        row, column = (point.y() - _TOP) // cell, (point.x() - _LEFT) // cell
        inside_row = 0 <= row < n
        return (int(row) if inside_row else -1, int(column) if 0 <= column < n else -1)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        result, t = self._result, self._look.t
        if result is None:
            return
        n, cell = len(result.ids), self._cell()
        loudest = max(max(x.by_lane) for x in result.noise) or 1e-12
        painter.setFont(self._look.font(11))
        for k, name in enumerate(result.lanes):
            chosen = result.ids[k] == self._lane
            row = QRectF(2, _TOP + k * cell, _LEFT - 6, cell)
            painter.setFont(self._look.font(11, bold=chosen))
            text(painter, row, name, t.sea if chosen else t.ink)
            painter.setFont(self._look.font(11))
            column = QRectF(_LEFT + k * cell, 2, cell, 18)
            # Where names do not fit above their columns, numbers in the order of the rows do.
            fits = painter.fontMetrics().horizontalAdvance(name) <= cell
            text(painter, column, name if fits else str(k + 1), t.secondary, _CENTER)
        for v in range(n):
            for a in range(n):
                self._draw_cell(painter, result, v, a, cell, loudest)
        foot = QRectF(2, _TOP + n * cell + 2, self.width() - 4, 16)
        text(painter, foot, "Rows hear columns: ◤ near, ◢ far end", t.secondary)

    def _draw_cell(
        self, painter: QPainter, result: GroupResult, v: int, a: int, cell: float, loudest: float
    ) -> None:
        t = self._look.t
        box = QRectF(_LEFT + a * cell, _TOP + v * cell, cell, cell)
        painter.setPen(pen(t.hairline))
        painter.setBrush(QColor(t.sheet))
        painter.drawRect(box)
        if a == v:
            painter.drawLine(box.topLeft(), box.bottomRight())
            return
        value = result.noise[v].by_lane[a]
        level = 20.0 * math.log10(max(value / loudest, 1e-9))
        share = min(max(1.0 + level / _RANGE_DB, 0.0), 1.0)
        near = bool(result.near[v, a])
        corners = (
            [box.topLeft(), box.topRight(), box.bottomLeft()]
            if near
            else [box.topRight(), box.bottomRight(), box.bottomLeft()]
        )
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(blend(t.sheet, t.sea, share)))
        painter.drawPolygon(QPolygonF(corners))
        if result.ids[v] == self._lane:
            painter.setPen(pen(t.sea, 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(0.7, 0.7, -0.7, -0.7))
        if cell >= _WITH_NUMBERS:
            # All cells in the unit of the loudest.
            number, _ = split_si(loudest, "voltage")
            shown = value / loudest * float(number)
            painter.setFont(self._look.font(11))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.sheet))
            middle = QRectF(box.center().x() - 18, box.center().y() - 7, 36, 14)
            painter.drawRoundedRect(middle, 3, 3)
            words = f"{shown:.2f}" if shown >= 0.005 else "<0.01"
            text(painter, middle, words, t.ink, _CENTER)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._result is None:
            return
        row, _ = self._at(event.position())
        if row >= 0:
            self.lane_chosen.emit(self._result.ids[row])

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        row, column = self._at(event.position())
        there = row >= 0 and column >= 0 and row != column
        self.setToolTip(self._words(row, column) if there else "")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Up and Down look at another receiver."""
        result = self._result
        if event is None or result is None:
            return
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            at = result.ids.index(self._lane) if self._lane in result.ids else 0
            at += 1 if event.key() == Qt.Key.Key_Down else -1
            self.lane_chosen.emit(result.ids[min(max(at, 0), len(result.ids) - 1)])
        else:
            super().keyPressEvent(event)
