"""The main quantity of an element set to a value, and a cable in a path."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.model import Project
from onda.project.paths.edits import insert_element
from onda.studies.core.study import Control
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import PathInputs
from onda.studies.paths.path import PATH
from onda.studies.paths.sweep import measures_with, resistor_range, with_value

PER_M = math.sqrt(246e-9 * 98e-12)
"""s/m of the demo's cable, by its L and C."""


@pytest.fixture(scope="module")
def cabled(project: Project) -> tuple[PathInputs, str]:
    """The converter's clock with 300 mm of cable behind its driver."""
    path = project.design.path("clk-adc")
    last = list(path.all_elements)[-1].id
    path, name = insert_element(path, last, "cable", project.design)
    return path_inputs(project.design, path, fine=False), name


def test_a_cable_is_as_long_as_it_says(cabled) -> None:
    inputs, name = cabled
    result = PATH.run(replace(inputs, window=12e-9), Control())
    span = next(s for s in result.spans if s.id == name)
    assert (span.kind, span.label, span.length) == ("cable", "Hub cable", pytest.approx(0.3))
    assert span.z == pytest.approx(math.sqrt(246e-9 / 98e-12), rel=0.01)
    assert span.end - span.start == pytest.approx(0.3 * PER_M, rel=0.01)


def test_more_cable_comes_later_by_what_it_takes(cabled) -> None:
    inputs, name = cabled
    inputs = replace(inputs, window=15e-9)
    near, far = (measures_with(inputs, name, length)[-1].delay for length in (0.3, 0.5))
    # Losses slow the edge, so that its middle comes a little later still.
    assert 0.2 * PER_M < far - near < 1.04 * 0.2 * PER_M


def test_the_driver_and_the_end_are_set_by_their_names(project: Project) -> None:
    path = project.design.path("clk-adc")
    term = set_value(path.termination, kind="split", r="120 ohm", r_low="180 ohm", rail="1.8 V")
    inputs = path_inputs(project.design, set_value(path, termination=term), fine=False)
    assert with_value(inputs, "driver", 33.0).driver_resistance == 33.0
    assert with_value(inputs, "driver", 33.0).end == inputs.end
    changed = with_value(inputs, inputs.end.id, 60.0)
    # The ratio of both stays: the level at rest is the same.
    assert changed.end.termination.r == 60.0
    assert changed.end.termination.r_low == pytest.approx(90.0)
    assert changed.driver_resistance == inputs.driver_resistance
    with pytest.raises(InputError, match="is not in this path"):
        with_value(inputs, "nobody", 1.0)


def test_resistors_from_nothing_to_half_as_much_again() -> None:
    values = resistor_range(60.0)
    assert values == pytest.approx(tuple(np.linspace(0.0, 90.0, 20)))
