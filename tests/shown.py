"""What a widget shows, as data: words, curves, bars, and what a painted widget draws.

A painted widget (one with a `paintEvent` of ours) is rendered as SVG: its words with their places,
and a digest of its shapes. A plot gives its curves, points, bars and words in shown units.
"""

from __future__ import annotations

import hashlib
import re
from typing import Any

import numpy as np
import pyqtgraph as pg
from lxml import etree
from PyQt6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QGraphicsView,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QWidget,
)

from tests.painted import svg_of

__all__ = ["shown", "summary"]

_SAMPLES = 9
_PLACE = {"x": "x", "y": "y"}


def summary(values: Any, digits: int = 5) -> list[float | None]:
    """Length, ends, extremes and some values in between, rounded to so many digits."""
    array = np.asarray(values, dtype=float).ravel()
    if not len(array):
        return []
    finite = array[np.isfinite(array)]
    ends = [finite.min(), finite.max()] if len(finite) else []
    at = np.unique(np.linspace(0, len(array) - 1, min(_SAMPLES, len(array))).round().astype(int))
    return [len(array), *(_rounded(v, digits) for v in [*ends, *array[at]])]


def _rounded(value: float, digits: int) -> float | None:
    return float(f"{value:.{digits}g}") + 0.0 if np.isfinite(value) else None


def shown(root: QWidget) -> list[str]:
    """Everything that is visible below a widget, a line each, in the order of the tree."""
    lines: list[str] = []
    _walk(root, root, lines)
    return lines


def _walk(widget: QWidget, root: QWidget, lines: list[str]) -> None:
    words = _words(widget)
    if words:
        lines.append(words)
    if isinstance(widget, pg.PlotWidget):
        lines += _plot(widget)
    elif _is_painted(widget):
        lines += _painted(widget)
    elif not isinstance(widget, QGraphicsView):
        for child in widget.children():
            if isinstance(child, QWidget) and child.isVisibleTo(root):
                _walk(child, root, lines)


def _words(widget: QWidget) -> str:
    kind = type(widget).__name__
    if isinstance(widget, QLabel):
        return f"label {widget.text()}" if widget.text() else ""
    if isinstance(widget, QAbstractButton):
        on = " (on)" if widget.isCheckable() and widget.isChecked() else ""
        off = "" if widget.isEnabled() else " (off)"
        return f"button {widget.text()}{on}{off}"
    if isinstance(widget, QComboBox):
        choices = " | ".join(widget.itemText(i) for i in range(widget.count()))
        return f"choice {widget.currentText()} of {choices}"
    if isinstance(widget, QLineEdit):
        return f"field {widget.accessibleName()} = {widget.text()} ({widget.placeholderText()})"
    if isinstance(widget, QPlainTextEdit):
        return f"{kind} {widget.toPlainText()}"
    return ""


def _is_painted(widget: QWidget) -> bool:
    return any(
        "paintEvent" in vars(kind) and kind.__module__.startswith("onda.")
        for kind in type(widget).__mro__
    )


def _painted(widget: QWidget) -> list[str]:
    """What a painted widget draws: words with their places, and a digest of all shapes."""
    tree = svg_of(widget)
    out, shapes = [], []
    for node in tree.iter():
        tag = etree.QName(node).localname if isinstance(node.tag, str) else ""
        if tag == "text":
            place = " ".join(f"{float(node.get(k, '0')):.0f}" for k in _PLACE)
            out.append(f"  drawn {''.join(node.itertext())} @ {place}")
        elif tag in ("path", "polyline", "polygon", "rect", "ellipse", "circle", "line", "image"):
            shapes.append(
                " ".join(f"{k}={_coarse(v)}" for k, v in sorted(node.attrib.items()) if k != "id")
            )
    digest = hashlib.sha256("\n".join(shapes).encode()).hexdigest()[:12]
    name = widget.accessibleName() or type(widget).__name__
    return [f"painted {name}: {len(shapes)} shapes {digest}", *out]


def _coarse(value: str) -> str:
    if len(value) > 20_000:
        return hashlib.sha256(value.encode()).hexdigest()[:12]
    return re.sub(r"-?\d+\.\d+", lambda m: f"{float(m.group()):.1f}", value)


def _plot(widget: pg.PlotWidget) -> list[str]:
    item = widget.getPlotItem()
    (x0, x1), (y0, y1) = item.getViewBox().viewRange()
    out = [f"plot {summary([x0, x1, y0, y1])[3:]}"]
    for side in ("left", "bottom"):
        out.append(f"  axis {side} {item.getAxis(side).labelText}")
    for part in item.items:
        if not part.isVisible():
            continue
        if isinstance(part, (pg.PlotCurveItem, pg.PlotDataItem)):
            x, y = part.getData()
            if x is not None:
                pen = pg.mkPen(part.opts["pen"])
                look = f"{pen.color().name()} {pen.style().name} {pen.widthF():g}"
                out.append(f"  curve {look} x {summary(x)} y {summary(y)}")
        elif isinstance(part, pg.ScatterPlotItem):
            out.append(f"  points x {summary(part.data['x'])} y {summary(part.data['y'])}")
        elif isinstance(part, pg.BarGraphItem):
            o = part.opts
            out.append(f"  bars x {summary(o['x'])} y0 {summary(o['y0'])} h {summary(o['height'])}")
        elif isinstance(part, pg.TextItem):
            out.append(
                f"  text {part.toPlainText()!r} @ {summary([part.pos().x(), part.pos().y()])[3:]}"
            )
        elif isinstance(part, pg.InfiniteLine):
            words = part.label.format if getattr(part, "label", None) is not None else ""
            out.append(f"  line {words} @ {summary([part.value()])[3:]}")
        elif isinstance(part, pg.ImageItem):
            out.append(f"  image {summary(part.image)}")
        else:
            out.append(f"  {type(part).__name__}")
    return out
