"""Boards to begin with, and objects made from decisions."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.begin import empty_project, from_build_file, from_template
from onda.project.build.files import write_build
from onda.project.build.stackup import CopperLayer, DielectricLayer
from onda.project.build.templates import LAYER_COUNTS, TAIL_COUNTS, template_build
from onda.project.edits import remove_object
from onda.project.kind import Ref
from onda.project.kinds import KINDS, find
from onda.project.model import Project
from onda.project.quantities import parse_quantity
from onda.project.recipe import cook, defaults
from onda.project.recipes import RECIPES
from onda.project.requirement_edits import around_target, drop_requirement, require
from onda.project.store import dumps, loads
from onda.studies.build.remarks import build_remarks, zone_figures
from onda.studies.core.margin import State


@pytest.fixture(scope="module")
def board() -> Project:
    """Six layers, a class, a pair, a path on each."""
    project = from_template("Board", 6)
    for recipe, answers in (
        ("line", {"name": "Single"}),
        ("line", {"name": "Pairs", "structure": "pair", "layers": "L1, L6"}),
        ("path", {"name": "Net"}),
        ("path", {"name": "Lane", "line_class": "pairs"}),
    ):
        project, _ = cook(RECIPES[recipe], project, answers)
    return project


@pytest.mark.parametrize("tail", [False, True])
@pytest.mark.parametrize("layers", LAYER_COUNTS)
def test_every_template_can_be_built(layers: int, tail: bool) -> None:
    if tail and layers not in TAIL_COUNTS:
        with pytest.raises(InputError, match="no flexible tail"):
            template_build(layers, tail=tail)
        return
    project = from_template("Board", layers, tail=tail)
    stackup = project.design.stackup
    assert len(stackup.copper) == layers
    assert [x.id for x in stackup.copper] == [f"L{k}" for k in range(1, layers + 1)]
    assert not [r for r in build_remarks(project.design) if r.state is State.FAILS]
    assert loads(dumps(project)) == project
    # From above and from below it is the same board, but for two layers.
    heights = [x.thickness.si for x in stackup.layers if isinstance(x, DielectricLayer)]
    assert heights == heights[::-1]
    roles = [x.role for x in stackup.layers if isinstance(x, CopperLayer)]
    assert layers == 2 or roles == roles[::-1]
    # Every layer that carries traces has a plane next to it in its zone.
    for name in stackup.signal_layers:
        place = stackup.place(name)
        copper = [x for x in place.layers if isinstance(x, CopperLayer)]
        at = [x.id for x in copper].index(place.copper.id)
        beside = copper[max(at - 1, 0) : at] + copper[at + 1 : at + 2]
        assert any(x.role == "plane" for x in beside), name


@pytest.mark.parametrize("layers", LAYER_COUNTS)
def test_a_rigid_template_is_1_6_mm_thick(layers: int) -> None:
    stackup = from_template("Board", layers).design.stackup
    thick = zone_figures(stackup, stackup.all_zones[0]).thickness
    assert thick == pytest.approx(1.6e-3, rel=0.05)


def test_a_tail_is_a_zone_of_film_with_a_trace_layer_and_a_plane() -> None:
    stackup = from_template("Board", 6, tail=True).design.stackup
    rigid, tail = stackup.zones
    assert (rigid.kind, tail.kind) == ("rigid", "flex")
    assert tail.layers == ("cover-top", "L3", "D3-4", "L4", "cover-bottom")
    assert not {"cover-top", "cover-bottom"} & set(rigid.layers)
    roles = {x.id: x.role for x in stackup.zone_layers(tail) if isinstance(x, CopperLayer)}
    assert roles == {"L3": "signal", "L4": "plane"}


def test_an_unknown_template_names_those_there_are() -> None:
    with pytest.raises(InputError, match=r"no template of 5 layers.*2, 4, 6, 8, 10, 12"):
        from_template("Board", 5)


def test_a_build_file_begins_a_board(board: Project, tmp_path) -> None:
    for key, name in (("layers", "Vorlage Süd.csv"), ("ipc2581-c", "build.xml")):
        write_build(board, key, tmp_path / name)
        begun, _ = from_build_file(tmp_path / name)
        assert begun.name == name.rpartition(".")[0]
        copper = [(x.id, x.role, x.thickness.si) for x in begun.design.stackup.copper]
        assert copper == [(x.id, x.role, x.thickness.si) for x in board.design.stackup.copper]


def test_names_of_layers_are_those_of_the_file(tmp_path) -> None:
    text = (
        "layer, kind, thickness [um], material, dk, df, frequency [GHz]\n"
        "Oberseite (süd),signal,35,,,,\n"
        "Kern 1,core,200,FR,4.2,0.015,1\n"
        "Masse,plane,35,,,,\n"
    )
    file = tmp_path / "b.csv"
    file.write_text(text, encoding="utf-8")
    begun, _ = from_build_file(file)
    assert [x.id for x in begun.design.stackup.copper] == ["Oberseite (süd)", "Masse"]
    assert loads(dumps(begun)) == begun


# ---- recipes


def test_what_must_be_there_first_is_said_with_its_kind() -> None:
    empty = empty_project("Nothing")
    wanted = {"line": "layer", "shielded": "material", "path": "line", "link": "path"}
    wanted |= {"network": "line"}
    for kind, first in wanted.items():
        lack = RECIPES[kind].lacks(empty)
        assert lack is not None
        assert lack[1] == first
        with pytest.raises(InputError, match="yet"):
            cook(RECIPES[kind], empty, {})


@pytest.mark.parametrize("kind", [k for k in RECIPES if k != "layer"])
def test_every_object_is_made_from_its_defaults_and_goes_again(board: Project, kind: str) -> None:
    made, ref = cook(RECIPES[kind], board, {})
    assert ref.kind == kind
    assert find(made.design, ref).name
    assert loads(dumps(made)) == made
    again, other = cook(RECIPES[kind], made, {})
    assert other != ref
    assert (
        len({x.name for x in KINDS[kind].items(again.design)})
        == len(KINDS[kind].items(again.design))
        or kind == "network"
    )
    assert remove_object(made, ref) == board


def test_a_class_has_its_limits_on_every_layer(board: Project) -> None:
    made, ref = cook(
        RECIPES["line"], board, {"target": "90 ohm", "tolerance": "5 %", "layers": "L3,L4"}
    )
    limits = [r for r in made.requirements if r.ref == ref]
    assert [(r.layer, r.measure) for r in limits] == [("L3", "impedance"), ("L4", "impedance")]
    for r in limits:
        assert r.at_least is not None
        assert r.at_most is not None
        assert (r.at_least.si, r.at_most.si) == pytest.approx((85.5, 94.5))
    for t in made.design.line_class(ref.id).on:
        # A width that can be etched, to begin with.
        assert t.width.si >= 90e-6
        assert t.gap is None


def test_a_width_to_begin_with_follows_the_dielectric_and_what_can_be_etched(
    project: Project,
) -> None:
    """In the demo L1 lies 102 um above its plane, L3 127 and 142 um from its two."""

    def widths(own: Project) -> dict[str, float]:
        made, ref = cook(RECIPES["line"], own, {"target": "50 ohm", "layers": "L1,L3"})
        return {t.layer: t.width.si for t in made.design.line_class(ref.id).on}

    assert widths(project) == pytest.approx({"L1": 1.8 * 102e-6, "L3": 0.9 * 127e-6}, rel=5e-3)
    stackup = project.design.stackup
    coarse = set_value(
        stackup.fabrication,
        etch=tuple(
            set_value(e, width=parse_quantity("150 um", "length")) for e in stackup.fabrication.etch
        ),
    )
    design = set_value(project.design, stackup=set_value(stackup, fabrication=coarse))
    assert widths(set_value(project, design=design)) == pytest.approx(
        {"L1": 1.8 * 102e-6, "L3": 150e-6}, rel=5e-3
    )


def test_a_pair_makes_a_differential_path(board: Project) -> None:
    lane, net = board.design.path("lane"), board.design.path("net")
    assert (lane.lane, net.lane) == ("pair", "single")
    assert (lane.driver.low.si, lane.driver.high.si) == pytest.approx((-0.4, 0.4))
    assert (net.driver.low.si, net.driver.high.si) == pytest.approx((0.0, 1.8))
    assert lane.termination.kind == "parallel"
    assert lane.termination.r is not None
    assert lane.termination.r.si == 100.0
    assert net.termination.kind == "none"


def test_a_path_takes_what_was_decided(board: Project) -> None:
    answers = {
        "line_class": "pairs", "layer": "L6", "length": "85 mm", "swing": "1 V", "edge": "40 ps",
        "resistance": "90 ohm", "sends": "pattern", "rate": "3 Gb/s", "overshoot": "",
    }  # fmt: skip
    made, ref = cook(RECIPES["path"], board, answers)
    path = made.design.path(ref.id)
    piece = path.elements[0]
    assert (piece.line_class, piece.layer) == ("pairs", "L6")
    assert piece.length.si == pytest.approx(0.085)
    assert path.driver.high.si - path.driver.low.si == pytest.approx(1.0)
    assert (path.driver.edge.si, path.driver.resistance.si) == pytest.approx((40e-12, 90.0))
    assert path.stimulus.kind == "pattern"
    assert path.stimulus.rate is not None
    assert path.stimulus.rate.si == 3e9
    assert path.stimulus.window.si >= 24 / 3e9
    assert not [r for r in made.requirements if r.ref == ref]
    limited, ref = cook(RECIPES["path"], board, answers | {"overshoot": "0.2 V"})
    assert [r.at_most.si for r in limited.requirements if r.ref == ref] == [0.2]


def test_a_clock_runs_for_periods_of_its_own_and_an_edge_for_its_flight(board: Project) -> None:
    answers = {"line_class": "single", "length": "85 mm", "edge": "40 ps"}
    slow, ref = cook(RECIPES["path"], board, answers | {"sends": "clock", "frequency": "10 MHz"})
    stimulus = slow.design.path(ref.id).stimulus
    assert (stimulus.kind, stimulus.rate) == ("clock", None)
    assert stimulus.frequency is not None
    assert stimulus.frequency.si == 10e6
    assert stimulus.window.si == pytest.approx(250e-9)
    # A fast one is looked at as long as an edge is: until echoes have gone.
    windows = []
    for sends in ({"sends": "clock", "frequency": "5 GHz"}, {"sends": "edge"}):
        made, ref = cook(RECIPES["path"], board, answers | sends)
        windows.append(made.design.path(ref.id).stimulus.window.si)
    assert windows[0] == windows[1]
    # Eight times there at 7.5 ns/m or less, and four edges.
    assert 4e-9 < windows[1] < 8.0 * 7.5e-9 * 0.085 + 0.2e-9


def test_a_link_runs_over_a_path_or_a_network(board: Project) -> None:
    with_network, network = cook(RECIPES["network"], board, {"of": "line:pairs"})
    over_path, a = cook(RECIPES["link"], with_network, {"over": "path:lane", "rate": "8 Gb/s"})
    link = over_path.design.link(a.id)
    assert (link.path, link.network, link.rate.si) == ("lane", None, 8e9)
    over, b = cook(RECIPES["link"], with_network, {"over": f"network:{network.id}", "width": ""})
    link = over.design.link(b.id)
    assert (link.path, link.network) == (None, network.id)
    assert [(r.measure, r.at_least.si) for r in over.requirements if r.ref == b] == [
        ("eye_height", 0.1)
    ]
    with pytest.raises(InputError, match=f"Link 1 uses it"):  # noqa: F541
        remove_object(over, network)


@pytest.mark.parametrize(
    ("kind", "answers", "words"),
    [
        ("line", {"target": "fifty"}, "Impedance: 'fifty' is not a resistance"),
        ("line", {"name": "  "}, "Name is missing"),
        ("line", {"layers": "L1, L9"}, "On layers: there is no 'L9'.*L1, L3"),
        ("line", {"tolerance": "150 %"}, "Within"),
        ("line", {"colour": "red"}, "nothing called 'colour'.*name, structure"),
        ("path", {"line_class": "ghost"}, "Line class: there is no 'ghost'"),
        ("path", {"swing": "0 V"}, "Swing"),
        ("sheet_line", {"delay": "3 ps/mm"}, "faster than light"),
        ("link", {"height": "tall"}, "Eye height, at least"),
    ],
)
def test_what_cannot_be_is_refused_with_the_decision(
    board: Project, kind: str, answers: dict[str, str], words: str
) -> None:
    with pytest.raises(InputError, match=words):
        cook(RECIPES[kind], board, answers)


@given(
    st.sampled_from(sorted(RECIPES)),
    st.dictionaries(st.sampled_from(["name", "target", "length", "rate", "of", "over"]), st.text()),
)
def test_any_text_is_taken_or_refused(kind: str, answers: dict[str, str]) -> None:
    project = from_template("Board", 4)
    try:
        made, ref = cook(RECIPES[kind], project, answers)
    except InputError:
        return
    assert find(made.design, ref) or kind == "layer"


def test_defaults_follow_what_was_decided(board: Project) -> None:
    assert defaults(RECIPES["line"], board)["target"] == "50 ohm"
    assert defaults(RECIPES["line"], board, {"structure": "pair"})["target"] == "100 ohm"
    assert defaults(RECIPES["path"], board, {"line_class": "pairs"})["layer"] == "L1"


# ---- limits


def test_a_limit_is_put_on_a_place_and_taken_away(board: Project) -> None:
    made = require(board, "single", "impedance", "47 to 53 ohm", place="L3", source="sheet 4")
    found = next(r for r in made.requirements if r.layer == "L3" and r.subject == "single")
    assert (found.at_least.si, found.at_most.si, found.source) == (47.0, 53.0, "sheet 4")
    others = [r for r in made.requirements if r.subject == "single" and r.layer != "L3"]
    assert all(r.at_least.si == 45.0 for r in others)
    assert len(made.requirements) == len(board.requirements)
    gone = drop_requirement(made, found.id)
    assert {r.id for r in made.requirements} - {r.id for r in gone.requirements} == {found.id}


def test_a_limit_of_one_receiver_stands_beside_that_of_all(board: Project) -> None:
    made = require(board, "net", "overshoot", "0.1 V", place="receiver")
    of_net = [r for r in made.requirements if (r.measure, r.subject) == ("overshoot", "net")]
    found = {r.receiver: r.at_most.si for r in of_net}
    assert found == {None: 0.3, "receiver": 0.1}


def test_limits_around_a_target_follow_it_and_others_stay(board: Project) -> None:
    from onda.project.quantities import parse_quantity

    odd = require(board, "single", "impedance", "40 to 70 ohm", place="L3")
    moved = around_target(
        odd, Ref("line", "single"), "impedance", 50.0, parse_quantity("60 ohm", "resistance")
    )
    found = {
        r.layer: (r.at_least.si, r.at_most.si) for r in moved.requirements if r.subject == "single"
    }
    assert found["L1"] == pytest.approx((54.0, 66.0))
    assert found["L3"] == (40.0, 70.0)
    assert [r for r in moved.requirements if r.subject == "pairs"] == [
        r for r in odd.requirements if r.subject == "pairs"
    ]


def test_a_network_of_a_class_runs_on_the_first_of_its_layers(project: Project) -> None:
    memory = project.design.line_class("memory")
    assert [x.layer for x in memory.on] == ["L1", "L3", "L6"]
    answers = {"of": "line:memory", "length": "35 mm"}
    made, ref = cook(RECIPES["network"], project, answers)
    network = made.design.network(ref.id)
    assert (network.source.line_class, network.source.layer) == ("memory", "L1")
    assert network.source.length.si == pytest.approx(0.035)
    assert network.lane == "single"
    made, ref = cook(RECIPES["network"], project, {"of": "line:converter-pairs"})
    assert made.design.network(ref.id).lane == "pair"
    made, ref = cook(RECIPES["network"], project, {"of": "path:jl0"})
    assert (made.design.network(ref.id).source.path, made.design.network(ref.id).lane) == (
        "jl0", "pair",
    )  # fmt: skip
