"""What is done seldom: each way by itself, on the window where it stands or on a part alone."""

from __future__ import annotations

from dataclasses import replace
from types import SimpleNamespace as Made
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QApplication, QCheckBox, QLabel, QLineEdit, QPushButton
from pytestqt.qtbot import QtBot

from onda.app.kit.explain import explanation, help_at, help_of
from onda.app.kit.kept import Kept
from onda.app.shell.chips import Chips
from onda.app.shell.fields import NumberRows, Trim
from onda.app.shell.start_page import Begun, StartPage
from onda.app.stages.networks.chain_boxes import boxes_of
from onda.app.stages.networks.curves_view import CurvesView
from onda.app.stages.networks.edits import NetworkEdits
from onda.app.stages.paths.inspector import PathInspector
from onda.app.theme import Look
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.begin import from_template
from onda.project.build.templates import LAYER_COUNTS, TAIL_COUNTS
from onda.project.edits import replace_object
from onda.project.model import Project
from onda.project.quantities import quantity
from onda.studies.core.runner import StudyRunner
from onda.studies.networks.inputs import network_inputs
from onda.studies.networks.network import NETWORK, NetworkResult
from tests.app.conftest import KNOWN, MakeWindow, OnObject
from tests.app.test_hands import Table

# -- networks --------------------------------------------------------------------------------


def test_wires_behind_a_piece_are_straightened(project: Project) -> None:
    chain = project.design.network("up0-channel")
    first, second, *rest = chain.source.pieces
    crossed = tuple(set_value(p, wires=(1, 0)) for p in (first, second))
    source = set_value(chain.source, pieces=(*crossed, *rest))
    table = Table(replace_object(project, set_value(chain, source=source)))

    class View:
        ports = 4

        @property
        def present(self) -> Any:
            return table.design.network("up0-channel")

        @property
        def piece(self) -> Any:
            return self.present.source.pieces[self.chosen] if self.chosen >= 0 else None

        chosen = 1

    view = View()
    edits = NetworkEdits(table, view)  # type: ignore[arg-type]
    edits.straighten()
    after = view.present.source.pieces
    # Of the chosen one, not of the other.
    assert [bool(p.wires) for p in after[:2]] == [True, False]
    view.chosen = -1
    edits.straighten()
    assert view.present.source.pieces == after


def test_a_chain_is_a_box_for_each_piece_with_what_is_known_of_it(
    project: Project, channel: NetworkResult
) -> None:
    chain = project.design.network("up0-channel")
    first, *rest = chain.source.pieces
    odd = set_value(first, wires=(1, 0), turned=not first.turned)
    source = set_value(chain.source, pieces=(odd, *rest))
    network = set_value(chain, source=source)
    boxes = boxes_of(project.design, network, channel)
    spans = {s.id: s for s in channel.spans}
    for box, piece in zip(boxes, source.pieces, strict=True):
        span = spans[piece.id]
        assert (box.id, box.name) == (piece.id, project.design.network(piece.network).name)
        assert box.detail == f"{1e12 * abs(span.end - span.start):.0f} ps"
        assert (*box.left, *box.right) == tuple(span.ports)
        assert len(box.left) == len(span.ports) // 2
        assert (box.turned, box.removed, box.wires) == (piece.turned, piece.removed, piece.wires)
    # Before anything is known of it there are the pieces alone.
    bare = boxes_of(project.design, network, None)
    assert [(b.id, b.detail, b.left, b.right) for b in bare] == [
        (p.id, "", (), ()) for p in source.pieces
    ]
    alone = project.design.network("mezzanine")
    (box,) = boxes_of(project.design, set_value(alone, order=(1, 3, 2)), None)
    assert (box.name, box.left, box.right) == (alone.name, (1, 3), (2,))


@pytest.mark.parametrize("typed", ["one two", "1 2 3 x", "1.5 2", "1234 1 2 3"])
def test_what_is_no_order_of_ports_is_said(project: Project, typed: str) -> None:
    table = Table(project)
    view: Any = Made(present=project.design.network("mezzanine"), ports=4, piece=None)
    edits = NetworkEdits(table, view)  # type: ignore[arg-type]
    with pytest.raises(InputError, match="is no order"):
        edits.order_typed(typed)
    assert table.project is project


@pytest.fixture
def channel(project: Project, runner: StudyRunner) -> NetworkResult:
    design = project.design
    return runner.result(NETWORK, network_inputs(design, design.network("up0-channel")))


