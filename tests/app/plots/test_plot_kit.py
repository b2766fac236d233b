"""The plot kit: axes, zoom, cursors, names, and what leaves it."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree
from PyQt6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QGuiApplication, QImage, QMouseEvent, QPainter, QPixmap
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QMenu, QWidget
from pytestqt.qtbot import QtBot

from onda.app.plots import zooming
from onda.app.plots.axes import Axis, even_step, number_text, power_text
from onda.app.plots.cursors import Cursor, Trace, cursor_words, snapped
from onda.app.plots.curve import mark_of, pattern_of
from onda.app.plots.curves import Bars, Curve, CurvePlot, Limit
from onda.app.plots.names import Label, place_names
from onda.app.plots.sharing import offer_share, titled
from onda.app.theme import DAY, Look
from onda.errors import InputError

TIME, VOLTS = Axis("Time", "ns"), Axis("Voltage", "V")
X = np.linspace(0.0, 10.0, 201)


@pytest.fixture
def plot(qtbot: QtBot) -> CurvePlot:
    made = CurvePlot(Look(), TIME, VOLTS, title="Load, now")
    qtbot.addWidget(made)
    made.resize(420, 260)
    made.show()
    load, launch = (Curve(n, X, f(X), DAY.sea) for n, f in (("load", np.sin), ("launch", np.cos)))
    made.show_curves([load, launch])
    QApplication.processEvents()
    return made


def drawn_words(plot: CurvePlot, side: str) -> list[tuple[QRectF, str]]:
    """Numbers and name that an axis draws, with their places."""
    picture = QPixmap(plot.size())
    painter = QPainter(picture)
    painter.setFont(plot._look.font(11))
    axis = plot._axes[side]
    specs = axis.generateDrawSpecs(painter)
    painter.end()
    return [(QRectF(rect), text) for rect, _, text in specs[2]]


# ---- axes


@pytest.mark.parametrize("width", [110, 180, 300, 900])
@pytest.mark.parametrize("last", [0.7, 35.0, 40.0, 12500.0])
def test_numbers_carry_no_unit_and_collide_with_nothing(
    plot: CurvePlot, width: int, last: float
) -> None:
    plot.resize(width, 200)
    plot.show_x(Axis("Frequency", "GHz"))
    plot.show_curves([Curve("a", X * last / 10.0, X, DAY.sea)])
    QApplication.processEvents()
    words = drawn_words(plot, "bottom")
    texts = [text for _, text in words]
    assert "Frequency, GHz" in texts or "GHz" in texts
    assert all("GHz" not in t for t in texts if not t.startswith(("Frequency", "GHz")))
    metrics = QFontMetricsF(plot._look.font(11))
    seen: list[QRectF] = []
    for rect, text in words:
        middle, half = rect.center(), metrics.horizontalAdvance(text) / 2
        if text in ("Frequency, GHz", "GHz"):
            middle = QPointF(rect.right() - half, middle.y())
        tight = QRectF(middle.x() - half, rect.top(), 2 * half, rect.height())
        assert not any(tight.intersects(other) for other in seen), texts
        assert tight.right() <= plot._axes["bottom"].boundingRect().right()
        seen.append(tight)


def test_the_upright_axis_is_named_above_the_plot(plot: CurvePlot) -> None:
    assert plot.lettering.y_name.text() == "Voltage, V"
    assert (
        plot.lettering.y_name.sceneBoundingRect().bottom() <= plot.box.sceneBoundingRect().top() + 1
    )
    plot.show_y(Axis("Current", "mA"))
    QApplication.processEvents()
    assert plot.lettering.y_name.text() == "Current, mA"
    assert plot.accessibleName() == "Current, mA against Time, ns"


@given(st.floats(-1e9, 1e9), st.sampled_from([1e-3, 0.02, 0.05, 0.25, 1.0, 5.0, 200.0, 1e5]))
def test_no_number_has_an_exponent_or_is_minus_nothing(value: float, spacing: float) -> None:
    text = number_text(round(value / spacing) * spacing, spacing)
    assert "e" not in text
    assert text not in ("-0", "−0", "−0.0", "−0.00", "−0.000")
    read = float(text.replace("−", "-"))
    assert read == pytest.approx(round(value / spacing) * spacing, abs=0.011 * spacing)


def test_decades_are_powers() -> None:
    assert [power_text(e) for e in (-3.0, 0.0, 2.0, 0.301)] == ["10⁻³", "10⁰", "10²", ""]


def test_an_axis_by_decades_shows_each_of_them(plot: CurvePlot, qtbot: QtBot) -> None:
    made = CurvePlot(Look(), Axis("Frequency", "GHz", log=True), Axis("Impedance", "Ω"))
    qtbot.addWidget(made)
    made.resize(300, 200)
    made.show()
    f = np.geomspace(0.9e-3, 40.0, 100)
    made.show_curves([Curve("z", np.concatenate([[0.0], f]), np.ones(101), DAY.sea)])
    QApplication.processEvents()
    texts = [text for _, text in drawn_words(made, "bottom")]
    assert {"10⁻³", "10⁻²", "10⁻¹", "10⁰", "10¹", "Frequency, GHz"} <= set(texts)
    # What lies at 0 is left out, not drawn at minus infinity.
    assert made.curves[0].x[0] == f[0]


@pytest.mark.parametrize("width", [240, 246, 300, 420])
def test_the_last_decade_is_whole(qtbot: QtBot, width: int) -> None:
    """A power at the very end of its axis is drawn within the plot."""
    made = CurvePlot(Look(), Axis("Frequency", "GHz", log=True), Axis("Impedance", "Ω"))
    qtbot.addWidget(made)
    made.resize(width, 200)
    made.show()
    made.show_curves([Curve("z", np.geomspace(1e-3, 100.0, 100), np.ones(100), DAY.sea)])
    QApplication.processEvents()
    axis = made._axes["bottom"]
    last = next(rect for rect, text in drawn_words(made, "bottom") if text == "10²")
    right = axis.mapRectToScene(last).right()
    edge = axis.mapRectToScene(axis.mapRectFromParent(axis.geometry())).right()
    assert edge - 4.0 < right <= edge + 2.0
    assert right <= made.width()


def test_an_empty_plot_says_why_and_draws_no_axes(plot: CurvePlot) -> None:
    plot.show_curves([], empty="Choose a clock at the driver.")
    assert plot._empty.isVisible()
    assert plot._empty.text() == "Choose a clock at the driver."
    assert not plot.plot.isVisible()
    plot.show_curves([], view=(0, 1, 0, 1), bars=[Bars(X[:3], X[:3], 0.0, 0.1, DAY.sea)])
    assert not plot._empty.isVisible()
    assert plot.plot.isVisible()


# ---- zoom


def wheel(plot: CurvePlot, at: QPointF, turns: int, keys: Qt.KeyboardModifier) -> None:
    class Turn:
        def __init__(self, pos: QPointF) -> None:
            self._pos = pos

        def delta(self) -> int:
            return 120 * turns

        def pos(self) -> QPointF:
            return self._pos

        def modifiers(self) -> Qt.KeyboardModifier:
            return keys

        def accept(self) -> None: ...

        def ignore(self) -> None: ...

    plot.box.wheelEvent(Turn(plot.box.mapFromView(at)))


def test_the_wheel_zooms_where_the_pointer_is_and_goes_back(plot: CurvePlot) -> None:
    none = Qt.KeyboardModifier.NoModifier
    before = plot.box.view
    wheel(plot, QPointF(2.5, 0.5), 3, none)
    x0, x1, y0, y1 = plot.box.view
    assert x1 - x0 < 0.95 * (before[1] - before[0])
    assert y1 - y0 < 0.95 * (before[3] - before[2])
    # What was below the pointer is still there.
    assert (2.5 - x0) / (x1 - x0) == pytest.approx(0.25, abs=0.01)
    plot.box.back()
    assert plot.box.view == pytest.approx(before)
    assert not plot.box.is_zoomed


def test_one_turn_of_the_wheel_is_one_step_back(
    plot: CurvePlot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Notches at 100.0, 100.3 and 100.6 s are one turn, one at 102 s is another."""
    clock = iter((100.0, 100.3, 100.6, 102.0))
    monkeypatch.setattr(zooming.time, "monotonic", lambda: next(clock))
    seen = [plot.box.view]
    for _ in range(4):
        wheel(plot, QPointF(2.5, 0.5), 1, Qt.KeyboardModifier.NoModifier)
        seen.append(plot.box.view)
    plot.box.back()
    assert plot.box.view == pytest.approx(seen[3])
    plot.box.back()
    assert plot.box.view == pytest.approx(seen[0])
    assert not plot.box.is_zoomed


