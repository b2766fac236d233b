"""What Coupling's plots are drawn of, against results made up by hand."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.app.kit.kept import Kept
from onda.app.plots.curves import Axis
from onda.app.stages.coupling.plot_table import PLOTS
from onda.app.stages.coupling.plots import Seen, Shown
from onda.app.theme import DAY
from onda.project.base import set_value
from onda.project.model import Project
from onda.project.quantities import parse_quantity as q
from onda.studies.core.runner import StudyRunner
from onda.studies.coupling.bits import GroupBits
from onda.studies.coupling.eye import EyeSide, GroupEye, HeardChance
from onda.studies.coupling.group import GROUP, GroupResult
from onda.studies.coupling.inputs import group_inputs
from onda.studies.coupling.search import GroupSearch
from onda.studies.coupling.split import GroupSplit, Split
from onda.studies.coupling.waves import GroupWaves, Wave

VICTIM = 2


@pytest.fixture
def seen(project: Project, runner: StudyRunner) -> Seen:
    """The middle of the converter's lanes; swings unlike at both ends."""
    group = set_value(
        project.design.group("converter-lanes"),
        near=q("0.8 V", "voltage"),
        far=q("0.5 V", "voltage"),
    )
    result = runner.result(GROUP, group_inputs(project.design, group))
    return Seen(group, result, VICTIM, (), {}, "", False, DAY)


def lines(shown: Shown) -> dict[str, tuple[np.ndarray, np.ndarray]]:
    return {c.name: (c.x, c.y) for c in shown.curves}


def doubled(result: GroupResult) -> GroupResult:
    """Twice as loud, lanes the other way about."""
    turn = slice(None, None, -1)
    return replace(
        result,
        ids=result.ids[turn],
        lanes=result.lanes[turn],
        near=result.near[turn, turn],
        heard=2.0 * result.heard[:, turn, turn],
        volts=2.0 * result.volts[:, turn, turn],
        noise=tuple(replace(n, total=2.0 * n.total) for n in result.noise[turn]),
    )


def with_kept(seen: Seen) -> Seen:
    lost = replace(seen.result, ids=tuple(f"x{k}" for k in range(len(seen.result.ids))))
    states = (Kept(1, "State 1", doubled(seen.result)), Kept(2, "State 2", lost))
    return replace(seen, kept=states)


def test_pulses_are_at_the_swing_of_their_end_and_add_up(seen: Seen) -> None:
    out = PLOTS["pulses"].show(with_kept(seen))
    r, found = seen.result, lines(out)
    others = [a for a in range(len(r.ids)) if a != VICTIM]
    mv = {a: 1e3 * (1.6 if r.near[VICTIM, a] else 1.0) * r.volts[:, VICTIM, a] for a in others}
    loudest = max(others, key=lambda a: r.noise[VICTIM].by_lane[a])
    end = "near" if r.near[VICTIM, loudest] else "far"
    x, y = found[f"{r.lanes[loudest]}, {end}"]
    assert x == pytest.approx(1e9 * r.time)
    assert y == pytest.approx(mv[loudest])
    total = found["all together"][1]
    assert total == pytest.approx(sum(mv.values()))
    # Only that state has the lane, under another number; it is drawn as the first one.
    assert "State 2" not in found
    kept = next(c for c in out.curves if c.name == "State 1")
    assert kept.kept == 1
    assert kept.y == pytest.approx(2.0 * total)
    assert out.view is not None
    size = max(float(np.abs(c.y).max()) for c in out.curves)
    assert out.view[3] == pytest.approx(1.15 * size) == -out.view[2]
    assert out.view[0] < 0.0 < 1e9 * r.delay < out.view[1]


