"""Pieces end to end with their ports as they are; wires are dragged from port to port."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from onda.app.shell.painting import pen, text
from onda.app.theme import Look

__all__ = ["Box", "ChainView", "port_words"]

_TOP = 26.0
_REACH = 11.0


@dataclass(frozen=True)
class Box:
    """A network as drawn: left and right ports by number, top to bottom.

    `wires` lead from right ports to left ports of the next box.
    """

    id: str
    name: str
    detail: str
    left: tuple[int, ...]
    right: tuple[int, ...]
    turned: bool = False
    removed: bool = False
    wires: tuple[int, ...] = ()


def port_words(index: int, count: int, pair: bool) -> str:
    """What a port stands for: lane and leg, "1P"."""
    if not pair:
        return f"{index + 1}" if count > 1 else ""
    lane, leg = divmod(index, 2)
    return f"{lane + 1}{'PN'[leg]}" if count > 2 else "PN"[leg]


class ChainView(QWidget):
    """The drawing.

    Signals
    -------
    chosen(piece), wired(piece, right port, left port of the next), swapped(place, place): two ports
    of a network by itself change places, left ones counted first; moved(piece, step),
    removed(piece), hovered(piece or nothing), opened(piece)
    """

    chosen = pyqtSignal(str)
    wired = pyqtSignal(str, int, int)
    swapped = pyqtSignal(int, int)
    moved = pyqtSignal(str, int)
    removed = pyqtSignal(str)
    hovered = pyqtSignal(str)
    opened = pyqtSignal(str)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._boxes: list[Box] = []
        self._pair = True
        self._is_chain = True
        self.current = ""
        self._from: tuple[int, str, int] | None = None
        self._at = QPointF()
        self._over: tuple[int, str, int] | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Chain of networks")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(520, 150)

    def minimumSizeHint(self) -> QSize:
        return QSize(240, 120)

    def show_boxes(self, boxes: Sequence[Box], *, pair: bool, is_chain: bool, current: str) -> None:
        """Show pieces; `is_chain` False lets ports of the only box change places."""
        self._boxes, self._pair, self._is_chain = list(boxes), pair, is_chain
        self.current = current
        words = []
        for box in boxes:
            crossed = "" if self._straight(box) else ", wires crossed"
            words.append(f"{box.name}{', taken away' if box.removed else ''}{crossed}")
        self.setAccessibleDescription("; ".join(words))
        self.update()

    @property
    def boxes(self) -> list[Box]:
        """What is shown."""
        return list(self._boxes)

    @staticmethod
    def _straight(box: Box) -> bool:
        return not box.wires or list(box.wires) == list(range(len(box.wires)))

    # ---- places

    def _rect(self, index: int) -> QRectF:
        n = max(len(self._boxes), 1)
        # In a small window the wires give way first.
        tight = self.width() < 120.0 * n + 60.0
        margin, gap = (26.0, 22.0) if tight else (44.0, 48.0)
        room = self.width() - 2.0 * margin
        width = min(max((room - gap * (n - 1)) / n, 30.0), 210.0)
        total = n * width + gap * (n - 1)
        left = margin + 0.5 * (room - total)
        return QRectF(left + index * (width + gap), _TOP, width, self.height() - _TOP - 33.0)

    def port_at(self, index: int, side: str, port: int) -> QPointF:
        """Where a port of a box lies."""
        box, rect = self._boxes[index], self._rect(index)
        count = len(box.left if side == "left" else box.right)
        y = rect.top() + rect.height() * (port + 0.5) / max(count, 1)
        return QPointF(rect.left() if side == "left" else rect.right(), y)

    def _ports(self) -> list[tuple[int, str, int]]:
        return [
            (i, side, k)
            for i, box in enumerate(self._boxes)
            for side, ports in (("left", box.left), ("right", box.right))
            for k in range(len(ports))
        ]

    def _port_under(self, point: QPointF) -> tuple[int, str, int] | None:
        near = [((self.port_at(*p) - point).manhattanLength(), p) for p in self._ports()]
        found = min(near, default=None)
        return found[1] if found is not None and found[0] < 1.6 * _REACH else None

    # ---- drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t = self._look, self._look.t
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(look.font(11))
        for i, box in enumerate(self._boxes[:-1]):
            self._draw_wires(painter, i, box)
        for i, box in enumerate(self._boxes):
            self._draw_box(painter, i, box)
        if self._from is not None:
            painter.setPen(pen(t.sea, 2.0, Qt.PenStyle.DashLine))
            painter.drawLine(self.port_at(*self._from), self._at)
        hint = (
            "drag from a right port to a left port to lead a wire"
            if self._is_chain
            else "drag one port onto another to change their places"
        )
        painter.setFont(look.font(11))
        text(
            painter,
            QRectF(0, self.height() - 17, self.width(), 16),
            hint,
            t.secondary,
            Qt.AlignmentFlag.AlignHCenter,
        )
        if self.hasFocus():
            painter.setPen(pen(t.sea, 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
        painter.end()

    def _draw_wires(self, painter: QPainter, index: int, box: Box) -> None:
        t = self._look.t
        following = self._boxes[index + 1]
        count = min(len(box.right), len(following.left))
        wires = box.wires if len(box.wires) == count else tuple(range(count))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for right, left in enumerate(wires):
            a, b = self.port_at(index, "right", right), self.port_at(index + 1, "left", left)
            crossed = right != left
            painter.setPen(pen(t.tight if crossed else t.secondary, 2.2 if crossed else 1.4))
            path = QPainterPath(a)
            half = 0.5 * (b.x() - a.x())
            path.cubicTo(a + QPointF(half, 0), b - QPointF(half, 0), b)
            painter.drawPath(path)

    def _draw_box(self, painter: QPainter, index: int, box: Box) -> None:
        look, t, rect = self._look, self._look.t, self._rect(index)
        chosen = box.id == self.current and self._is_chain
        style = Qt.PenStyle.DashLine if box.removed else Qt.PenStyle.SolidLine
        painter.setPen(pen(t.sea if chosen else t.hairline, 2.0 if chosen else 1.4, style))
        painter.setBrush(QColor(t.paper if box.removed else t.sheet))
        painter.drawRoundedRect(rect, 6, 6)
        middle = Qt.AlignmentFlag.AlignHCenter
        painter.setFont(look.font(11, bold=True))
        words = rect.adjusted(17, 0, -17, 0)
        pitch = self._rect(1).left() - self._rect(0).left() if len(self._boxes) > 1 else 300.0
        room = QRectF(rect.center().x() - 0.5 * pitch + 3, 4, pitch - 6, 18)
        text(painter, room, box.name, t.ink, middle)
        painter.setFont(look.font(11))
        centre = QRectF(words.left(), rect.center().y() - 8.0, words.width(), 16)
        text(painter, centre, box.detail, t.secondary, middle)
        state = " · ".join(
            w for w, on in (("taken away", box.removed), ("turned", box.turned)) if on
        )
        below = QRectF(rect.left() - 20, rect.bottom(), rect.width() + 40, 15)
        text(painter, below, state, t.tight_ink if box.removed else t.secondary, middle)
        for side, ports in (("left", box.left), ("right", box.right)):
            for k, number in enumerate(ports):
                self._draw_port(painter, index, side, k, number, len(ports))

    def _draw_port(
        self, painter: QPainter, index: int, side: str, port: int, number: int, count: int
    ) -> None:
        look, t = self._look, self._look.t
        at = self.port_at(index, side, port)
        lit = self._over == (index, side, port) or self._from == (index, side, port)
        painter.setPen(pen(t.sea, 1.6))
        painter.setBrush(QColor(t.sea if lit else t.sheet))
        painter.drawEllipse(at, 4.5, 4.5)
        painter.setFont(look.mono(11))
        align = Qt.AlignmentFlag.AlignLeft if side == "left" else Qt.AlignmentFlag.AlignRight
        inside = at.x() + 7 if side == "left" else at.x() - 27
        if count <= 8:
            text(painter, QRectF(inside, at.y() - 8, 20, 16), str(number), t.ink, align)
        outer = index == 0 if side == "left" else index == len(self._boxes) - 1
        if outer and count <= 8:
            word = port_words(port, count, self._pair)
            x = at.x() - 34 if side == "left" else at.x() + 8
            outward = Qt.AlignmentFlag.AlignRight if side == "left" else Qt.AlignmentFlag.AlignLeft
            text(painter, QRectF(x, at.y() - 8, 26, 16), word, t.secondary, outward)

    # ---- mouse and keys

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        point = event.position()
        port = self._port_under(point)
        if port is not None and (not self._is_chain or port[1] == "right"):
            self._from, self._at = port, point
            self.update()
            return
        box = self._box_at(point)
        if box:
            self.chosen.emit(box)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Go to the network that a piece is."""
        box = self._box_at(event.position()) if event is not None else ""
        if box and self._is_chain:
            self.opened.emit(box)

    def _box_at(self, point: QPointF) -> str:
        return next((b.id for i, b in enumerate(self._boxes) if self._rect(i).contains(point)), "")

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        self._at = event.position()
        if self._is_chain:
            self.hovered.emit(self._box_at(self._at))
        over = self._port_under(self._at)
        if over != self._over or self._from is not None:
            self._over = over
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._from is None:
            return
        begun, self._from = self._from, None
        target = self._port_under(event.position())
        self.update()
        if target is None or target == begun:
            return
        if self._is_chain:
            if target[1] == "left" and target[0] == begun[0] + 1:
                self.wired.emit(self._boxes[begun[0]].id, begun[2], target[2])
            return
        left = len(self._boxes[0].left)
        places = [p[2] + (left if p[1] == "right" else 0) for p in (begun, target)]
        self.swapped.emit(*places)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        ids = [b.id for b in self._boxes]
        at = ids.index(self.current) if self.current in ids else 0
        key = event.key()
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(key))
        if step is not None and ids:
            if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
                self.moved.emit(ids[at], step)
            else:
                self.chosen.emit(ids[min(max(at + step, 0), len(ids) - 1)])
        elif key == Qt.Key.Key_Delete and ids and self._is_chain:
            self.removed.emit(ids[at])
        else:
            super().keyPressEvent(event)

    def leaveEvent(self, event: QEvent | None) -> None:
        self._over = None
        self.hovered.emit("")
        self.update()

    def event(self, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.ToolTip:
            point = event.pos()  # type: ignore[attr-defined]
            for i, box in enumerate(self._boxes):
                if self._rect(i).contains(QPointF(point)):
                    left, right = (", ".join(map(str, p)) for p in (box.left, box.right))
                    ports = f"left {left}; right {right}"
                    QToolTip.showText(event.globalPos(), f"{box.name}: ports {ports}", self)  # type: ignore[attr-defined]
                    return True
        return super().event(event)
