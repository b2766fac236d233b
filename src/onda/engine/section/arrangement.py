"""From drawn shapes to the boundary pieces that carry charge.

Outlines and layer boundaries are cut where they meet; of every piece the material on either side is
looked up, and pieces with the same material on both sides are dropped. Layers, regions and
conductors may thus overlap and touch in any way.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from onda.engine.section.geometry import CrossSection, inside_polygon

__all__ = ["Boundary", "arrange"]

AIR = -1


@dataclass(frozen=True, slots=True)
class Boundary:
    """Straight boundary pieces, n of them.

    Attributes
    ----------
    start, end : (n, 2) metres
        Ends of each piece.
    conductor : (n,) index of the conductor whose surface it is, -1 for a dielectric interface.
    er_left, er_right : (n,) relative permittivity on either side, looking from start to end;
        for a conductor surface both are that of the dielectric it faces.
    material_left, material_right : (n,) index into `materials`, -1 for air.
    open_start, open_end : (n,) bool
        The piece was cut off there; in truth it goes on to infinity.
    driven : (n,) bool, a surface of a signal conductor
    smooth_start, smooth_end : (n,) bool
        The piece goes on straight beyond x = 0, where it was only cut.
    materials : names of the dielectrics.
    material_er : relative permittivity of each.
    """

    start: NDArray[np.float64]
    end: NDArray[np.float64]
    conductor: NDArray[np.int64]
    er_left: NDArray[np.float64]
    er_right: NDArray[np.float64]
    material_left: NDArray[np.int64]
    material_right: NDArray[np.int64]
    open_start: NDArray[np.bool_]
    open_end: NDArray[np.bool_]
    smooth_start: NDArray[np.bool_]
    smooth_end: NDArray[np.bool_]
    driven: NDArray[np.bool_]
    materials: tuple[str, ...]
    material_er: tuple[float, ...]


class _Lookup:
    """Which material fills a point."""

    def __init__(self, section: CrossSection) -> None:
        self.section = section
        names: list[tuple[str, float]] = []
        self.layer_index: list[int] = []
        self.region_index: list[int] = []
        for layer in section.layers:
            self.layer_index.append(_index_of(names, layer.material, layer.er))
        for region in section.regions:
            self.region_index.append(_index_of(names, region.material, region.er))
        self.materials = tuple(name for name, _ in names)
        self.ers = tuple(er for _, er in names)

    def at(self, x: float, y: float) -> tuple[int, int]:
        """Return (conductor or -1, material or -1) at a point."""
        for i, conductor in enumerate(self.section.conductors):
            if inside_polygon(x, y, conductor.polygon) != (conductor.role == "shield"):
                return i, AIR
        for i in range(len(self.section.regions) - 1, -1, -1):
            if inside_polygon(x, y, self.section.regions[i].polygon):
                return -1, self.region_index[i]
        for i in range(len(self.section.layers) - 1, -1, -1):
            layer = self.section.layers[i]
            if layer.y0 < y < layer.y1:
                return -1, self.layer_index[i]
        return -1, AIR

    def er(self, material: int) -> float:
        return 1.0 if material == AIR else self.ers[material]


def _index_of(names: list[tuple[str, float]], name: str, er: float) -> int:
    """Index of a material; those without a name are told apart by permittivity."""
    key = (name, er)
    if key not in names:
        names.append(key)
    return names.index(key)


def arrange(
    section: CrossSection, y_low: float, y_high: float, reach: float, *, half: bool = False
) -> Boundary:
    """Cut the section's outlines into charge-carrying pieces between two heights.

    Parameters
    ----------
    y_low, y_high : metres
        Heights of the planes that bound the part wanted (infinite where there is none).
    reach : metres
        Where dielectric interfaces are cut off, left and right of x = 0.
    half : keep only what lies at x > 0, for a section that is its own mirror image
    """
    raw, open_raw = _raw_segments(section, y_low, y_high, reach)
    size = _typical_size(section)
    pieces = _cut(raw, open_raw, half)
    if half:
        pieces = pieces.where(0.5 * (pieces.start + pieces.end)[:, 0] > 1e-9 * size)
    return _classify(_Lookup(section), pieces, 1e-6 * size)


def _typical_size(section: CrossSection) -> float:
    points = np.concatenate([np.asarray(c.polygon, dtype=float) for c in section.conductors])
    return float(np.max(np.ptp(points, axis=0)))


def _raw_segments(
    section: CrossSection, y_low: float, y_high: float, reach: float
) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    segments: list[tuple[float, float, float, float]] = []
    outlines = [c.polygon for c in section.conductors] + [r.polygon for r in section.regions]
    for polygon in outlines:
        for (xa, ya), (xb, yb) in zip(polygon, (*polygon[1:], polygon[0]), strict=True):
            if (xa, ya) != (xb, yb):
                segments.append((xa, ya, xb, yb))
    count = len(segments)
    heights = sorted({y for layer in section.layers for y in (layer.y0, layer.y1)})
    segments += [(-reach, y, reach, y) for y in heights]
    raw = np.array(segments)
    tolerance = 1e-9 * _typical_size(section)
    middle = 0.5 * (raw[:, 1] + raw[:, 3])
    keep = (middle > y_low + tolerance) & (middle < y_high - tolerance)
    is_open = np.arange(len(raw)) >= count
    return raw[keep], is_open[keep]


@dataclass(frozen=True, slots=True)
class _Pieces:
    """Cut segments before it is known what lies on either side; flags are (n, 2): start, end."""

    start: NDArray[np.float64]
    end: NDArray[np.float64]
    is_open: NDArray[np.bool_]
    smooth: NDArray[np.bool_]

    def where(self, keep: NDArray[np.bool_]) -> _Pieces:
        return _Pieces(self.start[keep], self.end[keep], self.is_open[keep], self.smooth[keep])


def _cut(raw: NDArray[np.float64], is_open: NDArray[np.bool_], everywhere: bool) -> _Pieces:
    """Cut all segments where others cross or touch them; drop doubles.

    A segment that would run to infinity on both sides is cut at x = 0, all others only if
    `everywhere`.
    """
    a, b = raw[:, :2], raw[:, 2:]
    d = b - a
    length = np.hypot(d[:, 0], d[:, 1])
    # Where the line through j meets segment i (parameter t), if it does so within j (parameter u).
    w = a[None, :, :] - a[:, None, :]
    cross = d[:, None, 0] * d[None, :, 1] - d[:, None, 1] * d[None, :, 0]
    parallel = np.abs(cross) < 1e-12 * length[:, None] * length[None, :]
    safe = np.where(parallel, 1.0, cross)
    t = (w[..., 0] * d[None, :, 1] - w[..., 1] * d[None, :, 0]) / safe
    u = (w[..., 0] * d[:, None, 1] - w[..., 1] * d[:, None, 0]) / safe
    eps = 1e-9
    meets = ~parallel & (u > -eps) & (u < 1 + eps) & (t > eps) & (t < 1 - eps)
    ends = np.concatenate([a, b])
    rel = ends[None, :, :] - a[:, None, :]
    along = (rel[..., 0] * d[:, None, 0] + rel[..., 1] * d[:, None, 1]) / length[:, None] ** 2
    off = np.abs(rel[..., 0] * d[:, None, 1] - rel[..., 1] * d[:, None, 0]) / length[:, None]
    scale = float(np.median(length))
    on_it = (off < 1e-7 * scale) & (along > eps) & (along < 1 - eps)
    with np.errstate(divide="ignore", invalid="ignore"):
        at_axis = np.where(np.abs(d[:, 0]) > 1e-12 * length, -a[:, 0] / d[:, 0], -1.0)
    starts: list[NDArray[np.float64]] = []
    stops: list[NDArray[np.float64]] = []
    flags: list[tuple[bool, bool, bool, bool]] = []
    for i in range(len(raw)):
        cuts = _distinct([*t[i][meets[i]].tolist(), *along[i][on_it[i]].tolist()], eps)
        axis = float(at_axis[i])
        # Cutting one of two segments that lie on each other would hide that they are the same.
        wanted = everywhere or (is_open[i] and len(cuts) == 2)
        if wanted and min(abs(cut - axis) for cut in cuts) > eps and 0.0 < axis < 1.0:
            cuts = sorted([*cuts, axis])
        else:
            axis = -1.0
        for t0, t1 in pairwise(cuts):
            p, q = a[i] + t0 * d[i], a[i] + t1 * d[i]
            if _is_known(p, q, starts, stops, 1e-6 * scale):
                continue
            starts.append(p)
            stops.append(q)
            flags.append(
                (
                    bool(is_open[i] and t0 == 0.0),
                    bool(is_open[i] and t1 == 1.0),
                    t0 == axis,
                    t1 == axis,
                )
            )
    marks = np.array(flags, dtype=bool).reshape(-1, 4)
    return _Pieces(np.array(starts), np.array(stops), marks[:, :2], marks[:, 2:])


def _distinct(inner: list[float], eps: float) -> list[float]:
    """0, the places between without doubles, 1."""
    out = [0.0]
    for place in sorted(inner):
        if place - out[-1] > eps:
            out.append(place)
    return [*out, 1.0]


def _is_known(
    p: NDArray[np.float64],
    q: NDArray[np.float64],
    starts: list[NDArray[np.float64]],
    stops: list[NDArray[np.float64]],
    tolerance: float,
) -> bool:
    """Whether the piece from p to q is there already, in either direction."""

    def close(a: NDArray[np.float64], b: NDArray[np.float64]) -> bool:
        return bool(abs(a[0] - b[0]) + abs(a[1] - b[1]) < tolerance)

    return any(
        (close(a, p) and close(b, q)) or (close(a, q) and close(b, p))
        for a, b in zip(starts, stops, strict=True)
    )


def _classify(lookup: _Lookup, pieces: _Pieces, step: float) -> Boundary:
    start, end = pieces.start, pieces.end
    d = end - start
    length = np.hypot(d[:, 0], d[:, 1])
    normal = np.column_stack([-d[:, 1], d[:, 0]]) / length[:, None]
    middle = 0.5 * (start + end)
    rows: list[tuple[int, int, float, float, int, int]] = []
    for i in range(len(start)):
        # A short piece needs a shorter step, or its neighbour is asked instead.
        h = min(step, 0.05 * float(length[i]))
        left_c, left_m = lookup.at(*(middle[i] + h * normal[i]))
        right_c, right_m = lookup.at(*(middle[i] - h * normal[i]))
        if (left_c >= 0 and right_c >= 0) or (left_c < 0 and right_c < 0 and left_m == right_m):
            continue
        if left_c < 0 and right_c < 0 and lookup.er(left_m) == lookup.er(right_m):
            continue
        if left_c >= 0 or right_c >= 0:
            facing = right_m if left_c >= 0 else left_m
            er = lookup.er(facing)
            rows.append((i, max(left_c, right_c), er, er, facing, facing))
        else:
            rows.append((i, -1, lookup.er(left_m), lookup.er(right_m), left_m, right_m))
    picked = np.array([r[0] for r in rows], dtype=np.int64)
    signals = {k for k, c in enumerate(lookup.section.conductors) if c.role == "signal"}
    return Boundary(
        start=start[picked],
        end=end[picked],
        conductor=np.array([r[1] for r in rows], dtype=np.int64),
        er_left=np.array([r[2] for r in rows]),
        er_right=np.array([r[3] for r in rows]),
        material_left=np.array([r[4] for r in rows], dtype=np.int64),
        material_right=np.array([r[5] for r in rows], dtype=np.int64),
        open_start=pieces.is_open[picked, 0],
        open_end=pieces.is_open[picked, 1],
        smooth_start=pieces.smooth[picked, 0],
        smooth_end=pieces.smooth[picked, 1],
        driven=np.array([r[1] in signals for r in rows], dtype=bool),
        materials=lookup.materials,
        material_er=lookup.ers,
    )
