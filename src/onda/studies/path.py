"""Study `path`: waveforms anywhere along a net, what they measure, their harmonics."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits import (
    LinePiece,
    Net,
    PiecewiseLinear,
    SeriesPart,
    ShuntBranch,
    solve_linear,
)
from onda.engine.circuits.dc import dc_voltages
from onda.engine.circuits.linear import LinearSolution, node_response
from onda.engine.circuits.measure import EdgeMeasures, measure_edge
from onda.engine.circuits.stimulus import clock, edge
from onda.engine.lines import lossless_line
from onda.studies.resolve import PathInputs, ResistorItem, TraceItem
from onda.studies.solved_line import solve_line
from onda.studies.study import Control, Study

__all__ = ["PATH", "BuiltPath", "PathResult", "Span", "build_path", "measure_load"]

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Span:
    """One element on the delay scale: from `start` to `end` seconds; `z` ohm (0 for a resistor)."""

    id: str
    kind: str
    label: str
    start: float
    end: float
    z: float
    length: float


@dataclass(frozen=True, slots=True)
class PathResult:
    """What the Paths stage shows.

    Attributes
    ----------
    spans : the elements in order
    time : (n,) s
    places : (p,) s of delay from the driver; piece : (p,) index into spans
    volts : (p, n) V, float32, the wave map
    pad, load : (n,) V at the driver's pad (before any series resistor) and at the receiver
    source : (n,) V, the driver's open-circuit voltage
    low, high : V at the load, settled
    measures : of the worse of rising and falling edge
    harmonics : (h,) Hz; harmonic_volts : (h,) V amplitude at the load; empty without a clock
    z_source : ohm, driver and series resistors before the first piece
    z_line : ohm, the first trace; z_load : ohm at DC (infinite when open)
    """

    spans: tuple[Span, ...]
    time: FloatArray
    places: FloatArray
    piece: NDArray[np.int64]
    volts: NDArray[np.float32]
    pad: FloatArray
    load: FloatArray
    source: FloatArray
    low: float
    high: float
    measures: EdgeMeasures
    harmonics: FloatArray
    harmonic_volts: FloatArray
    z_source: float
    z_line: float
    z_load: float

    @property
    def delay(self) -> float:
        """Delay of the whole path, s."""
        return self.spans[-1].end if self.spans else 0.0

    @property
    def reflection_at_launch(self) -> float:
        """Share sent back where the wave returns to the driver."""
        return (self.z_source - self.z_line) / (self.z_source + self.z_line)

    @property
    def reflection_at_load(self) -> float:
        """Share sent back at the receiver, its capacitance apart."""
        last = next((s.z for s in reversed(self.spans) if s.kind == "trace"), self.z_line)
        return 1.0 if math.isinf(self.z_load) else (self.z_load - last) / (self.z_load + last)


@dataclass(frozen=True, slots=True)
class BuiltPath:
    """A path as a net: nodes run from the driver's pad (0) to the receiver (`load`)."""

    net: Net
    load: int
    spans: tuple[Span, ...]
    piece_span: tuple[int, ...]
    z_source: float
    z_load: float


def build_path(inputs: PathInputs) -> BuiltPath:
    """Turn a path into a net."""
    shunts = [ShuntBranch(0, r=inputs.driver_resistance, source=True)]
    if inputs.driver_capacitance > 0:
        shunts.append(ShuntBranch(0, c=inputs.driver_capacitance))
    series: list[SeriesPart] = []
    lines: list[LinePiece] = []
    spans: list[Span] = []
    piece_span: list[int] = []
    node, delay, z_source = 0, 0.0, inputs.driver_resistance
    # Delay is drawn at the frequency that carries the edge.
    knee = 0.35 / inputs.edge
    for item in inputs.items:
        if isinstance(item, ResistorItem):
            if item.value > 0:
                series.append(SeriesPart(node, node + 1, r=item.value))
                node += 1
            if not lines:
                z_source += item.value
            spans.append(Span(item.id, "resistor", item.id, delay, delay, 0.0, 0.0))
            continue
        if isinstance(item, TraceItem):
            solved = solve_line(item.line, inputs.fine)
            line, length, z = solved.line, item.length, solved.z
            took = line.delay_per_m(knee) * length
            spans.append(Span(item.id, "trace", item.label, delay, delay + took, z, length))
        else:
            line, length, took = lossless_line(item.z0), item.delay, item.delay
            if item.pad > 0:
                shunts += [ShuntBranch(n, c=0.5 * item.pad) for n in (node, node + 1)]
            spans.append(Span(item.id, "via", "via", delay, delay + took, item.z0, 0.0))
        lines.append(LinePiece(node, node + 1, line, length))
        piece_span.append(len(spans) - 1)
        node += 1
        delay += took
    shunts += _end(inputs, node)
    loads = [b.r for b in shunts if b.node == node and not b.source and b.c is None]
    z_load = 1.0 / sum(1.0 / r for r in loads) if loads else math.inf
    return BuiltPath(
        net=Net(node + 1, tuple(shunts), tuple(lines), tuple(series)),
        load=node,
        spans=tuple(spans),
        piece_span=tuple(piece_span),
        z_source=z_source,
        z_load=z_load,
    )


