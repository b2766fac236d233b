"""Topic `lattice`: reflections on lossless nets with linear loads."""

from __future__ import annotations

from typing import Any

import numpy as np

from onda.engine.circuits import LinePiece, Net, ShuntBranch, solve_linear
from onda.engine.circuits.dc import dc_voltages
from onda.engine.circuits.stimulus import edge
from onda.engine.lines import lossless_line

__all__ = ["compute"]


def _net(inputs: dict[str, Any]) -> Net:
    shunts = tuple(
        ShuntBranch(
            node,
            r=float(branch.get("R", 0.0)),
            l=float(branch.get("L", 0.0)),
            c=float(branch["C"]) if "C" in branch else None,
            e=float(branch.get("E", 0.0)),
            source=bool(branch.get("source", False)),
        )
        for node, branches in enumerate(inputs["nodes"])
        for branch in branches
    )
    lines = tuple(
        LinePiece(v["node_a"], v["node_b"], lossless_line(v["Z0"]), v["delay"])
        for v in inputs["lines"]
    )
    return Net(len(inputs["nodes"]), shunts, lines)


def compute(case: dict[str, Any]) -> dict[str, Any]:
    """Outputs of one case."""
    inputs = case["inputs"]
    net = _net(inputs)
    source = inputs["source"]
    low, high = float(source["v_low"]), float(source["v_high"])
    rise = float(source["rise_time_0_100_linear"])
    start = float(source.get("t_start", 0.0))
    wanted = np.asarray(case["at"]["time"], dtype=float)
    end = 1.02 * float(wanted.max())
    # Reference times may lie close to a bend of the waveform, which a coarse step rounds off.
    step = max(min(rise / 500.0, end / 8000.0), end / 60000.0)
    solution = solve_linear(net, edge(low, high, rise, start=start), end=end, step=step)
    before, after = dc_voltages(net, low), dc_voltages(net, high)
    out: dict[str, Any] = {
        name: np.interp(wanted, solution.time, solution.node(node)).tolist()
        for name, node in inputs["probes"].items()
    }
    # Cases state the first and last level of their last probe, the load.
    load = list(inputs["probes"].values())[-1]
    out["initial_value"] = float(before[load])
    out["settled_value"] = float(after[load])
    return out
