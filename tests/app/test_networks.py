"""The Networks stage in the real window: chain, order, curves, profile, quality, limits."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from onda.app.shell.window import MainWindow
from onda.app.stages.networks.chain_view import port_words
from onda.app.stages.networks.curve_sets import band_of, in_form, picked
from onda.app.stages.networks.quality_view import QualityView, findings
from onda.app.stages.networks.skew_view import SkewView
from onda.app.stages.networks.stage import NetworksStage
from onda.errors import InputError
from onda.formats.touchstone.reader import read_touchstone
from onda.formats.touchstone.write import write_touchstone
from onda.project.base import set_value
from onda.project.edits import replace_object
from onda.project.model import Project
from onda.project.networks.network import ChainSource
from onda.project.quantities import fixed
from onda.studies.core.margin import State
from onda.studies.networks.limits import worst_of_curve
from tests.app.conftest import MakeWindow, drag, only, type_into


@pytest.fixture
def window(make_window: MakeWindow, project: Project) -> MainWindow:
    return make_window(only(project, "network"), stage="networks")


def stage(window: MainWindow) -> NetworksStage:
    found = window.stages["networks"]
    assert isinstance(found, NetworksStage)
    return found


def look_at(window: MainWindow, network: str, view: str = "curves") -> NetworksStage:
    window.selection.go("networks")
    window.selection.choose(network, "networks")
    assert window.settle(60_000)
    networks = stage(window)
    networks.chips.choose(view)
    assert window.settle(60_000)
    return networks


def the_network(window: MainWindow, identifier: str):
    return window.document.project.design.network(identifier)


def state_of(window: MainWindow, requirement: str) -> State:
    return next(m.state for m in stage(window).margins()[1] if m.requirement == requirement)


def undo(window: MainWindow) -> None:
    window.undo()
    assert window.settle(60_000)


# ---- the chain and the order


def test_a_wire_is_dragged_and_the_proof_turns_wrong(window: MainWindow) -> None:
    networks = look_at(window, "up0-channel")
    chain = networks.chain
    assert [b.name for b in chain.boxes][1] == "Mezzanine connector"
    assert "where the order says" in networks.proof.verdict.text()
    drag(chain, chain.port_at(0, "right", 0), chain.port_at(1, "left", 1))
    assert window.settle(60_000)
    assert the_network(window, "up0-channel").source.pieces[0].wires == (1, 0)
    assert "Wires look crossed" in networks.proof.verdict.text()
    assert not networks.proof.button.isVisible()
    undo(window)
    assert the_network(window, "up0-channel").source.pieces[0].wires == ()
    assert "where the order says" in networks.proof.verdict.text()


def test_ports_of_a_file_change_places_by_dragging(window: MainWindow) -> None:
    networks = look_at(window, "sensor-cable")
    assert "looks wrong" in networks.proof.verdict.text()
    assert state_of(window, "insertion-sensor-cable") is State.FAILS
    chain = networks.chain
    drag(chain, chain.port_at(0, "left", 1), chain.port_at(0, "right", 0))
    assert window.settle(60_000)
    assert the_network(window, "sensor-cable").order == (1, 3, 2, 4)
    assert state_of(window, "insertion-sensor-cable") is State.HOLDS
    undo(window)
    assert the_network(window, "sensor-cable").order == ()


def test_one_button_puts_the_ports_in_order(window: MainWindow) -> None:
    networks = look_at(window, "sensor-cable")
    assert networks.proof.button.isVisible()
    QTest.mouseClick(networks.proof.button, Qt.MouseButton.LeftButton)
    assert window.settle(60_000)
    assert the_network(window, "sensor-cable").order == (1, 3, 2, 4)
    assert not networks.proof.button.isVisible()
    assert networks.form.order.currentData() == "odd"
    undo(window)


def test_the_chain_by_keys_and_buttons(window: MainWindow) -> None:
    networks = look_at(window, "up0-channel")
    before = the_network(window, "up0-channel")
    networks.chain.setFocus()
    QTest.keyClick(networks.chain, Qt.Key.Key_Right)
    assert networks.subject.piece.id == "connector"
    QTest.keyClick(networks.chain, Qt.Key.Key_Right, Qt.KeyboardModifier.ControlModifier)
    ids = [p.id for p in the_network(window, "up0-channel").source.pieces]
    assert ids == ["board", "hub", "connector"]
    QTest.mouseClick(networks.form.removed, Qt.MouseButton.LeftButton)
    assert the_network(window, "up0-channel").source.pieces[2].removed
    QTest.mouseClick(networks.form.turned, Qt.MouseButton.LeftButton)
    assert the_network(window, "up0-channel").source.pieces[2].turned
    assert window.settle(60_000)
    assert "taken away" in networks.chain.accessibleDescription()
    networks.chain.setFocus()
    QTest.keyClick(networks.chain, Qt.Key.Key_Delete)
    assert len(the_network(window, "up0-channel").source.pieces) == 2
    for _ in range(4):
        undo(window)
    assert the_network(window, "up0-channel") == before
    assert [p.id for p in before.source.pieces] == ["board", "connector", "hub"]


def test_a_piece_lights_up_below_and_opens_by_a_double_click(window: MainWindow) -> None:
    networks = look_at(window, "up0-channel", "time")
    middle = networks.chain._rect(1).center().toPoint()
    QTest.mouseMove(networks.chain, middle)
    assert window.selection.hovered == "connector"
    assert networks.time._lit == "connector"
    QTest.mouseDClick(networks.chain, Qt.MouseButton.LeftButton, pos=middle)
    assert networks.network.id == "mezzanine"
    assert window.settle(60_000)


def test_a_piece_that_does_not_fit_is_told_and_loses_nothing(window: MainWindow) -> None:
    networks = look_at(window, "up0-channel")
    networks.edits.add_piece("board-uplinks")
    assert window.settle(60_000)
    assert "has 8 ports" in networks.surface.problem.text()
    assert networks.result is None
    undo(window)
    assert networks.surface.problem.text() == ""
    assert networks.result is not None
    networks.edits.add_piece("up0-channel")
    assert "made of itself" in networks.surface.problem.text()


# ---- curves


def test_presets_forms_and_bands(window: MainWindow) -> None:
    networks = look_at(window, "up0-channel")
    view = networks.curves
    view.presets.choose("insertion")
    names = [c.name for c in view.curves]
    assert "through" in names
    limits = [c for c in view.curves if "at least" in c.name]
    # Drawn where they hold: up to 13.28 GHz, then up to 20, and nowhere else.
    assert [round(c.x[-1], 2) for c in limits] == [13.28, 20.0]
    required = next(
        r
        for r in window.document.project.requirements
        if (r.subject, r.measure) == ("up0-channel", "insertion")
    )
    worst = worst_of_curve(required, networks.result)
    assert worst.limit < 0.0
    assert (
        view.sentence.text()
        .removesuffix("</span>")
        .endswith(
            f">Holds by {worst.margin:.2f} dB at {worst.frequency / 1e9:.3g} GHz: "
            f"{fixed(worst.value, 2)} dB against \u2212{-worst.limit:.2f} dB ({worst.curve})."
        )
    )
    type_into(view.typed_band.edit, "1 to 8 GHz")
    assert view.curves[0].x[0] >= 1.0
    assert view.curves[0].x[-1] <= 8.0
    view._choose_band("nyquist")
    assert view.curves[0].x[-1] == pytest.approx(13.28, abs=0.05)
    type_into(view.typed_band.edit, "soup")
    assert view.curves[0].x[-1] == pytest.approx(13.28, abs=0.05)
    view._choose_band("all")
    for form in ("size", "phase", "unwrapped", "delay", "polar", "impedance", "db"):
        view.form.setCurrentIndex(view.form.findData(form))
        view.draw()
    view.presets.choose("any")
    type_into(view.entries.edit, "S21 S43")
    assert [c.name for c in view.curves] == ["S21", "S43"]
    with pytest.raises(InputError, match="no port 9"):
        view._choose_entries("S91")
    view.presets.choose("fit")
    assert "Deviation" in view.sentence.text()
    (lane,) = networks.result.lanes
    fits = {"loss": lane.loss_db, "fit": lane.fit_db, "deviation": lane.deviation_db}
    assert [c.name for c in view.curves] == list(fits)
    for curve in view.curves:
        inside = (lane.band >= 0.999e9 * curve.x[0]) & (lane.band <= 1.001e9 * curve.x[-1])
        assert len(curve.x) > 100
        assert curve.x == pytest.approx(lane.band[inside] / 1e9)
        assert curve.y == pytest.approx(fits[curve.name][inside])
    assert f"Deviation {lane.ild:.3f} dB" in view.sentence.text()
    view.presets.choose("insertion")


def test_one_curve_against_another_network(window: MainWindow) -> None:
    """The opening against the whole plane, in dB and where most."""
    networks = look_at(window, "board-uplinks")
    view = networks.curves
    view.presets.choose("near_end")
    view.against.setCurrentIndex(view.against.findData("board-uplinks-whole"))
    view.against.activated.emit(view.against.currentIndex())
    assert window.settle(60_000)
    assert "above Board, planes whole" in view.sentence.text()
    assert view.curves[0].y.max() > 10.0
    view.against.setCurrentIndex(0)
    view.against.activated.emit(0)
    assert "against" in view.sentence.text()


def test_kept_states_are_drawn_beside(window: MainWindow) -> None:
    networks = look_at(window, "mezzanine")
    window.keep()
    type_into(networks.form.reference.edit, "42.5 ohm")
    assert window.settle(60_000)
    view = networks.curves
    view.presets.choose("return")
    kept = [c for c in view.curves if c.kept]
    assert kept
    assert np.abs(kept[0].y - view.curves[0].y).max() > 1.0
    assert stage(window).margins()[2]["return-mezzanine"][0] == pytest.approx(-16.0, abs=0.5)


def test_values_of_forms() -> None:
    f = np.linspace(1e9, 2e9, 101)
    values = 0.5 * np.exp(-2j * np.pi * f * 1e-10)
    assert in_form(f, values, "db")[0] == pytest.approx(-6.02, abs=0.01)
    assert in_form(f, values, "size")[3] == pytest.approx(0.5)
    assert in_form(f, values, "delay") == pytest.approx(np.full(101, 100.0))
    assert in_form(f, values, "unwrapped")[-1] - in_form(f, values, "unwrapped")[0] == (
        pytest.approx(-36.0)
    )
    assert [port_words(k, 4, True) for k in range(4)] == ["1P", "1N", "2P", "2N"]
    assert port_words(0, 1, False) == ""


def test_bands_and_entries_that_are_not_there(window: MainWindow) -> None:
    result = look_at(window, "fixture-left").result
    assert result is not None
    with pytest.raises(InputError, match="no data rate"):
        band_of("nyquist", result)
    with pytest.raises(InputError, match="no band"):
        band_of("5 to 2 GHz", result)
    with pytest.raises(InputError, match="no entry"):
        picked(result, "any", "soup")


def test_curves_stand_against_another_network(window: MainWindow) -> None:
    networks = look_at(window, "mezzanine")
    box = networks.curves.against

    def against(name: str) -> None:
        box.setCurrentIndex(box.findData(name))
        box.activated.emit(box.currentIndex())
        assert window.settle(60_000)

    def drawn() -> np.ndarray:
        return np.interp([1.0, 2.0], networks.curves.curves[0].x, networks.curves.curves[0].y)

    def level(name: str) -> np.ndarray:
        result = look_at(window, name).result
        found = result.curve_set("insertion").values[0]
        return np.interp([1e9, 2e9], result.frequency, 20 * np.log10(np.abs(found)))

    own, other = level("mezzanine"), level("hub-card")
    # Among the others it does not stand itself.
    assert box.findData("hub-card") == -1
    look_at(window, "mezzanine")
    networks.curves.presets.choose("insertion")
    assert drawn() == pytest.approx(own, abs=0.02)
    against("hub-card")
    assert drawn() == pytest.approx(own - other, abs=0.02)
    # Turned to that one, nothing is held against itself.
    look_at(window, "hub-card")
    assert drawn() == pytest.approx(other, abs=0.02)
    assert box.currentData() == ""
    look_at(window, "mezzanine")
    assert drawn() == pytest.approx(own - other, abs=0.02)
    # Another network than what is kept: against that, its own past.
    window.keep()
    turned = set_value(the_network(window, "mezzanine"), order=(2, 1, 3, 4))
    window.document.edit("Turn", replace_object(window.document.project, turned))
    assert window.settle(60_000)
    against("kept")
    kept = networks.named_kept[-1].result.curve_set("insertion").values[0]
    now = networks.result.curve_set("insertion").values[0]
    f = networks.result.frequency
    wanted = 20 * np.log10(np.abs(now) / np.abs(kept))
    assert drawn() == pytest.approx(np.interp([1e9, 2e9], f, wanted), abs=0.02)
    against("")
    assert drawn() == pytest.approx(np.interp([1e9, 2e9], f, 20 * np.log10(np.abs(now))), abs=0.02)


# ---- the profile


def test_markers_name_the_piece_and_a_gate_takes_it_out(window: MainWindow) -> None:
    networks = look_at(window, "up0-channel", "time")
    view = networks.time
    view.profile.pressed.emit(370.0)
    assert "in Mezzanine connector" in view.sentence.text()
    view.profile.pressed.emit(600.0)
    assert "230.0 ps apart" in view.sentence.text()
    assert "in Hub card, measured" in view.sentence.text()
    type_into(view.gate.edit, "330 to 430 ps")
    assert window.settle(60_000)
    assert [c.name for c in view.gated._curves] == ["whole", "gate", "rest"]
    type_into(view.gate.edit, "430 to 330 ps")
    assert view.gate.edit.text() == "430 to 330 ps"
    QTest.mouseClick(view.ungate, Qt.MouseButton.LeftButton)
    assert [c.name for c in view.gated._curves] == ["whole"]
    view.sides.choose("right")
    view.modes.choose("common")
    assert view.reflection.reference == 25.0
    view.modes.choose("diff")
    view.sides.choose("left")


def test_crosstalk_lies_over_the_profile(window: MainWindow) -> None:
    view = look_at(window, "board-uplinks", "time").time
    first = view.ledger.rows[0]
    assert first.cells[0] == "near 2"
    assert float(first.cells[1].split()[0]) == pytest.approx(230, abs=20)
    assert "92 %" in first.cells[3]
    view.ledger.chosen.emit(first.id)
    assert "Ω at 222 ps" in view.sentence.text()
    view.lanes.choose("1")
    assert view.ledger.rows[0].cells[0] == "near 1"
    view.below.choose("impulse")
    assert "Impulse" in view._lower.text()
    view.below.choose("step")
    assert "Step" in view._lower.text()
    view.below.choose("crosstalk")
    # Both plots share their axis.
    a = view.profile.plot.getViewBox().viewRange()[0]
    assert view.crosstalk.plot.getViewBox().viewRange()[0] == pytest.approx(a)


# ---- quality, skew, limits


def test_a_remedy_mends_and_is_undone(window: MainWindow) -> None:
    networks = look_at(window, "hub-card", "quality")
    view = networks.views.of("quality")
    assert isinstance(view, QualityView)
    assert {f[0]: f[2] for f in findings(networks.result)}["Passivity"] == "fair"
    assert state_of(window, "passivity-hub-card") is State.FAILS
    QTest.mouseClick(view.remedies["passive"], Qt.MouseButton.LeftButton)
    assert window.settle(60_000)
    assert state_of(window, "passivity-hub-card") is State.HOLDS
    assert "moved no entry by more than" in view.sentence.text()
    undo(window)
    assert state_of(window, "passivity-hub-card") is State.FAILS
    assert not view.remedies["passive"].isChecked()


def test_the_model_in_time_is_shown(window: MainWindow) -> None:
    networks = look_at(window, "mezzanine", "quality")
    view = networks.views.of("quality")
    assert isinstance(view, QualityView)
    QTest.mouseClick(view.model, Qt.MouseButton.LeftButton)
    assert window.settle(60_000)
    model = networks.subject.model
    assert model is not None
    assert f"Model in time of {model.size}" in view.sentence.text()
    assert f"within {model.error:.2g} of every entry" in view.sentence.text()
    assert f"largest gain {model.gain:.4f} in the band" in view.sentence.text()
    # Of the network as it was nothing stands beside the mended one.
    QTest.mouseClick(view.remedies["passive"], Qt.MouseButton.LeftButton)
    assert window.settle(60_000)
    assert networks.subject.model is None
    assert "Model in time" not in view.sentence.text()


def test_skew_has_its_figures(window: MainWindow) -> None:
    networks = look_at(window, "mezzanine", "skew")
    view = networks.views.of("skew")
    assert isinstance(view, SkewView)
    assert view.ledger.rows[0].cells[1].startswith("+0.6")
    assert "N comes later" in view.sentence.text()


def test_limits_are_typed_changed_and_taken_away(window: MainWindow) -> None:
    networks = look_at(window, "mezzanine", "limits")
    view = networks.limits
    view.measure.setCurrentIndex(view.measure.findData("conversion"))
    view.measure.activated.emit(0)
    type_into(view.entry.edit, "50 MHz to 10 GHz: <= -20 - f")
    assert window.settle(60_000)
    rows = [r.cells[1] for r in view.ledger.rows]
    assert "50 MHz to 10 GHz: ≤ -20 - f" in rows
    chosen = next(r.id for r in view.ledger.rows if "-20 - f" in r.cells[1])
    view.ledger.chosen.emit(chosen)
    assert view.entry.edit.text() == "50 MHz to 10 GHz: <= -20 - f"
    type_into(view.entry.edit, "50 MHz to 10 GHz: <= -50")
    assert window.settle(60_000)
    assert any(r.cells[3] == "fails" for r in view.ledger.rows if r.cells[0] == "Conversion")
    view.ledger.chosen.emit(chosen)
    type_into(view.source.edit, "Fulmar note 7")
    assert any(r.cells[4] == "Fulmar note 7" for r in view.ledger.rows)
    view.ledger.chosen.emit(chosen)
    type_into(view.entry.edit, "")
    assert not [r for r in view.ledger.rows if r.cells[0] == "Conversion"]
    view.measure.setCurrentIndex(view.measure.findData("pair_skew"))
    type_into(view.entry.edit, "<= 0.1 ps")
    assert any(r.cells[0] == "Skew in pair" for r in view.ledger.rows)
    before = window.document.project
    type_into(view.entry.edit, "soup")
    assert window.document.project is before


def test_sets_are_used_and_shared(window: MainWindow, tmp_path: Path) -> None:
    networks = look_at(window, "board-uplinks-whole", "limits")
    view = networks.limits
    assert not view.ledger.rows
    view.sets.setCurrentIndex(view.sets.findText("Fulmar uplink, 26.5625 GBd"))
    view._use()
    assert window.settle(60_000)
    assert len(view.ledger.rows) == 7
    path = tmp_path / "mine.json"
    view.save_set(path)
    assert json.loads(path.read_text())["kind"] == "onda requirement set 1"
    view.open_set(path)
    assert view.sets.currentText() == "mine"
    path.write_text("soup")
    with pytest.raises(InputError, match="JSON"):
        view.open_set(path)


# ---- files in and out


def test_a_file_is_read_and_written(window: MainWindow, tmp_path: Path) -> None:
    networks = look_at(window, "mezzanine")
    f = np.arange(1, 200) * 1e8
    s = np.zeros((len(f), 2, 2), complex)
    s[:, 0, 1] = s[:, 1, 0] = np.exp(-2j * np.pi * f * 1e-10)
    path = tmp_path / "my line ü.s2p"
    path.write_bytes(write_touchstone(f, s, np.array([50.0])))
    networks.edits.read_file(path)
    assert window.settle(60_000)
    assert networks.network is not None
    assert (networks.network.name, networks.network.lane) == ("my line ü", "single")
    assert networks.result is not None
    out = tmp_path / "out.s2p"
    networks.edits.write(out, networks.result)
    assert read_touchstone(out.read_bytes(), "out.s2p").data == pytest.approx(s, abs=1e-10)
    networks.edits.write(tmp_path / "out.s7p", networks.result)
    assert "End the name" in networks.surface.problem.text()
    saved = tmp_path / "project.onda"
    window.document.save(saved)
    assert (tmp_path / window.document.project.design.device_files[-1].path).exists()


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"# GHz S RI R 50\n1 0 0\n", "not whole points"),
        (b"soup", "no number"),
        (b"", "not whole points"),
    ],
)
def test_bad_files_are_told_and_lose_nothing(
    window: MainWindow, tmp_path: Path, content: bytes, words: str
) -> None:
    networks = look_at(window, "mezzanine")
    before = window.document.project
    path = tmp_path / "bad.s2p"
    path.write_bytes(content)
    networks.edits.read_file(path)
    assert window.settle(60_000)
    assert words in networks.surface.problem.text()
    assert window.document.project is before


def test_what_a_network_can_be_made_of(window: MainWindow) -> None:
    networks = look_at(window, "fixture-2x")
    words = [a.text() for a in networks.add_menu().actions()]
    assert "A file of S-parameters…" in words
    assert "Both halves of Fixtures end to end" in words
    # Each by its name: lines that are one line, every path, every group; a click makes it.
    design = window.document.project.design
    menus = {a.text(): a.menu() for a in networks.add_menu().actions()}

    def named(menu: str) -> list[str]:
        return [a.text() for a in menus[menu].actions()]

    assert named("A piece of line") == [c.name for c in design.line_classes if c.structure.one_line]
    assert named("A path") == [p.name for p in design.paths]
    assert named("A group of lanes") == [g.name for g in design.groups]
    files = [n.name for n in design.networks if n.source.kind == "file" and n.id != "fixture-2x"]
    assert named("Fixtures end to end without fixtures, by a 2x through") == files
    for menu, name in (("A piece of line", "Clocks"), ("A path", "SPI clock")):
        next(a for a in menus[menu].actions() if a.text() == name).trigger()
        assert window.settle(60_000)
        source = networks.network.source
        assert {"A piece of line": "line_class", "A path": "path"}[menu] in source.model_fields_set
        window.document.undo()
    assert window.settle(60_000)
    window.selection.choose("fixture-2x", "networks")
    assert window.settle(60_000)
    networks.edits.halves_of_this()
    assert window.settle(60_000)
    assert networks.network.source.side == "right"
    networks.edits.from_line("clocks")
    assert window.settle(60_000)
    assert (networks.network.lane, networks.result.reference) == ("single", 50.0)
    networks.edits.from_path("jl0")
    assert window.settle(60_000)
    assert len(networks.result.ports) == 4
    networks.edits.chain_of_this()
    assert window.settle(60_000)
    assert isinstance(networks.network.source, ChainSource)
    assert networks.result is not None


def test_what_is_typed_of_a_network_is_its_own(window: MainWindow) -> None:
    networks = look_at(window, "up0-channel")
    panel = networks.form
    before = networks.network
    networks.edits.rename("Uplink, whole")
    networks.edits.rate_typed("10 GBd")
    networks.edits.planes_typed("12 ps / 8 ps")
    found = networks.network
    assert found.name == "Uplink, whole"
    assert found.rate.si == pytest.approx(10e9)
    assert (found.plane_left.si, found.plane_right.si) == pytest.approx((12e-12, 8e-12))
    assert window.settle(60_000)
    assert panel.planes.edit.text() == "12 ps / 8 ps"
    networks.edits.planes_typed("5 ps")
    assert networks.network.plane_left == networks.network.plane_right
    assert networks.network.plane_right.si == pytest.approx(5e-12)
    with pytest.raises(InputError, match="is no shift"):
        networks.edits.planes_typed("1 / 2 / 3")
    for nothing in ("0", " "):
        networks.edits.planes_typed(nothing)
        assert networks.network.plane_left is networks.network.plane_right is None
        networks.edits.planes_typed("12 ps / 8 ps")
    for none in ("", "none"):
        networks.edits.rate_typed(none)
        assert networks.network.rate is None
        networks.edits.rate_typed("10 GBd")
    while networks.network != before:
        window.undo()


def test_a_network_of_a_group_is_read_as_its_lanes_are(window: MainWindow) -> None:
    networks = look_at(window, "up0-channel")
    design = window.document.project.design
    for group in design.groups:
        networks.edits.from_group(group.id)
        made = networks.network
        assert made.source.group == group.id
        pairs = design.line_class(group.line_class).structure.differential
        assert made.lane == ("pair" if pairs else "single")


def test_fixtures_are_taken_away_in_one_step_and_followed(window: MainWindow) -> None:
    networks = look_at(window, "mezzanine-in-fixture")
    menus = {a.text(): a.menu() for a in networks.add_menu().actions()}
    choices = menus["Mezzanine in its fixture without fixtures, by a 2x through"].actions()
    next(a for a in choices if a.text() == "Fixtures end to end").trigger()
    assert window.settle(60_000)
    bare = networks.network
    assert [p.removed for p in bare.source.pieces] == [True, False, True]
    assert not any("impedance" in doubt for doubt in networks.result.doubts)
    left = bare.source.pieces[0].network
    assert the_network(window, left).source.like == "mezzanine-in-fixture"
    window.selection.choose(left, "networks")
    assert window.settle(60_000)
    form = networks.form
    assert form.like_row.isVisibleTo(form)
    assert form.like.currentText() == "Mezzanine in its fixture"
    assert "Impedance of the fixtures in Mezzanine in its fixture: left" in form.notes.text()
    form.like.setCurrentIndex(form.like.findData(""))
    form.like.activated.emit(form.like.currentIndex())
    assert window.settle(60_000)
    assert the_network(window, left).source.like is None
    assert "Impedance of the fixtures" not in form.notes.text()
    window.document.undo()
    assert the_network(window, left).source.like == "mezzanine-in-fixture"
    networks = look_at(window, "mezzanine")
    assert not networks.form.like_row.isVisibleTo(networks.form)


def test_a_path_goes_to_networks_and_comes_back(window: MainWindow) -> None:
    window.selection.choose("clk-ref", "paths")
    assert window.settle(60_000)
    window.stages["paths"].actions.as_network()
    assert window.settle(60_000)
    assert window.selection.stage == "networks"
    networks = stage(window)
    assert networks.network.source.path == "clk-ref"
    window.selection.choose("mezzanine", "networks")
    assert window.settle(60_000)
    networks.edits.into_path("jl0")
    assert window.settle(60_000)
    assert window.selection.stage == "paths"
    assert window.document.project.design.path("jl0").elements[-1].kind == "network"
    assert not window.stages["paths"].failure


def test_fields_take_units_and_refuse_nonsense(window: MainWindow) -> None:
    networks = look_at(window, "mezzanine")
    form = networks.form
    type_into(form.rise.edit, "40ps")
    assert window.settle(60_000)
    assert networks.result.time.rise == pytest.approx(40e-12)
    type_into(form.planes.edit, "10 ps / 12 ps")
    assert window.settle(60_000)
    assert the_network(window, "mezzanine").plane_right.si == pytest.approx(12e-12)
    type_into(form.order_text.edit, "3 4 1 2")
    assert the_network(window, "mezzanine").order == (3, 4, 1, 2)
    before = window.document.project
    for field, text in (
        (form.rise, "soup"), (form.order_text, "1 1 2 3"), (form.ends, "soup"),
        (form.planes, "1 / 2 / 3"), (form.rate, "3 ps"), (form.reference, "-3 ohm"),
    ):  # fmt: skip
        type_into(field.edit, text)
        assert window.document.project is before
    # Orders that have a name are chosen by it, and shown by it.
    assert form.order.currentData() == "own"
    for key, order in (("odd", (1, 3, 2, 4)), ("halves", (1, 2, 3, 4)), ("as", ())):
        form.order.setCurrentIndex(form.order.findData(key))
        form.order.activated.emit(form.order.currentIndex())
        assert the_network(window, "mezzanine").order == order
        assert form.order.currentData() == key
        assert form.order_text.edit.text() == " ".join(map(str, order or (1, 2, 3, 4)))
    form.lane.setCurrentIndex(form.lane.findData("single"))
    form.lane.activated.emit(1)
    assert window.settle(60_000)
    assert not networks.result.pair
    assert len(networks.result.ports) == 4
    assert [figures.lane for figures in networks.result.lanes] == [0, 1]


def test_the_stage_without_networks_says_what_to_do(make_window, project) -> None:
    from onda.project.base import set_value

    bare = set_value(
        project,
        requirements=tuple(r for r in project.requirements if r.kind not in ("network", "link")),
        design=set_value(project.design, networks=(), links=()),
    )
    window = make_window(bare, stage="networks")
    networks = window.stages["networks"]
    assert not networks.surface.shows_content
    assert "a file" in networks.maker.sentence.text()
    assert window.stages["networks"].add_menu().actions()


def test_closing_in_mid_run(make_window) -> None:
    window = make_window(stage="lines")
    window.selection.go("networks")
    window.selection.choose("sensor-cable", "networks")
    stage(window)._ask_model()
    window.close()


def test_night_and_a_narrow_window(window: MainWindow) -> None:
    look_at(window, "up0-channel", "time")
    window.look.set_night(True)
    window.resize(1000, 640)
    for view in ("quality", "skew", "limits", "curves"):
        stage(window).chips.choose(view)
    assert window.settle(60_000)
    assert not window.grab().isNull()
    window.look.set_night(False)


def test_ports_are_found_by_the_mouse(window: MainWindow) -> None:
    chain = look_at(window, "board-uplinks").chain
    at = chain.port_at(0, "right", 3)
    QTest.mouseMove(chain, at.toPoint())
    assert chain._port_under(at) == (0, "right", 3)
    assert chain._port_under(QPointF(1, 1)) is None
