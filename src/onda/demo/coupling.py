"""Fulmar's groups: converter lanes beside two uplinks, and a byte of the memory; all made up."""

from __future__ import annotations

from typing import Any

__all__ = ["groups", "requirements"]


def _lane(name: str, towards: str = "right") -> dict[str, Any]:
    return {"id": name.lower(), "name": name, "towards": towards}


def groups() -> list[dict[str, Any]]:
    """Converter lanes that two transmitting lanes of the same class crowd, and data lines."""
    return [
        {
            "id": "converter-lanes",
            "name": "Converter lanes, crowded",
            "line_class": "converter-pairs",
            "lanes": [
                *(_lane(f"JL{k}") for k in range(4)),
                _lane("UP0", "left"),
                _lane("UP1", "left"),
            ],
            "pieces": [
                {"id": "F1", "layer": "L3", "length": "9 mm", "coupled": False},
                {
                    "id": "C1",
                    "layer": "L3",
                    "length": "24 mm",
                    "spacings": ["420 um", "420 um", "420 um", "190 um", "420 um"],
                },
                {
                    "id": "C2",
                    "layer": "L3",
                    "length": "16 mm",
                    "spacings": ["420 um", "420 um", "420 um", "420 um", "420 um"],
                },
                {"id": "F2", "layer": "L3", "length": "7 mm", "coupled": False},
            ],
            "rate": "16.25 GBd",
            "rise": "16 ps",
            "near": "400 mV",
            "far": "300 mV",
            "allowed": [
                {"loss": "0 dB", "noise": "3.4 mV"},
                {"loss": "4 dB", "noise": "2.6 mV"},
                {"loss": "10 dB", "noise": "1.5 mV"},
                {"loss": "20 dB", "noise": "0.7 mV"},
            ],
        },
        {
            "id": "memory-byte",
            "name": "Memory byte 0",
            "line_class": "memory",
            "lanes": [_lane(f"DQ{k}") for k in range(8)],
            "pieces": [
                {
                    "id": "C1",
                    "layer": "L1",
                    "length": "38 mm",
                    "spacings": ["170 um"] * 7,
                },
                {"id": "F1", "layer": "L1", "length": "6 mm", "coupled": False},
            ],
            "rate": "2.4 GBd",
            "rise": "70 ps",
            "near": "600 mV",
            "far": "600 mV",
            "driver": {"file": "memory-ibs", "model": "dq_34"},
            "listener": {"file": "memory-ibs", "model": "dq_odt60"},
        },
    ]


def _limit(subject: str, measure: str, source: str, **more: Any) -> dict[str, Any]:
    return {
        "id": f"{measure}-{subject}",
        "kind": "group",
        "subject": subject,
        "measure": measure,
        "source": source,
        **more,
    }


def requirements() -> list[dict[str, Any]]:
    """What receivers stand: noise against their loss, and a share of the memory's bit."""
    lanes, byte = "Fulmar converter sheet, table 9", "Fulmar memory sheet, table 3"
    return [
        _limit("converter-lanes", "noise_share", lanes, at_most="100 %"),
        _limit("converter-lanes", "crosstalk_peak", lanes, at_most="30 mV"),
        _limit("memory-byte", "arrival_spread", byte, at_most="20 ps"),
        _limit("memory-byte", "far_end_peak", byte, at_most="160 mV"),
    ]
