"""Topic `section`: capacitance, inductance and modes of a cross-section."""

from __future__ import annotations

from typing import Any

from onda.engine.section import Conductor, CrossSection, Layer, Region, solve_section
from onda.engine.section.modes import pair_modes, single_mode

__all__ = ["compute", "cross_section"]


def cross_section(geometry: dict[str, Any]) -> CrossSection:
    """Read the `geometry` of a case."""
    return CrossSection(
        layers=tuple(Layer(v["y0"], v["y1"], v["er"]) for v in geometry.get("layers", ())),
        conductors=tuple(
            Conductor(v["name"], tuple((float(x), float(y)) for x, y in v["polygon"]), v["role"])
            for v in geometry["conductors"]
        ),
        planes=tuple(geometry.get("planes", ())),
        regions=tuple(
            Region(tuple((float(x), float(y)) for x, y in v["polygon"]), v["er"])
            for v in geometry.get("regions", ())
        ),
    )


def compute(case: dict[str, Any]) -> dict[str, Any]:
    """Outputs of one case."""
    inputs = case["inputs"]
    result = solve_section(cross_section(inputs["geometry"]), per_piece=7)
    out: dict[str, Any] = {
        "signals": list(result.signals),
        "C_F_per_m": result.c.tolist(),
        "C0_F_per_m": result.c0.tolist(),
        "L_H_per_m": result.l_ext.tolist(),
    }
    kind = inputs.get("kind", "multi")
    if kind == "single":
        mode = single_mode(result)
        out |= {"Z0": mode.z0, "eeff": mode.eeff, "delay_s_per_m": mode.delay}
    elif kind == "pair":
        pair = pair_modes(result)
        out |= {
            "Zodd": pair.odd.z0,
            "Zeven": pair.even.z0,
            "Zdiff": pair.z_diff,
            "Zcommon": pair.z_common,
            "eeff_odd": pair.odd.eeff,
            "eeff_even": pair.even.eeff,
            "delay_odd_s_per_m": pair.odd.delay,
            "delay_even_s_per_m": pair.even.delay,
            "coupling": pair.coupling,
        }
    return out
