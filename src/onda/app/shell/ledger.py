"""A table of short texts with hairlines; rows light up, can be chosen, and scroll."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.shell.painting import pen, text
from onda.app.theme import Look

__all__ = ["Column", "Ledger", "LedgerRow"]

_ROW = 20.0


@dataclass(frozen=True)
class Column:
    """A column: title, share of the width, whether it holds numbers."""

    title: str
    share: float
    number: bool = False


@dataclass(frozen=True)
class LedgerRow:
    """A row: its id, its cells, colours of cells that differ (by index), a bar as a share."""

    id: str
    cells: tuple[str, ...]
    inks: tuple[tuple[int, str], ...] = ()
    bar: float | None = None


class Ledger(QWidget):
    """The table.

    Signals
    -------
    hovered(id), chosen(id); empty where nothing is under the mouse
    """

    hovered = pyqtSignal(str)
    chosen = pyqtSignal(str)

    def __init__(self, look: Look, name: str, columns: Sequence[Column]) -> None:
        super().__init__()
        self._look = look
        self._columns = list(columns)
        self._rows: list[LedgerRow] = []
        self._top = 0
        self._over = -1
        self.current = ""
        self.setAccessibleName(name)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(60)
        look.changed.connect(self.update)

    @property
    def rows(self) -> list[LedgerRow]:
        """What is shown."""
        return list(self._rows)

    def set_columns(self, columns: Sequence[Column]) -> None:
        """Other columns."""
        self._columns = list(columns)
        self.update()

    def set_rows(self, rows: Sequence[LedgerRow]) -> None:
        """Other rows."""
        self._rows = list(rows)
        self._top = min(self._top, max(0, len(self._rows) - 1))
        self.setAccessibleDescription("; ".join(" ".join(r.cells) for r in rows))
        self.update()

    @property
    def _visible(self) -> int:
        room = max(1, int((self.height() - _ROW) / _ROW))
        # The last line says how many more there are.
        return room if len(self._rows) <= room else max(1, room - 1)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t = self._look, self._look.t
        painter = QPainter(self)
        lefts = self._lefts()
        painter.setFont(look.font(11))
        for column, (x, width) in zip(self._columns, lefts, strict=True):
            self._cell(painter, QRectF(x, 0, width, _ROW), column, column.title, t.secondary)
        painter.setPen(pen(t.hairline))
        painter.drawLine(0, int(_ROW), self.width(), int(_ROW))
        for k, row in enumerate(self._rows[self._top : self._top + self._visible]):
            y = _ROW * (k + 1)
            number = k + self._top
            if number == self._over or row.id == self.current:
                painter.fillRect(QRectF(0, y, self.width(), _ROW), QColor(t.sea_tint))
            if row.bar is not None:
                x, width = lefts[-1]
                color = QColor(t.sea)
                color.setAlpha(70)
                painter.fillRect(QRectF(x, y + 3, width * min(row.bar, 1.0), _ROW - 6), color)
            inks = dict(row.inks)
            for i, (words, column) in enumerate(zip(row.cells, self._columns, strict=False)):
                x, width = lefts[i]
                painter.setFont(look.mono(11) if column.number else look.font(11))
                self._cell(painter, QRectF(x, y, width, _ROW), column, words, inks.get(i, t.ink))
        hidden = len(self._rows) - self._top - self._visible
        if hidden > 0:
            painter.setFont(look.font(11))
            words = f"{hidden} more below"
            rect = QRectF(self.width() - 110, self.height() - 15, 108, 14)
            painter.fillRect(rect, QColor(t.paper))
            text(painter, rect, words, t.secondary, Qt.AlignmentFlag.AlignRight)
        if self.hasFocus():
            painter.setPen(pen(t.sea, 1, Qt.PenStyle.DotLine))
            painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
        painter.end()

    def _cell(self, painter: QPainter, rect: QRectF, column: Column, words: str, ink: str) -> None:
        side = Qt.AlignmentFlag.AlignRight if column.number else Qt.AlignmentFlag.AlignLeft
        text(painter, rect.adjusted(4, 0, -6, 0), words, ink, side)

    def _lefts(self) -> list[tuple[float, float]]:
        total = sum(c.share for c in self._columns) or 1.0
        out, x = [], 0.0
        for column in self._columns:
            width = self.width() * column.share / total
            out.append((x, width))
            x += width
        return out

    def _row_at(self, y: float) -> int:
        k = int(y / _ROW) - 1 + self._top
        return k if y >= _ROW and 0 <= k < len(self._rows) else -1

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._hover(self._row_at(event.position().y()))

    def _hover(self, row: int) -> None:
        if row != self._over:
            self._over = row
            found = self._rows[row] if row >= 0 else None
            self.setToolTip("  ·  ".join(filter(None, found.cells)) if found else "")
            self.hovered.emit(found.id if found else "")
            self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._choose(self._row_at(event.position().y()))

    def _choose(self, row: int) -> None:
        if row < 0:
            return
        self.current = self._rows[row].id
        self.chosen.emit(self.current)
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self._scroll(-1 if event.angleDelta().y() > 0 else 1)

    def _scroll(self, step: int) -> None:
        most = max(0, len(self._rows) - self._visible)
        self._top = min(max(self._top + step, 0), most)
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self._rows:
            ids = [r.id for r in self._rows]
            at = ids.index(self.current) if self.current in ids else -1
            at = min(max(at + (1 if event.key() == Qt.Key.Key_Down else -1), 0), len(ids) - 1)
            if not self._top <= at < self._top + self._visible:
                self._scroll(at - self._top)
            self._choose(at)
        else:
            super().keyPressEvent(event)

    def leaveEvent(self, event: QEvent | None) -> None:
        self._hover(-1)
