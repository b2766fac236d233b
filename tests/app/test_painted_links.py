"""The strip of a link and the map of a bus by themselves: drawn, chosen by mouse and keys."""

from __future__ import annotations

import math
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from onda.app.kit.surface import scrolled
from onda.app.stages.buses.case_map import CaseMap, case_words
from onda.app.stages.buses.case_view import CaseView
from onda.app.stages.buses.level_chart import LevelChart, LevelRow, row_words
from onda.app.stages.eyes.strip import Box, Strip, boxes_of
from onda.app.theme import Look
from onda.project.base import set_value
from onda.project.links.equalisers import usual_peaking
from onda.project.model import Project
from onda.project.quantities import parse_quantity
from onda.studies.buses.bus import BusCase, BusResult
from onda.studies.buses.case import CaseResult
from onda.studies.buses.seen import CaseSeen
from tests.painted import drawn, put

LEFT = Qt.MouseButton.LeftButton
NO = Qt.KeyboardModifier.NoModifier


def move_to(widget: QWidget, at: QPointF) -> None:
    QTest.mouseMove(widget, QPoint(1, 1))
    QTest.mouseMove(widget, at.toPoint())
    QApplication.processEvents()


# -- one case of a bus -----------------------------------------------------------------


def test_a_case_is_drawn_around_its_strobe_with_what_is_asked(qtbot: QtBot, look: Look) -> None:
    """A level of 0.6 V, 0.1 V of ac and 0.07 V of dc, 50 ps before and 80 ps behind the strobe."""
    seen = CaseSeen(
        np.array([-1e-10, 0.0, 1e-10]), np.array([[0.3, 0.5, 0.9], [0.9, 0.8, 0.2]]),
        0.6, 0.1, 0.07, 50e-12, 80e-12,
        np.array([0.0, 1e-9, 2e-9]), np.array([0.1, 0.2, 0.3]), np.array([0.6, 0.5, 0.4]),
    )  # fmt: skip
    case: Any = SimpleNamespace(found=SimpleNamespace(why="its neighbours take 20 ps"))
    view = CaseView(look)
    put(qtbot, view, 900, 400)
    view.show_case(case, seen)
    assert view.why.text() == "Its neighbours take 20 ps."
    data, asked = view.eye.curves
    there = np.isfinite(data.y)
    assert data.x[there] == pytest.approx([-100.0, 0.0, 100.0] * 2)
    assert data.y[there] == pytest.approx([300.0, 500.0, 900.0, 900.0, 800.0, 200.0])
    # Traces do not run into each other.
    assert np.flatnonzero(~there).tolist() == [3, 7]
    # To the ac level from set-up to the strobe, to the dc level at hold; and so below the level.
    assert asked.x == pytest.approx([-50.0, 0.0, 80.0, 80.0, 0.0, -50.0, -50.0])
    assert asked.y == pytest.approx([700.0, 700.0, 670.0, 530.0, 500.0, 500.0, 700.0])
    assert [limit.y for limit in view.eye._limits] == pytest.approx([600.0])
    whole, strobe = view.waves.curves
    assert (whole.name, strobe.name) == ("data", "strobe")
    assert whole.x == pytest.approx([0.0, 1.0, 2.0])
    assert whole.y == pytest.approx([100.0, 200.0, 300.0])
    assert strobe.y == pytest.approx([600.0, 500.0, 400.0])
    case.found.why = ""
    view.show_case(case, seen)
    assert view.why.text() == "Nothing takes much of this case."
    view.show_case(case, None, "it is worked out")
    assert (view.why.text(), view.eye.curves, view.waves.curves) == ("it is worked out", (), ())
    # Where there is nothing to see it is said where one looks; of nothing at all nothing is said.
    for words, shown in (("it is worked out", "it is worked out"), ("", " ")):
        view.show_case(None, None, words)
        assert [p._empty.text() for p in (view.eye, view.waves)] == [shown, shown]


# -- the parts of a link ---------------------------------------------------------------


@pytest.fixture
def strip(qtbot: QtBot, look: Look) -> Strip:
    made = Strip(look)
    put(qtbot, made, 660, 38)
    made.show_boxes(
        [
            Box("sender", "U1", "30 ps edge", "sent"),
            Box("channel", "board", "3 mm"),
            Box("channel", "cable", "1 m", "channel"),
            Box("listener", "sampler", "no feedback", "decided"),
        ]
    )
    return made


