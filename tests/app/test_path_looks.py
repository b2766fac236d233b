"""How a path's elements look: words, fields, lists, what of them is swept, where they lie."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPointF
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from onda.app.selection import Selection
from onda.app.shell.choices import ChoiceSpec
from onda.app.stages.paths.elements import LOOKS, look_of
from onda.app.stages.paths.look import Hand
from onda.app.stages.paths.profile import Profile
from onda.app.stages.paths.ribbon_layout import MIDDLE, RibbonLayout
from onda.app.stages.paths.scale import LEFT, RIGHT, DelayScale, Probes, route_map
from onda.app.stages.paths.termination import termination_choice, termination_fields
from onda.app.theme import Look
from onda.project.base import set_value
from onda.project.model import Design, Project
from onda.project.paths.edits import change_element
from onda.project.paths.elements.cable import Cable
from onda.project.paths.elements.drilled import DrilledVia
from onda.project.paths.elements.lane import LanePiece
from onda.project.paths.elements.lumped import LumpedPart
from onda.project.paths.elements.network import NetworkPiece
from onda.project.paths.elements.shunt import ShuntPart
from onda.project.paths.elements.via import Via
from onda.project.paths.ends import Termination
from onda.project.paths.path import Path
from onda.project.quantities import parse_quantity as q
from onda.studies.core.runner import StudyRunner
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.layout import Span
from onda.studies.paths.path import PATH, PathResult
from tests.painted import drawn


class Table:
    """A path that is changed by hand."""

    def __init__(self, design: Design, path: Path) -> None:
        self.design, self.path, self.said = design, path, ""

    def put(self, words: str, path: Path) -> None:
        self.said, self.path = words, path

    def hand(self, element: str, kept: tuple[Path, ...] = ()) -> Hand:
        found = self.path.element(element)
        return Hand(lambda: self.path, found, self.design, self.put, 60.0, kept)

    def choices(self, element: str) -> dict[str, ChoiceSpec]:
        hand = self.hand(element)
        return {c.title: c for c in look_of(hand.element).choices(hand)}


@pytest.fixture
def table(project: Project) -> Table:
    return Table(project.design, project.design.path("clk-adc"))


@pytest.fixture
def pair(project: Project) -> Table:
    return Table(project.design, project.design.path("jl0"))


def keys(choice: ChoiceSpec) -> list[str]:
    return [key for key, _ in choice.items]


def with_first(table: Table, element) -> Table:
    elements = (element, *table.path.elements[1:])
    return Table(table.design, set_value(table.path, elements=elements))


def test_every_kind_has_a_look_and_what_is_none_looks_plain(table: Table) -> None:
    for element in table.path.elements:
        title, remark = look_of(element).words(table.path, element)
        assert title.endswith(element.id)
        assert remark.format() == remark
    rs = table.path.element("Rs")
    assert look_of(rs).words(table.path, rs) == (
        "Series resistor Rs", f"in the line of {table.path.net}",
    )  # fmt: skip
    assert look_of(None).title == "Receiver"
    assert len(LOOKS) == 10


def test_a_resistor_is_trimmed_and_swept_around_what_it_is(table: Table) -> None:
    rs = set_value(table.path.element("Rs"), value=q("80 ohm", "resistance"))
    one = with_first(table, rs)
    fields = {f.title: f for f in look_of(rs).specs(one.hand("Rs"))}
    assert fields["Value"].trim == (0.0, 120.0, 0.5)
    assert fields["Tolerance"].trim is None
    small = set_value(rs, value=q("10 ohm", "resistance"))
    assert look_of(small).trim(small, look_of(small).rows[0]) == (0.0, 100.0, 0.5)
    swept = look_of(rs).sweep(rs, 64.0)
    assert (swept.id, swept.low, swept.high, swept.now) == ("Rs", 0.0, 100.0, 80.0)
    assert look_of(rs).chip(rs) == "80 Ω"
    large = set_value(rs, value=q("1.2 kohm", "resistance"))
    assert look_of(large).chip(large) == "1200 Ω"
    fields["Value"].put(q("33 ohm", "resistance"))
    assert (one.said, one.path.element("Rs").value.si) == ("Change Rs", 33.0)
    assert fields["Value"].get().si == 33.0
    kept = (table.path, change_element(table.path, small))
    field = look_of(rs).specs(one.hand("Rs", kept))[0]
    assert field.kept() == [table.path.element("Rs").value.si, 10.0]


def test_a_trace_is_pulled_swept_and_moved_to_a_layer_of_its_class(table: Table) -> None:
    trace = table.path.element("T2")
    look = look_of(trace)
    at = trace.length.si
    (field,) = look.specs(table.hand("T2"))
    assert field.trim == pytest.approx((max(0.1 * at, 5e-4), max(2.0 * at, 0.02), 1e-4))
    long = set_value(trace, length=q("50 mm", "length"))
    assert look.trim(long, look.rows[0]) == pytest.approx((5e-3, 0.1, 1e-4))
    swept = look.sweep(long, 50.0)
    assert (swept.low, swept.high, swept.now) == pytest.approx((5e-3, 0.1, 0.05))
    assert swept.name == "length of T2"
    choices = table.choices("T2")
    single = [c for c in table.design.line_classes if c.kind == "single"]
    assert choices["Class"].items == tuple((c.id, c.name) for c in single)
    assert keys(choices["Layer"]) == [o.layer for o in table.design.line_class("clocks").on]
    # A class that has the layer keeps it, another one begins on its own first one.
    before = table.path.element("T2").layer
    choices["Class"].put("general" if before != "L2" else "memory")
    moved = table.path.element("T2")
    assert (moved.line_class, moved.layer) == ("general", before)
    table.choices("T2")["Layer"].put("L1")
    assert table.path.element("T2").layer == "L1"
    table.choices("T2")["Class"].put("launch")
    moved = table.path.element("T2")
    assert (moved.line_class, moved.layer) == ("launch", "L8")


def test_vias_have_their_fields_by_kind(table: Table) -> None:
    via = table.path.element("V1")
    assert isinstance(via, Via)
    trims = {f.title: f.trim for f in look_of(via).specs(table.hand("V1"))}
    assert trims["Impedance"] == (20.0, 150.0, 1.0)
    assert trims["Delay"] == (1e-12, 60e-12, 5e-13)
    assert trims["Pads"] == (0.0, 1e-12, 1e-14)
    trig = Table(table.design, table.design.path("trig"))
    drilled = trig.path.element("V1")
    assert isinstance(drilled, DrilledVia)
    choices = trig.choices("V1")
    copper = [c.id for c in table.design.stackup.copper]
    assert keys(choices["From"]) == keys(choices["To"]) == copper
    assert (choices["From"].current, choices["To"].current) == (
        drilled.from_layer, drilled.to_layer,
    )  # fmt: skip
    choices["Return vias"].put("3")
    assert trig.path.element("V1").returns == 3
    for key, is_there in (("yes", True), ("no", False)):
        trig.choices("V1")["Stub"].put(key)
        assert trig.path.element("V1").back_drilled == is_there
        assert trig.choices("V1")["Stub"].current == key
        titles = [f.title for f in look_of(drilled).specs(trig.hand("V1"))]
        assert ("Rest of stub" in titles) == is_there
    layer = next(c for c in copper if c not in (drilled.from_layer, drilled.to_layer))
    trig.choices("V1")["To"].put(layer)
    found = trig.path.element("V1")
    assert (found.from_layer, found.to_layer) == (drilled.from_layer, layer)


def test_lanes_cables_and_networks_are_chosen(pair: Table) -> None:
    lane = LanePiece(id="G1", group="converter-lanes", lane="up0")
    one = with_first(pair, lane)
    choices = one.choices("G1")
    # Only groups of pairs run along a pair.
    group = pair.design.group("converter-lanes")
    assert choices["Group"].items == ((group.id, group.name),)
    assert choices["Lane"].items == tuple((x.id, x.name) for x in group.lanes)
    assert keys(choices["Lane"]) == ["jl0", "jl1", "jl2", "jl3", "up0", "up1"]
    assert choices["Lane"].current == "up0"
    choices["Lane"].put("jl2")
    assert one.path.element("G1").lane == "jl2"
    one.choices("G1")["Neighbours"].put("against")
    assert one.path.element("G1").neighbours == "against"
    one.choices("G1")["Group"].put("converter-lanes")
    assert one.path.element("G1").lane == "jl2"
    # A group without that lane begins with its first one.
    one.choices("G1")["Group"].put("memory-byte")
    assert (one.path.element("G1").group, one.path.element("G1").lane) == ("memory-byte", "dq0")
    lines = pair.design.sheet_lines
    cable = Cable(id="W1", line=lines[0].id, length=q("0.4 m", "length"))
    more = set_value(lines[0], id="other", name="Other")
    one = with_first(pair, cable)
    one.design = set_value(pair.design, sheet_lines=(*lines, more))
    choice = one.choices("W1")["Line"]
    assert choice.items == ((lines[0].id, lines[0].name), ("other", "Other"))
    assert choice.current == lines[0].id
    choice.put("other")
    assert one.path.element("W1").line == "other"
    swept = look_of(cable).sweep(cable, 50.0)
    assert (swept.low, swept.high) == pytest.approx((0.04, 0.8))
    net = NetworkPiece(id="N1", file="x")
    one = with_first(pair, net)
    assert one.choices("N1")["Ports"].current == "no"
    one.choices("N1")["Ports"].put("yes")
    assert one.path.element("N1").turned
    assert one.choices("N1")["Ports"].current == "yes"


def test_lumped_parts_say_what_matters_of_them() -> None:
    def part(role: str, **values: str) -> LumpedPart:
        dimensions = {"inductance": "inductance", "r": "resistance", "c": "capacitance",
                      "r_parallel": "resistance", "c_series": "capacitance"}  # fmt: skip
        return LumpedPart(id="P1", role=role, **{k: q(v, dimensions[k]) for k, v in values.items()})

    base = {"inductance": "2 nH", "r": "0.1 ohm", "c": "0.2 pF"}
    for one, chip in (
        (part("connector", **base), "2.0 nH"),
        (part("capacitor", **base, c_series="100 nF"), "100 nF"),
        (part("ferrite", **base, r_parallel="120 ohm"), "120 Ω∥"),
        # What another part has beside it or in series is not what matters of it.
        (part("connector", **base, r_parallel="120 ohm"), "2.0 nH"),
        (part("connector", **base, c_series="100 nF"), "2.0 nH"),
    ):
        assert look_of(one).chip(one) == chip


# -- terminations -------------------------------------------------------------------------------


def test_a_termination_has_the_fields_of_its_kind(table: Table) -> None:
    wanted = {
        "none": [], "parallel": ["Resistor", "Rail"], "split": ["To rail", "To 0 V", "Rail"],
        "ac": ["Resistor", "Capacitor"], "diode": ["Rail"],
    }  # fmt: skip
    for kind, titles in wanted.items():
        choice = termination_choice(table.path, "receiver", table.put, 56.0)
        assert keys(choice) == list(wanted)
        choice.put(kind)
        assert table.path.termination.kind == kind
        fields = termination_fields(lambda: table.path, "receiver", table.put)
        assert [f.title for f in fields] == titles
        trims = [f.trim for f in fields if f.dimension == "resistance"]
        assert trims == [(5.0, 400.0, 1.0)] * len(trims)
    termination_choice(table.path, "receiver", table.put, 56.0).put("split")
    to_rail, to_ground, rail = termination_fields(lambda: table.path, "receiver", table.put)
    to_rail.put(q("91 ohm", "resistance"))
    to_ground.put(q("82 ohm", "resistance"))
    rail.put(q("1.2 V", "voltage"))
    made = table.path.termination
    assert (made.r.si, made.r_low.si, made.rail.si) == (91.0, 82.0, 1.2)
    assert (to_rail.get().si, to_ground.get().si, rail.get().si) == (91.0, 82.0, 1.2)


def test_what_stands_along_the_line_is_something(table: Table, pair: Table) -> None:
    end = Termination(kind="parallel", r=q("60 ohm", "resistance"), rail=q("0 V", "voltage"))
    part = ShuntPart(id="X1", termination=end)
    one = with_first(table, part)
    assert "none" not in keys(one.choices("X1")["Ends in"])
    swept = look_of(part).sweep(part, 50.0)
    assert (swept.low, swept.high, swept.now) == pytest.approx((18.0, 180.0, 60.0))
    assert (swept.id, swept.name) == ("X1", "end of X1")
    assert look_of(part).chip(part) == "parallel"
    diodes = set_value(part, termination=set_value(end, kind="diode", r=None))
    assert look_of(diodes).sweep(diodes, 50.0) is None
    # Diodes clamp each leg of a pair by itself: they are no end of one.
    assert "diode" not in keys(termination_choice(pair.path, "receiver", pair.put, 100.0))


# -- where things lie ----------------------------------------------------------------------


def span(name: str, kind: str, start: float, end: float, z: float = 0.0, **more) -> Span:
    return Span(name, kind, name, start * 1e-12, end * 1e-12, z, 1e-3 if z else 0.0, **more)


SPANS = (
    span("Rs", "resistor", 0, 0),
    span("T1", "trace", 0, 100, 60.0),
    span("C1", "lumped", 100, 100),
    span("C2", "lumped", 100, 100),
    span("T2", "trace", 100, 300, 30.0),
    span("X1", "shunt", 300, 300),
    span("T3", "trace", 300, 400, 120.0),
)


def test_pieces_lie_on_the_scale_as_high_as_their_impedance_is_low(table: Table) -> None:
    scale = DelayScale(800.0, 400e-12)
    assert (scale.x(0.0), scale.x(400e-12)) == pytest.approx((LEFT, 800.0 - RIGHT))
    assert scale.delay(scale.x(123e-12)) == pytest.approx(123e-12)
    assert (scale.delay(0.0), scale.delay(800.0)) == (0.0, 400e-12)
    layout = RibbonLayout(table.path, SPANS, 800.0)
    heights = {s.id: layout.piece(s).height() for s in SPANS if s.z}
    assert heights == pytest.approx({"T1": 34.0, "T2": 58.0, "T3": 17.0})
    for s in SPANS:
        if s.z:
            rect = layout.piece(s)
            assert (rect.left(), rect.right()) == pytest.approx((scale.x(s.start), scale.x(s.end)))
            assert rect.center().y() == pytest.approx(MIDDLE)
    chips = layout.chips()
    # What comes before the line stands left of its scale.
    assert chips["Rs"].right() == pytest.approx(LEFT - 4.0)
    # Two at one place stand apart, what hangs on the line above it.
    assert chips["C2"].left() - chips["C1"].left() == pytest.approx(8.0)
    assert chips["C1"].center().x() == pytest.approx(scale.x(100e-12))
    assert chips["C1"].top() - chips["X1"].top() == pytest.approx(26.0)
    assert layout.element_at(chips["X1"].center()) == "X1"
    assert layout.element_at(layout.piece(SPANS[4]).center()) == "T2"
    assert layout.element_at(QPointF(400.0, 4.0)) == ""
    assert set(layout.ends()) == {"driver", "receiver"}
    assert layout.ends()["receiver"].right() == pytest.approx(799.0)


def test_the_right_edge_of_a_piece_is_taken(table: Table) -> None:
    layout = RibbonLayout(table.path, SPANS, 800.0)
    edge = layout.piece(SPANS[1]).right()
    found = layout.edge_at(QPointF(edge + 3.0, MIDDLE))
    assert found is not None
    assert found.id == "T1"
    assert layout.edge_at(QPointF(edge + 5.0, MIDDLE)) is None
    assert layout.edge_at(QPointF(edge, MIDDLE + 40.0)) is None


def test_the_profile_steps_with_the_impedance(qtbot: QtBot, qapp: QApplication) -> None:
    look, probes = Look(), Probes()
    selection = Selection("paths", lambda _: "paths")
    profile = Profile(look, selection, probes)
    qtbot.addWidget(profile)
    profile.resize(800, 70)
    kept = (span("T1", "trace", 0, 200, 90.0), span("T2", "trace", 200, 400, 45.0))
    profile.show_spans(SPANS, [kept], (50.0, 70.0), 400e-12)
    profile.show()
    found = drawn(profile)
    scale = DelayScale(800.0, 400e-12)
    low, high = 0.9 * 30.0, 1.08 * 120.0

    def y(z: float) -> float:
        return 68.0 - (z - low) / (high - low) * 66.0

    now = [s for s in found.of("polyline", stroke=look.t.ink) if len(s.points) == 2]
    level = [s for s in now if s.points[0][1] == s.points[1][1]]
    assert [s.points[0][1] for s in level] == pytest.approx([y(60), y(30), y(120)], abs=0.05)
    ends = [tuple(s.points[:, 0]) for s in level]
    assert ends[1] == pytest.approx((scale.x(100e-12), scale.x(300e-12)), abs=0.05)
    # Where it steps it is drawn upright.
    assert len(now) == 5
    dashed = [s for s in found.of("polyline", stroke=look.t.kept) if s.dash]
    assert dashed[0].points[0][1] == pytest.approx(y(90), abs=0.05)
    # The box reaches from one end of the scale to the other, and the band with it.
    (frame,) = [s for s in found.of("rect", stroke=look.t.hairline) if s.box[2] - s.box[0] > 200.0]
    assert (frame.box[0], frame.box[2]) == pytest.approx((scale.x(0.0), scale.right), abs=0.05)
    (band,) = found.of("rect", fill=look.t.sea_tint)
    assert (band.box[0], band.box[2]) == pytest.approx((scale.x(0.0), scale.right), abs=0.05)
    assert (band.box[1], band.box[3]) == pytest.approx((y(70), y(50)), abs=0.05)
    numbers = {w.text: w.y for w in found.words if w.text.isdigit()}
    assert list(numbers) == ["30", "60", "120"]
    assert numbers["120"] < numbers["60"] < numbers["30"]
    selection.hover("T2")
    (lit,) = [s for s in drawn(profile).of("polyline", stroke=look.t.sea) if not s.dash]
    assert lit.points == pytest.approx(
        np.array([[scale.x(100e-12), y(30)], [scale.x(300e-12), y(30)]]), abs=0.05
    )
    probes.move(1, 0.25)
    probe = [s for s in drawn(profile).of("polyline", stroke=look.t.series[2]) if s.dash]
    assert probe[0].points[0][0] == pytest.approx(scale.x(100e-12), abs=0.05)


def test_a_route_that_is_a_part_takes_its_part_of_the_scale(
    qtbot: QtBot, qapp: QApplication
) -> None:
    look = Look()
    profile = Profile(look, Selection("paths", lambda _: "paths"), Probes())
    qtbot.addWidget(profile)
    profile.resize(800, 70)
    profile.show()
    ends = {}
    for total in (None, 400e-12, 800e-12):
        profile.show_spans(SPANS, [], None, total)
        lines = drawn(profile).of("polyline", stroke=look.t.ink)
        ends[total] = max(s.box[2] for s in lines)
    whole = DelayScale(800.0, 1.0)
    assert ends[None] == ends[400e-12] == pytest.approx(whole.x(1.0), abs=0.05)
    assert ends[800e-12] == pytest.approx(whole.x(0.5), abs=0.05)


def test_between_two_places_a_wave_is_in_between(project: Project, runner: StudyRunner) -> None:
    design = project.design
    result = runner.result(PATH, path_inputs(design, design.path("trig")))
    assert isinstance(result, PathResult)
    for receiver in result.receivers:
        found = route_map(result, receiver.id)
        assert found.delay == pytest.approx(found.places[-1])
        a, b = found.places[3], found.places[4]
        middle = found.volts_at(0.75 * a + 0.25 * b)
        assert middle == pytest.approx(0.75 * found.volts[3] + 0.25 * found.volts[4], abs=1e-6)
        assert found.volts_at(2 * found.delay) == pytest.approx(found.volts[-1])
        assert found.amps_at(-1e-12) == pytest.approx(found.amps[0])
        # Only what lies on its own way.
        own = {int(k) for k in receiver.route}
        pieces = {int(result.piece[i]) for i in range(len(result.places))
                  if result.places[i] in found.places}  # fmt: skip
        assert own <= pieces
    routes = {r.id: route_map(result, r.id).spans for r in result.receivers}
    assert len(set(routes.values())) == len(routes)
    probes = Probes()
    moved = []
    probes.changed.connect(lambda: moved.append(True))
    probes.move(0, 1.7)
    assert (probes.items[0].share, probes.current) == (1.0, 0)
    probes.move(0, 1.0)
    assert len(moved) == 1
