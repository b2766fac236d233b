"""A via known by its impedance in the Paths stage."""

from __future__ import annotations

from onda.app.stages.paths.look import ElementLook, FieldRow

__all__ = ["LOOK"]

LOOK = ElementLook(
    "Via",
    "a short line with a pad at each end",
    (
        FieldRow("Impedance", "resistance", "z0", (20.0, 150.0, 1.0)),
        FieldRow("Delay", "time", "delay", (1e-12, 60e-12, 5e-13)),
        FieldRow("Pads", "capacitance", "pad", (0.0, 1e-12, 1e-14)),
    ),
    color="via",
    below="via",
)
