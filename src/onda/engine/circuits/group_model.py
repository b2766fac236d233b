"""A group of lines for time stepping: modes that change with frequency, each by its own delay.

At either end i = Yc v - J, with J = sum_k exp(-s tau_k) H_k (Yc v + i) of the other end. H_k is
what the waves of one mode, or of several that are about as fast, carry from every line to every
line; it is smooth in frequency once their delay is taken out (the universal line model: Morched,
Gustavsen and Tartibi, IEEE Trans. Power Delivery 14 (1999) 1032). Poles are fixed as in
`line_model`.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise, product

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.line_model import Band, fit_poles, spread_poles
from onda.engine.group_lines import GroupLine

__all__ = ["GroupModel", "group_model"]

FloatArray = NDArray[np.float64]
ComplexArray = NDArray[np.complex128]
_POINTS = 601
_PER_DECADE = (4.0, 6.0, 8.0)
_SHARES = (0.994, 0.997, 0.9985, 1.0, 0.9995)
"""Of the phase delay at the top of the band: which leaves least to the poles differs by mode."""
_BEYOND = 2.0
"""Times the band's top to where it is fitted: steps carry as much."""
_ALIKE = 0.3
"""Modes whose phases part by less (rad) at the top of the band are taken as one."""
_GOOD = 1.5e-4
_RIDGES = (3e-5, 1e-4, 3e-4)
"""Damping: without it modes that are all but as fast get large shares of opposite sign, which
cancel in the band and grow without bound where steps do not follow them."""
_GAIN, _PHASES = 1.001, 64
"""What all modes together may send on, whatever their phases; how many of these are tried."""


@dataclass(frozen=True, slots=True, eq=False)
class GroupModel:
    """Yc(s) = y + sum y_k / (s + p_k), H(s) = sum_g exp(-s delay_g) (h_g + sum h_gk / (s + p_k)).

    Attributes
    ----------
    poles : (k,) rad/s
    y, y_residues : (n, n) S, (k, n, n) S rad/s
    delays : (g,) s
    h, h_residues : (g, n, n), (g, k, n, n) rad/s
    error : largest error of a fit over the band, relative to 1, and to the largest of Yc
    """

    poles: FloatArray
    y: FloatArray
    y_residues: FloatArray
    delays: FloatArray
    h: FloatArray
    h_residues: FloatArray
    error: float


@lru_cache(maxsize=16)
def group_model(line: GroupLine, length: float, band: Band) -> GroupModel:
    """Fit a piece of a group over a band; the last ones stay known, by the line itself."""
    s = np.asarray(2j * math.pi * np.geomspace(band.low, _BEYOND * band.high, _POINTS))
    modes = line.modes(s)
    # Currents travel by sqrt(Y Z), the transpose of what carries voltages.
    carried = modes.voltage * np.exp(-modes.gamma * length)[:, None, :] @ modes.inverse
    carried = carried.transpose(0, 2, 1)
    phase = modes.gamma[-1].imag * length
    delays = np.array([phase[members].mean() for members in _alike(phase)]) / s[-1].imag
    size = float(np.abs(modes.admittance[-1]).max())
    best: GroupModel | None = None
    excess = math.inf
    for per_decade in _PER_DECADE:
        poles = spread_poles(band, per_decade)
        y, y_residues, y_error = _fit(s, modes.admittance / size, poles)
        for share, ridge in product(_SHARES, _RIDGES):
            h, h_residues, h_error = _carried(s, carried, poles, delays * share, ridge)
            error = max(y_error, h_error)
            found = GroupModel(
                poles, y * size, y_residues * size, delays * share, h, h_residues, error
            )
            above = max(_gain(found, band.high) - _GAIN, 0.0)
            if best is None or error + above < excess:
                best, excess = found, error + above
            if excess < _GOOD:
                return best
    assert best is not None
    return best


def _gain(model: GroupModel, top: float) -> float:
    """The most that is sent on above the band, at phases of the modes that steps may give them."""
    phases = np.exp(2j * math.pi * np.random.default_rng(1).random((_PHASES, len(model.delays))))
    most = 0.0
    for s in (2j * math.pi * top, 2j * math.pi * _BEYOND * top, math.inf):
        parts = model.h + np.einsum("k,gkij->gij", 1.0 / (s + model.poles), model.h_residues)
        together = np.einsum("pg,gij->pij", phases, parts)
        most = max(most, float(np.abs(np.linalg.eigvals(together)).max()))
    return most


def _fit(
    s: ComplexArray, values: ComplexArray, poles: FloatArray
) -> tuple[FloatArray, FloatArray, float]:
    n = values.shape[-1]
    constant, residues, error = fit_poles(s, values.reshape(len(s), n * n), poles)
    return constant.reshape(n, n), residues.reshape(len(poles), n, n), error


def _carried(
    s: ComplexArray, values: ComplexArray, poles: FloatArray, delays: FloatArray, ridge: float
) -> tuple[FloatArray, FloatArray, float]:
    """All modes at once: where two are about as fast their shares turn quickly with frequency, but
    what they carry together does not."""
    n, count = values.shape[-1], len(poles) + 1
    one = np.concatenate([np.ones((len(s), 1)), poles / (s[:, None] + poles)], axis=1)
    basis = (np.exp(-s[:, None] * delays)[:, :, None] * one[:, None, :]).reshape(len(s), -1)
    damping = ridge * math.sqrt(len(s)) * np.eye(basis.shape[1])
    wanted = values.reshape(len(s), n * n)
    found = np.linalg.lstsq(
        np.concatenate([basis.real, basis.imag, damping]),
        np.concatenate([wanted.real, wanted.imag, np.zeros((len(damping), n * n))]),
        rcond=None,
    )[0]
    error = float(np.abs(basis @ found - wanted).max())
    found = found.reshape(len(delays), count, n, n)
    return found[:, 0], found[:, 1:] * poles[:, None, None], error


def _alike(phase: FloatArray) -> list[list[int]]:
    """Modes by phases at the top of the band, those that are about the same together."""
    order = np.argsort(phase)
    groups = [[int(order[0])]]
    for a, b in pairwise(order):
        if phase[b] - phase[a] < _ALIKE:
            groups[-1].append(int(b))
        else:
            groups.append([int(b)])
    return groups
