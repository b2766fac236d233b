"""Compiled influence integrals of straight panels with uniform charge, planes by images.

All lengths are in metres with the lower plane, where there is one, at y = 0. Charges are given as
sigma/eps0 (V/m), so potentials come out in volts and fields in V/m.

References
----------
Closed-form panel integrals: Harrington, Field Computation by Moment Methods (1968), ch. 3.
Charge between two planes: Smythe, Static and Dynamic Electricity (1950), 4.20, in the form
ln|sinh(pi(z-z')/2b) / sinh(pi(z-z'*)/2b)|.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

__all__ = ["evaluate", "fill"]

_INV_2PI = 1.0 / (2.0 * math.pi)
_FAR2 = 36.0
_FAST = {"nsz", "arcp", "contract", "afn", "reassoc"}
"""Free re-ordering of sums, but NaN and infinity keep their meaning."""


@njit(cache=True, fastmath=_FAST)
def _panel(px, py, ax, ay, tx, ty, length):  # type: ignore[no-untyped-def]
    """Integral of ln r over a panel, and its gradient (x, y)."""
    dx = px - ax
    dy = py - ay
    u1 = dx * tx + dy * ty
    v = dy * tx - dx * ty
    um = u1 - 0.5 * length
    r2 = um * um + v * v
    l2 = length * length
    if r2 > _FAR2 * l2:
        inv = 1.0 / r2
        k = l2 * inv / 24.0
        c2 = (um * um - v * v) * inv
        phi = length * (0.5 * math.log(r2) - k * c2)
        # Gradient of ln r is 1/z; the next term of its mean over the panel is t^2 l^2 / (12 z^3).
        gu = length * inv * (um + 2.0 * k * um * (um * um - 3.0 * v * v) * inv)
        gv = length * inv * (v + 2.0 * k * v * (3.0 * um * um - v * v) * inv)
    else:
        u2 = u1 - length
        a2 = u1 * u1 + v * v
        b2 = u2 * u2 + v * v
        la = math.log(a2) if a2 > 0.0 else 0.0
        lb = math.log(b2) if b2 > 0.0 else 0.0
        theta = math.atan2(v * length, v * v + u1 * u2)
        phi = 0.5 * (u1 * la - u2 * lb) - length + v * theta
        gu = 0.5 * (la - lb)
        gv = theta
    return phi, gu * tx - gv * ty, gu * ty + gv * tx


@njit(cache=True, fastmath=_FAST)
def _sinh_rest(x, cosh2x, sinh2x, y, a, above):  # type: ignore[no-untyped-def]
    """ln|sinh(a u)| without its zero u = 0 (and u = 2ib where `above`), and its gradient.

    |sinh(p + iq)|^2 = (cosh 2p - cos 2q)/2,
    coth(p + iq) = (sinh 2p - i sin 2q)/(cosh 2p - cos 2q).
    """
    r2 = x * x + y * y
    if a * a * r2 < 1e-4 and not above:
        # Series of ln(sinh w / w) = w^2/6 - ..., free of cancellation near the zero.
        k = a * a / 3.0
        return math.log(a) + 0.5 * k * (x * x - y * y), k * x, -k * y
    q = 2.0 * a * y
    d = cosh2x - math.cos(q)
    ratio = d / r2
    gx = a * sinh2x / d - x / r2
    gy = a * math.sin(q) / d - y / r2
    if above:
        y2 = y - math.pi / a
        s2 = x * x + y2 * y2
        ratio /= s2
        gx -= x / s2
        gy -= y2 / s2
    return 0.5 * math.log(0.5 * ratio), gx, gy


@njit(cache=True, fastmath=_FAST)
def _rest(x, y_minus, y_plus, a):  # type: ignore[no-untyped-def]
    """What the images beyond the nearest three add for a unit charge, and its gradient."""
    p = 2.0 * a * x
    if abs(p) > 30.0:
        # Far away the charge and its images cancel: only the near images, taken out, are left.
        top = y_plus - math.pi / a
        r0 = x * x + y_minus * y_minus
        r1 = x * x + y_plus * y_plus
        r2 = x * x + top * top
        phi = -0.5 * math.log(r0) + 0.5 * math.log(r1) + 0.5 * math.log(r2)
        gx = x * (-1.0 / r0 + 1.0 / r1 + 1.0 / r2)
        gy = -y_minus / r0 + y_plus / r1 + top / r2
        return phi, gx, gy
    e = math.exp(p)
    cosh2x = 0.5 * (e + 1.0 / e)
    sinh2x = 0.5 * (e - 1.0 / e)
    f1, gx1, gy1 = _sinh_rest(x, cosh2x, sinh2x, y_minus, a, False)
    f2, gx2, gy2 = _sinh_rest(x, cosh2x, sinh2x, y_plus, a, True)
    return f1 - f2, gx1 - gx2, gy1 - gy2


@njit(cache=True, fastmath=_FAST)
def _influence(px, py, ax, ay, tx, ty, length, images, b):  # type: ignore[no-untyped-def]
    """Potential and field (Ex, Ey) at a point of a panel with sigma/eps0 = 1, images included."""
    phi, gx, gy = _panel(px, py, ax, ay, tx, ty, length)
    if images >= 1:
        p1, gx1, gy1 = _panel(px, py, ax, -ay, tx, -ty, length)
        phi -= p1
        gx -= gx1
        gy -= gy1
    if images == 2:
        p2, gx2, gy2 = _panel(px, py, ax, 2.0 * b - ay, tx, -ty, length)
        phi -= p2
        gx -= gx2
        gy -= gy2
        a = 0.5 * math.pi / b
        points = 1 if length < 0.08 * b else 2
        for k in range(points):
            s = 0.5 if points == 1 else 0.5 + (k - 0.5) * 0.5773502691896257
            qx = ax + s * length * tx
            qy = ay + s * length * ty
            f, hx, hy = _rest(px - qx, py - qy, py + qy, a)
            w = length / points
            phi += w * f
            gx += w * hx
            gy += w * hy
    return -phi * _INV_2PI, gx * _INV_2PI, gy * _INV_2PI


@njit(cache=True, nogil=True, fastmath=_FAST)
def fill(
    start: NDArray[np.float64],
    end: NDArray[np.float64],
    contrast: NDArray[np.float64],
    on_conductor: NDArray[np.bool_],
    images: int,
    b: float,
    mirror: bool,
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Collocation matrices (n, n) of n panels.

    Conductor rows give the potential at the panel's middle; dielectric rows give
    `contrast * E_n + sigma/(2 eps0)`, contrast = (er_left - er_right)/(er_left + er_right) with the
    normal to the left. With `mirror` the panels are the half at x > 0, and the second matrix is the
    influence of their mirror images; without, it is empty.
    """
    n = start.shape[0]
    own = np.empty((n, n))
    other = np.empty((n, n) if mirror else (0, 0))
    d = end - start
    length = np.sqrt(d[:, 0] ** 2 + d[:, 1] ** 2)
    tx = d[:, 0] / length
    ty = d[:, 1] / length
    for i in range(n):
        px = 0.5 * (start[i, 0] + end[i, 0])
        py = 0.5 * (start[i, 1] + end[i, 1])
        if on_conductor[i]:
            for j in range(n):
                phi, _, _ = _influence(
                    px, py, start[j, 0], start[j, 1], tx[j], ty[j], length[j], images, b
                )
                own[i, j] = phi
            if mirror:
                for j in range(n):
                    phi, _, _ = _influence(
                        px, py, -start[j, 0], start[j, 1], -tx[j], ty[j], length[j], images, b
                    )
                    other[i, j] = phi
        else:
            nx = -ty[i] * contrast[i]
            ny = tx[i] * contrast[i]
            for j in range(n):
                _, ex, ey = _influence(
                    px, py, start[j, 0], start[j, 1], tx[j], ty[j], length[j], images, b
                )
                own[i, j] = ex * nx + ey * ny
            if mirror:
                for j in range(n):
                    _, ex, ey = _influence(
                        px, py, -start[j, 0], start[j, 1], -tx[j], ty[j], length[j], images, b
                    )
                    other[i, j] = ex * nx + ey * ny
            # The panel's own field at its middle is the jump, in the principal value nothing.
            _, gx, gy = _panel(px, py, start[i, 0], start[i, 1], tx[i], ty[i], length[i])
            own[i, i] += 0.5 - (gx * nx + gy * ny) * _INV_2PI
    return own, other


@njit(cache=True, nogil=True, fastmath=_FAST)
def evaluate(
    points: NDArray[np.float64],
    start: NDArray[np.float64],
    end: NDArray[np.float64],
    sigma: NDArray[np.float64],
    images: int,
    b: float,
) -> NDArray[np.float64]:
    """Potential and field (m, k, 3): V, E_x, E_y at m points for k charge vectors (n, k)."""
    n = start.shape[0]
    k = sigma.shape[1]
    d = end - start
    length = np.sqrt(d[:, 0] ** 2 + d[:, 1] ** 2)
    out = np.zeros((points.shape[0], k, 3))
    for i in range(points.shape[0]):
        for j in range(n):
            phi, ex, ey = _influence(
                points[i, 0],
                points[i, 1],
                start[j, 0],
                start[j, 1],
                d[j, 0] / length[j],
                d[j, 1] / length[j],
                length[j],
                images,
                b,
            )
            for m in range(k):
                out[i, m, 0] += phi * sigma[j, m]
                out[i, m, 1] += ex * sigma[j, m]
                out[i, m, 2] += ey * sigma[j, m]
    return out
