"""The public reference cases, each quantity within its allowance, and the runner's manners."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from onda.errors import InputError
from onda.verification.runner import (
    TOPICS,
    compare,
    compute_file,
    public_files,
    read_case_file,
)

FILES = {name: read_case_file(text, name) for name, text in public_files().items()}
CASES = [(name, i) for name, data in FILES.items() for i in range(len(data["cases"]))]


@pytest.mark.parametrize(("name", "index"), CASES, ids=[f"{n}-{i}" for n, i in CASES])
def test_case_is_within_its_allowance(name: str, index: int) -> None:
    data = FILES[name]
    one = data | {"cases": [data["cases"][index]]}
    rows = list(compare(one, compute_file(one)))
    assert rows
    for row in rows:
        assert row.holds, f"{row.case} {row.quantity}: {row.error:.2e}, allowed {row.allowed:.1e}"


def test_sections_meet_the_goal_not_only_the_gate() -> None:
    """0.1 % on every C and L entry."""
    data = FILES["section.json"]
    answers = compute_file(data)
    for row in compare(data, answers):
        assert row.error < 1e-3


def test_every_topic_of_this_release_ships_its_cases() -> None:
    assert {data["topic"] for data in FILES.values()} == set(TOPICS)


def test_cases_without_outputs_are_only_computed() -> None:
    data = FILES["lattice.json"]
    bare = data | {"cases": [{k: v for k, v in c.items() if k != "outputs"} for c in data["cases"]]}
    answers = compute_file(bare)
    assert list(compare(bare, answers)) == []
    for case, answer in zip(data["cases"], answers["cases"], strict=True):
        assert list(answer["outputs"]) == list(case["outputs"]) or set(answer["outputs"]) == set(
            case["outputs"]
        )
        for key, wanted in case["outputs"].items():
            assert np.shape(answer["outputs"][key]) == np.shape(wanted)


def test_a_wrong_answer_is_seen() -> None:
    """The comparison can fail: a capacitance off by half a percent does not hold."""
    data = FILES["section.json"] | {"cases": FILES["section.json"]["cases"][:1]}
    answers = compute_file(data)
    answers["cases"][0]["outputs"]["C_F_per_m"][0][0] *= 1.005
    held = {row.quantity: row.holds for row in compare(data, answers)}
    assert not held["C_F_per_m"]
    assert held["C0_F_per_m"]
    answers["cases"][0]["outputs"].pop("Z0")
    assert math.isnan(next(r for r in compare(data, answers) if r.quantity == "Z0").error)


@pytest.mark.parametrize(
    ("topic", "case", "words"),
    [
        ("nonsense", {"id": "x", "inputs": {}}, "not answered"),
        ("section", {"id": "x"}, "incomplete"),
        ("section", {"id": "x", "inputs": {"geometry": {"conductors": []}}}, "at least one signal"),
        ("lattice", {"id": "x", "inputs": {"nodes": 3}}, "incomplete"),
        ("lattice", 17, "must be an object"),
        ("lossy_line", {"id": "x", "inputs": {"L": "much"}}, "incomplete"),
    ],
)
def test_a_case_that_cannot_be_done_says_why_and_stops_nothing(topic, case, words) -> None:
    good = FILES["section.json"]["cases"][0]
    answers = compute_file({"topic": topic, "cases": [case, good]})
    assert words in answers["cases"][0]["error"]
    assert len(answers["cases"]) == 2


@pytest.mark.parametrize("text", ["", "[]", "{", '{"cases": 3}', "[" * 100000, "null", '"x"'])
def test_files_that_are_none_are_refused(text: str) -> None:
    with pytest.raises(InputError, match=r"broken\.json"):
        read_case_file(text, "broken.json")


@given(st.text(max_size=200))
def test_any_text_is_read_or_refused(text: str) -> None:
    try:
        data = read_case_file(text, "x")
    except InputError:
        return
    assert isinstance(data["cases"], list)


def test_answers_are_plain_json() -> None:
    answers = compute_file(FILES["lossy_line.json"])
    assert json.loads(json.dumps(answers, allow_nan=False)) == answers
