"""What a fit may change, by what the line has, and the second target."""

from __future__ import annotations

import pytest
from pytestqt.qtbot import QtBot

from onda.app.stages.lines.fit_panel import FitPanel
from onda.app.theme import Look
from onda.errors import InputError
from onda.project.quantities import parse_quantity

OHM = parse_quantity("32 ohm", "resistance")


@pytest.fixture
def pressed() -> list[int]:
    return []


@pytest.fixture
def panel(qtbot: QtBot, look: Look, pressed: list[int]) -> FitPanel:
    made = FitPanel(look, lambda: pressed.append(1))
    qtbot.addWidget(made)
    made.show()
    return made


def offered(panel: FitPanel) -> list[str]:
    return [panel.box.itemData(k) for k in range(panel.box.count())]


def choose(panel: FitPanel, key: str) -> None:
    k = panel.box.findData(key)
    panel.box.setCurrentIndex(k)
    panel.box.activated.emit(k)


def test_what_the_line_has_is_offered(panel: FitPanel) -> None:
    assert offered(panel) == ["width", "height", "Dk"]
    panel.show_kind(pair=False, gap=True)
    assert offered(panel) == ["width", "gap", "height", "Dk"]
    panel.show_kind(pair=True, gap=True)
    assert offered(panel) == ["width", "gap", "height", "Dk", "width gap"]
    # What was chosen stays chosen where it still can be.
    choose(panel, "height")
    panel.show_kind(pair=False, gap=False)
    assert panel.unknowns == ("height",)
    panel.show_kind(pair=True, gap=True)
    choose(panel, "gap")
    panel.show_kind(pair=False, gap=False)
    assert panel.unknowns == ("width",)


def test_two_targets_have_a_second_field(panel: FitPanel) -> None:
    panel.show_kind(pair=True, gap=True)
    for key in ("width", "gap", "height", "Dk"):
        choose(panel, key)
        assert panel.unknowns == (key,)
        assert not panel.common_field.isVisible(), key
    choose(panel, "width gap")
    assert panel.unknowns == ("width", "gap")
    assert panel.common_field.isVisible()
    # The present value until one is typed.
    panel.show_common(OHM)
    assert panel.common_field.edit.text() == "32 Ω"
    panel._put_common(parse_quantity("30 ohm", "resistance"))
    panel.show_common(OHM)
    assert panel.common_field.edit.text() == "30 Ω"
    with pytest.raises(InputError, match="must be above 0"):
        panel._put_common(parse_quantity("0 ohm", "resistance"))
    panel.show_kind(pair=False, gap=False)
    assert not panel.common_field.isVisible()


def test_the_button_fits_and_the_note_says_why_not(panel: FitPanel, pressed: list[int]) -> None:
    panel.button.click()
    assert pressed == [1]
    assert not panel.note.isVisible()
    panel.tell("out of reach")
    assert panel.note.isVisible()
    assert panel.note.text() == "out of reach"
    panel.tell("")
    assert not panel.note.isVisible()
