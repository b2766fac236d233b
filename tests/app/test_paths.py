"""The Paths stage driven as its user does."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from onda.app.shell.window import MainWindow
from onda.app.stages.paths.ribbon import DRIVER, RECEIVER
from onda.app.stages.paths.scale import DelayScale
from onda.app.stages.paths.stage import PathsStage
from onda.project.kind import Ref
from onda.project.quantities import split_si
from onda.studies.core.margin import State
from tests.app.conftest import drag, type_into


def stage(window: MainWindow) -> PathsStage:
    found = window.stages["paths"]
    assert isinstance(found, PathsStage)
    return found


def rs(window: MainWindow) -> float:
    return window.document.project.design.path("clk-adc").elements[0].value.si


def overshoot(window: MainWindow) -> float:
    return next(m.value for m in window.strip.margins if m.title == "Overshoot")


def test_the_clock_is_seen_to_fail(window: MainWindow) -> None:
    assert window.standing.state_of_kinds(("path",)) is State.FAILS
    assert window.standing.state_of_object(Ref("path", "clk-adc")) is State.FAILS
    assert window.standing.state_of_kinds(("line",)) is State.HOLDS
    first = window.listing.objects.rows[0]
    assert first.state is State.FAILS
    assert first.subtitle == "overshoot"
    assert first.figure.endswith(" V")
    assert window.strip.margins[0].state is State.FAILS
    assert "raise Rs towards 47" in stage(window).form.sentence.text()


def test_sliding_a_probe_shows_the_waveform_there(window: MainWindow) -> None:
    paths = stage(window)
    assert paths.result is not None
    ribbon = paths.ribbon
    scale = ribbon.scale
    start = QPointF(scale.x(0.62 * scale.total), 36)
    before = [c.y.copy() for c in paths.waves.plot._curves]
    drag(ribbon, start, QPointF(scale.x(0.25 * scale.total), 36))
    assert paths.probes.items[1].share == pytest.approx(0.25, abs=0.01)
    after = {c.name: c.y for c in paths.waves.plot._curves}
    assert not np.allclose(after["mid"], before[1], atol=1e-6)
    assert after["mid"] == pytest.approx(
        paths.subject.route.volts_at(paths.probes.items[1].share * paths.result.delay)
    )
    # A probe is not part of the project: there is nothing to undo.
    assert not window.document.stack.canUndo()


def test_probes_slide_by_keys(window: MainWindow) -> None:
    paths = stage(window)
    paths.ribbon.setFocus()
    paths.probes.current = 1
    before = paths.probes.items[1].share
    QTest.keyClick(paths.ribbon, Qt.Key.Key_Right)
    QTest.keyClick(paths.ribbon, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert paths.probes.items[1].share == pytest.approx(before + 0.06)
    for _ in range(200):
        QTest.keyClick(paths.ribbon, Qt.Key.Key_Left)
    assert paths.probes.items[1].share == 0.0


def test_probe_on_the_wave_map(window: MainWindow) -> None:
    paths = stage(window)
    box = paths.wave_map._box
    at = QPointF(box.left() + 0.4 * box.width(), box.center().y())
    drag(paths.wave_map, at, at + QPointF(30, 0))
    assert paths.probes.items[1].share == pytest.approx(0.4 + 30 / box.width(), abs=0.01)


def test_keep_then_trim_then_undo_and_redo(window: MainWindow) -> None:
    paths = stage(window)
    window.listing.objects.setFocus()
    QTest.keyClick(window.listing.objects, Qt.Key.Key_K)
    assert [k.name for k in window.document.project.kept] == ["State 1"]
    assert window.settle()
    trim = paths.form.form.trim
    seen: list[float] = []
    listed: list[str] = []
    window.document.changed.connect(lambda: seen.append(rs(window)))
    window.standing.changed.connect(lambda: listed.append(window.listing.objects.rows[0].figure))
    # As slowly as a hand: each step's result is there before the next.
    drag(trim, QPointF(trim._x(15.0), 15), QPointF(trim._x(46.0), 15), 8, window.settle)
    assert window.settle()
    assert len(seen) > 4
    # The list moves with the drag instead of standing at the value of the last rest.
    assert len(set(listed)) > 1
    assert rs(window) == pytest.approx(46.0, abs=1.0)
    assert overshoot(window) < 0.05
    kept = window.strip._kept["over-clk-adc"]
    assert kept == pytest.approx([0.596], abs=0.01)
    assert any(c.kept for c in paths.waves.plot._curves)
    assert window.standing.state_of_object(Ref("path", "clk-adc")) is State.HOLDS
    # One gesture is one step, and the way back is exact.
    trimmed = window.document.project
    window.undo()
    assert rs(window) == 15.0
    assert window.settle()
    assert overshoot(window) == pytest.approx(0.596, abs=0.005)
    window.redo()
    assert window.document.project == trimmed


def test_trim_moves_by_keys_and_stays_in_range(window: MainWindow) -> None:
    trim = stage(window).form.form.trim
    trim.setFocus()
    QTest.keyClick(trim, Qt.Key.Key_Right)
    assert rs(window) == pytest.approx(15.5)
    for _ in range(8):
        QTest.keyClick(trim, Qt.Key.Key_PageDown)
    assert rs(window) == 0.0
    assert window.document.stack.count() > 1


def test_t_puts_the_trim_on_the_field_in_focus(window: MainWindow) -> None:
    window.selection.choose_element("V1")
    assert window.settle()
    form = stage(window).form.form
    form.fields[2].edit.setFocus()
    form.put_trim_on_focus()
    assert form.heading.remark.text() == "pads"
    assert form.trim.value == pytest.approx(120e-15)


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ("nonsense", "not a resistance"),
        ("", "not a resistance"),
        ("15 mm", "unknown unit"),
        ("-3", "0 or above"),
        ("1e30", "too large"),
    ],
)
def test_nonsense_leaves_the_old_value_and_says_why(window, typed: str, words: str) -> None:
    field = stage(window).form.form.fields[0]
    type_into(field.edit, typed)
    assert words in field.problem.text()
    assert field.problem.isVisible()
    assert rs(window) == 15.0
    QTest.keyClick(field.edit, Qt.Key.Key_Escape)
    assert field.edit.text() == "15 Ω"
    assert not field.problem.isVisible()


@pytest.mark.parametrize(("typed", "ohm"), [("33", 33.0), ("33 ohm", 33.0), ("0.047 kohm", 47.0)])
def test_typed_values_are_taken(window, typed: str, ohm: float) -> None:
    type_into(stage(window).form.form.fields[0].edit, typed)
    assert rs(window) == pytest.approx(ohm)
    assert window.settle()
    assert "Change Rs" in window.document.stack.undoText()


def test_overshoot_stands_against_the_resistor_with_the_present_one_marked(
    window: MainWindow,
) -> None:
    paths = stage(window)
    plot, sweep = paths.form.sweep, paths.sweep
    assert sweep is not None
    (curve,) = plot.curves
    assert curve.x == pytest.approx(sweep.values)
    assert curve.y == pytest.approx(sweep.overshoot)
    over = paths.result.measures.overshoot
    assert plot._marks == [(15.0, pytest.approx(over), window.look.t.tight)]
    assert [limit.y for limit in plot._limits] == [0.3]
    assert paths.form.sweep_heading.remark.text() == "V against Rs, Ω"
    # What lies beyond the values that are tried has no place among them.
    type_into(paths.form.form.fields[0].edit, "470")
    assert window.settle()
    assert sweep.values[-1] < 470.0
    assert list(plot._marks) == []


def test_elements_are_chosen_on_the_ribbon(window: MainWindow) -> None:
    paths = stage(window)
    ribbon = paths.ribbon
    assert paths.result is not None
    trace = next(s for s in paths.result.spans if s.id == "T1")
    QTest.mouseClick(
        ribbon, Qt.MouseButton.LeftButton, pos=ribbon.piece_rect(trace).center().toPoint()
    )
    assert window.selection.element == "T1"
    assert paths.form.title.text() == "Trace T1"
    assert paths.sweep is None
    assert not paths.form.sweep.isVisible()
    assert not paths.form.sweep_heading.isVisible()
    for name, title in ((DRIVER, "Driver U7.C4"), (RECEIVER, "Receiver U3.B2")):
        assert ribbon.layout_ is not None
        rect = ribbon.layout_.ends()[name]
        QTest.mouseClick(ribbon, Qt.MouseButton.LeftButton, pos=rect.center().toPoint())
        assert paths.form.title.text() == title
    ribbon.setFocus()
    QTest.keyClick(ribbon, Qt.Key.Key_Comma)
    assert window.selection.element == "T3"


def test_pulling_the_end_of_a_piece_changes_its_length(window: MainWindow) -> None:
    paths = stage(window)
    assert paths.result is not None
    trace = next(s for s in paths.result.spans if s.id == "T2")
    rect = paths.ribbon.piece_rect(trace)
    end = QPointF(rect.right(), rect.center().y())
    drag(paths.ribbon, end, end + QPointF(40, 0))
    assert window.settle()
    length = next(
        e for e in window.document.project.design.path("clk-adc").elements if e.id == "T2"
    ).length
    assert length.si == pytest.approx(17.4e-3 * (1 + 40 / rect.width()), rel=0.05)
    assert length.text.endswith("mm")
    window.undo()
    assert window.document.project.design.path("clk-adc").elements[4].length.text == "17.4 mm"


def test_a_termination_comes_with_the_value_that_the_line_asks_for(window: MainWindow) -> None:
    window.selection.choose_element(RECEIVER)
    assert window.settle()
    form = stage(window).form
    form.choices.choose("Ends in", "parallel")
    assert window.settle()
    term = window.document.project.design.path("clk-adc").termination
    assert term.kind == "parallel"
    assert term.r is not None
    assert term.r.si == pytest.approx(65.0, abs=1.0)
    assert overshoot(window) < 0.1
    result = stage(window).result
    assert result is not None
    assert result.low > 0.5


def test_driver_values_and_window_length(window: MainWindow) -> None:
    window.selection.choose_element(DRIVER)
    assert window.settle()
    form = stage(window).form.form
    titles = [f.edit.accessibleName() for f in form.fields]
    assert titles == [
        "Resistance",
        "Edge, 0–100 %",
        "High",
        "Low",
        "Capacitance",
        "Frequency",
        "Duty",
        "Jitter",
        "Look at",
    ]
    type_into(form.fields[1].edit, "1.2 ns")
    assert window.settle()
    assert overshoot(window) < 0.4
    type_into(form.fields[8].edit, "20 ns")
    assert window.settle()
    result = stage(window).result
    assert result is not None
    assert result.time[-1] == pytest.approx(20e-9)


def test_an_edge_longer_than_the_clock_level_is_told(window: MainWindow) -> None:
    window.selection.choose_element(DRIVER)
    assert window.settle()
    type_into(stage(window).form.form.fields[1].edit, "6 ns")
    assert window.settle()
    assert "shorter than the level" in stage(window).surface.problem.text()
    assert {m.state for m in window.strip.margins} == {State.FAILS}
    window.undo()
    assert window.settle()
    assert stage(window).surface.problem.text() == ""


def test_another_path_and_a_differential_one(window: MainWindow) -> None:
    window.selection.choose("clk-ref")
    assert window.settle()
    assert stage(window).surface.title.text() == "FPGA reference clock"
    assert overshoot(window) < 0.02
    window.selection.choose("jl0")
    assert window.settle()
    result = stage(window).result
    assert result is not None
    assert (result.low, result.high) == pytest.approx((-0.2, 0.2), abs=0.01)
    assert window.strip.margins == ()


def test_hover_lights_up_the_same_piece_elsewhere(window: MainWindow) -> None:
    paths = stage(window)
    assert paths.result is not None
    trace = next(s for s in paths.result.spans if s.id == "T1")
    QTest.mouseMove(paths.ribbon, paths.ribbon.piece_rect(trace).center().toPoint())
    assert window.selection.hovered == "T1"
    window.selection.hover("")


def test_delay_scale_is_its_own_inverse() -> None:
    scale = DelayScale(900.0, 4e-10)
    for delay in (0.0, 1e-10, 4e-10):
        assert scale.delay(scale.x(delay)) == pytest.approx(delay, abs=1e-16)
    assert scale.delay(-50.0) == 0.0
    assert scale.delay(5000.0) == 4e-10


def test_what_the_wave_meets_is_that_of_the_result(window: MainWindow) -> None:
    paths = stage(window)
    result = paths.result
    shown = {name: (value, unit) for name, value, unit, _ in paths.form.rows._rows}
    assert shown["Source looks like"] == split_si(result.z_source, "resistance")
    assert shown["Line looks like"] == split_si(result.z_line, "resistance")
    for name, share in (
        ("Sent back at launch", result.reflection_at_launch),
        ("Sent back at load", result.reflection_at_load),
    ):
        assert shown[name] == (f"{round(100 * share):+d}".replace("-", "−"), "%")
    assert shown["Sent back at launch"] != shown["Sent back at load"]
    window.selection.choose_element("T2")
    span = next(s for s in result.spans if s.id == "T2")
    shown = {name: (value, unit) for name, value, unit, _ in paths.form.rows._rows}
    assert shown["This piece"] == split_si(span.z, "resistance")
    assert shown["Takes"] == split_si(span.end - span.start, "time")
    assert span.start > 0.0


def test_what_is_inserted_at_the_receiver_comes_last(window: MainWindow) -> None:
    paths = stage(window)
    before = [e.id for e in paths.path.elements]
    assert len(before) > 2
    for chosen, place in ((RECEIVER, len(before)), (before[1], 2)):
        window.selection.choose_element(chosen)
        paths.ribbon.insert_wanted.emit("via")
        after = [e.id for e in paths.path.elements]
        assert [*after[:place], *after[place + 1 :]] == before
        assert after[place] == window.selection.element
        window.undo()


def test_elements_are_inserted_and_removed_on_the_ribbon(window: MainWindow) -> None:
    paths = stage(window)
    window.selection.choose_element("T1")
    paths.ribbon.insert_wanted.emit("via")
    assert window.settle()
    assert window.selection.element == "V4"
    assert paths.result is not None
    assert [s.id for s in paths.result.spans][2:5] == ["T1", "V4", "V2"]
    paths.ribbon.setFocus()
    QTest.keyClick(paths.ribbon, Qt.Key.Key_Delete)
    assert window.settle()
    assert len(window.document.project.design.path("clk-adc").elements) == 7
    window.undo()
    assert len(window.document.project.design.path("clk-adc").elements) == 8


def test_a_limit_is_typed_on_its_bar(window: MainWindow) -> None:
    strip = window.strip
    strip.edit_limit(0)
    assert strip.editor.text() == "0.300 V"
    type_into(strip.editor, "0.7 V")
    assert window.settle()
    assert strip.margins[0].state is State.HOLDS
    assert window.standing.state_of_object(Ref("path", "clk-adc")) is State.HOLDS
    strip.setFocus()
    QTest.keyClick(strip, Qt.Key.Key_Return)
    type_into(strip.editor, "soup")
    assert "not a voltage" in window.messages.text.text()
    window.undo()
    assert window.settle()
    assert strip.margins[0].state is State.FAILS
