"""The stages Lines, Eyes and Stackup driven as their user does."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from onda.app.shell.window import MainWindow
from onda.app.stages.eyes.stage import EyesStage
from onda.app.stages.lines.stage import LinesStage
from onda.app.stages.stackup.stage import StackupStage
from onda.project.kind import Ref
from onda.project.model import Project
from onda.studies.core.margin import State
from tests.app.conftest import MakeWindow, drag, type_into


@pytest.fixture
def lines(make_window: MakeWindow, of_lines: Project) -> tuple[MainWindow, LinesStage]:
    window = make_window(of_lines, stage="lines")
    stage = window.stages["lines"]
    assert isinstance(stage, LinesStage)
    stage.view.repaint()
    return window, stage


@pytest.fixture
def eyes(make_window: MakeWindow) -> tuple[MainWindow, EyesStage]:
    window = make_window(stage="eyes")
    stage = window.stages["eyes"]
    assert isinstance(stage, EyesStage)
    return window, stage


@pytest.fixture
def stackup(make_window: MakeWindow, of_lines: Project) -> tuple[MainWindow, StackupStage]:
    window = make_window(of_lines, stage="stackup")
    stage = window.stages["stackup"]
    assert isinstance(stage, StackupStage)
    return window, stage


def width(window: MainWindow, layer: str = "L1") -> float:
    trace = window.document.project.design.line_class("converter-pairs").trace_on(layer)
    assert trace is not None
    return trace.width.si


def handle(stage: LinesStage, what: str, right: bool = True) -> QPointF:
    found = [h for h in stage.view._handles if h[1] == what]
    return max(found, key=lambda h: h[0].x() if right else -h[0].x())[0]


def test_dragging_an_edge_changes_width_and_impedance(lines) -> None:
    window, stage = lines
    before = stage.subject.results["L1"].z
    shown: list[float] = []
    stage.margins_changed.connect(
        lambda: shown.append(stage.subject.results["L1"].z if "L1" in stage.subject.results else 0)
    )
    start = handle(stage, "width")
    scale = stage.view._fit()[0]
    drag(stage.view, start, start + QPointF(20e-6 * scale, 0), steps=6)
    assert window.settle()
    assert width(window) == pytest.approx(144e-6, abs=2e-6)
    assert stage.subject.results["L1"].z < before - 3.0
    assert shown
    assert window.document.stack.count() == 1
    window.undo()
    assert window.settle()
    assert width(window) == 124e-6
    assert stage.subject.results["L1"].z == pytest.approx(before)


def test_dragging_an_inner_edge_changes_the_gap(lines) -> None:
    window, stage = lines
    start = handle(stage, "gap")
    scale = stage.view._fit()[0]
    drag(stage.view, start, start + QPointF(25e-6 * scale, 0))
    assert window.settle()
    trace = window.document.project.design.line_class("converter-pairs").on[0]
    assert trace.gap is not None
    assert trace.gap.si == pytest.approx(200e-6, abs=4e-6)
    assert width(window) == 124e-6


def test_an_edge_cannot_be_dragged_through_itself(lines) -> None:
    window, stage = lines
    start = handle(stage, "width")
    drag(stage.view, start, start - QPointF(600, 0), steps=12)
    assert window.settle()
    assert width(window) > 24e-6
    assert "width" in stage.surface.problem.text() or width(window) < 124e-6


def test_fit_width_to_target(lines) -> None:
    window, stage = lines
    stage.panel.fit.button.click()
    assert window.settle()
    assert stage.subject.results["L1"].z == pytest.approx(100.0, abs=0.3)
    assert stage.panel.fit.note.text() == ""
    assert window.document.stack.undoText() == "Change width on L1"


def test_target_out_of_reach_names_the_nearest(lines) -> None:
    window, stage = lines
    field = next(f for f in stage.form.fields if f.edit.accessibleName() == "Target")
    type_into(field.edit, "300 ohm")
    assert window.settle()
    stage.panel.fit.button.click()
    assert window.settle()
    assert "nearest" in stage.panel.fit.note.text()
    assert width(window) == 124e-6


@pytest.mark.parametrize(
    ("key", "typed", "check"),
    [
        ("width", "140", lambda w: width(w) == pytest.approx(140e-6)),
        ("width", "5.5 mil", lambda w: width(w) == pytest.approx(139.7e-6)),
        (
            "gap",
            "0.2mm",
            lambda w: w.document.project.design.line_classes[0].on[0].gap.si == pytest.approx(2e-4),
        ),
        (
            "thickness",
            "1.5oz",
            lambda w: w.document.project.design.stackup.copper[0].thickness.text == "1.5oz",
        ),
    ],
)
def test_dimensions_are_typed_on_the_drawing(lines, key, typed, check) -> None:
    window, stage = lines
    pill = stage.view._pills[key]
    QTest.mouseClick(stage.view, Qt.MouseButton.LeftButton, pos=pill.center().toPoint())
    assert stage.view._editor.isVisible()
    type_into(stage.view._editor, typed)
    assert window.settle()
    assert check(window)
    assert stage.surface.problem.text() == ""


def test_slab_thickness_is_typed_on_the_drawing_and_moves_the_stackup(lines) -> None:
    window, stage = lines
    key = next(k for k in stage.view._pills if k.startswith("slab"))
    stage.view.edit_dimension(key)
    type_into(stage.view._editor, "120")
    assert window.settle()
    layer = next(x for x in window.document.project.design.stackup.layers if x.id == "D12")
    assert layer.thickness.text == "120 um"
    assert stage.subject.results["L1"].z > 104


@pytest.mark.parametrize("typed", ["", "wide", "0", "-5", "20 um", "2 m", "7 ohm"])
def test_impossible_widths_are_refused_on_the_drawing(lines, typed: str) -> None:
    window, stage = lines
    stage.view.edit_dimension("width")
    type_into(stage.view._editor, typed)
    assert window.settle()
    assert stage.surface.problem.text()
    assert width(window) == 124e-6
    assert not window.document.stack.canUndo()


def test_layers_of_a_class_are_a_click_apart(lines) -> None:
    window, stage = lines
    assert [r.id for r in window.listing.parts.rows] == ["L1", "L3", "L6", "L8"]
    window.listing.parts.chosen.emit("L3")
    assert window.settle()
    assert stage.surface.title.text() == "Converter pairs on L3"
    assert "between planes" in stage.surface.remark.text()
    stage.view.repaint()
    assert len([k for k in stage.view._pills if k.startswith("slab")]) == 2
    window.listing.parts.chosen.emit("L8")
    assert window.settle()
    assert stage.subject.results["L8"].z == pytest.approx(stage.subject.results["L1"].z, rel=1e-4)


def test_section_can_be_worked_from_the_keyboard(lines) -> None:
    window, stage = lines
    stage.view.setFocus()
    QTest.keyClick(stage.view, Qt.Key.Key_Right)
    QTest.keyClick(stage.view, Qt.Key.Key_Return)
    assert stage.view._editor.accessibleName() == "Gap of the pair"
    type_into(stage.view._editor, "180 um")
    assert window.settle()
    assert window.document.project.design.line_classes[0].on[0].gap.text == "180 um"


def test_kept_line_is_compared(lines) -> None:
    window, stage = lines
    window.keep()
    type_into(stage.form.fields[0].edit, "150 um")
    assert window.settle()
    assert len(stage.view._kept) == 1
    assert window.strip._kept["z-converter-pairs-L1"] == pytest.approx([102.0], abs=0.2)
    assert stage.panel.numbers._rows[0][3] == "51.0"


def test_a_class_that_lost_its_planes_says_what_to_do(lines) -> None:
    window, stage = lines
    from onda.project.base import set_value
    from onda.project.edits import with_design

    project = window.document.project
    layers = tuple(
        set_value(x, role="signal") if x.id in ("L2", "L4", "L5", "L7") else x
        for x in project.design.stackup.layers
    )
    stackup = set_value(project.design.stackup, layers=layers)
    window.document.edit("No planes", with_design(project, stackup=stackup))
    assert window.settle()
    assert "turn a neighbouring copper layer into a plane" in stage.surface.problem.text()
    assert stage.panel.big.text() == "–"
    assert window.strip.margins[0].state is State.FAILS
    window.undo()
    assert window.settle()
    assert stage.surface.problem.text() == ""


def test_a_point_of_the_map_becomes_the_width_and_gap(lines) -> None:
    window, stage = lines
    assert stage.map.isVisible()
    assert not stage.by_width.isVisible()
    assert stage.map._map is not None
    assert stage.map._map.z.shape == (8, 8)
    window.keep()
    start, end = stage.map.place(124e-6, 150e-6), stage.map.place(150e-6, 230e-6)
    drag(stage.map, start, end)
    assert window.settle()
    trace = window.document.project.design.line_class("converter-pairs").on[0]
    assert trace.gap is not None
    assert (trace.width.si, trace.gap.si) == pytest.approx((150e-6, 230e-6), abs=2e-6)
    assert stage.subject.results["L1"].z == pytest.approx(
        stage.map.impedance_at(trace.width.si, trace.gap.si), rel=5e-3
    )
    assert stage.map._kept == [(124e-6, 150e-6)]
    assert window.document.stack.undoText().startswith("Change width, gap")
    window.undo()
    assert window.document.project.design.line_classes[0].on[0].width.si == 124e-6


def test_the_target_line_of_the_map_lies_where_the_target_is(lines) -> None:
    _, stage = lines
    level, found = stage.map._lines[0]
    assert level == 100.0
    result = stage.map._map
    assert result is not None
    line = max(found, key=len)
    for row, column in line[5:-5:7]:
        width = result.widths[0] + column / 89 * (result.widths[-1] - result.widths[0])
        gap = result.gaps[0] + row / 89 * (result.gaps[-1] - result.gaps[0])
        assert stage.map.impedance_at(width, gap) == pytest.approx(100.0, abs=0.7)


def test_a_single_line_has_its_curve_instead(lines) -> None:
    window, stage = lines
    window.selection.choose("clocks")
    assert window.settle()
    assert stage.by_width.isVisible()
    assert not stage.map.isVisible()
    curve = stage.by_width._curves[0]
    assert (curve.y[1:] < curve.y[:-1]).all()


def test_what_moves_the_impedance_most(lines) -> None:
    window, stage = lines
    described = stage.panel.spread.accessibleDescription()
    assert all(name in described for name in ("width", "height", "Dk", "copper", "mask"))
    assert "together ±" in stage.panel.spread_heading.remark.text()
    window.selection.go("stackup")
    assert window.settle()
    stackup = window.stages["stackup"]
    assert isinstance(stackup, StackupStage)
    before = stage.panel.spread._result
    type_into(stackup.panel.spread[0].edit, "25 um")
    assert window.document.project.design.stackup.spread.width.text == "25 um"
    type_into(stackup.panel.spread[1].edit, "thick")
    assert "not a ratio" in stackup.panel.spread[1].problem.text()
    window.selection.go("lines")
    assert window.settle()
    after = stage.panel.spread._result
    assert before is not None
    assert after is not None
    widths = [next(i.size for i in r.influences if i.name == "width") for r in (before, after)]
    assert widths[1] == pytest.approx(widths[0] * 25 / 12, rel=0.1)


# -- eyes --------------------------------------------------------


def test_the_eye_is_measured_over_100_000_bits(eyes) -> None:
    window, stage = eyes
    assert stage.result is not None
    assert stage.result.eye.bits == 100_000
    assert "100\u202f000 bits" in stage.surface.remark.text()
    assert [m.title for m in window.strip.margins] == [
        "Eye width",
        "Eye height",
        "Jitter, p-p",
        "Mask grows by",
        "Worst-case height",
    ]
    assert all(m.state is State.HOLDS for m in window.strip.margins)
    assert "width 0.89" in stage.bits_view.eye.accessibleDescription()


def test_rate_pattern_and_bits_change_the_eye(eyes) -> None:
    window, stage = eyes
    window.keep()
    type_into(stage.panel.bits.edit, "20 000")
    assert window.settle()
    assert stage.result is not None
    assert stage.result.eye.bits == 20_000
    before = stage.result.eye.height
    type_into(stage.panel.form.fields[0].edit, "25 Gb/s")
    assert window.settle()
    assert stage.result.eye.height < before
    assert stage.bits_view.kept_eye.isVisible()
    assert window.strip._kept["width-jl0"]
    stage.panel.choices.choose("Pattern", "7")
    assert window.settle()
    assert window.document.project.design.links[0].prbs == 7


@pytest.mark.parametrize(
    ("typed", "words"), [("many", "whole number"), ("10", "greater than"), ("1e5", "whole")]
)
def test_nonsense_bits_are_refused(eyes, typed: str, words: str) -> None:
    window, stage = eyes
    type_into(stage.panel.bits.edit, typed)
    assert words in stage.panel.bits.problem.text()
    assert window.document.project.design.links[0].bits == 100_000


def test_a_mask_too_large_is_hit(eyes) -> None:
    window, stage = eyes
    type_into(stage.panel.bits.edit, "5000")
    height = next(f for f in stage.panel.form.fields if f.edit.accessibleName() == "Mask height")
    type_into(height.edit, "400 mV")
    assert window.settle()
    assert stage.result is not None
    assert stage.result.mask_hits > 0
    mask = next(m for m in window.strip.margins if m.title == "Mask grows by")
    assert mask.state is State.FAILS
    flat = next(f for f in stage.panel.form.fields if f.edit.accessibleName() == "Mask flat")
    type_into(flat.edit, "0.9 UI")
    assert "flat <= width" in flat.problem.text()


# -- stackup -----------------------------------------------------


def test_layers_are_chosen_and_changed(stackup) -> None:
    window, stage = stackup
    rect = stage.view.layout_now().layer_rect("card", "D23")
    QTest.mouseClick(stage.view, Qt.MouseButton.LeftButton, pos=rect.center().toPoint())
    assert stage.panel.title.text() == "D23"
    type_into(stage.form.fields[0].edit, "6 mil")
    assert window.settle()
    layer = next(x for x in window.document.project.design.stackup.layers if x.id == "D23")
    assert layer.thickness.text == "6 mil"
    assert ("Symmetric", "no", "", "") in stage.panel.numbers._rows
    QTest.keyClick(stage.view, Qt.Key.Key_Down)
    assert stage.panel.title.text() == "L3"


def test_dk_and_df_are_those_of_the_material(stackup) -> None:
    window, stage = stackup
    window.selection.choose_element("D12")
    before = [m.value for m in window.standing.of(Ref("line", "clocks"))]
    type_into(stage.panel.dk.edit, "4.2")
    assert window.settle()
    assert window.document.project.design.material("prepreg").dk == 4.2
    after = [m.value for m in window.standing.of(Ref("line", "clocks"))]
    assert after[0] < before[0] - 2
    type_into(stage.panel.df.edit, "lossy")
    assert "not a number" in stage.panel.df.problem.text()
    type_into(stage.panel.dk.edit, "0.3")
    assert "greater than or equal to 1" in stage.panel.dk.problem.text()
    assert window.document.project.design.material("prepreg").dk == 4.2


def test_margins_of_all_classes_stand_with_the_least_first(stackup) -> None:
    window, stage = stackup
    title, margins, kept = stage.margins()
    assert (title, kept) == ("all classes", {})
    shares = [m.normalised for m in margins]
    assert shares == sorted(shares)
    # On the board they stand in another order.
    assert shares != [m.normalised for m in window.standing.margins]
    names = {c.id: c.name for c in window.document.project.design.line_classes}
    for m in margins:
        where = m.layer if m.measure == "impedance" else m.measure_title
        assert m.title.startswith(names[m.subject])
        assert str(where) in m.title


def test_via_spans_are_listed_by_name_with_their_layers(stackup) -> None:
    window, stage = stackup
    vias = window.document.project.design.stackup.vias
    title, rows, _ = stage.parts()
    assert title == "Via spans"
    assert [(r.title, r.value) for r in rows] == [(v.name, f"{v.top}–{v.bottom}") for v in vias]
    assert all(v.name != v.id for v in vias)
    window.listing.part_chosen.emit(rows[1].id)
    assert stage.subject.via == vias[1]
    assert stage.parts()[2] == rows[1].id


def test_a_plane_cannot_take_a_layer_that_carries_traces(stackup) -> None:
    window, stage = stackup
    window.selection.choose_element("L1")
    box = stage.panel.first.box
    box.setCurrentIndex(1)
    box.activated.emit(1)
    assert "is no signal layer" in stage.surface.problem.text()
    assert window.document.project.design.stackup.copper[0].role == "signal"
    window.selection.choose_element("L4")
    box.setCurrentIndex(0)
    box.activated.emit(0)
    assert window.settle()
    assert window.document.project.design.stackup.copper[3].role == "signal"


def test_a_cell_leads_to_its_line(stackup) -> None:
    window, stage = stackup
    rect = stage.view.layout_now().cell_rect("clocks", "L6")
    QTest.mouseClick(stage.view, Qt.MouseButton.LeftButton, pos=rect.center().toPoint())
    assert window.selection.stage == "lines"
    assert window.settle()
    assert window.stages["lines"].surface.title.text() == "Clocks on L6"
