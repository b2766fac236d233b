"""Whether networks can be trusted, which port goes where, and what remedies do."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.coupled_lines import lossless_coupled
from onda.engine.lines import CapacitancePart, Line
from onda.engine.networks.algebra import passivity
from onda.engine.networks.ports import (
    find_sides,
    find_through,
    halves_order,
    judge_order,
    odd_even_order,
    order_words,
    suggest_order,
)
from onda.engine.networks.quality import causality_percent, doubts, level_of, quality_of
from onda.engine.networks.remedies import causal, passive, reciprocal
from onda.engine.networks.time_domain import Edge, impulse_response

F = np.arange(1, 801) * 2.5e7


def lossy(delay: float = 8e-10) -> np.ndarray:
    made = Line(55.0 * 5e-9, (CapacitancePart(5e-9 / 55.0),), r_dc=2.0, k_skin=4e-4)
    return np.asarray(made.s_parameters(F, delay / 5e-9))


def pair() -> np.ndarray:
    inductance = np.array([[3.0e-7, 0.6e-7], [0.6e-7, 3.0e-7]])
    c = np.array([[1.2e-10, -0.2e-10], [-0.2e-10, 1.2e-10]])
    return np.asarray(0.99 * lossless_coupled(inductance, c).s_parameters(F, 0.12))


def test_a_sound_network_is_told_to_be_sound() -> None:
    found = quality_of(F, lossy())
    assert found.passivity == 100.0
    assert found.reciprocity == pytest.approx(100.0)
    assert found.causality > 95.0
    assert found.delay == pytest.approx(8e-10, rel=0.03)
    assert found.points_per_turn == pytest.approx(1 / (2 * 8e-10 * 2.5e7), rel=0.05)
    assert (found.first, found.last) == (F[0], F[-1])


def test_gain_counts_by_how_far_it_goes() -> None:
    """IEEE 370: a singular value of 1.1 anywhere counts as one whole point."""
    s = lossy()
    s[100:200] *= (1.00001 + 0.1) / passivity(s)[100:200, None, None]
    assert quality_of(F, s).passivity == pytest.approx(100.0 - 100.0 * 100 / len(F), abs=0.01)
    assert quality_of(F, s).worst_gain == pytest.approx(1.10001)


def test_two_directions_that_differ() -> None:
    s = lossy()
    s[:, 0, 1] += 0.05
    found = quality_of(F, s)
    # The mean over both off-diagonal entries is 0.05, half of what counts as a whole point.
    assert found.reciprocity == pytest.approx(100.0 * (1 - (0.05 - 1e-6) / 0.1), abs=0.01)
    assert found.unlike == pytest.approx(np.full(len(F), 0.05))


def test_a_response_before_time_0_turns_the_wrong_way() -> None:
    s = lossy()
    assert causality_percent(s.conj())[0] < 5.0
    mixed = s.copy()
    mixed[:, 1, 0] += 0.4 * np.exp(2j * np.pi * F * 2e-9)
    percent, against, left_out = causality_percent(mixed)
    assert percent < 95.0
    assert left_out == ()
    assert against.max() > 0
    assert causality_percent(s[:2])[0] == 100.0


@pytest.mark.parametrize(("small", "is_heard"), [(1e-2, True), (2e-4, True), (5e-5, False)])
def test_an_entry_is_heard_down_to_a_ten_thousandth_of_the_largest(
    small: float, is_heard: bool
) -> None:
    turns = np.exp(-2j * np.pi * np.linspace(0.0, 3.0, 61))
    s = np.zeros((61, 2, 2), dtype=complex)
    s[:, 1, 0] = turns
    s[:, 0, 1] = small * turns.conj()
    percent, _, left_out = causality_percent(s)
    assert percent == pytest.approx(0.0 if is_heard else 100.0, abs=1e-6)
    assert ((0, 1) in left_out) != is_heard


@pytest.mark.parametrize(
    ("measure", "percent", "word"),
    [
        ("passivity", 100.0, "good"),
        ("passivity", 99.5, "acceptable"),
        ("reciprocity", 90.0, "inconclusive"),
        ("passivity", 10.0, "poor"),
        ("causality", 81.0, "good"),
        ("causality", 60.0, "acceptable"),
        ("causality", 30.0, "inconclusive"),
        ("causality", 3.0, "poor"),
    ],
)
def test_levels(measure: str, percent: float, word: str) -> None:
    assert level_of(measure, percent) == word


def test_points_too_far_apart_are_told() -> None:
    """A line of 3.5 ns at steps of 200 MHz turns by more than half a turn from point to point."""
    f = np.arange(1, 101) * 2e8
    s = np.zeros((100, 2, 2), complex)
    s[:, 0, 1] = s[:, 1, 0] = 0.9 * np.exp(-2j * np.pi * f * 3.5e-9)
    found = quality_of(f, s)
    assert found.delay == pytest.approx(3.5e-9)
    assert found.points_per_turn < 1.0


@pytest.mark.parametrize(("size", "delay"), [(0.29, 1e-9), (0.32, 4e-9)])
def test_only_what_comes_through_well_counts_for_the_delay(size: float, delay: float) -> None:
    """Of two ways through, 0.5 at 1 ns and the other one at 4 ns, that one counts from 0.3 on."""
    f = np.arange(1, 801) * 2e7
    s = np.zeros((800, 2, 2), complex)
    s[:, 0, 1] = 0.5 * np.exp(-2j * np.pi * f * 1e-9)
    s[:, 1, 0] = size * np.exp(-2j * np.pi * f * 4e-9)
    assert quality_of(f, s).delay == pytest.approx(delay)


def test_quality_of_one_point_and_one_port() -> None:
    found = quality_of(F[:1], np.full((1, 1, 1), 0.5 + 0j))
    assert found.passivity == 100.0
    assert math.isinf(found.points_per_turn)


@pytest.mark.parametrize(
    "order", [(0, 1, 2, 3), (0, 2, 1, 3), (3, 2, 1, 0), (0, 1, 3, 2), (2, 0, 3, 1)]
)
def test_the_way_through_is_found_in_any_order(order: tuple[int, ...]) -> None:
    """A network whose ports were mixed up is put right, or into an order just as good."""
    place = np.argsort(order)
    s = pair()[:, order][:, :, order]
    found = find_through(F, s)
    partner = {int(place[p]): int(place[q]) for p, q in ((0, 2), (1, 3), (2, 0), (3, 1))}
    assert dict(enumerate(found.partner)) == partner
    better = suggest_order(F, s, (0, 1, 2, 3))
    final = better or (0, 1, 2, 3)
    half = len(final) // 2
    assert all(partner[a] == b for a, b in zip(final[:half], final[half:], strict=True))
    assert suggest_order(F, s, final) is None


def test_nothing_is_claimed_of_what_is_not_clear() -> None:
    noise = np.random.default_rng(2).normal(size=(len(F), 4, 4)) * 0.1 + 0j
    assert suggest_order(F, noise, (0, 1, 2, 3)) is None
    assert suggest_order(F, lossy()[:, :1, :1], (0,)) is None
    assert find_through(F, lossy()[:, :1, :1]).partner == (None,)


def test_usual_orders() -> None:
    assert halves_order(4) == (0, 1, 2, 3)
    assert odd_even_order(8) == (0, 2, 4, 6, 1, 3, 5, 7)


def test_made_passive_by_the_least_change() -> None:
    s = lossy()
    s[50:80] *= 1.03 / passivity(s)[50:80, None, None]
    mended = passive(F, s)
    assert passivity(mended.s).max() <= 1.0
    assert mended.change == pytest.approx(0.03, abs=0.01)
    assert mended.s[200] == pytest.approx(s[200])
    assert passive(F, lossy()).change == 0.0


def test_made_reciprocal_is_the_mean() -> None:
    s = lossy()
    s[:, 0, 1] += 0.04
    mended = reciprocal(F, s)
    assert mended.change == pytest.approx(0.02)
    assert np.abs(mended.s - mended.s.transpose(0, 2, 1)).max() < 1e-15


def test_made_causal_starts_at_0_and_leaves_a_causal_network_alone() -> None:
    mended = causal(F, lossy())
    assert mended.frequency[0] == 0.0
    assert mended.change < 0.02
    early = lossy()
    early[:, 1, 0] += 0.1 * np.exp(2j * np.pi * F * 2e-9)
    fixed = causal(F, early)
    edge = Edge(60e-12)
    time, response = impulse_response(fixed.frequency, fixed.s[:, 1, 0], edge)
    before = np.abs(response[time < -1e-10]).sum() + np.abs(response[time > 30e-9]).sum()
    assert before < 0.01
    assert fixed.change > 0.05


@pytest.mark.parametrize(
    ("lanes", "seed"), [(1, 0), (2, 1), (2, 2), (2, 3), (4, 4), (4, 5), (8, 6), (8, 7)]
)
def test_any_order_of_ports_is_put_right_sides_too(lanes: int, seed: int) -> None:
    apart = np.abs(np.subtract.outer(np.arange(lanes), np.arange(lanes)))
    far = np.maximum(apart, 1)
    inductance = np.where(apart == 0, 3.2e-7, 6e-8 / far**1.7)
    c = np.where(apart == 0, 1.2e-10, -1.5e-11 / far**2.5)
    s = 0.99 * lossless_coupled(inductance, c).s_parameters(F, 0.12)
    shuffled = np.random.default_rng(seed).permutation(2 * lanes)
    found = s[:, shuffled][:, :, shuffled]
    order = suggest_order(F, found, tuple(range(2 * lanes))) or tuple(range(2 * lanes))
    true = [int(shuffled[p]) for p in order]
    near, other = true[:lanes], true[lanes:]
    assert [p % lanes for p in near] == [p % lanes for p in other]
    assert len({p // lanes for p in near}) == 1
    assert "hear each other" in order_words(F, s) or lanes == 1


def test_a_lane_turned_round_is_no_order_that_fits() -> None:
    """A uniform pair with P right, N left, P left, N right."""
    turned = [2, 1, 0, 3]
    assert suggest_order(F, pair()[:, turned][:, :, turned], (0, 1, 2, 3)) == (0, 3, 2, 1)


def test_lanes_that_do_not_hear_each_other_prove_no_side() -> None:
    one = lossy()
    s = np.zeros((len(F), 4, 4), dtype=complex)
    s[:, ::2, ::2], s[:, 1::2, 1::2] = one, one
    assert suggest_order(F, s, (0, 1, 2, 3)) is None
    assert "may be turned round" in order_words(F, s)


def test_noise_alone_is_left_out_of_causality_and_said_so() -> None:
    random = np.random.default_rng(5)
    s = lossy()
    noise = 1e-6 * (random.normal(size=len(F)) + 1j * random.normal(size=len(F)))
    s[:, 0, 0] = s[:, 1, 1] = noise
    found = quality_of(F, s)
    assert found.unheard == ((0, 0), (1, 1))
    assert found.causality > 95.0


def test_doubts_name_what_is_wrong_and_nothing_else() -> None:
    assert doubts(quality_of(F, lossy())) == ()
    loud = lossy()
    loud[100] *= 1.02 / passivity(loud)[100]
    (gain,) = doubts(quality_of(F, loud))
    assert f"1.0200 at {F[100] / 1e9:.3g} GHz" in gain
    assert any("causal to" in one for one in doubts(quality_of(F, lossy().conj())))
    assert "extrapolated" in doubts(quality_of(F[20:], lossy()[20:]))[0]
    assert "525 MHz" in doubts(quality_of(F[20:], lossy()[20:]))[0]
    (high,) = doubts(quality_of(F, lossy()), 30e9)
    assert high == "above 20 GHz extrapolated, used up to 30"
    few = doubts(quality_of(F[15::16], lossy(3e-9)[15::16]))
    assert any("too coarse" in one for one in few)


def test_where_nobody_hears_anybody_nothing_is_said_of_sides() -> None:
    alone = np.zeros((len(F), 3, 3), complex)
    assert find_sides(F, alone, (None, None, None)) == (None, None, None)
    better, words = judge_order(F, alone, (0, 1, 2))
    assert better is None
    assert words == "no clear way through; nothing speaks for or against it"


def lanes_that_hear(delays: tuple[float, ...], *, turned: bool = False) -> np.ndarray:
    """Matched lanes of so many seconds; neighbours hear each other at their left ends at once, and
    at the far ends behind the way through. `turned`: the second lane's ports change places."""
    n = len(delays)
    s = np.zeros((len(F), 2 * n, 2 * n), complex)
    left = list(range(n))
    right = list(range(n, 2 * n))
    if turned:
        left[1], right[1] = right[1], left[1]
    for k, took in enumerate(delays):
        way = 0.9 * np.exp(-2j * np.pi * F * took)
        s[:, left[k], right[k]] = s[:, right[k], left[k]] = way
    for a in range(n - 1):
        here = 0.05 * np.exp(-2j * np.pi * F * 5e-12)
        there = 0.02 * np.exp(-2j * np.pi * F * (delays[a] + 5e-12))
        for p, q in ((left[a], left[a + 1]), (right[a], right[a + 1])):
            s[:, p, q] = s[:, q, p] = here
        for p, q in ((left[a], right[a + 1]), (right[a], left[a + 1])):
            s[:, p, q] = s[:, q, p] = there
    return s


