"""What commands write as JSON and CSV is what the studies hold, each under its own name."""

from __future__ import annotations

import csv
import io
import json
import math
from dataclasses import asdict, replace
from importlib import resources
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from onda.project.files import Content, keep
from onda.project.model import Project
from onda.project.store import save_project
from onda.studies.core.runner import StudyRunner
from onda.studies.devices.device_model import DEVICE_MODEL, DeviceInputs
from onda.studies.devices.use import DeviceUse
from onda.studies.lines.fit import FIT, Bounds, FitInputs
from onda.studies.lines.impedance import IMPEDANCE, ImpedanceInputs
from onda.studies.lines.inputs import line_inputs
from onda.studies.lines.shield import MODE_CHECK, shield_inputs
from onda.studies.lines.tolerance import TOLERANCE, ToleranceInputs
from onda.studies.lines.variations import spread_inputs
from onda.studies.networks.inputs import network_inputs
from onda.studies.networks.network import NETWORK
from onda.studies.paths.corners import corner_variants
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.path import PATH
from onda.studies.paths.sweep import measures_with
from tests.cli.running import run

pytestmark = pytest.mark.usefixtures("results_at_hand")
DEVICES = resources.files("onda.data") / "devices"


@pytest.fixture(scope="module")
def file(project: Project, tmp_path_factory: pytest.TempPathFactory) -> str:
    path = tmp_path_factory.mktemp("values") / "fulmar.onda"
    save_project(project, path)
    return str(path)


def told(*arguments: str) -> Any:
    code, out = run(*arguments, "--json")
    assert code == 0
    return json.loads(out)


def same(told: Any, held: Any) -> bool:
    """Whether a number of JSON is the one that is held; none for what is none."""
    if isinstance(held, float) and not math.isfinite(held):
        return told is None
    return bool(told == pytest.approx(held))


# -- paths and devices


def test_a_path_tells_every_measure_of_every_receiver(
    project: Project, file: str, runner: StudyRunner, tmp_path: Path
) -> None:
    result = runner.result(PATH, path_inputs(project.design, project.design.path("clk-two")))
    waves = tmp_path / "w.csv"
    found = told("path", file, "--path", "clk-two", "--waveforms", str(waves))
    assert list(found) == [r.name for r in result.receivers]
    assert len(found) == 2
    for receiver in result.receivers:
        held = {"low": receiver.low, "high": receiver.high, **asdict(receiver.measures)}
        assert list(found[receiver.name]) == list(held)
        for name, value in held.items():
            assert same(found[receiver.name][name], value), name
    heads, *rows = csv.reader(io.StringIO(waves.read_text()))
    assert heads == ["time_s", "driver_V", *(f"{r.name}_V" for r in result.receivers)]
    table = np.array(rows, dtype=float)
    held = [result.time, result.pad, *(r.die for r in result.receivers)]
    for column, values in zip(table.T, held, strict=True):
        assert column == pytest.approx(values, rel=1e-5, abs=1e-6)
    # In words the same, of what there is.
    _, words = run("path", file, "--path", "clk-two")
    lines = words.splitlines()
    for receiver in result.receivers:
        first = lines.index(receiver.name)
        own = dict(line.split() for line in lines[first + 1 :] if line.startswith("  "))
        assert own["delay"]
        measures = {k: v for k, v in asdict(receiver.measures).items() if not math.isnan(v)}
        block = lines[first + 1 : first + 3 + len(measures)]
        assert dict(line.split() for line in block) == {
            name: f"{value:.5g}"
            for name, value in {"low": receiver.low, "high": receiver.high, **measures}.items()
        }


def test_a_changed_path_is_run_as_changed(project: Project, file: str, runner: StudyRunner) -> None:
    inputs = path_inputs(project.design, project.design.path("clk-adc"))
    as_it_is = runner.result(PATH, inputs).receivers[0].measures.overshoot
    (damped,) = told("path", file, "--path", "clk-adc", "--set", "Rs=46ohm").values()
    assert damped["overshoot"] < 0.3 < as_it_is
    typical = told("path", file, "--path", "clk-two")
    slow = told("path", file, "--path", "clk-two", "--corner", "slow")
    for name, measures in slow.items():
        assert measures["delay"] > typical[name]["delay"]


