"""What stands at the ends of a path: drivers, receivers, terminations, and their models."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import StringConstraints, model_validator

from onda.errors import InputError
from onda.project.base import Frozen, Identifier, Name, default_of
from onda.project.quantities import (
    Capacitance,
    Quantity,
    Ratio,
    Resistance,
    Time,
    Voltage,
    quantity,
)

__all__ = [
    "RECEIVER",
    "Driver",
    "ModelUse",
    "Receiver",
    "Termination",
    "offered_termination",
]

RECEIVER = "receiver"
"""Name of the receiver at the end of the ribbon, where others go by the id of their branch."""


class ModelUse(Frozen):
    """A model of a device file, on a pin of a component where its package is wanted."""

    file: Identifier
    model: Name
    component: Annotated[str, StringConstraints(max_length=120)] = ""
    pin: Annotated[str, StringConstraints(max_length=40)] = ""


class Driver(Frozen):
    """A driver; for a pair, resistance and levels are differential.

    `stands_in`: "device" uses the model where there is one and the linear values otherwise;
    "linear" the linear values; "ideal" a source without resistance and capacitance.
    """

    name: Name
    resistance: Resistance
    low: Voltage
    high: Voltage
    edge: Time
    capacitance: Capacitance
    model: ModelUse | None = None
    stands_in: Literal["device", "linear", "ideal"] = "device"


class Termination(Frozen):
    """What stands between the line and its rails.

    none; parallel: `r` to the rail; split: `r` to the rail and `r_low` to 0 V; ac: `r` and `c` in
    series to 0 V; diode: clamps to the rail and to 0 V; for a pair, parallel is across the pair.
    """

    kind: Literal["none", "parallel", "split", "ac", "diode"] = "none"
    r: Resistance | None = None
    r_low: Resistance | None = None
    c: Capacitance | None = None
    rail: Voltage | None = None
    tolerance: Ratio = default_of("1 %", "ratio")

    @model_validator(mode="after")
    def _complete(self) -> Termination:
        needed = {
            "none": (),
            "parallel": ("r", "rail"),
            "split": ("r", "r_low", "rail"),
            "ac": ("r", "c"),
            "diode": ("rail",),
        }[self.kind]
        missing = [name for name in needed if getattr(self, name) is None]
        if missing:
            raise ValueError(f"a {self.kind} termination needs {', '.join(missing)}")
        if self.kind == "ac" and self.c is not None and self.c.si == 0:
            raise ValueError("an ac termination needs a capacitance above 0")
        return self


class Receiver(Frozen):
    """An input: capacitance, and a resistance where it has one (across the pair for a pair).

    `stands_in`: "device" as it is; "capacitance" its capacitance alone; "probe" nothing at all.
    """

    name: Name
    capacitance: Capacitance
    resistance: Resistance | None = None
    model: ModelUse | None = None
    stands_in: Literal["device", "capacitance", "probe"] = "device"


def offered_termination(kind: str, z: float, rail: Quantity) -> Termination:
    """A termination to a rail with the values that a line of `z` ohm asks for."""
    ohm = round(z)
    values: dict[str, dict[str, Any]] = {
        "none": {},
        "parallel": {"r": quantity(ohm, "resistance"), "rail": rail},
        "split": {
            "r": quantity(2 * ohm, "resistance"),
            "r_low": quantity(2 * ohm, "resistance"),
            "rail": rail,
        },
        "ac": {"r": quantity(ohm, "resistance"), "c": quantity(100e-12, "capacitance")},
        "diode": {"rail": rail},
    }
    if kind not in values:
        raise InputError(f"there is no termination {kind!r}")
    return Termination(kind=kind, **values[kind])  # type: ignore[arg-type]
