"""What the views of Networks show, against results by themselves."""

from __future__ import annotations

import math
from dataclasses import replace
from types import SimpleNamespace
from unittest.mock import MagicMock

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from onda.app.kit.kept import Kept
from onda.app.stages.networks.curve_sets import band_of, in_form, picked
from onda.app.stages.networks.curves_view import CurvesView
from onda.app.stages.networks.inspector import NetworkInspector
from onda.app.stages.networks.proof import Proof
from onda.app.stages.networks.quality_view import QualityView, findings
from onda.app.stages.networks.skew_view import SkewView
from onda.app.theme import Look
from onda.engine.networks.quality import Quality
from onda.engine.networks.skew import PairSkew
from onda.errors import InputError
from onda.project.model import Project
from onda.project.networks.network import GroupSource, PathSource
from onda.studies.core.runner import StudyRunner
from onda.studies.networks.inputs import network_inputs
from onda.studies.networks.network import NETWORK, NetworkResult
from tests.painted import put

NAME = "sensor-cable"


@pytest.fixture
def result(project: Project, runner: StudyRunner) -> NetworkResult:
    return runner.result(NETWORK, network_inputs(project.design, project.design.network(NAME)))


def plain(words: str) -> str:
    return words.split(">", 1)[1].rsplit("<", 1)[0] if words.startswith("<") else words


# -- quality ---------------------------------------------------------------------------


F = np.array([0.0, 10e6, 20e6, 2e9])
FAIR = Quality(
    F, 99.5, 70.0, 50.0, np.array([0.9, 1.02, 0.8, 0.7]), np.array([1e-6, 1e-6, 3e-3, 0.0]),
    np.zeros(4), 9.0, 1.2e-9, 10e6,
)  # fmt: skip


def verdicts(result: NetworkResult, **changes) -> dict[str, tuple[str, str, str]]:
    quality = replace(FAIR, **{k: v for k, v in changes.items() if k in Quality.__slots__})
    rest = {k: v for k, v in changes.items() if k not in Quality.__slots__}
    rest = {"rate": 2e9, "better_order": ()} | rest
    one = replace(result, mended=quality, **rest)
    return {what: tuple(more) for what, *more in findings(one)}


def test_findings_say_what_where_and_how_bad(result: NetworkResult) -> None:
    found = verdicts(result)
    assert list(found) == [
        "Passivity", "Reciprocity", "Causality", "Points in an echo's turn", "Range", "DC",
        "Port order",
    ]  # fmt: skip
    assert found["Passivity"][0].startswith("99.50 %, ")
    assert found["Passivity"][2] == "largest gain 1.0200 at 0.01 GHz"
    assert found["Reciprocity"][2] == "largest difference 0.003 at 0.02 GHz"
    assert found["Points in an echo's turn"] == ("9.0", "good", "steps of 10 MHz, 1.2 ns through")
    assert found["Range"] == ("0 MHz to 2 GHz", "good", "1.00 of the rate of 2 GBd")
    assert found["DC"] == ("in the data", "good", "")
    assert found["Port order"] == ("fits", "good", result.order_words)
    assert verdicts(result, better_order=(1, 3, 2, 4))["Port order"] == (
        "looks wrong", "bad", "by way through and arrival it is 1, 3, 2, 4, left then right",
    )  # fmt: skip


@pytest.mark.parametrize(
    ("changes", "what", "verdict"),
    [
        ({"points_per_turn": 8.0}, "Points in an echo's turn", "good"),
        ({"points_per_turn": 7.9}, "Points in an echo's turn", "fair"),
        ({"points_per_turn": 4.0}, "Points in an echo's turn", "fair"),
        ({"points_per_turn": 3.9}, "Points in an echo's turn", "bad"),
        ({"rate": 2.1e9}, "Range", "fair"),
        ({"rate": 2e9 / 0.75}, "Range", "fair"),
        ({"rate": 2.7e9}, "Range", "bad"),
        ({"rate": 0.0}, "Range", "fair"),
        ({"frequency": F + 20e6}, "DC", "good"),
        ({"frequency": F + 21e6}, "DC", "fair"),
        ({"frequency": F + 100e6}, "DC", "fair"),
        ({"frequency": F + 101e6}, "DC", "bad"),
        ({"passivity": 100.0}, "Passivity", "good"),
        ({"passivity": 10.0}, "Passivity", "bad"),
    ],
)
def test_verdicts_turn_where_they_should(result: NetworkResult, changes, what, verdict) -> None:
    assert verdicts(result, **changes)[what][1] == verdict


