"""Study `impedance`: a class on a layer, its numbers, its curves and its field."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from onda.engine.lines import CapacitancePart, Line
from onda.engine.materials import ConstantDielectric, Dielectric, WidebandDebye
from onda.engine.section import CrossSection, SectionResult, solve_section
from onda.engine.section.field import field_lines
from onda.engine.section.fit import fit_dimension
from onda.engine.section.modes import PairModes, SingleMode, odd_even, pair_modes, single_mode
from onda.engine.section.resistance import resistance
from onda.engine.section.structures import Slab, trace_section
from onda.studies.resolve import LineInputs, MaterialInputs
from onda.studies.study import Control, Study

__all__ = [
    "IMPEDANCE",
    "ImpedanceInputs",
    "ImpedanceResult",
    "SolvedLine",
    "fit_width",
    "quick_impedance",
    "solve_line",
]

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class ImpedanceInputs:
    """A line and how much is wanted; `fine` False leaves out the field and refines less."""

    line: LineInputs
    fine: bool = True


@dataclass(frozen=True, slots=True)
class SolvedLine:
    """A solved section as a transmission line; for a pair the differential one."""

    section: CrossSection
    result: SectionResult
    single: SingleMode | None
    pair: PairModes | None
    line: Line
    r_dc: float

    @property
    def z(self) -> float:
        """Impedance that the class's target means: single or differential, ohm."""
        return self.pair.z_diff if self.pair is not None else self.single.z0  # type: ignore[union-attr]

    @property
    def signal_mode(self) -> SingleMode:
        """The mode that the signal travels in: the only one, or the odd one."""
        return self.pair.odd if self.pair is not None else self.single  # type: ignore[return-value]


@dataclass(frozen=True, slots=True)
class ImpedanceResult:
    """What the Lines stage shows.

    Attributes
    ----------
    z : ohm, single or differential
    z_odd, z_even, z_common, coupling : of a pair, else NaN
    delay, delay_even : s/m; eeff : of the mode the signal travels in
    inductance, mutual_inductance : H/m; capacitance, mutual_capacitance : F/m
    r_dc : ohm/m of one trace
    frequency : (f,) Hz
    z_of_f : (f,) ohm, magnitude
    loss_db_per_m, conductor_db_per_m, dielectric_db_per_m : (f,)
    loss_at : dB/m at the class's frequency
    error : estimated relative error of C and L
    lines : field lines, each (k, 2) metres
    """

    z: float
    z_odd: float
    z_even: float
    z_common: float
    coupling: float
    delay: float
    delay_even: float
    eeff: float
    inductance: float
    mutual_inductance: float
    capacitance: float
    mutual_capacitance: float
    r_dc: float
    frequency: FloatArray
    z_of_f: FloatArray
    loss_db_per_m: FloatArray
    conductor_db_per_m: FloatArray
    dielectric_db_per_m: FloatArray
    loss_at: float
    error: float
    lines: tuple[FloatArray, ...]


def _dielectric(material: MaterialInputs) -> Dielectric:
    if material.df == 0.0:
        return ConstantDielectric(material.dk)
    return WidebandDebye.through(material.dk, material.df, material.at)


def _section(inputs: LineInputs) -> tuple[CrossSection, dict[str, Dielectric], dict[str, float]]:
    """The section with each Dk moved to the class's frequency by its causal model."""
    s = np.array([2j * np.pi * inputs.frequency])
    dielectrics = {m.id: _dielectric(m) for m in inputs.materials}
    er = {name: float(d.permittivity(s)[0].real) for name, d in dielectrics.items()}

    def moved(slab: Slab) -> Slab:
        return Slab(slab.thickness, er[slab.material], slab.material)

    coating = inputs.coating
    section = trace_section(
        inputs.trace,
        below=tuple(moved(slab) for slab in inputs.below),
        above=tuple(moved(slab) for slab in inputs.above),
        beside=moved(inputs.beside) if inputs.beside else None,
        plane_below=inputs.plane_below,
        plane_above=inputs.plane_above,
        coating=replace(coating, er=er[coating.material]) if coating else None,
    )
    return section, dielectrics, er