@pytest.mark.parametrize(
    ("keys", "moves"),
    [
        (Qt.KeyboardModifier.ShiftModifier, (True, False)),
        (Qt.KeyboardModifier.ControlModifier, (False, True)),
    ],
)
def test_one_direction_alone(
    plot: CurvePlot, keys: Qt.KeyboardModifier, moves: tuple[bool, bool]
) -> None:
    before = plot.box.view
    wheel(plot, QPointF(5.0, 0.0), 2, keys)
    x0, x1, y0, y1 = plot.box.view
    changed = (x1 - x0 < 0.99 * (before[1] - before[0]), y1 - y0 < 0.99 * (before[3] - before[2]))
    assert changed == moves


def test_what_is_looked_at_stays_when_curves_move_and_goes_with_another_range(
    plot: CurvePlot,
) -> None:
    wheel(plot, QPointF(5.0, 0.0), 4, Qt.KeyboardModifier.NoModifier)
    seen = plot.box.view
    plot.show_curves([Curve("load", X, 1.4 * np.sin(X), DAY.sea)])
    assert plot.box.view == pytest.approx(seen)
    plot.show_curves([Curve("load", 3 * X, np.sin(X), DAY.sea)])
    assert plot.box.view[:2] == pytest.approx((0.0, 30.0))
    assert not plot.box.is_zoomed
    wheel(plot, QPointF(5.0, 0.0), 4, Qt.KeyboardModifier.NoModifier)
    plot.mouseDoubleClickEvent(None)
    assert plot.box.view[:2] == pytest.approx((0.0, 30.0))


