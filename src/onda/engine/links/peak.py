"""Peak distortion: the worst pattern and the height that it leaves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.pulse import PulseResponse
from onda.engine.links.uneven import Extreme, extreme

__all__ = ["PeakDistortion", "peak_distortion"]


@dataclass(frozen=True, slots=True)
class PeakDistortion:
    """Worst eye at the sampling phase.

    Attributes
    ----------
    phase : sample in the unit interval; main : bit of the pulse that is the main cursor
    height : V, of two levels 2 (main - sum |others|); negative means closed
    cursors : (k,) V at the sampling phase
    worst_one : (k,) symbols in sending order, oldest first, that make the level above the least
        tall eye lowest; the symbol sampled stands at index k - 1 - main
    """

    phase: int
    main: int
    height: float
    cursors: NDArray[np.float64]
    worst_one: NDArray[np.int8]


def peak_distortion(
    pulse: PulseResponse, phase: int | None = None, values: Sequence[float] = (-1.0, 1.0)
) -> PeakDistortion:
    """Find the worst pattern at `phase`, or at the phase where the worst eye is tallest.

    Unlike edges count for the pattern, not for the choice of the phase. `values` are the levels.

    References
    ----------
    Casper, Haycock, Mooney, "An accurate and efficient analysis method for multi-Gb/s chip-to-chip
    signaling schemes", IEEE Symp. VLSI Circuits (2002) 54, eqs. (1)-(4).
    """
    size = np.abs(pulse.volts)
    main_at = np.argmax(pulse.volts, axis=0)
    main_volts = np.take_along_axis(pulse.volts, main_at[None, :], axis=0)[0]
    gap = min(b - a for a, b in pairwise(values))
    spread = (values[-1] - values[0]) * (size.sum(axis=0) - np.abs(main_volts))
    best = int(np.argmax(gap * main_volts - spread)) if phase is None else phase
    cursors, main = pulse.volts[:, best].copy(), int(main_at[best])
    by_number = {k - main: float(c) for k, c in enumerate(cursors)}
    edges: dict[int, float] = {}
    if pulse.uneven is not None:
        edges = {k - main: float(c) for k, c in enumerate(pulse.uneven[:, best])}
    found: tuple[float, Extreme] | None = None
    for k in range(len(values) - 1):
        above = extreme(by_number, edges, values, k + 1, lowest=True)
        below = extreme(by_number, edges, values, k, lowest=False)
        if found is None or above.volts - below.volts < found[0]:
            found = above.volts - below.volts, above
    assert found is not None
    index = {float(v): i for i, v in enumerate(values)}
    sent = [index[found[1].sent[k]] for k in sorted(by_number, reverse=True)]
    return PeakDistortion(
        phase=best,
        main=main,
        height=found[0],
        cursors=cursors,
        worst_one=np.array(sent, dtype=np.int8),
    )
