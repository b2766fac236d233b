"""The line that says what runs, fed with runs of known age and share."""

from __future__ import annotations

import time
from typing import Any

import pytest
from PyQt6.QtCore import QObject, pyqtSignal
from pytestqt.qtbot import QtBot

from onda.app.jobs import Running
from onda.app.shell.notice import ProgressLine, WordsLine


class Desk(QObject):
    activity = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.under_way: list[Running] = []
        self.waiting = 0
        self.cancelled = 0

    @property
    def is_idle(self) -> bool:
        return not self.under_way

    def cancel_all(self) -> None:
        self.cancelled += 1


def run(words: str, share: float, seconds: float, *, in_view: bool = True) -> Running:
    return Running(words, words, share, time.monotonic() - seconds, in_view)


@pytest.fixture
def desk() -> Desk:
    return Desk()


@pytest.fixture
def line(qtbot: QtBot, desk: Desk) -> ProgressLine:
    of_a_kind: Any = desk
    made = ProgressLine(of_a_kind)
    qtbot.addWidget(made)
    return made


@pytest.mark.parametrize(
    ("share", "seconds", "words"),
    [
        (0.25, 30.0, "Sweep 25%, about 90 s left"),
        (0.9, 9.0, "Sweep 90%, about 1 s left"),
        # Never less than a second while it runs.
        (0.99, 2.0, "Sweep 99%, about 1 s left"),
        # Too soon to say, and too little of it.
        (0.5, 1.0, "Sweep 50%"),
        (0.1, 30.0, "Sweep 10%"),
        (0.0, 30.0, "Sweep"),
    ],
)
def test_what_runs_how_far_it_is_and_how_long_it_takes(
    line: ProgressLine, desk: Desk, share: float, seconds: float, words: str
) -> None:
    desk.under_way = [run("Sweep", share, seconds)]
    line._update()
    assert line.words.text() == words
    assert not line.isHidden()
    if share:
        assert line.bar.value() / line.bar.maximum() == pytest.approx(share, abs=1e-3)
    else:
        # Of what does not say how far it is the bar moves by itself.
        assert (line.bar.minimum(), line.bar.maximum()) == (0, 0)


def test_what_is_on_screen_is_said_first_with_the_number_of_the_others(
    line: ProgressLine, desk: Desk
) -> None:
    desk.under_way = [run("Old", 0.0, 9.0, in_view=False), run("Seen", 0.0, 5.0)]
    desk.waiting = 3
    line._update()
    assert line.words.text() == "Seen, 4 more"
    desk.under_way = [run("Old", 0.0, 9.0, in_view=False), run("New", 0.0, 5.0, in_view=False)]
    desk.waiting = 0
    line._update()
    assert line.words.text() == "Old, 1 more"


def test_short_runs_are_not_shown_and_the_end_of_all_hides_it(
    line: ProgressLine, desk: Desk
) -> None:
    assert line.isHidden()
    desk.under_way = [run("Sweep", 0.5, 0.1)]
    line._update()
    assert line.isHidden()
    desk.under_way = [run("Sweep", 0.5, 0.6)]
    line._update()
    assert not line.isHidden()
    # Once it stands, it does not flicker between one short run and the next.
    desk.under_way = [run("Next", 0.5, 0.1)]
    line._update()
    assert line.words.text() == "Next 50%"
    desk.under_way = []
    desk.activity.emit()
    assert line.isHidden()


def test_nothing_is_said_before_anything_runs(qtbot: QtBot, desk: Desk) -> None:
    of_a_kind: Any = desk
    words = WordsLine(of_a_kind)
    qtbot.addWidget(words)
    words.show()
    assert not words.progress.isVisible()
    desk.under_way = [run("Sweep", 0.5, 9.0)]
    words.progress._update()
    assert words.progress.isVisible()
