"""How requirements of buses are judged: by their worst case."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

from onda.project.buses.measures import BUS_MEASURES
from onda.project.kind import Objects
from onda.project.model import Design
from onda.project.requirements import Requirement
from onda.studies.buses.bus import BUS, BusCase, BusResult
from onda.studies.buses.plan import BusPlan, bus_plan
from onda.studies.core.judge import Answer, Judge
from onda.studies.core.margin import Measured, missing
from onda.studies.paths.judge import line_parts

__all__ = ["JUDGE", "measure_bus"]

Read = Callable[[BusCase], float]


def _of_quality(name: str) -> Read:
    def read(case: BusCase) -> float:
        quality = case.found.quality
        return math.nan if quality is None else float(getattr(quality, name))

    return read


def _off_half(case: BusCase) -> float:
    return max(abs(share - 0.5) for share in case.found.duty)


_READ: dict[str, Read] = {
    "bus_setup": lambda case: case.setup,
    "bus_hold": lambda case: case.hold,
    "bus_height": lambda case: case.found.height,
    "bus_overshoot": _of_quality("overshoot"),
    "bus_undershoot": _of_quality("undershoot"),
    "bus_overshoot_area": _of_quality("overshoot_area"),
    "bus_undershoot_area": _of_quality("undershoot_area"),
    "bus_ring_back": _of_quality("ring_back"),
    "bus_pulse": _of_quality("narrowest"),
    "bus_slew": lambda case: case.found.slew,
    "bus_duty": _off_half,
    "bus_crossing": lambda case: case.found.crossing,
}
_WITHOUT = {
    "bus_ring_back": "no pulse gets to its ac level",
    "bus_pulse": "no pulse in view",
    "bus_duty": "the strobe has no whole period",
    "bus_crossing": "a pair is known by its difference alone",
}
"""Why a case has no value, where it is not that data and strobe do not meet."""
_MEASURES = {m.key: m for m in BUS_MEASURES}


def measure_bus(result: BusResult, measure: str) -> Measured:
    """Read a measure off a bus."""
    if measure == "bus_to_clock":
        return _to_clock(result)
    read, about = _READ[measure], _MEASURES[measure]
    for case in result.cases:
        if case.found.failure or math.isnan(case.worst) or math.isnan(read(case)):
            why = case.found.failure or (
                "data and strobe do not meet"
                if math.isnan(case.worst)
                else _WITHOUT.get(measure, "there is none")
            )
            return missing(f"{_named(case)}: {why}")
    worst = result.cases[about.worst_of([read(c) for c in result.cases])]
    # Beside a limit of 0, a tenth of half the time that both margins share is tight; of 1 V.
    room = {"time": 0.5 * worst.unit_interval, "voltage": 1.0}.get(about.dimension, 1.0)
    return Measured(read(worst), _named(worst), f"of {len(result.cases)} cases", room=room)


def _to_clock(result: BusResult) -> Measured:
    """Room of the strobe that is furthest from its clock."""
    if not result.levelled:
        return missing("no operation over address goes to a device that data are sent to")
    for one in result.levelled:
        if one.failure:
            return missing(f"{one.lane_name}, {one.operation_name}, {one.corner}: {one.failure}")
    worst = min(result.levelled, key=lambda one: one.room)
    if math.isinf(worst.room):
        return missing("no timing sheet says how far a strobe may come from the clock")
    where = f"{worst.lane_name}, {worst.operation_name}, {worst.corner}"
    room = 0.5 * result.cases[0].unit_interval
    return Measured(worst.room, where, f"of {len(result.levelled)} strobes", room=room)


def _named(case: BusCase) -> str:
    return f"{case.signal_name}, {case.operation_name}, {case.corner}"


def _inputs(design: Design, requirement: Requirement) -> BusPlan:
    return bus_plan(design, design.bus(requirement.subject))


def _follows(objects: Objects, requirement: Requirement) -> Iterable[object]:
    bus = objects.get("bus", requirement.subject)
    yield from line_parts(objects)
    yield bus
    for path in dict.fromkeys(s.path for s in bus.signals):
        yield objects.get("path", path)
    yield objects.all("group")


def _read(_: Design, requirement: Requirement, result: BusResult) -> Measured:
    return measure_bus(result, requirement.measure)


JUDGE = Judge({"bus": Answer(BUS, _inputs, _follows, _read)})
