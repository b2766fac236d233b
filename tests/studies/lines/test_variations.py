"""Each cause of a spread changes what it is about, by as much as it says, and nothing else."""

from __future__ import annotations

from dataclasses import replace

import pytest

from onda.project.model import Project
from onda.studies.lines.inputs import LineInputs, line_inputs
from onda.studies.lines.variations import SpreadInputs, variations


def of(project: Project, name: str, layer: str) -> LineInputs:
    return line_inputs(project.design, project.design.line_class(name), layer)


def at(line: LineInputs, x: float) -> dict[str, LineInputs]:
    """The line at x times each spread: 10 um wide, 8 % high, 5 % Dk, 2 um copper, 3 um mask."""
    texts = ("a", "b", "c", "d", "e")
    spread = SpreadInputs(line, 10e-6, 0.08, 0.05, 2e-6, 3e-6, 0.0, 0.0, texts)
    return {v.name: v.at(line, x) for v in variations(spread)}


@pytest.mark.parametrize("x", [1.0, -0.5])
def test_causes_of_an_outer_pair(project: Project, x: float) -> None:
    line = of(project, "converter-pairs", "L1")
    found = at(line, x)
    assert list(found) == ["width", "height", "Dk", "copper", "mask"]
    trace = line.trace
    wider = replace(trace, width=trace.width + x * 10e-6, gap=trace.gap - x * 10e-6)
    assert found["width"] == replace(line, trace=wider)
    slabs = tuple(replace(s, thickness=s.thickness * (1 + 0.08 * x)) for s in line.below)
    assert found["height"] == replace(line, below=slabs)
    thicker = replace(trace, thickness=trace.thickness + x * 2e-6)
    assert found["copper"] == replace(line, trace=thicker)
    for was, now in zip(line.materials, found["Dk"].materials, strict=True):
        assert len(was.points) == len(now.points)
        for (f, dk, df), point in zip(was.points, now.points, strict=True):
            assert point == pytest.approx((f, dk * (1 + 0.05 * x), df))
    mask = line.coating
    assert mask is not None
    more = {
        name: getattr(mask, name) + x * 3e-6 for name in ("over_laminate", "over_copper", "beside")
    }
    assert found["mask"] == replace(line, coating=replace(mask, **more))


def test_causes_of_an_inner_line_and_of_copper_beside_it(project: Project) -> None:
    inner = of(project, "memory", "L3")
    found = at(inner, 1.0)
    assert list(found) == ["width", "height below", "height above", "Dk", "copper"]
    assert found["height above"].below == inner.below
    assert found["height above"].above[0].thickness == pytest.approx(
        1.08 * inner.above[0].thickness
    )
    assert found["height below"].above == inner.above
    assert found["width"].trace.gap is inner.trace.gap is None
    launch = of(project, "launch", "L8")
    beside, wider = launch.trace.coplanar, at(launch, 1.0)["width"].trace.coplanar
    # The copper beside gains what its gap loses.
    assert wider == replace(beside, gap=beside.gap - 10e-6, width=beside.width + 10e-6)
