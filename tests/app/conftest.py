"""The real window, on the demo, with results shared between tests."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import Executor, Future
from pathlib import Path
from typing import Any

import pytest
from PyQt6 import sip
from PyQt6.QtCore import QPoint, QPointF, QSettings, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from onda.app.shell.window import MainWindow
from onda.app.theme import Look
from onda.project.base import set_value
from onda.project.model import Project
from onda.project.shown_units import METRIC, ShownUnits, choose_units
from onda.studies.core.cache import ResultCache
from onda.studies.core.executors import Place, threads
from onda.studies.core.judge import Book

_BOOK = Book()
"""What requirements need, worked out once for parts that tests share."""
MakeWindow = Callable[..., MainWindow]
OnObject = Callable[[str, str], MainWindow]


class Known(Executor):
    """Runs nothing: what is known already comes, and nothing else."""

    def submit(self, fn: Any, /, *args: Any, **kwargs: Any) -> Future[Any]:
        future: Future[Any] = Future()
        if len(args) >= 3:
            known = fn.__self__._known(args[0], args[2])
            if known is not None:
                future.set_result(known)
        return future


KNOWN = Place("known", Known, shares_memory=True)


@pytest.fixture(autouse=True)
def _own_settings(tmp_path: Path) -> None:
    """What one test has remembered is not known to the next."""
    for form in (QSettings.Format.NativeFormat, QSettings.Format.IniFormat):
        QSettings.setPath(form, QSettings.Scope.UserScope, str(tmp_path / "settings"))


@pytest.fixture
def qtbot(qtbot: QtBot) -> Iterator[QtBot]:
    """What is shown lives as long as its test and ends with it, in the order that Qt has for it.

    Left to the collector of garbage it would be freed in any order, and in the middle of something.
    """
    shown: list[QWidget] = []
    add = qtbot.addWidget

    def keep(widget: QWidget, **more: Callable[[QWidget], None]) -> None:
        shown.append(widget)
        add(widget, **more)

    qtbot.addWidget = keep  # type: ignore[method-assign]
    yield qtbot
    for widget in shown:
        if not sip.isdeleted(widget):
            sip.delete(widget)


@pytest.fixture
def look(qapp: QApplication) -> Look:
    """The looks by day."""
    return Look()


@pytest.fixture
def in_inches() -> Iterator[None]:
    """Lengths in mil and inches, losses per inch."""
    choose_units(ShownUnits("mil", "inch"))
    yield
    choose_units(METRIC)


@pytest.fixture
def make_window(qtbot: QtBot, project: Project, shared_cache: ResultCache) -> Iterator[MakeWindow]:
    """Opens windows and closes them at the end."""
    made: list[MainWindow] = []

    def make(
        what: Project = project,
        path: Path | None = None,
        stage: str = "paths",
        place: Place | None = None,
    ) -> MainWindow:
        place = place or threads(2)
        window = MainWindow(what, path, stage=stage, place=place, cache=shared_cache)
        # Tests need no pause before the rest of the board is looked at.
        window.standing.rest_ms = 20
        window.standing._book = _BOOK
        made.append(window)
        qtbot.addWidget(window)
        window.show()
        # What only knows never ends what it cannot find.
        assert place is KNOWN or window.settle()
        return window

    yield make
    for window in made:
        window.close()
        # What is closed does nothing any more.
        assert [t for t in window.findChildren(QTimer) if t.isActive()] == []


@pytest.fixture
def known(make_window: MakeWindow) -> OnObject:
    """Opens a window that computes nothing, on an object of a stage."""

    def made(stage: str, subject: str) -> MainWindow:
        window = make_window(stage=stage, place=KNOWN)
        window.selection.choose(subject, stage)
        QApplication.processEvents()
        return window

    return made


def only(project: Project, kind: str) -> Project:
    """A board with what is required of one kind alone: the rest of it is not run along."""
    kept = tuple(r for r in project.requirements if r.kind == kind)
    return set_value(project, requirements=kept)


@pytest.fixture(scope="session")
def of_lines(project: Project) -> Project:
    """Fulmar with what is required of its lines."""
    return only(project, "line")


@pytest.fixture
def window(make_window: MakeWindow) -> MainWindow:
    """A window on Paths."""
    return make_window()


def drag(
    widget: QWidget,
    start: QPointF,
    end: QPointF,
    steps: int = 5,
    between: Callable[[], object] = lambda: None,
) -> None:
    """Press, move in steps with something done after each, release."""
    at = start.toPoint()
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=at)
    for k in range(1, steps + 1):
        here = QPoint(
            round(start.x() + (end.x() - start.x()) * k / steps),
            round(start.y() + (end.y() - start.y()) * k / steps),
        )
        QTest.mouseMove(widget, here)
        between()
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=end.toPoint())


def type_into(edit: QWidget, text: str) -> None:
    """Replace what is in a field and leave it with Enter."""
    edit.setFocus()
    edit.selectAll()  # type: ignore[attr-defined]
    QTest.keyClick(edit, Qt.Key.Key_Delete)
    if text.isascii():
        QTest.keyClicks(edit, text)
    else:
        # Its keys are those of an American keyboard.
        edit.insert(text)  # type: ignore[attr-defined]
        edit.setModified(True)  # type: ignore[attr-defined]
    QTest.keyClick(edit, Qt.Key.Key_Return)
