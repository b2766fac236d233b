"""The tolerance run: how many boards of many meet the limits, and which dimension matters."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from onda.app.plots.curves import Axis, Bars, Curve, CurvePlot
from onda.app.shell.fields import NumberRows, label
from onda.app.shell.painting import pen, text
from onda.app.theme import Look
from onda.studies.lines.tolerance import Cause, ToleranceResult

__all__ = ["SpreadView"]

_BINS = 36


class _Shares(QWidget):
    """A bar for each cause: its share of the variance."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._causes: tuple[Cause, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Share of the spread by cause")
        look.changed.connect(self.update)

    def show_causes(self, causes: tuple[Cause, ...]) -> None:
        """Show causes from the strongest down."""
        self._causes = causes
        self.setAccessibleDescription("; ".join(f"{c.name} {c.share:.0%}" for c in causes))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t = self._look, self._look.t
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        row = min(26.0, self.height() / max(len(self._causes), 1))
        for k, cause in enumerate(self._causes):
            top = k * row
            painter.setFont(look.font(11))
            text(painter, QRectF(0, top, 130, row), f"{cause.name} ±{cause.spread}", t.ink)
            painter.setFont(look.mono(11))
            text(
                painter,
                QRectF(self.width() - 38, top, 38, row),
                f"{cause.share:.0%}",
                t.ink,
                Qt.AlignmentFlag.AlignRight,
            )
            room = QRectF(134, top + row / 2 - 4, max(self.width() - 176.0, 10.0), 8)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.track))
            painter.drawRoundedRect(room, 3, 3)
            painter.setBrush(QColor(t.series[1] if k == 0 else t.sea))
            painter.drawRoundedRect(
                QRectF(room.left(), room.top(), max(room.width() * cause.share, 2.0), 8), 3, 3
            )
        if self._causes:
            painter.setPen(pen(t.hairline))
            painter.drawLine(QPointF(133, 0), QPointF(133, row * len(self._causes)))
        painter.end()


class SpreadView(QWidget):
    """Histogram of the boards with the limits, the yield in words, the causes."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 2, 0, 0)
        line.setSpacing(16)
        left = QVBoxLayout()
        self.sentence = label("", "heading", wrap=True)
        # A long sentence must not take the room of what stands beside.
        self.sentence.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        left.addWidget(self.sentence)
        self.plot = CurvePlot(look, Axis("Impedance", "Ω"), Axis("Boards"), axis_width=36)
        left.addWidget(self.plot, 1)
        line.addLayout(left, 5)
        middle = QVBoxLayout()
        middle.addWidget(label("What the spread comes from", "heading"))
        self.shares = _Shares(look)
        middle.addWidget(self.shares, 1)
        line.addLayout(middle, 4)
        right = QVBoxLayout()
        right.addWidget(label("The run", "heading"))
        self.numbers = NumberRows(look)
        right.addWidget(self.numbers)
        self.note = label(
            "The stated spread is three standard deviations. Copper and width, and the heights of "
            "one board, go together as set in Stackup.",
            "secondary",
            wrap=True,
        )
        right.addWidget(self.note)
        right.addStretch(1)
        line.addLayout(right, 4)

    def show_running(self) -> None:
        """Say that the boards are being made."""
        self._show_none("Making boards…", " ")

    def show_problem(self, words: str) -> None:
        """Say why there is no run."""
        self._show_none(words, "")

    def _show_none(self, words: str, empty: str) -> None:
        """What an earlier run found is of another line, or of a build that is no more."""
        self.sentence.setText(words)
        self.plot.show_curves([], empty=empty)
        self.shares.show_causes(())
        self.numbers.set_rows([])

    def show_result(self, result: ToleranceResult, low: float, high: float) -> None:
        """Show a run against limits in ohm (NaN: none)."""
        t = self._look.t
        counts, edges = np.histogram(result.z, bins=_BINS)
        middle = 0.5 * (edges[1:] + edges[:-1])
        outline = Curve("boards", middle, counts.astype(float), t.sea, 1.0)
        tall = float(counts.max())
        limits = [
            Curve(
                f"limit {v:g} Ω",
                np.array([v, v]),
                np.array([0.0, tall * 1.05]),
                t.fails,
                1.4,
                limit=True,
                note=True,
            )
            for v in (low, high)
            if not math.isnan(v)
        ]
        bars = [Bars(middle, counts.astype(float), 0.0, float(edges[1] - edges[0]) * 0.92, t.sea)]
        x0 = min([float(edges[0]), *([low] if not math.isnan(low) else [])])
        x1 = max([float(edges[-1]), *([high] if not math.isnan(high) else [])])
        room = 0.04 * (x1 - x0)
        self.plot.show_curves(
            [outline, *limits], (), view=(x0 - room, x1 + room, 0.0, tall * 1.1), bars=bars
        )
        if math.isnan(result.inside):
            words = f"{len(result.z)} boards: {result.mean:.1f} ± {3 * result.sigma:.1f} Ω"
        else:
            words = f"{result.inside:.1%} of {len(result.z)} boards are within the limits"
        if result.causes:
            words += f"; {result.causes[0].name} matters most"
        self.sentence.setText(words)
        self.shares.show_causes(result.causes)
        self.numbers.set_rows(
            [
                ("Boards", str(len(result.z)), "", ""),
                ("Mean", f"{result.mean:.2f}", "Ω", ""),
                ("Sigma", f"{result.sigma:.2f}", "Ω", ""),
                ("Solved directly", str(result.solved), "", ""),
                ("Surface off by", f"{100 * result.surface_error:.3f}", "%", ""),
            ]
        )
