"""Where the names of curves stand: at their ends where there is room, covering nothing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF

__all__ = ["Label", "place_names"]

FloatArray = NDArray[np.float64]
_SHARES = (1.0, 0.92, 0.84, 0.76, 0.68, 0.6, 0.52, 0.44)
_CLEAR = 3.0
"""Pixels between a name and its curve."""


@dataclass(frozen=True, slots=True)
class Label:
    """A name to be placed: its size in pixels, and its curve in pixels, rising in x."""

    width: float
    height: float
    x: FloatArray
    y: FloatArray


def place_names(
    labels: Sequence[Label],
    curves: Sequence[tuple[FloatArray, FloatArray]],
    area: QRectF,
    taken: Sequence[QRectF] = (),
) -> list[QRectF | None]:
    """A place for each name, None where there is none that covers no curve and no other name.

    Parameters
    ----------
    curves : every curve that is drawn, in pixels; area : inside of the plot
    taken : places that are taken already
    """
    filled = list(taken)
    out: list[QRectF | None] = []
    for label in labels:
        found = next(
            (
                rect
                for rect in _candidates(label, area)
                if area.contains(rect)
                and not any(rect.intersects(other) for other in filled)
                and not any(_crosses(x, y, rect) for x, y in curves)
            ),
            None,
        )
        if found is not None:
            filled.append(found.adjusted(-3, -1, 3, 1))
        out.append(found)
    return out


def _candidates(label: Label, area: QRectF) -> list[QRectF]:
    inside = (label.x >= area.left()) & (label.x <= area.right())
    if not inside.any():
        return []
    x, y = label.x[inside], label.y[inside]
    out = []
    for share in _SHARES:
        right = x[0] + share * (x[-1] - x[0])
        span = (x >= right - label.width) & (x <= right)
        if not span.any():
            continue
        # Above the highest point of the stretch that it spans, or below the lowest.
        top, bottom = float(y[span].min()), float(y[span].max())
        left = min(right, area.right() - 2.0) - label.width
        out.append(QRectF(left, top - _CLEAR - label.height, label.width, label.height))
        out.append(QRectF(left, bottom + _CLEAR, label.width, label.height))
    return out


def _crosses(x: FloatArray, y: FloatArray, rect: QRectF) -> bool:
    """Whether a polyline runs through a rectangle."""
    if len(x) < 2:
        return False
    edges = np.array([rect.left(), rect.right()])
    if edges[1] < x[0] or edges[0] > x[-1]:
        return False
    inside = (x >= edges[0]) & (x <= edges[1])
    levels = np.concatenate([y[inside], np.interp(edges, x, y)])
    return bool(levels.min() < rect.bottom() and levels.max() > rect.top())
