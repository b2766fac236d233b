"""Impedances and delays of the modes of a single line or a pair."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.constants import EPS0_F_PER_M, MU0_H_PER_M
from onda.engine.section.multiline import line_modes
from onda.engine.section.solve import SectionResult
from onda.errors import NotPhysical

__all__ = [
    "DRIVES",
    "DrivenMode",
    "PairModes",
    "SingleMode",
    "driven_mode",
    "mode_of",
    "modes_of_pair",
    "odd_even",
    "pair_modes",
    "rest_currents",
    "resting_mode",
    "single_mode",
]

DRIVES = np.array([1.0, -1.0]), np.array([1.0, 1.0])
"""Currents of a pair: equal and opposite, and equal."""


_CONVERTS = 2e-3
"""Common for differential voltage from which on lines are called unlike."""


@dataclass(frozen=True, slots=True)
class SingleMode:
    """One line over its return: ohm, 1, s/m, H/m, F/m."""

    z0: float
    eeff: float
    delay: float
    inductance: float
    capacitance: float


@dataclass(frozen=True, slots=True, eq=False)
class DrivenMode:
    """What stated currents see, and the voltages (n,) that they bring, of 1 V for their norm."""

    mode: SingleMode
    volts: NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class PairModes:
    """Odd and even mode of a pair.

    `z_diff` = 2 z_odd, `z_common` = z_even / 2, `coupling` = (z_even - z_odd)/(z_even + z_odd).
    Of unequal lines these are what equal and opposite (or equal) currents see, see `driven_mode`.
    `conversion` is the common voltage for 1 V of differential voltage that such currents bring.
    """

    odd: SingleMode
    even: SingleMode
    conversion: float = 0.0

    @property
    def converts(self) -> bool:
        """Whether the lines are unlike enough for a remark."""
        return abs(self.conversion) >= _CONVERTS

    @property
    def z_diff(self) -> float:
        """Differential impedance, ohm."""
        return 2.0 * self.odd.z0

    @property
    def z_common(self) -> float:
        """Common-mode impedance, ohm."""
        return 0.5 * self.even.z0

    @property
    def coupling(self) -> float:
        """Backward coupling factor, 0..1."""
        return (self.even.z0 - self.odd.z0) / (self.even.z0 + self.odd.z0)


def mode_of(c: float, c0: float, inductance: float) -> SingleMode:
    """Impedance, effective permittivity and delay from per-length C, vacuum C and L.

    Pozar, Microwave Engineering (2012), eqs. (3.178), (3.180).
    """
    return SingleMode(
        z0=math.sqrt(inductance / c),
        eeff=c / c0,
        delay=math.sqrt(inductance * c),
        inductance=inductance,
        capacitance=c,
    )


def single_mode(result: SectionResult) -> SingleMode:
    """Mode of a section with one signal conductor."""
    if len(result.signals) != 1:
        raise NotPhysical("signals", len(result.signals), "one for a single line")
    return mode_of(float(result.c[0, 0]), float(result.c0[0, 0]), float(result.l_ext[0, 0]))


def rest_currents(result: SectionResult, line: int) -> NDArray[np.float64]:
    """Currents (n,) of all lines for 1 A in one where the others stay at 0 V all along.

    No flux may pass between a line that is held and its return: L x = 0 in the rows of the others.
    """
    column = np.linalg.inv(result.l_ext)[:, line]
    return np.asarray(column / column[line])


def resting_mode(result: SectionResult, line: int) -> SingleMode:
    """One line of n with the others held at 0 V all along; of a single line its only mode.

    Both values are of that same drive, C_kk and 1 / (L^-1)_kk, so that the square of the velocity
    is a Rayleigh quotient of L^-1 over C and never leaves the range of the modes (Paul, "Analysis
    of Multiconductor Transmission Lines" (2008), sections 3.2 and 7.2).
    """
    inductance = 1.0 / float(np.linalg.inv(result.l_ext)[line, line])
    return mode_of(float(result.c[line, line]), float(result.c0[line, line]), inductance)


def driven_mode(
    c: NDArray[np.float64], inductance: NDArray[np.float64], currents: NDArray[np.float64]
) -> DrivenMode:
    """What currents (n,) in lines with Maxwell `c` (n, n) F/m and `inductance` (n, n) H/m see when
    they start out together.

    With v = Zc i the impedance is i.v, the delay the mean of those of the modes, by the power that
    each carries: i.L.i / i.v. From Zc C Zc = L the stored energies agree with both (Paul, "Analysis
    of Multiconductor Transmission Lines" (2008), section 7.2). Of a mode of its own these are its
    impedance and delay.
    """
    i = np.asarray(currents, dtype=float)
    i = i / float(np.linalg.norm(i))
    v = line_modes(c, inductance).z_characteristic @ i
    z, own = float(i @ v), float(i @ inductance @ i)
    return DrivenMode(mode_of(own / z**2, EPS0_F_PER_M * MU0_H_PER_M / own, own), v / z)


def odd_even(matrix: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Odd and even part of one or many 2 x 2 matrices (..., 2, 2); means of both lines."""
    own = 0.5 * (matrix[..., 0, 0] + matrix[..., 1, 1])
    mutual = 0.5 * (matrix[..., 0, 1] + matrix[..., 1, 0])
    return own - mutual, own + mutual


def pair_modes(result: SectionResult) -> PairModes:
    """Odd and even mode of a section with two signal conductors."""
    if len(result.signals) != 2:
        raise NotPhysical("signals", len(result.signals), "two for a pair")
    return modes_of_pair(result.c, result.l_ext)


def modes_of_pair(c: NDArray[np.float64], inductance: NDArray[np.float64]) -> PairModes:
    """Odd and even mode of two lines with Maxwell capacitance and inductance (2, 2)."""
    odd, even = (driven_mode(c, inductance, drive) for drive in DRIVES)
    # Both lines of a symmetric pair swing alike.
    common, difference = float(odd.volts.sum()) / 2.0, float(odd.volts[0] - odd.volts[1])
    return PairModes(odd.mode, even.mode, common / difference)
