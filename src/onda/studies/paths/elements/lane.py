"""A lane of a group in a net: coupled lines, and what its neighbours do meanwhile."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from onda.engine.coupling.vias import ViaRow
from onda.engine.lines import lossless_line
from onda.engine.links.patterns import prbs
from onda.engine.vias import via_model
from onda.project.paths.elements import LanePiece
from onda.studies.coupling.inputs import GroupInputs, PieceInputs, group_inputs, lane_number
from onda.studies.coupling.solved_group import coupled_lanes, lane_target
from onda.studies.devices.use import DeviceUse, device_use
from onda.studies.lines.solved_line import solve_line
from onda.studies.paths.ends import EndInputs
from onda.studies.paths.items import Item
from onda.studies.paths.layout import Beside, Layout, Place
from onda.studies.paths.slice import Slice

__all__ = ["LaneBits", "LaneItem", "slice_of"]

_APART = 37
"""Bits by which lanes are apart in one sequence."""
_STRAIGHT = 1.0 / 0.6
"""From 0 to 100 percent of a straight edge over its 20 to 80 percent time."""


@dataclass(frozen=True, slots=True)
class LaneBits:
    """What neighbours send by themselves: `count` pseudo-random bits of an order, `unit_interval`
    s each, every lane from another place of the sequence on."""

    order: int
    count: int
    unit_interval: float

    def of_lane(self, lane: int) -> tuple[tuple[float, bool], ...]:
        """Edges (time, rising) of a lane, counted from 0; the first bit is the level at rest."""
        start = _APART * (lane + 1)
        bits = prbs(self.order, start + self.count)[start:].astype(int)
        changes = np.flatnonzero(np.diff(bits))
        return tuple((float(k) * self.unit_interval, bool(bits[k + 1])) for k in changes)


@dataclass(frozen=True, slots=True)
class LaneItem(Item):
    """A lane of a group, counted from 0; `driver` and `listener` are the models of its neighbours,
    None for linear ones.

    `sends` are bits that neighbours send by themselves, None for what `neighbours` says; `turned`
    has them driven from the other end, as the path is.
    """

    is_line: ClassVar[bool] = True
    group: GroupInputs
    lane: int
    neighbours: str
    driver: DeviceUse | None
    listener: DeviceUse | None
    sends: LaneBits | None = None
    turned: bool = False

    def lay(self, layout: Layout, place: Place) -> Place:
        group, own = self.group, self.lane
        if layout.even:
            # Common modes of other pairs are no part of a path: this lane by itself.
            for step in self._on_the_way:
                place = self._alone(layout, place, step)
            return place
        began, count = place, len(group.lanes)
        first = [
            place.node if k == own else layout.node(f"{self.id} {x.name}")
            for k, x in enumerate(group.lanes)
        ]
        nodes = first
        for step in self._on_the_way:
            if isinstance(step, ViaRow) or step.section is not None:
                to = [layout.node(f"{self.id} {len(layout.names)}") for _ in range(count)]
                place = (
                    self._drilled(layout, place, step, nodes, to)
                    if isinstance(step, ViaRow)
                    else self._coupled(layout, place, step, nodes, to)
                )
            else:
                place = self._alone(layout, place, step)
                to = [
                    place.node if k == own else self._silent(layout, nodes[k], step)
                    for k in range(count)
                ]
            nodes = to
        self._neighbours(layout, began, first, nodes)
        return place

    @property
    def _on_the_way(self) -> tuple[PieceInputs | ViaRow, ...]:
        """Vias and pieces in the order that this lane's wave meets them."""
        steps: list[PieceInputs | ViaRow] = []
        for piece in self.group.pieces:
            steps += [piece.vias, piece] if piece.vias is not None else [piece]
        if self.group.lanes[self.lane].rightward:
            return tuple(steps)
        return tuple(step.turned if isinstance(step, ViaRow) else step for step in steps[::-1])

    def _alone(self, layout: Layout, place: Place, piece: PieceInputs | ViaRow) -> Place:
        if isinstance(piece, ViaRow):
            model = via_model(piece.one)
            return layout.piece(
                place, self.id, "via", "via", line=lossless_line(model.z0), length=model.delay,
                z=model.z0, took=model.delay, pad=sum(piece.ends),
            )  # fmt: skip
        solved = solve_line(piece.lane, layout.fine, layout.even)
        return layout.line_piece(
            place, self.id, "lane", piece.id, line=solved.line, length=piece.length, z=solved.z
        )

    def _silent(self, layout: Layout, node: int, piece: PieceInputs) -> int:
        """A piece of a neighbour by itself; return where it ends."""
        solved = solve_line(piece.lane, layout.fine)
        to = layout.node(f"{self.id} {piece.id}")
        layout.silent(node, to, solved.line, piece.length, solved.z)
        return to

    @property
    def _beside(self) -> tuple[Beside, ...]:
        group, own = self.group, self.lane
        same = group.lanes[own].rightward
        return tuple(
            Beside(x.name, x.rightward == same, k - own)
            for k, x in enumerate(group.lanes)
            if k != own
        )

    def _drilled(
        self, layout: Layout, place: Place, row: ViaRow, nodes: list[int], to: list[int]
    ) -> Place:
        line = row.line()
        # Of a pair's two barrels between themselves there is half the capacitance of each.
        each = 0.5 if row.barrels == 2 else 1.0
        line = line.of_pairs if row.barrels == 2 else line
        own = self.lane
        for some, c in zip((nodes, to), row.ends, strict=True):
            for node in some:
                layout.to_ground((node,), each * c)
        inductance, c = line.l_ext[own, own], line.at_reference[own, own]
        return layout.coupled_piece(
            place,
            self.id,
            "via",
            "via",
            nodes=(tuple(nodes), tuple(to)),
            own=own,
            line=line,
            length=row.one.through,
            z=math.sqrt(inductance / c),
            took=math.sqrt(inductance * c) * row.one.through,
            beside=self._beside,
            short=True,
        )

    def _coupled(
        self, layout: Layout, place: Place, piece: PieceInputs, nodes: list[int], to: list[int]
    ) -> Place:
        solved = solve_line(piece.lane, layout.fine)
        return layout.coupled_piece(
            place,
            self.id,
            "lane",
            piece.id,
            nodes=(tuple(nodes), tuple(to)),
            own=self.lane,
            line=coupled_lanes(piece, layout.fine),
            length=piece.length,
            z=solved.z,
            took=solved.line.delay_per_m(layout.knee) * piece.length,
            beside=self._beside,
        )

    def _neighbours(self, layout: Layout, began: Place, first: list[int], last: list[int]) -> None:
        group, own = self.group, self.lane
        lane = solve_line(group.pieces[0].lane, layout.fine)
        # A pair's terminals are stated for each conductor.
        each = 2.0 if group.pair else 1.0
        z = lane.z if group.pair else lane_target(group.pieces[0])
        source = each * group.source if group.source else z
        load = each * group.load if group.load else z
        for k, x in enumerate(group.lanes):
            if k == own:
                continue
            same = (x.rightward == group.lanes[own].rightward) != self.turned
            sends, hears = (first[k], last[k]) if same else (last[k], first[k])
            layout.neighbour(
                EndInputs(f"{self.id}.{x.id}", x.name, 0.0, None, self.driver, "device"),
                sends,
                does="bits" if self.sends is not None else self.neighbours,
                ohm=source,
                # What comes to rest at its receiver is twice what noise counts.
                high=2.0 * group.far * (source + load) / load,
                edge=_STRAIGHT * group.rise,
                # From the other end it is as if the lane began at the device that drives.
                delay=0.0 if self.turned else began.delay,
                own=None if self.sends is None else self.sends.of_lane(k),
            )
            layout.listener(
                EndInputs(f"{self.id}.{x.id}", x.name, 0.0, None, self.listener, "device"),
                hears,
                ohm=load,
                apart=k - own,
            )

    def as_linear(self) -> Item:
        return replace(self, driver=None, listener=None, neighbours="rest", sends=None)


def slice_of(element: LanePiece, where: Slice) -> Item:
    """A lane's slice."""
    group = where.design.group(element.group)
    inputs = group_inputs(where.design, group)
    return LaneItem(
        element.id,
        inputs,
        lane_number(inputs, element.lane),
        element.neighbours,
        device_use(where.design, group.driver, where.column),
        device_use(where.design, group.listener, where.column),
    )
