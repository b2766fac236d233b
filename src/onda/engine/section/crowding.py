"""Resistance and inductance with true current crowding, from DC upwards.

Every conductor, grounds included, is cut into rectangular filaments that are fine towards its
surfaces, by the skin depth of the frequency; within a filament the current is uniform. Their
partial inductances follow from the mean of ln r between rectangles in closed form, and one linear
system per frequency gives the currents (Weeks, Wu, McAllister, Singh, "Resistive and inductive skin
effect in rectangular conductors", IBM J. Res. Dev. 23 (1979) 652, eqs. (1)-(9)).

A section that is its own mirror image is solved by halves, once even and once odd.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from onda.engine.constants import MU0_H_PER_M
from onda.engine.section.geometry import Conductor, Point, polygon_area
from onda.errors import NotPhysical

__all__ = ["LoopImpedance", "loop_impedance"]

FloatArray = NDArray[np.float64]
_FIRST = 0.4
"""Thickness of the outermost filament in skin depths."""
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
    conductors: tuple[Conductor, ...],
    resistivity: float,
    frequency: FloatArray,
    *,
    fineness: float = 1.0,
) -> LoopImpedance:
    """Solve for the loop impedance of signals against grounds.

    Parameters
    ----------
    conductors : convex shapes with flat tops and bottoms (rectangles, trapezoids either way up);
        at least one signal and one ground
    resistivity : ohm m
    frequency : (f,) Hz, above 0
    fineness : filaments along each way, as a multiple of the usual

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
    folded = _twins(conductors)
    r, inductances = [], []
    for f in frequency:
        skin = math.sqrt(resistivity / (math.pi * MU0_H_PER_M * f))
        z = _impedance(
            conductors, resistivity, skin / fineness, 2.0 * math.pi * f, folded, fineness
        )
        r.append(z.real)
        inductances.append(z.imag / (2.0 * math.pi * f))
    each = [resistivity / abs(polygon_area(conductors[i].polygon)) for i in signals]
    back = sum(abs(polygon_area(conductors[i].polygon)) for i in grounds)
    return LoopImpedance(
        frequency=frequency,
        r=np.array(r),
        l=np.array(inductances),
        r_dc=np.diag(each) + resistivity / back,
    )


def _impedance(
    conductors: tuple[Conductor, ...],
    resistivity: float,
    skin: float,
    omega: float,
    twins: tuple[int, ...] | None,
    fineness: float,
) -> NDArray[np.complex128]:
    """Loop impedance matrix (n, n) at one frequency."""
    from onda.engine.section.filament_kernels import log_means

    signals = [i for i, c in enumerate(conductors) if c.role == "signal"]
    cells, owner = _filaments(conductors, signals, skin, fineness)
    # The size of the section as unit of length keeps the common part of ln r small.
    unit = math.log(float(np.abs(cells[:, :2]).max()))
    if twins is None:
        system = _System(resistivity, omega, unit - log_means(cells, _rows(cells), False), cells)
        return np.asarray(np.linalg.inv(system.admittance(owner, signals)))
    cells, owner = _right_half(cells, owner)
    rows = _rows(cells)
    own, other = unit - log_means(cells, rows, False), unit - log_means(cells, rows, True)
    stands = [k if k in owner else twins[k] for k in signals]
    right = sorted(set(stands))
    even = _System(resistivity, omega, own + other, cells).admittance(owner, right)
    twin = np.array([twins[k] != k for k in signals])
    sign = np.where(twin, [1.0 if k in owner else -1.0 for k in signals], 0.0)
    row = [right.index(k) for k in stands]
    odd = np.zeros_like(even)
    pairs = [k for k in right if twins[k] != k]
    if pairs:
        at = [right.index(k) for k in pairs]
        # In the odd drive the return lies at 0 V all along and carries no net current.
        found = _System(resistivity, omega, own - other, cells).admittance(
            owner, pairs, returned=False
        )
        odd[np.ix_(at, at)] = found
    m = np.where(twin, 1.0, 2.0)
    joined = 0.5 * (
        np.outer(m, m) * even[np.ix_(row, row)] + np.outer(sign, sign) * odd[np.ix_(row, row)]
    )
    return np.asarray(np.linalg.inv(joined))


