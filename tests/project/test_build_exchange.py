"""The build as plain tables: every value in its place, and what a table leaves open."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest

from onda.formats.build_table import BuildLayer, BuildTable, ImpedanceWish, ZoneRow
from onda.project.base import set_value
from onda.project.build.exchange import build_table, take_build
from onda.project.build.stackup import CoatingLayer, CopperLayer
from onda.project.model import Project
from onda.project.quantities import parse_quantity
from tests.project.test_build import bare, um


def with_layer(project: Project, **changes: object) -> Project:
    layers = tuple(
        set_value(x, **changes) if x.id == "L1" else x for x in project.design.stackup.layers
    )
    stackup = set_value(project.design.stackup, layers=layers)
    return set_value(project, design=set_value(project.design, stackup=stackup))


def test_every_value_of_a_copper_layer_has_its_column(project: Project) -> None:
    made = with_layer(
        project, thickness=um(43), foil=um(18), plating=um(25), undercut=um(11), rz_base=um(4),
        rz_face=um(2), base="above", cover=parse_quantity("35 %", "ratio"),
    )  # fmt: skip
    row = next(r for r in build_table(made).layers if r.name == "L1")
    assert (row.kind, row.base_above) == ("signal", True)
    found = (row.thickness, row.foil, row.plating, row.undercut, row.rz_base, row.rz_face)
    assert found == pytest.approx((43e-6, 18e-6, 25e-6, 11e-6, 4e-6, 2e-6))
    assert row.cover == pytest.approx(0.35)
    plain = with_layer(project, foil=None, cover=None, base="below")
    row = next(r for r in build_table(plain).layers if r.name == "L1")
    assert math.isnan(row.foil)
    assert math.isnan(row.cover)
    assert not row.base_above


def test_every_value_of_what_is_no_copper_has_its_column(project: Project) -> None:
    stackup = project.design.stackup
    layers = tuple(
        set_value(x, over_laminate=um(30), over_copper=um(14), beside=um(9))
        if isinstance(x, CoatingLayer)
        else x
        for x in stackup.layers
    )
    spread = set_value(
        stackup.spread, dielectric=parse_quantity("8 %", "ratio"), dk=parse_quantity("2 %", "ratio")
    )
    design = set_value(
        project.design,
        stackup=set_value(stackup, layers=layers, spread=spread, total=um(1600)),
    )
    table = build_table(set_value(project, design=design))
    mask = table.layers[0]
    assert mask.kind == "coating"
    assert (mask.thickness, mask.over_copper, mask.beside) == pytest.approx((30e-6, 14e-6, 9e-6))
    core = next(r for r in table.layers if r.name == "D23")
    material = design.material(next(x.material for x in layers if x.id == "D23"))
    assert (core.kind, core.thickness, core.tolerance) == ("core", pytest.approx(127e-6), 0.08)
    assert (core.material, core.dk, core.df, core.frequency) == (
        material.name, material.dk, material.df, material.at.si,
    )  # fmt: skip
    assert table.total == pytest.approx(1.6e-3)
    assert {s.name: s.back_to for s in table.spans} == {
        "through": "", "micro12": "", "buried36": "", "back": "L3",
    }  # fmt: skip


def test_a_wish_says_what_is_asked_and_what_it_stands_over(project: Project) -> None:
    table = build_table(project, {("converter-pairs", "L3"): 98.5})
    wishes = {(w.name, w.layer): w for w in table.wishes}
    inner = wishes["Converter pairs", "L3"]
    # Planes next above and next below it; an outer layer has one alone.
    assert inner.reference == ("L2", "L4")
    assert wishes["Converter pairs", "L1"].reference == ("L2",)
    assert wishes["Converter pairs", "L8"].reference == ("L7",)
    # Half of what lies between the limits, as a share of the target.
    assert (inner.ohm, inner.tolerance) == (100.0, pytest.approx(0.07))
    assert inner.reached == 98.5
    assert math.isnan(wishes["Converter pairs", "L1"].reached)
    assert (inner.kind, inner.width, inner.gap) == (
        "pair",
        pytest.approx(98e-6),
        pytest.approx(150e-6),
    )
    assert math.isnan(inner.ground_gap)
    launch = wishes["Maintenance launch", "L8"]
    assert launch.ground_gap == pytest.approx(200e-6)
    # A layer of another zone goes by the zone's name.
    assert wishes["Sensor pairs", "Flexible tail.L4"].reference == ("L5",)
    facing = tuple(
        set_value(
            c,
            on=tuple(set_value(t, gap=None, facing="L3") if t.layer == "L6" else t for t in c.on),
        )
        if c.id == "uplink-pairs"
        else c
        for c in project.design.line_classes
    )
    faced = set_value(project, design=set_value(project.design, line_classes=facing))
    kinds = {w.layer: w.kind for w in build_table(faced).wishes if w.name == "Uplink pairs"}
    assert kinds == {"L3": "pair", "L6": "broadside"}


def test_what_a_table_does_not_say_of_copper_is_as_it_was(project: Project) -> None:
    known = with_layer(project, undercut=um(11), rz_base=um(4), rz_face=um(2))
    table = build_table(known)
    rows = tuple(
        replace(r, undercut=math.nan, rz_base=math.nan, rz_face=math.nan) if r.name == "L1" else r
        for r in table.layers
    )
    layer = take_build(known, replace(table, layers=rows)).project.design.stackup.layer("L1")
    assert isinstance(layer, CopperLayer)
    assert (layer.undercut.si, layer.rz_base.si, layer.rz_face.si) == pytest.approx(
        (11e-6, 4e-6, 2e-6)
    )


@pytest.mark.parametrize(
    ("row", "wanted"),
    [
        (BuildLayer("m", "coating", 25e-6, over_copper=14e-6, beside=12e-6), (25e-6, 14e-6, 12e-6)),
        (BuildLayer("m", "coating", 25e-6, over_copper=14e-6), (25e-6, 14e-6, 25e-6)),
        (BuildLayer("m", "coating", 25e-6), (25e-6, 25e-6, 25e-6)),
    ],
)
def test_a_coating_is_as_thick_as_it_says(
    project: Project, row: BuildLayer, wanted: tuple[float, ...]
) -> None:
    layers = (row, BuildLayer("L1", "signal", 35e-6), BuildLayer("D", "core", 1e-4))
    made = take_build(bare(project), BuildTable("b", layers)).project.design.stackup.layers[0]
    assert isinstance(made, CoatingLayer)
    found = (made.over_laminate.si, made.over_copper.si, made.beside.si)
    assert found == pytest.approx(wanted)


def test_a_material_of_another_dk_is_another_material(project: Project) -> None:
    table = build_table(project)
    at = next(k for k, r in enumerate(table.layers) if r.name == "D23")
    old = table.layers[at]

    def taken(dk: float) -> Project:
        rows = list(table.layers)
        rows[at] = replace(old, dk=dk, df=0.004, frequency=math.nan)
        return take_build(project, replace(table, layers=tuple(rows))).project

    same = taken(old.dk * 1.0002)
    assert same.design.materials == project.design.materials
    other = taken(old.dk + 0.1)
    layer = other.design.stackup.layer("D23")
    material = other.design.material(layer.material)
    assert material.name == f"{old.material}, Dk {old.dk + 0.1:g}"
    assert (material.dk, material.df) == pytest.approx((old.dk + 0.1, 0.004))
    # No frequency is given: one is taken, and said.
    assert material.at.si == 1e9
    assert material.use == "core"


def test_totals_vias_and_bends_go_with_the_file_or_stay(project: Project) -> None:
    table = build_table(project)
    thicker = take_build(project, replace(table, total=1.7e-3)).project.design.stackup
    assert thicker.total is not None
    assert thicker.total.si == pytest.approx(1.7e-3)
    kept = take_build(thicker_project := set_value(
        project, design=set_value(project.design, stackup=thicker)
    ), replace(table, total=math.nan)).project.design.stackup  # fmt: skip
    assert kept.total == thicker_project.design.stackup.total
    assert {v.id: v.backdrilled_to for v in kept.vias} == {
        "through": None, "micro12": None, "buried36": None, "back": "L3",
    }  # fmt: skip
    tail = kept.all_zones[1]
    assert tail.bend_radius is not None
    assert tail.bend_radius.si == pytest.approx(6e-3)
    # Copper carries traces in a zone where it is a plane elsewhere and a wish is routed on it.
    assert tail.signal == ("L4",)
    zones = (*table.zones[:1], ZoneRow("Other tail", "flex", ("L3", "D34", "L4")))
    wishes = (
        *(w for w in table.wishes if "." not in w.layer),
        ImpedanceWish("Over", "Other tail.L3", "single", 50.0, 0.1, 1e-4),
        ImpedanceWish("Under", "Other tail.L4", "single", 50.0, 0.1, 1e-4),
    )
    made = take_build(bare(project), replace(table, zones=zones, wishes=wishes)).project
    assert made.design.stackup.all_zones[1].signal == ("L4",)
    assert made.design.stackup.all_zones[1].bend_radius is None


def test_limits_go_with_the_trace_that_they_are_on(project: Project) -> None:
    """Of the class that loses the layer, not of another class there."""
    own = set_value(
        project.design,
        line_classes=tuple(c for c in project.design.line_classes if c.id in ("clocks", "general")),
        paths=(), buses=(), links=(), networks=(), groups=(), shielded=(),
    )  # fmt: skip
    limits = tuple(
        r for r in project.requirements if r.kind == "line" and r.subject in ("clocks", "general")
    )
    project = set_value(project, design=own, requirements=limits)
    table = build_table(project)
    rows = tuple(replace(r, kind="plane") if r.name == "L3" else r for r in table.layers)
    wishes = tuple(w for w in table.wishes if w.layer != "L3")
    taken = take_build(project, replace(table, layers=rows, wishes=wishes))
    left = {(r.subject, r.layer) for r in taken.project.requirements}
    assert left == {(r.subject, r.layer) for r in limits} - {("general", "L3")}
    assert ("general", "L3") in {(r.subject, r.layer) for r in limits}
    assert taken.remarks == ("General: L3 dropped, not in the file",)


def test_a_wish_joins_the_class_of_its_name_and_kind(project: Project) -> None:
    table = build_table(project)
    wishes = (
        *table.wishes,
        ImpedanceWish("Clocks", "L3", "single", 64.0, 0.1, 7e-5),
        # What is no single line does not join single lines.
        ImpedanceWish("Memory data", "L8", "pair", 100.0, 0.1, 1e-4, 1e-4),
    )
    classes = {
        c.id: c
        for c in take_build(project, replace(table, wishes=wishes)).project.design.line_classes
    }
    assert [t.layer for t in classes["clocks"].on] == ["L1", "L6", "L8", "L3"]
    assert classes["clocks"].on[-1].width.si == pytest.approx(7e-5)
    assert [t.layer for t in classes["memory"].on] == ["L1", "L3", "L6"]
