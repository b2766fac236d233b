"""Requirements: a limit on a measured quantity of one object, and what can be measured."""

from __future__ import annotations

from typing import Annotated, Any, Literal, get_args

from pydantic import Field, model_validator

from onda.project.base import Frozen, Identifier, Text
from onda.project.networks.network import LimitPiece
from onda.project.quantities import Quantity, read_quantity

__all__ = [
    "CURVE_MEASURES",
    "MEASURE_DIMENSIONS",
    "NETWORK_MEASURES",
    "Measure",
    "Requirement",
]

CurveMeasure = Literal[
    "insertion",
    "return",
    "return_common",
    "conversion",
    "near_end",
    "far_end",
    "power_sum",
]
"""Measures of a network at every frequency, dB; their limits hold over ranges."""
LineMeasure = Literal["impedance", "loss"]
PathMeasure = Literal[
    "overshoot",
    "undershoot",
    "settling",
    "edge_time",
    "delay",
    "over_area",
    "under_area",
    "ring_back",
    "reversal",
    "first_delay",
    "last_delay",
    "flight_time",
    "slew",
    "pulse_width",
    "duty",
]
NetworkFigure = Literal[
    "passivity",
    "reciprocity",
    "causality",
    "pair_skew",
    "lane_skew",
    "icn",
    "ild",
    "profile_low",
    "profile_high",
]
EyeMeasure = Literal["eye_width", "eye_height", "jitter_pp", "mask_growth", "worst_height"]
Measure = LineMeasure | PathMeasure | CurveMeasure | NetworkFigure | EyeMeasure
CURVE_MEASURES: tuple[str, ...] = get_args(CurveMeasure)
NETWORK_MEASURES: tuple[str, ...] = (*CURVE_MEASURES, *get_args(NetworkFigure))
_BY_DIMENSION: dict[str, tuple[str, ...]] = {
    "resistance": ("impedance", "profile_low", "profile_high"),
    "loss": ("loss", "ild", *CURVE_MEASURES),
    "voltage": (
        "overshoot",
        "undershoot",
        "ring_back",
        "reversal",
        "icn",
        "eye_height",
        "worst_height",
    ),
    "voltage time": ("over_area", "under_area"),
    "slew": ("slew",),
    "ratio": ("duty", "passivity", "reciprocity", "causality", "mask_growth"),
    "unit interval": ("eye_width", "jitter_pp"),
    "time": (
        "settling",
        "edge_time",
        "delay",
        "first_delay",
        "last_delay",
        "flight_time",
        "pulse_width",
        "pair_skew",
        "lane_skew",
    ),
}
MEASURE_DIMENSIONS: dict[str, str] = {m: d for d, ms in _BY_DIMENSION.items() for m in ms}


class Requirement(Frozen):
    """A limit on one measured quantity of one object, with where it comes from."""

    id: Identifier
    stage: Literal["lines", "paths", "networks", "eyes"]
    subject: Identifier
    layer: Identifier | None = None
    receiver: Identifier | None = None
    measure: Measure
    at_least: Quantity | None = None
    at_most: Quantity | None = None
    ranges: Annotated[tuple[LimitPiece, ...], Field(max_length=60)] = ()
    source: Text = ""

    @model_validator(mode="before")
    @classmethod
    def _read_limits(cls, data: Any) -> Any:
        """Limits are quantities of whatever the measure is a measure of."""
        if not isinstance(data, dict) or data.get("measure") not in MEASURE_DIMENSIONS:
            return data
        dimension = MEASURE_DIMENSIONS[data["measure"]]
        read: dict[str, Any] = {
            name: read_quantity(data[name], dimension)
            for name in ("at_least", "at_most")
            if data.get(name) is not None
        }
        if isinstance(data.get("ranges"), list):
            # What is read here already is plain Python, where a list is no tuple.
            read["ranges"] = tuple(data["ranges"])
        return data | read

    @model_validator(mode="after")
    def _some_limit(self) -> Requirement:
        if self.ranges and self.measure not in CURVE_MEASURES:
            raise ValueError(f"requirement {self.id}: {self.measure} is no curve")
        if self.at_least is None and self.at_most is None and not self.ranges:
            raise ValueError(f"requirement {self.id} has no limit")
        if self.at_least and self.at_most and self.at_least.si >= self.at_most.si:
            raise ValueError(f"requirement {self.id}: its limits leave no room")
        return self
