"""True impedance against place, from a reflection: each layer is found and taken off in turn.

A plain reading Z0 (1 + rho) / (1 - rho) shows every later echo as if it were impedance. Peeling
finds the first layer from the first sample, works out what it does to the waves on both sides, and
goes on behind it; echoes between layers are then accounted for. Lines are taken to be lossless:
resistance in series shows as a slow rise of the profile.

References
----------
Bruckstein and Kailath, "Inverse scattering for discrete transmission-line models", SIAM Review 29
(1987) 359 (layer peeling, downward continuation). Excess of a lumped part: C = integral of
(1/Z - Z/Z_base^2) and L = integral of (Z - Z_base^2/Z) over the one-way delay, which hold for a
profile smeared by a finite edge too.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = [
    "Lump",
    "Profile",
    "find_lumps",
    "peeled",
    "plain_impedance",
    "sharpened",
]

FloatArray = NDArray[np.float64]
_OPEN = 100.0
_LEVEL = 0.01
"""Change of impedance, as a share, that a level line may show within half an edge."""
_BEYOND = 0.015
"""How far beyond both lines a part goes, as a share."""
_ROUNDS = 8
"""Turns in which the place of a part at a step settles."""
_ECHO = 4.0
"""Echoes of smeared steps look like parts: their excess delay, as a share of the edge and of the
reflections that they come from."""


@dataclass(frozen=True, slots=True, eq=False)
class Profile:
    """Impedance (n,) ohm against the one-way delay (n,) s; cut where the line ends open or short.

    `ends` says how it ends: "", "open" or "short".
    """

    delay: FloatArray
    z: FloatArray
    ends: str = ""

    def mean(self, start: float, stop: float) -> float:
        """Mean over a stretch of the delay, ohm; NaN where the profile does not reach it."""
        inside = (self.delay >= start) & (self.delay <= stop)
        return float(self.z[inside].mean()) if inside.any() else float("nan")


def plain_impedance(rho: FloatArray, reference: float) -> FloatArray:
    """Impedance (t,) ohm as a plain reading of the reflection of a step; inf where it is open."""
    with np.errstate(divide="ignore"):
        return np.asarray(reference * (1.0 + rho) / (1.0 - rho))


def sharpened(rho: FloatArray, ramp: int, window: int) -> FloatArray:
    """Reflected impulse response from the reflection of a linear ramp, for data without noise.

    A ramp of `ramp` samples is a step seen through a window of that width; taking the window away,
    rho'(k) ramp = step(k) - step(k - ramp), is exact but adds up noise. What is found is seen
    through a raised-cosine window of `window` samples instead, (window - 1) / 2 samples late.

    Parameters
    ----------
    rho : (n,) reflection of the ramp, from its start
    """
    slope = np.diff(rho, prepend=0.0) * ramp
    step = np.zeros(len(slope) + ramp)
    for k in range(len(slope)):
        step[ramp + k] = step[k] + slope[k]
    shape = np.hanning(window + 2)[1:-1]
    return np.asarray(np.convolve(np.diff(step[ramp:], prepend=0.0), shape / shape.sum()))


def peeled(
    time: FloatArray, response: FloatArray, reference: float, *, most: float = _OPEN
) -> Profile:
    """Impedance against one-way delay from the reflected impulse response.

    Parameters
    ----------
    time : (n,) s round trip in even steps, beginning where nothing has come back yet
    response : (n,) reflection per sample (the step of the reflected step, see `impulse_response`)
    reference : ohm, of the source and of the line before the network
    most : ratio to the reference at which a line is taken to have ended, open or short
    """
    n = len(response)
    if n < 2 or len(time) != n or not reference > 0:
        raise NotPhysical("reflection", f"{n} samples", "two or more, with their times")
    up = np.array(response, dtype=float)
    down = np.zeros(n)
    down[0] = 1.0
    z = np.empty(n)
    present, ends, reached = reference, "", n
    for k in range(n):
        rho = up[0] / down[0]
        if not abs(rho) < 1.0:
            ends, reached = ("open" if rho > 0 else "short"), k
            break
        present *= (1.0 + rho) / (1.0 - rho)
        if present > most * reference or present < reference / most:
            ends, reached = ("open" if present > reference else "short"), k
            break
        z[k] = present
        behind = up - rho * down
        down = (down - rho * up)[:-1]
        # Behind the layer what comes back is one sample nearer.
        up = behind[1:]
        if not len(down):
            reached = k + 1
            break
    return Profile(0.5 * np.asarray(time[:reached], dtype=float), z[:reached], ends)


@dataclass(frozen=True, slots=True)
class Lump:
    """A lumped part in the profile: "shunt C" or "series L", its value (F or H), where (s)."""

    kind: str
    value: float
    delay: float
    excess_delay: float


def find_lumps(profile: Profile, resolution: float, *, smallest: float = 1e-12) -> list[Lump]:
    """Parts of the profile that go beyond the lines on both sides, in the order of their places.

    Between two stretches that are level the profile may pass from one to the other as it likes, for
    a step seen through an edge does so; what leaves the room between both is a part.

    Parameters
    ----------
    resolution : s one way, over which an edge smears a step
    smallest : s, excess delay below which nothing is called a part; behind steps that are large,
        so that echoes between them matter, it is more
    """
    if len(profile.delay) < 5:
        return []
    dx = float(profile.delay[1] - profile.delay[0])
    wide = max(round(0.5 * resolution / dx), 2)
    if len(profile.z) < 2 * wide:
        return []
    log_z = np.log(profile.z)
    near = np.lib.stride_tricks.sliding_window_view(log_z, wide)
    level = np.zeros(len(log_z), dtype=bool)
    for k in np.flatnonzero(near.max(axis=1) - near.min(axis=1) < _LEVEL):
        level[k : k + wide] = True
    found: list[Lump] = []
    steps = [0.0, 0.0]
    for first, last in _runs(~level):
        before, after = _beside(log_z, level, first, last, wide)
        # An echo goes back and forth between two steps that lie ahead of it.
        two, one = sorted(steps)[-2:]
        least = max(smallest, _ECHO * resolution * one * one * two)
        here = _parts(profile, first, last, (before, after), wide, least)
        found += here
        steps.append(abs(after - before) / (after + before))
        steps += [min(abs(part.excess_delay) / (3.0 * resolution), 0.5) for part in here]
    return found


def _runs(where: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Stretches (first, one beyond the last) that are true."""
    turns = np.flatnonzero(np.diff(np.concatenate([[False], where, [False]]).astype(np.int8)))
    return [(int(a), int(b)) for a, b in zip(turns[::2], turns[1::2], strict=True)]


