"""The list at the left: kept states by mouse and keys, objects and what is asked of them."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu
from pytestqt.qtbot import QtBot

from onda.app.document import Document
from onda.app.shell.fields import Entry
from onda.app.shell.listing import Listing
from onda.app.shell.rows import Row
from onda.app.theme import Look
from onda.project.base import set_value
from onda.project.edits import keep_state, rename_object
from onda.project.kind import Ref
from onda.project.model import Project
from tests.painted import drawn

Key = Qt.Key


@pytest.fixture
def document(project: Project) -> Document:
    """Three kept states, the last two of which are shown."""
    kept = project
    for name in ("First", "Second", "Third"):
        kept = keep_state(kept, name)
    return Document(kept)


@pytest.fixture
def listing(qtbot: QtBot, look: Look, document: Document) -> Listing:
    made = Listing(look, document)
    qtbot.addWidget(made)
    made.resize(196, 700)
    document.changed.connect(lambda *_: made.show_kept())
    made.show_kept()
    made.show()
    return made


def names(document: Document) -> list[str]:
    return [k.name for k in document.project.kept]


def shown(document: Document) -> list[bool]:
    return [k.shown for k in document.project.kept]


def pick(listing: Listing, words: str) -> None:
    """An entry of the menu that is open."""
    (menu,) = [m for m in listing.findChildren(QMenu) if m.isVisible()]
    next(a for a in menu.actions() if a.text() == words).trigger()
    menu.close()
    menu.deleteLater()


def rename(listing: Listing, was: str, now: str) -> None:
    """Another name, by the entry of the menu that is open."""
    pick(listing, "Rename")
    editor = listing._editor
    assert editor is not None
    assert editor.text() == was
    editor.setText(now)
    QTest.keyClick(editor, Key.Key_Return)


def test_kept_states_are_listed_with_what_is_seen_of_them(
    listing: Listing, document: Document
) -> None:
    rows = listing.kept.rows
    assert [r.title for r in rows] == ["First", "Second", "Third"]
    was = shown(document)
    assert [r.faded for r in rows] == [not s for s in was]
    assert [r.subtitle for r in rows] == ["shown" if s else "hidden" for s in was]
    numbers = [r.dash for r, s in zip(rows, was, strict=True) if s]
    assert numbers == list(range(1, len(numbers) + 1))
    assert listing.kept.isVisibleTo(listing)
    assert not listing.empty.isVisibleTo(listing)


def test_keys_go_to_a_kept_state_and_only_return_switches_it(
    listing: Listing, document: Document
) -> None:
    was = shown(document)
    kept = listing.kept
    kept.setFocus()
    for _ in range(2):
        QTest.keyClick(kept, Key.Key_Down)
    assert shown(document) == was
    for key in (Key.Key_Return, Key.Key_Space):
        before = shown(document)
        QTest.keyClick(kept, key)
        assert shown(document) == [before[0], not before[1], before[2]]
    QTest.keyClick(kept, Key.Key_Up)
    QTest.keyClick(kept, Key.Key_Return)
    assert shown(document)[0] is not was[0]
    document.undo()
    assert shown(document) == was


def test_delete_takes_the_state_that_keys_are_at(listing: Listing, document: Document) -> None:
    kept = listing.kept
    # Nothing was gone to: nothing is taken.
    QTest.keyClick(kept, Key.Key_Delete)
    assert names(document) == ["First", "Second", "Third"]
    for _ in range(2):
        QTest.keyClick(kept, Key.Key_Down)
    QTest.keyClick(kept, Key.Key_Delete)
    assert names(document) == ["First", "Third"]
    # Then keys are at the one behind it, and at the last one behind that.
    QTest.keyClick(kept, Key.Key_Delete)
    assert names(document) == ["First"]
    QTest.keyClick(kept, Key.Key_Delete)
    assert names(document) == []
    assert listing.empty.isVisibleTo(listing)
    document.undo()
    assert names(document) == ["First"]
    assert listing.kept.isVisibleTo(listing)


def test_a_kept_state_is_renamed_in_its_place(listing: Listing, document: Document) -> None:
    kept = listing.kept
    QTest.keyClick(kept, Key.Key_Down)
    QTest.keyClick(kept, Key.Key_F2)
    (editor,) = kept.findChildren(Entry)
    assert editor.text() == "First"
    # It stands on the row, behind its mark.
    row, place = kept.row_rect(0), editor.geometry()
    assert (place.left(), place.top()) == (int(row.left()) + 20, int(row.top()) + 2)
    assert place.right() < row.right()
    editor.setText("  Before the change ")
    QTest.keyClick(editor, Key.Key_Return)
    assert names(document) == ["Before the change", "Second", "Third"]
    # An empty name is none.
    QTest.mouseDClick(kept, Qt.MouseButton.LeftButton, pos=kept.row_rect(2).center().toPoint())
    editor = listing._editor
    assert editor is not None
    editor.setText(" ")
    QTest.keyClick(editor, Key.Key_Return)
    assert names(document)[2] == "Third"


def test_the_menu_of_a_kept_state(listing: Listing, document: Document) -> None:
    identifier = document.project.kept[1].id
    was = shown(document)
    listing._kept_menu(identifier, QPoint(10, 10))
    pick(listing, "Hide" if was[1] else "Show")
    assert shown(document) == [was[0], not was[1], was[2]]
    listing._kept_menu(identifier, QPoint(10, 10))
    pick(listing, "Delete")
    assert names(document) == ["First", "Third"]
    document.undo()
    listing._kept_menu(identifier, QPoint(10, 10))
    rename(listing, "Second", "2")
    assert names(document) == ["First", "2", "Third"]


def test_going_back_to_a_kept_state(qtbot: QtBot, look: Look, project: Project) -> None:
    from onda.project.base import set_value

    document = Document(keep_state(project, "As it was"))
    listing = Listing(look, document)
    qtbot.addWidget(listing)
    line = project.design.line_classes[0]
    design = set_value(
        project.design,
        line_classes=(set_value(line, name="Other"), *project.design.line_classes[1:]),
    )
    document.edit("Rename", set_value(document.project, design=design))
    listing._kept_menu(document.project.kept[0].id, QPoint(10, 10))
    pick(listing, "Go back to this state")
    assert document.project.design == project.design


def test_what_is_asked_of_objects_is_told_with_their_id(listing: Listing) -> None:
    told: list[tuple[object, ...]] = []
    for name in ("chosen", "part_chosen", "remove_wanted", "copy_wanted", "rename_wanted"):
        getattr(listing, name).connect(lambda *x, n=name: told.append((n, *x)))
    listing.add_wanted.connect(lambda: told.append(("add_wanted",)))
    rows = [Row("a", "Alpha", "one"), Row("b", "Beta", "two")]
    listing.show_rows("Paths", rows, "b", "A new path")
    listing.show_parts("On layer", [Row("L1", "L1"), Row("L3", "L3")], "L1")
    assert listing.title.text() == "Paths"
    assert listing.add.toolTip() == "A new path"
    listing.add.click()
    QTest.mouseClick(
        listing.objects,
        Qt.MouseButton.LeftButton,
        pos=listing.objects.row_rect(0).center().toPoint(),
    )
    QTest.keyClick(listing.objects, Key.Key_Delete)
    QTest.keyClick(listing.parts, Key.Key_Down)
    for words in ("Copy", "Remove"):
        listing._object_menu("a", QPoint(10, 10))
        pick(listing, words)
    listing._object_menu("a", QPoint(10, 10))
    rename(listing, "Alpha", "Gamma")
    assert told == [
        ("add_wanted",), ("chosen", "a"), ("remove_wanted", "b"), ("part_chosen", "L3"),
        ("copy_wanted", "a"), ("remove_wanted", "a"), ("rename_wanted", "a", "Gamma"),
    ]  # fmt: skip
    listing.show_rows("Buses", rows, "a", "")
    assert not listing.add.isVisibleTo(listing)
    listing.show_parts("", [], "")
    assert not listing.parts.isVisibleTo(listing)


def test_the_row_that_keys_are_at_has_a_frame_while_it_has_the_focus(
    qtbot: QtBot, listing: Listing, look: Look
) -> None:
    kept = listing.kept
    kept.resize(180, kept.height())

    def frames() -> list[float]:
        found = [s for s in drawn(kept).shapes if s.stroke == look.t.sea.lower()]
        return [round(s.box[1]) for s in found]

    QTest.keyClick(kept, Key.Key_Down)
    QTest.keyClick(kept, Key.Key_Down)
    assert frames() == []
    listing.activateWindow()
    kept.setFocus()
    qtbot.waitUntil(kept.hasFocus, timeout=20_000)
    (top,) = frames()
    assert abs(top - (kept.row_rect(1).top() + 1)) <= 1


def test_every_kept_state_is_restored_as_itself(listing: Listing) -> None:
    document = listing._document
    project = set_value(document.project, kept=())
    for name in ("one", "two", "three"):
        path = rename_object(project, Ref("path", "trig"), f"as in {name}")
        project = set_value(keep_state(path, name), design=project.design)
    document.edit("Keep three", project)
    before = document.project.design.path("trig").name
    for k, name in enumerate(("one", "two", "three"), 1):
        listing._restore(f"k{k}")
        assert document.project.design.path("trig").name == f"as in {name}"
        assert document.stack.undoText() == "Restore kept state"
        document.undo()
        assert document.project.design.path("trig").name == before
