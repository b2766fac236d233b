"""The views of the Lines stage, shielded sections and data-sheet lines, in the real window."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from onda.project.base import set_value
from onda.project.build.edits import replace_layer
from onda.project.edits import remove_object, replace_object
from onda.project.kind import Ref
from onda.project.quantities import format_si
from onda.project.quantities import parse_quantity as q
from onda.project.requirements import Requirement
from onda.studies.core.margin import State
from tests.app.conftest import type_into


@pytest.fixture
def lines(make_window, of_lines):
    window = make_window(of_lines, stage="lines")
    return window, window.stages["lines"]


@pytest.fixture
def without_map(lines):
    """The same where no map is looked at, so that none is worked out for every edit."""
    _, stage = lines
    stage.page.views.choose("lengths")
    return lines


def field(form, title: str):
    return next(f for f in form.fields if f.edit.accessibleName() == title)


def show(window, name: str) -> None:
    window.selection.choose(name, "lines")
    assert window.settle()


def test_tolerance_run(lines) -> None:
    window, stage = lines
    stage.page.views.choose("spread")
    assert window.settle()
    assert stage.subject.tolerance is not None
    assert len(stage.subject.tolerance.z) == 2000
    assert "of 2000 boards are within the limits; width matters most" in (
        stage.page.spread.sentence.text()
    )
    assert "width 5" in stage.page.spread.shares.accessibleDescription()


def test_crosstalk_follows_length_and_edge(lines) -> None:
    window, stage = lines
    stage.page.views.choose("coupling")
    view = stage.page.coupling
    assert view.sentence.text().startswith("Near end 7.2 % and is saturated")
    type_into(view.length_field.edit, "2 mm")
    assert "still grows" in view.sentence.text()
    type_into(view.rise_field.edit, "0")
    assert "rise time must be above 0" in view.rise_field.problem.text()
    type_into(view.rise_field.edit, "20 ps")
    assert "is saturated" in view.sentence.text()
    assert not window.document.stack.canUndo()


def test_all_modes_of_a_group(lines) -> None:
    window, stage = lines
    show(window, "strobes")
    stage.page.views.choose("together")
    assert stage.page.together.modes.accessibleDescription().count("ohm") == 4
    assert "–" not in stage.page.together.network.accessibleDescription().split(",")[0]
    show(window, "clocks")
    # A single line has neither; the first view comes back.
    assert stage.page.views.current == "impedance"


def test_per_length_curves(lines) -> None:
    _, stage = lines
    stage.page.views.choose("lengths")
    r, inductance = (stage.page.lengths.plots[k]._curves[0].y for k in (0, 1))
    assert np.all(np.diff(r) > 0)
    assert np.all(np.diff(inductance) < 0)


def test_layers_side_by_side(lines) -> None:
    window, stage = lines
    stage.page.views.choose("layers")
    assert stage.page.layers.accessibleDescription().startswith("L1 102")
    QTest.mouseClick(stage.page.layers, Qt.MouseButton.LeftButton, pos=QPoint(40, 22 + 45))
    assert window.settle()
    assert stage.surface.title.text() == "Converter pairs on L3"


@pytest.mark.parametrize("kind", ["potential", "charge", "current"])
def test_fields_to_choose_from(lines, kind) -> None:
    window, stage = lines
    stage.page.fields.choose(kind)
    assert window.settle()
    assert stage.view._kind == kind
    assert stage.view._picture is not None
    assert not window.grab().isNull()
    stage.page.fields.choose("lines")
    assert stage.view._kind == "lines"


def test_limits_lie_on_the_map(lines) -> None:
    _, stage = lines
    assert stage.map._limit.width.text == "90 um"
    assert [s.name for s in stage.map._steps] == ["standard", "fine"]


def test_two_targets_at_once(without_map) -> None:
    window, stage = without_map
    fit = stage.panel.fit
    fit.box.setCurrentIndex(fit.box.findData("width gap"))
    fit.box.activated.emit(fit.box.currentIndex())
    assert fit.common_field.isVisibleTo(fit)
    type_into(fit.common_field.edit, "32")
    fit.button.click()
    assert window.settle()
    result = stage.subject.results["L1"]
    assert result.z == pytest.approx(100.0, abs=0.4)
    assert result.z_common == pytest.approx(32.0, abs=0.2)
    assert window.document.stack.undoText() == "Change width, gap on L1"


def test_height_is_fitted_in_the_build(without_map) -> None:
    window, stage = without_map
    fit = stage.panel.fit
    fit.box.setCurrentIndex(fit.box.findData("height"))
    fit.button.click()
    assert window.settle()
    assert stage.subject.results["L1"].z == pytest.approx(100.0, abs=0.4)
    assert window.document.project.design.stackup.layer("D12").thickness.si < 100e-6
    fit.box.setCurrentIndex(fit.box.findData("Dk"))
    type_into(field(stage.form, "Target").edit, "96 ohm")
    fit.button.click()
    assert window.settle()
    assert "choose a material near it" in fit.note.text()


def choose_structure(stage, key: str) -> None:
    box = stage.panel.structure
    box.setCurrentIndex(box.findData(key))
    box.activated.emit(box.currentIndex())


def test_a_class_becomes_another_structure(without_map) -> None:
    window, stage = without_map
    show(window, "launch")
    choose_structure(stage, "pair")
    assert window.settle()
    assert "edge-coupled pair" in stage.surface.remark.text()
    assert stage.subject.results["L8"].z > 80
    choose_structure(stage, "group 5")
    assert window.settle()
    assert stage.subject.results["L8"].together.names == ("1", "2", "3", "4", "5")
    choose_structure(stage, "single")
    assert window.settle()
    assert stage.subject.results["L8"].together is None
    show(window, "clocks")
    choose_structure(stage, "pair")
    # Paths are routed with it as a single line.
    assert "needs a single class" in stage.surface.problem.text()
    assert stage.panel.structure.currentData() == "single"
    show(window, "memory")
    choose_structure(stage, "group 5")
    assert "is a group already" in stage.surface.problem.text()


def test_a_pair_that_faces_itself_over_two_layers(without_map) -> None:
    window, stage = without_map
    assert stage.panel.structure.findData("facing L4") == -1
    # Lanes of a group must stay what they are.
    project = remove_object(window.document.project, Ref("group", "memory-byte"))
    l4 = set_value(project.design.stackup.layer("L4"), role="signal")
    window.document.edit("Turn L4", replace_layer(project, l4))
    show(window, "memory")
    window.selection.choose_element("L3")
    choose_structure(stage, "facing L4")
    assert window.settle()
    assert "broadside pair, between planes" in stage.surface.remark.text()
    result = stage.subject.results["L3"]
    assert result.coupling > 0.1
    assert not window.grab().isNull()
    type_into(field(stage.form, "Shift").edit, "-120 um")
    assert window.settle()
    assert stage.subject.results["L3"].coupling < result.coupling


def test_grounds_and_openings_come_and_go(without_map) -> None:
    window, stage = without_map
    show(window, "clocks")
    before = stage.subject.results["L1"].z
    type_into(field(stage.form, "Ground gap").edit, "90 um")
    assert window.settle()
    assert stage.subject.results["L1"].z < before - 1
    assert "coplanar grounds" in stage.surface.remark.text()
    type_into(field(stage.form, "Ground gap").edit, "0 um")
    assert window.settle()
    assert stage.subject.results["L1"].z == pytest.approx(before)
    type_into(field(stage.form, "Plane opening").edit, "300 um")
    assert window.settle()
    assert stage.subject.results["L1"].z > before + 5
    assert "opening of 300" in stage.surface.remark.text()


def test_every_number_of_a_line_stands_beside_its_name(lines) -> None:
    window, stage = lines
    show(window, "converter-pairs")
    r = stage.subject.results["L1"]
    rows = [(name, value, unit) for name, value, unit, _ in stage.panel.numbers._rows]
    at = window.document.project.design.line_class("converter-pairs").loss_at.si
    loss = f"Loss, {format_si(at, 'frequency', digits=2)}"
    assert rows == [
        ("Odd mode", f"{r.z_odd:.1f}", "Ω"), ("Even mode", f"{r.z_even:.1f}", "Ω"),
        ("Common", f"{r.z_common:.1f}", "Ω"), ("Coupling", f"{100 * r.coupling:.1f}", "%"),
        ("Delay, odd", f"{1e9 * r.delay:.3f}", "ps/mm"),
        ("Delay, even", f"{1e9 * r.delay_even:.3f}", "ps/mm"),
        ("Effective Dk", f"{r.eeff:.3f}", ""),
        ("Inductance", f"{1e9 * r.inductance:.0f}", "nH/m"),
        ("Mutual", f"{1e9 * r.mutual_inductance:.1f}", "nH/m"),
        ("Capacitance", f"{1e12 * r.capacitance:.1f}", "pF/m"),
        ("Mutual", f"{1e12 * r.mutual_capacitance:.2f}", "pF/m"),
        (loss, f"{0.1 * r.loss_at:.2f}", "dB/100 mm"),
        ("  of it copper", f"{0.1 * r.loss_parts[0]:.2f}", "dB/100 mm"),
        ("  of it roughness", f"{0.1 * r.loss_parts[1]:.2f}", "dB/100 mm"),
        ("  of it dielectric", f"{0.1 * r.loss_parts[2]:.2f}", "dB/100 mm"),
        ("R at DC", f"{r.r_dc:.2f}", "Ω/m"), ("Error, est.", f"{100 * r.error:.2f}", "%"),
        ("Loss to delay", f"{100 * r.causality:.3f}", "%"),
    ]  # fmt: skip
    assert r.loss_at == pytest.approx(sum(r.loss_parts), rel=0.02)
    assert "Solder mask: Dk known at 1 GHz" in stage.panel.notes.text()


def test_kept_lines_are_marked_on_the_curve_of_widths(lines) -> None:
    window, stage = lines
    show(window, "clocks")
    layer = window.document.project.design.line_class("clocks").on[0].layer
    before = stage.subject.results[layer].z
    width = window.document.project.design.line_class("clocks").on[0].width.si
    window.keep()
    type_into(field(stage.form, "Width").edit, "111 um")
    assert window.settle()
    after = stage.subject.results[layer].z
    assert after != pytest.approx(before, rel=1e-3)
    plot = stage.page.impedance.by_width
    t = window.look.t
    assert plot._marks == [
        (pytest.approx(111.0), pytest.approx(after), t.ink),
        (pytest.approx(1e6 * width), pytest.approx(before), t.kept),
    ]
    # Both lie on the curve, within what is read between its points.
    (curve,) = plot.curves
    for x, z, _ in plot._marks:
        assert np.interp(x, curve.x, curve.y) == pytest.approx(z, rel=0.01)
    # A layer of which nothing is required is held against the class's own band.
    bare = set_value(window.document.project, requirements=())
    window.document.edit("Nothing required", bare)
    assert window.settle()
    stage.page.views.choose("layers")
    type_into(field(stage.form, "Width").edit, "50 um")
    assert window.settle()
    assert stage.page.layers._rows[0].result.z > stage.page.layers._rows[0].high
    for row in stage.page.layers._rows:
        inside = row.low <= row.result.z <= row.high
        assert row.state is (State.HOLDS if inside else State.FAILS)
    line_class = window.document.project.design.line_class("clocks")
    assert [r.layer for r in stage.page.layers._rows] == [o.layer for o in line_class.on]


def test_every_layer_stands_by_its_own_impedance(without_map) -> None:
    window, stage = without_map
    project = window.document.project
    (low, high), found = (90e-6, 150e-6), []
    for layer, least in (("L1", "60 ohm"), ("L3", "300 ohm")):
        found.append(
            Requirement(
                id=f"z-{layer}", kind="line", subject="converter-pairs", measure="impedance",
                layer=layer, at_least=q(least, "resistance"), at_most=q("400 ohm", "resistance"),
            )
        )  # fmt: skip
    window.document.edit("Limits", set_value(project, requirements=tuple(found)))
    assert window.settle()
    z = {layer: stage.subject.results[layer].z for layer in ("L1", "L3")}
    assert z["L1"] != pytest.approx(z["L3"], rel=1e-3)
    title, rows, current = stage.parts()
    assert (title, current) == ("On layer", "L1")
    known = {r.id: (r.state, r.value) for r in rows}
    assert known["L1"] == (State.HOLDS, f"{z['L1']:.1f} Ω")
    assert known["L3"] == (State.FAILS, f"{z['L3']:.1f} Ω")
    margins = {m.layer: m for m in stage.margins()[1]}
    assert {k: m.value for k, m in margins.items()} == pytest.approx(z)
    # Two kept states: beside the numbers stands the latest, on the strip both stand.
    kept = []
    for width in (low, high):
        type_into(field(stage.form, "Width").edit, f"{1e6 * width:g} um")
        assert window.settle()
        kept.append(stage.subject.results["L1"])
        stage.view.setFocus()
        window.keep()
    type_into(field(stage.form, "Width").edit, "120 um")
    assert window.settle()
    (odd,) = [row for row in stage.panel.numbers._rows if row[0] == "Odd mode"]
    assert odd[1] == f"{stage.subject.results['L1'].z_odd:.1f}"
    assert odd[3] == f"{kept[1].z_odd:.1f}"
    assert stage.margins()[2]["z-L1"] == pytest.approx([k.z for k in kept])
    # On a layer whose copper cannot be etched so there is no number, and the others have theirs.
    board = window.document.project
    pairs = board.design.line_class("converter-pairs")
    thin = set_value(pairs.on[0], width=q("5 um", "length"))
    board = replace_object(board, set_value(pairs, on=(thin, *pairs.on[1:])))
    window.document.edit("Too thin", board)
    assert window.settle()
    assert "L1" not in stage.subject.results
    known = {r.id: r.value for r in stage.parts()[1]}
    assert (known["L1"], known["L3"]) == ("…", f"{stage.subject.results['L3'].z:.1f} Ω")
    assert stage.panel.numbers._rows == []


# -- shielded sections -----------------------------------------------------------


def test_mode_check_in_the_window(lines) -> None:
    window, stage = lines
    show(window, "cavity")
    page = stage.shield
    assert page.sentence.text() == "Only the intended mode travels below 40.5 GHz."
    assert stage.surface.veil.isHidden()
    assert [page.modes.itemText(k)[:3] for k in range(page.modes.count())] == ["TEM", "H 1"]
    page.modes.setCurrentIndex(1)
    page.modes.activated.emit(1)
    assert "H 1 at its cut-off" in page.view.accessibleDescription()
    page.fields.choose("H")
    assert not window.grab().isNull()
    assert "Usable up to 5.67 mm" in page.window_note.text()
    type_into(field(stage.shield_panel.form, "Wall width").edit, "9 mm")
    assert window.settle()
    assert "make the shield smaller" in page.sentence.text()
    window.undo()
    assert window.settle()
    assert "40.5 GHz" in page.sentence.text()


def test_a_shield_that_cannot_be(lines) -> None:
    window, stage = lines
    show(window, "bead")
    type_into(field(stage.shield_panel.form, "Conductor").edit, "2 mm")
    assert window.settle()
    assert "touches shield" in stage.surface.problem.text()
    assert stage.shield.result is None
    window.undo()
    assert window.settle()
    assert stage.surface.problem.text() == ""


def test_drawn_outlines_are_read(lines, tmp_path) -> None:
    window, stage = lines
    show(window, "bead")
    path = tmp_path / "guide.csv"
    rows = ["body,role,x [mm],y [mm],material"]
    rows += [f"wall,shield,{x},{y}," for x, y in ((0, 0), (3, 0), (3, 1.3), (0, 1.3))]
    path.write_text("\n".join(rows))
    stage.shield_panel.read_outlines(path)
    assert window.settle()
    assert window.document.project.design.shielded[0].shape == "drawn"
    assert "Nothing travels below 50.0 GHz" in stage.shield.sentence.text()
    path.write_text("body,role\n")
    stage.shield_panel.read_outlines(path)
    assert window.settle()
    assert "no column x, y" in stage.surface.problem.text()


def test_shielded_sections_and_sheets_are_copied_and_removed(lines) -> None:
    window, stage = lines
    dropped: list[str] = []
    drop = stage.surface.veil.drop
    stage.surface.veil.drop = lambda words: (dropped.append(words), drop(words))[1]
    for name, kept, title, remark in (
        ("bead", "shielded", "Edge launch bead", "mode check of a closed section"),
        ("hub-cable", "sheet_lines", "Hub cable", "Fulmar cable sheet"),
    ):
        show(window, name)
        # What is in view has its name on the page, and while it is worked out.
        assert (stage.surface.title.text(), stage.surface.remark.text()) == (title, remark)
        assert dropped[-1] == f"Computing {title}…"
        before = len(getattr(window.document.project.design, kept))
        window.listing.copy_wanted.emit(name)
        assert len(getattr(window.document.project.design, kept)) == before + 1
        window.listing.remove_wanted.emit(window.selection.subject)
        assert len(getattr(window.document.project.design, kept)) == before


# -- lines from a data sheet -------------------------------------------------------


def test_a_sheet_line_by_figures_and_by_values(lines) -> None:
    window, stage = lines
    show(window, "hub-cable")
    panel = stage.sheet_panel
    assert stage.sheet.result.z0 == pytest.approx(50.0)
    assert [c.name for c in stage.sheet.insertion._curves] == ["× 0.1", "× 1", "× 10"]
    type_into(field(panel.form, "Impedance").edit, "75")
    assert window.settle()
    assert stage.sheet.result.z0 == pytest.approx(75.0)
    type_into(panel.share.edit, "150 %")
    assert panel.share.problem.text()
    panel.entry.setCurrentIndex(1)
    panel.entry.activated.emit(1)
    assert window.settle()
    assert [f.edit.accessibleName() for f in panel.form.fields] == [
        "Length", "Data rate", "R", "L", "G", "C",
    ]  # fmt: skip
    assert stage.sheet.result.z0 == pytest.approx((246e-9 / 98e-12) ** 0.5)
    type_into(field(panel.form, "L").edit, "heavy")
    assert "is not a inductance" in field(panel.form, "L").problem.text() or (
        "not a" in field(panel.form, "L").problem.text()
    )


# What was found before is there at once, so each starts from a width of its own.
@pytest.mark.parametrize(("leave_to", "width"), [("memory", "300 um"), ("bead", "310 um")])
def test_a_fit_that_comes_when_another_class_is_in_view_changes_nothing(
    lines, leave_to, width
) -> None:
    window, stage = lines
    show(window, "general")
    before = window.document.project
    general = before.design.line_class("general")
    # At another width than the one that fits.
    wide = set_value(general.on[0], width=q(width, "length"))
    changed = set_value(general, on=(wide, *general.on[1:]))
    window.document.edit("Widen", replace_object(before, changed))
    assert window.settle()
    widened = window.document.project
    stage.fitting.fit_to_target()
    window.selection.choose(leave_to, "lines")
    assert window.settle()
    assert window.document.stack.undoText() == "Widen"
    assert window.document.project.design == widened.design
    # In view it is taken.
    show(window, "general")
    stage.fitting.fit_to_target()
    assert window.settle()
    found = window.document.project.design.line_class("general").on[0].width.si
    assert found != pytest.approx(q(width, "length").si)
