"""The build, top to bottom, zones side by side, via spans, and what every class makes of it."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.plots.sharing import offer_share
from onda.app.shell.painting import draw_state, pen, text
from onda.app.stages.stackup.cells import Cell, draw_cell, draw_empty_cell
from onda.app.stages.stackup.layout import BuildLayout, lay_out
from onda.app.theme import Look
from onda.project.build.stackup import (
    CoatingLayer,
    CopperLayer,
    DielectricLayer,
    StackLayer,
    Stackup,
)
from onda.project.model import Design
from onda.project.quantities import as_shown, format_si
from onda.studies.build.remarks import layer_thickness, via_aspect, via_state

__all__ = ["BuildView"]

_GRIP = 4.0
"""How near to a boundary the mouse takes hold of it, pixels."""


@dataclass
class _Drag:
    """A boundary in hand: the layer above it, its thickness and pixels at the start."""

    layer: str
    thickness: float
    y: float
    metres_per_pixel: float


class BuildView(QWidget):
    """Draws the build and lets layers be chosen and their boundaries dragged.

    Signals
    -------
    chosen(element) : a layer's id, or ``via:`` and a span's id
    zone_chosen(id)
    cell_chosen(class, place), cell_wanted(class, place) : a routed cell, an empty one
    thickness_dragged(layer, metres), drag_began, drag_ended
    hovered(words)
    """

    chosen = pyqtSignal(str)
    zone_chosen = pyqtSignal(str)
    cell_chosen = pyqtSignal(str, str)
    cell_wanted = pyqtSignal(str, str)
    thickness_dragged = pyqtSignal(str, float)
    drag_began = pyqtSignal()
    drag_ended = pyqtSignal()
    hovered = pyqtSignal(str)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        offer_share(self, look, "Build")
        self._design: Design | None = None
        self._cells: dict[tuple[str, str], Cell] = {}
        self._current = ""
        self._zone = ""
        self._drag: _Drag | None = None
        self._hover: tuple[str, str] | None = None
        self.setMinimumHeight(300)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Build, top to bottom")
        look.changed.connect(self.update)

    def show_build(self, design: Design, cells: list[Cell], current: str, zone: str) -> None:
        """Show a design's build with a cell for every class on every layer it is routed on."""
        self._design = design
        self._cells = {(c.line_class, c.place): c for c in cells}
        self._current, self._zone = current, zone
        words = [f"{x.id} {self._words(x)}" for x in design.stackup.layers]
        self.setAccessibleDescription("; ".join(words + [c.words for c in cells]))
        self.update()

    @property
    def stackup(self) -> Stackup:
        """The stackup in view."""
        assert self._design is not None
        return self._design.stackup

    def layout_now(self) -> BuildLayout:
        """Where everything lies."""
        assert self._design is not None
        classes = tuple(c.id for c in self._design.line_classes)
        return lay_out(self.stackup, classes, float(self.width()), float(self.height()))

    # -- painting ---------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._design is not None and self.stackup.layers:
            layout = self.layout_now()
            self._draw_heads(painter, layout)
            for zone in self.stackup.all_zones:
                for layer in self.stackup.zone_layers(zone):
                    self._draw_layer(painter, layout.layer_rect(zone.id, layer.id), layer, zone.id)
            self._draw_names(painter, layout)
            self._draw_spans(painter, layout)
            self._draw_cells(painter, layout)
        if self.hasFocus():
            painter.setPen(pen(self._look.t.sea, 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
        painter.end()

    def _draw_heads(self, painter: QPainter, layout: BuildLayout) -> None:
        look, t = self._look, self._look.t
        for zone in self.stackup.all_zones:
            left, right = layout.zones[zone.id]
            painter.setFont(look.font(11, bold=zone.id == self._zone))
            rect = QRectF(left, 26, right - left, 17)
            text(painter, rect, zone.name, t.ink)
            if zone.id == self._zone and len(self.stackup.all_zones) > 1:
                painter.setPen(pen(t.sea, 2))
                painter.drawLine(QPointF(left, 44), QPointF(right, 44))
        assert self._design is not None
        painter.setFont(look.font(11))
        for c in self._design.line_classes:
            left, right = layout.table[c.id]
            first, _, rest = c.name.partition(" ")
            wide = right - left
            if painter.fontMetrics().horizontalAdvance(c.name) <= wide:
                first, rest = c.name, ""
            text(painter, QRectF(left, 0, wide, 15), first, t.ink)
            text(painter, QRectF(left, 14, wide, 15), rest, t.ink)
            painter.setFont(look.mono(11))
            text(painter, QRectF(left, 29, wide, 14), f"{c.target.si:g} Ω", t.secondary)
            painter.setFont(look.font(11))

    def _fill(self, layer: StackLayer) -> QColor:
        t = self._look.t
        if isinstance(layer, CopperLayer):
            return QColor(t.copper)
        if isinstance(layer, CoatingLayer):
            return QColor(t.coating)
        return QColor(t.dielectric_high if layer.build in ("core", "flex") else t.dielectric_low)

    def _draw_layer(self, painter: QPainter, rect: QRectF, layer: StackLayer, zone: str) -> None:
        look, t = self._look, self._look.t
        painter.setPen(pen(t.hairline))
        signal = isinstance(layer, CopperLayer) and layer.role == "signal"
        if signal:
            # A signal layer is mostly etched away; short pieces of copper say so.
            painter.setBrush(QColor(t.dielectric_low))
            painter.drawRect(rect)
            painter.setBrush(QColor(t.copper))
            tall = min(rect.height(), 22.0)
            piece = 18.0
            start = rect.left() + 44
            while start + piece < rect.right() - 62:
                place = QRectF(start, rect.center().y() - tall / 2, piece, tall)
                painter.drawRect(place)
                start += 2.1 * piece
        else:
            painter.setBrush(self._fill(layer))
            painter.drawRect(rect)
        chosen = layer.id == self._current
        if chosen:
            painter.setPen(pen(t.sea, 2.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(rect.adjusted(1, 1, -1, -1))
        inside = rect.adjusted(6, 0, -5, 0)
        plane = isinstance(layer, CopperLayer) and not signal
        ink = "#1E2B33" if plane else t.ink
        painter.setFont(look.mono(11))
        value = format_si(layer_thickness(layer), "length")
        wide = painter.fontMetrics().horizontalAdvance(value) + 4
        text(painter, inside, value, ink, Qt.AlignmentFlag.AlignRight)
        painter.setFont(look.font(11))
        room = inside.adjusted(0, 0, -wide, 0)
        if room.width() > 40:
            text(painter, room, "signal" if signal else self._words(layer), ink)

    def _words(self, layer: StackLayer) -> str:
        if isinstance(layer, CopperLayer):
            return f"{layer.role}, {layer.copper_share:.0%} copper"
        assert self._design is not None
        material = self._design.material(layer.material)
        if isinstance(layer, DielectricLayer):
            return f"{layer.name} · Dk {material.dk:.2f}"
        return f"{material.name} · Dk {material.dk:.2f}"

    def _draw_names(self, painter: QPainter, layout: BuildLayout) -> None:
        painter.setFont(self._look.font(11, bold=True))
        for layer in self.stackup.copper:
            top, bottom = layout.rows[layer.id]
            rect = QRectF(0, 0.5 * (top + bottom) - 8, 32, 16)
            text(painter, rect, layer.id, self._look.t.ink, Qt.AlignmentFlag.AlignRight)

    def _draw_spans(self, painter: QPainter, layout: BuildLayout) -> None:
        t = self._look.t
        for via in self.stackup.vias:
            x = layout.spans[via.id]
            top, bottom = layout.rows[via.top][0], layout.rows[via.bottom][1]
            chosen = self._current == f"via:{via.id}"
            half = 4.5 if via.kind != "micro" else 3.0
            painter.setPen(pen(t.sea if chosen else t.copper_edge, 2.0 if chosen else 1.0))
            painter.setBrush(QColor(t.via))
            drilled = bottom
            if via.backdrilled_to:
                drilled = layout.rows[via.backdrilled_to][1]
            painter.drawRect(QRectF(x - half, top, 2 * half, drilled - top))
            if drilled < bottom:
                # What the back-drill takes away is wider and empty.
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(pen(t.secondary, 1.0, Qt.PenStyle.DashLine))
                painter.drawRect(QRectF(x - half - 1.5, drilled, 2 * half + 3, bottom - drilled))
            state = via_state(self.stackup, via)
            draw_state(painter, self._look, QPointF(x, top - 7), 4.0, state)

    def _draw_cells(self, painter: QPainter, layout: BuildLayout) -> None:
        assert self._design is not None
        for c in self._design.line_classes:
            for place in layout.cells_at:
                rect = layout.cell_rect(c.id, place)
                cell = self._cells.get((c.id, place))
                hovered = self._hover == (c.id, place)
                if cell is not None:
                    draw_cell(painter, self._look, rect, cell, chosen=hovered)
                else:
                    draw_empty_cell(painter, self._look, rect, hovered=hovered)

    # -- mouse and keys ---------------------------------------------------------------------------

    def _cell_at(self, layout: BuildLayout, point: QPointF) -> tuple[str, str] | None:
        assert self._design is not None
        for c in self._design.line_classes:
            for place in layout.cells_at:
                if layout.cell_rect(c.id, place).contains(point):
                    return c.id, place
        return None

    def _pile_at(self, layout: BuildLayout, point: QPointF) -> tuple[str, str] | None:
        """Zone and layer under a point."""
        for zone in self.stackup.all_zones:
            for layer in self.stackup.zone_layers(zone):
                if layout.layer_rect(zone.id, layer.id).contains(point):
                    return zone.id, layer.id
        return None

    def _boundary_at(self, layout: BuildLayout, point: QPointF) -> str | None:
        """The layer whose lower boundary is under the mouse; a dielectric goes before copper."""
        for zone in self.stackup.all_zones:
            left, right = layout.zones[zone.id]
            if not left <= point.x() <= right:
                continue
            layers = self.stackup.zone_layers(zone)
            for k, layer in enumerate(layers):
                if abs(layout.zone_rows[zone.id][layer.id][1] - point.y()) <= _GRIP:
                    below = layers[k + 1] if k + 1 < len(layers) else None
                    if not isinstance(layer, DielectricLayer) and isinstance(
                        below, DielectricLayer
                    ):
                        return None
                    return None if isinstance(layer, CoatingLayer) else layer.id
        return None

    def _span_at(self, layout: BuildLayout, point: QPointF) -> str | None:
        for via in self.stackup.vias:
            top, bottom = layout.rows[via.top][0] - 12, layout.rows[via.bottom][1]
            if abs(layout.spans[via.id] - point.x()) <= 7 and top <= point.y() <= bottom:
                return via.id
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._design is None or not self.stackup.layers:
            return
        layout, point = self.layout_now(), event.position()
        cell = self._cell_at(layout, point)
        if cell is not None:
            (self.cell_chosen if cell in self._cells else self.cell_wanted).emit(*cell)
            return
        span = self._span_at(layout, point)
        if span is not None:
            self.chosen.emit(f"via:{span}")
            return
        grip = self._boundary_at(layout, point)
        if grip is not None:
            layer = self.stackup.layer(grip)
            top, bottom = layout.rows[grip]
            thick = layer_thickness(layer)
            self._drag = _Drag(grip, thick, point.y(), thick / max(bottom - top, 1.0))
            self.chosen.emit(grip)
            self.drag_began.emit()
            return
        found = self._pile_at(layout, point)
        if found is not None:
            self.zone_chosen.emit(found[0])
            self.chosen.emit(found[1])

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._design is None or not self.stackup.layers:
            return
        point = event.position()
        if self._drag is not None:
            moved = (point.y() - self._drag.y) * self._drag.metres_per_pixel
            wanted = max(self._drag.thickness + moved, 1e-6)
            # Whole micrometres: nobody can order less.
            self.thickness_dragged.emit(self._drag.layer, round(wanted * 1e6) * 1e-6)
            return
        layout = self.layout_now()
        cell = self._cell_at(layout, point)
        if cell != self._hover:
            self._hover = cell
            self.update()
        self.hovered.emit(self._readout(layout, point, cell))
        grip = cell is None and self._boundary_at(layout, point) is not None
        shape = Qt.CursorShape.SplitVCursor if grip else Qt.CursorShape.ArrowCursor
        self.setCursor(shape)

    def _readout(self, layout: BuildLayout, point: QPointF, cell: tuple[str, str] | None) -> str:
        assert self._design is not None
        if cell is not None:
            name = self._design.line_class(cell[0]).name
            known = self._cells.get(cell)
            return f"{name} on {known.words}" if known else f"Route {name} on {cell[1]}"
        span = self._span_at(layout, point)
        if span is not None:
            via = next(v for v in self.stackup.vias if v.id == span)
            aspect, limit = via_aspect(self.stackup, via)
            back = f", back-drilled to {via.backdrilled_to}" if via.backdrilled_to else ""
            return (
                f"{via.name}: {via.kind}, {via.top} to {via.bottom}{back}, "
                f"drill {as_shown(via.drill, 'length')}, depth {aspect:.2g} drills, "
                f"at most {limit:g}"
            )
        return ""

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag is not None:
            self._drag = None
            self.drag_ended.emit()

    def leaveEvent(self, event: QEvent | None) -> None:
        self._hover = None
        self.hovered.emit("")
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self._design is None or not self.stackup.layers:
            return
        ids = [layer.id for layer in self.stackup.layers]
        ids += [f"via:{v.id}" for v in self.stackup.vias]
        at = ids.index(self._current) if self._current in ids else 0
        if event.key() == Qt.Key.Key_Down:
            self.chosen.emit(ids[min(at + 1, len(ids) - 1)])
        elif event.key() == Qt.Key.Key_Up:
            self.chosen.emit(ids[max(at - 1, 0)])
        else:
            super().keyPressEvent(event)
