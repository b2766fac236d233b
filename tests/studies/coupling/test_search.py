"""The search for what just holds, on a group whose room is drawn: where it ends is known."""

from __future__ import annotations

import itertools
import math
from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from onda.errors import InputError, NotConverged
from onda.project.model import Project
from onda.project.requirements import Requirement
from onda.studies.core.study import Control
from onda.studies.coupling import search
from onda.studies.coupling.inputs import GroupInputs, group_inputs
from onda.studies.coupling.search import (
    GROUP_SEARCH,
    GroupSearch,
    LimitInputs,
    SearchInputs,
    search_range,
    with_length,
    with_spacing,
    worst_room,
)

LIMIT = LimitInputs("lane_noise", None, None, 1.0)
BEYOND = LimitInputs("arrival_spread", None, None, 1.0)


@pytest.fixture
def group(project: Project) -> GroupInputs:
    return group_inputs(project.design, project.design.group("memory-byte"))


class Drawn:
    """Noise that falls with the spacing and grows with the length; it is at its limit `at` (m),
    a fine answer a share `later`. Of the other measure there always is enough room."""

    def __init__(self, at: float, later: float = 0.0) -> None:
        self.at, self.later = at, later
        self.seen: list[tuple[float, bool]] = []

    def changed(self, inputs: GroupInputs, at: float, piece: str = "") -> GroupInputs:
        self.piece = piece
        return replace(inputs, rise=at)

    def run(self, inputs: GroupInputs, _: Control) -> Any:
        # Where the search is travels in the time of the edge.
        self.seen.append((inputs.rise, inputs.fine))
        return inputs


def searched(
    monkeypatch: pytest.MonkeyPatch, group: GroupInputs, drawn: Drawn, what: str, **changes: object
) -> GroupSearch:
    def measured(inputs: GroupInputs, measure: str, _: object) -> Any:
        if measure != "lane_noise":
            return SimpleNamespace(value=0.0)
        limit = drawn.at * (1.0 + drawn.later * inputs.fine)
        share = limit / inputs.rise if what == "spacing" else inputs.rise / limit
        return SimpleNamespace(value=share)

    monkeypatch.setattr(search, "GROUP", drawn)
    monkeypatch.setattr(search, f"with_{what}", drawn.changed)
    monkeypatch.setattr(search, "measure_group", measured)
    asked = SearchInputs(group, (BEYOND, LIMIT), what, 1e-4, 1e-2)
    return GROUP_SEARCH.run(replace(asked, **changes), Control())


def test_the_smallest_spacing_that_holds(
    monkeypatch: pytest.MonkeyPatch, group: GroupInputs
) -> None:
    drawn = Drawn(7.7e-4)
    found = searched(monkeypatch, group, drawn, "spacing", piece="P2")
    assert 7.7e-4 <= found.found <= 7.7e-4 * 1.005
    assert drawn.piece == "P2"
    assert list(found.tried) == sorted(found.tried)
    assert found.margins == pytest.approx(1.0 - 7.7e-4 / found.tried)
    assert (found.what, found.limiting) == ("spacing", "lane_noise")
    assert found.words == (
        f"From {found.found * 1e6:.4g} µm apart every limit holds; below, crosstalk noise fails."
    )
    # All but the last is quick.
    assert [fine for _, fine in drawn.seen] == [False] * (len(drawn.seen) - 1) + [True]


def test_a_spacing_from_a_millimetre_on_is_told_in_millimetres(
    monkeypatch: pytest.MonkeyPatch, group: GroupInputs
) -> None:
    found = searched(monkeypatch, group, Drawn(2.5e-3), "spacing")
    assert found.words == (
        f"From {found.found * 1e3:.4g} mm apart every limit holds; below, crosstalk noise fails."
    )


def test_the_longest_length_that_holds(monkeypatch: pytest.MonkeyPatch, group: GroupInputs) -> None:
    found = searched(monkeypatch, group, Drawn(2.3e-3), "length")
    assert 2.3e-3 * 0.995 <= found.found <= 2.3e-3
    assert found.words == (
        f"Up to {found.found * 1e3:.4g} mm side by side every limit holds; beyond, "
        "crosstalk noise fails."
    )


@pytest.mark.parametrize("what", ["spacing", "length"])
def test_fine_sections_have_the_last_word(
    monkeypatch: pytest.MonkeyPatch, group: GroupInputs, what: str
) -> None:
    """They hold a little later than quick ones: the answer is moved on until they do."""
    drawn = Drawn(1e-3, 0.006 if what == "spacing" else -0.006)
    found = searched(monkeypatch, group, drawn, what)
    limit = 1e-3 * (1.0 + drawn.later)
    if what == "spacing":
        assert limit <= found.found <= limit * 1.011
    else:
        assert limit * 0.989 <= found.found <= limit
    assert sum(fine for _, fine in drawn.seen) in (2, 3)
    far = Drawn(1e-3, 0.2 if what == "spacing" else -0.2)
    with pytest.raises(NotConverged):
        searched(monkeypatch, group, far, what)
    assert sum(fine for _, fine in far.seen) == 4


