"""Buses in the real window: the map, what each device is, the chosen case."""

from __future__ import annotations

import numpy as np
import openpyxl
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QPushButton

from onda.app.shell.window import MainWindow
from onda.app.stages.buses.case_map import case_words
from onda.app.stages.buses.search_view import SearchView, search_words
from onda.app.stages.buses.stage import BusesStage, bus_words
from onda.app.theme import Look
from onda.demo import fulmar_project
from onda.project.base import set_value
from onda.project.edits import replace_object
from onda.project.quantities import format_si
from onda.studies.buses.bus import BUS, BusResult
from onda.studies.buses.inputs import bus_inputs
from onda.studies.buses.search import BUS_SEARCH, BusSearch, search_inputs
from onda.studies.buses.seen import BUS_SEEN
from tests.app.conftest import MakeWindow, type_into


@pytest.fixture
def window(make_window: MakeWindow) -> MainWindow:
    board = fulmar_project()
    bus = board.design.bus("byte0")
    keep = tuple(s for s in bus.signals if s.id in ("DQS0", "DQ1", "DQ6"))
    small = set_value(
        bus, signals=keep, operations=bus.operations[:2], corners=("typ", "slow"), bits=48
    )
    return make_window(replace_object(board, small), stage="buses")


def shown(window: MainWindow) -> BusesStage:
    window.selection.choose("byte0", "buses")
    assert window.settle(120_000)
    stage = window.stages["buses"]
    assert isinstance(stage, BusesStage)
    assert window.settle(120_000)
    return stage


def expected(window: MainWindow) -> BusResult:
    design = window.document.project.design
    return window.desk.runner.result(BUS, bus_inputs(design, design.bus("byte0")))


def colour_at(stage: BusesStage, key, share: float) -> str:
    rect = stage.map.rect_of(key)
    image = stage.map.grab().toImage()
    # Inside the frame of the cell.
    x = rect.left() + max(share * rect.width(), 2.5)
    scale = image.width() / stage.map.width()
    return image.pixelColor(round(x * scale), round(rect.center().y() * scale)).name()


def test_the_map_has_every_case_with_its_state(window: MainWindow) -> None:
    stage = shown(window)
    found = expected(window)
    assert {k: c.case for k, c in stage.map.cells.items()} == {
        (c.signal, c.operation, c.corner): c for c in found.cases
    }
    assert [name for _, name in stage.map.rows] == ["DQ1", "DQ6"]
    assert [c[:2] for c in stage.map.columns] == [
        ("write-a", "typ"), ("write-a", "slow"), ("write-b", "typ"), ("write-b", "slow"),
    ]  # fmt: skip
    t = window.look.t
    for case in found.cases:
        key = (case.signal, case.operation, case.corner)
        if key == stage.map.key:
            continue
        colour = colour_at(stage, key, 0.0)
        assert colour == (t.holds if case.state == "holds" else t.fails).lower(), key
        if case.state == "holds":
            # A longer bar is more margin: behind its end the cell is bare.
            share = min(case.worst / (0.25 * found.unit_interval), 1.0)
            if share < 0.85:
                assert colour_at(stage, key, share + 0.1) == t.sheet.lower()
                assert colour_at(stage, key, share - 0.1) == t.holds.lower()
    assert stage.sentence.text() == bus_words(found)
    rows = {name: (value, unit) for name, value, unit, _ in stage.numbers._rows}
    for title, name, dimension in (
        ("Set-up margin", "setup", "time"), ("Hold margin", "hold", "time"),
        ("Eye height", "height", "voltage"),
    ):  # fmt: skip
        words = format_si(found.least(name), dimension).replace("-", "\u2212")
        assert " ".join(rows[title]) == words
    fails = sum(c.state == "fails" for c in found.cases)
    assert rows["Cases that fail"][0] == str(fails)
    levels = {name: " ".join((value, unit)) for name, value, unit, _ in stage.levels._rows}
    for operation in ("Write A", "Write B"):
        some = [c.found.level for c in found.cases if c.operation_name == operation]
        assert levels[f"Level, {operation}"] == format_si(float(np.mean(some)), "voltage")