@dataclass(frozen=True, slots=True)
class _System:
    """Filaments at one frequency; `log_part` (n, n) times mu0/2pi is their inductance."""

    resistivity: float
    omega: float
    log_part: FloatArray
    cells: FloatArray

    def admittance(
        self, owner: NDArray[np.int64], signals: list[int], *, returned: bool = True
    ) -> NDArray[np.complex128]:
        """Currents (n, n) of the signals per volt along each.

        With `returned`, all currents come back in the other conductors together; else those are
        kept at 0 V.
        """
        belongs = np.stack([owner == k for k in signals], axis=1).astype(float)
        if returned:
            rest = 1.0 - belongs.sum(axis=1)
            belongs = np.column_stack([belongs, rest])
        matrix = (1j * self.omega * MU0_H_PER_M / (2.0 * math.pi)) * self.log_part
        area = self.cells[:, 2] * self.cells[:, 3]
        matrix[np.diag_indices(len(matrix))] += self.resistivity / area
        currents = belongs.T @ np.linalg.solve(matrix, belongs.astype(complex))
        if not returned:
            return np.asarray(currents)
        z = np.linalg.inv(currents)
        n = len(z) - 1
        return np.asarray(np.linalg.inv(z[:n, :n] - z[:n, n:] - z[n:, :n] + z[n, n]))


def _rows(cells: FloatArray) -> NDArray[np.int64]:
    """Where each row of filaments begins, and the end of the last."""
    level = np.any(np.diff(cells[:, [1, 3]], axis=0) != 0.0, axis=1)
    right = 0.5 * (cells[1:, 2] + cells[:-1, 2])
    beside = np.abs(np.diff(cells[:, 0]) - right) < 1e-6 * right
    breaks = np.flatnonzero(level | ~beside) + 1
    return np.concatenate([[0], breaks, [len(cells)]]).astype(np.int64)


def _twins(conductors: tuple[Conductor, ...]) -> tuple[int, ...] | None:
    """For each conductor its mirror image in x = 0; None where there is no such symmetry."""
    size = max(abs(v) for c in conductors for p in c.polygon for v in p)

    def shape(c: Conductor, sign: float) -> frozenset[tuple[int, int]]:
        step = 1e-7 * size
        return frozenset((round(sign * x / step), round(y / step)) for x, y in c.polygon)

    known = {(shape(c, 1.0), c.role): i for i, c in enumerate(conductors)}
    found = [known.get((shape(c, -1.0), c.role)) for c in conductors]
    if None in found:
        return None
    return tuple(i for i in found if i is not None)


def _right_half(
    cells: FloatArray, owner: NDArray[np.int64]
) -> tuple[FloatArray, NDArray[np.int64]]:
    """The filaments at x > 0, those that lie across it cut in two."""
    right = cells[:, 0] + 0.5 * cells[:, 2]
    left = cells[:, 0] - 0.5 * cells[:, 2]
    keep = right > 1e-9 * right.max()
    left = np.maximum(left[keep], 0.0)
    out = cells[keep].copy()
    out[:, 0], out[:, 2] = 0.5 * (right[keep] + left), right[keep] - left
    return out, owner[keep]