def _beside(
    log_z: FloatArray, level: NDArray[np.bool_], first: int, last: int, wide: int
) -> tuple[float, float]:
    """Impedance of the lines on both sides of a stretch, ohm.

    Next to it an edge's last bit is still there, so that it is read half a width away, as far as
    the line goes on.
    """

    def read(at: int, step: int) -> float:
        places = [at]
        while (
            len(places) <= wide and 0 <= places[-1] + step < len(log_z) and level[places[-1] + step]
        ):
            places.append(places[-1] + step)
        far = places[len(places) // 2 :]
        return float(np.exp(log_z[far].mean()))

    return read(max(first - 1, 0), -1), read(min(last, len(log_z) - 1), 1)


def _parts(
    profile: Profile, first: int, last: int, beside: tuple[float, float], wide: int, smallest: float
) -> list[Lump]:
    """Parts in a stretch that is not level, each by what of the excess is nearest to it."""
    start, stop = max(first - wide, 0), min(last + wide, len(profile.z))
    x, z = profile.delay[start:stop], profile.z[start:stop]
    low, high = min(beside), max(beside)
    beyond = np.where(z > high, np.log(z / high), np.where(z < low, np.log(z / low), 0.0))
    peaks = sorted(
        (a + int(np.argmax(np.abs(beyond[a:b]))), a, b)
        for sign in (1.0, -1.0)
        for a, b in _runs(sign * beyond > 0.0)
        if np.abs(beyond[a:b]).max() > _BEYOND
    )
    if not peaks:
        return []
    # The lines meet where the part is: in the middle of what does not belong to either.
    largest, first_in, last_in = max(peaks, key=lambda one: abs(beyond[one[0]]))
    at, dx = float(x[largest]), float(x[1] - x[0])
    lead = np.sign(beyond[largest])
    for _ in range(_ROUNDS):
        base = np.where(x < at, beside[0], beside[1])
        departure = z / base - base / z
        share = np.maximum(lead * departure, 0.0)
        at = float(np.clip((share * x).sum() / share.sum(), x[first_in], x[last_in - 1]))
    base = np.where(x < at, beside[0], beside[1])
    departure = z / base - base / z
    owner = np.argmin([np.abs(np.arange(len(x)) - peak) for peak, _, _ in peaks], axis=0)
    mine = [np.where(owner == k, departure, 0.0) for k in range(len(peaks))]
    excess = [float(one.sum() * dx) for one in mine]
    out = []
    for k, (peak, a, b) in enumerate(peaks):
        if excess[k] * beyond[peak] <= 0.0 or abs(excess[k]) < smallest:
            continue
        # Only what goes beyond both lines tells where it lies.
        away = np.abs(beyond[a:b])
        place = float(np.sum(away * x[a:b]) / away.sum())
        series = excess[k] > 0.0
        value = float((mine[k] * base if series else -mine[k] / base).sum() * dx)
        out.append(Lump("series L" if series else "shunt C", value, place, excess[k]))
    return sorted(out, key=lambda lump: lump.delay)
