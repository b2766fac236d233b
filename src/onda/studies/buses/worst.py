"""Bits that close the eye of a case furthest, built from what single bits do at its listener.

A bit by itself tells how much each earlier and later bit adds at a moment; the worst history of a
one has a zero wherever that is positive and a one where it is negative (peak distortion: R. W.
Lucky, Bell System Technical Journal 45, 1966, p. 255). What follows is simulated with its devices
as they are, so that only the choice of bits, and no margin, rests on superposition.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.patterns import prbs
from onda.engine.timing.strobed import Waveform
from onda.errors import NotPhysical
from onda.studies.buses.inputs import WORST_BITS, CaseInputs, WaveInputs
from onda.studies.paths.elements.lane import LaneItem
from onda.studies.paths.items import Item, with_items

__all__ = ["single_bits", "worst_bits"]

FloatArray = NDArray[np.float64]
_LEAD, _TAIL = 4, 44
"""Bits before a single one, and behind it."""
_EARLIER, _LATER = 24, 2
"""Bits that are chosen, before and after the one that is sampled."""
_MOMENTS = 64
"""Moments in a bit at which the eye is looked at."""


def single_bits(wave: WaveInputs) -> tuple[WaveInputs, WaveInputs]:
    """A one among zeros and a zero among ones, over the same net with silent neighbours."""

    def silent(item: Item) -> Item:
        return replace(item, sends=None, neighbours="rest") if isinstance(item, LaneItem) else item

    path = with_items(wave.path, silent)
    one = "0" * _LEAD + "1" + "0" * _TAIL
    zero = one.translate(str.maketrans("01", "10"))
    first, second = (replace(wave, path=path, count=len(x), typed=x) for x in (one, zero))
    return first, second


def worst_bits(inputs: CaseInputs, one: Waveform, zero: Waveform, edges: FloatArray) -> str:
    """Bits to send: those that are pseudo-random, then the worst histories of a one and of a zero
    where they come to their ac level last, at the strobe, and where they leave their dc level
    first.

    Parameters
    ----------
    one, zero : at the listener, what `single_bits` sends
    edges : s, where the strobe samples while it repeats itself

    Raises
    ------
    NotPhysical : a single bit does nothing at the listener
    """
    unit, asked = inputs.unit_interval, inputs.sheet
    low, high = float(one.volts[0]), float(zero.volts[0])
    rises, falls = one.volts - low, high - np.interp(one.time, zero.time, zero.volts)
    pulse = 0.5 * (rises + falls)
    phase = float(edges[0] % unit)
    at_strobe = np.interp(phase + unit * np.arange(_LEAD + _TAIL), one.time, pulse)
    main = int(np.argmax(np.abs(at_strobe)))
    if not abs(at_strobe[main]) > 0.0:
        raise NotPhysical("single bit", "no change at the listener", "one that is seen there")
    # Moments (m,) about the strobe, and what each bit (b,) adds there, later ones first.
    moments = unit * np.linspace(-1.0, 1.0, 2 * _MOMENTS + 1)
    numbers = main + np.arange(-_LATER, _EARLIER + 1)
    added = np.interp(phase + moments[:, None] + unit * numbers, one.time, pulse)
    others = np.delete(added, _LATER, axis=1)
    least = added[:, _LATER] + np.minimum(others, 0.0).sum(axis=1)
    level = asked.level if asked.level is not None else 0.5 * (low + high)
    histories = []
    # How far above its rest a one must be, and how far below its own a zero.
    for rest, flipped in ((level - low, False), (high - level, True)):
        reached = _last_below(least, rest + asked.ac)
        left = 2 * _MOMENTS - _last_below(least[::-1], rest + asked.dc)
        for moment in (reached, _MOMENTS, left):
            # A one is lowest behind zeros that would have lifted it and ones that pull it down.
            worst = added[moment] < 0.0
            worst[_LATER] = True
            histories.append((worst ^ flipped)[::-1].astype(int))
    random = prbs(inputs.data.order, inputs.data.count - WORST_BITS).astype(int)
    return "".join(map(str, np.concatenate([random, *histories]).tolist()))


def _last_below(contour: FloatArray, level: float) -> int:
    """Number of the last moment up to the strobe at which a contour is below a level; the strobe
    itself where it never is above."""
    above = contour[: _MOMENTS + 1] >= level
    if not above[_MOMENTS]:
        return _MOMENTS
    below = np.flatnonzero(~above)
    return int(below[-1]) if len(below) else 0
