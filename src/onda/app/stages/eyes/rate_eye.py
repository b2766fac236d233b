"""A statistical eye: density by decades, contours at the error rate, mask, measured sizes on it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.plots.axes import even_step
from onda.app.plots.colors import density_scale, image_of
from onda.app.plots.sharing import offer_share
from onda.app.shell.painting import pen, text
from onda.app.theme import Look
from onda.project.quantities import format_si
from onda.studies.links.inputs import Mask
from onda.studies.links.link import EyeAtRate, LinkEye, Setting

__all__ = ["RateEye", "reach_of"]

_LEFT, _BOTTOM, _TOP = 46.0, 22.0, 36.0
_DECADES = 14.0
"""From the most likely voltage down to where the picture is paper."""
_PALE = 3.0
_ROWS = 300
_ROOM = 1.08


class RateEye(QWidget):
    """One setting of a link's equalisers, or of a kept state."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        offer_share(self, look, "Eye at its error rate")
        self.link: LinkEye | None = None
        self.setting: Setting | None = None
        self.title, self.reach, self.is_kept = "", 1.0, False
        self._mask: Mask | None = None
        self._image: QImage | None = None
        self.setMinimumSize(150, 150)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        look.changed.connect(self._recolor)

    def show_setting(
        self,
        title: str,
        link: LinkEye,
        setting: Setting,
        mask: Mask | None,
        reach: float,
        *,
        kept: bool = False,
    ) -> None:
        """Show an eye on a scale of plus and minus `reach` volts."""
        self.title, self.link, self.setting = title, link, setting
        self._mask, self.reach, self.is_kept = mask, reach, kept
        self.setAccessibleName(f"Eye, {title}")
        self.setAccessibleDescription(self.words)
        self._recolor()

    @property
    def words(self) -> str:
        """What was measured: of the least of its eyes."""
        if self.link is None or self.setting is None:
            return ""
        if self.setting.height <= 0.0:
            return "closed"
        wide = self.setting.width / self.link.unit_interval
        return f"{format_si(self.setting.height, 'voltage')} by {wide:.3f} UI"

    def _recolor(self) -> None:
        if self.setting is None:
            return
        self._image = _image(self.setting, self.reach, density_scale(self._look.t))
        self.update()

    @property
    def _box(self) -> QRectF:
        return QRectF(_LEFT, _TOP, self.width() - _LEFT - 4, self.height() - _TOP - _BOTTOM)

    def _x(self, moment: float) -> float:
        assert self.link is not None
        half = float(self.link.moments[-1])
        box = self._box
        return box.center().x() + 0.5 * box.width() * moment / half

    def _y(self, volts: float) -> float:
        box = self._box
        return box.center().y() - 0.5 * box.height() * volts / self.reach

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t, box = self._look, self._look.t, self._box
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(box, QColor(t.sheet))
        if self.link is not None and self.setting is not None and self._image is not None:
            painter.drawImage(box, self._image)
            painter.setFont(look.font(12, bold=True))
            ink = t.kept_ink if self.is_kept else t.ink
            text(painter, QRectF(2, 0, self.width() - 4, 17), self.title, ink)
            painter.setFont(look.mono(11))
            closed = self.setting.height <= 0.0
            where = QRectF(2, 17, self.width() - 4, 16)
            text(painter, where, self.words, t.fails if closed else t.ink)
            painter.setClipRect(box)
            self._draw_mask(painter)
            for eye in self.setting.eyes:
                self._draw_eye(painter, eye)
            painter.setClipping(False)
            self._draw_axes(painter, box)
        painter.setPen(pen(t.kept if self.is_kept else t.hairline, 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        painter.end()

    def _draw_axes(self, painter: QPainter, box: QRectF) -> None:
        assert self.link is not None
        look, t = self._look, self._look.t
        painter.setFont(look.font(11))
        step = even_step(self.reach / 3.2)
        n = int(self.reach / step)
        for k in range(-n, n + 1):
            number, unit = format_si(k * step, "voltage", like=self.reach, digits=2).split(" ")
            words = f"{number} {unit}" if k == n else number
            place = QRectF(0, self._y(k * step) - 8, _LEFT - 4, 16)
            text(painter, place, words, t.secondary, Qt.AlignmentFlag.AlignRight)
        for ui in (-0.5, 0.0, 0.5):
            x = self._x(ui * self.link.unit_interval)
            words = f"{ui:+.1f}".replace("-", "−") if ui else "0 UI"
            place = QRectF(x - 30, box.bottom() + 3, 60, 16)
            text(painter, place, words, t.secondary, Qt.AlignmentFlag.AlignHCenter)

    def _draw_mask(self, painter: QPainter) -> None:
        mask, t = self._mask, self._look.t
        if mask is None or self.link is None or self.setting is None:
            return
        unit = self.link.unit_interval
        fill = QColor(t.fails)
        fill.setAlpha(26)
        painter.setPen(pen(t.fails, 1.2, Qt.PenStyle.DashLine))
        painter.setBrush(fill)
        for eye in self.setting.eyes:
            points = [
                QPointF(self._x(x * unit), self._y(eye.threshold + y)) for x, y in mask.corners
            ]
            painter.drawPolygon(QPolygonF(points))

    def _draw_eye(self, painter: QPainter, eye: EyeAtRate) -> None:
        assert self.link is not None
        t, moments = self._look.t, self.link.moments
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(pen(t.ink, 1.5))
        at = eye.upper > eye.lower
        if not at.any():
            return
        # The opening around the sampling time, not what opens again beside it.
        middle = int(np.argmax(np.where(at, eye.upper - eye.lower, -np.inf)))
        first, last = middle, middle
        while first > 0 and at[first - 1]:
            first -= 1
        while last + 1 < len(at) and at[last + 1]:
            last += 1
        some = slice(first, last + 1)
        xs = [self._x(float(m)) for m in moments[some]]
        upper = [QPointF(x, self._y(float(v))) for x, v in zip(xs, eye.upper[some], strict=True)]
        lower = [QPointF(x, self._y(float(v))) for x, v in zip(xs, eye.lower[some], strict=True)]
        painter.drawPolygon(QPolygonF([*upper, *lower[::-1]]))
        painter.setPen(pen(t.tight, 1.2))
        if eye.width > 0.0:
            y = self._y(eye.threshold)
            painter.drawLine(QPointF(self._x(eye.left), y), QPointF(self._x(eye.right), y))
        if eye.height > 0.0:
            k = len(moments) // 2
            x = self._x(0.0)
            ends = (float(eye.lower[k]), float(eye.upper[k]))
            painter.drawLine(QPointF(x, self._y(ends[0])), QPointF(x, self._y(ends[1])))


def _image(setting: Setting, reach: float, scale: NDArray[np.uint8]) -> QImage:
    """The density by decades below its largest, from plus to minus `reach` volts."""
    density = setting.density
    step = float(setting.volts[1] - setting.volts[0])
    volts = reach * (1.0 - 2.0 * (np.arange(_ROWS) + 0.5) / _ROWS)
    # What lies within a row of the picture is gathered, so that nothing falls between.
    total = np.concatenate([np.zeros((len(density), 1)), np.cumsum(density, axis=1)], axis=1)
    edges = (volts[:, None] + np.array([-1.0, 1.0]) * reach / _ROWS - setting.volts[0]) / step + 0.5
    at = np.clip(edges, 0.0, len(setting.volts))
    known = np.arange(len(setting.volts) + 1)
    rows = np.stack([np.interp(at[:, 1], known, r) - np.interp(at[:, 0], known, r) for r in total])
    level = np.log10(np.maximum(rows.T, 1e-300) / max(float(rows.max()), 1e-300))
    # Steeper than the decades themselves: what is rare is there, but pale.
    share = np.clip(1.0 + level / _DECADES, 0.0, 1.0) ** _PALE
    share[rows.T <= 0.0] = 0.0
    return image_of(share, scale)


def reach_of(setting: Setting) -> float:
    """Volts within which all but the rarest lies."""
    most = setting.density.max(axis=0)
    heard = np.flatnonzero(most > 1e-12)
    ends = np.abs(setting.volts[heard[[0, -1]]]) if len(heard) else np.ones(1)
    return _ROOM * float(ends.max())
