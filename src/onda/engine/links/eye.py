"""Bit-by-bit eye: a long pattern through the pulse response, laid over itself.

The eye spans one unit interval centred on the sampling phase; drawing repeats it. Every waveform
sample is the exact sum over the pulse's bits, eight of them at a time.
"""

from __future__ import annotations

import math
import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, wait
from dataclasses import dataclass
from threading import Event
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.pulse import PulseResponse
from onda.errors import NotPhysical

__all__ = ["Eye", "Mask", "bit_by_bit_eye", "mask_hits", "sampling_phase"]

FloatArray = NDArray[np.float64]
_BLOCK = 4096
_WORD = 8
"""Bits that are looked up at once."""
_LOOK = 0.05
"""Seconds between two looks at whether the run is still wanted."""
_MOST_CORES = 8


@dataclass(frozen=True, slots=True)
class Mask:
    """Forbidden hexagon in the middle of the eye.

    `half_width` at mid level and `half_width_flat` at its top and bottom, in unit intervals;
    `half_height` in volts.
    """

    half_width: float
    half_width_flat: float
    half_height: float

    def half_height_at(self, offset: FloatArray) -> FloatArray:
        """Half height (V) at offsets from the centre in unit intervals; 0 outside."""
        x = np.abs(np.asarray(offset, dtype=float))
        slope = max(self.half_width - self.half_width_flat, 1e-12)
        return self.half_height * np.clip((self.half_width - x) / slope, 0.0, 1.0)


@dataclass(frozen=True, slots=True)
class Eye:
    """A measured eye of `bits` bits.

    Attributes
    ----------
    density : (phases, levels), counts; phase 0 lies half a unit interval before the sampling phase
    v_low, v_step : V, lower edge of the first level and height of one
    unit_interval : s
    base : V, the decision level
    bits : how many were laid over each other
    phase : sample of the pulse's unit interval that is the sampling phase
    height : V, lowest one less highest zero at the sampling phase; negative means closed
    width : unit intervals between the last early and the first late crossing; 0 when closed
    level_one, level_zero : V, means at the sampling phase
    jitter_pp, jitter_rms : unit intervals, of the crossings
    crossing_share : 0..1, level of the crossing between zero (0) and one (1) level
    crossings : (phases,) counts of crossings of the decision level by phase
    high_edge, low_edge : (phases,) V, lowest trace of a one and highest of a zero
    """

    density: FloatArray
    v_low: float
    v_step: float
    unit_interval: float
    base: float
    bits: int
    phase: int
    height: float
    width: float
    level_one: float
    level_zero: float
    jitter_pp: float
    jitter_rms: float
    crossing_share: float
    crossings: NDArray[np.int64]
    high_edge: FloatArray
    low_edge: FloatArray

    @property
    def offsets(self) -> FloatArray:
        """Middle of each phase column, unit intervals from the sampling phase."""
        n = self.density.shape[0]
        return (np.arange(n) + 0.5) / n - 0.5

    @property
    def tallest(self) -> tuple[float, float]:
        """Where the eye is tallest, unit intervals from the sampling phase, and its height, V."""
        heights = self.high_edge - self.low_edge
        k = int(np.argmax(heights))
        return k / len(heights) - 0.5, float(heights[k])


class _Scale(NamedTuple):
    """Rows of a density: V of the lowest and of one, and the decision level in rows."""

    low: float
    step: float
    middle: float

    def volts(self, rows: FloatArray) -> FloatArray:
        """V at places counted in rows."""
        return np.asarray(self.low + rows * self.step)


