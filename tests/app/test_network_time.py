"""What the view along the line shows, against a result made up by hand."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from onda.app.kit.kept import Kept
from onda.app.stages.networks.piece_strip import PieceStrip
from onda.app.stages.networks.time_view import TimeView
from onda.app.theme import Look
from onda.engine.networks.crosstalk_place import CrosstalkPeak
from onda.engine.networks.peeling import Lump
from onda.errors import InputError
from onda.project.model import Project
from onda.studies.core.runner import StudyRunner
from onda.studies.networks.build import PieceSpan
from onda.studies.networks.gate import GateResult
from onda.studies.networks.inputs import network_inputs
from onda.studies.networks.network import NETWORK, NetworkResult
from onda.studies.networks.time import CrosstalkTrace, NetworkTime, Reflection, Through
from tests.painted import drawn, put

PLACE = 1e-12 * np.linspace(0.0, 400.0, 41)


def reflection(lane: int, mode: str, side: str, z: float) -> Reflection:
    """A line that falls by 10 ohm on its way, with two parts in it."""
    lumps = (Lump("shunt C", 0.12e-12, 100e-12, 3e-12), Lump("series L", 0.4e-9, 250e-12, 4e-12))
    true = z - 10.0 * PLACE / PLACE[-1]
    return Reflection(
        lane, mode, side, 100.0, 2.0 * PLACE, 0.5 + 0.0 * PLACE, true + 5.0, PLACE, true, "open",
        lumps if mode == "diff" else (),
    )  # fmt: skip


def through(lane: int, mode: str) -> Through:
    found = Through.__new__(Through)
    values = {
        "lane": lane, "mode": mode, "time": 2.0 * PLACE, "volts": PLACE / PLACE[-1],
        "impulse": np.full(len(PLACE), 2.5e9), "delay": 300e-12 if lane == 0 else math.nan,
    }  # fmt: skip
    for name, value in values.items():
        object.__setattr__(found, name, value)
    return found


TIME = NetworkTime(
    20e-12, 10e-9,
    tuple(
        reflection(lane, mode, side, z)
        for lane in (0, 1)
        for mode, z in (("diff", 100.0), ("common", 27.0), ("p leg", 52.0))
        for side in ("left", "right")
    ),
    tuple(through(lane, mode) for lane in (0, 1) for mode in ("diff", "common")),
    (),
    (
        CrosstalkTrace(0, 1, "near", PLACE, 0.01 * np.sin(PLACE / 5e-11)),
        CrosstalkTrace(0, 1, "far", PLACE, 0.004 * np.cos(PLACE / 5e-11)),
        CrosstalkTrace(1, 0, "near", PLACE, 0.02 + 0.0 * PLACE),
    ),
    (
        (
            CrosstalkPeak("1", "near", 80e-12, -9.5e-3, 1.0),
            CrosstalkPeak("1", "far", 200e-12, 4e-3, 0.42),
        ),
        (CrosstalkPeak("0", "near", 10e-12, 20e-3, 1.0),),
    ),
    ("the data end early",),
)  # fmt: skip


@pytest.fixture
def result(project: Project, runner: StudyRunner) -> NetworkResult:
    found = runner.result(
        NETWORK, network_inputs(project.design, project.design.network("board-uplinks"))
    )
    spans = (
        PieceSpan("A", "card", 0.0, 150e-12, removed=False, ports=(1, 2)),
        PieceSpan("B", "cable", 150e-12, 400e-12, removed=False, ports=(1, 2)),
    )
    return replace(found, name="made up", time=TIME, spans=spans)


@pytest.fixture
def view(qtbot: QtBot, look: Look) -> TimeView:
    made = TimeView(look)
    put(qtbot, made, 1000, 600)
    return made


def test_the_profile_of_what_is_chosen_with_its_limits_and_parts(
    view: TimeView, look: Look, result: NetworkResult
) -> None:
    lower = replace(result, time=replace(TIME, reflections=tuple(
        replace(r, true=r.true - 20.0) for r in TIME.reflections
    )))  # fmt: skip
    view.show_result(result, (Kept(1, "State 1", lower),), (85.0, 115.0))
    plain, true, kept = view.profile.curves
    # What is read plainly stands at half the time of its echo.
    assert plain.x == pytest.approx(1e12 * PLACE)
    assert plain.y == pytest.approx(105.0 - 10.0 * PLACE / PLACE[-1])
    assert true.x == pytest.approx(1e12 * PLACE)
    assert kept.y == pytest.approx(true.y - 20.0)
    assert kept.kept == 1
    limits = view.profile._limits
    assert [(v.y, v.x0, v.x1) for v in limits] == [
        (85.0, 0.0, pytest.approx(300.0)), (115.0, 0.0, pytest.approx(300.0)),
    ]  # fmt: skip
    assert limits[0].text == "at least 85 Ω"
    assert [m[:2] for m in view.profile._marks] == [
        (pytest.approx(100.0), pytest.approx(97.5)), (pytest.approx(250.0), pytest.approx(93.75)),
    ]  # fmt: skip
    # Modes and sides are turned; limits are asked of what is sent only.
    view.modes.choose("common")
    assert view.profile.curves[1].y[0] == pytest.approx(27.0)
    assert list(view.profile._limits) == []
    view.modes.choose("p leg")
    assert view.profile.curves[1].y[0] == pytest.approx(52.0)
    view.modes.choose("diff")
    view.lanes.choose("1")
    assert view.chosen == (1, "diff", "left")
    # Nothing comes through: limits hold as far as there is a profile.
    assert view.profile._limits[0].x1 == pytest.approx(400.0)


def test_peaks_and_parts_are_listed_and_gone_to(view: TimeView, result: NetworkResult) -> None:
    view.show_result(result, (), (None, None))
    assert [r.cells for r in view.ledger.rows] == [
        ("near 2", "80 ps", "−9.50 mV", "100 %"),
        ("far 2", "200 ps", "4.00 mV", "42 %"),
        ("shunt C", "100 ps", "0.12 pF"),
        ("series L", "250 ps", "0.40 nH"),
    ]
    assert [r.bar for r in view.ledger.rows] == [1.0, 0.42, None, None]
    view.ledger.chosen.emit(view.ledger.rows[3].id)
    assert view._markers == pytest.approx([250e-12])
    assert "93.8 Ω at 250 ps in cable. Click once more for a second." in view.sentence.text()
    view.ledger.chosen.emit(view.ledger.rows[2].id)
    words = view.sentence.text()
    assert words.startswith("Edge 20 ps (20 to 80 %). 93.8 Ω at 250 ps in cable; 97.5 Ω at 100 ps")
    assert "in card; 150.0 ps apart, mean 95.62 Ω." in words
    assert "It ends open." in words
    assert words.endswith("The data end early.")
    # A third takes the place of the older one; another side begins anew.
    view._mark(10.0)
    assert view._markers == pytest.approx([100e-12, 10e-12])
    view.sides.choose("right")
    assert view._markers == []
    assert "Click on the profile" in view.sentence.text()
    view._mark(10.0)
    # From the right the pieces have no places of their own.
    assert " in " not in view.sentence.text().split(".")[1]


def test_below_lie_crosstalk_the_step_or_the_impulse(view: TimeView, result: NetworkResult) -> None:
    view.show_result(result, (), (None, None))
    view.below.choose("crosstalk")
    near, far = view.crosstalk.curves
    assert (near.name, far.name) == ("near 2", "far 2")
    assert near.y == pytest.approx(1e3 * TIME.crosstalk[0].volts)
    assert near.x == pytest.approx(1e12 * PLACE)
    assert [m[:2] for m in view.crosstalk._marks] == [
        (pytest.approx(80.0), pytest.approx(-9.5)), (pytest.approx(200.0), pytest.approx(4.0)),
    ]  # fmt: skip
    view.below.choose("step")
    (step,) = view.crosstalk.curves
    assert step.x == pytest.approx(2e12 * PLACE)
    assert step.y == pytest.approx(1e3 * PLACE / PLACE[-1])
    view.below.choose("impulse")
    (impulse,) = view.crosstalk.curves
    assert impulse.y == pytest.approx(np.full(41, 2.5))
    view.below.choose("crosstalk")
    view.lanes.choose("1")
    (only,) = view.crosstalk.curves
    assert (only.name, only.y[0]) == ("near 1", pytest.approx(20.0))
    # Common waves have no crosstalk of their own: the step is there.
    view.modes.choose("common")
    assert [c.name for c in view.crosstalk.curves] == ["through"]
    assert [r.cells[0] for r in view.ledger.rows] == []


def test_a_gate_is_typed_drawn_and_left(view: TimeView, look: Look, result: NetworkResult) -> None:
    wanted: list[tuple[float, float]] = []
    view.gate_wanted.connect(lambda *a: wanted.append(a))
    view.show_result(result, (), (None, None))
    ungated = view.gated.curves[0]
    found = result.curve_set("return")
    level = np.maximum(20 * np.log10(np.abs(found.values[0])), -70.0)
    assert ungated.y == pytest.approx(level)
    view._gate_typed("380 to 460 ps")
    assert wanted == [(pytest.approx(380e-12), pytest.approx(460e-12))]
    for typed, words in (("460 ps", "is no gate"), ("460 to 380 ps", "must close")):
        with pytest.raises(InputError, match=words):
            view._gate_typed(typed)
    f = np.array([1e9, 2e9])
    gate = GateResult(
        f, np.array([0.5, 0.1 + 0j]), np.array([0.4, 1e-9 + 0j]), np.array([0.1, 0.1j])
    )
    view.show_gate(gate)
    curves = {c.name: c for c in view.gated.curves}
    assert curves["whole"].y == pytest.approx([-6.0206, -20.0], abs=1e-3)
    assert curves["gate"].y == pytest.approx([20 * math.log10(0.4), -70.0])
    assert curves["rest"].y == pytest.approx([-20.0, -20.0])
    assert curves["rest"].x.tolist() == [1.0, 2.0]
    # Shown once more it stays; of an edited network it is asked for anew, not left standing.
    view.show_result(result, (), (40.0, None))
    assert [c.name for c in view.gated.curves] == ["whole", "gate", "rest"]
    del wanted[:]
    view.show_result(replace(result), (), (None, None))
    assert wanted == [(pytest.approx(380e-12), pytest.approx(460e-12))]
    assert [c.name for c in view.gated.curves] == ["whole"]
    # Another network has no gate yet, and no markers.
    view._mark(120.0)
    view.lanes.choose("1")
    view._mark(150.0)
    assert view._markers == [pytest.approx(150e-12)]
    view.gate.show_text("380 ps to 460 ps")
    view.show_result(replace(result, name="another"), (), (None, None))
    assert view.gate.edit.text() == ""
    assert (view._markers, view.lane) == ([], 0)
    del wanted[1:]
    view.show_result(result, (), (None, None))
    assert len(wanted) == 1
    view.ungate.click()
    assert wanted[-1] == (0.0, -1.0)
    view._gate_typed(" ")
    assert wanted[-1] == (0.0, -1.0)
    # From the right it is what comes back there.
    view.sides.choose("right")
    lanes = len(found.names) // 2
    level = np.maximum(20 * np.log10(np.abs(found.values[lanes])), -70.0)
    assert view.gated.curves[0].y == pytest.approx(level)


def test_without_time_it_says_why(view: TimeView, result: NetworkResult) -> None:
    view.show_result(result, (), (None, None))
    view.show_result(replace(result, time=None, time_problem="too few points"), (), (None, None))
    assert view.sentence.text() == "too few points"
    assert (view.profile.curves, view.ledger.rows) == ((), [])


def test_pieces_lie_below_their_part_of_the_axis(qtbot: QtBot, look: Look) -> None:
    strip = PieceStrip(look, 50)
    qtbot.addWidget(strip)
    strip.resize(453, 20)
    strip.show()
    spans = (
        PieceSpan("A", "card", 0.0, 100e-12, removed=False, ports=()),
        PieceSpan("X", "fixture", 0.0, 50e-12, removed=True, ports=()),
        PieceSpan("B", "cable", 100e-12, 500e-12, removed=False, ports=()),
        PieceSpan("C", "before", -300e-12, -200e-12, removed=False, ports=()),
        PieceSpan("D", "behind", 500e-12, 900e-12, removed=False, ports=()),
    )
    strip.show_spans(spans, -100e-12, 300e-12, "B")
    found = drawn(strip)
    assert found.texts == ["card", "cable"]
    boxes = [s.box for s in found.of("rect") if s.stroke == look.t.hairline.lower()]
    # A pixel a picosecond; what lies out of view is cut.
    assert [(b[0], b[2]) for b in boxes] == [(150.0, 249.0), (250.0, 449.0)]
    (lit,) = found.of("rect", fill=look.t.sea_tint)
    assert lit.box[0] == 250.0
    (plain,) = found.of("rect", fill=look.t.sheet)
    assert plain.box[0] == 150.0
    assert {w.color for w in found.words} == {look.t.ink.lower()}
