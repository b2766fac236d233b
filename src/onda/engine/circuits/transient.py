"""Transient of a net with devices: fixed steps, Newton at the devices only.

The linear part is solved once per step length; in each step the devices see it through the small
matrix of its impedances at their ports. Node equations with capacitance go by the trapezoidal rule
(a trace towards backward Euler keeps kinks from ringing on), algebraic ones are met exactly at each
step. Lines enter as delayed waves with recursive convolution.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.assembly import Assembled, assemble
from onda.engine.circuits.budget import check_transient_size
from onda.engine.circuits.dc import dc_voltages, device_currents
from onda.engine.circuits.devices import Table, Term, Weight
from onda.engine.circuits.inversion import contour, invert, transform
from onda.engine.circuits.line_model import Band
from onda.engine.circuits.net import CoupledPiece, Net
from onda.engine.circuits.stimulus import PiecewiseLinear
from onda.engine.circuits.transient_arrays import Nodes, Ports, Terms
from onda.engine.circuits.wave_arrays import WaveArrays
from onda.engine.group_lines import GroupLine
from onda.engine.lines import Line, waves_along
from onda.errors import NotConverged, NotPhysical

__all__ = ["TransientSolution", "solve_transient"]

FloatArray = NDArray[np.float64]
_THETA = 0.501
"""Weight of the new time; 0.5 is the trapezoidal rule, 1 backward Euler."""
_SLICE = 2000
"""Steps between two looks at whether the run is still wanted."""


@dataclass(frozen=True, slots=True)
class TransientSolution:
    """A solved transient; ask it for voltages and currents anywhere.

    Attributes
    ----------
    net : the net; time : (n,) s, from 0 in even steps
    volts : (n, nodes) V
    node_dc : (nodes,) V at rest
    device_amps : (n, ports) A, from the devices into their ports' nodes, in the order of the net
    line_error : largest error of the models of its lines
    """

    net: Net
    time: FloatArray
    volts: FloatArray
    node_dc: FloatArray
    device_amps: FloatArray
    line_error: float

    def node(self, index: int) -> FloatArray:
        """Voltage (n,) of a node against time."""
        return self.volts[:, index]

    def along(self, piece: int, places: FloatArray) -> FloatArray:
        """Voltage (places, n) along single piece `piece`, places in metres from its start."""
        return self.both_along(piece, places)[0]

    def both_along(
        self,
        piece: int,
        places: FloatArray,
        known: dict[Line, tuple[NDArray[np.complex128], NDArray[np.complex128]]] | None = None,
    ) -> tuple[FloatArray, FloatArray]:
        """Voltage and current (places, n) along a single piece; `known` as in `waves_along`."""
        at = self.net.lines[piece]
        places = np.asarray(places, dtype=float)
        s = contour(float(self.time[-1]), len(self.time))
        dc = self.node_dc[[at.node_a, at.node_b]]
        ends = transform(s, (self.volts[:, [at.node_a, at.node_b]] - dc).T)
        change, current = waves_along(at.line, at.length, s, (ends[0], ends[1]), places, known)
        level = dc[0] + (dc[1] - dc[0]) * places / at.length
        drop = at.line.r_dc * at.length
        amps = (dc[0] - dc[1]) / drop if drop > 0.0 else 0.0
        n = len(self.time)
        return level[:, None] + invert(s, change, n, soft=False), amps + invert(
            s, current, n, soft=False
        )

    def coupled_along(self, piece: int, places: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Voltage and current (lines, places, n) along coupled piece number `piece`."""
        at: CoupledPiece = self.net.coupled[piece]
        places = np.asarray(places, dtype=float)
        s = contour(float(self.time[-1]), len(self.time))
        nodes = [*at.nodes_a, *at.nodes_b]
        dc = self.node_dc[nodes]
        ends = transform(s, (self.volts[:, nodes] - dc).T)
        n = len(at.nodes_a)
        change, current = at.line.along(at.length, s, (ends[:n], ends[n:]), places)
        level = dc[:n, None] + np.outer(dc[n:] - dc[:n], places / at.length).reshape(n, -1)
        drop = at.line.r_dc * at.length
        amps = np.linalg.lstsq(drop, dc[:n] - dc[n:], rcond=None)[0]
        moving = (invert(s, x, len(self.time), soft=False) for x in (change, current))
        volts = level[..., None] + next(moving)
        return np.asarray(volts), np.asarray(amps[:, None, None] + next(moving))


def solve_transient(
    net: Net,
    stimulus: PiecewiseLinear | Sequence[PiecewiseLinear] = (),
    *,
    end: float,
    step: float,
    wanted: Callable[[float], None] | None = None,
) -> TransientSolution:
    """Transient of a net at rest at time 0.

    Parameters
    ----------
    stimulus : one for each source number
    end : s, the last time wanted
    step : s, at most this between samples; a fiftieth of the shortest edge is fine enough. Pieces
        of line shorter than two steps are taken as one section each; groups whose modes change
        with frequency are followed with a finer step instead.
    wanted : called with the share done; may raise to stop

    Raises
    ------
    NotPhysical : the net cannot be solved
    TooLarge : it would take more memory than a run may
    NotConverged : a device found no voltage at some time; names the device and the time
    """
    net.check()
    if not (math.isfinite(end) and math.isfinite(step) and 0 < step < end):
        raise NotPhysical("time step", step, f"above 0 and below the end, {end:.4g} s")
    step = min([step, *(0.5 * many.line.fastest * many.length for many in net.coupled
                        if isinstance(many.line, GroupLine) and not many.short)])  # fmt: skip
    check_transient_size(net, end, step)
    stimuli = (stimulus,) if isinstance(stimulus, PiecewiseLinear) else tuple(stimulus)
    time = np.linspace(0.0, end, math.ceil(end / step) + 1)
    initial = [one.initial for one in stimuli]
    node_dc = dc_voltages(net, initial)
    step = float(time[1])
    assembled = assemble(net, len(stimuli), step, Band(0.02 / float(time[-1]), 0.25 / step))
    change = np.array([one.sample(time) - one.initial for one in stimuli]).reshape(
        len(stimuli), len(time)
    )
    marcher = _Marcher(net, assembled, time, node_dc, change)
    marcher.run(wanted)
    return TransientSolution(
        net=net,
        time=time,
        volts=node_dc + marcher.x[:, : net.nodes],
        node_dc=node_dc,
        device_amps=marcher.port_i_dc + marcher.port_current,
        line_error=assembled.waves.error,
    )


