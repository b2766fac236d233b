"""What a driver is told to send: counted before it is made."""

from __future__ import annotations

from dataclasses import replace

import pytest

from onda.errors import TooLarge
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.stimulus import edge_commands


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"kind": "clock", "frequency": 1e9}, r"1,000,000,000 cycles .* Look at 200 us"),
        ({"kind": "pattern", "rate": 1e10}, r"10,000,000,000 bits .* Look at 20 us"),
    ],
)
def test_too_many_edges_are_refused_with_the_time_that_fits(project, changes, words) -> None:
    inputs = path_inputs(project.design, project.design.path("clk-ref"))
    stimulus = replace(inputs.stimulus, jitter=0.0, **changes)
    long = replace(inputs, stimulus=stimulus, window=1.0)
    with pytest.raises(TooLarge, match=words) as caught:
        edge_commands(long)
    fits = float(str(caught.value).split("Look at ")[1].split(" us")[0]) * 1e-6
    found = edge_commands(replace(long, window=0.01 * fits))
    each = 1.0 / (changes.get("frequency") or changes["rate"])
    # Every bit of the shortened window has its place, the last one too.
    assert found[-1][0] > 0.01 * fits - 10.0 * each
