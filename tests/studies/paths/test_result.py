"""A path's result as it is kept."""

from __future__ import annotations

from pathlib import Path

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
