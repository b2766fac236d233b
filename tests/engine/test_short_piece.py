"""Pieces shorter than a step: their losses, their rest, and rows of them against the whole line."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.circuits import (
    CoupledPiece,
    LinePiece,
    Net,
    ShuntBranch,
    solve_linear,
    solve_transient,
)
from onda.engine.circuits.line_model import Band, LineModel
from onda.engine.circuits.short_piece import difference_share, series_model, shunt_model
from onda.engine.circuits.stimulus import edge
from onda.engine.coupled_lines import CoupledLine, pair_line
from onda.engine.lines import CapacitancePart, Line, lossless_line
from onda.engine.materials import WidebandDebye

BAND = Band(1e6, 1e11)


def lossy(skin_law: str = "root", g_dc: float = 0.0) -> Line:
    dielectric = WidebandDebye.through(4.2, 0.02, 1e9)
    v = 299792458.0 / math.sqrt(4.2)
    return Line(
        50.0 / v,
        (CapacitancePart(1.0 / (50.0 * v), 4.2, dielectric),),
        r_dc=6.0,
        k_skin=1.2e-3,
        skin_law=skin_law,  # type: ignore[arg-type]
        g_dc=g_dc,
    )


def value(model: LineModel, s: np.ndarray) -> np.ndarray:
    """Its admittance at s."""
    return np.asarray(model.y + (model.y_residues / (s[:, None] + model.poles)).sum(axis=1))


@pytest.mark.parametrize("law", ["root", "sum"])
def test_series_and_shunt_follow_the_line_over_the_band(law: str) -> None:
    line, length = lossy(law, g_dc=1e-4), 0.4e-3
    s = 2j * np.pi * np.geomspace(1e6, 1e11, 400)
    z = 1.0 / value(series_model(line, length, BAND), s)
    assert z == pytest.approx(line.series_impedance(s) * length, rel=6e-3)
    c, more = shunt_model(line, length, BAND)
    y = s * c + value(more, s)
    assert y == pytest.approx(line.shunt_admittance(s) * length, rel=1e-3)


def test_rest_is_exact_and_every_part_only_loses() -> None:
    line, length = lossy(g_dc=1e-4), 0.4e-3
    along = series_model(line, length, BAND)
    rest = value(along, np.array([0j]))[0]
    assert rest.real == pytest.approx(1.0 / (6.0 * length), rel=1e-9)
    assert (along.y_residues > 0.0).all()
    _, across = shunt_model(line, length, BAND)
    assert value(across, np.array([0j]))[0].real == pytest.approx(1e-4 * length, rel=1e-6)
    s = 2j * np.pi * np.geomspace(1e3, 1e13, 300)
    assert (value(across, s).real > 0.0).all()


def test_a_line_without_loss_is_one_inductor_and_one_capacitor() -> None:
    line = lossless_line(75.0)
    along = series_model(line, 2e-12, BAND)
    s = 2j * np.pi * np.geomspace(1e6, 1e11, 50)
    assert value(along, s) == pytest.approx(1.0 / (s * 75.0 * 2e-12), rel=1e-6)
    c, more = shunt_model(line, 2e-12, BAND)
    assert c == pytest.approx(2e-12 / 75.0, rel=1e-9)
    assert np.abs(value(more, s)).max() < 1e-9 * np.abs(s * c).max()


def chain(line: Line, length: float, pieces: int, load: ShuntBranch | None = None) -> Net:
    lines = tuple(LinePiece(k, k + 1, line, length / pieces) for k in range(pieces))
    ends = (ShuntBranch(0, r=50.0, source=True), load or ShuntBranch(pieces, r=50.0))
    return Net(pieces + 1, ends, lines=lines)


def test_at_one_step_each_a_row_of_sections_is_a_pure_delay() -> None:
    """Where the share of the difference is none, what goes in comes out, kinks and all."""
    assert difference_share(1.0) == 0.0
    h, pieces = 1e-12, 40
    s = solve_transient(
        chain(lossless_line(50.0), pieces * h, pieces), edge(0.0, 1.0, 20e-12), end=100e-12, step=h
    )
    wanted = 0.5 * np.clip((s.time - pieces * h) / 20e-12, 0.0, 1.0)
    assert s.node(pieces) == pytest.approx(wanted, abs=2e-3)


@pytest.mark.parametrize("steps", [1.2, 1.5, 1.9])
def test_a_row_of_sections_takes_the_time_of_the_line(steps: float) -> None:
    """The middle of an edge through sixty sections comes when it should."""
    h, pieces = 1e-12, 60
    length = pieces * steps * h
    s = solve_transient(
        chain(lossless_line(50.0), length, pieces), edge(0.0, 1.0, 60e-12), end=4 * length, step=h
    )
    crossed = float(np.interp(0.25, s.node(pieces), s.time))
    assert crossed - 30e-12 == pytest.approx(length, abs=0.06e-12)


@pytest.mark.parametrize("rise", [10e-12, 100e-12, 2e-9])
@pytest.mark.parametrize("pieces", [7, 60, 200])
def test_a_cut_line_is_the_line(rise: float, pieces: int) -> None:
    """30 mm with losses against the exact answer of the whole, waveform and rest."""
    line, length, end = lossy("sum"), 0.03, 6.0 * rise + 1e-9
    whole = solve_linear(
        chain(line, length, 1), edge(0.0, 1.0, rise), end=end, step=min(rise / 200.0, end / 4000.0)
    )
    step = rise / 200.0 if rise > 50e-12 else rise / 40.0
    s = solve_transient(chain(line, length, pieces), edge(0.0, 1.0, rise), end=end, step=step)
    wanted = np.interp(s.time, whole.time, whole.node(1))
    assert np.abs(s.node(pieces) - wanted).max() < 2e-3 * np.ptp(wanted)
    assert s.node(pieces)[-1] == pytest.approx(wanted[-1], abs=1e-4 * np.ptp(wanted))


def test_many_lossless_sections_between_open_ends_do_not_grow() -> None:
    """A resonator rung by an edge keeps within twice its drive, however its pieces lie to steps."""
    for steps in (0.3, 0.8, 1.0, 1.4, 1.99, 2.0, 2.3, 2.5, 3.7):
        h, pieces = 1e-12, 12
        lines = tuple(
            LinePiece(k, k + 1, lossless_line(40.0 + 5.0 * (k % 3)), steps * h)
            for k in range(pieces)
        )
        net = Net(pieces + 1, (ShuntBranch(0, r=2.0, source=True),), lines=lines)
        s = solve_transient(net, edge(0.0, 1.0, 5 * h), end=6000 * h, step=h)
        late = np.abs(s.volts[-1500:]).max()
        assert late <= np.abs(s.volts[:1500]).max() + 1e-9


def test_a_coupled_pair_in_short_pieces_is_the_pair() -> None:
    modes = lossy(), lossy().scaled(0.7)
    pair: CoupledLine = pair_line(*modes)
    pieces, length, rise = 12, 6e-3, 400e-12

    def net(count: int) -> Net:
        n = 2 * (count + 1)
        shunts = [ShuntBranch(0, r=50.0, source=True), ShuntBranch(1, r=50.0)]
        shunts += [ShuntBranch(n - 2, r=50.0), ShuntBranch(n - 1, r=70.0)]
        parts = tuple(
            CoupledPiece((2 * k, 2 * k + 1), (2 * k + 2, 2 * k + 3), pair, length / count)
            for k in range(count)
        )
        return Net(n, tuple(shunts), coupled=parts)

    whole = solve_linear(net(1), edge(0.0, 1.0, rise), end=1.5e-9, step=1e-12)
    s = solve_transient(net(pieces), edge(0.0, 1.0, rise), end=1.5e-9, step=rise / 200.0)
    for line in (0, 1):
        wanted = np.interp(s.time, whole.time, whole.node(2 + line))
        assert s.node(2 * pieces + line) == pytest.approx(wanted, abs=1e-3)


@pytest.mark.parametrize("steps", [1.0, 1.2, 1.7, 2.0, 5.0])
def test_waves_of_an_endless_row_go_as_fast_as_the_line(steps: float) -> None:
    """An endless row of lossless sections under the trapezoidal rule: its waves are known exactly.

    A node between two sections has (v- - 2 v + v+) / (j W L) = j W C ((1 + x) v / 2 + (1 - x)
    (v- + v+) / 4), W = 2 / h tan(w h / 2) with steps h; v goes as exp(-j theta) from node to node,
    and theta of the line itself is w tau.
    """

    def late(phase: float, share: float) -> float:
        turned = (2.0 * steps * np.tan(0.5 * phase / steps)) ** 2
        cosine = (2.0 - 0.5 * turned * (1.0 + share)) / (2.0 + 0.5 * turned * (1.0 - share))
        return float(np.arccos(cosine) / phase - 1.0)

    share = difference_share(steps)
    assert 0.0 <= share < 2.0 / 3.0
    # What is left is of fourth order, far below the second order of any other share.
    assert abs(late(0.2, share)) < 0.02 * 0.2**2 / 24.0
    for other in (share + 0.1, share - 0.1):
        assert abs(late(0.2, other)) > 0.2 * 0.2**2 / 24.0
    # A piece of less than one step is met as well as it can be.
    assert difference_share(0.5) == 0.0
