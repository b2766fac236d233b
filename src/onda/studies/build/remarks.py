"""What a fabricator would ask about a build: thickness, symmetry, copper, vias, resin, bends."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

from onda.engine.pressing import pressed_thickness
from onda.errors import NotPhysical
from onda.project.build.stackup import (
    CoatingLayer,
    CopperLayer,
    DielectricLayer,
    StackLayer,
    Stackup,
    ViaSpan,
    Zone,
)
from onda.project.model import Design
from onda.project.quantities import Quantity, as_shown, fixed, format_si
from onda.studies.core.margin import State

__all__ = [
    "BuildRemark",
    "ZoneFigures",
    "build_remarks",
    "layer_thickness",
    "pressed",
    "via_aspect",
    "via_state",
    "zone_figures",
    "zone_rows",
]

_MIRROR = 0.02
"""Thicknesses that differ by less than this share count as mirrored."""
_BALANCE = 0.10
_BEND_ONCE, _BEND_OFTEN = 10.0, 100.0
"""Least bend radius in thicknesses of a double-sided flex: bent once to fit, and bent in use."""


@dataclass(frozen=True, slots=True)
class BuildRemark:
    """How something about the build stands, in one sentence, and which layer or via it is on."""

    state: State
    text: str
    where: str = ""


@dataclass(frozen=True, slots=True)
class ZoneFigures:
    """Thickness of a zone (m), its symmetry, copper above and below its middle (m, by cover)."""

    thickness: float
    mirrored: bool
    copper_above: float
    copper_below: float

    @property
    def imbalance(self) -> float:
        """Difference of the copper in both halves as a share of all copper."""
        whole = self.copper_above + self.copper_below
        return abs(self.copper_above - self.copper_below) / whole if whole else 0.0


def layer_thickness(layer: StackLayer) -> float:
    """Thickness of a layer in metres; of a coating, over laminate."""
    return layer.over_laminate.si if isinstance(layer, CoatingLayer) else layer.thickness.si


def zone_figures(stackup: Stackup, zone: Zone) -> ZoneFigures:
    """Thickness, symmetry and copper balance of a zone."""
    layers = stackup.zone_layers(zone)
    thick = [layer_thickness(x) for x in layers]
    total = math.fsum(thick)
    mirrored = all(
        type(a) is type(b) and abs(p - q) <= _MIRROR * max(p, q)
        for a, b, p, q in zip(layers, reversed(layers), thick, reversed(thick), strict=True)
    )
    y, above, below = 0.0, 0.0, 0.0
    for layer, t in zip(layers, thick, strict=True):
        if isinstance(layer, CopperLayer):
            weight = t * layer.copper_share
            if y + 0.5 * t < 0.5 * total:
                above += weight
            else:
                below += weight
        y += t
    return ZoneFigures(total, mirrored, above, below)


def zone_rows(
    stackup: Stackup, zone: Zone, rows: dict[str, tuple[float, float]]
) -> dict[str, tuple[float, float]]:
    """Where a zone's layers lie when all layers have `rows` (top, bottom), without holes.

    The room of a layer that only other zones have goes to the dielectric next to it.
    """
    layers = stackup.zone_layers(zone)
    out = {x.id: rows[x.id] for x in layers}
    for above, below in pairwise(layers):
        top, bottom = out[above.id][1], out[below.id][0]
        if bottom <= top:
            continue
        if isinstance(below, CopperLayer) or not isinstance(above, CopperLayer):
            out[above.id] = (out[above.id][0], bottom)
        else:
            out[below.id] = (top, out[below.id][1])
    return out


def via_aspect(stackup: Stackup, via: ViaSpan) -> tuple[float, float]:
    """Depth over drill diameter of a span, and the largest that the fabricator makes."""
    ids = [x.id for x in stackup.layers]
    inside = stackup.layers[ids.index(via.top) : ids.index(via.bottom) + 1]
    zone = next((z for z in stackup.all_zones if {via.top, via.bottom} <= set(z.layers)), None)
    there = set(zone.layers) if zone else set(ids)
    if via.kind == "micro":
        # A laser drills the dielectric; the foil is opened before.
        inside = tuple(x for x in inside if not isinstance(x, CopperLayer))
    elif via.kind == "blind":
        inside = inside[:-1]
    depth = math.fsum(layer_thickness(x) for x in inside if x.id in there)
    made = stackup.fabrication
    limit = {
        "through": made.aspect_through,
        "buried": made.aspect_through,
        "blind": made.aspect_blind,
        "micro": made.aspect_micro,
    }[via.kind]
    return depth / via.drill.si, limit


def via_state(stackup: Stackup, via: ViaSpan) -> State:
    """How a span's depth stands against what can be plated."""
    aspect, limit = via_aspect(stackup, via)
    if aspect > limit:
        return State.FAILS
    return State.TIGHT if aspect > 0.9 * limit else State.HOLDS


