"""The commands about the build and its lines."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from typer.testing import CliRunner

from onda.cli.main import app
from onda.errors import InputError
from onda.project.model import Project
from onda.project.store import load_project, save_project


@pytest.fixture
def file(project: Project, tmp_path: Path) -> Path:
    path = tmp_path / "fulmar.onda"
    save_project(project, path)
    return path


def run(*arguments: str) -> tuple[int, str]:
    result = CliRunner().invoke(app, list(arguments), catch_exceptions=False)
    return result.exit_code, result.output


def test_build_is_checked_and_written(file, tmp_path) -> None:
    names = {"ipc2581-c": "b.xml", "layers": "l.csv", "rules": "r.csv", "svg": "d.svg"}
    wanted = [x for k, n in names.items() for x in ("--write", f"{k}={tmp_path / n}")]
    code, out = run("build", str(file), *wanted)
    assert code == 0
    assert "tight   Micro L1–L2" in out
    assert all((tmp_path / n).stat().st_size for n in names.values())
    changed = tmp_path / "changed.onda"
    code, out = run("build", str(file), "--read", str(tmp_path / "b.xml"), "--save", str(changed))
    assert code == 0
    assert load_project(changed).design.stackup.zones[1].id == "tail"


def test_fit_from_the_command_line(file, tmp_path) -> None:
    saved = tmp_path / "fitted.onda"
    _, out = run("build", str(file), "--fit", "--save", str(saved))
    assert "fitted: Converter pairs on L1: 130 µm, 100.0 Ω" in out
    assert "not fitted: Clocks on L6" in out
    width = load_project(saved).design.line_class("converter-pairs").trace_on("L1").width
    assert width.si == pytest.approx(130e-6)


def test_a_line_as_json(file) -> None:
    code, out = run(
        "line", str(file), "converter-pairs", "L3", "--json", "--tolerance", "500", "--fit", "gap"
    )
    data = json.loads(out)
    assert code == 0
    assert data["z_ohm"] == pytest.approx(102.2, abs=0.3)
    assert data["tolerance"]["boards"] == 500
    assert data["fit"]["reached_ohm"] == pytest.approx(100.0, abs=0.1)
    assert len(data["mode_z_ohm"]) == 2


def test_modes_of_a_section(file) -> None:
    code, out = run("modes", str(file), "cavity")
    assert code == 0
    assert "Only the intended mode travels below 40.5 GHz." in out
    data = json.loads(run("modes", str(file), "bead", "--json")[1])
    assert data["single_mode_up_to_hz"] is None
    assert data["modes"] == [{"kind": "TEM", "cut_off_hz": 0.0}]


def test_materials_are_found(tmp_path) -> None:
    path = tmp_path / "found.csv"
    code, out = run("materials", "flex", "--csv", str(path))
    assert code == 0
    assert "Polyimide flex film: Dk 3.400" in out
    assert path.read_text().startswith("material,frequency [GHz]")


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("line", "FILE", "nobody"), "no class 'nobody'"),
        (("modes", "FILE", "nothing"), "no section 'nothing'"),
        (("build", "FILE", "--write", "layers"), "FORMAT=FILE"),
        (("build", "FILE", "--write", "gerber=x"), "unknown format"),
        (("build", "FILE", "--read", "/nowhere.xml"), "no such file"),
        (("materials", "unobtainium"), "no such material"),
    ],
)
def test_mistakes_are_said(file, arguments, words) -> None:
    given = [str(file) if a == "FILE" else a for a in arguments]
    with pytest.raises(InputError, match=words):
        CliRunner().invoke(app, given, catch_exceptions=False)
