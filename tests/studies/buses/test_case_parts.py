"""What a case of a bus is made of: its waves, where its strobe is taken, which bits count."""

from __future__ import annotations

import math
from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from onda.engine.timing.strobed import Waveform
from onda.errors import NotPhysical
from onda.project.base import set_value
from onda.project.model import Project
from onda.studies.buses import case as parts
from onda.studies.buses.inputs import CaseInputs, WaveInputs, bus_inputs
from onda.studies.core.study import Control
from onda.studies.paths.items import PathInputs

UNIT = 400e-12


@pytest.fixture
def inputs(project: Project) -> CaseInputs:
    bus = project.design.bus("byte0")
    keep = tuple(s for s in bus.signals if s.id in ("DQS0", "DQ6"))
    only = tuple(o for o in bus.operations if o.id == "write-b")
    few = set_value(bus, signals=keep, operations=only, corners=("slow",), bits=32)
    (one,) = bus_inputs(project.design, few).cases
    return one


def test_a_wave_is_the_path_that_sends_its_bits(
    inputs: CaseInputs, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Long enough for two bits more, seen at the die of whoever listens."""
    sent: list[PathInputs] = []
    ends = (SimpleNamespace(id="A", die=3), SimpleNamespace(id="receiver", die=5))

    def run(path: PathInputs) -> Any:
        sent.append(path)
        nodes = {0: "driver", 3: "A", 5: "B"}
        solution = SimpleNamespace(time="time", node=lambda k: nodes[k])
        return SimpleNamespace(solution=solution, built=SimpleNamespace(ends=ends))

    monkeypatch.setattr(parts, "run_path", run)
    wave = replace(inputs.data, count=40, typed="", unit_interval=UNIT, listens="A")
    own = parts._wave.__wrapped__
    assert own(wave) == ("time", "A")
    (path,) = sent
    assert path.window == pytest.approx(42 * UNIT)
    stimulus = path.stimulus
    assert (stimulus.kind, stimulus.bits) == ("bits", wave.bits)
    assert stimulus.rate == pytest.approx(1.0 / UNIT)
    assert own(replace(wave, listens="driver")) == ("time", "driver")
    assert own(replace(wave, listens="receiver")) == ("time", "B")
    with pytest.raises(NotPhysical, match="nobody"):
        own(replace(wave, listens="nobody"))


def waves(
    monkeypatch: pytest.MonkeyPatch, data: np.ndarray, strobe: np.ndarray, time: np.ndarray
) -> None:
    def wave(one: WaveInputs) -> tuple[np.ndarray, np.ndarray]:
        return time, strobe if one.bits.startswith("1010") or one.bits.startswith("0101") else data

    monkeypatch.setattr(parts, "_wave", wave)


def test_the_strobe_is_taken_where_it_is_and_a_single_one_has_its_other_leg(
    inputs: CaseInputs, monkeypatch: pytest.MonkeyPatch
) -> None:
    time = np.arange(0.0, 40.0, 0.01) * UNIT
    leg = 0.6 + 0.3 * np.sin(math.pi * time / UNIT)
    data = np.cos(time / UNIT)
    waves(monkeypatch, data, leg, time)
    unit = replace(inputs.strobe.wave, unit_interval=UNIT)
    pair = replace(inputs.strobe, wave=unit, single=False)
    asked = replace(inputs, strobe=pair, strobe_at=0.25 * UNIT)
    found = parts.case_waves(asked)
    assert found.time == pytest.approx(time)
    assert found.data == pytest.approx(data)
    assert found.strobe_time == pytest.approx(time + 0.25 * UNIT)
    assert found.strobe == pytest.approx(leg)
    assert len(parts.strobe_waves(pair)[2]) == 0
    # A leg less what it was a bit before: twice its swing about zero.
    at, both, own = parts.strobe_waves(replace(pair, single=True))
    assert at is time
    assert own is leg
    later = time > 1.1 * UNIT
    assert both[later] == pytest.approx((0.6 * np.sin(math.pi * time / UNIT))[later], abs=1e-4)


def test_quality_is_of_the_bits_that_count(
    inputs: CaseInputs, monkeypatch: pytest.MonkeyPatch
) -> None:
    """From behind the lead to the last bit but one, against the sheet's levels and the rails."""
    seen: dict[str, Any] = {}

    def quality(data: Waveform, window: tuple[float, float], **more: Any) -> str:
        seen.update(data=data, window=window, **more)
        return "quality"

    monkeypatch.setattr(parts, "wave_quality", quality)
    data = Waveform(np.arange(3.0), np.arange(3.0))
    path = replace(inputs.data.path, low=1.1, high=-0.1)
    asked = replace(
        inputs,
        data=replace(inputs.data, count=50, unit_interval=UNIT, path=path),
        sheet=replace(inputs.sheet, ac=0.15, dc=0.08),
    )
    assert parts._quality(asked, data, 0.56) == "quality"
    assert seen["data"] is data
    assert seen["window"] == pytest.approx((asked.lead * UNIT, 49 * UNIT))
    assert (seen["level"], seen["ac"], seen["dc"]) == (0.56, 0.15, 0.08)
    assert seen["rails"] == (-0.1, 1.1)


def test_without_the_worst_bits_what_is_sent_is_what_is_asked_for(inputs: CaseInputs) -> None:
    assert parts.sent(replace(inputs, worst=False)) == replace(inputs, worst=False)


def test_legs_of_a_strobe_are_looked_at_once_it_has_come_to_its_swing(
    inputs: CaseInputs, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Of a single line: crossings at 0.1 V beside the middle at first, and at 0.02 V later on."""
    unit = inputs.unit_interval
    lead = inputs.lead * unit
    count = inputs.data.count
    time = np.linspace(0.0, count * unit, 40 * count + 1)
    both = np.sin(np.pi * time / unit)
    leg = 0.6 + 0.3 * both + np.where(time < 1.5 * lead, 0.1, 0.02)
    monkeypatch.setattr(parts, "strobe_waves", lambda _: (time, both, leg))
    monkeypatch.setattr(parts, "middle_of_swing", lambda *_: 0.6)
    duty, crossing = parts._strobe_quality(inputs)
    assert duty == pytest.approx((0.5, 0.5), abs=0.02)
    assert crossing == pytest.approx(0.02, abs=1e-3)
    monkeypatch.setattr(parts, "strobe_waves", lambda _: (time, both, np.empty(0)))
    assert math.isnan(parts._strobe_quality(inputs)[1])


def test_a_case_tells_its_swing_and_its_slowest_edge(
    inputs: CaseInputs, monkeypatch: pytest.MonkeyPatch
) -> None:
    timing = SimpleNamespace(
        worst_setup=1.0, worst_hold=2.0, strobe_shift=3.0, centre_level=4.0, height=5.0,
        setup_slew=np.array([7e9, np.nan, 2e9, 9e9]),
    )  # fmt: skip
    decided = SimpleNamespace(timing=lambda _: timing, short=lambda _: (0, 0))
    looked = SimpleNamespace(place=lambda _: 1, own=np.array([0.1, 0.62]))
    eyes = SimpleNamespace(
        look=lambda: looked, decided=lambda level: decided, edges=lambda offset: offset,
        data="data",
    )  # fmt: skip
    monkeypatch.setattr(parts, "sent", lambda asked: asked)
    monkeypatch.setattr(parts, "case_waves", lambda _: "waves")
    monkeypatch.setattr(parts, "CaseEyes", lambda *_: eyes)
    monkeypatch.setattr(parts, "common_place", lambda _: 0.0)
    monkeypatch.setattr(parts, "bits_behind", lambda *_: SimpleNamespace(own=0.23))
    monkeypatch.setattr(parts, "_quality", lambda *_: "quality")
    monkeypatch.setattr(parts, "_strobe_quality", lambda _: ((0.4, 0.6), 0.05))
    monkeypatch.setattr(parts, "why_so", lambda *_: "so")
    found = parts.BUS_CASE.run(inputs, Control())
    assert (found.setup, found.hold, found.shift, found.level) == (1.0, 2.0, 3.0, 0.62)
    assert (found.centre, found.height) == (4.0, 5.0)
    # From one level to the other; half of it is what a bit has of its own.
    assert (found.swing, found.slew) == (pytest.approx(0.46), 2e9)
    assert (found.duty, found.crossing, found.quality) == ((0.4, 0.6), 0.05, "quality")
    assert (found.why, found.looked) == ("so", looked)
