"""Lossy groups whose modes change with frequency, against doubled short pieces."""

from __future__ import annotations

import numpy as np
import pytest

from onda.engine.circuits import CoupledPiece, Net, ShuntBranch, solve_linear, solve_transient
from onda.engine.circuits.dc import dc_voltages
from onda.engine.circuits.stimulus import PiecewiseLinear
from onda.engine.group_lines import GroupCapacitance, GroupLine
from onda.engine.materials import ConstantLoss
from tests.engine.inverted import line_admittance, node_volts, raised_cosine

PS, NS = 1e-12, 1e-9


def group(n: int, *, loss: float = 1.0, one_dielectric: bool = False) -> GroupLine:
    """Unequal lines over a lossy return; over one dielectric all modes are equally fast."""
    apart = np.abs(np.subtract.outer(np.arange(n), np.arange(n)))
    far = np.maximum(apart, 1)
    inductance = np.where(apart == 0, 3.2e-7, 6e-8 / far**1.7)
    c = np.where(apart == 0, 1.2e-10 + 3e-12 * np.arange(n)[:, None], -1.5e-11 / far**2.5)
    if one_dielectric:
        c = np.linalg.inv(inductance) * 4.0 / 299792458.0**2
    skin = np.diag(6e-4 * (1.0 + 0.3 * np.arange(n))) + 8e-5
    return GroupLine(
        inductance,
        (GroupCapacitance(c, 1.0, ConstantLoss(1.0, 0.015, 1e9)),),
        loss * (6.0 * np.eye(n) + 0.8),
        loss * skin,
    )


def waveforms(line: GroupLine, length: float, rise: float, end: float, far: float):
    """Time, ours and the other answer (t, 2n) with line 1 driven."""
    n = line.size
    shunts = [ShuntBranch(k, r=50.0, source=k == 0) for k in range(n)]
    shunts += [ShuntBranch(n + k, r=far) for k in range(n)]
    piece = CoupledPiece(tuple(range(n)), tuple(range(n, 2 * n)), line, length)
    x = np.linspace(0.0, 1.0, 201)
    edge = PiecewiseLinear(tuple(rise * x), tuple(0.5 - 0.5 * np.cos(np.pi * x)))
    found = solve_transient(
        Net(2 * n, tuple(shunts), coupled=(piece,)), edge, end=end, step=rise / 100
    )
    at = np.linspace(0.02, 0.98, 151) * end
    ours = np.stack([np.interp(at, found.time, found.node(k)) for k in range(2 * n)], axis=-1)
    ends = np.array([1.0 / 50.0] * n + [1.0 / far] * n)

    def injected(s):
        out = np.zeros((len(s), 2 * n), dtype=complex)
        out[:, 0] = raised_cosine(s, rise) / 50.0
        return out

    def admittance(s):
        return line_admittance(line.series_impedance(s), line.shunt_admittance(s), length)

    other = node_volts(admittance, lambda s: ends + 0j * s[:, None], injected, at, window=end)
    return at, ours, other


@pytest.mark.parametrize(
    ("n", "length", "loss", "one_dielectric", "far"),
    [
        (2, 0.15, 1.0, False, 50.0),
        (3, 0.30, 4.0, False, 200.0),
        (4, 0.10, 2.0, True, 60.0),
        (2, 0.004, 1.0, False, 500.0),
    ],
)
def test_waveforms_are_those_of_the_telegraph_equations(
    n: int, length: float, loss: float, one_dielectric: bool, far: float
) -> None:
    line = group(n, loss=loss, one_dielectric=one_dielectric)
    _, ours, other = waveforms(line, length, 100 * PS, 6 * NS, far)
    swing = np.abs(other).max()
    assert np.abs(ours - other).max() < 3e-4 * swing


