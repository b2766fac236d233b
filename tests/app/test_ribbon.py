"""The ribbon of a path as it is drawn and as it is taken hold of."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from onda.app.selection import Selection
from onda.app.shell.painting import blend
from onda.app.stages.paths.ribbon import Ribbon
from onda.app.stages.paths.ribbon_layout import MIDDLE
from onda.app.stages.paths.scale import LEFT, RIGHT, Probes
from onda.app.theme import Look
from onda.project.base import set_value
from onda.project.model import Project
from onda.project.paths.edits import set_receiver
from onda.project.paths.ends import Termination
from onda.project.paths.path import Path
from onda.project.quantities import parse_quantity
from onda.studies.paths.layout import Beside, Span
from tests.painted import Drawn, drawn, put

PS = 1e-12
LEFT_BUTTON = Qt.MouseButton.LeftButton


class Desk:
    """A ribbon with its probes and what is chosen, and all that it has asked for."""

    def __init__(self, qtbot: QtBot, look: Look, path: Path) -> None:
        self.look, self.path = look, path
        self.selection, self.probes = Selection("paths", lambda _: "paths"), Probes()
        self.ribbon = Ribbon(look, self.selection, self.probes)
        put(qtbot, self.ribbon, 900, 200)
        self.asked: list[tuple[Any, ...]] = []
        for name in ("length_dragged", "drag_began", "drag_ended", "insert_wanted",
                     "remove_wanted", "copy_wanted", "move_wanted", "topology_wanted",
                     "straight_wanted"):  # fmt: skip
            getattr(self.ribbon, name).connect(lambda *a, name=name: self.asked.append((name, *a)))

    def show(self, spans: tuple[Span, ...], **more: Any) -> Drawn:
        self.ribbon.show_path(self.path, spans, {"L1": True, "L3": False, "L6": False}, **more)
        return drawn(self.ribbon)

    def x(self, delay: float, total: float) -> float:
        return LEFT + (900 - RIGHT - LEFT) * delay / total


@pytest.fixture
def desk(qtbot: QtBot, look: Look, project: Project) -> Desk:
    return Desk(qtbot, look, project.design.path("clk-adc"))


def run_of(desk: Desk) -> tuple[Span, ...]:
    """Every element of the path, 100 ps each piece of line, its number of ohms its own."""
    out, at = [], 0.0
    for k, element in enumerate(desk.path.elements):
        took = 100 * PS if element.is_line and element.kind == "trace" else 0.0
        label = getattr(element, "layer", element.id)
        z, metres = (50.0 + k, 15e-3) if took else (0.0, 0.0)
        out.append(Span(element.id, element.kind, label, at, at + took, z, metres))
        at += took
    return tuple(out)


def traces(spans: tuple[Span, ...]) -> list[Span]:
    return [s for s in spans if s.kind == "trace"]


@pytest.mark.parametrize(
    ("share", "unit", "most"), [(1.0, "ps", 300.0), (10.0, "ps", 3000.0), (80.0, "ns", 20.0)]
)
def test_the_scale_has_round_numbers_of_its_unit(
    desk: Desk, share: float, unit: str, most: float
) -> None:
    plain = run_of(desk)
    spans = tuple(replace(s, start=share * s.start, end=share * s.end) for s in plain)
    total = max(s.end for s in spans)
    found = desk.show(spans)
    numbers = [w for w in found.words if w.y < 20 and w.text.replace(".", "").isdigit()]
    assert unit in found.texts
    assert ("ps" if unit == "ns" else "ns") not in found.texts
    assert float(numbers[-1].text) == pytest.approx(most)
    one = {"ps": PS, "ns": 1e-9}[unit]
    ticks = [s.points for s in found.of("polyline") if s.points[0][1] in (20.0, 24.0)]
    places = sorted(p[0][0] for p in ticks if p[0][0] == p[1][0])
    assert places == pytest.approx([desk.x(float(w.text) * one, total) for w in numbers], abs=0.6)


def test_pieces_have_the_colour_of_their_layer_and_as_many_words_as_fit(desk: Desk) -> None:
    spans = run_of(desk)
    first, *_ = traces(spans)
    found = desk.show(spans)
    t = desk.look.t
    for span in traces(spans):
        color = t.copper if span.label == "L1" else t.inner
        rect = desk.ribbon.piece_rect(span)
        assert any(
            abs(s.box[0] - rect.left()) < 1 and abs(s.box[2] - rect.right()) < 1
            for s in found.of("rect", fill=color)
        )
        assert f"{span.label} · {span.z:.0f} Ω · 15.0 mm" in found.said
    narrow = tuple(
        replace(s, end=s.start + 6 * PS) if s is spans[-1] or s is first else s for s in spans
    )
    desk.ribbon.resize(420, 200)
    desk.ribbon.show_path(desk.path, narrow, {"L1": True})
    few = drawn(desk.ribbon).said
    assert f"{first.label} · {first.z:.0f} Ω · 15.0 mm" not in few


def test_an_outline_has_lengths_and_no_ohms_and_no_scale(desk: Desk) -> None:
    spans = run_of(desk)
    desk.ribbon.show_outline(desk.path, spans, {"L1": True})
    found = drawn(desk.ribbon)
    assert "ps" not in found.texts
    assert not [w for w in found.texts if "Ω ·" in w]
    for span in traces(spans):
        assert f"{span.label} · 15.0 mm" in found.said
    # No probes either: nothing is known that they could show.
    series = {desk.look.t.series[p.series] for p in desk.probes.items}
    assert not [s for s in found.shapes if s.fill in series]


def test_lanes_beside_a_piece_lie_on_their_side_and_point_their_way(desk: Desk) -> None:
    spans = run_of(desk)
    first, *_ = traces(spans)
    beside = (Beside("UP", True, -1), Beside("DOWN", False, 1), Beside("FAR", True, -3))
    found = desk.show(tuple(replace(s, beside=beside) if s is first else s for s in spans))
    rect = desk.ribbon.piece_rect(first)
    color = blend(desk.look.t.copper if first.label == "L1" else desk.look.t.inner,
                  desk.look.t.sheet, 0.3)  # fmt: skip
    bands = [s.box for s in found.of("rect", fill=QColor(color).name())]
    assert len(bands) == 2
    above, below = sorted(bands, key=lambda b: b[1])
    assert 0.5 * (above[1] + above[3]) == pytest.approx(rect.top() - 4.0, abs=0.3)
    assert 0.5 * (below[1] + below[3]) == pytest.approx(rect.bottom() + 4.0, abs=0.3)
    heads = sorted(
        (s.points for s in found.of("polygon", fill=QColor(color).name())),
        key=lambda p: p[:, 1].mean(),
    )
    # The tip is the first corner: at the right end for what runs the same way.
    assert heads[0][0][0] == pytest.approx(rect.right() - 1.0, abs=0.3)
    assert heads[0][1][0] == pytest.approx(rect.right() - 8.0, abs=0.3)
    assert heads[1][0][0] == pytest.approx(rect.left() + 1.0, abs=0.3)
    assert heads[1][1][0] == pytest.approx(rect.left() + 8.0, abs=0.3)
    QTest.mouseMove(desk.ribbon, rect.center().toPoint())
    assert desk.ribbon.toolTip() == "Between UP and DOWN, the other way"


def test_what_is_pointed_at_stays_and_the_rest_fades(desk: Desk) -> None:
    spans = run_of(desk)
    first, second = traces(spans)[:2]
    desk.show(spans)
    desk.selection.hover(first.id)
    found = drawn(desk.ribbon)
    t = desk.look.t

    def fill_of(span: Span) -> str:
        rect = desk.ribbon.piece_rect(span)
        return next(
            s.fill for s in found.shapes
            if s.kind == "rect" and s.fill and abs(s.box[0] - rect.left()) < 1
            and abs(s.box[2] - rect.right()) < 1
        )  # fmt: skip

    own = {s.id: t.copper if s.label == "L1" else t.inner for s in (first, second)}
    assert fill_of(first) == own[first.id].lower()
    assert fill_of(second) == QColor(blend(own[second.id], t.sheet, 0.45)).name()


def test_what_is_badly_placed_has_an_edge_of_its_own_and_says_why(desk: Desk) -> None:
    spans = run_of(desk)
    chips = [s for s in spans if s.kind == "resistor"]
    name = chips[0].id
    t = desk.look.t

    def edges(**more: Any) -> list[str]:
        found = desk.show(spans, **more)
        rect = desk.ribbon.layout_.chips()[name]
        return [
            s.stroke for s in found.shapes
            if s.stroke and s.points.shape[0] > 1 and abs(s.box[0] - rect.left()) < 1.5
            and abs(s.box[1] - rect.top()) < 1.5 and abs(s.box[3] - rect.bottom()) < 1.5
        ]  # fmt: skip

    assert edges() == [t.tight.lower()]
    assert edges(remarks={name: "too far from the driver"}) == [t.fails.lower()]
    at = desk.ribbon.layout_.chips()[name].center().toPoint()
    QTest.mouseMove(desk.ribbon, at)
    assert desk.ribbon.toolTip() == "too far from the driver"
    desk.selection.choose_element(name)
    assert edges() == [t.sea.lower()]


def end_words(found: Drawn, rect: Any) -> list[str]:
    return [
        w.text for w in found.words
        if rect.left() - 1 < w.x < rect.right() and rect.top() < w.y < rect.bottom() + 3
    ]  # fmt: skip


def test_ends_say_what_they_are(desk: Desk) -> None:
    path, spans = desk.path, run_of(desk)
    ends = desk.ribbon

    def words(changed: Path, name: str) -> list[str]:
        desk.path = changed
        found = desk.show(spans)
        return end_words(found, ends.layout_.ends()[name])

    q = parse_quantity
    assert words(path, "driver") == [path.driver.name, "18.0 Ω"]
    ideal = set_value(path, driver=set_value(path.driver, stands_in="ideal"))
    assert words(ideal, "driver") == [path.driver.name, "ideal"]
    assert words(path, "receiver") == [path.receiver.name, "3.5 pF"]
    ended = set_value(
        path,
        termination=Termination(
            kind="parallel", r=q("50 ohm", "resistance"), rail=q("0.9 V", "voltage")
        ),
    )
    assert words(ended, "receiver") == [path.receiver.name, "parallel"]
    probe = set_receiver(path, "receiver", set_value(path.receiver, stands_in="probe"))
    assert words(probe, "receiver") == [path.receiver.name, "probe"]
    back = set_value(path, driving="receiver")
    assert words(back, "receiver") == [path.receiver.name, "drives"]


def test_what_ends_the_line_is_said_at_its_end_alone(
    qtbot: QtBot, look: Look, project: Project
) -> None:
    path = project.design.path("clk-two")
    ended = set_value(
        path,
        termination=Termination(
            kind="parallel",
            r=parse_quantity("50 ohm", "resistance"),
            rail=parse_quantity("0.9 V", "voltage"),
        ),
    )
    desk = Desk(qtbot, look, ended)
    spans = tuple(
        Span(e.id, e.kind, getattr(e, "layer", e.id), k * 100 * PS,
             (k + 1) * 100 * PS if e.kind == "trace" else k * 100 * PS,
             60.0 if e.kind == "trace" else 0.0, 1e-3 if e.kind == "trace" else 0.0)
        for k, e in enumerate(ended.elements)
    )  # fmt: skip
    found = desk.show(spans, watched="receiver")
    at = desk.ribbon.layout_.ends()
    branch = next(name for name in at if name not in ("driver", "receiver"))
    assert "parallel" in end_words(found, at["receiver"])
    assert "parallel" not in end_words(found, at[branch])
    # Of several receivers the one that is looked at is tinted; of one alone none is.
    tinted = [s.box for s in found.shapes if s.fill == look.t.sea_tint.lower()]
    assert len(tinted) == 1
    assert tinted[0][0] == pytest.approx(at["receiver"].left(), abs=1.0)
    other = desk.show(spans, watched=branch)
    (box,) = [s.box for s in other.shapes if s.fill == look.t.sea_tint.lower()]
    assert box[0] == pytest.approx(at[branch].left(), abs=1.0)
    alone = Desk(qtbot, look, project.design.path("clk-adc"))
    assert not [s for s in alone.show(run_of(alone)).shapes if s.fill == look.t.sea_tint.lower()]


def test_probes_stand_at_their_share_of_the_way_to_the_receiver_that_is_looked_at(
    desk: Desk,
) -> None:
    spans = run_of(desk)
    total = max(s.end for s in spans)
    lines = [k for k, s in enumerate(spans) if s.z]
    short = tuple(lines[:-1])
    way = spans[short[-1]].end
    assert way < total
    found = desk.show(spans, route=short)
    t = desk.look.t
    for probe in desk.probes.items:
        (head,) = found.of("polygon", fill=t.series[probe.series])
        assert head.points[2][0] == pytest.approx(desk.x(probe.share * way, total), abs=0.3)
    # Dragged to half of the whole scale, it is as far along its own way.
    probe = desk.probes.items[1]
    begin = QPoint(round(desk.x(probe.share * way, total)), 38)
    to = QPoint(round(desk.x(0.5 * way, total)), 38)
    QTest.mousePress(desk.ribbon, LEFT_BUTTON, pos=begin)
    QTest.mouseMove(desk.ribbon, to)
    QTest.mouseRelease(desk.ribbon, LEFT_BUTTON, pos=to)
    assert probe.share == pytest.approx(0.5, abs=0.005)
    assert desk.probes.current == 1


def test_a_piece_is_dragged_by_its_right_end(desk: Desk) -> None:
    spans = run_of(desk)
    desk.show(spans)
    first, *_ = traces(spans)
    rect = desk.ribbon.piece_rect(first)
    at = QPointF(rect.right(), MIDDLE).toPoint()
    QTest.mousePress(desk.ribbon, LEFT_BUTTON, pos=at)
    QTest.mouseMove(desk.ribbon, at + QPoint(40, 0))
    QTest.mouseRelease(desk.ribbon, LEFT_BUTTON, pos=at + QPoint(40, 0))
    assert desk.selection.element == first.id
    assert desk.asked[0] == ("drag_began",)
    name, who, share = desk.asked[1]
    assert (name, who) == ("length_dragged", first.id)
    assert share == pytest.approx(1.0 + 40.0 / rect.width(), rel=1e-6)
    assert desk.asked[-1] == ("drag_ended",)
    # However far it is pushed in, something is left of it.
    QTest.mousePress(desk.ribbon, LEFT_BUTTON, pos=at)
    QTest.mouseMove(desk.ribbon, at - QPoint(700, 0))
    QTest.mouseRelease(desk.ribbon, LEFT_BUTTON, pos=at - QPoint(700, 0))
    assert desk.asked[-2] == ("length_dragged", first.id, 0.02)


def test_keys_slide_probes_move_elements_and_take_them_away(desk: Desk) -> None:
    desk.show(run_of(desk))
    desk.ribbon.setFocus()
    probe = desk.probes.items[1]
    before = probe.share
    QTest.keyClick(desk.ribbon, Qt.Key.Key_Right)
    assert probe.share == pytest.approx(before + 0.01)
    QTest.keyClick(desk.ribbon, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert probe.share == pytest.approx(before - 0.04)
    QTest.keyClick(desk.ribbon, Qt.Key.Key_Down)
    assert desk.probes.current == 2
    QTest.keyClick(desk.ribbon, Qt.Key.Key_Up)
    QTest.keyClick(desk.ribbon, Qt.Key.Key_Up)
    assert desk.probes.current == 0
    QTest.keyClick(desk.ribbon, Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
    QTest.keyClick(desk.ribbon, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    QTest.keyClick(desk.ribbon, Qt.Key.Key_Delete)
    assert desk.asked == [("move_wanted", -1), ("move_wanted", 1), ("remove_wanted",)]


def test_the_menu_asks_for_what_it_says(desk: Desk) -> None:
    desk.show(run_of(desk))
    menu = desk.ribbon.menu()
    by_title = {a.text(): a for a in menu.actions()}
    for title, wanted in (
        ("Copy", ("copy_wanted",)), ("Move towards driver", ("move_wanted", -1)),
        ("Move towards load", ("move_wanted", 1)), ("Remove", ("remove_wanted",)),
    ):  # fmt: skip
        by_title[title].trigger()
        assert desk.asked[-1] == wanted
    for action in by_title["Insert behind"].menu().actions():
        action.trigger()
    kinds = [a[1] for a in desk.asked if a[0] == "insert_wanted"]
    assert len(kinds) == len(set(kinds)) > 5
