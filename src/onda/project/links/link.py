"""Links: serial data over a path, and the mask that its eye must keep clear of."""

from __future__ import annotations

from typing import Annotated, Literal, get_args

from pydantic import Field, model_validator

from onda.project.base import Frozen, Identifier, Name, Text
from onda.project.quantities import DataRate, UnitInterval, Voltage

__all__ = ["PATTERNS", "EyeMask", "Link"]

Pattern = Literal[7, 9, 11, 13, 15, 17, 20, 23, 29, 31]
PATTERNS: tuple[int, ...] = get_args(Pattern)
"""Orders of the pseudo-random patterns."""


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


class Link(Frozen):
    """Serial data over a path."""

    id: Identifier
    name: Name
    path: Identifier
    rate: DataRate
    prbs: Pattern
    bits: Annotated[int, Field(ge=200, le=20_000_000)]
    mask: EyeMask | None = None