def test_a_sweep_tells_the_worst_receiver_of_every_value(project: Project, file: str) -> None:
    sweep = ("path", file, "--path", "clk-two", "--sweep", "Rs=5..65ohm")
    found = told(*sweep)
    values = found["values"]
    assert (values[0], values[-1]) == pytest.approx((5.0, 65.0))
    inputs = path_inputs(project.design, project.design.path("clk-two"), fine=False)
    for k in (0, len(values) // 2, len(values) - 1):
        both = measures_with(inputs, "Rs", values[k])
        assert len(both) == 2
        assert found["measures"]["overshoot"][k] == pytest.approx(max(m.overshoot for m in both))
        assert found["measures"]["delay"][k] == pytest.approx(max(m.delay for m in both))
    _, words = run(*sweep)
    lines = words.splitlines()
    for k, value in enumerate(values):
        over, room = found["measures"]["overshoot"][k], 100 * found["margin"][k]
        assert lines[k] == f"{value:10.4g}  overshoot {over:8.4f} V  margin {room:+7.1f} %"
    best = int(np.argmax(found["margin"]))
    assert found["best"] == values[best]
    assert f"best {found['best']:.4g}, limited by {found['limiting']['measure']}" in words


def test_a_device_tells_what_its_study_holds(runner: StudyRunner) -> None:
    clock = DEVICES / "fulmar_clock.ibs"
    content = Content("fulmar_clock.ibs", keep(clock.read_bytes()), str(clock))
    found = told("device", str(clock), "--corner", "max")["models"]
    _, words = run("device", str(clock), "--corner", "max")
    lines = words.splitlines()
    assert list(found) == ["io18_light", "io18_medium", "io18_strong"]
    for name, values in found.items():
        held = runner.result(DEVICE_MODEL, DeviceInputs(DeviceUse(content, name, "", "", "max")))
        assert (values["type"], values["problem"]) == (held.kind, held.problem)
        for key in (
            "c_comp", "r_high", "r_low", "edge_rise", "edge_fall", "quality", "test_error",
        ):  # fmt: skip
            assert same(values[key], getattr(held, key)), key
        first = lines.index(name)
        for key in ("c_comp", "r_high", "r_low", "edge_rise", "edge_fall"):
            assert f"  {key:10s} {values[key]:.4g}" in lines[first : first + 10]
        # What there is none of is not printed.
        assert not any(word in words for word in ("nan", "None"))


def test_every_value_of_a_device_has_its_own_name(monkeypatch: pytest.MonkeyPatch) -> None:
    """Parts of the demo rise as fast as they fall; here no two values are alike."""
    real = StudyRunner.result
    unlike = {
        "c_comp": 1e-12, "r_high": 11.0, "r_low": 12.0, "edge_rise": 1e-10, "edge_fall": 2e-10,
        "quality": 0.01, "test_error": 0.02,
    }  # fmt: skip

    def result(self: StudyRunner, study: Any, inputs: Any) -> Any:
        return replace(real(self, study, inputs), **unlike)

    monkeypatch.setattr(StudyRunner, "result", result)
    found = told("device", str(DEVICES / "fulmar_clock.ibs"), "--model", "io18_strong")
    (values,) = found["models"].values()
    assert {name: values[name] for name in unlike} == unlike


# -- lines


@pytest.mark.parametrize("name", ["clocks", "converter-pairs", "strobes"])
def test_a_line_tells_what_its_study_holds(
    project: Project, file: str, runner: StudyRunner, name: str
) -> None:
    found = project.design.line_class(name)
    layer = found.on[0].layer
    inputs = line_inputs(project.design, found, layer)
    held = runner.result(IMPEDANCE, ImpedanceInputs(inputs))
    data = told("line", file, name)
    assert (data["class"], data["layer"]) == (name, layer)
    for key, attribute in (
        ("z_ohm", "z"), ("z_odd_ohm", "z_odd"), ("z_even_ohm", "z_even"),
        ("z_common_ohm", "z_common"), ("delay_s_per_m", "delay"), ("eeff", "eeff"),
        ("loss_db_per_m", "loss_at"), ("r_dc_ohm_per_m", "r_dc"), ("error", "error"),
    ):  # fmt: skip
        assert same(data[key], getattr(held, attribute)), key
    parts = data["loss_copper_roughness_dielectric_db_per_m"]
    assert parts == pytest.approx(list(held.loss_parts))
    assert len(set(parts)) == 3
    assert ("mode_z_ohm" in data) == (held.together is not None)
    if held.together is not None:
        assert np.allclose(data["mode_z_ohm"], held.together.mode_z, atol=0.0)
        assert np.allclose(data["mode_delay_s_per_m"], held.together.mode_delay, atol=0.0)
        assert np.allclose(data["matching_resistors_ohm"], held.together.network, atol=1e-9)
    _, words = run("line", file, name)
    assert f"z_ohm: {held.z}" in words.splitlines()


def test_spread_and_fit_of_a_line(project: Project, file: str, runner: StudyRunner) -> None:
    design = project.design
    found = design.line_class("clocks")
    inputs = line_inputs(design, found, "L1")
    data = told("line", file, "clocks", "L1", "--tolerance", "300", "--fit", "width")
    target = found.target.si
    spread = spread_inputs(inputs, design.stackup.spread)
    held = runner.result(TOLERANCE, ToleranceInputs(spread, 300, 0.9 * target, 1.1 * target))
    told_of = data["tolerance"]
    assert told_of["boards"] == 300
    assert told_of["mean_ohm"] == pytest.approx(held.mean)
    assert told_of["sigma_ohm"] == pytest.approx(held.sigma)
    assert told_of["within_10_percent"] == pytest.approx(held.inside)
    assert told_of["surface_error"] == pytest.approx(held.surface_error)
    assert told_of["shares"] == {c.name: pytest.approx(c.share) for c in held.causes}
    low = max(20e-6, 2.05 * inputs.trace.undercut)
    fitted = runner.result(FIT, FitInputs(inputs, (Bounds("width", low, 2e-3),), (("z", target),)))
    assert data["fit"] == {
        "width": pytest.approx(fitted.values[0]), "reached_ohm": pytest.approx(fitted.reached[0]),
    }  # fmt: skip
    assert data["fit"]["reached_ohm"] == pytest.approx(target, rel=1e-3)


def test_modes_of_a_shielded_section(project: Project, file: str, runner: StudyRunner) -> None:
    section = project.design.shielded[0]
    held = runner.result(MODE_CHECK, shield_inputs(project.design, section))
    data = told("modes", file, section.id)
    assert data["z0_ohm"] == pytest.approx(held.z0)
    assert same(data["single_mode_up_to_hz"], held.single_up_to)
    assert same(data["looked_up_to_hz"], held.looked_up_to)
    assert [(m["kind"], m["cut_off_hz"]) for m in data["modes"]] == [
        (m.kind, pytest.approx(m.cut_off)) for m in held.modes
    ]
    _, words = run("modes", file, section.id)
    for mode in held.modes:
        assert f"{mode.kind:4} from {mode.cut_off / 1e9:8.3f} GHz" in words.splitlines()


# -- networks


def test_a_network_tells_what_its_study_holds(
    project: Project, file: str, runner: StudyRunner, tmp_path: Path
) -> None:
    network = project.design.network("up0-channel")
    held = runner.result(NETWORK, network_inputs(project.design, network))
    profile = tmp_path / "p.csv"
    data = told("network", file, "--network", "up0-channel", "--profile", str(profile))
    quality, time = held.mended, held.time
    assert time is not None
    for key, value in (
        ("points", len(held.frequency)), ("from_hz", quality.first), ("to_hz", quality.last),
        ("passivity_percent", quality.passivity), ("largest_gain", quality.worst_gain),
        ("reciprocity_percent", quality.reciprocity), ("causality_percent", quality.causality),
        ("points_per_turn", quality.points_per_turn), ("delay_s", quality.delay),
        ("edge_s", time.rise),
    ):  # fmt: skip
        assert same(data[key], value), key
    assert data["ports"] == list(held.ports)
    through = [t.delay for t in time.through if t.mode in ("diff", "single")]
    assert data["lane_delays_s"] == pytest.approx(through)
    assert data["pair_skew_s"] == pytest.approx([s.figure for s in time.skews])
    assert data["single_ended_skew_s"] == pytest.approx([s.single_delay for s in time.skews])
    assert [lane["ild_db"] for lane in data["lanes"]] == pytest.approx([x.ild for x in held.lanes])
    left = [r for r in time.reflections if r.side == "left" and r.mode in ("diff", "single")]
    parts = [(r.lane + 1, p.kind, p.value, p.delay) for r in left for p in r.lumps]
    assert [tuple(p.values()) for p in data["parts"]] == [
        (lane, kind, pytest.approx(value), pytest.approx(place))
        for lane, kind, value, place in parts
    ]
    heads, *rows = csv.reader(io.StringIO(profile.read_text()))
    assert heads == ["lane", "mode", "side", "delay_s", "impedance_ohm"]
    written = iter(rows)
    for r in time.reflections:
        for place, z in zip(r.place, r.true, strict=True):
            lane, mode, side, x, y = next(written)
            assert (int(lane), mode, side) == (r.lane + 1, r.mode, r.side)
            assert float(x) == pytest.approx(place, rel=1e-5)
            assert float(y) == pytest.approx(z, rel=1e-5)
    assert next(written, None) is None


def test_a_sweep_over_corners_tells_the_worst_of_them(project: Project, file: str) -> None:
    """Every value in every corner by itself; what is told is the worst of all receivers."""
    found = told("path", file, "--path", "clk-adc", "--sweep", "Rs=5..65ohm", "--corners")
    variants = corner_variants(project.design, project.design.path("clk-adc"))
    assert len(variants) > 1
    for k in (0, len(found["values"]) - 1):
        value = found["values"][k]
        every = [m for v in variants for m in measures_with(v.path, "Rs", value)]
        delays = [m.delay for m in every]
        assert found["measures"]["overshoot"][k] == pytest.approx(max(m.overshoot for m in every))
        assert found["measures"]["delay"][k] == pytest.approx(max(delays))
        assert min(delays) < max(delays)
