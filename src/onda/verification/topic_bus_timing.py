"""Topic `bus_timing`: set-up, hold, slews, derating and centring of a strobed lane."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from onda.engine.timing.strobed import Derating, Sheet, Waveform, lane_timing

__all__ = ["compute"]

_PER_EDGE = (
    "setup", "hold", "setup_slew", "hold_slew", "strobe_slew", "setup_margin", "hold_margin",
)  # fmt: skip


def _wave(inputs: dict[str, Any], name: str) -> Waveform:
    time, volts = (np.asarray(inputs[f"{name}_{k}"], dtype=float) for k in ("time", "volt"))
    return Waveform(time, volts)


def _table(given: dict[str, Any] | None) -> Derating | None:
    if not given:
        return None
    return Derating(
        tuple(map(float, given["data_slew"])),
        tuple(map(float, given["strobe_slew"])),
        tuple(tuple(map(float, row)) for row in given["delta"]),
    )


def _or_null(value: float) -> float | None:
    return None if math.isnan(value) else value


def compute(case: dict[str, Any]) -> dict[str, Any]:
    """Outputs of one case."""
    inputs = case["inputs"]
    levels = {
        k: float(inputs[k])
        for k in ("vref", "ac_offset", "dc_offset", "strobe_level", "setup_base", "hold_base")
    }
    sheet = Sheet(
        **levels,
        setup_derating=_table(inputs.get("setup_derating")),
        hold_derating=_table(inputs.get("hold_derating")),
    )
    start, stop = (float(t) for t in inputs["window"])
    found = lane_timing(
        _wave(inputs, "data"),
        _wave(inputs, "strobe"),
        sheet,
        (start, stop),
        edges=str(inputs.get("edges", "both")),
    )
    out: dict[str, Any] = {
        "strobe_edge": [e.edge for e in found.edges],
        "bit": [e.bit for e in found.edges],
    }
    for name in _PER_EDGE:
        out[name] = [_or_null(getattr(e, name)) for e in found.edges]
    return out | {
        "worst_setup_margin": _or_null(found.worst_setup),
        "worst_hold_margin": _or_null(found.worst_hold),
        "strobe_shift": _or_null(found.strobe_shift),
        "lowest_one": _or_null(found.lowest_one),
        "highest_zero": _or_null(found.highest_zero),
        "centre_level": _or_null(found.centre_level),
        "height": _or_null(found.height),
    }
