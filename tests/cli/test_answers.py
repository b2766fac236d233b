"""What commands print of results that are made up, each number another one: nothing is computed."""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from types import SimpleNamespace as Made
from typing import Any

import numpy as np
import pytest

from onda.cli import bus_answers, buses, common, coupling, networks, paths
from onda.demo import fulmar_project
from onda.errors import InputError
from onda.project.model import Project
from onda.project.requirements import Requirement
from onda.project.store import save_project
from onda.studies.core.margin import Margin, Measured, State, margin_of
from onda.studies.coupling import judge
from onda.studies.networks.inputs import FileItem, HalfItem, NetworkInputs
from onda.studies.paths import corners
from tests.cli.running import run


@dataclass
class Canned:
    """A runner that has its answers ready, by the name of the study."""

    answers: dict[str, Any]
    asked: list[tuple[str, Any]] = field(default_factory=list)

    def result(self, study: Any, inputs: Any) -> Any:
        self.asked.append((study.name, inputs))
        found = self.answers[study.name]
        return found(inputs) if callable(found) else found

    @contextmanager
    def running(self, *_: object, **__: object) -> Iterator[Canned]:
        yield self


@pytest.fixture(scope="module")
def board() -> Project:
    return fulmar_project()


@pytest.fixture
def file(board: Project, tmp_path: Path) -> str:
    save_project(board, tmp_path / "fulmar.onda")
    return str(tmp_path / "fulmar.onda")


# -- coupling ------------------------------------------------------------------------------


def test_each_answer_about_a_lane_has_its_own_number(board: Project) -> None:
    group = board.design.group("memory-byte")
    waves = [
        Made(case="quiet", arrives=1.0), Made(case="along", arrives=2.0),
        Made(case="against", arrives=3.0), Made(case="listens", arrives=9.0, peak=0.4),
    ]  # fmt: skip
    runner: Any = Canned({
        "group_waves": Made(lane="DQ3", level=0.6, low=0.1, high=1.1, waves=waves, spread=0.7,
                            wave=lambda case: next(w for w in waves if w.case == case)),
        "group_bits": Made(lane="DQ3", level=0.61, height=0.33, width=0.2),
        "group_eye": Made(
            lane="DQ3", error_rate=1e-9, crowded=Made(height=0.11, width=0.12),
            alone=Made(height=0.21, width=0.22),
            heard=Made(effective=1, rare=2, most=3), heard_near=Made(effective=4, rare=5, most=6),
            heard_far=Made(effective=7, rare=8, most=9),
        ),
    })  # fmt: skip
    design = board.design
    assert coupling._waves(runner, design, group, "dq3") == {
        "lane": "DQ3", "level_v": 0.6, "low_v": 0.1, "high_v": 1.1, "arrival_quiet_s": 1.0,
        "arrival_along_s": 2.0, "arrival_against_s": 3.0, "spread_s": 0.7, "heard_at_rest_v": 0.4,
    }  # fmt: skip
    assert coupling._bits(runner, design, group, "dq3") == {
        "lane": "DQ3", "level_v": 0.61, "height_v": 0.33, "width_s": 0.2,
    }  # fmt: skip
    assert coupling._eye(runner, design, group, "dq3", 1e-9) == {
        "lane": "DQ3", "error_rate": 1e-9, "height_v": 0.11, "width_s": 0.12,
        "height_alone_v": 0.21, "width_alone_s": 0.22,
        "heard": {
            "all": {"effective_v": 1, "at_error_rate_v": 2, "most_v": 3},
            "near": {"effective_v": 4, "at_error_rate_v": 5, "most_v": 6},
            "far": {"effective_v": 7, "at_error_rate_v": 8, "most_v": 9},
        },
    }  # fmt: skip


