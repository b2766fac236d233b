"""What every stage is made of, without a window: what is chosen, asked for, judged, kept, said."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from types import SimpleNamespace
from typing import Any

import pytest
from PyQt6.QtWidgets import QLineEdit
from pytestqt.qtbot import QtBot

from onda.app.document import Document
from onda.app.kit.kept import Kept
from onda.app.kit.stage import OneResultStage
from onda.app.kit.subject import OneResult, Subject
from onda.app.kit.surface import Surface
from onda.app.selection import Selection
from onda.app.shell.rows import Row
from onda.app.stages import STAGES, StageInfo, stage_of
from onda.app.theme import Look
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.edits import keep_state, remove_object, rename_object, show_kept
from onda.project.kind import Ref
from onda.project.model import Design, Project
from onda.project.quantities import parse_quantity
from onda.project.requirements import Requirement
from onda.studies.core.margin import Margin, Measured, State, margin_of, worst
from onda.studies.core.study import Control, Study


def over(path: str, most: str, name: str = "") -> Requirement:
    limit = parse_quantity(most, "voltage")
    return Requirement(
        id=name or f"over-{path}", kind="path", subject=path, measure="overshoot", at_most=limit
    )


class Desk:
    """Notes what is asked for."""

    def __init__(self) -> None:
        self.asked: list[SimpleNamespace] = []
        self.withdrawn: list[str] = []

    def request(
        self, slot: str, study: Any, inputs: Any, show: Any, fail: Any, **more: Any
    ) -> None:
        self.asked.append(
            SimpleNamespace(slot=slot, study=study, inputs=inputs, show=show, fail=fail, **more)
        )

    def withdraw(self, slot: str) -> None:
        self.withdrawn.append(slot)


class Standing:
    """Knows margins that it was given, and how often it was told of a result."""

    def __init__(self) -> None:
        self.margins: list[Margin] = []
        self.noted = 0

    def of(self, ref: Ref) -> list[Margin]:
        return [m for m in self.margins if m.ref == ref]

    def state_of_object(self, ref: Ref) -> State | None:
        return worst(self.of(ref)) if self.of(ref) else None

    def note(self) -> None:
        self.noted += 1


@pytest.fixture
def context(qtbot: QtBot, look: Look, project: Project) -> Any:
    board = set_value(project, requirements=(over("clk-adc", "0.3 V"), over("trig", "0.2 V")))
    selection = Selection("paths", lambda kind: stage_of(kind).id)
    selection.choose("clk-adc")
    return SimpleNamespace(
        look=look, document=Document(board), selection=selection, desk=Desk(), standing=Standing()
    )


@pytest.fixture
def subject(context: Any) -> OneResult[Any]:
    return OneResult(context, "paths", ("path",))


def run(inputs: object, control: Control) -> float:
    return 1.0


STUDY: Study[Any, float] = Study("anything", run, float, title="Anything")


# -- what is chosen ------------------------------------------------------------------------------


def test_the_chosen_object_is_that_of_the_design_asked(context: Any, subject: Subject) -> None:
    assert subject.id == "clk-adc"
    assert subject.ref == Ref("path", "clk-adc")
    assert [r.id for r in subject.requirements] == ["over-clk-adc"]
    project = context.document.project
    renamed = rename_object(project, Ref("path", "clk-adc"), "Another").design
    assert subject.item_in(renamed).name == "Another"
    assert subject.item.name != "Another"
    without = remove_object(project, Ref("path", "clk-adc")).design
    assert subject.item_in(without) is None
    subject.choose_element("R1")
    assert (subject.element, context.selection.element_of("paths")) == ("R1", "R1")
    context.selection.choose("nothing")
    assert (subject.ref, subject.requirements, subject.element) == (None, (), "")


def test_every_stage_has_its_own_object_and_every_object_its_own_element() -> None:
    told: list[tuple[str, str]] = []
    chosen = Selection("paths", lambda kind: stage_of(kind).id)
    for signal in ("stage_changed", "subject_changed", "element_changed", "hover_changed"):
        getattr(chosen, signal).connect(lambda x, signal=signal: told.append((signal, x)))
    chosen.choose("clk-adc")
    chosen.choose_element("R1")
    # Somewhere else an object is chosen without a word: it is not in view.
    chosen.choose("clocks", "lines")
    assert told == [("subject_changed", "clk-adc"), ("element_changed", "R1")]
    chosen.go("lines")
    chosen.choose_element("L6")
    assert (chosen.subject, chosen.element) == ("clocks", "L6")
    assert (chosen.subject_of("paths"), chosen.element_of("paths")) == ("clk-adc", "R1")
    chosen.go("paths")
    assert (chosen.element, chosen.element_of("lines")) == ("R1", "L6")
    chosen.choose("trig")
    assert chosen.element == ""
    chosen.choose("clk-adc")
    assert chosen.element == "R1"
    del told[:]
    chosen.choose("clk-adc")
    chosen.go("paths")
    chosen.choose_element("R1")
    chosen.hover("")
    assert told == []
    chosen.show(Ref("line", "launch"), "L8")
    assert (chosen.stage, chosen.subject, chosen.element) == ("lines", "launch", "L8")
    chosen.hover("L8")
    chosen.hover("L8")
    assert told == [("stage_changed", "lines"), ("element_changed", "L8"), ("hover_changed", "L8")]


def keep_three(context: Any) -> list[str]:
    """Three kept states of which the second is hidden; of each the path has another name."""
    project = context.document.project
    for name in ("one", "two", "three"):
        renamed = rename_object(project, Ref("path", "clk-adc"), f"as in {name}")
        kept = keep_state(renamed, name)
        project = set_value(kept, design=project.design)
    ids = [k.id for k in project.kept]
    context.document.edit("keep", show_kept(project, ids[1], False))
    return ids


def test_kept_states_that_are_shown_are_counted(context: Any, subject: Subject) -> None:
    first, hidden, third = keep_three(context)
    assert [k.id for k in subject.kept_states] == [first, third]
    assert [item.name for item in subject.kept_items()] == ["as in one", "as in three"]
    # Numbers are those of the states, whether the others have a result or not.
    assert subject.named({third: 3.0, hidden: 2.0}) == [Kept(2, "three", 3.0)]
    assert subject.named({third: 3.0, first: 1.0}) == [Kept(1, "one", 1.0), Kept(2, "three", 3.0)]


# -- margins -------------------------------------------------------------------------------------


def test_what_another_study_answers_is_what_the_board_knows(context: Any, subject: Subject) -> None:
    wanted, other = over("clk-adc", "0.3 V"), over("clk-adc", "0.1 V", "over-again")
    context.standing.margins = [
        margin_of(other, Measured(0.4, "there", "so")), margin_of(wanted, Measured(0.2, "", ""))
    ]  # fmt: skip
    foreign = object()
    assert subject.margin(wanted, foreign).value == 0.2
    assert subject.margin(other, foreign).value == 0.4
    context.standing.margins = []
    assert subject.margin(wanted, foreign).state is State.UNKNOWN
    failed = subject.margin(wanted, foreign, "it does not settle")
    assert (failed.state, failed.how) == (State.FAILS, "it does not settle")
    assert math.isnan(subject.kept_value(wanted, subject.design, foreign))


# -- asking --------------------------------------------------------------------------------------


def test_a_wish_says_whose_it_is_and_one_that_cannot_be_made_is_withdrawn(
    context: Any, subject: Subject
) -> None:
    told: list[str] = []
    subject.ask("now", STUDY, lambda: 5, print, told.append)
    (asked,) = context.desk.asked
    assert (asked.slot, asked.study, asked.inputs) == ("paths-now", STUDY, 5)
    assert (asked.urgent, asked.first) == (False, None)
    assert asked.words == f"Anything, {subject.item.name}"

    def refuse() -> None:
        raise InputError("no such layer")

    subject.ask("now", STUDY, refuse, print, told.append)
    assert (told, context.desk.withdrawn) == (["no such layer"], ["paths-now"])
    assert len(context.desk.asked) == 1
    context.selection.choose("nothing")
    subject.ask("now", STUDY, lambda: 5, print, told.append)
    assert context.desk.asked[-1].words == "Anything"


def test_a_quick_answer_comes_first_and_alone_while_dragged(context: Any, subject: Subject) -> None:
    def inputs(fine: bool) -> str:
        return "fine" if fine else "quick"

    subject.ask_quick_first("now", STUDY, inputs, print, print)
    asked = context.desk.asked[-1]
    assert (asked.inputs, asked.first, asked.urgent) == ("fine", "quick", False)
    context.document.begin_gesture()
    subject.ask_quick_first("now", STUDY, inputs, print, print)
    asked = context.desk.asked[-1]
    assert (asked.inputs, asked.first, asked.urgent) == ("quick", None, True)


def test_every_kept_state_is_asked_for_by_itself(context: Any, subject: Subject) -> None:
    first, hidden, third = keep_three(context)
    kept: dict[str, Any] = {hidden: "old"}
    drawn: list[dict[str, Any]] = []

    def inputs(design: Design) -> str:
        return str(subject.item_in(design).name)

    subject.ask_kept(STUDY, kept, inputs, lambda: drawn.append(dict(kept)), slot="-rate")
    # What is not shown any more is gone at once, and drawn so.
    assert drawn == [{}]
    asked = context.desk.asked
    assert [a.slot for a in asked] == [f"paths-kept-{first}-rate", f"paths-kept-{third}-rate"]
    assert [a.inputs for a in asked] == ["as in one", "as in three"]
    asked[1].show("third result")
    asked[0].show("first result")
    assert drawn[1:] == [{third: "third result"}, {third: "third result", first: "first result"}]
    subject.ask_kept(STUDY, kept, inputs, lambda: drawn.append({}), slot="-rate")
    assert len(drawn) == 3

    def some(design: Design) -> str | None:
        name = str(subject.item_in(design).name)
        if name == "as in three":
            raise InputError("cannot be")
        return None

    before = len(context.desk.asked)
    subject.ask_kept(STUDY, kept, some, lambda: None)
    assert len(context.desk.asked) == before


def test_results_of_another_object_are_forgotten(subject: OneResult[Any]) -> None:
    assert subject.turn_to("clk-adc")
    subject.result, subject.failure = 1.0, "no"
    subject.kept["k1"] = 2.0
    assert not subject.turn_to("clk-adc")
    assert (subject.result, subject.failure, subject.kept) == (1.0, "no", {"k1": 2.0})
    assert subject.turn_to("trig")
    assert (subject.result, subject.failure, subject.kept) == (None, "", {})


# -- a stage -------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Found:
    """A result by name."""

    name: str


class Plain(OneResultStage[Found]):
    """A stage that notes what is done to it."""

    margins_title = "this path"
    makes = ("path",)

    def __init__(self, context: Any, info: StageInfo) -> None:
        super().__init__(context, info)
        self.done: list[str] = []

    def refresh(self) -> None:
        self.done.append(f"refresh {self.subject.id}")

    def draw(self) -> None:
        self.done.append(f"draw {self.result.name if self.result else ''}")

    def forget_results(self) -> None:
        self.done.append("forget")

    def rows(self) -> Sequence[Row]:
        return [self.row_of(p, "no limits") for p in self.design.paths]


@pytest.fixture
def stage(qtbot: QtBot, context: Any) -> Plain:
    made = Plain(context, next(s for s in STAGES if s.id == "paths"))
    qtbot.addWidget(made.surface)
    qtbot.addWidget(made.inspector)
    return made


def test_what_is_of_another_object_is_covered_and_forgotten(stage: Plain) -> None:
    told: list[str] = []
    stage.margins_changed.connect(lambda: told.append("margins"))
    stage.surface.tell("something is wrong")
    assert stage.turned_to("clk-adc", "ADC sample clock")
    assert (stage.done, told) == (["forget"], ["margins"])
    veil = stage.surface.veil
    assert stage.surface.problem.text() == ""
    assert (veil.words, veil.is_thin, veil.isHidden()) == (
        "Computing ADC sample clock…", False, False,
    )  # fmt: skip
    veil.lift()
    # Of the same one it is an older state, which is covered thinly in a moment.
    assert not stage.turned_to("clk-adc", "ADC sample clock")
    assert (stage.done, told) == (["forget"], ["margins"])
    assert veil.isHidden()
    assert veil._later.isActive()
    veil.lift()
    assert not veil._later.isActive()
    stage.context.document.begin_gesture()
    stage.turned_to("clk-adc", "ADC sample clock")
    assert not veil._later.isActive()


def test_a_result_takes_the_place_of_a_failure_and_the_other_way_round(stage: Plain) -> None:
    standing: Any = stage.context.standing
    stage.show_failure("the field does not settle")
    veil = stage.surface.veil
    assert (stage.result, stage.failure) == (None, "the field does not settle")
    assert (veil.words, veil.failed, veil.isHidden()) == (stage.failure, True, False)
    assert stage.surface.problem.text() == stage.failure
    assert stage.done == ["forget"]
    stage.show_result(Found("a"))
    assert (stage.result, stage.failure) == (Found("a"), "")
    assert veil.isHidden()
    assert stage.surface.problem.text() == ""
    assert (stage.done[-1], standing.noted) == ("draw a", 1)
    stage.context.document.begin_gesture()
    stage.show_result(Found("b"))
    # The board is looked at when it rests.
    assert (stage.done[-1], standing.noted) == ("draw b", 1)
    stage.context.document.end_gesture()
    stage.show_failure("no")
    assert stage.result is None


def test_an_edit_and_a_choice_refresh_what_is_in_view_once(stage: Plain) -> None:
    document, selection = stage.context.document, stage.context.selection
    document.edit("Rename", rename_object(document.project, Ref("path", "trig"), "T"))
    assert stage.done == ["refresh clk-adc"]
    document.begin_gesture()
    document.edit("Rename", rename_object(document.project, Ref("path", "trig"), "U"))
    document.end_gesture()
    assert len(stage.done) == 3
    selection.choose("trig")
    selection.choose_element("R1")
    assert stage.done[-2:] == ["refresh trig"] * 2
    before = len(stage.done)
    stage.context.look.set_night(True)
    assert len(stage.done) == before + 1
    selection.go("lines")
    document.undo()
    # Out of view nothing is done.
    assert len(stage.done) == before + 1


def test_a_row_says_what_is_worst_of_its_object(stage: Plain) -> None:
    def margin(name: str, value: float) -> Margin:
        return margin_of(over("clk-adc", "0.3 V", name), Measured(value, "", "", doubts=("rough",)))

    standing: Any = stage.context.standing
    standing.margins = [margin("a", 0.29), margin("b", 0.6), margin("c", 0.4)]
    row = next(r for r in stage.rows() if r.id == "clk-adc")
    assert (row.state, row.subtitle, row.figure) == (State.FAILS, "overshoot", "0.600 V ?")
    standing.margins = [margin("a", 0.1), margin("b", 0.29)]
    row = next(r for r in stage.rows() if r.id == "clk-adc")
    assert (row.state, row.figure) == (State.TIGHT, "0.290 V ?")
    standing.margins = [margin("a", 0.1)]
    row = next(r for r in stage.rows() if r.id == "clk-adc")
    assert (row.state, row.subtitle, row.figure) == (State.HOLDS, "no limits", "")


def test_copies_and_names_go_to_the_object_that_was_meant(stage: Plain) -> None:
    document = stage.context.document
    stage.add_copy("trig")
    new = document.project.design.paths[-1]
    old = document.project.design.path("trig")
    assert new.elements == old.elements
    assert stage.context.selection.subject == new.id
    stage.rename(new.id, "Second trigger")
    assert document.project.design.path(new.id).name == "Second trigger"
    assert document.project.design.path("trig").name == old.name
    stage.remove(new.id)
    assert [p.id for p in document.project.design.paths].count(new.id) == 0
    stage.context.selection.choose("clk-adc")
    stage.add_copy()
    assert document.project.design.paths[-1].elements == (
        document.project.design.path("clk-adc").elements
    )


def test_another_project_leaves_nothing_of_the_one_before(stage: Plain, project: Project) -> None:
    stage.turned_to("clk-adc", "ADC sample clock")
    stage.surface.note("Read it.")
    stage._is_making = True
    stage.context.document.replace(project, None)
    assert not stage._is_making
    assert stage.surface.problem.text() == ""
    assert stage.turned_to("clk-adc", "ADC sample clock")


def test_who_makes_another_one_may_leave_it(stage: Plain) -> None:
    pages: list[bool] = []
    stage.page_changed.connect(lambda: pages.append(stage.surface.shows_content))
    stage.turned_to("clk-adc", "ADC sample clock")
    stage.begin_making()
    assert not stage.surface.shows_content
    assert stage.surface.title.text() == "Paths"
    assert stage.maker.cancel.isVisibleTo(stage.surface)
    stage.maker.type("name", "Half typed")
    stage._on_changed()
    stage.show()
    # What was decided stays while the project changes below it.
    assert stage.maker._decided == {"name": "Half typed"}
    stage.maker.left.emit()
    assert stage.surface.shows_content
    assert stage.done[-1] == "refresh clk-adc"
    stage.begin_making()
    assert stage.maker._decided == {}
    assert pages == [False, False, True, False]


def test_an_entry_keeps_the_focus_where_its_page_is_made_anew(stage: Plain, qtbot: QtBot) -> None:
    stage.surface.show()
    qtbot.waitExposed(stage.surface)
    stage.surface.activateWindow()
    stage.begin_making()
    page = stage.maker
    *_, last = (key for key, entry in page.entries.items() if isinstance(entry, QLineEdit))
    before = page.entries[last]
    before.setFocus()
    qtbot.waitUntil(before.hasFocus)
    assert before is not next(iter(page.entries.values()))
    page.follow(stage.context.document.project)
    assert page.entries[last] is not before
    qtbot.waitUntil(lambda: page.entries[last].hasFocus())


# -- what is said --------------------------------------------------------------------------------


def test_a_note_stays_until_something_is_wrong_or_all_is_taken_back(
    qtbot: QtBot, look: Look
) -> None:
    surface = Surface(look)
    qtbot.addWidget(surface)
    told: list[str] = []
    surface.told.connect(lambda: told.append(surface.problem.text()))
    act = ("Undo", lambda: None)
    surface.note("Read six layers.", [act])
    surface.tell("")
    assert (surface.problem.text(), surface.problem.is_note) == ("Read six layers.", True)
    assert surface.problem.actions == (act,)
    surface.tell("no such layer")
    assert (surface.problem.text(), surface.problem.is_note) == ("no such layer", False)
    assert surface.problem.actions == ()
    surface.tell("no such layer")
    surface.tell("")
    assert told == ["Read six layers.", "no such layer", ""]
    surface.note("Read six layers.")
    surface.hush()
    assert surface.problem.text() == ""


def test_a_page_takes_the_place_of_content_and_tools(qtbot: QtBot, look: Look) -> None:
    surface, page = Surface(look), Surface(look)
    qtbot.addWidget(surface)
    pressed: list[str] = []
    button = surface.add_button("Keep", lambda: pressed.append("keep"), primary=True, tip="K")
    surface.show_head("Clock", "50 ohm")
    assert (surface.what_is_shown(), surface.remark.text()) == ("Clock", "50 ohm")
    surface.show_page(page)
    assert not surface.shows_content
    assert not button.isVisibleTo(surface)
    surface.show_page(page)
    assert surface.pages.count() == 2
    surface.show_page(None)
    assert surface.shows_content
    assert button.isVisibleTo(surface)
    button.click()
    assert (pressed, button.toolTip(), button.objectName()) == (["keep"], "K", "primary")
