"""What a part does to an edge: its delay, its slope and its shape, each for itself."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from onda.demo import fulmar_project
from onda.errors import NotPhysical
from onda.project.quantities import quantity
from onda.project.requirements import Requirement
from onda.studies.core.study import Control
from onda.studies.paths import why
from onda.studies.paths.ends import device_at
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.judge import worst_of_path
from onda.studies.paths.path import PATH
from onda.studies.paths.why import PATH_WHY, Replacement, WhyInputs, WhyResult, replacements
from tests.studies.paths.test_cut_lines import DESIGN, matched

CAPACITANCE = 3.5e-12


def explained(edge: float) -> tuple[WhyResult, Replacement]:
    """A capacitor at the end of a matched line, taken away."""
    path = matched()
    receiver = path.receiver.model_copy(
        update={"capacitance": quantity(CAPACITANCE, "capacitance"), "resistance": None}
    )
    inputs = path_inputs(DESIGN, path.model_copy(update={"receiver": receiver}))
    one = replace(inputs.stimulus, kind="edge")
    inputs = replace(inputs, edge=edge, window=2e-9 + 3.0 * edge, stimulus=one)
    found = PATH_WHY.run(WhyInputs(inputs, "receiver"), Control())
    return found, next(r for r in (*found.found, *found.others) if "3.5 pF" in r.what)


def test_a_capacitor_delays_a_slow_edge_by_z_times_c() -> None:
    """A ramp much longer than Z C arrives later by Z C and otherwise as it was."""
    as_is, without = explained(4e-9)
    assert without.earlier == pytest.approx(50.0 * CAPACITANCE, rel=0.02)
    assert abs(without.level) < 1e-6
    unaligned = np.abs(without.waveform - as_is.waveform).max()
    assert abs(without.largest) < 0.45 * unaligned


def test_the_sentence_tells_shape_time_and_level() -> None:
    _, without = explained(300e-12)
    assert without.earlier > 50e-12
    assert without.faster > 50e-12
    words = without.sentence
    assert f"comes {without.earlier * 1e12:.0f} ps earlier" in words
    assert f"is {without.faster * 1e12:.0f} ps faster" in words
    assert f"{abs(without.largest) * 1e3:.0f} mV" in words
    assert "level" not in words
    moved = replace(without, earlier=-3e-12, faster=0.0, level=-0.05)
    assert "comes 3 ps later." in moved.sentence
    assert "faster" not in moved.sentence
    assert "moves by −50 mV" in moved.sentence
    still = replace(without, earlier=0.0, faster=0.0, level=0.0)
    assert "Without" not in still.sentence
    assert "3.5 pF" in still.sentence


def test_only_what_betters_the_measure_is_offered_the_best_first() -> None:
    inputs = path_inputs(DESIGN, DESIGN.path("clk-two"), fine=False)
    for key, sign in (("overshoot", 1.0), ("ring_back", -1.0), ("delay", 1.0)):
        for receiver in ("receiver", "B"):
            found = PATH_WHY.run(WhyInputs(inputs, receiver, key), Control())
            assert found.measure == key
            gains = [r.gain for r in found.found]
            assert gains == sorted(gains, reverse=True)
            assert all(g > 0.01 * abs(found.value) for g in gains)
            for r in (*found.found, *found.others):
                if not (np.isnan(r.value) or np.isnan(found.value)):
                    assert r.gain == pytest.approx(sign * (found.value - r.value))
            assert all(r.gain <= 0.01 * abs(found.value) for r in found.others)


def test_what_fails_most_is_what_is_asked_about() -> None:
    path = DESIGN.path("clk-two")
    result = PATH.run(path_inputs(DESIGN, path, fine=False), Control())
    ids = [r.id for r in result.receivers]
    assert len(ids) > 1

    def limit(measure: str, share: float, receiver: str | None = None) -> Requirement:
        values = [float(getattr(r.measures, measure)) for r in result.receivers]
        value = max(values) if receiver is None else values[ids.index(receiver)]
        text = {"overshoot": f"{share * value:.6f} V", "delay": f"{share * value * 1e12:.3f} ps"}
        return Requirement(
            id="x", kind="path", subject="clk-two", measure=measure, receiver=receiver,
            at_most=text[measure],
        )  # fmt: skip

    holds, fails = limit("overshoot", 2.0), limit("delay", 0.8, ids[0])
    assert worst_of_path(result, [holds, fails]) == (ids[0], "delay")
    worse = limit("overshoot", 0.5)
    over = [r.measures.overshoot for r in result.receivers]
    assert worst_of_path(result, [fails, worse]) == (ids[int(np.argmax(over))], "overshoot")
    assert worst_of_path(result, []) is None


def test_a_device_is_named_with_the_capacitance_of_its_die_and_its_package() -> None:
    """What a wave meets at a pin is both."""
    design = fulmar_project().design
    inputs = path_inputs(design, design.path("mem-dq"), fine=False)
    device = device_at(inputs.end)
    assert device.buffer is not None
    assert device.package is not None
    whole = device.buffer.c_comp + device.package[2]
    assert whole > 1.05 * device.buffer.c_comp
    (words,) = (what for element, what, _ in replacements(inputs) if element == inputs.end.id)
    assert words == f"Module B's {whole * 1e12:.2g} pF"


# -- on drawn runs ---------------------------------------------------------------------


class Drawn:
    """Runs whose waveforms and figures are drawn: `figures` by what was taken away."""

    def __init__(self, figures: dict[str, dict[str, float]]) -> None:
        self.figures = figures
        self.time = np.linspace(0.0, 4e-9, 401)

    def run(self, path: str) -> Any:
        if path == "broken":
            raise NotPhysical("path", "nothing", "something")
        some = self.figures[path]
        # Without a part the nodes behind it have other numbers.
        own = 3 if path == "early" else 1
        ends = [
            SimpleNamespace(id="B", name="U5", die=2),
            SimpleNamespace(id="A", name="U3", die=own),
        ]
        if path == "gone":
            ends = ends[:1]
        # A ramp from 1 ns on, later by what it is delayed, with a bump of its own.
        at = self.time - 1e-9 - some.get("delay", 0.0)
        volts = np.clip(at / 1e-9, 0.0, 1.0) + some.get("bump", 0.0) * np.exp(
            -(((at - 1.5e-9) / 0.2e-9) ** 2)
        )
        waves = {own: volts, 2: np.zeros_like(volts)}
        solution = SimpleNamespace(time=self.time, node=lambda k: waves[k])
        highs = np.array([0.0, 7.0, 9.0, 8.0])
        highs[own] = some.get("high", 1.0)
        built = SimpleNamespace(ends=ends)
        return SimpleNamespace(solution=solution, built=built, highs=highs, path=path)

    def measure(self, run: Any) -> list[Any]:
        some = self.figures[run.path]
        nothing = {"overshoot": 0.5, "ring_back": 0.1, "delay": 9e-9, "edge_time": 9e-9}
        own = {"overshoot": 0.2, "ring_back": 0.3, "delay": 1e-9, "edge_time": 1e-9} | {
            k: v for k, v in some.items() if k in nothing
        }
        own["delay"] = 1e-9 + some.get("delay", 0.0)
        return [SimpleNamespace(**(own if e.id == "A" else nothing)) for e in run.built.ends]


@pytest.fixture
def drawn(monkeypatch: pytest.MonkeyPatch) -> Callable[..., WhyResult]:
    def explain(measure: str, figures: dict[str, dict[str, float]]) -> WhyResult:
        made = Drawn(figures)
        monkeypatch.setattr(why, "run_path", made.run)
        monkeypatch.setattr(why, "measure_receivers", made.measure)
        todo = [(f"id {name}", f"the {name}", name) for name in figures if name != "now"]
        monkeypatch.setattr(why, "replacements", lambda _: todo)
        asked: Any = SimpleNamespace(path="now", receiver="A", measure=measure)
        return PATH_WHY.run(asked, Control())

    return explain


def test_what_helps_comes_first_by_its_gain_then_by_its_change(
    drawn: Callable[..., WhyResult],
) -> None:
    found = drawn(
        "overshoot",
        {
            "now": {"bump": 0.0},
            "via": {"overshoot": 0.15, "bump": 0.1},
            "stub": {"overshoot": 0.05, "bump": -0.2},
            "resistor": {"overshoot": 0.6},
            "package": {"overshoot": 0.15, "bump": -0.3},
            "cable": {"overshoot": 0.199},
            "broken": {},
            "gone": {"overshoot": 0.0},
        },
    )
    assert (found.receiver, found.measure, found.value) == ("U3", "overshoot", 0.2)
    assert [r.element for r in found.found] == ["id stub", "id package", "id via"]
    # A hundredth of the value is no help.
    assert [r.element for r in found.others] == ["id cable", "id resistor"]
    gains = [r.gain for r in (*found.found, *found.others)]
    assert gains == pytest.approx([0.15, 0.05, 0.05, 0.001, -0.4])
    assert [r.value for r in found.found] == [0.05, 0.15, 0.15]
    stub, package, via = found.found
    assert stub.largest == pytest.approx(-0.2, rel=1e-3)
    assert package.largest == pytest.approx(-0.3, rel=1e-3)
    assert via.largest == pytest.approx(0.1, rel=1e-3)
    # At 1 ns and 1.5 ns behind where the ramp begins.
    assert stub.at == pytest.approx(2.5e-9, abs=6e-12)
    assert found.waveform == pytest.approx(np.clip((found.time - 1e-9) / 1e-9, 0.0, 1.0))


def test_of_a_measure_that_should_be_large_more_is_better(
    drawn: Callable[..., WhyResult],
) -> None:
    found = drawn(
        "ring_back",
        {"now": {}, "via": {"ring_back": 0.4}, "stub": {"ring_back": 0.25},
         "cable": {"ring_back": math.nan}},
    )  # fmt: skip
    assert [(r.element, r.gain) for r in found.found] == [("id via", pytest.approx(0.1))]
    assert [r.element for r in found.others] == ["id cable", "id stub"]
    assert [r.gain for r in found.others] == [0.0, pytest.approx(-0.05)]
    lost = drawn("ring_back", {"now": {"ring_back": math.nan}, "via": {"ring_back": -5.0}})
    assert [r.gain for r in lost.found] == [math.inf]


def test_only_the_shape_is_compared_and_only_while_both_are_known(
    drawn: Callable[..., WhyResult],
) -> None:
    """An edge that comes 0.3 ns earlier, or later, is the same edge."""
    found = drawn(
        "overshoot",
        {
            "now": {"edge_time": 0.5e-9},
            "early": {"delay": -0.3e-9, "edge_time": 0.4e-9, "high": 1.02},
            "late": {"delay": 0.5e-9, "edge_time": math.nan},
        },
    )
    early, late = sorted((*found.found, *found.others), key=lambda r: r.element)
    assert early.earlier == pytest.approx(0.3e-9)
    assert late.earlier == pytest.approx(-0.5e-9)
    assert abs(early.largest) < 1e-6
    assert abs(late.largest) < 1e-6
    assert early.faster == pytest.approx(0.1e-9)
    assert late.faster == 0.0
    assert early.level == pytest.approx(0.02)
    assert late.level == 0.0
    # What lies beyond the end of the other one is no change of shape: of one that comes 1.8 ns
    # later nothing is known of what is behind 2.2 ns, as the bump is.
    short = drawn("overshoot", {"now": {"bump": 0.3}, "late": {"delay": 1.8e-9, "bump": 0.3}})
    (only,) = (*short.others, *short.found)
    assert abs(only.largest) < 0.01
    # The waveform is told at its own time.
    assert early.waveform == pytest.approx(np.clip((found.time - 0.7e-9) / 1e-9, 0.0, 1.0))
