"""Unlike edges: distributions and extremes against all patterns, eyes against sums of edges."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest

from onda.engine.links.eye_grid import contours, eye_grid
from onda.engine.links.overlay import bit_by_bit_eye
from onda.engine.links.patterns import prbs
from onda.engine.links.peak import peak_distortion
from onda.engine.links.pulse import PulseResponse, pulse_from_step
from onda.engine.links.sampler import Sampler
from onda.engine.links.statistical import SampledPulse
from onda.engine.links.uneven import extreme, seen_by_level
from onda.errors import NotPhysical

FOUR = (-1.0, -0.3, 0.4, 1.0)
CURSORS = {-1: 0.05, 0: 0.8, 1: 0.2, 2: -0.07}
EDGES = {-1: 0.02, 0: 0.11, 1: -0.04, 2: 0.03}
UI = 100e-12


def all_seen(levels: tuple[float, ...]) -> dict[int, list[tuple[float, tuple[float, ...]]]]:
    """What every pattern of five symbols gives, by the sampled level; edge k is from k + 1 to k."""
    out: dict[int, list[tuple[float, tuple[float, ...]]]] = {k: [] for k in range(len(levels))}
    numbers = [2, 1, 0, -1]
    for sent in itertools.product(range(len(levels)), repeat=4):
        s = {k: levels[i] for k, i in zip(numbers, sent, strict=True)}
        volts = math.fsum(CURSORS[k] * s[k] for k in numbers)
        volts += math.fsum(EDGES[k] * 0.5 * abs(s[k] - s[k + 1]) for k in numbers[1:])
        out[sent[2]].append((volts, tuple(s[k] for k in numbers)))
    return out


@pytest.mark.parametrize("levels", [(-1.0, 1.0), FOUR])
def test_extremes_are_those_of_all_patterns(levels: tuple[float, ...]) -> None:
    # The oldest symbol has no edge of its own: what came before it is as it is.
    edges = {k: v for k, v in EDGES.items() if k != 2}
    for k, some in all_seen(levels).items():
        for lowest, of in ((True, min), (False, max)):
            volts, sent = of(some)
            found = extreme(CURSORS, edges, levels, k, lowest=lowest)
            assert found.volts == pytest.approx(volts, abs=1e-12)
            if sum(abs(v - volts) < 1e-12 for v, _ in some) == 1:
                assert tuple(found.sent[j] for j in (2, 1, 0, -1)) == sent


@pytest.mark.parametrize("levels", [(-1.0, 1.0), FOUR])
def test_distributions_have_the_moments_and_ends_of_all_patterns(levels: tuple[float, ...]) -> None:
    edges = {k: v for k, v in EDGES.items() if k != 2}
    others = {k: v for k, v in CURSORS.items() if k}
    found = seen_by_level(others, edges, levels)
    for k, some in all_seen(levels).items():
        every = np.array([volts - CURSORS[0] * levels[k] for volts, _ in some])
        v, w = found[k].values, found[k].weights
        assert w.sum() == pytest.approx(1.0, abs=1e-12)
        assert (v * w).sum() == pytest.approx(every.mean(), abs=1e-9)
        assert (v * v * w).sum() == pytest.approx((every**2).mean(), rel=1e-4)
        near = 6.0 * (v[1] - v[0]) + 2e-3
        assert v[0] == pytest.approx(every.min(), abs=near)
        assert v[-1] == pytest.approx(every.max(), abs=near)
        # A place in the middle of the largest gap has the same share below it.
        order = np.sort(every)
        gap = int(np.argmax(np.diff(order)))
        at = 0.5 * (order[gap] + order[gap + 1])
        assert w[v < at].sum() == pytest.approx((every < at).mean(), abs=1e-9)


def edges_of(rise: float, fall: float, n: int = 6400) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Time, and what one pole each makes of both edges between -1 and 1 V."""
    t = np.arange(n) * UI / 160
    x = np.maximum(t - UI, 0.0)
    return t, 1.0 - 2.0 * np.exp(-x / rise), -1.0 + 2.0 * np.exp(-x / fall)


