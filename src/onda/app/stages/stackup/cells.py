"""The table layer x class: a cell shows impedance, width and gap, loss, and a tolerance bar."""

from __future__ import annotations

import math
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter

from onda.app.shell.painting import draw_state, pen, text
from onda.app.theme import Look
from onda.project.quantities import format_si
from onda.project.shown_units import units_in_use
from onda.studies.core.margin import State

__all__ = ["Cell", "draw_cell", "draw_empty_cell"]


@dataclass(frozen=True)
class Cell:
    """A class on a layer; `z` and `loss` (dB/m) NaN while they are computed."""

    place: str
    line_class: str
    shape: str
    z: float
    low: float
    high: float
    loss: float
    state: State | None
    problem: str = ""

    @property
    def words(self) -> str:
        """All of it in one line, for the readout."""
        if self.problem:
            return f"{self.place}: {self.problem}"
        state = self.state.value if self.state else "computing"
        return (
            f"{self.place}: {self.shape}, {self.z:.1f} Ω within {self.low:.4g} – "
            f"{self.high:.4g} Ω, {format_si(self.loss, 'loss per length')}, {state}"
        )


def draw_cell(painter: QPainter, look: Look, rect: QRectF, cell: Cell, *, chosen: bool) -> None:
    """Draw a cell; what does not fit its height is left to the readout."""
    t = look.t
    painter.setPen(pen(t.sea if chosen else t.hairline, 2.0 if chosen else 1.0))
    painter.setBrush(QColor(t.sheet))
    painter.drawRoundedRect(rect, 5, 5)
    inner = rect.adjusted(3, 1, -1, -1)
    rows = 3 if rect.height() >= 42 else (2 if rect.height() >= 29 else 1)
    line = 13.0
    ink = look.state_ink(cell.state or State.UNKNOWN)
    painter.setFont(look.mono(11, bold=True))
    value = "–" if cell.problem else ("…" if math.isnan(cell.z) else f"{cell.z:.1f}")
    top = QRectF(inner.left(), inner.top(), inner.width(), line)
    text(painter, top.adjusted(11, 0, 0, 0), value, ink)
    draw_state(painter, look, QPointF(inner.left() + 4, top.center().y()), 3.6, cell.state)
    painter.setFont(look.mono(11))
    if rows >= 2:
        place = top.translated(0, line)
        text(painter, place, cell.shape.partition(" ")[0], t.secondary)
    if rows >= 3 and not math.isnan(cell.loss):
        place = top.translated(0, 2 * line)
        text(painter, place, f"{units_in_use().loss_length * cell.loss:.2f} dB", t.secondary)
    _draw_bar(painter, look, QRectF(inner.left(), rect.bottom() - 5, inner.width(), 3), cell)


def _draw_bar(painter: QPainter, look: Look, bar: QRectF, cell: Cell) -> None:
    """The tolerance as the middle half of the bar, the value as a tick on it."""
    t = look.t
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(t.track))
    painter.drawRect(bar)
    painter.setBrush(QColor(t.sea_tint))
    painter.drawRect(bar.adjusted(0.25 * bar.width(), 0, -0.25 * bar.width(), 0))
    if math.isnan(cell.z) or not cell.high > cell.low:
        return
    share = 0.25 + 0.5 * (cell.z - cell.low) / (cell.high - cell.low)
    x = bar.left() + min(max(share, 0.0), 1.0) * bar.width()
    painter.setPen(pen(look.state_color(cell.state or State.UNKNOWN), 2.4))
    painter.drawLine(QPointF(x, bar.top() - 3), QPointF(x, bar.bottom() + 1))


def draw_empty_cell(painter: QPainter, look: Look, rect: QRectF, *, hovered: bool) -> None:
    """A class that is not routed on a layer; a plus where the mouse is."""
    t = look.t
    middle = rect.center()
    painter.setPen(pen(t.sea if hovered else t.hairline, 1.6 if hovered else 1.2))
    reach = 5.0 if hovered else 2.0
    painter.drawLine(middle - QPointF(reach, 0), middle + QPointF(reach, 0))
    if hovered:
        painter.drawLine(middle - QPointF(0, reach), middle + QPointF(0, reach))
