"""What the views of Lines draw, against results by themselves."""

from __future__ import annotations

import itertools
import math
from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from onda.app.kit.kept import Kept
from onda.app.stages.lines.coupling_view import CouplingView
from onda.app.stages.lines.drawing import layer_of_slab, make_drawing, structure_in_words
from onda.app.stages.lines.field_drawing import draw_densities, potential_levels
from onda.app.stages.lines.layers_view import LayerRow, LayersView
from onda.app.stages.lines.plots import ImpedancePlots, PerLengthPlots
from onda.app.stages.lines.section_view import SectionView
from onda.app.stages.lines.spread_bars import SpreadBars
from onda.app.stages.lines.spread_view import SpreadView
from onda.app.stages.lines.together_view import TogetherView
from onda.app.theme import Look
from onda.errors import InputError
from onda.project.model import Project
from onda.project.quantities import parse_quantity, split_si
from onda.studies.core.margin import State
from onda.studies.core.runner import StudyRunner
from onda.studies.lines.field_picture import FieldPicture
from onda.studies.lines.impedance import (
    IMPEDANCE,
    ImpedanceInputs,
    ImpedanceResult,
    coupling_between,
)
from onda.studies.lines.inputs import LineInputs, line_inputs
from onda.studies.lines.sensitivity import Influence, SensitivityResult
from onda.studies.lines.tolerance import Cause, ToleranceResult
from onda.studies.lines.width_sweep import WidthSweepResult
from tests.painted import drawn, put


def inputs_of(project: Project, line: str, layer: str) -> LineInputs:
    return line_inputs(project.design, project.design.line_class(line), layer)


@pytest.fixture
def pair(project: Project, runner: StudyRunner) -> ImpedanceResult:
    inputs = ImpedanceInputs(inputs_of(project, "converter-pairs", "L3"))
    return runner.result(IMPEDANCE, inputs)


# -- over frequency ------------------------------------------------------------------------


def louder(result: ImpedanceResult) -> ImpedanceResult:
    return replace(
        result, z_of_f=2.0 * result.z_of_f, loss_db_per_m=3.0 * result.loss_db_per_m,
        r_of_f=2.0 * result.r_of_f,
    )  # fmt: skip


def test_impedance_and_loss_with_their_parts(
    qtbot: QtBot, look: Look, pair: ImpedanceResult
) -> None:
    view = ImpedancePlots(look)
    qtbot.addWidget(view)
    view.show_result(pair, (Kept(1, "State 1", louder(pair)),))
    z = {c.name: c for c in view.by_frequency.curves}
    assert z["now"].x == pytest.approx(pair.frequency / 1e9)
    assert z["now"].y == pytest.approx(pair.z_of_f)
    assert z["State 1"].y == pytest.approx(2.0 * pair.z_of_f)
    assert (z["State 1"].kept, z["State 1"].color) == (1, look.t.kept)
    loss = {c.name: c for c in view.loss.curves}
    drawn_at = (pair.frequency > 0.05e9) & (pair.frequency < 40e9)
    parts = {"total": pair.loss_db_per_m, "dielectric": pair.dielectric_db_per_m,
             "copper": pair.conductor_db_per_m, "roughness": pair.roughness_db_per_m}  # fmt: skip
    for name, values in parts.items():
        assert loss[name].y == pytest.approx(0.1 * values[drawn_at]), name
        assert loss[name].x == pytest.approx(pair.frequency[drawn_at] / 1e9)
    assert loss["State 1: total"].y == pytest.approx(0.3 * pair.loss_db_per_m[drawn_at])
    assert view.loss._y.unit == "dB/100 mm"
    smooth = replace(pair, roughness_db_per_m=np.zeros_like(pair.frequency))
    view.show_result(smooth, ())
    assert "roughness" not in {c.name for c in view.loss.curves}


