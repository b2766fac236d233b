"""What is known of a link at its error rate."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.chain import Chain, Merit
from onda.engine.links.sampler import Jitter

__all__ = ["EyeAtRate", "JitterFit", "LinkEye", "Setting"]

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class EyeAtRate:
    """The eye between two neighbouring levels, at the error rate.

    Attributes
    ----------
    upper, lower : (m,) V over the moments; they cross where it is closed
    height : V at the sampling time, below 0 where it is closed there
    left, right : s, where the bathtub passes the error rate; NaN where it nowhere does
    tallest : s from the sampling time, where it is tallest; area : V s
    bathtub : (m,) log10 of the share of the two levels taken for the other one, at `threshold` V
    """

    name: str
    upper: FloatArray
    lower: FloatArray
    height: float
    left: float
    right: float
    tallest: float
    area: float
    bathtub: FloatArray
    threshold: float

    @property
    def width(self) -> float:
        """Seconds around the sampling time at the threshold; 0 where it is closed."""
        return self.right - self.left if math.isfinite(self.right - self.left) else 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Setting:
    """The eye with some of the equalisers: `eyes` from the lowest up; `density` (m, n) of all
    levels together, at `volts` (n,)."""

    name: str
    chain: Chain
    eyes: tuple[EyeAtRate, ...]
    volts: FloatArray
    density: NDArray[np.float32]

    @property
    def height(self) -> float:
        """Of the least tall of its eyes, V."""
        return min(eye.height for eye in self.eyes)

    @property
    def width(self) -> float:
        """Of the narrowest of its eyes, s."""
        return min(eye.width for eye in self.eyes)


@dataclass(frozen=True, slots=True)
class JitterFit:
    """Dual-Dirac fit of both slopes of a bathtub: s rms, s between both places, and both together
    at the error rate, s; NaN where the slopes do not go that deep."""

    random: float
    deterministic: float
    total: float


@dataclass(frozen=True, slots=True, eq=False)
class LinkEye:
    """A link's eye at its error rate.

    Attributes
    ----------
    moments : (m,) s from the sampling time
    settings : with all equalisers first, then without some, the bare channel last
    chain : all settings; taps : V of the decision feedback; merit : its figure
    time : (p,) s from the sampling time; pulse : (p,) V at the sampler but for the feedback, bare :
        (p,) V behind the channel
    cursor_numbers, cursor_volts : V of each, the feedback taken off; 0 is the main one
    worst : V, of the least tall eye by peak distortion; worst_symbols : the levels that make it for
        the highest one, oldest first; those of cursors before the main one come last
    frequency : (f,) Hz; channel_db, equalised_db : (f,) of the channel with its edge, and with all
        linear equalisers
    crosstalk : V that other lanes can add at most
    growths : of each eye, share by which the mask may grow until the contour touches it, empty
        without one
    errors_run_on : errors that come of one, itself counted, by the decision feedback
    left : the jitter that the sampler sees, behind its clock
    base : V, the level in the middle of the swing
    """

    unit_interval: float
    levels: tuple[float, ...]
    error_rate: float
    moments: FloatArray
    settings: tuple[Setting, ...]
    chain: Chain
    taps: tuple[float, ...]
    merit: Merit
    time: FloatArray
    pulse: FloatArray
    bare: FloatArray
    cursor_numbers: NDArray[np.int64]
    cursor_volts: FloatArray
    worst: float
    worst_symbols: tuple[float, ...]
    frequency: FloatArray
    channel_db: FloatArray
    equalised_db: FloatArray
    jitter: JitterFit
    crosstalk: float
    growths: tuple[float, ...]
    errors_run_on: float
    left: Jitter
    base: float
    delay: float
    doubts: tuple[str, ...] = ()

    @property
    def mask_growth(self) -> float:
        """Of the eye with least room, NaN without a mask."""
        return min(self.growths, default=math.nan)

    @property
    def eye(self) -> Setting:
        """With all equalisers."""
        return self.settings[0]

    @property
    def cursors(self) -> dict[int, float]:
        """V by number, the feedback taken off."""
        pairs = zip(self.cursor_numbers, self.cursor_volts, strict=True)
        return {int(k): float(v) for k, v in pairs}
