"""What is written on a plot: names of limits and curves where there is room, and the legend."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QColor, QFontMetricsF
from PyQt6.QtWidgets import QGraphicsSimpleTextItem

from onda.app.plots.curve import Bars, Curve, Limit, mark_of
from onda.app.plots.names import Label, place_names
from onda.app.plots.zooming import ZoomBox
from onda.app.theme import Look

__all__ = ["Lettering"]

FloatArray = NDArray[np.float64]
_ENOUGH = 400
"""Points of a curve that a name needs to keep clear of it."""


class Lettering:
    """Writes on a plot, in pixels; `across` and `up` bring shown units onto its axes.

    Attributes
    ----------
    names : what is written inside the plot, and where
    legend : words and colours of the legend
    y_name : the item that names the upright axis, above the plot
    """

    def __init__(
        self,
        plot: Any,
        box: ZoomBox,
        look: Look,
        across: Callable[[Any], Any],
        up: Callable[[Any], Any],
    ) -> None:
        self._plot, self._box, self._look = plot, box, look
        self._across, self._up = across, up
        self._items: dict[str, list[QGraphicsSimpleTextItem]] = {"inside": [], "legend": []}
        self.y_name = QGraphicsSimpleTextItem(plot)
        self.names: list[tuple[str, QRectF]] = []
        self.legend: list[tuple[str, str]] = []

    def restyle(self) -> None:
        """In the colours of the look."""
        self.y_name.setFont(self._look.font(11))
        self.y_name.setBrush(QColor(self._look.t.secondary))

    def write(
        self,
        y_words: str,
        curves: Sequence[Curve],
        limits: Sequence[tuple[Limit, float]],
        bars: Sequence[Bars],
        *,
        with_legend: bool,
    ) -> None:
        """Write all of it; each limit comes with its right end."""
        self.y_name.setText(y_words)
        self.y_name.setPos(2.0, 1.0)
        metrics = QFontMetricsF(self._look.font(11))
        area = QRectF(self._box.mapRectToItem(self._plot, self._box.rect()))
        words = self._limit_words(limits, area, metrics)
        lines = [self._pixels(c) for c in curves if len(c.x)]
        noted = [c for c in curves if c.note and len(c.x)]
        labels = [
            Label(metrics.horizontalAdvance(c.name), metrics.height(), *self._pixels(c))
            for c in noted
        ]
        places = place_names(labels, lines, area, [rect for _, _, rect in words])
        unplaced = {c.name for c, place in zip(noted, places, strict=True) if place is None}
        words += [
            (c.name, self._ink(c), place)
            for c, place in zip(noted, places, strict=True)
            if place is not None
        ]
        for item, (name, color, rect) in zip(self._texts("inside", len(words)), words, strict=True):
            self._set(item, name, color, rect.topLeft())
        self.names = [(name, rect) for name, _, rect in words]
        self.legend = self._entries(curves, bars, unplaced, with_legend=with_legend)
        self._write_legend(curves, metrics, metrics.horizontalAdvance(y_words) + 14.0)

    def _limit_words(
        self, limits: Sequence[tuple[Limit, float]], area: QRectF, metrics: QFontMetricsF
    ) -> list[tuple[str, str, QRectF]]:
        """Above each limit at its right end, below it where there is no room."""
        out, height = [], metrics.height()
        for limit, end in limits:
            width = metrics.horizontalAdvance(limit.text)
            x, y = self._pixel(end, limit.y)
            right = min(x, area.right()) - 3.0
            above = QRectF(right - width, y - height - 1.0, width, height)
            rect = above if above.top() > area.top() else above.translated(0, height + 2.0)
            if area.contains(rect):
                out.append((limit.text, self._look.t.fails, rect))
        return out

    def _ink(self, curve: Curve) -> str:
        return self._look.t.kept_ink if curve.kept else curve.color

    def _entries(
        self,
        curves: Sequence[Curve],
        bars: Sequence[Bars],
        unplaced: set[str],
        *,
        with_legend: bool,
    ) -> list[tuple[str, str]]:
        """Names that found no place, and all others where there are several."""
        entries: dict[str, str] = {}
        named = {c.name for c in curves if c.legend and not c.note}
        several = with_legend and len(named) > 1
        for curve in curves:
            if curve.name in unplaced or (several and curve.legend and not curve.note):
                entries.setdefault(curve.name, self._ink(curve))
        for bar in bars:
            if bar.name and with_legend:
                entries.setdefault(bar.name, bar.color)
        return list(entries.items())

    def _write_legend(self, curves: Sequence[Curve], metrics: QFontMetricsF, left: float) -> None:
        marks = {c.name: mark_of(c) for c in curves}
        items = self._texts("legend", len(self.legend))
        x = self._plot.size().width() - 6.0
        for item, (name, color) in reversed(list(zip(items, self.legend, strict=True))):
            words = f"{marks.get(name, '━')} {name}"
            x -= metrics.horizontalAdvance(words) + 10.0
            self._set(item, words, color, QPointF(x, 1.0))
            # Where there is no room the legend ends; the readout names every curve.
            item.setVisible(x > left)

    def _set(self, item: QGraphicsSimpleTextItem, words: str, color: str, at: QPointF) -> None:
        item.setText(words)
        item.setFont(self._look.font(11))
        item.setBrush(QColor(color))
        item.setPos(at)

    def _texts(self, kind: str, count: int) -> list[QGraphicsSimpleTextItem]:
        """The first `count` items of a kind, made on first need; the others are taken out."""
        items = self._items[kind]
        while len(items) < count:
            item = QGraphicsSimpleTextItem(self._plot)
            item.setZValue(45)
            items.append(item)
        while len(items) > count:
            item = items.pop()
            item.setParentItem(None)
            scene = item.scene()
            if scene is not None:
                scene.removeItem(item)
        return items

    def _pixel(self, x: float, y: float) -> tuple[float, float]:
        at = self._box.mapFromView(QPointF(float(self._across(x)), float(self._up(y))))
        at = self._box.mapToItem(self._plot, at)
        return at.x(), at.y()

    def _pixels(self, curve: Curve) -> tuple[FloatArray, FloatArray]:
        """A curve in pixels, thinned out."""
        step = max(1, len(curve.x) // _ENOUGH)
        x, y = self._across(curve.x[::step]), self._up(curve.y[::step])
        area = QRectF(self._box.mapRectToItem(self._plot, self._box.rect()))
        x0, x1, y0, y1 = self._box.view
        across = area.left() + (x - x0) * area.width() / ((x1 - x0) or 1.0)
        up = area.bottom() - (y - y0) * area.height() / ((y1 - y0) or 1.0)
        return np.asarray(across), np.asarray(up)
