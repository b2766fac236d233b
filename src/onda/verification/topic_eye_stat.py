"""Topic `eye_stat`: statistical eyes of two and four levels, equalisers, jitter, worst case."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.equalisers import continuous, forward_taps
from onda.engine.links.sampler import Jitter, Sampler, bathtub, crossings
from onda.engine.links.statistical import Levels, SampledPulse, contour, interference

__all__ = ["compute"]

FloatArray = NDArray[np.float64]
_RATES = (1e-3, 1e-6, 1e-12, 1e-15)
_NAMES = ("lower", "middle", "upper")
_FOLLOWED_UI = 2
"""Unit intervals that an equaliser is followed beyond its input."""


def _equalised(inputs: dict[str, Any]) -> tuple[FloatArray, bool]:
    """The pulse at the sampler, and whether an equaliser made it."""
    pulse = np.asarray(inputs["pulse"], dtype=float)
    per_ui = int(inputs["samples_per_ui"])
    made = False
    if inputs.get("ffe_taps"):
        pulse, made = forward_taps(pulse, inputs["ffe_taps"], per_ui), True
    if inputs.get("ctle_poles"):
        step = float(inputs["unit_interval"]) / per_ui
        pulse = continuous(
            pulse,
            step,
            float(inputs["ctle_gain"]),
            inputs.get("ctle_zeros") or (),
            inputs["ctle_poles"],
            after=_FOLLOWED_UI * per_ui,
        )
        made = True
    return pulse, made


def compute(case: dict[str, Any]) -> dict[str, Any]:
    """Outputs of one case."""
    inputs = case["inputs"]
    unit = float(inputs["unit_interval"])
    samples, made = _equalised(inputs)
    pulse = SampledPulse(samples, unit / int(inputs["samples_per_ui"]))
    sampling = float(np.argmax(samples)) * pulse.step + float(inputs.get("phase_offset", 0.0))
    cursors = pulse.cursors(sampling, unit)
    main = cursors.pop(0)
    taps = [float(x) for x in inputs.get("dfe_taps") or ()]
    for j, tap in enumerate(taps, 1):
        cursors[j] = cursors.get(j, 0.0) - tap
    cursors = dict(sorted(cursors.items()))
    out: dict[str, Any] = {
        "sampling_time": sampling,
        "main_cursor": main,
        "isi_cursors": {str(k): v for k, v in cursors.items()},
    }
    if made:
        out["equalised_pulse"] = samples.tolist()
    sigma = float(inputs.get("sigma_noise", 0.0))
    levels = inputs.get("levels")
    if levels is not None and len(levels) > 2:
        return out | _several(cursors, main, sigma, [float(x) for x in levels])
    isi = interference(cursors.values())
    spread = sum(abs(c) for c in cursors.values())
    out["worst_case_eye_height"] = 2.0 * (main - spread)
    out["worst_pattern_bits_for_a_one"] = {str(k): -1 if c > 0.0 else 1 for k, c in cursors.items()}
    out["eye_height"] = {
        f"{rate:g}": {
            "conditional": _height(isi, main, sigma, rate),
            "half_weighted": _height(isi, main, sigma, 2.0 * rate),
        }
        for rate in _RATES
    }
    shake = Jitter(
        *(float(inputs.get(k, 0.0)) for k in ("rj_rms", "dual_dirac_separation", "sj_amplitude"))
    )
    for name, jitter in (("eye_width_with_jitter", shake), ("eye_width_noise_only", Jitter())):
        moments, log10 = bathtub(Sampler(pulse, sampling, unit, sigma, taps), jitter)
        out[name] = {}
        for rate in _RATES:
            at = crossings(moments, log10, rate)
            out[name][f"{rate:g}"] = {"width": at.width, "left": at.left, "right": at.right}
        wanted = case.get("at", {}).get("bathtub_phase")
        if wanted is not None and jitter is shake:
            found = np.interp(np.asarray(wanted, dtype=float), moments, log10)
            out["bathtub"] = {"phase": list(wanted), "log10_ber": found.tolist()}
    return out


def _height(isi: Levels, main: float, sigma: float, rate: float) -> dict[str, float]:
    found = contour(isi, main, sigma, rate, (-1.0, 1.0))
    return {"height": found.height, "upper": found.upper, "lower": found.lower}


def _several(
    cursors: dict[int, float], main: float, sigma: float, levels: list[float]
) -> dict[str, Any]:
    """Eyes between neighbouring levels, and how even these are."""
    isi = interference(cursors.values(), levels)
    largest, smallest = max(levels), min(levels)
    low = sum(min(c * largest, c * smallest) for c in cursors.values())
    high = sum(max(c * largest, c * smallest) for c in cursors.values())
    eyes: dict[str, Any] = {}
    pairs = list(pairwise(levels))
    names = _NAMES if len(pairs) == len(_NAMES) else [str(k) for k in range(len(pairs))]
    for name, (lower, higher) in zip(names, pairs, strict=True):
        found: dict[str, Any] = {}
        for rate in _RATES:
            at = contour(isi, main, sigma, rate, (lower, higher))
            found[f"{rate:g}"] = {"height": at.height, "upper": at.upper, "lower": at.lower}
        found["worst_case_height"] = (higher - lower) * main + low - high
        eyes[name] = found
    out: dict[str, Any] = {"eyes": eyes}
    if len(levels) == 4:
        v = levels
        middle = 0.5 * (v[0] + v[3])
        es1, es2 = (v[1] - middle) / (v[0] - middle), (v[2] - middle) / (v[3] - middle)
        out["R_LM_min3ES"] = min(3 * es1, 3 * es2, 2 - 3 * es1, 2 - 3 * es2)
        half = 0.5 * min(b - a for a, b in pairs)
        out["R_LM_6Smin"] = 6.0 * half / (v[3] - v[0])
    return out