def test_a_cell_is_chosen_and_seen(window: MainWindow) -> None:
    stage = shown(window)
    found = expected(window)
    worst = found.worst
    assert worst is not None
    assert stage.map.case == worst
    case = next(
        c for c in found.cases if (c.signal, c.operation, c.corner) == ("DQ6", "write-b", "typ")
    )
    centre = stage.map.rect_of(("DQ6", "write-b", "typ")).center()
    QTest.mouseClick(
        stage.map, Qt.MouseButton.LeftButton, pos=QPoint(round(centre.x()), round(centre.y()))
    )
    assert window.settle(60_000)
    assert stage.case_title.text() == case_words(case)
    design = window.document.project.design
    one = next(
        c
        for c in bus_inputs(design, design.bus("byte0"), "DQ6").cases
        if (c.operation, c.corner) == ("write-b", "typ")
    )
    seen = window.desk.runner.result(BUS_SEEN, one)
    data, asked = stage.case_view.eye.curves
    n = len(seen.time)
    assert data.x[:n] == pytest.approx(1e12 * (seen.time - case.shift))
    assert data.y[:n] == pytest.approx(1e3 * seen.traces[0])
    assert np.isnan(data.y[n])
    assert float(np.nanmin(asked.x)) == pytest.approx(-1e12 * seen.setup)
    assert float(np.nanmax(asked.x)) == pytest.approx(1e12 * seen.hold)
    assert float(np.nanmax(asked.y)) == pytest.approx(1e3 * (seen.level + seen.ac))
    wave, strobe = stage.case_view.waves.curves
    assert wave.y == pytest.approx(1e3 * seen.whole_data)
    assert strobe.y == pytest.approx(1e3 * seen.whole_strobe)
    stage.map.setFocus()
    QTest.keyClick(stage.map, Qt.Key.Key_Up)
    assert stage.map.key == ("DQ1", "write-b", "typ")
    QTest.keyClick(stage.map, Qt.Key.Key_Right)
    assert stage.map.key == ("DQ1", "write-b", "slow")
    assert window.settle(60_000)


def test_a_setting_is_changed_in_its_place_and_compared(window: MainWindow) -> None:
    stage = shown(window)
    before = expected(window)
    window.keep()
    assert window.settle(60_000)
    box = stage.table.boxes["write-a", "A"]
    names = [box.itemData(k) for k in range(box.count())]
    assert names[:3] == ["", "dq_34", "dq_48"]
    box.setCurrentIndex(names.index("dq_odt60"))
    box.activated.emit(box.currentIndex())
    assert window.settle(120_000)
    bus = window.document.project.design.bus("byte0")
    assert bus.operations[0].model_of("A") == "dq_odt60"
    after = expected(window)
    assert {k: c.case for k, c in stage.map.cells.items()} == {
        (c.signal, c.operation, c.corner): c for c in after.cases
    }
    for old, new in zip(before.cases, after.cases, strict=True):
        cell = stage.map.cells[new.signal, new.operation, new.corner]
        assert cell.then == old
        assert (old == new) is (new.operation != "write-a")
    # What differs from the kept state is outlined, nothing else.
    outlined = [key for key, one in stage.table.boxes.items() if one.styleSheet()]
    assert outlined == [("write-a", "A")]
    least = before.least("setup")
    kept = {name: then for name, _, _, then in stage.numbers._rows}
    assert kept["Set-up margin"] == format_si(least, "time").replace("-", "\u2212").split(" ")[0]
    changed = next(c for c in after.cases if c.operation == "write-a")
    words = case_words(changed, before.cases[0])
    assert (
        f"{1e12 * (changed.worst - before.cases[0].worst):+.0f} ps against".replace("-", "\u2212")
        in words
    )
    window.undo()
    assert window.settle(120_000)
    assert stage.table.boxes["write-a", "A"].currentData() == "dq_34"