def test_spectra_have_the_four_loudest_the_sum_and_common_modes(seen: Seen) -> None:
    r = seen.result
    common = replace(r, common=0.5 * r.heard)
    out = PLOTS["spectra"].show(replace(seen, result=common, common=True))
    found = lines(out)
    order = sorted((a for a in range(len(r.ids)) if a != VICTIM),
                   key=lambda a: -r.noise[VICTIM].by_lane[a])  # fmt: skip
    names = [f"{r.lanes[a]}, {'near' if r.near[VICTIM, a] else 'far'}" for a in order[:4]]
    assert list(found) == [
        "through", *names, "power sum", "common mode, own", f"common mode, {r.lanes[order[0]]}",
    ]  # fmt: skip
    own = 20.0 * np.log10(np.abs(r.heard[1:, VICTIM, VICTIM]))
    assert found["through"][1] == pytest.approx(own)
    assert found["through"][0] == pytest.approx(r.frequency[1:] / 1e9)
    assert found["common mode, own"][1] == pytest.approx(own - 6.0206, abs=1e-3)
    power = sum(np.abs(r.heard[1:, VICTIM, a]) ** 2 for a in order)
    assert found["power sum"][1] == pytest.approx(10.0 * np.log10(power))
    assert not any(n.startswith("common") for n in lines(PLOTS["spectra"].show(seen)))
    kept = lines(PLOTS["spectra"].show(with_kept(seen)))
    assert kept["State 1"][1] == pytest.approx(found["power sum"][1] + 6.0206, abs=1e-3)


def test_noise_over_loss_tells_who_is_outside(seen: Seen) -> None:
    r = seen.result
    noisy = replace(r, allowed=np.array([1.0 if k != VICTIM else 1e-9 for k in range(len(r.ids))]))
    group = set_value(seen.group, allowed=())
    out = PLOTS["noise"].show(replace(with_kept(seen), result=noisy, group=group))
    marks = {(round(x, 9), round(y, 9)): color for x, y, color in out.marks}
    for k, one in enumerate(r.noise):
        color = DAY.fails if k == VICTIM else DAY.sea
        assert marks[round(one.loss_db, 9), round(1e3 * one.total, 9)] == color
        assert marks[round(one.loss_db, 9), round(2e3 * one.total, 9)] == DAY.kept
    (line,) = out.curves
    own = r.noise[VICTIM]
    assert (line.name, line.color) == (r.lanes[VICTIM], DAY.fails)
    assert line.x.tolist() == [own.loss_db, own.loss_db]
    assert line.y == pytest.approx([0.0, 1e3 * own.total])
    assert out.view is not None
    highest = max(max(n.total for n in k.result.noise) for k in with_kept(seen).kept)
    assert out.view[2:] == pytest.approx((0.0, 1.15e3 * highest))


def test_arrivals_go_up_for_late_and_say_so(seen: Seen) -> None:
    r = seen.result
    one = replace(
        r.arrivals[VICTIM], quiet=1e-9, earliest=0.98e-9, latest=1.03e-9, along=0.98e-9,
        against=1.03e-9,
    )  # fmt: skip
    arrivals = tuple(one if k == VICTIM else a for k, a in enumerate(r.arrivals))
    out = PLOTS["arrival"].show(replace(seen, result=replace(r, arrivals=arrivals)))
    bar = out.bars[VICTIM]
    assert bar.x.tolist() == [VICTIM + 1.0]
    assert (float(bar.base), float(bar.y[0])) == pytest.approx((-20.0, 30.0))
    found = lines(out)
    assert found["all along"][1][VICTIM] == pytest.approx(-20.0)
    assert found["all against"][1][VICTIM] == pytest.approx(30.0)
    assert len(out.marks) == 2 * len(r.ids)
    words = PLOTS["arrival"].words(replace(seen, result=replace(r, arrivals=arrivals)))
    assert words == (
        f"{r.lanes[VICTIM]} arrives 20.0 ps early when its neighbours switch along, 30.0 ps late "
        "when they switch against it."
    )
    still = tuple(
        replace(a, quiet=1e-9, earliest=1e-9, latest=1e-9, along=1e-9, against=1e-9)
        for a in r.arrivals
    )
    alone = replace(seen, result=replace(r, arrivals=still))
    assert "No lane has a neighbour" in PLOTS["arrival"].show(alone).empty
    assert "nothing moves its edge" in PLOTS["arrival"].words(alone)


