"""What is connected to what: nodes, branches to a rail, parts between nodes, line pieces."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.lines import Line
from onda.errors import NotPhysical

__all__ = ["LinePiece", "Net", "SeriesPart", "ShuntBranch"]


@dataclass(frozen=True, slots=True)
class ShuntBranch:
    """R, L and C in series from a node to a rail of `e` volts, or to the source.

    `c` None means no capacitor (a short in its place).
    """

    node: int
    r: float = 0.0
    l: float = 0.0  # noqa: E741 - the field's own name for inductance
    c: float | None = None
    e: float = 0.0
    source: bool = False

    def impedance(self, s: NDArray[np.complex128]) -> NDArray[np.complex128]:
        """Impedance at s, ohm."""
        return _series_rlc(self.r, self.l, self.c, s)


@dataclass(frozen=True, slots=True)
class SeriesPart:
    """R, L and C in series between two nodes."""

    node_a: int
    node_b: int
    r: float = 0.0
    l: float = 0.0  # noqa: E741
    c: float | None = None

    def impedance(self, s: NDArray[np.complex128]) -> NDArray[np.complex128]:
        """Impedance at s, ohm."""
        return _series_rlc(self.r, self.l, self.c, s)


def _series_rlc(
    r: float, inductance: float, c: float | None, s: NDArray[np.complex128]
) -> NDArray[np.complex128]:
    z = r + s * inductance
    return z if c is None else z + 1.0 / (s * c)


@dataclass(frozen=True, slots=True)
class LinePiece:
    """A line of `length` metres between two nodes."""

    node_a: int
    node_b: int
    line: Line
    length: float


@dataclass(frozen=True, slots=True)
class Net:
    """A net of `nodes` nodes, numbered from 0."""

    nodes: int
    shunts: tuple[ShuntBranch, ...]
    lines: tuple[LinePiece, ...] = ()
    series: tuple[SeriesPart, ...] = ()

    def check(self) -> None:
        """Raise `NotPhysical` where the net cannot be solved."""
        if self.nodes < 1:
            raise NotPhysical("nodes", self.nodes, "at least 1")
        if not any(b.source for b in self.shunts):
            raise NotPhysical("net", "no source", "driven by at least one source branch")
        for i, branch in enumerate(self.shunts):
            self._check_node(f"shunts[{i}]", branch.node)
            _check_rlc(f"shunts[{i}]", branch.r, branch.l, branch.c)
        for i, part in enumerate(self.series):
            self._check_node(f"series[{i}]", part.node_a)
            self._check_node(f"series[{i}]", part.node_b)
            _check_rlc(f"series[{i}]", part.r, part.l, part.c)
        for i, piece in enumerate(self.lines):
            self._check_node(f"lines[{i}]", piece.node_a)
            self._check_node(f"lines[{i}]", piece.node_b)
            if not (math.isfinite(piece.length) and piece.length > 0):
                raise NotPhysical(f"lines[{i}].length", piece.length, "above 0 m")

    def _check_node(self, where: str, node: int) -> None:
        if not 0 <= node < self.nodes:
            raise NotPhysical(f"{where}.node", node, f"0 to {self.nodes - 1}")


def _check_rlc(where: str, r: float, inductance: float, c: float | None) -> None:
    for name, value in (("r", r), ("l", inductance)):
        if not (math.isfinite(value) and value >= 0):
            raise NotPhysical(f"{where}.{name}", value, "0 or above")
    if c is not None and not (math.isfinite(c) and c > 0):
        raise NotPhysical(f"{where}.c", c, "above 0 F")
    if r == 0 and inductance == 0 and c is None:
        raise NotPhysical(where, "a short", "some resistance, inductance or capacitance")
