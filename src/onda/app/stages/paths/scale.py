"""The delay scale that ribbon, profile and wave map share, and the probes that slide on it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from onda.studies.path import PathResult

__all__ = ["LEFT", "RIGHT", "DelayScale", "Probe", "Probes", "waveform_at"]

LEFT = 118.0
RIGHT = 66.0
"""Pixels left and right of the scale, for titles and for the receiver."""


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
    """A probe: its place as a share of the path's delay, its colour as a number of the series."""

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


def waveform_at(result: PathResult, delay: float) -> NDArray[np.float64]:
    """Voltage (n,) against time at a delay, between the places of the wave map."""
    places, volts = result.places, result.volts
    i = int(np.clip(np.searchsorted(places, delay), 1, len(places) - 1))
    span = places[i] - places[i - 1]
    share = 0.0 if span == 0 else float(np.clip((delay - places[i - 1]) / span, 0.0, 1.0))
    return (1.0 - share) * volts[i - 1].astype(float) + share * volts[i].astype(float)
