"""A drilled hole with its pads, whatever it belongs to."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from onda.project.base import Frozen, default_of
from onda.project.quantities import Length, LengthOrZero

__all__ = ["Hole"]


class Hole(Frozen):
    """Drill, pads, and the vias near it that carry its current back.

    `back_drilled`: the stub is removed down to a rest of `rest`. `returns` nearby return vias stand
    `return_distance` away.
    """

    drill: Length = default_of("0.2 mm", "length")
    pad: Length = default_of("0.45 mm", "length")
    antipad: Length = default_of("0.7 mm", "length")
    returns: Annotated[int, Field(ge=0, le=8)] = 1
    return_distance: Length = default_of("1 mm", "length")
    back_drilled: bool = False
    rest: LengthOrZero = default_of("0.2 mm", "length")
