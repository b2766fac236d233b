"""The build as it is drawn: layers in their zones, via spans, and a cell for every class there."""

from __future__ import annotations

import math
from collections.abc import Callable

import pytest
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from onda.app.stages.stackup.build_view import BuildView
from onda.app.stages.stackup.cells import Cell
from onda.app.theme import Look
from onda.project.build.stackup import CopperLayer
from onda.project.model import Design, Project
from onda.project.quantities import format_si
from onda.studies.build.remarks import layer_thickness, via_state
from onda.studies.core.margin import State
from tests.painted import Drawn, Shape, drawn, put

LEFT = Qt.MouseButton.LeftButton
CELLS = [
    Cell("L1", "clocks", "100 µm", 63.2, 60.0, 68.0, 25.0, State.HOLDS),
    Cell("L6", "clocks", "80 µm", 55.1, 60.0, 68.0, 40.0, State.FAILS),
    Cell("L3", "memory", "122 µm", math.nan, 45.0, 55.0, math.nan, None),
    Cell("tail.L4", "sensor-pairs", "132 µm", math.nan, 1.0, 2.0, math.nan, State.FAILS, "no way"),
]


@pytest.fixture
def design(project: Project) -> Design:
    return project.design


@pytest.fixture
def view(qtbot: QtBot, look: Look, design: Design) -> BuildView:
    made = BuildView(look)
    put(qtbot, made, 1000, 560)
    made.show_build(design, CELLS, "L2", "card")
    return made


def within(found: Drawn, rect: QRectF) -> list[str]:
    """Words whose line begins in a rectangle and stands in its height."""
    return [
        w.text
        for w in found.words
        if rect.left() - 1 <= w.x <= rect.right() and rect.top() <= w.y <= rect.bottom() + 4
    ]


def boxes(found: Drawn, color: str) -> list[Shape]:
    return found.of("rect", fill=color)


def alike(shape: Shape, rect: QRectF) -> bool:
    sides = (rect.left(), rect.top(), rect.right(), rect.bottom())
    return all(abs(a - b) < 0.2 for a, b in zip(shape.box, sides, strict=True))


def test_every_layer_lies_in_its_zones_with_its_thickness(
    view: BuildView, design: Design, look: Look
) -> None:
    found, layout = drawn(view), view.layout_now()
    colors = {"core": look.t.dielectric_high, "flex": look.t.dielectric_high,
              "prepreg": look.t.dielectric_low}  # fmt: skip
    stackup = design.stackup
    assert len(stackup.all_zones) == 2
    for zone in stackup.all_zones:
        for layer in stackup.zone_layers(zone):
            rect = layout.layer_rect(zone.id, layer.id)
            said = within(found, rect)
            assert format_si(layer_thickness(layer), "length") in said, (zone.id, layer.id)
            if isinstance(layer, CopperLayer):
                color = look.t.copper if layer.role == "plane" else look.t.dielectric_low
            else:
                color = colors.get(getattr(layer, "build", ""), look.t.coating)
            assert any(alike(s, rect) for s in boxes(found, color)), (zone.id, layer.id)
    card = stackup.zones[0].id
    assert "plane, 85% copper" in within(found, layout.layer_rect(card, "L2"))
    assert "signal" in within(found, layout.layer_rect(card, "L3"))
    material = design.material(stackup.layer("D23").material)
    assert any(
        w.endswith(f"Dk {material.dk:.2f}") for w in within(found, layout.layer_rect(card, "D23"))
    )


def test_copper_is_named_beside_its_row_and_the_chosen_layer_framed(
    view: BuildView, design: Design, look: Look
) -> None:
    found, layout = drawn(view), view.layout_now()
    for layer in design.stackup.copper:
        top, bottom = layout.rows[layer.id]
        (word,) = [w for w in found.words if w.text == layer.id and w.x < 36]
        assert word.y == pytest.approx(0.5 * (top + bottom) + 4, abs=2.5)
    frames = [s for s in found.of("rect", stroke=look.t.sea) if s.width == pytest.approx(2.5)]
    rect = layout.layer_rect("card", "L2").adjusted(1, 1, -1, -1)
    assert any(alike(s, rect) for s in frames)
    assert len(frames) == 1


