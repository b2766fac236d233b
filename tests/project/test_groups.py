"""Groups in the document: what holds together, what edits do, and how one is begun."""

from __future__ import annotations

import pytest
from pydantic import ValidationError

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.begin import empty_project
from onda.project.coupling import edits
from onda.project.coupling.group import Guard, LaneGroup
from onda.project.edits import remove_object, replace_object, requirements_of
from onda.project.kind import Ref
from onda.project.kinds import users_of
from onda.project.quantities import parse_quantity
from onda.project.recipe import cook, defaults
from onda.project.recipes import RECIPES
from onda.project.store import load_project, save_project


def um(value: float):
    return parse_quantity(f"{value:g} um", "length")


@pytest.fixture
def group(project) -> LaneGroup:
    return project.design.group("converter-lanes")


def spacings(group: LaneGroup, piece: str = "C1") -> list[float]:
    return [round(q.si * 1e6) for q in edits.piece_of(group, piece).spacings]


def test_one_distance_or_all_of_a_piece(group) -> None:
    assert spacings(group) == [420, 420, 420, 190, 420]
    one = edits.set_spacing(group, "C1", um(300), 3)
    assert spacings(one) == [420, 420, 420, 300, 420]
    every = edits.set_spacing(one, "C1", um(250))
    assert spacings(every) == [250] * 5
    assert spacings(every, "C2") == [420] * 5
    with pytest.raises(InputError, match="no lane behind lane 6"):
        edits.set_spacing(group, "C1", um(300), 5)
    with pytest.raises(InputError, match="no piece 'X'"):
        edits.set_spacing(group, "X", um(300))


def test_a_lane_goes_and_comes_with_its_distance(group) -> None:
    less = edits.remove_lane(group, "jl3")
    assert [x.id for x in less.lanes] == ["jl0", "jl1", "jl2", "up0", "up1"]
    # The larger of the two distances beside it stays.
    assert spacings(less) == [420, 420, 420, 420]
    assert spacings(edits.remove_lane(group, "up1")) == [420, 420, 420, 190]
    assert spacings(edits.remove_lane(group, "jl0")) == [420, 420, 190, 420]
    more = edits.add_lane(group)
    assert (more.lanes[-1].name, more.lanes[-1].towards) == ("Lane 7", "left")
    assert spacings(more) == [420, 420, 420, 190, 420, 420]
    assert edits.piece_of(more, "F1").spacings == ()
    two = edits.remove_lane(edits.remove_lane(less, "up0"), "up1")
    two = edits.remove_lane(two, "jl0")
    with pytest.raises(InputError, match="two lanes or more"):
        edits.remove_lane(two, "jl1")


def test_a_lane_turns(group) -> None:
    turned = edits.turn_lane(group, "jl1")
    assert [x.towards for x in turned.lanes][:3] == ["right", "left", "right"]
    assert edits.turn_lane(turned, "jl1") == group
    with pytest.raises(InputError, match="no lane 'x'"):
        edits.turn_lane(group, "x")


def test_pieces_come_and_go(group) -> None:
    more, new = edits.add_piece(group)
    assert edits.piece_of(more, new).spacings == edits.piece_of(group, "C2").spacings
    fan, other = edits.add_piece(group, coupled=False)
    assert not edits.piece_of(fan, other).coupled
    longer = edits.set_length(group, "F1", parse_quantity("11 mm", "length"))
    assert longer.length - group.length == pytest.approx(2e-3)
    for piece in ("F1", "C1", "C2"):
        group = edits.remove_piece(group, piece)
    with pytest.raises(InputError, match="one piece or more"):
        edits.remove_piece(group, "F2")


def test_a_guard_needs_room(group) -> None:
    wide = Guard(width=um(190))
    with pytest.raises(InputError, match=r"guard 190 um wide overlaps lanes 190 um apart.* JL3"):
        edits.set_guard(group, "C1", wide)
    assert edits.piece_of(edits.set_guard(group, "C2", wide), "C2").guard == wide


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"lanes": ({"id": "a", "name": "A"},)}, "at least 2"),
        (
            {"lanes": ({"id": "a", "name": "A"}, {"id": "a", "name": "B"})},
            "lane 'a' is there twice",
        ),
        ({"near": "0 V"}, "near end must be above 0 V"),
        ({"allowed": ({"loss": "1 dB", "noise": "1 mV"},)}, "two points or none"),
        (
            {"allowed": ({"loss": "3 dB", "noise": "1 mV"}, {"loss": "3 dB", "noise": "2 mV"})},
            "must rise",
        ),
        (
            {"allowed": ({"loss": "1 dB", "noise": "0 mV"}, {"loss": "3 dB", "noise": "2 mV"})},
            "noise must be above 0 V",
        ),
    ],
)
def test_what_does_not_hold_together_is_refused(group, changes, words) -> None:
    with pytest.raises((InputError, ValidationError), match=words):
        set_value(group, **changes)