def test_the_loudest_is_named_with_its_share_of_the_power(seen: Seen) -> None:
    r = seen.result
    by_lane = [0.0] * len(r.ids)
    by_lane[0], by_lane[1] = 3e-3, 4e-3
    noise = replace(r.noise[VICTIM], by_lane=tuple(by_lane), total=5e-3)

    def words(noise, allowed: float) -> str:
        some = tuple(noise if k == VICTIM else n for k, n in enumerate(r.noise))
        limits = np.full(len(r.ids), allowed)
        return PLOTS["spectra"].words(replace(seen, result=replace(r, noise=some, allowed=limits)))

    end = "near" if r.near[VICTIM, 1] else "far"
    name = r.lanes[VICTIM]
    told = f"{name} hears 5.00 mV of noise, 64 % of its power from {r.lanes[1]} at the {end} end"
    assert words(noise, math.nan) == f"{told}."
    assert words(noise, 7e-3) == f"{told}; 7.00 mV are allowed at its loss."
    quiet = replace(noise, by_lane=(0.0,) * len(r.ids), total=0.0)
    assert words(quiet, math.nan) == f"{name} hears nobody."


def side(height: float, upper: list[float], lower: list[float]) -> EyeSide:
    return EyeSide(np.array(upper), np.array(lower), height, 0.6e-9)


def chance(most: float, effective: float = 2e-3) -> HeardChance:
    return HeardChance(np.array([0.0, most]), np.array([0.0, -15.0]), effective, 0.7 * most, most)


@pytest.fixture
def eye() -> GroupEye:
    return GroupEye(
        "D3", 1e-12, 1e-9, np.array([-0.5e-9, 0.0, 0.25e-9, 0.5e-9]),
        side(0.2, [-0.01, 0.10, 0.05, -0.02], [0.01, -0.10, -0.06, 0.02]),
        side(0.3, [0.0, 0.15, 0.08, 0.0], [0.0, -0.15, -0.09, 0.0]),
        chance(30e-3), chance(10e-3), chance(20e-3),
    )  # fmt: skip


def test_contours_are_closed_around_what_stays_open(seen: Seen, eye: GroupEye) -> None:
    assert "Computing" in PLOTS["eye"].show(seen).empty
    assert PLOTS["eye"].show(replace(seen, why_not="too fast")).empty == "too fast"
    out = PLOTS["eye"].show(replace(seen, more={"eye": eye}))
    found = lines(out)
    x, y = found["with crosstalk"]
    assert x == pytest.approx([0.0, 0.25, 0.25, 0.0, 0.0])
    assert y == pytest.approx([100.0, 50.0, -60.0, -100.0, 100.0])
    assert found["alone"][1][:2] == pytest.approx([150.0, 80.0])
    assert out.view == pytest.approx((-0.5, 0.5, -195.0, 195.0))
    words = PLOTS["eye"].words(replace(seen, more={"eye": eye}))
    assert words == (
        "At an error rate of 1e−12 the eye of D3 is 0.200 V by 0.60 UI; without its neighbours "
        "0.300 V by 0.60 UI."
    )
    shut = replace(eye, crowded=replace(eye.crowded, height=0.0))
    assert "is closed by its neighbours" in PLOTS["eye"].words(replace(seen, more={"eye": shut}))


def test_chances_have_both_ends_and_their_sum(seen: Seen, eye: GroupEye) -> None:
    assert PLOTS["chance"].needs == "eye"
    out = PLOTS["chance"].show(replace(seen, more={"eye": eye}))
    found = lines(out)
    assert list(found) == [
        "near end", "far end", "all", "effective, 2.00 mV", "worst alignment, 30.0 mV",
    ]  # fmt: skip
    assert [found[n][0][-1] for n in ("near end", "far end", "all")] == pytest.approx([10, 20, 30])
    assert found["worst alignment, 30.0 mV"][0] == pytest.approx([30.0, 30.0])
    assert out.marks == [(pytest.approx(21.0), -12.0, DAY.sea)]
    assert out.view == pytest.approx((0.0, 32.4, -16.0, 0.5))
    # Where one end alone is heard it is all that is.
    one = replace(eye, heard_near=chance(0.0), heard=eye.heard_far)
    assert next(iter(lines(PLOTS["chance"].show(replace(seen, more={"eye": one}))))) == "far end"
    none = replace(eye, heard_near=chance(0.0), heard_far=chance(0.0), heard=chance(0.0))
    out = PLOTS["chance"].show(replace(seen, more={"eye": none}))
    assert (out.curves, out.empty) == ([], "D3 hears nothing of its neighbours.")
    assert PLOTS["chance"].words(replace(seen, more={"eye": eye})) == (
        "While all send at random, D3 hears 2.00 mV rms; 21.0 mV once in 1e12 bits, and 30.0 mV "
        "only if every bit and phase meets."
    )


