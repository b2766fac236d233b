"""Fits, tolerance runs, build checks, shielded sections, data-sheet lines."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest

from onda.engine.section import solve_section
from onda.engine.section.modes import pair_modes
from onda.errors import InputError, NotPhysical, OutOfReach
from onda.project.base import set_value
from onda.project.build.edits import replace_layer, with_stackup
from onda.project.lines.objects import Body
from onda.project.model import Project
from onda.project.quantities import parse_quantity
from onda.studies.build.remarks import build_remarks, pressed, via_aspect, zone_figures, zone_rows
from onda.studies.core.margin import State
from onda.studies.core.study import Control
from onda.studies.lines.field_picture import FIELD_PICTURE, FieldPictureInputs
from onda.studies.lines.fit import FIT, Bounds, FitInputs, with_dimension
from onda.studies.lines.fit_all import FIT_ALL, FitAllInputs, fit_all_inputs
from onda.studies.lines.impedance import IMPEDANCE, ImpedanceInputs
from onda.studies.lines.inputs import LineInputs, line_inputs
from onda.studies.lines.sheet_line import SHEET_LINE, line_of_sheet, sheet_inputs
from onda.studies.lines.shield import (
    MODE_CHECK,
    SIZE_SWEEP,
    SizeSweepInputs,
    mode_sentence,
    shield_inputs,
    shield_section,
)
from onda.studies.lines.solved_line import quick_impedance, section_at_frequency, solve_line
from onda.studies.lines.tolerance import TOLERANCE, ToleranceInputs
from onda.studies.lines.variations import spread_inputs, variations

CONTROL = Control()


def line(project: Project, name: str = "converter-pairs", layer: str = "L1") -> LineInputs:
    return line_inputs(project.design, project.design.line_class(name), layer)


def um(value: float):
    return parse_quantity(f"{value} um", "length")


# -- fit -----------------------------------------------------------------------


@pytest.mark.parametrize(
    ("name", "low", "high"),
    [("width", 60e-6, 4e-4), ("gap", 60e-6, 6e-4), ("height", 3e-5, 5e-4), ("Dk", 2.0, 8.0)],
)
def test_any_dimension_meets_the_target(project, name, low, high) -> None:
    inputs = line(project)
    asked = FitInputs(inputs, (Bounds(name, low, high),), (("z", 98.0),))
    found = FIT.run(asked, CONTROL)
    changed = with_dimension(inputs, name, found.values[0])
    assert solve_line(changed, False).z == pytest.approx(98.0, rel=2e-3)


@pytest.mark.parametrize("which", ["common", "odd", "even"])
def test_other_impedances_can_be_the_target(project, which) -> None:
    inputs = line(project)
    targets = {"common": 32.0, "odd": 48.0, "even": 64.0}
    asked = FitInputs(inputs, (Bounds("width", 6e-5, 4e-4),), ((which, targets[which]),))
    found = FIT.run(asked, CONTROL)
    section, _, _ = section_at_frequency(with_dimension(inputs, "width", found.values[0]))
    modes = pair_modes(solve_section(section))
    got = {"common": modes.z_common, "odd": modes.odd.z0, "even": modes.even.z0}[which]
    assert got == pytest.approx(targets[which], rel=3e-3)


def test_two_targets_at_once(project) -> None:
    inputs = line(project)
    bounds = (Bounds("width", 6e-5, 4e-4), Bounds("gap", 6e-5, 6e-4))
    found = FIT.run(FitInputs(inputs, bounds, (("z", 100.0), ("common", 32.0))), CONTROL)
    changed = with_dimension(
        with_dimension(inputs, "width", found.values[0]), "gap", found.values[1]
    )
    modes = solve_line(changed).pair
    assert modes.z_diff == pytest.approx(100.0, rel=3e-3)
    assert modes.z_common == pytest.approx(32.0, rel=3e-3)


def test_two_targets_out_of_reach_name_the_limit(project) -> None:
    bounds = (Bounds("width", 6e-5, 4e-4), Bounds("gap", 6e-5, 6e-4))
    with pytest.raises(OutOfReach, match=r"cannot both be met.*smallest width"):
        FIT.run(FitInputs(line(project), bounds, (("z", 100.0), ("common", 90.0))), CONTROL)


@pytest.mark.parametrize(
    ("unknowns", "targets", "words"),
    [
        ((Bounds("width", 1e-4, 2e-4),), (("z", 50.0), ("odd", 40.0)), "as many dimensions"),
        ((Bounds("length", 1e-4, 2e-4),), (("z", 50.0),), "cannot be fitted"),
        ((Bounds("width", 1e-4, 2e-4),), (("even", 50.0),), "has no even impedance"),
    ],
)
def test_fits_that_make_no_sense(project, unknowns, targets, words) -> None:
    with pytest.raises(InputError, match=words):
        FIT.run(FitInputs(line(project, "clocks"), unknowns, targets), CONTROL)


def test_fit_all_reaches_targets_within_limits_or_says_why(project) -> None:
    wanted = fit_all_inputs(project.design).wanted
    some = tuple(w for w in wanted if (w.line_class, w.layer) in {
        ("converter-pairs", "L1"), ("clocks", "L6"), ("launch", "L8"), ("sensor-pairs", "tail.L4"),
    })  # fmt: skip
    found = {(f.line_class, f.layer): f for f in FIT_ALL.run(FitAllInputs(some), CONTROL).fitted}
    pairs = found[("converter-pairs", "L1")]
    assert pairs.reached == pytest.approx(100.0, abs=0.1)
    assert pairs.width == pytest.approx(130e-6, abs=2e-6)
    # 64 ohm on L6 needs a trace narrower than can be etched.
    assert "smallest width" in found[("clocks", "L6")].problem
    assert found[("sensor-pairs", "tail.L4")].problem == ""


# -- tolerance -----------------------------------------------------------------


def test_tolerance_run_agrees_with_its_causes(project) -> None:
    spread = spread_inputs(line(project), project.design.stackup.spread)
    run = TOLERANCE.run(ToleranceInputs(spread, 2000, 93.0, 107.0), CONTROL)
    assert len(run.z) == 2000
    assert run.surface_error < 1e-3
    assert run.mean == pytest.approx(quick_impedance(spread.line), rel=5e-3)
    assert sum(c.share for c in run.causes) == pytest.approx(1.0)
    assert run.causes[0].name == "width"
    assert run.inside == pytest.approx(np.mean((run.z > 93) & (run.z < 107)))
    again = TOLERANCE.run(ToleranceInputs(spread, 2000, 93.0, 107.0), CONTROL)
    assert np.array_equal(again.z, run.z)


def test_correlation_of_copper_and_width_widens_the_spread(project) -> None:
    """Thicker copper and wider traces both lower Z; when one comes with less of the other they
    partly cancel."""
    base = spread_inputs(line(project), project.design.stackup.spread)
    alone = TOLERANCE.run(ToleranceInputs(replace(base, copper_with_width=0.0)), CONTROL)
    opposed = TOLERANCE.run(ToleranceInputs(replace(base, copper_with_width=0.9)), CONTROL)
    assert opposed.sigma < 0.97 * alone.sigma
    assert math.isnan(alone.inside)


def test_every_structure_has_its_causes(project) -> None:
    spread = project.design.stackup.spread

    def names(name: str, layer: str) -> set[str]:
        return {v.name for v in variations(spread_inputs(line(project, name, layer), spread))}

    assert names("clocks", "L1") == {"width", "height", "Dk", "copper", "mask"}
    assert names("clocks", "L6") == {"width", "height below", "height above", "Dk", "copper"}
    launch = line(project, "launch", "L8")
    wider = variations(spread_inputs(launch, spread))[0].at(launch, 1.0)
    assert wider.trace.coplanar.gap == pytest.approx(launch.trace.coplanar.gap - 12e-6)


def test_too_few_boards(project) -> None:
    spread = spread_inputs(line(project), project.design.stackup.spread)
    with pytest.raises(NotPhysical, match="boards"):
        TOLERANCE.run(ToleranceInputs(spread, 3), CONTROL)


# -- what the line is made of ----------------------------------------------------


def test_roughness_and_heat_cost_loss(project) -> None:
    def loss(**changes) -> float:
        changed = with_stackup(project, **changes)
        return IMPEDANCE.run(ImpedanceInputs(line(changed, "clocks")), CONTROL).loss_at

    smooth, grooved, balls = (loss(roughness=m) for m in ("smooth", "Hammerstad", "Huray"))
    assert smooth < grooved
    assert smooth < balls
    assert loss(temperature=parse_quantity("85 degC", "temperature")) > 1.05 * balls


def test_a_material_used_far_from_its_frequency_is_said(project) -> None:
    notes = IMPEDANCE.run(ImpedanceInputs(line(project), False), CONTROL).notes
    assert any("Solder mask: Dk known at 1 GHz, used at 8.12 GHz" in n for n in notes)
    assert not any("prepreg" in n for n in notes)


def test_group_and_flex_and_coplanar_classes_are_solved(project) -> None:
    group = IMPEDANCE.run(ImpedanceInputs(line(project, "strobes", "L6"), False), CONTROL)
    assert group.together.names == ("1", "2", "3", "4")
    assert len(group.together.mode_z) == 4
    assert math.isnan(group.z_odd)
    tail = IMPEDANCE.run(ImpedanceInputs(line(project, "sensor-pairs", "tail.L4"), False), CONTROL)
    assert tail.z == pytest.approx(92.0, abs=2.0)
    assert line(project, "launch", "L8").trace.coplanar is not None


def test_field_picture(project) -> None:
    inputs = line(project)
    picture = FIELD_PICTURE.run(FieldPictureInputs(inputs, -4e-4, 4e-4, 0.0, 3e-4), CONTROL)
    assert picture.volts.shape == (len(picture.y), len(picture.x))
    # Half a volt on one trace, minus that on the other, nothing on the plane.
    assert picture.volts.max() == pytest.approx(0.5, abs=0.03)
    assert picture.volts.min() == pytest.approx(-0.5, abs=0.03)
    assert np.abs(picture.volts[0]).max() < 1e-6
    assert np.abs(picture.current).max() == 1.0


# -- build -----------------------------------------------------------------------


def remarks(project: Project) -> dict[str, State]:
    return {r.text: r.state for r in build_remarks(project.design)}


def state_of(project: Project, words: str) -> State:
    return next(s for text, s in remarks(project).items() if words in text)


def test_the_demo_is_sound_but_for_one_tight_via(project) -> None:
    found = remarks(project)
    assert [t for t, s in found.items() if s is not State.HOLDS] == [
        "Micro L1–L2: depth 0.82 drills, at most 0.9"
    ]


def test_what_a_fabricator_would_ask(project) -> None:
    stackup = project.design.stackup
    thick = replace_layer(project, set_value(stackup.layer("D23"), thickness=um(400)))
    assert state_of(thick, "of the target") is State.FAILS
    assert state_of(thick, "not symmetric") is State.TIGHT
    heavy = replace_layer(project, set_value(stackup.layer("L2"), thickness=um(70)))
    assert state_of(heavy, "copper of the two halves") is State.TIGHT
    assert state_of(heavy, "more than foil and plating") is State.TIGHT
    foil = replace_layer(project, set_value(stackup.layer("L1"), thickness=um(18)))
    assert state_of(foil, "that of the foil alone") is State.TIGHT
    zones = (stackup.zones[0], set_value(stackup.zones[1], bend_radius=um(1000)))
    assert state_of(with_stackup(project, zones=zones), "bent once") is State.FAILS
    often = (stackup.zones[0], set_value(stackup.zones[1], bends="often"))
    assert state_of(with_stackup(project, zones=often), "bent in use") is State.FAILS
    narrow = set_value(project.design.line_classes[1].on[0], width=um(70))
    classes = list(project.design.line_classes)
    classes[1] = set_value(classes[1], on=(narrow, *classes[1].on[1:]))
    design = set_value(project.design, line_classes=tuple(classes))
    assert (
        state_of(set_value(project, design=design), "at least 90 µm can be etched") is State.FAILS
    )


def test_prepreg_that_cannot_fill_its_copper(project) -> None:
    stackup = project.design.stackup
    copper = set_value(
        stackup.layer("L3"), thickness=um(105), cover=parse_quantity("20 %", "ratio")
    )
    starved = replace_layer(project, copper)
    thin = set_value(starved.design.stackup.layer("D34"), laid=um(100))
    starved = replace_layer(starved, thin)
    assert state_of(starved, "um of resin for") is State.FAILS
    with pytest.raises(NotPhysical):
        pressed(starved.design.stackup, thin)
    assert pressed(stackup, stackup.layer("D12")) == pytest.approx(102e-6, abs=2e-6)


def test_figures_of_zones(project) -> None:
    stackup = project.design.stackup
    card, tail = (zone_figures(stackup, z) for z in stackup.zones)
    assert card.mirrored
    assert card.imbalance == pytest.approx(0.0, abs=1e-9)
    assert tail.thickness == pytest.approx(211e-6)
    aspect, limit = via_aspect(stackup, stackup.vias[1])
    assert aspect == pytest.approx(102 / 125)
    assert limit == 0.9


def test_zones_are_drawn_without_holes(project) -> None:
    stackup = project.design.stackup
    rows = {x.id: (float(k), float(k + 1)) for k, x in enumerate(stackup.layers)}
    card = zone_rows(stackup, stackup.zones[0], rows)
    order = [x.id for x in stackup.zone_layers(stackup.zones[0])]
    for above, below in pairwise(order):
        assert card[above][1] == card[below][0]
    assert card["L4"] == rows["L4"]


# -- shielded sections -----------------------------------------------------------


@pytest.fixture(scope="module")
def bead():
    from onda.demo import fulmar_project

    project = fulmar_project()
    return project, shield_inputs(project.design, project.design.shielded[0])


def test_bead_is_coaxial(bead) -> None:
    _, inputs = bead
    result = MODE_CHECK.run(inputs, CONTROL)
    exact = 59.9584916 * math.log(1.35 / 0.41) / math.sqrt(2.08)
    assert result.z0 == pytest.approx(exact, rel=2e-3)
    assert [m.kind for m in result.modes] == ["TEM"]
    assert mode_sentence(result, 26e9) == "Only the intended mode travels below 52.0 GHz."


def test_too_large_a_shield_is_told(bead) -> None:
    _, inputs = bead
    large = replace(inputs, width=6e-3, conductor=1.8e-3)
    result = MODE_CHECK.run(large, CONTROL)
    assert result.single_up_to < 26e9
    assert "make the shield smaller" in mode_sentence(result, 26e9)
    beta = result.modes[0].beta
    assert np.all(np.diff(beta) > 0)


def test_window_of_sizes(bead) -> None:
    project, _ = bead
    box = shield_inputs(project.design, project.design.shielded[1])
    factors = tuple(float(f) for f in np.geomspace(0.05, 2.6, 8))
    result = SIZE_SWEEP.run(SizeSweepInputs(box, factors), CONTROL)
    # The smallest wall has no room for the trace.
    assert np.isnan(result.z0[0])
    known = result.cut_off[np.isfinite(result.cut_off)]
    assert len(known) >= 3
    assert np.all(np.diff(known) < 0)
    assert result.z0[-1] == pytest.approx(result.z_open, rel=5e-3)
    assert result.smallest < result.largest
    good = np.isfinite(result.cut_off)
    at = np.interp(result.largest, result.size[good], result.cut_off[good])
    assert at == pytest.approx(26e9, rel=0.1)


def test_drawn_sections(bead) -> None:
    project, _ = bead
    wall = Body(name="w", role="shield", corners=((0, 0), (3e-3, 0), (3e-3, 1.5e-3), (0, 1.5e-3)))
    fill = Body(
        name="f", role="dielectric", material="core",
        corners=((0, 0), (3e-3, 0), (3e-3, 0.5e-3), (0, 0.5e-3)),
    )  # fmt: skip
    drawn = set_value(project.design.shielded[0], shape="drawn", bodies=(wall, fill))
    inputs = shield_inputs(project.design, drawn)
    result = MODE_CHECK.run(replace(inputs, up_to=40e9), CONTROL)
    assert math.isnan(result.z0)
    assert 30e9 < result.modes[0].cut_off < 49.97e9
    assert shield_section(inputs).regions[0].material == "core"
    with pytest.raises(InputError, match="needs a shield"):
        set_value(drawn, bodies=(fill,))
    with pytest.raises(InputError, match="has a material"):
        set_value(fill, material=None)


# -- lines from a data sheet -------------------------------------------------------


def test_figures_are_met_where_they_are_stated(project) -> None:
    inputs = sheet_inputs(project.design.sheet_lines[0])
    result = SHEET_LINE.run(inputs, CONTROL)
    assert result.z0 == pytest.approx(50.0)
    assert result.loss_at == pytest.approx(1.9, rel=0.02)
    k = int(np.argmin(np.abs(result.frequency - 1e9)))
    assert result.delay_of_f[k] == pytest.approx(4.9e-9, rel=0.01)
    assert result.factors.tolist() == [0.1, 1.0, 10.0]
    # More loss, less of everything.
    assert np.all(np.diff(result.insertion[:, -1]) < 0)
    assert np.all(np.diff(result.eye_height) < 0)
    assert np.all(np.diff(result.eye_width) < 0)


def test_values_are_the_textbook_line(project) -> None:
    sheet = set_value(project.design.sheet_lines[0], entry="values")
    inputs = sheet_inputs(sheet)
    result = SHEET_LINE.run(inputs, CONTROL)
    w = 2 * np.pi * result.frequency
    gamma = np.sqrt((inputs.r + 1j * w * inputs.l) * (inputs.g + 1j * w * inputs.c))
    assert result.loss == pytest.approx(gamma.real * 20 / math.log(10), rel=1e-9)
    assert result.delay_of_f == pytest.approx(gamma.imag / w, rel=1e-9)


def test_a_loss_that_no_line_can_have(project) -> None:
    inputs = replace(sheet_inputs(project.design.sheet_lines[0]), loss=500.0, copper_share=0.0)
    with pytest.raises(NotPhysical, match="below half a neper"):
        line_of_sheet(inputs)
    with pytest.raises(NotPhysical, match="loss"):
        SHEET_LINE.run(inputs, CONTROL)


def test_the_eye_of_a_cable_without_loss_is_that_of_the_bits_sent(project) -> None:
    """Half of 1 V either way: where the picture's rows say, as tall and as wide as can be."""
    sheet = set_value(project.design.sheet_lines[0], entry="values")
    l, c = 250e-9, 100e-12  # noqa: E741 - the field's own name for inductance
    inputs = replace(sheet_inputs(sheet), l=l, c=c, r=0.0, g=0.0, length=0.1, loss_factors=(1.0,))
    result = SHEET_LINE.run(inputs, CONTROL)
    assert result.z0 == pytest.approx(50.0)
    assert result.delay == pytest.approx(math.sqrt(l * c))
    (picture,) = result.eyes
    phases, levels = picture.shape
    total = picture.sum(axis=1)
    assert total == pytest.approx(np.full(phases, total[0]))
    # Rows of 1.5 V / 120 from -0.75 V on; at the middle of a bit all are at both levels.
    volts = -0.75 + (np.arange(levels) + 0.5) * 1.5 / levels
    middle = picture[np.argmin([(row > 0).sum() for row in picture])]
    seen = volts[middle > 0]
    assert seen.min() == pytest.approx(-0.5, abs=0.02)
    assert seen.max() == pytest.approx(0.5, abs=0.02)
    assert np.abs(seen).min() > 0.45
    assert middle[volts > 0].sum() == pytest.approx(0.5 * middle.sum(), rel=0.02)
    assert result.eye_height[0] == pytest.approx(1.0, abs=0.01)
    assert result.eye_width[0] == pytest.approx(1.0, abs=0.02)
    assert result.insertion[0] == pytest.approx(np.zeros(len(result.frequency)), abs=1e-9)