def test_what_could_not_be_judged_is_told(result: NetworkResult) -> None:
    assert "Points in an echo's turn" not in verdicts(result, points_per_turn=math.inf)
    assert verdicts(result, rate=0.0)["Range"][2] == "state the data rate to judge it"
    found = verdicts(result, frequency=F + 35e6)["DC"]
    assert found == ("starts at 35 MHz", "fair", "DC by extrapolation")
    unheard = ((0, 1), (2, 0), (3, 2), (1, 1), (0, 0))
    words = verdicts(result, unheard=unheard)["Causality"][2]
    assert words.endswith("; S12, S31, S43 and 2 more left out, too small to hear above noise")
    assert "and" not in verdicts(result, unheard=unheard[:1])["Causality"][2].split("; ")[1][:4]


def test_remedies_are_drawn_beside_what_was_read(
    qtbot: QtBot, look: Look, result: NetworkResult
) -> None:
    view = QualityView(look)
    qtbot.addWidget(view)
    mended = replace(FAIR, gain=np.array([0.9, 1.0, 0.8, 0.7]))
    one = replace(result, quality=FAIR, mended=mended, change=0.02, rate=2e9)
    view.show_result(one, ("passive",), None)
    curves = {c.name: c for c in view.plots["gain"].curves if not c.limit}
    assert list(curves) == ["as read", "mended"]
    assert curves["as read"].y == pytest.approx(FAIR.gain)
    assert curves["mended"].y == pytest.approx(mended.gain)
    assert curves["mended"].x == pytest.approx(F / 1e9)
    assert view.sentence.text() == "Remedies moved no entry by more than 0.02."
    assert [k for k, b in view.remedies.items() if b.isChecked()] == ["passive"]
    inks = {r.id: dict(r.inks)[2] for r in view.ledger.rows}
    assert inks["DC"] == look.t.holds
    assert [r.cells for r in view.ledger.rows] == [
        (what, found, verdict, words) for what, found, verdict, words in findings(one)
    ]
    view.show_result(one, (), None)
    (only,) = (c for c in view.plots["unlike"].curves if not c.limit)
    assert only.name == "now"
    assert only.y == pytest.approx(FAIR.unlike)
    assert not view.sentence.isVisibleTo(view)
    wanted = []
    view.remedy_wanted.connect(wanted.append)
    view.remedies["causal"].click()
    assert wanted == ["causal"]


# -- skew -----------------------------------------------------------------------------------


def skew(lane: int, figure: float, single: float) -> PairSkew:
    f = np.array([1e9, 2e9, 3e9, 9e9])
    return PairSkew(lane, f, np.array([1.0, 2.0, 3.0, 99.0]) * figure, figure, single, 3e9)


def test_skew_of_every_lane_with_what_it_was(
    qtbot: QtBot, look: Look, result: NetworkResult
) -> None:
    assert result.time is not None
    view = SkewView(look)
    qtbot.addWidget(view)
    through = tuple(replace(x, delay=d) for x, d in zip(
        [x for x in result.time.through if x.mode in ("diff", "single")][:1] * 2,
        (5.2e-9, 5e-9), strict=True,
    ))  # fmt: skip
    time = replace(result.time, skews=(skew(0, 2e-12, 3.5e-12), skew(1, -1e-12, -1e-12)),
                   through=through)  # fmt: skip
    now = replace(result, time=time, rate=4e9)
    then = replace(result, time=replace(time, skews=(skew(0, 7e-12, 7e-12),)), rate=4e9)
    view.show_result(now, (Kept(1, "State 1", then),))
    curves = {c.name: c for c in view.skew.curves}
    assert list(curves) == ["lane 1", "lane 2", "State 1"]
    # Up to three quarters of the rate.
    assert curves["lane 1"].x == pytest.approx([1.0, 2.0, 3.0])
    assert curves["lane 1"].y == pytest.approx([2.0, 4.0, 6.0])
    assert curves["lane 2"].y == pytest.approx([-1.0, -2.0, -3.0])
    assert curves["State 1"].y == pytest.approx([7.0, 14.0, 21.0])
    assert curves["State 1"].kept == 1
    # In view are the figures of all lanes, not what a resonance does far from them.
    far = replace(skew(1, -1e-12, 0.0), figure=-150e-12)
    wild = replace(time, skews=(skew(0, 2e-12, 0.0), far))
    view.show_result(replace(now, time=wild), ())
    _, (y0, y1) = view.skew.viewRange()
    assert y0 < -150.0 < 2.0 < y1
    view.show_result(now, (Kept(1, "State 1", then),))
    assert [r.cells for r in view.ledger.rows] == [
        ("1", "+2.000 ps", "+3.500 ps", "5200.00 ps", "+200.000 ps"),
        ("2", "−1.000 ps", "−1.000 ps", "5000.00 ps", "0.000 ps"),
    ]
    assert view.sentence.text().endswith("here they differ by 1.50 ps. Positive: N comes later.")
    # What of the difference becomes common, each way; not the other way round.
    turns = now.curve_set("conversion")
    assert turns is not None
    inside = now.frequency <= 3e9
    wanted = {
        n: np.maximum(20.0 * np.log10(np.abs(v[inside])), -90.0)
        for n, v in zip(turns.names, turns.values, strict=True) if "diff to common" in n
    }  # fmt: skip
    assert 0 < len(wanted) < len(turns.names)
    drawn_ones = {c.name: c for c in view.conversion.curves}
    assert list(drawn_ones) == list(wanted)
    for name, level in wanted.items():
        assert drawn_ones[name].x == pytest.approx(now.frequency[inside] / 1e9)
        assert drawn_ones[name].y == pytest.approx(level, abs=1e-6)
    assert len({c.color for c in view.conversion.curves}) == len(wanted)
    view.show_result(replace(now, time=replace(time, skews=time.skews[1:])), ())
    assert "here the two agree" in view.sentence.text()
    assert [c.name for c in view.skew.curves] == ["skew"]
    assert [r.cells[1] for r in view.ledger.rows] == ["", "−1.000 ps"]
    view.show_result(replace(now, time=replace(time, skews=())), ())
    assert view.sentence.text().startswith("Skew in a pair needs pairs")
    view.show_result(replace(now, time=None, time_problem="too few points"), ())
    assert (view.sentence.text(), view.ledger.rows) == ("too few points", [])


