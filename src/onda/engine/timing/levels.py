"""What the levels at the strobe tell: which earlier bit moves them, and whether they sag."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["Memory", "memory_of"]

FloatArray = NDArray[np.float64]
_MOST = 12
"""Earlier bits that are asked."""


@dataclass(frozen=True, slots=True)
class Memory:
    """Levels at the strobe as a sum over bits.

    Attributes
    ----------
    middle, own : V, the level in the middle and half the swing that the sampled bit makes
    earlier : (k,) V that each earlier bit adds while it is a one and takes while it is a zero, the
        last one first
    left : V rms that no bit explains
    """

    middle: float
    own: float
    earlier: FloatArray
    left: float

    @property
    def strongest(self) -> int:
        """Which earlier bit moves the level most, from 1."""
        return int(np.argmax(np.abs(self.earlier))) + 1

    @property
    def tail(self) -> float:
        """Share of the swing that all earlier bits together can take."""
        return float(np.abs(self.earlier).sum() / max(abs(self.own), 1e-30))

    @property
    def is_slope(self) -> bool:
        """Whether earlier bits pull the same way, each less than the one after it: a slow edge."""
        first = self.earlier[:3]
        same = bool((np.sign(first) == np.sign(first[0])).all())
        falls = bool((np.diff(np.abs(first)) <= 0.0).all())
        return same and falls and float(first[0]) > 0.0


def memory_of(levels: FloatArray, bits: NDArray[np.int8], numbers: NDArray[np.int64]) -> Memory:
    """Least squares of levels (n,) V, each sampled while bit `numbers` (n,) of `bits` was sent.

    Where the pattern does not tell two bits apart, the smallest answer is taken.
    """
    count = min(_MOST, int(numbers.min()), max(len(levels) // 3 - 2, 1))
    sent = 2.0 * bits.astype(float) - 1.0
    columns = [np.ones(len(levels)), sent[numbers]]
    columns += [sent[numbers - k] for k in range(1, count + 1)]
    table = np.stack(columns, axis=1)
    found, *_ = np.linalg.lstsq(table, levels, rcond=None)
    rest = levels - table @ found
    return Memory(
        float(found[0]), float(found[1]), np.asarray(found[2:]), float(np.sqrt(np.mean(rest**2)))
    )
