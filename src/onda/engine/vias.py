"""A drilled via as pieces of line: barrel, stub, pads; closed forms with their range.

The barrel is a wire in its return vias, its capacitance that of a coaxial line to the edge of the
anti-pads. Good to some 15 % in impedance while the barrel is short against the wavelength, the
return vias stand further away than twice the drill and the anti-pad is at least 1.2 drills wide.

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
from onda.errors import NotPhysical

__all__ = ["ViaGeometry", "ViaModel", "via_model"]

_NO_RETURN = 5e-3
"""Where no return via is near, the loop is taken to close through planes this far away, m."""


@dataclass(frozen=True, slots=True)
class ViaGeometry:
    """Lengths in metres.

    Attributes
    ----------
    through : of the barrel between the two layers; stub : of what hangs on beyond them
    pad_gaps : from each connected pad to its next plane
    pair : a differential via, its two barrels `return_distance` apart
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


@dataclass(frozen=True, slots=True)
class ViaModel:
    """The via as lines: ohm, s, F.

    Attributes
    ----------
    z0, delay : of the barrel between the layers; stub_delay : of the open stub
    pad : capacitance of the connected pads together
    stub_resonance : Hz, where the stub shorts the line; infinite without one
    """

    z0: float
    delay: float
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
    distance = g.return_distance if (g.returns or g.pair) else _NO_RETURN
    if distance < 2.0 * g.drill:
        raise NotPhysical("return vias", distance, f"beyond two drills, {2.0 * g.drill:.3g} m")
    a = 0.5 * g.drill
    c = 2.0 * math.pi * EPS0 * g.er / math.log(g.antipad / g.drill)
    if g.pair:
        inductance, c = MU0 / math.pi * math.log(distance / a), 0.5 * c
    else:
        n = max(g.returns, 1)
        inductance = (
            MU0 / (2 * math.pi) * (math.log(distance / a) + math.log(distance / (n * a)) / n)
        )
    slowness = math.sqrt(inductance * c)
    # Light in the dielectric is the least that any wave takes.
    slowness = max(slowness, math.sqrt(MU0 * EPS0 * g.er))
    ring = 0.25 * math.pi * (g.pad**2 - g.drill**2)
    pads = sum(EPS0 * g.er * ring / gap for gap in g.pad_gaps if gap > 0.0)
    stub = g.stub * slowness
    return ViaModel(
        z0=math.sqrt(inductance / c),
        delay=g.through * slowness,
        stub_delay=stub,
        pad=0.5 * pads if g.pair else pads,
        stub_resonance=0.25 / stub if stub > 0.0 else math.inf,
    )
