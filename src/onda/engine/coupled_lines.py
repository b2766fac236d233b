"""n coupled lines as n modes that travel alone, each an ordinary line.

With v = T v_m and i = T^-T i_m the products v.i and v_m.i_m agree, and each mode sees
Z = T^-1 Z' T^-T and Y = T^T Y' T (Paul, Analysis of Multiconductor Transmission Lines (2008),
section 7.2). T is the same at all frequencies: exact for lossless lines and for any symmetric pair;
elsewhere what T leaves off the diagonal is told as `left_out`.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.lines import CapacitancePart, Line, waves_along
from onda.engine.section.multiline import line_modes
from onda.errors import NotPhysical

__all__ = ["CoupledLine", "ladder_free_modes", "lossless_coupled", "pair_line"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class CoupledLine:
    """Coupled lines by their modes.

    Attributes
    ----------
    transform : (n, n), columns are the voltages of the modes on the lines
    modes : n lines, in the order of the columns
    left_out : largest element off the diagonal that is left out, as a share of the diagonal
    """

    transform: FloatArray
    modes: tuple[Line, ...]
    left_out: float = 0.0

    @property
    def size(self) -> int:
        """Number of lines."""
        return len(self.modes)

    @property
    def r_dc(self) -> FloatArray:
        """(n, n) ohm/m, what a direct current meets."""
        r = np.array([mode.r_dc for mode in self.modes])
        return np.asarray((self.transform * r) @ self.transform.T)

    @property
    def inverse(self) -> FloatArray:
        """(n, n), from voltages on the lines to those of the modes."""
        return np.asarray(np.linalg.inv(self.transform))

    def admittance(self, s: ComplexArray, length: float) -> tuple[ComplexArray, ComplexArray]:
        """Blocks (..., n, n) of the admittance of a piece: i_a = own v_a - mutual v_b."""
        back = self.inverse
        own, mutual = [], []
        for mode in self.modes:
            gamma, zc = mode.propagation(s)
            decay = np.exp(-gamma * length)
            d = zc * (1.0 - decay**2)
            own.append((1.0 + decay**2) / d)
            mutual.append(2.0 * decay / d)

        def on_lines(values: list[ComplexArray]) -> ComplexArray:
            return np.asarray(np.einsum("mi,...m,mj->...ij", back, np.stack(values, -1), back))

        return on_lines(own), on_lines(mutual)

    def along(
        self,
        length: float,
        s: ComplexArray,
        ends: tuple[ComplexArray, ComplexArray],
        places: FloatArray,
    ) -> tuple[ComplexArray, ComplexArray]:
        """Transforms of voltages and currents (n, places, f) from the voltages (n, f) of both ends.

        Currents are counted from the first end to the second.
        """
        near, far = (self.inverse @ end for end in ends)
        modal = [
            waves_along(mode, length, s, (near[m], far[m]), places)
            for m, mode in enumerate(self.modes)
        ]
        volts = np.einsum("lm,mps->lps", self.transform, np.stack([v for v, _ in modal]))
        amps = np.einsum("ml,mps->lps", self.inverse, np.stack([i for _, i in modal]))
        return np.asarray(volts), np.asarray(amps)

    def s_parameters(
        self, frequency: FloatArray, length: float, z_ref: float = 50.0
    ) -> ComplexArray:
        """Scattering matrix (f, 2n, 2n), ports: all near ends, then all far ends."""
        s = np.asarray(2j * np.pi * np.asarray(frequency, dtype=float))
        own, mutual = self.admittance(s, length)
        y = z_ref * np.concatenate(
            [np.concatenate([own, -mutual], -1), np.concatenate([-mutual, own], -1)], -2
        )
        unit = np.eye(y.shape[-1])
        return np.asarray(np.linalg.solve(unit + y, unit - y))


def lossless_coupled(inductance: FloatArray, c: FloatArray) -> CoupledLine:
    """Lossless lines with `inductance` (n, n) H/m and Maxwell capacitance `c` (n, n) F/m."""
    modes = line_modes(c, inductance)
    return ladder_free_modes(modes.voltage, inductance, c)


def ladder_free_modes(transform: FloatArray, inductance: FloatArray, c: FloatArray) -> CoupledLine:
    """Lines without loss in the modes of `transform`."""
    back = np.linalg.inv(transform)
    l_modal = back @ inductance @ back.T
    c_modal = transform.T @ c @ transform
    left = 0.0
    for matrix in (l_modal, c_modal):
        scale = np.sqrt(np.outer(np.diag(matrix), np.diag(matrix)))
        left = max(left, float(np.abs(matrix / scale - np.eye(len(matrix))).max()))
    lines = tuple(
        Line(float(a), (CapacitancePart(float(b)),))
        for a, b in zip(np.diag(l_modal), np.diag(c_modal), strict=True)
    )
    return CoupledLine(transform, lines, left)


def pair_line(odd: Line, even: Line) -> CoupledLine:
    """A symmetric pair from its odd and even line, each per conductor: exact at any frequency."""
    if odd is even:
        raise NotPhysical("pair", "one mode twice", "an odd and an even line")
    transform = np.array([[1.0, 1.0], [-1.0, 1.0]]) / np.sqrt(2.0)
    return CoupledLine(transform, (odd, even))
