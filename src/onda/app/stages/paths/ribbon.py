"""The ribbon: the path on a delay scale, each piece as high as its impedance is low.

Branches are tributaries: they leave the ribbon where they are connected and run below it on the
same scale, each to its own receiver.
"""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPolygonF,
)
from PyQt6.QtWidgets import QMenu, QSizePolicy, QWidget

from onda.app.selection import Selection
from onda.app.shell.painting import blend, pen, text
from onda.app.stages.paths.elements import look_of
from onda.app.stages.paths.ribbon_layout import DRIVER, MIDDLE, RIBBON, RibbonLayout
from onda.app.stages.paths.scale import LEFT, DelayScale, Probes
from onda.app.theme import Look
from onda.project.paths.edits import TOPOLOGIES
from onda.project.paths.elements import OFFERS
from onda.project.paths.ends import RECEIVER, Receiver
from onda.project.paths.path import Path
from onda.project.quantities import format_si
from onda.studies.paths.layout import Span

__all__ = ["DRIVER", "RECEIVER", "Ribbon"]

_BESIDE, _BAND = 2, 6.0
"""Neighbours that are drawn on either side, and their distance, px."""
_CENTER = Qt.AlignmentFlag.AlignHCenter


class Ribbon(QWidget):
    """Shows and edits the path.

    Signals
    -------
    length_dragged(element id, share of its present length), drag_began, drag_ended
    insert_wanted(kind), remove_wanted, copy_wanted, move_wanted(step) : at the chosen element
    topology_wanted(kind, loads), straight_wanted
    """

    length_dragged = pyqtSignal(str, float)
    drag_began = pyqtSignal()
    drag_ended = pyqtSignal()
    insert_wanted = pyqtSignal(str)
    remove_wanted = pyqtSignal()
    copy_wanted = pyqtSignal()
    move_wanted = pyqtSignal(int)
    topology_wanted = pyqtSignal(str, int)
    straight_wanted = pyqtSignal()

    def __init__(self, look: Look, selection: Selection, probes: Probes) -> None:
        super().__init__()
        self._look = look
        self._selection = selection
        self._probes = probes
        self.layout_: RibbonLayout | None = None
        self._layers: dict[str, bool] = {}
        self._watched = RECEIVER
        self._route: tuple[int, ...] = ()
        self._remarks: dict[str, str] = {}
        self._drag_probe: int | None = None
        self._drag_piece: tuple[str, float, float] | None = None
        self.setFixedHeight(RIBBON)
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

    def show_path(
        self,
        path: Path,
        spans: tuple[Span, ...],
        outer: dict[str, bool],
        watched: str = RECEIVER,
        route: tuple[int, ...] = (),
        remarks: dict[str, str] | None = None,
    ) -> None:
        """Show a path; `outer` tells of each layer whether it is an outer one.

        `watched` is the receiver that probes and map look at, `route` the spans on the way to it;
        `remarks` say by element what is badly placed.
        """
        self.layout_ = RibbonLayout(path, spans, self.width())
        self._layers, self._watched, self._route = outer, watched, route
        self._remarks = remarks or {}
        self.setFixedHeight(self.layout_.height)
        self.update()

    def show_outline(self, path: Path, spans: tuple[Span, ...], outer: dict[str, bool]) -> None:
        """Show a path whose result is not there: its elements, without numbers."""
        self.layout_ = RibbonLayout(path, spans, self.width(), is_outline=True)
        self._layers, self._route, self._remarks = outer, (), {}
        self.setFixedHeight(self.layout_.height)
        self.update()

    def resizeEvent(self, event: object) -> None:
        if self.layout_ is not None:
            self.layout_ = replace(self.layout_, width=self.width())

    @property
    def scale(self) -> DelayScale:
        """The delay scale at the present width."""
        return self.layout_.scale if self.layout_ else DelayScale(self.width(), 1e-12)

    @property
    def _route_delay(self) -> float:
        spans = self.layout_.spans if self.layout_ else ()
        return max((spans[k].end for k in self._route if k < len(spans)), default=self.scale.total)

    def piece_rect(self, span: Span) -> QRectF:
        """Where a piece of line lies."""
        assert self.layout_ is not None
        return self.layout_.piece(span)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        layout = self.layout_
        if layout is not None and layout.spans:
            if not layout.is_outline:
                self._draw_axis(painter)
            self._draw_wires(painter, layout)
            for span in layout.spans:
                if span.z > 0.0:
                    self._draw_piece(painter, layout, span)
            for name, rect in layout.chips().items():
                self._draw_chip(painter, layout.path, name, rect)
            if not layout.is_outline:
                self._draw_probes(painter)
            self._draw_ends(painter, layout)
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
        unit, name = (1e12, "ps") if scale.total < 5e-9 else (1e9, "ns")
        k = 0
        while k * step <= scale.total * 1.0001:
            x = scale.x(k * step)
            painter.setPen(pen(t.secondary))
            painter.drawLine(QPointF(x, 20), QPointF(x, 24))
            text(painter, QRectF(x - 30, 2, 60, 16), f"{k * step * unit:.6g}", t.secondary, _CENTER)
            k += 1
        text(painter, QRectF(scale.right + 10, 16, 40, 16), name, t.secondary)

    def _draw_wires(self, painter: QPainter, layout: RibbonLayout) -> None:
        t = self._look.t
        painter.setPen(pen(t.ink, 1.4))
        painter.drawLine(QPointF(20, MIDDLE), QPointF(self.width() - 20, MIDDLE))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        ends = layout.ends()
        for span, leave, start in layout.tees():
            # A tributary leaves like a river: a bend, then along its own row.
            way = QPainterPath(leave)
            way.cubicTo(leave + QPointF(0, 18), start - QPointF(0, 18), start)
            if span.row:
                way.lineTo(QPointF(ends[span.id].left(), start.y()))
            painter.setPen(pen(t.ink, 1.4))
            painter.drawPath(way)
            painter.setBrush(QColor(t.ink))
            painter.drawEllipse(leave, 2.6, 2.6)
            painter.setBrush(Qt.BrushStyle.NoBrush)

    def _draw_piece(self, painter: QPainter, layout: RibbonLayout, span: Span) -> None:
        look, t = self._look, self._look.t
        rect = layout.piece(span)
        shown = look_of(layout.path.element(span.id))
        color = getattr(t, shown.color or ("copper" if self._layers.get(span.label) else "inner"))
        dim = self._selection.hovered not in ("", span.id)
        fill = QColor(blend(color, t.sheet, 0.45)) if dim else QColor(color)
        painter.setPen(pen(t.sheet, 1.0))
        painter.setBrush(fill)
        painter.drawRect(rect)
        if self._selection.element == span.id:
            painter.setPen(pen(t.sea, 2.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(rect.adjusted(1, 1, -1, -1))
        self._draw_neighbours(painter, span, rect, QColor(blend(color, t.sheet, 0.3)))
        painter.setFont(look.font(11))
        if shown.below:
            if span.row == 0 and not layout.rows:
                below = QRectF(rect.center().x() - 40, 96, 80, 14)
                text(painter, below, shown.below, t.secondary, _CENTER)
            return
        wide = f"{span.label} · {span.z:.0f} Ω · {format_si(span.length, 'length')}"
        middle = f"{span.label} · {span.z:.0f} Ω"
        if layout.is_outline:
            wide = middle = f"{span.label} · {format_si(span.length, 'length')}"
        ink = "#1E2B33" if not look.is_night else "#10181C"
        room = rect.width() - 8
        for words in (wide, middle, span.label):
            if painter.fontMetrics().horizontalAdvance(words) < room:
                text(painter, rect, words, ink, _CENTER)
                break

    def _draw_neighbours(self, painter: QPainter, span: Span, rect: QRectF, color: QColor) -> None:
        """The next lanes of its group on either side, an arrow head where each goes to."""
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(color)
        for other in span.beside:
            if abs(other.apart) > _BESIDE:
                continue
            away = _BAND * (abs(other.apart) - 1) + 4.0
            y = rect.top() - away if other.apart < 0 else rect.bottom() + away
            painter.drawRect(QRectF(rect.left(), y - 1.2, rect.width(), 2.4))
            if rect.width() < 12.0:
                continue
            tip, way = (rect.right() - 1.0, -1.0) if other.same_way else (rect.left() + 1.0, 1.0)
            head = [QPointF(tip + 7.0 * way, y + up) for up in (-3.4, 3.4)]
            painter.drawPolygon(QPolygonF([QPointF(tip, y), *head]))

    def _draw_chip(self, painter: QPainter, path: Path, name: str, rect: QRectF) -> None:
        look, t = self._look, self._look.t
        chosen = self._selection.element == name
        edge = t.fails if name in self._remarks else t.tight
        painter.setPen(pen(t.sea if chosen else edge, 2.5 if chosen else 1.6))
        painter.setBrush(QColor(t.sheet))
        painter.drawRoundedRect(rect, 5, 5)
        painter.setFont(look.font(11, bold=True))
        element = path.element(name)
        text(painter, rect, look_of(element).chip(element), t.ink, _CENTER)

    def _draw_ends(self, painter: QPainter, layout: RibbonLayout) -> None:
        look, t, path = self._look, self._look.t, layout.path
        receivers = path.receivers
        for name, rect in layout.ends().items():
            chosen = self._selection.element == name
            watched = name == self._watched and len(receivers) > 1
            painter.setPen(pen(t.sea if chosen else t.ink, 2.5 if chosen else 1.4))
            painter.setBrush(QColor(t.sea_tint if watched else t.sheet))
            painter.drawRoundedRect(rect, 6, 6)
            if name == DRIVER:
                model = path.driver.model
                below = format_si(path.driver.resistance.si, "resistance")
                if path.driver.stands_in == "ideal":
                    below = "ideal"
                elif model is not None and path.driver.stands_in == "device":
                    below = model.model
                words = (path.driver.name, below)
            else:
                words = (receivers[name].name, self._below(path, name, receivers[name]))
            painter.setFont(look.font(11, bold=True))
            if rect.height() < 30:
                text(painter, rect.adjusted(2, 0, -2, 0), words[0], t.ink, _CENTER)
                continue
            text(painter, rect.adjusted(3, 2, -3, -17), words[0], t.ink, _CENTER)
            painter.setFont(look.font(11))
            text(painter, rect.adjusted(3, 17, -3, -2), words[1], t.secondary, _CENTER)

    def _below(self, path: Path, name: str, receiver: Receiver) -> str:
        if path.driving == name:
            return "drives"
        if receiver.stands_in == "probe":
            return "probe"
        if name == RECEIVER and path.termination.kind != "none":
            return path.termination.kind
        if receiver.model is not None and receiver.stands_in == "device":
            return receiver.model.model
        return format_si(receiver.capacitance.si, "capacitance", digits=2)

    def _draw_probes(self, painter: QPainter) -> None:
        t, scale = self._look.t, self.scale
        for i, probe in enumerate(self._probes.items):
            x = scale.x(probe.share * self._route_delay)
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
        near = [
            (abs(self.scale.x(p.share * self._route_delay) - point.x()), i)
            for i, p in enumerate(self._probes.items)
        ]
        best = min(near)
        return best[1] if best[0] < 9 else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        layout = self.layout_
        if event is None or event.button() != Qt.MouseButton.LeftButton or layout is None:
            return
        point = event.position()
        self._drag_probe = self._probe_at(point)
        if self._drag_probe is not None:
            self._probes.current = self._drag_probe
            self.update()
            return
        edge = layout.edge_at(point)
        if edge is not None:
            self._drag_piece = (edge.id, point.x(), layout.piece(edge).width())
            self._selection.choose_element(edge.id)
            self.drag_began.emit()
            return
        name = layout.element_at(point)
        if name:
            self._selection.choose_element(name)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        layout = self.layout_
        if event is None or layout is None:
            return
        point = event.position()
        if self._drag_probe is not None:
            delay = layout.scale.delay(point.x())
            self._probes.move(self._drag_probe, delay / self._route_delay)
        elif self._drag_piece is not None:
            name, at, width = self._drag_piece
            self.length_dragged.emit(name, max((width + point.x() - at) / width, 0.02))
        else:
            on_edge = layout.edge_at(point) is not None
            grab = on_edge or self._probe_at(point) is not None
            self.setCursor(Qt.CursorShape.SizeHorCursor if grab else Qt.CursorShape.ArrowCursor)
            name = layout.element_at(point)
            self.setToolTip(self._tip(name))
            self._selection.hover(name)

    def _tip(self, name: str) -> str:
        """What there is to say about an element: what is badly placed, what its stub does."""
        spans = self.layout_.spans if self.layout_ else ()
        note = next((s.note or _beside(s) for s in spans if s.id == name), "")
        return "\n".join(filter(None, (self._remarks.get(name, ""), note)))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drag_probe = None
        if self._drag_piece is not None:
            self._drag_piece = None
            self.drag_ended.emit()

    def leaveEvent(self, event: QEvent | None) -> None:
        self._selection.hover("")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows slide the current probe, Up and Down change it, Tab order goes on from here."""
        if event is None or self.layout_ is None:
            return
        key, held = event.key(), event.modifiers()
        probes = self._probes
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            sign = 1 if key == Qt.Key.Key_Right else -1
            if held & Qt.KeyboardModifier.AltModifier:
                self.move_wanted.emit(sign)
                return
            step = 0.05 if held & Qt.KeyboardModifier.ShiftModifier else 0.01
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
        if event is None or self.layout_ is None:
            return
        name = self.layout_.element_at(QPointF(event.pos()))
        if name:
            self._selection.choose_element(name)
        self.show_menu(event.globalPos())

    def menu(self) -> QMenu:
        """What can be done at the chosen element."""
        menu = QMenu(self)
        insert = menu.addMenu("Insert behind")
        assert insert is not None
        for kind, offer in OFFERS.items():
            action = insert.addAction(offer.title)
            assert action is not None
            action.triggered.connect(lambda _, kind=kind: self.insert_wanted.emit(kind))
        for title, act in (
            ("Copy", self.copy_wanted.emit),
            ("Move towards driver", lambda: self.move_wanted.emit(-1)),
            ("Move towards load", lambda: self.move_wanted.emit(1)),
            ("Remove", self.remove_wanted.emit),
        ):
            action = menu.addAction(title)
            assert action is not None
            action.triggered.connect(lambda _, act=act: act())
        menu.addSeparator()
        lay = menu.addMenu("Lay out anew")
        assert lay is not None
        for kind, title in TOPOLOGIES.items():
            sub = lay.addMenu(title)
            assert sub is not None
            for n in (2, 3, 4, 5, 6, 8):
                action = sub.addAction(f"{n} loads")
                assert action is not None
                action.triggered.connect(
                    lambda _, kind=kind, n=n: self.topology_wanted.emit(kind, n)
                )
        straight = menu.addAction("Keep, then run straight without vias")
        assert straight is not None
        straight.triggered.connect(lambda _: self.straight_wanted.emit())
        return menu

    def show_menu(self, point: QPoint) -> None:
        """Open the menu."""
        self.menu().popup(point)

    def _step_element(self, step: int) -> None:
        assert self.layout_ is not None
        names = [DRIVER, *(s.id for s in self.layout_.spans), RECEIVER]
        at = names.index(self._selection.element) if self._selection.element in names else -step
        self._selection.choose_element(names[min(max(at + step, 0), len(names) - 1)])


def _beside(span: Span) -> str:
    """The lanes beside a piece, in words."""
    near = [x for x in span.beside if abs(x.apart) == 1]
    if not near:
        return ""
    ways = [x.name if x.same_way else f"{x.name}, the other way" for x in near]
    return f"Between {' and '.join(ways)}" if len(near) == 2 else f"Beside {''.join(ways)}"


def _tick_step(total: float, most: float) -> float:
    """A round step that gives at most `most` ticks."""
    raw = total / max(most, 1.0)
    for k in (1e-12, 2e-12, 5e-12, 1e-11, 2e-11, 5e-11, 1e-10, 2e-10, 5e-10, 1e-9, 2e-9, 5e-9):
        if k >= raw:
            return k
    return 1e-8