# ---- cursors


def test_two_cursors_snap_and_tell_their_differences(plot: CurvePlot) -> None:
    plot.readouts._pointer = QPointF(2.0, 0.8)
    plot.set_cursor()
    plot.readouts._pointer = QPointF(7.0, 0.8)
    QTest.keyClick(plot, Qt.Key.Key_C)
    a, b, difference = plot.readouts.told
    assert a == f"A  2.000 ns  {np.sin(2.0):.4f} V  load"
    # The nearer curve at 7 ns is cos.
    value = float(np.interp(7.0, X, np.cos(X)))
    assert b == f"B  7.000 ns  {value:.4f} V  launch"
    dy = f"{value - np.sin(2.0):.4f}".replace("-", "−")
    assert difference == f"Δ  5.000 ns  {dy} V  1/Δ 0.2000 GHz"
    # They stay where they are when the curve changes, and read it anew.
    plot.show_curves([Curve("load", X, 2 * np.sin(X), DAY.sea), Curve("launch", X, X, DAY.kept)])
    assert plot.readouts.told[0] == f"A  2.000 ns  {2 * np.sin(2.0):.3f} V  load"
    assert plot.readouts.told[1] == "B  7.000 ns  7.000 V  launch"
    QTest.keyClick(plot, Qt.Key.Key_X)
    assert plot.readouts.told == []
    assert not plot.readouts.words.isVisible()


def test_a_third_cursor_takes_the_place_of_the_older() -> None:
    traces = [Trace("a/1", "a", X, X)]
    found = [snapped(x, x, traces, 10.0) for x in (1.0, 2.0)]
    assert all(found)
    words = cursor_words([c for c in found if c], traces, "GHz", "dB")
    assert words[-1] == "Δ  1.000 GHz  1.000 dB"
    assert snapped(99.0, 0.0, traces, 1.0) is None
    gone = cursor_words([Cursor(1.0, "b/1")], traces, "ns", "V")
    assert gone == ["A  1.000 ns  no curve"]


