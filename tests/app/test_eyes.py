"""Eyes at their error rate in the real window: settings, ends, stress, four levels, margin."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QComboBox, QFileDialog

from onda.app.plots.curves import CurvePlot
from onda.app.shell.window import MainWindow
from onda.app.stages.eyes.costs_view import CostsView
from onda.app.stages.eyes.map_view import MapView
from onda.app.stages.eyes.margin_view import MarginView
from onda.app.stages.eyes.rate_view import RateView
from onda.app.stages.eyes.stage import EyesStage
from onda.formats.signal_csv import write_signals
from onda.project.base import set_value
from onda.project.links import executable
from onda.project.model import Project
from onda.project.quantities import format_si, parse_quantity
from onda.studies.links.inputs import link_inputs
from onda.studies.links.link import LinkEye
from onda.studies.links.margin import OPERATING_MARGIN, margin_inputs
from onda.studies.links.merit_map import LINK_MAP, MapInputs
from tests.app.conftest import MakeWindow, only
from tests.models import MODELS, needs_compiler, shipped_model


@pytest.fixture
def window(make_window: MakeWindow, project: Project) -> MainWindow:
    return make_window(only(project, "link"), stage="eyes")


def look_at(window: MainWindow, link: str, view: str = "rate") -> EyesStage:
    window.selection.go("eyes")
    window.selection.choose(link, "eyes")
    stage = window.stages["eyes"]
    stage.views.choose(view)
    assert window.settle(120_000)
    return stage


def link_of(window: MainWindow, link: str = "jl0"):
    return window.document.project.design.link(link)


def rate_view(stage: EyesStage) -> RateView:
    return stage.views.get("rate", RateView)


def result_of(stage: EyesStage) -> LinkEye:
    assert stage.rate is not None
    return stage.rate


def curves(plot: CurvePlot) -> dict[str, tuple[np.ndarray, np.ndarray]]:
    return {c.name: (c.x, c.y) for c in plot._curves}


def type_in(field, text: str) -> None:
    field.edit.setText(text)
    field.edit.editingFinished.emit()


def choose(stage: EyesStage, title: str, words: str) -> None:
    boxes = {b.accessibleName(): b for b in stage.inspector.findChildren(QComboBox)}
    boxes |= {b.accessibleName(): b for b in stage.chain.findChildren(QComboBox)}
    boxes[title].setCurrentText(words)
    boxes[title].activated.emit(boxes[title].currentIndex())


def rows(stage: EyesStage) -> dict[str, tuple[str, str]]:
    return {name: (value, unit) for name, value, unit, *_ in stage.panel.numbers._rows}


def test_what_each_equaliser_earns_stands_side_by_side(window: MainWindow) -> None:
    stage = look_at(window, "up0")
    result = result_of(stage)
    shown = [v for v in rate_view(stage).eyes if v.isVisible()]
    assert [v.title for v in shown] == [s.name for s in result.settings]
    assert shown[0].title == "all equalisers"
    for view, setting in zip(shown, result.settings, strict=True):
        assert view.setting is setting
        if setting.height <= 0.0:
            assert view.words == "closed"
            continue
        height, width = view.words.split(" by ")
        number, unit = height.split()
        scale = {"mV": 1e3, "V": 1.0}[unit]
        assert float(number) == pytest.approx(scale * setting.height, rel=5e-3)
        assert float(width.split()[0]) == pytest.approx(
            setting.width / result.unit_interval, abs=6e-4
        )
    # One scale for all.
    assert len({v.reach for v in shown}) == 1


def test_bathtubs_pulse_and_responses_are_those_of_the_result(window: MainWindow) -> None:
    stage = look_at(window, "up0")
    result, view = result_of(stage), rate_view(stage)
    tubs = curves(view.bathtubs)
    for eye in result.eye.eyes:
        assert tubs[eye.name][0] == pytest.approx(result.moments / result.unit_interval)
        assert tubs[eye.name][1] == pytest.approx(eye.bathtub)
    assert view.bathtubs._limits[0].y == pytest.approx(-6.0)
    pulse = curves(view.pulse)["sampled"]
    ui = result.time / result.unit_interval
    assert pulse[1] == pytest.approx(1e3 * np.interp(pulse[0], ui, result.pulse), abs=1e-6)
    marks = {x: y for x, y, _ in view.pulse._marks}
    assert marks[0.0] == pytest.approx(1e3 * result.cursors[0])
    assert marks[-1.0] == pytest.approx(1e3 * result.cursors[-1])
    bars = {float(b.x[0]): float(b.y[0]) for b in view.pulse._bars if b.base == 0.0}
    assert bars[1.0] == pytest.approx(1e3 * result.taps[0])
    response = curves(view.response)
    assert response["channel"][0] == pytest.approx(result.frequency * 1e-9)
    assert response["channel"][1] == pytest.approx(result.channel_db)
    assert response["equalised"][1] == pytest.approx(result.equalised_db)


def test_numbers_beside_it_and_margins_below(window: MainWindow) -> None:
    stage = look_at(window, "jl3")
    result, shown = result_of(stage), rows(stage)
    for name, value, unit in (
        ("Height", 1e3 * result.eye.height, "mV"),
        ("Signal over all", result.merit.db, "dB"),
        ("Crosstalk", 1e3 * result.merit.crosstalk, "mV"),
        ("Random jitter", result.jitter.random / result.unit_interval, "UI"),
        ("Worst case", 1e3 * result.worst, "mV"),
    ):
        number, shown_unit = shown[name]
        factor = 1e-3 if (shown_unit, unit) == ("V", "mV") else 1.0
        assert float(number) == pytest.approx(value * factor, rel=6e-3)
    _, margins, _ = stage.margins()
    by_measure = {m.measure: m for m in margins}
    assert by_measure["eye_height_at_rate"].value == pytest.approx(result.eye.height)
    assert by_measure["eye_width_at_rate"].value == pytest.approx(
        result.eye.width / result.unit_interval
    )
    assert by_measure["eye_height_at_rate"].state.value == "holds"


def test_ends_are_typed_and_the_eye_follows(window: MainWindow) -> None:
    stage = look_at(window, "jl0")
    before = result_of(stage)
    assert [s.name for s in before.settings] == ["all equalisers"]
    type_in(stage.chain.receiver.decisions, "3")
    type_in(stage.chain.receiver.gains, "0, -2, -4")
    assert window.settle(60_000)
    link = link_of(window)
    assert link.listener.decisions == 3
    assert [g.si for g in link.listener.gains] == [0.0, -2.0, -4.0]
    # A zero and poles where a receiver of that rate has them.
    assert link.listener.zero.si == pytest.approx(16.25e9 / 4, rel=1e-3)
    after = result_of(stage)
    assert len(after.taps) == 3
    assert after.eye.height > before.eye.height
    type_in(stage.chain.transmitter.taps, "-0.05 0.85 -0.1")
    assert window.settle(60_000)
    sender = link_of(window).sender
    assert (sender.taps, sender.main) == ((-0.05, 0.85, -0.1), 1)
    choose(stage, "Taps are", "the best found")
    assert window.settle(60_000)
    assert link_of(window).sender.setting == "best"
    assert sum(abs(t) for t in result_of(stage).chain.taps) == pytest.approx(1.0)
    for _ in range(4):
        window.undo()
    assert window.settle(60_000)
    assert link_of(window).listener.decisions == 0
    assert result_of(stage).eye.height == pytest.approx(before.eye.height)


def test_nonsense_is_refused_where_it_is_typed(window: MainWindow) -> None:
    stage = look_at(window, "jl0")
    for field, text, words in (
        (stage.chain.transmitter.taps, "a b", "no list of taps"),
        (stage.chain.receiver.gains, "3", "at or below 0 dB"),
        (stage.chain.receiver.decisions, "many", "no number of taps"),
        (stage.panel.error_rate, "soon", "no error rate"),
        (stage.panel.error_rate, "0.5", ""),
    ):
        before = window.document.project
        type_in(field, text)
        assert words in field.problem.text()
        assert field.problem.text()
        assert window.document.project is before


def test_stress_moves_the_contour(window: MainWindow) -> None:
    stage = look_at(window, "jl0")
    calm = result_of(stage)
    specs = {s.title: s for s in stage.chain.transmitter.stress._specs}
    specs["Bounded"].put(parse_quantity("0.1 UI", "unit interval"))
    assert window.settle(60_000)
    shaken = result_of(stage)
    assert calm.eye.width - shaken.eye.width == pytest.approx(
        0.1 * calm.unit_interval, abs=0.02 * calm.unit_interval
    )
    type_in(stage.panel.error_rate, "1e-6")
    assert window.settle(60_000)
    assert result_of(stage).error_rate == 1e-6
    assert rate_view(stage).bathtubs._limits[0].y == pytest.approx(-6.0)


def test_a_kept_state_stands_beside_now(window: MainWindow) -> None:
    stage = look_at(window, "jl0")
    before = result_of(stage)
    window.keep()
    type_in(stage.chain.receiver.decisions, "4")
    assert window.settle(60_000)
    shown = [v for v in rate_view(stage).eyes if v.isVisible()]
    assert [v.is_kept for v in shown] == [False, True]
    assert shown[1].setting.height == pytest.approx(before.eye.height)
    assert shown[0].setting.height > before.eye.height
    kept = [c for c in rate_view(stage).bathtubs._curves if c.kept]
    assert kept[0].y == pytest.approx(before.eye.eyes[0].bathtub)


def test_four_levels_have_three_eyes_both_ways(window: MainWindow) -> None:
    stage = look_at(window, "jl0", "bits")
    choose(stage, "Levels", "four")
    assert window.settle(60_000)
    assert link_of(window).modulation == "pam4"
    assert stage.views.current == "bits"
    assert len(result_of(stage).eye.eyes) == 3
    eye = stage.result.eye
    assert len(eye.openings) == 3
    shown = rows(stage)
    for name, one in zip(("Lower", "Middle", "Upper"), eye.openings, strict=True):
        height = format_si(one.height, "voltage").split(" ")
        assert list(shown[f"{name} height"]) == height
        assert shown[f"{name} width"] == (f"{one.width:.3f}", "UI")
    assert "Third level" in shown
    window.undo()
    assert window.settle(60_000)
    assert len(stage.result.eye.openings) == 1
    assert "Third level" not in rows(stage)


def test_an_eye_over_a_lane_of_a_group(window: MainWindow) -> None:
    stage = look_at(window, "jl0")
    choose(stage, "Over", "DQ3 of Memory byte 0")
    assert window.settle(120_000)
    link = link_of(window)
    assert (link.path, link.group, link.group_lane) == (None, "memory-byte", "dq3")
    heard = result_of(stage)
    assert heard.crosstalk > 0.0
    choose(stage, "Other lanes", "are left out")
    assert window.settle(120_000)
    assert result_of(stage).crosstalk == 0.0
    assert result_of(stage).eye.height > heard.eye.height


def test_the_density_is_dark_where_it_is_likely(window: MainWindow) -> None:
    stage = look_at(window, "jl0")
    view = rate_view(stage).eyes[0]
    image = view.grab().toImage()
    box = view._box

    def dark(moment: float, volts: float) -> float:
        color = QColor(image.pixel(round(view._x(moment)), round(view._y(volts))))
        return 255.0 - color.lightness()

    result = result_of(stage)
    at = 0.2 * result.unit_interval
    column = result.eye.density[int(np.argmin(np.abs(result.moments - at)))]
    often = abs(float(result.eye.volts[int(np.argmax(column))]))
    assert box.contains(view._x(at), view._y(often))
    assert dark(at, often) > 100.0
    assert dark(at, -often) > 100.0
    # In the open, off the lines that measure it.
    assert dark(at, 0.3 * often) < 60.0


def test_the_operating_margin_with_every_figure(window: MainWindow) -> None:
    stage = look_at(window, "up1", "margin")
    view = stage.views.get("margin", MarginView)
    figures = {c.cells[0]: c.cells[1] for c in view.figures._rows}
    assert figures["Operating margin, COM"].endswith(" dB")
    value = float(figures["Operating margin, COM"].split()[0].replace("−", "-"))
    assert view.sentence.text().startswith(f"Operating margin {value:.2f} dB")
    signal = float(figures["Available signal, A_s"].split()[0])
    noise = float(figures["Noise peak, A_ni"].split()[0])
    assert 20 * np.log10(signal / noise) == pytest.approx(value, abs=0.1)
    sheet = {c.cells[0]: c.cells[1] for c in view.sheet._rows}
    assert sheet["Symbol rate, f_b"] == "26.5625 GBd"
    assert (sheet["Levels"], sheet["Level mismatch, R_LM"]) == ("4", "0.95")
    stage = look_at(window, "jl0", "margin")
    assert "does not run over a network" in view.sentence.text()
    assert view.figures._rows == []


def test_what_costs_most_is_listed_first(window: MainWindow) -> None:
    stage = look_at(window, "jl3", "costs")
    view = stage.views.get("costs", CostsView)
    result = result_of(stage)
    cells = {row.cells[0]: row.cells for row in view.list._rows}
    assert next(iter(cells)) == "random jitter"
    feedback = next(s for s in result.settings if s.name == "without feedback")
    height, unit = cells["decision feedback"][1].split()
    assert unit == "V"
    assert float(height) == pytest.approx(feedback.height, rel=2e-3)
    lost = float(cells["decision feedback"][2].split()[0].replace("−", "-"))
    assert lost == pytest.approx(1e3 * (feedback.height - result.eye.height), abs=0.2)
    assert view.sentence.text().startswith("Random jitter costs most width, 0.0")
    assert "Decision feedback earns most height, 39" in view.sentence.text()


def test_the_worst_pattern_is_played_along_the_path(window: MainWindow) -> None:
    stage = look_at(window, "jl0", "bits")
    assert stage.result is not None
    bits = "".join(str(int(b)) for b in stage.result.peak.worst_one)
    panel = stage.panel
    assert panel.play.isVisibleTo(panel)
    # There is no path to play them along where a network carries them, nor are four levels bits.
    panel.show_link(link_of(window, "up0"))
    assert not panel.play.isVisibleTo(panel)
    panel.show_link(set_value(link_of(window), modulation="pam4"))
    assert not panel.play.isVisibleTo(panel)
    panel.show_link(link_of(window))
    panel.play.click()
    assert window.settle(60_000)
    assert window.selection.stage == "paths"
    path = window.document.project.design.path("jl0")
    assert path.stimulus.kind == "bits"
    assert path.stimulus.bits == bits
    assert path.stimulus.rate.si == pytest.approx(16.25e9)
    # Eight bits more, for what comes behind them.
    assert path.stimulus.window.si == pytest.approx((len(bits) + 8) / 16.25e9, rel=1e-3)
    window.undo()
    assert window.document.project.design.path("jl0").stimulus.kind != "bits"


@needs_compiler
def test_an_executable_model_is_taken_set_and_removed(
    make_window: MakeWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    parameters, _ = shipped_model(tmp_path, "fulmar_tx")
    window = make_window(stage="eyes")
    window.selection.choose("jl0", "eyes")
    stage = window.stages["eyes"]
    stage.views.choose("rate")
    assert window.settle(90_000)
    before = stage.rate.eye.height
    fields = stage.chain.transmitter.model
    assert not fields.remove.isVisibleTo(fields)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(parameters), ""))
    fields.choose.click()
    assert window.settle(90_000)
    link = window.document.project.design.link("jl0")
    assert link.sender.model is not None
    assert fields.name.text() == "fulmar_tx.so"
    # Who chose it here allowed it.
    assert not fields.allow.isVisibleTo(fields)
    assert list(fields.fields) == ["before", "behind"]
    assert fields.fields["behind"].edit.text() == "-0.1"
    assert [s.name for s in stage.rate.settings] == ["all equalisers", "without models"]
    assert stage.rate.settings[1].height == pytest.approx(before)
    with_model = stage.rate.eye.height
    assert with_model != pytest.approx(before, rel=1e-3)
    # A device file that names the same files says the same.
    device = tmp_path / "fulmar_serdes.ibs"
    device.write_bytes((MODELS / "fulmar_serdes.ibs").read_bytes())
    fields.remove.click()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(device), ""))
    fields.choose.click()
    assert window.settle(90_000)
    assert stage.rate.eye.height == pytest.approx(with_model)
    field = fields.fields["behind"]
    field.edit.setText("-0.3")
    field.edit.editingFinished.emit()
    assert window.settle(90_000)
    assert stage.rate.eye.height != pytest.approx(with_model, rel=1e-3)
    field.edit.setText("9")
    field.edit.editingFinished.emit()
    assert "lies between -0.5 and 0.5" in field.problem.text()
    # Not allowed on another machine: it is said, and can be allowed here.
    monkeypatch.setattr(executable, "_allowed", dict)
    window.document.edit("x", set_value(window.document.project, revision="rev X"))
    window.document.undo()
    stage.refresh()
    assert fields.allow.isVisibleTo(fields)
    monkeypatch.undo()
    fields.allow.click()
    assert not fields.allow.isVisibleTo(fields)
    fields.remove.click()
    assert window.settle(90_000)
    assert window.document.project.design.link("jl0").sender.model is None
    assert stage.rate.eye.height == pytest.approx(before)
    assert fields.fields == {}


def test_the_sheet_of_the_margin_is_edited_in_place(window: MainWindow) -> None:
    stage = look_at(window, "up1", "margin")
    view = stage.views.get("margin", MarginView)

    def figure() -> float:
        shown = {c.cells[0]: c.cells[1] for c in view.figures._rows}
        return float(shown["Operating margin, COM"].split()[0].replace("\u2212", "-"))

    def put(name: str, typed: str) -> None:
        view.sheet.chosen.emit(name)
        view.entry.edit.setText(typed)
        view.entry.edit.editingFinished.emit()
        assert window.settle(90_000)

    before = figure()
    view.sheet.chosen.emit("package_length")
    assert view.entry.title.text() == "Package, z_p"
    assert view.entry.edit.text() == "30.00 mm"
    put("package_length", "12 mm")
    entry = window.document.project.design.link("up1").sheet[0]
    assert (entry.id, entry.values) == ("package_length", (0.012,))
    shorter = figure()
    assert abs(shorter - before) > 0.1
    result = window.desk.runner.result(
        OPERATING_MARGIN, margin_inputs(window.document.project.design, link_of(window, "up1"))
    )
    assert shorter == pytest.approx(result.com_db, abs=0.01)
    rows = {c.id: c for c in view.sheet._rows}
    assert rows["package_length"].cells[1] == "12.00 mm"
    assert rows["package_length"].inks
    assert not rows["capacitance"].inks
    put("gains", "0 -2 -4")
    assert window.document.project.design.link("up1").sheet[1].values == (0.0, -2.0, -4.0)
    for name, typed, words in (
        ("package_length", "soon", "is not a length"),
        ("random", "much", "is no number"),
        ("error_ratio", "0.7", "between 0 and 1/2"),
    ):
        kept = window.document.project
        view.sheet.chosen.emit(name)
        view.entry.edit.setText(typed)
        view.entry.edit.editingFinished.emit()
        assert words in view.entry.problem.text()
        assert window.document.project is kept
    put("gains", "usual")
    put("package_length", "")
    assert window.document.project.design.link("up1").sheet == ()
    assert figure() == pytest.approx(before)


def test_the_map_of_settings_is_that_of_the_study_and_gives_its_best(window: MainWindow) -> None:
    stage = look_at(window, "jl3", "map")
    view = stage.views.get("map", MapView)
    found = view._found
    wanted = MapInputs(
        link_inputs(window.document.project.design, link_of(window, "jl3")), "behind", "before"
    )
    expected = window.desk.runner.result(LINK_MAP, wanted)
    assert found.merit_db == pytest.approx(expected.merit_db)
    # Up is up, and what lies across lies across.
    shown = view.image.image
    row, column = np.unravel_index(int(np.argmax(shown)), shown.shape)
    assert found.up_values[row] == found.best[1]
    assert found.across_values[column] == found.best[0]
    box = view.image.mapRectToParent(view.image.boundingRect())
    assert box.left() < found.across_values[0] < found.across_values[-1] < box.right()
    assert box.top() < found.up_values[0] < found.up_values[-1] < box.bottom()
    marks = [(x, y) for x, y, _ in view.plot._marks]
    assert marks == [found.best[:2], found.chosen[:2]]
    words = view.sentence.text().replace("\u2212", "-")
    assert f"Signal over all else {found.chosen[2]:.1f} dB" in words
    if found.best[2] > found.chosen[2] + 0.05:
        assert f"{found.best[2]:.1f} dB at most" in words
    for curve in view.plot._curves:
        down = float(curve.name.split()[0])
        some = np.isfinite(curve.x)
        x = np.interp(curve.x[some], found.across_values, np.arange(len(found.across_values)))
        assert 0 <= x.min() <= x.max() <= len(found.across_values) - 1
        assert down in (1.0, 3.0)
    view.pairs.choose("behind-gain")
    assert window.settle(90_000)
    assert view._found.up == "gain"
    assert view.plot._y.words == "Gain at 0 Hz, dB"
    # Nothing on it is better than no such equaliser at all: there is nothing to take.
    assert view.take.isEnabled() == (view._found.best[2] > view._found.chosen[2] + 0.05)
    stage.hand.take_setting({"behind": -0.2, "gain": -6.0})
    assert window.settle(90_000)
    link = link_of(window, "jl3")
    assert link.sender.taps == pytest.approx((0.0, 0.8, -0.2))
    assert link.listener.gain.si == pytest.approx(-6.0)
    assert view._found.chosen[:2] == pytest.approx((-0.2, -6.0))
    assert view.take.isEnabled()
    best = view._found.best
    view.take.click()
    assert window.settle(90_000)
    assert view._found.chosen[2] == pytest.approx(best[2], abs=0.05)
    assert not view.take.isEnabled()


def test_a_kept_state_that_is_undone_leaves_the_eye_as_it_is(window: MainWindow) -> None:
    stage = look_at(window, "jl0", "bits")
    window.keep()
    assert window.settle(90_000)
    assert stage.kept
    window.undo()
    # The result of the state is still there when the eye is drawn the next time.
    stage.draw()
    assert window.settle(90_000)
    assert stage.named_kept == []
    assert "State" not in stage.panel.measured.remark.text()


def test_while_something_moves_a_few_bits_are_enough(window: MainWindow) -> None:
    stage = look_at(window, "jl0", "bits")
    assert stage.result.eye.bits == link_of(window).bits == 100_000
    assert stage.panel.measured.remark.text() == "over 100\u202f000 bits"
    window.document.begin_gesture()
    stage.refresh()
    assert window.settle(90_000)
    assert stage.result.eye.bits == 6000
    window.document.end_gesture()
    assert window.settle(90_000)
    assert stage.result.eye.bits == link_of(window).bits
    # A link of fewer bits has no more of them meanwhile.
    short = set_value(link_of(window), bits=500)
    assert stage._inputs(short, 6000) == stage._inputs(short, None)


def test_what_is_of_another_link_or_moment_is_forgotten(
    window: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    stage = look_at(window, "jl3")
    window.keep()
    assert window.settle(90_000)
    assert len(stage.rate_kept) == 1
    rate = stage.rate
    # While it is dragged the strip goes by the eye that is shown, not by what the board knows.
    eye = replace(rate.eye, eyes=(replace(rate.eye.eyes[0], height=0.1234),))
    stage.rate = replace(rate, settings=(eye, *rate.settings[1:]))
    live = {m.measure: m.value for m in stage.margins()[1]}
    assert live["eye_height_at_rate"] == pytest.approx(0.1234)
    stage._fail_rate("the loop never settles")
    assert stage.rate is None
    assert stage.surface.problem.text() == "the loop never settles"
    noted: list[bool] = []
    monkeypatch.setattr(window.standing, "note", lambda: noted.append(True))
    stage._show_rate(rate)
    # The board is told of the eye that it goes by, once nothing moves.
    window.document.begin_gesture()
    stage._show_rate(rate)
    assert noted == [True]
    window.document.end_gesture()
    stage.along = object()
    assert stage.chain.strip.point == "decided"
    stage._ask_point(link_of(window, "jl3"))
    assert stage.along is None
    stage.along = object()
    stage.forget_results()
    assert (stage.rate, stage.along, stage.rate_kept) == (None, None, {})


def test_a_link_is_run_over_a_pulse_of_a_file(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    stage = look_at(window, "jl0")
    ui = 1.0 / link_of(window).symbols_per_second
    time = np.linspace(0.0, 8.0 * ui, 801)
    value = np.clip((0.6 - np.abs(time / ui - 1.5)) / 0.2, 0.0, 1.0)
    file = tmp_path / "lane.csv"
    file.write_text(write_signals(time, value[:, None], ("value",)))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(file), ""))
    stage.chain.channel.choices.choose("Over", "pulse")
    assert window.settle(90_000)
    link = link_of(window)
    assert link.pulse is not None
    assert (link.path, link.network) == (None, None)
    box = stage.chain.strip.boxes[1]
    assert (box.part, box.upper, box.lower, box.point) == (
        "channel",
        "lane.csv",
        "pulse",
        "channel",
    )
    # Of a swing of 1 V half is left to either side, and nothing disturbs.
    assert stage.rate.cursors[0] == pytest.approx(0.5, rel=0.01)
    window.undo()
    assert window.settle(90_000)
    assert link_of(window).pulse is None
    # Who leaves the dialog keeps what was.
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: ("", ""))
    before = window.document.project
    stage.chain.channel.choices.choose("Over", "pulse")
    assert window.document.project is before
