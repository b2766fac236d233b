"""Lines of a level in a field."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray

__all__ = ["contours"]


def contours(field: NDArray[np.float64], level: float) -> list[NDArray[np.float64]]:
    """Lines of a level as (row, column) points of a field, none along the edge of a hole."""
    missing = np.isnan(field)
    # A value far above closes the field for the tracing; what it makes along holes is cut out.
    whole = np.where(missing, 1e9, field)
    out: list[NDArray[np.float64]] = []
    for line in pg.functions.isocurve(whole, level, connected=True, extendToEdge=True):
        # isocurve counts from the corner of a cell, and the edge rows are doubled.
        points = np.clip(np.asarray(line) - 0.5, 0, len(field) - 1)
        low, high = np.floor(points).astype(int), np.ceil(points).astype(int)
        sound = ~(missing[low[:, 0], low[:, 1]] | missing[high[:, 0], high[:, 1]])
        ends = np.flatnonzero(np.diff(sound.astype(int))) + 1
        out += [
            p for p, ok in zip(np.split(points, ends), np.split(sound, ends), strict=True) if ok[0]
        ]
    return out