class _Marcher:
    """Arrays for the kernel."""

    def __init__(
        self,
        net: Net,
        assembled: Assembled,
        time: FloatArray,
        node_dc: FloatArray,
        change: FloatArray,
    ) -> None:
        self.net, self.time = net, time
        n, h = len(assembled.static), float(time[1])
        self.x = np.zeros((len(time), n))
        self.drive, self.source = assembled.drive, change
        self.theta = np.where(np.any(assembled.dynamic != 0.0, axis=1), _THETA, 1.0)
        waves = WaveArrays(assembled.waves, h, len(time))
        self._devices(net, node_dc)
        through = waves.through(n)
        theta = self.theta[:, None]
        matrix = assembled.dynamic / h + theta * (assembled.static + through)
        try:
            self.inverse = np.asarray(np.linalg.inv(matrix), dtype=float)
        except np.linalg.LinAlgError as error:
            raise NotPhysical(
                "net", "a node that nothing drives", "connected throughout"
            ) from error
        back = assembled.dynamic / h - (1.0 - theta) * assembled.static
        rows, self.m_col = np.nonzero(back)
        self.m_val = back[rows, self.m_col]
        self.m_start = np.searchsorted(rows, np.arange(n + 1))
        ports = np.zeros((n, len(self.port_a)))
        for p, (a, b) in enumerate(zip(self.port_a, self.port_b, strict=True)):
            ports[a, p] = 1.0
            if b >= 0:
                ports[b, p] = -1.0
        self.spread = self.inverse @ (theta * ports)
        self.z_port = ports.T @ self.spread
        self._arrays: list[Any] = [
            Nodes._make(getattr(self, name) for name in Nodes._fields),
            waves.ends,
            waves.holds,
            waves.reaches,
            waves.rings,
            waves.echoes,
            waves.memory,
            *(kind._make(getattr(self, name) for name in kind._fields) for kind in (Ports, Terms)),
        ]

    def _devices(self, net: Net, node_dc: FloatArray) -> None:
        ports = [(d, p) for d in net.devices for p in d.ports]
        self.port_names = [d.name for d, _ in ports]
        self.port_a = np.array([p.node for _, p in ports], dtype=np.int64)
        self.port_b = np.array(
            [-1 if p.node_b is None else p.node_b for _, p in ports], dtype=np.int64
        )
        below = np.where(self.port_b >= 0, node_dc[self.port_b], 0.0)
        self.port_dc = node_dc[self.port_a] - below
        self.port_i_dc = np.array(
            [i for d in net.devices for i, _ in device_currents(d, node_dc, 0.0)], dtype=float
        )
        terms: list[Term] = [t for _, p in ports for t in p.terms]
        self.port_start = np.cumsum([0, *(len(p.terms) for _, p in ports)])
        tables: dict[Table, int] = {}
        weights: dict[Weight, int] = {}
        self.term_table = np.array(
            [tables.setdefault(t.table, len(tables)) for t in terms], dtype=np.int64
        )
        self.term_weight = np.array(
            [-1 if t.weight is None else weights.setdefault(t.weight, len(weights)) for t in terms],
            dtype=np.int64,
        )
        self.term_number = np.array(
            [(t.scale, t.sign, t.offset) for t in terms], dtype=float
        ).reshape(len(terms), 3)
        self.weights = np.array([w.sample(self.time) for w in weights]).reshape(
            len(weights), len(self.time)
        )
        self.tab_start = np.cumsum([0, *(len(t.volts) for t in tables)])
        self.tab_v = np.array([v for t in tables for v in t.volts], dtype=float)
        self.tab_i = np.array([i for t in tables for i in t.amps], dtype=float)
        self.port_current = np.zeros((len(self.time), len(ports)))

    def run(self, wanted: Callable[[float], None] | None) -> None:
        """March to the end; slice by slice, so that it can be stopped."""
        last = len(self.time) - 1
        for first in range(0, last, _SLICE):
            self._march(first, min(first + _SLICE, last))
            if wanted is not None:
                wanted(min(first + _SLICE, last) / last)
        if not np.isfinite(self.x[-1]).all():
            raise NotConverged("transient", reached=math.inf, wanted=0.0)

    def _march(self, first: int, last: int) -> None:
        # The compiler of the kernels loads with the first march, not with the first look.
        from onda.engine.circuits.transient_kernels import march

        failed = march(self.x, first, last, *self._arrays)
        if failed >= 0:
            step, port = divmod(failed, len(self.port_a))
            raise NotConverged(
                f"{self.port_names[port]} finds no voltage at {self.time[step + 1] * 1e9:.4g} ns",
                reached=math.nan,
                wanted=1e-7,
            )