def _filaments(
    conductors: tuple[Conductor, ...], signals: list[int], skin: float, fineness: float
) -> tuple[FloatArray, NDArray[np.int64]]:
    """Rectangles (n, 4) as centre, width, height, and the conductor that each belongs to."""
    middle = [_box(conductors[i].polygon) for i in signals]
    low, high = min(b[0] for b in middle), max(b[1] for b in middle)
    cells: list[tuple[float, float, float, float]] = []
    owner: list[int] = []
    for i, conductor in enumerate(conductors):
        x0, x1, y0, y1 = _box(conductor.polygon)
        rows = _graded(y0, y1, skin, fineness)
        ground = conductor.role == "ground"
        # A plane under all signals is even there; any other wide ground has an edge near them.
        covers = ground and x0 < low and x1 > high and x1 - x0 > 2.0 * (high - low)
        beside = ground and not covers and x1 - x0 > 8.0 * (y1 - y0)
        clear = max(min(max(y0 - b[3], b[2] - y1) for b in middle), 0.0)
        if covers and all(b[2] >= y1 for b in middle):
            rows = _from_face(y1, y0, skin, fineness)[::-1]
        elif covers and all(b[3] <= y0 for b in middle):
            rows = _from_face(y0, y1, skin, fineness)
        for bottom, top in pairwise(rows):
            left, right = _extent(conductor.polygon, 0.5 * (bottom + top))
            if covers:
                columns = _under(left, right, low, high, clear / fineness)
            elif beside:
                step = max(clear, 0.25 * (y1 - y0)) / (3.0 * fineness)
                columns = _marched(left, right, (low - clear, high + clear), step, skin)
            else:
                columns = _graded(left, right, skin, fineness)
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


def _graded(low: float, high: float, skin: float, fineness: float) -> FloatArray:
    """Edges from low to high, fine at both ends, growing towards the middle."""
    half = 0.5 * (high - low)
    first = _FIRST * skin
    if first >= half / 3:
        return np.linspace(low, high, round(6 * fineness) + 1)
    sizes = [first]
    growth = 1.0 + (_GROWTH - 1.0) / fineness
    while sum(sizes) < half:
        sizes.append(min(sizes[-1] * growth, half / 3))
    places = np.cumsum(sizes)
    places = np.concatenate([[0.0], places * (half / places[-1])])
    return np.concatenate([low + places, high - places[-2::-1]])


def _from_face(face: float, back: float, skin: float, fineness: float) -> FloatArray:
    """Edges of a plane's rows: fine at the face towards the signals, coarse at its back."""
    depth, first = abs(back - face), _FIRST * skin
    steps: FloatArray
    if first >= depth / 6:
        steps = np.linspace(0.0, depth, round(6 * fineness) + 1)
    else:
        growth = 1.0 + (_GROWTH - 1.0) / fineness
        count = math.ceil(math.log1p(depth * (growth - 1.0) / first) / math.log(growth))
        steps = np.asarray(first * (growth ** np.arange(count + 1) - 1.0) / (growth - 1.0))
        steps = np.asarray(steps * (depth / steps[-1]))
    return face + steps if back > face else back + depth - steps


def _under(left: float, right: float, low: float, high: float, distance: float) -> FloatArray:
    """Edges along a wide ground: even under the signals, growing outwards."""
    step = max(distance / 3.0, (high - low) / 60.0)
    a, b = max(low - distance, left), min(high + distance, right)
    inner = np.linspace(a, b, max(2, math.ceil((b - a) / step)) + 1)
    outer = step * (1.35 ** np.arange(1, 60) - 1.0) / 0.35
    to_left = a - outer[outer < a - left]
    to_right = b + outer[outer < right - b]
    return np.concatenate([[left], to_left[::-1], inner, to_right, [right]])


def _marched(
    left: float, right: float, near: tuple[float, float], step: float, skin: float
) -> FloatArray:
    """Edges along a wide ground that ends near the signals: fine at its ends, `step` under them."""
    edges = [left]
    while edges[-1] < right:
        x = edges[-1]
        away = max(near[0] - x, x - near[1], 0.0)
        to_end = min(x - left, right - x)
        size = min(_FIRST * skin + 0.4 * to_end, step + 0.35 * away)
        edges.append(x + max(size, 1e-4 * (right - left)))
    places = np.array(edges) - left
    return left + places * ((right - left) / places[-1])
