"""Long rows of numbers; the compiler behind it loads with the first of them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

__all__ = ["scan"]

_TENS = np.array([float(f"1e{k}") for k in range(23)])


def scan(
    data: bytes,
    start: int,
    stop: int,
    room: NDArray[np.float64],
    comments: NDArray[np.int64],
) -> tuple[int, int, int, int]:
    """Numbers found, where the scan ended, why, and how many comments it noted."""
    from onda.formats.touchstone.number_kernels import scan_numbers

    view = np.frombuffer(data, dtype=np.uint8)
    count, position, why, noted = scan_numbers(view, start, stop, room, comments, _TENS)
    return int(count), int(position), int(why), int(noted)
