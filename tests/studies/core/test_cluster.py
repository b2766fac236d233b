"""A cluster that the user names: a real one of two worker processes, one of which is killed."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from typer.testing import CliRunner

from onda.cli.main import app
from onda.errors import InputError, NotPhysical
from onda.project.base import set_value
from onda.project.model import Project
from onda.project.store import save_project
from onda.studies.core.cache import ResultCache
from onda.studies.core.executors import cluster
from onda.studies.core.keys import key_of
from onda.studies.core.runner import StudyRunner
from tests.studies.core.cases import SQUARE, SUM_DYING, Batch, Marked, marks

distributed = pytest.importorskip("distributed")
pytestmark = pytest.mark.filterwarnings("ignore")


@pytest.fixture(scope="module")
def address() -> Iterator[str]:
    """Scheduler of two worker processes on this machine."""
    made: Any = distributed.LocalCluster(
        n_workers=2,
        threads_per_worker=1,
        processes=True,
        dashboard_address=None,
        silence_logs=50,
    )
    yield made.scheduler_address
    made.close()


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    made = tmp_path / "marks"
    made.mkdir()
    return made


def test_a_killed_worker_costs_its_case_only(address: str, folder: Path, tmp_path: Path) -> None:
    with closing(StudyRunner(cluster(address), ResultCache(tmp_path / "cache"))) as runner:
        batch = Batch((1.0, 2.0, 3.0, 4.0, 5.0), str(folder))
        found = runner.submit(SUM_DYING, batch).future.result(120)
    assert found.parts == (1.0, 4.0, 9.0, 16.0, 25.0)
    assert marks(folder) == {1.0: 1, 2.0: 1, 3.0: 2, 4.0: 1, 5.0: 1}


def test_errors_come_back_whole_and_results_are_kept(
    address: str, folder: Path, tmp_path: Path
) -> None:
    with closing(StudyRunner(cluster(address), ResultCache(tmp_path / "cache"))) as runner:
        with pytest.raises(NotPhysical, match="must be lucky"):
            runner.submit(SQUARE, Marked(13.0, str(folder))).future.result(60)
        assert runner.result(SQUARE, Marked(6.0, str(folder))).value == 36.0
    again = ResultCache(tmp_path / "cache")
    key = key_of(SQUARE.name, Marked(6.0, str(folder)))
    assert again.get(key, SQUARE.result_types) is not None


def test_check_on_a_cluster_gives_the_same_margins(
    address: str, project: Project, tmp_path: Path
) -> None:
    few = tuple(r for r in project.requirements if r.subject in ("clocks", "clk-ref"))
    file = tmp_path / "few.onda"
    save_project(set_value(project, requirements=few), file)
    there = CliRunner().invoke(app, ["check", str(file), "--json", "--scheduler", address])
    assert there.exit_code == 0, there.output
    values = {m["requirement"]: m["value"] for m in json.loads(there.output)}
    assert len(values) == len(few)
    # Everything is known now; no process is needed to read it.
    here = CliRunner().invoke(app, ["check", str(file), "--json"])
    assert {m["requirement"]: m["value"] for m in json.loads(here.output)} == values


def test_a_scheduler_that_is_not_there_is_told() -> None:
    with pytest.raises(InputError, match="no scheduler answers"):
        cluster("tcp://127.0.0.1:9").open()
    with pytest.raises(InputError, match="no scheduler answers"):
        cluster("nonsense://").open()
