"""Boundary pieces to panels: fine towards corners, no longer than what lies opposite is far."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.section.arrangement import Boundary

__all__ = ["Mesh", "mesh"]

_GRADING = 4.0
"""Power of the refinement towards an edge, where charge is singular."""
_OPPOSITE = 2.0
"""Longest panel as a share of the distance to the nearest boundary opposite (first mesh)."""
_AWAY = 0.25
"""Panel length allowed by the distance to the nearest signal conductor alone."""
_STRETCH = 7.0
_STRETCH_POWER = 3.0
"""Growth of panels on interfaces that run to infinity: exponential, a power law near the edge."""
_GENTLE = math.cos(math.radians(20.0))
"""Outlines that turn by less than this stand for a curve."""
_ON_OPEN = 2.0
_ON_INTERFACE = 1.5
"""How many more panels an interface gets than a conductor's side."""


@dataclass(frozen=True, slots=True)
class Mesh:
    """n panels and the boundary piece each belongs to.

    Attributes
    ----------
    start, end : (n, 2) metres
    piece : (n,) index into the boundary's pieces
    """

    start: NDArray[np.float64]
    end: NDArray[np.float64]
    piece: NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class _Ends:
    """How the ends of a piece are: cut off on the way to infinity, or only cut at the axis."""

    open_start: bool
    open_end: bool
    smooth_start: bool
    smooth_end: bool

    @property
    def is_open(self) -> bool:
        return self.open_start or self.open_end


def _graded(t: NDArray[np.float64], ends: _Ends) -> NDArray[np.float64]:
    """Map even steps t in 0..1 to places 0..1 along a piece, fine towards its true ends."""
    if ends.open_end:
        return np.expm1(_STRETCH * t**_STRETCH_POWER) / math.expm1(_STRETCH)
    if ends.open_start:
        return 1.0 - np.expm1(_STRETCH * (1.0 - t) ** _STRETCH_POWER) / math.expm1(_STRETCH)
    if ends.smooth_start and ends.smooth_end:
        return t
    if ends.smooth_start:
        return 1.0 - (1.0 - t) ** _GRADING
    if ends.smooth_end:
        return t**_GRADING
    return np.where(
        t < 0.5,
        0.5 * (2.0 * t) ** _GRADING,
        1.0 - 0.5 * (2.0 * np.maximum(1.0 - t, 0.0)) ** _GRADING,
    )


