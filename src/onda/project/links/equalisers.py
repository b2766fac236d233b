"""What shapes the signal of a link at both ends, and what shakes it."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from onda.project.base import Frozen, Identifier, default_of
from onda.project.links.executable import ExecutableModel
from onda.project.quantities import (
    Capacitance,
    Frequency,
    Loss,
    Quantity,
    Ratio,
    UnitInterval,
    Voltage,
    quantity,
)

__all__ = [
    "MOST_TAPS",
    "USUAL_POLES",
    "USUAL_ZERO",
    "Listener",
    "Sender",
    "Tap",
    "around_main",
    "de_emphasis",
    "three_taps",
    "usual_peaking",
]

MOST_TAPS = 40
Tap = Annotated[float, Field(ge=-10.0, le=10.0, allow_inf_nan=False)]
Taps = Annotated[tuple[Tap, ...], Field(max_length=MOST_TAPS)]


USUAL_ZERO, USUAL_POLES = 0.25, (0.25, 1.0)
"""Shares of the symbol rate, where a receiver usually has the zero and the poles of its peaking."""


def usual_peaking(symbols_per_second: float) -> dict[str, Any]:
    """Zero and poles of a continuous equaliser to begin with, as fields of a `Listener`."""

    def at(share: float) -> Quantity:
        return quantity(share * symbols_per_second, "frequency", "GHz", 4)

    return {"zero": at(USUAL_ZERO), "poles": tuple(at(share) for share in USUAL_POLES)}


def around_main(taps: tuple[float, ...], main: int) -> tuple[float, float]:
    """The transmit taps before and behind the main one; 0 where there is none."""
    before = taps[main - 1] if taps and main > 0 else 0.0
    return before, taps[main + 1] if main + 1 < len(taps) else 0.0


def three_taps(before: float, behind: float) -> tuple[float, float, float]:
    """Transmit taps whose sizes add up to 1, the main one in the middle."""
    return before, 1.0 - abs(before) - abs(behind), behind


def de_emphasis(db: float) -> tuple[float, float]:
    """The main tap and the one behind it that lower all but the first of several like bits by so
    many dB (below 0), the first one as it was."""
    rest = float(10.0 ** (-abs(db) / 20.0))
    return 0.5 * (1.0 + rest), -0.5 * (1.0 - rest)


def _check(name: str, taps: tuple[float, ...], main: int) -> None:
    if taps and main >= len(taps):
        raise ValueError(f"{name}: tap {main + 1} cannot be the main one of {len(taps)}")
    if taps and taps[main] == 0.0:
        raise ValueError(f"{name}: the main tap is 0")


class Sender(Frozen):
    """The transmitter.

    Attributes
    ----------
    taps, main : a unit interval apart, which of them is the main one, from 0; none for no equaliser
    setting : whether these are taken, or the best ones looked for: one before the main tap, one
        behind it, the sum of sizes 1
    model : an executable one, before these taps
    random : jitter, rms; bounded, duty : between two equally likely places; sine : amplitude
    sine_at : Hz of that sine, which a clock recovery may follow; None for faster than it can
    capacitance : F, of die and package across a network's matched left end
    fall : time that falling edges take, of that of the rising ones
    """

    taps: Taps = ()
    main: Annotated[int, Field(ge=0, lt=MOST_TAPS)] = 0
    setting: Literal["given", "best"] = "given"
    model: ExecutableModel | None = None
    random: UnitInterval = default_of("0 UI", "unit interval")
    bounded: UnitInterval = default_of("0 UI", "unit interval")
    sine: UnitInterval = default_of("0 UI", "unit interval")
    duty: UnitInterval = default_of("0 UI", "unit interval")
    sine_at: Frequency | None = None
    fall: Ratio = default_of("100 %", "ratio")
    capacitance: Capacitance = default_of("0 pF", "capacitance")

    @model_validator(mode="after")
    def _consistent(self) -> Sender:
        _check("transmit taps", self.taps, self.main)
        for name in ("random", "bounded", "sine", "duty"):
            if getattr(self, name).si > 1.0:
                raise ValueError(f"{name} jitter above 1 UI leaves nothing to look at")
        if self.sine_at is not None and not self.sine_at.si > 0.0:
            raise ValueError("the sine of jitter has a frequency above 0 Hz")
        if not 0.1 <= self.fall.si <= 10.0:
            raise ValueError("falling edges take between 10 % and 1000 % of rising ones")
        return self


class Listener(Frozen):
    """The receiver.

    Attributes
    ----------
    gains : of the continuous equaliser at 0 Hz, dB, that can be set; none for no such equaliser
    gain : the one that is set, None for the best
    zero, poles : Hz; H = (g + jf / zero) / prod(1 + jf / pole)
    taps, main : of its own forward equaliser
    decisions : taps of the decision feedback; limit : of each as a share of the main cursor
    noise : V rms at the sampler
    model : an executable one, before all of these
    response : a file of the project: dB of a measured equaliser over Hz, a column for each of its
        settings, in the place of zero and poles; response_setting : which, from 1, None for the
        best
    clock : what the sampler goes by: the middle of the data, or a loop of that order which follows
        their edges, as fast as `clock_bandwidth`, its damping where it is of second order
    capacitance : F, of die and package across a network's matched right end
    gain_to : V, what a gain control makes of the main cursor, whatever comes; None for none
    offset : V by which the sampler decides too high; sensitivity : V, whole, that it needs
    """

    gains: Annotated[tuple[Loss, ...], Field(max_length=40)] = ()
    gain: Loss | None = None
    zero: Frequency | None = None
    poles: Annotated[tuple[Frequency, ...], Field(max_length=6)] = ()
    taps: Taps = ()
    main: Annotated[int, Field(ge=0, lt=MOST_TAPS)] = 0
    decisions: Annotated[int, Field(ge=0, le=64)] = 0
    limit: Ratio = default_of("100 %", "ratio")
    noise: Voltage = default_of("0 V", "voltage")
    model: ExecutableModel | None = None
    response: Identifier | None = None
    response_setting: Annotated[int, Field(ge=1, le=60)] | None = None
    clock: Literal["ideal", "first", "second"] = "ideal"
    clock_bandwidth: Frequency | None = None
    clock_damping: Annotated[float, Field(ge=0.2, le=20.0, allow_inf_nan=False)] = 1.0
    capacitance: Capacitance = default_of("0 pF", "capacitance")
    gain_to: Voltage | None = None
    offset: Voltage = default_of("0 V", "voltage")
    sensitivity: Voltage = default_of("0 V", "voltage")

    @model_validator(mode="after")
    def _consistent(self) -> Listener:
        _check("receive taps", self.taps, self.main)
        if (self.gains or self.gain is not None) and (self.zero is None or len(self.poles) < 2):
            raise ValueError("a continuous equaliser needs a zero and two poles")
        if any(g.si > 0.0 for g in (*self.gains, *(() if self.gain is None else (self.gain,)))):
            raise ValueError("gains at 0 Hz lie at or below 0 dB")
        if len({p.si for p in self.poles}) < len(self.poles):
            raise ValueError("poles of a continuous equaliser must differ")
        if not 0.0 <= self.limit.si <= 10.0:
            raise ValueError("the limit of decision taps lies between 0 and 10")
        if self.noise.si < 0.0 or self.sensitivity.si < 0.0:
            raise ValueError("noise and sensitivity must be 0 V or above")
        if self.gain_to is not None and not self.gain_to.si > 0.0:
            raise ValueError("a gain control goes to more than 0 V")
        if self.response is not None and (self.gains or self.gain is not None):
            raise ValueError("an equaliser goes by a measured response, or by gains, not by both")
        if self.clock != "ideal" and not (self.clock_bandwidth and self.clock_bandwidth.si > 0.0):
            raise ValueError("a clock that follows the edges needs a bandwidth")
        return self
