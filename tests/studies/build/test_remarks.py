"""Remarks on a build where each begins: just within its limit, and just beyond it."""

from __future__ import annotations

import pytest

from onda.project.base import set_value
from onda.project.build.edits import replace_layer, with_stackup
from onda.project.build.stackup import Stackup
from onda.project.model import Project
from onda.project.quantities import parse_quantity
from onda.studies.build.remarks import (
    BuildRemark,
    build_remarks,
    layer_thickness,
    pressed,
    via_aspect,
    via_state,
    zone_figures,
    zone_rows,
)
from onda.studies.core.margin import State


def um(value: float):
    return parse_quantity(f"{value} um", "length")


def changed(project: Project, layer: str, **values: object) -> Project:
    return replace_layer(project, set_value(project.design.stackup.layer(layer), **values))


def told(project: Project, words: str) -> BuildRemark | None:
    found = [r for r in build_remarks(project.design) if words in r.text]
    assert len(found) <= 1, found
    return found[0] if found else None


def state(project: Project, words: str) -> State | None:
    found = told(project, words)
    return found.state if found else None


# -- zones ------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("target", "within", "state_of", "off"),
    [
        # The card is 1.057 mm.
        ("1.1 mm", "4 %", State.HOLDS, "−3.9 %"),
        ("1.1 mm", "3.9 %", State.FAILS, "−3.9 %"),
        ("1 mm", "5.8 %", State.HOLDS, "+5.7 %"),
        ("1 mm", "5.6 %", State.FAILS, "+5.7 %"),
    ],
)
def test_thickness_over_all(
    project: Project, target: str, within: str, state_of: State, off: str
) -> None:
    board = with_stackup(
        project, total=parse_quantity(target, "length"),
        total_tolerance=parse_quantity(within, "ratio"),
    )  # fmt: skip
    found = told(board, "over all")
    assert found is not None
    assert found.state is state_of
    assert found.text == (
        f"Rigid card: 1.06 mm over all, {off} of the target {target}, allowed ±{within}"
    )
    assert told(with_stackup(project, total=None), "over all") is None


def test_halves_mirror_each_other_within_two_percent(project: Project) -> None:
    assert state(changed(project, "D12", thickness=um(104)), "mirror") is State.HOLDS
    assert state(changed(project, "D12", thickness=um(104.2)), "symmetric") is State.TIGHT
    figures = zone_figures(project.design.stackup, project.design.stackup.zones[0])
    assert figures.mirrored
    assert figures.thickness == pytest.approx(1057e-6)


@pytest.mark.parametrize(("cover", "expected"), [(0.345, State.HOLDS), (0.33, State.TIGHT)])
def test_copper_counts_by_its_cover_and_in_the_half_where_its_middle_is(
    project: Project, cover: float, expected: State
) -> None:
    """Of 50.75 um each the upper half gets 11.05 more on L3, the lower one less on L6."""
    board = changed(project, "L3", cover=parse_quantity("100 %", "ratio"))
    board = changed(board, "L6", cover=parse_quantity(f"{100 * cover} %", "ratio"))
    figures = zone_figures(board.design.stackup, board.design.stackup.zones[0])
    above, below = 61.8e-6, 50.75e-6 - (0.35 - cover) * 17e-6
    assert figures.copper_above == pytest.approx(above)
    assert figures.copper_below == pytest.approx(below)
    assert figures.imbalance == pytest.approx((above - below) / (above + below))
    found = told(board, "copper of the two halves differs by 10%")
    assert found is not None
    assert found.state is expected


@pytest.mark.parametrize(
    ("bends", "radius", "state_of"),
    [
        # Ten and a hundred times 211 um.
        ("once", "2.11 mm", State.HOLDS), ("once", "2.10 mm", State.FAILS),
        ("often", "21.1 mm", State.HOLDS), ("often", "21 mm", State.FAILS),
    ],
)  # fmt: skip
def test_bends(project: Project, bends: str, radius: str, state_of: State) -> None:
    card, tail = project.design.stackup.zones
    tail = set_value(tail, bends=bends, bend_radius=parse_quantity(radius, "length"))
    board = with_stackup(project, zones=(card, tail))
    found = told(board, "bent")
    assert found is not None
    assert found.state is state_of
    assert ("in use" if bends == "often" else "once") in found.text
    flat = with_stackup(project, zones=(card, set_value(tail, bend_radius=None)))
    assert told(flat, "bent") is None