def test_waves_are_named_by_what_their_neighbours_do(seen: Seen) -> None:
    time = np.array([0.0, 1e-9, 2e-9])
    cases = {"quiet": 1.0e-9, "along": 0.9e-9, "against": 1.2e-9, "listens": math.nan}
    waves = tuple(
        Wave(case, np.array([0.0, 0.1 * k, 1.0 - 0.1 * k]), at, 0.04)
        for k, (case, at) in enumerate(cases.items())
    )
    found = GroupWaves("D3", time, 0.5, 0.0, 1.0, waves)
    out = lines(PLOTS["waves"].show(replace(seen, more={"waves": found})))
    names = ["neighbours quiet", "all along", "all against", "at rest, others switch"]
    assert list(out) == [*names, "arrived"]
    for k, name in enumerate(names):
        assert out[name][0] == pytest.approx([0.0, 1.0, 2.0])
        assert out[name][1] == pytest.approx([0.0, 0.1 * k, 1.0 - 0.1 * k])
    assert out["arrived"] == (pytest.approx([0.0, 2.0]), pytest.approx([0.5, 0.5]))
    assert PLOTS["waves"].words(replace(seen, more={"waves": found})) == (
        "With devices D3 arrives after 1.00 ns, 100 ps early when its neighbours switch along, "
        "200 ps late when against; at rest it hears 40.0 mV."
    )
    assert PLOTS["waves"].words(seen) == ""


def test_bits_are_folded_around_their_middle(seen: Seen) -> None:
    traces = np.array([[0.1, 0.9, 0.2], [0.8, 0.1, 0.3], [0.2, 0.7, 0.4]])
    bits = GroupBits(
        "D3", 1e-9, np.array([0.0, 0.5e-9, 1e-9]), traces, np.array([True, False, True]), 0.45,
        np.array([0.1, 0.7, 0.2]), np.array([0.8, 0.1, 0.3]), 0.6, 0.4e-9,
    )  # fmt: skip
    out = lines(PLOTS["bits"].show(replace(seen, more={"bits": bits})))
    x, y = out["ones"]
    assert x == pytest.approx([-0.5, 0.0, 0.5, math.nan] * 2, nan_ok=True)
    assert y == pytest.approx([0.1, 0.9, 0.2, math.nan, 0.2, 0.7, 0.4, math.nan], nan_ok=True)
    assert out["zeros"][1][:3] == pytest.approx([0.8, 0.1, 0.3])
    # Only where ones and zeros stay apart.
    assert out["lowest one"] == (pytest.approx([0.0]), pytest.approx([0.7]))
    assert out["highest zero"] == (pytest.approx([0.0]), pytest.approx([0.1]))
    assert out["level"] == (pytest.approx([-0.5, 0.5]), pytest.approx([0.45, 0.45]))
    words = PLOTS["bits"].words(replace(seen, more={"bits": bits}))
    assert words.endswith("at D3 ones and zeros stay 0.600 V apart, 0.40 UI at 0.45 V.")
    shut = replace(bits, height=0.0)
    assert "do not stay apart" in PLOTS["bits"].words(replace(seen, more={"bits": shut}))


def searched(what: str, margins: list[float], found: float) -> GroupSearch:
    tried = np.array([1e-4, 2e-4, 4e-4, 8e-4])
    return GroupSearch(what, tried, np.array(margins), found, "noise", "None holds.")


