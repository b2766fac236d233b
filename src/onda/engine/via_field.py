"""Capacitance of a via's barrel and pads to the planes that it passes, axisymmetric.

All surfaces are cut into rings of free charge; the potential of a ring is an elliptic integral
(Jackson, Classical Electrodynamics (1999), section 5.5 for the loop; the ring of charge alike). The
barrel and its pads are at 1 V, the planes at 0 V, one dielectric is everywhere (boundary elements
with point matching: Harrington, Field Computation by Moment Methods (1968), chapter 2).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from onda.engine.constants import EPS0_F_PER_M as EPS0
from onda.errors import NotPhysical

__all__ = ["Disc", "ViaCharge", "ViaStack", "via_charge"]

FloatArray = NDArray[np.float64]
_REACH = 6.0
"""Planes end this many anti-pads from the axis; what is further away carries next to nothing."""
_EDGE = 9
"""Rings from the edge of a plane outwards, growing."""
_GROWTH = 1.7
_MOST_PLANES = 64


@dataclass(frozen=True, slots=True)
class Disc:
    """A plane with a hole, or a pad, from `low` to `high` (m) along the axis.

    `radius` is that of the hole, or of the pad.
    """

    low: float
    high: float
    radius: float


@dataclass(frozen=True, slots=True)
class ViaStack:
    """A barrel of `radius` m from `low` to `high`, the planes that it passes, and its pads."""

    radius: float
    low: float
    high: float
    planes: tuple[Disc, ...]
    pads: tuple[Disc, ...] = ()

    def check(self) -> None:
        """Raise `NotPhysical` where it cannot be."""
        if not (self.radius > 0.0 and self.high > self.low):
            raise NotPhysical("barrel", self.radius, "a radius and a length above 0")
        if not 1 <= len(self.planes) <= _MOST_PLANES:
            raise NotPhysical("planes", len(self.planes), f"1 to {_MOST_PLANES}")
        for one in (*self.planes, *self.pads):
            if not (one.high > one.low and one.radius > self.radius):
                raise NotPhysical(
                    "plane or pad", one.radius, "wider than the barrel, above 0 thick"
                )
        for plane in self.planes:
            for pad in self.pads:
                if pad.low < plane.high and plane.low < pad.high and pad.radius >= plane.radius:
                    raise NotPhysical("anti-pad", plane.radius, "wider than the pad inside it")


@dataclass(frozen=True, slots=True, eq=False)
class ViaCharge:
    """Charge (F, for 1 V) of rings of the barrel and of pads, by their height (m)."""

    height: FloatArray
    charge: FloatArray
    of_pad: NDArray[np.bool_]

    @property
    def total(self) -> float:
        """Capacitance of all, F."""
        return float(self.charge.sum())

    def between(self, low: float, high: float, *, pads: bool | None = None) -> float:
        """Capacitance of what lies between two heights: all, pads only or barrel only."""
        some = (self.height >= low) & (self.height <= high)
        if pads is not None:
            some &= self.of_pad == pads
        return float(self.charge[some].sum())


@lru_cache(maxsize=512)
def via_charge(stack: ViaStack, er: float) -> ViaCharge:
    """Solve a via; `er` is the dielectric's.

    Raises
    ------
    NotPhysical : it cannot be
    """
    stack.check()
    rings, kind = _rings(stack)
    volts = (kind > 0).astype(float)
    charge = np.linalg.solve(_potential(rings) / (EPS0 * er), volts)
    own = kind > 0
    middle = 0.5 * (rings[own, 1] + rings[own, 3])
    return ViaCharge(middle, np.asarray(charge[own]), kind[own] == 2)


def _rings(stack: ViaStack) -> tuple[FloatArray, NDArray[np.int64]]:
    """Rings (n, 4): from (r, z) to (r, z); and what they are: 0 plane, 1 barrel, 2 pad."""
    out: list[tuple[float, float, float, float]] = []
    kind: list[int] = []

    def add(points: list[tuple[float, float]], what: int) -> None:
        for (r1, z1), (r2, z2) in pairwise(points):
            out.append((r1, z1, r2, z2))
            kind.append(what)

    cuts = [stack.low, stack.high]
    for pad in stack.pads:
        cuts += [max(pad.low, stack.low), min(pad.high, stack.high)]
        faces = _graded(pad.radius, stack.radius, 5)
        for z in (pad.low, pad.high):
            add([(r, z) for r in faces], 2)
        add([(pad.radius, z) for z in np.linspace(pad.low, pad.high, 3)], 2)
    # The barrel feels the edges of the planes: cut there, and as fine as they are near.
    inside = [p for p in stack.planes if p.high > stack.low and p.low < stack.high]
    cuts += [z for p in inside for z in (p.low, p.high) if stack.low < z < stack.high]
    places = sorted(set(cuts))
    gap = min(p.radius for p in stack.planes) - stack.radius
    for a, b in pairwise(places):
        if any(a >= pad.low - 1e-12 and b <= pad.high + 1e-12 for pad in stack.pads):
            continue
        count = max(2, min(24, math.ceil((b - a) / (0.35 * gap))))
        add([(stack.radius, z) for z in np.linspace(a, b, count + 1)], 1)
    for end in (stack.low, stack.high):
        if not any(pad.low - 1e-12 <= end <= pad.high + 1e-12 for pad in stack.pads):
            add([(r, end) for r in np.linspace(0.0, stack.radius, 4)[::-1]], 1)
    for plane in stack.planes:
        radii = _outwards(plane.radius, _REACH * max(p.radius for p in stack.planes))
        for z in (plane.low, plane.high):
            add([(r, z) for r in radii], 0)
        add([(plane.radius, z) for z in np.linspace(plane.low, plane.high, 3)], 0)
    return np.array(out), np.array(kind)


def _graded(edge: float, inner: float, count: int) -> list[float]:
    """From an edge inwards, finest at the edge."""
    t = np.linspace(0.0, 1.0, count + 1) ** 1.6
    return [float(edge + (inner - edge) * x) for x in t]


def _outwards(edge: float, far: float) -> list[float]:
    """From the edge of a hole outwards, finest at the edge."""
    steps = _GROWTH ** np.arange(_EDGE)
    t = np.concatenate([[0.0], np.cumsum(steps)]) / steps.sum()
    return [float(edge + (far - edge) * x) for x in t]


def _potential(rings: FloatArray) -> FloatArray:
    """Potential (n, n) at the middle of each ring for a charge of 1 on each, times permittivity."""
    from scipy.special import ellipkm1

    nodes, weights = np.polynomial.legendre.leggauss(4)
    r1, z1, r2, z2 = rings.T
    r_mid, z_mid = 0.5 * (r1 + r2), 0.5 * (z1 + z2)
    out = np.zeros((len(rings), len(rings)))
    # A band of a disc holds more charge further out: even density, weighted by its radius.
    share_sum = np.zeros(len(rings))
    for node, weight in zip(nodes, weights, strict=True):
        t = 0.5 * (1.0 + node)
        r, z = r1 + t * (r2 - r1), z1 + t * (z2 - z1)
        share = weight * np.maximum(r, 1e-12)
        share_sum += share
        apart = (r_mid[:, None] + r) ** 2 + (z_mid[:, None] - z) ** 2
        near = (r_mid[:, None] - r) ** 2 + (z_mid[:, None] - z) ** 2
        out += share * ellipkm1(np.maximum(near / apart, 1e-30)) / np.sqrt(apart)
    out /= share_sum
    width = np.hypot(r2 - r1, z2 - z1)
    own = (np.log(16.0 * r_mid / width) + 1.0) / (2.0 * r_mid)
    out[np.arange(len(rings)), np.arange(len(rings))] = own
    return np.asarray(out / (2.0 * math.pi**2))