def test_heads_name_zones_and_classes_with_their_targets(
    view: BuildView, design: Design, look: Look
) -> None:
    found, layout = drawn(view), view.layout_now()
    for zone in design.stackup.all_zones:
        left, _ = layout.zones[zone.id]
        assert found.word(zone.name).x == pytest.approx(left, abs=1)
    (line,) = [s for s in found.of("polyline", stroke=look.t.sea) if s.box[1] == s.box[3] == 44.0]
    assert (line.box[0], line.box[2]) == pytest.approx(layout.zones["card"])
    for c in design.line_classes:
        left, right = layout.table[c.id]
        column = [w.text for w in found.words if left - 1 <= w.x < right and w.y < 46]
        assert " ".join(column[:-1]).replace("…", "").split()[0] == c.name.split()[0]
        assert column[-1] == f"{c.target.si:g} Ω"


def test_spans_reach_from_layer_to_layer(view: BuildView, design: Design, look: Look) -> None:
    found, layout = drawn(view), view.layout_now()
    for via in design.stackup.vias:
        x = layout.spans[via.id]
        half = 3.0 if via.kind == "micro" else 4.5
        top, bottom = layout.rows[via.top][0], layout.rows[via.bottom][1]
        drilled = layout.rows[via.backdrilled_to][1] if via.backdrilled_to else bottom
        barrel = QRectF(x - half, top, 2 * half, drilled - top)
        assert any(alike(s, barrel) for s in boxes(found, look.t.via)), via.id
        away = [s for s in found.of("rect", stroke=look.t.secondary) if s.dash]
        empty = QRectF(x - half - 1.5, drilled, 2 * half + 3, bottom - drilled)
        assert any(alike(s, empty) for s in away) is bool(via.backdrilled_to), via.id
        state = via_state(design.stackup, via)
        discs = found.of("circle", fill=look.state_color(state).name())
        assert any(
            abs(d.points[0][0] - x) < 0.2 and abs(d.points[0][1] - (top - 7)) < 0.2 for d in discs
        ), via.id
    assert any(v.backdrilled_to for v in design.stackup.vias)


def test_cells_stand_where_their_class_meets_its_layer(view: BuildView, look: Look) -> None:
    found, layout = drawn(view), view.layout_now()
    said = {
        (c.line_class, c.place): within(found, layout.cell_rect(c.line_class, c.place))
        for c in CELLS
    }
    assert said["clocks", "L1"][:3] == ["63.2", "100", "2.50 dB"]
    assert said["clocks", "L6"][:3] == ["55.1", "80", "4.00 dB"]
    assert said["memory", "L3"][0] == "…"
    assert said["sensor-pairs", "tail.L4"][0] == "–"
    fails = [w for w in found.words if w.text == "55.1"]
    assert fails[0].color == look.t.fails.lower()
    # Its tick: on the tolerance as the middle half of the bar, below its low end here.
    rect = layout.cell_rect("clocks", "L1")
    ticks = [
        s for s in found.of("polyline", stroke=look.t.holds)
        if rect.left() < s.box[0] < rect.right() and abs(s.box[3] - rect.bottom()) < 4
    ]  # fmt: skip
    share = 0.25 + 0.5 * (63.2 - 60.0) / 8.0
    bar = (rect.left() + 3, rect.right() - 1)
    assert ticks[0].box[0] == pytest.approx(bar[0] + share * (bar[1] - bar[0]), abs=0.3)
    # Where nothing is routed there is a dash.
    empty = layout.cell_rect("clocks", "L3").center()
    assert any(
        abs(s.box[1] - empty.y()) < 0.2 and s.box[0] < empty.x() < s.box[2]
        for s in found.of("polyline", stroke=look.t.hairline)
    )


# -- mouse and keys ------------------------------------------------------------------------


@pytest.fixture
def told(view: BuildView) -> list[tuple[object, ...]]:
    out: list[tuple[object, ...]] = []

    def note(name: str) -> Callable[..., None]:
        return lambda *what: out.append((name, *what))

    for name in (
        "chosen", "zone_chosen", "cell_chosen", "cell_wanted", "thickness_dragged", "drag_began",
        "drag_ended",
    ):  # fmt: skip
        getattr(view, name).connect(note(name))
    return out


def click(view: BuildView, place: QPointF) -> None:
    QTest.mouseClick(view, LEFT, pos=place.toPoint())


def test_layers_spans_and_cells_are_chosen(view: BuildView, told: list[tuple[object, ...]]) -> None:
    layout = view.layout_now()
    click(view, layout.layer_rect("tail", "D45").center())
    assert told == [("zone_chosen", "tail"), ("chosen", "D45")]
    told.clear()
    top, bottom = layout.rows["L3"][0], layout.rows["L6"][1]
    click(view, QPointF(layout.spans["buried36"], 0.5 * (top + bottom)))
    click(view, layout.cell_rect("clocks", "L6").center())
    click(view, layout.cell_rect("clocks", "L3").center())
    assert told == [
        ("chosen", "via:buried36"), ("cell_chosen", "clocks", "L6"),
        ("cell_wanted", "clocks", "L3"),
    ]  # fmt: skip


