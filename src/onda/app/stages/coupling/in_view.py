"""The group in view, its chosen piece, and the receiver that is looked at."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from onda.app.kit.context import Context
from onda.app.kit.subject import OneResult
from onda.errors import InputError
from onda.project.coupling.group import GroupPiece, LaneGroup
from onda.studies.coupling.group import GroupResult
from onda.studies.coupling.judge import value_of

__all__ = ["OF_LANE", "GroupInView"]

_ALIKE = 1.0 - 1e-6
OF_LANE = ("waves", "eye", "bits")
"""Views that are of the lane that is looked at."""


class _Turns(QObject):
    turned = pyqtSignal()


class GroupInView(OneResult[GroupResult]):
    """The chosen group with its results.

    Attributes
    ----------
    turns : `turns.turned` is emitted when another receiver is looked at
    more : by view what is worked out only when it is looked at or asked for
    """

    def __init__(self, context: Context, stage: str, kinds: tuple[str, ...]) -> None:
        super().__init__(context, stage, kinds)
        self.turns = _Turns()
        self.more: dict[str, Any] = {}
        self._lane = ""

    @property
    def group(self) -> LaneGroup | None:
        """The group in view, None where there is none."""
        found: LaneGroup | None = self.item
        return found

    @property
    def present(self) -> LaneGroup:
        """The group in view; raise `InputError` where there is none."""
        found = self.group
        if found is None:
            raise InputError("there is no group in view")
        return found

    @property
    def piece(self) -> GroupPiece:
        """The chosen piece, else the first coupled one, else the first."""
        pieces = self.present.pieces
        chosen = next((p for p in pieces if p.id == self.element), None)
        return chosen or next((p for p in pieces if p.coupled), pieces[0])

    @property
    def lane(self) -> str:
        """Id of the lane whose receiver is looked at: the chosen one, else the worst."""
        ids = [x.id for x in self.present.lanes]
        if self._lane in ids:
            return self._lane
        result = self.result
        if result is None or tuple(ids) != result.ids:
            return ids[0]
        noise = [value_of(result, "lane_noise", k) for k in range(len(ids))]
        # The first of those that are as bad: rounding must not choose between two that are alike.
        return ids[next(k for k, value in enumerate(noise) if value >= _ALIKE * max(noise))]

    def turn_to(self, identifier: str) -> bool:
        """Forget what is of another group; whether there was another."""
        is_other = super().turn_to(identifier)
        if is_other:
            self._lane, self.more = "", {}
        return is_other

    def stay(self) -> None:
        """Stay with the lane that is looked at, also when another one becomes the worst."""
        self._lane = self.lane

    def forget(self, views: Iterable[str]) -> None:
        """What some views show is not known any more."""
        for key in views:
            self.more.pop(key, None)

    def look_at(self, lane: str) -> None:
        """Look at the receiver of a lane."""
        if lane != self._lane:
            self._lane = lane
            self.forget(OF_LANE)
            self.turns.turned.emit()
