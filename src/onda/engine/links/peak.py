"""Peak distortion: the worst pattern and the height that it leaves."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.pulse import PulseResponse

__all__ = ["PeakDistortion", "peak_distortion"]


@dataclass(frozen=True, slots=True)
class PeakDistortion:
    """Worst eye at the sampling phase.

    Attributes
    ----------
    phase : sample in the unit interval; main : bit of the pulse that is the main cursor
    height : V, 2 (main - sum |others|); negative means closed
    cursors : (k,) V at the sampling phase
    worst_one : (k,) bits in sending order, oldest first, that make a one lowest; the bit sampled
        stands at index k - 1 - main
    """

    phase: int
    main: int
    height: float
    cursors: NDArray[np.float64]
    worst_one: NDArray[np.int8]


def peak_distortion(pulse: PulseResponse, phase: int | None = None) -> PeakDistortion:
    """Find the worst pattern at `phase`, or at the phase where the worst eye is tallest.

    References
    ----------
    Casper, Haycock, Mooney, "An accurate and efficient analysis method for multi-Gb/s chip-to-chip
    signaling schemes", IEEE Symp. VLSI Circuits (2002) 54, eqs. (1)-(4).
    """
    size = np.abs(pulse.volts)
    main_at = np.argmax(pulse.volts, axis=0)
    main_volts = np.take_along_axis(pulse.volts, main_at[None, :], axis=0)[0]
    heights = 2.0 * (main_volts - (size.sum(axis=0) - np.abs(main_volts)))
    best = int(np.argmax(heights)) if phase is None else phase
    cursors = pulse.volts[:, best].copy()
    main = int(main_at[best])
    bits = np.where(cursors > 0, 0, 1).astype(np.int8)
    bits[main] = 1
    return PeakDistortion(
        phase=best,
        main=main,
        height=float(heights[best]),
        cursors=cursors,
        worst_one=bits[::-1].copy(),
    )
