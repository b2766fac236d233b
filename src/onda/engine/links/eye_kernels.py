"""Compiled inner loops of the eye bit by bit."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

__all__ = ["lay_over", "lay_wave"]

FloatArray = NDArray[np.float64]
Rows = NDArray[np.float32]
_FEW = 64


@njit(cache=True, nogil=True)
def _trace(
    symbols: NDArray[np.int8], first: int, radix: int, span: int, hop: int, tables: Rows, out: Rows
) -> None:
    """The trace that the symbols from `first` on make."""
    out[:] = 0.0
    for t in range(len(tables)):
        word = 0
        for k in range(span):
            word = radix * word + symbols[first + hop * t + k]
        for p in range(len(out)):
            out[p] += tables[t, word, p]


@njit(cache=True, nogil=True, error_model="numpy")
def _lay(
    traces: Rows,
    here: int,
    sent: NDArray[np.int8],
    thresholds: Rows,
    part: FloatArray,
    change: FloatArray,
    edges: Rows,
    sums: FloatArray,
    found: Rows,
    counts: NDArray[np.int64],
) -> None:
    """Add `here` traces (few, phases + 1) to an eye.

    Voltages are in rows of the density. Between two samples the trace is a straight line; its unit
    of weight is shared among the levels that it passes, in proportion to the time it spends in
    each. What is alike from one level to another further up is written as a change at both ends,
    so that steep traces cost no more.
    """
    phases = traces.shape[1] - 1
    levels = part.shape[1] - 1
    for i in range(here):
        one = sent[i]
        sums[one] += traces[i, phases // 2]
        for p in range(phases):
            edges[one, 0, p] = min(edges[one, 0, p], traces[i, p])
            edges[one, 1, p] = max(edges[one, 1, p], traces[i, p])
    for p in range(phases):
        single, step = part[p], change[p]
        for i in range(here):
            a, b = traces[i, p], traces[i, p + 1]
            for j in range(len(thresholds)):
                level = thresholds[j]
                if (a < level) != (b < level):
                    if counts[j] < found.shape[1]:
                        found[j, counts[j]] = p + (a - level) / (a - b)
                    counts[j] += 1
            low, high = min(a, b), max(a, b)
            first, last = np.int32(low), np.int32(high)
            if low < 0.0 or last >= levels:
                continue
            if first == last:
                single[first] += 1.0
                continue
            per_level = np.float32(1.0) / (high - low)
            single[first] += (first + 1 - low) * per_level
            single[last] += (high - last) * per_level
            step[first + 1] += per_level
            step[last] -= per_level


@njit(cache=True, nogil=True)
def lay_over(
    symbols: NDArray[np.int8],
    first_trace: int,
    last_trace: int,
    main: int,
    radix: int,
    span: int,
    hop: int,
    tables: Rows,
    thresholds: Rows,
    part: FloatArray,
    change: FloatArray,
    edges: Rows,
    sums: FloatArray,
    found: Rows,
    counts: NDArray[np.int64],
) -> None:
    """Add the traces of some symbols to an eye.

    Parameters
    ----------
    symbols : (n,) 0 to radix - 1, all that are sent; trace k is made by those from k on
    main : which of them it carries
    span, hop : symbols of a word, and from one word to the next
    tables : (t, radix^span, phases + 1), what a word makes of a trace, oldest symbol highest
    thresholds : (j,) rows where crossings are looked for
    part, change : (phases, levels + 1), weight of single levels, and its change from level to level
    edges : (radix, 2, phases), lowest and highest trace of each symbol
    sums : (radix,), of all traces of a symbol in the middle
    found, counts : (j, most), (j,) phases (0 to phases) at which traces cross each threshold
    """
    phases = tables.shape[2] - 1
    # A few traces at a time, then phase by phase, so that one row of the density is at hand.
    traces = np.empty((_FEW, phases + 1), dtype=np.float32)
    for start in range(first_trace, last_trace, _FEW):
        here = min(_FEW, last_trace - start)
        for i in range(here):
            _trace(symbols, start + i, radix, span, hop, tables, traces[i])
        sent = symbols[start + main : start + main + here]
        _lay(traces, here, sent, thresholds, part, change, edges, sums, found, counts)


@njit(cache=True, nogil=True)
def lay_wave(
    wave: Rows,
    phases: int,
    hop: int,
    sent: NDArray[np.int8],
    first_trace: int,
    last_trace: int,
    thresholds: Rows,
    part: FloatArray,
    change: FloatArray,
    edges: Rows,
    sums: FloatArray,
    found: Rows,
    counts: NDArray[np.int64],
) -> None:
    """Add the traces of a waveform, `phases` samples each, to an eye, as `lay_over` does.

    `wave` (>= hop * last_trace + phases + 1 - hop,) in rows, a trace every `hop` samples; `sent`
    (last_trace,) the symbol of each trace.
    """
    traces = np.empty((_FEW, phases + 1), dtype=np.float32)
    for start in range(first_trace, last_trace, _FEW):
        here = min(_FEW, last_trace - start)
        for i in range(here):
            at = (start + i) * hop
            traces[i] = wave[at : at + phases + 1]
        some = sent[start : start + here]
        _lay(traces, here, some, thresholds, part, change, edges, sums, found, counts)
