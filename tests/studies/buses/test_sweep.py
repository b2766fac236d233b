"""Sweeps of a case: every value is what the bus would be with it."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.buses.bus import Bus, OwnLength
from onda.project.quantities import parse_quantity as q
from onda.studies.buses.bus import BUS
from onda.studies.buses.inputs import bus_inputs
from onda.studies.buses.plan import alone
from onda.studies.buses.sweep import BUS_SWEEP, BUS_SWEEPS, BusSweep, _longer, sweep_inputs
from onda.studies.core.study import Control
from onda.studies.paths.elements.trace import TraceItem


@pytest.fixture(scope="module")
def late(project) -> Bus:
    """The byte whose strobe is too long, in two corners, with few bits."""
    return set_value(project.design.bus("byte1"), corners=("typ", "fast"), bits=40)


def with_lengths(bus: Bus, **lengths: str) -> Bus:
    signals = tuple(
        set_value(s, lengths=(OwnLength(id="T1", length=q(lengths[s.id], "length")),))
        if s.id in lengths
        else s
        for s in bus.signals
    )
    return set_value(bus, signals=signals)


@pytest.mark.parametrize(
    ("over", "value", "lengths"),
    [
        ("strobe", -0.014, {"DQS1": "34 mm"}),
        ("data", 0.004, {"DQ8": "38 mm"}),
        ("both", 0.01, {"DQS1": "58 mm", "DQ8": "44 mm"}),
    ],
)
def test_a_length_is_that_of_the_bus_with_it(project, late, over, value, lengths) -> None:
    inputs = sweep_inputs(project.design, late, "write-b", "DQ8", over, [0.0, value])
    found = BUS_SWEEP.run(inputs, Control())
    for k, bus in enumerate((late, with_lengths(late, **lengths))):
        only = alone(bus, "write-b", "DQ8")
        expected = BUS.run(bus_inputs(project.design, only), Control())
        assert found.setup[k] == pytest.approx(expected.least("setup"), abs=1e-15)
        assert found.hold[k] == pytest.approx(expected.least("hold"), abs=1e-15)
        assert found.height[k] == pytest.approx(expected.least("height"))
    assert found.setup[0] != pytest.approx(found.setup[1], abs=1e-12)
    assert found.why == ("", "")


def test_another_rate_is_the_bus_at_it(project, late) -> None:
    inputs = sweep_inputs(project.design, late, "write-b", "DQ8", "speed", [0.75])
    found = BUS_SWEEP.run(inputs, Control())
    slower = set_value(alone(late, "write-b", "DQ8"), rate=q("1.8 Gb/s", "data rate"))
    expected = BUS.run(bus_inputs(project.design, slower), Control())
    assert found.setup[0] == pytest.approx(expected.least("setup"), abs=2e-13)
    assert found.hold[0] == pytest.approx(expected.least("hold"), abs=2e-13)
    assert found.height[0] == pytest.approx(expected.least("height"), abs=1e-4)


def test_a_clock_keeps_its_place_at_another_rate(project) -> None:
    bus = project.design.bus("byte0")
    inputs = sweep_inputs(project.design, bus, "address-a", "A1", "speed", [0.5])
    (one, *_), (now, *_) = inputs.at(0.5).cases, inputs.present.cases
    assert one.unit_interval == pytest.approx(2 * now.unit_interval)
    assert one.strobe.wave.unit_interval == pytest.approx(2 * now.strobe.wave.unit_interval)
    assert one.strobe_at == pytest.approx(0.5 * one.unit_interval)


def test_the_usual_values_have_the_present_one(project, late) -> None:
    for name, sweep in BUS_SWEEPS.items():
        inputs = sweep_inputs(project.design, late, "write-b", "DQ8", name)
        assert inputs.values == sweep.values
        assert sweep.now in sweep.values
        assert inputs.at(sweep.now).cases == inputs.present.cases


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("write-b", "DQ8", "colour"), "a sweep over 'colour'"),
        (("write-x", "DQ8", "strobe"), "no operation 'write-x'"),
        (("write-b", "DQ99", "strobe"), "Write B does not take 'DQ99'"),
        (("write-b", "DQ8", "speed", [0.01]), "1 values of rate"),
        (("write-b", "DQ8", "strobe", [math.inf]), "1 values of strobe"),
        (("write-b", "DQ8", "strobe", [0.0] * 102), "102 values"),
        (("write-b", "DQ8", "strobe", [-0.048]), "48 mm of line cannot be 48 mm shorter"),
    ],
)
def test_what_cannot_be_swept_is_refused_before_it_runs(project, late, arguments, words) -> None:
    with pytest.raises(InputError, match=words):
        sweep_inputs(project.design, late, *arguments)


def test_where_it_holds() -> None:
    some = np.array([10.0, -1.0, 5.0, math.nan, 3.0])
    found = BusSweep("strobe", np.arange(5.0), some, some + 2.0, some + 1.0, ("",) * 5)
    assert found.holds.tolist() == [True, False, True, False, True]
    closed = replace(found, height=np.array([1.0, 1.0, -0.1, 1.0, 0.0]))
    assert closed.holds.tolist() == [True, False, False, False, True]


def test_the_longest_piece_of_a_net_is_the_one_that_grows(project, late) -> None:
    """Of a net of several pieces the others stay as they are."""
    case = bus_inputs(project.design, late).cases[0]
    path = case.data.path
    (trace, *_) = [i for i in path.items if isinstance(i, TraceItem)]
    short = replace(trace, id="S", length=0.3 * trace.length)
    wave = replace(case.data, path=replace(path, items=(short, *path.items)))
    longer = _longer(wave, 0.004)
    lengths = {i.id: i.length for i in longer.path.items if isinstance(i, TraceItem)}
    assert lengths["S"] == short.length
    assert lengths[trace.id] == pytest.approx(trace.length + 0.004)