# ---- names


def test_names_cover_no_curve_and_no_other_name() -> None:
    x = np.linspace(0.0, 300.0, 200)
    lines = [(x, 100.0 + 30.0 * np.sin(x / 40.0)), (x, 105.0 + 0.1 * x), (x, np.full(200, 120.0))]
    labels = [Label(60.0, 14.0, *line) for line in lines]
    area = QRectF(0.0, 0.0, 300.0, 200.0)
    places = place_names(labels, lines, area)
    there = [p for p in places if p is not None]
    assert there
    for k, place in enumerate(there):
        assert area.contains(place)
        assert not any(place.intersects(other) for other in there[:k])
        for px, py in lines:
            inside = (px >= place.left()) & (px <= place.right())
            assert not ((py[inside] > place.top()) & (py[inside] < place.bottom())).any()


def test_a_name_without_room_goes_to_the_legend(plot: CurvePlot) -> None:
    crowd = [Curve(f"curve {k}", X, 0.001 * k + X, DAY.sea, note=True) for k in range(12)]
    plot.show_curves(crowd)
    QApplication.processEvents()
    inside = {name for name, _ in plot.lettering.names}
    told = {name for name, _ in plot.lettering.legend}
    assert inside | told == {c.name for c in crowd}
    assert not inside & told


@pytest.mark.parametrize("log", [False, True])
def test_curves_are_where_their_names_look_for_them(plot: CurvePlot, log: bool) -> None:
    x, y = np.array([1.0, 2.0, 5.0, 10.0]), np.array([0.0, 3.0, -1.0, 2.0])
    plot.show_x(Axis("Frequency", "GHz", log=log))
    curve = Curve("one", x, y, DAY.sea, note=True)
    plot.show_curves([curve], view=(1.0, 10.0, -2.0, 4.0))
    QApplication.processEvents()
    across, up = plot.lettering._pixels(curve)
    places = [plot.lettering._pixel(a, b) for a, b in zip(x, y, strict=True)]
    assert across == pytest.approx([p[0] for p in places], abs=0.6)
    assert up == pytest.approx([p[1] for p in places], abs=0.6)
    # Right is more, up is more.
    assert np.all(np.diff(across) > 0.0)
    assert np.array_equal(np.argsort(up), np.argsort(-y))


def test_limits_carry_their_name_and_kept_states_their_dash(plot: CurvePlot) -> None:
    curves = [Curve("now", X, np.sin(X), DAY.sea)]
    curves += [Curve(f"State {k}", X, np.sin(X) * k, DAY.kept, kept=k) for k in (1, 2, 3)]
    plot.show_curves(curves, [Limit(0.5, "input limit 0.5 V")])
    QApplication.processEvents()
    assert "input limit 0.5 V" in {name for name, _ in plot.lettering.names}
    dashes = [tuple(item.opts["pen"].dashPattern()) for item in plot._items["lines"]]
    assert dashes.count(()) == 1
    assert len(set(dashes)) == 5
    # The legend shows the dash that is drawn: long, points, both in turn, and from the start again.
    marks = {1: "╺ ╸", 2: "┈┈", 3: "╺ ·", 4: "╺ ╸", 0: "━"}
    assert {k: mark_of(Curve("", X, X, DAY.kept, kept=k)) for k in marks} == marks
    assert mark_of(Curve("", X, X, DAY.fails, limit=True)) == "┅"
    long, points, both = (pattern_of(Curve("", X, X, DAY.kept, kept=k)) for k in (1, 2, 3))
    assert long[0] > points[0]
    assert (len(both), both[0] > both[2]) == (4, True)


# ---- what leaves it


