"""What a stage's hand does to the project, by itself: lanes of a group."""

from __future__ import annotations

from collections.abc import Callable
from types import SimpleNamespace
from typing import Any

import pytest

from onda.app.stages.coupling.hand import GroupHand
from onda.errors import InputError, OndaError
from onda.project.base import Frozen
from onda.project.coupling.group import LaneGroup
from onda.project.edits import replace_object
from onda.project.kind import Ref
from onda.project.model import Design, Project
from onda.project.quantities import parse_quantity as q


class Table:
    """An editor without a document: what was done to the project, and what was refused."""

    def __init__(self, project: Project) -> None:
        self.project, self.done, self.said = project, [], ""
        self.gestures: list[str] = []

    @property
    def design(self) -> Design:
        return self.project.design

    def make(self, label: str, project: Project) -> None:
        self.done.append(label)
        self.project = project

    def put(self, label: str, new: Frozen) -> None:
        self.make(label, replace_object(self.project, new))

    def attempt_put(self, label: str, new: Callable[[], Frozen]) -> bool:
        return self.run(lambda: self.put(label, new()))

    def run(self, act: Callable[[], Any]) -> bool:
        try:
            act()
        except OndaError as error:
            self.said = str(error)
            return False
        return True

    def begin_gesture(self) -> None:
        self.gestures.append("began")

    def end_gesture(self) -> None:
        self.gestures.append("ended")


class InView:
    """The group in view, the chosen piece and the lane that is looked at."""

    def __init__(self, table: Table, group: str, piece: int, lane: str) -> None:
        self._table, self._group, self._piece, self.lane = table, group, piece, lane
        self.chosen = ""
        self.shown: list[Ref] = []
        self.context = SimpleNamespace(selection=SimpleNamespace(show=self.shown.append))

    @property
    def present(self) -> LaneGroup:
        return self._table.design.group(self._group)

    @property
    def piece(self):
        return self.present.pieces[self._piece]

    def choose_element(self, element: str) -> None:
        self.chosen = element


@pytest.fixture
def table(project: Project) -> Table:
    return Table(project)


@pytest.fixture
def view(table: Table) -> InView:
    coupled = [p.coupled for p in table.design.group("converter-lanes").pieces].index(True)
    return InView(table, "converter-lanes", coupled, "jl2")


@pytest.fixture
def hand(table: Table, view: InView) -> GroupHand:
    return GroupHand(table, view)


def test_names_and_ends_are_put_where_they_belong(
    hand: GroupHand, view: InView, table: Table
) -> None:
    hand.rename("Lanes of the day")
    hand.rename_lane("Lane 2")
    assert view.present.name == "Lanes of the day"
    names = {x.id: x.name for x in view.present.lanes}
    assert names["jl2"] == "Lane 2"
    assert names["jl1"] != "Lane 2"
    hand.put_end("source", "43")
    hand.put_end("load", "61 ohm")
    assert (view.present.source.si, view.present.load.si) == (43.0, 61.0)
    hand.put_end("load", " Matched ")
    assert (view.present.source.si, view.present.load) == (43.0, None)
    with pytest.raises(InputError, match="above 0 ohm"):
        hand.put_end("source", "0")
    hand.put_receiver("5")
    assert view.present.receiver.si == 5e9
    hand.put_receiver("usual")
    assert view.present.receiver is None
    assert table.done[-1] == "Change receiver"


def test_pins_models_and_corners(table: Table) -> None:
    view = InView(table, "memory-byte", 0, "dq2")
    hand = GroupHand(table, view)
    assert view.present.driver is not None
    hand.choose_corner("slow")
    assert view.present.corner == "slow"
    count = len(view.present.lanes)
    pins = [f"E{k}" for k in range(count)]
    hand.put_pins("driver", ", ".join(pins))
    assert view.present.driver_pins == tuple(pins)
    assert view.present.listener_pins == ()
    hand.put_pins("driver", "None")
    assert view.present.driver_pins == ()
    file, model = view.present.driver.file, view.present.driver.model
    hand.choose_model("listener", f"{file}|{model}")
    assert (view.present.listener.file, view.present.listener.model) == (file, model)
    hand.put_pins("driver", ", ".join(pins))
    # Who has no model has no pins.
    hand.choose_model("driver", "")
    assert (view.present.driver, view.present.driver_pins) == (None, ())


