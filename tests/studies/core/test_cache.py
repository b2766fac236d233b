"""The cache: what it stores comes back, nothing else does, and both stores have a bound."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from onda.errors import InputError
from onda.studies.core.cache import ResultCache, decode, encode
from onda.studies.core.evidence import Evidence
from onda.studies.core.result_types import types_in


@dataclass(frozen=True, slots=True)
class Inner:
    name: str
    values: NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Outer:
    inner: tuple[Inner, ...]
    number: float
    nothing: None
    flag: bool


SAMPLE = Outer((Inner("a", np.arange(3.0)), Inner("b", np.zeros((2, 0)))), 1.5, None, True)


def same(a: Outer, b: Outer) -> bool:
    return (
        (a.number, a.nothing, a.flag) == (b.number, b.nothing, b.flag)
        and len(a.inner) == len(b.inner)
        and all(
            x.name == y.name and x.values.shape == y.values.shape and (x.values == y.values).all()
            for x, y in zip(a.inner, b.inner, strict=True)
        )
    )


def test_results_survive_the_disk() -> None:
    assert same(decode(encode(SAMPLE), (Outer, Inner))[0], SAMPLE)


def test_only_known_classes_are_made() -> None:
    with pytest.raises(InputError, match="cannot be read"):
        decode(encode(SAMPLE), (Outer,))
    with pytest.raises(TypeError, match="cannot be part of a result"):
        encode(object())


@given(st.binary(max_size=400))
def test_any_bytes_are_read_or_refused(data: bytes) -> None:
    with pytest.raises(InputError):
        decode(data, (Outer, Inner))


@given(at=st.integers(0, 700), byte=st.integers(0, 255))
def test_a_flipped_byte_never_passes_unseen_as_another_class(at: int, byte: int) -> None:
    data = bytearray(encode(SAMPLE))
    data[at % len(data)] = byte
    try:
        assert isinstance(decode(bytes(data), (Outer, Inner))[0], Outer)
    except InputError:
        return


def test_cache_finds_again_in_memory_and_on_disk(tmp_path: Path) -> None:
    cache = ResultCache(tmp_path)
    assert cache.get("k", (Outer, Inner)) is None
    cache.put("k", SAMPLE)
    assert cache.get("k", (Outer, Inner)) is SAMPLE
    again = ResultCache(tmp_path).get("k", (Outer, Inner))
    assert isinstance(again, Outer)
    assert same(again, SAMPLE)


def test_broken_cache_file_is_as_good_as_none(tmp_path: Path) -> None:
    (tmp_path / "k.npz").write_bytes(b"rubbish")
    assert ResultCache(tmp_path).get("k", (Outer, Inner)) is None


@dataclass(frozen=True, slots=True)
class Block:
    values: NDArray[np.float64]


def test_memory_is_bounded_by_bytes_and_the_oldest_goes_first(tmp_path: Path) -> None:
    cache = ResultCache(tmp_path, memory_bytes=2500)
    for key in "abc":
        cache.put(key, Block(np.zeros(125)), on_disk=False)  # 1000 bytes and some
    assert cache.get_from_memory("a") is None
    assert cache.get_from_memory("b") is not None
    # "b" was used after "c" was made, so that "c" goes next.
    cache.put("d", Block(np.zeros(125)), on_disk=False)
    assert cache.get_from_memory("c") is None
    assert cache.get_from_memory("b") is not None
    assert 2000 < cache.held_bytes <= 2500


def test_what_is_larger_than_the_memory_is_held_alone(tmp_path: Path) -> None:
    cache = ResultCache(tmp_path, memory_bytes=100)
    cache.put("a", Block(np.zeros(1000)), on_disk=False)
    assert cache.get_from_memory("a") is not None
    cache.put("b", Block(np.zeros(1000)), on_disk=False)
    assert cache.get_from_memory("a") is None


def test_the_folder_is_trimmed_of_what_was_used_longest_ago(tmp_path: Path) -> None:
    sizes = {}
    cache = ResultCache(tmp_path)
    for age, key in enumerate("abc"):
        cache.put(key, Block(np.zeros(1000)))
        path = tmp_path / f"{key}.npz"
        sizes[key] = path.stat().st_size
        os.utime(path, (1_000_000 + age, 1_000_000 + age))
    # Reading "a" from the disk makes it the one used last.
    assert ResultCache(tmp_path).get("a", (Block,)) is not None
    ResultCache(tmp_path, disk_bytes=sizes["a"] + sizes["c"]).trim()
    assert sorted(p.stem for p in tmp_path.glob("*.npz")) == ["a", "c"]


def test_writing_trims_by_itself(tmp_path: Path) -> None:
    cache = ResultCache(tmp_path, disk_bytes=40_000)
    for k in range(30):
        cache.put(f"k{k}", Block(np.zeros(1000)))
    assert sum(p.stat().st_size for p in tmp_path.glob("*.npz")) <= 40_000 + 9_000


def test_evidence_comes_back_from_the_disk(tmp_path: Path) -> None:
    made = Evidence("k", "sample", "2026-01-01T00:00:00Z", "0.1", "abc")
    ResultCache(tmp_path).put("k", SAMPLE, evidence=made)
    again = ResultCache(tmp_path)
    assert again.evidence_of("k") is None
    again.get("k", (Outer, Inner))
    assert again.evidence_of("k") == made


def test_types_are_found_from_the_hints() -> None:
    assert set(types_in(Outer)) == {Outer, Inner}


def test_cache_that_cannot_write_still_works(tmp_path: Path) -> None:
    blocked = tmp_path / "file"
    blocked.write_text("in the way")
    cache = ResultCache(blocked / "sub")
    cache.put("k", SAMPLE)
    assert cache.get("k", (Outer, Inner)) is SAMPLE
    cache.trim()


def test_a_result_that_takes_the_place_of_another_counts_once(tmp_path: Path) -> None:
    cache = ResultCache(tmp_path)
    cache.put("a", "x" * 1000, on_disk=False)
    first = cache.held_bytes
    cache.put("a", "x" * 1000, on_disk=False)
    assert cache.held_bytes == first
    cache.put("a", "x" * 3000, on_disk=False)
    assert cache.held_bytes == first + 2000
    cache.put("b", "x" * 1000, on_disk=False)
    assert cache.held_bytes == 2 * first + 2000
