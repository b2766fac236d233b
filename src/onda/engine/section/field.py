"""The field of a solved section, for drawing: lines of equal flux, potential, densities."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from onda.engine.section.solve import SectionResult

__all__ = ["field_lines", "potential_grid", "surface_densities"]


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


def potential_grid(
    result: SectionResult,
    volts: NDArray[np.float64],
    x: NDArray[np.float64],
    y: NDArray[np.float64],
) -> NDArray[np.float64]:
    """Potential (y, x) in volts on a grid of places in metres, in the section's own coordinates.

    Parameters
    ----------
    volts : (n,) potentials of the signal conductors
    """
    from onda.engine.section.section_kernels import evaluate

    charges = result.charges
    drive = np.asarray(volts, dtype=float)
    sigma = np.ascontiguousarray((charges.sigma @ drive)[:, None])
    scale = -1.0 if charges.flipped else 1.0
    xs, ys = np.meshgrid(x - charges.x_shift, scale * (y - charges.y_shift))
    places = np.column_stack([xs.ravel(), ys.ravel()])
    found = evaluate(
        places,
        np.ascontiguousarray(charges.start),
        np.ascontiguousarray(charges.end),
        sigma,
        charges.images,
        charges.spacing,
    )[:, 0, 0]
    return np.asarray(found.reshape(len(y), len(x)) + float(charges.offset @ drive))


def surface_densities(
    result: SectionResult, volts: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Ends (n, 2) of the conductors' panels, charge (n,) and current (n,) on each, largest 1.

    The current is that of a thin skin, which flows where the charge sits without dielectrics.
    """
    charges = result.charges
    drive = np.asarray(volts, dtype=float)
    on = charges.conductor >= 0
    scale = np.array([1.0, -1.0 if charges.flipped else 1.0])
    shift = np.array([charges.x_shift, charges.y_shift])
    charge = charges.sigma[on] @ drive
    # Equal voltage drives of a symmetric pair carry equal currents; of a group as the modes ask.
    current = charges.vacuum @ np.linalg.solve(result.c0, result.c @ drive)
    return (
        shift + scale * charges.start[on],
        shift + scale * charges.end[on],
        charge / max(float(np.abs(charge).max()), 1e-300),
        current / max(float(np.abs(current).max()), 1e-300),
    )
