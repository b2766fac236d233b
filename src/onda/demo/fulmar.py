"""The demo project. Everything in it is made up and belongs to the Fulmar scenario."""

from __future__ import annotations

import json
from typing import Any

from onda.demo import build, buses, coupling, links, networks, paths
from onda.demo.paths import trace as _trace
from onda.demo.paths import via as _via
from onda.project.model import SCHEMA_VERSION, Project

__all__ = ["fulmar_project"]


def fulmar_project() -> Project:
    """Build Fulmar: its build, every class, two clocks, converter lane JL0, requirements."""
    return Project.model_validate_json(json.dumps(_tree()))


def _tree() -> dict[str, Any]:
    return {
        "schema_version": SCHEMA_VERSION,
        "name": "Fulmar recorder",
        "revision": "rev B",
        "design": {
            "materials": build.materials(),
            "stackup": build.stackup(),
            "line_classes": build.classes(),
            "shielded": build.shielded(),
            "sheet_lines": build.sheet_lines(),
            "device_files": [*paths.device_files(), *networks.files()],
            "paths": [
                _sample_clock(),
                paths.split_clock(),
                paths.chained_clock(),
                paths.trigger(),
                paths.spi(),
                _reference_clock(),
                _lane_path(),
                *buses.paths(),
            ],
            "links": links.links(),
            "networks": networks.networks(),
            "groups": coupling.groups(),
            "buses": buses.buses(),
        },
        "requirements": _requirements(),
        "kept": [],
        "files": [],
    }


def _sample_clock() -> dict[str, Any]:
    return {
        "id": "clk-adc",
        "name": "ADC sample clock",
        "net": "CLK_ADC",
        "lane": "single",
        "driver": {
            "name": "U7.C4",
            "resistance": "18 ohm",
            "low": "0 V",
            "high": "1.8 V",
            "edge": "350 ps",
            "capacitance": "2 pF",
        },
        "elements": [
            {"kind": "resistor", "id": "Rs", "value": "15 ohm"},
            _via("V1"),
            _trace("T1", "clocks", "L1", "31.6 mm"),
            _via("V2"),
            _trace("T2", "clocks", "L6", "17.4 mm"),
            _via("V3"),
            _trace("T3", "clocks", "L1", "9.2 mm"),
        ],
        "termination": {"kind": "none"},
        "receiver": {"name": "U3.B2", "capacitance": "3.5 pF"},
        "stimulus": {"kind": "clock", "frequency": "122.88 MHz", "window": "6 ns"},
    }


def _reference_clock() -> dict[str, Any]:
    return {
        "id": "clk-ref",
        "name": "FPGA reference clock",
        "net": "CLK_REF",
        "lane": "single",
        "driver": {
            "name": "U7.C6",
            "resistance": "20 ohm",
            "low": "0 V",
            "high": "1.8 V",
            "edge": "500 ps",
            "capacitance": "2 pF",
        },
        "elements": [
            {"kind": "resistor", "id": "Rs", "value": "43 ohm"},
            _trace("T1", "clocks", "L1", "24.5 mm"),
            _via("V1"),
            _trace("T2", "clocks", "L6", "38 mm"),
        ],
        "termination": {"kind": "none"},
        "receiver": {"name": "U1.AB12", "capacitance": "4 pF"},
        "stimulus": {"kind": "clock", "frequency": "100 MHz", "window": "6 ns"},
    }


def _lane_path() -> dict[str, Any]:
    return {
        "id": "jl0",
        "name": "Converter lane 0",
        "net": "JL0 P/N",
        "lane": "pair",
        "driver": {
            "name": "U3.TX0",
            "resistance": "100 ohm",
            "low": "-400 mV",
            "high": "400 mV",
            "edge": "22 ps",
            "capacitance": "150 fF",
        },
        "elements": [
            _trace("T1", "converter-pairs", "L1", "12 mm"),
            {"kind": "via", "id": "V1", "z0": "92 ohm", "delay": "8 ps", "pad": "40 fF"},
            _trace("T2", "converter-pairs", "L3", "96 mm"),
            {"kind": "via", "id": "V2", "z0": "92 ohm", "delay": "8 ps", "pad": "40 fF"},
            _trace("T3", "converter-pairs", "L1", "8 mm"),
        ],
        "termination": {"kind": "parallel", "r": "100 ohm", "rail": "0 V"},
        "receiver": {"name": "U1.RX0", "capacitance": "140 fF"},
        "stimulus": {"kind": "edge", "window": "3 ns"},
    }


def _limit(identifier: str, kind: str, subject: str, measure: str, **limits: str) -> dict[str, Any]:
    return {
        "id": identifier,
        "kind": kind,
        "subject": subject,
        "measure": measure,
        "source": "Fulmar interconnect sheet",
        **limits,
    }


def _impedance_limits(subject: str, layers: tuple[str, ...], low: str, high: str) -> list[Any]:
    return [
        _limit(f"z-{subject}-{layer}", "line", subject, "impedance", at_least=low, at_most=high)
        | {"layer": layer}
        for layer in layers
    ]


def _clock_limits(subject: str, settling: str, delay: str) -> list[dict[str, Any]]:
    return [
        _limit(f"over-{subject}", "path", subject, "overshoot", at_most="0.30 V"),
        _limit(f"under-{subject}", "path", subject, "undershoot", at_most="0.30 V"),
        _limit(f"settle-{subject}", "path", subject, "settling", at_most=settling),
        _limit(f"edge-{subject}", "path", subject, "edge_time", at_most="0.80 ns"),
        _limit(f"delay-{subject}", "path", subject, "delay", at_most=delay),
    ]


def _requirements() -> list[dict[str, Any]]:
    return [
        *_impedance_limits("converter-pairs", ("L1", "L3", "L6", "L8"), "93 ohm", "107 ohm"),
        _limit("loss-converter-pairs", "line", "converter-pairs", "loss", at_most="6 dB"),
        *_impedance_limits("uplink-pairs", ("L3", "L6"), "86 ohm", "98 ohm"),
        _limit("loss-uplink-pairs", "line", "uplink-pairs", "loss", at_most="6 dB"),
        *_impedance_limits("memory", ("L1", "L3", "L6"), "45 ohm", "55 ohm"),
        *_impedance_limits("sensor-pairs", ("tail.L4",), "81 ohm", "99 ohm"),
        *_impedance_limits("launch", ("L8",), "47 ohm", "53 ohm"),
        *_impedance_limits("strobes", ("L6",), "47 ohm", "57 ohm"),
        *_impedance_limits("clocks", ("L1", "L6", "L8"), "58 ohm", "70 ohm"),
        *_impedance_limits("general", ("L1", "L3", "L6", "L8"), "49 ohm", "61 ohm"),
        *_clock_limits("clk-adc", "2.8 ns", "0.70 ns"),
        *_clock_limits("clk-ref", "3.0 ns", "0.90 ns"),
        *paths.requirements(),
        *networks.requirements(),
        *coupling.requirements(),
        *links.requirements(),
        *buses.requirements(),
        _limit("width-jl0", "link", "jl0", "eye_width", at_least="0.60 UI"),
        _limit("height-jl0", "link", "jl0", "eye_height", at_least="180 mV"),
        _limit("jitter-jl0", "link", "jl0", "jitter_pp", at_most="0.30 UI"),
        _limit("mask-jl0", "link", "jl0", "mask_growth", at_least="15 %"),
        _limit("worst-jl0", "link", "jl0", "worst_height", at_least="150 mV"),
    ]
