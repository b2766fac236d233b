"""A strobe beside its clock, from edges that are drawn."""

from __future__ import annotations

import math
from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from onda.errors import NotPhysical
from onda.studies.buses import levelling
from onda.studies.buses.levelling import BUS_LEVELLING, Levelled
from onda.studies.core.study import Control

PS = 1e-12
UNIT = 500 * PS


def strobe(late: float, count: int = 12, *, pair: bool = True, silent: bool = False) -> Any:
    """A square wave that rises every two units, from `late` on."""
    wave = SimpleNamespace(unit_interval=UNIT, count=count)
    return SimpleNamespace(wave=wave, late=late, pair=pair, silent=silent)


def drawn(one: Any) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    time = np.arange(-1.0, one.wave.count + 4.0, 0.005) * UNIT
    phase = (time - one.late) / UNIT
    square = np.where(phase < -0.5, -1.0, np.clip(6.0 * np.sin(math.pi * phase), -1.0, 1.0))
    if one.silent:
        return time, np.zeros_like(time), np.zeros_like(time)
    return time, square, 0.6 + 0.4 * square if one.pair else np.empty(0)


@pytest.fixture(autouse=True)
def _drawn(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(levelling, "strobe_waves", drawn)


def beside(clock_at: float, own_at: float, **changes: Any) -> Levelled:
    inputs = {
        "lane": "l0", "lane_name": "Lane 0", "operation": "w", "operation_name": "Write",
        "corner": "slow", "clock": strobe(clock_at), "strobe": strobe(own_at), "step": 0.0,
        "room": 120 * PS,
    }  # fmt: skip
    return BUS_LEVELLING.run(SimpleNamespace(**inputs | changes), Control())


@pytest.mark.parametrize("pair", [True, False])
@pytest.mark.parametrize("ahead", [90.0, -140.0, 620.0])
def test_the_clock_is_later_by_what_lies_between(ahead: float, pair: bool) -> None:
    """Also by more than a bit: the first edges are compared, not the nearest."""
    clock, own = strobe((300 + ahead) * PS, pair=pair), strobe(300 * PS, pair=pair)
    found = beside(0.0, 0.0, clock=clock, strobe=own)
    assert found.late == pytest.approx(ahead * PS, abs=0.01 * PS)
    assert found.moved == 0.0
    assert found.room == pytest.approx((120 - abs(ahead)) * PS, abs=0.01 * PS)
    assert found.left == found.late
    assert (found.lane, found.lane_name, found.operation, found.operation_name, found.corner) == (
        "l0", "Lane 0", "w", "Write", "slow",
    )  # fmt: skip


def test_the_strobe_is_moved_by_whole_steps() -> None:
    found = beside(390 * PS, 300 * PS, step=40 * PS)
    assert found.moved == pytest.approx(80 * PS)
    assert found.left == pytest.approx(10 * PS, abs=0.01 * PS)
    assert found.room == pytest.approx(110 * PS, abs=0.01 * PS)
    early = beside(200 * PS, 290 * PS, step=40 * PS)
    assert early.moved == pytest.approx(-80 * PS)
    assert early.left == pytest.approx(-10 * PS, abs=0.01 * PS)
    assert early.room == pytest.approx(110 * PS, abs=0.01 * PS)


def test_moved_by_other_steps_the_same_is_allowed() -> None:
    found = beside(390 * PS, 300 * PS, step=40 * PS)
    more = found.moved_by(130 * PS)
    assert more.moved == 130 * PS
    assert more.late == found.late
    assert more.room == pytest.approx(80 * PS, abs=0.01 * PS)
    assert found.moved_by(found.moved).room == pytest.approx(found.room)
    assert math.isinf(replace(found, room=math.inf).moved_by(0.0).room)


@pytest.mark.parametrize(
    ("room", "state"),
    [(math.nan, "unknown"), (-1e-15, "fails"), (0.0, "holds"), (math.inf, "holds")],
)
def test_states(room: float, state: str) -> None:
    assert Levelled("l", "L", "o", "O", "typ", room=room).state == state


def test_what_never_rises_is_said() -> None:
    found = beside(0.0, 0.0, strobe=strobe(0.0, silent=True))
    assert found.failure == str(NotPhysical("strobe", "no rising edge", "one or more"))
    assert math.isnan(found.late)
    assert found.state == "unknown"
