"""Bit-by-bit eye: a long pattern through the pulse response, laid over itself.

The eye spans one unit interval centred on the sampling phase; drawing repeats it. Every waveform
sample is the exact sum over the pulse's symbols, a word of them at a time.
"""

from __future__ import annotations

import math
import os
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor, wait
from threading import Event
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.eye import Eye, Opening
from onda.engine.links.pulse import PulseResponse, sampling_phase
from onda.errors import NotPhysical

__all__ = ["TWO_LEVELS", "bit_by_bit_eye", "eye_of_wave"]

FloatArray = NDArray[np.float64]
Symbols = NDArray[np.int8]
TWO_LEVELS = (-1.0, 1.0)
_BLOCK = 4096
_WORD = 8
"""Bits that are looked up at once."""
_LOOK = 0.05
"""Seconds between two looks at whether the run is still wanted."""
_MOST_CORES = 8
_LEAST_EXTRA = 16


class _Scale(NamedTuple):
    """Rows of a density: V of the lowest and of one, and the decision level in rows."""

    low: float
    step: float
    middle: float

    def volts(self, rows: FloatArray) -> FloatArray:
        """V at places counted in rows."""
        return np.asarray(self.low + rows * self.step)

    def rows(self, volts: FloatArray) -> FloatArray:
        """Places of voltages, counted in rows."""
        return np.asarray((volts - self.low) / self.step)


