"""How the whole board stands: what is known, what is run, and what is of another board."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import pytest
from pytestqt.qtbot import QtBot

from onda.app import standing as module
from onda.app.document import Document
from onda.app.standing import Standing
from onda.project.base import set_value
from onda.project.kind import Ref
from onda.project.model import Project
from onda.project.quantities import parse_quantity
from onda.project.requirements import Requirement
from onda.studies.core.judge import Book
from onda.studies.core.margin import State
from onda.studies.core.runner import StudyRunner


class Desk:
    """Knows what it is told, and notes what it is asked for."""

    def __init__(self) -> None:
        self.known: dict[str, object] = {}
        self.asked: list[tuple[Any, Any, Any, Any]] = []
        self.runner = SimpleNamespace(cache=SimpleNamespace(get_from_memory=self.known.get))

    def request(self, slot: str, study: Any, inputs: Any, on_result: Any, on_error: Any) -> None:
        assert slot == "standing"
        self.asked.append((study, inputs, on_result, on_error))


def impedance(layer: str, least: str, most: str = "400 ohm") -> Requirement:
    return Requirement(
        id=f"z-{layer}", kind="line", subject="converter-pairs", measure="impedance", layer=layer,
        at_least=parse_quantity(least, "resistance"), at_most=parse_quantity(most, "resistance"),
    )  # fmt: skip


RINGS = Requirement(
    id="over", kind="path", subject="trig", measure="overshoot",
    at_most=parse_quantity("0.3 V", "voltage"),
)  # fmt: skip


@pytest.fixture
def board(project: Project) -> Project:
    """Two layers whose impedance is asked for: one holds, one fails."""
    return set_value(project, requirements=(impedance("L1", "60 ohm"), impedance("L3", "300 ohm")))


@pytest.fixture
def desk() -> Desk:
    return Desk()


@pytest.fixture
def standing(qtbot: QtBot, board: Project, desk: Desk) -> Iterator[Standing]:
    made = Standing(Document(board), desk)  # type: ignore[arg-type]
    made.rest_ms = 0
    yield made
    made.close()
    assert not made.is_waiting


def states(standing: Standing) -> dict[str, State]:
    return {m.requirement: m.state for m in standing.margins}


def answer(desk: Desk, runner: StudyRunner, project: Project, number: int) -> float:
    """Answer what was asked for at a place; its impedance."""
    study, inputs, done, _ = desk.asked[number]
    result = runner.result(study, inputs)
    needs = Book().needs(project.design, project.requirements)
    key = next(n.key for n in needs if n.study is study and n.inputs == inputs)
    desk.known[key] = result
    done(result)
    return float(result.z)


def test_what_is_not_known_is_run_one_at_a_time(
    standing: Standing, desk: Desk, runner: StudyRunner, board: Project, qtbot: QtBot
) -> None:
    assert standing.rest_ms == 0
    standing.begin()
    qtbot.waitUntil(lambda: len(desk.asked) == 1)
    assert states(standing) == {"z-L1": State.UNKNOWN, "z-L3": State.UNKNOWN}
    first = answer(desk, runner, board, 0)
    qtbot.waitUntil(lambda: len(desk.asked) == 2)
    assert states(standing) == {"z-L1": State.HOLDS, "z-L3": State.UNKNOWN}
    assert standing.margins[0].value == pytest.approx(first)
    second = answer(desk, runner, board, 1)
    qtbot.waitUntil(lambda: states(standing)["z-L3"] is State.FAILS)
    assert standing.margins[1].value == pytest.approx(second)
    assert first != pytest.approx(second, rel=1e-3)
    qtbot.waitUntil(lambda: not standing.is_waiting)
    assert len(desk.asked) == 2


def test_what_cannot_be_run_says_why_and_is_not_tried_again(
    standing: Standing, desk: Desk, runner: StudyRunner, board: Project, qtbot: QtBot
) -> None:
    standing.begin()
    qtbot.waitUntil(lambda: len(desk.asked) == 1)
    desk.asked[0][3]("the field does not settle")
    qtbot.waitUntil(lambda: len(desk.asked) == 2)
    assert desk.asked[1][1] != desk.asked[0][1]
    failed = standing.margins[0]
    assert (failed.state, failed.how) == (State.FAILS, "the field does not settle")
    answer(desk, runner, board, 1)
    qtbot.waitUntil(lambda: states(standing)["z-L3"] is State.FAILS and not standing.is_waiting)
    assert len(desk.asked) == 2


@pytest.fixture
def known(
    standing: Standing, desk: Desk, runner: StudyRunner, board: Project, qtbot: QtBot
) -> Standing:
    """Everything is at hand and looked at."""
    for need in Book().needs(board.design, board.requirements):
        desk.known[need.key] = runner.result(need.study, need.inputs)
    standing.begin()
    qtbot.waitUntil(lambda: len(standing.margins) == 2 and not standing.is_waiting)
    return standing


def test_another_limit_is_another_margin(known: Standing, qtbot: QtBot, board: Project) -> None:
    document = known._document
    told: list[dict[str, State]] = []
    known.changed.connect(lambda: told.append(states(known)))
    other = (impedance("L1", "300 ohm"), impedance("L3", "60 ohm"))
    document.edit("Limits", set_value(board, requirements=other))
    qtbot.waitUntil(lambda: states(known) == {"z-L1": State.FAILS, "z-L3": State.HOLDS})
    assert told[-1] == states(known)
    assert known.state_of_object(Ref("line", "converter-pairs")) is State.FAILS
    both = (impedance("L1", "60 ohm"), impedance("L3", "60 ohm"))
    document.edit("Limits", set_value(board, requirements=both))
    qtbot.waitUntil(lambda: set(states(known).values()) == {State.HOLDS})
    # What was known of an object before is not known of it any more.
    assert known.state_of_object(Ref("line", "converter-pairs")) is State.HOLDS
    assert known.state_of_kinds(("line",)) is State.HOLDS


def test_what_is_gone_is_gone_before_anybody_hears_of_it(
    known: Standing, qtbot: QtBot, board: Project
) -> None:
    document = known._document
    seen: list[list[str]] = []
    document.changed.connect(lambda: seen.append([m.requirement for m in known.margins]))
    one = set_value(board, requirements=board.requirements[1:])
    document.begin_gesture()
    document.edit("Less", one)
    # While something is dragged the list stays whole.
    assert seen == [["z-L1", "z-L3"]]
    document.end_gesture()
    document.undo()
    qtbot.waitUntil(lambda: len(known.margins) == 2 and not known.is_waiting)
    document.redo()
    assert seen[-1] == ["z-L3"]
    assert known.of(Ref("line", "converter-pairs"))[0].requirement == "z-L3"


def test_margins_of_what_is_dragged_take_the_place_of_their_own(
    known: Standing, board: Project
) -> None:
    first, second = known.margins
    live = replace(first, value=42.0)
    known.note_live([live])
    assert [m.value for m in known.margins] == [42.0, second.value]
    assert known.of(first.ref)[0].value == 42.0
    known.note_live([])
    assert len(known.margins) == 2


def test_states_are_those_of_the_kinds_asked_for(
    known: Standing, qtbot: QtBot, board: Project
) -> None:
    holds = (impedance("L1", "60 ohm"), RINGS)
    known._document.edit("More", set_value(board, requirements=holds))
    qtbot.waitUntil(lambda: states(known) == {"z-L1": State.HOLDS, "over": State.UNKNOWN})
    assert known.state_of_kinds(("line",)) is State.HOLDS
    assert known.state_of_kinds(("path",)) is State.UNKNOWN
    assert known.state_of_kinds(("line", "path")) is State.UNKNOWN
    assert known.state_of_kinds(("bus",)) is None
    assert known.state_of_object(Ref("path", "trig")) is State.UNKNOWN
    assert known.state_of_object(Ref("path", "clk-adc")) is None
    assert [m.requirement for m in known.of(Ref("path", "trig"))] == ["over"]


def test_an_edit_between_two_slices_begins_anew(
    known: Standing, qtbot: QtBot, board: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(module, "_SLICE_S", -1.0)
    known.note()
    known._work()
    assert known._coming is not None
    other = (impedance("L3", "60 ohm"), impedance("L1", "300 ohm"))
    known._document.edit("Other", set_value(board, requirements=other))
    qtbot.waitUntil(lambda: not known.is_waiting)
    assert [m.requirement for m in known.margins] == ["z-L3", "z-L1"]
    assert states(known) == {"z-L3": State.HOLDS, "z-L1": State.FAILS}
