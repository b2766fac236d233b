"""Eyes of four levels and of waveforms, against plain sums."""

from __future__ import annotations

import numpy as np
import pytest

from onda.engine.links.codes import gray
from onda.engine.links.eye import mask_hits
from onda.engine.links.masks import Mask, hexagon, largest
from onda.engine.links.overlay import bit_by_bit_eye, eye_of_wave
from onda.engine.links.patterns import prbs
from onda.engine.links.pulse import PulseResponse
from onda.errors import NotPhysical

UI = 100e-12
FOUR = (-1.0, -1.0 / 3.0, 1.0 / 3.0, 1.0)
BENT = (-1.0, -0.4, 0.45, 1.0)


def pulse() -> PulseResponse:
    """A pulse of five symbols, its top in the second one."""
    t = (np.arange(5 * 64) + 0.5) / 64
    x = np.maximum(t - 0.6, 0.0)
    p = (1 - np.exp(-x / 0.3)) * (t < 1.6) + (t >= 1.6) * (
        np.exp((1.0 - x) / 0.3) - np.exp(-x / 0.3)
    )
    return PulseResponse(0.4 * p.reshape(5, 64), UI, 0.9)


def wave_of(p: PulseResponse, symbols: np.ndarray, values: tuple[float, ...]) -> np.ndarray:
    n = p.samples_per_ui
    out = np.full((len(symbols) + len(p.volts)) * n, p.base)
    for k, symbol in enumerate(symbols):
        out[k * n : (k + len(p.volts)) * n] += values[symbol] * p.flat
    return out


@pytest.mark.parametrize("values", [FOUR, BENT])
def test_four_levels_are_measured_as_a_plain_sum_is(values: tuple[float, ...]) -> None:
    p, symbols = pulse(), gray(prbs(11, 4094))
    eye = bit_by_bit_eye(p, symbols, values=values, levels=3000)
    wave = wave_of(p, symbols, values)
    main = int(np.argmax(p.volts[:, eye.phase]))
    at = np.arange(8, len(symbols) - 1)
    volts, sent = wave[at * 64 + eye.phase], symbols[at - main]
    assert len(eye.openings) == 3
    for k, one in enumerate(eye.openings):
        height = volts[sent == k + 1].min() - volts[sent == k].max()
        assert one.height == pytest.approx(height, abs=1e-3)
    for k, mean in enumerate(eye.means):
        assert mean == pytest.approx(volts[sent == k].mean(), abs=2e-3)
    assert eye.height == min(o.height for o in eye.openings)
    assert eye.width == min(o.width for o in eye.openings)
    assert eye.least is min(eye.openings, key=lambda o: o.height)
    assert (eye.level_zero, eye.level_one) == (eye.means[0], eye.means[-1])


def test_widths_and_crossings_belong_to_their_thresholds() -> None:
    """Crossings of each threshold, counted on the waveform itself."""
    p, symbols = pulse(), gray(prbs(9, 1022))
    eye = bit_by_bit_eye(p, symbols, values=BENT, levels=4000)
    wave = wave_of(p, symbols, BENT)
    first = (len(p.volts) - 0) * 64
    part = wave[first - 32 : len(symbols) * 64]
    for one in eye.openings:
        crossed = np.count_nonzero(np.diff(part > one.threshold))
        assert one.crossings.sum() == pytest.approx(crossed, rel=0.02)
    assert len({o.width for o in eye.openings}) > 1


def test_levels_of_fewer_symbols_are_those_of_two() -> None:
    """Of four levels only the outer ones sent, the outer edges are those of two levels."""
    p, bits = pulse(), prbs(9, 1500)
    two = bit_by_bit_eye(p, bits)
    with pytest.raises(NotPhysical, match="level 1 is never sent"):
        bit_by_bit_eye(p, (3 * bits).astype(np.int8), values=FOUR)
    few = np.concatenate([(3 * bits), np.full(40, 1), np.full(40, 2)]).astype(np.int8)
    four = bit_by_bit_eye(p, few, values=FOUR)
    assert four.means[3] == pytest.approx(two.level_one, abs=2e-2)


