"""Links: serial data over a path or a network, and the mask that its eye must keep clear of."""

from __future__ import annotations

from typing import Annotated, Literal, get_args

from pydantic import Field, model_validator

from onda.project.base import Frozen, Identifier, Name, Text, default_of
from onda.project.quantities import DataRate, Time, UnitInterval, Voltage

__all__ = ["PATTERNS", "EyeMask", "Launch", "Link"]

Pattern = Literal[7, 9, 11, 13, 15, 17, 20, 23, 29, 31]
PATTERNS: tuple[int, ...] = get_args(Pattern)
"""Orders of the pseudo-random patterns."""


Sampling = Literal["crossings", "tallest"]
"""Half a bit after the crossings, as a clock that follows them does; where the eye is tallest."""


class EyeMask(Frozen):
    """Forbidden hexagon: widths in unit intervals, height in volts (both whole, not half)."""

    width: UnitInterval
    flat: UnitInterval
    height: Voltage
    source: Text = ""

    @model_validator(mode="after")
    def _hexagon(self) -> EyeMask:
        if not 0 <= self.flat.si <= self.width.si <= 1:
            raise ValueError("a mask must have flat <= width <= 1 UI")
        return self


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


class Link(Frozen):
    """Serial data over a path, or over a lane of a network between matched ends.

    `lane` counts from 1 and, like `launch`, is for networks: a path has its own driver.
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

    @model_validator(mode="after")
    def _one_channel(self) -> Link:
        if (self.path is None) == (self.network is None):
            raise ValueError("a link runs over a path or over a network")
        return self