def test_lanes_and_distances_must_fit(group) -> None:
    piece = edits.piece_of(group, "C1")
    for few in (piece.spacings[:-1], (*piece.spacings, um(100))):
        pieces = (set_value(piece, spacings=few),)
        with pytest.raises(InputError, match=r"spacings between 6 lanes, 5 are needed"):
            set_value(group, pieces=pieces)


def test_it_refers_to_a_class_on_layers_that_it_is_routed_on(project, group) -> None:
    for line_class, words in (
        ("nothing", "no line class 'nothing'"),
        ("strobes", "a group already"),
        ("sensor-pairs", "not routed on 'L3'"),
    ):
        other = group.model_copy(update={"line_class": line_class})
        with pytest.raises(InputError, match=words):
            replace_object(project, other)
    users = [user.id for user in users_of(project.design, Ref("line", "memory"))]
    assert users == ["memory-byte"]
    with pytest.raises(InputError, match="Memory byte 0 uses it"):
        remove_object(project, Ref("line", "memory"))


def test_a_group_from_three_decisions(project, tmp_path) -> None:
    made, ref = cook(
        RECIPES["group"],
        project,
        {"of": "uplink-pairs@L6", "lanes": "3: A B C", "length": "25 mm", "noise": "1 mV"},
    )
    new = made.design.group(ref.id)
    assert [x.name for x in new.lanes] == ["A", "B", "C"]
    assert (new.pieces[0].layer, new.pieces[0].length.text) == ("L6", "25 mm")
    # Twice the gap inside the pair.
    assert [q.si for q in new.pieces[0].spacings] == pytest.approx([280e-6] * 2)
    (required,) = requirements_of(made, ref)
    assert (required.measure, required.at_most.text) == ("lane_noise", "1 mV")
    save_project(made, tmp_path / "g.onda")
    assert load_project(tmp_path / "g.onda").design.group(ref.id) == new
    assert defaults(RECIPES["group"], project)["lanes"] == "4"


@pytest.mark.parametrize(
    ("lanes", "words"),
    [
        ("many", "no number of lanes"),
        ("1", "2 to 16"),
        ("60", "hardly disturb"),
        ("3: A B", "2 names"),
    ],
)
def test_numbers_of_lanes_that_are_none(project, lanes, words) -> None:
    with pytest.raises(InputError, match=words):
        cook(RECIPES["group"], project, {"lanes": lanes})


def test_a_board_without_classes_says_what_comes_first() -> None:
    with pytest.raises(InputError, match="there is none yet"):
        cook(RECIPES["group"], empty_project("x"), {})


@pytest.mark.parametrize(
    ("group", "layers", "piece", "start", "pitch"),
    [
        # At the beginning they come from the outer layer that is further away.
        ("converter-lanes", ("L3", "L3", "L3", "L3"), "F1", "L8", 2e-3),
        ("converter-lanes", ("L6", "L6", "L6", "L6"), "F1", "L1", 2e-3),
        ("memory-byte", ("L1", "L1"), "C1", "L8", 1e-3),
        # Elsewhere from the layer before.
        ("memory-byte", ("L1", "L3"), "F1", None, 1e-3),
        ("converter-lanes", ("L3", "L3", "L6", "L6"), "C2", None, 2e-3),
    ],
)
def test_vias_to_begin_with(
    project, group: str, layers: tuple[str, ...], piece: str, start: str | None, pitch: float
) -> None:
    found = project.design.group(group)
    laid = set_value(
        found,
        pieces=tuple(set_value(p, layer=n) for p, n in zip(found.pieces, layers, strict=True)),
    )
    vias = edits.usual_vias(project.design, laid, piece)
    assert vias.from_layer == start
    assert vias.pitch.si == pytest.approx(pitch)


def test_vias_between_pieces_of_one_layer_are_none(project) -> None:
    with pytest.raises(InputError, match="both run on L3"):
        edits.usual_vias(project.design, project.design.group("converter-lanes"), "C1")


def test_pins_go_with_their_lane(project) -> None:
    group = project.design.group("memory-byte")
    sends, hears = (tuple(f"{side}{k}" for k in range(8)) for side in "AB")
    pinned = set_value(group, driver_pins=sends, listener_pins=hears)
    less = edits.remove_lane(pinned, group.lanes[2].id)
    assert less.driver_pins == (*sends[:2], *sends[3:])
    assert less.listener_pins == (*hears[:2], *hears[3:])
    assert [x.id for x in less.lanes] == [x.id for k, x in enumerate(group.lanes) if k != 2]
