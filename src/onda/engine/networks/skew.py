"""Skew inside a pair and between pairs, and the figures that it is often mistaken for.

References
----------
The leg responses under a differential drive are h_p = S(rp,lp) - S(rp,ln) and
h_n = S(rn,ln) - S(rn,lp); they hold what coupling carries from one leg to the other, which the
single-ended delays S(rp,lp) and S(rn,ln), and the lengths, leave out.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.time_domain import Edge, crossing, step_response
from onda.errors import NotPhysical

__all__ = ["PairSkew", "intra_pair_skew", "leg_responses", "pair_delay", "pair_skew"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_SILENT = 1e-9


def intra_pair_skew(frequency: FloatArray, h_p: ComplexArray, h_n: ComplexArray) -> FloatArray:
    """Delay of the n output against the p output under a differential drive (f,), s.

    Parameters
    ----------
    frequency : (f,) Hz, above 0
    h_p, h_n : (f,) S31 - S32 and S42 - S41, the inverted output taken back to positive
    """
    phase = np.unwrap(np.angle(h_p / h_n))
    # Legs differ by far less than a period at the lowest point: no turn belongs there.
    phase -= 2.0 * np.pi * np.round(phase[0] / (2.0 * np.pi))
    return np.asarray(phase / (2.0 * np.pi * frequency))


def leg_responses(s: ComplexArray, lane: int = 0) -> tuple[ComplexArray, ComplexArray]:
    """h_p and h_n (f,) of a pair; ports: left p and n of each lane, then right ones alike."""
    k = s.shape[-1] // 2
    lp, ln, rp, rn = 2 * lane, 2 * lane + 1, k + 2 * lane, k + 2 * lane + 1
    return s[:, rp, lp] - s[:, rp, ln], s[:, rn, ln] - s[:, rn, lp]


@dataclass(frozen=True, slots=True, eq=False)
class PairSkew:
    """Skew of a pair; positive where the n leg comes later.

    Attributes
    ----------
    lane : from 0
    frequency, skew : (f,) Hz and s, under a differential drive
    figure : s, between the half-way points of the two legs' edges under a differential edge
    single_delay : s, difference of the single-ended delays S(rp,lp) and S(rn,ln), slope to `upto`
    upto : Hz, the band of that slope
    """

    lane: int
    frequency: FloatArray
    skew: FloatArray
    figure: float
    single_delay: float
    upto: float


def pair_skew(
    frequency: FloatArray, s: ComplexArray, edge: Edge, *, lane: int = 0, upto: float | None = None
) -> PairSkew:
    """Skew of one pair of a network on an even grid from DC (see `sampling.even_grid`).

    Raises
    ------
    NotPhysical : at some frequency nothing comes through one of the legs
    """
    h_p, h_n = leg_responses(s, lane)
    if min(np.abs(h_p).min(), np.abs(h_n).min()) < _SILENT:
        raise NotPhysical("pair", "a leg without transmission", "heard on both legs")
    some = slice(1, None)
    top = float(frequency[-1]) if upto is None else min(upto, float(frequency[-1]))
    skew = intra_pair_skew(frequency[some], h_p[some], h_n[some])
    figure = _late(frequency, h_n, edge) - _late(frequency, h_p, edge)
    k = s.shape[-1] // 2
    band = (frequency > 0) & (frequency <= top)
    lp, ln = 2 * lane, 2 * lane + 1
    single = _slope(frequency[band], s[band, k + ln, ln]) - _slope(
        frequency[band], s[band, k + lp, lp]
    )
    return PairSkew(lane, frequency[some], skew, figure, single, top)


def _late(frequency: FloatArray, h: ComplexArray, edge: Edge) -> float:
    time, volts = step_response(frequency, h, edge)
    return crossing(time, volts, 0.5)


def _slope(frequency: FloatArray, h: ComplexArray) -> float:
    phase = np.unwrap(np.angle(h))
    return float(-np.polyfit(frequency, phase, 1)[0] / (2.0 * np.pi)) if len(frequency) > 1 else 0.0


def pair_delay(frequency: FloatArray, through: ComplexArray, edge: Edge) -> float:
    """Delay (s) of a lane: from the middle of the edge sent to half of what arrives at last."""
    return _late(frequency, through, edge)