def a_group() -> Any:
    """Two lanes, the second one driven from the right; of every figure another one."""

    def noise(k: float) -> Any:
        return Made(loss_db=k, total=1e-3 * k, near=2e-3 * k, far=3e-3 * k, by_lane=(0.0, 4e-3 * k))

    def arrival(k: float) -> Any:
        return Made(quiet=k, along=10 * k, against=20 * k, spread=1e-12 * k)

    return Made(
        name="Two", delay=0.5, lanes=["A", "B"], rightward=[True, False],
        noise=[noise(1.0), noise(2.0)], arrivals=[arrival(3.0), arrival(4.0)],
        allowed=np.array([1.5e-3, math.nan]), near=np.array([[False, True], [False, False]]),
        peaks=np.array([[0.0, 0.7], [0.8, 0.0]]),
        peak_sum=lambda k, *, near: 10.0 * k + (1.0 if near else 2.0),
        neighbours=[Made(piece="C1", first=0, second=1, coupling=Made(
            k_near=0.03, k_far=0.04, saturation_length=0.05))],
        doubts=("something",),
    )  # fmt: skip


def test_a_group_as_data(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(judge, "value_of", lambda r, measure, k: (measure, k))
    data = coupling._summary(a_group())
    assert data["lanes"] == [
        {"lane": "A", "towards": "right", "loss_db": 1.0, "noise_v": 1e-3, "noise_near_v": 2e-3,
         "noise_far_v": 3e-3, "allowed_v": 1.5e-3, "is_allowed": True, "near_end_peak_v": 1.0,
         "far_end_peak_v": 2.0, "power_sum_db": ("power_sum_level", 0), "arrival_s": 3.0,
         "arrival_along_s": 30.0, "arrival_against_s": 60.0, "arrival_spread_s": 3e-12},
        {"lane": "B", "towards": "left", "loss_db": 2.0, "noise_v": 2e-3, "noise_near_v": 4e-3,
         "noise_far_v": 6e-3, "allowed_v": None, "is_allowed": None, "near_end_peak_v": 11.0,
         "far_end_peak_v": 12.0, "power_sum_db": ("power_sum_level", 1), "arrival_s": 4.0,
         "arrival_along_s": 40.0, "arrival_against_s": 80.0, "arrival_spread_s": 4e-12},
    ]  # fmt: skip
    assert data["saturation"] == [
        {"piece": "C1", "lanes": ["A", "B"], "k_near": 0.03, "k_far_s_per_m": 0.04,
         "saturation_length_m": 0.05},
    ]  # fmt: skip
    assert (data["name"], data["delay_s"], data["doubts"]) == ("Two", 0.5, ["something"])
    assert data["near"] == [[False, True], [False, False]]
    assert data["noise_by_lane_v"] == [[0.0, 4e-3], [0.0, 8e-3]]


def test_a_group_in_words(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr(judge, "value_of", lambda *_: 0.0)
    group = a_group()
    heard = {"effective_v": 1e-3, "at_error_rate_v": 2e-3, "most_v": 3e-3}
    data = coupling._summary(group) | {
        "limits": [{"sentence": "It holds.", "where": "A"}],
        "eye": {"lane": "A", "error_rate": 1e-9, "height_v": 0.11, "width_s": 12e-12,
                "height_alone_v": 0.21, "width_alone_s": 22e-12, "heard": {"all": heard}},
        "waves": {"lane": "B", "arrival_quiet_s": 1e-12, "arrival_along_s": 2e-12,
                  "arrival_against_s": 3e-12, "heard_at_rest_v": 0.4},
        "bits": {"lane": "B", "height_v": 0.33, "width_s": 44e-12, "level_v": 0.61},
        "choices": [{"instead": "guards", "noise_v": [1e-3, 3e-3], "change_db": [-1.0, -2.5]}],
        "split": {"words": "split so"}, "search": {"words": "found so"},
    }  # fmt: skip
    coupling._print(group, data)
    assert capsys.readouterr().out.splitlines() == [
        "Two: noise at each receiver, mV rms (n near end, f far end)",
        "A        -   4.000n   together 1 mV, allowed 1.5, loss 1.00 dB, moved by 3.00 ps",
        "B   0.000f        -   together 2 mV, loss 2.00 dB, moved by 4.00 ps",
        "It holds. (A)",
        "A at 1e-09: eye 110.0 mV by 12.0 ps, without neighbours 210.0 mV by 22.0 ps",
        "A hears at random 1 mV rms, 2 mV at 1e-09, never more than 3 mV",
        "B with devices: arrives after 1.0 ps, along 2.0 ps, against 3.0 ps; hears 400 mV at rest",
        "B, 127 bits on all lanes: ones and zeros 330 mV apart, 44.0 ps at 0.61 V",
        "guards: at worst 3 mV at B, -2.5 dB there",
        "split so",
        "found so",
        "but something",
    ]


def test_spacings_are_set_where_they_are_named(board: Project) -> None:
    group = board.design.group("converter-lanes")
    pieces = [p.id for p in group.pieces if p.coupled]
    assert len(pieces) > 1

    def spacings(change: str) -> dict[str, list[float]]:
        made = coupling._changed(board.design, group, change)
        return {
            p.id: [round(1e6 * q.si) for q in p.spacings] for p in made.pieces if p.coupled
        }  # fmt: skip

    before = {p.id: [round(1e6 * q.si) for q in p.spacings] for p in group.pieces if p.coupled}
    assert spacings("spacing=510um") == {k: [510] * len(v) for k, v in before.items()}
    first, second = pieces[:2]
    assert spacings(f"spacing:{second}=510um") == before | {second: [510] * len(before[second])}
    one = before[first].copy()
    one[1] = 510
    # Lanes are counted from 1: behind the second one.
    assert spacings(f"spacing:{first}:2=510um") == before | {first: one}
    # Vias that are there keep all but where they come from.
    piece = group.pieces[0].id
    drilled = coupling._changed(board.design, group, f"vias:{piece}=L8")
    drilled = coupling._changed(board.design, drilled, f"drill:{piece}=0.33mm")
    again = coupling._changed(board.design, drilled, f"vias:{piece}=L6").pieces[0].vias
    assert again is not None
    assert (again.from_layer, again.drill.si) == ("L6", pytest.approx(0.33e-3))


# -- buses ---------------------------------------------------------------------------------


def a_case(worst: float, name: str = "DQ1", state: str = "holds") -> Any:
    quality = Made(overshoot=0.05, undershoot=0.06, ring_back=0.07, narrowest=0.08)
    found = Made(
        centre=0.61, height=0.2, quality=quality, duty=(0.47, 0.53), crossing=0.02, level=0.6,
        failure="", why="so", window=None,
    )  # fmt: skip
    return Made(
        signal=name, signal_name=name, operation_name="Write", corner="slow", setup=worst,
        hold=worst + 1.0, shift=-0.1, state=state, worst=worst, found=found, operation="w",
    )  # fmt: skip


def test_a_case_of_a_bus_as_a_row() -> None:
    assert buses._row(a_case(0.3)) == {
        "signal": "DQ1", "operation": "Write", "corner": "slow", "setup_margin_s": 0.3,
        "hold_margin_s": 1.3, "centre_level_v": 0.61, "strobe_shift_s": -0.1, "height_v": 0.2,
        "state": "holds", "why": "so", "overshoot_v": 0.05, "undershoot_v": 0.06,
        "ring_back_v": 0.07, "narrowest_pulse_s": 0.08, "least_duty": 0.47, "largest_duty": 0.53,
        "strobe_crossing_v": 0.02, "level_v": 0.6,
    }  # fmt: skip
    assert tuple(buses._row(a_case(0.3))) == buses._COLUMNS


def levelled(state: str) -> Any:
    return Made(
        lane_name="DQS0", operation_name="Write", corner="slow", late=3e-12, moved=0.0,
        room=math.inf, state=state, failure="", why="",
    )  # fmt: skip


@pytest.mark.parametrize(
    ("cases", "strobes", "code"),
    [(("holds",), ("holds",), 0), (("holds", "fails"), (), 1), (("holds",), ("fails",), 1)],
)
def test_a_bus_lists_what_has_no_answer_first_and_ends_by_all_of_it(
    monkeypatch: pytest.MonkeyPatch, file: str, board: Project, cases: tuple[str, ...],
    strobes: tuple[str, ...], code: int,
) -> None:  # fmt: skip
    listed = [a_case(0.1 * k, f"D{k}", s) for k, s in enumerate(cases, 1)]
    unknown = a_case(math.nan, "X", cases[-1])
    canned = Canned(
        {"bus": Made(cases=[*listed, unknown], levelled=[levelled(s) for s in strobes])}
    )
    monkeypatch.setattr(buses, "running", canned.running)
    got, out = run("bus", file, "--json")
    data = json.loads(out)
    assert got == code
    assert [c["signal"] for c in data["cases"]] == ["X", *(c.signal for c in listed)]
    assert data["unit_interval_s"] == pytest.approx(1.0 / board.design.buses[0].rate.si)
    assert len(data["strobe_to_clock"]) == len(strobes)


def a_search() -> Any:
    return Made(
        devices=("U1", "A"), choices=(("strong", "60"), ("weak", "60"), ("weak", "120")),
        setup=np.array([1e-12, 3e-12, np.nan]), hold=np.array([2e-12, 4e-12, 5e-12]),
        height=np.array([0.1, 0.2, 0.3]), worst=np.array([1e-12, 3e-12, -np.inf]),
        order=[1, 0, 2], now=0, near=2, best=1,
    )  # fmt: skip


def test_a_search_of_a_bus(capsys: pytest.CaptureFixture[str]) -> None:
    bus_answers.tell_search(a_search(), as_json=True)
    assert json.loads(capsys.readouterr().out) == {
        "choices": [
            {"models": {"U1": "weak", "A": "60"}, "setup_margin_s": 3e-12, "hold_margin_s": 4e-12,
             "height_v": 0.2, "now": False},
            {"models": {"U1": "strong", "A": "60"}, "setup_margin_s": 1e-12,
             "hold_margin_s": 2e-12, "height_v": 0.1, "now": True},
            {"models": {"U1": "weak", "A": "120"}, "setup_margin_s": None, "hold_margin_s": 5e-12,
             "height_v": 0.3, "now": False},
        ],
        "near_the_best": 2,
    }  # fmt: skip
    bus_answers.tell_search(a_search(), as_json=False)
    assert capsys.readouterr().out.splitlines() == [
        "U1 weak, A 60: 3 ps", "now: U1 strong, A 60: 1 ps", "U1 weak, A 120: no answer",
    ]  # fmt: skip


@pytest.mark.parametrize(("now", "code"), [(1e-12, 0), (-1e-12, 1)])
def test_a_search_ends_by_the_present_choice(
    monkeypatch: pytest.MonkeyPatch, file: str, now: float, code: int
) -> None:
    """The worst signal of the operation is what it is about, where none is named."""
    found = a_search()
    found.worst = np.array([now, 3e-12, -np.inf])
    worst = Made(worst=a_case(0.1, "DQ5"))
    canned = Canned({"bus": worst, "bus_search": found})
    monkeypatch.setattr(buses, "running", canned.running)
    got, _ = run("bus", file, "--search", "write-a")
    assert got == code
    name, inputs = canned.asked[-1]
    assert name == "bus_search"
    assert {c.signal for c in inputs.present.cases} == {"DQ5"}


def test_a_sweep_of_a_bus(capsys: pytest.CaptureFixture[str]) -> None:
    found: Any = Made(
        values=np.array([0.0, 1.0]), setup=np.array([1e-12, -2e-12]),
        hold=np.array([3e-12, 4e-12]), height=np.array([0.1, 0.2]), holds=[True, False],
        why=["", ""], over="strobe",
    )  # fmt: skip
    bus_answers.tell_sweep(a_case(0.1), found, as_json=True)
    assert json.loads(capsys.readouterr().out) == {
        "signal": "DQ1", "operation": "Write", "over": "strobe",
        "points": [
            {"value": 0.0, "setup_margin_s": 1e-12, "hold_margin_s": 3e-12, "height_v": 0.1,
             "state": "holds", "why": ""},
            {"value": 1.0, "setup_margin_s": -2e-12, "hold_margin_s": 4e-12, "height_v": 0.2,
             "state": "fails", "why": ""},
        ],
    }  # fmt: skip
    bus_answers.tell_sweep(a_case(0.1), found, as_json=False)
    assert capsys.readouterr().out.splitlines() == [
        "DQ1, Write, all corners, over strobe",
        "  0: set-up 1 ps, hold 3 ps, 100 mV, holds",
        "  1: set-up -2 ps, hold 4 ps, 200 mV, fails",
    ]


def test_pins_are_told_by_what_they_are_from(capsys: pytest.CaptureFixture[str]) -> None:
    bus: Any = Made(
        signals=[Made(id="s", name="DQ0")], signal=lambda _: Made(name="DQ0"),
        device=lambda d: Made(name=f"dev {d}"),
    )  # fmt: skip
    rows: Any = [
        Made(signal="s", device="a", set="J1", proposed="J9"),
        Made(signal="s", device="b", set="", proposed="E2"),
        Made(signal="s", device="c", set="", proposed=""),
    ]  # fmt: skip
    bus_answers.tell_pins(bus, rows, as_json=True)
    assert [(r["pin"], r["by"]) for r in json.loads(capsys.readouterr().out)] == [
        ("J1", "set"), ("E2", "name"), (None, ""),
    ]  # fmt: skip
    bus_answers.tell_pins(bus, rows, as_json=False)
    assert capsys.readouterr().out == "DQ0: dev a J1, dev b E2?, dev c none fits\n"


# -- paths ---------------------------------------------------------------------------------


def swept(monkeypatch: pytest.MonkeyPatch, holds: tuple[float, float] | None) -> Canned:
    """Two values at first, three where it was best; of every measure another number."""

    def result(inputs: Any) -> Any:
        n = len(inputs.values)
        return Made(of=lambda m: np.outer(np.arange(n) + len(m), (1.0, 50.0)))

    def search(sweep: Any, requirements: Any) -> Any:
        n = len(sweep.of("")[:, 0])
        return Made(
            best=(n - 1, 0), holds=holds, limiting="overshoot", receiver="U3",
            margin=np.outer(0.01 * np.arange(n), (1.0, 7.0)),
            requirements=[Made(id="r1"), Made(id="r2")],
            parts=np.arange(2.0 * n * 2).reshape(2, n, 2),
        )  # fmt: skip

    canned = Canned({"path_sweep": result})
    monkeypatch.setattr(paths, "running", canned.running)
    monkeypatch.setattr(corners, "search", search)
    monkeypatch.setattr(corners, "refined", lambda values, best: (values[best], 77.0, 88.0))
    return canned


def test_a_sweep_of_a_path_as_data(monkeypatch: pytest.MonkeyPatch, file: str) -> None:
    canned = swept(monkeypatch, (10.0, 20.0))
    code, out = run("path", file, "--path", "clk-adc", "--sweep", "Rs=0..1kohm", "--json")
    data = json.loads(out)
    assert code == 0
    # A number without a unit has that of the other end.
    first = canned.asked[0][1].values
    assert (first[0], first[-1], len(first)) == (0.0, 1000.0, 20)
    # Looked at more closely around the best of the first round, which is its last.
    assert canned.asked[1][1].values == (1000.0, 77.0, 88.0)
    assert data["values"] == [1000.0, 77.0, 88.0]
    assert data["measures"]["overshoot"] == [9.0, 10.0, 11.0]
    assert data["measures"]["ring_back"] == [9.0, 10.0, 11.0]
    assert (data["best"], data["holds"]) == (88.0, [10.0, 20.0])
    assert data["margin"] == pytest.approx([0.0, 0.01, 0.02])
    assert data["limiting"] == {"measure": "overshoot", "receiver": "U3"}
    assert data["margins"] == {"r1": [0.0, 2.0, 4.0], "r2": [6.0, 8.0, 10.0]}


@pytest.mark.parametrize(
    ("holds", "words"), [((10.0, 20.0), "holds from 10 to 20"), (None, "nothing holds")]
)
def test_a_sweep_of_a_path_in_words(
    monkeypatch: pytest.MonkeyPatch, file: str, holds: tuple[float, float] | None, words: str
) -> None:
    swept(monkeypatch, holds)
    _, out = run("path", file, "--path", "clk-adc", "--sweep", "Rs=0..60ohm")
    assert out.splitlines() == [
        "        60  overshoot   9.0000 V  margin    +0.0 %",
        "        77  overshoot  10.0000 V  margin    +1.0 %",
        "        88  overshoot  11.0000 V  margin    +2.0 %",
        "best 88, limited by overshoot at U3",
        words,
    ]


def test_why_asks_about_what_fails_most(monkeypatch: pytest.MonkeyPatch, file: str) -> None:
    one: Any = Made(
        what="the via", value=0.3, gain=0.1, largest=0.05, at=1e-9, earlier=2e-12, faster=3e-12,
        level=0.01, sentence="So it is.",
    )  # fmt: skip
    answer = Made(value=0.4, receiver="U3.B2", found=(one,), others=())
    canned = Canned({"path": Made(), "path_why": answer})
    monkeypatch.setattr(paths, "running", canned.running)
    monkeypatch.setattr("onda.studies.paths.judge.worst_of_path", lambda *_: ("A", "ring_back"))
    _, out = run("path", file, "--path", "clk-two", "--why", "--json")
    asked = canned.asked[-1][1]
    assert (asked.receiver, asked.measure) == ("A", "ring_back")
    assert json.loads(out) == {
        "measure": "ring_back", "receiver": "A", "value": 0.4,
        "found": [{"without": "the via", "value": 0.3, "better_by": 0.1, "helps": True,
                   "largest_change": 0.05, "at": 1e-9, "earlier": 2e-12, "faster": 3e-12,
                   "level": 0.01}],
    }  # fmt: skip
    _, out = run("path", file, "--path", "clk-two", "--why")
    assert out.splitlines() == [
        "as it is: ring-back at U3.B2 0.400 V", "without the via: 0.300 V. So it is.",
    ]  # fmt: skip


def test_waveforms_of_a_path_are_written_column_by_column(
    monkeypatch: pytest.MonkeyPatch, file: str, tmp_path: Path
) -> None:
    @dataclass
    class Measures:
        overshoot: float = 0.1

    def receiver(name: str, k: float) -> Any:
        return Made(
            name=name, pin=np.array([9.0, 9.0]), die=k * np.array([1.0, 2.0]), low=0.0, high=1.0,
            measures=Measures(),
        )  # fmt: skip

    result = Made(
        time=np.array([0.0, 1e-12]), pad=np.array([0.5, 0.6]),
        receivers=[receiver("A", 1.0), receiver("B", 10.0)],
    )  # fmt: skip
    canned = Canned({"path": result})
    monkeypatch.setattr(paths, "running", canned.running)
    out = tmp_path / "w.csv"
    code, _ = run(
        "path", file, "--path", "clk-two", "--corner", "slow", "--set", "Rs=33ohm",
        "--waveforms", str(out),
    )  # fmt: skip
    assert code == 0
    assert out.read_text().splitlines() == [
        "time_s,driver_V,A_V,B_V", "0,0.5,1,10", "1e-12,0.6,2,20",
    ]  # fmt: skip
    slow, usual = canned.asked[0][1], Canned({"path": result})
    monkeypatch.setattr(paths, "running", usual.running)
    run("path", file, "--path", "clk-two")
    assert slow != usual.asked[0][1]
    assert slow.driver.device.corner != usual.asked[0][1].driver.device.corner
    assert next(i for i in slow.items if i.id == "Rs").value == 33.0


# -- projects ------------------------------------------------------------------------------


SHARE = {State.HOLDS: 0.2, State.TIGHT: 0.99, State.FAILS: 2.0}
"""Of the most that is allowed."""


def margins(board: Project, *states: State) -> list[Margin]:
    some = [r for r in board.requirements if r.measure == "overshoot" and r.at_most is not None]
    out = [
        margin_of(
            r,
            None
            if state is State.UNKNOWN
            else Measured(SHARE[state] * r.at_most.si, "somewhere", "so"),
        )
        for r, state in zip(some, states, strict=False)
        if r.at_most is not None
    ]
    assert tuple(m.state for m in out) == states
    return out


@pytest.mark.parametrize(
    ("states", "code", "last"),
    [
        ((State.HOLDS, State.TIGHT), 0, "0 of 2 fail, 1 tight"),
        ((State.HOLDS, State.FAILS), 1, "1 of 2 fail, 0 tight"),
        ((State.HOLDS, State.UNKNOWN), 1, "0 of 2 fail, 0 tight, 1 could not be computed"),
    ],
)
def test_a_check_ends_by_what_fails_and_by_what_nobody_knows(
    monkeypatch: pytest.MonkeyPatch, file: str, board: Project, states: tuple[State, ...],
    code: int, last: str,
) -> None:  # fmt: skip
    found = margins(board, *states)
    monkeypatch.setattr("onda.studies.core.check.check_project", lambda *a, **k: found)
    got, out = run("check", file)
    assert got == code
    lines = out.splitlines()
    assert lines[-1] == last
    names = [next(x for x in (*board.design.paths, *board.design.line_classes)
                  if x.id == m.subject).name for m in found]  # fmt: skip
    for name, margin in zip(names, found, strict=True):
        (line,) = [x for x in lines if margin.title[:20] in x and name[:10] in x]
        assert line.index(margin.value_text) < line.rindex(margin.state.value)


def test_a_view_is_saved_as_it_was_asked_for(
    monkeypatch: pytest.MonkeyPatch, file: str, tmp_path: Path
) -> None:
    asked: list[Any] = []

    def save_view(*a: Any, **k: Any) -> str:
        asked.append((a[1:], k))
        return "A view"

    monkeypatch.setattr("onda.app.look_in.save_view", save_view)
    out = tmp_path / "v.png"
    run("view", file, "paths", "--save", str(out), "--object", "trig", "--view", "spectrum",
        "--plot", "Voltage", "--night")  # fmt: skip
    assert asked == [
        ((out, "paths"), {"thing": "trig", "view": "spectrum", "plot": "Voltage", "night": True})
    ]


def test_a_board_with_a_tail_has_one(tmp_path: Path) -> None:
    from onda.project.store import load_project

    for tail in (True, False):
        file = tmp_path / f"{tail}.onda"
        run("new", str(file), "--layers", "4", *(["--tail"] if tail else []))
        stackup = load_project(file).design.stackup
        assert (len(stackup.copper), len(stackup.all_zones)) == (4, 2 if tail else 1)


# -- networks ------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("ports", "options", "pair"),
    [(4, [], True), (2, [], False), (6, [], False), (8, [], True), (4, ["--single"], False)],
)
def test_files_are_read_as_pairs_where_their_ports_make_pairs(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, ports: int, options: list[str], pair: bool
) -> None:
    file = tmp_path / f"a.s{ports}p"
    file.write_text("# GHz S RI R 50\n")
    asked = _asked(monkeypatch, ports)
    run("network", str(file), *options, "--json")
    assert asked()[-1].pair == pair


def _asked(monkeypatch: pytest.MonkeyPatch, ports: int) -> Callable[[], list[NetworkInputs]]:
    canned = Canned({"network": Made()})
    monkeypatch.setattr(networks, "running", canned.running)
    monkeypatch.setattr(
        "onda.studies.networks.build.build_network", lambda _: Made(s=np.zeros((1, ports, ports)))
    )
    monkeypatch.setattr(networks, "_summary", lambda _: {})
    monkeypatch.setattr(networks, "_margins", lambda *_: [])
    return lambda: [inputs for _, inputs in canned.asked]


def test_a_half_is_read_as_its_whole_and_so_is_what_it_is_like(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    for name in ("two.s4p", "around.s4p"):
        (tmp_path / name).write_text("# GHz S RI R 50\n")
    asked = _asked(monkeypatch, 4)
    run("network", str(tmp_path / "two.s4p"), "--halves", "--side", "right", "--ports", "1 3 2 4",
        "--reference", "45ohm", "--like", str(tmp_path / "around.s4p"), "--json")  # fmt: skip
    (inputs,) = asked()
    # The order is that of the whole: a half's ports are in order already.
    assert (inputs.order, inputs.remedies, inputs.reference) == ((), (), 45.0)
    half = inputs.source
    assert isinstance(half, HalfItem)
    assert half.side == "right"
    assert (half.whole.order, half.whole.reference) == ((0, 2, 1, 3), 45.0)
    assert half.like is not None
    assert isinstance(half.like.source, FileItem)
    assert (half.like.name, half.like.order, half.like.reference) == (
        "around.s4p", (0, 2, 1, 3), 45.0,
    )  # fmt: skip


# -- all of them ---------------------------------------------------------------------------


def test_numbers_that_are_none_are_null(capsys: pytest.CaptureFixture[str]) -> None:
    common.print_json({"a": [math.inf, -math.inf, math.nan, 1.5], "b": (1, "x")})
    assert capsys.readouterr().out == '{"a": [null, null, null, 1.5], "b": [1, "x"]}\n'


def test_a_run_that_ends_trims_what_is_kept(monkeypatch: pytest.MonkeyPatch) -> None:
    done: list[str] = []
    monkeypatch.setattr(
        "onda.studies.core.cache.ResultCache", lambda: Made(trim=lambda: done.append("trimmed"))
    )
    with pytest.raises(InputError), common.running():
        raise InputError("something went wrong")
    assert done == ["trimmed"]


def test_materials_are_found_by_all_words_and_told_at_1_ghz(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    rows = [
        Made(
            name="Low-loss core 1080",
            points=((1e7, 4.0, 0.01), (9e8, 3.9, 0.02), (9e9, 3.8, 0.03)),
        ),
        Made(name="Low-loss prepreg", points=((1e9, 3.6, 0.005),)),
    ]  # fmt: skip
    monkeypatch.setattr("onda.project.build.library.user_materials", lambda: rows)
    monkeypatch.setattr("onda.project.build.library.library", lambda: Made(materials=()))
    assert run("materials", "core", "loss")[1] == (
        "Low-loss core 1080: Dk 3.900, Df 0.0200 at 0.9 GHz\n"
    )
    assert len(run("materials", "low")[1].splitlines()) == 2
    with pytest.raises(InputError, match="no such material"):
        run("materials", "core", "prepreg")


def test_what_is_required_of_other_objects_is_no_limit_of_a_group(
    monkeypatch: pytest.MonkeyPatch, file: str, board: Project
) -> None:
    monkeypatch.setattr(judge, "value_of", lambda *_: 0.0)
    seen: list[Requirement] = []

    def measured(result: Any, measure: str, receiver: str | None) -> Any:
        seen.append(measure)  # type: ignore[arg-type]
        return Measured(0.0, "A", "so")

    monkeypatch.setattr(judge, "measure_group", measured)
    canned = Canned({"group": a_group()})
    monkeypatch.setattr(coupling, "running", canned.running)
    run("coupling", file, "--group", "memory-byte", "--json")
    own = [r.measure for r in board.requirements if (r.kind, r.subject) == ("group", "memory-byte")]
    assert own
    assert seen == own


def test_parameters_of_a_model_are_told_with_all_that_is_known_of_them(tmp_path: Path) -> None:
    model = tmp_path / "tx.ami"
    model.write_text(
        '(tx (Reserved_Parameters (AMI_Version (Usage Info)(Type String)(Value "7.0"))'
        "(Init_Returns_Impulse (Usage Info)(Type Boolean)(Value True))"
        "(GetWave_Exists (Usage Info)(Type Boolean)(Value False)))"
        '(Model_Specific (gain (Usage In)(Type Float)(Range 1.5 0.5 3)(Description "Gain of it."))'
        '(mode (Usage In)(Type Integer)(List 2 4 8)(Default 4)(Description "Which way."))))',
        encoding="utf-8",
    )
    code, out = run("ami", str(model), "--json")
    assert code == 0
    told = json.loads(out)
    assert told["root"] == "tx"
    found = {p["name"]: p for p in told["parameters"]}
    assert found["gain"] == {
        "name": "gain", "usage": "in", "type": "float", "format": "range",
        "values": ["1.5", "0.5", "3"], "default": "1.5", "description": "Gain of it.",
    }  # fmt: skip
    assert found["mode"] == {
        "name": "mode", "usage": "in", "type": "integer", "format": "list",
        "values": ["2", "4", "8"], "default": "4", "description": "Which way.",
    }  # fmt: skip
    assert "gain 1.5" in told["parameters_in"]
    _, words = run("ami", str(model))
    assert "gain (in, float) 1.5" in words.splitlines()
