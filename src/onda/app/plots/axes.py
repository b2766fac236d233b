"""Axes with a name and a unit in words; numbers carry none."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import pyqtgraph as pg
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter

from onda.app.theme import Look

__all__ = ["Axis", "NamedAxis", "even_step", "number_text", "power_text"]

_SUPERSCRIPT = str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")
_EDGE = 2.0
"""Pixels beyond the end of a lower axis that still are shown."""
_GAP = 5.0
"""Least room between two numbers, pixels."""
_REACH = 14.0
_ROW = 13.0
"""Height of a row of numbers, pixels."""


@dataclass(frozen=True, slots=True)
class Axis:
    """What an axis shows: its name, the unit of its numbers, and whether by decades."""

    name: str
    unit: str = ""
    log: bool = False

    @property
    def words(self) -> str:
        """As it is written at the axis: ``Frequency, GHz``."""
        return f"{self.name}, {self.unit}" if self.unit else self.name


def number_text(value: float, spacing: float) -> str:
    """A number as print has it, with the digits that a spacing needs.

    Examples
    --------
    >>> number_text(-0.0001, 0.5), number_text(1500.0, 500.0), number_text(0.25, 0.05)
    ('0', '1500', '0.25')
    """
    decimals = max(0, -math.floor(math.log10(spacing) + 1e-9)) if spacing > 0 else 3
    rounded = round(value, decimals)
    if rounded == 0:
        return "0"
    # The last digit of a spacing such as 0.25 may be needed too.
    text = f"{value:.{decimals}f}"
    finer = f"{value:.{decimals + 1}f}"
    if abs(float(text) - value) > 0.01 * spacing:
        text = finer
    return text.replace("-", "−")


def power_text(exponent: float) -> str:
    """A decade as a power of ten, empty between decades.

    Examples
    --------
    >>> power_text(-2.0), power_text(0.5)
    ('10⁻²', '')
    """
    if abs(exponent - round(exponent)) > 1e-6:
        return ""
    return "10" + str(round(exponent)).translate(_SUPERSCRIPT)


class NamedAxis(pg.AxisItem):
    """An axis whose numbers never collide; the lower one has its name at its end."""

    def __init__(self, orientation: str, look: Look, axis: Axis) -> None:
        super().__init__(orientation)
        self.setStyle(hideOverlappingLabels=orientation != "bottom")
        self._look = look
        self.axis = axis

    @property
    def needs(self) -> float:
        """Height that a lower axis needs, pixels."""
        return 21.0 + (_ROW if self.axis.log else 0.0)

    def show_axis(self, axis: Axis) -> None:
        """Another name and unit."""
        if axis != self.axis:
            self.axis = axis
            self.picture = None
            self.update()

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        """Numbers as shown; in a logarithmic plot `values` are exponents."""
        if self.logMode:
            return [power_text(v) for v in values]
        return [number_text(v, spacing) for v in values]

    def generateDrawSpecs(self, p: QPainter) -> Any:
        """As usual, less the numbers that would collide or leave the axis; with the name."""
        specs = super().generateDrawSpecs(p)
        if specs is None:
            return None
        axis_spec, ticks, texts = specs
        bounds = QRectF(self.mapRectFromParent(self.geometry()))
        # A number at the very end of a lower axis reaches a little beyond it.
        reach = _REACH if self.orientation == "bottom" else 1.0
        taken: list[QRectF] = []
        kept: list[tuple[QRectF, Any, str]] = []
        if self.orientation == "bottom" and self.axis.words:
            metrics = QFontMetricsF(self._look.font(11))
            # Decades are few: their numbers have a row of their own above the name.
            down = _ROW if self.logMode else 0.0
            words = self.axis.words
            if metrics.horizontalAdvance(words) > 0.8 * bounds.width():
                words = self.axis.unit or words
            width = metrics.horizontalAdvance(words) + 4
            top = bounds.top() + 5 + down
            room = QRectF(bounds.right() - width, top, width, bounds.bottom() - top)
            flags = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            kept.append((room, flags, words))
            taken.append(room)
        for rect, flags, text in texts:
            if not text:
                continue
            own = (
                QRectF(rect).adjusted(-_GAP, 0, _GAP, 0)
                if self.orientation == "bottom"
                else (QRectF(rect).adjusted(0, 2, 0, -2))
            )
            inside = rect.left() >= bounds.left() - reach and rect.right() <= bounds.right() + reach
            if inside and not any(own.intersects(other) for other in taken):
                whole = QRectF(rect)
                if self.orientation == "bottom":
                    # What reaches further would be cut by the edge of the plot.
                    whole.translate(min(bounds.right() + _EDGE - whole.right(), 0.0), 0.0)
                kept.append((whole, flags, text))
                taken.append(whole)
        return axis_spec, ticks, kept


def even_step(least: float) -> float:
    """The smallest of 1, 2 and 5 times a power of ten that is at least so much."""
    power = 10.0 ** math.floor(math.log10(least))
    # A step that is asked for exactly is found in spite of rounding.
    return next(k * power for k in (1.0, 2.0, 5.0, 10.0) if k * power >= least * (1.0 - 1e-9))
