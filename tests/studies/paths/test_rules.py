"""What is told of parts in the wrong place: a sixth of an edge is where it begins."""

from __future__ import annotations

from types import SimpleNamespace as Made
from typing import Any

import pytest

from onda.project.model import Project
from onda.project.paths.elements import SeriesResistor, ShuntPart
from onda.studies.paths.rules import placement_remarks

PS = 1e-12


@pytest.fixture
def series(project: Project) -> SeriesResistor:
    return next(e for e in project.design.path("clk-adc").elements if e.id == "Rs")


def span(name: str, start: float, end: float, **more: Any) -> Any:
    return Made(
        id=name, start=start * PS, end=end * PS, **{"row": 0, "kind": "", "branch": ""} | more
    )


def remarks(spans: list[Any], elements: list[Any], delay: float = 400.0) -> dict[str, str]:
    """For an edge of 300 ps: what is beyond 50 ps is told."""
    result: Any = Made(spans=spans, delay=delay * PS)
    return placement_remarks(300 * PS, elements, result)


@pytest.mark.parametrize(
    ("start", "row", "told"), [(49.0, 0, False), (51.0, 0, True), (90.0, 1, False)]
)
def test_a_series_resistor_belongs_at_the_driver(
    series: SeriesResistor, start: float, row: int, told: bool
) -> None:
    found = remarks([span("Rs", start, start, row=row)], [series])
    assert found == (
        {"Rs": "51 ps from the driver, more than a sixth of its edge (50 ps): a series resistor "
               "belongs at the driver."} if told else {}
    )  # fmt: skip


@pytest.mark.parametrize(
    ("start", "row", "told"), [(351.0, 0, False), (349.0, 0, True), (100.0, 1, False)]
)
def test_a_termination_belongs_at_the_end(start: float, row: int, told: bool) -> None:
    part = ShuntPart.model_construct(id="Rt")
    found = remarks([span("Rt", start, start, row=row)], [part])
    assert found == (
        {"Rt": "51 ps before the end of the line, more than a sixth of the edge (50 ps): a "
               "termination belongs at the end."} if told else {}
    )  # fmt: skip


@pytest.mark.parametrize(("longest", "told"), [(149.0, False), (151.0, True)])
def test_a_stub_is_as_long_as_its_longest_way(longest: float, told: bool) -> None:
    """From where it leaves at 100 ps; what belongs to another branch does not count."""
    spans = [
        span("B1", 100.0, 100.0, row=1, kind="branch"),
        span("T8", 100.0, 120.0, row=1, branch="B1"),
        span("T9", 120.0, longest, row=1, branch="B1"),
        span("T7", 100.0, 900.0, row=2, branch="B2"),
    ]  # fmt: skip
    assert remarks(spans, []) == (
        {"B1": "A stub of 51 ps, longer than a sixth of the edge (50 ps): it sends a dip back."}
        if told else {}
    )  # fmt: skip
    # The way itself is no stub.
    assert remarks([span("B1", 100.0, 100.0, kind="branch")], []) == {}
