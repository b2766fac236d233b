"""Run reference cases against the engine and compare."""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from importlib import resources
from typing import Any

import numpy as np

from onda.errors import InputError, OndaError
from onda.verification import (
    topic_bus_timing,
    topic_coupled,
    topic_eye_stat,
    topic_group,
    topic_icn,
    topic_lattice,
    topic_lossy_line,
    topic_network_ops,
    topic_network_wave,
    topic_nonlinear,
    topic_section,
    topic_section_loss,
    topic_shipped,
    topic_tdr,
)

__all__ = ["Comparison", "compare", "compute_file", "public_files", "read_case_file"]

TOPICS: dict[str, Callable[[dict[str, Any]], dict[str, Any]]] = {
    "section": topic_section.compute,
    "section_loss": topic_section_loss.compute,
    "lattice": topic_lattice.compute,
    "lossy_line": topic_lossy_line.compute,
    "nonlinear": topic_nonlinear.compute,
    "coupled": topic_coupled.compute,
    "group": topic_group.compute,
    "network_ops": topic_network_ops.compute,
    "network_wave": topic_network_wave.compute,
    "icn": topic_icn.compute,
    "tdr": topic_tdr.compute,
    "eye_stat": topic_eye_stat.compute,
    "bus_timing": topic_bus_timing.compute,
    "cut_line": topic_shipped.cut_line,
    "lossy_peel": topic_shipped.lossy_peel,
    "unequal_pair": topic_shipped.unequal_pair,
    "via": topic_shipped.via,
}


_OWN = {
    "cut_line": ("abs_volt", False),
    "lossy_peel": ("Z_rel", True),
    "unequal_pair": ("rel", True),
    "via": ("C_rel", True),
}
"""Topics of our own: what their tolerance is called, and whether it is relative."""


@dataclass(frozen=True, slots=True)
class Comparison:
    """One quantity of one case: largest error against what is allowed."""

    case: str
    quantity: str
    error: float
    allowed: float
    unit: str

    @property
    def holds(self) -> bool:
        """Whether the error is within the allowance; an error that is no number is not."""
        return math.isfinite(self.error) and self.error <= self.allowed


def public_files() -> dict[str, str]:
    """Texts of the case files that ship with Onda, by name."""
    folder = resources.files("onda.verification") / "cases"
    return {
        entry.name: entry.read_text(encoding="utf-8")
        for entry in sorted(folder.iterdir(), key=lambda e: e.name)
        if entry.name.endswith(".json")
    }


def read_case_file(text: str, name: str) -> dict[str, Any]:
    """Parse a case file; raise `InputError` where it is not one."""
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise InputError(f"not a JSON case file ({error})", file=name) from error
    if not isinstance(data, dict) or not isinstance(data.get("cases"), list):
        raise InputError("no list of cases", file=name, remedy="See docs/verification.md.")
    return data


def compute_file(data: dict[str, Any]) -> dict[str, Any]:
    """Compute every case of a parsed file; a case that cannot be done carries its error."""
    topic = data.get("topic")
    cases = []
    for i, case in enumerate(data["cases"]):
        entry: dict[str, Any] = {"id": _case_id(case, i)}
        try:
            entry["outputs"] = _compute_case(topic, case)
        except (OndaError, ArithmeticError, ValueError, np.linalg.LinAlgError) as error:
            entry["error"] = str(error)
        cases.append(entry)
    return {"topic": topic, "cases": cases}


def _case_id(case: object, index: int) -> str:
    return str(case.get("id", index)) if isinstance(case, dict) else str(index)


def _compute_case(topic: object, case: object) -> dict[str, Any]:
    compute = TOPICS.get(topic) if isinstance(topic, str) else None
    if compute is None:
        raise InputError(f"topic {topic!r} is not answered", remedy=f"Known: {', '.join(TOPICS)}.")
    if not isinstance(case, dict):
        raise InputError("a case must be an object")
    try:
        return compute(case)
    except (KeyError, TypeError, IndexError, AttributeError) as error:
        raise InputError(
            f"inputs are incomplete or of the wrong kind ({type(error).__name__}: {error})"
        ) from error


def compare(data: dict[str, Any], answers: dict[str, Any]) -> Iterator[Comparison]:
    """Compare computed answers with the outputs stated in the file, where there are any."""
    for case, answer in zip(data["cases"], answers["cases"], strict=True):
        if "outputs" not in case:
            continue
        if "error" in answer:
            yield Comparison(answer["id"], answer["error"], math.nan, 0.0, "")
            continue
        for name, wanted in case["outputs"].items():
            if name == "signals" or isinstance(wanted, str):
                continue
            got = answer["outputs"].get(name)
            if data["topic"] == "tdr" and name in ("true_profile", "lumped"):
                yield from _judge_places(name, wanted, got, case)
                continue
            if data["topic"] == "eye_stat":
                yield from _judge_eye(name, wanted, got, case)
                continue
            error, allowed, unit = _judge(data["topic"], name, wanted, got, case)
            yield Comparison(answer["id"], name, error, allowed, unit)


