"""Measures of buses."""

from __future__ import annotations

from functools import partial

from onda.project.measure import Measure

__all__ = ["BUS_MEASURES"]

_bus = partial(Measure, kind="bus", study="bus", how="of all cases")
BUS_MEASURES = (
    _bus("bus_setup", "Set-up margin", "time", worse="smaller"),
    _bus("bus_hold", "Hold margin", "time", worse="smaller"),
    _bus("bus_height", "Eye height at the strobe", "voltage", worse="smaller"),
    _bus("bus_overshoot", "Overshoot of data", "voltage"),
    _bus("bus_undershoot", "Undershoot of data", "voltage"),
    _bus("bus_overshoot_area", "Overshoot area of data", "voltage time"),
    _bus("bus_undershoot_area", "Undershoot area of data", "voltage time"),
    _bus("bus_ring_back", "Ring-back outside the dc level", "voltage", worse="smaller"),
    _bus("bus_pulse", "Narrowest pulse of data", "time", worse="smaller"),
    _bus("bus_slew", "Slowest edge of data", "slew", worse="smaller"),
    _bus("bus_duty", "Duty of the strobe away from half", "ratio"),
    _bus("bus_crossing", "Crossing of the strobe's legs from their middle", "voltage"),
    _bus("bus_to_clock", "Strobe to clock, room left", "time", worse="smaller"),
)
