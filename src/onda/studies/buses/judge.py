"""How requirements of buses are judged: by their worst case."""

from __future__ import annotations

import math
from collections.abc import Iterable

from onda.project.kind import Objects
from onda.project.model import Design
from onda.project.requirements import Requirement
from onda.studies.buses.bus import BUS, BusResult
from onda.studies.buses.inputs import BusInputs, bus_inputs
from onda.studies.core.judge import Answer, Judge
from onda.studies.core.margin import Measured, missing
from onda.studies.paths.judge import line_parts

__all__ = ["JUDGE", "measure_bus"]

_READ = {"bus_setup": "setup", "bus_hold": "hold", "bus_height": "height"}


def measure_bus(result: BusResult, measure: str) -> Measured:
    """Read a measure off a bus."""
    name = _READ[measure]
    value = result.least(name)
    without = [c for c in result.cases if c.found.failure or math.isnan(c.worst)]
    if without or math.isnan(value):
        first = without[0] if without else result.cases[0]
        why = first.found.failure or "data and strobe do not meet"
        return missing(f"{first.signal_name}, {first.operation_name}, {first.corner}: {why}")
    worst = min(
        result.cases, key=lambda c: c.found.height if name == "height" else getattr(c, name)
    )
    where = f"{worst.signal_name}, {worst.operation_name}, {worst.corner}"
    # Beside a limit of 0, a tenth of half the time that both margins share is tight; of 1 V.
    room = 1.0 if name == "height" else 0.5 * result.unit_interval
    return Measured(value, where, f"of {len(result.cases)} cases", room=room)


def _inputs(design: Design, requirement: Requirement) -> BusInputs:
    return bus_inputs(design, design.bus(requirement.subject))


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
