"""A path's result as it is kept."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from onda.project.model import Project
from onda.studies.core.cache import ResultCache
from onda.studies.core.executors import here
from onda.studies.core.runner import StudyRunner
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.path import PATH


def test_a_path_result_survives_the_disk(project: Project, tmp_path: Path) -> None:
    inputs = path_inputs(project.design, project.design.path("clk-adc"), fine=False)
    first = StudyRunner(here(), ResultCache(tmp_path)).result(PATH, inputs)
    second = StudyRunner(here(), ResultCache(tmp_path)).cached(PATH, inputs)
    assert second is not None
    assert second is not first
    assert (second.volts == first.volts).all()
    assert second.spans == first.spans
    assert second.measures == first.measures


def test_current_of_a_driver_flows_out_of_it_into_the_line(
    project: Project, runner: StudyRunner
) -> None:
    """A pair of 100 ohm between 100 ohm and 100 ohm: 4 mA into a short would be 2 mA here."""
    path = project.design.path("jl0")
    result = runner.result(PATH, path_inputs(project.design, path, fine=False))
    assert result.drive_amps[-1] == pytest.approx(2e-3, rel=0.05)
    assert result.drive_amps[-1] == pytest.approx(float(result.amps[0, -1]), rel=0.01)
    assert result.drive_watts[-1] == pytest.approx(result.drive_amps[-1] * result.pad[-1])


def test_power_of_a_driver_is_that_of_its_die(project: Project, runner: StudyRunner) -> None:
    """Between die and pin lie 50 mohm and 0.6 nH, which while it switches take their share."""
    path = project.design.path("mem-ca")
    inputs = path_inputs(project.design, path, fine=False)
    result = runner.result(PATH, inputs)
    some = np.abs(result.drive_amps) > 3e-3
    assert some.sum() > 100
    die = result.drive_watts[some] / result.drive_amps[some]
    across = die - result.pad[some]
    assert 5e-3 < np.abs(across).max() < 0.3
    # In the mean over the whole of it only the resistance is left: a third of a millivolt.
    assert abs(across.mean()) < 3e-3


def test_harmonics_are_those_of_the_waveform_in_its_last_period(
    project: Project, runner: StudyRunner
) -> None:
    inputs = path_inputs(project.design, project.design.path("clk-two"), fine=False)
    assert inputs.frequency is not None
    period = 1.0 / inputs.frequency
    result = runner.result(PATH, replace(inputs, window=6.0 * period))
    assert result.harmonics == pytest.approx(inputs.frequency * np.arange(1, 16))
    at = result.time[-1] - period + period / 4096 * np.arange(4096)

    def amplitudes(values: np.ndarray) -> np.ndarray:
        turns = np.exp(-2j * np.pi * np.outer(np.arange(1, 6), at) / period)
        return np.abs(turns @ np.interp(at, result.time, values)) / 2048.0

    # At the end of the ribbon, which is the receiver's pin.
    odd = [0, 2, 4]
    assert result.load_harmonics[odd] == pytest.approx(amplitudes(result.last.pin)[odd], rel=0.01)
    assert result.harmonic_amps[odd] == pytest.approx(amplitudes(result.drive_amps)[odd], rel=0.01)
    # A swing of 1.8 V would have 1.15 V if it had no edges.
    assert 1.0 < result.load_harmonics[0] < 1.3


def test_what_flows_at_rest_is_ohms_law(project: Project, runner: StudyRunner) -> None:
    """47 ohm to 0.6 V at the far end, and a driver between 1.2 V and 0 V."""
    inputs = path_inputs(project.design, project.design.path("mem-ca"), fine=False)
    result = runner.result(PATH, inputs)
    resistor, driver = result.resting
    # Along the line a little is lost on the way from the driver's end to the resistor.
    levels = [result.high, result.low]
    flows = [(v - 0.6) / 47.0 for v in levels]
    assert (resistor.name, driver.name) == ("47 Ω to 0.6 V", "driver U1.J0")
    assert (resistor.amps_high, resistor.amps_low) == pytest.approx(flows, rel=1e-3)
    assert (resistor.watts_high, resistor.watts_low) == pytest.approx(
        [47.0 * i**2 for i in flows], rel=2e-3
    )
    assert (driver.amps_high, driver.amps_low) == pytest.approx(flows, rel=1e-3)
    die = [v + i * (0.05 + 0.05) for v, i in zip(levels, flows, strict=True)]
    rails = (1.2, 0.0)
    lost = [abs(i * (rail - v)) for i, v, rail in zip(flows, die, rails, strict=True)]
    assert (driver.watts_high, driver.watts_low) == pytest.approx(lost, rel=0.03)
