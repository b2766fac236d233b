"""Study `path`: waveforms anywhere along a net, what each receiver sees, harmonics, bounces."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits import TransientSolution, solve_transient
from onda.engine.circuits.bounces import Bounce, trace_bounces
from onda.engine.circuits.dc import device_currents
from onda.engine.circuits.receiver_measures import (
    ReceiverMeasures,
)
from onda.engine.circuits.spectrum import energy_above
from onda.engine.devices import Thresholds
from onda.project.quantities import plain
from onda.studies.core.study import Control, Study
from onda.studies.paths.along import ends_of_pieces, pieces_on_the_way, wave_map
from onda.studies.paths.build import stimuli, with_edges
from onda.studies.paths.items import PathInputs
from onda.studies.paths.layout import BuiltEnd, Span
from onda.studies.paths.run import PathRun, measure_receivers, run_path
from onda.studies.paths.stimulus import (
    first_level_is_high,
    periodic_commands,
    source_waveform,
)

__all__ = [
    "PATH",
    "Bounce",
    "PathResult",
    "ReceiverResult",
    "RestingPart",
    "Span",
]

FloatArray = NDArray[np.float64]
_MOVES = 2e-3
"""Share of the swing by which a waveform may still move without a word."""
_BEYOND = 0.01
"""Share of an edge beyond the data of a network that is told."""
_SHOWN, _PER_EDGE = 2400, 40
"""Samples that curves and the map are shown with at most."""
_TRACES = ("trace", "lane")
_HARMONICS = 15


@dataclass(frozen=True, slots=True)
class ReceiverResult:
    """One receiver.

    Attributes
    ----------
    delay : s, where it lies on the scale; row : of the ribbon; route : spans from the driver to it
    pin, die : (n,) V; low, high : V settled at the die
    thresholds : what its model asks for
    """

    id: str
    name: str
    delay: float
    row: int
    route: tuple[int, ...]
    pin: FloatArray
    die: FloatArray
    low: float
    high: float
    thresholds: Thresholds
    measures: ReceiverMeasures


@dataclass(frozen=True, slots=True)
class Overheard:
    """What the receiver of another lane of a group sees: volts (n,), and how many lanes away it
    is."""

    name: str
    apart: int
    volts: FloatArray


@dataclass(frozen=True, slots=True)
class RestingPart:
    """Current (A) and power (W) of a resistor to a rail while the line rests high and low."""

    name: str
    amps_high: float
    amps_low: float
    watts_high: float
    watts_low: float


@dataclass(frozen=True, slots=True)
class PathResult:
    """What the Paths stage shows.

    Attributes
    ----------
    spans : the elements in order, those of branches in rows of their own
    time : (n,) s, as shown
    places : (p,) s of delay from the driver; piece : (p,) index into spans
    volts, amps : (p, n), float32, voltage and current towards the receivers
    pad : (n,) V at the driver's pin; drive_amps, drive_watts : (n,) out of the driver
    source : (n,) V, the driver's open-circuit voltage; empty for a buffer
    receivers : those of branches, then the one at the end of the ribbon
    harmonics : (h,) Hz; harmonic_volts : (p, h) V amplitude along the map; harmonic_amps : (h,) A
        out of the driver; empty without a clock
    bounces : arrivals by receiver
    resting : terminations at rest
    z_source : ohm, driver and series resistors before the first piece
    z_line : ohm, the first trace; z_load : ohm at DC (infinite when open)
    line_error : largest error of the lines' models in time
    step, step_error : s, and by how much of the swing a finer one would still move a waveform
    edge : s, 0 to 100 %, of what really switches
    doubts : what is wrong with the data of networks in it
    overheard : receivers of lanes beside it, the nearest first
    """

    spans: tuple[Span, ...]
    time: FloatArray
    places: FloatArray
    piece: NDArray[np.int64]
    volts: NDArray[np.float32]
    amps: NDArray[np.float32]
    pad: FloatArray
    drive_amps: FloatArray
    drive_watts: FloatArray
    source: FloatArray
    receivers: tuple[ReceiverResult, ...]
    harmonics: FloatArray
    harmonic_volts: FloatArray
    harmonic_amps: FloatArray
    bounces: tuple[tuple[Bounce, ...], ...]
    resting: tuple[RestingPart, ...]
    z_source: float
    z_line: float
    z_load: float
    line_error: float
    step: float
    step_error: float
    edge: float
    doubts: tuple[str, ...] = ()
    overheard: tuple[Overheard, ...] = ()

    @property
    def delay(self) -> float:
        """Delay of the ribbon, s."""
        return max((s.end for s in self.spans if s.row == 0), default=0.0)

    @property
    def span_of_delay(self) -> float:
        """Delay of the farthest place, branches too, s."""
        return max((s.end for s in self.spans), default=0.0)

    @property
    def last(self) -> ReceiverResult:
        """The receiver at the end of the ribbon."""
        return self.receivers[-1]

    @property
    def load_harmonics(self) -> FloatArray:
        """Amplitudes (h,) V at the end of the ribbon; empty without a clock."""
        if len(self.harmonics) == 0:
            return np.empty(0)
        last = max(k for k, s in enumerate(self.spans) if s.row == 0 and s.z > 0.0)
        return np.asarray(self.harmonic_volts[np.flatnonzero(self.piece == last)[-1]])

    @property
    def load(self) -> FloatArray:
        """Waveform (n,) V at the die of the last receiver."""
        return self.last.die

    @property
    def low(self) -> float:
        """Settled low level of the last receiver, V."""
        return self.last.low

    @property
    def high(self) -> float:
        """Settled high level of the last receiver, V."""
        return self.last.high

    @property
    def measures(self) -> ReceiverMeasures:
        """Measures of the receiver that overshoots most."""
        return max(self.receivers, key=lambda r: _size(r.measures.overshoot)).measures

    def receiver(self, identifier: str) -> ReceiverResult:
        """A receiver by id; the last one where there is none of it."""
        return next((r for r in self.receivers if r.id == identifier), self.last)

    @property
    def reflection_at_launch(self) -> float:
        """Share sent back where the wave returns to the driver."""
        return (self.z_source - self.z_line) / (self.z_source + self.z_line)

    @property
    def reflection_at_load(self) -> float:
        """Share sent back at the last receiver, its capacitance apart."""
        ribbon = [s.z for s in self.spans if s.length > 0.0 and s.row == 0]
        last = ribbon[-1] if ribbon else self.z_line
        return 1.0 if math.isinf(self.z_load) else (self.z_load - last) / (self.z_load + last)


def _size(value: float) -> float:
    return math.inf if math.isnan(value) else value


def _run(inputs: PathInputs, control: Control) -> PathResult:
    run = run_path(inputs, control)
    inputs = run.inputs
    built, solution = run.built, run.solution
    measures = measure_receivers(run)
    end = float(solution.time[-1])
    samples = min(len(solution.time), math.ceil(_PER_EDGE * end / inputs.edge) + 1, _SHOWN)
    shown = np.linspace(0.0, end, samples)

    def at_shown(values: FloatArray) -> FloatArray:
        return np.interp(shown, solution.time, values)

    control.progress(0.55)
    places, piece, volts, amps = wave_map(run, solution, 160 if inputs.fine else 48, shown)
    control.progress(0.85)
    harmonics, along, out = _harmonics(run, places, piece)
    lines = [s.z for s in built.spans if s.kind in ("trace", "lane")] or [
        s.z for s in built.spans if s.z
    ]
    first_piece = (pieces_on_the_way(built)[0][0],)
    drive = _driver_current(run, solution)
    pad = solution.node(built.driver.pin)
    source = (
        source_waveform(inputs, run.edges).sample(shown) if built.switching is None else np.empty(0)
    )
    swing = max(abs(float(run.highs[0] - run.lows[0])), 1e-9)
    return PathResult(
        spans=built.spans,
        time=shown,
        places=places,
        piece=piece,
        volts=volts,
        amps=amps,
        pad=at_shown(pad),
        drive_amps=at_shown(drive),
        drive_watts=at_shown(drive * solution.node(built.driver.die)),
        source=source,
        receivers=tuple(
            ReceiverResult(
                id=end.id,
                name=end.name,
                delay=end.delay,
                row=end.row,
                # A receiver ahead of all line is looked at along the first piece.
                route=built.routes[end.id] or first_piece,
                pin=at_shown(solution.node(end.pin)),
                die=at_shown(solution.node(end.die)),
                low=float(run.lows[end.die]),
                high=float(run.highs[end.die]),
                thresholds=end.device.buffer.thresholds if end.device.buffer else Thresholds(),
                measures=m,
            )
            for end, m in zip(built.ends, measures, strict=True)
        ),
        harmonics=harmonics,
        harmonic_volts=along,
        harmonic_amps=out,
        bounces=tuple(_bounces(run, end, swing) for end in built.ends) if inputs.fine else (),
        resting=_resting(run),
        z_source=built.z_source,
        z_line=lines[0],
        z_load=built.z_load,
        line_error=solution.line_error,
        step=float(solution.time[1]),
        step_error=run.step_error,
        edge=inputs.edge,
        doubts=_doubts(run),
        overheard=tuple(
            Overheard(name, apart, at_shown(solution.node(die)))
            for apart, name, die in sorted(built.overheard, key=lambda o: (abs(o[0]), o[0]))
        ),
    )


def _doubts(run: PathRun) -> tuple[str, ...]:
    """Of networks: their data, their model, and what of the edge lies beyond them."""
    out = [doubt for item in run.inputs.items for doubt in item.doubts()]
    if run.step_error > _MOVES:
        out.append(f"a finer step would still move a waveform by {run.step_error:.1%} of the swing")
    solution = run.solution
    sent = solution.node(run.built.driver.die)
    for block in run.built.net.blocks:
        share = energy_above(solution.time, sent, block.model.top)
        if share > _BEYOND:
            out.append(
                f"{share:.1%} of the edge lies above {block.model.top / 1e9:.4g} GHz, where the "
                "network's data end"
            )
    return tuple(dict.fromkeys(out))


def _driver_current(run: PathRun, solution: TransientSolution) -> FloatArray:
    """Current out of the driver's die, A."""
    if run.built.switching is not None:
        # The driving buffer is the last device of the net.
        return np.asarray(solution.device_amps[:, -1])
    source = source_waveform(run.inputs, run.edges).sample(solution.time)
    die = solution.node(run.built.driver.die)
    return np.asarray((source - die) / run.inputs.driver_resistance)


