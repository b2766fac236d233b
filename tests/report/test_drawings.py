"""What the pictures of the report and of the build hold, against results and against the build."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from matplotlib.figure import Figure
from matplotlib.patches import Rectangle

from onda.project.base import set_value
from onda.project.begin import from_template
from onda.project.build.stackup import CopperLayer
from onda.project.measures import measure
from onda.project.model import Project
from onda.project.quantities import format_si, pretty
from onda.project.quantities import parse_quantity as q
from onda.project.requirements import Requirement
from onda.report.build_drawing import build_drawing
from onda.report.figures import (
    draw_bus,
    draw_eye,
    draw_group,
    draw_line,
    draw_link,
    draw_network,
    draw_path,
)
from onda.report.sheets import SHEETS, Drawing
from onda.studies.build.remarks import layer_thickness, via_aspect
from onda.studies.buses.bus import BusCase, BusResult
from onda.studies.buses.case import CaseResult
from onda.studies.core.runner import StudyRunner
from onda.studies.coupling.group import GROUP
from onda.studies.coupling.inputs import group_inputs
from onda.studies.lines.impedance import IMPEDANCE, ImpedanceInputs
from onda.studies.lines.inputs import line_inputs
from onda.studies.links.eye import EYE
from onda.studies.links.inputs import Mask, eye_inputs, link_inputs
from onda.studies.links.link import LINK
from onda.studies.networks.inputs import network_inputs
from onda.studies.networks.network import NETWORK, level_db
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.path import PATH

NOWHERE = Path("nowhere.png")


@pytest.fixture
def figures(monkeypatch: pytest.MonkeyPatch) -> list[Figure]:
    """Figures that were saved."""
    made: list[Figure] = []
    monkeypatch.setattr(Figure, "savefig", lambda self, *_, **__: made.append(self))
    return made


def line_of(axes, label: str):
    (found,) = (x for x in axes.get_lines() if x.get_label() == label)
    return found


def labels(ticks) -> list[str]:
    return [t.get_text() for t in ticks]


# -- notes beside names


def test_notes_say_what_an_object_is(project: Project) -> None:
    d = project.design

    def note(kind: str, item: object) -> str:
        return SHEETS[kind].note(item)

    memory = d.line_class("memory")
    assert note("line", memory) == f"target {memory.target.text}, shown on L1"
    assert note("path", d.path("clk-adc")) == "CLK_ADC"
    assert note("group", d.group("memory-byte")) == "8 lanes, 44 mm, 2.4 GBd"
    channel = d.network("up0-channel")
    assert channel.rate is not None
    assert note("network", channel) == f"{channel.source.kind}, {channel.rate.text}"
    bare = set_value(channel, rate=None)
    assert note("network", bare) == channel.source.kind
    nrz = next(x for x in d.links if x.modulation == "nrz")
    four = next(x for x in d.links if x.modulation != "nrz")
    words = note("link", nrz)
    assert words.startswith(nrz.rate.text)
    assert words.endswith(f" {nrz.bits} bits")
    assert note("link", four) == (
        f"{four.rate.text}, four levels, at an error rate of {four.error_rate:g}"
    )
    # Nine signals in four operations, three in two, three corners.
    assert note("bus", d.bus("byte0")) == "2.4 Gb/s, 12 signals, 126 cases of 128 bits"


# -- buses


def test_a_bus_is_its_worst_margins(figures: list[Figure]) -> None:
    def case(signal: str, operation: str, corner: str, setup: float, hold: float) -> BusCase:
        return BusCase(
            signal, signal, "S", operation, operation.title(), corner, setup, hold, 0.0, 1e-9,
            CaseResult(height=0.1),
        )  # fmt: skip

    cases = (
        case("D0", "write", "typ", 40e-12, 30e-12), case("D1", "write", "typ", -70e-12, 20e-12),
        case("D0", "write", "slow", 10e-12, 25e-12), case("D1", "read", "typ", 5e-12, math.nan),
    )  # fmt: skip
    draw_bus(BusResult(cases), NOWHERE)
    axes, bar = figures[-1].axes
    (image,) = axes.get_images()
    shown = np.ma.filled(image.get_array(), math.nan)
    assert np.allclose(
        shown, [[30.0, 10.0, math.nan], [-70.0, math.nan, math.nan]], atol=1e-9, equal_nan=True
    )
    assert image.get_clim() == pytest.approx((-70.0, 70.0))
    assert labels(axes.get_yticklabels()) == ["D0", "D1"]
    assert labels(axes.get_xticklabels()) == ["Write, typ", "Write, slow", "Read, typ"]
    assert bar.get_ylabel() == "worst margin, ps"
    assert figures[-1].get_figheight() == pytest.approx(2.4)
    # Many signals have a line each, high enough to be read.
    many = tuple(case(f"D{k}", "write", "typ", 1e-12, 1e-12) for k in range(20))
    draw_bus(BusResult(many), NOWHERE)
    assert figures[-1].get_figheight() == pytest.approx(1.2 + 0.22 * 20)
    # Nothing at all is no reason to fail, and less than a picosecond no reason for strong colours.
    draw_bus(BusResult((case("D0", "write", "typ", math.nan, math.nan),)), NOWHERE)
    (image,) = figures[-1].axes[0].get_images()
    assert image.get_clim() == (-1.0, 1.0)
    draw_bus(BusResult((case("D0", "write", "typ", 2e-13, 3e-13),)), NOWHERE)
    assert figures[-1].axes[0].get_images()[0].get_clim() == (-1.0, 1.0)


# -- groups


def test_a_group_is_its_noise_and_the_worst_receiver(
    project: Project, runner: StudyRunner, figures: list[Figure]
) -> None:
    result = runner.result(GROUP, group_inputs(project.design, project.design.groups[0]))
    draw_group(result, NOWHERE)
    left, right, bar = figures[-1].axes
    (image,) = left.get_images()
    # Receivers down, transmitters across.
    assert np.allclose(
        image.get_array(), [[1e3 * v for v in x.by_lane] for x in result.noise], atol=1e-9
    )
    assert image.get_clim()[0] == 0.0
    assert (left.get_xlabel(), left.get_ylabel()) == ("transmitter", "receiver")
    assert bar.get_ylabel() == "noise, mV"
    assert labels(left.get_yticklabels()) == list(result.lanes)
    worst = max(range(len(result.lanes)), key=lambda k: result.noise[k].total)
    some = result.frequency > 0.0
    heard = line_of(right, f"heard at {result.lanes[worst]}")
    assert heard.get_xdata() == pytest.approx(1e-9 * result.frequency[some])
    assert heard.get_ydata() == pytest.approx(
        20.0 * np.log10(np.abs(result.power_sum(worst)[some])), abs=1e-6
    )
    assert line_of(right, "through").get_ydata() == pytest.approx(
        level_db(result.heard[some, worst, worst])
    )
    low, high = right.get_ylim()
    assert low == pytest.approx(max(float(np.median(heard.get_ydata())) - 30.0, -120.0))
    assert high == 3.0


def test_more_lanes_than_names_fit_are_numbered(
    project: Project, runner: StudyRunner, figures: list[Figure]
) -> None:
    result = runner.result(GROUP, group_inputs(project.design, project.design.group("memory-byte")))
    assert len(result.lanes) == 8
    draw_group(result, NOWHERE)
    assert labels(figures[-1].axes[0].get_xticklabels()) == list(result.lanes)
    nine = replace(
        result,
        lanes=(*result.lanes, "DM"),
        noise=tuple(
            replace(x, by_lane=(*x.by_lane, 0.0)) for x in (*result.noise, result.noise[0])
        ),
    )
    draw_group(nine, NOWHERE)
    assert labels(figures[-1].axes[0].get_xticklabels()) == [str(k) for k in range(1, 10)]


# -- lines, paths, links


def test_parts_of_a_loss_have_their_own_names(
    project: Project, runner: StudyRunner, figures: list[Figure]
) -> None:
    inputs = line_inputs(project.design, project.design.line_class("memory"), "L3")
    result = runner.result(IMPEDANCE, ImpedanceInputs(inputs))
    draw_line(result, NOWHERE)
    left, right = figures[-1].axes
    assert (left.get_ylabel(), right.get_ylabel()) == ("impedance, Ω", "loss, dB per 100 mm")
    for label, values in (
        ("total", result.loss_db_per_m), ("dielectric", result.dielectric_db_per_m),
        ("copper", result.conductor_db_per_m),
    ):  # fmt: skip
        assert line_of(right, label).get_ydata() == pytest.approx(0.1 * values)


def test_a_path_is_mapped_over_its_way_to_the_last_receiver(
    project: Project, runner: StudyRunner, figures: list[Figure]
) -> None:
    result = runner.result(PATH, path_inputs(project.design, project.design.path("clk-two")))
    draw_path(result, None, NOWHERE)
    upper, lower, _ = figures[-1].axes
    (mesh,) = upper.collections
    way = np.isin(result.piece, result.last.route)
    assert 0 < way.sum() < len(way)
    assert np.allclose(mesh.get_array(), result.volts[way].T, atol=1e-9)
    assert line_of(lower, "driver pad").get_ydata() == pytest.approx(result.pad)
    assert line_of(lower, "receiver").get_ydata() == pytest.approx(result.load)
    assert len(lower.get_lines()) == 2
    # Time goes down.
    first, last = upper.get_ylim()
    assert first > last
    # Cells end in the middle between two places, and between two moments.
    corners = mesh.get_coordinates()
    for edges, values in (
        (corners[0, :, 0], 1e12 * result.places[way]), (corners[:, 0, 1], 1e9 * result.time)
    ):  # fmt: skip
        middles = 0.5 * (values[1:] + values[:-1])
        assert np.asarray(edges)[1:-1] == pytest.approx(middles, rel=1e-6)
    assert line_of(lower, "receiver").get_xdata() == pytest.approx(1e9 * result.time)
    draw_path(result, 0.25, NOWHERE)
    limit = line_of(figures[-1].axes[1], "overshoot limit")
    assert set(limit.get_ydata()) == {result.high + 0.25}


def test_of_several_limits_the_nearest_is_drawn(
    project: Project, runner: StudyRunner, figures: list[Figure]
) -> None:
    path = project.design.path("clk-two")
    limits = tuple(
        Requirement(
            id=most, kind="path", subject="clk-two", measure=what, at_most=q(most, "voltage")
        )
        for what, most in (("overshoot", "0.5 V"), ("overshoot", "0.2 V"), ("undershoot", "0.1 V"))
    )
    for some, most in ((limits, 0.2), (limits[:1], 0.5), (limits[2:], None)):
        SHEETS["path"].draw(path, Drawing(project, some, runner, NOWHERE))
        lines = [x for x in figures[-1].axes[1].get_lines() if x.get_label() == "overshoot limit"]
        high = runner.result(PATH, path_inputs(project.design, path)).high
        assert [x.get_ydata()[0] for x in lines] == ([] if most is None else [high + most])


def test_a_network_has_the_limits_of_its_curves_and_its_impedance(
    project: Project, runner: StudyRunner, figures: list[Figure]
) -> None:
    network = project.design.network("mezzanine")
    result = runner.result(NETWORK, network_inputs(project.design, network))
    stated = (
        ("insertion", "at_least", -3), ("return", "at_most", -12), ("conversion", "at_most", -25),
    )  # fmt: skip
    limits = [
        Requirement.model_validate(
            {"id": what, "kind": "network", "subject": "m", "measure": what, side: f"{level} dB"}
        )
        for what, side, level in stated
    ]
    draw_network(result, limits, NOWHERE)
    left, right = figures[-1].axes
    dashed = [x for x in left.get_lines() if x.get_linestyle() == "--"]
    assert sorted(float(x.get_ydata()[0]) for x in dashed) == [-12.0, -3.0]
    for kind in ("insertion", "return"):
        drawn = line_of(left, measure(kind).title.lower())
        values = result.curve_set(kind).values[0]
        assert drawn.get_ydata() == pytest.approx(np.maximum(level_db(values), -80.0))
        assert drawn.get_xdata() == pytest.approx(1e-9 * result.frequency)
    main = [r for r in result.time.reflections if (r.mode, r.side) == ("diff", "left")]
    assert len(right.get_lines()) == len(main) < len(result.time.reflections)
    for line, found in zip(right.get_lines(), main, strict=True):
        assert line.get_xdata() == pytest.approx(1e12 * found.place)
        assert line.get_ydata() == pytest.approx(found.true)


def test_an_eye_of_two_levels_stands_twice_with_its_mask(
    project: Project, runner: StudyRunner, figures: list[Figure]
) -> None:
    link = set_value(project.design.link("jl0"), bits=2000)
    result = runner.result(EYE, eye_inputs(project.design, link))
    mask = Mask(((-0.2, 0.0), (0.0, 0.01), (0.2, 0.0), (0.0, -0.01)))
    draw_eye(result, mask, NOWHERE)
    (axes,) = figures[-1].axes
    (image,) = axes.get_images()
    eye = result.eye
    phases = eye.density.shape[0]
    shown = np.expm1(image.get_array()).T
    assert len(shown) == 2 * phases
    # In the middle the eye as it is, half of it to either side.
    assert np.allclose(shown[phases // 2 : phases // 2 + phases], eye.density, atol=1e-6)
    assert np.allclose(shown[: phases // 2], eye.density[phases - phases // 2 :], atol=1e-6)
    top = eye.v_low + eye.v_step * eye.density.shape[1]
    assert image.get_extent() == pytest.approx((-1.0, 1.0, 1e3 * eye.v_low, 1e3 * top))
    (shape,) = axes.get_lines()
    level = eye.openings[0].threshold
    assert shape.get_ydata() == pytest.approx(1e3 * (level + np.array([0, 0.01, 0, -0.01, 0])))


def test_four_levels_have_three_eyes_with_a_mask_each(
    project: Project, runner: StudyRunner, figures: list[Figure]
) -> None:
    link = next(x for x in project.design.links if x.modulation != "nrz")
    result = runner.result(LINK, link_inputs(project.design, link))
    mask = Mask(((-0.2, 0.0), (0.0, 0.01), (0.2, 0.0), (0.0, -0.01)))
    draw_link(result, mask, NOWHERE)
    (axes,) = figures[-1].axes
    eyes = result.eye.eyes
    assert len(eyes) == 3
    lines = axes.get_lines()
    assert len(lines) == 3 * len(eyes)
    ui = result.moments / result.unit_interval
    for k, eye in enumerate(eyes):
        upper, lower, shape = lines[3 * k : 3 * k + 3]
        is_open = eye.upper > eye.lower
        for line, edge in ((upper, eye.upper), (lower, eye.lower)):
            assert line.get_xdata() == pytest.approx(ui)
            assert np.allclose(
                line.get_ydata(), 1e3 * np.where(is_open, edge, math.nan), atol=1e-9, equal_nan=True
            )
        # Around where its own receiver decides, closed.
        assert shape.get_xdata() == pytest.approx([-0.2, 0.0, 0.2, 0.0, -0.2])
        assert shape.get_ydata() == pytest.approx(
            1e3 * (eye.threshold + np.array([0.0, 0.01, 0.0, -0.01, 0.0]))
        )
    (image,) = axes.get_images()
    left, right, bottom, top = image.get_extent()
    assert (left, right) == pytest.approx((ui[0], ui[-1]))
    assert (bottom, top) == pytest.approx(axes.get_ylim())
    # What is hardly ever there is left out above and below.
    dense = result.eye.density.max(axis=0) > 1e-9
    assert bottom == pytest.approx(1e3 * result.eye.volts[dense][0])
    assert top == pytest.approx(1e3 * result.eye.volts[dense][-1])
    draw_link(result, None, NOWHERE)
    assert len(figures[-1].axes[0].get_lines()) == 2 * len(eyes)


# -- the fabricator's drawing


def words_of(axes) -> list[str]:
    return [t.get_text() for t in axes.texts if t.get_text()]


def rows_of(axes) -> list[list[str]]:
    """Cells of a table, row by row from the top."""
    found: dict[float, list[tuple[float, str]]] = {}
    for t in axes.texts:
        x, y = t.get_position()
        found.setdefault(round(y, 6), []).append((x, t.get_text()))
    return [[w for _, w in sorted(found[y])] for y in sorted(found, reverse=True)]


def test_the_build_is_drawn_to_the_root_of_its_thicknesses(figures: list[Figure]) -> None:
    project = from_template("Six", 6)
    stackup = project.design.stackup
    # One of the foils so thin that it would hardly be seen.
    layers = tuple(
        set_value(x, thickness=q("5 um", "length")) if x.id == "L2" else x for x in stackup.layers
    )
    stackup = set_value(stackup, layers=layers)
    project = set_value(project, design=set_value(project.design, stackup=stackup))
    build_drawing(project, "pdf")
    pile = figures[-1].axes[0]
    main = stackup.zone_layers(stackup.all_zones[0])
    first = min(p.get_x() for p in pile.patches)
    boxes = [
        p
        for p in pile.patches
        if isinstance(p, Rectangle) and p.get_x() == first and p.get_width() == 0.28
    ]
    assert len(boxes) == len(main)
    heights = np.array([b.get_height() for b in boxes])
    roots = np.array([max(layer_thickness(x) ** 0.5, 3.4e-3) for x in main])
    assert heights / heights.sum() == pytest.approx(roots / roots.sum(), rel=1e-6)
    # From the top down, each where the one above ends.
    ends = [b.get_y() for b in boxes]
    assert ends[:-1] == pytest.approx([b.get_y() + b.get_height() for b in boxes[1:]])
    assert min(layer_thickness(x) ** 0.5 for x in main) < 3.4e-3 == min(roots)
    # A signal layer shows three pieces of copper: every second seventh of the box.
    signals = [
        b
        for b, x in zip(boxes, main, strict=True)
        if isinstance(x, CopperLayer) and x.role == "signal"
    ]
    assert signals
    for box in signals:
        pieces = sorted(
            p.get_x()
            for p in pile.patches
            if isinstance(p, Rectangle) and p.get_y() == box.get_y() and p.get_width() < 0.05
        )
        assert pieces == pytest.approx([first + k * 0.28 / 7 for k in (1, 3, 5)])
    words = words_of(pile)
    for layer in stackup.layers:
        assert format_si(layer_thickness(layer), "length") in words
        if isinstance(layer, CopperLayer):
            assert layer.id in words
            own = f"{layer.role}, base {layer.base}, {layer.copper_share:.0%} copper"
            assert any(w.startswith(own) for w in words)
        else:
            m = project.design.material(layer.material)
            assert any(f"Dk {m.dk:.3g}, Df {m.df:.3g} at {pretty(m.at)}" in w for w in words)
    for zone in stackup.all_zones:
        assert zone.name in words


def test_copper_is_told_as_foil_and_plating(project: Project, figures: list[Figure]) -> None:
    build_drawing(project, "pdf")
    words = words_of(figures[-1].axes[0])
    outer = project.design.stackup.layer("L1")
    told = next(w for w in words if w.startswith(f"{outer.role}, base {outer.base}"))
    assert told.endswith(f", foil {pretty(outer.foil)} + {pretty(outer.plating)}")
    assert outer.foil.si != outer.plating.si
    # What is not plated says nothing of it.
    inner = [w for w in words if w.startswith("plane, ")]
    assert inner
    assert not any("+" in w for w in inner)


def test_classes_and_vias_stand_in_their_tables(project: Project, figures: list[Figure]) -> None:
    design = project.design
    reached = {("clocks", "L1"): 49.87, ("clocks", "L6"): 51.23}
    build_drawing(project, "svg", reached)
    _, classes, vias = figures[-1].axes
    heads, *rows = rows_of(classes)
    assert heads == ["Class", "Layer", "Target", "Width", "Gap", "Planes", "Computed"]
    by_place = {(r[0], r[1]): r for r in rows}
    for line_class in design.line_classes:
        for on in line_class.on:
            if "." in on.layer:
                # Layers of another zone have a build of their own.
                continue
            row = by_place[line_class.name, on.layer]
            assert row[2].startswith(f"{line_class.target.si:g} Ω")
            assert row[3] == format_si(on.width.si, "length")
    clocks = design.line_class("clocks").name
    assert by_place[clocks, "L1"][-1] == "49.9 Ω"
    assert by_place[clocks, "L6"][-1] == "51.2 Ω"
    assert by_place[clocks, "L8"][-1] == ""
    heads, *rows = rows_of(vias)
    assert heads[:5] == ["Span", "Layers", "Kind", "Drill", "Depth"]
    assert len(rows) == len(design.stackup.vias)
    for via, row in zip(design.stackup.vias, rows, strict=True):
        aspect, limit = via_aspect(design.stackup, via)
        assert row[:5] == [
            via.name, f"{via.top} – {via.bottom}", via.kind, pretty(via.drill),
            f"{aspect:.2g} of {limit:g}",
        ]  # fmt: skip
    # Without what was computed its column stays empty.
    build_drawing(project, "svg")
    assert {r[-1] for r in rows_of(figures[-1].axes[1])[1:]} == {""}


def test_the_head_says_what_it_is_and_how_thick(project: Project, figures: list[Figure]) -> None:
    build_drawing(project, "pdf")
    head, summary, *_ = (t.get_text() for t in figures[-1].texts)
    assert head == "Build of Fulmar recorder rev B"
    stackup = project.design.stackup
    first = stackup.all_zones[0]
    thick = math.fsum(layer_thickness(x) for x in stackup.zone_layers(first))
    copper = sum(isinstance(x, CopperLayer) for x in stackup.zone_layers(first))
    assert summary.startswith(f"{first.name}: {copper} copper layers, {format_si(thick, 'length')}")
    assert stackup.total is not None
    assert f"target {pretty(stackup.total)} ±{stackup.total_tolerance.si:.0%}" in summary
    bare = set_value(stackup, total=None)
    untold = set_value(project, design=set_value(project.design, stackup=bare), revision="")
    build_drawing(untold, "pdf")
    head, summary, *_ = (t.get_text() for t in figures[-1].texts)
    assert head == "Build of Fulmar recorder"
    assert "target" not in summary
    thin = set_value(stackup, total=q("1 mm", "length"))
    build_drawing(set_value(project, design=set_value(project.design, stackup=thin)), "pdf")
    assert "target 1 mm" in figures[-1].texts[1].get_text()


@pytest.mark.parametrize(("kind", "begins"), [("pdf", b"%PDF"), ("svg", b"<?xml")])
def test_the_same_build_is_the_same_file(project: Project, kind, begins: bytes) -> None:
    one, other = (build_drawing(project, kind) for _ in range(2))
    assert one.startswith(begins)
    assert one == other
