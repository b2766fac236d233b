"""A path cut into pieces, or with vias put in, against the exact answer of its linear net."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from onda.demo import fulmar_project
from onda.engine.circuits import solve_linear, solve_transient
from onda.project.paths.elements.trace import TracePiece
from onda.project.paths.elements.via import Via
from onda.project.paths.path import Path
from onda.project.quantities import quantity
from onda.studies.paths.build import at_device_edge
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import Item, with_items
from onda.studies.paths.run import PathRun, run_path
from onda.studies.paths.stimulus import source_waveform

DESIGN = fulmar_project().design


def cut(path: Path, pieces: int, via: Via | None = None) -> Path:
    """Every trace in so many equal pieces, with a via between two of them."""
    out: list[object] = []
    for element in path.elements:
        if not isinstance(element, TracePiece):
            out.append(element)
            continue
        length = quantity(element.length.si / pieces, "length", digits=9)
        for k in range(pieces):
            if k and via is not None:
                out.append(via.model_copy(update={"id": f"{element.id}v{k}"}))
            out.append(element.model_copy(update={"id": f"{element.id}.{k}", "length": length}))
    return path.model_copy(update={"elements": tuple(out)})


def solved(path: Path, edge: float) -> PathRun:
    """One edge of a path, long enough to come to rest."""
    inputs = path_inputs(DESIGN, path)
    one = replace(inputs.stimulus, kind="edge")
    return run_path(replace(inputs, edge=edge, window=4e-9 + 3.0 * edge, stimulus=one))


def exact(run: PathRun, at: np.ndarray) -> np.ndarray:
    """The receiver's voltage at times, by inversion of the exact answer at complex frequencies."""
    stimulus = source_waveform(run.inputs, run.edges)
    end = float(run.solution.time[-1])
    step = min(run.inputs.edge / 200.0, end / 2000.0)
    fine = solve_linear(run.net, stimulus, end=end, step=step)
    return np.interp(at, fine.time, fine.node(run.built.ends[-1].die))


@pytest.mark.parametrize("edge", [30e-12, 100e-12, 350e-12, 2e-9])
@pytest.mark.parametrize("pieces", [1, 4, 11, 33])
def test_cuts_change_nothing(edge: float, pieces: int) -> None:
    whole = solved(DESIGN.path("clk-adc"), edge)
    run = solved(cut(DESIGN.path("clk-adc"), pieces), edge)
    volts = run.solution.node(run.built.ends[-1].die)
    wanted = exact(whole, run.solution.time)
    swing = np.ptp(wanted)
    assert np.abs(volts - wanted).max() < 3e-4 * swing
    assert volts[-1] == pytest.approx(wanted[-1], abs=5e-5 * swing)


def test_vias_between_pieces_are_what_they_are() -> None:
    path = DESIGN.path("clk-adc")
    via = next(e for e in path.elements if isinstance(e, Via))
    for pieces in (3, 12):
        run = solved(cut(path, pieces, via), 350e-12)
        volts, wanted = run.solution.node(run.built.ends[-1].die), exact(run, run.solution.time)
        assert np.abs(volts - wanted).max() < 3e-4 * np.ptp(wanted)


def matched() -> Path:
    """One trace from 50 ohm into 50 ohm: nothing rounds the corners of its edges."""
    path, zero = DESIGN.path("clk-adc"), quantity(0.0, "capacitance")
    ohm = quantity(50.0, "resistance")
    trace = next(e for e in path.elements if isinstance(e, TracePiece))
    return path.model_copy(
        update={
            "elements": (trace,),
            "driver": path.driver.model_copy(update={"capacitance": zero, "resistance": ohm}),
            "receiver": path.receiver.model_copy(update={"capacitance": zero, "resistance": ohm}),
        }
    )


