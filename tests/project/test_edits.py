"""Edits make new trees, share what did not change, and refuse what does not fit."""

from __future__ import annotations

import pytest
from pydantic import ValidationError

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.edits import (
    add_copy,
    keep_state,
    objects_of,
    remove_object,
    rename_kept,
    rename_object,
    replace_object,
    requirements_of,
    restore_kept,
    show_kept,
    with_design,
    without_kept,
)
from onda.project.kind import Ref
from onda.project.model import Project
from onda.project.paths.edits import insert_element, remove_element
from onda.project.paths.ends import Termination
from onda.project.quantities import parse_quantity
from onda.project.requirement_edits import require, set_limit


def test_an_edit_leaves_the_old_tree_alone(project: Project) -> None:
    before = project.model_dump_json()
    path = set_value(project.design.path("clk-adc"), name="Other")
    new = replace_object(project, path)
    assert project.model_dump_json() == before
    assert new.design.path("clk-adc").name == "Other"


def test_what_did_not_change_is_shared(project: Project) -> None:
    new = replace_object(project, set_value(project.design.path("clk-adc"), name="Other"))
    assert new.design.stackup is project.design.stackup
    assert new.design.paths[1] is project.design.paths[1]


def test_trees_are_frozen(project: Project) -> None:
    with pytest.raises(ValidationError):
        project.name = "x"  # type: ignore[misc]
    with pytest.raises(ValidationError):
        project.design.materials[0].dk = 2.0  # type: ignore[misc]


def test_refused_edits_say_where(project: Project) -> None:
    with pytest.raises(InputError, match=r"dk.*greater than or equal to 1"):
        set_value(project.design.materials[0], dk=0.1)
    layers = tuple(
        set_value(layer, role="plane") if layer.id == "L1" else layer
        for layer in project.design.stackup.layers
    )
    stackup = set_value(project.design.stackup, layers=layers)
    with pytest.raises(InputError, match="is no signal layer"):
        with_design(project, stackup=stackup)


def test_replacing_by_id(project: Project) -> None:
    line_class = set_value(
        project.design.line_classes[0], target=parse_quantity("92 ohm", "resistance")
    )
    assert replace_object(project, line_class).design.line_classes[0].target.si == 92.0
    link = set_value(project.design.links[0], bits=5000)
    assert replace_object(project, link).design.links[0].bits == 5000


def test_kept_states_come_and_go(project: Project) -> None:
    one = keep_state(project, "First", "as opened")
    assert one.kept[0].design is project.design
    assert one.kept[0].note == "as opened"
    changed = replace_object(one, set_value(one.design.path("clk-adc"), name="Other"))
    assert restore_kept(changed, "k1").design == project.design
    assert rename_kept(changed, "k1", "Start").kept[0].name == "Start"
    assert without_kept(changed, "k1").kept == ()
    assert keep_state(without_kept(keep_state(one, "b"), "k1"), "c").kept[-1].id == "k3"


def test_at_most_three_kept_states_are_shown(project: Project) -> None:
    p = project
    for name in "abcd":
        p = keep_state(p, name)
    assert [k.shown for k in p.kept] == [False, True, True, True]
    p = show_kept(p, "k1", True)
    assert sum(k.shown for k in p.kept) == 3
    assert not show_kept(p, "k4", False).kept[3].shown


@pytest.mark.parametrize("kind", ["line", "path", "link"])
def test_copies_bring_their_requirements(project: Project, kind: str) -> None:
    source = Ref(kind, objects_of(project, (kind,))[0].id)
    wanted = len(requirements_of(project, source))
    assert wanted
    new, identifier = add_copy(project, source)
    assert identifier in [x.id for x in objects_of(new, (kind,))]
    copied = requirements_of(new, Ref(kind, identifier))
    assert len(copied) == wanted
    assert {r.measure for r in copied} == {r.measure for r in requirements_of(project, source)}
    again, other = add_copy(new, Ref(kind, identifier))
    assert other != identifier
    names = {x.id: x.name for x in objects_of(again, (kind,))}
    assert names[other].endswith("copy copy")
    assert remove_object(new, Ref(kind, identifier)) == project


def test_objects_in_use_stay(project: Project) -> None:
    with pytest.raises(InputError, match="Converter lane 0 uses it"):
        remove_object(project, Ref("path", "jl0"))
    with pytest.raises(InputError, match="ADC sample clock uses it"):
        remove_object(project, Ref("line", "clocks"))
    left = remove_object(project, Ref("link", "jl0")).design.links
    assert [x.id for x in left] == ["jl3", "up0", "up1"]
    with pytest.raises(InputError, match="Converter lane 3, crowded uses it"):
        remove_object(project, Ref("group", "converter-lanes"))
    with pytest.raises(InputError, match="there is no path 'ghost'"):
        add_copy(project, Ref("path", "ghost"))
    with pytest.raises(InputError, match="nothing to start from"):
        add_copy(project, Ref("path", ""))


