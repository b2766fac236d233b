"""Start the application."""

from __future__ import annotations

import sys
from importlib import resources
from pathlib import Path

from PyQt6.QtCore import QSettings
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QApplication

from onda.app.shell.window import MainWindow
from onda.project.model import Project

__all__ = ["application", "run_application"]


def application() -> QApplication:
    """The one Qt application, made on first use."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication):
        return existing
    app = QApplication(sys.argv[:1])
    app.setApplicationName("onda")
    app.setApplicationDisplayName("Onda")
    app.setDesktopFileName("onda")
    icon = resources.files("onda.app").joinpath("onda.svg").read_bytes()
    pixmap = QPixmap()
    if pixmap.loadFromData(icon):
        app.setWindowIcon(QIcon(pixmap))
    return app


def run_application(project: Project, path: Path | None) -> int:
    """Open a window and run until it is closed."""
    app = application()
    window = MainWindow(project, path)
    window.look.set_night(QSettings("onda", "onda").value("night", False, type=bool))
    window.show()
    window.offer_recovery()
    return app.exec()
