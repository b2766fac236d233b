"""Fixtures that are not quite like the 2x through they were to be known by.

A fixture on the board under test never has just the impedance of the 2x through beside it. What the
two share is loss and delay; what is the fixture's own is its impedance along the way, and that is
seen in what the whole measurement sends back before the device begins. So both are made of short
sections: the fixture with its own impedances and the 2x through's propagation, and the 2x through
alike. Their quotient, laid on the half that was split off, moves it from the one to the other; what
sections cannot show cancels in it as far as both are alike. Good to nine tenths of the band. A
launch with more or less capacitance than the 2x through's also has another delay, which nobody can
tell from that of the line behind it: 17 % of 60 fF cost 0.05 of |S11|.

References
----------
IEEE Std 370-2020, annex on impedance-corrected de-embedding by a 2x through.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.algebra import cascade, s_to_t, t_to_s
from onda.engine.networks.mixed_mode import mixed_mode, single_ended
from onda.engine.networks.peeling import Profile, peeled
from onda.engine.networks.sampling import even_grid
from onda.engine.networks.split import Halves, split_through
from onda.engine.networks.unlossed import (
    LossPerDelay,
    Rounds,
    loss_per_delay,
    on_frequencies,
    onto_own,
    raised,
)
from onda.errors import NotPhysical

__all__ = ["Unlike", "corrected_halves", "unlike_fixtures"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_DOWN = 10.0 ** (-40.0 / 20.0)
"""Share of the band's end in what a turn adds: what is beyond the band must not ring."""
_ROUNDS = 60
_STILL = 1e-5
_DENSE = 4
"""Samples in half a period of the highest frequency."""
_STATED = 0.3
"""Share of the band at which an impedance is stated."""
_SEEN = 1.1
"""Times the 2x through's delay, there and back, that is looked into from either side."""
_PAIRS = ((0, 1), (2, 3))


@dataclass(frozen=True, slots=True)
class Unlike:
    """How unlike the 2x through the fixtures of a measurement are.

    Attributes
    ----------
    left, right : mean departure of the impedance from that of the half, as a share, signed
    reflection : about how wrong |S11| of what is between becomes where that is left as it is
    """

    left: float
    right: float
    reflection: float


def corrected_halves(
    frequency: FloatArray, s: ComplexArray, like_frequency: FloatArray, like: ComplexArray
) -> tuple[Halves, Unlike]:
    """Halves of a 2x through (f, n, n) with the impedances of the fixtures around a device.

    Parameters
    ----------
    like_frequency, like : (g,) Hz and (g, n, n) of fixture, device, fixture; its ports as those of
        `s`, left ones first, on the same reference

    Raises
    ------
    NotPhysical : see `split_through`; or both have no band in common, or other numbers of ports
    """
    through, whole = _on_one_grid(frequency, s, like_frequency, like)
    halves = split_through(*through)
    f = halves.frequency
    # Both go on to DC by the same rule.
    two, measured = (even_grid(a, b, step=float(f[1])).s for a, b in (through, whole))
    if s.shape[-1] == 2:
        left, right, unlike = _corrected(f, two, measured, (halves.left, halves.right))
    else:
        mixed = [mixed_mode(x, _PAIRS) for x in (two, measured, halves.left, halves.right)]
        left, right = np.zeros_like(mixed[0]), np.zeros_like(mixed[0])
        found = []
        for first in (0, 2):
            at = slice(first, first + 2)
            a, b, c, d = (x[:, at, at] for x in mixed)
            left[:, at, at], right[:, at, at], one = _corrected(f, a, b, (c, d))
            found.append(one)
        left, right = single_ended(left, _PAIRS), single_ended(right, _PAIRS)
        unlike = found[0]
    return replace(halves, left=left, right=right), unlike


def unlike_fixtures(
    frequency: FloatArray, s: ComplexArray, like_frequency: FloatArray, like: ComplexArray
) -> Unlike:
    """How unlike the halves of a 2x through the fixtures of a measurement are; of a pair for the
    differential mode. Arguments and errors as those of `corrected_halves`.
    """
    (f, two), (_, measured) = (
        (even.frequency, even.s)
        for even in (even_grid(*x) for x in _on_one_grid(frequency, s, like_frequency, like))
    )
    if s.shape[-1] == 4:
        two, measured = (mixed_mode(x, _PAIRS)[:, :2, :2] for x in (two, measured))
    loss = _loss(f, two)
    return _compare(_profiles(f, two, loss), _profiles(f, measured, loss), 0.5 * loss.delay, f)


def _on_one_grid(
    frequency: FloatArray, s: ComplexArray, like_frequency: FloatArray, like: ComplexArray
) -> tuple[tuple[FloatArray, ComplexArray], tuple[FloatArray, ComplexArray]]:
    if s.shape != (len(frequency), *like.shape[1:]):
        raise NotPhysical(
            "fixtures", f"{like.shape[-1]} ports", f"as many as the 2x through, {s.shape[-1]}"
        )
    top = min(float(frequency[-1]), float(like_frequency[-1]))
    low = max(float(frequency[0]), float(like_frequency[0]))
    step = min(float(np.diff(frequency).min()), float(np.diff(like_frequency).min()))
    if not top > low + 2.0 * step:
        raise NotPhysical("fixtures", f"a band from {low:.4g} to {top:.4g} Hz", "a common band")
    out = []
    for f, x in ((frequency, s), (like_frequency, like)):
        even = even_grid(f, x, step=step, top=top)
        out.append((even.frequency[1:], even.s[1:]))
    return out[0], out[1]


