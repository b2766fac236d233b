"""What a part does to an edge: its delay, its slope and its shape, each for itself."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from onda.project.quantities import quantity
from onda.project.requirements import Requirement
from onda.studies.core.study import Control
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.judge import worst_of_path
from onda.studies.paths.path import PATH
from onda.studies.paths.why import PATH_WHY, Replacement, WhyInputs, WhyResult
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
    assert "moves by -50 mV" in moved.sentence
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
