"""A simulated edge laid over that of a device file, from edges that are drawn."""

from __future__ import annotations

import numpy as np
import pytest

from onda.engine.devices.buffer import FixtureWave
from onda.engine.devices.quality import compared, step_along

NS = 1e-9


def edge(time: np.ndarray, middle: float, low: float, high: float) -> np.ndarray:
    """Straight over a nanosecond about its middle."""
    return low + (high - low) * np.clip((time - middle) / NS + 0.5, 0.0, 1.0)


def of_file(low: float, high: float) -> FixtureWave:
    time = np.linspace(0.0, 6 * NS, 601)
    return FixtureWave(
        high > low, 50.0, 0.0, 0.0, tuple(time), tuple(edge(time, 2.5 * NS, low, high))
    )


@pytest.mark.parametrize(("low", "high"), [(0.3, 1.5), (1.5, 0.3), (-0.4, -1.0)])
@pytest.mark.parametrize("wait", [0.0, 0.8 * NS])
def test_the_wait_that_was_cut_off_is_found_and_no_error(
    low: float, high: float, wait: float
) -> None:
    time = np.linspace(0.0, 6 * NS, 1201)
    found = compared(of_file(low, high), time, edge(time, 2.5 * NS - wait, low, high))
    assert found.shift == pytest.approx(wait, abs=2e-12)
    assert found.time == pytest.approx(time + found.shift)
    assert found.error < 5e-3
    assert found.end_error == pytest.approx(0.0, abs=1e-12)


@pytest.mark.parametrize(("low", "high"), [(0.3, 1.5), (1.5, 0.3)])
def test_an_error_is_a_share_of_the_swing_and_told_at_its_end(low: float, high: float) -> None:
    """A bump of 60 mV on the way and 30 mV too much at the end, of a swing of 1.2 V."""
    time = np.linspace(0.0, 6 * NS, 1201)
    ours = edge(time, 2.5 * NS, low, high)
    ours = ours + 0.06 * np.exp(-(((time - 4.0 * NS) / (0.2 * NS)) ** 2))
    ours[time > 5.0 * NS] += 0.03
    found = compared(of_file(low, high), time, ours)
    assert found.error == pytest.approx(0.06 / 1.2, rel=0.01)
    assert found.end_error == pytest.approx(0.03)
    assert found.volts is ours


def test_what_lies_beyond_the_file_is_not_compared() -> None:
    """It ends at 6 ns; a millisecond of nothing behind it is nobody's error."""
    time = np.linspace(0.0, 8 * NS, 1601)
    ours = edge(time, 1.7 * NS, 0.0, 1.0)
    ours[time > 5.3 * NS] = 0.0
    found = compared(of_file(0.0, 1.0), time, ours)
    assert found.shift == pytest.approx(0.8 * NS, abs=2e-12)
    assert found.error < 5e-3


def test_steps_are_as_many_as_asked_and_as_the_edge_needs() -> None:
    time = np.linspace(0.0, 100 * NS, 2001)
    slow = tuple(edge(time, 50 * NS, 0.0, 1.0))
    coarse = step_along(time.tolist(), slow, 10)
    assert coarse < 1 * NS / 4
    fine = step_along(time.tolist(), slow, 100_000)
    assert fine == pytest.approx(100 * NS / 100_000)
    # Twice the edge, twice the step that it needs.
    steeper = tuple(edge(2.0 * time, 100 * NS, 0.0, 1.0))
    assert step_along(time.tolist(), steeper, 10) == pytest.approx(0.5 * coarse, rel=0.1)
