"""Freed memory goes back to the system, in a process of its own."""

from __future__ import annotations

import ctypes
import subprocess
import sys

import pytest

import onda.app.memory as memory

WORK = """
import sys
import numpy as np
from onda.app.memory import give_memory_back

def rss():
    with open("/proc/self/statm", encoding="ascii") as about:
        return int(about.read().split()[1]) * 4096 / 2**20

if sys.argv[1] == "back":
    assert give_memory_back()
# A large block that is freed raises the C library's own threshold; then many smaller ones lie
# between what stays.
del_me = np.ones(2**25 // 8 - 1000)
del del_me
kept, blocks = [], []
for k in range(75):
    blocks.append(np.ones(2**21 // 8))
    kept.append(bytes(3000 + k))
before = rss()
del blocks
print(before - rss())
"""


def freed(how: str) -> float:
    done = subprocess.run(
        [sys.executable, "-c", WORK, how], capture_output=True, text=True, check=True
    )
    return float(done.stdout)


def test_what_is_freed_between_things_that_stay_goes_back() -> None:
    # 150 MB are freed; by itself the library keeps most of them.
    assert freed("back") > 140.0
    assert freed("as it is") < 100.0


def test_the_library_is_told_by_its_own_numbers(monkeypatch: pytest.MonkeyPatch) -> None:
    """Those of malloc.h: M_ARENA_MAX, M_MMAP_THRESHOLD, M_TRIM_THRESHOLD; each must be taken."""
    told: dict[int, int] = {}

    class Library:
        taken = 1

        def mallopt(self, name: int, value: int) -> int:
            told[name] = value
            return self.taken if name == -3 else 1

    library = Library()
    monkeypatch.setattr(ctypes, "CDLL", lambda _: library)
    assert memory.give_memory_back()
    assert told == {-8: 2, -3: 2**20, -1: 2**20}
    library.taken = 0
    assert not memory.give_memory_back()


def test_where_the_library_is_another_one_nothing_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(memory.sys, "platform", "darwin")
    assert not memory.give_memory_back()
    monkeypatch.undo()
    monkeypatch.setattr(ctypes, "CDLL", lambda _: object())
    assert not memory.give_memory_back()
