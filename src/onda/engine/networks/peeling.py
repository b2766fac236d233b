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
    "lump_between",
    "peeled",
    "plain_impedance",
    "sharpened",
]

FloatArray = NDArray[np.float64]
_OPEN = 100.0


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


def lump_between(
    profile: Profile, start: float, stop: float, before: float, after: float, at: float
) -> Lump:
    """The lumped part that a stretch of the profile holds beyond a step from `before` to `after`.

    Parameters
    ----------
    start, stop : s one way; before, after : ohm of the lines on both sides; at : s, of the step
    """
    inside = (profile.delay >= start) & (profile.delay <= stop)
    if inside.sum() < 3:
        raise NotPhysical("stretch", f"{start:.4g} to {stop:.4g} s", "inside the profile")
    x, z = profile.delay[inside], profile.z[inside]
    base = np.where(x < at, before, after)
    dx = float(x[1] - x[0])
    departure = z / base - base / z
    excess = float(departure.sum() * dx)
    # Only what leans to the side of the whole tells where it lies.
    leaning = np.maximum(departure * np.sign(excess), 0.0)
    place = float(np.sum(leaning * x) / leaning.sum()) if leaning.sum() > 0 else at
    if excess < 0:
        return Lump("shunt C", float(-(departure / base).sum() * dx), place, excess)
    return Lump("series L", float((departure * base).sum() * dx), place, excess)


def find_lumps(profile: Profile, resolution: float, *, smallest: float = 0.5e-12) -> list[Lump]:
    """Dips and peaks of the profile as lumped parts, in the order of their places.

    Parameters
    ----------
    resolution : s one way, over which an edge smears a step
    smallest : s, excess delay below which nothing is called a part
    """
    dx = float(profile.delay[1] - profile.delay[0]) if len(profile.delay) > 1 else resolution
    reach = max(round(1.5 * resolution / dx), 2)
    found: list[Lump] = []
    log_z = np.log(profile.z)
    k = reach
    while k < len(log_z) - reach:
        near = log_z[k - reach : k + reach + 1]
        sides = log_z[max(k - 2 * reach, 0)], log_z[min(k + 2 * reach, len(log_z) - 1)]
        top = log_z[k] == near.max() and log_z[k] > max(sides) + 0.01
        low = log_z[k] == near.min() and log_z[k] < min(sides) - 0.01
        if top or low:
            before, after = (float(np.exp(v)) for v in sides)
            at = float(profile.delay[k])
            span = 2.0 * reach * dx
            lump = lump_between(profile, at - span, at + span, before, after, at)
            if found and abs(found[-1].delay - lump.delay) < reach * dx:
                # Two turns of one dip.
                found[-1] = max(found[-1], lump, key=lambda p: abs(p.excess_delay))
            elif abs(lump.excess_delay) >= smallest:
                found.append(lump)
            k += reach
        k += 1
    return found
