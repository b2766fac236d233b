"""Rough copper: how much more it resists than smooth copper, and copper against temperature."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.constants import COPPER_RESISTIVITY_OHM_M, MU0_H_PER_M
from onda.errors import NotPhysical

__all__ = ["Hammerstad", "Huray", "Roughness", "copper_resistivity", "skin_depth"]

FloatArray = NDArray[np.float64]
_COPPER_PER_KELVIN = 0.00393
"""Temperature coefficient of annealed copper at 20 degrees (IEC 60028)."""
_SPHERES = 14
_SPHERE_SHARE = 0.06
_TILE_SHARE = 6.0


def copper_resistivity(temperature: float) -> float:
    """Resistivity (ohm m) of copper at a temperature in degrees Celsius.

    Examples
    --------
    >>> copper_resistivity(20.0) == COPPER_RESISTIVITY_OHM_M
    True
    """
    if not -150.0 <= temperature <= 400.0:
        raise NotPhysical("temperature", f"{temperature:g} degC", "between -150 and 400 degC")
    return COPPER_RESISTIVITY_OHM_M * (1.0 + _COPPER_PER_KELVIN * (temperature - 20.0))


def skin_depth(frequency: FloatArray, resistivity: float) -> FloatArray:
    """Depth (m) at which current has fallen to 1/e, at frequencies in Hz."""
    return np.sqrt(resistivity / (math.pi * MU0_H_PER_M * np.asarray(frequency, dtype=float)))


@dataclass(frozen=True, slots=True)
class Hammerstad:
    """Grooved surface of root-mean-square height `rq` (m).

    K = 1 + 2/pi atan(1.4 (rq/delta)^2): Hammerstad and Jensen, "Accurate models for microstrip
    computer-aided design", IEEE MTT-S (1980) 407, eq. (20). It saturates at 2.
    """

    rq: float

    @classmethod
    def from_rz(cls, rz: float) -> Hammerstad:
        """From ten-point height `rz` (m); rq = rz / (2 sqrt 3), that of an even profile."""
        return cls(_not_negative(rz) / (2.0 * math.sqrt(3.0)))

    def factor(self, depth: FloatArray) -> FloatArray:
        """K at skin depths in metres."""
        return 1.0 + 2.0 / math.pi * np.arctan(1.4 * (self.rq / depth) ** 2)


@dataclass(frozen=True, slots=True)
class Huray:
    """Snowballs of radius `radius` (m) whose surface is `ratio` times the flat area under them.

    K = 1 + 3/2 ratio / (1 + delta/a + delta^2/(2 a^2)): Huray et al., "Impact of copper surface
    texture on loss: a model that works", DesignCon (2010).
    """

    radius: float
    ratio: float

    @classmethod
    def from_rz(cls, rz: float) -> Huray:
        """From ten-point height `rz` (m): 14 equal spheres stacked on a square tile.

        Sphere radius 0.06 rz, tile side 6 radii: Simonovich, "Practical model of conductor
        surface roughness using cubic close-packing of equal spheres", EDI CON (2016).
        """
        radius = _SPHERE_SHARE * _not_negative(rz)
        return cls(radius, _SPHERES * 4.0 * math.pi / _TILE_SHARE**2 if rz > 0 else 0.0)

    def factor(self, depth: FloatArray) -> FloatArray:
        """K at skin depths in metres."""
        if self.ratio == 0.0:
            return np.ones_like(depth)
        x = depth / self.radius
        return 1.0 + 1.5 * self.ratio / (1.0 + x + 0.5 * x * x)

    def causal_factor(
        self, s: NDArray[np.complex128], resistivity: float
    ) -> NDArray[np.complex128]:
        """Complex factor on the surface impedance sqrt(s mu rho), s in rad/s.

        K(s) = 1 + 3/2 ratio / (1 + 1/(a sqrt(s mu/rho))); the real part of K(s) sqrt(s mu rho) is
        `factor` times the smooth resistance (Bracken, "A causal Huray model for surface
        roughness", DesignCon (2012)).
        """
        if self.ratio == 0.0:
            return np.ones(np.shape(s), dtype=complex)
        depths = self.radius * np.sqrt(np.asarray(s, dtype=complex) * MU0_H_PER_M / resistivity)
        return np.asarray(1.0 + 1.5 * self.ratio / (1.0 + 1.0 / depths), dtype=complex)


Roughness = Hammerstad | Huray


def _not_negative(rz: float) -> float:
    if not (math.isfinite(rz) and 0.0 <= rz <= 100e-6):
        raise NotPhysical("roughness Rz", f"{rz * 1e6:.4g} um", "between 0 and 100 um")
    return rz