# -- vias -------------------------------------------------------------------------------


def with_drill(project: Project, name: str, drill: float) -> tuple[Stackup, object]:
    stackup = project.design.stackup
    via = set_value(next(v for v in stackup.vias if v.id == name), drill=um(drill))
    return stackup, via


def test_depth_of_each_kind_of_via(project: Project) -> None:
    """Through all copper and dielectric, masks apart; a laser through the dielectric alone; blind
    ones down to the copper that they end on."""
    stackup = project.design.stackup
    ids = [x.id for x in stackup.layers]
    card = set(stackup.zones[0].layers)

    def depth(top: str, bottom: str) -> float:
        inside = stackup.layers[ids.index(top) : ids.index(bottom) + 1]
        return sum(layer_thickness(x) for x in inside if x.id in card)

    through = next(v for v in stackup.vias if v.id == "through")
    assert via_aspect(stackup, through) == (pytest.approx(depth("L1", "L8") / 250e-6), 8.0)
    micro = next(v for v in stackup.vias if v.id == "micro12")
    assert via_aspect(stackup, micro) == (pytest.approx(102 / 125), 0.9)
    buried = next(v for v in stackup.vias if v.id == "buried36")
    assert via_aspect(stackup, buried) == (pytest.approx(depth("L3", "L6") / 200e-6), 8.0)
    blind = set_value(through, kind="blind", bottom="L3")
    aspect = (depth("L1", "L3") - 17e-6) / 250e-6
    assert via_aspect(stackup, blind) == (pytest.approx(aspect), 1.0)


@pytest.mark.parametrize(
    ("drill", "expected"),
    # 102 um: at 0.9 drills, at 0.81 of them.
    [(113, State.FAILS), (113.4, State.TIGHT), (125.8, State.TIGHT), (126, State.HOLDS)],
)
def test_a_hole_is_tight_from_nine_tenths_of_what_can_be_plated(
    project: Project, drill: float, expected: State
) -> None:
    stackup, via = with_drill(project, "micro12", drill)
    assert via_state(stackup, via) is expected
    board = with_stackup(project, vias=(via,))
    found = told(board, "Micro L1–L2: depth")
    assert found is not None
    assert (found.state, found.where) == (expected, "micro12")


# -- layers -----------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("thickness", "words"),
    # 18 um of foil and 25 um on it; what is near the foil is the foil.
    [(18, "foil alone"), (18.01, "foil alone"), (18.1, ""), (43, ""), (43.8, ""),
     (43.9, "more than foil and plating together, 43.0 µm")],
)  # fmt: skip
def test_finished_copper_against_its_foil(project: Project, thickness: float, words: str) -> None:
    board = changed(project, "L1", thickness=um(thickness))
    found = [r for r in build_remarks(board.design) if r.where == "L1" and "foil" in r.text]
    assert [r.state for r in found] == ([State.TIGHT] if words else [])
    assert all(words in r.text for r in found)
    plain = changed(board, "L1", foil=None)
    assert [r for r in build_remarks(plain.design) if r.where == "L1" and "foil" in r.text] == []
    # What is not plated may be as thick as its foil.
    thin = changed(project, "L2", thickness=um(17))
    assert [r for r in build_remarks(thin.design) if r.where == "L2"] == []


def test_prepreg_is_pressed_into_the_copper_that_lies_in_it(project: Project) -> None:
    """Of D12 the plane beside it, 85 % covered, whose foil is on the other side; the outer one is
    laid on it. Between D34 and L4 there is a coverlay, but only in the tail."""
    stackup = project.design.stackup
    layer = stackup.layer("D12")
    fills = 17e-6 * (1.0 - 0.85)
    assert pressed(stackup, layer) == pytest.approx(105e-6 - fills)
    assert pressed(stackup, set_value(layer, laid=None)) is None
    both = stackup.layer("D34")
    l3, l4 = 17e-6 * 0.65, 18e-6 * 0.15
    assert pressed(stackup, both) == pytest.approx(156e-6 - l3 - l4)


