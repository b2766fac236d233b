"""The cover over what is not of what is chosen: where it lies, and what it says."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from onda.app.kit.veil import Veil
from onda.app.theme import Look
from tests.painted import drawn, put


@pytest.fixture
def place(qtbot: QtBot, look: Look) -> tuple[QWidget, list[QWidget], Veil]:
    """A surface of 600 by 400 with three parts: two side by side, one far below."""
    surface = QWidget()
    parts = [QWidget(surface) for _ in range(3)]
    for part, (x, y, w, h) in zip(
        parts, ((50, 40, 200, 100), (250, 40, 300, 120), (60, 300, 100, 50)), strict=True
    ):
        part.setGeometry(x, y, w, h)
    veil = Veil(look, surface)
    put(qtbot, surface, 600, 400)
    veil.cover(parts[:2])
    return surface, parts, veil


def test_it_lies_over_what_it_covers_wherever_that_goes(
    place: tuple[QWidget, list[QWidget], Veil],
) -> None:
    _, parts, veil = place
    assert veil.isHidden()
    veil.drop("Computing Clock…")
    assert not veil.isHidden()
    assert veil.geometry().getRect() == (50, 40, 500, 120)
    assert veil.accessibleName() == "Computing Clock…"
    parts[1].move(300, 60)
    QApplication.processEvents()
    assert veil.geometry().getRect() == (50, 40, 550, 140)
    parts[1].hide()
    QApplication.processEvents()
    assert veil.geometry().getRect() == (50, 40, 200, 100)
    # What is not covered is not followed.
    parts[2].move(0, 0)
    QApplication.processEvents()
    assert veil.geometry().getRect() == (50, 40, 200, 100)
    veil.lift()
    assert veil.isHidden()


def test_of_another_object_nothing_is_seen_nor_touched(
    place: tuple[QWidget, list[QWidget], Veil], look: Look
) -> None:
    surface, parts, veil = place
    veil.drop("Computing Clock…")
    found = drawn(veil)
    assert found.of("rect", fill=look.t.paper)[0].box == pytest.approx((0, 0, 500, 120))
    word = found.word("Computing")
    assert word.color == look.t.secondary.lower()
    assert surface.childAt(QPoint(60, 50)) is veil
    veil.drop("no such layer", failed=True)
    assert drawn(veil).word("no such layer").color == look.t.fails.lower()
    assert surface.childAt(parts[0].pos() + QPoint(5, 5)) is veil


def test_of_an_older_state_its_words_stand_in_the_middle_of_the_top(
    place: tuple[QWidget, list[QWidget], Veil], look: Look
) -> None:
    surface, parts, veil = place
    veil.drop_soon("The state before this one.")
    # In a moment only.
    assert veil.isHidden()
    veil._later.timeout.emit()
    assert veil.is_thin
    found = drawn(veil)
    (tag,) = found.of("rect", fill=look.t.sheet)
    left, top, right, bottom = tag.box
    assert 0.5 * (left + right) == pytest.approx(250.0, abs=0.5)
    assert (top, bottom) == pytest.approx((12.0, 36.0))
    assert right - left < 300.0
    # One goes on working below it.
    assert veil.testAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
    assert surface.childAt(QPoint(60, 50)) is parts[0]


def test_a_whole_cover_stays_until_it_is_lifted_and_a_thin_one_says_the_latest(
    place: tuple[QWidget, list[QWidget], Veil],
) -> None:
    _, _, veil = place
    veil.drop("Computing Clock…")
    veil.drop_soon("The state before this one.")
    assert (veil.words, veil.is_thin) == ("Computing Clock…", False)
    veil.drop("no such layer", failed=True)
    # What failed is covered by what is tried next.
    veil.drop_soon("Once more.")
    assert (veil.words, veil.failed, veil.is_thin) == ("Once more.", False, True)
    veil.drop_soon("And again.")
    assert (veil.words, veil.is_thin) == ("And again.", True)
    veil.lift()
    # A cover that was to come does not.
    veil.drop_soon("Soon.")
    assert veil._later.isActive()
    veil.lift()
    assert not veil._later.isActive()
    assert veil.isHidden()


def test_other_events_do_not_move_it(place: tuple[QWidget, list[QWidget], Veil]) -> None:
    _, parts, veil = place
    veil.drop("Computing Clock…")
    assert veil.eventFilter(parts[0], QEvent(QEvent.Type.Paint)) is False
    assert veil.eventFilter(parts[0], None) is False
