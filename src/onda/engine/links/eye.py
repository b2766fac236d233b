"""An eye bit by bit: what is measured on it, and a mask laid into it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.masks import Mask, largest

__all__ = ["Eye", "Opening", "mask_hits"]

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Opening:
    """The eye between two neighbouring levels.

    Attributes
    ----------
    threshold : V, between them
    height : V, lowest of all above less highest of all below at the sampling phase; negative means
        closed
    width : unit intervals between the last early and the first late crossing; 0 when closed
    jitter_pp, jitter_rms : unit intervals, of the crossings
    crossings : (phases,) counts of crossings of the threshold by phase
    high_edge, low_edge : (phases,) V, lowest trace of all above and highest of all below
    """

    threshold: float
    height: float
    width: float
    jitter_pp: float
    jitter_rms: float
    crossings: NDArray[np.int64]
    high_edge: FloatArray
    low_edge: FloatArray

    @property
    def tallest(self) -> tuple[float, float]:
        """Where it is tallest, unit intervals from the sampling phase, and its height, V."""
        heights = self.high_edge - self.low_edge
        k = int(np.argmax(heights))
        return k / len(heights) - 0.5, float(heights[k])


@dataclass(frozen=True, slots=True)
class Eye:
    """A measured eye of `bits` symbols.

    Attributes
    ----------
    density : (phases, levels), counts; phase 0 lies half a unit interval before the sampling phase
    v_low, v_step : V, lower edge of the first level and height of one
    unit_interval : s
    base : V, in the middle between the outer levels
    bits : how many symbols were laid over each other
    phase : sample of the pulse's unit interval that is the sampling phase
    openings : from the lowest up, one less than there are levels
    means : V, of each level at the sampling phase
    crossing_share : 0..1, level of the crossing between lowest (0) and highest (1) level
    """

    density: FloatArray
    v_low: float
    v_step: float
    unit_interval: float
    base: float
    bits: int
    phase: int
    openings: tuple[Opening, ...]
    means: tuple[float, ...]
    crossing_share: float

    @property
    def offsets(self) -> FloatArray:
        """Middle of each phase column, unit intervals from the sampling phase."""
        n = self.density.shape[0]
        return (np.arange(n) + 0.5) / n - 0.5

    @property
    def least(self) -> Opening:
        """The least tall of the openings."""
        return min(self.openings, key=lambda o: o.height)

    @property
    def height(self) -> float:
        """Of the least tall opening, V."""
        return self.least.height

    @property
    def width(self) -> float:
        """Of the narrowest opening, unit intervals."""
        return min(o.width for o in self.openings)

    @property
    def jitter_pp(self) -> float:
        """Of the opening with most, unit intervals."""
        return max(o.jitter_pp for o in self.openings)

    @property
    def jitter_rms(self) -> float:
        """Of the opening with most, unit intervals."""
        return max(o.jitter_rms for o in self.openings)

    @property
    def level_one(self) -> float:
        """V, mean of the highest level at the sampling phase."""
        return self.means[-1]

    @property
    def level_zero(self) -> float:
        """V, mean of the lowest level at the sampling phase."""
        return self.means[0]


def mask_hits(eye: Eye, mask: Mask) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Hits inside a mask, and by how much the mask could grow before it is first touched.

    Returns
    -------
    hits : of each opening, samples of the density that lie inside
    growth : of each opening, factor on both width and height less 1; negative when the mask is hit
    """
    offsets = eye.offsets
    volts = eye.v_low + (np.arange(eye.density.shape[1]) + 0.5) * eye.v_step
    # An edge is known where its column begins.
    begins = np.arange(len(offsets)) / len(offsets) - 0.5
    hits, growth = [], []
    for one in eye.openings:
        inside = mask.inside(offsets, np.asarray(volts - one.threshold, dtype=np.float64))
        hits.append(float(eye.density[inside].sum()))
        low, high = one.low_edge - one.threshold, one.high_edge - one.threshold

        def is_clear(grown: Mask, low: FloatArray = low, high: FloatArray = high) -> bool:
            return grown.clear_between(begins, low, high)

        growth.append(largest(mask, is_clear))
    return tuple(hits), tuple(growth)
