"""The commands about links."""

from __future__ import annotations

import json

import numpy as np
import pytest
from typer.testing import CliRunner

from onda.cli.main import app
from onda.demo import fulmar_project
from onda.errors import InputError
from onda.formats.signal_csv import write_signals
from onda.project.base import set_value
from onda.project.store import save_project
from onda.studies.links.corners import LINK_CORNERS, corner_inputs
from onda.studies.links.eye import EYE
from onda.studies.links.inputs import eye_inputs, link_inputs
from onda.studies.links.link import LINK
from onda.studies.links.merit_map import LINK_MAP, MapInputs
from onda.studies.links.sweep import LINK_SWEEP, sweep_inputs
from tests.models import MODELS, needs_compiler, shipped_model

pytestmark = pytest.mark.usefixtures("results_at_hand")


@pytest.fixture(scope="module")
def file(tmp_path_factory: pytest.TempPathFactory) -> str:
    """Fulmar with a lane and an uplink."""
    project = fulmar_project()
    links = tuple(x for x in project.design.links if x.id in ("jl0", "up1"))
    wanted = tuple(r for r in project.requirements if r.subject in ("jl0", "up1"))
    project = set_value(project, design=set_value(project.design, links=links), requirements=wanted)
    path = tmp_path_factory.mktemp("links") / "fulmar.onda"
    save_project(project, path)
    return str(path)


def run(*arguments: str) -> tuple[int, str]:
    result = CliRunner().invoke(app, list(arguments), catch_exceptions=False)
    return result.exit_code, result.output


def test_the_eye_is_that_of_the_study(file, runner) -> None:
    project = fulmar_project()
    code, out = run("eye", file, "--json")
    data = json.loads(out)
    assert code == 0
    result = runner.result(LINK, link_inputs(project.design, project.design.link("jl0")))
    assert data["name"] == "Converter lane 0"
    assert data["error_rate"] == 1e-12
    assert data["height_v"] == pytest.approx(result.eye.height)
    assert data["width_s"] == pytest.approx(result.eye.width)
    assert data["width_ui"] == pytest.approx(result.eye.width / result.unit_interval)
    assert data["worst_case_height_v"] == pytest.approx(result.worst)
    assert data["cursors_v"]["0"] == pytest.approx(result.cursors[0])
    assert [s["name"] for s in data["settings"]] == ["all equalisers"]
    _, out = run("eye", file, "--ber", "1e-6", "--json")
    assert json.loads(out)["height_v"] > data["height_v"]
    _, out = run("eye", file)
    assert f"all equalisers: {1e3 * result.eye.height:.1f} mV" in out


def test_limits_that_go_by_the_error_rate_decide_the_exit(file, tmp_path) -> None:
    code, out = run("eye", file, "--link", "up1", "--json")
    data = json.loads(out)
    assert code == 0
    assert {x["measure"]: x["state"] for x in data["limits"]} == {
        "eye_height_at_rate": "holds",
        "link_merit": "holds",
    }
    assert [e["name"] for e in data["settings"][0]["eyes"]] == ["lower", "middle", "upper"]
    code, out = run("eye", file, "--link", "up1", "--ber", "1e-15", "--json")
    states = {x["measure"]: x["state"] for x in json.loads(out)["limits"]}
    assert code == (1 if "fails" in states.values() else 0)
    with pytest.raises(InputError, match="there is no link 'x'"):
        run("eye", file, "--link", "x")
    with pytest.raises(InputError, match=r"error rate of 0\.5"):
        run("eye", file, "--ber", "0.5")


def test_the_operating_margin_by_a_sheet(file, tmp_path) -> None:
    sheet = tmp_path / "sheet.json"
    few = {"before": [0.0, -0.1], "behind": [0.0], "gains": [0.0, -2.0], "decisions": 8}
    sheet.write_text(json.dumps(few))
    code, out = run("margin", file, "--link", "up1", "--sheet", str(sheet), "--json")
    data = json.loads(out)
    assert data["sheet"]["decisions"] == 8
    assert data["sheet"]["baud"] == pytest.approx(26.5625e9)
    assert data["sheet"]["levels"] == 4
    assert len(data["decision_taps"]) == 8
    assert data["setting_gain_db"] in (0.0, -2.0)
    assert code == (1 if data["com_db"] < 3.0 else 0)
    # Without a package it has more.
    bare = few | {"package_length": 0.0, "capacitance": 0.0, "board_capacitance": 0.0}
    sheet.write_text(json.dumps(bare))
    _, out = run("margin", file, "--link", "up1", "--sheet", str(sheet), "--json")
    better = json.loads(out)["com_db"]
    assert better > data["com_db"] + 1.0
    code, _ = run(
        "margin", file, "--link", "up1", "--sheet", str(sheet), "--at-least", f"{better - 0.1}"
    )
    assert code == 0


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("{", "is no JSON"),
        ("[1]", "no sheet"),
        ('{"nothing": 1}', "no parameter 'nothing'"),
        ('{"noise": "x"}', "is no number"),
        ('{"gains": []}', "gains: must be one value or more"),
    ],
)
def test_sheets_that_are_wrong(file, tmp_path, text, words) -> None:
    sheet = tmp_path / "sheet.json"
    sheet.write_text(text)
    with pytest.raises(InputError, match=words):
        run("margin", file, "--link", "up1", "--sheet", str(sheet))


