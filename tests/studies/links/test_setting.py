"""The eye of a setting over pulses that are drawn: sums that can be made by hand."""

from __future__ import annotations

import math
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from onda.engine.links.chain import Chain
from onda.engine.links.eye_grid import eye_grid
from onda.engine.links.sampler import Jitter, Sampler
from onda.engine.links.statistical import SampledPulse
from onda.studies.links import setting
from onda.studies.links.link_eye import EyeAtRate, Setting
from onda.studies.links.link_grid import StillEye
from onda.studies.links.setting import is_shown, jitter_left, setting_of

UNIT = 100e-12
PER = 64
MAIN, AFTER = 0.4, 0.05


def drawn(edge: float = 0.25) -> SampledPulse:
    """Half a swing for a unit interval, between straight edges, then a step of what rings on."""
    time = np.arange(0.0, 6.0, 1.0 / PER)
    up = np.clip((time - 1.0) / edge + 0.5, 0.0, 1.0)
    down = np.clip((time - 2.0) / edge + 0.5, 0.0, 1.0)
    again = np.clip((time - 3.0) / edge + 0.5, 0.0, 1.0)
    return SampledPulse(MAIN * (up - down) + AFTER * (down - again), UNIT / PER)


def still(levels: tuple[float, ...] = (-1.0, 1.0), edge: float = 0.25) -> StillEye:
    """Sampled in the middle of the bit, out to 1.25 unit intervals on both sides."""
    pair = (levels[-2], levels[-1])
    sampler = Sampler(drawn(edge), 1.5 * UNIT, UNIT, levels=levels, pair=pair)
    moments = np.arange(-80, 81) / 64 * UNIT
    return StillEye(eye_grid(sampler, moments), sampler, 0.0)


def asked(**changes: Any) -> Any:
    made: dict[str, Any] = {
        "jitter": Jitter(), "clock": None, "sine_at": 0.0, "noise": 0.0, "error_rate": 1e-12,
        "sensitivity": 0.0, "offset": 0.0, "channel": SimpleNamespace(unit_interval=UNIT),
    }  # fmt: skip
    return SimpleNamespace(**made | changes)


def made(levels: tuple[float, ...] = (-1.0, 1.0), **changes: Any) -> Setting:
    return setting_of("all", Chain(), still(levels), asked(**changes))


def test_two_cursors_leave_the_one_less_the_other() -> None:
    found = made()
    assert found.name == "all"
    (eye,) = found.eyes
    assert eye.name == "eye"
    height = 2.0 * (MAIN - AFTER)
    step = float(found.volts[1] - found.volts[0])
    assert eye.height == pytest.approx(height, abs=2.1 * step)
    # Three quarters of a unit interval to either side, in the same steps.
    assert len(eye.upper) == len(eye.lower) == len(eye.bathtub) == 97
    middle = 48
    assert eye.upper[middle] == pytest.approx(MAIN - AFTER, abs=1.1 * step)
    assert eye.lower[middle] == pytest.approx(AFTER - MAIN, abs=1.1 * step)
    assert eye.threshold == 0.0
    # An eighth of a bit to either side of a crossing nothing is decided: there it is at zero.
    wide = 1.0 - 2.0 * 0.125 * (1.0 - (MAIN - 2 * AFTER) / MAIN)
    assert eye.width / UNIT == pytest.approx(wide, abs=0.08)
    assert (eye.left, eye.right) == (
        pytest.approx(-0.5 * eye.width, abs=0.02 * UNIT),
        pytest.approx(0.5 * eye.width, abs=0.02 * UNIT),
    )
    assert found.height == eye.height
    assert found.width == eye.width
    # Full height for three quarters of a bit, and straight down to nothing in an eighth each.
    assert eye.area == pytest.approx(height * 0.875 * UNIT, rel=0.02)
    flat = 0.376 * UNIT
    assert abs(eye.tallest) <= flat
    assert found.density.shape == (97, len(found.volts))
    assert found.density.sum(axis=1) == pytest.approx(np.ones(97), rel=1e-5)
    seen = found.volts[found.density[middle] > 0.01]
    sums = np.array([-MAIN - AFTER, AFTER - MAIN, MAIN - AFTER, MAIN + AFTER])
    off = np.abs(seen[:, None] - sums)
    assert off.min(axis=0) == pytest.approx(np.zeros(4), abs=1.1 * step)
    assert off.min(axis=1) == pytest.approx(np.zeros(len(seen)), abs=1.1 * step)


def test_what_the_sampler_needs_and_where_it_decides() -> None:
    plain = made()
    step = float(plain.volts[1] - plain.volts[0])
    needs = made(sensitivity=0.1)
    assert needs.height == pytest.approx(plain.height - 0.1, abs=1e-12)
    assert needs.eyes[0].upper == pytest.approx(plain.eyes[0].upper - 0.05)
    assert needs.eyes[0].lower == pytest.approx(plain.eyes[0].lower + 0.05)
    assert needs.width < plain.width
    high = made(offset=0.1)
    assert high.eyes[0].threshold == pytest.approx(0.1)
    # Twice the smaller side.
    assert high.height == pytest.approx(2.0 * (MAIN - AFTER - 0.1), abs=2.1 * step)
    low = made(offset=-0.1)
    assert low.height == pytest.approx(high.height, abs=2.1 * step)
    assert made(offset=0.5).height < 0.0
    assert made(offset=0.5).width == 0.0


