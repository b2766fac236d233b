"""Every mode that a shielded section can carry: cut-offs, propagation, fields.

At its cut-off a mode does not vary along the line, and its fields follow from one scalar: H along
the line (the electric field then lies across) or E along it. Both are found with second-order
finite elements. The propagation constants above cut-off come from edge and nodal elements together,
without spurious solutions (Lee, Sun and Cendes, "Full-wave analysis of dielectric waveguides using
tangential vector finite elements", IEEE Trans. MTT-39 (1991) 1262). scikit-fem assembles both.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from onda.engine.constants import C0_M_PER_S
from onda.engine.section.geometry import CrossSection
from onda.engine.section.triangles import Triangles, fill_section
from onda.errors import NotPhysical

__all__ = ["CutOff", "ModeFields", "cut_offs", "mode_fields", "propagation"]

FloatArray = NDArray[np.float64]
_PER_WAVELENGTH = 7.0
"""Triangles to a wavelength in the densest dielectric, with elements of second order."""


@dataclass(frozen=True, slots=True)
class CutOff:
    """A mode's cut-off.

    Attributes
    ----------
    frequency : Hz; 0 for a mode that travels down to DC
    kind : "TEM" travels down to DC; "H" has H along the line, "E" has E along it, at cut-off
    values : (p,) that H or E at the points of the mesh, largest 1; of a TEM mode the potential
    """

    frequency: float
    kind: Literal["TEM", "H", "E"]
    values: FloatArray


@dataclass(frozen=True, slots=True)
class ModeFields:
    """A mode's picture at places inside the section.

    Attributes
    ----------
    points : (n, 2) metres
    electric, magnetic : (n, 2) across the line, the longest arrow 1 (all zero where there is none)
    along : (n,) the component along the line, -1..1; `along_is` says of which field
    """

    points: FloatArray
    electric: FloatArray
    magnetic: FloatArray
    along: FloatArray
    along_is: Literal["none", "E", "H"]


def _largest_triangle(section: CrossSection, frequency: float) -> float:
    """Triangle size for waves of a frequency, and for the shield's own size."""
    shield = next((c for c in section.conductors if c.role == "shield"), None)
    if shield is None:
        raise NotPhysical("section", "open", "closed by a shield")
    extent = float(np.ptp(np.asarray(shield.polygon), axis=0).max())
    er = max([1.0, *(x.er for x in section.layers), *(x.er for x in section.regions)])
    wave = C0_M_PER_S / (frequency * math.sqrt(er))
    return min(wave / _PER_WAVELENGTH, extent / 12.0)


def cut_offs(
    section: CrossSection, up_to: float, *, most: int = 24
) -> tuple[Triangles, tuple[CutOff, ...]]:
    """All modes with a cut-off below `up_to` (Hz), from the lowest up, at most `most` of each kind.

    Raises
    ------
    NotPhysical : the section is not closed, or `up_to` is not above 0
    """
    if not (math.isfinite(up_to) and up_to > 0):
        raise NotPhysical("highest frequency", up_to, "above 0 Hz")
    mesh = fill_section(section, _largest_triangle(section, up_to))
    inner = sum(c.role == "signal" for c in section.conductors)
    limit = (2.0 * math.pi * up_to / C0_M_PER_S) ** 2
    found: list[CutOff] = _static(section, mesh, inner)
    for kind in ("H", "E"):
        for k2, values in _scalar_modes(mesh, kind, limit, most):
            frequency = C0_M_PER_S * math.sqrt(k2) / (2.0 * math.pi)
            found.append(CutOff(frequency, "H" if kind == "H" else "E", values))
    return mesh, tuple(sorted(found, key=lambda m: m.frequency))


def _skfem_mesh(mesh: Triangles) -> Any:
    from skfem import MeshTri

    return MeshTri(mesh.points, mesh.corners)


