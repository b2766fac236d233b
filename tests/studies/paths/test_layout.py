"""What each thing along a path leaves in the net and on the scale of delays, part by part."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import cast

import numpy as np
import pytest

from onda.engine.circuits import LinePiece, SeriesPart, ShuntBranch
from onda.engine.devices import switching_of
from onda.engine.group_lines import GroupCapacitance, GroupLine
from onda.engine.lines import lossless_line
from onda.engine.networks.arrivals import ArrivalModel
from onda.project.model import Project
from onda.studies.paths.build import build_path, levels_at_rest, stimuli, with_edges
from onda.studies.paths.elements.branch import BranchItem
from onda.studies.paths.elements.lumped import LumpedItem
from onda.studies.paths.elements.resistor import ResistorItem
from onda.studies.paths.elements.shunt import ShuntItem
from onda.studies.paths.elements.via import ViaItem
from onda.studies.paths.ends import Device, EndInputs, TermInputs, device_at
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import Item, PathInputs, StimulusInputs
from onda.studies.paths.layout import Beside, BuiltEnd, Layout, Neighbour, Place
from onda.studies.paths.run import time_step

EDGE = 140e-12


def layout(line_factor: float = 1.0, driving: str = "") -> Layout:
    return Layout(EDGE, True, False, line_factor, driving)


def end(name: str = "U2", kind: str = "none", **values: float) -> EndInputs:
    return EndInputs(name, f"{name}.1", 2e-12, None, None, "device", TermInputs(kind, **values))


def path(*items: Item, last: EndInputs | None = None, **changes: object) -> PathInputs:
    made = PathInputs(
        items, end("driver"), 40.0, 0.2, 1.2, EDGE, last or end(), StimulusInputs("edge"), 5e-9,
        False,
    )  # fmt: skip
    return replace(made, **changes)


def test_delays_are_drawn_at_the_knee_of_the_edge() -> None:
    assert layout().knee == pytest.approx(2.5e9)


def test_a_piece_has_its_line_its_pads_and_its_place() -> None:
    plain, higher = layout(), layout(1.1)
    line = lossless_line(60.0)
    for made in (plain, higher):
        start = Place(0, 30e-12, row=2, branch="B")
        reached = made.piece(
            start, "V1", "via", "a via", line=line, length=20e-12, z=60.0, took=25e-12,
            metres=0.0, pad=1e-12, note="so",
        )  # fmt: skip
        assert reached == Place(1, pytest.approx(55e-12), row=2, branch="B", route=(0,))
        (piece,), (span,) = made.lines, made.spans
        assert (piece.node_a, piece.node_b, piece.length) == (0, 1, 20e-12)
        assert made.names == ["driver", "V1 end"]
        assert (span.id, span.kind, span.label, span.note) == ("V1", "via", "a via", "so")
        assert (span.start, span.end) == pytest.approx((30e-12, 55e-12))
        assert (span.row, span.branch) == (2, "B")
        # Its pads, half at each end.
        assert made.shunts == [ShuntBranch(0, c=0.5e-12), ShuntBranch(1, c=0.5e-12)]
        assert made.piece_span == [0]
    assert plain.lines[0].line is line
    assert plain.z == [60.0]
    assert plain.spans[0].z == 60.0
    assert higher.z == [pytest.approx(66.0)]
    assert higher.spans[0].z == pytest.approx(66.0)
    assert abs(higher.lines[0].line.impedance(np.array([1e9]))) == pytest.approx([66.0])


def test_a_second_piece_goes_on_behind_the_first() -> None:
    made = layout()
    line = lossless_line(50.0)
    place = Place(0, 0.0)
    for name, length in (("A", 10e-12), ("B", 30e-12)):
        place = made.line_piece(place, name, "trace", name, line=line, length=length, z=50.0)
    assert place == Place(2, pytest.approx(40e-12), route=(0, 1))
    assert [(s.start, s.end) for s in made.spans] == [
        (0.0, pytest.approx(10e-12)), (pytest.approx(10e-12), pytest.approx(40e-12)),
    ]  # fmt: skip
    assert [s.length for s in made.spans] == [10e-12, 30e-12]
    assert made.piece_span == [0, 1]


def test_what_hangs_on_the_way_is_no_way_on() -> None:
    made = layout(1.2)
    made.stub(Place(0, 5e-12), "V1", lossless_line(40.0), 3e-12, 40.0)
    made.silent(0, made.node("far"), lossless_line(50.0), 7e-12, 50.0)
    assert made.piece_span == [-1, -1]
    assert not made.spans
    assert [(p.node_a, p.node_b, p.length) for p in made.lines] == [(0, 1, 3e-12), (0, 2, 7e-12)]
    # Of a neighbour's line the tolerance counts as of the path's own.
    assert made.z == [40.0, pytest.approx(60.0)]
    assert abs(made.lines[1].line.impedance(np.array([1e9]))) == pytest.approx([60.0])


@pytest.mark.parametrize(
    ("term", "shunts"),
    [
        (TermInputs("parallel", r=50.0, rail=0.9), [ShuntBranch(3, r=50.0, e=0.9)]),
        (
            TermInputs("split", r=90.0, r_low=110.0, rail=1.8),
            [ShuntBranch(3, r=90.0, e=1.8), ShuntBranch(3, r=110.0)],
        ),
        (TermInputs("ac", r=50.0, c=1e-10, rail=1.8), [ShuntBranch(3, r=50.0, c=1e-10)]),
        (TermInputs("none", r=50.0, rail=1.8), []),
    ],
    ids=lambda x: x.kind if isinstance(x, TermInputs) else "",
)
def test_a_termination_is_its_resistors(term: TermInputs, shunts: list[ShuntBranch]) -> None:
    made = layout()
    made.terminate(term, 3, "R")
    assert made.shunts == shunts
    assert not made.devices


def test_diodes_hold_a_node_between_ground_and_the_rail() -> None:
    made = layout()
    made.terminate(TermInputs("diode", rail=1.5), 4, "U2")
    (device,) = made.devices
    assert device.name == "diodes at U2"
    (port,) = device.ports
    assert port.node == 4

    def into(volts: float) -> float:
        """Ampere that flows into the node."""
        return sum(t.scale * t.table.point(t.sign * volts + t.offset)[0] for t in port.terms)

    # Nothing between the two, much beyond each.
    assert abs(into(0.75)) < 1e-6
    assert into(2.5) < -5e-3
    assert into(-1.0) > 5e-3
    assert into(2.5) == pytest.approx(-into(-1.0), rel=1e-6)


def test_a_package_lies_between_the_pin_and_the_die() -> None:
    made = layout()
    whole = Device(None, (0.2, 3e-9, 1e-12), 2e-12, None)
    assert made.package(end(), whole, 0) == 1
    assert made.series == [SeriesPart(0, 1, r=0.2, l=3e-9)]
    # Its capacitance is at the pin.
    assert made.shunts == [ShuntBranch(0, c=1e-12)]
    # Of one that only has a capacitance the pin is the die; so is a probe's.
    only = layout()
    assert only.package(end(), replace(whole, package=(0.0, 0.0, 1e-12)), 0) == 0
    assert only.shunts == [ShuntBranch(0, c=1e-12)]
    assert not only.series
    for package in ((0.1, 0.0, 0.0), (0.0, 1e-9, 0.0)):
        assert layout().package(end(), replace(whole, package=package), 0) == 1
    probe = layout()
    assert probe.package(replace(end(), stands_in="probe"), whole, 0) == 0
    # A device by its capacitance alone has none either.
    assert probe.package(replace(end(), stands_in="capacitance"), whole, 0) == 0
    assert not probe.shunts
    assert not probe.series


def test_what_listens_is_its_load_and_a_probe_is_nothing() -> None:
    load = Device(None, None, 3e-12, 100.0)
    made = layout()
    made.listen(end(), load, 5)
    assert made.shunts == [ShuntBranch(5, c=3e-12), ShuntBranch(5, r=100.0)]
    none = layout()
    none.listen(end(), Device(None, None, 0.0, None), 5)
    none.listen(replace(end(), stands_in="probe"), load, 5)
    assert not none.shunts


def test_an_end_that_drives_does_not_load_the_line() -> None:
    made = layout(driving="U2")
    made.end(end("U2"), Place(0, 5e-12, route=(3,)))
    made.end(end("U3"), Place(0, 9e-12, row=1, route=(3, 4)))
    assert made.shunts == [ShuntBranch(0, c=2e-12)]
    assert made.routes == {"U2": (3,), "U3": (3, 4)}
    first, second = made.ends
    assert (first.id, first.name, first.pin, first.die) == ("U2", "U2.1", 0, 0)
    assert (first.delay, first.row, second.delay, second.row) == (5e-12, 0, 9e-12, 1)


def test_a_branch_has_a_row_of_its_own_unless_it_has_no_length() -> None:
    made = layout()
    place = Place(0, 8e-12)
    via = ViaItem("V", 50.0, 20e-12, 0.0)
    made.tributary(place, "B1", (via,), end("U3"))
    made.tributary(place, "B2", (), end("U4"))
    made.tributary(place, "B3", (via,), end("U5"))
    assert [(e.id, e.row) for e in made.ends] == [("U3", 1), ("U4", 0), ("U5", 2)]
    assert [e.delay for e in made.ends] == pytest.approx([28e-12, 8e-12, 28e-12])
    marks = {s.id: s for s in made.spans if s.kind == "branch"}
    assert {k: (s.label, s.row, s.branch) for k, s in marks.items()} == {
        "B1": ("U3.1", 1, "B1"), "B2": ("U4.1", 0, "B2"), "B3": ("U5.1", 2, "B3"),
    }  # fmt: skip
    assert all(s.start == s.end == 8e-12 for s in marks.values())
    # All leave where the line is.
    assert [p.node_a for p in made.lines] == [0, 0]


def test_neighbours_are_switched_as_they_are_told() -> None:
    one = Neighbour("N", 3, "with", 20e-12, EDGE, 1.0)
    told = [(0.0, True), (1e-9, False)]
    assert one.edges(told) == [(20e-12, True), (1e-9 + 20e-12, False)]
    assert replace(one, does="against").edges(told) == [(20e-12, False), (1e-9 + 20e-12, True)]
    assert replace(one, does="rest").edges(told) == []
    own = replace(one, does="bits", own=((3e-9, True), (4e-9, False)))
    assert own.edges(told) == [(3e-9 + 20e-12, True), (4e-9 + 20e-12, False)]
    # Where each rests while the driver is low, and while it is high.
    rests = {
        does: [replace(one, does=does).starts_high(driver) for driver in (False, True)]
        for does in ("with", "against", "rest")
    }
    assert rests == {"with": [False, True], "against": [True, False], "rest": [False, False]}
    assert [own.starts_high(d) for d in (False, True)] == [False, False]
    falls = replace(own, own=((3e-9, False),))
    assert [falls.starts_high(d) for d in (False, True)] == [True, True]
    assert not replace(own, own=()).starts_high(True)


def test_neighbours_of_their_own_are_sources_in_their_order() -> None:
    made = layout()
    made.neighbour(end("N1"), 1, does="rest", ohm=45.0, high=2.0, edge=EDGE, delay=1e-12)
    made.neighbour(end("N2"), 2, does="with", ohm=46.0, high=2.0, edge=EDGE, delay=2e-12)
    made.neighbour(end("N3"), 3, does="against", ohm=47.0, high=3.0, edge=9e-11, delay=3e-12)
    assert made.shunts == [
        ShuntBranch(1, r=45.0),
        ShuntBranch(2, r=46.0, source=True, drive=1),
        ShuntBranch(3, r=47.0, source=True, drive=2),
    ]
    assert made.neighbours == [
        Neighbour("N2.1", 2, "with", 2e-12, EDGE, 2.0, 1),
        Neighbour("N3.1", 3, "against", 3e-12, 9e-11, 3.0, 2),
    ]
    made.listener(end("N2"), 7, ohm=55.0, apart=-1)
    assert made.shunts[-1] == ShuntBranch(7, r=55.0)
    assert made.overheard == [(-1, "N2.1", 7)]


def test_sources_of_a_path_and_their_levels() -> None:
    built = build_path(path(ViaItem("V", 50.0, 20e-12, 0.0)))
    neighbours = (
        Neighbour("N2", 2, "with", 20e-12, 9e-11, 2.0, 1),
        Neighbour("N3", 3, "against", 0.0, EDGE, 3.0, 2),
        Neighbour("N4", 4, "rest", 0.0, EDGE, 4.0, 3),
    )
    built = replace(built, neighbours=neighbours)
    inputs = path()
    told = [(0.0, True), (1e-9, False)]
    own, with_it, against, rests = stimuli(built, inputs, told)
    assert own.time == pytest.approx((0.0, EDGE, 1e-9, 1e-9 + EDGE))
    assert own.volts == (0.2, 1.2, 1.2, 0.2)
    assert with_it.time == pytest.approx((20e-12, 110e-12, 1.02e-9, 1.11e-9))
    assert with_it.volts == (0.0, 2.0, 2.0, 0.0)
    assert against.volts == (3.0, 0.0, 0.0, 3.0)
    assert rests.volts == (0.0,)
    assert levels_at_rest(built, inputs, high=False) == [0.2, 0.0, 3.0, 0.0]
    assert levels_at_rest(built, inputs, high=True) == [1.2, 2.0, 0.0, 0.0]
    # Without an edge the first level says where all rest.
    falling = replace(inputs, stimulus=StimulusInputs("edge", falling=True))
    assert [s.volts for s in stimuli(built, falling, [])] == [(1.2,), (2.0,), (0.0,), (0.0,)]


def test_loads_that_end_the_ribbon() -> None:
    assert build_path(path()).z_load == math.inf
    both = replace(end(kind="parallel", r=100.0, rail=0.9), resistance=300.0)
    assert build_path(path(last=both)).z_load == pytest.approx(75.0)
    # A capacitor lets nothing through in the end.
    assert build_path(path(last=end(kind="ac", r=50.0, c=1e-10))).z_load == math.inf
    split = end(kind="split", r=60.0, r_low=120.0, rail=1.8)
    assert build_path(path(last=split)).z_load == pytest.approx(40.0)


def test_resistors_ahead_of_the_first_piece_count_to_the_source() -> None:
    r1, r2, r3 = (ResistorItem(f"R{k}", 10.0 * k) for k in (1, 2, 3))
    via = ViaItem("V", 50.0, 20e-12, 0.0)
    lumped = LumpedItem("L", "connector", 5.0, 0.0, 1e-12, None, None)
    shunt = ShuntItem("S", TermInputs("parallel", r=90.0))
    assert build_path(path(r1, lumped, shunt, r2, via, r3)).z_source == pytest.approx(70.0)
    assert build_path(path(via, r1)).z_source == 40.0
    # A branch on the way is where the line begins.
    branch = BranchItem("B", (), end("U3"))
    assert build_path(path(r1, branch, r2, via)).z_source == pytest.approx(50.0)


def test_bounces_run_on_the_same_net() -> None:
    """Resistors, pads and loads are where they are; a via shorter than a twelfth of the edge is
    what it holds more than the line."""
    line, short = ViaItem("T", 50.0, 60e-12, 0.0), ViaItem("V", 40.0, 10e-12, 0.4e-12)
    parallel = end(kind="parallel", r=80.0, rail=0.9)
    built = build_path(path(ResistorItem("R", 22.0), line, short, last=parallel))
    net = built.stretches
    assert net.names == ("driver.1", "R", "T end", "U2.1")
    (one,) = net.stretches
    assert (one.node_a, one.node_b, one.z) == (1, 2, 50.0)
    assert one.delay == pytest.approx(60e-12)
    assert net.source_node == 0
    assert net.source_conductance == pytest.approx(1.0 / 40.0)
    assert net.shunt == pytest.approx([1.0 / 40.0, 0.0, 0.0, 1.0 / 80.0])
    assert net.series == ((0, 1, 22.0), (2, 3, 0.0))
    # Its pads, and the share of its own that the line beside it does not have.
    own = (1.0 - (40.0 / 50.0) ** 2) * 10e-12 / 40.0
    assert net.capacitance == pytest.approx([2e-12, 0.0, 0.2e-12 + own, 0.2e-12 + 2e-12])
    # One of a higher impedance takes nothing away.
    high = build_path(path(line, replace(short, z0=70.0, pad=0.0)))
    assert high.stretches.capacitance[1] == 0.0
    # At a twelfth of the edge it is a stretch of its own.
    whole = build_path(path(line, replace(short, delay=EDGE / 12.0)))
    assert [s.delay for s in whole.stretches.stretches] == pytest.approx([60e-12, EDGE / 12.0])


def test_a_step_is_a_share_of_the_edge_or_of_what_is_short() -> None:
    def step(fine: bool, *delays: float) -> float:
        vias = tuple(ViaItem(f"V{k}", 50.0, d, 0.0) for k, d in enumerate(delays))
        inputs = path(*vias, fine=fine)
        return time_step(inputs, build_path(inputs))

    # 3.5 ps, 8.75 ps in a quick one.
    assert step(True, 1e-9) == pytest.approx(EDGE / 40.0)
    assert step(False, 1e-9) == pytest.approx(EDGE / 16.0)
    # One that is shorter than two steps changes nothing, nor do all of one and a half steps.
    assert step(True, 1e-9, 5.2e-12) == pytest.approx(EDGE / 40.0)
    # Two of 5.2 ps take more: each has three whole steps.
    assert step(True, 1e-9, 5.2e-12, 5.2e-12) == pytest.approx(5.2e-12 / 3.0)
    # In a quick run one step is enough for a piece that one takes.
    assert step(False, 1e-9, 8e-12, 8e-12) == pytest.approx(8e-12)
    assert step(False, 1e-9, 9e-12, 9e-12) == pytest.approx(3e-12)
    # Pieces of two to three steps hardly matter up to five of them.
    assert step(True, 1e-9, *[9e-12] * 5) == pytest.approx(EDGE / 40.0)
    assert step(True, 1e-9, *[9e-12] * 6) == pytest.approx(3e-12)
    # Not finer than a fifth.
    assert step(True, 1e-9, *[1e-12] * 9) == pytest.approx(EDGE / 200.0)


def test_lines_of_a_net_are_those_that_were_laid() -> None:
    built = build_path(path(ViaItem("V", 50.0, 20e-12, 0.0), ResistorItem("R", 0.0)))
    (piece,) = built.net.lines
    assert isinstance(piece, LinePiece)
    assert built.net.nodes == 2
    # A resistor of nothing is on the scale, not in the net.
    assert [(s.id, s.kind) for s in built.spans] == [("V", "via"), ("R", "resistor")]
    assert not built.net.series
    assert built.load == 1
    assert built.driver.name == "driver.1"


def coupled_line() -> GroupLine:
    """Two lines over a plane: 400 nH/m and 100 pF/m each, a tenth between them."""
    matrix = np.array([[1.0, 0.1], [0.1, 1.0]])
    c = np.array([[1.0, -0.1], [-0.1, 1.0]])
    return GroupLine(
        4e-7 * matrix, (GroupCapacitance(1e-10 * c),), np.zeros((2, 2)), np.zeros((2, 2))
    )


def test_coupled_lines_are_one_piece_of_which_one_is_on_the_way() -> None:
    beside = (Beside("N", False, 1),)
    for factor in (1.0, 1.25):
        made = layout(factor)
        nodes = ((0, made.node("n1")), (made.node("a2"), made.node("n2")))
        line = coupled_line()
        reached = made.coupled_piece(
            Place(0, 10e-12, row=1, branch="B", route=(7,)), "L", "lane", "L1", nodes=nodes, own=1,
            line=line, length=0.03, z=60.0, took=190e-12, beside=beside, short=True,
        )  # fmt: skip
        assert reached == Place(3, pytest.approx(200e-12), row=1, branch="B", route=(7, 0))
        (piece,) = made.coupled
        assert (piece.nodes_a, piece.nodes_b) == ((0, 1), (2, 3))
        assert (piece.length, piece.short) == (0.03, True)
        assert piece.line.l_ext == pytest.approx(factor * line.l_ext)
        assert piece.line.at_reference == pytest.approx(line.at_reference / factor)
        assert made.coupled_span == [(0, 1)]
        (span,) = made.spans
        assert (span.id, span.kind, span.label, span.row) == ("L", "lane", "L1", 1)
        assert (span.start, span.end) == pytest.approx((10e-12, 200e-12))
        assert (span.z, span.length, span.beside) == (pytest.approx(60.0 * factor), 0.03, beside)
    made = layout()
    reached = made.coupled_piece(
        Place(0, 0.0), "L", "lane", "L", nodes=((0, 1), (2, 3)), own=0, line=line, length=0.01,
        z=60.0, took=6e-11, beside=(),
    )  # fmt: skip
    assert not made.coupled[0].short
    assert reached.node == 2


def test_a_two_port_is_a_plain_connection_for_bounces() -> None:
    made = layout()
    model = cast("ArrivalModel", object())
    reached = made.block(
        Place(0, 10e-12, row=1), "N", "network", model=model, z=45.0, took=30e-12, note="a note"
    )
    assert reached == Place(1, pytest.approx(40e-12), row=1)
    (block,) = made.blocks
    assert (block.nodes, block.model, block.z_ref) == ((0, 1), model, 45.0)
    assert made.joined == [(0, 1)]
    (span,) = made.spans
    assert (span.id, span.kind, span.label, span.note) == ("N", "network", "N", "a note")
    assert (span.start, span.end) == pytest.approx((10e-12, 40e-12))
    assert (span.z, span.row) == (0.0, 1)


def test_a_ferrite_is_a_resistor_beside_its_coil() -> None:
    made = layout()
    ferrite = LumpedItem("F", "ferrite", 5.0, 3e-7, 1e-12, 120.0, None)
    assert ferrite.lay(made, Place(0, 1e-12)) == Place(1, 1e-12)
    assert made.series == [SeriesPart(0, 1, r=120.0), SeriesPart(0, 1, r=5.0, l=3e-7)]
    assert made.shunts == [ShuntBranch(0, c=0.5e-12), ShuntBranch(1, c=0.5e-12)]


def test_devices_by_their_models(project: Project) -> None:
    """A transmitter and a receiver of another lane, and receivers of the path."""
    inputs = path_inputs(project.design, project.design.path("clk-two"))
    output, listener = inputs.driver, inputs.end
    sends, hears = device_at(output), device_at(listener)
    assert sends.buffer is not None
    assert hears.buffer is not None
    made = layout()
    pin = made.node("pin")
    own = ((1e-9, True),)
    made.neighbour(output, pin, does="with", ohm=40.0, high=2.0, edge=EDGE, delay=5e-12, own=own)
    r, inductance, c = sends.package
    assert made.series == [SeriesPart(1, 2, r=r, l=inductance)]
    assert made.names[2] == f"{output.name} die"
    assert made.shunts == [ShuntBranch(1, c=c), ShuntBranch(2, c=sends.buffer.c_comp)]
    assert made.neighbours == [
        Neighbour(
            output.name, 2, "with", 5e-12, 0.0, 0.0, 0, sends.buffer, switching_of(sends.buffer),
            own,
        )
    ]  # fmt: skip
    # A source of its own behind it is the first of the linear ones.
    made.neighbour(end("N"), pin, does="with", ohm=40.0, high=2.0, edge=EDGE, delay=0.0)
    assert made.neighbours[1].drive == 1
    # A receiver's model has clamps at its die, and its capacitance.
    other = layout()
    other.listener(listener, other.node("pin"), ohm=50.0, apart=2)
    assert other.overheard == [(2, listener.name, 2)]
    assert ShuntBranch(2, c=hears.buffer.c_comp) in other.shunts
    assert all(s.r != 50.0 for s in other.shunts)
    (device,) = other.devices
    assert device.name == listener.name
    assert {port.node for port in device.ports} == {2}
    # An input cannot drive: a source stands for it.
    third = layout()
    third.neighbour(listener, 0, does="with", ohm=40.0, high=2.0, edge=EDGE, delay=0.0)
    assert third.shunts == [ShuntBranch(0, r=40.0, source=True, drive=1)]


def test_a_resistor_behind_the_package_ends_the_ribbon_too() -> None:
    """What lies at the pin and what lies at the die both count."""
    made = layout()
    made.ends.append(
        BuiltEnd("U2", "U2.1", 0, made.node("die"), 0.0, 0, end(), Device(None, None, 0.0, None))
    )
    made.shunts += [
        ShuntBranch(0, r=100.0), ShuntBranch(1, r=300.0), ShuntBranch(0, r=10.0, source=True),
        ShuntBranch(1, r=10.0, c=1e-12), ShuntBranch(0), ShuntBranch(2, r=10.0),
    ]  # fmt: skip
    assert made.load == pytest.approx(75.0)


def test_a_trace_is_a_stretch_however_short() -> None:
    """A piece with a length of its own is a line, the first one too."""
    made = build_path(path(Metre("T", 3e-12), Metre("U", 4e-12)))
    assert [s.delay for s in made.stretches.stretches] == pytest.approx([3e-12, 4e-12])


@dataclass(frozen=True, slots=True)
class Metre(Item):
    """A millimetre of line that takes so long."""

    took: float

    def lay(self, layout: Layout, place: Place) -> Place:
        return layout.piece(
            place, self.id, "trace", self.id, line=lossless_line(50.0), length=self.took, z=50.0,
            took=self.took, metres=1e-3,
        )  # fmt: skip


def test_a_buffer_counts_with_the_mean_of_its_halves(project: Project) -> None:
    inputs = path_inputs(project.design, project.design.path("clk-two"))
    built = build_path(inputs)
    buffer = device_at(inputs.driver).buffer
    assert buffer is not None
    mean = 0.5 * (buffer.resistance(high=True) + buffer.resistance(high=False))
    ahead = sum(i.value for i in inputs.items if isinstance(i, ResistorItem))
    assert built.z_source == pytest.approx(mean + ahead)
    assert built.stretches.source_conductance == pytest.approx(1.0 / mean)
    assert built.stretches.shunt[0] == pytest.approx(1.0 / mean)
    assert ShuntBranch(0, c=buffer.c_comp) in built.net.shunts


def test_buffers_of_neighbours_are_switched_with_the_driver(project: Project) -> None:
    inputs = path_inputs(project.design, project.design.path("clk-two"))
    built = build_path(inputs)
    buffer = built.driver.device.buffer
    assert buffer is not None
    one = Neighbour("N", 1, "against", 1e-9, 0.0, 0.0, 0, buffer, switching_of(buffer))
    source = Neighbour("S", 1, "with", 0.0, EDGE, 1.0, 1)
    built = replace(built, neighbours=(source, one))
    told = [(0.0, True), (2e-9, False)]
    *_, beside, own = with_edges(built, inputs, told, start_high=False).devices
    assert (beside.name, own.name) == ("N", built.driver.name)
    assert len(with_edges(built, inputs, told, start_high=False).devices) == 2 + len(
        built.net.devices
    )
    # What pulls up is off at rest, and on behind the first edge; beside it is the other way.
    assert beside.ports[0].node == 1
    assert own.ports[0].node == built.driver.die
    ups = [
        next(t.weight for t in d.ports[0].terms if t.weight and t.table == buffer.pullup)
        for d in (beside, own)
    ]
    assert [round(u.at(-1e-9), 3) for u in ups] == [1.0, 0.0]
    middle = 1.9e-9
    assert ups[1].at(middle) == pytest.approx(1.0, abs=0.02)
    assert ups[0].at(2.9e-9) == pytest.approx(0.0, abs=0.02)
    # Only linear ones have a waveform.
    own_wave, of_source = stimuli(built, inputs, told)
    assert own_wave.volts == (0.0,)
    assert of_source.volts == (0.0, 1.0, 1.0, 0.0)
    assert stimuli(replace(built, neighbours=(one,)), inputs, told) == ()
    assert levels_at_rest(replace(built, neighbours=(one,)), inputs, high=True) == []
    assert levels_at_rest(built, inputs, high=True)[1:] == [1.0]


@dataclass(frozen=True, slots=True)
class Beside2(Item):
    """Two coupled lines, of which the second one is the path's."""

    def lay(self, layout: Layout, place: Place) -> Place:
        nodes = ((layout.node("n1"), place.node), (layout.node("n2"), layout.node("out")))
        return layout.coupled_piece(
            place, self.id, "lane", self.id, nodes=nodes, own=1, line=coupled_line(), length=0.03,
            z=63.0, took=190e-12, beside=(),
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Stub(Item):
    """A short open line that hangs on the path."""

    def lay(self, layout: Layout, place: Place) -> Place:
        layout.stub(place, self.id, lossless_line(40.0), 4e-12, 40.0)
        return place


def test_coupled_lines_bounce_as_the_path_s_own_one() -> None:
    built = build_path(path(ViaItem("V", 50.0, 60e-12, 0.0), Beside2("L")))
    via, lane = built.stretches.stretches
    assert (via.node_a, via.node_b, via.z) == (0, 1, 50.0)
    assert (lane.node_a, lane.node_b, lane.z) == (1, built.load, 63.0)
    assert lane.delay == pytest.approx(190e-12)
    assert built.coupled_span == ((1, 1),)
    assert built.piece_span == (0,)


def test_a_stub_is_the_capacitance_that_it_holds() -> None:
    built = build_path(path(Stub("S"), ViaItem("V", 50.0, 60e-12, 0.0)))
    assert len(built.stretches.stretches) == 1
    assert built.stretches.series == ((0, 1, 0.0),)
    assert built.stretches.capacitance[0] == pytest.approx(2e-12 + 4e-12 / 40.0)
    # Where there is nothing but short pieces, 50 ohm is what they are held against.
    short = ViaItem("V", 40.0, 5e-12, 0.0)
    only = build_path(path(Stub("S"), short)).stretches
    assert only.capacitance[0] == pytest.approx(2e-12 + 4e-12 / 40.0)


def test_a_receiver_that_drives_takes_the_driver_s_place(project: Project) -> None:
    """With its own source and its own load; the driver listens."""
    made = path(ResistorItem("R", 10.0), ViaItem("V", 50.0, 60e-12, 0.0), driving="U2")
    built = build_path(made)
    assert built.driver.id == "U2"
    assert built.driver.die == 2
    assert [s for s in built.net.shunts if s.source] == [ShuntBranch(2, r=40.0, source=True)]
    # Each has its capacitance once.
    assert sorted(s.node for s in built.net.shunts if s.c) == [0, 2]
    assert built.stretches.source_node == 2
    inputs = path_inputs(project.design, project.design.path("mem-ca"))
    turned = build_path(replace(inputs, driving=inputs.end.id))
    assert turned.switching is not None
    assert turned.driver.name == inputs.end.name
    drives = device_at(inputs.end).buffer
    listens = device_at(inputs.driver).buffer
    assert turned.driver.device.buffer == drives
    assert any(d.name == inputs.driver.name for d in turned.net.devices) == bool(
        listens.power_clamp or listens.gnd_clamp
    )
