"""A path as a net: nodes, pieces on the delay scale, where its devices sit."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from onda.engine.circuits import Net, ShuntBranch
from onda.engine.circuits.bounces import BounceNet, Stretch
from onda.engine.devices import Buffer, Switching, driver, switching_of
from onda.studies.paths.ends import device_at
from onda.studies.paths.items import PathInputs
from onda.studies.paths.layout import BuiltEnd, Layout, Place, Span

__all__ = ["BuiltPath", "at_device_edge", "build_path", "with_edges"]

_SHORT = 12.0
"""A piece without a length, shorter than the edge by this factor, is no stretch for bounces."""


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


def at_device_edge(inputs: PathInputs) -> PathInputs:
    """The inputs with the edge of the device that drives; the field is for drivers without one."""
    ends = (inputs.end, *(item.end for item in inputs.every_item if item.end is not None))
    active = next(e for e in ends if e.id == inputs.driving) if inputs.driving else inputs.driver
    buffer = device_at(active).buffer
    if buffer is None or not _drives(buffer):
        return inputs
    return replace(inputs, edge=switching_of(buffer).edge)


def _drives(buffer: Buffer) -> bool:
    return buffer.pullup is not None or buffer.pulldown is not None


def build_path(inputs: PathInputs) -> BuiltPath:
    """Turn a path into a net; raise `InputError` where a model cannot be had."""
    b = Layout(inputs.edge, inputs.fine, inputs.even, inputs.line_factor, inputs.driving)
    home_device = device_at(inputs.driver)
    # Node 0 is the die of the driver; its pin lies behind the package.
    pad = b.package(inputs.driver, home_device, 0)
    b.end(inputs.end, b.walk(inputs.items, Place(pad, 0.0)))
    home = BuiltEnd("driver", inputs.driver.name, pad, 0, 0.0, 0, inputs.driver, home_device)
    active = home
    if inputs.driving:
        active = next(e for e in b.ends if e.id == inputs.driving)
        b.listen(inputs.driver, home_device, 0)
    buffer = active.device.buffer
    switching = None
    r_source = inputs.driver_resistance
    if buffer is not None and _drives(buffer):
        switching = switching_of(buffer)
        sides = [r for high in (True, False) if math.isfinite(r := buffer.resistance(high=high))]
        r_source = sum(sides) / len(sides)
        if buffer.c_comp > 0.0:
            b.shunts.append(ShuntBranch(active.die, c=buffer.c_comp))
    else:
        b.shunts.append(ShuntBranch(active.die, r=inputs.driver_resistance, source=True))
        if home_device.capacitance > 0:
            b.shunts.append(ShuntBranch(active.die, c=home_device.capacitance))
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
        stretches=_stretches(b, inputs.driver.name, active.die, r_source, switching is not None),
        z_source=r_source + _resistors_ahead(inputs),
        z_load=b.load,
    )


def _resistors_ahead(inputs: PathInputs) -> float:
    total = 0.0
    for item in inputs.items:
        if item.ahead is None:
            break
        total += item.ahead
    return total


def _stretches(b: Layout, driver: str, source: int, r_source: float, add_source: bool) -> BounceNet:
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
    knee = b.knee
    main = next((z for z, k in zip(b.z, b.piece_span, strict=True) if k >= 0), 50.0)
    stretches: list[Stretch] = []
    series = [(p.node_a, p.node_b, p.r) for p in b.series]
    series += [(*pair, 0.0) for pair in b.joined]
    for p, z, k in zip(b.lines, b.z, b.piece_span, strict=True):
        delay = p.line.delay_per_m(knee) * p.length
        short = k < 0 or b.spans[k].length == 0.0
        if short and delay < b.edge / _SHORT:
            # Waves inside it come and go within the edge: what is left is its capacitance.
            series.append((p.node_a, p.node_b, 0.0))
            share = 1.0 if k < 0 else max(1.0 - (z / main) ** 2, 0.0)
            capacitance[p.node_a] += share * delay / z
        else:
            stretches.append(Stretch(p.node_a, p.node_b, z, delay))
    names = list(b.names)
    for end in b.ends:
        names[end.pin] = names[end.die] = end.name
    names[0] = driver
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
    buffer = built.driver.device.buffer
    assert buffer is not None
    device, _ = driver(
        built.driver.name, buffer, built.switching, built.driver.die, edges, start_high=start_high
    )
    return replace(built.net, devices=(*built.net.devices, device))
