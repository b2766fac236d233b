"""Start the application."""

from __future__ import annotations

import sys
from importlib import resources
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QApplication

from onda.app.ending import Ending
from onda.app.faults import Faults
from onda.app.memory import give_memory_back
from onda.app.recents import known_look, remember_file
from onda.app.shell.window import MainWindow
from onda.project.begin import empty_project
from onda.project.model import Project

__all__ = ["application", "run_application"]


def application() -> QApplication:
    """The one Qt application, made on first use."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication):
        return existing
    give_memory_back()
    app = QApplication(sys.argv[:1])
    app.setApplicationName("onda")
    app.setApplicationDisplayName("Onda")
    app.setDesktopFileName("onda")
    icon = resources.files("onda.app").joinpath("onda.svg").read_bytes()
    pixmap = QPixmap()
    if pixmap.loadFromData(icon):
        app.setWindowIcon(QIcon(pixmap))
    return app


def run_application(project: Project | None, path: Path | None) -> int:
    """Open a window, on the page to begin on where there is no project, and run until it closes."""
    app = application()
    window = MainWindow(project or empty_project("New board"), path)
    night, units = known_look()
    window.look.set_night(night)
    window.look.set_units(units)
    faults = Faults(window)
    faults.happened.connect(lambda words: window.messages.say(words, error=True))
    faults.install()
    window.show()
    if path is not None:
        remember_file(path)
    if project is None:
        window.show_start()
    else:
        window.offer_recovery()
    ending = Ending(window.document.autosave_now, window.close)
    ending.install()

    def on_focus(state: Qt.ApplicationState) -> None:
        window.document.autosave_if_due()
        if state == Qt.ApplicationState.ApplicationActive:
            window.opening.look_outside()

    app.applicationStateChanged.connect(on_focus)
    code = app.exec() or ending.code
    ending.uninstall()
    faults.uninstall()
    if window.kept_at is not None:
        sys.stderr.write(
            f"onda: what was not saved of {window.document.project.name} is kept in "
            f"{window.kept_at}; it is offered when the project is opened again.\n"
        )
    return code
