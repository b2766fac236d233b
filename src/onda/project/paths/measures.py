"""Measures of paths, each of one receiver or of the worst of all."""

from __future__ import annotations

from functools import partial
from typing import Any

from onda.project.measure import Measure

__all__ = ["PATH_MEASURES"]


def _path(key: str, title: str, dimension: str, how: str, **more: Any) -> Measure:
    return Measure(key, title, dimension, "path", "path", how=how, **more)


_smaller = partial(_path, worse="smaller")
PATH_MEASURES = (
    _path("overshoot", "Overshoot", "voltage", "beyond the settled level"),
    _path("undershoot", "Undershoot", "voltage", "back from the settled level"),
    _smaller(
        "ring_back", "Ring-back", "voltage", "what is left to the threshold after it was passed"
    ),
    _path("reversal", "Step back", "voltage", "largest step back between the thresholds"),
    _path("settling", "Settling", "time", "from 50 % until within 5 % of the step"),
    _path("edge_time", "Edge at load", "time", "10 % to 90 %, first crossings"),
    _smaller("slew", "Slew", "slew", "20 % to 80 %, the slowest edge"),
    _path("delay", "Delay", "time", "middle of the driver's edge to the first crossing here"),
    _path("first_delay", "First crossing", "time", "first crossing of the measuring level"),
    _path("last_delay", "Last crossing", "time", "last crossing of the measuring level"),
    _path(
        "flight_time",
        "Flight time",
        "time",
        "last crossing less that of the driver in its test load",
    ),
    _path(
        "over_area",
        "Area above limit",
        "voltage time",
        "volts times time above the receiver's limit",
    ),
    _path(
        "under_area",
        "Area below limit",
        "voltage time",
        "volts times time below the receiver's limit",
    ),
    _smaller("pulse_width", "Pulse width", "time", "the narrowest at the measuring level"),
    _path("duty", "Duty", "ratio", "share of the time above the measuring level"),
)
