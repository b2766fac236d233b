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
    log_share_below,
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


def test_each_side_of_a_contour_has_its_own_tail() -> None:
    """What leans to one side brings the upper level less far down than the lower one up."""
    isi = Levels(np.array([-0.05, 0.0, 0.2]), np.array([0.3, 0.4, 0.3]))
    found = contour(isi, 0.6, SIGMA, 1e-9, (-1.0 / 3.0, 1.0))
    below = np.sum(isi.weights * ndtr((found.upper - 0.6 - isi.values) / SIGMA))
    above = np.sum(isi.weights * ndtr((isi.values - 0.2 - found.lower) / SIGMA))
    assert (below, above) == (pytest.approx(1e-9, rel=1e-6), pytest.approx(1e-9, rel=1e-6))
    assert found.lower + 0.2 > 0.55 - found.upper + 0.1


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


def test_on_a_grid_means_stay_and_sums_add_up() -> None:
    rng = np.random.default_rng(5)
    parts = []
    for count, size in ((300, 0.1), (90, 0.02)):
        weights = rng.uniform(0.5, 1.0, count)
        values = np.sort(rng.uniform(-size, 0.7 * size, count))
        parts.append(Levels(values, weights / weights.sum()))
    grid, low = parts[0].on_grid(1e-3)
    places = low + 1e-3 * np.arange(len(grid))
    assert grid.sum() == pytest.approx(1.0)
    assert grid @ places == pytest.approx(parts[0].weights @ parts[0].values)
    # A value halfway between two places is on both by halves.
    half, _ = Levels(np.array([0.0, 2.5]), np.array([0.5, 0.5])).on_grid(1.0)
    assert half[:4] == pytest.approx([0.5, 0.0, 0.25, 0.25])

    def mean_and_square(levels: Levels) -> tuple[float, float]:
        mean = float(levels.weights @ levels.values)
        return mean, float(levels.weights @ (levels.values - mean) ** 2)

    both = mean_and_square(parts[0].plus(parts[1]))
    apart = [mean_and_square(p) for p in parts]
    assert both[0] == pytest.approx(apart[0][0] + apart[1][0], rel=1e-6)
    assert both[1] == pytest.approx(apart[0][1] + apart[1][1], rel=1e-4)


def test_what_lies_exactly_at_a_level_is_not_below_it() -> None:
    levels = Levels(np.array([-1.0, 0.0, 1.0]), np.array([0.25, 0.5, 0.25]))
    assert log_share_below(levels, 0.0, 0.0) == pytest.approx(math.log(0.25))
    assert log_share_below(levels, -1.0, 0.0) == -math.inf


def test_every_phase_of_an_aggressor_counts_alike() -> None:
    """A triangle two symbols wide: at a share x of a symbol its cursors are x and 1 - x."""
    triangle = np.interp(np.arange(65) / 32.0, (0.0, 1.0, 2.0), (0.0, 1.0, 0.0))
    found = disturbance(SampledPulse(triangle, UI / 32), UI)
    share = np.arange(16) / 16.0
    wanted = float(np.mean(share**2 + (1.0 - share) ** 2))
    assert np.sum(found.weights * found.values**2) == pytest.approx(wanted, rel=1e-3)
    # One of eight has nearly all of it in one symbol.
    often = found.weights[np.abs(found.values) < 0.06].sum()
    assert often == pytest.approx(0.5 / 16.0, rel=1e-3)


def test_a_size_that_is_there_exactly_is_reached() -> None:
    levels = Levels(np.array([-0.3, 0.3]), np.array([0.5, 0.5]))
    at, log10 = exceeded(levels, 0.9, 10)
    assert at[3] > 0.3
    assert log10[:5] == pytest.approx([0.0, 0.0, 0.0, 0.0, -290.0])


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
