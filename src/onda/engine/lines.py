"""A transmission line from per-length values: propagation, ABCD, S, voltages along it.

Everything is a function of complex frequency s (rad/s), so that the same line serves the frequency
response (s = j 2 pi f) and the transient by numerical inversion (Re s > 0).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from onda.engine.materials import Dielectric
from onda.errors import NotPhysical

__all__ = ["CapacitancePart", "Ladder", "Line", "lossless_line", "waves_along"]

ComplexArray = NDArray[np.complex128]
_FAR = 1e5
"""A pole this many times above a frequency is a plain inductor there, to a hundred-thousandth."""


@dataclass(frozen=True, slots=True)
class CapacitancePart:
    """The part of the capacitance that one dielectric carries: F/m at `er_ref`; None is air."""

    c_ref: float
    er_ref: float = 1.0
    dielectric: Dielectric | None = None


@dataclass(frozen=True, slots=True)
class Ladder:
    """What frequency adds to a series impedance: Z(s) = sum_k r_k s / (s + p_k), ohm/m.

    With p_k and r_k above 0 each term is a resistor beside an inductor, so that the sum is causal
    and passive whatever it was fitted to.

    Attributes
    ----------
    poles : p_k, rad/s; resistances : r_k, ohm/m
    """

    poles: tuple[float, ...]
    resistances: tuple[float, ...]

    def impedance(self, s: ComplexArray) -> ComplexArray:
        """Z at complex frequencies s (any shape, rad/s)."""
        s = np.asarray(s, dtype=complex)
        poles, r = np.array(self.poles), np.array(self.resistances)
        # Poles far above act as plain inductors; most of a fit's poles are such for one signal.
        far = poles > _FAR * float(np.abs(s).max(initial=0.0))
        total = s * float(np.sum(r[far] / poles[far]))
        for pole, resistance in zip(poles[~far].tolist(), r[~far].tolist(), strict=True):
            total += resistance * s / (s + pole)
        return np.asarray(total)


@dataclass(frozen=True, slots=True)
class Line:
    """Per-length line.

    Attributes
    ----------
    l_ext : H/m, external inductance
    capacitance : parts that add up to C(s)
    r_dc : ohm/m
    k_skin : ohm/(m sqrt(Hz)), R = k_skin sqrt(f) where the skin is thin
    skin_law : how DC and skin join. "sum": R_dc + k sqrt(s/pi), as data sheets of lines often
        state it. "root": sqrt(R_dc^2 + k^2 s/pi), which passes smoothly from the uniform current
        to the skin and has the right reactance at both ends.
    ladders : what crowding and roughness add, fitted to R(f) and L(f) that were solved for
    g_dc : S/m, conductance that does not depend on frequency
    """

    l_ext: float
    capacitance: tuple[CapacitancePart, ...]
    r_dc: float = 0.0
    k_skin: float = 0.0
    skin_law: Literal["sum", "root"] = "root"
    ladders: tuple[Ladder, ...] = ()
    g_dc: float = 0.0

    def series_impedance(self, s: ComplexArray) -> ComplexArray:
        """Z'(s), ohm/m, of the same shape as s."""
        more = s * self.l_ext
        for ladder in self.ladders:
            more = more + ladder.impedance(s)
        skin = self.k_skin * np.sqrt(s / math.pi)
        if self.skin_law == "sum":
            return np.asarray(more + self.r_dc + skin)
        return np.asarray(more + np.sqrt(self.r_dc**2 + skin**2))

    def shunt_admittance(self, s: ComplexArray) -> ComplexArray:
        """Y'(s), S/m, of the same shape as s."""
        total = np.zeros(np.shape(s), dtype=complex)
        for part in self.capacitance:
            if part.dielectric is None:
                total += part.c_ref
            else:
                total += part.c_ref * part.dielectric.permittivity(s) / part.er_ref
        return np.asarray(s * total + self.g_dc)

    def propagation(self, s: ComplexArray) -> tuple[ComplexArray, ComplexArray]:
        """Propagation constant gamma (1/m) and characteristic impedance (ohm) at s, s != 0."""
        z, y = self.series_impedance(s), self.shunt_admittance(s)
        zc = np.sqrt(z / y)
        return y * zc, zc

    def abcd(self, s: ComplexArray, length: float) -> ComplexArray:
        """Chain matrix (..., 2, 2) of a piece of `length` metres."""
        gamma, zc = self.propagation(s)
        gl = gamma * length
        cosh, sinh = np.cosh(gl), np.sinh(gl)
        out = np.empty((*np.shape(s), 2, 2), dtype=complex)
        out[..., 0, 0] = out[..., 1, 1] = cosh
        out[..., 0, 1] = zc * sinh
        out[..., 1, 0] = sinh / zc
        return out

    def s_parameters(
        self, frequency: NDArray[np.float64], length: float, z_ref: float = 50.0
    ) -> ComplexArray:
        """Scattering matrix (f, 2, 2) of a piece at frequencies in Hz.

        Written with the reflection at its ends, so that a long lossy piece does not overflow.
        Pozar, Microwave Engineering (2012), section 4.3.
        """
        gamma, zc = self.propagation(2j * np.pi * np.asarray(frequency, dtype=float))
        decay = np.exp(-gamma * length)
        rho = (zc - z_ref) / (zc + z_ref)
        d = 1.0 - (rho * decay) ** 2
        s11 = rho * (1.0 - decay**2) / d
        s21 = decay * (1.0 - rho**2) / d
        return np.stack([np.stack([s11, s21], -1), np.stack([s21, s11], -1)], -2)

    def delay_per_m(self, frequency: float) -> float:
        """Phase delay per metre at a frequency in Hz, s/m."""
        return _delay_per_m(self, frequency)

    def impedance(self, frequency: NDArray[np.float64]) -> ComplexArray:
        """Characteristic impedance (ohm) at frequencies in Hz."""
        return self.propagation(2j * np.pi * np.asarray(frequency, dtype=float))[1]

    def attenuation_db_per_m(self, frequency: NDArray[np.float64]) -> NDArray[np.float64]:
        """Attenuation (dB/m) at frequencies in Hz."""
        gamma, _ = self.propagation(2j * np.pi * np.asarray(frequency, dtype=float))
        return gamma.real * 20.0 / math.log(10.0)

    def scaled(self, impedance_factor: float) -> Line:
        """The same wave at another impedance level: 2 turns the odd mode into the differential."""
        k = impedance_factor
        return Line(
            self.l_ext * k,
            tuple(CapacitancePart(p.c_ref / k, p.er_ref, p.dielectric) for p in self.capacitance),
            self.r_dc * k,
            self.k_skin * k,
            self.skin_law,
            tuple(
                Ladder(ladder.poles, tuple(r * k for r in ladder.resistances))
                for ladder in self.ladders
            ),
            self.g_dc / k,
        )