def test_parts_stand_in_a_row_with_points_behind_them(strip: Strip, look: Look) -> None:
    found = drawn(strip)
    upper = [found.word(x) for x in ("U1", "board", "cable", "sampler")]
    lower = [found.word(x) for x in ("30 ps", "3 mm", "1 m", "no feedback")]
    assert [w.x for w in upper] == sorted(w.x for w in upper)
    for one, other in zip(upper, lower, strict=True):
        assert other.y - one.y == pytest.approx(15.0, abs=2.0)
    dots = [s for s in found.of("circle") if s.radius == 5.5]
    assert [s.points[0][0] for s in dots] == [strip.dot_of(k).x() for k in (0, 2, 3)]
    # The eye is looked at behind the last of them.
    assert [s.fill == look.t.sea.lower() for s in dots] == [False, False, True]
    assert strip.rect_of(3).right() < strip.dot_of(3).x() < strip.width()


def test_parts_and_points_are_chosen_by_mouse(strip: Strip) -> None:
    told: list[tuple[str, str]] = []
    strip.part_chosen.connect(lambda x: told.append(("part", x)))
    strip.point_chosen.connect(lambda x: told.append(("point", x)))
    QTest.mouseClick(strip, LEFT, NO, strip.rect_of(1).center().toPoint())
    QTest.mouseClick(strip, LEFT, NO, strip.rect_of(2).center().toPoint())
    QTest.mouseClick(strip, LEFT, NO, strip.dot_of(0).toPoint())
    QTest.mouseClick(strip, LEFT, NO, strip.dot_of(0).toPoint())
    # Behind the second box there is no point, and what is between is no part.
    QTest.mouseClick(strip, LEFT, NO, strip.dot_of(1).toPoint())
    # One part in two boxes is the same part: it closes.
    assert told == [("part", "channel"), ("part", ""), ("point", "sent")]
    for at, hand in ((strip.dot_of(2), True), (strip.rect_of(3).center(), True),
                     (strip.dot_of(1), False)):  # fmt: skip
        move_to(strip, at)
        shape = strip.cursor().shape()
        assert (shape == Qt.CursorShape.PointingHandCursor) == hand


def test_parts_and_points_are_chosen_by_keys(strip: Strip, look: Look) -> None:
    told: list[str] = []
    strip.part_chosen.connect(told.append)
    strip.point_chosen.connect(told.append)
    K = Qt.Key
    for key in (K.Key_Left, K.Key_Space, K.Key_Right, K.Key_Space, K.Key_Return):
        QTest.keyClick(strip, key)
    assert told == ["sent", "channel"]
    lit = [s for s in drawn(strip).shapes if s.fill == look.t.sea_tint.lower()]
    assert [s.box[0] for s in lit] == pytest.approx([strip.rect_of(k).left() for k in (1, 2)])
    for _ in range(9):
        QTest.keyClick(strip, K.Key_Right)
    QTest.keyClick(strip, K.Key_Space)
    assert told[-1] == "decided"
    # A point that the next link does not have is left.
    strip.choose_point("channel")
    strip.show_boxes(strip.boxes[:1] + strip.boxes[3:])
    assert strip.point == "decided"


def test_boxes_say_what_a_link_is_made_of(project: Project) -> None:
    design = project.design
    link = design.link("jl0")

    def told(link) -> dict[str, list[tuple[str, str, str]]]:
        out: dict[str, list[tuple[str, str, str]]] = {}
        for box in boxes_of(design, link):
            out.setdefault(box.part, []).append((box.upper, box.lower, box.point))
        return out

    listener = set_value(
        link.listener, taps=(0.1, 0.9), decisions=3, clock="first", gain=None, gains=(),
        clock_bandwidth=parse_quantity("4 MHz", "frequency"),
    )  # fmt: skip
    found = told(set_value(link, listener=listener))
    assert found["listener"] == [
        ("peaking", "2 taps", "peaking"),
        ("sampler", "3 taps back, clock follows", "decided"),
    ]
    gains = tuple(parse_quantity(f"{g} dB", "loss") for g in (-4, -8, -6))
    listener = set_value(
        link.listener, **usual_peaking(link.symbols_per_second) | {"gains": gains, "gain": None}
    )
    assert told(set_value(link, listener=listener))["listener"][0][1] == "to -8 dB"
    sender = set_value(link.sender, taps=(-0.1, 0.9), main=1, setting="given")
    assert told(set_value(link, sender=sender))["sender"][0][1].endswith("edge, 2 taps")
    sender = set_value(sender, setting="best")
    assert told(set_value(link, sender=sender))["sender"][0][1].endswith("edge, best taps")
    points = [b.point for b in boxes_of(design, link)]
    assert points[0] == "sent"
    assert points.count("channel") == 1


