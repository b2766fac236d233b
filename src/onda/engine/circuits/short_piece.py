"""A piece of line shorter than the time step: one section that keeps its losses at every frequency.

Series impedance and shunt admittance are each met by a sum of real poles of one sign, a ladder of
resistors and inductors and one of resistors and capacitors. What a direct current meets is exact,
and the section is passive whatever the fit (Foster's forms; Guillemin, "Synthesis of Passive
Networks" (1957), chapter 4).
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.line_model import Band, LineModel, spread_poles
from onda.engine.lines import Line

__all__ = ["difference_share", "series_model", "shunt_model"]

FloatArray = NDArray[np.float64]
ComplexArray = NDArray[np.complex128]
_PER_DECADE = 3.0


def series_model(line: Line, length: float, band: Band) -> LineModel:
    """Admittance along the piece, 1 / (length Z'(s))."""
    poles, residues, error = _along(line, band)
    return _alone(0.0, poles, residues / length, error)


def shunt_model(line: Line, length: float, band: Band) -> tuple[float, LineModel]:
    """Admittance to the return, length Y'(s): a capacitance (F) and what comes on top of it."""
    c, poles, parts, error = _across(line, band)
    # c p s / (s + p), as a constant less a pole.
    constant = length * (line.g_dc + float(np.sum(parts * poles)))
    return c * length, _alone(constant, poles, -length * parts * poles**2, error)


def difference_share(steps: float) -> float:
    """Of the capacitance of a piece that takes `steps` time steps, how much the difference of its
    ends sees; their mean sees all of it.

    In a row of sections each is slow by (w tau)^2 / 24 where its ends see half of the capacitance
    each (a share of 1) and fast by as much where the voltage runs straight between them (1/3). The
    trapezoidal rule is slow by (w h)^2 / 12. This share makes them cancel, down to pieces of one
    step, where it is 0 and the scheme is exact (the box scheme at a Courant number of 1).
    """
    return max(0.0, 2.0 / 3.0 * (1.0 - 1.0 / steps**2))


def _alone(y: float, poles: FloatArray, residues: FloatArray, error: float) -> LineModel:
    """An admittance with no wave from elsewhere."""
    return LineModel(0.0, poles, y, residues, 0.0, np.zeros(len(poles)), error)


@lru_cache(maxsize=512)
def _along(line: Line, band: Band) -> tuple[FloatArray, FloatArray, float]:
    """Poles and residues of 1 / Z'(s), and the largest relative error."""
    s = _points(band)
    z = line.series_impedance(s)
    poles = spread_poles(band, _PER_DECADE)
    basis = np.concatenate([s[:, None], s[:, None] / (s[:, None] + poles)], axis=1)
    found, error = _positive(basis, z - line.r_dc, z)
    inductance, r = found[0], found[1:]
    kept = r > 0.0
    r, poles = r[kept], poles[kept]
    # Currents of the inductors, each scaled by the root of its inductance: a symmetric matrix whose
    # eigenvalues are the poles of the admittance (resistor r beside inductor r / p, all in a row).
    root = np.sqrt(np.concatenate([[inductance], r / poles]))
    matrix = np.diag(np.concatenate([[line.r_dc + r.sum()], r]))
    matrix[0, 1:] = matrix[1:, 0] = -r
    at, vectors = np.linalg.eigh(matrix / np.outer(root, root))
    return np.maximum(at, 0.0), vectors[0] ** 2 / inductance, error


@lru_cache(maxsize=512)
def _across(line: Line, band: Band) -> tuple[float, FloatArray, FloatArray, float]:
    """C, poles p and parts c with Y'(s) = g + s (C + sum c p / (s + p)), and the error."""
    s = _points(band)
    y = line.shunt_admittance(s)
    poles = spread_poles(band, _PER_DECADE)
    basis = s[:, None] * np.concatenate(
        [np.ones((len(s), 1)), poles / (s[:, None] + poles)], axis=1
    )
    found, error = _positive(basis, y - line.g_dc, y)
    kept = found[1:] > 0.0
    return float(found[0]), poles[kept], found[1:][kept], error


def _points(band: Band) -> ComplexArray:
    return np.asarray(2j * np.pi * np.geomspace(band.low, band.high, 81))


def _positive(
    basis: ComplexArray, wanted: ComplexArray, scale: ComplexArray
) -> tuple[FloatArray, float]:
    """Weights of at least 0 for which the basis comes nearest, relative to `scale`."""
    # Loaded with the first short piece, not with the first look.
    from scipy.optimize import nnls

    size = np.abs(scale)
    basis, wanted = basis / size[:, None], wanted / size
    # Columns of one size; the solver knows nothing of units.
    norm = np.linalg.norm(basis, axis=0)
    both = np.concatenate([basis.real, basis.imag]) / norm
    found = nnls(both, np.concatenate([wanted.real, wanted.imag]))[0] / norm
    return found, float(np.abs(basis @ found - wanted).max())
