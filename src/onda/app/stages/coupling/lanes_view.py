"""Lanes as parallel ribbons over the pieces of their way: which way each drives, how far side by
side. Pieces are pulled at their right edge; a click on a lane looks at its receiver."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.plots.sharing import offer_share
from onda.app.shell.painting import draw_state, pen, text
from onda.app.theme import Look
from onda.project.coupling.group import LaneGroup
from onda.project.quantities import as_shown
from onda.studies.core.margin import State

__all__ = ["LanesView"]

_LEFT, _RIGHT, _TOP, _FOOT = 142.0, 92.0, 30.0, 8.0
_GRAB = 6.0
_ARROWS = 3
_CENTER = Qt.AlignmentFlag.AlignHCenter


@dataclass(frozen=True, slots=True)
class _Span:
    piece: str
    start: float
    end: float
    coupled: bool


class LanesView(QWidget):
    """The drawing.

    Signals
    -------
    lane_chosen(lane), piece_chosen(piece), lane_turned(lane) : ids
    length_dragged(piece, share) : of its length when the drag began
    drag_began, drag_ended
    """

    lane_chosen = pyqtSignal(str)
    piece_chosen = pyqtSignal(str)
    lane_turned = pyqtSignal(str)
    length_dragged = pyqtSignal(str, float)
    drag_began = pyqtSignal()
    drag_ended = pyqtSignal()

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        offer_share(self, look, "Lanes side by side")
        self._group: LaneGroup | None = None
        self._piece = self._lane = ""
        self._notes: dict[str, tuple[str, State | None]] = {}
        self._drag: tuple[str, float, float] | None = None
        self._scale = 0.0
        self.setMinimumHeight(120)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Lanes side by side")
        look.changed.connect(self.update)

    def show_group(
        self, group: LaneGroup, piece: str, lane: str, notes: dict[str, tuple[str, State | None]]
    ) -> None:
        """Show a group; `notes` say by lane what its receiver hears and how that stands."""
        self._group, self._piece, self._lane, self._notes = group, piece, lane, notes
        told = (
            f"{x.name} to the {x.towards}: {notes.get(x.id, ('', None))[0]}" for x in group.lanes
        )
        self.setAccessibleDescription("; ".join(told))
        self.update()

    # ---- where things are

    def _spans(self) -> list[_Span]:
        group = self._group
        if group is None:
            return []
        room = max(self.width() - _LEFT - _RIGHT, 40.0)
        # While a piece is pulled the others keep their places.
        if self._drag is None or self._scale <= 0.0:
            self._scale = room / group.length
        out, x = [], _LEFT
        for piece in group.pieces:
            end = x + piece.length.si * self._scale
            out.append(_Span(piece.id, x, end, piece.coupled))
            x = end
        return out

    def _rows(self) -> tuple[list[float], list[float]]:
        """Heights of the lanes where they are apart, and where they lie side by side."""
        assert self._group is not None
        n = len(self._group.lanes)
        top, bottom = _TOP + 10.0, self.height() - _FOOT - 8.0
        apart = [top + (bottom - top) * k / max(n - 1, 1) for k in range(n)]
        middle = 0.5 * (top + bottom)
        return apart, [middle + 0.62 * (y - middle) for y in apart]

    def _lane_at(self, point: QPointF) -> str:
        if self._group is None:
            return ""
        apart, _ = self._rows()
        k = min(range(len(apart)), key=lambda i: abs(apart[i] - point.y()))
        reach = 0.5 * (apart[1] - apart[0]) if len(apart) > 1 else 12.0
        return self._group.lanes[k].id if abs(apart[k] - point.y()) <= max(reach, 8.0) else ""

    def _edge_at(self, point: QPointF) -> _Span | None:
        near = [s for s in self._spans() if abs(s.end - point.x()) < _GRAB]
        return min(near, key=lambda s: abs(s.end - point.x())) if near else None

    def _span_at(self, point: QPointF) -> _Span | None:
        return next((s for s in self._spans() if s.start <= point.x() < s.end), None)

    # ---- drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        group = self._group
        if group is None:
            return
        spans = self._spans()
        self._draw_pieces(painter, group, spans)
        apart, close = self._rows()
        for k, lane in enumerate(group.lanes):
            self._draw_lane(painter, lane.id, spans, apart[k], close[k], lane.towards == "right")
            self._draw_ends(painter, lane.id, lane.name, apart[k], lane.towards == "right")

    def _draw_pieces(self, painter: QPainter, group: LaneGroup, spans: list[_Span]) -> None:
        t = self._look.t
        painter.setFont(self._look.font(11))
        for piece, span in zip(group.pieces, spans, strict=True):
            body = QRectF(span.start, _TOP - 4, span.end - span.start, self.height() - _TOP)
            if piece.id == self._piece:
                painter.fillRect(body, QColor(t.sea_tint))
            painter.setPen(pen(t.hairline))
            for x in (span.start, span.end):
                painter.drawLine(QPointF(x, _TOP - 4), QPointF(x, self.height()))
            what = "" if piece.coupled else ", apart"
            long = as_shown(piece.length, "length")
            words = f"{piece.id} · {piece.layer}{what} · {long}"
            room = QRectF(span.start + 2, 6, max(span.end - span.start - 4, 10), 18)
            if painter.fontMetrics().horizontalAdvance(words) > room.width():
                words = long
            color = t.ink if piece.id == self._piece else t.secondary
            text(painter, room, words, color, _CENTER)

    def _draw_lane(
        self,
        painter: QPainter,
        lane: str,
        spans: list[_Span],
        apart: float,
        close: float,
        rightward: bool,
    ) -> None:
        t = self._look.t
        ways = [close if s.coupled else apart for s in spans]
        points = [QPointF(spans[0].start, apart)]
        for span, y in zip(spans, ways, strict=True):
            bend = min(14.0, 0.3 * (span.end - span.start))
            points += [QPointF(span.start + bend, y), QPointF(span.end - bend, y)]
        points.append(QPointF(spans[-1].end, apart))
        chosen = lane == self._lane
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(pen(t.copper_edge if not chosen else t.sea, 5.0 if chosen else 3.0))
        painter.drawPolyline(QPolygonF(points))
        painter.setBrush(QColor(t.sheet))
        painter.setPen(pen(t.ink, 1.4))
        assert self._group is not None
        for k, piece in enumerate(self._group.pieces):
            if piece.vias is not None:
                # At the first end in its own right, else where the way goes over.
                y = apart if k == 0 else 0.5 * (ways[k - 1] + ways[k])
                painter.drawEllipse(QPointF(spans[k].start, y), 4.0, 4.0)
        painter.setPen(Qt.PenStyle.NoPen)
        longest = max(range(len(spans)), key=lambda k: spans[k].end - spans[k].start)
        span, y = spans[longest], ways[longest]
        for k in range(_ARROWS):
            x = span.start + (span.end - span.start) * (k + 1) / (_ARROWS + 1)
            tip = 5.0 if rightward else -5.0
            painter.setBrush(QColor(t.sea if chosen else t.copper_edge))
            painter.drawPolygon(
                QPolygonF([QPointF(x - tip, y - 5), QPointF(x + tip, y), QPointF(x - tip, y + 5)])
            )

    def _draw_ends(
        self, painter: QPainter, lane: str, name: str, y: float, rightward: bool
    ) -> None:
        t = self._look.t
        painter.setFont(self._look.font(11, bold=lane == self._lane))
        text(painter, QRectF(6, y - 9, 50, 18), name, t.ink)
        words, state = self._notes.get(lane, ("", None))
        if not words:
            return
        # What is heard stands at the end that hears it.
        end = self._spans()[-1].end
        x = end + 10 if rightward else _LEFT - 10
        draw_state(painter, self._look, QPointF(x, y), 5.0, state)
        painter.setFont(self._look.font(11))
        left = end + 20 if rightward else 56.0
        room = QRectF(left, y - 9, _RIGHT - 24 if rightward else _LEFT - 76, 18)
        side = Qt.AlignmentFlag.AlignLeft if rightward else Qt.AlignmentFlag.AlignRight
        text(painter, room, words, t.secondary, side)

    # ---- the mouse and the keys

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton or self._group is None:
            return
        point = event.position()
        edge = self._edge_at(point)
        if edge is not None:
            self._drag = (edge.piece, point.x(), edge.end - edge.start)
            self.update()
            self.piece_chosen.emit(edge.piece)
            self.drag_began.emit()
            return
        span = self._span_at(point)
        if span is not None:
            self.piece_chosen.emit(span.piece)
        lane = self._lane_at(point)
        if lane:
            self.lane_chosen.emit(lane)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._group is None:
            return
        point = event.position()
        if self._drag is not None:
            piece, at, width = self._drag
            self.length_dragged.emit(piece, max((width + point.x() - at) / max(width, 1.0), 0.02))
            return
        grab = self._edge_at(point) is not None
        self.setCursor(Qt.CursorShape.SizeHorCursor if grab else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag is not None:
            self._drag = None
            self.drag_ended.emit()
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            lane = self._lane_at(event.position())
            if lane and self._edge_at(event.position()) is None:
                self.lane_turned.emit(lane)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Up and Down look at another receiver, Left and Right at another piece, R turns a lane."""
        group = self._group
        if event is None or group is None:
            return
        lanes, pieces = [x.id for x in group.lanes], [p.id for p in group.pieces]
        key = event.key()
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            at = lanes.index(self._lane) if self._lane in lanes else 0
            at += 1 if key == Qt.Key.Key_Down else -1
            self.lane_chosen.emit(lanes[min(max(at, 0), len(lanes) - 1)])
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            at = pieces.index(self._piece) if self._piece in pieces else 0
            at += 1 if key == Qt.Key.Key_Right else -1
            self.piece_chosen.emit(pieces[min(max(at, 0), len(pieces) - 1)])
        elif key == Qt.Key.Key_R and self._lane:
            self.lane_turned.emit(self._lane)
        else:
            super().keyPressEvent(event)
