"""The true impedance behind lossy lines, against the lines that the network was made of."""

from __future__ import annotations

import numpy as np
import pytest

from onda.engine.lines import CapacitancePart, Line
from onda.engine.materials import WidebandDebye
from onda.engine.networks.peeling import find_lumps, peeled
from onda.engine.networks.time_domain import Edge, impulse_response
from onda.engine.networks.unlossed import (
    LossPerDelay,
    loss_per_delay,
    on_frequencies,
    onto_own,
    unlossed_response,
)

F = np.arange(0, 2001) * 2e7
DELAY = 6.5e-9
EDGE = Edge(25e-12)


def chain(
    sections: tuple[tuple[float, float], ...], df: float, skin: float, r: float = 6.0
) -> np.ndarray:
    """S (f, 2, 2) on 50 ohm of lines (ohm, m) in a row, with the same loss per delay."""
    s = 2j * np.pi * np.where(F == 0.0, 1.0, F)
    total = np.tile(np.eye(2, dtype=complex), (len(F), 1, 1))
    for z, length in sections:
        dielectric = WidebandDebye.through(3.8, df, 10e9)
        parts = (CapacitancePart(DELAY / z, 3.8, dielectric),)
        k = z / 50.0
        total = total @ Line(z * DELAY, parts, r * k, skin * k, "sum").abcd(s, length)
    a, b, c, d = total[:, 0, 0], total[:, 0, 1] / 50, total[:, 1, 0] * 50, total[:, 1, 1]
    whole = a + b + c + d
    rows = [[a + b - c - d, 2 * (a * d - b * c)], [2 + 0 * a, -a + b - c + d]]
    out = np.stack([np.stack(row, -1) for row in rows], -2) / whole[:, None, None]
    out[0] = out[0].real
    return out


@pytest.mark.parametrize(
    ("sections", "df", "skin", "r"),
    [
        (((50.0, 0.3),), 0.015, 1.0e-3, 6.0),
        (((50.0, 0.3),), 0.003, 0.5e-3, 6.0),
        (((50.0, 0.3),), 0.025, 1.5e-3, 15.0),
        (((50.0, 0.6),), 0.015, 1.0e-3, 6.0),
        (((50.0, 0.1), (60.0, 0.1), (45.0, 0.1)), 0.015, 1.0e-3, 6.0),
        (((55.0, 0.15), (42.0, 0.05), (55.0, 0.15)), 0.008, 1.0e-3, 6.0),
    ],
)
@pytest.mark.parametrize("end", [0, 1])
def test_every_section_reads_its_own_impedance(sections, df, skin, r, end) -> None:
    s = chain(sections, df, skin, r)
    loss = loss_per_delay(F, s)
    assert loss is not None
    time, response = unlossed_response(F, s, loss, EDGE)
    profile = peeled(time, response[:, end], 50.0)
    start = 0.0
    for z, length in sections if end == 0 else sections[::-1]:
        took = length * DELAY
        for share in (0.3, 0.6, 0.9):
            place = start + share * took
            assert profile.mean(place - 0.04 * took, place + 0.04 * took) == pytest.approx(
                z, rel=0.01
            )
        start += took
    assert find_lumps(profile, EDGE.rise) == []


def test_without_it_the_end_of_a_line_reads_high() -> None:
    s = chain(((50.0, 0.3),), 0.025, 1.5e-3, 15.0)
    time, response = impulse_response(F, s[:, 0, 0], EDGE)
    end = 0.9 * 0.3 * DELAY
    assert peeled(time, response, 50.0).mean(end - 5e-11, end + 5e-11) > 55.0


def test_the_loss_is_that_of_the_line() -> None:
    found = loss_per_delay(F, chain(((50.0, 0.3),), 0.012, 1.2e-3, 9.0))
    assert found is not None
    assert found.at_rest * found.delay == pytest.approx(9.0 * 0.3 / 100.0, rel=0.02)
    assert found.skin * found.delay == pytest.approx(1.2e-3 * 0.3 / 100.0, rel=0.03)
    assert found.tangent == pytest.approx(0.012, rel=0.03)
    assert found.delay == pytest.approx(0.3 * DELAY, rel=0.02)


def test_what_lets_nothing_through_has_no_loss_of_its_own() -> None:
    s = np.zeros((len(F), 2, 2), dtype=complex)
    s[:, 0, 0] = s[:, 1, 1] = 1.0
    assert loss_per_delay(F, s) is None


def test_a_line_seen_by_its_own_impedance_sends_nothing_back() -> None:
    """S of a lossy line on 50 ohm, put onto its own impedance: exp(-gamma l) and nothing else."""
    line = Line(62.0 * DELAY, (CapacitancePart(DELAY / 62.0),), 40.0, 2e-3, "sum")
    f = F[1:]
    gamma, zc = line.propagation(2j * np.pi * f)
    own = onto_own(line.s_parameters(f, 0.1), zc / 50.0)
    assert np.abs(own[:, 0, 0]).max() < 1e-9
    assert own[:, 1, 0] == pytest.approx(np.exp(-0.1 * gamma))
    assert own[:, 0, 1] == pytest.approx(own[:, 1, 0])


def test_loss_by_delay_is_asked_next_to_rest_instead_of_at_it() -> None:
    loss = LossPerDelay(1e-9, at_rest=2e7, skin=3e3, tangent=0.01)
    gamma, zeta = on_frequencies(F, loss, 1e9)
    near, own = loss.functions(np.array([2j * np.pi * 1e-3 * F[1]]), 1e9)
    assert (gamma[0], zeta[0]) == (near[0], own[0])
    # In the middle: the sum of what resistance, skin and dielectric take, each small.
    k, w = 100, 2 * np.pi * F[100]
    wanted = 2e7 + 3e3 * np.sqrt(F[k]) + 0.01 * w / 2.0
    assert gamma[k].real == pytest.approx(wanted, rel=0.02)
    assert abs(zeta[k]) == pytest.approx(1.0, abs=0.05)
