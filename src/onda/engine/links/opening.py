"""How wide an eye is open, from how far its halves stay clear of a level."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

__all__ = ["open_span"]

FloatArray = NDArray[np.float64]


def open_span(moments: FloatArray, clear: FloatArray) -> tuple[float, float] | None:
    """First and last moment between which `clear` stays above 0, around where it is largest.

    Ends lie between two samples, by a straight line, or at the edge of what is looked at; None
    where nothing is open.

    Parameters
    ----------
    moments : (m,) s, rising; clear : (m,) V
    """
    best = int(np.argmax(clear))
    if clear[best] <= 0.0:
        return None
    ends = []
    for step in (-1, 1):
        k = best
        while 0 <= k + step < len(clear) and clear[k + step] > 0.0:
            k += step
        beyond = k + step
        if not 0 <= beyond < len(clear):
            ends.append(float(moments[k]))
            continue
        share = clear[k] / (clear[k] - clear[beyond])
        ends.append(float(moments[k] + share * (moments[beyond] - moments[k])))
    return ends[0], ends[1]