@pytest.mark.parametrize("values", [(-1.0, 1.0), BENT])
def test_a_waveform_gives_the_eye_of_its_sum(values: tuple[float, ...]) -> None:
    p, bits = pulse(), prbs(11, 4094)
    symbols = bits if len(values) == 2 else gray(bits)
    eye = bit_by_bit_eye(p, symbols, values=values)
    wave = wave_of(p, symbols, values)
    main = int(np.argmax(p.volts[:, eye.phase]))
    start = 8 * 64 + eye.phase - 32
    count = len(symbols) - 12
    made = eye_of_wave(wave[start:], symbols[8 - main : 8 - main + count], UI, 64, values=values)
    # Thresholds lie between means here, between cursors there.
    assert made.height == pytest.approx(eye.height, abs=0.01)
    assert made.means == pytest.approx(eye.means, abs=0.01)
    assert made.base == pytest.approx(p.base, abs=0.01)
    assert made.width == pytest.approx(eye.width, abs=0.02)
    assert made.bits == count
    assert made.density.sum() == pytest.approx(64 * count)


def test_waveforms_that_tell_nothing_are_refused() -> None:
    bits = prbs(7, 100)
    with pytest.raises(NotPhysical, match="waveform"):
        eye_of_wave(np.zeros(99 * 16), bits, UI, 16)
    with pytest.raises(NotPhysical, match="no change"):
        eye_of_wave(np.zeros(101 * 16), bits, UI, 16)


def test_the_hexagon_is_the_polygon_of_its_corners() -> None:
    assert hexagon(0.3, 0.1, 0.2).corners == (
        (-0.3, 0.0), (-0.1, 0.2), (0.1, 0.2), (0.3, 0.0), (0.1, -0.2), (-0.1, -0.2),
    )  # fmt: skip
    assert len(hexagon(0.3, 0.0, 0.2).corners) == 4
    low, high = hexagon(0.3, 0.3, 0.2).reach(np.array([-0.29, 0.0, 0.29, 0.31]))
    assert high == pytest.approx([0.2, 0.2, 0.2, np.nan], nan_ok=True)
    assert low == pytest.approx([-0.2, -0.2, -0.2, np.nan], nan_ok=True)


def test_points_inside_an_arrow_are_told() -> None:
    """A line that turns inwards: what lies in the notch is not inside."""
    arrow = Mask(((-0.4, -0.3), (0.4, 0.0), (-0.4, 0.3), (-0.1, 0.0)))
    inside = arrow.inside(np.array([-0.35, 0.0, 0.3]), np.array([0.0, 0.1, 0.27]))
    assert inside.tolist() == [[False, False, True], [True, True, False], [True, False, False]]


@pytest.mark.parametrize(
    ("corners", "words"),
    [
        (((0.1, 0.1), (0.2, 0.2)), "three or more"),
        (((-0.2, 0.2), (0.2, -0.2), (0.2, 0.2), (-0.2, -0.2)), "crosses itself"),
        (((0.1, 0.1), (0.2, 0.1), (0.2, 0.2)), "around it"),
    ],
)
def test_masks_that_are_none(corners: tuple[tuple[float, float], ...], words: str) -> None:
    with pytest.raises(NotPhysical, match=words):
        Mask(corners)


def test_a_mask_grows_to_the_nearest_edge() -> None:
    mask = Mask(((-0.25, 0.0), (0.0, 0.1), (0.25, 0.0), (0.0, -0.2)))
    x = np.linspace(-0.5, 0.5, 101)
    # Upwards there is room for three times the mask, downwards for one and a half.
    found = largest(mask, lambda m: m.clear_between(x, np.full(101, -0.3), np.full(101, 0.3)))
    assert found == pytest.approx(0.5, abs=1e-5)


def test_each_of_the_eyes_has_hits_of_its_own() -> None:
    p, symbols = pulse(), gray(prbs(11, 4094))
    eye = bit_by_bit_eye(p, symbols, values=(-1.0, -0.6, 0.3, 1.0))
    heights = [o.height for o in eye.openings]
    mask = hexagon(0.1, 0.05, 0.5 * sorted(heights)[1])
    hits, growths = mask_hits(eye, mask)
    assert [g > 0 for g in growths] == [h == max(heights) for h in heights]
    assert [n > 0 for n in hits] == [h != max(heights) for h in heights]


