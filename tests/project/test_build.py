"""The build: zones and places, edits of layers, files, limits as text, the library."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from onda.errors import InputError, NotPhysical
from onda.formats.build_table import BuildTable, SpanRow, layers_from_csv
from onda.formats.material_csv import MaterialRow
from onda.project.base import set_value
from onda.project.build.edits import (
    add_layer,
    add_via_span,
    add_zone,
    copy_layer,
    mirror_build,
    remove_layer,
    remove_via_span,
    remove_zone,
    replace_layer,
    scaled_material,
    set_copper_part,
    set_in_zone,
    split_layer,
    with_stackup,
)
from onda.project.build.exchange import build_table, take_build
from onda.project.build.files import read_build, write_build
from onda.project.build.library import (
    add_user_materials,
    fit_of,
    foils,
    library,
    material_from_row,
    material_to_row,
    user_materials,
)
from onda.project.build.limits_text import limit_text, step_text, with_limit, with_step
from onda.project.build.stackup import (
    CopperLayer,
    DielectricLayer,
    EtchLimit,
    Fabrication,
    Material,
    MaterialPoint,
)
from onda.project.model import Project
from onda.project.quantities import parse_quantity


def um(value: float):
    return parse_quantity(f"{value} um", "length")


def ids(project: Project) -> list[str]:
    return [x.id for x in project.design.stackup.layers]


# -- zones and places --------------------------------------------------------


def test_a_zone_has_its_own_signal_layers(project) -> None:
    stackup = project.design.stackup
    assert stackup.signal_layers == ("L1", "L3", "L6", "L8", "tail.L4")
    assert stackup.place("L4").copper.role == "plane"
    place = stackup.place("tail.L4")
    assert place.copper.role == "signal"
    assert [x.id for x in place.layers] == ["cover-top", "L4", "D45", "L5", "cover-bottom"]
    with pytest.raises(KeyError):
        stackup.place("tail.L1")


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"layers": ("L1", "L9")}, "there is no layer 'L9'"),
        ({"signal": ("D45",)}, "there is no layer 'D45'"),
        ({"layers": ("L1", "L1")}, "there twice"),
    ],
)
def test_zones_must_fit_their_layers(project, changes, words) -> None:
    zones = project.design.stackup.zones
    with pytest.raises(InputError, match=words):
        with_stackup(project, zones=(zones[0], zones[1].model_copy(update=changes)))


def test_via_spans_must_end_on_copper(project) -> None:
    via = project.design.stackup.vias[0]
    for changes, words in (
        ({"bottom": "D12"}, "no copper layer 'D12'"),
        ({"top": "L8", "bottom": "L1"}, "does not lie above"),
    ):
        with pytest.raises(InputError, match=words):
            with_stackup(project, vias=(via.model_copy(update=changes),))


def bare(project: Project) -> Project:
    """Its build with nothing on it."""
    return set_value(
        project,
        design=set_value(
            project.design, line_classes=(), paths=(), groups=(), networks=(), links=(), buses=(),
            sheet_lines=(), shielded=(),
        ),
        requirements=(),
    )  # fmt: skip


# -- edits ---------------------------------------------------------------------


@pytest.mark.parametrize("kind", ["copper", "dielectric", "coating"])
def test_a_layer_comes_below_and_in_the_same_zones(project, kind) -> None:
    new, name = add_layer(project, "D45", kind)
    assert ids(new)[ids(new).index("D45") + 1] == name
    assert all(name in z.layers for z in new.design.stackup.zones)
    outside, other = add_layer(project, "D12", kind)
    assert other not in outside.design.stackup.zones[1].layers
    assert remove_layer(new, name) == project


def test_a_layer_is_like_the_nearest_of_its_kind(project) -> None:
    def has(below: str, kind, like: str) -> None:
        new, name = add_layer(project, below, kind)
        old = project.design.stackup.layer(like)
        assert new.design.stackup.layer(name) == set_value(old, id=name)

    for place in (
        ("D78", "copper", "L8"),
        ("L7", "dielectric", "D78"),
        ("D45", "coating", "cover-bottom"),
    ):
        has(*place)


def test_a_layer_where_a_drill_stops_stays(project) -> None:
    """Though no via ends on it, and nothing is routed on it."""
    stackup = project.design.stackup
    back = tuple(set_value(v, backdrilled_to="L7") if v.id == "back" else v for v in stackup.vias)
    with pytest.raises(InputError, match=r"vias Back.* end on L7"):
        remove_layer(with_stackup(bare(project), vias=back), "L7")
    gone = remove_layer(with_stackup(bare(project), vias=()), "L7")
    assert "L7" not in ids(gone)


def test_copper_that_leaves_a_zone_carries_nothing_there(project) -> None:
    new = set_in_zone(bare(project), "tail", "L4", False)
    assert new.design.stackup.zones[1].signal == ()
    again = set_in_zone(new, "tail", "L4", True).design.stackup.zones[1]
    assert (again.layers[-1], again.signal) == ("L4", ())
    both = set_in_zone(bare(project), "tail", "L5", False).design.stackup.zones[1]
    assert both.signal == ("L4",)


def test_split_and_copy(project) -> None:
    new, name = split_layer(project, "D12")
    halves = [new.design.stackup.layer(x) for x in ("D12", name)]
    assert sum(x.thickness.si for x in halves) == pytest.approx(102e-6)
    assert sum(x.laid.si for x in halves) == pytest.approx(105e-6)
    doubled, copied = copy_layer(project, "D12")
    assert doubled.design.stackup.layer(copied).thickness.si == pytest.approx(102e-6)
    with pytest.raises(InputError, match="Only dielectrics"):
        split_layer(project, "L1")


def test_layers_in_use_stay(project) -> None:
    with pytest.raises(InputError, match="Converter pairs is routed on L1"):
        remove_layer(project, "L1")
    with pytest.raises(InputError, match="Sensor pairs is routed on L4"):
        remove_layer(project, "L4")
    with pytest.raises(InputError, match="vias Micro end on L2"):
        remove_layer(project, "L2")
    with pytest.raises(InputError, match="there is no layer"):
        remove_layer(project, "L99")


def test_mirroring_a_mirrored_build_changes_nothing_but_faces(project) -> None:
    thicker = replace_layer(
        project, set_value(project.design.stackup.layer("D12"), thickness=um(120))
    )
    mirrored = mirror_build(thicker).design.stackup
    assert mirrored.layer("D78").thickness.si == pytest.approx(120e-6)
    assert mirrored.layer("L8").base == "above"
    assert mirrored.layer("L7").base == "above"
    lopsided, _ = add_layer(project, "D12", "copper")
    with pytest.raises(InputError, match="opposite"):
        mirror_build(lopsided)


def test_foil_and_plating_make_the_finished_thickness(project) -> None:
    layer = project.design.stackup.layer("L1")
    thicker = set_copper_part(layer, "plating", um(30))
    assert thicker.thickness.si == pytest.approx(48e-6)
    assert set_copper_part(thicker, "foil", um(12)).thickness.si == pytest.approx(42e-6)
    with pytest.raises(InputError, match="nothing would be left"):
        set_copper_part(set_value(layer, thickness=um(5)), "foil", um(1))


def test_zones_come_and_go(project) -> None:
    new, name = add_zone(project)
    assert new.design.stackup.zones[-1].id == name
    there = set_in_zone(new, name, "L1", True)
    assert "L1" in there.design.stackup.zones[-1].layers
    gone = set_in_zone(there, name, "L4", False)
    assert "L4" not in gone.design.stackup.zones[-1].layers
    assert remove_zone(new, name) == project
    with pytest.raises(InputError, match="first zone"):
        remove_zone(project, "card")


def test_via_spans_come_and_go(project) -> None:
    new, name = add_via_span(project)
    span = new.design.stackup.vias[-1]
    assert (span.id, span.top, span.bottom) == (name, "L1", "L8")
    assert remove_via_span(new, name) == project


def test_copper_covers_what_is_stated_or_what_is_usual(project: Project) -> None:
    layer = project.design.stackup.layer("L1")
    assert isinstance(layer, CopperLayer)
    bare_one = set_value(layer, cover=None)
    assert bare_one.copper_share == 0.3
    assert set_value(bare_one, role="plane").copper_share == 0.85
    stated = set_value(layer, cover=parse_quantity("42 %", "ratio"))
    assert stated.copper_share == set_value(stated, role="plane").copper_share == 0.42


def test_a_table_goes_before_the_stated_point_where_it_has_its_frequency(project: Project) -> None:
    points = tuple(
        MaterialPoint(at=parse_quantity(f"{f} GHz", "frequency"), dk=dk, df=0.01)
        for f, dk in ((1, 4.1), (5, 4.0), (10, 3.9))
    )
    at = parse_quantity("5 GHz", "frequency")
    plain = Material(id="m", name="m", dk=3.7, df=0.02, at=at)
    assert plain.known == ((5e9, 3.7, 0.02),)
    table = set_value(plain, points=points)
    assert table.known == ((1e9, 4.1, 0.01), (5e9, 4.0, 0.01), (1e10, 3.9, 0.01))
    between = set_value(table, at=parse_quantity("2 GHz", "frequency"))
    assert between.known[1] == (2e9, 3.7, 0.02)
    assert len(between.known) == 4


def test_a_material_with_a_table_moves_as_a_whole(project) -> None:
    old = project.design.material("prepreg")
    new = scaled_material(old, dk=old.dk * 1.1)
    assert [p.dk for p in new.points] == pytest.approx([1.1 * p.dk for p in old.points])
    assert [p.df for p in new.points] == [p.df for p in old.points]
    assert scaled_material(old, df=0.0).points[0].df == 0.0


def test_opening_and_broadside_have_to_be_complete(project) -> None:
    trace = project.design.line_classes[0].on[0]
    for changes, words in (
        ({"ground_gap": um(100)}, "need a gap and a width"),
        ({"facing": "L3"}, "must not have a gap"),
    ):
        with pytest.raises(InputError, match=words):
            set_value(trace, **changes)


# -- files ---------------------------------------------------------------------


@pytest.mark.parametrize("key", ["ipc2581-b", "ipc2581-c"])
def test_a_build_written_and_read_is_the_same(project, tmp_path: Path, key) -> None:
    path = tmp_path / "build.xml"
    write_build(project, key, path)
    taken = read_build(project, path)
    assert taken.remarks == ()
    got, want = taken.project.design, project.design
    assert got.stackup.zones == want.stackup.zones
    assert got.stackup.vias == want.stackup.vias
    assert {c.id: c.on for c in got.line_classes} == {c.id: c.on for c in want.line_classes}
    assert got.materials == want.materials
    for a, b in zip(got.stackup.layers, want.stackup.layers, strict=True):
        assert a.id == b.id
        if isinstance(a, CopperLayer) and isinstance(b, CopperLayer):
            assert (a.role, a.base, a.cover) == (b.role, b.base, b.cover)
            for name in ("thickness", "undercut", "foil", "plating", "rz_base", "rz_face"):
                assert getattr(a, name).si == pytest.approx(getattr(b, name).si, rel=1e-6)
        elif isinstance(a, DielectricLayer) and isinstance(b, DielectricLayer):
            assert (a.build, a.material, a.name) == (b.build, b.material, b.name)


def test_a_new_project_takes_classes_and_materials_from_a_file(project, tmp_path) -> None:
    path = tmp_path / "build.xml"
    write_build(project, "ipc2581-c", path)
    bare = set_value(
        project,
        requirements=(),
        design=set_value(
            project.design,
            paths=(),
            buses=(),
            links=(),
            networks=(),
            groups=(),
            line_classes=(),
            shielded=(),
        ),
    )
    design = read_build(bare, path).project.design
    assert {c.name for c in design.line_classes} >= {"Converter pairs", "Clocks", "Sensor pairs"}
    pairs = next(c for c in design.line_classes if c.name == "Converter pairs")
    assert pairs.trace_on("L1").gap.si == pytest.approx(150e-6)
    sensor = next(c for c in design.line_classes if c.name == "Sensor pairs")
    assert sensor.on[0].layer == "tail.L4"


def test_csv_layers(project, tmp_path) -> None:
    path = tmp_path / "layers.csv"
    write_build(project, "layers", path)
    assert len(layers_from_csv(path.read_bytes())) == len(project.design.stackup.layers)
    rules = tmp_path / "rules.csv"
    write_build(project, "rules", rules)
    assert len(rules.read_text().splitlines()) == 1 + sum(
        len(c.on) for c in project.design.line_classes
    )


def test_a_file_that_takes_a_used_layer_away_is_refused(project) -> None:
    table = build_table(project)
    fewer = BuildTable(table.name, tuple(x for x in table.layers if x.name != "L6"))
    with pytest.raises(InputError, match="a path uses it"):
        take_build(project, fewer)


def test_what_a_file_leaves_open_is_said(project) -> None:
    text = b"layer,kind,thickness [um],material,Dk\n"
    rows = [b"L1,signal,35,,", b"D,core,100,New stuff,4.1", b"L2,plane,35,,"]
    bare = set_value(
        project,
        requirements=(),
        design=set_value(
            project.design, paths=(), buses=(), links=(), networks=(), groups=(), line_classes=()
        ),
    )
    table = BuildTable("x", layers_from_csv(text + b"\n".join(rows)))
    taken = take_build(bare, table)
    assert any("no frequency given" in r for r in taken.remarks)
    assert any("no Df given" in r for r in taken.remarks)
    missing = BuildTable("x", layers_from_csv(text + b"D,core,100,Unknown,"))
    with pytest.raises(InputError, match="no Dk, and no material 'Unknown'"):
        take_build(bare, missing)


def test_unknown_formats_and_missing_files(project, tmp_path) -> None:
    with pytest.raises(InputError, match="unknown format"):
        write_build(project, "gerber", tmp_path / "x")
    with pytest.raises(InputError, match="no such file"):
        read_build(project, tmp_path / "x.xml")


# -- limits as text ------------------------------------------------------------


def test_limits_are_typed_as_one_line() -> None:
    made = with_limit(Fabrication(), 0, "45 um: 90/100um")
    assert limit_text(made.etch[0]) == "45 µm: 90 / 100 µm"
    made = with_limit(made, 1, "1 mil: 3 / 3 mil")
    assert [e.copper.text for e in made.etch] == ["1 mil", "45 um"]
    assert with_limit(made, 0, "").etch[0].copper.text == "45 um"
    made = with_step(made, 0, "fine ×1.35: 75 / 80 um")
    assert step_text(made.steps[0]) == "fine ×1.35: 75 / 80 µm"
    assert with_step(made, 0, " ").steps == ()
    for wrong in ("90 / 100", "45 um: 90", "copper: wide / narrow"):
        with pytest.raises(InputError):
            with_limit(made, 0, wrong)
    for wrong in ("fine: 75 / 75 um", "fine x0.5: 75 / 75 um", "fine x1.2.3: 1 / 1 um"):
        with pytest.raises(InputError):
            with_step(made, 0, wrong)


def test_the_limit_of_a_copper_thickness_is_the_next_thicker() -> None:
    made = Fabrication(
        etch=tuple(EtchLimit(copper=um(c), width=um(w), gap=um(w)) for c, w in ((20, 75), (45, 90)))
    )
    assert made.limit_for(17e-6).width.si == pytest.approx(75e-6)
    assert made.limit_for(20e-6).width.si == pytest.approx(75e-6)
    assert made.limit_for(43e-6).width.si == pytest.approx(90e-6)
    assert made.limit_for(100e-6).width.si == pytest.approx(90e-6)
    assert Fabrication().limit_for(1e-5) is None


# -- library -------------------------------------------------------------------


def test_every_library_material_has_a_causal_model_that_follows_it() -> None:
    shelf = library()
    assert len(shelf.materials) > 100
    assert len({m.id for m in shelf.materials}) == len(shelf.materials)
    uses = {m.use for m in shelf.materials}
    assert uses >= {"core", "prepreg", "coating", "flex", "adhesive"}
    for m in shelf.materials:
        fit = fit_of(m.as_material("m"))
        assert fit.dk_error < 5e-4, m.name
        assert fit.df_error < 5e-5, m.name
        assert m.table[0][0] <= 0.1
        assert m.table[-1][0] >= 40.0
    losses = [next(x for x in shelf.materials if x.id == f"{k}-1080-62").table[2][2]
              for k in ("std-mid-tg", "mid-loss", "low-loss", "very-low-loss")]  # fmt: skip
    assert losses == sorted(losses, reverse=True)


def test_more_resin_means_lower_dk_and_thicker() -> None:
    shelf = {m.id: m for m in library().materials}
    dry, wet = shelf["low-loss-1080-62"], shelf["low-loss-1080-66"]
    assert dry.table[2][1] > wet.table[2][1]
    assert dry.laid_um < wet.laid_um


def test_foils_get_smoother_by_profile() -> None:
    by_id = {f.id: f.rz_base_um for f in foils()}
    assert by_id["standard"] > by_id["low-profile"] > by_id["hyper-low-profile"]


def test_own_materials_are_kept_and_replaced(tmp_path) -> None:
    path = tmp_path / "deep" / "materials.csv"
    assert user_materials(path) == ()
    row = MaterialRow("Mine", ((1e9, 3.5, 0.01), (1e10, 3.45, 0.011)), "core")
    add_user_materials((row,), path)
    add_user_materials((MaterialRow("Other", ((1e9, 2.5, 0.001),)),), path)
    add_user_materials((MaterialRow("Mine", ((1e9, 3.6, 0.01),), "core"),), path)
    found = {r.name: r for r in user_materials(path)}
    assert set(found) == {"Mine", "Other"}
    assert found["Mine"].points[0][1] == pytest.approx(3.6)
    path.write_text("rubbish")
    with pytest.raises(InputError, match="line 1"):
        user_materials(path)


def test_rows_and_materials_turn_into_each_other(project) -> None:
    material = project.design.material("prepreg")
    row = material_to_row(material)
    again = material_from_row(row, "prepreg")
    assert again.known == material.known
    assert again.dk_per_kelvin == material.dk_per_kelvin
    with pytest.raises(InputError, match="material bad"):
        material_from_row(MaterialRow("bad", ((1e9, 0.5, 0.01),)), "x")


def test_a_rising_table_is_not_physical(project) -> None:
    material = material_from_row(MaterialRow("x", ((1e9, 3.0, 0.01), (1e10, 4.0, 0.01))), "x")
    with pytest.raises(NotPhysical, match="rising"):
        fit_of(material)


def test_the_library_has_loss_that_is_flat_or_rises_slowly() -> None:
    for material in library().materials:
        table = np.array(material.table)
        band = table[:, 0] >= 1.0
        ratio = table[band, 2] / table[band, 2][0]
        assert ratio.min() >= 0.99, material.id
        assert ratio.max() < 1.35, material.id
        assert (np.diff(table[:, 1]) < 0.0).all(), material.id


@pytest.mark.parametrize(
    ("rows", "number", "change", "words"),
    [
        ("layers", 1, {"thickness": -35e-6}, "layer 2, L1: thickness"),
        ("layers", 2, {"dk": 0.2, "material": "Odd"}, "layer 3, D12: dk 0.2 does not fit"),
        ("layers", 2, {"df": -1.0, "dk": 3.1, "material": "Odd"}, "layer 3, D12: df"),
        ("spans", 1, {"name": ""}, "via 2, : name '' does not fit"),
        ("wishes", 3, {"width": -1e-4}, "impedance class 4, "),
    ],
)
def test_a_value_out_of_range_is_told_with_its_row(
    project: Project, rows: str, number: int, change: dict, words: str
) -> None:
    table = build_table(project, None)
    some = list(getattr(table, rows))
    some[number] = replace(some[number], **change)
    with pytest.raises(InputError) as told:
        take_build(bare(project), replace(table, **{rows: tuple(some)}))
    assert str(told.value).startswith(words)
    assert "does not fit" in str(told.value)


def test_vias_of_an_unknown_kind_are_told_by_where_they_end(project: Project) -> None:
    table = build_table(project, None)
    copper = [r.name for r in table.layers if r.kind in ("signal", "plane")]
    first, second, *_, last = copper
    ends = {"a": (first, last), "b": (first, second), "c": (second, last), "d": tuple(copper[1:3])}
    spans = tuple(SpanRow(n, "hole", top, bottom, 0.0) for n, (top, bottom) in ends.items())
    spans += (SpanRow("e", "hole", "nowhere", last, 3e-4), SpanRow("f", "micro", first, last, 1e-4))
    made = take_build(bare(project), replace(table, spans=spans)).project
    found = {v.name: v for v in made.design.stackup.vias}
    assert {n: v.kind for n, v in found.items()} == {
        "a": "through", "b": "blind", "c": "blind", "d": "buried", "f": "micro",
    }  # fmt: skip
    # What has no drill gets a usual one.
    assert found["a"].drill.si == pytest.approx(200e-6)
    assert found["f"].drill.si == pytest.approx(100e-6)


def test_wishes_that_cannot_be_taken_are_told(project: Project) -> None:
    table = build_table(project, None)
    good = next(w for w in table.wishes if w.kind == "pair")
    wishes = (
        replace(good, name="right"),
        replace(good, name="no gap", gap=math.nan),
        replace(good, name="no width", width=math.nan),
        replace(good, name="no layer", layer="L99"),
        replace(good, name="no ohm", ohm=0.0),
    )
    taken = take_build(bare(project), replace(table, wishes=wishes))
    assert [c.name for c in taken.project.design.line_classes] == ["right"]
    assert list(taken.remarks) == [
        f"no gap on {good.layer}: a pair without a gap, not taken over",
        f"no width on {good.layer}: not taken over, its width or layer is missing",
        "no layer on L99: not taken over, its width or layer is missing",
        f"no ohm on {good.layer}: not taken over, its width or layer is missing",
    ]


def test_the_first_layer_of_its_kind_is_a_usual_one(project: Project) -> None:
    """There is none that it could be like."""
    stackup = project.design.stackup
    copper = tuple(x for x in stackup.layers if x.kind == "copper")
    only = set_value(stackup, layers=copper, zones=(), vias=())
    alone = set_value(bare(project), design=set_value(bare(project).design, stackup=only))
    below = copper[0].id
    made, name = add_layer(alone, below, "dielectric")
    layer = made.design.stackup.layer(name)
    assert (layer.thickness.si, layer.name) == (pytest.approx(100e-6), "prepreg")
    assert layer.material == project.design.materials[0].id
    made, name = add_layer(alone, below, "coating")
    layer = made.design.stackup.layer(name)
    sizes = (layer.over_laminate.si, layer.over_copper.si, layer.beside.si)
    assert sizes == pytest.approx((25e-6, 14e-6, 12e-6))
    empty = set_value(alone, design=set_value(alone.design, materials=()))
    with pytest.raises(InputError, match="there is no material yet"):
        add_layer(empty, below, "coating")
    films = tuple(x for x in stackup.layers if x.kind == "dielectric")
    other = set_value(alone, design=set_value(alone.design, stackup=set_value(only, layers=films)))
    made, name = add_layer(other, films[0].id, "copper")
    layer = made.design.stackup.layer(name)
    assert (layer.role, layer.thickness.si) == ("plane", pytest.approx(17e-6))
    assert layer.undercut.si == pytest.approx(4e-6)


@pytest.mark.parametrize(
    ("width", "gap", "shown"),
    [
        ("90 um", "100 um", "½ oz: 90 / 100 µm"),
        ("3.5 mil", "4 mil", "½ oz: 3.5 / 4 mil"),
        ("0.1 mm", "100 um", "½ oz: 0.1 mm / 100 µm"),
        ("4 mil", "100 um", "½ oz: 4 mil / 100 µm"),
    ],
)
def test_a_unit_that_two_lengths_share_stands_once(width: str, gap: str, shown: str) -> None:
    limit = EtchLimit(
        copper=parse_quantity("17 um", "length"), width=parse_quantity(width, "length"),
        gap=parse_quantity(gap, "length"),
    )  # fmt: skip
    assert limit_text(limit) == shown.replace("½ oz", "17 µm")
