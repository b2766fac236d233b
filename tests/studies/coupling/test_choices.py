"""Choices, splits, open planes, common modes and bits: each against the same found another way."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from onda.engine.links.patterns import prbs
from onda.errors import InputError, NotPhysical
from onda.project.base import set_value
from onda.project.coupling import edits
from onda.project.coupling.group import Guard, LaneGroup
from onda.project.edits import replace_object
from onda.project.quantities import parse_quantity
from onda.studies.core.study import Control
from onda.studies.coupling import choices as choice_studies
from onda.studies.coupling.bits import GROUP_BITS
from onda.studies.coupling.choices import (
    GROUP_CHOICES,
    GroupChoices,
    _planes_beside,
    choices_inputs,
    ways_out,
)
from onda.studies.coupling.group import GROUP, GroupResult, network_of_group
from onda.studies.coupling.inputs import GroupInputs, group_inputs
from onda.studies.coupling.judge import measure_group
from onda.studies.coupling.search import LimitInputs
from onda.studies.coupling.split import GROUP_SPLIT, GroupSplit, SplitInputs
from onda.studies.coupling.waves import waves_inputs
from onda.studies.lines.inputs import line_inputs

UM = 1e-6
NOISE = LimitInputs("lane_noise", None, None, 3e-3)


def group_with(project, **changes) -> LaneGroup:
    """The converter lanes with other values of their first coupled piece."""
    group = project.design.group("converter-lanes")
    pieces = tuple(set_value(p, **changes) if p.id == "C1" else p for p in group.pieces)
    return set_value(group, pieces=pieces)


def run(project, group: LaneGroup) -> GroupResult:
    return GROUP.run(group_inputs(project.design, group, fine=False), Control())


def choices(project, identifier: str) -> GroupChoices:
    inputs = choices_inputs(project.design, project.design.group(identifier))
    return GROUP_CHOICES.run(inputs, Control())


# ---- planes


def test_an_open_plane_is_one_that_is_not_there(project) -> None:
    design = project.design
    pairs = design.line_class("converter-pairs")
    open_there = line_inputs(design, pairs, "L3", ("L4",))
    layers = tuple(
        set_value(x, role="signal") if x.id == "L4" else x for x in design.stackup.layers
    )
    without = set_value(design, stackup=set_value(design.stackup, layers=layers))
    assert open_there == line_inputs(without, pairs, "L3")
    assert open_there != line_inputs(design, pairs, "L3")
    assert open_there.plane_below != open_there.plane_above or sum(
        s.thickness for s in open_there.below
    ) > sum(s.thickness for s in line_inputs(design, pairs, "L3").below)


def test_lanes_over_an_open_plane_disturb_each_other_more(project) -> None:
    whole, opened = (
        run(project, group_with(project, open_planes=planes)) for planes in ((), ("L4",))
    )
    assert opened.noise[4].total > 1.3 * whole.noise[4].total
    assert "L4 is open along C1" in " ".join(opened.doubts)
    assert not any("open" in d for d in whole.doubts)


def test_planes_that_cannot_be_open(project) -> None:
    with pytest.raises(InputError, match="L3 is no plane that could be open"):
        replace_object(project, group_with(project, open_planes=("L3",)))
    with pytest.raises(InputError, match="L99"):
        replace_object(project, group_with(project, open_planes=("L99",)))
    both = replace_object(project, group_with(project, open_planes=("L2", "L4")))
    inputs = group_inputs(both.design, both.design.group("converter-lanes"))
    # Further planes are there, so that it can be solved still.
    assert inputs.pieces[1].lane.plane_below or inputs.pieces[1].lane.plane_above
    surface = project.design.group("memory-byte")
    pieces = tuple(set_value(p, open_planes=("L2", "L4", "L5", "L7")) for p in surface.pieces)
    bare = replace_object(project, set_value(surface, pieces=pieces))
    with pytest.raises(NotPhysical, match="no plane above or below it but L2"):
        group_inputs(bare.design, bare.design.group("memory-byte"))


# ---- common mode


def test_common_mode_is_what_both_conductors_share(project) -> None:
    inputs = group_inputs(project.design, project.design.group("converter-lanes"), fine=False)
    result = GROUP.run(inputs, Control())
    at = 400
    top = float(result.frequency[-1])
    s, _ = network_of_group(inputs, (0.0, top, len(result.frequency)))
    n = 12
    # UP0 hears at the left, JL3 sends from there; JL1 hears JL0 at the right.
    for victim, aggressor, hears, sends in ((4, 3, 8, 6), (1, 0, n + 2, 0)):
        plus, minus = s[at, hears], s[at, hears + 1]
        common = 0.5 * ((plus[sends] + minus[sends]) - (plus[sends + 1] + minus[sends + 1]))
        assert result.common is not None
        assert result.common[at, victim, aggressor] == pytest.approx(common, rel=1e-6)
    single = run(project, project.design.group("memory-byte"))
    assert single.common is None


# ---- choices


def test_each_choice_is_the_group_changed_by_hand(project) -> None:
    group = project.design.group("converter-lanes")
    found = choices(project, "converter-lanes")
    by_words = {c.words: c for c in found.choices}
    now = run(project, group)
    assert found.now == pytest.approx([x.total for x in now.noise], rel=1e-9)
    one_way = edits.turn_lane(edits.turn_lane(group, "up0"), "up1")
    turned = run(project, one_way)
    choice = by_words["all lanes one way"]
    assert choice.noise == pytest.approx([x.total for x in turned.noise], rel=1e-9)
    change = 20.0 * np.log10(turned.noise[4].total / now.noise[4].total)
    assert choice.change_db[4] == pytest.approx(change, abs=1e-6)
    assert change < -20.0
    guard = Guard(
        width=project.design.line_class("converter-pairs").trace_on("L3").width,
        pitch=parse_quantity("2 mm", "length"),
    )
    guarded = group
    for piece in ("C1", "C2"):
        guarded = edits.set_guard(guarded, piece, guard)
    assert by_words["guards tied every 2 mm"].noise == pytest.approx(
        [x.total for x in run(project, guarded).noise], rel=1e-9
    )
    worst = [float(c.noise.max()) for c in found.choices]
    assert worst == sorted(worst)
    assert "converter pairs" not in by_words
    assert {"all on L6", "L4 open", "L2 open", "guards tied at the ends"} <= set(by_words)


def test_a_guard_may_ring_although_it_is_quieter(project) -> None:
    found = choices(project, "converter-lanes")
    loose = next(c for c in found.choices if c.words == "guards tied at the ends")
    group = project.design.group("converter-lanes")
    trace = project.design.line_class("converter-pairs").trace_on("L3")
    made = group
    for piece in ("C1", "C2"):
        made = edits.set_guard(made, piece, Guard(width=trace.width))
    then, now = run(project, made), run(project, group)
    ratio = 20.0 * np.log10(then.power_sum(4)[1:] / now.power_sum(4)[1:])
    band = now.frequency[1:] <= 0.75 * now.rate
    assert loose.change_db[4] < -10.0
    assert loose.rise_db[4] == pytest.approx(ratio[band].max(), abs=1e-6)
    assert loose.rise_at[4] == pytest.approx(now.frequency[1:][band][ratio[band].argmax()])


def test_what_cannot_be_made_is_no_choice(project) -> None:
    group = group_with(project, open_planes=("L4",))
    tight = tuple(parse_quantity("60 um", "length") for _ in range(5))
    pieces = tuple(set_value(p, spacings=tight) if p.coupled else p for p in group.pieces)
    words = dict(ways_out(project.design, set_value(group, pieces=pieces)))
    assert not any("guard" in w for w in words)
    assert "planes whole" in words
    assert words["planes whole"].pieces[1].open_planes == ()
    assert words["L4 open"].pieces[2].open_planes == ("L4",)


# ---- splits


@pytest.fixture(scope="module")
def split() -> GroupSplit:
    from onda.demo import fulmar_project

    project = fulmar_project()
    inputs = group_inputs(project.design, project.design.group("converter-lanes"), fine=False)
    return GROUP_SPLIT.run(SplitInputs(inputs, (NOISE,), "C1"), Control())


def test_a_split_keeps_the_room_and_the_impedance(split) -> None:
    now = split.now
    assert split.total == pytest.approx(12 * 98 * UM + 6 * 150 * UM + (4 * 420 + 190) * UM)
    for one in (*split.splits, split.best, now):
        room = 12 * one.width + 6 * one.gap + 5 * one.spacing
        assert room == pytest.approx(split.total, rel=1e-9)
        assert one.z == pytest.approx(now.z, rel=0.01)
    assert split.best.margin == max(s.margin for s in split.splits)
    assert split.best.margin > now.margin
    assert f"lines of {split.best.width / UM:.4g} µm" in split.words


def test_a_split_taken_has_the_margin_that_was_told(project, split) -> None:
    group = project.design.group("converter-lanes")
    line_class = project.design.line_class("converter-pairs")
    best = split.best

    def um(value: float):
        return parse_quantity(f"{value / UM:.6f} um", "length")

    on = tuple(
        set_value(t, width=um(best.width), gap=um(best.gap)) if t.layer == "L3" else t
        for t in line_class.on
    )
    changed = replace_object(project, set_value(line_class, on=on))
    group = edits.set_spacing(group, "C1", um(best.spacing))
    result = run(changed, group)
    value = measure_group(result, "lane_noise").value
    assert (3e-3 - value) / 3e-3 == pytest.approx(best.margin, abs=2e-3)


def test_single_lines_keep_near_their_impedance_and_nonsense_is_refused(project) -> None:
    inputs = group_inputs(project.design, project.design.group("memory-byte"), fine=False)
    limit = LimitInputs("arrival_spread", None, None, 20e-12)
    found = GROUP_SPLIT.run(SplitInputs(inputs, (limit,), "C1"), Control())
    assert all(abs(s.z / found.now.z - 1.0) <= 0.1 for s in found.splits)
    assert {s.gap for s in found.splits} == {0.0}
    with pytest.raises(InputError, match="no coupled piece 'F1'"):
        GROUP_SPLIT.run(SplitInputs(inputs, (limit,), "F1"), Control())
    with pytest.raises(InputError, match="nothing is required"):
        GROUP_SPLIT.run(SplitInputs(inputs, (), "C1"), Control())
    guarded = group_inputs(
        project.design,
        edits.set_guard(
            edits.set_spacing(
                project.design.group("memory-byte"), "C1", parse_quantity("1 mm", "length")
            ),
            "C1",
            Guard(width=parse_quantity("0.2 mm", "length")),
        ),
        fine=False,
    )
    with pytest.raises(InputError, match="has guards"):
        GROUP_SPLIT.run(SplitInputs(guarded, (limit,), "C1"), Control())


# ---- bits


def by_superposition(inputs: GroupInputs, victim: int) -> tuple[np.ndarray, np.ndarray]:
    """Moments in a bit and traces of a receiver, by adding up edges of all lanes."""
    result = GROUP.run(inputs, Control())
    unit = 1.0 / inputs.rate
    period = prbs(7, 127).astype(int)
    time = np.arange(0.0, 144.0, 1.0 / 64.0) * unit
    volts = np.zeros_like(time)
    for lane in range(len(inputs.lanes)):
        bits = np.take(period, (np.arange(144) + 17 * lane) % 127)
        edge = result.volts[:, victim, lane] * 2.0 * inputs.far
        volts += edge[-1] * bits[0]
        for k in np.flatnonzero(np.diff(bits)):
            step = np.interp(time - k * unit, result.time, edge, left=0.0)
            volts += step * (1 if bits[k + 1] else -1)
    return time, volts


def test_bits_of_linear_lanes_are_sums_of_their_edges(project) -> None:
    byte = set_value(project.design.group("memory-byte"), driver=None, listener=None)
    for lane in range(4, 8):
        byte = edits.remove_lane(byte, f"dq{lane}")
    inputs = waves_inputs(project.design, byte, "dq1", fine=False)
    found = GROUP_BITS.run(inputs, Control())
    time, volts = by_superposition(inputs.group, 1)
    unit = found.unit_interval
    # Where the eye is, by the other way: the best alignment of the same folding.
    kept = np.arange(12, 120)
    best = -np.inf
    bits = np.take(prbs(7, 127).astype(int), (np.arange(144) + 17) % 127)
    for shift in np.arange(0.0, 3.0, 1.0 / 64.0):
        at = np.interp((kept + shift) * unit, time, volts)
        ones = bits[kept + 1].astype(bool)
        best = max(best, float(at[ones].min() - at[~ones].max()))
    assert found.height == pytest.approx(best, rel=0.02)
    assert found.ones.sum() in (62, 63, 64)
    middle = found.traces[:, found.traces.shape[1] // 2]
    assert (middle[found.ones] > found.level).all()
    assert (middle[~found.ones] < found.level).all()
    assert 0.8 * unit < found.width <= unit


def test_crowded_bits_leave_less_than_lone_ones(project) -> None:
    byte = project.design.group("memory-byte")
    crowded = GROUP_BITS.run(waves_inputs(project.design, byte, "dq3", fine=False), Control())
    apart = set_value(byte, pieces=tuple(set_value(p, coupled=False) for p in byte.pieces))
    alone = GROUP_BITS.run(waves_inputs(project.design, apart, "dq3", fine=False), Control())
    assert alone.height > crowded.height + 5e-3
    assert alone.width > crowded.width + 10e-12
    assert crowded.lane == "DQ3"
    fast = set_value(byte, rate=parse_quantity("60 GBd", "data rate"))
    with pytest.raises(InputError, match="longer than four bits") as told:
        GROUP_BITS.run(waves_inputs(project.design, fast, "dq3", fine=False), Control())
    assert "lower rate" in str(told.value)


@pytest.mark.parametrize(
    ("low", "high", "value", "room"),
    [
        (None, 0.1, 0.08, 0.2),
        (None, 0.1, 0.13, -0.3),
        (None, -20.0, -25.0, 0.25),
        (0.5, None, 0.6, 0.2),
        (0.5, None, 0.4, -0.2),
        (0.5, 1.0, 0.9, 0.1),
        (0.5, 1.0, 0.55, 0.1),
        (None, 0.0, -0.3, 0.3),
        (0.0, None, 0.3, 0.3),
        (None, None, 7.0, np.inf),
        (0.5, 1.0, np.nan, -np.inf),
    ],
)
def test_room_is_a_share_of_the_limit_that_is_nearer(
    low: float | None, high: float | None, value: float, room: float
) -> None:
    assert LimitInputs("noise", None, low, high).room(value) == pytest.approx(room)


def test_a_group_with_guards_is_tried_without_them(project) -> None:
    group = project.design.group("converter-lanes")
    trace = project.design.line_class("converter-pairs").trace_on("L3")
    guarded = group
    for piece in ("C1", "C2"):
        guarded = edits.set_guard(guarded, piece, Guard(width=trace.width))
    # Only what lies in the table: what each brings is told by the study.
    inputs = choices_inputs(project.design, guarded)
    words = [words for words, _ in inputs.others]
    assert "no guards" in words
    assert "guards tied every 2 mm" in words
    # Those that are there already are no choice.
    assert "guards tied at the ends" not in words
    assert "no guards" not in [w for w, _ in choices_inputs(project.design, group).others]
    without = next(g for w, g in inputs.others if w == "no guards")
    assert without == choices_inputs(project.design, group).now


@pytest.mark.parametrize("name", ["converter-lanes", "memory-byte"])
def test_every_choice_is_another_group_and_told_in_its_own_words(project, name) -> None:
    group = project.design.group(name)
    found = list(ways_out(project.design, group))
    words = [w for w, _ in found]
    assert len(set(words)) == len(words)
    assert all(other != group for _, other in found)
    # A group that has one of them already is not offered it.
    for taken, other in found:
        assert taken not in [w for w, _ in ways_out(project.design, other)]


def test_on_another_layer_no_plane_is_open_any_more(project) -> None:
    """What was cut under the old layer is another plane, or whole, under the new one."""
    group = group_with(project, open_planes=("L2",))
    made = {words: g for words, g in ways_out(project.design, group) if words.startswith("all on")}
    assert made
    for words, other in made.items():
        assert {p.layer for p in other.pieces} == {words.removeprefix("all on ")}
        assert all(p.open_planes == () for p in other.pieces)


def test_a_plane_is_opened_under_pieces_that_look_at_it_and_no_others(project) -> None:
    """Of two coupled pieces on two layers only one looks at each of four planes."""
    group = project.design.group("converter-lanes")
    places = [p.id for p in group.pieces if p.coupled]
    first, second = places[:2]
    on = {t.layer for t in project.design.line_class(group.line_class).on}
    assert {"L3", "L8"} <= on or {"L3", "L1"} <= on
    other = "L8" if "L8" in on else "L1"
    pieces = tuple(set_value(p, layer=other) if p.id == second else p for p in group.pieces)
    ways = dict(ways_out(project.design, set_value(group, pieces=pieces)))
    opened = {words.removesuffix(" open"): g for words, g in ways.items() if words.endswith("open")}
    for plane, made in opened.items():
        for piece in made.pieces:
            wanted = piece.coupled and plane in _planes_beside(project.design, piece.layer)
            assert piece.open_planes == ((plane,) if wanted else ()), (plane, piece.id)
    cut = {p: {x.id for x in g.pieces if x.open_planes} for p, g in opened.items()}
    assert {first} in cut.values()
    assert {second} in cut.values()


def test_rises_are_looked_for_where_the_lanes_have_their_signal(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """Up to three quarters of the rate: a rise beyond that is nobody's."""
    f = np.linspace(0.0, 40e9, 401)

    def of(noise: float, where: float, level: float) -> Any:
        sums = np.where(np.abs(f - where) < 0.5e8, level, 0.1)
        return SimpleNamespace(
            ids=("a",), power_sum=lambda _: sums, noise=[SimpleNamespace(total=noise)], frequency=f,
        )  # fmt: skip

    answers = {"now": of(1e-3, -1.0, 0.1), "in": of(2e-3, 6e9, 0.4), "beyond": of(5e-4, 12e9, 0.9)}
    monkeypatch.setattr(
        choice_studies, "GROUP", SimpleNamespace(run=lambda group, _: answers[group.name])
    )

    def group(name: str) -> Any:
        return SimpleNamespace(
            name=name, rate=10e9, far=1.0, lanes=[SimpleNamespace(name="A")]
        )  # fmt: skip

    asked: Any = SimpleNamespace(
        now=group("now"), others=(("in", group("in")), ("beyond", group("beyond")))
    )
    found = GROUP_CHOICES.run(asked, Control())
    quiet, loud = found.choices
    assert [c.words for c in found.choices] == ["beyond", "in"]
    assert loud.rise_db[0] == pytest.approx(20 * np.log10(4.0))
    assert loud.rise_at[0] == pytest.approx(6e9, abs=1e8)
    assert quiet.rise_db[0] == pytest.approx(0.0, abs=1e-9)
    assert (quiet.change_db[0], loud.change_db[0]) == pytest.approx(
        (20 * np.log10(0.5), 20 * np.log10(2.0))
    )