@pytest.mark.parametrize(
    "corners",
    [
        # A corner lies on a side that is no neighbour of its own.
        ((-0.3, -0.2), (0.3, -0.2), (0.3, 0.2), (0.1, -0.2), (-0.3, 0.2)),
        # A side runs back over the one before it.
        ((-0.3, -0.2), (0.3, -0.2), (0.3, 0.3), (0.3, 0.1), (-0.3, 0.2)),
        # The last side runs back over the first.
        ((-0.3, -0.2), (0.3, -0.2), (0.3, 0.2), (-0.3, 0.2), (0.1, -0.2)),
        # A side without a length.
        ((-0.3, -0.2), (0.3, -0.2), (0.3, -0.2), (0.0, 0.2)),
        # Two sides lie on each other for a part of their way.
        ((-0.3, -0.2), (0.3, -0.2), (0.3, 0.2), (0.2, 0.2), (0.2, -0.2), (-0.1, -0.2), (-0.3, 0.2)),
    ],
)
def test_sides_that_meet_beside_their_corners_are_refused(corners) -> None:
    for turned in (corners, tuple(reversed(corners)), corners[2:] + corners[:2]):
        with pytest.raises(NotPhysical, match="crosses itself"):
            Mask(turned)
        with pytest.raises(NotPhysical, match="crosses itself"):
            Mask(tuple((y, x) for x, y in turned))


def test_sides_that_come_near_each_other_are_none_of_that() -> None:
    # The corner stays a hair above the side that it touched before.
    near = ((-0.3, -0.2), (0.3, -0.2), (0.3, 0.2), (0.25, -0.199), (-0.3, 0.4))
    assert Mask(near).inside(np.array([0.25]), np.array([-0.1995]))[0, 0]
    # On from a corner in the same direction.
    Mask(((-0.3, -0.2), (0.0, -0.2), (0.3, -0.2), (0.0, 0.2)))


def test_edges_of_an_eye_are_those_of_all_levels_beyond_it() -> None:
    """Traces at random, some far from their level: nobody says that the next level is nearest."""
    rng = np.random.default_rng(11)
    phases, count = 16, 600
    symbols = rng.integers(0, 4, count).astype(np.int8)
    rows = np.asarray(BENT)[symbols][:, None] + rng.normal(0.0, 0.02, (count, phases + 1))
    # One trace of the highest level and one of the lowest cross all others.
    rows[np.flatnonzero(symbols == 3)[0], 5] = -1.1
    rows[np.flatnonzero(symbols == 0)[0], 9] = 0.9
    eye = eye_of_wave(rows, symbols, UI, phases, values=BENT, levels=4000)
    for j, one in enumerate(eye.openings):
        over, under = rows[symbols > j, :phases], rows[symbols <= j, :phases]
        assert one.high_edge == pytest.approx(over.min(axis=0), abs=2e-3)
        assert one.low_edge == pytest.approx(under.max(axis=0), abs=2e-3)
        assert one.height == pytest.approx(one.high_edge[8] - one.low_edge[8], abs=1e-12)


def test_a_shut_eye_has_no_width() -> None:
    """Traces that cross everywhere: between the last early crossing and the first late one is next
    to nothing."""
    rng = np.random.default_rng(12)
    symbols = np.tile([0, 1], 400).astype(np.int8)
    rows = rng.normal(0.0, 1.0, (800, 17)) + np.where(symbols, 0.1, -0.1)[:, None]
    (opening,) = eye_of_wave(rows, symbols, UI, 16).openings
    assert opening.width == pytest.approx(0.0, abs=2e-3)
    assert opening.height < 0.0
    assert opening.jitter_pp == pytest.approx(1.0, abs=0.1)


def test_where_traces_cross_is_told_as_a_share_of_the_swing() -> None:
    """Traces turn at 0.55 V, on a swing from 0.2 to 1.2 V: at 35 percent of it."""
    symbols = prbs(7, 508)
    level = np.where(symbols, 1.2, 0.2)
    before, after = np.roll(level, 1), np.roll(level, -1)
    x = np.linspace(0.0, 1.0, 17)

    def bent(a: np.ndarray, b: np.ndarray) -> np.ndarray:
        return np.where(a == b, a, 0.55)

    rows = np.stack([
        np.interp(x, (0.0, 0.25, 0.75, 1.0), (bent(p, c), c, c, bent(c, n)))
        for p, c, n in zip(before, level, after, strict=True)
    ])  # fmt: skip
    eye = eye_of_wave(rows, symbols, UI, 16)
    assert eye.crossing_share == pytest.approx(0.35, abs=0.03)
