"""A path solved in time, and what every receiver of it measures."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits import TransientSolution, solve_transient
from onda.engine.circuits.budget import check_transient_size
from onda.engine.circuits.dc import dc_voltages
from onda.engine.circuits.measure import first_crossing
from onda.engine.circuits.net import Net, ShuntBranch
from onda.engine.circuits.receiver_measures import (
    EdgeSpan,
    Levels,
    ReceiverMeasures,
    measure_receiver,
)
from onda.errors import TooLarge
from onda.studies.core.study import Control
from onda.studies.paths.build import (
    BuiltPath,
    at_device_edge,
    build_path,
    levels_at_rest,
    stimuli,
    with_edges,
)
from onda.studies.paths.items import PathInputs
from onda.studies.paths.layout import BuiltEnd
from onda.studies.paths.stimulus import edge_commands

__all__ = ["PathRun", "measure_receivers", "run_path"]

FloatArray = NDArray[np.float64]


_SHORT, _FEW = 2.0, 1.5
"""Steps below which a piece is a section; steps that all of them together may take, for then they
hardly smear an edge."""
_STILL, _HALVINGS = 1e-3, 2
"""Share of the swing by which an answer may still move, and how often the step is halved for it."""
_READ, _MANY = 3, 5
"""Steps below which the wave of a piece is read coarsely; how many such pieces hardly matter."""


def time_step(inputs: PathInputs, built: BuiltPath) -> float:
    """Step of the transient: fine against the edge, and finer where many pieces are short.

    Then the shortest takes a whole number of steps: three or more, so that its wave is read at
    samples; in a quick run also one, at which a row of sections loses little. At a fifth of the
    step a row of still shorter ones is all but exact.
    """
    per_edge = 40 if inputs.fine else 16
    knee = 0.35 / inputs.edge
    took = np.array(
        [
            *(p.line.delay_per_m(knee) * p.length for p in built.net.lines),
            *(built.spans[k].end - built.spans[k].start for k, _ in built.coupled_span),
        ]
    )
    step = inputs.edge / per_edge
    sections = took < _SHORT * step
    coarse = np.count_nonzero(took < _READ * step) - np.count_nonzero(sections)
    if took[sections].sum() <= _FEW * step and coarse <= _MANY:
        return step
    shortest = float(took.min())
    whole = math.ceil(shortest / step)
    if whole < _READ and (whole > 1 or inputs.fine):
        whole = _READ
    return max(shortest / whole, step / 5.0)


@dataclass(frozen=True, slots=True)
class PathRun:
    """A path with its transient.

    `step_error` is by how much a waveform at a receiver would still move with ever finer steps, as
    a share of the swing; NaN of a quick run, which is not held against another.
    """

    inputs: PathInputs
    built: BuiltPath
    net: Net
    edges: list[tuple[float, bool]]
    solution: TransientSolution
    lows: FloatArray
    highs: FloatArray
    step_error: float = math.nan


def run_path(inputs: PathInputs, control: Control | None = None) -> PathRun:
    """Build and solve a path; the waveforms only."""
    inputs = at_device_edge(inputs)
    built = build_path(inputs)
    step = time_step(inputs, built)
    end = max(inputs.window, 8.0 * step)
    # Before its edges are listed: a clock has very many of them in a second.
    check_transient_size(built.net, end, step)
    edges = edge_commands(inputs)
    start_high = not edges[0][1]
    net = with_edges(built, inputs, edges, start_high=start_high)
    stimulus = stimuli(built, inputs, edges)

    levels = []
    for high in (False, True):
        at_rest = with_edges(built, inputs, [], start_high=high)
        levels.append(dc_voltages(at_rest, levels_at_rest(built, inputs, high=high)))

    def solved(step: float, begins: float, ends: float) -> TransientSolution:
        def wanted(share: float) -> None:
            if control is not None:
                control.progress(begins + (ends - begins) * share)

        return solve_transient(net, stimulus, end=end, step=step, wanted=wanted)

    solution, error = solved(step, 0.05, 0.3 if inputs.fine else 0.5), math.nan
    if inputs.fine:
        dies = [receiver.die for receiver in built.ends]
        swing = max(float(np.abs(levels[1] - levels[0])[dies].max()), 1e-6)
        coarse = solved(2.0 * step, 0.3, 0.4)
        for left in range(_HALVINGS, -1, -1):
            error = _difference(solution, coarse, dies) / (3.0 * swing)
            if error <= _STILL or left == 0:
                break
            step /= 2.0
            try:
                finer = solved(step, 0.5 - 0.05 * left, 0.55 - 0.05 * left)
            except TooLarge:
                break
            coarse, solution = solution, finer
    return PathRun(inputs, built, net, edges, solution, levels[0], levels[1], error)


def _difference(fine: TransientSolution, coarse: TransientSolution, nodes: list[int]) -> float:
    """Largest difference in volts at the samples of the coarser one.

    Steps of second order are three times nearer to the answer than to those of twice the size.
    """
    return max(
        float(np.abs(np.interp(coarse.time, fine.time, fine.node(n)) - coarse.node(n)).max())
        for n in nodes
    )


def measure_receivers(run: PathRun) -> list[ReceiverMeasures]:
    """Measures of every receiver of a solved path."""
    test = _test_delay(run)
    return [_measure(run, end, test) for end in run.built.ends]


def _measure(run: PathRun, end: BuiltEnd, test_delay: float) -> ReceiverMeasures:
    levels = _levels(run, end)
    half = 0.5 * _edge_time(run)
    # A little before an edge can arrive is when the one before it has had its time.
    arrives = 0.95 * abs(end.delay - run.built.driver.delay)
    stops = [t + arrives for t, _ in run.edges[1:]] + [float(run.solution.time[-1])]
    spans = [
        EdgeSpan(up, t + half, t + (arrives if k else 0.0), stop)
        for k, ((t, up), stop) in enumerate(zip(run.edges, stops, strict=True))
    ]
    # An edge that has hardly arrived when the window ends is not judged.
    last = spans[-1]
    if len(spans) > 1 and last.stop - last.start < 2.0 * _edge_time(run) + 2.0 * arrives:
        spans.pop()
    volts = run.solution.node(end.die)
    frequency = run.inputs.frequency
    return measure_receiver(
        run.solution.time,
        volts,
        levels,
        spans,
        test_delay=test_delay,
        period=None if frequency is None else 1.0 / frequency,
    )


def _edge_time(run: PathRun) -> float:
    """0 to 100 % of the source; of a buffer, until its factors have crossed."""
    if run.built.switching is None:
        return run.inputs.edge
    # The middle of the switching is where the pull-up is half on.
    halves = []
    for curve in (run.built.switching.rise, run.built.switching.fall):
        both = np.asarray(curve.up) - np.asarray(curve.down)
        halves.append(first_crossing(np.asarray(curve.time), both, 0.0))
    known = [h for h in halves if not math.isnan(h)]
    return 2.0 * float(np.mean(known)) if known else run.inputs.edge


def _levels(run: PathRun, end: BuiltEnd) -> Levels:
    low, high = float(run.lows[end.die]), float(run.highs[end.die])
    buffer = end.device.buffer
    if buffer is None:
        return Levels(low, high)
    t = buffer.thresholds
    between = [v if v is not None and low < v < high else None for v in (t.v_il, t.v_ih, t.v_meas)]
    return Levels(low, high, between[0], between[1], between[2], t.over_high, t.over_low)


def _test_delay(run: PathRun) -> float:
    """From the source's middle to the crossing in the driver's test load; 0 without one."""
    buffer = run.built.driver.device.buffer
    if buffer is None or run.built.switching is None or buffer.r_load is None:
        return 0.0
    shunts = [ShuntBranch(0, r=buffer.r_load, e=buffer.v_load)]
    c = buffer.c_comp + buffer.c_load
    if c > 0.0:
        shunts.append(ShuntBranch(0, c=c))
    alone = replace(run.built, net=Net(1, tuple(shunts)), neighbours=())
    alone = replace(alone, driver=replace(run.built.driver, die=0))
    rising = run.edges[0][1]
    net = with_edges(alone, run.inputs, [(0.0, rising)], start_high=not rising)
    end = 6.0 * run.inputs.edge + 10.0 * buffer.r_load * c
    solution = solve_transient(net, end=end, step=run.inputs.edge / 40.0)
    volts = solution.node(0)
    stated = buffer.thresholds.v_meas
    level = 0.5 * (volts[0] + volts[-1]) if stated is None else stated
    crossed = first_crossing(solution.time, volts, float(level))
    return 0.0 if math.isnan(crossed) else crossed - 0.5 * _edge_time(run)
