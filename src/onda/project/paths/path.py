"""Paths: a net from its driver to its receivers, as a ribbon of elements with branches."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field, StringConstraints, field_validator, model_validator

from onda.project.base import MANY, Frozen, Identifier, Name, check_unique, default_of
from onda.project.quantities import (
    Capacitance,
    DataRate,
    Frequency,
    Inductance,
    Length,
    LengthOrZero,
    Ratio,
    Resistance,
    ResistanceOrZero,
    Time,
    Voltage,
)

__all__ = [
    "RECEIVER",
    "Branch",
    "Cable",
    "DrilledVia",
    "Driver",
    "LumpedPart",
    "ModelUse",
    "NetworkPiece",
    "Path",
    "PathElement",
    "Receiver",
    "SeriesResistor",
    "ShuntPart",
    "Stimulus",
    "Termination",
    "TracePiece",
    "Via",
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


class SeriesResistor(Frozen):
    """A resistor in the line."""

    kind: Literal["resistor"] = "resistor"
    id: Identifier
    value: ResistanceOrZero
    tolerance: Ratio = default_of("1 %", "ratio")


class LumpedPart(Frozen):
    """Parts in series with the line, capacitance to 0 V half at each end.

    package, connector: r and l in series; ferrite: `r_parallel` beside l; capacitor: `c_series`.
    """

    kind: Literal["lumped"] = "lumped"
    id: Identifier
    role: Literal["package", "connector", "inductor", "ferrite", "capacitor"]
    r: ResistanceOrZero = default_of("0 ohm", "resistance")
    inductance: Inductance = default_of("0 nH", "inductance")
    c: Capacitance = default_of("0 pF", "capacitance")
    r_parallel: Resistance | None = None
    c_series: Capacitance | None = None

    @model_validator(mode="after")
    def _complete(self) -> LumpedPart:
        if self.role == "capacitor" and (self.c_series is None or self.c_series.si == 0):
            raise ValueError(f"{self.id}: a series capacitor needs a capacitance above 0")
        if self.role == "ferrite" and (self.r_parallel is None or self.inductance.si == 0):
            raise ValueError(f"{self.id}: a ferrite needs a resistance beside its inductance")
        return self


class TracePiece(Frozen):
    """A length of a line class on a layer."""

    kind: Literal["trace"] = "trace"
    id: Identifier
    line_class: Identifier
    layer: Identifier
    length: Length


class Cable(Frozen):
    """A length of a line known from a data sheet."""

    kind: Literal["cable"] = "cable"
    id: Identifier
    line: Identifier
    length: Length


class Via(Frozen):
    """A short line with a pad capacitance, half of it at each end."""

    kind: Literal["via"] = "via"
    id: Identifier
    z0: Resistance
    delay: Time
    pad: Capacitance


class DrilledVia(Frozen):
    """A via by its geometry; the stackup gives heights and materials.

    `back_drilled`: the stub is removed down to a rest of `rest`. `returns` nearby return vias stand
    `return_distance` away; in a pair that is how far its two barrels are apart.
    """

    kind: Literal["drilled"] = "drilled"
    id: Identifier
    from_layer: Identifier
    to_layer: Identifier
    drill: Length = default_of("0.2 mm", "length")
    pad: Length = default_of("0.45 mm", "length")
    antipad: Length = default_of("0.7 mm", "length")
    returns: Annotated[int, Field(ge=0, le=8)] = 1
    return_distance: Length = default_of("1 mm", "length")
    back_drilled: bool = False
    rest: LengthOrZero = default_of("0.2 mm", "length")


class NetworkPiece(Frozen):
    """A two-port from a file, in a pair its differential one; `turned` swaps its ports."""

    kind: Literal["network"] = "network"
    id: Identifier
    file: Identifier
    turned: bool = False


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


class ShuntPart(Frozen):
    """A termination at a place along the line."""

    kind: Literal["shunt"] = "shunt"
    id: Identifier
    termination: Termination


class Receiver(Frozen):
    """An input: capacitance, and a resistance where it has one (across the pair for a pair).

    `stands_in`: "device" as it is; "capacitance" its capacitance alone; "probe" nothing at all.
    """

    name: Name
    capacitance: Capacitance
    resistance: Resistance | None = None
    model: ModelUse | None = None
    stands_in: Literal["device", "capacitance", "probe"] = "device"


class Branch(Frozen):
    """A tributary: it leaves the line at this place and ends in a receiver of its own.

    Without elements the receiver hangs on the line itself.
    """

    kind: Literal["branch"] = "branch"
    id: Identifier
    elements: Annotated[tuple[PathElement, ...], Field(max_length=MANY)] = ()
    termination: Termination = Termination()
    receiver: Receiver


PathElement = Annotated[
    SeriesResistor
    | LumpedPart
    | TracePiece
    | Cable
    | Via
    | DrilledVia
    | NetworkPiece
    | ShuntPart
    | Branch,
    Field(discriminator="kind"),
]
Branch.model_rebuild()
LINES = (TracePiece, Cable, Via, DrilledVia)
"""Elements that are pieces of line."""


class Stimulus(Frozen):
    """What the driver sends; `window` is how long is looked at.

    edge; pulse: `width` long; clock: `frequency`, `duty`; bits: `bits` at `rate`; pattern: pseudo-
    random bits. `jitter`: each edge is moved by up to this much, drawn once. `falling`: the first
    edge goes down.
    """

    kind: Literal["edge", "pulse", "clock", "bits", "pattern"]
    window: Time
    frequency: Frequency | None = None
    duty: Ratio = default_of("50 %", "ratio")
    rate: DataRate | None = None
    bits: Annotated[str, StringConstraints(pattern=r"^[01]{0,4096}$")] = ""
    width: Time | None = None
    jitter: Time | None = None
    falling: bool = False

    @model_validator(mode="after")
    def _complete(self) -> Stimulus:
        if self.kind == "clock" and self.frequency is None:
            raise ValueError("a clock needs a frequency")
        if self.kind in ("bits", "pattern") and self.rate is None:
            raise ValueError(f"{self.kind} need a data rate")
        if self.kind == "bits" and not self.bits:
            raise ValueError("type the bits to send, as in 0110")
        if self.kind == "pulse" and self.width is None:
            raise ValueError("a pulse needs a width")
        if not 0.01 <= self.duty.si <= 0.99:
            raise ValueError("duty must lie between 1 % and 99 %")
        return self


class Path(Frozen):
    """A net from driver to receivers.

    `corner`: at which its devices are run. `driving`: the receiver that drives instead of the
    driver, which then listens; empty for the driver. `line_tolerance`: of the impedance of its
    lines, for corners.
    """

    id: Identifier
    name: Name
    net: Name
    lane: Literal["single", "pair"]
    driver: Driver
    elements: Annotated[tuple[PathElement, ...], Field(min_length=1, max_length=MANY)]
    termination: Termination
    receiver: Receiver
    stimulus: Stimulus
    corner: Literal["typ", "slow", "fast"] = "typ"
    driving: Annotated[str, StringConstraints(max_length=64)] = ""
    line_tolerance: Ratio = default_of("10 %", "ratio")
    current_limit: Annotated[str, StringConstraints(max_length=400)] = ""

    @field_validator("current_limit")
    @classmethod
    def _pairs(cls, value: str) -> str:
        limit_points(value)
        return value

    @model_validator(mode="after")
    def _complete(self) -> Path:
        every = list(self.all_elements)
        check_unique("element", (e.id for e in every))
        if any(e.id in (RECEIVER, "driver") for e in every):
            raise ValueError("an element cannot be called driver or receiver")
        if not any(isinstance(e, LINES) for e in every):
            raise ValueError("a path needs at least one piece of line")
        if self.driving and self.driving not in self.receivers:
            raise ValueError(f"there is no receiver {self.driving!r} to drive from")
        return self

    @property
    def all_elements(self) -> Iterator[PathElement]:
        """Every element, those of branches after the branch they are in."""
        yield from _walk(self.elements)

    @property
    def receivers(self) -> dict[str, Receiver]:
        """Receivers by id: those of branches in order, then the one at the end of the ribbon."""
        found = {e.id: e.receiver for e in self.all_elements if isinstance(e, Branch)}
        return found | {RECEIVER: self.receiver}

    @property
    def models(self) -> list[ModelUse]:
        """Every use of a device model."""
        uses = [self.driver.model, *(r.model for r in self.receivers.values())]
        return [use for use in uses if use is not None]

    @property
    def limit_points(self) -> list[tuple[float, float]]:
        """Corners (Hz, dBuA) of the limit of the driver's current."""
        return limit_points(self.current_limit)

    def element(self, identifier: str) -> PathElement | None:
        """The element of that id, wherever it is."""
        return next((e for e in self.all_elements if e.id == identifier), None)


def limit_points(text: str) -> list[tuple[float, float]]:
    """Corners (Hz, dBuA) of ``MHz level; MHz level``; raise `ValueError` where it is not that."""
    out: list[tuple[float, float]] = []
    for part in filter(None, (p.strip() for p in text.split(";"))):
        words = part.split()
        try:
            frequency, level = (float(w) for w in words)
        except ValueError:
            raise ValueError(f"{part!r} is not a frequency and a level, as in 100 70") from None
        if not (0.0 < frequency < 1e7 and abs(level) < 400.0):
            raise ValueError(f"{part!r}: MHz above 0, and dBuA within 400")
        if out and frequency * 1e6 <= out[-1][0]:
            raise ValueError("frequencies must rise")
        out.append((frequency * 1e6, level))
    if len(out) == 1:
        raise ValueError("a limit needs two corners at least")
    return out


def _walk(elements: tuple[PathElement, ...]) -> Iterator[PathElement]:
    for element in elements:
        yield element
        if isinstance(element, Branch):
            yield from _walk(element.elements)
