"""Study `sensitivity`: what the spread of manufacture does to an impedance, one cause at a time."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

from onda.engine.section.structures import Slab
from onda.errors import OndaError
from onda.project.model import Spread
from onda.project.quantities import pretty
from onda.studies.impedance import quick_impedance
from onda.studies.resolve import LineInputs
from onda.studies.study import Control, Study

__all__ = [
    "SENSITIVITY",
    "Influence",
    "SensitivityInputs",
    "SensitivityResult",
    "sensitivity_inputs",
]


@dataclass(frozen=True, slots=True)
class SensitivityInputs:
    """A line and the spread either way: metres, or shares; the texts say how it was typed."""

    line: LineInputs
    width: float
    dielectric: float
    dk: float
    copper: float
    coating: float
    texts: tuple[str, str, str, str, str]


@dataclass(frozen=True, slots=True)
class Influence:
    """One cause: `low` and `high` are the changes in ohm at the two ends of its spread."""

    name: str
    spread: str
    low: float
    high: float

    @property
    def size(self) -> float:
        """Half the range that it makes, ohm."""
        return 0.5 * abs(self.high - self.low)


@dataclass(frozen=True, slots=True)
class SensitivityResult:
    """Causes from the strongest down; `together` is the root of the sum of their squares, ohm."""

    influences: tuple[Influence, ...]
    together: float


def sensitivity_inputs(line: LineInputs, spread: Spread) -> SensitivityInputs:
    """Slice for a line and the fabricator's spread."""
    parts = (spread.width, spread.dielectric, spread.dk, spread.copper, spread.coating)
    width, dielectric, dk, copper, coating = (p.si for p in parts)
    texts = tuple(pretty(p) for p in parts)
    return SensitivityInputs(line, width, dielectric, dk, copper, coating, texts)  # type: ignore[arg-type]


def _scaled(slabs: tuple[Slab, ...], k: float) -> tuple[Slab, ...]:
    return tuple(replace(s, thickness=s.thickness * k) for s in slabs)


def _changes(
    inputs: SensitivityInputs,
) -> list[tuple[str, str, Callable[[float], LineInputs]]]:
    """Name, spread, and the line at -1 .. +1 of that spread, for everything that this line has."""
    line, trace = inputs.line, inputs.line.trace
    width_text, dielectric_text, dk_text, copper_text, coating_text = inputs.texts

    def width(x: float) -> LineInputs:
        # Etching moves both edges: what the traces of a pair gain, the gap loses.
        gap = None if trace.gap is None else trace.gap - x * inputs.width
        return replace(line, trace=replace(trace, width=trace.width + x * inputs.width, gap=gap))

    def dk(x: float) -> LineInputs:
        k = 1 + x * inputs.dk
        return replace(line, materials=tuple(replace(m, dk=m.dk * k) for m in line.materials))

    def copper(x: float) -> LineInputs:
        return replace(line, trace=replace(trace, thickness=trace.thickness + x * inputs.copper))

    out: list[tuple[str, str, Callable[[float], LineInputs]]] = [("width", width_text, width)]
    if line.plane_below:
        out.append(
            (
                "height below" if line.plane_above else "height",
                dielectric_text,
                lambda x: replace(line, below=_scaled(line.below, 1 + x * inputs.dielectric)),
            )
        )
    if line.plane_above:
        out.append(
            (
                "height above",
                dielectric_text,
                lambda x: replace(line, above=_scaled(line.above, 1 + x * inputs.dielectric)),
            )
        )
    out += [("Dk", dk_text, dk), ("copper", copper_text, copper)]
    coating = line.coating
    if coating is not None:

        def coat(x: float) -> LineInputs:
            more = x * inputs.coating
            return replace(
                line,
                coating=replace(
                    coating,
                    over_laminate=coating.over_laminate + more,
                    over_copper=coating.over_copper + more,
                    beside=coating.beside + more,
                ),
            )

        out.append(("mask", coating_text, coat))
    return out


def _run(inputs: SensitivityInputs, control: Control) -> SensitivityResult:
    nominal = quick_impedance(inputs.line)
    found = []
    changes = _changes(inputs)
    for k, (name, spread, at) in enumerate(changes):
        try:
            low, high = (quick_impedance(at(x)) - nominal for x in (-1.0, 1.0))
            found.append(Influence(name, spread, low, high))
        except OndaError:
            # An end of the spread that cannot be built: the cause is left out, not guessed.
            continue
        finally:
            control.progress((k + 1) / len(changes))
    found.sort(key=lambda i: -i.size)
    return SensitivityResult(tuple(found), math.sqrt(sum(i.size**2 for i in found)))


SENSITIVITY: Study[SensitivityInputs, SensitivityResult] = Study(
    "sensitivity", _run, (SensitivityResult, Influence)
)
