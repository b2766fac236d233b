"""Study `fit_width`: the width that gives a line its target."""

from __future__ import annotations

from dataclasses import dataclass

from onda.studies.impedance import fit_width
from onda.studies.resolve import LineInputs
from onda.studies.study import Control, Study

__all__ = ["FIT_WIDTH", "FitInputs"]


@dataclass(frozen=True, slots=True)
class FitInputs:
    """A line and its target impedance (ohm)."""

    line: LineInputs
    target: float


def _run(inputs: FitInputs, control: Control) -> float:
    return fit_width(inputs.line, inputs.target)


FIT_WIDTH: Study[FitInputs, float] = Study("fit_width", _run, (), keep_on_disk=False)
