"""What a driver is told to send: counted before it is made."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.engine.devices import switching_of
from onda.errors import NotPhysical, TooLarge
from onda.studies.paths.build import at_device_edge
from onda.studies.paths.elements.branch import BranchItem
from onda.studies.paths.ends import device_at
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import StimulusInputs
from onda.studies.paths.stimulus import edge_commands, first_level_is_high, source_waveform


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"kind": "clock", "frequency": 1e9}, r"1,000,000,000 cycles .* Look at 200 us"),
        ({"kind": "pattern", "rate": 1e10}, r"10,000,000,000 bits .* Look at 20 us"),
    ],
)
def test_too_many_edges_are_refused_with_the_time_that_fits(project, changes, words) -> None:
    inputs = path_inputs(project.design, project.design.path("clk-ref"))
    stimulus = replace(inputs.stimulus, jitter=0.0, **changes)
    long = replace(inputs, stimulus=stimulus, window=1.0)
    with pytest.raises(TooLarge, match=words) as caught:
        edge_commands(long)
    fits = float(str(caught.value).split("Look at ")[1].split(" us")[0]) * 1e-6
    found = edge_commands(replace(long, window=0.01 * fits))
    each = 1.0 / (changes.get("frequency") or changes["rate"])
    # Every bit of the shortened window has its place, the last one too.
    assert found[-1][0] > 0.01 * fits - 10.0 * each


def told(inputs, window: float = 4e-9, **changes: object):
    stimulus = StimulusInputs(**({"kind": "edge"} | changes))
    return edge_commands(replace(inputs, stimulus=stimulus, window=window))


@pytest.fixture(scope="module")
def inputs(project):
    return path_inputs(project.design, project.design.path("clk-ref"))


def test_edges_pulses_clocks_and_bits(inputs) -> None:
    ns = 1e-9
    assert told(inputs) == [(0.0, True)]
    assert told(inputs, falling=True) == [(0.0, False)]
    assert told(inputs, kind="pulse", width=0.3 * ns) == [(0.0, True), (0.3 * ns, False)]
    # Without a width it lasts as long as it is looked at.
    assert told(inputs, kind="pulse", falling=True) == [(0.0, False), (4 * ns, True)]

    def near(edges):
        return [(pytest.approx(t * ns, abs=1e-15), up) for t, up in edges]

    clock = {"kind": "clock", "frequency": 0.5e9, "duty": 0.25}
    assert told(inputs, **clock) == near([(0, True), (0.5, False), (2, True), (2.5, False)])
    # From high the first half is as long as it is low.
    assert told(inputs, **clock, falling=True) == near(
        [(0, False), (1.5, True), (2, False), (3.5, True)]
    )
    # A cycle that does not end in the window is begun in it.
    assert told(inputs, 2.2e-9, **clock) == near([(0, True), (0.5, False), (2, True)])
    bits = {"kind": "bits", "rate": 1e9}
    assert told(inputs, bits="01101", **bits) == near([(0, True), (2, False), (3, True)])
    assert told(inputs, bits="1001", **bits) == near([(0, False), (2, True)])
    # What never changes is an edge at the start.
    assert told(inputs, bits="111", **bits) == [(0.0, False)]
    assert first_level_is_high(replace(inputs, stimulus=StimulusInputs("bits", bits="10")))
    assert not first_level_is_high(replace(inputs, stimulus=StimulusInputs("bits", bits="01")))
    assert first_level_is_high(replace(inputs, stimulus=StimulusInputs("clock", falling=True)))


@pytest.mark.parametrize("falling", [False, True])
def test_a_pattern_is_that_of_seven_stages(inputs, falling: bool) -> None:
    """x^7 + x^6 + 1 by its own recursion, behind one bit at rest."""
    state, bits = [1] * 7, [int(falling)]
    for _ in range(40):
        bits.append(state[-1])
        state = [state[6] ^ state[5], *state[:6]]
    found = told(inputs, 30e-9, kind="pattern", rate=1e9, falling=falling)
    expected = [(k * 1e-9, bool(bits[k + 1])) for k in range(30) if bits[k + 1] != bits[k]]
    assert [up for _, up in found] == [up for _, up in expected]
    assert [t for t, _ in found] == pytest.approx([t for t, _ in expected])


def test_jitter_moves_every_edge_within_its_bounds(inputs) -> None:
    clock = {"kind": "clock", "frequency": 0.5e9}
    plain, moved = (told(inputs, 400e-9, jitter=j, **clock) for j in (0.0, 0.2e-9))
    assert told(inputs, 400e-9, jitter=0.2e-9, **clock) == moved
    off = np.array([b[0] - a[0] for a, b in zip(plain, moved, strict=False)])
    assert [up for _, up in plain[: len(moved)]] == [up for _, up in moved]
    # Of a uniform spread, both ways, as far as it goes.
    assert np.abs(off).max() <= 0.2e-9 * (1.0 + 1e-9)
    assert off.max() > 0.19e-9
    assert off.min() < -0.19e-9
    assert off.std() == pytest.approx(0.2e-9 / math.sqrt(3.0), rel=0.1)
    assert all(t >= 0.0 for t, _ in moved)
    with pytest.raises(NotPhysical, match="half the shortest time between edges"):
        told(inputs, 400e-9, jitter=1.2e-9, **clock)


def test_a_source_rises_and_falls_over_its_edge(inputs) -> None:
    one = replace(inputs, low=-0.1, high=1.1, edge=0.2e-9)
    wave = source_waveform(one, [(0.0, True), (1e-9, False), (2e-9, True)])
    assert wave.time == pytest.approx((0.0, 0.2e-9, 1e-9, 1.2e-9, 2e-9, 2.2e-9))
    assert wave.volts == (-0.1, 1.1, 1.1, -0.1, -0.1, 1.1)
    # Told where it starts, a second rise stays where it is.
    assert source_waveform(one, [(0.0, True)], True).volts == (1.1, 1.1)
    assert source_waveform(one, [], True).volts == (1.1,)
    assert source_waveform(one, [], False).volts == (-0.1,)
    with pytest.raises(NotPhysical, match="shorter than the level, 2e-10 s"):
        source_waveform(one, [(0.0, True), (0.2e-9, False)])


def test_the_edge_is_that_of_whoever_drives(project) -> None:
    """A line with a receiver that can drive: told to, its edge counts, not the driver's."""
    inputs = path_inputs(project.design, project.design.path("mem-ca"))
    slower = path_inputs(project.design, project.design.path("trig")).driver.device
    slow = replace(inputs, edge=9e-9, end=replace(inputs.end, device=slower))
    driver = switching_of(device_at(inputs.driver).buffer).edge
    assert at_device_edge(slow).edge == driver
    other = device_at(slow.end).buffer
    assert switching_of(other).edge > 3.0 * driver
    assert at_device_edge(replace(slow, driving=inputs.end.id)).edge == switching_of(other).edge
    linear = replace(slow, driver=replace(inputs.driver, device=None))
    assert at_device_edge(linear) is linear
    branch = BranchItem("B", (), replace(inputs.end, id="B", device=inputs.driver.device))
    assert at_device_edge(replace(slow, items=(branch,), driving="B")).edge == driver
