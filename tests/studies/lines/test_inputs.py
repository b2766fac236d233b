"""What a line class on a layer is made of, read off the stackup by hand."""

from __future__ import annotations

import pytest

from onda.engine.section.structures import Slab
from onda.errors import InputError, NotPhysical
from onda.project.base import set_value
from onda.project.build.edits import replace_layer, with_stackup
from onda.project.build.stackup import CoatingLayer
from onda.project.model import Project
from onda.project.quantities import parse_quantity
from onda.studies.lines import inputs as inputs_of
from onda.studies.lines.inputs import LineInputs, line_inputs, material_inputs

UM = 1e-6


def um(value: float):
    return parse_quantity(f"{value} um", "length")


def of(project: Project, name: str, layer: str, *, without: tuple[str, ...] = ()) -> LineInputs:
    return line_inputs(project.design, project.design.line_class(name), layer, without)


def routed(project: Project, name: str, layer: str, **values: object) -> LineInputs:
    """A class whose trace on a layer is changed."""
    line_class = project.design.line_class(name)
    on = tuple(set_value(t, **values) if t.layer == layer else t for t in line_class.on)
    return line_inputs(project.design, set_value(line_class, on=on), layer)


def changed(project: Project, layer: str, **values: object) -> Project:
    return replace_layer(project, set_value(project.design.stackup.layer(layer), **values))


def slabs(project: Project, *layers: str, material: str | None = None) -> tuple[Slab, ...]:
    design = project.design
    out = []
    for name in layers:
        layer = design.stackup.layer(name)
        made_of = design.material(material or layer.material)
        out.append(Slab(layer.thickness.si, made_of.dk, made_of.id))
    return tuple(out)


# -- openings in a plane ----------------------------------------------------------------


def test_an_opening_looks_through_to_the_next_plane(project: Project) -> None:
    """Over L2, open: the core, L3 as resin, prepreg, and L4 with its copper."""
    inputs = routed(project, "clocks", "L1", opening=um(400), opening_shift=um(-30))
    opening = inputs.opening
    assert opening is not None
    assert (opening.width, opening.offset) == (pytest.approx(400 * UM), pytest.approx(-30 * UM))
    assert opening.thickness == pytest.approx(17 * UM)
    assert opening.plane_beyond
    core = slabs(project, "D23")
    resin = Slab(17 * UM, core[0].er, core[0].material)
    assert opening.beyond == (*core, resin, *slabs(project, "D34"))
    assert routed(project, "clocks", "L1").opening is None
    assert routed(project, "clocks", "L1", opening=um(400)).opening.offset == 0.0


def test_behind_the_last_plane_of_a_tail_there_is_none(project: Project) -> None:
    """Of the tail L5 is the last: behind its opening there is the coverlay and air."""
    inputs = routed(project, "sensor-pairs", "tail.L4", opening=um(400))
    assert inputs.opening is not None
    assert not inputs.opening.plane_beyond
    assert inputs.opening.beyond == ()
    # A coplanar line on a board without planes has none to open.
    board = project
    for layer in ("L2", "L4", "L5", "L7"):
        board = changed(board, layer, role="signal")
    with pytest.raises(NotPhysical, match="opening"):
        routed(board, "launch", "L8", opening=um(300))


def test_planes_without_copper_are_laminate(project: Project) -> None:
    inputs = of(project, "clocks", "L1", without=("L2",))
    resin = Slab(17 * UM, *_of(project, "D12"))
    above_l3 = Slab(17 * UM, *_of(project, "D23"))
    assert inputs.below == (
        *slabs(project, "D12"), resin, *slabs(project, "D23"), above_l3, *slabs(project, "D34"),
    )  # fmt: skip
    assert inputs.plane_below
    with pytest.raises(NotPhysical, match="but L2 and L4 and L5 and L7, open there"):
        of(project, "clocks", "L1", without=("L2", "L4", "L5", "L7"))


