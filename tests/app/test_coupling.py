"""Coupling in the real window: make, look, drag, turn, type, search, keep, undo."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from onda.app.plots.curves import CurvePlot
from onda.app.shell.window import MainWindow
from onda.app.stages.coupling.choices_view import ChoicesView
from onda.app.stages.coupling.stage import CouplingStage
from onda.project.base import set_value
from onda.project.coupling.edits import piece_of
from onda.project.model import Project
from onda.project.quantities import format_si, parse_quantity
from onda.studies.core.margin import State
from onda.studies.coupling.judge import value_of
from onda.studies.coupling.search import SearchInputs
from onda.studies.coupling.split import SplitInputs
from onda.studies.networks.network import level_db
from tests.app.conftest import MakeWindow, only

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def window(make_window: MakeWindow, project: Project) -> MainWindow:
    return make_window(only(project, "group"), stage="coupling")


def look_at(window: MainWindow, group: str, view: str = "spectra") -> CouplingStage:
    window.selection.go("coupling")
    window.selection.choose(group, "coupling")
    assert window.settle(60_000)
    stage = window.stages["coupling"]
    stage.views.choose(view)
    return stage


def spacings(window: MainWindow, group: str = "converter-lanes", piece: str = "C1") -> list[int]:
    found = piece_of(window.document.project.design.group(group), piece)
    return [round(q.si * 1e6) for q in found.spacings]


def plot_of(stage: CouplingStage) -> CurvePlot:
    return stage.views.get(stage.views.current, CurvePlot)


def curves(stage: CouplingStage) -> dict[str, tuple[np.ndarray, np.ndarray]]:
    return {c.name: (c.x, c.y) for c in plot_of(stage)._curves}


def type_in(field, text: str) -> None:
    field.edit.setText(text)
    field.edit.editingFinished.emit()


def rows(stage: CouplingStage) -> dict[str, tuple[str, str, str]]:
    return {name: (value, unit, kept) for name, value, unit, kept in stage.form.numbers._rows}


def test_the_worst_receiver_is_looked_at_first(window: MainWindow) -> None:
    stage = look_at(window, "converter-lanes")
    result = stage.result
    assert stage.subject.lane == "up0"
    assert stage.sentence.text().startswith(
        "UP0 hears 5.63 mV of noise, 100 % of its power from JL3"
    )
    assert "at the near end; 3.07 mV are allowed" in stage.sentence.text()
    shown = rows(stage)
    k = 4
    for name, value, unit in (
        ("Near end", 1e3 * result.noise[k].near, "mV"),
        ("Noise", 1e3 * result.noise[k].total, "mV"),
        ("Of allowed", 100 * value_of(result, "noise_share", k), "%"),
        ("Peaks", 1e3 * result.peak_sum(k), "mV"),
        ("Loss", result.noise[k].loss_db, "dB"),
        ("Arrival", 1e12 * result.arrivals[k].spread, "ps"),
    ):
        number, shown_unit, _ = shown[name]
        assert float(number.replace("−", "-")) == pytest.approx(value, rel=5e-3)
        assert shown_unit == unit


def test_where_the_near_end_saturates_stands_in_the_unit_chosen(
    window: MainWindow, request: pytest.FixtureRequest
) -> None:
    stage = look_at(window, "converter-lanes")
    result, k = stage.result, 4
    beside = [n.coupling.saturation_length for n in result.neighbours if k in (n.first, n.second)]
    assert 1e-3 < min(beside) < 0.5
    words = "Near end saturates after {:.3g} {} side by side."
    assert words.format(1e3 * min(beside), "mm") in stage.form.notes.text()
    request.getfixturevalue("in_inches")
    stage.form.show_result(result, None, "up0")
    assert words.format(min(beside) / 25.4e-3, "in") in stage.form.notes.text()


def test_margins_are_those_of_the_result(window: MainWindow) -> None:
    stage = look_at(window, "converter-lanes")
    _, margins, _ = stage.margins()
    shares = {m.measure: m for m in margins}
    worst = max(value_of(stage.result, "noise_share", k) for k in range(6))
    assert shares["noise_share"].value == pytest.approx(worst)
    assert shares["noise_share"].where == "at UP0, left"
    assert shares["noise_share"].state.value == "fails"
    assert shares["crosstalk_peak"].state.value == "holds"


def test_spectra_are_what_the_receiver_hears(window: MainWindow) -> None:
    stage = look_at(window, "converter-lanes")
    result = stage.result
    shown = curves(stage)
    x, y = shown["power sum"]
    assert x == pytest.approx(result.frequency[1:] * 1e-9)
    assert y == pytest.approx(20 * np.log10(result.power_sum(4)[1:]))
    assert shown["JL3, near"][1] == pytest.approx(level_db(result.heard[1:, 4, 3]))
    assert shown["UP1, far"][1] == pytest.approx(level_db(result.heard[1:, 4, 5]))
    assert shown["through"][1] == pytest.approx(level_db(result.heard[1:, 4, 4]))
    plot = plot_of(stage)
    assert (plot._x.words, plot._y.words) == ("Frequency, GHz", "Level, dB")


def test_pulses_are_at_the_whole_swing(window: MainWindow) -> None:
    stage = look_at(window, "converter-lanes", "pulses")
    result = stage.result
    shown = curves(stage)
    # 400 mV at the near end, 300 mV at the far end, both half swings.
    assert shown["JL3, near"][1] == pytest.approx(800 * result.volts[:, 4, 3])
    assert shown["UP1, far"][1] == pytest.approx(600 * result.volts[:, 4, 5])
    total = 800 * result.volts[:, 4, :4].sum(axis=1) + 600 * result.volts[:, 4, 5]
    assert shown["all together"][1] == pytest.approx(total)
    assert shown["all together"][0] == pytest.approx(1e9 * result.time)


def test_noise_lies_over_loss_with_what_is_allowed(window: MainWindow) -> None:
    stage = look_at(window, "converter-lanes", "noise")
    result, t = stage.result, window.look.t
    x, y = curves(stage)["allowed"]
    assert x.tolist() == [0.0, 4.0, 10.0, 20.0]
    assert y.tolist() == pytest.approx([3.4, 2.6, 1.5, 0.7])
    marks = {(round(a, 6), round(b, 6)): color for a, b, color in plot_of(stage)._marks}
    for k, one in enumerate(result.noise):
        color = marks[round(one.loss_db, 6), round(1e3 * one.total, 6)]
        assert color == (t.fails if k in (3, 4) else t.sea)


def test_arrival_bars_go_up_for_late(window: MainWindow) -> None:
    stage = look_at(window, "memory-byte", "arrival")
    result = stage.result
    for k, (bar, one) in enumerate(zip(plot_of(stage)._bars, result.arrivals, strict=True), 1):
        assert bar.x[0] == k
        assert bar.y[0] == pytest.approx(1e12 * (one.latest - one.quiet))
        assert bar.base == pytest.approx(1e12 * (one.earliest - one.quiet))
    assert curves(stage)["all along"][1][3] > 0 > curves(stage)["all against"][1][3]
    words = stage.sentence.text()
    assert "late when its neighbours switch along" in words
    assert "early when they switch against" in words
    alone = look_at(window, "converter-lanes", "arrival")
    assert "arrives" in alone.sentence.text()


def test_every_lane_has_its_own_noise_and_state_beside_it(window: MainWindow) -> None:
    stage = look_at(window, "memory-byte")
    result = stage.result
    allowed = np.array([(2.0, 1.05, 0.5)[k % 3] * x.total for k, x in enumerate(result.noise)])
    stage.subject.result = replace(result, allowed=allowed)
    notes = stage._notes(stage.group)
    wanted = (State.HOLDS, State.TIGHT, State.FAILS)
    for k, lane in enumerate(result.ids):
        assert notes[lane] == (format_si(result.noise[k].total, "voltage"), wanted[k % 3])
    assert len({words for words, _ in notes.values()}) > 1
    stage.subject.result = result


def test_the_matrix_tells_every_cell_and_chooses_its_row(window: MainWindow) -> None:
    stage = look_at(window, "converter-lanes")
    told = stage.matrix.told()
    assert len(told) == 30
    assert "JL3 hears 5.32 mV of UP0, near end" in told
    assert any(t.startswith("JL1 hears") and t.endswith("of JL0, far end") for t in told)
    cell = stage.matrix._cell()
    QTest.mouseClick(stage.matrix, LEFT, pos=QPoint(80, int(22 + 1.5 * cell)))
    assert stage.subject.lane == "jl1"
    assert "JL1 hears" in stage.sentence.text()
    assert stage.form.lane_name.edit.text() == "JL1"
    QTest.keyClick(stage.matrix, Qt.Key.Key_Down)
    assert stage.subject.lane == "jl2"
    assert curves(stage)["through"][1] == pytest.approx(level_db(stage.result.heard[1:, 2, 2]))


def test_shade_grows_with_level_on_the_half_that_applies(window: MainWindow) -> None:
    window.resize(1280, 800)
    window.show()
    stage = look_at(window, "converter-lanes")
    matrix = stage.matrix
    image = matrix.grab().toImage()
    cell = matrix._cell()

    def color(v: int, a: int, share: float) -> int:
        x, y = 52 + (a + share) * cell, 22 + (v + share) * cell
        return image.pixelColor(int(x), int(y)).lightness()

    # JL3 hears UP0 at its own end: the upper left half is dark; JL1 from JL0 the lower right.
    assert color(3, 4, 0.2) < color(3, 4, 0.85) - 60
    assert color(1, 0, 0.85) < color(1, 0, 0.15)
    assert color(3, 4, 0.2) < color(1, 0, 0.85)


def drag(
    view, start: tuple[float, float], by: float, modifier=Qt.KeyboardModifier.NoModifier
) -> None:
    x, y = round(start[0]), round(start[1])
    QTest.mousePress(view, LEFT, modifier, QPoint(x, y))
    for share in (0.3, 0.7, 1.0):
        QTest.mouseMove(view, QPoint(round(x + share * by), y))
    QTest.mouseRelease(view, LEFT, modifier, QPoint(round(x + by), y))


def test_a_lane_is_dragged_away_from_its_neighbour(window: MainWindow) -> None:
    window.show()
    stage = look_at(window, "converter-lanes")
    before = stage.result.noise[4].total
    lanes, _ = stage.cross._lanes()
    scale = stage.cross._scale
    drag(stage.cross, (stage.cross._x(lanes[4].left) + 3, 60), 20)
    assert window.settle(60_000)
    moved = spacings(window)
    assert moved[:3] + moved[4:] == [420] * 4
    assert moved[3] == pytest.approx(190 + 1e6 * 20 / scale, abs=3)
    assert stage.result.noise[4].total < 0.6 * before
    # One gesture is one step.
    window.document.undo()
    assert spacings(window) == [420, 420, 420, 190, 420]
    lanes, _ = stage.cross._lanes()
    shift = Qt.KeyboardModifier.ShiftModifier
    drag(stage.cross, (stage.cross._x(lanes[1].left) + 3, 60), 12, shift)
    assert window.settle(60_000)
    assert len(set(spacings(window))) == 1
    assert spacings(window)[0] > 420


def test_a_piece_is_pulled_and_a_lane_turned(window: MainWindow) -> None:
    window.show()
    stage = look_at(window, "converter-lanes")
    spans = stage.lanes._spans()
    length = spans[1].end - spans[1].start
    drag(stage.lanes, (spans[1].end, 80), -0.5 * length)
    assert window.settle(60_000)
    design = window.document.project.design
    assert piece_of(design.group("converter-lanes"), "C1").length.si == pytest.approx(
        12e-3, rel=0.05
    )
    apart, _ = stage.lanes._rows()
    at = QPoint(round(stage.lanes._spans()[1].start) + 30, round(apart[4]))
    QTest.mouseDClick(stage.lanes, LEFT, pos=at)
    assert window.settle(60_000)
    assert window.document.project.design.group("converter-lanes").lanes[4].towards == "right"
    assert not stage.result.near[3, 4]
    QTest.keyClick(stage.lanes, Qt.Key.Key_R)
    assert window.document.project.design.group("converter-lanes").lanes[4].towards == "left"


def test_fields_take_values_and_say_what_is_wrong(window: MainWindow) -> None:
    stage = look_at(window, "converter-lanes")
    form = stage.form
    titles = [f.title.text() for f in form.form.fields]
    assert titles[:3] == ["Length", "All distances", "This distance"]
    type_in(form.form.fields[1], "300 um")
    assert spacings(window) == [300] * 5
    stage.cross.gap_chosen.emit(2)
    type_in(form.form.fields[2], "250 um")
    assert spacings(window) == [300, 300, 250, 300, 300]
    for field, typed, words in (
        (form.guard, "banana", "is not a length"),
        (form.guard, "260 um", "overlaps lanes 250 um apart"),
        (form.guard, "-1 um", "above 0"),
        (form.ends["load"], "-4 ohm", "must be above 0 ohm"),
        (form.receiver, "soon", "is not a frequency"),
        (form.form.fields[0], "0 mm", "above 0"),
    ):
        before = window.document.project
        type_in(field, typed)
        assert words in field.problem.text()
        assert window.document.project is before
    type_in(form.guard, "80 um / 2 mm")
    type_in(form.ends["load"], "45 ohm")
    type_in(form.receiver, "9 GHz")
    group = window.document.project.design.group("converter-lanes")
    guard = piece_of(group, "C1").guard
    assert (guard.width.text, guard.pitch.text) == ("80 um", "2 mm")
    assert (group.load.text, group.receiver.text) == ("45 ohm", "9 GHz")
    assert window.settle(60_000)
    assert not stage.failure
    type_in(form.guard, "none")
    type_in(form.ends["load"], "matched")
    type_in(form.receiver, "usual")
    group = window.document.project.design.group("converter-lanes")
    assert (piece_of(group, "C1").guard, group.load, group.receiver) == (None, None, None)


def test_lanes_and_pieces_come_and_go_by_buttons(window: MainWindow) -> None:
    stage = look_at(window, "memory-byte")
    hand, design = stage.hand, lambda: window.document.project.design.group("memory-byte")
    stage.subject.look_at("dq7")
    hand.remove_lane()
    hand.add_lane()
    assert [x.name for x in design().lanes][-2:] == ["DQ6", "Lane 8"]
    hand.add_piece()
    assert stage.subject.piece.id == design().pieces[-1].id
    hand.choose_layer("L3")
    assert design().pieces[-1].layer == "L3"
    hand.remove_piece()
    hand.add_fan()
    assert not design().pieces[-1].coupled
    assert stage.cross._apart == ()
    stage.form.choices.choose("Lanes of", "general")
    assert design().line_class == "general"
    stage.subject.look_at("dq2")
    type_in(stage.form.lane_name, "DQS")
    assert design().lanes[2].name == "DQS"
    stage.subject.choose_element("C1")
    for _ in range(2):
        hand.remove_piece()
    before = design()
    stage.subject.choose_element(before.pieces[0].id)
    hand.remove_piece()
    assert design() is before
    assert "one piece or more" in stage.surface.problem.text()


def test_a_search_shows_where_it_holds(window: MainWindow) -> None:
    stage = look_at(window, "memory-byte", "search")
    assert "Search for the distance" in plot_of(stage)._empty.text()
    stage.search("spacing")
    assert window.settle(120_000)
    found = stage.subject.more["search"]
    assert stage.sentence.text() == found.words
    x, y = curves(stage)["worst margin"]
    assert x == pytest.approx(1e6 * found.tried[np.isfinite(found.margins)])
    assert y == pytest.approx(100 * found.margins[np.isfinite(found.margins)])
    assert plot_of(stage)._marks[0][0] == pytest.approx(1e6 * found.found)
    window.selection.choose("converter-lanes", "coupling")
    assert window.settle(60_000)
    # That of another group is not shown any more.
    assert "search" not in stage.subject.more


def test_a_search_is_of_the_piece_that_is_chosen(
    window: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    stage = look_at(window, "converter-lanes")
    asked: list[SearchInputs | SplitInputs] = []

    def note(slot: str, study: object, inputs, *_: object, **__: object) -> None:
        if slot == "search":
            asked.append(inputs())

    monkeypatch.setattr(stage.subject, "ask", note)
    pieces = stage.group.pieces
    assert len({p.coupled for p in pieces}) == 2
    for piece in pieces:
        window.selection.choose_element(piece.id)
        stage.search("spacing")
        inputs = asked[-1]
        # Where lanes do not see each other all pieces are meant.
        assert inputs.piece == (piece.id if piece.coupled else "")
        assert inputs.what == "spacing"
        assert len(inputs.limits) == len(stage.subject.requirements) > 0
    stage.search("split")
    assert asked[-1].piece == pieces[-1].id


def test_kept_states_stand_beside_the_present_one(window: MainWindow) -> None:
    stage = look_at(window, "converter-lanes")
    before = stage.result
    window.keep()
    stage.hand.put_spacing(set_value(stage.subject.piece, id="C1").spacings[0])
    assert window.settle(60_000)
    assert spacings(window) == [420] * 5
    names = list(curves(stage))
    kept = next(c for c in plot_of(stage)._curves if c.kept)
    assert kept.y == pytest.approx(level_db(before.power_sum(4)[1:].astype(complex)))
    assert "State 1" in names[-1]
    number, _, old = rows(stage)["Noise"]
    assert float(old) == pytest.approx(1e3 * before.noise[4].total, rel=5e-3)
    assert float(number) == pytest.approx(1e3 * stage.result.noise[4].total, rel=5e-3)
    _, margins, values = stage.margins()
    share = next(m for m in margins if m.measure == "noise_share")
    assert values[share.requirement] == [pytest.approx(value_of(before, "noise_share", 4))]


def test_waves_are_those_of_the_lane_that_is_looked_at(window: MainWindow) -> None:
    stage = look_at(window, "memory-byte", "waves")
    assert window.settle(120_000)
    waves = stage.subject.more["waves"]
    assert waves.lane == "DQ3"
    shown = curves(stage)
    for name, case in (
        ("neighbours quiet", "quiet"),
        ("all along", "along"),
        ("all against", "against"),
        ("at rest, others switch", "listens"),
    ):
        assert shown[name][0] == pytest.approx(1e9 * waves.time)
        assert shown[name][1] == pytest.approx(waves.wave(case).volts)
    assert shown["arrived"][1].tolist() == [waves.level] * 2
    late = 1e12 * (waves.wave("along").arrives - waves.wave("quiet").arrives)
    assert f"{late:.1f} ps late when its neighbours switch along" in stage.sentence.text()
    stage.subject.look_at("dq0")
    assert "waves" not in stage.subject.more
    assert "Computing" in plot_of(stage)._empty.text()
    assert window.settle(120_000)
    assert stage.subject.more["waves"].lane == "DQ0"
    assert "DQ0 arrives" in stage.sentence.text()
    models = stage.form.models
    models.choose("Drivers", "")
    assert window.document.project.design.group("memory-byte").driver is None
    assert window.settle(120_000)
    assert stage.subject.more["waves"].wave("quiet").arrives != waves.wave("quiet").arrives
    models.choose("Drivers", "memory-ibs|dq_48")
    assert window.document.project.design.group("memory-byte").driver.model == "dq_48"
    pairs = look_at(window, "converter-lanes", "waves")
    assert window.settle(120_000)
    assert "is made of pairs" in plot_of(pairs)._empty.text()
    assert pairs.form.models.boxes == []


def test_what_an_edit_has_made_old_is_taken_off_at_once(
    window: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    stage = look_at(window, "memory-byte", "waves")
    assert window.settle(120_000)
    assert "waves" in stage.subject.more
    # From now on nothing is known and nothing comes.
    monkeypatch.setattr(window.desk.runner.cache, "get_from_memory", lambda key: None)
    monkeypatch.setattr(window.desk, "_start_more", lambda: None)
    stage.hand.drag_spacing(-1, 300e-6)
    assert stage.subject.more == {}
    stage._draw_plot()
    assert plot_of(stage).curves == ()
    window.desk.cancel_all()


def test_the_eye_with_and_without_neighbours(window: MainWindow) -> None:
    stage = look_at(window, "memory-byte", "eye")
    assert window.settle(120_000)
    eye = stage.subject.more["eye"]
    shown = curves(stage)
    for name, side in (("alone", eye.alone), ("with crosstalk", eye.crowded)):
        x, y = shown[name]
        clear = side.upper > side.lower
        count = int(clear.sum())
        assert x[:count] == pytest.approx(eye.moments[clear] / eye.unit_interval)
        assert y[:count] == pytest.approx(1e3 * side.upper[clear])
        assert y[count : 2 * count][::-1] == pytest.approx(1e3 * side.lower[clear])
    words = stage.sentence.text()
    assert words.startswith("At an error rate of 1e−12 the eye of DQ3 is")
    assert f"{eye.crowded.height:.3f} V by {eye.crowded.width / eye.unit_interval:.2f} UI" in words
    assert f"{eye.alone.height:.2f} V by" in words
    # Further apart the neighbours take less of it.
    stage.hand.put_spacing(parse_quantity("500 um", "length"))
    assert window.settle(120_000)
    assert stage.subject.more["eye"].crowded.height > eye.crowded.height + 0.1


def test_a_group_becomes_a_network(window: MainWindow) -> None:
    stage = look_at(window, "memory-byte")
    stage.hand.as_network()
    assert window.settle(60_000)
    assert window.selection.stage == "networks"
    networks = window.stages["networks"]
    assert networks.network.source.group == "memory-byte"
    assert len(networks.result.ports) == 16
    assert "all of its conductors" in networks.form.what.text()


def test_an_empty_board_makes_a_group_from_three_decisions(make_window: MakeWindow) -> None:
    window = make_window(stage="coupling")
    stage = window.stages["coupling"]
    stage.begin_making()
    maker = stage.maker
    maker.decide("of", "uplink-pairs@L6")
    maker.type("lanes", "3")
    maker.type("length", "20 mm")
    maker.make.click()
    assert window.settle(60_000)
    assert len(stage.group.lanes) == 3
    assert stage.result is not None
    _, margins, _ = stage.margins()
    assert [m.measure for m in margins] == ["lane_noise"]


def test_a_group_that_cannot_be_solved_says_why(window: MainWindow) -> None:
    stage = look_at(window, "converter-lanes")
    hand = stage.hand
    for _ in range(8):
        hand.add_lane()
    type_in(stage.form.guard, "60 um")
    assert window.settle(60_000)
    assert "41 conductors in one section, at most 40" in stage.surface.problem.text()
    assert stage.result is None
    assert rows(stage) == {}
    # Back to where its lanes were solved before.
    for _ in range(9):
        window.document.undo()
    assert window.settle(60_000)
    assert stage.result is not None


def ledger(stage: CouplingStage) -> list[tuple[str, ...]]:
    return [row.cells for row in stage.views.get("choices", ChoicesView).list._rows]


def test_choices_tell_what_each_would_bring_to_the_receiver(window: MainWindow) -> None:
    stage = look_at(window, "converter-lanes", "choices")
    assert window.settle(120_000)
    found = stage.subject.more["choices"]
    shown = ledger(stage)
    assert [c[0] for c in shown] == [c.words for c in found.choices]
    for cells, one in zip(shown, found.choices, strict=True):
        assert number(cells[1]) == pytest.approx(1e3 * one.noise[4], rel=5e-3)
        assert number(cells[2]) == pytest.approx(one.change_db[4], abs=0.051)
        assert number(cells[3]) == pytest.approx(1e3 * one.noise.max(), rel=5e-3)
    assert stage.sentence.text().startswith("UP0 would be quietest with: all lanes one way, −28.")
    stage.subject.look_at("jl0")
    assert window.settle(60_000)
    one = found.choices[-1]
    assert number(ledger(stage)[-1][2]) == pytest.approx(one.change_db[0], abs=0.051)


def number(text: str) -> float:
    value, unit = text.replace("−", "-").split()
    return float(value) * {"mV": 1.0, "µV": 1e-3, "V": 1e3, "dB": 1.0}[unit]


def test_common_modes_are_shown_where_they_are_asked_for(window: MainWindow) -> None:
    stage = look_at(window, "converter-lanes")
    assert not any("common" in name for name in curves(stage))
    stage.common.setChecked(True)
    shown = curves(stage)
    result = stage.result
    assert shown["common mode, own"][1] == pytest.approx(level_db(result.common[1:, 4, 4]))
    assert shown["common mode, JL3"][1] == pytest.approx(level_db(result.common[1:, 4, 3]))
    window.selection.choose("memory-byte", "coupling")
    assert window.settle(60_000)
    assert not stage.common.isVisible()


def test_bits_of_all_lanes_lie_over_each_other(window: MainWindow) -> None:
    stage = look_at(window, "memory-byte", "bits")
    assert window.settle(120_000)
    bits = stage.subject.more["bits"]
    shown = curves(stage)
    x, y = shown["lowest one"]
    apart = bits.upper > bits.lower
    assert x == pytest.approx((bits.phases / bits.unit_interval - 0.5)[apart])
    assert y == pytest.approx(bits.upper[apart])
    assert shown["highest zero"][1] == pytest.approx(bits.lower[apart])
    ones = shown["ones"][1].reshape(-1, bits.traces.shape[1] + 1)
    assert ones[:, :-1] == pytest.approx(bits.traces[bits.ones])
    # Between two bits nothing is drawn.
    assert np.isnan(ones[:, -1]).all()
    assert f"{bits.height:.3f} V apart" in stage.sentence.text()
    window.selection.choose("converter-lanes", "coupling")
    assert window.settle(60_000)
    assert "made of pairs" in stage._why_not


def test_a_split_is_found_and_taken_in_one_step(window: MainWindow) -> None:
    stage = look_at(window, "memory-byte", "search")
    stage.search_buttons["split"].click()
    assert window.settle(120_000)
    found = stage.subject.more["search"]
    assert stage.sentence.text() == found.words
    x, y = curves(stage)["worst margin"]
    assert x == pytest.approx([1e6 * s.width for s in found.splits])
    assert y == pytest.approx([100 * s.margin for s in found.splits])
    assert plot_of(stage)._x.words == "Width of a line, µm"
    before = window.document.project
    assert stage.take_button.isVisible()
    stage.take_button.click()
    assert window.settle(60_000)
    trace = window.document.project.design.line_class("memory").trace_on("L1")
    assert trace.width.si == pytest.approx(found.best.width)
    apart = [round(found.best.spacing * 1e6)] * 7
    assert spacings(window, "memory-byte") == apart
    # What was found was of the group as it was.
    assert "search" not in stage.subject.more
    assert not stage.take_button.isVisible()
    window.undo()
    assert window.document.project is before


def test_a_plane_is_opened_under_a_piece(window: MainWindow) -> None:
    stage = look_at(window, "converter-lanes")
    closed = stage.result.noise[4].total
    window.selection.choose_element("C1")
    type_in(stage.form.open, "L4")
    assert window.settle(60_000)
    assert piece_of(stage.group, "C1").open_planes == ("L4",)
    assert stage.result.noise[4].total > 1.3 * closed
    assert "L4 is open along C1" in stage.form.notes.text()
    type_in(stage.form.open, "L3")
    assert "no plane that could be open" in stage.form.open.problem.text()
    type_in(stage.form.open, "none")
    assert window.settle(60_000)
    assert stage.result.noise[4].total == pytest.approx(closed)


def test_vias_are_put_changed_and_taken_away(window: MainWindow) -> None:
    stage = look_at(window, "memory-byte")
    before = [n.total for n in stage.result.noise]
    stage.subject.choose_element("C1")
    assert not stage.form.returns.isVisibleTo(stage.form)
    stage.hand.toggle_vias()
    assert window.settle(60_000)

    def vias():
        return piece_of(window.document.project.design.group("memory-byte"), "C1").vias

    # From the outer layer on the other side, where the group begins.
    assert (vias().from_layer, vias().pitch.text, vias().returns) == ("L8", "1 mm", 1)
    with_vias = [n.total for n in stage.result.noise]
    assert all(now > then for now, then in zip(with_vias, before, strict=True))
    assert "Vias of C1 couple by their currents" in stage.form.notes.text()
    fields = {f.title.text(): f for f in stage.form.via_form.fields}
    assert list(fields) == ["Drill", "Pad", "Anti-pad", "Via to via", "To return vias"]
    assert fields["To return vias"].edit.text() == "1 mm"
    type_in(fields["Via to via"], "2 mm")
    type_in(stage.form.returns, "2")
    type_in(stage.form.rest, "0.1 mm")
    assert (vias().pitch.text, vias().returns) == ("2 mm", 2)
    assert (vias().back_drilled, vias().rest.text) == (True, "0.1 mm")
    assert window.settle(60_000)
    assert all(a < b for a, b in zip([n.total for n in stage.result.noise], with_vias, strict=True))
    type_in(stage.form.rest, "none")
    assert not vias().back_drilled
    for field, typed, words in (
        (stage.form.returns, "many", "is no number of vias"),
        (stage.form.returns, "9", "less than or equal to 8"),
        (fields["Drill"], "-1 mm", "above 0"),
    ):
        kept = vias()
        type_in(field, typed)
        assert words in field.problem.text()
        assert vias() is kept
    # Vias that touch cannot be solved; the picture stays, and says why.
    type_in(fields["Via to via"], "0.3 mm")
    assert window.settle(60_000)
    assert "0.3 mm from one to another" in stage.failure
    for _ in range(6):
        window.document.undo()
    assert window.settle(60_000)
    assert vias() is None
    assert [n.total for n in stage.result.noise] == pytest.approx(before)
    # Two pieces on one layer have nothing to go through.
    stage.subject.choose_element("F1")
    stage.hand.toggle_vias()
    assert "both run on L1" in stage.surface.problem.text()


def test_chances_are_those_of_the_eye_study(window: MainWindow) -> None:
    stage = look_at(window, "converter-lanes", "chance")
    assert window.settle(60_000)
    found = stage.subject.more["eye"]
    shown = curves(stage)
    for name, one in (
        ("near end", found.heard_near),
        ("far end", found.heard_far),
        ("all", found.heard),
    ):
        assert shown[name][0] == pytest.approx(1e3 * one.size)
        assert shown[name][1] == pytest.approx(one.log10)
    assert found.heard_near.most > found.heard_far.most > 0.0
    (x, y, _), *_ = plot_of(stage)._marks
    assert (x, y) == pytest.approx((1e3 * found.heard.rare, -12.0))
    limit = next(v for k, v in shown.items() if k.startswith("effective"))
    assert limit[0] == pytest.approx([1e3 * found.heard.effective] * 2)
    words = stage.sentence.text()
    assert f"hears {1e3 * found.heard.effective:.2f} mV rms" in words
    assert "once in 1e12 bits" in words
    # A byte whose lanes all run the same way hears far ends only.
    alone = look_at(window, "memory-byte", "chance")
    assert window.settle(60_000)
    assert "near end" not in curves(alone)
    assert "all" not in curves(alone)
