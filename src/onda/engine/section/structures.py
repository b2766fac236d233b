"""The usual traces drawn as cross-sections: single or pair, surface, coated or between planes."""

from __future__ import annotations

import math
from dataclasses import dataclass

from onda.engine.section.geometry import Conductor, CrossSection, Layer, Region
from onda.errors import NotPhysical

__all__ = ["Coating", "Slab", "TraceShape", "trace_section"]


@dataclass(frozen=True, slots=True)
class Slab:
    """One dielectric between the trace and a plane, or the next one up."""

    thickness: float
    er: float
    material: str = ""


@dataclass(frozen=True, slots=True)
class Coating:
    """Conformal coating: thickness over laminate, over copper and beside copper."""

    over_laminate: float
    over_copper: float
    beside: float
    er: float
    material: str = ""


@dataclass(frozen=True, slots=True)
class TraceShape:
    """A trapezoid: `width` at its base, each side drawn in by `undercut` at the far face.

    `base_up` turns it over, as etched copper on the underside of a core lies. `gap` between the
    bases of a pair, None for a single line.
    """

    width: float
    thickness: float
    undercut: float = 0.0
    gap: float | None = None
    base_up: bool = False


def trace_section(
    trace: TraceShape,
    *,
    below: tuple[Slab, ...],
    above: tuple[Slab, ...] = (),
    beside: Slab | None = None,
    plane_below: bool = True,
    plane_above: bool = False,
    coating: Coating | None = None,
) -> CrossSection:
    """Draw a trace or pair on its build.

    Parameters
    ----------
    below, above : slabs counted away from the trace
    beside : dielectric at the height of the copper (its thickness is not used); None is air
    coating : over an outer trace; only with nothing above

    Raises
    ------
    NotPhysical : a dimension is not above zero, the etch leaves no top, or there is no plane
    """
    _check(trace, below, above, coating, plane_below, plane_above)
    base = math.fsum(slab.thickness for slab in below)
    top = base + trace.thickness
    layers: list[Layer] = []
    y = base
    for slab in below:
        layers.append(Layer(y - slab.thickness, y, slab.er, slab.material))
        y -= slab.thickness
    layers.reverse()
    if beside is not None:
        layers.append(Layer(base, top, beside.er, beside.material))
    y = top
    for slab in above:
        layers.append(Layer(y, y + slab.thickness, slab.er, slab.material))
        y += slab.thickness
    regions: list[Region] = []
    if coating is not None:
        layers.append(Layer(base, base + coating.over_laminate, coating.er, coating.material))
    conductors: list[Conductor] = []
    for name, left in _lefts(trace):
        conductors.append(Conductor(name, _trapezoid(trace, left, base)))
        if coating is not None:
            regions.append(_coat(trace, left, base, coating))
    planes = ((0.0,) if plane_below else ()) + ((y,) if plane_above else ())
    return CrossSection(tuple(layers), tuple(conductors), planes, tuple(regions))


def _lefts(trace: TraceShape) -> list[tuple[str, float]]:
    if trace.gap is None:
        return [("S", -0.5 * trace.width)]
    return [("P", -0.5 * trace.gap - trace.width), ("N", 0.5 * trace.gap)]


def _trapezoid(trace: TraceShape, left: float, base: float) -> tuple[tuple[float, float], ...]:
    right, top, cut = left + trace.width, base + trace.thickness, trace.undercut
    low_cut, high_cut = (cut, 0.0) if trace.base_up else (0.0, cut)
    return (
        (left + low_cut, base),
        (right - low_cut, base),
        (right - high_cut, top),
        (left + high_cut, top),
    )


def _coat(trace: TraceShape, left: float, base: float, coating: Coating) -> Region:
    right = left + trace.width
    top = base + trace.thickness + coating.over_copper
    side, cut = coating.beside, trace.undercut
    return Region(
        (
            (left - side, base),
            (right + side, base),
            (right + side - cut, top),
            (left - side + cut, top),
        ),
        coating.er,
        coating.material,
    )


def _positive(name: str, value: float) -> None:
    if not (math.isfinite(value) and value > 0):
        raise NotPhysical(name, f"{value * 1e6:.4g} um", "above 0 and finite")


def _check(
    trace: TraceShape,
    below: tuple[Slab, ...],
    above: tuple[Slab, ...],
    coating: Coating | None,
    plane_below: bool,
    plane_above: bool,
) -> None:
    _positive("width", trace.width)
    _positive("thickness", trace.thickness)
    if trace.gap is not None:
        _positive("gap", trace.gap)
    if trace.width > 0.1 or (trace.gap or 0.0) > 0.1:
        raise NotPhysical("width and gap", f"{trace.width * 1e3:.4g} mm", "at most 100 mm")
    if not trace.undercut >= 0.0:
        raise NotPhysical("undercut", trace.undercut, "0 or above")
    if trace.undercut >= 0.5 * trace.width:
        raise NotPhysical(
            "width",
            f"{trace.width * 1e6:.4g} um",
            f"above twice the undercut of {trace.undercut * 1e6:.4g} um, or nothing is left",
        )
    for where, slabs in (("below", below), ("above", above)):
        for i, slab in enumerate(slabs):
            _positive(f"{where}[{i}].thickness", slab.thickness)
    if not (plane_below or plane_above):
        raise NotPhysical("planes", "none on either side", "a plane above or below the trace")
    if (plane_below and not below) or (plane_above and not above):
        raise NotPhysical("dielectric", "none", "between trace and plane")
    if coating is not None:
        if above:
            raise NotPhysical("coating", "on an inner layer", "only on an outer layer")
        for name in ("over_laminate", "over_copper", "beside"):
            _positive(f"coating.{name}", getattr(coating, name))