def _of(project: Project, layer: str) -> tuple[float, str]:
    material = project.design.material(project.design.stackup.layer(layer).material)
    return material.dk, material.id


# -- the trace ---------------------------------------------------------------------------


def test_a_trace_has_the_copper_of_its_layer(project: Project) -> None:
    board = changed(project, "L3", undercut=um(6), thickness=um(21))
    inputs = routed(board, "converter-pairs", "L3", width=um(98), gap=um(150))
    trace = inputs.trace
    assert (trace.width, trace.gap, trace.thickness, trace.undercut) == pytest.approx(
        (98 * UM, 150 * UM, 21 * UM, 6 * UM)
    )
    assert trace.coplanar is None
    assert trace.facing is None
    launch = of(project, "launch", "L8").trace
    assert launch.coplanar is not None
    on = project.design.line_class("launch").trace_on("L8")
    assert (launch.coplanar.gap, launch.coplanar.width) == (on.ground_gap.si, on.ground_width.si)
    assert of(project, "strobes", "L6").trace.count == project.design.line_class("strobes").count


def test_planes_have_their_own_copper(project: Project) -> None:
    """L3 looks up to L2 and down to L4."""
    inputs = of(project, "general", "L3")
    assert inputs.plane_copper == pytest.approx((18 * UM, 17 * UM))
    outer = of(project, "clocks", "L1")
    # There is none above; whatever stands for it does not matter.
    assert outer.plane_copper[0] == pytest.approx(17 * UM)
    # From below it is seen the other way round.
    assert of(project, "general", "L6").turned is False
    assert of(project, "general", "L6").plane_copper == pytest.approx((17 * UM, 18 * UM))


def test_roughness_belongs_to_the_face_that_lay_on_the_laminate(project: Project) -> None:
    """L3 is etched on what lies above it: its base looks up. L2's base looks down, L4's too."""
    board = project
    for layer, base, face in (("L2", 2.0, 1.0), ("L3", 5.0, 4.0), ("L4", 8.0, 7.0)):
        board = changed(board, layer, rz_base=um(base), rz_face=um(face))
    rough = of(board, "general", "L3").rough
    assert rough.top == pytest.approx(5 * UM)
    assert rough.bottom == pytest.approx(4 * UM)
    assert rough.sides == pytest.approx(4 * UM)
    # Of the plane above its lower face, its base; of the one below its upper face.
    assert rough.plane_above == pytest.approx(2 * UM)
    assert rough.plane_below == pytest.approx(7 * UM)
    assert rough.model == board.design.stackup.roughness
    # Seen from below, all is turned over: L8 stands on L7.
    board = changed(project, "L8", rz_base=um(5), rz_face=um(4))
    board = changed(board, "L7", rz_base=um(2), rz_face=um(1))
    turned = of(board, "clocks", "L8")
    assert turned.turned
    base = board.design.stackup.layer("L8").base
    # L8's base looks up to its laminate, down in the picture.
    assert base == "above"
    assert (turned.rough.bottom, turned.rough.top) == pytest.approx((5 * UM, 4 * UM))
    # L7's base looks up as well, away from L8.
    assert board.design.stackup.layer("L7").base == "above"
    assert turned.rough.plane_below == pytest.approx(1 * UM)
    assert turned.rough.plane_above == 0.0


def test_a_coating_lies_on_outer_copper_alone(project: Project) -> None:
    mask = project.design.stackup.layer("mask-top")
    coating = of(project, "clocks", "L1").coating
    assert coating is not None
    assert (coating.over_laminate, coating.over_copper, coating.beside) == (
        mask.over_laminate.si, mask.over_copper.si, mask.beside.si,
    )  # fmt: skip
    material = project.design.material(mask.material)
    assert (coating.er, coating.material) == (material.dk, material.id)
    assert of(project, "general", "L3").coating is None


# -- pairs on two layers -----------------------------------------------------------------


