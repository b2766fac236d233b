"""A lane of a group in a net: coupled lines, and what its neighbours do meanwhile."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar

from onda.project.paths.elements import LanePiece
from onda.studies.coupling.inputs import GroupInputs, PieceInputs, group_inputs, lane_number
from onda.studies.coupling.solved_group import coupled_lanes, lane_target
from onda.studies.devices.use import DeviceUse, device_use
from onda.studies.lines.solved_line import solve_line
from onda.studies.paths.ends import EndInputs
from onda.studies.paths.items import Item
from onda.studies.paths.layout import Beside, Layout, Place
from onda.studies.paths.slice import Slice

__all__ = ["LaneItem", "slice_of"]

_STRAIGHT = 1.0 / 0.6
"""From 0 to 100 percent of a straight edge over its 20 to 80 percent time."""


@dataclass(frozen=True, slots=True)
class LaneItem(Item):
    """A lane of a group, counted from 0; `driver` and `listener` are the models of its neighbours,
    None for linear ones."""

    is_line: ClassVar[bool] = True
    group: GroupInputs
    lane: int
    neighbours: str
    driver: DeviceUse | None
    listener: DeviceUse | None

    def lay(self, layout: Layout, place: Place) -> Place:
        group, own = self.group, self.lane
        if layout.even:
            # Common modes of other pairs are no part of a path: this lane by itself.
            for piece in self._on_the_way:
                place = self._alone(layout, place, piece)
            return place
        began, count = place, len(group.lanes)
        first = [
            place.node if k == own else layout.node(f"{self.id} {x.name}")
            for k, x in enumerate(group.lanes)
        ]
        nodes = first
        for piece in self._on_the_way:
            if piece.section is not None:
                to = [layout.node(f"{self.id} {piece.id} {k}") for k in range(count)]
                place = self._coupled(layout, place, piece, nodes, to)
            else:
                place = self._alone(layout, place, piece)
                to = [
                    place.node if k == own else self._silent(layout, nodes[k], piece)
                    for k in range(count)
                ]
            nodes = to
        self._neighbours(layout, began, first, nodes)
        return place

    @property
    def _on_the_way(self) -> tuple[PieceInputs, ...]:
        """Pieces in the order that this lane's wave meets them."""
        pieces = self.group.pieces
        return pieces if self.group.lanes[self.lane].rightward else pieces[::-1]

    def _alone(self, layout: Layout, place: Place, piece: PieceInputs) -> Place:
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

    def _coupled(
        self, layout: Layout, place: Place, piece: PieceInputs, nodes: list[int], to: list[int]
    ) -> Place:
        solved = solve_line(piece.lane, layout.fine)
        group, own = self.group, self.lane
        same = group.lanes[own].rightward
        beside = tuple(
            Beside(x.name, x.rightward == same, k - own)
            for k, x in enumerate(group.lanes)
            if k != own
        )
        return layout.coupled_piece(
            place,
            self.id,
            "lane",
            piece.id,
            nodes=(tuple(nodes), tuple(to)),
            own=own,
            line=coupled_lanes(piece, layout.fine),
            length=piece.length,
            z=solved.z,
            took=solved.line.delay_per_m(layout.knee) * piece.length,
            beside=beside,
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
            same = x.rightward == group.lanes[own].rightward
            sends, hears = (first[k], last[k]) if same else (last[k], first[k])
            layout.neighbour(
                EndInputs(f"{self.id}.{x.id}", x.name, 0.0, None, self.driver, "device"),
                sends,
                does=self.neighbours,
                ohm=source,
                # What comes to rest at its receiver is twice what noise counts.
                high=2.0 * group.far * (source + load) / load,
                edge=_STRAIGHT * group.rise,
                delay=began.delay,
            )
            layout.listener(
                EndInputs(f"{self.id}.{x.id}", x.name, 0.0, None, self.listener, "device"),
                hears,
                ohm=load,
                apart=k - own,
            )

    def as_linear(self) -> Item:
        return replace(self, driver=None, listener=None, neighbours="rest")


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