def _judge(
    topic: str, name: str, wanted: Any, got: Any, case: dict[str, Any]
) -> tuple[float, float, str]:
    """Error, allowance and unit of one quantity, by the rules its topic states."""
    tolerance = case.get("tolerance", {})
    if got is None and wanted is not None:
        return math.nan, 0.0, ""
    if name in ("extremes_within_window", "quiet_extremes"):
        wanted, got = _levels(wanted), _levels(got)
    a, b = np.asarray(wanted, dtype=float), np.asarray(got, dtype=float)
    if a.shape != b.shape:
        return math.nan, 0.0, ""
    error = float(np.max(np.abs(a - b)))
    size = float(np.max(np.abs(a))) or 1.0
    if topic == "section":
        return error / size, tolerance["gate_rel"], "rel"
    if topic == "section_loss":
        # Each frequency counts by itself: resistance grows over decades.
        relative = float(np.max(np.abs(b - a) / np.maximum(np.abs(a), 1e-300)))
        key = "L_gate_rel" if name.startswith("L_") else "R_gate_rel"
        return relative, tolerance[key], "rel"
    if topic == "tdr":
        relative = float(np.max(np.abs(b - a) / np.maximum(np.abs(a), 1e-300)))
        return _judge_tdr(name, error, relative, tolerance)
    if topic == "lattice":
        return error, tolerance["abs_volt"], "V"
    if topic == "nonlinear":
        key = "settling_abs_volt" if name == "settling_value" else "abs_volt"
        return error, tolerance[key], "V"
    if topic == "bus_timing":
        return _judge_bus(name, a, b, tolerance)
    if topic == "network_ops":
        return error, _network_allowance(name, tolerance), ""
    if topic in _OWN:
        key, relative = _OWN[topic]
        if name == "parts":
            return error, tolerance["parts"], ""
        if relative:
            return float(np.max(np.abs(b / a - 1.0))), tolerance[key], "rel"
        return error, tolerance[key], "V"
    if topic in ("network_wave", "group"):
        return error, tolerance["volt_goal_abs"], "V"
    if topic == "icn":
        return _judge_icn(name, error, size, tolerance)
    if topic == "coupled":
        return _judge_coupled(name, error, size, tolerance)
    return _judge_lossy(name, error, size, tolerance)


def _judge_bus(
    name: str, wanted: np.ndarray, got: np.ndarray, tolerance: dict[str, float]
) -> tuple[float, float, str]:
    """Times, volts, slews and bits; what is not there must be missing in both."""
    if (np.isnan(wanted) != np.isnan(got)).any():
        return math.nan, 0.0, ""
    there = ~np.isnan(wanted)
    away = np.abs(wanted - got)[there]
    if name.endswith("_slew"):
        relative = float(np.max(away / np.abs(wanted[there]), initial=0.0))
        return relative, tolerance["slew_rel"], "rel"
    error = float(np.max(away, initial=0.0))
    if name == "bit":
        return error, 0.5, ""
    if name in ("lowest_one", "highest_zero", "centre_level", "height"):
        return error, tolerance["volt_abs"], "V"
    return error, tolerance["time_abs"], "s"


_SEEN_LOG10 = -16.0
"""Error rates below this are not compared: what lies further out depends on how far tails go."""
_RATE_SHARE = 0.1


def _judge_eye(name: str, wanted: Any, got: Any, case: dict[str, Any]) -> Iterator[Comparison]:
    """Compare a statistical eye: volts, places and bits, each by the allowance of its kind."""
    tolerance, id_ = case["tolerance"], case["id"]
    if name == "bathtub":
        a, b = (np.asarray(x["log10_ber"], dtype=float) for x in (wanted, got))
        some = a > _SEEN_LOG10
        error = float(np.abs(10.0 ** (b - a)[some] - 1.0).max())
        yield Comparison(id_, name, error, _RATE_SHARE, "rel")
        return
    main, unit = float(case["outputs"]["main_cursor"]), float(case["inputs"]["unit_interval"])
    rules = {
        "eye_height": (tolerance["height_abs_rel_to_main"], main, "rel"),
        "eyes": (tolerance["height_abs_rel_to_main"], main, "rel"),
        "eye_width_with_jitter": (tolerance["width_abs_UI"], unit, "UI"),
        "eye_width_noise_only": (tolerance["width_abs_UI"], unit, "UI"),
        "worst_case_eye_height": (tolerance["worst_case_abs"], 1.0, "V"),
        "worst_pattern_bits_for_a_one": (0.5, 1.0, ""),
        "sampling_time": (1e-6, unit, "UI"),
    }
    allowed, size, dimension = rules.get(name, (tolerance["cursor_abs"], 1.0, "V"))
    found, expected = dict(_leaves(got)), dict(_leaves(wanted))
    error = math.nan
    if found.keys() == expected.keys():
        error = max(float(np.abs(np.asarray(found[k]) - expected[k]).max()) for k in expected)
    yield Comparison(id_, name, error / size, allowed, dimension)


