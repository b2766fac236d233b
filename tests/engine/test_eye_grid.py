"""The eye as a picture against moments worked out one by one, and equalisers against sums."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy.special import ndtr

from onda.engine.links.chain import (
    Chain,
    Trial,
    best_chain,
    decision_taps,
    merit,
    sampling_time,
)
from onda.engine.links.eye_grid import (
    contours,
    eye_grid,
    log10_errors,
    with_jitter,
    with_noise,
)
from onda.engine.links.overlay import _width_and_jitter
from onda.engine.links.sampler import Jitter, Sampler, bathtub, crossings, shaken
from onda.engine.links.statistical import SampledPulse, disturbance
from onda.errors import NotPhysical

UI, PER_UI = 1e-10, 32
PAM4 = (-1.0, -1 / 3, 1 / 3, 1.0)


def pulse(tail: float = 1.4, length: int = 12) -> SampledPulse:
    """A rise and a slow fall; its top lies before the end of the symbol."""
    t = np.arange(length * PER_UI) / PER_UI
    rise = 1.0 - np.exp(-np.maximum(t - 0.5, 0.0) * tail * 2.5)
    late = 1.0 - np.exp(-np.maximum(t - 1.5, 0.0) * tail * 2.5)
    return SampledPulse(0.5 * (rise - late), UI / PER_UI)


def sampler(levels=(-1.0, 1.0), pair=(-1.0, 1.0), **more) -> Sampler:
    p = pulse()
    return Sampler(p, float(np.argmax(p.samples)) * p.step, UI, levels=levels, pair=pair, **more)


def moments(per_ui: int = 64, reach: float = 1.25) -> np.ndarray:
    count = round(reach * per_ui)
    return np.arange(-count, count + 1) / per_ui * UI


@pytest.mark.parametrize("rate", [1e-3, 1e-6, 1e-12, 1e-15])
@pytest.mark.parametrize("number", [0, 1, 2])
def test_contours_are_those_of_single_moments(rate, number) -> None:
    sigma = 0.004
    at = moments()
    grid = eye_grid(sampler(PAM4, (PAM4[2], PAM4[3])), at)
    upper, lower = contours(with_noise(grid.mass, grid.step, sigma), grid.volts, number, rate)
    pair = (PAM4[number], PAM4[number + 1])
    for k in (60, 80, 95):
        one = sampler(PAM4, pair, sigma=sigma).contour(float(at[k]), rate)
        # A thousandth of the main cursor.
        assert upper[k] == pytest.approx(one.upper, abs=5e-4)
        assert lower[k] == pytest.approx(one.lower, abs=5e-4)


def test_errors_at_a_threshold_are_those_of_single_moments() -> None:
    sigma = 0.03
    at = moments()
    grid = eye_grid(sampler(), at)
    noisy = with_noise(grid.mass, grid.step, sigma)
    for threshold in (0.0, 0.05):
        found = log10_errors(noisy, grid.volts, 0, np.full(len(at), threshold))
        compared = 0
        for k in range(36, 124, 4):
            exact = sampler(sigma=sigma, threshold=threshold).log10_errors(float(at[k]))
            if exact < -18.0:
                # Beyond what the picture follows a Gaussian to.
                assert found[k] < -18.0
                continue
            compared += 1
            assert found[k] == pytest.approx(exact, abs=0.05)
        assert compared > 8


def test_noise_on_one_level_is_a_gaussian_to_its_far_end() -> None:
    volts = np.linspace(-1.0, 1.0, 2001)
    mass = np.zeros((1, 1, 2001))
    mass[0, 0, 1000] = 1.0
    sigma = 0.05
    noisy = with_noise(mass, float(volts[1] - volts[0]), sigma)[0, 0]
    below = np.cumsum(noisy)
    for z in (-8.0, -5.0, -2.0, 1.0):
        k = int(np.searchsorted(volts, z * sigma))
        assert below[k - 1] == pytest.approx(ndtr((volts[k] - 5e-4) / sigma), rel=0.02)
    assert noisy.sum() == pytest.approx(1.0)


def test_jitter_mixes_moments_by_their_weights() -> None:
    apart = UI / 64
    ramp = np.linspace(0.0, 1.0, 161)
    mass = np.stack([1.0 - ramp, ramp], axis=-1)[None]
    still = with_jitter(mass, apart, Jitter())
    assert still is mass
    # On a straight slope symmetric jitter changes nothing, but at the ends.
    shaky = with_jitter(mass, apart, Jitter(0.02 * UI, 0.1 * UI, 0.05 * UI, 0.03 * UI))
    assert shaky[0, 40:120] == pytest.approx(mass[0, 40:120], abs=1e-9)
    # On a bend it takes the mean of both places.
    bend = np.abs(np.arange(161) - 80.0)
    two = with_jitter(np.stack([bend, bend], -1)[None], apart, Jitter(dual_dirac=8 * apart))
    assert two[0, 80, 0] == pytest.approx(4.0)
    assert two[0, 60, 0] == pytest.approx(20.0)


def test_places_of_all_kinds_of_jitter_add_up() -> None:
    places, weights = Jitter(0.0, 2.0, 0.0, 1.0).places()
    assert sorted(places) == pytest.approx([-1.5, -0.5, 0.5, 1.5])
    assert weights == pytest.approx([0.25] * 4)
    places, weights = Jitter(0.0, 0.0, 3.0).places()
    assert float((weights * places**2).sum()) == pytest.approx(4.5, rel=1e-3)


@pytest.mark.parametrize("jitter", [Jitter(), Jitter(0.01 * UI, 0.06 * UI, 0.02 * UI)])
def test_a_picture_has_the_width_of_the_bathtub(jitter) -> None:
    at = moments(128)
    one = sampler(sigma=0.01)
    grid = eye_grid(sampler(), at)
    still = log10_errors(with_noise(grid.mass, grid.step, 0.01), grid.volts, 0, np.zeros(len(at)))
    shown = at[np.abs(at) <= 0.75 * UI]
    ours = crossings(shown, shaken(shown, at, still, jitter), 1e-12)
    exact = crossings(*bathtub(one, jitter), 1e-12)
    assert ours.width == pytest.approx(exact.width, abs=0.002 * UI)


def test_what_crosstalk_adds_closes_the_picture() -> None:
    p = pulse()
    other = disturbance(SampledPulse(0.1 * p.samples, p.step), UI)
    at = moments(32)
    plain, crowded = (eye_grid(sampler(extra=extra), at) for extra in (None, other))
    k = len(at) // 2
    heights = []
    for grid in (plain, crowded):
        upper, lower = contours(grid.mass, grid.volts, 0, 1e-9)
        heights.append(float(upper[k] - lower[k]))
    assert heights[0] - heights[1] == pytest.approx(2 * np.abs(other.values).max(), rel=0.1)


# ---- equalisers


def test_transmit_taps_shift_and_add_pulses() -> None:
    p = pulse()
    made = Chain(taps=(-0.1, 0.7, -0.2), main=1).behind_all(p, UI)
    for k in (40, 90, 200):
        expected = -0.1 * p.samples[k] + 0.7 * p.samples[k - 32]
        expected += -0.2 * p.samples[k - 64] if k >= 64 else 0.0
        assert made.samples[k] == pytest.approx(expected)


def test_peaking_has_its_gain_at_rest_and_above_its_zero() -> None:
    chain = Chain(gain=0.5, zero=2e9, poles=(8e9, 40e9))
    p = SampledPulse(np.concatenate([np.zeros(10), np.ones(64 * PER_UI)]), UI / PER_UI)
    made = chain.behind_continuous(p, UI)
    assert made.samples[60 * PER_UI] == pytest.approx(0.5, rel=1e-3)
    # H = (g + jf / zero) / prod(1 + jf / pole), by a tone.
    f = 4e9
    t = np.arange(400 * PER_UI) * UI / PER_UI
    tone = SampledPulse(np.sin(2 * math.pi * f * t), UI / PER_UI)
    seen = chain.behind_continuous(tone, UI).samples[200 * PER_UI : 400 * PER_UI]
    h = (0.5 + 1j * f / 2e9) / ((1 + 1j * f / 8e9) * (1 + 1j * f / 40e9))
    assert np.abs(seen).max() == pytest.approx(abs(h), rel=5e-3)


def test_decision_taps_take_cursors_off_within_their_limit() -> None:
    cursors = {-1: 0.03, 0: 0.5, 1: 0.2, 2: -0.04, 3: 0.02}
    assert decision_taps(cursors, Chain(decisions=2)) == pytest.approx((0.2, -0.04))
    assert decision_taps(cursors, Chain(decisions=3, limit=0.1)) == pytest.approx(
        (0.05, -0.04, 0.02)
    )
    assert decision_taps(cursors, Chain()) == ()


def test_sampling_lies_half_a_unit_behind_the_crossing() -> None:
    p = pulse()
    at = sampling_time(p, UI)
    early, late = p.at(np.array([at - 0.5 * UI, at + 0.5 * UI]))
    assert early == pytest.approx(late, abs=1e-6)
    assert sampling_time(p, UI, "tallest") == np.argmax(p.samples) * p.step


def test_merit_is_power_over_power() -> None:
    p = pulse()
    other = SampledPulse(0.05 * p.samples, p.step)
    found = merit(Chain(), p, [other], UI, noise=0.01)
    at = sampling_time(p, UI)
    cursors = p.cursors(at, UI)
    main = cursors.pop(0)
    isi = sum(c * c for c in cursors.values())
    heard = float(np.mean([
        sum(c * c for c in other.cursors(k * p.step, UI).values()) for k in range(PER_UI)
    ]))  # fmt: skip
    assert found.main == pytest.approx(main)
    assert found.interference**2 == pytest.approx(isi)
    assert found.crosstalk**2 == pytest.approx(heard, rel=1e-3)
    assert found.db == pytest.approx(10 * math.log10(main**2 / (isi + heard + 1e-4)), abs=0.01)
    four = merit(Chain(), p, [], UI, levels=PAM4)
    two = merit(Chain(), p, [], UI)
    # A third of the height, and five ninths of the power.
    assert two.db - four.db == pytest.approx(10 * math.log10(9 * 5 / 9), abs=0.01)


def test_a_gain_control_raises_what_others_bring_too() -> None:
    """All that comes in is multiplied alike: only noise of the sampler itself counts for less."""
    p = pulse()
    other = SampledPulse(0.05 * p.samples, p.step)
    plain = merit(Chain(), p, [other], UI)
    raised = merit(Chain(gain_to=3.0 * plain.main), p, [other], UI)
    assert raised.main == pytest.approx(3.0 * plain.main)
    assert raised.interference == pytest.approx(3.0 * plain.interference)
    assert raised.crosstalk == pytest.approx(3.0 * plain.crosstalk)
    assert raised.db == pytest.approx(plain.db)


def test_crosstalk_behind_all_equalisers_is_the_sum_of_its_squares() -> None:
    """Taps at both ends and peaking between them, against the pulse that they make."""
    p = pulse()
    rng = np.random.default_rng(6)
    others = [SampledPulse(0.03 * np.hanning(n) * rng.normal(size=n), p.step) for n in (200, 333)]
    chain = Chain(
        (-0.1, 0.7, -0.2), 1, 0.5, 0.25 / UI, (0.25 / UI, 1.0 / UI), (1.0, -0.15, 0.05), 0,
    )  # fmt: skip
    heard = sum(
        float(np.sum(chain.behind_all(other, UI).samples ** 2)) / PER_UI for other in others
    )
    found = merit(chain, p, others, UI)
    assert found.crosstalk == pytest.approx(math.sqrt(heard), rel=1e-5)
    tried = Trial(p, others, UI).merit(chain)
    assert tried.crosstalk == pytest.approx(found.crosstalk)
    assert tried.db == pytest.approx(found.db, abs=1e-3)


def test_jitter_counts_by_the_slope() -> None:
    p = pulse()
    found = merit(Chain(), p, [], UI, jitter=0.01 * UI)
    rng = np.random.default_rng(2)
    at = sampling_time(p, UI)
    moves = rng.normal(0.0, 0.01 * UI, 4000)
    bits = rng.choice([-1.0, 1.0], (4000, 12))
    numbers = np.arange(-2, 10)
    still = bits @ p.at(at + numbers * UI)
    moved = np.array([
        float(b @ p.at(at + m + numbers * UI)) for b, m in zip(bits, moves, strict=True)
    ])  # fmt: skip
    assert found.jitter == pytest.approx(float(np.std(moved - still)), rel=0.1)


def test_the_best_setting_is_the_one_of_most_merit() -> None:
    p = pulse(0.6)
    chains = [Chain(taps=(1.0 - b, -b)) for b in (0.0, 0.1, 0.2, 0.3)]
    chain, found = best_chain(chains, p, [], UI, noise=1e-3)
    values = [merit(c, p, [], UI, noise=1e-3).db for c in chains]
    assert found.db == max(values)
    assert chain == chains[int(np.argmax(values))]
    assert chain != chains[0]
    # Of equal ones the first, which is the one with fewer taps where they are listed so.
    alike = [Chain(), Chain(taps=(1.0, 0.0))]
    assert best_chain(alike, p, [], UI)[0] is alike[0]
    with pytest.raises(NotPhysical):
        best_chain([], p, [], UI)


@pytest.mark.parametrize(
    "values",
    [{"taps": (1.0,), "main": 1}, {"taps": (math.nan,)}, {"decisions": -1}, {"limit": -0.1}],
)
def test_chains_that_cannot_be(values) -> None:
    with pytest.raises(NotPhysical):
        Chain(**values)


def test_what_is_taken_away_for_comparison() -> None:
    chain = Chain((0.9, -0.1), 0, 0.5, 1e9, (1e9, 4e9), decisions=3, limit=0.4)
    assert chain.without_decisions.decisions == 0
    assert chain.without_decisions.poles == chain.poles
    assert chain.without_continuous.poles == ()
    assert chain.without_continuous.decisions == 3
    assert chain.bare == Chain() != chain
    # What every edge adds has no sign of its own.
    assert replace(chain, taps=(-0.1, 0.7, -0.2), main=1).for_edges.taps == (0.1, 0.7, 0.2)
    # A gain control is no equaliser.
    assert replace(chain, gain_to=0.3).bare == Chain(gain_to=0.3)


def test_a_pulse_without_a_crossing_is_sampled_at_its_top() -> None:
    nothing = SampledPulse(np.zeros(3 * PER_UI), UI / PER_UI)
    assert sampling_time(nothing, UI) == 0.0


def test_an_eye_without_crossings_has_no_width_and_no_jitter() -> None:
    width, spread, rms = _width_and_jitter(np.zeros(0))
    assert width == 0.0
    assert np.isnan([spread, rms]).all()
    # Early ones around -0.5, late ones around +0.5: one crowd on the circle.
    width, spread, rms = _width_and_jitter(np.array([-0.45, -0.48, 0.47, 0.44]))
    assert width == pytest.approx(0.44 + 0.45)
    assert spread == pytest.approx(0.05 + 0.06)
    assert rms == pytest.approx(np.std([0.05, 0.02, -0.03, -0.06]))
    assert _width_and_jitter(np.array([0.4]))[0] == pytest.approx(0.9)
    assert _width_and_jitter(np.array([-0.4]))[0] == pytest.approx(0.9)
