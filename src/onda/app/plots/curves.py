"""A plot of curves in the look of the rest: limits, kept curves dashed, readouts that snap."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QApplication,
    QLabel,
    QLineEdit,
    QMenu,
    QSizePolicy,
)

from onda.app.kit.menus import MenuEntry, fill
from onda.app.plots.axes import Axis, NamedAxis
from onda.app.plots.curve import LIMIT_DASH, Bars, Curve, Limit, dash_of, mark_of, pattern_of
from onda.app.plots.lettering import Lettering
from onda.app.plots.readouts import Readouts
from onda.app.plots.sharing import Share, Table, titled
from onda.app.plots.zooming import ZoomBox
from onda.app.theme import Look

__all__ = ["Axis", "Bars", "Curve", "CurvePlot", "Limit", "dash_of", "mark_of"]

FloatArray = NDArray[np.float64]
_TOP = 17.0
"""Room above the plot for the name of its upright axis and for its legend, pixels."""


class CurvePlot(pg.PlotWidget):
    """Curves over two named axes.

    Wheel, boxes and dragged axes zoom, a double click brings all back, Backspace goes one zoom
    back. C sets a cursor. A right click copies and saves.

    Signals
    -------
    pressed(x) : a click without a drag, in shown units
    trouble(sentence) : something could not be saved
    """

    pressed = pyqtSignal(float)
    trouble = pyqtSignal(str)

    def __init__(
        self,
        look: Look,
        x: Axis,
        y: Axis,
        *,
        title: str = "",
        axis_width: int = 46,
        legend: bool = True,
    ) -> None:
        self._axes = {"left": NamedAxis("left", look, y), "bottom": NamedAxis("bottom", look, x)}
        self.box = ZoomBox()
        super().__init__(
            background=None, axisItems=dict(self._axes), viewBox=self.box, enableMenu=False
        )
        self._look = look
        self.title = title
        self._x, self._y = x, y
        self._with_legend = legend
        self._curves: list[Curve] = []
        self._limits: list[Limit] = []
        self._range: tuple[float, float, float, float] | None = None
        self._marks: Sequence[tuple[float, float, str]] = ()
        self._bars: Sequence[Bars] = ()
        self._shown_view: tuple[float, ...] = ()
        self._items: dict[str, list[Any]] = {}
        self._make_plot(axis_width)
        self.share = Share(self, look, self._title, self._table, trouble=self.trouble.emit)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._draw_words)
        self.box.sigRangeChanged.connect(lambda *_: self._words_soon())
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(84)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{y.words} against {x.words}")
        self.scene().sigMouseMoved.connect(self._on_mouse)
        self.scene().sigMouseClicked.connect(self._on_click)
        look.changed.connect(self._restyle)
        self._restyle()

    def _make_plot(self, axis_width: int) -> None:
        self.plot = self.getPlotItem()
        self.plot.hideButtons()
        # A menu that is never shown, made without an owner, would outlive the window.
        menu = self.plot.ctrlMenu
        menu.setParent(self, menu.windowFlags())
        self.plot.setLogMode(x=self._x.log, y=self._y.log)
        self.plot.setMouseEnabled(x=True, y=True)
        self.plot.layout.setContentsMargins(0, _TOP, 6, 0)
        self._axes["left"].setWidth(axis_width)
        self._axes["bottom"].setHeight(self._axes["bottom"].needs)
        for axis in self._axes.values():
            axis.enableAutoSIPrefix(False)
        self.lettering = Lettering(self.plot, self.box, self._look, self._across, self._up)
        self.readouts = Readouts(self.plot, self.box, self._look)
        self._empty = QLabel(self)
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._empty.setWordWrap(True)
        self._empty.setObjectName("secondary")
        self._empty.hide()

    def sizeHint(self) -> QSize:
        return QSize(160, 120)

    def minimumSizeHint(self) -> QSize:
        return QSize(80, 70)

    def _restyle(self) -> None:
        t = self._look.t
        self.setBackground(None)
        font = self._look.font(11)
        for axis in self._axes.values():
            axis.setPen(pg.mkPen(t.hairline))
            axis.setTextPen(pg.mkPen(t.secondary))
            axis.setStyle(tickFont=font, tickLength=-4)
        self.box.setBorder(pg.mkPen(t.hairline))
        self.box.setBackgroundColor(t.sheet)
        self.lettering.restyle()
        self.readouts.restyle()
        self._show_again()

    def _show_again(self) -> None:
        self.show_curves(
            self._curves,
            self._limits,
            view=self._range,
            marks=self._marks,
            bars=self._bars,
            empty=self._empty.text(),
        )

    # ---- showing

    @property
    def curves(self) -> tuple[Curve, ...]:
        """What is shown."""
        return tuple(self._curves)

    def show_y(self, axis: Axis) -> None:
        """Another name and unit of the upright axis."""
        if axis != self._y:
            self._y = axis
            self._axes["left"].show_axis(axis)
            self.setAccessibleName(f"{axis.words} against {self._x.words}")
            self._words_soon()

    def show_x(self, axis: Axis) -> None:
        """Another name and unit of the lower axis."""
        if axis != self._x:
            self._x = axis
            self._axes["bottom"].show_axis(axis)
            self.setAccessibleName(f"{self._y.words} against {axis.words}")

    def show_curves(
        self,
        curves: Sequence[Curve],
        limits: Sequence[Limit] = (),
        *,
        view: tuple[float, float, float, float] | None = None,
        marks: Sequence[tuple[float, float, str]] = (),
        bars: Sequence[Bars] = (),
        empty: str = "",
    ) -> None:
        """Show curves and limits; `view` is x0, x1, y0, y1 in shown units, else all of them.

        `marks` are points (x, y, color) drawn as discs. Where there is nothing at all, `empty` says
        why, and no axes are drawn. What is drawn already is reused, so that this may be called many
        times a second.
        """
        self._curves = [self._drawable(c) for c in curves]
        self._limits, self._range = list(limits), view
        self._marks, self._bars = marks, bars
        there = any(len(c.x) for c in curves) or bool(bars)
        self._show_emptiness("" if there else empty or "Nothing to show.")
        self._draw_bars()
        self._draw_lines()
        self._draw_marks()
        self._fit(view)
        self.readouts.draw(self._curves, self._x, self._y)
        self.readouts.hide()
        self._words_soon()

    def _drawable(self, curve: Curve) -> Curve:
        """A curve without what an axis by decades cannot show."""
        if not (self._x.log or self._y.log):
            return curve
        some = np.ones(len(curve.x), dtype=bool)
        some &= curve.x > 0.0 if self._x.log else True
        some &= curve.y > 0.0 if self._y.log else True
        return curve if some.all() else replace(curve, x=curve.x[some], y=curve.y[some])

    def _show_emptiness(self, words: str) -> None:
        self._empty.setText(words)
        self._empty.setVisible(bool(words))
        self.plot.setVisible(not words)

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
        lines: list[tuple[FloatArray, FloatArray, str, float, tuple[float, ...], str]] = [
            (c.x, c.y, c.color, c.width, pattern_of(c), "finite" if c.many else "all")
            for c in sorted(self._curves, key=lambda c: not c.kept)
        ]
        for limit in self._limits:
            ends = np.array(self._limit_ends(limit))
            lines.append((ends, np.full(2, limit.y), t.fails, 1.4, LIMIT_DASH, "all"))
        items = self._pool("lines", len(lines), lambda: pg.PlotCurveItem(antialias=True))
        for item, (x, y, color, width, dash, connect) in zip(items, lines, strict=True):
            pen = pg.mkPen(color, width=width)
            if dash:
                pen.setDashPattern(list(dash))
            item.setData(self._across(x), self._up(y), pen=pen, connect=connect)

    def _across(self, x: Any) -> Any:
        return np.log10(x) if self._x.log else x

    def _up(self, y: Any) -> Any:
        return np.log10(y) if self._y.log else y

    def _limit_ends(self, limit: Limit) -> tuple[float, float]:
        low, high = self._extent(0)
        if self._range is not None:
            low, high = self._range[:2]
        return (
            limit.x0 if limit.x0 is not None else low,
            limit.x1 if limit.x1 is not None else high,
        )

    def _draw_marks(self) -> None:
        items = self._pool("marks", 1 if self._marks else 0, lambda: pg.ScatterPlotItem(size=9))
        for item in items:
            item.setData(
                [float(self._across(m[0])) for m in self._marks],
                [float(self._up(m[1])) for m in self._marks],
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

    # ---- words

    def _words_soon(self) -> None:
        if not self._soon.isActive():
            self._soon.start(0)

    def _draw_words(self) -> None:
        if self.plotItem is None:
            # A plot that was closed by itself has nothing left to be named.
            return
        limits = [(limit, self._limit_ends(limit)[1]) for limit in self._limits]
        self.lettering.write(
            self._y.words, self._curves, limits, self._bars, with_legend=self._with_legend
        )

    # ---- range

    def _extent(self, axis: int) -> tuple[float, float]:
        values = [c.x if axis == 0 else c.y for c in self._curves if len(c.x)]
        values += [b.x if axis == 0 else b.y for b in self._bars if len(b.x)]
        log = self._x.log if axis == 0 else self._y.log
        if not values:
            return (1.0, 10.0) if log else (0.0, 1.0)
        low = float(min(np.nanmin(v) for v in values))
        high = float(max(np.nanmax(v) for v in values))
        if axis == 1 and self._limits:
            low = min(low, *(limit.y for limit in self._limits))
            high = max(high, *(limit.y for limit in self._limits))
        return low, high if high > low else low + 1.0

    def _fit(self, view: tuple[float, float, float, float] | None) -> None:
        x0, x1 = self._extent(0)
        y0, y1 = self._extent(1)
        # The words of a limit stand above its line.
        room = (0.16 if self._limits else 0.08) * (y1 - y0)
        if self._y.log:
            y0, y1 = math.log10(y0), math.log10(y1)
            room = 0.08 * (y1 - y0)
        if view is None:
            view = (x0, x1, y0 - 0.08 * (y1 - y0), y1 + room)
        a, b = (np.log10(view[0]), np.log10(view[1])) if self._x.log else (view[0], view[1])
        fitted = (float(a), float(b), view[2], view[3])
        if fitted == self._shown_view:
            return
        same_x = self._shown_view[:2] == fitted[:2]
        self._shown_view = fitted
        # Limits first: old ones would hold the new range back.
        self.box.setLimits(xMin=fitted[0], xMax=fitted[1])
        if self.box.is_zoomed and same_x:
            # What the user looks at stays when the curves move.
            return
        self.box.forget()
        self._show_all()

    def _show_all(self) -> None:
        x0, x1, y0, y1 = self._shown_view
        self.plot.setXRange(x0, x1, padding=0)
        self.plot.setYRange(y0, y1, padding=0)

    def show_all(self) -> None:
        """Bring everything back."""
        if self._shown_view:
            self.box.forget()
            self._show_all()

    # ---- pointer and cursors

    def _on_mouse(self, position: object) -> None:
        if not self._curves or not self.box.sceneBoundingRect().contains(position):
            self.readouts.leave()
            return
        focus = QApplication.focusWidget()
        if not isinstance(focus, QLineEdit) and focus is not self and self.isActiveWindow():
            # Keys go where the pointer is, unless something is being typed.
            self.setFocus(Qt.FocusReason.OtherFocusReason)
        self.readouts.point(self.box.mapSceneToView(position), self._curves, self._x, self._y)

    def set_cursor(self) -> None:
        """Put a cursor where the pointer is: first one, then the other, then the older anew."""
        self.readouts.set_cursor(self._curves, self._x, self._y)

    def clear_cursors(self) -> None:
        """Take both cursors away."""
        self.readouts.clear()

    def show_verticals(self, lines: Sequence[tuple[float, str]]) -> None:
        """Upright markers at x with a short word."""
        t = self._look.t
        items = self._pool(
            "verticals",
            len(lines),
            lambda: pg.InfiniteLine(angle=90, label="", labelOpts={"position": 0.96}),
        )
        for item, (x, words) in zip(items, lines, strict=True):
            item.setPos(self._across(x))
            item.setPen(pg.mkPen(t.ink, width=1.2))
            item.label.setFormat(words)
            item.label.setColor(t.ink)
            item.label.setFont(self._look.font(11, bold=True))

    def _on_click(self, event: Any) -> None:
        if event.button() != Qt.MouseButton.LeftButton or event.double():
            return
        if not self.box.sceneBoundingRect().contains(event.scenePos()):
            return
        at = self.box.mapSceneToView(event.scenePos()).x()
        self.pressed.emit(float(10.0**at if self._x.log else at))

    def leaveEvent(self, event: QEvent | None) -> None:
        self.readouts.leave()
        super().leaveEvent(event)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        # It comes while the widget is still being made, too.
        if hasattr(self, "_soon"):
            self._empty.setGeometry(self.rect())
            self._words_soon()

    def mouseDoubleClickEvent(self, event: object) -> None:
        """Show all of it again."""
        self.show_all()

    # ---- keys, menu, out

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        plain = event.modifiers() == Qt.KeyboardModifier.NoModifier
        ctrl = event.modifiers() == Qt.KeyboardModifier.ControlModifier
        shift = event.modifiers() == (
            Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
        )
        acts: dict[tuple[int, bool, bool, bool], Callable[[], object]] = {
            (Qt.Key.Key_C, True, False, False): self.set_cursor,
            (Qt.Key.Key_X, True, False, False): self.clear_cursors,
            (Qt.Key.Key_Backspace, True, False, False): self.box.back,
            (Qt.Key.Key_Home, True, False, False): self.show_all,
            (Qt.Key.Key_C, False, True, False): self.share.copy_picture,
            (Qt.Key.Key_C, False, False, True): self.share.copy_table,
            (Qt.Key.Key_E, False, True, False): self.share.ask_save,
        }
        act = acts.get((event.key(), plain, ctrl, shift))
        if act is None:
            event.ignore()
            return
        act()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            self.menu().popup(event.globalPos())

    def menu(self) -> QMenu:
        """What can be done with the plot."""
        entries = [
            MenuEntry("Cursor here\tC", self.set_cursor, self.readouts.points),
            MenuEntry("Remove cursors\tX", self.clear_cursors, self.readouts.has_cursors),
            MenuEntry("One zoom back\tBackspace", self.box.back, self.box.is_zoomed),
            MenuEntry("Show all\tHome", self.show_all, self.box.is_zoomed),
            MenuEntry("Copy as picture\tCtrl+C", self.share.copy_picture),
            MenuEntry("Copy as table\tCtrl+Shift+C", self.share.copy_table),
            MenuEntry("Save as PNG, SVG, CSV…\tCtrl+E", self.share.ask_save),
        ]
        return fill(QMenu(self), entries)

    def _title(self) -> str:
        return self.title or titled(self, f"{self._y.name} against {self._x.name.lower()}")

    def _table(self) -> Table:
        """Curves as columns; those on one axis share it."""
        head: list[str] = []
        columns: list[FloatArray] = []
        for curve in self._curves:
            shared = next(
                (c for c in columns if len(c) == len(curve.x) and np.array_equal(c, curve.x)), None
            )
            if shared is None:
                head.append(self._x.words)
                columns.append(curve.x)
            unit = f", {self._y.unit}" if self._y.unit else ""
            head.append(f"{curve.name}{unit}")
            columns.append(curve.y)
        for bar in self._bars:
            head += [self._x.words, f"{bar.name or self._y.name}, {self._y.unit}".rstrip(", ")]
            columns += [bar.x, bar.y]
        longest = max((len(c) for c in columns), default=0)
        rows: list[list[object]] = [
            [float(f"{c[k]:.9g}") if k < len(c) else "" for c in columns] for k in range(longest)
        ]
        return head, rows