@pytest.fixture
def curves(qtbot: QtBot, look: Look) -> CurvesView:
    made = CurvesView(look)
    qtbot.addWidget(made)
    made.resize(900, 500)
    return made


def test_entries_that_are_none_leave_an_empty_plot_and_words(
    curves: CurvesView, channel: NetworkResult
) -> None:
    curves.show_result(channel, (), None, ())
    curves.presets.choose("any")
    curves.entries.edit.setText("S21")
    curves.draw()
    assert [c.name for c in curves.curves] == ["S21"]
    curves.entries.edit.setText("S99")
    curves.draw()
    assert curves.curves == []
    assert curves.plot.curves == ()
    assert "no port 9" in curves.sentence.text()
    assert curves._look.t.fails in curves.sentence.text()


def test_limits_that_no_data_reach_or_that_cannot_be_read_are_said(
    curves: CurvesView, channel: NetworkResult, project: Project
) -> None:
    some = next(r for r in project.requirements if r.measure == "insertion" and r.ranges)
    last = float(channel.frequency[-1])

    def limit(level: str, start: float, stop: float) -> Any:
        ends = {"start": quantity(start, "frequency"), "stop": quantity(stop, "frequency")}
        piece = set_value(some.ranges[0], **ends, at_least=level, at_most="")
        return set_value(some, subject="up0-channel", ranges=(piece,))

    def said(*required: Any) -> str:
        curves.show_result(channel, (), None, required)
        curves.presets.choose("insertion")
        curves.draw()
        return curves.sentence.text().replace("\u2212", "-")

    assert "Holds by" in said(limit("-200", 1e9, 5e9))
    assert "Fails by" in said(limit("-0.001", 1e9, 5e9))
    nowhere = said(limit("-1", 2.0 * last, 3.0 * last))
    assert "No data lie in the range of the limit." in nowhere
    # A limit of another measure says nothing here.
    other = set_value(limit("-0.001", 1e9, 5e9), measure="return")
    assert "Fails by" not in said(other)


def test_a_fit_tells_its_noise_where_there_is_one(
    curves: CurvesView, channel: NetworkResult
) -> None:
    assert channel.lanes
    first = replace(channel.lanes[0], ild=0.123, icn=4.5e-3, sigma_near=3e-3, sigma_far=2e-3)
    curves.show_result(replace(channel, lanes=(first, *channel.lanes[1:])), (), None, ())
    curves.presets.choose("fit")
    curves.draw()
    assert "Deviation 0.123 dB, crosstalk noise 4.50 mV (near 3.00, far 2.00)." in (
        curves.sentence.text()
    )
    quiet = replace(first, icn=float("nan"))
    curves.show_result(replace(channel, lanes=(quiet,)), (), None, ())
    curves.draw()
    assert "crosstalk" not in curves.sentence.text()
    loss, fit, off = curves.curves
    some = (first.band >= 1e9 * loss.x[0] - 1.0) & (first.band <= 1e9 * loss.x[-1] + 1.0)
    for curve, values in ((loss, first.loss_db), (fit, first.fit_db), (off, first.deviation_db)):
        assert curve.x == pytest.approx(first.band[some] / 1e9)
        assert curve.y == pytest.approx(values[some])


# -- eyes ------------------------------------------------------------------------------------


@pytest.mark.parametrize("view", ["costs", "map", "margin", "sweep", "corners"])
def test_why_a_view_of_a_link_has_no_answer_is_said_in_it(known: OnObject, view: str) -> None:
    window = known("eyes", "up0")
    stage = window.stages["eyes"]
    asked: list[tuple[Any, ...]] = []
    stage.subject.ask = lambda *given: asked.append(given)
    stage.views.choose(view)
    slot, _, inputs, _, fail = asked[-1]
    assert inputs() is not None
    fail("the channel is shut")
    shown = stage.views.get(view, object)
    assert shown.sentence.text() == "the channel is shut"
    if view == "sweep":
        # And of the eye at one of its values.
        stage.more._ask_swept_eye(1.0)
        other, _, inputs, _, fail = asked[-1]
        assert other != slot
        fail("no eye at that value")
        assert shown.sentence.text() == "no eye at that value"


# -- stackup ---------------------------------------------------------------------------------


