"""Does loss agree with delay? Kramers-Kronig check of a line.

A causal line's L(f) and C(f) follow from its R(f) and G(f) alone. The relations are integrated
numerically and compared with what the line states.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from onda.engine.lines import Line

__all__ = ["from_losses", "kramers_kronig_error"]

FloatArray = NDArray[np.float64]
_DECADES = (-2.0, 20.0)
_PER_DECADE = 160


def from_losses(loss: FloatArray, grid: FloatArray, at: FloatArray) -> FloatArray:
    """Dispersive part x'(w) - x'(infinity) of a response x = x' - j x'' from its loss x''.

    x'(w0) - x'(inf) = 2/pi integral of (w x''(w) - w0 x''(w0)) / (w^2 - w0^2) dw (Landau and
    Lifshitz, Electrodynamics of Continuous Media (1984), section 82, with the pole subtracted).

    Parameters
    ----------
    loss : (g,) x'' on `grid` (g,) rad/s, rising and evenly spaced in its logarithm, wide enough
        for x'' to have died away at both ends
    at : (f,) rad/s, inside the grid
    """
    out = np.empty(len(at))
    step = math.log(grid[1] / grid[0])
    weighted = grid * loss
    for i, w0 in enumerate(at):
        here = math.exp(np.interp(math.log(w0), np.log(grid), np.log(np.maximum(weighted, 1e-300))))
        with np.errstate(divide="ignore", invalid="ignore"):
            inner = (weighted - here) / (grid**2 - w0**2) * grid
        close = np.abs(grid / w0 - 1.0) < 1e-3 * step
        if close.any():
            k = int(np.flatnonzero(close)[0])
            inner[k] = 0.5 * (inner[k - 1] + inner[k + 1])
        out[i] = 2.0 / math.pi * float(np.trapezoid(inner, dx=step))
    return out


def kramers_kronig_error(line: Line, frequency: FloatArray) -> float:
    """Largest disagreement of a line's L(f) and C(f) with its own losses, as a share of L or C.

    Changes are compared, from the highest of `frequency` (f,) Hz, so that what is alike at all
    frequencies (external inductance, air) does not hide an error.
    """
    grid = 2.0 * np.pi * np.logspace(*_DECADES, int((_DECADES[1] - _DECADES[0]) * _PER_DECADE))
    at = 2.0 * np.pi * np.asarray(frequency, dtype=float)
    worst = 0.0
    for respond, lossless in (
        (line.series_impedance, line.r_dc),
        (line.shunt_admittance, 0.0),
    ):
        s_at, s_grid = at.astype(complex) * 1j, grid.astype(complex) * 1j
        stored = (respond(s_at) - lossless) / s_at
        loss = -((respond(s_grid) - lossless) / s_grid).imag
        change = stored.real - stored.real[-1]
        wanted = from_losses(np.maximum(loss, 0.0), grid, at)
        wanted = wanted - wanted[-1]
        worst = max(worst, float(np.max(np.abs(change - wanted) / stored.real)))
    return worst
