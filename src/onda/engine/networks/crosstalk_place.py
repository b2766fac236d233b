"""Where along a victim the crosstalk enters: near-end pulses put at half their round trip.

A near-end pulse that comes in t after the aggressor's edge was coupled t / 2 down the line. The
far-end pulse arrives with the through wave wherever it was coupled, so that its time says nothing
of the place, but for echoes that come later.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = ["CrosstalkPeak", "rank_peaks"]

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class CrosstalkPeak:
    """A peak of the crosstalk of one aggressor: one-way place (s), volts for 1 V, share of all.

    `aggressor` is its name; `end` is "near" or "far".
    """

    aggressor: str
    end: str
    place: float
    volts: float
    share: float


def rank_peaks(
    place: FloatArray,
    responses: dict[tuple[str, str], FloatArray],
    *,
    apart: float,
    most: int = 12,
    least: float = 0.02,
) -> list[CrosstalkPeak]:
    """Peaks of crosstalk waveforms, the largest first.

    Parameters
    ----------
    place : (n,) s one way, even; responses : by (aggressor, "near" or "far"), (n,) volts for 1 V
    apart : s, nearer peaks count as one; least : share of the largest below which none is told

    Raises
    ------
    NotPhysical : fewer than three samples
    """
    if len(place) < 3:
        raise NotPhysical("crosstalk", f"{len(place)} samples", "three or more")
    # Imported where it is needed: it takes as long to load as the whole window.
    from scipy.signal import find_peaks

    distance = max(1, round(apart / float(place[1] - place[0])))
    found: list[tuple[str, str, float, float]] = []
    for (aggressor, end), volts in responses.items():
        size = np.abs(volts)
        peaks, _ = find_peaks(np.concatenate([[0.0], size, [0.0]]), distance=distance)
        found += [(aggressor, end, float(place[k - 1]), float(volts[k - 1])) for k in peaks]
    total = sum(abs(f[3]) for f in found)
    top = max((abs(f[3]) for f in found), default=0.0)
    if top == 0.0:
        return []
    kept = sorted((f for f in found if abs(f[3]) >= least * top), key=lambda f: -abs(f[3]))
    return [CrosstalkPeak(a, e, x, v, abs(v) / total) for a, e, x, v in kept[:most]]
