"""A view saved without a window: the same as in it, and what is not there is told."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication

from onda.app.look_in import save_view
from onda.app.theme import DAY, NIGHT
from onda.errors import InputError
from onda.project.model import Project
from onda.studies.core.runner import StudyRunner
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.path import PATH
from tests.app.conftest import only

pytestmark = pytest.mark.usefixtures("results_at_hand", "qapp")


@pytest.fixture
def board(project: Project) -> Project:
    """What is required of paths alone, so that little else is run along."""
    return only(project, "path")


def test_a_table_of_a_plot_is_that_of_the_result(
    board: Project, runner: StudyRunner, tmp_path: Path
) -> None:
    file = tmp_path / "waves.csv"
    path = board.design.path("clk-ref")
    # By its name as well as by its id.
    title = save_view(board, file, "paths", thing=path.name, view="waves", plot="voltage")
    assert path.name in title
    lines = [x for x in file.read_text(encoding="utf-8").splitlines() if not x.startswith("#")]
    head, *rows = list(csv.reader(lines))
    found = runner.result(PATH, path_inputs(board.design, path))
    assert head[0] == "Time, ns"
    column = next(k for k, name in enumerate(head) if name.startswith("load"))
    table = np.array([[float(r[0]), float(r[column])] for r in rows])
    assert table[:, 0] == pytest.approx(1e9 * found.time, rel=1e-6)
    assert table[:, 1] == pytest.approx(found.last.die, rel=1e-6, abs=1e-9)


def test_a_picture_is_of_the_view_by_day_and_by_night(board: Project, tmp_path: Path) -> None:
    papers = []
    for night in (False, True):
        file = tmp_path / f"{night}.png"
        save_view(board, file, "paths", thing="clk-ref", night=night)
        image = QImage(str(file))
        assert image.width() > 1200
        papers.append(image.pixelColor(2, 2).name())
    assert papers == [DAY.paper.lower(), NIGHT.paper.lower()]
    assert not [w for w in QApplication.topLevelWidgets() if w.isVisible()]


@pytest.mark.parametrize(
    ("stage", "more", "words"),
    [
        ("soup", {}, "no stage 'soup'.*One of stackup"),
        ("paths", {"thing": "soup"}, "paths has no 'soup'.*clk-ref"),
        ("paths", {"thing": "clk-ref", "view": "soup"}, "soup.*waves"),
        ("paths", {"thing": "clk-ref", "plot": "soup"}, "no plot 'soup'.*There is: "),
    ],
)
def test_what_is_not_there_is_told(
    board: Project, tmp_path: Path, stage: str, more: dict[str, str], words: str
) -> None:
    with pytest.raises(InputError, match=f"(?s){words}"):
        save_view(board, tmp_path / "x.png", stage, **more)
    assert not (tmp_path / "x.png").exists()