def test_losses_per_inch_and_widths_in_mil(
    qtbot: QtBot, look: Look, pair: ImpedanceResult, in_inches: None
) -> None:
    view = ImpedancePlots(look)
    qtbot.addWidget(view)
    view.show_result(pair, ())
    total = next(c for c in view.loss.curves if c.name == "total")
    some = (pair.frequency > 0.05e9) & (pair.frequency < 40e9)
    assert total.y == pytest.approx(0.0254 * pair.loss_db_per_m[some])
    assert view.loss._y.unit == "dB/in"
    sweep = WidthSweepResult(np.array([25.4e-6, 50.8e-6]), np.array([90.0, 70.0]))
    view.show_sweep(sweep, [], [(101.6e-6, 50.0, "#123456")])
    (curve,) = view.by_width.curves
    assert curve.x == pytest.approx([1.0, 2.0])
    assert view.by_width._marks == [(pytest.approx(4.0), 50.0, "#123456")]
    assert view.by_width._x.unit == "mil"
    view.show_sweep(None, [], [])
    assert view.by_width.curves == ()


def test_per_length_values_in_their_units(qtbot: QtBot, look: Look, pair: ImpedanceResult) -> None:
    view = PerLengthPlots(look)
    qtbot.addWidget(view)
    view.show_result(pair, (Kept(1, "State 1", louder(pair)),))
    wanted = (pair.r_of_f, 1e9 * pair.l_of_f, 1e3 * pair.g_of_f, 1e12 * pair.c_of_f,
              1e9 * pair.delay_of_f)  # fmt: skip
    units = ("Ω/m", "nH/m", "mS/m", "pF/m", "ps/mm")
    for plot, values, unit in zip(view.plots, wanted, units, strict=True):
        now, then = plot.curves
        assert now.y == pytest.approx(values)
        assert plot._y.unit == unit
        assert then.kept == 1
    assert view.plots[0].curves[1].y == pytest.approx(2.0 * pair.r_of_f)
    view.show_result(None, ())
    assert all(plot.curves == () for plot in view.plots)


def test_delays_per_inch_where_lengths_are_in_mil(
    qtbot: QtBot, look: Look, pair: ImpedanceResult, in_inches: None
) -> None:
    view = PerLengthPlots(look)
    qtbot.addWidget(view)
    view.show_result(pair, (Kept(1, "State 1", louder(pair)),))
    now, then = view.plots[-1].curves
    assert view.plots[-1]._y.unit == "ps/in"
    assert now.y == pytest.approx(25.4e9 * pair.delay_of_f)
    assert then.y == pytest.approx(25.4e9 * louder(pair).delay_of_f)
    modes = TogetherView(look)
    put(qtbot, modes, 900, 400)
    modes.show_lines(pair.together)
    said = drawn(modes.modes).said
    for delay in pair.together.mode_delay:
        assert f"{25.4e9 * delay:.1f} ps/in" in said


# -- tolerances ----------------------------------------------------------------------------


BOARDS = ToleranceResult(
    np.array([48.0, 49.0, 49.5, 50.0, 50.5, 53.0]), 50.0, 1.5, 0.8333,
    (Cause("width", "12 µm", 0.75), Cause("height", "10 %", 0.25)), 0.0123, 40,
)  # fmt: skip