def _leaves(tree: Any, path: str = "") -> Iterator[tuple[str, Any]]:
    """Numbers and lists of a tree, by the path of their keys."""
    if isinstance(tree, dict):
        for key, part in tree.items():
            yield from _leaves(part, f"{path}/{key}")
    else:
        yield path, np.asarray(tree, dtype=float)


def _judge_places(name: str, wanted: Any, got: Any, case: dict[str, Any]) -> Iterator[Comparison]:
    """Compare what was found along the line: section by section, lump by lump."""
    tolerance, id_ = case["tolerance"], case["id"]
    if name == "true_profile":
        for key, value in wanted.items():
            error, allowed, unit = _judge("tdr", key, value, got.get(key), case)
            yield Comparison(id_, f"true {key}", error, allowed, unit)
        return
    if [w["type"] for w in wanted] != [g["type"] for g in got]:
        yield Comparison(id_, "lumped", math.nan, 0.0, "")
        return
    for k, (w, g) in enumerate(zip(wanted, got, strict=True)):
        allowed = tolerance["lumped_value_rel"]
        for key in ("value", "excess_integral_of_peeled_profile"):
            error = abs(g[key] / w[key] - 1.0)
            yield Comparison(id_, f"lump {k + 1} {key}", error, allowed, "rel")
        away = abs(g["one_way_position"] - w["one_way_position"])
        yield Comparison(id_, f"lump {k + 1} position", away, tolerance["position_abs"], "s")


def _judge_tdr(
    name: str, error: float, relative: float, tolerance: dict[str, float]
) -> tuple[float, float, str]:
    if name in ("v_source_end", "rho_plain"):
        # The reflection is in halves of the step.
        return error, tolerance["abs_volt"] * (1.0 if name == "v_source_end" else 2.0), "V"
    if name.startswith("section_one_way"):
        return error, tolerance["position_abs"], "s"
    key = "peeled_Z_rel_central_half_of_section" if name == "Z" else "plain_Z_rel"
    return relative, tolerance[key], "rel"


def _levels(extremes: dict[str, dict[str, float]]) -> list[float]:
    """Levels of all extremes; at which of several equal peaks they are is left open."""
    return [ends[key] for _, ends in sorted(extremes.items()) for key in ("max", "min")]


def _network_allowance(name: str, tolerance: dict[str, float]) -> float:
    keys = {
        "max_singular_value": "singular_value_abs",
        "reciprocity_max_abs_S_minus_ST": "reciprocity_abs",
        "skew": "skew_abs",
        "exact_skew": "skew_abs",
    }
    # What is true or false must agree.
    return 0.5 if name == "passive" else tolerance[keys.get(name, "S_abs")]


def _judge_icn(
    name: str, error: float, size: float, tolerance: dict[str, float]
) -> tuple[float, float, str]:
    if name in ("il_fit_dB", "ild_dB"):
        return error, tolerance["fit_dB" if name == "il_fit_dB" else "ild_dB"], "dB"
    if name == "fom_ild":
        # Next to nothing where the loss is exactly of the fitted form.
        return error, max(tolerance["fom_rel"] * size, tolerance["ild_dB"]), "dB"
    if name in ("a0", "a1", "a2", "a4"):
        return error / size, tolerance["a_rel"], "rel"
    if name.startswith("md"):
        return error, tolerance["loss_dB"], "dB"
    return error / size, tolerance["sigma_rel"], "rel"


def _judge_coupled(
    name: str, error: float, size: float, tolerance: dict[str, float]
) -> tuple[float, float, str]:
    if name in ("S_re_im", "Smm_re_im"):
        return error, tolerance["S_abs"], ""
    if name in ("Zc", "modal_velocity"):
        key = "Zc_rel" if name == "Zc" else "modal_rel"
        return error / size, tolerance[key], "rel"
    if name == "saturation_length":
        return error / size, tolerance["saturation_length_rel"], "rel"
    if name in ("skew", "window_end"):
        return error / size, 1e-9, "rel"
    key = "extreme_abs" if name == "extremes_within_window" else "abs_volt"
    return error, tolerance[key], "V"


def _judge_lossy(
    name: str, error: float, size: float, tolerance: dict[str, float]
) -> tuple[float, float, str]:
    if name in ("S11_re_im", "S21_re_im"):
        return error, tolerance["S_abs"], ""
    if name == "S21_dB":
        return error, tolerance["S21_dB"], "dB"
    if name in ("alpha_np_per_m", "beta_rad_per_m", "Zc_re_im"):
        return error / size, tolerance["S_abs"], "rel"
    if name == "rise_10_90":
        return error / size, tolerance["rise_rel"], "rel"
    if name == "delay_50_50":
        return error, tolerance["time_abs"], "s"
    key = {"pulse_1ui_at_load": "pulse_abs", "pulse_peak": "pulse_peak_abs"}.get(name, "step_abs")
    return error, tolerance[key], "V"
