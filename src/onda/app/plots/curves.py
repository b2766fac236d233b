"""A plot of curves in the look of the rest: limits, kept curves dashed, a readout that snaps."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QSizePolicy

from onda.app.theme import Look

__all__ = ["Bars", "Curve", "CurvePlot", "Limit"]

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class Curve:
    """One curve in shown units. `note` is written at its end; a kept curve is dashed and muted."""

    name: str
    x: FloatArray
    y: FloatArray
    color: str
    width: float = 1.4
    kept: bool = False
    note: bool = False


@dataclass(frozen=True)
class Limit:
    """A horizontal limit from `x0` to `x1` (whole width where None), with its source."""

    y: float
    text: str
    x0: float | None = None
    x1: float | None = None


@dataclass(frozen=True)
class Bars:
    """Bars at `x` from `base` up to `y`, `width` wide, all in shown units."""

    x: FloatArray
    y: FloatArray
    base: float
    width: float
    color: str


class _UnitAxis(pg.AxisItem):
    """An axis whose last number carries the unit."""

    def __init__(self, orientation: str, unit: str) -> None:
        super().__init__(orientation)
        self._own_unit = unit

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        """Numbers as shown; in a logarithmic plot `values` are exponents."""
        shown = [10.0**v if self.logMode else v for v in values]
        if self.logMode:
            texts = [
                f"{v:g}" if abs(e - round(e)) < 1e-6 else ""
                for v, e in zip(shown, values, strict=True)
            ]
        else:
            texts = [f"{round(v / spacing) * spacing:.6g}".replace("-", "−") for v in shown]
        for i, value in enumerate(values):
            if self._own_unit and texts[i] and value == self._with_unit:
                texts[i] = f"{texts[i]} {self._own_unit}"
        return texts

    _with_unit = math.nan

    def tickValues(
        self, minVal: float, maxVal: float, size: float
    ) -> list[tuple[float, list[float]]]:
        """Ticks by level, coarsest first; picks the one that will carry the unit."""
        levels = super().tickValues(minVal, maxVal, size)
        # Two levels are labelled; near the end of the axis there is no room for a unit.
        room = 0.04 if self.orientation == "left" else 0.13
        last = maxVal - room * (maxVal - minVal)
        labelled = [v for _, level in levels[:2] for v in level if v <= last]
        self._with_unit = max(labelled, default=math.nan)
        return levels


class CurvePlot(pg.PlotWidget):
    """Curves over an axis with a unit.

    Signals
    -------
    pressed(x) : a click without a drag, in shown units
    """

    pressed = pyqtSignal(float)

    def __init__(
        self,
        look: Look,
        *,
        x_unit: str = "",
        y_unit: str = "",
        log_x: bool = False,
        log_y: bool = False,
        axis_width: int = 46,
        interactive: bool = True,
    ) -> None:
        axes = {"left": _UnitAxis("left", y_unit), "bottom": _UnitAxis("bottom", x_unit)}
        super().__init__(background=None, axisItems=axes, enableMenu=False)
        self._look = look
        self._curves: list[Curve] = []
        self._limits: list[Limit] = []
        self._x_unit, self._y_unit = x_unit, y_unit
        self._log_x, self._log_y = log_x, log_y
        self._range: tuple[float, float, float, float] | None = None
        self._marks: Sequence[tuple[float, float, str]] = ()
        self._bars: Sequence[Bars] = ()
        self.plot = self.getPlotItem()
        self.plot.hideButtons()
        # A menu that is never shown, made without an owner, would outlive the window.
        menu = self.plot.ctrlMenu
        menu.setParent(self, menu.windowFlags())
        self.plot.setLogMode(x=log_x, y=log_y)
        self.plot.setMouseEnabled(x=interactive, y=False)
        self.plot.layout.setContentsMargins(0, 2, 2, 0)
        self._axis = {side: self.plot.getAxis(side) for side in ("left", "bottom")}
        self._axis["left"].setWidth(axis_width)
        self._axis["bottom"].setHeight(20)
        for axis in self._axis.values():
            axis.enableAutoSIPrefix(False)
        self._readout = pg.TextItem(anchor=(1, 0))
        self._readout.setZValue(50)
        self._cross = pg.InfiniteLine(angle=90, movable=False)
        self._cross.setZValue(40)
        self._items: dict[str, list[Any]] = {}
        for always in (self._cross, self._readout):
            self.plot.addItem(always, ignoreBounds=True)
            always.hide()
        self._shown_view: tuple[float, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(70)
        self.scene().sigMouseMoved.connect(self._on_mouse)
        self.scene().sigMouseClicked.connect(self._on_click)
        look.changed.connect(self._restyle)
        self._restyle()

    def sizeHint(self) -> QSize:
        return QSize(160, 110)

    def minimumSizeHint(self) -> QSize:
        return QSize(80, 60)

    def _restyle(self) -> None:
        t = self._look.t
        self.setBackground(None)
        self.setStyleSheet("background: transparent; border: none;")
        font = self._look.font(11)
        for axis in self._axis.values():
            axis.setPen(pg.mkPen(t.hairline))
            axis.setTextPen(pg.mkPen(t.secondary))
            axis.setStyle(tickFont=font, tickLength=-4)
        box = self.plot.getViewBox()
        box.setBorder(pg.mkPen(t.hairline))
        box.setBackgroundColor(t.sheet)
        self._cross.setPen(pg.mkPen(t.secondary, style=Qt.PenStyle.DotLine))
        self._readout.setFont(self._look.mono(11))
        self._readout.setColor(t.ink)
        self.show_curves(
            self._curves, self._limits, view=self._range, marks=self._marks, bars=self._bars
        )

    def set_y_unit(self, unit: str) -> None:
        """Another unit of the left axis and of readings."""
        if unit != self._y_unit:
            self._y_unit = self._axis["left"]._own_unit = unit
            self._axis["left"].picture = None
            self._axis["left"].update()

    def show_curves(
        self,
        curves: Sequence[Curve],
        limits: Sequence[Limit] = (),
        *,
        view: tuple[float, float, float, float] | None = None,
        marks: Sequence[tuple[float, float, str]] = (),
        bars: Sequence[Bars] = (),
    ) -> None:
        """Show curves and limits; `view` is x0, x1, y0, y1 in shown units, else all of them.

        `marks` are points (x, y, color) drawn as discs. What is drawn already is reused, so that
        this may be called many times a second.
        """
        self._curves, self._limits, self._range = list(curves), list(limits), view
        self._marks, self._bars = marks, bars
        self._draw_bars()
        self._draw_lines()
        self._draw_texts()
        self._draw_marks()
        self._fit(view)
        self._hide_readout()

    def _draw_bars(self) -> None:
        items = self._pool(
            "bars", len(self._bars), lambda: pg.BarGraphItem(x=[], height=[], width=1)
        )
        for item, bar in zip(items, self._bars, strict=True):
            item.setOpts(
                x=bar.x,
                y0=np.full(len(bar.y), bar.base),
                height=np.maximum(bar.y - bar.base, 0.0),
                width=bar.width,
                brush=bar.color,
                pen=None,
            )

    def _draw_lines(self) -> None:
        t = self._look.t
        lines = [
            (c.x, c.y, c.color, c.width, c.kept)
            for c in sorted(self._curves, key=lambda c: not c.kept)
        ]
        for limit in self._limits:
            ends = np.array(self._limit_ends(limit))
            lines.append((ends, np.full(2, limit.y), t.fails, 1.4, True))
        items = self._pool("lines", len(lines), lambda: pg.PlotCurveItem(antialias=True))
        for item, (x, y, color, width, dashed) in zip(items, lines, strict=True):
            style = Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine
            pen = pg.mkPen(color, width=width, style=style)
            item.setData(
                np.log10(x) if self._log_x else x, np.log10(y) if self._log_y else y, pen=pen
            )

    def _limit_ends(self, limit: Limit) -> tuple[float, float]:
        low, high = self._extent(0)
        if self._range is not None:
            low, high = self._range[:2]
        return (
            limit.x0 if limit.x0 is not None else low,
            limit.x1 if limit.x1 is not None else high,
        )

    def _draw_texts(self) -> None:
        """Names at the ends of curves that ask for it, and the words of limits."""
        texts = [
            (limit.text, self._look.t.fails, self._limit_ends(limit)[1], limit.y)
            for limit in self._limits
        ]
        noted = [c for c in self._curves if c.note and len(c.x)]
        low, high = self._extent(1)
        room = 0.09 * (high - low)
        before: list[tuple[float, float]] = []
        for curve in sorted(noted, key=lambda c: -float(c.y[-1])):
            share = 0.97
            while True:
                at = int(share * (len(curve.x) - 1))
                y = float(curve.y[at])
                # Names of curves that end close together stand one before the other.
                if share < 0.4 or all(abs(y - v) > room or abs(share - s) > 0.1 for s, v in before):
                    break
                share -= 0.15
            before.append((share, y))
            texts.append((curve.name, curve.color, float(curve.x[at]), y))
        items = self._pool("texts", len(texts), lambda: pg.TextItem(anchor=(1, 1)))
        for item, (words, color, x, y) in zip(items, texts, strict=True):
            item.setText(words, color)
            item.setFont(self._look.font(11))
            item.setPos(np.log10(x) if self._log_x else x, math.log10(y) if self._log_y else y)

    def _draw_marks(self) -> None:
        items = self._pool("marks", 1 if self._marks else 0, lambda: pg.ScatterPlotItem(size=9))
        for item in items:
            item.setData(
                [m[0] for m in self._marks],
                [m[1] for m in self._marks],
                brush=[pg.mkBrush(m[2]) for m in self._marks],
                pen=pg.mkPen(self._look.t.sheet),
            )

    def _pool(self, kind: str, count: int, make: Callable[[], Any]) -> list[Any]:
        """The first `count` items of a kind, made on first need; the others are taken out."""
        items = self._items.setdefault(kind, [])
        while len(items) < count:
            item = make()
            self.plot.addItem(item, ignoreBounds=True)
            items.append(item)
        while len(items) > count:
            self.plot.removeItem(items.pop())
        return items

    def _extent(self, axis: int) -> tuple[float, float]:
        values = [c.x if axis == 0 else c.y for c in self._curves if len(c.x)]
        if not values:
            return (1.0, 10.0) if (self._log_x, self._log_y)[axis] else (0.0, 1.0)
        low = float(min(v.min() for v in values))
        high = float(max(v.max() for v in values))
        if axis == 1 and self._limits:
            low = min(low, *(limit.y for limit in self._limits))
            high = max(high, *(limit.y for limit in self._limits))
        return low, high if high > low else low + 1.0

    def _fit(self, view: tuple[float, float, float, float] | None) -> None:
        x0, x1 = self._extent(0)
        y0, y1 = self._extent(1)
        # The words of a limit stand above its line.
        room = (0.16 if self._limits else 0.08) * (y1 - y0)
        if self._log_y:
            y0, y1 = math.log10(y0), math.log10(y1)
            room = 0.08 * (y1 - y0)
        if view is None:
            view = (x0, x1, y0 - 0.08 * (y1 - y0), y1 + room)
        a, b = (np.log10(view[0]), np.log10(view[1])) if self._log_x else (view[0], view[1])
        if (a, b, *view[2:]) == self._shown_view:
            return
        self._shown_view = (a, b, *view[2:])
        # Limits first: old ones would hold the new range back.
        self.plot.getViewBox().setLimits(xMin=a, xMax=b)
        self.plot.setXRange(a, b, padding=0)
        self.plot.setYRange(view[2], view[3], padding=0)

    def _on_mouse(self, position: object) -> None:
        box = self.plot.getViewBox()
        if not self._curves or not self.plot.sceneBoundingRect().contains(position):
            self._hide_readout()
            return
        at = box.mapSceneToView(position).x()
        x = 10.0**at if self._log_x else at
        lines = [f"{x:.4g} {self._x_unit}"]
        for curve in self._curves:
            if len(curve.x) and curve.x[0] <= x <= curve.x[-1]:
                value = float(np.interp(x, curve.x, curve.y))
                lines.append(f"{curve.name} {value:.4g} {self._y_unit}")
        self._readout.setText("\n".join(lines))
        (left, right), (_, top) = box.viewRange()
        on_right = at > 0.5 * (left + right)
        self._readout.setAnchor((1, 0) if on_right else (0, 0))
        self._readout.setPos(at, top)
        self._cross.setPos(at)
        self._cross.show()
        self._readout.show()

    def show_verticals(self, lines: Sequence[tuple[float, str]]) -> None:
        """Upright markers at x with a short word."""
        t = self._look.t
        items = self._pool(
            "verticals",
            len(lines),
            lambda: pg.InfiniteLine(angle=90, label="", labelOpts={"position": 0.96}),
        )
        for item, (x, words) in zip(items, lines, strict=True):
            item.setPos(np.log10(x) if self._log_x else x)
            item.setPen(pg.mkPen(t.ink, width=1.2))
            item.label.setFormat(words)
            item.label.setColor(t.ink)
            item.label.setFont(self._look.font(11, bold=True))

    def _on_click(self, event: Any) -> None:
        box = self.plot.getViewBox()
        if not box.sceneBoundingRect().contains(event.scenePos()):
            return
        at = box.mapSceneToView(event.scenePos()).x()
        self.pressed.emit(float(10.0**at if self._log_x else at))

    def _hide_readout(self) -> None:
        self._cross.hide()
        self._readout.hide()

    def leaveEvent(self, event: QEvent | None) -> None:
        self._hide_readout()
        super().leaveEvent(event)

    def mouseDoubleClickEvent(self, event: object) -> None:
        """Show all of it again."""
        self._shown_view = ()
        self._fit(self._range)
