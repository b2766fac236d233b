"""Topic `section_loss`: resistance and loop inductance of real copper against frequency."""

from __future__ import annotations

from typing import Any

import numpy as np

from onda.engine.section.copper import FINENESS
from onda.engine.section.crowding import loop_impedance
from onda.engine.section.geometry import Conductor
from onda.engine.section.modes import odd_even

__all__ = ["compute"]


def compute(case: dict[str, Any]) -> dict[str, Any]:
    """Outputs of one case."""
    inputs = case["inputs"]
    conductors = tuple(
        Conductor(v["name"], tuple((float(x), float(y)) for x, y in v["polygon"]), v["role"])
        for v in inputs["conductors"]
    )
    frequency = np.asarray(case["at"]["frequency"], dtype=float)
    z = loop_impedance(
        conductors, 1.0 / float(inputs["sigma_S_per_m"]), frequency, fineness=FINENESS
    )
    kind = inputs.get("kind", "multi")
    if kind == "single":
        return {
            "R_ohm_per_m": z.r[:, 0, 0].tolist(),
            "L_H_per_m": z.l[:, 0, 0].tolist(),
            "dc_R_ohm_per_m": float(z.r_dc[0, 0]),
        }
    if kind == "pair":
        r_odd, r_even = odd_even(z.r)
        l_odd, l_even = odd_even(z.l)
        dc_odd, dc_even = odd_even(z.r_dc)
        return {
            "R_odd_ohm_per_m": r_odd.tolist(),
            "L_odd_H_per_m": l_odd.tolist(),
            "R_even_ohm_per_m": r_even.tolist(),
            "L_even_H_per_m": l_even.tolist(),
            "dc_R_odd_ohm_per_m": float(dc_odd),
            "dc_R_even_ohm_per_m": float(dc_even),
        }
    return {
        "R_ohm_per_m": z.r.tolist(),
        "L_H_per_m": z.l.tolist(),
        "dc_R_ohm_per_m": z.r_dc.tolist(),
    }
