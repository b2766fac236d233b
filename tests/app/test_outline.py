"""The outline of a path before its result: pieces in order, to scale, branches below."""

from __future__ import annotations

import pytest

from onda.app.stages.paths.outline import outline_of
from onda.project.base import set_value
from onda.project.model import Project
from onda.project.paths.elements import Branch
from onda.project.paths.path import Path


def lengths(path: Path) -> float:
    return sum(
        e.length.si for e in path.elements if e.is_line and getattr(e, "length", None) is not None
    )


@pytest.mark.parametrize("name", ["clk-adc", "clk-two", "trig", "mem-ca"])
def test_pieces_lie_in_their_order_to_scale(project: Project, name: str) -> None:
    path = project.design.path(name)
    spans = outline_of(path)
    main = [s for s in spans if s.row == 0 and s.branch == ""]
    assert [s.id for s in main] == [
        e.id for e in path.elements if not (isinstance(e, Branch) and e.elements)
    ]
    at = 0.0
    for span in main:
        element = path.element(span.id)
        assert (span.kind, span.label) == (element.kind, element.brief[0])
        assert span.start == pytest.approx(at)
        if element.is_line:
            metres = getattr(element, "length", None)
            took = 7e-9 * metres.si if metres is not None else 5e-12
            assert span.end - span.start == pytest.approx(took)
            assert span.length == (metres.si if metres is not None else 0.0)
            assert span.z == 60.0
        else:
            assert span.end == span.start
            assert (span.z, span.length) == (0.0, 0.0)
        at = span.end


def test_branches_with_elements_lie_in_rows_of_their_own(project: Project) -> None:
    path = project.design.path("trig")
    branches = [e for e in path.elements if isinstance(e, Branch)]
    assert any(b.elements for b in branches)
    spans = {s.id: s for s in outline_of(path)}
    row = 0
    for branch in branches:
        mark = spans[branch.id]
        assert mark.start == mark.end
        assert mark.branch == ""
        row += 1 if branch.elements else 0
        assert mark.row == (row if branch.elements else 0)
        at = mark.start
        for element in branch.elements:
            span = spans[element.id]
            assert (span.row, span.branch) == (row, branch.id)
            assert span.start == pytest.approx(at)
            at = span.end
    # They leave where the ribbon is, which goes on as if there were none.
    ids = [e.id for e in path.elements]
    for branch in branches:
        before = [spans[i].end for i in ids[: ids.index(branch.id)] if spans[i].row == 0]
        assert spans[branch.id].start == pytest.approx(max(before, default=0.0))


def test_a_branch_of_nothing_stays_in_its_row(project: Project) -> None:
    """A receiver on the ribbon, between two that have a line of their own."""
    path = project.design.path("trig")
    (first, *_) = (e for e in path.elements if isinstance(e, Branch) and e.elements)
    bare = set_value(first, id="bare", elements=())
    at = path.elements.index(first)
    elements = (*path.elements[: at + 1], bare, *path.elements[at + 1 :])
    spans = {s.id: s for s in outline_of(set_value(path, elements=elements))}
    plain = {s.id: s for s in outline_of(path)}
    assert spans["bare"].row == 0
    assert spans["bare"].start == plain[first.id].start
    assert {k: v for k, v in spans.items() if k != "bare"} == plain
