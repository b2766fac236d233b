"""Sweeps and the wave map of a path, and the chain of networks: drawn and handled alone."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from onda.app.stages.networks.chain_view import Box, ChainView, port_words
from onda.app.stages.paths.look import Sweepable
from onda.app.stages.paths.scale import Probes, route_map
from onda.app.stages.paths.sweep_view import MarginField, SweepView
from onda.app.stages.paths.wave_map import WaveMap
from onda.app.theme import Look
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.model import Project
from onda.project.quantities import format_si
from onda.studies.core.runner import StudyRunner
from onda.studies.paths.corners import Found
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.path import PATH, PathResult
from onda.studies.paths.sweep import COLUMNS, SweepResult
from tests.app.conftest import drag
from tests.painted import drawn, put

LEFT = Qt.MouseButton.LeftButton
NO, CTRL = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ControlModifier


def move_to(widget: QWidget, x: float, y: float) -> None:
    QTest.mouseMove(widget, QPoint(1, 1))
    QTest.mouseMove(widget, QPoint(round(x), round(y)))
    QApplication.processEvents()


# -- a sweep -----------------------------------------------------------------------------


RS = Sweepable("Rs", "Rs", "resistance", 10.0, 50.0, 22.0)
T1 = Sweepable("T1", "length of T1", "length", 5e-3, 25e-3, 10e-3)


def swept(values: np.ndarray, values_2: np.ndarray, names: tuple[str, ...]) -> SweepResult:
    v, w, k = len(values), len(values_2), len(names)
    by = np.zeros((2, len(COLUMNS), k, v, w))
    # The second variant overshoots more at the first receiver, the first one at the second.
    by[0, 0, :, :, :] = np.arange(k)[:, None, None]
    by[1, 0, :, :, :] = -np.arange(k)[:, None, None]
    time = np.linspace(0.0, 2e-9, 5)
    waves = np.zeros((2, k, v, 5), dtype=np.float32)
    for r in range(2):
        for n in range(k):
            for j in range(v):
                waves[r, n, j] = 100 * r + 10 * n + j
    return SweepResult(values, values_2, names, ("A", "receiver"), ("U2", "U3"), by, time, waves)


def asked(project: Project, measure: str):
    return next(r for r in project.requirements if r.measure == measure)


@pytest.fixture
def over(project: Project):
    return asked(project, "overshoot")


VALUES = np.linspace(10.0, 50.0, 5)
NONE = np.array([np.nan])
MARGIN = np.array([[-0.4], [0.1], [0.35], [0.2], [-0.1]])


def test_margins_lie_over_the_swept_value_in_its_unit(
    qtbot: QtBot, look: Look, project: Project, over
) -> None:
    view = SweepView(look)
    put(qtbot, view, 900, 400)
    view.offer([RS, T1], "Rs")
    assert view.chosen is RS
    assert view.values(RS, 5) == pytest.approx(tuple(VALUES))
    assert view.range.edit.text() == "10.0 – 50.0 Ω"
    found = Found(
        MARGIN, (2, 0), (20.0, 40.0), "overshoot", "A", (over,), MARGIN[None, :, :] + 0.05
    )
    view.show_result(swept(VALUES, NONE, ("typ", "slow")), found)
    curves = {c.name: c for c in view.margin.curves}
    assert curves["worst"].x == pytest.approx(VALUES)
    assert curves["worst"].y == pytest.approx(100.0 * MARGIN[:, 0])
    assert curves["holds"].x == pytest.approx([20.0, 40.0])
    title = "overshoot" if over.receiver is None else None
    if title is not None:
        assert curves[title].y == pytest.approx(100.0 * MARGIN[:, 0] + 5.0)
    marks = [(m[0], m[1]) for m in view.margin._marks]
    assert marks[0] == (pytest.approx(30.0), pytest.approx(35.0))
    # What it is now lies on the curve.
    assert marks[-1] == (pytest.approx(22.0), pytest.approx(15.0))
    assert view.heads[1].text() == "Margins in % against Rs in Ω"
    assert view.sentence.text() == (
        "10 runs, 2 corners. Best Rs = 30.0 Ω: worst margin +35 %, by overshoot at U2. Everything "
        "holds from 20.0 Ω to 40.0 Ω."
    )
    # Waves are those of the receiver that limits, in the corner that overshoots most there.
    waves = [c.y[0] for c in view.waves.curves]
    assert waves == [10.0, 11.0, 12.0, 13.0, 14.0, 12.0]
    assert view.waves.curves[-1].name == "30.0 Ω"
    assert view.heads[0].text().startswith("At U2")
    taken = []
    view.take_wanted.connect(taken.append)
    view.take.click()
    assert taken == [30.0]


def test_the_value_below_the_pointer_is_lifted(qtbot: QtBot, look: Look, over) -> None:
    view = SweepView(look)
    put(qtbot, view, 900, 400)
    view.offer([RS, T1], "Rs")
    at_u2 = set_value(over, receiver="receiver")
    found = Found(MARGIN, (2, 0), (20.0, 40.0), "overshoot", "A", (at_u2,), MARGIN[None, :, :])
    result = swept(VALUES, NONE, ("typ", "slow"))
    view.show_result(result, found)
    # What is required at one receiver is named with it.
    names = dict(zip(result.receivers, result.receiver_names, strict=True))
    assert f"overshoot at {names['receiver']}" in [c.name for c in view.margin.curves]
    before = [m[:2] for m in view.margin._marks]
    box = view.margin.plot.getViewBox()
    for value, number in ((41.0, 3), (47.0, 4), (29.0, 2), (8.0, 0)):
        view._hovered(box.mapViewToScene(QPointF(value, 0.0)))
        lifted = view.waves.curves[-1]
        assert lifted.name == format_si(VALUES[number], "resistance")
        # The same wave as among the thin ones, and a mark on the curve of margins.
        assert np.array_equal(lifted.y, view.waves.curves[number].y)
        extra = [m[:2] for m in view.margin._marks if m[:2] not in before]
        wanted = [(VALUES[number], pytest.approx(100.0 * MARGIN[number, 0]))]
        assert extra == ([] if number == 2 else wanted)
    QApplication.sendEvent(view, QEvent(QEvent.Type.Leave))
    assert view.waves.curves[-1].name == format_si(30.0, "resistance")
    assert [m[:2] for m in view.margin._marks] == before


def test_a_sweep_that_holds_nowhere_or_has_no_limit_says_so(qtbot: QtBot, look: Look, over) -> None:
    view = SweepView(look)
    put(qtbot, view, 900, 400)
    view.offer([RS, T1], "Rs")
    lost = np.array([[-0.4], [np.nan], [-0.2], [-np.inf], [-0.5]])
    found = Found(lost, (2, 0), None, "overshoot", "receiver", (over,), lost[None, :, :])
    view.show_result(swept(VALUES, NONE, ("typ",)), found)
    assert "5 runs, as it is. Best Rs = 30.0 Ω: worst margin −20 %" in view.sentence.text()
    assert view.sentence.text().endswith("No value in the range holds everything.")
    worst = next(c for c in view.margin.curves if c.name == "worst")
    # What has no value lies below all that have one.
    assert worst.y == pytest.approx([-40.0, -170.0, -20.0, -170.0, -50.0])
    # Its receiver is the second one.
    assert view.waves.curves[0].y[0] == 100.0
    view.show_result(swept(VALUES, NONE, ("typ",)), None)
    assert "no requirement that a sweep can be held against" in view.sentence.text()
    assert view.margin.curves == ()
    assert not view.take.isVisibleTo(view)


def test_lengths_are_swept_in_the_unit_that_is_shown(
    qtbot: QtBot, look: Look, over, in_inches: None
) -> None:
    view = SweepView(look)
    put(qtbot, view, 900, 400)
    view.offer([T1, RS], "T1")
    values = np.linspace(12.7e-3, 50.8e-3, 5)
    margin = np.full((5, 1), 0.2)
    found = Found(margin, (0, 0), None, "overshoot", "A", (over,), margin[None, :, :])
    long = Sweepable("T1", "length of T1", "length", 12.7e-3, 50.8e-3, 25.4e-3)
    view.offer([long, RS], "T1")
    view.show_result(swept(values, NONE, ("typ",)), found)
    worst = next(c for c in view.margin.curves if c.name == "worst")
    assert worst.x == pytest.approx([0.5, 0.875, 1.25, 1.625, 2.0])
    assert view.margin._marks[-1][0] == pytest.approx(1.0)
    assert view.heads[1].text().endswith("against length of T1 in in")


def test_a_range_is_typed(qtbot: QtBot, look: Look) -> None:
    view = SweepView(look)
    put(qtbot, view, 900, 400)
    wanted = []
    view.wanted.connect(lambda: wanted.append(True))
    view.offer([RS, T1], "Rs")
    for typed, low, high in (("15 – 45 ohm", 15, 45), ("20 to 30 Ω", 20, 30), ("0..9 ohm", 0, 9)):
        view._type_range(typed)
        assert view.values(RS)[0] == pytest.approx(low)
        assert view.values(RS)[-1] == pytest.approx(high)
        assert len(view.values(RS)) == 20
    assert len(wanted) == 3
    # The other one keeps its own range.
    assert view.values(T1)[0] == pytest.approx(5e-3)
    for typed in ("15 ohm", "30 to 20 ohm", "-5 to 20 ohm"):
        with pytest.raises(InputError):
            view._type_range(typed)
    view.offer([T1], "T1")
    assert view.values(T1)[-1] == pytest.approx(25e-3)


def test_two_values_make_a_field_with_their_units(qtbot: QtBot, look: Look, over) -> None:
    field = MarginField(look)
    put(qtbot, field, 364, 240)
    x, y = np.array([10.0, 20.0, 30.0]), np.array([5e-3, 10e-3])
    margin = np.array([[-0.5, 0.0], [0.4, 1.2], [0.1, 0.2]])
    found = Found(margin, (1, 1), None, "overshoot", "A", (over,), margin[None])
    field.show_field(x, y, found, (RS, T1))
    told = drawn(field)
    # The best of them is said and ringed until the mouse is on another one.
    assert (
        f"Rs {format_si(20.0, 'resistance')}, length of T1 {format_si(10e-3, 'length')}: +120 %"
        in (told.said)
    )
    (ring,) = list(told.of("rect", stroke=look.t.ink))
    # Three columns of 100 px, two rows of 100, the second one above.
    assert (ring.box[0], ring.box[1]) == pytest.approx((157.0, 5.0))
    assert told.said.count("Ω") == 3
    assert told.said.count("mm") == 3
    # Below the first and the last column, and beside the first and the last row.
    low = sorted(w.x for w in told.words if "Ω" in w.text and w.y < 220.0)
    assert low == pytest.approx([56 + 50 - 16, 56 + 250 - 16], abs=8.0)
    beside = sorted(w.y for w in told.words if "mm" in w.text and w.x < 56.0)
    assert beside == pytest.approx([4 + 50 + 4, 4 + 150 + 4], abs=3.0)
    move_to(field, 56 + 50, 4 + 150)
    assert f"Rs {format_si(10.0, 'resistance', like=30.0)}, length of T1 5.00 mm: −50 %" in (
        drawn(field).said
    )
    fills = [s.fill for s in told.of("rect") if not s.stroke]
    assert len(set(fills[-6:])) >= 4


def test_a_sweep_of_two_values_is_named_by_both(qtbot: QtBot, look: Look, over) -> None:
    view = SweepView(look)
    put(qtbot, view, 900, 400)
    view.offer([RS, T1], "Rs")
    view.second.setCurrentIndex(view.second.findData("T1"))
    lengths = np.array([5e-3, 10e-3])
    margin = np.tile(MARGIN, (1, 2)) - [[0.1, 0.0]]
    found = Found(margin, (2, 1), (20.0, 40.0), "overshoot", "A", (over,), margin[None])
    view.show_result(swept(VALUES, lengths, ("typ",)), found)
    assert view.heads[1].text() == "Margins in % against Rs and length of T1"
    assert view.field.isVisibleTo(view)
    assert not view.margin.isVisibleTo(view)
    assert view.sentence.text().startswith(
        "10 runs, as it is. Best Rs = 30.0 Ω, length of T1 = 10.0 mm: worst margin +35 %"
    )
    assert "Rs 30.0 Ω, length of T1 10.0 mm: +35 %" in drawn(view.field).said


# -- the wave map ----------------------------------------------------------------------------


@pytest.fixture
def result(project: Project, runner: StudyRunner) -> PathResult:
    return runner.result(PATH, path_inputs(project.design, project.design.path("trig")))


def test_the_wave_map_reads_time_down_and_delay_across(
    qtbot: QtBot, look: Look, result: PathResult
) -> None:
    probes = Probes()
    view = WaveMap(look, probes)
    put(qtbot, view, 900, 208)
    receiver = result.receivers[-1]
    route = route_map(result, receiver.id)
    view.show_result(result, route, (receiver.low, receiver.high))
    wide = (900 - 66.0 - 118.0) * route.delay / result.span_of_delay
    assert view._box.width() == pytest.approx(wide)
    end = float(result.time[-1])
    # A quarter of the way, half of the time.
    x, y = 118.0 + 0.25 * wide, 4.0 + 100.0
    delay, time, volts = view._at(QPointF(x, y))
    assert (delay, time) == pytest.approx((0.25 * route.delay, 0.5 * end))
    near = int(np.abs(route.places - delay).argmin())
    assert volts == pytest.approx(np.interp(time, result.time, route.volts[near]))
    move_to(view, x, y)
    shown = view._at(QPointF(round(x), round(y)))
    assert f"{shown[0] * 1e12:.0f} ps · {shown[1] * 1e9:.2f} ns · " in drawn(view).said
    assert view._at(QPointF(60.0, 100.0)) is None
    # A probe near the mouse is taken, elsewhere the middle one comes.
    last = 118.0 + wide
    drag(view, QPointF(last - 3, 50), QPointF(118.0 + 0.5 * wide, 50))
    assert probes.items[2].share == pytest.approx(0.5, abs=2.0 / wide)
    drag(view, QPointF(118.0 + 0.2 * wide, 50), QPointF(118.0 + 0.3 * wide, 50))
    assert probes.items[1].share == pytest.approx(0.3, abs=2.0 / wide)
    lines = [s for s in drawn(view).of("polyline") if s.dash]
    assert [s.points[0][0] for s in lines] == pytest.approx(
        [118.0 + p.share * wide for p in probes.items], abs=0.1
    )
    # The picture has its start above: before anything is sent all is low.
    image = view._image
    first, late = image.pixelColor(200, 0), image.pixelColor(200, image.height() // 2)
    assert first != late


# -- a chain ------------------------------------------------------------------------------------


@pytest.fixture
def chain(qtbot: QtBot, look: Look) -> ChainView:
    view = ChainView(look)
    put(qtbot, view, 620, 160)
    boxes = [
        Box("A", "card", "120 ps", (1, 3), (2, 4)),
        Box("B", "cable", "900 ps", (1, 2), (3, 4), wires=(), removed=True),
    ]
    view.show_boxes(boxes, pair=True, is_chain=True, current="A")
    return view


def test_ports_are_named_by_lane_and_leg() -> None:
    assert [port_words(k, 4, pair=True) for k in range(4)] == ["1P", "1N", "2P", "2N"]
    assert [port_words(k, 2, pair=True) for k in range(2)] == ["P", "N"]
    assert [port_words(k, 3, pair=False) for k in range(3)] == ["1", "2", "3"]
    assert port_words(0, 1, pair=False) == ""


def test_wires_lead_from_port_to_port(chain: ChainView, look: Look) -> None:
    found = drawn(chain)
    assert {"card", "cable", "120 ps", "900 ps", "taken away"} <= set(found.texts)
    assert [w.text for w in found.words if w.text in ("P", "N")] == ["P", "N", "P", "N"]
    wires = [s for s in found.of("path", stroke=look.t.secondary) if len(s.points) >= 4]
    ends = [(tuple(w.points[0]), tuple(w.points[-1])) for w in wires]
    for k, (a, b) in enumerate(ends):
        right, left = chain.port_at(0, "right", k), chain.port_at(1, "left", k)
        assert a == pytest.approx((right.x(), right.y()), abs=0.1)
        assert b == pytest.approx((left.x(), left.y()), abs=0.1)
    boxes = chain.boxes
    crossed = Box("A", "card", "120 ps", (1, 3), (2, 4), wires=(1, 0))
    chain.show_boxes([crossed, boxes[1]], pair=True, is_chain=True, current="A")
    wires = drawn(chain).of("path", stroke=look.t.tight)
    assert len(wires) == 2
    down = chain.port_at(1, "left", 1)
    assert tuple(wires[0].points[-1]) == pytest.approx((down.x(), down.y()), abs=0.1)
    assert "wires crossed" in chain.accessibleDescription()


def test_each_piece_says_what_it_is_above_in_and_below_its_box(
    chain: ChainView, look: Look
) -> None:
    found = drawn(chain)
    for k, (name, detail) in enumerate((("card", "120 ps"), ("cable", "900 ps"))):
        box = chain._rect(k)
        for words, middle in ((name, 13.0), (detail, box.center().y())):
            word = found.word(words)
            # A line of 11 px: its letters end some 4 px below the middle of its room.
            assert word.y == pytest.approx(middle + 4.0, abs=2.5), words
            assert box.left() < word.x < box.center().x(), words
    away, box = found.word("taken away"), chain._rect(1)
    assert away.y == pytest.approx(box.bottom() + 7.5 + 4.0, abs=2.5)
    assert away.color == look.t.tight_ink.lower()
    # Numbers of ports stand inside, their names outside the first and the last box.
    for k, side, number in ((0, "left", "3"), (1, "right", "3")):
        at = chain.port_at(k, side, 1 if k == 0 else 0)
        word = min((w for w in found.words if w.text == number), key=lambda w: abs(w.x - at.x()))
        assert abs(word.y - at.y()) < 6
        assert (word.x > at.x()) is (side == "left")
    names = [w for w in found.words if w.text in ("P", "N")]
    first, last = chain._rect(0), chain._rect(1)
    assert all(w.x < first.left() or w.x > last.right() for w in names)


def test_a_chain_is_handled_by_mouse_and_keys(chain: ChainView) -> None:
    told: list[tuple[object, ...]] = []
    for name in ("chosen", "wired", "swapped", "moved", "removed", "hovered", "opened"):
        getattr(chain, name).connect(lambda *a, n=name: told.append((n, *a)))
    right, left = chain.port_at(0, "right", 1), chain.port_at(1, "left", 0)
    drag(chain, right, left)
    assert ("wired", "A", 1, 0) in told
    told.clear()
    # From a left port no wire is led, and none into nowhere.
    drag(chain, chain.port_at(1, "left", 0), right)
    drag(chain, right, QPointF(310, 150))
    assert not [t for t in told if t[0] == "wired"]
    told.clear()
    middle = chain._rect(1).center().toPoint()
    QTest.mouseClick(chain, LEFT, NO, middle)
    QTest.mouseDClick(chain, LEFT, NO, middle)
    assert told[0] == ("chosen", "B")
    assert ("opened", "B") in told
    told.clear()
    move_to(chain, middle.x(), middle.y())
    assert told[-1] == ("hovered", "B")
    told.clear()
    QTest.keyClick(chain, Qt.Key.Key_Right)
    QTest.keyClick(chain, Qt.Key.Key_Left)
    QTest.keyClick(chain, Qt.Key.Key_Right, CTRL)
    QTest.keyClick(chain, Qt.Key.Key_Delete)
    assert told == [("chosen", "B"), ("chosen", "A"), ("moved", "A", 1), ("removed", "A")]


def test_the_wire_that_is_led_follows_the_pointer(chain: ChainView, look: Look) -> None:
    begun = chain.port_at(0, "right", 1)

    def led() -> list[list[list[float]]]:
        return [
            s.points.tolist() for s in drawn(chain).of("polyline", stroke=look.t.sea)
            if s.dash and len(s.points) == 2
        ]  # fmt: skip

    assert led() == []
    QTest.mousePress(chain, LEFT, NO, begun.toPoint())
    QTest.mouseMove(chain, QPoint(300, 90))
    (wire,) = led()
    assert wire[0] == pytest.approx([begun.x(), begun.y()], abs=0.1)
    assert wire[1] == pytest.approx([300.0, 90.0], abs=0.1)
    QTest.mouseRelease(chain, LEFT, NO, QPoint(300, 90))
    assert led() == []


def test_ports_of_one_network_change_places(chain: ChainView, look: Look) -> None:
    told: list[tuple[object, ...]] = []
    for name in ("chosen", "wired", "swapped", "removed", "opened"):
        getattr(chain, name).connect(lambda *a, n=name: told.append((n, *a)))
    chain.show_boxes(chain.boxes[:1], pair=True, is_chain=False, current="A")
    drag(chain, chain.port_at(0, "left", 1), chain.port_at(0, "right", 0))
    assert told == [("swapped", 1, 2)]
    QTest.keyClick(chain, Qt.Key.Key_Delete)
    assert len(told) == 1
    assert "drag one port onto another" in drawn(chain).said
