"""Triangles that fill a shielded section: fine at small features and at edges, along every outline.

Points are laid on all outlines and, on a lattice of the wanted size, between them; Delaunay
triangulation joins them, and outlines that it misses are cut finer until none is missed (the idea
of Persson and Strang, "A simple mesh generator", SIAM Review 46 (2004) 329, without its forces).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from onda.engine.section.geometry import CrossSection, inside_polygon
from onda.errors import NotConverged, NotPhysical

__all__ = ["Triangles", "fill_section"]

FloatArray = NDArray[np.float64]
_GROWTH = 0.28
"""How much larger triangles may be per unit of distance from an outline."""
_CORNER = 0.25
"""Size at an outline as a share of its shortest side."""
_EDGE = 0.01
"""Size at an edge that juts into the section, as a share of what is nearest to it."""
_EDGE_GROWTH = 0.5
"""Growth away from such an edge, where the field rises without bound but falls off fast."""
_SHARP = math.radians(20.0)
"""Turns of an outline below this stand for a curve."""


@dataclass(frozen=True, slots=True)
class Triangles:
    """A mesh of the inside of a shield.

    Attributes
    ----------
    points : (2, p) metres; corners : (3, t) indices of points
    er : (t,) relative permittivity
    """

    points: FloatArray
    corners: NDArray[np.int64]
    er: FloatArray


def fill_section(section: CrossSection, largest: float) -> Triangles:
    """Fill the inside of the shield, less the conductors, with triangles of at most `largest` m.

    Raises
    ------
    NotPhysical : there is no closed shield
    NotConverged : an outline could not be followed
    """
    section.check()
    shield = next((c for c in section.conductors if c.role == "shield"), None)
    if shield is None:
        raise NotPhysical("section", "open", "closed by a shield")
    inner = [shapely.Polygon(c.polygon) for c in section.conductors if c.role != "shield"]
    domain = shapely.Polygon(shield.polygon).difference(shapely.union_all(inner))
    interfaces = _interfaces(section, domain)
    lines = shapely.union_all([domain.boundary, *interfaces])
    features = [*_features(section, largest), *_edges(domain, largest)]
    size = _Size(lines, features, largest)
    rings = _cut(lines, size)
    return _triangulate(section, domain, rings, size)


def _interfaces(section: CrossSection, domain: shapely.Geometry) -> list[shapely.Geometry]:
    left, low, right, high = domain.bounds
    found: list[shapely.Geometry] = []
    for layer in section.layers:
        for y in (layer.y0, layer.y1):
            if low < y < high:
                found.append(shapely.LineString([(left - 1.0, y), (right + 1.0, y)]))
    found += [shapely.Polygon(r.polygon).boundary for r in section.regions]
    inside = [line.intersection(domain) for line in found]
    return [line for line in inside if line.length > 0]


@dataclass(frozen=True, slots=True)
class _Feature:
    """What wants triangles of at most `size`, growing by `growth` per unit of distance from it."""

    shape: shapely.Geometry
    size: float
    growth: float = _GROWTH


def _features(section: CrossSection, largest: float) -> list[_Feature]:
    """Outlines that want smaller triangles than `largest`."""
    out = []
    for c in section.conductors:
        ring = shapely.Polygon(c.polygon).exterior
        extent = float(np.ptp(np.asarray(c.polygon), axis=0).min())
        corners = len(c.polygon)
        # Many corners stand for a curve: its sides are as short as they need to be.
        wanted = extent * math.pi / corners if corners > 12 else _CORNER * extent
        if wanted < largest:
            out.append(_Feature(ring, wanted))
    return out


def _edges(domain: shapely.Geometry, largest: float) -> list[_Feature]:
    """Edges of metal that jut into the domain: ridges, corners of inner conductors, thin walls.

    A field of second-order elements meets the root of the distance there only with small triangles;
    how small is measured by the nearest part of the outline that does not end in the edge itself.
    """
    out = []
    for part in shapely.get_parts(domain):
        for ring in shapely.get_rings(shapely.geometry.polygon.orient(part)):
            points = np.asarray(ring.coords)[:-1]
            before, after = (
                points - np.roll(points, 1, axis=0),
                np.roll(points, -1, axis=0) - points,
            )
            turn = np.arctan2(
                before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0],
                (before * after).sum(axis=1),
            )
            sides = np.hypot(*before.T), np.hypot(*after.T)
            for i in np.flatnonzero(turn < -_SHARP):
                nearest = min(sides[0][i], sides[1][i], _clearance(domain, points[i]))
                out.append(_Feature(shapely.Point(points[i]), _EDGE * nearest, _EDGE_GROWTH))
    return [edge for edge in out if edge.size < largest]


def _clearance(domain: shapely.Geometry, point: FloatArray) -> float:
    """Distance from a corner to the sides that do not end in it."""
    here = shapely.Point(point)
    lines = [np.asarray(r.coords) for p in shapely.get_parts(domain) for r in shapely.get_rings(p)]
    sides = np.concatenate([np.stack([c[:-1], c[1:]], axis=1) for c in lines])
    away = shapely.distance(shapely.linestrings(sides), here)
    scale = float(np.ptp(sides.reshape(-1, 2), axis=0).max())
    return float(away[away > 1e-9 * scale].min())


@dataclass(frozen=True)
class _Size:
    lines: shapely.Geometry
    features: list[_Feature]
    largest: float

    def at(self, points: FloatArray) -> FloatArray:
        """Wanted triangle size at points (n, 2)."""
        where = shapely.points(points)
        size = np.full(len(points), self.largest)
        for x in self.features:
            size = np.minimum(size, x.size + x.growth * shapely.distance(x.shape, where))
        return size

    def boxes(self, step: float) -> list[tuple[float, float, float, float]]:
        """Where triangles as small as `step` may be wanted."""
        out = []
        for x in self.features:
            reach = (1.42 * step - x.size) / x.growth
            if reach > 0:
                x0, y0, x1, y1 = x.shape.bounds
                out.append((x0 - reach, y0 - reach, x1 + reach, y1 + reach))
        return out

    @property
    def smallest(self) -> float:
        return min([x.size for x in self.features], default=self.largest)


def _cut(lines: shapely.Geometry, size: _Size) -> list[FloatArray]:
    """Segments (2, 2) of all outlines, none longer than wanted there."""
    todo = []
    for line in shapely.get_parts(shapely.node(lines)):
        points = np.asarray(line.coords)
        todo += [points[i : i + 2] for i in range(len(points) - 1)]
    segments = np.array(todo)
    while True:
        length = np.hypot(*(segments[:, 1] - segments[:, 0]).T)
        middle = segments.mean(axis=1)
        long = length > 1.05 * size.at(middle)
        if not long.any():
            return list(segments)
        halves = [
            np.stack([segments[long, 0], middle[long]], axis=1),
            np.stack([middle[long], segments[long, 1]], axis=1),
        ]
        segments = np.concatenate([segments[~long], *halves])


def _lattice(domain: shapely.Geometry, size: _Size) -> FloatArray:
    """Points between the outlines: hexagonal lattices, each where its spacing is the wanted one."""
    left, low, right, high = domain.bounds
    shapely.prepare(domain)
    out = []
    step = size.largest
    while True:
        boxes = [(left, low, right, high)] if step == size.largest else size.boxes(step)
        found = [_hexagonal(box, (left, low), step) for box in boxes]
        points = np.unique(np.concatenate(found), axis=0) if found else np.empty((0, 2))
        points = points[shapely.contains_xy(domain, points)]
        if len(points):
            wanted = size.at(points)
            first, last = step == size.largest, step <= size.smallest
            right_size = (wanted > 0.71 * step) | last
            if not first:
                right_size &= wanted <= 1.42 * step
            clear = shapely.distance(size.lines, shapely.points(points)) > 0.55 * step
            out.append(points[right_size & clear])
        if step <= size.smallest:
            return np.concatenate(out) if out else np.empty((0, 2))
        step *= 0.5


def _hexagonal(
    box: tuple[float, float, float, float], origin: tuple[float, float], step: float
) -> FloatArray:
    """Points of a hexagonal lattice inside a box; the lattice itself hangs on `origin`."""
    tall = step * math.sqrt(0.75)
    columns = np.arange(
        math.floor((box[0] - origin[0]) / step) - 1, math.ceil((box[2] - origin[0]) / step) + 1
    )
    rows = np.arange(
        math.floor((box[1] - origin[1]) / tall), math.ceil((box[3] - origin[1]) / tall) + 1
    )
    i, k = np.meshgrid(columns, rows)
    x = origin[0] + (i + 0.5 * (k % 2)) * step
    return np.column_stack([x.ravel(), (origin[1] + k * tall).ravel()])


def _triangulate(
    section: CrossSection, domain: shapely.Geometry, segments: list[FloatArray], size: _Size
) -> Triangles:
    from scipy.spatial import Delaunay

    free = _lattice(domain, size)
    scale = max(domain.bounds[2] - domain.bounds[0], domain.bounds[3] - domain.bounds[1])
    for _ in range(8):
        ends = np.concatenate([np.array(segments)[:, 0], np.array(segments)[:, 1]])
        keys = np.round(ends / (1e-9 * scale)).astype(np.int64)
        _, first, place = np.unique(keys, axis=0, return_index=True, return_inverse=True)
        fixed = ends[first]
        place = place.ravel()
        count = len(segments)
        points = np.concatenate([fixed, free])
        corners = Delaunay(points / scale).simplices
        edges = {
            (min(a, b), max(a, b))
            for tri in corners.tolist()
            for a, b in ((tri[0], tri[1]), (tri[1], tri[2]), (tri[2], tri[0]))
        }
        pairs = [tuple(sorted((int(place[i]), int(place[i + count])))) for i in range(count)]
        missing = [i for i, pair in enumerate(pairs) if pair not in edges]
        if not missing:
            break
        lost = set(missing)
        cut = []
        for i in missing:
            a, b = segments[i]
            cut += [np.array([a, 0.5 * (a + b)]), np.array([0.5 * (a + b), b])]
        segments = [s for i, s in enumerate(segments) if i not in lost] + cut
    else:
        raise NotConverged("mesh", reached=float(len(missing)), wanted=0.0)
    middle = points[corners].mean(axis=1)
    a, b, c = (points[corners[:, k]] for k in range(3))
    area = 0.5 * np.abs(
        (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (c[:, 0] - a[:, 0]) * (b[:, 1] - a[:, 1])
    )
    keep = shapely.contains_xy(domain, middle) & (area > 1e-12 * scale * scale)
    corners = corners[keep]
    used, renumbered = np.unique(corners, return_inverse=True)
    return Triangles(
        points=np.ascontiguousarray(points[used].T),
        corners=np.ascontiguousarray(renumbered.reshape(corners.shape).T),
        er=_permittivity(section, middle[keep]),
    )


def _permittivity(section: CrossSection, points: FloatArray) -> FloatArray:
    er = np.ones(len(points))
    for layer in section.layers:
        er[(points[:, 1] > layer.y0) & (points[:, 1] < layer.y1)] = layer.er
    for region in section.regions:
        inside = [inside_polygon(x, y, region.polygon) for x, y in points]
        er[np.array(inside, dtype=bool)] = region.er
    return er
