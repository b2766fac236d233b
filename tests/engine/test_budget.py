"""The memory that is told is the memory that is taken, and too much is refused at once."""

from __future__ import annotations

import re
import tracemalloc
from dataclasses import replace

import pytest

from onda.demo import fulmar_project
from onda.engine.circuits import LinePiece, Net, ShuntBranch, solve_transient
from onda.engine.circuits.budget import ALLOWED_BYTES, check_transient_size, transient_bytes
from onda.engine.circuits.stimulus import edge
from onda.engine.lines import lossless_line
from onda.errors import TooLarge
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.run import run_path


def net(pieces: int) -> Net:
    lines = tuple(LinePiece(k, k + 1, lossless_line(50.0), 50e-12) for k in range(pieces))
    return Net(
        pieces + 1, (ShuntBranch(0, r=50.0, source=True), ShuntBranch(pieces, r=50.0)), lines=lines
    )


@pytest.mark.parametrize("pieces", [2, 20])
def test_what_is_told_is_what_is_taken(pieces: int) -> None:
    one = net(pieces)
    solve_transient(one, edge(0.0, 1.0, 1e-10), end=2e-9, step=1e-11)
    tracemalloc.start()
    solve_transient(one, edge(0.0, 1.0, 1e-10), end=200e-9, step=5e-12)
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    told = transient_bytes(one, 200e-9, 5e-12)
    assert 0.5 * told < peak < 1.5 * told


def test_too_much_is_refused_with_the_time_that_fits() -> None:
    one = net(4)
    with pytest.raises(TooLarge, match=r"1 s in .* 1 ps .* Look at [\d.]+ us") as caught:
        solve_transient(one, edge(0.0, 1.0, 1e-10), end=1.0, step=1e-12)
    assert caught.value.needed > 1e12
    assert caught.value.allowed == ALLOWED_BYTES
    fits = 1.0 * ALLOWED_BYTES / caught.value.needed
    check_transient_size(one, 0.999 * fits, 1e-12)
    with pytest.raises(TooLarge):
        check_transient_size(one, 1.01 * fits, 1e-12)


@pytest.mark.parametrize(
    ("step", "end", "told"),
    [
        (1e-9, 3.0, "3 s in steps of 1 ns"),
        (2e-12, 4e-3, "4 ms in steps of 2 ps"),
        (1e-14, 50e-6, "50 us in steps of 0.01 ps"),
    ],
)
def test_times_are_told_in_their_units(step: float, end: float, told: str) -> None:
    one = net(4)
    with pytest.raises(TooLarge) as caught:
        check_transient_size(one, end, step)
    words = str(caught.value)
    assert words.startswith(told)
    found = re.search(r"Look at ([\d.]+) (ms|us|ns) or less", words)
    assert found is not None
    said = float(found[1]) * {"ms": 1e-3, "us": 1e-6, "ns": 1e-9}[found[2]]
    fits = end * ALLOWED_BYTES / transient_bytes(one, end, step)
    assert 0.97 * fits < said < fits


@pytest.mark.parametrize("name", ["clk-adc", "clk-two", "trig", "spi-clk"])
@pytest.mark.parametrize("window", [1e-3, 1.0])
def test_a_path_looked_at_for_long_is_refused_at_once(name: str, window: float) -> None:
    design = fulmar_project().design
    inputs = replace(path_inputs(design, design.path(name)), window=window)
    tracemalloc.start()
    with pytest.raises(TooLarge):
        run_path(inputs)
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert peak < 100e6