def test_boards_stand_between_their_limits(qtbot: QtBot, look: Look) -> None:
    view = SpreadView(look)
    put(qtbot, view, 1000, 240)
    view.show_result(BOARDS, 45.0, 55.0)
    curves = {c.name: c for c in view.plot.curves}
    assert curves["boards"].y.sum() == len(BOARDS.z)
    assert curves["limit 45 Ω"].x.tolist() == [45.0, 45.0]
    assert curves["limit 55 Ω"].limit
    assert view.plot._bars[0].y.sum() == len(BOARDS.z)
    # Each bar stands over the impedances of its boards.
    count, edges = np.histogram(BOARDS.z, bins=len(view.plot._bars[0].y))
    assert view.plot._bars[0].y.tolist() == count.tolist()
    for x in (view.plot._bars[0].x, curves["boards"].x):
        assert x == pytest.approx(0.5 * (edges[1:] + edges[:-1]))
    assert 0.8 < view.plot._bars[0].width / (edges[1] - edges[0]) < 1.0
    assert view.sentence.text() == ("83.3% of 6 boards are within the limits; width matters most")
    rows = {name: (value, unit) for name, value, unit, _ in view.numbers._rows}
    assert rows["Mean"] == ("50.00", "Ω")
    assert rows["Sigma"] == ("1.50", "Ω")
    assert rows["Solved directly"] == ("40", "")
    assert rows["Surface off by"] == ("1.230", "%")
    bars = drawn(view.shares)
    track = bars.of("path", fill=look.t.track)[0].box
    first = bars.of("path", fill=look.t.series[1])[0].box
    second = bars.of("path", fill=look.t.sea)[0].box
    whole = track[2] - track[0]
    assert (first[2] - first[0]) / whole == pytest.approx(0.75, abs=0.01)
    assert (second[2] - second[0]) / whole == pytest.approx(0.25, abs=0.01)
    assert bars.said.startswith("width ±12 µm")
    # All boards and whatever limit there is are in view.
    edges = np.histogram(BOARDS.z, bins=len(view.plot._bars[0].y))[1]
    for low, high in ((45.0, 55.0), (math.nan, 55.0), (45.0, math.nan), (math.nan, math.nan)):
        view.show_result(BOARDS, low, high)
        ends = [x for x in (low, high, edges[0], edges[-1]) if not math.isnan(x)]
        room = 0.04 * (max(ends) - min(ends))
        (x0, x1), _ = view.plot.viewRange()
        assert (x0, x1) == pytest.approx((min(ends) - room, max(ends) + room), rel=1e-4)
        limits = [c.name for c in view.plot.curves if c.limit]
        assert limits == [f"limit {x:g} Ω" for x in (low, high) if not math.isnan(x)]
    # Without limits it says how far they spread.
    view.show_result(replace(BOARDS, inside=math.nan, causes=()), math.nan, math.nan)
    assert view.sentence.text() == "6 boards: 50.0 ± 4.5 Ω"
    assert [c.name for c in view.plot.curves] == ["boards"]
    # Nothing of an earlier run stands beside why there is none, or while another one is made.
    view.show_problem("no spread is stated")
    assert (view.sentence.text(), view.plot.curves) == ("no spread is stated", ())
    assert (view.numbers._rows, drawn(view.shares).texts) == ([], [])
    view.show_result(BOARDS, 45.0, 55.0)
    view.show_running()
    assert (view.sentence.text(), view.plot.curves) == ("Making boards…", ())
    assert drawn(view.shares).of("polyline") == []
    assert (view.numbers._rows, drawn(view.shares).texts) == ([], [])


def test_what_moves_most_is_as_long_as_it_moves(qtbot: QtBot, look: Look) -> None:
    bars = SpreadBars(look)
    some = (Influence("width", "12 µm", 4.0, -4.0), Influence("height", "10 %", -1.0, 3.0))
    put(qtbot, bars, 204, 44)
    bars.show_result(SensitivityResult(some, 4.5))
    found = drawn(bars)
    (wide,) = found.of("path", fill=look.t.series[1])
    (narrow,) = found.of("path", fill=look.t.sea)
    # The middle is no change; 4 ohm reach to either end.
    assert (wide.box[0], wide.box[2]) == pytest.approx((2.0, 202.0), abs=0.1)
    assert (narrow.box[0], narrow.box[2]) == pytest.approx((102 - 25.0, 102 + 75.0), abs=0.1)
    assert narrow.box[1] - wide.box[1] == pytest.approx(22.0)
    # A line across each is where nothing moves.
    for bar, line in zip((wide, narrow), found.of("polyline", stroke=look.t.ink), strict=True):
        assert line.points[:, 0] == pytest.approx([102.0, 102.0], abs=0.6)
        assert line.box[1] < bar.box[1] < bar.box[3] < line.box[3]
    assert "±4.0" in found.said
    assert "±2.0" in found.said
    # The scale goes by the larger end, whichever it is.
    some = (Influence("height", "10 %", -1.0, 3.0), Influence("width", "12 µm", 1.5, -1.5))
    bars.show_result(SensitivityResult(some, 4.5))
    (wide,) = drawn(bars).of("path", fill=look.t.series[1])
    assert (wide.box[0], wide.box[2]) == pytest.approx((102 - 33.3, 202.0), abs=0.1)
    bars.show_result(None)
    assert drawn(bars).texts == ["computing…"]
    assert bars.height() == 22


# -- a class over its layers ---------------------------------------------------------------


