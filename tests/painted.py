"""What a painted widget draws, read back from a vector drawing: words, lines, areas, discs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from lxml import etree
from numpy.typing import NDArray
from PyQt6.QtCore import QBuffer, QByteArray, QPoint, QRect
from PyQt6.QtGui import QPainter
from PyQt6.QtSvg import QSvgGenerator
from PyQt6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

__all__ = ["Drawn", "Shape", "Word", "drawn", "put", "svg_of"]

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class Word:
    """A piece of text: where its line begins, px, and its colour."""

    text: str
    x: float
    y: float
    color: str


@dataclass(frozen=True, eq=False)
class Shape:
    """Points (n, 2) px of a line or an area; opposite corners of a box; of a disc the middle, and
    its radius. Colours are "" where there is none; `width` is that of the stroke."""

    kind: str
    points: FloatArray
    fill: str
    stroke: str
    dash: str
    radius: float = 0.0
    width: float = 0.0

    @property
    def box(self) -> tuple[float, float, float, float]:
        """Left, top, right, bottom, px."""
        (left, top), (right, bottom) = self.points.min(axis=0), self.points.max(axis=0)
        return float(left), float(top), float(right), float(bottom)


@dataclass(frozen=True)
class Drawn:
    """All that is drawn, in the order of drawing."""

    words: tuple[Word, ...]
    shapes: tuple[Shape, ...]

    @property
    def texts(self) -> list[str]:
        """All words."""
        return [w.text for w in self.words]

    @property
    def said(self) -> str:
        """All words in a row; a sign that a font lacks stands by itself in `texts`."""
        return " ".join(" ".join(self.texts).split())

    def word(self, beginning: str) -> Word:
        """The only words that begin so."""
        found = [w for w in self.words if w.text.startswith(beginning)]
        assert len(found) == 1, (beginning, self.texts)
        return found[0]

    def of(self, kind: str, *, fill: str | None = None, stroke: str | None = None) -> list[Shape]:
        """Shapes of a kind, of a colour if one is asked for."""
        return [
            s
            for s in self.shapes
            if s.kind == kind
            and (fill is None or s.fill == fill.lower())
            and (stroke is None or s.stroke == stroke.lower())
        ]


def svg_of(widget: QWidget) -> etree._Element:
    """A vector drawing of a widget without what lies on it."""
    store = QByteArray()
    buffer = QBuffer(store)
    svg = QSvgGenerator()
    svg.setOutputDevice(buffer)
    svg.setSize(widget.size())
    svg.setViewBox(QRect(QPoint(), widget.size()))
    painter = QPainter(svg)
    widget.render(painter, QPoint(), flags=QWidget.RenderFlag.DrawWindowBackground)
    painter.end()
    return etree.fromstring(bytes(store))


def _numbers(text: str | None) -> list[float]:
    return [float(x) for x in (text or "").replace(",", " ").split()]


def _path_points(d: str) -> list[float]:
    for letter in "MLCZmlcz":
        d = d.replace(letter, " ")
    return _numbers(d)


def _moved(points: Sequence[float], matrix: list[float]) -> FloatArray:
    a, b, c, d, e, f = matrix
    at = np.asarray(points, dtype=float).reshape(-1, 2)
    return np.stack([a * at[:, 0] + c * at[:, 1] + e, b * at[:, 0] + d * at[:, 1] + f], axis=1)


def put(qtbot: QtBot, widget: QWidget, width: int, height: int) -> None:
    """Show a widget by itself in that size; it goes with the test."""
    qtbot.addWidget(widget)
    widget.resize(width, height)
    widget.show()
    QApplication.processEvents()


def drawn(widget: QWidget) -> Drawn:
    """What a widget draws now."""
    words, shapes = [], []
    for group in svg_of(widget).iter("{*}g"):
        inside = group.get("transform", "matrix(1,0,0,1,0,0)")
        matrix = _numbers(inside[inside.index("(") + 1 : inside.index(")")])
        fill, stroke = (
            v if (v := group.get(k, "none")) != "none" else "" for k in ("fill", "stroke")
        )
        dash, wide = group.get("stroke-dasharray", ""), float(group.get("stroke-width", "0"))
        for node in group.iterchildren():
            kind = etree.QName(node).localname if isinstance(node.tag, str) else ""

            def number(name: str, node: etree._Element = node) -> float:
                return float(node.get(name, "0"))

            if kind == "text":
                (at,) = _moved([number("x"), number("y")], matrix)
                words.append(
                    Word("".join(node.itertext()).strip(), *at.tolist(), str(node.get("fill")))
                )
                continue
            if kind in ("circle", "ellipse"):
                points = [number("cx"), number("cy")]
            elif kind == "rect":
                x, y = number("x"), number("y")
                points = [x, y, x + number("width"), y + number("height")]
            elif kind in ("polyline", "polygon"):
                points = _numbers(node.get("points"))
            elif kind == "path":
                points = _path_points(str(node.get("d")))
            else:
                continue
            fill_here = "" if node.get("fill") == "none" else fill
            radius = number("r") or number("rx")
            shapes.append(
                Shape(kind, _moved(points, matrix), fill_here, stroke, dash, radius, wide)
            )
    return Drawn(tuple(words), tuple(shapes))
