"""Topic `group`: coupled lossy lines with a common return, between resistors."""

from __future__ import annotations

from typing import Any

import numpy as np

from onda.engine.circuits import CoupledPiece, Net, ShuntBranch, solve_transient
from onda.engine.circuits.dc import dc_voltages
from onda.engine.circuits.net import SeriesPart
from onda.engine.group_lines import GroupCapacitance, GroupLine
from onda.engine.materials import ConstantLoss
from onda.verification.ends import fine_step, source_edge

__all__ = ["compute"]

_PER_EDGE, _MOST, _LEAST = 200, 60_000, 5_000
"""Steps in an edge; in a window at most and at least."""


def _line(inputs: dict[str, Any]) -> GroupLine:
    loss = ConstantLoss(1.0, float(inputs["loss_tangent_df"]), float(inputs["f0"]))
    c = np.array(inputs["C_maxwell_matrix"], dtype=float)
    return GroupLine(
        np.array(inputs["L_matrix"], dtype=float),
        (GroupCapacitance(c, 1.0, loss),),
        np.array(inputs["R_dc_matrix"], dtype=float),
        np.array(inputs["R_skin_matrix"], dtype=float),
    )


def compute(case: dict[str, Any]) -> dict[str, Any]:
    """Outputs of one case."""
    inputs = case["inputs"]
    line = _line(inputs)
    n = line.size
    sources = {int(one["line"]) - 1: one for one in inputs["sources"]}
    driven = sorted(sources)
    shunts = [
        ShuntBranch(
            k, r=float(r), source=k in sources, drive=driven.index(k) if k in sources else 0
        )
        for k, r in enumerate(inputs["R_near"])
    ]
    shunts += [ShuntBranch(n + k, r=float(r)) for k, r in enumerate(inputs["R_far"])]
    series = []
    for one in inputs["resistor_between"]:
        first = n if one["end"] == "far" else 0
        a, b = (first + int(k) - 1 for k in one["lines"])
        series.append(SeriesPart(a, b, r=float(one["R"])))
    piece = CoupledPiece(tuple(range(n)), tuple(range(n, 2 * n)), line, float(inputs["length"]))
    net = Net(2 * n, tuple(shunts), series=tuple(series), coupled=(piece,))
    stimuli = [source_edge(sources[k], str(sources[k]["shape"])) for k in driven]
    wanted = np.asarray(case["at"]["time"], dtype=float)
    window = float(inputs["window_end"])
    end = max(window, float(wanted.max()))
    rise = min(float(one["rise"]) for one in sources.values())
    step = fine_step(rise, end, per_edge=_PER_EDGE, least=_LEAST, most=_MOST)
    solution = solve_transient(net, stimuli, end=end, step=step)
    out: dict[str, Any] = {}
    for first, name in ((0, "v_near"), (n, "v_far")):
        for k in range(n):
            volts = np.interp(wanted, solution.time, solution.node(first + k))
            out[f"{name}_{k + 1}"] = volts.tolist()
    settled = dc_voltages(net, [one.final for one in stimuli])
    out["settled_near"], out["settled_far"] = settled[:n].tolist(), settled[n:].tolist()
    inside = solution.time <= window * (1.0 + 1e-9)
    out["quiet_extremes"] = {
        f"{name}_{k + 1}": {
            "max": float(solution.node(first + k)[inside].max()),
            "min": float(solution.node(first + k)[inside].min()),
        }
        for k in range(n)
        if k not in sources
        for first, name in ((0, "near"), (n, "far"))
    }
    return out
