"""Topic `network_ops`: algebra of networks, mixed mode, what is judged of them."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.algebra import cascade, deembed, passivity, reciprocity
from onda.engine.networks.mixed_mode import mixed_mode
from onda.engine.networks.parameters import renormalise
from onda.engine.networks.skew import intra_pair_skew
from onda.errors import InputError
from onda.verification.complex_pairs import from_pairs, to_pairs

__all__ = ["compute"]

ComplexArray = NDArray[np.complex128]
_PASSIVE = 1.0 + 1e-9


def compute(case: dict[str, Any]) -> dict[str, Any]:
    """Outputs of one case."""
    inputs = case["inputs"]
    operation = inputs["operation"]
    if operation == "cascade":
        names = sorted(k for k in inputs if len(k) == 1 and k.isupper())
        return {"S": to_pairs(cascade(*(from_pairs(inputs[k]) for k in names)))}
    if operation == "deembed":
        sides = [from_pairs(inputs[k]) if k in inputs else None for k in ("left", "right")]
        return {"S": to_pairs(deembed(from_pairs(inputs["measured"]), *sides))}
    if operation in ("renormalise", "renormalize"):
        new = inputs["new_reference_ohm"]
        return {"S": to_pairs(renormalise(from_pairs(inputs["S"]), inputs["reference_ohm"], new))}
    if operation == "mixed_mode":
        pairs = [(p - 1, n - 1) for p, n in inputs["pairs_1based"]]
        found = mixed_mode(from_pairs(inputs["S"]), pairs)
        return {"Smm": to_pairs(found), "order": "d_near d_far c_near c_far"}
    if operation == "quality":
        s = from_pairs(inputs["S"])
        largest = passivity(s)
        return {
            "max_singular_value": largest.tolist(),
            "passive": (largest <= _PASSIVE).tolist(),
            "reciprocity_max_abs_S_minus_ST": reciprocity(s).tolist(),
        }
    if operation == "skew":
        frequency = np.asarray(inputs["frequency"], dtype=float)
        skew = intra_pair_skew(frequency, from_pairs(inputs["H_p"]), from_pairs(inputs["H_n"]))
        # One figure from the slope of the whole band, where noise at one point counts little.
        slope = np.sum(skew * frequency**2) / np.sum(frequency**2)
        return {"skew": skew.tolist(), "exact_skew": float(slope)}
    raise InputError(f"operation {operation!r} is not answered")
