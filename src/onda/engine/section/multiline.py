"""Modes of n coupled lines, symmetric or not; the network that matches them; crosstalk.

For n lossless lines C and L are diagonalised together: the voltages of the modes are eigenvectors
of L C, their delays the roots of its eigenvalues (Paul, Analysis of Multiconductor Transmission
Lines (2008), section 7.2).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = ["Coupling", "LineModes", "coupling_between", "line_modes", "matched_network"]

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class LineModes:
    """Modes of n lines, from the slowest to the fastest.

    Attributes
    ----------
    delay : (n,) s/m
    voltage : (n, n) columns are the modes' voltages on the lines, the largest of each is 1
    z_mode : (n,) ohm, the impedance of each mode per line: sum of v^2 over sum of v i; the odd
        and even impedance of a symmetric pair
    z_characteristic : (n, n) ohm
    y_characteristic : (n, n) S
    """

    delay: FloatArray
    voltage: FloatArray
    z_mode: FloatArray
    z_characteristic: FloatArray
    y_characteristic: FloatArray


def line_modes(c: FloatArray, inductance: FloatArray) -> LineModes:
    """Modes of lines with Maxwell capacitance `c` (n, n) F/m and `inductance` (n, n) H/m.

    Raises
    ------
    NotPhysical : a matrix is not positive definite
    """
    c, inductance = np.asarray(c, dtype=float), np.asarray(inductance, dtype=float)
    try:
        root = np.linalg.cholesky(c)
        np.linalg.cholesky(inductance)
    except np.linalg.LinAlgError as error:
        raise NotPhysical("C or L", "not positive definite", "those of passive lines") from error
    # With c = root root^T the product root^T L root is symmetric: real modes also where two agree.
    squared, vectors = np.linalg.eigh(root.T @ inductance @ root)
    order = np.argsort(-squared)
    delay, vectors = np.sqrt(squared[order]), vectors[:, order]
    voltage = np.linalg.solve(root.T, vectors)
    # Normalised eigenvectors give v^T c v = 1, and the current of a mode is c v / delay.
    y = root @ (vectors / delay) @ vectors.T @ root.T
    y = 0.5 * (y + y.T)
    largest = voltage[np.argmax(np.abs(voltage), axis=0), np.arange(len(delay))]
    voltage = voltage / largest
    z_mode = (voltage**2).sum(axis=0) / np.einsum("im,ij,jm->m", voltage, y, voltage)
    z = np.linalg.inv(y)
    return LineModes(delay, voltage, z_mode, 0.5 * (z + z.T), y)


def matched_network(modes: LineModes) -> FloatArray:
    """Resistors (n, n) ohm that absorb every mode: on the diagonal to 0 V, else between two lines.

    Y of the network equals the characteristic admittance; infinite where no resistor is needed
    (Paul (2008), section 8.1.3).
    """
    y = modes.y_characteristic
    conductance = -y.copy()
    np.fill_diagonal(conductance, y.sum(axis=1))
    # What rounding leaves between lines that do not couple is no resistor.
    small = np.abs(conductance) < 1e-9 * float(np.abs(y).max())
    out = np.full_like(conductance, math.inf)
    out[~small] = 1.0 / conductance[~small]
    return out


@dataclass(frozen=True, slots=True)
class Coupling:
    """Crosstalk of one line to another over a length, both matched, for a linear edge.

    Attributes
    ----------
    k_near : near-end coefficient: share of the edge once saturated
    k_far : far-end coefficient, s/m: share of the edge = k_far * length / rise time
    saturation_length : m, where twice the delay equals the rise time
    near, far : shares of the swing at the given length and rise time
    """

    k_near: float
    k_far: float
    saturation_length: float
    near: float
    far: float


def coupling_between(
    c: FloatArray,
    inductance: FloatArray,
    aggressor: int,
    victim: int,
    *,
    length: float,
    rise_time: float,
) -> Coupling:
    """Crosstalk between two of n lines, the others matched.

    Weak-coupling coefficients (Jarvis, "The interconnections of digital circuits", IEEE Trans.
    EC-12 (1963) 476; Paul (2008), section 10.1):
    k_near = (Lm/sqrt(La Lv) + Cm/sqrt(Ca Cv)) / 4, k_far = (Cm/sqrt(Ca Cv) - Lm/sqrt(La Lv)) T / 2
    with T the mean delay per length; k_far is negative where the inductive part is the larger.
    The far-end noise of two equal lines is exactly half the difference of the modes' edges, so it
    stays within half of the swing however long they are.
    """
    if aggressor == victim:
        raise NotPhysical("lines", f"{aggressor} and {victim}", "two different ones")
    if not (length > 0 and rise_time > 0):
        raise NotPhysical("length and rise time", f"{length}, {rise_time}", "above 0")
    lm = inductance[aggressor, victim] / math.sqrt(
        inductance[aggressor, aggressor] * inductance[victim, victim]
    )
    cm = -c[aggressor, victim] / math.sqrt(c[aggressor, aggressor] * c[victim, victim])
    delay = math.sqrt(
        math.sqrt(
            inductance[aggressor, aggressor]
            * inductance[victim, victim]
            * c[aggressor, aggressor]
            * c[victim, victim]
        )
    )
    k_near = 0.25 * (lm + cm)
    k_far = 0.5 * (cm - lm) * delay
    saturation = 0.5 * rise_time / delay
    far = k_far * length / rise_time
    return Coupling(
        k_near=float(k_near),
        k_far=float(k_far),
        saturation_length=float(saturation),
        near=float(k_near * min(1.0, length / saturation)),
        far=float(math.copysign(min(abs(far), 0.5), far)),
    )