def test_a_remark_leads_to_its_layer_or_its_via(known: OnObject) -> None:
    window = known("stackup", "card")
    stage = window.stages["stackup"]
    stage._go_to_remark("L3")
    assert (stage.subject.layer.id, stage.subject.via) == ("L3", None)
    stage._go_to_remark("back")
    assert stage.subject.via.id == "back"


def test_materials_come_and_go_and_zones_are_named(
    known: OnObject,
) -> None:
    window = known("stackup", "card")
    stage = window.stages["stackup"]
    for shown in (stage.materials, stage.view, stage.materials):
        stage.show_materials()
        assert stage.pages.currentWidget() is shown
    stage.show_materials()
    stage.rename("tail", "Tail B")
    zones = window.document.project.design.stackup.zones
    assert [(z.id, z.name) for z in zones] == [("card", "Rigid card"), ("tail", "Tail B")]


def test_a_board_without_zones_has_no_name(make_window: MakeWindow) -> None:
    board = from_template("Made up", 4, tail=False)
    window = make_window(board, stage="stackup", place=KNOWN)
    with pytest.raises(InputError, match="no name of its own"):
        window.stages["stackup"].rename("board", "Another")
    assert window.document.project == board


# -- paths -----------------------------------------------------------------------------------


def test_advice_against_overshoot_goes_by_what_stands_at_the_driver(project: Project) -> None:
    """A line of 65 ohm; 18 of the driver, and 15, 60 or nothing in series."""
    path = project.design.path("clk-adc")
    resistor = next(e for e in path.elements if e.id == "Rs")

    def advice(series: float | None, z_line: float = 65.0, over: float = -1.0) -> str:
        elements = tuple(
            set_value(e, value=quantity(series, "resistance"))
            if e is resistor and series is not None else e
            for e in path.elements if e is not resistor or series is not None
        )  # fmt: skip
        panel: Any = Made(path=Made(elements=elements))
        result: Any = Made(z_line=z_line, z_source=18.0 + (series or 0.0))
        margin: Any = Made(measure="overshoot", normalised=over, value_text="0.6 V", high=0.3)
        other: Any = Made(measure="settling", normalised=-1.0, value_text="9 ns", high=1e-9)
        return PathInspector._advice(panel, result, [other, margin])

    said = "Overshoot 0.6 V, limit 0.30 V: "
    assert advice(15.0) == f"{said}raise Rs towards 47 Ω."
    assert advice(60.0) == f"{said}end the line in about 65 Ω."
    assert advice(None) == f"{said}put about 47 Ω in series at the driver."
    assert advice(None, z_line=20.0) == f"{said}end the line in about 20 Ω."
    assert advice(15.0, over=0.2) == ""


def test_harmonics_are_those_of_the_pin_beside_the_last_kept_ones(known: OnObject) -> None:
    """In dB of the largest of both; of a path without a clock there are none."""
    window = known("paths", "clk-adc")
    form, result = window.stages["paths"].form, window.stages["paths"].subject.result
    first = replace(result, harmonic_volts=9.0 * result.harmonic_volts)
    last = replace(result, harmonic_volts=2.0 * result.harmonic_volts)
    form._show_harmonics(result, [Kept(1, "First", first), Kept(2, "Last", last)])
    words = [w.text() for w in form.harmonics_heading.findChildren(QLabel)]
    assert words == ["Harmonics at load pin", "now · Last"]
    now, kept = form.harmonics._bars
    level = 20.0 * np.log10(result.load_harmonics / result.load_harmonics.max())
    assert kept.y == pytest.approx(level, abs=1e-6)
    assert now.y == pytest.approx(level - 6.0206, abs=1e-3)
    base = 1e-6 * result.harmonics[0]
    assert now.x == pytest.approx(1e-6 * result.harmonics - 0.18 * base)
    assert kept.x == pytest.approx(1e-6 * result.harmonics + 0.18 * base)
    assert (now.color, kept.color) == (window.look.t.sea, window.look.t.kept)
    form._show_harmonics(replace(result, harmonics=np.empty(0)), [])
    assert form.harmonics.isHidden()
    assert form.harmonics_heading.isHidden()


# -- beginning -------------------------------------------------------------------------------


