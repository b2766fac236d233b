"""Answers of the command about eyes: plain values, and the same in words."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import typer

from onda.cli.common import name_and_values, number

if TYPE_CHECKING:
    from onda.project.links.link import Link
    from onda.project.model import Design
    from onda.studies.core.runner import StudyRunner
    from onda.studies.links.link import LinkEye, Setting

__all__ = ["bits_of", "corners_of", "map_of", "print_eye", "summary_of", "sweep_of"]


def _setting(setting: Setting) -> dict[str, Any]:
    return {
        "name": setting.name,
        "height_v": setting.height,
        "width_s": setting.width,
        "eyes": [
            {
                "name": e.name,
                "height_v": e.height,
                "width_s": e.width,
                "left_s": number(e.left),
                "right_s": number(e.right),
                "tallest_at_s": e.tallest,
                "area_vs": e.area,
            }
            for e in setting.eyes
        ],
    }


def summary_of(name: str, result: LinkEye) -> dict[str, Any]:
    """An eye at its error rate, in SI."""
    chain, merit = result.chain, result.merit
    return {
        "name": name,
        "error_rate": result.error_rate,
        "unit_interval_s": result.unit_interval,
        "levels": list(result.levels),
        "height_v": result.eye.height,
        "width_s": result.eye.width,
        "width_ui": result.eye.width / result.unit_interval,
        "worst_case_height_v": result.worst,
        "worst_symbols": list(result.worst_symbols),
        "settings": [_setting(s) for s in result.settings],
        "transmit_taps": list(chain.taps),
        "gain_db": 20.0 * math.log10(chain.gain),
        "decision_taps_v": list(result.taps),
        "cursors_v": {str(k): v for k, v in result.cursors.items()},
        "merit_db": merit.db,
        "interference_v": merit.interference,
        "crosstalk_v": merit.crosstalk,
        "jitter_as_noise_v": merit.jitter,
        "noise_v": merit.noise,
        "jitter": {
            "random_s": number(result.jitter.random),
            "deterministic_s": number(result.jitter.deterministic),
            "total_s": number(result.jitter.total),
        },
        "mask_growth": number(result.mask_growth),
        "delay_s": result.delay,
        "doubts": list(result.doubts),
    }


def map_of(runner: StudyRunner, design: Design, link: Link, over: str) -> dict[str, Any]:
    """The figure of merit over two settings, as typed."""
    from onda.studies.links.inputs import link_inputs
    from onda.studies.links.merit_map import LINK_MAP, MapInputs

    across, _, up = over.partition(",")
    inputs = MapInputs(link_inputs(design, link), across.strip(), up.strip())
    found = runner.result(LINK_MAP, inputs)
    names = (found.across, found.up, "db")
    return {
        found.across: found.across_values.tolist(),
        found.up: found.up_values.tolist(),
        "merit_db": found.merit_db.tolist(),
        "chosen": dict(zip(names, found.chosen, strict=True)),
        "best": dict(zip(names, found.best, strict=True)),
        "falls_db": found.falls,
    }


def sweep_of(runner: StudyRunner, design: Design, link: Link, typed: str) -> dict[str, Any]:
    """Eyes over a quantity, as typed: ``NAME`` or ``NAME:VALUE,VALUE``."""
    from onda.studies.links.sweep import LINK_SWEEP, sweep_inputs

    over, values = name_and_values(typed, "--sweep loss or --sweep noise:0,1e-3,2e-3")
    found = runner.result(LINK_SWEEP, sweep_inputs(design, link, over, values))
    return {
        "over": found.over,
        "values": found.values.tolist(),
        "height_v": [number(v) for v in found.heights.tolist()],
        "width_ui": [number(v) for v in found.widths.tolist()],
        "merit_db": [number(v) for v in found.merits.tolist()],
        "loss_db": [number(v) for v in found.losses.tolist()],
        "why": list(found.why),
    }


def corners_of(runner: StudyRunner, design: Design, link: Link) -> list[dict[str, Any]]:
    """Eyes in all corners."""
    from onda.studies.links.corners import LINK_CORNERS, corner_inputs

    found = runner.result(LINK_CORNERS, corner_inputs(design, link))
    return [
        {
            "name": name,
            "height_v": number(point.height),
            "width_ui": number(point.width),
            "merit_db": number(point.merit),
            "why": point.why,
        }
        for name, point in zip(found.names, found.points, strict=True)
    ]


def bits_of(runner: StudyRunner, design: Design, link: Link) -> dict[str, Any]:
    """The eye bit by bit."""
    from onda.studies.links.eye import EYE
    from onda.studies.links.inputs import eye_inputs, pattern_inputs

    found = runner.result(EYE, eye_inputs(design, link))
    return {
        "pattern": pattern_inputs(link).name,
        "symbols": found.eye.bits,
        "levels_v": list(found.eye.means),
        "eyes": [
            {
                "height_v": one.height,
                "width_ui": one.width,
                "jitter_pp_ui": number(one.jitter_pp),
                "threshold_v": one.threshold,
            }
            for one in found.eye.openings
        ],
        "mask_hits": list(found.hits),
        "worst_case_height_v": found.peak.height,
        "doubts": list(found.doubts),
    }


def _size(one: dict[str, Any]) -> str:
    """Height and width of an eye, or why there is none."""
    if one.get("why"):
        return str(one["why"])
    if not one["height_v"] > 0.0:
        return "closed"
    return f"{1e3 * one['height_v']:.1f} mV by {one['width_ui']:.3f} UI"


def _print_more(data: dict[str, Any]) -> None:
    if "bits" in data:
        bits = data["bits"]
        sizes = "; ".join(_size(one) for one in bits["eyes"])
        typer.echo(f"bit by bit, {bits['symbols']} symbols of {bits['pattern']}: {sizes}")
    if "sweep" in data:
        found = data["sweep"]
        columns = (found["values"], found["height_v"], found["width_ui"], found["why"])
        for value, height, width, why in zip(*columns, strict=True):
            one = {"height_v": height, "width_ui": width, "why": why}
            typer.echo(f"  {found['over']} {value:g}: {_size(one)}")
    for one in data.get("corners", ()):
        typer.echo(f"  {one['name']}: {_size(one)}")


def print_eye(data: dict[str, Any]) -> None:
    """All answers in words."""
    unit = data["unit_interval_s"]
    typer.echo(f"{data['name']} at an error rate of {data['error_rate']:g}")
    for s in data["settings"]:
        for e in s["eyes"]:
            which = f", {e['name']}" if len(s["eyes"]) > 1 else ""
            size = (
                f"{1e3 * e['height_v']:.1f} mV by {e['width_s'] / unit:.3f} UI"
                if e["height_v"] > 0.0
                else "closed"
            )
            typer.echo(f"  {s['name']}{which}: {size}")
    typer.echo(
        f"worst case {1e3 * data['worst_case_height_v']:.1f} mV; signal over all else "
        f"{data['merit_db']:.2f} dB (interference {1e3 * data['interference_v']:.2f}, crosstalk "
        f"{1e3 * data['crosstalk_v']:.2f}, jitter {1e3 * data['jitter_as_noise_v']:.2f}, noise "
        f"{1e3 * data['noise_v']:.2f} mV)"
    )
    taps = " ".join(f"{t:.3g}" for t in data["transmit_taps"])
    back = " ".join(f"{1e3 * t:.1f}" for t in data["decision_taps_v"])
    typer.echo(
        f"transmit taps {taps}; gain at 0 Hz {data['gain_db']:.1f} dB; feedback {back or 'none'} mV"
    )
    if "map" in data:
        best = ", ".join(f"{k} {v:.3g}" for k, v in data["map"]["best"].items())
        typer.echo(
            f"best on the map: {best}; a step costs {data['map']['falls_db']:.2f} dB or less"
        )
    _print_more(data)
    for limit in data["limits"]:
        typer.echo(limit["sentence"])
    for doubt in data["doubts"]:
        typer.echo(f"but {doubt}")
