"""Waveforms that a maker took into a known load: the whole model is held against them.

The load, from the pin on: `c1` to 0 V, `rs` and `ls` in series, `c2`, `rp1` and `rp2` to their
rails, then, where there is one, a line with the same parts behind it in mirrored order (IBIS Open
Forum, "I/O Buffer Information Specification", version 7.2, keyword [Test Load]).
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from onda.engine.circuits.net import LinePiece, Net, SeriesPart, ShuntBranch
from onda.engine.circuits.transient import solve_transient
from onda.engine.devices.buffer import Buffer, FixtureWave
from onda.engine.devices.drivers import driver
from onda.engine.devices.quality import FixtureCheck, compared, step_along
from onda.engine.devices.switching import Switching
from onda.engine.lines import lossless_line

__all__ = ["LoadSide", "MakerWave", "MakersLoad", "check_makers_waves"]

_STEPS = 2000


@dataclass(frozen=True, slots=True)
class LoadSide:
    """Parts on one side of the line, SI; 0 or None means that there is none."""

    c1: float = 0.0
    rs: float = 0.0
    ls: float = 0.0
    c2: float = 0.0
    rp1: float | None = None
    rp2: float | None = None


@dataclass(frozen=True, slots=True)
class MakersLoad:
    """The whole load; `z0` and `delay` of its line, None without one."""

    near: LoadSide
    far: LoadSide
    v1: float = 0.0
    v2: float = 0.0
    z0: float | None = None
    delay: float = 0.0


@dataclass(frozen=True, slots=True)
class MakerWave:
    """A waveform at the near end: s and V."""

    name: str
    rising: bool
    load: MakersLoad
    time: tuple[float, ...]
    volts: tuple[float, ...]


def check_makers_waves(
    buffer: Buffer, switching: Switching, waves: tuple[MakerWave, ...]
) -> tuple[FixtureCheck, ...]:
    """Run a model into the loads and compare at the near end."""
    return tuple(_check(buffer, switching, wave) for wave in waves)


class _Loads:
    """Grows the net from the die on."""

    def __init__(self) -> None:
        self.nodes = 1
        self.shunts: list[ShuntBranch] = []
        self.series: list[SeriesPart] = []
        self.lines: list[LinePiece] = []

    def shunt(self, node: int, c: float, rails: tuple[tuple[float | None, float], ...]) -> None:
        if c > 0.0:
            self.shunts.append(ShuntBranch(node, c=c))
        for r, v in rails:
            if r is not None and r > 0.0:
                self.shunts.append(ShuntBranch(node, r=r, e=v))

    def through(self, node: int, rs: float, ls: float) -> int:
        if rs <= 0.0 and ls <= 0.0:
            return node
        self.nodes += 1
        self.series.append(SeriesPart(node, self.nodes - 1, r=rs, l=ls))
        return self.nodes - 1


def _net(load: MakersLoad) -> Net:
    b = _Loads()
    near, far = load.near, load.far
    b.shunt(0, near.c1, ())
    node = b.through(0, near.rs, near.ls)
    b.shunt(node, near.c2, ((near.rp1, load.v1), (near.rp2, load.v2)))
    if load.z0 is not None and load.delay > 0.0:
        b.nodes += 1
        b.lines.append(LinePiece(node, b.nodes - 1, lossless_line(load.z0), load.delay))
        node = b.nodes - 1
        b.shunt(node, far.c2, ((far.rp1, load.v1), (far.rp2, load.v2)))
        node = b.through(node, far.rs, far.ls)
        b.shunt(node, far.c1, ())
    # A load without any resistor still has to rest somewhere: ten megohm to 0 V.
    b.shunts.append(ShuntBranch(node, r=1e7))
    return Net(b.nodes, tuple(b.shunts), tuple(b.lines), tuple(b.series))


def _check(buffer: Buffer, switching: Switching, wave: MakerWave) -> FixtureCheck:
    span = wave.time[-1] - wave.time[0]
    device, die = driver(
        buffer.name, buffer, switching, 0, [(0.0, wave.rising)], start_high=not wave.rising
    )
    net = _net(wave.load)
    net = replace(net, shunts=(*net.shunts, *die), devices=(device,))
    solution = solve_transient(net, end=span, step=step_along(wave.time, wave.volts, _STEPS))
    as_fixture = FixtureWave(wave.rising, 0.0, 0.0, 0.0, wave.time, wave.volts)
    return compared(as_fixture, solution.time, np.asarray(solution.node(0)))
