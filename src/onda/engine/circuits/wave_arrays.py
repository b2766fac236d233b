"""Ends of lines and n-ports as the arrays that a march works on."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.transient_arrays import Echoes, Ends, Holds, Memory, Reaches, Rings
from onda.engine.circuits.waves import Hold, Reach, Ring, Waves

__all__ = ["WaveArrays"]

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]


class WaveArrays:
    """Arrays of all ends for steps of `h` s; `now` (ends, ends) is their admittance at once."""

    def __init__(self, waves: Waves, h: float, steps: int) -> None:
        count = len(waves.ends)
        self.holds = _holds(waves.holds, h)
        self.reaches = _reaches(waves.reaches, h)
        self.rings = _rings(waves.rings, h)
        self.echoes = Echoes(
            _ints(e.to for e in waves.echoes),
            _ints(e.source for e in waves.echoes),
            _ints(e.stride for e in waves.echoes),
            _starts([len(e.taps) for e in waves.echoes]),
            _joined([e.taps for e in waves.echoes]),
        )
        own = np.zeros((count, count))
        for k, hold in enumerate(waves.holds):
            own[hold.row, hold.column] += hold.constant + _at_once(self.holds, k)
        # What a wave does to its own J in the same step: J = T w + k, w = 2 Y v - J.
        at_once = np.zeros((count, count))
        for k, reach in enumerate(waves.reaches):
            if lead := self.reaches.lead[k]:
                share = reach.constant + _at_once(self.reaches, k)
                at_once[reach.to, reach.source] += lead * share
        for k, ring in enumerate(waves.rings):
            at = slice(self.rings.start[k], self.rings.start[k + 1])
            now = 2.0 * float(np.real(self.rings.res[at] @ self.rings.a[at]))
            at_once[ring.to, ring.source] += ring.constant + now
        for echo in waves.echoes:
            at_once[echo.to, echo.source] += echo.taps[0]
        mixed = np.flatnonzero((at_once != 0.0).any(axis=0) | (at_once != 0.0).any(axis=1))
        mix = np.asarray(np.linalg.inv(np.eye(len(mixed)) + at_once[np.ix_(mixed, mixed)]))
        whole = np.eye(count)
        whole[np.ix_(mixed, mixed)] = mix
        self.now = own - 2.0 * whole @ at_once @ own
        row, column = np.nonzero(self.now)
        self.ends = Ends(
            p_start=_starts([len(e.nodes) for e in waves.ends]),
            p_node=_ints(n for e in waves.ends for n in e.nodes),
            p_val=np.array([v for e in waves.ends for v in e.shares], dtype=float),
            now_row=row,
            now_column=column,
            now_val=self.now[row, column],
            mixed=mixed,
            mix=mix,
        )
        self.memory = Memory(
            wave=np.zeros((steps, count)),
            z_state=np.zeros(len(self.holds.e)),
            q_state=np.zeros(len(self.reaches.e)),
            reach_u=np.zeros(len(waves.reaches)),
            r_state=np.zeros(len(self.rings.e), dtype=complex),
            before=np.zeros(count),
            end_v=np.zeros(count),
            end_i=np.zeros(count),
        )
        self._waves = waves

    def through(self, unknowns: int) -> FloatArray:
        """The admittance at once among nodes (n, n)."""
        shares = np.zeros((unknowns, len(self._waves.ends)))
        for k, end in enumerate(self._waves.ends):
            np.add.at(shares[:, k], list(end.nodes), end.shares)
        return np.asarray(shares @ self.now @ shares.T)


def _holds(holds: Sequence[Hold], h: float) -> Holds:
    poles = _joined([one.poles for one in holds])
    return Holds(
        _ints(one.row for one in holds),
        _ints(one.column for one in holds),
        np.array([one.constant for one in holds], dtype=float),
        _starts([len(one.poles) for one in holds]),
        *_recursion(poles, h),
        _joined([one.residues for one in holds]),
    )


def _reaches(reaches: Sequence[Reach], h: float) -> Reaches:
    poles = _joined([one.poles for one in reaches])
    steps = np.array([one.delay for one in reaches], dtype=float) / h
    whole = np.floor(steps).astype(np.int64)
    part = steps - whole
    return Reaches(
        _ints(one.to for one in reaches),
        _ints(one.source for one in reaches),
        whole,
        part,
        np.array([_lead(int(w), float(x)) for w, x in zip(whole, part, strict=True)], dtype=float),
        np.array([one.constant for one in reaches], dtype=float),
        _starts([len(one.poles) for one in reaches]),
        *_recursion(poles, h),
        _joined([one.residues for one in reaches]),
    )


def _rings(rings: Sequence[Ring], h: float) -> Rings:
    poles = np.concatenate([np.empty(0, complex), *(one.poles for one in rings)])
    ph = -poles * h
    e = np.exp(-ph)
    gone = (1.0 - e) / ph
    return Rings(
        _ints(one.to for one in rings),
        _ints(one.source for one in rings),
        np.array([one.constant for one in rings], dtype=float),
        _starts([len(one.poles) for one in rings]),
        e,
        np.asarray(h * (1.0 - gone) / ph, dtype=complex),
        np.asarray(h * (gone - e) / ph, dtype=complex),
        np.concatenate([np.empty(0, complex), *(one.residues for one in rings)]),
    )


def _lead(whole: int, x: float) -> float:
    """Weight of the wave of the very step in reading it `whole` + x steps earlier."""
    if whole == 0:
        return 0.5 * (1.0 - x) * (2.0 - x)
    return -x * (x - 1.0) * (x - 2.0) / 6.0 if whole == 1 else 0.0


def _at_once(parts: Holds | Reaches, k: int) -> float:
    """What the poles of one part give of a value in the same step."""
    at = slice(parts.start[k], parts.start[k + 1])
    return float(parts.res[at] @ parts.a[at])


def _recursion(poles: FloatArray, h: float) -> tuple[FloatArray, FloatArray, FloatArray]:
    """For z' = -p z + u with u straight between steps: z1 = e z0 + a u1 + b u0, exactly."""
    ph = poles * h
    e = np.exp(-ph)
    small = ph < 1e-4
    safe = np.where(small, 1.0, ph)
    gone = -np.expm1(-safe) / safe
    a = np.where(small, h * (0.5 - ph / 6.0), h * (1.0 - gone) / safe)
    b = np.where(small, h * (0.5 - ph / 3.0), h * (gone - e) / safe)
    return e, a, b


def _joined(parts: list[FloatArray]) -> FloatArray:
    return np.concatenate(parts) if parts else np.empty(0)


def _ints(values: object) -> IntArray:
    return np.array(list(values), dtype=np.int64)  # type: ignore[call-overload]


def _starts(counts: list[int]) -> IntArray:
    return np.cumsum([0, *counts]).astype(np.int64)
