"""A kept state is the whole design as it was: what an object stands on is that of then, too."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from onda.app.kit.stage import Stage
from onda.app.shell.fields import NumberRows
from onda.project.base import set_value
from onda.project.build.edits import add_material, scaled_material
from onda.project.edits import replace_object
from onda.project.model import Project
from onda.project.quantities import format_si
from tests.app.conftest import MakeWindow, only

_SEEN: dict[str, tuple[str, str, Callable[[Any], float]]] = {
    "lines": ("line", "clocks", lambda by_layer: by_layer["L1"].z),
    "paths": ("path", "clk-adc", lambda result: result.z_line),
    "coupling": ("group", "memory-byte", lambda result: result.noise[0].total),
    "networks": ("network", "jl0-network", lambda result: abs(result.s[-1, 1, 0])),
    "eyes": ("link", "jl0", lambda result: result.eye.height),
    "buses": ("bus", "byte0", lambda result: result.cases[0].setup),
}
"""By stage: a kind, an object of it that stands on lines of the board, and a figure of it."""


def softer(project: Project) -> Project:
    """Another board: all that is pressed or laminated has a tenth less Dk."""
    for material in project.design.materials:
        project = add_material(project, scaled_material(material, dk=0.9 * material.dk))
    return project


def small(project: Project) -> Project:
    """The bus with two signals in one corner."""
    bus = project.design.bus("byte0")
    few = tuple(s for s in bus.signals if s.id in ("DQS0", "DQ1"))
    one = set_value(bus, signals=few, operations=bus.operations[:1], corners=("typ",), bits=48)
    return replace_object(project, one)


def results(stage: Stage, kept: str = "") -> list[Any]:
    """Every result that a stage shows of its object, now or in a kept state."""
    subject: Any = stage.subject
    if stage.info.id == "lines":
        return [subject.kept[kept] if kept else subject.results]
    out = [subject.kept[kept] if kept else subject.result]
    if stage.info.id == "eyes":
        eyes: Any = stage
        out.append(eyes.rate_kept[kept] if kept else eyes.rate)
    return out


def numbers(stage: Stage) -> dict[tuple[str, str], tuple[str, str]]:
    """Numbers beside the views by name and unit, each with that of the kept state."""
    found = stage.inspector.findChildren(NumberRows)
    return {(name, unit): (now, kept) for rows in found for name, now, unit, kept in rows._rows}


@pytest.mark.parametrize("name", _SEEN)
def test_a_kept_object_stands_on_the_board_of_then(
    name: str, project: Project, make_window: MakeWindow
) -> None:
    kind, chosen, read = _SEEN[name]
    board = only(small(project) if kind == "bus" else project, kind)
    window = make_window(board, stage=name)
    window.selection.choose(chosen, name)
    assert window.settle(120_000)
    stage = window.stages[name]
    before = [read(r) for r in results(stage)]
    limits = {m.requirement: m.value for m in stage.margins()[1]}
    first = numbers(stage)
    window.keep()
    # The object itself stays as it is.
    window.document.edit("Softer", softer(window.document.project))
    assert window.settle(120_000)
    (state,) = window.document.project.kept
    now = [read(r) for r in results(stage)]
    assert np.all(np.abs(np.array(now) / np.array(before) - 1.0) > 1e-4)
    assert [read(r) for r in results(stage, state.id)] == pytest.approx(before)
    _, margins, kept = stage.margins()
    values = {m.requirement: m.value for m in margins}
    assert values.keys() == limits.keys()
    for requirement, then in limits.items():
        if kept[requirement] and np.isfinite(kept[requirement]).all():
            assert kept[requirement] == pytest.approx([then])
    if limits:
        assert any(abs(values[k] / v - 1.0) > 1e-4 for k, v in limits.items())
    # Of two kept states the later one stands beside the numbers, and each has its own.
    second = numbers(stage)
    window.keep()
    window.document.edit("Back", set_value(window.document.project, design=state.design))
    assert window.settle(120_000)
    _, later = window.document.project.kept
    assert [read(r) for r in results(stage)] == pytest.approx(before)
    assert [read(r) for r in results(stage, later.id)] == pytest.approx(now)
    third = numbers(stage)
    assert {k: value for k, (value, _) in third.items()} == {k: v for k, (v, _) in first.items()}
    beside = {k: (kept, second[k][0]) for k, (_, kept) in third.items() if kept and k in second}
    assert all(kept == then for kept, then in beside.values())
    assert any(then != first[k][0] for k, (_, then) in beside.items())
    if name == "eyes":
        stage.views.choose("rate")
        assert window.settle(120_000)
        row = next(v for (title, _), v in numbers(stage).items() if title == "Height")
        both = [r.eye.height for r in (results(stage)[1], results(stage, later.id)[1])]
        number = [format_si(h, "voltage", like=both[0]).split(" ")[0] for h in both]
        assert list(row) == number
    # Where nothing can be computed no number of what was computed before is left.
    fail = getattr(stage, "show_failure", None) or stage.show_problem
    fail("the board is on fire")
    assert not any(rows._rows for rows in stage.inspector.findChildren(NumberRows))
    assert "on fire" in stage.surface.problem.text()
    for sentence in ("sentence", "case_title"):
        words = getattr(stage, sentence, None)
        assert words is None or words.text() == ""
