"""Which result of a path goes into which view: probes, receivers, neighbours and kept states."""

from __future__ import annotations

from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from onda.app.kit.kept import Kept
from onda.app.plots.curves import Curve, Limit
from onda.app.stages.paths.drawing import Drawing
from onda.app.stages.paths.scale import Probes, route_map
from onda.app.theme import Look
from onda.project.model import Project
from onda.studies.core.margin import State
from onda.studies.core.runner import StudyRunner
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.path import PATH, PathResult


class Seen:
    """Views that remember what they were given, and which of them is looked at."""

    def __init__(self) -> None:
        self.current = "waves"
        self.given: dict[str, tuple[Any, ...]] = {}

    def get(self, key: str, _: type) -> Any:
        def take(*given: Any) -> None:
            self.given[key] = given

        return SimpleNamespace(show_curves=take, show_result=take, show_bounces=take)


@pytest.fixture
def result(project: Project, runner: StudyRunner) -> PathResult:
    return runner.result(PATH, path_inputs(project.design, project.design.path("trig")))


@pytest.fixture
def then(result: PathResult) -> PathResult:
    """Another run: every second moment, half the voltage, twice the current the other way."""
    others = tuple(replace(r, die=0.5 * r.die[::2]) for r in result.receivers)
    return replace(
        result, time=result.time[::2], receivers=others, drive_amps=-2.0 * result.drive_amps[::2]
    )


class InView:
    """The trigger with a receiver that is watched, and one kept state."""

    overshoot_limit: float | None = None
    requirements: tuple[Any, ...] = ()

    def __init__(self, project: Project, result: PathResult, then: PathResult) -> None:
        self.drawn, self.result = project.design.path("trig"), result
        self.kept, self.watched = ["state"], result.receivers[0].id
        self._then = then

    def named(self, kept: list[str]) -> list[Kept[PathResult]]:
        return [Kept(3, "Before", self._then) for _ in kept]

    @property
    def receiver(self) -> Any:
        return self.result.receiver(self.watched)

    @property
    def route(self) -> Any:
        return route_map(self.result, self.watched)


@pytest.fixture
def subject(project: Project, result: PathResult, then: PathResult) -> InView:
    return InView(project, result, then)


@pytest.fixture
def probes() -> Probes:
    made = Probes()
    made.move(0, 0.0)
    made.move(1, 0.4)
    made.move(2, 1.0)
    return made


def drawn(look: Look, subject: Any, probes: Probes, view: str) -> tuple[Any, ...]:
    views: Any = Seen()
    views.current = view
    Drawing(look, subject, probes, views).show_view()
    assert list(views.given) == [view]
    return views.given[view]


@pytest.mark.parametrize("number", [0, 1, 2])
def test_waves_are_those_of_the_receiver_that_is_watched(
    look: Look, subject: InView, probes: Probes, then: PathResult, number: int
) -> None:
    result = subject.result
    watched = result.receivers[number]
    subject.watched = watched.id
    curves: list[Curve]
    curves, limits = drawn(look, subject, probes, "waves")
    first, middle, last, before = curves
    route = route_map(result, watched.id)
    for curve in (first, middle, last):
        assert curve.x == pytest.approx(1e9 * result.time)
        assert not curve.kept
    assert first.y == pytest.approx(route.volts_at(0.0))
    assert middle.y == pytest.approx(route.volts_at(0.4 * route.delay))
    # At the end of the way it is the die that is seen, by the receiver's name.
    assert np.array_equal(last.y, watched.die)
    assert last.name == watched.name
    assert (before.name, before.kept, before.color) == ("Before", 3, look.t.kept)
    assert before.x == pytest.approx(1e9 * then.time)
    assert np.array_equal(before.y, then.receiver(watched.id).die)
    assert limits == [
        Limit(level, f"{words} {level:.2f} V")
        for level, words in (
            (watched.thresholds.v_il, "low below"), (watched.thresholds.v_ih, "high above"),
        )
        if level is not None
    ]  # fmt: skip


def test_an_input_limit_stands_above_the_higher_level(
    look: Look, subject: InView, probes: Probes
) -> None:
    subject.overshoot_limit = 0.3
    _, limits = drawn(look, subject, probes, "waves")
    receiver = subject.receiver
    level = max(receiver.high, receiver.low) + 0.3
    assert limits[-1] == Limit(level, f"input limit {level:.2f} V")


