"""n coupled lines by their matrices, whatever these are: modes found anew at every frequency.

`coupled_lines` holds lines whose modes are the same at all frequencies. With loss in a common
return, or lines that are not alike, they are not; then nothing but the matrices themselves will do
(Paul, Analysis of Multiconductor Transmission Lines (2008), sections 7.2 and 8.1).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.lines import Ladder
from onda.engine.materials import Dielectric

__all__ = ["GroupCapacitance", "GroupLine", "GroupModes"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class GroupCapacitance:
    """The part of the Maxwell capacitance (n, n) F/m that one dielectric carries at `er_ref`."""

    c_ref: FloatArray
    er_ref: float = 1.0
    dielectric: Dielectric | None = None


@dataclass(frozen=True, slots=True, eq=False)
class GroupModes:
    """Modes at some frequencies: gamma (f, n) 1/m, voltage (f, n, n) with a mode in each column,
    its inverse, and the admittance that absorbs all of them, (f, n, n) S."""

    gamma: ComplexArray
    voltage: ComplexArray
    inverse: ComplexArray
    admittance: ComplexArray


@dataclass(frozen=True, slots=True, eq=False)
class GroupLine:
    """Coupled lines by matrices per length.

    Attributes
    ----------
    l_ext : (n, n) H/m, external inductance
    capacitance : parts that add up to C(s)
    r_dc : (n, n) ohm/m; what is off the diagonal is the common return
    k_skin : (n, n) ohm/(m sqrt(Hz)), beside r_dc: R_dc + k sqrt(s / pi)
    ladders : what crowding adds, each with the matrix (n, n) that it is scaled by
    """

    l_ext: FloatArray
    capacitance: tuple[GroupCapacitance, ...]
    r_dc: FloatArray
    k_skin: FloatArray
    ladders: tuple[tuple[Ladder, FloatArray], ...] = ()

    @property
    def size(self) -> int:
        """Number of lines."""
        return len(self.l_ext)

    @property
    def at_reference(self) -> FloatArray:
        """Maxwell capacitance (n, n) F/m of all parts as they were solved."""
        return sum((part.c_ref for part in self.capacitance), np.zeros_like(self.l_ext))

    @property
    def fastest(self) -> float:
        """Delay of the fastest mode without loss, s/m."""
        return float(np.sqrt(np.linalg.eigvals(self.l_ext @ self.at_reference).real.min()))

    @property
    def of_pairs(self) -> GroupLine:
        """Lines two by two as pairs, by their differential modes: v = v1 - v2, i = (i1 - i2) / 2.

        Their common modes are left out: exact for balanced pairs that are driven as such.
        """
        turn = np.kron(np.eye(self.size // 2), np.array([[1.0, -1.0]]))

        def series(matrix: FloatArray) -> FloatArray:
            return np.asarray(turn @ matrix @ turn.T)

        return GroupLine(
            series(self.l_ext),
            tuple(replace(p, c_ref=0.25 * series(p.c_ref)) for p in self.capacitance),
            series(self.r_dc),
            series(self.k_skin),
            tuple((ladder, series(share)) for ladder, share in self.ladders),
        )

    def scaled(self, impedance_factor: float) -> GroupLine:
        """The same waves at another impedance level."""
        k = impedance_factor
        return GroupLine(
            self.l_ext * k,
            tuple(replace(p, c_ref=p.c_ref / k) for p in self.capacitance),
            self.r_dc * k,
            self.k_skin * k,
            tuple((ladder, share * k) for ladder, share in self.ladders),
        )

    def series_impedance(self, s: ComplexArray) -> ComplexArray:
        """Z'(s), (f, n, n) ohm/m at s (f,) rad/s."""
        each = s[:, None, None]
        out = self.r_dc + self.k_skin * np.sqrt(each / math.pi) + each * self.l_ext
        for ladder, share in self.ladders:
            out = out + ladder.impedance(s)[:, None, None] * share
        return np.asarray(out)

    def shunt_admittance(self, s: ComplexArray) -> ComplexArray:
        """Y'(s), (f, n, n) S/m at s (f,) rad/s."""
        out = np.zeros((len(s), self.size, self.size), dtype=complex)
        for part in self.capacitance:
            share = (
                np.ones(len(s))
                if part.dielectric is None
                else part.dielectric.permittivity(s) / part.er_ref
            )
            out += share[:, None, None] * part.c_ref
        return np.asarray(s[:, None, None] * out)

    def modes(self, s: ComplexArray) -> GroupModes:
        """Modes at s (f,) rad/s, s != 0, in no particular order."""
        z, y = self.series_impedance(s), self.shunt_admittance(s)
        squared, voltage = np.linalg.eig(z @ y)
        gamma = np.sqrt(squared)
        inverse = np.linalg.inv(voltage)
        # Yc = Z^-1 sqrt(Z Y)
        admittance = np.linalg.solve(z, (voltage * gamma[:, None, :]) @ inverse)
        return GroupModes(gamma, voltage, inverse, np.asarray(admittance))

    def admittance(self, s: ComplexArray, length: float) -> tuple[ComplexArray, ComplexArray]:
        """Blocks (f, n, n) of the admittance of a piece: i_a = own v_a - mutual v_b."""
        w = self.modes(s)
        decay = np.exp(-w.gamma * length)
        d = 1.0 - decay**2
        own = w.voltage * ((1.0 + decay**2) / d)[:, None, :] @ w.inverse
        mutual = w.voltage * (2.0 * decay / d)[:, None, :] @ w.inverse
        return w.admittance @ own, w.admittance @ mutual

    def open_end(self, s: ComplexArray, length: float) -> ComplexArray:
        """Admittance (f, n, n) S of a piece whose far end is open."""
        w = self.modes(s)
        turn = np.tanh(w.gamma * length)
        return np.asarray(w.admittance @ ((w.voltage * turn[:, None, :]) @ w.inverse))

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
        w = self.modes(s)
        near, far = (np.einsum("fmn,nf->fm", w.inverse, end) for end in ends)
        decay = np.exp(-w.gamma * length)
        onward = (near - far * decay) / (1.0 - decay**2)
        back = (far - near * decay) / (1.0 - decay**2)
        x = np.asarray(places, dtype=float)[:, None, None]
        onward = onward * np.exp(-w.gamma * x)
        back = back * np.exp(-w.gamma * (length - x))
        carried = w.admittance @ w.voltage
        volts = np.einsum("fnm,pfm->npf", w.voltage, onward + back)
        return np.asarray(volts), np.asarray(np.einsum("fnm,pfm->npf", carried, onward - back))
