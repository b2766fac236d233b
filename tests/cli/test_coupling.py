"""The command about groups."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from typer.testing import CliRunner

from onda.cli.main import app
from onda.demo import fulmar_project
from onda.errors import InputError
from onda.formats.touchstone.reader import read_touchstone
from onda.project.store import save_project

pytestmark = pytest.mark.usefixtures("results_at_hand")


@pytest.fixture
def file(tmp_path: Path) -> str:
    save_project(fulmar_project(), tmp_path / "fulmar.onda")
    return str(tmp_path / "fulmar.onda")


def run(*arguments: str) -> tuple[int, str]:
    result = CliRunner().invoke(app, ["coupling", *arguments], catch_exceptions=False)
    return result.exit_code, result.output


def as_json(*arguments: str) -> tuple[int, dict]:
    code, out = run(*arguments, "--json")
    return code, json.loads(out)


def test_matrix_sums_and_what_is_allowed(file) -> None:
    code, data = as_json(file)
    assert code == 1
    assert [x["lane"] for x in data["lanes"]] == ["JL0", "JL1", "JL2", "JL3", "UP0", "UP1"]
    assert [x["is_allowed"] for x in data["lanes"]] == [True, True, True, False, False, True]
    assert [x["towards"] for x in data["lanes"]][3:5] == ["right", "left"]
    by_lane = np.array(data["noise_by_lane_v"])
    totals = [x["noise_v"] for x in data["lanes"]]
    assert np.sqrt((by_lane**2).sum(axis=1)) == pytest.approx(totals)
    near = np.array(data["near"])
    for k, one in enumerate(data["lanes"]):
        assert one["noise_near_v"] == pytest.approx(np.sqrt((by_lane[k][near[k]] ** 2).sum()))
        peaks = np.abs(np.array(data["peaks_v"][k]))
        assert one["near_end_peak_v"] == pytest.approx(peaks[near[k]].sum())
        assert one["arrival_spread_s"] >= 0.0
    worst = max(x["noise_v"] / x["allowed_v"] for x in data["lanes"])
    share = next(x for x in data["limits"] if x["measure"] == "noise_share")
    assert share["value"] == pytest.approx(worst)
    assert share["state"] == "fails"
    text = run(file)[1]
    assert f"together {1e3 * totals[4]:.3g} mV, allowed 3.07" in text
    assert f"{1e3 * by_lane[4][3]:7.3f}n" in text
    assert f"{1e3 * by_lane[1][0]:7.3f}f" in text


def test_changes_are_tried_without_being_kept(file) -> None:
    code, data = as_json(file, "--set", "spacing:C1:4=420um")
    assert code == 0
    assert all(x["is_allowed"] for x in data["lanes"])
    code, slower = as_json(
        file, "--set", "spacing=420um", "--set", "rate=10 GBd", "--set", "near=0.2V"
    )
    assert code == 0
    assert slower["lanes"][4]["loss_db"] < data["lanes"][4]["loss_db"]
    assert as_json(file)[0] == 1
    _, longer = as_json(file, "--group", "memory-byte", "--set", "length=60 mm")
    _, usual = as_json(file, "--group", "memory-byte")
    assert longer["delay_s"] == pytest.approx(usual["delay_s"] * 66 / 44, rel=0.01)


def test_a_search_and_a_file_of_the_network(file, tmp_path) -> None:
    out = tmp_path / "byte.s16p"
    code, data = as_json(
        file, "--group", "Memory byte 0", "--search", "length", "--write", str(out)
    )
    assert code == 1
    found = data["search"]
    assert found["limiting"] == "arrival_spread"
    assert 10e-3 < found["found_m"] < 30e-3
    assert found["words"].startswith("Up to ")
    held = as_json(file, "--group", "memory-byte", "--set", f"length={found['found_m'] * 1e3} mm")
    assert held[0] == 0
    network = read_touchstone(out.read_bytes(), out.name)
    assert network.data.shape[1:] == (16, 16)
    # Line 1 to its right end comes through; its neighbour's far end is quieter.
    at = 100
    assert abs(network.data[at, 8, 0]) > 0.9
    assert abs(network.data[at, 9, 0]) < 0.2


def test_waves_of_a_lane_with_its_devices(file) -> None:
    arguments = (file, "--group", "memory-byte", "--waves", "dq3")
    code, data = as_json(*arguments)
    assert code == 1
    waves = data["waves"]
    assert waves["lane"] == "DQ3"
    times = [waves[f"arrival_{case}_s"] for case in ("against", "quiet", "along")]
    assert times == sorted(times)
    assert waves["spread_s"] == pytest.approx(times[2] - times[0])
    assert waves["low_v"] < waves["level_v"] < waves["high_v"]
    assert f"arrives after {1e12 * times[1]:.1f} ps" in run(*arguments)[1]


def test_the_eye_of_a_lane(file) -> None:
    arguments = (file, "--group", "memory-byte", "--eye", "dq3")
    _, rare = as_json(*arguments)
    _, often = as_json(*arguments, "--ber", "1e-3")
    assert rare["eye"]["height_v"] < often["eye"]["height_v"] < often["eye"]["height_alone_v"]
    assert rare["eye"]["error_rate"] == 1e-12
    assert 0.0 < rare["eye"]["width_s"] < rare["eye"]["width_alone_s"] <= 1.2 / 2.4e9
    text = run(*arguments)[1]
    assert f"eye {1e3 * rare['eye']['height_v']:.1f} mV" in text
    heard, sometimes = rare["eye"]["heard"]["all"], often["eye"]["heard"]["all"]
    assert 0.0 < heard["effective_v"] < sometimes["at_error_rate_v"] < heard["at_error_rate_v"]
    assert heard["at_error_rate_v"] < heard["most_v"]
    assert rare["eye"]["heard"]["near"]["most_v"] == 0.0
    assert f"at random {1e3 * heard['effective_v']:.3g} mV rms" in text


def test_vias_are_tried_from_the_command_line(file) -> None:
    byte = (file, "--group", "memory-byte")
    _, plain = as_json(*byte)
    _, drilled = as_json(*byte, "--set", "vias:C1=L6", "--set", "pitch:C1=0.8mm")
    _, wide = as_json(*byte, "--set", "vias:C1=L6", "--set", "pitch:C1=2mm")
    _, taken = as_json(*byte, "--set", "vias:C1=L6", "--set", "vias:C1=none")
    noise = [x["lanes"][3]["noise_v"] for x in (plain, wide, drilled)]
    assert noise == sorted(noise)
    assert noise[0] < 0.9 * noise[2]
    assert taken["lanes"][3] == plain["lanes"][3]
    # About 0.7 mm of barrel.
    assert 4e-12 < drilled["delay_s"] - plain["delay_s"] < 10e-12


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("--group", "x"), "x"),
        (("--set", "gap=3"), "nothing called 'gap' can be set"),
        (("--set", "spacing"), "no value"),
        (("--set", "spacing:C1:x=3um"), "'x' is no lane"),
        (("--set", "spacing:C9=300um"), "no piece 'C9'"),
        (("--set", "spacing:C1:9=300um"), "no lane behind lane 9"),
        (("--set", "length=3 mm"), "2 coupled pieces"),
        (("--set", "rise=soon"), "is not a time"),
        (("--set", "vias:F1=L9"), "no layer 'L9'"),
        (("--set", "vias:F1=L3"), "to the same layer"),
        (("--set", "vias:C2=L1"), "both run on L3"),
        (("--set", "pitch:F1=1mm"), "F1 has no vias"),
        (("--eye", "x"), "no lane 'x'"),
        (("--eye", "jl0", "--ber", "2"), "error rate"),
        (("--waves", "x"), "no lane 'x'"),
        (("--waves", "jl0"), "made of pairs"),
        (("--search", "colour"), "cannot be searched"),
        (("--write", "net.s9p", "--group", "memory-byte"), "16 ports cannot be written"),
    ],
)
def test_what_is_wrong_is_said(file, arguments, words) -> None:
    with pytest.raises(InputError, match=words):
        run(file, *arguments)


def test_choices_bits_and_splits(file) -> None:
    byte = (file, "--group", "memory-byte")
    code, data = as_json(*byte, "--choices", "--split", "C1", "--bits", "dq3")
    assert code == 1
    inner = data["choices"][0]
    assert inner["instead"] == "all on L3"
    assert inner["change_db"][3] == pytest.approx(
        20 * np.log10(inner["noise_v"][3] / data["lanes"][3]["noise_v"]), abs=0.3
    )
    split = data["split"]
    assert split["best"]["margin"] >= split["now"]["margin"]
    assert split["words"].startswith("Of 2.566 mm")
    assert 0.6 < data["bits"]["height_v"] < 0.8
    assert 0.3e-9 < data["bits"]["width_s"] < 1 / 2.4e9
    _, out = run(*byte, "--bits", "dq3")
    assert "DQ3, 127 bits on all lanes: ones and zeros 7" in out
    with pytest.raises(InputError, match="no coupled piece 'F1'"):
        run(*byte, "--split", "F1")
