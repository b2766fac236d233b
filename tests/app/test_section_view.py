"""The cross-section as it is drawn and as it is taken hold of, on sections made by hand."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from onda.app.stages.lines.section_view import Dimension, Drawing, SectionView
from onda.app.theme import Look
from onda.engine.section.structures import Slab, TraceShape, trace_section
from tests.painted import Drawn, drawn, put
from tests.shapes import UM

LEFT = Qt.MouseButton.LeftButton
BELOW, ABOVE = Slab(100 * UM, 3.64, "core"), Slab(150 * UM, 4.42, "prepreg")


def drawing(trace: TraceShape, *, between: bool = False, turned: bool = False) -> Drawing:
    """A trace over a plane, or between two."""
    more = {"above": (ABOVE,), "beside": ABOVE, "plane_above": True} if between else {}
    section = trace_section(trace, below=(BELOW,), **more)
    dimensions = [
        Dimension("width", "120 µm", "Width of the trace", True),
        Dimension("thickness", "35 µm", "Copper thickness"),
        Dimension(f"slab:{section.layers[0].y0:.9f}", "100 µm", "Thickness of D1"),
    ]
    if trace.gap is not None:
        dimensions.insert(1, Dimension("gap", "90 µm", "Gap of the pair", True))
    names = {"core": "Low-loss core", "prepreg": "Low-loss prepreg"}
    planes = ("L2", "L4") if between else ("L2",)
    return Drawing(section, trace, names, tuple(dimensions), planes, turned)


@pytest.fixture
def view(qtbot: QtBot, look: Look) -> SectionView:
    made = SectionView(look)
    put(qtbot, made, 900, 360)
    return made


def shown(view: SectionView, what: Drawing) -> Drawn:
    view.show_drawing(what, [])
    return drawn(view)


ONE = TraceShape(120 * UM, 35 * UM, 10 * UM)
PAIR = TraceShape(120 * UM, 35 * UM, 10 * UM, gap=90 * UM)
THREE = TraceShape(120 * UM, 35 * UM, 10 * UM, gap=90 * UM, count=3)


def handles(view: SectionView) -> list[tuple[float, str, float]]:
    """Places in micrometres from the middle, what they set and how far they go with it."""
    scale, x0, _ = view._fit()
    return sorted((round((c.x() - x0) / scale / UM, 3), what, s) for c, what, s in view._handles)


@pytest.mark.parametrize(
    ("trace", "wanted"),
    [
        (ONE, [(-60.0, "width", -0.5), (60.0, "width", 0.5)]),
        (PAIR, [(-165.0, "width", -1.0), (-45.0, "gap", -0.5), (45.0, "gap", 0.5),
                (165.0, "width", 1.0)]),
        (THREE, [(-270.0, "width", -1.5), (-150.0, "gap", -1.0), (150.0, "gap", 1.0),
                 (270.0, "width", 1.5)]),
    ],
)  # fmt: skip
def test_handles_stand_on_outer_edges_and_on_those_of_the_middle_gap(
    view: SectionView, trace: TraceShape, wanted: list[tuple[float, str, float]]
) -> None:
    shown(view, drawing(trace))
    assert handles(view) == [(pytest.approx(x, abs=0.01), what, s) for x, what, s in wanted]
    # They stand at the wide face: below, or above where the trace is turned over.
    *_, y0 = view._fit()
    base = [c.y() for c, _, _ in view._handles]
    low = min(y for _, y in view._drawing.section.conductors[0].polygon)
    assert base == pytest.approx([y0 - low * view._fit()[0]] * len(base))


def test_handles_of_a_trace_that_is_turned_over_stand_above(view: SectionView) -> None:
    up = TraceShape(120 * UM, 35 * UM, 10 * UM, base_up=True)
    shown(view, drawing(up, between=True))
    scale, _, y0 = view._fit()
    high = max(y for _, y in view._drawing.section.conductors[0].polygon)
    assert [c.y() for c, _, _ in view._handles] == pytest.approx([y0 - high * scale] * 2)


@pytest.mark.parametrize(("trace", "share"), [(ONE, 0.5), (PAIR, 1.0), (THREE, 1.5)])
def test_an_edge_that_is_dragged_sets_the_width_in_whole_micrometres(
    view: SectionView, trace: TraceShape, share: float
) -> None:
    shown(view, drawing(trace))
    scale = view._fit()[0]
    seen: list[tuple[str, float]] = []
    ends: list[str] = []
    view.edge_dragged.connect(lambda what, metres: seen.append((what, metres)))
    view.drag_began.connect(lambda: ends.append("began"))
    view.drag_ended.connect(lambda: ends.append("ended"))
    centre = max((c for c, what, _ in view._handles if what == "width"), key=lambda c: c.x())
    at = centre.toPoint()
    QTest.mousePress(view, LEFT, pos=at)
    QTest.mouseMove(view, at + QPoint(31, 0))
    QTest.mouseRelease(view, LEFT, pos=at + QPoint(31, 0))
    assert ends == ["began", "ended"]
    what, metres = seen[-1]
    assert what == "width"
    exact = 120.0 + 31.0 / scale / share / UM
    assert metres / UM == pytest.approx(round(exact), abs=1e-6)


def test_a_gap_is_dragged_from_its_own_value(view: SectionView) -> None:
    shown(view, drawing(THREE))
    scale = view._fit()[0]
    seen: list[tuple[str, float]] = []
    view.edge_dragged.connect(lambda what, metres: seen.append((what, metres)))
    centre = max((c for c, what, _ in view._handles if what == "gap"), key=lambda c: c.x())
    at = centre.toPoint()
    QTest.mousePress(view, LEFT, pos=at)
    QTest.mouseMove(view, at + QPoint(12, 0))
    QTest.mouseRelease(view, LEFT, pos=at + QPoint(12, 0))
    exact = 90.0 + 12.0 / scale / UM
    assert seen[-1] == ("gap", pytest.approx(round(exact) * UM, abs=1e-12))


def test_planes_have_their_names_beyond_the_dielectric(view: SectionView, look: Look) -> None:
    """Copper of a plane lies outside: below the lower one's line, above the upper one's."""
    found = shown(view, drawing(ONE, between=True))
    section = view._drawing.section
    low, high = (view._to_pixels(0, y).y() for y in section.planes)
    strips = [s.box for s in found.of("rect", fill=look.t.copper) if s.box[2] - s.box[0] > 800]
    assert sorted((top, bottom) for _, top, _, bottom in strips) == [
        (pytest.approx(high - 20, abs=0.5), pytest.approx(high, abs=0.5)),
        (pytest.approx(low, abs=0.5), pytest.approx(low + 20, abs=0.5)),
    ]
    assert low < found.word("L2 plane").y < low + 20
    assert high - 20 < found.word("L4 plane").y < high
    # Between two planes there is no room for a hint, and no need of one.
    assert "drag an edge, or type on it" not in found.texts


def test_over_one_plane_it_says_what_can_be_done_or_that_it_is_turned(view: SectionView) -> None:
    assert "drag an edge, or type on it" in shown(view, drawing(ONE)).texts
    turned = shown(view, drawing(ONE, turned=True))
    assert "turned over: outside is up" in turned.texts


def test_slabs_are_named_with_their_dk_and_coloured_by_it(view: SectionView, look: Look) -> None:
    found = shown(view, drawing(ONE, between=True))
    assert "Low-loss core · Dk 3.64" in found.texts
    assert "Low-loss prepreg · Dk 4.42" in found.texts
    low, high = QColor(look.t.dielectric_low), QColor(look.t.dielectric_high)

    def mixed(er: float) -> str:
        k = (er - 3.0) / 1.6
        return QColor(*(
            round(a + k * (b - a)) for a, b in zip(low.getRgb()[:3], high.getRgb()[:3], strict=True)
        )).name()  # fmt: skip

    for slab, er in ((BELOW, 3.64), (ABOVE, 4.42)):
        tall = slab.thickness * view._fit()[0]
        assert any(
            s.box[3] - s.box[1] == pytest.approx(tall, abs=1.0)
            for s in found.of("rect", fill=mixed(er))
        )


def test_what_was_kept_lies_as_dashes_where_it_was(view: SectionView, look: Look) -> None:
    before = drawing(TraceShape(200 * UM, 35 * UM, 10 * UM)).section
    view.show_drawing(drawing(ONE), [before])
    (outline,) = [s for s in drawn(view).of("polygon", stroke=look.t.kept) if s.dash != "none"]
    left, _, right, _ = outline.box
    assert (right - left) / view._fit()[0] == pytest.approx(200 * UM, rel=1e-3)
    copper = drawn(view).of("polygon", fill=look.t.copper)
    assert len(copper) == 1


def test_arrows_step_through_the_dimensions_and_enter_types_on_one(
    view: SectionView, look: Look
) -> None:
    shown(view, drawing(PAIR))
    view.setFocus()
    typed: list[tuple[str, str]] = []
    view.typed.connect(lambda key, words: typed.append((key, words)))

    def framed() -> list[str]:
        return [
            key for key, rect in view._pills.items()
            if any(
                abs(s.box[0] - rect.left()) < 2 and abs(s.box[1] - rect.top()) < 2
                for s in found.shapes if s.stroke == look.t.ink.lower() and s.width == 2.0
            )
        ]  # fmt: skip

    found = drawn(view)
    assert framed() == ["width"]
    QTest.keyClick(view, Qt.Key.Key_Right)
    found = drawn(view)
    assert framed() == ["gap"]
    QTest.keyClick(view, Qt.Key.Key_Left)
    QTest.keyClick(view, Qt.Key.Key_Left)
    found = drawn(view)
    (last,) = framed()
    assert last.startswith("slab:")
    QTest.keyClick(view, Qt.Key.Key_Return)
    assert view._editor.isVisible()
    assert (view._editor.text(), view._editor.accessibleName()) == ("100 µm", "Thickness of D1")
    view._editor.setText("110 um")
    QTest.keyClick(view._editor, Qt.Key.Key_Return)
    assert typed == [(last, "110 um")]


def test_the_pointer_tells_what_can_be_done_where_it_is(view: SectionView) -> None:
    shown(view, drawing(ONE))
    shape = Qt.CursorShape
    edge = view._handles[0][0]
    for at, wanted in (
        (view._pills["width"].center(), shape.IBeamCursor),
        (edge, shape.SizeHorCursor),
        (QPointF(4.0, 4.0), shape.ArrowCursor),
        (view._pills["thickness"].center(), shape.IBeamCursor),
    ):
        QTest.mouseMove(view, at.toPoint())
        assert view.cursor().shape() == wanted


def test_a_pill_that_is_clicked_is_typed_on(view: SectionView) -> None:
    shown(view, drawing(PAIR))
    QTest.mouseClick(view, LEFT, pos=view._pills["gap"].center().toPoint())
    assert (view._editor.text(), view._editor.accessibleName()) == ("90 µm", "Gap of the pair")
    assert view._handle_at(QPointF(5.0, 5.0)) is None


def test_signs_stand_on_the_legs_of_a_pair_and_on_nothing_else(view: SectionView) -> None:
    view.resize(900, 620)
    tall = TraceShape(120 * UM, 70 * UM, 10 * UM, gap=90 * UM)
    found = shown(view, drawing(tall))
    plus, minus = (view._to_pixels(x * UM, 0).x() for x in (-105.0, 105.0))
    assert found.word("+").x < plus < found.word("+").x + 20
    assert found.word("−").x < minus < found.word("−").x + 20
    alone = shown(view, drawing(TraceShape(120 * UM, 70 * UM, 10 * UM)))
    assert not {"+", "−", "S"} & set(alone.texts)


def test_field_lines_lie_where_they_were_traced(view: SectionView) -> None:
    view.show_drawing(drawing(ONE), [])
    line = np.array([[0.0, 100 * UM], [20 * UM, 60 * UM], [30 * UM, 0.0]])
    view.show_field((line,))
    wanted = [(p.x(), p.y()) for p in (view._to_pixels(float(x), float(y)) for x, y in line)]
    lines = [s.points for s in drawn(view).of("polyline") if len(s.points) == 3]
    assert any(np.abs(points - np.array(wanted)).max() < 0.2 for points in lines)
    # While charge is looked at there are none.
    view.show_picture(None, "charge")
    assert not [s for s in drawn(view).of("polyline") if len(s.points) == 3]
