"""Boundary pieces to panels: fine towards corners, no longer than what lies opposite is far."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.section.arrangement import Boundary

__all__ = ["Mesh", "mesh"]

_GRADING = 4.0
_OPPOSITE = 2.0
"""Longest panel as a share of the distance to the nearest boundary opposite (coarse mesh)."""
_OPEN = 3.0
_OPENN = 2.0
_MID=1.5
_STRETCH = 7.0
"""Growth exponent of panels on interfaces that run to infinity."""


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


def _graded(t: NDArray[np.float64], open_start: bool, open_end: bool) -> NDArray[np.float64]:
    """Map even steps t in 0..1 to places 0..1 along a piece, fine towards its true ends."""
    if open_start and open_end:
        raise AssertionError("an interface without any conductor carries no charge")
    if open_end:
        return np.expm1(_STRETCH * t**_OPEN) / np.expm1(_STRETCH)
    if open_start:
        return 1.0 - _graded(1.0 - t, False, True)
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
    coarse: list[NDArray[np.float64]] = []
    flags: list[tuple[bool, bool]] = []
    for i in range(len(a)):
        open_start, open_end = bool(boundary.open_start[i]), bool(boundary.open_end[i])
        if open_start and open_end:
            continue
        n = per_piece
        if boundary.conductor[i] < 0:
            n = int(per_piece * (_OPENN if open_start or open_end else _MID))
        t = np.linspace(0.0, 1.0, n + 1)
        others = np.flatnonzero(~touching[i])
        for _ in range(6):
            s = _graded(t, open_start, open_end)
            points = a[i] + 0.5 * (s[1:] + s[:-1])[:, None] * (b[i] - a[i])
            length = np.diff(s) * np.hypot(*(b[i] - a[i]))
            room = np.full(len(points), np.inf)
            if len(others):
                room = _distance_to_pieces(points, a[others], b[others]).min(axis=1)
            room = np.minimum(room, 2.0 * (points[:, 1] - y_low))
            room = np.minimum(room, 2.0 * (y_high - points[:, 1]))
            if open_start or open_end:
                # Far out the field is smooth on the scale of the distance already gone.
                gone = (s[:-1] if open_end else 1.0 - s[1:]) * np.hypot(*(b[i] - a[i]))
                room = np.maximum(room, 0.8 * gone)
            long = length > _OPPOSITE * room
            if not long.any():
                break
            t = np.sort(np.concatenate([t, 0.5 * (t[1:] + t[:-1])[long]]))
        coarse.append(t)
        flags.append((open_start, open_end))
    kept = np.flatnonzero(~(boundary.open_start & boundary.open_end))
    middle = [_halved(t) for t in coarse]
    fine = [_halved(t) for t in middle]
    first, second, third = (_lay(a, b, kept, steps, flags) for steps in (coarse, middle, fine))
    return first, second, third


def _halved(t: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.sort(np.concatenate([t, 0.5 * (t[1:] + t[:-1])]))


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
    kept: NDArray[np.int64],
    steps: list[NDArray[np.float64]],
    flags: list[tuple[bool, bool]],
) -> Mesh:
    starts, ends, piece = [], [], []
    for i, t, (open_start, open_end) in zip(kept, steps, flags, strict=True):
        s = _graded(t, open_start, open_end)[:, None]
        points = a[i] * (1.0 - s) + b[i] * s
        starts.append(points[:-1])
        ends.append(points[1:])
        piece.append(np.full(len(t) - 1, i))
    return Mesh(
        start=np.concatenate(starts), end=np.concatenate(ends), piece=np.concatenate(piece)
    )
