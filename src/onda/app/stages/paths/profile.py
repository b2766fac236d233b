"""Impedance along the path, on the ribbon's delay scale."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.plots.sharing import offer_share
from onda.app.selection import Selection
from onda.app.shell.painting import pen, text
from onda.app.stages.paths.scale import LEFT, DelayScale, Probes
from onda.app.theme import Look
from onda.studies.paths.layout import Span

__all__ = ["Profile"]


class Profile(QWidget):
    """A stepped line, the kept ones dashed, the band that is wanted tinted."""

    def __init__(self, look: Look, selection: Selection, probes: Probes) -> None:
        super().__init__()
        self._look = look
        offer_share(self, look, "Impedance along the path")
        self._selection = selection
        self._probes = probes
        self._spans: tuple[Span, ...] = ()
        self._kept: list[tuple[Span, ...]] = []
        self._band: tuple[float, float] | None = None
        self._total: float | None = None
        self.setFixedHeight(70)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Impedance along the path")
        for signal in (look.changed, probes.changed, selection.hover_changed):
            signal.connect(self.update)

    def show_spans(
        self,
        spans: tuple[Span, ...],
        kept: list[tuple[Span, ...]],
        band: tuple[float, float] | None,
        total: float | None = None,
    ) -> None:
        """Show a profile, kept ones, and the band that a requirement allows.

        `total` is the delay of the whole scale, where the route is a part of it, s.
        """
        self._spans, self._kept, self._band = spans, kept, band
        self._total = total
        self.setAccessibleDescription(
            "; ".join(f"{s.label} {s.z:.0f} ohm" for s in spans if s.z > 0)
        )
        self.update()

    @property
    def _end(self) -> float:
        """Delay of the route, s."""
        return max((s.end for s in self._spans), default=1e-12)

    def _limits(self) -> tuple[float, float]:
        values = [s.z for part in (self._spans, *self._kept) for s in part if s.z > 0]
        values += list(self._band or ())
        return (0.9 * min(values), 1.08 * max(values)) if values else (0.0, 1.0)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t = self._look, self._look.t
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(look.font(12, bold=True))
        text(painter, QRectF(0, 2, 100, 18), "Impedance", t.ink)
        painter.setFont(look.font(11))
        text(painter, QRectF(0, 20, 80, 16), "along path, Ω", t.secondary)
        scale = DelayScale(self.width(), self._total or self._end)
        box = QRectF(LEFT, 2, scale.right - LEFT, self.height() - 4)
        painter.setPen(pen(t.hairline))
        painter.setBrush(QColor(t.sheet))
        painter.drawRect(box)
        if self._spans:
            self._draw(painter, box, scale)
        painter.end()

    def _draw(self, painter: QPainter, box: QRectF, scale: DelayScale) -> None:
        look, t = self._look, self._look.t
        low, high = self._limits()

        def y(z: float) -> float:
            return box.bottom() - (z - low) / (high - low) * box.height()

        if self._band is not None:
            tint = QColor(t.sea_tint)
            tint.setAlpha(150)
            top, bottom = y(self._band[1]), y(self._band[0])
            painter.fillRect(QRectF(box.left(), top, box.width(), bottom - top), tint)
        painter.setFont(look.font(11))
        shown: list[float] = []
        for z in sorted({round(s.z) for s in self._spans if s.z > 0}):
            # Numbers that would touch are left out; the readout on hover has them.
            if all(abs(y(z) - other) > 13 for other in shown):
                shown.append(y(z))
                label = QRectF(LEFT - 44, y(z) - 8, 38, 16)
                text(painter, label, f"{z:.0f}", t.secondary, Qt.AlignmentFlag.AlignRight)
        for kept in self._kept:
            painter.setPen(pen(t.kept, 1.4, Qt.PenStyle.DashLine))
            self._draw_steps(painter, kept, scale, y)
        painter.setPen(pen(t.ink, 1.6))
        self._draw_steps(painter, self._spans, scale, y)
        hovered = next(
            (s for s in self._spans if s.id == self._selection.hovered and s.z > 0), None
        )
        if hovered is not None:
            painter.setPen(pen(t.sea, 3))
            painter.drawLine(
                QPointF(scale.x(hovered.start), y(hovered.z)),
                QPointF(scale.x(hovered.end), y(hovered.z)),
            )
        for probe in self._probes.items:
            x = scale.x(probe.share * self._end)
            painter.setPen(pen(t.series[probe.series], 1.2, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))

    def _draw_steps(self, painter, spans, scale, y) -> None:  # type: ignore[no-untyped-def]
        before: QPointF | None = None
        for span in spans:
            if span.z <= 0:
                continue
            start = QPointF(scale.x(min(span.start, scale.total)), y(span.z))
            end = QPointF(scale.x(min(span.end, scale.total)), y(span.z))
            if before is not None:
                painter.drawLine(before, start)
            painter.drawLine(start, end)
            before = end