def quick_impedance(inputs: LineInputs) -> float:
    """Impedance alone, single or differential, ohm, within a few tenths of a percent."""
    section, _, _ = _section(inputs)
    result = solve_section(section, per_piece=4, quick=True)
    return pair_modes(result).z_diff if inputs.kind == "pair" else single_mode(result).z0


@lru_cache(maxsize=1024)
def solve_line(inputs: LineInputs, fine: bool = True) -> SolvedLine:
    """Solve a class on a layer: a section, its modes and its transmission line."""
    section, dielectrics, er = _section(inputs)
    result = solve_section(section, per_piece=5 if fine else 4, quick=not fine)
    losses = resistance(section, result, inputs.resistivity)
    pair = pair_modes(result) if inputs.kind == "pair" else None
    single = None if pair else single_mode(result)
    mode = pair.odd if pair else single
    assert mode is not None
    share = odd_even(result.c_share)[0] if pair else result.c_share[:, 0, 0]
    k_skin = odd_even(losses.k_skin)[0] if pair else losses.k_skin[0, 0]
    parts = tuple(
        CapacitancePart(float(c), er[name], dielectrics[name])
        for name, c in zip(result.materials, share, strict=True)
    )
    air = mode.capacitance - float(np.sum(share))
    line = Line(
        l_ext=mode.inductance,
        capacitance=(*parts, CapacitancePart(air)),
        r_dc=float(losses.r_dc.mean()),
        k_skin=float(k_skin),
    )
    return SolvedLine(
        section=section,
        result=result,
        single=single,
        pair=pair,
        line=line.scaled(2.0) if pair else line,
        r_dc=float(losses.r_dc[0]),
    )


def _run(inputs: ImpedanceInputs, control: Control) -> ImpedanceResult:
    solved = solve_line(inputs.line, inputs.fine)
    control.progress(0.5)
    pair, mode, result = solved.pair, solved.signal_mode, solved.result
    frequency = np.geomspace(1e6, 40e9, 121)
    lossless_dielectric = replace(
        solved.line,
        capacitance=tuple(
            CapacitancePart(p.c_ref, p.er_ref, None) for p in solved.line.capacitance
        ),
    )
    lossless_copper = replace(solved.line, r_dc=0.0, k_skin=0.0)
    at = np.array([inputs.line.frequency])
    lines: tuple[FloatArray, ...] = ()
    if inputs.fine:
        volts = np.array([0.5, -0.5]) if pair else np.array([1.0])
        lines = field_lines(result, volts, count=12 if pair else 18)
    return ImpedanceResult(
        z=solved.z,
        z_odd=pair.odd.z0 if pair else float("nan"),
        z_even=pair.even.z0 if pair else float("nan"),
        z_common=pair.z_common if pair else float("nan"),
        coupling=pair.coupling if pair else float("nan"),
        delay=mode.delay,
        delay_even=pair.even.delay if pair else float("nan"),
        eeff=mode.eeff,
        inductance=float(result.l_ext[0, 0]),
        mutual_inductance=float(result.l_ext[0, 1]) if pair else float("nan"),
        capacitance=float(result.c[0, 0]),
        mutual_capacitance=float(-result.c[0, 1]) if pair else float("nan"),
        r_dc=solved.r_dc,
        frequency=frequency,
        z_of_f=np.abs(solved.line.impedance(frequency)),
        loss_db_per_m=solved.line.attenuation_db_per_m(frequency),
        conductor_db_per_m=lossless_dielectric.attenuation_db_per_m(frequency),
        dielectric_db_per_m=lossless_copper.attenuation_db_per_m(frequency),
        loss_at=float(solved.line.attenuation_db_per_m(at)[0]),
        error=result.error,
        lines=lines,
    )


IMPEDANCE: Study[ImpedanceInputs, ImpedanceResult] = Study("impedance", _run, (ImpedanceResult,))


def fit_width(
    inputs: LineInputs, target: float, *, low: float = 50e-6, high: float = 2e-3
) -> float:
    """Width (m) that gives the target impedance, gap and build unchanged; from the present width.

    Raises
    ------
    OutOfReach : no width within low..high does; carries the nearest
    """
    low = max(low, 2.05 * inputs.trace.undercut)

    def value_at(width: float) -> float:
        return quick_impedance(replace(inputs, trace=replace(inputs.trace, width=width)))

    return fit_dimension(value_at, target, low=low, high=high, start=inputs.trace.width)
