"""Elements of a path whose value is set: what a sweep turns, and what a cable does to the wave."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.model import Project
from onda.project.paths.edits import insert_element
from onda.project.paths.path import Path, Stimulus
from onda.project.quantities import quantity
from onda.studies.paths.corners import with_tolerances
from onda.studies.paths.elements.cable import CableItem
from onda.studies.paths.elements.resistor import ResistorItem
from onda.studies.paths.ends import TermInputs
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import PathInputs
from onda.studies.paths.run import measure_receivers, run_path
from onda.studies.paths.sweep import with_value
from tests.studies.paths.test_lanes import over


def inserted(project: Project, kind: str, name: str = "clk-adc") -> tuple[Path, str]:
    path = project.design.path(name)
    return insert_element(path, path.elements[-1].id, kind, project.design)


def with_cable(project: Project, length: float, **changes: float) -> tuple[PathInputs, str]:
    """An edge of the clock behind a cable of 50 ohm and 5 ns/m that loses nothing."""
    path, name = inserted(project, "cable")
    once = Stimulus(kind="edge", window=quantity(30e-9, "time", "ns"))
    inputs = path_inputs(project.design, set_value(path, stimulus=once))
    cable = next(i for i in inputs.items if i.id == name)
    assert isinstance(cable, CableItem)
    plain = replace(cable.line, entry="figures", z0=50.0, delay=5e-9, loss=0.0)
    made = replace(cable, line=replace(plain, **changes), length=length)
    items = tuple(made if i.id == name else i for i in inputs.items)
    return replace(inputs, items=items), name


def test_a_cable_takes_its_delay_and_has_its_impedance(project: Project) -> None:
    delays = []
    for length in (0.1, 0.3):
        inputs, name = with_cable(project, length)
        found = run_path(inputs)
        (end,) = found.built.ends
        delays.append(end.delay)
        span = next(s for s in found.built.spans if s.id == name)
        assert span.z == pytest.approx(50.0, rel=1e-6)
        assert span.length == length
        assert span.label == next(i.label for i in inputs.items if i.id == name)
    assert delays[1] - delays[0] == pytest.approx(0.2 * 5e-9, rel=1e-9)
    # And so does the wave, on cables so long that no echo meets the edge.
    crossed = [measure_receivers(run_path(with_cable(project, x)[0]))[0].delay for x in (0.6, 1.0)]
    assert crossed[1] - crossed[0] == pytest.approx(2e-9, rel=0.02)


def test_what_a_cable_loses_is_lost_on_the_way(project: Project) -> None:
    sharp, dull = (
        measure_receivers(run_path(with_cable(project, 0.3, loss=loss)[0]))[0].edge_time
        for loss in (0.0, 20.0)
    )
    assert dull > 1.1 * sharp


def test_the_main_value_of_each_element_is_set(project: Project) -> None:
    inputs, cable = with_cable(project, 0.1)
    swept = with_value(inputs, cable, 0.25)
    assert next(i.length for i in swept.items if i.id == cable) == 0.25
    assert next(i.length for i in with_value(inputs, cable, -1.0).items if i.id == cable) == 1e-6
    assert with_value(inputs, "driver", 33.0).driver_resistance == 33.0
    assert with_value(inputs, "driver", 0.0).driver_resistance == 1e-3
    ended = replace(
        inputs, end=replace(inputs.end, termination=TermInputs("parallel", r=50.0, rail=0.9))
    )
    assert with_value(ended, inputs.end.id, 60.0).end.termination.r == 60.0
    with pytest.raises(InputError, match=r"nowhere.*is not in this path"):
        with_value(inputs, "nowhere", 1.0)


@pytest.mark.parametrize("kind", ["shunt", "branch"])
def test_a_resistor_along_the_way_is_set_and_has_its_tolerance(project: Project, kind: str) -> None:
    path, name = inserted(project, kind)
    element = path.element(name)
    ohm = quantity(60.0, "resistance", "ohm")
    five = quantity(0.05, "ratio", "%")
    term = set_value(
        element.termination, kind="parallel", r=ohm, rail=quantity(0.0, "voltage", "V"),
        tolerance=five,
    )  # fmt: skip
    path = set_value(
        path, elements=tuple(
            set_value(e, termination=term) if e.id == name else e for e in path.elements
        ),
    )  # fmt: skip
    inputs = path_inputs(project.design, path)

    def ohms(some: PathInputs) -> float:
        item = next(i for i in some.items if i.id == name)
        found = item.termination if kind == "shunt" else item.end.termination
        return found.r

    assert ohms(inputs) == 60.0
    assert ohms(with_value(inputs, name, 75.0)) == 75.0
    assert ohms(with_tolerances(inputs, 1.0, 1)) == pytest.approx(63.0)
    assert ohms(with_tolerances(inputs, 1.0, -1)) == pytest.approx(57.0)


@pytest.mark.parametrize("factor", [0.9, 1.1])
def test_lines_at_their_tolerance_are_so_much_higher(project: Project, factor: float) -> None:
    """Of a path, and of a lane with its neighbours."""
    lane = over(project.design, project.design.group("memory-byte"), "dq3")
    for path in (project.design.path("clk-adc"), lane):
        inputs = path_inputs(project.design, path, fine=False)
        plain, moved = (run_path(i) for i in (inputs, with_tolerances(inputs, factor, 0)))
        ours, theirs = (
            np.array([s.z for s in found.built.spans if np.isfinite(s.z)])
            for found in (plain, moved)
        )
        some = ours > 0.0
        assert some.any()
        assert theirs[some] == pytest.approx(factor * ours[some], rel=1e-9)
        # As fast as before.
        assert moved.built.ends[0].delay == pytest.approx(plain.built.ends[0].delay, rel=1e-9)


@pytest.mark.parametrize(("value", "words"), [(33.0, "the 33 Ω of Rs"), (0.0, "")])
def test_a_resistor_of_nothing_is_not_taken_away(value: float, words: str) -> None:
    assert ResistorItem("Rs", value).removal == words
