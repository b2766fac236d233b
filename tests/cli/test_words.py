"""What commands print in words, of values made by hand: each under its own name and unit."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pytest
from rich.console import Console

from onda.cli import coupling, link_answers, networks, project
from onda.cli.bus_answers import tell_search, tell_sweep
from onda.cli.buses import _print as print_cases
from onda.cli.buses import _print_clock as print_clock
from onda.demo import fulmar_project
from onda.studies.buses.bus import BusCase
from onda.studies.buses.case import CaseResult
from onda.studies.buses.levelling import Levelled
from onda.studies.buses.search import BusSearch
from onda.studies.buses.sweep import BusSweep
from onda.studies.core.margin import Margin

# -- links


def eye_data(**more: Any) -> dict[str, Any]:
    """All that the command about eyes has to say."""
    return {
        "name": "Lane 7",
        "unit_interval_s": 80e-12,
        "error_rate": 1e-12,
        "settings": [
            {"name": "as it is", "eyes": [{"name": "all", "height_v": 0.0, "width_s": 9e-12}]},
            {
                "name": "best",
                "eyes": [
                    {"name": "low", "height_v": 0.0411, "width_s": 20e-12},
                    {"name": "high", "height_v": -0.002, "width_s": 0.0},
                ],
            },
        ],
        "worst_case_height_v": 0.0222,
        "merit_db": 9.87,
        "interference_v": 1.11e-3,
        "crosstalk_v": 2.22e-3,
        "jitter_as_noise_v": 3.33e-3,
        "noise_v": 4.44e-3,
        "transmit_taps": [-0.05, 0.85, -0.1],
        "decision_taps_v": [0.012, -0.0034],
        "gain_db": -5.5,
        "limits": [{"sentence": "Eye height 41.1 mV: holds"}],
        "doubts": ["the data end at 30 GHz"],
        **more,
    }


def test_an_eye_in_words(capsys: pytest.CaptureFixture[str]) -> None:
    link_answers.print_eye(eye_data())
    assert capsys.readouterr().out.splitlines() == [
        "Lane 7 at an error rate of 1e-12",
        "  as it is: closed",
        "  best, low: 41.1 mV by 0.250 UI",
        "  best, high: closed",
        "worst case 22.2 mV; signal over all else 9.87 dB (interference 1.11, crosstalk 2.22, "
        "jitter 3.33, noise 4.44 mV)",
        "transmit taps -0.05 0.85 -0.1; gain at 0 Hz -5.5 dB; feedback 12.0 -3.4 mV",
        "Eye height 41.1 mV: holds",
        "but the data end at 30 GHz",
    ]
    link_answers.print_eye(eye_data(decision_taps_v=[], limits=[], doubts=[]))
    assert capsys.readouterr().out.splitlines()[-1].endswith("feedback none mV")


def test_maps_sweeps_bits_and_corners_in_words(capsys: pytest.CaptureFixture[str]) -> None:
    more = {
        "map": {"best": {"before": -0.0512, "gain": -6.0}, "falls_db": 0.345},
        "bits": {
            "symbols": 127,
            "pattern": "PRBS7",
            "eyes": [
                {"height_v": 0.05, "width_ui": 0.6},
                {"height_v": 0.0, "width_ui": 0.1},
                {"height_v": math.nan, "width_ui": 0.1},
            ],
        },
        "sweep": {
            "over": "noise",
            "values": [0.0, 0.004],
            "height_v": [0.04, None],
            "width_ui": [0.51, None],
            "why": ["", "no edge in view"],
        },
        "corners": [{"name": "slow, hot", "height_v": 0.03, "width_ui": 0.4, "why": ""}],
    }
    link_answers.print_eye(eye_data(**more))
    assert capsys.readouterr().out.splitlines()[6:-2] == [
        "best on the map: before -0.0512, gain -6; a step costs 0.34 dB or less",
        "bit by bit, 127 symbols of PRBS7: 50.0 mV by 0.600 UI; closed; closed",
        "  noise 0: 40.0 mV by 0.510 UI",
        "  noise 0.004: no edge in view",
        "  slow, hot: 30.0 mV by 0.400 UI",
    ]


# -- networks


def summary(**more: Any) -> dict[str, Any]:
    return {
        "name": "Card",
        "ports": ["in", "out"],
        "points": 201,
        "from_hz": 1e7,
        "passivity_percent": 99.87654,
        "causality_percent": math.nan,
        "better_order": [],
        "notes": [],
        "doubts": [],
        "limits": [],
        "lane_delays_s": [1.23456e-10, 2.5e-10],
        **more,
    }


def test_a_network_in_words(capsys: pytest.CaptureFixture[str]) -> None:
    networks._print(
        summary(
            parts=[{"lane": 2, "kind": "C", "value": 1.5e-13, "place_s": 120e-12}],
            crosstalk=[
                {
                    "victim": 1, "aggressor": 3, "end": "near", "volts": 0.0123,
                    "place_s": 45e-12, "share": 0.256,
                }
            ],
            lanes=[{"ild_db": 0.456, "icn_v": 0.00789}, {"ild_db": 1.5, "icn_v": math.nan}],
            notes=["cut at 20 GHz"],
            better_order=[1, 3, 2, 4],
            limits=[{"sentence": "Through -3 dB: holds", "where": "at 5 GHz"}],
        )
    )  # fmt: skip
    assert capsys.readouterr().out.splitlines() == [
        "name                 Card",
        "ports                in out",
        "points               201",
        "from_hz              1e+07",
        "passivity_percent    99.8765",
        "better_order         1 3 2 4",
        "lane_delays_s        1.2346e-10 2.5e-10",
        "lane 2: C 1.5e-13 at 120 ps",
        "lane 1 near end from 3: 12.3 mV at 45 ps, 26 %",
        "lane 1: loss deviation 0.456 dB, crosstalk noise 7.89 mV",
        "lane 2: loss deviation 1.5 dB",
        "note: cut at 20 GHz",
        "the order of the ports looks wrong: try --ports '1 3 2 4'",
        "Through -3 dB: holds, at 5 GHz",
    ]


# -- groups


@dataclass(frozen=True)
class _Noise:
    by_lane: tuple[float, ...]


@dataclass(frozen=True)
class _Group:
    """As much of a group's result as its words take."""

    name: str
    lanes: tuple[str, ...]
    near: np.ndarray
    noise: tuple[_Noise, ...]


