"""Eyes bit by bit: now beside a kept state, the pulse with its cursors, the worst pattern."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from onda.app.kit.kept import Kept
from onda.app.plots.curves import Axis, Curve, CurvePlot
from onda.app.shell.fields import label
from onda.app.stages.eyes.eye_view import EyeView
from onda.app.theme import Look
from onda.studies.links.eye import EyeResult
from onda.studies.links.inputs import Mask

__all__ = ["BitsView", "grouped"]


class BitsView(QWidget):
    """An eye, one of a kept state beside it, and below what it is made of."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        row.setContentsMargins(0, 2, 0, 0)
        row.setSpacing(12)
        self.eye, self.kept_eye = EyeView(look), EyeView(look)
        self.kept_eye.hide()
        row.addWidget(self.eye, 1)
        row.addWidget(self.kept_eye, 1)
        column.addLayout(row, 7)
        column.addLayout(self._plots(look), 3)

    def _plots(self, look: Look) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(2)
        self.pulse = CurvePlot(look, Axis("Time", "UI"), Axis("Voltage", "mV"), axis_width=40)
        self.worst = CurvePlot(look, Axis("Bit"), Axis("Sent"), axis_width=30)
        for i, (plot, title) in enumerate(
            (
                (self.pulse, "Pulse response and cursors, mV over UI"),
                (self.worst, "Worst pattern"),
            )
        ):
            grid.addWidget(label(title, "heading"), 0, i)
            grid.addWidget(plot, 1, i)
        grid.setRowStretch(1, 1)
        grid.setColumnStretch(0, 3)
        grid.setColumnStretch(1, 2)
        return grid

    def show_eye(self, result: EyeResult, named: Kept[EyeResult] | None, mask: Mask | None) -> None:
        """Show an eye beside that of a kept state."""
        kept = named.result if named is not None else None
        reach = max(_reach(r) for r in (result, kept) if r is not None)
        what = "bits" if len(result.levels) == 2 else "symbols"
        title = "Now" if kept else f"Eye over {grouped(result.eye.bits)} {what}"
        self.eye.show_eye(title, result.eye, mask, result.hits, reach)
        self.kept_eye.setVisible(kept is not None)
        if kept is not None and named is not None:
            words = f"Kept: {named.name}"
            self.kept_eye.show_eye(words, kept.eye, mask, kept.hits, reach, kept=True)
        self._draw_pulse(result, named)

    def _draw_pulse(self, result: EyeResult, kept: Kept[EyeResult] | None) -> None:
        t = self._look.t
        curves = []
        drawn = [("now", result, t.sea, 0)]
        if kept is not None:
            drawn.append((kept.called(), kept.result, t.kept, kept.number))
        for name, r, color, number in drawn:
            n = r.pulse.samples_per_ui
            ui = (np.arange(len(r.pulse.flat)) - r.peak.phase) / n - r.peak.main
            curves.append(Curve(name, ui, r.pulse.flat * 1e3, color, 1.6, number))
        last = min(len(result.peak.cursors) - result.peak.main, 14)
        marks = [
            (
                float(k),
                float(result.peak.cursors[k + result.peak.main] * 1e3),
                t.ink if k == 0 else t.secondary,
            )
            for k in range(-result.peak.main, last)
        ]
        high = 1.12e3 * float(result.pulse.flat.max())
        low = min(1.2e3 * float(result.pulse.flat.min()), -0.06 * high)
        self.pulse.show_curves(curves, view=(-2.0, 13.0, low, high), marks=marks)
        bits = result.peak.worst_one[-16 - result.peak.main :].astype(float)
        at = np.arange(len(bits) + 1, dtype=float) - (len(bits) - 1 - result.peak.main) - 0.5
        steps = Curve("bit", np.repeat(at, 2)[1:-1], np.repeat(bits, 2), t.sea, 1.6)
        top = float(len(result.levels) - 1)
        self.worst.show_curves([steps], view=(float(at[0]), float(at[-1]), -0.25 * top, 1.25 * top))


def grouped(count: int) -> str:
    """A whole number with its digits in threes."""
    return f"{count:,}".replace(",", "\u202f")


def _reach(result: EyeResult) -> float:
    """Volts that the traces reach from the decision level, with some room."""
    eye = result.eye
    levels = np.flatnonzero(eye.density.sum(axis=0) > 0)
    top = eye.v_low + (levels[-1] + 1) * eye.v_step - eye.base
    bottom = eye.base - (eye.v_low + levels[0] * eye.v_step)
    return 1.12 * float(max(top, bottom))
