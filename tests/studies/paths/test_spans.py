"""Spans of a path on its delay scale, against when a wave really passes them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from onda.engine.circuits import solve_linear
from onda.engine.circuits.stimulus import edge
from onda.project.model import Project
from onda.studies.paths.build import build_path
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import PathInputs, without_devices


def _arrival(path: PathInputs) -> tuple[float, float]:
    """When the receiver first passes a level well below the first step, and the scale's end, s."""
    built = build_path(path)
    last = built.spans[-1].end
    solution = solve_linear(built.net, edge(0.0, 1.0, 20e-12), end=2.0 * last, step=1e-12)
    volts = solution.node(built.load)
    k = int(np.argmax(volts > 0.3))
    share = (0.3 - volts[k - 1]) / (volts[k] - volts[k - 1])
    return float(solution.time[k - 1] + share * 1e-12), last


def test_a_longer_trace_is_later_by_what_the_scale_says(project: Project) -> None:
    path = without_devices(path_inputs(project.design, project.design.path("clk-adc")))
    trace = next(item for item in path.items if item.id == "T1")
    longer = replace(
        path,
        items=tuple(
            item.with_value(trace.length + 0.05) if item is trace else item for item in path.items
        ),
    )
    (before, scale_before), (after, scale_after) = _arrival(path), _arrival(longer)
    assert scale_after - scale_before > 0.2e-9
    assert after - before == pytest.approx(scale_after - scale_before, rel=0.04)