@pytest.mark.parametrize(
    ("thickness", "found"),
    # 105 um laid press to 102.45.
    [(107.5, False), (108, True), (97.9, False), (97.2, True)],
)
def test_what_is_laid_and_what_is_stated_may_differ_by_a_twentieth(
    project: Project, thickness: float, found: bool
) -> None:
    board = changed(project, "D12", thickness=um(thickness))
    remark = told(board, "105 µm laid press to")
    assert (remark is not None) is found
    if remark is not None:
        assert (remark.state, remark.where) == (State.TIGHT, "D12")
        assert f"102 µm, not {thickness:g} µm" in remark.text


# -- what can be etched -----------------------------------------------------------------


def with_trace(project: Project, name: str, layer: str, **values: object) -> Project:
    design = project.design
    line_class = design.line_class(name)
    on = tuple(set_value(t, **values) if t.layer == layer else t for t in line_class.on)
    classes = tuple(set_value(c, on=on) if c.id == name else c for c in design.line_classes)
    return set_value(project, design=set_value(design, line_classes=classes))


@pytest.mark.parametrize(
    ("layer", "width", "gap", "words"),
    [
        # 43 um of copper: 90 and 100 um; 17 um: 75 and 75.
        ("L1", 90, 100, []), ("L1", 89.9, 100, ["width 89.9 µm, at least 90 µm"]),
        ("L1", 90, 99.9, ["gap 99.9 µm, at least 100 µm"]),
        ("L3", 75, 75, []), ("L3", 74.9, 75, ["width 74.9 µm, at least 75 µm"]),
        ("L3", 74, 74, ["width 74 µm, at least 75 µm", "gap 74 µm, at least 75 µm"]),
    ],
)  # fmt: skip
def test_widths_and_gaps(
    project: Project, layer: str, width: float, gap: float, words: list[str]
) -> None:
    board = with_trace(project, "converter-pairs", layer, width=um(width), gap=um(gap))
    found = [r for r in build_remarks(board.design) if "etched" in r.text]
    assert [r.state for r in found] == [State.FAILS] * len(words)
    for remark, some in zip(found, words, strict=True):
        assert f"on {layer}: {some} can be etched" in remark.text
        assert remark.where == layer


def test_copper_beside_a_line_must_be_etched_apart_too(project: Project) -> None:
    board = with_trace(project, "launch", "L8", ground_gap=um(99))
    found = told(board, "etched")
    assert found is not None
    assert "gap to the copper beside it 99 µm, at least 100 µm" in found.text
    # Also of a pair, whose own gap is wide enough.
    pair = with_trace(project, "converter-pairs", "L1", ground_gap=um(99), ground_width=um(300))
    assert state(pair, "gap to the copper beside it 99 µm") is State.FAILS
    assert told(with_trace(project, "launch", "L8", ground_gap=um(100)), "etched") is None


def test_the_worst_comes_first(project: Project) -> None:
    board = with_trace(project, "clocks", "L1", width=um(50))
    states = [r.state for r in build_remarks(board.design)]
    assert states[:2] == [State.FAILS, State.TIGHT]
    assert set(states[2:]) == {State.HOLDS}


def test_room_of_missing_layers_goes_to_the_dielectric(project: Project) -> None:
    """Of the tail, and of a card without its core: copper keeps its rows."""
    stackup = project.design.stackup
    rows = {x.id: (2.0 * k, 2.0 * k + 2.0) for k, x in enumerate(stackup.layers)}
    card = zone_rows(stackup, stackup.zones[0], rows)
    # The coverlays lie in the tail alone; D34 and D56 take their room.
    assert card["D34"] == (rows["D34"][0], rows["L4"][0])
    assert card["D56"] == (rows["L5"][1], rows["D56"][1])
    for copper in ("L1", "L2", "L3", "L4", "L5", "L6", "L7", "L8"):
        assert card[copper] == rows[copper]
