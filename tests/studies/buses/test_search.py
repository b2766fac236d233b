"""The search of strengths and terminations: every choice is what the bus would be with it."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.buses.bus import Bus
from onda.studies.buses.bus import BUS
from onda.studies.buses.inputs import bus_inputs
from onda.studies.buses.search import BUS_SEARCH, BusSearch, search_inputs, with_models
from onda.studies.core.study import Control


@pytest.fixture(scope="module")
def small(project) -> Bus:
    """Few bits and one corner."""
    return set_value(project.design.bus("byte0"), corners=("slow",), bits=32)


@pytest.fixture(scope="module")
def found(project, small) -> BusSearch:
    """All choices of a write to A, as DQ2 sees it."""
    return BUS_SEARCH.run(search_inputs(project.design, small, "write-a", "DQ2"), Control())


def test_every_model_that_can_be_is_tried(project, small) -> None:
    inputs = search_inputs(project.design, small, "write-a", "DQ2")
    choices = inputs.choices()
    # The controller drives with one of two strengths; a module listens with any of six models.
    assert len(choices) == len(set(choices)) == 2 * 6 * 6
    assert {c[0] for c in choices} == {"dq_34", "dq_48"}
    assert {c[2] for c in choices} == {
        f"dq_{x}" for x in ("34", "48", "odt20", "odt40", "odt60", "odt120")
    }
    assert inputs.now == ("dq_34", "dq_odt60", "dq_odt20")
    read = search_inputs(project.design, small, "read-a", "DQ2")
    assert {c[1] for c in read.choices()} == {"dq_34", "dq_48"}


@pytest.mark.parametrize(("operation", "number"), [("write-a", 7), ("write-a", 71), ("read-b", 3)])
def test_a_choice_is_the_bus_with_other_models(project, small, operation, number) -> None:
    inputs = search_inputs(project.design, small, operation, "DQ2")
    choice, ids = inputs.choices()[number], [d.id for d in inputs.devices]
    changed = with_models(next(o for o in small.operations if o.id == operation), ids, choice)
    bus = set_value(
        small,
        operations=(changed,),
        signals=tuple(s for s in small.signals if s.id in ("DQS0", "DQ2")),
    )
    assert inputs.with_choice(choice) == bus_inputs(project.design, bus)


def test_margins_are_those_of_the_bus(found, project, small) -> None:
    k = found.order[2]
    changed = with_models(small.operations[0], found.ids, found.choices[k])
    signals = tuple(s for s in small.signals if s.id in ("DQS0", "DQ2"))
    bus = set_value(small, operations=(changed,), signals=signals)
    result = BUS.run(bus_inputs(project.design, bus), Control())
    assert found.setup[k] == result.least("setup")
    assert found.hold[k] == result.least("hold")
    assert found.height[k] == result.least("height")


def test_the_best_comes_first_and_has_a_weaker_far_end(found) -> None:
    worst = found.worst[found.order]
    assert (np.diff(worst) <= 0.0).all()
    assert found.best == int(np.argmax(found.worst))
    # A far end that terminates too strongly is the fault that is seeded.
    assert found.worst[found.now] < 0.0 < found.worst[found.best]
    assert found.choices[found.best][2] in ("dq_odt40", "dq_odt60", "dq_odt120")
    assert np.isfinite(worst).all()


def made(*margins: float, now: int = 0) -> BusSearch:
    """Two devices of two models each."""
    values = np.array(margins) * 1e-12
    choices = (("a", "x"), ("a", "y"), ("b", "x"), ("b", "y"))
    return BusSearch(
        ("U", "M"), ("Controller", "Module"), choices, values, values + 1e-12, values, now
    )


def test_how_flat_it_is_around_the_best() -> None:
    found = made(10.0, 97.0, 60.0, 100.0)
    assert (found.best, found.near) == (3, 2)
    # Another controller costs 3 ps, another module 40.
    assert found.steepest == ("Module", pytest.approx(40e-12))
    assert made(100.0, math.nan, 50.0, 95.0).order == [0, 3, 2, 1]
    assert made(*[math.nan] * 4).near == 0
    # A tenth of a negative margin is on its lower side.
    assert made(-50.0, -54.0, -56.0, -90.0).near == 2


def test_what_cannot_be_searched_is_refused(project, small) -> None:
    with pytest.raises(InputError, match="no operation 'x'"):
        search_inputs(project.design, small, "x", "DQ2")


def test_too_few_and_too_many_choices_are_refused(project, small, monkeypatch) -> None:
    inputs = search_inputs(project.design, small, "write-a", "DQ2")
    monkeypatch.setattr("onda.studies.buses.search._MOST", 71)
    with pytest.raises(InputError, match="72 choices of strengths"):
        inputs.choices()
    with pytest.raises(InputError, match="nothing to choose from"):
        replace(inputs, devices=()).choices()