# -- cases of a bus ------------------------------------------------------------------------


def case(signal: str, operation: str, corner: str, setup: float, hold: float, **of) -> BusCase:
    found = CaseResult(level=0.6, centre=0.62, height=of.pop("height", 0.3), **of)
    return BusCase(
        signal, signal.upper(), "S", operation, operation.title(), corner, setup, hold, 0.0,
        1e-9, found,
    )  # fmt: skip


@pytest.fixture
def cases() -> BusResult:
    return BusResult(
        (
            case("d0", "write", "typ", 100e-12, 120e-12),
            case("d0", "write", "slow", -20e-12, 90e-12),
            case("d0", "read", "typ", math.nan, math.nan, failure="no edge"),
            case("d1", "write", "typ", 400e-12, 300e-12),
            case("d1", "write", "slow", 80e-12, 50e-12, height=0.0),
            case("d1", "read", "typ", 60e-12, 0.0),
        )
    )


@pytest.fixture
def bus_map(qtbot: QtBot, look: Look, cases: BusResult) -> CaseMap:
    made = CaseMap(look)
    put(qtbot, made, 396, 94)
    made.show_result(cases, None)
    made.resize(396, 94)
    QApplication.processEvents()
    return made


def colour(of: CaseMap, key: tuple[str, str, str], across: float, down: float = 0.5) -> str:
    rect = of.rect_of(key)
    image = of.grab().toImage()
    x, y = rect.left() + across * rect.width(), rect.top() + down * rect.height()
    scale = image.width() / of.width()
    return image.pixelColor(round(x * scale), round(y * scale)).name()


def test_heads_stay_in_view_where_the_map_is_scrolled(qtbot: QtBot, look: Look) -> None:
    many = BusResult(tuple(case(f"d{k}", "write", "typ", 1e-12, 1e-12) for k in range(40)))
    made = CaseMap(look)
    made.show_result(many, None)
    area = scrolled(made)
    put(qtbot, area, 400, 160)
    bar = area.verticalScrollBar()
    assert bar is not None
    for away in (0, 200):
        bar.setValue(away)
        QApplication.processEvents()
        (head,) = [w for w in drawn(made).words if w.text == "typ"]
        # As far below the upper edge of what is seen, wherever that is.
        assert head.y == pytest.approx(away + 34.0, abs=4.0)


def test_cells_are_filled_by_their_worst_margin(bus_map: CaseMap, look: Look) -> None:
    t = look.t
    assert bus_map.rect_of(("d0", "write", "typ")).left() == 92.0
    assert bus_map.rect_of(("d1", "read", "typ")).top() == 42.0 + bus_map._row
    assert bus_map._column == pytest.approx(100.0)
    holds, fails, sheet = t.holds.lower(), t.fails.lower(), t.sheet.lower()
    # 100 of the 250 ps that fill a cell: two fifths of it.
    assert [colour(bus_map, ("d0", "write", "typ"), x) for x in (0.1, 0.3, 0.5)] == [
        holds, holds, sheet,
    ]  # fmt: skip
    assert colour(bus_map, ("d1", "write", "typ"), 0.95) == holds
    assert colour(bus_map, ("d0", "write", "slow"), 0.9) == fails
    # A margin without an eye is none; nothing left still holds, and is seen.
    assert colour(bus_map, ("d1", "write", "slow"), 0.9) == fails
    assert colour(bus_map, ("d1", "read", "typ"), 0.025) == holds
    assert colour(bus_map, ("d1", "read", "typ"), 0.2) == sheet
    # What has no answer is struck through from its upper left.
    at = [colour(bus_map, ("d0", "read", "typ"), x, x) for x in (0.3, 0.5)]
    assert sheet not in at
    assert colour(bus_map, ("d0", "read", "typ"), 0.3, 0.75) == sheet


def test_what_turned_against_a_kept_state_is_framed(
    bus_map: CaseMap, cases: BusResult, look: Look
) -> None:
    then = BusResult((case("d0", "write", "typ", -1e-12, 1e-12), *cases.cases[1:]))
    bus_map.show_result(cases, then)
    bus_map.choose(("d1", "read", "typ"))
    edge = 2.0 / bus_map._column
    kept = look.t.kept.lower()
    assert colour(bus_map, ("d0", "write", "typ"), edge) == kept
    assert colour(bus_map, ("d1", "write", "typ"), edge) != kept
    words = case_words(cases.cases[0], then.cases[0])
    assert words == (
        "D0, Write, typ: set-up 100 ps, hold 120 ps, 300 mV at 600 mV; +101 ps against the kept "
        "state"
    )
    assert case_words(cases.cases[2]) == "D0, Read, typ: no edge"