def summed(bits: np.ndarray, t: np.ndarray, rise: np.ndarray, fall: np.ndarray) -> np.ndarray:
    """Every edge by itself, from a low level."""
    per_ui = 160
    out = np.full(len(bits) * per_ui + len(t), -1.0)
    for k, (old, new) in enumerate(itertools.pairwise(np.concatenate([[0], bits]).tolist())):
        if old != new:
            edge = (rise - rise[0]) if new else (fall - fall[0])
            out[k * per_ui : k * per_ui + len(t)] += edge
            out[k * per_ui + len(t) :] += edge[-1]
    return out


def test_bit_by_bit_is_the_sum_of_its_edges() -> None:
    t, rise, fall = edges_of(20e-12, 45e-12)
    pulse = pulse_from_step(t, rise, UI, samples_per_ui=160, fall=fall, keep=1e-7)
    assert pulse.uneven is not None
    bits = prbs(9, 700)
    wave = summed(bits, t, rise, fall)
    eye = bit_by_bit_eye(pulse, bits, levels=4000)
    at = np.arange(80, len(bits) - 5)
    volts = wave[at * 160 + eye.phase]
    # The bit that a sample carries is the one that tells most.
    heights = []
    for late in range(4):
        sent = bits[at - late]
        heights.append(volts[sent == 1].min() - volts[sent == 0].max())
    assert eye.height == pytest.approx(max(heights), abs=2e-3)
    assert eye.crossing_share > 0.5
    even = bit_by_bit_eye(PulseResponse(pulse.volts, UI, pulse.base), bits)
    assert even.crossing_share == pytest.approx(0.5, abs=0.02)


def test_the_statistical_eye_with_unlike_edges_is_that_of_very_many_bits() -> None:
    t, rise, fall = edges_of(25e-12, 60e-12)
    pulse = pulse_from_step(t, rise, UI, samples_per_ui=160, fall=fall)
    assert pulse.uneven is not None
    bits = prbs(23, 200_000)
    eye = bit_by_bit_eye(pulse, bits, levels=2000)
    step = UI / 160
    at = (np.argmax(pulse.volts[:, eye.phase]) * 160 + eye.phase) * step
    sampler = Sampler(
        SampledPulse(pulse.flat, step), float(at), UI,
        uneven=SampledPulse(pulse.uneven.reshape(-1), step),
    )  # fmt: skip
    grid = eye_grid(sampler, np.array([-1e-15, 0.0, 1e-15]))
    upper, lower = contours(grid.mass, grid.volts, 0, 1e-4)
    one, zero = eye.openings[0].high_edge[80], eye.openings[0].low_edge[80]
    assert upper[1] == pytest.approx(one - eye.base, abs=0.01)
    assert lower[1] == pytest.approx(zero - eye.base, abs=0.01)
    mean_one = float((grid.mass[1, 1] * grid.volts).sum())
    assert mean_one == pytest.approx(eye.level_one - eye.base, abs=2e-3)
    # The two levels are not alike around the middle.
    assert abs(upper[1] + lower[1]) > 0.01


@pytest.mark.parametrize("levels", [(-1.0, 1.0), FOUR])
def test_no_pattern_is_worse_than_that_of_peak_distortion(levels: tuple[float, ...]) -> None:
    rng = np.random.default_rng(5)
    volts = np.zeros((5, 16))
    volts[:, 8] = [0.05, 0.7, 0.2, -0.1, 0.04]
    uneven = np.zeros((5, 16))
    uneven[:, 8] = [0.0, 0.06, 0.03, -0.02, 0.0]
    pulse = PulseResponse(volts, UI, 0.0, uneven)
    peak = peak_distortion(pulse, 8, levels)
    symbols = rng.integers(0, len(levels), 60_000).astype(np.int8)
    eye = bit_by_bit_eye(pulse, symbols, phase=8, values=levels, levels=8000)
    assert eye.height == pytest.approx(peak.height, abs=1e-3)
    again = np.concatenate([symbols[:40], peak.worst_one, symbols[:40]])
    assert bit_by_bit_eye(
        pulse, again, phase=8, values=levels, levels=8000
    ).height >= peak.height - 1e-3  # fmt: skip


def test_a_step_back_must_lead_back() -> None:
    t, rise, fall = edges_of(20e-12, 40e-12)
    with pytest.raises(NotPhysical, match="step back"):
        pulse_from_step(t, rise, UI, fall=fall + 0.2)
