"""Ids made from names that users type."""

from __future__ import annotations

import sys

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import TypeAdapter

from onda.project.base import Identifier, fresh_id

IDS: TypeAdapter[str] = TypeAdapter(Identifier)


@pytest.mark.parametrize(
    ("name", "found"),
    [
        ("Uplink 0 / top", "Uplink-0-top"),
        ("Länge", "Länge"),
        ("¼ inch", "inch"),
        ("¼", "item"),
        ("R²", "R"),
        ("", "item"),
        ("taken", "taken-3"),
        ("x" * 50, "x" * 40),
    ],
)
def test_a_name_becomes_an_id(name: str, found: str) -> None:
    assert fresh_id(name, {"taken", "taken-2"}) == found


def test_blanks_and_brackets_stay_where_a_file_named_it() -> None:
    assert fresh_id("Top (1) / a", (), spaced=True) == "Top (1) - a"


def test_every_character_there_is_makes_an_id_that_is_taken() -> None:
    for code in range(sys.maxunicode + 1):
        made = fresh_id(f"a{chr(code)}", ())
        # All but plain ones are looked at by the model that takes ids.
        if made not in ("a", "item"):
            assert IDS.validate_python(made) == made, hex(code)


@given(st.text(), st.booleans())
def test_any_text_makes_an_id_that_is_taken(name: str, spaced: bool) -> None:
    made = fresh_id(name, (), spaced=spaced)
    assert IDS.validate_python(made) == made
