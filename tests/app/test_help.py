"""Help where the hand is: every field, view and measure explains itself, from one source."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QToolTip
from pytestqt.qtbot import QtBot
from tools.make_words import words_page

from onda.app.kit.explain import explanation, help_of, help_table, measure_words
from onda.app.shell.fields import NumberRows
from onda.app.shell.fields import _Entry as Field
from onda.app.shell.pages import KEYS
from onda.app.shell.window import MainWindow
from onda.project.measures import MEASURES
from tests.app.conftest import KNOWN, MakeWindow


def elements_of(window: MainWindow) -> list[str]:
    path = window.stages["paths"].path
    return ["driver", "receiver", *(e.id for e in path.all_elements)]


@pytest.mark.parametrize(
    "stage", ["stackup", "lines", "paths", "coupling", "networks", "eyes", "buses"]
)
def test_everything_that_is_shown_is_explained(stage: str, make_window: MakeWindow) -> None:
    """In every view, for every kind of object and element that the demo has."""
    window = make_window(stage=stage, place=KNOWN)
    shown = window.stages[stage]
    missing: set[str] = set()

    def look() -> None:
        for field in shown.inspector.findChildren(Field) + shown.surface.findChildren(Field):
            title = field.title.text()
            # A field whose title says where it holds goes by its accessible name.
            if not help_of(field.edit, stage)[1] and not explanation(title, stage):
                missing.add(f"field {title!r}")
        for box in shown.inspector.findChildren(QComboBox):
            if not help_of(box, stage)[1]:
                missing.add(f"choice {box.accessibleName()!r}")
        for rows in shown.inspector.findChildren(NumberRows):
            for title, *_ in rows._rows:
                if not explanation(title, stage):
                    missing.add(f"row {title!r}")

    views = getattr(shown, "views", None) or getattr(getattr(shown, "page", None), "views", None)
    for key, title in views.titles.items() if views is not None else ():
        if not explanation(title, stage, view=True):
            missing.add(f"view {title!r}")
        views.choose(key)
        # That it is there is enough.
        window.desk.cancel_all()
    if views is not None:
        views.choose(next(iter(views.titles)))
    for row in shown.rows():
        window.selection.choose(row.id)
        QApplication.processEvents()
        look()
        if stage == "paths":
            for element in elements_of(window):
                window.selection.choose_element(element)
                QApplication.processEvents()
                look()
    if stage == "stackup":
        for layer in window.document.project.design.stackup.layers:
            window.selection.choose_element(layer.id)
            look()
    assert sorted(missing) == [], "\n".join(sorted(missing))


def test_every_measure_is_explained_and_nothing_else() -> None:
    assert set(help_table()["measures"]) == set(MEASURES)
    for key in MEASURES:
        assert measure_words(key)[-1] == "."


def test_texts_are_short_sentences() -> None:
    def check(text: str) -> None:
        assert 10 < len(text) < 260, text
        assert text[0].isupper() or text[0].isdigit(), text
        assert text.endswith("."), text

    for section in help_table().values():
        for key, text in section.items():
            for one in text.values() if key == "views" else (text,):
                check(one)


def test_the_guide_says_what_the_window_says() -> None:
    page = Path(__file__).parents[2] / "docs" / "guide" / "words.md"
    assert page.read_text(encoding="utf-8") == words_page()


def tip_over(window: MainWindow, widget) -> str:  # type: ignore[no-untyped-def]
    """What a tip says when the pointer rests on a widget."""
    middle = widget.rect().center()
    at = widget.mapToGlobal(middle)
    event = QHelpEvent(QEvent.Type.ToolTip, middle, at)
    QApplication.sendEvent(window, event)
    return QToolTip.text()


def test_the_pointer_and_f1_explain_the_field(window: MainWindow, qtbot: QtBot) -> None:
    paths = window.stages["paths"]
    window.selection.choose_element("driver")
    assert window.settle()
    field = next(f for f in paths.form.form.fields if f.title.text() == "Resistance")
    words = explanation("Resistance", "paths")
    assert words.split(":")[0] in tip_over(window, field.edit)
    QToolTip.hideText()
    field.edit.setFocus()
    QTest.keyClick(field.edit, Qt.Key.Key_F1)
    assert "15 to 40" in QToolTip.text()
    assert window.surfaces.currentWidget() is paths.surface
    # Where it has gone meanwhile it comes once more.
    QToolTip.hideText()
    qtbot.waitUntil(lambda: not QToolTip.isVisible())
    QTest.keyClick(field.edit, Qt.Key.Key_F1)
    assert QToolTip.isVisible()
    assert window.surfaces.currentWidget() is paths.surface
    # Another one while that is still there.
    other = next(f for f in paths.form.form.fields if f.title.text() == "Capacitance")
    other.edit.setFocus()
    QTest.keyClick(other.edit, Qt.Key.Key_F1)
    assert QToolTip.isVisible()
    assert explanation("Capacitance", "paths").split(":")[0] in QToolTip.text()
    assert window.surfaces.currentWidget() is paths.surface
    field.edit.setFocus()
    QTest.keyClick(field.edit, Qt.Key.Key_F1)
    # Once more: the keys.
    QTest.keyClick(field.edit, Qt.Key.Key_F1)
    assert window.surfaces.currentWidget() is window.keys_page


def test_rows_of_numbers_are_explained_one_by_one(window: MainWindow) -> None:
    rows = window.stages["paths"].form.rows
    titles = [rows.title_at(y) for y in (5, 25, 45)]
    assert titles == [r[0] for r in rows._rows[:3]]
    assert rows.title_at(10_000) == ""


def test_every_key_of_the_page_is_taken_and_every_taken_key_is_on_it(window: MainWindow) -> None:
    from PyQt6.QtGui import QShortcut

    taken = {s.key().toString() for s in window.findChildren(QShortcut)}
    listed = " ".join(keys for keys, _ in KEYS)
    for key in sorted(taken):
        plain = key.replace("PgDown", "Page up / down").replace("PgUp", "Page up / down")
        if plain.startswith("Ctrl+") and plain[5:].isdigit():
            assert "Ctrl+1 … Ctrl+9" in listed
            continue
        assert plain in listed, key
    for key in (
        "Ctrl+N",
        "Ctrl+O",
        "Ctrl+S",
        "Ctrl+E",
        "Ctrl+R",
        "Ctrl+D",
        "K",
        "L",
        "F1",
        "?",
        "Esc",
    ):
        assert key in taken, key


def test_the_page_of_keys_fits_the_window(window: MainWindow) -> None:
    window.show_keys()
    QApplication.processEvents()
    page = window.keys_page
    assert page.minimumSizeHint().height() <= page.height()
    last = page.children()[-1]
    assert last.mapTo(window, QPoint(0, last.height())).y() <= window.strip.y()
