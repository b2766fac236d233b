"""Topics `cut_line`, `lossy_peel`, `unequal_pair` and `via`: cases of our own, whose answers were
found another way (tools/make_cases.py)."""

from __future__ import annotations

from typing import Any

import numpy as np

from onda.engine.circuits import LinePiece, Net, ShuntBranch, solve_transient
from onda.engine.circuits.stimulus import edge
from onda.engine.lines import CapacitancePart, Line
from onda.engine.materials import WidebandDebye
from onda.engine.networks.peeling import find_lumps, peeled
from onda.engine.networks.time_domain import Edge
from onda.engine.networks.unlossed import loss_per_delay, unlossed_response
from onda.engine.section.modes import modes_of_pair
from onda.engine.via_field import Disc, ViaStack, via_charge
from onda.errors import InputError
from onda.verification.complex_pairs import from_pairs

__all__ = ["cut_line", "lossy_peel", "unequal_pair", "via"]


def cut_line(case: dict[str, Any]) -> dict[str, Any]:
    """A lossy line in any number of pieces between two resistors."""
    inputs = case["inputs"]
    dielectric = WidebandDebye(inputs["eps_inf"], inputs["delta_eps"], inputs["m1"], inputs["m2"])
    line = Line(
        inputs["L"],
        (CapacitancePart(inputs["C_ref"], inputs["eps_r_ref"], dielectric),),
        inputs["R_dc"],
        inputs["k_skin"],
        "sum",
    )
    pieces, rise = int(inputs["pieces"]), float(inputs["rise_time_0_100_linear"])
    each = float(inputs["length"]) / pieces
    shunts = (
        ShuntBranch(0, r=float(inputs["R_source"]), source=True),
        ShuntBranch(pieces, r=float(inputs["R_load"])),
    )
    lines = tuple(LinePiece(k, k + 1, line, each) for k in range(pieces))
    wanted = np.asarray(case["at"]["time"], dtype=float)
    end = float(wanted.max()) * 1.01
    net = Net(pieces + 1, shunts, lines)
    solution = solve_transient(net, edge(0.0, 1.0, rise), end=end, step=min(rise / 40, end / 4000))
    return {"v_load": np.interp(wanted, solution.time, solution.node(pieces)).tolist()}


def lossy_peel(case: dict[str, Any]) -> dict[str, Any]:
    """True impedance along a lossy two-port, from its samples."""
    inputs = case["inputs"]
    frequency = np.asarray(inputs["frequency"], dtype=float)
    s = from_pairs(inputs["S_re_im"])
    loss = loss_per_delay(frequency, s)
    if loss is None:
        raise InputError("nothing comes through the network")
    shape = Edge(float(inputs["rise_20_80"]))
    time, response = unlossed_response(frequency, s, loss, shape)
    profile = peeled(time, response[:, 0], float(inputs["reference_ohm"]))
    at = np.asarray(case["at"]["one_way_delay"], dtype=float)
    return {
        "Z": np.interp(at, profile.delay, profile.z).tolist(),
        "parts": float(len(find_lumps(profile, shape.rise))),
    }


def unequal_pair(case: dict[str, Any]) -> dict[str, Any]:
    """Impedances of a pair for equal and opposite, and equal, currents."""
    inputs = case["inputs"]
    inductance = np.array(inputs["L_matrix"], dtype=float)
    c = np.array(inputs["C_maxwell_matrix"], dtype=float)
    pair = modes_of_pair(c, inductance)
    return {
        "Zdiff": pair.z_diff,
        "Zcommon": pair.z_common,
        "common_per_differential_volt": pair.conversion,
    }


def via(case: dict[str, Any]) -> dict[str, Any]:
    """Capacitance of a via to the planes that it passes."""
    inputs = case["inputs"]

    def discs(rows: list[list[float]]) -> tuple[Disc, ...]:
        return tuple(Disc(*(float(v) for v in row)) for row in rows)

    low, high = (float(v) for v in inputs["barrel_low_high"])
    stack = ViaStack(
        float(inputs["barrel_radius"]),
        low,
        high,
        discs(inputs["planes_low_high_hole_radius"]),
        discs(inputs["pads_low_high_radius"]),
    )
    return {"C": via_charge(stack, float(inputs["eps_r"])).total}