# -- curves ------------------------------------------------------------------------------------


def test_forms_of_a_delay_and_of_a_turn() -> None:
    f = np.linspace(1e9, 2e9, 11)
    values = 0.5 * np.exp(-2j * np.pi * f * 2e-9)
    assert in_form(f, values, "db") == pytest.approx(np.full(11, -6.0206), abs=1e-4)
    assert in_form(f, values, "size") == pytest.approx(np.full(11, 0.5))
    assert in_form(f, values, "delay") == pytest.approx(np.full(11, 2000.0))
    turned = in_form(f, values, "unwrapped")
    assert turned[-1] - turned[0] == pytest.approx(-720.0)
    assert np.abs(in_form(f, values, "phase")).max() <= 180.0
    assert in_form(f[:1], values[:1], "delay").tolist() == [0.0]


def test_entries_are_those_of_the_files_ports(result: NetworkResult) -> None:
    one = replace(result, ports=(1, 3, 2, 12))
    (found,) = picked(one, "any", "s32")
    assert found.name == "S32"
    # Port 3 is the second row, port 2 the third column.
    assert np.array_equal(found.values, one.s[:, 1, 2])
    assert np.array_equal(picked(one, "any", "S12_3")[0].values, one.s[:, 3, 1])
    assert len(picked(one, "any", "S11, S13 S33")) == 3
    for typed, words in (("S9", "no entry"), ("Sab", "no entry"), ("S15", "no port 5")):
        with pytest.raises(InputError, match=words):
            picked(one, "any", typed)
    assert picked(one, "no such") == []


def test_bands_go_by_the_rate_and_by_what_is_typed(result: NetworkResult) -> None:
    low, high = float(result.frequency[0]), float(result.frequency[-1])
    one = replace(result, rate=high)
    nyquist = 0.5 * high
    assert band_of("all", one) == (min(low, 0.01 * high), high)
    assert band_of("nyquist", one) == pytest.approx((min(low, 0.01 * nyquist), nyquist))
    assert band_of("first", one) == pytest.approx((0.8 * nyquist, 1.2 * nyquist))
    # As far as there are data.
    assert band_of("third", one)[1] == high
    assert band_of("third", replace(one, rate=0.25 * high))[1] == pytest.approx(0.375 * high)
    assert band_of("1 to 8 GHz", one) == (1e9, 8e9)
    assert band_of("8 GHz", one) == (0.0, 8e9)
    for band, rate, words in (
        ("8 to 1 GHz", high, "."), ("nyquist", 0.0, "no data rate"), ("first", 4 * high, "data end")
    ):  # fmt: skip
        with pytest.raises(InputError, match=words):
            band_of(band, replace(one, rate=rate))


@pytest.fixture
def view(qtbot: QtBot, look: Look) -> CurvesView:
    made = CurvesView(look)
    put(qtbot, made, 900, 600)
    return made


