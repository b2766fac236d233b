"""The chosen piece's cross-section to scale, its lanes to be dragged apart or together."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.plots.sharing import offer_share
from onda.app.shell.painting import pen, text
from onda.app.theme import Look
from onda.project.quantities import format_si
from onda.studies.coupling.inputs import PieceInputs

__all__ = ["CrossView"]

_SIDE, _TOP, _FOOT = 26.0, 22.0, 20.0
_STEP = 1.02
_CENTER = Qt.AlignmentFlag.AlignHCenter


@dataclass(frozen=True, slots=True)
class _Lane:
    """A lane's conductors (left, width), metres."""

    conductors: tuple[tuple[float, float], ...]

    @property
    def left(self) -> float:
        return self.conductors[0][0]

    @property
    def right(self) -> float:
        left, width = self.conductors[-1]
        return left + width


class CrossView(QWidget):
    """The drawing.

    Signals
    -------
    spacing_dragged(after, metres) : the distance behind lane `after`, from 0; -1 for all of them
    drag_began, drag_ended
    gap_chosen(after)
    """

    spacing_dragged = pyqtSignal(int, float)
    drag_began = pyqtSignal()
    drag_ended = pyqtSignal()
    gap_chosen = pyqtSignal(int)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        offer_share(self, look, "Lanes in their section")
        self._piece: PieceInputs | None = None
        self._names: tuple[str, ...] = ()
        self._apart: tuple[float, ...] = ()
        self.gap = 0
        self._drag: tuple[int, float, float, bool] | None = None
        self._scale = 0.0
        self._hover = -1
        self.setMinimumHeight(104)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Cross-section of the lanes")
        look.changed.connect(self.update)

    def show_piece(
        self, piece: PieceInputs | None, names: tuple[str, ...], apart: tuple[float, ...]
    ) -> None:
        """Show a piece; `apart` are the distances between its lanes, metres, none where they do
        not see each other."""
        self._piece, self._names, self._apart = piece, names, apart
        self.gap = min(self.gap, max(len(apart) - 1, 0))
        told = (format_si(a, "length") for a in apart)
        self.setAccessibleDescription(f"Lanes {', '.join(names)}; apart {', '.join(told)}")
        self.update()

    # ---- where things are

    def _lanes(self) -> tuple[list[_Lane], list[tuple[float, float]]]:
        """Lanes and guards (left, width) in metres from the left end."""
        piece = self._piece
        assert piece is not None
        shape = (piece.section or piece.lane).trace
        per = piece.lane.trace.lines
        x, found, guards, now = 0.0, [], [], []
        for k, (width, gap) in enumerate(zip(shape.across, (*shape.between, 0.0), strict=True)):
            if k in piece.guards:
                guards.append((x, width))
            else:
                now.append((x, width))
                if len(now) == per:
                    found.append(_Lane(tuple(now)))
                    now = []
            x += width + gap
        return found, guards

    def _x(self, metres: float) -> float:
        return _SIDE + metres * self._scale

    def _fit(self, lanes: list[_Lane]) -> None:
        # While a lane is dragged the scale stands still.
        if self._drag is None or self._scale <= 0.0:
            span = max(lanes[-1].right, 1e-6)
            self._scale = max(self.width() - 2.0 * _SIDE, 40.0) / span

    def _heights(self) -> tuple[float, float]:
        """Metres of dielectric below and above the copper."""
        piece = self._piece
        assert piece is not None
        below = sum(s.thickness for s in piece.lane.below)
        above = sum(s.thickness for s in piece.lane.above)
        return below, above

    # ---- drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._piece is None:
            return
        lanes, guards = self._lanes()
        self._fit(lanes)
        base, height = self._draw_build(painter)
        for k, lane in enumerate(lanes):
            for left, width in lane.conductors:
                self._draw_copper(painter, left, width, base, height, self._look.t.copper)
            name = self._names[k] if k < len(self._names) else ""
            painter.setFont(self._look.font(11, bold=True))
            middle = 0.5 * (self._x(lane.left) + self._x(lane.right))
            text(painter, QRectF(middle - 40, 2, 80, 18), name, self._look.t.ink, _CENTER)
        for left, width in guards:
            self._draw_copper(painter, left, width, base, height, self._look.t.unknown)
        self._draw_gaps(painter, lanes, base)

    def _draw_build(self, painter: QPainter) -> tuple[float, float]:
        """Planes and dielectric; height of the copper's base on the widget and its thickness."""
        t, piece = self._look.t, self._piece
        assert piece is not None
        below, above = self._heights()
        thick = piece.lane.trace.thickness
        room = self.height() - _TOP - _FOOT
        # Upright the build is drawn to the scale of the lanes where it fits, else pressed.
        whole = below + above + thick
        scale = min(self._scale, room / max(whole, 1e-9))
        base = _TOP + (room + whole * scale) / 2.0 - below * scale
        body = QRectF(_SIDE - 14, base - (above + thick) * scale, self.width() - 2 * _SIDE + 28,
                      whole * scale)  # fmt: skip
        painter.fillRect(body, QColor(t.dielectric_low))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.copper_edge))
        if piece.lane.plane_below:
            painter.drawRect(QRectF(body.left(), body.bottom(), body.width(), 3))
        if piece.lane.plane_above:
            painter.drawRect(QRectF(body.left(), body.top() - 3, body.width(), 3))
        return base, max(thick * scale, 3.0)

    def _draw_copper(
        self, painter: QPainter, left: float, width: float, base: float, height: float, color: str
    ) -> None:
        a, b = self._x(left), self._x(left + width)
        cut = min(0.18 * (b - a), height)
        points = [QPointF(a, base), QPointF(b, base), QPointF(b - cut, base - height),
                  QPointF(a + cut, base - height)]  # fmt: skip
        painter.setPen(pen(self._look.t.copper_edge, 1.0))
        painter.setBrush(QColor(color))
        painter.drawPolygon(QPolygonF(points))

    def _draw_gaps(self, painter: QPainter, lanes: list[_Lane], base: float) -> None:
        t = self._look.t
        painter.setFont(self._look.font(11))
        if not self._apart:
            whole = QRectF(0, self.height() - 19, self.width(), 18)
            text(painter, whole, "Here the lanes do not see each other.", t.secondary, _CENTER)
            return
        for k, (one, other) in enumerate(itertools.pairwise(lanes)):
            a, b = self._x(one.right), self._x(other.left)
            lit = k in (self.gap, self._hover)
            painter.setPen(pen(t.sea if lit else t.secondary, 1.4 if lit else 1.0))
            y = self.height() - 16.0
            painter.drawLine(QPointF(a, y), QPointF(b, y))
            for x in (a, b):
                painter.drawLine(QPointF(x, y - 3), QPointF(x, y + 3))
            words = format_si(self._apart[k], "length")
            color = t.sea if lit else t.secondary
            text(painter, QRectF(0.5 * (a + b) - 40, y + 1, 80, 15), words, color, _CENTER)

    # ---- the mouse and the keys

    def _lane_at(self, point: QPointF) -> int:
        """Lane behind the first one under the pointer, -1 for none."""
        if self._piece is None or not self._apart:
            return -1
        lanes, _ = self._lanes()
        for k, lane in enumerate(lanes[1:], 1):
            if self._x(lane.left) - 5 <= point.x() <= self._x(lane.right) + 5:
                return k
        return -1

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        lane = self._lane_at(event.position())
        if lane > 0:
            every = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.gap = lane - 1
            self._drag = (lane - 1, event.position().x(), self._apart[lane - 1], every)
            self.update()
            self.gap_chosen.emit(self.gap)
            self.drag_began.emit()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._drag is not None:
            after, at, apart, every = self._drag
            # All gaps together move a lane by as many of them as lie before it.
            moved = (event.position().x() - at) / self._scale / (after + 1 if every else 1)
            self.spacing_dragged.emit(-1 if every else after, max(apart + moved, 1e-6))
            return
        lane = self._lane_at(event.position())
        self._hover = lane - 1 if lane > 0 else -1
        grab = Qt.CursorShape.SizeHorCursor if lane > 0 else Qt.CursorShape.ArrowCursor
        self.setCursor(grab)
        self.setToolTip("Drag; with Shift all distances alike" if lane > 0 else "")
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag is not None:
            self._drag = None
            self.drag_ended.emit()
            self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Left and Right choose a distance, plus and minus change it, with Ctrl all of them."""
        if event is None or not self._apart:
            return
        key = event.key()
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 1 if key == Qt.Key.Key_Right else -1
            self.gap = min(max(self.gap + step, 0), len(self._apart) - 1)
            self.gap_chosen.emit(self.gap)
            self.update()
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Minus, Qt.Key.Key_Equal):
            share = 1.0 / _STEP if key == Qt.Key.Key_Minus else _STEP
            every = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
            self.spacing_dragged.emit(-1 if every else self.gap, self._apart[self.gap] * share)
        else:
            super().keyPressEvent(event)
