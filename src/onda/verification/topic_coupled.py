"""Topic `coupled`: 2 to 4 coupled lines in time, mixed mode, saturation of the near end."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits import CoupledPiece, Net, ShuntBranch, solve_transient
from onda.engine.circuits.net import SeriesPart
from onda.engine.circuits.stimulus import PiecewiseLinear, edge
from onda.engine.coupled_lines import CoupledLine, lossless_coupled
from onda.engine.lines import lossless_line
from onda.engine.networks.mixed_mode import mixed_mode
from onda.engine.section.multiline import line_modes
from onda.verification.complex_pairs import to_pairs

__all__ = ["compute"]

FloatArray = NDArray[np.float64]


def compute(case: dict[str, Any]) -> dict[str, Any]:
    """Outputs of one case."""
    inputs = case["inputs"]
    if "frequency" in inputs:
        return _mixed(inputs)
    if "lengths" in inputs:
        return _saturation(inputs)
    return _waveforms(case)


def _matrices(inputs: dict[str, Any]) -> tuple[FloatArray, FloatArray]:
    return np.array(inputs["L_matrix"], float), np.array(inputs["C_maxwell_matrix"], float)


def _end_parts(
    matrix: FloatArray, first: int, driven: bool
) -> tuple[list[ShuntBranch], list[SeriesPart]]:
    """A conductance matrix as resistors: to 0 V (or to each line's source), and between."""
    shunts, series = [], []
    n = len(matrix)
    for i in range(n):
        own = float(matrix[i].sum())
        if own != 0.0:
            shunts.append(ShuntBranch(first + i, r=1.0 / own, source=driven, drive=i))
        for j in range(i + 1, n):
            if matrix[i, j] != 0.0:
                series.append(SeriesPart(first + i, first + j, r=-1.0 / float(matrix[i, j])))
    return shunts, series


def _solve(
    inductance: FloatArray,
    c: FloatArray,
    ends: tuple[FloatArray, FloatArray],
    emf: FloatArray,
    *,
    length: float,
    rise: float,
    end: float,
) -> tuple[FloatArray, FloatArray]:
    """Times, and voltages (t, 2n) of near then far ends."""
    n = len(c)
    near, far = ends
    shunts, series = _end_parts(near, 0, True)
    more_shunts, more_series = _end_parts(far, n, False)
    piece = CoupledPiece(
        tuple(range(n)), tuple(range(n, 2 * n)), lossless_coupled(inductance, c), length
    )
    net = Net(2 * n, (*shunts, *more_shunts), series=(*series, *more_series), coupled=(piece,))
    # Sources in the near network drive every line behind the whole matrix: G E, as Norton says.
    lifted = np.linalg.solve(np.diag(near.sum(axis=1)), near @ emf)
    stimuli = [edge(0.0, float(v), rise) if v else PiecewiseLinear((0.0,), (0.0,)) for v in lifted]
    step = max(min(rise / 800.0, end / 20000.0), end / 200000.0)
    solution = solve_transient(net, stimuli, end=end, step=step)
    return solution.time, solution.volts


def _conductances(inputs: dict[str, Any]) -> tuple[FloatArray, FloatArray]:
    if "near_conductance_matrix" in inputs:
        return (
            np.array(inputs["near_conductance_matrix"], float),
            np.array(inputs["far_conductance_matrix"], float),
        )
    near = np.array(inputs["R_near_to_emf_or_ground"], float)
    far = np.array(inputs["R_far_to_ground"], float)
    return np.diag(1.0 / near), np.diag(1.0 / far)


def _waveforms(case: dict[str, Any]) -> dict[str, Any]:
    inputs = case["inputs"]
    inductance, c = _matrices(inputs)
    modes = line_modes(c, inductance)
    wanted = np.asarray(case["at"]["time"], dtype=float)
    length = float(inputs["length"])
    # The window is stated, or the times are taken to stop at 98.5 % of it, as in the public file.
    end = float(inputs.get("window_end", wanted.max() / 0.985))
    time, volts = _solve(
        inductance,
        c,
        _conductances(inputs),
        np.array(inputs["aggressor_emf_step"], float),
        length=length,
        rise=float(inputs["rise_time_0_100_linear"]),
        end=max(end, float(wanted.max())),
    )
    n = len(c)
    names = [f"near_{k + 1}" for k in range(n)] + [f"far_{k + 1}" for k in range(n)]
    order = [k + side * n for k in range(n) for side in (0, 1)]
    out: dict[str, Any] = {
        "modal_velocity": (1.0 / modes.delay).tolist(),
        "Zc": modes.z_characteristic.tolist(),
    }
    for k in order:
        out[f"v_{names[k]}"] = np.interp(wanted, time, volts[:, k]).tolist()
    inside = time <= end * (1.0 + 1e-9)
    out["extremes_within_window"] = {
        names[k]: {
            "max": float(volts[inside, k].max()),
            "min": float(volts[inside, k].min()),
            "t_max": float(time[np.argmax(volts[inside, k])]),
            "t_min": float(time[np.argmin(volts[inside, k])]),
        }
        for k in order
    }
    out["window_end"] = end
    return out


def _saturation(inputs: dict[str, Any]) -> dict[str, Any]:
    inductance, c = _matrices(inputs)
    modes = line_modes(c, inductance)
    g = np.diag(np.full(len(c), 1.0 / float(inputs["R"])))
    rise, emf = float(inputs["rise_time_0_100_linear"]), np.zeros(len(c))
    emf[0] = float(inputs["aggressor_emf_step"])
    slowest = float(modes.delay.max())
    peaks = []
    for length in inputs["lengths"]:
        end = 2.0 * slowest * length + 2.0 * rise
        _, volts = _solve(inductance, c, (g, g), emf, length=length, rise=rise, end=end)
        peaks.append(float(np.abs(volts[:, 1]).max()))
    z = modes.z_characteristic
    divided = z @ np.linalg.inv(z + np.linalg.inv(g))
    return {
        "next_peak": peaks,
        "saturated_level": float(abs(divided[1, 0]) * emf[0]),
        "saturation_length": rise / (2.0 * slowest),
    }


def _mixed(inputs: dict[str, Any]) -> dict[str, Any]:
    frequency = np.array(inputs["frequency"], float)
    z_ref = float(inputs.get("reference_ohm", 50.0))
    if "L_matrix" in inputs:
        line, length = lossless_coupled(*_matrices(inputs)), float(inputs["length"])
        delays = None
    else:
        delays = float(inputs["delay_line1"]), float(inputs["delay_line2"])
        z0 = float(inputs["Z0"])
        line = CoupledLine(np.eye(2), tuple(lossless_line(z0, d) for d in delays))
        length = 1.0
    s = line.s_parameters(frequency, length, z_ref)
    out: dict[str, Any] = {
        "S_re_im": to_pairs(s),
        "Smm_re_im": to_pairs(mixed_mode(s, ((0, 1), (2, 3)))),
        "mixed_mode_order": "d1 d2 c1 c2 (1=near,2=far)",
    }
    if delays is not None:
        out["skew"] = delays[1] - delays[0]
    return out