def test_curves_lie_over_kept_ones_or_against_another(
    view: CurvesView, look: Look, result: NetworkResult
) -> None:
    half = replace(
        result, name="half",
        curves=tuple(replace(c, values=tuple(0.5 * v for v in c.values)) for c in result.curves),
    )  # fmt: skip
    view.show_result(result, (Kept(1, "State 1", half),), None, ())
    view.presets.choose("insertion")
    found = result.curve_set("insertion")
    now, then = (next(c for c in view.curves if bool(c.kept) == k) for k in (False, True))
    level = np.maximum(20 * np.log10(np.abs(found.values[0])), -120.0)
    some = result.frequency >= 0.01 * result.frequency[-1]
    assert now.y[-5:] == pytest.approx(level[some][-5:])
    assert then.y[-5:] == pytest.approx(now.y[-5:] - 6.0206, abs=1e-3)
    assert (then.color, then.kept) == (look.t.kept, 1)
    view.show_result(result, (Kept(1, "State 1", half),), half, ())
    (only,) = [c for c in view.curves if c.name == now.name]
    assert only.y == pytest.approx(np.full(len(only.y), 6.0206), abs=1e-3)
    assert only.x[-1] == pytest.approx(result.frequency[-1] / 1e9)
    # Every frequency from the lower end of the band on, that end too.
    low, high = band_of(view._band, result)
    inside = (result.frequency >= low) & (result.frequency <= high)
    assert low in result.frequency
    assert only.x == pytest.approx(result.frequency[inside] / 1e9)
    assert now.x == pytest.approx(only.x)
    assert plain(view.sentence.text()).startswith("Largest difference 6.0 dB above half at ")
    view.show_result(half, (), result, ())
    assert plain(view.sentence.text()).startswith("Largest difference 6.0 dB below ")
    none = replace(half, curves=())
    view.show_result(result, (), none, ())
    assert plain(view.sentence.text()) == "The other network has no such curve."


def test_circles_have_the_reference_of_their_mode(view: CurvesView, result: NetworkResult) -> None:
    assert result.pair
    view.show_result(result, (Kept(1, "State 1", result),), None, ())
    view.form.setCurrentIndex(view.form.findData("impedance"))
    view.presets.choose("return")
    view.draw()
    assert view.plots.currentWidget() is view.circle
    assert view.circle._reference == 2.0 * result.reference
    kinds = [locus.kept for locus in view.circle._loci]
    count = len(result.curve_set("return").names)
    assert kinds == [0] * count + [1] * count
    some = view.circle._loci[0]
    inside = np.isin(result.frequency, some.frequency)
    assert np.array_equal(some.values, result.curve_set("return").values[0][inside])
    for preset, share in (("return_common", 0.5), ("any", 1.0)):
        view.presets.choose(preset)
        view.draw()
        assert view.circle._reference == share * result.reference


def test_a_kept_state_of_fewer_ports_is_left_out(view: CurvesView, result: NetworkResult) -> None:
    two = replace(result, ports=(1, 2), s=result.s[:, :2, :2])
    view.show_result(result, (Kept(1, "State 1", two),), None, ())
    view.presets.choose("any")
    view.entries.edit.setText("S44")
    for form in ("db", "polar"):
        view.form.setCurrentIndex(view.form.findData(form))
        view.draw()
        drawn = view.curves if form == "db" else view.circle._loci
        assert [(c.name, c.kept) for c in drawn] == [("S44", 0)]


def test_a_band_that_is_not_there_shows_all_and_says_so(
    view: CurvesView, result: NetworkResult
) -> None:
    view.show_result(replace(result, rate=10e9), (), None, ())
    view._choose_band("nyquist")
    assert view.curves[0].x[-1] <= 5.0
    view.show_result(replace(result, rate=0.0), (), None, ())
    assert "there is no data rate" in view.sentence.text()
    assert view.curves[0].x[-1] == pytest.approx(result.frequency[-1] / 1e9)
    assert view.band.currentData() == "all"


# -- the inspector ---------------------------------------------------------------------------


