"""Buses: signals that a strobe takes, devices on one set of nets, and what is done over them."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Annotated, Literal, TypeVar

from pydantic import Field, StringConstraints, model_validator

from onda.errors import InputError
from onda.project.base import Frozen, Identifier, Name, Text, check_unique, default_of
from onda.project.links.link import Pattern
from onda.project.quantities import DataRate, Length, Time, UnitInterval, Voltage

__all__ = [
    "CORNERS",
    "Bus",
    "BusDevice",
    "BusSignal",
    "EndSetting",
    "Operation",
    "Over",
    "OwnLength",
    "SignalPin",
    "SlewTable",
    "TimingSheet",
]

CORNERS = ("typ", "slow", "fast")
Finite = Annotated[float, Field(allow_inf_nan=False, gt=-1e15, lt=1e15)]
EndName = Annotated[str, StringConstraints(min_length=1, max_length=64)]


class SlewTable(Frozen):
    """Seconds that a base value is moved by, over slews (V/s, rising) of data, the rows, and of the
    strobe, the columns."""

    data_slew: Annotated[tuple[Finite, ...], Field(min_length=1, max_length=40)]
    strobe_slew: Annotated[tuple[Finite, ...], Field(min_length=1, max_length=40)]
    delta: Annotated[
        tuple[Annotated[tuple[Finite, ...], Field(max_length=40)], ...], Field(max_length=40)
    ]

    @model_validator(mode="after")
    def _is_table(self) -> SlewTable:
        for name in ("data_slew", "strobe_slew"):
            if any(b <= a for a, b in pairwise(getattr(self, name))):
                raise ValueError(f"{name} of a table must rise")
        shape = {len(row) for row in self.delta}
        if len(self.delta) != len(self.data_slew) or shape != {len(self.strobe_slew)}:
            raise ValueError("a table has a row for each data slew, a column for each strobe slew")
        return self


Over = Literal["data", "address"]
"""Lanes of an operation: data, taken at both edges of a strobe, or address and command, at the
rising edges of a clock."""


class TimingSheet(Frozen):
    """What a device asks for as a listener.

    Attributes
    ----------
    level : V around which it decides; None for the one that is best, in steps of `level_step`
    ac, dc : V from that level, where set-up and hold are measured; strobe : V from the crossing,
        between which the strobe's slew is taken
    setup, hold : base values; setup_table, hold_table : what slews add to them
    to_clock : how far a strobe may come from the clock at this device; None for no matter
    skew, jitter : of the device as a sender: how far its strobe may leave beside its data, and how
        far edges may lie from their place; both take from set-up and from hold where it sends,
        None nothing
    source : where it is from
    """

    level: Voltage | None = None
    level_step: Voltage = default_of("5 mV", "voltage")
    ac: Voltage = default_of("100 mV", "voltage")
    dc: Voltage = default_of("75 mV", "voltage")
    strobe: Voltage = default_of("100 mV", "voltage")
    setup: Time = default_of("30 ps", "time")
    hold: Time = default_of("45 ps", "time")
    setup_table: SlewTable | None = None
    hold_table: SlewTable | None = None
    to_clock: Time | None = None
    skew: Time | None = None
    jitter: Time | None = None
    source: Text = ""

    @model_validator(mode="after")
    def _can_be(self) -> TimingSheet:
        if not (self.ac.si > 0.0 and self.dc.si > 0.0 and self.strobe.si > 0.0):
            raise ValueError("levels of a timing sheet lie more than 0 V from where it decides")
        if not self.level_step.si > 0.0:
            raise ValueError("the step of a reference level is above 0 V")
        return self

    @property
    def takes(self) -> float:
        """Seconds that the device as a sender takes from set-up and from hold."""
        return sum(x.si for x in (self.skew, self.jitter) if x is not None)


class BusDevice(Frozen):
    """A device: the end of every net where it is ("driver", "receiver" or the id of a branch), and
    its timing sheets, for data and for what a clock takes, without which it cannot listen."""

    id: Identifier
    name: Name
    end: EndName
    sheet: TimingSheet | None = None
    address_sheet: TimingSheet | None = None

    def sheet_for(self, over: Over) -> TimingSheet | None:
        """The sheet for data or for address."""
        return self.address_sheet if over == "address" else self.sheet

    def takes_from(self, over: Over) -> float:
        """Seconds that it takes from set-up and hold as a sender; over address, without a sheet for
        it, as over data."""
        sheet = self.sheet_for(over) or self.sheet
        return sheet.takes if sheet is not None else 0.0


class OwnLength(Frozen):
    """The length of a piece of the path, where a signal's own is another one."""

    id: Identifier
    length: Length


