"""Fulmar's networks: connector, hub card, cable and boards of known truth; all made up."""

from __future__ import annotations

from typing import Any

from onda.project.files import shipped

__all__ = ["files", "networks", "requirements"]

_FILES = {
    "mezzanine": "fulmar_mezzanine.s4p",
    "hub-card": "fulmar_hub_card.s4p",
    "sensor-cable": "fulmar_sensor_cable.s4p",
    "board-uplinks": "fulmar_board_uplinks.s8p",
    "board-uplinks-whole": "fulmar_board_uplinks_whole.s8p",
    "fixture-2x": "fulmar_fixture_2x.s4p",
    "mezzanine-in-fixture": "fulmar_mezzanine_in_fixture.s4p",
}
_UPLINK = "26.5625 GBd"


def files() -> list[dict[str, Any]]:
    """The network files that ship with Onda."""
    hashes = shipped()
    return [
        {"id": name, "path": f"networks/{file}", "sha256": hashes[file]}
        for name, file in _FILES.items()
    ]


def _of_file(identifier: str, name: str, rate: str = _UPLINK, **more: Any) -> dict[str, Any]:
    return {
        "id": identifier,
        "name": name,
        "source": {"kind": "file", "file": identifier},
        "rate": rate,
        **more,
    }


def _piece(identifier: str, network: str, **more: Any) -> dict[str, Any]:
    return {"id": identifier, "network": network, **more}


def networks() -> list[dict[str, Any]]:
    """The shelf of networks and two chains."""
    return [
        {
            "id": "up0-channel",
            "name": "UP0, board to hub",
            "rate": _UPLINK,
            "source": {
                "kind": "chain",
                "pieces": [
                    _piece("board", "up0-trace"),
                    _piece("connector", "mezzanine"),
                    _piece("hub", "hub-card"),
                ],
            },
        },
        {
            "id": "connector-alone",
            "name": "Mezzanine, fixture off",
            "rate": _UPLINK,
            "source": {
                "kind": "chain",
                "pieces": [
                    _piece("left", "fixture-left", removed=True),
                    _piece("measured", "mezzanine-in-fixture"),
                    _piece("right", "fixture-right", removed=True),
                ],
            },
        },
        _of_file("board-uplinks", "Board, UP0 and UP1"),
        _of_file("board-uplinks-whole", "Board, planes whole"),
        _of_file("mezzanine", "Mezzanine connector"),
        _of_file("hub-card", "Hub card, measured"),
        _of_file("sensor-cable", "Sensor cable", rate="1.25 GBd"),
        {
            "id": "up0-trace",
            "name": "UP0 trace, 52 mm on L3",
            "rate": _UPLINK,
            "source": {
                "kind": "line",
                "line_class": "uplink-pairs",
                "layer": "L3",
                "length": "52 mm",
            },
        },
        {
            "id": "jl0-network",
            "name": "Converter lane 0",
            "rate": "16.25 GBd",
            "source": {"kind": "path", "path": "jl0"},
        },
        _of_file("mezzanine-in-fixture", "Mezzanine in its fixture"),
        _of_file("fixture-2x", "Fixtures end to end"),
        {
            "id": "fixture-left",
            "name": "Fixture, left half",
            "source": {"kind": "half", "of": "fixture-2x", "side": "left"},
        },
        {
            "id": "fixture-right",
            "name": "Fixture, right half",
            "source": {"kind": "half", "of": "fixture-2x", "side": "right"},
        },
    ]


def _range(start: str, stop: str, **formulas: str) -> dict[str, Any]:
    return {"start": start, "stop": stop, **formulas}


def _limit(subject: str, measure: str, **more: Any) -> dict[str, Any]:
    return {
        "id": f"{measure}-{subject}",
        "kind": "network",
        "subject": subject,
        "measure": measure,
        "source": "Fulmar uplink sheet, table 5",
        **more,
    }


def _sound(subject: str) -> list[dict[str, Any]]:
    return [_limit(subject, "passivity", at_least="99.9 %")]


def requirements() -> list[dict[str, Any]]:
    """Limits of the channel, of its parts, and of what files must be like."""
    through = [
        _range("50 MHz", "13.28 GHz", at_least="-(1.0 + 0.75*sqrt(f) + 0.42*f)"),
        _range("13.28 GHz", "20 GHz", at_least="-9.3 - 1.1*(f - 13.28)"),
    ]
    back = [
        _range("50 MHz", "4 GHz", at_most="-12"),
        _range("4 GHz", "13.28 GHz", at_most="-12 + 7*log10(f/4)"),
    ]
    return [
        _limit("up0-channel", "insertion", ranges=through),
        _limit("up0-channel", "return", ranges=back),
        _limit("up0-channel", "conversion", ranges=[_range("50 MHz", "13.28 GHz", at_most="-26")]),
        _limit("up0-channel", "ild", at_most="0.4 dB"),
        _limit("up0-channel", "pair_skew", at_most="2 ps"),
        _limit("up0-channel", "profile_low", at_least="80 ohm"),
        _limit("up0-channel", "profile_high", at_most="102 ohm"),
        _limit(
            "board-uplinks",
            "near_end",
            ranges=[_range("50 MHz", "13.28 GHz", at_most="-58 + 10*log10(max(f, 0.5))")],
        ),
        _limit("board-uplinks", "icn", at_most="3 mV"),
        _limit("board-uplinks", "lane_skew", at_most="10 ps"),
        _limit("board-uplinks", "profile_high", at_most="102 ohm"),
        _limit(
            "mezzanine", "return", ranges=[_range("50 MHz", "13.28 GHz", at_most="-14 + 0.9*f")]
        ),
        _limit(
            "sensor-cable", "insertion", ranges=[_range("50 MHz", "2 GHz", at_least="-(1 + 1.6*f)")]
        ),
        *_sound("hub-card"),
        *_sound("mezzanine"),
        *_sound("sensor-cable"),
        *_sound("board-uplinks"),
    ]
