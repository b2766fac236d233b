"""Which tests touch which lines, and the processor time that each takes: a plugin of pytest.

``python -m pytest -p tests.touched`` leaves a JSON a worker in the folder that `ONDA_TOUCHED`
names; `tools/mutants.py` chooses by them the tests that a fault must meet.
"""

from __future__ import annotations

import json
import os
import time
from collections.abc import Iterator
from pathlib import Path

import coverage
import pytest

_FOLDER = Path(os.environ.get("ONDA_TOUCHED", "touched"))
_WORKER = os.environ.get("PYTEST_XDIST_WORKER", "main")
_SECONDS: dict[str, float] = {}
_MEASURED = coverage.Coverage(
    data_file=None, source_pkgs=["onda"], concurrency=["thread"], config_file=False
)
# From before the tests are loaded, who import what they test.
_MEASURED.start()


@pytest.hookimpl(wrapper=True)
def pytest_runtest_protocol(item: pytest.Item) -> Iterator[None]:
    """All that a test does, its fixtures too, is told by its name."""
    _MEASURED.switch_context(item.nodeid)
    began = time.process_time()
    try:
        return (yield)
    finally:
        _SECONDS[item.nodeid] = time.process_time() - began
        _MEASURED.switch_context("")


def pytest_unconfigure() -> None:
    """Write down what was touched: a module's lines, each with its tests."""
    _MEASURED.stop()
    if not _SECONDS:
        return
    data = _MEASURED.get_data()
    names = list(_SECONDS)
    number = {name: k for k, name in enumerate(names)}
    lines: dict[str, dict[int, list[int]]] = {}
    sources = {}
    for name in data.measured_files():
        module = name.rpartition("/onda/")[2]
        sources[module] = Path(name).read_text(encoding="utf-8")
        by_line = data.contexts_by_lineno(name)
        lines[module] = {
            line: sorted(number[t] for t in tests if t) for line, tests in by_line.items()
        }
    _FOLDER.mkdir(parents=True, exist_ok=True)
    told = {"tests": names, "seconds": list(_SECONDS.values()), "lines": lines, "sources": sources}
    (_FOLDER / f"{_WORKER}.json").write_text(json.dumps(told), encoding="utf-8")
