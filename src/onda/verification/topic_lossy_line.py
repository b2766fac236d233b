"""Topic `lossy_line`: causal lossy line against frequency and in time."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits import LinePiece, Net, ShuntBranch, solve_linear
from onda.engine.circuits.dc import dc_voltages
from onda.engine.circuits.measure import first_crossing
from onda.engine.circuits.stimulus import edge
from onda.engine.lines import CapacitancePart, Line
from onda.engine.materials import WidebandDebye
from onda.verification.complex_pairs import to_pairs

__all__ = ["compute"]


def _line(inputs: dict[str, Any]) -> Line:
    if "eps_inf" in inputs:
        dielectric = WidebandDebye(
            inputs["eps_inf"], inputs["delta_eps"], inputs["m1"], inputs["m2"]
        )
    else:
        dielectric = WidebandDebye.through(
            inputs["eps_r_ref"],
            inputs["tan_delta_ref"],
            inputs["f_ref"],
            m1=inputs.get("m1", 4.0),
            m2=inputs.get("m2", 12.0),
        )
    return Line(
        l_ext=inputs["L"],
        capacitance=(CapacitancePart(inputs["C_ref"], inputs["eps_r_ref"], dielectric),),
        r_dc=inputs.get("R_dc", 0.0),
        k_skin=inputs.get("k_skin", 0.0),
        skin_law="sum",
    )


def compute(case: dict[str, Any]) -> dict[str, Any]:
    """Outputs of one case."""
    inputs = case["inputs"]
    line, length = _line(inputs), float(inputs["length"])
    out = _frequency_outputs(line, length, inputs, np.asarray(case["at"]["frequency"], float))
    return out | _time_outputs(line, length, inputs, np.asarray(case["at"]["time"], float))


def _frequency_outputs(
    line: Line, length: float, inputs: dict[str, Any], frequency: NDArray[np.float64]
) -> dict[str, Any]:
    s = line.s_parameters(frequency, length, float(inputs.get("s_reference_ohm", 50.0)))
    gamma, zc = line.propagation(np.asarray(2j * np.pi * frequency))
    return {
        "S11_re_im": to_pairs(s[:, 0, 0]),
        "S21_re_im": to_pairs(s[:, 1, 0]),
        "S21_dB": (20 * np.log10(np.abs(s[:, 1, 0]))).tolist(),
        "alpha_np_per_m": gamma.real.tolist(),
        "beta_rad_per_m": gamma.imag.tolist(),
        "Zc_re_im": to_pairs(zc),
    }


def _time_outputs(
    line: Line, length: float, inputs: dict[str, Any], wanted: NDArray[np.float64]
) -> dict[str, Any]:
    net = Net(
        2,
        (
            ShuntBranch(0, r=float(inputs["R_source"]), source=True),
            ShuntBranch(1, r=float(inputs["R_load"])),
        ),
        (LinePiece(0, 1, line, length),),
    )
    rise, unit_interval = float(inputs["rise_time_0_100_linear"]), float(inputs["unit_interval"])
    amplitude = float(inputs.get("source_step", 1.0))
    end = 1.02 * float(wanted.max()) + unit_interval
    step = min(rise / 40.0, end / 4000.0)
    solution = solve_linear(net, edge(0.0, amplitude, rise), end=end, step=step)
    time, load = solution.time, solution.node(1)

    def step_at(t: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.interp(t, time, load, left=0.0)

    settled = float(dc_voltages(net, amplitude)[1])
    t10, t50, t90 = (first_crossing(time, load, k * settled) for k in (0.1, 0.5, 0.9))
    pulse = load - step_at(time - unit_interval)
    return {
        "step_at_load": step_at(wanted).tolist(),
        "pulse_1ui_at_load": (step_at(wanted) - step_at(wanted - unit_interval)).tolist(),
        "settled_value": settled,
        "rise_10_90": t90 - t10 if math.isfinite(t90) else math.nan,
        "delay_50_50": t50 - 0.5 * rise,
        "pulse_peak": float(pulse.max()),
    }
