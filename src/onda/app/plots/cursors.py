"""Two cursors on a plot: they snap to curves, and their differences are told."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["Cursor", "Trace", "cursor_words", "snapped"]

FloatArray = NDArray[np.float64]
_PER = {"s": "Hz", "ms": "kHz", "µs": "MHz", "us": "MHz", "ns": "GHz", "ps": "THz"}
"""Unit of one over a time."""


@dataclass(frozen=True, slots=True)
class Trace:
    """A curve that a cursor can sit on, in shown units; `key` tells curves apart."""

    key: str
    name: str
    x: FloatArray
    y: FloatArray


@dataclass(frozen=True, slots=True)
class Cursor:
    """A cursor: its place, and the curve that it sits on."""

    x: float
    key: str

    def on(self, traces: Sequence[Trace]) -> tuple[Trace, float] | None:
        """Its curve as it is now, and the value there; None where it is gone."""
        trace = next((t for t in traces if t.key == self.key), None)
        if trace is None or not len(trace.x) or not trace.x[0] <= self.x <= trace.x[-1]:
            return None
        return trace, float(np.interp(self.x, trace.x, trace.y))


def snapped(x: float, y: float, traces: Sequence[Trace], scale: float) -> Cursor | None:
    """A cursor on the curve nearest in y; `scale` is the height of the plot in shown units."""
    best, least = None, math.inf
    for trace in traces:
        if not len(trace.x) or not trace.x[0] <= x <= trace.x[-1]:
            continue
        away = abs(float(np.interp(x, trace.x, trace.y)) - y) / max(scale, 1e-300)
        if away < least:
            best, least = trace, away
    return Cursor(x, best.key) if best is not None else None


def cursor_words(
    cursors: Sequence[Cursor], traces: Sequence[Trace], x_unit: str, y_unit: str
) -> list[str]:
    """What both cursors read, and what lies between them."""
    found = [(c, c.on(traces)) for c in cursors]
    lines, values = [], []
    for mark, (cursor, on) in zip("AB", found, strict=False):
        if on is None:
            lines.append(f"{mark}  {_number(cursor.x)} {x_unit}  no curve")
            continue
        trace, value = on
        values.append((cursor.x, value))
        read = f"{_number(cursor.x)} {x_unit}  {_number(value)} {y_unit}"
        lines.append(f"{mark}  {read}  {trace.name}".rstrip())
    if len(values) == 2:
        (x0, y0), (x1, y1) = values
        dx, dy = x1 - x0, y1 - y0
        per = f"  1/Δ {_number(1.0 / abs(dx))} {_PER[x_unit]}" if x_unit in _PER and dx else ""
        lines.append(f"Δ  {_number(dx)} {x_unit}  {_number(dy)} {y_unit}{per}".rstrip())
    return lines


def _number(value: float) -> str:
    """Four digits, never with an exponent.

    Examples
    --------
    >>> _number(1234567.0), _number(-0.00012341), _number(0.0)
    ('1234567', '−0.0001234', '0')
    """
    if value == 0 or not math.isfinite(value):
        return "0" if value == 0 else "–"
    decimals = min(max(0, 3 - math.floor(math.log10(abs(value)))), 12)
    text = f"{value:.{decimals}f}"
    return "0" if float(text) == 0 else text.replace("-", "−")
