"""Study `sheet_line`: a line known from a data sheet, and the same with other losses."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits import LinePiece, Net, ShuntBranch, solve_linear
from onda.engine.circuits.stimulus import edge
from onda.engine.lines import CapacitancePart, Line
from onda.engine.links.eye import Eye
from onda.engine.links.overlay import bit_by_bit_eye
from onda.engine.links.patterns import prbs
from onda.engine.links.pulse import pulse_from_step
from onda.engine.materials import WidebandDebye
from onda.errors import NotPhysical, OndaError
from onda.project.lines.objects import SheetLine
from onda.studies.core.study import Control, Study

__all__ = ["SHEET_LINE", "SheetInputs", "SheetResult", "line_of_sheet", "sheet_inputs"]

FloatArray = NDArray[np.float64]
_NEPER = 20.0 / math.log(10.0)
_LOWEST, _HIGHEST, _POINTS = 1e6, 40e9, 161
_BITS, _LEVELS, _PHASES = 8000, 120, 384
_EDGE = 0.3
"""Rise time of the bits as a share of the unit interval."""


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
    rate: float
    loss_factors: tuple[float, ...] = (0.1, 1.0, 10.0, 100.0)


@dataclass(frozen=True, slots=True)
class SheetResult:
    """Curves of the line.

    Attributes
    ----------
    z0 : ohm and delay : s/m where losses do not matter; loss_at : dB/m at the stated frequency
    frequency : (f,) Hz; z_of_f : (f,) ohm, magnitude; delay_of_f : (f,) s/m; loss : (f,) dB/m
    factors : (k,); insertion : (k, f) dB, S21 in `z0` over the length at each factor of loss
    eyes : (k, phases, levels) counts of bits, 0.75 V either way; eye_height : (k,) V and
        eye_width : (k,) unit intervals, for 1 V sent; NaN where no eye is left
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
    eyes: FloatArray
    eye_height: FloatArray
    eye_width: FloatArray


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
        rate=line.rate.si,
    )


def line_of_sheet(inputs: SheetInputs, factor: float = 1.0) -> Line:
    """The line with all its losses times `factor`.

    By values: R, L, G, C as they stand. By figures: the copper part of the loss grows with the
    root of frequency, the dielectric part is that of a wideband loss tangent, so that the line is
    causal; both are met at the stated frequency to first order.

    Raises
    ------
    NotPhysical : the loss is so high that the figures cannot belong to a line
    """
    if inputs.entry == "values":
        return Line(
            inputs.l, (CapacitancePart(inputs.c),), inputs.r * factor, g_dc=inputs.g * factor
        )
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
    return Line(inductance, (part,), 0.0, k, "sum")


def _run(inputs: SheetInputs, control: Control) -> SheetResult:
    frequency = np.geomspace(_LOWEST, _HIGHEST, _POINTS)
    s = np.asarray(2j * np.pi * frequency, dtype=np.complex128)
    line = line_of_sheet(inputs)
    gamma, zc = line.propagation(s)
    at, _ = line.propagation(np.array([2j * np.pi * inputs.at]))
    z0 = math.sqrt(line.l_ext / sum(p.c_ref for p in line.capacitance))
    rows, factors, eyes, heights, widths = [], [], [], [], []
    for k, factor in enumerate(inputs.loss_factors):
        try:
            changed = line_of_sheet(inputs, factor)
        except NotPhysical:
            # A loss that no line can have ends the steps.
            break
        s21 = changed.s_parameters(frequency, inputs.length, z0)[:, 1, 0]
        # Below what a double can tell from nothing a curve means nothing.
        rows.append(20.0 * np.log10(np.maximum(np.abs(s21), 1e-15)))
        factors.append(factor)
        picture, height, width = _eye(changed, inputs, z0)
        eyes.append(picture)
        heights.append(height)
        widths.append(width)
        control.progress((k + 1) / len(inputs.loss_factors))
    return SheetResult(
        z0=z0,
        delay=math.sqrt(line.l_ext * sum(p.c_ref for p in line.capacitance)),
        loss_at=float(at[0].real * _NEPER),
        frequency=frequency,
        z_of_f=np.abs(zc),
        delay_of_f=gamma.imag / (2.0 * np.pi * frequency),
        loss=gamma.real * _NEPER,
        factors=np.array(factors),
        insertion=np.array(rows),
        eyes=np.array(eyes),
        eye_height=np.array(heights),
        eye_width=np.array(widths),
    )


def _eye(line: Line, inputs: SheetInputs, z0: float) -> tuple[FloatArray, float, float]:
    """Counts over phase and voltage, height and width of the eye; both ends are matched."""
    ui = 1.0 / inputs.rate
    net = Net(
        2,
        (ShuntBranch(0, r=z0, source=True), ShuntBranch(1, r=z0)),
        (LinePiece(0, 1, line, inputs.length),),
    )
    end = ui + 5.0 * inputs.length * inputs.delay + 80.0 * ui
    try:
        solution = solve_linear(
            net, edge(-1.0, 1.0, _EDGE * ui, start=ui), end=end, step=ui / 128.0
        )
        pulse = pulse_from_step(solution.time, solution.node(1), ui, samples_per_ui=_PHASES)
        bits = prbs(7, _BITS + pulse.volts.shape[0])
        eye: Eye = bit_by_bit_eye(pulse, bits, levels=_LEVELS)
    except OndaError:
        # So much loss that no step arrives in time: there is no eye to show.
        return np.zeros((_PHASES, _LEVELS)), math.nan, math.nan
    middle = eye.v_low + (np.arange(eye.density.shape[1]) + 0.5) * eye.v_step
    rows = np.clip(((middle + 0.75) / 1.5 * _LEVELS).astype(int), 0, _LEVELS - 1)
    out = np.zeros((eye.density.shape[0], _LEVELS))
    np.add.at(out.T, rows, eye.density.T.astype(float))
    return out, eye.height, eye.width


SHEET_LINE: Study[SheetInputs, SheetResult] = Study("sheet_line", _run, SheetResult, title="Cable")
