"""The transient against closed forms, against the exact linear answer, and its energy."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from onda.engine.circuits import (
    CoupledPiece,
    LinePiece,
    Net,
    PiecewiseLinear,
    SeriesPart,
    ShuntBranch,
    solve_linear,
    solve_transient,
)
from onda.engine.circuits.dc import dc_voltages
from onda.engine.circuits.devices import Device, Port, Table, Term, Weight, diode_table
from onda.engine.circuits.line_model import Band, line_model
from onda.engine.circuits.linear import node_response
from onda.engine.circuits.net import CapacitorMatrix, CoupledInductors, PortBlock
from onda.engine.circuits.stimulus import edge
from onda.engine.coupled_lines import CoupledLine, lossless_coupled, pair_line
from onda.engine.lines import CapacitancePart, Line, lossless_line
from onda.engine.materials import WidebandDebye
from onda.engine.networks.arrival_fit import fit_arrivals
from onda.errors import NotConverged, NotPhysical

PS, NS = 1e-12, 1e-9


def lossy(z: float = 50.0) -> Line:
    dielectric = WidebandDebye.through(4.2, 0.02, 1e9)
    v = 299792458.0 / math.sqrt(4.2)
    return Line(
        z / v,
        (CapacitancePart(1.0 / (z * v), 4.2, dielectric),),
        r_dc=6.0,
        k_skin=1.2e-3,
        skin_law="sum",
    )


def driven(r: float = 50.0, drive: int = 0) -> ShuntBranch:
    return ShuntBranch(0, r=r, source=True, drive=drive)


def test_rc_charges_as_its_closed_form() -> None:
    net = Net(1, (driven(50.0), ShuntBranch(0, c=4e-12)))
    rise, tau = 200 * PS, 200 * PS
    s = solve_transient(net, edge(0.0, 1.0, rise), end=3 * NS, step=1 * PS)
    t = s.time

    def ramp(x: np.ndarray) -> np.ndarray:
        x = np.maximum(x, 0.0)
        return (x - tau * (1.0 - np.exp(-x / tau))) / rise

    assert s.node(0) == pytest.approx(ramp(t) - ramp(t - rise), abs=2e-5)


def test_lc_keeps_ringing_at_its_frequency() -> None:
    """The trapezoidal rule loses nothing: after ten turns the amplitude is all but the same."""
    net = Net(
        2,
        (driven(1e-3), ShuntBranch(1, c=10e-12)),
        series=(SeriesPart(0, 1, l=10e-9),),
    )
    period = 2 * math.pi * math.sqrt(1e-19)
    s = solve_transient(net, edge(0.0, 1.0, 1 * PS), end=10 * period, step=period / 400)
    v = s.node(1)
    assert v[-401:].max() == pytest.approx(2.0, abs=0.02)
    assert np.argmax(v[-401:]) == pytest.approx(200, abs=6)


@pytest.mark.parametrize("loads", [(50.0, None), (1e6, 3e-12), (20.0, None)])
def test_lossy_line_agrees_with_the_exact_answer(loads: tuple[float, float | None]) -> None:
    """Asked: 0.2 % of the swing; at the ends and in the middle."""
    r, c = loads
    shunts = [driven(30.0), ShuntBranch(1, r=r)]
    if c:
        shunts.append(ShuntBranch(1, c=c))
    net = Net(2, tuple(shunts), (LinePiece(0, 1, lossy(60.0), 0.2),))
    stimulus = edge(0.0, 1.0, 100 * PS, start=50 * PS)
    ours = solve_transient(net, stimulus, end=8 * NS, step=2 * PS)
    exact = solve_linear(net, stimulus, end=8 * NS, step=2 * PS)
    for mine, true in (
        (ours.node(1), exact.node(1)),
        (ours.along(0, np.array([0.1]))[0], exact.along(0, np.array([0.1]))[0]),
    ):
        assert mine == pytest.approx(true, abs=2e-3)
    assert ours.line_error < 1e-3


def test_at_rest_the_voltage_falls_evenly_along_a_line_and_its_current_is_that_of_the_load() -> (
    None
):
    """30 ohm, 1.2 ohm of copper and 50 ohm in a row, before the edge."""
    net = Net(2, (driven(30.0), ShuntBranch(1, r=50.0)), (LinePiece(0, 1, lossy(60.0), 0.2),))
    for before, after in ((1.0, 0.0), (0.0, 1.0)):
        stimulus = edge(before, after, 100 * PS, start=2 * NS)
        found = solve_transient(net, stimulus, end=20 * NS, step=5 * PS)
        volts, amps = found.both_along(0, np.array([0.0, 0.05, 0.1, 0.2]))
        whole = before / 81.2
        assert volts[:, 20] == pytest.approx(whole * np.array([51.2, 50.9, 50.6, 50.0]), abs=1e-4)
        assert amps[:, 20] == pytest.approx(np.full(4, whole), abs=1e-5)


def test_two_drivers_of_one_node_drive_it_together() -> None:
    """Two of 60 ohm beside each other are one of 30, whoever tells them what to do."""
    stimulus = edge(0.0, 1.0, 100 * PS)
    found = []
    for drivers in ((driven(60.0), driven(60.0)), (driven(30.0),)):
        net = Net(1, (*drivers, ShuntBranch(0, r=50.0, c=1e-12)))
        found.append(solve_transient(net, stimulus, end=1 * NS, step=1 * PS).node(0))
    assert found[0] == pytest.approx(found[1], abs=1e-12)
    assert found[0][-1] == pytest.approx(1.0, abs=1e-3)


@pytest.mark.parametrize("turned", [False, True])
def test_the_worst_of_all_models_of_lines_is_told(turned: bool) -> None:
    stimulus = edge(0.0, 1.0, 100 * PS)
    lines = [lossy(50.0), Line(3e-7, (CapacitancePart(1.2e-10),), 400.0, 2e-2)]

    def error(*some: Line) -> float:
        pieces = tuple(LinePiece(k, k + 1, line, 0.2) for k, line in enumerate(some))
        net = Net(len(some) + 1, (driven(50.0), ShuntBranch(len(some), r=50.0)), pieces)
        return solve_transient(net, stimulus, end=4 * NS, step=2 * PS).line_error

    alone = [error(line) for line in lines]
    assert max(alone) > 1.5 * min(alone) > 0.0
    assert error(*(reversed(lines) if turned else lines)) == pytest.approx(max(alone), rel=0.3)


def test_frequency_response_and_transient_agree() -> None:
    """A sine through a linear net with losses, a branch and a coil, against its phasor: 0.2 %."""
    net = Net(
        4,
        (driven(40.0), ShuntBranch(2, r=80.0), ShuntBranch(3, c=2e-12), ShuntBranch(3, r=500.0)),
        (LinePiece(0, 1, lossy(), 0.1), LinePiece(1, 2, lossy(70.0), 0.06)),
        (SeriesPart(1, 3, r=5.0, l=2e-9),),
    )
    f = 400e6
    t = np.linspace(0.0, 60 * NS, 24001)
    wave = PiecewiseLinear(tuple(t), tuple(np.sin(2 * math.pi * f * t)))
    s = solve_transient(net, wave, end=60 * NS, step=4 * PS)
    expected = node_response(net, np.array([2j * math.pi * f]))[0]
    last = s.time > 40 * NS
    basis = np.exp(-2j * math.pi * f * s.time[last])
    for node in range(4):
        found = 2j * np.mean(s.node(node)[last] * basis)
        assert abs(found - expected[node]) < 2e-3


def test_coupled_pair_is_its_two_modes() -> None:
    odd, even = lossy(45.0), lossy(56.0)
    pair = pair_line(odd, even)
    shunts = [ShuntBranch(0, r=50.0, source=True, drive=0), ShuntBranch(1, r=50.0)]
    shunts += [ShuntBranch(n, r=50.0) for n in (2, 3)]
    net = Net(4, tuple(shunts), coupled=(CoupledPiece((0, 1), (2, 3), pair, 0.15),))
    stimulus = edge(0.0, 1.0, 100 * PS)
    s = solve_transient(net, stimulus, end=5 * NS, step=2 * PS)

    def alone(line: Line) -> np.ndarray:
        one = Net(2, (driven(50.0), ShuntBranch(1, r=50.0)), (LinePiece(0, 1, line, 0.15),))
        return solve_transient(one, stimulus, end=5 * NS, step=2 * PS).node(1)

    a, b = alone(odd), alone(even)
    assert s.node(2) == pytest.approx(0.5 * (a + b), abs=1e-6)
    assert s.node(3) == pytest.approx(0.5 * (b - a), abs=1e-6)
    along, amps = s.coupled_along(0, np.array([0.0, 0.15]))
    loads = {n.node: n.r for n in s.net.shunts if not n.source}
    for k in (0, 1):
        assert amps[k, 1] == pytest.approx(s.node(2 + k) / loads[2 + k], abs=3e-6)
    assert along[0, 1] == pytest.approx(s.node(2), abs=1e-6)
    assert along[1, 0] == pytest.approx(s.node(1), abs=1e-6)


def test_three_lines_in_time_and_frequency() -> None:
    inductance = np.array([[3.2, 0.6, 0.2], [0.6, 3.3, 0.5], [0.2, 0.5, 3.1]]) * 1e-7
    c = np.array([[1.2, -0.15, -0.02], [-0.15, 1.25, -0.14], [-0.02, -0.14, 1.18]]) * 1e-10
    line = lossless_coupled(inductance, c)
    assert line.left_out < 1e-9
    shunts = tuple(ShuntBranch(n, r=40.0 + n, source=n == 1) for n in range(6))
    net = Net(6, shunts, coupled=(CoupledPiece((0, 1, 2), (3, 4, 5), line, 0.08),))
    stimulus = edge(0.0, 1.0, 100 * PS)
    ours = solve_transient(net, stimulus, end=4 * NS, step=1 * PS)
    exact = solve_linear(net, stimulus, end=4 * NS, step=1 * PS)
    for node in range(6):
        assert ours.node(node) == pytest.approx(exact.node(node), abs=2e-3)


def test_uncoupled_lines_scatter_as_single_ones() -> None:
    line = CoupledLine(np.eye(2), (lossy(50.0), lossy(60.0)))
    f = np.array([1e8, 1e9, 5e9])
    s = line.s_parameters(f, 0.1)
    assert s[:, 2, 0] == pytest.approx(lossy(50.0).s_parameters(f, 0.1)[:, 1, 0])
    assert np.abs(s[:, 3, 0]).max() < 1e-12


def test_package_matrices_agree_with_the_exact_answer() -> None:
    group = CoupledInductors(
        ((0, 1), (2, 3)), np.array([[2e-9, 0.6e-9], [0.6e-9, 2.2e-9]]), np.array([0.2, 0.3])
    )
    caps = CapacitorMatrix((1, 3), np.array([[1e-12, -0.2e-12], [-0.2e-12, 1.1e-12]]))
    shunts = (driven(40.0), ShuntBranch(2, r=50.0), ShuntBranch(1, r=60.0), ShuntBranch(3, r=60.0))
    net = Net(4, shunts, inductors=(group,), capacitors=(caps,))
    stimulus = edge(0.0, 1.0, 100 * PS)
    ours = solve_transient(net, stimulus, end=3 * NS, step=1 * PS)
    exact = solve_linear(net, stimulus, end=3 * NS, step=1 * PS)
    for node in range(4):
        assert ours.node(node) == pytest.approx(exact.node(node), abs=2e-3)
    assert dc_voltages(net, 1.0)[1] == pytest.approx(60.0 / 100.2)


def test_port_block_of_an_rc_is_that_rc() -> None:
    """A series R to a C to ground as a two-port by poles, against the parts themselves."""
    r, c, z = 30.0, 2e-12, 50.0
    parts = Net(
        2,
        (driven(50.0), ShuntBranch(1, c=c), ShuntBranch(1, r=70.0)),
        series=(SeriesPart(0, 1, r=r),),
    )
    # S of the two-port from its impedances, on frequencies as a file would hold them.
    frequency = np.linspace(0.0, 40e9, 801)
    zc = 1.0 / (2j * np.pi * np.maximum(frequency, 1.0) * c)
    zm = np.array([[r + zc, zc], [zc, zc]]).transpose(2, 0, 1)
    eye = np.eye(2)
    model = fit_arrivals(frequency, np.linalg.solve((zm / z + eye), zm / z - eye))
    block = Net(2, (driven(50.0), ShuntBranch(1, r=70.0)), blocks=(PortBlock((0, 1), model, z),))
    stimulus = edge(0.0, 1.0, 100 * PS)
    for node in (0, 1):
        want = solve_transient(parts, stimulus, end=2 * NS, step=1 * PS).node(node)
        assert solve_transient(block, stimulus, end=2 * NS, step=1 * PS).node(
            node
        ) == pytest.approx(want, abs=2e-4)


def test_short_pieces_are_lumped_and_nearly_the_same() -> None:
    line = lossless_line(80.0)
    shunts = (driven(50.0), ShuntBranch(3, r=50.0))
    pieces = (
        LinePiece(0, 1, lossless_line(50.0), 300 * PS),
        LinePiece(1, 2, line, 1.5 * PS),
        LinePiece(2, 3, lossless_line(50.0), 300 * PS),
    )
    net = Net(4, shunts, pieces)
    stimulus = edge(0.0, 1.0, 200 * PS)
    coarse = solve_transient(net, stimulus, end=2 * NS, step=4 * PS)
    fine = solve_transient(net, stimulus, end=2 * NS, step=0.5 * PS)
    assert coarse.node(3) == pytest.approx(
        np.interp(coarse.time, fine.time, fine.node(3)), abs=2e-3
    )


# -- devices -----------------------------------------------------


def test_a_straight_table_is_a_resistor() -> None:
    table = Table((-5.0, 5.0), (-5.0 / 70.0, 5.0 / 70.0))
    device = Device("R", (Port(1, (Term(table, -1.0),)),))
    net = Net(
        2, (driven(50.0),), (LinePiece(0, 1, lossless_line(50.0), 400 * PS),), devices=(device,)
    )
    plain = Net(2, (driven(50.0), ShuntBranch(1, r=70.0)), net.lines)
    stimulus = edge(0.0, 1.0, 100 * PS)
    a = solve_transient(net, stimulus, end=3 * NS, step=2 * PS)
    b = solve_transient(plain, stimulus, end=3 * NS, step=2 * PS)
    assert a.node(1) == pytest.approx(b.node(1), abs=1e-9)
    assert a.device_amps[:, 0] == pytest.approx(-a.node(1) / 70.0, abs=1e-9)


def test_a_switched_table_is_a_switched_conductance() -> None:
    """Weight from 0 to 1: the divider goes from open to half."""
    table = Table((-5.0, 5.0), (-0.1, 0.1))
    weight = Weight((1 * NS, 2 * NS), (0.0, 1.0))
    device = Device("switch", (Port(0, (Term(table, -1.0, weight=weight),)),))
    net = Net(1, (ShuntBranch(0, r=50.0, e=2.0),), devices=(device,))
    s = solve_transient(net, end=3 * NS, step=5 * PS)
    assert s.node(0)[0] == pytest.approx(2.0)
    assert s.node(0)[-1] == pytest.approx(1.0)
    k = np.interp(s.time, weight.time, weight.value)
    assert s.node(0) == pytest.approx(2.0 / (1.0 + k), abs=1e-6)


def test_diode_clamps_where_its_curve_meets_the_load_line() -> None:
    table = diode_table()
    device = Device("diode", (Port(0, (Term(table, -1.0),)),))
    net = Net(1, (ShuntBranch(0, r=1000.0, source=True),), devices=(device,))
    v = dc_voltages(net, 5.0)[0]
    current = (5.0 - v) / 1000.0
    exact = 0.0259 * math.log(current / 1e-14 + 1.0)
    assert v == pytest.approx(exact, abs=1e-3)
    s = solve_transient(net, edge(-1.0, 5.0, 1 * NS), end=3 * NS, step=5 * PS)
    assert s.node(0)[-1] == pytest.approx(v, abs=1e-6)


def test_a_device_between_two_nodes_sees_their_difference() -> None:
    table = Table((-5.0, 5.0), (-5.0 / 100.0, 5.0 / 100.0))
    device = Device("R", (Port(0, (Term(table, -1.0),), node_b=1),))
    net = Net(2, (driven(50.0), ShuntBranch(1, r=50.0)), devices=(device,))
    assert dc_voltages(net, 1.0) == pytest.approx([0.75, 0.25])
    s = solve_transient(net, edge(0.0, 1.0, 100 * PS), end=1 * NS, step=5 * PS)
    assert s.volts[-1] == pytest.approx([0.75, 0.25])


def test_a_device_without_an_operating_point_is_named() -> None:
    """Two sources of current against each other: a node that nothing can balance."""
    table = Table((-1.0, 1.0), (1e-3, 1e-3))
    device = Device("U9.A7", (Port(0, (Term(table),)),))
    net = Net(1, (ShuntBranch(0, c=1e-12),), devices=(device,))
    with pytest.raises(NotConverged, match=r"U9\.A7"):
        dc_voltages(net, ())


def test_floating_nodes_and_linear_only_answers_are_told() -> None:
    net = Net(2, (driven(), ShuntBranch(1, c=1e-12)))
    with pytest.raises(NotPhysical, match="direct current"):
        solve_transient(net, edge(0.0, 1.0, PS), end=NS, step=PS)
    device = Device("D", (Port(0, (Term(diode_table()),)),))
    with pytest.raises(NotPhysical, match="linear"):
        node_response(Net(1, (driven(),), devices=(device,)), np.array([1j]))


@pytest.mark.parametrize(
    ("volts", "amps", "words"),
    [
        ((0.0,), (0.0,), "two points"),
        ((0.0, 0.0), (0.0, 1.0), "rising"),
        ((0.0, math.inf), (0, 1), "finite"),
    ],
)
def test_tables_that_are_none_are_refused(volts, amps, words) -> None:
    with pytest.raises(NotPhysical, match=words):
        Table(volts, amps)


# -- energy --------------------------------------------------------


@settings(max_examples=15)
@given(
    z=st.lists(st.floats(30.0, 120.0), min_size=1, max_size=4),
    r=st.lists(st.floats(10.0, 300.0), min_size=2, max_size=2),
    c=st.floats(0.5e-12, 8e-12),
    inductance=st.floats(0.5e-9, 8e-9),
)
def test_what_is_put_in_is_lost_or_stored(z, r, c, inductance) -> None:
    """Energy over random lossless nets with resistors, a coil, a capacitor and a diode."""
    n = len(z)
    lines = tuple(LinePiece(k, k + 1, lossless_line(v), 150 * PS) for k, v in enumerate(z))
    device = Device("clamp", (Port(n + 1, (Term(diode_table(), -1.0, 1.0, -1.2),)),))
    net = Net(
        n + 2,
        (driven(r[0]), ShuntBranch(n, r=r[1]), ShuntBranch(n + 1, c=c), ShuntBranch(n + 1, r=1e4)),
        lines,
        (SeriesPart(n, n + 1, l=inductance),),
        devices=(device,),
    )
    rise, end = 200 * PS, 2.5 * NS
    stimulus = edge(0.0, 1.8, rise)
    s = solve_transient(net, stimulus, end=end, step=1 * PS)
    t = s.time
    source = stimulus.sample(t)
    i_in = (source - s.node(0)) / r[0]
    put_in = np.trapezoid(source * i_in, t)
    lost = np.trapezoid(i_in**2 * r[0] + s.node(n) ** 2 / r[1] + s.node(n + 1) ** 2 / 1e4, t)
    lost += np.trapezoid(-s.device_amps[:, 0] * s.node(n + 1), t)
    coil = (
        np.concatenate(
            [
                [0.0],
                np.cumsum(
                    np.diff(t)
                    * 0.5
                    * ((s.node(n) - s.node(n + 1))[1:] + (s.node(n) - s.node(n + 1))[:-1])
                ),
            ]
        )
        / inductance
    )
    stored = 0.5 * c * s.node(n + 1)[-1] ** 2 + 0.5 * inductance * coil[-1] ** 2
    places = np.linspace(0.0, 150 * PS, 61)
    for k, v in enumerate(z):
        volts, amps = s.both_along(k, places)
        # A hair before the end of the window, where the map has no corner.
        stored += np.trapezoid(0.5 * (volts[:, -1] ** 2 / v + amps[:, -1] ** 2 * v), places)
    assert put_in == pytest.approx(lost + stored, rel=0.01, abs=1e-14)


def test_line_models_are_stable_and_good() -> None:
    for length in (0.005, 0.05, 0.5):
        model = line_model(lossy(), length, Band(1e6, 100e9))
        assert (model.poles > 0).all()
        assert model.error < 1e-3
        assert model.delay == pytest.approx(length * math.sqrt(4.0) / 299792458.0, rel=0.06)
