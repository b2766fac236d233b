"""Two fixtures from one measurement of both, end to end (a 2x through).

References
----------
IEEE Std 370-2020, annex on de-embedding by a 2x through: the reflection of each half is the part of
the whole's reflection that comes back before the middle; the rest follows from
s11 = e00 + s21 e11' and s21 = e10 e10' / (1 - e11 e11').
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.mixed_mode import mixed_mode, single_ended
from onda.engine.networks.parameters import renormalise
from onda.engine.networks.peeling import peeled
from onda.engine.networks.sampling import Resampled, even_grid
from onda.engine.networks.time_domain import (
    crossing,
    fastest_edge,
    impulse_response,
    step_response,
)
from onda.errors import NotPhysical

__all__ = ["Halves", "split_through"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Halves:
    """Left and right fixture on an even grid from DC.

    Attributes
    ----------
    left, right : (f, n, n), outer ports left and inner ports right for `left`, the other way round
        for `right`: the whole is left followed by right
    delay : s, from the outside to the middle
    error : about how wrong a reflection of either half is: what comes back, of an edge, just where
        the whole is cut and so belongs to neither
    """

    frequency: FloatArray
    left: ComplexArray
    right: ComplexArray
    delay: float
    error: float
    notes: tuple[str, ...]


def split_through(frequency: FloatArray, s: ComplexArray) -> Halves:
    """Split a two-port, or a four-port pair (left p, n, right p, n) mode by mode.

    Conversion between the modes of a pair is left out, as the method does.

    Raises
    ------
    NotPhysical : neither two nor four ports, or nothing comes through
    """
    n = s.shape[-1]
    if n not in (2, 4):
        raise NotPhysical("2x through", f"{n} ports", "2 or 4 ports")
    even = even_grid(frequency, s)
    if n == 2:
        left, right, delay, error = _split(even, even.s)
    else:
        mixed = mixed_mode(even.s, ((0, 1), (2, 3)))
        left, right = np.zeros_like(mixed), np.zeros_like(mixed)
        delay = error = 0.0
        for first in (0, 2):
            at = slice(first, first + 2)
            one, other, when, missed = _split(even, mixed[:, at, at])
            left[:, at, at], right[:, at, at] = one, other
            delay, error = max(delay, when), max(error, missed)
        pairs = ((0, 1), (2, 3))
        left, right = single_ended(left, pairs), single_ended(right, pairs)
    return Halves(even.frequency, left, right, delay, error, even.notes)


def _split(even: Resampled, s: ComplexArray) -> tuple[ComplexArray, ComplexArray, float, float]:
    """Left, right, the delay of either, and what comes back where they meet."""
    s11, s21, s22 = s[:, 0, 0], s[:, 1, 0], s[:, 1, 1]
    f = even.frequency
    if np.abs(s21).min() < 1e-6:
        raise NotPhysical("2x through", "next to no transmission", "a through")
    edge = fastest_edge(float(f[-1]))
    middle = crossing(*step_response(f, s21, edge), 0.5)
    e00 = _before(f, s11, middle)
    f00 = _before(f, s22, middle)
    e11, f11 = (s22 - f00) / s21, (s11 - e00) / s21
    product = s21 * (1.0 - e11 * f11)
    # The root whose phase runs on from 0 at DC: half the way.
    phase = np.unwrap(np.angle(product))
    phase -= 2.0 * np.pi * np.round(phase[0] / (2.0 * np.pi))
    e10 = np.sqrt(np.abs(product)) * np.exp(0.5j * phase)
    left = np.stack([np.stack([e00, e10], -1), np.stack([e10, e11], -1)], -2)
    right = np.stack([np.stack([f11, e10], -1), np.stack([e10, f00], -1)], -2)
    # What was cut off was followed by a line as the middle is: the inner ports refer to that.
    z = _middle_impedance(f, s11, s22, middle)
    return (
        renormalise(np.asarray(left), [1.0, z], 1.0),
        renormalise(np.asarray(right), [z, 1.0], 1.0),
        0.5 * middle,
        max(_at_cut(f, r, middle) for r in (s11, s22)),
    )


def _at_cut(f: FloatArray, reflection: ComplexArray, middle: float) -> float:
    """How far the reflected edge moves within its own rise around the middle."""
    edge = fastest_edge(float(f[-1]))
    time, step = step_response(f, reflection, edge)
    near = step[np.abs(time - middle) < 1.5 * edge.rise]
    return float(np.ptp(near))


def _middle_impedance(f: FloatArray, s11: ComplexArray, s22: ComplexArray, middle: float) -> float:
    """Impedance at the middle as a share of the reference, the mean of both views of it."""
    edge = fastest_edge(float(f[-1]))
    near = 0.5 * middle - 1.5 * edge.rise, 0.5 * middle + 1.5 * edge.rise
    found = [peeled(*impulse_response(f, r, edge), 1.0).mean(*near) for r in (s11, s22)]
    if not np.isfinite(found).all():
        raise NotPhysical("2x through", "open or short before its middle", "a through")
    return float(np.sqrt(found[0] * found[1]))


def _before(f: FloatArray, reflection: ComplexArray, middle: float) -> ComplexArray:
    """The part of a reflection that comes back before the middle (round trip = way through)."""
    # Mirrored over the end of the band so that its edge does not ring into the cut.
    count = len(f)
    over = np.arange(1, count)
    fade = 0.5 * (1.0 + np.cos(np.pi * over / count))
    longer = np.concatenate([reflection, reflection[-2::-1] * fade])
    samples = 2 * (len(longer) - 1)
    response = np.fft.irfft(longer, n=samples)
    dt = 1.0 / (samples * float(f[1]))
    time = np.arange(samples) * dt
    early = (time <= middle) | (time > 1.0 / float(f[1]) - 0.25 * middle)
    return np.asarray(np.fft.rfft(np.where(early, response, 0.0))[:count])
