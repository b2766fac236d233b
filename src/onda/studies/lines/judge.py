"""How requirements of line classes are judged: by the impedance study, layer by layer."""

from __future__ import annotations

from collections.abc import Iterable

from onda.project.kind import Objects
from onda.project.measures import measure as measure_of
from onda.project.model import Design
from onda.project.requirements import Requirement
from onda.studies.core.judge import Answer, Judge
from onda.studies.core.margin import Measured
from onda.studies.lines.impedance import IMPEDANCE, ImpedanceInputs, ImpedanceResult
from onda.studies.lines.inputs import line_inputs

__all__ = ["JUDGE", "layer_of", "measure_line"]


def layer_of(design: Design, requirement: Requirement) -> str:
    """The layer that a requirement is about: its own, else the first of the class."""
    return requirement.layer or design.line_class(requirement.subject).on[0].layer


def measure_line(result: ImpedanceResult, layer: str, measure: str) -> Measured:
    """Read a measure off an impedance result."""
    return _READERS[measure](result, layer)


def _impedance(result: ImpedanceResult, layer: str) -> Measured:
    return Measured(result.z, layer, f"boundary elements, estimated error {result.error:.2%}")


def _loss(result: ImpedanceResult, layer: str) -> Measured:
    return Measured(0.1 * result.loss_at, layer, measure_of("loss").how)


_READERS = {"impedance": _impedance, "loss": _loss}


def _inputs(design: Design, requirement: Requirement) -> ImpedanceInputs:
    line_class = design.line_class(requirement.subject)
    return ImpedanceInputs(line_inputs(design, line_class, layer_of(design, requirement)))


def _follows(objects: Objects, requirement: Requirement) -> Iterable[object]:
    yield objects.stackup
    yield objects.all("material")
    yield objects.get(requirement.kind, requirement.subject)


def _read(design: Design, requirement: Requirement, result: ImpedanceResult) -> Measured:
    return measure_line(result, layer_of(design, requirement), requirement.measure)


JUDGE = Judge({"impedance": Answer(IMPEDANCE, _inputs, _follows, _read)})
