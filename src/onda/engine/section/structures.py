"""The structures a board has, drawn as cross-sections.

Single, pair (edge-coupled or broadside), group of n; with coplanar grounds or without; on the
surface, coated, buried or between planes; over a whole plane, an opening in it, or none.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, fields

from onda.engine.section.geometry import Conductor, CrossSection, Layer, Point, Region
from onda.engine.section.outlines import rectangle, trapezoid
from onda.errors import NotPhysical

__all__ = ["Coating", "Coplanar", "Facing", "Opening", "Slab", "TraceShape", "trace_section"]

_PLANE_REACH = 12.0
"""How far a plane with an opening goes on beyond it, in widths of what lies over it."""


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
class Coplanar:
    """Grounds on the traces' own layer: `gap` from the outermost trace, each `width` wide."""

    gap: float
    width: float


@dataclass(frozen=True, slots=True)
class Facing:
    """The second trace of a broadside pair.

    `distance` from the far face of the first trace to the near face of the second, `offset`
    sideways; the rest as in `TraceShape`.
    """

    distance: float
    thickness: float
    undercut: float
    base_up: bool
    offset: float = 0.0


@dataclass(frozen=True, slots=True)
class Opening:
    """An opening in the plane below: `width`, its centre `offset` from the middle of the traces.

    `thickness` of the plane's copper; `beyond` lies under it, down to a further plane if
    `plane_beyond`.
    """

    width: float
    offset: float
    thickness: float
    beyond: tuple[Slab, ...] = ()
    plane_beyond: bool = False


@dataclass(frozen=True, slots=True)
class TraceShape:
    """A trapezoid: `width` at its base, each side drawn in by `undercut` at the far face.

    `base_up` turns it over, as etched copper on the underside of a core lies. `gap` between the
    bases of neighbours, None for a single line or a broadside pair; `count` of lines side by side.
    `gaps`, one fewer than lines, where not all are `gap`; `widths`, one a line, where not all are
    `width`.
    """

    width: float
    thickness: float
    undercut: float = 0.0
    gap: float | None = None
    base_up: bool = False
    count: int = 2
    coplanar: Coplanar | None = None
    facing: Facing | None = None
    gaps: tuple[float, ...] = ()
    widths: tuple[float, ...] = ()

    @property
    def lines(self) -> int:
        """Signal conductors on the layer itself."""
        return self.count if self.gap is not None else 1

    @property
    def span(self) -> float:
        """Width over all lines of the layer, metres, without coplanar grounds."""
        return math.fsum(self.across) + math.fsum(self.between)

    @property
    def across(self) -> tuple[float, ...]:
        """Width of each line."""
        return self.widths or (self.width,) * self.lines

    @property
    def between(self) -> tuple[float, ...]:
        """Gap behind each line but the last."""
        return self.gaps or (self.gap or 0.0,) * (self.lines - 1)


