"""The delay scale that ribbon, profile and wave map share, and the probes that slide on it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from onda.studies.paths.path import PathResult

__all__ = ["LEFT", "RIGHT", "DelayScale", "Probe", "Probes", "RouteMap", "route_map"]

LEFT = 118.0
RIGHT = 66.0
"""Pixels left and right of the scale, for titles and for the receiver."""
FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class DelayScale:
    """From delay to pixels in a widget of a width."""

    width: float
    total: float

    @property
    def right(self) -> float:
        """Last pixel of the scale."""
        return self.width - RIGHT

    def x(self, delay: float) -> float:
        """Pixel of a delay in seconds."""
        return LEFT + (self.right - LEFT) * delay / self.total

    def delay(self, x: float) -> float:
        """Delay in seconds of a pixel, kept within the path."""
        share = (x - LEFT) / (self.right - LEFT)
        return self.total * min(max(share, 0.0), 1.0)


@dataclass
class Probe:
    """A probe: its place as a share of the route's delay, its colour as a number of the series."""

    name: str
    share: float
    series: int


class Probes(QObject):
    """The three probes of a path; the places stay when the path changes."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.items = [Probe("launch", 0.0, 1), Probe("mid", 0.62, 2), Probe("load", 1.0, 0)]
        self.current = 1

    def move(self, index: int, share: float) -> None:
        """Slide a probe."""
        share = min(max(share, 0.0), 1.0)
        if self.items[index].share != share:
            self.items[index].share = share
            self.current = index
            self.changed.emit()


@dataclass(frozen=True)
class RouteMap:
    """The wave map along the way to one receiver.

    Attributes
    ----------
    places : (p,) s; volts, amps : (p, n); harmonics : (p, h) V
    delay : s, of the whole route; spans : indices of its pieces
    """

    places: FloatArray
    volts: NDArray[np.float32]
    amps: NDArray[np.float32]
    harmonics: FloatArray
    delay: float
    spans: tuple[int, ...]

    def _between(self, rows: NDArray[np.float32] | FloatArray, delay: float) -> FloatArray:
        i = int(np.clip(np.searchsorted(self.places, delay), 1, len(self.places) - 1))
        span = self.places[i] - self.places[i - 1]
        share = 0.0 if span == 0 else float(np.clip((delay - self.places[i - 1]) / span, 0, 1))
        return (1.0 - share) * rows[i - 1].astype(float) + share * rows[i].astype(float)

    def volts_at(self, delay: float) -> FloatArray:
        """Voltage (n,) against time at a delay."""
        return self._between(self.volts, delay)

    def amps_at(self, delay: float) -> FloatArray:
        """Current (n,) against time at a delay."""
        return self._between(self.amps, delay)

    def harmonics_at(self, delay: float) -> FloatArray:
        """Amplitudes (h,) V at a delay."""
        return self._between(self.harmonics, delay)


def route_map(result: PathResult, receiver: str) -> RouteMap:
    """What lies on the way to a receiver."""
    route = result.receiver(receiver).route
    rows = np.concatenate([np.flatnonzero(result.piece == k) for k in route])
    harmonics = result.harmonic_volts[rows] if len(result.harmonics) else np.empty((len(rows), 0))
    return RouteMap(
        places=result.places[rows],
        volts=result.volts[rows],
        amps=result.amps[rows],
        harmonics=harmonics,
        delay=float(result.places[rows[-1]]),
        spans=tuple(route),
    )
