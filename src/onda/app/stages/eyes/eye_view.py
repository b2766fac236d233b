"""The eye: density in one hue, the mask, and the measured width and height drawn on it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.plots.axes import even_step
from onda.app.plots.colors import density_scale, image_of
from onda.app.plots.sharing import offer_share
from onda.app.shell.painting import pen, text
from onda.app.theme import Look
from onda.project.quantities import fixed, format_si
from onda.studies.links.eye import Eye
from onda.studies.links.inputs import Mask

__all__ = ["EyeView"]

_LEFT, _BOTTOM, _TOP, _HISTOGRAM = 50.0, 20.0, 20.0, 58.0
_LEVELS = 40.0
"""How far the most frequent voltage reaches in from the right edge."""


class EyeView(QWidget):
    """Two unit intervals of an eye, the crossing histogram below on the same scale."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        offer_share(self, look, "Eye")
        self._eye: Eye | None = None
        self._mask: Mask | None = None
        self._hits: Sequence[float] = ()
        self._title = ""
        self._kept = False
        self._reach = 1.0
        self._image: QImage | None = None
        self._hover: QPointF | None = None
        self.setMinimumSize(260, 220)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self.setAccessibleName("Eye")
        look.changed.connect(self._recolor)

    def show_eye(
        self,
        title: str,
        eye: Eye,
        mask: Mask | None,
        hits: Sequence[float],
        reach: float,
        *,
        kept: bool = False,
    ) -> None:
        """Show an eye on a scale of plus and minus `reach` volts around its decision level."""
        self._title, self._eye, self._mask, self._hits = title, eye, mask, hits
        self._reach, self._kept = reach, kept
        self.setAccessibleDescription(
            f"{title}: width {eye.width:.3f} UI, height {format_si(eye.height, 'voltage')}"
        )
        self._recolor()

    def _recolor(self) -> None:
        eye = self._eye
        if eye is None:
            return
        self._image = _density_image(eye, self._reach, density_scale(self._look.t))
        self.update()

    @property
    def _box(self) -> QRectF:
        height = self.height() - _TOP - _BOTTOM - _HISTOGRAM - 6
        return QRectF(_LEFT, _TOP, self.width() - _LEFT - 4, height)

    def _x(self, ui: float) -> float:
        box = self._box
        return box.left() + (ui + 1.0) / 2.0 * box.width()

    def _y(self, volts: float) -> float:
        box = self._box
        return box.center().y() - volts / self._reach * box.height() / 2

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t, box = self._look, self._look.t, self._box
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(box, QColor(t.sheet))
        if self._eye is not None and self._image is not None:
            painter.drawImage(box, self._image)
            self._draw_head(painter, self._eye)
            self._draw_axes(painter, box)
            self._draw_mask(painter, self._eye)
            self._draw_measures(painter, self._eye)
            self._draw_crossings(painter, self._eye)
            self._draw_levels(painter, self._eye, box)
            self._draw_readout(painter, box)
        painter.setPen(pen(t.kept if self._kept else t.hairline, 1.4 if self._kept else 1.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        painter.setFont(look.font(11))
        painter.end()

    def _draw_head(self, painter: QPainter, eye: Eye) -> None:
        look, t, box = self._look, self._look.t, self._box
        painter.setFont(look.mono(12))
        words = f"{eye.width:.3f} UI   {format_si(eye.height, 'voltage')}"
        if eye.height <= 0:
            words = "closed"
        width = painter.fontMetrics().horizontalAdvance(words) + 6
        head = QRectF(box.left(), 0, box.width(), 18)
        text(
            painter,
            head,
            words,
            t.fails if eye.height <= 0 else t.ink,
            Qt.AlignmentFlag.AlignRight,
        )
        painter.setFont(look.font(12, bold=True))
        text(
            painter,
            head.adjusted(0, 0, -width, 0),
            self._title,
            t.kept_ink if self._kept else t.ink,
        )

    def _draw_axes(self, painter: QPainter, box: QRectF) -> None:
        look, t = self._look, self._look.t
        painter.setFont(look.font(11))
        step = even_step(self._reach / 3.2)
        n = int(self._reach / step)
        for k in range(-n, n + 1):
            y = self._y(k * step)
            number, unit = format_si(k * step, "voltage", like=self._reach, digits=2).split(" ")
            text(
                painter,
                QRectF(0, y - 8, _LEFT - 5, 16),
                number,
                t.secondary,
                Qt.AlignmentFlag.AlignRight,
            )
        for ui in (-1.0, -0.5, 0.0, 0.5, 1.0):
            x = min(max(self._x(ui), box.left() + 14), box.right() - 20)
            label = f"{ui:+.1f}".replace("-", "−") if ui else "0"
            rect = QRectF(x - 24, self.height() - 16, 48, 16)
            text(painter, rect, label, t.secondary, Qt.AlignmentFlag.AlignHCenter)
        # Names stand where no number is.
        text(painter, QRectF(2, 0, _LEFT, 18), unit, t.secondary)
        place = QRectF(self._x(0.55), self.height() - 16, 90, 16)
        text(painter, place, "Time, UI", t.secondary)

    def _draw_mask(self, painter: QPainter, eye: Eye) -> None:
        mask, t = self._mask, self._look.t
        if mask is None:
            return
        x = [at for at, _ in mask.corners]
        for one, hits in zip(eye.openings, self._hits, strict=False):
            away = one.threshold - eye.base
            shape = QPolygonF([QPointF(self._x(a), self._y(away + v)) for a, v in mask.corners])
            fill = QColor(t.fails)
            fill.setAlpha(120 if hits else 26)
            painter.setPen(pen(t.fails, 1.6, Qt.PenStyle.DashLine))
            painter.setBrush(fill)
            painter.drawPolygon(shape)
            if hits:
                painter.setFont(self._look.font(11, bold=True))
                left, right = self._x(min(x)), self._x(max(x))
                rect = QRectF(left, self._y(away) - 9, right - left, 18)
                text(painter, rect, f"{hits:.0f} hits", t.ink, Qt.AlignmentFlag.AlignHCenter)

    def _draw_measures(self, painter: QPainter, eye: Eye) -> None:
        t = self._look.t
        painter.setPen(pen(t.ink, 1.4))
        offset = eye.base
        middle = eye.density.shape[0] // 2
        for one in eye.openings:
            y = self._y(one.threshold - offset)
            if one.height > 0:
                top = self._y(float(one.high_edge[middle]) - offset)
                bottom = self._y(float(one.low_edge[middle]) - offset)
                x = self._x(0.0)
                _arrow(painter, QPointF(x, bottom), QPointF(x, top))
                label = format_si(one.height, "voltage")
                self._label(painter, QPointF(x + 6, 0.5 * (top + y) - 9), label)
            if one.width > 0:
                left, right = self._x(-one.width / 2), self._x(one.width / 2)
                _arrow(painter, QPointF(left, y), QPointF(right, y))
                at = QPointF(self._x(0.17 * one.width) + 8, y + 3)
                self._label(painter, at, f"{one.width:.3f} UI")

    def _label(self, painter: QPainter, at: QPointF, words: str) -> None:
        t = self._look.t
        painter.setFont(self._look.mono(11))
        width = painter.fontMetrics().horizontalAdvance(words) + 8
        back = QColor(t.sheet)
        back.setAlpha(225)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(back)
        rect = QRectF(at.x(), at.y(), width, 17)
        painter.drawRoundedRect(rect, 4, 4)
        text(painter, rect, words, t.ink, Qt.AlignmentFlag.AlignHCenter)
        painter.setPen(pen(t.ink, 1.4))

    def _draw_crossings(self, painter: QPainter, eye: Eye) -> None:
        look, t, box = self._look, self._look.t, self._box
        base = self.height() - _BOTTOM
        top = box.bottom() + 6
        painter.setFont(look.font(11))
        counts = np.sum([one.crossings for one in eye.openings], axis=0)
        n = len(counts)
        twice = np.concatenate([counts[n // 2 :], counts, counts[: n // 2]])
        peak = max(int(twice.max()), 1)
        width = box.width() / len(twice)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.sea))
        outline = [QPointF(box.left(), base)]
        for i, count in enumerate(twice):
            y = base - (base - top - 2) * float(count) / peak
            outline += [
                QPointF(box.left() + i * width, y),
                QPointF(box.left() + (i + 1) * width, y),
            ]
        outline.append(QPointF(box.right(), base))
        painter.drawPolygon(QPolygonF(outline))
        painter.setPen(pen(t.hairline))
        painter.drawLine(QPointF(box.left(), base), QPointF(box.right(), base))
        words = f"crossings {eye.jitter_pp:.3f} UI p-p"
        rect = QRectF(box.left(), top, box.width(), 16)
        text(painter, rect, words, t.secondary, Qt.AlignmentFlag.AlignHCenter)

    def _draw_levels(self, painter: QPainter, eye: Eye, box: QRectF) -> None:
        """How often each voltage is sampled, along the right edge."""
        counts = eye.density[eye.density.shape[0] // 2]
        peak = max(float(counts.max()), 1.0)
        ink = QColor(self._look.t.copper)
        ink.setAlpha(170)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ink)
        outline = [QPointF(box.right(), self._y(eye.v_low - eye.base))]
        for k, count in enumerate(counts):
            x = box.right() - _LEVELS * float(count) / peak
            for edge in (k, k + 1):
                outline.append(QPointF(x, self._y(eye.v_low + edge * eye.v_step - eye.base)))
        outline.append(QPointF(box.right(), outline[-1].y()))
        painter.save()
        painter.setClipRect(box)
        painter.drawPolygon(QPolygonF(outline))
        painter.restore()

    def _draw_readout(self, painter: QPainter, box: QRectF) -> None:
        if self._hover is None or not box.contains(self._hover):
            return
        ui = (self._hover.x() - box.left()) / box.width() * 2 - 1
        volts = (box.center().y() - self._hover.y()) / (box.height() / 2) * self._reach
        words = f"{fixed(ui, 3, sign=True)} UI · {format_si(volts, 'voltage')}"
        self._label(painter, QPointF(box.left() + 6, box.top() + 4), words)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._hover = event.position()
            self.update()

    def leaveEvent(self, event: QEvent | None) -> None:
        self._hover = None
        self.update()


def _density_image(eye: Eye, reach: float, scale: NDArray[np.uint8]) -> QImage:
    """Image of two unit intervals, plus and minus `reach` volts, brightness by logarithm."""
    half = eye.density.shape[0] // 2
    twice = np.concatenate([eye.density[half:], eye.density, eye.density[:half]])
    rows = 420
    volts = eye.base + reach * (1.0 - (np.arange(rows) + 0.5) / rows * 2.0)
    place = (volts - eye.v_low) / eye.v_step - 0.5
    below = np.floor(place).astype(int)
    share = (place - below)[:, None]
    padded = np.zeros((twice.shape[0], eye.density.shape[1] + 2))
    padded[:, 1:-1] = twice
    lower = padded[:, np.clip(below + 1, 0, padded.shape[1] - 1)].T
    upper = padded[:, np.clip(below + 2, 0, padded.shape[1] - 1)].T
    field = (1.0 - share) * lower + share * upper
    # A power well below one, so that the rarest trace is seen beside the most frequent ones.
    often = float(np.quantile(field[field > 0], 0.98)) if np.any(field > 0) else 1.0
    strength = np.where(field > 0, 0.1 + 0.9 * np.clip(field / often, 0.0, 1.0) ** 0.5, 0.0)
    return image_of(strength, scale)


def _arrow(painter: QPainter, start: QPointF, end: QPointF) -> None:
    painter.drawLine(start, end)
    across = QPointF(-(end.y() - start.y()), end.x() - start.x())
    size = max((across.x() ** 2 + across.y() ** 2) ** 0.5, 1e-9)
    bar = across * (5.0 / size)
    for point in (start, end):
        painter.drawLine(point - bar, point + bar)
