"""Timing: the median of several runs after a warm-up."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass

__all__ = ["Figure", "median_ms"]


@dataclass(frozen=True)
class Figure:
    """A promise, what was measured, and the floor it is compared with (both in ms)."""

    name: str
    promised_ms: float
    measured_ms: float
    floor_ms: float | None = None
    floor_name: str = ""


def median_ms(run: Callable[[], object], *, times: int = 9, warm: int = 2) -> float:
    """Median wall time of a call in milliseconds."""
    for _ in range(warm):
        run()
    taken = []
    for _ in range(times):
        start = time.perf_counter()
        run()
        taken.append(1e3 * (time.perf_counter() - start))
    return statistics.median(taken)
