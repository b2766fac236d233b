"""Study `bus_sweep`: a signal's margins in an operation against one quantity."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.errors import InputError
from onda.project.buses.bus import Bus
from onda.project.model import Design
from onda.studies.buses.bus import BUS, BusResult
from onda.studies.buses.inputs import BusInputs, CaseInputs, WaveInputs, bus_inputs
from onda.studies.buses.plan import alone
from onda.studies.core.study import Case, Control, Study, compute
from onda.studies.paths.elements.trace import TraceItem
from onda.studies.paths.sweep import with_value

__all__ = ["BUS_SWEEP", "BUS_SWEEPS", "BusSweep", "SweepInputs", "sweep_inputs"]

FloatArray = NDArray[np.float64]
_MOST = 101


def _longer(wave: WaveInputs, more: float) -> WaveInputs:
    """With so much more of its longest piece of line, m."""
    lines = [item for item in wave.path.items if isinstance(item, TraceItem)]
    if not lines:
        raise InputError(
            "the net has no piece of line", remedy="Sweep another quantity, or add one in Paths."
        )
    longest = max(lines, key=lambda item: item.length)
    if not longest.length + more > 0.0:
        raise InputError(
            f"{1e3 * longest.length:g} mm of line cannot be {-1e3 * more:g} mm shorter"
        )
    return replace(wave, path=with_value(wave.path, longest.id, longest.length + more))


def _strobe_length(case: CaseInputs, more: float) -> CaseInputs:
    return replace(case, strobe=replace(case.strobe, wave=_longer(case.strobe.wave, more)))


def _data_length(case: CaseInputs, more: float) -> CaseInputs:
    return replace(case, data=_longer(case.data, more))


def _both_lengths(case: CaseInputs, more: float) -> CaseInputs:
    return _data_length(_strobe_length(case, more), more)


def _speed(case: CaseInputs, share: float) -> CaseInputs:
    """At another share of its rate; the strobe stays where it is in its bit."""
    wave = case.strobe.wave
    return replace(
        case,
        data=replace(case.data, unit_interval=case.data.unit_interval / share),
        strobe=replace(
            case.strobe, wave=replace(wave, unit_interval=wave.unit_interval / share)
        ),
        strobe_at=case.strobe_at / share,
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Sweep:
    """A quantity that a case is looked at over: its name, its dimension, the value that changes
    nothing, how it is set, and values to begin with."""

    title: str
    dimension: str
    now: float
    put: Callable[[CaseInputs, float], CaseInputs]
    values: tuple[float, ...]


def _even(low: float, high: float, count: int) -> tuple[float, ...]:
    return tuple(round(float(v), 6) for v in np.linspace(low, high, count))


BUS_SWEEPS: dict[str, Sweep] = {
    "strobe": Sweep("Strobe longer by", "length", 0.0, _strobe_length, _even(-0.02, 0.02, 9)),
    "data": Sweep("Signal longer by", "length", 0.0, _data_length, _even(-0.02, 0.02, 9)),
    "both": Sweep("Both longer by", "length", 0.0, _both_lengths, _even(0.0, 0.08, 9)),
    "speed": Sweep("Rate, of what it is", "ratio", 1.0, _speed, _even(0.6, 1.4, 9)),
}
"""What a case of a bus can be looked at over, by its key."""


@dataclass(frozen=True, slots=True)
class SweepInputs:
    """Cases of a signal in an operation, one of `BUS_SWEEPS` and its values."""

    present: BusInputs
    over: str
    values: tuple[float, ...]

    def at(self, value: float) -> BusInputs:
        """The cases at a value; strobes beside the clock are another matter."""
        put = BUS_SWEEPS[self.over].put
        cases = tuple(put(case, value) for case in self.present.cases)
        return replace(self.present, cases=cases, levelled=())


@dataclass(frozen=True, slots=True, eq=False)
class BusSweep:
    """Over `values` (n,): least set-up and hold margin of all corners s, and eye height V (n,);
    NaN where a case has no answer, and why (n,)."""

    over: str
    values: FloatArray
    setup: FloatArray
    hold: FloatArray
    height: FloatArray
    why: tuple[str, ...]

    @property
    def holds(self) -> NDArray[np.bool_]:
        """At which values both margins hold and the eye is open."""
        # What has no number does not compare.
        return (self.setup >= 0.0) & (self.hold >= 0.0) & (self.height >= 0.0)


def sweep_inputs(
    design: Design, bus: Bus, operation: str, signal: str, over: str,
    values: Sequence[float] = (),
) -> SweepInputs:  # fmt: skip
    """Inputs for a sweep; the usual values where none are given.

    Raises
    ------
    InputError : there is no such signal, operation or quantity, or values that cannot be
    """
    if over not in BUS_SWEEPS:
        raise InputError(f"a sweep over {over!r}", remedy=f"One of {', '.join(BUS_SWEEPS)}.")
    some = tuple(float(v) for v in values) or BUS_SWEEPS[over].values
    least = 0.05 if over == "speed" else -math.inf
    if len(some) > _MOST or not all(math.isfinite(v) and v >= least for v in some):
        raise InputError(
            f"{len(some)} values of {BUS_SWEEPS[over].title.lower()}",
            remedy=f"At most {_MOST} finite ones; a rate of at least {0.05:.0%}.",
        )
    made = SweepInputs(bus_inputs(design, alone(bus, operation, signal)), over, some)
    for value in some:
        # What cannot be is told before anything runs.
        made.at(value)
    return made


def _split(inputs: SweepInputs) -> Sequence[Case]:
    return [Case(BUS, inputs.at(value)) for value in inputs.values]


def _failure(result: BusResult | None) -> str:
    if result is None:
        return "not there yet"
    return next((c.found.failure for c in result.cases if c.found.failure), "")


def _gather(inputs: SweepInputs, found: Sequence[BusResult | None]) -> BusSweep:
    def least(name: str) -> FloatArray:
        return np.array([math.nan if r is None else r.least(name) for r in found])

    return BusSweep(
        inputs.over, np.array(inputs.values), least("setup"), least("hold"), least("height"),
        tuple(_failure(r) for r in found),
    )  # fmt: skip


def _run(inputs: SweepInputs, control: Control) -> BusSweep:
    return compute(BUS_SWEEP, inputs, control)


BUS_SWEEP: Study[SweepInputs, BusSweep] = Study(
    "bus_sweep", _run, BusSweep, split=_split, gather=_gather, title="Sweep of a bus"
)
