"""Real copper for a line: filaments through the transition, surface current above, roughness.

The answers at single frequencies are fitted by ladders of resistor-inductor pairs, which makes them
causal and passive at every frequency in between.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from onda.engine.lines import Ladder
from onda.engine.roughness import Roughness, skin_depth
from onda.engine.section.crowding import loop_impedance
from onda.engine.section.geometry import Conductor, CrossSection
from onda.engine.section.outlines import rectangle
from onda.errors import NotPhysical

__all__ = ["FINENESS", "CopperFit", "copper_impedance", "fit_ladder", "rough_ladder"]

FloatArray = NDArray[np.float64]
_LOWEST, _HIGHEST = 1e4, 1.1e11
_PER_DECADE = 1.6
_THIN_SKIN = 9.0
"""Skin depths in the thinnest trace from which on the current is a surface current."""
_CORNER = 1.0 / 6.0
"""At a corner of 90 degrees surface current grows as r^(-1/3); a skin of depth d leaves out what
lies nearer than d, a share that falls as d^(1/3), that is f^(-1/6)."""
_PLANE_REACH = 100.0
"""Width of a plane either side, in heights of the farthest trace above it: at rest the current
spreads over the whole of a plane, and what is further away changes nothing any more."""
FINENESS = 0.95
"""Filaments of the product, and of the cases that it is held against."""


@dataclass(frozen=True, slots=True)
class CopperFit:
    """Samples of a mode's series impedance, and the ladder through them.

    Attributes
    ----------
    frequency : (f,) Hz; r : (f,) ohm/m, solved; l : (f,) H/m
    r_dc : ohm/m, trace and return
    ladder : what R(f) and L(f) add to `r_dc` and to the external inductance
    error : largest relative difference of the ladder's resistance from the samples
    """

    frequency: FloatArray
    r: FloatArray
    l: FloatArray  # noqa: E741 - the field's own name for inductance
    r_dc: float
    ladder: Ladder
    error: float


def copper_impedance(
    section: CrossSection,
    resistivity: float,
    *,
    plane_below: float,
    plane_above: float,
    fineness: float = FINENESS,
) -> tuple[FloatArray, NDArray[np.complex128], FloatArray]:
    """Loop impedance by filaments, from DC to where the skin is thin.

    Parameters
    ----------
    plane_below, plane_above : m, thickness of the planes' copper

    Returns
    -------
    Frequencies (f,) Hz, Z (f, n, n) ohm/m, DC resistance (n, n) ohm/m.
    """
    if any(c.role == "shield" for c in section.conductors):
        raise NotPhysical("conductors", "a closed shield", "open traces and planes")
    conductors = (*section.conductors, *_planes(section, plane_below, plane_above))
    signals = [c for c in section.conductors if c.role == "signal"]
    thin = min(min(np.ptp(np.asarray(c.polygon), axis=0)) for c in signals)
    stop = _THIN_SKIN**2 * resistivity / (math.pi * 4e-7 * math.pi * thin**2)
    decades = math.log10(stop / _LOWEST)
    frequency = np.geomspace(_LOWEST, stop, max(8, math.ceil(_PER_DECADE * decades) + 1))
    z = loop_impedance(conductors, resistivity, frequency, fineness=fineness)
    return frequency, z.r + 2j * np.pi * frequency[:, None, None] * z.l, z.r_dc


def _planes(section: CrossSection, below: float, above: float) -> list[Conductor]:
    xs = [x for c in section.conductors for x, _ in c.polygon]
    ys = [y for c in section.conductors for _, y in c.polygon]
    out = []
    for k, y in enumerate(sorted(section.planes)):
        under = y <= min(ys)
        height = max(max(ys) - y, y - min(ys))
        thickness = below if under else above
        left = min(xs) - _PLANE_REACH * height
        width = max(xs) + _PLANE_REACH * height - left
        bottom = y - thickness if under else y
        body = rectangle(left, bottom, width, thickness)
        out.append(Conductor(f"plane {k}", body, "ground"))
    return out


def fit_ladder(
    frequency: FloatArray, z: NDArray[np.complex128], r_dc: float, k_skin: float
) -> CopperFit:
    """Ladder through samples of one mode's impedance; `k_skin` is where R/sqrt(f) goes in the end.

    Parameters
    ----------
    frequency : (f,) Hz, rising; z : (f,) ohm/m
    """
    from scipy.optimize import nnls

    r, x = z.real, z.imag
    last = float(r[-1] / math.sqrt(frequency[-1]))
    higher = np.geomspace(frequency[-1] * 2.0, max(_HIGHEST * 10.0, frequency[-1] * 1e3), 14)
    share = 1.0 - (1.0 - last / k_skin) * (frequency[-1] / higher) ** _CORNER
    r_higher = k_skin * share * np.sqrt(higher)
    poles = 2.0 * np.pi * np.geomspace(_LOWEST * 0.03, higher[-1] * 30.0, 64)
    w, w_all = 2.0 * np.pi * frequency, 2.0 * np.pi * np.concatenate([frequency, higher])
    wanted_r = np.concatenate([r, r_higher])
    real = w_all[:, None] ** 2 / (w_all[:, None] ** 2 + poles**2) / wanted_r[:, None]
    imag = (w[:, None] * poles / (w[:, None] ** 2 + poles**2)) / x[:, None]
    # The external inductance is one unknown more; a small change of it would hide what skin adds.
    rows = np.block(
        [
            [real, np.zeros((len(w_all), 1))],
            [imag, (w / x)[:, None] * (x[-1] / w[-1])],
        ]
    )
    target = np.concatenate([(wanted_r - r_dc) / wanted_r, np.ones(len(w))])
    found, _ = nnls(rows, target, maxiter=20_000)
    keep = found[:-1] > 0
    ladder = Ladder(tuple(float(p) for p in poles[keep]), tuple(float(v) for v in found[:-1][keep]))
    fitted = r_dc + ladder.impedance(w.astype(complex) * 1j).real
    return CopperFit(frequency, r, x / w, r_dc, ladder, float(np.max(np.abs(fitted / r - 1.0))))


def rough_ladder(k_skin: float, roughness: Roughness, resistivity: float) -> Ladder:
    """What a rough surface adds to one that carries `k_skin` sqrt(f) ohm/m when smooth.

    Only the resistance is given; its ladder brings the inductance that causality asks for.
    """
    unit = _rough_unit(roughness, resistivity)
    return Ladder(unit.poles, tuple(k_skin * r for r in unit.resistances))


@lru_cache(maxsize=64)
def _rough_unit(roughness: Roughness, resistivity: float) -> Ladder:
    """The ladder of a surface that carries sqrt(f) ohm/m."""
    from scipy.optimize import nnls

    # Far beyond any signal: what is left out up there would be missing in the inductance below.
    frequency = np.geomspace(1e5, 1e18, 120)
    extra = np.sqrt(frequency) * (roughness.factor(skin_depth(frequency, resistivity)) - 1.0)
    if not np.any(extra > 0):
        return Ladder((), ())
    w = 2.0 * np.pi * frequency
    poles = 2.0 * np.pi * np.geomspace(1e5, 1e20, 96)
    # Weighted by the whole resistance: a thousandth of it is near enough anywhere.
    weight = 1.0 / (extra + 0.02 * np.sqrt(frequency))
    rows = w[:, None] ** 2 / (w[:, None] ** 2 + poles**2) * weight[:, None]
    found, _ = nnls(rows, extra * weight, maxiter=20_000)
    keep = found > 0
    return Ladder(tuple(float(p) for p in poles[keep]), tuple(float(v) for v in found[keep]))
