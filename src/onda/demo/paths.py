"""Fulmar's paths with real devices and branches; all made up."""

from __future__ import annotations

from typing import Any

from onda.project.files import shipped

__all__ = [
    "chained_clock",
    "device_files",
    "requirements",
    "spi",
    "split_clock",
    "trace",
    "trigger",
    "via",
]

_FILES = {
    "clock-ibs": "fulmar_clock.ibs",
    "converter-ibs": "fulmar_converter.ibs",
    "memory-ibs": "fulmar_memory.ibs",
    "lane-ibs": "fulmar_lane.ibs",
}


def device_files() -> list[dict[str, Any]]:
    """The device files that ship with Onda."""
    hashes = shipped()
    return [
        {"id": name, "path": f"devices/{file}", "sha256": hashes[file]}
        for name, file in _FILES.items()
    ]


def trace(identifier: str, line_class: str, layer: str, length: str) -> dict[str, Any]:
    """A piece of trace."""
    return {
        "kind": "trace",
        "id": identifier,
        "line_class": line_class,
        "layer": layer,
        "length": length,
    }


def via(identifier: str, z0: str = "86 ohm") -> dict[str, Any]:
    """A via by its values."""
    return {"kind": "via", "id": identifier, "z0": z0, "delay": "9 ps", "pad": "120 fF"}


def _resistor(value: str) -> dict[str, Any]:
    return {"kind": "resistor", "id": "Rs", "value": value}


def _drilled(identifier: str, to: str) -> dict[str, Any]:
    return {"kind": "drilled", "id": identifier, "from_layer": "L1", "to_layer": to}


def _driver(name: str, model: str, pin: str) -> dict[str, Any]:
    return {
        "name": name,
        "resistance": "20 ohm",
        "low": "0 V",
        "high": "1.8 V",
        "edge": "400 ps",
        "capacitance": "2 pF",
        "model": {"file": "clock-ibs", "model": model, "component": "FULMAR-CLK", "pin": pin},
    }


def _converter(name: str, model: str = "clk_in", pin: str = "B2") -> dict[str, Any]:
    return {
        "name": name,
        "capacitance": "3.2 pF",
        "model": {"file": "converter-ibs", "model": model, "component": "FULMAR-ADC", "pin": pin},
    }


def _branch(identifier: str, receiver: dict[str, Any], *elements: Any) -> dict[str, Any]:
    return {
        "kind": "branch",
        "id": identifier,
        "elements": list(elements),
        "receiver": receiver,
    }


def _clock(window: str) -> dict[str, Any]:
    return {"kind": "clock", "frequency": "122.88 MHz", "window": window}


def split_clock() -> dict[str, Any]:
    """A strong driver into two converters on arms of unequal length."""
    return {
        "id": "clk-two",
        "name": "Clock to two converters",
        "net": "CLK_ADC2",
        "lane": "single",
        "driver": _driver("U7.C4", "io18_strong", "C4"),
        "elements": [
            _resistor("10 ohm"),
            trace("T1", "clocks", "L1", "18 mm"),
            _branch("A", _converter("U4.B2"), trace("TA", "clocks", "L1", "14 mm")),
            trace("T2", "clocks", "L1", "37 mm"),
        ],
        "termination": {"kind": "none"},
        "receiver": _converter("U5.B2"),
        "stimulus": _clock("9 ns"),
    }


def chained_clock() -> dict[str, Any]:
    """The same two converters one after the other, the line ended behind them."""
    return {
        "id": "clk-chain",
        "name": "Clock, daisy chain",
        "net": "CLK_ADC2",
        "lane": "single",
        "driver": _driver("U7.C4", "io18_strong", "C4"),
        "elements": [
            _resistor("43 ohm"),
            trace("T1", "clocks", "L1", "32 mm"),
            _branch("A", _converter("U4.B2")),
            trace("T2", "clocks", "L1", "23 mm"),
        ],
        "termination": {"kind": "none"},
        "receiver": _converter("U5.B2"),
        "stimulus": _clock("9 ns"),
    }


def trigger() -> dict[str, Any]:
    """A line past three loads, the second on a stub that is too long."""

    def load(name: str) -> dict[str, Any]:
        return _converter(name, "trig_in", "B5")

    return {
        "id": "trig",
        "name": "Trigger, three loads",
        "net": "TRIG",
        "lane": "single",
        "driver": _driver("U1.K7", "io18_medium", "C6"),
        "elements": [
            _resistor("27 ohm"),
            trace("T1", "clocks", "L1", "22 mm"),
            _drilled("V1", "L6"),
            trace("T2", "clocks", "L6", "16 mm"),
            _branch("A", load("U3.B5"), trace("SA", "clocks", "L6", "4 mm")),
            trace("T3", "clocks", "L6", "24 mm"),
            _branch(
                "B", _converter("U4.B5", "trig_in", "B5"), trace("SB", "clocks", "L6", "38 mm")
            ),
            trace("T4", "clocks", "L6", "20 mm"),
        ],
        "termination": {"kind": "none"},
        "receiver": load("U5.B5"),
        "stimulus": {"kind": "pulse", "width": "5 ns", "window": "11 ns"},
    }


def spi() -> dict[str, Any]:
    """A slow line with a driver far too strong for it."""
    return {
        "id": "spi-clk",
        "name": "SPI clock",
        "net": "SPI_SCK",
        "lane": "single",
        "driver": _driver("U1.M3", "io18_strong", "D1"),
        "elements": [trace("T1", "general", "L1", "64 mm")],
        "termination": {"kind": "none"},
        "receiver": {"name": "U9.3", "capacitance": "6 pF"},
        "stimulus": {"kind": "clock", "frequency": "25 MHz", "window": "30 ns"},
    }


def _limit(subject: str, measure: str, **limits: str) -> dict[str, Any]:
    return {
        "id": f"{measure}-{subject}",
        "kind": "path",
        "subject": subject,
        "measure": measure,
        "source": "Fulmar interconnect sheet",
        **limits,
    }


def requirements() -> list[dict[str, Any]]:
    """What these paths must hold."""
    out = []
    for subject in ("clk-two", "clk-chain"):
        out += [
            _limit(subject, "overshoot", at_most="0.30 V"),
            _limit(subject, "ring_back", at_least="0.10 V"),
            _limit(subject, "reversal", at_most="20 mV"),
            _limit(subject, "settling", at_most="3.0 ns"),
            _limit(subject, "slew", at_least="1 V/ns"),
        ]
    out += [
        _limit("trig", "overshoot", at_most="0.40 V"),
        _limit("trig", "ring_back", at_least="0.05 V"),
        _limit("trig", "reversal", at_most="50 mV"),
        _limit("trig", "last_delay", at_most="1.6 ns"),
        _limit("spi-clk", "overshoot", at_most="0.40 V"),
        _limit("spi-clk", "ring_back", at_least="0.10 V"),
        _limit("spi-clk", "settling", at_most="8 ns"),
    ]
    return out
