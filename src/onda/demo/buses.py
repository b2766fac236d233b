"""Fulmar's memory: one byte between the recorder's controller and two modules; all made up."""

from __future__ import annotations

from typing import Any

from onda.demo.paths import trace

__all__ = ["buses", "path", "requirements"]

_SHEET = "Fulmar memory sheet, table 7"
_LENGTHS = (34.0, 33.2, 34.6, 33.8, 34.2, 33.4, 34.9, 33.6)
"""Millimetres from the controller to the first module, DQ0 to DQ7."""


def _model(model: str) -> dict[str, Any]:
    return {"file": "memory-ibs", "model": model, "component": "FULMAR-MEM", "pin": "E0"}


def _module(name: str, model: str) -> dict[str, Any]:
    return {"name": name, "capacitance": "1.4 pF", "model": _model(model)}


def path() -> dict[str, Any]:
    """A data net: controller, first module on a short arm, second one at the end."""
    return {
        "id": "mem-dq",
        "name": "Memory data net",
        "net": "MEM_DQ0",
        "lane": "single",
        "driver": {
            "name": "U1.E0",
            "resistance": "34 ohm",
            "low": "0 V",
            "high": "1.2 V",
            "edge": "150 ps",
            "capacitance": "1.4 pF",
            "model": _model("dq_34"),
        },
        "elements": [
            trace("T1", "general", "L3", "34 mm"),
            {
                "kind": "branch",
                "id": "A",
                "elements": [trace("TA", "general", "L1", "4 mm")],
                "receiver": _module("Module A", "dq_odt60"),
            },
            trace("T2", "general", "L3", "11 mm"),
        ],
        "termination": {"kind": "none"},
        "receiver": _module("Module B", "dq_odt120"),
        "stimulus": {"kind": "pattern", "rate": "1.6 Gb/s", "window": "8 ns"},
    }


def _setting(device: str, model: str) -> dict[str, Any]:
    return {"id": device, "model": model}


def _operation(
    identifier: str, name: str, drives: str, listens: str, **models: str
) -> dict[str, Any]:
    return {
        "id": identifier,
        "name": name,
        "drives": drives,
        "listens": listens,
        "settings": [_setting(device, model) for device, model in models.items()],
    }


def _sheet(setup: str, hold: str) -> dict[str, Any]:
    return {
        "ac": "100 mV",
        "dc": "75 mV",
        "strobe": "100 mV",
        "setup": setup,
        "hold": hold,
        "setup_table": {
            "data_slew": [1e9, 2e9, 4e9],
            "strobe_slew": [2e9, 8e9],
            "delta": [[20e-12, 14e-12], [10e-12, 4e-12], [4e-12, 0.0]],
        },
        "source": _SHEET,
    }


_STEEP = {
    "data_slew": [2e9, 4e9, 6e9],
    "strobe_slew": [2e9, 8e9],
    "delta": [[0.0, 0.0], [10e-12, 10e-12], [70e-12, 70e-12]],
}
"""What a module of byte 1 asks of hold behind steep edges."""


def _signal(name: str, length: float, strobe: str = "") -> dict[str, Any]:
    return {
        "id": name,
        "name": name,
        "path": "mem-dq",
        "strobe": strobe,
        "lengths": [{"id": "T1", "length": f"{length:g} mm"}],
    }


def _devices(more: dict[str, Any]) -> list[dict[str, Any]]:
    return [
        {"id": "U1", "name": "Controller", "end": "driver", "sheet": _sheet("40 ps", "40 ps")},
        {"id": "A", "name": "Module A", "end": "A", "sheet": _sheet("35 ps", "45 ps")},
        {
            "id": "B",
            "name": "Module B",
            "end": "receiver",
            "sheet": _sheet("35 ps", "45 ps") | more,
        },
    ]


_WRITE_B = _operation("write-b", "Write B", "U1", "B", U1="dq_34", A="dq_odt60", B="dq_odt120")
_READ_B = _operation("read-b", "Read B", "B", "U1", U1="dq_odt60", A="dq_odt60", B="dq_34")


def buses() -> list[dict[str, Any]]:
    """Byte 0 with its mask, taken by one strobe that is moved for the lane; byte 1, whose strobe
    stays where it comes, 14 mm later than it should."""
    names = [*(f"DQ{k}" for k in range(8)), "DM0"]
    lengths = [*_LENGTHS, 34.4]
    byte0 = zip(names, lengths, strict=True)
    return [
        {
            "id": "byte0",
            "name": "Memory byte 0",
            "signals": [
                _signal("DQS0", 34.0),
                *(_signal(name, length, "DQS0") for name, length in byte0),
            ],
            "devices": _devices({}),
            # While A is written neither module is terminated: that is the fault to be found.
            "operations": [
                _operation("write-a", "Write A", "U1", "A", U1="dq_34", A="dq_34", B="dq_34"),
                _WRITE_B,
                _operation("read-a", "Read A", "A", "U1", U1="dq_odt60", A="dq_34", B="dq_odt60"),
                _READ_B,
            ],
            "rate": "2.4 Gb/s",
            "bits": 128,
        },
        {
            "id": "byte1",
            "name": "Memory byte 1",
            "signals": [
                _signal("DQS1", 48.0),
                *(_signal(f"DQ{8 + k}", _LENGTHS[k], "DQS1") for k in (0, 1, 6)),
            ],
            "devices": _devices({"hold_table": _STEEP}),
            "operations": [_WRITE_B | {"centred": False}, _READ_B | {"centred": False}],
            "rate": "2.4 Gb/s",
            "bits": 96,
        },
    ]


def requirements() -> list[dict[str, Any]]:
    """Both margins of every case, and what is left of the eyes."""
    return [
        {
            "id": f"{measure.replace('_', '-')}-{bus}",
            "kind": "bus",
            "subject": bus,
            "measure": measure,
            "source": _SHEET,
            "at_least": limit,
        }
        for bus in ("byte0", "byte1")
        for measure, limit in (
            ("bus_setup", "0 ps"),
            ("bus_hold", "0 ps"),
            ("bus_height", "150 mV"),
        )
    ]
