"""The net of a group in time: what each lane sends, where it goes, and in which steps."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.engine.circuits import ShuntBranch
from onda.errors import InputError
from onda.project.model import Project
from onda.studies.coupling.circuit import GroupCircuit
from onda.studies.coupling.inputs import GroupInputs, group_inputs
from onda.studies.coupling.solved_group import delay_of, lane_target
from onda.studies.devices.use import used
from onda.studies.lines.solved_line import solve_line
from onda.studies.paths.inputs import path_inputs


@pytest.fixture(scope="module")
def byte(project: Project) -> GroupInputs:
    """Quick sections, 40 ohm behind each driver, 55 at each receiver; two lanes run back."""
    made = group_inputs(project.design, project.design.group("memory-byte"), fine=False)
    lanes = tuple(replace(x, rightward=k not in (1, 4)) for k, x in enumerate(made.lanes))
    return replace(made, source=40.0, load=55.0, lanes=lanes, far=0.3, rise=90e-12)


def quiet(circuit: GroupCircuit) -> tuple[list[list[tuple[float, bool]]], list[bool]]:
    return [[] for _ in range(circuit.n)], [False] * circuit.n


def test_every_lane_has_its_driver_at_one_end_and_its_load_at_the_other(byte: GroupInputs) -> None:
    circuit = GroupCircuit(byte, None, None)
    n = len(byte.lanes)
    assert circuit.n == n
    last = list(range(circuit.nodes - n, circuit.nodes))
    for k, lane in enumerate(byte.lanes):
        ends = (k, last[k]) if lane.rightward else (last[k], k)
        assert (circuit.sends[k], circuit.hears[k]) == ends
        assert ShuntBranch(circuit.hears[k], r=55.0) in circuit.shunts
    net, stimuli = circuit.net(*quiet(circuit), 1e-9)
    sources = [s for s in net.shunts if s.source]
    assert sources == [
        ShuntBranch(circuit.sends[k], r=40.0, source=True, drive=k) for k in range(n)
    ]
    assert len(stimuli) == n
    assert net.nodes == circuit.nodes
    net.check()
    # What is not stated is the lane's own impedance.
    matched = GroupCircuit(replace(byte, source=None, load=None), None, None)
    z = lane_target(byte.pieces[0])
    assert (matched.source, matched.load) == (z, z)


def test_pieces_follow_each_other(byte: GroupInputs) -> None:
    circuit = GroupCircuit(byte, None, None)
    n = circuit.n
    nodes = list(range(n))
    coupled, single = list(circuit.coupled), list(circuit.lines)
    for piece in byte.pieces:
        if piece.vias is not None:
            continue
        if piece.section is not None:
            one = coupled.pop(0)
            assert list(one.nodes_a) == nodes
            assert one.length == piece.length
            assert one.line.size == n
            nodes = list(one.nodes_b)
        else:
            some, single = single[:n], single[n:]
            assert [p.node_a for p in some] == nodes
            assert {p.length for p in some} == {piece.length}
            nodes = [p.node_b for p in some]
    assert (coupled, single) == ([], [])
    assert len(set(nodes)) == n


def test_a_linear_edge_takes_its_time_and_comes_to_its_level(byte: GroupInputs) -> None:
    """Twice what noise counts comes to rest at the receiver, of a source behind its resistor."""
    circuit = GroupCircuit(byte, None, None)
    assert circuit.edge == pytest.approx(150e-12)
    commands, starts = quiet(circuit)
    commands[2] = [(0.2e-9, True), (1.4e-9, False)]
    commands[3], starts[3] = [(0.5e-9, False)], True
    starts[5] = True
    _, stimuli = circuit.net(commands, starts, 2.5e-9)
    high = 2.0 * 0.3 * (40.0 + 55.0) / 55.0
    assert [stimuli[k].volts for k in (0, 5)] == [(0.0,), (pytest.approx(high),)]
    both = stimuli[2]
    time = np.array(both.time)
    volts = np.array(both.volts)
    assert time[0] == 0.0
    assert time[-1] == pytest.approx(2.5e-9 + circuit.lead)

    def crossed(share: float, rising: bool) -> float:
        """From the command to so much of the swing."""
        begins = 0.2e-9 if rising else 1.4e-9
        some = (time > begins) & (time < begins + 2.0 * circuit.lead)
        v = volts[some] if rising else -volts[some]
        level = share * high if rising else -share * high
        return float(np.interp(level, v, time[some])) - begins - circuit.lead

    assert crossed(0.5, True) == pytest.approx(0.0, abs=0.2e-12)
    assert crossed(0.8, True) - crossed(0.2, True) == pytest.approx(90e-12, rel=2e-3)
    assert crossed(0.5, False) == pytest.approx(0.0, abs=0.2e-12)
    assert crossed(0.2, False) - crossed(0.8, False) == pytest.approx(90e-12, rel=2e-3)
    assert volts[0] == 0.0
    assert volts.max() == pytest.approx(high)
    assert volts[-1] == pytest.approx(0.0, abs=1e-9)
    falls = np.array(stimuli[3].volts)
    assert (falls[0], falls[-1]) == (pytest.approx(high), pytest.approx(0.0, abs=1e-9))


def test_steps_follow_the_edge_and_the_shortest_piece(byte: GroupInputs) -> None:
    circuit = GroupCircuit(byte, None, None)
    assert circuit.delay == pytest.approx(sum(delay_of(p) for p in byte.pieces))
    assert circuit.step == pytest.approx(150e-12 / 24)
    (first, *rest) = byte.pieces
    short = GroupCircuit(replace(byte, pieces=(replace(first, length=5e-4), *rest)), None, None)
    took = solve_line(first.lane).signal_mode.delay * 5e-4
    assert short.step == pytest.approx(took / 3.0)


def test_devices_by_their_models(project: Project, byte: GroupInputs) -> None:
    inputs = path_inputs(project.design, project.design.path("mem-dq"))
    driver, listener = inputs.driver.device, inputs.end.device
    assert driver is not None
    assert listener is not None
    circuit = GroupCircuit(byte, driver, listener)
    buffer, package = used(driver)
    hears, behind = used(listener)
    assert package is not None
    assert behind is not None
    r, inductance, c = package
    n = circuit.n
    for k in range(n):
        # A package lies between the pin and the die of each end.
        ends = [p for p in circuit.series if p.node_b == circuit.sends[k]]
        assert [(p.r, p.l) for p in ends] == [(r, inductance)]
        assert ShuntBranch(ends[0].node_a, c=c) in circuit.shunts
        far = [p for p in circuit.series if p.node_b == circuit.hears[k]]
        assert [(p.r, p.l) for p in far] == [(behind[0], behind[1])]
        assert ShuntBranch(circuit.hears[k], c=hears.c_comp) in circuit.shunts
    assert circuit.lead == 0.0
    assert circuit.switching is not None
    assert circuit.edge == circuit.switching.edge
    commands, starts = quiet(circuit)
    commands[1] = [(0.0, True)]
    net, stimuli = circuit.net(commands, starts, 2e-9)
    assert stimuli == []
    drivers = net.devices[len(circuit.devices) :]
    assert [d.name for d in drivers] == [x.name for x in byte.lanes]
    assert [d.ports[0].node for d in drivers] == circuit.sends
    assert buffer.drives


def test_groups_that_cannot_be_followed(project: Project, byte: GroupInputs) -> None:
    design = project.design
    pairs = group_inputs(design, design.group("converter-lanes"), fine=False)
    with pytest.raises(InputError, match="is made of pairs"):
        GroupCircuit(pairs, None, None)
    listener = path_inputs(design, design.path("clk-two")).end.device
    with pytest.raises(InputError, match="does not drive"):
        GroupCircuit(byte, listener, None)


def test_the_gaussian_s_middle_sixty_percent() -> None:
    """20 to 80 % of the integral of a Gaussian lie 1.683 standard deviations apart."""
    circuit_sigma = 1.0 / 1.6832424671
    assert 0.5 * (1.0 + math.erf(0.5 / circuit_sigma / math.sqrt(2.0))) == pytest.approx(0.8)
