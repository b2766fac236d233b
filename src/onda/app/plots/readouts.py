"""What a plot tells: curves under the pointer, and two cursors with their differences."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor

from onda.app.plots.axes import Axis
from onda.app.plots.cursors import Cursor, Trace, cursor_words, snapped
from onda.app.plots.curve import Curve
from onda.app.plots.zooming import ZoomBox
from onda.app.theme import Look

__all__ = ["Readouts"]


class Readouts:
    """The readout at the pointer and the two cursors of a plot.

    Attributes
    ----------
    told : lines that the cursors read
    """

    def __init__(self, plot: Any, box: ZoomBox, look: Look) -> None:
        self._plot, self._box, self._look = plot, box, look
        self._cursors: list[Cursor] = []
        self._pointer: QPointF | None = None
        self._axes = Axis(""), Axis("")
        self._lines: list[Any] = []
        self.told: list[str] = []
        self._is_made = False

    def _make(self) -> None:
        """What is drawn, made at the first need: most plots are never pointed at."""
        if self._is_made:
            return
        self._is_made = True
        self.readout = pg.TextItem(anchor=(1, 0))
        self.readout.setZValue(50)
        self.words = pg.TextItem(anchor=(0, 1))
        self.words.setZValue(49)
        self._cross = pg.InfiniteLine(angle=90, movable=False)
        self._cross.setZValue(40)
        self._dots = pg.ScatterPlotItem(size=8)
        for always in (self._cross, self.readout, self.words, self._dots):
            self._plot.addItem(always, ignoreBounds=True)
            always.hide()
        self.restyle()

    def restyle(self) -> None:
        """In the colours of the look, on ground of their own."""
        if not self._is_made:
            return
        t = self._look.t
        ground = QColor(t.sheet)
        ground.setAlpha(225)
        self._cross.setPen(pg.mkPen(t.secondary, style=Qt.PenStyle.DotLine))
        for readout in (self.readout, self.words):
            readout.setFont(self._look.mono(11))
            readout.setColor(t.ink)
            readout.fill = pg.mkBrush(ground)
            readout.border = pg.mkPen(t.hairline)

    @property
    def points(self) -> bool:
        """Whether the pointer is in the plot."""
        return self._pointer is not None

    @property
    def has_cursors(self) -> bool:
        """Whether a cursor is set."""
        return bool(self._cursors)

    # ---- the pointer

    def point(self, at: QPointF, curves: Sequence[Curve], x: Axis, y: Axis) -> None:
        """The pointer is at a point of the view: read every curve there."""
        self._make()
        self._pointer = at
        across = 10.0 ** at.x() if x.log else at.x()
        lines = [f"{across:.4g} {x.unit}"]
        for curve in curves:
            if len(curve.x) and not curve.many and curve.x[0] <= across <= curve.x[-1]:
                value = float(np.interp(across, curve.x, curve.y))
                lines.append(f"{curve.name} {value:.4g} {y.unit}".replace("-", "−"))
        self.readout.setText("\n".join(lines))
        (left, right), (_, top) = self._box.viewRange()
        on_right = at.x() > 0.5 * (left + right)
        self.readout.setAnchor((1, 0) if on_right else (0, 0))
        self.readout.setPos(at.x(), top)
        self._cross.setPos(at.x())
        self._cross.show()
        self.readout.show()

    def leave(self) -> None:
        """The pointer has left."""
        self._pointer = None
        self.hide()

    def hide(self) -> None:
        """Nothing is read until the pointer moves."""
        if self._is_made:
            self._cross.hide()
            self.readout.hide()

    # ---- cursors

    def set_cursor(self, curves: Sequence[Curve], x: Axis, y: Axis) -> None:
        """Put a cursor where the pointer is, on the nearest curve."""
        if self._pointer is None:
            return
        across = 10.0 ** self._pointer.x() if x.log else self._pointer.x()
        up = 10.0 ** self._pointer.y() if y.log else self._pointer.y()
        _, _, low, high = self._box.view
        found = snapped(across, up, _traces(curves), high - low)
        if found is not None:
            self._cursors = [*self._cursors[-1:], found]
            self.draw(curves, x, y)

    def clear(self) -> None:
        """Take both cursors away."""
        self._cursors = []
        self.draw((), *self._axes)

    def draw(self, curves: Sequence[Curve], x: Axis, y: Axis) -> None:
        """Draw the cursors on the curves as they are now."""
        self._axes = x, y
        if not self._cursors and not self._is_made:
            return
        self._make()
        t, traces = self._look.t, _traces(curves)
        self.told = cursor_words(self._cursors, traces, x.unit, y.unit)
        while len(self._lines) < len(self._cursors):
            line = pg.InfiniteLine(angle=90, label="", labelOpts={"position": 0.06})
            self._plot.addItem(line, ignoreBounds=True)
            self._lines.append(line)
        while len(self._lines) > len(self._cursors):
            self._plot.removeItem(self._lines.pop())
        points = []
        for mark, line, cursor in zip("AB", self._lines, self._cursors, strict=False):
            at = float(np.log10(cursor.x)) if x.log else cursor.x
            line.setPos(at)
            line.setPen(pg.mkPen(t.ink, width=1.0, style=Qt.PenStyle.DashLine))
            line.label.setFormat(mark)
            line.label.setColor(t.ink)
            line.label.setFont(self._look.font(11, bold=True))
            on = cursor.on(traces)
            if on is not None:
                points.append((at, float(np.log10(on[1])) if y.log else on[1]))
        self._dots.setVisible(bool(points))
        self._dots.setData(
            [p[0] for p in points],
            [p[1] for p in points],
            brush=pg.mkBrush(t.ink),
            pen=pg.mkPen(t.sheet),
        )
        self.words.setVisible(bool(self._cursors))
        if self._cursors:
            self.words.setText("\n".join(self.told))
            left, _, low, _ = self._box.view
            self.words.setPos(left, low)


def _traces(curves: Sequence[Curve]) -> list[Trace]:
    """What cursors can sit on; curves of one name are told apart by their order."""
    seen: dict[str, int] = {}
    out = []
    for curve in curves:
        if len(curve.x) < 2 or curve.many:
            continue
        n = seen[curve.name] = seen.get(curve.name, 0) + 1
        out.append(Trace(f"{curve.name}/{n}", curve.name, curve.x, curve.y))
    return out
