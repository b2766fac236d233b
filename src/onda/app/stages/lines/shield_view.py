"""A shielded section with the picture of one of its modes."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.plots.sharing import offer_share
from onda.app.shell.painting import pen, text
from onda.app.theme import Look
from onda.studies.lines.shield import GuidedMode
from onda.studies.lines.solved_line import CrossSection

__all__ = ["ShieldView"]

_ARROW = 15.0


class ShieldView(QWidget):
    """Draws the section to scale; electric field as arrows, what lies along the line as colour."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        offer_share(self, look, "Closed section")
        self._section: CrossSection | None = None
        self._mode: GuidedMode | None = None
        self._magnetic = False
        self._title = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(180)
        self.setAccessibleName("Shielded section")
        look.changed.connect(self.update)

    def show_section(self, section: CrossSection | None) -> None:
        """Show a section; its picture goes away until the new one is there."""
        if section != self._section:
            self._section, self._mode = section, None
        self.update()

    def show_mode(self, mode: GuidedMode | None, title: str, *, magnetic: bool) -> None:
        """Show a mode's electric or magnetic field."""
        self._mode, self._title, self._magnetic = mode, title, magnetic
        self.setAccessibleDescription(title)
        self.update()

    def _scale(self) -> tuple[float, float, float]:
        """Pixels per metre, and the pixel of the origin."""
        assert self._section is not None
        wall = next(c for c in self._section.conductors if c.role == "shield")
        p = np.asarray(wall.polygon)
        (x0, y0), (x1, y1) = p.min(axis=0), p.max(axis=0)
        scale = min((self.width() - 40) / (x1 - x0), (self.height() - 50) / (y1 - y0))
        left = 0.5 * self.width() - 0.5 * (x0 + x1) * scale
        base = 0.5 * self.height() + 12 + 0.5 * (y0 + y1) * scale
        return float(scale), float(left), float(base)

    def _place(self, x: float, y: float) -> QPointF:
        scale, left, base = self._scale()
        return QPointF(left + x * scale, base - y * scale)

    def _shape(self, polygon: tuple[tuple[float, float], ...]) -> QPolygonF:
        return QPolygonF([self._place(x, y) for x, y in polygon])

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = self._look.t
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(t.sheet))
        if self._section is not None:
            self._draw_section(painter)
        painter.setPen(pen(t.hairline))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
        painter.setFont(self._look.font(11))
        text(painter, QRectF(10, 4, self.width() - 20, 18), self._title, t.secondary)
        painter.end()

    def _draw_section(self, painter: QPainter) -> None:
        t, section = self._look.t, self._section
        assert section is not None
        wall = next(c for c in section.conductors if c.role == "shield")
        inside = QPainterPath()
        inside.addPolygon(self._shape(wall.polygon))
        inside.closeSubpath()
        outer = self._shape(wall.polygon).boundingRect().adjusted(-9, -9, 9, 9)
        painter.setPen(pen(t.copper_edge, 1.2))
        painter.setBrush(QColor(t.copper))
        if len(wall.polygon) > 12:
            painter.drawEllipse(outer)
        else:
            painter.drawRect(outer)
        painter.save()
        painter.setClipPath(inside)
        painter.fillPath(inside, QColor(t.sheet))
        painter.setPen(Qt.PenStyle.NoPen)
        for layer in section.layers:
            top, bottom = self._place(0, layer.y1).y(), self._place(0, layer.y0).y()
            painter.fillRect(QRectF(0, top, self.width(), bottom - top), QColor(t.dielectric_low))
        painter.setBrush(QColor(t.dielectric_low))
        for region in section.regions:
            painter.drawPolygon(self._shape(region.polygon))
        self._draw_along(painter)
        painter.restore()
        painter.setPen(pen(t.copper_edge, 1.2))
        painter.setBrush(QColor(t.copper))
        for c in section.conductors:
            if c.role != "shield":
                painter.drawPolygon(self._shape(c.polygon))
        self._draw_arrows(painter)

    def _draw_along(self, painter: QPainter) -> None:
        """The component along the line as tint, where the shown field has it."""
        mode, t = self._mode, self._look.t
        if mode is None or mode.along_is == "none":
            return
        if (mode.along_is == "H") != self._magnetic:
            return
        scale, _, _ = self._scale()
        size = scale * _spacing(mode) + 1.0
        for (x, y), value in zip(mode.points, mode.along, strict=True):
            color = QColor(t.sea if value >= 0 else t.below_zero)
            color.setAlpha(int(170 * min(abs(float(value)), 1.0)))
            at = self._place(float(x), float(y))
            painter.fillRect(QRectF(at.x() - size / 2, at.y() - size / 2, size, size), color)

    def _draw_arrows(self, painter: QPainter) -> None:
        mode, t = self._mode, self._look.t
        if mode is None:
            return
        arrows = mode.magnetic if self._magnetic else mode.electric
        color = QColor(t.series[1] if self._magnetic else t.ink)
        for (x, y), (ax, ay) in zip(mode.points, arrows, strict=True):
            strength = float(np.hypot(ax, ay))
            if strength < 0.02:
                continue
            # The root keeps weak parts of the field visible.
            length = _ARROW * strength**0.4
            at = self._place(float(x), float(y))
            dx, dy = ax / strength * length / 2, -ay / strength * length / 2
            color.setAlpha(int(90 + 165 * min(strength**0.5, 1.0)))
            painter.setPen(pen(color, 1.2))
            tip = QPointF(at.x() + dx, at.y() + dy)
            painter.drawLine(QPointF(at.x() - dx, at.y() - dy), tip)
            for turn in (2.6, -2.6):
                c, s = np.cos(turn), np.sin(turn)
                wing = QPointF(
                    tip.x() + 0.45 * (dx * c - dy * s), tip.y() + 0.45 * (dx * s + dy * c)
                )
                painter.drawLine(tip, wing)


def _spacing(mode: GuidedMode) -> float:
    xs = np.unique(np.round(mode.points[:, 0], 9))
    return float(np.min(np.diff(xs))) if len(xs) > 1 else 1e-4
