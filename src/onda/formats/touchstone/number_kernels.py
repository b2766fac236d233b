"""Plain numbers out of bytes at the speed of large measurement files."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from onda.formats.touchstone.scan_ends import BAD, END, FULL, STOPPED

__all__ = ["scan_numbers"]

_INT: Any = np.int64


@numba.njit(cache=True, nogil=True, inline="always")
def _digits(data: NDArray[np.uint8], k: np.uint64, value: np.uint64) -> tuple[np.uint64, np.uint64]:
    """Digits from position k on, added to `value`; where they end."""
    while True:
        d = np.uint8(data[k] - np.uint8(48))
        if d > 9:
            return k, value
        value = value * np.uint64(10) + np.uint64(d)
        k += np.uint64(1)


@numba.njit(cache=True, nogil=True)
def scan_numbers(
    data: NDArray[np.uint8],
    start: int,
    stop: int,
    out: NDArray[np.float64],
    comments: NDArray[np.int64],
    tens: NDArray[np.float64],
) -> tuple[int, int, int, int]:
    """Read numbers parted by blanks, commas and ends of lines until `out` is full.

    Comments run from "!" to the end of their line; a line that begins with "[" or "#" stops the
    scan. Numbers of up to 15 digits are correctly rounded, longer ones within a few units in the
    last place. Digits beyond the 18th count as zeros.

    Parameters
    ----------
    data : bytes that end with an end of line at `stop` or later; start, stop : positions
    comments : (c, 2), filled with where comments begin and end; tens : `10.0 ** arange(23)`

    Returns
    -------
    count of numbers, position where it ended, why, count of comments
    """
    one, last = np.uint64(1), np.uint64(stop)
    room, limit = len(out), len(comments)
    count, noted = 0, 0
    k = np.uint64(start)
    fresh = True
    while True:
        c = data[k]
        while c == 32 or c == 9 or c == 44:
            k += one
            c = data[k]
        if k >= last:
            return count, stop, END, noted
        if c == 10 or c == 13:
            fresh = True
            k += one
            continue
        if c == 33:
            begin = k + one
            while data[k] != 10 and data[k] != 13:
                k += one
            if noted < limit:
                comments[noted, 0], comments[noted, 1] = begin, k
                noted += 1
            continue
        if fresh and (c == 91 or c == 35):
            return count, _INT(k), STOPPED, noted
        if count == room:
            return count, _INT(k), FULL, noted
        fresh = False
        first = k
        negative = c == 45
        if c == 45 or c == 43:
            k += one
        whole = k
        k, mantissa = _digits(data, k, np.uint64(0))
        digits: Any = _INT(k - whole)
        shift: Any = 0
        if data[k] == 46:
            k += one
            point = k
            k, mantissa = _digits(data, k, mantissa)
            shift = -_INT(k - point)
            digits -= shift
        if digits == 0:
            return count, _INT(first), BAD, noted
        if digits > 18:
            # More than fits: again, keeping the first ones that count.
            mantissa, shift = np.uint64(0), 0
            kept: Any = 0
            behind = False
            for q in range(_INT(whole), _INT(k)):
                d = data[q]
                if d == 46:
                    behind = True
                elif kept < 18:
                    mantissa = mantissa * np.uint64(10) + np.uint64(d - np.uint8(48))
                    kept += mantissa > 0
                    shift -= behind
                else:
                    shift += not behind
        if data[k] | np.uint8(32) == 101 or data[k] | np.uint8(32) == 100:
            k += one
            down = data[k] == 45
            if down or data[k] == 43:
                k += one
            begin = k
            k, power = _digits(data, k, np.uint64(0))
            length = _INT(k - begin)
            if length == 0 or length > 6:
                return count, _INT(first), BAD, noted
            shift += -_INT(power) if down else _INT(power)
        c = data[k]
        if not (c == 32 or c == 10 or c == 9 or c == 44 or c == 13 or c == 33):
            return count, _INT(first), BAD, noted
        value = np.float64(mantissa)
        # Exact as long as both factors are exact doubles.
        if -22 <= shift < 0:
            value /= tens[-shift]
        elif shift != 0 and value != 0.0:
            while shift < 0 and value != 0.0:
                step = min(-shift, 22)
                value /= tens[step]
                shift += step
            while shift > 0 and value <= 1.7976931348623157e308:
                step = min(shift, 22)
                value *= tens[step]
                shift -= step
            if value > 1.7976931348623157e308:
                return count, _INT(first), BAD, noted
        out[count] = -value if negative else value
        count += 1
