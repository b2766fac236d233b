"""Resistive ends and edges as cases state them."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.stimulus import PiecewiseLinear

__all__ = ["fine_step", "source_edge"]

_BENDS = 400
"""Straight pieces in a raised cosine: they miss it by 3e-6 of its height."""


def source_edge(source: dict[str, Any], shape: str) -> PiecewiseLinear:
    """EMF of a source: at rest, then from 0 to its amplitude within its rise time."""
    start, rise = float(source["start"]), float(source["rise"])
    x = np.linspace(0.0, 1.0, _BENDS + 1 if shape == "raised_cosine" else 2)
    values: NDArray[np.float64] = 0.5 - 0.5 * np.cos(np.pi * x) if len(x) > 2 else x
    volts = float(source["amplitude"]) * values
    return PiecewiseLinear(tuple((start + rise * x).tolist()), tuple(volts.tolist()))


def fine_step(rise: float, end: float, *, per_edge: int, least: int, most: int) -> float:
    """Step in s: so many in an edge, and in the whole window at least and at most so many."""
    return min(max(rise / per_edge, end / most), end / least)
