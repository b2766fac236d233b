"""The commands about the build and its lines."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from typer.testing import CliRunner

from onda.cli.main import app
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.build.edits import with_stackup
from onda.project.build.library import library, material_to_row
from onda.project.model import Project
from onda.project.quantities import parse_quantity
from onda.project.store import load_project, save_project
from onda.studies.build.remarks import build_remarks
from onda.studies.core.margin import State


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


def test_remarks_as_json_are_those_of_the_study(project, file, tmp_path) -> None:
    found = build_remarks(project.design)
    code, out = run("build", str(file), "--json")
    data = json.loads(out)
    assert code == (1 if any(r.state is State.FAILS for r in found) else 0)
    assert data["remarks"] == [
        {"state": r.state.value, "text": r.text, "where": r.where} for r in found
    ]
    assert data["told"] == [f"{r.state.value:7} {r.text}" for r in found]
    # A hole that is drilled too deep fails, and so does the command.
    via = set_value(project.design.stackup.vias[0], drill=parse_quantity("20 um", "length"))
    vias = (via, *project.design.stackup.vias[1:])
    deep = with_stackup(project, vias=vias)
    path = tmp_path / "deep.onda"
    save_project(deep, path)
    code, out = run("build", str(path), "--json")
    assert code == 1
    assert "fails" in {r["state"] for r in json.loads(out)["remarks"]}


def test_what_was_read_and_could_not_be_taken_is_told(file, tmp_path) -> None:
    written = tmp_path / "b.xml"
    assert run("build", str(file), "--write", f"ipc2581-c={written}")[1].endswith(
        f"written: {written}\n"
    )
    wanting = tmp_path / "wanting.xml"
    wanting.write_text(written.read_text().replace('<SpecRef id="layer D12"/>', ""))
    told = json.loads(run("build", str(file), "--read", str(wanting), "--json")[1])["told"]
    (one,) = [t for t in told if t.startswith("wanting.xml: D12")]
    assert one.startswith("wanting.xml: D12: no material given; taken as ")


def test_materials_as_json_are_those_nearest_a_gigahertz() -> None:
    found = json.loads(run("materials", "polyimide", "--json")[1])
    by_name = {m.as_material("m").name: material_to_row(m.as_material("m"))
               for m in library().materials}  # fmt: skip
    assert found
    for one in found:
        row = by_name[one["name"]]
        at, dk, df = min(row.points, key=lambda p: abs(p[0] - 1e9))
        assert (one["at_hz"], one["dk"], one["df"]) == (at, dk, df)
        assert all("polyimide" in m["name"].lower() for m in found)


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