GROUP = _Group(
    "Byte", ("D0", "DATA1"), np.array([[False, True], [False, False]]),
    (_Noise((0.0, 1.25e-3)), _Noise((2.5e-3, 0.0))),
)  # fmt: skip
LANES = [
    {"noise_v": 1.25e-3, "allowed_v": 3e-3, "loss_db": 1.234, "arrival_spread_s": 5.678e-12},
    {"noise_v": 2.5e-3, "allowed_v": None, "loss_db": 2.345, "arrival_spread_s": 6.789e-12},
]


def test_a_group_in_words(capsys: pytest.CaptureFixture[str]) -> None:
    data = {"lanes": LANES, "limits": [{"sentence": "Peak: holds", "where": "D0"}], "doubts": []}
    coupling._print(GROUP, data)  # type: ignore[arg-type]
    assert capsys.readouterr().out.splitlines() == [
        "Byte: noise at each receiver, mV rms (n near end, f far end)",
        "D0           -   1.250n   together 1.25 mV, allowed 3, loss 1.23 dB, moved by 5.68 ps",
        "DATA1   2.500f        -   together 2.5 mV, loss 2.35 dB, moved by 6.79 ps",
        "Peak: holds (D0)",
    ]


def test_more_of_a_group_in_words(capsys: pytest.CaptureFixture[str]) -> None:
    data = {
        "lanes": LANES,
        "limits": [],
        "eye": {
            "lane": "D0", "error_rate": 1e-15, "height_v": 0.1, "width_s": 2e-10,
            "height_alone_v": 0.2, "width_alone_s": 3e-10,
            "heard": {"all": {"effective_v": 1e-3, "at_error_rate_v": 7e-3, "most_v": 9e-3}},
        },
        "waves": {
            "lane": "D0", "arrival_quiet_s": 4e-10, "arrival_along_s": 3.9e-10,
            "arrival_against_s": 4.2e-10, "heard_at_rest_v": 0.033,
        },
        "bits": {"lane": "D0", "height_v": 0.3, "width_s": 1.5e-10, "level_v": 0.6123},
        "choices": [{"instead": "a guard", "noise_v": [1e-3, 4e-3], "change_db": [-3.0, 1.5]}],
        "split": {"words": "Best 0.2 mm"},
        "search": {"words": "460 um hold"},
        "doubts": ["the planes end"],
    }  # fmt: skip
    coupling._print(GROUP, data)  # type: ignore[arg-type]
    assert capsys.readouterr().out.splitlines()[3:] == [
        "D0 at 1e-15: eye 100.0 mV by 200.0 ps, without neighbours 200.0 mV by 300.0 ps",
        "D0 hears at random 1 mV rms, 7 mV at 1e-15, never more than 9 mV",
        "D0 with devices: arrives after 400.0 ps, along 390.0 ps, against 420.0 ps; hears 33 mV "
        "at rest",
        "D0, 127 bits on all lanes: ones and zeros 300 mV apart, 150.0 ps at 0.612 V",
        "a guard: at worst 4 mV at DATA1, +1.5 dB there",
        "Best 0.2 mm",
        "460 um hold",
        "but the planes end",
    ]


# -- margins


