"""Crosstalk in time: what an edge of one lane does at each receiver, and to the arrival of others.

Everything is linear here, so that edges of several lanes add up: worst alignment is the sum of the
largest, and a neighbour that switches along or against moves the edge of the one between.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.time_domain import Edge, crossing, step_response
from onda.errors import NotPhysical

__all__ = ["Arrival", "arrivals", "edge_responses", "peaks_of", "random_phase"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]


def edge_responses(
    frequency: FloatArray, heard: ComplexArray, edge: Edge
) -> tuple[FloatArray, FloatArray]:
    """Time (t,) s and volts (t, n, n) at each receiver for an edge of 1 V of each transmitter.

    Parameters
    ----------
    frequency : (f,) k * step from 0; heard : (f, n, n), victim first
    """
    n = heard.shape[-1]
    found = [[step_response(frequency, heard[:, v, a], edge) for a in range(n)] for v in range(n)]
    time = found[0][0][0]
    volts = np.stack([np.stack([one[1] for one in row], -1) for row in found], axis=-2)
    return time, np.asarray(volts)


def peaks_of(volts: FloatArray) -> FloatArray:
    """Largest excursion (n, n) V, signed; on the diagonal 0."""
    flat = np.abs(volts).argmax(axis=0)
    out = np.take_along_axis(volts, flat[None], axis=0)[0].copy()
    np.fill_diagonal(out, 0.0)
    return np.asarray(out)


@dataclass(frozen=True, slots=True)
class Arrival:
    """When an edge arrives at half its swing, s, by what its neighbours do meanwhile.

    `quiet` they rest, `along` all switch the same way, `against` all the other way; `earliest` and
    `latest` with each of them doing what hurries or delays it most.
    """

    quiet: float
    along: float
    against: float
    earliest: float
    latest: float

    @property
    def spread(self) -> float:
        """From the earliest to the latest, s."""
        return self.latest - self.earliest


def arrivals(
    time: FloatArray, volts: FloatArray, same_way: NDArray[np.bool_]
) -> tuple[Arrival, ...]:
    """Arrival of each lane's edge; neighbours start at the same moment.

    Parameters
    ----------
    volts : (t, n, n) of `edge_responses`, victim first
    same_way : (n, n), whether a lane runs the way of the other: only those are in step with it

    Raises
    ------
    NotPhysical : an edge that does not arrive
    """
    n = volts.shape[-1]
    out = []
    for v in range(n):
        own = volts[:, v, v]
        others = [volts[:, v, a] for a in range(n) if a != v and same_way[v, a]]
        total = np.sum(others, axis=0) if others else np.zeros_like(own)
        quiet, along, against = (
            _arrives(time, own, own + sign * total) for sign in (0.0, 1.0, -1.0)
        )
        # Each neighbour by the side to which it moves the edge where that crosses.
        pull = np.zeros_like(own)
        for other in others:
            sign = 1.0 if np.interp(quiet, time, other) >= 0.0 else -1.0
            pull += sign * other
        early, late = _arrives(time, own, own + pull), _arrives(time, own, own - pull)
        out.append(
            Arrival(quiet, along, against, min(early, along, against), max(late, along, against))
        )
    return tuple(out)


def _arrives(time: FloatArray, own: FloatArray, volts: FloatArray) -> float:
    """When volts pass half of what the lane's own edge comes to, s."""
    last = float(own[-1])
    found = crossing(time, volts / last, 0.5) if last else np.nan
    if not np.isfinite(found):
        raise NotPhysical("edge", "does not arrive", "a lane that lets it through")
    return float(found)


def random_phase(time: FloatArray, pulse: FloatArray, unit_interval: float) -> FloatArray:
    """Effective noise of random symbols of +-1 half swings with any phase to the receiver, V rms.

    Parameters
    ----------
    pulse : (t, ...) response to one symbol of 1 V; the mean over phases of the root of the sum of
        the squares of its samples a unit interval apart
    """
    dt = float(time[1] - time[0])
    if not unit_interval > dt:
        raise NotPhysical("unit interval", unit_interval, f"above {dt:.3g} s")
    # The mean over phases of the sum of squares is the integral over one unit interval.
    return np.asarray(np.sqrt((pulse**2).sum(axis=0) * dt / unit_interval))
