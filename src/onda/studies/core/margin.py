"""Hold results against requirements: by how much each holds, and how that was measured."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from enum import Enum

from onda.engine.circuits.receiver_measures import SMALL_IS_BAD
from onda.errors import OndaError
from onda.project.model import CURVE_MEASURES, MEASURE_DIMENSIONS, Requirement
from onda.project.quantities import format_si
from onda.studies.lines.impedance import ImpedanceResult
from onda.studies.links.eye import EyeResult
from onda.studies.networks.limits import measure_network_figure, worst_of_curve
from onda.studies.networks.network import NetworkResult
from onda.studies.paths.path import PathResult

__all__ = [
    "MEASURE_TITLES",
    "Margin",
    "Measured",
    "State",
    "limits_text",
    "margin_of",
    "measure_eye",
    "measure_line",
    "measure_network",
    "measure_path",
    "worst",
]

_TIGHT = 0.1
"""A margin below this share of its limit is called tight."""


class State(Enum):
    """How a requirement stands."""

    HOLDS = "holds"
    TIGHT = "tight"
    FAILS = "fails"
    UNKNOWN = "unknown"


_SEVERITY = {State.FAILS: 3, State.TIGHT: 2, State.UNKNOWN: 1, State.HOLDS: 0}

MEASURE_TITLES: dict[str, str] = {
    "impedance": "Impedance",
    "loss": "Loss, 100 mm",
    "overshoot": "Overshoot",
    "undershoot": "Undershoot",
    "settling": "Settling",
    "edge_time": "Edge at load",
    "delay": "Delay",
    "over_area": "Area above limit",
    "under_area": "Area below limit",
    "ring_back": "Ring-back",
    "reversal": "Step back",
    "first_delay": "First crossing",
    "last_delay": "Last crossing",
    "flight_time": "Flight time",
    "slew": "Slew",
    "pulse_width": "Pulse width",
    "duty": "Duty",
    "eye_width": "Eye width",
    "eye_height": "Eye height",
    "jitter_pp": "Jitter, p-p",
    "mask_growth": "Mask grows by",
    "worst_height": "Worst-case height",
    "insertion": "Through",
    "return": "Return",
    "return_common": "Return, common",
    "conversion": "Conversion",
    "near_end": "Near-end crosstalk",
    "far_end": "Far-end crosstalk",
    "power_sum": "Crosstalk, power sum",
    "passivity": "Passivity",
    "reciprocity": "Reciprocity",
    "causality": "Causality",
    "pair_skew": "Skew in pair",
    "lane_skew": "Skew of lanes",
    "icn": "Crosstalk noise",
    "ild": "Loss deviation",
    "profile_low": "Lowest impedance",
    "profile_high": "Highest impedance",
}


@dataclass(frozen=True, slots=True)
class Measured:
    """A measured value, SI, where it was found, and how.

    `low` and `high` are the limits there, where limits change from place to place.
    """

    value: float
    where: str
    how: str
    low: float | None = None
    high: float | None = None


@dataclass(frozen=True, slots=True)
class Margin:
    """A requirement held against a result.

    `margin` is positive when it holds, in the unit of the value; `normalised` is relative to the
    limit (to half the room between two). NaN where there is no result.
    """

    requirement: str
    stage: str
    subject: str
    title: str
    dimension: str
    value: float
    low: float | None
    high: float | None
    margin: float
    normalised: float
    where: str
    how: str
    evidence: str
    source: str

    @property
    def state(self) -> State:
        """Whether it holds."""
        if math.isnan(self.normalised):
            return State.UNKNOWN
        if self.normalised < 0:
            return State.FAILS
        return State.TIGHT if self.normalised < _TIGHT else State.HOLDS

    @property
    def value_text(self) -> str:
        """The value as shown."""
        if self.dimension == "resistance" and 1.0 <= self.value < 1000.0:
            return f"{self.value:.1f} Ω"
        return format_si(self.value, self.dimension)

    @property
    def sentence(self) -> str:
        """The result as one sentence."""
        return f"{self.title} {self.value_text}, {limits_text(self)}: {self.state.value}"


def limits_text(margin: Margin) -> str:
    """The limits as shown: ``≤ 0.300 V``, ``58.0 – 70.0 Ω``."""
    low, high, dimension = margin.low, margin.high, margin.dimension
    if low is not None and high is not None:
        number = format_si(low, dimension, like=high).rsplit(" ", 1)[0]
        return f"{number} – {format_si(high, dimension)}"
    if high is not None:
        return f"≤ {format_si(high, dimension)}"
    if low is None:
        return "over ranges"
    return f"≥ {format_si(low or 0.0, dimension)}"


def margin_of(requirement: Requirement, measured: Measured | None, evidence: str = "") -> Margin:
    """Hold one measured value against one requirement."""
    low = requirement.at_least.si if requirement.at_least else None
    high = requirement.at_most.si if requirement.at_most else None
    if requirement.ranges and measured is not None:
        low, high = measured.low, measured.high
    value = measured.value if measured else math.nan
    share = requirement.measure in ("passivity", "reciprocity", "causality")
    margin, normalised = _distance(value, low, high, share=share)
    title = MEASURE_TITLES[requirement.measure]
    if requirement.layer:
        title += f" {requirement.layer}"
    if measured is not None and math.isnan(measured.value):
        # It was looked for and is not there: an edge that never arrives does not hold.
        margin, normalised = -math.inf, -math.inf
    return Margin(
        requirement=requirement.id,
        stage=requirement.stage,
        subject=requirement.subject,
        title=title,
        dimension=MEASURE_DIMENSIONS[requirement.measure],
        value=value,
        low=low,
        high=high,
        margin=margin,
        normalised=normalised,
        where=measured.where if measured else "",
        how=measured.how if measured else "not computed yet",
        evidence=evidence,
        source=requirement.source,
    )


def _distance(
    value: float, low: float | None, high: float | None, *, share: bool = False
) -> tuple[float, float]:
    if low is None and high is None:
        return math.nan, math.nan
    if share and low is not None:
        # What cannot be above 100 percent has the room up to there.
        return value - low, (value - low) / ((1.0 - low) or 1.0)
    if low is not None and high is not None:
        margin = min(value - low, high - value)
        return margin, margin / (0.5 * (high - low))
    if high is not None:
        return high - value, (high - value) / (abs(high) or 1.0)
    assert low is not None
    return value - low, (value - low) / (abs(low) or 1.0)


def worst(margins: Iterable[Margin]) -> State:
    """The worst state among margins; unknown where there are none."""
    states = [m.state for m in margins]
    return max(states, key=_SEVERITY.__getitem__) if states else State.UNKNOWN


def measure_network(result: NetworkResult, requirement: Requirement) -> Measured:
    """Hold a network against a requirement, at the frequency where it is nearest to its limit."""
    if requirement.measure not in CURVE_MEASURES:
        return Measured(*measure_network_figure(result, requirement.measure))
    try:
        found = worst_of_curve(requirement, result)
    except OndaError as error:
        return Measured(math.nan, "", str(error))
    if found is None:
        return Measured(math.nan, "", "no data in the range of the limit")
    where = f"at {found.frequency / 1e9:.3g} GHz"
    curve = f"{found.curve}, " if found.curve else ""
    how = f"{curve}nearest approach to the limit"
    low, high = (found.limit, None) if found.at_least else (None, found.limit)
    return Measured(found.value, where, how, low, high)


def measure_line(result: ImpedanceResult, layer: str, measure: str) -> Measured:
    """Read a measure off an impedance result."""
    if measure == "impedance":
        how = f"boundary elements, estimated error {result.error:.2%}"
        return Measured(result.z, layer, how)
    if measure == "loss":
        return Measured(0.1 * result.loss_at, layer, "attenuation of 100 mm at the class frequency")
    raise KeyError(measure)


_PATH_HOW = {
    "overshoot": "beyond the settled level",
    "undershoot": "back from the settled level",
    "settling": "from 50 % until within 5 % of the step",
    "edge_time": "10 % to 90 %, first crossings",
    "delay": "middle of the driver's edge to the first crossing here",
    "over_area": "volts times time above the receiver's limit",
    "under_area": "volts times time below the receiver's limit",
    "ring_back": "what is left to the threshold after it was passed",
    "reversal": "largest step back between the thresholds",
    "first_delay": "first crossing of the measuring level",
    "last_delay": "last crossing of the measuring level",
    "flight_time": "last crossing less that of the driver in its test load",
    "slew": "20 % to 80 %, the slowest edge",
    "pulse_width": "the narrowest at the measuring level",
    "duty": "share of the time above the measuring level",
}


def measure_path(result: PathResult, measure: str, receiver: str | None = None) -> Measured:
    """Read a measure off a path result: of one receiver, or the worst of all."""
    chosen = [r for r in result.receivers if receiver in (None, r.id)]
    if not chosen:
        return Measured(math.nan, "", f"there is no receiver {receiver}")
    values = [float(getattr(r.measures, measure)) for r in chosen]
    worst_at = (min if measure in SMALL_IS_BAD else max)(
        range(len(chosen)), key=lambda k: _rank(values[k], measure)
    )
    found = chosen[worst_at]
    where = f"at {found.name}"
    if measure == "overshoot":
        where += f", {found.measures.overshoot_time * 1e9:.2f} ns"
    how = f"{_PATH_HOW[measure]}, worst of {found.measures.edges} edges"
    return Measured(values[worst_at], where, how)


def _rank(value: float, measure: str) -> float:
    """A value that is not there is worse than any."""
    if math.isnan(value):
        return -math.inf if measure in SMALL_IS_BAD else math.inf
    return value


def measure_eye(result: EyeResult, measure: str) -> Measured:
    """Read a measure off an eye result."""
    eye = result.eye
    bits = f"over {eye.bits} bits"
    table = {
        "eye_width": Measured(eye.width, "at the decision level", bits),
        "eye_height": Measured(eye.height, "at the sampling phase", bits),
        "jitter_pp": Measured(eye.jitter_pp, "at the decision level", bits),
        "mask_growth": Measured(result.mask_growth, "around the mask", bits),
        "worst_height": Measured(result.peak.height, "at the sampling phase", "peak distortion"),
    }
    return table[measure]
