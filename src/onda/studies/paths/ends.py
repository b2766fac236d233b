"""What is at the ends of a path, as a study sees it: devices and terminations, SI."""

from __future__ import annotations

from dataclasses import dataclass, replace

from onda.engine.devices import Buffer
from onda.errors import InputError
from onda.studies.devices.use import DeviceUse, used

__all__ = ["Device", "EndInputs", "TermInputs", "device_at"]


@dataclass(frozen=True, slots=True)
class TermInputs:
    """A termination; None where a value does not belong to its kind."""

    kind: str
    r: float | None = None
    r_low: float | None = None
    c: float | None = None
    rail: float = 0.0
    tolerance: float = 0.0

    def with_value(self, value: float) -> TermInputs:
        """The same with another resistor; a split termination keeps its ratio.

        Raises
        ------
        InputError : there is no resistor
        """
        if self.r is None:
            raise InputError(
                "no resistor ends the line there", remedy="Choose a termination first."
            )
        low = None if self.r_low is None else self.r_low * value / self.r
        return replace(self, r=max(value, 1e-3), r_low=low)

    def at_tolerance(self, sign: int) -> TermInputs:
        """The same with its resistors at an end of their tolerance."""
        factor = 1.0 + sign * self.tolerance
        return replace(
            self,
            r=None if self.r is None else self.r * factor,
            r_low=None if self.r_low is None else self.r_low * factor,
        )


@dataclass(frozen=True, slots=True)
class EndInputs:
    """What is at an end: a device by its model, or linear values.

    `linear` takes the model's capacitance alone, for what only linear nets can do.
    """

    id: str
    name: str
    capacitance: float
    resistance: float | None
    device: DeviceUse | None
    stands_in: str
    termination: TermInputs = TermInputs("none")
    linear: bool = False


@dataclass(frozen=True, slots=True)
class Device:
    """What an end really is: with its model read, F and ohm; package as (ohm, H, F)."""

    buffer: Buffer | None
    package: tuple[float, float, float] | None
    capacitance: float
    resistance: float | None


def device_at(end: EndInputs) -> Device:
    """Read the model of an end; raise `InputError` where it cannot be had."""
    if end.device is None:
        return Device(None, None, end.capacitance, end.resistance)
    buffer, package = used(end.device)
    if end.linear:
        return Device(None, package, buffer.c_comp, end.resistance)
    return Device(buffer, package, end.capacitance, end.resistance)