def _harmonics(
    run: PathRun, places: FloatArray, piece: NDArray[np.int64]
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Amplitudes along the map and of the driver's current, for a clock that keeps running."""
    frequency = run.inputs.frequency
    if frequency is None:
        return np.empty(0), np.empty((0, 0)), np.empty(0)
    period, cycles = 1.0 / frequency, 6
    up = not first_level_is_high(run.inputs)
    edges = periodic_commands(period, run.inputs.stimulus.duty, cycles, first_up=up)
    net = with_edges(run.built, run.inputs, edges, start_high=not up)
    stimulus = stimuli(run.built, run.inputs, edges)
    per_period = max(64, math.ceil(period / (run.inputs.edge / 12.0)))
    solution = solve_transient(net, stimulus, end=cycles * period, step=period / per_period)
    steady = replace(run, net=net, edges=edges, solution=solution)
    last = slice(-per_period - 1, -1)

    def amplitudes(values: FloatArray) -> FloatArray:
        spectrum = np.fft.rfft(values[..., last], axis=-1)
        return np.asarray(2.0 / per_period * np.abs(spectrum[..., 1 : _HARMONICS + 1]))

    if run.inputs.fine:
        few_places, few_piece, volts, _ = wave_map(steady, solution, 40, solution.time)
        along = amplitudes(volts.astype(float))
    else:
        # While something is dragged the ends of each piece are enough.
        few_places, few_piece, nodes = ends_of_pieces(run)
        along = amplitudes(solution.volts[:, nodes].T)
    full = np.empty((len(places), along.shape[1]))
    for k in np.unique(piece):
        at, have = piece == k, few_piece == k
        for h in range(along.shape[1]):
            full[at, h] = np.interp(places[at], few_places[have], along[have, h])
    current = amplitudes(_driver_current(steady, solution))
    return frequency * np.arange(1.0, along.shape[1] + 1.0), full, current


def _bounces(run: PathRun, end: BuiltEnd, swing: float) -> tuple[Bounce, ...]:
    if run.inputs.driving:
        return ()
    found = trace_bounces(
        run.built.stretches, end.pin, edge=run.inputs.edge, until=run.inputs.window, least=0.01
    )
    return tuple(replace(b, volts=b.volts * swing) for b in found[:60])


def _resting(run: PathRun) -> tuple[RestingPart, ...]:
    """Resistors to rails, and the driving device, at rest."""
    out = []
    for branch in run.net.shunts:
        if branch.source or branch.c is not None or branch.r == 0.0:
            continue
        amps = [(float(v[branch.node]) - branch.e) / branch.r for v in (run.highs, run.lows)]
        if max(abs(a) for a in amps) < 1e-7:
            continue
        rail = f"to {branch.e:.3g} V"
        name = f"{plain(branch.r, 4)} Ω {rail}"
        out.append(
            RestingPart(name, amps[0], amps[1], amps[0] ** 2 * branch.r, amps[1] ** 2 * branch.r)
        )
    out.append(_resting_driver(run))
    return tuple(out)


def _resting_driver(run: PathRun) -> RestingPart:
    """The driver's own current and the power lost in it."""
    built, die = run.built, run.built.driver.die
    amps, watts = [], []
    for high, volts in ((True, run.highs), (False, run.lows)):
        v = float(volts[die])
        if built.switching is None:
            level = run.inputs.high if high else run.inputs.low
            i = (level - v) / run.inputs.driver_resistance
            lost = i**2 * run.inputs.driver_resistance
        else:
            device = with_edges(built, run.inputs, [], start_high=high).devices[-1]
            i = device_currents(device, volts, 0.0)[0][0]
            buffer = built.driver.device.buffer
            assert buffer is not None
            lost = abs(i * ((buffer.v_pullup if high else buffer.v_pulldown) - v))
        amps.append(i)
        watts.append(lost)
    return RestingPart(f"driver {built.driver.name}", amps[0], amps[1], watts[0], watts[1])


PATH: Study[PathInputs, PathResult] = Study("path", _run, PathResult, title="Waveforms")