def test_the_worst_come_first_on_request(window: MainWindow) -> None:
    stage = shown(window)
    least = {
        signal: min(c.case.worst for k, c in stage.map.cells.items() if k[0] == signal)
        for signal, _ in stage.map.rows
    }
    stage.sort.setChecked(True)
    assert [s for s, _ in stage.map.rows] == sorted(least, key=lambda s: least[s])
    stage.sort.setChecked(False)
    assert [s for s, _ in stage.map.rows] == ["DQ1", "DQ6"]


def test_fields_are_typed_and_nonsense_is_refused(window: MainWindow) -> None:
    stage = shown(window)

    def type_in(field, text: str) -> None:
        field.edit.setText(text)
        field.edit.editingFinished.emit()

    type_in(stage.rate, "2 Gb/s")
    type_in(stage.bits, "32")
    type_in(stage.name, "Byte zero")
    bus = window.document.project.design.bus("byte0")
    assert (bus.rate.si, bus.bits, bus.name) == (2e9, 32, "Byte zero")
    assert window.settle(120_000)
    assert stage.result.unit_interval == pytest.approx(0.5e-9)
    for field, typed, words in (
        (stage.bits, "many", "no number of bits"),
        (stage.bits, "3", "greater than or equal to 16"),
        (stage.rate, "fast", "fast"),
    ):
        before = window.document.project
        type_in(field, typed)
        assert words in field.problem.text()
        assert window.document.project is before


def test_margins_are_those_of_the_map(window: MainWindow) -> None:
    shown(window)
    found = expected(window)
    by = {m.measure: m for m in window.strip.margins}
    assert by["bus_setup"].value == pytest.approx(found.least("setup"))
    assert by["bus_hold"].value == pytest.approx(found.least("hold"))
    assert by["bus_height"].value == pytest.approx(found.least("height"))


def test_every_strength_is_tried_and_one_taken(window: MainWindow) -> None:
    stage = shown(window)
    stage.map.choose(("DQ6", "write-a", "slow"))
    stage.views.choose("search")
    assert window.settle(120_000)
    view = stage.views.get("search", SearchView)
    design = window.document.project.design
    found = window.desk.runner.result(
        BUS_SEARCH, search_inputs(design, design.bus("byte0"), "write-a", "DQ6")
    )
    assert [r.id for r in view.list.rows] == [str(k) for k in found.order]
    for row, k in zip(view.list.rows, found.order, strict=True):
        models = [c.removeprefix("\u25b8 ") for c in row.cells[:3]]
        assert tuple(models) == found.choices[k]
        assert row.cells[0].startswith("\u25b8") == (k == found.now)
        assert row.cells[3] == f"{1e12 * found.setup[k]:.0f} ps".replace("-", "\u2212")
        assert row.cells[4] == f"{1e12 * found.hold[k]:.0f} ps".replace("-", "\u2212")
        assert row.cells[5] == format_si(found.height[k], "voltage")
        assert bool(row.inks and row.inks[0]) == (not found.worst[k] >= 0.0)
    assert view.sentence.text() == search_words(found, "")
    assert f"{found.near} come within a tenth" in view.sentence.text()
    before = window.document.project.design.bus("byte0")
    view.take.click()
    assert window.settle(120_000)
    after = window.document.project.design.bus("byte0")
    operation = next(o for o in after.operations if o.id == "write-a")
    assert [operation.model_of(d.id) for d in after.devices] == list(found.choices[found.best])
    assert after.operations[1] == before.operations[1]
    # The best is the present one now, and nothing more to be taken.
    assert view.list.rows[0].cells[0].startswith("\u25b8")
    assert not view.take.isEnabled()
    case = next(c for c in expected(window).cases if c.signal == "DQ6" and c.corner == "slow")
    assert stage.map.cells["DQ6", "write-a", "slow"].case == case
    window.undo()
    assert window.document.project.design.bus("byte0") == before


