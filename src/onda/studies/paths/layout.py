"""Lays a path into a net: nodes, parts, pieces of line, and where all of it lies in delay."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import Protocol

from onda.engine.circuits import CoupledPiece, LinePiece, SeriesPart, ShuntBranch
from onda.engine.circuits.devices import Device as CircuitDevice
from onda.engine.circuits.devices import Port, Term, diode_table
from onda.engine.circuits.net import PortBlock
from onda.engine.devices import Buffer, Switching, receiver, switching_of
from onda.engine.group_lines import GroupLine
from onda.engine.lines import Line
from onda.engine.networks.arrivals import ArrivalModel
from onda.studies.paths.ends import Device, EndInputs, TermInputs, device_at

__all__ = ["Beside", "BuiltEnd", "Laid", "Layout", "Neighbour", "Place", "Span"]


@dataclass(frozen=True, slots=True)
class Beside:
    """A lane beside a piece: whether it runs the same way, and how many lanes lie between, from
    -1 for the next one above to 1 for the next one below."""

    name: str
    same_way: bool
    apart: int


@dataclass(frozen=True, slots=True)
class Neighbour:
    """A transmitter of another lane: at rest, switched along with the driver or against it, or with
    edges of its `own` (time, rising), in front of which it is high or low.

    `drive` is the number of its source, 0 where it is a buffer; `high` the open-circuit volts of a
    linear one, which rests at 0 V; `delay` s after the driver's command it is switched.
    """

    name: str
    die: int
    does: str
    delay: float
    edge: float
    high: float
    drive: int = 0
    buffer: Buffer | None = None
    switching: Switching | None = None
    own: tuple[tuple[float, bool], ...] | None = None

    def edges(self, commands: list[tuple[float, bool]]) -> list[tuple[float, bool]]:
        """What it is told, by what the driver is told."""
        if self.own is not None:
            return [(t + self.delay, up) for t, up in self.own]
        if self.does == "rest":
            return []
        turned = self.does == "against"
        return [(t + self.delay, up != turned) for t, up in commands]

    def starts_high(self, driver: bool) -> bool:
        """Where it rests, by where the driver rests."""
        if self.own is not None:
            return not self.own[0][1] if self.own else False
        return self.does != "rest" and driver != (self.does == "against")


@dataclass(frozen=True, slots=True)
class Span:
    """One element on the delay scale: from `start` to `end` seconds; `z` ohm (0 for what is none).

    `row` 0 is the ribbon; tributaries lie in rows below and leave at `start` of their first span.
    `branch` is the id of the branch that it belongs to, empty for the ribbon.
    """

    id: str
    kind: str
    label: str
    start: float
    end: float
    z: float
    length: float
    row: int = 0
    branch: str = ""
    note: str = ""
    beside: tuple[Beside, ...] = ()


@dataclass(frozen=True, slots=True)
class BuiltEnd:
    """A device in the net: the node of its pin and of its die, where it lies on the scale."""

    id: str
    name: str
    pin: int
    die: int
    delay: float
    row: int
    inputs: EndInputs
    device: Device


@dataclass(frozen=True, slots=True)
class Place:
    """Where the next element goes: node, delay, row; `route` are the spans on the way there."""

    node: int
    delay: float
    row: int = 0
    branch: str = ""
    route: tuple[int, ...] = ()

    def at(self, node: int) -> Place:
        """The same place in delay at another node."""
        return replace(self, node=node)


class Laid(Protocol):
    """What can be laid into a net."""

    def lay(self, layout: Layout, place: Place) -> Place:
        """Lay it from a place on; return where it ends."""


@dataclass(slots=True)
class Layout:
    """Grows the net along the ribbon and its branches.

    `edge` s is the time that delays are drawn for; `driving` the end that does not listen.
    """

    edge: float
    fine: bool
    even: bool
    line_factor: float
    driving: str
    names: list[str] = field(default_factory=lambda: ["driver"])
    shunts: list[ShuntBranch] = field(default_factory=list)
    series: list[SeriesPart] = field(default_factory=list)
    lines: list[LinePiece] = field(default_factory=list)
    devices: list[CircuitDevice] = field(default_factory=list)
    blocks: list[PortBlock] = field(default_factory=list)
    joined: list[tuple[int, int]] = field(default_factory=list)
    spans: list[Span] = field(default_factory=list)
    piece_span: list[int] = field(default_factory=list)
    z: list[float] = field(default_factory=list)
    ends: list[BuiltEnd] = field(default_factory=list)
    routes: dict[str, tuple[int, ...]] = field(default_factory=dict)
    rows: int = 0
    coupled: list[CoupledPiece] = field(default_factory=list)
    coupled_span: list[tuple[int, int]] = field(default_factory=list)
    neighbours: list[Neighbour] = field(default_factory=list)
    overheard: list[tuple[int, str, int]] = field(default_factory=list)

    @property
    def knee(self) -> float:
        """Hz that carries the edge, at which delays are drawn."""
        return 0.35 / self.edge

    def walk(self, items: tuple[Laid, ...], place: Place) -> Place:
        """Lay items from a place on; return where they end."""
        for item in items:
            place = item.lay(self, place)
        return place

    def node(self, name: str) -> int:
        """A new node."""
        self.names.append(name)
        return len(self.names) - 1

    def mark(self, place: Place, identifier: str, kind: str, label: str) -> None:
        """Note something that takes no room on the scale."""
        self._span(place, identifier, kind, label, 0.0)

    def _span(
        self,
        place: Place,
        identifier: str,
        kind: str,
        label: str,
        took: float,
        z: float = 0.0,
        metres: float = 0.0,
        note: str = "",
    ) -> None:
        start, end = place.delay, place.delay + took
        self.spans.append(
            Span(identifier, kind, label, start, end, z, metres, place.row, place.branch, note)
        )

    def in_series(
        self, node: int, name: str, r: float = 0.0, inductance: float = 0.0, c: float | None = None
    ) -> int:
        """A part in series; return the node behind it."""
        to = self.node(name)
        self.series.append(SeriesPart(node, to, r=r, l=inductance, c=c))
        return to

    def beside(self, a: int, b: int, r: float, inductance: float) -> None:
        """A part beside what lies between two nodes."""
        self.series.append(SeriesPart(a, b, r=r, l=inductance))

    def to_ground(self, nodes: tuple[int, ...], c: float) -> None:
        """A capacitance to 0 V, shared out between nodes."""
        if c > 0.0:
            self.shunts += [ShuntBranch(n, c=c / len(nodes)) for n in nodes]

    def piece(
        self,
        place: Place,
        identifier: str,
        kind: str,
        label: str,
        *,
        line: Line,
        length: float,
        z: float,
        took: float,
        metres: float = 0.0,
        pad: float = 0.0,
        note: str = "",
    ) -> Place:
        """A piece of line of a length (s where it is known by its delay), pads at both ends."""
        if self.line_factor != 1.0:
            line, z = line.scaled(self.line_factor), z * self.line_factor
        to = self.node(f"{identifier} end")
        index = len(self.spans)
        self._span(place, identifier, kind, label, took, z, metres, note)
        self._line(place.node, to, line, length, z, index)
        self.to_ground((place.node, to), pad)
        route = (*place.route, index)
        return replace(place, node=to, delay=place.delay + took, route=route)

    def line_piece(
        self,
        place: Place,
        identifier: str,
        kind: str,
        label: str,
        *,
        line: Line,
        length: float,
        z: float,
    ) -> Place:
        """A piece of line that is known by its length, m; it takes what an edge takes along it."""
        return self.piece(
            place,
            identifier,
            kind,
            label,
            line=line,
            length=length,
            z=z,
            took=line.delay_per_m(self.knee) * length,
            metres=length,
        )

    def coupled_piece(
        self,
        place: Place,
        identifier: str,
        kind: str,
        label: str,
        *,
        nodes: tuple[tuple[int, ...], tuple[int, ...]],
        own: int,
        line: GroupLine,
        length: float,
        z: float,
        took: float,
        beside: tuple[Beside, ...],
        short: bool = False,
    ) -> Place:
        """A piece of coupled lines between nodes, of which number `own` is the path's; a `short`
        one takes little of an edge."""
        if self.line_factor != 1.0:
            line, z = line.scaled(self.line_factor), z * self.line_factor
        index = len(self.spans)
        self._span(place, identifier, kind, label, took, z, length)
        self.spans[-1] = replace(self.spans[-1], beside=beside)
        self.coupled.append(CoupledPiece(*nodes, line, length, short))
        self.coupled_span.append((index, own))
        route = (*place.route, index)
        return replace(place, node=nodes[1][own], delay=place.delay + took, route=route)

    def silent(self, a: int, b: int, line: Line, length: float, z: float) -> None:
        """A piece of line of a neighbour, which is no part of the way."""
        if self.line_factor != 1.0:
            line, z = line.scaled(self.line_factor), z * self.line_factor
        self._line(a, b, line, length, z, -1)

    def neighbour(
        self,
        end: EndInputs,
        node: int,
        *,
        does: str,
        ohm: float,
        high: float,
        edge: float,
        delay: float,
        own: tuple[tuple[float, bool], ...] | None = None,
    ) -> None:
        """A transmitter of another lane: its model, else a source of `ohm`."""
        device = device_at(end)
        buffer = device.buffer
        if buffer is not None and buffer.drives:
            die = self.package(end, device, node)
            self.to_ground((die,), buffer.c_comp)
            self.neighbours.append(
                Neighbour(
                    end.name, die, does, delay, 0.0, 0.0, 0, buffer, switching_of(buffer), own
                )
            )  # fmt: skip
        elif does == "rest":
            self.shunts.append(ShuntBranch(node, r=ohm))
        else:
            drive = 1 + sum(1 for n in self.neighbours if n.buffer is None)
            self.shunts.append(ShuntBranch(node, r=ohm, source=True, drive=drive))
            self.neighbours.append(
                Neighbour(end.name, node, does, delay, edge, high, drive, own=own)
            )

    def listener(self, end: EndInputs, node: int, *, ohm: float, apart: int) -> None:
        """A receiver of another lane: its model, else a load of `ohm`."""
        if end.device is None:
            self.shunts.append(ShuntBranch(node, r=ohm))
            die = node
        else:
            device = device_at(end)
            die = self.package(end, device, node)
            self.listen(end, device, die)
        self.overheard.append((apart, end.name, die))

    def stub(self, place: Place, identifier: str, line: Line, length: float, z: float) -> None:
        """An open line that hangs on a place and is no way on."""
        self._line(place.node, self.node(f"{identifier} stub"), line, length, z, -1)

    def _line(self, a: int, b: int, line: Line, length: float, z: float, span: int) -> None:
        self.lines.append(LinePiece(a, b, line, length))
        self.piece_span.append(span)
        self.z.append(z)

    def block(
        self,
        place: Place,
        identifier: str,
        kind: str,
        *,
        model: ArrivalModel,
        z: float,
        took: float,
        note: str,
    ) -> Place:
        """A two-port by its model, references of `z` ohm."""
        to = self.node(f"{identifier} end")
        self.blocks.append(PortBlock((place.node, to), model, z))
        self._span(place, identifier, kind, identifier, took, note=note)
        # For bounces a network counts as a plain connection.
        self.joined.append((place.node, to))
        return replace(place, node=to, delay=place.delay + took)

    def tributary(
        self, place: Place, identifier: str, items: tuple[Laid, ...], end: EndInputs
    ) -> None:
        """Items that leave the line here and end in a device."""
        self.rows += 1 if items else 0
        row = self.rows if items else 0
        start = replace(place, row=row, branch=identifier)
        self.mark(start, identifier, "branch", end.name)
        self.end(end, self.walk(items, start))

    def end(self, end: EndInputs, place: Place) -> None:
        """Termination and device at the end of the ribbon or of a branch."""
        self.terminate(end.termination, place.node, end.id)
        device = device_at(end)
        die = self.package(end, device, place.node)
        self.ends.append(
            BuiltEnd(end.id, end.name, place.node, die, place.delay, place.row, end, device)
        )
        self.routes[end.id] = place.route
        if end.id != self.driving:
            self.listen(end, device, die)

    def listen(self, end: EndInputs, device: Device, die: int) -> None:
        """What a device that does not drive puts on the line."""
        if end.stands_in == "probe":
            return
        if device.buffer is not None:
            made, shunts = receiver(end.name, device.buffer, die)
            self.shunts += shunts
            if made is not None:
                self.devices.append(made)
        elif device.capacitance > 0:
            self.shunts.append(ShuntBranch(die, c=device.capacitance))
        if device.resistance is not None:
            self.shunts.append(ShuntBranch(die, r=device.resistance))

    def package(self, end: EndInputs, device: Device, pin: int) -> int:
        """From the pin through the package to the die."""
        if device.package is None or end.stands_in != "device":
            return pin
        r, inductance, c = device.package
        if c > 0.0:
            self.shunts.append(ShuntBranch(pin, c=c))
        if r == 0.0 and inductance == 0.0:
            return pin
        return self.in_series(pin, f"{end.name} die", r=r, inductance=inductance)

    def terminate(self, t: TermInputs, node: int, name: str) -> None:
        """A termination at a node."""
        if t.kind in ("parallel", "split"):
            self.shunts.append(ShuntBranch(node, r=t.r or 0.0, e=t.rail))
        if t.kind == "split":
            self.shunts.append(ShuntBranch(node, r=t.r_low or 0.0))
        if t.kind == "ac":
            self.shunts.append(ShuntBranch(node, r=t.r or 0.0, c=t.c))
        if t.kind == "diode":
            table = diode_table()
            # Down through one to 0 V below ground, up through the other above the rail.
            terms = (Term(table, 1.0, -1.0, 0.0), Term(table, -1.0, 1.0, -t.rail))
            self.devices.append(CircuitDevice(f"diodes at {name}", (Port(node, terms),)))

    @property
    def load(self) -> float:
        """Ohm at DC that ends the ribbon, infinite where it is open."""
        last = self.ends[-1]
        at = {last.pin, last.die}
        loads = [
            s.r for s in self.shunts if s.node in at and not s.source and s.c is None and s.r > 0
        ]
        return 1.0 / sum(1.0 / r for r in loads) if loads else math.inf
