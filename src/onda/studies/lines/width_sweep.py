"""Study `width_sweep`: impedance of a line against its width, everything else unchanged."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.errors import OndaError
from onda.studies.core.study import Control, Study
from onda.studies.lines.inputs import LineInputs
from onda.studies.lines.solved_line import quick_impedance

__all__ = ["WIDTH_SWEEP", "WidthSweepInputs", "WidthSweepResult", "width_range"]


@dataclass(frozen=True, slots=True)
class WidthSweepInputs:
    """A line and the widths (m) to try; its own width does not matter."""

    line: LineInputs
    widths: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class WidthSweepResult:
    """Impedance (w,) ohm, single or differential, at widths (w,) m; the impossible left out."""

    widths: NDArray[np.float64]
    z: NDArray[np.float64]


def width_range(undercut: float) -> tuple[float, ...]:
    """Widths that fabricators etch, from the least that the undercut leaves."""
    return tuple(float(w) for w in np.geomspace(max(60e-6, 2.6 * undercut), 320e-6, 11))


def _run(inputs: WidthSweepInputs, control: Control) -> WidthSweepResult:
    widths, values = [], []
    for i, width in enumerate(inputs.widths):
        line = replace(inputs.line, trace=replace(inputs.line.trace, width=width))
        try:
            values.append(quick_impedance(line))
            widths.append(width)
        except OndaError:
            continue
        finally:
            control.progress((i + 1) / len(inputs.widths))
    return WidthSweepResult(np.array(widths), np.array(values))


WIDTH_SWEEP: Study[WidthSweepInputs, WidthSweepResult] = Study(
    "width_sweep", _run, WidthSweepResult, title="Impedance by width"
)
