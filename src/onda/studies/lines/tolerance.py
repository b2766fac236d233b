"""Study `tolerance`: many boards made with the fabricator's spread, and how many meet the limits.

A quadratic surface in all causes is laid through direct solutions; boards are drawn from it, and
some of them are solved directly to show what the surface is worth.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical
from onda.studies.core.study import Control, Study
from onda.studies.lines.inputs import LineInputs
from onda.studies.lines.solved_line import quick_impedance
from onda.studies.lines.variations import SpreadInputs, Variation, variations

__all__ = ["TOLERANCE", "Cause", "ToleranceInputs", "ToleranceResult"]

FloatArray = NDArray[np.float64]
_SIGMAS = 3.0
"""The stated spread is taken as three standard deviations of a normal distribution."""
_DIRECT = 8
"""Boards that are solved directly for comparison."""


@dataclass(frozen=True, slots=True)
class ToleranceInputs:
    """A line with its spread, how many boards, and the limits in ohm (NaN: none on that side)."""

    spread: SpreadInputs
    boards: int = 2000
    low: float = math.nan
    high: float = math.nan
    seed: int = 1


@dataclass(frozen=True, slots=True)
class Cause:
    """One cause and the share of the variance that it makes alone."""

    name: str
    spread: str
    share: float


@dataclass(frozen=True, slots=True)
class ToleranceResult:
    """What the boards came out as.

    Attributes
    ----------
    z : (boards,) ohm, in the order made
    mean, sigma : ohm
    inside : share of boards within the limits, NaN without limits
    causes : from the strongest down
    surface_error : largest relative difference of the surface from boards solved directly
    solved : boards solved directly, for the surface and against it
    """

    z: FloatArray
    mean: float
    sigma: float
    inside: float
    causes: tuple[Cause, ...]
    surface_error: float
    solved: int


def _run(inputs: ToleranceInputs, control: Control) -> ToleranceResult:
    if not 10 <= inputs.boards <= 1_000_000:
        raise NotPhysical("boards", inputs.boards, "between 10 and 1000000")
    causes = variations(inputs.spread)
    n = len(causes)
    places = _design(n)
    solved = 0

    def solve(x: FloatArray) -> float:
        nonlocal solved
        line = _apply(inputs.spread.line, causes, x)
        solved += 1
        control.progress(solved / (len(places) + _DIRECT))
        return math.log(quick_impedance(line))

    logs = np.array([solve(x) for x in places])
    weights, *_ = np.linalg.lstsq(_terms(places), logs, rcond=None)
    random = np.random.default_rng(inputs.seed)
    root = np.linalg.cholesky(_correlation(inputs.spread, causes))
    x = random.standard_normal((inputs.boards, n)) @ root.T / _SIGMAS
    z = np.exp(_terms(x) @ weights)
    direct = np.array([solve(row) for row in x[:_DIRECT]])
    inside = np.ones(len(z), dtype=bool)
    if not math.isnan(inputs.low):
        inside &= z >= inputs.low
    if not math.isnan(inputs.high):
        inside &= z <= inputs.high
    unlimited = math.isnan(inputs.low) and math.isnan(inputs.high)
    return ToleranceResult(
        z=z,
        mean=float(z.mean()),
        sigma=float(z.std()),
        inside=math.nan if unlimited else float(inside.mean()),
        causes=_ranked(causes, weights, x),
        surface_error=float(np.max(np.abs(np.exp(direct) / z[:_DIRECT] - 1.0))),
        solved=solved,
    )


def _apply(line: LineInputs, causes: list[Variation], x: FloatArray) -> LineInputs:
    for cause, value in zip(causes, x, strict=True):
        if value:
            line = cause.at(line, float(value))
    return line


def _design(n: int) -> FloatArray:
    """Centre, both ends of every cause, one corner of every two: what second order needs."""
    rows = [np.zeros(n)]
    for i in range(n):
        for end in (-1.0, 1.0):
            row = np.zeros(n)
            row[i] = end
            rows.append(row)
    for i, j in combinations(range(n), 2):
        row = np.zeros(n)
        row[i] = row[j] = 0.7
        rows.append(row)
    return np.array(rows)


def _terms(x: FloatArray) -> FloatArray:
    """1, x, x^2 and products, (m, terms)."""
    pairs = [x[:, i] * x[:, j] for i, j in combinations(range(x.shape[1]), 2)]
    return np.column_stack([np.ones(len(x)), x, x**2, *pairs])


def _correlation(spread: SpreadInputs, causes: list[Variation]) -> FloatArray:
    """Thicker copper comes with narrower traces; dielectrics of one board are off together."""
    names = [c.name for c in causes]
    out = np.eye(len(names))
    heights = [k for k, name in enumerate(names) if name.startswith(("height", "between"))]
    for i, j in combinations(heights, 2):
        out[i, j] = out[j, i] = spread.heights_together
    i, j = names.index("width"), names.index("copper")
    out[i, j] = out[j, i] = -spread.copper_with_width
    return out


def _ranked(causes: list[Variation], weights: FloatArray, x: FloatArray) -> tuple[Cause, ...]:
    n = len(causes)
    own = [
        float(np.var(weights[1 + i] * x[:, i] + weights[1 + n + i] * x[:, i] ** 2))
        for i in range(n)
    ]
    total = sum(own)
    found = [
        Cause(c.name, c.spread, v / total if total > 0 else 0.0)
        for c, v in zip(causes, own, strict=True)
    ]
    return tuple(sorted(found, key=lambda c: -c.share))


TOLERANCE: Study[ToleranceInputs, ToleranceResult] = Study(
    "tolerance", _run, ToleranceResult, title="Spread"
)
