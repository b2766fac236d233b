"""Short pieces of coupled lines as one section: what they hold, and nothing of it lost."""

from __future__ import annotations

import numpy as np
import pytest

from onda.engine.circuits.net import CoupledPiece, Net, ShuntBranch
from onda.engine.circuits.sections import with_sections
from onda.engine.circuits.short_piece import difference_share
from onda.engine.group_lines import GroupCapacitance, GroupLine

L = 4e-7 * np.array([[1.0, 0.2], [0.2, 1.1]])
C = 1e-10 * np.array([[1.0, -0.15], [-0.15, 0.9]])
R = np.array([[5.0, 1.0], [1.0, 7.0]])
LENGTH, STEP, KNEE = 2e-3, 2e-12, 3e9


def line() -> GroupLine:
    return GroupLine(L, (GroupCapacitance(C),), R, np.zeros((2, 2)))


def net(*pieces: CoupledPiece) -> Net:
    return Net(6, (ShuntBranch(0, r=50.0, source=True),), coupled=pieces)


def test_a_short_piece_is_its_inductance_and_its_capacitance() -> None:
    short = CoupledPiece((0, 1), (2, 3), line(), LENGTH, short=True)
    kept = CoupledPiece((2, 3), (4, 5), line(), 0.05)
    made = with_sections(net(short, kept), STEP, KNEE)
    assert made.coupled == (kept,)
    (coil,) = made.inductors
    assert coil.pairs == ((0, 2), (1, 3))
    assert coil.inductance == pytest.approx(L * LENGTH)
    # At rest each line has its own resistance.
    assert coil.resistance == pytest.approx(np.array([5.0, 7.0]) * LENGTH)
    (held,) = made.capacitors
    assert held.nodes == (0, 1, 2, 3)
    ends = held.capacitance.reshape(2, 2, 2, 2)
    # Both ends at the same voltage see all of it.
    assert ends.sum(axis=(0, 2)) == pytest.approx(C * LENGTH)
    # The difference of both ends sees the share that a travelling wave would.
    share = difference_share(line().fastest * LENGTH / STEP)
    apart = np.kron(np.array([0.5, -0.5]), np.eye(2))
    assert apart @ held.capacitance @ apart.T == pytest.approx(0.25 * share * C * LENGTH)
    assert held.capacitance == pytest.approx(held.capacitance.T)


def test_what_is_not_short_stays_as_it_is() -> None:
    plain = net(CoupledPiece((0, 1), (2, 3), line(), LENGTH))
    assert with_sections(plain, STEP, KNEE) is plain