def pressed(stackup: Stackup, layer: DielectricLayer) -> float | None:
    """Thickness (m) that a prepreg is pressed to from what is laid; None where that is not stated.

    Raises
    ------
    NotPhysical : its resin does not fill the gaps of the copper beside it
    """
    if layer.laid is None:
        return None
    return pressed_thickness(layer.laid.si, _fills(stackup, layer))


def _fills(stackup: Stackup, layer: DielectricLayer) -> tuple[tuple[float, float], ...]:
    """Copper that presses into a prepreg: the neighbours whose foil was not laid on it.

    Neighbours are those of its zone: what only another zone has does not lie between.
    """
    zone = next((z for z in stackup.all_zones if layer.id in z.layers), None)
    layers = stackup.layers if zone is None else stackup.zone_layers(zone)
    at = [x.id for x in layers].index(layer.id)
    outer = [x.id for x in layers if isinstance(x, CopperLayer)]
    out = []
    for k, towards in ((at - 1, "above"), (at + 1, "below")):
        copper = layers[k] if 0 <= k < len(layers) else None
        if (
            isinstance(copper, CopperLayer)
            and copper.base == towards
            and copper.id not in (outer[0], outer[-1])
        ):
            out.append((copper.thickness.si, copper.copper_share))
    return tuple(out)


def build_remarks(design: Design) -> tuple[BuildRemark, ...]:
    """Everything that a fabricator would ask about, the worst first."""
    stackup = design.stackup
    out: list[BuildRemark] = []
    for k, zone in enumerate(stackup.all_zones):
        out += _about_zone(stackup, zone, main=k == 0)
    for via in stackup.vias:
        out.append(_about_via(stackup, via))
    for layer in stackup.layers:
        out += _about_layer(stackup, layer)
    out += _about_classes(design)
    rank = {State.FAILS: 0, State.TIGHT: 1, State.UNKNOWN: 2, State.HOLDS: 3}
    return tuple(sorted(out, key=lambda r: rank[r.state]))


def _length(typed: Quantity) -> str:
    return as_shown(typed, "length")