def _loss(frequency: FloatArray, two: ComplexArray) -> LossPerDelay:
    loss = loss_per_delay(frequency, two)
    if loss is None:
        raise NotPhysical("2x through", "next to no transmission", "a through")
    return loss


def _profiles(
    frequency: FloatArray, s: ComplexArray, loss: LossPerDelay
) -> tuple[Profile, Profile]:
    """Impedance as a share of the reference, looked into from the left and from the right."""
    top = float(frequency[-1])
    gamma, zeta = on_frequencies(frequency, loss, _STATED * top)
    seen = np.asarray(onto_own(s, zeta)[:, [0, 1], [0, 1]])
    samples = 2 * _DENSE * (len(frequency) - 1)
    dt = 1.0 / (samples * float(frequency[1]))
    lead = 10 * _DENSE
    count = round(_SEEN * loss.delay / dt) + lead
    time = np.asarray((np.arange(count) - lead) * dt, dtype=np.float64)
    gain = _DOWN ** ((frequency / top) ** 2)
    start = np.zeros((len(time), 2))
    rounds = Rounds(_ROUNDS, _STILL, samples)
    response = raised(frequency, seen, gamma, time, rounds, start, gain)
    left, right = (peeled(time, response[:, k], 1.0) for k in (0, 1))
    if min(len(left.z), len(right.z)) < len(time) // 2:
        raise NotPhysical("fixtures", "open or short before their ends", "a way through")
    return left, right


def _corrected(
    frequency: FloatArray,
    two: ComplexArray,
    measured: ComplexArray,
    halves: tuple[ComplexArray, ComplexArray],
) -> tuple[ComplexArray, ComplexArray, Unlike]:
    loss = _loss(frequency, two)
    gamma, zeta = on_frequencies(frequency, loss, _STATED * float(frequency[-1]))
    of_two, of_fixture = _profiles(frequency, two, loss), _profiles(frequency, measured, loss)
    at = 0.5 * loss.delay
    level = 1.0 / float(frequency[-1])
    sections = [_sections(p, at, level, gamma) for p in of_two]
    model = cascade(_plain(sections[0], zeta), _plain(sections[1], zeta)[:, ::-1, ::-1])
    # What the sections let through too much or too little is loss and delay that they lack.
    ratio = model[:, 1, 0] / two[:, 1, 0]
    more = (np.log(np.abs(ratio)) + 1j * np.unwrap(np.angle(ratio))) / loss.delay
    more[0] = more[0].real
    out = []
    for k, half in enumerate(halves):
        there, here = (
            s_to_t(_plain(_sections(p[k], at, level, gamma + more), zeta))
            for p in (of_two, of_fixture)
        )
        split = s_to_t(half if k == 0 else half[:, ::-1, ::-1])
        moved = t_to_s(here @ np.linalg.inv(there) @ split)
        out.append(moved if k == 0 else moved[:, ::-1, ::-1])
    return out[0], out[1], _compare(of_two, of_fixture, at, frequency)


def _compare(
    two: tuple[Profile, Profile],
    fixture: tuple[Profile, Profile],
    at: float,
    frequency: FloatArray,
) -> Unlike:
    shares = []
    for a, b in zip(two, fixture, strict=True):
        count = min(len(a.z), len(b.z))
        # What the edge of the launch and of the device smears belongs to neither.
        within = (a.delay[:count] > 0.0) & (a.delay[:count] < at - 1.0 / float(frequency[-1]))
        if not within.any():
            raise NotPhysical("2x through", f"{2.0 * at:.3g} s long", "longer than an edge")
        shares.append(float(np.log(b.z[:count] / a.z[:count])[within].mean()))
    left, right = (math.expm1(x) for x in shares)
    # Each end of a fixture whose impedance is off sends half of the share back.
    return Unlike(left, right, abs(left) + abs(right))


def _sections(profile: Profile, at: float, level: float, gamma: ComplexArray) -> ComplexArray:
    """S (f, 2, 2), on the line's own reference, of what lies before `at` (s one way).

    Behind the last `level` seconds the device's beginning shows through: there the impedance stays
    as it is before.
    """
    x = profile.delay
    dx = float(x[1] - x[0])
    count = int(np.searchsorted(x, at))
    z = profile.z[:count].copy()
    last = max(int(np.searchsorted(x, at - level)), 1)
    z[last:] = math.exp(float(np.log(z[max(last - round(level / dx), 0) : last]).mean()))
    # Waves to the right and to the left of each place, from those at the end; what was sharpened
    # begins a little before the plane, which is led back.
    ahead = np.exp(gamma * float(x[0]))
    t = [[ahead, np.zeros_like(ahead)], [np.zeros_like(ahead), 1.0 / ahead]]
    before = 1.0
    step, turn = np.exp(gamma * dx), np.exp(gamma * (at - float(x[count - 1])))
    for k, here in enumerate([*z, 1.0]):
        rho = (here - before) / (here + before)
        scale = 1.0 / math.sqrt(1.0 - rho * rho)
        before = here
        on = step if k < count - 1 else turn if k == count - 1 else np.ones_like(step)
        for row in t:
            a, b = row
            row[0], row[1] = (a + b * rho) * scale * on, (a * rho + b) * scale / on
    (a, b), (c, d) = t
    rows = [[c / a, d - c * b / a], [1.0 / a, -b / a]]
    return np.stack([np.stack(row, -1) for row in rows], -2)


def _plain(s: ComplexArray, zeta: ComplexArray) -> ComplexArray:
    """S on the reference again, from the line's own."""
    return onto_own(s, 1.0 / zeta)
