"""Commands about a project file that open something: a window, or the demo without one."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from onda.cli.common import progress_bar
from onda.errors import InputError
from onda.project.model import Project
from onda.project.store import save_project
from onda.studies.core.margin import Measured, margin_of
from tests.cli.running import run


@pytest.fixture
def opened(monkeypatch: pytest.MonkeyPatch) -> list[tuple[Project | None, Path | None]]:
    """What windows were asked for; none is opened, and each ends with code 3."""
    found: list[tuple[Project | None, Path | None]] = []

    def instead(project: Project | None, path: Path | None) -> int:
        found.append((project, path))
        return 3

    monkeypatch.setattr("onda.app.main.run_application", instead)
    return found


def test_open_hands_the_project_and_its_file_to_the_window(
    opened: list[tuple[Project | None, Path | None]], project: Project, tmp_path: Path
) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(project, file)
    # What the window ends with is what the command ends with.
    assert run("open", str(file)) == (3, "")
    assert run("open") == (3, "")
    ((first, path), nothing) = opened
    assert (first, path) == (project, file)
    assert nothing == (None, None)
    with pytest.raises(InputError, match=r"gone\.onda"):
        run("open", str(tmp_path / "gone.onda"))
    assert len(opened) == 2


def test_progress_is_a_line_of_a_terminal_and_nothing_else(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    assert progress_bar() is None
    monkeypatch.setattr("sys.stderr.isatty", lambda: True, raising=False)
    tell = progress_bar()
    assert tell is not None
    tell(1, 2, "Eye")
    assert capsys.readouterr().err == "\r\x1b[K1/2 Eye\r"
    # The last one leaves nothing behind.
    tell(2, 2, "Bus")
    assert capsys.readouterr().err == "\r\x1b[K2/2 Bus\r\x1b[K"


def test_the_demo_without_a_window_tells_its_margins(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, project: Project
) -> None:
    """Its check is taken as done, with two margins of its own."""
    required = next(r for r in project.requirements if r.measure == "overshoot")
    assert required.at_most is not None
    margins = [
        margin_of(required, Measured(share * required.at_most.si, "", "")) for share in (0.5, 2.0)
    ]
    monkeypatch.setattr("onda.studies.core.check.check_project", lambda *a, **k: margins)
    monkeypatch.setattr("onda.app.tour.take_tour", lambda *a: ())
    monkeypatch.setattr(
        "onda.report.html.write_report", lambda p, m, r, folder, **k: folder / "index.html"
    )
    code, out = run("demo", "--headless", "--report", str(tmp_path / "d"), "--json")
    told = json.loads(out)
    assert code == 0
    assert told["project"] == str(tmp_path / "d" / "fulmar.onda")
    assert Path(told["project"]).is_file()
    assert told["report"] == str(tmp_path / "d" / "index.html")
    assert [m["state"] for m in told["margins"]] == ["holds", "fails"]
    assert {m["requirement"] for m in told["margins"]} == {required.id}
    assert {m["stage"] for m in told["margins"]} == {"paths"}
    assert told["margins"][1]["value"] == 2.0 * required.at_most.si