def test_a_fixed_transform_would_be_off_by_a_percent() -> None:
    """What the old way made of it: modes of the lossless lines, resistance off them left out."""
    from onda.engine.coupled_lines import CoupledLine
    from onda.engine.lines import CapacitancePart, Line
    from onda.engine.section.multiline import line_modes

    line, length = group(2, loss=4.0), 0.3
    c = line.capacitance[0].c_ref
    t = line_modes(c, line.l_ext).voltage
    back = np.linalg.inv(t)

    def modal(matrix):
        return np.diag(back @ matrix @ back.T)

    loss = ConstantLoss(1.0, 0.015, 1e9)
    modes = tuple(
        Line(float(a), (CapacitancePart(float(b), 1.0, loss),), float(r), float(k), "sum")
        for a, b, r, k in zip(
            modal(line.l_ext), np.diag(t.T @ c @ t), modal(line.r_dc), modal(line.k_skin),
            strict=True,
        )
    )  # fmt: skip
    shunts = [ShuntBranch(k, r=50.0, source=k == 0) for k in range(4)]
    edge = PiecewiseLinear((0.0, 100 * PS), (0.0, 1.0))
    fixed, free = (
        solve_transient(
            Net(4, tuple(shunts), coupled=(CoupledPiece((0, 1), (2, 3), one, length),)),
            edge, end=6 * NS, step=1 * PS,
        )
        for one in (CoupledLine(t, modes), line)
    )  # fmt: skip
    assert np.abs(fixed.volts - free.volts).max() > 5e-3


def test_the_level_at_rest_is_the_resistors_own() -> None:
    line, length = group(3, loss=3.0), 0.2
    shunts = [ShuntBranch(k, r=50.0, source=k == 0) for k in range(3)]
    shunts += [ShuntBranch(3 + k, r=75.0) for k in range(3)]
    net = Net(6, tuple(shunts), coupled=(CoupledPiece((0, 1, 2), (3, 4, 5), line, length),))
    g = np.linalg.inv(line.r_dc * length)
    y = np.block([[g, -g], [-g, g]]) + np.diag([1 / 50.0] * 3 + [1 / 75.0] * 3)
    rest = np.linalg.solve(y, np.array([1 / 50.0, 0, 0, 0, 0, 0]))
    assert dc_voltages(net, 1.0) == pytest.approx(rest, abs=1e-8)


def test_frequency_and_time_agree_along_the_line() -> None:
    line, length = group(2, loss=2.0), 0.12
    shunts = (ShuntBranch(0, r=50.0, source=True), *(ShuntBranch(k, r=60.0) for k in (1, 2, 3)))
    net = Net(4, shunts, coupled=(CoupledPiece((0, 1), (2, 3), line, length),))
    edge = PiecewiseLinear((0.0, 100 * PS), (0.0, 1.0))
    found = solve_transient(net, edge, end=3 * NS, step=1 * PS)
    exact = solve_linear(net, edge, end=3 * NS, step=1 * PS)
    for node in range(4):
        assert found.node(node) == pytest.approx(exact.node(node), abs=1e-3)
    inside, amps = found.coupled_along(0, np.array([0.0, 0.5 * length, length]))
    # What flows into the loads at the far end is what arrives there.
    for k in (0, 1):
        assert amps[k, 2] == pytest.approx(found.node(2 + k) / 60.0, abs=4e-5)
    for k in (0, 1):
        assert inside[k, 0] == pytest.approx(found.node(k), abs=2e-3)
        assert inside[k, 2] == pytest.approx(found.node(2 + k), abs=2e-3)
    # Half way the edge of the driven line is half of the line's delay late.
    there = [
        float(found.time[np.argmax(w > 0.25)]) for w in (inside[0, 0], inside[0, 1], inside[0, 2])
    ]
    assert there[1] - there[0] == pytest.approx(0.5 * (there[2] - there[0]), rel=0.03)


def test_a_piece_shorter_than_the_step_is_followed_with_a_finer_one() -> None:
    line = group(2)
    shunts = [ShuntBranch(k, r=50.0, source=k == 0) for k in range(4)]
    net = Net(4, tuple(shunts), coupled=(CoupledPiece((0, 1), (2, 3), line, 0.001),))
    found = solve_transient(
        net, PiecewiseLinear((0.0, 100 * PS), (0.0, 1.0)), end=1 * NS, step=10 * PS
    )
    assert found.time[1] <= 0.5 * line.fastest * 0.001


