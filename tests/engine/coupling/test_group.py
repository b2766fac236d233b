"""Networks of groups: reciprocal, passive, and what is known of them by other ways."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.coupling.group import GroupPiece, group_network, piece_network
from onda.engine.group_lines import GroupCapacitance, GroupLine
from onda.engine.networks.algebra import passivity, reciprocity
from onda.errors import NotPhysical
from tests.engine.test_group_lines import group

F = np.linspace(0.0, 40e9, 401)
C0 = 299792458.0


def plain(inductance: np.ndarray, er: float) -> GroupLine:
    """Lines without loss in one dielectric."""
    c = np.linalg.inv(inductance) * er / C0**2
    none = np.zeros_like(inductance)
    return GroupLine(inductance, (GroupCapacitance(c),), none, none)


L3 = np.array([[3.3e-7, 7e-8, 2e-8], [7e-8, 3.1e-7, 6e-8], [2e-8, 6e-8, 3.6e-7]])


@pytest.mark.parametrize("n", [2, 5, 12])
def test_pieces_in_a_row_are_reciprocal_and_passive(n) -> None:
    pieces = (GroupPiece(group(n), 0.03), GroupPiece(group(n, loss=3.0), 0.05))
    s = group_network(F, pieces, np.full(n, 50.0))
    assert reciprocity(s).max() < 1e-9
    assert passivity(s).max() < 1.0 + 1e-9


def test_cutting_a_piece_changes_nothing() -> None:
    line, z = group(4), np.full(4, 47.0)
    whole = piece_network(F, GroupPiece(line, 0.12), z)
    cut = group_network(F, [GroupPiece(line, 0.02), GroupPiece(line, 0.1)], z)
    assert np.abs(whole - cut).max() < 1e-9


def test_one_dielectric_without_loss_has_no_far_end() -> None:
    line = plain(L3, 4.0)
    c = np.linalg.inv(L3) * 4.0 / C0**2
    # Ends on the network that matches every mode: seen by plain references nothing would be so.
    y = np.linalg.inv(L3) * (math.sqrt(4.0) / C0)
    s = piece_network(F, GroupPiece(line, 0.127), np.full(3, 1.0))
    own = np.linalg.solve(np.eye(6) + s, np.eye(6) - s)
    ends = np.kron(np.eye(2), y)
    volts = np.linalg.solve(own + ends, np.kron(np.eye(2), 2.0 * y))
    assert np.abs(volts[1:, 3:, :3] - np.eye(3) * volts[1:, 3:4, 0:1]).max() < 1e-6
    assert np.abs(volts[1:, 3, 0]) == pytest.approx(1.0, abs=1e-6)
    assert c[0, 1] < 0.0


def test_two_lines_alike_are_their_odd_and_even_mode() -> None:
    own, mutual, length, z = 3.3e-7, 8e-8, 0.05, 50.0
    c_own, c_mutual = 1.3e-10, -2e-11
    line = GroupLine(
        np.array([[own, mutual], [mutual, own]]),
        (GroupCapacitance(np.array([[c_own, c_mutual], [c_mutual, c_own]])),),
        np.zeros((2, 2)),
        np.zeros((2, 2)),
    )
    s = piece_network(F, GroupPiece(line, length), np.full(2, z))[1:]
    modes = []
    for sign in (1.0, -1.0):
        lm, cm = own + sign * mutual, c_own + sign * c_mutual
        z0, theta = math.sqrt(lm / cm), 2 * np.pi * F[1:] * length * math.sqrt(lm * cm)
        # Pozar (2012), table 4.2, of a line between two references.
        den = 2 * np.cos(theta) + 1j * (z0 / z + z / z0) * np.sin(theta)
        modes.append((1j * (z0 / z - z / z0) * np.sin(theta) / den, 2.0 / den))
    (r_even, t_even), (r_odd, t_odd) = modes
    assert s[:, 1, 0] == pytest.approx(0.5 * (r_even - r_odd), abs=1e-9)
    assert s[:, 3, 0] == pytest.approx(0.5 * (t_even - t_odd), abs=1e-9)
    assert s[:, 2, 0] == pytest.approx(0.5 * (t_even + t_odd), abs=1e-9)


def test_a_guard_tied_closely_is_copper_at_rest() -> None:
    line = plain(L3, 4.0)
    tied = GroupPiece(line, 0.1, guards=(1,), pitch=2e-4)
    keep = np.ix_([0, 2], [0, 2])
    c = (np.linalg.inv(L3) * 4.0 / C0**2)[keep]
    rest = GroupLine(
        np.linalg.inv(np.linalg.inv(L3)[keep]), (GroupCapacitance(c),), *[np.zeros((2, 2))] * 2
    )
    z = np.full(2, 50.0)
    some = F <= 10e9
    difference = piece_network(F, tied, z) - piece_network(F, GroupPiece(rest, 0.1), z)
    assert np.abs(difference)[some].max() < 2e-4


def test_a_guard_tied_at_its_ends_only_rings_at_half_waves() -> None:
    # In one dielectric a wave would never come back to a guard; over the surface it does.
    c = np.linalg.inv(L3) * 3.0 / C0**2 * np.where(np.eye(3) > 0, 1.0, 0.6)
    line = GroupLine(L3, (GroupCapacitance(c),), np.zeros((3, 3)), np.zeros((3, 3)))
    z = np.full(2, 50.0)
    f = np.linspace(0.1e9, 4e9, 1500)
    length = 0.1
    loose = np.abs(piece_network(f, GroupPiece(line, length, (1,)), z)[:, 3, 0])
    tied = np.abs(piece_network(f, GroupPiece(line, length, (1,), 1e-3), z)[:, 3, 0])
    half_wave = 1.0 / math.sqrt(L3[1, 1] * c[1, 1]) / (2.0 * length)
    worst = f[np.argmax(loose / np.maximum(tied, 1e-6))]
    nearest = half_wave * round(worst / half_wave)
    assert worst == pytest.approx(nearest, rel=0.05)
    assert (loose / np.maximum(tied, 1e-6)).max() > 2.0


@pytest.mark.parametrize(
    ("pieces", "z", "words"),
    [
        ([], 2, "no piece"),
        ([GroupPiece(group(2), 0.0)], 2, "length"),
        ([GroupPiece(group(2), math.nan)], 2, "length"),
        ([GroupPiece(group(2), 0.1), GroupPiece(group(3), 0.1)], 2, "3 signals"),
        ([GroupPiece(group(2), 0.1)], 3, "references"),
    ],
)
def test_what_is_no_group_is_refused(pieces, z, words) -> None:
    with pytest.raises(NotPhysical, match=words):
        group_network(F, pieces, np.full(z, 50.0))
