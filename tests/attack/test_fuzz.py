"""Two thousand spoilt inputs for every reader; a hundred thousand by ``make attack``."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from onda.errors import InputError
from onda.formats.ibis.reader import read_ibis
from onda.formats.ipc2581.reader import read_ipc2581
from onda.formats.touchstone.reader import read_touchstone
from onda.project.build.exchange import take_build
from onda.project.build.files import FORMATS
from onda.project.model import Project
from tests.attack.fuzz import attack, attack_contained
from tests.attack.targets import TARGETS, Target
from tests.attack.test_readers import within

ROOT = Path(__file__).resolve().parents[2]
COUNT = 2000


@pytest.mark.parametrize("name", sorted(TARGETS))
def test_spoilt_inputs_end_in_a_result_or_a_sentence(name: str) -> None:
    """In a process of its own, which has the caps on time and memory."""
    done = subprocess.run(
        [sys.executable, "-m", "tests.attack.fuzz", name, "--count", str(COUNT), "--seed", "7"],
        cwd=ROOT, capture_output=True, text=True, check=False, timeout=500,
    )  # fmt: skip
    assert done.stdout, done.stderr[-500:]
    found = json.loads(done.stdout)
    assert found["findings"] == []
    assert found["accepted"] + found["refused"] == COUNT
    # Both happen, or the inputs would not get behind the parser, or not be spoilt at all.
    assert found["accepted"] > 0.005 * COUNT
    assert found["sentences"] >= 4


def test_the_harness_notices_each_kind_of_fault() -> None:
    """What it must find is put in by hand."""

    def reader(data: bytes) -> object:
        if data == b"hang":
            while True:
                pass
        if data == b"leak":
            raise KeyError("x")
        if data == b"memory":
            raise MemoryError
        raise InputError("no")

    def findings(data: bytes) -> str:
        class Once(Target):
            def make(self, rng, samples):
                return data

        once = Once("t", list, reader, lambda _, d: d)
        return str(attack(once, 0, 1, 1, capped=False)["findings"])

    assert findings(b"fine") == "[]"
    assert "KeyError" in findings(b"leak")
    assert "too much memory" in findings(b"memory")
    assert "too long" in findings(b"hang")


def test_a_process_that_is_lost_is_counted_and_gone_on_behind(monkeypatch) -> None:
    def reader(data: bytes) -> object:
        if data == b"5":
            os._exit(3)
        raise InputError("no")

    class Numbered(Target):
        def make(self, rng, samples):
            self_made.append(1)
            return str(len(self_made) - 1).encode()

    self_made: list[int] = []
    target = Numbered("numbered", list, reader, lambda _, d: d, contained=True)
    monkeypatch.setitem(TARGETS, "numbered", target)
    found = attack_contained(target, 0, 12, 1)
    # Each process counts from 0: number 5 is lost, and of the six behind it the last one.
    assert found["contained"] == 2
    assert found["accepted"] + found["refused"] == 12
    assert found["findings"] == []


def test_decibels_too_large_for_a_number_are_refused_with_their_line() -> None:
    """Found by this attack: such a file was read, with values that are no numbers."""
    text = "# GHz S DB R 50\n1 -20 0 -1 5 -1 5 -20 0\n2 -20 0 -1 5 2147483648 5 -20 0\n"
    with pytest.raises(InputError, match=r"line 3.*too large"):
        read_touchstone(text.encode(), "a.s2p")


def test_many_digits_before_a_letter_end_at_once() -> None:
    """Found by this attack: a minute for 30 000 digits."""
    text = (
        "[IBIS Ver] 4.2\n[File Name] a.ibs\n[File Rev] 1\n[Component] a\n[Manufacturer] a\n"
        f"[Package]\nR_pkg {'1' * 30_000}! 1 1\n[End]\n"
    )
    error = within(3.0, lambda: read_ibis(text.encode()))
    assert error is None or isinstance(error, InputError)


def test_a_class_without_a_name_is_named_in_words(project: Project) -> None:
    """Found by this attack: the words of the library that checks trees came through."""
    from dataclasses import replace

    from onda.project.build.exchange import build_table

    made = next(f for f in FORMATS if f.key == "ipc2581-c")
    table = read_ipc2581(made.write(build_table(project, None), "a", None)).build
    wishes = (replace(table.wishes[0], name=""), *table.wishes[1:])
    with pytest.raises(InputError, match="impedance class 1, : name '' does not fit"):
        take_build(project, replace(table, wishes=wishes))
