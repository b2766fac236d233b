"""Parts of the window by themselves: plots, lists, trims, bars, readouts, tips and menus."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QContextMenuEvent, QHelpEvent, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMenu, QToolTip, QWidget
from pytestqt.qtbot import QtBot

from onda.app.plots.colors import density_scale, deviation_scale, image_of, voltage_scale
from onda.app.plots.curves import Axis, Bars, Curve, CurvePlot, Limit
from onda.app.shell.fields import ChoiceBox, NumberRows, QuantityField, TextField, Trim
from onda.app.shell.margin_strip import MarginStrip
from onda.app.shell.rows import Row, RowList
from onda.app.shell.window import MainWindow
from onda.app.stages import STAGES
from onda.app.stages.lines.map_view import MapView
from onda.app.theme import DAY, NIGHT, Look
from onda.errors import InputError
from onda.project.model import Project
from onda.project.quantities import Quantity, parse_quantity
from onda.project.shown_units import METRIC, ShownUnits, choose_units
from onda.studies.core.margin import Measured, State, margin_of
from onda.studies.lines.width_gap_map import FINE, MapResult
from tests.app.conftest import MakeWindow, drag, type_into


def shown(qtbot: QtBot, widget: QWidget, width: int = 400, height: int = 200) -> QWidget:
    qtbot.addWidget(widget)
    widget.resize(width, height)
    widget.show()
    QApplication.processEvents()
    return widget


def tip_at(widget: QWidget, x: int, y: int) -> str:
    """The tip that a widget shows for a place."""
    QToolTip.hideText()
    place = QPoint(x, y)
    QApplication.sendEvent(
        widget, QHelpEvent(QEvent.Type.ToolTip, place, widget.mapToGlobal(place))
    )
    return QToolTip.text()


# -- colour scales ------------------------------------------------------------


@pytest.mark.parametrize("tokens", [DAY, NIGHT], ids=["day", "night"])
def test_scales_begin_and_end_in_their_roles(tokens) -> None:
    def of(color: str) -> list[int]:
        return [int(color[i : i + 2], 16) for i in (1, 3, 5)]

    density = density_scale(tokens)
    assert density.shape == (256, 3)
    assert density[0].tolist() == of(tokens.sheet)
    assert density[-1].tolist() == of(tokens.ink)
    deviation = deviation_scale(tokens)
    assert deviation[0].tolist() == of(tokens.sea)
    assert deviation[-1].tolist() == of(tokens.copper)
    volts = voltage_scale(tokens, -0.5, 0.0, 1.8, 2.4)
    assert volts[0].tolist() == of(tokens.below_zero)
    assert volts[-1].tolist() == of(tokens.above_high[1])
    at_high = volts[round(255 * 2.3 / 2.9)].astype(int)
    assert np.abs(at_high - of(tokens.sea)).max() < 12


@pytest.mark.parametrize("tokens", [DAY, NIGHT], ids=["day", "night"])
def test_a_deviation_has_its_tints_on_both_sides_of_its_target(tokens) -> None:
    def of(color: str) -> list[int]:
        return [int(color[i : i + 2], 16) for i in (1, 3, 5)]

    scale = deviation_scale(tokens).astype(int)
    for at, color in ((0.42, tokens.sea_tint), (0.5, tokens.sheet), (0.58, tokens.dielectric_high)):
        assert np.abs(scale[round(255 * at)] - of(color)).max() <= 4, at
    volts = voltage_scale(tokens, -0.5, 0.0, 1.8, 2.4).astype(int)
    assert np.abs(volts[round(255 * 0.5 / 2.9)] - of(tokens.sheet)).max() <= 4
    # Above the high level a quarter of the way to the top is orange.
    orange = 2.3 / 2.9 + 0.25 * (1.0 - 2.3 / 2.9)
    assert np.abs(volts[round(255 * orange)] - of(tokens.above_high[0])).max() <= 12
    density = density_scale(tokens).astype(int)
    for at, color in ((0.06, tokens.sea_tint), (0.6, tokens.sea)):
        assert np.abs(density[round(255 * at)] - of(color)).max() <= 4, at


@pytest.mark.parametrize("tokens", [DAY, NIGHT], ids=["day", "night"])
def test_states_have_the_colours_of_their_roles(qapp: QApplication, tokens) -> None:
    look = Look()
    look.set_night(tokens is NIGHT)
    t = look.t
    assert t is tokens
    assert [look.state_color(s).name() for s in State] == [
        c.lower() for c in (t.holds, t.tight, t.fails, t.unknown)
    ]
    # Words that hold are ink like any others.
    assert [look.state_ink(s).name() for s in State] == [
        c.lower() for c in (t.ink, t.tight_ink, t.fails, t.secondary)
    ]


def test_images_have_the_colours_of_their_values(qapp: QApplication) -> None:
    scale = density_scale(DAY)
    image = image_of(np.array([[0.0, 1.0, 2.0], [-1.0, 0.5, 0.0]]), scale)
    assert (image.width(), image.height()) == (3, 2)
    assert image.pixelColor(0, 0).name() == image.pixelColor(0, 1).name()
    assert image.pixelColor(1, 0).name() == image.pixelColor(2, 0).name()


def test_holes_of_a_map_are_shown_as_holes(qtbot: QtBot, look: Look) -> None:
    """What cannot be built has a colour of its own and no contour along its edge."""
    ramp = np.linspace(80.0, 120.0, FINE)[None, :].repeat(FINE, axis=0)
    ramp[:, :20] = np.nan
    axis = np.linspace(70e-6, 240e-6, FINE)
    view = MapView(look)
    shown(qtbot, view, 300, 260)
    view.show_map(MapResult(axis, axis, ramp, axis, axis, ramp), 100.0, (93.0, 107.0))
    assert view._image is not None
    assert view._image.pixelColor(5, 40).name().upper() == DAY.track.upper()
    assert view._image.pixelColor(60, 40).name().upper() != DAY.track.upper()
    for level, lines in view._lines:
        columns = np.concatenate(lines)[:, 1]
        expected = (level - 80.0) / 40.0 * (FINE - 1)
        assert columns == pytest.approx(expected, abs=0.6)
    assert not view.grab().isNull()


TIME, VOLTS = Axis("Time", "ns"), Axis("Voltage", "V")


# -- curves -------------------------------------------------------------------


def curve(name: str = "a", kept: bool = False) -> Curve:
    x = np.linspace(1.0, 10.0, 50)
    return Curve(name, x, x**2, DAY.sea, kept=int(kept), note=not kept)


def test_plot_fits_its_curves_and_reuses_what_it_drew(qtbot: QtBot, look: Look) -> None:
    plot = shown(qtbot, CurvePlot(look, TIME, VOLTS))
    assert isinstance(plot, CurvePlot)
    plot.show_curves([curve(), curve("b", kept=True)], [Limit(50.0, "limit")])
    (x0, x1), (y0, y1) = plot.plot.getViewBox().viewRange()
    assert (x0, x1) == pytest.approx((1.0, 10.0))
    assert y0 < 1.0
    assert y1 > 100.0
    drawn = list(plot._items["lines"])
    plot.show_curves([curve(), curve("b", kept=True)], [Limit(60.0, "limit")])
    assert plot._items["lines"] == drawn
    plot.show_curves([curve()])
    assert len(plot._items["lines"]) == 1
    assert plot._items["lines"][0] is drawn[0]
    plot.show_curves([])
    assert plot._items["lines"] == []


def test_logarithmic_plot_places_curves_by_exponent(qtbot: QtBot, look: Look) -> None:
    plot = shown(qtbot, CurvePlot(look, Axis("Frequency", "GHz", log=True), VOLTS))
    assert isinstance(plot, CurvePlot)
    plot.show_curves([curve()], [Limit(20.0, "most")])
    (x0, x1), _ = plot.plot.getViewBox().viewRange()
    assert (x0, x1) == pytest.approx((0.0, 1.0))
    axis = plot.plot.getAxis("bottom")
    assert axis.tickStrings([-1.0, 0.0, 1.0], 1.0, 1.0) == ["10⁻¹", "10⁰", "10¹"]


def test_bars_and_marks_survive_a_change_of_look(qtbot: QtBot, look: Look) -> None:
    plot = shown(qtbot, CurvePlot(look, TIME, VOLTS))
    assert isinstance(plot, CurvePlot)
    bars = [Bars(np.array([1.0, 2.0]), np.array([-10.0, -70.0]), -60.0, 0.3, DAY.sea)]
    plot.show_curves([], view=(0.0, 3.0, -60.0, 0.0), bars=bars, marks=[(1.0, -20.0, DAY.ink)])
    look.set_night(True)
    assert len(plot._items["bars"]) == 1
    assert len(plot._items["marks"]) == 1
    # A bar that ends below its base has no height, not a negative one.
    assert plot._items["bars"][0].opts["height"].tolist() == [50.0, 0.0]


def test_readout_snaps_to_the_curves(qtbot: QtBot, look: Look) -> None:
    plot = shown(qtbot, CurvePlot(look, TIME, VOLTS))
    assert isinstance(plot, CurvePlot)
    plot.show_curves([curve("load")])
    box = plot.plot.getViewBox()
    plot._on_mouse(box.mapViewToScene(QPointF(5.0, 50.0)))
    words = plot.readouts.readout.toPlainText()
    assert words.splitlines()[0].endswith("ns")
    value = float(words.splitlines()[1].split()[1])
    x = float(words.split()[0])
    assert value == pytest.approx(x**2, rel=2e-2)
    assert plot.readouts.readout.isVisible()
    QApplication.sendEvent(plot, QEvent(QEvent.Type.Leave))
    assert not plot.readouts.readout.isVisible()


# -- rows, trim, numbers, fields ------------------------------------------------


def test_rows_are_chosen_by_click_and_key(qtbot: QtBot, look: Look) -> None:
    rows = RowList(look, "Things")
    shown(qtbot, rows, 196, 200)
    rows.set_rows([Row(c, c.upper(), "below", State.HOLDS) for c in "abc"], "a")
    got: list[str] = []
    rows.chosen.connect(got.append)
    rows.removed.connect(lambda i: got.append(f"-{i}"))
    rows.renamed.connect(lambda i: got.append(f"~{i}"))
    QTest.mouseClick(rows, Qt.MouseButton.LeftButton, pos=rows.row_rect(2).center().toPoint())
    QTest.keyClick(rows, Qt.Key.Key_Down)
    QTest.keyClick(rows, Qt.Key.Key_Up)
    QTest.keyClick(rows, Qt.Key.Key_Delete)
    QTest.keyClick(rows, Qt.Key.Key_F2)
    QTest.mouseDClick(rows, Qt.MouseButton.LeftButton, pos=rows.row_rect(1).center().toPoint())
    assert got == ["c", "b", "a", "-a", "~a", "~b"]
    assert rows.accessibleDescription() == "; ".join(f"{c}, below, holds" for c in "ABC")
    rows.set_rows([Row("a", "A", "below", State.FAILS, "+3 mV"), Row("b", "B", value="50.0")], "a")
    assert rows.accessibleDescription() == "A, below, +3 mV, fails; B, 50.0"


def test_trim_keeps_to_its_range_and_steps(qtbot: QtBot, look: Look) -> None:
    trim = Trim(look, "value")
    shown(qtbot, trim, 220, 30)
    trim.set_range(10.0, 20.0, 0.5)
    trim.set_value(12.0, [15.0])
    moved: list[float] = []
    gestures: list[str] = []
    trim.moved.connect(moved.append)
    trim.began.connect(lambda: gestures.append("began"))
    trim.ended.connect(lambda: gestures.append("ended"))
    drag(trim, QPointF(trim._x(12.0), 15), QPointF(500, 15), steps=6)
    assert moved[-1] == 20.0
    assert all(10.0 <= v <= 20.0 and abs(2 * v - round(2 * v)) < 1e-9 for v in moved)
    assert gestures == ["began", "ended"]
    QTest.keyClick(trim, Qt.Key.Key_Right)
    assert trim.value == 20.0
    QTest.keyClick(trim, Qt.Key.Key_PageDown)
    assert trim.value == 15.0


def test_numbers_show_kept_values_in_the_same_unit() -> None:
    assert NumberRows.si_row("Edge", 4.1e-10, "time", 2.2e-9) == ("Edge", "410", "ps", "2200")
    assert NumberRows.si_row("Edge", 4.1e-10, "time") == ("Edge", "410", "ps", "")


def test_number_rows_describe_themselves(qtbot: QtBot, look: Look) -> None:
    rows = NumberRows(look)
    shown(qtbot, rows)
    rows.set_rows([("Width", "0.88", "UI", "0.91"), ("Height", "259", "mV", "")])
    assert rows.accessibleDescription() == "Width 0.88 UI; Height 259 mV"
    assert not rows.grab().isNull()


def test_quantity_field_tells_what_it_got(qtbot: QtBot) -> None:
    got: list[Quantity] = []

    def apply(q: Quantity) -> None:
        if q.si > 1.0:
            raise InputError("too much", remedy="Take less.")
        got.append(q)

    field = QuantityField("Length", "length", apply)
    shown(qtbot, field)
    choose_units(ShownUnits(lengths="mil"))
    field.show_quantity(parse_quantity("4.2 mil", "length"))
    assert field.edit.text() == "4.2 mil"
    type_into(field.edit, "5")
    assert [q.text for q in got] == ["5 mil"]
    field.show_quantity(got[0])
    assert field.edit.text() == "5 mil"
    type_into(field.edit, "2 m")
    assert field.problem.text() == "too much. Take less."
    assert field.edit.property("bad") == "true"
    # The refused text stays to be read until the value changes or Escape is pressed.
    field.edit.clearFocus()
    field.show_quantity(parse_quantity("5 mil", "length"))
    assert field.edit.text() == "2 m"
    field.show_quantity(parse_quantity("6 mil", "length"))
    assert field.edit.text() == "6 mil"
    assert field.problem.text() == ""
    choose_units(METRIC)
    field.show_quantity(parse_quantity("6 mil", "length"))
    assert field.edit.text() == "152.4 µm"
    field.show_quantity(None)
    assert field.edit.text() == ""


def test_text_field_and_choice(qtbot: QtBot, look: Look) -> None:
    got: list[str] = []
    field = TextField("Name", got.append)
    shown(qtbot, field)
    field.show_text("Clock")
    type_into(field.edit, "  Sample clock ")
    assert got == ["Sample clock"]
    box = ChoiceBox(look)
    shown(qtbot, box)
    box.addItem("one", 1)
    assert not box.grab().isNull()


# -- margin strip ---------------------------------------------------------------


def test_strip_scrolls_when_there_are_more_than_fit(
    qtbot: QtBot, look: Look, project: Project
) -> None:
    strip = MarginStrip(look)
    shown(qtbot, strip, 800, 76)
    requirements = project.requirements[:8]
    strip.show_margins("all", [margin_of(r, Measured(100.0, "L1", "so")) for r in requirements], {})
    assert strip._fit == 3
    assert "5 more" in strip._summary()[0]
    wheel = QWheelEvent(
        QPointF(300, 30),
        QPointF(300, 30),
        QPoint(0, 0),
        QPoint(0, -120),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    for _ in range(9):
        strip.wheelEvent(wheel)
    assert strip._shown()[-1].requirement == requirements[-1].id
    assert "Limit: Fulmar interconnect sheet" in tip_at(strip, 200, 30)


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ([0.1, 0.1], "all hold"),
        ([0.1, 0.29], "1 tight"),
        ([0.5, 0.29], "1 fails · 1 tight"),
        ([0.5, 0.6], "2 fail"),
        ([None, 0.1], "computing…"),
    ],
)
def test_strip_sums_up(qtbot: QtBot, look: Look, project: Project, values, words) -> None:
    strip = MarginStrip(look)
    shown(qtbot, strip, 1280, 76)
    over = next(r for r in project.requirements if r.measure == "overshoot")
    made = [margin_of(over, None if v is None else Measured(v, "", "")) for v in values]
    strip.show_margins("path", made, {over.id: [0.2, float("nan")]})
    assert strip._summary()[0] == words
    assert not strip.grab().isNull()


# -- tips, menus and readouts of the real window -----------------------------------


def test_course_tips_say_state_and_promise(window: MainWindow) -> None:
    course = window.course
    paths, coupling = course.centre(2).toPoint(), course.centre(3).toPoint()
    assert "something fails" in tip_at(course, paths.x(), paths.y())
    tip = tip_at(course, coupling.x(), coupling.y())
    assert "something fails" in tip
    row, coming = next((k, s) for k, s in enumerate(STAGES) if not s.ready)
    there = course.centre(row).toPoint()
    tip = tip_at(course, there.x(), there.y())
    assert coming.promise in tip
    assert "Not built yet" in tip


def test_project_menu_names_the_steps(window: MainWindow) -> None:
    window.keep()
    window._project_menu(window.mapToGlobal(QPoint(10, 64)))
    menus = [w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible()]
    titles = [a.text() for a in menus[0].actions()]
    assert titles[1].startswith("New…")
    assert any(t.startswith("Undo keep state") for t in titles)
    menus[0].close()
    QTest.mouseClick(window.course, Qt.MouseButton.LeftButton, pos=QPoint(60, 20))
    for menu in QApplication.topLevelWidgets():
        if isinstance(menu, QMenu):
            menu.close()


def test_context_menus_open_and_act(window: MainWindow) -> None:
    window.keep()
    listing = window.listing
    listing._kept_menu("k1", QPoint(50, 50))
    listing._object_menu("clk-adc", QPoint(50, 50))
    ribbon = window.stages["paths"].ribbon
    at = QPoint(400, 76)
    ribbon.contextMenuEvent(
        QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, ribbon.mapToGlobal(at))
    )
    assert window.selection.element == "T1"
    menus = [w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible()]
    subs = [a.menu() for menu in menus for a in menu.actions() if a.menu() is not None]
    acts = {a.text(): a for menu in (*menus, *subs) for a in menu.actions()}
    assert {"Go back to this state", "Rename", "Insert behind", "via"} <= set(acts)
    acts["resistor"].trigger()
    assert [e.id for e in window.document.project.design.path("clk-adc").elements][3] == "R1"
    for menu in menus:
        menu.close()
    assert window.settle()


def test_names_are_typed_in_place(window: MainWindow) -> None:
    window.keep()
    window.listing.objects.renamed.emit("clk-ref")
    editor = window.listing._editor
    assert editor is not None
    type_into(editor, "Reference")
    assert window.document.project.design.path("clk-ref").name == "Reference"
    window.listing.kept.renamed.emit("k1")
    editor = window.listing._editor
    assert editor is not None
    type_into(editor, "As drawn")
    assert window.document.project.kept[0].name == "As drawn"
    assert window.settle()


def test_wave_map_reads_the_voltage_under_the_pointer(window: MainWindow) -> None:
    wave_map = window.stages["paths"].wave_map
    result = window.stages["paths"].result
    box = wave_map._box
    at = QPointF(box.right() - 0.5, box.top() + box.height() * 0.25)
    found = wave_map._at(at)
    assert found is not None
    delay, time, volts = found
    assert delay == pytest.approx(result.delay, rel=0.01)
    assert volts == pytest.approx(float(np.interp(time, result.time, result.load)), abs=0.05)
    assert wave_map._at(QPointF(2, 2)) is None
    QTest.mouseMove(wave_map, at.toPoint())
    assert not wave_map.grab().isNull()
    wave_map.leaveEvent(None)


def test_map_and_eye_read_out_under_the_pointer(make_window: MakeWindow) -> None:
    window = make_window(stage="lines")
    view = window.stages["lines"].map
    QTest.mouseMove(view, view._box.center().toPoint())
    assert view._hover is not None
    assert not view.grab().isNull()
    view.leaveEvent(None)
    assert view._hover is None
    window.selection.go("eyes")
    assert window.settle()
    eye = window.stages["eyes"].bits_view.eye
    QTest.mouseMove(eye, eye._box.center().toPoint())
    assert eye._hover is not None
    assert not eye.grab().isNull()
    eye.leaveEvent(None)


def test_progress_line_shows_long_runs_only(window: MainWindow, qtbot: QtBot) -> None:
    line = window.progress
    assert not line.isVisible()
    link = window.document.project.design.links[0]
    from onda.project.base import set_value
    from onda.project.edits import replace_object

    window.selection.go("eyes")
    assert window.settle()
    longer = replace_object(window.document.project, set_value(link, bits=2_000_000))
    window.document.edit("More bits", longer)
    qtbot.waitUntil(lambda: line.isVisible() and "Eye" in line.words.text(), timeout=10_000)
    QTest.keyClick(window, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: not line.isVisible(), timeout=10_000)
    window.undo()
    assert window.settle()


def test_no_menu_of_a_plot_is_seen(qtbot: QtBot) -> None:
    plot = CurvePlot(Look(), TIME, VOLTS)
    qtbot.addWidget(plot)
    plot.show()
    QApplication.processEvents()
    assert [m for m in plot.findChildren(QMenu) if m.isVisible()] == []