def margin(value: float, normalised: float, **more: Any) -> Margin:
    made = Margin(
        "r", "path", "clk-adc", "overshoot", None, None, "Overshoot", "voltage", value, None, 0.3,
        0.3 - value, normalised, "load", "", "", "sheet",
    )  # fmt: skip
    return replace(made, **more)


def test_margins_are_counted_by_their_state(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr(project, "console", lambda _: Console(width=110))
    some = [
        margin(0.1, 0.67), margin(0.29, 0.03), margin(0.5, -0.67, doubts=("too short a run",)),
        margin(0.6, -1.0), margin(0.7, -1.3), *[margin(math.nan, math.nan)] * 2,
    ]  # fmt: skip
    board = fulmar_project()
    project._print_margins(board, some)
    out = capsys.readouterr().out
    assert out.splitlines()[-1] == "3 of 7 fail, 1 tight, 2 could not be computed"
    assert "ADC sample clock, Overshoot: too short a run" in out
    rows = [line.split("│")[1:-1] for line in out.splitlines() if line.startswith("│")]
    cells = [[c.strip() for c in row] for row in rows]
    assert [c[5] for c in cells] == [
        "holds", "tight", "fails", "fails", "fails", "unknown", "unknown",
    ]  # fmt: skip
    assert cells[0][:5] == ["paths", "ADC sample clock", "Overshoot", "0.100 V", "≤ 0.300 V"]
    project._print_margins(board, some[:1])
    assert capsys.readouterr().out.splitlines()[-1] == "0 of 1 fail, 0 tight"


# -- buses


def case(setup: float, hold: float, **found: Any) -> BusCase:
    return BusCase(
        "DQ3", "DQ3", "S", "w", "Write", "slow", setup, hold, 0.0, 1e-9,
        CaseResult(**{"height": 0.234, "level": 0.567} | found),
    )  # fmt: skip


def test_cases_of_a_bus_in_words(capsys: pytest.CaptureFixture[str]) -> None:
    some = [
        case(-5e-12, 12e-12, why="a slow edge"), case(math.nan, math.nan, failure="no end"),
        case(30e-12, 20e-12),
    ]  # fmt: skip
    print_cases("Byte", some)
    assert capsys.readouterr().out.splitlines() == [
        "Byte: 3 cases, 1 fail, 1 without an answer",
        "  DQ3, Write, slow: set-up -5 ps, hold 12 ps, 234 mV at 567 mV, fails: a slow edge",
        "  DQ3, Write, slow: no end",
        "  DQ3, Write, slow: set-up 30 ps, hold 20 ps, 234 mV at 567 mV, holds",
    ]


def test_strobes_beside_a_clock_in_words(capsys: pytest.CaptureFixture[str]) -> None:
    def one(late: float, moved: float, room: float, failure: str = "") -> Levelled:
        return Levelled("S", "DQS", "w", "Write", "typ", late, moved, room, failure)

    print_clock(
        [one(50e-12, 39e-12, 29e-12), one(41e-12, 0.0, -1e-12), one(3e-12, 0.0, math.inf),
         one(math.nan, math.nan, math.nan, "no edge")]
    )  # fmt: skip
    assert capsys.readouterr().out.splitlines() == [
        "  DQS, Write, typ: no edge",
        "  DQS, Write, typ: the clock comes 41 ps later, −1 ps of room are left, fails",
        "  DQS, Write, typ: the clock comes 50 ps later, the strobe is moved by 39 ps, 29 ps of "
        "room are left, holds",
        "  DQS, Write, typ: the clock comes 3 ps later",
    ]


def test_a_search_and_a_sweep_in_words(capsys: pytest.CaptureFixture[str]) -> None:
    margins = np.array([10e-12, math.nan, 40e-12])
    found = BusSearch(
        ("U", "B"), ("Controller", "Module"), (("a", "x"), ("a", "y"), ("b", "x")), margins,
        margins + 5e-12, margins, 0,
    )  # fmt: skip
    tell_search(found, as_json=False)
    assert capsys.readouterr().out.splitlines() == [
        "Controller b, Module x: 40 ps",
        "now: Controller a, Module x: 10 ps",
        "Controller a, Module y: no answer",
    ]
    swept = BusSweep(
        "strobe", np.array([-0.01, 0.0, 0.01]), np.array([20e-12, -3e-12, math.nan]),
        np.array([7e-12, 30e-12, math.nan]), np.array([0.1, 0.2, math.nan]), ("", "", "no edge"),
    )  # fmt: skip
    tell_sweep(case(-3e-12, 30e-12), swept, as_json=False)
    assert capsys.readouterr().out.splitlines() == [
        "DQ3, Write, all corners, over strobe",
        "  -0.01: set-up 20 ps, hold 7 ps, 100 mV, holds",
        "  0: set-up -3 ps, hold 30 ps, 200 mV, fails",
        "  0.01: no edge",
    ]
