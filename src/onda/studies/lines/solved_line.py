"""A class on a layer as a transmission line, from its slice."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from onda.engine.lines import CapacitancePart, Ladder, Line
from onda.engine.materials import Dielectric, fit_dielectric
from onda.engine.roughness import Hammerstad, Huray
from onda.engine.section import Conductor, CrossSection, SectionResult, solve_section
from onda.engine.section.copper import copper_impedance, fit_ladder, rough_ladder
from onda.engine.section.modes import (
    DRIVES,
    PairModes,
    SingleMode,
    driven_mode,
    odd_even,
    pair_modes,
    rest_currents,
    resting_mode,
)
from onda.engine.section.resistance import Resistance, resistance
from onda.engine.section.structures import Opening, Slab, TraceShape, trace_section
from onda.studies.lines.inputs import LineInputs, Rough

__all__ = [
    "CrossSection",
    "SolvedLine",
    "TraceShape",
    "quick_impedance",
    "rough_faces",
    "section_at_frequency",
    "section_of",
    "solve_line",
]

FloatArray = NDArray[np.float64]
_FAR_FROM_KNOWN = 4.0
"""Factor between the frequency of use and the nearest known one that is worth a remark."""


@dataclass(frozen=True, slots=True)
class SolvedLine:
    """A solved section as a transmission line; for a pair the differential one.

    Of a group it is the middle line, all others held at 0 V all along. `smooth` is `line` without
    the roughness of its copper; `notes` say what the numbers rest on that may surprise.
    """

    section: CrossSection
    result: SectionResult
    single: SingleMode | None
    pair: PairModes | None
    line: Line
    smooth: Line
    r_dc: float
    notes: tuple[str, ...]

    @property
    def z(self) -> float:
        """Impedance that the class's target means: single or differential, ohm."""
        return self.pair.z_diff if self.pair is not None else self.single.z0  # type: ignore[union-attr]

    @property
    def signal_mode(self) -> SingleMode:
        """The mode that the signal travels in: the only one, or the odd one."""
        return self.pair.odd if self.pair is not None else self.single  # type: ignore[return-value]


def section_at_frequency(
    inputs: LineInputs,
) -> tuple[CrossSection, dict[str, Dielectric], dict[str, float]]:
    """The section with each Dk moved to the class's frequency by its causal model."""
    s = np.array([2j * np.pi * inputs.frequency])
    used = _used(inputs)
    dielectrics = {m.id: fit_dielectric(m.points).model for m in inputs.materials if m.id in used}
    er = {name: float(d.permittivity(s)[0].real) for name, d in dielectrics.items()}

    return section_of(inputs, er), dielectrics, er


def section_of(inputs: LineInputs, er: Mapping[str, float] | None = None) -> CrossSection:
    """The section, with each Dk as it was given or as `er` has it by material.

    Raises
    ------
    NotPhysical : it cannot be drawn
    """
    if er is not None:
        inputs = _with_dk(inputs, er)
    return trace_section(
        inputs.trace,
        below=inputs.below,
        above=inputs.above,
        beside=inputs.beside,
        plane_below=inputs.plane_below,
        plane_above=inputs.plane_above,
        coating=inputs.coating,
        opening=inputs.opening,
    )


def _with_dk(inputs: LineInputs, er: Mapping[str, float]) -> LineInputs:
    def moved(slab: Slab) -> Slab:
        return Slab(slab.thickness, er[slab.material], slab.material)

    coating, opening = inputs.coating, inputs.opening
    return replace(
        inputs,
        below=tuple(moved(slab) for slab in inputs.below),
        above=tuple(moved(slab) for slab in inputs.above),
        beside=moved(inputs.beside) if inputs.beside else None,
        coating=replace(coating, er=er[coating.material]) if coating else None,
        opening=_moved_opening(opening, er) if opening else None,
    )


