"""Whatever writes is killed while it does; a thousand kills by ``make kills``."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]


def run(*arguments: str) -> tuple[int, str]:
    done = subprocess.run(
        [sys.executable, "-m", "tests.attack.kills", *arguments],
        cwd=ROOT, capture_output=True, text=True, check=False, timeout=300,
    )  # fmt: skip
    return done.returncode, done.stdout + done.stderr[-400:]


def test_killed_writers_leave_whole_files_and_nothing_else() -> None:
    code, told = run("--count", "35", "--seed", "3")
    assert code == 0, told
    assert told.count("5 kills, 0 wrong") == 7


def test_writing_in_place_would_be_noticed() -> None:
    code, told = run("--count", "16", "--seed", "3", "--careless", "--only", "project", "autosave")
    assert code == 1
    assert "project: 8 kills, 0 wrong" not in told
    assert "autosave: 8 kills, 0 wrong" in told
