"""Who disturbs whom: from the network of a group and the direction of each lane.

A receiver hears a transmitter at its own end as near-end crosstalk and one at the other end as
far-end crosstalk; lanes that run the same way disturb each other at the far end only.

References
----------
IEEE Std 802.3-2018, clause 85.10.8 (multiple-disturber loss, integrated crosstalk noise).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.channel_figures import (
    crosstalk_sigma,
    fit_insertion_loss,
    noise_weight,
)
from onda.errors import NotPhysical

__all__ = [
    "Disturber",
    "Lane",
    "Noise",
    "NoiseTerms",
    "crosstalk",
    "disturbers",
    "near_ends",
    "noise_of",
]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_FLOOR = 1e-15


@dataclass(frozen=True, slots=True)
class Lane:
    """A lane between port `left` and port `right` of a network, from 0; `rightward` if it drives
    from the left."""

    left: int
    right: int
    rightward: bool = True

    @property
    def sends(self) -> int:
        """Port of the transmitter."""
        return self.left if self.rightward else self.right

    @property
    def hears(self) -> int:
        """Port of the receiver."""
        return self.right if self.rightward else self.left


@dataclass(frozen=True, slots=True)
class Disturber:
    """A transmitter that a receiver hears: lanes from 0; `near` where both are at one end."""

    victim: int
    aggressor: int
    near: bool


def near_ends(lanes: Sequence[Lane]) -> NDArray[np.bool_]:
    """(n, n), victim first: whether a transmitter sits at the receiver's own end."""
    way = np.array([lane.rightward for lane in lanes])
    return np.asarray(way[:, None] != way)


def disturbers(lanes: Sequence[Lane]) -> tuple[Disturber, ...]:
    """All of them, victim by victim."""
    near = near_ends(lanes)
    return tuple(
        Disturber(v, a, bool(near[v, a]))
        for v in range(len(lanes))
        for a in range(len(lanes))
        if a != v
    )


def crosstalk(s: ComplexArray, lanes: Sequence[Lane]) -> ComplexArray:
    """What each receiver hears of each transmitter: (f, n, n), victim first; on the diagonal what
    comes through.

    Parameters
    ----------
    s : (f, p, p) between the lanes' ports, of a pair between its differential ones

    Raises
    ------
    NotPhysical : a lane has a port that is not there, or two lanes share one
    """
    ports = [p for lane in lanes for p in (lane.left, lane.right)]
    if len(set(ports)) != len(ports) or not all(0 <= p < s.shape[-1] for p in ports):
        raise NotPhysical("lanes", ports, f"each of the ports 0 to {s.shape[-1] - 1} at most once")
    hears = [lane.hears for lane in lanes]
    sends = [lane.sends for lane in lanes]
    return np.asarray(s[:, hears][:, :, sends])


@dataclass(frozen=True, slots=True)
class NoiseTerms:
    """What integrated crosstalk noise is weighted by.

    Attributes
    ----------
    baud : Hz; receiver : Hz, bandwidth of the receiver's filter
    near, far : V, amplitude of a near-end and a far-end transmitter
    near_rise, far_rise : s, 20 to 80 percent
    low, high : Hz, the band
    """

    baud: float
    receiver: float
    near: float
    far: float
    near_rise: float
    far_rise: float
    low: float
    high: float

    def check(self) -> None:
        """Raise `NotPhysical` where a term is out of its range."""
        for name in ("baud", "receiver", "near", "far", "near_rise", "far_rise"):
            if not getattr(self, name) > 0.0:
                raise NotPhysical(name, getattr(self, name), "above 0")
        if not 0.0 <= self.low < self.high:
            raise NotPhysical("band", f"{self.low:.4g} to {self.high:.4g} Hz", "rising")


@dataclass(frozen=True, slots=True)
class Noise:
    """Of one receiver.

    Attributes
    ----------
    near, far, total : V rms; total is the root of the sum of both squares
    loss_db : dB, of its own lane at half the baud, of the fit
    deviation_db : dB, largest departure of its loss from the fit
    by_lane : (n,) V rms of each lane alone, 0 for its own
    """

    near: float
    far: float
    total: float
    loss_db: float
    deviation_db: float
    by_lane: tuple[float, ...]


def noise_of(
    frequency: FloatArray, heard: ComplexArray, lanes: Sequence[Lane], terms: NoiseTerms
) -> tuple[Noise, ...]:
    """Integrated noise and fitted loss of every receiver.

    Parameters
    ----------
    frequency : (f,) Hz, even steps; heard : (f, n, n) of `crosstalk`

    Raises
    ------
    NotPhysical : the frequencies do not cover the band
    """
    terms.check()
    step = float(frequency[1] - frequency[0])
    band = (frequency >= terms.low) & (frequency <= terms.high) & (frequency > 0.0)
    if frequency[-1] < terms.high - step or band.sum() < 8:
        raise NotPhysical(
            "band of the noise",
            f"{terms.low:.4g} to {terms.high:.4g} Hz",
            f"inside {frequency[0]:.4g} to {frequency[-1]:.4g} Hz, eight points or more",
        )
    f = frequency[band]
    level = np.maximum(np.abs(heard[band]) ** 2, _FLOOR**2)
    weights = {
        near: noise_weight(
            f, amplitude=amplitude, baud=terms.baud, rise_20_80=rise, receiver=terms.receiver
        )
        for near, amplitude, rise in (
            (True, terms.near, terms.near_rise),
            (False, terms.far, terms.far_rise),
        )
    }
    out = []
    near_end = near_ends(lanes)
    for v in range(len(lanes)):
        alone = np.zeros(len(lanes))
        for a in range(len(lanes)):
            if a != v:
                weight = weights[bool(near_end[v, a])]
                alone[a] = crosstalk_sigma(f, -10.0 * np.log10(level[:, v, a]), weight)
        near, far = (
            float(np.sqrt((alone[some] ** 2).sum())) for some in (near_end[v], ~near_end[v])
        )
        loss = -10.0 * np.log10(level[:, v, v])
        fit = fit_insertion_loss(f, loss)
        half = 0.5 * terms.baud
        x = np.array([1.0, np.sqrt(half), half, half**2])
        at_half = float(x @ np.array([fit.a0, fit.a1, fit.a2, fit.a4]))
        out.append(
            Noise(
                near,
                far,
                float(np.hypot(near, far)),
                at_half,
                float(np.abs(loss - fit.fit_db).max()),
                tuple(alone.tolist()),
            )
        )
    return tuple(out)
