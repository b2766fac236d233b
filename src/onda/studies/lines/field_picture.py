"""Studies of a line's field for drawing: field lines, potential, surface densities."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.section.field import field_lines, potential_grid, surface_densities
from onda.studies.core.study import Control, Study
from onda.studies.lines.inputs import LineInputs
from onda.studies.lines.solved_line import solve_line

__all__ = ["FIELD_LINES", "FIELD_PICTURE", "FieldLines", "FieldPicture", "FieldPictureInputs"]

FloatArray = NDArray[np.float64]
_ACROSS, _UP = 96, 60


@dataclass(frozen=True, slots=True)
class FieldPictureInputs:
    """A line and the part of it that is drawn, metres."""

    line: LineInputs
    left: float
    right: float
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class FieldPicture:
    """Potential and densities.

    Attributes
    ----------
    x : (x,) and y : (y,) m; volts : (y, x) for 1 V on the signal, or +-0.5 V on a pair
    start, end : (n, 2) m, panels of the conductors; charge, current : (n,), largest 1
    """

    x: FloatArray
    y: FloatArray
    volts: FloatArray
    start: FloatArray
    end: FloatArray
    charge: FloatArray
    current: FloatArray


def _run(inputs: FieldPictureInputs, control: Control) -> FieldPicture:
    solved = solve_line(inputs.line, False)
    count = len(solved.result.signals)
    volts = np.array([0.5, -0.5]) if solved.pair else np.eye(count)[count // 2]
    control.progress(0.3)
    x = np.linspace(inputs.left, inputs.right, _ACROSS)
    y = np.linspace(inputs.low, inputs.high, _UP)
    grid = potential_grid(solved.result, volts, x, y)
    return FieldPicture(x, y, grid, *surface_densities(solved.result, volts))


@dataclass(frozen=True, slots=True)
class FieldLines:
    """Field lines, each (k, 2) metres."""

    lines: tuple[FloatArray, ...]


def _run_lines(inputs: LineInputs, control: Control) -> FieldLines:
    solved = solve_line(inputs, False)
    count = len(solved.result.signals)
    volts = np.array([0.5, -0.5]) if solved.pair else np.eye(count)[count // 2]
    control.progress(0.3)
    return FieldLines(field_lines(solved.result, volts, count=12 if count > 1 else 18))


FIELD_LINES: Study[LineInputs, FieldLines] = Study(
    "field_lines", _run_lines, FieldLines, title="Field lines"
)
FIELD_PICTURE: Study[FieldPictureInputs, FieldPicture] = Study(
    "field_picture", _run, FieldPicture, title="Field"
)