def test_lanes_beside_it_are_drawn_thinner(
    look: Look, subject: InView, probes: Probes, result: PathResult
) -> None:
    heard = tuple(SimpleNamespace(name=f"lane {k}", volts=0.01 * k * result.pad) for k in (1, 2, 3))
    subject.result = replace(result, overheard=heard)  # type: ignore[arg-type]
    curves, _ = drawn(look, subject, probes, "waves")
    beside = {c.name: c for c in curves if c.name.startswith("lane")}
    # The two nearest.
    assert list(beside) == ["lane 1", "lane 2"]
    for k, curve in enumerate(beside.values(), 1):
        assert curve.y == pytest.approx(0.01 * k * result.pad)
        assert curve.width < 1.4
    assert beside["lane 1"].color != beside["lane 2"].color


def test_currents_are_in_milliamperes_and_power_in_milliwatts(
    look: Look, subject: InView, probes: Probes, then: PathResult
) -> None:
    result, route = subject.result, subject.route
    curves, limits = drawn(look, subject, probes, "current")
    found = {c.name: c for c in curves}
    assert limits == []
    names = ["driver", *(p.name for p in probes.items), "power, mW", "Before: driver"]
    assert list(found) == names
    assert found["driver"].y == pytest.approx(1e3 * result.drive_amps)
    assert found["power, mW"].y == pytest.approx(1e3 * result.drive_watts)
    for probe in probes.items:
        assert found[probe.name].y == pytest.approx(1e3 * route.amps_at(probe.share * route.delay))
    for name in names[:-1]:
        assert found[name].x == pytest.approx(1e9 * result.time)
    before = found["Before: driver"]
    assert before.x == pytest.approx(1e9 * then.time)
    assert before.y == pytest.approx(1e3 * then.drive_amps)
    assert before.kept == 3


def test_the_spectrum_stands_beside_the_last_kept_one_alone(
    look: Look, subject: InView, probes: Probes, result: PathResult, then: PathResult
) -> None:
    second = replace(then, edge=7e-9)
    subject.named = lambda kept: [Kept(1, "A", then), Kept(2, "B", second)]  # type: ignore[method-assign]
    shown, route, kept, limit = drawn(look, subject, probes, "spectrum")
    assert shown is result
    assert route.delay == subject.route.delay
    ((one, way),) = kept
    assert one is second
    assert way.spans == route_map(second, subject.watched).spans
    assert limit == subject.drawn.limit_points


@pytest.mark.parametrize("number", [0, 1, 2])
def test_bounces_are_those_of_the_watched_receiver(
    look: Look, subject: InView, probes: Probes, result: PathResult, number: int
) -> None:
    lists: Any = tuple((f"arrivals {k}",) for k in range(len(result.receivers)))
    subject.result = replace(result, bounces=lists)
    subject.watched = result.receivers[number].id
    found, time, die = drawn(look, subject, probes, "bounces")
    assert found == lists[number]
    assert np.array_equal(time, result.time)
    assert np.array_equal(die, result.receivers[number].die)
    subject.result = replace(result, bounces=())
    assert drawn(look, subject, probes, "bounces")[0] == ()


def test_measures_stand_with_the_worst_of_what_is_required(
    look: Look, subject: InView, probes: Probes, project: Project, result: PathResult
) -> None:
    required = tuple(r for r in project.requirements if r.subject == "trig")
    subject.requirements = required
    shown, states = drawn(look, subject, probes, "measures")
    assert shown is result
    assert states
    compared = set()
    for (name, receiver), state in states.items():
        about = [r for r in required if r.measure == name]
        assert about
        value = getattr(result.receiver(receiver).measures, name, None)
        if value is not None and len(about) == 1 and about[0].at_most is not None:
            assert (state is State.FAILS) == (value > about[0].at_most.si)
            compared.add(state is State.FAILS)
    assert compared == {True, False}


def test_without_a_result_nothing_is_drawn(look: Look, subject: Any, probes: Probes) -> None:
    views: Any = Seen()
    subject.result = None
    Drawing(look, subject, probes, views).show_view()
    assert views.given == {}
