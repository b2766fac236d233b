"""The command about buses: what it lists, and how it ends."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path

import openpyxl
import pytest

from onda.cli.bus_answers import asked_search
from onda.demo import fulmar_project
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.buses.bus import SignalPin
from onda.project.edits import replace_object
from onda.project.store import save_project
from onda.studies.buses.bus import BUS
from onda.studies.buses.inputs import bus_inputs
from onda.studies.buses.search import BUS_SEARCH, search_inputs
from onda.studies.buses.sweep import BUS_SWEEP, sweep_inputs
from tests.cli.running import run

pytestmark = pytest.mark.usefixtures("results_at_hand")


@pytest.fixture(scope="module")
def project():
    """Fulmar with a smaller byte: two signals, two operations, one corner."""
    board = fulmar_project()
    bus = board.design.bus("byte0")
    keep = tuple(s for s in bus.signals if s.id in ("DQS0", "DQ1", "DQ6"))
    return replace_object(
        board,
        set_value(bus, signals=keep, operations=bus.operations[:2], corners=("slow",), bits=64),
    )


@pytest.fixture(scope="module")
def file(project, tmp_path_factory: pytest.TempPathFactory) -> str:
    path = tmp_path_factory.mktemp("bus") / "fulmar.onda"
    save_project(project, path)
    return str(path)


def test_cases_are_those_of_the_study_the_worst_first(
    project, file, tmp_path: Path, runner
) -> None:
    found = runner.result(BUS, bus_inputs(project.design, project.design.bus("byte0")))
    book = tmp_path / "cases.xlsx"
    code, out = run("bus", file, "--json", "--book", str(book))
    data = json.loads(out)
    assert code == (0 if all(c.state == "holds" for c in found.cases) else 1)
    margins = [min(c["setup_margin_s"], c["hold_margin_s"]) for c in data["cases"]]
    assert margins == sorted(margins)
    by_name = {(c.signal_name, c.operation_name, c.corner): c for c in found.cases}
    assert len(data["cases"]) == len(by_name) == 4
    for row in data["cases"]:
        case = by_name[row["signal"], row["operation"], row["corner"]]
        assert row["setup_margin_s"] == pytest.approx(case.setup)
        assert row["hold_margin_s"] == pytest.approx(case.hold)
        assert row["centre_level_v"] == pytest.approx(case.found.centre)
        assert row["strobe_shift_s"] == pytest.approx(case.shift)
        assert row["height_v"] == pytest.approx(case.found.height)
        assert row["overshoot_v"] == pytest.approx(case.found.quality.overshoot)
        assert row["undershoot_v"] == pytest.approx(case.found.quality.undershoot)
        assert row["ring_back_v"] == pytest.approx(case.found.quality.ring_back)
        assert row["narrowest_pulse_s"] == pytest.approx(case.found.quality.narrowest)
        assert (row["state"], row["why"]) == (case.state, case.found.why)
    assert openpyxl.load_workbook(book)["Cases"].max_row == 5


def test_worst_bits_are_sent_for_one_run(project, file, runner) -> None:
    bus = set_value(project.design.bus("byte0"), worst=True)
    found = runner.result(BUS, bus_inputs(project.design, bus))
    _, out = run("bus", file, "--worst", "--json")
    rows = {(r["signal"], r["operation"]): r for r in json.loads(out)["cases"]}
    plain = {
        (r["signal"], r["operation"]): r for r in json.loads(run("bus", file, "--json")[1])["cases"]
    }
    for case in found.cases:
        row = rows[case.signal_name, case.operation_name]
        assert row["setup_margin_s"] == pytest.approx(case.setup)
        assert row["height_v"] == pytest.approx(case.found.height)
        assert row["level_v"] == pytest.approx(case.found.level)
        assert row["height_v"] < plain[case.signal_name, case.operation_name]["height_v"]


def test_a_table_and_words_say_the_same(file) -> None:
    _, out = run("bus", file, "--csv")
    rows = list(csv.DictReader(io.StringIO(out)))
    code, words = run("bus", file)
    assert len(rows) == 4
    assert "Memory byte 0: 4 cases" in words
    for row in rows:
        setup, hold = 1e12 * float(row["setup_margin_s"]), 1e12 * float(row["hold_margin_s"])
        name = f"{row['signal']}, {row['operation']}, {row['corner']}"
        assert f"{name}: set-up {setup:.0f} ps, hold {hold:.0f} ps" in words
    assert code == (1 if any(r["state"] != "holds" for r in rows) else 0)


def test_only_some_of_it_and_what_is_not_there(file) -> None:
    _, out = run("bus", file, "--only", "Write B", "--json")
    data = json.loads(out)
    assert {c["operation"] for c in data["cases"]} == {"Write B"}
    assert run("bus", file, "--only", "Write B")[0] == 0
    with pytest.raises(InputError, match="called 'DQ77'"):
        run("bus", file, "--only", "DQ77")
    with pytest.raises(InputError, match="byte9"):
        run("bus", file, "--bus", "byte9")


def test_what_cannot_be_worked_out_is_no_success(project, tmp_path: Path) -> None:
    bus = project.design.bus("byte0")
    one = bus.operations[1]
    wrong = set_value(one, settings=(set_value(one.settings[0], model="dq_none"),))
    path = tmp_path / "wrong.onda"
    save_project(replace_object(project, set_value(bus, operations=(wrong,))), path)
    code, out = run("bus", str(path))
    assert code == 1
    assert "2 without an answer" in out
    assert "dq_none" in out


def test_a_search_lists_every_choice_the_best_first(project, file, runner) -> None:
    code, out = run("bus", file, "--search", "Write A", "--only", "DQ6", "--json")
    told = json.loads(out)
    design = project.design
    found = runner.result(BUS_SEARCH, search_inputs(design, design.bus("byte0"), "write-a", "DQ6"))
    assert told["near_the_best"] == found.near
    assert len(told["choices"]) == len(found.choices)
    for k, row in zip(found.order, told["choices"], strict=True):
        assert list(row["models"].items()) == list(
            zip(found.devices, found.choices[k], strict=True)
        )
        assert row["setup_margin_s"] == pytest.approx(found.setup[k])
        assert row["hold_margin_s"] == pytest.approx(found.hold[k])
        assert row["height_v"] == pytest.approx(found.height[k])
        assert row["now"] == (k == found.now)
    assert code == (1 if found.worst[found.now] < 0.0 else 0)


def test_a_search_is_about_the_worst_signal_where_none_is_named(project, runner) -> None:
    design, bus = project.design, project.design.bus("byte0")
    for operation in bus.operations:
        found = runner.result(BUS, bus_inputs(design, bus, operation.id))
        worst = min(found.cases, key=lambda c: min(c.setup, c.hold))
        asked = asked_search(design, bus, operation.name, "", runner)
        assert asked == search_inputs(design, bus, operation.id, worst.signal)


def test_a_search_of_nothing_is_refused(file) -> None:
    with pytest.raises(InputError, match="has no operation 'Erase'") as refused:
        run("bus", file, "--search", "Erase")
    # The remedy names them as the user does.
    assert "Write A" in str(refused.value.remedy)
    assert "Write B" in str(refused.value.remedy)
    with pytest.raises(InputError, match="has no signal 'DQ77'"):
        run("bus", file, "--search", "Write A", "--only", "DQ77")


def test_waveforms_are_written(file, tmp_path: Path) -> None:
    target = tmp_path / "waves.csv"
    run("bus", file, "--only", "Write B", "--waves", str(target))
    rows = list(csv.DictReader(io.StringIO(target.read_text())))
    assert {(r["signal"], r["operation"], r["corner"]) for r in rows} == {
        ("DQ1", "Write B", "slow"), ("DQ6", "Write B", "slow")
    }  # fmt: skip
    assert max(float(r["data_v"]) for r in rows) < 1.6
    with pytest.raises(InputError, match="not written as"):
        run("bus", file, "--waves", str(tmp_path / "waves.txt"))
    assert not (tmp_path / "waves.txt").exists()


def test_a_sweep_lists_every_value_of_the_worst_case(project, file, runner) -> None:
    design = project.design
    bus = design.bus("byte0")
    worst = runner.result(BUS, bus_inputs(design, bus, "DQ6")).worst
    typed = "speed:0.8,1,1.1"
    code, out = run("bus", file, "--only", "DQ6", "--sweep", typed, "--json")
    told = json.loads(out)
    wanted = sweep_inputs(design, bus, worst.operation, "DQ6", "speed", [0.8, 1.0, 1.1])
    found = runner.result(BUS_SWEEP, wanted)
    assert (told["signal"], told["operation"]) == ("DQ6", worst.operation_name)
    assert told["over"] == "speed"
    assert [p["value"] for p in told["points"]] == [0.8, 1.0, 1.1]
    for k, point in enumerate(told["points"]):
        assert point["setup_margin_s"] == pytest.approx(found.setup[k])
        assert point["hold_margin_s"] == pytest.approx(found.hold[k])
        assert point["height_v"] == pytest.approx(found.height[k])
        assert point["state"] == ("holds" if found.holds[k] else "fails")
    assert code == (0 if worst.state == "holds" else 1)
    _, words = run("bus", file, "--only", "DQ6", "--sweep", typed)
    assert f"DQ6, {worst.operation_name}, all corners, over speed" in words
    assert f"  0.8: set-up {1e12 * found.setup[0]:.0f} ps" in words
    with pytest.raises(InputError, match="--sweep speed:fast"):
        run("bus", file, "--sweep", "speed:fast")
    with pytest.raises(InputError, match="a sweep over 'colour'"):
        run("bus", file, "--sweep", "colour")


def test_strobes_beside_the_clock_are_listed_and_decide(tmp_path: Path, runner) -> None:
    board = fulmar_project()
    bus = board.design.bus("byte0")
    keep = tuple(s for s in bus.signals if s.id in ("DQS0", "DQ1", "CK", "A2"))
    some = tuple(o for o in bus.operations if o.id in ("write-b", "address-b"))
    small = set_value(bus, signals=keep, operations=some, corners=("typ", "fast"), bits=32)
    path = tmp_path / "clocked.onda"
    save_project(replace_object(board, small), path)
    found = runner.result(BUS, bus_inputs(board.design, small))
    code, out = run("bus", str(path), "--json")
    assert code == 0
    rows = json.loads(out)["strobe_to_clock"]
    for row, one in zip(rows, found.levelled, strict=True):
        assert (row["strobe"], row["operation"]) == ("DQS0", "Write B")
        assert row["corner"] == one.corner
        assert row["clock_later_s"] == pytest.approx(one.late)
        assert row["moved_by_s"] == pytest.approx(one.moved)
        assert row["room_s"] == pytest.approx(one.room)
        assert row["why"] == ""
    for case, row in zip(
        sorted(found.cases, key=lambda c: c.worst), json.loads(out)["cases"], strict=True
    ):
        assert row["strobe_crossing_v"] == pytest.approx(case.found.crossing)
        assert (row["least_duty"], row["largest_duty"]) == pytest.approx(case.found.duty)
    _, words = run("bus", str(path))
    # The one with the least room comes first.
    told = [x for x in words.splitlines() if "the clock comes" in x]
    first = min(found.levelled, key=lambda one: one.room)
    assert told[0] == (
        f"  DQS0, Write B, {first.corner}: the clock comes {1e12 * first.late:.0f} ps later, "
        f"the strobe is moved by {1e12 * first.moved:.0f} ps, "
        f"{1e12 * first.room:.0f} ps of room are left, holds"
    )
    # Not moved at all it is too far away, and that alone is a failure.
    save_project(replace_object(board, set_value(small, levelling_step=None)), path)
    code, words = run("bus", str(path))
    assert code == 1
    assert "0 fail" in words
    assert "ps of room are left, fails" in words
    code, _ = run("bus", str(path), "--only", "DQ1")
    assert code == 0


def test_pins_are_listed_by_what_they_are_from(tmp_path: Path) -> None:
    board = fulmar_project()
    bus = board.design.bus("byte1")
    named = tuple(
        set_value(s, name="ODD") if s.id == "DQ14"
        else set_value(s, pins=(SignalPin(id="A", pin="E1"),)) if s.id == "DQ9"
        else s
        for s in bus.signals
    )  # fmt: skip
    path = tmp_path / "pins.onda"
    save_project(replace_object(board, set_value(bus, signals=named)), path)
    code, out = run("bus", str(path), "--bus", "byte1", "--pins")
    assert code == 1
    assert out.splitlines() == [
        "DQS1: Controller F2?, Module A F2?, Module B F2?",
        "DQ8: Controller H0?, Module A H0?, Module B H0?",
        "DQ9: Controller H1?, Module A E1, Module B H1?",
        "ODD: Controller none fits, Module A none fits, Module B none fits",
    ]
    _, out = run("bus", str(path), "--bus", "byte1", "--pins", "--json")
    rows = {(r["signal"], r["device"]): (r["pin"], r["by"]) for r in json.loads(out)}
    assert rows["DQ9", "Module A"] == ("E1", "set")
    assert rows["DQ9", "Module B"] == ("H1", "name")
    assert rows["ODD", "Controller"] == (None, "")
    assert len(rows) == 12
    assert run("bus", str(path), "--bus", "byte0", "--pins")[0] == 0
