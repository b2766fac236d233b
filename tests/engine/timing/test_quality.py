"""Overshoot, ring-back, pulses and duty, on waveforms drawn by hand."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.timing.quality import duty_of, wave_quality
from onda.engine.timing.strobed import Waveform


def wave(*points: tuple[float, float]) -> Waveform:
    """Nanoseconds and volts."""
    return Waveform(np.array([t for t, _ in points]) * 1e-9, np.array([v for _, v in points]))


LEVELS = {"level": 0.5, "ac": 0.2, "dc": 0.1, "rails": (0.0, 1.0)}

# A pulse that goes 0.4 V beyond the upper rail, rings back to 0.65 V, then beyond it by 0.1 V, and
# falls 0.2 V below the lower one.
RINGING = wave(
    (0, 0), (1, 0), (2, 1.4), (3, 0.65), (4, 1.1), (5, 1.0), (6, -0.2), (8, 0), (9, 0), (10, 1),
    (12, 1),
)  # fmt: skip


def test_what_goes_beyond_the_rails() -> None:
    found = wave_quality(RINGING, (0.0, 12e-9), **LEVELS)
    assert found.overshoot == pytest.approx(0.4)
    assert found.undershoot == pytest.approx(0.2)
    # Triangles: from 1.4 V/ns up and 0.75 V/ns down; from 1.2 V/ns down and 0.1 V/ns up.
    assert found.overshoot_area == pytest.approx(0.5 * 0.4 * (0.4 / 1.4 + 0.4 / 0.75) * 1e-9)
    assert found.undershoot_area == pytest.approx(0.5 * 0.2 * (0.2 / 1.2 + 2.0) * 1e-9)
    within = wave_quality(RINGING, (8e-9, 11e-9), **LEVELS)
    assert (within.overshoot, within.undershoot) == (0.0, 0.0)
    assert (within.overshoot_area, within.undershoot_area) == (0.0, 0.0)


def test_stretches_that_touch_the_rail_are_two() -> None:
    """Back at the rail for a moment, and beyond it still where the view ends."""
    touching = wave((0, 0), (1, 1.4), (1.5, 1.0), (2, 1.4))
    found = wave_quality(touching, (0.0, 2e-9), **LEVELS)
    assert found.overshoot_area == pytest.approx(0.5 * 0.4 * (0.4 / 1.4 + 0.5) * 1e-9)


def test_ring_back_is_what_is_left_outside_the_dc_level() -> None:
    found = wave_quality(RINGING, (0.0, 12e-9), **LEVELS)
    # 0.65 V is 0.05 V above the dc level of 0.6 V; the zero behind it stays 0.2 V and more clear.
    assert found.ring_back == pytest.approx(0.05)
    assert found.short == 0
    deeper = wave_quality(RINGING, (0.0, 12e-9), **(LEVELS | {"dc": 0.19}))
    assert deeper.ring_back == pytest.approx(-0.04)
    # Turned over it is the same.
    upside = Waveform(RINGING.time, 1.0 - RINGING.volts)
    assert wave_quality(upside, (0.0, 12e-9), **LEVELS).ring_back == pytest.approx(0.05)


def test_pulses_that_are_too_short_or_too_small() -> None:
    found = wave_quality(RINGING, (0.0, 12e-9), **LEVELS)
    up, down = 1 + 0.5 / 1.4, 5 + 0.5 / 1.2
    assert found.narrowest == pytest.approx((down - up) * 1e-9)
    small = wave((0, 0), (1, 1), (2, 1), (3, 0.4), (4, 0.4), (5, 1), (6, 1), (7, 0), (8, 0))
    found = wave_quality(small, (0.0, 8e-9), **LEVELS)
    # The zero between gets 0.1 V below the reference only.
    assert found.short == 1
    assert found.narrowest == pytest.approx((1.0 + 2 * 0.1 / 0.6) * 1e-9)
    still = wave_quality(wave((0, 1), (1, 1)), (0.0, 1e-9), **LEVELS)
    assert math.isnan(still.ring_back)
    assert math.isnan(still.narrowest)
    assert still.short == 0


def test_duty_of_a_strobe() -> None:
    strobe = wave(
        (0, -1), (0.5, -1), (1.5, 1), (2.5, -1), (3.5, -1), (4.5, 1), (6.5, 1), (7.5, -1),
        (8, -1), (9, 1),
    )  # fmt: skip
    # Up at 1, 4 and 8.5 ns, down at 2 and 7 ns.
    assert duty_of(strobe, (0.0, 9e-9)) == pytest.approx((1 / 3, 3 / 4.5))
    assert duty_of(strobe, (0.0, 5e-9)) == pytest.approx((1 / 3, 1 / 3))
    assert all(map(math.isnan, duty_of(strobe, (1.5e-9, 5e-9))))
