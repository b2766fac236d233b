"""The eye of a lane with its neighbours in it, against all lanes' bits one by one."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from onda.errors import InputError
from onda.studies.core.study import Control
from onda.studies.coupling.eye import GROUP_EYE, EyeInputs, eye_inputs
from onda.studies.coupling.group import GROUP, GroupResult


def bit_of(inputs: EyeInputs, result: GroupResult, of: int, time: np.ndarray) -> np.ndarray:
    """What a bit of a lane does at the receiver that is looked at."""
    volts = result.volts[:, inputs.lane, of]
    half = inputs.group.near if result.near[inputs.lane, of] else inputs.group.far
    rise = np.interp(time, result.time, volts)
    late = np.interp(time - 1.0 / inputs.group.rate, result.time, volts, left=0.0)
    return half * (rise - late)


@pytest.mark.parametrize(("group", "lane"), [("memory-byte", "dq3"), ("converter-lanes", "up0")])
def test_contour_against_bits_of_all_lanes(project, group, lane) -> None:
    inputs = eye_inputs(project.design, project.design.group(group), lane, 1e-3)
    inputs = replace(inputs, group=replace(inputs.group, fine=False))
    found = GROUP_EYE.run(inputs, Control())
    result = GROUP.run(inputs.group, Control())
    v, unit, per = inputs.lane, 1.0 / inputs.group.rate, 32
    time = np.arange(float(result.time[0]), 0.95 * float(result.time[-1]), unit / per)

    def bit(of: int) -> np.ndarray:
        return bit_of(inputs, result, of, time)

    rng = np.random.default_rng(11)
    count = 240_000
    own = bit(v)
    middle = int(np.argmax(np.convolve(own, np.ones(per), mode="valid"))) + per // 2
    bits = rng.choice([-1.0, 1.0], count)

    def samples(pulse: np.ndarray, sent: np.ndarray, at: int) -> np.ndarray:
        cursors = pulse[at % per :: per]
        return np.convolve(sent, cursors)[at // per : at // per + count]

    alone = samples(own, bits, middle)
    crowded = alone.copy()
    for a in range(len(result.ids)):
        if a != v:
            # Every sample with another phase: a lane's own clock drifts past all of them.
            each = np.stack(
                [samples(bit(a), rng.choice([-1.0, 1.0], count), k) for k in range(per)]
            )
            crowded += each[rng.integers(0, per, count), np.arange(count)]
    k = len(found.moments) // 2
    for seen, side in ((alone, found.alone), (crowded, found.crowded)):
        ones = np.sort(seen[bits > 0])
        counted = ones[len(ones) // 1000]
        # So many samples leave the quantile so uncertain.
        doubt = ones[len(ones) // 1000 + 36] - ones[len(ones) // 1000 - 36]
        assert side.upper[k] == pytest.approx(counted, abs=doubt + 0.003 * abs(counted))
    assert found.crowded.height < found.alone.height
    assert found.crowded.width <= found.alone.width


def test_rarer_errors_leave_less_and_nonsense_is_refused(project) -> None:
    design = project.design
    group = design.group("memory-byte")
    heights = []
    for rate in (1e-3, 1e-12):
        inputs = eye_inputs(design, group, "dq3", rate)
        inputs = replace(inputs, group=replace(inputs.group, fine=False))
        heights.append(GROUP_EYE.run(inputs, Control()).crowded.height)
    assert heights[1] < heights[0]
    with pytest.raises(InputError, match="no lane 'x'"):
        eye_inputs(design, group, "x")
    for rate in (0.0, 0.7):
        with pytest.raises(InputError, match="error rate"):
            GROUP_EYE.run(replace(eye_inputs(design, group, "dq3"), error_rate=rate), Control())


@pytest.mark.parametrize(("group", "lane"), [("memory-byte", "dq3"), ("converter-lanes", "up0")])
def test_what_is_heard_at_random_against_samples_drawn(project, group, lane) -> None:
    inputs = eye_inputs(project.design, project.design.group(group), lane, 1e-3)
    inputs = replace(inputs, group=replace(inputs.group, fine=False))
    found = GROUP_EYE.run(inputs, Control())
    result = GROUP.run(inputs.group, Control())
    v, unit, per = inputs.lane, 1.0 / inputs.group.rate, 32
    time = np.arange(float(result.time[0]), 0.95 * float(result.time[-1]), unit / per)
    rng = np.random.default_rng(5)
    count = 60_000
    heard = {True: np.zeros(count), False: np.zeros(count)}
    most = {True: 0.0, False: 0.0}
    for a in range(len(result.ids)):
        if a == v:
            continue
        near = bool(result.near[v, a])
        pulse = bit_of(inputs, result, a, time)
        cursors = np.zeros((per, -(-len(pulse) // per)))
        for k in range(per):
            some = pulse[k::per]
            cursors[k, : len(some)] = some
        phase = rng.integers(0, per, count)
        bits = rng.choice([-1.0, 1.0], (count, cursors.shape[1]))
        heard[near] += (bits * cursors[phase]).sum(axis=1)
        most[near] += float(np.abs(cursors).sum(axis=1).max())
    sides = (
        (found.heard, heard[True] + heard[False], most[True] + most[False]),
        (found.heard_near, heard[True], most[True]),
        (found.heard_far, heard[False], most[False]),
    )
    for side, drawn, largest in sides:
        assert side.effective == pytest.approx(drawn.std(), rel=0.02, abs=1e-9)
        sizes = np.sort(np.abs(drawn))
        low, high = (sizes[-k] for k in (95, 32))
        assert low * 0.99 <= side.rare <= high * 1.01 + 1e-9
        # The smallest cursors, together a thousandth, are left out of nothing here.
        assert side.most == pytest.approx(largest, rel=1e-2, abs=1e-9)
        if largest > 0.0:
            middle = float(np.median(sizes))
            chance = np.interp(middle, side.size, 10.0**side.log10)
            assert chance == pytest.approx(0.5, abs=0.02)
