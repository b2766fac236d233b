"""Bit-by-bit eye: a long pattern through the pulse response, laid over itself.

The eye spans one unit interval centred on the sampling phase; drawing repeats it. Every waveform
sample is the exact sum over the pulse's bits, as one matrix product per block of bits.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.pulse import PulseResponse
from onda.errors import NotPhysical

__all__ = ["Eye", "Mask", "bit_by_bit_eye", "mask_hits"]

FloatArray = NDArray[np.float64]
_BLOCK = 4096


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


class _Traces:
    """Waveforms of single bits, one unit interval centred on the sampling phase."""

    def __init__(self, pulse: PulseResponse, bits: NDArray[np.int8], centre: int) -> None:
        taps, phases = pulse.volts.shape
        # Shift the pulse so that the sampling phase falls into the middle of the interval, and
        # carry the next sample, so that a trace reaches to the interval's end.
        lead = (phases // 2 - centre) % phases
        flat = np.concatenate([np.zeros(lead), pulse.flat, np.zeros(2 * phases - lead)])
        rows = taps + 1
        grid = np.arange(rows)[:, None] * phases + np.arange(phases + 1)[None, :]
        self.kernel = flat[grid][::-1].astype(np.float32)
        self.signs = (2.0 * bits - 1.0).astype(np.float32)
        self.base = pulse.base
        self.taps = rows
        self.count = len(bits) - rows + 1

    def block(self, start: int, stop: int) -> NDArray[np.float32]:
        """Traces (stop - start, phases + 1) in volts."""
        window = np.lib.stride_tricks.sliding_window_view(
            self.signs[start : stop + self.taps - 1], self.taps
        )
        return window @ self.kernel + np.float32(self.base)

    def sent(self, main: int) -> NDArray[np.int8]:
        """The bit (0 or 1) that each trace carries."""
        first = self.taps - 1 - main
        return (self.signs[first : first + self.count] > 0).astype(np.int8)


def bit_by_bit_eye(
    pulse: PulseResponse,
    bits: NDArray[np.int8],
    *,
    levels: int = 360,
    progress: Callable[[float], None] | None = None,
) -> Eye:
    """Lay a pattern over itself and measure the eye.

    Parameters
    ----------
    bits : (n,) 0 or 1; the first ones, as many as the pulse is long, only fill its memory
    levels : rows of the density
    progress : told the share done; may raise to stop the run

    Raises
    ------
    NotPhysical : fewer bits than the pulse response is long, or bits that are all alike
    """
    # Compiled code loads slowly; a window that only shows known results does without it.
    from onda.engine.links.eye_kernels import accumulate, find_crossings

    if len(bits) < pulse.volts.shape[0] + 16:
        raise NotPhysical(
            "bits", len(bits), f"at least {pulse.volts.shape[0] + 16}, the response's memory"
        )
    if bits.min() == bits.max():
        raise NotPhysical("pattern", "all bits alike", "both zeros and ones")
    centre = _sampling_phase(pulse)
    traces = _Traces(pulse, bits, centre)
    phases = pulse.samples_per_ui
    reach = float(np.abs(pulse.volts).sum(axis=0).max()) * 1.04
    v_low, v_step = pulse.base - reach, 2.0 * reach / levels
    density = np.zeros((phases, levels))
    found = np.empty(2 * traces.count)
    hits = 0
    main = int(np.argmax(traces.kernel[::-1, phases // 2]))
    sent = traces.sent(main).astype(bool)
    high_edge, low_edge = np.full(phases, np.inf), np.full(phases, -np.inf)
    sums = np.zeros(2)
    for start in range(0, traces.count, _BLOCK):
        stop = min(start + _BLOCK, traces.count)
        block = traces.block(start, stop)
        accumulate(block, density, v_low, v_step)
        hits = find_crossings(block, pulse.base, found, hits)
        one = sent[start:stop]
        if one.any():
            high_edge = np.minimum(high_edge, block[one, :phases].min(axis=0))
            sums[1] += float(block[one, phases // 2].sum())
        if not one.all():
            low_edge = np.maximum(low_edge, block[~one, :phases].max(axis=0))
            sums[0] += float(block[~one, phases // 2].sum())
        if progress is not None:
            progress(stop / traces.count)
    ones = int(sent.sum())
    level_zero = float(sums[0] / (traces.count - ones))
    level_one = float(sums[1] / ones)
    crossing = found[: min(hits, len(found))] / phases - 0.5
    width, spread, rms = _width_and_jitter(crossing)
    return Eye(
        density=density,
        v_low=v_low,
        v_step=v_step,
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
        crossing_share=_crossing_share(density, v_low, v_step, level_zero, level_one),
        crossings=np.histogram(crossing, bins=phases, range=(-0.5, 0.5))[0],
        high_edge=high_edge,
        low_edge=low_edge,
    )


def _sampling_phase(pulse: PulseResponse) -> int:
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