def test_figures_of_the_margin_are_printed_with_what_speaks_against_them(file, tmp_path) -> None:
    sheet = tmp_path / "sheet.json"
    few = {"before": [0.0], "behind": [0.0], "gains": [0.0], "decisions": 2, "tap_limit": 1e-3}
    sheet.write_text(json.dumps(few))
    arguments = ("margin", file, "--link", "up1", "--sheet", str(sheet))
    data = json.loads(run(*arguments, "--json")[1])
    assert data["warnings"] == ["a tap of the feedback stands at its limit"]
    code, out = run(*arguments)
    assert code == (1 if data["com_db"] < 3.0 else 0)
    *lines, last = out.strip().splitlines()
    assert last == f"but {data['warnings'][0]}"
    printed = dict(line.split(maxsplit=1) for line in lines)
    for name, value in data.items():
        if isinstance(value, float):
            assert float(printed[name]) == pytest.approx(value, rel=1e-4)
    taps = [float(x) for x in printed["decision_taps"].split()]
    assert taps == pytest.approx(data["decision_taps"], rel=1e-3)
    assert not {"sheet", "warnings"} & set(printed)


def test_a_link_over_a_path_has_no_operating_margin(file) -> None:
    with pytest.raises(InputError, match="does not run over a network"):
        run("margin", file, "--link", "jl0")


@needs_compiler
def test_an_executable_model_is_tried_from_the_command_line(file, tmp_path) -> None:
    for name in ("fulmar_tx", "fulmar_rx"):
        shipped_model(tmp_path, name)
    both = (
        "--sender", str(tmp_path / "fulmar_tx.ami"), "--listener", str(tmp_path / "fulmar_rx.ami"),
    )  # fmt: skip
    plain = json.loads(run("eye", file, "--json")[1])
    code, out = run("eye", file, *both, "--json")
    data = json.loads(out)
    assert code in (0, 1)
    assert [s["name"] for s in data["settings"]] == ["all equalisers", "without models"]
    assert data["settings"][1]["height_v"] == pytest.approx(plain["height_v"])
    device = tmp_path / "fulmar_serdes.ibs"
    device.write_bytes((MODELS / "fulmar_serdes.ibs").read_bytes())
    named = ("--sender", str(device), "--listener", f"{device}:serdes_rx")
    assert json.loads(run("eye", file, *named, "--json")[1]) == data
    with pytest.raises(InputError, match=r"2 of its models run here.*serdes_tx, serdes_rx"):
        run("eye", file, "--listener", str(device))
    other = json.loads(run("eye", file, *both, "--set", "sender.behind=-0.4", "--json")[1])
    assert other["height_v"] != pytest.approx(data["height_v"], rel=1e-3)
    for arguments, words in (
        (("--set", "sender.behind=1"), "no model at that end"),
        ((*both, "--set", "behind=1"), "--set behind=1"),
        ((*both, "--set", "sender.behind=1"), "lies between"),
        (("--sender", str(tmp_path / "none.ami")), "none.ami"),
    ):
        with pytest.raises(InputError, match=words):
            run("eye", file, *arguments)


@needs_compiler
def test_a_model_alone_tells_what_it_takes_and_what_it_gives(tmp_path) -> None:
    ami, library = shipped_model(tmp_path, "fulmar_tx")
    data = json.loads(run("ami", str(ami), "--json")[1])
    names = [p["name"] for p in data["parameters"]]
    assert "behind" in names
    assert data["root"] in run("ami", str(ami), "--set", "behind=-0.2", "--json")[1]
    lines = run("ami", str(ami))[1].splitlines()
    assert [line.split(" (")[0] for line in lines] == names
    # A single sample: what comes back are its taps, a bit apart.
    signal = tmp_path / "impulse.csv"
    time = np.arange(400) * 1e-12
    impulse = np.zeros((400, 1))
    impulse[10] = 1.0
    signal.write_text(write_signals(time, impulse, ("volts",)))
    asked = ("ami", str(ami), "--library", str(library), "--impulse", str(signal),
             "--bit-time", "100 ps", "--set", "behind=-0.2")  # fmt: skip
    data = json.loads(run(*asked, "--json")[1])
    found = np.array(data["impulse"])
    places = np.flatnonzero(np.abs(found) > 1e-9)
    assert len(places) >= 2
    assert set(np.diff(places)) == {100}
    assert data["wave"] == []
    words = run(*asked)[1]
    assert f"impulse response of {len(found)} samples, largest {abs(found).max():.4g}" in words
    assert "behind" in words
    with pytest.raises(InputError, match="one of --impulse and --wave"):
        run(*asked[:4])
    with pytest.raises(InputError, match="no library to run"):
        run("ami", str(ami), "--wave", str(signal))
    wave = (*asked[:4], "--wave", str(signal), "--bit-time", "100 ps")
    data = json.loads(run(*wave, "--json")[1])
    assert data["impulse"] == []
    out = np.array(data["wave"])
    words = run(*wave)[1]
    assert f"{len(out)} samples from {out.min():.4g} to {out.max():.4g}" in words