@pytest.mark.parametrize("step", [2.5 * PS, 1.25 * PS])
def test_a_row_of_like_lines_stays_quiet_for_long(step) -> None:
    """Modes that are nearly as fast must not pump each other: long after an edge all is at rest."""
    n, length = 8, 0.035
    apart = np.abs(np.subtract.outer(np.arange(n), np.arange(n)))
    inductance = 3.1e-7 * 0.28**apart
    c = np.where(apart == 0, 1.25e-10, np.where(apart == 1, -1.6e-11, -1.1e-12 / (apart + 1.0)))
    line = GroupLine(
        inductance,
        (GroupCapacitance(c, 1.0, ConstantLoss(1.0, 0.012, 1e9)),),
        4.0 * np.eye(n),
        8e-4 * (np.eye(n) + 0.1 * (apart == 1)),
    )
    shunts = [ShuntBranch(k, r=34.0, source=k == 3) for k in range(n)]
    shunts += [ShuntBranch(n + k, r=1e5) for k in range(n)]
    net = Net(
        2 * n,
        tuple(shunts),
        coupled=(CoupledPiece(tuple(range(n)), tuple(range(n, 2 * n)), line, length),),
    )
    found = solve_transient(
        net, PiecewiseLinear((0.0, 60 * PS), (0.0, 1.0)), end=20 * NS, step=step
    )
    late = found.volts[found.time > 15 * NS]
    at_rest = np.array(dc_voltages(net, [1.0]))
    assert late == pytest.approx(np.broadcast_to(at_rest, late.shape), abs=1e-4)


def test_another_impedance_level_keeps_the_waves() -> None:
    line = group(3)
    s = 2j * np.pi * np.array([1e6, 1e8, 5e9])
    more = line.scaled(1.7)
    assert more.series_impedance(s) == pytest.approx(1.7 * line.series_impedance(s), rel=1e-12)
    assert more.shunt_admittance(s) == pytest.approx(line.shunt_admittance(s) / 1.7, rel=1e-12)
    assert more.r_dc == pytest.approx(1.7 * line.r_dc, rel=1e-12)


@pytest.mark.parametrize("factor", [0.5, 2.5])
def test_another_level_of_impedance_keeps_the_waves(factor: float) -> None:
    line = group(3)
    s = 2j * np.pi * np.array([1e8, 3e9])
    one, other = line.modes(s), line.scaled(factor).modes(s)
    own = one.gamma[:, np.argsort(one.gamma[1].imag)]
    theirs = other.gamma[:, np.argsort(other.gamma[1].imag)]
    assert theirs == pytest.approx(own, rel=1e-9)
    assert other.admittance == pytest.approx(one.admittance / factor, rel=1e-9)
    assert line.scaled(factor).series_impedance(s) == pytest.approx(
        factor * line.series_impedance(s), rel=1e-12
    )


@pytest.mark.parametrize("turned", [False, True])
def test_the_worst_of_all_groups_is_told(turned: bool) -> None:
    edge = PiecewiseLinear((0.0, 100 * PS), (0.0, 1.0))

    def error(*some: GroupLine) -> float:
        pieces = tuple(
            CoupledPiece((2 * k, 2 * k + 1), (2 * k + 2, 2 * k + 3), line, 0.1)
            for k, line in enumerate(some)
        )
        shunts = [ShuntBranch(k, r=50.0, source=k == 0) for k in (0, 1)]
        shunts += [ShuntBranch(2 * len(some) + k, r=50.0) for k in (0, 1)]
        net = Net(2 * len(some) + 2, tuple(shunts), coupled=pieces)
        return solve_transient(net, edge, end=2 * NS, step=2 * PS).line_error

    groups = [group(2), group(2, loss=30.0)]
    alone = [error(one) for one in groups]
    assert max(alone) > 1.5 * min(alone) > 0.0
    assert error(*(reversed(groups) if turned else groups)) == pytest.approx(max(alone), rel=0.3)
