"""Topic `network_wave`: waveforms of a terminated network of which sampled S is given."""

from __future__ import annotations

from typing import Any

import numpy as np

from onda.engine.circuits import Net, ShuntBranch, solve_transient
from onda.engine.circuits.dc import dc_voltages
from onda.engine.circuits.net import PortBlock
from onda.engine.networks.arrival_fit import fit_arrivals
from onda.verification.complex_pairs import from_pairs
from onda.verification.ends import fine_step, source_edge

__all__ = ["compute"]

_PER_EDGE, _MOST, _LEAST = 80, 40_000, 3_000
"""Steps in an edge; in a window at most and at least."""


def compute(case: dict[str, Any]) -> dict[str, Any]:
    """Outputs of one case."""
    inputs = case["inputs"]
    s = from_pairs(inputs["S_re_im"])
    model = fit_arrivals(np.asarray(inputs["frequency"], dtype=float), s)
    sources = {int(one["port"]) - 1: one for one in inputs["sources"]}
    shunts = []
    for k, r in enumerate(inputs["port_resistance"]):
        drive = sorted(sources).index(k) if k in sources else 0
        shunts.append(ShuntBranch(k, r=float(r), source=k in sources, drive=drive))
    for k, c in enumerate(inputs["port_capacitance"]):
        if float(c) > 0.0:
            shunts.append(ShuntBranch(k, c=float(c)))
    ports = len(inputs["port_resistance"])
    block = PortBlock(tuple(range(ports)), model, float(inputs["reference_ohm"]))
    net = Net(ports, tuple(shunts), blocks=(block,))
    stimuli = [source_edge(sources[k], "raised_cosine") for k in sorted(sources)]
    wanted = np.asarray(case["at"]["time"], dtype=float)
    end = max(float(inputs["window_end"]), float(wanted.max()))
    rise = min(float(one["rise"]) for one in sources.values())
    step = fine_step(rise, end, per_edge=_PER_EDGE, least=_LEAST, most=_MOST)
    solution = solve_transient(net, stimuli, end=end, step=step)
    out: dict[str, Any] = {
        f"v_port_{k + 1}": np.interp(wanted, solution.time, solution.node(k)).tolist()
        for k in range(ports)
    }
    out["settled_value"] = dc_voltages(net, [one.final for one in stimuli]).tolist()
    return out
