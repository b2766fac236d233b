"""What is on screen belongs to what is chosen: in every stage, at once, and where nothing can be
computed it says so."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from PyQt6.QtWidgets import QApplication

from onda.app.shell.window import MainWindow
from onda.project.base import set_value
from onda.project.begin import from_template
from onda.project.build.exchange import build_table, take_build
from onda.project.edits import replace_object
from onda.project.model import Project
from onda.project.quantities import parse_quantity
from tests.app.conftest import MakeWindow

_TWO = {
    "lines": ("converter-pairs", "general"),
    "paths": ("clk-adc", "clk-ref"),
    "networks": ("mezzanine", "sensor-cable"),
}


@pytest.fixture
def slow(monkeypatch: pytest.MonkeyPatch) -> Callable[[MainWindow], None]:
    """From then on nothing is known at once, and nothing that was asked for begins."""

    def hold(window: MainWindow) -> None:
        monkeypatch.setattr(window.desk.runner.cache, "get_from_memory", lambda key: None)
        monkeypatch.setattr(window.desk, "_start_more", lambda: None)

    return hold


@pytest.mark.parametrize("stage", sorted(_TWO))
def test_the_former_object_is_covered_at_once(
    stage: str, make_window: MakeWindow, slow: Callable[[MainWindow], None]
) -> None:
    window = make_window(stage=stage)
    first, second = _TWO[stage]
    window.selection.choose(first)
    assert window.settle()
    shown = window.stages[stage]
    assert shown.surface.veil.isHidden()
    slow(window)
    window.selection.choose(second)
    veil = shown.surface.veil
    assert not veil.isHidden()
    assert not veil.is_thin
    assert "Computing" in veil.words
    name = next(r.title for r in shown.rows() if r.id == second)
    assert name in veil.words
    # It lies over all that it has to cover.
    for widget in veil._over:
        if widget.isVisible():
            corner = widget.mapTo(shown.surface.content, widget.rect().center())
            assert veil.geometry().contains(corner)
    # No number of the former one is left beside it; what the board knows of this one stands.
    assert {m.subject for m in window.strip.margins} == {second}
    known = {m.requirement: m.value for m in window.standing.margins}
    assert all(m.value == known[m.requirement] for m in window.strip.margins)
    numbers = [rows for rows in _rows(shown) if rows]
    assert numbers == []
    window.desk.cancel_all()


def test_no_map_of_another_class_is_left(
    of_lines: Project, make_window: MakeWindow, slow: Callable[[MainWindow], None]
) -> None:
    window = make_window(of_lines, stage="lines")
    lines = window.stages["lines"]
    assert lines.map._map is not None
    axes = lines.map._axes
    window.selection.choose("clocks")
    assert window.settle()
    assert lines.by_width.curves != ()
    window.selection.choose("converter-pairs")
    assert window.settle()
    slow(window)
    window.selection.choose("memory")
    # The result of the class itself comes before its map does.
    lines.surface.veil.lift()
    assert (lines.map._map, lines.map._image, lines.by_width.curves) == (None, None, ())
    assert lines.map._axes == axes
    window.desk.cancel_all()


def test_no_sweep_of_another_path_is_left(
    make_window: MakeWindow, slow: Callable[[MainWindow], None]
) -> None:
    window = make_window(stage="paths")
    paths = window.stages["paths"]
    window.selection.choose("clk-adc")
    assert window.settle()
    assert paths.sweep is not None
    slow(window)
    window.selection.choose("clk-ref")
    assert paths.sweep is None
    window.desk.cancel_all()


def _rows(stage) -> list[list[tuple[str, str, str, str]]]:  # type: ignore[no-untyped-def]
    panel = stage.panel if hasattr(stage, "panel") else stage.form
    kept = [getattr(panel, name, None) for name in ("numbers", "rows")]
    return [k._rows for k in kept if hasattr(k, "_rows")]


def test_an_older_state_is_seen_through_a_thin_cover(
    make_window: MakeWindow, slow: Callable[[MainWindow], None]
) -> None:
    window = make_window(stage="paths")
    paths = window.stages["paths"]
    slow(window)
    project = window.document.project
    path = project.design.path("clk-adc")
    longer = set_value(path.elements[2], length=parse_quantity("50 mm", "length"))
    elements = (*path.elements[:2], longer, *path.elements[3:])
    window.document.edit("Longer", replace_object(project, set_value(path, elements=elements)))
    veil = paths.surface.veil
    assert veil.isHidden()
    veil._later.timeout.emit()
    assert veil.is_thin
    assert not veil.isHidden()
    assert "before this one" in veil.words
    window.desk.cancel_all()


def broken_path(project: Project) -> Project:
    """A path on a trace that is narrower than etching leaves: it cannot be computed."""
    path = project.design.path("clk-ref")
    piece = next(e for e in path.elements if e.kind == "trace")
    class_ = project.design.line_class(piece.line_class)
    trace = class_.trace_on(piece.layer)
    narrow = set_value(trace, width=parse_quantity("20 um", "length"))
    on = tuple(narrow if t.layer == piece.layer else t for t in class_.on)
    return replace_object(project, set_value(class_, on=on))


def test_what_cannot_be_computed_shows_why_and_no_other_path(make_window: MakeWindow) -> None:
    window = make_window(stage="paths")
    paths = window.stages["paths"]
    before = [c.y.copy() for c in paths.waves.plot.curves]
    assert before
    window.selection.choose("clk-ref")
    assert window.settle()
    window.document.edit("Too narrow", broken_path(window.document.project))
    assert window.settle()
    veil = paths.surface.veil
    assert veil.failed
    assert not veil.isHidden()
    assert "width" in veil.words.lower()
    assert veil.words == paths.surface.problem.text() == window.messages.text.text()
    assert paths.result is None
    # Its elements can still be chosen and taken out.
    assert paths.ribbon.layout_ is not None
    assert paths.ribbon.layout_.is_outline
    assert paths.ribbon.layout_.path.id == "clk-ref"
    drawn = {s.id for s in paths.ribbon.layout_.spans}
    assert drawn == {e.id for e in paths.path.all_elements}
    window.undo()
    assert window.settle()
    assert veil.isHidden()
    assert paths.result is not None


@pytest.mark.parametrize("stage", ["stackup", "lines", "paths", "networks", "eyes"])
def test_a_build_is_replaced_under_every_stage(
    stage: str, make_window: MakeWindow, project: Project, caplog: pytest.LogCaptureFixture
) -> None:
    """Six layers over eight, with everything that stood on the others gone."""
    bare = set_value(
        project,
        requirements=tuple(r for r in project.requirements if r.kind == "line"),
        design=set_value(project.design, paths=(), buses=(), networks=(), links=(), sheet_lines=()),
    )
    window = make_window(bare, stage=stage)
    six = from_template("Six", 6)
    taken = take_build(window.document.project, build_table(six))
    window.document.edit("Read build", taken.project)
    assert window.settle()
    design = window.document.project.design
    assert len(design.stackup.copper) == 6
    assert {m.subject for m in window.standing.margins} <= {c.id for c in design.line_classes}
    assert "tail.L4" not in str(taken.project.requirements)
    for other in ("stackup", "lines", "paths", "networks", "eyes"):
        window.selection.go(other)
        assert window.settle()
    window.undo()
    assert window.settle()
    assert window.document.project == bare
    assert "unexpected" not in caplog.text


def test_another_project_leaves_nothing_of_the_former_one(
    make_window: MakeWindow, project: Project
) -> None:
    window = make_window(stage="paths")
    path = project.design.path("clk-adc")
    other = replace_object(project, set_value(path, name="Another clock"))
    window.document.replace(other, None)
    QApplication.processEvents()
    paths = window.stages["paths"]
    assert paths.surface.title.text() == "Another clock"
    assert window.settle()
    assert paths.surface.veil.isHidden()
