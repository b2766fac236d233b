"""Compiled loops of distributions on a grid."""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

__all__ = ["added", "log_below", "moved", "spread", "stepped", "where_below"]

FloatArray = NDArray[np.float64]
_ROOT_HALF = math.sqrt(0.5)
_FAR = 38.0
"""Standard deviations beyond which a Gaussian leaves nothing that a number can hold."""


@njit(cache=True, nogil=True)
def _lay(grid: FloatArray, used: int, share: float, out: FloatArray) -> None:
    """Add a share of `grid[:used]`; a loop of its own, as it is done for several places at once."""
    for i in range(used):
        out[i] += share * grid[i]


@njit(cache=True, nogil=True)
def added(moves: FloatArray, share: float, room: int) -> FloatArray:
    """Distribution of a sum of symbols: by `moves` (symbols, levels) places, 0 or above, each with
    a weight of `share`; what lies between two places goes to both. `room` places hold the sum."""
    grid, out = np.zeros(room), np.zeros(room)
    grid[0], used = 1.0, 1
    for symbol in range(moves.shape[0]):
        last = used + math.floor(moves[symbol].max()) + 1
        out[:last] = 0.0
        for level in range(moves.shape[1]):
            move = moves[symbol, level]
            whole = math.floor(move)
            right = (move - whole) * share
            left = share - right
            _lay(grid, used, left, out[whole:])
            _lay(grid, used, right, out[whole + 1 :])
        grid, out, used = out, grid, last
    return grid[:used]


@njit(cache=True, nogil=True)
def moved(grid: FloatArray, places: FloatArray, weights: FloatArray, out: FloatArray) -> None:
    """Add to `out` the distribution `grid` moved to each of `places`, with its weight."""
    used = len(grid)
    for k in range(len(places)):
        whole = math.floor(places[k])
        right = (places[k] - whole) * weights[k]
        left = weights[k] - right
        _lay(grid, used, left, out[whole:])
        _lay(grid, used, right, out[whole + 1 :])


@njit(cache=True, nogil=True)
def log_below(values: FloatArray, weights: FloatArray, at: float, sigma: float) -> float:
    """Natural logarithm of the probability that a rising distribution with Gaussian noise is below
    `at`; minus infinity for none."""
    total = 0.0
    for i in range(len(values)):
        x = (at - values[i]) / sigma
        if x < -_FAR:
            break
        total += weights[i] * 0.5 * math.erfc(-x * _ROOT_HALF)
    return math.log(total) if total > 0.0 else -math.inf


@njit(cache=True, nogil=True)
def where_below(
    values: FloatArray, weights: FloatArray, sigma: float, wanted: float, near: float
) -> float:
    """Where `log_below` of a rising distribution passes `wanted`, within `near`.

    Halving until the way is a few standard deviations, then by straight lines (Illinois).
    """
    low = values[0] - (_FAR - 1.0) * sigma
    high = values[-1] + 10.0 * sigma
    while high - low > 4.0 * sigma:
        middle = 0.5 * (low + high)
        if log_below(values, weights, middle, sigma) < wanted:
            low = middle
        else:
            high = middle
    below = log_below(values, weights, low, sigma) - wanted
    above = log_below(values, weights, high, sigma) - wanted
    side = 0
    for _ in range(100):
        if high - low <= near or below == above:
            break
        at = high - above * (high - low) / (above - below)
        if not low < at < high:
            at = 0.5 * (low + high)
        found = log_below(values, weights, at, sigma) - wanted
        if found == 0.0:
            return at
        if found < 0.0:
            step, low, below = at - low, at, found
            if side < 0:
                above *= 0.5
            side = -1
        else:
            step, high, above = high - at, at, found
            if side > 0:
                below *= 0.5
            side = 1
        if step <= near:
            return at
    return 0.5 * (low + high)


@njit(cache=True, nogil=True)
def spread(mass: FloatArray, kernel: FloatArray, out: FloatArray) -> None:
    """Rows of `mass` (m, n) folded with a kernel of odd length, into `out`; what leaves the grid
    stays at its end. By sums of what is not negative, so that the rare keeps its digits."""
    half = len(kernel) // 2
    last = mass.shape[1] - 1
    for row in range(mass.shape[0]):
        for i in range(last + 1):
            weight = mass[row, i]
            if weight == 0.0:
                continue
            for k in range(len(kernel)):
                at = min(max(i + k - half, 0), last)
                out[row, at] += weight * kernel[k]


@njit(cache=True, nogil=True)
def stepped(given: FloatArray, own: FloatArray, hop: FloatArray) -> FloatArray:
    """A step of a walk among n states, all equally likely to be next.

    Parameters
    ----------
    given : (n, m) distribution before each state; own : (n,) places that the state adds
    hop : (n, n) places that the way to one state (first) from another one adds

    Returns
    -------
    (n, m) distribution before each state one step later
    """
    n, m = given.shape
    out = np.zeros((n, m))
    share = 1.0 / n
    for to in range(n):
        for source in range(n):
            move = own[source] + hop[to, source]
            whole = math.floor(move)
            right = (move - whole) * share
            left = share - right
            for i in range(max(0, -whole), min(m, m - whole - 1)):
                weight = given[source, i]
                if weight != 0.0:
                    out[to, i + whole] += left * weight
                    out[to, i + whole + 1] += right * weight
    return out
