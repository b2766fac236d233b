"""An answer found another way: nodal equations at complex frequencies, inverted."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import CubicSpline

_DOUBLINGS = 14
ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]


def raised_cosine(s: ComplexArray, rise: float, start: float = 0.0) -> ComplexArray:
    """Transform of an edge from 0 to 1 that rises as half a cosine."""
    w = np.pi / rise
    return 0.5 * np.exp(-s * start) * (1.0 + np.exp(-s * rise)) * (1.0 / s - s / (s * s + w * w))


def node_volts(
    admittance: Callable[[ComplexArray], ComplexArray],
    ends: Callable[[ComplexArray], ComplexArray],
    injected: Callable[[ComplexArray], ComplexArray],
    at: FloatArray,
    *,
    window: float,
    points: int = 2**13,
) -> FloatArray:
    """Voltages (t, n) at times `at` of a network (f, n, n) with ends (f, n) and currents (f, n).

    The window is long against the times, so that what folds back is damped by 1e-7.
    """
    period = 2.5 * window
    damping = np.log(1e7) / period
    s = damping + 1j * (np.arange(points // 2) + 0.5) * 2.0 * np.pi / period
    y = admittance(s)
    k = np.arange(y.shape[-1])
    y = y.copy()
    y[:, k, k] += ends(s)
    full = np.zeros((points, y.shape[-1]), dtype=complex)
    full[: points // 2] = np.linalg.solve(y, injected(s)[..., None])[..., 0]
    time = np.arange(points) * period / points
    turn = np.exp(damping * time + 1j * np.pi * time / period)
    volts = (np.fft.ifft(full, axis=0) * points / period * 2.0 * turn[:, None]).real
    return np.asarray(CubicSpline(time, volts)(at))


def line_admittance(z: ComplexArray, y: ComplexArray, length: float) -> ComplexArray:
    """Admittance (f, 2n, 2n) of coupled lines with matrices per length: a very short piece by the
    series of the telegraph equations, doubled over and over. No modes anywhere."""
    n, short = z.shape[-1], length / 2.0**_DOUBLINGS
    zl, yl = z * short, y * short
    eye = np.eye(n)
    # v and i along a piece by cosh and sinh of sqrt(Z Y), cut off where they no longer matter.
    zy = zl @ yl
    even = eye + zy / 2.0 + zy @ zy / 24.0
    odd = (eye + zy / 6.0 + zy @ zy / 120.0) @ zl
    mutual = np.linalg.inv(odd)
    own = mutual @ even
    for _ in range(_DOUBLINGS):
        middle = np.linalg.solve(2.0 * own, mutual)
        own, mutual = own - mutual @ middle, mutual @ middle
    top = np.concatenate([own, -mutual], axis=-1)
    return np.concatenate([top, np.concatenate([-mutual, own], axis=-1)], axis=-2)