def test_a_flexible_tail_is_offered_where_a_board_can_have_one(qtbot: QtBot) -> None:
    page = StartPage()
    qtbot.addWidget(page)
    asked: list[tuple[object, ...]] = []
    page.board_wanted.connect(lambda *a: asked.append(a))
    page.tail.setChecked(True)
    for count in LAYER_COUNTS:
        page.layers.choose(str(count))
        can = count in TAIL_COUNTS
        assert page.tail.isEnabled() == can
        assert not page.tail.isChecked() or can
    page.name.setText("  ")
    page.layers.choose("4")
    page.begin.click()
    assert asked == [("New board", 4, page.tail.isChecked())]


def test_what_was_begun_before_is_told_by_its_key_not_by_its_name(qtbot: QtBot) -> None:
    page = StartPage()
    qtbot.addWidget(page)
    told: list[tuple[str, str]] = []
    page.again_wanted.connect(lambda key: told.append(("again", key)))
    page.forget_wanted.connect(lambda key: told.append(("forget", key)))
    begun = [
        Begun("/a/one.onda", "One", "saved today", can_forget=False),
        Begun("/b/two.onda", "Two", "not saved", can_forget=True),
    ]
    page.show_begun(begun, can_leave=False)
    assert [b.text() for b in page.entries] == ["One\nsaved today", "Two\nnot saved"]
    for entry in page.entries:
        entry.click()
    (forget,) = [b for b in page.findChildren(QPushButton) if b.text() == "Forget"]
    forget.click()
    assert told == [("again", "/a/one.onda"), ("again", "/b/two.onda"), ("forget", "/b/two.onda")]
    assert page._none.isHidden()
    page.show_begun([], can_leave=True)
    assert (page.entries, page._none.isHidden(), page.back.isHidden()) == ([], False, False)


# -- help ------------------------------------------------------------------------------------


def test_what_is_explained_is_found_by_what_a_widget_is(qtbot: QtBot, look: Look) -> None:
    rows = NumberRows(look)
    qtbot.addWidget(rows)
    rows.set_rows([("Settling", "2.30", "ns", ""), ("Soup", "1", "", "")])
    settling = explanation("Settling", "paths")
    assert settling
    assert help_at(rows, QPoint(5, 5), "paths") == ("Settling", settling)
    assert help_at(rows, QPoint(5, 25), "paths") == ("", "")
    trim = Trim(look, "Value")
    qtbot.addWidget(trim)
    assert help_of(trim, "paths") == ("Trim", explanation("Trim", "paths"))
    # The words of a view are those of its chip, not of any button that is called so.
    chips = Chips([("waves", "Waveforms"), ("sweep", "Sweep")], "Views")
    qtbot.addWidget(chips)
    chip = chips.findChildren(QPushButton)[1]
    told = explanation("Sweep", "paths", view=True)
    assert told
    assert help_of(chip, "paths") == ("Sweep", told)
    button = QPushButton("Sweep")
    qtbot.addWidget(button)
    swept = explanation("Sweep", "paths")
    assert swept not in ("", told)
    assert help_of(button, "paths") == ("Sweep", swept)
    words = QLabel("Settling")
    field = QLineEdit(words)
    field.setAccessibleName("Resistance")
    qtbot.addWidget(words)
    assert help_of(field, "paths") == ("Resistance", explanation("Resistance", "paths"))
    # What nobody explains is explained by what it lies in.
    field.setAccessibleName("Soup")
    assert help_of(field, "paths") == ("Settling", settling)
    assert help_of(None, "paths") == ("", "")


def test_skew_of_any_lane_has_the_words_of_skew() -> None:
    words = explanation("Skew in pair", "networks")
    assert words
    assert explanation("Skew in pair 2", "networks") == words
    assert explanation("Skew lane 1:", "networks") == words


# -- making ----------------------------------------------------------------------------------


def test_several_of_a_decision_are_checked(known: OnObject) -> None:
    """Layers of a class that is to be made: those that are checked, in the order of the board."""
    window = known("lines", "clocks")
    stage = window.stages["lines"]
    stage.begin_making()
    QApplication.processEvents()
    boxes = [b for b in stage.maker.findChildren(QCheckBox) if b.isVisibleTo(stage.maker)]
    assert len(boxes) >= 2
    names = [b.text().split()[0].rstrip(",:") for b in boxes]
    for box in boxes:
        box.setChecked(False)
    boxes[1].setChecked(True)
    boxes[0].setChecked(True)
    key = next(k for k, v in stage.maker._decided.items() if v == f"{names[0]}, {names[1]}")
    boxes[0].setChecked(False)
    assert stage.maker._decided[key] == names[1]
