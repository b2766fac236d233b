"""Entries in the complex plane, with circles of constant resistance and reactance or plainly."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QWidget

from onda.app.plots.sharing import offer_share
from onda.app.shell.painting import pen, text
from onda.app.theme import Look

__all__ = ["CirclePlot", "Locus"]


@dataclass(frozen=True)
class Locus:
    """A curve in the plane: name, Hz (f,), values (f,), colour."""

    name: str
    frequency: NDArray[np.float64]
    values: NDArray[np.complex128]
    color: str
    kept: int = 0


class CirclePlot(QWidget):
    """The unit circle with curves; the nearest point is read out under the mouse."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        offer_share(self, look, "Circle diagram")
        self._loci: list[Locus] = []
        self._impedance = True
        self._reference = 50.0
        self._mouse: QPointF | None = None
        self.setMouseTracking(True)
        self.setAccessibleName("Curves in the complex plane")
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(320, 300)

    def show_loci(self, loci: Sequence[Locus], *, impedance: bool, reference: float) -> None:
        """Show curves; `impedance` draws circles of constant resistance and reactance."""
        self._loci, self._impedance, self._reference = list(loci), impedance, reference
        self.update()

    def _frame(self) -> tuple[QPointF, float]:
        radius = 0.5 * min(self.width(), self.height()) - 16.0
        return QPointF(0.5 * self.width(), 0.5 * self.height()), max(radius, 20.0)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t = self._look, self._look.t
        centre, radius = self._frame()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(pen(t.hairline, 1.2))
        painter.setBrush(QColor(t.sheet))
        painter.drawEllipse(centre, radius, radius)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        clip = QPainterPath()
        clip.addEllipse(centre, radius, radius)
        painter.save()
        painter.setClipPath(clip)
        painter.drawLine(centre - QPointF(radius, 0), centre + QPointF(radius, 0))
        if self._impedance:
            for value in (0.2, 0.5, 1.0, 2.0, 5.0):
                r = radius / (1.0 + value)
                painter.drawEllipse(centre + QPointF(radius - r, 0), r, r)
                for sign in (-1.0, 1.0):
                    q = radius / value
                    painter.drawEllipse(centre + QPointF(radius, sign * q), q, q)
        else:
            painter.drawLine(centre - QPointF(0, radius), centre + QPointF(0, radius))
            for share in (0.25, 0.5, 0.75):
                painter.drawEllipse(centre, share * radius, share * radius)
        painter.restore()
        for locus in sorted(self._loci, key=lambda c: not c.kept):
            style = Qt.PenStyle.DashLine if locus.kept else Qt.PenStyle.SolidLine
            painter.setPen(pen(locus.color, 1.5, style))
            points = [
                centre + QPointF(radius * float(v.real), -radius * float(v.imag))
                for v in locus.values
            ]
            painter.drawPolyline(QPolygonF(points))
        self._draw_readout(painter, centre, radius)
        painter.setFont(look.font(11))
        for i, locus in enumerate(c for c in self._loci if not c.kept):
            rect = QRectF(self.width() - 214, 4 + 15 * i, 208, 15)
            text(painter, rect, locus.name, locus.color, Qt.AlignmentFlag.AlignRight)
        words = "circles of r and x" if self._impedance else "polar, rings at 0.25"
        text(painter, QRectF(4, self.height() - 18, 200, 16), words, t.secondary)
        painter.end()

    def _draw_readout(self, painter: QPainter, centre: QPointF, radius: float) -> None:
        found = self._nearest(centre, radius)
        if found is None:
            return
        look, t = self._look, self._look.t
        locus, k = found
        value = complex(locus.values[k])
        at = centre + QPointF(radius * value.real, -radius * value.imag)
        painter.setPen(pen(t.ink, 1.2))
        painter.setBrush(QColor(locus.color))
        painter.drawEllipse(at, 4.0, 4.0)
        lines = [f"{locus.name}  {locus.frequency[k] / 1e9:.4g} GHz"]
        level = 20.0 * math.log10(max(abs(value), 1e-10))
        angle = math.degrees(math.atan2(value.imag, value.real))
        lines.append(f"{level:.2f} dB  {angle:.1f}°".replace("-", "−"))
        if self._impedance and value != 1.0:
            z = self._reference * (1.0 + value) / (1.0 - value)
            lines.append(f"{z.real:.1f} {'+' if z.imag >= 0 else '−'} j{abs(z.imag):.1f} Ω")
        painter.setFont(look.mono(11))
        for i, line in enumerate(lines):
            text(painter, QRectF(6, 4 + 15 * i, 300, 15), line, t.ink)

    def _nearest(self, centre: QPointF, radius: float) -> tuple[Locus, int] | None:
        if self._mouse is None:
            return None
        off = self._mouse - centre
        point = complex(off.x() / radius, -off.y() / radius)
        best: tuple[float, Locus, int] | None = None
        for locus in self._loci:
            if not len(locus.values):
                continue
            away = np.abs(locus.values - point)
            k = int(away.argmin())
            if best is None or away[k] < best[0]:
                best = float(away[k]), locus, k
        return None if best is None or best[0] > 0.15 else (best[1], best[2])

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._mouse = event.position()
            self.update()

    def leaveEvent(self, event: QEvent | None) -> None:
        self._mouse = None
        self.update()
