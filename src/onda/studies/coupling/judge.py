"""How requirements of groups are judged: at one receiver, or at the worst of all."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

import numpy as np

from onda.project.kind import Objects
from onda.project.measures import measure as measure_of
from onda.project.model import Design
from onda.project.requirements import Requirement
from onda.studies.core.judge import Answer, Judge
from onda.studies.core.margin import Measured, missing
from onda.studies.coupling.group import GROUP, GroupResult
from onda.studies.coupling.inputs import GroupInputs, group_inputs
from onda.studies.paths.judge import line_parts

__all__ = ["JUDGE", "measure_group", "value_of"]


def _power_sum(result: GroupResult, lane: int) -> float:
    level = float(np.interp(0.5 * result.rate, result.frequency, result.power_sum(lane)))
    return 20.0 * math.log10(max(level, 1e-10))


_READERS: dict[str, Callable[[GroupResult, int], float]] = {
    "lane_noise": lambda r, k: r.noise[k].total,
    "noise_share": lambda r, k: r.noise[k].total / float(r.allowed[k]),
    "crosstalk_peak": lambda r, k: r.peak_sum(k),
    "near_end_peak": lambda r, k: r.peak_sum(k, near=True),
    "far_end_peak": lambda r, k: r.peak_sum(k, near=False),
    "arrival_spread": lambda r, k: r.arrivals[k].spread,
    "power_sum_level": _power_sum,
}


def value_of(result: GroupResult, measure: str, lane: int) -> float:
    """A measure at the receiver of a lane, SI; NaN where there is none."""
    return _READERS[measure](result, lane)


def measure_group(result: GroupResult, measure: str, receiver: str | None = None) -> Measured:
    """Read a measure off a group: of one receiver, or the worst of all."""
    if receiver is not None and receiver not in result.ids:
        return missing(f"there is no receiver {receiver}")
    chosen = [result.lane(receiver)] if receiver is not None else list(range(len(result.ids)))
    values = [value_of(result, measure, k) for k in chosen]
    what = measure_of(measure)
    at = what.worst_of(values)
    lane = chosen[at]
    if math.isnan(values[at]):
        return missing(f"no noise is allowed or known at the loss of {result.lanes[lane]}")
    side = "right" if result.rightward[lane] else "left"
    return Measured(values[at], f"at {result.lanes[lane]}, {side}", what.how, doubts=result.doubts)


def _inputs(design: Design, requirement: Requirement) -> GroupInputs:
    return group_inputs(design, design.group(requirement.subject))


def _follows(objects: Objects, requirement: Requirement) -> Iterable[object]:
    yield from line_parts(objects)
    yield objects.get(requirement.kind, requirement.subject)


def _read(_: Design, requirement: Requirement, result: GroupResult) -> Measured:
    return measure_group(result, requirement.measure, requirement.receiver)


JUDGE = Judge({"group": Answer(GROUP, _inputs, _follows, _read)})
