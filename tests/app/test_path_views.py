"""What the views of Paths show, against results by themselves."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from onda.app.plots.curves import Axis, Curve
from onda.app.selection import Selection
from onda.app.stages.paths.scale import Probes, route_map
from onda.app.stages.paths.views import BouncesView, MeasuresView, SpectrumView, WavesView
from onda.app.stages.paths.why_view import WhyView
from onda.app.theme import Look
from onda.engine.circuits.bounces import Bounce
from onda.project.measures import measures_of
from onda.project.model import Project
from onda.project.quantities import format_si
from onda.studies.core.margin import State
from onda.studies.core.runner import StudyRunner
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.path import PATH, PathResult, RestingPart
from onda.studies.paths.spectrum import density_db
from onda.studies.paths.why import Replacement, WhyResult


@pytest.fixture
def selection() -> Selection:
    return Selection("paths", lambda _: "paths")


def result_of(project: Project, runner: StudyRunner, path: str) -> PathResult:
    return runner.result(PATH, path_inputs(project.design, project.design.path(path)))


@pytest.fixture
def clock(project: Project, runner: StudyRunner) -> PathResult:
    return result_of(project, runner, "clk-two")


@pytest.fixture
def pulse(project: Project, runner: StudyRunner) -> PathResult:
    return result_of(project, runner, "trig")


# -- waveforms and spectra ----------------------------------------------------------------


def test_a_legend_names_every_line_in_its_colour(qtbot: QtBot, look: Look) -> None:
    view = WavesView(look, "Waveforms", Axis("Voltage", "V"))
    qtbot.addWidget(view)
    x = np.array([0.0, 1.0])
    view.show_curves(
        [Curve("load", x, x, "#112233"), Curve("State 1", x, x, look.t.kept, kept=1)], []
    )
    words = view.legend.text()
    assert words.startswith("<b>Waveforms</b><br>")
    assert 'color:#112233">' in words
    assert f"color:{look.t.kept_ink}" in words
    assert words.index("load") < words.index("State 1")


def db(values: np.ndarray) -> np.ndarray:
    return 20.0 * np.log10(values)


def test_harmonics_stand_beside_kept_ones(qtbot: QtBot, look: Look, clock: PathResult) -> None:
    probes = Probes()
    view = SpectrumView(look, probes)
    qtbot.addWidget(view)
    receiver = clock.receivers[-1].id
    route = route_map(clock, receiver)
    amps = np.geomspace(1e-3, 1e-5, len(clock.harmonics))
    now = replace(clock, harmonic_amps=amps)
    louder = amps.copy()
    louder[2] *= 2.0
    then = replace(clock, harmonic_amps=louder)
    view.show_result(now, route, [(then, route)], [])
    at_probe = route.harmonics_at(probes.items[1].share * route.delay)
    volts, kept = view.volts._bars
    assert volts.y == pytest.approx(db(np.maximum(at_probe, 1e-9)))
    assert kept.color == look.t.kept
    base = clock.harmonics[0] / 1e6
    assert volts.x == pytest.approx(clock.harmonics / 1e6 - 0.18 * base)
    assert kept.x == pytest.approx(clock.harmonics / 1e6 + 0.18 * base)
    ours, theirs = view.amps._bars
    assert ours.y == pytest.approx(db(1e6 * amps))
    assert theirs.y[2] - ours.y[2] == pytest.approx(6.0206, abs=1e-3)
    third = clock.harmonics[2] / 1e6
    assert view.sentence.text() == (f"Current: harmonic 3 ({third:.0f} MHz) falls most, by 6.0 dB.")
    # The probe of a kept state lies at the same share of its own way.
    longer = replace(route, delay=1.5 * route.delay)
    view.show_result(now, route, [(then, longer)], [])
    there = longer.harmonics_at(probes.items[1].share * longer.delay)
    assert view.volts._bars[1].y == pytest.approx(db(np.maximum(there, 1e-9)))
    assert np.abs(view.volts._bars[1].y - view.volts._bars[0].y).max() > 0.1
    view.show_result(then, route, [(now, route)], [])
    assert "rises most, by 6.0 dB" in view.sentence.text()
    assert "mid probe" in view.heads[0].text()


def test_harmonics_are_held_against_their_limit(
    qtbot: QtBot, look: Look, clock: PathResult
) -> None:
    view = SpectrumView(look, Probes())
    qtbot.addWidget(view)
    route = route_map(clock, clock.receivers[-1].id)
    amps = np.full(len(clock.harmonics), 1e-4)
    amps[1] = 1e-3
    now = replace(clock, harmonic_amps=amps)
    first, last = float(clock.harmonics[0]), float(clock.harmonics[-1])
    # 60 dBuA at the second harmonic, 54 there are allowed.
    view.show_result(now, route, [], [(0.5 * first, 54.0), (last, 54.0)])
    (limit,) = view.amps.curves
    assert limit.x == pytest.approx([0.5e-6 * first, 1e-6 * last])
    assert limit.y.tolist() == [54.0, 54.0]
    assert view.sentence.text() == (
        "Keep a state (K) to see which harmonic falls by how much.\n\n"
        "Harmonic 2 is 6.0 dB over the limit."
    )
    view.show_result(now, route, [], [(0.5 * first, 70.0), (last, 70.0)])
    assert "Harmonic 2 is 10.0 dB below the limit." in view.sentence.text()
    # Every harmonic and the limit are in view, 70 dB below the highest of both.
    (x0, x1), (y0, y1) = view.amps.viewRange()
    assert (x0, x1) == pytest.approx((0.2e-6 * first, 1e-6 * last + 0.8e-6 * first), rel=1e-6)
    assert (y0, y1) == pytest.approx((0.0, 75.0))
    # Where the limit holds for no harmonic nothing is said of it.
    view.show_result(now, route, [], [(2.0 * last, 70.0), (3.0 * last, 70.0)])
    assert "limit" not in view.sentence.text()


def test_what_comes_once_has_a_density(qtbot: QtBot, look: Look, pulse: PathResult) -> None:
    probes = Probes()
    probes.move(2, 1.0)
    probes.current = 2
    view = SpectrumView(look, probes)
    qtbot.addWidget(view)
    route = route_map(pulse, pulse.receivers[0].id)
    double = replace(pulse, drive_amps=2.0 * pulse.drive_amps)
    view.show_result(pulse, route, [(double, route)], [])
    f, level = density_db(pulse.time, route.volts_at(route.delay))
    now = view.volts.curves[0]
    assert now.x == pytest.approx(f / 1e6)
    assert now.y == pytest.approx(level)
    ours, kept = view.amps.curves
    loud = ours.y > ours.y.max() - 60.0
    assert kept.y[loud] == pytest.approx(ours.y[loud] + 6.0206, abs=1e-3)
    assert (kept.kept, kept.color) == (1, look.t.kept)
    assert (view.volts._y.unit, view.amps._y.unit) == ("dBµV/MHz", "dBµA/MHz")
    # As far as the present voltage holds something, whatever the kept one does.
    slow = replace(route, volts=np.tile(np.linspace(0.0, 1.0, route.volts.shape[1]), (
        route.volts.shape[0], 1
    )))  # fmt: skip
    view.show_result(pulse, route, [(double, slow)], [])
    last = 1e-6 * f[np.flatnonzero(level > level.max() - 70.0)[-1]]
    x0, x1, y0, y1 = view.volts.box.view
    assert (x0, x1) == pytest.approx((0.0, last))
    high = max(float(c.y.max()) for c in view.volts.curves)
    assert (y0, y1) == pytest.approx((high - 80.0, high + 5.0))
    assert "One passage" in view.sentence.text()


# -- arrivals ------------------------------------------------------------------------------


def bounce(time: float, volts: float, shape: str, *route: str) -> Bounce:
    return Bounce(time=time, volts=volts, route=route, cause=f"{shape} of {volts}", shape=shape)


def test_arrivals_are_listed_by_size_and_lie_on_the_wave(
    qtbot: QtBot, look: Look, selection: Selection
) -> None:
    view = BouncesView(look, selection)
    qtbot.addWidget(view)
    found = (
        bounce(1e-9, 0.2, "edge", "T1 end"), bounce(2e-9, -0.6, "edge", "V1", "T2 end"),
        bounce(3e-9, 0.4, "dip", "A stub"),
    )  # fmt: skip
    time = np.linspace(0.0, 4e-9, 41)
    view.show_bounces(found, time, 1e9 * time)
    assert [r.cells for r in view.list.rows] == [
        ("2.00 ns", format_si(-0.6, "voltage"), "edge of -0.6"),
        ("3.00 ns", format_si(0.4, "voltage"), "dip of 0.4 (passes)"),
        ("1.00 ns", format_si(0.2, "voltage"), "edge of 0.2"),
    ]
    assert [dict(r.inks)[1] for r in view.list.rows] == [
        look.t.below_zero, look.t.ink, look.t.ink,
    ]  # fmt: skip
    assert view.plot._marks == [
        (pytest.approx(2.0), pytest.approx(2.0), look.t.sea),
        (pytest.approx(3.0), pytest.approx(3.0), look.t.kept),
        (pytest.approx(1.0), pytest.approx(1.0), look.t.sea),
    ]
    for row, element in (("0", "T2"), ("1", "A"), ("2", "T1"), ("", "")):
        view.list.hovered.emit(row)
        assert selection.hovered == element
        lit = [m[2] for m in view.plot._marks].count(look.t.tight)
        assert lit == bool(row)


# -- measures ------------------------------------------------------------------------------


def test_measures_of_every_receiver_stand_in_its_column(
    qtbot: QtBot, look: Look, clock: PathResult
) -> None:
    view = MeasuresView(look, lambda _: None)
    qtbot.addWidget(view)
    first, last = clock.receivers
    resting = (RestingPart("Rt", 12e-3, -3e-3, 40e-3, 10e-3),)
    now = replace(clock, step=1.25e-12, step_error=0.004, resting=resting)
    states = {("overshoot", first.id): State.FAILS, ("overshoot", last.id): State.HOLDS,
              ("settling", last.id): State.TIGHT}  # fmt: skip
    view.show_result(now, states)
    rows = {r.id: r for r in view.table.rows}
    assert rows["levels"].cells[1:] == tuple(
        f"{format_si(r.low, 'voltage')} · {format_si(r.high, 'voltage')}" for r in (first, last)
    )
    assert rows["step"].cells == ("Step · error of it", "1.25 ps · 0.4 %", "")
    for what in measures_of("path"):
        values = [float(getattr(r.measures, what.key)) for r in (first, last)]
        if not any(map(math.isfinite, values)):
            continue
        cells = rows[what.key].cells
        assert cells[0] == what.title
        for k, (value, receiver) in enumerate(zip(values, (first, last), strict=True)):
            state = states.get((what.key, receiver.id))
            mark = {State.FAILS: " ×", State.TIGHT: " !"}.get(state, "")
            assert cells[k + 1] == format_si(value, what.dimension) + mark
    assert rows["overshoot"].inks == ((1, look.t.fails), (2, look.t.holds))
    assert rows["settling"].inks == ((2, look.t.tight),)
    assert [c.title for c in view.table._columns] == ["measure", first.name, last.name]
    assert view.resting.rows[0].cells == ("Rt", "12.00 mA", "−3.00 mA", "25.00 mW")
    view.show_result(replace(now, step_error=math.nan), {})
    assert "step" not in {r.id for r in view.table.rows}
    view.show_limit("Overshoot", "0.3 V", "0.3 V")
    assert view.limit.isEnabled()
    assert view.limit.title.text() == "Overshoot, limit (as in 0.3 V or >= 0.3 V; empty for none)"
    assert view.limit.edit.text() == "0.3 V"


# -- why -----------------------------------------------------------------------------------


def without(what: str, element: str, value: float, gain: float) -> Replacement:
    wave = np.array([0.0, value, 0.0])
    return Replacement(
        element=element, what=what, value=value, gain=gain, largest=0.4, at=1e-9, earlier=0.0,
        faster=0.0, level=0.0, waveform=wave,
    )  # fmt: skip


def test_what_would_better_it_is_listed_by_how_much(
    qtbot: QtBot, look: Look, selection: Selection
) -> None:
    view = WhyView(look, selection)
    qtbot.addWidget(view)
    found = (
        without("the stub", "A", 0.1, 0.4), without("via V1", "V1", 0.4, 0.1),
        without("the cap", "C1", 0.3, math.inf),
    )  # fmt: skip
    other = (without("the end", "R", 0.6, -0.1), without("T1", "T1", 0.7, -0.2))
    time, wave = np.array([0.0, 1e-9, 2e-9]), np.array([0.0, 0.5, 0.1])
    result = WhyResult("U2", "overshoot", 0.5, time, wave, found, other)
    view.show_result(result)
    assert view.head.text() == (
        "Overshoot at U2: 0.500 V. Without one of these it is no better: the end, T1."
    )
    assert [r.cells[:3] for r in view.list.rows] == [
        ("the stub", "0.100 V", "0.400 V"),
        ("via V1", "0.400 V", "0.100 V"),
        ("the cap", "0.300 V", "at all"),
    ]
    assert [r.bar for r in view.list.rows] == pytest.approx([1.0, 0.25, 1.0])
    assert view.sentence.text() == "The dip of 400 mV at 1.00 ns comes from the stub."
    view.list.hovered.emit("1")
    assert selection.hovered == "V1"
    now, changed = view.plot.curves
    assert now.y == pytest.approx(wave)
    assert changed.name == "without via V1"
    assert changed.y == pytest.approx(found[1].waveform)
    assert view.plot._marks == [(pytest.approx(1.0), pytest.approx(0.5), look.t.tight)]
    view.list.hovered.emit("")
    assert selection.hovered == ""
    view.show_result(replace(result, found=(), others=other))
    assert "Nothing on the net can be taken away" in view.head.text()
    (only,) = view.plot.curves
    assert only.name == "as it is"


def test_a_replacement_says_what_it_did_to_shape_time_and_level() -> None:
    one = replace(
        without("the stub", "A", 0.1, 0.4), largest=-0.123, earlier=12e-12, faster=-34e-12,
        level=-0.05,
    )  # fmt: skip
    assert one.sentence == (
        "The stub lifts the waveform by 123 mV at 1.00 ns. Without it the edge comes 12 ps earlier "
        "and is 34 ps slower. The high level moves by −50 mV."
    )
    turned = replace(one, earlier=-12e-12, faster=0.0, level=0.0)
    assert turned.sentence.endswith("Without it the edge comes 12 ps later.")
