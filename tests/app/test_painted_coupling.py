"""Coupling's drawings by themselves: lanes, their section, who disturbs whom."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QFontMetricsF
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from onda.app.shell.painting import blend
from onda.app.stages.coupling.cross_view import CrossView
from onda.app.stages.coupling.lanes_view import LanesView
from onda.app.stages.coupling.matrix_view import MatrixView
from onda.app.theme import Look
from onda.project.base import set_value
from onda.project.coupling.group import LaneGroup
from onda.project.model import Project
from onda.project.quantities import as_shown, format_si, split_si
from onda.studies.core.margin import State
from onda.studies.core.runner import StudyRunner
from onda.studies.coupling.group import GROUP, GroupResult
from onda.studies.coupling.inputs import PieceInputs, group_inputs
from tests.app.conftest import drag
from tests.painted import drawn

NAME = "converter-lanes"
NO, SHIFT, CTRL = (
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.ControlModifier,
)
LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def group(project: Project) -> LaneGroup:
    """Turned so that lanes go both ways."""
    found = project.design.group(NAME)
    first, second, *rest = found.lanes
    lanes = (set_value(first, towards="right"), set_value(second, towards="left"), *rest)
    return set_value(found, lanes=lanes)


def shown(qtbot: QtBot, widget, width: int, height: int):
    qtbot.addWidget(widget)
    widget.resize(width, height)
    widget.show()
    QApplication.processEvents()
    return widget


def move_to(widget, x: float, y: float) -> None:
    QTest.mouseMove(widget, QPoint(1, 1))
    QTest.mouseMove(widget, QPoint(round(x), round(y)))
    QApplication.processEvents()


# -- the section --------------------------------------------------------------------


@pytest.fixture
def piece(project: Project) -> PieceInputs:
    return next(
        p
        for p in group_inputs(project.design, project.design.group(NAME)).pieces
        if p.section is not None
    )


@pytest.fixture
def cross(qtbot: QtBot, look: Look, piece: PieceInputs, group: LaneGroup) -> CrossView:
    view = shown(qtbot, CrossView(look), 700, 160)
    names = tuple(x.name for x in group.lanes)
    apart = tuple(1e-6 * (200 + 50 * k) for k in range(len(names) - 1))
    view.show_piece(piece, names, apart)
    return view


def test_conductors_are_drawn_to_scale(cross: CrossView, piece: PieceInputs, look: Look) -> None:
    found = drawn(cross)
    shape = piece.section.trace
    edges = np.cumsum(
        [0.0, *itertools.chain(*zip(shape.across, (*shape.between, 0.0), strict=True))]
    )
    lefts, rights = edges[0:-1:2], edges[1::2]
    scale = (700 - 2 * 26.0) / rights[-1]
    # The dielectric lies under all of them, and a plane along the whole of it.
    (body,) = found.of("rect", fill=look.t.dielectric_low)
    assert (body.box[0], body.box[2]) == pytest.approx((26.0 - 14.0, 700.0 - 26.0 + 14.0), abs=0.1)
    planes = [s.box for s in found.of("rect", fill=look.t.copper_edge)]
    assert len(planes) == piece.lane.plane_below + piece.lane.plane_above
    for plane in planes:
        assert (plane[0], plane[2]) == pytest.approx((body.box[0], body.box[2]), abs=0.1)
        assert plane[3] - plane[1] == pytest.approx(3.0, abs=0.1)
    assert max(p[1] for p in planes) == pytest.approx(body.box[3], abs=0.1)
    copper = found.of("polygon", fill=look.t.copper) or found.of("path", fill=look.t.copper)
    lanes = [k for k in range(len(lefts)) if k not in piece.guards]
    assert len(copper) == len(lanes)
    for k, one in zip(lanes, copper, strict=True):
        assert one.box[0] == pytest.approx(26.0 + scale * lefts[k], abs=0.1)
        assert one.box[2] == pytest.approx(26.0 + scale * rights[k], abs=0.1)
    # Names stand above their lanes, distances between them, in order.
    names = [w for w in found.words if w.text in cross._names]
    assert [w.text for w in names] == list(cross._names)
    assert [w.x for w in names] == sorted(w.x for w in names)
    told = [w.text for w in found.words if w.text not in cross._names]
    assert "".join(told).replace(" ", "") == "".join(
        format_si(a, "length") for a in cross._apart
    ).replace(" ", "")
    # The build is as thick as its slabs, copper on the lower ones.
    (body,) = found.of("rect", fill=look.t.dielectric_low)
    below, above = (sum(s.thickness for s in x) for x in (piece.lane.below, piece.lane.above))
    base = max(p for _, p in copper[0].points)
    whole = body.box[3] - body.box[1]
    share = below / (below + above + piece.lane.trace.thickness)
    assert (body.box[3] - base) / whole == pytest.approx(share, abs=0.01)
    planes = found.of("rect", fill=look.t.copper_edge)
    asked = [piece.lane.plane_below, piece.lane.plane_above]
    assert len(planes) == sum(map(bool, asked))
    assert (planes[0].box[1] == pytest.approx(body.box[3], abs=0.1)) == bool(asked[0])


def test_guards_are_no_lanes(cross: CrossView, piece: PieceInputs, look: Look) -> None:
    count = len(piece.section.trace.across)
    cross.show_piece(replace(piece, guards=(0, count - 1)), cross._names, cross._apart)
    found = drawn(cross)
    of = {
        c: found.of("polygon", fill=c) or found.of("path", fill=c)
        for c in (look.t.copper, look.t.unknown)
    }
    assert (len(of[look.t.copper]), len(of[look.t.unknown])) == (count - 2, 2)
    assert next(s.box[0] for s in of[look.t.unknown]) == pytest.approx(26.0, abs=0.1)
    # Lanes that do not see each other have no distances.
    cross.show_piece(piece, cross._names, ())
    assert drawn(cross).word("Here").text == "Here the lanes do not see each other."


def lane_middles(cross: CrossView, look: Look) -> list[float]:
    found = drawn(cross)
    copper = found.of("polygon", fill=look.t.copper) or found.of("path", fill=look.t.copper)
    per = len(copper) // len(cross._names)
    return [
        0.5 * (copper[k].box[0] + copper[k + per - 1].box[2])
        for k in range(0, len(copper), per)
    ]  # fmt: skip


def test_a_lane_is_dragged_by_as_much_as_the_mouse(cross: CrossView, look: Look) -> None:
    told: list[tuple[int, float]] = []
    steps: list[str] = []
    chosen: list[int] = []
    cross.spacing_dragged.connect(lambda *a: told.append(a))
    cross.drag_began.connect(lambda: steps.append("began"))
    cross.drag_ended.connect(lambda: steps.append("ended"))
    cross.gap_chosen.connect(chosen.append)
    middles = lane_middles(cross, look)
    start = QPoint(round(middles[2]), 80).toPointF()
    drag(cross, start, start + QPoint(30, 0).toPointF())
    assert steps == ["began", "ended"]
    assert (chosen, cross.gap) == ([1], 1)
    scale = cross._scale
    assert told[-1] == (1, pytest.approx(250e-6 + 30 / scale, rel=1e-6))
    # With Shift all distances grow alike, so that the lane still follows the mouse.
    QTest.mousePress(cross, LEFT, SHIFT, start.toPoint())
    QTest.mouseMove(cross, start.toPoint() + QPoint(30, 0))
    QTest.mouseRelease(cross, LEFT, SHIFT, start.toPoint() + QPoint(30, 0))
    assert told[-1] == (-1, pytest.approx(250e-6 + 15 / scale, rel=1e-6))
    # No distance is less than a micrometre, and the first lane stays where it is.
    drag(cross, start, start - QPoint(690, 0).toPointF())
    assert told[-1] == (1, 1e-6)
    count = len(told)
    drag(cross, QPoint(round(middles[0]), 80).toPointF(), QPoint(300, 80).toPointF())
    assert len(told) == count


def test_what_can_be_dragged_lights_up(cross: CrossView, look: Look) -> None:
    middles = lane_middles(cross, look)
    cross.gap = 0
    lit = list(drawn(cross).of("polyline", stroke=look.t.sea))
    assert len(lit) == 3
    move_to(cross, middles[3], 60)
    assert cross.toolTip().startswith("Drag")
    assert cross.cursor().shape() == Qt.CursorShape.SizeHorCursor
    lit = list(drawn(cross).of("polyline", stroke=look.t.sea))
    assert len(lit) == 6
    # From lane to lane, across what is dragged.
    bars = [s.box for s in lit if s.box[0] != s.box[2]]
    assert middles[2] < bars[1][0] < bars[1][2] < middles[3]
    move_to(cross, middles[0], 60)
    assert (cross.toolTip(), cross.cursor().shape()) == ("", Qt.CursorShape.ArrowCursor)


def test_distances_are_chosen_and_changed_by_keys(cross: CrossView) -> None:
    told: list[tuple[int, float]] = []
    cross.spacing_dragged.connect(lambda *a: told.append(a))
    QTest.keyClick(cross, Qt.Key.Key_Left)
    assert cross.gap == 0
    QTest.keyClick(cross, Qt.Key.Key_Right)
    QTest.keyClick(cross, Qt.Key.Key_Plus)
    QTest.keyClick(cross, Qt.Key.Key_Minus)
    QTest.keyClick(cross, Qt.Key.Key_Minus, CTRL)
    assert told == [
        (1, pytest.approx(250e-6 * 1.02)),
        (1, pytest.approx(250e-6 / 1.02)),
        (-1, pytest.approx(250e-6 / 1.02)),
    ]
    for _ in range(9):
        QTest.keyClick(cross, Qt.Key.Key_Right)
    assert cross.gap == len(cross._apart) - 1


# -- the lanes -----------------------------------------------------------------------


@pytest.fixture
def lanes(qtbot: QtBot, look: Look, group: LaneGroup) -> LanesView:
    view = shown(qtbot, LanesView(look), 900, 260)
    notes = {group.lanes[0].id: ("3 mV", State.FAILS), group.lanes[1].id: ("1 mV", State.HOLDS)}
    view.show_group(group, group.pieces[1].id, group.lanes[0].id, notes)
    return view


def test_pieces_take_their_share_of_the_way(lanes: LanesView, group: LaneGroup, look: Look) -> None:
    found = drawn(lanes)
    (lit,) = found.of("rect", fill=look.t.sea_tint)
    room, whole = 900 - 142.0 - 92.0, sum(p.length.si for p in group.pieces)
    first, second = (p.length.si / whole * room for p in group.pieces[:2])
    assert lit.box[0] == pytest.approx(142.0 + first, abs=0.1)
    assert lit.box[2] - lit.box[0] == pytest.approx(second, abs=0.1)
    ways = [s for s in found.of("polyline") if len(s.points) == 2 + 2 * len(group.pieces)]
    assert len(ways) == len(group.lanes)
    # The one that is looked at has a colour of its own.
    assert [w.stroke == look.t.sea.lower() for w in ways] == [
        True, *(False for _ in group.lanes[1:]),
    ]  # fmt: skip
    for way in ways:
        assert (way.box[0], way.box[2]) == pytest.approx((142.0, 808.0))
    # Where pieces are coupled lanes lie closer.
    at = {p.id: 1 + 2 * k for k, p in enumerate(group.pieces)}
    tall = {p.id: ways[-1].points[at[p.id]][1] - ways[0].points[at[p.id]][1] for p in group.pieces}
    apart = ways[-1].points[0][1] - ways[0].points[0][1]
    for p in group.pieces:
        assert tall[p.id] == pytest.approx((0.62 if p.coupled else 1.0) * apart, rel=1e-3)
    # They bend at the ends of a piece, by a third of a short one at most.
    start = 142.0
    for p in group.pieces:
        end = start + p.length.si / whole * room
        bend = min(14.0, 0.3 * (end - start))
        x = ways[0].points[at[p.id] : at[p.id] + 2, 0]
        assert x == pytest.approx([start + bend, end - bend], abs=0.1)
        start = end


@pytest.mark.usefixtures("in_inches")
def test_pieces_say_their_length_in_the_unit_chosen(lanes: LanesView, group: LaneGroup) -> None:
    said = drawn(lanes).said
    for piece in group.pieces:
        assert as_shown(piece.length, "length") in said
        assert piece.length.text not in said
    assert f"{group.pieces[1].length.si / 25.4e-3:.4g} in" in said


def test_what_is_heard_stands_at_the_end_that_hears(lanes: LanesView, group: LaneGroup) -> None:
    found = drawn(lanes)
    # Rightward the receiver is at the right end, leftward at the left one.
    assert found.word("3 mV").x > 808
    assert found.word("1 mV").x < 142
    names = [found.word(x.name) for x in group.lanes]
    assert found.word("3 mV").y == pytest.approx(names[0].y, abs=2)
    assert found.word("1 mV").y == pytest.approx(names[1].y, abs=2)
    assert found.word("3 mV").x == pytest.approx(828.0, abs=1.0)
    # How it stands is drawn between the lane and the words, in the lane's height.
    middles = [0.5 * (s.points.min(axis=0) + s.points.max(axis=0)) for s in found.shapes]
    for x, name in ((818.0, names[0]), (132.0, names[1])):
        near = [m for m in middles if abs(m[0] - x) < 1.0 and abs(m[1] - name.y) < 8.0]
        assert near, (x, name)
    # Words too long for the room behind the lanes end within it.
    lanes.show_group(
        group, group.pieces[1].id, group.lanes[0].id, {group.lanes[0].id: ("3 mV " * 9, None)}
    )
    cut = drawn(lanes).word("3 mV")
    wide = QFontMetricsF(lanes._look.font(11)).horizontalAdvance(cut.text)
    assert cut.text.endswith("…")
    assert 48.0 < wide <= 900.0 - 828.0
    arrows = [s for s in found.shapes if s.kind in ("polygon", "path") and len(s.points) in (3, 4)]
    tips = [
        np.sign(s.points[1][0] - s.points[0][0])
        for s in arrows
        if abs(s.points[1][0] - s.points[0][0]) == pytest.approx(10.0)
    ]
    assert tips[:6] == [1, 1, 1, -1, -1, -1]


def test_lanes_and_pieces_are_chosen_turned_and_pulled(lanes: LanesView, group: LaneGroup) -> None:
    told: list[tuple[object, ...]] = []
    lanes.lane_chosen.connect(lambda x: told.append(("lane", x)))
    lanes.piece_chosen.connect(lambda x: told.append(("piece", x)))
    lanes.lane_turned.connect(lambda x: told.append(("turned", x)))
    lanes.length_dragged.connect(lambda *x: told.append(("length", *x)))
    lanes.drag_began.connect(lambda: told.append(("began",)))
    lanes.drag_ended.connect(lambda: told.append(("ended",)))
    names = {w.text: w.y for w in drawn(lanes).words}
    y = names[group.lanes[2].name] - 4
    spans = lanes._spans()
    middle = 0.5 * (spans[1].start + spans[1].end)
    QTest.mouseClick(lanes, LEFT, NO, QPoint(round(middle), round(y)))
    assert told == [("piece", group.pieces[1].id), ("lane", group.lanes[2].id)]
    told.clear()
    QTest.mouseDClick(lanes, LEFT, NO, QPoint(round(middle), round(y)))
    assert told[-1] == ("turned", group.lanes[2].id)
    told.clear()
    # The right end of a piece is pulled; the others keep their places.
    start = QPoint(round(spans[0].end), 100).toPointF()
    drag(lanes, start, start + QPoint(40, 0).toPointF())
    width = spans[0].end - spans[0].start
    assert told[:2] == [("piece", group.pieces[0].id), ("began",)]
    assert told[-2] == (
        "length",
        group.pieces[0].id,
        pytest.approx(1.0 + 40 / width, abs=2 / width),
    )
    assert told[-1] == ("ended",)
    move_to(lanes, spans[0].end + 2, 100)
    assert lanes.cursor().shape() == Qt.CursorShape.SizeHorCursor
    move_to(lanes, middle, 100)
    assert lanes.cursor().shape() == Qt.CursorShape.ArrowCursor


def test_lanes_are_reached_by_keys(lanes: LanesView, group: LaneGroup) -> None:
    told: list[str] = []
    for signal in (lanes.lane_chosen, lanes.piece_chosen, lanes.lane_turned):
        signal.connect(told.append)
    for key in (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_R):
        QTest.keyClick(lanes, key)
    last = group.pieces[min(2, len(group.pieces) - 1)]
    assert told == [
        group.lanes[0].id, group.lanes[1].id, group.pieces[0].id, last.id, group.lanes[0].id,
    ]  # fmt: skip


# -- who disturbs whom ---------------------------------------------------------------------


@pytest.fixture
def result(project: Project, runner: StudyRunner) -> GroupResult:
    return runner.result(GROUP, group_inputs(project.design, project.design.group(NAME)))


@pytest.fixture
def matrix(qtbot: QtBot, look: Look, result: GroupResult) -> MatrixView:
    view = shown(qtbot, MatrixView(look), 520, 460)
    view.show_result(result, result.ids[1])
    return view


def cell_of(matrix: MatrixView, row: int, column: int) -> QPoint:
    cell = matrix._cell()
    return QPoint(round(52 + (column + 0.5) * cell), round(22 + (row + 0.5) * cell))


def test_every_cell_has_its_noise_in_its_corner(
    matrix: MatrixView, result: GroupResult, look: Look
) -> None:
    found, cell = drawn(matrix), matrix._cell()
    n = len(result.ids)
    # Names stand beside their rows and above their columns, or numbers where those are too long.
    at = [(w.x, w.y) for w in found.words if w.x < 52]
    rows = dict(zip([w.text for w in found.words if w.x < 52], at, strict=True))
    above = {w.text: w.x for w in found.words if w.y < 22 and w.x >= 52}
    for k, name in enumerate(result.lanes):
        assert 22 + k * cell < rows[name][1] < 22 + (k + 1) * cell
        x = above.get(name, above.get(str(k + 1)))
        assert x is not None
        assert 52 + k * cell <= x < 52 + (k + 1) * cell
    assert found.word("Rows hear columns").y > 22 + n * cell
    loudest = max(max(x.by_lane) for x in result.noise)
    number, _ = split_si(loudest, "voltage")
    unit = loudest / float(number)
    for v, a in itertools.product(range(n), range(n)):
        left, top = 52 + a * cell, 22 + v * cell
        inside = [
            s
            for s in found.shapes
            if s.kind in ("polygon", "path") and len(s.points) in (3, 4) and s.fill
            and left - 0.1 <= s.box[0] and s.box[2] <= left + cell + 0.1
            and top - 0.1 <= s.box[1] and s.box[3] <= top + cell + 0.1
        ]  # fmt: skip
        numbers = [
            w.text for w in found.words
            if left < w.x < left + cell and top < w.y < top + cell
        ]  # fmt: skip
        if v == a:
            assert not inside
            assert not numbers
            continue
        heard = result.noise[v].by_lane[a]
        assert numbers == [f"{heard / unit:.2f}" if heard / unit >= 0.005 else "<0.01"]
        share = min(max(1.0 + 20 * np.log10(heard / loudest) / 60.0, 0.0), 1.0)
        (half,) = inside
        assert half.fill == blend(look.t.sheet, look.t.sea, share)
        # The upper left half is the near end.
        corner = half.points.mean(axis=0) - [left + 0.5 * cell, top + 0.5 * cell]
        assert (corner.sum() < 0.0) == bool(result.near[v, a])


def test_the_row_of_the_lane_that_is_looked_at_is_framed(
    matrix: MatrixView, result: GroupResult, look: Look
) -> None:
    cell = matrix._cell()
    for row in (1, 0, len(result.ids) - 1):
        matrix.show_result(result, result.ids[row])
        frames = [s.box for s in drawn(matrix).of("rect", stroke=look.t.sea) if s.width == 1.4]
        # All that it hears, without itself.
        assert len(frames) == len(result.ids) - 1
        assert {round((b[1] - 22.7) / cell, 2) for b in frames} == {float(row)}
        columns = sorted(round((b[0] - 52.7) / cell) for b in frames)
        assert columns == [k for k in range(len(result.ids)) if k != row]


def test_cells_fit_the_narrower_side(matrix: MatrixView, result: GroupResult, look: Look) -> None:
    n = len(result.ids)
    for width, height, cell in ((260, 460, (260 - 56) / n), (520, 160, (160 - 40) / n)):
        matrix.resize(width, height)
        QApplication.processEvents()
        assert matrix._cell() == pytest.approx(cell)
        boxes = [s.box for s in drawn(matrix).of("rect", stroke=look.t.hairline)]
        assert max(b[2] for b in boxes) == pytest.approx(52.0 + n * cell, abs=0.1)
        assert max(b[3] for b in boxes) == pytest.approx(22.0 + n * cell, abs=0.1)
        assert max(b[2] for b in boxes) < width


def test_the_mouse_and_keys_look_at_receivers(matrix: MatrixView, result: GroupResult) -> None:
    chosen: list[str] = []
    matrix.lane_chosen.connect(chosen.append)
    move_to(matrix, cell_of(matrix, 2, 1).x(), cell_of(matrix, 2, 1).y())
    number, unit = split_si(result.noise[2].by_lane[1], "voltage")
    end = "near end" if result.near[2, 1] else "far end"
    assert (
        matrix.toolTip() == f"{result.lanes[2]} hears {number} {unit} of {result.lanes[1]}, {end}"
    )
    assert matrix.toolTip() in matrix.told()
    move_to(matrix, cell_of(matrix, 2, 2).x(), cell_of(matrix, 2, 2).y())
    assert matrix.toolTip() == ""
    QTest.mouseClick(matrix, LEFT, NO, cell_of(matrix, 3, 0))
    QTest.keyClick(matrix, Qt.Key.Key_Up)
    QTest.keyClick(matrix, Qt.Key.Key_Down)
    assert chosen == [result.ids[3], result.ids[0], result.ids[2]]
    matrix.show_result(None, "")
    assert matrix.told() == []
    assert drawn(matrix).words == ()