@pytest.mark.parametrize(
    ("what", "at", "found", "words"),
    [
        ("spacing", 5e-5, 1e-4, "Every spacing from 100 µm on holds."),
        (
            "spacing",
            5e-2,
            math.nan,
            "No spacing up to 10 mm holds: crosstalk noise fails.",
        ),
        ("length", 5e-2, 1e-2, "Up to 10 mm side by side every limit holds."),
        ("length", 5e-5, math.nan, "Not even 0.1 mm hold: crosstalk noise fails."),
    ],
)
def test_all_of_a_range_holds_or_none(
    monkeypatch: pytest.MonkeyPatch,
    group: GroupInputs,
    what: str,
    at: float,
    found: float,
    words: str,
) -> None:
    drawn = Drawn(at)
    result = searched(monkeypatch, group, drawn, what)
    assert result.found == pytest.approx(found, nan_ok=True)
    assert result.words == words
    # At its limit it holds.
    exactly = searched(monkeypatch, group, Drawn(1e-4 if what == "spacing" else 1e-2), what)
    assert exactly.found == (1e-4 if what == "spacing" else 1e-2)


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"limits": ()}, "nothing is required"),
        ({"what": "width"}, "'width' cannot be searched"),
        ({"low": 0.0}, "must rise from above 0"),
        ({"high": 1e-4}, "must rise from above 0"),
    ],
)
def test_searches_that_make_no_sense(
    group: GroupInputs, changes: dict[str, object], words: str
) -> None:
    asked = SearchInputs(group, (LIMIT,), "spacing", 1e-4, 1e-2)
    with pytest.raises(InputError, match=words):
        GROUP_SEARCH.run(replace(asked, **changes), Control())


def test_limits_and_their_room() -> None:
    asked = Requirement.model_validate(
        {"id": "x", "kind": "group", "subject": "g", "measure": "lane_noise", "receiver": "a",
         "at_least": "1 mV", "at_most": "4 mV"}
    )  # fmt: skip
    limit = LimitInputs.of(asked)
    assert (limit.measure, limit.receiver, limit.low, limit.high) == ("lane_noise", "a", 1e-3, 4e-3)
    assert limit.room(3e-3) == pytest.approx(0.25)
    assert limit.room(1.1e-3) == pytest.approx(0.1)
    assert limit.room(0.5e-3) == pytest.approx(-0.5)
    assert limit.room(math.nan) == -math.inf
    assert replace(limit, low=None, high=0.0).room(-2.0) == 2.0
    assert replace(limit, low=None, high=None).room(1.0) == math.inf


def test_the_least_room_is_told_with_its_measure(monkeypatch: pytest.MonkeyPatch) -> None:
    values = {("lane_noise", "a"): 0.5, ("lane_noise", None): 0.9, ("arrival_spread", None): 0.7}
    monkeypatch.setattr(
        search, "measure_group", lambda _, m, r: SimpleNamespace(value=values[m, r])
    )
    nothing: Any = None
    limits = (replace(LIMIT, receiver="a"), BEYOND)
    assert worst_room(nothing, limits) == (pytest.approx(0.3), "arrival_spread")
    assert worst_room(nothing, (*limits, LIMIT)) == (pytest.approx(0.1), "lane_noise")


def test_where_a_search_looks(group: GroupInputs) -> None:
    width = group.pieces[0].lane.trace.width
    assert search_range(group, "spacing") == pytest.approx((0.5 * width, 40.0 * width))
    assert search_range(group, "length") == (5e-4, 1.0)


# -- what is changed -------------------------------------------------------------------


def test_distances_of_single_lanes_are_set(group: GroupInputs) -> None:
    piece = next(p for p in group.pieces if p.section is not None)
    assert piece.section is not None
    assert not piece.guards
    changed = with_spacing(group, 4e-4)
    for was, now in zip(group.pieces, changed.pieces, strict=True):
        if was.section is None:
            assert now is was
            continue
        assert now.section is not None
        assert set(now.section.trace.gaps) == {4e-4}
        assert now.section.trace.gap == 4e-4
        assert now.section.trace.across == was.section.trace.across
    other = with_spacing(group, 4e-4, "nowhere")
    assert other.pieces == group.pieces


def test_distances_inside_pairs_stay_and_guards_share_the_rest(project: Project) -> None:
    design = project.design
    pairs = group_inputs(design, design.group("converter-lanes"))
    piece = next(p for p in pairs.pieces if p.section is not None)
    assert piece.section is not None
    changed = next(p for p in with_spacing(pairs, 9e-4, piece.id).pieces if p.id == piece.id)
    assert changed.section is not None
    signals = [k for k in range(piece.section.trace.count) if k not in piece.guards]
    widths = np.array(changed.section.trace.across)
    edges = np.concatenate([[0.0], np.cumsum(widths[:-1] + np.array(changed.section.trace.gaps))])
    for k, (left, right) in enumerate(itertools.pairwise(signals)):
        apart = edges[right] - edges[left] - widths[left]
        inside = k % 2 == 0
        was = piece.section.trace.gaps[left]
        assert apart == pytest.approx(was if inside else 9e-4), (left, right)


def test_the_longest_coupled_piece_is_set(group: GroupInputs) -> None:
    coupled = [p for p in group.pieces if p.section is not None]
    longest = max(coupled, key=lambda p: p.length)
    changed = with_length(group, 0.123)
    assert [p.length for p in changed.pieces] == [
        0.123 if p.id == longest.id else p.length for p in group.pieces
    ]
    first = group.pieces[0].id
    assert with_length(group, 0.2, first).pieces[0].length == 0.2
    assert with_length(group, 0.2, first).pieces[1:] == group.pieces[1:]
    bare = replace(group, pieces=tuple(replace(p, section=None) for p in group.pieces))
    with pytest.raises(InputError, match="has no coupled piece"):
        with_length(bare, 0.1)
