"""Measures of line classes."""

from __future__ import annotations

from onda.project.measure import Measure

__all__ = ["LINE_MEASURES"]

LINE_MEASURES = (
    Measure("impedance", "Impedance", "resistance", "line", "impedance", "away"),
    Measure(
        "loss",
        "Loss, 100 mm",
        "loss",
        "line",
        "impedance",
        how="attenuation of 100 mm at the class frequency",
    ),
)
