"""Fulmar's links: converter lanes of two levels, uplinks of four; all made up."""

from __future__ import annotations

from typing import Any

__all__ = ["links", "requirements"]

_SHEET = "Fulmar interconnect sheet"


def _up(number: int, network: str, lane: int, name: str) -> dict[str, Any]:
    """An uplink of four levels, judged before its errors are corrected."""
    return {
        "id": f"up{number}",
        "name": f"Uplink {number}, {name}",
        "network": network,
        "lane": lane,
        "launch": {"low": "-400 mV", "high": "400 mV", "edge": "13 ps"},
        "rate": "53.125 Gb/s",
        "prbs": 13,
        "bits": 100_000,
        "modulation": "pam4",
        "mismatch": "95 %",
        "error_rate": 1e-6,
        "sender": {"setting": "best", "random": "0.01 UI", "bounded": "0.03 UI"},
        "listener": {
            "gains": ["0 dB", "-1 dB", "-2 dB", "-3 dB", "-4 dB", "-6 dB"],
            "zero": "10.6 GHz",
            "poles": ["10.6 GHz", "26.6 GHz"],
            "decisions": 6,
            "limit": "50 %",
            "noise": "2 mV",
        },
    }


def links() -> list[dict[str, Any]]:
    """Lane 0 by its path, lane 3 among its neighbours, and both uplinks."""
    mask = {
        "width": "0.5 UI",
        "flat": "0.2 UI",
        "height": "150 mV",
        "source": "Fulmar lane sheet, table 3",
    }
    return [
        {
            "id": "jl0",
            "name": "Converter lane 0",
            "path": "jl0",
            "rate": "16.25 Gb/s",
            "prbs": 15,
            "bits": 100_000,
            "mask": mask,
        },
        {
            "id": "jl3",
            "name": "Converter lane 3, crowded",
            "group": "converter-lanes",
            "group_lane": "jl3",
            "rate": "16.25 Gb/s",
            "prbs": 15,
            "bits": 100_000,
            "sender": {"random": "0.008 UI", "bounded": "0.06 UI", "duty": "0.02 UI"},
            "listener": {"decisions": 2, "limit": "30 %", "noise": "3 mV"},
            "mask": mask,
        },
        _up(0, "up0-channel", 1, "board to hub"),
        _up(1, "board-uplinks", 2, "over the opening"),
    ]


def requirements() -> list[dict[str, Any]]:
    """What eyes must be at their error rates."""

    def limit(link: str, measure: str, **limits: str) -> dict[str, Any]:
        return {
            "id": f"{measure.replace('_', '-')}-{link}",
            "kind": "link",
            "subject": link,
            "measure": measure,
            "source": _SHEET,
            **limits,
        }

    return [
        limit("jl3", "eye_height_at_rate", at_least="250 mV"),
        limit("jl3", "eye_width_at_rate", at_least="0.60 UI"),
        limit("up0", "eye_height_at_rate", at_least="20 mV"),
        limit("up0", "eye_width_at_rate", at_least="0.20 UI"),
        limit("up1", "eye_height_at_rate", at_least="30 mV"),
        limit("up1", "link_merit", at_least="14 dB"),
    ]