def _end(inputs: PathInputs, node: int) -> list[ShuntBranch]:
    """Termination and receiver."""
    out: list[ShuntBranch] = []
    if inputs.load_capacitance > 0:
        out.append(ShuntBranch(node, c=inputs.load_capacitance))
    if inputs.load_resistance is not None:
        out.append(ShuntBranch(node, r=inputs.load_resistance))
    if inputs.termination in ("parallel", "split"):
        out.append(ShuntBranch(node, r=inputs.term_r or 0.0, e=inputs.rail))
    if inputs.termination == "split":
        out.append(ShuntBranch(node, r=inputs.term_r_low or 0.0))
    if inputs.termination == "ac":
        out.append(ShuntBranch(node, r=inputs.term_r or 0.0, c=inputs.term_c))
    return out


def path_stimulus(inputs: PathInputs) -> PiecewiseLinear:
    if inputs.frequency is None:
        return edge(inputs.low, inputs.high, inputs.edge)
    cycles = max(1, math.ceil(inputs.window * inputs.frequency))
    return clock(inputs.low, inputs.high, inputs.edge, period=1.0 / inputs.frequency, cycles=cycles)


def time_step(inputs: PathInputs) -> float:
    per_edge, most = (40, 2400) if inputs.fine else (16, 700)
    return max(inputs.edge / per_edge, inputs.window / most)


def measure_load(inputs: PathInputs, solution: LinearSolution, load: int) -> EdgeMeasures:
    """Measure the first rising edge at the load, over the time until the next one arrives."""
    volts, time = solution.node(load), solution.time
    net = solution.net
    low = float(dc_voltages(net, inputs.low)[load])
    high = float(dc_voltages(net, inputs.high)[load])
    stop = len(time)
    if inputs.frequency is not None:
        half = 0.5 / inputs.frequency
        delay = sum(p.line.delay_per_m(0.35 / inputs.edge) * p.length for p in net.lines)
        stop = int(np.searchsorted(time, half + delay))
    return measure_edge(
        time[:stop],
        volts[:stop],
        from_level=low,
        to_level=high,
        source_half_time=0.5 * inputs.edge,
    )


def _run(inputs: PathInputs, control: Control) -> PathResult:
    built = build_path(inputs)
    control.progress(0.2)
    stimulus = path_stimulus(inputs)
    solution = solve_linear(built.net, stimulus, end=inputs.window, step=time_step(inputs))
    control.progress(0.5)
    places, piece, volts = _wave_map(inputs, built, solution, control)
    harmonics, amplitudes = _harmonics(inputs, built, stimulus)
    lines = [s.z for s in built.spans if s.kind == "trace"] or [s.z for s in built.spans if s.z]
    return PathResult(
        spans=built.spans,
        time=solution.time,
        places=places,
        piece=piece,
        volts=volts,
        pad=solution.node(0),
        load=solution.node(built.load),
        source=stimulus.sample(solution.time),
        low=float(dc_voltages(built.net, inputs.low)[built.load]),
        high=float(dc_voltages(built.net, inputs.high)[built.load]),
        measures=measure_load(inputs, solution, built.load),
        harmonics=harmonics,
        harmonic_volts=amplitudes,
        z_source=built.z_source,
        z_line=lines[0],
        z_load=built.z_load,
    )


def _wave_map(
    inputs: PathInputs, built: BuiltPath, solution: LinearSolution, control: Control
) -> tuple[FloatArray, NDArray[np.int64], NDArray[np.float32]]:
    """Voltages at places evenly spaced in delay, at least three on every piece."""
    wanted = 160 if inputs.fine else 48
    total = built.spans[-1].end
    places, pieces, rows = [], [], []
    for number, span_index in enumerate(built.piece_span):
        span, line = built.spans[span_index], built.net.lines[number]
        count = max(3, round(wanted * (span.end - span.start) / total))
        share = np.linspace(0.0, 1.0, count)
        rows.append(solution.along(number, share * line.length).astype(np.float32))
        places.append(span.start + share * (span.end - span.start))
        pieces.append(np.full(count, span_index))
        control.progress(0.5 + 0.5 * (number + 1) / len(built.piece_span))
    return np.concatenate(places), np.concatenate(pieces), np.concatenate(rows)


def _harmonics(
    inputs: PathInputs, built: BuiltPath, stimulus: PiecewiseLinear
) -> tuple[FloatArray, FloatArray]:
    """Amplitudes at the load of a clock that has always been running."""
    if inputs.frequency is None:
        return np.empty(0), np.empty(0)
    period = 1.0 / inputs.frequency
    one = PiecewiseLinear(stimulus.time[:4], stimulus.volts[:4])
    frequency = inputs.frequency * np.arange(1.0, 10.0)
    s = np.asarray(2j * np.pi * frequency)
    coefficient = 2.0 * one.change_transform(s) / period
    return frequency, np.abs(node_response(built.net, s)[:, built.load] * coefficient)


PATH: Study[PathInputs, PathResult] = Study("path", _run, (PathResult, Span, EdgeMeasures))
