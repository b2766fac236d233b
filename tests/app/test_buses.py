"""Buses in the real window: the map, what each device is, the chosen case."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import openpyxl
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QPushButton
from pytestqt.qtbot import QtBot

from onda.app.shell.window import MainWindow
from onda.app.stages.buses.case_map import case_words
from onda.app.stages.buses.level_chart import LevelRow, level_rows, row_words
from onda.app.stages.buses.levels_view import LevelsView, clock_words
from onda.app.stages.buses.pins_view import PinsView, pin_words
from onda.app.stages.buses.search_view import SearchView, search_words
from onda.app.stages.buses.stage import BusesStage, bus_words
from onda.app.stages.buses.sweep_view import SweepView, sweep_words
from onda.app.theme import Look
from onda.demo import fulmar_project
from onda.project.base import set_value
from onda.project.buses.pins import PinRow
from onda.project.buses.sheet_file import read_sheet
from onda.project.edits import replace_object
from onda.project.quantities import fixed, format_si
from onda.studies.buses.bus import BUS, BusCase, BusResult
from onda.studies.buses.case import CaseResult
from onda.studies.buses.inputs import all_cases, bus_inputs
from onda.studies.buses.levelling import Levelled
from onda.studies.buses.plan import bus_plan
from onda.studies.buses.search import BUS_SEARCH, BusSearch, search_inputs
from onda.studies.buses.seen import BUS_SEEN, SeenInputs
from onda.studies.buses.sweep import BUS_SWEEP, BusSweep, sweep_inputs
from tests.app.conftest import MakeWindow, only, type_into


@pytest.fixture
def window(make_window: MakeWindow) -> MainWindow:
    board = fulmar_project()
    bus = board.design.bus("byte0")
    keep = tuple(s for s in bus.signals if s.id in ("DQS0", "DQ1", "DQ6"))
    small = set_value(
        bus, signals=keep, operations=bus.operations[:2], corners=("typ", "slow"), bits=48
    )
    return make_window(only(replace_object(board, small), "bus"), stage="buses")


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
            share = min(case.worst / (0.25 * case.unit_interval), 1.0)
            if share < 0.85:
                assert colour_at(stage, key, share + 0.1) == t.sheet.lower()
                assert colour_at(stage, key, share - 0.1) == t.holds.lower()
    assert stage.sentence.text() == bus_words(found)
    rows = {name: (value, unit) for name, value, unit, _ in stage.fields.numbers._rows}
    for title, name, dimension in (
        ("Set-up margin", "setup", "time"), ("Hold margin", "hold", "time"),
        ("Eye height", "height", "voltage"),
    ):  # fmt: skip
        words = format_si(found.least(name), dimension).replace("-", "\u2212")
        assert " ".join(rows[title]) == words
    fails = sum(c.state == "fails" for c in found.cases)
    assert rows["Cases that fail"][0] == str(fails)


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
    asked = SeenInputs(one, case.shift, case.found.level)
    seen = window.desk.runner.result(BUS_SEEN, asked)
    data, asked = stage.case_view.eye.curves
    n = len(seen.time)
    assert data.x[:n] == pytest.approx(1e12 * seen.time)
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
    box.setCurrentIndex(names.index("dq_odt120"))
    box.activated.emit(box.currentIndex())
    assert window.settle(120_000)
    bus = window.document.project.design.bus("byte0")
    assert bus.operations[0].model_of("A") == "dq_odt120"
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
    kept = {name: then for name, _, _, then in stage.fields.numbers._rows}
    assert kept["Set-up margin"] == format_si(least, "time").replace("-", "\u2212").split(" ")[0]
    changed = next(c for c in after.cases if c.operation == "write-a")
    words = case_words(changed, before.cases[0])
    assert (
        f"{1e12 * (changed.worst - before.cases[0].worst):+.0f} ps against".replace("-", "\u2212")
        in words
    )
    window.undo()
    assert window.settle(120_000)
    assert stage.table.boxes["write-a", "A"].currentData() == "dq_odt60"


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

    type_in(stage.fields.rate, "2 Gb/s")
    type_in(stage.fields.bits, "32")
    type_in(stage.fields.name, "Byte zero")
    bus = window.document.project.design.bus("byte0")
    assert (bus.rate.si, bus.bits, bus.name) == (2e9, 32, "Byte zero")
    type_in(stage.fields.typed, "0011 0101")
    assert window.document.project.design.bus("byte0").typed == "00110101"
    assert window.settle(120_000)
    assert stage.result.cases[0].unit_interval == pytest.approx(0.5e-9)
    for field, typed, words in (
        (stage.fields.bits, "many", "no number of bits"),
        (stage.fields.typed, "0123", "pattern"),
        (stage.fields.bits, "3", "greater than or equal to 16"),
        (stage.fields.rate, "fast", "fast"),
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
        assert row.cells[3] == f"{fixed(1e12 * found.setup[k], 0)} ps"
        assert row.cells[4] == f"{fixed(1e12 * found.hold[k], 0)} ps"
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
    assert list(stage.fields.lengths.fields) == [("DQ9", "T1"), ("DQS1", "T1")]
    texts = [f.edit.text() for f in stage.fields.lengths.fields.values()]
    assert texts == ["33.2 mm", "48 mm"]
    assert stage.map.case.state == "fails"
    field = stage.fields.lengths.fields["DQS1", "T1"]
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
    assert list(stage.fields.lengths.fields) == [("DQ14", "T1"), ("DQS1", "T1")]


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


def test_margins_are_swept_over_lengths_and_rate(window: MainWindow) -> None:
    stage = shown(window)
    stage.map.choose(("DQ6", "write-b", "slow"))
    stage.views.choose("sweep")
    assert window.settle(120_000)
    view = stage.views.get("sweep", SweepView)
    design = window.document.project.design
    bus = design.bus("byte0")
    for over, scale, axis in (
        ("strobe", 1e3, "Strobe longer by, mm"), ("speed", 100.0, "Rate, %"),
    ):  # fmt: skip
        view.over.choose(over)
        assert window.settle(120_000)
        wanted = sweep_inputs(design, bus, "write-b", "DQ6", over)
        found = window.desk.runner.result(BUS_SWEEP, wanted)
        setup, hold = view.margins.curves
        (height,) = view.heights.curves
        for curve in (setup, hold, height):
            assert curve.x == pytest.approx(scale * found.values)
        assert (setup.name, hold.name) == ("set-up", "hold")
        assert setup.y == pytest.approx(1e12 * found.setup, nan_ok=True)
        assert hold.y == pytest.approx(1e12 * found.hold, nan_ok=True)
        assert height.y == pytest.approx(1e3 * found.height, nan_ok=True)
        assert view.margins._x.words == view.heights._x.words == axis
        assert view.sentence.text() == sweep_words(found, "")
    # Another case is swept anew.
    stage.map.choose(("DQ1", "write-b", "typ"))
    assert window.settle(120_000)
    other = window.desk.runner.result(
        BUS_SWEEP, sweep_inputs(design, bus, "write-b", "DQ1", "speed")
    )
    assert view.margins.curves[0].y == pytest.approx(1e12 * other.setup, nan_ok=True)


def test_a_sweep_over_lengths_stands_in_inches(qtbot: QtBot, look: Look, in_inches: None) -> None:
    view = SweepView(look, lambda: None)
    qtbot.addWidget(view)
    found = swept("data", [-0.0127, 0.0, 0.0254], [False, True, True])
    view.show_sweep(found, "")
    assert view.margins.curves[0].x == pytest.approx([-0.5, 0.0, 1.0])
    assert view.margins._x.unit == view.heights._x.unit == "in"
    assert view.sentence.text() == "Signal longer by: every case holds from 0 in to +1 in."
    view.show_sweep(swept("speed", [0.5, 1.0], [True, True]), "")
    assert view.margins.curves[0].x == pytest.approx([50.0, 100.0])
    assert view.margins._x.unit == "%"


def swept(over: str, values: list[float], holds: list[bool], why: str = "") -> BusSweep:
    margins = np.array([1e-12 if one else -1e-12 for one in holds])
    return BusSweep(
        over, np.array(values), margins, margins, np.ones(len(values)), (why,) * len(values)
    )


@pytest.mark.parametrize(
    ("found", "words"),
    [
        (
            swept("strobe", [-0.01, 0.0, 0.01], [True, True, False]),
            "Strobe longer by: every case holds from \u221210 mm to 0 mm.",
        ),
        # The stretch around the present value, not the longer one.
        (
            swept("speed", [0.6, 0.7, 0.8, 0.9, 1.0], [True, True, True, False, True]),
            "Rate, of what it is: of these values 100 % alone holds.",
        ),
        (
            swept("data", [0.0, 0.005, 0.01], [False, True, True]),
            "Signal longer by: every case holds from +5 mm to +10 mm.",
        ),
        (swept("both", [0.0, 0.1], [False, False]), "Both longer by: no value holds."),
        (
            swept("both", [0.0], [False], "no edge"),
            "Both longer by: no value holds (no edge).",
        ),
    ],
)  # fmt: skip
def test_a_sentence_says_from_where_to_where_it_holds(found: BusSweep, words: str) -> None:
    assert sweep_words(found, "") == words


@pytest.fixture
def clocked(make_window: MakeWindow) -> MainWindow:
    """Data and address to both modules in one corner."""
    board = fulmar_project()
    bus = board.design.bus("byte0")
    keep = tuple(s for s in bus.signals if s.id in ("DQS0", "DQ1", "CK", "A2"))
    small = set_value(bus, signals=keep, corners=("typ",), bits=32)
    return make_window(only(replace_object(board, small), "bus"), stage="buses")


def test_levels_and_strobes_beside_the_clock(clocked: MainWindow) -> None:
    stage = shown(clocked)
    stage.views.choose("levels")
    assert clocked.settle(60_000)
    found = expected(clocked)
    view = stage.views.get("levels", LevelsView)
    assert [r.cells for r in view.list.rows] == [
        (
            "DQS0", one.operation_name, "typ",
            *(f"{1e12 * x:.0f} ps".replace("-", "\u2212") for x in (one.late, one.moved, one.room)),
        )
        for one in found.levelled
    ]  # fmt: skip
    assert [r.cells[1] for r in view.list.rows] == ["Write A", "Write B"]
    assert view.sentence.text() == clock_words(found.levelled)
    rows = {(r.lane, r.operation): r for r in view.chart.rows}
    assert list(rows) == [
        ("DQS0", "Write A"), ("DQS0", "Write B"), ("DQS0", "Read A"), ("DQS0", "Read B"),
        ("CK", "Address A"), ("CK", "Address B"),
    ]  # fmt: skip
    for case in found.cases:
        row, one = rows[case.lane, case.operation_name], case.found
        assert row.level == one.level
        assert row.low == pytest.approx(one.centre - 0.5 * one.height)
        assert row.high == pytest.approx(one.centre + 0.5 * one.height)
    # More volts lie further to the right; the level is a dark dot on a line of the eye's colour.
    image, t = view.chart.grab().toImage(), clocked.look.t
    scale = image.width() / view.chart.width()

    def colour(volts: float, row: LevelRow) -> str:
        x, y = view.chart.x_of(volts), view.chart.y_of(row)
        return image.pixelColor(round(scale * x), round(scale * y)).name()

    for row in rows.values():
        assert view.chart.x_of(row.low) < view.chart.x_of(row.level) < view.chart.x_of(row.high)
        assert colour(row.level, row) == t.ink.lower()
        assert colour(row.low + 0.25 * (row.level - row.low), row) == t.sea.lower()


def test_a_row_of_levels_is_what_all_signals_of_a_lane_leave() -> None:
    def case(signal: str, level: float, centre: float, height: float) -> BusCase:
        found = CaseResult(level=level, centre=centre, height=height)
        return BusCase(signal, signal, "S", "w", "Write", "typ", 0.0, 0.0, 0.0, 1e-9, found)

    lost = BusCase(
        "D2", "D2", "S", "w", "Write", "typ", 0.0, 0.0, 0.0, 1e-9, CaseResult(failure="lost")
    )
    cases = (case("D0", 0.6, 0.61, 0.4), case("D1", 0.62, 0.65, 0.3), lost)
    (row,) = level_rows(BusResult(cases))
    assert (row.lane, row.operation, row.corner) == ("S", "Write", "typ")
    assert row.level == pytest.approx(0.61)
    # From the highest zero of all to their lowest one.
    assert (row.low, row.high) == pytest.approx((0.5, 0.8))
    assert row_words(row) == "S, Write, typ: level 610 mV in an eye from 500 to 800 mV"
    below = replace(row, level=-0.05, low=-0.2, high=0.3)
    assert row_words(below).endswith("level \u221250 mV in an eye from \u2212200 to 300 mV")


def levelled(late: float, moved: float, room: float, failure: str = "") -> Levelled:
    return Levelled("S", "DQS", "w", "Write", "slow", late, moved, room, failure)


@pytest.mark.parametrize(
    ("some", "words"),
    [
        ((), "No strobe is held against a clock"),
        ((levelled(50e-12, 39e-12, 29e-12),), "11 ps later than the moved strobe in DQS, Write, "),
        ((levelled(50e-12, 39e-12, 29e-12), levelled(0.0, 0.0, -2e-12)), "too far by 2 ps"),
        ((levelled(1e-12, 0.0, math.inf),), "no sheet says how far"),
        ((levelled(math.nan, math.nan, math.nan, "no edge"),), "DQS, Write, slow: no edge."),
    ],
)
def test_a_sentence_says_how_near_strobes_come(some, words: str) -> None:
    assert words in clock_words(some)


def test_the_sheet_of_the_listener_is_edited_in_place(
    clocked: MainWindow, tmp_path, monkeypatch
) -> None:
    stage = shown(clocked)
    form = stage.fields.sheet

    def sheet(device: str, over: str = "data"):
        return clocked.document.project.design.bus("byte0").device(device).sheet_for(over)

    stage.map.choose(("DQ1", "write-a", "typ"))
    assert clocked.settle(60_000)
    assert form.owner.text() == "Module A, data"
    told = {key: field.edit.text() for key, field in form.fields.items()}
    assert told == {
        "level": "", "level_step": "5 mV", "ac": "150 mV", "dc": "140 mV", "strobe": "100 mV",
        "setup": "35 ps", "hold": "45 ps", "to_clock": "40 ps",
        "source": "Fulmar memory sheet, table 7",
    }  # fmt: skip
    assert form.tables.text() == "Added for slews: set-up 3 \u00d7 2 slews, hold none."
    before = stage.map.case
    type_into(form.fields["setup"].edit, "55 ps")
    assert clocked.settle(60_000)
    assert sheet("A").setup.text == "55 ps"
    # 20 ps more are asked: once the strobe is centred anew, half of it of either margin.
    assert stage.map.case.setup == pytest.approx(before.setup - 10e-12, abs=1e-15)
    assert stage.map.case.hold == pytest.approx(before.hold - 10e-12, abs=1e-15)
    clocked.undo()
    type_into(form.fields["level"].edit, "0.55 V")
    assert clocked.settle(60_000)
    assert stage.map.case.found.level == 0.55
    type_into(form.fields["level"].edit, "")
    type_into(form.fields["to_clock"].edit, "")
    assert clocked.settle(60_000)
    assert (sheet("A").level, sheet("A").to_clock) == (None, None)
    assert form.fields["to_clock"].edit.placeholderText() == "no matter"
    type_into(form.fields["ac"].edit, "0 mV")
    assert "more than 0 V" in form.fields["ac"].problem.text()
    # A file of one device is read for another, and for address.
    file = tmp_path / "b.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(file), ""))
    stage.map.choose(("DQ1", "write-b", "typ"))
    form.write.click()
    assert read_sheet(file.read_text()).sheet == sheet("B")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(file), ""))
    stage.map.choose(("A2", "address-a", "typ"))
    assert form.owner.text() == "Module A, address"
    assert form.fields["setup"].edit.text() == "80 ps"
    form.read.click()
    assert clocked.settle(60_000)
    assert sheet("A", "address") == sheet("B")
    assert sheet("A") != sheet("B")
    assert form.fields["setup"].edit.text() == "35 ps"
    file.write_text("{}")
    form.read.click()
    assert "b.json" in stage.surface.problem.text()
    assert sheet("A", "address") == sheet("B")


def test_the_step_of_levelling_is_typed(clocked: MainWindow) -> None:
    stage = shown(clocked)
    field = stage.fields.step
    assert field.edit.text() == "13 ps"
    type_into(field.edit, "")
    assert clocked.settle(60_000)
    assert clocked.document.project.design.bus("byte0").levelling_step is None
    assert {one.moved for one in stage.result.levelled} == {0.0}
    type_into(field.edit, "5")
    assert clocked.settle(60_000)
    assert clocked.document.project.design.bus("byte0").levelling_step.text == "5 ps"
    type_into(field.edit, "soon")
    assert "not a time" in field.problem.text()


def test_every_operation_of_the_table_is_in_view(clocked: MainWindow) -> None:
    clocked.resize(1280, 800)
    stage = shown(clocked)
    assert stage.table.height() >= stage.table.boxes["write-a", "B"].geometry().bottom()
    assert stage.table.visibleRegion().boundingRect().height() == stage.table.height()
    for box in stage.table.boxes.values():
        corner = box.mapTo(stage.table, box.rect().topRight())
        assert corner.x() <= stage.table.width()


def test_pins_are_proposed_by_names_taken_and_changed(clocked: MainWindow) -> None:
    stage = shown(clocked)
    stage.views.choose("pins")
    assert clocked.settle(60_000)
    view = stage.views.get("pins", PinsView)

    def bus():
        return clocked.document.project.design.bus("byte0")

    assert [r.cells for r in view.list.rows] == [
        (name, f"{pin}?", f"{pin}?", f"{pin}?")
        for name, pin in (("DQS0", "F0"), ("DQ1", "E1"), ("CK", "K0"), ("A2", "J2"))
    ]
    assert view.sentence.text() == "0 of 12 pins are set, 12 more are proposed by their names."
    view.list.chosen.emit("DQ1")
    assert view.chosen.text() == "DQ1"
    box = view.boxes["A"]
    assert (box.currentData(), box.currentText()) == ("", "as in Paths")
    box.setCurrentIndex(box.findData("E5"))
    assert box.currentText() == "E5 \u00b7 DQ5"
    box.activated.emit(box.currentIndex())
    assert bus().signal("DQ1").pin_at("A") == "E5"
    # What is set is shown before any case is run again, and stays when proposals are taken.
    assert view.list.rows[1].cells == ("DQ1", "E1?", "E5", "E1?")
    view.take.click()
    assert [r.cells for r in view.list.rows] == [
        ("DQS0", "F0", "F0", "F0"), ("DQ1", "E1", "E5", "E1"), ("CK", "K0", "K0", "K0"),
        ("A2", "J2", "J2", "J2"),
    ]  # fmt: skip
    assert view.sentence.text() == "12 of 12 pins are set."
    assert not view.take.isEnabled()
    assert bus().signal("A2").pin_at("U1") == "J2"
    assert clocked.settle(60_000)
    clocked.undo()
    assert bus().signal("A2").pins == ()
    assert bus().signal("DQ1").pin_at("A") == "E5"
    type_into(stage.fields.name.edit, "Byte")
    assert clocked.settle(60_000)


def test_signals_that_no_pin_fits_are_named(clocked: MainWindow) -> None:
    found = clocked.document.project.design.bus("byte0")
    rows = [PinRow("DQ1", "A", "E1", "E1"), PinRow("DQ1", "B", "", ""), PinRow("A2", "B", "", "J2")]
    assert pin_words(found, rows) == (
        "1 of 3 pins are set, 1 more are proposed by their names; no name fits DQ1 at Module B."
    )
    assert pin_words(found, []).startswith("No device of this bus has a file with pins")


@pytest.fixture
def large(make_window: MakeWindow) -> tuple[MainWindow, BusResult]:
    """Eight bytes in eight operations, three corners; margins made up."""
    board = fulmar_project()
    bus = board.design.bus("byte0")
    signals = []
    for lane in range(8):
        signals.append(set_value(bus.signal("DQS0"), id=f"S{lane}", name=f"S{lane}"))
        signals += [
            set_value(bus.signal("DQ1"), id=f"L{lane}D{k}", name=f"L{lane}D{k}", strobe=f"S{lane}")
            for k in range(9)
        ]
    operations = tuple(
        set_value(o, id=f"{o.id}{n}", name=f"{o.name}{n}")
        for n in range(2)
        for o in bus.operations[:4]
    )
    whole = set_value(bus, signals=tuple(signals), operations=operations)
    window = make_window(only(board, "line"), stage="lines")
    window.document.edit("Whole", replace_object(window.document.project, whole))
    window.selection.go("buses")
    window.selection.choose("byte0", "buses")
    window.desk.cancel_all()
    rng = np.random.default_rng(5)
    cases = tuple(
        BusCase(
            s.id, s.name, s.strobe, o.id, o.name, corner, float(m), float(m) + 5e-12, 0.0,
            1 / 2.4e9, CaseResult(height=0.3, level=0.6, centre=0.6),
        )
        for o in whole.operations
        for s in whole.taken_in(o)
        for corner, m in zip(whole.corners, rng.normal(60e-12, 30e-12, 3), strict=True)
    )  # fmt: skip
    return window, BusResult(cases)


def test_a_whole_interface_is_in_view_and_in_reach(large: tuple[MainWindow, BusResult]) -> None:
    window, found = large
    window.resize(1280, 800)
    stage = window.stages["buses"]
    # Each net once, however many signals run over it.
    design = window.document.project.design
    plan = bus_plan(design, design.bus("byte0"))
    assert len(plan.routes) == 8 * 3
    assert len(all_cases(plan).cases) == len(found.cases) == 1728
    stage.show_result(found)
    QApplication.processEvents()
    window.desk.cancel_all()
    assert (window.width(), window.height()) == (1280, 800)
    assert len(stage.map.cells) == 1728
    # The map is scrolled in its own room, above the table, which is scrolled in its own.
    room, table = stage._room, stage.table
    lower = room.mapTo(window, room.rect().bottomLeft()).y()
    assert lower < table.mapTo(window, table.rect().topLeft()).y()
    assert stage.map.height() > room.height()
    bar = table.horizontalScrollBar()
    assert bar.maximum() > 0
    # The arrow keys bring what is chosen into view, clear of the heads.
    stage.map.choose(("L0D0", "write-a0", "typ"))
    for _ in range(71):
        QTest.keyClick(stage.map, Qt.Key.Key_Down)
    window.desk.cancel_all()
    assert stage.map.key == ("L7D8", "write-a0", "typ")
    at = stage.map.mapTo(room.viewport(), stage.map.rect_of(stage.map.key).center().toPoint())
    assert 42 < at.y() < room.viewport().height()
    # Heads stay where they are while the map moves below them.
    top = stage.map.visibleRegion().boundingRect().top()
    assert top > 300
    t = window.look.t
    image = room.viewport().grab().toImage()
    scale = image.width() / room.viewport().width()
    head = {
        image.pixelColor(round(scale * x), round(scale * 30)).name()
        for x in range(100, room.viewport().width() - 10)
    }
    assert t.holds.lower() not in head
    assert t.paper.lower() in head
    stage.sort.setChecked(True)
    worst = found.worst
    assert worst is not None
    assert stage.map.rows[0][0] == worst.signal
