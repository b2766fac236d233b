"""How thick prepreg becomes between copper: resin flows into what etching took away."""

from __future__ import annotations

import math
from dataclasses import dataclass

from onda.errors import NotPhysical

__all__ = ["Ply", "pressed_thickness", "resin_to_spare"]

GLASS_DENSITY = 2.54e6
RESIN_DENSITY = 1.30e6
"""g/m^3: E-glass, and a usual filled epoxy."""


@dataclass(frozen=True, slots=True)
class Ply:
    """One sheet of prepreg: mass of glass (g/m^2) and share of resin by weight."""

    glass: float
    resin: float

    @property
    def resin_thickness(self) -> float:
        """Thickness (m) of its resin alone."""
        if not (math.isfinite(self.resin) and 0.0 < self.resin < 0.95):
            raise NotPhysical("resin content", f"{self.resin:.3g}", "between 0 and 95 %")
        return self.glass * self.resin / (1.0 - self.resin) / RESIN_DENSITY

    @property
    def thickness(self) -> float:
        """Thickness (m) pressed flat: glass and resin without voids.

        Examples
        --------
        >>> 70e-6 < Ply(46.8, 0.63).thickness < 90e-6
        True
        """
        return self.glass / GLASS_DENSITY + self.resin_thickness


def resin_to_spare(plies: tuple[Ply, ...], fills: tuple[tuple[float, float], ...]) -> float:
    """Resin (m) left over copper after filling; below 0 it does not suffice.

    Parameters
    ----------
    fills : thickness (m) of each copper layer pressed in, and the share of area it covers
    """
    return sum(p.resin_thickness for p in plies) - _taken(fills)


def pressed_thickness(
    laid: float, fills: tuple[tuple[float, float], ...], *, resin: float | None = None
) -> float:
    """Thickness (m) between copper of plies that are `laid` metres thick.

    Parameters
    ----------
    fills : thickness (m) of each copper layer pressed in, and the share of area it covers
    resin : metres of resin in the plies where known; without it half of `laid` is taken

    Raises
    ------
    NotPhysical : the copper takes more resin than there is

    Examples
    --------
    >>> round(pressed_thickness(150e-6, ((17e-6, 0.3), (35e-6, 0.85))) * 1e6, 2)
    132.85
    """
    taken = _taken(fills)
    there = 0.5 * laid if resin is None else resin
    if taken >= there:
        raise NotPhysical(
            "prepreg",
            f"{there * 1e6:.3g} um of resin for {taken * 1e6:.3g} um of gaps between copper",
            "enough to fill them: more plies, more resin or thinner copper",
        )
    return laid - taken


def _taken(fills: tuple[tuple[float, float], ...]) -> float:
    for thickness, cover in fills:
        if not (thickness >= 0.0 and 0.0 <= cover <= 1.0):
            raise NotPhysical("copper cover", f"{cover:.3g}", "between 0 and 100 %")
    return math.fsum(thickness * (1.0 - cover) for thickness, cover in fills)
