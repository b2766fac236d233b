"""Every width and gap of a pair: impedance as colour, the target as a line, the design a point."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QBrush,
    QColor,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPixmap,
    QPolygonF,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.plots.colors import deviation_scale, image_of
from onda.app.plots.contours import contours
from onda.app.plots.sharing import offer_share
from onda.app.shell.painting import pen, text
from onda.app.theme import Look
from onda.project.build.stackup import EtchLimit, PriceStep
from onda.project.shown_units import units_in_use
from onda.studies.lines.width_gap_map import FINE, MapResult

__all__ = ["MapView"]

_LEFT, _BOTTOM, _TOP, _RIGHT = 40.0, 20.0, 2.0, 4.0


class MapView(QWidget):
    """Shows a map and lets the point be dragged over it.

    Signals
    -------
    point_dragged(width, gap) : metres
    drag_began, drag_ended
    """

    point_dragged = pyqtSignal(float, float)
    drag_began = pyqtSignal()
    drag_ended = pyqtSignal()

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        offer_share(self, look, "Impedance by width and gap")
        self._map: MapResult | None = None
        self._axes = 70e-6, 240e-6, 70e-6, 320e-6
        self._fine: NDArray[np.float64] | None = None
        self._image: QImage | None = None
        self._ground: QPixmap | None = None
        self._target, self._tolerance = 100.0, 0.1
        self._point: tuple[float, float] = (1e-4, 1e-4)
        self._kept: list[tuple[float, float]] = []
        self._lines: list[tuple[float, list[NDArray[np.float64]]]] = []
        self._limit: EtchLimit | None = None
        self._steps: tuple[PriceStep, ...] = ()
        self._hover: QPointF | None = None
        self._dragging = False
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(70)
        self.setMouseTracking(True)
        self.setAccessibleName("Impedance over width and gap")
        look.changed.connect(self._recolor)

    def show_map(self, result: MapResult, target: float, band: tuple[float, float]) -> None:
        """Show a map around a target with the band that is allowed, ohm."""
        self._map, self._target = result, target
        self._tolerance = max(abs(band[1] - target), abs(target - band[0])) or 0.1 * target
        self._band = band
        self._fine, w, g = result.fine_z, result.widths, result.gaps
        self._axes = float(w[0]), float(w[-1]), float(g[0]), float(g[-1])
        self._recolor()

    def clear(self) -> None:
        """There is no map of what is in view; what is dragged meanwhile keeps its axes."""
        self._map = self._fine = None
        self._recolor()

    def show_limits(self, limit: EtchLimit | None, steps: tuple[PriceStep, ...]) -> None:
        """Hatch what cannot be etched, and mark where the price changes."""
        if (limit, steps) != (self._limit, self._steps):
            self._limit, self._steps, self._ground = limit, steps, None
            self.update()

    def show_points(self, point: tuple[float, float], kept: list[tuple[float, float]]) -> None:
        """Show where the design lies, and kept ones; (width, gap) in metres."""
        self._point, self._kept = point, kept
        self.update()

    def _recolor(self) -> None:
        self._image, self._lines, self._ground = None, [], None
        if self._fine is not None:
            away = (self._fine - self._target) / (3.0 * self._tolerance)
            scale = deviation_scale(self._look.t)
            strength = 0.5 + 0.5 * np.clip(away, -1.0, 1.0)
            self._image = image_of(strength[::-1], scale, hole=self._look.t.track)
            for level in (self._target, *self._band):
                self._lines.append((level, contours(self._fine, level)))
        self.update()

    @property
    def _box(self) -> QRectF:
        return QRectF(_LEFT, _TOP, self.width() - _LEFT - _RIGHT, self.height() - _TOP - _BOTTOM)

    def place(self, width: float, gap: float) -> QPointF:
        """Pixel of a width and gap in metres."""
        box, (w0, w1, g0, g1) = self._box, self._axes
        return QPointF(
            box.left() + (width - w0) / (w1 - w0) * box.width(),
            box.bottom() - (gap - g0) / (g1 - g0) * box.height(),
        )

    def _value(self, point: QPointF) -> tuple[float, float]:
        """Width and gap of a pixel, kept inside the map."""
        box, (w0, w1, g0, g1) = self._box, self._axes
        x = min(max((point.x() - box.left()) / box.width(), 0.0), 1.0)
        y = min(max((box.bottom() - point.y()) / box.height(), 0.0), 1.0)
        return w0 + x * (w1 - w0), g0 + y * (g1 - g0)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t, box = self._look.t, self._box
        if self._ground is None or self._ground.size() != self.size():
            self._ground = self._draw_ground()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawPixmap(0, 0, self._ground)
        painter.setClipRect(box.adjusted(-7, -7, 7, 7))
        self._draw_points(painter)
        painter.setClipping(False)
        self._draw_readout(painter, box)
        painter.setPen(pen(t.hairline))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        painter.end()

    def _draw_ground(self) -> QPixmap:
        """Everything but the points: it stays while they are dragged."""
        t, box = self._look.t, self._box
        ground = QPixmap(self.size())
        ground.fill(QColor(t.paper))
        painter = QPainter(ground)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(box, QColor(t.sheet))
        painter.setFont(self._look.font(11))
        if self._image is not None:
            painter.drawImage(box, self._image)
            self._draw_contours(painter, box)
            self._draw_made(painter, box)
        else:
            text(painter, box, "filling…", t.secondary, Qt.AlignmentFlag.AlignHCenter)
        self._draw_axes(painter, box)
        painter.end()
        return ground

    def _draw_contours(self, painter: QPainter, box: QRectF) -> None:
        t = self._look.t
        w0, w1, g0, g1 = self._axes
        for level, lines in self._lines:
            strong = level == self._target
            painter.setPen(pen(t.ink, 2.2 if strong else 1.0))
            longest: list[QPointF] = []
            for line in lines:
                points = [
                    self.place(
                        w0 + float(x) / (FINE - 1) * (w1 - w0),
                        g0 + float(y) / (FINE - 1) * (g1 - g0),
                    )
                    for y, x in line
                ]
                painter.drawPolyline(QPolygonF(points))
                longest = max(longest, points, key=len)
            if longest:
                self._label_contour(painter, box, longest, level)

    def _label_contour(
        self, painter: QPainter, box: QRectF, line: list[QPointF], level: float
    ) -> None:
        """The value of a contour beside its upper end: left where it is above the target."""
        strong = level == self._target
        painter.setFont(self._look.font(11, bold=strong))
        top = min(line, key=lambda p: p.y())
        words = f"{level:.4g} Ω"
        wide = painter.fontMetrics().horizontalAdvance(words) + 4.0
        left = top.x() - wide - 3 if level > self._target else top.x() + 5
        # The target's own label stands a line lower, clear of its neighbours.
        rect = QRectF(left, top.y() + (18 if strong else 2), wide, 15)
        if rect.left() > box.left() and rect.right() < box.right():
            text(painter, rect, words, self._look.t.ink)

    def _draw_made(self, painter: QPainter, box: QRectF) -> None:
        """What cannot be etched is hatched; dotted lines where the price changes."""
        t = self._look.t
        painter.save()
        painter.setClipRect(box)
        if self._limit is not None:
            corner = self.place(self._limit.width.si, self._limit.gap.si)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QBrush(QColor(t.fails), Qt.BrushStyle.BDiagPattern))
            if corner.x() > box.left():
                painter.drawRect(QRectF(box.topLeft(), QPointF(corner.x(), box.bottom())))
            if corner.y() < box.bottom():
                painter.drawRect(QRectF(QPointF(box.left(), corner.y()), box.bottomRight()))
        painter.setFont(self._look.font(11))
        for step in self._steps:
            corner = self.place(step.width.si, step.gap.si)
            if not box.contains(corner):
                continue
            painter.setPen(pen(t.secondary, 1.2, Qt.PenStyle.DotLine))
            painter.drawLine(corner, QPointF(corner.x(), box.top()))
            painter.drawLine(corner, QPointF(box.right(), corner.y()))
            words = f"{step.name} ×{step.factor:g}"
            wide = painter.fontMetrics().horizontalAdvance(words) + 4.0
            rect = QRectF(box.right() - wide - 3, corner.y() - 16, wide, 15)
            painter.fillRect(rect.adjusted(-3, 1, 2, 0), QColor(t.sheet))
            text(painter, rect, words, t.secondary)
        painter.restore()

    def _draw_axes(self, painter: QPainter, box: QRectF) -> None:
        t = self._look.t
        painter.setFont(self._look.font(11))
        w0, w1, g0, g1 = self._axes
        unit, name = units_in_use().small_length
        across, up = (np.arange(80, 400, 40), np.arange(100, 600, 50))
        if name == "mil":
            across, up = np.arange(3, 16), np.arange(4, 24, 2)
        widths = [w for w in across * unit if w0 <= w <= w1]
        for width in widths:
            x = self.place(float(width), g0).x()
            if x > self.width() - 13:
                continue
            label = f"{width / unit:.0f}"
            text(
                painter,
                QRectF(x - 26, box.bottom() + 3, 52, 16),
                label,
                t.secondary,
                Qt.AlignmentFlag.AlignHCenter,
            )
        gaps = [g for g in up * unit if g0 <= g <= g1]
        room = 15.0 * len(gaps) < box.height()
        for gap in gaps if room else gaps[::2]:
            y = self.place(w0, float(gap)).y()
            text(
                painter,
                QRectF(0, y - 8, _LEFT - 5, 16),
                f"{gap / unit:.0f}",
                t.secondary,
                Qt.AlignmentFlag.AlignRight,
            )

    def _draw_points(self, painter: QPainter) -> None:
        t = self._look.t
        painter.setBrush(QColor(t.sheet))
        painter.setPen(pen(t.kept, 2.0))
        for width, gap in self._kept:
            painter.drawEllipse(self.place(width, gap), 4.0, 4.0)
        painter.setPen(pen(t.sea, 2.4))
        painter.drawEllipse(self.place(*self._point), 6.0, 6.0)

    def _draw_readout(self, painter: QPainter, box: QRectF) -> None:
        if self._hover is None or self._map is None or not box.contains(self._hover):
            return
        width, gap = self._value(self._hover)
        z = self.impedance_at(width, gap)
        unit, name = units_in_use().small_length
        digits = 0 if name == "µm" else 1
        words = f"{width / unit:.{digits}f} / {gap / unit:.{digits}f} {name} · {z:.1f} Ω"
        painter.setFont(self._look.mono(11))
        wide = painter.fontMetrics().horizontalAdvance(words) + 12
        rect = QRectF(box.right() - wide - 3, box.bottom() - 22, wide, 19)
        painter.setPen(pen(self._look.t.hairline))
        painter.setBrush(QColor(self._look.t.sheet))
        painter.drawRoundedRect(rect, 5, 5)
        text(painter, rect.adjusted(6, 0, 0, 0), words, self._look.t.ink)

    def impedance_at(self, width: float, gap: float) -> float:
        """Impedance between the points of the map, ohm."""
        result = self._map
        if result is None:
            return float("nan")
        rows = [float(np.interp(width, result.fine_widths, row)) for row in result.fine_z]
        return float(np.interp(gap, result.fine_gaps, rows))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._map is None or not self._box.contains(event.position()):
            # Where there is no map its axes are not known, and a place on them means nothing.
            return
        self._dragging = True
        self.drag_began.emit()
        self._drag_to(event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        self._hover = event.position()
        if self._dragging:
            self._drag_to(event.position())
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._dragging:
            self._dragging = False
            self.drag_ended.emit()

    def leaveEvent(self, event: QEvent | None) -> None:
        self._hover = None
        self.update()

    def _drag_to(self, point: QPointF) -> None:
        width, gap = self._value(point)
        self.point_dragged.emit(round(width * 1e6) * 1e-6, round(gap * 1e6) * 1e-6)
