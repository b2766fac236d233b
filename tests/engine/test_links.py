"""Patterns, pulses and eyes: closed forms, brute force, and laws of the eye."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest

from onda.engine.links.eye import Eye, Opening, mask_hits
from onda.engine.links.eye_kernels import lay_over
from onda.engine.links.masks import Mask, hexagon
from onda.engine.links.overlay import bit_by_bit_eye
from onda.engine.links.patterns import PRBS_ORDERS, prbs
from onda.engine.links.peak import peak_distortion
from onda.engine.links.pulse import PulseResponse, pulse_from_step, sampling_phase
from onda.errors import Cancelled, NotPhysical

UI = 100e-12


def channel(
    tau: float, *, delay: float = 0.7 * UI, swing: float = 1.0, echo: float = 0.0
) -> PulseResponse:
    """Pulse response of a one-pole channel with an echo three bits later."""
    t = np.linspace(0.0, 40 * UI, 16001)

    def step(x: np.ndarray) -> np.ndarray:
        return np.where(x > 0, 1 - np.exp(-np.maximum(x, 0) / tau), 0.0)

    y = step(t - UI - delay) + echo * step(t - 4 * UI - delay)
    return pulse_from_step(t, swing * (2 * y - 1), UI, samples_per_ui=64)


@pytest.mark.parametrize("order", [o for o in PRBS_ORDERS if o <= 17])
def test_prbs_is_of_full_length_and_balance(order: int) -> None:
    n = 2**order - 1
    bits = prbs(order, 2 * n)
    assert (bits[:n] == bits[n:]).all()
    assert bits[:n].sum() == 2 ** (order - 1)
    # Every word of `order` bits but the one of zeros comes exactly once.
    windows = np.lib.stride_tricks.sliding_window_view(bits[: n + order - 1], order)
    words = windows @ (1 << np.arange(order))
    assert len(np.unique(words)) == n


def test_prbs_refuses_what_it_does_not_know() -> None:
    with pytest.raises(NotPhysical, match="PRBS order"):
        prbs(8, 10)
    with pytest.raises(NotPhysical, match="bits"):
        prbs(7, 0)


def test_pulse_adds_up_to_the_step() -> None:
    """Sent without end, ones add up to the settled level at every phase."""
    pulse = channel(30e-12)
    assert pulse.volts.sum(axis=0) == pytest.approx(1.0, abs=2e-4)
    assert pulse.base == pytest.approx(0.0, abs=1e-9)


def test_pulse_follows_its_closed_form() -> None:
    tau, delay = 40e-12, 0.7 * UI
    pulse = channel(tau, delay=delay)
    t = np.arange(len(pulse.flat)) * UI / 64 + UI
    x = t - UI - delay
    exact = np.where(x > 0, 1 - np.exp(-np.maximum(x, 0) / tau), 0)
    exact -= np.where(x > UI, 1 - np.exp(-np.maximum(x - UI, 0) / tau), 0)
    assert pulse.flat == pytest.approx(exact, abs=1e-4)


@pytest.mark.parametrize(
    ("time", "step", "ui", "words"),
    [
        (np.linspace(0, 1e-9, 100), np.zeros(100), UI, "no change"),
        (np.linspace(0, 1e-9, 100), np.linspace(0, 1, 100), 0.0, "unit interval"),
        (np.linspace(0, 1e-9, 100), np.linspace(0, 1, 100), UI, "from settled"),
    ],
)
def test_useless_steps_are_refused(time, step, ui, words) -> None:
    with pytest.raises(NotPhysical, match=words):
        pulse_from_step(time, step, ui)


@pytest.mark.parametrize(
    ("tau", "echo"), [(20e-12, 0.0), (60e-12, 0.0), (40e-12, 0.2), (90e-12, -0.15)]
)
def test_peak_distortion_is_the_worst_of_all_patterns(tau: float, echo: float) -> None:
    """Brute force over all patterns of nine bits around the main cursor."""
    pulse = channel(tau, echo=echo)
    short = PulseResponse(pulse.volts[:9], pulse.unit_interval, 0.0)
    peak = peak_distortion(short)
    cursors = short.volts[:, peak.phase]
    others = np.delete(cursors, peak.main)
    lowest = min(
        cursors[peak.main] + float(np.dot(others, signs))
        for signs in itertools.product((-1.0, 1.0), repeat=len(others))
    )
    assert peak.height == pytest.approx(2 * lowest, abs=1e-12)
    sent = 2.0 * peak.worst_one[::-1] - 1.0
    assert float(np.dot(sent, cursors)) == pytest.approx(lowest, abs=1e-12)
    assert peak.worst_one[len(cursors) - 1 - peak.main] == 1


def test_eye_height_is_that_of_brute_force() -> None:
    """Lowest one and highest zero over the whole pattern, by plain convolution."""
    pulse = channel(50e-12, echo=0.1)
    bits = prbs(11, 6000)
    eye = bit_by_bit_eye(pulse, bits)
    wave = np.zeros(len(bits) * 64)
    for k, bit in enumerate(bits):
        stop = min(k * 64 + len(pulse.flat), len(wave))
        wave[k * 64 : stop] += (2.0 * bit - 1.0) * pulse.flat[: stop - k * 64]
    main = int(np.argmax(pulse.volts[:, eye.phase]))
    centres = np.arange(20, len(bits) - 20)
    samples = wave[centres * 64 + eye.phase]
    sent = bits[centres - main]
    height = samples[sent == 1].min() - samples[sent == 0].max()
    assert eye.height == pytest.approx(height, abs=2e-4)


def test_a_clean_channel_gives_a_full_eye() -> None:
    eye = bit_by_bit_eye(channel(2e-12), prbs(9, 3000))
    assert eye.height == pytest.approx(2.0, abs=1e-3)
    assert eye.width > 0.97
    assert eye.jitter_pp < 0.02
    assert eye.crossing_share == pytest.approx(0.5, abs=0.02)
    assert eye.level_one == pytest.approx(1.0, abs=1e-3)
    assert eye.level_zero == pytest.approx(-1.0, abs=1e-3)


def test_slower_channels_close_the_eye() -> None:
    eyes = [bit_by_bit_eye(channel(tau * 1e-12), prbs(11, 4000)) for tau in (10, 30, 60, 100)]
    for measure in ("height", "width"):
        values = [getattr(e, measure) for e in eyes]
        assert values == sorted(values, reverse=True)
    jitter = [e.jitter_pp for e in eyes]
    assert jitter == sorted(jitter)


def test_longer_patterns_never_open_the_eye_and_peak_bounds_it() -> None:
    pulse = channel(70e-12, echo=0.1)
    heights = [bit_by_bit_eye(pulse, prbs(15, n)).height for n in (500, 5000, 30000)]
    assert heights == sorted(heights, reverse=True)
    phase = bit_by_bit_eye(pulse, prbs(7, 500)).phase
    assert heights[-1] >= peak_distortion(pulse, phase).height - 1e-6


def test_density_holds_every_bit_once_in_every_column() -> None:
    eye = bit_by_bit_eye(channel(40e-12), prbs(9, 2000))
    assert eye.density.sum(axis=1) == pytest.approx(eye.bits)
    assert eye.bits == 2000 - channel(40e-12).volts.shape[0]


def laid(table: np.ndarray, bits: list[int], levels: int = 10) -> tuple[np.ndarray, ...]:
    """What the inner loop makes of traces that are looked up by one word of eight bits."""
    phases = table.shape[1] - 1
    part, change = np.zeros((phases, levels + 1)), np.zeros((phases, levels + 1))
    edges = np.array([[[np.inf] * phases, [-np.inf] * phases]] * 2, dtype=np.float32)
    sums, found = np.zeros(2), np.empty((1, 8), dtype=np.float32)
    counts = np.zeros(1, dtype=np.int64)
    tables = np.zeros((1, 256, phases + 1), dtype=np.float32)
    tables[0, : len(table)] = table
    sent = np.array([*bits, 0], dtype=np.int8)
    at = np.array([5.0], dtype=np.float32)
    lay_over(
        sent, 0, len(sent) - 8, 7, 2, 8, 8, tables, at, part, change, edges, sums, found, counts
    )
    density = part[:, :levels] + np.cumsum(change, axis=1)[:, :levels]
    return density, edges, sums, found[0, : counts[0]]


def test_crossings_are_found_where_straight_lines_cross() -> None:
    up, down = [4.0, 4.5, 5.5, 6.0], [6.0, 6.0, 6.0, 2.0]
    *_, found = laid(np.array([up, down]), [0] * 8)
    assert found == pytest.approx([1.5])
    # The ninth bit makes the second word: 00000001.
    _, edges, sums, found = laid(np.array([up, down]), [0] * 8 + [1])
    assert found == pytest.approx([1.5, 2.25])
    assert edges[0] == pytest.approx(np.array([[4.0, 4.5, 5.5]] * 2))
    assert edges[1] == pytest.approx(np.array([[6.0, 6.0, 6.0]] * 2))
    assert sums == pytest.approx([4.5, 6.0])


def test_a_slanted_line_is_spread_evenly() -> None:
    density, *_ = laid(np.array([[0.0, 4.0]]), [0] * 8)
    assert density[0] == pytest.approx([0.25] * 4 + [0.0] * 6)
    density, *_ = laid(np.array([[7.2, 7.4]]), [0] * 8)
    assert density[0, 7] == pytest.approx(1.0)
    density, *_ = laid(np.array([[3.5, 1.25]]), [0] * 8)
    assert density[0] == pytest.approx(
        [0.0, 0.75 / 2.25, 1.0 / 2.25, 0.5 / 2.25] + [0.0] * 6, abs=1e-6
    )


def test_every_trace_is_the_sum_over_its_bits() -> None:
    """Against a plain convolution, sample by sample, at any phase."""
    pulse, bits = channel(45e-12, echo=0.15), prbs(9, 400)
    n, taps = pulse.samples_per_ui, pulse.volts.shape[0]
    wave = np.full((len(bits) + taps) * n, pulse.base)
    for k, bit in enumerate(bits):
        wave[k * n : (k + taps) * n] += (2 * bit - 1) * pulse.flat
    for phase in (None, 10):
        eye = bit_by_bit_eye(pulse, bits, phase=phase)
        centre = sampling_phase(pulse) if phase is None else phase
        assert eye.phase == centre
        main = int(np.argmax(pulse.volts[:, centre]))
        at = np.arange(taps + 1, len(bits))
        volts, sent = wave[at * n + centre], bits[at - main]
        assert eye.height == pytest.approx(
            volts[sent == 1].min() - volts[sent == 0].max(), abs=2e-3
        )
        assert eye.level_one == pytest.approx(volts[sent == 1].mean(), abs=5e-3)
        assert eye.level_zero == pytest.approx(volts[sent == 0].mean(), abs=5e-3)


def test_the_tallest_phase_is_told_from_the_sampling_phase() -> None:
    pulse = channel(110e-12, echo=0.1)
    eye = bit_by_bit_eye(pulse, prbs(11, 6000))
    away, height = eye.openings[0].tallest
    assert height > eye.height
    n = pulse.samples_per_ui
    moved = bit_by_bit_eye(pulse, prbs(11, 6000), phase=(eye.phase + round(away * n)) % n)
    assert moved.height == pytest.approx(height, abs=2e-3)
    assert abs(moved.openings[0].tallest[0]) < 1.5 / n


def test_what_a_short_pattern_does_not_show() -> None:
    volts = np.zeros((12, 16))
    volts[3], volts[4], volts[9] = 1.0, 0.2, -0.05
    pulse = PulseResponse(volts, 1e-10, 0.0)
    assert pulse.unseen(0, 7) == 0.0
    assert pulse.unseen(0, 6) == pytest.approx(0.1)
    assert pulse.unseen(3, 1) == pytest.approx(0.5)
    assert pulse.unseen(0, 12) == 0.0


def test_a_run_can_be_stopped() -> None:
    def stop(share: float) -> None:
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        bit_by_bit_eye(channel(40e-12), prbs(15, 400_000), progress=stop)


def test_mask_shape() -> None:
    mask = hexagon(0.3, 0.1, 0.2)
    low, high = mask.reach(np.array([0.0, 0.1, 0.2, 0.29, 0.4]))
    assert high == pytest.approx([0.2, 0.2, 0.1, 0.01, math.nan], nan_ok=True)
    assert low == pytest.approx(-high, nan_ok=True)


def test_a_hexagon_as_flat_as_it_is_wide_is_a_box() -> None:
    for flat in (0.2, 0.3, 1.0):
        box = hexagon(0.2, flat, 0.1)
        assert sorted(box.corners) == [(-0.2, -0.1), (-0.2, 0.1), (0.2, -0.1), (0.2, 0.1)]
    assert len(hexagon(0.2, 0.19, 0.1).corners) == 6
    assert len(hexagon(0.2, 0.0, 0.1).corners) == 4


def test_mask_hits_and_growth_agree() -> None:
    eye = bit_by_bit_eye(channel(40e-12), prbs(11, 4000))
    small, large = hexagon(0.2, 0.1, 0.2), hexagon(0.49, 0.4, 0.9)
    (hits,), (growth,) = mask_hits(eye, small)
    assert hits == 0
    assert growth > 0
    grown = hexagon(*(0.98 * (1 + growth) * v for v in (0.2, 0.1, 0.2)))
    assert mask_hits(eye, grown)[0] == (0,)
    too_far = hexagon(*(1.06 * (1 + growth) * v for v in (0.2, 0.1, 0.2)))
    assert mask_hits(eye, too_far)[0][0] > 0
    (hits,), (growth,) = mask_hits(eye, large)
    assert hits > 0
    assert growth < 0


def test_eye_refuses_patterns_that_tell_nothing() -> None:
    pulse = channel(40e-12)
    with pytest.raises(NotPhysical, match="memory"):
        bit_by_bit_eye(pulse, prbs(7, 5))
    with pytest.raises(NotPhysical, match="alike"):
        bit_by_bit_eye(pulse, np.ones(400, dtype=np.int8))


def test_eye_reports_progress_and_can_be_stopped() -> None:
    shares: list[float] = []
    bit_by_bit_eye(channel(40e-12), prbs(15, 12000), progress=shares.append)
    assert shares == sorted(shares)
    assert shares[-1] == pytest.approx(1.0)

    def stop(share: float) -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        bit_by_bit_eye(channel(40e-12), prbs(15, 12000), progress=stop)


def test_nothing_crosses_in_a_closed_eye_without_harm() -> None:
    """A channel far too slow still gives finite numbers, and says closed."""
    eye = bit_by_bit_eye(channel(400e-12), prbs(9, 2000))
    assert eye.height < 0
    assert 0.0 <= eye.width < 0.5
    assert math.isfinite(eye.jitter_pp)


@pytest.mark.parametrize("first", [0, 3, 7])
def test_bits_are_sampled_midway_between_the_crossings_of_their_edges(first: int) -> None:
    # Up at once, then down by a half from bit to bit: it rises and is down again a bit later.
    volts = np.zeros(64)
    volts[8 + first :] = 0.5 ** (np.arange(56.0 - first) / 8.0)
    found = sampling_phase(PulseResponse(volts.reshape(-1, 8), 1e-10, 0.0))
    assert (found - first) % 8 in (3, 4)
    # Where there is nothing, nothing is midway.
    assert sampling_phase(PulseResponse(np.zeros((4, 8)), 1e-10, 0.0)) == 0


def test_a_hit_counts_where_the_middle_of_its_cell_lies_inside() -> None:
    """Four levels of 0.1 V around a threshold of 0.05 V, one count in each cell of two phases."""
    flat = np.zeros(2)
    one = Opening(0.05, 0.1, 1.0, 0.0, 0.0, np.zeros(2, np.int64), flat + 0.1, flat)
    eye = Eye(np.ones((2, 4)), -0.15, 0.1, 1e-9, 0.05, 2, 0, (one,), (0.0, 0.1), 0.5)
    # Middles lie 0.15 and 0.05 V below the threshold and as far above it.
    for half, inside in ((0.04, 0), (0.06, 4), (0.14, 4), (0.16, 8)):
        mask = Mask(((-1.0, half), (1.0, half), (1.0, -half), (-1.0, -half)))
        assert mask_hits(eye, mask)[0] == (float(inside),)
    # Phases lie a quarter of a unit interval to either side.
    for half, inside in ((0.24, 0), (0.26, 4)):
        mask = Mask(((-half, 0.06), (half, 0.06), (half, -0.06), (-half, -0.06)))
        assert mask_hits(eye, mask)[0] == (float(inside),)
