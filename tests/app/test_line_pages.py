"""Lines from data sheets and shielded sections: what their pages draw and say."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from onda.app.document import Document
from onda.app.stages.lines import sheet_page
from onda.app.stages.lines.map_view import MapView
from onda.app.stages.lines.sheet_page import SheetInspector, SheetPage
from onda.app.stages.lines.shield_page import ShieldPage, mode_name
from onda.app.stages.lines.shield_view import ShieldView
from onda.app.theme import Look
from onda.project.base import set_value
from onda.project.edits import replace_object
from onda.project.model import Project
from onda.project.quantities import quantity
from onda.studies.lines.sheet_line import SheetResult
from onda.studies.lines.shield import (
    GuidedMode,
    ModeCheckResult,
    SizeSweepResult,
    shield_inputs,
    shield_section,
)
from onda.studies.lines.width_gap_map import FINE, MapResult
from tests.app.conftest import drag, type_into
from tests.painted import drawn, put


class Asked:
    """What a page asks for, answered by hand."""

    def __init__(self) -> None:
        self.taken: dict[str, Any] = {}
        self.failed: dict[str, Any] = {}
        self.told: list[str] = []

    def ask(self, slot: str, study: object, inputs: object, take: Any, fail: Any) -> None:
        self.taken[slot], self.failed[slot] = take, fail


def context(look: Look, project: Project) -> Any:
    document = SimpleNamespace(project=project, in_gesture=False)
    return SimpleNamespace(look=look, document=document)


# -- a line from its data sheet ---------------------------------------------------------------


F = np.geomspace(1e8, 1e10, 21)
SHEET = SheetResult(
    z0=50.0, delay=5e-9, loss_at=1.0, frequency=F, z_of_f=50.0 + F / 1e10,
    delay_of_f=5e-9 + 0.0 * F, loss=F / 1e9, factors=np.array([0.1, 1.0, 10.0]),
    insertion=np.array([-0.1 * F / 1e9, -1.0 * F / 1e9, -10.0 * F / 1e9]),
    eyes=np.ones((3, 16, 24)), eye_height=np.array([0.912, 0.3, math.nan]),
    eye_width=np.array([0.98, 0.61, math.nan]),
)  # fmt: skip


def test_a_sheet_line_is_drawn_at_every_factor_of_loss(
    qtbot: QtBot, look: Look, project: Project
) -> None:
    asked = Asked()
    page = SheetPage(context(look, project), asked.ask, asked.told.append)
    put(qtbot, page, 1000, 600)
    page.show_line(project.design.sheet_lines[0])
    asked.taken["sheet"](SHEET)
    assert page.z.curves[0].y == pytest.approx(SHEET.z_of_f)
    assert page.z.curves[0].x == pytest.approx(F / 1e9)
    assert page.delay.curves[0].y == pytest.approx(np.full(21, 5.0))
    assert page.loss.curves[0].y == pytest.approx(0.1 * SHEET.loss)
    curves = {c.name: c for c in page.insertion.curves}
    assert list(curves) == ["× 0.1", "× 1", "× 10"]
    for row, curve in zip(SHEET.insertion, curves.values(), strict=True):
        assert curve.y == pytest.approx(row)
    # The line as it is stands out.
    assert [c.color == look.t.ink for c in curves.values()] == [False, True, False]
    assert curves["× 1"].width > curves["× 10"].width
    eyes = drawn(page.eyes)
    assert [t for t in eyes.texts if t.startswith("×")] == [
        "× 0.1: 912 mV, 0.98 UI", "× 1: 300 mV, 0.61 UI", "× 10: closed",
    ]  # fmt: skip
    pictures = [s.box for s in eyes.of("rect") if s.stroke == look.t.hairline.lower()]
    assert len(pictures) == 3
    # Side by side, none over another one or over its numbers.
    for one, other in itertools.pairwise(pictures):
        assert one[2] + 36.0 <= other[0] + 0.1
    halves = [w.y for w in eyes.words if w.text == "0.5" and w.x < pictures[0][0]]
    nothing = [w.y for w in eyes.words if w.text == "0" and w.x < pictures[0][0]]
    top, bottom = pictures[0][1], pictures[0][3]
    # 0.75 V lie at the upper edge.
    assert nothing[0] - halves[0] == pytest.approx((bottom - top) / 3.0, abs=1.0)
    asked.failed["sheet"]("no such line")
    assert asked.told[-1] == "no such line"
    assert page.insertion.curves == ()
    assert page.result is None


def test_each_eye_of_a_sheet_line_is_its_own(
    qtbot: QtBot, look: Look, project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked = Asked()
    page = SheetPage(context(look, project), asked.ask, asked.told.append)
    put(qtbot, page, 1000, 600)
    lines = project.design.sheet_lines
    other = set_value(lines[0], id="other")
    page.show_line(lines[0])
    eyes = np.zeros((3, 16, 24))
    for k in range(3):
        eyes[k, 2 + k, 5] = 9.0
    asked.taken["sheet"](replace(SHEET, eyes=eyes))
    drawn_of: list[np.ndarray] = []
    picture = sheet_page.image_of
    monkeypatch.setattr(
        sheet_page, "image_of", lambda rows, *more: (drawn_of.append(rows), picture(rows, *more))[1]
    )
    found = drawn(page.eyes)
    # Each in a box of its own, all of them within the page.
    titles = [w for w in found.words if w.text.startswith("×")]
    assert [w.text.split(":")[0] for w in titles] == [f"× {f:g}" for f in SHEET.factors]
    boxes = [s.box for s in found.of("rect", stroke=look.t.hairline)][-3:]
    for k, box in enumerate(boxes):
        assert box[0] == pytest.approx(titles[k].x, abs=1.5)
    wide = min((page.eyes.width() - 8.0) / 3, 2.4 * page.eyes.height())
    assert np.diff([b[0] for b in boxes]) == pytest.approx([wide, wide], abs=0.1)
    assert boxes[-1][2] < page.eyes.width()
    # Time runs to the right, volts upwards.
    assert [tuple(np.argwhere(rows == 1.0)[0]) for rows in drawn_of[:3]] == [
        (18, 2), (18, 3), (18, 4),
    ]  # fmt: skip
    # Of another line nothing is known yet, while the same one keeps what it has.
    page.show_line(lines[0])
    assert page.result is not None
    page.show_line(other)
    assert page.result is None


def test_the_share_of_copper_is_told_and_taken_in_percent(
    qtbot: QtBot, look: Look, project: Project
) -> None:
    line = set_value(project.design.sheet_lines[0], copper_share=0.35)
    board = replace_object(project, line)
    document = Document(board)
    inspector = SheetInspector(
        SimpleNamespace(look=look, document=document),  # type: ignore[arg-type]
        lambda words: None,
    )
    qtbot.addWidget(inspector)
    inspector.show_line(line, SHEET)
    assert inspector.share.edit.text() == "35 %"
    type_into(inspector.share.edit, "42 %")
    assert document.project.design.sheet_lines[0].copper_share == pytest.approx(0.42)
    assert [(n, v, u) for n, v, u, _ in inspector.numbers._rows] == [
        ("Impedance", "50.00", "Ω"), ("Delay", "5.00", "ps/mm"),
        ("Loss where stated", "0.100", "dB/100 mm"),
    ]  # fmt: skip


def test_a_sheet_line_in_inches(
    qtbot: QtBot, look: Look, project: Project, in_inches: None
) -> None:
    asked = Asked()
    page = SheetPage(context(look, project), asked.ask, asked.told.append)
    put(qtbot, page, 1000, 600)
    line = set_value(project.design.sheet_lines[0], length=quantity(0.0635, "length", "mm"))
    page.show_line(line)
    assert "S21 over 2.5 in," in page.insertion_title.text()
    asked.taken["sheet"](SHEET)
    assert (page.delay._y.unit, page.loss._y.unit) == ("ps/in", "dB/in")
    assert page.delay.curves[0].y == pytest.approx(np.full(21, 127.0))
    assert page.loss.curves[0].y == pytest.approx(0.0254 * SHEET.loss)


# -- a shielded section -------------------------------------------------------------------------


def mode(kind: str, cut_off: float) -> GuidedMode:
    f = np.linspace(1e9, 40e9, 40)
    c = 3e8
    with np.errstate(invalid="ignore"):
        beta = 2 * np.pi / c * np.sqrt(np.where(f > cut_off, f**2 - cut_off**2, np.nan))
    nothing = np.zeros((0, 2))
    return GuidedMode(cut_off, kind, beta, nothing, nothing, nothing, np.zeros(0), kind)


def modes(*some: GuidedMode) -> ModeCheckResult:
    found = ModeCheckResult.__new__(ModeCheckResult)
    values = {"modes": some, "frequency": np.linspace(1e9, 40e9, 40), "looked_up_to": 60e9}
    for name in ModeCheckResult.__dataclass_fields__:
        object.__setattr__(found, name, values.get(name))
    return found


@pytest.fixture
def page(
    qtbot: QtBot, look: Look, project: Project, monkeypatch: pytest.MonkeyPatch
) -> tuple[ShieldPage, Asked]:
    asked = Asked()
    made = ShieldPage(context(look, project), asked.ask, asked.told.append)
    put(qtbot, made, 900, 700)
    monkeypatch.setattr(
        "onda.app.stages.lines.shield_page.mode_sentence", lambda r, top: f"up to {top / 1e9:g}"
    )
    made.show_section(project.design.shielded[0])
    return made, asked


def test_modes_rise_from_their_cut_off(page: tuple[ShieldPage, Asked], look: Look) -> None:
    made, asked = page
    some = (mode("TEM", 0.0), mode("H", 12e9), mode("E", 18e9), mode("H", 25e9))
    assert [mode_name(some, k) for k in range(4)] == ["TEM", "H 1", "E 1", "H 2"]
    asked.taken["modes"](modes(*some))
    titles = [made.modes.itemText(k) for k in range(made.modes.count())]
    assert titles == [
        "TEM, down to DC", "H 1, from 12.00 GHz", "E 1, from 18.00 GHz", "H 2, from 25.00 GHz",
    ]  # fmt: skip
    curves = {c.name: c for c in made.dispersion.curves}
    for one, curve in zip(some, curves.values(), strict=True):
        assert curve.x[0] == pytest.approx(one.cut_off / 1e9)
        assert curve.y[0] == 0.0
        wanted = 2 * np.pi / 3e8 * np.sqrt(np.maximum((1e9 * curve.x) ** 2 - one.cut_off**2, 0.0))
        assert curve.y == pytest.approx(wanted / 1e3, rel=1e-6, abs=1e-9)
    assert [c.color == look.t.sea for c in curves.values()] == [True, False, False, False]
    told = []
    made.view.show_mode = lambda m, words, magnetic: told.append((m, words, magnetic))
    made._choose(1)
    assert told[-1][0] is some[1]
    assert told[-1][1].startswith("H 1 at its cut-off, 12.00 GHz: magnetic field along")
    assert [c.color == look.t.sea for c in made.dispersion.curves] == [False, True, False, False]
    assert made.modes.currentIndex() == 1
    made._choose(2)
    assert "electric field along" in told[-1][1]
    made.fields.choose("H")
    assert told[-1][2] is True
    made._choose(0)
    assert told[-1][1] == "TEM: field across the line"
    made._choose(9)
    assert made.chosen == 3
    asked.failed["modes"]("not closed")
    assert asked.told[-1] == "not closed"
    assert made.dispersion.curves == ()


def test_arrows_point_along_the_field_that_is_chosen(
    qtbot: QtBot, look: Look, project: Project
) -> None:
    view = ShieldView(look)
    put(qtbot, view, 400, 400)
    section = shield_section(shield_inputs(project.design, project.design.shielded[0]))
    view.show_section(section)
    plain = len(drawn(view).of("polyline"))
    points = np.array([[2e-4, 2e-4], [3e-4, 2e-4], [4e-4, 2e-4]])
    electric = np.array([[1.0, 0.0], [0.0, 0.3], [0.001, 0.0]])
    magnetic = np.array([[0.0, 1.0], [-0.25, 0.0], [0.0, 0.0]])
    one = GuidedMode(12e9, "H", np.zeros(3), points, electric, magnetic, np.zeros(3), "none")
    for is_magnetic, field, color in (
        (False, electric, look.t.ink),
        (True, magnetic, look.t.series[1]),
    ):
        view.show_mode(one, "H 1", magnetic=is_magnetic)
        lines = [s for s in drawn(view).of("polyline", stroke=color) if s.width == 1.2]
        # A shaft and two wings each; what is too weak to be seen has none.
        assert len(lines) == 6
        for shaft, at, way in zip(lines[::3], points, field, strict=False):
            first, last = shaft.points[0], shaft.points[-1]
            middle = view._place(float(at[0]), float(at[1]))
            assert 0.5 * (first + last) == pytest.approx([middle.x(), middle.y()], abs=0.2)
            moved = (last - first) * [1.0, -1.0]
            # The root of the strength keeps what is weak in sight.
            assert np.hypot(*moved) == pytest.approx(15.0 * np.hypot(*way) ** 0.4, abs=0.05)
            assert moved / np.hypot(*moved) == pytest.approx(way / np.hypot(*way), abs=0.02)
    view.show_mode(None, "", magnetic=False)
    assert len(drawn(view).of("polyline")) == plain


def sizes(smallest: float, largest: float, cut_off: np.ndarray) -> SizeSweepResult:
    size = np.array([1e-3, 2e-3, 4e-3])
    return SizeSweepResult(size, np.array([math.nan, 48.0, 50.0]), cut_off, 50.5, smallest, largest)


def test_sizes_have_a_window(page: tuple[ShieldPage, Asked], project: Project) -> None:
    made, asked = page
    falling = np.array([60e9, 30e9, 15e9])
    asked.taken["sizes"](sizes(2e-3, 3.5e-3, falling))
    top = project.design.shielded[0].up_to
    curve = made.impedance.curves[0]
    assert (curve.x.tolist(), curve.y.tolist()) == ([2.0, 4.0], [48.0, 50.0])
    assert [v.y for v in made.impedance._limits] == pytest.approx([0.98 * 50.5, 1.02 * 50.5])
    assert [v.text for v in made.impedance._limits] == ["−2% of no wall", "+2% of no wall"]
    assert made.cut_off.curves[0].y == pytest.approx([60.0, 30.0, 15.0])
    assert made.cut_off._limits[0].y == pytest.approx(top.si / 1e9)
    now = project.design.shielded[0].width.si * 1e3
    assert made.impedance._marks[0][0] == pytest.approx(now)
    assert made.impedance._marks[0][1] == pytest.approx(np.interp(now, [2.0, 4.0], [48.0, 50.0]))
    assert made.window_note.text().startswith(
        "Usable from 2.00 mm (impedance within 2 %) to 3.50 mm (no other mode up to "
    )
    nan = math.nan
    for smallest, largest, cut, words in (
        (nan, 3.5e-3, falling, "Usable up to 3.50 mm: larger, another mode travels at"),
        (1e-3, 3.5e-3, falling, "Usable up to 3.50 mm"),
        (3e-3, 2e-3, falling, "No usable size: below 3.00 mm the wall changes the impedance"),
        (2e-3, nan, np.full(3, 900e9), "No other mode travels at"),
        (2e-3, nan, np.full(3, 1e9), "In every size tried another mode travels at"),
    ):
        asked.taken["sizes"](sizes(smallest, largest, cut))
        assert made.window_note.text().startswith(words)
    asked.failed["sizes"]("no")
    assert (made.window_note.text(), made.impedance.curves) == ("", ())
    # Of another section nothing is known yet; of the same one it stays.
    asked.taken["sizes"](sizes(2e-3, 3.5e-3, falling))
    asked.taken["modes"](modes(mode("TEM", 0.0), mode("H", 12e9)))
    made._choose(1)
    made.show_section(project.design.shielded[0])
    assert (made.sizes.largest, made.chosen) == (3.5e-3, 1)
    made.show_section(project.design.shielded[1])
    assert (made.result, made.sizes, made.chosen) == (None, None, 0)


def test_sizes_stand_in_the_unit_chosen(
    page: tuple[ShieldPage, Asked], project: Project, in_inches: None
) -> None:
    made, asked = page
    asked.taken["sizes"](sizes(2e-3, 3.5e-3, np.array([60e9, 30e9, 15e9])))
    for plot in (made.impedance, made.cut_off):
        assert plot.accessibleName().endswith("against Width, in")
        assert plot.curves[0].x[0] == pytest.approx((2.0 if plot is made.impedance else 1.0) / 25.4)
        now = project.design.shielded[0].width.si / 25.4e-3
        assert plot._marks[0][0] == pytest.approx(now)


# -- a map of widths and gaps ----------------------------------------------------------------------


class Ground(QWidget):
    """A part of a map by itself: the view keeps it as a picture."""

    def __init__(self, draw: Callable[[QPainter], None]) -> None:
        super().__init__()
        self._draw = draw

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        self._draw(painter)
        painter.end()


def test_a_point_is_dragged_in_whole_micrometres(qtbot: QtBot, look: Look) -> None:
    view = MapView(look)
    put(qtbot, view, 344, 222)
    w, g = np.linspace(100e-6, 200e-6, 8), np.linspace(100e-6, 300e-6, 8)
    fine_w, fine_g = np.linspace(w[0], w[-1], FINE), np.linspace(g[0], g[-1], FINE)
    z = 120.0 - 2e5 * (fine_w[None, :] - 1e-4) + 5e4 * (fine_g[:, None] - 1e-4)
    coarse = np.full((8, 8), 100.0)
    view.show_map(MapResult(w, g, coarse, fine_w, fine_g, z), 110.0, (100.0, 115.0))
    # 300 px for 100 um across, 200 px for 200 um up.
    assert view.place(150e-6, 200e-6).x() == pytest.approx(190.0)
    assert view.place(150e-6, 200e-6).y() == pytest.approx(102.0)
    told: list[tuple[float, float]] = []
    steps: list[str] = []
    view.point_dragged.connect(lambda *a: told.append(a))
    view.drag_began.connect(lambda: steps.append("began"))
    view.drag_ended.connect(lambda: steps.append("ended"))
    drag(view, QPointF(190, 102), QPointF(200, 92))
    assert told[0] == (pytest.approx(150e-6), pytest.approx(200e-6))
    assert told[-1] == (pytest.approx(153e-6), pytest.approx(210e-6))
    # No further than the map.
    drag(view, QPointF(190, 102), QPointF(900, 900))
    assert told[-1] == (pytest.approx(200e-6), pytest.approx(100e-6))
    assert steps == ["began", "ended"] * 2
    # Beside the map nothing is taken.
    count = len(told)
    drag(view, QPointF(20, 102), QPointF(190, 102))
    assert len(told) == count
    assert view.impedance_at(150e-6, 200e-6) == pytest.approx(120.0 - 10.0 + 5.0)
    # Contours lie where the level is.
    for level, lines in view._lines:
        for line in lines:
            for y, x in line[:: max(len(line) // 5, 1)]:
                width = w[0] + x / (FINE - 1) * (w[-1] - w[0])
                gap = g[0] + y / (FINE - 1) * (g[-1] - g[0])
                assert view.impedance_at(width, gap) == pytest.approx(level, abs=0.02)
    assert [level for level, _ in view._lines] == [110.0, 100.0, 115.0]


def test_the_contour_of_the_target_is_bold_with_its_value_clear_of_the_others(
    qtbot: QtBot, look: Look
) -> None:
    view = MapView(look)
    put(qtbot, view, 700, 460)
    w, g = np.linspace(100e-6, 200e-6, 8), np.linspace(100e-6, 300e-6, 8)
    fine_w, fine_g = np.linspace(w[0], w[-1], FINE), np.linspace(g[0], g[-1], FINE)
    # Upright contours: 20 ohm over 100 um of width, 106 at 150 um.
    z = np.repeat(116.0 - 2e5 * (fine_w[None, :] - 1e-4), FINE, axis=0)
    view.show_map(MapResult(w, g, np.full((8, 8), 100.0), fine_w, fine_g, z), 106.0, (102.0, 110.0))

    ground = Ground(lambda painter: view._draw_contours(painter, view._box))
    put(qtbot, ground, 700, 460)
    found = drawn(ground)
    wide = {}
    for line in found.of("polyline", stroke=look.t.ink):
        if line.box[3] - line.box[1] > 300.0 and line.box[2] - line.box[0] < 2.0:
            wide[round(line.box[0])] = line.width
    at = round(view.place(150e-6, 200e-6).x())
    bold = max(wide, key=lambda x: wide[x])
    assert abs(bold - at) <= 2
    assert sorted(set(wide.values())) == pytest.approx([1.0, 2.2])
    assert list(wide.values()).count(max(wide.values())) == 1
    words = {w.text: w for w in found.words if w.text.endswith("\u03a9")}
    target = words.pop("106 \u03a9")
    assert target.x > at
    for word in words.values():
        # A line lower than its neighbours; above the target left of the line, below right of it.
        assert target.y - word.y == pytest.approx(16.0, abs=0.5)
        level = float(word.text.split()[0])
        x = view.place(1e-4 + (116.0 - level) / 2e5, 200e-6).x()
        assert (word.x < x) == (level > 106.0)


@pytest.mark.parametrize("mil", [False, True])
def test_widths_and_gaps_stand_beside_their_lines(
    qtbot: QtBot, look: Look, mil: bool, request: pytest.FixtureRequest
) -> None:
    if mil:
        request.getfixturevalue("in_inches")
    view = MapView(look)
    put(qtbot, view, 700, 460)
    w, g = np.linspace(100e-6, 200e-6, 8), np.linspace(92e-6, 308e-6, 8)
    fine = np.linspace(w[0], w[-1], FINE), np.linspace(g[0], g[-1], FINE)
    z = np.full((FINE, FINE), 100.0) + np.linspace(0.0, 9.0, FINE)
    view.show_map(MapResult(w, g, np.full((8, 8), 100.0), *fine, z), 104.0, (102.0, 106.0))
    box = view._box
    ground = Ground(lambda painter: view._draw_axes(painter, box))
    put(qtbot, ground, 700, 460)
    words = drawn(ground).words
    unit = 25.4e-6 if mil else 1e-6
    beside = {x.text: x.y for x in words if x.y < box.bottom() + 9 and x.text.isdecimal()}
    below = {x.text: x.x for x in words if x.y > box.bottom() + 9 and x.text.isdecimal()}
    assert set(beside) == (
        {"4", "6", "8", "10", "12"} if mil else {"100", "150", "200", "250", "300"}
    )
    assert set(below) == ({"4", "5", "6", "7"} if mil else {"120", "160"})
    # All of a row of numbers lie as far from their lines.
    away = [y - view.place(w[0], float(k) * unit).y() for k, y in beside.items()]
    assert np.ptp(away) < 1.0
    apart = [x - view.place(float(k) * unit, g[0]).x() for k, x in below.items()]
    assert np.ptp(apart) < 9.0
