"""Parts of the Stackup stage by themselves: places, cells, remarks, edits."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QMenu, QWidget
from pytestqt.qtbot import QtBot

from onda.app.stages.stackup.cells import Cell, draw_cell, draw_empty_cell
from onda.app.stages.stackup.edits import BuildEdits
from onda.app.stages.stackup.files import BuildFiles
from onda.app.stages.stackup.layout import lay_out
from onda.app.stages.stackup.remarks import RemarkLines
from onda.app.theme import Look
from onda.errors import InputError
from onda.project.build.files import FORMATS
from onda.project.build.stackup import CopperLayer, DielectricLayer
from onda.project.model import Project
from onda.project.quantities import parse_quantity as q
from onda.studies.build.remarks import BuildRemark
from onda.studies.core.margin import State
from tests.painted import drawn, put

# -- cells --------------------------------------------------------------------------------


CELL = Cell("L3", "pairs", "95/110 µm", 97.5, 90.0, 110.0, 12.5, State.TIGHT)


class Canvas(QWidget):
    def __init__(self, paint: Callable[[QPainter], None]) -> None:
        super().__init__()
        self._paint = paint

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        self._paint(painter)
        painter.end()


def cell_drawn(qtbot: QtBot, look: Look, cell: Cell, tall: float, *, chosen: bool = False):
    rect = QRectF(10, 10, 104, tall)
    canvas = Canvas(lambda p: draw_cell(p, look, rect, cell, chosen=chosen))
    put(qtbot, canvas, 130, 80)
    return drawn(canvas)


def test_a_cell_shows_as_much_as_has_room(qtbot: QtBot, look: Look) -> None:
    for tall, words in (
        (42.0, ["97.5", "95/110", "1.25 dB"]),
        (41.0, ["97.5", "95/110"]),
        (29.0, ["97.5", "95/110"]),
        (28.0, ["97.5"]),
    ):
        assert cell_drawn(qtbot, look, CELL, tall).texts == words
    found = cell_drawn(qtbot, look, CELL, 42.0)
    assert found.word("97.5").color == look.state_ink(State.TIGHT).name()
    # A quarter and three eighths of the way: limits lie on the middle half.
    bar = found.of("rect", fill=look.t.track)[0].box
    (tick,) = [s for s in found.of("polyline", stroke=look.state_color(State.TIGHT).name())
               if s.box[0] == s.box[2]]  # fmt: skip
    assert (tick.box[0] - bar[0]) / (bar[2] - bar[0]) == pytest.approx(0.4375, abs=0.005)
    middle = found.of("rect", fill=look.t.sea_tint)[0].box
    assert middle[0] - bar[0] == pytest.approx(0.25 * (bar[2] - bar[0]), abs=0.1)
    outline = cell_drawn(qtbot, look, CELL, 42.0, chosen=True)
    assert list(outline.of("path", stroke=look.t.sea))
    assert not found.of("path", stroke=look.t.sea)


def test_a_cell_that_is_not_known_or_cannot_be(qtbot: QtBot, look: Look) -> None:
    nan = math.nan
    waiting = replace(CELL, z=nan, loss=nan, state=None)
    assert cell_drawn(qtbot, look, waiting, 42.0).texts == ["…", "95/110"]
    assert cell_drawn(qtbot, look, replace(waiting, problem="no plane"), 28.0).texts == ["–"]
    # Beyond the bar the mark stays on its end.
    for z, share in ((40.0, 0.0), (180.0, 1.0)):
        found = cell_drawn(qtbot, look, replace(CELL, z=z, state=State.FAILS), 42.0)
        bar = found.of("rect", fill=look.t.track)[0].box
        (tick,) = [s for s in found.of("polyline", stroke=look.state_color(State.FAILS).name())
                   if s.box[0] == s.box[2]]  # fmt: skip
        assert (tick.box[0] - bar[0]) / (bar[2] - bar[0]) == pytest.approx(share, abs=0.005)
    assert CELL.words == "L3: 95/110 µm, 97.5 Ω within 90 – 110 Ω, 1.25 dB/100 mm, tight"
    assert replace(CELL, problem="no plane").words == "L3: no plane"
    assert replace(CELL, state=None).words.endswith("computing")


def test_an_empty_cell_offers_itself_under_the_mouse(qtbot: QtBot, look: Look) -> None:
    rect = QRectF(0, 0, 40, 40)
    for hovered, lines, reach in ((False, 1, 2.0), (True, 2, 5.0)):
        canvas = Canvas(lambda p, h=hovered: draw_empty_cell(p, look, rect, hovered=h))
        put(qtbot, canvas, 40, 40)
        found = drawn(canvas).of("polyline")
        assert len(found) == lines
        assert found[0].box == (20.0 - reach, 20.0, 20.0 + reach, 20.0)


# -- places ---------------------------------------------------------------------------------


@pytest.mark.parametrize(("width", "height"), [(1000.0, 700.0), (700.0, 330.0), (2400.0, 1300.0)])
def test_rows_zones_and_columns_do_not_overlap(
    project: Project, width: float, height: float
) -> None:
    stackup = project.design.stackup
    classes = tuple(c.id for c in project.design.line_classes)
    found = lay_out(stackup, classes, width, height)
    rows = [found.rows[x.id] for x in stackup.layers]
    assert rows[0][0] == 46.0
    for (_, bottom), (top, _) in itertools.pairwise(rows):
        assert top == pytest.approx(bottom)
    if height > 600:
        assert rows[-1][1] == pytest.approx(height - 4.0)
    # A thicker layer of the same kind is never drawn thinner.
    dielectrics = [x for x in stackup.layers if isinstance(x, DielectricLayer)]
    by_size = sorted(dielectrics, key=lambda x: x.thickness.si)
    talls = [round(found.rows[x.id][1] - found.rows[x.id][0], 6) for x in by_size]
    assert talls == sorted(talls)
    zones = [found.zones[z.id] for z in stackup.all_zones]
    for (_, right), (left, _) in itertools.pairwise(zones):
        assert left == pytest.approx(right + 6.0)
    spans = [found.spans[v.id] for v in stackup.vias]
    assert all(b - a == pytest.approx(14.0) for a, b in itertools.pairwise(spans))
    assert zones[-1][1] < spans[0]
    columns = [found.table[c] for c in classes]
    assert spans[-1] < columns[0][0]
    assert all(a[1] < b[0] for a, b in itertools.pairwise(columns))
    assert columns[-1][1] <= width
    # Cells stand at their layer, no higher than it.
    for place in stackup.signal_layers:
        rect = found.cell_rect(classes[0], place)
        top, bottom = found.rows[stackup.place(place).copper.id]
        assert rect.center().y() == pytest.approx(0.5 * (top + bottom))
        assert rect.height() == pytest.approx(min(bottom - top, 46.0) - 2.0)


# -- remarks ---------------------------------------------------------------------------------


def test_the_worst_remarks_are_shown_and_the_rest_counted(qtbot: QtBot, look: Look) -> None:
    lines = RemarkLines(look)
    put(qtbot, lines, 500, 68)
    remarks = tuple(
        BuildRemark(state, f"remark {k}", where)
        for k, (state, where) in enumerate(
            [(State.FAILS, "L1"), (State.TIGHT, ""), (State.TIGHT, "via:V1"), (State.TIGHT, "L4"),
             (State.HOLDS, "L5"), (State.HOLDS, "L6")]
        )
    )  # fmt: skip
    lines.show_remarks(remarks)
    assert lines.height() == 4 * 17
    assert drawn(lines).texts == [
        "remark 0", "remark 1", "remark 2", "2 of 6 checks of the build hold; 1 more do not",
    ]  # fmt: skip
    # Each has a row of its own, with its buoy beside it.
    words = drawn(lines).words
    assert np.diff([w.y for w in words]) == pytest.approx(17.0, abs=0.01)
    buoys = [s.points for s in drawn(lines).shapes if s.kind != "rect" and s.box[2] < 14]
    assert {round(float(p[:, 1].mean()) // 17) for p in buoys} == {0, 1, 2}
    chosen = []
    lines.chosen.connect(chosen.append)
    left = Qt.MouseButton.LeftButton
    for k in range(4):
        QTest.mouseClick(lines, left, pos=QPoint(40, 17 * k + 8))
    # Only what has a place leads there.
    assert chosen == ["L1", "via:V1"]
    lines.show_readout("L3: 97.5 Ω")
    said = drawn(lines).said
    assert said.startswith("remark 0 remark 1 remark 2 L3: 97.5")
    lines.show_readout("")
    lines.show_remarks(remarks[4:])
    assert lines.height() == 17
    assert drawn(lines).texts == ["2 of 2 checks of the build hold"]


# -- edits ----------------------------------------------------------------------------------------


class Desk:
    """A project that is edited by hand, and what is in view of it."""

    def __init__(self, project: Project, element: str) -> None:
        self.project, self.element, self.said, self.names = project, element, "", []
        self.refusals = 0

    def attempt(self, name: str, change: Callable[[Project], Project]) -> bool:
        try:
            self.project = change(self.project)
        except InputError as error:
            self.said = str(error)
            return False
        self.names.append(name)
        return True

    def make(self, name: str, project: Project) -> None:
        self.names.append(name)
        self.project = project

    def tell(self, words: str) -> None:
        self.said = words

    @property
    def stackup(self):
        return self.project.design.stackup

    @property
    def layer(self):
        found = [x for x in self.stackup.layers if x.id == self.element]
        return found[0] if found else None

    @property
    def via(self):
        return next((v for v in self.stackup.vias if v.id == self.element), None)

    def choose_element(self, element: str) -> None:
        self.element = element

    def refused(self) -> None:
        self.refusals += 1


def edits_on(project: Project, element: str) -> tuple[Desk, BuildEdits]:
    desk = Desk(project, element)
    return desk, BuildEdits(desk, desk, desk.refused)


def test_what_is_chosen_changes_the_layer_in_view_only(project: Project) -> None:
    first = next(x for x in project.design.stackup.layers if isinstance(x, DielectricLayer))
    other = next(m.id for m in project.design.materials if m.id != first.material)
    desk, edits = edits_on(project, first.id)
    edits.first_chosen(other)
    assert desk.layer.material == other
    assert desk.names == [f"Change material of {first.id}"]
    rest = [x for x in desk.stackup.layers if x.id != first.id]
    assert rest == [x for x in project.design.stackup.layers if x.id != first.id]
    build = "core" if first.build != "core" else "prepreg"
    edits.second_chosen(build)
    assert desk.layer.build == build
    edits.put("thickness", q("123 um", "length"))
    assert desk.layer.thickness.si == pytest.approx(123e-6)
    edits.dragged(first.id, 99e-6)
    assert desk.layer.thickness.si == pytest.approx(99e-6)


def test_copper_takes_roles_and_foils(project: Project) -> None:
    plane = next(
        x for x in project.design.stackup.layers
        if isinstance(x, CopperLayer) and x.role == "plane"
    )  # fmt: skip
    desk, edits = edits_on(project, plane.id)
    edits.first_chosen("signal")
    assert desk.layer.role == "signal"
    edits.second_chosen("no such foil")
    assert desk.layer.rz_base == plane.rz_base
    desk, edits = edits_on(project, "L1")
    edits.first_chosen("plane")
    # Traces run on it.
    assert desk.said
    assert desk.refusals == 1
    assert desk.layer.role == "signal"


def test_spans_of_vias_go_from_layer_to_layer(project: Project) -> None:
    via = project.design.stackup.vias[0]
    desk, edits = edits_on(project, via.id)
    edits.put("drill", q("0.33 mm", "length"))
    assert desk.via.drill.si == pytest.approx(0.33e-3)
    assert desk.names == [f"Change drill of {via.name}"]
    assert desk.stackup.vias[1:] == project.design.stackup.vias[1:]
    through = next(v for v in project.design.stackup.vias if v.kind == "through")
    desk, edits = edits_on(project, through.id)
    last = project.design.stackup.copper[-1].id
    edits.second_chosen(f"{through.kind}>{project.design.stackup.copper[2].id}")
    assert desk.via.backdrilled_to == project.design.stackup.copper[2].id
    edits.first_chosen(f"{through.top} {last}")
    assert (desk.via.top, desk.via.bottom, desk.via.backdrilled_to) == (through.top, last, None)
    edits.remove_chosen()
    assert desk.via is None


def test_numbers_of_a_material_are_read(project: Project) -> None:
    first = next(x for x in project.design.stackup.layers if isinstance(x, DielectricLayer))
    desk, edits = edits_on(project, first.id)
    edits.put_number("dk", "3,5")
    assert desk.project.design.material(first.material).dk == pytest.approx(3.5)
    with pytest.raises(InputError, match="not a number"):
        edits.put_number("dk", "soup")


# -- files ----------------------------------------------------------------------------------------


def test_builds_are_read_and_written_where_it_is_said(
    qtbot: QtBot, project: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    taken, told, noted = [], [], []
    parent = QWidget()
    qtbot.addWidget(parent)
    files = BuildFiles(
        parent, lambda: project, dict, lambda *a: taken.append(a), told.append, noted.append
    )
    asked: list[tuple[object, ...]] = []

    def save(_: QWidget, title: str, name: str, kinds: str) -> tuple[str, str]:
        asked.append((title, Path(name).name))
        return str(tmp_path / "build.csv"), ""

    monkeypatch.setattr(QFileDialog, "getSaveFileName", save)
    files.show_write(QPoint(0, 0))
    acts = {a.text(): a for a in parent.findChildren(QMenu)[-1].actions()}
    layers = next(f for f in FORMATS if f.key == "layers")
    acts[f"{layers.title}…"].trigger()
    assert asked == [("Write the build", "fulmar-layers.csv")]
    assert noted == ["Written: build.csv"]
    monkeypatch.setattr(
        QFileDialog, "getOpenFileName", lambda *a, **k: (str(tmp_path / "build.csv"), "")
    )
    files.choose()
    ((name, read),) = taken
    assert name == "build.csv"
    there = [x.id for x in read.project.design.stackup.layers]
    assert [x.id for x in project.design.stackup.copper] == [x for x in there if x in {
        c.id for c in project.design.stackup.copper
    }]  # fmt: skip
    # Each entry of the menu of what is read asks for its own kind of file.
    kinds: list[str] = []

    def asked_for(parent: QWidget, title: str, at: str, kind: str) -> tuple[str, str]:
        kinds.append(kind)
        return "", ""

    monkeypatch.setattr(QFileDialog, "getOpenFileName", asked_for)
    files.show_read(QPoint(0, 0))
    for action in parent.findChildren(QMenu)[-1].actions():
        action.trigger()
    assert kinds == ["IPC-2581 (*.xml *.cvg *.ipc2581)", "CSV (*.csv)"]
    # Who leaves the dialog changes nothing; what cannot be read is told.
    for dialog in ("getOpenFileName", "getSaveFileName"):
        monkeypatch.setattr(QFileDialog, dialog, lambda *a, **k: ("", ""))
    files.choose()
    acts[f"{layers.title}…"].trigger()
    assert (len(taken), len(noted), told) == (1, 1, [])
    files.read(tmp_path / "nowhere.csv")
    assert "nowhere.csv" in told[0]