def test_a_search_is_drawn_over_what_was_searched(seen: Seen) -> None:
    found = searched("spacing", [-0.5, -0.1, 0.1, 0.3], 3e-4)
    out = PLOTS["search"].show(replace(seen, more={"search": found}))
    curves = lines(out)
    assert curves["worst margin"][0] == pytest.approx([100, 200, 400, 800])
    assert curves["worst margin"][1] == pytest.approx([-50, -10, 10, 30])
    assert curves["holds above"] == (pytest.approx([100, 800]), pytest.approx([0, 0]))
    assert out.marks == [(pytest.approx(300.0), pytest.approx(0.0, abs=1e-9), DAY.sea)]
    assert out.view == pytest.approx((0.0, 800.0, -50.0, 50.0))
    assert out.x is not None
    assert (out.x.name, out.x.unit) == ("Distance", "µm")
    found = searched("length", [0.4, -math.inf, 0.1, -3.0], math.nan)
    out = PLOTS["search"].show(replace(seen, more={"search": found}))
    assert out.x is not None
    assert (out.x.name, out.x.unit) == ("Side by side", "mm")
    assert lines(out)["worst margin"][0] == pytest.approx([0.1, 0.4, 0.8])
    # What is far out of reach does not flatten the rest.
    assert out.view == pytest.approx((0.0, 0.8, -120.0, 110.0))
    assert out.marks == []
    lost = searched("length", [-math.inf] * 4, math.nan)
    assert PLOTS["search"].show(replace(seen, more={"search": lost})).empty == "None holds."
    assert PLOTS["search"].words(replace(seen, more={"search": lost})) == "None holds."


@pytest.mark.usefixtures("in_inches")
def test_what_was_searched_is_drawn_in_the_units_chosen(seen: Seen) -> None:
    def shown(found: GroupSearch | GroupSplit) -> Shown:
        return PLOTS["search"].show(replace(seen, more={"search": found}))

    out = shown(searched("spacing", [-0.5, -0.1, 0.1, 0.3], 3e-4))
    assert out.x == Axis("Distance", "mil")
    assert lines(out)["worst margin"][0] == pytest.approx([3.937, 7.874, 15.748, 31.496], rel=1e-4)
    assert out.marks[0][0] == pytest.approx(11.811, rel=1e-4)
    out = shown(searched("length", [-0.5, -0.1, 0.1, 0.3], 2.54e-4))
    assert out.x == Axis("Side by side", "in")
    assert out.marks[0][0] == pytest.approx(0.01)
    now = Split(80e-6, 0.0, 120e-6, 50.0, -0.2, "noise")
    best = Split(60e-6, 0.0, 140e-6, 50.0, 0.15, "noise")
    out = shown(GroupSplit(1e-3, (best, now), best, now, "Better so."))
    assert out.x == Axis("Width of a line", "mil")
    assert lines(out)["worst margin"][0] == pytest.approx([2.3622, 3.1496], rel=1e-4)
    assert [m[0] for m in out.marks] == pytest.approx([3.1496, 2.3622], rel=1e-4)


def test_splits_are_drawn_over_the_width_of_a_line(seen: Seen) -> None:
    now = Split(80e-6, 0.0, 120e-6, 50.0, -0.2, "noise")
    best = Split(60e-6, 0.0, 140e-6, 50.0, 0.15, "noise")
    lost = Split(40e-6, 0.0, 160e-6, 50.0, -math.inf, "noise")
    found = GroupSplit(1e-3, (lost, best, now), best, now, "Better so.")
    out = PLOTS["search"].show(replace(seen, more={"search": found}))
    assert lines(out)["worst margin"] == (pytest.approx([60, 80]), pytest.approx([15, -20]))
    assert out.marks == [
        (pytest.approx(80.0), pytest.approx(-20.0), DAY.secondary),
        (pytest.approx(60.0), pytest.approx(15.0), DAY.sea),
    ]
    assert lines(out)["holds above"][0] == pytest.approx([57.0, 84.0])
    none = GroupSplit(1e-3, (lost,), lost, lost, "None of them.")
    assert PLOTS["search"].show(replace(seen, more={"search": none})).empty == "None of them."
