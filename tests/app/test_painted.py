"""Painted widgets by themselves: what is drawn where, what the mouse and keys do on them."""

from __future__ import annotations

import math
from types import SimpleNamespace

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QContextMenuEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMenu, QWidget
from pytestqt.qtbot import QtBot

from onda.app.shell.ledger import Column, Ledger, LedgerRow
from onda.app.shell.margin_strip import MarginStrip, bar_scale
from onda.app.shell.painting import blend, draw_state
from onda.app.stages.lines.together_view import TogetherView
from onda.app.stages.networks.circle_plot import CirclePlot, Locus
from onda.app.theme import Look
from onda.project.model import Project
from onda.project.requirements import Requirement
from onda.studies.core.margin import Margin, Measured, State, margin_of
from onda.studies.lines.impedance import LinesTogether
from tests.painted import drawn


def shown(qtbot: QtBot, widget: QWidget, width: int, height: int) -> None:
    qtbot.addWidget(widget)
    widget.resize(width, height)
    widget.show()
    QApplication.processEvents()


def move_to(widget: QWidget, x: float, y: float) -> None:
    QTest.mouseMove(widget, QPoint(1, 1))
    QTest.mouseMove(widget, QPoint(round(x), round(y)))
    QApplication.processEvents()


def wheel(widget: QWidget, down: bool) -> None:
    at = QPointF(50.0, 30.0)
    widget.wheelEvent(
        QWheelEvent(
            at, at, QPoint(0, 0), QPoint(0, -120 if down else 120), Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
        )
    )  # fmt: skip


# -- the complex plane ------------------------------------------------------------


@pytest.fixture
def circle(qtbot: QtBot, look: Look) -> CirclePlot:
    plot = CirclePlot(look)
    shown(qtbot, plot, 332, 300)
    f = np.array([1e9, 2e9, 3e9])
    loci = [
        Locus("S11", f, np.array([0.5 + 0j, 0.5j, -0.25]), "#112233"),
        Locus("S11, state 2", f, np.array([0.1, 0.2, 0.3 - 0.1j]), "#445566", 1),
    ]
    plot.show_loci(loci, impedance=True, reference=50.0)
    return plot


def test_a_curve_lies_in_the_plane_with_its_imaginary_part_up(circle: CirclePlot) -> None:
    found = drawn(circle)
    now, then = (found.of("polyline", stroke=c)[0] for c in ("#112233", "#445566"))
    # The unit circle has its middle at 166, 150 and a radius of 134 px.
    assert now.points == pytest.approx(np.array([[233, 150], [166, 83], [132.5, 150]]), abs=0.1)
    assert then.points[2] == pytest.approx([166 + 0.3 * 134, 150 + 0.1 * 134], abs=0.1)
    assert (now.dash, bool(then.dash)) == ("", True)
    # Kept ones have no name of their own, and lie below.
    assert "S11" in found.texts
    assert "S11, state 2" not in found.texts
    # It ends at the right, in the colour of its curve.
    name = found.word("S11")
    assert (name.color, 280.0 < name.x < 326.0, name.y < 20.0) == ("#112233", True, True)
    assert found.shapes.index(then) < found.shapes.index(now)


def test_circles_of_resistance_and_reactance_are_where_the_formula_puts_them(
    circle: CirclePlot, look: Look
) -> None:
    found = drawn(circle)
    assert found.word("circles").text == "circles of r and x"
    circles = [(s.points[0], s.radius) for s in found.of("circle", stroke=look.t.hairline)]

    def on_it(z: complex) -> list[int]:
        g = (z - 1.0) / (z + 1.0)
        at = np.array([166 + 134 * g.real, 150 - 134 * g.imag])
        return [
            k for k, (c, r) in enumerate(circles) if abs(np.hypot(*(at - c)) - r) < 0.05
        ]  # fmt: skip

    for r in (0.2, 0.5, 1.0, 2.0, 5.0):
        # All of one resistance lie on one circle, and of one reactance on another one.
        assert set(on_it(r + 0.3j)) & set(on_it(r - 7.0j))
        assert set(on_it(0.1 + 1j * r)) & set(on_it(3.0 + 1j * r))
        assert not set(on_it(0.1 + 1j * r)) & set(on_it(3.0 - 1j * r))
    assert not on_it(0.7 + 0.3j)
    circle.show_loci([], impedance=False, reference=50.0)
    found = drawn(circle)
    assert found.word("polar").text == "polar, rings at 0.25"
    rings = sorted(s.radius for s in found.of("circle", stroke=look.t.hairline))
    assert rings == pytest.approx([33.5, 67.0, 100.5, 134.0])


