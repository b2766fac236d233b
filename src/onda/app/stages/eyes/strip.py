"""A link as a strip of parts from transmitter to sampler: a part opens below it, a point between
two parts chooses where the eye is looked at."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QToolTip, QWidget

from onda.app.shell.painting import pen, text
from onda.app.theme import Look
from onda.project.links.link import Link
from onda.project.model import Design
from onda.project.quantities import format_si
from onda.studies.links.along import POINTS

__all__ = ["Box", "Strip", "boxes_of"]

_HEIGHT, _GAP, _DOT = 38, 22.0, 5.5


@dataclass(frozen=True, slots=True)
class Box:
    """A part: which it belongs to ("sender", "channel", "listener"), two lines of words, and the
    point behind it, empty for none."""

    part: str
    upper: str
    lower: str
    point: str = ""


def boxes_of(design: Design, link: Link) -> list[Box]:
    """The parts of a link in their order."""
    sender, listener = link.sender, link.listener
    name, edge, parts = _channel(design, link)
    if sender.model is not None:
        shaped = "model"
    elif sender.setting == "best":
        shaped = "best taps"
    else:
        shaped = f"{len(sender.taps)} taps" if len(sender.taps) > 1 else ""
    words = ", ".join(x for x in (edge, shaped) if x)
    out = [Box("sender", name, words, "" if link.pulse is not None else "sent")]
    out += [Box("channel", upper, lower) for upper, lower in parts]
    out[-1] = Box(out[-1].part, out[-1].upper, out[-1].lower, "channel")
    linear = []
    if listener.model is not None:
        linear.append("model")
    if listener.response is not None:
        linear.append("measured")
    elif listener.gain is not None or listener.gains:
        shown = listener.gain or min(listener.gains, key=lambda g: g.si)
        linear.append(f"to {shown.text}")
    if len(listener.taps) > 1:
        linear.append(f"{len(listener.taps)} taps")
    if linear:
        out.append(Box("listener", "peaking", ", ".join(linear), "peaking"))
    feedback = f"{listener.decisions} taps back" if listener.decisions else "no feedback"
    clock = "" if listener.clock == "ideal" else ", clock follows"
    out.append(Box("listener", "sampler", f"{feedback}{clock}", "decided"))
    return out


def _channel(design: Design, link: Link) -> tuple[str, str, list[tuple[str, str]]]:
    """What sends, its edge, and the parts of the channel, each in two lines."""
    if link.path is not None:
        path = design.path(link.path)
        edge = "edges of its devices"
        if not link.devices:
            edge = f"{format_si(path.driver.edge.si, 'time', digits=2)} edge"
        return path.driver.name, edge, [*(e.brief for e in path.elements)] or [("wire", "")]
    if link.network is not None:
        launch = link.launch
        swing = format_si(launch.high.si - launch.low.si, "voltage", digits=2)
        edge = "fastest edge"
        if launch.edge is not None:
            edge = f"{format_si(launch.edge.si, 'time', digits=2)} edge"
        name = design.network(link.network).name
        return f"launch, {swing}", edge, [(name, f"lane {link.lane}")]
    if link.group is not None:
        group = design.group(link.group)
        lane = next(x for x in group.lanes if x.id == link.group_lane)
        swing = format_si(2.0 * group.far.si, "voltage", digits=2)
        edge = f"{format_si(group.rise.si, 'time', digits=2)} edge"
        parts = [(group.name, f"{lane.name} among {len(group.lanes)}")]
        return f"transmitter, {swing}", edge, parts
    assert link.pulse is not None
    file = design.device_file(link.pulse).path.rsplit("/", 1)[-1]
    return "a symbol", "whole swing", [(file, "pulse")]


class Strip(QWidget):
    """The parts in a row.

    Signals
    -------
    part_chosen(part) : a part was clicked, or the same again to close it ("")
    point_chosen(point) : a point was clicked
    """

    part_chosen = pyqtSignal(str)
    point_chosen = pyqtSignal(str)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.boxes: list[Box] = []
        self.part, self.point = "", "decided"
        self._focused = 0
        self.setFixedHeight(_HEIGHT)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Parts of the link")
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(600, _HEIGHT)

    def show_boxes(self, boxes: Sequence[Box]) -> None:
        """Show the parts of a link."""
        self.boxes = list(boxes)
        points = [b.point for b in boxes if b.point]
        if self.point not in points:
            self.point = "decided"
        self._focused = min(self._focused, len(boxes) - 1)
        words = ", ".join(f"{b.upper} {b.lower}".strip() for b in boxes)
        self.setAccessibleDescription(f"{words}. Eye: {POINTS[self.point].lower()}")
        self.update()

    def choose_part(self, part: str) -> None:
        """Open a part; the open one closes."""
        self.part = "" if part == self.part else part
        self.part_chosen.emit(self.part)
        self.update()

    def choose_point(self, point: str) -> None:
        """Look at the eye there."""
        if point != self.point:
            self.point = point
            self.point_chosen.emit(point)
            self.update()

    # ---- places

    def rect_of(self, index: int) -> QRectF:
        """Where a box is."""
        n = max(len(self.boxes), 1)
        width = (self.width() - 2 - _GAP * n) / n
        return QRectF(1 + index * (width + _GAP), 2, width, _HEIGHT - 4)

    def dot_of(self, index: int) -> QPointF:
        """Where the point behind a box is."""
        rect = self.rect_of(index)
        return QPointF(rect.right() + 0.5 * _GAP, rect.center().y())

    def _dot_at(self, at: QPointF) -> int | None:
        for k, box in enumerate(self.boxes):
            away = at - self.dot_of(k)
            if box.point and abs(away.x()) <= 0.5 * _GAP and abs(away.y()) <= 2.5 * _DOT:
                return k
        return None

    def _box_at(self, at: QPointF) -> int | None:
        return next((k for k in range(len(self.boxes)) if self.rect_of(k).contains(at)), None)

    # ---- by hand

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        dot, box = self._dot_at(event.position()), self._box_at(event.position())
        if dot is not None:
            self.choose_point(self.boxes[dot].point)
        elif box is not None:
            self._focused = box
            self.choose_part(self.boxes[box].part)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        dot, box = self._dot_at(event.position()), self._box_at(event.position())
        over = dot is not None or box is not None
        self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)
        if dot is not None:
            words = f"Eye {POINTS[self.boxes[dot].point].lower()}"
            QToolTip.showText(event.globalPosition().toPoint(), words, self)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or not self.boxes:
            return
        key = event.key()
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 1 if key == Qt.Key.Key_Right else -1
            self._focused = min(max(self._focused + step, 0), len(self.boxes) - 1)
            self.update()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.choose_part(self.boxes[self._focused].part)
        elif key == Qt.Key.Key_Space and self.boxes[self._focused].point:
            self.choose_point(self.boxes[self._focused].point)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.update()

    def leaveEvent(self, event: QEvent | None) -> None:
        self.unsetCursor()

    # ---- drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t = self._look, self._look.t
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = 0.5 * _HEIGHT
        painter.setPen(pen(t.secondary, 1.2))
        painter.drawLine(QPointF(4, middle), QPointF(self.width() - 0.5 * _GAP, middle))
        center = Qt.AlignmentFlag.AlignHCenter
        for i, box in enumerate(self.boxes):
            rect = self.rect_of(i)
            is_open = box.part == self.part
            focused = self.hasFocus() and i == self._focused
            painter.setPen(
                pen(t.sea if is_open or focused else t.hairline, 1.8 if focused else 1.3)
            )
            painter.setBrush(QColor(t.sea_tint if is_open else t.sheet))
            painter.drawRoundedRect(rect, 6, 6)
            painter.setFont(look.font(11, bold=is_open))
            text(painter, rect.adjusted(3, 2, -3, -16), box.upper, t.ink, center)
            painter.setFont(look.font(11))
            text(painter, rect.adjusted(3, 17, -3, -1), box.lower, t.secondary, center)
        for i, box in enumerate(self.boxes):
            if box.point:
                here = box.point == self.point
                painter.setPen(pen(t.sea, 1.6))
                painter.setBrush(QColor(t.sea if here else t.sheet))
                painter.drawEllipse(self.dot_of(i), _DOT, _DOT)
        painter.end()