def test_cells_are_chosen_and_read_by_mouse_and_keys(bus_map: CaseMap, cases: BusResult) -> None:
    told: list[BusCase] = []
    bus_map.chosen.connect(told.append)
    # At first the worst one: that without an answer.
    assert bus_map.case is cases.cases[2]
    move_to(bus_map, bus_map.rect_of(("d1", "write", "slow")).center())
    assert bus_map.toolTip() == case_words(cases.cases[4])
    move_to(bus_map, QPointF(50.0, 60.0))
    assert (bus_map.toolTip(), bus_map.hovered) == ("", None)
    QTest.mouseClick(bus_map, LEFT, NO, QPoint(50, 60))
    QTest.mouseClick(bus_map, LEFT, NO, bus_map.rect_of(("d0", "write", "typ")).center().toPoint())
    for key in (Qt.Key.Key_Down, Qt.Key.Key_Down, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Left):
        QTest.keyClick(bus_map, key)
    place = {id(c): k for k, c in enumerate(cases.cases)}
    assert [place[id(c)] for c in told] == [0, 3, 3, 4, 1, 0]
    # The worst signals first, those without an answer before all.
    bus_map.sort(worst_first=True)
    assert [r[0] for r in bus_map.rows] == ["d0", "d1"]
    bus_map.show_result(BusResult(cases.cases[3:] + cases.cases[:3]), None)
    assert [r[0] for r in bus_map.rows] == ["d0", "d1"]
    bus_map.sort(worst_first=False)
    assert [r[0] for r in bus_map.rows] == ["d1", "d0"]


def test_levels_lie_in_their_eyes(qtbot: QtBot, look: Look) -> None:
    chart = LevelChart(look)
    put(qtbot, chart, 500, 140)
    rows = [
        LevelRow("S0", "Write", "typ", 0.60, 0.40, 0.90),
        LevelRow("S0", "Write", "slow", 0.62, 0.50, 0.80),
        LevelRow("S1", "Write", "typ", 0.65, 0.70, 0.60),
    ]
    chart.show_rows(rows)
    found = drawn(chart)
    # Half of a tenth of the whole is left at both ends.
    assert chart.ends == pytest.approx((0.375, 0.925))
    lines = [
        s for s in found.of("polyline") if s.stroke in (look.t.sea.lower(), look.t.fails.lower())
    ]
    assert len(lines) == 3
    for row, line in zip(rows, lines, strict=True):
        assert line.points[:, 0] == pytest.approx(
            [chart.x_of(row.low), chart.x_of(row.high)], abs=0.1
        )
    assert [s.stroke == look.t.fails.lower() for s in lines] == [False, False, True]
    heights = [s.box[1] for s in lines]
    assert heights == sorted(heights)
    # A line ends each lane and operation, below its corners and its name.
    ends = sorted(
        s.box[1] for s in found.of("polyline", stroke=look.t.hairline) if s.box[1] == s.box[3]
    )
    names = [found.word(f"{lane} · Write").y for lane in ("S0", "S1")]
    assert heights[0] < heights[1] < ends[0] < heights[2] < ends[1]
    assert names[0] < ends[0] < names[1] < ends[1]
    dots = [s.points[0] for s in found.of("circle", fill=look.t.ink)]
    assert [d[0] for d in dots] == pytest.approx([chart.x_of(r.level) for r in rows], abs=0.1)
    # Numbers of the axis stand above their volts.
    numbers = {w.text: w for w in found.words if w.text.isdigit()}
    assert len(numbers) >= 3
    grid = sorted(
        s.box[0] for s in found.of("polyline", stroke=look.t.hairline) if s.box[0] == s.box[2]
    )
    assert grid == pytest.approx(sorted(chart.x_of(1e-3 * int(n)) for n in numbers), abs=0.1)
    assert [w for w in found.texts if "·" in w] == ["S0 · Write", "S1 · Write"]
    move_to(chart, QPointF(300.0, chart.y_of(rows[1])))
    assert chart.toolTip() == row_words(rows[1])
    move_to(chart, QPointF(300.0, chart.y_of(rows[2])))
    assert chart.toolTip() == row_words(rows[2])
