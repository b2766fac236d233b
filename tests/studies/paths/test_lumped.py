"""Lumped parts in a path: against the transients of a loop of two resistors and the part."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest

from onda.project.base import set_value
from onda.project.model import Project
from onda.project.paths.elements.lumped import LumpedPart
from onda.project.paths.elements.trace import TracePiece
from onda.project.paths.path import Path
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.run import run_path

R = 50.0
"""Of the driver, and at the end."""


def loop(project: Project, part: LumpedPart) -> Path:
    """A step of 1 V over 50 ohm, the part and hardly any line into 50 ohm."""
    path = project.design.path("clk-adc")
    trace = next(e for e in path.elements if isinstance(e, TracePiece))
    driver = set_value(
        path.driver, resistance="50 ohm", low="0 V", high="1 V", edge="10 ps", capacitance="0 pF"
    )
    return set_value(
        path,
        driver=driver,
        elements=(part, set_value(trace, length="0.1 mm")),
        termination=set_value(path.termination, kind="parallel", r="50 ohm", rail="0 V"),
        receiver=set_value(path.receiver, stands_in="probe"),
        stimulus=set_value(path.stimulus, kind="edge", window="20 ns"),
    )


def part(role: str, **values: str) -> LumpedPart:
    return LumpedPart(id="X", role=role, **values)  # type: ignore[arg-type]


def inductor(t: np.ndarray) -> np.ndarray:
    return 0.5 * (1.0 - np.exp(-t * 2 * R / 30e-9))


def package(t: np.ndarray) -> np.ndarray:
    return R / (2 * R + 10.0) * (1.0 - np.exp(-t * (2 * R + 10.0) / 30e-9))


def capacitor(t: np.ndarray) -> np.ndarray:
    return 0.5 * np.exp(-t / (2 * R * 20e-12))


def ferrite(t: np.ndarray) -> np.ndarray:
    """L and 5 ohm beside 120 ohm: at first 120 ohm, in the end both together."""
    first, end = R / (2 * R + 120.0), R / (2 * R + 5.0 * 120.0 / 125.0)
    tau = 300e-9 / (5.0 + 120.0 * 2 * R / (120.0 + 2 * R))
    return end + (first - end) * np.exp(-t / tau)


def shunt(t: np.ndarray) -> np.ndarray:
    return 0.5 * (1.0 - np.exp(-t / (0.5 * R * 40e-12)))


@pytest.mark.parametrize(
    ("one", "exact"),
    [
        (part("inductor", inductance="30 nH"), inductor),
        (part("package", inductance="30 nH", r="10 ohm"), package),
        (part("connector", c="40 pF"), shunt),
        (part("capacitor", c_series="20 pF"), capacitor),
        (part("ferrite", inductance="300 nH", r="5 ohm", r_parallel="120 ohm"), ferrite),
    ],
    ids=lambda x: x.role if isinstance(x, LumpedPart) else "",
)
def test_a_part_in_a_loop_of_resistors(
    project: Project, one: LumpedPart, exact: Callable[[np.ndarray], np.ndarray]
) -> None:
    run = run_path(path_inputs(project.design, loop(project, one)))
    time, volts = run.solution.time, run.solution.node(run.built.load)
    half = 5e-12
    wanted = exact(np.maximum(time - half, 0.0))
    # The edge takes 10 ps, and the line 0.7 ps.
    late = time > half + 40e-12
    assert np.abs(volts - wanted)[late].max() < 6e-3
    assert math.isclose(float(volts[-1]), float(wanted[-1]), abs_tol=2e-3)
