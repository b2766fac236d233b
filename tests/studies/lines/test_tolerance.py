"""Many boards against what is known of them: an impedance that is exact in its causes."""

from __future__ import annotations

import math
from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from onda.errors import NotPhysical
from onda.project.model import Project
from onda.studies.core.study import Control
from onda.studies.lines import fit_all, tolerance
from onda.studies.lines.fit import with_dimension
from onda.studies.lines.fit_all import FIT_ALL, FitAllInputs, fit_all_inputs
from onda.studies.lines.inputs import LineInputs, line_inputs
from onda.studies.lines.solved_line import quick_impedance
from onda.studies.lines.tolerance import TOLERANCE, ToleranceInputs, ToleranceResult
from onda.studies.lines.variations import SpreadInputs

BOARDS = 20_000
LINEAR = {"width": -0.06, "height below": 0.05, "height above": 0.04, "Dk": -0.03, "copper": -0.02}
"""By how much of itself a spread moves the impedance of `made_up`."""
TEXTS = ("12 um", "8 %", "5 %", "2 um", "3 um")


@pytest.fixture
def spread(project: Project) -> SpreadInputs:
    line = line_inputs(project.design, project.design.line_class("memory"), "L3")
    return SpreadInputs(line, 12e-6, 0.08, 0.05, 2e-6, 3e-6, 0.0, 0.0, TEXTS)


@pytest.fixture
def made_up(monkeypatch: pytest.MonkeyPatch, spread: SpreadInputs) -> None:
    """50 ohm times e to a sum of the causes, each a share of its spread."""
    start = spread.line

    def impedance(line: LineInputs) -> float:
        x = {
            "width": (line.trace.width - start.trace.width) / 12e-6,
            "height below": (line.below[0].thickness / start.below[0].thickness - 1.0) / 0.08,
            "height above": (line.above[0].thickness / start.above[0].thickness - 1.0) / 0.08,
            "Dk": (line.materials[0].points[0][1] / start.materials[0].points[0][1] - 1.0) / 0.05,
            "copper": (line.trace.thickness - start.trace.thickness) / 2e-6,
        }
        return 50.0 * math.exp(sum(LINEAR[k] * v for k, v in x.items()))

    monkeypatch.setattr(tolerance, "quick_impedance", impedance)


def run(spread: SpreadInputs, **changes: float) -> ToleranceResult:
    return TOLERANCE.run(ToleranceInputs(spread, BOARDS, **changes), Control())


def share(*names: str) -> float:
    """Deviation of the logarithm by some causes that come by themselves: three are the spread."""
    return math.sqrt(sum(LINEAR[n] ** 2 for n in names or LINEAR)) / 3.0


def test_boards_spread_as_their_causes_do(made_up: None, spread: SpreadInputs) -> None:
    found = run(spread)
    logs = np.log(found.z / 50.0)
    assert logs.mean() == pytest.approx(0.0, abs=3.0 * share() / math.sqrt(BOARDS))
    assert logs.std() == pytest.approx(share(), rel=0.02)
    assert found.mean == pytest.approx(found.z.mean())
    assert found.sigma == pytest.approx(math.sqrt(np.mean((found.z - found.z.mean()) ** 2)))
    # The surface of second order has no room for error here; 8 boards and all of its points.
    assert found.surface_error < 1e-4
    assert found.solved == 1 + 2 * 5 + 10 + 8
    assert math.isnan(found.inside)


def test_causes_are_told_by_their_share_the_strongest_first(
    made_up: None, spread: SpreadInputs
) -> None:
    found = run(spread)
    assert [c.name for c in found.causes] == [
        "width", "height below", "height above", "Dk", "copper",
    ]  # fmt: skip
    total = sum(v**2 for v in LINEAR.values())
    for cause in found.causes:
        assert cause.share == pytest.approx(LINEAR[cause.name] ** 2 / total, rel=0.04)
    assert [c.spread for c in found.causes] == ["12 um", "8 %", "8 %", "5 %", "2 um"]


@pytest.mark.parametrize("together", [0.6, -0.6])
def test_what_comes_together_adds_as_it_is_and_not_squared(
    made_up: None, spread: SpreadInputs, together: float
) -> None:
    up, down = LINEAR["height below"], LINEAR["height above"]
    heights = run(replace(spread, heights_together=together))
    expected = math.sqrt(share() ** 2 + 2.0 * together * up * down / 9.0)
    assert np.log(heights.z).std() == pytest.approx(expected, rel=0.02)
    # Thicker copper comes with narrower traces.
    wide, thick = LINEAR["width"], LINEAR["copper"]
    opposed = run(replace(spread, copper_with_width=together))
    expected = math.sqrt(share() ** 2 - 2.0 * together * wide * thick / 9.0)
    assert np.log(opposed.z).std() == pytest.approx(expected, rel=0.02)


