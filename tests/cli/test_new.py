"""A board begun and filled on the command line."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from onda.project.begin import from_template
from onda.project.build.files import write_build
from onda.project.store import load_project
from tests.cli.test_main import run


def test_a_board_from_nothing_to_margins(monkeypatch, capsys, tmp_path: Path) -> None:
    file = str(tmp_path / "tow.onda")
    assert run(monkeypatch, "new", file, "--layers", "4", "--name", "Tow board") == 0
    assert "4 copper layers" in capsys.readouterr().out
    assert run(monkeypatch, "add", file, "line", "name=Single", "layers=L1") == 0
    assert "made: line single, Single" in capsys.readouterr().out
    path = ("add", file, "path", "name=Clock", "length=40 mm", "resistance=50 ohm")
    assert run(monkeypatch, *path) == 0
    assert run(monkeypatch, "add", file, "link", "rate=1 Gb/s", "height=0.2 V") == 0
    project = load_project(Path(file))
    assert project.name == "Tow board"
    assert project.design.line_class("single").on[0].width.si == pytest.approx(191e-6, abs=3e-6)
    capsys.readouterr()
    run(monkeypatch, "check", file, "--json")
    margins = {m["measure"]: m for m in json.loads(capsys.readouterr().out)}
    assert margins["impedance"]["value"] == pytest.approx(50.0, abs=0.3)
    assert margins["overshoot"]["state"] == "holds"
    assert margins["eye_height"]["low"] == 0.2


def test_a_board_from_a_layout_file(monkeypatch, capsys, tmp_path: Path) -> None:
    build = tmp_path / "build.xml"
    write_build(from_template("x", 8), "ipc2581-c", build)
    assert run(monkeypatch, "new", str(tmp_path / "a.onda"), "--from", str(build)) == 0
    made = load_project(tmp_path / "a.onda")
    assert made.name == "a"
    assert len(made.design.stackup.copper) == 8


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("new", "{here}/there.onda"), "is there already"),
        (("new", "{here}/b.onda", "--layers", "7"), "no template of 7 layers"),
        (("new", "{here}/b.onda", "--layers", "2", "--tail"), "no flexible tail"),
        (("new", "{here}/b.onda", "--layers", "4", "--from", "x.csv"), "exclude each other"),
        (("new", "{here}/b.onda", "--from", "{here}/no.csv"), "no such file"),
        (("add", "{here}/there.onda", "castle"), "nothing called 'castle'"),
        (("add", "{here}/there.onda", "path", "name=x"), "there is none yet"),
        (("add", "{here}/there.onda", "line", "target"), "KEY=VALUE"),
        (("add", "{here}/there.onda", "line", "target=x"), "Impedance"),
    ],
)
def test_what_cannot_be_is_bad_input(
    arguments: tuple[str, ...], words: str, monkeypatch, capsys, tmp_path: Path
) -> None:
    run(monkeypatch, "new", str(tmp_path / "there.onda"))
    before = (tmp_path / "there.onda").read_bytes()
    capsys.readouterr()
    assert run(monkeypatch, *(a.format(here=tmp_path) for a in arguments)) == 2
    assert words in capsys.readouterr().err
    assert (tmp_path / "there.onda").read_bytes() == before
    assert not (tmp_path / "b.onda").exists()


def test_keys_are_listed_with_their_defaults(monkeypatch, capsys, tmp_path: Path) -> None:
    file = str(tmp_path / "a.onda")
    run(monkeypatch, "new", file)
    capsys.readouterr()
    assert run(monkeypatch, "add", file, "line") == 0
    told = capsys.readouterr().out
    assert "target=50 ohm" in told
    assert "layers=L1, L3, L4, L6" in told