def test_a_map_and_a_pulse_from_the_command_line(file, tmp_path, runner) -> None:
    arguments = ("eye", file, "--link", "jl0", "--map", "behind, gain")
    _, out = run(*arguments, "--json")
    found = json.loads(out)["map"]
    project = fulmar_project()
    inputs = link_inputs(project.design, project.design.link("jl0"))
    expected = runner.result(LINK_MAP, MapInputs(inputs, "behind", "gain"))
    assert np.array(found["merit_db"]) == pytest.approx(expected.merit_db)
    assert found["behind"] == pytest.approx(expected.across_values)
    assert found["gain"] == pytest.approx(expected.up_values)
    for name, values in (("best", expected.best), ("chosen", expected.chosen)):
        keys = ("behind", "gain", "db")
        assert found[name] == pytest.approx(dict(zip(keys, values, strict=True)))
    assert found["best"] != found["chosen"]
    assert found["falls_db"] == pytest.approx(expected.falls)
    assert f"a step costs {expected.falls:.2f} dB or less" in run(*arguments)[1]
    with pytest.raises(InputError, match="a map over 'behind' and 'colour'"):
        run("eye", file, "--map", "behind,colour")
    ui = 1.0 / project.design.link("jl0").symbols_per_second
    time = np.linspace(0.0, 8.0 * ui, 801)
    value = np.clip((0.6 - np.abs(time / ui - 1.5)) / 0.2, 0.0, 1.0)
    pulse = tmp_path / "lane.csv"
    pulse.write_text(write_signals(time, 0.4 * value[:, None], ("value",)))
    data = json.loads(run("eye", file, "--link", "jl0", "--pulse", str(pulse), "--json")[1])
    # A lone symbol of 0.4 V and nothing else: that is the eye.
    assert data["worst_case_height_v"] == pytest.approx(0.4, rel=0.02)


def test_sweeps_corners_and_bits_from_the_command_line(file, runner) -> None:
    design = fulmar_project().design
    link = design.link("jl0")
    arguments = ("eye", file, "--link", "jl0", "--sweep", "noise:0,0.004", "--corners", "--bits")
    data = json.loads(run(*arguments, "--json")[1])
    swept = runner.result(LINK_SWEEP, sweep_inputs(design, link, "noise", [0.0, 0.004]))
    assert data["sweep"]["over"] == "noise"
    assert data["sweep"]["values"] == [0.0, 0.004]
    for key, values in (
        ("height_v", swept.heights), ("width_ui", swept.widths), ("merit_db", swept.merits),
        ("loss_db", swept.losses),
    ):  # fmt: skip
        assert data["sweep"][key] == pytest.approx(values)
    corners = runner.result(LINK_CORNERS, corner_inputs(design, link))
    assert [c["name"] for c in data["corners"]] == list(corners.names)
    assert [c["height_v"] for c in data["corners"]] == pytest.approx(
        [p.height for p in corners.points]
    )
    assert [c["width_ui"] for c in data["corners"]] == pytest.approx(
        [p.width for p in corners.points]
    )
    bits = runner.result(EYE, eye_inputs(design, link))
    assert data["bits"]["symbols"] == bits.eye.bits
    assert data["bits"]["pattern"] == "PRBS15"
    (one,) = data["bits"]["eyes"]
    assert one["height_v"] == pytest.approx(bits.eye.height)
    assert one["width_ui"] == pytest.approx(bits.eye.width)
    assert data["bits"]["worst_case_height_v"] == pytest.approx(bits.peak.height)
    words = run(*arguments)[1]
    assert f"noise 0.004: {1e3 * swept.heights[1]:.1f} mV by {swept.widths[1]:.3f} UI" in words
    worst = corners.points[corners.worst]
    assert f"{corners.names[corners.worst]}: {1e3 * worst.height:.1f} mV" in words
    assert f"100000 symbols of PRBS15: {1e3 * bits.eye.height:.1f} mV" in words
    with pytest.raises(InputError, match="--sweep noise:much"):
        run("eye", file, "--sweep", "noise:much")
    with pytest.raises(InputError, match="a sweep over 'colour'"):
        run("eye", file, "--sweep", "colour")
