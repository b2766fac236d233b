"""Finding the arrivals of a scattering matrix (`arrivals` says what they are)."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.arrivals import Arrival, ArrivalModel
from onda.engine.networks.rational import RationalModel
from onda.engine.networks.sampling import extrapolated, interpolated, phase_delay
from onda.engine.networks.vector_fit import fit_network
from onda.errors import NotConverged, NotPhysical

__all__ = ["fit_arrivals"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_PER_DECADE = 3.0
_LOWEST, _LOWEST_WITHOUT_DC = 0.1, 0.5
"""Lowest pole, as a share of the lowest frequency; nothing holds one so low without a point at
0 Hz."""
_HIGHEST = 3.0
"""Highest pole, as a multiple of the highest frequency."""
_SLOW = 100.0
"""How much more the lowest frequencies count: a step holds each by its inverse."""
_RIDGE = 1e-4
"""A trace of damping keeps neighbouring poles from large answers of opposite sign."""
_ABOVE = 1.2, 60.0, 12
"""Where above the band an arrival must stay what it was at its end, or a wild sum would do as well:
from and to, as multiples of its end, and at how many points."""
_WEIGHTS = (1.0, 0.3, 3.0)
"""How much that counts, in turn, until nothing above the band makes energy."""
_SMALL = 2e-3
"""An entry is done once its rest is below."""
_GAIN = 0.8
"""An arrival that leaves more of the energy than this is none."""
_POINTS = 1200
"""Points that the arrivals are found by; the rest sees all."""
_MOST = 6
"""Arrivals of one entry."""
_PEAKS = 12
"""Places that are tried for each."""
_FADE = 1.5
"""The rest fades out from the end of the band to this many times it."""
_NO_SHUNT = 0.02
"""Rows that sum to 1 within this at 0 Hz are those of a network without a path to its return."""
_ACTIVE = 1.02
_LOOKS = 300
"""Frequencies at which the model is held against its data."""
_ERROR = 0.05
"""Beyond this the model is refused."""
_FINE = 3e-3
"""Beyond this, complex poles are tried."""
_SHORT, _POLES = 12.0, 60
"""Periods that a network may take, and poles that it may have, for them."""
_SURE = 0.8
"""Share of the band over which that is asked; above, the end of the data smears in time."""


def fit_arrivals(
    frequency: FloatArray, s: ComplexArray, *, wanted: Callable[[], None] | None = None
) -> ArrivalModel:
    """Model of a scattering matrix in time.

    Parameters
    ----------
    frequency : (f,) Hz, rising
    s : (f, n, n)
    wanted : called now and then; may raise to end the search

    Raises
    ------
    NotPhysical : fewer than four points, not rising, or all at 0 Hz
    NotConverged : the model would miss its data by more than 0.05
    """
    if len(frequency) < 4 or not (np.diff(frequency) > 0).all():
        raise NotPhysical("network", f"{len(frequency)} points", "four or more, rising")
    best: ArrivalModel | None = None
    few = _few(frequency)
    for weight in _WEIGHTS:
        basis = _Basis(frequency[few], weight)
        model = _with_rest(frequency, s, basis.poles, _arrivals(basis, s[few], wanted))
        above = _largest(model, np.geomspace(model.top, _ABOVE[1] * model.top, _LOOKS))
        model = replace(model, gain_above=above)
        if best is None or above < best.gain_above:
            best = model
        if above <= _ACTIVE:
            break
    assert best is not None
    best = replace(best, error=_error(best, frequency, s))
    if best.error > _FINE and _turns(frequency, s) <= _SHORT:
        ringing = _ringing(frequency, s, wanted)
        best = min(best, ringing, key=lambda model: model.error)
    if best.error > _ERROR:
        raise NotConverged("model of the network in time", reached=best.error, wanted=_ERROR)
    low = float(frequency[frequency > 0][0])
    between = np.concatenate(
        [np.linspace(0.1, 4.0, 40) * low, np.linspace(low, best.top, _LOOKS) - 0.5 * low]
    )
    return replace(best, gain=_largest(best, between))


def _turns(frequency: FloatArray, s: ComplexArray) -> float:
    """Periods of the highest frequency that the slowest entry takes."""
    n = s.shape[-1]
    slowest = max(phase_delay(frequency, s[:, i, j]) for i in range(n) for j in range(n))
    return slowest * float(frequency[-1])


def _ringing(
    frequency: FloatArray, s: ComplexArray, wanted: Callable[[], None] | None
) -> ArrivalModel:
    """The model by complex poles without delay."""
    found = fit_network(frequency, s, most=_POLES, wanted=wanted)
    bare = _with_rest(frequency, s, np.empty(0), (), found)
    above = _largest(bare, np.geomspace(bare.top, _ABOVE[1] * bare.top, _LOOKS))
    return replace(bare, gain_above=above, error=_error(bare, frequency, s))


def _error(model: ArrivalModel, frequency: FloatArray, s: ComplexArray) -> float:
    sure = np.flatnonzero(frequency <= _SURE * frequency[-1])
    some = sure[:: max(1, len(sure) // _LOOKS)]
    found = model.at(np.asarray(2j * math.pi * frequency[some]))
    return float(np.abs(found - s[some]).max())


def _few(frequency: FloatArray) -> NDArray[np.int64]:
    """Points to find arrivals by: every so many, and all of the lowest, where slow waves show."""
    stride = max(1, len(frequency) // _POINTS)
    all_over = np.arange(len(frequency) - 1, -1, -stride)
    return np.unique(np.concatenate([all_over, np.arange(min(len(frequency), _POINTS // 8))]))


def _largest(model: ArrivalModel, frequency: FloatArray) -> float:
    values = model.at(np.asarray(2j * math.pi * frequency))
    return float(np.linalg.svd(values, compute_uv=False).max())


class _Basis:
    """Least squares on poles that stay where they are: one inverse serves every entry and delay."""

    def __init__(self, frequency: FloatArray, weight: float) -> None:
        top, low = float(frequency[-1]), float(frequency[frequency > 0][0])
        lowest = _LOWEST if frequency[0] == 0.0 else _LOWEST_WITHOUT_DC
        count = max(6, round(_PER_DECADE * math.log10(30.0 * top / low)))
        self.poles = 2.0 * math.pi * np.geomspace(lowest * low, _HIGHEST * top, count)
        self.top = top
        # The lowest points may be closer than the others: what is seen is by their usual step.
        self.grid = np.linspace(0.0, top, 1 + round(top / float(np.median(np.diff(frequency)))))
        self.longest = 0.75 / float(self.grid[1])
        self.frequency = frequency
        self.x = np.asarray(2j * math.pi * frequency)
        self._inside = self._values(self.x)
        n, first, last, points = len(frequency), *_ABOVE
        above = self._values(
            np.asarray(2j * math.pi * np.geomspace(first * top, last * top, points))
        )
        still = weight * math.sqrt(n / points)
        ridge = _RIDGE * math.sqrt(n) * np.eye(count + 1)
        self._each = 1.0 + _SLOW * low / (low + frequency)
        heavy = self._each[:, None] * self._inside
        inverse = np.linalg.pinv(
            np.concatenate([heavy.real, heavy.imag, still * above.real, still * above.imag, ridge])
        )
        self._real = inverse[:, :n] * self._each
        self._imag = inverse[:, n : 2 * n] * self._each
        self._real[:, -1] += still * inverse[:, 2 * n : 2 * n + points].sum(axis=1)
        self._still = np.concatenate([still * (above - self._inside[-1:].real).real, ridge])

    def _values(self, s: ComplexArray) -> ComplexArray:
        """A constant and every pole (f, k + 1), each 1 at most."""
        poles = self.poles / (s[:, None] + self.poles)
        return np.concatenate([np.ones((len(s), 1)), poles], axis=1)

    def each(self, values: ComplexArray, delays: FloatArray) -> FloatArray:
        """Energy (d,) that is left of values (f,) by one arrival at each of the delays alone."""
        turned = values[:, None] * np.exp(self.x[:, None] * delays)
        found = self._real @ turned.real + self._imag @ turned.imag
        return np.asarray((np.abs(turned - self._inside @ found) ** 2).sum(axis=0))

    def without(self, values: ComplexArray, delay: float) -> ComplexArray:
        """What one arrival leaves of values (f,)."""
        turned = values * np.exp(self.x * delay)
        found = self._real @ turned.real + self._imag @ turned.imag
        return np.asarray((turned - self._inside @ found) * np.exp(-self.x * delay))

    def together(self, values: ComplexArray, delays: FloatArray) -> FloatArray:
        """Coefficients (d, k + 1) of arrivals at all delays at once."""
        late = np.exp(-self.x[:, None] * delays)
        inside = (late[:, :, None] * self._inside[:, None, :]).reshape(len(values), -1)
        heavy, aim = self._each[:, None] * inside, self._each * values
        still = np.kron(np.eye(len(delays)), self._still)
        rows = np.concatenate([heavy.real, heavy.imag, still])
        found = np.linalg.lstsq(
            rows, np.concatenate([aim.real, aim.imag, np.zeros(len(still))]), rcond=None
        )[0]
        return np.asarray(found.reshape(len(delays), -1))


def _arrivals(
    basis: _Basis, s: ComplexArray, wanted: Callable[[], None] | None
) -> tuple[Arrival, ...]:
    n = s.shape[-1]
    # The same entry seen from the other side has the same arrivals.
    reciprocal = float(np.abs(s - s.transpose(0, 2, 1)).max()) < 1e-6
    out: list[Arrival] = []
    for i in range(n):
        for j in range(i if reciprocal else 0, n):
            if wanted is not None:
                wanted()
            delays = _delays(basis, s[:, i, j])
            if not len(delays):
                continue
            found = basis.together(s[:, i, j], delays)
            for row, column in {(i, j), (j, i)} if reciprocal else {(i, j)}:
                out += [
                    Arrival(row, column, float(delay), float(one[0]), one[1:] * basis.poles)
                    for delay, one in zip(delays, found, strict=True)
                ]
    return tuple(out)


def _delays(basis: _Basis, values: ComplexArray) -> FloatArray:
    """When something arrives, the largest first."""
    out: list[float] = []
    rest = values
    size = float(np.sum(np.abs(rest) ** 2))
    while len(out) < _MOST and float(np.abs(rest).max()) > _SMALL:
        tried = _peaks(basis, rest)
        left = basis.each(rest, tried)
        span = 0.125 / basis.top
        for _ in range(3):
            around = np.maximum(tried[np.argmin(left)] + span * np.linspace(-1.0, 1.0, 5), 0.0)
            tried, left = around, basis.each(rest, around)
            span /= 4.0
        if left.min() > _GAIN * size:
            break
        size = float(left.min())
        out.append(float(tried[np.argmin(left)]))
        rest = basis.without(rest, out[-1])
    return np.array(out)


def _peaks(basis: _Basis, values: ComplexArray) -> FloatArray:
    """Delays at which something seems to arrive: around the peaks of the response, and none."""
    grid = basis.grid
    even = np.interp(grid, basis.frequency, values) * np.cos(0.5 * math.pi * grid / basis.top)
    samples = 8 * (len(grid) - 1)
    response = np.abs(np.fft.irfft(even, n=samples))
    time = np.arange(samples) / (samples * grid[1])
    top = (response > np.roll(response, 1)) & (response >= np.roll(response, -1))
    at = np.flatnonzero(top & (time < basis.longest))
    best = time[at[np.argsort(-response[at])[:_PEAKS]]]
    around = best[:, None] + np.linspace(-0.5, 0.5, 5) / basis.top
    return np.unique(np.maximum(np.concatenate([[0.0], around.ravel()]), 0.0))


def _with_rest(
    frequency: FloatArray,
    s: ComplexArray,
    poles: FloatArray,
    arrivals: tuple[Arrival, ...],
    resonances: RationalModel | None = None,
) -> ArrivalModel:
    """The model, its rest on an even grid from 0 Hz."""
    n = s.shape[-1]
    step = float(np.diff(frequency).min())
    top = float(frequency[-1])
    count = max(2, round(top / step))
    step = top / count
    bare = ArrivalModel(poles, arrivals, step, s, top, np.eye(n), resonances)
    rest = s - bare.smooth_at(np.asarray(2j * math.pi * frequency))
    smooth = bare.smooth_at(np.zeros(1, complex))[0].real
    dc = s[0].real if frequency[0] == 0.0 else _without_shunt(smooth)
    known_f, known = frequency, rest
    if frequency[0] > 0.0:
        known_f = np.concatenate([[0.0], frequency])
        known = np.concatenate([(dc - smooth)[None] + 0j, rest])
    grid = step * np.arange(count + 1)
    if len(known_f) == len(grid) and np.allclose(known_f, grid, rtol=1e-9):
        even = known
    else:
        even = interpolated(known_f, known, np.clip(grid, 0.0, known_f[-1]))
    beyond = np.asarray(step * np.arange(count + 1, math.ceil(_FADE * count) + 1))
    even = np.concatenate([even, extrapolated(frequency, rest, beyond)])
    return replace(bare, rest=even, dc=dc)


def _without_shunt(dc: FloatArray) -> FloatArray:
    """Where no direct current finds the return, equal voltages drive none: rows sum to 1."""
    short = 1.0 - dc.sum(axis=1)
    if np.abs(short).max() > _NO_SHUNT:
        return dc
    n = len(dc)
    return np.asarray(dc + (short + short[:, None]) / n - short.sum() / n**2)
