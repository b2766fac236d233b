"""Units that the user chose, the same in every stage; results and the project stay as they are."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PyQt6.QtWidgets import QMenu

from onda.app.recents import known_look, remember_look
from onda.app.shell.units_menu import add_units_menu
from onda.app.shell.window import MainWindow
from onda.project.shown_units import METRIC, ShownUnits, choose_units, units_in_use
from tests.app.conftest import MakeWindow, type_into


@pytest.fixture(autouse=True)
def _metric_again() -> Iterator[None]:
    yield
    choose_units(METRIC)


def choose(window: MainWindow, words: str) -> None:
    menu = QMenu(window)
    add_units_menu(menu, window.look)
    units = menu.actions()[0].menu()
    next(a for a in units.actions() if a.text() == words).trigger()
    assert window.settle()


def test_lines_in_mil_and_per_inch(make_window: MakeWindow, of_lines) -> None:
    window = make_window(of_lines, stage="lines")
    lines = window.stages["lines"]
    before = window.document.project
    metric = {name: (number, unit) for name, number, unit, _ in lines.panel.numbers._rows}
    total = lines.loss.curves[0].y.copy()
    choose(window, "Inches and mil")
    choose(window, "Loss per inch")
    assert window.document.project is before
    width = next(f for f in lines.form.fields if f.title.text() == "Width")
    assert width.edit.text() == "4.882 mil"
    now = {name: (number, unit) for name, number, unit, _ in lines.panel.numbers._rows}
    loss = next(n for n in now if n.startswith("Loss,"))
    assert metric[loss][1] == "dB/100 mm"
    assert now[loss][1] == "dB/in"
    assert float(now[loss][0]) == pytest.approx(0.254 * float(metric[loss][0]), abs=0.006)
    assert lines.loss._y.unit == "dB/in"
    assert lines.loss.curves[0].y == pytest.approx(0.254 * total)
    assert "mil" in lines.page.impedance.width_title.text()
    dimensions = {d.key: d.text for d in lines.view._drawing.dimensions}
    assert dimensions["width"] == "4.882 mil"
    # A bare number takes the unit that is shown.
    type_into(width.edit, "5")
    assert window.settle()
    trace = window.document.project.design.line_class("converter-pairs").on[0]
    assert trace.width.text == "5 mil"
    window.selection.go("stackup")
    assert window.settle()
    stackup = window.stages["stackup"]
    assert stackup.view._cells[("converter-pairs", "L1")].shape == "5.0/5.9 mil"
    assert " dB/in" in stackup.view._cells[("converter-pairs", "L3")].words
    assert " mil" in stackup.surface.remark.text()


def test_the_choice_is_remembered() -> None:
    assert known_look() == (False, METRIC)
    choose_units(ShownUnits(lengths="mil", losses="m"))
    remember_look(True)
    choose_units(METRIC)
    assert known_look() == (True, ShownUnits(lengths="mil", losses="m"))
    assert units_in_use() == METRIC
