"""Branches, device models, sweeps and the other views of Paths, driven as their user does."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox

from onda.app.shell.window import MainWindow
from onda.app.stages.paths.ribbon import DRIVER, RECEIVER
from onda.app.stages.paths.stage import PathsStage
from onda.app.stages.paths.views import BouncesView, MeasuresView, SpectrumView, WavesView
from onda.app.tour import set_resistor
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.edits import remove_object
from onda.project.kind import Ref
from onda.project.measures import measure
from onda.project.model import Project
from onda.project.quantities import format_si
from onda.project.requirements import Requirement
from onda.studies.core.margin import State
from tests.app.conftest import MakeWindow, drag, only, type_into


@pytest.fixture
def window(make_window: MakeWindow, project: Project) -> MainWindow:
    return make_window(only(project, "path"), stage="paths")


def stage(window: MainWindow) -> PathsStage:
    found = window.stages["paths"]
    assert isinstance(found, PathsStage)
    return found


def look_at(window: MainWindow, path: str, view: str = "waves", element: str = "") -> PathsStage:
    window.selection.choose(path, "paths")
    if element:
        window.selection.choose_element(element)
    assert window.settle(60_000)
    paths = stage(window)
    paths.chips.choose(view)
    assert window.settle(60_000)
    return paths


def the_path(window: MainWindow, identifier: str):
    return window.document.project.design.path(identifier)


def test_branches_run_below_and_their_ends_are_chosen(window: MainWindow) -> None:
    paths = look_at(window, "trig")
    layout = paths.ribbon.layout_
    assert layout is not None
    assert layout.rows == 2
    assert paths.ribbon.height() == layout.height
    rect = layout.ends()["B"]
    QTest.mouseClick(paths.ribbon, Qt.MouseButton.LeftButton, pos=rect.center().toPoint())
    assert window.selection.element == "B"
    assert window.settle()
    assert paths.subject.watched == "B"
    assert paths.form.title.text() == "Receiver U4.B5"
    assert "longer than a sixth" in paths.form.remark.text()
    assert paths.result is not None
    names = [paths.result.spans[k].id for k in paths.subject.route.spans]
    assert names == ["T1", "V1", "T2", "T3", "SB"]
    assert paths.subject.route.delay == pytest.approx(paths.subject.receiver.delay)


def test_a_shorter_stub_wins_the_margin_back(window: MainWindow) -> None:
    """The seeded fault of the trigger line: its second load hangs on 38 mm."""
    paths = look_at(window, "trig", element="SB")
    assert window.standing.state_of_object(Ref("path", "trig")) is State.FAILS
    back = {m.title: m.value for m in window.strip.margins}["Ring-back"]
    field = next(f for f in paths.form.form.fields if f.edit.accessibleName() == "Length")
    type_into(field.edit, "3 mm")
    assert window.settle()
    after = {m.title: m.value for m in window.strip.margins}["Ring-back"]
    assert after > back + 0.02
    window.undo()
    assert window.settle()
    assert {m.title: m.value for m in window.strip.margins}["Ring-back"] == pytest.approx(back)


def test_pulling_a_tributary_changes_its_length(window: MainWindow) -> None:
    paths = look_at(window, "trig")
    assert paths.result is not None
    span = next(s for s in paths.result.spans if s.id == "SA")
    rect = paths.ribbon.piece_rect(span)
    end = QPointF(rect.right(), rect.center().y())
    drag(paths.ribbon, end, end + QPointF(30, 0))
    assert window.settle()
    piece = the_path(window, "trig").element("SA")
    assert piece.length.si > 6e-3
    assert window.document.stack.undoText().startswith("Change SA")


def test_everything_that_can_be_inserted_runs(window: MainWindow) -> None:
    paths = look_at(window, "clk-two")
    for kind in (
        "trace",
        "drilled",
        "ferrite",
        "inductor",
        "connector",
        "capacitor",
        "shunt",
        "load",
        "branch",
    ):
        window.selection.choose_element("T1")
        before = len(list(the_path(window, "clk-two").all_elements))
        paths.ribbon.insert_wanted.emit(kind)
        assert window.settle(60_000), kind
        assert paths.surface.problem.text() == "", kind
        assert len(list(the_path(window, "clk-two").all_elements)) > before
        assert paths.form.title.text()
        window.undo()
    assert window.settle()


def test_elements_are_copied_moved_and_removed(window: MainWindow) -> None:
    paths = look_at(window, "trig", element="B")
    paths.ribbon.copy_wanted.emit()
    assert window.settle()
    new = window.selection.element
    assert new not in ("", "B")
    assert len(the_path(window, "trig").receivers) == 4
    window.selection.choose_element("V1")
    paths.ribbon.setFocus()
    QTest.keyClick(paths.ribbon, Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
    assert window.settle()
    assert [e.id for e in the_path(window, "trig").elements][:3] == ["Rs", "V1", "T1"]
    window.selection.choose_element(new)
    QTest.keyClick(paths.ribbon, Qt.Key.Key_Delete)
    assert window.settle()
    assert len(the_path(window, "trig").receivers) == 3


@pytest.mark.parametrize("kind", ["chain", "star", "tee", "fly-by"])
def test_a_topology_is_laid_out_in_one_step(window: MainWindow, kind: str) -> None:
    paths = look_at(window, "clk-two")
    paths.ribbon.topology_wanted.emit(kind, 4)
    assert window.settle(60_000)
    assert paths.surface.problem.text() == ""
    assert paths.result is not None
    assert len(paths.result.receivers) == 4
    assert all(r.high == pytest.approx(1.8, abs=0.01) for r in paths.result.receivers)
    window.undo()
    assert len(the_path(window, "clk-two").receivers) == 2


def test_straight_run_is_seen_against_what_is_laid_out(window: MainWindow) -> None:
    paths = look_at(window, "clk-adc")
    paths.ribbon.straight_wanted.emit()
    assert window.settle()
    kinds = {e.kind for e in the_path(window, "clk-adc").elements}
    assert "via" not in kinds
    assert len(paths.kept) == 1
    assert any(c.kept for c in paths.waves.plot._curves)


def test_device_models_are_chosen_and_swapped(window: MainWindow) -> None:
    paths = look_at(window, "clk-two", element=DRIVER)
    strong = paths.result.measures.overshoot
    paths.form.choices.choose("Model", "io18_light")
    assert window.settle()
    assert the_path(window, "clk-two").driver.model.model == "io18_light"
    assert paths.result.measures.overshoot < 0.6 * strong
    window.undo()
    paths.form.choices.choose("Run it", "ideal")
    assert window.settle()
    assert paths.result.measures.overshoot > strong
    window.undo()
    paths.form.choices.choose("Corner", "slow")
    assert window.settle()
    assert "slow" in paths.surface.remark.text()
    window.undo()
    window.selection.choose_element(RECEIVER)
    assert window.settle()
    paths.form.choices.choose("Look with", "probe")
    assert window.settle()
    assert the_path(window, "clk-two").receiver.stands_in == "probe"
    paths.form.choices.choose("Model file", "-")
    assert window.settle()
    assert the_path(window, "clk-two").receiver.model is None


def test_another_end_drives(window: MainWindow) -> None:
    paths = look_at(window, "clk-two", element=DRIVER)
    paths.form.choices.choose("Who drives", "A")
    assert window.settle()
    assert the_path(window, "clk-two").driving == "A"
    assert paths.surface.problem.text() == ""
    assert paths.result.last.high == pytest.approx(1.8, abs=0.01)


@pytest.mark.parametrize("kind", ["edge", "pulse", "bits", "pattern", "clock"])
def test_every_stimulus_runs(window: MainWindow, kind: str) -> None:
    paths = look_at(window, "clk-two", element=DRIVER)
    if the_path(window, "clk-two").stimulus.kind != kind:
        paths.form.choices.choose("Sends", kind)
    assert window.settle()
    assert paths.surface.problem.text() == ""
    assert paths.result is not None
    assert np.ptp(paths.result.load) > 1.0


def test_typed_bits_are_sent_and_nonsense_is_refused(window: MainWindow) -> None:
    paths = look_at(window, "clk-two", element=DRIVER)
    paths.form.choices.choose("Sends", "bits")
    assert window.settle()
    type_into(paths.form.bits.edit, "0111 0")
    assert window.settle()
    assert the_path(window, "clk-two").stimulus.bits == "01110"
    type_into(paths.form.bits.edit, "01x")
    assert paths.form.bits.problem.text()
    assert the_path(window, "clk-two").stimulus.bits == "01110"


def test_an_opened_device_file_is_used_and_kept_beside_the_project(
    window: MainWindow, tmp_path: Path
) -> None:
    from onda.project.files import shipped

    shipped()
    source = Path(__file__).parents[2] / "src/onda/data/devices/fulmar_memory.ibs"
    mine = tmp_path / "my part.ibs"
    mine.write_bytes(source.read_bytes().replace(b"dq_34", b"mine_"))
    paths = look_at(window, "spi-clk", element=DRIVER)
    paths.actions.use_file(mine)
    assert window.settle()
    use = the_path(window, "spi-clk").driver.model
    assert use is not None
    assert use.model == "mine_"
    assert paths.surface.problem.text() == ""
    target = tmp_path / "out" / "p.onda"
    target.parent.mkdir()
    from onda.project.store import load_project, save_project

    save_project(window.document.project, target)
    assert (target.parent / "devices" / "my part.ibs").read_bytes() == mine.read_bytes()
    assert load_project(target) == window.document.project


def test_a_known_file_gives_each_end_what_fits_it(window: MainWindow) -> None:
    paths = look_at(window, "spi-clk", element=DRIVER)
    before = the_path(window, "spi-clk")
    for file, end, words in (
        ("converter-ibs", DRIVER, "no model in it can drive here"),
        ("clock-ibs", RECEIVER, "no model in it can listen here"),
    ):
        paths.actions.use_known(file, end)
        assert window.settle()
        assert words in paths.surface.problem.text()
        assert the_path(window, "spi-clk") == before
    paths.actions.use_known("converter-ibs", RECEIVER)
    assert window.settle()
    after = the_path(window, "spi-clk")
    assert after.receivers[RECEIVER].model.model == "clk_in"
    assert after.driver.model == before.driver.model
    files = window.document.project.design.device_files
    assert len({f.id for f in files}) == len(files)
    paths.actions.use_known("clock-ibs", DRIVER)
    assert window.settle()
    assert the_path(window, "spi-clk").driver.model.model == "io18_medium"
    assert window.document.project.design.device_files == files


def test_a_file_that_is_no_device_file_is_told(window: MainWindow, tmp_path: Path) -> None:
    bad = tmp_path / "bad.ibs"
    bad.write_text("not at all")
    paths = look_at(window, "spi-clk", element=DRIVER)
    before = window.document.project
    paths.actions.use_file(bad)
    assert window.settle()
    assert "no [IBIS Ver]" in paths.surface.problem.text()
    assert window.document.project == before
    paths.actions.use_file(tmp_path / "none.ibs")
    assert "cannot be read" in paths.surface.problem.text()


def test_current_spectrum_bounces_and_measures_follow(window: MainWindow) -> None:
    paths = look_at(window, "clk-two", "current")
    current = paths.views.of("current")
    assert isinstance(current, WavesView)
    assert next(c.name for c in current.plot._curves) == "driver"
    paths.chips.choose("spectrum")
    spectrum = paths.views.of("spectrum")
    assert isinstance(spectrum, SpectrumView)
    assert len(spectrum.amps._bars) == 1
    window.keep()
    window.selection.choose_element("Rs")
    assert window.settle()
    type_into(paths.form.form.fields[0].edit, "40 ohm")
    assert window.settle()
    assert len(spectrum.amps._bars) == 2
    assert "falls most" in spectrum.sentence.text()
    paths.chips.choose("bounces")
    bounces = paths.views.of("bounces")
    assert isinstance(bounces, BouncesView)
    assert bounces.list.rows[0].cells[2] == "the edge itself"
    assert any("open" in r.cells[2] for r in bounces.list.rows)
    paths.chips.choose("measures")
    measures = paths.views.of("measures")
    assert isinstance(measures, MeasuresView)
    titles = [r.cells[0] for r in measures.table.rows]
    assert {"Overshoot", "Ring-back", "Flight time", "Duty"} <= set(titles)
    assert all(len(r.cells) == 3 for r in measures.table.rows)


@pytest.mark.parametrize("element", [DRIVER, RECEIVER])
def test_ends_are_not_taken_out(window: MainWindow, element: str) -> None:
    paths = look_at(window, "clk-adc", "waves", element)
    before = window.document.project
    paths.actions.take_out()
    assert window.settle()
    assert window.document.project is before
    assert paths.surface.problem.text() == ""


@pytest.mark.parametrize("order", [1, -1])
def test_of_two_limits_on_a_measure_the_one_that_fails_is_shown(
    make_window: MakeWindow, project: Project, order: int
) -> None:
    """One for every receiver that holds, one for the first receiver that fails."""
    limits = tuple(
        Requirement.model_validate(
            {"id": name, "kind": "path", "subject": "clk-two", "measure": "overshoot",
             "at_most": text, "receiver": receiver}
        )
        for name, text, receiver in (("wide", "5 V", None), ("narrow", "1 mV", "A"))
    )  # fmt: skip
    board = set_value(project, requirements=limits[::order])
    window = make_window(board, stage="paths")
    paths = look_at(window, "clk-two", "measures")
    assert paths.result is not None
    shown = [r.id for r in paths.result.receivers]
    assert shown == ["A", RECEIVER]
    measures = paths.views.of("measures")
    assert isinstance(measures, MeasuresView)
    row = next(r for r in measures.table.rows if r.id == "overshoot")
    t = window.look.t
    assert row.inks == ((1, t.fails), (2, t.holds))


def test_a_limit_on_the_current_is_typed(window: MainWindow) -> None:
    paths = look_at(window, "clk-two", "spectrum", DRIVER)
    type_into(paths.form.limit.edit, "100 70; 2000 40")
    assert window.settle()
    spectrum = paths.views.of("spectrum")
    assert isinstance(spectrum, SpectrumView)
    assert [c.name for c in spectrum.amps._curves] == ["limit"]
    assert "the limit" in spectrum.sentence.text()
    type_into(paths.form.limit.edit, "100; 3")
    assert paths.form.limit.problem.text()


def test_why_ranks_what_can_be_taken_away(window: MainWindow) -> None:
    paths = look_at(window, "clk-adc", "why")
    view = paths.views.of("why")
    rows, result = view.list.rows, view._result
    assert [r.cells[0] for r in rows] == [r.what for r in result.found]
    assert [r.cells[2] for r in rows] == [
        format_si(r.gain, measure(result.measure).dimension) for r in result.found
    ]
    told = " ".join([*(r.cells[0] for r in rows), view.head.text()])
    assert "via V2" in told
    assert "3.5 pF" in told
    assert f"{measure(result.measure).title} at {result.receiver}" in view.head.text()
    view.list.chosen.emit("0")
    assert "mV at" in view.sentence.text()


def test_why_asks_about_what_fails_most_now(window: MainWindow) -> None:
    paths = look_at(window, "clk-adc", "why")
    view = paths.views.of("why")
    assert view._result.measure == "overshoot"
    set_resistor(window, "clk-adc", 46.0)
    assert window.settle()
    held = {m.measure: m.normalised for m in window.standing.of(Ref("path", "clk-adc"))}
    assert view._result.measure == min(held, key=held.get) != "overshoot"
    assert measure(view._result.measure).title in view.head.text()


def test_why_asks_about_the_receiver_that_is_chosen(window: MainWindow) -> None:
    paths = look_at(window, "clk-two", "why")
    view = paths.views.of("why")
    names = {r.id: r.name for r in paths.subject.result.receivers}
    for receiver in ("A", "receiver"):
        window.selection.choose_element(receiver)
        assert window.settle()
        assert view._result.receiver == names[receiver]
    assert len(set(names.values())) == 2


def test_sweep_finds_the_best_resistor_and_takes_it(window: MainWindow) -> None:
    paths = look_at(window, "clk-chain", "sweep", "Rs")
    view = paths.views.of("sweep")
    assert "Everything holds from" in view.sentence.text()
    view.take.click()
    assert window.settle()
    best = the_path(window, "clk-chain").element("Rs").value.si
    assert 20.0 < best < 60.0
    assert window.standing.state_of_object(Ref("path", "clk-chain")) is not State.FAILS
    type_into(view.range.edit, "30 .. 50 ohm")
    assert window.settle()
    assert view._result.values[0] == pytest.approx(30.0)
    type_into(view.range.edit, "50 to 30 ohm")
    assert "rise" in view.range.problem.text()
    view.corners.choose("all")
    assert window.settle(120_000)
    assert len(view._result.names) == 13
    view.corners.choose("typ")
    view.second.setCurrentIndex(view.second.findData("T2"))
    view.second.activated.emit(view.second.currentIndex())
    assert window.settle(120_000)
    assert view._result.shape[1:] == (11, 9)
    assert view.field.isVisible()
    view.field.grab()


def test_device_view_shows_curves_and_quality(window: MainWindow) -> None:
    paths = look_at(window, "clk-two", "device", DRIVER)
    view = paths.views.of("device")
    assert "io18_strong" in view.title.text()
    assert any("Repeats" in row[0] for row in view.rows._rows)
    assert len(view.waves._curves) == 8
    window.selection.choose_element(RECEIVER)
    assert window.settle()
    assert "clk_in" in view.title.text()
    assert any(row[0] == "Never above" for row in view.rows._rows)
    window.selection.choose("clk-adc", "paths")
    window.selection.choose_element(DRIVER)
    assert window.settle()
    assert "is linear" in view.title.text()


def test_a_drilled_via_tells_its_stub(window: MainWindow) -> None:
    paths = look_at(window, "trig", element="V1")
    assert "shorts at" in paths.form.sentence.text()
    paths.form.choices.choose("Stub", "yes")
    assert window.settle()
    assert the_path(window, "trig").element("V1").back_drilled
    paths.form.choices.choose("To", "L1")
    assert window.settle()
    assert "same one" in paths.surface.problem.text()
    window.undo()


def test_night_and_large_windows_draw_every_view(window: MainWindow) -> None:
    paths = look_at(window, "trig", "waves")
    window.look.set_night(True)
    window.resize(2560, 1440)
    for key in ("waves", "current", "spectrum", "bounces", "measures", "why", "sweep", "device"):
        paths.chips.choose(key)
        assert window.settle(60_000)
        assert not window.grab().isNull()
    window.look.set_night(False)


def test_a_two_port_file_becomes_a_piece(window: MainWindow, tmp_path: Path) -> None:
    """A matched line of 100 ps as a file: the load sees the edge that much later."""
    from onda.engine.lines import lossless_line

    f = np.linspace(1e7, 8e9, 300)
    s = lossless_line(65.0).s_parameters(f, 100e-12)
    rows = ["# Hz S RI R 50"]
    for at, m in zip(f, s, strict=True):
        values = [m[0, 0], m[1, 0], m[0, 1], m[1, 1]]
        rows.append(f"{at:.8g} " + " ".join(f"{v.real:.9g} {v.imag:.9g}" for v in values))
    file = tmp_path / "piece.s2p"
    file.write_text("\n".join(rows))
    paths = look_at(window, "clk-adc", element="T1")
    before = paths.result.measures.delay
    paths.actions.use_file(file)
    assert window.settle(60_000)
    assert paths.surface.problem.text() == ""
    assert window.selection.element == "N1"
    assert paths.result.measures.delay == pytest.approx(before + 100e-12, abs=15e-12)
    assert "poles" in next(x.note for x in paths.result.spans if x.id == "N1")
    file.write_text("# Hz S RI R 50\n1 0 0\n")
    paths.actions.use_file(file)
    assert window.settle()
    assert "whole points" in paths.surface.problem.text()


def test_limits_are_typed_on_measures(window: MainWindow) -> None:
    """A limit that is not there yet, another value for it, nonsense, and none again."""
    paths = look_at(window, "clk-ref", "measures")
    view = paths.views.of("measures")
    assert isinstance(view, MeasuresView)
    view.chosen.emit("ring_back")
    type_into(view.limit.edit, ">= 5 V")
    assert window.settle()
    margins = {m.title: m for m in window.strip.margins}
    assert margins["Ring-back"].state is State.FAILS
    assert window.standing.state_of_object(Ref("path", "clk-ref")) is State.FAILS
    type_into(view.limit.edit, ">= 0.1 V")
    assert window.settle()
    assert window.standing.state_of_object(Ref("path", "clk-ref")) is not State.FAILS
    type_into(view.limit.edit, "soup")
    assert view.limit.problem.text()
    QTest.keyClick(view.limit.edit, Qt.Key.Key_Escape)
    view.chosen.emit("ring_back")
    assert view.limit.edit.text().startswith("≥ 0.1")
    type_into(view.limit.edit, "")
    assert window.settle()
    assert "Ring-back" not in {m.title for m in window.strip.margins}
    window.undo()
    assert "ring_back-clk-ref" in {r.id for r in window.document.project.requirements}


def test_a_load_ahead_of_all_line_is_watched_like_any_other(window: MainWindow) -> None:
    paths = look_at(window, "clk-two", element="Rs")
    paths.ribbon.insert_wanted.emit("load")
    assert window.settle()
    made = window.selection.element
    assert paths.subject.watched == made
    assert paths.surface.problem.text() == ""
    assert paths.subject.receiver.id == made
    assert len(paths.subject.route.spans) == 1
    assert not window.grab().isNull()


def test_the_step_and_its_error_are_those_of_the_result(window: MainWindow) -> None:
    paths = look_at(window, "clk-two", "measures")
    row = next(r for r in paths.views.of("measures").table.rows if r.id == "step")
    result = paths.result
    step, error = row.cells[1].split(" · ")
    assert step.endswith(" ps")
    assert float(step[:-3]) == pytest.approx(result.step * 1e12, abs=0.006)
    assert error.endswith(" %")
    assert float(error[:-2]) == pytest.approx(100.0 * result.step_error, rel=0.05)
    assert row.cells[2:] == ("",) * (len(result.receivers) - 1)


def test_a_lane_of_a_group_runs_between_its_neighbours(window: MainWindow) -> None:
    paths = look_at(window, "clk-adc", element="T1")
    paths.ribbon.insert_wanted.emit("lane")
    assert window.settle(120_000)
    lane = next(e for e in the_path(window, "clk-adc").elements if e.kind == "lane")
    assert (lane.group, lane.lane, lane.neighbours) == ("memory-byte", "dq0", "rest")
    window.selection.choose_element(lane.id)
    boxes = {box.accessibleName(): box for box in paths.form.findChildren(QComboBox)}
    for title, words in (("Lane", "DQ3"), ("Neighbours", "switch against")):
        boxes = {box.accessibleName(): box for box in paths.form.findChildren(QComboBox)}
        boxes[title].setCurrentText(words)
        boxes[title].activated.emit(boxes[title].currentIndex())
    assert window.settle(120_000)
    lane = next(e for e in the_path(window, "clk-adc").elements if e.kind == "lane")
    assert (lane.lane, lane.neighbours) == ("dq3", "against")
    result = paths.result
    shown = {c.name: c for c in paths.views.get("waves", WavesView).plot._curves}
    assert shown["DQ2"].y == pytest.approx(result.overheard[0].volts)
    assert shown["DQ2"].x == pytest.approx(result.time * 1e9)
    # It falls while the clock rises.
    assert result.overheard[0].volts[0] > result.overheard[0].volts[len(result.time) // 3] + 0.5
    span = next(s for s in result.spans if s.beside)
    center = paths.ribbon.piece_rect(span).center()
    QTest.mouseMove(paths.ribbon, center.toPoint())
    assert paths.ribbon._tip(lane.id) == "Between DQ2 and DQ4"
    # What paths run over cannot go.
    with pytest.raises(InputError, match="ADC sample clock uses it"):
        remove_object(window.document.project, Ref("group", "memory-byte"))