def test_four_levels_have_three_eyes_with_their_own_thresholds() -> None:
    levels = (-1.0, -0.3, 0.4, 1.0)
    found = made(levels)
    assert [e.name for e in found.eyes] == ["lower", "middle", "upper"]
    assert [e.threshold for e in found.eyes] == pytest.approx(
        [-0.65 * MAIN, 0.05 * MAIN, 0.7 * MAIN]
    )
    step = float(found.volts[1] - found.volts[0])
    heights = [apart * MAIN - 2.0 * AFTER for apart in (0.7, 0.7, 0.6)]
    assert [e.height for e in found.eyes] == pytest.approx(heights, abs=2.1 * step)
    assert found.height == found.eyes[2].height
    assert found.density.sum(axis=1) == pytest.approx(np.ones(97), rel=1e-5)
    assert [e.name for e in made((-1.0, 0.0, 1.0)).eyes] == ["0", "1"]


def test_noise_lowers_an_eye_by_its_quantile() -> None:
    """At 1e-6: of two like sums of both levels a Gaussian reaches 4.61 of its rms beyond."""
    plain, noisy = made(error_rate=1e-6), made(error_rate=1e-6, noise=0.01)
    # Half the time the other symbol helps, so that 2e-6 of the lower sum are asked for.
    reach = 4.61138
    assert plain.height - noisy.height == pytest.approx(2.0 * 0.01 * reach, rel=0.03)


def test_jitter_takes_its_places_off_the_width() -> None:
    plain = made()
    shaken = made(jitter=Jitter(dual_dirac=0.2 * UNIT))
    assert plain.width - shaken.width == pytest.approx(0.2 * UNIT, abs=0.03 * UNIT)
    assert shaken.height == pytest.approx(plain.height, rel=0.01)
    # Beyond the flat part it takes of the height as well.
    far = made(jitter=Jitter(dual_dirac=0.9 * UNIT))
    assert far.height < 0.8 * plain.height


def eye(height: float, left: float, right: float) -> EyeAtRate:
    nothing = np.zeros(1)
    return EyeAtRate("e", nothing, nothing, height, left, right, 0.0, 0.0, nothing, 0.0)


def test_a_setting_is_as_good_as_its_worst_eye() -> None:
    eyes = (eye(0.3, -4e-12, 5e-12), eye(0.2, -6e-12, 6e-12), eye(0.4, math.nan, math.nan))
    some = Setting("n", Chain(), eyes[:2], np.zeros(1), np.zeros((1, 1), np.float32))
    assert (some.height, some.width) == (0.2, pytest.approx(9e-12))
    closed = Setting("n", Chain(), eyes, np.zeros(1), np.zeros((1, 1), np.float32))
    assert (closed.height, closed.width) == (0.2, 0.0)


def test_which_moments_are_shown() -> None:
    shown = is_shown(still().grid, UNIT)
    moments = still().grid.moments[shown]
    assert moments[0] == pytest.approx(-0.75 * UNIT)
    assert moments[-1] == pytest.approx(0.75 * UNIT)
    assert len(moments) == 97


# -- what is left of jitter ---------------------------------------------------------------


def test_without_a_clock_all_jitter_is_left() -> None:
    jitter = Jitter(random=1e-12)
    assert jitter_left(asked(jitter=jitter), still()) is jitter


@pytest.mark.parametrize("edge", [0.2, 0.4])
def test_a_clock_sees_the_jitter_that_the_pattern_makes(
    monkeypatch: pytest.MonkeyPatch, edge: float
) -> None:
    """What rings on moves a crossing by its size over the slope of both symbols there."""
    seen: dict[str, Any] = {}

    def recovered(*given: Any, **more: Any) -> Jitter:
        seen.update(given=given, **more)
        return Jitter(random=3e-12)

    monkeypatch.setattr(setting, "recovered", recovered)
    jitter = Jitter(random=1e-12, sine=2e-12)
    found = jitter_left(asked(jitter=jitter, clock="clock", sine_at=5e6), still(edge=edge))
    assert found == Jitter(random=3e-12)
    assert seen["given"] == (jitter, "clock", UNIT)
    assert seen["sine_at"] == 5e6
    # At a crossing symbol 0 rises by MAIN and symbol 1 falls by MAIN less AFTER; the one before
    # them is half way down from AFTER.
    slope = (MAIN + (MAIN - AFTER)) / (edge * UNIT)
    assert seen["pattern"] == pytest.approx(0.5 * AFTER / slope, rel=1e-6)


def test_pattern_jitter_is_never_more_than_half_a_bit(monkeypatch: pytest.MonkeyPatch) -> None:
    flat = SampledPulse(np.full(400, 0.1), UNIT / PER)
    sampler = Sampler(flat, 2.0 * UNIT, UNIT)
    never: Any = SimpleNamespace(sampler=sampler)
    assert setting._pattern_jitter(never, UNIT) == 0.0
    slow = SampledPulse(0.1 + 1e-4 * np.arange(400.0), UNIT / PER)
    tilted: Any = SimpleNamespace(sampler=Sampler(slow, 2.0 * UNIT, UNIT))
    assert setting._pattern_jitter(tilted, UNIT) in (0.0, 0.5 * UNIT)
