"""How far a path's solution is from one of ever smaller steps, against such a one."""

from __future__ import annotations

from dataclasses import replace
from types import SimpleNamespace

import numpy as np
import pytest

from onda.engine.circuits import solve_transient
from onda.engine.circuits.receiver_measures import Levels
from onda.project.base import set_value
from onda.project.model import Project
from onda.project.quantities import parse_quantity
from onda.studies.paths import run as run_module
from onda.studies.paths.build import stimuli
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.run import run_path


@pytest.mark.parametrize("name", ["clk-two", "clk-adc"])
def test_the_stated_error_of_steps_is_that_against_very_small_ones(
    project: Project, name: str
) -> None:
    found = run_path(path_inputs(project.design, project.design.path(name)))
    step = float(found.solution.time[1] - found.solution.time[0])
    drive = stimuli(found.built, found.inputs, found.edges)
    end = float(found.solution.time[-1])
    exact = solve_transient(found.net, drive, end=end, step=step / 8.0)
    dies = [r.die for r in found.built.ends]
    off = max(
        np.abs(np.interp(found.solution.time, exact.time, exact.node(d)) - found.solution.node(d))
        .max()
        for d in dies
    )  # fmt: skip
    swing = np.abs(found.highs - found.lows)[dies].max()
    assert found.step_error == pytest.approx(off / swing, rel=0.5)
    assert 0.0 < found.step_error <= 1e-3
    quick = run_path(path_inputs(project.design, project.design.path(name), fine=False))
    assert np.isnan(quick.step_error)


def test_the_error_is_a_share_of_the_largest_swing(
    project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    """One of two receivers is said to swing ten times as far: the error is a tenth of it."""
    inputs = path_inputs(project.design, project.design.path("clk-two"))
    plain = run_path(inputs)
    own = run_module.dc_voltages
    first = plain.built.ends[0].die

    def wider(*given: object) -> np.ndarray:
        levels = own(*given)  # type: ignore[arg-type]
        levels[first] *= 10.0
        return levels

    monkeypatch.setattr(run_module, "dc_voltages", wider)
    # No step is halved either time.
    monkeypatch.setattr(run_module, "_HALVINGS", 0)
    wide = run_path(replace(inputs))
    monkeypatch.setattr(run_module, "dc_voltages", own)
    once = run_path(replace(inputs))
    swings = np.abs(plain.highs - plain.lows)[[r.die for r in plain.built.ends]]
    expected = once.step_error * swings.max() / max(10.0 * swings[0], swings[1])
    assert wide.step_error == pytest.approx(expected, rel=1e-9)
    assert wide.step_error < 0.2 * once.step_error


def test_a_driver_in_its_test_load_sees_all_capacitance_there_is(project: Project) -> None:
    path = project.design.path("clk-two")
    solved = run_path(path_inputs(project.design, path, fine=False))
    buffer = solved.built.driver.device.buffer
    assert buffer.r_load == pytest.approx(50.0)

    def delay(own: float, load: float) -> float:
        changed = replace(buffer, c_comp=own, c_load=load)
        built = solved.built
        device = replace(built.driver.device, buffer=changed)
        alone = replace(built, driver=replace(built.driver, device=device))
        return run_module._test_delay(replace(solved, built=alone))

    # It is one node: whose a picofarad is does not matter, and more of them take longer.
    assert delay(8e-12, 2e-12) == pytest.approx(delay(2e-12, 8e-12), rel=1e-9)
    assert delay(0.0, 10e-12) == pytest.approx(delay(10e-12, 0.0), rel=1e-9)
    assert delay(2e-12, 16e-12) > 1.3 * delay(2e-12, 8e-12)


def test_thresholds_that_the_net_never_passes_give_way_to_shares_of_its_step() -> None:
    stated = SimpleNamespace(v_il=0.5, v_ih=1.4, v_meas=0.9, over_high=2.0, over_low=-0.2)
    device = SimpleNamespace(buffer=SimpleNamespace(thresholds=stated))
    end = SimpleNamespace(die=1, device=device)

    def levels(low: float, high: float) -> Levels:
        solved = SimpleNamespace(lows=np.array([9.0, low]), highs=np.array([9.0, high]))
        return run_module._levels(solved, end)  # type: ignore[arg-type]

    assert levels(0.0, 1.8) == Levels(0.0, 1.8, 0.5, 1.4, 0.9, 2.0, -0.2)
    # A swing that stops between them, and one that begins above the lower one.
    assert levels(0.0, 1.2) == Levels(0.0, 1.2, 0.5, None, 0.9, 2.0, -0.2)
    assert levels(0.6, 1.8) == Levels(0.6, 1.8, None, 1.4, 0.9, 2.0, -0.2)
    assert levels(0.5, 1.4) == Levels(0.5, 1.4, None, None, 0.9, 2.0, -0.2)
    device.buffer = None
    assert levels(0.0, 1.8) == Levels(0.0, 1.8)


@pytest.mark.parametrize("driving", ["", "receiver", "A"])
def test_edges_arrive_after_the_way_from_whoever_drives(project: Project, driving: str) -> None:
    """The way takes two bits: an edge must not be taken for one that was sent before it."""
    path = project.design.path("mem-dq")
    long = set_value(path.elements[-1], length=parse_quantity("300 mm", "length"))
    bits = set_value(
        path.stimulus, kind="bits", bits="0101101001", rate=parse_quantity("1 Gb/s", "data rate"),
        window=parse_quantity("14 ns", "time"),
    )  # fmt: skip
    changed = set_value(path, elements=(*path.elements[:-1], long), stimulus=bits, driving=driving)
    solved = run_path(path_inputs(project.design, changed, fine=False))
    sends = solved.built.driver.delay
    ways = [abs(end.delay - sends) for end in solved.built.ends]
    assert max(ways) > 1.9e-9
    for way, found in zip(ways, run_module.measure_receivers(solved), strict=True):
        assert way <= found.delay + 0.05e-9
        assert found.delay <= way + 0.35e-9
