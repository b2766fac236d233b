"""The ribbon: the path on a delay scale, each piece as high as its impedance is low."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPolygonF,
)
from PyQt6.QtWidgets import QMenu, QSizePolicy, QWidget

from onda.app.selection import Selection
from onda.app.shell.painting import pen, text
from onda.app.stages.paths.scale import LEFT, DelayScale, Probes
from onda.app.theme import Look
from onda.project.model import Path, SeriesResistor
from onda.project.quantities import format_si
from onda.studies.path import Span

__all__ = ["DRIVER", "RECEIVER", "Ribbon"]

DRIVER, RECEIVER = "driver", "receiver"
"""Element names of the two ends."""
_TOP = 52.0
_MIDDLE = 76.0


class Ribbon(QWidget):
    """Shows and edits the path.

    Signals
    -------
    length_dragged(element id, share of its present length), drag_began, drag_ended
    insert_wanted(kind), remove_wanted : next to, or of, the chosen element
    """

    length_dragged = pyqtSignal(str, float)
    drag_began = pyqtSignal()
    drag_ended = pyqtSignal()
    insert_wanted = pyqtSignal(str)
    remove_wanted = pyqtSignal()

    def __init__(self, look: Look, selection: Selection, probes: Probes) -> None:
        super().__init__()
        self._look = look
        self._selection = selection
        self._probes = probes
        self._path: Path | None = None
        self._spans: tuple[Span, ...] = ()
        self._layers: dict[str, bool] = {}
        self._drag_probe: int | None = None
        self._drag_piece: tuple[str, float, float] | None = None
        self.setFixedHeight(112)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Path ribbon")
        for signal in (
            look.changed,
            probes.changed,
            selection.element_changed,
            selection.hover_changed,
        ):
            signal.connect(self.update)

    def show_path(self, path: Path, spans: tuple[Span, ...], outer: dict[str, bool]) -> None:
        """Show a path; `outer` tells of each layer whether it is an outer one."""
        self._path, self._spans, self._layers = path, spans, outer
        self.update()

    @property
    def scale(self) -> DelayScale:
        """The delay scale at the present width."""
        return DelayScale(self.width(), max((s.end for s in self._spans), default=1e-12))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._path is not None and self._spans:
            self._draw_axis(painter)
            self._draw_wire(painter)
            for span in self._spans:
                if span.kind != "resistor":
                    self._draw_piece(painter, span)
            for name, rect in self._resistor_rects().items():
                self._draw_resistor(painter, name, rect)
            self._draw_ends(painter)
            self._draw_probes(painter)
        if self.hasFocus():
            painter.setPen(pen(self._look.t.sea, 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)
        painter.end()

    def _draw_axis(self, painter: QPainter) -> None:
        look, t, scale = self._look, self._look.t, self.scale
        painter.setFont(look.font(11))
        painter.setPen(pen(t.secondary))
        painter.drawLine(QPointF(LEFT, 24), QPointF(scale.right, 24))
        step = _tick_step(scale.total, (scale.right - LEFT) / 62)
        k = 0
        while k * step <= scale.total * 1.0001:
            x = scale.x(k * step)
            painter.setPen(pen(t.secondary))
            painter.drawLine(QPointF(x, 20), QPointF(x, 24))
            number = f"{k * step * 1e12:.0f}"
            text(
                painter,
                QRectF(x - 30, 2, 60, 16),
                number,
                t.secondary,
                Qt.AlignmentFlag.AlignHCenter,
            )
            k += 1
        text(painter, QRectF(scale.right + 10, 16, 40, 16), "ps", t.secondary)

    def _draw_wire(self, painter: QPainter) -> None:
        painter.setPen(pen(self._look.t.ink, 1.4))
        painter.drawLine(QPointF(20, _MIDDLE), QPointF(self.width() - 20, _MIDDLE))

    def piece_rect(self, span: Span) -> QRectF:
        """Where a piece of line lies."""
        scale = self.scale
        height = min(max(34.0 * 60.0 / span.z, 14.0), 58.0)
        x0, x1 = scale.x(span.start), scale.x(span.end)
        return QRectF(x0, _MIDDLE - height / 2, max(x1 - x0, 2.0), height)

    def _draw_piece(self, painter: QPainter, span: Span) -> None:
        look, t = self._look, self._look.t
        rect = self.piece_rect(span)
        color = (
            t.via if span.kind == "via" else (t.copper if self._layers.get(span.label) else t.inner)
        )
        fill = QColor(color)
        fill.setAlpha(255 if self._selection.hovered in ("", span.id) else 150)
        painter.setPen(pen(t.sheet, 1.0))
        painter.setBrush(fill)
        painter.drawRect(rect)
        if self._selection.element == span.id:
            painter.setPen(pen(t.sea, 2.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(rect.adjusted(1, 1, -1, -1))
        painter.setFont(look.font(11))
        if span.kind == "via":
            below = QRectF(rect.center().x() - 40, 96, 80, 14)
            text(painter, below, "via", t.secondary, Qt.AlignmentFlag.AlignHCenter)
            return
        wide = f"{span.label} · {span.z:.0f} Ω · {format_si(span.length, 'length')}"
        short = (
            wide if painter.fontMetrics().horizontalAdvance(wide) < rect.width() - 8 else span.label
        )
        ink = "#1E2B33" if not look.is_night else "#10181C"
        if rect.width() > 16:
            text(painter, rect, short, ink, Qt.AlignmentFlag.AlignHCenter)

    def _resistor_rects(self) -> dict[str, QRectF]:
        """Chips of series resistors: before the line they stand left of the scale."""
        out: dict[str, QRectF] = {}
        first = next((i for i, s in enumerate(self._spans) if s.kind != "resistor"), 0)
        ahead = [s.id for s in self._spans[:first]]
        width = min(40.0, 44.0 / max(len(ahead), 1))
        for i, name in enumerate(ahead):
            out[name] = QRectF(LEFT - 2 - (len(ahead) - i) * (width + 2), _MIDDLE - 10, width, 20)
        for span in self._spans[first:]:
            if span.kind == "resistor":
                out[span.id] = QRectF(self.scale.x(span.start) - 20, _MIDDLE - 10, 40, 20)
        return out

    def _draw_resistor(self, painter: QPainter, name: str, rect: QRectF) -> None:
        look, t = self._look, self._look.t
        assert self._path is not None
        element = next((e for e in self._path.elements if e.id == name), None)
        if not isinstance(element, SeriesResistor):
            return
        chosen = self._selection.element == name
        painter.setPen(pen(t.tight if not chosen else t.sea, 2.5 if chosen else 1.6))
        painter.setBrush(QColor(t.sheet))
        painter.drawRoundedRect(rect, 5, 5)
        painter.setFont(look.font(11, bold=True))
        text(
            painter,
            rect,
            f"{element.value.si:.3g} Ω",
            t.ink,
            Qt.AlignmentFlag.AlignHCenter,
        )

    def _end_rects(self) -> dict[str, QRectF]:
        wide = RIGHT_BOX
        return {
            DRIVER: QRectF(2, _MIDDLE - 18, 66, 36),
            RECEIVER: QRectF(self.width() - wide - 1, _MIDDLE - 18, wide, 36),
        }

    def _draw_ends(self, painter: QPainter) -> None:
        look, t = self._look, self._look.t
        assert self._path is not None
        path = self._path
        below = format_si(path.receiver.capacitance.si, "capacitance", digits=2)
        words = {
            DRIVER: (path.driver.name, format_si(path.driver.resistance.si, "resistance")),
            RECEIVER: (path.receiver.name, below),
        }
        if path.termination.kind != "none":
            words[RECEIVER] = (path.receiver.name, path.termination.kind)
        for name, rect in self._end_rects().items():
            chosen = self._selection.element == name
            painter.setPen(pen(t.sea if chosen else t.ink, 2.5 if chosen else 1.4))
            painter.setBrush(QColor(t.sheet))
            painter.drawRoundedRect(rect, 6, 6)
            painter.setFont(look.font(11, bold=True))
            center = Qt.AlignmentFlag.AlignHCenter
            text(painter, rect.adjusted(3, 2, -3, -17), words[name][0], t.ink, center)
            painter.setFont(look.font(11))
            text(painter, rect.adjusted(3, 17, -3, -2), words[name][1], t.secondary, center)

    def _draw_probes(self, painter: QPainter) -> None:
        t, scale = self._look.t, self.scale
        for i, probe in enumerate(self._probes.items):
            x = scale.x(probe.share * scale.total)
            color = QColor(t.series[probe.series])
            painter.setPen(pen(color, 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, 44), QPointF(x, self.height()))
            painter.setPen(
                pen(t.ink, 1.5)
                if i == self._probes.current and self.hasFocus()
                else Qt.PenStyle.NoPen
            )
            painter.setBrush(color)
            points = [QPointF(x - 6, 32), QPointF(x + 6, 32), QPointF(x, 43)]
            painter.drawPolygon(QPolygonF(points))

    def _probe_at(self, point: QPointF) -> int | None:
        if not 26 <= point.y() <= 48:
            return None
        scale = self.scale
        near = [
            (abs(scale.x(p.share * scale.total) - point.x()), i)
            for i, p in enumerate(self._probes.items)
        ]
        best = min(near)
        return best[1] if best[0] < 9 else None

    def _element_at(self, point: QPointF) -> str:
        for name, rect in (*self._resistor_rects().items(), *self._end_rects().items()):
            if rect.contains(point):
                return name
        for span in self._spans:
            if span.kind != "resistor" and self.piece_rect(span).adjusted(-1, -4, 1, 4).contains(
                point
            ):
                return span.id
        return ""

    def _edge_at(self, point: QPointF) -> Span | None:
        """The trace whose right end is near a point."""
        for span in self._spans:
            if span.kind != "trace":
                continue
            rect = self.piece_rect(span)
            if abs(point.x() - rect.right()) < 4 and rect.top() - 2 < point.y() < rect.bottom() + 2:
                return span
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton or not self._spans:
            return
        point = event.position()
        self._drag_probe = self._probe_at(point)
        if self._drag_probe is not None:
            self._probes.current = self._drag_probe
            self.update()
            return
        edge = self._edge_at(point)
        if edge is not None:
            width = self.piece_rect(edge).width()
            self._drag_piece = (edge.id, point.x(), width)
            self._selection.choose_element(edge.id)
            self.drag_began.emit()
            return
        name = self._element_at(point)
        if name:
            self._selection.choose_element(name)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self._spans:
            return
        point = event.position()
        if self._drag_probe is not None:
            scale = self.scale
            self._probes.move(self._drag_probe, scale.delay(point.x()) / scale.total)
        elif self._drag_piece is not None:
            name, at, width = self._drag_piece
            self.length_dragged.emit(name, max((width + point.x() - at) / width, 0.02))
        else:
            on_edge = self._edge_at(point) is not None
            shape = (
                Qt.CursorShape.SizeHorCursor
                if on_edge or self._probe_at(point) is not None
                else Qt.CursorShape.ArrowCursor
            )
            self.setCursor(shape)
            self._selection.hover(self._element_at(point))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drag_probe = None
        if self._drag_piece is not None:
            self._drag_piece = None
            self.drag_ended.emit()

    def leaveEvent(self, event: QEvent | None) -> None:
        self._selection.hover("")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows slide the current probe, Up and Down change it, Tab order goes on from here."""
        if event is None or not self._spans:
            return
        key = event.key()
        step = 0.05 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.01
        probes = self._probes
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            sign = 1 if key == Qt.Key.Key_Right else -1
            probes.move(probes.current, probes.items[probes.current].share + sign * step)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            probes.current = (probes.current + (1 if key == Qt.Key.Key_Down else -1)) % 3
            self.update()
        elif key == Qt.Key.Key_Delete:
            self.remove_wanted.emit()
        elif key in (Qt.Key.Key_Insert, Qt.Key.Key_Menu):
            self.show_menu(self.mapToGlobal(self.rect().center()))
        elif key in (Qt.Key.Key_Period, Qt.Key.Key_Comma):
            self._step_element(1 if key == Qt.Key.Key_Period else -1)
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None:
            return
        name = self._element_at(QPointF(event.pos()))
        if name:
            self._selection.choose_element(name)
        self.show_menu(event.globalPos())

    def show_menu(self, point: QPoint) -> None:
        """What can be done at the chosen element."""
        menu = QMenu(self)
        for title, act in (
            ("Insert trace behind", lambda: self.insert_wanted.emit("trace")),
            ("Insert via behind", lambda: self.insert_wanted.emit("via")),
            ("Insert resistor behind", lambda: self.insert_wanted.emit("resistor")),
            ("Remove", self.remove_wanted.emit),
        ):
            action = menu.addAction(title)
            if action is not None:
                action.triggered.connect(lambda _, act=act: act())
        menu.popup(point)

    def _step_element(self, step: int) -> None:
        names = [DRIVER, *(s.id for s in self._spans), RECEIVER]
        at = names.index(self._selection.element) if self._selection.element in names else -step
        self._selection.choose_element(names[min(max(at + step, 0), len(names) - 1)])


RIGHT_BOX = 62.0


def _tick_step(total: float, most: float) -> float:
    """A round step that gives at most `most` ticks."""
    raw = total / max(most, 1.0)
    for k in (1e-12, 2e-12, 5e-12, 1e-11, 2e-11, 5e-11, 1e-10, 2e-10, 5e-10, 1e-9, 2e-9, 5e-9):
        if k >= raw:
            return k
    return 1e-8
