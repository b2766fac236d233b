"""Scattering, impedance, admittance and chain matrices, and the references that S refers to.

Power waves throughout: a = (V + Z I) / (2 sqrt Re Z), b = (V - Z* I) / (2 sqrt Re Z). For real
references they are the usual travelling waves.

References
----------
Kurokawa, "Power waves and the scattering matrix", IEEE Trans. Microwave Theory Tech. 13 (1965) 194,
equations 18 and 43. Pozar, Microwave Engineering (2012), table 4.2.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from onda.errors import NotPhysical

__all__ = [
    "abcd_to_s",
    "hybrid_to_s",
    "renormalise",
    "s_to_abcd",
    "s_to_y",
    "s_to_z",
    "y_to_s",
    "z_to_s",
]

ComplexArray = NDArray[np.complex128]


def _references(reference: ArrayLike, n: int) -> ComplexArray:
    z = np.broadcast_to(np.asarray(reference, dtype=complex), (n,))
    if not (z.real > 0).all() or not np.isfinite(z).all():
        raise NotPhysical("reference", reference, "with a real part above 0 ohm")
    return np.asarray(z)


def _solved(a: ComplexArray, b: ComplexArray, what: str) -> ComplexArray:
    """a^-1 b, or `NotPhysical` where the network has no such matrix."""
    try:
        # A network may miss the matrix by no more than rounding.
        if (np.linalg.cond(a) > 1e14).any():
            raise np.linalg.LinAlgError
        return np.asarray(np.linalg.solve(a, b))
    except np.linalg.LinAlgError as error:
        raise NotPhysical("network", f"no {what} matrix", "not a plain connection") from error


def renormalise(s: ComplexArray, old: ArrayLike, new: ArrayLike) -> ComplexArray:
    """The same network on other references, one or one for each port, real or complex, ohm."""
    n = s.shape[-1]
    before, after = _references(old, n), _references(new, n)
    # Through power waves alone, so that a plain connection without Z or Y poses no question.
    rho = (after - before) / (after + before.conj())
    scale = (1.0 - rho.conj()) / np.abs(1.0 - rho) * np.sqrt(1.0 - np.abs(rho) ** 2)
    moved = (s - np.diag(rho.conj())) @ np.linalg.inv(np.eye(n) - np.diag(rho) @ s)
    return np.asarray(np.diag(1.0 / scale) @ moved @ np.diag(scale.conj()))


def s_to_z(s: ComplexArray, reference: ArrayLike) -> ComplexArray:
    """Impedance matrix (f, n, n), ohm; raise `NotPhysical` where there is none."""
    z = _references(reference, s.shape[-1])
    half = np.sqrt(z.real)
    right = s @ np.diag(z) + np.diag(z.conj())
    found = _solved(np.eye(s.shape[-1]) - s, right, "impedance")
    return np.asarray(found * half[:, None] / half[None, :])


def z_to_s(impedance: ComplexArray, reference: ArrayLike) -> ComplexArray:
    """Scattering matrix of an impedance matrix (f, n, n) ohm."""
    z = _references(reference, impedance.shape[-1])
    half = np.sqrt(z.real)
    made = (impedance - np.diag(z.conj())) @ np.linalg.inv(impedance + np.diag(z))
    return np.asarray(made * half[None, :] / half[:, None])


def s_to_y(s: ComplexArray, reference: ArrayLike) -> ComplexArray:
    """Admittance matrix (f, n, n), S; raise `NotPhysical` where there is none."""
    z = _references(reference, s.shape[-1])
    half = np.sqrt(z.real)
    right = s @ np.diag(z) + np.diag(z.conj())
    found = _solved(right, np.eye(s.shape[-1]) - s, "admittance")
    return np.asarray(found * half[:, None] / half[None, :])


def y_to_s(admittance: ComplexArray, reference: ArrayLike) -> ComplexArray:
    """Scattering matrix of an admittance matrix (f, n, n) S."""
    z = _references(reference, admittance.shape[-1])
    half = np.sqrt(z.real)
    eye = np.eye(admittance.shape[-1])
    upper = eye - np.diag(z.conj()) @ admittance
    made = upper @ np.linalg.inv(eye + np.diag(z) @ admittance)
    return np.asarray(made * half[None, :] / half[:, None])


def hybrid_to_s(data: ComplexArray, kind: str, reference: ArrayLike) -> ComplexArray:
    """Scattering matrix of a two-port's hybrid matrix (f, 2, 2), `kind` "H" or "G".

    H: (V1, I2) = H (I1, V2); G: (I1, V2) = G (V1, I2). Real references.
    """
    if data.shape[-1] != 2 or kind not in ("H", "G"):
        raise NotPhysical("hybrid matrix", f"{kind} of {data.shape[-1]} ports", "H or G of 2 ports")
    root = np.sqrt(_references(reference, 2).real)
    one = np.ones(len(data), dtype=complex)
    none = np.zeros_like(one)
    a, b, c, d = (data[:, i, j] for i, j in ((0, 0), (0, 1), (1, 0), (1, 1)))

    def rows(*entries: ComplexArray) -> ComplexArray:
        return np.stack([np.stack(entries[:2], -1), np.stack(entries[2:], -1)], -2)

    if kind == "H":
        volts, amps = rows(one, -b, none, -d), rows(-a, none, -c, one)
    else:
        volts, amps = rows(-a, none, -c, one), rows(one, -b, none, -d)
    ahead, back = volts * root + amps / root, volts * root - amps / root
    return -_solved(back, ahead, "scattering")


def s_to_abcd(s: ComplexArray, reference: ArrayLike) -> ComplexArray:
    """Chain matrix (f, 2k, 2k) of a 2k-port: (V1, I1) = M (V2, -I2), left ports first.

    Raises
    ------
    NotPhysical : nothing comes through
    """
    n = s.shape[-1]
    if n % 2:
        raise NotPhysical("network", f"{n} ports", "as many ports left as right")
    z, k = _references(reference, n), n // 2
    root = np.sqrt(z.real)
    eye = np.eye(n)
    # V = (Z* + Z S) a / root and I = (1 - S) a / root; both in terms of the incident waves.
    volts = (np.diag(z.conj()) + np.diag(z) @ s) / root[:, None]
    amps = (eye - s) / root[:, None]
    left = np.concatenate([volts[:, :k], amps[:, :k]], axis=1)
    right = np.concatenate([volts[:, k:], -amps[:, k:]], axis=1)
    turned = _solved(right.transpose(0, 2, 1), left.transpose(0, 2, 1), "chain")
    return np.asarray(turned.transpose(0, 2, 1))


def abcd_to_s(m: ComplexArray, reference: ArrayLike) -> ComplexArray:
    """Scattering matrix of a chain matrix (f, 2k, 2k)."""
    n = m.shape[-1]
    z, k = _references(reference, n), n // 2
    root = np.sqrt(z.real)
    a, b, c, d = m[:, :k, :k], m[:, :k, k:], m[:, k:, :k], m[:, k:, k:]
    one, none = np.broadcast_to(np.eye(k), a.shape), np.zeros_like(a)
    # With the states (V2, -I2) everything at both ends is known.
    volts = np.concatenate([np.concatenate([a, b], 2), np.concatenate([one, none], 2)], 1)
    amps = np.concatenate([np.concatenate([c, d], 2), np.concatenate([none, -one], 2)], 1)
    ahead = (volts + np.diag(z) @ amps) / (2.0 * root[:, None])
    back = (volts - np.diag(z.conj()) @ amps) / (2.0 * root[:, None])
    return np.asarray(back @ np.linalg.inv(ahead))
