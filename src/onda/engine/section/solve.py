"""Boundary-element solution of a cross-section: capacitance and inductance per length.

Unknown is the total (free and polarisation) charge on conductor surfaces and dielectric
interfaces, as in Wei, Harrington, Mautz and Sarkar, "Multiconductor transmission lines in
multilayered dielectric media", IEEE Trans. MTT-32 (1984), eqs. (5)-(12). The answer is extrapolated
from two meshes; their difference is the estimated error.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import lu_factor, lu_solve

from onda.engine.constants import C0_M_PER_S, EPS0_F_PER_M
from onda.engine.section.arrangement import Boundary, arrange
from onda.engine.section.geometry import Conductor, CrossSection, Layer, Region
from onda.engine.section.panels import Mesh, mesh
from onda.engine.section.section_kernels import fill
from onda.errors import NotConverged, NotPhysical

__all__ = ["Charges", "SectionResult", "solve_section"]


@dataclass(frozen=True, slots=True)
class Charges:
    """Charge on the panels of the fine mesh, for drawing the field and for the loss.

    Attributes
    ----------
    start, end : (n, 2) metres, heights counted from the lower plane
    conductor : (n,) index of the conductor, -1 on dielectric interfaces
    sigma : (n, s) V/m
        Total charge over eps0 for one volt on each of the s signals in turn.
    vacuum : (n_c, s) V/m
        The same with all dielectrics taken away; conductor panels only, in the same order.
    images : 0, 1 or 2 planes in the Green's function
    spacing : metres between the two planes (0 without)
    y_shift, flipped : how heights map: y = y_shift + y_local, or y_shift - y_local when flipped
    offset : (s,) volts added to the potential where no plane fixes it
    """

    start: NDArray[np.float64]
    end: NDArray[np.float64]
    conductor: NDArray[np.int64]
    sigma: NDArray[np.float64]
    vacuum: NDArray[np.float64]
    images: int
    spacing: float
    y_shift: float
    flipped: bool
    offset: NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class SectionResult:
    """Per-length matrices of a section with n signal conductors.

    Attributes
    ----------
    signals : names, in the order of rows
    c, c0 : (n, n) F/m, Maxwell capacitance with and without dielectrics
    l_ext : (n, n) H/m, external inductance
    c_share : (m, n, n) F/m, er_i * dC/d(er_i) of each of m materials; C(f) is to first order
        C + sum_i c_share_i * (er_i(f)/er_i - 1), exact for one uniform dielectric
    materials : names of the m materials; material_er : their permittivity
    error : estimated largest relative error of C and L
    charges : for drawing and loss
    """

    signals: tuple[str, ...]
    c: NDArray[np.float64]
    c0: NDArray[np.float64]
    l_ext: NDArray[np.float64]
    c_share: NDArray[np.float64]
    materials: tuple[str, ...]
    material_er: tuple[float, ...]
    error: float
    charges: Charges


@dataclass(frozen=True, slots=True)
class _Local:
    """The section moved so that its lower plane lies at y = 0."""

    section: CrossSection
    images: int
    spacing: float
    y_shift: float
    flipped: bool


@dataclass(frozen=True, slots=True)
class _Level:
    c: NDArray[np.float64]
    c0: NDArray[np.float64]
    share: NDArray[np.float64]
    charges: Charges


def solve_section(
    section: CrossSection, *, per_piece: int = 5, wanted_error: float = 1e-3
) -> SectionResult:
    """Solve a cross-section.

    Parameters
    ----------
    per_piece : panels laid on each boundary piece of the coarse mesh
    wanted_error : the mesh is refined until the estimated error is below this

    Raises
    ------
    NotPhysical : the section cannot exist
    NotConverged : the error stays above ten times the wanted one

    Examples
    --------
    >>> from onda.engine.section import Conductor, CrossSection, Layer, solve_section
    >>> trace = Conductor("S", ((-1e-4, 1e-4), (1e-4, 1e-4), (1e-4, 1.35e-4), (-1e-4, 1.35e-4)))
    >>> r = solve_section(CrossSection((Layer(0.0, 1e-4, 4.2),), (trace,), (0.0,)))
    >>> bool(r.c[0, 0] > r.c0[0, 0])
    True
    """
    section.check()
    local = _to_local(section)
    y_high = local.spacing if local.images == 2 else math.inf
    y_low = 0.0 if local.images >= 1 else -math.inf
    boundary = arrange(local.section, y_low, y_high, _reach(local))
    error = math.inf
    for attempt in range(3):
        meshes = mesh(
            boundary, per_piece=int(per_piece * 1.6**attempt), y_low=y_low, y_high=y_high
        )
        levels = [_solve_level(local, boundary, m) for m in meshes]
        fine = levels[-1]
        c, error_c, order = _extrapolate([level.c for level in levels])
        c0, error_c0, _ = _extrapolate([level.c0 for level in levels])
        error = max(error_c, error_c0)
        if error < wanted_error:
            break
    if not error < 10.0 * wanted_error:
        raise NotConverged("cross-section", reached=error, wanted=wanted_error)
    share = fine.share + (fine.share - levels[-2].share) / (2.0**order - 1.0)
    c, c0 = 0.5 * (c + c.T), 0.5 * (c0 + c0.T)
    return SectionResult(
        signals=section.signals,
        c=c,
        c0=c0,
        l_ext=np.linalg.inv(c0) / C0_M_PER_S**2,
        c_share=0.5 * (share + share.transpose(0, 2, 1)),
        materials=boundary.materials,
        material_er=boundary.material_er,
        error=error,
        charges=fine.charges,
    )


def _extrapolate(
    levels: list[NDArray[np.float64]],
) -> tuple[NDArray[np.float64], float, float]:
    """Limit of a sequence on halved panels, its estimated relative error, the order seen.

    The order lies between 1 (charge at a dielectric edge) and 2 (smooth); the estimate is the
    change that the last halving makes to the extrapolated value, half the last step at least.
    """
    first, second, third = levels
    scale = float(np.max(np.abs(third)))
    step1 = float(np.max(np.abs(second - first)))
    step2 = float(np.max(np.abs(third - second)))
    order = float(np.clip(np.log2(step1 / step2), 1.0, 2.2)) if step2 > 0 < step1 else 2.0
    limit = third + (third - second) / (2.0**order - 1.0)
    before = second + (second - first) / (2.0**order - 1.0)
    spread = float(np.max(np.abs(limit - before)))
    return limit, max(0.5 * spread, 0.1 * step2) / scale, order


def _to_local(section: CrossSection) -> _Local:
    """Pick the planes next to the conductors and move the lower one to y = 0."""
    ys = [y for c in section.conductors for _, y in c.polygon]
    bottom, top = min(ys), max(ys)
    for plane in section.planes:
        if bottom < plane < top:
            raise NotPhysical(
                "planes", f"a plane at y={plane} between the conductors", "above or below all"
            )
    below = [p for p in section.planes if p <= bottom]
    above = [p for p in section.planes if p >= top]
    if below:
        y0 = max(below)
        spacing = min(above) - y0 if above else 0.0
        return _Local(_move(section, y0, False), 2 if above else 1, spacing, y0, False)
    if above:
        y0 = min(above)
        return _Local(_move(section, y0, True), 1, 0.0, y0, True)
    return _Local(section, 0, 0.0, 0.0, False)


def _move(section: CrossSection, y0: float, flip: bool) -> CrossSection:
    sign = -1.0 if flip else 1.0

    def points(polygon: tuple[tuple[float, float], ...]) -> tuple[tuple[float, float], ...]:
        moved = tuple((x, sign * (y - y0)) for x, y in polygon)
        return moved[::-1] if flip else moved

    def layer(item: Layer) -> Layer:
        low, high = sorted((sign * (item.y0 - y0), sign * (item.y1 - y0)))
        return Layer(low, high, item.er, item.material)

    return CrossSection(
        layers=tuple(layer(item) for item in section.layers),
        conductors=tuple(Conductor(c.name, points(c.polygon), c.role) for c in section.conductors),
        planes=tuple(sorted(sign * (p - y0) for p in section.planes)),
        regions=tuple(Region(points(r.polygon), r.er, r.material) for r in section.regions),
    )


def _reach(local: _Local) -> float:
    points = np.concatenate([np.asarray(c.polygon) for c in local.section.conductors])
    half_width = float(np.max(np.abs(points[:, 0])))
    height = float(np.max(np.abs(points[:, 1])))
    if local.images == 2:
        # Between two planes the field dies as exp(-pi x / b).
        return half_width + 8.0 * local.spacing
    return 60.0 * (half_width + height)


def _solve_level(local: _Local, boundary: Boundary, panels: Mesh) -> _Level:
    conductor = boundary.conductor[panels.piece]
    order = np.argsort(conductor < 0, kind="stable")
    start, end = panels.start[order], panels.end[order]
    piece, conductor = panels.piece[order], conductor[order]
    on_conductor = conductor >= 0
    left, right = boundary.er_left[piece], boundary.er_right[piece]
    contrast = np.where(on_conductor, 0.0, (left - right) / (left + right))
    matrix = fill(start, end, contrast, on_conductor, local.images, local.spacing)
    length = np.hypot(*(end - start).T)
    names = [c.name for c in local.section.conductors]
    rows = [names.index(s) for s in local.section.signals]
    n, nc, ns = len(start), int(on_conductor.sum()), len(rows)
    rhs = np.zeros((n, ns))
    for k, row in enumerate(rows):
        rhs[conductor == row, k] = 1.0
    collect = rhs * (np.where(on_conductor, left, 1.0) * length)[:, None]
    solution, adjoint, offset = _solve_both(
        matrix, rhs, collect, length, on_conductor, local.images == 0
    )
    vacuum, _, _ = _solve_both(
        matrix[:nc, :nc], rhs[:nc], None, length[:nc], on_conductor[:nc], local.images == 0
    )
    c = EPS0_F_PER_M * collect.T @ solution
    c0 = EPS0_F_PER_M * (rhs[:nc] * length[:nc, None]).T @ vacuum
    share = _material_shares(boundary, piece, on_conductor, length, rhs, solution, adjoint)
    return _Level(
        c=c,
        c0=c0,
        share=share,
        charges=Charges(
            start=start,
            end=end,
            conductor=conductor,
            sigma=solution,
            vacuum=vacuum,
            images=local.images,
            spacing=local.spacing,
            y_shift=local.y_shift,
            flipped=local.flipped,
            offset=offset,
        ),
    )


def _solve_both(
    matrix: NDArray[np.float64],
    rhs: NDArray[np.float64],
    collect: NDArray[np.float64] | None,
    length: NDArray[np.float64],
    on_conductor: NDArray[np.bool_],
    floating: bool,
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Solve for the charges and, where asked, for the adjoint of `collect`.

    Without a plane the potential has a free constant; the total charge is then zero.
    """
    n = len(matrix)
    if floating:
        bordered = np.zeros((n + 1, n + 1))
        bordered[:n, :n] = matrix
        bordered[n, :n] = length / length.mean()
        # The constant shifts potentials, not fields: only conductor rows see it.
        bordered[:n, n] = on_conductor
        matrix = bordered
        rhs = np.vstack([rhs, np.zeros((1, rhs.shape[1]))])
        collect = None if collect is None else np.vstack([collect, np.zeros((1, rhs.shape[1]))])
    factors = lu_factor(matrix, check_finite=False)
    solution = lu_solve(factors, rhs, check_finite=False)
    adjoint = (
        np.zeros_like(solution)
        if collect is None
        else lu_solve(factors, collect, trans=1, check_finite=False)
    )
    offset = solution[n] if floating else np.zeros(rhs.shape[1])
    return solution[:n], adjoint[:n], offset


