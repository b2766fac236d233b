"""What a cross-section is made of: layers, regions, conductors, planes. y points up, metres."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = ["Conductor", "CrossSection", "Layer", "Point", "Region"]

Point = tuple[float, float]
Role = Literal["signal", "ground", "shield"]


@dataclass(frozen=True, slots=True)
class Layer:
    """An infinitely wide dielectric slab from `y0` to `y1` with relative permittivity `er`."""

    y0: float
    y1: float
    er: float
    material: str = ""


@dataclass(frozen=True, slots=True)
class Region:
    """A dielectric polygon that overrides layers (coating over copper, resin beside it)."""

    polygon: tuple[Point, ...]
    er: float
    material: str = ""


@dataclass(frozen=True, slots=True)
class Conductor:
    """A conductor polygon; conductors override every dielectric.

    A "shield" is a grounded wall: its metal is everything *outside* the polygon.
    """

    name: str
    polygon: tuple[Point, ...]
    role: Role = "signal"


@dataclass(frozen=True, slots=True)
class CrossSection:
    """A whole section; `planes` are the heights of infinite ideal ground planes.

    Everything that no layer or region covers is air. Ground conductors and planes are at 0 V.
    """

    layers: tuple[Layer, ...]
    conductors: tuple[Conductor, ...]
    planes: tuple[float, ...] = ()
    regions: tuple[Region, ...] = ()

    @property
    def signals(self) -> tuple[str, ...]:
        """Names of the signal conductors, in order."""
        return tuple(c.name for c in self.conductors if c.role == "signal")

    def check(self) -> None:
        """Raise `NotPhysical` where the section cannot exist."""
        shields = sum(c.role == "shield" for c in self.conductors)
        if not self.signals and not shields:
            raise NotPhysical("conductors", "no signal conductor", "at least one signal conductor")
        if not self.planes and not any(c.role != "signal" for c in self.conductors):
            raise NotPhysical(
                "planes",
                "no plane and no ground conductor",
                "at least one plane or ground conductor for the return current",
            )
        if shields > 1 or (shields and self.planes):
            raise NotPhysical("shield", f"{shields} with {len(self.planes)} planes", "one, alone")
        for i, layer in enumerate(self.layers):
            _check_er(f"layers[{i}].er", layer.er)
            if not (math.isfinite(layer.y0) and math.isfinite(layer.y1) and layer.y1 > layer.y0):
                raise NotPhysical(
                    f"layers[{i}]", f"y0={layer.y0}, y1={layer.y1}", "finite with y1 above y0"
                )
        for i, region in enumerate(self.regions):
            _check_er(f"regions[{i}].er", region.er)
            _check_polygon(f"regions[{i}].polygon", region.polygon)
        for conductor in self.conductors:
            _check_polygon(f"conductor {conductor.name}", conductor.polygon)
        _check_apart(self.conductors, self.planes)


def _check_er(name: str, er: float) -> None:
    if not (math.isfinite(er) and 1.0 <= er <= 1e4):
        raise NotPhysical(name, er, "between 1 and 10000")


def polygon_area(polygon: tuple[Point, ...]) -> float:
    """Signed area of a polygon, positive when it runs anticlockwise."""
    p = np.asarray(polygon, dtype=float)
    x, y = p[:, 0], p[:, 1]
    return 0.5 * float(np.dot(x, np.roll(y, -1)) - np.dot(np.roll(x, -1), y))


def _check_polygon(name: str, polygon: tuple[Point, ...]) -> None:
    if len(polygon) < 3:
        raise NotPhysical(name, f"{len(polygon)} points", "a polygon of at least 3 points")
    p = np.asarray(polygon, dtype=float)
    if p.ndim != 2 or p.shape[1] != 2 or not np.all(np.isfinite(p)):
        raise NotPhysical(name, "a point that is not finite", "finite x, y pairs")
    extent = float(np.max(np.ptp(p, axis=0)))
    if abs(polygon_area(polygon)) < 1e-12 * extent * extent:
        raise NotPhysical(name, "no area", "a polygon with area")
    if _crosses_itself(p):
        raise NotPhysical(name, "an outline that crosses itself", "a simple polygon")


def _crosses_itself(p: NDArray[np.float64]) -> bool:
    n = len(p)
    return any(
        _cross_properly(p[i], p[(i + 1) % n], p[j], p[(j + 1) % n])
        for i in range(n)
        for j in range(i + 2, n)
        if (j + 1) % n != i
    )


def _cross_properly(
    a: NDArray[np.float64],
    b: NDArray[np.float64],
    c: NDArray[np.float64],
    d: NDArray[np.float64],
) -> bool:
    def side(p: NDArray[np.float64], q: NDArray[np.float64], r: NDArray[np.float64]) -> float:
        return float((q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]))

    # Touching outlines leave a rounding-sized area; they do not cross.
    scale = 1e-9 * (float(np.hypot(*(b - a))) * float(np.hypot(*(d - c))))
    s1, s2, s3, s4 = side(a, b, c), side(a, b, d), side(c, d, a), side(c, d, b)
    return (
        min(abs(s1), abs(s2), abs(s3), abs(s4)) > scale
        and (s1 > 0) != (s2 > 0)
        and (s3 > 0) != (s4 > 0)
    )


def inside_polygon(x: float, y: float, polygon: tuple[Point, ...]) -> bool:
    """Tell whether (x, y) lies strictly inside, by crossing count."""
    inside = False
    x1, y1 = polygon[-1]
    for x2, y2 in polygon:
        if (y1 > y) != (y2 > y) and x < (x2 - x1) * (y - y1) / (y2 - y1) + x1:
            inside = not inside
        x1, y1 = x2, y2
    return inside


def _check_apart(conductors: tuple[Conductor, ...], planes: tuple[float, ...]) -> None:
    boxes = [np.asarray(c.polygon, dtype=float) for c in conductors]
    for conductor, p in zip(conductors, boxes, strict=True):
        for plane in planes:
            if p[:, 1].min() < plane < p[:, 1].max() or (
                conductor.role == "signal" and plane in (p[:, 1].min(), p[:, 1].max())
            ):
                raise NotPhysical(
                    f"conductor {conductor.name}", f"touches the plane at y={plane}", "clear of it"
                )
    for i, first in enumerate(conductors):
        for j in range(i + 1, len(conductors)):
            second = conductors[j]
            if "shield" in (first.role, second.role):
                _check_within(first, second)
                continue
            if first.role == second.role == "ground" or not _boxes_meet(boxes[i], boxes[j]):
                continue
            if _overlap(boxes[i], boxes[j], first.polygon, second.polygon):
                raise NotPhysical(
                    f"conductors {first.name} and {second.name}", "overlapping", "apart"
                )


def _check_within(first: Conductor, second: Conductor) -> None:
    """What a shield closes in must lie inside; a ground may touch it."""
    shield, inner = (first, second) if first.role == "shield" else (second, first)
    wall = np.asarray(shield.polygon, dtype=float)
    body = np.asarray(inner.polygon, dtype=float)
    cut = any(
        _cross_properly(wall[i], wall[(i + 1) % len(wall)], body[j], body[(j + 1) % len(body)])
        for i in range(len(wall))
        for j in range(len(body))
    )
    inside = all(inside_polygon(x, y, shield.polygon) for x, y in inner.polygon)
    if cut or (inner.role == "signal" and not inside):
        raise NotPhysical(f"conductor {inner.name}", f"touches shield {shield.name}", "inside it")


def _boxes_meet(a: NDArray[np.float64], b: NDArray[np.float64]) -> bool:
    return bool(np.all(a.min(axis=0) <= b.max(axis=0)) and np.all(b.min(axis=0) <= a.max(axis=0)))


def _overlap(
    a: NDArray[np.float64],
    b: NDArray[np.float64],
    polygon_a: tuple[Point, ...],
    polygon_b: tuple[Point, ...],
) -> bool:
    if any(inside_polygon(x, y, polygon_b) for x, y in polygon_a):
        # A ground shield drawn as a solid around its signals has no room for them.
        return True
    if any(inside_polygon(x, y, polygon_a) for x, y in polygon_b):
        return True
    if any(
        _cross_properly(a[i], a[(i + 1) % len(a)], b[j], b[(j + 1) % len(b)])
        for i in range(len(a))
        for j in range(len(b))
    ):
        return True
    # Shapes that only share an edge are one conductor; two names for it are a mistake.
    return bool(np.any(np.isclose(a[:, None, :], b[None, :, :], rtol=0, atol=1e-12).all(axis=2)))
