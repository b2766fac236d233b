"""Topic `nonlinear`: a driver by tables, a line, a capacitor and clamps."""

from __future__ import annotations

from typing import Any

import numpy as np

from onda.engine.circuits import LinePiece, Net, ShuntBranch, solve_transient
from onda.engine.circuits.dc import dc_voltages
from onda.engine.circuits.devices import Device, Port, Table, Term, Weight
from onda.engine.lines import lossless_line
from onda.errors import InputError

__all__ = ["compute"]


def _term(table: dict[str, Any], vdd: float, scale: float, weight: Weight | None = None) -> Term:
    """A table in its own voltage as a term in that of its node."""
    sign, offset = {"v": (1.0, 0.0), "vdd-v": (-1.0, vdd), "v-vdd": (1.0, -vdd)}.get(
        table.get("x_is", "v").replace(" ", ""), (0.0, 0.0)
    )
    if sign == 0.0:
        raise InputError(f"x_is {table['x_is']!r} is not known", remedy="v, vdd-v or v-vdd.")
    return Term(Table(tuple(table["v"]), tuple(table["i"])), scale, sign, offset, weight)


def _net(inputs: dict[str, Any]) -> Net:
    vdd, time = float(inputs["vdd"]), tuple(inputs["k_time"])
    up = _term(inputs["pullup_table"], vdd, 1.0, Weight(time, tuple(inputs["k_up"])))
    down = _term(inputs["pulldown_table"], vdd, -1.0, Weight(time, tuple(inputs["k_down"])))
    clamps = tuple(
        _term(inputs[name], vdd, -1.0)
        for name in ("ground_clamp_table", "power_clamp_table")
        if inputs.get(name)
    )
    devices = [Device("driver", (Port(0, (up, down)),))]
    if clamps:
        devices.append(Device("clamps", (Port(1, clamps),)))
    shunts = [ShuntBranch(0, c=float(inputs["C_comp"]))] if inputs.get("C_comp") else []
    if inputs.get("C_load"):
        shunts.append(ShuntBranch(1, c=float(inputs["C_load"])))
    if inputs.get("R_load_to_ground"):
        shunts.append(ShuntBranch(1, r=float(inputs["R_load_to_ground"])))
    line = inputs["line"]
    piece = LinePiece(0, 1, lossless_line(float(line["Z0"])), float(line["delay"]))
    return Net(2, tuple(shunts), (piece,), devices=tuple(devices))


def compute(case: dict[str, Any]) -> dict[str, Any]:
    """Outputs of one case."""
    inputs = case["inputs"]
    net = _net(inputs)
    wanted = np.asarray(case["at"]["time"], dtype=float)
    end = max(float(inputs.get("t_end", 0.0)), float(wanted.max()))
    delay = float(inputs["line"]["delay"])
    step = min(end / 12000.0, delay / 20.0)
    # A whole number of steps in the delay leaves kinks where they are.
    step = delay / np.ceil(delay / step)
    solution = solve_transient(net, end=end, step=step)
    driver, load = solution.node(0), solution.node(1)
    return {
        "v_driver": np.interp(wanted, solution.time, driver).tolist(),
        "v_load": np.interp(wanted, solution.time, load).tolist(),
        "initial_value": float(load[0]),
        "settling_value": float(dc_voltages(net, (), time=end)[1]),
        "v_load_max": float(load.max()),
        "v_load_min": float(load.min()),
    }