def test_a_boundary_is_dragged_by_as_much_as_its_layer_is_thick(
    view: BuildView, design: Design, told: list[tuple[object, ...]]
) -> None:
    layout = view.layout_now()
    rect = layout.layer_rect("card", "D23")
    top, bottom = layout.rows["D23"]
    start = QPoint(int(rect.center().x()), round(rect.bottom()))
    QTest.mousePress(view, LEFT, pos=start)
    QTest.mouseMove(view, start + QPoint(0, 10))
    QTest.mouseRelease(view, LEFT, pos=start + QPoint(0, 10))
    QTest.mouseMove(view, start + QPoint(0, 30))
    names = [t[0] for t in told]
    assert names == ["chosen", "drag_began", "thickness_dragged", "drag_ended"]
    assert told[0] == ("chosen", "D23")
    thick = layer_thickness(design.stackup.layer("D23"))
    _, layer, metres = told[2]
    assert layer == "D23"
    assert metres == pytest.approx(thick * (1.0 + 10.0 / (bottom - top)), abs=0.6e-6)
    assert metres * 1e6 == pytest.approx(round(float(metres) * 1e6))


def test_a_mask_has_no_boundary_to_drag(view: BuildView, told: list[tuple[object, ...]]) -> None:
    """What lies below a coating is copper; a coating is set by its three thicknesses."""
    layout = view.layout_now()
    rect = layout.layer_rect("card", "mask-bottom")
    at = QPoint(int(rect.center().x()), round(rect.bottom()))
    QTest.mousePress(view, LEFT, pos=at)
    QTest.mouseMove(view, at + QPoint(0, 8))
    QTest.mouseRelease(view, LEFT, pos=at + QPoint(0, 8))
    assert "thickness_dragged" not in [t[0] for t in told]
    assert "drag_began" not in [t[0] for t in told]


def test_keys_go_through_layers_and_spans(
    view: BuildView, design: Design, told: list[tuple[object, ...]]
) -> None:
    ids = [x.id for x in design.stackup.layers] + [f"via:{v.id}" for v in design.stackup.vias]
    at = ids.index("L2")
    QTest.keyClick(view, Qt.Key.Key_Down)
    QTest.keyClick(view, Qt.Key.Key_Up)
    assert told == [("chosen", ids[at + 1]), ("chosen", ids[at - 1])]
    told.clear()
    view.show_build(design, CELLS, ids[-1], "card")
    QTest.keyClick(view, Qt.Key.Key_Down)
    view.show_build(design, CELLS, ids[0], "card")
    QTest.keyClick(view, Qt.Key.Key_Up)
    assert told == [("chosen", ids[-1]), ("chosen", ids[0])]


def test_what_lies_under_the_mouse_is_told(view: BuildView) -> None:
    layout = view.layout_now()
    heard: list[str] = []
    view.hovered.connect(heard.append)

    def at(place: QPointF) -> str:
        QTest.mouseMove(view, place.toPoint())
        return heard[-1]

    words = at(layout.cell_rect("clocks", "L6").center())
    assert words.startswith("Clocks on L6: 80 µm, 55.1 Ω within 60 – 68 Ω, 4.00 dB/100 mm")
    assert words.endswith(", fails")
    assert at(layout.cell_rect("clocks", "L3").center()) == "Route Clocks on L3"
    assert at(layout.cell_rect("sensor-pairs", "tail.L4").center()).endswith("tail.L4: no way")
    back = next(v for v in view.stackup.vias if v.backdrilled_to)
    words = at(QPointF(layout.spans[back.id], layout.rows["L3"][0]))
    assert words.startswith(f"{back.name}: {back.kind}, {back.top} to {back.bottom}, back-drilled")
    assert words.endswith("drill 250 µm, depth 4 drills, at most 8")
    assert at(layout.layer_rect("card", "D23").center()) == ""
    assert view.cursor().shape() == Qt.CursorShape.ArrowCursor
    rect = layout.layer_rect("card", "D23")
    at(QPointF(rect.center().x(), rect.bottom()))
    assert view.cursor().shape() == Qt.CursorShape.SplitVCursor
