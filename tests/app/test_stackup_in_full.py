"""Stackup in the real window: layers, zones, vias, cells, materials, files."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QPushButton

from onda.project.base import set_value
from onda.project.build.library import user_materials
from onda.project.build.stackup import CopperLayer
from onda.project.quantities import parse_quantity
from onda.project.store import dumps
from onda.studies.core.margin import State
from tests.app.conftest import drag, type_into


@pytest.fixture
def stackup(make_window, of_lines):
    window = make_window(of_lines, stage="stackup")
    return window, window.stages["stackup"]


def layers(window) -> list[str]:
    return [x.id for x in window.document.project.design.stackup.layers]


def field(stage, title: str):
    return next(f for f in stage.form.fields if f.edit.accessibleName() == title)


def press(stage, where: QPointF) -> None:
    QTest.mouseClick(stage.view, Qt.MouseButton.LeftButton, pos=where.toPoint())


def test_every_class_has_its_cells(stackup) -> None:
    window, stage = stackup
    routed = sum(len(c.on) for c in window.document.project.design.line_classes)
    assert len(stage.subject.results) == routed
    cell = stage.view._cells[("converter-pairs", "L1")]
    assert cell.z == pytest.approx(102.0, abs=0.5)
    assert cell.shape == "124/150 µm"
    assert cell.loss == pytest.approx(25.0, abs=2.0)
    assert "2.53 dB/100 mm" in cell.words
    assert cell.state is State.HOLDS
    assert "within 93 – 107 Ω" in cell.words


def test_an_empty_cell_routes_the_class_there(stackup) -> None:
    window, stage = stackup
    press(stage, stage.view.layout_now().cell_rect("uplink-pairs", "L1").center())
    assert window.settle()
    uplink = window.document.project.design.line_class("uplink-pairs")
    assert uplink.trace_on("L1") is not None
    assert ("uplink-pairs", "L1") in stage.subject.results
    window.undo()
    assert window.document.project.design.line_class("uplink-pairs").trace_on("L1") is None


def test_a_boundary_is_dragged(stackup) -> None:
    window, stage = stackup
    rect = stage.view.layout_now().layer_rect("card", "D12")
    start = QPointF(rect.center().x(), rect.bottom())
    drag(stage.view, start, start + QPointF(0, 8))
    assert window.settle()
    thick = window.document.project.design.stackup.layer("D12").thickness.si
    assert thick > 105e-6
    assert stage.subject.results[("clocks", "L1")].z > 65.5
    window.undo()
    assert window.document.project.design.stackup.layer("D12").thickness.si == pytest.approx(102e-6)


def test_fit_all_sets_what_can_be_made(stackup) -> None:
    window, stage = stackup
    stage.fit_all()
    assert window.settle()
    design = window.document.project.design
    assert design.line_class("uplink-pairs").trace_on("L3").width.si == pytest.approx(
        123e-6, abs=2e-6
    )
    assert stage.subject.results[("memory", "L1")].z == pytest.approx(50.0, abs=0.3)
    assert "Clocks on L6" in stage.surface.problem.text()
    assert window.document.stack.undoText() == "Fit all classes"


def test_layers_are_added_copied_split_and_removed(stackup) -> None:
    window, stage = stackup
    window.selection.choose_element("D12")
    stage.panel.buttons["split"].click()
    assert layers(window)[3] == window.selection.element
    stage.panel.buttons["copy"].click()
    stage.panel.buttons["copper"].click()
    assert len(layers(window)) == 22
    for _ in range(3):
        window.undo()
    assert len(layers(window)) == 19
    window.selection.choose_element("L1")
    stage.panel.buttons["remove"].click()
    assert "is routed on L1" in stage.surface.problem.text()
    assert len(layers(window)) == 19
    window.selection.choose_element("D12")
    type_into(field(stage, "Thickness").edit, "120")
    mirror = next(b for b in stage.surface.findChildren(type(stage.panel.buttons["copy"]))
                  if b.text() == "Mirror")  # fmt: skip
    mirror.click()
    assert window.document.project.design.stackup.layer("D78").thickness.si == pytest.approx(120e-6)


def test_copper_is_typed_in_ounces_with_its_plating(stackup) -> None:
    window, stage = stackup
    window.selection.choose_element("L1")
    type_into(field(stage, "Foil").edit, "1 oz")
    layer = window.document.project.design.stackup.layer("L1")
    assert layer.foil.text == "1 oz"
    assert layer.thickness.si == pytest.approx(43e-6 + 34.79e-6 - 18e-6, abs=1e-8)
    assert "oz" in stage.panel.note.text()
    # More plating is thicker copper, as more foil is.
    type_into(field(stage, "Plating").edit, "30 um")
    plated = window.document.project.design.stackup.layer("L1")
    assert plated.plating.text == "30 um"
    assert plated.thickness.si == pytest.approx(layer.thickness.si + 5e-6, abs=1e-9)
    window.undo()
    box = stage.panel.second.box
    box.setCurrentIndex(box.findData("hyper-low-profile"))
    box.activated.emit(box.currentIndex())
    layer = window.document.project.design.stackup.layer("L1")
    assert layer.rz_base.si == pytest.approx(1.3e-6)


def test_whether_copper_carries_traces_in_a_zone_is_switched(stackup) -> None:
    window, stage = stackup
    tail = window.document.project.design.stackup.zones[1]
    classes = window.document.project.design.line_classes
    used, switched = {on.layer for c in classes for on in c.on}, []
    for layer in tail.layers:
        if not isinstance(window.document.project.design.stackup.layer(layer), CopperLayer):
            continue
        press(stage, stage.view.layout_now().layer_rect(tail.id, layer).center())
        was = layer in tail.signal
        assert stage.panel.carries.isChecked() == was
        stage.panel.carries.click()
        now = window.document.project.design.stackup.zones[1].signal
        if f"{tail.id}.{layer}" in used:
            # Lines stand on it: it stays, and why is said.
            assert now == tail.signal
            assert f"'{tail.id}.{layer}' is no signal layer" in window.messages.text.text()
            assert stage.panel.carries.isChecked()
            continue
        switched.append(layer)
        assert set(now) == set(tail.signal) ^ {layer}
        assert stage.panel.carries.isChecked() != was
        window.undo()
        assert window.document.project.design.stackup.zones[1] == tail
    assert switched == ["L5"]


def test_a_via_span_that_is_added_is_chosen(stackup) -> None:
    window, stage = stackup
    before = window.document.project.design.stackup.vias
    stage.edits.add_via()
    *others, new = window.document.project.design.stackup.vias
    assert tuple(others) == before
    assert new.id not in {v.id for v in before}
    assert window.selection.element == f"via:{new.id}"
    assert stage.panel.title.text() == new.name


def test_zones_are_chosen_changed_and_added(stackup) -> None:
    window, stage = stackup
    rect = stage.view.layout_now().layer_rect("tail", "D45")
    press(stage, rect.center())
    assert window.selection.subject == "tail"
    assert stage.panel.title.text() == "D45"
    assert stage.panel.zone_heading.remark.text() == "Flexible tail"
    assert stage.panel.bend.isVisibleTo(stage.panel)
    type_into(stage.panel.bend.edit, "1 mm")
    assert "bent once to 1 mm" in stage.remarks.accessibleDescription()
    stage.panel.in_zone.click()
    assert "D45" not in window.document.project.design.stackup.zones[1].layers
    window.undo()
    window.listing.add_wanted.emit()
    assert len(window.document.project.design.stackup.zones) == 3
    window.listing.rename_wanted.emit(window.selection.subject, "Second tail")
    assert window.document.project.design.stackup.zones[2].name == "Second tail"
    window.listing.remove_wanted.emit(window.selection.subject)
    assert len(window.document.project.design.stackup.zones) == 2
    window.listing.remove_wanted.emit("card")
    assert "board itself" in window.messages.text.text()


def test_via_spans(stackup) -> None:
    window, stage = stackup
    window.listing.part_chosen.emit("via:micro12")
    assert stage.panel.title.text() == "Micro"
    type_into(field(stage, "Drill").edit, "80 um")
    row = next(r for r in window.listing.parts.rows if r.id == "via:micro12")
    assert row.state is State.FAILS
    assert "Micro L1–L2" in stage.remarks.accessibleDescription()
    box = stage.panel.second.box
    window.selection.choose_element("via:through")
    box.setCurrentIndex(box.findData("through>L6"))
    box.activated.emit(box.currentIndex())
    assert window.document.project.design.stackup.vias[0].backdrilled_to == "L6"
    stage.panel.buttons["remove"].click()
    assert "through" not in [v.id for v in window.document.project.design.stackup.vias]


def test_limits_are_typed_and_refused(stackup) -> None:
    window, stage = stackup
    type_into(stage.panel.limits[1].edit, "45 um: 110 / 120 um")
    assert window.settle()
    assert "at least 110 µm can be etched" in stage.remarks.accessibleDescription()
    type_into(stage.panel.steps[2].edit, "cheap: wide")
    assert "no price step" in stage.panel.steps[2].problem.text()
    assert len(window.document.project.design.stackup.fabrication.steps) == 2


def test_temperature_and_roughness_change_the_loss(stackup) -> None:
    window, stage = stackup
    before = stage.subject.results[("uplink-pairs", "L3")].loss_at
    box = stage.panel.roughness.box
    box.setCurrentIndex(box.findData("smooth"))
    box.activated.emit(box.currentIndex())
    assert window.settle()
    smooth = stage.subject.results[("uplink-pairs", "L3")].loss_at
    assert smooth < 0.8 * before
    type_into(stage.panel.temperature.edit, "85")
    assert window.settle()
    assert stage.subject.results[("uplink-pairs", "L3")].loss_at > 1.05 * smooth


def materials_for(stackup, layer: str):
    """The page of materials, opened for a layer."""
    window, stage = stackup
    window.selection.choose_element(layer)
    stage.show_materials()
    return window, stage, stage.materials


def test_a_material_is_found_and_used(stackup) -> None:
    window, stage, page = materials_for(stackup, "D12")
    page.filter.setText("very low-loss 1078 66")
    assert page.list.count() == 1
    assert page.use.text() == "Use for D12"
    rows = {r[0]: r[1] for r in page.numbers._rows}
    assert float(rows["Model off, Dk"]) < 0.1
    # The model goes through the points that are given, of both.
    for plot, room in ((page.dk, 0.01), (page.df, 0.25)):
        (curve,) = plot.curves
        assert len(plot._marks) == 9
        for x, y, _ in plot._marks:
            assert np.interp(x, curve.x, curve.y) == pytest.approx(y, rel=room)
    page.use.click()
    assert window.settle()
    layer = window.document.project.design.stackup.layer("D12")
    used = window.document.project.design.material(layer.material)
    assert used.glass == "1078"
    assert len(used.points) == 9
    assert stage.subject.results[("clocks", "L1")].z > 66
    page.filter.setText("unobtainium")
    assert not page.use.isEnabled()


def test_own_materials(stackup, tmp_path: Path) -> None:
    _, stage = stackup
    stage.show_materials()
    page = stage.materials
    page.list.setCurrentRow(0)
    page.keep.click()
    assert [r.name for r in user_materials()] == ["Low-loss prepreg"]
    # From the project's place in the list nothing else is said of the button.
    assert page.use.text() == f"Use for {stage.subject.element}"


def buttons_of(page) -> dict[str, QPushButton]:
    return {b.text(): b for b in page.findChildren(QPushButton)}


def test_tables_of_materials_are_read_and_written(stackup, tmp_path: Path, monkeypatch) -> None:
    window, stage = stackup
    window.selection.choose_element(f"via:{stage.stackup.vias[0].id}")
    stage.show_materials()
    page = stage.materials
    table = tmp_path / "m.csv"
    table.write_text(
        "material,frequency [GHz],Dk,Df\nHouse core,1,3.9,0.01\nHouse core,10,3.8,0.011\n"
    )
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(table), ""))
    buttons_of(page)["Read table…"].click()
    assert stage.surface.problem.text() == "Added to your own: 1 from m.csv"
    assert page.use.text() == "Add to the project"
    page.filter.setText("house core mine")
    assert page.list.count() == 1
    points = [(p.at.si, p.dk, p.df) for p in page.entry.make("x").points]
    assert points == [(1e9, 3.9, 0.01), (10e9, 3.8, 0.011)]
    # A table that nothing can be made of leaves what is there, and says its line.
    table.write_text("material,frequency [GHz],Dk,Df\nHouse core,1,much,0.01\n")
    buttons_of(page)["Read table…"].click()
    assert "m.csv" in page.problem.text()
    assert "line 2" in page.problem.text()
    assert [r.name for r in user_materials()] == ["House core"]
    out = tmp_path / "out.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(out), ""))
    buttons_of(page)["Write table…"].click()
    assert stage.surface.problem.text() == "Written: out.csv"
    assert not page.problem.isVisibleTo(page)
    written = out.read_text().splitlines()
    assert written[0].startswith("material,frequency [GHz],Dk,Df")
    assert any(line.startswith("Low-loss prepreg,1,3.667") for line in written)
    # It can be read again.
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(out), ""))
    buttons_of(page)["Read table…"].click()
    names = {m.name for m in window.document.project.design.materials}
    assert {r.name for r in user_materials()} == {"House core"} | names


@pytest.mark.parametrize("key", ["ipc2581-c", "layers", "pdf", "svg", "rules"])
def test_the_build_is_written(stackup, tmp_path, key) -> None:
    _, stage = stackup
    path = tmp_path / "out"
    stage.files.write(key, path)
    assert stage.surface.problem.text() == "Written: out"
    head = {"pdf": b"%PDF", "svg": b"<?xml", "ipc2581-c": b"<?xml"}.get(key, b"")
    assert path.read_bytes().startswith(head)
    if key == "rules":
        assert b"Converter pairs,L1,pair,100,7,124,150,,L2,102" in path.read_bytes()


def test_a_build_is_read_and_a_broken_one_loses_nothing(stackup, tmp_path) -> None:
    window, stage = stackup
    path = tmp_path / "build.xml"
    stage.files.write("ipc2581-c", path)
    before = window.document.project
    path.write_bytes(path.read_bytes().replace(b'thickness="102"', b'thickness="110"'))
    stage.files.read(path)
    assert window.settle()
    assert window.document.project.design.stackup.layer("D12").thickness.si == pytest.approx(110e-6)
    assert window.document.stack.undoText() == "Read build.xml"
    window.undo()
    assert dumps(window.document.project) == dumps(before)
    path.write_bytes(path.read_bytes()[:700])
    stage.files.read(path)
    assert "build.xml, line" in stage.surface.problem.text()
    assert dumps(window.document.project) == dumps(before)
    stage.files.read(tmp_path / "nowhere.csv")
    assert "no such file" in stage.surface.problem.text()


def test_a_build_without_layers_says_what_to_do(make_window, project) -> None:
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
            stackup=set_value(project.design.stackup, layers=(), zones=(), vias=()),
        ),
    )
    window = make_window(bare, stage="stackup")
    stackup = window.stages["stackup"]
    assert "read the fabricator's" in stackup.maker.sentence.text()
    stackup.maker.decide("layers", "4")
    stackup.maker.make.click()
    assert stackup.surface.shows_content
    assert [x.id for x in window.document.project.design.stackup.copper] == ["L1", "L2", "L3", "L4"]
    assert not window.grab().isNull()


FIELDS = {
    "Foil": "foil",
    "Plating": "plating",
    "Finished": "thickness",
    "Etch undercut": "undercut",
    "Copper cover": "cover",
    "Rz to laminate": "rz_base",
    "Rz away from it": "rz_face",
    "Over laminate": "over_laminate",
    "Over copper": "over_copper",
    "Beside copper": "beside",
    "Thickness": "thickness",
    "Laid, unpressed": "laid",
    "Drill": "drill",
}
"""Attribute by the title of its field."""


def in_fields(stage) -> dict[str, float | None]:
    dimension = {"Copper cover": "ratio"}
    return {
        name: parse_quantity(f.edit.text(), dimension.get(name, "length")).si
        if f.edit.text()
        else None
        for f in stage.form.fields
        for name in [f.edit.accessibleName()]
    }


def test_every_layer_is_shown_as_it_is(stackup) -> None:
    window, stage = stackup
    design, panel = window.document.project.design, stage.panel
    profiles = {9.0: "Standard foil", 5.0: "Reverse-treated foil", 4.0: "Low-profile foil",
                2.5: "Very low-profile foil", 0.9: "Rolled annealed foil"}  # fmt: skip
    of_kind = {
        "copper": ["Foil", "Plating", "Finished", "Etch undercut", "Copper cover",
                   "Rz to laminate", "Rz away from it"],
        "coating": ["Over laminate", "Over copper", "Beside copper"],
        "core": ["Thickness"],
        "prepreg": ["Thickness", "Laid, unpressed"],
    }  # fmt: skip
    seen = set()
    for layer in design.stackup.layers:
        window.selection.choose_element(layer.id)
        kind = layer.build if layer.kind == "dielectric" else layer.kind
        seen.add(kind)
        assert panel.title.text() == layer.id
        shown = in_fields(stage)
        assert list(shown) == of_kind.get(kind, ["Thickness"])
        for title, value in shown.items():
            held = getattr(layer, FIELDS[title])
            assert value == (pytest.approx(held.si, rel=1e-9) if held is not None else None), title
        is_copper = layer.kind == "copper"
        for part in (panel.dk, panel.df):
            assert part.isVisibleTo(panel) is not is_copper
        if is_copper:
            assert panel.first.box.currentData() == layer.role
            assert panel.first.title.text() == "Role"
            assert panel.note.text() == (
                f"Finished {layer.thickness.si / 34.79e-6:.2f} oz. Foil is laid from {layer.base}."
            )
            assert panel.second.box.currentText() == profiles[round(layer.rz_base.si * 1e6, 2)]
        else:
            material = design.material(layer.material)
            assert panel.first.box.currentText() == material.name
            assert panel.dk.edit.text() == f"{material.dk:g}"
            assert panel.df.edit.text() == f"{material.df:g}"
            assert material.name in panel.note.text()
            assert panel.at.isVisibleTo(panel) is not bool(material.points)
            if not material.points:
                assert f"{material.at.text} only" in panel.note.text()
        assert panel.second.isVisibleTo(panel) is (layer.kind != "coating")
        if layer.kind == "dielectric":
            assert panel.second.box.currentData() == layer.build
        assert panel.buttons["split"].isVisibleTo(panel) is (layer.kind == "dielectric")
    assert seen >= {"copper", "coating", "core", "prepreg"}


def test_every_via_span_is_shown_as_it_is(stackup) -> None:
    window, stage = stackup
    panel = stage.panel
    # 1007 µm of copper and dielectric by 250 µm; 102 µm of dielectric by 125 µm; 429 by 200 µm.
    depths = {
        "Through": ("4", "8", "through"),
        "Micro": ("0.82", "0.9", "micro"),
        "Buried": ("2.1", "8", "buried"),
        "Back-drilled": ("4", "8", "back-drilled to L3"),
    }
    for via in window.document.project.design.stackup.vias:
        window.selection.choose_element(f"via:{via.id}")
        assert panel.title.text() == via.name
        assert panel.what.text() == f"{via.kind} via, {via.top} to {via.bottom}"
        assert panel.first.box.currentText() == f"{via.top} – {via.bottom}"
        deep, limit, kind = depths[via.name]
        assert panel.second.box.currentText() == kind
        assert panel.note.text() == f"Depth {deep} drills, at most {limit}."
        assert in_fields(stage) == {
            "Drill": pytest.approx(via.drill.si, rel=1e-9),
            "Plating": pytest.approx(via.plating.si, rel=1e-9),
        }
        assert not panel.buttons["split"].isVisibleTo(panel)


def test_the_whole_build_is_shown_as_it_is(stackup) -> None:
    window, stage = stackup
    panel, build = stage.panel, window.document.project.design.stackup
    assert panel.total.edit.text() == build.total.text
    assert panel.temperature.edit.text().startswith("20 ")
    assert panel.roughness.box.currentData() == build.roughness
    assert [(f.edit.accessibleName(), f.edit.text()) for f in panel.spread] == [
        ("Width", "12 µm"),
        ("Dielectric", "10 %"),
        ("Dk", "3 %"),
        ("Copper", "5 µm"),
        ("Mask", "8 µm"),
        ("Copper with width", "50 %"),
        ("Heights together", "30 %"),
    ]
    for shown, limit in zip(panel.limits, build.fabrication.etch, strict=True):
        words = shown.edit.text()
        for part in (limit.copper, limit.width, limit.gap):
            assert part.text.split()[0] in words
    assert [f.edit.text() != "" for f in panel.steps] == [True, True, False]
    # 1007 µm between masks of 25 µm; two foils of 18 µm on 75 µm between covers of 50 µm. Copper
    # above the middle: 43, 17, 17, 18 µm, of which 35, 85, 35, 85 % are there.
    for zone, thick, copper in (
        ("card", ("1.06", "mm"), ("50.8", "µm")),
        ("tail", ("211", "µm"), ("15.3", "µm")),
    ):
        press(stage, stage.view.layout_now().layer_rect(zone, "D45").center())
        rows = [(title, (value, unit)) for title, value, unit, _ in panel.numbers._rows]
        assert rows == [
            ("Thickness", thick),
            ("Symmetric", ("yes", "")),
            ("Copper above", copper),
            ("Copper below", copper),
        ]


def test_a_material_of_the_project_is_kept_for_all_projects(stackup) -> None:
    _, _, page = materials_for(stackup, "D12")
    page.filter.setText("low-loss prepreg project")
    assert page.list.count() == 1
    page.list.setCurrentRow(0)
    assert page.keep.isEnabled()
    page.keep.click()
    assert [r.name for r in user_materials()] == ["Low-loss prepreg"]
    # It is in the list at once, among one's own, and is not offered to be kept twice.
    page.filter.setText("low-loss prepreg mine")
    assert page.list.count() == 1
    page.list.setCurrentRow(0)
    assert not page.keep.isEnabled()
    assert page.use.text() == "Use for D12"
