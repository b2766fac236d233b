"""README's five minutes, step by step, with the real window and the real commands."""

from __future__ import annotations

import re
import shlex
from pathlib import Path

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from onda.app.shell.window import MainWindow
from onda.project.store import load_project
from onda.studies.core.margin import State
from tests.app.conftest import drag, make_window, type_into  # noqa: F401 - a fixture
from tests.cli.test_main import run

README = Path(__file__).parents[1] / "README.md"
TEXT = README.read_text(encoding="utf-8")


def said(pattern: str) -> re.Match[str]:
    """What the README says, to be held against what happens."""
    found = re.search(pattern, " ".join(TEXT.split()))
    assert found is not None, f"README does not say {pattern!r} any more"
    return found


@pytest.fixture
def window(make_window) -> MainWindow:  # type: ignore[no-untyped-def] # noqa: F811
    return make_window()


def test_step_1_and_2_the_clock(window: MainWindow) -> None:
    said("the converter clock fails its overshoot limit")
    assert window.standing.state_of_kinds(["path"]) is State.FAILS
    paths = window.stages["paths"]
    (over,) = (m for m in paths.margins()[1] if m.measure == "overshoot")
    assert over.state is State.FAILS
    QTest.keyClick(paths.ribbon, Qt.Key.Key_Right)
    QTest.keyClick(window, Qt.Key.Key_K)
    assert len(window.document.project.kept) == 1
    wanted = float(said(r"towards (\d+) Ω")[1])
    trim = paths.form.form.trim
    drag(trim, QPointF(trim._x(trim.value), 15), QPointF(trim._x(wanted), 15))
    assert window.settle()
    value = window.document.project.design.path("clk-adc").elements[0].value.si
    assert value == pytest.approx(wanted, abs=1.0)
    (over,) = (m for m in paths.margins()[1] if m.measure == "overshoot")
    assert over.state is State.HOLDS
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.document.project.design.path("clk-adc").elements[0].value.si == 15.0
    low, high = (int(v) for v in said(r"in every corner: (\d+) to (\d+) Ω").groups())
    paths.views.choose("sweep")
    assert window.settle(60_000)
    sweep = paths.views.of("sweep")
    sweep.corners.choose("all")
    assert window.settle(90_000)
    words = sweep.sentence.text()
    found = re.search(r"holds from ([\d.]+) Ω to ([\d.]+) Ω", words)
    assert found is not None, words
    assert (float(found[1]), float(found[2])) == pytest.approx((low, high), abs=1.0)


def test_step_2_the_trigger(window: MainWindow) -> None:
    before, receiver = said(r"steps back ([\d.]+) V at (\S+?)\.? Click").groups()
    after = float(said(r"type `5 mm` for its length: ([\d.]+) V are left")[1])
    window.selection.choose("trig")
    assert window.settle()
    paths = window.stages["paths"]

    def step_back() -> dict[str, float]:
        return {r.name: r.measures.reversal for r in paths.result.receivers}

    found = step_back()
    assert max(found, key=lambda k: found[k]) == receiver
    assert found[receiver] == pytest.approx(float(before), abs=0.005)
    window.selection.choose_element("SB")
    assert window.settle()
    (length,) = (f for f in paths.form.form.fields if f.title.text() == "Length")
    type_into(length.edit, "5 mm")
    assert window.settle()
    assert max(step_back().values()) == pytest.approx(after, abs=0.005)
    paths.views.choose("why")
    assert window.settle(60_000)


def test_step_4_the_sensor_cable(window: MainWindow) -> None:
    said("press .Put in order.")
    window.selection.go("networks")
    window.selection.choose("sensor-cable")
    assert window.settle()
    networks = window.stages["networks"]
    assert "order looks wrong" in networks.proof.verdict.text()
    networks.proof.button.click()
    assert window.settle()
    assert "where the order says" in networks.proof.verdict.text()
    window.selection.choose("board-uplinks")
    networks.views.choose("time")
    assert window.settle(60_000)
    assert "Crosstalk by place" in networks.time._ledger_head.text()


def test_step_5_the_eye(window: MainWindow) -> None:
    window.selection.go("eyes")
    assert window.settle()
    assert said(r"lane 0 over (100 000) bits")
    assert window.stages["eyes"].result.eye.bits == 100_000


def test_step_7_the_memory(window: MainWindow) -> None:
    word = r"`Ctrl\+7`\) the slow corner of \*(Write A)\* is red"
    operation = said(word)[1]
    model, device = said(r"choose `(\w+)` for \*(Module B)\* under \*Write A\*").groups()
    QTest.keyClick(window, Qt.Key.Key_7, Qt.KeyboardModifier.ControlModifier)
    assert window.settle(120_000)
    stage = window.stages["buses"]
    assert window.selection.stage == "buses"

    def states() -> dict[str, set[str]]:
        cells = [c.case for c in stage.map.cells.values() if c.case.operation_name == operation]
        return {c.corner: {x.state for x in cells if x.corner == c.corner} for c in cells}

    assert states() == {"typ": {"holds"}, "slow": {"fails"}, "fast": {"holds"}}
    assert "both levels sag" in stage.sentence.text()
    bus = stage.bus
    write = next(o.id for o in bus.operations if o.name == operation)
    far = next(d.id for d in bus.devices if d.name == device)
    box = stage.table.boxes[write, far]
    box.setCurrentIndex(box.findData(model))
    box.activated.emit(box.currentIndex())
    assert window.settle(120_000)
    assert states() == {"typ": {"holds"}, "slow": {"holds"}, "fast": {"holds"}}
    assert stage.sentence.text().startswith("Every case holds")


@pytest.mark.usefixtures("results_at_hand")
def test_step_8_saving_and_checking(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys
) -> None:
    file = tmp_path / "fulmar.onda"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(file), ""))
    QTest.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert load_project(file) == window.document.project
    command = said(r"`\.venv/bin/onda (check fulmar\.onda)`")[1]
    monkeypatch.chdir(tmp_path)
    assert run(monkeypatch, *shlex.split(command)) == 1
    out = capsys.readouterr().out
    for margin in window.standing.margins:
        if margin.state is not State.UNKNOWN:
            assert margin.value_text in out


def test_commands_of_the_first_board_page(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys
) -> None:
    page = (README.parent / "docs" / "guide" / "first-board.md").read_text(encoding="utf-8")
    block = re.search(r"```\n(onda new.*?)```", page, re.S)
    assert block is not None
    monkeypatch.chdir(tmp_path)
    for line in block[1].strip().splitlines():
        _, *arguments = shlex.split(line)
        if arguments[0] == "view":
            # It opens a window of its own, which this process has had already.
            continue
        assert run(monkeypatch, *arguments) == 0, line
    assert "0 of 4 fail" in capsys.readouterr().out


def test_every_command_that_is_named_is_there(monkeypatch, capsys) -> None:
    block = re.search(r"## Command line\n\n```\n(.*?)```", TEXT, re.S)
    assert block is not None
    named = {line.split()[1] for line in block[1].splitlines() if line.startswith("onda ")}
    run(monkeypatch, "--help")
    told = capsys.readouterr().out
    assert all(re.search(rf"^  {name}\s", told, re.M) for name in named), named
    for picture in re.findall(r"\((docs/\S+?)\)", TEXT):
        assert (README.parent / picture).exists(), picture