def test_the_nearest_point_is_read_out(circle: CirclePlot) -> None:
    assert drawn(circle).texts == ["S11", "circles of r and x"]
    move_to(circle, 166 + 4, 83 - 3)
    found = drawn(circle)
    # (1 + 0.5j) / (1 - 0.5j) = 0.6 + 0.8j of 50 ohm.
    assert found.said.startswith("S11 2 GHz −6.02 dB 90.0° 30.0 + j40.0 Ω")
    (mark,) = [s for s in found.of("circle") if s.radius == 4.0]
    assert mark.points[0] == pytest.approx([166, 83])
    assert mark.fill == "#112233"
    move_to(circle, 166 + 0.3 * 134, 150 + 0.1 * 134)
    found = drawn(circle)
    assert found.said.startswith("S11, state 2 3 GHz −10.00 dB −18.4°")
    assert " − j" in found.said
    # Far from every curve nothing is read.
    move_to(circle, 166, 260)
    assert drawn(circle).texts == ["S11", "circles of r and x"]


# -- lines together -----------------------------------------------------------------


def test_modes_and_matrices_of_lines_together(qtbot: QtBot, look: Look) -> None:
    view = TogetherView(look)
    shown(qtbot, view, 1000, 160)
    assert "computing…" in drawn(view.modes).texts
    voltage = np.array([[1.0, 0.5], [-0.8, 0.5]])
    lines = LinesTogether(
        ("a", "b"), np.eye(2), np.eye(2), np.array([45.2, 61.8]), np.array([7.1e-9, 6.4e-9]),
        voltage, np.array([[52.0, 9.25], [9.25, 1500.0]]),
        np.array([[61.8, math.inf], [math.inf, 2.5e6]]),
    )  # fmt: skip
    view.show_lines(lines)
    found = drawn(view.modes)
    assert found.said == "45.2 Ω 7.100 ps/mm 61.8 Ω 6.400 ps/mm"
    row = min(44.0, view.modes.height() / 2)
    bars = found.of("rect", fill=look.t.sea) + found.of("rect", fill=look.t.below_zero)
    boxes = sorted((s.box[0], s.box[1], s.box[3], s.fill) for s in bars)
    # Line by line across, mode by mode down; a positive share is above the middle of its row.
    for k in range(2):
        for m in range(2):
            middle, tall = (m + 0.5) * row, 0.42 * row * voltage[k, m]
            top, bottom = sorted((middle, middle - tall))
            of_line = boxes[2 * k : 2 * k + 2]
            color = look.t.sea if tall > 0 else look.t.below_zero
            assert any(
                b[1] == pytest.approx(top, abs=0.01)
                and b[2] == pytest.approx(bottom, abs=0.01)
                and b[3] == color.lower()
                for b in of_line
            ), (k, m)
    assert drawn(view.zc).texts == ["a", "a", "b", "b", "52.0", "9.2", "9.2", "1.5k"]
    cells = drawn(view.network)
    assert cells.texts == ["a", "a", "b", "b", "61.8", "–", "–", "2.5M"]
    places = [(w.x, w.y) for w in cells.words[4:]]
    assert places[0][1] == places[1][1] < places[2][1] == places[3][1]
    assert places[0][0] < places[1][0]
    # What is coupled more is tinted more; the diagonal is not.
    tints = [s.fill for s in drawn(view.zc).of("rect")][-4:]
    assert tints[0] == tints[3] != tints[1] == tints[2]
    view.show_lines(None)
    assert drawn(view.zc).texts == []
    assert "computing…" in drawn(view.modes).texts


# -- a table of texts ------------------------------------------------------------------


@pytest.fixture
def ledger(qtbot: QtBot, look: Look) -> Ledger:
    table = Ledger(look, "Things", (Column("Name", 3.0), Column("Size", 1.0, number=True)))
    shown(qtbot, table, 400, 120)
    rows = [
        LedgerRow(f"r{k}", (f"thing {k}", f"{k} mm"), ((1, "#aa0000"),) if k == 1 else (), 0.25 * k)
        for k in range(8)
    ]
    table.set_rows(rows)
    return table


