"""What the views of Eyes say and draw, against results by themselves; what is typed, read."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from onda.app.kit.kept import Kept
from onda.app.shell.fields import NumberRows
from onda.app.stages.eyes.bits_numbers import bits_notes, bits_rows, worst_bits
from onda.app.stages.eyes.corners_view import CornersView, corner_words
from onda.app.stages.eyes.costs_view import CostsView, cost_words
from onda.app.stages.eyes.margin_sheet import SHEET
from onda.app.stages.eyes.model_fields import _about
from onda.app.stages.eyes.rate_numbers import rate_remark, rate_rows, worst_words
from onda.app.stages.eyes.rate_view import RateView
from onda.app.stages.eyes.sweep_view import sweep_words
from onda.app.stages.eyes.typed import (
    corners_words,
    main_of,
    read_corners,
    read_list,
    read_taps,
    read_whole,
    taps_words,
)
from onda.app.theme import DAY, Look
from onda.engine.links.operating_margin import MarginTerms
from onda.errors import InputError
from onda.formats.ami.parameters import Parameter
from onda.project.base import set_value
from onda.project.model import Project
from onda.project.quantities import format_si, split_si
from onda.studies.core.runner import StudyRunner
from onda.studies.links.corners import LinkCorners
from onda.studies.links.costs import Cost, LinkCosts
from onda.studies.links.eye import EYE, EyeResult
from onda.studies.links.inputs import eye_inputs, link_inputs
from onda.studies.links.link import LINK, LinkEye
from onda.studies.links.point import LinkPoint
from onda.studies.links.sweep import LinkSweep


@pytest.fixture
def rated(project: Project, runner: StudyRunner) -> LinkEye:
    return runner.result(LINK, link_inputs(project.design, project.design.link("up0")))


@pytest.fixture
def bits(project: Project, runner: StudyRunner) -> EyeResult:
    return runner.result(EYE, eye_inputs(project.design, project.design.link("jl0")))


def by_name(rows) -> dict[str, tuple[str, str, str]]:
    return {name: tuple(rest) for name, *rest in rows}


# -- numbers at the error rate ---------------------------------------------------------


def test_every_number_at_the_error_rate_is_that_of_the_result(rated: LinkEye) -> None:
    then = replace(rated, worst=2.0 * rated.worst, growths=())
    found, unit = by_name(rate_rows(rated, then)), rated.unit_interval
    m, j = rated.merit, rated.jitter
    expected = {
        "Height": (rated.eye.height, "voltage"),
        "Width": (rated.eye.width / unit, "unit interval"),
        "Mask grows by": (rated.mask_growth, "ratio"),
        "Worst case": (rated.worst, "voltage"),
        "Main cursor": (m.main, "voltage"),
        "Signal over all": (m.db, "loss"),
        "Interference": (m.interference, "voltage"),
        "Crosstalk": (m.crosstalk, "voltage"),
        "Jitter as noise": (m.jitter, "voltage"),
        "Noise": (m.noise, "voltage"),
        "Random jitter": (j.random / unit, "unit interval"),
        "Two places": (j.deterministic / unit, "unit interval"),
        "Total jitter": (j.total / unit, "unit interval"),
        "Gain at 0 Hz": (20.0 * math.log10(rated.chain.gain), "loss"),
        "Delay": (rated.delay, "time"),
    }
    for name, (value, dimension) in expected.items():
        if not math.isfinite(value):
            assert name not in found
            continue
        assert found[name][:2] == split_si(value, dimension), name
    number, _, was = found["Worst case"]
    assert float(was) == pytest.approx(2.0 * float(number), rel=0.02)
    # What there was none of has no figure beside it.
    if "Mask grows by" in found:
        assert found["Mask grows by"][2] == ""
    assert all(row[2] == "" for row in by_name(rate_rows(rated, None)).values())


def test_errors_that_follow_one_are_told_where_decisions_feed_back(rated: LinkEye) -> None:
    back = replace(rated, taps=(0.01,), errors_run_on=1.25)
    endless = replace(back, errors_run_on=math.inf)
    assert by_name(rate_rows(back, endless))["Errors of one"] == ("1.25", "", "no end")
    assert by_name(rate_rows(endless, None))["Errors of one"] == ("no end", "", "")
    assert "Errors of one" not in by_name(rate_rows(replace(rated, taps=()), None))
    assert rate_remark(replace(rated, error_rate=1e-12), ()) == "at 1e−12"
    kept = (Kept(1, "State 1", rated), Kept(2, "State 2", rated))
    assert rate_remark(rated, kept) == "now · State 2"


def test_settings_and_the_worst_bits_are_said(rated: LinkEye) -> None:
    symbols = np.array([1.0] * 10 + [-1.0] * 20 + [1.0, -1.0, 1.0, 1.0])
    one = replace(
        rated, chain=replace(rated.chain, taps=(-0.0, 0.85, -0.15), main=1), taps=(0.0125, -0.004),
        worst_symbols=symbols, levels=(-1.0, 1.0),
    )  # fmt: skip
    assert worst_words(one) == (
        f"Transmit taps 0 0.85 \u22120.15. Feedback {format_si(0.0125, 'voltage', digits=2)}, "
        f"{format_si(-0.004, 'voltage', digits=2)}. A one is lowest, by peak distortion, within "
        f"these bits: {'0' * 20}1011"
    )
    plain = replace(one, chain=replace(one.chain, taps=(1.0,), main=0), taps=(),
                    levels=(-1.0, -1 / 3, 1 / 3, 1.0))  # fmt: skip
    assert worst_words(plain) == ""


# -- numbers bit by bit ------------------------------------------------------------------


def test_every_number_bit_by_bit_is_that_of_the_result(bits: EyeResult) -> None:
    then = replace(bits, peak=replace(bits.peak, height=2.0 * bits.peak.height), hits=(7.0,))
    now = replace(bits, hits=(3.0,))
    rows = bits_rows(now, then)
    assert [r[0] for r in rows][:5] == ["Width", "Height", "Mask hits", "One level", "Zero level"]
    found, eye = by_name(rows), bits.eye
    for name, value, dimension in (
        ("Width", eye.width, "unit interval"),
        ("Height", eye.height, "voltage"),
        ("One level", eye.means[1], "voltage"),
        ("Zero level", eye.means[0], "voltage"),
        ("Crossing", eye.crossing_share, "ratio"),
        ("Jitter, p-p", eye.jitter_pp, "unit interval"),
        ("Jitter, rms", eye.jitter_rms, "unit interval"),
        ("Worst case", bits.peak.height, "voltage"),
        ("Path delay", bits.delay, "time"),
    ):
        number, unit, was = found[name]
        assert (number, unit) == split_si(value, dimension), name
        if name != "Worst case":
            assert was == number
    assert found["Mask hits"] == ("3", "", "7")
    assert float(found["Worst case"][2]) == pytest.approx(
        2 * float(found["Worst case"][0]), rel=0.02
    )
    assert "Mask hits" not in by_name(bits_rows(replace(bits, hits=()), None))
    # Nothing of two levels stands beside the same of four.
    four = replace(bits, levels=(-1.0, -1 / 3, 1 / 3, 1.0))
    assert all(r[3] == "" for r in bits_rows(replace(bits, hits=()), four))


def test_four_levels_are_told_from_the_lowest(bits: EyeResult) -> None:
    low = bits.eye.openings[0]
    openings = tuple(replace(low, height=0.1 * k, width=0.3 * k) for k in (1, 2, 3))
    eye = replace(bits.eye, openings=openings, means=(-0.3, -0.1, 0.1, 0.3))
    four = replace(bits, eye=eye, levels=(-1.0, -1 / 3, 1 / 3, 1.0), hits=())
    found = by_name(bits_rows(four, None))
    names = ("Lowest level", "Second level", "Third level", "Highest level")
    assert [found[n][0] for n in names] == [split_si(v, "voltage")[0] for v in eye.means]
    for k, name in enumerate(("Lower", "Middle", "Upper"), 1):
        assert found[f"{name} height"][:2] == split_si(0.1 * k, "voltage")
        assert found[f"{name} width"][:2] == split_si(0.3 * k, "unit interval")
    assert worst_bits(four).startswith("The least eye is smallest")
    # Beside each eye stands the same one of the kept state.
    smaller = (replace(o, height=2.0 * o.height, width=0.5 * o.width) for o in openings)
    before = replace(eye, openings=tuple(smaller), means=(-0.4, -0.2, 0.2, 0.5))
    beside = by_name(bits_rows(four, replace(four, eye=before)))
    for k, name in enumerate(("Lower", "Middle", "Upper"), 1):
        assert beside[f"{name} height"][2] == split_si(0.2 * k, "voltage", like=0.1 * k)[0]
        assert beside[f"{name} width"][2] == split_si(0.15 * k, "unit interval", like=0.3 * k)[0]
    for name, now, was in zip(names, eye.means, before.means, strict=True):
        assert beside[name][2] == split_si(was, "voltage", like=now)[0]


def test_notes_say_where_the_mask_is_from_and_what_is_in_doubt(
    project: Project, bits: EyeResult
) -> None:
    link = set_value(project.design.link("jl0"), sampling="crossings")
    source = link.mask.source
    first = bits.eye.openings[0]

    def notes(away: float, tallest: float) -> str:
        edge = np.zeros(100)
        edge[round(100 * (away + 0.5))] = tallest
        one = replace(first, height=0.100, high_edge=edge, low_edge=np.zeros(100))
        return bits_notes(replace(bits, eye=replace(bits.eye, openings=(one,)),
                                  doubts=("the data end early",)), link)  # fmt: skip

    assert notes(0.1, 0.1015) == f"Mask: {source}. The data end early."
    assert notes(-0.12, 0.15) == (
        f"Mask: {source}. Sampled half a bit after the crossings; −0.12 UI from there the eye is "
        "150 mV tall. The data end early."
    )
    ones = np.array([0] * 30 + [1, 0, 1])
    one = replace(bits, peak=replace(bits.peak, worst_one=ones))
    assert worst_bits(one).endswith(f"(last 24): {'0' * 21}101")


# -- corners, costs, sweeps ------------------------------------------------------------------


def test_corners_are_told_by_the_worst(qtbot: QtBot, look: Look) -> None:
    here = LinkPoint(0.200, 0.5, 12.0, 9.0)
    fast, slow = LinkPoint(0.25, 0.6, 14.0, 8.0), LinkPoint(0.15, 0.4, -3.0, 11.0)
    shut, lost = LinkPoint(-0.01, 0.0, 1.0, 20.0), LinkPoint(why="no edge")
    assert corner_words(None, "") == "Working out every corner…"
    assert corner_words(None, "no link") == "no link"
    some = LinkCorners(("as it is", "fast"), (here, fast))
    assert corner_words(some, "") == "The eye is nowhere smaller than as it is, 0.200 V."
    some = LinkCorners(("as it is", "slow"), (here, slow))
    assert corner_words(some, "") == (
        "Least in the corner slow: 0.150 V, 50.0 mV less than as it is."
    )
    assert "shut: closed, 0.210 V less" in corner_words(
        LinkCorners(("x", "shut"), (here, shut)), ""
    )
    assert corner_words(LinkCorners(("x", "lost"), (here, lost)), "") == (
        "No eye in the corner lost: no edge"
    )
    view = CornersView(look)
    qtbot.addWidget(view)
    names = ("as it is", "fast", "slow", "shut", "lost")
    view.show_corners(LinkCorners(names, (here, fast, slow, shut, lost)), "")
    assert [r.cells for r in view.list.rows] == [
        ("lost", "none", "", "", ""),
        ("shut", "closed", "−210.0 mV", "0.000 UI", "1.0 dB"),
        ("slow", "0.150 V", "−50.0 mV", "0.400 UI", "−3.0 dB"),
        ("as it is", "0.200 V", "", "0.500 UI", "12.0 dB"),
        ("fast", "0.250 V", "+50.0 mV", "0.600 UI", "14.0 dB"),
    ]
    assert [bool(r.inks) for r in view.list.rows] == [True, True, False, False, False]


def test_costs_are_told_by_what_moves_most(qtbot: QtBot, look: Look) -> None:
    ui = 1e-10
    costs = (
        Cost("crosstalk", 0.22, 0.62 * ui, is_help=False),
        Cost("noise", 0.21, 0.55 * ui, is_help=False),
        Cost("peaking", 0.05, 0.30 * ui, is_help=True),
        Cost("feedback", -0.01, 0.20 * ui, is_help=True),
    )
    found = LinkCosts(0.2, 0.5 * ui, ui, costs)
    assert cost_words(found, "") == (
        "Crosstalk costs most width, 0.120 UI. Feedback earns most height, 0.210 V."
    )
    assert cost_words(replace(found, costs=costs[1:2]), "") == "Noise costs most width, 0.050 UI."
    assert cost_words(replace(found, costs=()), "").startswith("Nothing shakes this link")
    view = CostsView(look)
    qtbot.addWidget(view)
    view.show_costs(found, "")
    assert [r.cells for r in view.list.rows] == [
        ("crosstalk", "0.220 V", "+20.0 mV", "0.620 UI", "+0.120 UI"),
        ("noise", "0.210 V", "+10.0 mV", "0.550 UI", "+0.050 UI"),
        ("peaking", "50.0 mV", "−150.0 mV", "0.300 UI", "−0.200 UI"),
        ("feedback", "closed", "−210.0 mV", "0.200 UI", "−0.300 UI"),
    ]
    colors = [dict(r.inks)[2] for r in view.list.rows]
    assert colors == [DAY.holds, DAY.holds, DAY.fails, DAY.fails]
    assert colors == [dict(r.inks)[4] for r in view.list.rows]
    # A stress without which the eye is lower is no help that is missing, nor is a help that is not.
    odd = (Cost("noise", 0.19, 0.5 * ui, is_help=False), Cost("taps", 0.21, 0.5 * ui, is_help=True))
    view.show_costs(replace(found, costs=odd), "")
    assert [dict(r.inks)[2] for r in view.list.rows] == [DAY.holds, DAY.holds]


def swept(over: str, heights: list[float]) -> LinkSweep:
    n = len(heights)
    values = np.array({"loss": [0.0, 2.0, 4.0], "speed": [0.5, 1.0, 1.5],
                       "noise": [0.0, 2e-3, 4e-3]}[over])  # fmt: skip
    rest = [np.zeros(n)] * 3
    return LinkSweep(over, values, np.array(heights), *rest, ("",) * n)


def test_a_sweep_says_until_where_the_eye_is_open() -> None:
    nan = math.nan
    assert sweep_words(None, "").startswith("Working out the eye")
    assert sweep_words(swept("loss", [0.3, 0.2, nan]), "") == (
        "More line: the eye is open up to +2 dB."
    )
    assert sweep_words(swept("speed", [0.3, 0.2, 0.1]), "") == (
        "Rate: the eye is open at every value up to 150 %."
    )
    assert (
        sweep_words(swept("noise", [0.3, 0.1, 0.0]), "") == "Noise: the eye is open up to 2.00 mV."
    )
    assert sweep_words(swept("loss", [nan, -0.1, nan]), "") == "More line: the eye is open nowhere."


# -- plots at the error rate -------------------------------------------------------------------


def test_eyes_of_kept_states_go_by_their_names(qtbot: QtBot, look: Look, rated: LinkEye) -> None:
    view = RateView(look)
    qtbot.addWidget(view)
    faster = replace(rated, unit_interval=0.5 * rated.unit_interval)
    view.show_link(rated, (Kept(1, "State 1", faster),), None)
    shown = [e for e in view.eyes if e.isVisibleTo(view)]
    assert [(e.title, e.is_kept) for e in shown] == [("now", False), ("State 1", True)]
    kept = next(c for c in view.bathtubs.curves if c.kept)
    own = min(rated.settings[0].eyes, key=lambda e: e.width)
    assert kept.name == "State 1"
    assert kept.x == pytest.approx(rated.moments / faster.unit_interval)
    assert kept.y == pytest.approx(own.bathtub)
    assert view.bathtubs._limits[0].y == pytest.approx(math.log10(rated.error_rate))
    found = {c.name: c for c in view.pulse.curves}
    some = np.isin(rated.time / rated.unit_interval, found["sampled"].x)
    assert found["sampled"].y == pytest.approx(1e3 * rated.pulse[some])
    assert found["channel"].y == pytest.approx(1e3 * rated.bare[some])
    marks = {x: (y, color) for x, y, color in view.pulse._marks}
    assert marks[0.0] == (pytest.approx(1e3 * rated.cursors[0]), look.t.ink)
    assert marks[1.0] == (pytest.approx(1e3 * rated.cursors[1]), look.t.tight)
    response = {c.name: c for c in view.response.curves}
    assert response["channel"].y == pytest.approx(rated.channel_db)
    assert response["equalised"].y == pytest.approx(rated.equalised_db)
    assert response["equalised"].x == pytest.approx(1e-9 * rated.frequency)
    # All of both is in view, and 0 dB; what is deeper than 60 dB need not be.
    levels = np.concatenate([rated.channel_db, rated.equalised_db])
    (x0, x1), (y0, y1) = view.response.viewRange()
    assert (x0, x1) == pytest.approx((0.0, 1e-9 * rated.frequency[-1]))
    assert (y0, y1) == pytest.approx((max(levels.min(), -60.0) - 2.0, max(levels.max(), 0.0) + 2.0))
    fed = replace(rated, taps=(0.02, 0.0, -0.01))
    view.show_link(fed, (), None)
    bars = [(float(b.x[0]), float(b.base), float(b.y[0])) for b in view.pulse._bars]
    assert bars == [(1.0, 0.0, pytest.approx(20.0)), (3.0, pytest.approx(-10.0), 0.0)]
    titles = [e.title for e in view.eyes if e.isVisibleTo(view)]
    assert titles == [s.name for s in rated.settings[: len(titles)]]


# -- what is typed -------------------------------------------------------------------------------


def test_taps_corners_and_lists_are_read_as_they_are_shown() -> None:
    assert read_taps("-0.05, 0.8 \u22120.15") == (-0.05, 0.8, -0.15)
    assert read_taps(" None ") == read_taps("") == ()
    main, behind = read_taps("-3.5 dB")
    assert main - behind == pytest.approx(1.0, abs=1e-3)
    assert 20.0 * math.log10((main + behind) / (main - behind)) == pytest.approx(-3.5, abs=0.01)
    assert taps_words(read_taps("-0.05 0.8 -0.15")) == "-0.05 0.8 -0.15"
    assert taps_words(()) == "none"
    assert (main_of((0.1, -0.8, 0.2)), main_of(())) == (1, 0)
    with pytest.raises(InputError, match="no list of taps"):
        read_taps("0.1 soup")
    assert read_list("none", "frequency", "GHz") == ()
    assert [x.si for x in read_list("5, 800 MHz", "frequency", "GHz")] == [5e9, 800e6]
    assert read_whole("12 000", "number", "") == 12000
    for bad in ("-1", "1.5", "x", ""):
        with pytest.raises(InputError, match="is no number"):
            read_whole(bad, "number", "As in 3.")
    corners = read_corners("-0.25 0, 0 UI 80 mV, 0.25 0.01 V")
    assert [(c.at, c.volts.si) for c in corners] == [(-0.25, 0.0), (0.0, 0.08), (0.25, 0.01)]
    assert read_corners(corners_words(corners)) == corners
    with pytest.raises(InputError, match="no corner"):
        read_corners("-0.25")


TERMS = MarginTerms()


def test_the_sheet_of_the_margin_reads_what_it_shows() -> None:
    for row in SHEET:
        value = getattr(TERMS, row.name)
        shown = row.shown(TERMS)
        wanted = value if isinstance(value, tuple) else (value,)
        assert row.read(shown, TERMS) == pytest.approx(wanted, rel=5e-4), row.name
        with pytest.raises(InputError):
            row.read(" ", TERMS)
        with pytest.raises(InputError):
            row.read("soup", TERMS)
    poles = next(r for r in SHEET if r.name == "poles")
    assert poles.read("2 GHz 12.5 GHz", TERMS) == (2e9, 12.5e9)
    assert poles.read("2 GHz, 12.5 GHz", TERMS) == (2e9, 12.5e9)
    random = next(r for r in SHEET if r.name == "random")
    assert random.read("0.02 UI", TERMS) == random.read("0.02", TERMS) == (0.02,)
    assert random._one(-0.0) == "0 UI"


def test_rows_of_numbers_keep_the_unit_of_now() -> None:
    assert NumberRows.si_row("Height", 0.2, "voltage", 0.05)[1:] == ("0.200", "V", "0.0500")


# -- parameters of a model ---------------------------------------------------------------


@pytest.mark.parametrize(
    ("form", "values", "words"),
    [
        ("range", ("2", "0", "7"), "Gain of it. Integer, from 0 to 7."),
        # A range that is not whole says no more than its kind.
        ("range", ("2", "0"), "Gain of it. Integer."),
        ("list", ("1", "2", "4"), "Gain of it. Integer, one of 1, 2, 4."),
        ("list", tuple("123456789"), "Gain of it. Integer, one of 1, 2, 3, 4, 5, 6, 7, 8."),
        ("value", ("3",), "Gain of it. Integer."),
    ],
)
def test_what_is_told_of_a_parameter(form: str, values: tuple[str, ...], words: str) -> None:
    parameter = Parameter(("gain",), "In", "integer", form, values, None, 1, False, "Gain of it.")
    assert _about(parameter) == words