def _scalar_modes(
    mesh: Triangles, kind: str, limit: float, most: int
) -> list[tuple[float, FloatArray]]:
    """Eigenvalues below `limit` and the field at the mesh's points."""
    from scipy.sparse.linalg import eigsh
    from skfem import Basis, BilinearForm, ElementTriP2, condense
    from skfem.helpers import dot, grad

    basis = Basis(_skfem_mesh(mesh), ElementTriP2())
    er = mesh.er[:, None]

    @BilinearForm
    def stiffness(u: Any, v: Any, w: Any) -> Any:
        return dot(grad(u), grad(v)) * (1.0 / w.er if kind == "H" else 1.0)

    @BilinearForm
    def mass(u: Any, v: Any, w: Any) -> Any:
        return u * v * (1.0 if kind == "H" else w.er)

    k, m = stiffness.assemble(basis, er=er), mass.assemble(basis, er=er)
    inside = np.arange(k.shape[0])
    if kind == "E":
        k, m, _, inside = condense(k, m, D=basis.get_dofs())
    count = min(most + 1, k.shape[0] - 2)
    # A shift below zero keeps the constant, which is no mode, from making the matrix singular.
    values, vectors = eigsh(k, count, M=m, sigma=-1e-3 * limit, which="LM")
    out = []
    for k2, vector in sorted(zip(values, vectors.T, strict=True), key=lambda pair: pair[0]):
        if not 1e-7 * limit < k2 <= limit:
            continue
        whole = np.zeros(basis.N)
        whole[inside] = vector
        at_points = whole[basis.nodal_dofs[0]]
        out.append((float(k2), at_points / at_points[np.argmax(np.abs(at_points))]))
    return out


def _static(section: CrossSection, mesh: Triangles, inner: int) -> list[CutOff]:
    """The potentials of the modes without cut-off: one a signal conductor."""
    from skfem import Basis, BilinearForm, ElementTriP2, condense, solve
    from skfem.helpers import dot, grad

    if inner == 0:
        return []
    basis = Basis(_skfem_mesh(mesh), ElementTriP2())

    @BilinearForm
    def stiffness(u: Any, v: Any, w: Any) -> Any:
        return dot(grad(u), grad(v)) * w.er

    k = stiffness.assemble(basis, er=mesh.er[:, None])
    outside = basis.get_dofs().all()
    x, y = basis.doflocs[:, outside]
    out = []
    for c in section.conductors:
        if c.role != "signal":
            continue
        on = _on_outline(x, y, np.asarray(c.polygon))
        volts = np.zeros(basis.N)
        volts[outside[on]] = 1.0
        values = solve(*condense(k, x=volts, D=outside))
        out.append(CutOff(0.0, "TEM", np.asarray(values)[basis.nodal_dofs[0]]))
    return out


def _on_outline(x: FloatArray, y: FloatArray, outline: FloatArray) -> NDArray[np.bool_]:
    a, b = outline, np.roll(outline, -1, axis=0)
    d = b - a
    rel = np.stack([x, y], axis=-1)[:, None, :] - a[None]
    t = np.clip((rel * d).sum(-1) / (d * d).sum(-1), 0.0, 1.0)
    gap = np.hypot(*np.moveaxis(rel - t[..., None] * d, -1, 0))
    return np.asarray(gap.min(axis=1) < 1e-6 * np.ptp(outline, axis=0).max())


def propagation(
    section: CrossSection, frequency: FloatArray, cut_off: tuple[float, ...]
) -> FloatArray:
    """Phase constants beta (f, m), rad/m, of the modes whose cut-offs (Hz, rising) are given.

    NaN where a mode does not travel. Lossless walls and dielectrics. At each frequency the modes
    are taken from the slowest wave on, in the order of their cut-offs.

    Parameters
    ----------
    frequency : (f,) Hz, above 0
    """
    frequency = np.asarray(frequency, dtype=float)
    if not (frequency.size and np.all(np.isfinite(frequency)) and np.all(frequency > 0)):
        raise NotPhysical("frequency", frequency, "above 0 Hz")
    mesh = fill_section(section, _largest_triangle(section, float(frequency.max())))
    system = _VectorSystem(mesh)
    out = np.full((len(frequency), len(cut_off)), np.nan)
    for i, f in enumerate(frequency):
        count = sum(c < f for c in cut_off)
        if count:
            beta = system.betas(float(f), count)
            out[i, : len(beta)] = beta
    return out


