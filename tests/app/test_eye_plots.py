"""What the pictures of Eyes draw, against eyes, maps, sweeps and margins by themselves."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QColor, QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from onda.app.kit.kept import Kept
from onda.app.stages.eyes.bits_view import BitsView
from onda.app.stages.eyes.eye_view import EyeView, _density_image
from onda.app.stages.eyes.map_view import MapView, map_words
from onda.app.stages.eyes.margin_sheet import SHEET
from onda.app.stages.eyes.margin_view import MarginView
from onda.app.stages.eyes.sweep_view import SweepView
from onda.app.theme import Look
from onda.engine.links.operating_margin import ChannelMargin, MarginSettings, MarginTerms
from onda.project.model import Project
from onda.project.quantities import format_si
from onda.studies.core.runner import StudyRunner
from onda.studies.links.eye import EYE, EyeResult
from onda.studies.links.inputs import Mask, eye_inputs, link_inputs, mask_inputs
from onda.studies.links.link import LINK
from onda.studies.links.merit_map import LinkMap
from onda.studies.links.sweep import LinkSweep
from tests.painted import Drawn, drawn, put

# -- an eye bit by bit ----------------------------------------------------------------------


@pytest.fixture
def result(project: Project, runner: StudyRunner) -> EyeResult:
    return runner.result(EYE, eye_inputs(project.design, project.design.link("jl0")))


@pytest.fixture
def mask(project: Project) -> Mask:
    found = mask_inputs(project.design.link("jl0"))
    assert found is not None
    return found


REACH = 0.3
WIDE, TALL = 454, 404
# The picture leaves 50 px at the left, 4 at the right, 20 above, 84 below.
BOX = (50.0, 20.0, 450.0, 320.0)


def at(ui: float, volts: float) -> tuple[float, float]:
    return 250.0 + 200.0 * ui, 170.0 - 150.0 * volts / REACH


@pytest.fixture
def shown(qtbot: QtBot, look: Look, result: EyeResult, mask: Mask) -> tuple[EyeView, Drawn]:
    view = EyeView(look)
    put(qtbot, view, WIDE, TALL)
    view.show_eye("now", result.eye, mask, (3.0,), REACH)
    return view, drawn(view)


def test_the_mask_lies_around_the_level_of_decision(
    shown: tuple[EyeView, Drawn], result: EyeResult, mask: Mask, look: Look
) -> None:
    _, found = shown
    eye = result.eye
    away = eye.openings[0].threshold - eye.base
    (shape,) = [s for s in found.shapes if s.stroke == look.t.fails.lower() and s.dash]
    corners = shape.points[: len(mask.corners)]
    assert corners == pytest.approx(np.array([at(x, away + v) for x, v in mask.corners]), abs=0.1)
    assert "3 hits" in found.texts
    assert f"{eye.width:.3f} UI" in found.said
    assert format_si(eye.height, "voltage") in found.said
    assert f"crossings {eye.jitter_pp:.3f} UI p-p" in found.said


def test_a_mask_that_is_hit_stands_out(
    shown: tuple[EyeView, Drawn], result: EyeResult, mask: Mask, look: Look
) -> None:
    view, _ = shown
    ground = QColor(look.t.sheet)
    # Inside the mask, beside what is written there.
    away = result.eye.openings[0].threshold - result.eye.base
    right = max(x for x, _ in mask.corners)
    place = at(0.8 * right, away + 0.12 * max(v for _, v in mask.corners))

    def tint(hits: float) -> int:
        view.show_eye("now", result.eye, mask, (hits,), REACH)
        seen = view.grab().toImage().pixelColor(round(place[0]), round(place[1]))
        return abs(seen.green() - ground.green()) + abs(seen.blue() - ground.blue())

    assert tint(3.0) > 2 * tint(0.0) > 0


def test_arrows_are_as_long_as_what_they_measure(
    shown: tuple[EyeView, Drawn], result: EyeResult, look: Look
) -> None:
    _, found = shown
    eye, one = result.eye, result.eye.openings[0]
    lines = [s.box for s in found.of("polyline", stroke=look.t.ink)]
    upright = max((b for b in lines if b[0] == b[2]), key=lambda b: b[3] - b[1])
    middle = eye.density.shape[0] // 2
    ends = [at(0.0, float(v[middle]) - eye.base)[1] for v in (one.high_edge, one.low_edge)]
    assert (upright[0], upright[1], upright[3]) == pytest.approx((250.0, *ends), abs=0.1)
    level = max((b for b in lines if b[1] == b[3]), key=lambda b: b[2] - b[0])
    assert (level[0], level[2]) == pytest.approx(
        (at(-one.width / 2, 0.0)[0], at(one.width / 2, 0.0)[0]), abs=0.1
    )
    assert level[1] == pytest.approx(at(0.0, one.threshold - eye.base)[1], abs=0.1)


def test_crossings_and_levels_are_drawn_where_they_are(
    shown: tuple[EyeView, Drawn], result: EyeResult, look: Look
) -> None:
    _, found = shown
    counts = np.sum([o.crossings for o in result.eye.openings], axis=0)
    (histogram,) = [s for s in found.shapes if s.fill == look.t.sea.lower() and len(s.points) > 9]
    top = histogram.points[np.argmin(histogram.points[:, 1])]
    n = len(counts)
    where = (float(np.argmax(counts)) + 0.5) / n - 0.5
    # It stands twice, half a unit interval to either side of the picture's middle half.
    places = [at(where + k, 0.0)[0] for k in (-1.0, 0.0, 1.0)]
    assert min(abs(top[0] - p) for p in places) < 400.0 / n
    (levels,) = [s for s in found.shapes if s.fill == look.t.copper.lower() and len(s.points) > 9]
    row = result.eye.density[result.eye.density.shape[0] // 2]
    far = levels.points[np.argmin(levels.points[:, 0])]
    volts = result.eye.v_low + (float(np.argmax(row)) + 0.5) * result.eye.v_step
    assert far[0] == pytest.approx(450.0 - 40.0, abs=0.1)
    size = 150.0 / REACH * result.eye.v_step
    assert far[1] == pytest.approx(at(0.0, volts - result.eye.base)[1], abs=size + 0.1)


def test_crossings_of_all_eyes_stand_together(
    shown: tuple[EyeView, Drawn], result: EyeResult, look: Look
) -> None:
    view, _ = shown
    one = result.eye.openings[0]
    n = len(one.crossings)
    spikes = [np.where(np.arange(n) == k, height, 0) for k, height in ((n // 8, 4), (n // 4, 8))]
    eyes = tuple(replace(one, crossings=np.asarray(x)) for x in (*spikes, 0 * spikes[0]))
    view.show_eye("now", replace(result.eye, openings=eyes), None, (), REACH)
    found = drawn(view)
    (histogram,) = [s for s in found.shapes if s.fill == look.t.sea.lower() and len(s.points) > 9]
    base, top = histogram.points[:, 1].max(), histogram.points[:, 1].min()
    for k, share in ((n // 8, 0.5), (n // 4, 1.0)):
        x = at((k + 0.5) / n - 0.5, 0.0)[0]
        there = histogram.points[np.abs(histogram.points[:, 0] - x) < 250.0 / n, 1]
        assert (base - there.min()) / (base - top) == pytest.approx(share, abs=0.01)
        # And once more a unit interval later, where the picture ends.
        x = at((k + 0.5) / n + 0.5, 0.0)[0]
        there = histogram.points[np.abs(histogram.points[:, 0] - x) < 250.0 / n, 1]
        assert (base - there.min()) / (base - top) == pytest.approx(share, abs=0.01)


def test_the_picture_has_its_volts_upwards_and_its_phases_twice(result: EyeResult) -> None:
    eye = result.eye
    phases, levels = eye.density.shape
    scale = np.repeat(np.arange(256, dtype=np.uint8)[:, None], 3, axis=1)

    def seen(phase: int, level: int) -> tuple[np.ndarray, np.ndarray]:
        """Places of what is seen of one count, as shares of the width and V around the base."""
        density = np.zeros_like(eye.density)
        density[phase, level] = 1.0
        image = _density_image(replace(eye, density=density), REACH, scale)
        plain = image.convertToFormat(QImage.Format.Format_Grayscale8)
        bits = plain.constBits()
        assert bits is not None
        grey = np.frombuffer(bits.asarray(plain.sizeInBytes()), np.uint8)
        grey = grey.reshape(plain.height(), plain.bytesPerLine())[:, : plain.width()]
        rows, columns = np.nonzero(grey)
        volts = REACH * (1.0 - (rows + 0.5) / image.height() * 2.0)
        return np.unique((columns + 0.5) / image.width()), volts

    step = eye.v_step
    for level in (levels // 3, levels // 2 + 8):
        _, volts = seen(phases // 2, level)
        wanted = eye.v_low + (level + 0.5) * step - eye.base
        assert abs(wanted) < REACH
        assert volts.mean() == pytest.approx(wanted, abs=0.3 * step)
    places, _ = seen(0, levels // 2)
    assert places == pytest.approx([0.25, 0.75], abs=0.5 / phases)
    places, _ = seen(phases // 2, levels // 2)
    # What lies in the middle of the eye stands at both ends of the picture, halved, too.
    assert places == pytest.approx([0.0, 0.5], abs=0.5 / phases)


def test_the_picture_reads_out_where_the_mouse_is(
    shown: tuple[EyeView, Drawn], result: EyeResult
) -> None:
    view, _ = shown
    x, y = at(0.25, 0.1)
    QTest.mouseMove(view, QPoint(1, 1))
    QTest.mouseMove(view, QPoint(round(x), round(y)))
    QApplication.processEvents()
    assert f"+0.250 UI · {format_si(0.1, 'voltage')}" in drawn(view).said
    QTest.mouseMove(view, QPoint(10, 10))
    QApplication.processEvents()
    assert "+0.250 UI" not in drawn(view).said
    shut = tuple(replace(o, height=-0.01) for o in result.eye.openings)
    view.show_eye("now", replace(result.eye, openings=shut), None, (), REACH)
    assert "closed" in drawn(view).texts


def test_volts_and_time_stand_on_its_axes(shown: tuple[EyeView, Drawn]) -> None:
    _, found = shown
    numbers = {w.text: w for w in found.words if w.x < 50.0 and w.y > 25.0 and w.y < 330.0}
    assert len(numbers) >= 5
    scale = {"V": 1.0, "mV": 1e-3}[next(w.text for w in found.words if w.x < 50.0 and w.y < 20.0)]
    for words, word in numbers.items():
        volts = float(words.replace("−", "-")) * scale
        assert word.y - 4.0 == pytest.approx(at(0.0, volts)[1], abs=4.0), words
    for words, ui in (("−0.5", -0.5), ("0", 0.0), ("+0.5", 0.5)):
        word = next(w for w in found.words if w.text == words and w.y > 350.0)
        assert word.x == pytest.approx(at(ui, 0.0)[0], abs=16.0)


def test_a_pulse_stands_by_its_main_cursor_over_the_bits_that_leave_least(
    qtbot: QtBot, look: Look, result: EyeResult
) -> None:
    view = BitsView(look)
    put(qtbot, view, 900, 600)
    twice = replace(
        result,
        pulse=replace(result.pulse, volts=2.0 * result.pulse.volts),
        peak=replace(result.peak, main=result.peak.main + 1),
    )
    view.show_eye(result, Kept(1, "State 1", twice), None)
    peak, n = result.peak, result.pulse.samples_per_ui
    now, kept = view.pulse.curves
    # At 0 UI it is sampled: there it has the value of its main cursor.
    assert np.interp(0.0, now.x, now.y) == pytest.approx(1e3 * peak.cursors[peak.main], rel=1e-6)
    assert now.x[1] - now.x[0] == pytest.approx(1.0 / n)
    assert (kept.kept, kept.color) == (1, look.t.kept)
    assert kept.y == pytest.approx(2.0 * now.y)
    assert kept.x == pytest.approx(now.x - 1.0)
    for k, volts, ink in view.pulse._marks:
        assert volts == pytest.approx(1e3 * peak.cursors[round(k) + peak.main])
        assert ink == (look.t.ink if k == 0 else look.t.secondary)
    assert min(m[0] for m in view.pulse._marks) == -peak.main
    # The bit that is sampled lies around 0, fifteen before it and those of cursors before behind.
    (bits,) = view.worst.curves
    wanted = peak.worst_one[-16 - peak.main :]
    assert len(bits.x) == 2 * (16 + peak.main)
    (x0, x1), _ = view.worst.viewRange()
    assert (x0, x1) == pytest.approx((-15.5, peak.main + 0.5))
    sampled = len(wanted) - 1 - peak.main
    for k, bit in enumerate(wanted):
        inside = (bits.x > k - sampled - 0.49) & (bits.x < k - sampled + 0.49)
        level = np.interp(k - sampled, bits.x, bits.y) if not inside.any() else bits.y[inside][0]
        assert level == bit
    assert view.eye._title.startswith("Now")
    assert view.kept_eye._title == "Kept: State 1"
    assert view.kept_eye.isVisibleTo(view)
    view.show_eye(result, None, None)
    assert len(view.pulse.curves) == 1
    assert not view.kept_eye.isVisibleTo(view)
    assert view.eye._title.startswith("Eye over ")


# -- settings ---------------------------------------------------------------------------------


def made_map(best: float = 20.0, chosen: float = 17.0) -> LinkMap:
    x, y = np.linspace(-0.4, 0.1, 26), np.linspace(-12.0, 0.0, 25)
    db = best - 300.0 * (x[None, :] + 0.1) ** 2 - 0.2 * (y[:, None] + 4.0) ** 2
    return LinkMap("behind", "gain", x, y, db, (-0.2, -4.0, chosen), (-0.1, -4.0, best), 1.25)


def test_a_map_says_what_is_chosen_and_what_would_be_best(qtbot: QtBot, look: Look) -> None:
    assert map_words(None, "") == "Trying every setting…"
    assert map_words(None, "no link") == "no link"
    assert map_words(made_map(), "") == (
        "Signal over all else 17.0 dB as it is set; 20.0 dB at most, at tap behind −0.1, gain at "
        "0 Hz −4. A step to any side costs 1.2 dB or less."
    )
    assert "no setting here is better" in map_words(made_map(20.0, 19.96), "")
    taken, turned = [], []
    view = MapView(look, taken.append, lambda: turned.append(True))
    put(qtbot, view, 700, 500)
    view.show_map(made_map(), "")
    view.take.click()
    assert taken == [{"behind": -0.1, "gain": -4.0}]
    view.pairs.choose("behind-gain")
    assert turned
    assert view.pair == ("behind", "gain")
    # Lines lie where the figure is a dB and three below its best.
    curves = {c.name: c for c in view.plot.curves}
    assert list(curves) == ["1 dB below the best", "3 dB below the best"]
    for down, curve in zip((1.0, 3.0), curves.values(), strict=True):
        some = np.isfinite(curve.x)
        lost = 300.0 * (curve.x[some] + 0.1) ** 2 + 0.2 * (curve.y[some] + 4.0) ** 2
        assert lost == pytest.approx(np.full(some.sum(), down), abs=0.15)
    box = view.image.mapRectToParent(view.image.boundingRect())
    assert (box.left(), box.right()) == pytest.approx((-0.41, 0.11))
    assert (box.top(), box.bottom()) == pytest.approx((-12.25, 0.25))
    # Full where it is best, nothing twelve dB below.
    strength = view.image.image
    row, column = np.unravel_index(int(np.argmax(strength)), strength.shape)
    assert (view._found.up_values[row], view._found.across_values[column]) == pytest.approx(
        (-4.0, -0.1)
    )
    assert strength.max() == pytest.approx(1.0)
    assert strength.min() == 0.0
    assert [m[:2] for m in view.plot._marks] == [(-0.1, -4.0), (-0.2, -4.0)]
    # Where all settings are alike there is no line to draw: the best one stands by itself.
    flat = made_map()
    view.show_map(replace(flat, merit_db=np.full_like(flat.merit_db, 20.0)), "")
    (best,) = view.plot.curves
    assert (best.name, best.x.tolist(), best.y.tolist()) == ("best", [-0.1], [-4.0])
    view.show_map(made_map(20.0, 19.96), "")
    assert not view.take.isEnabled()
    view.show_map(None, "no link")
    assert (view.sentence.text(), view.image.isVisible()) == ("no link", False)


# -- sweeps -------------------------------------------------------------------------------------


def test_a_sweep_is_drawn_in_its_own_unit_and_looked_at(qtbot: QtBot, look: Look) -> None:
    looked: list[float] = []
    view = SweepView(look, lambda: None, looked.append)
    put(qtbot, view, 1000, 600)
    nan = math.nan
    found = LinkSweep(
        "speed", np.array([0.5, 1.0, 1.5]), np.array([0.3, 0.2, nan]), np.array([0.8, 0.6, nan]),
        np.array([20.0, 15.0, nan]), np.array([3.0, 6.0, nan]), ("", "", "too lossy: by far"),
    )  # fmt: skip
    view.show_sweep(found, "")
    # At first the last value whose eye is open.
    assert (view.chosen, looked) == (1, [1.0])
    curve = view.heights.curves[0]
    assert curve.x == pytest.approx([50.0, 100.0])
    assert curve.y == pytest.approx([300.0, 200.0])
    assert view.heights._marks == [(pytest.approx(100.0), pytest.approx(200.0), look.t.ink)]
    assert (view.heights._x.name, view.heights._x.unit) == ("Rate", "%")
    assert view.widths.curves[0].y == pytest.approx([0.8, 0.6])
    assert [r.cells for r in view.list.rows] == [
        ("50 %", "3.0 dB", "0.300 V", "0.800 UI"),
        ("▸ 100 %", "6.0 dB", "0.200 V", "0.600 UI"),
        ("150 %", "", "closed", "too lossy"),
    ]
    assert [bool(r.inks) for r in view.list.rows] == [False, False, True]
    view.list.chosen.emit("0")
    assert (view.chosen, looked[-1]) == (0, 0.5)
    assert view.list.rows[0].cells[0] == "▸ 50 %"
    view.look_at(7)
    assert view.chosen == 0
    loss = replace(found, over="loss", values=np.array([0.0, 2.0, 4.0]))
    view.show_sweep(loss, "")
    assert view.heights.curves[0].x == pytest.approx([3.0, 6.0])
    assert view.heights._x.unit == "dB"
    noise = replace(found, over="noise", values=np.array([0.0, 2e-3, 4e-3]))
    view.show_sweep(noise, "")
    assert view.heights.curves[0].x == pytest.approx([0.0, 2.0])
    assert view.heights._x.unit == "mV"
    assert view.anew
    view.settings.choose("kept")
    assert not view.anew
    view.show_sweep(None, "no link")
    assert (view.sentence.text(), view.list.rows) == ("no link", [])


@pytest.mark.parametrize(("deepest", "low"), [(-42.0, -44.0), (-90.0, -62.0)])
def test_the_response_beside_a_sweep_ends_at_sixty_db(
    project: Project, runner: StudyRunner, qtbot: QtBot, look: Look, deepest: float, low: float
) -> None:
    link = runner.result(LINK, link_inputs(project.design, project.design.link("up0")))
    channel, equalised = link.channel_db.copy(), np.minimum(link.equalised_db, 3.0)
    channel[:], equalised[0], channel[-1] = -12.0, 3.0, deepest
    link = replace(link, channel_db=channel, equalised_db=np.maximum(equalised, -30.0))
    view = SweepView(look, lambda: None, lambda _: None)
    put(qtbot, view, 1000, 600)
    one = np.ones(1)
    view.show_sweep(LinkSweep("speed", one, 0.2 * one, 0.6 * one, 15.0 * one, 6.0 * one, ("",)), "")
    view.show_eye(link, None)
    assert view.response.curves[0].y[-1] == deepest
    x0, x1, y0, y1 = view.response._shown_view
    assert (x0, x1) == pytest.approx((0.0, 1e-9 * link.frequency[-1]))
    assert (y0, y1) == pytest.approx((low, 5.0))


# -- the operating margin --------------------------------------------------------------------------


def margin(com: float) -> ChannelMargin:
    time = np.linspace(0.0, 1e-9, 101)
    return ChannelMargin(
        com_db=com, merit_db=14.5, settings=MarginSettings(-0.02, 0.88, -0.1, -3.0),
        available=0.101, noise_peak=0.052, sampling=0.2e-9, main=0.11, taps=(0.25, -0.125),
        sigma_isi=0.011, sigma_jitter=0.0021, sigma_crosstalk=0.0032, sigma_noise=0.0043,
        sigma_transmitter=0.0054, sigma_gaussian=0.0065, time=time, pulse=np.sin(time * 3e9),
        warnings=("the data end early",),
    )  # fmt: skip


def test_every_figure_of_the_margin_stands_under_its_name(qtbot: QtBot, look: Look) -> None:
    put_in: list[tuple[str, tuple[float, ...]]] = []
    view = MarginView(look, lambda *a: put_in.append(a))
    put(qtbot, view, 1000, 500)
    terms, found = MarginTerms(), margin(3.42)
    view.show_margin(found, terms, "", frozenset({"noise"}))
    assert view.sentence.text() == (
        "Operating margin 3.42 dB, at least 3 dB: holds. But the data end early."
    )
    rows = dict(r.cells for r in view.figures.rows)

    def volts(value: float) -> str:
        return format_si(value, "voltage")

    assert rows == {
        "Operating margin, COM": "3.42 dB", "Figure of merit": "14.50 dB",
        "Available signal, A_s": volts(0.101), "Noise peak, A_ni": volts(0.052),
        "Main cursor, h(t_s)": volts(0.11), "Interference, sigma_ISI": volts(0.011),
        "Jitter, sigma_J": volts(0.0021), "Crosstalk, sigma_XT": volts(0.0032),
        "Receiver, sigma_N": volts(0.0043), "Transmitter, sigma_TX": volts(0.0054),
        "Gaussian, sigma_G": volts(0.0065), "Tap before, c(-1)": "−0.02",
        "Main tap, c(0)": "0.88", "Tap behind, c(1)": "−0.1", "Gain at 0 Hz, g_DC": "−3 dB",
        "Feedback, b(1)": "0.250", "Feedback, b(2)": "−0.125",
    }  # fmt: skip
    assert view.figures.rows[0].inks == ((1, look.t.holds),)
    sheet = {r.id: r for r in view.sheet.rows}
    assert sheet["baud"].cells[1] == f"{terms.baud / 1e9:g} GBd"
    assert sheet["noise"].inks == ((0, look.t.sea), (1, look.t.sea))
    assert sheet["snr"].inks == ()
    for row in SHEET:
        if " " not in row.shown(terms):
            assert sheet[row.name].cells == (row.words, row.shown(terms))
    curve = view.pulse.curves[0]
    unit = terms.unit_interval
    ui = (found.time - found.sampling) / unit
    some = (ui > -4.0) & (ui < 16.0)
    assert curve.x == pytest.approx(ui[some])
    assert curve.y == pytest.approx(1e3 * found.pulse[some])
    assert view.pulse._marks == [(0.0, pytest.approx(110.0), look.t.ink)]
    view.sheet.chosen.emit("random")
    assert view.entry.title.text() == "Random, sigma_RJ"
    view._put("0.02 UI")
    view._put("usual")
    assert put_in == [("random", (0.02,)), ("random", ())]
    view.show_margin(margin(2.99), terms, "")
    assert "fails" in view.sentence.text()
    assert view.figures.rows[0].inks == ((1, look.t.fails),)
    for missing in ((found, None), (None, terms)):
        view.show_margin(*missing, "not yet")
        assert (view.sentence.text(), view.sheet.rows) == ("not yet", [])
    view.show_margin(None, None, "over a network only")
    assert (view.sentence.text(), view.figures.rows) == ("over a network only", [])