def test_lengths_of_the_chosen_signal_are_typed(make_window: MakeWindow) -> None:
    window = make_window(fulmar_project(), stage="buses")
    window.selection.choose("byte1", "buses")
    assert window.settle(120_000)
    stage = window.stages["buses"]
    stage.map.choose(("DQ9", "write-b", "fast"))
    assert window.settle(60_000)
    assert list(stage.lengths.fields) == [("DQ9", "T1"), ("DQS1", "T1")]
    texts = [f.edit.text() for f in stage.lengths.fields.values()]
    assert texts == ["33.2 mm", "48 mm"]
    assert stage.map.case.state == "fails"
    field = stage.lengths.fields["DQS1", "T1"]
    field.edit.setFocus()
    type_into(field.edit, "34 mm")
    assert window.settle(120_000)
    assert window.document.project.design.bus("byte1").signal("DQS1").lengths[0].length.text == (
        "34 mm"
    )
    assert {c.case.state for c in stage.map.cells.values()} == {"holds"}
    window.undo()
    assert window.settle(60_000)
    assert field.edit.text() == "48 mm"
    assert stage.map.case.state == "fails"
    type_into(field.edit, "long")
    assert "not a length" in field.problem.text()
    assert window.document.project.design.bus("byte1").signal("DQS1").lengths[0].length.text == (
        "48 mm"
    )
    # Another signal has fields of its own.
    stage.map.choose(("DQ14", "write-b", "fast"))
    assert list(stage.lengths.fields) == [("DQ14", "T1"), ("DQS1", "T1")]


def test_cases_and_waveforms_are_written(window: MainWindow, tmp_path, monkeypatch) -> None:
    stage = shown(window)
    stage.map.choose(("DQ6", "write-b", "typ"))
    assert window.settle(60_000)
    book, waves = tmp_path / "cases.xlsx", tmp_path / "waves.csv"
    for path in (book, waves):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, p=path: (str(p), ""))
        button = next(b for b in stage.surface.findChildren(QPushButton) if b.text() == "Write…")
        button.click()
        assert window.settle(60_000)
    assert len(list(openpyxl.load_workbook(book)["Cases"].rows)) == 1 + len(stage.map.cells)
    heads, *rows = waves.read_text().splitlines()
    assert heads == "signal,operation,corner,time_s,data_v,strobe_v"
    # The chosen signal in every operation and corner, no other one.
    assert {tuple(r.split(",")[:3]) for r in rows} == {
        ("DQ6", operation, corner)
        for operation in ("Write A", "Write B")
        for corner in ("typ", "slow")
    }
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "x.wav"), ""))
    button.click()
    assert "not written as '.wav'" in stage.surface.problem.text()
    assert not (tmp_path / "x.wav").exists()


def test_what_a_choice_brings_stands_in_its_column(qtbot) -> None:
    """Of a signal alone both margins are alike; here they are not."""
    view = SearchView(Look())
    qtbot.addWidget(view)
    choices = (("dq_34", "dq_odt60"), ("dq_48", "dq_odt60"), ("dq_34", "dq_odt120"))
    found = BusSearch(
        ("U1", "B"), ("Controller", "Module B"), choices,
        np.array([10e-12, -5e-12, 40e-12]), np.array([20e-12, 7e-12, 30e-12]),
        np.array([0.3, 0.2, 0.4]), 0,
    )  # fmt: skip
    view.show_search(found, "")
    assert [row.cells for row in view.list.rows] == [
        ("dq_34", "dq_odt120", "40 ps", "30 ps", "0.400 V"),
        ("\u25b8 dq_34", "dq_odt60", "10 ps", "20 ps", "0.300 V"),
        ("dq_48", "dq_odt60", "\u22125 ps", "7 ps", "0.200 V"),
    ]
    assert [c.title for c in view.list._columns] == [
        "Controller", "Module B", "set-up", "hold", "height"
    ]  # fmt: skip
    assert [bool(row.inks) for row in view.list.rows] == [False, False, True]
    told = []
    view.taken.connect(lambda ids, models: told.append((ids, models)))
    view.take.click()
    assert told == [(("U1", "B"), ("dq_34", "dq_odt120"))]
    # The present one is no other.
    view.list.chosen.emit("0")
    assert not view.take.isEnabled()
