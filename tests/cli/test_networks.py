"""The command about networks."""

from __future__ import annotations

import json
from importlib import resources
from pathlib import Path

import numpy as np
import pytest
from typer.testing import CliRunner

from onda.cli.main import app
from onda.errors import InputError
from onda.formats.touchstone.reader import read_touchstone
from onda.project.model import Project
from onda.project.store import save_project

DATA = Path(str(resources.files("onda.data"))) / "networks"
SETS = DATA.parent / "requirements"

pytestmark = pytest.mark.usefixtures("results_at_hand")


def run(*arguments: str) -> tuple[int, str]:
    result = CliRunner().invoke(app, ["network", *arguments], catch_exceptions=False)
    return result.exit_code, result.output


def as_json(*arguments: str) -> dict:
    code, out = run(*arguments, "--json")
    assert code in (0, 1)
    return json.loads(out)


def test_a_wrong_order_is_told_and_mended() -> None:
    file = str(DATA / "fulmar_sensor_cable.s4p")
    code, out = run(file)
    assert code == 0
    assert "looks wrong: try --ports '1 3 2 4'" in out
    assert as_json(file, "--ports", "1 3 2 4")["better_order"] == []


def test_fixtures_are_split_and_taken_away(tmp_path: Path) -> None:
    half, bare = tmp_path / "half.s4p", tmp_path / "bare.s4p"
    assert run(str(DATA / "fulmar_fixture_2x.s4p"), "--halves", "--write", str(half))[0] == 0
    turned = tmp_path / "turned.s4p"
    assert run(str(half), "--ports", "3 4 1 2", "--write", str(turned))[0] == 0
    code, _ = run(
        str(DATA / "fulmar_mezzanine_in_fixture.s4p"),
        "--remove-left", str(half), "--remove-right", str(turned), "--write", str(bare),
    )  # fmt: skip
    assert code == 0
    found = read_touchstone(bare.read_bytes(), "x.s4p")
    truth = read_touchstone((DATA / "fulmar_mezzanine.s4p").read_bytes(), "x.s4p")
    low = found.frequency < 15e9
    assert np.abs(found.data - truth.data)[low].max() < 0.03


def test_an_order_is_that_of_every_file_of_a_chain(tmp_path: Path) -> None:
    file = DATA / "fulmar_sensor_cable.s4p"
    mended, both = tmp_path / "mended.s4p", tmp_path / "both.s4p"
    order = ("--ports", "1 3 2 4")
    assert run(str(file), *order, "--write", str(mended))[0] == 0
    assert run(str(file), str(file), *order, "--write", str(both))[0] == 0
    twice = tmp_path / "twice.s4p"
    assert run(str(mended), str(mended), "--write", str(twice))[0] == 0
    found, wanted = (read_touchstone(f.read_bytes(), f.name) for f in (both, twice))
    assert np.allclose(found.data, wanted.data, atol=1e-9)
    # Twice the way takes twice the phase.
    one = read_touchstone(mended.read_bytes(), "one.s4p")
    low = slice(1, 20)
    turn = np.angle(one.data[low, 2, 0] ** 2 / wanted.data[low, 2, 0])
    assert np.abs(turn).max() < 0.3


def test_both_fixtures_go_by_their_2x_through(tmp_path: Path) -> None:
    two, measured = DATA / "fulmar_fixture_2x.s4p", DATA / "fulmar_mezzanine_in_fixture.s4p"
    bare = tmp_path / "bare.s4p"
    assert run(str(measured), "--through", str(two), "--write", str(bare))[0] == 0
    found = read_touchstone(bare.read_bytes(), "x.s4p")
    truth = read_touchstone((DATA / "fulmar_mezzanine.s4p").read_bytes(), "x.s4p")
    low = found.frequency < 20e9
    assert np.abs(found.data - truth.data)[low].max() < 0.03
    # The same by hand, half by half.
    halves = []
    for side in ("left", "right"):
        file = tmp_path / f"{side}.s4p"
        halves += [f"--remove-{side}", str(file)]
        code, _ = run(
            str(two), "--halves", "--like", str(measured), "--side", side, "--write", str(file)
        )
        assert code == 0
    again = tmp_path / "again.s4p"
    assert run(str(measured), *halves, "--write", str(again))[0] == 0
    data = read_touchstone(again.read_bytes(), "x.s4p").data
    assert data == pytest.approx(found.data, abs=1e-6)
    for wrong, words in (
        (("--remove-left", str(two)), "--through takes both fixtures away"),
        (("--halves", "--side", "up"), "--side up: no side"),
    ):
        with pytest.raises(InputError, match=words):
            run(str(measured), "--through", str(two), *wrong)


def test_limits_decide_the_exit_code(tmp_path: Path) -> None:
    hub = str(DATA / "fulmar_hub_card.s4p")
    limits = ("--limits", str(SETS / "fulmar_files.json"))
    code, out = run(hub, *limits)
    assert code == 1
    assert "Passivity 99.2 %" in out
    assert run(hub, *limits, "--remedy", "passive")[0] == 0
    profile = tmp_path / "p.csv"
    written = as_json(hub, "--rise", "40 ps", "--rate", "26.5625GBd", "--profile", str(profile))
    assert written["edge_s"] == pytest.approx(40e-12)
    assert written["lanes"][0]["ild_db"] < 0.1
    assert profile.read_text().startswith("lane,mode,side,delay_s,impedance_ohm\n1,diff,left,")


def test_crosstalk_has_its_place() -> None:
    found = as_json(str(DATA / "fulmar_board_uplinks.s8p"))
    worst = found["crosstalk"][0]
    # The opening lies at 38 to 42 mm, 224 to 248 ps down the line.
    assert worst["place_s"] == pytest.approx(230e-12, abs=20e-12)
    assert worst["share"] > 0.8
    assert found["parts"][0]["kind"] == "series L"


def test_networks_of_a_project(project: Project, tmp_path: Path) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(project, file)
    found = as_json(str(file), "--network", "up0-channel")
    assert [m["state"] for m in found["limits"]].count("fails") == 0
    with pytest.raises(InputError, match="up0-channel"):
        run(str(file), "--network", "nobody")


def test_large_sets_go_to_hdf5_and_back(tmp_path: Path) -> None:
    out = tmp_path / "x.h5"
    assert run(str(DATA / "fulmar_mezzanine.s4p"), "--write", str(out))[0] == 0
    assert as_json(str(out))["points"] == 600
    two = tmp_path / "x.ts"
    run(str(out), "--reference", "42.5 ohm", "--write", str(two))
    assert read_touchstone(two.read_bytes(), "x.ts").reference == pytest.approx(np.full(4, 42.5))


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("nobody.s4p",), "cannot be read"),
        (("{mezz}", "--ports", "1 soup"), "no order"),
        (("{mezz}", "--ports", "1 9"), "there is no port 9"),
        (("{mezz}", "--remedy", "wishful"), "no remedy"),
        (("{mezz}", "--rate", "soup"), "not a data rate"),
        (("{mezz}", "--write", "x.s2p"), "cannot be written"),
        (("{mezz}", "--limits", "nobody.json"), "cannot be read"),
        (("{mezz}", "{board}"), "need the same number of ports"),
    ],
)
def test_wrong_requests_are_told(arguments: tuple[str, ...], words: str) -> None:
    names = {"mezz": DATA / "fulmar_mezzanine.s4p", "board": DATA / "fulmar_board_uplinks.s8p"}
    with pytest.raises(InputError, match=words):
        run(*(a.format(**names) for a in arguments))
