"""Numbers read off waveforms of known shape."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.circuits.measure import crossings, first_crossing, measure_edge

T = np.linspace(0.0, 10.0, 10001)


def ringing(overshoot: float, decay: float = 0.5, period: float = 2.0) -> np.ndarray:
    """A step at t = 1 that rings around 1."""
    x = T - 1.0
    k = overshoot / math.exp(-decay * period / 2)
    ring = 1 - k * np.exp(-decay * x) * np.cos(2 * np.pi * x / period)
    rise = np.clip(x / 0.2, 0, 1)
    return np.where(x < 0, 0.0, rise * ring)


def test_crossings_lie_between_samples() -> None:
    wave = np.sin(2 * np.pi * T)
    found = crossings(T, wave, 0.5)
    assert found[:2] == pytest.approx([1 / 12, 5 / 12], abs=1e-4)
    assert len(found) == 20
    assert math.isnan(first_crossing(T, wave, 2.0))


@pytest.mark.parametrize("overshoot", [0.1, 0.3, 0.6])
@pytest.mark.parametrize(("low", "high"), [(0.0, 1.0), (0.0, 1.8), (3.3, 0.0), (-0.4, 0.4)])
def test_overshoot_is_in_volts_whichever_way_the_edge_goes(overshoot, low, high) -> None:
    wave = low + (high - low) * ringing(overshoot)
    m = measure_edge(T, wave, from_level=low, to_level=high, source_half_time=0.5)
    assert m.overshoot == pytest.approx(overshoot * abs(high - low), rel=2e-2)
    assert m.overshoot_time == pytest.approx(2.0, abs=0.15)
    assert 0 < m.undershoot < m.overshoot


def test_ramp_has_neither_overshoot_nor_ring() -> None:
    wave = np.clip((T - 2.0) / 1.0, 0.0, 1.0)
    m = measure_edge(T, wave, from_level=0.0, to_level=1.0, source_half_time=0.5)
    assert m.overshoot == 0.0
    assert m.undershoot == 0.0
    assert m.edge_time == pytest.approx(0.8, abs=1e-3)
    assert m.delay == pytest.approx(2.0, abs=1e-3)
    assert m.settling == pytest.approx(0.45, abs=2e-3)


def test_an_edge_that_never_arrives_is_not_a_number() -> None:
    m = measure_edge(T, np.zeros_like(T), from_level=0.0, to_level=1.0, source_half_time=0.5)
    assert math.isnan(m.delay)
    assert math.isnan(m.edge_time)
    assert math.isnan(m.settling)
    assert m.overshoot == 0.0


def test_an_edge_that_never_settles_says_so() -> None:
    wave = np.where(T > 1.0, 1.0 + 0.2 * np.sin(9 * T), 0.0)
    m = measure_edge(T, wave, from_level=0.0, to_level=1.0, source_half_time=0.5)
    assert math.isnan(m.settling)
    assert m.overshoot == pytest.approx(0.2, rel=1e-2)
