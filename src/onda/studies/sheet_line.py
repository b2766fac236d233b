"""Study `sheet_line`: a line known from a data sheet, and the same with other losses."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.lines import CapacitancePart, Line
from onda.engine.materials import WidebandDebye
from onda.errors import NotPhysical
from onda.project.line_objects import SheetLine
from onda.studies.study import Control, Study

__all__ = ["SHEET_LINE", "SheetInputs", "SheetResult", "line_of_sheet", "sheet_inputs"]

FloatArray = NDArray[np.float64]
_NEPER = 20.0 / math.log(10.0)
_LOWEST, _HIGHEST, _POINTS = 1e6, 40e9, 161


@dataclass(frozen=True, slots=True)
class SheetInputs:
    """A line by values or by figures, SI; `loss_factors` step its losses."""

    entry: str
    length: float
    r: float
    l: float  # noqa: E741 - the field's own name for inductance
    g: float
    c: float
    z0: float
    delay: float
    loss: float
    at: float
    copper_share: float
    loss_factors: tuple[float, ...] = (0.1, 1.0, 10.0, 100.0)


@dataclass(frozen=True, slots=True)
class SheetResult:
    """Curves of the line.

    Attributes
    ----------
    z0 : ohm and delay : s/m where losses do not matter; loss_at : dB/m at the stated frequency
    frequency : (f,) Hz; z_of_f : (f,) ohm, magnitude; delay_of_f : (f,) s/m; loss : (f,) dB/m
    factors : (k,); insertion : (k, f) dB, S21 in `z0` over the length at each factor of loss
    """

    z0: float
    delay: float
    loss_at: float
    frequency: FloatArray
    z_of_f: FloatArray
    delay_of_f: FloatArray
    loss: FloatArray
    factors: FloatArray
    insertion: FloatArray


def sheet_inputs(line: SheetLine) -> SheetInputs:
    """Slice for a line."""
    return SheetInputs(
        entry=line.entry,
        length=line.length.si,
        r=line.r.si,
        l=line.l.si,
        g=line.g.si,
        c=line.c.si,
        z0=line.z0.si,
        delay=line.delay.si,
        loss=line.loss.si,
        at=line.at.si,
        copper_share=line.copper_share,
    )


def line_of_sheet(inputs: SheetInputs, factor: float = 1.0) -> tuple[Line, float]:
    """The line with all its losses times `factor`, and its constant conductance (S/m).

    By values: R, L, G, C as they stand. By figures: the copper part of the loss grows with the
    root of frequency, the dielectric part is that of a wideband loss tangent, so that the line is
    causal; both are met exactly at the stated frequency to first order.

    Raises
    ------
    NotPhysical : the loss is so high that the figures cannot belong to a line
    """
    if inputs.entry == "values":
        return Line(inputs.l, (CapacitancePart(inputs.c),), inputs.r * factor), inputs.g * factor
    w = 2.0 * math.pi * inputs.at
    nepers = inputs.loss * factor / _NEPER
    k = 2.0 * nepers * inputs.copper_share * inputs.z0 / math.sqrt(inputs.at)
    tangent = 2.0 * nepers * (1.0 - inputs.copper_share) / (w * inputs.delay)
    if tangent >= 0.5:
        raise NotPhysical(
            "loss", f"{inputs.loss * factor:.4g} dB/m", "below half a neper per radian of delay"
        )
    inductance, capacitance = inputs.z0 * inputs.delay, inputs.delay / inputs.z0
    part = CapacitancePart(capacitance)
    if tangent > 0:
        # Any permittivity serves: only its change with frequency matters.
        part = CapacitancePart(capacitance, 4.0, WidebandDebye.through(4.0, tangent, inputs.at))
    return Line(inductance, (part,), 0.0, k, "sum"), 0.0


def _propagation(
    line: Line, g: float, s: NDArray[np.complex128]
) -> tuple[NDArray[np.complex128], NDArray[np.complex128]]:
    z, y = line.series_impedance(s), line.shunt_admittance(s) + g
    zc = np.sqrt(z / y)
    return y * zc, zc


def _run(inputs: SheetInputs, control: Control) -> SheetResult:
    frequency = np.geomspace(_LOWEST, _HIGHEST, _POINTS)
    s = np.asarray(2j * np.pi * frequency, dtype=np.complex128)
    line, g = line_of_sheet(inputs)
    gamma, zc = _propagation(line, g, s)
    at, _ = _propagation(line, g, np.array([2j * np.pi * inputs.at]))
    c = sum(p.c_ref for p in line.capacitance)
    z0 = math.sqrt(line.l_ext / c)
    rows, factors = [], []
    for k, factor in enumerate(inputs.loss_factors):
        try:
            changed, conductance = line_of_sheet(inputs, factor)
        except NotPhysical:
            # A loss that no line can have ends the steps.
            break
        rows.append(_insertion_db(*_propagation(changed, conductance, s), inputs.length, z0))
        factors.append(factor)
        control.progress((k + 1) / len(inputs.loss_factors))
    return SheetResult(
        z0=z0,
        delay=math.sqrt(line.l_ext * c),
        loss_at=float(at[0].real * _NEPER),
        frequency=frequency,
        z_of_f=np.abs(zc),
        delay_of_f=gamma.imag / (2.0 * np.pi * frequency),
        loss=gamma.real * _NEPER,
        factors=np.array(factors),
        insertion=np.array(rows),
    )


def _insertion_db(
    gamma: NDArray[np.complex128], zc: NDArray[np.complex128], length: float, z_ref: float
) -> FloatArray:
    decay = np.exp(-gamma * length)
    rho = (zc - z_ref) / (zc + z_ref)
    s21 = decay * (1.0 - rho**2) / (1.0 - (rho * decay) ** 2)
    # Below what a double can tell from nothing a curve means nothing.
    return np.asarray(20.0 * np.log10(np.maximum(np.abs(s21), 1e-15)))


SHEET_LINE: Study[SheetInputs, SheetResult] = Study("sheet_line", _run, (SheetResult,))
