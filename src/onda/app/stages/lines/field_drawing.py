"""Potential as contours, charge and current as ribbons on the copper."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPolygonF

from onda.app.shell.painting import pen
from onda.app.theme import Look
from onda.studies.lines.field_picture import FieldPicture

__all__ = ["draw_densities", "draw_potential", "potential_levels"]

Levels = tuple[tuple[float, tuple[NDArray[np.float64], ...]], ...]
_RIBBON = 26.0
"""Length of the largest density, pixels."""


def potential_levels(picture: FieldPicture) -> Levels:
    """Contours of the potential at even steps, each a line of places in metres."""
    volts = picture.volts
    low, high = float(volts.min()), float(volts.max())
    step = 0.05 if low < -0.1 else 0.1
    out = []
    rows, columns = volts.shape
    for level in np.arange(np.ceil(low / step) * step, high, step):
        if abs(level) < 1e-9 and low > -0.1:
            continue
        lines = []
        for line in pg.functions.isocurve(volts, float(level), connected=True):
            at = np.clip(np.asarray(line) - 0.5, 0, [rows - 1, columns - 1])
            lines.append(
                np.column_stack(
                    [
                        np.interp(at[:, 1], np.arange(columns), picture.x),
                        np.interp(at[:, 0], np.arange(rows), picture.y),
                    ]
                )
            )
        out.append((float(level), tuple(lines)))
    return tuple(out)


def draw_potential(
    painter: QPainter, look: Look, levels: Levels, place: Callable[[float, float], QPointF]
) -> None:
    """Contours; above zero in sea, below in indigo and dashed."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for level, lines in levels:
        negative = level < -1e-9
        color = QColor(look.t.below_zero if negative else look.t.sea)
        style = Qt.PenStyle.DashLine if negative else Qt.PenStyle.SolidLine
        painter.setPen(pen(color, 1.6 if abs(level) < 1e-9 else 1.1, style))
        for line in lines:
            painter.drawPolyline(QPolygonF([place(float(x), float(y)) for x, y in line]))


def draw_densities(
    painter: QPainter,
    look: Look,
    picture: FieldPicture,
    kind: str,
    place: Callable[[float, float], QPointF],
) -> None:
    """A ribbon outside each conductor, as thick as its density; below zero in indigo."""
    values = picture.charge if kind == "charge" else picture.current
    middle = 0.5 * (picture.start + picture.end)
    painter.setPen(Qt.PenStyle.NoPen)
    for a, b, m, value in zip(picture.start, picture.end, middle, values, strict=True):
        p, q = place(float(a[0]), float(a[1])), place(float(b[0]), float(b[1]))
        dx, dy = q.x() - p.x(), q.y() - p.y()
        size = (dx * dx + dy * dy) ** 0.5
        if size < 1e-6:
            continue
        # Panels run round their conductor one way or the other; outside is where it is not.
        nx, ny = dy / size, -dx / size
        if _inside(picture, m, nx, -ny):
            nx, ny = -nx, -ny
        # The root keeps small densities visible beside the peaks at corners.
        tall = _RIBBON * abs(float(value)) ** 0.5
        color = QColor(look.t.sea if value >= 0 else look.t.below_zero)
        color.setAlpha(190)
        painter.setBrush(color)
        painter.drawPolygon(
            QPolygonF(
                [
                    p,
                    q,
                    QPointF(q.x() + nx * tall, q.y() + ny * tall),
                    QPointF(p.x() + nx * tall, p.y() + ny * tall),
                ]
            )
        )


def _inside(picture: FieldPicture, middle: NDArray[np.float64], nx: float, ny: float) -> bool:
    """Whether a short step along (nx, ny), y up, from a panel leads into its conductor."""
    extent = float(np.ptp(picture.start[:, 0])) or 1.0
    x = float(middle[0]) + 1e-5 * extent * nx
    y = float(middle[1]) + 1e-5 * extent * ny
    a, b = picture.start, picture.end
    crosses = (a[:, 1] > y) != (b[:, 1] > y)
    with np.errstate(divide="ignore", invalid="ignore"):
        at = a[:, 0] + (y - a[:, 1]) * (b[:, 0] - a[:, 0]) / (b[:, 1] - a[:, 1])
    return int(np.count_nonzero(crosses & (at > x))) % 2 == 1