class SignalPin(Frozen):
    """The pin of a device, by its id, where a signal is."""

    id: Identifier
    pin: Annotated[str, StringConstraints(min_length=1, max_length=40)]


class BusSignal(Frozen):
    """A signal over a path of the project; `strobe` is the signal that it is taken by, empty for a
    strobe itself. Signals of one strobe are a lane.

    `lane` is the lane that it is of the group beside whose other lanes its path runs, empty for the
    path's own; those others are the signals next to it, and send bits of their own.

    `pins` are those whose package counts, where they are not the ones that the path names.

    `takes` is for a strobe: at both of its edges, or as a clock at the rising ones alone, when bits
    of its lane last two unit intervals. A strobe over a single line stands for both of its legs,
    the other one being the same a bit before.
    """

    id: Identifier
    name: Name
    path: Identifier
    strobe: Annotated[str, StringConstraints(max_length=64)] = ""
    takes: Literal["both", "rising"] = "both"
    lane: Annotated[str, StringConstraints(max_length=64)] = ""
    pins: Annotated[tuple[SignalPin, ...], Field(max_length=20)] = ()
    lengths: Annotated[tuple[OwnLength, ...], Field(max_length=40)] = ()

    @model_validator(mode="after")
    def _each_once(self) -> BusSignal:
        check_unique("piece", (x.id for x in self.lengths))
        check_unique("device", (x.id for x in self.pins))
        if self.strobe and self.takes != "both":
            raise ValueError(f"signal {self.name} is taken by {self.strobe}, it takes nothing")
        return self

    def pin_at(self, device: str) -> str:
        """The pin at a device, empty where it is that of the path."""
        return next((x.pin for x in self.pins if x.id == device), "")


class EndSetting(Frozen):
    """What a device is during an operation: a model of its device file, as strength or as
    termination; empty for the one that its path has."""

    id: Identifier
    model: Annotated[str, StringConstraints(max_length=120)] = ""


class Operation(Frozen):
    """Who sends to whom, and what each device is meanwhile.

    Attributes
    ----------
    drives, listens : devices
    over : which lanes
    lanes : strobes, or clocks, whose lanes alone it goes over; empty for all of them
    settings : by device; those that are not named are as their paths have them
    strobe_at : of the strobe's edges behind those of the data, where they are taken, bits of its
        lane
    centred : whether the strobe of a lane is moved to where set-up and hold are alike
    """

    id: Identifier
    name: Name
    drives: Identifier
    listens: Identifier
    over: Over = "data"
    lanes: Annotated[tuple[Identifier, ...], Field(max_length=40)] = ()
    settings: Annotated[tuple[EndSetting, ...], Field(max_length=40)] = ()
    strobe_at: UnitInterval = default_of("0.5 UI", "unit interval")
    centred: bool = True

    @model_validator(mode="after")
    def _consistent(self) -> Operation:
        check_unique("device", (s.id for s in self.settings))
        check_unique("lane", self.lanes)
        if self.drives == self.listens:
            raise ValueError(f"operation {self.name}: {self.drives} cannot send to itself")
        return self

    def model_of(self, device: str) -> str:
        """The model that a device is, empty where it is as its path has it."""
        return next((s.model for s in self.settings if s.id == device), "")


_Part = TypeVar("_Part", BusSignal, BusDevice, Operation)


def _of_id(parts: Sequence[_Part], identifier: str, what: str, name: str) -> _Part:
    for part in parts:
        if part.id == identifier:
            return part
    raise InputError(f"{name} has no {what} {identifier!r}")


