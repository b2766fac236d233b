"""Topic `icn`: integrated crosstalk noise, insertion-loss fit and deviation."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.channel_figures import (
    crosstalk_sigma,
    deviation_figure,
    fit_insertion_loss,
    multi_disturber_loss_db,
    noise_weight,
)

__all__ = ["compute"]

FloatArray = NDArray[np.float64]


def _grid(inputs: dict[str, Any]) -> FloatArray:
    low, high, step = (float(inputs[k]) for k in ("f_min", "f_max", "df"))
    return np.asarray(low + step * np.arange(round((high - low) / step) + 1), dtype=float)


def _ripple(part: dict[str, Any], frequency: FloatArray) -> FloatArray:
    turn = 2.0 * np.pi * frequency * part.get("ripple_delay", 0.0)
    return np.asarray(part.get("ripple", 0.0) * np.cos(turn))


def _crosstalk(part: dict[str, Any], frequency: FloatArray) -> FloatArray:
    slope = 20.0 * part["slope"] * np.log10(frequency / part["f0"])
    return np.asarray(part["loss_at_f0"] - slope + _ripple(part, frequency))


def _insertion(part: dict[str, Any], frequency: FloatArray) -> FloatArray:
    smooth = (
        part.get("a0", 0.0)
        + part["a1"] * np.sqrt(frequency)
        + part["a2"] * frequency
        + part["a4"] * frequency**2
    )
    return np.asarray(smooth + _ripple(part, frequency))


def compute(case: dict[str, Any]) -> dict[str, Any]:
    """Outputs of one case."""
    inputs = case["inputs"]
    frequency = _grid(inputs)
    wanted = np.asarray(case["at"]["sample_frequency"], dtype=float)
    baud, receiver = float(inputs["fb"]), float(inputs["fr"])
    out: dict[str, Any] = {}
    if "next" in inputs or "fext" in inputs:
        total = 0.0
        for kind, end in (("next", "nt"), ("fext", "ft")):
            parts = inputs.get(kind) or []
            sigma = 0.0
            if parts:
                weight = noise_weight(
                    frequency,
                    amplitude=float(inputs[f"A_{end}"]),
                    baud=baud,
                    rise_20_80=float(inputs[f"T_{end}"]),
                    receiver=receiver,
                )
                losses = [_crosstalk(p, frequency) for p in parts]
                sigma = crosstalk_sigma(frequency, multi_disturber_loss_db(losses), weight)
                sampled = multi_disturber_loss_db([_crosstalk(p, wanted) for p in parts])
                out[f"md{kind}_dB_sampled"] = sampled.tolist()
            out[f"sigma_{kind}"] = sigma
            total += sigma**2
        out["icn"] = math.sqrt(total)
    if "il" in inputs:
        loss = _insertion(inputs["il"], frequency)
        fit = fit_insertion_loss(frequency, loss, constant=bool(inputs.get("a0_used", True)))
        deviation = loss - fit.fit_db
        out["fom_ild"] = deviation_figure(
            frequency, deviation, baud=baud, rise_20_80=float(inputs["T_nt"]), receiver=receiver
        )
        at = np.rint((wanted - frequency[0]) / (frequency[1] - frequency[0])).astype(int)
        out["il_fit_dB"] = fit.fit_db[at].tolist()
        out["ild_dB"] = deviation[at].tolist()
        out |= {"a0": fit.a0, "a1": fit.a1, "a2": fit.a2, "a4": fit.a4}
    return out