@pytest.mark.parametrize(
    ("low", "high"), [(49.0, math.nan), (math.nan, 51.0), (49.0, 51.5), (50.0, 50.5)]
)
def test_boards_within_limits_are_counted(
    made_up: None, spread: SpreadInputs, low: float, high: float
) -> None:
    def below(ohm: float) -> float:
        return 0.5 * math.erfc(-math.log(ohm / 50.0) / share() / math.sqrt(2.0))

    found = run(spread, low=low, high=high)
    least = 0.0 if math.isnan(low) else below(low)
    most = 1.0 if math.isnan(high) else below(high)
    assert found.inside == pytest.approx(most - least, abs=0.01)


def test_a_board_at_a_limit_is_within_it(made_up: None, spread: SpreadInputs) -> None:
    ordered = np.sort(run(spread).z)
    at = float(ordered[100])
    assert run(spread, low=at).inside == (BOARDS - 100) / BOARDS
    assert run(spread, high=at).inside == 101 / BOARDS
    assert run(spread, low=at, high=at).inside == 1 / BOARDS


def test_other_boards_from_another_seed(made_up: None, spread: SpreadInputs) -> None:
    first, second = run(spread, seed=1), run(spread, seed=2)
    assert np.array_equal(first.z, run(spread, seed=1).z)
    assert not np.array_equal(first.z, second.z)


def test_the_error_of_the_surface_is_that_against_boards_solved(
    monkeypatch: pytest.MonkeyPatch, spread: SpreadInputs
) -> None:
    """An impedance that a surface of second order cannot follow: a step at a wide trace."""
    wide = spread.line.trace.width + 2e-6

    def stepped(line: LineInputs) -> float:
        return 45.0 if line.trace.width > wide else 50.0

    monkeypatch.setattr(tolerance, "quick_impedance", stepped)
    found = run(spread)
    off = [abs(t / z - 1.0) for z in found.z[:8] for t in (45.0, 50.0)]
    nearest = max(min(a, b) for a, b in zip(off[::2], off[1::2], strict=True))
    assert nearest <= found.surface_error <= max(off)


@pytest.mark.parametrize("boards", [9, 1_000_001])
def test_counts_of_boards_that_make_no_sense(spread: SpreadInputs, boards: int) -> None:
    with pytest.raises(NotPhysical, match="boards"):
        TOLERANCE.run(ToleranceInputs(spread, boards), Control())


def test_ten_boards_are_enough(made_up: None, spread: SpreadInputs) -> None:
    assert len(TOLERANCE.run(ToleranceInputs(spread, 10), Control()).z) == 10


# -- widths of all classes -------------------------------------------------------------


def test_what_is_reached_is_that_of_the_width_that_is_told(project: Project) -> None:
    wanted = tuple(
        w for w in fit_all_inputs(project.design).wanted
        if (w.line_class, w.layer) in {("converter-pairs", "L1"), ("memory", "L3")}
    )  # fmt: skip
    assert len(wanted) == 2
    for one, found in zip(wanted, FIT_ALL.run(FitAllInputs(wanted), Control()).fitted, strict=True):
        assert (found.line_class, found.layer) == (one.line_class, one.layer)
        micro = found.width / 1e-6
        assert micro == pytest.approx(round(micro), abs=1e-6)
        line = with_dimension(one.line, "width", found.width)
        if found.gap is not None:
            line = with_dimension(line, "gap", found.gap)
        assert found.reached == pytest.approx(quick_impedance(line), rel=1e-9)
        # No other width of whole micrometres comes nearer.
        off = [
            abs(quick_impedance(with_dimension(line, "width", found.width + k * 1e-6)) - one.target)
            for k in (-1, 0, 1)
        ]
        assert off[1] == min(off)


