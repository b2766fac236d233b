"""Edits of paths with branches, and what a path may not be."""

from __future__ import annotations

import pytest
from pydantic import ValidationError

from onda.demo import fulmar_project
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.edits import replace_object
from onda.project.files import content_of, keep
from onda.project.model import Project
from onda.project.paths.edits import (
    TOPOLOGIES,
    change_element,
    copy_element,
    insert_element,
    make_topology,
    move_element,
    remove_element,
    set_model,
    set_termination,
    straight_run,
)
from onda.project.paths.elements import OFFERS, Branch, LumpedPart
from onda.project.paths.ends import RECEIVER, offered_termination
from onda.project.paths.path import Path, Stimulus, limit_points
from onda.project.quantities import parse_quantity
from onda.project.store import dumps, loads


@pytest.fixture
def project() -> Project:
    return fulmar_project()


@pytest.fixture
def trig(project: Project) -> Path:
    return project.design.path("trig")


def ids(path: Path) -> list[str]:
    return [e.id for e in path.all_elements]


def test_the_tree_is_walked_with_branches(trig: Path) -> None:
    assert ids(trig) == ["Rs", "T1", "V1", "T2", "A", "SA", "T3", "B", "SB", "T4"]
    assert list(trig.receivers) == ["A", "B", RECEIVER]
    assert trig.element("SB").length.text == "38 mm"
    assert trig.element("nothing") is None


@pytest.mark.parametrize("kind", sorted(set(OFFERS) - {"network"}))
def test_everything_can_be_inserted_anywhere(project: Project, trig: Path, kind: str) -> None:
    for after in ("Rs", "SB", "driver"):
        new, name = insert_element(trig, after, kind, project.design)
        assert name in ids(new)
        assert loads(dumps(replace_object(project, new))).design.path("trig") == new
        assert remove_element(new, name) == trig


def test_inserting_on_a_branch_stays_on_it(project: Project, trig: Path) -> None:
    new, name = insert_element(trig, "SB", "resistor", project.design)
    branch = new.element("B")
    assert isinstance(branch, Branch)
    assert [e.id for e in branch.elements] == ["SB", name]


def test_a_network_needs_a_file_first(project: Project, trig: Path) -> None:
    with pytest.raises(InputError, match="no two-port file"):
        insert_element(trig, "T1", "network", project.design)


def test_copies_have_names_of_their_own(trig: Path) -> None:
    new, name = copy_element(trig, "B")
    assert len(set(ids(new))) == len(ids(new)) == len(ids(trig)) + 2
    assert new.element(name).receiver == trig.element("B").receiver


def test_moving_stops_at_the_ends(trig: Path) -> None:
    assert ids(move_element(trig, "T1", -5))[0] == "T1"
    assert move_element(trig, "SB", 1) == trig
    assert ids(move_element(trig, "Rs", 100))[-1] == "Rs"


@pytest.mark.parametrize("kind", TOPOLOGIES)
@pytest.mark.parametrize("loads_", [2, 3, 5, 8])
def test_topologies_keep_driver_and_trace(
    project: Project, trig: Path, kind: str, loads_: int
) -> None:
    new = make_topology(trig, kind, loads_, project.design)
    assert len(new.receivers) == loads_
    assert new.elements[0].id == "Rs"
    assert new.driver == trig.driver
    assert replace_object(project, new).design.path("trig") == new


def test_topologies_share_out_the_trace_and_keep_their_loads(trig: Path, project: Project) -> None:
    traces = [e.length.si for e in trig.all_elements if e.kind == "trace"]
    total = sum(traces)
    names = [r.name for r in trig.receivers.values()]

    def laid(kind: str, loads: int) -> Path:
        return make_topology(trig, kind, loads, project.design)

    def lengths(elements) -> list[float]:
        return [e.length.si / total for e in elements if e.kind == "trace"]

    def near(*shares: float):
        # Lengths are written to three digits.
        return pytest.approx(shares, rel=6e-3)

    star = laid("star", 3)
    assert lengths(star.elements) == near(0.02, 0.5)
    assert [lengths(e.elements) for e in star.elements if isinstance(e, Branch)] == [near(0.5)] * 2
    chain = laid("chain", 4)
    assert lengths(chain.elements) == near(*[0.25] * 4)
    assert not any(lengths(e.elements) for e in chain.elements if isinstance(e, Branch))
    fly = laid("fly-by", 4)
    assert lengths(fly.elements) == near(*[0.25] * 4)
    assert [lengths(e.elements) for e in fly.elements if isinstance(e, Branch)] == [near(0.04)] * 3
    tee = laid("tee", 4)
    assert lengths(tee.elements) == near(0.5, 0.25, 0.08)
    (one, *_) = [e for e in tee.elements if isinstance(e, Branch)]
    assert lengths(one.elements) == near(0.25, 0.08)
    # Loads that were there stay in their order, those that come are called on.
    assert [r.name for r in laid("chain", len(names)).receivers.values()][:-1] == names[:-1]
    more = [r.name for r in laid("chain", len(names) + 2).receivers.values()]
    assert more[: len(names) - 1] == names[:-1]
    assert len(set(more)) == len(names) + 2


@pytest.mark.parametrize(
    ("kind", "n", "words"), [("ring", 3, "no topology"), ("star", 1, "2 to 32")]
)
def test_topologies_that_are_none(project, trig, kind, n, words) -> None:
    with pytest.raises(InputError, match=words):
        make_topology(trig, kind, n, project.design)


