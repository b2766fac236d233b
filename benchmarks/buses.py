"""A bus of ten signals in all cases, and what is run after one termination was changed."""

from __future__ import annotations

import time
from pathlib import Path
from tempfile import TemporaryDirectory

from benchmarks.measure import Figure, median_ms
from onda.demo import fulmar_project
from onda.project.base import set_value
from onda.project.buses.bus import Bus
from onda.studies.buses.bus import BUS, BusCase, BusResult
from onda.studies.buses.case import CaseResult
from onda.studies.buses.plan import bus_plan
from onda.studies.buses.search import search_inputs, with_models
from onda.studies.core.cache import ResultCache
from onda.studies.core.executors import threads
from onda.studies.core.keys import key_of
from onda.studies.core.runner import StudyRunner


def _ten() -> Bus:
    """Byte 0 with a tenth signal, without address, 256 bits a case."""
    bus = fulmar_project().design.bus("byte0")
    data = [s for s in bus.signals if s.path == "mem-dq"]
    more = set_value(data[-1], id="DM1", name="DM1")
    operations = tuple(o for o in bus.operations if o.over == "data")
    return set_value(bus, signals=(*data, more), operations=operations, bits=256)


def _whole() -> Bus:
    """Eight bytes in eight operations, three corners."""
    bus = fulmar_project().design.bus("byte0")
    signals = []
    for lane in range(8):
        signals.append(set_value(bus.signal("DQS0"), id=f"S{lane}", name=f"S{lane}"))
        signals += [
            set_value(bus.signal("DQ1"), id=f"L{lane}D{k}", name=f"L{lane}D{k}", strobe=f"S{lane}")
            for k in range(9)
        ]
    operations = tuple(
        set_value(o, id=f"{o.id}{n}", name=f"{o.name}{n}")
        for n in range(2)
        for o in bus.operations[:4]
    )
    return set_value(bus, signals=tuple(signals), operations=operations)


def _painted(bus: Bus) -> float:
    """Milliseconds until a map of all its cases is drawn anew."""
    from onda.app.main import application
    from onda.app.stages.buses.case_map import CaseMap
    from onda.app.theme import Look

    application()
    made = CaseMap(Look())
    cases = tuple(
        BusCase(
            s.id, s.name, s.strobe, o.id, o.name, corner, 1e-12 * (k % 90), 5e-11, 0.0, 4e-10,
            CaseResult(height=0.3, level=0.6, centre=0.6),
        )
        for o in bus.operations
        for k, s in enumerate(bus.taken_in(o))
        for corner in bus.corners
    )  # fmt: skip
    made.resize(780, 980)

    def once() -> None:
        made.show_result(BusResult(cases), None)
        made.grab()

    return median_ms(once)


def figures() -> list[Figure]:
    """10 signals x 4 operations x 3 corners x 256 bits, on all cores, from nothing."""
    design, bus = fulmar_project().design, _ten()
    changed = with_models(bus.operations[0], ("A", "B"), ("dq_odt120", "dq_odt60"))
    other = set_value(bus, operations=(changed, *bus.operations[1:]))
    with TemporaryDirectory() as folder:
        runner = StudyRunner(threads(), ResultCache(Path(folder)))
        began = time.perf_counter()
        runner.result(BUS, bus_plan(design, bus))
        whole = 1e3 * (time.perf_counter() - began)
        began = time.perf_counter()
        runner.result(BUS, bus_plan(design, other))
        after = 1e3 * (time.perf_counter() - began)
        runner.close()
    asked = median_ms(lambda: search_inputs(design, bus, "write-a", "DQ2"))
    large = _whole()
    sliced = median_ms(lambda: key_of(BUS.name, bus_plan(design, large)))
    return [
        Figure("bus, 120 cases of 256 bits", 60_000.0, whole),
        Figure("the same, one termination changed", 20_000.0, after),
        Figure("bus, a search made ready in the window's thread", 50.0, asked),
        Figure("72 signals, 8 operations, 3 corners: slice and key", 50.0, sliced),
        Figure("the same, 1728 cases drawn", 50.0, _painted(large)),
    ]
