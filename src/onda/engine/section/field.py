"""The field of a solved section, for drawing: lines of equal flux."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from onda.engine.section.solve import SectionResult

__all__ = ["field_lines"]


def field_lines(
    result: SectionResult, volts: NDArray[np.float64], *, count: int = 12
) -> tuple[NDArray[np.float64], ...]:
    """Field lines that leave each signal conductor at equal steps of its charge.

    Parameters
    ----------
    volts : (n,) potentials of the signal conductors
    count : lines per conductor

    Returns
    -------
    Polylines (k, 2) in the section's own coordinates, metres.
    """
    from onda.engine.section.field_kernels import trace_line

    charges = result.charges
    sigma = np.ascontiguousarray(charges.sigma @ np.asarray(volts, dtype=float))
    starts = _starts(charges.start, charges.end, charges.conductor, sigma, count)
    size = float(np.ptp(charges.start[charges.conductor >= 0], axis=0).max())
    half = float(np.abs(charges.start[charges.conductor >= 0, 0]).max())
    height = charges.start[charges.conductor >= 0, 1]
    lines = []
    for x, y, sign in starts:
        path = trace_line(
            np.array([x, y]),
            sign,
            charges.start,
            charges.end,
            sigma,
            charges.images,
            charges.spacing,
            0.02 * float(height.max()),
            np.array([-half - 2 * size, half + 2 * size, float(height.max()) + 2 * size]),
        )
        if len(path) > 3:
            scale = -1.0 if charges.flipped else 1.0
            lines.append(
                np.column_stack(
                    [charges.x_shift + path[:, 0], charges.y_shift + scale * path[:, 1]]
                )
            )
    return tuple(lines)


def _starts(
    start: NDArray[np.float64],
    end: NDArray[np.float64],
    conductor: NDArray[np.int64],
    sigma: NDArray[np.float64],
    count: int,
) -> list[tuple[float, float, float]]:
    """Points just off each conductor's surface at equal steps of charge, and the charge's sign."""
    d = end - start
    length = np.hypot(d[:, 0], d[:, 1])
    out: list[tuple[float, float, float]] = []
    for index in np.unique(conductor[conductor >= 0]):
        rows = np.flatnonzero(conductor == index)
        charge = np.abs(sigma[rows]) * length[rows]
        total = charge.sum()
        if total <= 0:
            continue
        middle = 0.5 * (start[rows] + end[rows])
        centre = middle.mean(axis=0)
        cumulative = np.cumsum(charge) - 0.5 * charge
        for k in range(count):
            i = int(np.argmin(np.abs(cumulative - (k + 0.5) / count * total)))
            normal = np.array([-d[rows[i], 1], d[rows[i], 0]]) / length[rows[i]]
            if np.dot(normal, middle[i] - centre) < 0:
                normal = -normal
            p = middle[i] + 0.02 * np.ptp(middle, axis=0).min() * normal
            out.append((float(p[0]), float(p[1]), float(np.sign(sigma[rows[i]]))))
    return out
