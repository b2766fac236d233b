"""Links: serial data over a path or a network, and the mask that its eye must keep clear of."""

from __future__ import annotations

from typing import Annotated, Literal, get_args

from pydantic import Field, StringConstraints, model_validator

from onda.engine.links.codes import typed_symbols
from onda.engine.links.masks import Mask, hexagon
from onda.errors import NotPhysical
from onda.project.base import Frozen, Identifier, Name, Text, check_unique, default_of
from onda.project.links.equalisers import Listener, Sender
from onda.project.quantities import DataRate, Ratio, Time, UnitInterval, Voltage

__all__ = ["PATTERNS", "Code", "Corner", "EyeMask", "Launch", "Link", "SheetEntry"]

Pattern = Literal[7, 9, 11, 13, 15, 17, 20, 23, 29, 31]
PATTERNS: tuple[int, ...] = get_args(Pattern)
"""Orders of the pseudo-random patterns."""


Code = Literal["none", "8b10b", "64b66b"]
"""What becomes of the pseudo-random bits before they are sent."""

Sampling = Literal["crossings", "tallest"]
"""Half a bit after the crossings, as a clock that follows them does; where the eye is tallest."""


class Corner(Frozen):
    """Of a mask, unit intervals from the sampling point, and from the threshold."""

    at: Annotated[float, Field(ge=-1.0, le=1.0, allow_inf_nan=False)]
    volts: Voltage


class EyeMask(Frozen):
    """Forbidden hexagon: widths in unit intervals, height in volts (both whole, not half).

    With `corners`, in their order around the sampling point, it is that polygon instead. Of four
    levels each eye must keep clear of it.
    """

    width: UnitInterval
    flat: UnitInterval
    height: Voltage
    source: Text = ""
    corners: Annotated[tuple[Corner, ...], Field(max_length=40)] = ()

    @model_validator(mode="after")
    def _consistent(self) -> EyeMask:
        if not 0 <= self.flat.si <= self.width.si <= 1:
            raise ValueError("a mask must have flat <= width <= 1 UI")
        try:
            self.shape()
        except NotPhysical as error:
            raise ValueError(str(error)) from error
        return self

    def shape(self) -> Mask | None:
        """What must be kept clear of; None for a hexagon without size."""
        if self.corners:
            return Mask(tuple((c.at, c.volts.si) for c in self.corners))
        if not (self.width.si > 0.0 and self.height.si > 0.0):
            return None
        return hexagon(0.5 * self.width.si, 0.5 * self.flat.si, 0.5 * self.height.si)


class Launch(Frozen):
    """What is sent into a network: the two levels at its matched left end, and the edge.

    `edge` is the 20 to 80 percent time; None is the fastest that the data carry.
    """

    low: Voltage = default_of("-400 mV", "voltage")
    high: Voltage = default_of("400 mV", "voltage")
    edge: Time | None = None

    @model_validator(mode="after")
    def _rises(self) -> Launch:
        if not self.low.si < self.high.si:
            raise ValueError("the low level must lie below the high one")
        return self


class SheetEntry(Frozen):
    """A parameter of the operating margin that is not the usual one, by its name, in SI and dB."""

    id: Annotated[str, StringConstraints(pattern=r"^[a-z_]{1,40}$")]
    values: Annotated[
        tuple[Annotated[float, Field(allow_inf_nan=False)], ...], Field(min_length=1, max_length=60)
    ]


class Link(Frozen):
    """Serial data over a path, over a lane of a network between matched ends, over a lane of a
    group, or over what a file says one symbol becomes.

    `lane` counts from 1 and, like `launch`, is for networks: a path has its own driver, a group its
    amplitudes.

    Attributes
    ----------
    rate : bits a second; mismatch : smallest step between levels over an even one
    group, group_lane : a lane of a group, with what it hears of the others
    pulse : a file of the project: over time, what one symbol alone adds at the receiver from the
        lowest level to the highest; a column more for each other lane
    error_rate : at which eyes are measured; crosstalk : whether other lanes of the channel disturb
    sheet : of the operating margin, what differs from the usual one
    code : of the pseudo-random bits; typed : symbols sent over and over in their place
    near : other lanes of the network, from 1, that send from this lane's receiver's end
    devices : the edges of a path are those of the device models at its ends, not of the linear
        values beside them
    """

    id: Identifier
    name: Name
    path: Identifier | None = None
    network: Identifier | None = None
    lane: Annotated[int, Field(ge=1, le=200)] = 1
    launch: Launch = Field(default_factory=Launch)
    rate: DataRate
    prbs: Pattern
    bits: Annotated[int, Field(ge=200, le=20_000_000)]
    sampling: Sampling = "crossings"
    mask: EyeMask | None = None
    group: Identifier | None = None
    pulse: Identifier | None = None
    group_lane: Annotated[str, StringConstraints(max_length=64)] = ""
    modulation: Literal["nrz", "pam4"] = "nrz"
    mismatch: Ratio = default_of("100 %", "ratio")
    sender: Sender = Field(default_factory=Sender)
    listener: Listener = Field(default_factory=Listener)
    error_rate: Annotated[float, Field(ge=1e-18, le=1e-2)] = 1e-12
    crosstalk: bool = True
    sheet: Annotated[tuple[SheetEntry, ...], Field(max_length=60)] = ()
    code: Code = "none"
    typed: Annotated[str, StringConstraints(max_length=20_000)] = ""
    devices: bool = False
    near: Annotated[tuple[Annotated[int, Field(ge=1, le=200)], ...], Field(max_length=200)] = ()

    @model_validator(mode="after")
    def _one_channel(self) -> Link:
        ways = (self.path, self.network, self.group, self.pulse)
        if sum(x is not None for x in ways) != 1:
            raise ValueError("a link runs over a path, a network, a lane of a group, or a pulse")
        check_unique("parameter", (entry.id for entry in self.sheet))
        if self.typed.strip():
            try:
                typed_symbols(self.typed, len(self.levels))
            except NotPhysical as error:
                raise ValueError(str(error)) from error
        if self.lane in self.near or len(set(self.near)) < len(self.near):
            raise ValueError("lanes that send the other way are other lanes, each once")
        if not 0.3 <= self.mismatch.si <= 1.0:
            raise ValueError("the ratio of level mismatch lies between 30 % and 100 %")
        return self

    @property
    def symbols_per_second(self) -> float:
        """Symbols a second: bits, or half as many of four levels."""
        return self.rate.si / (2.0 if self.modulation == "pam4" else 1.0)

    @property
    def levels(self) -> tuple[float, ...]:
        """Of the symbols, rising, the outer ones -1 and 1."""
        if self.modulation == "nrz":
            return -1.0, 1.0
        # The outer steps are the small ones, as where a driver saturates: that share of a third.
        inner = 1.0 - 2.0 / 3.0 * self.mismatch.si
        return -1.0, -inner, inner, 1.0
