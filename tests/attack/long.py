"""The long attack: ``python -m tests.attack.long [--count N] [--seed S] [NAME ...]``.

Every reader gets so many spoilt inputs, in processes of their own on all cores; a table at the end.
"""

from __future__ import annotations

import argparse
import json
import os
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from tests.attack.targets import TARGETS

_BATCH = 5000


def _batch(job: tuple[str, int, int, int]) -> dict[str, Any]:
    name, first, count, seed = job
    began = time.monotonic()
    done = subprocess.run(
        [sys.executable, "-W", "ignore", "-m", "tests.attack.fuzz", name, "--first", str(first),
         "--count", str(count), "--seed", str(seed)],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    try:
        found: dict[str, Any] = json.loads(done.stdout)
    except ValueError:
        last = done.stderr.strip().splitlines()[-1:] or [f"ends with {done.returncode}"]
        nothing = dict.fromkeys(("count", "accepted", "refused", "sentences", "slowest_s"), 0)
        found = nothing | {"target": name, "findings": [f"{first}: process ends: {last[0]}"]}
    return found | {"seconds": time.monotonic() - began}


def main() -> int:
    """0 where nothing was found."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--count", type=int, default=100_000)
    parser.add_argument("--seed", type=int, default=int(time.time()))
    parser.add_argument("--jobs", type=int, default=os.cpu_count() or 1)
    parser.add_argument("targets", nargs="*", choices=[*sorted(TARGETS), []], default=[])
    given = parser.parse_args()
    names = given.targets or sorted(TARGETS)
    print(f"seed {given.seed}, {given.count} inputs for each", flush=True)
    bad = False
    print("| reader | inputs | read | refused | sentences | slowest | contained | findings |")
    print("|---|---|---|---|---|---|---|---|", flush=True)
    with ThreadPoolExecutor(given.jobs) as pool:
        for name in names:
            jobs = [
                (name, at, min(_BATCH, given.count - at), given.seed)
                for at in range(0, given.count, _BATCH)
            ]
            parts = list(pool.map(_batch, jobs))
            findings = [f for p in parts for f in p["findings"]]
            bad = bad or bool(findings)
            cells = (
                name,
                sum(p["count"] for p in parts),
                sum(p["accepted"] for p in parts),
                sum(p["refused"] for p in parts),
                max(p["sentences"] for p in parts),
                f"{max(p['slowest_s'] for p in parts):.2f} s",
                sum(p.get("contained", 0) for p in parts),
                len(findings),
            )
            print("| " + " | ".join(map(str, cells)) + " |", flush=True)
            for one in findings[:20]:
                print(f"  {one}", flush=True)
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