def test_layers_side_by_side_in_their_scales(
    qtbot: QtBot, look: Look, pair: ImpedanceResult
) -> None:
    view = LayersView(look)
    put(qtbot, view, 800, 150)
    half = replace(pair, z=110.0, loss_at=0.5 * pair.loss_at, delay=2.0 * pair.delay,
                   loss_parts=tuple(0.5 * x for x in pair.loss_parts))  # fmt: skip
    rows = [
        LayerRow("L3", "90/110", 90.0, 110.0, State.HOLDS, replace(pair, z=95.0)),
        LayerRow("L6", "95/100", 90.0, 110.0, State.FAILS, half),
        LayerRow("L8", "80/80", 90.0, 110.0, None, None),
    ]
    view.show_rows(rows, "L3")
    found = drawn(view)
    assert found.said.startswith("Impedance Loss, dB/100 mm Delay, ps/mm")
    # Heads stand over their columns, 14 px apart.
    heads = [found.word(w).x for w in ("Impedance", "Loss", "Delay")]
    assert np.diff(heads) == pytest.approx([0.30 * 650.0 + 14.0, 0.40 * 650.0 + 14.0], abs=0.5)
    assert f"{0.1 * pair.loss_at:.2f}" in found.said
    assert f"{0.05 * pair.loss_at:.2f}" in found.said
    assert split_si(2.0 * pair.delay, "delay per length", digits=4)[0] in found.said
    assert "…" in found.texts
    # Copper, roughness and dielectric one behind the other, together as long as the loss.
    colors = [look.t.series[k] for k in (1, 4, 3)]
    for k, share in ((0, 1.0), (1, 0.5)):
        boxes = [found.of("rect", fill=c)[k].box for c in colors]
        assert boxes[0][2] == pytest.approx(boxes[1][0], abs=0.1)
        assert boxes[1][2] == pytest.approx(boxes[2][0], abs=0.1)
        whole = 0.40 * 650.0 - 52.0
        lengths = [b[2] - b[0] for b in boxes]
        wanted = [share * whole * x / pair.loss_at for x in pair.loss_parts]
        assert lengths == pytest.approx(wanted, abs=0.1)
    # A mark at a quarter of the way between both limits, which lie on half of the track.
    track = found.of("path", fill=look.t.track)
    left, _, right, _ = track[0].box
    (mark,) = found.of("polyline", stroke=look.state_color(State.HOLDS).name())
    assert (mark.box[0] - left) / (right - left) == pytest.approx(0.375, abs=0.005)
    (mark,) = [
        s for s in found.of("polyline", stroke=look.state_color(State.FAILS).name())
        if s.box[0] == s.box[2]
    ]  # fmt: skip
    assert (mark.box[0] - left) / (right - left) == pytest.approx(0.75, abs=0.005)
    chosen = []
    view.chosen.connect(chosen.append)
    for y in (10, 22 + 30 + 5, 22 + 95):
        QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(200, y))
    assert chosen == ["L6"]


# -- crosstalk of a piece ------------------------------------------------------------------


