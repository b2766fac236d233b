"""Who disturbs whom, integrated noise and arrivals, against time and brute sums."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.engine.coupling.crosstalk import Lane, NoiseTerms, crosstalk, disturbers, noise_of
from onda.engine.coupling.group import GroupPiece, piece_network
from onda.engine.coupling.pulses import arrivals, edge_responses, peaks_of, random_phase
from onda.engine.group_lines import GroupCapacitance, GroupLine
from onda.engine.networks.channel_figures import noise_weight
from onda.engine.networks.time_domain import Edge
from onda.errors import NotPhysical
from tests.engine.test_group_lines import group

F = np.arange(2001) * 2e7
LANES = (Lane(0, 3), Lane(1, 4, rightward=False), Lane(2, 5))
TERMS = NoiseTerms(16e9, 12e9, 0.4, 0.3, 20e-12, 30e-12, 5e7, 12e9)


def three() -> np.ndarray:
    return piece_network(F, GroupPiece(group(3), 0.08), np.full(3, 50.0))


def test_receivers_hear_transmitters_at_their_own_and_at_the_other_end() -> None:
    s = three()
    heard = crosstalk(s, LANES)
    # Lane 0 is heard at port 3, lane 1 sends from port 4: both at the right.
    assert (heard[:, 0, 1] == s[:, 3, 4]).all()
    assert (heard[:, 1, 0] == s[:, 1, 0]).all()
    assert (heard[:, 2, 0] == s[:, 5, 0]).all()
    assert (heard[:, 1, 1] == s[:, 1, 4]).all()
    near = {(d.victim, d.aggressor): d.near for d in disturbers(LANES)}
    assert near == {
        (0, 1): True, (0, 2): False, (1, 0): True, (1, 2): True, (2, 0): False, (2, 1): True,
    }  # fmt: skip
    for wrong in ((Lane(0, 3), Lane(0, 4)), (Lane(0, 6), Lane(1, 4))):
        with pytest.raises(NotPhysical, match="ports"):
            crosstalk(s, wrong)


def test_integrated_noise_is_what_random_symbols_bring() -> None:
    """By Parseval: the power of the pulse that each symbol brings, a symbol every unit interval."""
    heard = crosstalk(three(), LANES)
    found = noise_of(F, heard, LANES, replace(TERMS, low=0.0, high=40e9))
    for v in range(3):
        near = far = 0.0
        for d in disturbers(LANES):
            if d.victim != v:
                continue
            amplitude, rise = (0.4, 20e-12) if d.near else (0.3, 30e-12)
            unit = 1.0 / 16e9
            filters = 1.0 / (1.0 + (F * rise / 0.2365) ** 4) / (1.0 + (F / 12e9) ** 8)
            symbol = (
                amplitude * unit * np.sinc(F * unit) * np.sqrt(filters) * heard[:, v, d.aggressor]
            )
            symbol[0] = symbol[0].real
            n = 2 * (len(F) - 1)
            dt = 1.0 / (n * F[1])
            pulse = np.fft.irfft(symbol, n) / dt
            power = float(random_phase(np.arange(n) * dt, pulse, unit)) ** 2
            near, far = near + power * d.near, far + power * (not d.near)
            assert found[v].by_lane[d.aggressor] == pytest.approx(math.sqrt(power), rel=1e-3)
        assert found[v].near == pytest.approx(math.sqrt(near), rel=1e-3)
        assert found[v].far == pytest.approx(math.sqrt(far), rel=1e-3)
        assert found[v].total == pytest.approx(math.sqrt(near + far), rel=1e-3)
        assert found[v].by_lane[v] == 0.0


def test_noise_of_flat_crosstalk_by_a_brute_sum() -> None:
    heard = np.zeros((len(F), 2, 2), complex)
    heard[:, 0, 0] = heard[:, 1, 1] = np.exp(-0.1 * np.sqrt(F / 1e9) - 0.03 * F / 1e9)
    heard[:, 0, 1], heard[:, 1, 0] = 0.01, 0.02
    lanes = (Lane(0, 2), Lane(1, 3))
    first, second = noise_of(F, heard, lanes, TERMS)
    band = (F >= 5e7) & (F <= 12e9)
    weight = noise_weight(F[band], amplitude=0.3, baud=16e9, rise_20_80=30e-12, receiver=12e9)
    assert first.far == pytest.approx(0.01 * math.sqrt(2 * F[1] * weight.sum()), rel=1e-9)
    assert second.far == pytest.approx(2.0 * first.far, rel=1e-9)
    assert first.near == 0.0
    at_half = 20 / math.log(10) * (0.1 * math.sqrt(8.0) + 0.03 * 8.0)
    assert first.loss_db == pytest.approx(at_half, rel=1e-6)
    assert first.deviation_db < 1e-6


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"baud": 0.0}, "baud"),
        ({"near": math.nan}, "near"),
        ({"low": 3e9, "high": 2e9}, "band"),
        ({"high": 90e9}, "band of the noise"),
    ],
)
def test_terms_out_of_range_are_refused(changes, words) -> None:
    with pytest.raises(NotPhysical, match=words):
        noise_of(F, crosstalk(three(), LANES), LANES, replace(TERMS, **changes))


def alike(n: int = 2) -> GroupLine:
    """Equal lines of which the far modes differ in delay."""
    far = np.abs(np.subtract.outer(np.arange(n), np.arange(n)))
    inductance = np.where(far == 0, 3.0e-7, np.where(far == 1, 6e-8, 0.0))
    c = np.where(far == 0, 1.2e-10, np.where(far == 1, -8e-12, 0.0))
    return GroupLine(inductance, (GroupCapacitance(c),), np.zeros((n, n)), np.zeros((n, n)))


def test_neighbours_move_an_edge_to_the_delay_of_their_mode() -> None:
    length = 0.1
    s = piece_network(F, GroupPiece(alike(), length), np.full(2, 49.0))
    lanes = (Lane(0, 2), Lane(1, 3))
    time, volts = edge_responses(F, crosstalk(s, lanes), Edge(30e-12))
    one, other = arrivals(time, volts, ~np.eye(2, dtype=bool))
    even = length * math.sqrt((3.0e-7 + 6e-8) * (1.2e-10 - 8e-12))
    odd = length * math.sqrt((3.0e-7 - 6e-8) * (1.2e-10 + 8e-12))
    assert one.along == pytest.approx(even, rel=3e-3)
    assert one.against == pytest.approx(odd, rel=3e-3)
    assert one.spread == pytest.approx(abs(even - odd), rel=0.02)
    assert other.quiet == pytest.approx(one.quiet, rel=1e-9)
    # A neighbour that runs the other way is not in step, and moves nothing.
    alone, _ = arrivals(time, volts, np.zeros((2, 2), dtype=bool))
    assert alone.earliest == alone.latest == alone.quiet == one.quiet


def test_far_end_follows_the_weak_coupling_rule() -> None:
    """Short and weakly coupled: far end -(k_far length / rise), near end saturates at k_near."""
    line, length, rise = alike(), 0.02, 60e-12
    s = piece_network(F, GroupPiece(line, length), np.full(2, 50.0))
    near_lanes = (Lane(0, 2), Lane(1, 3, rightward=False))
    far_lanes = (Lane(0, 2), Lane(1, 3))
    peaks = [
        peaks_of(edge_responses(F, crosstalk(s, lanes), Edge(rise))[1])
        for lanes in (near_lanes, far_lanes)
    ]
    z = math.sqrt(3.0e-7 / 1.2e-10)
    lm, cm, delay = 6e-8 / 3.0e-7, 8e-12 / 1.2e-10, math.sqrt(3.0e-7 * 1.2e-10)
    # Largest slope of an edge of that 20 to 80 percent time: 1 / (sigma sqrt(2 pi)).
    slope = 1.6832 / (rise * math.sqrt(2 * math.pi))
    assert peaks[1][0, 1] == pytest.approx(0.5 * (cm - lm) * delay * length * slope, rel=0.05)
    assert peaks[1][0, 0] == 0.0
    # 20 mm take 120 ps: saturated for an edge of 60 ps.
    assert peaks[0][0, 1] == pytest.approx(0.25 * (lm + cm), rel=0.08)
    assert z == pytest.approx(50.0)


def test_an_edge_that_does_not_arrive_is_told() -> None:
    time = np.linspace(0.0, 1e-9, 50)
    with pytest.raises(NotPhysical, match="does not arrive"):
        arrivals(time, np.zeros((50, 2, 2)), ~np.eye(2, dtype=bool))
    with pytest.raises(NotPhysical, match="unit interval"):
        random_phase(time, np.zeros(50), 1e-12)
