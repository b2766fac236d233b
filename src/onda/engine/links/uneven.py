"""Interference where rise and fall are unlike: each edge adds, whichever way it goes.

What is seen is sum_k c_k s_k + sum_k a_k |s_k - s_{k+1}| / 2, symbol k sent k before the sampled
one: no more a sum of independent terms, but a walk from symbol to symbol. Its distribution, given
the sampled symbol, is that of all older ones and that of all newer ones, each worked out step by
step with one distribution for each level that was sent last.

References
----------
Norris, "Markov Chains", Cambridge (1997), section 1.1 (a step depends on the last state only).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.statistical import Levels

__all__ = ["Extreme", "extreme", "seen_by_level"]

FloatArray = NDArray[np.float64]
_BINS = 4096
_LEAST_STEP = 1e-15


@dataclass(frozen=True, slots=True)
class Extreme:
    """The lowest or the highest that can be seen of a level: V, and the levels sent for it, by how
    many symbols before the sampled one each was sent."""

    volts: float
    sent: Mapping[int, float]


def _terms(
    cursors: Mapping[int, float], edges: Mapping[int, float], levels: Sequence[float]
) -> tuple[list[int], FloatArray, FloatArray]:
    """Numbers from the oldest to the newest, what symbol i adds (k, n), what edge i from j adds
    (k, n, n)."""
    first, last = min([*cursors, *edges, 0]), max([*cursors, *edges, 0])
    numbers = list(range(last, first - 1, -1))
    s = np.asarray(levels, dtype=float)
    own = np.array([cursors.get(k, 0.0) for k in numbers])[:, None] * s
    hop = 0.5 * np.abs(s[:, None] - s)
    return numbers, own, np.array([edges.get(k, 0.0) for k in numbers])[:, None, None] * hop


def extreme(
    cursors: Mapping[int, float],
    edges: Mapping[int, float],
    levels: Sequence[float],
    sampled: int,
    *,
    lowest: bool,
) -> Extreme:
    """The lowest (or highest) of all patterns with level number `sampled` at the sampling time.

    Parameters
    ----------
    cursors : V by number, the main one included; edges : V that a whole swing adds by its number
    """
    sign = 1.0 if lowest else -1.0
    numbers, own, hop = _terms(cursors, edges, levels)
    best = sign * own[0]
    came: list[NDArray[np.int64]] = []
    at = numbers.index(0)
    for k in range(1, len(numbers)):
        if k - 1 == at:
            best = np.where(np.arange(len(levels)) == sampled, best, np.inf)
        way = best[None, :] + sign * hop[k]
        came.append(np.argmin(way, axis=1))
        best = way.min(axis=1) + sign * own[k]
    if at == len(numbers) - 1:
        best = np.where(np.arange(len(levels)) == sampled, best, np.inf)
    state = int(np.argmin(best))
    found = sign * float(best[state])
    sent = {numbers[-1]: float(levels[state])}
    for k in range(len(numbers) - 1, 0, -1):
        state = int(came[k - 1][state])
        sent[numbers[k - 1]] = float(levels[state])
    return Extreme(found, sent)


def seen_by_level(
    cursors: Mapping[int, float], edges: Mapping[int, float], levels: Sequence[float]
) -> tuple[Levels, ...]:
    """What is added to each level, all symbols around it equally likely, V.

    `cursors` without the main one. Values lie on a grid of 4096 places, means kept.
    """
    numbers, own, hop = _terms(cursors, edges, levels)
    at = numbers.index(0)
    n = len(levels)
    reach = float(np.abs(own).max(axis=1).sum() + np.abs(hop).max(axis=(1, 2)).sum())
    step = max(2.0 * reach / _BINS, _LEAST_STEP)
    places = _BINS + 2 * len(numbers) + 4
    zero = places // 2
    older = _walked(own[:at] / step, hop[: at + 1] / step, n, places, zero)
    # The newer side backwards: the last symbol first, each edge seen from its other end.
    newer = _walked(
        own[:at:-1] / step,
        np.concatenate([np.zeros((1, n, n)), hop[:at:-1]]) / step,
        n,
        places,
        zero,
    )
    volts = np.asarray((np.arange(places) - zero) * step, dtype=np.float64)
    out = []
    for state in range(n):
        old, new = _kept(volts, older[state]), _kept(volts, newer[state])
        out.append(old.plus(new))
    return tuple(out)


def _kept(volts: FloatArray, weights: FloatArray) -> Levels:
    some = np.flatnonzero(weights)
    return Levels(volts[some], weights[some])


def _walked(own: FloatArray, hop: FloatArray, n: int, places: int, zero: int) -> FloatArray:
    """Distributions (n, places) given the state at the end of a walk.

    `own` (k, n) places that each state on the way adds; `hop` (k + 1, n, n) what each edge does,
    the first unused, the last one the edge to the end.
    """
    from onda.engine.links.level_kernels import stepped

    out = np.zeros((n, places))
    out[:, zero] = 1.0
    for k in range(len(own)):
        out = stepped(out, own[k], hop[k + 1])
    return out