def test_rename(project: Project) -> None:
    assert (
        rename_object(project, Ref("path", "clk-adc"), "Clock").design.path("clk-adc").name
        == "Clock"
    )
    with pytest.raises(InputError):
        rename_object(project, Ref("path", "clk-adc"), "")


@pytest.mark.parametrize(
    ("kind", "words"),
    [("parallel", "r, rail"), ("split", "r, r_low, rail"), ("ac", "r, c")],
)
def test_terminations_need_their_parts(kind: str, words: str) -> None:
    with pytest.raises(InputError, match=words):
        set_value(Termination(), kind=kind)


@pytest.mark.parametrize(
    ("requirement", "typed", "low", "high"),
    [
        ("over-clk-adc", "0.25 V", None, 0.25),
        ("over-clk-adc", "250 mV", None, 0.25),
        ("over-clk-adc", " ≤ 0.4", None, 0.4),
        ("z-clocks-L1", "60 – 68 ohm", 60.0, 68.0),
        ("z-clocks-L1", "60..68", 60.0, 68.0),
        ("z-clocks-L1", "60 ohm to 68 ohm", 60.0, 68.0),
        ("width-jl0", "0.7 UI", 0.7, None),
        ("mask-jl0", "≥ 20 %", 0.2, None),
        # Without a sign it stays on its side, with one it goes where it says.
        ("over-clk-adc", ">= 0.1 V", 0.1, None),
        ("over-clk-adc", " ≥0.1 V", 0.1, None),
        ("width-jl0", "<= 0.9 UI", None, 0.9),
        ("width-jl0", ">= 0.65", 0.65, None),
    ],
)
def test_limits_are_typed(project: Project, requirement, typed, low, high) -> None:
    new = next(
        r for r in set_limit(project, requirement, typed).requirements if r.id == requirement
    )
    for limit, wanted in ((new.at_least, low), (new.at_most, high)):
        assert (limit.si if limit else None) == pytest.approx(wanted)


@pytest.mark.parametrize(
    ("requirement", "typed", "words"),
    [
        ("over-clk-adc", "1 – 2 V", "one value"),
        ("z-clocks-L1", "60 ohm", "two values"),
        ("z-clocks-L1", "70 – 60 ohm", "leave no room"),
        ("over-clk-adc", "high", "not a voltage"),
        ("over-clk-adc", "3 ps", "unknown unit"),
    ],
)
def test_limits_that_make_no_sense_are_refused(project: Project, requirement, typed, words) -> None:
    with pytest.raises(InputError, match=words):
        set_limit(project, requirement, typed)


@pytest.mark.parametrize(("kind", "name"), [("trace", "T4"), ("via", "V4"), ("resistor", "R1")])
@pytest.mark.parametrize(("after", "at"), [("T1", 3), ("driver", 0), ("T3", 7)])
def test_elements_come_and_go(project: Project, kind, name, after, at) -> None:
    path = project.design.path("clk-adc")
    longer, made = insert_element(path, after, kind, project.design)
    assert made == name
    assert longer.elements[at].id == name
    assert longer.elements[at].kind == kind
    assert remove_element(longer, made) == path


def test_defaults_where_there_is_nothing_alike_and_the_last_line_stays(project: Project) -> None:
    path = project.design.path("clk-adc")
    only = set_value(path, elements=(path.elements[2],))
    for kind in ("via", "resistor"):
        assert insert_element(only, "T1", kind, project.design)[0].elements[1].kind == kind
    with pytest.raises(InputError, match=r"at least (one piece|1 item)"):
        remove_element(only, "T1")


def test_limits_are_required_changed_and_taken_away(project: Project) -> None:
    def limits(p: Project) -> list[tuple[float | None, float | None]]:
        return [
            (r.at_least.si if r.at_least else None, r.at_most.si if r.at_most else None)
            for r in p.requirements
            if r.ref == Ref("path", "clk-adc") and r.measure == "slew"
        ]

    assert limits(project) == []
    first = require(project, "clk-adc", "slew", ">= 1.5")
    assert limits(first)[0] == (pytest.approx(1.5e9), None)
    second = require(first, "clk-adc", "slew", "1 – 6 V/ns")
    assert limits(second)[0] == pytest.approx((1e9, 6e9))
    assert len(second.requirements) == len(first.requirements)
    assert require(second, "clk-adc", "slew", "  ") == project
    for wrong in ("soup", "1 – 2 – 3", "3 mm"):
        with pytest.raises(InputError):
            require(project, "clk-adc", "slew", wrong)


def test_what_is_required_of_an_object_follows_a_changed_limit(project: Project) -> None:
    """As many requirements as before, one of them another."""
    old = next(r for r in project.requirements if r.at_most is not None and not r.at_least)
    assert old in requirements_of(project, old.ref)
    changed = set_limit(project, old.id, f"1.1 {old.at_most.unit}")
    found = next(r for r in requirements_of(changed, old.ref) if r.id == old.id)
    assert found.at_most.text == f"1.1 {old.at_most.unit}"
    assert old in requirements_of(project, old.ref)