def test_crosstalk_over_length_is_that_of_the_piece(
    qtbot: QtBot, look: Look, pair: ImpedanceResult
) -> None:
    view = CouplingView(look)
    qtbot.addWidget(view)
    view.show_lines(None)
    assert view.sentence.text() == "computing…"
    view.show_lines(pair.together)
    near, far = view.plot.curves
    # At the piece's own length curve, mark and figures agree.
    (x, y, _), (_, z, _) = view.plot._marks
    assert x == pytest.approx(50.0)
    assert y == pytest.approx(np.interp(50.0, near.x, near.y), rel=1e-3)
    assert z == pytest.approx(np.interp(50.0, far.x, far.y), rel=1e-2, abs=1e-3)
    rows = {name: (value, unit) for name, value, unit, _ in view.numbers._rows}
    assert float(rows["Near end, this piece"][0]) == pytest.approx(y, abs=6e-3)
    assert float(rows["Far end, this piece"][0].replace("\u2212", "-")) == pytest.approx(
        z, abs=6e-3
    )
    assert near.x[-1] == pytest.approx(100.0)
    # A saturated near end does not grow; the far end does with length and with a faster edge.
    assert near.y[-1] == pytest.approx(near.y[len(near.y) // 2], rel=1e-6)
    k = pair.together
    c, m = k.c, k.inductance
    backward = 0.25 * (abs(c[0, 1]) / c[0, 0] + m[0, 1] / m[0, 0])
    assert float(rows["Near-end coefficient"][0]) == pytest.approx(100 * backward, rel=2e-2)


def test_crosstalk_over_length_stands_in_the_unit_chosen(
    qtbot: QtBot, look: Look, pair: ImpedanceResult, in_inches: None
) -> None:
    view = CouplingView(look)
    qtbot.addWidget(view)
    view.show_lines(pair.together)
    assert view.plot.accessibleName() == "Crosstalk, % against Coupled length, in"
    near, far = view.plot.curves
    assert near.x[-1] == pytest.approx(100.0 / 25.4)
    assert far.x[0] == pytest.approx(near.x[0])
    assert [m[0] for m in view.plot._marks] == pytest.approx([50.0 / 25.4] * 2)
    rows = {name: (value, unit) for name, value, unit, _ in view.numbers._rows}
    value, unit = rows["Far-end coefficient"]
    together = pair.together
    k = coupling_between(
        together.c, together.inductance, 0, 1, length=view.length.si, rise_time=view.rise.si
    ).k_far
    assert k < 0.0
    assert unit == "ps/in"
    assert value.startswith("\u2212")
    assert float(value[1:]) == pytest.approx(-k * 25.4e9, rel=5e-3)


# -- fields --------------------------------------------------------------------------------


def test_contours_lie_where_the_potential_has_their_level() -> None:
    x, y = np.linspace(0.0, 1e-3, 41), np.linspace(0.0, 2e-3, 21)
    across = np.tile(x / 1e-3, (21, 1))
    nothing = np.zeros((0, 2))
    picture = FieldPicture(x, y, across, nothing, nothing, np.zeros(0), np.zeros(0))
    levels = dict(potential_levels(picture))
    assert list(levels) == pytest.approx([0.1 * k for k in range(1, 10)])
    for level, lines in levels.items():
        (line,) = lines
        assert line[:, 0] == pytest.approx(np.full(len(line), 1e-3 * level), abs=1e-9)
        # Half a step short of the edges at most.
        assert np.ptp(line[:, 1]) >= 2e-3 - 2 * 1e-4
    up = np.tile((y / 1e-3 - 1.0)[:, None], (1, 41))
    levels = dict(potential_levels(replace(picture, volts=up)))
    # Both signs: steps of a twentieth, that of 0 V with them.
    assert min(abs(v) for v in levels) < 1e-9
    assert len(levels) in (39, 40)
    for level, lines in levels.items():
        for line in lines:
            assert line[:, 1] == pytest.approx(np.full(len(line), 1e-3 * (level + 1.0)), abs=1e-9)


def test_densities_stand_outside_their_conductor(qtbot: QtBot, look: Look) -> None:
    # A square of 100 um, its panels once around; charge below zero on the last one.
    corners = 1e-4 * np.array([[0, 0], [1, 0], [1, 1], [0, 1], [0, 0]], dtype=float)
    values = np.array([1.0, 0.25, 0.04, -0.49])
    picture = FieldPicture(
        np.zeros(2), np.zeros(2), np.zeros((2, 2)), corners[:-1], corners[1:], values, values[::-1]
    )

    class Canvas(QWidget):
        def paintEvent(self, event: object) -> None:
            painter = QPainter(self)
            draw_densities(
                painter, look, picture, "charge", lambda x, y: QPointF(60 + 1e6 * x, 160 - 1e6 * y)
            )
            painter.end()

    canvas = Canvas()
    put(qtbot, canvas, 220, 220)
    ribbons = [s for s in drawn(canvas).shapes if s.kind in ("polygon", "path") and s.fill]
    assert [s.fill == look.t.below_zero.lower() for s in ribbons] == [False, False, False, True]
    # As thick as the root of its density, 26 px at most, away from the square.
    below, right, above, left = (s.box for s in ribbons)
    assert (below[1], below[3]) == pytest.approx((160.0, 186.0))
    assert (right[0], right[2]) == pytest.approx((160.0, 173.0))
    assert (above[1], above[3]) == pytest.approx((60.0 - 5.2, 60.0))
    assert (left[0], left[2]) == pytest.approx((60.0 - 18.2, 60.0))
    assert (below[0], below[2]) == pytest.approx((60.0, 160.0))


# -- the section ---------------------------------------------------------------------------


@pytest.mark.parametrize("layer", ["L1", "L3", "L6", "L8"])
def test_thicknesses_on_the_drawing_are_those_of_their_layers(project: Project, layer: str) -> None:
    design = project.design
    inputs = inputs_of(project, "converter-pairs", layer)
    trace = design.line_class("converter-pairs").trace_on(layer)
    drawing = make_drawing(design, inputs, trace)
    slabs = {d.key: d for d in drawing.dimensions if d.key.startswith("slab:")}
    place = design.stackup.place(layer)
    dielectrics = [x for x in place.layers if x.id in {
        layer_of_slab(design, inputs, layer, key) for key in slabs
    }]  # fmt: skip
    assert len(dielectrics) == len(slabs) >= 1
    for key, dimension in slabs.items():
        found = next(x for x in dielectrics if x.id == layer_of_slab(design, inputs, layer, key))
        assert dimension.about == f"Thickness of {found.name}"
        assert parse_quantity(dimension.text, "length").si == pytest.approx(found.thickness.si)
        # In the section it lies on its side of the trace: below the copper or above it.
        y = float(key.removeprefix("slab:"))
        below_in_build = place.layers.index(found) > place.index
        at = sum(s.thickness for s in inputs.below)
        assert (y < at) == (below_in_build != inputs.turned)
    with pytest.raises(InputError, match="belongs to no layer"):
        layer_of_slab(design, inputs, layer, "slab:9.0")
    planes = [x.id for x in place.layers if getattr(x, "role", "") == "plane"]
    assert set(drawing.plane_names) <= set(planes)
    words = structure_in_words(inputs, drawing.plane_names)
    assert "pair" in words
    both = inputs.plane_below and inputs.plane_above
    assert ("between planes" in words) == both
    assert ("over plane" in words) == (not both)


@pytest.mark.parametrize(("line", "layer"), [("strobes", "L6"), ("converter-pairs", "L3")])
def test_handles_stand_on_edges_of_the_drawn_lines(
    qtbot: QtBot, look: Look, project: Project, line: str, layer: str
) -> None:
    view = SectionView(look)
    put(qtbot, view, 900, 320)
    inputs = inputs_of(project, line, layer)
    trace = project.design.line_class(line).trace_on(layer)
    view.show_drawing(make_drawing(project.design, inputs, trace), [])
    drawn(view)
    shape = inputs.trace
    handles = sorted((c.x(), what, share) for c, what, share in view._handles)
    middle = 0.5 * (handles[0][0] + handles[-1][0])
    scale = (handles[-1][0] - handles[0][0]) / shape.span
    places = [(x - middle) / scale for x, _, _ in handles]
    edges = [-0.5 * shape.span]
    for k in range(shape.lines):
        edges += [edges[-1] + shape.width] if k == 0 else [
            edges[-1] + shape.gap, edges[-1] + shape.gap + shape.width
        ]  # fmt: skip
    # Every handle is where a line begins or ends.
    for place, (_, what, _) in zip(places, handles, strict=True):
        assert min(abs(place - e) for e in edges) < 1e-6 + 0.5 / scale, what
    assert [what for _, what, _ in handles] == ["width", "gap", "gap", "width"]
    centre, _, _ = next(h for h in view._handles if h[1] == "gap")
    assert view._handle_at(QPointF(centre.x() + 2, centre.y())) is not None


def test_a_section_is_fitted_anew_to_another_size_and_another_drawing(
    qtbot: QtBot, look: Look, project: Project
) -> None:
    def drawing(line: str, layer: str):
        trace = project.design.line_class(line).trace_on(layer)
        return make_drawing(project.design, inputs_of(project, line, layer), trace)

    def fresh(shown, width: int, height: int) -> list[tuple[float, float]]:
        view = SectionView(look)
        put(qtbot, view, width, height)
        view.show_drawing(shown, [])
        drawn(view)
        return [(c.x(), c.y()) for c, _, _ in view._handles]

    first, second = drawing("strobes", "L6"), drawing("converter-pairs", "L1")
    view = SectionView(look)
    put(qtbot, view, 900, 320)
    seen = []
    for shown, width, height in (
        (first, 900, 320), (first, 700, 320), (first, 700, 240), (second, 700, 240),
    ):  # fmt: skip
        view.resize(width, height)
        view.show_drawing(shown, [])
        drawn(view)
        seen.append([(c.x(), c.y()) for c, _, _ in view._handles])
        assert seen[-1] == fresh(shown, width, height)
    assert all(a != b for a, b in itertools.pairwise(seen))
