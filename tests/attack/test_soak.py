"""Work at random in the real window, for a short while; half an hour by ``make soak``."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]


def test_random_work_raises_nothing_and_leaves_nothing() -> None:
    done = subprocess.run(
        [sys.executable, "-m", "tests.attack.soak", "--acts", "30", "--seed", "11"],
        cwd=ROOT, capture_output=True, text=True, check=False, timeout=500,
    )  # fmt: skip
    assert done.returncode == 0, done.stdout + done.stderr[-400:]
    assert "widgets, threads, files left" in done.stdout