def facing(project: Project, layer: str, other: str, **values: object) -> LineInputs:
    line_class = project.design.line_class("converter-pairs")
    on = tuple(
        set_value(t, facing=other, gap=None, **values) if t.layer == layer else t
        for t in line_class.on
    )
    made = set_value(line_class, on=tuple(t for t in on if t.layer == layer))
    return line_inputs(project.design, made, layer)


def test_broadside_pairs_lie_over_one_another(project: Project) -> None:
    """L3 and, with the planes between them made signals, L6."""
    board = changed(changed(project, "L4", role="signal"), "L5", role="signal")
    inputs = facing(board, "L3", "L6", shift=um(15))
    trace = inputs.trace
    assert trace.facing is not None
    between = 142 + 18 + 75 + 18 + 142
    assert trace.facing.distance == pytest.approx(between * UM)
    assert trace.facing.thickness == pytest.approx(17 * UM)
    assert trace.facing.offset == pytest.approx(15 * UM)
    # The other one lies below: all is turned over so that it comes above.
    assert inputs.turned
    # Seen so, L3's base looks down and L6's up.
    assert board.design.stackup.layer("L6").base == "below"
    assert trace.facing.base_up
    assert not trace.base_up
    with pytest.raises(NotPhysical, match="a plane before L6"):
        facing(project, "L3", "L6")
    with pytest.raises(InputError, match="does not lie in the same zone"):
        facing(board, "L3", "L9")


# -- materials ---------------------------------------------------------------------------


def test_materials_change_with_temperature_from_twenty_degrees_on(project: Project) -> None:
    material = set_value(
        project.design.material("prepreg"), dk_per_kelvin=1e-4, df_per_kelvin=-2e-3
    )
    for celsius, dk, df in ((20.0, 1.0, 1.0), (70.0, 1.005, 0.9), (-30.0, 0.995, 1.1)):
        found = material_inputs(material, celsius)
        for (f, k, d), (at, now_k, now_d) in zip(material.known, found.points, strict=True):
            assert at == f
            assert now_k == pytest.approx(k * dk)
            assert now_d == pytest.approx(d * df)
    # Loss is never below nothing.
    assert all(d == 0.0 for _, _, d in material_inputs(material, 600.0).points)
    hot = with_stackup(project, temperature=parse_quantity("85 degC", "temperature"))
    warm = {m.id: m.points for m in of(hot, "clocks", "L1").materials}
    for m in project.design.materials:
        assert warm[m.id] == material_inputs(m, 85.0).points
    assert of(hot, "clocks", "L1").resistivity > 1.2 * of(project, "clocks", "L1").resistivity


def test_layers_that_are_none(project: Project) -> None:
    line_class = project.design.line_class("clocks")
    with pytest.raises(InputError, match="is not routed on L3"):
        line_inputs(project.design, line_class, "L3")
    on = (set_value(line_class.on[0], layer="D12"),)
    with pytest.raises(InputError, match="D12 is no copper layer"):
        line_inputs(project.design, set_value(line_class, on=on), "D12")


def test_the_other_line_of_a_broadside_pair_has_copper_of_its_own(project: Project) -> None:
    board = changed(changed(project, "L4", role="signal"), "L5", role="signal")
    board = changed(board, "L6", thickness=um(29), undercut=um(7))
    trace = facing(board, "L3", "L6").trace
    assert trace.facing is not None
    assert (trace.facing.thickness, trace.facing.undercut) == pytest.approx((29 * UM, 7 * UM))
    assert trace.thickness == pytest.approx(17 * UM)


def test_between_layers_a_cover_is_as_thick_as_on_laminate(project: Project) -> None:
    cover = next(x for x in project.design.stackup.layers if isinstance(x, CoatingLayer))
    thick = set_value(cover, over_laminate=um(31), over_copper=um(12))
    assert inputs_of._thickness(thick) == pytest.approx(31 * UM)
