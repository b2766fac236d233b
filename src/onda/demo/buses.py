"""Fulmar's memory: two bytes and address between a controller and two modules; all made up."""

from __future__ import annotations

from typing import Any

from onda.demo.paths import trace

__all__ = ["buses", "paths", "requirements"]

_SHEET = "Fulmar memory sheet, table 7"
_LENGTHS = (34.0, 33.2, 34.6, 33.8, 34.2, 33.4, 34.9, 33.6)
"""Millimetres from the controller to the first module, DQ0 to DQ7."""


def _model(model: str, pin: str) -> dict[str, Any]:
    return {"file": "memory-ibs", "model": model, "component": "FULMAR-MEM", "pin": pin}


def _net(
    identifier: str,
    name: str,
    pin: str,
    models: tuple[str, str],
    lengths: tuple[str, str, str],
    ends_in: dict[str, Any],
) -> dict[str, Any]:
    """A net: controller, first module on a short arm, second one at the end."""
    to_a, arm, to_b = lengths
    modules = [
        {"name": module, "capacitance": "1.4 pF", "model": _model(model, pin)}
        for module, model in zip(("Module A", "Module B"), models, strict=True)
    ]
    return {
        "id": identifier,
        "name": name,
        "net": f"MEM_{pin}",
        "lane": "single",
        "driver": {
            "name": f"U1.{pin}",
            "resistance": "34 ohm",
            "low": "0 V",
            "high": "1.2 V",
            "edge": "150 ps",
            "capacitance": "1.4 pF",
            "model": _model("dq_34", pin),
        },
        "elements": [
            trace("T1", "general", "L3", to_a),
            {
                "kind": "branch",
                "id": "A",
                "elements": [trace("TA", "general", "L1", arm)],
                "receiver": modules[0],
            },
            trace("T2", "general", "L3", to_b),
        ],
        "termination": ends_in,
        "receiver": modules[1],
        "stimulus": {"kind": "pattern", "rate": "1.6 Gb/s", "window": "8 ns"},
    }


def paths() -> list[dict[str, Any]]:
    """A data net, and an address net that goes by both modules to a resistor at its end."""
    data = ("34 mm", "4 mm", "11 mm")
    return [
        _net(
            "mem-dq", "Memory data net", "E0", ("dq_odt60", "dq_odt120"), data, {"kind": "none"}
        ),
        _net(
            "mem-ca", "Memory address net", "J0", ("dq_34", "dq_34"), ("39 mm", "2 mm", "12 mm"),
            {"kind": "parallel", "r": "47 ohm", "rail": "0.6 V"},
        ),
    ]  # fmt: skip


def _setting(device: str, model: str) -> dict[str, Any]:
    return {"id": device, "model": model}


def _operation(
    identifier: str, name: str, drives: str, listens: str, over: str = "data", **models: str
) -> dict[str, Any]:
    return {
        "over": over,
        "id": identifier,
        "name": name,
        "drives": drives,
        "listens": listens,
        "settings": [_setting(device, model) for device, model in models.items()],
    }


def _sheet(setup: str, hold: str, ac: str = "100 mV", dc: str = "75 mV") -> dict[str, Any]:
    return {
        "ac": ac,
        "dc": dc,
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


def _signal(
    name: str, length: float, strobe: str = "", path: str = "mem-dq", takes: str = "both"
) -> dict[str, Any]:
    return {
        "id": name,
        "name": name,
        "path": path,
        "strobe": strobe,
        "takes": takes,
        "lengths": [{"id": "T1", "length": f"{length:g} mm"}],
    }


def _device(
    identifier: str, name: str, end: str, data: dict[str, Any], **more: Any
) -> dict[str, Any]:
    return {"id": identifier, "name": name, "end": end, "sheet": data, **more}


_CLOCKED = _sheet("80 ps", "90 ps", "120 mV", "90 mV")
"""What the modules ask of address and command."""
_TO_CLOCK = {"to_clock": "40 ps"}
_CONTROLLER = _device("U1", "Controller", "driver", _sheet("40 ps", "40 ps"))
_MODULE_B = _sheet("35 ps", "45 ps")


_WRITE_B = _operation("write-b", "Write B", "U1", "B", U1="dq_34", A="dq_odt60", B="dq_odt120")
_READ_B = _operation("read-b", "Read B", "B", "U1", U1="dq_odt60", A="dq_odt60", B="dq_34")


def _byte0() -> dict[str, Any]:
    names = [*(f"DQ{k}" for k in range(8)), "DM0"]
    byte = zip(names, [*_LENGTHS, 34.4], strict=True)
    address = zip(("A0", "A1", "A2"), (39.0, 38.2, 40.1), strict=True)
    return {
        "id": "byte0",
        "name": "Memory byte 0",
        "signals": [
            _signal("DQS0", 34.0),
            *(_signal(name, length, "DQS0") for name, length in byte),
            _signal("CK", 41.0, path="mem-ca", takes="rising"),
            *(_signal(name, length, "CK", "mem-ca") for name, length in address),
        ],
        "devices": [
            _CONTROLLER,
            _device(
                "A", "Module A", "A", _sheet("35 ps", "45 ps", "150 mV", "140 mV") | _TO_CLOCK,
                address_sheet=_CLOCKED,
            ),
            _device("B", "Module B", "receiver", _MODULE_B | _TO_CLOCK, address_sheet=_CLOCKED),
        ],
        # While A is written B, which only stands by, terminates much too strongly.
        "operations": [
            _operation("write-a", "Write A", "U1", "A", U1="dq_34", A="dq_odt60", B="dq_odt20"),
            _WRITE_B,
            _operation("read-a", "Read A", "A", "U1", U1="dq_odt60", A="dq_34", B="dq_odt60"),
            _READ_B,
            _operation("address-a", "Address A", "U1", "A", "address"),
            _operation("address-b", "Address B", "U1", "B", "address"),
        ],
        "rate": "2.4 Gb/s",
        "bits": 128,
        "levelling_step": "13 ps",
    }  # fmt: skip


def _byte1() -> dict[str, Any]:
    return {
        "id": "byte1",
        "name": "Memory byte 1",
        "signals": [
            _signal("DQS1", 48.0),
            *(_signal(f"DQ{8 + k}", _LENGTHS[k], "DQS1") for k in (0, 1, 6)),
        ],
        "devices": [
            _CONTROLLER,
            _device("A", "Module A", "A", _sheet("35 ps", "45 ps")),
            _device("B", "Module B", "receiver", _MODULE_B | {"hold_table": _STEEP}),
        ],
        "operations": [_WRITE_B | {"centred": False}, _READ_B | {"centred": False}],
        "rate": "2.4 Gb/s",
        "bits": 96,
    }


def buses() -> list[dict[str, Any]]:
    """Byte 0 with its mask, taken by one strobe that is moved for the lane, and address by a clock;
    byte 1, whose strobe stays where it comes, 14 mm later than it should."""
    return [_byte0(), _byte1()]


def requirements() -> list[dict[str, Any]]:
    """Both margins of every case, what is left of the eyes, and where strobes come."""
    both = (("bus_setup", "0 ps"), ("bus_hold", "0 ps"), ("bus_height", "150 mV"))
    asked = [(bus, *one) for bus in ("byte0", "byte1") for one in both]
    return [
        {
            "id": f"{measure.replace('_', '-')}-{bus}",
            "kind": "bus",
            "subject": bus,
            "measure": measure,
            "source": _SHEET,
            "at_least": limit,
        }
        for bus, measure, limit in (*asked, ("byte0", "bus_to_clock", "0 ps"))
    ]