@pytest.mark.parametrize(
    ("edge", "pieces", "limit"), [(10e-12, 10, 1e-3), (500e-12, 7, 1.5e-3), (500e-12, 20, 1e-3)]
)
def test_sharp_corners_pass_a_cut_line(edge: float, pieces: int, limit: float) -> None:
    whole, run = solved(matched(), edge), solved(cut(matched(), pieces), edge)
    volts = run.solution.node(run.built.ends[-1].die)
    wanted = exact(whole, run.solution.time)
    assert np.abs(volts - wanted).max() < limit * np.ptp(wanted)


@pytest.mark.parametrize("typed", [50e-12, 1e-9, 4e-9])
def test_the_step_follows_the_device_and_not_the_typed_edge(typed: float) -> None:
    """Against a run of a tenth of the step."""
    inputs = replace(path_inputs(DESIGN, DESIGN.path("spi-clk")), edge=typed, window=4e-9)
    run = run_path(replace(inputs, stimulus=replace(inputs.stimulus, kind="edge")))
    assert run.built.switching is not None
    assert run.inputs.edge == run.built.switching.edge
    step = float(run.solution.time[1])
    fine = solve_transient(run.net, end=float(run.solution.time[-1]), step=step / 10.0)
    die = run.built.ends[-1].die
    wanted = np.interp(run.solution.time, fine.time, fine.node(die))
    assert np.abs(run.solution.node(die) - wanted).max() < 2e-3 * np.ptp(wanted)


def test_the_edge_is_that_of_the_end_that_drives() -> None:
    """The device at a branch, the driver and the other receivers linear."""
    inputs = path_inputs(DESIGN, DESIGN.path("trig"))
    fast = at_device_edge(inputs).edge
    assert fast != inputs.edge
    device = inputs.driver.device

    def moved(item: Item) -> Item:
        if item.end is None or item.end.id != "A":
            return item
        return item.with_end(replace(item.end, device=device, stands_in="device"))

    linear = replace(with_items(inputs, moved), driver=replace(inputs.driver, device=None))
    assert at_device_edge(linear).edge == inputs.edge
    assert at_device_edge(replace(linear, driving="A")).edge == fast
    assert at_device_edge(replace(linear, driving="B")).edge == inputs.edge
    assert at_device_edge(replace(linear, driving="receiver")).edge == inputs.edge


@pytest.mark.parametrize("name", ["clk-adc", "clk-two", "trig", "spi-clk", "jl0"])
def test_the_error_of_the_step_is_told_and_small(name: str) -> None:
    """Against a run of an eighth of the step."""
    run = run_path(path_inputs(DESIGN, DESIGN.path(name)))
    stimulus = source_waveform(run.inputs, run.edges) if run.built.switching is None else ()
    step, end = float(run.solution.time[1]), float(run.solution.time[-1])
    fine = solve_transient(run.net, stimulus, end=end, step=step / 8.0)
    dies = [receiver.die for receiver in run.built.ends]
    swing = float(np.abs(run.highs - run.lows)[dies].max())
    moved = max(
        np.abs(np.interp(run.solution.time, fine.time, fine.node(n)) - run.solution.node(n)).max()
        for n in dies
    )
    assert run.step_error <= 1e-3
    assert moved / swing == pytest.approx(run.step_error, rel=0.6, abs=5e-5)
    assert moved / swing < 1.5e-3


def test_a_step_that_is_too_coarse_is_halved(monkeypatch: pytest.MonkeyPatch) -> None:
    inputs = path_inputs(DESIGN, DESIGN.path("clk-two"))
    plain = run_path(inputs)
    monkeypatch.setattr(
        "onda.studies.paths.run.time_step", lambda *_: 8.0 * float(plain.solution.time[1])
    )
    found = run_path(inputs)
    assert float(found.solution.time[1]) == pytest.approx(
        2.0 * float(plain.solution.time[1]), rel=0.01
    )
    # Twice more is as often as it is tried; what is left is told.
    assert found.step_error > plain.step_error
    quick = run_path(replace(inputs, fine=False))
    assert np.isnan(quick.step_error)
