"""What lines and n-ports are to a net in time: ends, what each holds, and what reaches it.

At an end with voltage v the current into the line is i = Y v - J. Y is the admittance that the end
holds, and J what reaches it: of each wave w = Y v + i that left an end, now or earlier, a share.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

__all__ = ["Echo", "End", "Hold", "Reach", "Ring", "Waves"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_NONE = np.empty(0)


@dataclass(frozen=True, slots=True)
class End:
    """Nodes, and their shares in the voltage of this end."""

    nodes: tuple[int, ...]
    shares: tuple[float, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Hold:
    """Current into end `row` for the voltage of end `column`: constant + sum r_k / (s + p_k), S."""

    row: int
    column: int
    constant: float
    poles: FloatArray = field(default_factory=lambda: _NONE)
    residues: FloatArray = field(default_factory=lambda: _NONE)


@dataclass(frozen=True, slots=True, eq=False)
class Reach:
    """Share of the wave of end `source` that reaches end `to`, `delay` s later:
    constant + sum r_k / (s + p_k)."""

    to: int
    source: int
    delay: float
    constant: float
    poles: FloatArray = field(default_factory=lambda: _NONE)
    residues: FloatArray = field(default_factory=lambda: _NONE)


@dataclass(frozen=True, slots=True, eq=False)
class Ring:
    """Share of the wave of end `source` that reaches end `to` at once and rings on:
    constant + 2 Re sum r_k / (s - p_k), Re p_k < 0."""

    to: int
    source: int
    constant: float
    poles: ComplexArray
    residues: ComplexArray


@dataclass(frozen=True, slots=True, eq=False)
class Echo:
    """Shares of the waves of end `source`, `stride` steps apart, that reach end `to`."""

    to: int
    source: int
    stride: int
    taps: FloatArray


@dataclass(slots=True)
class Waves:
    """All of them; grown while a net is assembled. `error` is the largest of the models' fits."""

    ends: list[End] = field(default_factory=list)
    holds: list[Hold] = field(default_factory=list)
    reaches: list[Reach] = field(default_factory=list)
    rings: list[Ring] = field(default_factory=list)
    echoes: list[Echo] = field(default_factory=list)
    error: float = 0.0

    def end(self, nodes: tuple[int, ...], shares: tuple[float, ...]) -> int:
        """A fresh end."""
        self.ends.append(End(nodes, shares))
        return len(self.ends) - 1
