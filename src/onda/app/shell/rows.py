"""Rows of the list: state, name, a second line, worst value; chosen with mouse or arrow keys."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, QSizeF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.shell.painting import DASHES, draw_state, pen, text
from onda.app.theme import Look
from onda.studies.core.margin import State

__all__ = ["Row", "RowList"]

_MANY, _CLOSE = 8, 34
"""From so many rows on they are only so high, pixels."""
_CHOOSE = (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space)


@dataclass(frozen=True, slots=True)
class Row:
    """One row; `dash`: number of the kept state whose line it shows; `value` is at the right.

    `figure` ends the subtitle and is never cut.
    """

    id: str
    title: str
    subtitle: str = ""
    state: State | None = None
    value: str = ""
    dash: int = 0
    faded: bool = False
    figure: str = ""


def _spoken(row: Row) -> str:
    below = f"{row.subtitle} {row.figure}".strip()
    state = row.state.value if row.state else ""
    return ", ".join(part for part in (row.title, below, row.value, state) if part)


class RowList(QWidget):
    """A short list that is drawn rather than scrolled.

    Arrow keys choose a row, unless choosing one switches it (`switches`): then they only go to it,
    and Return or the space bar chooses.

    Signals
    -------
    chosen : a row's id; menu_wanted : id and global point; removed : id (Delete key)
    renamed : id (F2 or double click)
    """

    chosen = pyqtSignal(str)
    menu_wanted = pyqtSignal(str, object)
    removed = pyqtSignal(str)
    renamed = pyqtSignal(str)

    def __init__(self, look: Look, name: str, *, height: int = 46, switches: bool = False) -> None:
        super().__init__()
        self._look = look
        self._rows: list[Row] = []
        self._current = ""
        self._switches, self._visited = switches, ""
        self._usual = self._row_height = height
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        look.changed.connect(self.update)

    @property
    def rows(self) -> tuple[Row, ...]:
        """What is listed."""
        return tuple(self._rows)

    def set_rows(self, rows: Sequence[Row], current: str) -> None:
        """Show rows; `current` is the id of the chosen one."""
        if list(rows) == self._rows and current == self._current:
            return
        resized = len(rows) != len(self._rows)
        at = self._at
        self._rows, self._current = list(rows), current
        if self._switches and self._at < 0 <= at and rows:
            # What was gone to is not there any more: its neighbour is.
            self._visited = rows[min(at, len(rows) - 1)].id
        # Many rows stand closer together, before they have to be scrolled.
        self._row_height = self._usual if len(rows) <= _MANY else min(self._usual, _CLOSE)
        if resized:
            self.setFixedHeight(max(1, len(self._rows)) * (self._row_height + 4))
        self.setAccessibleDescription("; ".join(_spoken(row) for row in rows))
        self.update()

    @property
    def _at(self) -> int:
        """Number of the row that keys are about, -1 for none."""
        here = self._visited if self._switches else self._current
        return next((k for k, row in enumerate(self._rows) if row.id == here), -1)

    def sizeHint(self) -> QSize:
        return QSize(180, len(self._rows) * (self._row_height + 4))

    def row_rect(self, index: int) -> QRectF:
        """Where a row lies."""
        top = index * (self._row_height + 4)
        return QRectF(8, top, self.width() - 16, self._row_height)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        shown = QRectF(event.rect()) if event is not None else QRectF(self.rect())
        for i, row in enumerate(self._rows):
            rect = self.row_rect(i)
            if rect.intersects(shown):
                self._draw(painter, rect, row)
        if self._at >= 0 and self.hasFocus():
            painter.setPen(pen(self._look.t.sea, 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(self.row_rect(self._at).adjusted(1, 1, -1, -1), 6, 6)
        painter.end()

    def _draw(self, painter: QPainter, rect: QRectF, row: Row) -> None:
        look, t = self._look, self._look.t
        current = row.id == self._current
        if current:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.sea_tint))
            painter.drawRoundedRect(rect, 6, 6)
        single = not row.subtitle
        middle = rect.center().y() if single else rect.top() + 0.34 * rect.height()
        if row.dash:
            line = pen(t.unknown if row.faded else t.kept, 2.0)
            line.setDashPattern([d / 2.0 for d in DASHES[(row.dash - 1) % len(DASHES)]])
            painter.setPen(line)
            painter.drawLine(QPointF(rect.left() + 8, middle), QPointF(rect.left() + 32, middle))
        else:
            draw_state(painter, look, QPointF(rect.left() + 14, middle), 4.5, row.state)
        left = rect.left() + (40 if row.dash else 26)
        right = rect.right() - 8
        if row.value:
            painter.setFont(look.mono(11))
            width = painter.fontMetrics().horizontalAdvance(row.value) + 4
            text(
                painter,
                QRectF(right - width, middle - 10, width, 20),
                row.value,
                t.ink,
                Qt.AlignmentFlag.AlignRight,
            )
            right -= width + 4
        painter.setFont(look.font(12, bold=current))
        ink = t.secondary if row.faded else t.ink
        text(painter, QRectF(left, middle - 10, right - left, 20), row.title, ink)
        if not single:
            painter.setFont(look.font(11))
            below = QRectF(left, rect.top() + 0.68 * rect.height() - 9, rect.right() - left - 6, 18)
            ink = (
                look.state_ink(row.state).name()
                if row.state in (State.FAILS, State.TIGHT)
                else t.secondary
            )
            metrics = painter.fontMetrics()
            end = metrics.horizontalAdvance(f" {row.figure}") if row.figure else 0
            room = min(metrics.horizontalAdvance(row.subtitle) + 1, below.width() - end)
            text(painter, QRectF(below.topLeft(), QSizeF(room, 18)), row.subtitle, ink)
            if row.figure:
                text(painter, below.adjusted(room, 0, 0, 0), f" {row.figure}", ink)

    def _index_at(self, y: float) -> int | None:
        index = int(y // (self._row_height + 4))
        return index if 0 <= index < len(self._rows) else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        index = self._index_at(event.position().y())
        if index is None:
            return
        self._visited = self._rows[index].id
        self.update()
        if event.button() == Qt.MouseButton.RightButton:
            self.menu_wanted.emit(self._rows[index].id, event.globalPosition().toPoint())
        else:
            self.chosen.emit(self._rows[index].id)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        index = self._index_at(event.position().y()) if event else None
        if index is not None:
            self.renamed.emit(self._rows[index].id)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        ids, at, key = [r.id for r in self._rows], self._at, event.key()
        if key in (Qt.Key.Key_Down, Qt.Key.Key_Up) and ids:
            step = 1 if key == Qt.Key.Key_Down else -1
            self._go(ids[min(max(at + step, 0), len(ids) - 1)])
        elif self._switches and key in _CHOOSE and at >= 0:
            self.chosen.emit(ids[at])
        elif key == Qt.Key.Key_Delete and at >= 0:
            self.removed.emit(ids[at])
        elif key == Qt.Key.Key_F2 and at >= 0:
            self.renamed.emit(ids[at])
        elif key == Qt.Key.Key_Menu and at >= 0:
            point = self.mapToGlobal(self.row_rect(at).center().toPoint())
            self.menu_wanted.emit(ids[at], point)
        else:
            super().keyPressEvent(event)

    def _go(self, identifier: str) -> None:
        """To a row by keys."""
        self._visited = identifier
        self.update()
        if not self._switches:
            self.chosen.emit(identifier)
