"""Keys: the same for the same inputs, another for anything else, and for other sources."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from onda.project.files import Content
from onda.studies.core import keys
from onda.studies.core.keys import NOT_IN_KEY, fingerprint, key_of

plain = st.recursive(
    st.none() | st.booleans() | st.integers() | st.text() | st.floats(allow_nan=False),
    lambda inner: st.lists(inner, max_size=4).map(tuple),
    max_leaves=12,
)


def told_apart(value: object) -> object:
    """A value with its types, so that 1, 1.0 and True are three."""
    if isinstance(value, tuple):
        return ("tuple", *(told_apart(v) for v in value))
    return (type(value).__name__, repr(value))


@given(plain, plain)
def test_two_values_have_one_key_only_where_they_are_the_same(a: object, b: object) -> None:
    assert (key_of("s", a) == key_of("s", b)) == (told_apart(a) == told_apart(b))


def test_the_study_is_part_of_the_key() -> None:
    assert key_of("a", 1.0) != key_of("b", 1.0)


def test_long_rows_of_numbers_are_told_apart_by_their_bytes() -> None:
    row = tuple(float(k) for k in range(100))
    assert key_of("s", row) == key_of("s", tuple(row))
    assert key_of("s", row) != key_of("s", (*row[:-1], math.nextafter(99.0, 100.0)))


def test_arrays_count_with_shape_and_type() -> None:
    a = np.arange(6.0)
    assert key_of("s", a) == key_of("s", a.copy())
    assert key_of("s", a) != key_of("s", a.reshape(2, 3))
    assert key_of("s", a) != key_of("s", a.astype(np.float32))
    assert key_of("s", a) != key_of("s", a[::-1])
    assert key_of("s", a[::2]) == key_of("s", np.array([0.0, 2.0, 4.0]))


@dataclass(frozen=True)
class Found:
    name: str
    where: str = field(default="", metadata=NOT_IN_KEY)


@dataclass(frozen=True)
class Other:
    name: str


def test_where_something_is_found_is_not_part_of_what_it_is() -> None:
    assert key_of("s", Found("a", "here")) == key_of("s", Found("a", "there"))
    assert key_of("s", Found("a")) != key_of("s", Found("b"))
    assert key_of("s", Found("a")) != key_of("s", Other("a"))
    assert key_of("s", Content("a", "0" * 64, "x")) == key_of("s", Content("a", "0" * 64, "y"))


def test_what_is_no_plain_value_is_refused() -> None:
    with pytest.raises(TypeError, match="object cannot be part"):
        key_of("s", (object(),))
    for value in (math.nan, tuple([0.0] * 20 + [math.nan])):
        with pytest.raises(ValueError, match="NaN"):
            key_of("s", value)


def test_other_sources_give_other_keys(monkeypatch: pytest.MonkeyPatch) -> None:
    before = key_of("s", 1.0)
    assert before == key_of("s", 1.0)
    monkeypatch.setattr(keys, "fingerprint", lambda: "0123456789abcdef")
    assert key_of("s", 1.0) != before


def test_the_fingerprint_follows_every_source(monkeypatch: pytest.MonkeyPatch) -> None:
    found = keys._sources(keys.files("onda") / "studies", "studies")
    names = [name for name, _ in found]
    assert "studies/paths/elements/trace.py" in names
    assert "studies/core/runner.py" in names
    whole = fingerprint()

    def less_one(folder: object, path: str) -> list[tuple[str, object]]:
        return found[:-1] if path == "studies" else []

    monkeypatch.setattr(keys, "_sources", less_one)
    fingerprint.cache_clear()
    try:
        assert fingerprint() != whole
    finally:
        fingerprint.cache_clear()


@pytest.mark.parametrize("count", [3, 40])
def test_rows_of_like_numbers_of_other_kinds_have_keys_of_their_own(count: int) -> None:
    kinds: tuple[type, ...] = (int, float, str)
    rows = [tuple(kind(k) for k in range(count)) for kind in kinds]
    rows.append((*rows[1][:-1], count - 1))
    assert len({key_of("s", row) for row in rows}) == len(rows)


def test_sources_of_all_that_computes_are_in_the_fingerprint(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    asked: list[str] = []

    def sources(folder: object, path: str) -> list[object]:
        asked.append(path)
        return []

    monkeypatch.setattr(keys, "_sources", sources)
    fingerprint.__wrapped__()
    # What reads files is one of them: another reader may read other numbers.
    assert asked == ["engine", "formats", "studies"]