def test_sides_are_told_by_what_is_heard_at_once() -> None:
    delays = (1.0e-9, 1.1e-9, 1.2e-9)
    for turned in (False, True):
        s = lanes_that_hear(delays, turned=turned)
        partner = find_through(F, s).partner
        assert partner == (3, 4, 5, 0, 1, 2)
        wanted = [0, 0, 0, 1, 1, 1]
        if turned:
            wanted[1], wanted[4] = 1, 0
        assert list(find_sides(F, s, partner)) == wanted
    # Lanes that do not hear each other do not tell: only the first one has a side.
    apart = lanes_that_hear(delays)
    apart[:, [0, 0, 1, 1], [1, 4, 0, 3]] = 0.0
    apart[:, [3, 3, 4, 4], [4, 1, 3, 0]] = 0.0
    found = find_sides(F, apart, (3, 4, 5, 0, 1, 2))
    assert (found[0], found[3]) == (0, 1)
    assert found[1] is None


def test_a_partner_is_one_that_is_heard_clearly_and_from_either_side() -> None:
    """An amplifier lets through one way alone: its ports are partners all the same."""
    s = np.zeros((len(F), 4, 4), complex)
    s[:, 2, 0] = s[:, 3, 1] = 0.8
    s[:, 0, 1] = s[:, 1, 0] = 0.1
    assert find_through(F, s).partner == (2, 3, 0, 1)
    # Half as loud as the partner is too near to it.
    s[:, 3, 0] = s[:, 2, 1] = 0.45
    assert find_through(F, s).partner == (None, None, None, None)
