"""The wave map: voltage by place and time."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.plots.axes import even_step
from onda.app.plots.colors import image_of, voltage_scale
from onda.app.plots.sharing import offer_share
from onda.app.shell.painting import pen, text
from onda.app.stages.paths.scale import LEFT, DelayScale, Probes, RouteMap
from onda.app.theme import Look
from onda.project.quantities import format_si
from onda.studies.paths.path import PathResult

__all__ = ["WaveMap"]


class WaveMap(QWidget):
    """Time runs down, place to the right; colours as in the bar at its side."""

    def __init__(self, look: Look, probes: Probes) -> None:
        super().__init__()
        self._look = look
        offer_share(self, look, "Wave map")
        self._probes = probes
        self._result: PathResult | None = None
        self._route: RouteMap | None = None
        self._levels_of = (0.0, 1.0)
        self._image: QImage | None = None
        self._bar: QImage | None = None
        self._levels = (0.0, 1.0)
        self._hover: QPointF | None = None
        self._dragging: int | None = None
        self.setMinimumHeight(110)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self.setAccessibleName("Wave map: voltage by place and time")
        look.changed.connect(self._recolor)
        probes.changed.connect(self.update)

    def show_result(self, result: PathResult, route: RouteMap, levels: tuple[float, float]) -> None:
        """Show the way to one receiver, whose settled low and high `levels` are."""
        self._result, self._route, self._levels_of = result, route, levels
        self._recolor()

    def _recolor(self) -> None:
        route = self._route
        if route is None:
            return
        low, high = sorted(self._levels_of)
        swing = max(high - low, 1e-3)
        bottom = min(float(route.volts.min()), low - 0.12 * swing)
        top = max(float(route.volts.max()), high + 0.35 * swing)
        self._levels = (bottom, top)
        scale = voltage_scale(self._look.t, bottom, low, high, top)
        width = 420
        at = np.linspace(0.0, route.places[-1], width)
        index = np.clip(np.searchsorted(route.places, at), 1, len(route.places) - 1)
        span = route.places[index] - route.places[index - 1]
        share = np.where(span > 0, (at - route.places[index - 1]) / np.where(span > 0, span, 1), 0)
        step = max(1, route.volts.shape[1] // 400)
        volts = route.volts[:, ::step]
        field = (1 - share)[:, None] * volts[index - 1] + share[:, None] * volts[index]
        self._image = image_of((field.T - bottom) / (top - bottom), scale)
        ramp = np.linspace(1.0, 0.0, 128)[:, None].repeat(4, axis=1)
        self._bar = image_of(ramp, scale)
        self.update()

    @property
    def _box(self) -> QRectF:
        # As long as the route is on the ribbon above.
        total = self._result.span_of_delay if self._result else 1.0
        share = self._route.delay / total if self._route else 1.0
        scale = DelayScale(self.width(), 1.0)
        return QRectF(LEFT, 4, (scale.right - LEFT) * share, self.height() - 8)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t, box = self._look, self._look.t, self._box
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setFont(look.font(12, bold=True))
        text(painter, QRectF(0, 4, 80, 18), "Wave map", t.ink)
        painter.setFont(look.font(11))
        text(painter, QRectF(0, 22, 100, 16), "voltage by place", t.secondary)
        text(painter, QRectF(0, 37, 100, 16), "and time, ns", t.secondary)
        if self._image is not None and self._result is not None:
            painter.drawImage(box, self._image)
            self._draw_time(painter, box, float(self._result.time[-1]))
            self._draw_bar(painter, box)
            for probe in self._probes.items:
                x = box.left() + probe.share * box.width()
                painter.setPen(pen(t.series[probe.series], 1.6, Qt.PenStyle.DashLine))
                painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
            self._draw_readout(painter, box)
        painter.setPen(pen(t.hairline))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        painter.end()

    def _draw_time(self, painter: QPainter, box: QRectF, end: float) -> None:
        t = self._look.t
        painter.setFont(self._look.font(11))
        step = even_step(end / 6.0)
        for k in range(int(end / step) + 1):
            y = box.top() + k * step / end * box.height()
            number = f"{k * step * 1e9:.6g}"
            rect = QRectF(LEFT - 50, min(max(y - 8, 0), self.height() - 16), 44, 16)
            # The title above the first labels stays legible.
            text(painter, rect, number, t.secondary, Qt.AlignmentFlag.AlignRight)

    def _draw_bar(self, painter: QPainter, box: QRectF) -> None:
        t, result = self._look.t, self._result
        assert self._bar is not None
        assert result is not None
        bar = QRectF(box.right() + 8, box.top() + 4, 9, box.height() - 8)
        painter.drawImage(bar, self._bar)
        bottom, top = self._levels
        painter.setFont(self._look.font(11))
        marks = {*self._levels_of, float(self._route.volts.max()) if self._route else top}
        drawn: list[float] = []
        for volts in sorted(marks):
            y = bar.bottom() - (volts - bottom) / (top - bottom) * bar.height()
            if all(abs(y - other) > 14 for other in drawn):
                drawn.append(y)
                label = format_si(volts, "voltage", like=top, digits=2)
                text(painter, QRectF(bar.right() + 4, y - 8, 48, 16), label, t.secondary)

    def _at(self, point: QPointF) -> tuple[float, float, float] | None:
        """Delay, time and voltage under a point."""
        result, route, box = self._result, self._route, self._box
        if result is None or route is None or not box.contains(point):
            return None
        delay = (point.x() - box.left()) / box.width() * route.delay
        time = (point.y() - box.top()) / box.height() * float(result.time[-1])
        i = int(np.abs(route.places - delay).argmin())
        volts = float(np.interp(time, result.time, route.volts[i]))
        return delay, time, volts

    def _draw_readout(self, painter: QPainter, box: QRectF) -> None:
        if self._hover is None:
            return
        found = self._at(self._hover)
        if found is None:
            return
        t = self._look.t
        delay, time, volts = found
        words = f"{delay * 1e12:.0f} ps · {time * 1e9:.2f} ns · {format_si(volts, 'voltage')}"
        painter.setFont(self._look.mono(11))
        width = painter.fontMetrics().horizontalAdvance(words) + 12
        x = min(self._hover.x() + 12, box.right() - width)
        y = max(self._hover.y() - 24, box.top())
        painter.setPen(pen(t.hairline))
        painter.setBrush(QColor(t.sheet))
        painter.drawRoundedRect(QRectF(x, y, width, 20), 5, 5)
        text(painter, QRectF(x + 6, y, width, 20), words, t.ink)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        x, box = event.position().x(), self._box
        near = [
            (abs(box.left() + p.share * box.width() - x), i)
            for i, p in enumerate(self._probes.items)
        ]
        distance, index = min(near)
        # Away from every probe, the middle one comes to the place that was pressed.
        self._dragging = index if distance < 8 else 1
        self._slide(x)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        self._hover = event.position()
        if self._dragging is not None:
            self._slide(event.position().x())
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._dragging = None

    def leaveEvent(self, event: QEvent | None) -> None:
        self._hover = None
        self.update()

    def _slide(self, x: float) -> None:
        if self._dragging is not None and self._result is not None:
            self._probes.move(self._dragging, (x - self._box.left()) / self._box.width())