def test_a_piece_is_laid_spaced_pulled_and_opened(
    hand: GroupHand, view: InView, table: Table
) -> None:
    hand.put_length(q("12 mm", "length"))
    assert view.piece.length.si == pytest.approx(12e-3)
    hand.put_spacing(q("400 um", "length"), 1)
    before = [s.si for s in view.piece.spacings]
    assert before[1] == pytest.approx(400e-6)
    assert before[0] != before[1]
    hand.put_spacing(q("333 um", "length"))
    assert {round(s.si * 1e6) for s in view.piece.spacings} == {333}
    hand.drag_spacing(0, 250.4e-6)
    assert [round(s.si * 1e6) for s in view.piece.spacings][:2] == [250, 333]
    hand.drag_spacing(-1, 275e-6)
    assert {round(s.si * 1e6) for s in view.piece.spacings} == {275}
    hand.begin_drag()
    hand.drag_length(view.piece.id, 0.5)
    hand.drag_length(view.piece.id, 1.5)
    hand.end_drag()
    # A share of what it had when the drag began.
    assert view.piece.length.si == pytest.approx(18e-3)
    assert table.gestures == ["began", "ended"]
    hand.put_guard("100 / 2")
    assert view.piece.guard.width.si == pytest.approx(100e-6)
    assert view.piece.guard.pitch.si == pytest.approx(2e-3)
    hand.put_guard("120 um")
    assert (view.piece.guard.width.si, view.piece.guard.pitch) == (pytest.approx(120e-6), None)
    hand.put_guard("none")
    assert view.piece.guard is None
    hand.put_open("none")
    assert view.piece.open_planes == ()
    planes = [x.id for x in table.design.stackup.copper if x.role == "plane"]
    hand.put_open(f"{planes[0]}, {planes[1]}")
    assert view.piece.open_planes == tuple(planes[:2])
    assert all(p.open_planes == () for p in view.present.pieces if p.id != view.piece.id)


def test_layers_and_classes_are_those_that_fit(hand: GroupHand, view: InView, table: Table) -> None:
    hand.choose_layer("L6")
    assert view.piece.layer == "L6"
    hand.choose_class("uplink-pairs")
    on = [t.layer for t in table.design.line_class("uplink-pairs").on]
    assert view.present.line_class == "uplink-pairs"
    assert {p.layer for p in view.present.pieces} <= set(on)
    assert view.piece.layer == "L6"


def test_pieces_and_lanes_come_and_go(hand: GroupHand, view: InView, table: Table) -> None:
    count = len(view.present.pieces)
    hand.add_piece()
    assert len(view.present.pieces) == count + 1
    assert view.chosen == view.present.pieces[-1].id
    assert view.present.pieces[-1].coupled
    hand.add_fan()
    assert not view.present.pieces[-1].coupled
    gone = view.piece.id
    hand.remove_piece()
    assert gone not in {p.id for p in view.present.pieces}
    lanes = [x.id for x in view.present.lanes]
    towards = {x.id: x.towards for x in view.present.lanes}
    hand.turn("jl1")
    now = {x.id: x.towards for x in view.present.lanes}
    assert [k for k in lanes if now[k] != towards[k]] == ["jl1"]
    hand.add_lane()
    assert len(view.present.lanes) == len(lanes) + 1
    hand.remove_lane()
    assert "jl2" not in {x.id for x in view.present.lanes}


def test_vias_are_the_usual_ones_and_go_again(hand: GroupHand, view: InView, table: Table) -> None:
    assert view.piece.vias is None
    # Where both pieces run on one layer there is nothing to go through.
    hand.toggle_vias()
    assert "both run on L3" in table.said
    assert view.piece.vias is None
    hand.choose_layer("L6")
    hand.toggle_vias()
    assert view.piece.vias is not None
    hand.toggle_vias()
    assert view.piece.vias is None


def test_a_split_changes_the_class_on_that_layer_and_the_distances(
    hand: GroupHand, view: InView, table: Table
) -> None:
    layer = view.piece.layer
    before = {t.layer: t for t in table.design.line_class(view.present.line_class).on}
    hand.take_split(88e-6, 99e-6, 310e-6)
    after = {t.layer: t for t in table.design.line_class(view.present.line_class).on}
    assert (after[layer].width.si, after[layer].gap.si) == pytest.approx((88e-6, 99e-6))
    assert {k: v for k, v in after.items() if k != layer} == {
        k: v for k, v in before.items() if k != layer
    }
    assert {round(s.si * 1e6) for s in view.piece.spacings} == {310}
    assert table.done == ["Split the width anew"]


def test_a_group_becomes_a_network_that_is_shown(
    hand: GroupHand, view: InView, table: Table
) -> None:
    hand.as_network()
    (ref,) = view.shown
    made = table.design.network(ref.id)
    assert ref.kind == "network"
    assert made.lane == "pair"
    assert made.rate == view.present.rate
    assert made.source.group == "converter-lanes"
