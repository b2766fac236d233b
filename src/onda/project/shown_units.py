"""In which units lengths and losses are shown: the user's choice, the same everywhere.

What a project holds stays as it was typed; results are SI. This is about what is written on screens
and in reports, and no result depends on it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

__all__ = ["METRIC", "ShownUnits", "choose_units", "units_in_use"]


@dataclass(frozen=True, slots=True)
class ShownUnits:
    """Lengths in millimetres or in mil, losses per 100 mm, per inch or per metre."""

    lengths: Literal["metric", "mil"] = "metric"
    losses: Literal["100 mm", "inch", "m"] = "100 mm"

    @property
    def scales(self) -> dict[str, tuple[tuple[float, str], ...]]:
        """By dimension: units with the least SI size from which each is taken, largest first."""
        inch = self.lengths == "mil"
        return {
            "length": ((12.7e-3, "in"), (0.0, "mil")) if inch else ((1e-3, "mm"), (0.0, "µm")),
            "delay per length": ((0.0, self.delay_length[1]),),
            "loss per length": ((0.0, self.loss_unit),),
        }

    @property
    def loss_unit(self) -> str:
        """Unit of losses per length."""
        return {"100 mm": "dB/100 mm", "inch": "dB/in", "m": "dB/m"}[self.losses]

    @property
    def small_length(self) -> tuple[float, str]:
        """Metres in the unit of widths and heights, and its name."""
        return (25.4e-6, "mil") if self.lengths == "mil" else (1e-6, "µm")

    @property
    def long_length(self) -> tuple[float, str]:
        """Metres in the unit of routed lengths, and its name."""
        return (25.4e-3, "in") if self.lengths == "mil" else (1e-3, "mm")

    @property
    def delay_length(self) -> tuple[float, str]:
        """Seconds per metre in the unit of delays, and its name."""
        return (1e-12 / 25.4e-3, "ps/in") if self.lengths == "mil" else (1e-9, "ps/mm")

    @property
    def loss_length(self) -> float:
        """Metres that a loss is stated over."""
        return {"100 mm": 0.1, "inch": 0.0254, "m": 1.0}[self.losses]


METRIC = ShownUnits()
_in_use = METRIC


def units_in_use() -> ShownUnits:
    """What is shown now."""
    return _in_use


def choose_units(units: ShownUnits) -> None:
    """Show in other units from now on."""
    global _in_use
    _in_use = units