def test_rows_stand_in_their_columns(ledger: Ledger, look: Look) -> None:
    found = drawn(ledger)
    assert found.texts[:2] == ["Name", "Size"]
    # Four of eight have room beside the line that says how many there are.
    assert found.texts[2:] == [
        *(w for k in range(4) for w in (f"thing {k}", f"{k} mm")),
        "4 more below",
    ]
    name, size = found.word("thing 1"), found.word("1 mm")
    assert (name.color, size.color) == (look.t.ink.lower(), "#aa0000")
    assert name.y == pytest.approx(size.y, abs=1.0)
    assert name.x < 20 < 300 < size.x
    # Rows are 20 px tall below the titles.
    assert found.word("thing 2").y - name.y == pytest.approx(20.0, abs=0.1)
    # A bar takes its share of the last column, which is a quarter of the width.
    bars = [s.box for s in found.of("rect", fill=look.t.sea)]
    assert [b[2] - b[0] for b in bars] == pytest.approx([0.0, 25.0, 50.0, 75.0])
    assert {b[0] for b in bars} == {300.0}


def test_a_row_is_lit_and_chosen_under_the_mouse(ledger: Ledger, look: Look) -> None:
    over, chosen = [], []
    ledger.hovered.connect(over.append)
    ledger.chosen.connect(chosen.append)
    move_to(ledger, 30, 20 + 2 * 20 + 5)
    assert over[-1] == "r2"
    assert ledger.toolTip() == "thing 2  ·  2 mm"
    (lit,) = drawn(ledger).of("rect", fill=look.t.sea_tint)
    assert lit.box == (0.0, 60.0, 400.0, 80.0)
    left = Qt.MouseButton.LeftButton
    QTest.mouseClick(ledger, left, pos=QPoint(30, 20 + 20 + 1))
    assert (chosen, ledger.current) == (["r1"], "r1")
    # The titles are no row.
    QTest.mouseClick(ledger, left, pos=QPoint(30, 10))
    assert chosen == ["r1"]
    move_to(ledger, 30, 10)
    assert (over[-1], ledger.toolTip()) == ("", "")


def test_rows_are_scrolled_by_wheel_and_keys(ledger: Ledger) -> None:
    chosen = []
    ledger.chosen.connect(chosen.append)
    for _ in range(9):
        wheel(ledger, down=True)
    assert drawn(ledger).texts[2] == "thing 4"
    assert "more below" not in " ".join(drawn(ledger).texts)
    wheel(ledger, down=False)
    assert drawn(ledger).texts[2] == "thing 3"
    QTest.mouseClick(ledger, Qt.MouseButton.LeftButton, pos=QPoint(9, 20 + 5))
    assert chosen == ["r3"]
    for _ in range(9):
        QTest.keyClick(ledger, Qt.Key.Key_Up)
    assert ledger.current == "r0"
    assert drawn(ledger).texts[2] == "thing 0"
    for _ in range(5):
        QTest.keyClick(ledger, Qt.Key.Key_Down)
    assert ledger.current == "r5"
    assert "thing 5" in drawn(ledger).texts
    for _ in range(9):
        QTest.keyClick(ledger, Qt.Key.Key_Down)
    assert ledger.current == ledger.rows[-1].id
    # Fewer rows: what was scrolled to is gone.
    ledger.set_rows(ledger.rows[:2])
    assert "thing 1" in drawn(ledger).texts


# -- margins ----------------------------------------------------------------------------


@pytest.fixture
def requirements(project: Project) -> list[Requirement]:
    wanted = ("overshoot", "settling", "impedance")
    return [next(r for r in project.requirements if r.measure == m) for m in wanted]


@pytest.fixture
def strip(qtbot: QtBot, look: Look, requirements: list[Requirement]) -> MarginStrip:
    over, settling, z = requirements
    made = MarginStrip(look)
    shown(qtbot, made, 800, 76)
    margins: list[Margin] = [
        margin_of(over, Measured(2.0 * over.at_most.si, "", "")),
        margin_of(settling, Measured(0.5 * settling.at_most.si, "", "")),
        margin_of(z, Measured(z.at_least.si - 1.0, "", "")),
    ]
    made.show_margins("path", margins, {over.id: [0.5 * over.at_most.si, math.nan]})
    return made


