"""Topic `network_ops`: algebra of networks, mixed mode, what is judged of them."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.algebra import (
    cascade,
    deembed,
    intra_pair_skew,
    passivity,
    reciprocity,
    renormalise,
)
from onda.engine.networks.mixed_mode import mixed_mode
from onda.errors import InputError

__all__ = ["compute"]

ComplexArray = NDArray[np.complex128]
_PASSIVE = 1.0 + 1e-9


def _read(values: Any) -> ComplexArray:
    pairs = np.asarray(values, dtype=float)
    return np.asarray(pairs[..., 0] + 1j * pairs[..., 1])


def _write(values: ComplexArray) -> list[Any]:
    return list(np.stack([values.real, values.imag], axis=-1).tolist())


def compute(case: dict[str, Any]) -> dict[str, Any]:
    """Outputs of one case."""
    inputs = case["inputs"]
    operation = inputs["operation"]
    if operation == "cascade":
        names = sorted(k for k in inputs if len(k) == 1 and k.isupper())
        return {"S": _write(cascade(*(_read(inputs[k]) for k in names)))}
    if operation == "deembed":
        sides = [_read(inputs[k]) if k in inputs else None for k in ("left", "right")]
        return {"S": _write(deembed(_read(inputs["measured"]), *sides))}
    if operation in ("renormalise", "renormalize"):
        new = inputs["new_reference_ohm"]
        return {"S": _write(renormalise(_read(inputs["S"]), inputs["reference_ohm"], new))}
    if operation == "mixed_mode":
        pairs = [(p - 1, n - 1) for p, n in inputs["pairs_1based"]]
        found = mixed_mode(_read(inputs["S"]), pairs)
        return {"Smm": _write(found), "order": "d_near d_far c_near c_far"}
    if operation == "quality":
        s = _read(inputs["S"])
        largest = passivity(s)
        return {
            "max_singular_value": largest.tolist(),
            "passive": (largest <= _PASSIVE).tolist(),
            "reciprocity_max_abs_S_minus_ST": reciprocity(s).tolist(),
        }
    if operation == "skew":
        frequency = np.asarray(inputs["frequency"], dtype=float)
        skew = intra_pair_skew(frequency, _read(inputs["H_p"]), _read(inputs["H_n"]))
        # One figure from the slope of the whole band, where noise at one point counts little.
        slope = np.sum(skew * frequency**2) / np.sum(frequency**2)
        return {"skew": skew.tolist(), "exact_skew": float(slope)}
    raise InputError(f"operation {operation!r} is not answered")
