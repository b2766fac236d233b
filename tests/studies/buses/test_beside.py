"""Signals of a bus between their neighbours, and on pins of their own."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from onda.engine.circuits.transient import solve_transient
from onda.engine.links.patterns import prbs
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.buses.bus import Bus, SignalPin
from onda.project.edits import replace_object, with_design
from onda.project.model import Project
from onda.project.paths.elements.lane import LanePiece
from onda.studies.buses.case import _wave
from onda.studies.buses.inputs import bus_inputs
from onda.studies.coupling.circuit import GroupCircuit
from onda.studies.coupling.inputs import group_inputs
from onda.studies.paths.elements.lane import LaneBits, LaneItem


@pytest.fixture(scope="module")
def beside(project: Project) -> Project:
    """Three lanes side by side between the controller and one module, nothing else on the way."""
    group = project.design.group("memory-byte")
    pieces = tuple(set_value(p, spacings=p.spacings[:2]) for p in group.pieces)
    three = set_value(group, lanes=group.lanes[:3], pieces=pieces)
    path = set_value(
        project.design.path("mem-dq"),
        elements=(LanePiece(id="G", group="memory-byte", lane="dq0"),),
    )
    bus = project.design.bus("byte1")
    operations = tuple(
        set_value(o, settings=tuple(s for s in o.settings if s.id != "A")) for o in bus.operations
    )
    signals = tuple(
        set_value(s, lengths=(), lane="" if s.id == "DQS1" else lane)
        for s, lane in zip(bus.signals, ("", "dq1", "dq2", "dq0"), strict=True)
    )
    made = set_value(
        bus, devices=(bus.devices[0], bus.devices[2]), operations=operations, signals=signals,
        corners=("typ",), bits=24,
    )  # fmt: skip
    # All at once: what is only halfway there does not hold together.
    requirements = tuple(r for r in project.requirements if r.kind != "bus")
    project = set_value(project, requirements=requirements)
    project = with_design(project, buses=())
    project = replace_object(replace_object(project, three), path)
    return with_design(project, buses=(made,))


def lane_of(case) -> LaneItem:
    (item,) = (i for i in case.data.path.items if isinstance(i, LaneItem))
    return item


def test_neighbours_are_driven_as_the_operation_says(beside: Project) -> None:
    inputs = bus_inputs(beside.design, beside.design.buses[0])
    by_name = {(c.signal, c.operation): lane_of(c) for c in inputs.cases}
    assert {name[0]: item.lane for name, item in by_name.items()} == {"DQ8": 1, "DQ9": 2, "DQ14": 0}
    write, read = by_name["DQ8", "write-b"], by_name["DQ8", "read-b"]
    assert (write.driver.model, write.listener.model) == ("dq_34", "dq_odt120")
    assert (read.driver.model, read.listener.model) == ("dq_34", "dq_odt60")
    assert (write.turned, read.turned) == (False, True)
    assert write.sends == LaneBits(9, 32, inputs.cases[0].unit_interval)


def test_lanes_send_bits_of_one_sequence_far_apart() -> None:
    sends = LaneBits(9, 200, 1e-9)
    lanes = [sends.of_lane(k) for k in range(8)]
    assert len(set(lanes)) == 8
    for k, edges in enumerate(lanes):
        bits = [int(not edges[0][1])]
        times = {round(t / 1e-9): up for t, up in edges}
        for n in range(199):
            bits.append(int(times[n]) if n in times else bits[-1])
        assert bits == prbs(9, 600)[37 * (k + 1) :][:200].astype(int).tolist()


@pytest.mark.parametrize(("signal", "operation"), [("DQ8", "write-b"), ("DQ9", "read-b")])
def test_a_wave_is_that_of_all_lanes_driven_at_once(
    beside: Project, signal: str, operation: str
) -> None:
    """The whole group as one circuit, built by Coupling: every lane with its own bits."""
    inputs = bus_inputs(beside.design, beside.design.buses[0], signal)
    case = next(c for c in inputs.cases if c.operation == operation)
    item, unit, count = lane_of(case), case.unit_interval, case.data.count
    time, volts = _wave(case.data)
    group = group_inputs(beside.design, beside.design.group("memory-byte"), fine=False)
    if operation.startswith("read"):
        # Driven from the right.
        lanes = tuple(replace(x, rightward=not x.rightward) for x in group.lanes)
        group = replace(group, lanes=lanes)
    circuit = GroupCircuit(group, item.driver, item.listener)
    own = case.data.bits
    edges, starts = [], []
    for k in range(3):
        bits = own if k == item.lane else None
        if bits is None:
            told = list(item.sends.of_lane(k))
        else:
            told = [
                (n * unit, bits[n + 1] == "1") for n in range(count - 1) if bits[n] != bits[n + 1]
            ]
        edges.append(told)
        starts.append(not told[0][1])
    end = count * unit
    net, stimuli = circuit.net(edges, starts, end)
    solution = solve_transient(net, stimuli, end=end, step=min(circuit.step, unit / 60))
    whole = np.interp(time, solution.time, solution.node(circuit.hears[item.lane]))
    inside = (time > 2 * unit) & (time < (count - 1) * unit)
    swing = float(np.ptp(whole[inside]))
    assert np.abs(volts - whole)[inside].max() < 0.06 * swing
    assert np.sqrt(np.mean((volts - whole)[inside] ** 2)) < 0.012 * swing
    # Its neighbours are heard: alone it is another wave.
    rests = replace(item, sends=None)
    alone = replace(case.data, path=replace(case.data.path, items=(rests,)))
    _, silent = _wave(alone)
    assert np.abs(volts - np.interp(time, *_wave(alone)))[inside].max() > 0.08 * swing
    assert len(silent)


def test_a_lane_that_is_not_there_is_refused(project: Project, beside: Project) -> None:
    bus = beside.design.buses[0]
    first, second, *rest = bus.signals
    with pytest.raises(InputError, match="has no lane 'dq9': one of dq0, dq1, dq2"):
        replace_object(
            beside, set_value(bus, signals=(first, set_value(second, lane="dq9"), *rest))
        )
    bus = project.design.bus("byte1")
    first, second, *rest = bus.signals
    with pytest.raises(InputError, match="has no lane 'dq0': it runs over no group"):
        replace_object(
            project, set_value(bus, signals=(first, set_value(second, lane="dq0"), *rest))
        )


# -- pins


def on_pins(bus: Bus, **pins: str) -> Bus:
    made = tuple(SignalPin(id=device, pin=pin) for device, pin in pins.items())
    signals = tuple(set_value(s, pins=made) if s.id == "DQ8" else s for s in bus.signals)
    return set_value(bus, signals=signals)


def test_pins_are_those_of_the_signal_alone(project: Project) -> None:
    bus = set_value(project.design.bus("byte1"), corners=("typ",), bits=16)
    inputs = bus_inputs(project.design, on_pins(bus, U1="H0", A="H5", B="H7"))
    for case in inputs.cases:
        path = case.data.path
        branch = next(item.end for item in path.items if item.end is not None)
        pins = (path.driver.device.pin, branch.device.pin, path.end.device.pin)
        assert pins == (("H0", "H5", "H7") if case.signal == "DQ8" else ("E0", "E0", "E0"))
        assert case.strobe.wave.path.driver.device.pin == "E0"
    plain = bus_inputs(project.design, bus)
    for was, now in zip(plain.cases, inputs.cases, strict=True):
        assert (was == now) == (was.signal != "DQ8")


def test_another_package_is_another_wave(project: Project) -> None:
    bus = set_value(project.design.bus("byte1"), corners=("typ",), bits=16)
    first = bus_inputs(project.design, bus, "DQ8").cases[0]
    other = bus_inputs(project.design, on_pins(bus, B="H0"), "DQ8").cases[0]
    time, volts = _wave(first.data)
    _, moved = _wave(other.data)
    # 0.64 nH and 0.22 pF for 0.55 nH and 0.2 pF: little, and not nothing.
    most = np.abs(np.interp(time, *_wave(other.data)) - volts).max()
    assert 1e-3 < most < 0.05
    assert len(moved)