def test_a_table_has_every_curve_under_its_name_and_unit(plot: CurvePlot, tmp_path: Path) -> None:
    other = np.linspace(0.0, 5.0, 7)
    plot.show_curves(
        [
            Curve("load", X, np.sin(X), DAY.sea),
            Curve("launch", X, np.cos(X), DAY.sea),
            Curve("State 1", other, other**2, DAY.kept, kept=1),
        ]
    )
    plot.share.save(tmp_path / "view.csv")
    text = (tmp_path / "view.csv").read_text(encoding="utf-8")
    title, *lines = text.splitlines()
    assert title == "# Load, now"
    head, *rows = csv.reader(io.StringIO("\n".join(lines)))
    assert head == ["Time, ns", "load, V", "launch, V", "Time, ns", "State 1, V"]
    assert len(rows) == len(X)
    read = np.array([[float(c) for c in row[:3]] for row in rows])
    assert read[:, 0] == pytest.approx(X, abs=1e-8)
    assert read[:, 1] == pytest.approx(np.sin(X), abs=1e-8)
    assert read[:, 2] == pytest.approx(np.cos(X), abs=1e-8)
    assert [float(r[4]) for r in rows[:7]] == pytest.approx(other**2, abs=1e-7)
    assert rows[7][3:] == ["", ""]


def test_a_picture_has_title_axes_and_curves(plot: CurvePlot, tmp_path: Path) -> None:
    plot.share.save(tmp_path / "view.svg")
    words = "".join(etree.parse(str(tmp_path / "view.svg")).getroot().itertext())
    for part in ("Load, now", "Voltage, V", "Time, ns", "launch"):
        assert part in words
    plot.share.save(tmp_path / "view.PNG")
    image = QImage(str(tmp_path / "view.PNG"))
    assert (image.width(), image.height()) == (2 * plot.width(), 2 * (plot.height() + 26))
    sea = sum(
        image.pixelColor(x, y).name() == DAY.sea.lower()
        for x in range(0, image.width(), 2)
        for y in range(0, image.height(), 2)
    )
    assert sea > 100


def test_another_ending_is_refused(plot: CurvePlot, tmp_path: Path) -> None:
    with pytest.raises(InputError, match=r"\.png, \.svg or \.csv"):
        plot.share.save(tmp_path / "view.bmp")
    with pytest.raises(InputError, match="no-such"):
        plot.share.save(tmp_path / "no-such" / "view.csv")


def test_keys_copy_and_save(
    plot: CurvePlot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    board = QGuiApplication.clipboard()
    assert board is not None
    control, shift = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
    QTest.keyClick(plot, Qt.Key.Key_C, control | shift)
    assert board.text().splitlines()[0] == "Time, ns\tload, V\tlaunch, V"
    assert len(board.text().splitlines()) == 1 + len(X)
    QTest.keyClick(plot, Qt.Key.Key_C, control)
    assert board.pixmap().width() == 2 * plot.width()
    name = str(tmp_path / "out")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (name, "CSV (*.csv)"))
    QTest.keyClick(plot, Qt.Key.Key_E, control)
    assert (tmp_path / "out.csv").exists()
    said: list[str] = []
    plot.trouble.connect(said.append)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (f"{name}.bmp", "PNG (*.png)"))
    QTest.keyClick(plot, Qt.Key.Key_E, control)
    assert "cannot be written" in said[0]


def test_the_menu_offers_what_the_keys_do(plot: CurvePlot) -> None:
    titles = [a.text() for a in plot.menu().actions()]
    keys = [t.partition("\t")[2] for t in titles]
    assert keys == ["C", "X", "Backspace", "Home", "Ctrl+C", "Ctrl+Shift+C", "Ctrl+E"]


@pytest.mark.parametrize(
    ("least", "step"),
    [(0.9, 1.0), (1.0, 1.0), (1.01, 2.0), (2.3, 5.0), (5.5, 10.0), (3e-12, 5e-12), (4e-7, 5e-7)],
)
def test_steps_of_an_axis_are_even(least: float, step: float) -> None:
    assert even_step(least) == pytest.approx(step)


# ---- the mouse on it


def place_of(plot: CurvePlot, x: float, y: float) -> QPoint:
    """Where a point of the plot is on its viewport, px."""
    return plot.mapFromScene(plot.box.mapViewToScene(QPointF(x, y)))


