"""Measures of buses."""

from __future__ import annotations

from functools import partial

from onda.project.measure import Measure

__all__ = ["BUS_MEASURES"]

_bus = partial(Measure, kind="bus", study="bus", worse="smaller", how="of all cases")
BUS_MEASURES = (
    _bus("bus_setup", "Set-up margin", "time"),
    _bus("bus_hold", "Hold margin", "time"),
    _bus("bus_height", "Eye height at the strobe", "voltage"),
)
