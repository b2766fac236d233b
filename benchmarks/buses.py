"""A bus of ten signals in all cases, and what is run after one termination was changed."""

from __future__ import annotations

import time
from pathlib import Path
from tempfile import TemporaryDirectory

from benchmarks.measure import Figure, median_ms
from onda.demo import fulmar_project
from onda.project.base import set_value
from onda.project.buses.bus import Bus
from onda.studies.buses.bus import BUS
from onda.studies.buses.inputs import bus_inputs
from onda.studies.buses.search import search_inputs, with_models
from onda.studies.core.cache import ResultCache
from onda.studies.core.executors import threads
from onda.studies.core.runner import StudyRunner


def _ten() -> Bus:
    """Byte 0 with a tenth signal, 256 bits a case."""
    bus = fulmar_project().design.bus("byte0")
    more = set_value(bus.signals[-1], id="DM1", name="DM1")
    return set_value(bus, signals=(*bus.signals, more), bits=256)


def figures() -> list[Figure]:
    """10 signals x 4 operations x 3 corners x 256 bits, on all cores, from nothing."""
    design, bus = fulmar_project().design, _ten()
    changed = with_models(bus.operations[0], ("A", "B"), ("dq_odt120", "dq_odt60"))
    other = set_value(bus, operations=(changed, *bus.operations[1:]))
    with TemporaryDirectory() as folder:
        runner = StudyRunner(threads(), ResultCache(Path(folder)))
        began = time.perf_counter()
        runner.result(BUS, bus_inputs(design, bus))
        whole = 1e3 * (time.perf_counter() - began)
        began = time.perf_counter()
        runner.result(BUS, bus_inputs(design, other))
        after = 1e3 * (time.perf_counter() - began)
        runner.close()
    asked = median_ms(lambda: search_inputs(design, bus, "write-a", "DQ2"))
    return [
        Figure("bus, 120 cases of 256 bits", 60_000.0, whole),
        Figure("the same, one termination changed", 20_000.0, after),
        Figure("bus, a search made ready in the window's thread", 50.0, asked),
    ]
