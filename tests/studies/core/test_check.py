"""The check of a whole board, and what each requirement is judged by."""

from __future__ import annotations

from onda.project.base import set_value
from onda.project.edits import replace_object
from onda.project.model import Project
from onda.project.quantities import parse_quantity
from onda.studies.core.check import check_project
from onda.studies.core.judge import Book, margins_from
from onda.studies.core.margin import State
from onda.studies.core.runner import StudyRunner


def test_check_finds_the_seeded_faults_and_nothing_else(
    project: Project, runner: StudyRunner
) -> None:
    told: list[tuple[int, int]] = []
    margins = check_project(project, runner, progress=lambda done, of, _: told.append((done, of)))
    assert len(margins) == len(project.requirements)
    failing = [m for m in margins if m.state is State.FAILS]
    assert {(m.subject, m.title) for m in failing} == {
        ("clk-adc", "Overshoot"),
        ("clk-two", "Overshoot"),
        ("clk-two", "Settling"),
        ("trig", "Ring-back"),
        ("trig", "Step back"),
        ("trig", "Last crossing"),
        ("spi-clk", "Overshoot"),
        ("board-uplinks", "Highest impedance"),
        ("hub-card", "Passivity"),
        ("sensor-cable", "Through"),
        ("converter-lanes", "Share of the allowed noise"),
        ("memory-byte", "Arrival moved by neighbours"),
        ("memory-byte", "Far-end crosstalk, peaks together"),
        ("byte0", "Hold margin"),
        ("byte1", "Hold margin"),
    }
    assert all(m.state is not State.UNKNOWN for m in margins)
    assert all(m.evidence for m in margins)
    needs = list(Book().needs(project.design, project.requirements))
    assert told == [(k + 1, len(needs)) for k in range(len(needs))]


def test_check_of_one_stage(project: Project, runner: StudyRunner) -> None:
    margins = check_project(project, runner, only=("line",))
    assert {m.kind for m in margins} == {"line"}


def test_what_cannot_be_computed_fails_with_the_reason(
    project: Project, runner: StudyRunner
) -> None:
    layers = tuple(
        set_value(x, role="signal") if x.id in ("L2", "L4", "L5", "L7") else x
        for x in project.design.stackup.layers
    )
    design = set_value(project.design, stackup=set_value(project.design.stackup, layers=layers))
    bare = set_value(project, design=design)
    margins = check_project(bare, runner, only=("line",))
    assert all(m.state is State.FAILS for m in margins)
    assert "no plane above or below" in margins[0].how


def test_margins_without_results_are_unknown(project: Project) -> None:
    margins = margins_from(project.design, project.requirements, lambda key: None)
    assert {m.state for m in margins} == {State.UNKNOWN}


def test_needs_are_remembered_until_what_they_follow_from_changes(project: Project) -> None:
    book = Book()
    first = {n.key for n in book.needs(project.design, project.requirements)}
    requirement = next(r for r in project.requirements if r.subject == "clk-ref")
    other = next(r for r in project.requirements if r.subject == "clk-adc")
    before = book.look(project.design, requirement)
    clock = project.design.path("clk-adc")
    driver = set_value(clock.driver, resistance=parse_quantity("25 ohm", "resistance"))
    changed = replace_object(project, set_value(clock, driver=driver))
    # The edit shares everything else, so that the very same need comes back.
    assert book.look(changed.design, requirement) is before
    assert book.look(changed.design, other).key not in first
    assert book.look(project.design, other).key in first
    gone = set_value(requirement, subject="clk-adc", id="x")
    assert book.look(project.design, gone).problem == ""