def _distance_to_pieces(
    points: NDArray[np.float64], a: NDArray[np.float64], b: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Distances (m, n) of m points to n straight pieces."""
    d = b - a
    rel = points[:, None, :] - a[None, :, :]
    t = np.clip((rel * d[None]).sum(-1) / (d * d).sum(-1)[None], 0.0, 1.0)
    gap = rel - t[..., None] * d[None]
    return np.hypot(gap[..., 0], gap[..., 1])


def mesh(
    boundary: Boundary, *, per_piece: int, y_low: float, y_high: float
) -> tuple[Mesh, Mesh, Mesh]:
    """Lay panels on every piece; return a mesh and the two got by cutting each panel in two.

    The finer ones halve the steps of the grading, so that the three form a sequence whose error
    falls regularly, can be extrapolated and estimated.
    """
    a, b = boundary.start, boundary.end
    touching = _touching(a, b)
    bends = _gentle_bends(boundary)
    driven = np.flatnonzero(boundary.driven)
    coarse: list[NDArray[np.float64]] = []
    kinds: list[_Ends] = []
    for i in range(len(a)):
        ends = _Ends(
            bool(boundary.open_start[i]),
            bool(boundary.open_end[i]),
            bool(boundary.smooth_start[i] or bends[i, 0]),
            bool(boundary.smooth_end[i] or bends[i, 1]),
        )
        n = per_piece
        if boundary.conductor[i] < 0:
            n = int(per_piece * (_ON_OPEN if ends.is_open else _ON_INTERFACE))
        if ends.smooth_start or ends.smooth_end:
            n = math.ceil(n / 2) if not ends.is_open else n
        if bends[i].all():
            # One side of a many-sided outline that stands for a curve.
            n = max(1, n // 4)
        others = np.flatnonzero(~touching[i])
        room = _Room(a[i], b[i], a[others], b[others], y_low, y_high, ends, (a[driven], b[driven]))
        coarse.append(_split_long(np.linspace(0.0, 1.0, n + 1), room))
        kinds.append(ends)
    middle = [_halved(t) for t in coarse]
    fine = [_halved(t) for t in middle]
    first, second, third = (_lay(a, b, steps, kinds) for steps in (coarse, middle, fine))
    return first, second, third


@dataclass(frozen=True, slots=True)
class _Room:
    """One piece and what lies opposite to it."""

    a: NDArray[np.float64]
    b: NDArray[np.float64]
    others_a: NDArray[np.float64]
    others_b: NDArray[np.float64]
    y_low: float
    y_high: float
    ends: _Ends
    driven: tuple[NDArray[np.float64], NDArray[np.float64]]

    def too_long(self, t: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Which steps give panels longer than what lies opposite is far."""
        s = _graded(t, self.ends)
        whole = float(np.hypot(*(self.b - self.a)))
        points = self.a + 0.5 * (s[1:] + s[:-1])[:, None] * (self.b - self.a)
        room = np.minimum(2.0 * (points[:, 1] - self.y_low), 2.0 * (self.y_high - points[:, 1]))
        if len(self.others_a):
            opposite = _distance_to_pieces(points, self.others_a, self.others_b).min(axis=1)
            room = np.minimum(room, opposite)
        if self.ends.is_open:
            # Far out the field is smooth on the scale of the distance already gone.
            gone = (s[:-1] if self.ends.open_end else 1.0 - s[1:]) * whole
            room = np.maximum(room, 0.4 * gone)
        if len(self.driven[0]):
            # Away from the signals little charge is left, and it varies slowly.
            away = _distance_to_pieces(points, *self.driven).min(axis=1)
            room = np.maximum(room, _AWAY * away)
        return np.diff(s) * whole > _OPPOSITE * room


def _split_long(t: NDArray[np.float64], room: _Room) -> NDArray[np.float64]:
    for _ in range(6):
        long = room.too_long(t)
        if not long.any():
            break
        t = np.sort(np.concatenate([t, 0.5 * (t[1:] + t[:-1])[long]]))
    return t


def _halved(t: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.sort(np.concatenate([t, 0.5 * (t[1:] + t[:-1])]))


def _gentle_bends(boundary: Boundary) -> NDArray[np.bool_]:
    """Which ends (n, 2) of pieces go on, nearly straight, in one other piece of the same surface.

    Charge is not singular there, so the panels need not grow finer towards such an end.
    """
    a, b = boundary.start, boundary.end
    size = float(np.max(np.hypot(*(b - a).T)))
    points = np.concatenate([a, b])
    keys = np.round(points / (1e-7 * size)).astype(np.int64)
    _, place = np.unique(keys, axis=0, return_inverse=True)
    place = place.ravel()
    direction = (b - a) / np.hypot(*(b - a).T)[:, None]
    out = np.zeros((len(a), 2), dtype=bool)
    meeting: dict[int, list[int]] = {}
    for row, where in enumerate(place.tolist()):
        meeting.setdefault(where, []).append(row)
    for rows in meeting.values():
        if len(rows) != 2:
            continue
        i, j = (row % len(a) for row in rows)
        same = boundary.conductor[i] == boundary.conductor[j]
        # Pieces may run towards the corner or away from it.
        along = abs(float(direction[i] @ direction[j]))
        if i != j and same and along > _GENTLE:
            for row in rows:
                out[row % len(a), row // len(a)] = True
    return out


def _touching(a: NDArray[np.float64], b: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Tell which pieces share an end; (n, n)."""
    size = float(np.max(np.hypot(*(b - a).T)))

    def same(p: NDArray[np.float64], q: NDArray[np.float64]) -> NDArray[np.bool_]:
        gap = p[:, None, :] - q[None, :, :]
        return np.asarray(np.hypot(gap[..., 0], gap[..., 1]) < 1e-9 * size)

    return same(a, a) | same(a, b) | same(b, a) | same(b, b)


def _lay(
    a: NDArray[np.float64],
    b: NDArray[np.float64],
    steps: list[NDArray[np.float64]],
    kinds: list[_Ends],
) -> Mesh:
    starts, ends, piece = [], [], []
    for i, (t, kind) in enumerate(zip(steps, kinds, strict=True)):
        s = _graded(t, kind)[:, None]
        points = a[i] * (1.0 - s) + b[i] * s
        starts.append(points[:-1])
        ends.append(points[1:])
        piece.append(np.full(len(t) - 1, i))
    return Mesh(start=np.concatenate(starts), end=np.concatenate(ends), piece=np.concatenate(piece))