def trace_section(
    trace: TraceShape,
    *,
    below: tuple[Slab, ...],
    above: tuple[Slab, ...] = (),
    beside: Slab | None = None,
    plane_below: bool = True,
    plane_above: bool = False,
    coating: Coating | None = None,
    opening: Opening | None = None,
) -> CrossSection:
    """Draw traces on their build.

    Parameters
    ----------
    below, above : slabs counted away from the trace
    beside : dielectric at the height of the copper (its thickness is not used); None is air
    coating : over an outer trace; only with nothing above
    opening : in the plane below, which is then drawn as two halves of finite width

    Raises
    ------
    NotPhysical : a dimension is not above zero, the etch leaves no top, or nothing returns the
        current
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
    for name, left, width in _lefts(trace):
        conductors.append(_trace(trace, name, left, width, base))
        if coating is not None:
            regions.append(_coat(trace, left, width, base, coating))
    for name, left, width in _grounds(trace):
        conductors.append(_trace(trace, name, left, width, base, "ground"))
        if coating is not None:
            regions.append(_coat(trace, left, width, base, coating))
    if trace.facing is not None:
        conductors.append(_faced(trace, trace.facing, top))
        if top + trace.facing.distance + trace.facing.thickness >= y and plane_above:
            raise NotPhysical("facing trace", "at the plane above", "between the planes")
    planes = [0.0] if plane_below else []
    if opening is not None and plane_below:
        planes = _open(trace, opening, layers, conductors)
    if plane_above:
        planes.append(y)
    return CrossSection(tuple(layers), tuple(conductors), tuple(planes), tuple(regions))


def _lefts(trace: TraceShape) -> list[tuple[str, float, float]]:
    if trace.gap is None:
        return [("P" if trace.facing else "S", -0.5 * trace.width, trace.width)]
    names = ["P", "N"] if trace.count == 2 else [str(k + 1) for k in range(trace.count)]
    out, left = [], -0.5 * trace.span
    for name, width, gap in zip(names, trace.across, (*trace.between, 0.0), strict=True):
        out.append((name, left, width))
        left += width + gap
    return out


def _grounds(trace: TraceShape) -> list[tuple[str, float, float]]:
    if trace.coplanar is None:
        return []
    edge = 0.5 * trace.span + trace.coplanar.gap
    width = trace.coplanar.width
    return [("GL", -edge - width, width), ("GR", edge, width)]


def _trace(
    trace: TraceShape, name: str, left: float, width: float, base: float, role: str = "signal"
) -> Conductor:
    polygon = trapezoid(left, base, width, trace.thickness, trace.undercut, base_up=trace.base_up)
    return Conductor(name, polygon, "ground" if role == "ground" else "signal")


def _faced(trace: TraceShape, facing: Facing, top: float) -> Conductor:
    return Conductor(
        "N",
        trapezoid(
            facing.offset - 0.5 * trace.width,
            top + facing.distance,
            trace.width,
            facing.thickness,
            facing.undercut,
            base_up=facing.base_up,
        ),
    )


def _coat(trace: TraceShape, left: float, width: float, base: float, coating: Coating) -> Region:
    right = left + width
    top = base + trace.thickness + coating.over_copper
    side, cut = coating.beside, trace.undercut
    low_cut, high_cut = (cut, 0.0) if trace.base_up else (0.0, cut)
    polygon: tuple[Point, ...] = (
        (left - side + low_cut, base),
        (right + side - low_cut, base),
        (right + side - high_cut, top),
        (left - side + high_cut, top),
    )
    return Region(polygon, coating.er, coating.material)


def _open(
    trace: TraceShape, opening: Opening, layers: list[Layer], conductors: list[Conductor]
) -> list[float]:
    """Put the plane's two halves and what lies beyond them in; return the planes that are left."""
    height = max(layer.y1 for layer in layers)
    reach = _PLANE_REACH * max(trace.span, opening.width, height)
    left, right = opening.offset - 0.5 * opening.width, opening.offset + 0.5 * opening.width
    t = opening.thickness
    conductors.append(Conductor("PL", rectangle(left - reach, -t, reach, t), "ground"))
    conductors.append(Conductor("PR", rectangle(right, -t, reach, t), "ground"))
    resin = opening.beyond[0] if opening.beyond else None
    if resin is not None:
        layers.append(Layer(-t, 0.0, resin.er, resin.material))
    y = -t
    for slab in opening.beyond:
        layers.append(Layer(y - slab.thickness, y, slab.er, slab.material))
        y -= slab.thickness
    return [y] if opening.plane_beyond else []


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
    _check_trace(trace)
    for where, slabs in (("below", below), ("above", above)):
        for i, slab in enumerate(slabs):
            _positive(f"{where}[{i}].thickness", slab.thickness)
    if not (plane_below or plane_above or trace.coplanar):
        raise NotPhysical(
            "return", "no plane and no coplanar ground", "a plane or coplanar grounds"
        )
    if (plane_below and not below) or (plane_above and not above):
        raise NotPhysical("dielectric", "none", "between trace and plane")
    if coating is not None:
        if above:
            raise NotPhysical("coating", "on an inner layer", "only on an outer layer")
        for field in fields(coating):
            if field.name in ("over_laminate", "over_copper", "beside"):
                _positive(f"coating.{field.name}", getattr(coating, field.name))


def _check_trace(trace: TraceShape) -> None:
    _positive("width", trace.width)
    _positive("thickness", trace.thickness)
    if trace.gap is not None:
        _positive("gap", trace.gap)
        if not 2 <= trace.count <= 48:
            raise NotPhysical("count of lines", trace.count, "between 2 and 48")
        if trace.gaps and len(trace.gaps) != trace.count - 1:
            raise NotPhysical("gaps", len(trace.gaps), f"one fewer than lines, {trace.count - 1}")
        for gap in trace.gaps:
            _positive("gap", gap)
        if trace.widths and len(trace.widths) != trace.count:
            raise NotPhysical("widths", len(trace.widths), f"as many as lines, {trace.count}")
        if trace.facing is not None:
            raise NotPhysical("gap", "of a broadside pair", "none: its traces face each other")
    if trace.width > 0.1 or max((trace.gap or 0.0), *trace.gaps, 0.0) > 0.1:
        raise NotPhysical("width and gap", f"{trace.width * 1e3:.4g} mm", "at most 100 mm")
    if not trace.undercut >= 0.0:
        raise NotPhysical("undercut", trace.undercut, "0 or above")
    for width in trace.widths:
        _positive("width", width)
    if trace.undercut >= 0.5 * min(trace.across):
        raise NotPhysical(
            "width",
            f"{trace.width * 1e6:.4g} um",
            f"above twice the undercut of {trace.undercut * 1e6:.4g} um, or nothing is left",
        )
    if trace.coplanar is not None:
        _positive("coplanar gap", trace.coplanar.gap)
        _positive("coplanar ground's width", trace.coplanar.width - 2.0 * trace.undercut)
    if trace.facing is not None:
        _positive("facing distance", trace.facing.distance)
