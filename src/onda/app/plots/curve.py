"""What a plot shows: curves, limits and bars, in shown units."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.app.shell.painting import DASHES

__all__ = ["LIMIT_DASH", "Bars", "Curve", "Limit", "dash_of", "mark_of", "pattern_of"]

FloatArray = NDArray[np.float64]
LIMIT_DASH = (5.0, 3.0)
_MARKS = ("╺ ╸", "┈┈", "╺ ·")


def dash_of(kept: int) -> tuple[float, ...]:
    """Dash of the first, second, third kept state, counted from 1."""
    return DASHES[(kept - 1) % len(DASHES)]


@dataclass(frozen=True)
class Curve:
    """One curve in shown units.

    `note`: its name is written at its end. `kept`: which of the kept states it is of, from 1; such
    a curve is dashed and muted. `legend`: its name is in the legend where it is not at its end.
    `limit`: it is one, dashed. `many`: many lines, broken where y is NaN; none of them is read.
    """

    name: str
    x: FloatArray
    y: FloatArray
    color: str
    width: float = 1.4
    kept: int = 0
    note: bool = False
    legend: bool = True
    limit: bool = False
    many: bool = False


@dataclass(frozen=True)
class Limit:
    """A horizontal limit from `x0` to `x1` (whole width where None), with its name."""

    y: float
    text: str
    x0: float | None = None
    x1: float | None = None


@dataclass(frozen=True)
class Bars:
    """Bars at `x` from `base` up to `y`, `width` wide, all in shown units."""

    x: FloatArray
    y: FloatArray
    base: float
    width: float
    color: str
    name: str = ""


def mark_of(curve: Curve) -> str:
    """How a curve's line looks, for a legend."""
    if curve.limit:
        return "┅"
    return _MARKS[(curve.kept - 1) % len(_MARKS)] if curve.kept else "━"


def pattern_of(curve: Curve) -> tuple[float, ...]:
    """Dash of a curve, empty for a full line."""
    if curve.limit:
        return LIMIT_DASH
    return dash_of(curve.kept) if curve.kept else ()