class _Traces:
    """Waveforms of single symbols, one unit interval centred on the sampling phase.

    What a word of symbols adds to a trace is known beforehand for all of their patterns; where
    rise and fall are unlike a word begins with the last symbol of the one before it.
    """

    def __init__(
        self, pulse: PulseResponse, symbols: Symbols, centre: int, levels: Sequence[float]
    ) -> None:
        phases = pulse.samples_per_ui
        # Shift the pulse so that the sampling phase falls into the middle of the interval, and
        # carry the next sample, so that a trace reaches to the interval's end.
        self.lead = (phases // 2 - centre) % phases
        self.kernel = self._by_symbol(pulse.volts)
        self.uneven = None if pulse.uneven is None else self._by_symbol(pulse.uneven)
        self.levels = np.asarray(levels, dtype=float)
        self.radix = len(levels)
        self.hop = _WORD if self.radix == 2 else _WORD // 2
        self.before = 0 if self.uneven is None else 1
        self.main = int(np.argmax(self.kernel[:, phases // 2])) + self.before
        self.count = len(symbols) - len(self.kernel) - self.before + 1
        # Symbols beyond the last one, which no trace hears, fill the last table.
        self.symbols = np.concatenate([symbols, np.zeros(_WORD, dtype=np.int8)])

    def _by_symbol(self, volts: FloatArray) -> FloatArray:
        """(k + 1, phases + 1), the oldest symbol first."""
        taps, phases = volts.shape
        flat = np.concatenate([np.zeros(self.lead), volts.reshape(-1)])
        flat = np.concatenate([flat, np.zeros(2 * phases - self.lead)])
        grid = np.arange(taps + 1)[:, None] * phases + np.arange(phases + 1)[None, :]
        return np.asarray(flat[grid][::-1])

    @property
    def phases(self) -> int:
        return self.kernel.shape[1] - 1

    @property
    def main_cursor(self) -> float:
        """V that the symbol of a trace adds to it at the sampling phase."""
        return float(self.kernel[self.main - self.before, self.phases // 2])

    def sent(self) -> Symbols:
        """The symbol that each trace carries."""
        return self.symbols[self.main : self.main + self.count]

    def tables(self, scale: _Scale) -> NDArray[np.float32]:
        """(t, radix^span, phases + 1), in rows of a density."""
        span = self.hop + self.before
        places = self.radix ** np.arange(span)[::-1]
        word = np.arange(self.radix**span)[:, None] // places % self.radix
        volts = self.levels[word]
        out = volts[:, self.before :] @ self._words(self.kernel, scale)
        if self.uneven is not None:
            edges = 0.5 * np.abs(np.diff(volts, axis=1))
            out += edges @ self._words(self.uneven, scale)
        out[0] += scale.middle
        return np.ascontiguousarray(out, dtype=np.float32)

    def _words(self, kernel: FloatArray, scale: _Scale) -> FloatArray:
        rows, samples = kernel.shape
        whole = np.zeros((-(-rows // self.hop) * self.hop, samples))
        whole[:rows] = kernel / scale.step
        return whole.reshape(-1, self.hop, samples)


def bit_by_bit_eye(
    pulse: PulseResponse,
    symbols: Symbols,
    *,
    phase: int | None = None,
    levels: int = 360,
    values: Sequence[float] = TWO_LEVELS,
    progress: Callable[[float], None] | None = None,
) -> Eye:
    """Lay a pattern over itself and measure the eye.

    Parameters
    ----------
    symbols : (n,) indices of `values`; the first ones, as many as the pulse is long, only fill its
        memory
    phase : sample of the unit interval to sample at; by `sampling_phase` where None
    levels : rows of the density
    values : two or four levels, rising from -1 to 1
    progress : told the share done; may raise to stop the run

    Raises
    ------
    NotPhysical : fewer bits than the pulse response is long, or a level that is never sent
    """
    memory = pulse.volts.shape[0] + _LEAST_EXTRA
    if len(symbols) < memory:
        raise NotPhysical("bits", len(symbols), f"at least {memory}, the response's memory")
    centre = sampling_phase(pulse) if phase is None else phase
    traces = _Traces(pulse, symbols, centre, values)
    _check_all_sent(traces.sent(), traces.radix)
    size = np.abs(pulse.volts).sum(axis=0)
    if pulse.uneven is not None:
        size = size + np.abs(pulse.uneven).sum(axis=0)
    scale = _scale(pulse.base, float(size.max()), levels)
    steps = 0.5 * (np.asarray(values[1:], dtype=float) + np.asarray(values[:-1], dtype=float))
    thresholds = pulse.base + steps * traces.main_cursor

    # Compiled code loads slowly; a window that only shows known results does without it.
    from onda.engine.links.eye_kernels import lay_over

    tables, rows = traces.tables(scale), scale.rows(thresholds).astype(np.float32)
    span = traces.hop + traces.before

    def lay(first: int, last: int, into: _Laid) -> None:
        lay_over(
            traces.symbols, first, last, traces.main, traces.radix, span, traces.hop, tables,
            rows, *into,
        )  # fmt: skip

    shape = (traces.phases, levels, traces.radix)
    laid = _laid(lay, traces.count, shape, progress)
    return _measured(
        laid, scale, thresholds, traces.sent(), pulse.unit_interval, centre, pulse.base
    )


def eye_of_wave(
    wave: FloatArray,
    symbols: Symbols,
    unit_interval: float,
    phases: int,
    *,
    levels: int = 360,
    values: Sequence[float] = TWO_LEVELS,
    progress: Callable[[float], None] | None = None,
) -> Eye:
    """Lay a waveform over itself, whatever made it.

    Parameters
    ----------
    wave : (>= phases * n + 1,) V, `phases` samples a unit interval, symbol k sampled in the middle
        of those from k * phases on; or (n, phases + 1), a row for each symbol
    symbols : (n,) indices of `values` that the traces carry

    Raises
    ------
    NotPhysical : a waveform too short or that does not move, or a level that is never sent
    """
    count, by_row = len(symbols), wave.ndim == 2
    enough = wave.shape == (count, phases + 1) if by_row else len(wave) >= phases * count + 1
    if not enough or count < _LEAST_EXTRA:
        raise NotPhysical("waveform", f"{wave.size} samples", f"{phases} for each of {count} bits")
    _check_all_sent(symbols, len(values))
    hop = phases + 1 if by_row else phases
    flat = np.ascontiguousarray(wave, dtype=float).reshape(-1)
    at = flat[phases // 2 : hop * count : hop]
    means = [float(at[symbols == k].mean()) for k in range(len(values))]
    base = 0.5 * (means[0] + means[-1])
    reach = float(np.abs(flat - base).max())
    if not reach > 0.0:
        raise NotPhysical("waveform", "no change", "one that follows what is sent")
    scale = _scale(base, reach, levels)
    thresholds = 0.5 * (np.array(means[1:]) + np.array(means[:-1]))

    from onda.engine.links.eye_kernels import lay_wave

    in_rows = scale.rows(flat).astype(np.float32)
    rows = scale.rows(thresholds).astype(np.float32)

    def lay(first: int, last: int, into: _Laid) -> None:
        lay_wave(in_rows, phases, hop, symbols, first, last, rows, *into)

    laid = _laid(lay, count, (phases, levels, len(values)), progress)
    return _measured(laid, scale, thresholds, symbols, unit_interval, phases // 2, base)


def _check_all_sent(sent: Symbols, radix: int) -> None:
    missing = np.setdiff1d(np.arange(radix), sent)
    if len(missing):
        what = "all bits alike" if radix == 2 else f"level {missing[0]} is never sent"
        raise NotPhysical("pattern", what, "every level, again and again")


def _scale(base: float, reach: float, levels: int) -> _Scale:
    reach *= 1.04
    return _Scale(base - reach, 2.0 * reach / levels, 0.5 * levels)


class _Laid(NamedTuple):
    """Sums over traces, as `lay_over` has them, all in rows of the density and in phases."""

    part: FloatArray
    change: FloatArray
    edges: NDArray[np.float32]
    sums: FloatArray
    found: NDArray[np.float32]
    counts: NDArray[np.int64]

    @classmethod
    def empty(cls, shape: tuple[int, int, int], most: int) -> _Laid:
        phases, levels, radix = shape
        edges = np.empty((radix, 2, phases), dtype=np.float32)
        edges[:, 0], edges[:, 1] = np.inf, -np.inf
        return cls(
            np.zeros((phases, levels + 1)),
            np.zeros((phases, levels + 1)),
            edges,
            np.zeros(radix),
            np.empty((radix - 1, most), dtype=np.float32),
            np.zeros(radix - 1, dtype=np.int64),
        )

    def crossings(self, j: int) -> FloatArray:
        """Phases at which traces cross a threshold."""
        return self.found[j, : min(int(self.counts[j]), self.found.shape[1])].astype(float)


def _laid(
    lay: Callable[[int, int, _Laid], None],
    count: int,
    shape: tuple[int, int, int],
    progress: Callable[[float], None] | None,
) -> list[_Laid]:
    """All traces laid over each other, on every core: each takes its own stretch of symbols."""
    stretches = np.linspace(0, count, _cores() + 1).astype(int)
    done = [0] * (len(stretches) - 1)
    stopped = Event()

    def stretch(k: int) -> _Laid:
        first, last = int(stretches[k]), int(stretches[k + 1])
        into = _Laid.empty(shape, 4 * (last - first) + 16)
        for start in range(first, last, _BLOCK):
            stop = min(start + _BLOCK, last)
            if stopped.is_set():
                break
            lay(start, stop, into)
            done[k] = stop - first
        return into

    with ThreadPoolExecutor(len(done)) as pool:
        runs = [pool.submit(stretch, k) for k in range(len(done))]
        try:
            while wait(runs, timeout=_LOOK).not_done:
                if progress is not None:
                    progress(sum(done) / count)
            if progress is not None:
                progress(1.0)
        except BaseException:
            stopped.set()
            raise
    return [run.result() for run in runs]


def _measured(
    parts: list[_Laid],
    scale: _Scale,
    thresholds: FloatArray,
    sent: Symbols,
    unit_interval: float,
    centre: int,
    base: float,
) -> Eye:
    density = np.sum(
        [one.part[:, :-1] + np.cumsum(one.change, axis=1)[:, :-1] for one in parts], axis=0
    )
    # What adding and taking away leaves where nothing is.
    density[density < 1e-9] = 0.0
    phases = len(density)
    lows = scale.volts(np.min([one.edges[:, 0] for one in parts], axis=0).astype(float))
    highs = scale.volts(np.max([one.edges[:, 1] for one in parts], axis=0).astype(float))
    counts = np.bincount(sent, minlength=len(lows))
    means = scale.volts(np.sum([one.sums for one in parts], axis=0) / counts).tolist()
    openings = []
    for j, threshold in enumerate(thresholds.tolist()):
        crossing = np.concatenate([one.crossings(j) for one in parts]) / phases - 0.5
        width, spread, rms = _width_and_jitter(crossing)
        high_edge, low_edge = lows[j + 1 :].min(axis=0), highs[: j + 1].max(axis=0)
        openings.append(
            Opening(
                threshold=threshold,
                height=float(high_edge[phases // 2] - low_edge[phases // 2]),
                width=width,
                jitter_pp=spread,
                jitter_rms=rms,
                crossings=np.histogram(crossing, bins=phases, range=(-0.5, 0.5))[0],
                high_edge=high_edge,
                low_edge=low_edge,
            )
        )
    return Eye(
        density=density,
        v_low=scale.low,
        v_step=scale.step,
        unit_interval=unit_interval,
        base=base,
        bits=len(sent),
        phase=centre,
        openings=tuple(openings),
        means=tuple(means),
        crossing_share=_crossing_share(density, scale.low, scale.step, means[0], means[-1]),
    )


def _cores() -> int:
    return max(1, min(os.cpu_count() or 1, _MOST_CORES))


def _width_and_jitter(crossing: FloatArray) -> tuple[float, float, float]:
    """Width, peak-peak and rms jitter (unit intervals) from crossings in -0.5..0.5.

    The eye's centre is at 0, so early crossings lie near -0.5 and late ones near +0.5; they are
    one population on a circle.
    """
    if len(crossing) == 0:
        return 0.0, math.nan, math.nan
    around = np.where(crossing < 0.0, crossing + 0.5, crossing - 0.5)
    spread = float(np.ptp(around))
    left = crossing[crossing < 0.0]
    right = crossing[crossing >= 0.0]
    late = float(right.min()) if len(right) else 0.5
    early = float(left.max()) if len(left) else -0.5
    return late - early, spread, float(np.std(around))


def _crossing_share(
    density: FloatArray, v_low: float, v_step: float, zero: float, one: float
) -> float:
    """Mean level at the eye's edge, between the zero and the one level."""
    column = density[0] + density[-1]
    volts = v_low + (np.arange(len(column)) + 0.5) * v_step
    middle = (volts > zero + 0.2 * (one - zero)) & (volts < one - 0.2 * (one - zero))
    weight = column[middle].sum()
    if weight == 0:
        return math.nan
    level = float((column[middle] * volts[middle]).sum() / weight)
    return float((level - zero) / (one - zero))
