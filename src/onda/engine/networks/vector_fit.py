"""Vector fitting: a scattering matrix by a rational model with shared poles, made passive.

References
----------
Gustavsen and Semlyen, "Rational approximation of frequency domain responses by vector fitting",
IEEE Trans. Power Delivery 14 (1999) 1052.
Deschrijver, Mrozowski, Dhaene and De Zutter, "Macromodeling of multiport systems using a fast
implementation of the vector fitting method", IEEE Microwave Wireless Compon. Lett. 18 (2008) 383.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.rational import RationalModel
from onda.engine.networks.sampling import phase_delay
from onda.errors import NotPhysical

__all__ = ["fit_network", "largest_gain", "made_passive", "vector_fit"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_ROUNDS = 12
_REPAIRS = 40
_BAND_WEIGHT = 20.0
"""How much more a change counts inside the band than above it, where nothing is known."""
_OVERSHOOT = 1.5
"""Each repair aims a bit beyond its mark, so that a few of them are enough."""


def _s(frequency: FloatArray) -> ComplexArray:
    return np.asarray(2j * np.pi * frequency, dtype=complex)


def fit_network(
    frequency: FloatArray,
    s: ComplexArray,
    *,
    error: float = 2e-3,
    most: int | None = None,
    wanted: Callable[[], None] | None = None,
) -> RationalModel:
    """Passive model of a scattering matrix: poles are added until the fit is good.

    A wave that takes several periods to come through needs about two poles for each of them, and as
    many again for its echoes: that is where the search begins and ends.

    Parameters
    ----------
    frequency : (f,) Hz, rising; s : (f, n, n)
    error : largest deviation of any entry that is aimed at
    most : poles at most (60, or more for a long network, up to 160); the best model is returned
        with the error that was reached
    wanted : called now and then; may raise to end the fit

    Raises
    ------
    NotPhysical : fewer than four points, or not rising
    """
    if len(frequency) < 4 or not (np.diff(frequency) > 0).all():
        raise NotPhysical("network", f"{len(frequency)} points", "four or more, rising")
    best: RationalModel | None = None
    n = s.shape[-1]
    delays = [phase_delay(frequency, s[:, i, j]) for i in range(n) for j in range(n)]
    turns = max(0.0, *delays) * float(frequency[-1])
    order = min(max(4, 2 * math.floor(turns)), 100)
    if most is None:
        most = min(max(60, 2 * math.ceil(3.0 * turns)), 160)
    while order <= most:
        model = vector_fit(frequency, s, order, wanted)
        if best is None or model.error < best.error:
            best = model
        if best.error < error or order >= 2 * len(frequency):
            break
        order += 4 if order < 24 else 8 if order < 60 else 20
    assert best is not None
    passive = made_passive(best, frequency)
    found = float(np.abs(passive.at(_s(frequency)) - s).max())
    return replace(passive, error=found)


def vector_fit(
    frequency: FloatArray,
    s: ComplexArray,
    order: int,
    wanted: Callable[[], None] | None = None,
) -> RationalModel:
    """Fit with a given number of poles, all in the left half plane.

    `wanted` is called now and then, and may raise to end the fit.
    """
    # Scaled so that the top of the band is 1: all columns are then of a size.
    scale = 2.0 * math.pi * float(frequency[-1])
    x = np.asarray(1j * 2.0 * math.pi * frequency / scale, dtype=complex)
    n = s.shape[-1]
    responses = s.reshape(len(frequency), n * n).T
    poles = _first_poles(x, order)
    # A reciprocal network says everything twice.
    upper = np.flatnonzero(np.triu(np.ones((n, n))).ravel())
    reciprocal = float(np.abs(s - s.transpose(0, 2, 1)).max()) < 1e-6
    telling = responses[upper] if reciprocal else responses
    # Poles need no more points than there are for each of them; residues then see all.
    some = slice(None, None, max(1, len(x) // max(8 * order, 400)))
    for _ in range(_ROUNDS):
        if wanted is not None:
            wanted()
        poles, moved = _relocated(x[some], telling[:, some], poles)
        if moved < 1e-7:
            break
    residues, constant, error = _residues(x, responses, poles)
    k = len(poles)
    return RationalModel(
        poles=poles * scale,
        residues=(residues.T * scale).reshape(k, n, n),
        constant=constant.reshape(n, n),
        error=error,
    )


def _first_poles(x: ComplexArray, order: int) -> ComplexArray:
    """Weakly damped pairs spread over the band."""
    low = max(float(x.imag[x.imag > 0][0]), 1e-3)
    out: list[complex] = []
    for w in np.linspace(low, 1.0, max(order // 2, 1)):
        out += [complex(-0.01 * w, w), complex(-0.01 * w, -w)]
    return np.array(out[: max(order - order % 2, 2)])


def _basis(x: ComplexArray, poles: ComplexArray) -> ComplexArray:
    """Partial fractions with real coefficients: pairs as sum and difference."""
    out = np.empty((len(x), len(poles)), dtype=complex)
    k = 0
    while k < len(poles):
        p = poles[k]
        if p.imag == 0.0:
            out[:, k] = 1.0 / (x - p)
            k += 1
            continue
        a, b = 1.0 / (x - p), 1.0 / (x - p.conjugate())
        out[:, k], out[:, k + 1] = a + b, 1j * (a - b)
        k += 2
    return out


def _relocated(
    x: ComplexArray, responses: ComplexArray, poles: ComplexArray
) -> tuple[ComplexArray, float]:
    basis, k = _basis(x, poles), len(poles)
    one = np.concatenate([basis, np.ones((len(x), 1))], axis=1)
    rows, wanted = [], []
    for h in responses:
        full = np.concatenate([one, -h[:, None] * basis, h[:, None]], axis=1)
        # Only what concerns the shared poles is kept of each response; its last column is the
        # right side in the same turned axes.
        r = np.asarray(np.linalg.qr(np.concatenate([full.real, full.imag]), mode="r"))
        rows.append(r[k + 1 : 2 * k + 1, k + 1 : -1])
        wanted.append(r[k + 1 : 2 * k + 1, -1])
    found = np.linalg.lstsq(np.concatenate(rows), np.concatenate(wanted), rcond=None)[0]
    a, b = _state(poles)
    new = np.linalg.eigvals(a - np.outer(b, found))
    new = np.where(new.real > 0, -new.conjugate(), new)
    new = np.where(np.abs(new.real) < 1e-9, -1e-6 + 1j * new.imag, new)
    ordered = _paired(np.asarray(new, dtype=complex))
    size = float(np.abs(found).max()) if len(found) else 0.0
    return ordered, size


def _state(poles: ComplexArray) -> tuple[FloatArray, FloatArray]:
    n = len(poles)
    a, b = np.zeros((n, n)), np.zeros(n)
    k = 0
    while k < n:
        p = poles[k]
        a[k, k] = p.real
        b[k] = 1.0
        if p.imag != 0.0:
            a[k, k + 1], a[k + 1, k], a[k + 1, k + 1] = p.imag, -p.imag, p.real
            b[k], b[k + 1] = 2.0, 0.0
            k += 1
        k += 1
    return a, b


def _paired(poles: ComplexArray) -> ComplexArray:
    """Conjugate pairs next to each other, the upper one first, then the real ones."""
    upper = poles[poles.imag > 1e-12]
    real = poles[np.abs(poles.imag) <= 1e-12].real
    out: list[complex] = []
    for p in sorted(upper, key=lambda p: p.imag):
        out += [complex(p), complex(p).conjugate()]
    return np.array(out + [complex(r, 0.0) for r in sorted(real)])


def _residues(
    x: ComplexArray, responses: ComplexArray, poles: ComplexArray
) -> tuple[ComplexArray, FloatArray, float]:
    """Residues (responses, k), constants (responses,), largest error."""
    one = np.concatenate([_basis(x, poles), np.ones((len(x), 1))], axis=1)
    a = np.concatenate([one.real, one.imag])
    b = np.concatenate([responses.real, responses.imag], axis=1).T
    found = np.linalg.lstsq(a, b, rcond=None)[0]
    error = float(np.abs(one @ found - responses.T).max())
    return _complex_residues(found[:-1], poles).T, np.asarray(found[-1]), error


def _complex_residues(found: FloatArray, poles: ComplexArray) -> ComplexArray:
    out = np.empty(found.shape, dtype=complex)
    k = 0
    while k < len(poles):
        if poles[k].imag == 0.0:
            out[k] = found[k]
            k += 1
            continue
        out[k] = found[k] + 1j * found[k + 1]
        out[k + 1] = found[k] - 1j * found[k + 1]
        k += 2
    return out


def largest_gain(model: RationalModel, frequency: FloatArray) -> float:
    """Largest singular value at frequencies in Hz; above 1 the model makes energy."""
    return float(np.linalg.svd(model.at(_s(frequency)), compute_uv=False).max())


def made_passive(model: RationalModel, frequency: FloatArray) -> RationalModel:
    """The model with its residues moved as little as needed for passivity.

    Checked on a grid that is denser than the data and goes far beyond it; what the small steps
    cannot mend in the end is scaled down.
    """
    top = float(frequency[-1])
    grid = np.unique(
        np.concatenate(
            [
                np.linspace(0.0, top, 400),
                np.linspace(top, 2.0 * top, 400),
                np.abs(model.poles.imag) / (2 * math.pi),
                np.geomspace(2.0 * top, 1e3 * top, 60),
            ]
        )
    )
    x = _s(grid)
    constant = model.constant
    u, d, v = np.linalg.svd(constant)
    model = replace(model, constant=(u * np.minimum(d, 0.9999)) @ v)
    for _ in range(_REPAIRS):
        values = model.at(x)
        u, sigma, v = np.linalg.svd(values)
        if sigma.max() <= 1.0:
            break
        wanted = (u * np.minimum(sigma, 0.9995)[:, None, :]) @ v
        change = _OVERSHOOT * (wanted - values)
        # Where it is passive already it should stay as it is.
        n = values.shape[-1]
        flat = change.reshape(len(grid), n * n)
        bad = sigma.max(axis=1) > 1.0
        weight = np.where(grid <= top, _BAND_WEIGHT, np.where(bad, 1.0, 0.05))
        residues = _residue_step(x, flat.T * weight, model.poles, weight)
        model = replace(model, residues=model.residues + residues.reshape(-1, n, n))
    # Between the points of the grid a hair may be left over.
    dense = np.concatenate([grid, np.linspace(0.0, 2.0 * top, 6000)])
    gain = max(largest_gain(model, dense), 1.0) * (1.0 + 1e-6)
    return replace(model, residues=model.residues / gain, constant=model.constant / gain)


def _residue_step(
    x: ComplexArray, change: ComplexArray, poles: ComplexArray, weight: FloatArray
) -> ComplexArray:
    scale = float(np.abs(poles).max())
    basis = _basis(x / scale, poles / scale) * weight[:, None]
    a = np.concatenate([basis.real, basis.imag])
    b = np.concatenate([change.real, change.imag], axis=1).T
    found = np.linalg.lstsq(a, b, rcond=None)[0]
    return _complex_residues(found, poles) * scale
