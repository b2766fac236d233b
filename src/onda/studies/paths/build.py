"""A path as a net: nodes, pieces on the delay scale, where its devices sit."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from onda.engine.circuits import Net, PiecewiseLinear, ShuntBranch
from onda.engine.circuits.bounces import BounceNet, Stretch
from onda.engine.devices import Switching, driver, switching_of
from onda.studies.paths.ends import device_at
from onda.studies.paths.items import PathInputs
from onda.studies.paths.layout import BuiltEnd, Layout, Neighbour, Place, Span
from onda.studies.paths.stimulus import first_level_is_high, source_waveform

__all__ = [
    "BuiltPath",
    "at_device_edge",
    "build_path",
    "levels_at_rest",
    "stimuli",
    "with_edges",
]

_SILENCE = PiecewiseLinear((0.0,), (0.0,))
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
    coupled_span : span of each coupled piece of the net, and which of its lines is the path's
    neighbours : transmitters of the lanes beside it; overheard : their receivers, as how many lanes
        away, name and die
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
    coupled_span: tuple[tuple[int, int], ...] = ()
    neighbours: tuple[Neighbour, ...] = ()
    overheard: tuple[tuple[int, str, int], ...] = ()

    @property
    def load(self) -> int:
        """Die of the receiver at the end of the ribbon."""
        return self.ends[-1].die


def at_device_edge(inputs: PathInputs) -> PathInputs:
    """The inputs with the edge of the device that drives; the field is for drivers without one."""
    ends = (inputs.end, *(item.end for item in inputs.every_item if item.end is not None))
    active = next(e for e in ends if e.id == inputs.driving) if inputs.driving else inputs.driver
    buffer = device_at(active).buffer
    if buffer is None or not buffer.drives:
        return inputs
    return replace(inputs, edge=switching_of(buffer).edge)


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
    if buffer is not None and buffer.drives:
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
    net = replace(net, devices=tuple(b.devices), blocks=tuple(b.blocks), coupled=tuple(b.coupled))
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
        coupled_span=tuple(b.coupled_span),
        neighbours=tuple(b.neighbours),
        overheard=tuple(b.overheard),
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
    for many, (k, own) in zip(b.coupled, b.coupled_span, strict=True):
        # Of a lane among others, waves of its own.
        span = b.spans[k]
        stretches.append(
            Stretch(many.nodes_a[own], many.nodes_b[own], span.z, span.end - span.start)
        )
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
    """The net with its buffers switched by the (time, rising) commands of the driver.

    The driving one is the last device, unless it is linear.
    """
    devices = list(built.net.devices)
    for one in built.neighbours:
        if one.buffer is None or one.switching is None:
            continue
        # Where it stays at rest, it does so from the start.
        told = one.edges(edges)
        high = one.starts_high(start_high)
        made, _ = driver(one.name, one.buffer, one.switching, one.die, told, start_high=high)
        devices.append(made)
    if built.switching is not None:
        buffer = built.driver.device.buffer
        assert buffer is not None
        made, _ = driver(
            built.driver.name,
            buffer,
            built.switching,
            built.driver.die,
            edges,
            start_high=start_high,
        )
        devices.append(made)
    return replace(built.net, devices=tuple(devices))


def stimuli(
    built: BuiltPath, inputs: PathInputs, edges: list[tuple[float, bool]]
) -> tuple[PiecewiseLinear, ...]:
    """What every linear source of a path sends, the driver's first; nothing where all are buffers.

    Raises
    ------
    NotPhysical : an edge starts before the one before it is done
    """
    linear = [one for one in built.neighbours if one.buffer is None]
    if built.switching is not None and not linear:
        return ()
    own = source_waveform(inputs, edges) if built.switching is None else _SILENCE
    others = [
        source_waveform(
            replace(inputs, low=0.0, high=one.high, edge=one.edge), one.edges(edges),
            one.starts_high(not edges[0][1] if edges else first_level_is_high(inputs)),
        )
        for one in linear
    ]  # fmt: skip
    return (own, *others)


def levels_at_rest(built: BuiltPath, inputs: PathInputs, *, high: bool) -> list[float]:
    """Volts of the same sources while the driver rests."""
    linear = [one for one in built.neighbours if one.buffer is None]
    if built.switching is not None and not linear:
        return []
    others = [one.high if one.starts_high(high) else 0.0 for one in linear]
    return [inputs.high if high else inputs.low, *others]