def _moved_opening(opening: Opening, er: Mapping[str, float]) -> Opening:
    beyond = tuple(Slab(s.thickness, er[s.material], s.material) for s in opening.beyond)
    return replace(opening, beyond=beyond)


def _used(inputs: LineInputs) -> set[str]:
    slabs = [*inputs.below, *inputs.above]
    slabs += [inputs.beside] if inputs.beside else []
    slabs += inputs.opening.beyond if inputs.opening else []
    names = {s.material for s in slabs}
    return names | ({inputs.coating.material} if inputs.coating else set())


def quick_impedance(inputs: LineInputs) -> float:
    """Impedance alone, single or differential, ohm, within a few tenths of a percent."""
    section, _, _ = section_at_frequency(inputs)
    result = solve_section(section, per_piece=4, quick=True)
    if inputs.differential:
        return pair_modes(result).z_diff
    return _middle(result).z0


def _middle(result: SectionResult) -> SingleMode:
    """The only line, or the middle one of a group with all others held at 0 V."""
    return resting_mode(result, len(result.signals) // 2)


@lru_cache(maxsize=256)
def solve_line(inputs: LineInputs, fine: bool = True, even: bool = False) -> SolvedLine:
    """Solve a class on a layer: a section, its modes and its transmission line.

    `even` makes the line of a pair that of its even mode, on the scale of the differential one
    (twice that of a conductor).

    `fine` includes the crowding of current by filaments; without it copper is a surface current
    and smooth, for an answer while something is dragged.
    """
    section, dielectrics, er, result, losses = _fields(inputs, fine)
    pair = pair_modes(result) if inputs.differential else None
    single = None if pair else _middle(result)
    mode = (pair.even if even else pair.odd) if pair else single
    assert mode is not None
    share = _of_mode(inputs, result, result.c_share, even)
    parts = tuple(
        CapacitancePart(float(c), er[name], dielectrics[name])
        for name, c in zip(result.materials, share, strict=True)
    )
    air = mode.capacitance - float(np.sum(share))
    base = Line(
        l_ext=mode.inductance,
        capacitance=(*parts, CapacitancePart(air)),
        r_dc=float(losses.r_dc.mean()),
        k_skin=float(_of_currents(inputs, result, losses.k_skin, even)),
    )
    smooth = _crowded(inputs, section, result, base, even) if fine else base
    line = _roughened(inputs, result, smooth, losses, even)
    return SolvedLine(
        section=section,
        result=result,
        single=single,
        pair=pair,
        line=line.scaled(2.0) if pair else line,
        smooth=smooth.scaled(2.0) if pair else smooth,
        r_dc=float(losses.r_dc[0]),
        notes=(*_notes(inputs), *_unequal(pair)),
    )


@lru_cache(maxsize=64)
def _fields(
    inputs: LineInputs, fine: bool
) -> tuple[CrossSection, dict[str, Dielectric], dict[str, float], SectionResult, Resistance]:
    """What both modes of a pair have in common."""
    section, dielectrics, er = section_at_frequency(inputs)
    result = solve_section(section, per_piece=5 if fine else 4, quick=not fine)
    return section, dielectrics, er, result, resistance(section, result, inputs.resistivity)


def _of_mode(
    inputs: LineInputs, result: SectionResult, matrix: FloatArray, even: bool = False
) -> FloatArray:
    """What the signal's mode sees of matrices (..., n, n) that act on voltages."""
    if inputs.differential:
        v = driven_mode(result.c, result.l_ext, DRIVES[int(even)]).volts
        return np.asarray(np.einsum("i,...ij,j->...", v, matrix, v))
    k = matrix.shape[-1] // 2
    return np.asarray(matrix[..., k, k])


def _of_currents(
    inputs: LineInputs, result: SectionResult, matrix: FloatArray, even: bool = False
) -> FloatArray:
    """What the signal's mode sees of matrices (..., n, n) that act on currents: in a group the
    others carry what keeps them at 0 V."""
    if inputs.differential:
        return odd_even(matrix)[int(even)]
    x = rest_currents(result, matrix.shape[-1] // 2)
    return np.asarray(np.einsum("i,...ij,j->...", x, matrix, x))


def _crowded(
    inputs: LineInputs, section: CrossSection, result: SectionResult, surface: Line, even: bool
) -> Line:
    """The line with R(f) and L(f) from filaments in the place of the surface current."""
    frequency, z, r_dc = _copper_of(
        section.conductors, section.planes, inputs.resistivity, *inputs.plane_copper
    )
    parts = [_of_currents(inputs, result, part, even) for part in (z.real, z.imag)]
    at_rest = float(_of_currents(inputs, result, r_dc, even))
    fit = fit_ladder(frequency, parts[0] + 1j * parts[1], at_rest, surface.k_skin)
    return replace(surface, r_dc=fit.r_dc, k_skin=0.0, ladders=(fit.ladder,))


@lru_cache(maxsize=128)
def _copper_of(
    conductors: tuple[Conductor, ...],
    planes: tuple[float, ...],
    resistivity: float,
    below: float,
    above: float,
) -> tuple[FloatArray, NDArray[np.complex128], FloatArray]:
    """Dielectrics do not matter to copper: the same shapes on another layer are known already."""
    section = CrossSection((), conductors, planes)
    return copper_impedance(section, resistivity, plane_below=below, plane_above=above)


def _roughened(
    inputs: LineInputs, result: SectionResult, smooth: Line, losses: Resistance, even: bool
) -> Line:
    rough = inputs.rough
    if rough.model == "smooth":
        return smooth
    make = Hammerstad.from_rz if rough.model == "Hammerstad" else Huray.from_rz
    ladders: list[Ladder] = []
    for name, rz in rough_faces(rough).items():
        share = losses.k_by_surface.get(name)
        if rz > 0 and share is not None:
            k = float(_of_currents(inputs, result, share, even))
            if k > 0:
                ladders.append(rough_ladder(k, make(rz), inputs.resistivity))
    return replace(smooth, ladders=(*smooth.ladders, *_joined(ladders)))


def _joined(ladders: list[Ladder]) -> tuple[Ladder, ...]:
    """All ladders as one: those of roughness share their poles."""
    sums: dict[float, float] = {}
    for ladder in ladders:
        for pole, r in zip(ladder.poles, ladder.resistances, strict=True):
            sums[pole] = sums.get(pole, 0.0) + r
    return (Ladder(tuple(sums), tuple(sums.values())),) if sums else ()


def rough_faces(rough: Rough) -> dict[str, float]:
    """Roughness (m) by the face that it is of, named as `resistance` names them."""
    return {
        "bottom": rough.bottom,
        "top": rough.top,
        "sides": rough.sides,
        "plane below": rough.plane_below,
        "plane above": rough.plane_above,
    }


def _unequal(pair: PairModes | None) -> tuple[str, ...]:
    """A remark on a pair whose lines are not alike."""
    if pair is None or not pair.converts:
        return ()
    level = 20.0 * math.log10(abs(pair.conversion))
    return (
        "the lines of the pair are not alike: impedances are those of equal and opposite (or "
        f"equal) currents, and {level:.0f} dB of the differential voltage comes as common mode",
    )


def _notes(inputs: LineInputs) -> tuple[str, ...]:
    """Remarks on what is known of the materials in use."""
    used = _used(inputs)
    out = []
    for m in inputs.materials:
        if m.id not in used:
            continue
        places = [p[0] for p in m.points]
        near = min(places, key=lambda f: abs(math.log(f / inputs.frequency)))
        if not 1.0 / _FAR_FROM_KNOWN <= near / inputs.frequency <= _FAR_FROM_KNOWN:
            out.append(
                f"{m.name}: Dk known at {near / 1e9:.3g} GHz, used at {inputs.frequency / 1e9:.3g} "
                "GHz by its causal model"
            )
    return tuple(out)
