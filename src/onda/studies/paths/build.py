"""A path as a net: nodes, pieces on the delay scale, where its devices sit."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

import numpy as np

from onda.engine.circuits import LinePiece, Net, SeriesPart, ShuntBranch
from onda.engine.circuits.bounces import BounceNet, Stretch
from onda.engine.circuits.devices import Device, Port, Term, diode_table
from onda.engine.circuits.net import PortBlock
from onda.engine.devices import Switching, driver, receiver, switching_of
from onda.engine.lines import Line, lossless_line
from onda.engine.vias import ViaModel, via_model
from onda.studies.lines.sheet_line import line_of_sheet
from onda.studies.lines.solved_line import solve_line
from onda.studies.networks.piece import piece_of_file
from onda.studies.paths.inputs import (
    BranchItem,
    CableItem,
    DrilledItem,
    EndInputs,
    LumpedItem,
    NetworkItem,
    PathInputs,
    PathItem,
    ResistorItem,
    ShuntItem,
    TermInputs,
    TraceItem,
    ViaItem,
)

__all__ = ["BuiltEnd", "BuiltPath", "Span", "build_path", "with_edges"]

_SHORT = 12.0
"""A via shorter than the edge by this factor is no stretch of its own for bounces."""


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


@dataclass(frozen=True, slots=True)
class BuiltPath:
    """A path as a net.

    Attributes
    ----------
    net : without the driving device where that is a buffer; see `with_edges`
    ends : receivers in the order of the path's, the one at the end of the ribbon last
    driver : the end that drives
    spans : on the delay scale; piece_span : span of each line of the net
    switching : of the driving buffer, None for a linear driver
    routes : spans from the driver to each receiver, by its id
    stretches : the same net for bounces
    z_source, z_load : ohm, seen at the driver and at the last receiver
    """

    net: Net
    ends: tuple[BuiltEnd, ...]
    driver: BuiltEnd
    spans: tuple[Span, ...]
    piece_span: tuple[int, ...]
    switching: Switching | None
    routes: dict[str, tuple[int, ...]]
    stretches: BounceNet
    z_source: float
    z_load: float

    @property
    def load(self) -> int:
        """Die of the receiver at the end of the ribbon."""
        return self.ends[-1].die


@dataclass(slots=True)
class _Builder:
    """Grows the net along the ribbon and its branches."""

    inputs: PathInputs
    names: list[str] = field(default_factory=lambda: ["driver"])
    shunts: list[ShuntBranch] = field(default_factory=list)
    series: list[SeriesPart] = field(default_factory=list)
    lines: list[LinePiece] = field(default_factory=list)
    devices: list[Device] = field(default_factory=list)
    blocks: list[PortBlock] = field(default_factory=list)
    joined: list[tuple[int, int]] = field(default_factory=list)
    spans: list[Span] = field(default_factory=list)
    piece_span: list[int] = field(default_factory=list)
    z: list[float] = field(default_factory=list)
    ends: list[BuiltEnd] = field(default_factory=list)
    routes: dict[str, tuple[int, ...]] = field(default_factory=dict)
    rows: int = 0

    def node(self, name: str) -> int:
        self.names.append(name)
        return len(self.names) - 1

    def walk(
        self,
        items: tuple[PathItem, ...],
        node: int,
        delay: float,
        row: int,
        branch: str,
        route: list[int],
    ) -> tuple[int, float]:
        """Lay items from a node on; return where they end."""
        for item in items:
            match item:
                case BranchItem():
                    self._branch(item, node, delay, list(route))
                case ShuntItem():
                    self._termination(item.termination, node, item.id)
                    self._mark(item.id, "shunt", item.termination.kind, delay, row, branch)
                case ResistorItem():
                    if item.value > 0:
                        node = self._series(node, item.id, r=item.value)
                    self._mark(item.id, "resistor", item.id, delay, row, branch)
                case LumpedItem():
                    node = self._lumped(item, node)
                    self._mark(item.id, "lumped", item.role, delay, row, branch)
                case NetworkItem():
                    model, z, took = piece_of_file(item.sha256, item.name, item.turned)
                    to = self.node(f"{item.id} end")
                    self.blocks.append(PortBlock((node, to), model, z))
                    note = f"{model.order} poles, within {model.error:.1e}"
                    self.spans.append(
                        Span(
                            item.id,
                            "network",
                            item.id,
                            delay,
                            delay + took,
                            0.0,
                            0.0,
                            row,
                            branch,
                            note,
                        )
                    )
                    # For bounces a network counts as a plain connection.
                    self.joined.append((node, to))
                    node, delay = to, delay + took
                case _:
                    node, delay = self._line(item, node, delay, row, branch, route)
        return node, delay

    def _mark(self, id_: str, kind: str, label: str, delay: float, row: int, branch: str) -> None:
        self.spans.append(Span(id_, kind, label, delay, delay, 0.0, 0.0, row, branch))

    def _series(
        self, node: int, name: str, r: float = 0.0, inductance: float = 0.0, c: float | None = None
    ) -> int:
        to = self.node(name)
        self.series.append(SeriesPart(node, to, r=r, l=inductance, c=c))
        return to

    def _lumped(self, item: LumpedItem, node: int) -> int:
        begin = node
        if item.role == "capacitor":
            node = self._series(node, item.id, r=item.r, c=item.c_series)
        elif item.role == "ferrite":
            to = self._series(node, item.id, r=item.r_parallel or 0.0)
            self.series.append(SeriesPart(node, to, r=item.r, l=item.inductance))
            node = to
        elif item.r > 0.0 or item.inductance > 0.0:
            node = self._series(node, item.id, r=item.r, inductance=item.inductance)
        if item.c > 0.0:
            self.shunts += [ShuntBranch(n, c=0.5 * item.c) for n in (begin, node)]
        return node

    def _line(
        self,
        item: TraceItem | CableItem | ViaItem | DrilledItem,
        node: int,
        delay: float,
        row: int,
        branch: str,
        route: list[int],
    ) -> tuple[int, float]:
        # Delay is drawn at the frequency that carries the edge.
        knee = 0.35 / self.inputs.edge
        pad, stub, note = 0.0, None, ""
        if isinstance(item, TraceItem):
            solved = solve_line(item.line, self.inputs.fine, self.inputs.even)
            line, length, z, label = solved.line, item.length, solved.z, item.label
            took, kind = line.delay_per_m(knee) * length, "trace"
        elif isinstance(item, CableItem):
            line, length, label, kind = line_of_sheet(item.line), item.length, item.label, "cable"
            z = float(abs(line.impedance(np.array([knee]))[0]))
            took = line.delay_per_m(knee) * length
        elif isinstance(item, DrilledItem):
            model = via_model(item.geometry)
            line, length, z, label = lossless_line(model.z0), model.delay, model.z0, "via"
            took, kind, pad, stub = model.delay, "via", model.pad, model
            note = _stub_note(model)
        else:
            line, length, z, label = lossless_line(item.z0), item.delay, item.z0, "via"
            took, kind, pad = item.delay, "via", item.pad
        if self.inputs.line_factor != 1.0:
            line, z = line.scaled(self.inputs.line_factor), z * self.inputs.line_factor
        to = self.node(f"{item.id} end")
        index = len(self.spans)
        metres = length if kind in ("trace", "cable") else 0.0
        self.spans.append(
            Span(item.id, kind, label, delay, delay + took, z, metres, row, branch, note)
        )
        self._piece(node, to, line, length, z, index)
        if pad > 0:
            self.shunts += [ShuntBranch(n, c=0.5 * pad) for n in (node, to)]
        if stub is not None and stub.stub_delay > 0.0:
            open_end = self.node(f"{item.id} stub")
            self._piece(to, open_end, lossless_line(stub.z0), stub.stub_delay, stub.z0, -1)
        route.append(index)
        return to, delay + took

    def _piece(self, a: int, b: int, line: Line, length: float, z: float, span: int) -> None:
        self.lines.append(LinePiece(a, b, line, length))
        self.piece_span.append(span)
        self.z.append(z)

    def _branch(self, item: BranchItem, node: int, delay: float, route: list[int]) -> None:
        self.rows += 1 if item.items else 0
        row = self.rows if item.items else 0
        self._mark(item.id, "branch", item.end.name, delay, row, item.id)
        at, arrived = self.walk(item.items, node, delay, row, item.id, route)
        self.end(item.end, at, arrived, row, route)

    def end(self, end: EndInputs, node: int, delay: float, row: int, route: list[int]) -> None:
        """Termination and device at the end of the ribbon or of a branch."""
        self._termination(end.termination, node, end.id)
        die = self._package(end, node)
        self.ends.append(BuiltEnd(end.id, end.name, node, die, delay, row, end))
        self.routes[end.id] = tuple(route)
        if end.id != self.inputs.driving:
            self.listen(end, die)

    def listen(self, end: EndInputs, die: int) -> None:
        """What a device that does not drive puts on the line."""
        if end.stands_in == "probe":
            return
        if end.buffer is not None:
            device, shunts = receiver(end.name, end.buffer, die)
            self.shunts += shunts
            if device is not None:
                self.devices.append(device)
        elif end.capacitance > 0:
            self.shunts.append(ShuntBranch(die, c=end.capacitance))
        if end.resistance is not None:
            self.shunts.append(ShuntBranch(die, r=end.resistance))

    def _package(self, end: EndInputs, pin: int) -> int:
        """From the pin through the package to the die."""
        if end.package is None or end.stands_in != "device":
            return pin
        r, inductance, c = end.package
        if c > 0.0:
            self.shunts.append(ShuntBranch(pin, c=c))
        if r == 0.0 and inductance == 0.0:
            return pin
        return self._series(pin, f"{end.name} die", r=r, inductance=inductance)

    def _termination(self, t: TermInputs, node: int, name: str) -> None:
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
            self.devices.append(Device(f"diodes at {name}", (Port(node, terms),)))


def _stub_note(model: ViaModel) -> str:
    if not math.isfinite(model.stub_resonance):
        return ""
    return f"stub {model.stub_delay * 1e12:.1f} ps, shorts at {model.stub_resonance / 1e9:.1f} GHz"


def build_path(inputs: PathInputs) -> BuiltPath:
    """Turn a path into a net."""
    b = _Builder(inputs)
    # Node 0 is the die of the driver; its pin lies behind the package.
    pad = b._package(inputs.driver, 0)
    route: list[int] = []
    node, delay = b.walk(inputs.items, pad, 0.0, 0, "", route)
    b.end(inputs.end, node, delay, 0, route)
    home = BuiltEnd("driver", inputs.driver.name, pad, 0, 0.0, 0, inputs.driver)
    active = home
    if inputs.driving:
        active = next(e for e in b.ends if e.id == inputs.driving)
        b.listen(inputs.driver, 0)
    buffer = active.inputs.buffer
    drives = buffer is not None and (buffer.pullup is not None or buffer.pulldown is not None)
    switching = None
    r_source = inputs.driver_resistance
    if drives:
        assert buffer is not None
        switching = switching_of(buffer)
        sides = [r for high in (True, False) if math.isfinite(r := buffer.resistance(high=high))]
        r_source = sum(sides) / len(sides)
        if buffer.c_comp > 0.0:
            b.shunts.append(ShuntBranch(active.die, c=buffer.c_comp))
    else:
        b.shunts.append(ShuntBranch(active.die, r=inputs.driver_resistance, source=True))
        if inputs.driver.capacitance > 0:
            b.shunts.append(ShuntBranch(active.die, c=inputs.driver.capacitance))
    net = Net(len(b.names), tuple(b.shunts), tuple(b.lines), tuple(b.series))
    net = replace(net, devices=tuple(b.devices), blocks=tuple(b.blocks))
    return BuiltPath(
        net=net,
        ends=tuple(b.ends),
        driver=active,
        spans=tuple(b.spans),
        piece_span=tuple(b.piece_span),
        switching=switching,
        routes=b.routes,
        stretches=_stretches(b, active.die, r_source, switching is not None),
        z_source=r_source + _resistors_ahead(inputs),
        z_load=_z_load(b),
    )


def _resistors_ahead(inputs: PathInputs) -> float:
    total = 0.0
    for item in inputs.items:
        if isinstance(item, ResistorItem):
            total += item.value
        elif not isinstance(item, LumpedItem | ShuntItem):
            break
    return total


def _z_load(b: _Builder) -> float:
    last = b.ends[-1]
    at = {last.pin, last.die}
    loads = [s.r for s in b.shunts if s.node in at and not s.source and s.c is None and s.r > 0]
    return 1.0 / sum(1.0 / r for r in loads) if loads else math.inf


def _stretches(b: _Builder, source: int, r_source: float, add_source: bool) -> BounceNet:
    n = len(b.names)
    shunt, capacitance = [0.0] * n, [0.0] * n
    for s in b.shunts:
        if s.c is None and s.r > 0.0:
            shunt[s.node] += 1.0 / s.r
        elif s.c is not None and s.r == 0.0:
            capacitance[s.node] += s.c
        elif s.c is not None:
            # While an edge passes, the capacitor of an R and C termination is a short.
            shunt[s.node] += 1.0 / s.r
    if add_source:
        shunt[source] += 1.0 / r_source
    knee = 0.35 / b.inputs.edge
    main = next((z for z, k in zip(b.z, b.piece_span, strict=True) if k >= 0), 50.0)
    stretches: list[Stretch] = []
    series = [(p.node_a, p.node_b, p.r) for p in b.series]
    series += [(*pair, 0.0) for pair in b.joined]
    for p, z, k in zip(b.lines, b.z, b.piece_span, strict=True):
        delay = p.line.delay_per_m(knee) * p.length
        is_via = k < 0 or b.spans[k].kind == "via"
        if is_via and delay < b.inputs.edge / _SHORT:
            # Waves inside it come and go within the edge: what is left is its capacitance.
            series.append((p.node_a, p.node_b, 0.0))
            share = 1.0 if k < 0 else max(1.0 - (z / main) ** 2, 0.0)
            capacitance[p.node_a] += share * delay / z
        else:
            stretches.append(Stretch(p.node_a, p.node_b, z, delay))
    names = list(b.names)
    for end in b.ends:
        names[end.pin] = names[end.die] = end.name
    names[0] = b.inputs.driver.name
    return BounceNet(
        tuple(names),
        tuple(stretches),
        tuple(shunt),
        tuple(series),
        tuple(capacitance),
        source,
        1.0 / r_source,
    )


def with_edges(
    built: BuiltPath, inputs: PathInputs, edges: list[tuple[float, bool]], *, start_high: bool
) -> Net:
    """The net with its driving buffer switched by (time, rising) commands; as it is when linear."""
    if built.switching is None:
        return built.net
    buffer = built.driver.inputs.buffer
    assert buffer is not None
    device, _ = driver(
        built.driver.name, buffer, built.switching, built.driver.die, edges, start_high=start_high
    )
    return replace(built.net, devices=(*built.net.devices, device))
