"""A driver or receiver at one corner: currents, capacitance, edges, what it asks of a signal."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.devices import Table, Term, Weight

__all__ = ["Buffer", "FixtureWave", "RampTimes", "Thresholds"]

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class FixtureWave:
    """A waveform at the die into `r` ohm to `v` volts, with `c` farads across."""

    rising: bool
    r: float
    v: float
    c: float
    time: tuple[float, ...]
    volts: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class RampTimes:
    """`dv` volts take `dt` seconds, 20 to 80 % of the swing, into `r_load`."""

    dv: float
    dt: float
    r_load: float


@dataclass(frozen=True, slots=True)
class Thresholds:
    """What a receiver asks of a signal, V and s; None where the model does not say.

    Attributes
    ----------
    v_il, v_ih : logic levels; v_meas : where delay is taken
    over_high, over_low : levels never to be passed (static overshoot)
    over_high_dynamic, over_low_dynamic : levels that may be passed for `over_time` at most
    pulse_high, pulse_low, pulse_time : a pulse beyond the level for longer switches the input
    """

    v_il: float | None = None
    v_ih: float | None = None
    v_meas: float | None = None
    over_high: float | None = None
    over_low: float | None = None
    over_high_dynamic: float | None = None
    over_low_dynamic: float | None = None
    over_time: float | None = None
    pulse_high: float | None = None
    pulse_low: float | None = None
    pulse_time: float | None = None


@dataclass(frozen=True, slots=True)
class Buffer:
    """One model at one corner.

    Tables give the current into the buffer against the voltage of its pin: `pulldown` and
    `gnd_clamp` above their rail, `pullup` and `power_clamp` below theirs.

    Attributes
    ----------
    v_pullup, v_pulldown, v_power, v_gnd : V, the rails of the four tables
    c_comp : F, at the die
    waves : at the die; ramp_rise, ramp_fall : where there are no waveforms
    pulldown_from_top : an ECL buffer, whose pulldown is read below the upper rail too
    c_load, r_load, v_load : load at which the maker states delay, F, ohm, V
    """

    name: str
    kind: str
    pullup: Table | None
    pulldown: Table | None
    power_clamp: Table | None
    gnd_clamp: Table | None
    v_pullup: float
    v_pulldown: float
    v_power: float
    v_gnd: float
    c_comp: float
    waves: tuple[FixtureWave, ...] = ()
    ramp_rise: RampTimes | None = None
    ramp_fall: RampTimes | None = None
    thresholds: Thresholds = Thresholds()
    pulldown_from_top: bool = False
    c_load: float = 0.0
    r_load: float | None = None
    v_load: float = 0.0

    @property
    def drives(self) -> bool:
        """Whether it has a half that pulls; an input has none."""
        return self.pullup is not None or self.pulldown is not None

    def up_term(self, weight: Weight | None = None) -> Term | None:
        """Current of the pull-up into the pin's node."""
        if self.pullup is None:
            return None
        return Term(self.pullup, -1.0, -1.0, self.v_pullup, weight)

    def down_term(self, weight: Weight | None = None) -> Term | None:
        """Current of the pull-down into the pin's node."""
        if self.pulldown is None:
            return None
        if self.pulldown_from_top:
            return Term(self.pulldown, -1.0, -1.0, self.v_pullup, weight)
        return Term(self.pulldown, -1.0, 1.0, -self.v_pulldown, weight)

    def pull_terms(self, up: Weight | None, down: Weight | None) -> tuple[Term, ...]:
        """Currents of both halves into the pin's node, weighted in time."""
        both = (self.up_term(up), self.down_term(down))
        return tuple(term for term in both if term is not None)

    @property
    def clamp_terms(self) -> tuple[Term, ...]:
        """Currents of the clamps into the pin's node."""
        terms = []
        if self.power_clamp is not None:
            terms.append(Term(self.power_clamp, -1.0, -1.0, self.v_power))
        if self.gnd_clamp is not None:
            terms.append(Term(self.gnd_clamp, -1.0, 1.0, -self.v_gnd))
        return tuple(terms)

    def current_at(self, volts: FloatArray, *, up: float, down: float) -> FloatArray:
        """Current out of the buffer (A) at pin voltages, with its halves on by `up` and `down`."""
        on = self.pull_terms(Weight((0.0,), (up,)), Weight((0.0,), (down,)))
        return sum_terms((*on, *self.clamp_terms), np.asarray(volts, dtype=float))

    def resistance(self, *, high: bool) -> float:
        """Output resistance (ohm): from the rail to the middle of the swing, driven high or low."""
        middle = 0.5 * (self.v_pullup + self.v_pulldown)
        away = self.v_pullup - middle if high else middle - self.v_pulldown
        current = float(self.current_at(np.array([middle]), up=high, down=not high)[0])
        return abs(away / current) if current else float("inf")


def sum_terms(terms: tuple[Term, ...], volts: FloatArray) -> FloatArray:
    """Sum of the currents of terms at voltages, weights at time 0."""
    total = np.zeros_like(volts)
    for term in terms:
        w = term.scale * (1.0 if term.weight is None else term.weight.value[0])
        total += w * term.table.at(term.sign * volts + term.offset)
    return total
