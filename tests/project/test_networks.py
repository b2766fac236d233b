"""Networks in the document: formulas, edits, limits over ranges, sets."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.edits import add_copy, remove_object, replace_object
from onda.project.formula import evaluate, read_formula
from onda.project.kind import Ref
from onda.project.limit_text import limits_of, range_of, range_text
from onda.project.networks.edits import (
    add_file,
    add_file_network,
    add_network,
    add_piece,
    chain_of,
    change_piece,
    ends_text,
    move_piece,
    network_into_path,
    read_ends,
    remove_piece,
    swap_ports,
    swap_wires,
    toggle_remedy,
    without_fixtures,
)
from onda.project.networks.limit_sets import (
    LimitSet,
    SetLimit,
    add_range,
    apply_set,
    change_range,
    read_set,
    set_from,
    set_text,
    shipped_sets,
)
from onda.project.networks.network import ChainPiece, ChainSource, Network
from onda.project.quantities import parse_quantity
from onda.project.requirement_edits import require, set_limit
from onda.project.requirements import LimitPiece
from onda.project.store import dumps, loads

F = np.array([1e9, 4e9])


# ---- formulas


@pytest.mark.parametrize(
    ("text", "want"),
    [
        ("-10", [-10.0, -10.0]),
        ("-(1.2 + 0.6*sqrt(f) + 0.9*f)", [-2.7, -6.0]),
        ("-12 + 7*log10(f/4)", [-12 + 7 * np.log10(0.25), -12.0]),
        ("2^f", [2.0, 16.0]),
        ("min(f, 2) + max(f, 2)", [3.0, 6.0]),
        ("abs(−f) * exp(0) + ln(1) + log2(1)", [1.0, 4.0]),
    ],
)
def test_formulas_mean_what_they_say(text: str, want: list[float]) -> None:
    assert evaluate(text, F) == pytest.approx(want)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "no formula"),
        ("1 +", "no formula"),
        ("__import__('os')", "something unknown"),
        ("f.real", "something unknown"),
        ("[1][0]", "something unknown"),
        ("g", "something unknown"),
        ("sqrt(f, 2)", "something unknown"),
        ("'a'", "something unknown"),
        ("1e99", "too large"),
        ("1" * 400, "too long"),
        ("log10(f - 1)", "no value at 1 GHz"),
        ("1/(f-4)", "no value at 4 GHz"),
        ("(-f)**0.5", "no value"),
        ("9e9**9e9**9e9", "no value"),
    ],
)
def test_what_is_no_formula_is_told(text: str, words: str) -> None:
    with pytest.raises(InputError, match=words):
        evaluate(text, F)


@given(st.text(max_size=60))
def test_any_text_is_a_formula_or_an_input_error(text: str) -> None:
    try:
        assert np.isfinite(evaluate(text, F)).all()
    except InputError:
        return


@given(st.text(alphabet="f0123456789+-*/().,sqrtlogexpminax ", max_size=40))
def test_formulas_are_never_executed(text: str) -> None:
    try:
        read_formula(text)
    except InputError:
        return


# ---- limits as typed


def test_ranges_there_and_back() -> None:
    for text in ("50 MHz to 4 GHz: <= -12 + 2*f", "1 GHz to 20 GHz: >= -(1 + f)"):
        found = range_of(text)
        assert found is not None
        assert range_text(found) == text
    found = range_of("0.05..4 GHz: ≤ −12")
    assert found is not None
    assert (found.start.si, found.stop.si, found.at_most) == (5e7, 4e9, "-12")
    assert range_of("  ") is None


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("-12", "no range"),
        ("1 to 4 GHz: -12", "which side"),
        ("4 to 1 GHz: <= -12", "end above"),
        ("1 to 4 GHz: <= soup", "unknown"),
        ("1 to 4 furlong: <= 3", "unknown unit"),
    ],
)
def test_wrong_ranges(text: str, words: str) -> None:
    with pytest.raises(InputError, match=words):
        range_of(text)


def test_limits_of_one_or_two_ends() -> None:
    low, high = limits_of("pair_skew", "1 – 2 ps")
    assert low is not None
    assert high is not None
    assert (low.si, high.si) == pytest.approx((1e-12, 2e-12))
    assert limits_of("insertion", ">= −3 dB")[0].si == -3.0  # type: ignore[union-attr]


# ---- edits


def chain(project) -> Network:
    return project.design.network("up0-channel")


def test_pieces_come_go_move_and_change(project) -> None:
    network = add_piece(chain(project), "mezzanine")
    ids = [p.id for p in chain_of(network).pieces]
    assert ids == ["board", "connector", "hub", "mezzanine"]
    network = move_piece(network, "mezzanine", -3)
    assert chain_of(network).pieces[0].id == "mezzanine"
    network = change_piece(network, "mezzanine", removed=True, turned=True)
    assert chain_of(network).pieces[0].removed
    network = remove_piece(network, "mezzanine")
    assert network == chain(project)
    with pytest.raises(InputError, match="needs a piece"):
        remove_piece(
            set_value(network, source=ChainSource(pieces=chain_of(network).pieces[:1])), "board"
        )
    with pytest.raises(InputError, match="no piece"):
        move_piece(network, "nobody", 1)
    with pytest.raises(InputError, match="no chain"):
        chain_of(project.design.network("mezzanine"))


def test_wires_change_places(project) -> None:
    network = swap_wires(chain(project), "board", 2, 0, 1)
    assert chain_of(network).pieces[0].wires == (1, 0)
    assert swap_wires(network, "board", 2, 0, 0) == chain(project)
    with pytest.raises(InputError, match="no such port"):
        swap_wires(network, "board", 2, 0, 5)
    with pytest.raises(ValueError, match="one wire"):
        ChainPiece(id="a", network="b", wires=(0, 0))


def test_ports_and_remedies(project) -> None:
    network = swap_ports(project.design.network("sensor-cable"), 4, 1, 2)
    assert network.order == (1, 3, 2, 4)
    with pytest.raises(InputError, match="no such port"):
        swap_ports(network, 4, 1, 9)
    mended = toggle_remedy(toggle_remedy(network, "passive"), "causal")
    assert mended.remedies == ("causal", "passive")
    assert toggle_remedy(mended, "causal").remedies == ("passive",)
    with pytest.raises(InputError, match="named twice"):
        set_value(network, order=(1, 1, 2, 3))


def test_ends_of_other_ports() -> None:
    ends = read_ends("2 open, 4 short, 5 75 ohm")
    assert ends_text(ends) == "2 open, 4 short, 5 75 ohm"
    for text, words in (("soup", "no end"), ("2 0 ohm", "above 0"), ("2 soup", "not a resistance")):
        with pytest.raises(InputError, match=words):
            read_ends(text)


def test_files_are_added_once(project) -> None:
    once, first = add_file(project, "my file ü.s4p", "a" * 64)
    again, second = add_file(once, "other.s4p", "a" * 64)
    assert first == second
    assert again is once
    file = once.design.device_file(first)
    assert file.path == f"networks/{first}.s4p"
    more, new = add_file_network(project, "x.s8p", "b" * 64, 8)
    assert more.design.network(new.id).lane == "pair"
    assert add_file_network(project, "x.s2p", "c" * 64, 2)[0].design.networks[-1].lane == "single"


def test_nothing_is_made_of_itself_or_of_nothing(project) -> None:
    loop = set_value(
        project.design.network("up0-channel"),
        source=ChainSource(pieces=(ChainPiece(id="a", network="up0-channel"),)),
    )
    with pytest.raises(InputError, match="made of itself"):
        replace_object(project, loop)
    lost = set_value(loop, source=ChainSource(pieces=(ChainPiece(id="a", network="nobody"),)))
    with pytest.raises(InputError, match="no network 'nobody'"):
        replace_object(project, lost)
    with pytest.raises(InputError, match="uses it"):
        remove_object(project, Ref("network", "mezzanine"))
    with pytest.raises(InputError, match="uses it"):
        remove_object(project, Ref("path", "jl0"))
    with pytest.raises(InputError, match="Uplink 1, over the opening uses it"):
        remove_object(project, Ref("network", "board-uplinks"))
    free = remove_object(project, Ref("link", "up1"))
    free = remove_object(free, Ref("network", "board-uplinks"))
    assert not [r for r in free.requirements if r.subject == "board-uplinks"]


def test_a_copy_takes_its_limits_along(project) -> None:
    copied, new = add_copy(project, Ref("network", "mezzanine"))
    assert {r.measure for r in copied.requirements if r.subject == new} == {"return", "passivity"}


def test_saved_and_read_back(project) -> None:
    network = set_value(
        project.design.network("mezzanine"), ends=read_ends("2 open"), order=(1, 3), lane="single"
    )
    assert loads(dumps(replace_object(project, network))) == replace_object(project, network)


def test_a_network_goes_into_a_path(project) -> None:
    network = project.design.network("mezzanine")
    made = network_into_path(project, network, "jl0", b"# GHz S RI R 100\n1 0 0 1 0 1 0 0 0\n")
    piece = made.design.path("jl0").elements[-1]
    assert piece.kind == "network"
    assert made.design.device_file(piece.file).path.endswith(".s2p")


# ---- sets


def test_sets_that_ship_are_sound() -> None:
    names = [s.name for s in shipped_sets()]
    assert "Empty template" in names
    assert len(names) == 4


def test_a_set_from_one_network_serves_another(project) -> None:
    made = set_from(project, "up0-channel", "mine")
    assert read_set(set_text(made)) == made
    project, ref = add_network(project, "Other", project.design.network("mezzanine").source)
    new = ref.id
    used = apply_set(project, new, made)
    limits = [r for r in used.requirements if r.subject == new]
    assert {r.measure for r in limits} == {
        "insertion", "return", "conversion", "ild", "pair_skew", "profile_low", "profile_high",
    }  # fmt: skip
    assert limits[0].ranges == project.requirements[[r.id for r in project.requirements].index(
        "insertion-up0-channel")].ranges  # fmt: skip
    # Used once more it takes the place of what is there.
    assert len(apply_set(used, new, made).requirements) == len(used.requirements)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "EOF|JSON"),
        ("{}", "required"),
        ('{"name": "a", "limits": [{"measure": "soup"}]}', "should be"),
        ('{"name": "a", "limits": [{"measure": "ild", "at_most": "3 ps"}]}', "unknown unit"),
        ('{"name": "a", "limits": [{"measure": "return", "ranges": [{"start": "2 GHz", '
         '"stop": "1 GHz", "at_most": "-3"}]}]}', "end above"),
        ('{"name": "a", "kind": "other", "limits": []}', "onda requirement set 1"),
    ],
)  # fmt: skip
def test_sets_that_are_none(text: str, words: str) -> None:
    with pytest.raises(InputError, match=words):
        read_set(text, "x.json")


@given(st.text(max_size=80))
def test_any_text_is_a_set_or_an_input_error(text: str) -> None:
    try:
        read_set(text)
    except InputError:
        return


def test_ranges_are_changed_added_and_taken_away(project) -> None:
    name = "insertion-up0-channel"
    new = LimitPiece.model_validate({"start": range_of("20 to 25 GHz: <= 0").start,  # type: ignore[union-attr]
        "stop": range_of("20 to 25 GHz: <= 0").stop, "at_least": "-30"})  # type: ignore[union-attr]  # fmt: skip
    more = change_range(project, name, 99, new)
    found = next(r for r in more.requirements if r.id == name)
    assert [p.start.si for p in found.ranges] == [5e7, 13.28e9, 20e9]
    less = change_range(change_range(more, name, 2, None), name, 1, None)
    assert len(next(r for r in less.requirements if r.id == name).ranges) == 1
    assert not [r for r in change_range(less, name, 0, None).requirements if r.id == name]
    with pytest.raises(InputError, match="no limit"):
        change_range(project, "nobody", 0, None)
    with pytest.raises(InputError, match="over ranges"):
        set_limit(project, name, "3 dB")


def test_a_limit_everywhere_leaves_the_ranges_alone(project) -> None:
    name = "insertion-up0-channel"
    before = next(r for r in project.requirements if r.id == name)
    both = require(project, "up0-channel", "insertion", ">= -20 dB")
    found = next(r for r in both.requirements if r.id == name)
    assert found.ranges == before.ranges
    assert found.at_least.si == -20.0
    again = require(both, "up0-channel", "insertion", "")
    assert next(r for r in again.requirements if r.id == name) == before


def test_ranges_are_added_to_a_measure_or_begin_one(project) -> None:
    new = range_of("21 to 25 GHz: >= -30")
    more = add_range(project, "up0-channel", "insertion", new)
    found = next(r for r in more.requirements if r.id == "insertion-up0-channel")
    assert len(found.ranges) == 3
    fresh = add_range(project, "up0-channel", "far_end", new)
    assert len(fresh.requirements) == len(project.requirements) + 1


def test_a_range_belongs_to_a_curve() -> None:
    with pytest.raises(ValueError, match="needs a formula"):
        LimitSet(name="a", limits=(SetLimit(measure="ild", ranges=(LimitPiece(
            start=range_of("1 to 2 GHz: <= 0").start, stop=range_of("1 to 2 GHz: <= 0").stop,  # type: ignore[union-attr]
        ),)),))  # fmt: skip


def test_a_measurement_without_its_fixtures_is_a_chain_without_their_halves(project) -> None:
    """The left half is taken from the left, the right one from the right; both are as wide and as
    fast as what was measured."""
    own, part = add_file_network(project, "part.s4p", "1" * 64, 4)
    own, through = add_file_network(own, "two.s4p", "2" * 64, 4)
    own = replace_object(
        own, set_value(own.design.network(part.id), rate=parse_quantity("12 Gb/s", "data rate"))
    )
    made, ref = without_fixtures(own, part.id, through.id)
    new = made.design.network(ref.id)
    assert new.name == "part, fixtures off"
    assert (new.lane, new.rate) == ("pair", own.design.network(part.id).rate)
    left, middle, right = chain_of(new).pieces
    assert (middle.network, middle.removed) == (part.id, False)
    for piece, side in ((left, "left"), (right, "right")):
        assert piece.removed
        half = made.design.network(piece.network)
        assert (half.source.of, half.source.side, half.source.like) == (through.id, side, part.id)
        assert half.lane == "pair"
    assert loads(dumps(made)).design.network(ref.id) == new
    with pytest.raises(KeyError, match="nothing"):
        without_fixtures(own, "nothing", through.id)
