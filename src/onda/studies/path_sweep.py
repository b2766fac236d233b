"""Study `path_sweep`: a measure at the load against the value of a series resistor."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits import solve_linear
from onda.engine.circuits.measure import EdgeMeasures
from onda.studies.path import build_path, measure_load, path_stimulus, time_step
from onda.studies.resolve import PathInputs, ResistorItem
from onda.studies.study import Control, Study

__all__ = ["PATH_SWEEP", "SweepInputs", "SweepResult", "resistor_range", "with_resistor"]


@dataclass(frozen=True, slots=True)
class SweepInputs:
    """A path and the resistor to sweep over `values` ohm."""

    path: PathInputs
    resistor: str
    values: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class SweepResult:
    """Measures at each value: (v,) ohm, V, V, s."""

    values: NDArray[np.float64]
    overshoot: NDArray[np.float64]
    undershoot: NDArray[np.float64]
    edge_time: NDArray[np.float64]


def resistor_range(line_impedance: float) -> tuple[float, ...]:
    """Values worth trying for a line: from nothing to half as much again."""
    return tuple(float(v) for v in np.linspace(0.0, 1.5 * line_impedance, 17))


def with_resistor(inputs: PathInputs, resistor: str, value: float) -> PathInputs:
    """The same path with one resistor set to a value."""
    items = tuple(
        replace(item, value=value)
        if isinstance(item, ResistorItem) and item.id == resistor
        else item
        for item in inputs.items
    )
    return replace(inputs, items=items)


def measures_with(inputs: PathInputs, resistor: str, value: float) -> EdgeMeasures:
    """Measures at the load with one resistor set to a value."""
    changed = with_resistor(inputs, resistor, value)
    built = build_path(changed)
    solution = solve_linear(
        built.net, path_stimulus(changed), end=changed.window, step=time_step(changed)
    )
    return measure_load(changed, solution, built.load)


def _run(inputs: SweepInputs, control: Control) -> SweepResult:
    measured = []
    for i, value in enumerate(inputs.values):
        measured.append(measures_with(inputs.path, inputs.resistor, value))
        control.progress((i + 1) / len(inputs.values))
    return SweepResult(
        values=np.array(inputs.values),
        overshoot=np.array([m.overshoot for m in measured]),
        undershoot=np.array([m.undershoot for m in measured]),
        edge_time=np.array([m.edge_time for m in measured]),
    )


PATH_SWEEP: Study[SweepInputs, SweepResult] = Study("path_sweep", _run, (SweepResult,))