class _Traces:
    """Waveforms of single bits, one unit interval centred on the sampling phase.

    What eight bits at a time add to a trace is known beforehand for all 256 of their patterns.
    """

    def __init__(self, pulse: PulseResponse, bits: NDArray[np.int8], centre: int) -> None:
        taps, phases = pulse.volts.shape
        # Shift the pulse so that the sampling phase falls into the middle of the interval, and
        # carry the next sample, so that a trace reaches to the interval's end.
        lead = (phases // 2 - centre) % phases
        flat = np.concatenate([np.zeros(lead), pulse.flat, np.zeros(2 * phases - lead)])
        rows = taps + 1
        grid = np.arange(rows)[:, None] * phases + np.arange(phases + 1)[None, :]
        # By bit, the oldest first.
        self.kernel = flat[grid][::-1]
        self.main = int(np.argmax(self.kernel[:, phases // 2]))
        self.count = len(bits) - rows + 1
        # Bits beyond the last one, which no trace hears, fill the last table.
        self.bits = np.concatenate([bits, np.zeros(_WORD, dtype=np.int8)])

    def sent(self) -> NDArray[np.int8]:
        """The bit (0 or 1) that each trace carries."""
        return self.bits[self.main : self.main + self.count]

    def tables(self, scale: _Scale) -> NDArray[np.float32]:
        """(t, 256, phases + 1), in rows of a density."""
        rows, samples = self.kernel.shape
        whole = np.zeros((-(-rows // _WORD) * _WORD, samples))
        whole[:rows] = self.kernel / scale.step
        signs = 2.0 * (np.arange(2**_WORD)[:, None] >> np.arange(_WORD)[::-1] & 1) - 1.0
        out = signs @ whole.reshape(-1, _WORD, samples)
        out[0] += scale.middle
        return np.ascontiguousarray(out, dtype=np.float32)


def bit_by_bit_eye(
    pulse: PulseResponse,
    bits: NDArray[np.int8],
    *,
    phase: int | None = None,
    levels: int = 360,
    progress: Callable[[float], None] | None = None,
) -> Eye:
    """Lay a pattern over itself and measure the eye.

    Parameters
    ----------
    bits : (n,) 0 or 1; the first ones, as many as the pulse is long, only fill its memory
    phase : sample of the unit interval to sample at; by `sampling_phase` where None
    levels : rows of the density
    progress : told the share done; may raise to stop the run

    Raises
    ------
    NotPhysical : fewer bits than the pulse response is long, or bits that are all alike
    """
    if len(bits) < pulse.volts.shape[0] + 16:
        raise NotPhysical(
            "bits", len(bits), f"at least {pulse.volts.shape[0] + 16}, the response's memory"
        )
    if bits.min() == bits.max():
        raise NotPhysical("pattern", "all bits alike", "both zeros and ones")
    centre = sampling_phase(pulse) if phase is None else phase
    traces = _Traces(pulse, bits, centre)
    phases = pulse.samples_per_ui
    reach = float(np.abs(pulse.volts).sum(axis=0).max()) * 1.04
    scale = _Scale(pulse.base - reach, 2.0 * reach / levels, 0.5 * levels)
    laid = _laid(traces, scale, levels, progress)
    ones = int(traces.sent().sum())
    level_zero, level_one = scale.volts(laid.sums / np.array([traces.count - ones, ones])).tolist()
    crossing = laid.found / phases - 0.5
    width, spread, rms = _width_and_jitter(crossing)
    low_edge, high_edge = scale.volts(laid.edges)
    return Eye(
        density=laid.density,
        v_low=scale.low,
        v_step=scale.step,
        unit_interval=pulse.unit_interval,
        base=pulse.base,
        bits=traces.count,
        phase=centre,
        height=float(high_edge[phases // 2] - low_edge[phases // 2]),
        width=width,
        level_one=level_one,
        level_zero=level_zero,
        jitter_pp=spread,
        jitter_rms=rms,
        crossing_share=_crossing_share(laid.density, scale.low, scale.step, level_zero, level_one),
        crossings=np.histogram(crossing, bins=phases, range=(-0.5, 0.5))[0],
        high_edge=high_edge,
        low_edge=low_edge,
    )


class _Laid(NamedTuple):
    """Sums over traces: density (phases, levels), edges (2, phases) and sums (2,) in rows of it,
    crossings in phases."""

    density: FloatArray
    edges: FloatArray
    sums: FloatArray
    found: FloatArray


def _laid(
    traces: _Traces,
    scale: _Scale,
    levels: int,
    progress: Callable[[float], None] | None,
) -> _Laid:
    """All traces laid over each other, on every core: each takes its own stretch of bits."""
    # Compiled code loads slowly; a window that only shows known results does without it.
    from onda.engine.links.eye_kernels import lay_over

    phases = traces.kernel.shape[1] - 1
    tables = traces.tables(scale)
    stretches = np.linspace(0, traces.count, _cores() + 1).astype(int)
    done = [0] * (len(stretches) - 1)
    stopped = Event()

    def lay(k: int) -> _Laid:
        first, last = int(stretches[k]), int(stretches[k + 1])
        part, change = np.zeros((phases, levels + 1)), np.zeros((phases, levels + 1))
        edges = np.stack([np.full(phases, -np.inf), np.full(phases, np.inf)]).astype(np.float32)
        sums, found = np.zeros(2), np.empty(4 * (last - first) + 16, dtype=np.float32)
        count = 0
        for start in range(first, last, _BLOCK):
            stop = min(start + _BLOCK, last)
            if stopped.is_set():
                break
            count = lay_over(
                traces.bits, start, stop, traces.main, tables, scale.middle,
                part, change, edges, sums, found, count,
            )  # fmt: skip
            done[k] = stop - first
        density = part[:, :levels] + np.cumsum(change, axis=1)[:, :levels]
        # What adding and taking away leaves where nothing is.
        density[density < 1e-9] = 0.0
        return _Laid(
            density, edges.astype(float), sums, found[: min(count, len(found))].astype(float)
        )

    with ThreadPoolExecutor(len(done)) as pool:
        runs = [pool.submit(lay, k) for k in range(len(done))]
        try:
            while wait(runs, timeout=_LOOK).not_done:
                if progress is not None:
                    progress(sum(done) / traces.count)
            if progress is not None:
                progress(1.0)
        except BaseException:
            stopped.set()
            raise
    parts = [run.result() for run in runs]
    return _Laid(
        np.sum([one.density for one in parts], axis=0),
        np.stack(
            [
                np.max([one.edges[0] for one in parts], axis=0),
                np.min([one.edges[1] for one in parts], axis=0),
            ]
        ),
        np.sum([one.sums for one in parts], axis=0),
        np.concatenate([one.found for one in parts]),
    )


def _cores() -> int:
    return max(1, min(os.cpu_count() or 1, _MOST_CORES))


def sampling_phase(pulse: PulseResponse) -> int:
    """Phase (sample of the unit interval) half a bit from where the pulse's two edges cross.

    The two edges of a lone bit pass the same level one unit interval apart; a clock that follows
    the crossings samples midway between. Where the pulse never shows both, its peak is taken.
    """
    flat, n = pulse.flat, pulse.samples_per_ui
    padded = np.concatenate([np.zeros(n), flat, np.zeros(n)])
    difference = padded[n:] - padded[:-n]
    peak = int(np.argmax(flat)) + n
    low = max(peak - n, 0)
    # Where p(t) = p(t + UI) around the peak, t is the crossing before it.
    window = difference[low : peak + 1]
    change = np.flatnonzero((window[:-1] > 0) & (window[1:] <= 0))
    if len(change) == 0:
        return (peak - n) % n
    i = int(change[-1])
    share = window[i] / (window[i] - window[i + 1])
    return round(low + i + float(share) + n / 2 - n) % n


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
    return max(late - early, 0.0) if spread < 1.0 else 0.0, spread, float(np.std(around))


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


def mask_hits(eye: Eye, mask: Mask) -> tuple[float, float]:
    """Hits inside a mask, and by how much the mask could grow before it is first touched.

    Returns
    -------
    hits : samples of the density that lie inside
    growth : factor on both width and height less 1; negative when the mask is hit
    """
    offsets = eye.offsets
    volts = eye.v_low + (np.arange(eye.density.shape[1]) + 0.5) * eye.v_step - eye.base
    half = mask.half_height_at(offsets)
    inside = np.abs(volts)[None, :] < half[:, None]
    hits = float(eye.density[inside].sum())
    return hits, _growth(eye, mask, offsets)


def _growth(eye: Eye, mask: Mask, offsets: FloatArray) -> float:
    """Largest scale of the mask without a hit, less 1, by bisection on the eye's edges."""
    room = np.minimum(eye.high_edge - eye.base, eye.base - eye.low_edge)
    edges = np.arange(len(offsets)) / len(offsets) - 0.5

    def clear(scale: float) -> bool:
        grown = Mask(
            mask.half_width * scale, mask.half_width_flat * scale, mask.half_height * scale
        )
        half = grown.half_height_at(edges)
        return bool(np.all((half <= 0.0) | (half <= room)))

    low, high = 0.0, 10.0
    for _ in range(40):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if clear(middle) else (low, middle)
    return low - 1.0
