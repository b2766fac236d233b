"""Small pieces of painting that all views share."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from onda.app.theme import Look
from onda.studies.core.margin import State

__all__ = ["DASHES", "blend", "draw_state", "pen", "text"]

DASHES: tuple[tuple[float, ...], ...] = ((7, 4), (2, 3), (7, 3, 2, 3))
"""Lines of kept states in their order: long, dotted, dash-dot; in widths of the pen."""


def blend(first: str, second: str, share: float) -> str:
    """A colour `share` of the way from the first to the second."""
    a, b = QColor(first), QColor(second)
    pairs = ((a.red(), b.red()), (a.green(), b.green()), (a.blue(), b.blue()))
    return QColor(*(round(x + share * (y - x)) for x, y in pairs)).name()


def pen(
    color: str | QColor, width: float = 1.0, style: Qt.PenStyle = Qt.PenStyle.SolidLine
) -> QPen:
    """A cosmetic-looking pen."""
    made = QPen(QColor(color), width, style)
    made.setCapStyle(Qt.PenCapStyle.FlatCap)
    return made


def text(
    painter: QPainter,
    rect: QRectF,
    content: str,
    color: str | QColor,
    align: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft,
) -> None:
    """Text in a rectangle, vertically centred, shortened with an ellipsis where it is too long."""
    painter.setPen(QColor(color))
    shown = painter.fontMetrics().elidedText(
        content, Qt.TextElideMode.ElideRight, int(rect.width()) + 1
    )
    painter.drawText(rect, int(align | Qt.AlignmentFlag.AlignVCenter), shown)


def draw_state(
    painter: QPainter,
    look: Look,
    centre: QPointF,
    radius: float,
    state: State | None,
    *,
    stale: bool = False,
) -> None:
    """A buoy: filled by state and marked so that colour is not needed to tell.

    Holds: full disc. Tight: a bar across. Fails: a cross. None: hollow. Stale: a grey ring.
    """
    t = look.t
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    if state is None or stale or state is State.UNKNOWN:
        painter.setPen(pen(t.unknown, 2.0))
        painter.setBrush(QColor(t.sheet))
        painter.drawEllipse(centre, radius - 0.5, radius - 0.5)
        painter.restore()
        return
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(look.state_color(state))
    painter.drawEllipse(centre, radius, radius)
    k = 0.48 * radius
    painter.setPen(pen(t.sheet, max(1.4, radius * 0.3)))
    if state is State.TIGHT:
        painter.drawLine(centre - QPointF(k, 0), centre + QPointF(k, 0))
    elif state is State.FAILS:
        painter.drawLine(centre - QPointF(k, k), centre + QPointF(k, k))
        painter.drawLine(centre - QPointF(k, -k), centre + QPointF(k, -k))
    painter.restore()
