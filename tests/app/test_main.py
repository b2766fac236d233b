"""From the start of the program to its end, without the loop between."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import QApplication

from onda.app import main
from onda.app.recents import recent_files, remember_look
from onda.app.shell.window import MainWindow
from onda.project.base import set_value
from onda.project.model import Project
from onda.project.shown_units import METRIC, ShownUnits, choose_units, units_in_use
from onda.project.store import load_project, save_project
from onda.studies.core.cache import ResultCache
from onda.studies.core.executors import threads


class _App(QObject):
    """Stands for the application: its loop is what a test does with the window."""

    applicationStateChanged = pyqtSignal(Qt.ApplicationState)  # noqa: N815

    def __init__(self) -> None:
        super().__init__()
        self.during: Callable[[MainWindow], int] = lambda window: 0
        self.window: MainWindow | None = None

    def exec(self) -> int:
        assert self.window is not None
        return self.during(self.window)


@pytest.fixture
def app(
    monkeypatch: pytest.MonkeyPatch, shared_cache: ResultCache, qapp: QApplication
) -> Iterator[_App]:
    stub = _App()

    def made(project: Project, path: Path | None) -> MainWindow:
        stub.window = MainWindow(project, path, place=threads(2), cache=shared_cache)
        return stub.window

    monkeypatch.setattr(main, "application", lambda: stub)
    monkeypatch.setattr(main, "MainWindow", made)
    yield stub
    if stub.window is not None:
        stub.window.close()
    choose_units(METRIC)


@pytest.fixture
def small(of_lines: Project) -> Project:
    return of_lines


def test_it_begins_as_it_was_left(app: _App, small: Project, tmp_path: Path) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(small, file)
    choose_units(ShownUnits("mil", "inch"))
    remember_look(True)
    choose_units(METRIC)
    seen: dict[str, Any] = {}

    def during(window: MainWindow) -> int:
        seen["shown"] = window.isVisible()
        seen["night"] = window.look.is_night
        seen["units"] = units_in_use()
        seen["page"] = window.surfaces.currentWidget() is window.start_page
        window.close()
        return 7

    app.during = during
    assert main.run_application(load_project(file), file) == 7
    assert seen == {
        "shown": True, "night": True, "units": ShownUnits("mil", "inch"), "page": False,
    }  # fmt: skip
    assert recent_files() == [file.resolve()]


def test_without_a_project_it_begins_on_the_first_page(
    app: _App, capsys: pytest.CaptureFixture[str]
) -> None:
    pages = []

    def during(window: MainWindow) -> int:
        pages.append(window.surfaces.currentWidget() is window.start_page)
        assert window.document.project.name == "New board"
        window.close()
        return 0

    app.during = during
    assert main.run_application(None, None) == 0
    assert pages == [True]
    assert recent_files() == []
    # Nothing was left unsaved, and nothing is said.
    assert capsys.readouterr().err == ""


def test_what_was_not_saved_is_told_with_its_place(
    app: _App, small: Project, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(small, file)
    project = load_project(file)

    def during(window: MainWindow) -> int:
        window.document.edit("Revision", set_value(window.document.project, revision="rev Z"))
        window.close()
        return 0

    app.during = during
    assert main.run_application(project, file) == 0
    assert app.window is not None
    kept = app.window.kept_at
    assert kept is not None
    assert kept.exists()
    assert capsys.readouterr().err == (
        f"onda: what was not saved of Fulmar recorder is kept in {kept}; it is offered when the "
        "project is opened again.\n"
    )


def test_turning_to_the_window_looks_outside_and_keeps_what_is_due(
    app: _App, small: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    done: list[str] = []

    def during(window: MainWindow) -> int:
        monkeypatch.setattr(window.document, "autosave_if_due", lambda: done.append("due"))
        monkeypatch.setattr(window.opening, "look_outside", lambda: done.append("outside"))
        app.applicationStateChanged.emit(Qt.ApplicationState.ApplicationInactive)
        assert done == ["due"]
        app.applicationStateChanged.emit(Qt.ApplicationState.ApplicationActive)
        assert done == ["due", "due", "outside"]
        window.close()
        return 0

    app.during = during
    assert main.run_application(small, None) == 0


def test_a_signal_decides_the_code_of_the_end(
    app: _App, small: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    ended: list[str] = []
    monkeypatch.setattr(
        main, "Ending",
        lambda keep, close: SimpleNamespace(
            code=143, install=lambda: ended.append("on"), uninstall=lambda: ended.append("off")
        ),
    )  # fmt: skip

    def during(window: MainWindow) -> int:
        assert ended == ["on"]
        window.close()
        return 0

    app.during = during
    assert main.run_application(small, None) == 143
    assert ended == ["on", "off"]
