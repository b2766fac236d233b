"""A clock recovered from the edges of the data: what it follows, and what it makes itself.

A loop sees the phase of the data at their edges only. In the mean it is a linear one: the share of
a slow phase that it does not follow is 1 / (1 + G), and the noise of the edges drives it through a
filter of a bandwidth that is known in closed form.

References
----------
Gardner, "Phaselock Techniques", 3rd ed., Wiley (2005), sections 2.2 (loops of first and second
order) and 6.1 (noise bandwidth).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.sampler import Jitter
from onda.errors import NotPhysical

__all__ = ["ClockRecovery", "recovered"]

FloatArray = NDArray[np.float64]
_EDGES = 0.5
"""Share of random symbols that an edge comes before, for two levels."""
_FASTEST = 0.05
"""Of the symbol rate: above it the loop is not the continuous one that is described here."""


@dataclass(frozen=True, slots=True)
class ClockRecovery:
    """A loop of first or second order.

    Attributes
    ----------
    bandwidth : Hz, where the share that it does not follow is half in power for the first order;
        of the second order the natural frequency
    damping : of the second order

    Raises
    ------
    NotPhysical : another order, or a bandwidth or damping that is not above 0
    """

    order: int
    bandwidth: float
    damping: float = 1.0

    def __post_init__(self) -> None:
        if self.order not in (1, 2) or not (self.bandwidth > 0.0 and self.damping > 0.0):
            raise NotPhysical(
                "clock recovery", (self.order, self.bandwidth, self.damping),
                "order 1 or 2, bandwidth and damping above 0",
            )  # fmt: skip

    def left(self, frequency: float) -> float:
        """Share of a phase that moves with a frequency (Hz) which the sampler sees."""
        s = 1j * frequency / self.bandwidth
        gain = 1.0 / s if self.order == 1 else (2.0 * self.damping * s + 1.0) / s**2
        return float(abs(1.0 / (1.0 + gain)))

    @property
    def noise_bandwidth(self) -> float:
        """Hz, of one side."""
        w = 2.0 * math.pi * self.bandwidth
        if self.order == 1:
            return w / 4.0
        return 0.5 * w * (self.damping + 0.25 / self.damping)

    def own(self, symbols_per_second: float) -> float:
        """What white jitter of the edges makes of the clock, as a share of its power.

        Raises
        ------
        NotPhysical : a loop so fast that it is not this one any more
        """
        if self.bandwidth > _FASTEST * symbols_per_second:
            raise NotPhysical(
                "clock bandwidth", f"{self.bandwidth:.3g} Hz",
                f"at most {_FASTEST:g} of the symbol rate",
            )  # fmt: skip
        return 2.0 * self.noise_bandwidth / (_EDGES * symbols_per_second)

    def follow(self, edges: FloatArray, unit_interval: float) -> FloatArray:
        """Phase (n,) of the clock at each symbol, from that of the edges (n,), NaN where there is
        none; both in the same unit."""
        w = 2.0 * math.pi * self.bandwidth * unit_interval
        if self.order == 1:
            straight, summed = w / _EDGES, 0.0
        else:
            straight, summed = 2.0 * self.damping * w / _EDGES, w**2 / _EDGES
        phase = drift = 0.0
        out = np.empty(len(edges))
        for k, edge in enumerate(edges):
            out[k] = phase
            if edge == edge:
                error = edge - phase
                drift += summed * error
                phase += straight * error
            phase += drift
        return out


def recovered(
    jitter: Jitter,
    clock: ClockRecovery,
    unit_interval: float,
    *,
    sine_at: float | None = None,
    pattern: float = 0.0,
) -> Jitter:
    """What is left of jitter for a sampler behind a recovered clock.

    Parameters
    ----------
    sine_at : Hz of the sine, None for faster than the loop
    pattern : s rms, of the edges by what was sent before, which shakes the clock too
    """
    own = clock.own(1.0 / unit_interval)
    edges = jitter.random**2 + 0.25 * jitter.dual_dirac**2 + pattern**2
    left = 1.0 if sine_at is None else clock.left(sine_at)
    return replace(
        jitter, random=math.sqrt(jitter.random**2 + own * edges), sine=jitter.sine * left
    )