def test_what_was_found_stands_beside_the_kept_state(
    qtbot: QtBot, look: Look, project: Project, result: NetworkResult
) -> None:
    subject = SimpleNamespace(design=project.design, ports=4)
    form = NetworkInspector(look, subject, MagicMock())
    qtbot.addWidget(form)
    assert result.time is not None
    time = replace(result.time, rise=12e-12, skews=(skew(0, 2e-12, 0.0), skew(1, -3e-12, 0.0)))
    now = replace(result, time=time, mended=replace(FAIR, delay=1.5e-9), notes=("one note", "two"))
    then = replace(now, mended=replace(FAIR, delay=3.0e-9),
                   time=replace(time, skews=(skew(0, 4e-12, 0.0),)))  # fmt: skip
    form.show_result(now, Kept(1, "State 1", then))
    rows = {name: tuple(rest) for name, *rest in form.numbers._rows}
    assert rows["Ports"] == (str(len(now.ports)), "", "")
    assert rows["Points"] == (str(len(now.frequency)), "", "")
    assert rows["To"] == ("2.00", "GHz", "2.00")
    assert rows["Delay"] == ("1.50", "ns", "3.00")
    assert rows["Edge"] == ("12.0", "ps", "")
    assert rows["Skew 1"] == ("2.00", "ps", "4.00")
    assert rows["Skew 2"][0].replace("\u2212", "-") == "-3.00"
    assert rows["Skew 2"][2] == ""
    assert form.measured.remark.text() == "now · State 1"
    assert form.notes.text() == "One note. Two."
    form.show_result(None, None)
    assert (form.numbers._rows, form.notes.text()) == ([], "")


def test_what_a_network_is_made_of_is_said(qtbot: QtBot, look: Look, project: Project) -> None:
    subject = SimpleNamespace(design=project.design, ports=4)
    form = NetworkInspector(look, subject, MagicMock())
    qtbot.addWidget(form)
    design = project.design
    for network in design.networks:
        words = form._words(network)
        source = network.source
        expected = {
            "file": lambda s: design.device_file(s.file).path.rsplit("/", 1)[-1],
            "chain": lambda s: f"Chain of {len(s.pieces)} piece",
            "half": lambda s: f"The {s.side} half of {design.network(s.of).name}",
            "line": lambda s: design.line_class(s.line_class).name,
            "path": lambda s: design.path(s.path).name,
            "group": lambda s: design.group(s.group).name,
        }[source.kind](source)
        assert expected in words
    group = SimpleNamespace(source=GroupSource(group="memory-byte"))
    assert design.group("memory-byte").name in form._words(group)
    path = SimpleNamespace(source=PathSource(path="clk-ref"))
    assert design.path("clk-ref").name in form._words(path)


# -- the proof beside the chain ----------------------------------------------------------------


def test_the_proof_names_plain_ports(qtbot: QtBot, look: Look, result: NetworkResult) -> None:
    proof = Proof(look)
    qtbot.addWidget(proof)
    one = replace(result, ports=(1, 3, 2, 4), better_order=())
    proof.show_result(one, is_file=True)
    assert [c.name for c in proof.plots["through"].curves] == ["2 from 1", "4 from 3"]
    assert [c.name for c in proof.plots["near"].curves] == ["3 from 1"]
    assert [c.name for c in proof.plots["far"].curves] == ["4 from 1"]
    step = max(1, len(one.frequency) // 400)
    entries = (("through", 0, 2, 0), ("through", 1, 3, 1), ("near", 0, 1, 0), ("far", 0, 3, 0))
    for key, k, i, j in entries:
        curve = proof.plots[key].curves[k]
        level = 20 * np.log10(np.maximum(np.abs(one.s[::step, i, j]), 1e-12))
        assert curve.y[5:9] == pytest.approx(np.maximum(level, curve.y.min())[5:9], abs=1e-6)
        assert curve.x[-1] == pytest.approx(one.frequency[::step][-1] / 1e9)
    assert proof.verdict.text() == "The way through is where the order says."
    assert not proof.button.isVisibleTo(proof)
    wanted = []
    proof.order_wanted.connect(wanted.append)
    proof.show_result(replace(one, better_order=(1, 2, 3, 4)), is_file=True)
    assert "the way through is 1 to 3, 2 to 4" in proof.verdict.text()
    proof.button.click()
    assert wanted == [(1, 2, 3, 4)]
    proof.show_result(replace(one, better_order=(1, 2, 3, 4)), is_file=False)
    assert "Wires look crossed" in proof.verdict.text()
    assert not proof.button.isVisibleTo(proof)
    two = replace(one, ports=(1, 2), s=one.s[:, :2, :2])
    proof.show_result(two, is_file=True)
    assert [c.name for c in proof.plots["through"].curves] == ["2 from 1"]
    assert [c.name for c in proof.plots["near"].curves] == ["1 from 1"]
    assert proof.plots["near"]._y.name == "Return"
    assert proof.plots["far"].curves == ()
    proof.clear()
    assert proof.verdict.text() == ""
    assert [p.curves for p in proof.plots.values()] == [(), (), ()]
