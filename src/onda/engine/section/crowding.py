"""Resistance and inductance with true current crowding, from DC upwards.

Every conductor, grounds included, is cut into rectangular filaments that are fine towards its
surfaces; within a filament the current is uniform. Their partial inductances follow from the mean
of ln r between rectangles in closed form, and one linear system per frequency gives the currents
(Weeks, Wu, McAllister, Singh, "Resistive and inductive skin effect in rectangular conductors", IBM
J. Res. Dev. 23 (1979) 652, eqs. (1)-(9)).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from onda.engine.constants import MU0_H_PER_M
from onda.engine.section.geometry import Conductor, Point
from onda.errors import NotPhysical

__all__ = ["LoopImpedance", "loop_impedance"]

FloatArray = NDArray[np.float64]
_FIRST = 0.4
"""Thickness of the outermost filament in skin depths at the highest frequency."""
_GROWTH = 1.45


@dataclass(frozen=True, slots=True)
class LoopImpedance:
    """Series impedance per length of n signals whose currents return in the grounds together.

    Attributes
    ----------
    frequency : (f,) Hz
    r : (f, n, n) ohm/m; l : (f, n, n) H/m, internal and external
    r_dc : (n, n) ohm/m
    """

    frequency: FloatArray
    r: FloatArray
    l: FloatArray  # noqa: E741 - the field's own name for inductance
    r_dc: FloatArray


def loop_impedance(
    conductors: tuple[Conductor, ...], resistivity: float, frequency: FloatArray
) -> LoopImpedance:
    """Solve for the loop impedance of signals against grounds.

    Parameters
    ----------
    conductors : convex shapes with flat tops and bottoms (rectangles, trapezoids either way up);
        at least one signal and one ground
    resistivity : ohm m
    frequency : (f,) Hz, above 0

    Raises
    ------
    NotPhysical : no signal or no ground, or a frequency that is not above 0
    """
    signals = [i for i, c in enumerate(conductors) if c.role == "signal"]
    grounds = [i for i, c in enumerate(conductors) if c.role == "ground"]
    if not signals or not grounds:
        raise NotPhysical("conductors", "no signal or no ground", "signals and their return")
    frequency = np.asarray(frequency, dtype=float)
    if not (np.all(np.isfinite(frequency)) and np.all(frequency > 0)):
        raise NotPhysical("frequency", frequency, "above 0 Hz")
    if not (math.isfinite(resistivity) and resistivity > 0):
        raise NotPhysical("resistivity", resistivity, "above 0 ohm m")
    skin = math.sqrt(resistivity / (math.pi * MU0_H_PER_M * float(frequency.max())))
    cells, owner = _filaments(conductors, signals, skin)
    groups = [*([i] for i in signals), grounds]
    belongs = np.stack([np.isin(owner, group) for group in groups], axis=1).astype(float)
    from onda.engine.section.filament_kernels import log_means

    resistance = resistivity / (cells[:, 2] * cells[:, 3])
    inductance = -MU0_H_PER_M / (2.0 * math.pi) * log_means(cells, False)
    # The size of the section as unit of length keeps the common part of ln r small.
    inductance += MU0_H_PER_M / (2.0 * math.pi) * math.log(float(np.abs(cells[:, :2]).max()))
    r, inductances = [], []
    for f in frequency:
        z = _loop(resistance, inductance, belongs, 2.0 * math.pi * f)
        r.append(z.real)
        inductances.append(z.imag / (2.0 * math.pi * f))
    conductance = np.array([(belongs[:, k] / resistance).sum() for k in range(belongs.shape[1])])
    return LoopImpedance(
        frequency=frequency,
        r=np.array(r),
        l=np.array(inductances),
        r_dc=np.diag(1.0 / conductance[:-1]) + 1.0 / conductance[-1],
    )


def _loop(
    resistance: FloatArray, inductance: FloatArray, belongs: FloatArray, omega: float
) -> NDArray[np.complex128]:
    """Loop impedance matrix (n, n); the last group of filaments is the return."""
    matrix = 1j * omega * inductance
    matrix[np.diag_indices(len(matrix))] += resistance
    currents = np.linalg.solve(matrix, belongs.astype(complex))
    z = np.linalg.inv(belongs.T @ currents)
    n = len(z) - 1
    return np.asarray(z[:n, :n] - z[:n, n:] - z[n:, :n] + z[n, n])


def _filaments(
    conductors: tuple[Conductor, ...], signals: list[int], skin: float
) -> tuple[FloatArray, NDArray[np.int64]]:
    """Rectangles (n, 4) as centre, width, height, and the conductor that each belongs to."""
    middle = [_box(conductors[i].polygon) for i in signals]
    low, high = min(b[0] for b in middle), max(b[1] for b in middle)
    cells: list[tuple[float, float, float, float]] = []
    owner: list[int] = []
    for i, conductor in enumerate(conductors):
        x0, x1, y0, y1 = _box(conductor.polygon)
        rows = _graded(y0, y1, skin)
        wide = conductor.role == "ground" and x1 - x0 > 2.0 * (high - low)
        for bottom, top in pairwise(rows):
            left, right = _extent(conductor.polygon, 0.5 * (bottom + top))
            if wide:
                distance = max(min(abs(y0 - b[3]) for b in middle), 1e-9)
                distance = min(distance, min(abs(b[2] - y1) for b in middle))
                columns = _under(left, right, low, high, distance)
            else:
                columns = _graded(left, right, skin)
            for a, b in pairwise(columns):
                cells.append((0.5 * (a + b), 0.5 * (bottom + top), b - a, top - bottom))
                owner.append(i)
    return np.array(cells), np.array(owner, dtype=np.int64)


def _box(polygon: tuple[Point, ...]) -> tuple[float, float, float, float]:
    xs, ys = [p[0] for p in polygon], [p[1] for p in polygon]
    return min(xs), max(xs), min(ys), max(ys)


def _extent(polygon: tuple[Point, ...], y: float) -> tuple[float, float]:
    """Left and right end of a convex polygon at a height."""
    found = []
    x1, y1 = polygon[-1]
    for x2, y2 in polygon:
        if (y1 > y) != (y2 > y):
            found.append(x1 + (x2 - x1) * (y - y1) / (y2 - y1))
        x1, y1 = x2, y2
    if len(found) != 2:
        raise NotPhysical("conductor", f"{len(found)} sides at y={y:.4g}", "convex")
    return min(found), max(found)


def _graded(low: float, high: float, skin: float) -> FloatArray:
    """Edges from low to high, fine at both ends, growing towards the middle."""
    half = 0.5 * (high - low)
    first = _FIRST * skin
    if first >= half / 3:
        return np.linspace(low, high, 7)
    sizes = [first]
    while sum(sizes) < half:
        sizes.append(min(sizes[-1] * _GROWTH, half / 3))
    places = np.cumsum(sizes)
    places = np.concatenate([[0.0], places * (half / places[-1])])
    return np.concatenate([low + places, high - places[-2::-1]])


def _under(left: float, right: float, low: float, high: float, distance: float) -> FloatArray:
    """Edges along a wide ground: even under the signals, growing outwards."""
    step = max(distance / 3.0, (high - low) / 60.0)
    a, b = max(low - distance, left), min(high + distance, right)
    inner = np.linspace(a, b, max(2, math.ceil((b - a) / step)) + 1)
    outer = step * (1.35 ** np.arange(1, 60) - 1.0) / 0.35
    to_left = a - outer[outer < a - left]
    to_right = b + outer[outer < right - b]
    return np.concatenate([[left], to_left[::-1], inner, to_right, [right]])
