"""Study `sensitivity`: what the spread of manufacture does to an impedance, one cause at a time."""

from __future__ import annotations

import math
from dataclasses import dataclass

from onda.errors import OndaError
from onda.studies.core.study import Control, Study
from onda.studies.lines.solved_line import quick_impedance
from onda.studies.lines.variations import SpreadInputs, variations

__all__ = ["SENSITIVITY", "Influence", "SensitivityResult"]


@dataclass(frozen=True, slots=True)
class Influence:
    """One cause: `low` and `high` are the changes in ohm at the two ends of its spread."""

    name: str
    spread: str
    low: float
    high: float

    @property
    def size(self) -> float:
        """Half the range that it makes, ohm."""
        return 0.5 * abs(self.high - self.low)


@dataclass(frozen=True, slots=True)
class SensitivityResult:
    """Causes from the strongest down; `together` is the root of the sum of their squares, ohm."""

    influences: tuple[Influence, ...]
    together: float


def _run(inputs: SpreadInputs, control: Control) -> SensitivityResult:
    nominal = quick_impedance(inputs.line)
    found = []
    causes = variations(inputs)
    for k, cause in enumerate(causes):
        try:
            low, high = (quick_impedance(cause.at(inputs.line, x)) - nominal for x in (-1.0, 1.0))
            found.append(Influence(cause.name, cause.spread, low, high))
        except OndaError:
            # An end of the spread that cannot be built: the cause is left out, not guessed.
            continue
        finally:
            control.progress((k + 1) / len(causes))
    found.sort(key=lambda i: -i.size)
    return SensitivityResult(tuple(found), math.sqrt(sum(i.size**2 for i in found)))


SENSITIVITY: Study[SpreadInputs, SensitivityResult] = Study(
    "sensitivity", _run, SensitivityResult, title="What moves it most"
)
