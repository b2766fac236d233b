"""Algebra of 2k-ports in a row: transfer matrices, cascade, de-embed; what a network gains.

References
----------
Kurokawa, "Power waves and the scattering matrix", IEEE Trans. Microwave Theory Tech. 13 (1965) 194.
Pozar, Microwave Engineering (2012), chapter 4. IEEE Std 370-2020 for what is judged.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = [
    "cascade",
    "deembed",
    "passivity",
    "reciprocity",
    "s_to_t",
    "t_to_s",
]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]


def _half(s: ComplexArray) -> int:
    n = s.shape[-1]
    if n % 2 or s.shape[-2] != n:
        raise NotPhysical("network", f"{s.shape[-2]} x {n} ports", "as many ports left as right")
    return n // 2


def s_to_t(s: ComplexArray) -> ComplexArray:
    """Transfer matrix (f, 2k, 2k) of a 2k-port: left ports first, then right ones.

    (b1, a1) = T (a2, b2), so that networks in a row multiply.

    Raises
    ------
    NotPhysical : nothing comes through to be inverted
    """
    k = _half(s)
    s11, s12, s21, s22 = s[:, :k, :k], s[:, :k, k:], s[:, k:, :k], s[:, k:, k:]
    try:
        back = np.linalg.inv(s21)
    except np.linalg.LinAlgError as error:
        raise NotPhysical("network", "no transmission", "some from left to right") from error
    upper = np.concatenate([s12 - s11 @ back @ s22, s11 @ back], axis=-1)
    lower = np.concatenate([-back @ s22, back], axis=-1)
    return np.asarray(np.concatenate([upper, lower], axis=-2))


def t_to_s(t: ComplexArray) -> ComplexArray:
    """Scattering matrix of a transfer matrix."""
    k = _half(t)
    t11, t12, t21, t22 = t[:, :k, :k], t[:, :k, k:], t[:, k:, :k], t[:, k:, k:]
    back = np.linalg.inv(t22)
    upper = np.concatenate([t12 @ back, t11 - t12 @ back @ t21], axis=-1)
    lower = np.concatenate([back, -back @ t21], axis=-1)
    return np.asarray(np.concatenate([upper, lower], axis=-2))


def cascade(*networks: ComplexArray) -> ComplexArray:
    """2k-ports in a row, the right ports of one on the left ports of the next."""
    if not networks:
        raise NotPhysical("cascade", "no network", "one or more")
    total = s_to_t(networks[0])
    for s in networks[1:]:
        if s.shape != networks[0].shape:
            raise NotPhysical("cascade", f"shape {s.shape}", f"{networks[0].shape} throughout")
        total = total @ s_to_t(s)
    return t_to_s(total)


def deembed(
    measured: ComplexArray, left: ComplexArray | None = None, right: ComplexArray | None = None
) -> ComplexArray:
    """What is between two fixtures, either of which may be missing."""
    t = s_to_t(measured)
    if left is not None:
        t = np.asarray(np.linalg.solve(s_to_t(left), t), dtype=complex)
    if right is not None:
        t = np.asarray(t @ np.linalg.inv(s_to_t(right)), dtype=complex)
    return t_to_s(t)


def passivity(s: ComplexArray) -> FloatArray:
    """Largest singular value (f,); above 1 the network makes energy there."""
    return np.asarray(np.linalg.svd(s, compute_uv=False).max(axis=-1))


def reciprocity(s: ComplexArray) -> FloatArray:
    """Largest difference between S and its transpose (f,)."""
    return np.asarray(np.abs(s - s.transpose(0, 2, 1)).max(axis=(1, 2)))
