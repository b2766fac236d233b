"""Recovered clocks: the loop followed symbol by symbol, against its closed forms."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.links.clock import ClockRecovery, recovered
from onda.engine.links.sampler import Jitter
from onda.errors import NotPhysical

UI = 100e-12
LOOPS = [ClockRecovery(1, 12e6), ClockRecovery(2, 8e6, 0.7), ClockRecovery(2, 8e6, 2.0)]


def followed(clock: ClockRecovery, phase: np.ndarray) -> np.ndarray:
    """The clock's phase while half of all symbols have an edge."""
    edge = np.random.default_rng(3).random(len(phase)) < 0.5
    return clock.follow(np.where(edge, phase, np.nan), UI)


@pytest.mark.parametrize("clock", LOOPS)
@pytest.mark.parametrize("share", [0.3, 1.0, 3.0])
def test_what_is_left_of_a_sine(clock: ClockRecovery, share: float) -> None:
    frequency = share * clock.bandwidth
    n = 150_000
    phase = np.sin(2.0 * np.pi * frequency * UI * np.arange(n))
    left = (phase - followed(clock, phase))[n // 5 :]
    assert math.sqrt(2.0 * float(np.mean(left**2))) == pytest.approx(
        clock.left(frequency), rel=0.03
    )


@pytest.mark.parametrize("clock", LOOPS)
def test_what_noise_makes_of_the_clock(clock: ClockRecovery) -> None:
    n = 300_000
    noise = np.random.default_rng(4).normal(size=n)
    made = followed(clock, noise)[n // 10 :]
    assert float(made.var()) == pytest.approx(clock.own(1.0 / UI), rel=0.1)


def test_a_ramp_is_followed_by_the_second_order_only() -> None:
    """A frequency that is off leaves w / w0 of phase in the first order, none in the second."""
    n, off = 60_000, 1e-4
    ramp = off * np.arange(n)
    first = ramp - followed(LOOPS[0], ramp)
    gain = 2.0 * math.pi * LOOPS[0].bandwidth * UI
    assert first[n // 2 :].mean() == pytest.approx(off / gain, rel=0.03)
    second = ramp - followed(LOOPS[1], ramp)
    assert abs(second[n // 2 :].mean()) < 0.02 * off / gain


def test_recovered_jitter_adds_what_the_edges_make() -> None:
    clock = LOOPS[0]
    jitter = Jitter(1e-12, 4e-12, 3e-12, 2e-12)
    left = recovered(jitter, clock, UI, sine_at=clock.bandwidth, pattern=2e-12)
    own = clock.own(1.0 / UI)
    assert left.random == pytest.approx(math.sqrt(1e-24 + own * (1e-24 + 4e-24 + 4e-24)))
    assert left.sine == pytest.approx(3e-12 / math.sqrt(2.0))
    assert (left.dual_dirac, left.duty) == (4e-12, 2e-12)
    assert recovered(jitter, clock, UI).sine == 3e-12


@pytest.mark.parametrize("bad", [(3, 1e6, 1.0), (1, 0.0, 1.0), (2, 1e6, 0.0)])
def test_loops_that_are_none(bad: tuple[int, float, float]) -> None:
    with pytest.raises(NotPhysical, match="clock recovery"):
        ClockRecovery(*bad)
    with pytest.raises(NotPhysical, match="symbol rate"):
        ClockRecovery(1, 1e9).own(1.0 / UI)
