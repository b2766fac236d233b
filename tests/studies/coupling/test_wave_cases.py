"""The cases of a lane's waves, each switched as its name says, on a circuit that is drawn."""

from __future__ import annotations

import math
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from onda.errors import InputError
from onda.studies.core.study import Control
from onda.studies.coupling import waves
from onda.studies.coupling.waves import CASES, GROUP_WAVES, GroupWaves, Wave

PS = 1e-12
LEAD, EDGE, DELAY, STEP = 30 * PS, 100 * PS, 400 * PS, 2 * PS
LANES = (("A", True), ("B", True), ("C", False), ("D", True))
VICTIM = 1

Told = tuple[list[list[tuple[float, bool]]], list[bool]]


class Drawn:
    """A ramp at the receiver for each case: later with lanes along, earlier against them."""

    def __init__(self, later: dict[str, float], high: float = 1.0) -> None:
        self.later, self.high = later, high
        self.told: list[Told] = []
        self.sizes: list[tuple[float, float]] = []
        self.hears, self.lead, self.edge = (7, 8, 9, 10), LEAD, EDGE
        self.delay, self.step = DELAY, STEP

    def net(self, commands: Any, starts: Any, end: float) -> tuple[int, str]:
        self.told.append((commands, starts))
        # The first one is only to see how large it would be.
        return len(self.told) - 2, "stimuli"

    def solve(self, net: int, stimuli: str, *, end: float, step: float) -> Any:
        assert stimuli == "stimuli"
        self.sizes.append((end, step))
        time = np.arange(0.0, end, step)
        case = CASES[net]
        if case == "listens":
            volts = 0.1 - 0.04 * np.exp(-(((time - 500 * PS) / (40 * PS)) ** 2))
        else:
            middle = DELAY + LEAD + self.later[case]
            share = np.clip((time - middle) / EDGE + 0.5, 0.0, 1.0)
            volts = 0.1 + (self.high - 0.1) * share
        return SimpleNamespace(time=time, node=lambda die: volts if die == 8 else None)


@pytest.fixture
def run(monkeypatch: pytest.MonkeyPatch) -> Any:
    def made(drawn: Drawn, stated: float | None = None) -> GroupWaves:
        monkeypatch.setattr(waves, "GroupCircuit", lambda *_: drawn)
        monkeypatch.setattr(waves, "solve_transient", drawn.solve)
        monkeypatch.setattr(waves, "check_transient_size", lambda *_: None)
        listener = SimpleNamespace(thresholds=SimpleNamespace(v_meas=stated))
        monkeypatch.setattr(waves, "used", lambda _: (listener, None))
        lanes = tuple(SimpleNamespace(name=n, rightward=way) for n, way in LANES)
        asked: Any = SimpleNamespace(
            group=SimpleNamespace(lanes=lanes), victim=VICTIM, driver=None,
            listener=None if stated is None else "model", driver_pins=(), listener_pins=(),
        )  # fmt: skip
        return GROUP_WAVES.run(asked, Control())

    return made


LATER = {"quiet": 0.0, "along": -25 * PS, "against": 40 * PS}


def test_lanes_that_run_the_same_way_are_switched_as_the_case_says(run: Any) -> None:
    drawn = Drawn(LATER)
    found = run(drawn)
    told = dict(zip(CASES, drawn.told[1:], strict=True))
    rest: list[tuple[float, bool]] = []
    rises, falls = [(0.0, True)], [(0.0, False)]
    # C runs the other way: it is a near end, and no part of what is in step.
    assert told["quiet"] == ([rest, rises, rest, rest], [False] * 4)
    assert told["along"] == ([rises, rises, rest, rises], [False] * 4)
    assert told["against"] == ([falls, rises, rest, falls], [True, False, False, True])
    # While it listens all others rise, whichever way they run.
    assert told["listens"] == ([rises, rest, rises, rises], [False] * 4)
    assert found.lane == "B"
    assert {w.case for w in found.waves} == set(CASES)


def test_arrivals_are_from_the_command_to_the_level(run: Any) -> None:
    drawn = Drawn(LATER)
    found = run(drawn)
    assert (found.low, found.high) == (pytest.approx(0.1), pytest.approx(1.0))
    assert found.level == pytest.approx(0.55)
    for case, late in LATER.items():
        assert found.wave(case).arrives == pytest.approx(DELAY + late, abs=0.01 * PS)
        assert found.wave(case).peak == 0.0
    assert found.spread == pytest.approx(65 * PS, abs=0.02 * PS)
    quiet = found.wave("listens")
    assert math.isnan(quiet.arrives)
    # How far it leaves its level, with its sign.
    assert quiet.peak == pytest.approx(-0.04, rel=1e-3)
    (end, step), *_ = drawn.sizes
    assert set(drawn.sizes) == {(end, step)}
    assert step == STEP
    assert end == pytest.approx(waves._RINGS * DELAY + 4.0 * EDGE + 2.0 * LEAD)


@pytest.mark.parametrize(
    ("stated", "level"), [(0.4, 0.4), (None, 0.55), (0.1, 0.55), (1.0, 0.55), (1.4, 0.55)]
)
def test_the_level_is_what_the_receiver_states_within_its_swing(
    run: Any, stated: float | None, level: float
) -> None:
    found = run(Drawn(LATER), stated)
    assert found.level == pytest.approx(level)
    off = (level - 0.55) / 0.9 * EDGE
    assert found.wave("quiet").arrives == pytest.approx(DELAY + off, abs=0.01 * PS)


@pytest.mark.parametrize("case", ["quiet", "along", "against"])
def test_an_edge_that_never_arrives_is_told(run: Any, case: str) -> None:
    with pytest.raises(InputError, match=r"the edge of B does not reach"):
        run(Drawn(LATER | {case: 1.0}))


def test_the_spread_is_between_the_edges_alone() -> None:
    nothing = np.zeros(1)
    some = (Wave("quiet", nothing, 5.0, 0.0), Wave("listens", nothing, math.nan, 1.0),
            Wave("against", nothing, 7.5, 0.0), Wave("along", nothing, 4.0, 0.0))  # fmt: skip
    assert GroupWaves("A", nothing, 0.5, 0.0, 1.0, some).spread == 3.5