def test_bars_grow_with_the_value_to_limits_and_kept_marks(strip: MarginStrip, look: Look) -> None:
    found = drawn(strip)
    states = [look.state_color(m.state).name() for m in strip.margins]
    assert states[0] == states[2] != states[1]
    for k, margin in enumerate(strip.margins):
        kept = strip._kept.get(margin.requirement, [])
        low, high = bar_scale(margin, kept)
        left, width = 140.0 + 190.0 * k, 172.0

        def at(value: float) -> float:
            return left + width * (value - low) / (high - low)  # noqa: B023

        filled = next(
            s for s in found.of("path", fill=states[k]) if left - 1 < s.box[0] < left + width
        )
        assert filled.box[2] == pytest.approx(at(margin.value), abs=0.5)
        limits = sorted(x for x in (margin.low, margin.high) if x is not None)
        ticks = sorted(
            s.box[0]
            for s in found.of("polyline", stroke=look.t.ink)
            if left - 1 <= s.box[0] <= left + width + 1
        )
        assert ticks == pytest.approx([at(x) for x in limits], abs=0.5)
        values = [w for w in found.words if w.text == margin.value_text]
        assert [w.color for w in values] == [look.state_ink(margin.state).name()]
    (mark,) = found.of("polygon", fill=look.t.kept) or found.of("path", fill=look.t.kept)
    over = strip.margins[0]
    low, high = bar_scale(over, strip._kept[over.requirement])
    kept = strip._kept[over.requirement][0]
    assert mark.points[0][0] == pytest.approx(140.0 + 172.0 * (kept - low) / (high - low), abs=0.5)
    # The point of the mark is up, towards the bar.
    assert mark.points[0][1] == mark.points[:, 1].min()


def limited(low: float | None, high: float | None, value: float, dimension: str = "voltage"):
    return SimpleNamespace(low=low, high=high, value=value, dimension=dimension)


@pytest.mark.parametrize(
    ("margin", "ends"),
    [
        (limited(90.0, 110.0, 100.0), (70.0, 118.0)),
        (limited(None, 0.2, 0.1), (0.0, 0.29)),
        (limited(None, -12.0, -20.0), (-22.8, -4.8)),
        (limited(0.5, None, 0.6), (0.0, 0.95)),
        (limited(-10.0, None, -5.0), (-16.0, 0.0)),
        # A share cannot be above 1; what matters lies close to it.
        (limited(0.95, None, 0.99, "ratio"), (0.8, 1.0)),
        (limited(0.5, None, 0.6, "ratio"), (0.0, 0.95)),
        (limited(None, None, math.nan), (0.0, 1.0)),
        # What is far out is in sight, with a little room above.
        (limited(None, 0.2, 1.0), (0.0, 1.04)),
        (limited(90.0, 110.0, 30.0), (30.0, 118.0)),
    ],
)
def test_a_bar_reaches_around_its_limits_and_its_value(margin, ends) -> None:
    assert bar_scale(margin, []) == pytest.approx(ends)
    low, high = bar_scale(margin, [500.0, math.nan])
    assert (low, high) == pytest.approx((ends[0], 520.0 if ends[1] != 1.0 else 500.0))


def test_where_nothing_is_required_it_says_how_that_is_done(strip: MarginStrip, look: Look) -> None:
    strip.show_margins("clock", [], {})
    found = drawn(strip)
    how = found.word("Nothing is required of this yet")
    assert (how.text.endswith("+ puts a limit on it."), how.color) == (
        True,
        look.t.secondary.lower(),
    )
    assert how.x == pytest.approx(140.0, abs=2.0)
    # The head says what they are of.
    head = [(w.text, w.color) for w in found.words if w.x < 140.0 and w.y < 46.0]
    assert head == [("Margins", look.t.ink.lower()), ("clock", look.t.secondary.lower())]
    strip.show_margins("", [], {})
    assert not [w for w in drawn(strip).texts if w.startswith("Nothing")]


