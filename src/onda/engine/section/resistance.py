"""Resistance of a section: exact at DC, by surface current where the skin is thin.

At high frequency the current sits where the charge of the same line without dielectrics sits, so
R = R_s * integral of J^2 over all surfaces, planes included (Collin, Foundations for Microwave
Engineering (1992), section 3.7). Current crowding at corners is not yet limited by the skin depth:
the answer reads a few percent high below the frequency where the skin is thin against the edge.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.constants import EPS0_F_PER_M, MU0_H_PER_M
from onda.engine.section.geometry import CrossSection, polygon_area
from onda.engine.section.solve import Charges, SectionResult
from onda.errors import NotPhysical

__all__ = ["SURFACES", "Resistance", "resistance"]


SURFACES = ("bottom", "top", "sides", "plane below", "plane above")
"""Faces of the drawn conductors by where they look, and the planes' faces towards them."""


@dataclass(frozen=True, slots=True)
class Resistance:
    """Per-length resistance of n signal conductors.

    Attributes
    ----------
    r_dc : (n,) ohm/m, trace only (the plane is taken as wide)
    k_skin : (n, n) ohm/(m sqrt(Hz)); R(f) = k_skin * sqrt(f) where the skin is thin
    k_by_surface : (n, n) share of `k_skin` of each of `SURFACES`
    """

    r_dc: NDArray[np.float64]
    k_skin: NDArray[np.float64]
    k_by_surface: dict[str, NDArray[np.float64]]


def resistance(section: CrossSection, result: SectionResult, resistivity: float) -> Resistance:
    """DC and skin resistance of a solved section.

    Parameters
    ----------
    resistivity : ohm m, the same for traces and planes
    """
    from onda.engine.section.section_kernels import evaluate

    if not (math.isfinite(resistivity) and resistivity > 0):
        raise NotPhysical("resistivity", resistivity, "above 0 ohm m")
    areas = [abs(polygon_area(c.polygon)) for c in section.conductors if c.role == "signal"]
    charges = result.charges
    on = charges.conductor >= 0
    length = np.hypot(*(charges.end - charges.start)[on].T)
    # Surface current per ampere in each conductor: the vacuum charge per coulomb, times c.
    to_current = np.linalg.inv(result.c0) * EPS0_F_PER_M
    current = charges.vacuum @ to_current
    squared = {
        name: (current[rows] * length[rows, None]).T @ current[rows]
        for name, rows in _faces(section, charges, on).items()
    }
    start = np.ascontiguousarray(charges.start[on])
    end = np.ascontiguousarray(charges.end[on])
    names = ("plane above", "plane below") if charges.flipped else ("plane below", "plane above")
    heights = {0: (), 1: (0.0,), 2: (0.0, charges.spacing)}[charges.images]
    x, weight = _plane_points(start, end, charges.spacing)
    for name, height in zip(names, heights, strict=False):
        points = np.column_stack([x, np.full_like(x, height)])
        field = evaluate(points, start, end, charges.vacuum, charges.images, charges.spacing)[
            ..., 2
        ]
        on_plane = field @ to_current
        squared[name] = (on_plane * weight[:, None]).T @ on_plane
    surface = math.sqrt(math.pi * MU0_H_PER_M * resistivity)
    by_surface = {name: surface * 0.5 * (v + v.T) for name, v in squared.items()}
    return Resistance(
        r_dc=np.array([resistivity / area for area in areas]),
        k_skin=np.sum(list(by_surface.values()), axis=0),
        k_by_surface=by_surface,
    )


def _faces(
    section: CrossSection, charges: Charges, on: NDArray[np.bool_]
) -> dict[str, NDArray[np.int64]]:
    """Which conductor panels look down, up and sideways, in the section's own directions."""
    start, end = charges.start[on], charges.end[on]
    d = end - start
    level = np.abs(d[:, 0]) > 2.0 * np.abs(d[:, 1])
    middle = 0.5 * (start[:, 1] + end[:, 1])
    centre = np.zeros(len(section.conductors))
    for i in range(len(section.conductors)):
        mine = charges.conductor[on] == i
        if mine.any():
            centre[i] = 0.5 * (middle[mine].min() + middle[mine].max())
    upper = (middle > centre[charges.conductor[on]]) != charges.flipped
    shield = np.array([c.role == "shield" for c in section.conductors])[charges.conductor[on]]
    looks_up = upper != shield
    return {
        "bottom": np.flatnonzero(level & ~looks_up),
        "top": np.flatnonzero(level & looks_up),
        "sides": np.flatnonzero(~level),
    }


def _plane_points(
    start: NDArray[np.float64], end: NDArray[np.float64], spacing: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Quadrature points along a plane: even under the conductors, stretched outside."""
    low = float(min(start[:, 0].min(), end[:, 0].min()))
    high = float(max(start[:, 0].max(), end[:, 0].max()))
    height = float(max(start[:, 1].max(), end[:, 1].max()))
    nodes, weights = np.polynomial.legendre.leggauss(5)
    step = max(min(start[:, 1].min(), height), (high - low) / 40)
    pieces = max(2, math.ceil((high - low) / step))
    inner = np.linspace(low, high, pieces + 1)
    outer = step * 1.8 ** np.arange(12) - step
    edges = np.concatenate([low - outer[:0:-1], inner, high + outer[1:]])
    if spacing > 0:
        edges = edges[(edges > low - 9 * spacing) & (edges < high + 9 * spacing)]
    middle, half = 0.5 * (edges[1:] + edges[:-1]), 0.5 * np.diff(edges)
    x = (middle[:, None] + half[:, None] * nodes[None, :]).ravel()
    return x, (half[:, None] * weights[None, :]).ravel()
