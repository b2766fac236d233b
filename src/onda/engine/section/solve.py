"""Boundary-element solution of a cross-section: capacitance and inductance per length.

Unknown is the total (free and polarisation) charge on conductor surfaces and dielectric
interfaces, as in Wei, Harrington, Mautz and Sarkar, "Multiconductor transmission lines in
multilayered dielectric media", IEEE Trans. MTT-32 (1984), eqs. (5)-(12). The answer is extrapolated
from two meshes; their difference is the estimated error.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, fields, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.constants import C0_M_PER_S, EPS0_F_PER_M
from onda.engine.section.arrangement import Boundary, arrange
from onda.engine.section.geometry import Conductor, CrossSection, Layer, Region
from onda.engine.section.panels import Mesh, mesh
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
    x_shift : x = x_shift + x_local
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
    x_shift: float
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
    """The section moved so that its lower plane lies at y = 0 and its middle at x = 0.

    `partner` holds for each conductor the one that it mirrors to in x = 0, when the section is its
    own mirror image; then only the half at x > 0 is solved, once even and once odd.
    """

    section: CrossSection
    images: int
    spacing: float
    x_shift: float
    y_shift: float
    flipped: bool
    partner: tuple[int, ...] | None


@dataclass(frozen=True, slots=True)
class _Level:
    c: NDArray[np.float64]
    c0: NDArray[np.float64]
    share: NDArray[np.float64]
    charges: Charges


def solve_section(
    section: CrossSection,
    *,
    per_piece: int = 5,
    wanted_error: float = 1e-3,
    quick: bool = False,
) -> SectionResult:
    """Solve a cross-section.

    Parameters
    ----------
    per_piece : panels laid on each boundary piece of the coarse mesh
    wanted_error : the mesh is refined until the estimated error is below this
    quick : leave out the finest mesh and any refinement, for an answer while something is dragged

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
    if not section.signals:
        raise NotPhysical("conductors", "no signal conductor", "at least one signal conductor")
    local = _to_local(section)
    y_high = local.spacing if local.images == 2 else math.inf
    y_low = 0.0 if local.images >= 1 else -math.inf
    boundary = arrange(local.section, y_low, y_high, _reach(local), half=local.partner is not None)
    error = math.inf
    for attempt in range(1 if quick else 3):
        meshes = mesh(boundary, per_piece=int(per_piece * 1.6**attempt), y_low=y_low, y_high=y_high)
        levels = [_solve_level(local, boundary, m) for m in (meshes[:2] if quick else meshes)]
        fine = levels[-1]
        c, error_c, order = _extrapolate([level.c for level in levels])
        c0, error_c0, _ = _extrapolate([level.c0 for level in levels])
        error = max(error_c, error_c0)
        if error < wanted_error:
            break
    if not error < (50.0 if quick else 10.0) * wanted_error:
        raise NotConverged("cross-section", reached=error, wanted=wanted_error)
    share = fine.share + (fine.share - levels[-2].share) / (2.0**order - 1.0)
    c, c0 = 0.5 * (c + c.T), 0.5 * (c0 + c0.T)
    return SectionResult(
        signals=section.signals,
        c=c,
        c0=c0,
        l_ext=np.asarray(np.linalg.inv(c0) / C0_M_PER_S**2, dtype=np.float64),
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
    change that the last halving makes to the extrapolated value, a tenth of the last step at
    least. With two levels only, the order is taken as 1.7, which most sections show.
    """
    if len(levels) == 2:
        coarse, fine = levels
        step = fine - coarse
        size = float(np.max(np.abs(step)) / np.max(np.abs(fine)))
        return fine + step / (2.0**1.7 - 1.0), 0.3 * size, 1.7
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
    xs = [x for c in section.conductors for x, _ in c.polygon]
    x0 = 0.5 * (min(xs) + max(xs))
    flip = not below and bool(above)
    y0 = min(above) if flip else (max(below) if below else 0.0)
    images = 2 if below and above else (1 if below or above else 0)
    moved = _move(section, x0, y0, flip)
    return _Local(
        section=moved,
        images=images,
        spacing=min(above) - y0 if images == 2 else 0.0,
        x_shift=x0,
        y_shift=y0,
        flipped=flip,
        partner=_partners(moved),
    )


def _move(section: CrossSection, x0: float, y0: float, flip: bool) -> CrossSection:
    sign = -1.0 if flip else 1.0

    def points(polygon: tuple[tuple[float, float], ...]) -> tuple[tuple[float, float], ...]:
        moved = tuple((x - x0, sign * (y - y0)) for x, y in polygon)
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


def _partners(section: CrossSection) -> tuple[int, ...] | None:
    """For each conductor its mirror image in x = 0; None where the section has no such symmetry."""
    size = max(abs(v) for c in section.conductors for p in c.polygon for v in p)

    def shape(polygon: tuple[tuple[float, float], ...], sign: float) -> frozenset[tuple[int, int]]:
        step = 1e-9 * size
        return frozenset((round(sign * x / step), round(y / step)) for x, y in polygon)

    regions = {(shape(r.polygon, 1.0), r.er) for r in section.regions}
    if {(shape(r.polygon, -1.0), r.er) for r in section.regions} != regions:
        return None
    known = {(shape(c.polygon, 1.0), c.role): i for i, c in enumerate(section.conductors)}
    found = [known.get((shape(c.polygon, -1.0), c.role)) for c in section.conductors]
    if None in found or len(known) < len(found):
        return None
    return tuple(i for i in found if i is not None)


def _reach(local: _Local) -> float:
    points = np.concatenate([np.asarray(c.polygon) for c in local.section.conductors])
    half_width = float(np.max(np.abs(points[:, 0])))
    height = float(np.max(np.abs(points[:, 1])))
    if local.images == 2:
        # Between two planes the field dies as exp(-pi x / b).
        return half_width + 8.0 * local.spacing
    return 60.0 * (half_width + height)


@dataclass(frozen=True, slots=True)
class _Panels:
    """Panels in solving order: conductors first."""

    start: NDArray[np.float64]
    end: NDArray[np.float64]
    piece: NDArray[np.int64]
    conductor: NDArray[np.int64]
    length: NDArray[np.float64]
    left: NDArray[np.float64]
    right: NDArray[np.float64]

    @property
    def on_conductor(self) -> NDArray[np.bool_]:
        return self.conductor >= 0


@dataclass(frozen=True, slots=True)
class _Part:
    """Solution of one symmetry (or of the whole) for k drives: charges and their sums by drive."""

    sigma: NDArray[np.float64]
    vacuum: NDArray[np.float64]
    c: NDArray[np.float64]
    c0: NDArray[np.float64]
    share: NDArray[np.float64]
    offset: NDArray[np.float64]


def _solve_level(local: _Local, boundary: Boundary, mesh_: Mesh) -> _Level:
    # Compiled code loads slowly; a window that only shows known results does without it.
    from onda.engine.section.section_kernels import fill

    panels = _order(boundary, mesh_)
    left, right = panels.left, panels.right
    contrast = np.where(panels.on_conductor, 0.0, (left - right) / (left + right))
    mirror = local.partner is not None
    own, other = fill(
        panels.start,
        panels.end,
        contrast,
        panels.on_conductor,
        local.images,
        local.spacing,
        mirror,
    )
    names = [c.name for c in local.section.conductors]
    signals = [names.index(s) for s in local.section.signals]
    if not mirror:
        part = _solve_part(local, boundary, panels, own, signals, floating=local.images == 0)
        return _Level(part.c, part.c0, part.share, _charges(local, panels, part))
    return _solve_mirrored(local, boundary, panels, own, other, signals)


def _order(boundary: Boundary, mesh_: Mesh) -> _Panels:
    conductor = boundary.conductor[mesh_.piece]
    order = np.argsort(conductor < 0, kind="stable")
    start, end, piece = mesh_.start[order], mesh_.end[order], mesh_.piece[order]
    return _Panels(
        start=start,
        end=end,
        piece=piece,
        conductor=conductor[order],
        length=np.hypot(*(end - start).T),
        left=boundary.er_left[piece],
        right=boundary.er_right[piece],
    )


def _solve_mirrored(
    local: _Local,
    boundary: Boundary,
    panels: _Panels,
    own: NDArray[np.float64],
    other: NDArray[np.float64],
    signals: list[int],
) -> _Level:
    """Put the even and the odd solution of the half together.

    Driving signal k alone is half of (even + odd) where it has a twin, and the even drive where it
    lies on the axis; the twin carries the even charge less the odd.
    """
    assert local.partner is not None
    present = set(panels.conductor.tolist())
    # The half at x > 0 holds one of each pair of twins; it stands for both.
    stands = [k if k in present else local.partner[k] for k in signals]
    right = sorted(set(stands))
    row = [right.index(k) for k in stands]
    twin = np.array([local.partner[k] != k for k in signals])
    sign = np.where(twin, [1.0 if k in present else -1.0 for k in signals], 0.0)
    even = _solve_part(local, boundary, panels, own + other, right, floating=local.images == 0)
    pairs = [k for k in right if local.partner[k] != k]
    odd_all = _empty_part(even)
    if pairs:
        odd = _solve_part(local, boundary, panels, own - other, pairs, floating=False)
        at = [right.index(k) for k in pairs]
        for full, small in ((odd_all.c, odd.c), (odd_all.c0, odd.c0)):
            full[np.ix_(at, at)] = small
        odd_all.share[np.ix_(range(len(odd.share)), at, at)] = odd.share
        odd_all.sigma[:, at], odd_all.vacuum[:, at] = odd.sigma, odd.vacuum
    m = np.where(twin, 1.0, 2.0)

    def joined(e: NDArray[np.float64], o: NDArray[np.float64]) -> NDArray[np.float64]:
        even_part = e[..., row, :][..., row]
        odd_part = o[..., row, :][..., row]
        return np.asarray(0.5 * (np.outer(m, m) * even_part + np.outer(sign, sign) * odd_part))

    def unfolded(e: NDArray[np.float64], o: NDArray[np.float64]) -> NDArray[np.float64]:
        on_right = 0.5 * (m * e[:, row] + sign * o[:, row])
        on_left = 0.5 * (m * e[:, row] - sign * o[:, row])
        return np.concatenate([on_right, on_left])

    charges = _charges(local, panels, even)
    nc = len(even.vacuum)
    flip = np.array([-1.0, 1.0])
    partner = np.array([*local.partner, -1])
    # Both halves, conductors first again.
    both = np.concatenate([np.arange(nc), len(panels.start) + np.arange(nc)])
    rest = np.concatenate([np.arange(nc, len(panels.start))] * 2)
    rest[len(rest) // 2 :] += len(panels.start)
    order = np.concatenate([both, rest])
    return _Level(
        c=joined(even.c, odd_all.c),
        c0=joined(even.c0, odd_all.c0),
        share=joined(even.share, odd_all.share),
        charges=replace(
            charges,
            start=np.concatenate([panels.start, panels.end * flip])[order],
            end=np.concatenate([panels.end, panels.start * flip])[order],
            conductor=np.concatenate([panels.conductor, partner[panels.conductor]])[order],
            sigma=unfolded(even.sigma, odd_all.sigma)[order],
            vacuum=unfolded(even.vacuum, odd_all.vacuum),
            offset=0.5 * m * even.offset[row],
        ),
    )


def _empty_part(like: _Part) -> _Part:
    return _Part(*(np.zeros_like(getattr(like, f.name)) for f in fields(like)))


def _charges(local: _Local, panels: _Panels, part: _Part) -> Charges:
    return Charges(
        start=panels.start,
        end=panels.end,
        conductor=panels.conductor,
        sigma=part.sigma,
        vacuum=part.vacuum,
        images=local.images,
        spacing=local.spacing,
        x_shift=local.x_shift,
        y_shift=local.y_shift,
        flipped=local.flipped,
        offset=part.offset,
    )


def _solve_part(
    local: _Local,
    boundary: Boundary,
    panels: _Panels,
    matrix: NDArray[np.float64],
    drives: list[int],
    *,
    floating: bool,
) -> _Part:
    """Solve for one volt on each of the conductors `drives` in turn."""
    on_conductor, length = panels.on_conductor, panels.length
    nc = int(on_conductor.sum())
    rhs = np.zeros((len(matrix), len(drives)))
    for k, conductor in enumerate(drives):
        rhs[panels.conductor == conductor, k] = 1.0
    collect = rhs * (np.where(on_conductor, panels.left, 1.0) * length)[:, None]
    solution, adjoint, offset = _solve_both(matrix, rhs, collect, length, on_conductor, floating)
    vacuum, _, _ = _solve_both(
        matrix[:nc, :nc], rhs[:nc], None, length[:nc], on_conductor[:nc], floating
    )
    return _Part(
        sigma=solution,
        vacuum=vacuum,
        c=EPS0_F_PER_M * collect.T @ solution,
        c0=EPS0_F_PER_M * (rhs[:nc] * length[:nc, None]).T @ vacuum,
        share=_material_shares(boundary, panels, rhs, solution, adjoint),
        offset=offset,
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
    from scipy.linalg import lu_factor, lu_solve

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
    panels: _Panels,
    rhs: NDArray[np.float64],
    solution: NDArray[np.float64],
    adjoint: NDArray[np.float64],
) -> NDArray[np.float64]:
    """er_i * dC/d(er_i) for each material, by the adjoint of the same system."""
    left, right, on_conductor, length = (
        panels.left,
        panels.right,
        panels.on_conductor,
        panels.length,
    )
    ml, mr = boundary.material_left[panels.piece], boundary.material_right[panels.piece]
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
