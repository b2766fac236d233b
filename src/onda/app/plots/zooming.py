"""The inside of a plot: wheel and box zoom, axes that are moved, and the way back."""

from __future__ import annotations

import time
from typing import Any

import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal

__all__ = ["ZoomBox"]

_ONE_TURN_S = 0.6
"""Turns of the wheel that follow each other so closely are one step back."""
_MOST_STEPS = 50
View = tuple[float, float, float, float]


class ZoomBox(pg.ViewBox):
    """A view that is zoomed by wheel and box, and moved at its axes.

    Signals
    -------
    zoomed : the user changed what is seen
    """

    zoomed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__(enableMenu=False)
        self.setMouseMode(pg.ViewBox.RectMode)
        self._steps: list[View] = []
        self._turned = 0.0

    @property
    def is_zoomed(self) -> bool:
        """Whether there is a way back."""
        return bool(self._steps)

    @property
    def view(self) -> View:
        """What is seen: x0, x1, y0, y1, exponents on an axis by decades."""
        (x0, x1), (y0, y1) = self.viewRange()
        return x0, x1, y0, y1

    def _remember(self) -> None:
        self._steps = [*self._steps[-_MOST_STEPS:], self.view]

    def forget(self) -> None:
        """No way back any more."""
        self._steps = []

    def back(self) -> None:
        """To what was seen before the last zoom."""
        if self._steps:
            x0, x1, y0, y1 = self._steps.pop()
            self.setRange(xRange=(x0, x1), yRange=(y0, y1), padding=0)
            self.zoomed.emit()

    def wheelEvent(self, ev: Any, axis: int | None = None) -> None:
        """Zoom where the pointer is; with Shift along x only, with Control along y only."""
        modifiers = ev.modifiers()
        if axis is None and modifiers & Qt.KeyboardModifier.ShiftModifier:
            axis = 0
        elif axis is None and modifiers & Qt.KeyboardModifier.ControlModifier:
            axis = 1
        now = time.monotonic()
        if now - self._turned > _ONE_TURN_S:
            self._remember()
        self._turned = now
        super().wheelEvent(ev, axis)
        self.zoomed.emit()

    def mouseDragEvent(self, ev: Any, axis: int | None = None) -> None:
        """A box on empty ground is zoomed to; a drag on an axis moves it."""
        if ev.button() != Qt.MouseButton.LeftButton:
            ev.ignore()
            return
        if axis is not None and ev.isStart():
            self._remember()
        if axis is None and ev.isFinish():
            box = QRectF(QPointF(ev.buttonDownPos()), QPointF(ev.pos())).normalized()
            if box.width() < 4 or box.height() < 4:
                # A click with an unsteady hand is no box.
                self.rbScaleBox.hide()
                ev.accept()
                return
            self._remember()
        super().mouseDragEvent(ev, axis)
        if ev.isFinish():
            self.zoomed.emit()

    def keyPressEvent(self, ev: Any) -> None:
        """Keys are the plot's."""
        ev.ignore()
