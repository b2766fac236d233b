"""Statistical eyes against sums over every pattern, and against very many random bits."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from scipy.special import ndtr

from onda.engine.links.equalisers import continuous, forward_taps
from onda.engine.links.sampler import Jitter, Sampler, bathtub, crossings
from onda.engine.links.statistical import (
    Levels,
    SampledPulse,
    contour,
    disturbance,
    exceeded,
    interference,
    size_at,
)
from onda.errors import NotPhysical

UI = 1e-10
SIGMA = 0.01


def pulse(tail: float = 1.2) -> SampledPulse:
    """A rise and a slow fall, 32 samples a bit."""
    t = np.arange(10 * 32) / 32
    rise = 1.0 - np.exp(-np.maximum(t - 0.5, 0.0) * tail * 2.5)
    late = 1.0 - np.exp(-np.maximum(t - 1.5, 0.0) * tail * 2.5)
    return SampledPulse(0.5 * (rise - late), UI / 32)


CURSORS = (0.11, -0.06, 0.04, 0.025, -0.012, 0.006)


@pytest.mark.parametrize("symbols", [(-1.0, 1.0), (-1.0, -1 / 3, 1 / 3, 1.0)])
def test_every_pattern_counts_once(symbols) -> None:
    found = interference(CURSORS, symbols)
    sums = [
        float(np.dot(pattern, CURSORS))
        for pattern in itertools.product(symbols, repeat=len(CURSORS))
    ]
    assert found.weights.sum() == pytest.approx(1.0, abs=1e-12)
    for at in (-0.2, -0.05, 0.0, 0.031, 0.15):
        exact = float(np.mean(ndtr((at - np.array(sums)) / SIGMA)))
        ours = float(np.sum(found.weights * ndtr((at - found.values) / SIGMA)))
        assert ours == pytest.approx(exact, rel=1e-9)


def test_many_cursors_on_a_grid_keep_mean_spread_and_ends() -> None:
    sizes = [0.2 * 0.85**k for k in range(40)]
    found = interference(sizes)
    assert len(found.values) < 40_000
    assert found.weights.sum() == pytest.approx(1.0, abs=1e-12)
    assert np.sum(found.weights * found.values) == pytest.approx(0.0, abs=1e-9)
    spread = math.sqrt(np.sum(found.weights * found.values**2))
    assert spread == pytest.approx(math.sqrt(sum(c**2 for c in sizes)), rel=1e-4)
    assert found.values.max() == pytest.approx(sum(sizes), rel=4e-3)


def test_contour_leaves_the_error_rate_outside() -> None:
    isi, main = interference(CURSORS), 0.5
    for rate in (1e-3, 1e-9, 1e-15):
        found = contour(isi, main, SIGMA, rate, (-1.0, 1.0))
        below = np.sum(isi.weights * ndtr((found.upper - main - isi.values) / SIGMA))
        assert below == pytest.approx(rate, rel=1e-6)
        assert found.lower == pytest.approx(-found.upper, abs=1e-9)
        assert found.height == found.upper - found.lower
    # Without noise and below the rarest pattern it is peak distortion.
    assert contour(isi, main, 0.0, 1e-6, (-1.0, 1.0)).height == pytest.approx(
        2 * (main - sum(map(abs, CURSORS)))
    )


def test_bathtub_without_jitter_is_the_share_of_wrong_samples() -> None:
    p, sampling = pulse(), 1.4 * UI
    moments, log10 = bathtub(Sampler(p, sampling, UI, SIGMA), Jitter())
    for moment in (-0.45 * UI, -0.3 * UI, 0.0, 0.5 * UI):
        cursors = p.cursors(sampling + moment, UI)
        main = cursors.pop(0)
        sums = [
            float(np.dot(bits, list(cursors.values())))
            for bits in itertools.product((-1, 1), repeat=len(cursors))
        ]
        exact = float(np.mean(ndtr((-main - np.array(sums)) / SIGMA)))
        if exact > 1e-200:
            found = float(np.interp(moment, moments, log10))
            assert found == pytest.approx(math.log10(exact), abs=0.02)


def test_jitter_against_random_moments() -> None:
    p, sampling = pulse(), 1.4 * UI
    jitter = Jitter(3e-12, 8e-12, 5e-12)
    moments, log10 = bathtub(Sampler(p, sampling, UI, SIGMA), jitter)
    still, still_log10 = bathtub(Sampler(p, sampling, UI, SIGMA), Jitter(), span=1.2)
    rng = np.random.default_rng(4)
    count = 400_000
    moved = (
        rng.normal(0.0, 3e-12, count)
        + rng.choice([-4e-12, 4e-12], count)
        + 5e-12 * np.cos(rng.uniform(0.0, 2 * np.pi, count))
    )
    some = crossings(moments, log10, 1e-2), crossings(moments, log10, 1e-3)
    for moment in (some[0].left, some[1].left, some[0].right):
        drawn = np.mean(10.0 ** np.interp(moment + moved, still, still_log10))
        assert 10.0 ** np.interp(moment, moments, log10) == pytest.approx(drawn, rel=0.05)
    at = crossings(moments, log10, 1e-12)
    wide = crossings(still, still_log10, 1e-12)
    assert 0.0 < at.width < wide.width - 8e-12
    shut = crossings(moments, np.zeros_like(moments), 1e-12)
    assert shut.width == 0.0


def test_a_feedback_tap_takes_its_cursor_off() -> None:
    p, sampling = pulse(0.6), 1.4 * UI
    first = p.cursors(sampling, UI)[1]
    plain = bathtub(Sampler(p, sampling, UI, SIGMA), Jitter())
    helped = bathtub(Sampler(p, sampling, UI, SIGMA, (first,)), Jitter())
    assert np.interp(0.0, *helped) < np.interp(0.0, *plain) - 1.0


def test_crosstalk_of_free_phase_against_draws() -> None:
    aggressor = SampledPulse(0.05 * pulse().samples, UI / 32)
    found = disturbance(aggressor, UI, phases=32)
    rng = np.random.default_rng(7)
    draws = []
    for _ in range(4000):
        cursors = list(aggressor.cursors(float(rng.uniform(0, UI)), UI).values())
        draws.append(float(np.dot(rng.choice([-1, 1], len(cursors)), cursors)))
    assert found.weights.sum() == pytest.approx(1.0)
    assert math.sqrt(np.sum(found.weights * found.values**2)) == pytest.approx(
        float(np.std(draws)), rel=0.04
    )
    assert found.values.max() == pytest.approx(max(draws), rel=0.05)
    both = Levels.at_rest().plus(found).plus(found)
    assert np.sum(both.weights * both.values**2) == pytest.approx(
        2 * np.sum(found.weights * found.values**2), rel=1e-4
    )


def test_equalisers_against_their_definition() -> None:
    p = pulse().samples
    out = forward_taps(p, (-0.1, 0.8, -0.2), 32)
    padded = np.concatenate([p, np.zeros(64)])
    expected = 0.8 * np.roll(padded, 32) - 0.1 * padded - 0.2 * np.roll(padded, 64)
    assert out == pytest.approx(expected)
    zeros, poles, gain = (-1.1e10,), (-3.1e10, -5.6e10), 0.5
    found = continuous(p, UI / 32, gain, zeros, poles, after=64)
    # The same by a march in steps of a fiftieth of a sample.
    fine = np.interp(np.arange(0, (len(p) - 1) * 50) / 50.0, np.arange(len(p)), p)
    h, a, b = UI / 32 / 50, -poles[0], -poles[1]
    x = y = 0.0
    seen = [0.0]
    for k in range(1, len(fine)):
        u = 0.5 * (fine[k] + fine[k - 1])
        x, before = (x * (1 - 0.5 * a * h) + a * h * u) / (1 + 0.5 * a * h), x
        lead = 0.5 * (x + before) + (x - before) / h / 1.1e10
        y = (y * (1 - 0.5 * b * h) + b * h * lead) / (1 + 0.5 * b * h)
        seen.append(gain * y)
    # H = gain (1 + s/wz) / ((1 + s/a)(1 + s/b)).
    assert found[: len(p) - 1] == pytest.approx(np.array(seen)[::50], abs=3e-5)


@pytest.mark.parametrize(
    ("zeros", "poles", "words"),
    [((), (), "0 poles"), ((-1e10,), (1e10, -2e10), "decaying"), ((), (-1e10, -1e10), "alike")],
)
def test_equalisers_that_cannot_be(zeros, poles, words) -> None:
    with pytest.raises(NotPhysical, match=words):
        continuous(np.ones(8), 1e-12, 1.0, zeros, poles)


def test_rates_and_levels_that_make_no_sense() -> None:
    isi = interference(CURSORS)
    with pytest.raises(NotPhysical, match="error rate"):
        contour(isi, 0.5, 0.0, 0.0, (-1.0, 1.0))
    with pytest.raises(NotPhysical, match="levels"):
        contour(isi, 0.5, 0.0, 1e-3, (1.0, -1.0))


def test_how_often_what_size_is_reached_against_all_sums() -> None:
    cursors = (3e-3, 1.7e-3, -0.6e-3)
    sums = [
        abs(sum(s * c for s, c in zip(signs, cursors, strict=True)))
        for signs in itertools.product((-1.0, 1.0), repeat=3)
    ]
    levels = interference(cursors)
    at, log10 = exceeded(levels, max(sums), 58)
    for size, chance in zip(at, log10, strict=True):
        counted = sum(x >= size * (1 - 1e-9) for x in sums) / 8
        assert 10.0**chance == pytest.approx(counted)
    assert at[0] == 0.0
    assert at[-1] == pytest.approx(5.3e-3)
    assert size_at(levels, 0.25) == pytest.approx(5.3e-3)
    assert size_at(levels, 0.26) == pytest.approx(4.1e-3)
    assert size_at(levels, 1.0) == pytest.approx(0.7e-3)
