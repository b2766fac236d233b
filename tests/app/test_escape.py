"""Escape in a window that is active, where the window has a use of its own for the key."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from onda.app.shell.window import MainWindow
from onda.project.model import Project
from tests.app.conftest import MakeWindow


@pytest.fixture
def window(make_window: MakeWindow, of_lines: Project, qtbot: QtBot) -> MainWindow:
    window = make_window(of_lines, stage="lines")
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    return window


def escape() -> None:
    """As it comes from the keyboard: to what has the focus."""
    focused = QApplication.focusWidget()
    assert focused is not None
    QTest.keyClick(focused, Qt.Key.Key_Escape)


def test_fields_in_place_of_something_are_left_as_it_was(window: MainWindow) -> None:
    before = window.document.project
    section = window.stages["lines"].page.section
    section.edit_dimension("width")
    QTest.keyClicks(section._editor, "777")
    escape()
    assert not section._editor.isVisible()
    assert section.hasFocus()

    rows = window.listing.objects
    subject = window.selection.subject
    window.listing._rename_in(rows, subject, window.listing._ask_rename)
    QTest.keyClicks(QApplication.focusWidget(), "Another name")
    escape()
    assert window.listing._editor is None

    strip = window.strip
    strip.edit_limit(0)
    assert strip.editor.isVisible()
    QTest.keyClicks(strip.editor, "12")
    escape()
    assert not strip.editor.isVisible()

    assert window.settle()
    assert window.document.project is before


def test_making_is_left(window: MainWindow) -> None:
    window.listing.add.click()
    lines = window.stages["lines"]
    assert not lines.surface.shows_content
    escape()
    assert lines.surface.shows_content


def test_a_drag_ends_where_it_is_and_its_key_stops_no_run(window: MainWindow) -> None:
    section = window.stages["lines"].page.section
    section.setFocus()
    at = next(
        QPoint(x, y)
        for y in range(0, section.height(), 3)
        for x in range(0, section.width(), 3)
        if section._handle_at(QPointF(x, y)) is not None
    )
    ended = []
    section.drag_ended.connect(lambda: ended.append(True))
    QTest.mousePress(section, Qt.MouseButton.LeftButton, pos=at)
    assert section._drag is not None
    escape()
    assert section._drag is None
    assert ended == [True]
    QTest.mouseRelease(section, Qt.MouseButton.LeftButton, pos=at)
