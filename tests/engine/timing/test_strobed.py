"""Set-up, hold and slews on waveforms drawn by hand, and against dense samples."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.timing.strobed import DecidedData, Derating, Sheet, Waveform, lane_timing
from onda.errors import NotPhysical

NS = 1e-9
SHEET = Sheet(0.6, 0.15, 0.1, 0.2, 0.05 * NS, 0.06 * NS)


def wave(*points: tuple[float, float]) -> Waveform:
    time, volts = zip(*points, strict=True)
    return Waveform(NS * np.array(time), np.array(volts))


STROBE = wave((0, -0.6), (1.9, -0.6), (2.1, 0.6), (3.9, 0.6), (4.1, -0.6), (6, -0.6))
DATA = wave((0, 0.2), (1.0, 0.2), (1.4, 1.0), (2.8, 1.0), (3.2, 0.2), (6, 0.2))


def test_one_edge_by_hand() -> None:
    found = lane_timing(DATA, STROBE, SHEET, (1 * NS, 3 * NS))
    (edge,) = found.edges
    assert edge.edge == pytest.approx(2 * NS)
    assert edge.bit == 1
    # 0.8 V in 0.4 ns: 0.75 V at 1.275 ns, 0.7 V on the way down at 2.95 ns.
    assert edge.setup == pytest.approx(0.725 * NS)
    assert edge.hold == pytest.approx(0.95 * NS)
    assert edge.setup_slew == pytest.approx(2e9)
    assert edge.hold_slew == pytest.approx(2e9)
    assert edge.strobe_slew == pytest.approx(6e9)
    assert edge.setup_margin == pytest.approx(0.675 * NS)
    assert edge.hold_margin == pytest.approx(0.89 * NS)
    assert found.strobe_shift == pytest.approx(0.5 * (0.89 - 0.675) * NS)
    assert (found.lowest_one, math.isnan(found.highest_zero)) == (1.0, True)


def test_falling_edges_count_unless_only_rising_ones_are_asked_for() -> None:
    both = lane_timing(DATA, STROBE, SHEET, (0, 6 * NS))
    assert [e.bit for e in both.edges] == [1, 0]
    # The second edge at 4 ns: 0.45 V at 3.075 ns, and no hold.
    assert both.edges[1].setup == pytest.approx(0.925 * NS)
    assert math.isnan(both.edges[1].hold)
    assert both.worst_hold == both.edges[0].hold_margin
    assert both.centre_level == pytest.approx(0.6)
    assert both.height == pytest.approx(0.8)
    rising = lane_timing(DATA, STROBE, SHEET, (0, 6 * NS), edges="rising")
    assert len(rising.edges) == 1


def test_ringing_counts_the_last_crossing_for_setup_and_the_first_for_slew() -> None:
    data = wave(
        (0, 0.2), (1.0, 0.2), (1.2, 0.8), (1.3, 0.72), (1.4, 0.9), (2.8, 0.9), (2.9, 0.68),
        (3.0, 0.75), (3.1, 0.3), (6, 0.3),
    )  # fmt: skip
    (edge,) = lane_timing(data, STROBE, SHEET, (1 * NS, 3 * NS)).edges
    assert edge.setup == pytest.approx((2.0 - (1.3 + 0.1 * 0.03 / 0.18)) * NS)
    # 0.6 to 0.75 V on the first rise, 3 V/ns.
    assert edge.setup_slew == pytest.approx(3e9)
    assert edge.hold == pytest.approx((2.8 + 0.1 * 0.2 / 0.22 - 2.0) * NS)
    # From the last 0.7 V to 0.6 V, 4.5 V/ns.
    assert edge.hold_slew == pytest.approx(4.5e9)


def test_tables_are_linear_between_and_constant_beyond() -> None:
    table = Derating((1e9, 3e9), (4e9, 8e9), ((10e-12, 20e-12), (30e-12, 60e-12)))
    assert table.at(1e9, 4e9) == pytest.approx(10e-12)
    assert table.at(2e9, 6e9) == pytest.approx(30e-12)
    assert table.at(9e9, 1e9) == pytest.approx(30e-12)
    sheet = Sheet(0.6, 0.15, 0.1, 0.2, 0.05 * NS, 0.06 * NS, table, table)
    (edge,) = lane_timing(DATA, STROBE, sheet, (1 * NS, 3 * NS)).edges
    # Slews of 2 and 6 V/ns: 30 ps more are asked for.
    assert edge.setup_margin == pytest.approx((0.675 - 0.03) * NS)
    assert edge.hold_margin == pytest.approx((0.89 - 0.03) * NS)


def test_random_lanes_against_dense_samples() -> None:
    rng = np.random.default_rng(5)
    bits = rng.integers(0, 2, 24)
    times, volts = [0.0], [0.2 + 0.8 * bits[0]]
    for k in range(1, len(bits)):
        times += [k - 0.15 + 0.05 * rng.uniform(), k + 0.1 + 0.05 * rng.uniform()]
        volts += [volts[-1], 0.2 + 0.8 * bits[k]]
    data = Waveform(NS * np.array(times), np.array(volts))
    at = np.arange(0.5, 23.0) + rng.uniform(-0.1, 0.1, 23)
    points: list[tuple[float, float]] = [(0.0, -0.6)]
    for k, t in enumerate(at):
        way = 1 if k % 2 == 0 else -1
        points += [(t - 0.05, -0.6 * way), (t + 0.05, 0.6 * way)]
    strobe = wave(*points)
    found = lane_timing(data, strobe, SHEET, (0.0, 23 * NS))
    assert [e.edge for e in found.edges] == pytest.approx(list(at * NS))
    fine = np.arange(0.0, 24.0, 1e-4) * NS
    dense = np.interp(fine, data.time, data.volts)
    for e in found.edges:
        k = int(np.searchsorted(fine, e.edge))
        level, other = (0.75, 0.7) if e.bit else (0.45, 0.5)
        beyond = dense >= level if e.bit else dense <= level
        rises = np.flatnonzero(~beyond[:-1] & beyond[1:])
        before = rises[rises < k]
        if len(before):
            assert e.setup == pytest.approx(e.edge - fine[before[-1]], abs=3e-13)
        else:
            assert math.isnan(e.setup)
        held = dense > other if e.bit else dense < other
        falls = np.flatnonzero(held[:-1] & ~held[1:])
        after = falls[falls >= k]
        if len(after):
            assert e.hold == pytest.approx(fine[after[0]] - e.edge, abs=3e-13)
        else:
            assert math.isnan(e.hold)


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda: wave((0, 0.0), (0, 1.0)), "rise"),
        (lambda: Waveform(np.array([0.0]), np.array([1.0])), "two or more"),
        (lambda: wave((0, 0.0), (1, math.nan)), "finite"),
        (lambda: Sheet(0.6, 0.0, 0.1, 0.2, 0, 0), "ac_offset"),
        (lambda: Derating((2e9, 1e9), (1e9,), ((0.0,), (0.0,))), "rise"),
        (lambda: Derating((1e9,), (1e9,), ((0.0, 1.0),)), "shape"),
        (lambda: lane_timing(DATA, STROBE, SHEET, (0, 1 * NS)), "no edge"),
        (lambda: lane_timing(DATA, STROBE, SHEET, (0, 6 * NS), edges="all"), "both or rising"),
    ],
)
def test_what_is_no_lane_is_refused(make, words) -> None:
    with pytest.raises(NotPhysical, match=words):
        make()


@pytest.mark.parametrize(
    ("points", "short"),
    [
        # A one above its ac level (0.75 V), then a zero below its own (0.45 V).
        (((1.0, 0.2), (1.4, 1.0), (2.8, 1.0), (3.2, 0.2)), (0, 0)),
        # A one that only comes to 0.74 V: beyond the dc level (0.7 V), short of the ac one.
        (((1.0, 0.2), (1.4, 0.74), (2.8, 0.74), (3.2, 0.2)), (1, 0)),
        # It was at 0.9 V and lies at 0.68 V by the strobe.
        (((1.0, 0.2), (1.2, 0.9), (1.5, 0.68), (2.8, 0.68), (3.2, 0.2)), (0, 1)),
        # It came to its ac level, fell through the reference, and does not come there again.
        (((0.4, 0.2), (0.6, 0.9), (1.0, 0.55), (1.5, 0.72), (2.8, 0.72), (3.2, 0.2)), (1, 0)),
        # The zero stops at 0.52 V: neither level.
        (((1.0, 0.2), (1.4, 1.0), (2.8, 1.0), (3.2, 0.52)), (1, 1)),
        # It gets to its ac level behind the strobe only.
        (((1.0, 0.2), (1.4, 0.72), (2.4, 0.72), (2.5, 0.9), (3.2, 0.2)), (1, 0)),
    ],
)
def test_bits_that_are_not_there_by_the_strobe_are_counted(points, short) -> None:
    data = wave((0, 0.2), *points, (6, points[-1][1]))
    timing = lane_timing(data, STROBE, SHEET, (0, 6 * NS))
    assert [e.bit for e in timing.edges] == [1, 0]
    assert DecidedData(data, SHEET).short(timing) == short
    # Upside down ones are zeros.
    turned = Waveform(data.time, 1.2 - data.volts)
    assert (
        DecidedData(turned, SHEET).short(lane_timing(turned, STROBE, SHEET, (0, 6 * NS))) == short
    )


def test_a_bit_that_lasts_since_before_the_waveform_has_its_level() -> None:
    still = wave((0, 0.74), (6, 0.74))
    timing = lane_timing(still, STROBE, SHEET, (0, 6 * NS))
    assert DecidedData(still, SHEET).short(timing) == (0, 0)