class _VectorSystem:
    """Matrices of edge and nodal elements; only factors of k0^2 depend on frequency."""

    def __init__(self, mesh: Triangles) -> None:
        from scipy.sparse import bmat, csc_matrix
        from skfem import Basis, BilinearForm, ElementTriN2, ElementTriP2
        from skfem.helpers import curl, dot, grad

        grid = _skfem_mesh(mesh)
        across = Basis(grid, ElementTriN2(), intorder=4)
        along = Basis(grid, ElementTriP2(), intorder=4)
        er = mesh.er[:, None]

        @BilinearForm
        def curls(u: Any, v: Any, w: Any) -> Any:
            return curl(u) * curl(v)

        @BilinearForm
        def products(u: Any, v: Any, w: Any) -> Any:
            return dot(u, v) * w.weight

        @BilinearForm
        def mixed(u: Any, v: Any, w: Any) -> Any:
            return dot(grad(u), v)

        @BilinearForm
        def gradients(u: Any, v: Any, w: Any) -> Any:
            return dot(grad(u), grad(v))

        @BilinearForm
        def nodal(u: Any, v: Any, w: Any) -> Any:
            return u * v * w.weight

        one = np.ones_like(er)
        ktt = curls.assemble(across)
        mtt = products.assemble(across, weight=er)
        btt = products.assemble(across, weight=one)
        btz = mixed.assemble(along, across)
        bzz = gradients.assemble(along)
        mzz = nodal.assemble(along, weight=er)
        nt, nz = across.N, along.N
        free = np.setdiff1d(
            np.arange(nt + nz),
            np.concatenate([across.get_dofs().all(), nt + along.get_dofs().all()]),
        )
        empty, tall = csc_matrix((nz, nz)), csc_matrix((nt, nz))

        def kept(blocks: list[list[Any]]) -> Any:
            return csc_matrix(bmat(blocks, format="csc"))[free][:, free]

        self._k = kept([[ktt, tall], [tall.T, empty]])
        self._m = kept([[mtt, tall], [tall.T, empty]])
        self._b0 = kept([[btt, btz], [btz.T, bzz]])
        self._b1 = kept([[csc_matrix((nt, nt)), tall], [tall.T, mzz]])
        self._er = float(mesh.er.max())

    def betas(self, frequency: float, count: int) -> FloatArray:
        """Phase constants of the `count` slowest waves; fewer where one is at its cut-off."""
        from scipy.sparse.linalg import LinearOperator, eigs, splu

        k2 = (2.0 * math.pi * frequency / C0_M_PER_S) ** 2
        a = k2 * self._m - self._k
        b = self._b0 - k2 * self._b1
        # Every beta^2 lies below k0^2 er; those nearest to it are the slowest waves.
        shift = 1.02 * k2 * self._er
        factors = splu(
            (a - shift * b).tocsc(), permc_spec="MMD_AT_PLUS_A", options={"SymmetricMode": True}
        )
        n = a.shape[0]
        operator = LinearOperator((n, n), matvec=lambda v: factors.solve(b @ v), dtype=float)
        start = np.random.default_rng(1).standard_normal(n)
        nu = eigs(
            operator,
            count,
            which="LM",
            v0=start,
            tol=1e-9,
            return_eigenvectors=False,
            ncv=max(4 * count, 24),
        )
        beta2 = shift + 1.0 / nu
        travels = (np.abs(beta2.imag) < 1e-6 * k2) & (beta2.real > 1e-6 * k2)
        return np.asarray(np.sqrt(np.sort(beta2[travels].real)[::-1]))


