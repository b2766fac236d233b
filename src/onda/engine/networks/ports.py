"""Which port is joined to which, and on which side it is.

Partners are read from the response near DC, where lines just connect; sides from when the lanes
hear each other: at once on one side, after the way through across.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.sampling import even_grid, phase_delay

__all__ = [
    "PortFinding",
    "find_sides",
    "find_through",
    "halves_order",
    "judge_order",
    "odd_even_order",
    "order_words",
    "suggest_order",
]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_CLEAR = 2.0
"""A partner must hear a port this much louder than any other does, or nothing is claimed."""
_EARLY = 0.6
"""Of the way through: what is heard before it is near-end crosstalk."""
_RESOLVED = 2.0
"""Periods of the highest frequency that the way through must take for that to be told."""
_HEARD = 1e-9
"""Of the energy of the loudest entry: lanes that hear less of each other do not tell their side."""
_SURE = 0.5
"""How clearly one side must outweigh the other."""
_UNCLEAR = "no clear way through; nothing speaks for or against it"


@dataclass(frozen=True, slots=True)
class PortFinding:
    """Who is joined to whom.

    Attributes
    ----------
    partner : for each port its partner on the other side, None where nothing is clear
    clearness : least ratio of the partner's response to the next loudest one
    """

    partner: tuple[int | None, ...]
    clearness: float


def halves_order(n: int) -> tuple[int, ...]:
    """Ports 0.. n/2-1 left, the others right."""
    return tuple(range(n))


def odd_even_order(n: int) -> tuple[int, ...]:
    """Ports 0, 2, 4.. left, 1, 3, 5.. right."""
    return (*range(0, n, 2), *range(1, n, 2))


def find_through(frequency: FloatArray, s: ComplexArray) -> PortFinding:
    """Partners by the mean response of the lowest tenth of the band (three points at least)."""
    n = s.shape[-1]
    count = max(3, min(len(frequency), len(frequency) // 10))
    level = np.abs(s[:count]).mean(axis=0)
    level = np.maximum(level, level.T)
    np.fill_diagonal(level, 0.0)
    if n < 2:
        return PortFinding((None,) * n, 0.0)
    best = level.argmax(axis=1)
    ordered = np.sort(level, axis=1)
    second = ordered[:, -2] if n > 2 else np.full(n, 1e-9)
    ratio = ordered[:, -1] / np.maximum(second, 1e-9)
    partner: list[int | None] = []
    for p in range(n):
        q = int(best[p])
        mutual = int(best[q]) == p
        partner.append(q if mutual and ratio[p] > _CLEAR else None)
    return PortFinding(tuple(partner), float(ratio.min()))


def find_sides(
    frequency: FloatArray, s: ComplexArray, partner: tuple[int | None, ...]
) -> tuple[int | None, ...]:
    """Side (0 or 1) of each port, by when the lanes hear each other; None where they do not.

    Ports on one side hear each other at once, ports on two sides not before the way through has
    passed. Sides are told from that of the first port that has a partner.
    """
    n = s.shape[-1]
    lanes = [(p, int(q)) for p, q in enumerate(partner) if q is not None and p < q]
    side: list[int | None] = [None] * n
    if not lanes:
        return tuple(side)
    side[lanes[0][0]], side[lanes[0][1]] = 0, 1
    if len(lanes) == 1 or len(frequency) < 4:
        return tuple(side)
    votes = _votes(frequency, s, lanes)
    known = {0}
    while len(known) < len(lanes):
        # The surest lane next, from any that is known.
        a, b = max(
            ((a, b) for a in known for b in range(len(lanes)) if b not in known),
            key=lambda ab: abs(votes[ab]),
        )
        if abs(votes[a, b]) < _SURE:
            break
        first = side[lanes[a][0]]
        assert first is not None
        side[lanes[b][0]] = first if votes[a, b] > 0 else 1 - first
        side[lanes[b][1]] = first if votes[a, b] < 0 else 1 - first
        known.add(b)
    return tuple(side)


def _votes(frequency: FloatArray, s: ComplexArray, lanes: list[tuple[int, int]]) -> FloatArray:
    """For two lanes (l, l) 1 where their first ports are surely on one side, -1 where surely not,
    0 where nothing tells."""
    even = even_grid(frequency, s)
    taper = 0.5 + 0.5 * np.cos(np.pi * even.frequency / even.frequency[-1])
    energy = np.fft.irfft(even.s * taper[:, None, None], axis=0) ** 2
    loudest = float(energy.sum(axis=0).max())
    place = np.arange(len(energy)) / (len(energy) * even.step)
    # What the soft end of the band smears to just before 0 is there at once too.
    place = np.where(place > 0.9 / even.step, place - 1.0 / even.step, place)
    delay = [max(phase_delay(frequency, s[:, q, p]), 0.0) for p, q in lanes]
    out = np.zeros((len(lanes), len(lanes)))
    for a, b in np.ndindex(len(lanes), len(lanes)):
        way = min(delay[a], delay[b])
        if a == b or way * even.frequency[-1] < _RESOLVED:
            continue
        early = energy[place < _EARLY * way].sum(axis=0)
        (p, p2), (q, q2) = lanes[a], lanes[b]
        alike = float(early[p, q] + early[q, p] + early[p2, q2] + early[q2, p2])
        across = float(early[p, q2] + early[q2, p] + early[p2, q] + early[q, p2])
        if alike + across > _HEARD * loudest:
            out[a, b] = (alike - across) / (alike + across)
    return out


def suggest_order(
    frequency: FloatArray, s: ComplexArray, order: tuple[int, ...]
) -> tuple[int, ...] | None:
    """A better order (left ports, then right ones lane by lane), None where the order is right.

    As `judge_order` says.
    """
    return judge_order(frequency, s, order)[0]


def judge_order(
    frequency: FloatArray, s: ComplexArray, order: tuple[int, ...]
) -> tuple[tuple[int, ...] | None, str]:
    """A better order (left ports, then right ones lane by lane), None where the order is right or
    nothing speaks against it, and in words what speaks for it.

    Lanes keep their places, and the side of the first port stays the left one; a lane that the
    others do not hear stays as it is.
    """
    n = s.shape[-1]
    found = find_through(frequency, s)
    partner = [int(p) for p in found.partner if p is not None]
    if len(partner) < n:
        return None, _UNCLEAR
    side = find_sides(frequency, s, found.partner)
    words = _words(n, side)
    if n % 2:
        return None, words
    half = n // 2
    left = list(order[:half])
    if any(partner[p] in left for p in left):
        left = sorted(min(p, partner[p]) for p in range(n))[::2]
    here = side[left[0]]
    left = [partner[p] if here is not None and side[p] == 1 - here else p for p in left]
    wanted = (*left, *(partner[p] for p in left))
    return None if wanted == tuple(order) else wanted, words


def order_words(frequency: FloatArray, s: ComplexArray) -> str:
    """What speaks for an order that fits: left ports, then right ones lane by lane."""
    return judge_order(frequency, s, tuple(range(s.shape[-1])))[1]


def _words(n: int, side: tuple[int | None, ...]) -> str:
    if any(one is None for one in side):
        return "the way through fits; lanes that do not hear each other may be turned round"
    if n == 2:
        return "the way through is where it should be"
    return "the way through fits, and so does when the lanes hear each other"
