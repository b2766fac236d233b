"""Studies of Fulmar: slices, keys, results that answer to what is changed."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.errors import Cancelled, InputError, NotPhysical, OutOfReach
from onda.project.base import set_value
from onda.project.edits import with_design
from onda.project.model import Project
from onda.project.paths.ends import Termination
from onda.project.quantities import parse_quantity
from onda.studies.core.keys import key_of
from onda.studies.core.runner import StudyRunner
from onda.studies.core.study import Control
from onda.studies.lines.field_picture import FIELD_LINES
from onda.studies.lines.fit import fit_width
from onda.studies.lines.impedance import IMPEDANCE, ImpedanceInputs
from onda.studies.lines.inputs import line_inputs
from onda.studies.lines.sensitivity import SENSITIVITY
from onda.studies.lines.solved_line import solve_line
from onda.studies.lines.variations import spread_inputs
from onda.studies.lines.width_gap_map import WIDTH_GAP_MAP, MapInputs, map_axes
from onda.studies.lines.width_sweep import WIDTH_SWEEP, WidthSweepInputs, width_range
from onda.studies.links.eye import EYE
from onda.studies.links.inputs import eye_inputs
from onda.studies.paths.build import build_path
from onda.studies.paths.ends import TermInputs
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.path import PATH, PathResult
from onda.studies.paths.sweep import PATH_SWEEP, SweepInputs, Variant, measures_with


def line(project: Project, name: str = "clocks", layer: str = "L1"):
    return line_inputs(project.design, project.design.line_class(name), layer)


def path_result(
    runner: StudyRunner, project: Project, name: str = "clk-adc", **changes
) -> PathResult:
    inputs = path_inputs(project.design, project.design.path(name))
    return runner.result(PATH, replace(inputs, **changes))


def with_layer(project: Project, layer: str, **changes) -> Project:
    layers = tuple(
        set_value(x, **changes) if x.id == layer else x for x in project.design.stackup.layers
    )
    return with_design(project, stackup=set_value(project.design.stackup, layers=layers))


# -- slices ------------------------------------------------------


def test_outer_layer_is_coated_over_its_plane(project: Project) -> None:
    inputs = line(project, layer="L1")
    assert inputs.coating is not None
    assert inputs.plane_below
    assert not inputs.plane_above
    assert [s.thickness for s in inputs.below] == [102e-6]


def test_inner_layer_lies_between_planes_in_resin(project: Project) -> None:
    inputs = line(project, "general", "L3")
    assert inputs.coating is None
    assert inputs.plane_below
    assert inputs.plane_above
    # L3 is etched on the core above it and pressed into the prepreg below.
    assert inputs.trace.base_up
    assert inputs.beside is not None
    assert inputs.beside.material == "prepreg"


def test_bottom_layer_is_the_top_one_turned_over(project: Project) -> None:
    top, bottom = line(project, layer="L1"), line(project, layer="L8")
    assert bottom.turned
    assert replace(bottom, turned=False) == top


def test_neighbouring_signal_layer_counts_as_resin(project: Project) -> None:
    """With L4 turned into a signal layer, L3 looks down through it to the plane L5."""
    other = with_layer(project, "L4", role="signal")
    inputs = line(other, "general", "L3")
    assert [round(s.thickness * 1e6) for s in inputs.below] == [142, 18, 75]
    assert inputs.below[1].material == "prepreg"


def test_a_layer_without_any_plane_is_refused_with_a_remedy(project: Project) -> None:
    bare = project
    for layer in ("L2", "L4", "L5", "L7"):
        bare = with_layer(bare, layer, role="signal")
    with pytest.raises(NotPhysical, match="layer L1: must be next to a plane; turn a neighbouring"):
        line(bare)


def test_class_not_routed_there(project: Project) -> None:
    with pytest.raises(InputError, match="not routed on L3"):
        line(project, "clocks", "L3")


def test_keys_follow_what_matters_and_nothing_else(project: Project) -> None:
    design = project.design
    base = key_of("path", path_inputs(design, design.path("clk-adc")))
    renamed = set_value(design.path("clk-adc"), name="Another name")
    assert key_of("path", path_inputs(design, renamed)) == base
    assert key_of("eye", path_inputs(design, design.path("clk-adc"))) != base
    thicker = with_layer(project, "D12", thickness=parse_quantity("103 um", "length")).design
    assert key_of("path", path_inputs(thicker, thicker.path("clk-adc"))) != base
    unused = with_layer(project, "D34", thickness=parse_quantity("150 um", "length")).design
    assert key_of("impedance", line_inputs(unused, unused.line_class("clocks"), "L1")) == key_of(
        "impedance", line(project)
    )
    with pytest.raises(TypeError, match="cannot be part"):
        key_of("x", {"a": 1})


# -- impedance ---------------------------------------------------


def test_impedance_numbers_hang_together(project: Project, runner: StudyRunner) -> None:
    r = runner.result(IMPEDANCE, ImpedanceInputs(line(project, "converter-pairs")))
    assert r.z == pytest.approx(2 * r.z_odd)
    assert r.z_common == pytest.approx(r.z_even / 2)
    assert r.z_odd < r.z_even
    assert r.coupling == pytest.approx((r.z_even - r.z_odd) / (r.z_even + r.z_odd))
    assert r.z_odd == pytest.approx(
        math.sqrt((r.inductance - r.mutual_inductance) / (r.capacitance + r.mutual_capacitance)),
        rel=1e-6,
    )
    parts = r.conductor_db_per_m + r.roughness_db_per_m + r.dielectric_db_per_m
    assert r.loss_db_per_m == pytest.approx(parts, rel=0.1)
    assert sum(r.loss_parts) == pytest.approx(r.loss_at, rel=0.02)
    assert r.causality < 1e-4
    drawn = FIELD_LINES.run(line(project, "converter-pairs"), Control())
    assert len(drawn.lines) > 10
    assert r.error < 1e-3


def test_impedance_falls_with_frequency_to_its_high_value(
    project: Project, runner: StudyRunner
) -> None:
    r = runner.result(IMPEDANCE, ImpedanceInputs(line(project)))
    assert r.z_of_f[0] > 1.3 * r.z
    # Skin and roughness still hold some inductance there, so it lies a little above.
    high = float(np.interp(5e9, r.frequency, r.z_of_f))
    assert r.z < high < 1.03 * r.z


def test_quick_study_is_close_and_unchecked(project: Project) -> None:
    inputs = line(project, "converter-pairs")
    quick = IMPEDANCE.run(ImpedanceInputs(inputs, False), Control())
    assert math.isnan(quick.causality)
    assert quick.z == pytest.approx(solve_line(inputs).z, rel=3e-3)


@pytest.mark.parametrize(
    ("name", "layer", "target"), [("clocks", "L1", 64.0), ("converter-pairs", "L3", 100.0)]
)
def test_fitted_width_gives_the_target(
    project: Project, name: str, layer: str, target: float
) -> None:
    inputs = line(project, name, layer)
    width = fit_width(inputs, target)
    got = solve_line(replace(inputs, trace=replace(inputs.trace, width=width)))
    assert got.z == pytest.approx(target, rel=2e-3)


def test_fit_out_of_reach_tells_the_nearest(project: Project) -> None:
    with pytest.raises(OutOfReach, match=r"nearest is \d+"):
        fit_width(line(project), 200.0)


def test_width_sweep_falls_and_passes_the_design(project: Project, runner: StudyRunner) -> None:
    inputs = line(project)
    sweep = runner.result(WIDTH_SWEEP, WidthSweepInputs(inputs, width_range(inputs.trace.undercut)))
    assert (np.diff(sweep.z) < 0).all()
    assert np.interp(inputs.trace.width, sweep.widths, sweep.z) == pytest.approx(
        solve_line(inputs).z, rel=0.01
    )


@pytest.mark.parametrize(("undercut", "least"), [(0.0, 60e-6), (10e-6, 60e-6), (40e-6, 104e-6)])
def test_widths_that_are_swept_are_those_that_are_etched(undercut: float, least: float) -> None:
    """From 60 um, or what the undercut leaves of it, to 320 um, each as much wider in parts."""
    widths = np.array(width_range(undercut))
    assert (len(widths), widths[0], widths[-1]) == (11, pytest.approx(least), pytest.approx(320e-6))
    assert widths[1:] / widths[:-1] == pytest.approx([(320e-6 / least) ** 0.1] * 10)


def test_width_sweep_leaves_out_what_cannot_be(project: Project) -> None:
    got = WIDTH_SWEEP.run(WidthSweepInputs(line(project), (10e-6, 1e-4)), Control())
    assert got.widths == pytest.approx([1e-4])


def test_map_falls_with_width_and_rises_with_gap(project: Project) -> None:
    inputs = line(project, "converter-pairs", "L3")
    widths, gaps = map_axes(inputs.trace.undercut, 4)
    got = WIDTH_GAP_MAP.run(MapInputs(inputs, widths, gaps), Control())
    assert got.z.shape == (4, 4)
    assert (np.diff(got.z, axis=1) < 0).all()
    assert (np.diff(got.z, axis=0) > 0).all()
    at = replace(inputs, trace=replace(inputs.trace, width=widths[1], gap=gaps[2]))
    assert got.z[2, 1] == pytest.approx(solve_line(at).z, rel=3e-3)


def test_map_between_its_points_is_as_good_as_solved(project: Project) -> None:
    inputs = line(project, "converter-pairs", "L1")
    widths, gaps = map_axes(inputs.trace.undercut, 8)
    got = WIDTH_GAP_MAP.run(MapInputs(inputs, widths, gaps), Control())
    for i, j in ((6, 4), (20, 71), (45, 45), (83, 13)):
        trace = replace(inputs.trace, width=float(got.fine_widths[j]), gap=float(got.fine_gaps[i]))
        assert got.fine_z[i, j] == pytest.approx(
            solve_line(replace(inputs, trace=trace)).z, rel=3e-3
        )


def test_map_has_holes_where_nothing_can_be_built(project: Project) -> None:
    inputs = line(project, "converter-pairs")
    got = WIDTH_GAP_MAP.run(MapInputs(inputs, (10e-6, 1e-4), (1e-4,)), Control())
    assert math.isnan(got.z[0, 0])
    assert got.z[0, 1] > 50


def test_map_can_be_stopped(project: Project) -> None:
    class Stop(Control):
        def progress(self, share: float) -> None:
            if share > 0.3:
                raise Cancelled

    inputs = line(project, "converter-pairs", "L3")
    with pytest.raises(Cancelled):
        WIDTH_GAP_MAP.run(MapInputs(inputs, (1e-4, 1.1e-4), (1e-4, 1.2e-4)), Stop())


@pytest.mark.parametrize(
    ("name", "layer", "causes"),
    [
        ("clocks", "L1", {"width", "height", "Dk", "copper", "mask"}),
        ("converter-pairs", "L3", {"width", "height below", "height above", "Dk", "copper"}),
    ],
)
def test_spread_names_its_causes_strongest_first(project, runner, name, layer, causes) -> None:
    inputs = spread_inputs(line(project, name, layer), project.design.stackup.spread)
    got = runner.result(SENSITIVITY, inputs)
    assert {i.name for i in got.influences} == causes
    sizes = [i.size for i in got.influences]
    assert sizes == sorted(sizes, reverse=True)
    assert got.together == pytest.approx(math.sqrt(sum(s * s for s in sizes)))
    by_name = {i.name: i for i in got.influences}
    # More width or Dk lowers, more height raises.
    assert by_name["width"].low > 0 > by_name["width"].high
    assert by_name["Dk"].low > 0 > by_name["Dk"].high
    for cause in causes & {"height", "height above", "height below"}:
        assert by_name[cause].low < 0 < by_name[cause].high


def test_influence_is_the_direct_difference(project: Project, runner: StudyRunner) -> None:
    """Of Dk in one uniform dielectric: Z goes with the root of it."""
    inputs = line(project, "general", "L3")
    uniform = replace(
        inputs, materials=tuple(replace(m, points=((1e9, 3.7, 0.0),)) for m in inputs.materials)
    )
    spread = spread_inputs(uniform, project.design.stackup.spread)
    dk = next(i for i in runner.result(SENSITIVITY, spread).influences if i.name == "Dk")
    z = solve_line(uniform).z
    assert dk.high == pytest.approx(z * (1 / math.sqrt(1.03) - 1), rel=1e-2)
    assert dk.low == pytest.approx(z * (1 / math.sqrt(0.97) - 1), rel=1e-2)


def test_a_spread_that_cannot_be_built_is_left_out(project: Project) -> None:
    spread = set_value(project.design.stackup.spread, width=parse_quantity("120 um", "length"))
    got = SENSITIVITY.run(spread_inputs(line(project), spread), Control())
    assert "width" not in {i.name for i in got.influences}
    assert len(got.influences) == 4


# -- path --------------------------------------------------------


def test_the_seeded_clock_rings_and_a_matched_one_does_not(
    project: Project, runner: StudyRunner
) -> None:
    ringing = path_result(runner, project)
    assert ringing.measures.overshoot > 0.45
    inputs = path_inputs(project.design, project.design.path("clk-adc"))
    assert measures_with(inputs, "Rs", 46.0)[0].overshoot < 0.02
    assert path_result(runner, project, "clk-ref").measures.overshoot < 0.02


def test_wave_map_meets_the_ends(project: Project, runner: StudyRunner) -> None:
    r = path_result(runner, project)
    assert r.volts.shape == (len(r.places), len(r.time))
    assert r.volts[-1] == pytest.approx(r.load, abs=1e-4)
    assert (np.diff(r.places) >= 0).all()
    assert r.places[-1] == pytest.approx(r.delay)
    assert [s.kind for s in r.spans] == ["resistor", "via", "trace", "via", "trace", "via", "trace"]


def test_quick_path_agrees_with_the_fine_one(project: Project, runner: StudyRunner) -> None:
    fine = path_result(runner, project)
    quick = path_result(runner, project, fine=False)
    assert quick.measures.overshoot == pytest.approx(fine.measures.overshoot, rel=0.01)
    swing = fine.high - fine.low
    assert np.interp(fine.time, quick.time, quick.load) == pytest.approx(
        fine.load, abs=0.01 * swing
    )


def test_levels_and_reflections(project: Project, runner: StudyRunner) -> None:
    r = path_result(runner, project)
    assert (r.low, r.high) == pytest.approx((0.0, 1.8))
    assert r.z_source == pytest.approx(33.0)
    assert r.reflection_at_launch == pytest.approx((33 - r.z_line) / (33 + r.z_line))
    assert r.reflection_at_load == 1.0
    assert math.isinf(r.z_load)


@pytest.mark.parametrize(
    ("term", "high", "z_load"),
    [
        (TermInputs("parallel", 64.0), 1.8 * 64 / 97, 64.0),
        (TermInputs("split", 128.0, 128.0, rail=1.8), 0.9 + 0.9 * 64 / 97, 64.0),
        (TermInputs("ac", 64.0, c=100e-12), 1.8, math.inf),
    ],
)
def test_terminations_calm_the_clock_and_set_the_level(project, runner, term, high, z_load) -> None:
    end = path_inputs(project.design, project.design.path("clk-adc"), fine=False).end
    r = path_result(runner, project, end=replace(end, termination=term))
    # The trace itself adds about half an ohm.
    assert r.high == pytest.approx(high, rel=1e-2)
    assert r.z_load == pytest.approx(z_load)
    assert r.measures.overshoot < 0.5 * path_result(runner, project).measures.overshoot


def test_termination_pulls_the_low_level_too(project: Project) -> None:
    term = Termination(
        kind="parallel",
        r=parse_quantity("64 ohm", "resistance"),
        rail=parse_quantity("1.8 V", "voltage"),
    )
    path = set_value(project.design.path("clk-adc"), termination=term)
    r = PATH.run(path_inputs(project.design, path, fine=False), Control())
    assert r.low == pytest.approx(1.8 * 33 / 97, rel=1e-2)
    assert r.high == pytest.approx(1.8, rel=1e-3)


def test_harmonics_are_those_of_the_settled_clock(project: Project, runner: StudyRunner) -> None:
    """Even ones vanish at 50 % duty; the first is that of a square wave, raised by ringing."""
    r = path_result(runner, project)
    assert r.harmonics[0] == pytest.approx(122.88e6)
    assert r.load_harmonics[0] == pytest.approx(2 * 1.8 / math.pi, rel=0.1)
    assert r.load_harmonics[1] < 1e-3 * r.load_harmonics[0]
    matched = path_result(runner, project, items=build_items(project, 46.0))
    assert matched.load_harmonics[2] < r.load_harmonics[2]


def build_items(project: Project, ohm: float):
    items = path_inputs(project.design, project.design.path("clk-adc")).items
    return (replace(items[0], value=ohm), *items[1:])


def test_zero_ohm_resistor_is_a_wire(project: Project) -> None:
    inputs = replace(
        path_inputs(project.design, project.design.path("clk-adc"), fine=False),
        items=build_items(project, 0.0),
    )
    built = build_path(inputs)
    assert built.z_source == 18.0
    assert built.net.series == ()
    assert PATH.run(inputs, Control()).measures.overshoot > 1.0


def test_sweep_agrees_with_single_runs(project: Project, runner: StudyRunner) -> None:
    inputs = path_inputs(project.design, project.design.path("clk-adc"), fine=False)
    sweep = runner.result(PATH_SWEEP, SweepInputs((Variant("", inputs),), "Rs", (0.0, 15.0, 46.0)))
    for value, overshoot in zip(sweep.values, sweep.overshoot, strict=True):
        assert overshoot == pytest.approx(measures_with(inputs, "Rs", float(value))[0].overshoot)
    assert (np.diff(sweep.overshoot) <= 0).all()
    assert (np.diff(sweep.of("edge_time")[:, 0]) > 0).all()


# -- eye ---------------------------------------------------------


def small_eye(project: Project, **changes):
    link = set_value(project.design.links[0], bits=4000)
    inputs = eye_inputs(project.design, link)
    if "unit_interval" in changes:
        channel = replace(inputs.channel, unit_interval=changes.pop("unit_interval"))
        inputs = replace(inputs, channel=channel)
    return replace(inputs, **changes)


def test_eye_is_open_and_measured_over_the_bits_asked_for(
    project: Project, runner: StudyRunner
) -> None:
    r = runner.result(EYE, small_eye(project))
    assert r.eye.bits == 4000
    assert r.mask_hits == 0
    assert r.mask_growth > 0
    assert 0.5 < r.eye.width < 1.0
    assert r.peak.height <= r.eye.height + 1e-9
    assert r.pulse.volts.sum(axis=0) == pytest.approx(
        0.5 * (r.eye.level_one - r.eye.level_zero), rel=0.3
    )


def test_faster_is_worse(project: Project, runner: StudyRunner) -> None:
    slow = runner.result(EYE, small_eye(project))
    fast = runner.result(EYE, small_eye(project, unit_interval=1 / 28e9))
    assert fast.eye.height < slow.eye.height
    assert fast.eye.jitter_pp > slow.eye.jitter_pp


def test_without_a_mask_nothing_is_said_of_it(project: Project, runner: StudyRunner) -> None:
    r = runner.result(EYE, small_eye(project, mask=None))
    assert math.isnan(r.mask_hits)
    assert math.isnan(r.mask_growth)


def test_an_edge_far_too_slow_for_the_rate_is_refused(project: Project) -> None:
    inputs = small_eye(project)
    slow = replace(inputs.channel, path=replace(inputs.channel.path, edge=1e-9))
    with pytest.raises(NotPhysical, match="four unit intervals"):
        EYE.run(replace(inputs, channel=slow), Control())