@lru_cache(maxsize=512)
def _delay_per_m(line: Line, frequency: float) -> float:
    """Asked for the same few lines over and over while a net is built and drawn."""
    gamma, _ = line.propagation(np.array([2j * math.pi * frequency]))
    return float(gamma[0].imag / (2 * math.pi * frequency))


def lossless_line(z0: float, delay_per_m: float = 1.0) -> Line:
    """Ideal line of `z0` ohm; with the default delay of 1 s/m its length is its delay in s."""
    if not (math.isfinite(z0) and z0 > 0):
        raise NotPhysical("Z0", z0, "above 0 ohm")
    if not (math.isfinite(delay_per_m) and delay_per_m > 0):
        raise NotPhysical("delay", delay_per_m, "above 0")
    return Line(z0 * delay_per_m, (CapacitancePart(delay_per_m / z0),))


def waves_along(
    line: Line,
    length: float,
    s: ComplexArray,
    ends: tuple[ComplexArray, ComplexArray],
    places: NDArray[np.float64],
    known: dict[Line, tuple[ComplexArray, ComplexArray]] | None = None,
) -> tuple[ComplexArray, ComplexArray]:
    """Transforms of voltage and of current (places, m) along a line from the voltages of its ends.

    The current is counted from the first end to the second. One wave from each end, so that a long
    lossy line does not overflow. `known` keeps gamma and Zc at s of lines that were met before.
    """
    known = {} if known is None else known
    if line not in known:
        known[line] = line.propagation(s)
    gamma, zc = known[line]
    decay = np.exp(-gamma * length)
    a, b = ends
    from_a = (a - b * decay) / (1.0 - decay**2)
    from_b = (b - a * decay) / (1.0 - decay**2)
    x = places[:, None]
    onward = from_a * np.exp(-gamma * x)
    back = from_b * np.exp(-gamma * (length - x))
    return onward + back, (onward - back) / zc