def mode_fields(mesh: Triangles, mode: CutOff, *, across: int = 28) -> ModeFields:
    """Fields of a mode at cut-off on an even grid of `across` places along the wider side."""
    from scipy.interpolate import LinearNDInterpolator
    from scipy.spatial import cKDTree

    points = mesh.points.T
    low, high = points.min(axis=0), points.max(axis=0)
    step = float((high - low).max()) / across
    x, y = (np.arange(a + 0.5 * step, b, step) for a, b in zip(low, high, strict=True))
    grid = np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)
    inside = _containing(mesh, grid)
    grid, triangle = grid[inside >= 0], inside[inside >= 0]
    slope = _node_gradients(mesh, mode.values)
    gradient = LinearNDInterpolator(points, slope)(grid)
    value = LinearNDInterpolator(points, mode.values)(grid)
    lost = ~np.isfinite(value)
    if lost.any():
        nearest = cKDTree(points).query(grid[lost])[1]
        gradient[lost], value[lost] = slope[nearest], mode.values[nearest]
    turned = np.column_stack([-gradient[:, 1], gradient[:, 0]])
    none = np.zeros_like(gradient)
    if mode.kind == "TEM":
        return ModeFields(grid, _unit(-gradient), _unit(-turned), np.zeros(len(grid)), "none")
    if mode.kind == "H":
        electric = -turned / mesh.er[triangle][:, None]
        return ModeFields(grid, _unit(electric), none, value, "H")
    return ModeFields(grid, none, _unit(turned), value, "E")


def _unit(arrows: FloatArray) -> FloatArray:
    longest = float(np.hypot(arrows[:, 0], arrows[:, 1]).max())
    return arrows / longest if longest > 0 else arrows


def _containing(mesh: Triangles, places: FloatArray) -> NDArray[np.int64]:
    """Triangle that holds each place (n, 2), -1 where none does."""
    a, b, c = (mesh.points[:, mesh.corners[k]] for k in range(3))
    out = np.full(len(places), -1, dtype=np.int64)
    low = np.minimum(np.minimum(a, b), c)
    high = np.maximum(np.maximum(a, b), c)

    def turn(p: FloatArray, q: FloatArray, x: float, y: float) -> FloatArray:
        return np.asarray((q[0] - p[0]) * (y - p[1]) - (q[1] - p[1]) * (x - p[0]))

    for i, (x, y) in enumerate(places):
        near = np.flatnonzero((low[0] <= x) & (x <= high[0]) & (low[1] <= y) & (y <= high[1]))
        p, q, r = a[:, near], b[:, near], c[:, near]
        sides = np.stack([turn(p, q, x, y), turn(q, r, x, y), turn(r, p, x, y)])
        held = near[(sides >= 0).all(axis=0) | (sides <= 0).all(axis=0)]
        if len(held):
            out[i] = held[0]
    return out


def _node_gradients(mesh: Triangles, values: FloatArray) -> FloatArray:
    """Gradient (p, 2) at the points: means over the triangles around each, by their area."""
    a, b, c = (mesh.points[:, mesh.corners[k]] for k in range(3))
    twice = (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1])
    va, vb, vc = (values[mesh.corners[k]] for k in range(3))
    gx = (va * (b[1] - c[1]) + vb * (c[1] - a[1]) + vc * (a[1] - b[1])) / twice
    gy = (va * (c[0] - b[0]) + vb * (a[0] - c[0]) + vc * (b[0] - a[0])) / twice
    area = np.abs(twice)
    out = np.zeros((mesh.points.shape[1], 2))
    weight = np.zeros(mesh.points.shape[1])
    for k in range(3):
        np.add.at(out, mesh.corners[k], np.column_stack([gx, gy]) * area[:, None])
        np.add.at(weight, mesh.corners[k], area)
    return out / weight[:, None]
