"""Study `impedance`: a class on a layer, its numbers and its curves."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.causality import kramers_kronig_error
from onda.engine.lines import CapacitancePart, Line
from onda.engine.section import SectionResult
from onda.engine.section.multiline import coupling_between, line_modes, matched_network
from onda.studies.core.study import Control, Study
from onda.studies.lines.inputs import LineInputs
from onda.studies.lines.solved_line import SolvedLine, solve_line

__all__ = [
    "IMPEDANCE",
    "ImpedanceInputs",
    "ImpedanceResult",
    "LinesTogether",
    "coupling_between",
]

FloatArray = NDArray[np.float64]
_LOWEST, _HIGHEST, _POINTS = 1e6, 110e9, 131


@dataclass(frozen=True, slots=True)
class ImpedanceInputs:
    """A line and how much is wanted; `fine` False leaves out real copper and refines less."""

    line: LineInputs
    fine: bool = True


@dataclass(frozen=True, slots=True)
class LinesTogether:
    """All lines of a pair or group at once.

    Attributes
    ----------
    names : of the n lines
    c, inductance : (n, n) F/m and H/m
    mode_z, mode_delay : (n,) ohm and s/m, from the slowest mode; mode_voltage : (n, n) by column
    z_characteristic : (n, n) ohm
    network : (n, n) ohm that absorb every mode, to 0 V on the diagonal, infinite where none
    """

    names: tuple[str, ...]
    c: FloatArray
    inductance: FloatArray
    mode_z: FloatArray
    mode_delay: FloatArray
    mode_voltage: FloatArray
    z_characteristic: FloatArray
    network: FloatArray


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
    z_of_f : (f,) ohm, magnitude; delay_of_f : (f,) s/m, phase delay
    r_of_f : (f,) ohm/m; l_of_f : (f,) H/m; g_of_f : (f,) S/m; c_of_f : (f,) F/m
    loss_db_per_m, conductor_db_per_m, roughness_db_per_m, dielectric_db_per_m : (f,)
    loss_at : dB/m at the class's frequency; loss_parts : copper, roughness, dielectric of it
    error : estimated relative error of C and L
    causality : largest disagreement of loss and delay, as a share (NaN in a quick answer)
    together : all lines of a pair or group
    notes : what the numbers rest on that may surprise
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
    delay_of_f: FloatArray
    r_of_f: FloatArray
    l_of_f: FloatArray
    g_of_f: FloatArray
    c_of_f: FloatArray
    loss_db_per_m: FloatArray
    conductor_db_per_m: FloatArray
    roughness_db_per_m: FloatArray
    dielectric_db_per_m: FloatArray
    loss_at: float
    loss_parts: tuple[float, float, float]
    error: float
    causality: float
    together: LinesTogether | None
    notes: tuple[str, ...]


def _run(inputs: ImpedanceInputs, control: Control) -> ImpedanceResult:
    solved = solve_line(inputs.line, inputs.fine)
    control.progress(0.6)
    pair, mode, result = solved.pair, solved.signal_mode, solved.result
    frequency = np.geomspace(_LOWEST, _HIGHEST, _POINTS)
    at = np.array([inputs.line.frequency])
    total, copper, rough, dielectric = _losses(solved, frequency)
    parts = _losses(solved, at)
    s = np.asarray(2j * np.pi * frequency, dtype=np.complex128)
    z, y = solved.line.series_impedance(s), solved.line.shunt_admittance(s)
    causality = float("nan")
    if inputs.fine:
        causality = kramers_kronig_error(solved.line, np.geomspace(1e6, 40e9, 16))
    several = len(result.signals) > 1
    middle = len(result.signals) // 2 if not pair else 0
    beside = middle - 1 if middle else 1
    return ImpedanceResult(
        z=solved.z,
        z_odd=pair.odd.z0 if pair else float("nan"),
        z_even=pair.even.z0 if pair else float("nan"),
        z_common=pair.z_common if pair else float("nan"),
        coupling=pair.coupling if pair else float("nan"),
        delay=mode.delay,
        delay_even=pair.even.delay if pair else float("nan"),
        eeff=mode.eeff,
        inductance=float(result.l_ext[middle, middle]),
        mutual_inductance=float(result.l_ext[middle, beside]) if several else float("nan"),
        capacitance=float(result.c[middle, middle]),
        mutual_capacitance=float(-result.c[middle, beside]) if several else float("nan"),
        r_dc=solved.r_dc,
        frequency=frequency,
        z_of_f=np.abs(np.sqrt(z / y)),
        delay_of_f=np.sqrt(z * y).imag / (2.0 * np.pi * frequency),
        r_of_f=z.real,
        l_of_f=(z / s).real,
        g_of_f=y.real,
        c_of_f=(y / s).real,
        loss_db_per_m=total,
        conductor_db_per_m=copper,
        roughness_db_per_m=rough,
        dielectric_db_per_m=dielectric,
        loss_at=float(parts[0][0]),
        loss_parts=(float(parts[1][0]), float(parts[2][0]), float(parts[3][0])),
        error=result.error,
        causality=causality,
        together=_together(result) if several else None,
        notes=solved.notes,
    )


def _losses(
    solved: SolvedLine, frequency: FloatArray
) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray]:
    """Attenuation in dB/m: whole, of smooth copper, of its roughness, of the dielectric."""
    line, smooth = solved.line, solved.smooth
    total = line.attenuation_db_per_m(frequency)
    rough = total - smooth.attenuation_db_per_m(frequency)
    lossless_copper = replace(line, r_dc=0.0, k_skin=0.0, ladders=())
    dielectric = lossless_copper.attenuation_db_per_m(frequency)
    return (
        total,
        _without_dielectric_loss(smooth).attenuation_db_per_m(frequency),
        rough,
        dielectric,
    )


def _without_dielectric_loss(line: Line) -> Line:
    parts = tuple(CapacitancePart(p.c_ref, p.er_ref, None) for p in line.capacitance)
    return replace(line, capacitance=parts)


def _together(result: SectionResult) -> LinesTogether:
    modes = line_modes(result.c, result.l_ext)
    return LinesTogether(
        names=result.signals,
        c=result.c,
        inductance=result.l_ext,
        mode_z=modes.z_mode,
        mode_delay=modes.delay,
        mode_voltage=modes.voltage,
        z_characteristic=modes.z_characteristic,
        network=matched_network(modes),
    )


IMPEDANCE: Study[ImpedanceInputs, ImpedanceResult] = Study(
    "impedance", _run, ImpedanceResult, title="Impedance"
)