class Bus(Frozen):
    """A source-synchronous bus.

    Attributes
    ----------
    rate : bits a second on each signal; prbs, bits : what is sent in each case
    typed : ones and zeros that are sent instead, over and over; empty for none
    worst : whether each case also sends the bits that close its eye furthest
    corners : that are looked at
    levelling_step : by which the sender moves a strobe of data towards the clock; None leaves it
    alike : whether strobes, reference levels and levelling steps are set once for all corners, as
        of a device that is trained once, and not for each by itself
    """

    id: Identifier
    name: Name
    note: Text = ""
    signals: Annotated[tuple[BusSignal, ...], Field(min_length=2, max_length=200)]
    devices: Annotated[tuple[BusDevice, ...], Field(min_length=2, max_length=20)]
    operations: Annotated[tuple[Operation, ...], Field(min_length=1, max_length=40)]
    rate: DataRate
    prbs: Pattern = 9
    typed: Annotated[str, StringConstraints(pattern=r"^[01]*$", max_length=4096)] = ""
    worst: bool = False
    bits: Annotated[int, Field(ge=16, le=4096)] = 128
    corners: Annotated[
        tuple[Literal["typ", "slow", "fast"], ...], Field(min_length=1, max_length=3)
    ] = CORNERS  # type: ignore[assignment]
    levelling_step: Time | None = None
    alike: bool = False

    @model_validator(mode="after")
    def _consistent(self) -> Bus:
        for what, items in (
            ("signal", self.signals), ("device", self.devices), ("operation", self.operations),
        ):  # fmt: skip
            check_unique(what, (x.id for x in items))
        check_unique("end", (d.end for d in self.devices))
        check_unique("corner", self.corners)
        strobes = {s.id for s in self.signals if not s.strobe}
        for signal in self.signals:
            if signal.strobe and signal.strobe not in strobes:
                raise ValueError(f"signal {signal.name}: there is no strobe {signal.strobe!r}")
            for pin in signal.pins:
                if all(d.id != pin.id for d in self.devices):
                    raise ValueError(f"signal {signal.name}: there is no device {pin.id!r}")
        if not any(s.strobe for s in self.signals):
            raise ValueError(f"bus {self.name}: no signal is taken by a strobe")
        if self.typed and len(set(self.typed)) < 2:
            raise ValueError(f"bus {self.name}: bits that are all alike have no edge")
        if self.typed and self.worst:
            raise ValueError(f"bus {self.name}: bits are typed, or the worst ones looked for")
        known = {d.id: d for d in self.devices}
        for operation in self.operations:
            for device in (
                operation.drives,
                operation.listens,
                *(s.id for s in operation.settings),
            ):
                if device not in known:
                    raise ValueError(f"operation {operation.name}: there is no device {device!r}")
            edges = "rising edges of a clock" if operation.over == "address" else "both edges"
            for lane in operation.lanes:
                if lane not in {s.id for s in self.strobes_in(operation)}:
                    raise ValueError(
                        f"operation {operation.name}: {lane!r} is no signal that takes at {edges}"
                    )
            if not self.taken_in(operation):
                raise ValueError(f"operation {operation.name}: no signal is taken at {edges}")
            if known[operation.listens].sheet_for(operation.over) is None:
                name = known[operation.listens].name
                raise ValueError(
                    f"operation {operation.name}: {name} listens without a timing sheet for "
                    f"{operation.over}"
                )
        return self

    @property
    def data(self) -> tuple[BusSignal, ...]:
        """Signals that a strobe takes, those of a lane together."""
        order = [s.id for s in self.signals if not s.strobe]
        some = [s for s in self.signals if s.strobe]
        return tuple(sorted(some, key=lambda s: order.index(s.strobe)))

    def strobes_in(self, operation: Operation) -> tuple[BusSignal, ...]:
        """Strobes, or clocks, of the lanes that an operation goes over."""
        edges = "rising" if operation.over == "address" else "both"
        some = (s for s in self.signals if not s.strobe and s.takes == edges)
        return tuple(s for s in some if not operation.lanes or s.id in operation.lanes)

    def taken_in(self, operation: Operation) -> tuple[BusSignal, ...]:
        """Signals that are taken in an operation, those of a lane together."""
        strobes = {s.id for s in self.strobes_in(operation)}
        return tuple(s for s in self.data if s.strobe in strobes)

    @property
    def cases(self) -> int:
        """How many cases there are."""
        return len(self.corners) * sum(len(self.taken_in(o)) for o in self.operations)

    def signal(self, identifier: str) -> BusSignal:
        """The signal of that id; raise `InputError` where there is none."""
        return _of_id(self.signals, identifier, "signal", self.name)

    def device(self, identifier: str) -> BusDevice:
        """The device of that id; raise `InputError` where there is none."""
        return _of_id(self.devices, identifier, "device", self.name)

    def operation(self, identifier: str) -> Operation:
        """The operation of that id; raise `InputError` where there is none."""
        return _of_id(self.operations, identifier, "operation", self.name)