def _material_shares(
    boundary: Boundary,
    piece: NDArray[np.int64],
    on_conductor: NDArray[np.bool_],
    length: NDArray[np.float64],
    rhs: NDArray[np.float64],
    solution: NDArray[np.float64],
    adjoint: NDArray[np.float64],
) -> NDArray[np.float64]:
    """er_i * dC/d(er_i) for each material, by the adjoint of the same system."""
    left, right = boundary.er_left[piece], boundary.er_right[piece]
    ml, mr = boundary.material_left[piece], boundary.material_right[piece]
    shares = np.zeros((len(boundary.materials), rhs.shape[1], rhs.shape[1]))
    total = (left + right) ** 2
    # A dielectric row reads contrast * E_n + sigma/2 = 0, so E_n follows from the charge.
    contrast = np.where(on_conductor, 1.0, (left - right) / (left + right))
    field = -0.5 * solution / contrast[:, None]
    for i, er in enumerate(boundary.material_er):
        direct = np.where(on_conductor & (ml == i), 1.0, 0.0) * length
        by_collect = (rhs * direct[:, None]).T @ solution
        d_contrast = np.where(
            on_conductor, 0.0, (2.0 * right * (ml == i) - 2.0 * left * (mr == i)) / total
        )
        by_field = adjoint.T @ (d_contrast[:, None] * field)
        shares[i] = er * EPS0_F_PER_M * (by_collect - by_field)
    return shares
