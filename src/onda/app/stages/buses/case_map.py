"""All cases of a bus as a map: signals down, operations and corners across."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QLineF, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPixmap,
    QResizeEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.shell.painting import pen, text
from onda.app.theme import Look
from onda.project.quantities import fixed
from onda.studies.buses.bus import BusCase, BusResult

__all__ = ["CaseMap", "case_words"]

_LEFT, _TOP, _ROW, _MOST_ROW = 92.0, 42.0, 13.0, 26.0
_FULL = 0.25
"""Share of a unit interval from which on a margin fills its cell."""

Key = tuple[str, str, str]


@dataclass(frozen=True, slots=True)
class _Cell:
    case: BusCase
    then: BusCase | None


def case_words(case: BusCase, then: BusCase | None = None) -> str:
    """A case in a sentence."""
    found = case.found
    name = f"{case.signal_name}, {case.operation_name}, {case.corner}"
    if found.failure:
        return f"{name}: {found.failure}"
    words = (
        f"{name}: set-up {fixed(1e12 * case.setup, 0)} ps, hold {fixed(1e12 * case.hold, 0)} ps, "
        f"{fixed(1e3 * found.height, 0)} mV at {fixed(1e3 * found.level, 0)} mV"
    )
    if then is not None and not math.isnan(then.worst):
        more = fixed(1e12 * (case.worst - then.worst), 0, sign=True)
        words += f"; {more} ps against the kept state"
    return words


class CaseMap(QWidget):
    """The map.

    Signals
    -------
    chosen(case) : a cell was clicked, or reached by the arrow keys
    """

    chosen = pyqtSignal(object)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.cells: dict[Key, _Cell] = {}
        self.rows: list[tuple[str, str]] = []
        self.columns: list[tuple[str, str, str]] = []
        self.key: Key | None = None
        self.hovered: Key | None = None
        self.worst_first = False
        self._rows_at: dict[str, int] = {}
        self._columns_at: dict[tuple[str, str], int] = {}
        self._drawn: QPixmap | None = None
        self._found: BusResult | None = None
        self._then: BusResult | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Cases of the bus")
        look.changed.connect(self._draw_anew)

    def show_result(self, found: BusResult | None, then: BusResult | None) -> None:
        """Show a result beside that of a kept state."""
        self._found, self._then = found, then
        self.cells, self.rows, self.columns = {}, [], []
        if found is not None:
            old = {_key(c): c for c in then.cases} if then is not None else {}
            self.cells = {_key(c): _Cell(c, old.get(_key(c))) for c in found.cases}
            signals = {c.signal: (c.signal, c.signal_name) for c in found.cases}
            self.rows = list(signals.values())
            across = {
                (c.operation, c.corner): (c.operation, c.corner, c.operation_name)
                for c in found.cases
            }
            self.columns = list(across.values())
            if self.worst_first:
                self.rows.sort(key=lambda row: self._least(row[0]))
            if self.key not in self.cells:
                worst = found.worst
                self.key = _key(worst) if worst is not None else None
        self._rows_at = {signal: k for k, (signal, _) in enumerate(self.rows)}
        self._columns_at = {(o, corner): k for k, (o, corner, _) in enumerate(self.columns)}
        self._drawn = None
        rows = max(len(self.rows), 3)
        self.setMinimumHeight(round(_TOP + _ROW * rows) + 4)
        self.setMaximumHeight(round(_TOP + _MOST_ROW * rows) + 4)
        self.update()

    def sizeHint(self) -> QSize:
        """As high as it may be."""
        return QSize(600, self.maximumHeight() if self.rows else 200)

    def sort(self, worst_first: bool) -> None:
        """Signals by their worst case, or as the bus lists them."""
        self.worst_first = worst_first
        self.show_result(self._found, self._then)

    def _least(self, signal: str) -> float:
        worst = [c.case.worst for k, c in self.cells.items() if k[0] == signal]
        return min((-math.inf if math.isnan(w) else w for w in worst), default=0.0)

    @property
    def case(self) -> BusCase | None:
        """The chosen case."""
        cell = self.cells.get(self.key) if self.key is not None else None
        return cell.case if cell is not None else None

    def choose(self, key: Key) -> None:
        """Choose a cell."""
        if key in self.cells:
            self.key = key
            self.update()
            self.chosen.emit(self.cells[key].case)

    # ---- places

    @property
    def _column(self) -> float:
        return (self.width() - _LEFT - 4) / max(len(self.columns), 1)

    @property
    def _row(self) -> float:
        room = (self.height() - _TOP - 4) / max(len(self.rows), 1)
        return min(max(room, _ROW), _MOST_ROW)

    def rect_of(self, key: Key) -> QRectF:
        """Where a cell is."""
        row, column = self._rows_at[key[0]], self._columns_at[key[1:]]
        width, height = self._column, self._row
        return QRectF(_LEFT + column * width, _TOP + row * height, width, height)

    def _key_at(self, at: QPointF) -> Key | None:
        if not self.rows or at.x() < _LEFT or at.y() < _TOP:
            return None
        width = self._column
        row, column = int((at.y() - _TOP) / self._row), int((at.x() - _LEFT) / width)
        if row >= len(self.rows) or column >= len(self.columns):
            return None
        key = (self.rows[row][0], self.columns[column][0], self.columns[column][1])
        return key if key in self.cells else None

    # ---- by hand

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self.hovered = self._key_at(event.position())
            cell = self.cells.get(self.hovered) if self.hovered else None
            self.setToolTip(case_words(cell.case, cell.then) if cell is not None else "")
            self.update()

    def leaveEvent(self, event: QEvent | None) -> None:
        self.hovered = None
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        key = self._key_at(event.position()) if event is not None else None
        if key is not None:
            self.choose(key)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        steps = {
            Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0), Qt.Key.Key_Left: (0, -1),
            Qt.Key.Key_Right: (0, 1),
        }  # fmt: skip
        step = steps.get(Qt.Key(event.key())) if event is not None else None
        if step is None or self.key is None or event is None:
            if event is not None:
                super().keyPressEvent(event)
            return
        row, column = self._rows_at[self.key[0]], self._columns_at[self.key[1:]]
        row = min(max(row + step[0], 0), len(self.rows) - 1)
        column = min(max(column + step[1], 0), len(self.columns) - 1)
        self.choose((self.rows[row][0], self.columns[column][0], self.columns[column][1]))

    # ---- drawing

    def _draw_anew(self) -> None:
        self._drawn = None
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._drawn = None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        ratio = self.devicePixelRatioF()
        if self._drawn is None:
            # Under the pointer nothing but a frame changes.
            self._drawn = QPixmap(self.size() * ratio)
            self._drawn.setDevicePixelRatio(ratio)
            self._drawn.fill(QColor(self._look.t.paper))
            self._draw_cells(self._drawn)
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._drawn)
        for key in {self.hovered, self.key} - {None}:
            if key in self.cells:
                painter.setPen(pen(self._look.t.ink, 2.0 if key == self.key else 1.0))
                painter.drawRect(self._inside(key))
        if self.rows:
            # Heads stay in view where the map is scrolled.
            top = float(self.visibleRegion().boundingRect().top())
            painter.fillRect(QRectF(0, top, self.width(), _TOP), QColor(self._look.t.paper))
            painter.translate(0.0, top)
            self._draw_heads(painter, Qt.AlignmentFlag.AlignHCenter)
        painter.end()

    def _draw_cells(self, on: QPixmap) -> None:
        painter = QPainter(on)
        painter.setFont(self._look.font(11))
        for signal, name in self.rows:
            rect = self.rect_of((signal, *self.columns[0][:2]))
            place = QRectF(2, rect.top(), _LEFT - 8, rect.height())
            text(painter, place, name, self._look.t.ink, Qt.AlignmentFlag.AlignRight)
        self._draw_all(painter)
        self._draw_edges(painter)
        painter.end()

    def _draw_edges(self, painter: QPainter) -> None:
        """A line where another operation begins."""
        painter.setPen(pen(self._look.t.hairline))
        end, before = _TOP + self._row * len(self.rows), ""
        for operation, corner, _ in self.columns:
            if operation != before and self.rows:
                left = self.rect_of((self.rows[0][0], operation, corner)).left()
                painter.drawLine(QPointF(left + 0.5, _TOP), QPointF(left + 0.5, end))
            before = operation

    def _inside(self, key: Key) -> QRectF:
        return self.rect_of(key).adjusted(1.5, 1.5, -1.5, -1.5)

    def _draw_heads(self, painter: QPainter, center: Qt.AlignmentFlag) -> None:
        look, t = self._look, self._look.t
        painter.setFont(look.font(11))
        first = self.rows[0][0]
        seen: dict[str, list[QRectF]] = {}
        names = {}
        for operation, corner, name in self.columns:
            rect = self.rect_of((first, operation, corner))
            seen.setdefault(operation, []).append(rect)
            names[operation] = name
            place = QRectF(rect.left(), 20, rect.width(), 18)
            text(painter, place, corner, t.secondary, center)
        painter.setFont(look.font(11, bold=True))
        for operation, rects in seen.items():
            left, right = rects[0].left(), rects[-1].right()
            text(painter, QRectF(left, 0, right - left, 20), names[operation], t.ink, center)
            painter.setPen(pen(t.hairline))
            painter.drawLine(QPointF(left + 0.5, 4), QPointF(left + 0.5, _TOP))

    def _draw_all(self, painter: QPainter) -> None:
        """Cells of one colour at once: a map may have thousands."""
        t = self._look.t
        whole: list[QRectF] = []
        bars: dict[str, list[QRectF]] = {t.holds: [], t.fails: []}
        struck: list[QLineF] = []
        turned: list[QRectF] = []
        for key, cell in self.cells.items():
            rect, case = self._inside(key), cell.case
            state = case.state
            whole.append(rect)
            if state == "unknown":
                struck.append(QLineF(rect.topLeft(), rect.bottomRight()))
            elif state == "fails":
                bars[t.fails].append(rect)
            else:
                # A bar from the left: the longer, the more margin.
                share = min(case.worst / (_FULL * case.unit_interval), 1.0)
                width = max(share * rect.width(), 2.0)
                bars[t.holds].append(QRectF(rect.left(), rect.top(), width, rect.height()))
            if cell.then is not None and cell.then.state != state:
                # What the change did to it: newly failing, or healed.
                turned.append(rect)
        painter.setPen(Qt.PenStyle.NoPen)
        for colour, rects in ((t.sheet, whole), *bars.items()):
            painter.setBrush(QColor(colour))
            _rects(painter, rects)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(pen(t.secondary, 1.2))
        if struck:
            painter.drawLines(*struck)
        painter.setPen(pen(t.kept, 2.0))
        _rects(painter, turned)


def _rects(painter: QPainter, rects: Sequence[QRectF]) -> None:
    if rects:
        painter.drawRects(*rects)


def _key(case: BusCase) -> Key:
    return case.signal, case.operation, case.corner
