"""Topic `tdr`: what a step sees of sections and lumps, read plainly and peeled."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits import LinePiece, Net, SeriesPart, ShuntBranch, solve_transient
from onda.engine.circuits.stimulus import edge
from onda.engine.lines import lossless_line
from onda.engine.networks.peeling import (
    Lump,
    find_lumps,
    peeled,
    plain_impedance,
    sharpened,
)
from onda.errors import InputError

__all__ = ["compute"]

FloatArray = NDArray[np.float64]
_PER_RISE = 160
_WINDOW = 4
"""Samples through which a part is seen; fewer let rounding through, more smear it."""


def compute(case: dict[str, Any]) -> dict[str, Any]:
    """Outputs of one case: everything but the waveform follows from the waveform."""
    inputs, at = case["inputs"], case["at"]
    source, emf = float(inputs["source_R"]), float(inputs["source_emf"])
    rise = float(inputs["rise_time_0_100_linear"])
    time, volts = _waveform(inputs, rise / _PER_RISE)
    wanted = np.asarray(at["time"], dtype=float)
    rho = (volts - 0.5 * emf * np.clip(time / rise, 0.0, 1.0)) / (0.5 * emf)

    def plain(when: FloatArray) -> FloatArray:
        return plain_impedance(np.interp(when, time, rho), source)

    widths = np.asarray(inputs["section_one_way_delay"], dtype=float)
    ends = np.cumsum(widths)
    starts = ends - widths
    response = sharpened(rho, _PER_RISE, _WINDOW)
    when = (np.arange(len(response)) - 0.5 * (_WINDOW - 1) - 0.5) * time[1]
    # A lump seen sharply is next to a short for a moment, and no end.
    profile = peeled(when, response, source, most=1e4)
    z = [
        profile.mean(a + 0.25 * w, b - 0.25 * w)
        for a, b, w in zip(starts, ends, widths, strict=True)
    ]
    if not np.isfinite(z).all():
        raise InputError("the waveform ends before the last section", remedy="Raise t_end.")
    return {
        "v_source_end": np.interp(wanted, time, volts).tolist(),
        "rho_plain": np.interp(wanted, time, rho).tolist(),
        "plain_Z": plain(np.asarray(at["plain_time"], dtype=float)).tolist(),
        "true_profile": {
            "section_one_way_start": starts.tolist(),
            "section_one_way_end": ends.tolist(),
            "Z": z,
        },
        "plain_Z_at_section_mid": plain(starts + ends + 0.5 * rise).tolist(),
        "lumped": [_found(lump) for lump in find_lumps(profile, rise)],
    }


def _waveform(inputs: dict[str, Any], step: float) -> tuple[FloatArray, FloatArray]:
    """Voltage at the source's end of the sections."""
    source = float(inputs["source_R"])
    end = math.inf if inputs["R_end"] is None else float(inputs["R_end"])
    shunts = [ShuntBranch(0, r=source, source=True)]
    series: list[SeriesPart] = []
    lines: list[LinePiece] = []
    node = 0
    sections = zip(
        inputs["section_Z"],
        inputs["section_one_way_delay"],
        inputs["junction_kind_after_section"],
        inputs["junction_value_after_section"],
        strict=True,
    )
    for z, delay, kind, value in sections:
        lines.append(LinePiece(node, node + 1, lossless_line(float(z)), float(delay)))
        node += 1
        if kind == "shuntC":
            shunts.append(ShuntBranch(node, c=float(value)))
        elif kind == "seriesL":
            series.append(SeriesPart(node, node + 1, l=float(value)))
            node += 1
        elif kind == "seriesR":
            series.append(SeriesPart(node, node + 1, r=float(value)))
            node += 1
        elif kind == "shuntR":
            shunts.append(ShuntBranch(node, r=float(value)))
        elif kind != "none":
            raise InputError(f"junction {kind!r} is not known")
    if math.isfinite(end):
        # A short is a very small resistor.
        shunts.append(ShuntBranch(node, r=max(end, 1e-6)))
    net = Net(nodes=node + 1, shunts=tuple(shunts), series=tuple(series), lines=tuple(lines))
    ramp = edge(0.0, float(inputs["source_emf"]), float(inputs["rise_time_0_100_linear"]))
    solution = solve_transient(net, ramp, end=float(inputs["t_end"]), step=step)
    return solution.time, solution.node(0)


def _found(lump: Lump) -> dict[str, Any]:
    """A part as the product finds it."""
    return {
        "type": "shunt_C" if lump.kind == "shunt C" else "series_L",
        "value": lump.value,
        "one_way_position": lump.delay,
        "excess_integral_of_peeled_profile": lump.value,
    }
