"""A closed window leaves nothing behind: no widget, no timer, no thread."""

from __future__ import annotations

import gc
import threading

from PyQt6 import sip
from PyQt6.QtCore import QCoreApplication, QEvent, QTimer
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from onda.app.shell.window import MainWindow
from onda.project.model import Project
from onda.studies.core.cache import ResultCache
from onda.studies.core.executors import threads

STAGES = ("stackup", "lines", "paths", "networks", "eyes")


def open_and_close(project: Project, cache: ResultCache) -> MainWindow:
    window = MainWindow(project, place=threads(2), cache=cache)
    window.standing.rest_ms = 10
    window.show()
    for stage in STAGES:
        window.selection.go(stage)
        assert window.settle()
    window.close()
    assert [t for t in window.findChildren(QTimer) if t.isActive()] == []
    window.deleteLater()
    return window


def left_after(project: Project, cache: ResultCache) -> tuple[int, int]:
    """Widgets that are still there, and threads."""
    gone = open_and_close(project, cache)
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    QApplication.processEvents()
    gc.collect()
    assert sip.isdeleted(gone)
    return len(QApplication.allWidgets()), threading.active_count()


def test_windows_that_are_closed_are_gone(
    qtbot: QtBot, of_lines: Project, shared_cache: ResultCache
) -> None:
    # What other tests left is gone with the first.
    left_after(of_lines, shared_cache)
    first = left_after(of_lines, shared_cache)
    assert left_after(of_lines, shared_cache) == first
