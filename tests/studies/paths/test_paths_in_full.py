"""Studies of paths with devices and branches, against the exact answer and by hand."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
import pytest

from onda.demo import fulmar_project
from onda.engine.circuits import solve_linear
from onda.engine.circuits.stimulus import edge
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.kind import Ref
from onda.project.model import Project
from onda.project.paths.edits import set_model, set_receiver
from onda.project.requirements import Requirement
from onda.studies.core.study import Control
from onda.studies.devices.device_model import DEVICE_MODEL, DeviceInputs
from onda.studies.devices.use import DeviceUse, used
from onda.studies.paths.build import build_path
from onda.studies.paths.corners import corner_variants, refined, search
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import PathInputs, without_devices
from onda.studies.paths.judge import measure_at
from onda.studies.paths.path import PATH
from onda.studies.paths.rules import placement_remarks
from onda.studies.paths.run import run_path
from onda.studies.paths.stimulus import edge_commands, source_waveform
from onda.studies.paths.sweep import (
    PATH_SWEEP,
    SweepInputs,
    Variant,
    measures_with,
    with_value,
)
from onda.studies.paths.why import PATH_WHY, WhyInputs


@pytest.fixture(scope="module")
def project() -> Project:
    return fulmar_project()


def inputs_of(project: Project, name: str, **more) -> PathInputs:
    return path_inputs(project.design, project.design.path(name), **more)


@pytest.mark.parametrize("name", ["clk-adc", "clk-ref", "jl0"])
def test_linear_paths_agree_with_the_exact_answer(project: Project, name: str) -> None:
    """By time steps and by inversion: within 0.2 % of the swing."""
    inputs = inputs_of(project, name)
    run = run_path(inputs)
    stimulus = source_waveform(inputs, run.edges)
    exact = solve_linear(run.net, stimulus, end=inputs.window, step=float(run.solution.time[1]))
    swing = abs(run.highs[run.built.load] - run.lows[run.built.load])
    ours = np.interp(exact.time, run.solution.time, run.solution.node(run.built.load))
    assert np.abs(ours - exact.node(run.built.load)).max() < 2e-3 * swing


def test_branches_linear_agree_with_the_exact_answer(project: Project) -> None:
    inputs = without_devices(inputs_of(project, "trig"))
    built = build_path(inputs)
    stimulus = edge(0.0, 1.8, inputs.edge)
    exact = solve_linear(built.net, stimulus, end=6e-9, step=5e-12)
    run = run_path(replace(inputs, stimulus=replace(inputs.stimulus, kind="edge"), window=6e-9))
    for end in built.ends:
        ours = np.interp(exact.time, run.solution.time, run.solution.node(end.die))
        assert np.abs(ours - exact.node(end.die)).max() < 2e-3 * 1.8


def test_levels_power_and_current_at_rest(project: Project) -> None:
    """43 ohm and a model into 100 ohm to ground: Ohm's law at the table's own point."""
    path = project.design.path("clk-chain")
    term = set_value(path.termination, kind="parallel", r="100 ohm", rail="0 V")
    result = PATH.run(path_inputs(project.design, set_value(path, termination=term)), Control())
    parts = {p.name: p for p in result.resting}
    end = parts["100 Ω to 0 V"]
    assert result.high == pytest.approx(100 * end.amps_high, rel=1e-6)
    assert end.watts_high == pytest.approx(result.high**2 / 100)
    driver = parts["driver U7.C4"]
    assert driver.amps_high == pytest.approx(end.amps_high, rel=1e-6)
    # The pad of the driver lies below its rail by what its table takes at that current.
    assert 0.1 < 1.8 - result.pad.max() < 0.6 or result.pad.max() > 1.0
    assert driver.watts_low == pytest.approx(0.0, abs=1e-9)


def test_a_weaker_model_and_a_slower_corner_are_slower(project: Project) -> None:
    path = project.design.path("clk-two")
    strong = PATH.run(path_inputs(project.design, path, fine=False), Control()).measures
    slow = PATH.run(
        path_inputs(project.design, path, fine=False, corner="slow"), Control()
    ).measures
    fast = PATH.run(
        path_inputs(project.design, path, fine=False, corner="fast"), Control()
    ).measures
    assert slow.edge_time > strong.edge_time > fast.edge_time
    assert slow.overshoot < strong.overshoot < fast.overshoot


def test_a_probe_in_the_receivers_place(project: Project) -> None:
    path = project.design.path("clk-adc")
    probe = set_receiver(path, "receiver", set_value(path.receiver, stands_in="probe"))
    with_c = PATH.run(path_inputs(project.design, path, fine=False), Control())
    bare = PATH.run(path_inputs(project.design, probe, fine=False), Control())
    assert bare.measures.edge_time < with_c.measures.edge_time
    assert bare.measures.delay < with_c.measures.delay


def test_why_names_the_capacitance_that_slows_the_edge(project: Project) -> None:
    inputs = inputs_of(project, "clk-adc", fine=False)
    why = PATH_WHY.run(WhyInputs(inputs, "receiver"), Control())
    every = (*why.found, *why.others)
    cap = next(r for r in every if "3.5 pF" in r.what)
    assert cap.largest > 0.5
    assert cap.sentence.startswith("The dip of")
    assert "comes from U3.B2's 3.5 pF. Without it the edge comes" in cap.sentence
    # Without its resistor the line rings more: no removal that helps.
    resistor = next(r for r in why.others if "Rs" in r.what)
    zero = run_path(with_value(inputs, "Rs", 0.0))
    assert resistor.value == pytest.approx(
        np.max(zero.solution.node(zero.built.load)) - 1.8, rel=0.02
    )


def test_measures_are_of_the_worst_receiver_unless_one_is_named(project: Project) -> None:
    result = PATH.run(inputs_of(project, "trig"), Control())
    each = [m.value for r in result.receivers for m in measure_at(result, "ring_back", r)]
    assert each == [r.measures.ring_back for r in result.receivers]


def test_the_seeded_stub_is_remarked_and_explained(project: Project) -> None:
    path = project.design.path("trig")
    result = PATH.run(path_inputs(project.design, path), Control())
    remarks = placement_remarks(path.driver.edge.si, path.all_elements, result)
    assert set(remarks) == {"B"}
    assert "U4.B5" in " ".join(b.cause for b in result.bounces[2])
    via = next(s for s in result.spans if s.id == "V1")
    assert "shorts at" in via.note


def test_bounces_begin_with_the_edge_and_carry_the_swing(project: Project) -> None:
    result = PATH.run(inputs_of(project, "clk-adc"), Control())
    first = result.bounces[0][0]
    assert first.cause == "the edge itself"
    z = result.z_line
    assert first.volts == pytest.approx(2 * 1.8 * z / (z + 33.0), rel=0.05)


def test_corner_set_and_search(project: Project) -> None:
    path = project.design.path("clk-chain")
    variants = corner_variants(project.design, path)
    assert len(variants) == 13
    values = tuple(np.linspace(20.0, 80.0, 7))
    sweep = PATH_SWEEP.run(SweepInputs(variants, "Rs", values), Control())
    wanted = [r for r in project.requirements if r.ref == Ref("path", path.id)]
    found = search(sweep, wanted)
    assert found is not None
    typical = search(PATH_SWEEP.run(SweepInputs(variants[:1], "Rs", values), Control()), wanted)
    assert typical is not None
    # No corner is better than all of them together.
    assert (found.margin <= typical.margin + 1e-9).all()
    assert typical.holds is not None
    low, high = typical.holds
    for value, holds in ((low + 1.0, True), (high + 4.0, False)):
        run = PATH_SWEEP.run(SweepInputs(variants[:1], "Rs", (value, value + 0.1)), Control())
        again = search(run, wanted)
        assert again is not None
        assert bool(again.margin[0, 0] >= 0.0) is holds
    assert search(sweep, []) is None


def test_a_limit_at_one_receiver_is_held_there(project: Project) -> None:
    """Of two receivers the one that a requirement names counts, and is the one that is shown."""
    inputs = inputs_of(project, "clk-two", fine=False)
    element = next(i.id for i in inputs.every_item if i.ahead is not None and i.ahead > 0.0)
    values = (10.0, 25.0, 45.0)
    sweep = PATH_SWEEP.run(SweepInputs((Variant("", inputs),), element, values), Control())
    assert len(sweep.receivers) > 1
    assert sweep.waves.shape[:3] == (len(sweep.receivers), 1, 3)
    for k, name in enumerate(sweep.receivers):
        measures = [measures_with(inputs, element, v)[k].overshoot for v in values]
        assert sweep.measured("overshoot", name)[0, :, 0] == pytest.approx(measures)
        limit = Requirement(
            id="x", kind="path", subject="clk-two", measure="overshoot",
            receiver=name, at_most="0.2 V",
        )  # fmt: skip
        found = search(sweep, [limit])
        assert found is not None
        assert found.receiver == name
        assert found.parts.shape == (1, 3, 1)
        assert found.margin[:, 0] == pytest.approx([(0.2 - m) / 0.2 for m in measures])
        assert sweep.values[found.best[0]] == values[int(np.argmin(measures))]
    everywhere = sweep.measured("overshoot", None)
    assert everywhere == pytest.approx(
        np.max([sweep.measured("overshoot", name) for name in sweep.receivers], axis=0)
    )


def test_more_values_are_run_around_the_best() -> None:
    values = (0.0, 10.0, 20.0, 30.0)
    inside = refined(values, 2, 4)
    assert inside == (0.0, 10.0, 14.0, 18.0, 20.0, 22.0, 26.0, 30.0)
    assert refined(values, 0, 1) == (0.0, 5.0, 10.0, 20.0, 30.0)
    assert refined(values, 3, 1)[-2:] == (25.0, 30.0)


def test_two_values_make_a_field(project: Project) -> None:
    inputs = inputs_of(project, "clk-adc", fine=False)
    sweep = PATH_SWEEP.run(
        SweepInputs((Variant("", inputs),), "Rs", (10.0, 40.0), "T1", (0.02, 0.03, 0.04)), Control()
    )
    assert sweep.shape == (1, 2, 3)
    one = run_path(with_value(with_value(inputs, "Rs", 40.0), "T1", 0.03))
    peak = one.solution.node(one.built.load).max() - 1.8
    assert sweep.of("overshoot")[1, 1] == pytest.approx(max(peak, 0.0), abs=0.02)
    with pytest.raises(InputError, match="no value to sweep"):
        with_value(inputs, "V1", 1.0)
    with pytest.raises(InputError, match="not in this path"):
        with_value(inputs, "Q9", 1.0)
    with pytest.raises(InputError, match="no resistor ends"):
        with_value(inputs, "receiver", 50.0)


@pytest.mark.parametrize("kind", ["bits", "pattern"])
def test_data_is_sent_bit_by_bit(project: Project, kind: str) -> None:
    inputs = inputs_of(project, "clk-two", fine=False)
    stimulus = replace(inputs.stimulus, kind=kind, rate=200e6, bits="0110")
    sent = replace(inputs, stimulus=stimulus, window=300e-9)
    edges = edge_commands(sent)
    assert all(b[0] > a[0] and b[1] != a[1] for a, b in itertools.pairwise(edges))
    if kind == "bits":
        assert edges == [(0.0, True), (1e-8, False)]
    jittered = edge_commands(replace(sent, stimulus=replace(stimulus, jitter=50e-12)))
    moved = [abs(a[0] - b[0]) for a, b in zip(edges, jittered, strict=True)]
    assert 0.0 < max(moved) <= 50e-12


def test_an_open_drain_driver_is_pulled_up(
    project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Only the pull-down is left of the model: the level comes from the termination."""
    path = project.design.path("clk-two")
    inputs = path_inputs(project.design, path, fine=False)
    assert inputs.driver.device is not None
    buffer, package = used(inputs.driver.device)
    drain = replace(buffer, pullup=None, kind="Open_drain")

    def drained(use: DeviceUse) -> object:
        return (drain, package) if use == inputs.driver.device else used(use)

    monkeypatch.setattr("onda.studies.paths.ends.used", drained)
    end = replace(
        inputs.end, termination=replace(inputs.end.termination, kind="parallel", r=200.0, rail=1.8)
    )
    result = PATH.run(replace(inputs, end=end), Control())
    assert result.high == pytest.approx(1.8, abs=0.01)
    assert 0.1 < result.low < 0.6


