"""What a stage knows of the object in view, by itself."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any

import pytest

from onda.app.stages.eyes import more_views
from onda.app.stages.eyes.more_views import MoreViews
from onda.app.stages.lines.in_view import LineInView
from onda.app.stages.networks.in_view import NetworkInView
from onda.project.model import Project
from onda.studies.links.inputs import link_inputs


def test_results_of_another_class_are_forgotten(project: Project) -> None:
    first, second = project.design.line_classes[:2]
    line: Any = object.__new__(LineInView)
    line._results_of = first.id

    def fill() -> None:
        line.results, line.problems, line.kept = {"L1": 1}, {"L3": "so"}, {"k": {}}
        line.sweep = line.tolerance = "found"

    fill()
    line.turn_to(first)
    assert (line.results, line.problems, line.kept) == ({"L1": 1}, {"L3": "so"}, {"k": {}})
    assert line.sweep == line.tolerance == "found"
    line.turn_to(second)
    assert (line.results, line.problems, line.kept) == ({}, {}, {})
    assert line.sweep is None
    assert line.tolerance is None
    fill()
    line.turn_to(second)
    assert line.results == {"L1": 1}


@pytest.mark.parametrize(
    ("result", "order", "ports", "present"),
    [
        (6, (), 6, (1, 2, 3, 4, 5, 6)),
        (4, (1, 3, 2, 4), 4, (1, 3, 2, 4)),
        (None, (2, 1), 2, (2, 1)),
        # Until it is known, four.
        (None, (), 4, (1, 2, 3, 4)),
    ],
)
def test_ports_of_a_network(
    monkeypatch: pytest.MonkeyPatch,
    result: int | None,
    order: tuple[int, ...],
    ports: int,
    present: tuple[int, ...],
) -> None:
    network: Any = object.__new__(NetworkInView)
    found = None if result is None else SimpleNamespace(ports=tuple(range(result)))
    shown = SimpleNamespace(order=order)
    monkeypatch.setattr(NetworkInView, "result", found, raising=False)
    monkeypatch.setattr(NetworkInView, "present", shown)
    assert network.ports == ports
    assert network.present_order == present


@pytest.mark.parametrize("anew", [True, False])
def test_the_eye_at_a_value_of_a_sweep_has_its_settings_anew_or_those_of_the_link(
    project: Project, anew: bool
) -> None:
    link = project.design.link("jl3")
    here = link_inputs(project.design, link)
    asked: dict[str, Any] = {}
    view = SimpleNamespace(over=SimpleNamespace(current="noise"), anew=anew)
    views: Any = object.__new__(MoreViews)
    views._link = lambda: link
    views._stack = SimpleNamespace(get=lambda *_: view)
    views._inputs = lambda _: here
    views._subject = SimpleNamespace(
        ask=lambda slot, study, inputs, *_: asked.update(study=study, inputs=inputs())
    )
    views._ask_swept_eye(2e-3)
    assert asked["study"] is more_views.LINK
    found = asked["inputs"]
    assert found.noise == 2e-3
    assert not found.compare
    if anew:
        assert found.settings_of is None
    else:
        assert found.settings_of.noise == here.noise
        assert found.settings_of.channel == here.channel
