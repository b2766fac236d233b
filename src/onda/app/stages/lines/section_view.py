"""The cross-section to scale: edges to drag, dimensions to type on, the field of the solution."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.plots.sharing import offer_share
from onda.app.shell.fields import Entry, claims_escape
from onda.app.shell.painting import pen, text
from onda.app.stages.lines.field_drawing import (
    draw_densities,
    draw_potential,
    potential_levels,
)
from onda.app.theme import Look
from onda.studies.lines.field_picture import FieldPicture
from onda.studies.lines.solved_line import CrossSection, TraceShape

__all__ = ["Dimension", "Drawing", "SectionView"]


@dataclass(frozen=True)
class Dimension:
    """A dimension that can be typed on: what it is, its text, and where it stands."""

    key: str
    text: str
    about: str
    trace: bool = False


@dataclass(frozen=True)
class Drawing:
    """What is drawn: the section, its trace, names of the slabs, planes, and the dimensions."""

    section: CrossSection
    trace: TraceShape
    slab_names: dict[str, str]
    dimensions: tuple[Dimension, ...]
    plane_names: tuple[str, ...]
    turned: bool


class SectionView(QWidget):
    """Draws a section and lets its trace be dragged.

    Signals
    -------
    edge_dragged(what, metres) : "width" or "gap" and its new value
    drag_began, drag_ended
    typed(key, text) : a dimension was typed on
    """

    edge_dragged = pyqtSignal(str, float)
    drag_began = pyqtSignal()
    drag_ended = pyqtSignal()
    typed = pyqtSignal(str, str)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        offer_share(self, look, "Cross-section")
        self._drawing: Drawing | None = None
        self._lines: tuple[NDArray[np.float64], ...] = ()
        self._picture: FieldPicture | None = None
        self._kind = "lines"
        self._levels: tuple[tuple[float, tuple[NDArray[np.float64], ...]], ...] = ()
        self._kept: list[CrossSection] = []
        self._pills: dict[str, QRectF] = {}
        self._handles: list[tuple[QPointF, str, float]] = []
        self._drag: tuple[str, float, float, float] | None = None
        self._frozen_scale: tuple[float, float, float] | None = None
        self._fitted: tuple[Drawing | None, QSize, tuple[float, float, float]] | None = None
        self._focus_pill = 0
        self._editor = Entry(parent=self, in_place=True)
        self._editor.setObjectName("mono")
        self._editor.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._editor.hide()
        self._editor.returnPressed.connect(self._commit)
        self._editor.abandoned.connect(self._abandon)
        self._editor.editingFinished.connect(self._editor_left)
        self._editing = ""
        self.setMinimumHeight(190)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Cross-section")
        look.changed.connect(self.update)

    def show_drawing(self, drawing: Drawing, kept: list[CrossSection]) -> None:
        """Show a section; kept ones as dashed outlines."""
        self._drawing, self._kept = drawing, kept
        described = "; ".join(f"{d.about} {d.text}" for d in drawing.dimensions)
        self.setAccessibleDescription(described)
        self.update()

    def show_field(self, lines: tuple[NDArray[np.float64], ...]) -> None:
        """Field lines in the section's coordinates; none while it is dragged."""
        self._lines = lines
        self.update()

    def show_picture(self, picture: FieldPicture | None, kind: str) -> None:
        """Potential, or charge or current on the copper, in the place of the field lines."""
        self._picture, self._kind = picture, kind
        self._levels = potential_levels(picture) if picture is not None else ()
        self.update()

    # -- scale ------------------------------------------------------------------------------------

    def _fit(self) -> tuple[float, float, float]:
        """Pixels per metre, and the pixel of x = 0, y = 0."""
        if self._frozen_scale is not None:
            return self._frozen_scale
        # Every point that is drawn asks for it.
        known = self._fitted
        if known is None or known[0] is not self._drawing or known[1] != self.size():
            known = self._fitted = (self._drawing, self.size(), self._fit_anew())
        return known[2]

    def _fit_anew(self) -> tuple[float, float, float]:
        half = self._half_width()
        low, high = self._heights()
        tall = high - low
        across = 2.0 * (half + max(0.9 * half, 1.2 * tall * 0.5))
        scale = min((self.height() - 34) / (tall * 1.1), (self.width() - 4) / across)
        y0 = self.height() - 28 + low * scale
        return scale, self.width() / 2, y0

    def _half_width(self) -> float:
        """Half of what is looked at: the signals, and as much of grounds beside them as is near."""
        section = self._drawing.section  # type: ignore[union-attr]
        signals = [abs(x) for c in section.conductors if c.role == "signal" for x, _ in c.polygon]
        grounds = [abs(x) for c in section.conductors if c.role != "signal" for x, _ in c.polygon]
        near = max(signals)
        return max(near, min(max(grounds, default=near), 3.0 * near))

    def view_box(self) -> tuple[float, float, float, float]:
        """Left, right, low and high of what is in view, metres."""
        scale, x0, y0 = self._fit()
        low, high = self._heights()
        planes = self._drawing.section.planes  # type: ignore[union-attr]
        # Beyond a plane there is no field.
        middle = 0.5 * (low + high)
        low = max([low, *(p for p in planes if p < middle)])
        high = min([y0 / scale, *(p for p in planes if p > middle)])
        return -x0 / scale, (self.width() - x0) / scale, low, high

    def _heights(self) -> tuple[float, float]:
        section = self._drawing.section  # type: ignore[union-attr]
        ys = [y for c in section.conductors for _, y in c.polygon]
        ys += [y for r in section.regions for _, y in r.polygon] + list(section.planes)
        ys += [v for layer in section.layers for v in (layer.y0, layer.y1)]
        return min(ys), max(ys)

    def _to_pixels(self, x: float, y: float) -> QPointF:
        scale, x0, y0 = self._fit()
        return QPointF(x0 + x * scale, y0 - y * scale)

    # -- painting ---------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = self._look.t
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(t.sheet))
        self._pills, self._handles = {}, []
        if self._drawing is not None:
            self._draw_dielectrics(painter)
            self._draw_planes(painter)
            self._draw_field(painter)
            self._draw_kept(painter)
            self._draw_copper(painter)
            self._draw_notes(painter)
            self._draw_trace_dimensions(painter)
        painter.setPen(pen(t.hairline))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
        painter.end()

    def _slab_color(self, er: float, material: str) -> QColor:
        t = self._look.t
        if material == "coating":
            return QColor(t.coating)
        low, high = QColor(t.dielectric_low), QColor(t.dielectric_high)
        k = min(max((er - 3.0) / 1.6, 0.0), 1.0)
        mixed = (
            round(a + k * (b - a)) for a, b in zip(low.getRgb()[:3], high.getRgb()[:3], strict=True)
        )
        return QColor(*mixed)

    def _draw_dielectrics(self, painter: QPainter) -> None:
        drawing = self._drawing
        assert drawing is not None
        coatings = {r.material for r in drawing.section.regions}
        painter.setPen(Qt.PenStyle.NoPen)
        for layer in drawing.section.layers:
            top = self._to_pixels(0, layer.y1).y()
            bottom = self._to_pixels(0, layer.y0).y()
            kind = "coating" if layer.material in coatings else layer.material
            rect = QRectF(1, top, self.width() - 2, bottom - top)
            painter.fillRect(rect, self._slab_color(layer.er, kind))
        for region in drawing.section.regions:
            painter.setBrush(self._slab_color(region.er, "coating"))
            painter.drawPolygon(self._polygon(region.polygon))

    def _polygon(self, polygon: tuple[tuple[float, float], ...]) -> QPolygonF:
        return QPolygonF([self._to_pixels(x, y) for x, y in polygon])

    def _draw_planes(self, painter: QPainter) -> None:
        drawing, t = self._drawing, self._look.t
        assert drawing is not None
        painter.setFont(self._look.font(11))
        low, high = self._heights()
        for plane, name in zip(drawing.section.planes, drawing.plane_names, strict=False):
            y = self._to_pixels(0, plane).y()
            below = plane <= 0.5 * (low + high)
            rect = QRectF(1, y if below else y - 20, self.width() - 2, 20)
            painter.fillRect(rect, QColor(t.copper))
            text(painter, rect.adjusted(11, 0, 0, 0), f"{name} plane", "#1E2B33")

    def _draw_field(self, painter: QPainter) -> None:
        color = QColor(self._look.t.sea)
        color.setAlpha(130)
        painter.setPen(pen(color, 1.0))
        if self._kind == "potential":
            draw_potential(painter, self._look, self._levels, self._to_pixels)
        for line in self._lines if self._kind == "lines" else ():
            points = [self._to_pixels(float(x), float(y)) for x, y in line]
            painter.drawPolyline(QPolygonF(points))

    def _draw_kept(self, painter: QPainter) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(pen(self._look.t.kept, 1.6, Qt.PenStyle.DashLine))
        for section in self._kept:
            for conductor in section.conductors:
                painter.drawPolygon(self._polygon(conductor.polygon))

    def _draw_copper(self, painter: QPainter) -> None:
        drawing, t = self._drawing, self._look.t
        assert drawing is not None
        painter.setFont(self._look.font(15, bold=True))
        signs = {"P": "+", "N": "−"}
        for conductor in drawing.section.conductors:
            painter.setPen(pen(t.copper_edge, 1.4))
            painter.setBrush(QColor(t.copper))
            shape = self._polygon(conductor.polygon)
            painter.drawPolygon(shape)
            sign = signs.get(conductor.name, conductor.name)
            if sign != "S" and conductor.role == "signal" and shape.boundingRect().height() > 24:
                box = shape.boundingRect()
                place = QRectF(box.left(), box.center().y() - 4, box.width(), 22)
                text(painter, place, sign, "#FFFFFF", Qt.AlignmentFlag.AlignHCenter)
        self._draw_densities(painter)
        self._draw_handles(painter)

    def _draw_densities(self, painter: QPainter) -> None:
        if self._picture is not None and self._kind in ("charge", "current"):
            draw_densities(painter, self._look, self._picture, self._kind, self._to_pixels)

    def _draw_handles(self, painter: QPainter) -> None:
        """A handle on each edge: outer ones set the width, inner ones of a pair the gap."""
        drawing, t = self._drawing, self._look.t
        assert drawing is not None
        trace = drawing.trace
        ys = [y for _, y in drawing.section.conductors[0].polygon]
        base = max(ys) if trace.base_up else min(ys)
        if trace.gap is None:
            places = [(-0.5 * trace.width, "width", -0.5), (0.5 * trace.width, "width", 0.5)]
        else:
            outer, share = 0.5 * trace.span, 0.5 * trace.lines
            # The gap nearest to the middle: across it, or beside the middle line.
            even = trace.lines % 2 == 0
            inner = 0.5 * trace.gap if even else 0.5 * trace.width + trace.gap
            moves = 0.5 if even else 1.0
            places = [
                (-outer, "width", -share),
                (-inner, "gap", -moves),
                (inner, "gap", moves),
                (outer, "width", share),
            ]
        painter.setPen(pen(t.sea, 1.8))
        painter.setBrush(QColor(t.sheet))
        for x, what, share in places:
            point = self._to_pixels(x, base)
            painter.drawEllipse(point, 5, 5)
            self._handles.append((point, what, share))

    def _draw_notes(self, painter: QPainter) -> None:
        """Slab names at the left; their thickness is a dimension."""
        drawing, look, t = self._drawing, self._look, self._look.t
        assert drawing is not None
        painter.setFont(look.font(11))
        coatings = {r.material for r in drawing.section.regions}
        for layer in drawing.section.layers:
            key = f"slab:{layer.y0:.9f}"
            dimension = next((d for d in drawing.dimensions if d.key == key), None)
            top, bottom = self._to_pixels(0, layer.y1).y(), self._to_pixels(0, layer.y0).y()
            if layer.material in coatings or bottom - top < 13:
                continue
            name = drawing.slab_names.get(layer.material, layer.material)
            words = f"{name} · Dk {layer.er:.2f}"
            y = 0.5 * (top + bottom)
            painter.setFont(look.font(11))
            text(
                painter,
                QRectF(12, y - 9, 230, 18),
                words,
                "#4A555B" if not look.is_night else t.secondary,
            )
            if dimension is not None:
                width = painter.fontMetrics().horizontalAdvance(words)
                self._draw_pill(painter, dimension, QPointF(12 + width + 48, y))
        painter.setFont(look.font(11))
        low, high = self._heights()
        if not any(plane > 0.5 * (low + high) for plane in drawing.section.planes):
            words = (
                "turned over: outside is up" if drawing.turned else "drag an edge, or type on it"
            )
            rect = QRectF(self.width() - 260, 4, 250, 18)
            text(painter, rect, words, t.secondary, Qt.AlignmentFlag.AlignRight)

    def _draw_pill(self, painter: QPainter, dimension: Dimension, centre: QPointF) -> None:
        look, t = self._look, self._look.t
        painter.setFont(look.mono(11))
        width = painter.fontMetrics().horizontalAdvance(dimension.text) + 18
        rect = QRectF(centre.x() - width / 2, centre.y() - 9.5, width, 19)
        focused = self.hasFocus() and list(self._keys()).index(dimension.key) == self._focus_pill
        painter.setPen(pen(t.ink if focused else t.sea, 2.0 if focused else 1.2))
        painter.setBrush(QColor(t.sheet))
        painter.drawRoundedRect(rect, 9.5, 9.5)
        text(
            painter,
            rect,
            dimension.text,
            t.sea if not look.is_night else t.ink,
            Qt.AlignmentFlag.AlignHCenter,
        )
        self._pills[dimension.key] = rect

    def _keys(self) -> list[str]:
        return [d.key for d in self._drawing.dimensions] if self._drawing else []

    def _draw_trace_dimensions(self, painter: QPainter) -> None:
        """Width and gap above the trace, copper thickness beside it."""
        drawing, t = self._drawing, self._look.t
        assert drawing is not None
        trace = drawing.trace
        by_key = {d.key: d for d in drawing.dimensions}
        ends = {"S", "P", "1"} if trace.facing else {c.name for c in drawing.section.conductors}
        top = max(y for c in drawing.section.conductors if c.name in ends for _, y in c.polygon)
        extra = max((y for r in drawing.section.regions for _, y in r.polygon), default=top)
        y = max(self._to_pixels(0, max(top, extra)).y() - 18, 14)
        x = -0.5 * trace.span
        spans = [("width", x, x + trace.width)]
        if trace.gap is not None:
            spans.append(("gap", x + trace.width, x + trace.width + trace.gap))
            second = x + trace.width + trace.gap
            spans.append(("width2", second, second + trace.width))
        for key, a, b in spans:
            pa, pb = self._to_pixels(a, 0).x(), self._to_pixels(b, 0).x()
            painter.setPen(pen(t.sea, 1.4))
            painter.drawLine(QPointF(pa, y), QPointF(pb, y))
            for x_end in (pa, pb):
                painter.drawLine(QPointF(x_end, y - 5), QPointF(x_end, y + 5))
            painter.setPen(pen(t.sea, 1.0, Qt.PenStyle.DotLine))
            for x_end in (pa, pb):
                painter.drawLine(QPointF(x_end, y + 6), QPointF(x_end, self._to_pixels(0, top).y()))
            dimension = by_key.get("width" if key == "width2" else key)
            if dimension is not None and key != "width2":
                self._draw_pill(painter, dimension, QPointF(0.5 * (pa + pb), y))
        thick = by_key.get("thickness")
        if thick is not None:
            right = 0.5 * trace.span
            low = min(v for _, v in drawing.section.conductors[0].polygon)
            corner, base = self._to_pixels(right, top), self._to_pixels(right, low)
            x_at = corner.x() + 22
            painter.setPen(pen(t.sea, 1.2))
            painter.drawLine(QPointF(x_at, corner.y()), QPointF(x_at, base.y()))
            for y_end in (corner.y(), base.y()):
                painter.drawLine(QPointF(x_at - 4, y_end), QPointF(x_at + 4, y_end))
            self._draw_pill(painter, thick, QPointF(x_at + 38, 0.5 * (corner.y() + base.y())))

    # -- touching ---------------------------------------------------------------------------------

    def _handle_at(self, point: QPointF) -> tuple[str, float] | None:
        for centre, what, share in self._handles:
            if abs(centre.x() - point.x()) < 8 and abs(centre.y() - point.y()) < 8:
                return what, share
        drawing = self._drawing
        if drawing is None:
            return None
        # The whole flank can be taken, not only its handle.
        ys = [y for _, y in drawing.section.conductors[0].polygon]
        top, bottom = self._to_pixels(0, max(ys)).y(), self._to_pixels(0, min(ys)).y()
        if top < point.y() < bottom:
            for centre, what, share in self._handles:
                if abs(centre.x() - point.x()) < 5:
                    return what, share
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._drawing is None:
            return
        point = event.position()
        for key, rect in self._pills.items():
            if rect.contains(point):
                self.edit_dimension(key)
                return
        found = self._handle_at(point)
        if found is not None:
            what, share = found
            trace = self._drawing.trace
            value = trace.width if what == "width" else (trace.gap or 0.0)
            self._frozen_scale = self._fit()
            self._drag = (what, share, point.x(), value)
            self.update()
            self.drag_began.emit()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._drawing is None:
            return
        point = event.position()
        if self._drag is not None:
            what, share, x, value = self._drag
            scale = self._fit()[0]
            new = value + (point.x() - x) / scale / share
            # Whole micrometres: nobody can order less.
            self.edge_dragged.emit(what, round(new * 1e6) * 1e-6)
            return
        on_pill = any(r.contains(point) for r in self._pills.values())
        if on_pill:
            self.setCursor(Qt.CursorShape.IBeamCursor)
        elif self._handle_at(point) is not None:
            self.setCursor(Qt.CursorShape.SizeHorCursor)
        else:
            self.setCursor(Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag is not None:
            self._drag = None
            self._frozen_scale = None
            self.update()
            self.drag_ended.emit()

    def event(self, event: QEvent | None) -> bool:
        if event is not None and claims_escape(event) and self._drag is not None:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Tab-like stepping through the dimensions with the arrows, Enter to type."""
        if event is None:
            return
        keys, key = self._keys(), event.key()
        if not keys:
            return
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 1 if key == Qt.Key.Key_Right else -1
            self._focus_pill = (self._focus_pill + step) % len(keys)
            self.update()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.edit_dimension(keys[self._focus_pill % len(keys)])
        elif key == Qt.Key.Key_Escape and self._drag is not None:
            self._drag, self._frozen_scale = None, None
            self.drag_ended.emit()
        else:
            super().keyPressEvent(event)

    def edit_dimension(self, key: str) -> None:
        """Open the entry on a dimension."""
        dimension = next((d for d in self._drawing.dimensions if d.key == key), None)  # type: ignore[union-attr]
        rect = self._pills.get(key)
        if dimension is None or rect is None:
            return
        self._editing = key
        self._editor.setText(dimension.text)
        self._editor.setAccessibleName(dimension.about)
        wide = rect.adjusted(-14, -3, 14, 3).toRect()
        self._editor.setGeometry(wide)
        self._editor.show()
        self._editor.setFocus()
        self._editor.selectAll()

    def _commit(self) -> None:
        key, self._editing = self._editing, ""
        self._editor.hide()
        self.setFocus()
        if key:
            self.typed.emit(key, self._editor.text())

    def _abandon(self) -> None:
        self._editing = ""
        self._editor.hide()
        self.setFocus()

    def _editor_left(self) -> None:
        if self._editor.isVisible() and not self._editor.hasFocus():
            self._editing = ""
            self._editor.hide()