def dragged(plot: CurvePlot, start: QPoint, end: QPoint, button: Qt.MouseButton) -> None:
    port = plot.viewport()
    QTest.mousePress(port, button, pos=start)
    for share in (0.3, 0.7, 1.0):
        at = start + share * (end - start)
        event = QMouseEvent(
            QEvent.Type.MouseMove, QPointF(at), QPointF(port.mapToGlobal(at)),
            Qt.MouseButton.NoButton, button, Qt.KeyboardModifier.NoModifier,
        )  # fmt: skip
        QApplication.sendEvent(port, event)
        QTest.qWait(15)
    QTest.mouseRelease(port, button, pos=end)
    QApplication.processEvents()


def test_a_box_is_dragged_to_zoom_and_left_again(plot: CurvePlot) -> None:
    before = plot.box.view
    left = Qt.MouseButton.LeftButton
    dragged(plot, place_of(plot, 2.0, 0.5), place_of(plot, 6.0, -0.5), left)
    x0, x1, y0, y1 = plot.box.view
    # All of the box is in view, and little around it.
    assert 1.7 < x0 <= 2.0 < 6.0 <= x1 < 6.3
    assert -0.6 < y0 <= -0.5 < 0.5 <= y1 < 0.6
    assert plot.box.is_zoomed
    plot.box.back()
    assert plot.box.view == pytest.approx(before)
    # A click with an unsteady hand, and another button, zoom nowhere.
    here = place_of(plot, 5.0, 0.0)
    dragged(plot, here, here + QPoint(3, 3), left)
    dragged(plot, place_of(plot, 2.0, 0.5), place_of(plot, 6.0, -0.5), Qt.MouseButton.RightButton)
    assert plot.box.view == pytest.approx(before)
    assert not plot.box.rbScaleBox.isVisible()


def test_a_click_tells_its_place_on_either_scale(plot: CurvePlot) -> None:
    told: list[float] = []
    plot.pressed.connect(told.append)
    left = Qt.MouseButton.LeftButton
    QTest.mouseClick(plot.viewport(), left, pos=place_of(plot, 4.0, 0.25))
    assert told == [pytest.approx(4.0, abs=0.05)]
    # Neither another button nor a place beside the curves is one.
    QTest.mouseClick(plot.viewport(), Qt.MouseButton.MiddleButton, pos=place_of(plot, 4.0, 0.25))
    QTest.mouseClick(plot.viewport(), left, pos=QPoint(4, plot.height() - 4))
    assert len(told) == 1
    plot.show_x(Axis("Frequency", "GHz", log=True))
    x = np.geomspace(0.1, 100.0, 50)
    plot.show_curves([Curve("rising", x, np.log10(x), DAY.sea)])
    QApplication.processEvents()
    QTest.mouseClick(plot.viewport(), left, pos=place_of(plot, 1.0, 0.25))
    assert told[1] == pytest.approx(10.0, rel=0.1)


def test_a_table_has_its_bars_too(plot: CurvePlot) -> None:
    x, y = np.array([1.0, 2.0]), np.array([0.25, -0.5])
    plot.show_curves([], bars=[Bars(x, y, 0.0, 0.4, DAY.sea, "late")])
    head, rows = plot._table()
    assert head == ["Time, ns", "late, V"]
    assert rows == [[1.0, 0.25], [2.0, -0.5]]


def test_a_painted_widget_offers_its_picture(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    class Named(QWidget):
        def what_is_shown(self) -> str:
            return "Board, jl0"

    around = Named()
    qtbot.addWidget(around)
    inner = QWidget(around)
    share = offer_share(inner, Look(), "Circle diagram")
    assert share.title() == "Board, jl0: Circle diagram, now"
    assert titled(QWidget(), "Eye") == "Eye, now"
    inner.customContextMenuRequested.emit(QPoint(2, 2))
    (menu,) = inner.findChildren(QMenu)
    acts = {a.text(): a for a in menu.actions()}
    menu.close()
    assert list(acts) == ["Copy as picture", "Save as PNG, SVG…"]
    file = tmp_path / "circle.png"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(file), ""))
    acts["Save as PNG, SVG…"].trigger()
    assert QImage(str(file)).width() == 2 * inner.width()
    QGuiApplication.clipboard().clear()
    acts["Copy as picture"].trigger()
    assert not QGuiApplication.clipboard().image().isNull()