def test_a_straight_run_has_one_layer_and_no_via(trig: Path) -> None:
    new = straight_run(trig)
    assert {e.kind for e in new.all_elements} == {"resistor", "trace", "branch"}
    assert {e.layer for e in new.all_elements if e.kind == "trace"} == {"L1"}
    # The class of the first trace is on its layer; that of another one may not be.
    traces = [e for e in trig.all_elements if e.kind == "trace"]
    mixed = change_element(trig, set_value(traces[-1], line_class="memory"))
    assert {e.line_class for e in straight_run(mixed).all_elements if e.kind == "trace"} == {
        traces[0].line_class
    }


def test_terminations_and_models_go_where_they_are_put(trig: Path) -> None:
    new = set_termination(trig, "B", offered_termination("split", 61.4, trig.rail))
    assert new.element("B").termination.r.text == "122 ohm"
    assert new.termination.kind == "none"
    bare = set_model(trig, "A", None)
    assert bare.receivers["A"].model is None
    assert bare.receivers["B"].model is not None
    with pytest.raises(InputError, match="no termination"):
        offered_termination("magic", 50.0, trig.rail)


def test_paths_that_cannot_be(project: Project, trig: Path) -> None:
    with pytest.raises(InputError, match="there twice"):
        set_value(trig, elements=(*trig.elements, trig.elements[0]))
    with pytest.raises(InputError, match="no receiver"):
        set_value(trig, driving="Q")
    with pytest.raises(InputError, match="at least one piece of line"):
        set_value(trig, elements=(trig.elements[0],))
    other = set_value(
        trig, driver=set_value(trig.driver, model=set_value(trig.driver.model, file="nothing"))
    )
    with pytest.raises(InputError, match="no device file 'nothing'"):
        replace_object(project, other)


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"kind": "clock"}, "needs a frequency"),
        ({"kind": "bits", "rate": "1 Gb/s"}, "type the bits"),
        ({"kind": "pattern"}, "data rate"),
        ({"kind": "pulse"}, "width"),
        ({"kind": "edge", "duty": "100 %"}, "duty"),
        ({"kind": "bits", "rate": "1 Gb/s", "bits": "012"}, "pattern"),
    ],
)
def test_stimuli_that_are_incomplete(values: dict, words: str) -> None:
    with pytest.raises(ValidationError, match=words):
        Stimulus.model_validate({"window": "5 ns", **values})


@pytest.mark.parametrize("role", ["capacitor", "ferrite"])
def test_lumped_parts_need_what_they_are(role: str) -> None:
    with pytest.raises(ValidationError, match="needs a"):
        LumpedPart(id="X", role=role, inductance=parse_quantity("0 nH", "inductance"))


def test_limits_of_current_are_read() -> None:
    assert limit_points("100 70; 1000 50") == [(1e8, 70.0), (1e9, 50.0)]
    assert limit_points("") == []
    for wrong in ("100", "100 x", "100 70", "100 70; 50 60", "-1 3; 2 3"):
        with pytest.raises(ValueError):
            limit_points(wrong)


def test_a_file_that_is_gone_is_told_by_name(project: Project) -> None:
    file = set_value(project.design.device_files[0], sha256="0" * 64)
    with pytest.raises(InputError, match=r"devices/fulmar_clock\.ibs: is not beside"):
        content_of(file)
    digest = keep(b"[IBIS Ver] 5.0\n[Component] x\n")
    assert content_of(set_value(file, sha256=digest)).read().startswith(b"[IBIS Ver] 5.0")


@pytest.mark.parametrize("name", ["driver", "receiver"])
def test_an_element_is_not_called_like_an_end(project: Project, name: str) -> None:
    path = project.design.path("clk-adc")
    first, *rest = path.elements
    with pytest.raises(InputError, match="cannot be called driver or receiver"):
        set_value(path, elements=(set_value(first, id=name), *rest))
    with pytest.raises(InputError, match="at least one piece of line"):
        set_value(path, elements=(first,))
    with pytest.raises(InputError, match="no receiver 'Z' to drive from"):
        set_value(path, driving="Z")


@pytest.mark.parametrize(("kind", "value"), [("branch", "55 ohm"), ("shunt", "55 ohm")])
def test_what_ends_a_line_on_its_way_is_its_main_value(
    project: Project, trig: Path, kind: str, value: str
) -> None:
    new, name = insert_element(trig, "Rs", kind, project.design)
    ohm = parse_quantity("40 ohm", "resistance")
    ended = set_value(
        new.element(name).termination, kind="parallel", r=ohm, rail=parse_quantity("0 V", "voltage")
    )
    made = set_value(new.element(name), termination=ended)
    assert made.main_quantity == ohm
    other = parse_quantity(value, "resistance")
    changed = made.with_main(other)
    assert changed.main_quantity == changed.termination.r == other
    # Nothing else of it changes.
    assert changed.with_main(ohm) == made


def test_a_trace_on_a_path_without_one_is_of_the_first_class_that_fits(project: Project) -> None:
    clock, _ = insert_element(project.design.path("clk-two"), "Rs", "cable", project.design)
    bare = set_value(clock, elements=tuple(e for e in clock.elements if e.kind == "cable"))
    new, name = insert_element(bare, "driver", "trace", project.design)
    piece = new.element(name)
    fits = next(c for c in project.design.line_classes if c.kind == "single")
    assert (piece.line_class, piece.layer) == (fits.id, fits.on[0].layer)
    assert piece.length.si > 0.0
    none = set_value(
        project.design, line_classes=(), paths=(), groups=(), links=(), networks=(), buses=()
    )
    with pytest.raises(InputError, match="there is no line class for a single path"):
        insert_element(bare, "driver", "trace", none)
