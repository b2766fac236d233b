"""How well a model repeats its own waveforms: it is run into the fixtures they were taken in."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.measure import edge_time
from onda.engine.circuits.net import Net, ShuntBranch
from onda.engine.circuits.transient import solve_transient
from onda.engine.devices.buffer import Buffer, FixtureWave
from onda.engine.devices.drivers import driver
from onda.engine.devices.switching import Switching

__all__ = ["FixtureCheck", "check_fixtures", "compared", "step_along"]

FloatArray = NDArray[np.float64]
_STEPS, _PER_EDGE = 1200, 60
"""Steps of the whole waveform and of its edge: at least so many each."""


@dataclass(frozen=True, slots=True)
class FixtureCheck:
    """One waveform of a model against its simulation.

    Attributes
    ----------
    wave : as the file has it
    time, volts : (n,) as simulated, on the file's time
    shift : s, by how much the simulation was moved to lie over the file's waveform
    error : largest difference as a share of the waveform's swing
    end_error : V, between the last points: tables and waveform disagree by this at rest
    """

    wave: FixtureWave
    time: FloatArray
    volts: FloatArray
    shift: float
    error: float
    end_error: float


def check_fixtures(buffer: Buffer, switching: Switching) -> tuple[FixtureCheck, ...]:
    """Run a model into each of its fixtures."""
    return tuple(_check(buffer, switching, wave) for wave in buffer.waves)


def _check(buffer: Buffer, switching: Switching, wave: FixtureWave) -> FixtureCheck:
    span = wave.time[-1] - wave.time[0]
    device, die = driver(
        buffer.name, buffer, switching, 0, [(0.0, wave.rising)], start_high=not wave.rising
    )
    shunts = [*die, ShuntBranch(0, r=wave.r, e=wave.v)]
    if wave.c > 0.0:
        shunts.append(ShuntBranch(0, c=wave.c))
    net = replace(Net(1, tuple(shunts)), devices=(device,))
    step = step_along(wave.time, wave.volts, _STEPS)
    solution = solve_transient(net, end=span, step=step)
    return compared(wave, solution.time, solution.node(0))


def step_along(time: Sequence[float], volts: Sequence[float], steps: int) -> float:
    """Time step (s) with which a waveform of a file is simulated: so many steps at least, and its
    edge by as many as it needs."""
    edge = edge_time(np.asarray(time), np.asarray(volts))
    return min((time[-1] - time[0]) / steps, edge / _PER_EDGE)


def compared(wave: FixtureWave, time: FloatArray, volts: FloatArray) -> FixtureCheck:
    """A simulated waveform (n,) laid over the one of a file."""
    wanted = np.asarray(wave.volts)
    swing = float(wanted.max() - wanted.min()) or 1.0
    shift = _shift(np.asarray(wave.time), wanted, time, volts)
    at = time + shift
    difference = np.interp(at, wave.time, wanted) - volts
    inside = at <= wave.time[-1]
    return FixtureCheck(
        wave=wave,
        time=at,
        volts=volts,
        shift=shift,
        error=float(np.abs(difference[inside]).max()) / swing,
        end_error=float(volts[-1] - wanted[-1]),
    )


def _shift(time: FloatArray, wanted: FloatArray, ours: FloatArray, volts: FloatArray) -> float:
    """From the simulated middle of the edge to the file's: the wait that was cut off."""
    rising = wanted[-1] > wanted[0]
    sign = 1.0 if rising else -1.0
    level = 0.5 * (wanted[0] + wanted[-1])

    def crossing(t: FloatArray, v: FloatArray) -> float:
        above = np.flatnonzero(sign * (v - level) >= 0.0)
        if len(above) == 0 or above[0] == 0:
            return float(t[0])
        k = int(above[0])
        return float(np.interp(0.0, sign * (v[k - 1 : k + 1] - level), t[k - 1 : k + 1]))

    return crossing(time, wanted) - crossing(ours, volts)