def _about_zone(stackup: Stackup, zone: Zone, *, main: bool) -> list[BuildRemark]:
    f = zone_figures(stackup, zone)
    out = []
    if main and stackup.total is not None:
        off = f.thickness / stackup.total.si - 1.0
        room = stackup.total_tolerance.si
        state = State.FAILS if abs(off) > room else State.HOLDS
        out.append(
            BuildRemark(
                state,
                f"{zone.name}: {format_si(f.thickness, 'length')} over all, "
                f"{fixed(100.0 * off, 1, sign=True)} % of the target {_length(stackup.total)}, "
                f"allowed ±{stackup.total_tolerance.text}",
            )
        )
    if zone.kind == "rigid":
        text = "both halves mirror each other" if f.mirrored else "not symmetric: it may warp"
        out.append(BuildRemark(State.HOLDS if f.mirrored else State.TIGHT, f"{zone.name}: {text}"))
        state = State.HOLDS if f.imbalance <= _BALANCE else State.TIGHT
        out.append(
            BuildRemark(
                state, f"{zone.name}: copper of the two halves differs by {f.imbalance:.0%}"
            )
        )
    elif zone.bend_radius is not None:
        least = (_BEND_OFTEN if zone.bends == "often" else _BEND_ONCE) * f.thickness
        how = "in use" if zone.bends == "often" else "once"
        state = State.HOLDS if zone.bend_radius.si >= least else State.FAILS
        out.append(
            BuildRemark(
                state,
                f"{zone.name}: bent {how} to {_length(zone.bend_radius)}; at least "
                f"{format_si(least, 'length')} for {format_si(f.thickness, 'length')} of thickness",
            )
        )
    return out


def _about_via(stackup: Stackup, via: ViaSpan) -> BuildRemark:
    aspect, limit = via_aspect(stackup, via)
    text = f"{via.name} {via.top}–{via.bottom}: depth {aspect:.2g} drills, at most {limit:g}"
    return BuildRemark(via_state(stackup, via), text, via.id)


def _about_layer(stackup: Stackup, layer: StackLayer) -> list[BuildRemark]:
    out = []
    if isinstance(layer, CopperLayer) and layer.foil is not None:
        whole = layer.foil.si + layer.plating.si
        if layer.plating.si > 0 and layer.thickness.si <= layer.foil.si * 1.001:
            out.append(
                BuildRemark(
                    State.TIGHT,
                    f"{layer.id}: finished thickness is that of the foil alone, though it is "
                    "plated",
                    layer.id,
                )
            )
        elif layer.thickness.si > whole * 1.02:
            out.append(
                BuildRemark(
                    State.TIGHT,
                    f"{layer.id}: {_length(layer.thickness)} finished is more than foil and "
                    f"plating together, {format_si(whole, 'length')}",
                    layer.id,
                )
            )
    if isinstance(layer, DielectricLayer) and layer.build == "prepreg":
        fills = _fills(stackup, layer)
        laid = (
            layer.laid.si if layer.laid else layer.thickness.si + sum(t * (1 - c) for t, c in fills)
        )
        try:
            to_be = pressed_thickness(laid, fills)
        except NotPhysical as error:
            return [*out, BuildRemark(State.FAILS, f"{layer.id}: {error}", layer.id)]
        if layer.laid is not None and abs(to_be - layer.thickness.si) > 0.05 * layer.thickness.si:
            out.append(
                BuildRemark(
                    State.TIGHT,
                    f"{layer.id}: {_length(layer.laid)} laid press to "
                    f"{format_si(to_be, 'length')}, not {_length(layer.thickness)}",
                    layer.id,
                )
            )
    return out


def _about_classes(design: Design) -> list[BuildRemark]:
    """Widths and gaps that the fabricator cannot etch."""
    out = []
    for c in design.line_classes:
        for t in c.on:
            copper = design.stackup.place(t.layer).copper
            limit = design.stackup.fabrication.limit_for(copper.thickness.si)
            if limit is None:
                continue
            if t.width.si < limit.width.si * (1 - 1e-9):
                out.append(
                    BuildRemark(
                        State.FAILS,
                        f"{c.name} on {t.layer}: width {_length(t.width)}, at least "
                        f"{_length(limit.width)} can be etched",
                        t.layer,
                    )
                )
            for words, gap in (("gap", t.gap), ("gap to the copper beside it", t.ground_gap)):
                if gap is not None and gap.si < limit.gap.si * (1 - 1e-9):
                    out.append(
                        BuildRemark(
                            State.FAILS,
                            f"{c.name} on {t.layer}: {words} {_length(gap)}, at least "
                            f"{_length(limit.gap)} can be etched",
                            t.layer,
                        )
                    )
    return out
