"""How requirements of networks are judged: a curve where it is nearest to its limit, figures."""

from __future__ import annotations

from collections.abc import Iterable

from onda.errors import OndaError
from onda.project.kind import Objects
from onda.project.measures import measure as measure_of
from onda.project.model import Design
from onda.project.requirements import Requirement
from onda.studies.core.judge import Answer, Judge
from onda.studies.core.margin import Measured, missing
from onda.studies.networks.inputs import NetworkInputs, network_inputs
from onda.studies.networks.limits import measure_network_figure, worst_of_curve
from onda.studies.networks.network import NETWORK, NetworkResult
from onda.studies.paths.judge import line_parts

__all__ = ["JUDGE", "measure_network"]


def measure_network(result: NetworkResult, requirement: Requirement) -> Measured:
    """Hold a network against a requirement, at the frequency where it is nearest to its limit."""
    if not measure_of(requirement.measure).curve:
        return Measured(*measure_network_figure(result, requirement.measure), doubts=result.doubts)
    try:
        found = worst_of_curve(requirement, result)
    except OndaError as error:
        return missing(str(error))
    if found is None:
        return missing("no data in the range of the limit")
    where = f"at {found.frequency / 1e9:.3g} GHz"
    curve = f"{found.curve}, " if found.curve else ""
    low, high = (found.limit, None) if found.at_least else (None, found.limit)
    return Measured(
        found.value, where, f"{curve}nearest approach to the limit", low, high, result.doubts
    )


def _inputs(design: Design, requirement: Requirement) -> NetworkInputs:
    return network_inputs(design, design.network(requirement.subject))


def _follows(objects: Objects, _: Requirement) -> Iterable[object]:
    yield from line_parts(objects)
    yield objects.all("path")
    yield objects.all("group")
    yield objects.all("network")


def _read(_: Design, requirement: Requirement, result: NetworkResult) -> Measured:
    return measure_network(result, requirement)


JUDGE = Judge({"network": Answer(NETWORK, _inputs, _follows, _read)})