def test_device_study_reads_strength_and_edges(project: Project) -> None:
    use = inputs_of(project, "clk-two").driver.device
    assert use is not None
    r = DEVICE_MODEL.run(DeviceInputs(use), Control())
    assert r.quality < 0.005
    assert 15 < r.r_high < 30
    assert 100e-12 < r.edge_rise < 250e-12
    receiver = inputs_of(project, "clk-two").end.device
    assert receiver is not None
    quiet = DEVICE_MODEL.run(DeviceInputs(receiver), Control())
    assert quiet.fixtures == ()
    assert np.isinf(quiet.r_high)
    assert quiet.clamps[0] > 0.01


def test_a_model_that_is_gone_is_told(project: Project) -> None:
    path = project.design.path("clk-two")
    use = set_value(path.driver.model, model="nothing")
    inputs = path_inputs(project.design, set_model(path, "driver", use))
    with pytest.raises(InputError, match="no model 'nothing'"):
        PATH.run(inputs, Control())


def test_diodes_are_refused_where_only_linear_nets_go(project: Project) -> None:
    inputs = inputs_of(project, "clk-adc")
    term = replace(inputs.end.termination, kind="diode", rail=1.8)
    with pytest.raises(InputError, match="not linear"):
        without_devices(replace(inputs, end=replace(inputs.end, termination=term)))
    clamped = PATH.run(
        replace(inputs, end=replace(inputs.end, termination=term), fine=False), Control()
    )
    free = PATH.run(replace(inputs, fine=False), Control())
    assert clamped.measures.overshoot < free.measures.overshoot
