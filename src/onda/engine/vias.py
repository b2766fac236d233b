"""A drilled via as pieces of line: barrel, stub, pads.

The barrel is a wire in its return vias, its capacitance that of a solution of the field between it
and the planes that it passes (`via_field`), in one dielectric. Where no planes are stated it is
that of a coaxial line to the edge of the anti-pads, which is some 15 % off. The barrel must be
short against the wavelength, and return vias stand further away than twice the drill.

References
----------
Pozar, Microwave Engineering (2012), table 2.1: capacitance of the coaxial line.
Paul, Inductance: Loop and Partial (2010), section 4.5: loops of parallel wires; n equal return
wires on a circle of radius s about a wire of radius a: mu0/(2 pi) (ln(s/a) + ln(s/(n a)) / n).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from onda.engine.constants import EPS0_F_PER_M as EPS0
from onda.engine.constants import MU0_H_PER_M as MU0
from onda.engine.via_field import Disc, ViaStack, via_charge
from onda.errors import NotPhysical

__all__ = ["NO_RETURN", "ViaGeometry", "ViaModel", "via_model"]

NO_RETURN = 5e-3
"""Where no return via is near, the loop is taken to close through planes this far away, m."""


@dataclass(frozen=True, slots=True)
class ViaGeometry:
    """Lengths in metres.

    Attributes
    ----------
    through : of the barrel between the two layers; stub : of what hangs on beyond them
    pad_gaps : from each connected pad to its next plane
    pair : a differential via, its two barrels `return_distance` apart
    planes : (low, high) along the axis of each plane that the hole passes
    barrel : (low, high) of what is left of the barrel
    span : (low, high) between the two layers that it joins
    pads : (low, high) of each connected pad
    """

    drill: float
    pad: float
    antipad: float
    through: float
    stub: float
    er: float
    returns: int
    return_distance: float
    pad_gaps: tuple[float, ...] = ()
    pair: bool = False
    planes: tuple[tuple[float, float], ...] = ()
    barrel: tuple[float, float] = (0.0, 0.0)
    span: tuple[float, float] = (0.0, 0.0)
    pads: tuple[tuple[float, float], ...] = ()

    @property
    def has_return(self) -> bool:
        """Whether a current finds its way back beside it."""
        return self.pair or self.returns > 0


@dataclass(frozen=True, slots=True)
class ViaModel:
    """The via as lines: ohm, s, F.

    Attributes
    ----------
    z0, delay : of the barrel between the layers; stub_z0, stub_delay : of the open stub
    pad : capacitance of the connected pads together, and of a short rest of barrel beyond the other
    stub_resonance : Hz, where the stub shorts the line; infinite without one
    """

    z0: float
    delay: float
    stub_z0: float
    stub_delay: float
    pad: float
    stub_resonance: float


def via_model(g: ViaGeometry) -> ViaModel:
    """Model of a via.

    Raises
    ------
    NotPhysical : outside the range of the closed forms
    """
    if not 0.0 < g.drill < g.pad < g.antipad:
        raise NotPhysical("via", "drill, pad and anti-pad", "drill < pad < anti-pad")
    if g.antipad < 1.2 * g.drill:
        raise NotPhysical("anti-pad", g.antipad, f"at least 1.2 drills, {1.2 * g.drill:.3g} m")
    if g.er < 1.0 or g.through <= 0.0 or g.stub < 0.0:
        raise NotPhysical("via", f"er {g.er:.3g}, length {g.through:.3g} m", "er >= 1, length > 0")
    distance = g.return_distance if g.has_return else NO_RETURN
    if distance < 2.0 * g.drill:
        raise NotPhysical("return vias", distance, f"beyond two drills, {2.0 * g.drill:.3g} m")
    a = 0.5 * g.drill
    c, c_stub, pads = _capacitances(g)
    if g.pair:
        inductance, c = MU0 / math.pi * math.log(distance / a), 0.5 * c
        c_stub, pads = 0.5 * c_stub, 0.5 * pads
    else:
        n = max(g.returns, 1)
        inductance = (
            MU0 / (2 * math.pi) * (math.log(distance / a) + math.log(distance / (n * a)) / n)
        )
    # Light in the dielectric is the least that any wave takes.
    light = math.sqrt(MU0 * EPS0 * g.er)
    stub = g.stub * max(math.sqrt(inductance * c_stub), light)
    return ViaModel(
        z0=math.sqrt(inductance / c),
        delay=g.through * max(math.sqrt(inductance * c), light),
        stub_z0=math.sqrt(inductance / c_stub),
        stub_delay=stub,
        pad=pads,
        stub_resonance=0.25 / stub if stub > 0.0 else math.inf,
    )


def _capacitances(g: ViaGeometry) -> tuple[float, float, float]:
    """Of the barrel between the layers and of the stub, F/m, and of the pads, F."""
    if not g.planes:
        c = 2.0 * math.pi * EPS0 * g.er / math.log(g.antipad / g.drill)
        ring = 0.25 * math.pi * (g.pad**2 - g.drill**2)
        return c, c, sum(EPS0 * g.er * ring / gap for gap in g.pad_gaps if gap > 0.0)
    stack = ViaStack(
        0.5 * g.drill,
        *g.barrel,
        tuple(Disc(low, high, 0.5 * g.antipad) for low, high in g.planes),
        tuple(Disc(low, high, 0.5 * g.pad) for low, high in g.pads),
    )
    found = via_charge(stack, g.er)
    low, high = g.span
    through = found.between(low, high, pads=False)
    above = found.between(-math.inf, low, pads=False)
    below = found.between(high, math.inf, pads=False)
    stub = max(above, below)
    pads = found.total - through - stub
    c = through / g.through
    return c, stub / g.stub if g.stub > 0.0 else c, pads if g.stub > 0.0 else pads + stub
