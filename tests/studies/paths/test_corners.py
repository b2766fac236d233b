"""A sweep held against what is required, made up by hand: corners, receivers, two values."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.engine.circuits.receiver_measures import OTHER_END
from onda.project.model import Project
from onda.project.requirements import Requirement
from onda.studies.core.study import Control
from onda.studies.paths.corners import Found, search
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.judge import measure_at, measure_path, worst_of_path
from onda.studies.paths.path import PATH, PathResult
from onda.studies.paths.sweep import COLUMNS, SweepResult

NAN = math.nan


def required(measure: str, receiver: str | None = None, **limits: str) -> Requirement:
    return Requirement.model_validate(
        {"id": "x", "kind": "path", "subject": "clk-two", "measure": measure, "receiver": receiver}
        | limits
    )


def made(**measures: object) -> SweepResult:
    """Two receivers A and B, two corners, as many values (0, 10, 20...) as there are numbers."""
    tables = {k: np.asarray(v, dtype=float) for k, v in measures.items()}
    shape = next(iter(tables.values())).shape
    whole = np.full((2, len(COLUMNS), 2, *shape[2:]), NAN)
    for key, table in tables.items():
        whole[:, COLUMNS.index(key)] = table
        # All edges are alike but where the other end is said.
        other = OTHER_END.get(key, key)
        if other in COLUMNS and other not in tables:
            whole[:, COLUMNS.index(other)] = table
    return SweepResult(
        values=10.0 * np.arange(shape[2]), values_2=np.arange(float(shape[3])),
        names=("typ", "slow"), receivers=("A", "B"), receiver_names=("U1", "U2"),
        by_receiver=whole, time=np.zeros(1), waves=np.zeros((2, 2, shape[2], 1), np.float32),
    )  # fmt: skip


def column(a: list[float], b: list[float]) -> np.ndarray:
    """(receiver, corner, value, 1): the slow corner is a hundredth more than the typical one."""
    both = np.array([a, b])[:, None, :, None]
    return np.concatenate([both, both + 0.01], axis=1)


def found_of(sweep: SweepResult, *wanted: Requirement) -> Found:
    found = search(sweep, wanted)
    assert found is not None
    return found


def test_the_worst_of_corners_and_receivers_counts() -> None:
    sweep = made(overshoot=column([0.30, 0.10, 0.24], [0.20, 0.15, 0.40]))
    found = found_of(sweep, required("overshoot", at_most="0.2 V"))
    assert found.margin[:, 0] == pytest.approx([-0.55, 0.2, -1.05])
    assert (found.best, found.limiting, found.receiver) == ((1, 0), "overshoot", "B")
    # Of one receiver, when it is asked for.
    at_a = found_of(sweep, required("overshoot", "A", at_most="0.2 V"))
    assert at_a.margin[:, 0] == pytest.approx([-0.55, 0.45, -0.25])
    assert at_a.receiver == "A"


def test_a_lower_limit_asks_for_another_receiver_than_an_upper_one() -> None:
    """A hold time: what comes first is the worst, though of a delay more is worse."""
    sweep = made(delay=0.1 * column([1.0, 2.0], [3.0, 1.5]))
    found = found_of(sweep, required("delay", at_least="0.12 s"))
    assert found.margin[:, 0] == pytest.approx([-0.2 / 1.2, 0.3 / 1.2])
    assert found.receiver == "B"
    both = found_of(sweep, required("delay", at_least="0.12 s", at_most="0.28 s"))
    # Half the room between both is 0.08 s.
    assert both.margin[:, 0] == pytest.approx([-0.21 / 0.8, 0.3 / 0.8])
    late = found_of(sweep, required("delay", at_most="0.28 s"))
    assert late.margin[:, 0] == pytest.approx([-0.21 / 2.8, 0.79 / 2.8])
    assert late.receiver == "A"


def test_a_sweep_is_held_at_both_ends_of_its_edges() -> None:
    """A fall of 0.2 s beside a rise of 0.5 s at each receiver: too fast and too slow."""
    slow, fast = column([0.5, 0.5], [0.4, 0.6]), column([0.2, 0.3], [0.3, 0.25])
    sweep = made(edge_time=slow, least_edge_time=fast)
    least = found_of(sweep, required("edge_time", at_least="0.25 s"))
    assert least.margin[:, 0] == pytest.approx([-0.2, 0.0])
    assert least.receiver == "B"
    most = found_of(sweep, required("edge_time", at_most="0.55 s"))
    assert most.margin[:, 0] == pytest.approx([0.04 / 0.55, -0.06 / 0.55])
    assert most.receiver == "A"


def test_several_requirements_and_the_one_that_limits() -> None:
    sweep = made(
        overshoot=column([0.05, 0.10], [0.05, 0.08]), settling=0.1 * column([5.0, 2.0], [4.0, 3.0])
    )
    wanted = (required("overshoot", at_most="0.2 V"), required("settling", at_most="0.4 s"))
    found = found_of(sweep, *wanted)
    assert found.requirements == wanted
    assert found.parts[:, :, 0] == pytest.approx(np.array([[0.7, 0.45], [-0.2525, 0.2475]]))
    assert found.margin[:, 0] == pytest.approx([-0.2525, 0.2475])
    assert (found.best, found.limiting, found.receiver) == ((1, 0), "settling", "B")
    # What is not swept, or is of a receiver that is not there, is left out.
    others = (required("duty", at_most="60 %"), required("overshoot", "C", at_most="1 V"))
    assert search(sweep, others) is None
    assert found_of(sweep, *others, wanted[0]).requirements == (wanted[0],)


def test_what_cannot_be_measured_is_never_the_best() -> None:
    sweep = made(settling=0.1 * column([NAN, 3.0, 1.0], [1.0, 2.0, NAN]))
    found = found_of(sweep, required("settling", at_most="0.2 s"))
    assert found.best == (1, 0)
    assert found.margin[0, 0] == found.margin[2, 0] == -math.inf
    assert found.holds is None


def test_second_values_have_their_own_range() -> None:
    values = np.zeros((2, 2, 3, 2))
    values[..., 0] = [0.5, 0.3, 0.5]
    values[..., 1] = [0.4, 0.1, 0.2]
    found = found_of(made(overshoot=values), required("overshoot", at_most="0.2 V"))
    assert found.best == (1, 1)
    # From two thirds of the way between the first and the second to the last, which just holds.
    assert found.holds == pytest.approx((20.0 / 3.0, 20.0))


@pytest.mark.parametrize(
    ("margins", "holds"),
    [
        ([-1.0, 1.0, 1.0, -1.0], (5.0, 25.0)),
        ([-1.0, 3.0, 1.0, -1.0], (2.5, 25.0)),
        ([1.0, 1.0, 1.0, 1.0], (0.0, 30.0)),
        ([-1.0, -1.0, -1.0, -1.0], None),
        # Of two ranges the wider one, of two alike the first.
        ([1.0, -1.0, 1.0, 1.0], (15.0, 30.0)),
        ([1.0, 1.0, -1.0, 1.0], (0.0, 15.0)),
        ([1.0, -1.0, -1.0, 1.0], (0.0, 5.0)),
        # What just holds holds; beyond what has no value nothing is known.
        ([-1.0, 0.0, -1.0, -1.0], (10.0, 10.0)),
        ([NAN, 1.0, 1.0, NAN], (10.0, 20.0)),
    ],
)
def test_the_widest_range_that_holds_ends_between_two_values(
    margins: list[float], holds: tuple[float, float] | None
) -> None:
    levels = np.broadcast_to((1.0 - np.array(margins))[None, None, :, None], (2, 2, 4, 1))
    found = found_of(made(overshoot=levels), required("overshoot", at_most="1 V"))
    assert found.holds == (None if holds is None else pytest.approx(holds))


def test_a_measure_is_the_worst_of_receivers_and_of_corners() -> None:
    sweep = made(overshoot=column([0.3, 0.1], [0.2, 0.4]), ring_back=column([0.3, 0.1], [0.2, NAN]))
    assert sweep.shape == (2, 2, 1)
    assert sweep.measured("overshoot", None)[:, :, 0] == pytest.approx(
        np.array([[0.3, 0.4], [0.31, 0.41]])
    )
    assert sweep.measured("overshoot", "B")[:, :, 0] == pytest.approx(
        np.array([[0.2, 0.4], [0.21, 0.41]])
    )
    assert sweep.overshoot == pytest.approx([0.31, 0.41])
    # Of what gets worse when it is smaller; without one there is none.
    assert sweep.of("ring_back")[0] == pytest.approx([0.2])
    assert math.isnan(sweep.of("ring_back")[1, 0])


# -- a path that was run ---------------------------------------------------------------


@pytest.fixture(scope="module")
def two(project: Project) -> PathResult:
    """A clock to two receivers whose figures are made up: A early, high and short, B the other."""
    design = project.design
    found = PATH.run(path_inputs(design, design.path("clk-two"), fine=False), Control())
    first, second = found.receivers
    figures = (
        {"delay": 1.0e-9, "first_delay": 1.0e-9, "duty": 0.40, "overshoot": 0.3,
         "overshoot_time": 2.5e-9, "edges": 4, "slew": 2e9, "most_slew": 3e9,
         "edge_time": 4e-10, "least_edge_time": 2e-10},
        {"delay": 1.6e-9, "first_delay": 1.6e-9, "duty": 0.52, "overshoot": 0.1,
         "overshoot_time": 7.5e-9, "edges": 6, "slew": 1e9, "most_slew": 5e9,
         "edge_time": 6e-10, "least_edge_time": 3e-10},
    )  # fmt: skip
    receivers = tuple(
        replace(r, id=name, name=f"U{name}", measures=replace(r.measures, **some))
        for r, name, some in zip((first, second), "AB", figures, strict=True)
    )
    return replace(found, receivers=receivers, doubts=("so",))


@pytest.mark.parametrize(
    ("measure", "limits", "value", "at"),
    [
        ("delay", {"at_most": "2 ns"}, 1.6e-9, "UB"),
        ("delay", {"at_least": "1.2 ns"}, 1.0e-9, "UA"),
        ("delay", {"at_least": "0.9 ns", "at_most": "2 ns"}, 1.0e-9, "UA"),
        ("delay", {"at_least": "0.2 ns", "at_most": "1.7 ns"}, 1.6e-9, "UB"),
        ("duty", {"at_least": "45 %", "at_most": "55 %"}, 0.40, "UA"),
        ("overshoot", {"at_most": "0.2 V"}, 0.3, "UA"),
        # Of edges too the one that is nearest: fast ones radiate, slow ones come late.
        ("edge_time", {"at_most": "0.5 ns"}, 6e-10, "UB"),
        ("edge_time", {"at_least": "0.25 ns"}, 2e-10, "UA"),
        ("slew", {"at_least": "1.5 V/ns"}, 1e9, "UB"),
        ("slew", {"at_most": "4 V/ns"}, 5e9, "UB"),
        ("slew", {"at_least": "0.9 V/ns", "at_most": "9 V/ns"}, 1e9, "UB"),
    ],
)
def test_the_receiver_that_is_nearest_to_a_limit_is_judged(
    two: PathResult, measure: str, limits: dict[str, str], value: float, at: str
) -> None:
    asked = required(measure, **limits)
    found = measure_path(two, asked)
    assert found.value == value
    assert found.where.split(",")[0] == f"at {at}"
    assert found.doubts == ("so",)
    assert worst_of_path(two, [asked]) == (at[1], measure)
    other = "B" if at == "UA" else "A"
    named = measure_path(two, required(measure, other, **limits))
    assert named.where.startswith(f"at U{other}")
    assert named.value != value


def test_where_and_how_a_figure_was_found(two: PathResult) -> None:
    a, b = two.receivers
    (one,) = measure_at(two, "overshoot", a)
    assert (one.value, one.where) == (0.3, "at UA, 2.50 ns")
    both = measure_at(two, "delay", b)
    assert [m.value for m in both] == [b.measures.delay, b.measures.first_delay]
    assert {m.where for m in both} == {"at UB"}
    assert all(m.how.endswith("worst of 6 edges") for m in both)
    gone = measure_path(two, required("delay", "C", at_most="1 ns"))
    assert math.isnan(gone.value)
    assert gone.how == "there is no receiver C"
    assert worst_of_path(two, [required("delay", "C", at_most="1 ns")]) is None


def test_a_figure_that_is_not_there_fails_before_any_other(two: PathResult) -> None:
    a, b = two.receivers
    lost = replace(two, receivers=(a, replace(b, measures=replace(b.measures, settling=NAN))))
    asked = required("settling", at_most="1 ns")
    assert math.isnan(measure_path(lost, asked).value)
    assert worst_of_path(lost, [required("overshoot", at_most="0.01 V"), asked]) == (
        "B", "settling",
    )  # fmt: skip


def test_what_a_result_says_of_itself(two: PathResult) -> None:
    a, b = two.receivers
    assert two.last is b
    assert two.receiver("A") is a
    assert two.receiver("nobody") is b
    assert two.measures is a.measures
    ringing = replace(b, measures=replace(b.measures, overshoot=NAN))
    assert replace(two, receivers=(a, ringing)).measures is ringing.measures
    assert (two.low, two.high, two.load) == (b.low, b.high, b.die)
    made_up = replace(two, z_source=20.0, z_line=60.0, z_load=math.inf)
    assert made_up.reflection_at_launch == pytest.approx(-0.5)
    assert made_up.reflection_at_load == 1.0
    spans = tuple(replace(s, start=0.0, end=0.0, z=0.0, row=0) for s in two.spans[:3])
    ribbon = (
        replace(spans[0], length=0.1, z=50.0, end=1e-9),
        replace(spans[1], length=0.1, z=75.0, start=1e-9, end=2e-9),
        replace(spans[2], length=0.1, z=40.0, start=1e-9, end=5e-9, row=1),
    )
    made_up = replace(two, spans=ribbon, z_load=25.0)
    assert made_up.reflection_at_load == pytest.approx(-0.5)
    assert made_up.delay == 2e-9
    assert made_up.span_of_delay == 5e-9
    bare = replace(two, spans=(replace(ribbon[0], length=0.0),), z_line=75.0, z_load=25.0)
    assert bare.reflection_at_load == pytest.approx(-0.5)
    assert replace(two, spans=()).delay == replace(two, spans=()).span_of_delay == 0.0
