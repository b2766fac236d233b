"""What the spread of manufacture does to a line: each cause as a change of the line's slice."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from onda.engine.section.structures import Slab
from onda.project.build.stackup import Spread
from onda.project.quantities import pretty
from onda.studies.lines.inputs import LineInputs

__all__ = ["SpreadInputs", "Variation", "spread_inputs", "variations"]


@dataclass(frozen=True, slots=True)
class SpreadInputs:
    """A line and the spread either way: metres, or shares; the texts say how it was typed."""

    line: LineInputs
    width: float
    dielectric: float
    dk: float
    copper: float
    coating: float
    copper_with_width: float
    heights_together: float
    texts: tuple[str, str, str, str, str]


@dataclass(frozen=True)
class Variation:
    """One cause: `at(x)` is the line at x times its spread, x from -1 to 1."""

    name: str
    spread: str
    at: Callable[[LineInputs, float], LineInputs]


def spread_inputs(line: LineInputs, spread: Spread) -> SpreadInputs:
    """Slice for a line and the fabricator's spread."""
    parts = (spread.width, spread.dielectric, spread.dk, spread.copper, spread.coating)
    texts = tuple(pretty(p) for p in parts)
    width, dielectric, dk, copper, coating = (p.si for p in parts)
    return SpreadInputs(
        line,
        width,
        dielectric,
        dk,
        copper,
        coating,
        spread.copper_with_width.si,
        spread.heights_together.si,
        texts,  # type: ignore[arg-type]
    )


def _thicker(slabs: tuple[Slab, ...], k: float) -> tuple[Slab, ...]:
    return tuple(replace(s, thickness=s.thickness * k) for s in slabs)


def variations(inputs: SpreadInputs) -> list[Variation]:
    """Every cause that this line has."""
    width_text, dielectric_text, dk_text, copper_text, coating_text = inputs.texts

    def width(line: LineInputs, x: float) -> LineInputs:
        # Etching moves all edges: what traces gain, gaps lose.
        trace, more = line.trace, x * inputs.width
        gap = None if trace.gap is None else trace.gap - more
        coplanar = trace.coplanar
        if coplanar is not None:
            coplanar = replace(coplanar, gap=coplanar.gap - more, width=coplanar.width + more)
        changed = replace(trace, width=trace.width + more, gap=gap, coplanar=coplanar)
        return replace(line, trace=changed)

    def below(line: LineInputs, x: float) -> LineInputs:
        return replace(line, below=_thicker(line.below, 1 + x * inputs.dielectric))

    def above(line: LineInputs, x: float) -> LineInputs:
        return replace(line, above=_thicker(line.above, 1 + x * inputs.dielectric))

    def between(line: LineInputs, x: float) -> LineInputs:
        facing = line.trace.facing
        assert facing is not None
        moved = replace(facing, distance=facing.distance * (1 + x * inputs.dielectric))
        return replace(line, trace=replace(line.trace, facing=moved))

    def dk(line: LineInputs, x: float) -> LineInputs:
        k = 1 + x * inputs.dk
        return replace(line, materials=tuple(m.scaled_dk(k) for m in line.materials))

    def copper(line: LineInputs, x: float) -> LineInputs:
        trace = line.trace
        thicker = replace(trace, thickness=trace.thickness + x * inputs.copper)
        return replace(line, trace=thicker)

    def coat(line: LineInputs, x: float) -> LineInputs:
        coating, more = line.coating, x * inputs.coating
        assert coating is not None
        thicker = replace(
            coating,
            over_laminate=coating.over_laminate + more,
            over_copper=coating.over_copper + more,
            beside=coating.beside + more,
        )
        return replace(line, coating=thicker)

    line = inputs.line
    out = [Variation("width", width_text, width)]
    if line.plane_below:
        name = "height below" if line.plane_above else "height"
        out.append(Variation(name, dielectric_text, below))
    if line.plane_above:
        out.append(Variation("height above", dielectric_text, above))
    if line.trace.facing is not None:
        out.append(Variation("between", dielectric_text, between))
    out += [Variation("Dk", dk_text, dk), Variation("copper", copper_text, copper)]
    if line.coating is not None:
        out.append(Variation("mask", coating_text, coat))
    return out
