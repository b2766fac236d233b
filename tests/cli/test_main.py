"""The command line: exit codes, tables, JSON, errors with file and remedy."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import pytest

from onda import __version__
from onda.app.tour import take_tour
from onda.cli.main import main
from onda.demo import fulmar_project
from onda.project.base import set_value
from onda.project.buses.bus import EndSetting
from onda.project.coupling.edits import set_spacing
from onda.project.edits import remove_object, replace_object
from onda.project.kind import Ref
from onda.project.model import Project
from onda.project.quantities import parse_quantity
from onda.project.store import save_project

pytestmark = pytest.mark.usefixtures("results_at_hand")
whole_board = pytest.mark.usefixtures("shared_cache")
"""Of tests that look at everything: one worker computes it, the others wait."""


def run(monkeypatch: pytest.MonkeyPatch, *arguments: str) -> int:
    """Exit code of `onda ARGUMENTS`."""
    monkeypatch.setattr(sys, "argv", ["onda", *arguments])
    with pytest.raises(SystemExit) as info:
        main()
    return int(info.value.code or 0)


SEEDED = ("clk-two", "trig", "spi-clk")
"""Paths with faults of their own, besides the ringing clock."""


def cured() -> Project:
    project = fulmar_project()
    for path in SEEDED:
        project = remove_object(project, Ref("path", path))
    # The board with the opening goes with its uplink, the cable's ports and the hub card's gain
    # are put right.
    project = remove_object(project, Ref("link", "up1"))
    project = remove_object(project, Ref("network", "board-uplinks"))
    for network, cure in (
        ("sensor-cable", {"order": (1, 3, 2, 4)}),
        ("hub-card", {"remedies": ("passive",)}),
    ):
        cured_one = set_value(project.design.network(network), **cure)
        project = replace_object(project, cured_one)
    # Lanes that crowd each other are set apart.
    for group, spacing in (("converter-lanes", "420 um"), ("memory-byte", "460 um")):
        apart = parse_quantity(spacing, "length")
        spaced = set_spacing(project.design.group(group), "C1", apart)
        project = replace_object(project, spaced)
    # The module that stands by terminates less while the other one is written.
    bus = project.design.bus("byte0")
    write, *others = bus.operations
    ends = {"U1": "dq_34", "A": "dq_odt120", "B": "dq_odt60"}
    settings = tuple(EndSetting(id=device, model=model) for device, model in ends.items())
    write = set_value(write, settings=settings)
    project = replace_object(project, set_value(bus, operations=(write, *others)))
    # The strobe of the next byte is as long as its data.
    bus = project.design.bus("byte1")
    strobe, *data = bus.signals
    strobe = set_value(strobe, lengths=data[0].lengths)
    project = replace_object(project, set_value(bus, signals=(strobe, *data)))
    path = project.design.path("clk-adc")
    rs = set_value(path.elements[0], value=parse_quantity("46 ohm", "resistance"))
    return replace_object(project, set_value(path, elements=(rs, *path.elements[1:])))


@whole_board
def test_check_prints_margins_and_fails_because_of_the_clock(monkeypatch, capsys, tmp_path) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(fulmar_project(), file)
    assert run(monkeypatch, "check", str(file)) == 1
    out = capsys.readouterr().out
    assert "ADC sample clock" in out
    assert "Overshoot" in out
    assert "15 of 87 fail" in out


@whole_board
def test_check_passes_when_the_clock_is_cured(monkeypatch, tmp_path, capsys) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(cured(), file)
    assert run(monkeypatch, "check", str(file)) == 0
    assert "0 of 68 fail" in capsys.readouterr().out


def test_check_as_json_agrees_with_the_table(monkeypatch, capsys, tmp_path) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(fulmar_project(), file)
    assert run(monkeypatch, "check", str(file), "--json", "--only", "paths") == 1
    margins = json.loads(capsys.readouterr().out)
    assert {m["stage"] for m in margins} == {"paths"}
    over = next(m for m in margins if m["requirement"] == "over-clk-adc")
    assert over["state"] == "fails"
    assert over["value"] == pytest.approx(0.596, abs=0.005)
    assert over["margin"] == pytest.approx(0.3 - over["value"])


@whole_board
def test_check_writes_a_report(monkeypatch, capsys, tmp_path) -> None:
    file, folder = tmp_path / "fulmar.onda", tmp_path / "report"
    save_project(fulmar_project(), file)
    assert run(monkeypatch, "check", str(file), "--report", str(folder)) == 1
    html = (folder / "index.html").read_text(encoding="utf-8")
    assert "15 of 87 requirements fail" in html
    assert "ADC sample clock" in html
    for name in ("paths-clk-adc.png", "links-jl0.png", "lines-clocks.png"):
        assert name in html
        assert (folder / name).read_bytes().startswith(b"\x89PNG")


def test_names_in_a_report_are_escaped(monkeypatch, tmp_path, capsys) -> None:
    file, folder = tmp_path / "x.onda", tmp_path / "report"
    whole = fulmar_project()
    # One class is enough of a board to be named.
    design = set_value(
        whole.design,
        paths=(),
        buses=(),
        links=(),
        networks=(),
        groups=(),
        line_classes=whole.design.line_classes[:1],
    )
    save_project(
        set_value(
            whole,
            name="<script>alert(1)</script>",
            design=design,
            requirements=tuple(
                r for r in whole.requirements if r.subject == design.line_classes[0].id
            ),
        ),
        file,
    )
    run(monkeypatch, "check", str(file), "--report", str(folder), "--only", "lines")
    html = (folder / "index.html").read_text(encoding="utf-8")
    assert "<script>alert" not in html
    assert "&lt;script&gt;" in html


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (None, "no such file"),
        (b"{", "line 1"),
        (b"\xff\xfe", "not UTF-8"),
        (b'{"schema_version": 50}', "newer Onda"),
    ],
)
def test_bad_files_exit_with_2_and_a_sentence(
    monkeypatch, capsys, tmp_path, content, words
) -> None:
    file = tmp_path / "bad.onda"
    if content is not None:
        file.write_bytes(content)
    for command in ("check", "open"):
        assert run(monkeypatch, command, str(file)) == 2
        err = capsys.readouterr().err
        assert words in err
        assert "bad.onda" in err
        assert "Traceback" not in err


def test_unknown_stage_and_unwritable_report(monkeypatch, capsys, tmp_path) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(fulmar_project(), file)
    assert run(monkeypatch, "check", str(file), "--only", "soup") == 2
    assert "no stage 'soup'" in capsys.readouterr().err
    blocked = tmp_path / "file"
    blocked.write_text("x")
    assert (
        run(monkeypatch, "check", str(file), "--only", "lines", "--report", str(blocked / "r")) == 2
    )
    assert "report cannot be written" in capsys.readouterr().err


def test_version(monkeypatch, capsys) -> None:
    assert run(monkeypatch, "--version") == 0
    assert capsys.readouterr().out.strip() == f"Onda {__version__}"


def test_verify_other_files(monkeypatch, capsys, tmp_path) -> None:
    case = {
        "topic": "lattice",
        "cases": [
            {
                "id": "mine",
                "inputs": {
                    "nodes": [[{"R": 50, "source": True}], [{"R": 50}]],
                    "lines": [{"node_a": 0, "node_b": 1, "Z0": 50, "delay": 1e-9}],
                    "source": {
                        "v_low": 0,
                        "v_high": 1,
                        "t_start": 0,
                        "rise_time_0_100_linear": 1e-10,
                    },
                    "probes": {"v_load": 1},
                },
                "at": {"time": [0.5e-9, 2e-9]},
            },
            {"id": "broken", "inputs": {}},
        ],
    }
    file = tmp_path / "mine.json"
    file.write_text(json.dumps(case))
    assert run(monkeypatch, "verify", str(file), "--json") == 0
    answer = json.loads(capsys.readouterr().out)
    assert answer["topic"] == "lattice"
    assert answer["cases"][0]["outputs"]["v_load"] == pytest.approx([0.0, 0.5], abs=1e-3)
    assert answer["cases"][1]["id"] == "broken"
    assert "error" in answer["cases"][1]
    assert run(monkeypatch, "verify", str(tmp_path / "none.json")) == 2
    assert "cannot be read" in capsys.readouterr().err


def test_verify_fails_where_an_output_is_off(monkeypatch, capsys, tmp_path) -> None:
    from onda.verification.runner import public_files

    data = json.loads(public_files()["lossy_line.json"])
    data["cases"] = data["cases"][:1]
    file = tmp_path / "c.json"
    file.write_text(json.dumps(data))
    assert run(monkeypatch, "verify", str(file)) == 0
    data["cases"][0]["outputs"]["pulse_peak"] *= 1.2
    file.write_text(json.dumps(data))
    assert run(monkeypatch, "verify", str(file)) == 1
    assert "FAILS" in capsys.readouterr().out


@whole_board
def test_headless_demo_leaves_a_report_with_pictures(monkeypatch, capsys, tmp_path, qapp) -> None:
    folder = tmp_path / "report"
    assert run(monkeypatch, "demo", "--headless", "--report", str(folder)) == 0
    names = {p.name for p in folder.iterdir()}
    assert {"index.html", "fulmar.onda", "paths-clk-adc.png", "networks-up0-channel.png"} <= names
    assert "window-1-clock-fails.png" in names
    assert "window-4-eye.png" in (folder / "index.html").read_text(encoding="utf-8")
    assert "15 of 87 fail" in capsys.readouterr().out


@whole_board
def test_tour_takes_its_pictures(tmp_path: Path, qapp) -> None:
    pictures = take_tour(fulmar_project(), tmp_path)
    assert len(pictures) == 6
    for name in pictures:
        assert (tmp_path / name).stat().st_size > 20_000


# -- paths and devices ---------------------------------------------


@pytest.fixture
def fulmar_file(tmp_path):
    file = tmp_path / "fulmar.onda"
    save_project(fulmar_project(), file)
    return file


def test_path_prints_what_every_receiver_sees(monkeypatch, capsys, fulmar_file, tmp_path) -> None:
    waves = tmp_path / "w.csv"
    args = ("path", str(fulmar_file), "--path", "clk-two", "--set", "Rs=40ohm", "--json")
    assert run(monkeypatch, *args, "--waveforms", str(waves)) == 0
    found = json.loads(capsys.readouterr().out)
    assert set(found) == {"U4.B2", "U5.B2"}
    assert found["U5.B2"]["overshoot"] < 0.3
    rows = waves.read_text().splitlines()
    assert rows[0] == "time_s,driver_V,U4.B2_V,U5.B2_V"
    assert len(rows) > 400


def test_path_sweeps_and_says_why(monkeypatch, capsys, fulmar_file) -> None:
    sweep = ("path", str(fulmar_file), "--path", "clk-chain", "--sweep", "Rs=0..80ohm")
    assert run(monkeypatch, *sweep, "--json") == 0
    found = json.loads(capsys.readouterr().out)
    low, high = found["holds"]
    assert 15.0 < low < found["best"] < high < 60.0
    assert run(monkeypatch, *sweep) == 0
    assert "holds from" in capsys.readouterr().out
    assert run(monkeypatch, "path", str(fulmar_file), "--why") == 0
    told = capsys.readouterr().out
    assert "as it is: overshoot at U3.B2 0.5" in told
    assert "without via V1: " in told
    assert run(monkeypatch, "path", str(fulmar_file), "--why", "--json") == 0
    found = json.loads(capsys.readouterr().out)
    assert (found["measure"], found["receiver"]) == ("overshoot", "receiver")
    without = {row["without"]: row for row in found["found"]}
    assert without["via V1"]["helps"]
    assert not without["U3.B2's 3.5 pF"]["helps"]
    assert without["via V1"]["better_by"] == pytest.approx(
        found["value"] - without["via V1"]["value"]
    )


@pytest.mark.parametrize(
    ("more", "words"),
    [
        (("--path", "nothing"), "no path 'nothing'"),
        (("--set", "Rs=3apples"), "unknown unit"),
        (("--set", "Q=3ohm"), "no such element"),
        (("--set", "V1=3ohm"), "only resistors and lengths"),
        (("--sweep", "Rs=30ohm"), "no range"),
        (("--sweep", "V1=1..2ohm"), "no value to sweep"),
        (("--corner", "hot"), "corner"),
    ],
)
def test_path_refuses_nonsense(monkeypatch, capsys, fulmar_file, more, words) -> None:
    assert run(monkeypatch, "path", str(fulmar_file), *more) == 2
    assert words in capsys.readouterr().err


def test_device_reads_a_file(monkeypatch, capsys, fulmar_file) -> None:
    clock = fulmar_file.parent / "devices" / "fulmar_clock.ibs"
    assert run(monkeypatch, "device", str(clock), "--json") == 0
    found = json.loads(capsys.readouterr().out)
    assert found["models"]["io18_strong"]["quality"] < 0.005
    assert found["remarks"] == []
    assert run(monkeypatch, "device", str(clock), "--model", "io18_light", "--corner", "min") == 0
    assert "r_high" in capsys.readouterr().out
    assert run(monkeypatch, "device", str(clock), "--model", "none") == 2
    assert "no model 'none'" in capsys.readouterr().err
    clock.write_text("[IBIS Ver] 5.0\n[Model] m\nModel_type Output\n")
    assert run(monkeypatch, "device", str(clock)) == 0
    out = capsys.readouterr().out
    assert "error: line 2, [Model]: a model of type Output needs [Pullup]" in out
    assert run(monkeypatch, "device", str(clock.parent / "none.ibs")) == 2
