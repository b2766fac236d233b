"""Reference levels of every lane and operation, between the ends of its eyes, corner by corner."""

from __future__ import annotations

import math
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.plots.axes import even_step, number_text
from onda.app.shell.painting import pen, text
from onda.app.theme import Look
from onda.project.quantities import fixed
from onda.studies.buses.bus import BusResult

__all__ = ["LevelChart", "LevelRow", "level_rows", "row_words"]

_LEFT, _TOP, _ROW, _RIGHT = 130.0, 20.0, 22.0, 14.0
_LABEL = 70.0
"""Room of a number above the chart."""


@dataclass(frozen=True, slots=True)
class LevelRow:
    """A lane in an operation and a corner, V: mean reference level of its signals, the highest zero
    and the lowest one at the strobe between which it lies."""

    lane: str
    operation: str
    corner: str
    level: float
    low: float
    high: float


def level_rows(result: BusResult) -> list[LevelRow]:
    """A row for every lane, operation and corner that has an answer."""
    found: dict[tuple[str, str, str], list[tuple[float, float, float]]] = {}
    for case in result.cases:
        one = case.found
        if math.isfinite(one.level) and math.isfinite(one.height):
            half = 0.5 * one.height
            some = found.setdefault((case.lane, case.operation_name, case.corner), [])
            some.append((one.level, one.centre - half, one.centre + half))
    return [
        LevelRow(
            *key, sum(level for level, _, _ in some) / len(some),
            max(low for _, low, _ in some), min(high for _, _, high in some),
        )
        for key, some in found.items()
    ]  # fmt: skip


def row_words(row: LevelRow) -> str:
    """A row in a sentence."""
    name = f"{row.lane}, {row.operation}, {row.corner}"
    eye = f"{fixed(1e3 * row.low, 0)} to {fixed(1e3 * row.high, 0)} mV"
    return f"{name}: level {fixed(1e3 * row.level, 0)} mV in an eye from {eye}"


class LevelChart(QWidget):
    """A line for each row: its eye at the strobe, and the reference level in it."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.rows: list[LevelRow] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setMouseTracking(True)
        self.setAccessibleName("Reference levels")
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(360, round(_ROW * max(len(self._names), 1) + _TOP))

    @property
    def _names(self) -> list[tuple[str, str]]:
        return list(dict.fromkeys((r.lane, r.operation) for r in self.rows))

    def show_rows(self, rows: list[LevelRow]) -> None:
        """Show levels."""
        self.rows = rows
        self.setMinimumHeight(round(_ROW * max(len(self._names), 1) + _TOP))
        self.setAccessibleDescription("; ".join(map(row_words, rows)))
        self.updateGeometry()
        self.update()

    # ---- places

    @property
    def ends(self) -> tuple[float, float]:
        """Volts at the left and the right end."""
        low = min((min(r.low, r.level) for r in self.rows), default=0.0)
        high = max((max(r.high, r.level) for r in self.rows), default=1.0)
        more = 0.05 * max(high - low, 1e-3)
        return low - more, high + more

    def x_of(self, volts: float) -> float:
        """Where a voltage is."""
        low, high = self.ends
        return _LEFT + (volts - low) / (high - low) * (self.width() - _LEFT - _RIGHT)

    def y_of(self, row: LevelRow) -> float:
        """Where a row is: corners of one lane and operation lie close to each other."""
        number = self._names.index((row.lane, row.operation))
        same = [r for r in self.rows if (r.lane, r.operation) == (row.lane, row.operation)]
        return _TOP + _ROW * (number + (same.index(row) + 1) / (len(same) + 1))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Say what is meant by the nearest line."""
        if event is None or not self.rows:
            return
        near = min(self.rows, key=lambda row: abs(self.y_of(row) - event.position().y()))
        self.setToolTip(row_words(near))

    # ---- drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t = self._look, self._look.t
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(look.font(11))
        end = _TOP + _ROW * len(self._names)
        for k, (lane, operation) in enumerate(self._names):
            top = _TOP + _ROW * k
            place = QRectF(0, top, _LEFT - 10, _ROW)
            text(painter, place, f"{lane} · {operation}", t.ink, Qt.AlignmentFlag.AlignRight)
            painter.setPen(pen(t.hairline))
            painter.drawLine(QPointF(_LEFT, top + _ROW), QPointF(self.width(), top + _ROW))
        if self.rows:
            self._draw_axis(painter, end)
        for row in self.rows:
            y = self.y_of(row)
            # A closed eye has its ends the other way about.
            closed = row.high < row.low
            painter.setPen(pen(t.fails if closed else t.sea, 3.0))
            painter.drawLine(QPointF(self.x_of(row.low), y), QPointF(self.x_of(row.high), y))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.ink))
            painter.drawEllipse(QPointF(self.x_of(row.level), y), 2.5, 2.5)
        painter.end()

    def _draw_axis(self, painter: QPainter, end: float) -> None:
        t = self._look.t
        low, high = self.ends
        room = max((self.width() - _LEFT - _RIGHT) / _LABEL, 1.0)
        step = even_step(1e3 * (high - low) / room)
        value = math.ceil(1e3 * low / step) * step
        painter.setFont(self._look.mono(11))
        while value <= 1e3 * high:
            x = self.x_of(1e-3 * value)
            painter.setPen(pen(t.hairline))
            painter.drawLine(QPointF(x, _TOP), QPointF(x, end))
            place = QRectF(x - _LABEL / 2, 0, _LABEL, _TOP)
            words = number_text(value, step)
            text(painter, place, words, t.secondary, Qt.AlignmentFlag.AlignHCenter)
            value += step
        painter.setFont(self._look.font(11))
        text(
            painter, QRectF(0, 0, _LEFT - 10, _TOP), "mV", t.secondary, Qt.AlignmentFlag.AlignRight
        )