def test_limits_are_reached_by_mouse_keys_and_menu(strip: MarginStrip) -> None:
    typed, dropped, wanted = [], [], []
    strip.limit_typed.connect(lambda *a: typed.append(a))
    strip.limit_dropped.connect(dropped.append)
    strip.limit_wanted.connect(wanted.append)
    ids = [m.requirement for m in strip.margins]
    left = Qt.MouseButton.LeftButton
    QTest.mouseDClick(strip, left, pos=QPoint(60, 30))
    assert not strip.editor.isVisible()
    QTest.mouseDClick(strip, left, pos=QPoint(140 + 190 + 20, 30))
    assert strip.editor.accessibleName() == "Limit of Settling"
    strip.editor.setText("7 ns")
    QTest.keyClick(strip.editor, Qt.Key.Key_Return)
    assert typed == [(ids[1], "7 ns")]
    assert not strip.editor.isVisible()
    # Behind the last bar there is nothing to edit.
    QTest.mouseDClick(strip, left, pos=QPoint(140 + 3 * 190 + 20, 30))
    assert not strip.editor.isVisible()
    for key in (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Right):
        QTest.keyClick(strip, key)
    QTest.keyClick(strip, Qt.Key.Key_Delete)
    QTest.keyClick(strip, Qt.Key.Key_Left)
    QTest.keyClick(strip, Qt.Key.Key_Delete)
    assert dropped == [ids[2], ids[1]]
    QTest.keyClick(strip, Qt.Key.Key_Return)
    assert strip.editor.accessibleName() == "Limit of Settling"

    def menu_at(x: int) -> dict[str, object]:
        at = QPoint(x, 30)
        strip.contextMenuEvent(
            QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, strip.mapToGlobal(at))
        )
        menu = strip.findChildren(QMenu)[-1]
        acts = {a.text().split("\t")[0]: a for a in menu.actions()}
        menu.close()
        return acts

    acts = menu_at(140 + 20)
    assert list(acts) == ["Type another limit", "Remove this limit"]
    acts["Remove this limit"].trigger()
    assert dropped[-1] == ids[0]
    acts["Type another limit"].trigger()
    assert strip.editor.accessibleName() == "Limit of Overshoot"
    acts = menu_at(140 + 2 * 190 + 20)
    acts["Remove this limit"].trigger()
    assert dropped[-1] == ids[2]
    acts["Type another limit"].trigger()
    assert strip._editing == ids[2]
    strip.can_require(True)
    assert list(menu_at(140 + 3 * 190 + 20)) == ["Require something else…"]
    menu_at(140 + 20)["Require something else…"].trigger()
    assert wanted == [strip.mapToGlobal(QPoint(140, 0))]


# -- states ---------------------------------------------------------------------------------


class Buoy(QWidget):
    def __init__(self, look: Look, state: State | None, *, stale: bool = False) -> None:
        super().__init__()
        self._look, self._state, self._stale = look, state, stale

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        at = QPointF(20, 20)
        draw_state(painter, self._look, at, 10.0, self._state, stale=self._stale)
        painter.end()


@pytest.mark.parametrize(
    ("state", "marks"),
    [
        (State.HOLDS, []),
        # A bar across, a cross: no colour is needed to tell.
        (State.TIGHT, [(15.2, 20.0, 24.8, 20.0)]),
        (State.FAILS, [(15.2, 15.2, 24.8, 24.8), (15.2, 15.2, 24.8, 24.8)]),
    ],
)
def test_states_are_told_by_their_mark(qtbot: QtBot, look: Look, state: State, marks) -> None:
    buoy = Buoy(look, state)
    shown(qtbot, buoy, 40, 40)
    found = drawn(buoy)
    (disc,) = found.of("circle", fill=look.state_color(state).name())
    assert (disc.radius, disc.points.tolist()) == (10.0, [[20.0, 20.0]])
    lines = found.of("polyline", stroke=look.t.sheet)
    assert [line.box for line in lines] == [pytest.approx(m) for m in marks]
    if state is State.FAILS:
        one, other = (s.points for s in lines)
        assert one[0][1] < one[1][1]
        assert other[0][1] > other[1][1]


@pytest.mark.parametrize("state", [None, State.UNKNOWN])
def test_what_is_not_known_is_hollow(qtbot: QtBot, look: Look, state: State | None) -> None:
    for buoy in (Buoy(look, state), Buoy(look, State.FAILS, stale=True)):
        shown(qtbot, buoy, 40, 40)
        (ring,) = drawn(buoy).of("circle")
        assert (ring.stroke, ring.fill, ring.radius) == (
            look.t.unknown.lower(), look.t.sheet.lower(), 9.5,
        )  # fmt: skip
        assert drawn(buoy).of("polyline") == []


def test_a_blend_is_between_both_colours() -> None:
    assert blend("#000000", "#ffffff", 0.0) == "#000000"
    assert blend("#000000", "#ff8000", 0.5) == "#804000"
    assert blend("#102030", "#ffffff", 1.0) == "#ffffff"