def test_the_cheapest_that_fits_is_taken(monkeypatch: pytest.MonkeyPatch, project: Project) -> None:
    """Steps of the price in turn, none finer than can be etched; a gap only grows."""
    (first, *_) = (w for w in fit_all_inputs(project.design).wanted if w.line.trace.gap)
    tried: list[tuple[float, float | None]] = []
    fits_below = 90e-6

    def fit(_: object, least: float, gap: float | None) -> tuple[float, float]:
        tried.append((least, gap))
        if least > fits_below:
            raise NotPhysical("width", least, f"at most {fits_below}")
        return 1.2e-4, 99.0

    monkeypatch.setattr(fit_all, "_fit", fit)
    gap = first.line.trace.gap
    assert gap is not None
    steps = ((150e-6, gap + 50e-6), (100e-6, gap + 20e-6), (60e-6, gap - 30e-6), (0.0, 0.0))
    one = replace(first, least_width=75e-6, least_gap=gap + 5e-6, steps=steps)
    (found,) = FIT_ALL.run(FitAllInputs((one,)), Control()).fitted
    assert tried == [(150e-6, gap + 50e-6), (100e-6, gap + 20e-6), (75e-6, gap + 5e-6)]
    assert (found.width, found.gap, found.reached, found.problem) == (
        1.2e-4, gap + 5e-6, 99.0, "",
    )  # fmt: skip
    tried.clear()
    wide = replace(one, least_width=95e-6, least_gap=gap - 9e-6)
    (found,) = FIT_ALL.run(FitAllInputs((wide,)), Control()).fitted
    # The last is what can be etched at all, whatever it costs.
    assert tried[-1] == (95e-6, gap)
    assert (found.width, found.gap) == (first.line.trace.width, gap)
    assert math.isnan(found.reached)
    assert "9.5e-05" in found.problem or "at most" in found.problem
    single = replace(one, line=replace(first.line, trace=replace(first.line.trace, gap=None)))
    tried.clear()
    FIT_ALL.run(FitAllInputs((single,)), Control())
    assert {g for _, g in tried} == {None}


def test_the_distance_of_a_pair_over_one_another_is_a_height_too(spread: SpreadInputs) -> None:
    causes: Any = [
        SimpleNamespace(name=n)
        for n in ("width", "height below", "height above", "between", "Dk", "copper")
    ]
    found = tolerance._correlation(
        replace(spread, heights_together=0.6, copper_with_width=0.3), causes
    )
    together = [(1, 2), (1, 3), (2, 3)]
    assert [found[i, j] for i, j in together] == [0.6, 0.6, 0.6]
    assert (found[0, 5], found[5, 0]) == (-0.3, -0.3)
    others = found - np.diag(np.diag(found))
    for i, j in (*together, (0, 5)):
        others[i, j] = others[j, i] = 0.0
    assert not others.any()


def test_what_a_cause_does_to_both_sides_alike_counts_in_its_share() -> None:
    """One is straight, the other one only bent: z falls wherever it goes."""
    x = np.random.default_rng(3).standard_normal((40_000, 2))
    causes: Any = [SimpleNamespace(name=n, spread=n) for n in ("bent", "straight")]
    found = tolerance._ranked(causes, np.array([4.0, 0.0, 0.02, -0.02, 0.0, 0.0]), x)
    # The square of a normal number has twice the variance of the number itself.
    assert {c.name: c.share for c in found} == {
        "bent": pytest.approx(2 / 3, abs=0.02), "straight": pytest.approx(1 / 3, abs=0.02),
    }  # fmt: skip
    assert [c.name for c in found] == ["bent", "straight"]


def test_limits_and_steps_of_a_fit_are_those_of_the_fabricator(project: Project) -> None:
    """The cheapest step first, width and gap each in its place, of the copper that is etched."""
    made = project.design.stackup.fabrication
    for one in fit_all_inputs(project.design).wanted:
        copper = project.design.stackup.place(one.layer).copper
        limit = made.limit_for(copper.thickness.si)
        assert limit is not None
        assert (one.least_width, one.least_gap) == (limit.width.si, limit.gap.si)
        cheapest = sorted(made.steps, key=lambda s: s.factor)
        assert one.steps == tuple((s.width.si, s.gap.si) for s in cheapest)
    assert len({s.factor for s in made.steps}) > 1
    assert any(x.least_width != x.least_gap for x in fit_all_inputs(project.design).wanted)


def test_no_width_is_tried_whose_top_would_be_etched_away(
    monkeypatch: pytest.MonkeyPatch, project: Project
) -> None:
    (first, *_) = fit_all_inputs(project.design).wanted
    asked: list[Any] = []

    def run(inputs: Any, _: object) -> Any:
        asked.append(inputs)
        return SimpleNamespace(values=(1.234567e-4,))

    monkeypatch.setattr(fit_all, "FIT", SimpleNamespace(run=run))
    trace = replace(first.line.trace, undercut=40e-6)
    one = replace(first, line=replace(first.line, trace=trace))
    width, _ = fit_all._fit(one, 50e-6, None)
    assert width == pytest.approx(123e-6)
    (bounds,) = asked[0].unknowns
    assert (bounds.name, bounds.low, bounds.high) == ("width", pytest.approx(82e-6), 5e-3)
    fit_all._fit(one, 95e-6, None)
    assert asked[1].unknowns[0].low == pytest.approx(95e-6)
